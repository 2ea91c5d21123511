"""Ways to a function, step by step, and what may hold it on the way."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.link_facts import Handed
from zephyrun.linking.library_calls import CALLING_AND_DROPPING, CHOOSING, COLLECTING, GIVING_BACK

# What functions, and collections of them, are no arguments for.
_TAKING_NUMBERS = frozenset(
    f"builtins.{name}" for name in "int float complex abs round divmod pow ord chr bin oct hex range bytes bytearray".split()
)
# What gives elements of a collection with something beside each.
_PAIRING = frozenset({"builtins.enumerate", "builtins.zip"})
_ONLY_COLLECTING = COLLECTING - CALLING_AND_DROPPING
# What makes one collection of several that stand in one.
_JOINING_ALL = frozenset({"builtins.sum", "itertools.chain.from_iterable"})
# Stands for what owns the attributes of objects that libraries make.
OF_LIBRARY = ("", -2)
_DICTIONARY = "builtins.dict"


class Step(NamedTuple):
    """One step of the way to a function: a call, or to an element of a collection, under a `key` that is a text
    where that is known ("" for any). The key of a call says whether it is one that reading an attribute makes."""

    is_call: bool
    key: str = ""


Way = tuple[Step, ...]
THE_THING: Way = ()
CALLED: Way = (Step(True),)
INSIDE: Way = (Step(False),)
# A property is called when an attribute is read.
READ = Step(True, "read")
LONGEST_WAY = 4
# As many calls as are told apart, or more.
CALLED_ON_AND_ON: Way = (Step(True),) * LONGEST_WAY


class Slot(NamedTuple):
    """Something that may hold the function: a binding of a file, or an attribute (`binding` is -1). The owner of
    an attribute is a class by its file and record, or a module (-1); without a path, whatever has one of that
    name, or of that what libraries make (-2)."""

    path: str
    binding: int
    name: str
    way: Way
    owner: int = -1

    @property
    def is_attribute(self) -> bool:
        """Whether it is an attribute of something."""
        return self.binding < 0

    @property
    def is_of_library(self) -> bool:
        """Whether it is an attribute of what libraries make."""
        return self.owner == OF_LIBRARY[1]


class Lost(Exception):
    """The function cannot be followed any further."""


def is_inside(way: Way) -> bool:
    """Whether a way begins in a collection."""
    return bool(way) and not way[0].is_call


def ways_of_result(name: str, handed: Handed, way: Way) -> list[Way] | None:
    """The ways to what is followed from the result of a function of the library that only gives it on, by itself or in a
    collection; `None` for one that does something else."""
    begins_inside, is_deep = is_inside(way), is_inside(way[1:])
    if GIVING_BACK.get(name) == handed.position or (name == "builtins.getattr" and handed.position > 1):
        # The latter for want of an attribute.
        return [way]
    if name == _DICTIONARY and handed.keyword:
        return [under(handed.keyword, way)]
    if name in _TAKING_NUMBERS or (not way and name in _ONLY_COLLECTING and not handed.keyword):
        # A function is neither a number nor a collection.
        return []
    if not begins_inside:
        return None
    if name in COLLECTING:
        # Of pairs, the second is what lies under the first.
        return [way, way[1:]] if name == _DICTIONARY and is_deep else [way]
    if name in CHOOSING:
        return [way[1:]]
    if name in _JOINING_ALL:
        # Functions by themselves cannot be added.
        return [way[1:]] if is_deep else []
    if name in _PAIRING:
        return [(*INSIDE, *INSIDE, *way[1:])]
    return [] if name == "re.Scanner" else None


def ways_after_call(way: Way) -> Iterator[Way]:
    """What is left of a way behind the call that it begins with."""
    yield way[1:]
    if way == CALLED_ON_AND_ON:
        yield way


def under(key: str, way: Way) -> Way:
    """The way from a collection that has something under a key ("" for any)."""
    return (Step(False, key), *way)


def parts_of(target: ast.expr, way: Way) -> Iterator[tuple[ast.expr, Way]]:
    """What gets a value that goes through a loop, part by part, and the way to what is followed from there."""
    is_split = isinstance(target, ast.Tuple) and not any(isinstance(each, ast.Starred) for each in target.elts)
    if isinstance(target, ast.Tuple) and is_split and is_inside(way):
        yield from ((each, way[1:]) for each in target.elts)
    else:
        yield target, way


def fits(way: Way, key: str) -> bool:
    """Whether what a collection has under a key ("" for any) may be what the way leads to."""
    return is_inside(way) and (not key or way[0].key in ("", key))
