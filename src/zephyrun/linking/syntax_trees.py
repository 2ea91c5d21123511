"""The syntax tree of a file, with what stands around each part of it."""

from __future__ import annotations

import ast
from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

from zephyrun.languages.python.reading import tree_of, without_collector
from zephyrun.languages.python.walk import all_arguments, position_readers
from zephyrun.source import SourceText

# Who follows a function comes back to the same two dozen files; a thousand lines take 1.4 MB.
_MOST_FILES_KEPT = 20
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)
_DEFINITIONS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)


class SyntaxTree(NamedTuple):
    """The expressions of a file by where they stand, and what each part is a part of.

    `names` go by where they start, `attributes` by where they end, `lambdas` by where their first parameter
    starts, `definitions` by their name and where they end, calls that may be `lookups` of attributes by where
    they or one of their texts starts; `texts` go by where they start, with what is filled into them; `patterns` are those of classes, `generators` the functions that yield.
    `start_of` and `end_of` say where a part does.
    """

    around: dict[ast.AST, ast.AST]
    names: dict[int, ast.Name]
    attributes: dict[int, ast.Attribute]
    lambdas: dict[int, ast.Lambda]
    definitions: dict[tuple[str, int], ast.AST]
    lookups: dict[int, ast.Call]
    texts: dict[int, ast.expr]
    patterns: list[ast.MatchClass]
    generators: set[ast.AST]
    start_of: Callable[[ast.AST], int]
    end_of: Callable[[ast.AST], int]


@lru_cache(maxsize=_MOST_FILES_KEPT)
def syntax_tree(data: bytes) -> SyntaxTree:
    """The tree of a file that can be parsed."""
    source = SourceText.from_bytes(data)
    start_of, end_of = position_readers(source)
    found = SyntaxTree({}, {}, {}, {}, {}, {}, {}, [], set(), start_of, end_of)
    with without_collector():
        rest: list[ast.AST] = [tree_of(source)]
        while rest:
            node = rest.pop()
            if isinstance(node, ast.Name):
                found.names[start_of(node)] = node
            elif isinstance(node, ast.Attribute):
                found.attributes[end_of(node)] = node
            elif isinstance(node, _DEFINITIONS):
                found.definitions[node.name, end_of(node)] = node
            elif isinstance(node, ast.Lambda) and (parameters := all_arguments(node.args)):
                found.lambdas[min(map(start_of, parameters))] = node
            elif isinstance(node, ast.Yield | ast.YieldFrom):
                found.generators.add(function_around(found, node))
            elif isinstance(node, ast.JoinedStr) or (isinstance(node, ast.Constant) and isinstance(node.value, str)):
                found.texts.setdefault(start_of(node), node)
            elif isinstance(node, ast.MatchClass):
                found.patterns.append(node)
            elif isinstance(node, ast.Call) and ("attr" in called_name(node) or called_name(node) == "methodcaller"):
                texts = [each for each in node.args if isinstance(each, ast.Constant)]
                found.lookups.update(dict.fromkeys(map(start_of, [node, *texts]), node))
            for child in ast.iter_child_nodes(node):
                found.around[child] = node
                rest.append(child)
    return found


def called_name(call: ast.Call) -> str:
    """The name that is called, without what stands before the dot."""
    return getattr(call.func, "id", "") or getattr(call.func, "attr", "")


def function_around(tree: SyntaxTree, node: ast.AST) -> ast.AST:
    """The function in which a part stands."""
    around = tree.around[node]
    while not isinstance(around, _FUNCTIONS):
        around = tree.around[around]
    return around
