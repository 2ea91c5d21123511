"""Lines that hold more than one thing: several statements, the body of a block beside its head, an
expression with many clauses.

Splitting a line can change how often a warning is shown that is shown once per line; the proof names
that as an assumption.
"""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.languages.python.instructions import is_instruction
from zephyrun.layout.departure import Departure, IsFenced, line_end_of, subject_at
from zephyrun.layout.habits import Habits
from zephyrun.layout.indentation import MIXED, step_text
from zephyrun.layout.page import DEFINITION, Page, Row
from zephyrun.layout.sites import BLANKS
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

_STATEMENT_BEHIND = lazy_pattern(r"[ \t]*(?=[^\s#\\])")
# Definitions without a body of their own: authors list them line by line.
_STUB = lazy_pattern(r"[ \t]*(?:\.\.\.|pass)[ \t]*(?=#|[\r\n]|\Z)")
_GAP_BEHIND = lazy_pattern(r"[ \t]*")
# Without one of these there is nothing to look for.
MAY_NEST = lazy_pattern(r" for .* (?:for|if) | else .* else ")


def find_crammed_lines(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[Departure]:
    """Rows that hold several statements, or one expression of many clauses."""
    cuts = _cuts(page, habits)
    for index in sorted(cuts):
        row = page.rows[index]
        if any(map(is_fenced, page.lines_of(row))) or _speaks_to_programs(page, row):
            continue
        offsets = cuts[index]
        edits = _split(page, row, offsets, habits)
        if not edits:
            continue
        n_statements = len(offsets) + (page.skeleton[offsets[0]] == ";")
        what = f"{n_statements} statements" if n_statements > 1 else "the body of a block beside its head"
        yield Departure(
            "crammed-line",
            subject_at(page, row.first),
            row.first,
            row.end,
            f"One line holds {what}.",
            edits,
        )
    if MAY_NEST.search(page.skeleton):
        # Imported here: most files have no such expression, and start-up should stay fast.
        from zephyrun.layout.crowded import find_crowded_expressions

        yield from find_crowded_expressions(page, habits, frozenset(cuts), is_fenced)


def _speaks_to_programs(page: Page, row: Row) -> bool:
    """Whether the comment behind a row is an instruction, which may hold for the line as it is."""
    rest = page.source.text[row.end : page.line_end(page.source.line_of(row.end - 1))].lstrip(BLANKS)
    return rest.startswith("#") and is_instruction(rest)


def _cuts(page: Page, habits: Habits) -> dict[int, list[int]]:
    """For each row that should be several: the offsets of the colons and semicolons to cut behind."""
    cuts: dict[int, list[int]] = {}
    skeleton = page.skeleton
    position = skeleton.find(";")
    while position >= 0:
        cuts.setdefault(page.row_at(position), []).append(position)
        position = skeleton.find(";", position + 1)
    goes_below = habits.get("one-line-body", "") == "below"
    if goes_below or cuts:
        for colon in page.block_colons:
            if _STATEMENT_BEHIND.match(skeleton, colon + 1):
                index = page.row_at(colon)
                if index not in cuts and not goes_below:
                    continue
                is_definition = DEFINITION.match(skeleton, page.rows[index].first) is not None
                if is_definition and (_STUB.match(skeleton, colon + 1) or _is_one_of_a_list(page, index)):
                    continue
                if index in cuts or not _is_column(page, index, colon):
                    cuts.setdefault(index, []).append(colon)
    return {index: sorted(offsets) for index, offsets in cuts.items()}


def _is_one_of_a_list(page: Page, index: int) -> bool:
    """Whether a small function stands right above or below another one, each on one line: such a list is read at once."""
    line = page.source.line_of(page.rows[index].first)
    for step in (-1, 1):
        if not 0 <= index + step < len(page.rows):
            continue
        row = page.rows[index + step]
        if DEFINITION.match(page.skeleton, row.first) is None or page.source.line_of(row.first) != line + step:
            continue
        colons = [each for each in page.block_colons if row.first <= each < row.end]
        if colons and _STATEMENT_BEHIND.match(page.skeleton, colons[0] + 1):
            return True
    return False


def _is_column(page: Page, index: int, colon: int) -> bool:
    """Whether the body of a one-line block lines up with that of the row above or below: a table."""
    gap = _gap_behind(page, colon)
    for beside in (index - 1, index + 1):
        if 0 <= beside < len(page.rows):
            row = page.rows[beside]
            other = page.skeleton.find(":", row.first, row.end - 1)
            if other >= 0:
                gap_there = _gap_behind(page, other)
                # Heads of one length line their bodies up by themselves.
                if gap_there[1] == gap[1] and gap_there[0] != gap[0]:
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
