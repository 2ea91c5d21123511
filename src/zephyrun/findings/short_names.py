"""How names say too little."""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum

from zephyrun.naming.letters import VAGUE_WORDS
from zephyrun.naming.short_forms import READ_AT_SIGHT
from zephyrun.naming.word_choices import WordChoices
from zephyrun.naming.words import SHORT_WORDS, TRADE_FORMS, has_vowel, singular, split_name
from zephyrun.patterns import lazy_pattern

_LETTERS = 2
_STUMP_LENGTH = 3
# What can be pronounced is a word from here on, and not a chance syllable.
_LONG_WORD = 4
_SHORTEST_PART = 2
_STAND_IN = lazy_pattern(r"([a-zA-Z]{1,5})_?\d+")
# What is read at sight with a number, too.
_COUNTED = frozenset({"len", "arg", "str"})
# `i18n`, `m2m`; and numbers of messages, which somebody has given: `E006`.
_TRADE_NUMBER = lazy_pattern(r"[a-z]{1,2}\d+[a-z]{1,2}|[A-Z]{1,3}\d{2,}")


class Shortness(StrEnum):
    """How a name says too little."""

    STAND_IN = "a letter or a stump with a number"
    LETTER = "one letter or two"
    STUMP = "three letters that are no word"
    TRADE_FORM = "a short form that is read at sight"
    COMPOUND = "a whole word beside what cannot be read"
    TERM = "a word that the names of a file share"
    GLUED = "words that are written as one"
    SKELETON = "letters of a longer word"


def shortness_of(name: str, words: WordChoices) -> Shortness | None:
    """How a name that is hard to read says too little; `None` where it says enough beside a whole word."""
    if _TRADE_NUMBER.fullmatch(name):
        return None
    numbered = _STAND_IN.fullmatch(name)
    if numbered is not None:
        # `tag1` and `tag2` are the parts of something; `tmp2` and `p2` are one more of whatever.
        stem = numbered[1].lower()
        is_known = not words.unknown(stem) or stem in _COUNTED or _is_read_at_sight(stem)
        says_nothing = stem in VAGUE_WORDS or not is_known
        return Shortness.STAND_IN if says_nothing else None
    parts = [word for word in split_name(name) if not word.isdigit()]
    unknown = words.unknown(name)
    if len(parts) == 1:
        if _is_read_at_sight(parts[0]):
            return Shortness.TRADE_FORM
        if len(parts[0]) <= _LETTERS:
            return Shortness.LETTER
        if len(parts[0]) <= _STUMP_LENGTH:
            return Shortness.STUMP
        return Shortness.GLUED if _is_glued(parts[0], words) else Shortness.SKELETON
    # A letter or a form of the trade beside a whole word is read with it: `n_hives`, `hive_idx`.
    hard = [word for word in unknown if len(word) > 1 and not _is_read_at_sight(word)]
    if not hard:
        if len(unknown) < len(parts):
            return None
        return Shortness.LETTER if all(len(word) == 1 for word in parts) else Shortness.TRADE_FORM
    plain = [word for word in parts if word not in unknown and len(word) > 1 and not _is_read_at_sight(word)]
    return Shortness.SKELETON if len(hard) > len(plain) else Shortness.COMPOUND


def _is_read_at_sight(word: str) -> bool:
    return word in READ_AT_SIGHT or singular(word) in READ_AT_SIGHT


def _is_glued(word: str, words: WordChoices) -> bool:
    """Whether a word is several that a reader takes apart at sight (`innerhtml`, `instrlen`), or one with a letter to
    it (`nbytes`, `bestq`)."""
    if not has_vowel(word):
        return False
    return any(
        max(map(len, parts)) >= _LONG_WORD or min(map(len, parts)) >= _STUMP_LENGTH
        for parts in _taken_apart(word, words)
    ) or any(
        _is_part(part, words) and len(part) >= _STUMP_LENGTH for part in (word[1:], word[:-1])
    )


def _taken_apart(word: str, words: WordChoices) -> Iterator[tuple[str, ...]]:
    """The ways in which a word is known ones, one behind the other."""
    if _is_part(word, words):
        yield (word,)
    for cut in range(_SHORTEST_PART, len(word) - 1):
        if _is_part(word[:cut], words):
            yield from ((word[:cut], *rest) for rest in _taken_apart(word[cut:], words))


def _is_part(word: str, words: WordChoices) -> bool:
    if len(word) < _SHORTEST_PART:
        return False
    is_known = word in SHORT_WORDS or word in TRADE_FORMS or _is_read_at_sight(word)
    return is_known or (len(word) >= _LONG_WORD and not words.unknown(word))
