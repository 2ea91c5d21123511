"""Where code goes through names and passes one over: none that begins with an underline is asked for, only those that
begin with `check_`, …"""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable, Iterable
from itertools import dropwhile
from typing import Any

from zephyrun.facts import BINDING_ROLES, Role
from zephyrun.link_facts import Handed
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.sorted_out import is_read_outside, loop_over, name_in
from zephyrun.linking.syntax_trees import called_name, syntax_tree
from zephyrun.linking.texts_gone_through import texts_in
from zephyrun.linking.values import Evaluator

# What gives a name beside what it stands for.
_GIVING_PAIRS = frozenset({"getmembers", "getmembers_static"})
_IN_PAIRS, _BY_THEMSELVES = "items", frozenset({"keys", "copy"})
# Methods of texts that tell something about one, or give another one.
_OF_TEXTS = frozenset(
    """startswith endswith isidentifier isupper islower isalpha isalnum istitle upper lower casefold title capitalize
    strip lstrip rstrip removeprefix removesuffix replace split rsplit partition rpartition find count""".split()
)
_COMPARING: dict[type[ast.cmpop], Callable[[Any, Any], bool]] = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.In: lambda first, second: first in second,
    ast.NotIn: lambda first, second: first not in second,
    ast.Is: operator.is_,
    ast.IsNot: operator.is_not,
}


class NotKnown(Exception):
    """What an expression gives is not known."""


def passes_name_over(evaluator: Evaluator, file: LinkedFile, handed: Handed, name: str) -> bool:
    """Whether the names that a call gives of what it is handed (`dir(hive)`, `vars(hive).items()`) are only gone through, and
    nothing is done with one of them."""
    listing = call_handing(file, handed)
    if listing is None:
        return False
    return _is_passed_over(evaluator, file, listing, name, are_pairs=called_name(listing) in _GIVING_PAIRS)


def call_handing(file: LinkedFile, handed: Handed) -> ast.Call | None:
    """The call that hands something to what it calls by a name."""
    tree = syntax_tree(file.data)
    word = tree.attributes.get(handed.call) or tree.names.get(handed.call - len(file.word_before(handed.call)))
    call = tree.around[word] if word is not None else None
    return call if isinstance(call, ast.Call) and call.func is word else None


def namespace_passes_name_over(evaluator: Evaluator, file: LinkedFile, end: int, name: str) -> bool:
    """The same of the names in a namespace, which is an attribute that ends at an offset (`hive.__dict__`)."""
    listing = syntax_tree(file.data).attributes.get(end)
    return listing is not None and _is_passed_over(evaluator, file, listing, name, are_pairs=False)


@once_a_version
def is_never(evaluator: Evaluator, path: str, binding: int, name: str) -> bool:
    """Whether a loop passes a name over, so that its variable is never that one where something is done with it."""
    file = evaluator.file(path)
    if binding < 0 or not file.facts.roles(binding) & BINDING_ROLES <= {Role.LOOP, Role.EACH}:
        return False
    names = syntax_tree(file.data).names
    references = (file.facts.references[index] for index in file.facts.bindings[binding].references)
    targets = [names.get(each.start) for each in references if each.role in (Role.LOOP, Role.EACH)]
    return bool(targets) and all(
        each is not None and Passing(evaluator, file, each.id, name).is_passed_over(_loop_with(file, each)) for each in targets
    )


def _loop_with(file: LinkedFile, target: ast.AST) -> ast.AST:
    tree = syntax_tree(file.data)
    around = tree.around[target]
    while isinstance(around, ast.Tuple | ast.List):
        around = tree.around[around]
    return around


def _is_passed_over(evaluator: Evaluator, file: LinkedFile, listing: ast.expr, name: str, *, are_pairs: bool) -> bool:
    tree = syntax_tree(file.data)
    method = tree.around[listing]
    call = tree.around[method] if isinstance(method, ast.Attribute) else None
    if isinstance(call, ast.Call) and isinstance(method, ast.Attribute) and call.func is method and not call.args:
        if method.attr not in {_IN_PAIRS, *_BY_THEMSELVES}:
            return False
        listing, are_pairs = call, method.attr == _IN_PAIRS
    loop = loop_over(tree, listing)
    variable = name_in(loop.target, 0 if are_pairs else None) if loop is not None else ""
    return loop is not None and bool(variable) and Passing(evaluator, file, variable, name).is_passed_over(loop)


