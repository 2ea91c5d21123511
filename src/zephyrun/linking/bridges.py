"""Bridges: old public names that go on working for code outside, and warn.

A bridge is code in the project, marked by a comment, so that a person can take it out and a later rename
knows it. What it looks like is settled here: only code that is just so counts as one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

from zephyrun.facts import ScopeKind
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.texts import word_in_text
from zephyrun.linking.usage import Place, PlaceSort
from zephyrun.patterns import lazy_pattern

MODULE_FUNCTION = "__getattr__"
KEYWORD_DECORATOR = "_with_old_keywords"
_MARK = "# zephyrun: bridge"
_MARKED = lazy_pattern(rf"(?m)^([ \t]*).*{_MARK} (\w+) -> (\w+)[ \t]*\r?$")
_INDENT = lazy_pattern(r"[ \t]*")
_NEXT_INDENT = lazy_pattern(r"\n([ \t]+)")
_UNIT = "    "
_MOST_FILES_KEPT = 512

_WARNS = """\
warnings.warn("OLD is now called NEW", DeprecationWarning, stacklevel=2)
"""
_MODULE_BRIDGE = f"""\
if name == "OLD":  {_MARK} OLD -> NEW
    {_WARNS}\
    return NEW
"""
_MODULE_HEAD = f'''\
def {MODULE_FUNCTION}(name):  {_MARK}
    """Names that this module had before: they still work, and warn."""
    import warnings

'''
_MODULE_END = """\
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
"""
_CALLED = f'''\
def OLD(self, *arguments, **keywords):  {_MARK} OLD -> NEW
    """The name that `NEW` had before: it still works, and warns."""
    import warnings

    {_WARNS}\
    return self.NEW(*arguments, **keywords)
'''
_READ = f'''\
@property
def OLD(self):  {_MARK} OLD -> NEW
    """The name that `NEW` had before: it still works, and warns."""
    import warnings

    {_WARNS}\
    return self.NEW
'''
_SET = f"""\

@OLD.setter
def OLD(self, value):  {_MARK} OLD -> NEW
    import warnings

    {_WARNS}\
    self.NEW = value
"""
_KEYWORD = f"""\
@{KEYWORD_DECORATOR}(OLD="NEW")  {_MARK} OLD -> NEW
"""
KEYWORD_FUNCTION = f'''\
def {KEYWORD_DECORATOR}(**new_names):  {_MARK}
    """Let a function take keywords that it had before: each still works, and warns."""
    import functools
    import warnings

    def decorate(function):
        @functools.wraps(function)
        def bridge(*arguments, **keywords):
            for old, new in new_names.items():
                if old in keywords and new not in keywords:
                    warnings.warn(f"{{old}} is now called {{new}}", DeprecationWarning, stacklevel=2)
                    keywords[new] = keywords.pop(old)
            return function(*arguments, **keywords)

        return bridge

    return decorate
'''


# A file under the old name of a module gives the module itself to whoever imports it. The table of modules is
# taken by an import, since code that speaks of `sys.modules` may look for any.
_FILE_BRIDGE = f"""\
{_MARK} OLD -> NEW
import warnings
from sys import modules

import NEW

{_WARNS}\
modules[__name__] = NEW
"""
_FILE_MARKED = lazy_pattern(rf"{_MARK} ([\w.]+) -> ([\w.]+)$", re.MULTILINE)


class BridgeSort(StrEnum):
    """What goes on working under its old name."""

    FILE = "a module"

    MODULE = "a name of a module"
    METHOD = "a method"
    CLASS_METHOD = "a method of a class"
    READ_ONLY = "an attribute that is only read"
    ATTRIBUTE = "an attribute"
    KEYWORD = "a keyword"


_TEMPLATES = {
    BridgeSort.MODULE: _MODULE_BRIDGE,
    BridgeSort.METHOD: _CALLED,
    BridgeSort.CLASS_METHOD: "@classmethod\n" + _CALLED.replace("self", "cls"),
    BridgeSort.READ_ONLY: _READ,
    BridgeSort.ATTRIBUTE: _READ + _SET,
    BridgeSort.KEYWORD: _KEYWORD,
}


class Bridge(NamedTuple):
    """An old name and the one that it leads to: the lines from `start` to `end` of a file."""

    sort: BridgeSort
    old: str
    new: str
    start: int
    end: int


def render(sort: BridgeSort, old: str, new: str, indent: str = "", unit: str = _UNIT) -> str:
    """The code of one bridge, with line ends."""
    return indented(_TEMPLATES[sort].replace("OLD", old).replace("NEW", new), indent, unit)


def render_file(old: str, new: str) -> str:
    """The module that stands for another one under its old name; both are dotted."""
    return _FILE_BRIDGE.replace("OLD", old).replace("NEW", new)


def names_bridged(text: str) -> tuple[str, str] | None:
    """The old and the new dotted name where a text is a module that stands for another one and nothing else."""
    match = _FILE_MARKED.match(text)
    if match is None or text.replace("\r\n", "\n") != render_file(match[1], match[2]):
        return None
    return match[1], match[2]


def render_module_function(bridges: str, unit: str = _UNIT) -> str:
    """The function that answers for a module's old names; `bridges` are their rendered branches."""
    return indented(_MODULE_HEAD, "", unit) + bridges + indented(_MODULE_END, "", unit)


