"""Parsing a piece of a file so that the positions in its tree are positions in the file."""

from __future__ import annotations

import ast

from zephyrun.source import SourceText


def parse_fragment(source: SourceText, start: int, end: int) -> ast.expr | None:
    """Parse the expression that stands between two offsets; `None` where it is no expression.

    Its nodes carry lines and UTF-8 columns of the whole file, as if it had been parsed there.
    """
    text = source.text[start:end]
    try:
        # The bracket lets the expression run over several lines and begin with a space.
        fragment = ast.parse(f"({text}\n)", mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return None
    line = source.line_of(start)
    before = source.text[source.line_starts[line - 1] : start]
    shift = len(before.encode("utf-8", "surrogatepass")) - 1
    for node in ast.walk(fragment):
        for side in ("", "end_"):
            row = getattr(node, f"{side}lineno", None)
            if row is None:
                continue
            if row == 1:
                column = getattr(node, f"{side}col_offset")
                setattr(node, f"{side}col_offset", column + shift)
            setattr(node, f"{side}lineno", row + line - 1)
    return fragment
