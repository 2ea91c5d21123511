"""Definitions and annotations that surely do nothing when they are evaluated."""

from __future__ import annotations

import ast
import builtins
from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.facts import Binding, Role
from zephyrun.languages.python import ParsedFile
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.proof.python_versions import GENERIC_BUILTINS, JOINED_CLASSES, NEW_BUILTINS, PythonVersion

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_BINDING_AT_ONCE = frozenset({Role.IMPORT, Role.CLASS, Role.FUNCTION, Role.ASSIGN})
# Builtins that can be asked for an element, as in `list[int]`.
_GENERIC = frozenset({"list", "tuple", "dict", "set", "frozenset", "type"})
_TYPES = frozenset(name for name, value in vars(builtins).items() if isinstance(value, type))
# Generic types with one parameter, and where they are. Source: library reference.
_ONE_PARAMETER = frozenset({"Optional", "Iterator", "Iterable", "Sequence", "Collection", "Set", "List", "Container"})
_TYPING = ("typing", "collections.abc")
# What postpones annotations, and the name that a module has then.
POSTPONING = "annotations"


def annotations_of(function: ast.FunctionDef | ast.AsyncFunctionDef) -> Iterator[ast.expr]:
    """What annotates the parameters and the result of a function."""
    arguments = function.args
    every = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs, arguments.vararg, arguments.kwarg]
    yield from (each.annotation for each in every if each is not None and each.annotation is not None)
    if function.returns is not None:
        yield function.returns


