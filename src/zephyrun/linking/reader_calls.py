"""Who calls the functions that read the variables of their callers: where one of them is never named but to be
called, nobody else does."""

from __future__ import annotations

import ast
import re
import warnings
from functools import lru_cache

from zephyrun.facts import CallsOfReader
from zephyrun.linking.calls_in_sight import may_be_looked_up
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

_MARK = "f_locals"
_ALL = "__all__"
_LOOKING_UP = "getattr|__getattribute__|attrgetter|methodcaller|vars|globals|getmembers|__dict__"
_LOOKS_UP_IN_MODULE = lazy_pattern(
    rb"\b(?:globals|vars|locals)\s*\(\s*\)\s*(?:\[(?!\s*[\"'])|\.\s*(?:get|pop)\s*\((?!\s*[\"']))"
)
_MOST_FILES_KEPT = 256


@once_a_version
def calls_of_readers(evaluator: Evaluator, path: str) -> frozenset[CallsOfReader]:
    """The places of one file that name such functions, for each that is only ever called."""
    data = evaluator.linkage.contents.get(path)
    if not isinstance(data, bytes):
        return frozenset()
    return frozenset(
        CallsOfReader(name, _places(data, name)) for name in _only_called(evaluator)
    )


@once_a_version
def _only_called(evaluator: Evaluator) -> frozenset[str]:
    linkage = evaluator.linkage
    homes: dict[str, list[LinkedFile]] = {}
    for file in linkage.mentioning(_MARK):
        for name in {exposure.reads.caller_of for exposure in file.facts.exposures} - {""}:
            homes.setdefault(name, []).append(file)
    contents = [data for data in map(linkage.contents.get, linkage.paths) if isinstance(data, bytes)]
    return frozenset(
        name
        for name, files in homes.items()
        if not any(_may_be_looked_up(evaluator, file, name) for file in files)
        and all(_is_only_called(data, name) for data in contents)
    )


def _may_be_looked_up(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether a name that is worked out may lead to a function of a file."""
    records = [record for record in file.links.functions if record.name == name]
    return _LOOKS_UP_IN_MODULE.search(file.data) is not None or any(
        may_be_looked_up(evaluator, file, name, is_member=record.owner >= 0) for record in records
    )


@lru_cache(maxsize=_MOST_FILES_KEPT)
def _places(data: bytes, name: str) -> tuple[int, ...]:
    text = SourceText.from_bytes(data, strict=False).text
    return tuple(match.start() for match in re.finditer(rf"\b(?:{re.escape(name)}|{_LOOKING_UP})\b", text))


def _is_only_called(data: bytes, name: str) -> bool:
    return name.encode() not in data or _calls_alone(data, name)


@lru_cache(maxsize=_MOST_FILES_KEPT)
def _calls_alone(data: bytes, name: str) -> bool:
    """Whether a file names a function only where it is defined, called, imported and offered. To decorate something with it is
    to call it."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            tree = ast.parse(data)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return False
    callees = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    callees.update(id(each) for node in ast.walk(tree) for each in getattr(node, "decorator_list", ()))
    offered = {
        id(text)
        for node in ast.walk(tree)
        if isinstance(node, ast.Assign | ast.AugAssign) and _ALL in ast.unparse(node)[: len(_ALL)]
        for text in ast.walk(node.value)
    }
    return not any(_hands_on(node, name, callees, offered) for node in ast.walk(tree))


def _hands_on(node: ast.AST, name: str, callees: set[int], offered: set[int]) -> bool:
    if isinstance(node, ast.Name):
        return node.id == name and id(node) not in callees
    if isinstance(node, ast.Attribute):
        return node.attr == name and id(node) not in callees
    if isinstance(node, ast.alias):
        return name in node.name.split(".") and node.asname not in (None, name)
    if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
        return node.name == name and bool(node.decorator_list)
    # A text that holds the name may be code, or what something looks up.
    return (
        isinstance(node, ast.Constant)
        and isinstance(node.value, str)
        and id(node) not in offered
        and node.value.strip() == name
    )
