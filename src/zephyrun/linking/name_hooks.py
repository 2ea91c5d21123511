"""Values that ask under which name a class has them, by a `__set_name__` of their own. Source: data model of the language
reference, "Creating the class object"."""

from __future__ import annotations

import ast

from zephyrun.link_facts import ClassRecord, FunctionRecord, Origin, OriginSort
from zephyrun.linking.fixtures import gives_parameters
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.syntax_trees import called_name, syntax_tree
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, Value, ValueSort
from zephyrun.linking.values import Evaluator

_HOOK = "__set_name__"
# What is of libraries whose things ask for no name.
_WITHOUT_HOOKS = ("builtins.", "re.", "threading.", "collections.", "typing.", "functools.partial")
# What makes a field of a record hands the name on to the default of that.
_MAKES_FIELD = "field"
_DEFAULT = "default"
# Expressions of which none is an instance of a class of somebody's own.
_DISPLAYS = (ast.Constant, ast.List, ast.Tuple, ast.Dict, ast.Set, ast.Lambda, ast.JoinedStr, ast.ListComp, ast.SetComp, ast.DictComp)


def may_notice_its_name(evaluator: Evaluator, file: LinkedFile, binding: int) -> bool:
    """Whether what a class body binds may ask for its name there."""
    if binding in file.links.annotated and (value := _annotated_value(file, binding)) is not None:
        # Known is what it is said to be, and not what it is.
        return _are_hooks_here(evaluator) and not _is_plain(value)
    met: set[tuple[str, Origin]] = set()
    return any(_may_ask(evaluator, file, origin, met) for origin in file.links.sources.get(binding, ()))


def _are_hooks_here(evaluator: Evaluator) -> bool:
    return bool(evaluator.linkage.paths_mentioning(_HOOK))


def _may_ask(evaluator: Evaluator, file: LinkedFile, origin: Origin, met: set[tuple[str, Origin]]) -> bool:
    if (file.path, origin) in met:
        return False
    met.add((file.path, origin))
    if origin.sort is OriginSort.DEFINED_FUNCTION:
        return _may_become_asking(evaluator, file, file.links.functions[origin.binding])
    if origin.sort is OriginSort.DEFINED_CLASS and _may_become_asking(evaluator, file, file.links.classes[origin.binding]):
        return True
    values = evaluator.values(file, origin)
    if any(_asks(evaluator, value) for value in values):
        return True
    if UNKNOWN_VALUE not in values:
        return False
    if _are_hooks_here(evaluator):
        return True
    # Nothing of the project's own asks: what a library makes may.
    if origin.sort is OriginSort.CALL:
        return any(_may_make_asking(evaluator, value, met) for value in evaluator.values(file, origin.parts[0]))
    if origin.sort is OriginSort.NAME:
        return any(_may_ask(evaluator, file, each, met) for each in file.links.sources.get(origin.binding, ()))
    return origin.sort is OriginSort.EITHER and any(_may_ask(evaluator, file, each, met) for each in origin.parts)


def _may_become_asking(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord | ClassRecord) -> bool:
    """Whether decorators may put something that asks in the place of a function or class. Those of libraries that are not
    known are asked about anyway."""
    if not _are_hooks_here(evaluator):
        return False
    unclear = [each for each in record.decorators if not (evaluator.is_harmless(file, each) or gives_parameters(each))]
    given = (value for each in unclear for value in evaluator.values(file, each))
    return any(_asks(evaluator, made) or made == UNKNOWN_VALUE for value in given for made in evaluator.given_by_call(value))


def _may_make_asking(evaluator: Evaluator, value: Value, met: set[tuple[str, Origin]]) -> bool:
    """Whether a call of something may give what asks, though it is not known what it gives."""
    if value.sort is ValueSort.CLASS:
        return _has_hook_from_afar(evaluator, (value.path, value.number))
    if value.sort is ValueSort.FUNCTION:
        there = evaluator.file(value.path)
        return there.is_own and _may_ask(evaluator, there, there.links.functions[value.number].gives, met)
    return not value.name.startswith(_WITHOUT_HOOKS)


def _asks(evaluator: Evaluator, value: Value) -> bool:
    """Whether a value is known to ask for its name, or of a class that may."""
    key = value.path, value.number
    if value.sort is ValueSort.CLASS:
        return any(evaluator.defines(each, _HOOK) for each in evaluator.metaclasses_of(evaluator.above(key)))
    if value.sort is not ValueSort.INSTANCE:
        return False
    if any(evaluator.defines(each, _HOOK) for each in evaluator.relatives(key)):
        return True
    return evaluator.is_set(_HOOK) or _has_hook_from_afar(evaluator, key)


def _has_hook_from_afar(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether a class may have the hook from a base that was not read."""
    if any(not name.startswith(_WITHOUT_HOOKS) for name in evaluator.foreign_above(key)):
        return True
    return _are_hooks_here(evaluator) and bool(evaluator.unknown_above(key))


def _annotated_value(file: LinkedFile, binding: int) -> ast.expr | None:
    """What is bound where a name of a class body is annotated; `None` for nothing."""
    tree = syntax_tree(file.data)
    for index in file.facts.bindings[binding].references:
        name = tree.names.get(file.facts.references[index].start)
        statement = tree.around[name] if name is not None else None
        if isinstance(statement, ast.AnnAssign) and statement.target is name and statement.value is not None:
            return statement.value
    return None


def _is_plain(value: ast.expr) -> bool:
    """Whether an expression is surely none that asks: a literal, or a field of a record without a default."""
    if isinstance(value, ast.Call) and called_name(value) == _MAKES_FIELD:
        return not value.args and all(each.arg is not None and each.arg != _DEFAULT for each in value.keywords)
    return isinstance(value, _DISPLAYS)
