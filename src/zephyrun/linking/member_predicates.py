"""Members that something is asked for by a predicate: whether `getmembers(hive, lambda each: each.__name__.startswith("do_"))`
may give a method of some name."""

from __future__ import annotations

import ast
from collections.abc import Collection, Iterator

from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.names_passed_over import NotKnown, Passing
from zephyrun.linking.syntax_trees import called_name
from zephyrun.linking.texts_made import texts_made
from zephyrun.linking.values import Evaluator

PREDICATE = "predicate"
_PLACE = 1
_NAME_OF = "__name__"
_HAS = "hasattr"
_SPECIAL = "__"
# What asks a function what it is, and not what it is called.
_ASKING_KIND = frozenset("isinstance callable hasattr ismethod isfunction isroutine iscoroutinefunction isabstract".split())


def rules_method_out(evaluator: Evaluator, file: LinkedFile, call: ast.Call, name: str) -> bool:
    """Whether the predicate of a call is false for a method of a name that has no attributes of its own, before it could do
    anything with it."""
    given = [*call.args[_PLACE : _PLACE + 1], *(each.value for each in call.keywords if each.arg == PREDICATE)]
    match given:
        case [ast.Lambda(args=ast.arguments(posonlyargs=[], args=[parameter], vararg=None, kwonlyargs=[], kwarg=None), body=body)]:
            asked = _OfMethod(evaluator, file, parameter.arg, name)
            for condition in _joined_by_and(body):
                if asked.outcome(condition) is False:
                    return True
                if not _asks_kind(condition):
                    return False
    return False


def _joined_by_and(test: ast.expr) -> Iterator[ast.expr]:
    if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.And):
        for each in test.values:
            yield from _joined_by_and(each)
    else:
        yield test


def _asks_kind(condition: ast.expr) -> bool:
    return isinstance(condition, ast.Call) and called_name(condition) in _ASKING_KIND


class _OfMethod(Passing):
    """What is asked of a method of the name, which the variable is."""

    def value(self, node: ast.expr) -> object:
        """What an expression gives; raises `NotKnown`."""
        match node:
            case ast.Name(id=asked) if asked == self.variable:
                raise NotKnown
            case ast.Attribute(value=ast.Name(id=asked), attr=attribute) if asked == self.variable and attribute == _NAME_OF:
                return self.name
            case ast.Call(func=ast.Name(id=function), args=[ast.Name(id=asked), sought], keywords=[]) if (function, asked) == (
                _HAS,
                self.variable,
            ):
                if any(each.startswith(_SPECIAL) for each in self._texts(sought)):
                    raise NotKnown
                return False
            case ast.Name() | ast.Attribute():
                texts = self._texts(node)
                if len(texts) == 1:
                    return next(iter(texts))
        return super().value(node)

    def _texts(self, node: ast.expr) -> Collection[str]:
        """All texts that something may be; raises `NotKnown`."""
        texts = texts_made(self.evaluator, self.file, node)
        if texts is None:
            raise NotKnown
        return texts
