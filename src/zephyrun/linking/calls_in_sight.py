"""All that calls hand to a function, where every call of it is in sight."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import NamedTuple

from zephyrun.facts import BINDING_ROLES, Reference, Role, ScopeKind
from zephyrun.link_facts import FunctionRecord, Handed, Lookup, Origin, OriginSort, ParameterRecord
from zephyrun.linking.import_graph import may_be_loaded
from zephyrun.linking.library_bases import LibraryBases
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

Calls = list[tuple[LinkedFile, Handed]]

_MOST_FILES_FOR_ONE = 30
_BASES_THAT_CALL_NOTHING = ("builtins.object", "abc.ABC", "typing.Generic", "enum.", "builtins.Exception")
# What holds functions under their names.
_MODULES = (ValueSort.MODULE, ValueSort.PACKAGE, ValueSort.FOREIGN)
_OF_CLASSES = (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE)
_OF_OTHERS = (ValueSort.PLAIN, ValueSort.SERIES, ValueSort.TUPLE, ValueSort.MAPPING, ValueSort.OUTSIDE)
_WRITTEN_WORD = lazy_pattern(r"([\"'])\w*\1")
_GIVEN_BACK = lazy_pattern(r"return\s+\w+\s*(?:#.*)?")


class _Wanted(NamedTuple):
    """The calls that are sought: of the function itself, or of what it gives, where it gives a function that
    stands inside it (`n_calls` times)."""

    record: FunctionRecord
    n_calls: int = 0

    def ends(self, file: LinkedFile) -> frozenset[int]:
        """Where a name of the function may end, in a file: every other use of it is none in sight."""
        return file.links.called_through if self.n_calls else file.links.called

    def name_called(self, handed: Handed) -> Origin | None:
        """What stands for the function in a call of that depth."""
        callee = handed.callee
        for _ in range(self.n_calls):
            if callee.sort is not OriginSort.CALL:
                return None
            callee = callee.parts[0]
        return callee


def find_calls(evaluator: Evaluator, file: LinkedFile, index: int) -> Calls | None:
    """All that calls hand to a function, `None` where some of them may not be in sight: it is handed on or
    kept as a value, code outside may call it, or arguments are spread out. What a decorator is handed counts."""
    own_lookups = _own_lookups(evaluator, file, index)
    calls = _find_calls(evaluator, file, _Wanted(file.links.functions[index]), {each.start for each in own_lookups})
    if calls is None or any(each.keyword in ("*", "**") for _, each in calls):
        return None
    if any(_may_come_to_itself(evaluator, file, index, *each, calls) for each in own_lookups.items()):
        return None
    return calls


def _own_lookups(evaluator: Evaluator, file: LinkedFile, index: int) -> dict[Lookup, ParameterRecord]:
    """The lookups by which a function may come to itself, and which ask for what callers hand in, with the parameter: where
    all of them are in sight, these show whether it does."""
    record = file.links.functions[index]
    found = [
        lookup
        for definition in file.facts.definitions_by_name.get(record.name, ())
        if definition.name_start == record.name_start
        for lookup in file.links.lookups
        if definition.start <= lookup.start < definition.end and lookup.may_find(record.name)
    ]
    if not found or not may_be_looked_up(evaluator, file, record.name, is_member=record.owner >= 0):
        return {}
    named = ((lookup, _names_parameter(file, lookup, index)) for lookup in found)
    return {lookup: parameter for lookup, parameter in named if parameter is not None}


def _names_parameter(file: LinkedFile, lookup: Lookup, index: int) -> ParameterRecord | None:
    """The parameter of a function by which alone a lookup in it works out what it asks for: what it comes to depends on what
    callers hand in."""
    number, parameter = file.parameter_by_binding.get(lookup.only_name, (-1, None))
    if number != index or parameter is None or parameter.default is not None:
        return None
    return parameter if file.facts.roles(lookup.only_name) & BINDING_ROLES == {Role.PARAMETER} else None


def _may_come_to_itself(
    evaluator: Evaluator, file: LinkedFile, index: int, lookup: Lookup, parameter: ParameterRecord, calls: Calls
) -> bool:
    """Whether a function may call itself by a name that it works out of what some calls hand to it."""
    name = file.links.functions[index].name
    inner = name[len(lookup.prefix) : len(name) - len(lookup.suffix)]
    handed_in = [
        other.source.text[each.start : each.end]
        for other, each in calls
        if parameter in evaluator.parameters_filled(file, index, other, each)
    ]
    return not all(_WRITTEN_WORD.fullmatch(code) is not None and code[1:-1] != inner for code in handed_in)


def _find_calls(
    evaluator: Evaluator, file: LinkedFile, wanted: _Wanted, own_lookups: Collection[int] = ()
) -> Calls | None:
    record = wanted.record
    is_open = evaluator.linkage.is_library and not record.name.startswith("_")
    if record.binding < 0 or record.name.startswith("__") or not all(
        evaluator.is_harmless(file, decorator) for decorator in record.decorators
    ):
        return None

    kind = file.facts.scopes[file.facts.bindings[record.binding].scope].kind
    if kind is ScopeKind.FUNCTION:
        return _calls_by_binding(evaluator, file, record.binding, wanted)
    title = file.links.classes[record.owner].name if record.owner >= 0 else record.name
    if is_open or may_be_loaded(evaluator, file.path, title) or evaluator.linkage.stands_in_examples(record.name):
        return None

    if len(evaluator.linkage.paths_mentioning(record.name)) > _MOST_FILES_FOR_ONE:
        return None
    is_member = record.owner >= 0
    if may_be_looked_up(evaluator, file, record.name, own_lookups, is_member=is_member, owner=record.owner):
        return None
    if not _is_called_by_us_alone(evaluator, file, record):
        return None

    found: Calls = []
    if kind is ScopeKind.MODULE:
        if re.search(r"\bglobals\s*\(", file.source.text):
            return None
        own = _calls_by_binding(evaluator, file, record.binding, wanted)
        if own is None:
            return None
        found += own

    for other in evaluator.linkage.mentioning(record.name):
        more = _calls_from(evaluator, other, file, wanted, kind)
        if more is None:
            return None
        found += more
    return found


def may_be_looked_up(
    evaluator: Evaluator,
    file: LinkedFile,
    name: str,
    told_otherwise: Collection[int] = (),
    *,
    is_member: bool,
    owner: int = -1,
) -> bool:
    """Whether a name that is worked out may lead to a name of a module, or of a class in it; but for lookups of the module
    of which that is told otherwise, by where they start. With `owner`, only who may be of that class leads to its names."""
    of_class = LibraryBases(evaluator, evaluator.relatives((file.path, owner))) if owner >= 0 else None
    for path in evaluator.linkage.lookup_paths:
        other = evaluator.linkage.file(path)
        for lookup in other.links.lookups if other is not None else ():
            assert other is not None, "it has calls"
            if not lookup.may_find(name) or (path == file.path and lookup.start in told_otherwise):
                continue
            sources = other.links.sources.get(lookup.receiver.binding, ())
            is_module = any(each.sort is OriginSort.IMPORTED for each in sources) and any(
                value == UNKNOWN_VALUE or value.sort in _MODULES
                for value in evaluator.values(other, lookup.receiver)
            )
            is_near = path == file.path or not name.startswith("_")
            if is_near and of_class is not None and not of_class.may_be_of_ours(evaluator.values(other, lookup.receiver)):
                continue
            if is_near if is_member else is_module:
                return True
    return False


def _is_called_by_us_alone(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether no library calls a method that it knows from a base, and the class's body does not make
    something else of it."""
    if record.owner < 0:
        return True
    key = (file.path, record.owner)
    if evaluator.unknown_above(key) or any(
        not name.startswith(_BASES_THAT_CALL_NOTHING) for name in evaluator.foreign_above(key)
    ):
        return False
    for each in evaluator.relatives(key):
        other = evaluator.file(each[0])
        binding = evaluator.binding_in(each, record.name)
        if binding is None:
            continue
        if not other.is_own or Role.READ in other.facts.roles(binding):
            return False
    return True


