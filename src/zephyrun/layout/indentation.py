"""Indentation: how far blocks are moved in, and moving them as the project does."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from functools import partial
from typing import NamedTuple

from zephyrun.layout.departure import Departure, IsFenced, subject_at
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import Page, Row
from zephyrun.layout.widths import display_width
from zephyrun.source import Edit

TAB, MIXED = "tab", "mixed"
# From so large a share of its blocks on, a file goes its own way as a whole.
_AS_A_WHOLE = 0.8


class BlockStep(NamedTuple):
    """The first row of a block, and the white space by which it is moved in from its head."""

    row: int
    indent: str


class _Block(NamedTuple):
    """The rows of one block: the first, and the one behind the last; `head` is the row above."""

    head: int
    first: int
    stop: int
    step: str


def step_name(indent: str) -> str:
    """What one step of indentation is called: a number of spaces, `tab` or `mixed`."""
    if indent and not indent.strip(" "):
        return str(len(indent))
    return TAB if indent == "\t" else MIXED


def step_text(name: str) -> str:
    """The white space of one step of indentation."""
    return "\t" if name == TAB else " " * int(name)


def block_steps(page: Page) -> Iterator[BlockStep]:
    """The step of every block that stands below its head."""
    colons = set(page.block_colons)
    rows = page.rows
    for index in range(1, len(rows)):
        if rows[index - 1].end - 1 in colons:
            above, below = page.indent(rows[index - 1]), page.indent(rows[index])
            yield BlockStep(index, below[len(above) :] if below.startswith(above) else below)


def find_ragged_indent(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[Departure]:
    """Blocks that are moved in otherwise than the project does; a file that does so throughout is
    one departure."""
    wanted = habits.get("indentation", "")
    if not wanted or wanted == MIXED:
        return

    n_blocks = 0
    is_ragged = False
    for step in block_steps(page):
        n_blocks += 1
        is_ragged = is_ragged or step_name(step.indent) != wanted
    if not is_ragged:
        return
    blocks = _blocks(page)
    ragged = [block for block in blocks if step_name(block.step) != wanted]

    unit = step_text(wanted)
    if len(ragged) > 1 and len(ragged) >= _AS_A_WHOLE * n_blocks:
        region = range(len(page.rows))
        if not _meets_fence(page, region, is_fenced):
            first = page.rows[ragged[0].first]
            steps = " and ".join(sorted({_described(block.step) for block in ragged}))
            yield Departure(
                "ragged-indent",
                "indentation",
                first.start,
                first.end,
                f"The file is indented by {steps}, the project by {_described(unit)}.",
                tuple(_reindent(page, region, unit, blocks)),
                len(ragged),
            )
        return

    reached = 0
    for block in ragged:
        region = range(block.first, block.stop)
        if block.first < reached or _meets_fence(page, region, is_fenced):
            continue
        reached = block.stop
        first = page.rows[block.first]
        yield Departure(
            "ragged-indent",
            subject_at(page, page.rows[block.head].first),
            first.start,
            first.end,
            f"The block is indented by {_described(block.step)}, the project by {_described(unit)}.",
            tuple(_reindent(page, region, unit, blocks)),
        )


def _described(step: str) -> str:
    name = step_name(step)
    if name == TAB:
        return "a tab"
    if name == MIXED:
        return "tabs and spaces"
    return f"{name} space{'s' * (name != '1')}"


def _meets_fence(page: Page, region: range, is_fenced: IsFenced) -> bool:
    first = page.lines_of(page.rows[region[0]])[0]
    last = page.lines_of(page.rows[region[-1]])[-1]
    return any(map(is_fenced, range(first, last + 1)))


def _blocks(page: Page) -> list[_Block]:
    """The blocks that stand below their heads, in the order of their first rows."""
    firsts = {step.row: step.indent for step in block_steps(page)}
    found: list[_Block] = []
    opened: list[tuple[int, int]] = []

    def close(width: int, stop: int) -> None:
        while opened and opened[-1][1] > width:
            first, _ = opened.pop()
            found.append(_Block(first - 1, first, stop, firsts[first]))

    for index, row in enumerate(page.rows):
        width = display_width(page.indent(row))
        close(width, index)
        if index in firsts:
            opened.append((index, width))
    close(-1, len(page.rows))
    return sorted(found, key=lambda block: block.first)


def _reindent(
    page: Page, region: range, unit: str, blocks: Sequence[_Block]
) -> Iterator[Edit]:
    """The edits that move the rows of a region in by one unit a block. What goes on below a row, and
    the comments around it, keep their place beside it."""
    inside = [block for block in blocks if block.first >= region.start and block.stop <= region.stop]
    depths = [0] * len(region)
    for block in inside:
        for index in range(block.first, block.stop):
            depths[index - region.start] += 1
    base = page.indent(page.rows[region.start - 1]) if region.start else ""
    indents = {
        index: base + unit * depth for index, depth in zip(region, depths, strict=True)
    }
    for index, new in indents.items():
        yield from _move_row(page, page.rows[index], new, unit)
    yield from _move_comments(page, region, indents, unit)


def _move_row(page: Page, row: Row, new: str, unit: str) -> Iterator[Edit]:
    old = page.indent(row)
    if old != new:
        yield Edit(row.first - len(old), row.first, new)
        yield from map(partial(_moved_line, page, old=old, new=new, unit=unit), _further_lines(page, row))


def _further_lines(page: Page, row: Row) -> Iterator[int]:
    """The 1-based lines on which a row goes on, but for those that begin inside a text, and blank
    ones."""
    for line in page.lines_of(row)[1:]:
        start = page.source.line_starts[line - 1]
        if page.skeleton[start - 1] in "\r\n" and not page.is_blank(line):
            yield line


def _moved_line(page: Page, line: int, old: str, new: str, unit: str) -> Edit:
    """The edit that moves a line along with the row whose indentation changes from old to new."""
    start = page.source.line_starts[line - 1]
    text = page.source.text[start : page.line_end(line)]
    indent = text[: len(text) - len(text.lstrip(" \t"))]
    behind = indent[len(old) :]
    if indent.startswith(old) and "\t" not in behind:
        moved = new + behind
    elif indent.startswith(old) and not behind.strip("\t"):
        # Whole steps further in.
        moved = new + unit * len(behind)
    else:
        width = display_width(indent) - display_width(old) + display_width(new)
        moved = new + " " * (width - display_width(new)) if width >= display_width(new) else " " * width
    return Edit(start, start + len(indent), moved)


def _move_comments(
    page: Page, region: range, indents: dict[int, str], unit: str
) -> Iterator[Edit]:
    """Comments on lines of their own go along with the nearest row that stands where they do."""
    rows, starts = page.rows, page.source.line_starts
    first = rows[region[0] - 1].end if region.start else 0
    behind = rows[region.stop].start if region.stop < len(rows) else len(page.source.text)
    row_ends = [rows[index].end for index in region]
    for line, (start, _) in page.own_line_comments.items():
        if not first <= start < behind:
            continue
        # Below the last row that ends before it.
        below = region.start + bisect_right(row_ends, start)
        if below < region.stop and rows[below].start < start:
            # Inside a row: it has been moved along.
            continue
        width = display_width(page.source.text[starts[line - 1] : start])
        home = _row_beside(page, below, region, width)
        if home is not None:
            old, new = page.indent(rows[home]), indents[home]
            if old != new:
                yield _moved_line(page, line, old, new, unit)


def _row_beside(page: Page, below: int, region: range, width: int) -> int | None:
    """The nearest row of a region that is moved in as far as a comment above the row `below`."""
    nearby = [below] if below < region.stop else []
    nearby += range(below - 1, region.start - 1, -1)
    for index in nearby:
        if display_width(page.indent(page.rows[index])) == width:
            return index
    return None
