"""What the letters of an old name tell of the word that was meant."""

from __future__ import annotations

from functools import cache, lru_cache
from heapq import nlargest
from typing import NamedTuple

from zephyrun.naming.words import is_readable, keeps_letters, split_name
from zephyrun.patterns import lazy_pattern

_VOWELS = lazy_pattern(r"(?<=.)[aeiou]")
_DOUBLED = lazy_pattern(r"(.)\1")
_SHORT_WORD = 3
# How much likelier one shortens a word to its skeleton, or to its beginning, than to some of its letters.
_AS_SKELETON, _AS_BEGINNING = 8.0, 4.0
_KEPT_FITS = 2**16
# How a name is spoken for by the letters of the old one.
MAY_BE_SHORT = "{} may be short for it"
# Names that only say that there is one more: their letters mean no word.
_STAND_INS = frozenset("x y z v a b c t q var tmp temp val foo bar baz obj arg param p m u w".split())
# Words that fit whatever there is: nor do their letters mean another.
VAGUE_WORDS = frozenset(
    """data info information tmp temp val value values var variable obj object thing things stuff foo bar baz
    item items elem element elements res result results ret retval rv content contents lst arr dct""".split()
)
# Of these the name of a function says nothing but that it does something, of those nothing at all.
VAGUE_VERBS = frozenset("process handle do perform run execute manage".split())
FILLERS = frozenset("it stuff func function method helper that this all doit foo bar baz".split())
VAGUE_CLASSES = frozenset(
    "manager handler helper helpers util utils data info object thing processor stuff misc foo".split()
)
# What keeps the letters and is hardly ever meant: `dt` is a date, and data are `d`.
_NEVER_MEANT = frozenset({("dt", "data")})
_NUMBERED = lazy_pattern(r"^_*([a-zA-Z]{1,5})_?\d+_*$")
# Of these, some are written short where just that word is meant: `res` for a resource, `val` for a valve.
_SAYING_NOTHING = frozenset(word for word in VAGUE_WORDS if len(word) > _SHORT_WORD)


class Fit(NamedTuple):
    """How well a name fits the letters of an old one; each from 0 to 1."""

    has_initial: float
    has_last_initial: float
    keeps_letters: float
    is_skeleton: float
    is_beginning: float
    has_initials: float
    matches_words: float
    share_of_letters: float
    departs: float


NO_FIT = Fit(*([0.0] * len(Fit._fields)))


def telling_letters(spelling: str) -> str:
    """An old name as far as its letters may mean a word: "" for a numbered stand-in such as `x1` or `tmp2`, and
    for a word that fits anything."""
    if spelling.strip("_") in _SAYING_NOTHING or is_vague_definition(spelling):
        return ""
    found = _NUMBERED.match(spelling)
    if found and found[1].lower() in _STAND_INS:
        return ""
    return spelling.strip("_")


def is_vague_definition(name: str) -> bool:
    """Whether the name of a function or class only says that it does or is something."""
    words = set(split_name(name))
    if name.strip("_")[:1].isupper():
        return words <= VAGUE_CLASSES
    # `run` and `execute` by themselves say all there is to say of a command.
    return bool(words & (VAGUE_VERBS | FILLERS)) and words <= VAGUE_VERBS | VAGUE_WORDS | FILLERS and words != {"run"}


@lru_cache(_KEPT_FITS)
def skeleton(word: str) -> str:
    """A word without its vowels but for a first one, and without doubled letters."""
    return _DOUBLED.sub(r"\1", _VOWELS.sub("", word.lower()))


@cache
def words_of(name: str) -> tuple[str, ...]:
    """The words of a name but for numbers, in lower case."""
    return tuple(word for word in split_name(name) if not word.isdigit())


@lru_cache(_KEPT_FITS)
def stands_for(short: str, word: str) -> bool:
    """Whether a short form may stand for one word: its letters in their order, the first one first."""
    return short == word or (len(short) < len(word) and keeps_letters(short, word))


@lru_cache(_KEPT_FITS)
def fit_of(spelling: str, name: str) -> Fit:
    """How well a name fits the letters of an old one; `NO_FIT` where these tell nothing."""
    short, full = words_of(spelling), words_of(name)
    if not short or not full:
        return NO_FIT
    letters, whole = "".join(short), "".join(full)
    has_initial = whole[0] == letters[0]
    has_last_initial = full[-1][0] == letters[0]
    initials = "".join(word[0] for word in full)
    if len(letters) == 1:
        return Fit(has_initial, has_last_initial, 0, 0, 0, 0, 0, 0, not (has_initial or has_last_initial))
    if (letters, whole) in _NEVER_MEANT:
        return NO_FIT._replace(departs=True)
    in_order = keeps_letters(letters, whole)
    matched = len(short) == len(full) and all(map(stands_for, short, full))
    is_skeleton = len(short) == len(full) and all(
        each == word or skeleton(each) == skeleton(word) for each, word in zip(short, full)
    )
    return Fit(
        has_initial,
        has_last_initial,
        in_order,
        is_skeleton,
        whole.startswith(letters) or (matched and all(map(str.startswith, full, short))),
        len(full) > 1 and letters == initials,
        matched,
        len(letters) / len(whole) if in_order else 0.0,
        not in_order,
    )


def is_short(word: str) -> bool:
    """Whether a word of a name has to be replaced by what it stands for."""
    return len(word) == 1 or not is_readable(word)


def expansions(spelling: str, words: dict[str, float], most: int) -> list[str]:
    """Names that a short name of several words may stand for: each unreadable word replaced by one of `words`,
    which come with how common they are here. The likeliest first, at most `most`."""
    short = words_of(spelling)
    if not short:
        return []
    found: list[tuple[float, tuple[str, ...]]] = [(1.0, ())]
    for each in short:
        if not is_short(each):
            fits = [(1.0, each)]
        else:
            initial, length = each[0], len(each)
            fits = nlargest(
                most,
                (
                    (count * _closeness(each, word), word)
                    for word, count in words.items()
                    # The cheap questions first: there may be thousands of words.
                    if word[:1] == initial and (each, word) not in _NEVER_MEANT
                    and (word == each or (len(word) > length and keeps_letters(each, word)))
                ),
            )
        found = [(weight * more, (*head, word)) for weight, head in found for more, word in fits]
        found.sort(reverse=True)
        found = found[:most]
    return ["_".join(parts) for _, parts in found if parts != short]


def _closeness(short: str, word: str) -> float:
    """How far one would shorten the word just so."""
    if skeleton(word) == skeleton(short):
        return _AS_SKELETON
    if word.startswith(short):
        return _AS_BEGINNING
    return len(short) / len(word)
