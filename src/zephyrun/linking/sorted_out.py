"""Where code goes through values and keeps only what is of certain classes (`[each for each in vars().values() if
isinstance(each, Hive)]`): a function is none of these."""

from __future__ import annotations

import ast

from zephyrun.facts import Role, ScopeKind
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, syntax_tree
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Value, ValueSort
from zephyrun.linking.values import Evaluator

_LISTING = frozenset({"values", "items"})
# What gives the same elements again.
_COPYING = frozenset({"list", "tuple", "sorted"})
_TRIVIAL_BASES = frozenset({"builtins.object", "abc.ABC", "typing.Generic"})


def are_functions_left_out(evaluator: Evaluator, file: LinkedFile, start: int) -> bool:
    """Whether the namespace that a call at an offset gives (`vars()`, `globals()`) is only gone through, and nothing is
    done with functions that are in it."""
    tree = syntax_tree(file.data)
    name = tree.names.get(start)
    listing = _listing_of(tree, name) if name is not None else None
    if listing is None:
        return False
    is_pairs = called_name(listing) == "items"
    loop = loop_over(tree, listing)
    variable = name_in(loop.target, 1 if is_pairs else None) if loop is not None else ""
    return loop is not None and bool(variable) and sorts_out_functions(evaluator, file, loop, variable)


def sorts_out_functions(
    evaluator: Evaluator, file: LinkedFile, loop: ast.For | ast.AsyncFor | ast.comprehension, variable: str
) -> bool:
    """Whether a loop does nothing with a variable that it goes through where that is a function."""
    if isinstance(loop, ast.comprehension):
        return not is_read_outside(file, loop, variable) and _asks_for_class(evaluator, file, loop.ifs, variable)
    only = loop.body[0]
    if len(loop.body) > 1 or not isinstance(only, ast.If) or only.orelse or loop.orelse:
        return False
    return not is_read_outside(file, loop, variable) and _asks_for_class(evaluator, file, [only.test], variable)


def is_read_outside(file: LinkedFile, loop: ast.For | ast.AsyncFor | ast.comprehension, variable: str) -> bool:
    """Whether what a loop went through last may be read where it is over: anywhere, unless it is in a function, and by
    functions that are made in the loop."""
    tree, facts = syntax_tree(file.data), file.facts
    if isinstance(loop, ast.comprehension):
        targets = [each for each in ast.walk(loop.target) if isinstance(each, ast.Name) and each.id == variable]
        found = [facts.reference_by_start.get(tree.start_of(each)) for each in targets]
        return any(each is None or facts.bindings[each.binding].captured for each in found)
    inside = range(tree.start_of(loop), tree.end_of(loop))
    for binding in facts.bindings:
        references = [facts.references[index] for index in binding.references] if binding.name == variable else []
        if not any(each.start in inside for each in references):
            continue
        if facts.scopes[binding.scope].kind is not ScopeKind.FUNCTION or binding.captured:
            return True
        if any(each.role is Role.READ and each.start not in inside for each in references):
            return True
    return False


def _listing_of(tree: SyntaxTree, name: ast.Name) -> ast.Call | None:
    """The call that gives what a namespace holds: `vars().values()`."""
    call = tree.around[name]
    if not isinstance(call, ast.Call) or call.func is not name or call.args or call.keywords:
        return None
    method = tree.around[call]
    listing = tree.around[method] if isinstance(method, ast.Attribute) and method.attr in _LISTING else None
    return listing if isinstance(listing, ast.Call) and listing.func is method else None


def loop_over(tree: SyntaxTree, given: ast.AST) -> ast.For | ast.comprehension | None:
    """The loop that goes through what an expression gives, or through a copy of it."""
    around = tree.around[given]
    while isinstance(around, ast.Call) and called_name(around) in _COPYING and around.args == [given] and not around.keywords:
        given, around = around, tree.around[around]
    return around if isinstance(around, ast.comprehension | ast.For) and around.iter is given else None


def name_in(target: ast.expr, place: int | None) -> str:
    """The variable that a loop gives what it goes through, or what stands at a place of each pair; "" for none."""
    if place is not None:
        if not isinstance(target, ast.Tuple) or len(target.elts) != len(("name", "value")):
            return ""
        target = target.elts[place]
    return target.id if isinstance(target, ast.Name) else ""


def _asks_for_class(evaluator: Evaluator, file: LinkedFile, tests: list[ast.expr], variable: str) -> bool:
    """Whether the first condition of several, but for those that do not ask the variable, is one that no function fulfils."""
    for operand in (part for test in tests for part in joined_by_and(test)):
        if _is_of_class(evaluator, file, operand, variable):
            return True
        if any(isinstance(node, ast.Name) and node.id == variable for node in ast.walk(operand)):
            return False
    return False


def joined_by_and(test: ast.expr) -> list[ast.expr]:
    """The conditions that must all hold for a test to do so."""
    return test.values if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.And) else [test]


def _is_of_class(evaluator: Evaluator, file: LinkedFile, test: ast.expr, variable: str) -> bool:
    """Whether a condition is that a variable is a class, or an instance of one of the project's own."""
    if not isinstance(test, ast.Call) or test.keywords or not test.args:
        return False
    first, *kinds = test.args
    tree = syntax_tree(file.data)
    handed = file.handed_at(tree.start_of(first), tree.end_of(first))
    if not isinstance(first, ast.Name) or first.id != variable or handed is None:
        return False
    asking = {value.name for value in evaluator.values(file, handed.callee)}
    if asking == {"inspect.isclass"}:
        return not kinds
    if asking != {"builtins.isinstance"} or len(kinds) != 1 or not isinstance(kinds[0], ast.Name):
        return False
    reference = file.facts.reference_by_start.get(tree.start_of(kinds[0]))
    values = evaluator.binding_values(file, reference.binding) if reference is not None else frozenset({UNKNOWN_VALUE})
    return all(value.name == "builtins.type" or _is_plain_class(evaluator, value) for value in values)


def _is_plain_class(evaluator: Evaluator, value: Value) -> bool:
    """Whether a value is a class of the project that does not say by itself what is one of its instances."""
    key = (value.path, value.number)
    return (
        value.sort is ValueSort.CLASS
        and set(evaluator.foreign_above(key)) <= _TRIVIAL_BASES
        and not evaluator.unknown_above(key)
        and not any(evaluator.has_own_metaclass(each) or evaluator.defines(each, "__subclasshook__") for each in evaluator.above(key))
    )
