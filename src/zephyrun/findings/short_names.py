"""How names say too little, and where the trade reads short ones at sight."""

from __future__ import annotations

import re
from collections.abc import Iterable
from enum import StrEnum

from zephyrun.facts import Context, ContextSort, FileFacts, Role
from zephyrun.naming.letters import VAGUE_WORDS
from zephyrun.naming.short_forms import READ_AT_SIGHT
from zephyrun.naming.word_choices import WordChoices
from zephyrun.naming.words import singular, split_name

_WRITTEN = frozenset({Role.ASSIGN, Role.AUGMENT, Role.LOOP, Role.EACH})
# The trade's own short names: in which role each is read at sight, and over how many lines.
_CONVENTIONS: dict[str, tuple[frozenset[Role], int]] = {
    **dict.fromkeys("ijk", (_WRITTEN | {Role.PARAMETER}, 12)),
    **dict.fromkeys(("e", "ex", "exc", "err"), (frozenset({Role.CATCH, Role.ASSIGN, Role.PARAMETER}), 20)),
    **dict.fromkeys(("f", "fp", "fh"), (frozenset({Role.WITH, Role.ASSIGN, Role.PARAMETER}), 8)),
    **dict.fromkeys("kv", (frozenset({Role.LOOP, Role.EACH, Role.PARAMETER}), 10)),
    **dict.fromkeys("ab", (frozenset({Role.PARAMETER}), 8)),
    "n": (frozenset({Role.ASSIGN, Role.LOOP, Role.EACH, Role.PARAMETER}), 8),
    "m": (frozenset({Role.ASSIGN, Role.INLINE}), 4),
    "fn": (frozenset({Role.LOOP, Role.ASSIGN, Role.PARAMETER}), 8),
}
# Short names for what certain calls give.
_OF_CALLS = {
    "m": frozenset({"match", "search", "fullmatch", "finditer"}),
    "f": frozenset("open fdopen NamedTemporaryFile TemporaryFile StringIO BytesIO".split()),
    "st": frozenset({"stat", "lstat", "fstat"}),
    **dict.fromkeys(
        "el p a li ol ul tr td th dl dt dd".split(), frozenset({"Element", "SubElement", "createElement", "new_tag"})
    ),
}
_OF_CALLS_LINES = 25
_CAUGHT_LINES = 20
_COORDINATES = frozenset("xyz")
_COORDINATE = re.compile(r"([xyz])_?\d")
_COORDINATE_LINES = 15
_LETTERS = 2
_STUMP_LENGTH = 3
_STAND_IN = re.compile(r"([a-zA-Z]{1,5})_?\d+")
# `i18n`, `m2m`; and numbers of messages, which somebody has given: `E006`.
_TRADE_NUMBER = re.compile(r"[a-z]{1,2}\d+[a-z]{1,2}|[A-Z]{1,3}\d{2,}")


_FROM_CALLS = frozenset({ContextSort.FROM_CALL, ContextSort.ELEMENT_OF_CALL, ContextSort.WITH})


class Shortness(StrEnum):
    """How a name says too little."""

    STAND_IN = "a letter or a stump with a number"
    LETTER = "one letter or two"
    STUMP = "three letters that are no word"
    TRADE_FORM = "a short form that is read at sight"
    COMPOUND = "a whole word beside what cannot be read"
    SKELETON = "letters of a longer word"


def shortness_of(name: str, words: WordChoices) -> Shortness | None:
    """How a name that is hard to read says too little; `None` where it says enough beside a whole word."""
    if _TRADE_NUMBER.fullmatch(name):
        return None
    numbered = _STAND_IN.fullmatch(name)
    if numbered is not None:
        # `tag1` and `tag2` are the parts of something; `tmp2` and `p2` are one more of whatever.
        says_nothing = numbered[1].lower() in VAGUE_WORDS or words.unknown(numbered[1])
        return Shortness.STAND_IN if says_nothing else None
    parts = [word for word in split_name(name) if not word.isdigit()]
    unknown = words.unknown(name)
    if len(parts) == 1:
        if _is_read_at_sight(parts[0]):
            return Shortness.TRADE_FORM
        if len(parts[0]) <= _LETTERS:
            return Shortness.LETTER
        return Shortness.STUMP if len(parts[0]) <= _STUMP_LENGTH else Shortness.SKELETON
    # A letter or a form of the trade beside a whole word is read with it: `n_hives`, `hive_idx`.
    hard = [word for word in unknown if len(word) > 1 and not _is_read_at_sight(word)]
    if not hard:
        return None if len(unknown) < len(parts) else Shortness.LETTER
    if len(hard) == len(parts) or any(len(word) > _STUMP_LENGTH for word in hard):
        return Shortness.SKELETON
    return Shortness.COMPOUND


def _is_read_at_sight(word: str) -> bool:
    return (singular(word) or word) in READ_AT_SIGHT


def is_conventional(
    facts: FileFacts,
    binding: int,
    name: str,
    roles: frozenset[Role],
    n_lines: int,
    contexts: Iterable[Context] = (),
) -> bool:
    """Whether the trade reads a short name at sight, in these roles, over so many lines, and for what is said of it."""
    if n_lines <= _OF_CALLS_LINES and (callees := _OF_CALLS.get(name)):
        given = {each.name.partition(":")[0].removesuffix("()") for each in contexts if each.sort in _FROM_CALLS}
        if given & callees:
            return True
    if is_coordinate(name):
        scope = facts.bindings[binding].scope
        beside = {each.name[:1] for each in facts.bindings if each.scope == scope and is_coordinate(each.name)}
        return len(beside) > 1 and n_lines <= _COORDINATE_LINES
    binding_roles = roles - {Role.READ, Role.DELETE, Role.DECLARE}
    if binding_roles == {Role.CATCH}:
        # `except ValueError as ve`: what it is stands on the same line.
        return n_lines <= _CAUGHT_LINES
    allowed, most_lines = _CONVENTIONS.get(name, (frozenset(), 0))
    return binding_roles <= allowed and n_lines <= most_lines


def is_coordinate(name: str) -> bool:
    """Whether a name is that of a coordinate: `x`, `y0`."""
    return name in _COORDINATES or _COORDINATE.fullmatch(name) is not None
