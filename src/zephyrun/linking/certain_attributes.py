"""Attributes that every instance of a class has from the start, so that its `__getattr__` is never asked for
them."""

from __future__ import annotations

import ast

from zephyrun.link_facts import OriginSort, Use
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.values import ClassKey, Evaluator

_MAKING = "__init__"


@once_a_version
def is_always_there(evaluator: Evaluator, key: ClassKey, name: str) -> bool:
    """Whether each instance of a class, or of one below it, has an attribute as soon as it is made: from a class's
    body, or set by every `__init__` without a condition; and nothing ever deletes it. Instances that are made
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
    for each in above:
        making = _making_function(evaluator, each)
        if making is None:
            continue
        if _sets(making, name):
            return True
        if not _makes_above_first(making):
            return False
    return False


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


def _sets(making: ast.FunctionDef, name: str) -> bool:
    """Whether a function gives its instance an attribute in one of its own statements, which nothing skips."""
    receiver = making.args.args[0].arg if making.args.args else ""
    for statement in making.body:
        targets: list[ast.expr] = []
        if isinstance(statement, ast.Assign):
            targets = statement.targets
        elif isinstance(statement, ast.AnnAssign) and statement.value is not None:
            targets = [statement.target]
        for target in targets:
            for each in target.elts if isinstance(target, ast.Tuple) else [target]:
                if isinstance(each, ast.Attribute) and each.attr == name and _is_name(each.value, receiver):
                    return True
        if any(isinstance(inner, ast.Return) for inner in ast.walk(statement)):
            return False
    return False


def _makes_above_first(making: ast.FunctionDef) -> bool:
    """Whether one of its own statements lets what is above do its part (`super().__init__(…)`)."""
    return any(
        isinstance(statement, ast.Expr)
        and isinstance(statement.value, ast.Call)
        and isinstance(statement.value.func, ast.Attribute)
        and statement.value.func.attr == _MAKING
        and isinstance(statement.value.func.value, ast.Call)
        and _is_name(statement.value.func.value.func, "super")
        for statement in making.body
    )


def _is_name(node: ast.expr, name: str) -> bool:
    return isinstance(node, ast.Name) and node.id == name
