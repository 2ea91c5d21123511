"""Which modules of a project are ever handed about, at a glance: one that stands nowhere but before a dot gets into no
other hands than those of the files that import it."""

from __future__ import annotations

import re
import sys
from bisect import bisect_right
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import NamedTuple

from zephyrun.languages.python.reading import tree_in
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.linking.import_statements import Imported, import_statements
from zephyrun.linking.texts import marks_in, runs_text
from zephyrun.patterns import ends_of_word, lazy_pattern
from zephyrun.proof.imports import absolute_imports
from zephyrun.proof.star_imports import star_sources

# How far is looked back for what a name stands behind.
_LONGEST_BEFORE = 60
# Before a name that is no value there, and how its table, or one thing out of it, is asked for.
_NO_VALUE_BEHIND = lazy_pattern(rb"\b(?:def|class)\s+\Z|\bglobal\b[\w\s,]*\Z|\.\s*\Z")
_TABLE = b".__dict__"
_GOES_OVER = lazy_pattern(rb"\bin\s+vars\s*\(\s*\Z")
_ASKED_FOR_TABLE = lazy_pattern(rb"\s*,[^()\n]*[\"']__d")
_ASKED_FOR = lazy_pattern(rb"\s*,\s*[\"'](\w+)[\"'](?=\s*[,)])")
# In code a value stands between these words, if between any; in a sentence between others.
_BEHIND_VALUES = b"if|else|in|not|and|or|for|as|from|async"
_BEHIND_USE = lazy_pattern(
    rb"((?:\s*\.\s*(?!__dict__\b)\w+)*)(?:%b|(?!\w|\s*(?:\.|=(?!=)|is\b|[(\[])|[ \t]+(?!(?:%b)\b)[A-Za-z]))"
    % (re.escape(_TABLE), _BEHIND_VALUES)
)
_BEFORE_VALUES = frozenset(
    b"and assert await case del elif else except for if in is lambda not or raise return while with yield".split()
)
_WORD_BEFORE = lazy_pattern(rb"(\w+)[ \t]+\Z")

# What hands over all that a module holds, modules included, and what gives a module by its name. The words tell at a
# glance.
_SHOWING_WORDS = (b"globals", b"locals", b"vars")
_SHOWS_OWN = lazy_pattern(rb"\b(?:globals|locals|vars)\s*\(\s*\)|\bf_(?:globals|locals)\b")
_FINDING_WORDS = (b"import_module", b"__import__", b"modules", b"attrgetter")
_FINDS_ITSELF = tuple(
    lazy_pattern(pattern) for pattern in (rb"modules\s*\[\s*__name__", rb"__import__\s*\(\s*__name__")
)
_BY_NAME = tuple(
    lazy_pattern(rb"%b\s*(?:\.\s*get\s*)?[(\[]\s*[\"']([\w.]+)[\"']" % word) for word in _FINDING_WORDS
)
# Space at the start of a line, and the first word behind it, by which the body of a class is told.
_INDENT = lazy_pattern(rb"[ \t]+")
_HEAD = lazy_pattern(rb"([ \t]*)(\w+)")

# What of a text may run: with that prefix what it fills in, a line of an example, code that is handed to what runs it.
_PREFIX = lazy_pattern(rb"(?<!\w)[A-Za-z]{1,2}\Z")
_EXAMPLE = lazy_pattern(rb"[ \t]*(?:>>>|\.\.\.)[ \t](?!\s*(?:from|import)\b)")
_RUN_AT_ONCE = lazy_pattern(rb"\b(?:eval|exec)\s*\(\s*\Z")
# Without one of these it hands nothing on.
_CODE_MARK = lazy_pattern(rb"[(\[=]")

