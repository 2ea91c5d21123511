"""Functions and classes that go about as values: whoever has one may call it in any way."""

from __future__ import annotations

import re

from zephyrun.facts import Role
from zephyrun.link_facts import FunctionRecord, Handed, Origin, OriginSort, ParameterSort
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.values import UNKNOWN_VALUE, ClassKey, Evaluator, FunctionKey, Value, ValueSort

# Special methods that take what a call of a class or instance, or a bracket, is given.
MAKING_METHODS = frozenset(
    "__init__ __new__ __call__ __init_subclass__ __class_getitem__ __post_init__".split()
)
_OF_PATTERNS = frozenset({"sub", "subn"})
# What calls functions that it is given by position only, or by keywords that it is given in a dictionary.
# Source: library reference.
CALLING_BY_POSITION = frozenset(
    """builtins.map builtins.filter builtins.sorted builtins.min builtins.max builtins.iter
    functools.partial functools.partialmethod functools.reduce functools.cmp_to_key itertools.starmap
    itertools.takewhile itertools.dropwhile itertools.groupby itertools.filterfalse itertools.accumulate
    re.sub re.subn re.Scanner atexit.register signal.signal
    builtins.callable builtins.isinstance builtins.id builtins.print builtins.repr builtins.str
    builtins.list builtins.tuple builtins.set builtins.dict builtins.property builtins.staticmethod
    builtins.classmethod builtins.hash builtins.bool collections.defaultdict weakref.ref weakref.proxy
    asyncio.run asyncio.create_task asyncio.gather asyncio.wait_for asyncio.ensure_future
    heapq.nlargest heapq.nsmallest heapq.merge threading.Thread threading.Timer
    multiprocessing.Process""".split()
)
# Among these, what does not keep or give back what it was given, nor calls it later with more.
_CALLING_AND_DROPPING = frozenset(
    """builtins.map builtins.filter builtins.sorted builtins.min builtins.max builtins.iter
    functools.reduce itertools.starmap itertools.takewhile itertools.dropwhile itertools.groupby
    itertools.filterfalse itertools.accumulate re.sub re.subn re.Scanner builtins.callable
    builtins.isinstance builtins.id builtins.print builtins.repr builtins.str builtins.hash builtins.bool
    atexit.register""".split()
)
_IS_NOTHING = re.compile(r"\s*is\s+(?:not\s+)?None\b")
_LAMBDA = re.compile(r"lambda\s*\*{0,2}")
_BINDING_ROLES = frozenset({Role.FUNCTION, Role.PARAMETER})
_REST = frozenset({ParameterSort.REST, ParameterSort.REST_KEYWORDS})
_DEEPEST = 4
# What stands before a class that is caught, and before one that is a value rather than a type.
_CATCHES = re.compile(r"\bexcept\s*\(?[\w.,\s]*\Z")
_GIVES_VALUE = re.compile(r"=\s*[\w.\[({,\s]*\Z")


@once_a_version
def is_kept(evaluator: Evaluator, key: FunctionKey) -> bool:
    """Whether a function is handed on or kept as a value somewhere, or may be found by its name."""
    file = evaluator.file(key[0])
    record = file.links.functions[key[1]]
    if record.binding < 0:
        return not _is_dropped_lambda(evaluator, file, record)
    if not all(evaluator.is_harmless(file, decorator) for decorator in record.decorators):
        return True
    if record.owner >= 0:
        if _is_looked_up(evaluator, (key[0], record.owner), record.name):
            return True
        if record.name == "__call__":
            # Whoever has an instance may call it.
            return True
        if record.name in MAKING_METHODS:
            return is_class_kept(evaluator, (key[0], record.owner))
        return any(
            use.end not in other.links.called and not _is_dropped(evaluator, other, use.end)
            for other in evaluator.linkage.mentioning(record.name)
            for use in other.links.attributes_by_name.get(record.name, ())
        )
    if "globals()" in file.source.text:
        return True
    return not _is_only_called(evaluator, file, record.binding) or _is_kept_elsewhere(
        evaluator, record.name, file
    )


