"""Expressions with many clauses on one line: comprehensions in comprehensions, conditions in conditions.

They are broken over lines, each clause on its own, and not rewritten.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import NamedTuple

from zephyrun.layout.crammed import MAY_NEST
from zephyrun.layout.departure import Departure, IsFenced, line_end_of, subject_at
from zephyrun.layout.folding import Piece, clause_starts, hand_of, value_range
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import Page, Row, flat_skeleton
from zephyrun.layout.sites import BLANKS
from zephyrun.layout.widths import display_width
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

_ELSE = lazy_pattern(r"\belse\b(?![ \t]*:)")
_FEWEST_CLAUSES, _FEWEST_LOOPS, _SHORTEST_CROWD = 4, 2, 50
_FEWEST_BRANCHES = 2


class Fold(NamedTuple):
    """A bracket from `start` to `end`, and the offsets inside before which a line is to break. Where
    `is_new` is true there is no bracket yet: it is to be written around the value between the two."""

    start: int
    end: int
    breaks: tuple[int, ...]
    is_new: bool = False


def find_crowded_expressions(
    page: Page, habits: Habits, cut_rows: Collection[int], is_fenced: IsFenced
) -> Iterator[Departure]:
    """Expressions that nest on one line, but for those on rows that are to be cut anyway."""
    for fold in (*_folds(page), *_folds_without_brackets(page)):
        index = page.row_at(fold.start)
        row = page.rows[index]
        lines = page.lines_of(row)
        if index in cut_rows or len(lines) > 1 or is_fenced(lines[0]):
            continue
        yield Departure(
            "crammed-line",
            subject_at(page, row.first),
            fold.start,
            fold.end,
            f"One line holds an expression of {len(fold.breaks) + 1} parts that nest.",
            _broken(page, row, fold, habits),
        )


def _folds(page: Page) -> Iterator[Fold]:
    skeleton = page.skeleton
    for bracket in page.brackets:
        inside = skeleton[bracket.start + 1 : bracket.end]
        if "\n" in inside or "\r" in inside or not MAY_NEST.search(inside):
            continue
        breaks = _breaks(flat_skeleton(inside))
        if breaks:
            yield Fold(bracket.start, bracket.end, tuple(bracket.start + 1 + each for each in breaks))


def _folds_without_brackets(page: Page) -> Iterator[Fold]:
    """Conditions in conditions that are a whole value, such as what a function returns."""
    skeleton = page.skeleton
    for row in page.rows:
        code = skeleton[row.first : row.end]
        if code.count(" else ") < _FEWEST_BRANCHES:
            continue
        piece = Piece(page.source.text[row.first : row.end], code)
        value = value_range(piece)
        if value is None:
            continue
        start, end = value
        branches = _breaks(flat_skeleton(code[start:end]))
        if branches:
            breaks = tuple(row.first + start + each for each in branches)
            yield Fold(row.first + start, row.first + end, breaks, is_new=True)


def _breaks(flat: str) -> list[int]:
    """Where an expression is to be broken, [] where it is simple enough."""
    clauses = clause_starts(flat)
    if not clauses:
        branches = [match.start() for match in _ELSE.finditer(flat)]
        is_crowd = len(branches) >= _FEWEST_BRANCHES and "," not in flat and "lambda" not in flat
        return branches if is_crowd else []
    n_loops = sum(flat.startswith(("for", "async"), each) for each in clauses)
    is_crowd = len(clauses) >= _FEWEST_CLAUSES and n_loops >= _FEWEST_LOOPS
    return clauses if is_crowd and len(flat) >= _SHORTEST_CROWD else []


def _broken(page: Page, row: Row, fold: Fold, habits: Habits) -> tuple[Edit, ...]:
    """The edits that put each part of a crowded expression on a line of its own; none where the row
    runs over several lines already."""
    hand = hand_of(habits, 0)
    indent = page.skeleton[row.start : row.first]
    if hand is None or len(page.lines_of(row)) > 1 or "\f" in indent:
        return ()
    text, line_end = page.source.text, line_end_of(page.source.text)
    # Where what stands inside the bracket begins, and where it ends.
    start, end = (fold.start, fold.end) if fold.is_new else (fold.start + 1, fold.end)
    opening, closing = ("(", ")") if fold.is_new else ("", "")
    if hand.is_hanging:
        inner = indent + hand.unit
        first = _break(text, start, line_end + inner)
        # A new bracket keeps the space before it.
        edits = [Edit(start, first.end, opening + first.text) if fold.is_new else first]
    else:
        inner = indent + " " * (display_width(text[row.start : start] + opening) - display_width(indent))
        edits = [Edit(start, start, opening)] if fold.is_new else []
    edits += [_break(text, offset, line_end + inner) for offset in fold.breaks]
    if hand.is_hanging and hand.closes_alone:
        last = _break(text, end, line_end + indent)
        # Behind a new bracket, what follows keeps its distance.
        edits.append(Edit(last.start, end if fold.is_new else last.end, last.text + closing))
    elif fold.is_new:
        edits.append(Edit(end, end, closing))
    return tuple(edits)


def _break(text: str, offset: int, instead: str) -> Edit:
    """Put a line break where an offset is, in place of the spaces around it."""
    start, end = offset, offset
    while text[start - 1] in BLANKS:
        start -= 1
    while end < len(text) and text[end] in BLANKS:
        end += 1
    return Edit(start, end, instead)
