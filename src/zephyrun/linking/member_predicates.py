"""Members that something is asked for by a predicate: whether `getmembers(hive, lambda each: each.__name__.startswith("do_"))`
may give a method of some name."""

from __future__ import annotations

import ast
from collections.abc import Collection

from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.names_passed_over import NotKnown, Passing
from zephyrun.linking.origins import origin_of
from zephyrun.linking.sorted_out import joined_by_and
from zephyrun.linking.texts_made import texts_made
from zephyrun.linking.value_sorts import ValueSort
from zephyrun.linking.values import Evaluator

PREDICATE = "predicate"
_PLACE = 1
_NAME_OF = "__name__"
_HAS, _IS_OF = "builtins.hasattr", "builtins.isinstance"
_SPECIAL = "__"
# What asks a function what it is, and not what it is called.
_ASKING_KIND = frozenset(
    {_HAS, _IS_OF, "builtins.callable", *(f"inspect.is{kind}" for kind in "method function routine coroutinefunction abstract".split())}
)


def rules_method_out(evaluator: Evaluator, file: LinkedFile, call: ast.Call, name: str) -> bool:
    """Whether the predicate of a call is false for a method of a name that has no attributes of its own, before it could do
    anything with it."""
    given = [*call.args[_PLACE : _PLACE + 1], *(each.value for each in call.keywords if each.arg == PREDICATE)]
    match given:
        case [ast.Lambda(args=ast.arguments(posonlyargs=[], args=[parameter], vararg=None, kwonlyargs=[], kwarg=None), body=body)]:
            asked = _OfMethod(evaluator, file, parameter.arg, name)
            for condition in joined_by_and(body):
                if asked.outcome(condition) is False:
                    return True
                if not _asks_kind(evaluator, file, condition):
                    return False
    return False


def _asks_kind(evaluator: Evaluator, file: LinkedFile, condition: ast.expr) -> bool:
    match condition:
        case ast.Call(func=function, args=[_, *kinds], keywords=[]):
            name = _library_name(evaluator, file, function)
            return name in _ASKING_KIND and (name != _IS_OF or all(_asks_nobody(evaluator, file, each) for each in kinds))
    return False


def _library_name(evaluator: Evaluator, file: LinkedFile, function: ast.expr) -> str:
    """The full name of a function of the library; "" for any other."""
    return evaluator.full_name(file, origin_of(file, function)) if isinstance(function, ast.Name | ast.Attribute) else ""


def _asks_nobody(evaluator: Evaluator, file: LinkedFile, kind: ast.expr) -> bool:
    """Whether a class answers by itself what is one of its instances, and no metaclass of the project's own."""
    if not isinstance(kind, ast.Name | ast.Attribute):
        return False
    return all(
        value.sort is ValueSort.FOREIGN
        or (value.sort is ValueSort.CLASS and not any(map(evaluator.has_own_metaclass, evaluator.above((value.path, value.number)))))
        for value in evaluator.values(file, origin_of(file, kind))
    )


class _OfMethod(Passing):
    """What is asked of a method of the name, which the variable is."""

    def value(self, node: ast.expr) -> object:
        """What an expression gives; raises `NotKnown`."""
        match node:
            case ast.Name(id=asked) if asked == self.variable:
                raise NotKnown
            case ast.Attribute(value=ast.Name(id=asked), attr=attribute) if asked == self.variable and attribute == _NAME_OF:
                return self.name
            case ast.Call(func=function, args=[ast.Name(id=asked), sought], keywords=[]) if (
                asked == self.variable and _library_name(self.evaluator, self.file, function) == _HAS
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
