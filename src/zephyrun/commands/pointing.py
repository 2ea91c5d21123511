"""What `rename` and `references` have in common: a project, and the thing that a person points at."""

from __future__ import annotations

import argparse
from dataclasses import dataclass
from pathlib import Path

from zephyrun.commands.positions import POSITION, offset_in
from zephyrun.commands.worlds import world_of
from zephyrun.errors import UserError
from zephyrun.linking.linkage import Content
from zephyrun.linking.targets import FixedTarget, NoTarget, target_at, target_named
from zephyrun.linking.usage import Target
from zephyrun.linking.values import Evaluator
from zephyrun.project.discovery import read_content, read_project
from zephyrun.project.kept_facts import KeptFacts
from zephyrun.project.roots import find_root_around, for_people, relative_to_root
from zephyrun.project.settings import Settings, read_settings
from zephyrun.proof.renames import World
from zephyrun.source import SourceText


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
    match = POSITION.fullmatch(text)
    path = Path(match["path"]) if match is not None else Path(".")
    if match is not None and not path.is_file():
        raise UserError(f"{path} is no file; give path:line:column or a dotted name")
    root = find_root_around(path)
    settings = read_settings(root)
    contents = read_project(root)
    kept_facts = KeptFacts(root)
    kept_facts.recall_glances(contents.values())
    world = world_of(root, settings, kept_facts)
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


def _offset(evaluator: Evaluator, path: str, line: int, column: int, text: str) -> int:
    file = evaluator.linkage.file(path)
    if file is None:
        raise UserError(f"{text}: the file cannot be read as Python")
    return offset_in(file.source, line, column, text)


def offset_at(pointed: PointedAt, text: str) -> tuple[str, int]:
    """The path and offset of a `path:line:column` in the project. Errors: `UserError`."""
    match = POSITION.fullmatch(text)
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