def _is_only_called(
    evaluator: Evaluator, file: LinkedFile, binding: int, depth: int = 0
) -> bool:
    """Whether nothing is done with what a binding holds but to call it, or to hand it to something that
    calls it by position and drops it."""
    facts = file.facts
    return all(
        reference.role in _BINDING_ROLES
        or reference.end in file.links.called
        or _is_dropped(evaluator, file, reference.end, depth)
        for index in facts.bindings[binding].references
        for reference in [facts.references[index]]
    )


def _is_dropped(evaluator: Evaluator, file: LinkedFile, end: int, depth: int = 0) -> bool:
    """Whether a function that ends at an offset is held against nothing, or goes to what calls it by
    position and keeps it nowhere."""
    if (handed := file.handed_by_end.get(end)) is None:
        return _IS_NOTHING.match(file.source.text, end) is not None
    values = evaluator.values(file, handed.callee)
    return bool(values) and all(
        value.name in _CALLING_AND_DROPPING
        or is_method_of_pattern(handed.callee, value)
        or (
            value.sort is ValueSort.FUNCTION
            and depth < _DEEPEST
            and _is_taken_and_only_called(evaluator, value, handed, depth)
        )
        for value in values
    )


def _is_taken_and_only_called(
    evaluator: Evaluator, called: Value, handed: Handed, depth: int
) -> bool:
    """Whether a function of the project only calls what a call hands to it, without keywords."""
    file = evaluator.file(called.path)
    record = file.links.functions[called.number]
    if not file.is_own or handed.position < 0 and not handed.keyword.isidentifier():
        return False
    if not all(evaluator.is_harmless(file, decorator) for decorator in record.decorators):
        return False
    # The receiver of a method comes by itself; where it is not sure which one takes it, all of them count.
    taking = [
        parameter
        for index, parameter in enumerate(record.parameters)
        if (
            parameter.name == handed.keyword
            if handed.position < 0
            else handed.position <= index <= handed.position + (record.owner >= 0)
        )
    ]
    if not taking or any(parameter.sort in _REST for parameter in taking):
        return False
    is_method = record.owner >= 0 and handed.position >= 0
    if len(taking) < 1 + is_method:
        return False
    bindings = {parameter.binding for parameter in taking}
    callees = [use.callee for use in file.links.keywords] + [use.callee for use in file.links.rests]
    return not any(
        callee.sort is OriginSort.NAME and callee.binding in bindings for callee in callees
    ) and all(_is_only_called(evaluator, file, binding, depth + 1) for binding in bindings)


def _is_dropped_lambda(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether a function without a name is handed to what calls it by position and drops it."""
    start = record.parameters[0].start if record.parameters else -1
    return any(
        handed.start <= start < handed.end
        and _LAMBDA.fullmatch(file.source.text, handed.start, start) is not None
        and _is_dropped(evaluator, file, handed.end)
        for handed in file.links.handed
    )


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
            if lookup.may_find(name) and not (is_unwritten and not lookup.shape):
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
        if any(end not in called and not _is_dropped(evaluator, other, end) for end in ends):
            return True
    return any(
        use.end not in called
        and not _is_dropped(evaluator, other, use.end)
        and any(
            value.sort is ValueSort.MODULE and value.path == home.path
            for value in evaluator.values(other, use.receiver)
        )
        for use in other.links.attributes_by_name.get(name, ())
    )


def is_class_kept(evaluator: Evaluator, key: ClassKey) -> bool:
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


def is_method_of_pattern(callee: Origin, value: Value) -> bool:
    """Whether a call is one of a compiled pattern, which calls what it is given by position: nothing else that
    no code of the project made bears such a method."""
    return value.sort is ValueSort.OUTSIDE and callee.name in _OF_PATTERNS