class Passing:
    """What becomes of a name where a variable that a loop goes through is that one."""

    def __init__(self, evaluator: Evaluator, file: LinkedFile, variable: str, name: str) -> None:
        self.evaluator = evaluator
        self.file = file
        self.variable = variable
        self.name = name

    def is_passed_over(self, loop: ast.AST) -> bool:
        """Whether a loop does nothing with the name, but ask what it is."""
        if isinstance(loop, ast.comprehension):
            return self.outcome(ast.BoolOp(ast.And(), loop.ifs)) is False and not is_read_outside(self.file, loop, self.variable)
        if not isinstance(loop, ast.For | ast.AsyncFor) or loop.orelse or is_read_outside(self.file, loop, self.variable):
            return False
        return self._is_left_out(loop.body)

    def _is_left_out(self, statements: list[ast.stmt]) -> bool:
        """Whether none of some statements is run for the name but those that are run for every one, before it is asked for."""
        rest = list(dropwhile(lambda each: not self._is_asked(each), statements))
        for statement in rest:
            if not isinstance(statement, ast.If) or (outcome := self.outcome(statement.test)) is None:
                return False
            match statement.body if outcome else statement.orelse:
                case [ast.Continue()]:
                    return True
                case [ast.If()] as inner:
                    if not self._is_left_out(inner):
                        return False
                case []:
                    pass
                case _:
                    return False
        return bool(rest)

    def _is_asked(self, node: ast.AST) -> bool:
        return any(isinstance(each, ast.Name) and each.id == self.variable for each in ast.walk(node))

    def outcome(self, test: ast.expr) -> bool | None:
        """What a test gives; `None` where that is not known."""
        match test:
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                outcome = self.outcome(operand)
                return None if outcome is None else not outcome
            case ast.BoolOp(op=joined_by, values=operands):
                return self._of_several(operands, deciding=isinstance(joined_by, ast.Or))
        try:
            return bool(self.value(test))
        except NotKnown:
            return None

    def _of_several(self, operands: Iterable[ast.expr], *, deciding: bool) -> bool | None:
        """What joined tests give, of which one with a certain outcome decides."""
        is_known, is_asked = True, False
        for operand in operands:
            outcome = self.outcome(operand)
            if outcome is deciding:
                return deciding
            is_asked |= self._is_asked(operand)
            if outcome is None and is_asked:
                # Who is asked may do something with the name, or is asked for some names and not for others.
                return None
            is_known &= outcome is not None
        return not deciding if is_known else None

    def value(self, node: ast.expr) -> object:
        """What an expression gives that is made of texts and numbers which stand there, and of the name.

        Raises `NotKnown` for any other.
        """
        match node:
            case ast.Name(id=asked) if asked == self.variable:
                return self.name
            case ast.Constant(value=value):
                return value
            case ast.Tuple(elts=elements) | ast.List(elts=elements) | ast.Set(elts=elements):
                return tuple(map(self.value, elements))
            case ast.Name() | ast.Attribute() if (texts := texts_in(self.evaluator, self.file, node)) is not None:
                return texts
            case ast.Call(func=ast.Attribute(value=inner, attr=method), args=arguments, keywords=[]) if method in _OF_TEXTS:
                text = self.value(inner)
                if isinstance(text, str):
                    return _tried(lambda: getattr(text, method)(*map(self.value, arguments)))
            case ast.Subscript(value=inner, slice=ast.Slice(lower=lower, upper=upper, step=None)):
                text = self.value(inner)
                first, last = (None if each is None else self.value(each) for each in (lower, upper))
                return _tried(lambda: text[first:last])  # type: ignore[index]
            case ast.Subscript(value=inner, slice=place):
                text, index = map(self.value, (inner, place))
                return _tried(lambda: text[index])  # type: ignore[index]
            case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int(number))):
                return -number
            case ast.Compare(left=left, ops=[asked], comparators=[right]) if type(asked) in _COMPARING:
                first, second = map(self.value, (left, right))
                return _tried(lambda: _COMPARING[type(asked)](first, second))
        raise NotKnown


def _tried(question: Callable[[], object]) -> object:
    try:
        return question()
    except (TypeError, ValueError, IndexError) as error:
        raise NotKnown from error
