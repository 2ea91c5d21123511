"""Bridges: is a version with them the one without, but for what they add?

Both are parsed by the interpreter. What the bridges should be is rendered and parsed on its own; those
nodes are taken out of both trees, and the rest must be equal.
"""

from __future__ import annotations

import ast
import textwrap
from collections import Counter
from collections.abc import Iterable, Sequence

from zephyrun.linking.bridges import (
    KEYWORD_FUNCTION,
    MODULE_FUNCTION,
    BridgeSort,
    bridges_in_text,
    render,
    render_module_function,
)

OLD_NAMES_WARN = "deprecation warnings on old names"

# The sort, the old and the new name of a bridge.
Kept = tuple[BridgeSort, str, str]


def bridges_difference(plain: str, bridged: str, kept: Sequence[Kept]) -> str | None:
    """What else a text with bridges has than the plain one and what is said to be kept, in one phrase;
    `None` for nothing."""
    there = [(each.sort, each.old, each.new) for each in bridges_in_text(plain)]
    try:
        before, after = ast.parse(plain), ast.parse(bridged)
    except (SyntaxError, ValueError, RecursionError, MemoryError) as problem:
        return f"the text with bridges is no code: {problem}"
    without = _WithoutBridges(there)
    without.visit(before)
    with_more = _WithoutBridges([*there, *kept])
    with_more.visit(after)
    if with_more.n_found - without.n_found != Counter(kept):
        return "a bridge is not where it should be"
    if ast.dump(before) != ast.dump(after):
        return "more than bridges has changed"
    return None


class _WithoutBridges(ast.NodeTransformer):
    """Takes bridges out of a tree and counts them."""

    def __init__(self, bridges: Iterable[Kept]) -> None:
        self.n_found: Counter[Kept] = Counter()
        self._helper = _dumps(KEYWORD_FUNCTION)[0]
        empty = ast.parse(render_module_function("    pass\n")).body[0]
        assert isinstance(empty, ast.FunctionDef), "it was rendered so"
        self._head = [ast.dump(each) for each in (*empty.body[:2], empty.body[-1])]
        # The first statement of each bridge is what it is told by; the others go with it.
        self._expected: dict[str, tuple[Kept, ...]] = {}
        for each in dict.fromkeys(bridges):
            sort, old, new = each
            code = render(*each)
            if sort is BridgeSort.KEYWORD:
                code = f"{code}def function(): pass"
                (holder,) = ast.parse(code).body
                assert isinstance(holder, ast.FunctionDef), "it was rendered so"
                dumps = [ast.dump(holder.decorator_list[0])]
            else:
                dumps = _dumps(code)
            for dump in dumps[:1]:
                self._expected[dump] = (each,)
            for dump in dumps[1:]:
                self._expected[dump] = ()

    def visit_Module(self, node: ast.Module) -> ast.Module:
        """Functions for old names go, with the decorator that takes old keywords."""
        self.generic_visit(node)
        node.body = [each for each in node.body if not self._is_left_empty(each)]
        return node

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.ClassDef:
        """Old names of members go."""
        self.generic_visit(node)
        node.body = [each for each in node.body if not self._is_bridge(each)]
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.FunctionDef:
        """Decorators for old keywords go, and branches for old names."""
        self.generic_visit(node)
        node.decorator_list = [each for each in node.decorator_list if not self._is_bridge(each)]
        if node.name == MODULE_FUNCTION and len(node.args.args) == 1:
            node.body = [each for each in node.body if not self._is_bridge(each)]
        return node

    def _is_bridge(self, node: ast.AST) -> bool:
        dump = ast.dump(node)
        self.n_found.update(self._expected.get(dump, ()))
        return dump in self._expected

    def _is_left_empty(self, node: ast.stmt) -> bool:
        if not isinstance(node, ast.FunctionDef):
            return False
        return ast.dump(node) == self._helper or [ast.dump(each) for each in node.body] == self._head


def _dumps(code: str) -> list[str]:
    return [ast.dump(each) for each in ast.parse(textwrap.dedent(code)).body]
