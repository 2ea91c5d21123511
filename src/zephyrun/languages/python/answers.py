"""What functions give back, as far as their own text says so."""

from __future__ import annotations

import ast
from collections.abc import Iterable
from enum import StrEnum
from typing import NamedTuple

FunctionNode = ast.FunctionDef | ast.AsyncFunctionDef

_BOOLEAN_CALLS = frozenset(
    """bool isinstance issubclass callable hasattr any all startswith endswith isdigit isalpha isalnum isspace
    isupper islower isidentifier isnumeric isdecimal istitle exists is_file is_dir is_absolute isfile isdir isabs
    islink issubset issuperset isdisjoint""".split()
)
_VALUE_CALLS = frozenset("len str int float list dict set tuple sorted sum join split format strip repr".split())
_DISPLAYS = (
    ast.List, ast.Dict, ast.Set, ast.Tuple, ast.JoinedStr, ast.BinOp, ast.ListComp, ast.SetComp, ast.DictComp,
    ast.GeneratorExp, ast.Lambda,
)


class Given(StrEnum):
    """What sort of thing a `return` gives."""

    NOTHING = "nothing"
    BOOLEAN = "a yes or no"
    # No and yes in older code; a count or an exit code in other code.
    ZERO_OR_ONE = "0 or 1"
    VALUE = "a value"
    UNKNOWN = "something"


class Answer(NamedTuple):
    """What a function gives back. `start` is where its name stands; `is_stub` where it does nothing but raise,
    pass or return, or raises at its end; a generator gives what it yields."""

    name: str
    start: int
    given: frozenset[Given]
    is_generator: bool
    is_stub: bool
    is_decorated: bool


def answer_of(node: FunctionNode, start: int, returns: Iterable[ast.Return], *, is_generator: bool) -> Answer:
    """What a function gives back whose name stands at `start`, and whose own `return` statements these are."""
    body = [each for each in node.body if not is_documentation(each)]
    return Answer(
        node.name,
        start,
        frozenset(given_by(each.value) for each in returns),
        is_generator,
        all(_does_nothing(each) for each in body) or isinstance(body[-1], ast.Raise),
        bool(node.decorator_list),
    )


def given_by(value: ast.expr | None) -> Given:
    """What sort of thing a `return` of a value gives."""
    if value is None:
        return Given.NOTHING
    if isinstance(value, ast.Constant):
        if value.value is None:
            return Given.NOTHING
        if isinstance(value.value, bool):
            return Given.BOOLEAN
        return Given.ZERO_OR_ONE if isinstance(value.value, int) and value.value in (0, 1) else Given.VALUE
    if isinstance(value, ast.Compare):
        return Given.BOOLEAN
    if isinstance(value, ast.UnaryOp):
        return Given.BOOLEAN if isinstance(value.op, ast.Not) else Given.VALUE
    if isinstance(value, ast.BoolOp):
        parts = set(map(given_by, value.values))
        return Given.BOOLEAN if parts == {Given.BOOLEAN} else Given.UNKNOWN
    if isinstance(value, ast.IfExp):
        parts = {given_by(value.body), given_by(value.orelse)}
        return parts.pop() if len(parts) == 1 else Given.UNKNOWN
    if isinstance(value, _DISPLAYS):
        return Given.VALUE
    if isinstance(value, ast.Call):
        callee = value.func
        name = callee.attr if isinstance(callee, ast.Attribute) else getattr(callee, "id", "")
        if name in _BOOLEAN_CALLS:
            return Given.BOOLEAN
        return Given.VALUE if name in _VALUE_CALLS and isinstance(callee, ast.Name) else Given.UNKNOWN
    return Given.UNKNOWN


def is_documentation(node: ast.stmt) -> bool:
    """Whether a statement is a text by itself, as documentation is."""
    return isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str)


def _does_nothing(node: ast.stmt) -> bool:
    """Whether a statement only stands for what others will do."""
    if isinstance(node, ast.Return):
        return node.value is None or (isinstance(node.value, ast.Constant) and node.value.value is None)
    if isinstance(node, ast.Expr):
        return isinstance(node.value, ast.Constant) and node.value.value is ...
    return isinstance(node, ast.Pass | ast.Raise)
