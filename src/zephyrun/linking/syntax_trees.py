"""The syntax tree of a file, with what stands around each part of it."""

from __future__ import annotations

import ast
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, NamedTuple

from zephyrun.languages.python.reading import tree_of, without_collector
from zephyrun.languages.python.walk import all_arguments, position_readers
from zephyrun.link_facts import FunctionRecord
from zephyrun.source import SourceText

# Who follows a function comes back to the same files; of a thousand lines, some 35 KB, the tree takes 1.4 MB.
_MOST_BYTES_KEPT = 1_000_000
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)


class SyntaxTree(NamedTuple):
    """The expressions of a file by where they stand, and what each part is a part of.

    `names` go by where they start, `attributes` by where they end, `lambdas` by where their first parameter
    starts, `definitions` by their name and where they end, calls that may be `lookups` of attributes by where
    they or one of their texts starts, and `arguments` of calls; `texts` go by where they start, with what is filled into them; `patterns` are those of classes, `generators` the functions that yield.
    `start_of` and `end_of` say where a part does.
    """

    around: dict[ast.AST, ast.AST]
    names: dict[int, ast.Name]
    attributes: dict[int, ast.Attribute]
    lambdas: dict[int, ast.Lambda]
    definitions: dict[tuple[str, int], ast.AST]
    lookups: dict[int, ast.Call]
    arguments: dict[int, ast.expr]
    texts: dict[int, ast.expr]
    patterns: list[ast.MatchClass]
    generators: set[ast.AST]
    start_of: Callable[[ast.AST], int]
    end_of: Callable[[ast.AST], int]


_kept: OrderedDict[bytes, SyntaxTree] = OrderedDict()


def syntax_tree(data: bytes) -> SyntaxTree:
    """The tree of a file that can be parsed."""
    found = _kept.get(data)
    if found is not None:
        _kept.move_to_end(data)
        return found
    _kept[data] = found = _read(data)
    n_bytes = sum(map(len, _kept))
    while n_bytes > _MOST_BYTES_KEPT and len(_kept) > 1:
        dropped, _ = _kept.popitem(last=False)
        n_bytes -= len(dropped)
    return found


def _read(data: bytes) -> SyntaxTree:
    source = SourceText.from_bytes(data)
    start_of, end_of = position_readers(source)
    found = SyntaxTree({}, {}, {}, {}, {}, {}, {}, {}, [], set(), start_of, end_of)
    around = found.around
    with without_collector():
        rest: list[ast.AST] = [tree_of(source)]
        while rest:
            node = rest.pop()
            note = _NOTED.get(type(node))
            if note is not None:
                note(found, node)
            # Written out, since it is asked of whole files. What says how a name is used, or which operator stands there, holds
            # nothing.
            for value in node.__dict__.values():
                if type(value) is list:
                    for child in value:
                        if isinstance(child, ast.AST):
                            around[child] = node
                            rest.append(child)
                elif isinstance(value, ast.AST):
                    around[value] = node
                    if value._fields:
                        rest.append(value)
    return found


def _note_name(found: SyntaxTree, node: ast.Name) -> None:
    found.names[found.start_of(node)] = node


def _note_attribute(found: SyntaxTree, node: ast.Attribute) -> None:
    found.attributes[found.end_of(node)] = node


def _note_definition(found: SyntaxTree, node: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) -> None:
    found.definitions[node.name, found.end_of(node)] = node


def _note_lambda(found: SyntaxTree, node: ast.Lambda) -> None:
    if parameters := all_arguments(node.args):
        found.lambdas[min(map(found.start_of, parameters))] = node


def _note_yield(found: SyntaxTree, node: ast.Yield | ast.YieldFrom) -> None:
    found.generators.add(function_around(found, node))


def _note_text(found: SyntaxTree, node: ast.expr) -> None:
    if not isinstance(node, ast.Constant) or isinstance(node.value, str):
        found.texts.setdefault(found.start_of(node), node)


def _note_pattern(found: SyntaxTree, node: ast.MatchClass) -> None:
    found.patterns.append(node)


def _note_call(found: SyntaxTree, node: ast.Call) -> None:
    for argument in (*node.args, *(keyword.value for keyword in node.keywords)):
        found.arguments[found.start_of(argument)] = argument
    if "attr" in called_name(node) or called_name(node) == "methodcaller":
        texts = [each for each in node.args if isinstance(each, ast.Constant)]
        found.lookups.update(dict.fromkeys(map(found.start_of, [node, *texts]), node))


_NOTED: dict[type[ast.AST], Callable[[SyntaxTree, Any], None]] = {
    ast.Name: _note_name,
    ast.Attribute: _note_attribute,
    **dict.fromkeys((ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef), _note_definition),
    ast.Lambda: _note_lambda,
    **dict.fromkeys((ast.Yield, ast.YieldFrom), _note_yield),
    **dict.fromkeys((ast.JoinedStr, ast.Constant), _note_text),
    ast.MatchClass: _note_pattern,
    ast.Call: _note_call,
}


def called_name(call: ast.Call) -> str:
    """The name that is called, without what stands before the dot."""
    return getattr(call.func, "id", "") or getattr(call.func, "attr", "")


def definition_of(tree: SyntaxTree, record: FunctionRecord) -> ast.FunctionDef | ast.AsyncFunctionDef | None:
    """The definition of a function of a file; `None` for a lambda."""
    for (name, _), node in tree.definitions.items():
        if name == record.name and isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            if tree.start_of(node) <= record.name_start < tree.start_of(node.body[0]):
                return node
    return None


def function_around(tree: SyntaxTree, node: ast.AST) -> ast.AST:
    """The function in which a part stands."""
    around = tree.around[node]
    while not isinstance(around, _FUNCTIONS):
        around = tree.around[around]
    return around
