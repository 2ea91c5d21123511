"""Names that are only found when somebody asks for them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Set
from functools import cached_property


class LaterNames(Set[str]):
    """A set of names that is worked out when it is first looked into. Copies of it, as other processes get them, are
    sets of the names."""

    def __init__(self, find: Callable[[], frozenset[str]]) -> None:
        self._find = find

    @cached_property
    def _names(self) -> frozenset[str]:
        return self._find()

    def __contains__(self, name: object) -> bool:
        return name in self._names

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)

    def __reduce__(self) -> tuple[type[frozenset[str]], tuple[tuple[str, ...]]]:
        return frozenset, (tuple(self._names),)
