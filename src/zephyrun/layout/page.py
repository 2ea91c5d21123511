"""`Page`: one file as it stands on the page, read from its text alone.

Words used here:

- *skeleton*: the text with every text literal and comment blotted out, of the same length. In it a
  bracket is a bracket and a line end ends a line of code.
- *row*: one line of code in the language's sense, over however many lines it runs; blank lines and
  lines that hold only a comment are none.

No tree is needed: a page can be read of a file that is only measured, in a fraction of the time that
parsing takes.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from functools import cached_property
from typing import NamedTuple

from zephyrun.languages.python.scanner import Scan
from zephyrun.layout.sites import Bracket, TokenReader
from zephyrun.source import SourceText

BLANKS = " \t\f"
_BLOT_TEXT, _BLOT_COMMENT = '"', "#"
# A line with code on it: its white space, and what comes behind.
_CODE_LINE = re.compile(r"^([ \t\f]*)[^\s#][^\r\n]*", re.MULTILINE)


class Row(NamedTuple):
    """One line of code. `start` is where its first physical line begins, `first` its first token,
    `end` the end of its last token."""

    start: int
    first: int
    end: int


class Page:
    """One file, read. `sites` stand in text order, `brackets` by their ends."""

    def __init__(self, source: SourceText, marks: Scan) -> None:
        self.source = source
        self.marks = marks
        self.skeleton = skeleton_of(source.text, marks)
        reader = TokenReader(self.skeleton)
        reader.read()
        self.sites = reader.sites
        self.brackets: list[Bracket] = reader.brackets
        self.block_colons = reader.block_colons

    @cached_property
    def rows(self) -> list[Row]:
        """The rows of the file, in text order."""
        outer = [each for each in self.brackets if not each.depth]
        outer_ends = [each.end for each in outer]
        skeleton = self.skeleton
        rows: list[Row] = []
        goes_on_until = -1
        joined = False
        for match in _CODE_LINE.finditer(skeleton):
            start, end = match.start(), match.end()
            is_joined, joined = joined, skeleton[end - 1] == "\\"
            if is_joined or start <= goes_on_until:
                rows[-1] = rows[-1]._replace(end=end)
            else:
                rows.append(Row(start, match.end(1), end))
            # The next line goes on where a bracket that opens here closes below.
            index = bisect_left(outer_ends, end)
            if index < len(outer) and outer[index].start < end:
                goes_on_until = outer[index].end
        return [_without_comment(skeleton, row) for row in rows]

    @cached_property
    def row_starts(self) -> list[int]:
        """Where each row's first physical line begins."""
        return [row.start for row in self.rows]

    def row_at(self, offset: int) -> int:
        """The index of the last row that starts at or before `offset`, -1 for none."""
        return bisect_right(self.row_starts, offset) - 1

    def indent(self, row: Row) -> str:
        """The white space before a row; a form feed starts it anew."""
        return self.skeleton[row.start : row.first].rpartition("\f")[2]

    def lines_of(self, row: Row) -> range:
        """The 1-based physical lines that a row covers."""
        return range(self.source.line_of(row.start), self.source.line_of(row.end - 1) + 1)

    def line_end(self, line: int) -> int:
        """Where the text of a 1-based line ends, before its line end."""
        starts = self.source.line_starts
        end = starts[line] if line < len(starts) else len(self.source.text)
        text = self.source.text
        while end > starts[line - 1] and text[end - 1] in "\r\n":
            end -= 1
        return end

    def is_blank(self, line: int) -> bool:
        """Whether a 1-based line holds nothing but white space."""
        return not self.skeleton[self.source.line_starts[line - 1] : self.line_end(line)].strip(BLANKS)

    @cached_property
    def own_line_comments(self) -> dict[int, tuple[int, int]]:
        """Comments on lines of their own, by their 1-based lines: where each starts and ends."""
        return dict(self._own_line_comments())

    def _own_line_comments(self) -> Iterator[tuple[int, tuple[int, int]]]:
        source, skeleton = self.source, self.skeleton
        for start, end in self.marks.comments:
            if skeleton[start] != _BLOT_COMMENT:
                # In a field of an f-string.
                continue
            line = source.line_of(start)
            if not skeleton[source.line_starts[line - 1] : start].strip(BLANKS):
                yield line, (start, end)


def skeleton_of(text: str, marks: Scan) -> str:
    """The text with its literals and comments blotted out; as long as the text."""
    pieces: list[str] = []
    position = 0
    comments = set(marks.comments)
    for mark in sorted((*marks.comments, *marks.texts)):
        start, end = mark
        if start < position:
            # A comment in a field of an f-string.
            continue
        blot = _BLOT_COMMENT if mark in comments else _BLOT_TEXT
        pieces += (text[position:start], blot * (end - start))
        position = end
    pieces.append(text[position:])
    return "".join(pieces)


def _without_comment(skeleton: str, row: Row) -> Row:
    code = skeleton[row.start : row.end]
    return row._replace(end=row.start + len(code.rstrip("# \t\f")))
