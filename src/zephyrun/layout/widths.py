"""How wide text stands on a page: what a reader sees counts, not code points."""

from __future__ import annotations

import unicodedata

# As the language itself counts, and as terminals show them.
TAB_WIDTH = 8


def display_width(text: str) -> int:
    """The columns that a piece of a line takes, from the line's beginning. Wide characters take two,
    combining marks none, tabs reach to the next multiple of eight."""
    if text.isascii() and "\t" not in text:
        return len(text) - text.count("\f")
    width = 0
    for character in text:
        if character == "\t":
            width += TAB_WIDTH - width % TAB_WIDTH
        elif character.isascii():
            width += character != "\f"
        else:
            width += _width_of(character)
    return width


def _width_of(character: str) -> int:
    if unicodedata.combining(character) or unicodedata.category(character) in ("Mn", "Me", "Cf"):
        return 0
    return 2 if unicodedata.east_asian_width(character) in "WF" else 1
