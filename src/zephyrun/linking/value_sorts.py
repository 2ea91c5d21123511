"""What a value may be, as far as names go: the sorts of values, and what each of them holds."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from enum import StrEnum
from typing import NamedTuple

# A class of the project or of a library: the file it stands in, and its record there.
ClassKey = tuple[str, int]
FunctionKey = tuple[str, int]


class ValueSort(StrEnum):
    """What a value is; the comment says what its other fields hold."""

    INSTANCE = "instance"  # of the class at (path, index), or of one below it
    CLASS = "class"  # the class at (path, index), or one below it
    FUNCTION = "function"  # the function at (path, index)
    ABOVE = "above"  # what `super()` gives in the class at (path, index)
    MODULE = "module"  # the module at path, called name
    PACKAGE = "package"  # a folder of modules, called name
    PLAIN = "plain"  # an instance of the builtin class called name
    SERIES = "series"  # a collection; parts[0] are its elements
    TUPLE = "tuple"  # parts are its elements, one by one
    MAPPING = "mapping"  # parts[0] are its values
    PROMISE = "promise"  # parts[0] is what awaiting it gives
    CONTEXT = "context"  # parts[0] is what entering it gives
    FOREIGN = "foreign"  # something of a library, called name
    OUTSIDE = "outside"  # something that no code of the project made, and that holds nothing of it
    UNKNOWN = "unknown"


class Value(NamedTuple):
    """One thing that a value may be (see `ValueSort`)."""

    sort: ValueSort
    path: str = ""
    number: int = -1
    name: str = ""
    parts: tuple[frozenset[Value], ...] = ()

    @property
    def may_be_below(self) -> bool:
        """Whether it is a class of which one below may stand in its place, as for `cls` and `type(self)`."""
        return self.name == OR_BELOW

    def as_class(self) -> Value:
        """The class of an instance, which may be one below."""
        return self._replace(sort=ValueSort.CLASS, name=OR_BELOW)

    def as_instance(self) -> Value:
        """An instance of a class, or of one below it."""
        return self._replace(sort=ValueSort.INSTANCE, name="")


Values = frozenset[Value]
OR_BELOW = "or below"
UNKNOWN_VALUE = Value(ValueSort.UNKNOWN)
_OF_CLASSES = (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE)


def may_be_of(values: Values, classes: Collection[ClassKey]) -> bool:
    """Whether something may be one of some classes or an instance of one."""
    return any(
        value == UNKNOWN_VALUE or (value.sort in _OF_CLASSES and (value.path, value.number) in classes) for value in values
    )


def with_parts(values: Iterable[Value]) -> set[Value]:
    """Some values and all that they hold: the elements of a list, and of the lists in it."""
    found = set(values)
    rest = list(found)
    while rest:
        more = set[Value]().union(*rest.pop().parts) - found
        found |= more
        rest += more
    return found


def classes_among(values: Iterable[Value]) -> set[ClassKey]:
    """The classes among some values, and those of which some are instances."""
    return {
        (value.path, value.number)
        for value in values
        if value.sort in (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE)
    }
