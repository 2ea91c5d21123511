"""Builtins that read the names around whoever calls them (`eval`, `exec`, `locals`), where they are given on: under another
name, or out of a table, some other file can call them then, and its own variables are read."""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping

from zephyrun.languages.python.nodes import last_name, nodes_in
from zephyrun.languages.python.reading import tree_in
from zephyrun.languages.python.reserved import BUILTINS
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
_MAY_GIVE = lazy_pattern(
    rb"(?<![\w.])(?:eval|exec|locals|globals|vars|dir)[ \t]*(?:[,)\]};#:\r\n]|\Z|\b(?:if|or|and|else|for)\b)|(?<!\w)(?:__)?builtins(?:__)?\b"
)
# What is handed a thing, or asks it for something, and keeps nothing of it.
_ASKING = frozenset("getattr hasattr setattr delattr vars dir id repr str isinstance issubclass callable".split())
_HANDING_ON = "partial"
# What gives its argument, or something that calls it or holds it.
_SAME_KIND = frozenset({_HANDING_ON, "staticmethod", "classmethod", "dict", "list", "tuple", "SimpleNamespace"})
# Names that everything has, and what a namespace has the builtins under anyhow.
_TELLING_NOTHING = frozenset({*BUILTINS, *_BUILTINS, *dir(list), *dir(dict), *dir(set), *dir(str)})
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
    rest = dict(found)
    while rest:
        # Whoever has it from there by such a name may give it on under another one.
        more: dict[str, frozenset[str]] = {}
        for giver, names in rest.items():
            called = _module_word(giver)
            for path, data in contents.items():
                words = words_in(data) if path != giver else frozenset[bytes]()
                here = frozenset(name for name in names if name and name.encode() in words)
                if here and called in words and (tree := tree_in(data)) is not None:
                    new = frozenset(_given(tree, here)) - found.get(path, frozenset())
                    more[path] = more.get(path, frozenset()) | new
        rest = {path: names for path, names in more.items() if names}
        for path, names in rest.items():
            found[path] = found.get(path, frozenset()) | names
    return found


def _module_word(path: str) -> bytes:
    """The word by which a file is imported: its name, or that of its folder."""
    folder, _, name = path.removesuffix(".py").rpartition("/")
    return (folder.rpartition("/")[2] if name == "__init__" else name).encode()


@glance
def names_of_given_readers(data: bytes) -> frozenset[str]:
    """The names under which a file gives on such a builtin, at a glance; "" stands for a way without a name."""
    if _MAY_GIVE.search(data) is None:
        return frozenset()
    tree = tree_in(data)
    return frozenset(_given(tree)) if tree is not None else frozenset()


def _given(tree: ast.Module, known: frozenset[str] = frozenset()) -> frozenset[str]:
    """The names under which a file gives readers on, be they builtins or what is `known` by a name."""
    return frozenset(_Reading(tree, known).given())


