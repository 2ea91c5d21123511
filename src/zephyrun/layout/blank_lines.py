"""Blank lines around definitions."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.layout.departure import Departure, IsFenced, line_end_of, subject_at
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import DEFINITION, Page, Row
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

_HEAD = lazy_pattern(r"(?:async[ \t]+)?(def|class)\b|@")
_TEXT_ALONE = lazy_pattern(r"[rRuU]?\"+\Z")
_NUMBERS = ("no blank line", "one blank line", "two blank lines")
_MORE_THAN_ONE = 2


_WHERE = {
    "blank-before-definition": "above definitions",
    "blank-after-definition": "behind definitions",
    "blank-between-methods": "between methods",
    "blank-before-inner": "above inner definitions",
}


class Gap(NamedTuple):
    """The blank lines above a row, or above the comments that belong to it. They stand between the
    1-based lines `above` and `below`."""

    place: str
    row: int
    above: int
    below: int

    @property
    def n_blank(self) -> int:
        """How many lines are blank."""
        return self.below - self.above - 1


def gaps_of(page: Page) -> Iterator[Gap]:
    """The gaps for which there is a habit: before and behind definitions of a module, and between
    the methods of a class."""
    rows = page.rows
    # Of each block around: how far it is moved in, and whether it is a class.
    around: list[tuple[int, bool]] = []
    is_behind_definition = False
    for index, row in enumerate(rows):
        match = _HEAD.match(page.skeleton, row.first)
        depth = row.first - row.start
        if match is None and depth:
            continue
        while around and around[-1][0] >= depth:
            around.pop()
        is_decorated = index > 0 and match is not None and page.skeleton[rows[index - 1].first] == "@"
        if index and not is_decorated:
            place = ""
            if not depth:
                if match is not None:
                    place = "blank-before-definition"
                elif is_behind_definition:
                    place = "blank-after-definition"
            elif around and around[-1][1]:
                if not _begins_class(page, rows[index - 1]):
                    place = "blank-between-methods"
            elif not _begins_block(page, rows[index - 1], row):
                place = "blank-before-inner"
            if place and (gap := _gap_above(page, place, index)) is not None:
                yield gap
        if match is not None and match[1]:
            around.append((depth, match[1] == "class"))
        if not depth:
            is_behind_definition = match is not None


def _begins_class(page: Page, above: Row) -> bool:
    """Whether a row is the head of a class, or a text that documents one: what stands below it is
    set apart or not as authors like."""
    code = page.skeleton[above.first : above.end]
    return code.startswith("class") or _TEXT_ALONE.match(code) is not None


def _begins_block(page: Page, above: Row, row: Row) -> bool:
    """Whether a row is the first of its block, or stands below the text that documents it."""
    if page.skeleton[above.end - 1] == ":" and above.first - above.start < row.first - row.start:
        return True
    return _TEXT_ALONE.match(page.skeleton, above.first, above.end) is not None


def _gap_above(page: Page, place: str, index: int) -> Gap | None:
    row, before = page.rows[index], page.rows[index - 1]
    if _is_one_line_definition(page, before):
        # Overloads and stubs follow one another as their authors like.
        return None
    below = page.source.line_of(row.first)
    end_above = page.source.line_of(before.end - 1)
    while below - 1 > end_above and below - 1 in page.own_line_comments:
        below -= 1
    above = below - 1
    while above > end_above and page.is_blank(above):
        above -= 1
    # Where a heading stands between, it is not the definition that makes the gap.
    return Gap(place, index, above, below) if above == end_above else None


def _is_one_line_definition(page: Page, row: Row) -> bool:
    """Whether a row holds a definition and its body."""
    return DEFINITION.match(page.skeleton, row.first) is not None and page.skeleton[row.end - 1] != ":"


def find_uneven_gaps(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[Departure]:
    """Gaps with more or fewer blank lines than the project leaves there."""
    line_end = line_end_of(page.source.text)
    for gap in gaps_of(page):
        wanted = habits.get(gap.place, "")
        if not wanted or gap.n_blank == int(wanted) or int(wanted) >= len(_NUMBERS):
            continue
        if is_fenced(gap.below) or is_fenced(gap.above):
            continue
        starts = page.source.line_starts
        start, end = starts[gap.above], starts[gap.below - 1]
        if "\f" in page.source.text[start:end]:
            continue
        row = page.rows[gap.row]
        place = _WHERE[gap.place]
        verb = "are" if gap.n_blank >= _MORE_THAN_ONE else "is"
        found = _NUMBERS[gap.n_blank] if gap.n_blank < len(_NUMBERS) else f"{gap.n_blank} blank lines"
        yield Departure(
            "uneven-spacing",
            f"above {subject_at(page, row.first)}",
            row.first,
            row.end,
            f"There {verb} {found} here, and {_NUMBERS[int(wanted)]} {place} elsewhere.",
            (Edit(start, end, line_end * int(wanted)),),
        )
