"""Answers about one version of a project that took long to find: they hold as long as not one of its files has changed, and are
kept until the next run."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Mapping
from functools import cached_property, wraps
from itertools import chain
from time import perf_counter
from types import MappingProxyType
from typing import Any, ParamSpec, Protocol, TypeVar, cast

from zephyrun.linking.glances import Packed

_Answer = TypeVar("_Answer")
_Arguments = ParamSpec("_Arguments")

# Less is found out again sooner than it is read.
_COSTLY_SECONDS = 0.001
_PLAIN = (str, int, bytes, type(None))
_OWN_PACKAGE = "zephyrun."


class KeptAnswers:
    """What earlier runs found out about a version of a project (`known`, by question), and what this one does. An answer stands in a
    tuple of its own, unless it is a set that is never empty."""

    def __init__(self, known: Mapping[Hashable, Any] = MappingProxyType({})) -> None:
        self.known = known
        self._here: dict[Hashable, tuple[Any]] = {}
        self._costly: dict[Hashable, Any] = {}
        self._sources: list[Callable[[], Mapping[Hashable, Any]]] = []

    def once(self, key: Hashable, find: Callable[[], _Answer]) -> _Answer:
        """The answer to a question that leads to no other one which might be open."""
        if key not in self._here:
            known = self.recalled(key)
            if known is None:
                began = perf_counter()
                known = (find(),)
                if is_costly(began):
                    self._costly[key] = known
            self._here[key] = known
        return cast(_Answer, self._here[key][0])

    def recalled(self, key: Hashable) -> Any:
        """What an earlier run found out; `None` where it did not ask."""
        known = self.known.get(key)
        if isinstance(known, Packed):
            try:
                return known.unpack(known.packed)
            except ValueError:
                return None
        return known

    def take_also(self, costly: Callable[[], Mapping[Hashable, Any]]) -> None:
        """Ask for more that took long to find when `new` is asked for."""
        self._sources.append(costly)

    def new(self) -> dict[Hashable, Any]:
        """The answers that took long in this run, as far as they can be written down."""
        found = chain(self._costly.items(), *(costly().items() for costly in self._sources))
        return {key: answer for key, answer in found if _is_plain(key) and _is_plain(answer)}


class HasKeptAnswers(Protocol):
    """What knows one version of a project, and the answers about it."""

    @property
    def kept(self) -> KeptAnswers:
        """The answers."""


def is_costly(began: float) -> bool:
    """Whether an answer is worth keeping that was asked for at that time (of `perf_counter`), and has just been found."""
    return perf_counter() - began >= _COSTLY_SECONDS


def kept_until_changed(question: Callable[_Arguments, _Answer]) -> Callable[_Arguments, _Answer]:
    """Remember the answers of a method of what has `KeptAnswers` by all that it is handed, which must be numbers, texts or such, and
    stand by position. It asks nothing that `Answers` are given to."""
    name = f"{question.__module__}.{question.__qualname__}"

    @wraps(question)
    def asked(*args: _Arguments.args, **kwargs: _Arguments.kwargs) -> _Answer:
        kept = cast(HasKeptAnswers, args[0]).kept
        return kept.once((name, *args[1:]), lambda: question(*args, **kwargs))

    return asked


def kept_property(question: Callable[[Any], _Answer]) -> cached_property[_Answer]:
    """The same for a property."""
    return cached_property(kept_until_changed(question))


def _is_plain(thing: object) -> bool:
    """Whether something can be written down and read again: texts, numbers, and collections and records of these."""
    rest = [thing]
    while rest:
        each = rest.pop()
        if isinstance(each, _PLAIN):
            continue
        if isinstance(each, dict):
            rest += chain.from_iterable(each.items())
        elif type(each) in (list, tuple, set, frozenset) or _is_own_record(each):
            rest += cast("Iterator[object]", each)
        else:
            return False
    return True


def _is_own_record(thing: object) -> bool:
    return isinstance(thing, tuple) and hasattr(thing, "_fields") and type(thing).__module__.startswith(_OWN_PACKAGE)
