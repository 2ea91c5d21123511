"""What could read the documentation of a module, a class or a function while a program runs."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.link_facts import ClassRecord, FunctionRecord, Origin
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.values import ClassKey, Evaluator, Value, ValueSort
from zephyrun.linking.whereabouts import is_never_asked

# A prompt, behind which examples stand that can be run.
RUN_EXAMPLE = re.compile(r"(?m)^\s*>>>")
_TEXT = "__doc__"
_NAMESPACE = "__dict__"
# Attributes of a function that are its documentation, or hold it.
_LEADING_TO_IT = frozenset({_TEXT, "__code__"})
# Show the documentation of what they are handed. Source: library reference.
_SHOWING = frozenset({"builtins.help", "inspect.getdoc", "inspect.getmembers", "pydoc.render_doc", "pydoc.getdoc"})
_SHOWING_WORDS = ("help", "getdoc", "getmembers", "pydoc", "vars")
# Classes of libraries that do not look at documentation. Source: library reference.
_INDIFFERENT = ("builtins.", "abc.", "typing.", "enum.", "collections.abc.", "collections.namedtuple", "dataclasses.")


def reader_of_module(evaluator: Evaluator, path: str) -> str:
    """What may read the documentation of a module, in a phrase; "" for nothing."""
    if _names_it(evaluator.file(path)):
        return f"{path} reads its own documentation"
    for place, values in _looked_at(evaluator):
        if any(_is_open(value) or (value.sort is ValueSort.MODULE and value.path == path) for value in values):
            return f"{place} may read the documentation of the module"
    return ""


def reader_of_class(evaluator: Evaluator, path: str, record: ClassRecord) -> str:
    """What may read the documentation of a class, in a phrase; "" for nothing."""
    file = evaluator.file(path)
    key = (path, file.links.classes.index(record))
    if _names_it(file):
        return f"{path} reads its own documentation"
    if reason := _not_understood(evaluator, key):
        return reason
    family = evaluator.relatives(key)
    for place, values in _looked_at(evaluator):
        for value in values:
            is_of_family = value.sort in (ValueSort.CLASS, ValueSort.INSTANCE, ValueSort.ABOVE)
            if _is_open(value) or (is_of_family and (value.path, value.number) in family):
                return f"{place} may read the documentation of {record.name}"
    return ""


def reader_of_function(evaluator: Evaluator, path: str, record: FunctionRecord, *, is_walked: bool) -> str:
    """What may read the documentation of a function or method, in a phrase; "" for nothing. With `is_walked`,
    something goes through all names of the module."""
    file = evaluator.file(path)
    for decorator in record.decorators:
        if not evaluator.is_harmless(file, decorator):
            return f"the decorator of {record.name} may read its documentation"
    if record.owner >= 0 and (reason := _not_understood(evaluator, (path, record.owner))):
        return reason
    if not is_never_asked(evaluator, file, record, _LEADING_TO_IT):
        return f"what {record.name} is handed to may read its documentation"
    if record.owner >= 0 or is_walked:
        for place, values in _looked_at(evaluator):
            if any(value.sort is ValueSort.UNKNOWN for value in values):
                return f"{place} may read the documentation of {record.name}"
    return ""


def _names_it(file: LinkedFile) -> bool:
    """Whether a file reads the documentation of the module, or of the class around, by its bare name."""
    return any(binding.name == _TEXT for binding in file.facts.bindings)


def _not_understood(evaluator: Evaluator, key: ClassKey) -> str:
    """What may look at all that a class holds: a decorator, a metaclass or a base."""
    file, record = evaluator.file(key[0]), evaluator.class_record(key)
    if not all(evaluator.is_harmless(file, decorator) for decorator in record.decorators):
        return f"the decorator of {record.name} may read documentation"
    for each in evaluator.above(key):
        if evaluator.has_own_metaclass(each):
            return f"the metaclass of {record.name} may read documentation"
        if not evaluator.file(each[0]).is_own:
            return f"a base of {record.name} may read documentation"
    bases = [*evaluator.foreign_above(key), *evaluator.unknown_above(key)]
    for name in bases:
        if not name.startswith(_INDIFFERENT):
            return f"{name}, a base of {record.name}, may read documentation"
    return ""


def _looked_at(evaluator: Evaluator) -> Iterator[tuple[str, frozenset[Value]]]:
    """Each place at which code looks at the documentation of something, or at all that it has, and what that
    may be."""
    for file in evaluator.linkage.mentioning_any({_TEXT, _NAMESPACE}):
        for name in (_TEXT, _NAMESPACE):
            for use in file.links.attributes_by_name.get(name, ()):
                yield _place(file, use.start), evaluator.values(file, use.receiver)
        for text in file.links.texts:
            if text.words == _TEXT:
                yield _place(file, text.start), _values_beside(evaluator, file, text.call)
    for file in evaluator.linkage.mentioning_any(_SHOWING_WORDS):
        for handed in file.links.handed:
            if handed.callee.name == "vars" or _shows(evaluator, file, handed.callee):
                yield _place(file, handed.start), evaluator.values(file, handed.value)


def _values_beside(evaluator: Evaluator, file: LinkedFile, call: int) -> frozenset[Value]:
    """What a call is handed in which `"__doc__"` stands."""
    found = [evaluator.values(file, each.value) for each in file.handed_by_call.get(call, ())]
    return frozenset().union(*found) if found else frozenset({Value(ValueSort.UNKNOWN)})


def _shows(evaluator: Evaluator, file: LinkedFile, callee: Origin) -> bool:
    return any(evaluator.library_name(value) in _SHOWING for value in evaluator.values(file, callee))


def _is_open(value: Value) -> bool:
    return value.sort is ValueSort.UNKNOWN


def _place(file: LinkedFile, start: int) -> str:
    return f"{file.path}, line {file.line_of(start)},"
