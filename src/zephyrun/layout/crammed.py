"""Lines that hold more than one thing: several statements, the body of a block beside its head, an
expression with many clauses.

Splitting a line can change how often a warning is shown that is shown once per line; the proof names
that as an assumption.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.layout.departure import Departure, IsFenced, line_end_of, subject_at
from zephyrun.layout.folding import Fold, broken_clauses
from zephyrun.layout.habits import Habits
from zephyrun.layout.indentation import MIXED, step_text
from zephyrun.layout.page import BLANKS, Page, Row
from zephyrun.source import Edit

_STATEMENT_BEHIND = re.compile(r"[ \t]*(?=[^\s#\\])")
# Definitions without a body of their own: authors list them line by line.
_STUB = re.compile(r"[ \t]*(?:\.\.\.|pass)[ \t]*(?=#|[\r\n]|\Z)")
_DEFINITION = re.compile(r"(?:async[ \t]+)?(?:def|class)\b")
_FEWEST_CLAUSES, _FEWEST_LOOPS, _SHORTEST_CROWD = 4, 2, 50
_GAP_BEHIND = re.compile(r"[ \t]*")
_CLAUSE = re.compile(r"\b(?:async[ \t]+for|(?<!async )for|if)\b")
_MAY_NEST = re.compile(r" for .* (?:for|if) | else .* else ")
_ELSE = re.compile(r"\belse\b(?![ \t]*:)")


def find_crammed_lines(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[Departure]:
    """Rows that hold several statements, or one expression of many clauses."""
    cuts = _cuts(page, habits)
    for index in sorted(cuts):
        row = page.rows[index]
        if any(map(is_fenced, page.lines_of(row))):
            continue
        offsets = cuts[index]
        n_statements = len(offsets) + (page.skeleton[offsets[0]] == ";")
        what = f"{n_statements} statements" if n_statements > 1 else "the body of a block beside its head"
        yield Departure(
            "crammed-line",
            subject_at(page, row.first),
            row.first,
            row.end,
            f"One line holds {what}.",
            _split(page, row, offsets, habits),
        )
    for fold in _crowded_expressions(page):
        index = page.row_at(fold.start)
        row = page.rows[index]
        if index in cuts or any(map(is_fenced, page.lines_of(row))):
            continue
        yield Departure(
            "crammed-line",
            subject_at(page, row.first),
            fold.start,
            fold.end,
            f"One line holds an expression of {len(fold.breaks) + 1} parts that nest.",
            broken_clauses(page, row, fold, habits),
        )


def _cuts(page: Page, habits: Habits) -> dict[int, list[int]]:
    """For each row that should be several: the offsets of the colons and semicolons to cut behind."""
    cuts: dict[int, list[int]] = {}
    skeleton = page.skeleton
    position = skeleton.find(";")
    while position >= 0:
        cuts.setdefault(page.row_at(position), []).append(position)
        position = skeleton.find(";", position + 1)
    if habits.get("one-line-body", "") == "below":
        for colon in page.block_colons:
            if _STATEMENT_BEHIND.match(skeleton, colon + 1):
                index = page.row_at(colon)
                is_definition = _DEFINITION.match(skeleton, page.rows[index].first) is not None
                if is_definition and _STUB.match(skeleton, colon + 1):
                    continue
                if index in cuts or not _is_column(page, index, colon):
                    cuts.setdefault(index, []).append(colon)
    return {index: sorted(offsets) for index, offsets in cuts.items()}


def _is_column(page: Page, index: int, colon: int) -> bool:
    """Whether the body of a one-line block lines up with that of the row above or below: a table."""
    gap = _gap_behind(page, colon)
    for beside in (index - 1, index + 1):
        if 0 <= beside < len(page.rows):
            row = page.rows[beside]
            other = page.skeleton.find(":", row.first, row.end - 1)
            if other >= 0:
                gap_there = _gap_behind(page, other)
                if gap_there[1] == gap[1] and max(gap_there[0], gap[0]) > 1:
                    return True
    return False


def _gap_behind(page: Page, colon: int) -> tuple[int, int]:
    """How many spaces stand behind a colon, and the column of what follows them."""
    match = _GAP_BEHIND.match(page.skeleton, colon + 1)
    assert match is not None, "an empty gap matches as well"
    column = match.end() - page.source.line_starts[page.source.line_of(colon) - 1]
    return len(match.group()), column


def _split(page: Page, row: Row, offsets: list[int], habits: Habits) -> tuple[Edit, ...]:
    """The edits that give each statement of a row a line of its own; none where a statement runs
    over several lines, since nobody could tell how its author would have placed those."""
    if len(page.lines_of(row)) > 1:
        return ()
    unit = habits.get("indentation", MIXED)
    skeleton, text = page.skeleton, page.source.text
    indent = text[row.start : row.first]
    if "\f" in indent or unit == MIXED:
        return ()
    line_end = line_end_of(text)
    edits: list[Edit] = []
    for offset in offsets:
        opens = skeleton[offset] == ":"
        if opens:
            indent += step_text(unit)
        match = _GAP_BEHIND.match(skeleton, offset + 1)
        assert match is not None, "an empty gap matches as well"
        start = offset + opens
        while not opens and skeleton[start - 1] in BLANKS:
            start -= 1
        is_last = skeleton[match.end() : match.end() + 1] in ("", "\r", "\n", "#")
        if is_last:
            edits.append(Edit(offset, offset + 1, ""))
        else:
            edits.append(Edit(start, match.end(), line_end + indent))
    return tuple(edits)


def _crowded_expressions(page: Page) -> Iterator[Fold]:
    """Comprehensions of three or more clauses, and conditions inside conditions, on one line."""
    skeleton = page.skeleton
    for bracket in page.brackets:
        inside = skeleton[bracket.start + 1 : bracket.end]
        if "\n" in inside or "\r" in inside or not _MAY_NEST.search(inside):
            continue
        flat = _flattened(inside)
        loop = re.search(r"\bfor\b", flat)
        if loop is not None:
            # `async for` breaks before its first word.
            clauses = [match.start() for match in _CLAUSE.finditer(flat)]
            breaks = [each for each in clauses if each >= loop.start() - len("async ")]
            n_loops = sum(flat.startswith(("for", "async"), each) for each in breaks)
            if len(breaks) >= _FEWEST_CLAUSES and n_loops >= _FEWEST_LOOPS and len(flat) >= _SHORTEST_CROWD:
                yield Fold(bracket.start, bracket.end, tuple(bracket.start + 1 + each for each in breaks))
        else:
            parts = [match.start() for match in _ELSE.finditer(flat)]
            if len(parts) >= 2 and "," not in flat and "lambda" not in flat:
                yield Fold(bracket.start, bracket.end, tuple(bracket.start + 1 + each for each in parts))


def _flattened(inside: str) -> str:
    """The inside of a bracket with everything in further brackets blotted out."""
    pieces: list[str] = []
    depth = 0
    for character in inside:
        closes = character in ")]}"
        depth -= closes
        pieces.append(character if not depth and not closes else "_")
        depth += character in "([{"
    return "".join(pieces)
