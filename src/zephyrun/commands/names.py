"""`zephyrun names`: what else a variable could be called, and what speaks for it."""

from __future__ import annotations

import argparse
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from zephyrun.commands import OK, options
from zephyrun.commands.pointing import offset_in, parse_position, refuse
from zephyrun.commands.project_names import ProjectNames
from zephyrun.errors import UserError
from zephyrun.facts import Role
from zephyrun.findings.naming import better_names
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse
from zephyrun.naming.features import is_variable
from zephyrun.naming.questions import Suggestion
from zephyrun.project.discovery import read_content, read_project
from zephyrun.project.roots import find_root, for_people, relative_to_root
from zephyrun.project.settings import read_settings
from zephyrun.reports.lines import wrapped_line

if TYPE_CHECKING:
    from zephyrun.linking.linkage import Content

_SCHEMA = "zephyrun.names/1"
_WIDTH_OF_SCORE = 5


@dataclass(frozen=True)
class _Pointed:
    """A variable at which a person points. `line` and `column` are where it stands first."""

    path: str
    parsed: ParsedFile
    binding: int
    name: str
    scope: str
    line: int
    column: int


class _NoVariable(Exception):
    """What is pointed at is no variable; the message says what it is."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument(
        "target", metavar="TARGET", help="path:line:column of any place where the variable stands"
    )
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Print names, the likeliest first; nothing is changed."""
    path, line, column = parse_position(arguments.target)
    root = find_root([path])
    settings = read_settings(root)
    contents: dict[str, Content] = read_project(root)
    name = relative_to_root(path, root)
    contents.setdefault(name, read_content(path.resolve()))
    try:
        pointed = _point_at(name, contents[name], line, column, arguments.target)
    except _NoVariable as problem:
        return refuse(f"{arguments.target}: {problem}", _SCHEMA, arguments)
    usages = ProjectNames(root, contents, settings, (name,), arguments.jobs).usages({}, {name})
    suggestions = better_names(name, pointed.parsed, pointed.binding, usages)
    if arguments.format == "json":
        _print_document(root, pointed, suggestions)
    else:
        _print(options.Screen(arguments.color), root, pointed, suggestions)
    return OK


def _point_at(path: str, data: Content, line: int, column: int, told: str) -> _Pointed:
    """The variable at a place. Errors: `UserError` where the place is none, `_NoVariable`."""
    if not isinstance(data, bytes):
        raise UserError(f"{told}: {data}")
    try:
        parsed = parse(data)
    except UnreadableSource as problem:
        raise UserError(f"{told}: the file cannot be read as Python: {problem}") from problem

    source, facts = parsed.source, parsed.facts
    offset = offset_in(source, line, column, told)
    around = facts.references_between(source.line_starts[line - 1], offset + 1)
    standing = [facts.references[each] for each in around if facts.references[each].end >= offset]

    if not standing:
        raise _NoVariable("no variable stands there; names are known for variables and parameters")
    binding = standing[-1].binding
    record = facts.bindings[binding]
    if not is_variable(facts, binding):
        sort = _sort_of(facts.roles(binding), is_outside=record.outside)
        raise _NoVariable(f"`{record.name}` is {sort}; names are known for variables and parameters")

    first = facts.references[record.references[0]]
    place = source.place(first.start)
    return _Pointed(
        path,
        parsed,
        binding,
        source.text[first.start : first.end],
        facts.dotted(record.scope),
        place.line,
        place.column,
    )


def _sort_of(roles: frozenset[Role], *, is_outside: bool) -> str:
    if is_outside:
        return "not of this file"
    for role, sort in ((Role.FUNCTION, "a function"), (Role.CLASS, "a class"), (Role.IMPORT, "imported")):
        if role in roles:
            return sort
    return "no plain variable"


def _print_document(root: Path, pointed: _Pointed, suggestions: tuple[Suggestion, ...]) -> None:
    options.print_document(
        {
            "schema": _SCHEMA,
            "root": for_people(root),
            "path": pointed.path,
            "line": pointed.line,
            "column": pointed.column,
            "subject": pointed.name,
            "scope": pointed.scope,
            "suggestions": [each._asdict() for each in suggestions],
        }
    )


def _print(
    screen: options.Screen, root: Path, pointed: _Pointed, suggestions: tuple[Suggestion, ...]
) -> None:
    where = f"{for_people(root / pointed.path)}:{pointed.line}:{pointed.column}"
    inside = f" in {pointed.scope}" if pointed.scope else ""
    screen.print(wrapped_line((pointed.name, "bold"), f"{inside}, ", (where, "cyan")))
    if not suggestions:
        screen.print(f"no better name than {pointed.name} is known here")
        return
    width = max(len(each.text) for each in suggestions)
    for suggestion in suggestions:
        score = f"{suggestion.score:.0%}".rjust(_WIDTH_OF_SCORE)
        first, *further = suggestion.evidence or ("",)
        screen.print(wrapped_line((f"  {score}  ", "dim"), (f"{suggestion.text:<{width}}", "bold green"), f"  {first}"))
        indentation = " " * (2 + _WIDTH_OF_SCORE + 2 + width + 2)
        for more in further:
            screen.print(wrapped_line(f"{indentation}{more}"))
    screen.print(f"next: zephyrun rename {where} {suggestions[0].text}")
