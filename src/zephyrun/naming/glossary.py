"""A project's vocabulary: its words, what bears them, what they mean, and which of them stand for one another."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from itertools import combinations
from typing import NamedTuple

from zephyrun.facts import Context, ContextSort, Definition, FileFacts, Role, ScopeKind
from zephyrun.naming.features import PLACEHOLDERS, feature_key
from zephyrun.naming.letters import stands_for, words_of
from zephyrun.naming.questions import group_of
from zephyrun.naming.short_forms import TRADE_MEANINGS
from zephyrun.naming.words import SHORT_WORDS, is_readable, singular
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

_FIRST_SENTENCE = lazy_pattern(r"(?<=[.!?])\s")
# A row speaks for two words being one idea where both are common in it.
_LEAST_OF_BOTH = 2
_SHARE_OF_BOTH = 0.5
_COMMONEST = 3
_ROWS_THAT_AGREE = 2
_SHARE_OF_ROWS = 0.02
# Words that stand side by side in functions are two ideas.
_SHARE_TOGETHER = 0.1
# A word of the project that is said so often goes before what the trade means.
_LEAST_SAID = 2
_SHORTEST_FORM = 2
_LONGEST_SHORT_FORM = 3
# Contexts that fix what a thing is: what it came from, and which part it plays.
_FIXING = frozenset(
    {
        ContextSort.FROM_CALL,
        ContextSort.FROM_KEY,
        ContextSort.FROM_ATTRIBUTE,
        ContextSort.ARGUMENT,
        ContextSort.PARAMETER,
    }
)
_SAYING = frozenset(
    {
        ContextSort.FROM_CALL,
        ContextSort.FROM_KEY,
        ContextSort.FROM_ATTRIBUTE,
        ContextSort.ELEMENT_OF,
        ContextSort.ITEM_OF,
        ContextSort.STORED,
        ContextSort.KEYWORD,
        ContextSort.ANNOTATED,
        ContextSort.IS_A,
    }
)


class NamedThing(NamedTuple):
    """Something of a project that has a name. `sort` says what it is; `group` stands for the function whose
    variables it belongs to, "" for none; `meaning` is what is written about it; `fixed_by` are the keys of
    contexts that fix what it is; `said_beside` are words with which the code beside it speaks of the same thing.
    """

    name: str
    sort: str
    path: str
    line: int
    group: str
    meaning: str
    fixed_by: tuple[int, ...]
    said_beside: tuple[str, ...] = ()


class Entry(NamedTuple):
    """One word of a project: how many things bear it, of which sorts, the first of them, what it means where that
    is documented, what it is short for, its own short forms, and its rivals: other words for the same idea."""

    word: str
    n_things: int
    sorts: tuple[tuple[str, int], ...]
    path: str
    line: int
    meaning: str
    short_for: str
    short_forms: tuple[str, ...]
    rivals: tuple[str, ...]


def glossary_of(things: Iterable[NamedThing], meanings: Mapping[str, str]) -> list[Entry]:
    """The words of a project, the commonest first. `meanings` says what its team wrote about words, and goes
    before what is found."""
    by_word: defaultdict[str, list[NamedThing]] = defaultdict(list)
    all_things = list(things)
    for thing in all_things:
        for word in dict.fromkeys(map(_one, words_of(thing.name))):
            if len(word) >= _SHORTEST_FORM:
                by_word[word].append(thing)
    counts = {word: len(found) for word, found in by_word.items()}
    full_forms = {word: _full_form(word, found) for word, found in by_word.items() if is_short(word)}
    short_forms: defaultdict[str, list[str]] = defaultdict(list)
    for short, full in full_forms.items():
        if full:
            short_forms[full].append(short)
    rivals = _rivals(all_things, counts)
    entries = [
        Entry(
            word,
            len(found),
            tuple(Counter(each.sort for each in found).most_common()),
            found[0].path,
            found[0].line,
            meanings.get(word) or _meaning(word, found),
            full_forms.get(word, ""),
            tuple(sorted(short_forms.get(word, ()))),
            tuple(sorted(rivals.get(word, ()))),
        )
        for word, found in by_word.items()
    ]
    return sorted(entries, key=lambda each: (-each.n_things, each.word))


def _one(word: str) -> str:
    return singular(word) or word


def is_short(word: str) -> bool:
    """Whether a word is a short form, and no word by itself."""
    if word in TRADE_MEANINGS:
        return True
    return not is_readable(word) or (len(word) <= _LONGEST_SHORT_FORM and word not in SHORT_WORDS)


def _full_form(short: str, found: Iterable[NamedThing]) -> str:
    """The word that a short form stands for: the one with which the code beside it speaks of the same things, or
    the trade's; "" where neither says so."""
    said = Counter(
        _one(word)
        for thing in found
        for word in dict.fromkeys(thing.said_beside)
        if _one(word) != short and stands_for(short, _one(word)) and not is_short(_one(word))
    )
    (best, count), *_ = said.most_common(1) or [("", 0)]
    if count < _LEAST_SAID and short in TRADE_MEANINGS:
        return TRADE_MEANINGS[short]
    return best


