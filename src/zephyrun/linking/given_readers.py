"""Builtins that read the names around whoever calls them (`eval`, `exec`, `locals`), where they are given on: under another
name, or out of a table, some other file can call them then, and its own variables are read."""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping

from zephyrun.languages.python.nodes import last_name, nodes_in
from zephyrun.languages.python.reading import tree_in
from zephyrun.linking.glances import glance
from zephyrun.linking.texts import words_in
from zephyrun.patterns import lazy_pattern

# What reads names whatever it is called with, and what does so without arguments, and so not for who calls it with one.
_READERS = frozenset({"eval", "exec", "locals", "globals"})
_READERS_ALONE = frozenset({"vars", "dir"})
_RUNNING = frozenset({"eval", "exec"})
_ALL_READERS = _READERS | _READERS_ALONE
_BUILTINS = frozenset({"builtins", "__builtins__"})
# Only files that seem to do so are read.
_MAY_GIVE = lazy_pattern(rb"(?<![\w.])(?:eval|exec|locals|globals|vars|dir)\b(?!\s*[(=])|(?<!\w)(?:__)?builtins(?:__)?\b")
# What is handed a thing, or asks it for something, and keeps nothing of it.
_ASKING = frozenset("getattr hasattr setattr delattr vars dir id repr str isinstance issubclass callable".split())
_HANDING_ON = "partial"
# What calls it from code of the library's own.
_LEAVING_ALONE = frozenset({"add_argument", "Thread", "Process"})
_KEEPING_NOTHING = (ast.Compare, ast.Subscript, ast.Attribute, ast.Set, ast.Expr, ast.Delete)
_Function = ast.FunctionDef | ast.AsyncFunctionDef
# What names the module of all builtins beside a variable: a text.
_NAMED = "builtins"


def find_given_readers(contents: Mapping[str, bytes]) -> dict[str, frozenset[str]]:
    """For each file that gives on what reads the names around its caller, or the module of all builtins: the names under which
    it does; "" stands for a way without a name."""
    found = {path: names for path, data in contents.items() if (names := names_of_given_readers(data))}
    met: set[str] = set()
    while rest := frozenset().union(*found.values()) - {""} - met:
        met |= rest
        # Whoever has it by such a name may give it on under another one.
        for path, data in contents.items():
            if any(name.encode() in words_in(data) for name in rest) and (tree := tree_in(data)) is not None:
                found[path] = found.get(path, frozenset()).union(_given(tree, frozenset(met)))
    return {path: names for path, names in found.items() if names}


@glance
def names_of_given_readers(data: bytes) -> frozenset[str]:
    """The names under which a file gives on such a builtin, at a glance; "" stands for a way without a name."""
    if _MAY_GIVE.search(data) is None:
        return frozenset()
    tree = tree_in(data)
    return frozenset(_given(tree)) if tree is not None else frozenset()


def _given(tree: ast.Module, known: frozenset[str] = frozenset()) -> Iterator[str]:
    """The names under which a file gives readers on, be they builtins or what is `known` by a name."""
    reading = _Reading(tree, known)
    for node in reading.nodes:
        if isinstance(node, ast.Import | ast.ImportFrom):
            yield from reading.given_by_import(node)
        elif (what := reading.reader_at(node)) and not reading.is_called_or_asked(node, what):
            yield from reading.names_given(node)