def indented(code: str, indent: str, unit: str) -> str:
    """Code of four-space steps in another hand."""
    lines = []
    for line in code.splitlines(keepends=True):
        inner = line.lstrip(" ")
        depth = (len(line) - len(inner)) // len(_UNIT)
        lines.append(indent + unit * depth + inner if inner.strip() else line)
    return "".join(lines)


@lru_cache(maxsize=_MOST_FILES_KEPT)
def bridges_in_text(text: str) -> tuple[Bridge, ...]:
    """The bridges of a text, in order."""
    if _MARK not in text:
        return ()
    plain = text.replace("\r\n", "\n")
    found: list[Bridge] = []
    for mark in _MARKED.finditer(plain):
        if found and mark.start() < found[-1].end:
            continue
        indent, old, new = mark[1], mark[2], mark[3]
        for sort in reversed(_TEMPLATES):
            n_before = _TEMPLATES[sort].count("\n", 0, _TEMPLATES[sort].index(_MARK))
            start = mark.start()
            for _ in range(n_before):
                start = plain.rfind("\n", 0, start - 1) + 1
            unit = _unit_of(plain, mark.end(), indent)
            code = render(sort, old, new, indent, unit)
            if plain.startswith(code, start):
                found.append(Bridge(sort, old, new, start, start + len(code)))
                break
    if plain == text:
        return tuple(found)
    return tuple(
        each._replace(
            start=each.start + plain.count("\n", 0, each.start),
            end=each.end + plain.count("\n", 0, each.end),
        )
        for each in found
    )


def _unit_of(text: str, position: int, indent: str) -> str:
    """By how much the lines below a line stand further in."""
    match = _NEXT_INDENT.match(text, position)
    inner = match[1] if match is not None else ""
    return inner.removeprefix(indent) if inner.startswith(indent) and inner != indent else _UNIT


def bridges_in(file: LinkedFile) -> tuple[Bridge, ...]:
    """The bridges of a file, in text order."""
    return bridges_in_text(file.source.text)


def is_bridge_function(file: LinkedFile) -> bool:
    """Whether a module's `__getattr__` answers for old names and nothing else."""
    text = file.source.text.replace("\r\n", "\n")
    inner = [each for each in bridges_in(file) if each.sort is BridgeSort.MODULE]
    if not inner:
        return False
    match = _INDENT.match(file.source.text, inner[0].start)
    indent = match[0] if match is not None else ""
    branches = "".join(render(each.sort, each.old, each.new, indent, indent) for each in inner)
    return render_module_function(branches, indent) in text


def bridge_places(file: LinkedFile, name: str, sorts: frozenset[BridgeSort]) -> Iterator[tuple[Bridge, Place]]:
    """Where bridges of some sorts speak of a name that they lead to: in texts and comments."""
    for bridge in bridges_in(file):
        if bridge.new != name or bridge.sort not in sorts:
            continue
        for match in word_in_text(name).finditer(file.source.text, bridge.start, bridge.end):
            if any(each.start <= match.start() < each.end for each in file.facts.comments):
                sort = PlaceSort.COMMENT
            elif any(each.start <= match.start() < each.end for each in file.facts.texts):
                sort = PlaceSort.TEXT
            else:
                continue
            yield bridge, Place(file.path, match.start(), match.end(), sort)


def class_around(file: LinkedFile, position: int) -> int:
    """The index of the class whose body a bridge stands in; -1 for none."""
    inner = max(
        (
            each
            for each in file.facts.definitions
            if each.sort is ScopeKind.CLASS and each.start <= position < each.end
        ),
        key=lambda each: each.start,
        default=None,
    )
    return file.links.class_by_scope.get(inner.inner_scope, -1) if inner is not None else -1


def has_keyword_function(file: LinkedFile) -> bool:
    """Whether a file defines the decorator of ours that lets functions take old keywords."""
    text = file.source.text.replace("\r\n", "\n")
    match = re.search(rf"(?m)^def {KEYWORD_DECORATOR}\(", text)
    return match is not None and text.startswith(
        indented(KEYWORD_FUNCTION, "", _unit_of(text, text.find("\n", match.start()), "")), match.start()
    )
