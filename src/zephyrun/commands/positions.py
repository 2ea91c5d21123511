"""Places that people point at as `path:line:column`; light, for commands that need no linked project."""

from __future__ import annotations

import argparse
from pathlib import Path

from zephyrun.commands import NOT_SO, options
from zephyrun.errors import UserError
from zephyrun.patterns import lazy_pattern
from zephyrun.reports.lines import wrapped_line
from zephyrun.source import SourceText

POSITION = lazy_pattern(r"(?P<path>.+):(?P<line>\d+):(?P<column>\d+)")


def parse_position(text: str) -> tuple[Path, int, int]:
    """The path, line and column that `text` names. Errors: `UserError`."""
    match = POSITION.fullmatch(text)
    if match is None:
        raise UserError(f"{text}: give path:line:column")
    path = Path(match["path"])
    if not path.is_file():
        raise UserError(f"{path} is no file; give path:line:column")
    return path, int(match["line"]), int(match["column"])


def offset_in(source: SourceText, line: int, column: int, text: str) -> int:
    """The offset of a 1-based line and column in a file; `text` names the place. Errors: `UserError`."""
    if not 1 <= line <= source.n_lines:
        raise UserError(f"{text}: the file has {source.n_lines} lines; lines and columns count from 1")
    if not 1 <= column <= len(source.line(line)) + 1:
        raise UserError(f"{text}: line {line} has {len(source.line(line))} columns, counted from 1")
    return source.line_starts[line - 1] + column - 1


def refuse(reason: str, schema: str, arguments: argparse.Namespace) -> int:
    """Say why nothing can be done with what is pointed at; the exit code."""
    if arguments.format == "json":
        options.print_document({"schema": schema, "done": False, "refused": [reason]})
    else:
        screen = options.Screen(arguments.color, to_errors=True)
        screen.print(wrapped_line(("refused  ", "bold red"), reason))
    return NOT_SO