# What is called with a module, and which of those do not go through its names. Builtins do not, but for a few.
_CALLEE = lazy_pattern(rb"((?:\w+\s*\.\s*)*\w+)\s*\Z")
_LONGEST_CALL = 400
_BRACKET = lazy_pattern(rb"[()]")
_HARMLESS = frozenset(
    """reload object hasattr setattr delattr setitem cast isinstance getfile getabsfile getsourcefile getsource files
    path""".split()
)
_GOING_THROUGH = frozenset({"help"})
_DEFINED = (lazy_pattern(rb"def[ \t]+(\w+)"), lazy_pattern(rb"class[ \t]+(\w+)"))


class _File(NamedTuple):
    """What is told of one file: its text, what it is called, and its imports with the ranges of their statements."""

    data: bytes
    label: str
    statements: Sequence[tuple[int, int, list[Imported]]]

    @property
    def imported(self) -> Iterator[Imported]:
        """All that it imports."""
        return (each for _, _, listed in self.statements for each in listed)


class HandedModules:
    """Knows which modules of a project are values somewhere. `texts` are all files that may hold code, by path;
    `labels` what they are called, and `modules` the dotted names of those that are modules."""

    def __init__(self, texts: Mapping[str, bytes], labels: Mapping[str, str], modules: Mapping[str, str]) -> None:
        self._texts = texts
        self._labels = labels
        self._modules = frozenset(modules.values())
        self._known: dict[tuple[tuple[str, ...], str], frozenset[str]] = {}
        self._by_end: dict[str, set[str]] = {}
        self._directly_in: dict[str, set[str]] = {}
        for module in self._modules:
            self._directly_in.setdefault(module.rpartition(".")[0], set()).add(module)
            parts = module.split(".")
            for start in range(len(parts)):
                self._by_end.setdefault(".".join(parts[start:]), set()).add(module)

    def names_of(self, module: str) -> frozenset[str]:
        """The names under which a module is bound anywhere."""
        return frozenset({module.rpartition(".")[2], *self._names.get(module, ())})

    @cached_property
    def values(self) -> frozenset[str]:
        """The modules that some file uses as values."""
        return frozenset().union(self._all_uses, *map(self._handed_in, self._files))

    def shown_by(self, label: str) -> frozenset[str]:
        """The modules that a file has among its names, where it hands all of these over."""
        return self._held_by({label}) if label in self._showing else frozenset()

    def reached_from(self, modules: Iterable[str]) -> frozenset[str]:
        """The modules that somebody may have who has some: whatever is bound in those, and so on."""
        rest = frozenset(modules)
        found: frozenset[str] = frozenset()
        while rest:
            found |= rest
            rest = self._held_by(rest) - found
        return found

    def _held_by(self, modules: Iterable[str]) -> frozenset[str]:
        """The modules that are bound in some modules, or lie in them."""
        tables = (self._imports, self._directly_in)
        return frozenset().union(*(table.get(module, ()) for module in modules for table in tables))

    def bound_to(self, names: Iterable[str]) -> frozenset[str]:
        """The modules that are bound to some names anywhere."""
        return frozenset().union(*(self._by_name.get(name, ()) for name in names))

    def to_others(self, module: str) -> frozenset[str]:
        """What is called with a module, and is nothing of the project."""
        return frozenset(self._all_uses.get(module, ()))

    # -- imports -----------------------------------------------------------------------------

    @cached_property
    def _files(self) -> list[_File]:
        return [
            _File(data, self._labels[path], import_statements(data)) for path, data in self._texts.items()
        ]

    def _called(self, name: str) -> set[str]:
        """The modules that a dotted name may stand for."""
        if name in self._modules:
            return {name}
        parts = name.split(".")
        if parts[0] in sys.stdlib_module_names:
            return set()
        # Where the import roots are is not always to be told.
        ends = {".".join(parts[start:]) for start in range(1, len(parts))} & self._modules
        return self._by_end.get(name, set()) | ends

    def _meant(self, dotted: tuple[str, ...], label: str) -> frozenset[str]:
        """The modules that names stand for where they are imported."""
        key = dotted, label if any(name.startswith(".") for name in dotted) else ""
        if key not in self._known:
            self._known[key] = frozenset().union(*map(self._called, absolute_imports(dotted, label)))
        return self._known[key]

    @cached_property
    def _imports(self) -> dict[str, set[str]]:
        """The modules that are bound in each file, by what it is called."""
        found: dict[str, set[str]] = {}
        for file in self._files:
            bound = found.setdefault(file.label, set())
            for each in file.imported:
                bound |= self._meant((each.dotted,), file.label)
        return found

    @cached_property
    def _by_name(self) -> dict[str, set[str]]:
        """The modules that are bound to each name anywhere, be it by way of other files."""
        found: dict[str, set[str]] = {}
        handed_on: list[tuple[str, str]] = []
        for file in self._files:
            for each in file.imported:
                meant = self._meant((each.bound_to,), file.label)
                last = each.bound_to.rpartition(".")[2]
                if meant:
                    found.setdefault(each.name, set()).update(meant)
                elif each.name != last and each.origin and self._meant((each.origin,), file.label):
                    handed_on.append((last, each.name))
        n_known = -1
        while n_known != sum(map(len, found.values())):
            n_known = sum(map(len, found.values()))
            for last, name in handed_on:
                if last in found:
                    found.setdefault(name, set()).update(found[last])
        return found

    @cached_property
    def _names(self) -> dict[str, set[str]]:
        """Under which names each module is bound."""
        found: dict[str, set[str]] = {}
        for name, modules in self._by_name.items():
            for module in modules:
                found.setdefault(module, set()).add(name)
        return found

    # -- values ------------------------------------------------------------------------------

    @cached_property
    def _showing(self) -> frozenset[str]:
        return frozenset(
            file.label
            for file in self._files
            if any(word in file.data for word in _SHOWING_WORDS) and _SHOWS_OWN.search(file.data) is not None
        )

    @cached_property
    def _all_uses(self) -> dict[str, set[str]]:
        """The modules that are used as values, each with what is called with it and is nothing of the project."""
        found: dict[str, set[str]] = {}
        for file in self._files:
            for code, start, module in self._uses(file):
                found.setdefault(module, set()).update(filter(None, [self._callee(code, start)]))
        return found

    def _handed_in(self, file: _File) -> Iterator[str]:
        if any(word in file.data for word in _FINDING_WORDS):
            if b"__name__" in file.data and any(pattern.search(file.data) for pattern in _FINDS_ITSELF):
                yield from self._modules & {file.label}
            for written in {name for pattern in _BY_NAME for name in pattern.findall(file.data)}:
                name = written.decode("utf-8", "replace").lstrip(".")
                yield from self._called(name) | self._by_name.get(name.rpartition(".")[2], set())
        for start, _, listed in file.statements:
            if _is_in_class(file.data, start):
                yield from self._meant(tuple(each.dotted for each in listed), file.label)

    def _uses(self, file: _File) -> Iterator[tuple[_Code, int, str]]:
        """Where a file uses modules as values in its code, and which."""
        found = []
        imports = [range(start, end) for start, end, _ in file.statements]
        for name, dotted in self._roots_in(file).items():
            written = name.encode()
            if written in file.data:
                known: dict[bytes, frozenset[str]] = {}
                for use in _uses_of(written, file.data):
                    if use.chain not in known:
                        known[use.chain] = self._meant_by(name, use.chain, dotted)
                    meant = known[use.chain]
                    if meant and not _around(use.start, imports) and not _stands_in_sentence(file.data, use.start):
                        found.append((use, meant))
        if not found:
            return
        # Most files use modules before a dot alone; only for others is it told what is code.
        code = _Code(file.data)
        for use, meant in found:
            if code.runs(use):
                yield from ((code, use.start, module) for module in self._got_by(file.data, use, meant))

    def _meant_by(self, name: str, chain: bytes, dotted: Collection[str]) -> frozenset[str]:
        """The modules for which a name may stand, with those behind it, where it has some dotted names."""
        compact = "".join(chain.decode("utf-8", "replace").split())
        names = {root + compact for root in dotted} or {name + compact}
        bound = (self._by_name.get(each.rpartition(".")[2], ()) for each in names)
        return frozenset().union(*bound, *map(self._called, names))

    def _roots_in(self, file: _File) -> dict[str, set[str]]:
        """The names by which a file may get at modules of the project, each with the dotted names behind it."""
        roots: dict[str, set[str]] = {}
        for each in file.imported:
            last = each.bound_to.rpartition(".")[2]
            is_handed_on = last in self._by_name and each.origin and self._meant((each.origin,), file.label)
            if is_handed_on or self._meant((each.bound_to,), file.label):
                roots.setdefault(each.name, set()).update(absolute_imports([each.bound_to], file.label))
        for name in self._names_given_by(file, set()):
            roots.setdefault(name, set())
        return roots

    def _names_given_by(self, file: _File, known: set[str]) -> set[str]:
        """The names that may stand for modules, of those that a file has by importing everything from others."""
        found: set[str] = set()
        sources = tuple(star_sources(file.data)) if b"*" in file.data else ()
        for module in self._meant(sources, file.label) - known if sources else ():
            known.add(module)
            for each in self._by_label.get(module, ()):
                names = {imported.name for imported in each.imported}
                found |= (names & self._by_name.keys()) | self._names_given_by(each, known)
        return found

    @cached_property
    def _by_label(self) -> dict[str, list[_File]]:
        found: dict[str, list[_File]] = {}
        for file in self._files:
            found.setdefault(file.label, []).append(file)
        return found

    def _got_by(self, data: bytes, use: _Use, meant: frozenset[str]) -> Collection[str]:
        """The modules that get about where some are used."""
        before = data[max(use.start - _LONGEST_BEFORE, 0) : use.start]
        callee = _last_called(before)
        if _NO_VALUE_BEHIND.search(before) or (callee in _HARMLESS and callee not in self._defined):
            return ()
        if use.written.endswith(_TABLE):
            return self._held_by(meant)
        if callee == "getattr":
            # Of what is asked for one thing, only that may get about.
            end = use.start + len(use.written)
            asked = _ASKED_FOR.match(data, end)
            if asked is not None:
                return self._by_name.get(asked[1].decode(), ())
            return self._held_by(meant) | (meant if _ASKED_FOR_TABLE.match(data, end) is not None else frozenset())
        # The names in a table, one after the other, are no modules yet.
        is_table = callee == "vars" and _GOES_OVER.search(before) is None
        return meant | self._held_by(meant) if is_table else meant

    # -- calls -------------------------------------------------------------------------------

    def _callee(self, code: _Code, position: int) -> str:
        """What is called with the thing at a position, "" where nothing is, or something of the project, or what goes
        through no names."""
        callee = code.callee_at(position)
        last = callee.rpartition(".")[2]
        is_harmless = last in _HARMLESS or last in self._defined or (callee in BUILTINS and callee not in _GOING_THROUGH)
        return "" if is_harmless else callee

    @cached_property
    def _defined(self) -> frozenset[str]:
        """The names of all functions and classes of the project."""
        return frozenset().union(*(names_defined(file.data) for file in self._files))


