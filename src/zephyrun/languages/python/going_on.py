"""Where the value of a name goes on to something that may keep it, so that it has another name from there on.

To go through a value, to look into it or to ask whether there is one keeps nothing. Arguments of calls are not
told here: what becomes of those depends on what is called.
"""

from __future__ import annotations

import ast
from collections.abc import Callable
from typing import Any, NamedTuple

# What a collection is told to take, and at which place of the call; what spreads all that it is handed.
# Source: library reference, "Built-in Types", `collections.deque`.
TAKING_ONE = {"append": 0, "add": 0, "appendleft": 0, "insert": 1, "setdefault": 1}
TAKING_ALL = frozenset({"extend", "extendleft", "update"})
TAKING = frozenset({*TAKING_ONE, *TAKING_ALL})

# Which parts of an expression or statement are only gone through, looked into or tested; the others go on.
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
    ast.Slice: ("lower", "upper", "step"),
}
# Expressions that give one of their parts, so that these go on where they do.
_PASSING = {ast.BoolOp: ("values",), ast.IfExp: ("body", "orelse")}
_WITHOUT_VALUES = frozenset({"ctx", "op", "ops", "type_comment", "type_ignores", "id", "attr", "arg", "names", "name", "kwd_attrs"})


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
    reader = _Reader(end_of)
    reader.read(tree)
    return GoingOn(*map(frozenset, (reader.ends, reader.returned, reader.moved, reader.operands)))


class _Reader:
    """Goes through a tree; every file pays for it, so it makes no more steps than it must."""

    def __init__(self, end_of: Callable[[ast.AST], int]) -> None:
        self._end_of = end_of
        self.ends: set[int] = set()
        self.returned: set[int] = set()
        self.moved: set[int] = set()
        self.operands: set[int] = set()
        self._plans: dict[type[ast.AST], tuple[tuple[str, bool | None], ...]] = {}
        self._todo: list[tuple[ast.AST, bool]] = []
        self._rules: dict[type[ast.AST], Callable[[Any, bool], None]] = {
            ast.Attribute: self._read_attribute,
            ast.Call: self._read_call,
            ast.keyword: lambda node, _: self._give(node.value, _is_worked_out(node.value)),
            ast.Dict: self._read_dict,
            ast.Subscript: self._read_subscript,
            ast.Assign: self._read_assignment,
            ast.Return: self._read_return,
            ast.BinOp: self._read_operation,
            ast.Compare: self._read_operation,
            ast.AugAssign: self._read_operation,
        }

    def read(self, tree: ast.AST) -> None:
        """Gather everything below a node."""
        self._todo.append((tree, False))
        while self._todo:
            node, goes_on = self._todo.pop()
            self._rules.get(type(node), self._read_parts)(node, goes_on)

    def _give(self, node: ast.AST | None, goes_on: bool) -> None:
        kind = type(node)
        if kind is ast.Name:
            if goes_on and isinstance(node.ctx, ast.Load):  # type: ignore[union-attr]
                self.ends.add(self._end_of(node))  # type: ignore[arg-type]
        elif node is not None and kind is not ast.Constant:
            self._todo.append((node, goes_on))

    def _read_parts(self, node: ast.AST, goes_on: bool) -> None:
        kind = type(node)
        plan = self._plans.get(kind)
        if plan is None:
            plan = self._plans[kind] = _plan_of(kind)
        for field, how in plan:
            value = getattr(node, field, None)
            on = goes_on if how is None else how
            if isinstance(value, list):
                for part in value:
                    self._give(part, on)
            elif isinstance(value, ast.AST):
                self._give(value, on)

    def _read_attribute(self, node: ast.Attribute, goes_on: bool) -> None:
        if goes_on and isinstance(node.ctx, ast.Load):
            self.ends.add(self._end_of(node))
        # What changes a collection, taken as a value, does so wherever it is called.
        self._give(node.value, node.attr in TAKING or node.attr.startswith("__"))

    def _read_call(self, node: ast.Call, _: bool) -> None:
        if isinstance(node.func, ast.Attribute) and node.func.attr in TAKING:
            # What is put into it there is told of by itself.
            self._give(node.func.value, not _is_nameable(node.func.value))
        else:
            self._give(node.func, False)
        for argument in node.args:
            self._give(argument, _is_worked_out(argument))
        for keyword in node.keywords:
            self._todo.append((keyword, False))

    def _read_dict(self, node: ast.Dict, _: bool) -> None:
        for key, value in zip(node.keys, node.values, strict=True):
            self._give(key, True)
            # What is spread out there has no key.
            self._give(value, key is not None)

    def _read_subscript(self, node: ast.Subscript, _: bool) -> None:
        is_changed = not isinstance(node.ctx, ast.Load)
        self._give(node.value, is_changed and not _is_nameable(node.value))
        self._give(node.slice, True)

    def _read_assignment(self, node: ast.Assign, _: bool) -> None:
        if len(node.targets) == 1 and isinstance(node.targets[0], ast.Attribute):
            self.moved.update(self._end_of(part) for part in _choices(node.value) if isinstance(part, ast.Name))
        for target in node.targets:
            self._give(target, True)
        self._give(node.value, not _keeps_itself(node))

    def _read_return(self, node: ast.Return, _: bool) -> None:
        if isinstance(node.value, ast.Name):
            self.returned.add(self._end_of(node.value))
        self._give(node.value, True)

    def _read_operation(self, node: ast.BinOp | ast.Compare | ast.AugAssign, goes_on: bool) -> None:
        self.operands.update(map(self._end_of, filter(_is_nameable, _operands(node))))
        self._read_parts(node, goes_on)


def _plan_of(kind: type[ast.AST]) -> tuple[tuple[str, bool | None], ...]:
    """The fields of a kind of node, and whether what stands there goes on; `None` where it does as the node does."""
    only_read, passing = _ONLY_READ.get(kind, ()), _PASSING.get(kind, ())
    return tuple(
        (field, None if field in passing else field not in only_read)
        for field in kind._fields
        if field not in _WITHOUT_VALUES
    )


def _is_worked_out(argument: ast.AST) -> bool:
    """Whether an argument is more than a name, which is told of where arguments are."""
    return not isinstance(argument, ast.Name | ast.Attribute | ast.Starred)


def _keeps_itself(node: ast.Assign) -> bool:
    """Whether an assignment may only give a name what it has (`hives = hives or []`)."""
    if len(node.targets) != 1 or not isinstance(node.targets[0], ast.Name):
        return False
    name, parts = node.targets[0].id, _choices(node.value)
    others = [part for part in parts if not (isinstance(part, ast.Name) and part.id == name)]
    return len(parts) > 1 and not any(map(_is_nameable, others))


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
