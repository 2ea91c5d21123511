"""Answers to questions that may lead to themselves: what a list holds, of which a loop puts something back into it.

Such a question is asked again and again, each time with what came out before taken for its answer, until nothing
new comes out. That finds the smallest answer that is right for all that lead to each other. Source: the least
fixed point of Kleene, as in abstract interpretation (Cousot and Cousot 1977).
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Set
from contextlib import contextmanager
from itertools import islice
from time import perf_counter
from typing import Any, Generic, TypeVar, cast

from zephyrun.languages.python.reading import deep_recursion
from zephyrun.linking.kept_answers import KeptAnswers, is_costly

_Element = TypeVar("_Element", bound=Hashable)
_Answer = TypeVar("_Answer")

_DEEPEST = 150
# One question may lead to so many others before it is given up.
_MOST_ASKED = 4000
_MOST_ROUNDS = 10
# An answer with more than that says nothing any more, and makes others of its like.
_MOST_IN_ANSWER = 256
# What an answer relies on that was given up.
_GIVEN_UP = object()


class Answers(Generic[_Element]):
    """Remembers answers, and says of none that it is final that still relies on an open question."""

    def __init__(self, unknown: frozenset[_Element], kept: KeptAnswers | None = None) -> None:
        self._unknown = unknown
        self._kept = kept = kept or KeptAnswers()
        kept.take_also(self.costly)
        # The questions of which the answers, once they are final, are worth keeping.
        self._costly: set[Hashable] = set()
        self._final: dict[Hashable, Any] = {}
        self._distinct: dict[frozenset[_Element], frozenset[_Element]] = {}
        # Answers for the time being, each with the open questions that it relies on, in the order of their coming.
        self._for_now: dict[Hashable, tuple[Any, frozenset[object]]] = {}
        self._open: set[Hashable] = set()
        # What is taken for the answers of questions that led to themselves.
        self._supposed: dict[Hashable, frozenset[_Element]] = {}
        self._is_other = False
        # Of what is open, that on which the answers rely that were given to the question under way.
        self._relied: set[object] = set()
        self._n_asked = 0

    def all_of(self, key: Hashable, find: Callable[[], frozenset[_Element]]) -> frozenset[_Element]:
        """The answer to a question that is a set: never empty once it is final."""
        found = self._recalled(key)
        if found is not None:
            return cast(frozenset[_Element], found)
        if key in self._open:
            self._relied.add(key)
            return self._supposed.get(key, frozenset())
        if len(self._open) > _DEEPEST or self._n_asked > _MOST_ASKED:
            self._relied.add(_GIVEN_UP)
            return self._unknown
        if self._open:
            return self._asked(key, find)
        with deep_recursion():
            return self._asked(key, find)

    def _asked(self, key: Hashable, find: Callable[[], frozenset[_Element]]) -> frozenset[_Element]:
        began = perf_counter()
        around, self._relied = self._relied, set()
        was_other, self._is_other = self._is_other, False
        n_before, n_supposed = len(self._for_now), len(self._supposed)
        self._open.add(key)
        try:
            answer = self._settled(key, find, n_before)
        finally:
            self._open.discard(key)
            relied = self._relied - {key}
            self._relied = around | relied
            self._is_other = was_other or (self._is_other and bool(relied))
        self._note_cost(key, began, relied)
        if len(self._for_now) > n_before:
            self._close(key, n_before, frozenset(relied))
        if not self._open:
            # What was given up for the first question is so for good, but not what was asked on the way.
            self._for_now.clear()
            relied.clear()
            self._relied.clear()
            self._n_asked = 0
        if relied:
            self._for_now[key] = answer, frozenset(relied)
        else:
            _shorten(self._supposed, n_supposed)
            answer = self._only_one(answer)
            self._final[key] = answer
        return answer

    def _only_one(self, answer: frozenset[_Element]) -> frozenset[_Element]:
        """The one set that stands for all answers like it: most are like many others."""
        return self._distinct.setdefault(answer or self._unknown, answer or self._unknown)

    def _settled(self, key: Hashable, find: Callable[[], frozenset[_Element]], n_before: int) -> frozenset[_Element]:
        for _ in range(_MOST_ROUNDS):
            self._n_asked += 1
            found = find()
            if len(found) > _MOST_IN_ANSWER:
                found = self._unknown
            if key in self._relied and found != self._supposed.get(key, frozenset()):
                self._supposed[key] = found
                self._is_other = True
            # Where others are open, too, they are asked again as a whole.
            if not self._is_other or self._relied - {key, _GIVEN_UP}:
                return found
            _shorten(self._for_now, n_before)
            self._relied.clear()
            self._is_other = False
        _shorten(self._for_now, n_before)
        return found | self._unknown

    def _close(self, key: Hashable, n_before: int, relied: frozenset[object]) -> None:
        """Let answers that rely on a question, which is open no longer, rely on what that one does; those that rely
        on nothing are final."""
        for each in list(islice(self._for_now, n_before, None)):
            answer, others = self._for_now[each]
            if key in others or not relied:
                others = others - {key} | relied
                if others and self._open:
                    self._for_now[each] = answer, others
                    continue
                del self._for_now[each]
                if not others:
                    self._final[each] = self._only_one(answer) if isinstance(answer, frozenset) else answer

    def once(self, key: Hashable, find: Callable[[], _Answer]) -> _Answer:
        """The answer to any other question, which is asked once, and again as long as it relies on one that is open."""
        found = self._recalled(key)
        if found is not None:
            return cast(_Answer, found[0])
        began = perf_counter()
        around, self._relied = self._relied, set()
        try:
            answer = find()
        finally:
            relied, self._relied = self._relied, around | self._relied
        self._note_cost(key, began, relied)
        if relied and self._open:
            self._for_now[key] = (answer,), frozenset(relied)
        else:
            self._final[key] = (answer,)
        return answer

    def _recalled(self, key: Hashable) -> Any:
        found = self._final.get(key)
        if found is None and key in self._for_now:
            found, relied = self._for_now[key]
            self._relied |= relied
        if found is None and (found := self._kept.recalled(key)) is not None:
            self._final[key] = found
        return found

    def _note_cost(self, key: Hashable, began: float, relied: Set[object]) -> None:
        # Where something was given up, whoever asks for less at once finds out more.
        if _GIVEN_UP not in relied and is_costly(began):
            self._costly.add(key)

    def costly(self) -> dict[Hashable, Any]:
        """The final answers that took long to find."""
        return {key: self._final[key] for key in self._costly if key in self._final}

    def forget(self) -> None:
        """Forget every answer of this run."""
        self._final.clear()
        self._for_now.clear()

    @contextmanager
    def afresh(self) -> Iterator[None]:
        """Ask as if nothing were open."""
        state = self._open, self._relied, self._n_asked, self._for_now, self._supposed, self._is_other
        self._open, self._relied, self._n_asked, self._for_now, self._supposed, self._is_other = set(), set(), 0, {}, {}, False
        try:
            yield
        finally:
            self._open, self._relied, self._n_asked, self._for_now, self._supposed, self._is_other = state


def _shorten(table: dict[Hashable, Any], length: int) -> None:
    """Take out of a table what came last."""
    while len(table) > length:
        table.popitem()
