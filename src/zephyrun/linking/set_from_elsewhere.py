"""What a variable of a module gets in other ways than by being bound there: from other modules, from `import *`, and by
names that are worked out."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from zephyrun.link_facts import OriginSort
from zephyrun.linking.exports import is_exported
from zephyrun.linking.glances import glance
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Value, Values, ValueSort
from zephyrun.patterns import lazy_pattern

if TYPE_CHECKING:
    from zephyrun.link_facts import Origin
    from zephyrun.linking.values import Evaluator

_NOTHING_KNOWN: Values = frozenset({UNKNOWN_VALUE})
# A module that sets its own names by what it works out, or by code that it runs.
_SETS_OWN = lazy_pattern(
    rb"\b(?:globals|locals|vars)\s*\(\s*\)\s*(?:\.\s*(?:update\b(?!\s*\(\s*(?:\w+\s*=\s*[\w.]+\s*,\s*)*(?:\w+\s*=\s*[\w.]+\s*)?\))|setdefault\b|__setitem__\b)|\[(?!\s*[\"']\w+[\"']\s*\])[^\]\n]*\]\s*=(?!=))"
    rb"|\bexec\s*\([^\n]*(?:\bglobals\s*\(|\b__dict__\b)|^exec\s*\([^,\n]*\)\s*(?:#.*)?$",
    re.MULTILINE,
)
_INTO_NAMESPACE = lazy_pattern(rb",\s*(\w+)\s*\.\s*__dict__\Z")
_MAKES_MODULE = lazy_pattern(rb"(?:\w+\.)?ModuleType\s*\(")
_WORDS_SETTING_OWN = (b"globals", b"locals", b"vars", b"exec")


def values_from_elsewhere(evaluator: Evaluator, file: LinkedFile, name: str) -> Values:
    """What others give to a variable of a module."""
    writes = evaluator.writes_in_reach(name)
    if writes is None or name in evaluator.names_set or is_set_by_worked_out_name(evaluator, file):
        return _NOTHING_KNOWN
    loading = set(evaluator.linkage.finding_paths)
    # Who loads a module gives it names of its own, and not others for what that imports.
    sources = file.links.sources.get(file.module_bindings.get(name, -1), ())
    is_assigned = not sources or any(each.sort is not OriginSort.IMPORTED for each in sources)
    found = [_from_stars(evaluator, file, name)]
    for other, use in writes:
        if use.receiver.sort is OriginSort.OWN:
            continue
        values = evaluator.values(other, use.receiver)
        is_loaded_there = other.path in loading and UNKNOWN_VALUE in values
        if is_loaded_there or _may_be(evaluator, file, use.receiver, values, is_loaded=is_assigned):
            found.append(evaluator.values(other, use.value))
    return frozenset[Value]().union(*found)


def _may_be(evaluator: Evaluator, file: LinkedFile, origin: Origin, values: Values, *, is_loaded: bool) -> bool:
    """Whether a value may be a module."""
    if any(value.sort is ValueSort.MODULE and value.path == file.path for value in values):
        return True
    return UNKNOWN_VALUE in values and file.is_own and evaluator.modules_about.may_be(file.path, origin, is_loaded=is_loaded)


def _from_stars(evaluator: Evaluator, file: LinkedFile, name: str) -> Values:
    """What an import of everything gives to a name that the module binds, too."""
    found: list[Values] = []
    for use in file.links.imports:
        if use.name == "*":
            module = evaluator.linkage.module_of_import(file, use)
            path = evaluator.linkage.find_module(module, file.path)
            there = evaluator.linkage.file(path) if path is not None else None
            if there is not None and there is not file and name in there.module_bindings and is_exported(there, name):
                found.append(evaluator.binding_values(there, there.module_bindings[name]))
    return frozenset[Value]().union(*found)


def is_set_by_worked_out_name(evaluator: Evaluator, file: LinkedFile) -> bool:
    """Whether something sets names of a module that it works out, at all."""
    if not file.is_own:
        return False
    return _sets_own(file.data) or evaluator.modules_about.is_filled(file.path)


@glance
def _sets_own(data: bytes) -> bool:
    """Whether a module seems to set names of its own that it works out."""
    if not any(word in data for word in _WORDS_SETTING_OWN):
        return False
    return any(not _sets_names_of_new_module(data, found[0]) for found in _SETS_OWN.finditer(data))


def _sets_names_of_new_module(data: bytes, code: bytes) -> bool:
    """Whether what sets names gives them to a module that the file has just made (`made = ModuleType("hives")`)."""
    if (into := _INTO_NAMESPACE.search(code)) is None:
        return False
    given = re.findall(rb"\b%b\s*=(?!=)\s*([^\n]*)" % into[1], data)
    # Somewhere else in the file it may be another variable.
    otherwise = rb"\b(?:for|as|import|lambda)\b[^\n:]*\b%b\b|\bdef\s+\w+\s*\([^)]*\b%b\b|\b%b\s*(?::=|,[^\n]*=)"
    is_given_otherwise = re.search(otherwise % (into[1], into[1], into[1]), data) is not None
    return bool(given) and all(map(_MAKES_MODULE.match, given)) and not is_given_otherwise
