"""Variables that only explain: `is_heavy = hive.kg > 30`, and then `if is_heavy:`.

Such a variable can be folded into the one place that reads it where nobody can tell: its value is plain, so that it
dies without a trace, its one reader is the next statement, which reads it once, always, and before it does anything else.
What only stands behind an `and`, in a loop's condition or in a function inside is read later, or never.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import Any, NamedTuple

from zephyrun.facts import Role
from zephyrun.languages.python import ParsedFile
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.proof.plain_values import PlainValues

OPERATORS_ASSUMPTION = "comparison and arithmetic operators are not overloaded against their meaning"

_QUIET = (
    ast.Compare, ast.cmpop, ast.BoolOp, ast.boolop, ast.UnaryOp, ast.unaryop, ast.BinOp, ast.operator, ast.Load,
    ast.Constant,
)


class Slot(NamedTuple):
    """The place in a tree at which an expression stands; in a list, which one it is, else -1."""

    parent: Any
    field: str
    place: int

    def name(self) -> ast.Name:
        """The name that stands there."""
        value = getattr(self.parent, self.field)
        found = value if self.place < 0 else value[self.place]
        assert isinstance(found, ast.Name), "a variable is read there"
        return found

    def put(self, expression: ast.expr) -> None:
        """Let another expression stand there."""
        if self.place < 0:
            setattr(self.parent, self.field, expression)
        else:
            getattr(self.parent, self.field)[self.place] = expression


class Explaining:
    """Finds where the variables of one file that only explain are read."""

    def __init__(self, parsed: ParsedFile, plain: PlainValues) -> None:
        self._parsed = parsed
        self._plain = plain

    def reader(self, first: ast.stmt, second: object) -> tuple[ast.Name, Slot] | None:
        """The variable that one statement sets, and the place in the next one that reads it; `None` where the
        variable could not be folded into that."""
        if not isinstance(first, ast.Assign) or len(first.targets) > 1 or not isinstance(second, ast.stmt):
            return None
        target = first.targets[0]
        if not isinstance(target, ast.Name) or self._plain.kind(first.value) is None:
            return None
        reads = [each for each in nodes_in(second) if isinstance(each, ast.Name) and each.id == target.id]
        if len(reads) != 1 or not isinstance(reads[0].ctx, ast.Load):
            return None
        if isinstance(second, ast.Expr) and second.value is reads[0]:
            # A text by itself would be documentation.
            return None
        slot = self._first_read(second, reads[0], is_quiet=self._is_quiet(first.value))
        return (target, slot) if slot is not None else None

    # -- the value ---------------------------------------------------------------------------

    def _is_quiet(self, value: ast.expr) -> bool:
        """Whether to work a value out calls nothing and looks nothing up but what a function was given."""
        return all(
            isinstance(each, _QUIET) or (isinstance(each, ast.Name) and self.is_given(each))
            for each in nodes_in(value)
        )

    # -- the reader --------------------------------------------------------------------------

    def _first_read(self, node: ast.AST, read: ast.Name, *, is_quiet: bool) -> Slot | None:
        """Where a name is read, if all that comes before it does nothing that could be told apart."""
        for slot, child in _evaluated(node):
            if child is read:
                return slot
            if any(each is read for each in nodes_in(child)):
                return self._first_read(child, read, is_quiet=is_quiet)
            if not self._does_nothing(child, is_quiet=is_quiet):
                return None
        return None

    def _does_nothing(self, node: ast.AST, *, is_quiet: bool) -> bool:
        """Whether it does not matter if something is evaluated before or after the value."""
        if isinstance(node, ast.Constant):
            return True
        if not isinstance(node, ast.Name):
            return False
        return self.is_given(node) or (is_quiet and self._plain.is_builtin(node))

    # -- names -------------------------------------------------------------------------------

    def is_given(self, name: ast.Name) -> bool:
        """Whether a name is a parameter that nothing but its own function can set or delete."""
        facts, binding = self._parsed.facts, self._parsed.binding_of(name)
        roles = facts.roles(binding)
        return Role.PARAMETER in roles and roles <= {Role.PARAMETER, Role.READ} and not facts.bindings[binding].outside


# The fields of a node that are evaluated always and once, in order, where that is not all of them.
_ALWAYS: dict[type[ast.AST], tuple[str, ...]] = {
    ast.Return: ("value",), ast.Expr: ("value",), ast.Assign: ("value",), ast.AugAssign: (), ast.AnnAssign: ("value",),
    ast.If: ("test",), ast.For: ("iter",), ast.AsyncFor: ("iter",), ast.Raise: ("exc", "cause"),
    ast.Match: ("subject",), ast.IfExp: ("test",), ast.BinOp: ("left", "right"), ast.UnaryOp: ("operand",),
    ast.Call: ("func", "args", "keywords"), ast.keyword: ("value",), ast.Attribute: ("value",), ast.Subscript: ("value", "slice"),
    ast.Starred: ("value",), ast.Tuple: ("elts",), ast.List: ("elts",), ast.Set: ("elts",), ast.Await: ("value",),
    ast.Yield: ("value",), ast.NamedExpr: ("value",), ast.FormattedValue: ("value",), ast.JoinedStr: ("values",),
    ast.Slice: ("lower", "upper", "step"),
}


def _evaluated(node: ast.AST) -> Iterator[tuple[Slot, ast.AST]]:
    """What is evaluated always and once when a node is, in order, as far as that is sure."""
    if isinstance(node, ast.Compare):
        yield Slot(node, "left", -1), node.left
        yield Slot(node, "comparators", 0), node.comparators[0]
    elif isinstance(node, ast.BoolOp):
        yield Slot(node, "values", 0), node.values[0]
    for field in _ALWAYS.get(type(node), ()):
        value = getattr(node, field)
        if isinstance(value, list):
            for index, each in enumerate(value):
                yield Slot(node, field, index), each
        elif isinstance(value, ast.AST):
            yield Slot(node, field, -1), value
