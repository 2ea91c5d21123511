"""Names that are only found when somebody asks for them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Set
from functools import cached_property


class LaterNames(Set[str]):
    """A set of names that is worked out when it is first looked into. Copies of it, as other processes get them, hold
    the names."""

    def __init__(self, find: Callable[[], frozenset[str]]) -> None:
        self._find = find

    @cached_property
    def _names(self) -> frozenset[str]:
        return self._find()

    @classmethod
    def _from_iterable(cls, it: object) -> frozenset[str]:  # type: ignore[override]
        return frozenset(it)  # type: ignore[call-overload, no-any-return]

    def __contains__(self, name: object) -> bool:
        return name in self._names

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)

    def __hash__(self) -> int:
        # What is asked for in tables must not cause the names to be found; what else is in the key tells it apart.
        return hash(type(self))

    def __reduce__(self) -> tuple[type[frozenset[str]], tuple[tuple[str, ...]]]:
        return frozenset, (tuple(self._names),)
