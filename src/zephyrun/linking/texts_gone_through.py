"""The texts that a variable goes through one after the other, where they are written out: in the loop
(`for name in ("kg", "g")`), or in a constant that nobody changes."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from zephyrun.facts import BINDING_ROLES, Role, ScopeKind
from zephyrun.linking.library_calls import COLLECTING
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.set_from_elsewhere import is_set_by_worked_out_name
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Values, ValueSort
from zephyrun.linking.values import Evaluator

Texts = frozenset[str] | None
_LOOPS = (ast.For, ast.AsyncFor, ast.comprehension)
_BUILTIN = "builtins."
# Gives the same elements again, in another order or collection.
_GIVING_AGAIN = frozenset(name.removeprefix(_BUILTIN) for name in COLLECTING if name.startswith(_BUILTIN)) - {"dict"}
# What leaves a collection as it is: functions, and methods of its own.
_ONLY_ASKING = _GIVING_AGAIN | frozenset("len any all min max enumerate zip isinstance".split())
_ASKED = frozenset("index count copy keys items values get".split())
_WHOLE = -1


@once_a_version
def texts_gone_through(evaluator: Evaluator, path: str, binding: int) -> Texts:
    """The texts that a variable may be, by the binding of it; `None` where it may be something else."""
    file = evaluator.file(path)
    if binding < 0 or not file.facts.roles(binding) & BINDING_ROLES <= {Role.LOOP, Role.EACH}:
        return None
    reading = _Reading(evaluator, file)
    if may_be_set_elsewhere(evaluator, file, binding):
        return None
    names = syntax_tree(file.data).names
    references = (file.facts.references[index] for index in file.facts.bindings[binding].references)
    targets = [names.get(each.start) for each in references if each.role in (Role.LOOP, Role.EACH)]
    return all_texts_of(reading.of_target(each) if each is not None else None for each in targets)


def texts_in(evaluator: Evaluator, file: LinkedFile, collection: ast.expr) -> Texts:
    """The texts in a collection; `None` where something else may be in it."""
    return _Reading(evaluator, file).elements(collection, _WHOLE)


def texts_in_variable(evaluator: Evaluator, file: LinkedFile, binding: int) -> Texts:
    """The texts in the collection that a variable is; `None` where something else may be in it."""
    return _Reading(evaluator, file).of_binding(file, binding, _WHOLE)


class _Reading:
    """Reads what is written out in a file; `asked` are the variables on the way."""

    def __init__(self, evaluator: Evaluator, file: LinkedFile, asked: frozenset[tuple[str, int]] = frozenset()) -> None:
        self._evaluator = evaluator
        self._file = file
        self._tree = syntax_tree(file.data)
        self._asked = asked

    def of_target(self, target: ast.Name) -> Texts:
        """The texts that a loop gives one of its targets."""
        around, place = self._tree.around[target], _WHOLE
        if isinstance(around, ast.Tuple):
            place = around.elts.index(target)
        given: ast.AST = target if place == _WHOLE else around
        loop = self._tree.around[given]
        has_rest = isinstance(around, ast.Tuple) and any(isinstance(each, ast.Starred) for each in around.elts)
        return self.elements(loop.iter, place) if isinstance(loop, _LOOPS) and loop.target is given and not has_rest else None

    def elements(self, node: ast.expr, place: int) -> Texts:
        """The texts in a collection, or those at one place in each of its elements."""
        match node:
            case ast.Tuple() | ast.List() | ast.Set():
                return all_texts_of(_text_at(each, place) for each in node.elts)
            case ast.Dict() if place == _WHOLE:
                return all_texts_of(_text_at(each, _WHOLE) if each is not None else None for each in node.keys)
            case ast.IfExp(body=first, orelse=second) | ast.BinOp(left=first, op=ast.Add(), right=second):
                return all_texts_of(self.elements(each, place) for each in (first, second))
            case ast.Subscript(value=inner, slice=ast.Slice()):
                return self.elements(inner, place)
            case ast.Call():
                return self._given_by(node, place)
            case ast.Name():
                reference = self._file.facts.reference_by_start.get(self._tree.start_of(node))
                return self.of_binding(self._file, reference.binding, place) if reference is not None else None
            case ast.Attribute():
                return self._of_attribute(node, place)
        return None

    def _given_by(self, call: ast.Call, place: int) -> Texts:
        """What a call gives that makes another collection of one."""
        match call:
            case ast.Call(func=ast.Name(id=name), args=[inner], keywords=keywords) if name in _GIVING_AGAIN and self._is_builtin(call.func):
                return self.elements(inner, place) if name == "sorted" or not keywords else None
            case ast.Call(func=ast.Name(id="enumerate"), args=[inner], keywords=[]) if place == 1 and self._is_builtin(call.func):
                return self.elements(inner, _WHOLE)
            case ast.Call(func=ast.Attribute(value=ast.Dict() | ast.Name() | ast.Attribute() as inner, attr="items"), args=[], keywords=[]) if place == 0:
                return self.elements(inner, _WHOLE)
            case ast.Call(func=ast.Attribute(value=ast.Dict() | ast.Name() | ast.Attribute() as inner, attr="keys"), args=[], keywords=[]):
                return self.elements(inner, place)
            case ast.Call(func=ast.Attribute(value=ast.Constant(value=str(words)), attr="split"), args=[], keywords=[]) if place == _WHOLE:
                return frozenset(words.split())
        return None

    def _is_builtin(self, name: ast.expr) -> bool:
        reference = self._file.facts.reference_by_start.get(self._tree.start_of(name))
        return reference is not None and self._file.facts.bindings[reference.binding].outside

    def _of_attribute(self, node: ast.Attribute, place: int) -> Texts:
        """The texts in a constant of a module or class."""
        end = self._tree.end_of(node)
        uses = [use for use in self._file.links.attributes_by_name.get(node.attr, ()) if use.end == end]
        values = self._evaluator.values(self._file, uses[0].receiver) if uses else frozenset()
        found: list[Texts] = []
        for value in values:
            if value.sort is ValueSort.MODULE:
                there = self._evaluator.file(value.path)
                found.append(self.of_binding(there, there.module_bindings.get(node.attr, -1), place))
            elif value.sort in (ValueSort.INSTANCE, ValueSort.CLASS):
                found.append(self._of_classes((value.path, value.number), node.attr, place))
            else:
                return None
        return all_texts_of(found) if found else None

    def _of_classes(self, key: tuple[str, int], name: str, place: int) -> Texts:
        """The texts in what a class, or one above or below it, has by a name."""
        evaluator = self._evaluator
        bindings = [(each[0], evaluator.binding_in(each, name)) for each in evaluator.relatives(key)]
        bound = [(path, binding) for path, binding in bindings if binding is not None]
        if not bound or evaluator.is_set(name) or evaluator.unknown_above(key):
            return None
        return all_texts_of(self.of_binding(evaluator.file(path), binding, place) for path, binding in bound)

    def of_binding(self, file: LinkedFile, binding: int, place: int) -> Texts:
        """The texts in a variable that is given collections which are written out, and no others."""
        if binding < 0 or (file.path, binding) in self._asked or not file.is_own:
            return None
        inner = _Reading(self._evaluator, file, self._asked | {(file.path, binding)})
        roles = file.facts.roles(binding) & BINDING_ROLES
        if roles == {Role.IMPORT}:
            return inner._of_import(binding, place)
        if roles != {Role.ASSIGN} or may_be_set_elsewhere(inner._evaluator, file, binding):
            return None
        values = [*inner._values_given(binding)]
        are_fixed = all(isinstance(each, ast.Tuple) for each in values) or inner._stays_as_it_is(binding)
        return all_texts_of(inner.elements(each, place) if each is not None else None for each in values) if are_fixed else None

    def _of_import(self, binding: int, place: int) -> Texts:
        linkage, file = self._evaluator.linkage, self._file
        found: list[Texts] = []
        for use in file.links.imports:
            if use.binding == binding:
                path = linkage.find_module(linkage.module_of_import(file, use), file.path) if use.name else None
                there = linkage.file(path) if path is not None else None
                found.append(self.of_binding(there, there.module_bindings.get(use.name, -1), place) if there is not None else None)
        return all_texts_of(found) if found else None

    def _values_given(self, binding: int) -> Iterator[ast.expr | None]:
        """What statements give a variable; `None` for what is no plain assignment."""
        for index in self._file.facts.bindings[binding].references:
            reference = self._file.facts.references[index]
            if reference.role is Role.ASSIGN:
                name = self._tree.names.get(reference.start)
                statement = self._tree.around[name] if name is not None else None
                is_plain = isinstance(statement, ast.Assign) and statement.targets == [name]
                value = statement.value if isinstance(statement, ast.Assign | ast.AnnAssign) else None
                yield value if is_plain or isinstance(statement, ast.AnnAssign) else None

    def _stays_as_it_is(self, binding: int) -> bool:
        """Whether nobody changes the collection in a variable, or hands it to somebody who might."""
        record, facts = self._file.facts.bindings[binding], self._file.facts
        reads = [facts.references[index] for index in record.references if facts.references[index].role is Role.READ]
        nodes: list[ast.AST | None] = [self._tree.names.get(each.start) for each in reads]
        if not all(node is not None and self._is_only_read(node) for node in nodes):
            return False
        if facts.scopes[record.scope].kind is ScopeKind.FUNCTION:
            return True
        if self._evaluator.linkage.stands_in_quotes(record.name):
            # Somebody may ask for it by its name.
            return False
        for other in self._evaluator.linkage.mentioning(record.name):
            there = _Reading(self._evaluator, other)
            if any(use.name == record.name for use in other.links.imports):
                return False
            for use in other.links.attributes_by_name.get(record.name, ()):
                node = there._tree.attributes.get(use.end)
                is_only_read = node is not None and there._is_only_read(node)
                if not is_only_read and _may_lie_in(self._evaluator.values(other, use.receiver), self._file):
                    return False
        return True

    def _is_only_read(self, node: ast.AST) -> bool:
        """Whether a collection is gone through, asked for something or looked into where it stands."""
        outer = self._tree.around[node]
        match outer:
            case ast.Attribute(attr=name):
                call = self._tree.around[outer]
                return isinstance(call, ast.Call) and call.func is outer and name in _ASKED
            case ast.Call(func=ast.Name(id=name)):
                return node in outer.args and name in _ONLY_ASKING and self._is_builtin(outer.func)
            case ast.Call(func=ast.Attribute(value=ast.Constant(), attr="join")):
                return True
            case ast.Compare(ops=operators):
                return all(isinstance(each, ast.In | ast.NotIn | ast.Is | ast.IsNot) for each in operators)
            case ast.Subscript(ctx=ast.Load()) | ast.If() | ast.Starred(ctx=ast.Load()):
                return True
        return isinstance(outer, _LOOPS) and outer.iter is node


def may_be_set_elsewhere(evaluator: Evaluator, file: LinkedFile, binding: int) -> bool:
    """Whether something may give a variable another value than its own file shows."""
    record, facts = file.facts.bindings[binding], file.facts
    if facts.scopes[record.scope].kind is ScopeKind.FUNCTION:
        return False
    is_written = bool(evaluator.linkage.paths_writing_to_others(record.name)) and _is_written_by_others(evaluator, file, record.name)
    is_named = record.name in evaluator.names_set or "globals" in file.source.text
    return is_written or is_named or is_set_by_worked_out_name(evaluator, file)


def _is_written_by_others(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether an attribute of that name that is written somewhere may be the variable of a module, or class in it."""
    writes = evaluator.writes_in_reach(name)
    return writes is None or any(_may_lie_in(evaluator.values(other, use.receiver), file) for other, use in writes)


def _may_lie_in(values: Values, file: LinkedFile) -> bool:
    """Whether something may be a module, or a class or instance of it."""
    return any(value == UNKNOWN_VALUE or value.path == file.path for value in values)


def _text_at(node: ast.expr, place: int) -> Texts:
    """The text that an element is, or has at a place."""
    if place != _WHOLE:
        inner = node.elts if isinstance(node, ast.Tuple | ast.List) else []
        if len(inner) <= place or any(isinstance(each, ast.Starred) for each in inner):
            return None
        node = inner[place]
    return frozenset({node.value}) if isinstance(node, ast.Constant) and isinstance(node.value, str) else None


def all_texts_of(parts: Iterable[Texts]) -> Texts:
    """All texts of some parts; `None` where one of them may be something else."""
    found: frozenset[str] = frozenset()
    for part in parts:
        if part is None:
            return None
        found |= part
    return found
