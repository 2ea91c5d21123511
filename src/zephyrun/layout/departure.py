"""`Departure`: something on a page that departs from the project's habits, and how to mend it."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import NamedTuple

from zephyrun.layout.page import Page
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

_SPACE = lazy_pattern(r"[\s\\]+")
_LONGEST_SUBJECT = 60


class Departure(NamedTuple):
    """One thing that a reader sees. `start`–`end` is where he sees it first; `subject` names it, by
    text from which white space is left out, so that mending one thing leaves the names of others;
    `n_places` says how often it is met.

    Without edits there is no way to mend it that the proof could follow.
    """

    kind: str
    subject: str
    start: int
    end: int
    message: str
    edits: tuple[Edit, ...]
    n_places: int = 1


def subject_at(page: Page, start: int) -> str:
    """What to call a departure on the line in which an offset stands."""
    source = page.source
    line = source.line_of(start)
    text = source.text[source.line_starts[line - 1] : page.line_end(line)]
    return _SPACE.sub("", text)[:_LONGEST_SUBJECT]


def line_end_of(text: str) -> str:
    """The line end with which a text ends its first line."""
    match = re.search(r"\r\n|\r|\n", text)
    return match[0] if match else "\n"


# Whether the 1-based line is one that people fenced off.
IsFenced = Callable[[int], bool]
