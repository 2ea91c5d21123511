"""Names that people have chosen before, or that somebody outside proposes: what the code itself does not say."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from zephyrun.naming.words import split_name

CHOSEN, ADVISED = "chosen", "advised"


class Derived(NamedTuple):
    """A name that something says, how it is derived (`CHOSEN` or `ADVISED` where the code itself does not say it), and
    what says so, in words."""

    text: str
    derivation: str
    told: str


class ChosenName(NamedTuple):
    """A name that somebody gave in place of another, in a file."""

    old: str
    new: str
    path: str


def offers_of(chosen: Iterable[ChosenName], spelling: str) -> Iterator[Derived]:
    """What the names that were chosen before say of one of the old ones, or of one that is built of their words."""
    words = split_name(spelling)
    meanings: dict[str, ChosenName] = {}
    for each in chosen:
        # One letter stands for one thing here and for another there.
        if each.old.strip("_") == spelling.strip("_") and len(each.old.strip("_")) > 1:
            yield Derived(each.new.strip("_"), CHOSEN, f"you called {each.old} so in {each.path}")
        old, new = split_name(each.old), split_name(each.new)
        if len(old) == len(new):
            meanings.update((one, each) for one, other in zip(old, new) if one != other and len(one) > 1)
    if len(words) > 1 and meanings.keys() & set(words):
        sources = [meanings[word] for word in words if word in meanings]
        text = "_".join(_in_place_of(word, meanings[word]) if word in meanings else word for word in words)
        yield Derived(text, CHOSEN, f"you made {sources[0].old} {sources[0].new} in {sources[0].path}")


def words_of_chosen(chosen: Iterable[ChosenName]) -> frozenset[str]:
    """The words that a team wants to read: those of the names that it has chosen."""
    return frozenset(word for each in chosen for word in split_name(each.new) if len(word) > 1)


def _in_place_of(word: str, chosen: ChosenName) -> str:
    return split_name(chosen.new)[split_name(chosen.old).index(word)]
