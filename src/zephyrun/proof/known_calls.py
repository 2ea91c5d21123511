"""Keywords of calls that could stand without their names, where it is known which function is called.

That is so where all that may be called are functions of the project without decorators, which nobody sets to
anything else, and all of them have the parameter of that name at that place. A method that code outside may
override, in a library, is not known.
"""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Mapping, Set

from zephyrun.facts import Role
from zephyrun.languages.python.nodes import last_name
from zephyrun.link_facts import FunctionRecord, KeywordUse, ParameterSort
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.search import find_certain_usage
from zephyrun.linking.targets import NoTarget, functions_called, target_at
from zephyrun.linking.usage import Place, PlaceSort
from zephyrun.linking.value_sorts import Value, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.proof.rename_map import AlignedFile

KEYWORDS = "argument with or without its keyword"

# Where a keyword of a call stands, and the place at which its value could stand without it.
KnownCalls = Mapping[int, int]

_EXPORTED = "__all__"
# What gives a function the parameters of another one when it is set.
_ITS_CODE = "__code__"
_BOUND = (ValueSort.INSTANCE, ValueSort.ABOVE)
_HOLDING = (ValueSort.MODULE, ValueSort.PACKAGE)


def called_with_other_keywords(aligned: AlignedFile) -> frozenset[str]:
    """The names of what is called with keywords in one of two versions, and so often not in the other; "" stands for what is
    called without a name."""
    counts = [
        Counter(
            (last_name(call.func), len(call.keywords)) for call in version.nodes if isinstance(call, ast.Call) and call.keywords
        )
        for version in (aligned.old, aligned.new)
    ]
    return frozenset(name for (name, _), _ in counts[0].items() ^ counts[1].items())


def known_calls(evaluator: Evaluator, path: str, names: Set[str]) -> KnownCalls:
    """The keywords that could stand without their names, in a file's calls of what has one of some names."""
    file = evaluator.linkage.file(path)
    if file is None:
        return {}
    found = {}
    for use in file.links.keywords:
        if use.call >= 0 and not use.in_pattern and file.word_before(use.call) in names:
            places = {_place_of(evaluator, file, use, value) for value in evaluator.values(file, use.callee)}
            if len(places) == 1 and (place := places.pop()) >= 0:
                found[use.start] = place
    return found


def _place_of(evaluator: Evaluator, file: LinkedFile, use: KeywordUse, callee: Value) -> int:
    """Which argument of a call a keyword is, if it calls a certain value; -1 where that is not known."""
    functions = functions_called(evaluator, callee)
    if len(functions) != 1:
        return -1
    (key,) = functions
    record = evaluator.function_record(key)
    is_known = evaluator.file(key[0]).is_own and not record.decorators and _is_kept(evaluator, key[0], record.name_start)
    if not is_known:
        return -1
    if callee.sort is ValueSort.CLASS:
        is_called_so = _is_made_by(evaluator, file, use, callee, record)
    else:
        is_called_so = callee.sort is ValueSort.FUNCTION and _is_called_by_name(evaluator, file, use, record)

    parameters = record.parameters[1:] if record.owner >= 0 else record.parameters
    for place, parameter in enumerate(parameters if is_called_so else ()):
        if parameter.sort not in (ParameterSort.EITHER, ParameterSort.POSITIONAL):
            break
        if parameter.name == use.name and parameter.sort is ParameterSort.EITHER:
            return place
    return -1


def _is_called_by_name(evaluator: Evaluator, file: LinkedFile, use: KeywordUse, record: FunctionRecord) -> bool:
    """Whether a call is that of a method of some instance, or of a function that is none; what code outside may
    override is not known."""
    receivers = [
        value
        for each in file.links.attributes
        if each.end == use.call
        for value in evaluator.values(file, each.receiver)
    ]
    if record.owner < 0:
        return all(value.sort in _HOLDING for value in receivers)
    is_open = evaluator.linkage.is_library and not record.name.startswith("_")
    return bool(receivers) and not is_open and all(value.sort in _BOUND for value in receivers)


def _is_made_by(
    evaluator: Evaluator, file: LinkedFile, use: KeywordUse, callee: Value, record: FunctionRecord
) -> bool:
    """Whether a call makes an instance of just this class, by its own `__init__` alone."""
    owner = (callee.path, callee.number)
    made = evaluator.class_record(owner)
    named = [
        each for each in file.facts.references
        if each.end == use.call and file.facts.bindings[each.binding].name == made.name
        # A variable may hold a class below this one.
        and file.facts.roles(each.binding) <= {Role.CLASS, Role.IMPORT, Role.READ}
    ]
    return (
        bool(named)
        and record.name == "__init__"
        and not made.decorators
        and evaluator.above(owner) == [owner]
        and not evaluator.foreign_above(owner)
        and not evaluator.unknown_above(owner)
        and not evaluator.has_own_metaclass(owner)
        and _is_kept(evaluator, callee.path, made.name_start)
    )


def _is_kept(evaluator: Evaluator, path: str, name_start: int) -> bool:
    """Whether nobody sets a function or class to anything else."""
    if evaluator.is_set(_ITS_CODE):
        return False
    try:
        usage = find_certain_usage(evaluator, target_at(evaluator, path, name_start))
    except NoTarget:
        return False
    return usage is not None and not any(_may_set(evaluator, place) for place in usage.places)


def _may_set(evaluator: Evaluator, place: Place) -> bool:
    """Whether a place may give the name another meaning. A list of what is exported does not, and neither does an
    example in documentation."""
    if place.sort is not PlaceSort.TEXT:
        return place.sort is PlaceSort.WRITE
    facts, source = evaluator.file(place.path).facts, evaluator.file(place.path).source
    statement = facts.statements[facts.statement_at(place.start)]
    is_exported = source.text.startswith(_EXPORTED, statement.start)
    return not is_exported and not any(
        text.use == "documentation" and text.start <= place.start < text.end for text in facts.texts
    )