class _Reading:
    """The syntax tree of a file, and what is called so that it may be one of the builtins that read names."""

    def __init__(self, tree: ast.Module, known: frozenset[str]) -> None:
        self.nodes = nodes_in(tree)
        self._known = known
        self._around = {inner: node for node in self.nodes for inner in ast.iter_child_nodes(node)}
        self._bound = {each.id for each in self.nodes if isinstance(each, ast.Name) and not isinstance(each.ctx, ast.Load)}
        self._bound |= {each.arg for each in self.nodes if isinstance(each, ast.arg)}
        self._bound |= {each.name for each in self.nodes if isinstance(each, _Function | ast.ClassDef)}
        imports = [each for node in self.nodes if isinstance(node, ast.Import) for each in node.names]
        self._called_builtins = _BUILTINS - self._bound
        self._called_builtins |= {each.asname or each.name for each in imports if each.name == _NAMED}
        # Who speaks of them by a text has them by whatever that is handed to.
        self._speaks_of_builtins = any(map(_is_text_naming, self.nodes))

    def given_by_import(self, node: ast.Import | ast.ImportFrom) -> Iterator[str]:
        """The other names under which an import brings a reader."""
        given = self._known if isinstance(node, ast.ImportFrom) else frozenset[str]()
        if isinstance(node, ast.Import) or node.module == _NAMED:
            given |= {_NAMED, *_ALL_READERS}
        for each in node.names:
            if each.asname is not None and each.asname != each.name and each.name in given:
                yield each.asname

    def reader_at(self, node: ast.AST) -> str:
        """Which builtin that reads names an expression gives, or the module of all; "" for none."""
        match node:
            case ast.Name(id=name, ctx=ast.Load()) if name in self._called_builtins:
                return _NAMED
            case ast.Name(id=name, ctx=ast.Load()) if (name in _ALL_READERS and name not in self._bound) or name in self._known:
                return name
            case ast.Attribute(attr=name) if name in self._known:
                return name
            case ast.Attribute(value=value, attr=name) if name in _ALL_READERS:
                is_telling = name in _RUNNING and self._speaks_of_builtins
                return name if is_telling or self._names_builtins(value) else ""
            case ast.Call(func=ast.Name(id="getattr"), args=[value, key, *_]) if self._names_builtins(value):
                is_other = isinstance(key, ast.Constant) and key.value not in _ALL_READERS
                return "" if is_other else _NAMED
            case ast.Subscript(value=value, slice=ast.Constant(value=name)) if name in _ALL_READERS:
                is_telling = name in _RUNNING and self._speaks_of_builtins
                return name if is_telling or self._names_builtins(value) else ""
        return ""

    def _names_builtins(self, value: ast.expr) -> bool:
        inner = nodes_in(value)
        return any(_is_text_naming(each) or last_name(each) in self._called_builtins for each in inner)

    def is_called_or_asked(self, node: ast.AST, what: str) -> bool:
        """Whether a reader of names stays where it is: it is called there, or only held against something."""
        outer = self._around[node]
        if isinstance(outer, ast.Call):
            called = last_name(outer.func)
            return outer.func is node or called in _ASKING or (what in _READERS_ALONE and called != _HANDING_ON)
        return isinstance(outer, _KEEPING_NOTHING)

    def names_given(self, node: ast.AST) -> Iterator[str]:
        """Under which names others find what a node gives; "" where that does not show."""
        while node in self._around:
            inner, node = node, self._around[node]
            match node:
                case ast.Assign(targets=targets):
                    yield from (last_name(each) for target in targets for each in _parts_of(target))
                    return
                case ast.AnnAssign(target=target) | ast.NamedExpr(target=target):
                    yield last_name(target)
                    return
                case ast.For(target=target, iter=each) | ast.comprehension(target=target, iter=each) if each is inner:
                    yield from map(last_name, _parts_of(target))
                    return
                case ast.Call(func=called) if called is not inner and last_name(called) not in _LEAVING_ALONE:
                    # What it hands to whom, as a keyword or not, is called some way there.
                    yield last_name(called)
                    yield from (each.arg or "" for each in node.keywords if each is inner)
                case ast.Dict(keys=keys, values=values):
                    at = [key for key, value in zip(keys, values, strict=True) if value is inner]
                    yield str(at[0].value) if at and isinstance(at[0], ast.Constant) else ""
                case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
                    yield name
                    return
        yield ""


def _is_text_naming(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and node.value in _BUILTINS


def _parts_of(target: ast.expr) -> list[ast.expr]:
    """What gets a value, or a part of it, in an assignment."""
    return [part for each in target.elts for part in _parts_of(each)] if isinstance(target, ast.Tuple | ast.List) else [target]
