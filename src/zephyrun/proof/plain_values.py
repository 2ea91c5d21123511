"""What surely gives a number, a truth value or a text: values that die without a trace and compare as built in.

A local is such a value where all that it is ever given is. That operators give numbers where one side is a
number is an assumption of the contract, which whoever relies on a number has to name.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from enum import StrEnum

from zephyrun.facts import Role, ScopeKind
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.proof.normal_form import Version


class Kind(StrEnum):
    """What sort of plain value something is."""

    TRUTH = "truth value"
    NUMBER = "number"
    TEXT = "text"


# Operators that give numbers, or fail, where one side is a number.
_ON_NUMBERS = (ast.Add, ast.Sub, ast.Div, ast.FloorDiv, ast.Pow)
_BUILTINS = {
    **dict.fromkeys(("len", "int", "float", "ord", "round"), Kind.NUMBER),
    **dict.fromkeys(("isinstance", "issubclass", "callable", "hasattr", "any", "all", "bool"), Kind.TRUTH),
    **dict.fromkeys(("ascii", "hex", "oct", "bin", "chr"), Kind.TEXT),
}
# Methods of texts that give a text of the very class. Source: library reference.
_TEXT_METHODS = frozenset(
    """capitalize casefold center expandtabs format join ljust lower lstrip removeprefix removesuffix replace rjust
    rstrip strip swapcase title translate upper zfill""".split()
)
_CONSTANTS: dict[type, Kind] = {bool: Kind.TRUTH, int: Kind.NUMBER, float: Kind.NUMBER, str: Kind.TEXT}
_BINDING = (Role.ASSIGN, Role.AUGMENT, Role.LOOP)
# By where a name stands, what it is given there: the operator where it keeps something, and the value.
_Given = tuple[ast.operator | None, ast.expr]


class PlainValues:
    """Tells the plain values of one version of a file, whose tree it reads as it is now."""

    def __init__(self, version: Version, *, are_builtins_set: bool) -> None:
        """With `are_builtins_set`, builtins may be something else."""
        self._parsed = version.parsed
        self._are_builtins_set = are_builtins_set
        self._constants = version.constants
        self._kinds: dict[int, Kind] = {}
        given = dict(self._all_given(version.parsed.tree))
        values = dict(self._plain_locals(given))
        self._kinds = {binding: kind for binding, each in values.items() if (kind := self._first_kind(each))}
        # What each rests on may turn out to be no such value after all.
        while wrong := [binding for binding, kind in self._kinds.items() if not self._are_all(values[binding], kind)]:
            for binding in wrong:
                del self._kinds[binding]

    def kind(self, node: ast.expr) -> Kind | None:
        """What an expression surely is, if it is plain."""
        match node:
            case ast.Constant():
                return _CONSTANTS.get(type(node.value))
            case ast.Name():
                return self._kind_of_name(node)
            case ast.Compare() | ast.UnaryOp(op=ast.Not()):
                return Kind.TRUTH
            case ast.BoolOp():
                kinds = {self.kind(each) for each in node.values}
                return kinds.pop() if len(kinds) == 1 else None
            case ast.IfExp():
                kinds = {self.kind(node.body), self.kind(node.orelse)}
                return kinds.pop() if len(kinds) == 1 else None
            case ast.UnaryOp(op=ast.USub()):
                return Kind.NUMBER if self.kind(node.operand) is Kind.NUMBER else None
            case ast.BinOp():
                return self._kind_of_operation(node.op, node.left, node.right)
            case ast.JoinedStr():
                # One part alone may be a text of a class of its own.
                is_joined = any(isinstance(each, ast.Constant) for each in node.values)
                return Kind.TEXT if is_joined else None
            case ast.Call():
                return self._kind_of_call(node)
        return None

    def is_builtin(self, name: ast.Name) -> bool:
        """Whether a name is that of a builtin, and surely means it."""
        if self._are_builtins_set:
            return False
        return name.id in BUILTINS and self._parsed.facts.bindings[self._parsed.binding_of(name)].outside

    # -- expressions -------------------------------------------------------------------------

    def _kind_of_name(self, name: ast.Name) -> Kind | None:
        binding = self._parsed.binding_of(name)
        if (constant := self._constants.get(binding)) is not None:
            return self.kind(constant.value)
        return self._kinds.get(binding)

    def _kind_of_operation(self, operator: ast.operator, left: ast.expr, right: ast.expr) -> Kind | None:
        sides = self.kind(left), self.kind(right)
        if isinstance(operator, ast.Mod) and sides[0] is Kind.TEXT:
            return Kind.TEXT
        if isinstance(operator, ast.Add) and sides == (Kind.TEXT, Kind.TEXT):
            return Kind.TEXT
        are_numbers = [side is Kind.NUMBER for side in sides]
        if isinstance(operator, ast.Mult):
            # A whole number times a list is a list.
            is_float = any(isinstance(each, ast.Constant) and type(each.value) is float for each in (left, right))
            return Kind.NUMBER if all(are_numbers) or is_float else None
        is_number = all(are_numbers) or (any(are_numbers) and isinstance(operator, _ON_NUMBERS))
        return Kind.NUMBER if is_number else None

    def _kind_of_call(self, call: ast.Call) -> Kind | None:
        if isinstance(call.func, ast.Name):
            return _BUILTINS.get(call.func.id) if self.is_builtin(call.func) else None
        if isinstance(call.func, ast.Attribute) and call.func.attr in _TEXT_METHODS:
            return self.kind(call.func.value) if self.kind(call.func.value) is Kind.TEXT else None
        return None

    # -- locals ------------------------------------------------------------------------------

    def _all_given(self, tree: ast.Module) -> Iterator[tuple[int, _Given]]:
        """What each name that alone is given something is given, by where it stands."""
        for node in nodes_in(tree):
            match node:
                case ast.Assign(targets=[ast.Name() as target], value=value):
                    yield self._parsed.start_of(target), (None, value)
                case ast.AnnAssign(target=ast.Name() as target, value=ast.expr() as value):
                    yield self._parsed.start_of(target), (None, value)
                case ast.AugAssign(target=ast.Name() as target, op=operator, value=value):
                    yield self._parsed.start_of(target), (operator, value)
                case ast.For(target=ast.Name() as target, iter=ast.Call(func=ast.Name("range") as called)):
                    if self.is_builtin(called):
                        yield self._parsed.start_of(target), (None, ast.Constant(0))

    def _plain_locals(self, given: dict[int, _Given]) -> Iterator[tuple[int, list[_Given]]]:
        """The variables of functions that are nowhere given what cannot be told, with all they are given."""
        facts = self._parsed.facts
        for number, record in enumerate(facts.bindings):
            if record.outside or facts.scopes[record.scope].kind is not ScopeKind.FUNCTION:
                continue
            references = [facts.references[index] for index in record.references]
            binding = [each for each in references if each.role is not Role.READ]
            if binding and all(each.role in _BINDING and each.start in given for each in binding):
                yield number, [given[each.start] for each in binding]

    def _first_kind(self, values: list[_Given]) -> Kind | None:
        kinds = {self.kind(value) for operator, value in values if operator is None} - {None}
        return kinds.pop() if len(kinds) == 1 else None

    def _are_all(self, values: list[_Given], kind: Kind) -> bool:
        return all(
            self.kind(value) is kind if operator is None else self._keeps(kind, operator, value)
            for operator, value in values
        )

    def _keeps(self, kind: Kind, operator: ast.operator, value: ast.expr) -> bool:
        """Whether what is of a kind is still, once a value has been added to it, or the like."""
        if kind is Kind.TEXT:
            return isinstance(operator, ast.Add) and self.kind(value) is Kind.TEXT
        is_number = self.kind(value) is Kind.NUMBER
        return kind is Kind.NUMBER and (is_number or isinstance(operator, _ON_NUMBERS))
