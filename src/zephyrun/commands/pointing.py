"""What `rename` and `references` have in common: a project, and the thing that a person points at."""

from __future__ import annotations

import argparse
import re
from dataclasses import dataclass
from pathlib import Path

from zephyrun.commands import NOT_SO, options
from zephyrun.errors import UserError
from zephyrun.linking.linkage import Content
from zephyrun.linking.targets import FixedTarget, NoTarget, target_at, target_named
from zephyrun.linking.usage import Target
from zephyrun.linking.values import Evaluator
from zephyrun.project.audience import is_library
from zephyrun.project.discovery import read_content, read_project
from zephyrun.project.kept_facts import KeptFacts
from zephyrun.project.library import read_library
from zephyrun.project.roots import find_root, for_people, relative_to_root
from zephyrun.project.settings import Settings, read_settings
from zephyrun.proof.renames import World
from zephyrun.reports.lines import wrapped_line
from zephyrun.source import SourceText

_POSITION = re.compile(r"(?P<path>.+):(?P<line>\d+):(?P<column>\d+)")


class Fixed(Exception):
    """What is pointed at has to keep its name; the message says why."""


@dataclass(frozen=True)
class PointedAt:
    """A project, read, and the thing in it that a person points at."""

    root: Path
    settings: Settings
    contents: dict[str, Content]
    world: World
    evaluator: Evaluator
    target: Target
    kept_facts: KeptFacts


def add_target(parser: argparse.ArgumentParser) -> None:
    """What is pointed at."""
    parser.add_argument(
        "target",
        metavar="TARGET",
        help="path:line:column of any place where the name stands, or a dotted name "
        "(hive.log.read_rows)",
    )


def point_at(text: str) -> PointedAt:
    """Read the project and find what `text` points at. Errors: `UserError`, `Fixed`."""
    match = _POSITION.fullmatch(text)
    path = Path(match["path"]) if match is not None else Path(".")
    if match is not None and not path.is_file():
        raise UserError(f"{path} is no file; give path:line:column or a dotted name")
    root = find_root([path])
    settings = read_settings(root)
    contents = read_project(root)
    kept_facts = KeptFacts(root)
    world = World(
        settings.import_roots,
        settings.harmless_decorators,
        read_library,
        is_library(root, settings),
        memory=kept_facts,
    )
    if match is not None:
        name = relative_to_root(path, root)
        contents.setdefault(name, read_content(path.resolve()))
    evaluator = world.evaluator(contents)
    try:
        if match is None:
            target = target_named(evaluator, text)
        else:
            offset = _offset(evaluator, name, int(match["line"]), int(match["column"]), text)
            target = target_at(evaluator, name, offset)
    except FixedTarget as problem:
        raise Fixed(f"{text}: {problem}") from problem
    except NoTarget as problem:
        raise UserError(f"{text}: {problem}") from problem
    return PointedAt(root, settings, contents, world, evaluator, target, kept_facts)


def parse_position(text: str) -> tuple[Path, int, int]:
    """The path, line and column that `text` names. Errors: `UserError`."""
    match = _POSITION.fullmatch(text)
    if match is None:
        raise UserError(f"{text}: give path:line:column")
    path = Path(match["path"])
    if not path.is_file():
        raise UserError(f"{path} is no file; give path:line:column")
    return path, int(match["line"]), int(match["column"])


def _offset(evaluator: Evaluator, path: str, line: int, column: int, text: str) -> int:
    file = evaluator.linkage.file(path)
    if file is None:
        raise UserError(f"{text}: the file cannot be read as Python")
    return offset_in(file.source, line, column, text)


def offset_in(source: SourceText, line: int, column: int, text: str) -> int:
    """The offset of a 1-based line and column in a file; `text` names the place. Errors: `UserError`."""
    if not 1 <= line <= source.n_lines:
        raise UserError(f"{text}: the file has {source.n_lines} lines; lines and columns count from 1")
    if not 1 <= column <= len(source.line(line)) + 1:
        raise UserError(f"{text}: line {line} has {len(source.line(line))} columns, counted from 1")
    return source.line_starts[line - 1] + column - 1


def offset_at(pointed: PointedAt, text: str) -> tuple[str, int]:
    """The path and offset of a `path:line:column` in the project. Errors: `UserError`."""
    match = _POSITION.fullmatch(text)
    if match is None:
        raise UserError(f"{text}: give path:line:column")
    try:
        name = relative_to_root(Path(match["path"]), pointed.root)
    except ValueError as problem:
        raise UserError(f"{text}: the file lies outside the project") from problem
    return name, _offset(pointed.evaluator, name, int(match["line"]), int(match["column"]), text)


def place_of(pointed: PointedAt, path: str, offset: int) -> str:
    """A place as people read it: path:line:column, relative to the working folder."""
    line, column = line_and_column(pointed, path, offset)
    return f"{for_people(pointed.root / path)}:{line}:{column}"


def line_and_column(pointed: PointedAt, path: str, offset: int) -> tuple[int, int]:
    """The 1-based line and column of an offset in a file of the project."""
    data = pointed.contents[path]
    if not isinstance(data, bytes):
        return 1, 1
    place = SourceText.from_bytes(data, strict=False).place(offset)
    return place.line, place.column


def refuse(reason: str, schema: str, arguments: argparse.Namespace) -> int:
    """Say why nothing can be done with what is pointed at; the exit code."""
    if arguments.format == "json":
        options.print_document({"schema": schema, "done": False, "refused": [reason]})
    else:
        screen = options.Screen(arguments.color, to_errors=True)
        screen.print(wrapped_line(("refused  ", "bold red"), reason))
    return NOT_SO
