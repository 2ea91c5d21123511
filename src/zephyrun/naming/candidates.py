"""Names that a thing might have: derived from what the code says of it, and found in tables of usage."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass
from heapq import nsmallest
from typing import NamedTuple

from zephyrun.facts import ContextSort
from zephyrun.naming.definition_names import (
    DEFINITION_DERIVATIONS,
    KNOWN_VERBS,
    class_names,
    function_names,
    in_capitals,
    sentence_of,
)
from zephyrun.naming.features import GROUPS, RESULTS, Feature
from zephyrun.naming.file_usage import ANY_SUCH
from zephyrun.naming.letters import expansions, is_short, stands_for, telling_letters, words_of
from zephyrun.naming.offers import ADVISED, CHOSEN, Derived
from zephyrun.naming.questions import NameCase, Sort
from zephyrun.naming.short_forms import meaning_of
from zephyrun.naming.usage import Told, Usage
from zephyrun.naming.words import SHORT_WORDS, plural, singular, snake_case
from zephyrun.patterns import lazy_pattern

# How a name can be derived; the ranking has a weight for each.
DERIVATIONS = (
    "call",
    "getter",
    "attribute",
    "key",
    "element",
    "count",
    "extreme",
    "collection",
    "each",
    "operand",
    "keyword",
    "stored",
    "class",
    "returned",
    "shown",
    "described",
    "comment",
    "function",
    "compared",
    "tested",
    "put into",
    "expanded",
    *DEFINITION_DERIVATIONS,
    CHOSEN,
    ADVISED,
)
_LEADING_VERBS = frozenset(
    """get read load fetch compute calculate calc find make create build parse to as iter take pick
    add choose select extract collect gather determine derive measure estimate query ask new init open
    format convert normalize normalise render generate lookup resolve next write save dump send run
    handle update set remove delete pop check split join match merge copy apply call emit""".split()
)
# What methods of the library give whose names do not say it.
_GIVING = dict.fromkeys("strptime fromisoformat fromtimestamp utcfromtimestamp fromordinal".split(), "date")
_PREPOSITIONS = frozenset("by with from to in on for of at as is has".split())
_EXTREMES = {
    "max": "max", "min": "min", "sum": "total", "mean": "mean", "fmean": "mean", "median": "median", "next": "next",
    "any": "any", "all": "all",
}
# What these give is one of the things; a sum or a mean is not.
_ONE_OF_THEM = frozenset({"max", "min", "next"})
_STOP_WORDS = frozenset("the a an of in for to this that its our is are and with per from or be if by on as it".split())
_CLASS = lazy_pattern(r"[A-Z]\w*[a-z]\w*")
_BUILTIN_TYPES = frozenset(
    """int str float bool bytes list dict set tuple object type None Any Optional Union Callable Iterable Iterator
    Sequence Mapping List Dict Set Tuple Type Literal Self ClassVar Final Generator Collection""".split()
)
# How a name begins that says what is asked of something.
_TESTS = {"In": ("has_", "is_"), "NotIn": ("is_new_",), "Not": ("no_", "is_not_"), "IsNot": ("has_", "is_"), "Is": ("no_",)}
_OPERATOR = lazy_pattern(r"\w+~?[:<>=](.*)", re.DOTALL)
_PLACES = lazy_pattern(r":\d.*|\[\]|\(\)|[*]")
_GLUED_VERB = lazy_pattern(r"(?:read|get|split)([a-z]{4,})")
_MOST_CANDIDATES = 14
_MOST_DERIVED = 8
_MOST_OF_COUNTERPARTS = 4
_MOST_EXPANSIONS = 4
# Rarer than these, names are not worth to be held against the letters of the old one.
_HELD_AGAINST_LETTERS = 150
_DERIVED_BONUS = 3.0
_WEIGHT_OF_A_VERB = 1.0
_WEIGHT_OF_A_MEANING = 2.0
_WEIGHT_OF_A_WORD = 4.0
# What definitions do that is worth to be held against the letters of their names.
_SAYING_WORDS = frozenset(
    {
        ContextSort.GIVES,
        ContextSort.ASKS,
        ContextSort.CALLS,
        ContextSort.SETS,
        ContextSort.TAKES,
        ContextSort.MEMBER_OF,
        ContextSort.EXTENDS,
        ContextSort.BEARS,
    }
)
_LETTER_BONUS = 4.0


class Support(NamedTuple):
    """What a table says for a name by one feature: how telling that is, the share of the name there, and in
    how many places it is."""

    feature: Feature
    information: float
    share: float
    places: float


@dataclass(frozen=True)
class Candidate:
    """A name with all that speaks for it: what it is derived from, and what each of the tables says of it; for a
    function also what they say of names that begin with the same word."""

    text: str
    derived: tuple[Derived, ...]
    supports: tuple[Sequence[Support], ...]
    supports_of_verb: tuple[Sequence[Support], ...] = ((), ())


# Features, each with what its row tells of names.
_Rows = Sequence[tuple[Feature, Mapping[str, Told]]]


def candidates_of(case: NameCase, tables: Sequence[Usage]) -> list[Candidate]:
    """The names that are worth ranking, at most some two dozen, in no order that matters."""
    derived: defaultdict[str, list[Derived]] = defaultdict(list)
    for each in derived_names(case, tables[-1]):
        if each.text and each.text.isidentifier():
            derived[each.text].append(each)
    rows = [_rows(case, table) for table in tables]

    letters = telling_letters(case.spelling)
    quick: defaultdict[str, float] = defaultdict(float)
    for table_rows in rows:
        for _, row in table_rows:
            for text, (information, *_) in row.items():
                quick[text] += information
    if case.sort is not Sort.VARIABLE:
        for text in [text for text in quick if not _is_of_definition(text, case.sort)]:
            del quick[text]
    for text, origins in derived.items():
        quick[text] += _DERIVED_BONUS * len({each.derivation for each in origins})

    if letters:
        likeliest = _best(quick, _HELD_AGAINST_LETTERS)
        joined = "".join(words_of(letters))
        # One letter stands for too many words.
        words = {text: quick[text] for text in likeliest} if len(joined) > 1 else {}
        said: dict[str, str] = {}
        if case.sort is not Sort.VARIABLE:
            said = _words_said(case, tables)
            verbs = dict.fromkeys(KNOWN_VERBS, _WEIGHT_OF_A_VERB) if case.sort is Sort.FUNCTION else {}
            known = _beginning_like(words_of(letters), tables[-1].words_by_initial)
            words |= {**known, **verbs, **dict.fromkeys(said, _WEIGHT_OF_A_WORD)}
        for meaning in filter(None, map(meaning_of, words_of(letters))):
            words[meaning] = words.get(meaning, 0.0) + _WEIGHT_OF_A_MEANING
        for text in _expanded(letters, words):
            new = set(words_of(text)) - set(words_of(letters))
            told = " and ".join(dict.fromkeys(said[word] for word in sorted(new))) if new <= said.keys() else ""
            if case.sort is Sort.CLASS:
                text = in_capitals(text)
            derived[text].append(Derived(text, "expanded", told))
            quick[text] += _DERIVED_BONUS
            likeliest.append(text)
        for text in dict.fromkeys(likeliest):
            if _may_stand_for(joined, text):
                quick[text] += _LETTER_BONUS
    # What the code says is heard, however many common names there are, and so is what the project calls such a thing.
    heard = [*_best({text: quick[text] for text in derived}, _MOST_DERIVED), *_best(_of_counterparts(rows[-1]), _MOST_OF_COUNTERPARTS)]
    best = dict.fromkeys(_best(quick, _MOST_CANDIDATES) + [text for text in heard if text in quick])
    first_words = {text: text.partition("_")[0] + ANY_SUCH for text in best} if case.sort is Sort.FUNCTION else {}
    supports = [_supports(table_rows, {*best, *first_words.values()}) for table_rows in rows]
    return [
        Candidate(
            text,
            tuple(derived.get(text, ())),
            tuple(each.get(text, ()) for each in supports),
            tuple(each.get(first_words.get(text, ""), ()) for each in supports),
        )
        for text in best
    ]


def _of_counterparts(rows: _Rows) -> dict[str, float]:
    """What is on the other side of a call: how parameters are called that get the thing, and what a parameter gets."""
    found: defaultdict[str, float] = defaultdict(float)
    for feature, row in rows:
        if feature.is_counterpart:
            for text, told in row.items():
                found[text] += told.information
    return found


def _is_of_definition(text: str, sort: Sort) -> bool:
    """Whether a name is written as those of functions or of classes are: the tables mix them."""
    return not text.endswith(ANY_SUCH) and text[:1].isupper() == (sort is Sort.CLASS)


def _best(scores: Mapping[str, float], most: int) -> list[str]:
    return nsmallest(most, scores, key=lambda text: (-scores[text], text))


def _may_stand_for(letters: str, text: str) -> bool:
    if len(letters) > 1 and text.lstrip("_")[:1].lower() != letters[0]:
        # The cheap question first: there are many names.
        return False
    words = words_of(text)
    if len(letters) == 1:
        return any(word.startswith(letters) for word in words[:1] + words[-1:])
    return stands_for(letters, "".join(words))


def _rows(case: NameCase, table: Usage) -> _Rows:
    """What a table tells by each feature of a case."""
    features = {
        (each.key, each.is_counterpart): each for each in reversed(case.features) if each.sort != RESULTS
    }
    return [(each, told) for each in features.values() if (told := table.telling(each.key))]


def _supports(rows: _Rows, texts: Set[str]) -> dict[str, list[Support]]:
    """What a table says for each of some names, by its features."""
    found: defaultdict[str, list[Support]] = defaultdict(list)
    for feature, told in rows:
        for text in told.keys() & texts:
            # Twice as fast as calling the class, and there are hundreds of thousands.
            found[text].append(tuple.__new__(Support, (feature, *told[text])))
    return found


def _words_said(case: NameCase, tables: Sequence[Usage]) -> dict[str, str]:
    """Words that the code of a definition says, each with where."""
    sentence, described = sentence_of(case.features)
    found = dict.fromkeys(sentence, described)
    for feature in case.features:
        if feature.sort == RESULTS:
            names = {name: f"what it gives is called {name}" for name in tables[-1].row(feature.key).names}
        elif feature.sort in _SAYING_WORDS:
            names = {feature.name: feature.told}
        else:
            continue
        for name, told in names.items():
            for word in words_of(name):
                found.setdefault(word, told)
    return found


def _beginning_like(short: Sequence[str], by_initial: Mapping[str, Mapping[str, float]]) -> dict[str, float]:
    """Those of some words, which lie by their initials, that short ones may stand for by these."""
    found: dict[str, float] = {}
    for initial in dict.fromkeys(each[0] for each in short):
        found |= by_initial.get(initial, {})
    return found


def _expanded(letters: str, quick: dict[str, float]) -> list[str]:
    weights: defaultdict[str, float] = defaultdict(float)
    # Others can stand for none of the words that are too short.
    initials = {each[0] for each in words_of(letters) if is_short(each)}
    for text, score in quick.items() if initials else ():
        for word in words_of(text):
            if word[0] in initials:
                weights[word] += score
    return expansions(letters, weights, _MOST_EXPANSIONS)


def derived_names(case: NameCase, of_project: Usage) -> Iterator[Derived]:
    """Names that the code itself says, people have chosen before, or an adviser proposes; some more than once."""
    yield from case.offers
    if case.sort is not Sort.VARIABLE:
        names_of = function_names if case.sort is Sort.FUNCTION else class_names
        yield from names_of(case.features, case.spelling, lambda feature: of_project.row(feature.key).names)
        return
    for feature in case.features:
        if GROUPS[feature.group] in ("within", "shape") or feature.is_counterpart:
            continue
        for text, derivation in _from_context(feature.sort, feature.name):
            yield Derived(text, derivation, feature.told)
    yield from (Derived(text, "comment", f"its comment says {comment}") for text, comment in case.remarks)
    noun = without_verb(snake_case(case.function))
    if noun:
        yield Derived(noun, "function", f"in {case.function}()")
        if "_" in noun and case.is_parameter:
            yield Derived(noun.rpartition("_")[2], "function", f"in {case.function}()")


_Names = list[tuple[str, str]]


def _from_context(sort: str, said: str) -> _Names:
    """Names that a context says, each with how it is derived."""
    derive = _WAYS.get(sort)
    return derive(said) if derive is not None else []


def _leaf(said: str) -> str:
    """The name in what a context says, without the place in it."""
    return snake_case(_PLACES.sub("", said.rpartition("@")[2]))


def _as_it_is(derivation: str) -> Callable[[str], _Names]:
    return lambda said: [(_leaf(said), derivation)]


def _from_call(said: str) -> _Names:
    name = _leaf(said)
    noun = _GIVING.get(name) or _without_glued_verb(name) or without_verb(name)
    return [(noun, "getter" if noun != name else "call")]


def _without_glued_verb(name: str) -> str:
    """What a name says of which verb and noun are one word, as in the library's `readlines` and `getvalue`; "" for another."""
    found = _GLUED_VERB.fullmatch(name)
    return found[1] if found is not None and (singular(found[1]) or found[1]) in SHORT_WORDS else ""


