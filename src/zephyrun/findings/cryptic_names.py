"""`cryptic-name`: locals and parameters whose name says too little for how long a reader must remember it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from enum import StrEnum
from math import log2
from typing import NamedTuple

from zephyrun.facts import FileFacts, Role, ScopeKind
from zephyrun.findings.about_names import about_local, lines_of, span, spelling_of
from zephyrun.findings.finding import FileView, Finding
from zephyrun.naming.questions import LOWEST_SCORE, group_of
from zephyrun.naming.short_forms import READ_AT_SIGHT
from zephyrun.naming.words import split_name
from zephyrun.proof.normal_form import is_local_variable

# The trade's own short names: in which role each is read at sight, and over how many lines.
_CONVENTIONS: dict[str, tuple[frozenset[Role], int]] = {
    **dict.fromkeys("ijk", (frozenset({Role.LOOP, Role.EACH, Role.ASSIGN, Role.AUGMENT}), 12)),
    **dict.fromkeys(("e", "ex", "exc", "err"), (frozenset({Role.CATCH, Role.ASSIGN}), 15)),
    **dict.fromkeys(("f", "fp", "fh"), (frozenset({Role.WITH, Role.ASSIGN}), 8)),
    **dict.fromkeys("kv", (frozenset({Role.LOOP, Role.EACH}), 5)),
    "n": (frozenset({Role.ASSIGN, Role.LOOP, Role.EACH}), 8),
    "m": (frozenset({Role.ASSIGN, Role.INLINE}), 4),
    "fn": (frozenset({Role.LOOP, Role.ASSIGN}), 8),
}
_COORDINATES = frozenset("xyz")
_COORDINATE = re.compile(r"([xyz])_?\d")
_COORDINATE_LINES = 15
# Inside a comprehension on one or two lines even a letter is read together with what it means.
_COMPREHENSION_LINES = 2
# Up to so many lines, a reader has a name before his eyes together with what it stands for.
_SHORT_SPAN = 6
_LONG_SPAN = 15
# Several names that say nothing, in one function, cannot be told apart however short it is.
_CROWD = 2
_LIKELY = 0.5
_NEVER = 1.0
_LETTERS = 2
_STUMP_LENGTH = 3
_STAND_IN = re.compile(r"[a-zA-Z]{1,5}_?\d+")


class _Sort(StrEnum):
    """How a name says too little."""

    STAND_IN = "a letter or a stump with a number"
    LETTER = "one letter or two"
    STUMP = "three letters that are no word"
    TRADE_FORM = "a short form that is read at sight"
    COMPOUND = "a whole word beside what cannot be read"
    SKELETON = "letters of a longer word"


class _Judged(NamedTuple):
    binding: int
    sort: _Sort
    weight: float
    n_lines: int


def find_cryptic_names(view: FileView) -> Iterator[Finding]:
    """Judge every local of the file that is no parameter."""
    facts = view.facts
    judged = [
        each
        for binding, record in enumerate(facts.bindings)
        # The cheap question first: most names are fine.
        if record.scope
        and view.words.crypticness(record.name.strip("_"))
        and is_local_variable(facts, binding)
        and (each := _judge(view, binding)) is not None
    ]
    crowds = Counter(group_of(facts, view.path, each.binding) for each in judged if each.sort is not _Sort.TRADE_FORM)
    for each in judged:
        is_in_crowd = crowds[group_of(facts, view.path, each.binding)] >= _CROWD
        n_uses = len(facts.bindings[each.binding].references)
        message = _message(spelling_of(view, each.binding), each.n_lines, n_uses)
        least_score = _needed_score(each, is_in_crowd=is_in_crowd)
        if least_score == _NEVER:
            continue
        # What a reader sees at a glance is worth a word only where the code beside it says a better one.
        only_said = least_score == _LIKELY and each.n_lines <= _SHORT_SPAN
        yield about_local(
            view, each.binding, "cryptic-name", message, each.weight, least_score, only_said=only_said
        )


def _needed_score(judged: _Judged, *, is_in_crowd: bool) -> float:
    """How good a better name must be for the old one to be worth a word."""
    is_short, is_long = judged.n_lines <= _SHORT_SPAN, judged.n_lines >= _LONG_SPAN
    if judged.sort in (_Sort.STAND_IN, _Sort.SKELETON):
        return 0.0
    if judged.sort is _Sort.TRADE_FORM:
        return _LIKELY if is_long else _NEVER
    if is_long:
        return 0.0
    if is_in_crowd or judged.sort is _Sort.STUMP:
        return LOWEST_SCORE if is_short else 0.0
    return _LIKELY


def _sort_of(view: FileView, name: str) -> _Sort | None:
    if _STAND_IN.fullmatch(name):
        return _Sort.STAND_IN
    words = [word for word in split_name(name) if not word.isdigit()]
    unknown = view.words.unknown(name)
    if len(words) == 1:
        if words[0] in READ_AT_SIGHT:
            return _Sort.TRADE_FORM
        if len(words[0]) <= _LETTERS:
            return _Sort.LETTER
        return _Sort.STUMP if len(words[0]) <= _STUMP_LENGTH else _Sort.SKELETON
    # A letter or a form of the trade beside a whole word is read with it: `n_hives`, `hive_idx`.
    unknown = [word for word in unknown if len(word) > 1 and word not in READ_AT_SIGHT]
    if not unknown:
        return None if len(view.words.unknown(name)) < len(words) else _Sort.LETTER
    return _Sort.COMPOUND if len(unknown) < len(words) else _Sort.SKELETON


def _judge(view: FileView, binding: int) -> _Judged | None:
    """What is wrong with a name, and what it costs a reader; `None` where it is fine."""
    facts = view.facts
    record = facts.bindings[binding]
    name = record.name.strip("_")
    roles = facts.roles(binding)
    is_mangled = record.name != spelling_of(view, binding)
    if not name or is_mangled or Role.IMPORT in roles or roles == {Role.READ}:
        return None
    first, last = lines_of(view, binding)
    n_lines = last - first + 1
    is_in_comprehension = facts.scopes[record.scope].kind is ScopeKind.COMPREHENSION
    if is_in_comprehension and n_lines <= _COMPREHENSION_LINES:
        return None
    if _is_conventional(facts, binding, name, roles, n_lines):
        return None
    sort = _sort_of(view, name)
    if sort is None:
        return None
    weight = view.words.crypticness(name) * (log2(1 + n_lines) + log2(1 + len(record.references)) / 2)
    return _Judged(binding, sort, weight, n_lines)


def _is_conventional(
    facts: FileFacts, binding: int, name: str, roles: frozenset[Role], n_lines: int
) -> bool:
    if name in _COORDINATES or _COORDINATE.fullmatch(name):
        scope = facts.bindings[binding].scope
        beside = {each.name[:1] for each in facts.bindings if each.scope == scope and _is_coordinate(each.name)}
        return len(beside) > 1 and n_lines <= _COORDINATE_LINES
    allowed, most_lines = _CONVENTIONS.get(name, (frozenset(), 0))
    binding_roles = roles - {Role.READ, Role.DELETE, Role.DECLARE}
    return binding_roles <= allowed and n_lines <= most_lines


def _is_coordinate(name: str) -> bool:
    return name in _COORDINATES or _COORDINATE.fullmatch(name) is not None


def _message(spelling: str, n_lines: int, n_uses: int) -> str:
    said = "says nothing about" if len(spelling.strip("_")) == 1 else "hardly says"
    return f"`{spelling}` {said} what it holds, over {span(n_lines, n_uses)}."