def _meaning(word: str, found: Sequence[NamedThing]) -> str:
    """What is written about a thing that is called just so, classes first."""
    own = [each for each in found if each.meaning and [_one(part) for part in words_of(each.name)] == [word]]
    own.sort(key=lambda each: (each.sort != "class", each.path, each.line))
    return own[0].meaning if own else ""


def _rivals(things: Sequence[NamedThing], counts: Mapping[str, int]) -> dict[str, set[str]]:
    """Pairs of words that stand for the same things: in the same contexts, and never side by side."""
    rows: defaultdict[int, Counter[str]] = defaultdict(Counter)
    together: Counter[tuple[str, str]] = Counter()
    by_group: defaultdict[str, set[str]] = defaultdict(set)
    for thing in things:
        words = words_of(thing.name)
        if not words:
            continue
        head = _one(words[-1])
        for key in thing.fixed_by:
            rows[key][head] += 1
        if thing.group:
            by_group[thing.group].add(head)
    for heads in by_group.values():
        together.update(combinations(sorted(heads), 2))

    found: defaultdict[str, set[str]] = defaultdict(set)
    for (one, other), n_rows in _pairs_that_agree(rows.values(), counts).items():
        rarer = min(counts[one], counts[other])
        needed = max(_ROWS_THAT_AGREE, _SHARE_OF_ROWS * rarer)
        if n_rows >= needed and together[one, other] <= _SHARE_TOGETHER * rarer:
            found[one].add(other)
            found[other].add(one)
    return found


def _pairs_that_agree(
    rows: Iterable[Counter[str]], counts: Mapping[str, int]
) -> Counter[tuple[str, str]]:
    """Pairs of words that are common in one row, with the number of such rows."""
    agreeing: Counter[tuple[str, str]] = Counter()
    for row in rows:
        common = [
            word
            for word, count in row.most_common(_COMMONEST)
            if count >= _LEAST_OF_BOTH and word in counts and not is_short(word)
        ]
        for pair in combinations(sorted(common), 2):
            if row[pair[0]] + row[pair[1]] >= _SHARE_OF_BOTH * row.total():
                agreeing[pair] += 1
    return agreeing


def things_in(
    path: str, source: SourceText, facts: FileFacts, contexts: Mapping[int, Sequence[Context]]
) -> list[NamedThing]:
    """What has a name in one file; `contexts` are those of each variable."""
    by_name_start = {each.name_start: each for each in facts.definitions}
    found = []
    for binding, record in enumerate(facts.bindings):
        if record.outside or not record.references or record.name in PLACEHOLDERS or record.name.startswith("__"):
            continue
        first = facts.references[record.references[0]]
        own = contexts.get(binding, ())
        sort = _sort_of(facts, binding)
        if not sort:
            continue
        definition = by_name_start.get(first.start)
        meaning = _documented(facts, definition) if definition is not None else _described(own)
        found.append(
            NamedThing(
                record.name,
                sort,
                path,
                source.line_of(first.start),
                group_of(facts, path, binding) if record.scope else "",
                meaning,
                tuple(feature_key(each.sort, each.name) for each in own if each.sort in _FIXING),
                _said_beside(own) if any(map(is_short, words_of(record.name))) else (),
            )
        )
    return found


def _sort_of(facts: FileFacts, binding: int) -> str:
    """What sort of thing a name stands for; "" for what comes from elsewhere."""
    roles = facts.roles(binding)
    if Role.IMPORT in roles:
        return ""
    record = facts.bindings[binding]
    is_in_class = facts.scopes[record.scope].kind is ScopeKind.CLASS
    if Role.CLASS in roles:
        return "class"
    if Role.FUNCTION in roles:
        return "method" if is_in_class else "function"
    if Role.PARAMETER in roles:
        return "parameter"
    if is_in_class:
        return "attribute"
    return "constant" if record.name.isupper() and not record.scope else "variable"


def _documented(facts: FileFacts, definition: Definition) -> str:
    if definition.documentation < 0:
        return ""
    texts = facts.texts_between(definition.documentation, definition.documentation + 1)
    words = " ".join(" ".join(each.words for each in texts).split())
    return _FIRST_SENTENCE.split(words, maxsplit=1)[0].rstrip(".")


def _said_beside(contexts: Iterable[Context]) -> tuple[str, ...]:
    """The words of the names that the code gives to the same thing, or to what it is taken from."""
    return tuple(word for each in contexts if each.sort in _SAYING for word in words_of(each.name))


def _described(contexts: Iterable[Context]) -> str:
    return " ".join(each.name for each in contexts if each.sort is ContextSort.DESCRIBED)
