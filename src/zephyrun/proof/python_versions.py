"""What of a file older versions of Python would not read, or not know.

Two versions of a file may be one tree for the interpreter that runs, and only one of them code for an older one
that the project is for. All else that is called the same is so by the language as all of these versions have it.
"""

from __future__ import annotations

import ast
import io
import sys
import tokenize
from collections.abc import Iterator

from zephyrun.languages.python import ParsedFile

PythonVersion = tuple[int, int]

THIS_PYTHON: PythonVersion = sys.version_info[:2]
# Builtins and modules of the library by the version that brought them. Source: library reference.
NEW_BUILTINS: dict[str, PythonVersion] = {
    **dict.fromkeys(("aiter", "anext", "EncodingWarning"), (3, 10)),
    **dict.fromkeys(("BaseExceptionGroup", "ExceptionGroup"), (3, 11)),
    "PythonFinalizationError": (3, 13),
}
NEW_MODULES = frozenset({"zoneinfo", "graphlib", "tomllib", "annotationlib", "compression"})
# Since when classes can be joined by `|`, and Python's own be asked for elements.
JOINED_CLASSES: PythonVersion = (3, 10)
GENERIC_BUILTINS: PythonVersion = (3, 9)
_FREE_TEXTS: PythonVersion = (3, 12)
_FREE_HANDLERS: PythonVersion = (3, 14)
_BRACKETED_ITEMS: PythonVersion = (3, 9)
_OLDEST_TOLD_APART: PythonVersion = (3, 4)


def unreadable_spelling(parsed: ParsedFile, oldest: PythonVersion) -> tuple[int, PythonVersion] | None:
    """The line of the first thing that the oldest version of a project would not read, and the version that would;
    `None` where there is nothing known."""
    if oldest >= THIS_PYTHON:
        return None
    return min(_unreadable(parsed, oldest), default=None)


def _unreadable(parsed: ParsedFile, oldest: PythonVersion) -> Iterator[tuple[int, PythonVersion]]:
    text = parsed.source.text
    if oldest >= _OLDEST_TOLD_APART and (line := _refused_at(text, oldest)) is not None:
        yield line, next(
            (version for minor in range(oldest[1] + 1, THIS_PYTHON[1]) if _refused_at(text, version := (3, minor)) is None),
            THIS_PYTHON,
        )
    if oldest < _FREE_TEXTS:
        yield from ((line, _FREE_TEXTS) for line in _freely_filled_texts(text))
    for node in parsed.nodes:
        match node:
            case ast.ExceptHandler(type=ast.Tuple() as caught) if oldest < _FREE_HANDLERS:
                if text[parsed.start_of(caught)] != "(":
                    yield node.lineno, _FREE_HANDLERS
            case ast.With(items=[*_, ast.withitem(optional_vars=ast.expr() as last)]) if oldest < _BRACKETED_ITEMS:
                end = parsed.end_of(last)
                # Brackets around the last name alone are rare enough.
                if text[end:].lstrip(" \t\r\n,").startswith(")"):
                    yield node.lineno, _BRACKETED_ITEMS


def _refused_at(text: str, version: PythonVersion) -> int | None:
    """The line at which the parser of a version gives up."""
    try:
        ast.parse(text, feature_version=version)
    except SyntaxError as problem:
        return problem.lineno or 1
    return None


def _freely_filled_texts(text: str) -> Iterator[int]:
    """The lines of expressions in texts that hold what once could not stand there: the quotes of the text, line
    breaks, backslashes, comments."""
    start, middle, end = (getattr(tokenize, f"FSTRING_{part}", -1) for part in ("START", "MIDDLE", "END"))
    if start < 0:
        return
    quotes: list[str] = []
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        if token.type == start:
            if quotes and quotes[-1] in token.string:
                yield token.start[0]
            quotes.append(token.string.lstrip("fFrRbBuUtT"))
        elif token.type == end:
            quotes.pop()
        elif quotes and token.type != middle:
            is_long = len(quotes[-1]) > 1
            is_broken = token.type == tokenize.COMMENT or (token.type == tokenize.NL and not is_long)
            if is_broken or quotes[-1] in token.string or "\\" in token.string:
                yield token.start[0]
