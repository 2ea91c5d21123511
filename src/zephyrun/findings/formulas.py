"""Formulas: functions that reckon, in which letters stand for what they stand for in mathematics."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from functools import cached_property

from zephyrun.facts import Context, ContextSort, FileFacts, Role
from zephyrun.naming.words import split_name
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

# Operators of numbers alone; those with which texts and lists are put together count only beside these.
_OF_NUMBERS = frozenset("Sub Mult Div FloorDiv Pow MatMult USub".split())
_OPERATORS = _OF_NUMBERS | {"Add"}
_OPERATOR = lazy_pattern(r"[A-Za-z]+")
_RECKONING = frozenset({ContextSort.FROM_OPERATOR, ContextSort.OPERAND, ContextSort.GROWS_BY})
# Where these are called, letters stand for what they stand for in the formula.
MATHEMATICS = frozenset("sin cos tan asin acos atan atan2 sqrt hypot radians degrees exp log log2 log10".split())
_LONGEST_SYMBOL = 3
# Where so much is reckoned that a reader needs the formula beside the code.
_MANY_OPERATIONS = 8
_SOME_OPERATIONS = 3
_LINES_FOR_AN_OPERATION = 4
_MOSTLY = 0.5

# Where an operation starts and ends.
_Span = tuple[int, int]


class Formulas:
    """How much the functions of one file reckon."""

    def __init__(self, source: SourceText, facts: FileFacts, contexts: Mapping[int, Sequence[Context]]) -> None:
        self._source = source
        self._facts = facts
        self._contexts = contexts

    def is_symbol(self, binding: int) -> bool:
        """Whether a short name stands for something in a formula: it is mostly reckoned with, in a function that does little
        else. What is worked out in a line or two says no more of its letters than any other code."""
        record = self._facts.bindings[binding]
        words = [word for word in split_name(record.name) if not word.isdigit()]
        if max(map(len, words), default=0) > _LONGEST_SYMBOL:
            return False
        owner = self._facts.owner(record.scope)
        function = self._facts.definitions_by_inner_scope.get(owner)
        reckons = function is not None and any(map(is_mathematics, function.calls))
        n_uses = len(self._operations(binding)) + (self._n_given(binding) if reckons else 0)
        if n_uses < _MOSTLY * len(record.references):
            return False
        n_operations = self._n_by_function.get(owner, 0)
        if n_operations < (_SOME_OPERATIONS if reckons else _MANY_OPERATIONS):
            return False
        around = self._facts.scopes[owner]
        n_lines = self._source.line_of(max(around.end - 1, around.start)) - self._source.line_of(around.start) + 1
        return n_operations * _LINES_FOR_AN_OPERATION >= n_lines

    @cached_property
    def _n_by_function(self) -> Mapping[int, int]:
        """The number of operations of each function, by its scope."""
        plain: defaultdict[int, set[_Span]] = defaultdict(set)
        others: defaultdict[int, set[_Span]] = defaultdict(set)
        for binding in self._contexts:
            if binding >= 0 and Role.READ in self._facts.roles(binding):
                owner = self._facts.owner(self._facts.bindings[binding].scope)
                for span, operator in self._operations(binding).items():
                    (plain if operator in _OF_NUMBERS else others)[owner].add(span)
        return {owner: len(found) + min(len(found), len(others[owner])) for owner, found in plain.items()}

    def _n_given(self, binding: int) -> int:
        """How often a variable is given to functions of mathematics."""
        contexts = self._contexts.get(binding, ())
        return sum(each.sort is ContextSort.ARGUMENT and is_mathematics(each.name.partition(":")[0]) for each in contexts)

    def _operations(self, binding: int) -> dict[_Span, str]:
        """Where a variable is reckoned with or worked out, and by which operator."""
        return {
            (each.start, each.end): operator[0]
            for each in self._contexts.get(binding, ())
            if each.sort in _RECKONING
            and (operator := _OPERATOR.match(each.name)) is not None
            and operator[0] in _OPERATORS
        }


def is_mathematics(call: str) -> bool:
    """Whether what is called, by its dotted name, is a function of mathematics."""
    return call.rpartition(".")[2] in MATHEMATICS
