"""Attributes that every instance of a class has from the start, so that its `__getattr__` is never asked for
them."""

from __future__ import annotations

import ast
from collections.abc import Collection

from zephyrun.link_facts import OriginSort, Use
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.value_sorts import ClassKey, Values, ValueSort
from zephyrun.linking.values import Evaluator

_MAKING = "__init__"
_KNOWING_NOBODY = frozenset({ValueSort.CLASS, ValueSort.PLAIN})


@once_a_version
def is_always_there(evaluator: Evaluator, key: ClassKey, name: str) -> bool:
    """Whether each instance of a class, or of one below it, has an attribute as soon as it is made: from a class's
    body, or set by every `__init__` before anything can ask for it; and nothing ever deletes it. Instances that are made
    without an `__init__` (copies, what was stored) have what the one had that they are made of."""
    if any(
        use.use is Use.DELETE
        for file in evaluator.linkage.mentioning(name)
        for use in file.links.attributes_by_name.get(name, ())
    ):
        return False
    return all(_has_from_start(evaluator, each, name) for each in [key, *evaluator.below(key)])


def _has_from_start(evaluator: Evaluator, key: ClassKey, name: str) -> bool:
    above = evaluator.above(key)
    if not all(evaluator.file(each[0]).is_own and not evaluator.defines(each, "__new__") for each in above):
        return False
    for each in above:
        file = evaluator.file(each[0])
        binding = evaluator.binding_in(each, name)
        if binding is not None and file.links.sources.get(binding) and binding not in file.links.annotated:
            return True
    shown = _plain_names(evaluator, key)
    for each in above:
        making = _making_function(evaluator, each)
        if making is None:
            continue
        if _sets(making, name, shown):
            return True
        if not _makes_above_first(making, shown):
            return False
    return False


@once_a_version
def _plain_names(evaluator: Evaluator, key: ClassKey) -> frozenset[str]:
    """The names that a class and those above it have in their bodies for things which know no instance: classes, texts and
    numbers."""
    found: dict[str, Values] = {}
    for each in evaluator.above(key):
        file = evaluator.file(each[0])
        for name, binding in file.class_bindings.get(evaluator.class_record(each).scope, {}).items():
            found[name] = found.get(name, frozenset()) | evaluator.binding_values(file, binding)
    return frozenset(
        name for name, values in found.items() if all(value.sort in _KNOWING_NOBODY for value in values) and not evaluator.is_set(name)
    )


def _making_function(evaluator: Evaluator, key: ClassKey) -> ast.FunctionDef | None:
    file = evaluator.file(key[0])
    binding = evaluator.binding_in(key, _MAKING)
    origins = file.links.sources.get(binding, ()) if binding is not None else ()
    if len(origins) != 1 or origins[0].sort is not OriginSort.DEFINED_FUNCTION:
        return None
    return _definition(file, file.links.functions[origins[0].binding].name_start)


def _definition(file: LinkedFile, name_start: int) -> ast.FunctionDef | None:
    for definition in file.facts.definitions_by_name.get(_MAKING, ()):
        node = syntax_tree(file.data).definitions.get((_MAKING, definition.end))
        if definition.name_start == name_start and isinstance(node, ast.FunctionDef):
            return node
    return None


def _sets(making: ast.FunctionDef, name: str, shown: Collection[str]) -> bool:
    """Whether a function gives its instance an attribute in one of its own statements, which nothing skips, and
    before anything that could ask for it."""
    receiver = _receiver(making)
    for statement in making.body:
        for target in _targets(statement):
            for each in target.elts if isinstance(target, ast.Tuple) else [target]:
                if isinstance(each, ast.Attribute) and each.attr == name and _is_name(each.value, receiver):
                    return True
        if _may_ask(statement, receiver, shown):
            return False
    return False


def _makes_above_first(making: ast.FunctionDef, shown: Collection[str]) -> bool:
    """Whether one of its own statements lets what is above do its part (`super().__init__(…)`), before anything that
    could ask for an attribute."""
    for statement in making.body:
        call = statement.value if isinstance(statement, ast.Expr) else None
        if (
            isinstance(call, ast.Call)
            and isinstance(call.func, ast.Attribute)
            and call.func.attr == _MAKING
            and _is_call_of_super(call.func.value)
        ):
            return True
        if _may_ask(statement, _receiver(making), shown):
            return False
    return False


def _targets(statement: ast.stmt) -> list[ast.expr]:
    if isinstance(statement, ast.Assign):
        return statement.targets
    if isinstance(statement, ast.AnnAssign) and statement.value is not None:
        return [statement.target]
    return []


def _may_ask(statement: ast.stmt, receiver: str, shown: Collection[str]) -> bool:
    """Whether a statement may leave the function, or have something run that has the instance or a method of it: of what is
    `shown` nobody has it, nor of what is set on it."""
    nodes = list(ast.walk(statement))
    attributes = [node for node in nodes if isinstance(node, ast.Attribute)]
    harmless = {node.value for node in attributes if isinstance(node.ctx, ast.Store) or node.attr in shown}
    has_it = any((_is_name(node, receiver) and node not in harmless) or _is_name(node, "super") for node in nodes)
    is_kept = any(isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store) for node in nodes)
    runs = any(isinstance(node, ast.Call) for node in nodes)
    return any(isinstance(node, ast.Return) for node in nodes) or (has_it and (runs or is_kept))


def _receiver(making: ast.FunctionDef) -> str:
    return making.args.args[0].arg if making.args.args else ""


def _is_call_of_super(node: ast.expr) -> bool:
    return isinstance(node, ast.Call) and _is_name(node.func, "super")


def _is_name(node: ast.AST, name: str) -> bool:
    return isinstance(node, ast.Name) and node.id == name
