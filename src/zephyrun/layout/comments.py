"""The spaces behind the marks of comments."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.languages.python.instructions import is_instruction
from zephyrun.layout.page import Page
from zephyrun.layout.sites import AFTER, TIGHT
from zephyrun.patterns import lazy_pattern

# A mark with words behind it. What looks like code that is switched off is left alone: the next hand
# will switch it on again.
_TIGHT_PROSE = lazy_pattern(r"#[A-Za-z]\w*,?(?: [A-Za-z']+[,.]?)+")
_SPACED_WORD = lazy_pattern(r"# \w")


def comment_marks(page: Page) -> Iterator[tuple[int, str]]:
    """Where each comment of words stands, and whether a space follows its mark."""
    text = page.source.text
    for start, end in page.comments:
        if _SPACED_WORD.match(text, start):
            yield start, AFTER
        elif _TIGHT_PROSE.fullmatch(text, start, end) and not is_instruction(text[start:end]):
            yield start, TIGHT
