"""What names in examples of documentation mean. Such an example runs as a test, among the names of the module around it."""

from __future__ import annotations

import ast
import re
import warnings
from collections.abc import Iterator
from functools import lru_cache

from zephyrun.facts import Text
from zephyrun.languages.python.links import given_in
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.targets import functions_making
from zephyrun.linking.texts import EXAMPLE_LINE
from zephyrun.linking.usage import TargetSort, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, FunctionKey, Value, Values, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

_LINE = lazy_pattern(EXAMPLE_LINE)
# What gives examples names of its own: of a fixture for them, and arguments of who runs them. Source: library reference,
# `doctest`, and the trade's test runner.
_GIVING_NAMES = ("doctest_namespace", "extraglobs", "globs")
_GIVEN = lazy_pattern(r"doctest_namespace\s*\[\s*[\"'](\w+)[\"']\s*\]\s*=\s*(\w+)[ \t]*(?:[\r\n;#]|\Z)")
# What may give names a meaning that does not show.
_REACHING = frozenset("exec eval globals locals vars setattr delattr __dict__ __setattr__ modules patch".split())
_MOST_KEPT = 256
_NOTHING_KNOWN: Values = frozenset({UNKNOWN_VALUE})


class MeantInExamples:
    """Says of places in the examples of a project whether the name there is the one in question."""

    def __init__(self, evaluator: Evaluator, usage: Usage) -> None:
        self._evaluator = evaluator
        self._usage = usage
        self._target = usage.target

    def is_meant(self, file: LinkedFile, text: Text, start: int) -> bool | None:
        """Whether the name at an offset, in documentation, is the one in question; `None` where that is not known."""
        example = _example_in(file.source.text, text.start, text.end)
        if example is None or not example.is_plain or start not in example.nodes:
            return None
        node = example.nodes[start]
        values = _ExampleValues(self._evaluator, file, example)
        if isinstance(node, ast.ImportFrom) and self._target.sort is TargetSort.GLOBAL:
            return self._is_home(values.module(node.module or ""))
        if isinstance(node, ast.Attribute) and self._target.sort is TargetSort.GLOBAL:
            return self._is_home(values.of(node.value))
        if isinstance(node, ast.Attribute) and self._target.sort is TargetSort.MEMBER:
            return True if self._are_ours(values.of(node.value)) else None
        if isinstance(node, ast.Call) and self._target.sort is TargetSort.PARAMETER:
            return self._is_called(values.of(node.func))
        return None

    def _is_home(self, values: Values) -> bool | None:
        """Whether what stands before a dot is a module that has the name."""
        homes = {path for path, _ in self._usage.homes}
        found = {value.sort is ValueSort.MODULE and value.path in homes for value in values}
        return found.pop() if len(found) == 1 and UNKNOWN_VALUE not in values else None

    def _are_ours(self, values: Values) -> bool:
        """Whether all of some values are instances of the classes that share the name."""
        reachable = {each for home in self._usage.homes for each in self._evaluator.relatives(home)}
        return bool(values) and all(
            value.sort is ValueSort.INSTANCE and (value.path, value.number) in reachable for value in values
        )

    def _is_called(self, values: Values) -> bool | None:
        called = {key for value in values for key in self._functions_called(value)}
        found = {key in self._usage.homes for key in called}
        return found.pop() if len(found) == 1 and None not in called else None

    def _functions_called(self, value: Value) -> list[FunctionKey | None]:
        """The functions that take the keywords of a call, `None` where they are not known."""
        key = (value.path, value.number)
        if value.sort is ValueSort.FUNCTION:
            return [key]
        if value.sort is ValueSort.CLASS:
            return list(functions_making(self._evaluator, key)) or [None]
        return [None]


