"""What slips when names become longer or shorter: lines that went on below a bracket, and columns.

Two versions are compared whose rows differ in their words alone. Whatever lined up in the old one
and no longer does is moved back into line.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from difflib import SequenceMatcher
from itertools import pairwise
from typing import NamedTuple

from zephyrun.layout.departure import Departure, IsFenced, subject_at
from zephyrun.layout.page import Page, Row
from zephyrun.layout.sites import BLANKS
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

SLIPPED = "slipped-alignment"

_WORDS = lazy_pattern(r"\w+")
_SPACES = lazy_pattern(r"[ \t]+")
_CELL = lazy_pattern(r"(?:#.*|\"+|[^\s#\"]+)")
_COMMENT_GAP = 2


def find_slips(old: Page, new: Page, is_fenced: IsFenced) -> Iterator[Departure]:
    """What lined up in the old version and does not in the new one."""
    pairs = list(_paired_rows(old, new))
    for before, after in pairs:
        edits = tuple(_realigned(old, new, before, after))
        if edits and not any(map(is_fenced, new.lines_of(after))):
            yield _departure(
                new, after.first, after.end, edits, "The lines below no longer stand below their bracket."
            )
    for group in _neighbours(old, new, pairs):
        edits = tuple(_realigned_columns(old, new, group))
        if edits and not any(is_fenced(line) for _, line in group):
            start = edits[0].start
            yield _departure(new, start, start + 1, edits, "Its columns no longer line up.")


def _departure(page: Page, start: int, end: int, edits: tuple[Edit, ...], message: str) -> Departure:
    return Departure(SLIPPED, subject_at(page, start), start, end, message, edits)


def _paired_rows(old: Page, new: Page) -> Iterator[tuple[Row, Row]]:
    """Rows of both versions that differ in their words at most."""
    old_shapes, new_shapes = ([_shape(page, row) for row in page.rows] for page in (old, new))
    matcher = SequenceMatcher(None, old_shapes, new_shapes, autojunk=False)
    for block in matcher.get_matching_blocks():
        for index in range(block.size):
            yield old.rows[block.a + index], new.rows[block.b + index]


def _shape(page: Page, row: Row) -> str:
    code = page.skeleton[row.first : row.end]
    return _SPACES.sub(" ", _WORDS.sub("w", re.sub(r"\"+", '"', code)))


# -- lines that go on below a bracket ----------------------------------------------------------


def _realigned(old: Page, new: Page, before: Row, after: Row) -> Iterator[Edit]:
    """The edits that put the further lines of a row back below their brackets."""
    old_lines, new_lines = old.lines_of(before), new.lines_of(after)
    if len(old_lines) < 2 or len(old_lines) != len(new_lines):
        return
    old_open, new_open = _open_brackets(old, before), _open_brackets(new, after)
    if len(old_open) != len(new_open):
        return
    indent = new.indent(after)
    # How far each line has been moved so far, by its 1-based number.
    moved: dict[int, int] = {}
    for old_line, new_line in zip(old_lines[1:], new_lines[1:], strict=True):
        index = _bracket_of_line(old, old_open, old_line)
        if index is None or old.is_blank(old_line) or _is_inside_text(new, new_line):
            continue
        opening = old_open[index][0]
        if _hangs(old, opening) or _indent_of(old, old_line) != _column(old, opening) + 1:
            continue
        bracket = new_open[index][0]
        wanted = _column(new, bracket) + 1 + moved.get(new.source.line_of(bracket), 0)
        found = _indent_of(new, new_line)
        start = new.source.line_starts[new_line - 1]
        # What the line is moved in with stays, whatever it is made of; only the spaces behind change.
        if found != wanted and new.skeleton.startswith(indent, start) and wanted >= len(indent):
            moved[new_line] = wanted - found
            yield Edit(start + len(indent), start + found, " " * (wanted - len(indent)))


def _hangs(page: Page, bracket: int) -> bool:
    """Whether the contents of a bracket begin on the next line."""
    behind = page.skeleton[bracket + 1 : page.line_end(page.source.line_of(bracket))].strip(BLANKS)
    return not behind or behind.startswith("#")


def _open_brackets(page: Page, row: Row) -> list[tuple[int, int]]:
    return sorted((each.start, each.end) for each in page.brackets if row.first <= each.start < row.end)


def _bracket_of_line(page: Page, brackets: Sequence[tuple[int, int]], line: int) -> int | None:
    """The innermost bracket that is open where a line begins."""
    start = page.source.line_starts[line - 1]
    around = [index for index, (first, last) in enumerate(brackets) if first < start <= last]
    return around[-1] if around else None


def _is_inside_text(page: Page, line: int) -> bool:
    return page.skeleton[page.source.line_starts[line - 1] - 1] == '"'


def _indent_of(page: Page, line: int) -> int:
    start = page.source.line_starts[line - 1]
    text = page.source.text[start : page.line_end(line)]
    return len(text) - len(text.lstrip(BLANKS))


def _column(page: Page, offset: int) -> int:
    return offset - page.source.line_starts[page.source.line_of(offset) - 1]


# -- columns -----------------------------------------------------------------------------------


class _Cell(NamedTuple):
    """What stands between spaces on a line: where it begins and ends, counted from the line's start,
    how many spaces stand before it, and its first character ("w" for those of words and texts)."""

    start: int
    end: int
    gap: int
    sign: str


def _neighbours(
    old: Page, new: Page, pairs: Sequence[tuple[Row, Row]]
) -> Iterator[list[tuple[int, int]]]:
    """Runs of lines that follow one another in both versions: old and new 1-based numbers."""
    lines = [
        both
        for before, after in pairs
        if len(old.lines_of(before)) == len(new.lines_of(after))
        for both in zip(old.lines_of(before), new.lines_of(after), strict=True)
    ]
    run: list[tuple[int, int]] = []
    for both in lines:
        if run and both != (run[-1][0] + 1, run[-1][1] + 1):
            yield run
            run = []
        run.append(both)
    if run:
        yield run


def _realigned_columns(old: Page, new: Page, group: Sequence[tuple[int, int]]) -> Iterator[Edit]:
    old_cells = [_cells(old, line) for line, _ in group]
    new_cells = [_cells(new, line) for _, line in group]
    alike = [len(before) == len(after) for before, after in zip(old_cells, new_cells, strict=True)]
    columns = _columns(old_cells, alike)
    if not columns:
        return
    shifts = [0] * len(group)
    for members in columns:
        # The new column is the old one, or as far beyond it as the longest cell before it needs.
        places = [new_cells[line][cell].start + shifts[line] for line, cell in members]
        needed = max(
            new_cells[line][cell - 1].end + shifts[line] + _least_gap(
                new, group[line][1], new_cells[line][cell]
            )
            for line, cell in members
        )
        wanted = max(needed, old_cells[members[0][0]][members[0][1]].start)
        if len(set(places)) == 1 and places[0] >= needed:
            continue
        for (line, cell), place in zip(members, places, strict=True):
            if place != wanted:
                start = new.source.line_starts[group[line][1] - 1]
                found = new_cells[line][cell]
                gap = found.gap + wanted - place
                shifts[line] += wanted - place
                yield Edit(start + found.start - found.gap, start + found.start, " " * gap)


def _least_gap(page: Page, line: int, cell: _Cell) -> int:
    start = page.source.line_starts[line - 1]
    return _COMMENT_GAP if page.skeleton[start + cell.start] == "#" else 1


def _cells(page: Page, line: int) -> list[_Cell]:
    start = page.source.line_starts[line - 1]
    text = page.skeleton[start : page.line_end(line)]
    if "\t" in text or not page.source.text[start : page.line_end(line)].isascii():
        return []
    cells: list[_Cell] = []
    end = 0
    for match in _CELL.finditer(text):
        first = text[match.start()]
        sign = "w" if first.isalnum() or first in "_\"([{" else first
        cells.append(_Cell(match.start(), match.end(), match.start() - end, sign))
        end = match.end()
    return cells


def _columns(lines: Sequence[list[_Cell]], alike: Sequence[bool]) -> list[list[tuple[int, int]]]:
    """The columns of a run of lines, from the left: for each the lines and cells that lined up. There
    must be a wide gap in one of them: single spaces line up by chance."""
    by_start: dict[tuple[int, str], list[tuple[int, int]]] = {}
    for number, cells in enumerate(lines):
        if alike[number]:
            for index, cell in enumerate(cells[1:], 1):
                by_start.setdefault((cell.start, cell.sign), []).append((number, index))
    columns: list[list[tuple[int, int]]] = []
    for _, members in sorted(by_start.items()):
        for run in _unbroken(members):
            if len(run) > 1 and any(lines[line][cell].gap > 1 for line, cell in run):
                columns.append(run)
    return columns


def _unbroken(members: Sequence[tuple[int, int]]) -> Iterator[list[tuple[int, int]]]:
    run = [members[0]]
    for before, after in pairwise(members):
        if after[0] != before[0] + 1:
            yield run
            run = []
        run.append(after)
    yield run
