"""Tables of literals that somebody laid out by hand: they are left alone."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from functools import cached_property
from operator import itemgetter

from zephyrun.layout.page import Page
from zephyrun.patterns import lazy_pattern

_CELLS = lazy_pattern(r"[\s\w.,+\-\"#:()\[\]{}]*\Z")
_FEWEST_LINES = 3
_WORD_OF_CODE = lazy_pattern(r"(?<![\w.])[^\W\d]\w*(?![\w.])")
_PLAIN_WORDS = frozenset({"None", "True", "False"})


class Tables:
    """The tables of a page, sought when they are first asked for."""

    def __init__(self, page: Page) -> None:
        self._page = page

    def hold(self, offset: int) -> bool:
        """Whether an offset lies in a table."""
        index = bisect_right(self._ranges, offset, key=itemgetter(0)) - 1
        return index >= 0 and offset < self._ranges[index][1]

    @cached_property
    def _ranges(self) -> list[tuple[int, int]]:
        return list(_tables(self._page))


def _tables(page: Page) -> Iterator[tuple[int, int]]:
    """Brackets outside all others that hold nothing but literals, on several lines."""
    source = page.source
    for bracket in sorted(page.brackets):
        if bracket.depth:
            continue
        n_lines = source.line_of(bracket.end) - source.line_of(bracket.start) + 1
        if n_lines >= _FEWEST_LINES and _is_table(page.skeleton[bracket.start + 1 : bracket.end]):
            yield bracket.start, bracket.end


def _is_table(inside: str) -> bool:
    if _CELLS.match(inside) is None:
        return False
    return all(word.group() in _PLAIN_WORDS for word in _WORD_OF_CODE.finditer(inside))