def names_defined(data: bytes) -> set[str]:
    """The names of all functions and classes that a file defines, at a glance."""
    return {name.decode("utf-8", "replace") for pattern in _DEFINED for name in pattern.findall(data)}


class _Use(NamedTuple):
    """Where a name is used as a value: from where on, the names behind it, and all as it is written."""

    start: int
    chain: bytes
    written: bytes


def _uses_of(name: bytes, data: bytes) -> Iterator[_Use]:
    """Where a name is not called, gets no value and is not looked into. In a sentence other words follow than in code."""
    for end in ends_of_word(name, data):
        if (behind := _BEHIND_USE.match(data, end)) is not None:
            start = end - len(name)
            yield _Use(start, behind[1], data[start : behind.end()])


def _stands_in_sentence(data: bytes, position: int) -> bool:
    """Whether the word before is none behind which a value stands in code."""
    before = _WORD_BEFORE.search(data, max(position - _LONGEST_BEFORE, 0), position)
    return before is not None and before[1] not in _BEFORE_VALUES


def _last_called(before: bytes) -> str:
    """The last name of what is called where a text ends, "" where nothing is."""
    stripped = before.rstrip()
    found = _CALLEE.search(stripped[:-1]) if stripped.endswith(b"(") else None
    return found[1].rpartition(b".")[2].strip().decode("utf-8", "replace") if found is not None else ""