def _from_call_on(said: str) -> _Names:
    callee, _, subject = said.partition(":")
    if "@" in said:
        return []
    leaf = snake_case(_PLACES.sub("", subject))
    one = singular(leaf) or leaf
    if callee == "len":
        return [(f"n_{leaf}", "count"), (f"num_{leaf}", "count"), (f"{one}_count", "count")]
    if callee in _EXTREMES:
        found = [(f"{_EXTREMES[callee]}_{one}", "extreme")]
        found += [(one, "extreme")] if callee in _ONE_OF_THEM else []
        return found + ([(f"has_{one}", "tested")] if callee == "any" else [])
    return [(plural(leaf) if callee == "join" else leaf, "operand")]


def _element(said: str) -> _Names:
    name = _leaf(said)
    one = singular(without_verb(name) or name)
    return [(f"{one or name}_key", "element")] if said.startswith("key@") else [(one, "element")]


def _collection(said: str) -> _Names:
    name = _leaf(said)
    return [(name, "collection"), (plural(name) if name else "", "collection")]


def _each(said: str) -> _Names:
    name = _leaf(said)
    things = without_verb(name) or name
    key = snake_case(_PLACES.sub("", said.rpartition("@")[0]))
    return [(plural(things), "each")] + ([(f"{singular(things) or things}_by_{key}", "each")] if key and things else [])


