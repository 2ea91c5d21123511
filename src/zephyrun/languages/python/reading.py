"""From bytes to a parsed file and its facts."""

from __future__ import annotations

import ast
import gc
import sys
import warnings
from bisect import bisect_left, bisect_right
from collections import deque
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

from zephyrun.facts import Comment, Exposure, FileFacts
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.languages.python.scanner import NESTED_QUOTES, Scan, scan
from zephyrun.languages.python.scopes import ScopeTable
from zephyrun.languages.python.walk import Walk
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText, UnreadableText

# Expressions may nest deeper than Python's default recursion limit allows a walk to follow; what
# the interpreter's own parser accepts stays within this. Calls between Python functions take no
# room on the C stack since 3.11.
_RECURSION_LIMIT = 30_000
# Who compares two versions comes back to the same few files; a thousand lines take 2 MB.
_MOST_FILES_KEPT = 8


# How statements begin that older interpreters do not know.
_NEWER = (
    ((3, 12), lazy_pattern(r"\s*(?:type\s+\w+\s*(?:\[.*\])?\s*=|(?:(?:async\s+)?def|class)\s+\w+\s*\[)")),
)


class UnreadableSource(ValueError):
    """The bytes are not Python that this interpreter reads; the message says where and why."""


@dataclass(frozen=True)
class ParsedFile:
    """One file's text, tree and facts. `places` maps (identity of a node, field) to the offsets of
    the names that the field holds, in order; plain names stand at their node. `marks` says where
    comments and text literals stand."""

    source: SourceText
    tree: ast.Module
    facts: FileFacts
    places: dict[tuple[int, str], tuple[int, ...]]
    marks: Scan

    @cached_property
    def nodes(self) -> list[ast.AST]:
        """All nodes of the tree."""
        return nodes_in(self.tree)

    def start_of(self, node: Any) -> int:
        """Where in the text a node begins that has a place."""
        return self.source.offset_of_utf8(node.lineno, node.col_offset)

    def end_of(self, node: Any) -> int:
        """Where in the text a node ends that has a place."""
        return self.source.offset_of_utf8(node.end_lineno, node.end_col_offset)

    def binding_of(self, name: ast.Name) -> int:
        """The number of the variable that a name stands for."""
        return self.facts.reference_by_start[self.start_of(name)].binding


@contextmanager
def deep_recursion() -> Iterator[None]:
    """Allow walks as deep as the trees that the interpreter's parser makes."""
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, _RECURSION_LIMIT))
    try:
        yield
    finally:
        sys.setrecursionlimit(before)


@contextmanager
def without_collector() -> Iterator[None]:
    """Spare the collector of cycles: a tree and its facts are many new objects and hold no cycles, so
    it would look through them again and again for nothing."""
    was_enabled = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_enabled:
            gc.enable()


def read_facts(data: bytes) -> FileFacts:
    """The facts of one file. Errors: `UnreadableSource`."""
    return parse(data).facts


def parse(data: bytes) -> ParsedFile:
    """Read one file. Errors: `UnreadableSource`; anything else that escapes is a bug."""
    return parse_with_table(data)[0]


@lru_cache(maxsize=_MOST_FILES_KEPT)
def parse_shared(data: bytes) -> ParsedFile:
    """The same as `parse`, for who changes nothing in the tree: others get the same one. Errors: as for `parse`."""
    return parse(data)


def parse_with_table(data: bytes) -> tuple[ParsedFile, ScopeTable]:
    """Read one file and give the resolver's own table as well. Errors: as for `parse`."""
    with without_collector():
        return _parse_with_table(data)


def _parse_with_table(data: bytes) -> tuple[ParsedFile, ScopeTable]:
    try:
        source = SourceText.from_bytes(data)
    except UnreadableText as problem:
        raise UnreadableSource(str(problem)) from problem
    tree = tree_of(source)
    found = scan(source.text, nested_quotes=NESTED_QUOTES)
    walk = Walk(source, found.texts)
    try:
        with deep_recursion():
            walk.module(tree)
    except RecursionError as problem:
        raise UnreadableSource("the code is nested too deeply") from problem
    if walk.unplaced:
        raise UnreadableSource(f"could not tell where {walk.unplaced[0]} stands")
    parsed = ParsedFile(source, tree, _facts(source, walk, found), walk.places, found)
    return parsed, walk.table


def tree_of(source: SourceText) -> ast.Module:
    """The syntax tree of a text. Errors: `UnreadableSource`."""
    try:
        with warnings.catch_warnings():
            # Invalid escapes and the like are for the person's own interpreter to tell.
            warnings.simplefilter("ignore")
            return ast.parse(source.text)
    except SyntaxError as problem:
        where = f"line {problem.lineno}: " if problem.lineno else ""
        raise UnreadableSource(f"{where}{problem.msg}{_newer_python(problem.text or '')}") from problem
    except UnicodeEncodeError as problem:
        line = source.line_of(problem.start)
        raise UnreadableSource(f"line {line}: a character that is not text") from problem
    except (ValueError, OverflowError) as problem:
        raise UnreadableSource(str(problem)) from problem
    except (RecursionError, MemoryError) as problem:
        raise UnreadableSource("the code is nested too deeply") from problem


