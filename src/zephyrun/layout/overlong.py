"""Lines that reach beyond the width that the project keeps to."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.languages.python.instructions import is_instruction
from zephyrun.layout.departure import Departure, IsFenced, line_end_of, subject_at
from zephyrun.layout.folding import Hand, Piece, folded, hand_of
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import Page, Row
from zephyrun.layout.sites import BLANKS
from zephyrun.layout.tables import Tables
from zephyrun.layout.widths import display_width
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

_INDENT = lazy_pattern(r"[ \t]*")


def find_overlong_lines(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[Departure]:
    """Lines of code that are too long and can be made shorter: by moving a comment above, or by
    folding at brackets. A line that only a long text makes long is left as it is."""
    limit = int(habits.get("line-width", "0"))
    hand = hand_of(habits, limit) if limit else None
    if hand is None:
        return
    source, tables = page.source, Tables(page)
    starts = source.line_starts
    for line, start in enumerate(starts, 1):
        # Most lines are within the limit by their length alone, tabs and wide characters apart.
        following = starts[line] if line < len(starts) else len(source.text)
        if following - start <= limit // 2:
            continue
        end = page.line_end(line)
        text = source.text[start:end]
        width = display_width(text)
        if width <= limit or is_fenced(line):
            continue
        index = page.row_at(start)
        if tables.hold(start):
            continue
        if index < 0 or page.rows[index].end <= start or line in page.own_line_comments:
            continue
        edits = _shortened(page, page.rows[index], line, hand)
        if edits:
            yield Departure(
                "overlong-line",
                subject_at(page, start),
                start + len(text) - len(text.lstrip(BLANKS)),
                end,
                f"The line takes {width} columns, the project's lines {limit} at most.",
                edits,
            )


def _shortened(page: Page, row: Row, line: int, hand: Hand) -> tuple[Edit, ...]:
    """The edits that bring one line within the limit; none where there is no way."""
    source = page.source
    start, end = source.line_starts[line - 1], page.line_end(line)
    if start and page.skeleton[start - 1] == '"' or page.skeleton[end : end + 1] == '"':
        # It begins or ends inside a text.
        return ()

    skeleton = page.skeleton[start:end]
    code_end = start + len(skeleton.rstrip("#").rstrip(BLANKS))
    match = _INDENT.match(skeleton)
    assert match is not None, "an empty indentation matches as well"
    indent = match.group()
    comment = source.text[start + len(skeleton.rstrip("#")) : end]
    if skeleton.endswith("\\") or "\f" in skeleton or (comment and is_instruction(comment)):
        return ()

    line_end = line_end_of(source.text)
    above = f"{indent}{comment}{line_end}" if comment else ""
    if above and display_width(indent + comment) > hand.limit:
        return ()
    if above and start != row.start and not _begins_element(page, start):
        return ()

    piece = Piece(source.text[start + len(indent) : code_end], skeleton[len(indent) : code_end - start])
    if display_width(indent + piece.code) <= hand.limit:
        return (Edit(start, start, above), Edit(code_end, end, "")) if above else ()
    if not _is_whole(piece.skeleton) or (start == row.start and page.lines_of(row)[-1] != line):
        return ()

    if start != row.start and not _is_inside_brackets(page, start):
        return ()
    lines = folded(piece, indent, hand, is_statement=start == row.start)
    if lines is None:
        return ()
    return (Edit(start, end, above + line_end.join(lines)),)


def _is_inside_brackets(page: Page, offset: int) -> bool:
    return any(each.start < offset <= each.end for each in page.brackets)


def _begins_element(page: Page, start: int) -> bool:
    """Whether a line inside brackets begins a new element, so that a comment may stand above it."""
    before = page.skeleton[:start].rstrip(BLANKS + "\r\n#")[-1:]
    return before in (",", "(", "[", "{")


def _is_whole(skeleton: str) -> bool:
    """Whether all brackets of a line close on it, and none that does not open on it."""
    depth = 0
    for character in skeleton:
        if character in "([{":
            depth += 1
        elif character in ")]}":
            depth -= 1
            if depth < 0:
                return False
    return not depth