def _tested(said: str) -> _Names:
    """What a test asks: `hive in known` of the hive, `not hives` of the hives."""
    operator, _, subject = said.partition(":")
    leaf = snake_case(_PLACES.sub("", subject))
    if not leaf or operator not in _TESTS:
        return []
    return [(before + leaf, "tested") for before in _TESTS[operator]]


def _class(said: str) -> _Names:
    if not _CLASS.fullmatch(said) or said in _BUILTIN_TYPES:
        return []
    name = snake_case(said)
    return [(name, "class"), (name.rpartition("_")[2], "class")]


def _returned(said: str) -> _Names:
    name = _leaf(said)
    return [(without_verb(name), "returned"), (name.rpartition("_")[2], "returned")]


def _compared(said: str) -> _Names:
    found = _OPERATOR.match(said)
    leaf = snake_case(_PLACES.sub("", found[1])) if found is not None else ""
    return [(leaf, "compared"), (leaf.rpartition("_")[2], "compared")]


# How names are derived from what contexts of each sort say.
_WAYS: dict[str, Callable[[str], _Names]] = {
    ContextSort.FROM_CALL: _from_call,
    ContextSort.WITH: _from_call,
    ContextSort.FROM_CALL_ON: _from_call_on,
    ContextSort.FROM_ATTRIBUTE: _as_it_is("attribute"),
    ContextSort.FROM_KEY: _as_it_is("key"),
    ContextSort.ELEMENT_OF: _element,
    ContextSort.ITEM_OF: _element,
    ContextSort.ELEMENT_OF_CALL: lambda said: [(singular(without_verb(_leaf(said))), "element")],
    ContextSort.ALL_OF: _collection,
    ContextSort.EACH: _each,
    ContextSort.KEYWORD: _as_it_is("keyword"),
    ContextSort.STORED: _as_it_is("stored"),
    ContextSort.ANNOTATED: _class,
    ContextSort.IS_A: _class,
    ContextSort.RETURNED: _returned,
    ContextSort.SHOWN: _as_it_is("shown"),
    ContextSort.DESCRIBED: lambda said: [] if said in _STOP_WORDS else [(said, "described")],
    ContextSort.FROM_TEST: _tested,
    ContextSort.COMPARED: _compared,
    ContextSort.OPERAND: _compared,
    ContextSort.FROM_OPERATOR: _compared,
    ContextSort.PUT_INTO: lambda said: [(singular(_leaf(said)), "put into")],
}


def without_verb(name: str) -> str:
    """A name without the verbs that it begins with, "" where nothing is left or it says only where from."""
    words = name.split("_")
    while words and words[0] in _LEADING_VERBS:
        words = words[1:]
    return "_".join(words) if words and words[0] not in _PREPOSITIONS else ""
