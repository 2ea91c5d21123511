"""How brackets that run over several lines are written."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.layout.page import Page, flat_skeleton
from zephyrun.layout.sites import BLANKS, Bracket


class OpenedBracket(NamedTuple):
    """A bracket over several lines. `is_hanging` is true where its contents begin on the next line,
    `is_aligned` where they go on below their beginning; elsewhere both are false."""

    start: int
    end: int
    is_hanging: bool
    is_aligned: bool
    closes_alone: bool
    has_trailing_comma: bool
    n_commas: int
    n_lines: int

    def sides(self) -> Iterator[tuple[str, str]]:
        """What the bracket says about the project's habits: places and sides."""
        if self.is_hanging:
            yield "continuation", "hanging"
            yield "closing-bracket", "own-line" if self.closes_alone else "last-line"
            if self.closes_alone and self.n_commas and self.n_lines > 1:
                yield "trailing-comma", "present" if self.has_trailing_comma else "absent"
            if self.n_commas > 1 and self.n_lines > 1:
                yield "elements", "each" if self.n_lines >= self.n_commas else "filled"
        elif self.is_aligned:
            yield "continuation", "aligned"


def opened_brackets(page: Page) -> Iterator[OpenedBracket]:
    """The brackets that run over several lines, in the order of their ends."""
    source = page.source
    for bracket in page.brackets:
        if source.line_of(bracket.start) != source.line_of(bracket.end):
            yield _opened(page, bracket)


def _opened(page: Page, bracket: Bracket) -> OpenedBracket:
    skeleton, source = page.skeleton, page.source
    first, last = source.line_of(bracket.start), source.line_of(bracket.end)
    behind = skeleton[bracket.start + 1 : page.line_end(first)].strip(BLANKS)
    is_hanging = not behind or behind.startswith("#")
    below = source.line_starts[first]
    text = source.text[below : page.line_end(first + 1)]
    column = bracket.start + 1 - source.line_starts[first - 1]
    is_aligned = not is_hanging and len(text) - len(text.lstrip(BLANKS)) == column
    closes_alone = not skeleton[source.line_starts[last - 1] : bracket.end].strip(BLANKS)
    inside = skeleton[bracket.start + 1 : bracket.end]
    n_lines = last - first + (not is_hanging) - closes_alone
    return OpenedBracket(
        bracket.start,
        bracket.end,
        is_hanging,
        is_aligned,
        closes_alone,
        inside.rstrip(BLANKS + "\r\n#").endswith(","),
        flat_skeleton(inside).count(","),
        n_lines,
    )