class _Code:
    """Tells what of a file runs, at a glance: no comment and no text does, but what a text fills in, what is an example
    in it, and what it holds where texts are run."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        self._marks = [range(start, start + len(text)) for start, text in marks_in(data)]

    def runs(self, use: _Use) -> bool:
        """Whether a use may run."""
        mark = _around(use.start, self._marks)
        if mark is None:
            return True
        text = self._data[mark.start : mark.stop]
        if text.startswith(b"#"):
            return False
        before = self._data[max(mark.start - _LONGEST_BEFORE, 0) : mark.start]
        content = text.strip(text[:1])
        prefix = _PREFIX.search(before)
        if prefix is not None and b"f" in prefix[0].lower():
            position = use.start - mark.start
            return text.rfind(b"{", 0, position) > text.rfind(b"}", 0, position)
        if b">>>" in content:
            line_start = self._data.rfind(b"\n", 0, use.start) + 1
            return _EXAMPLE.match(self._data, line_start) is not None
        if content == use.written:
            return _RUN_AT_ONCE.search(before) is not None
        return _CODE_MARK.search(content) is not None and self._runs_texts and tree_in(content.strip()) is not None

    @cached_property
    def _runs_texts(self) -> bool:
        return runs_text(self._data)

    def callee_at(self, position: int) -> str:
        """What is called with the thing at a position, "" where nothing is."""
        start = max(position - _LONGEST_CALL, 0)
        before = bytearray(self._data[start:position])
        first = max(bisect_right(self._marks, start, key=_start_of) - 1, 0)
        for mark in self._marks[first : bisect_right(self._marks, position, key=_start_of)]:
            # What is filled into a text stands in it, and may itself hold one.
            if position not in mark and mark.stop > start:
                cut = slice(max(mark.start - start, 0), mark.stop - start)
                before[cut] = b" " * len(before[cut])
        depth = 0
        for bracket in reversed(list(_BRACKET.finditer(before))):
            depth += 1 if bracket[0] == b")" else -1
            if depth < 0:
                found = _CALLEE.search(before, 0, bracket.start())
                return "".join(found[1].decode("utf-8", "replace").split()) if found is not None else ""
        return ""


def _around(position: int, ranges: Sequence[range]) -> range | None:
    """That of some ranges, which are sorted, in which a position lies."""
    number = bisect_right(ranges, position, key=_start_of)
    return ranges[number - 1] if number and position in ranges[number - 1] else None


def _start_of(each: range) -> int:
    return each.start


def _is_in_class(data: bytes, start: int) -> bool:
    """Whether a statement stands in the body of a class."""
    line_start = data.rfind(b"\n", 0, start + 1) + 1
    indent = len(data[line_start:start]) - len(data[line_start:start].lstrip())
    if (more := _INDENT.match(data, start)) is not None:
        indent += len(more[0])
    if not indent:
        return False
    while line_start:
        line_start = data.rfind(b"\n", 0, line_start - 1) + 1
        head = _HEAD.match(data, line_start)
        if head is not None and len(head[1]) < indent:
            return head[2] == b"class"
    return False
