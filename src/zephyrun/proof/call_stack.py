"""Who looks at the functions that call it: their number, their names, or what is in them."""

from __future__ import annotations

import ast

from zephyrun.languages.python.nodes import nodes_in
from zephyrun.patterns import lazy_pattern

# What leads to frames, or shows them. Source: library reference.
_FRAMES = lazy_pattern(
    rb"_getframe|currentframe|_current_frames|f_back|getouterframes|getinnerframes|extract_stack|format_stack|"
    rb"print_stack|walk_stack|walk_tb|inspect\.(?:stack|trace)|import[^\n]*\b(?:stack|trace)\b|findCaller|"
    rb"settrace|setprofile|sys\.monitoring|cgitb|tracemalloc|getrecursionlimit|RecursionError"
)
_LEVELS = (b"stacklevel", b"warn(", b"warn_explicit(")
# A warning is put down to the function itself, or to the one that calls it: that stays in one module.
_ITSELF = 1
_NEAR = (_ITSELF, 2)
_PLACE_OF_LEVEL = 2


def asks_for_callers(data: bytes) -> bool:
    """Whether a file of Python may look at what calls its functions, further away than one call."""
    if _FRAMES.search(data) is not None:
        return True
    if not any(mark in data for mark in _LEVELS):
        return False
    try:
        tree = ast.parse(data)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return True
    return any(_asks_for_level(node) for node in nodes_in(tree))


def _asks_for_level(node: ast.AST) -> bool:
    if isinstance(node, ast.arg):
        return node.arg == "stacklevel"
    if isinstance(node, ast.Constant):
        return node.value == "stacklevel"
    if not isinstance(node, ast.Call):
        return False
    return any(not (isinstance(each, ast.Constant) and each.value in _NEAR) for each in _levels(node))


def puts_down_to_caller(node: ast.AST) -> bool:
    """Whether a node is a call that puts something down to a function around the one in which it stands. That may be one
    of another module."""
    return isinstance(node, ast.Call) and any(
        not (isinstance(each, ast.Constant) and each.value == _ITSELF) for each in _levels(node)
    )


def _levels(call: ast.Call) -> list[ast.expr]:
    """How far up the stack a call puts down what it tells."""
    called = call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")
    levels = [each.value for each in call.keywords if each.arg == "stacklevel"]
    return levels + call.args[_PLACE_OF_LEVEL : _PLACE_OF_LEVEL + 1] if called == "warn" else levels
