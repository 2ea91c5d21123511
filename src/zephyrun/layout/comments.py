"""The spaces of comments: before those that stand behind code, and behind the mark of each."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.languages.python.instructions import is_instruction
from zephyrun.layout.page import BLANKS, Page
from zephyrun.layout.sites import AFTER, TIGHT

# A mark with words behind it. What looks like code that is switched off is left alone: the next hand
# will switch it on again.
_TIGHT_PROSE = re.compile(r"#[A-Za-z]\w*,?(?: [A-Za-z']+[,.]?)+")
_SPACED_WORD = re.compile(r"# \w")


class CommentGap(NamedTuple):
    """The space between code and the comment behind it, `width` columns of it."""

    start: int
    end: int

    @property
    def width(self) -> int:
        """How many characters it has."""
        return self.end - self.start


def comment_gaps(page: Page) -> Iterator[CommentGap]:
    """The gaps before all comments that stand behind code."""
    starts, skeleton = page.source.line_starts, page.skeleton
    for start, _ in page.marks.comments:
        if skeleton[start] != "#":
            continue
        before = skeleton[starts[page.source.line_of(start) - 1] : start]
        code = before.rstrip(BLANKS)
        if code and before[len(code) :].strip(" ") == "":
            yield CommentGap(start - len(before) + len(code), start)


def comment_marks(page: Page) -> Iterator[tuple[int, str]]:
    """Where each comment of words stands, and whether a space follows its mark."""
    text = page.source.text
    for start, end in page.marks.comments:
        if page.skeleton[start] != "#":
            continue
        if _SPACED_WORD.match(text, start):
            yield start, AFTER
        elif _TIGHT_PROSE.fullmatch(text, start, end) and not is_instruction(text[start:end]):
            yield start, TIGHT
