"""Names that a variable might have: derived from what the code beside it says, and found in tables of usage."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from heapq import nsmallest
from typing import NamedTuple

from zephyrun.facts import ContextSort
from zephyrun.naming.features import GROUPS, Feature
from zephyrun.naming.letters import expansions, stands_for, telling_letters, words_of
from zephyrun.naming.usage import Usage
from zephyrun.naming.words import plural, singular, snake_case

# How a name can be derived; the ranking has a weight for each.
DERIVATIONS = (
    "call",
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
    "put into",
    "expanded",
)
_LEADING_VERBS = frozenset(
    """get read load fetch compute calculate calc find make create build parse to as iter take pick
    add choose select extract collect gather determine derive measure estimate query ask new init open
    format convert normalize normalise render generate lookup resolve next write save dump send run
    handle update set remove delete pop check split join match merge copy apply call emit""".split()
)
_PREPOSITIONS = frozenset("by with from to in on for of at as is has".split())
_EXTREMES = {"max": "max", "min": "min", "sum": "total", "mean": "mean", "median": "median", "next": "next"}
_STOP_WORDS = frozenset("the a an of in for to this that its our is are and with per from or be if by on as it".split())
_CLASS = re.compile(r"[A-Z]\w*[a-z]\w*")
_BUILTIN_TYPES = frozenset(
    """int str float bool bytes list dict set tuple object type None Any Optional Union Callable Iterable Iterator
    Sequence Mapping List Dict Set Tuple Type Literal Self ClassVar Final Generator Collection""".split()
)
_PLACES = re.compile(r":\d.*|\[\]|\(\)|[*]")
_MOST_CANDIDATES = 24
_MOST_EXPANSIONS = 4
# Rarer than these, names are not worth to be held against the letters of the old one.
_HELD_AGAINST_LETTERS = 150
_DERIVED_BONUS = 3.0
_LETTER_BONUS = 4.0


class Derived(NamedTuple):
    """A name that something says, how it is derived, and what says so, in words."""

    text: str
    derivation: str
    told: str


class NameCase(NamedTuple):
    """A variable for which a name is sought. `spelling` is the old name; `remarks` are names that comments
    suggest, each with the comment; `function` is that around it, "" for none; a variable that loops over something is one of
    many."""

    spelling: str
    features: tuple[Feature, ...]
    remarks: tuple[tuple[str, str], ...] = ()
    function: str = ""
    is_parameter: bool = False
    is_one_of_many: bool = False


class Support(NamedTuple):
    """What a table says for a name by one feature: how telling that is, the share of the name there, and in
    how many places it is."""

    feature: Feature
    information: float
    share: float
    places: float


@dataclass(frozen=True)
class Candidate:
    """A name with all that speaks for it: what it is derived from, and what each of the tables says."""

    text: str
    derived: tuple[Derived, ...]
    supports: tuple[Sequence[Support], ...]


def candidates_of(case: NameCase, tables: Sequence[Usage]) -> list[Candidate]:
    """The names that are worth ranking, at most some two dozen, in no order that matters."""
    derived: defaultdict[str, list[Derived]] = defaultdict(list)
    for each in _derived(case):
        if each.text and each.text.isidentifier():
            derived[each.text].append(each)
    supports = [_supports(case, table) for table in tables]
    letters = telling_letters(case.spelling)
    quick: defaultdict[str, float] = defaultdict(float)
    for table_supports in supports:
        for text, found in table_supports.items():
            quick[text] += sum(each.information for each in found)
    for text, origins in derived.items():
        quick[text] += _DERIVED_BONUS * len({each.derivation for each in origins})
    if letters:
        likeliest = _best(quick, _HELD_AGAINST_LETTERS)
        for text in _expanded(letters, {text: quick[text] for text in likeliest}):
            derived[text].append(Derived(text, "expanded", ""))
            quick[text] += _DERIVED_BONUS
            likeliest.append(text)
        joined = "".join(words_of(letters))
        for text in dict.fromkeys(likeliest):
            if _may_stand_for(joined, text):
                quick[text] += _LETTER_BONUS
    best = _best(quick, _MOST_CANDIDATES)
    return [
        Candidate(text, tuple(derived.get(text, ())), tuple(each.get(text, ()) for each in supports))
        for text in best
    ]


def _best(scores: Mapping[str, float], most: int) -> list[str]:
    return nsmallest(most, scores, key=lambda text: (-scores[text], text))


def _may_stand_for(letters: str, text: str) -> bool:
    words = words_of(text)
    if len(letters) == 1:
        return any(word.startswith(letters) for word in words[:1] + words[-1:])
    return stands_for(letters, "".join(words))


def _supports(case: NameCase, table: Usage) -> dict[str, list[Support]]:
    """What a table says for each name of the rows of a case."""
    found: defaultdict[str, list[Support]] = defaultdict(list)
    features = {(each.key, each.is_counterpart): each for each in reversed(case.features)}
    for feature in features.values():
        for name, *said in table.telling(feature.key):
            found[name].append(Support(feature, *said))
    return found


def _expanded(letters: str, quick: dict[str, float]) -> list[str]:
    weights: defaultdict[str, float] = defaultdict(float)
    for text, score in quick.items():
        for word in words_of(text):
            weights[word] += score
    return expansions(letters, weights, _MOST_EXPANSIONS)


def _derived(case: NameCase) -> Iterator[Derived]:
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


def _from_context(sort: str, said: str) -> Iterable[tuple[str, str]]:
    before, mark, after = said.partition("@")
    name = snake_case(_PLACES.sub("", after if mark else said))
    if sort in (ContextSort.FROM_CALL, ContextSort.WITH):
        return [(without_verb(name), "call")]
    if sort == ContextSort.FROM_CALL_ON and not mark:
        callee, _, subject = said.partition(":")
        leaf = snake_case(_PLACES.sub("", subject))
        if callee == "len":
            return [(f"n_{leaf}", "count"), (f"num_{leaf}", "count"), (f"{singular(leaf) or leaf}_count", "count")]
        if callee in _EXTREMES:
            return [(f"{_EXTREMES[callee]}_{singular(leaf) or leaf}", "extreme"), (singular(leaf), "extreme")]
        return [(leaf, "operand")]
    if sort == ContextSort.FROM_ATTRIBUTE:
        return [(name, "attribute")]
    if sort == ContextSort.FROM_KEY:
        return [(name, "key")]
    if sort in (ContextSort.ELEMENT_OF, ContextSort.ITEM_OF):
        one = singular(without_verb(name) or name)
        return [(f"{one or name}_key", "element")] if before == "key" else [(one, "element")]
    if sort == ContextSort.ELEMENT_OF_CALL:
        return [(singular(without_verb(name)), "element")]
    if sort == ContextSort.ALL_OF:
        return [(name, "collection"), (plural(name) if name else "", "collection")]
    if sort == ContextSort.EACH:
        return [(plural(without_verb(name)) if name else "", "each")]
    if sort == ContextSort.KEYWORD:
        return [(name, "keyword")]
    if sort == ContextSort.STORED:
        return [(name, "stored")]
    if sort in (ContextSort.ANNOTATED, ContextSort.IS_A):
        is_class = _CLASS.fullmatch(said) and said not in _BUILTIN_TYPES
        return [(name, "class"), (name.rpartition("_")[2], "class")] if is_class else []
    if sort == ContextSort.RETURNED:
        return [(without_verb(name), "returned"), (name.rpartition("_")[2], "returned")]
    if sort == ContextSort.SHOWN:
        return [(name, "shown")]
    if sort == ContextSort.DESCRIBED:
        return [(name, "described")] if name not in _STOP_WORDS else []
    if sort in (ContextSort.COMPARED, ContextSort.OPERAND, ContextSort.FROM_OPERATOR):
        leaf = snake_case(_PLACES.sub("", re.split(r"[:<>]", said, maxsplit=1)[-1]))
        return [(leaf, "compared"), (leaf.rpartition("_")[2], "compared")] if leaf != name else []
    if sort == ContextSort.PUT_INTO:
        return [(singular(name), "put into")]
    return []


def without_verb(name: str) -> str:
    """A name without the verbs that it begins with, "" where nothing is left or it says only where from."""
    words = name.split("_")
    while words and words[0] in _LEADING_VERBS:
        words = words[1:]
    return "_".join(words) if words and words[0] not in _PREPOSITIONS else ""
