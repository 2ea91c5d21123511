"""Statements that backslashes break over lines, and which of them fit on one."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.languages.python.instructions import is_instruction
from zephyrun.layout.departure import Departure, IsFenced, subject_at
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import Page, Row
from zephyrun.layout.widths import display_width
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

_BREAK = lazy_pattern(r"[ \t]*\\(?:\r\n|\r|\n)[ \t]*")
# With less room than this to spare, the author may have seen the end of the line coming.
_ROOM = 20
# Beside these no space is left.
_AFTER_OPENING = ("(", "[", "{", ".")
_BEFORE_CLOSING = (")", "]", "}", ".", ",", ":")


def break_sides(page: Page) -> Iterator[tuple[str, int]]:
    """By what each statement over several lines is broken, and where it begins."""
    for row in page.rows:
        code = page.skeleton[row.first : row.end]
        if "\\" in code:
            yield "backslash", row.first
        elif "\n" in code or "\r" in code:
            yield "brackets", row.first


def find_needless_breaks(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[Departure]:
    """Statements that only backslashes break and that fit well on one line, in projects that break theirs
    at brackets."""
    limit = int(habits.get("line-width", "0"))
    if habits.get("line-break", "") != "brackets" or "\\" not in page.skeleton:
        return
    for row in page.rows:
        breaks = list(_BREAK.finditer(page.skeleton, row.first, row.end))
        lines = page.lines_of(row)
        if not breaks or len(breaks) != len(lines) - 1 or any(map(is_fenced, lines)):
            continue
        edits = tuple(_joint(page, each) for each in breaks)
        if _fits(page, row, edits, limit):
            yield Departure(
                "uneven-spacing",
                f"broken {subject_at(page, row.first)}",
                row.first,
                page.line_end(lines[0]),
                f"Backslashes break the statement over {len(lines)} lines, and it fits on one.",
                edits,
            )


def _joint(page: Page, found: re.Match[str]) -> Edit:
    """What stands in the place of a break: a space, but for the insides of brackets and before dots."""
    before, after = page.skeleton[found.start() - 1], page.skeleton[found.end() : found.end() + 1]
    is_tight = before in _AFTER_OPENING or after in _BEFORE_CLOSING
    return Edit(found.start(), found.end(), "" if is_tight else " ")


def _fits(page: Page, row: Row, edits: tuple[Edit, ...], limit: int) -> bool:
    """Whether a row would fit on one line with room to spare, the comment behind it included."""
    text = page.source.text
    end = page.line_end(page.lines_of(row)[-1])
    comment = text[row.end : end].lstrip()
    if comment and is_instruction(comment):
        return False
    pieces: list[str] = []
    position = row.start
    for edit in edits:
        pieces += (text[position : edit.start], edit.text)
        position = edit.end
    return display_width("".join([*pieces, text[position:end]])) <= limit - _ROOM
