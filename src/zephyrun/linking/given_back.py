"""Functions that give back what they are handed, with no more than a mark on it (`def shown(f): f.shown = True; return f`)."""

from __future__ import annotations

import ast
from typing import TYPE_CHECKING

from zephyrun.linking.syntax_trees import definition_of, syntax_tree
from zephyrun.linking.value_sorts import FunctionKey

if TYPE_CHECKING:
    from zephyrun.linking.values import Evaluator


def gives_back(evaluator: Evaluator, key: FunctionKey) -> bool:
    """Whether a function of a module gives back the one thing that it is handed, and does nothing else with it than to set
    attributes of it that have no meaning for the language."""
    file, record = evaluator.file(key[0]), evaluator.function_record(key)
    if not file.is_own or record.decorators or record.owner >= 0 or len(record.parameters) != 1:
        return False
    node = definition_of(syntax_tree(file.data), record)
    if not isinstance(node, ast.FunctionDef) or not node.args.args or node.args.defaults:
        return False
    *before, last = node.body
    given = node.args.args[0].arg
    return _is_given(last, given) and all(_only_marks(each, given) for each in before)


def _is_given(statement: ast.stmt, name: str) -> bool:
    match statement:
        case ast.Return(value=ast.Name(id=given)):
            return given == name
    return False


def _only_marks(statement: ast.stmt, name: str) -> bool:
    """Whether a statement says something, or sets an attribute of what has a name to a constant, perhaps in vain."""
    match statement:
        case ast.Expr(value=ast.Constant()) | ast.Pass():
            return True
        case ast.Assign(targets=[ast.Attribute(value=ast.Name(id=marked), attr=mark)], value=ast.Constant()):
            return marked == name and (mark == "__final__" or not mark.startswith("__"))
        case ast.Try(body=body, handlers=[ast.ExceptHandler(name=None, body=[ast.Pass()])], orelse=[], finalbody=[]):
            return all(_only_marks(each, name) for each in body)
    return False
