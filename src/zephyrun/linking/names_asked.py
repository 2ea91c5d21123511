"""What a namespace is asked for where somebody takes one (`vars(hive)`, `getattr(hive, "__dict__", {})`): single names,
if it is only looked into, by way of a variable of a function, too."""

from __future__ import annotations

import ast

from zephyrun.facts import BINDING_ROLES, Role
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.local_variables import local_variable
from zephyrun.linking.syntax_trees import syntax_tree

# Methods of a dictionary that are handed one key.
_ASKING_FOR_ONE = frozenset("get pop setdefault __contains__ __getitem__ __setitem__ __delitem__".split())
# Stands for a name that is worked out.
ANY_NAME = "?"


def names_asked_for(file: LinkedFile, namespace: ast.expr) -> frozenset[str] | None:
    """The names that a namespace is asked for where an expression gives it; `None` where it may be had as a whole."""
    tree = syntax_tree(file.data)
    around = tree.around[namespace]
    match around:
        case ast.Subscript(value=value, slice=key) if value is namespace:
            return _written(key)
        case ast.Attribute(attr=method) if method in _ASKING_FOR_ONE:
            call = tree.around[around]
            is_called = isinstance(call, ast.Call) and call.func is around and bool(call.args)
            return _written(call.args[0]) if is_called and isinstance(call, ast.Call) else None
        case ast.Compare(left=left, ops=[ast.In() | ast.NotIn()]) if left is not namespace:
            return _written(left)
        case ast.Compare(ops=[ast.Is() | ast.IsNot()]) | ast.If() | ast.UnaryOp(op=ast.Not()):
            return frozenset()
        case ast.Assign(targets=[ast.Name() as variable]):
            return _asked_of_variable(file, variable)
    return None


def _asked_of_variable(file: LinkedFile, variable: ast.Name) -> frozenset[str] | None:
    """What is asked of a variable of a function that no other one knows."""
    found = local_variable(file, variable)
    if found is None or file.facts.roles(found.binding) & BINDING_ROLES != {Role.ASSIGN}:
        return None
    asked = [names_asked_for(file, each) for each in found.reads]
    known = [each for each in asked if each is not None]
    return frozenset().union(*known) if len(known) == len(asked) else None


def _written(key: ast.expr) -> frozenset[str] | None:
    """The name that a key is; `None` for a part of something."""
    if isinstance(key, ast.Slice):
        return None
    return frozenset({key.value if isinstance(key, ast.Constant) and isinstance(key.value, str) else ANY_NAME})