def _calls_by_binding(
    evaluator: Evaluator, file: LinkedFile, binding: int, wanted: _Wanted
) -> Calls | None:
    """What calls by a name in its own file hand over; `None` where it is not only called. A function inside
    another that gives it is called where the other one's result is."""
    found: Calls = []
    is_given_back = False
    for index in file.facts.bindings[binding].references:
        reference = file.facts.references[index]
        if reference.role in (Role.FUNCTION, Role.IMPORT) or reference.end in wanted.ends(file):
            continue
        if not _is_given_back(file, reference):
            return None
        is_given_back = True
    if is_given_back:
        more = _calls_of_result(evaluator, file, binding, wanted)
        if more is None:
            return None
        found += more
    for handed in (*file.links.handed, *file.decorated):
        callee = wanted.name_called(handed)
        if callee is not None and callee.sort is OriginSort.NAME and callee.binding == binding:
            found.append((file, handed))
    return found


def _is_given_back(file: LinkedFile, reference: Reference) -> bool:
    """Whether a name is all that a statement gives back, in the function in which it is bound."""
    statement = file.facts.statements[file.facts.statement_at(reference.start)]
    return (
        reference.scope == file.facts.bindings[reference.binding].scope
        and _GIVEN_BACK.fullmatch(file.source.text, statement.start, statement.end) is not None
    )