class DropSureAnnotations(ast.NodeTransformer):
    """Leaves out of trees of a file what annotates parameters, results, and variables of the module that are given a
    value, where nothing comes of evaluating it. Somebody else is to ask who reads it."""

    def __init__(self, parsed: ParsedFile, oldest: PythonVersion) -> None:
        self._sure = _SureAnnotations(parsed, oldest)
        self._parsed = parsed
        self.are_postponed = are_postponed(parsed.tree)
        self.n_dropped = 0

    def drop(self, tree: ast.Module) -> None:
        """Change a tree in place, and count anew."""
        self.n_dropped = 0
        self.visit(tree)
        for index, statement in enumerate(tree.body):
            if isinstance(statement, ast.AnnAssign) and self._may_go(statement):
                assert statement.value is not None, "only such may go"
                self.n_dropped += 1
                tree.body[index] = ast.copy_location(ast.Assign([statement.target], statement.value), statement)
        if self.are_postponed and self._is_import_idle() and _stand_first(tree) and not _annotates(tree):
            self.n_dropped += 1
            tree.body = [each for each in tree.body if not _postpones(each)]

    def _is_import_idle(self) -> bool:
        """Whether nothing uses the name that the import of what postpones annotations binds."""
        return all(
            self._parsed.facts.roles(number) == {Role.IMPORT}
            for number, each in enumerate(self._parsed.facts.bindings)
            if each.name == POSTPONING and each.scope == 0
        )

    def _may_go(self, statement: ast.AnnAssign) -> bool:
        # Without a value nothing would be left; a value that fails would keep what stands behind it from running.
        return statement.value is not None and bool(statement.simple) and self._is_sure(statement.annotation)

    def _is_sure(self, annotation: ast.expr) -> bool:
        return self.are_postponed or self._sure.holds(annotation)

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        return self._without_result(node)

    def visit_AsyncFunctionDef(self, node: ast.AsyncFunctionDef) -> ast.AST:
        return self._without_result(node)

    def _without_result(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> ast.AST:
        self.generic_visit(node)
        if node.returns is not None and self._is_sure(node.returns):
            self.n_dropped += 1
            node.returns = None
        return node

    def visit_arg(self, node: ast.arg) -> ast.AST:
        if node.annotation is not None and self._is_sure(node.annotation):
            self.n_dropped += 1
            node.annotation = None
        return node


def are_postponed(tree: ast.Module) -> bool:
    """Whether the annotations of a file are kept as texts, and never evaluated."""
    return any(
        isinstance(each, ast.ImportFrom) and each.module == "__future__" and any(name.name == POSTPONING for name in each.names)
        for each in tree.body
    )


def _postpones(statement: ast.stmt) -> bool:
    """Whether a statement does nothing but postpone annotations."""
    if not isinstance(statement, ast.ImportFrom) or not _is_of_future(statement):
        return False
    return [(each.name, each.asname) for each in statement.names] == [(POSTPONING, None)]


def _stand_first(tree: ast.Module) -> bool:
    """Whether what is imported from the future stands where it is no error: before all else but documentation."""
    behind = [each for each in tree.body[bool(ast.get_docstring(tree, clean=False)) :] if not _is_of_future(each)]
    return not behind or not any(_is_of_future(each) for each in tree.body[tree.body.index(behind[0]) :])


def _is_of_future(statement: ast.stmt) -> bool:
    return isinstance(statement, ast.ImportFrom) and statement.module == "__future__"


def _annotates(tree: ast.Module) -> bool:
    """Whether anything in a tree is annotated."""
    return any(
        isinstance(each, ast.AnnAssign)
        or (isinstance(each, ast.arg) and each.annotation is not None)
        or (isinstance(each, _FUNCTIONS) and each.returns is not None)
        for each in nodes_in(tree)
    )


def are_sure_annotations(
    parsed: ParsedFile, function: ast.FunctionDef | ast.AsyncFunctionDef, oldest: PythonVersion
) -> bool:
    """Whether nothing comes of it when the annotations of a function are evaluated, or not."""
    sure = _SureAnnotations(parsed, oldest)
    return are_postponed(parsed.tree) or all(map(sure.holds, annotations_of(function)))


class _SureAnnotations(NamedTuple):
    """Tells the annotations of a file that can be evaluated, and do nothing then, in all versions of Python from the
    oldest one on."""

    parsed: ParsedFile
    oldest: PythonVersion

    def holds(self, node: ast.expr) -> bool:
        """Whether to evaluate an annotation does nothing, and does not fail."""
        match node:
            case ast.Constant():
                return True
            case ast.Name():
                return self._is_there(node)
        return self._is_type(node)

    def _is_type(self, node: ast.expr) -> bool:
        """Whether an expression surely gives a class of Python's own, or is made of such as annotations are."""
        match node:
            case ast.Name():
                return node.id in _TYPES and self._is_there(node) and self._record(node).outside
            case ast.Constant():
                return node.value is None or node.value is ...
            case ast.BinOp(op=ast.BitOr()):
                # Two of `None` cannot be joined, and neither can texts.
                sides = (node.left, node.right)
                is_joined = self.oldest >= JOINED_CLASSES and any(not isinstance(side, ast.Constant) for side in sides)
                return is_joined and all(self._is_type(side) and not _is_ellipsis(side) for side in sides)
            case ast.Subscript(value=ast.Name() as generic):
                parts = node.slice.elts if isinstance(node.slice, ast.Tuple) else [node.slice]
                is_known = self.oldest >= GENERIC_BUILTINS and self._is_type(generic) and generic.id in _GENERIC
                is_of_typing = len(parts) == 1 and not _is_ellipsis(parts[0]) and self._is_of_typing(generic)
                return (is_known or is_of_typing) and all(map(self._is_type, parts))
        return False

    def _is_of_typing(self, name: ast.Name) -> bool:
        """Whether a name is that of a generic type with one parameter from the library, and nothing else."""
        roles = self.parsed.facts.roles(self.parsed.binding_of(name))
        if name.id not in _ONE_PARAMETER or not roles <= {Role.IMPORT, Role.READ}:
            return False
        modules = _TYPING if self.oldest >= GENERIC_BUILTINS else _TYPING[:1]
        imports = [
            each for each in self.parsed.tree.body if isinstance(each, ast.ImportFrom) and each.module in modules
        ]
        return any(alias.name == name.id and alias.asname is None for each in imports for alias in each.names)

    def _is_there(self, name: ast.Name) -> bool:
        """Whether a name is that of a builtin, or surely bound when it is read at the top of the module."""
        facts, number = self.parsed.facts, self.parsed.binding_of(name)
        record = facts.bindings[number]
        if record.outside:
            return name.id in BUILTINS and NEW_BUILTINS.get(name.id, self.oldest) <= self.oldest
        if record.scope != 0 or Role.DELETE in facts.roles(number):
            return False
        first = facts.references[record.references[0]]
        is_at_top = facts.statements[facts.statement_at(first.start)].depth == 0
        return first.role in _BINDING_AT_ONCE and is_at_top and first.start < self.parsed.start_of(name)

    def _record(self, name: ast.Name) -> Binding:
        return self.parsed.facts.bindings[self.parsed.binding_of(name)]


def _is_ellipsis(node: ast.expr) -> bool:
    return isinstance(node, ast.Constant) and node.value is ...


def is_inert_definition(parsed: ParsedFile, statement: ast.stmt, oldest: PythonVersion) -> bool:
    """Whether running a statement at the top of a module runs nothing of the module's own."""
    match statement:
        case ast.FunctionDef() | ast.AsyncFunctionDef():
            arguments = statement.args
            defaults = [*arguments.defaults, *filter(None, arguments.kw_defaults)]
            is_plain = not statement.decorator_list and not getattr(statement, "type_params", None)
            are_constants = all(isinstance(each, ast.Constant | ast.UnaryOp) for each in defaults)
            return is_plain and are_constants and are_sure_annotations(parsed, statement, oldest)
        case ast.ClassDef():
            is_plain = not statement.bases and not statement.keywords and not statement.decorator_list
            return is_plain and all(is_inert_definition(parsed, each, oldest) for each in statement.body)
        case ast.Assign(targets=[ast.Name()], value=ast.Constant()):
            return True
    return isinstance(statement, ast.Pass) or (isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant))
