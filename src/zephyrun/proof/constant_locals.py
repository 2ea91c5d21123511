"""Locals that only ever stand for one constant, and locals that nothing reads.

`most = 30` in a block of a function, and `most` read further down in that block and nowhere else: each read gives 30. A local that
is only ever given constants, or new and empty collections, and that nothing reads, does nothing.
"""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from zephyrun.facts import Role
from zephyrun.languages.python import ParsedFile
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.proof.named_constants import constant_at, is_constant
from zephyrun.proof.normal_form import Version, is_own_variable, is_text_statement

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_COLLECTIONS = (ast.List, ast.Tuple, ast.Dict, ast.Set)

CONSTANT_LOCAL = "local that stood for a constant"
UNUSED = "local that nothing read"


class _Constant(NamedTuple):
    """A statement that gives a variable a constant, with its block."""

    block: list[ast.stmt]
    statement: ast.Assign
    binding: int


class ConstantLocals:
    """Takes constant and unused locals out of trees of one version of a file. `may_go` says of a variable
    whether nothing looks it up by its name."""

    def __init__(self, version: Version, may_go: Callable[[int], bool]) -> None:
        self._parsed = version.parsed
        self._may_go = may_go
        self.counts: dict[str, int] = {}

    def take_out(self, tree: ast.Module) -> None:
        """Change a tree of the file's text in place, and count anew."""
        self.counts = {CONSTANT_LOCAL: 0, UNUSED: 0}
        for function in [each for each in nodes_in(tree) if isinstance(each, _FUNCTIONS)]:
            found = self._constants(function)
            for each in found:
                self._remove(each.block, each.statement, CONSTANT_LOCAL)
            if constants := {each.binding: each.statement.value for each in found}:
                _Replacement(self._parsed, constants).visit(function)
            self._remove_unused(function)

    def _remove_unused(self, function: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Take out what is given to variables that nothing reads; each keeps what it held alive until it is given
        something else, so that all that it is given must be inert."""
        found = [
            (block, statement, binding)
            for block in _own_blocks(function)
            for statement in block
            if (binding := self._unused(statement)) is not None
        ]
        counts = Counter(binding for _, _, binding in found)
        for block, statement, binding in found:
            if counts[binding] == len(self._parsed.facts.bindings[binding].references):
                self._remove(block, statement, UNUSED)

    def _remove(self, block: list[ast.stmt], statement: ast.stmt, sort: str) -> None:
        """Take a statement out; where a text behind it would become documentation, let it do nothing."""
        index = block.index(statement)
        is_needed = len(block) == 1 or (index == 0 and is_text_statement(block[1]))
        block[index : index + 1] = [ast.copy_location(ast.Pass(), statement)] if is_needed else []
        self.counts[sort] += 1

    # -- constants ---------------------------------------------------------------------------

    def _constants(self, function: ast.FunctionDef | ast.AsyncFunctionDef) -> list[_Constant]:
        """The variables of a function that stand for one constant wherever they are read."""
        given = [
            _Constant(block, statement, binding)
            for block in _own_blocks(function)
            for statement in block
            if isinstance(statement, ast.Assign) and (binding := self._stands_for(statement)) is not None
        ]
        if not given:
            return []
        read = self._read_in([function])
        # A text by itself would be documentation.
        shown = {
            self._parsed.binding_of(node.value)
            for node in nodes_in(function)
            if isinstance(node, ast.Expr) and isinstance(node.value, ast.Name)
        }
        return [each for each in given if read[each.binding] and each.binding not in shown and self._is_read_in_block(each, function, read)]

    def _is_read_in_block(
        self, each: _Constant, function: ast.FunctionDef | ast.AsyncFunctionDef, read: Counter[int]
    ) -> bool:
        """Whether a variable is read nowhere but where its block has run: elsewhere it may not be there."""
        rest = each.block[each.block.index(each.statement) :]
        return each.block is function.body or self._read_in(rest)[each.binding] == read[each.binding]

    def _read_in(self, nodes: Iterable[ast.AST]) -> Counter[int]:
        """How often each variable is read in some nodes."""
        return Counter(
            self._parsed.binding_of(name)
            for each in nodes
            for name in nodes_in(each)
            if isinstance(name, ast.Name) and isinstance(name.ctx, ast.Load)
        )

    def _stands_for(self, statement: ast.Assign) -> int | None:
        """The variable that a statement gives a constant, if nothing else gives it anything, and only its own
        function reads it, and only further down."""
        if not is_constant(statement.value):
            return None
        target = statement.targets[0]
        if len(statement.targets) > 1 or not isinstance(target, ast.Name):
            return None
        facts, binding = self._parsed.facts, self._parsed.binding_of(target)
        first, *others = (facts.references[index] for index in facts.bindings[binding].references)
        is_read_below = all(each.role is Role.READ for each in others) and first.start == self._parsed.start_of(target)
        return binding if others and is_read_below and self._is_own(binding) else None

    # -- unused ------------------------------------------------------------------------------

    def _unused(self, statement: ast.stmt) -> int | None:
        """The variable that a statement gives something inert, and that nothing reads."""
        if not isinstance(statement, ast.Assign) or not _is_inert(statement.value):
            return None
        target = statement.targets[0]
        if len(statement.targets) > 1 or not isinstance(target, ast.Name):
            return None
        binding = self._parsed.binding_of(target)
        return binding if self._parsed.facts.roles(binding) == {Role.ASSIGN} and self._is_own(binding) else None

    def _is_own(self, binding: int) -> bool:
        return is_own_variable(self._parsed.facts, binding) and self._may_go(binding)


class _Replacement(ast.NodeTransformer):
    def __init__(self, parsed: ParsedFile, constants: dict[int, ast.expr]) -> None:
        self._parsed = parsed
        self._constants = constants

    def visit_Name(self, node: ast.Name) -> ast.expr:
        value = self._constants.get(self._parsed.binding_of(node))
        return node if value is None else constant_at(value, value)


def _is_inert(node: ast.expr) -> bool:
    """Whether an expression only gives a constant, or a new collection of such."""
    if isinstance(node, ast.Set | ast.Dict):
        # What cannot be hashed fails, and so does what is unpacked and is no dictionary.
        is_unpacking = isinstance(node, ast.Dict) and None in node.keys
        return not is_unpacking and all(isinstance(each, ast.Constant) for each in ast.iter_child_nodes(node))
    parts = ast.iter_child_nodes(node) if isinstance(node, _COLLECTIONS) else ()
    return is_constant(node) or (
        isinstance(node, _COLLECTIONS) and all(isinstance(each, ast.expr_context) or _is_inert(each) for each in parts)  # type: ignore[arg-type]
    )


def _own_blocks(function: ast.FunctionDef | ast.AsyncFunctionDef) -> Iterator[list[ast.stmt]]:
    """The blocks of a function, but for those of functions and classes inside."""
    nodes: list[ast.AST] = [function]
    while nodes:
        node = nodes.pop()
        for field, value in ast.iter_fields(node):
            if not isinstance(value, list):
                continue
            if field in ("body", "orelse", "finalbody") and value and isinstance(value[0], ast.stmt):
                yield value
            nodes += [
                each for each in value
                if isinstance(each, ast.stmt | ast.excepthandler | ast.match_case)
                and not isinstance(each, (*_FUNCTIONS, ast.ClassDef))
            ]
