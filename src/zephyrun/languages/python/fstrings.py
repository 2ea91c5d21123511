"""f-strings: what they show literally, and, before Python 3.12, where their expressions stand.

Up to 3.11 the interpreter parses the expressions of an f-string by themselves, and the positions it
then gives are wrong in texts of several lines and in nested ones. `mend` parses each expression
anew at its true place, and puts it into the tree only when it is the same expression.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator

from zephyrun.languages.python.relocation import parse_fragment
from zephyrun.languages.python.scanner import NESTED_QUOTES, fields
from zephyrun.source import SourceText


def literal_parts(node: ast.JoinedStr) -> Iterator[str]:
    """The literal texts of an f-string, those of its format specifications included."""
    for part in node.values:
        if isinstance(part, ast.Constant):
            yield str(part.value)
        elif isinstance(part, ast.FormattedValue) and isinstance(part.format_spec, ast.JoinedStr):
            yield from literal_parts(part.format_spec)


def shown_expressions(text: str, start: int, end: int) -> list[tuple[int, int]]:
    """The ranges of expressions that an f-string shows with their values, as in `{weight=}`."""
    found = fields(text, start, end, nested_quotes=NESTED_QUOTES)
    return [(field.start, field.end) for field in found if field.shows_itself]


def mend(node: ast.JoinedStr, source: SourceText, start: int, end: int) -> list[str]:
    """Give every expression of an f-string its true position; what could not be placed is returned."""
    parts = list(_fields_of(node))
    found = fields(source.text, start, end, nested_quotes=False)
    if len(parts) != len(found):
        return [f"an f-string of {len(parts)} fields"]
    unplaced = []
    for part, field in zip(parts, found, strict=True):
        fragment = parse_fragment(source, field.start, field.end)
        if fragment is None or ast.dump(fragment) != ast.dump(part.value):
            unplaced.append("an expression in an f-string")
        else:
            part.value = fragment
    return unplaced


def _fields_of(node: ast.JoinedStr) -> Iterator[ast.FormattedValue]:
    for part in node.values:
        if isinstance(part, ast.FormattedValue):
            yield part
            if isinstance(part.format_spec, ast.JoinedStr):
                yield from _fields_of(part.format_spec)
