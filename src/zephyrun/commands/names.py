"""`zephyrun names`: what else something could be called, and what speaks for it."""

from __future__ import annotations

import argparse
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from zephyrun.commands import OK, adviser, options
from zephyrun.commands.positions import offset_in, parse_position, refuse
from zephyrun.commands.project_names import MOST_BYTES, ProjectNames, word_choices
from zephyrun.errors import UserError
from zephyrun.facts import Role
from zephyrun.findings.naming import better_attribute_names, better_names
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse
from zephyrun.languages.python.contexts import NO_BINDING, AttributeContexts, read_contexts
from zephyrun.naming.features import feature_of, is_definition, is_variable
from zephyrun.naming.offers import Derived
from zephyrun.naming.questions import Sort, Suggestion, sort_of
from zephyrun.naming.telling import teller
from zephyrun.patterns import lazy_pattern
from zephyrun.project.discovery import read_content, read_nearest
from zephyrun.project.roots import find_root, for_people, relative_to_root
from zephyrun.project.settings import read_settings
from zephyrun.reports.lines import wrapped_line

if TYPE_CHECKING:
    from zephyrun.linking.linkage import Content

_SCHEMA = "zephyrun.names/1"
_WIDTH_OF_SCORE = 5
_WORD = lazy_pattern(r"[^\W\d]\w*")
_KNOWN = "names are known for variables, parameters, functions, classes and the attributes of `self`"


@dataclass(frozen=True)
class _Pointed:
    """What a person points at: a variable, function or class by its `binding`, or an attribute. `line` and `column`
    are where it stands first."""

    path: str
    parsed: ParsedFile
    binding: int
    name: str
    scope: str
    line: int
    column: int
    attribute: AttributeContexts | None = None


class _NotNamed(Exception):
    """Nothing that is pointed at could have another name; the message says what it is."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument(
        "target", metavar="TARGET", help="path:line:column of any place where the name stands"
    )
    adviser.add_arguments(parser)
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Print names, the likeliest first; nothing is changed."""
    path, line, column = parse_position(arguments.target)
    root = find_root([path])
    settings = read_settings(root)
    name = relative_to_root(path, root)
    try:
        pointed = _point_at(name, read_content(path.resolve()), line, column, arguments.target)
    except _NotNamed as problem:
        return refuse(f"{arguments.target}: {problem}", _SCHEMA, arguments)
    contents: dict[str, Content] = read_nearest(root, name, MOST_BYTES)
    usages = ProjectNames(root, contents, settings, (name,), arguments.jobs).usages({}, {name})
    words = word_choices(root, settings)
    asked = adviser.chosen_adviser(arguments)
    offers = _offers(asked, pointed, contents) if asked is not None else ()
    if pointed.attribute is not None:
        suggestions = better_attribute_names(name, pointed.parsed, pointed.attribute, usages, words, offers)
    else:
        suggestions = better_names(name, pointed.parsed, pointed.binding, usages, words, offers)
    if arguments.format == "json":
        _print_document(root, pointed, suggestions)
    else:
        _print(options.Screen(arguments.color), root, pointed, suggestions)
    return OK


def _point_at(path: str, data: Content, line: int, column: int, told: str) -> _Pointed:
    """What stands at a place. Errors: `UserError` where the place is none, `_NotNamed`."""
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
        return _attribute_at(path, parsed, offset)
    binding = standing[-1].binding
    record = facts.bindings[binding]
    if not is_variable(facts, binding) and not is_definition(facts, binding):
        sort = _sort_of(facts.roles(binding), is_outside=record.outside)
        raise _NotNamed(f"`{record.name}` is {sort}; {_KNOWN}")

    references = [facts.references[each] for each in record.references]
    # A function may be called above where it is written.
    first = next((each for each in references if each.role in (Role.FUNCTION, Role.CLASS)), references[0])
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


def _attribute_at(path: str, parsed: ParsedFile, offset: int) -> _Pointed:
    """The attribute at an offset, of the object whose methods use it there. Errors: `_NotNamed`."""
    source = parsed.source
    word = next((each for each in _WORD.finditer(source.text) if each.start() <= offset <= each.end()), None)
    if word is None:
        raise _NotNamed(f"no name stands there; {_KNOWN}")
    for attribute in read_contexts(parsed, lambda name: name == word[0]).attributes:
        if word.start() in attribute.starts:
            place = source.place(attribute.starts[0])
            scope = parsed.facts.dotted(attribute.class_scope)
            return _Pointed(path, parsed, NO_BINDING, word[0], scope, place.line, place.column, attribute)
    raise _NotNamed(f"`{word[0]}` is none of those here; {_KNOWN}")


def _offers(asked: adviser.Adviser, pointed: _Pointed, contents: Mapping[str, Content]) -> tuple[Derived, ...]:
    """What an adviser calls what is pointed at."""
    data = contents[pointed.path]
    assert isinstance(data, bytes), "it has been read"
    facts, source = pointed.parsed.facts, pointed.parsed.source
    if pointed.attribute is not None:
        contexts, sort = pointed.attribute.contexts, Sort.VARIABLE
    else:
        contexts = read_contexts(pointed.parsed).by_binding.get(pointed.binding, ())
        sort = sort_of(facts.roles(pointed.binding))
    says = [feature_of(each, teller(source)) for each in contexts]
    question = adviser.Asked(pointed.path, pointed.line, pointed.scope, sort, pointed.name, says, facts.names)
    (offers,) = asked.ask([question], {pointed.path: data})
    return offers


def _sort_of(roles: frozenset[Role], *, is_outside: bool) -> str:
    if is_outside:
        return "not of this file"
    return "imported" if Role.IMPORT in roles else "a name that the language gives a meaning"


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
