"""Where the value of a name goes on to something that may keep it, so that it has another name from there on.

To go through a value, to look into it or to ask whether there is one keeps nothing. Arguments of calls are not
told here: what becomes of those depends on what is called.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator
from typing import NamedTuple

# What a collection is told to take, and at which place of the call; what spreads all that it is handed.
# Source: library reference, "Built-in Types", `collections.deque`.
TAKING_ONE = {"append": 0, "add": 0, "appendleft": 0, "insert": 1, "setdefault": 1}
TAKING_ALL = frozenset({"extend", "extendleft", "update"})
TAKING = frozenset({*TAKING_ONE, *TAKING_ALL})

# Which parts of an expression or statement are only gone through, looked into or tested.
_ONLY_READ: dict[type[ast.AST], tuple[str, ...]] = {
    ast.Subscript: ("value",),
    ast.Compare: ("left", "comparators"),
    ast.BinOp: ("left", "right"),
    ast.UnaryOp: ("operand",),
    ast.IfExp: ("test",),
    ast.comprehension: ("iter", "ifs"),
    ast.FormattedValue: ("value",),
    ast.YieldFrom: ("value",),
    ast.Expr: ("value",),
    ast.AugAssign: ("value",),
    ast.For: ("iter",),
    ast.AsyncFor: ("iter",),
    ast.If: ("test",),
    ast.While: ("test",),
    ast.Assert: ("test", "msg"),
    ast.Starred: ("value",),
    ast.Call: ("func",),
    ast.Slice: ("lower", "upper", "step"),
}
# Expressions that give one of their parts, so that these go on where they do.
_PASSING = (ast.BoolOp, ast.IfExp)


class GoingOn(NamedTuple):
    """The ends of all names, with or without a dot, whose value goes on; of those among them that are returned,
    and of those that are given to an attribute, as they are or as one of several choices, and no more. Beside
    these, the ends of names that operators are given."""

    ends: frozenset[int]
    returned: frozenset[int]
    moved: frozenset[int]
    operands: frozenset[int]


def find_going_on(tree: ast.AST, end_of: Callable[[ast.AST], int]) -> GoingOn:
    """Where values go on in a tree."""
    ends: set[int] = set()
    returned: set[int] = set()
    moved: set[int] = set()
    operands: set[int] = set()
    todo: list[tuple[ast.AST, bool]] = [(tree, False)]
    while todo:
        node, goes_on = todo.pop()
        if isinstance(node, ast.Name | ast.Attribute) and isinstance(node.ctx, ast.Load):
            if goes_on:
                ends.add(end_of(node))
        elif isinstance(node, ast.Return) and isinstance(node.value, ast.Name):
            returned.add(end_of(node.value))
        elif isinstance(node, ast.Assign):
            if len(node.targets) == 1 and isinstance(node.targets[0], ast.Attribute):
                moved.update(end_of(part) for part in _choices(node.value) if isinstance(part, ast.Name))
        elif isinstance(node, ast.BinOp | ast.Compare | ast.AugAssign):
            operands.update(map(end_of, filter(_is_nameable, _operands(node))))
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in TAKING:
            # What is put into it there is told of by itself.
            todo.append((node.func.value, not _is_nameable(node.func.value)))
            todo += ((part, _is_worked_out(part)) for part in node.args)
            todo += ((part, False) for part in node.keywords)
        elif isinstance(node, ast.Subscript) and not isinstance(node.ctx, ast.Load):
            todo += ((node.value, not _is_nameable(node.value)), (node.slice, True))
        elif isinstance(node, ast.Attribute):
            todo.append((node.value, node.attr in TAKING or node.attr.startswith("__")))
        else:
            todo += _parts(node, goes_on)
    return GoingOn(*map(frozenset, (ends, returned, moved, operands)))


def _parts(node: ast.AST, goes_on: bool) -> Iterator[tuple[ast.AST, bool]]:
    if isinstance(node, ast.Dict):
        yield from ((key, True) for key in node.keys if key is not None)
        # What is spread out there has no key.
        yield from ((value, key is not None) for key, value in zip(node.keys, node.values, strict=True))
        return
    only_read = _ONLY_READ.get(type(node), ())
    kept = _kept_by_itself(node)
    for field, value in ast.iter_fields(node):
        for part in value if isinstance(value, list) else (value,):
            if isinstance(part, ast.AST):
                if field in only_read or part is kept:
                    yield part, False
                elif isinstance(node, _PASSING):
                    yield part, goes_on
                else:
                    yield part, not isinstance(node, ast.Call | ast.keyword) or _is_worked_out(part)


def _is_worked_out(argument: ast.AST) -> bool:
    """Whether an argument is more than a name, which is told of where arguments are."""
    return not isinstance(argument, ast.Name | ast.Attribute | ast.Starred)


def _kept_by_itself(node: ast.AST) -> ast.AST | None:
    """The value of an assignment that may only give a name what it has (`hives = hives or []`)."""
    if not isinstance(node, ast.Assign) or len(node.targets) != 1 or not isinstance(node.targets[0], ast.Name):
        return None
    name, parts = node.targets[0].id, _choices(node.value)
    others = [part for part in parts if not (isinstance(part, ast.Name) and part.id == name)]
    return None if any(map(_is_nameable, others)) or len(parts) == 1 else node.value


def _operands(node: ast.BinOp | ast.Compare | ast.AugAssign) -> list[ast.expr]:
    if isinstance(node, ast.BinOp):
        return [node.left, node.right]
    return [node.left, *node.comparators] if isinstance(node, ast.Compare) else [node.value]


def _choices(node: ast.expr) -> list[ast.expr]:
    """The expressions of which a value is one (`hives or []`)."""
    if isinstance(node, ast.BoolOp):
        return node.values
    return [node.body, node.orelse] if isinstance(node, ast.IfExp) else [node]


def _is_nameable(node: ast.AST) -> bool:
    return isinstance(node, ast.Name | ast.Attribute)