class _Example:
    """The code of all examples of one text, which run one after the other: what stands where, and what binds names.

    `nodes` go by the offset of the name in question: the attribute behind a dot, the name that an import takes, the
    call to which a keyword belongs.
    """

    def __init__(self, tree: ast.Module, lines: list[tuple[int, str]]) -> None:
        self._lines = lines
        self.nodes: dict[int, ast.AST] = {}
        self.imported: dict[str, list[tuple[str, str]]] = {}
        self.given = given_in(tree)
        words = set()
        for node in ast.walk(tree):
            self._note_place(node)
            self._note_import(node)
            words.add(getattr(node, "id", "") or getattr(node, "attr", ""))
        self.is_plain = _REACHING.isdisjoint(words) and "*" not in self.given

    def is_known(self, name: str) -> bool:
        """Whether all that a name is given is written out: expressions, or things that are imported."""
        return self.given.get(name, []).count(None) == len(self.imported.get(name, ()))

    def _offset(self, line: int, column: int) -> int:
        start, text = self._lines[line - 1]
        return start + len(text.encode()[:column].decode("utf-8", "replace"))

    def _note_place(self, node: ast.AST) -> None:
        if isinstance(node, ast.Attribute):
            end = self._offset(node.end_lineno or node.lineno, node.end_col_offset or 0)
            self.nodes[end - len(node.attr)] = node
        elif isinstance(node, ast.Call):
            for keyword in node.keywords:
                self.nodes[self._offset(keyword.lineno, keyword.col_offset)] = node
        elif isinstance(node, ast.ImportFrom) and not node.level:
            for alias in node.names:
                self.nodes[self._offset(alias.lineno, alias.col_offset)] = node

    def _note_import(self, node: ast.AST) -> None:
        if isinstance(node, ast.Import):
            for alias in node.names:
                top = alias.name.partition(".")[0]
                self.imported.setdefault(alias.asname or top, []).append((alias.name if alias.asname else top, ""))
        elif isinstance(node, ast.ImportFrom) and not node.level:
            for alias in node.names:
                self.imported.setdefault(alias.asname or alias.name, []).append((node.module or "", alias.name))


@lru_cache(maxsize=_MOST_KEPT)
def _example_in(text: str, start: int, end: int) -> _Example | None:
    """The examples in a part of a text; `None` where they are no code that can be read."""
    lines = [(match.start(1), match[1]) for match in _LINE.finditer(text, start, end)]
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            tree = ast.parse("\n".join(line for _, line in lines))
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return None
    return _Example(tree, lines)


class _ExampleValues:
    """What values in an example may be."""

    def __init__(self, evaluator: Evaluator, file: LinkedFile, example: _Example) -> None:
        self._evaluator = evaluator
        self._file = file
        self._example = example
        self._asked: set[str] = set()

    def of(self, value: ast.expr) -> Values:
        """What an expression may be."""
        if isinstance(value, ast.Name):
            return self._of_name(value.id)
        if isinstance(value, ast.Attribute):
            receivers = self.of(value.value)
            return _union(self._evaluator.attribute_values(self._file, each, value.attr) for each in receivers)
        if isinstance(value, ast.Call):
            return _union(self._evaluator.given_by_call(each) for each in self.of(value.func))
        return _NOTHING_KNOWN

    def module(self, dotted: str) -> Values:
        """A module by its absolute name."""
        return self._evaluator.module_values.of_module(self._file, dotted)

    def _of_name(self, name: str) -> Values:
        example = self._example
        if name in self._asked or not example.is_known(name):
            return _NOTHING_KNOWN
        self._asked.add(name)
        found = [self.of(each[1]) for each in example.given.get(name, ()) if each is not None]
        for dotted, member in example.imported.get(name, ()):
            there = self._evaluator.module_values.of_member(self._file, dotted, member) if member else self.module(dotted)
            found.append(there)
        self._asked.discard(name)
        if (binding := self._file.module_bindings.get(name)) is not None:
            found.append(self._evaluator.binding_values(self._file, binding))
        found += self._given(name)
        return _union(found) if found else _NOTHING_KNOWN

    def _given(self, name: str) -> Iterator[Values]:
        """What whoever runs the examples gives a name."""
        for path in sorted({path for word in _GIVING_NAMES for path in self._evaluator.linkage.paths_mentioning(word)}):
            file = self._evaluator.linkage.file(path)
            if file is None:
                yield _NOTHING_KNOWN
                continue
            plain = [match[2] for match in _GIVEN.finditer(file.source.text) if match[1] == name]
            n_quoted = len(re.findall(rf"[\"']{re.escape(name)}[\"']", file.source.text))
            for value in plain:
                binding = file.module_bindings.get(value)
                yield self._evaluator.binding_values(file, binding) if binding is not None else _NOTHING_KNOWN
            if n_quoted > len(plain):
                yield _NOTHING_KNOWN


def _union(values: Iterator[Values] | list[Values]) -> Values:
    return frozenset[Value]().union(*values)
