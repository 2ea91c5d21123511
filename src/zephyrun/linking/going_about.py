"""Functions and classes that go about as values: whoever has one may call it in any way."""

from __future__ import annotations

import re

from zephyrun.facts import Role
from zephyrun.link_facts import Handed, Origin
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.references import MAKING_METHODS
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.values import UNKNOWN_VALUE, ClassKey, Evaluator, FunctionKey, ValueSort

# What calls functions that it is given by position only. Source: library reference.
CALLING_BY_POSITION = frozenset(
    """builtins.map builtins.filter builtins.sorted builtins.min builtins.max builtins.iter
    functools.partial functools.partialmethod functools.reduce functools.cmp_to_key itertools.starmap itertools.takewhile itertools.dropwhile
    itertools.groupby itertools.filterfalse itertools.accumulate re.sub atexit.register signal.signal
    builtins.callable builtins.isinstance builtins.id builtins.print builtins.repr builtins.str
    builtins.list builtins.tuple builtins.set builtins.dict builtins.property builtins.staticmethod
    builtins.classmethod builtins.hash builtins.bool collections.defaultdict weakref.ref weakref.proxy
    asyncio.run asyncio.create_task asyncio.gather asyncio.wait_for asyncio.ensure_future""".split()
)
# What stands before a class that is caught, and before one that is a value rather than a type.
_CATCHES = re.compile(r"\bexcept\s*\(?[\w.,\s]*\Z")
_GIVES_VALUE = re.compile(r"=\s*[\w.\[({,\s]*\Z")


@once_a_version
def is_kept(evaluator: Evaluator, key: FunctionKey) -> bool:
    """Whether a function is handed on or kept as a value somewhere, or may be found by its name."""
    file = evaluator.file(key[0])
    record = file.links.functions[key[1]]
    if record.binding < 0 or not all(
        evaluator.is_harmless(file, decorator) for decorator in record.decorators
    ):
        return True
    if record.owner >= 0:
        if _is_looked_up(evaluator, (key[0], record.owner), record.name):
            return True
        if record.name in MAKING_METHODS:
            return _is_class_kept(evaluator, (key[0], record.owner))
        return any(
            use.end not in other.links.called
            for other in evaluator.linkage.mentioning(record.name)
            for use in other.links.attributes_by_name.get(record.name, ())
        )
    if "globals()" in file.source.text:
        return True
    return any(
        reference.start != record.name_start and reference.end not in file.links.called
        for index in file.facts.bindings[record.binding].references
        for reference in [file.facts.references[index]]
    ) or _is_kept_elsewhere(evaluator, record.name, file)


def _is_looked_up(evaluator: Evaluator, owner: ClassKey, name: str) -> bool:
    """Whether a method may be found by a name that is worked out."""
    if name.startswith("__"):
        return False
    # A private name is seldom worked out: somewhere it would have to stand as a text.
    is_unwritten = name.startswith("_") and not evaluator.linkage.stands_in_quotes(name)
    relatives = evaluator.relatives(owner)
    for path in evaluator.linkage.lookup_paths:
        file = evaluator.linkage.file(path)
        for lookup in file.links.lookups if file is not None else ():
            assert file is not None, "it has calls"
            if name.startswith(lookup.prefix) and not (is_unwritten and not lookup.prefix):
                values = evaluator.values(file, lookup.receiver)
                if UNKNOWN_VALUE in values or any(
                    (value.path, value.number) in relatives for value in values
                ):
                    return True
    return False


def _is_kept_elsewhere(evaluator: Evaluator, name: str, home: LinkedFile) -> bool:
    """Whether another file does more with a function than call it."""
    for path in evaluator.linkage.paths_mentioning(name):
        short = home.module.rpartition(".")[2]
        if path == home.path or path not in evaluator.linkage.paths_mentioning(short or name):
            continue
        other = evaluator.linkage.file(path)
        if other is not None and _is_kept_by(evaluator, other, name, home):
            return True
    return False


def _is_kept_by(evaluator: Evaluator, other: LinkedFile, name: str, home: LinkedFile) -> bool:
    facts, called = other.facts, other.links.called
    for use in other.links.imports:
        module = evaluator.linkage.module_of_import(other, use)
        if use.name != name or evaluator.linkage.find_module(module, other.path) != home.path:
            continue
        ends = [
            facts.references[index].end
            for index in facts.bindings[use.binding].references
            if facts.references[index].role is Role.READ
        ]
        if any(end not in called for end in ends):
            return True
    return any(
        use.end not in called
        and any(
            value.sort is ValueSort.MODULE and value.path == home.path
            for value in evaluator.values(other, use.receiver)
        )
        for use in other.links.attributes_by_name.get(name, ())
    )


def _is_class_kept(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether a class is handed to something that is not known to leave it alone."""
    for each in [key, *evaluator.below(key)]:
        there = evaluator.file(each[0])
        decorators = evaluator.class_record(each).decorators
        if not all(evaluator.is_harmless(there, decorator) for decorator in decorators):
            return True
    name = evaluator.class_record(key).name
    return any(_is_kept_in(evaluator, other, name) for other in evaluator.linkage.mentioning(name))


def _is_kept_in(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether a class goes about in a file as a value: whoever has it may make instances."""
    if any(use.name == name and use.has_alias for use in file.links.imports):
        return True
    ends = {use.end for use in file.links.attributes_by_name.get(name, ())}
    for binding in file.facts.bindings:
        if binding.name == name:
            ends |= {
                file.facts.references[index].end
                for index in binding.references
                if file.facts.references[index].role is Role.READ
            }
    handed = {each.end: each for each in file.links.handed}
    return any(_keeps_class(evaluator, file, end, handed) for end in ends - file.links.called)


def _keeps_class(evaluator: Evaluator, file: LinkedFile, end: int, handed: dict[int, Handed]) -> bool:
    """Whether a class that ends at an offset is more than looked into, inherited from, caught, or
    said to be the type of something."""
    if (hand := handed.get(end)) is not None:
        return not _leaves_alone(evaluator, file, hand.callee)
    text = file.source.text
    if text[end : end + 1] == ".":
        return False
    statement = file.facts.statements[file.facts.statement_at(end - 1)]
    before = text[statement.start : end]
    if statement.sort == "classdef":
        return before.startswith("@") and "class" not in before
    if _CATCHES.search(before):
        return False
    is_typed = statement.sort in ("functiondef", "asyncfunctiondef", "annassign")
    return not is_typed or _GIVES_VALUE.search(before) is not None


def _leaves_alone(evaluator: Evaluator, file: LinkedFile, callee: Origin) -> bool:
    return all(
        value.sort is ValueSort.FOREIGN and value.name in CALLING_BY_POSITION
        for value in evaluator.values(file, callee)
    )
