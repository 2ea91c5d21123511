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
from zephyrun.layout.sites import BLANKS, Bracket, TokenReader
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

_BLOT_TEXT, _BLOT_COMMENT = '"', "#"
# A line with code on it: its white space, and what comes behind.
_BLANK_LINE = lazy_pattern(r"^[ \t\f]*$", re.MULTILINE)
# The same for texts whose lines do not end in `\n` alone.
_ANY_CODE_LINE = lazy_pattern(r"(?:\A|(?<=\n)|(?<=\r)(?!\n))([ \t\f]*)[^\s#][^\r\n]*")
_ANY_BLANK_LINE = lazy_pattern(r"(?:\A|(?<=\n)|(?<=\r)(?!\n))[ \t\f]*(?=[\r\n]|\Z)")
_CODE_LINE = lazy_pattern(r"^([ \t\f]*)[^\s#][^\r\n]*", re.MULTILINE)
_SPACED_LINE_END = lazy_pattern(r"[\r\n](?<=[ \t][\r\n])")
# How the head of a definition begins.
DEFINITION = lazy_pattern(r"(?:async[ \t]+)?(?:def|class)\b")

# Twice as fast as calling the class.
_new_row = tuple.__new__


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
        start = first = last = 0
        goes_on_until = -1
        is_joined = True
        pattern = _ANY_CODE_LINE if "\r" in skeleton else _CODE_LINE
        for match in pattern.finditer(skeleton):
            begin, end = match.span()
            if not is_joined and begin > goes_on_until:
                rows.append(_new_row(Row, (start, first, _code_end(skeleton, start, last))))
                start, first = begin, match.end(1)
            elif not rows and not last:
                start, first = begin, match.end(1)
            last = end
            is_joined = skeleton[end - 1] == "\\"
            # The next line goes on where a bracket that opens here closes below.
            index = bisect_left(outer_ends, end)
            if index < len(outer) and outer[index].start < end:
                goes_on_until = outer[index].end
        if last:
            rows.append(_new_row(Row, (start, first, _code_end(skeleton, start, last))))
        return rows

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
        return line in self._blank_lines

    def first_blank(self, lines: range) -> int:
        """The first blank one of some 1-based lines, 0 where there is none."""
        blank = self._sorted_blank_lines
        index = bisect_left(blank, lines.start)
        return blank[index] if index < len(blank) and blank[index] < lines.stop else 0

    @cached_property
    def _sorted_blank_lines(self) -> list[int]:
        line_of = self.source.line_of
        pattern = _ANY_BLANK_LINE if "\r" in self.skeleton else _BLANK_LINE
        return [line_of(match.start()) for match in pattern.finditer(self.skeleton)]

    @cached_property
    def _blank_lines(self) -> frozenset[int]:
        return frozenset(self._sorted_blank_lines)

    @cached_property
    def comments(self) -> list[tuple[int, int]]:
        """Where each comment starts and ends, but for those in the fields of f-strings."""
        skeleton = self.skeleton
        return [each for each in self.marks.comments if skeleton[each[0]] == _BLOT_COMMENT]

    @cached_property
    def own_line_comments(self) -> dict[int, tuple[int, int]]:
        """Comments on lines of their own, by their 1-based lines: where each starts and ends."""
        line_of = self.source.line_of
        return {
            line_of(mark[0]): mark for mark, gap in zip(self.comments, self._gaps, strict=True) if gap < 0
        }

    @property
    def comment_gaps(self) -> Iterator[tuple[int, int]]:
        """The spaces before comments that stand behind code: where each gap starts and ends."""
        for mark, gap in zip(self.comments, self._gaps, strict=True):
            if gap >= 0:
                yield gap, mark[0]

    def spaces_at_line_ends(self) -> Iterator[tuple[int, int]]:
        """The spaces behind all else on a line: where they start and end."""
        skeleton, text = self.skeleton, self.source.text
        ends = [match.start() for match in _SPACED_LINE_END.finditer(skeleton)]
        if skeleton.endswith((" ", "\t")):
            ends.append(len(skeleton))
        # A comment reaches to the end of its line.
        ends += [end for _, end in self.comments if text[end - 1] in " \t"]
        for end in ends:
            start = end
            while start and text[start - 1] in " \t":
                start -= 1
            yield start, end

    @cached_property
    def _gaps(self) -> list[int]:
        """For each comment where the code before it on its line ends, -1 where there is none."""
        skeleton = self.skeleton
        gaps: list[int] = []
        for start, _ in self.comments:
            end = start
            while end and skeleton[end - 1] in BLANKS:
                end -= 1
            gaps.append(end if end and skeleton[end - 1] not in "\r\n" else -1)
        return gaps


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


def flat_skeleton(skeleton: str) -> str:
    """A skeleton with everything inside brackets blotted out, of the same length."""
    pieces: list[str] = []
    depth = 0
    for character in skeleton:
        if character in ")]}":
            depth -= 1
        pieces.append(character if not depth else "_")
        if character in "([{":
            depth += 1
    return "".join(pieces)


def _code_end(skeleton: str, start: int, end: int) -> int:
    """Where the code of a row ends, a comment behind it and the space before that left out."""
    if skeleton[end - 1] not in "# \t\f":
        return end
    return start + len(skeleton[start:end].rstrip("# \t\f"))
