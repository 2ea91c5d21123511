"""Classes of the project that stand below one of a library: what is said to be an instance of that may be one of theirs."""

from __future__ import annotations

import builtins
from collections.abc import Collection
from functools import cached_property

from zephyrun.linking.value_sorts import ClassKey, Value, Values, ValueSort, may_be_of
from zephyrun.linking.values import Evaluator

# To be of one of these makes nothing an instance of what a library has.
UNDERSTOOD_BASES = frozenset(
    """builtins.object abc.ABC typing.Generic typing.Protocol typing_extensions.Protocol typing.NamedTuple
    collections.namedtuple typing.TypedDict enum.Enum enum.IntEnum enum.Flag enum.IntFlag enum.StrEnum""".split()
)
# What is said to be of one of these may be whatever has the methods for it.
_ABSTRACT = ("collections.abc.", "typing.", "typing_extensions.", "numbers.", "os.PathLike", "contextlib.Abstract", "abc.")
_OF_COLLECTIONS = frozenset(
    "__iter__ __next__ __len__ __contains__ __getitem__ __reversed__ __aiter__ __anext__ __await__ __enter__ __aenter__".split()
)
_COLLECTIONS = (ValueSort.SERIES, ValueSort.TUPLE, ValueSort.MAPPING)
_BUILTIN = "builtins."


class LibraryBases:
    """What libraries have above some classes of the project."""

    def __init__(self, evaluator: Evaluator, keys: Collection[ClassKey]) -> None:
        self._evaluator = evaluator
        self._keys = keys

    @cached_property
    def _names(self) -> frozenset[str]:
        """The full names of the classes of libraries above, whether they could be read or not."""
        found = set()
        for key in self._keys:
            found.update(self._evaluator.foreign_above(key))
            for each in self._evaluator.above(key):
                file = self._evaluator.file(each[0])
                if not file.is_own:
                    found.add(f"{file.module}.{self._evaluator.class_record(each).name}")
        return frozenset(found - UNDERSTOOD_BASES)

    @cached_property
    def _are_collections(self) -> bool:
        """Whether one of the classes has what a collection has."""
        above = {each for key in self._keys for each in self._evaluator.above(key)}
        return any(self._evaluator.defines(each, method) for each in above for method in _OF_COLLECTIONS)

    def have_instance(self, value: Value) -> bool:
        """Whether something that is said to be of a library, or of the language, may be an instance of one of the
        classes nevertheless: what is caught as an `Exception` is of a class below it."""
        if value.sort is ValueSort.PLAIN:
            return _is_above(f"{_BUILTIN}{value.name}", self._names)
        if value.sort is ValueSort.FOREIGN:
            name = value.name.removesuffix("()")
            return name.startswith(_ABSTRACT) or _is_above(name, self._names)
        if value.sort in _COLLECTIONS and self._are_collections:
            return True
        return value.sort in (*_COLLECTIONS, ValueSort.OUTSIDE) and bool(self._names)

    def may_be_of_ours(self, values: Values) -> bool:
        """Whether something may be one of the classes or an instance of one, be it said to be of a library that stands above it."""
        return may_be_of(values, self._keys) or any(map(self.have_instance, values))


def _is_above(name: str, names: Collection[str]) -> bool:
    """Whether a class may be one of some classes of libraries, or stand above one of them."""
    if name in names or name == "builtins.object":
        return True
    kind = getattr(builtins, name.removeprefix(_BUILTIN), None) if name.startswith(_BUILTIN) else None
    known = [getattr(builtins, each.removeprefix(_BUILTIN), None) for each in names if each.startswith(_BUILTIN)]
    is_read = all(each.startswith(_BUILTIN) for each in names)
    if isinstance(kind, type):
        is_above = any(isinstance(each, type) and issubclass(each, kind) for each in known)
        return is_above or (not is_read and issubclass(kind, BaseException))
    return not is_read
