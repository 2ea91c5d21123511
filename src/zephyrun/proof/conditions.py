"""Conditions and what they deny: `not a in b` and `a not in b`, `not a == b` and `a != b`.

`in` and `is` have opposites whatever is compared. `==` has one where both sides are plain values, whose
comparison is the built-in one; other classes may answer `!=` as they like.
"""

from __future__ import annotations

import ast

from zephyrun.proof.plain_values import PlainValues

_OPPOSITES: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.In: ast.NotIn, ast.Is: ast.IsNot, ast.NotIn: ast.In, ast.IsNot: ast.Is, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
}
_DENYING = (ast.NotIn, ast.IsNot, ast.NotEq)
_EQUALITY = (ast.Eq, ast.NotEq)


class Conditions:
    """Turns the conditions of one version of a file. `n_equalities` counts those that were turned because both
    sides are plain."""

    def __init__(self, plain: PlainValues) -> None:
        self._plain = plain
        self.n_equalities = 0

    def turn_comparisons(self, tree: ast.Module) -> None:
        """Write each comparison that is denied as the opposite one."""
        _TurnComparisons(self).visit(tree)

    def denied(self, node: ast.expr) -> ast.expr:
        """A condition turned round."""
        positive = self.without_not(node)
        if positive is not None:
            return positive
        if (compared := self.opposite(node)) is not None:
            return compared
        return ast.copy_location(ast.UnaryOp(ast.Not(), node), node)

    def without_not(self, node: ast.expr) -> ast.expr | None:
        """What a condition denies; `None` for one that denies nothing."""
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            return node.operand
        is_denying = isinstance(node, ast.Compare) and isinstance(node.ops[0], _DENYING)
        return self.opposite(node) if is_denying else None

    def opposite(self, node: ast.expr) -> ast.Compare | None:
        """A comparison with the opposite operator, changed in place; `None` where there is none."""
        if not isinstance(node, ast.Compare) or len(node.ops) != 1:
            return None
        sort = _OPPOSITES.get(type(node.ops[0]))
        if sort is None:
            return None
        if isinstance(node.ops[0], _EQUALITY):
            if None in map(self._plain.kind, (node.left, node.comparators[0])):
                return None
            self.n_equalities += 1
        node.ops = [sort()]
        return node


class _TurnComparisons(ast.NodeTransformer):
    def __init__(self, conditions: Conditions) -> None:
        self._conditions = conditions

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.expr:
        self.generic_visit(node)
        if isinstance(node.op, ast.Not) and (compared := self._conditions.opposite(node.operand)) is not None:
            return compared
        return node