def tree_in(data: bytes) -> ast.Module | None:
    """The syntax tree of some bytes; `None` where they are no Python that can be read."""
    try:
        return tree_of(SourceText.from_bytes(data, strict=False))
    except UnreadableSource:
        return None


def nodes_on_lines(tree: ast.Module, lines: Sequence[int]) -> Iterator[ast.AST]:
    """The nodes of a tree, as the interpreter gives it, that touch some 1-based lines, which are sorted; those around
    come before those within."""
    rest: deque[tuple[ast.AST, bool]] = deque([(tree, False)])
    while rest:
        node, is_in_text = rest.popleft()
        yield node
        # Older interpreters do not say where in the file stands what a text fills in.
        is_in_text = is_in_text or isinstance(node, ast.JoinedStr)
        for inner in ast.iter_child_nodes(node):
            if is_in_text or not isinstance(inner, ast.stmt | ast.expr | ast.excepthandler):
                rest.append((inner, is_in_text))
                continue
            first = min([inner.lineno, *(each.lineno for each in getattr(inner, "decorator_list", ()))])
            if bisect_left(lines, first) < bisect_right(lines, inner.end_lineno or first):
                rest.append((inner, False))


def _newer_python(line: str) -> str:
    """What to add where a line that cannot be read seems to be for a Python that is newer than this one."""
    for version, pattern in _NEWER:
        if sys.version_info < version and pattern.match(line):
            needed, here = (".".join(map(str, each[:2])) for each in (version, sys.version_info))
            return f" (it seems to need Python {needed}, and this is {here}: run zephyrun with a newer one)"
    return ""


class _ResolvedWhenAsked(FileFacts):
    """Facts of which it is found out what the names mean when somebody first asks: who looks for numbers or comments
    asks about those of few files."""

    _table: ScopeTable

    def __getattr__(self, name: str) -> Any:
        if name not in ("bindings", "references"):
            raise AttributeError(name)
        known = self.__dict__
        known["bindings"], known["references"] = known.pop("_table").resolve()
        return known[name]

    @cached_property
    def names(self) -> frozenset[str]:
        """Every name that some binding of the file bears."""
        table = self.__dict__.get("_table")
        return super().names if table is None else table.names

    @cached_property
    def module_names(self) -> frozenset[str]:
        """Every name that the module itself defines."""
        table = self.__dict__.get("_table")
        return super().module_names if table is None else table.global_names


def _facts(source: SourceText, walk: Walk, found: Scan) -> FileFacts:
    facts = _ResolvedWhenAsked.__new__(_ResolvedWhenAsked)
    facts.__dict__.update(
        _table=walk.table,
        scopes=tuple(walk.table.scopes),
        literals=tuple(sorted(walk.literals)),
        texts=tuple(sorted(walk.texts)),
        statements=tuple(sorted(walk.statements)),
        definitions=tuple(sorted(walk.definitions, key=lambda each: (each.start, each.end))),
        exposures=tuple(each for each in walk.exposures if not _is_own_name(each, walk.table)),
        imports=tuple(dict.fromkeys(walk.imports)),
        attributes=frozenset(walk.attributes),
        shown=tuple(walk.shown),
        namespace_reads=tuple(dict.fromkeys(walk.namespace_reads)),
        n_lines=source.n_lines,
    )
    facts.__dict__["comments"] = _comments(source, facts, found.comments)
    return facts


def _is_own_name(exposure: Exposure, table: ScopeTable) -> bool:
    """Whether what looks like `vars` or `eval` is something of that name that the file defines."""
    called = exposure.what.removesuffix("()")
    return not table.home(exposure.scope, called).outside and (called, exposure.start) in table.places


def _comments(source: SourceText, facts: FileFacts, found: list[tuple[int, int]]) -> tuple[Comment, ...]:
    """The comments that stand at some ranges; what statements there are is known."""
    text = source.text
    comments = []
    for start, end in found:
        before = text[source.line_starts[source.line_of(start) - 1] : start]
        own_line = not before.strip(" \t\f")
        statement = facts.statement_at(start)
        around = facts.statements[statement] if statement >= 0 else None
        if own_line and (around is None or start >= around.head_end):
            # On a line of its own, and not inside a statement that runs over several lines.
            statement = bisect_left(facts.statement_starts, start)
            if statement == len(facts.statements):
                statement = -1
        scope = facts.statements[statement].scope if statement >= 0 else 0
        comments.append(Comment(start, end, text[start:end], own_line, scope, statement))
    return tuple(comments)