class _Reading:
    """The syntax tree of a file, and what is called so that it may be one of the builtins that read names."""

    def __init__(self, tree: ast.Module, known: frozenset[str]) -> None:
        self._nodes = nodes_in(tree)
        self._known = known
        self._around = {inner: node for node in self._nodes for inner in ast.iter_child_nodes(node)}
        self._bound = {each.id for each in self._nodes if isinstance(each, ast.Name) and not isinstance(each.ctx, ast.Load)}
        self._bound |= {each.arg for each in self._nodes if isinstance(each, ast.arg)}
        self._bound |= {each.name for each in self._nodes if isinstance(each, _Function | ast.ClassDef)}
        imports = [each for node in self._nodes if isinstance(node, ast.Import) for each in node.names]
        self._called_builtins = _BUILTINS - self._bound
        self._called_builtins |= {each.asname or each.name for each in imports if each.name == _NAMED}
        # Who speaks of them by a text has them by whatever that is handed to.
        self._speaks_of_builtins = any(map(_is_text_naming, self._nodes))
        self._followed = set[tuple[ast.AST, str]]()

    def given(self) -> Iterator[str]:
        """The names under which readers go on, to other files."""
        for node in self._nodes:
            if isinstance(node, ast.Import | ast.ImportFrom):
                yield from self._given_by_import(node)
            elif (what := self._reader_at(node)) and not self._is_called_or_asked(node, what):
                yield from ("" if name in _TELLING_NOTHING else name for name in self._names_given(node))

    def _given_by_import(self, node: ast.Import | ast.ImportFrom) -> Iterator[str]:
        """The other names under which an import brings a reader, for other files, too."""
        given = self._known if isinstance(node, ast.ImportFrom) else frozenset[str]()
        if isinstance(node, ast.Import) or node.module == _NAMED:
            given |= {_NAMED, *_ALL_READERS}
        for each in node.names:
            if each.asname is not None and each.asname != each.name and each.name in given:
                function = self._function_around(node)
                yield from (each.asname,) if function is None else self._given_by_variable(each.asname, function)

    def _reader_at(self, node: ast.AST) -> str:
        """Which builtin that reads names an expression gives, or the module of all; "" for none."""
        match node:
            case ast.Name(id=name, ctx=ast.Load()) if name in self._called_builtins:
                return _NAMED
            case ast.Name(id=name, ctx=ast.Load()) if (name in _ALL_READERS and name not in self._bound) or name in self._known:
                return name
            case ast.Attribute(attr=name) if name in self._known:
                return name
            case ast.Attribute(value=value, attr=name) | ast.Subscript(value=value, slice=ast.Constant(value=name)) if name in _ALL_READERS:
                is_telling = name in _RUNNING and self._speaks_of_builtins
                return name if is_telling or self._names_builtins(value) else ""
            case ast.Call(func=ast.Name(id="getattr"), args=[value, key, *_]) if self._names_builtins(value):
                is_other = isinstance(key, ast.Constant) and key.value not in _ALL_READERS
                return "" if is_other else _NAMED
        return ""

    def _names_builtins(self, value: ast.expr) -> bool:
        return any(_is_text_naming(each) or last_name(each) in self._called_builtins for each in nodes_in(value))

    def _is_called_or_asked(self, node: ast.AST, what: str) -> bool:
        """Whether a reader of names stays where it is: it is called there, or only held against something."""
        outer = self._around[node]
        if isinstance(outer, ast.Call):
            called = last_name(outer.func)
            return outer.func is node or called in _ASKING or (what in _READERS_ALONE and called != _HANDING_ON)
        return isinstance(outer, _KEEPING_NOTHING)

    def _names_given(self, node: ast.AST) -> Iterator[str]:
        """Under which names others find what a node gives; "" where that does not show."""
        is_given_back = False
        while node in self._around:
            inner, node = node, self._around[node]
            match node:
                case ast.Assign() | ast.AnnAssign() | ast.NamedExpr() | ast.For() | ast.comprehension():
                    yield from self._names_set(node, inner)
                    return
                case ast.Call(func=called) if called is not inner and last_name(called) not in _LEAVING_ALONE:
                    # What it hands to whom, as a keyword or not, is called some way there.
                    if not self._known:
                        yield last_name(called)
                        yield from (each.arg or "" for each in node.keywords if each is inner)
                    if last_name(called) not in _SAME_KIND:
                        return
                case ast.Dict(keys=keys, values=values):
                    at = [key for key, value in zip(keys, values, strict=True) if value is inner]
                    yield str(at[0].value) if at and isinstance(at[0], ast.Constant) else ""
                case ast.Return() | ast.Yield() | ast.Lambda() | ast.arguments():
                    is_given_back = True
                case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
                    if is_given_back:
                        yield name
                    return
        yield ""

    def _names_set(self, node: ast.AST, value: ast.AST) -> Iterator[str]:
        """The names that get a value; what is a variable of a function is followed to where that goes on."""
        match node:
            case ast.Assign(targets=targets):
                found = [each for target in targets for each in _parts_of(target)]
            case ast.AnnAssign(target=target) | ast.NamedExpr(target=target):
                found = [target]
            case ast.For(target=target, iter=each) | ast.comprehension(target=target, iter=each) if each is value:
                found = _parts_of(target)
            case _:
                return
        function = self._function_around(node)
        for each in found:
            if isinstance(each, ast.Name) and function is not None:
                yield from self._given_by_variable(each.id, function)
            else:
                yield last_name(each)

    def _given_by_variable(self, name: str, function: ast.AST) -> Iterator[str]:
        """Under which names others find what a variable of a function holds."""
        if (function, name) in self._followed:
            return
        self._followed.add((function, name))
        for read in nodes_in(function):
            if isinstance(read, ast.Name) and read.id == name and isinstance(read.ctx, ast.Load) and not self._is_called_or_asked(read, name):
                yield from self._names_given(read)

    def _function_around(self, node: ast.AST) -> ast.AST | None:
        """The innermost function around a part; `None` at the top of a module or class."""
        while node in self._around and not isinstance(node, ast.ClassDef):
            node = self._around[node]
            if isinstance(node, _Function):
                return node
        return None


def _is_text_naming(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and node.value in _BUILTINS


def _parts_of(target: ast.expr) -> list[ast.expr]:
    """What gets a value, or a part of it, in an assignment."""
    return [part for each in target.elts for part in _parts_of(each)] if isinstance(target, ast.Tuple | ast.List) else [target]
