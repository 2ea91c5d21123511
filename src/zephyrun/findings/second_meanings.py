"""One name for two things: a variable that is given one, used, and given another of which the first tells nothing."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import replace
from math import log2
from typing import NamedTuple

from zephyrun.facts import Context, ContextSort, Role
from zephyrun.findings.about_names import about_variable, lines_of, spelling_of
from zephyrun.findings.finding import FileView, Finding, Remedy
from zephyrun.findings.made_values import sort_made, with_article
from zephyrun.patterns import lazy_pattern

_BLOCKS = ("body", "orelse", "finalbody")
_NUMBER = lazy_pattern(r"=\d[\d.]*")
# 0 and 1 may stand for yes and no.
_NUMBERS_THAT_ANSWER = ("=0", "=1")
_OF_CALLS = {"len": "number", "sum": "number", "int": "number", "float": "number", "sorted": "list"}
_ALIKE = {"int": "number", "float": "number"}
_MUDDLE = 0.7


class _Given(NamedTuple):
    """An assignment of a variable: where it stands, where its value begins, and what sort of thing that is; "" if unknown."""

    start: int
    value_start: int
    end: int
    sort: str


def find_second_meanings(view: FileView) -> Iterator[Finding]:
    """Variables of functions that are given things of two sorts, one behind the other, where no branch lies between."""
    sorts = {binding: made for binding in view.variables_to_name if len(set((made := _sorts_made(view, binding)).values())) > 1}
    found: set[int] = set()
    for block in _blocks(view.parsed.tree) if sorts else ():
        last: dict[int, _Given] = {}
        for statement in block:
            binding = _binding_given(view, statement)
            if binding in sorts:
                given = _given(view, statement, sorts[binding])
                before = last.get(binding)
                if before is not None and binding not in found and _is_another(view, binding, before, given, block[-1]):
                    found.add(binding)
                    yield _finding(view, binding, before, given)
                last[binding] = given


def _sorts_made(view: FileView, binding: int) -> dict[int, str]:
    """What sorts of things a variable is given, by where their values begin; hardly any is given two."""
    found: dict[int, str] = {}
    for each in view.contexts.by_binding.get(binding, ()):
        if sort := _sort_of(each):
            found.setdefault(each.start, sort)
    return found


def _sort_of(context: Context) -> str:
    """What sort of thing a context says that a variable is given, "" where it does not."""
    if context.sort is ContextSort.FROM_CALL and context.name in _OF_CALLS:
        return _OF_CALLS[context.name]
    if context.sort is ContextSort.FROM_LITERAL and _NUMBER.fullmatch(context.name):
        return "" if context.name in _NUMBERS_THAT_ANSWER else "number"
    sort = sort_made(context) or ""
    return _ALIKE.get(sort, sort)


def _blocks(tree: ast.Module) -> Iterator[list[ast.stmt]]:
    for node in ast.walk(tree):
        for name in _BLOCKS:
            block = getattr(node, name, None)
            if isinstance(block, list) and block:
                yield block


def _binding_given(view: FileView, statement: ast.stmt) -> int:
    """The variable that a statement gives a value and does nothing else with, -1 if none."""
    if isinstance(statement, ast.Assign) and len(statement.targets) == 1 and isinstance(statement.targets[0], ast.Name):
        return view.parsed.binding_of(statement.targets[0])
    return -1


def _given(view: FileView, statement: ast.stmt, sorts: dict[int, str]) -> _Given:
    assert isinstance(statement, ast.Assign), "it gives a variable a value"
    value_start = view.parsed.start_of(statement.value)
    end = view.parsed.end_of(statement)
    return _Given(view.parsed.start_of(statement), value_start, end, sorts.get(value_start, ""))


def _is_another(view: FileView, binding: int, before: _Given, after: _Given, last: ast.stmt) -> bool:
    """Whether two assignments give things of two sorts, each of which is used, and the second is not made of the first."""
    if not before.sort or not after.sort or before.sort == after.sort:
        return False
    references = [view.facts.references[index] for index in view.facts.bindings[binding].references]
    between = [each.role for each in references if before.end <= each.start < after.start]
    made_of = [each for each in references if after.value_start <= each.start < after.end]
    behind = [each.role for each in references if after.end <= each.start < view.parsed.end_of(last)]
    return Role.READ in between and set(between) == {Role.READ} and not made_of and Role.READ in behind


def _finding(view: FileView, binding: int, before: _Given, after: _Given) -> Finding:
    first, last = lines_of(view, binding)
    spelling = spelling_of(view, binding)
    line = view.source.line_of(before.start)
    message = f"`{spelling}` is another thing from here on: {with_article(after.sort)}, and {with_article(before.sort)} since line {line}."
    told = about_variable(view, binding, "muddled-names", message, _MUDDLE * (1 + log2(2 + last - first)), suggestions=())
    start, end = view.source.place(after.start), view.source.place(after.start + len(spelling))
    # No one name would do: each of the two needs its own.
    return replace(told, start=start, end=end, message=message, remedy=Remedy.NONE, confirm=())
