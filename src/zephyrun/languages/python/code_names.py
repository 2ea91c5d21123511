"""Which names of a code object are taken where it is asked for `co_varnames`: those of parameters come first.

Source: language reference, "Code objects": the names of parameters by position, by keyword, of the rest by position and
of the rest by keyword, and then of the other locals.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping

from zephyrun.languages.python.nodes import last_name

# How many parameters there are, by position and by keyword, and what says that it takes the rest of them.
_N_PARAMETERS = ("co_argcount", "co_kwonlyargcount")
_FLAGS, _REST, _REST_KEYWORDS = "co_flags", "CO_VARARGS", "CO_VARKEYWORDS"
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_HOMES = (*_FUNCTIONS, ast.Module, ast.ClassDef, ast.Lambda)
_Giving = ast.Assign | ast.AugAssign


class ParameterCounts:
    """Tells of a tree what counts parameters; `parents` has the node around each one."""

    def __init__(self, parents: Mapping[ast.AST, ast.AST]) -> None:
        self._parents = parents

    def takes_parameters(self, taken: ast.Subscript, code: ast.expr) -> bool:
        """Whether of the names of a code object no more are taken than it has parameters: all up to their number, or,
        where it says that it takes the rest of them, the next one."""
        if isinstance(taken.slice, ast.Slice):
            is_whole = taken.slice.lower is None and taken.slice.step is None
            return is_whole and taken.slice.upper is not None and self._counts(taken.slice.upper, code)
        if not isinstance(taken.slice, ast.Name) or not self._counts(taken.slice, code):
            return False
        flags = self._flags_at(taken)
        ones = [each.lineno for each in self._given_to(taken.slice) or () if _is_one_more(each)]
        return _REST_KEYWORDS in flags or (_REST in flags and all(taken.lineno <= line for line in ones))

    def _counts(self, number: ast.expr, code: ast.expr) -> bool:
        """Whether a number is that of parameters of a code object, or smaller."""
        if isinstance(number, ast.BinOp) and isinstance(number.op, ast.Add):
            parts = [number.left, number.right]
            return sorted(map(last_name, parts)) == sorted(_N_PARAMETERS) and all(_is_of(each, code) for each in parts)
        if isinstance(number, ast.Attribute):
            return bool(self._counted(number, code))
        given = self._given_to(number) if isinstance(number, ast.Name) else None
        if not given or not isinstance(code, ast.Name) or not self._stays_itself(code) or any(map(self._is_repeated, given)):
            return False
        ones = [each for each in given if _is_one_more(each)]
        others = [each for each in given if each not in ones]
        counts = [self._counted(each.value, code) for each in others]
        is_begun_once = [isinstance(each, ast.Assign) for each in others] == [True, *[False] * (len(others) - 1)]
        is_by_flag = len(ones) <= 1 and all(self._flags_at(each) == {_REST} for each in ones)
        return is_begun_once and is_by_flag and "" not in counts and len(counts) == len(set(counts))

    def _counted(self, value: ast.expr, code: ast.expr) -> str:
        """Which number of parameters of a code object a value is, "" for anything else."""
        if isinstance(value, ast.Name):
            given = self._given_to(value) or []
            return self._counted(given[0].value, code) if len(given) == 1 and isinstance(given[0], ast.Assign) else ""
        return value.attr if isinstance(value, ast.Attribute) and value.attr in _N_PARAMETERS and _is_of(value, code) else ""

    def _stays_itself(self, name: ast.Name) -> bool:
        """Whether a name is one thing all the time: a parameter that is given nothing else, or a local that is given
        something once."""
        function = self._function_around(name)
        given = self._given_to(name)
        return given is not None and len(given) == (0 if function is not None and _takes(function, name.id) else 1)

    def _given_to(self, name: ast.Name) -> list[_Giving] | None:
        """The statements that give a local something, or add to it; `None` where nobody can tell. A parameter has
        something by itself, too."""
        function = self._function_around(name)
        if function is None:
            return None
        found: list[_Giving] = []
        for node in ast.walk(function):
            if isinstance(node, ast.Global | ast.Nonlocal) and name.id in node.names:
                return None
            if isinstance(node, ast.Name) and node.id == name.id and not isinstance(node.ctx, ast.Load):
                statement = self._parents[node]
                is_plain = isinstance(statement, ast.Assign) and statement.targets == [node]
                is_added = isinstance(statement, ast.AugAssign) and isinstance(statement.op, ast.Add)
                if not isinstance(statement, ast.Assign | ast.AugAssign) or not (is_plain or is_added):
                    return None
                found.append(statement)
        return sorted(found, key=lambda each: (each.lineno, each.col_offset))

    def _function_around(self, node: ast.AST) -> ast.FunctionDef | ast.AsyncFunctionDef | None:
        home = next((each for each in self._around(node) if isinstance(each, _HOMES)), None)
        return home if isinstance(home, _FUNCTIONS) else None

    def _is_repeated(self, node: ast.AST) -> bool:
        for around in self._around(node):
            if isinstance(around, _HOMES):
                return False
            if isinstance(around, ast.For | ast.AsyncFor | ast.While):
                return True
        return False

    def _flags_at(self, node: ast.AST) -> set[str]:
        """The flags of code of which one is surely set where a node runs (`if code.co_flags & inspect.CO_VARARGS`)."""
        inner, found = node, set[str]()
        for around in self._around(node):
            if isinstance(around, _HOMES):
                break
            if isinstance(around, ast.If) and inner in around.body and isinstance(around.test, ast.BinOp):
                operands = {last_name(around.test.left), last_name(around.test.right)}
                if isinstance(around.test.op, ast.BitAnd) and _FLAGS in operands:
                    found |= operands & {_REST, _REST_KEYWORDS}
            inner = around
        return found

    def _around(self, node: ast.AST) -> Iterator[ast.AST]:
        """What stands around a node, from inside."""
        while not isinstance(node, ast.Module):
            node = self._parents[node]
            yield node


def _takes(function: ast.FunctionDef | ast.AsyncFunctionDef, name: str) -> bool:
    return any(isinstance(node, ast.arg) and node.arg == name for node in ast.walk(function.args))


def _is_of(attribute: ast.expr, code: ast.expr) -> bool:
    return isinstance(attribute, ast.Attribute) and ast.dump(attribute.value) == ast.dump(code)


def _is_one_more(statement: _Giving) -> bool:
    """Whether a statement makes a number greater by one."""
    if isinstance(statement, ast.AugAssign):
        return _is_one(statement.value)
    value, target = statement.value, last_name(statement.targets[0])
    is_sum = isinstance(value, ast.BinOp) and isinstance(value.op, ast.Add) and _is_one(value.right)
    return is_sum and isinstance(value, ast.BinOp) and isinstance(value.left, ast.Name) and value.left.id == target


def _is_one(node: ast.expr) -> bool:
    return isinstance(node, ast.Constant) and type(node.value) is int and node.value == 1
