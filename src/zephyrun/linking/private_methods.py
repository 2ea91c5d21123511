"""Methods whose private name nothing else in sight bears: whatever is asked for such a name gives one of them, under the
assumption of that name."""

from __future__ import annotations

from zephyrun.facts import BINDING_ROLES, Role
from zephyrun.link_facts import Origin, OriginSort
from zephyrun.linking.class_families import ClassFamily
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.lookup_calls import READING_HOOKS
from zephyrun.linking.names_begun import may_begin_in
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.usage import Target, TargetSort, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Value, Values, ValueSort
from zephyrun.linking.values import Evaluator

# What tells of a stand-in, which bears any name, how it was called. Source: library reference, `unittest.mock`.
TELLING_CALLS = (*(f"{name}{end}" for name in ("call_args", "await_args") for end in ("", "_list")), "mock_calls", "method_calls")


def methods_called(evaluator: Evaluator, file: LinkedFile, callee: Origin) -> Values:
    """The methods that may be called as a private attribute of who knows what; none where something else may be."""
    if callee.sort is not OriginSort.ATTRIBUTE or not callee.name.startswith("_") or callee.name.endswith("__"):
        return frozenset()
    if UNKNOWN_VALUE not in evaluator.values(file, callee):
        return frozenset()
    return _methods_of_name(evaluator, callee.name)


@once_a_version
def _methods_of_name(evaluator: Evaluator, name: str) -> Values:
    """The methods of the one family of classes that has a private name; none where something else may bear it."""
    linkage = evaluator.linkage
    files = list(linkage.mentioning(name))
    bearing = [
        (file.path, number)
        for file in files
        for number, record in enumerate(file.links.classes)
        if file.is_own and name in file.class_bindings.get(record.scope, {})
    ]
    if not bearing or evaluator.is_set(name) or any(use.name == name for file in files for use in file.links.keywords):
        return frozenset()
    if any(map(linkage.paths_mentioning, (*READING_HOOKS, *TELLING_CALLS))):
        return frozenset()
    if linkage.stands_in_quotes(name) or any(may_begin_in(evaluator, path, name) for path in linkage.paths):
        return frozenset()
    path, number = bearing[0]
    family = ClassFamily(evaluator, Usage(Target(TargetSort.MEMBER, path, name, number)))
    if family.find_other_bearers() or family.modules_that_bear:
        return frozenset()
    found: set[Value] = set()
    for path, number in family.classes:
        file = evaluator.file(path)
        binding = evaluator.binding_in((path, number), name)
        is_bound_otherwise = binding is not None and file.facts.roles(binding) & BINDING_ROLES != {Role.FUNCTION}
        values = evaluator.attribute_values(file, Value(ValueSort.INSTANCE, path, number), name)
        if is_bound_otherwise or not all(value.sort is ValueSort.FUNCTION for value in values):
            return frozenset()
        found |= values
    return frozenset(found)