def _calls_of_result(
    evaluator: Evaluator, file: LinkedFile, binding: int, wanted: _Wanted
) -> Calls | None:
    """What is handed to a function where the one around it has given it back."""
    scope = file.facts.bindings[binding].scope
    starts = {each.name_start for each in file.facts.definitions if each.inner_scope == scope}
    around = [record for record in file.links.functions if record.name_start in starts]
    is_bound_here = wanted.record.binding == binding and wanted.record in file.links.functions
    # A decorator of the function around may give something else than it does.
    if not is_bound_here or len(around) != 1 or around[0].binding < 0 or around[0].decorators:
        return None
    return _find_calls(evaluator, file, _Wanted(around[0], wanted.n_calls + 1))


def _calls_from(
    evaluator: Evaluator, other: LinkedFile, file: LinkedFile, wanted: _Wanted, kind: ScopeKind
) -> Calls | None:
    """What the calls in one file hand over, where a function may be called by its name there."""
    name = wanted.record.name
    found: Calls = []
    for use in other.links.imports:
        if kind is ScopeKind.MODULE and use.name in (name, "*") and other.path != file.path:
            module = evaluator.linkage.module_of_import(other, use)
            if evaluator.linkage.find_module(module, other.path) not in (file.path, None):
                continue
            if use.name == "*" or use.binding < 0:
                return None
            more = _calls_by_binding(evaluator, other, use.binding, wanted)
            if more is None:
                return None
            found += more
    for attribute in other.links.attributes_by_name.get(name, ()):
        if attribute.end not in wanted.ends(other) and _may_be_it(evaluator, other, attribute.receiver, file, wanted):
            return None
    if any(text.words.rpartition(".")[2] == name for text in other.links.texts):
        return None
    for handed in (*other.links.handed, *other.decorated):
        callee = wanted.name_called(handed)
        if callee is not None and callee.sort is OriginSort.ATTRIBUTE and callee.name == name:
            if _may_be_it(evaluator, other, callee.parts[0], file, wanted):
                found.append((other, handed))
    return found


def _may_be_it(evaluator: Evaluator, other: LinkedFile, receiver: Origin, file: LinkedFile, wanted: _Wanted) -> bool:
    """Whether an attribute with the name of the function may be the function."""
    owner = wanted.record.owner
    relatives = evaluator.relatives((file.path, owner)) if owner >= 0 else []
    # What is said to be of a library may be of a class of the project's own below that.
    bases = LibraryBases(evaluator, relatives)
    return any(
        (value.path, value.number) in relatives
        if value.sort in _OF_CLASSES
        else value.sort not in _OF_OTHERS or (owner >= 0 and bases.have_instance(value))
        for value in evaluator.values(other, receiver)
    )
