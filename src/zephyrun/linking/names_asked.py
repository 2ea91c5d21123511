"""What a namespace is asked for where somebody takes one (`vars(hive)`, `getattr(hive, "__dict__", {})`): single names,
if it is only looked into, by way of a variable of a function, too."""

from __future__ import annotations

import ast

from zephyrun.facts import BINDING_ROLES, Role
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.local_variables import local_variable
from zephyrun.linking.syntax_trees import SyntaxTree, syntax_tree

# Methods of a dictionary that are handed one key.
_ASKING_FOR_ONE = frozenset("get pop setdefault __contains__ __getitem__ __setitem__ __delitem__".split())
# What gives the same names again, or tells how many there are.
_KEEPING_NAMES = frozenset({"set", "frozenset", "list", "tuple", "sorted"})
_COUNTING = frozenset({"len", "bool"})
# Stands for a name that is worked out.
ANY_NAME = "?"


def names_asked_for(file: LinkedFile, namespace: ast.expr) -> frozenset[str] | None:
    """The names that a namespace is asked for where an expression gives it; `None` where it may be had as a whole."""
    tree = syntax_tree(file.data)
    around = tree.around[namespace]
    match around:
        case ast.Subscript(value=value, slice=key) if value is namespace:
            return _written(tree, key)
        case ast.Attribute(attr=method) if method in _ASKING_FOR_ONE:
            call = tree.around[around]
            is_called = isinstance(call, ast.Call) and call.func is around and bool(call.args)
            return _written(tree, call.args[0]) if is_called and isinstance(call, ast.Call) else None
        case ast.Compare(left=left, ops=[ast.In() | ast.NotIn()]) if left is not namespace:
            return _written(tree, left)
        case ast.Compare(left=left, ops=[ast.Eq() | ast.NotEq()], comparators=[right]):
            return _names_in(right if left is namespace else left)
        case ast.Call(func=ast.Name(id="hasattr"), args=[value, ast.Constant()]) if value is namespace:
            return frozenset()
        case ast.Call(func=ast.Name(id=called), args=[value], keywords=[]) if value is namespace and called in _KEEPING_NAMES:
            # What a list or a set of names is asked for by its place, or gives away, is a name.
            outer = tree.around[around]
            return names_asked_for(file, around) if isinstance(outer, ast.Compare | ast.Call) else None
        case ast.Call(func=ast.Name(id=called), args=[value], keywords=[]) if value is namespace and called in _COUNTING:
            return frozenset()
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


def _written(tree: SyntaxTree, key: ast.expr) -> frozenset[str] | None:
    """The name that a key is, or all that are gone through for it; `None` for a part of something."""
    if isinstance(key, ast.Slice):
        return None
    if isinstance(key, ast.Constant) and isinstance(key.value, str):
        return frozenset({key.value})
    names = _gone_through_for(tree, key) if isinstance(key, ast.Name) else None
    return frozenset({ANY_NAME}) if names is None else names


def _gone_through_for(tree: SyntaxTree, name: ast.Name) -> frozenset[str] | None:
    """The texts that a comprehension goes through for a name in it; `None` where they do not all stand there."""
    around: ast.AST | None = name
    while isinstance(around, ast.expr):
        if isinstance(around, ast.GeneratorExp | ast.ListComp | ast.SetComp | ast.DictComp):
            for each in around.generators:
                if isinstance(each.target, ast.Name) and each.target.id == name.id:
                    return _names_in(each.iter)
        around = tree.around[around]
    return None


def _names_in(literal: ast.expr) -> frozenset[str] | None:
    """The names that a literal holds, as elements or as keys; `None` for what is not written out."""
    match literal:
        case ast.Tuple(elts=elements) | ast.List(elts=elements) | ast.Set(elts=elements):
            names = elements
        case ast.Dict(keys=keys):
            names = [each for each in keys if each is not None]
            if len(names) != len(keys):
                return None
        case ast.Call(func=ast.Name(id="set"), args=[], keywords=[]):
            names = []
        case _:
            return None
    written = [each.value for each in names if isinstance(each, ast.Constant) and isinstance(each.value, str)]
    return frozenset(written) if len(written) == len(names) else None
