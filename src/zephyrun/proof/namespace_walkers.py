"""Who goes through all the names of a module: told from what each file goes through, and from which modules are ever
handed about (see `handed_modules`)."""

from __future__ import annotations

import ast
import re
from bisect import bisect_right
from collections.abc import Collection, Iterator, Mapping
from functools import cached_property

from zephyrun.languages.python.name_readers import LOOKUPS
from zephyrun.languages.python.reading import nodes_on_lines, tree_in
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.link_facts import Walks
from zephyrun.linking.glances import glance
from zephyrun.linking.import_statements import imported_in
from zephyrun.linking.modules import LOADING_IN_DISGUISE
from zephyrun.linking.texts import EXAMPLE_LINE
from zephyrun.patterns import ends_of_word, lazy_pattern
from zephyrun.proof.handed_modules import HandedModules, names_defined
from zephyrun.proof.imports import (
    LOADING_CALL,
    LOADING_OR_FINDING,
    Importers,
    imports_of,
    is_imported,
    loads_by_name,
    loads_modules,
)
from zephyrun.proof.star_imports import bearers_of_names, find_carriers

# What goes through the names of a module that it is given; those of an instance do not count. Each pattern begins with
# a fixed word, which is what makes a search of every file cheap.
_CALLED = ("vars", "dir", "getmembers", "getmembers_static")
# What has a table of its names, and a method that lists them.
_TABLES = ("__dict__", "__dir__")
# The names that a function sees, and the constants and names in its code: those of its module are told from these.
_OF_FUNCTIONS = ("__globals__", "co_consts", "co_names")
# Each with the word without which it finds nothing: to look for that first is many times as fast.
_WALKS_NAMES = (
    *(
        (name, lazy_pattern(rb"%b(?<!\w%b)\s*\(\s*(?!(?:self|cls)?\s*[,)])" % (name, name)))
        for name in map(str.encode, _CALLED)
    ),
    (b"__dict__", lazy_pattern(rb"__dict__(?<!self\.__dict__)(?<!cls\.__dict__)")),
    (b"__dir__", lazy_pattern(rb"__dir__(?<!def __dir__)")),
    *((name, lazy_pattern(name)) for name in map(str.encode, _OF_FUNCTIONS)),
    (b"run_", lazy_pattern(rb"run_(?:module|path)\b")),
    # A text with which the name of a table begins that is put together.
    (b"__d", lazy_pattern(rb"__d(?:i(?:c(?:t_?)?)?)?(?=[\"'])")),
)
# Where what is called to list names is handed on or named otherwise, unless the word is a variable.
_NAMES_WALKER = tuple(
    (
        name,
        lazy_pattern(rb"%b(?<!\w%b)(?:\s*(?:[,)\]}]|\Z)|\s+as\b|[ \t]*\n)" % (name, name)),
        lazy_pattern(rb"%b(?<![.\w]%b)\s*(?:=(?!=)|\bin\b)|def\s+\w+\s*\([^()]*\b%b\b" % (name, name, name)),
    )
    for name in map(str.encode, _CALLED)
)
_SETS_BY_NAME = b"setattr"
_SETS_SOME_NAME = lazy_pattern(rb"setattr(?<!\wsetattr)\s*\(\s*([A-Za-z]\w*)\s*,\s*(?![\"']\w+[\"']\s*,)")
_LOADING = lazy_pattern(LOADING_OR_FINDING)
# What loads or finds modules, under another name or as a value.
_DISGUISED_WORDS = (b"import_module", b"__import__", b"modules")
_LOADS_IN_DISGUISE = lazy_pattern(LOADING_IN_DISGUISE)
_GETS_LOADED = lazy_pattern(rb"(\w+)[ \t]*=(?!=)[^=\n]*\Z")
_WALKING = rb"\b(?:%b)\s*\(\s*" % "|".join(_CALLED).encode()
_WALKS_LOADED = lazy_pattern(rb"%b[\w.]*%b" % (_WALKING, LOADING_CALL))
_TOP_LEVEL = lazy_pattern(rb"(?m)^(?=(?:async[ \t]+)?def\b|class\b|@)")
# What gives all modules at once, what finds that of something, and what tells modules from other things.
_GIVING_ALL = (b"sys.modules", b"get_objects")
_ALL_MODULES = lazy_pattern(rb"sys\.modules\b(?!\s*(?:\[|\.\s*(?:get|pop|setdefault)\b))|\bget_objects\b")
# What finds the module of something, or one by a name that is worked out.
_FINDING_ONE = (b"getmodule", b"modules")
_FINDS_ONE = lazy_pattern(
    rb"\bgetmodule\b|\bmodules\s*(?:\[|\.\s*(?:get|pop|setdefault)\s*\()\s*(?![rR]?[\"']|__name__\s*[\],)])"
)
_TELLING_MODULES = (b"ModuleType", b"ismodule")
# What lists the names of the module in which it stands.
_LISTS_OWN = lazy_pattern(
    rb"\b(?:dir|globals|locals|vars)\s*\(\s*\)|\bsys\.modules\b|\b(?:globals|locals)\s*(?:[,)\]}\r\n;#]|as\b|\Z)"
)

# What is around a name that gets a value.
_GIVING = lazy_pattern(rb"(?:\s*,[\s\w,]*)?(?::[^=\n]*)?\s*:?=(?!=)|[\w\s,()]*\bin\b")
_RENAMING = lazy_pattern(rb"as\s")
_N_RENAMING = 3
_OPENING = lazy_pattern(rb"\s*\(")
_LONGEST_OWNER = 5
_LIST_OF_NAMES = lazy_pattern(rb"(?m)^__all__\b[^\n=]*=")

# The same in a text that may be run.
_WALKS_IN_TEXT = lazy_pattern(r"\b(?:vars|dir|getmembers)\s*\(|__dict__|__dir__|__globals__|co_consts|co_names")
_EXAMPLE = lazy_pattern(EXAMPLE_LINE)
# A list of more texts than these is one of words.
_MOST_NAMES = 3
_RUNNING = frozenset({"run_module", "run_path"})
_BEGINNING = "__d"


class NamespaceWalkers:
    """Says for each module of a project who goes through its names. `texts` are all files that may hold code, by path;
    `labels` what they are called, and `modules` the dotted names of those that are modules."""

    def __init__(self, texts: Mapping[str, bytes], labels: Mapping[str, str], modules: Mapping[str, str]) -> None:
        self._texts = texts
        self._labels = labels
        self._modules = modules
        self._handed = HandedModules(texts, labels, modules)
        self._listing: dict[str, bool] = {}

    @cached_property
    def _walking(self) -> dict[str, bytes]:
        """The files that may go through names."""
        return {path: data for path, data in self._texts.items() if _may_walk(data)}

    @cached_property
    def _walks(self) -> list[tuple[str, Walks]]:
        return [(self._labels[path], walks_in(data)) for path, data in self._walking.items()]

    @cached_property
    def _by_imports(self) -> Importers:
        labels = {label for label, walks in self._walks if walks.goes_by_imports}
        texts = {path: data for path, data in self._walking.items() if self._labels[path] in labels}
        return Importers(imports_of(texts, self._labels))

    @cached_property
    def _walk_all(self) -> frozenset[str]:
        """Who goes through the names of any module."""
        loading = {self._labels[path] for path, data in self._walking.items() if _walks_any_module(data)}
        return frozenset(loading.union(label for label, walks in self._walks if walks.takes_all))

    @cached_property
    def _carriers(self) -> Importers:
        return find_carriers({path: self._texts[path] for path in self._modules}, self._modules)

    @cached_property
    def _contents(self) -> dict[str, bytes]:
        return {module: self._texts[path] for path, module in self._modules.items()}

    @cached_property
    def _walkers_of_name(self) -> dict[str, set[str]]:
        found: dict[str, set[str]] = {}
        for label, walks in self._walks:
            for name in walks.names:
                found.setdefault(name, set()).add(label)
        return found

    def of(self, module: str) -> frozenset[str]:
        """Who else goes through the names of a module, or of one that has them through a star import."""
        bearers = bearers_of_names(module, self._carriers)
        data = self._contents.get(module, b"")
        if len(bearers) > 1 and b"__all__" in data and _LIST_OF_NAMES.search(data) is not None:
            # Whoever says what others are to import hands on nothing else.
            bearers = frozenset({module})
        listing = frozenset(filter(self._lists_itself, bearers - {module}))
        return (self._walk_all | listing).union(*map(self._of_one, bearers)) - {module}

    def _of_one(self, module: str) -> frozenset[str]:
        walkers = set(self._by_imports.of(module))
        for name in self._handed.names_of(module) if self._walkers_of_name else ():
            walkers |= self._walkers_of_name.get(name, set())
        walkers |= {label for label, values in self._values.items() if module in values}
        return frozenset(walkers) | self._handed.to_others(module)

    def _lists_itself(self, module: str) -> bool:
        """Whether a module lists its own names."""
        if module not in self._listing:
            self._listing[module] = _LISTS_OWN.search(self._contents.get(module, b"")) is not None
        return self._listing[module]

    @cached_property
    def _values(self) -> dict[str, frozenset[str]]:
        """The modules that may be handed to each file that goes through whatever it is handed."""
        found: dict[str, frozenset[str]] = {}
        for label, walks in self._walks:
            if walks.is_open:
                values = self._handed.values | self._handed.shown_by(label)
                if walks.goes_deeper:
                    values = self._handed.reached_from(values | self._handed.bound_to(walks.names))
                found[label] = found.get(label, frozenset()) | values
        return found


@glance
def _may_walk(data: bytes) -> bool:
    return any(True for _ in _places_in(data))


def _places_in(data: bytes) -> Iterator[int]:
    """Where a file may go through the names of a module, or set names of one that it imports, and works out which, at a
    glance."""
    for word, pattern in _WALKS_NAMES:
        if word in data:
            yield from (match.start() for match in pattern.finditer(data))
    for word, pattern, is_variable in _NAMES_WALKER:
        if word in data and pattern.search(data) is not None and is_variable.search(data) is None:
            yield from (match.start() for match in pattern.finditer(data))
    for match in _SETS_SOME_NAME.finditer(data) if _SETS_BY_NAME in data else ():
        if is_imported(match[1], data):
            yield match.start()


@glance
def _walks_any_module(data: bytes) -> bool:
    """Whether a function or class goes through the names of modules that it loads by name: of settings
    or plug-ins, which nobody needs to import."""
    if not loads_by_name(data):
        return False
    return _WALKS_LOADED.search(data) is not None or any(
        re.search(rb"%b%b\b|\b%b\.__dict__" % (_WALKING, name, name), part)
        for part in _TOP_LEVEL.split(data)
        if loads_by_name(part)
        for name in set(_loaded_in(part))
    )


def _loaded_in(part: bytes) -> Iterator[bytes]:
    """The names to which modules are bound where they are loaded or found."""
    for found in _LOADING.finditer(part):
        name = _GETS_LOADED.search(part, part.rfind(b"\n", 0, found.start()) + 1, found.start())
        if name is not None:
            yield name[1]


@glance
def walks_in(data: bytes) -> Walks:
    """What a file goes through."""
    walks = _Walk(data)
    # To read all of a large file for one place in it takes long.
    read = [(tree_in(part), part, lines) for part, lines in _walking_parts(data)]
    if any(tree is None for tree, _, _ in read):
        read = [(tree_in(data), data, range(1, data.count(b"\n") + 2))]
    for tree, part, lines in read:
        if tree is None:
            return Walks(frozenset(), is_open=True, goes_deeper=True, goes_by_imports=True, takes_all=False)
        walks.read(tree, part.split(b"\n"), lines)
    # A module that it finds by itself may be handed to what goes through anything.
    finds_some = walks.is_open and loads_modules(data)
    finds_all = walks.is_open and any(word in data for word in _FINDING_ONE) and _FINDS_ONE.search(data) is not None
    finds_all |= walks.is_open and any(word in data for word in _GIVING_ALL) and _ALL_MODULES.search(data) is not None
    finds_all |= walks.is_open and any(word in data for word in _DISGUISED_WORDS) and _LOADS_IN_DISGUISE.search(data) is not None
    return Walks(
        frozenset(walks.names),
        walks.is_open,
        walks.goes_deeper or any(word in data for word in _TELLING_MODULES),
        walks.goes_by_imports or finds_some,
        walks.takes_all or finds_all,
    )


def _walking_parts(data: bytes) -> Iterator[tuple[bytes, Collection[int]]]:
    """The definitions of a file, and what stands between them, in which it may go through names, and on which lines."""
    starts = [0, *(match.start() for match in _TOP_LEVEL.finditer(data)), len(data)]
    places: dict[int, set[int]] = {}
    for place in _places_in(data):
        if not _is_in_comment(data, place):
            number = bisect_right(starts, place) - 1
            places.setdefault(number, set()).add(data.count(b"\n", starts[number], place) + 1)
    for number, lines in sorted(places.items()):
        yield data[starts[number] : starts[number + 1]], lines


def _is_in_comment(data: bytes, place: int) -> bool:
    return data[data.rfind(b"\n", 0, place) + 1 : place].lstrip().startswith(b"#")


class _Walk:
    """Goes through one file, and finds whose names that goes through."""

    def __init__(self, data: bytes) -> None:
        self.names: set[str] = set()
        self.is_open = False
        self.goes_by_imports = False
        self.goes_deeper = False
        self.takes_all = False
        self._data = data
        self._imported = {each.name for each in imported_in(data)}
        self._defined = names_defined(data)
        self._lines: list[bytes] = []
        self._given: dict[str, bool] = {}
        self._parameters: set[str] = set()
        self._looked_at: set[int] = set()
        self._sites: set[tuple[int, int]] = set()

    def read(self, tree: ast.Module, text: list[bytes], lines: Collection[int]) -> None:
        """Read one part of the file, with the lines of its text, in which names may be gone through on some lines."""
        self._lines, self._looked_at, self._sites = text, set(), set()
        nodes = list(nodes_on_lines(tree, sorted(lines)))
        self._parameters = {each.arg for node in nodes for each in _parameters_of(node)}
        # What stands around something comes before it.
        for node in nodes:
            self._look_at(node)
        self.goes_deeper = self.goes_deeper or (bool(self._sites) and any(map(self._is_deep, nodes)))

    def _look_at(self, node: ast.AST) -> None:
        if id(node) in self._looked_at:
            return
        match node:
            case ast.Import() | ast.ImportFrom():
                self.is_open |= any(each.name in _CALLED and each.asname for each in node.names)
                self.takes_all |= any(each.name in _RUNNING and each.asname for each in node.names)
            case ast.Expr(value=ast.Constant(value=str(text)) as documentation):
                self._looked_at.add(id(documentation))
                self.goes_by_imports |= any(map(_WALKS_IN_TEXT.search, _EXAMPLE.findall(text)))
            case ast.Expr(value=ast.Call() as call):
                # What a program that is run gives back is let go.
                if _called(call) in _RUNNING:
                    self._looked_at.update((id(call), id(call.func)))
            case ast.Subscript(value=table, slice=key):
                self._looked_at.update(map(id, _table(table, key)))
            case ast.Compare(left=key, ops=[ast.In() | ast.NotIn()], comparators=[table]):
                self._looked_at.update(map(id, _table(table, key)))
            case ast.List(elts=elements) | ast.Tuple(elts=elements) | ast.Set(elts=elements):
                if len(elements) > _MOST_NAMES:
                    self._looked_at.update(id(each) for each in elements if isinstance(each, ast.Constant))
            case ast.Call():
                self._look_at_call(node)
            case ast.Attribute(ctx=ast.Load(), attr=attribute):
                if attribute in _TABLES:
                    self._receive(node.value)
                # Whoever has a function has the names of its module.
                self.takes_all |= attribute in _OF_FUNCTIONS
                self.is_open |= attribute in _CALLED
                self.takes_all |= attribute in _RUNNING
            case ast.Name(ctx=ast.Load(), id=name):
                # Handed to what calls it.
                self.is_open |= name in _CALLED and not self._is_given(name)
                self.takes_all |= name in _RUNNING
            case ast.Constant(value=str(text)) if text.startswith(_BEGINNING) and _TABLES[0].startswith(text):
                self.is_open = True
            case ast.Constant(value=str(text)) if _WALKS_IN_TEXT.search(text):
                self._look_at_text(text)

    def _look_at_call(self, call: ast.Call) -> None:
        match call:
            case ast.Call(func=ast.Attribute(value=table, attr="get" | "setdefault" | "pop"), args=[key, *_]):
                self._looked_at.update(map(id, _table(table, key)))
            case ast.Call(func=ast.Attribute(value=ast.Attribute(value=ast.Name(id=name)) as table, attr="update")):
                # What is put into a table of names that nobody looks at matters to the module alone.
                self._looked_at.update(map(id, _table(table)))
                self._note_if_imported(name)
            case ast.Call(func=ast.Name(id=asking), args=[asked, ast.Constant(value="__dict__" | "__dir__") as name, *_]):
                if asking in LOOKUPS:
                    self._looked_at.add(id(name))
                if asking == "getattr":
                    self._receive(asked)
            case ast.Call(func=ast.Name(id="setattr"), args=[ast.Name(id=name), *_]):
                if not isinstance(call.args[1], ast.Constant):
                    self._note_if_imported(name)
            case ast.Call(args=[asked, *_]) if _called(call) in (*_CALLED, "__dir__"):
                if _called(call) in _CALLED:
                    self._looked_at.add(id(call.func))
                self._receive(asked)
            case ast.Call(func=ast.Attribute(value=asked, attr="__getattribute__"), args=[ast.Constant(value="__dict__"), *_]):
                self._receive(asked)
            case ast.Call() if _called(call) in _RUNNING:
                self.takes_all = True

    def _note_if_imported(self, name: str) -> None:
        if name in self._imported:
            self.names.add(name)

    def _is_given(self, name: str) -> bool:
        """Whether a name is a parameter around, or gets a value anywhere in the file, at a glance."""
        if name in self._parameters:
            return True
        if name not in self._given:
            self._given[name] = _is_given_in(name.encode(), self._data)
        return self._given[name]

    def _look_at_text(self, text: str) -> None:
        """Code in a text may be run; a sentence is none."""
        if text.isidentifier():
            self.is_open = True
            self.takes_all |= text in _OF_FUNCTIONS
            return
        self.goes_by_imports |= tree_in(text.strip().encode("utf-8", "surrogatepass")) is not None

    def _is_deep(self, node: ast.AST) -> bool:
        """Whether something that goes through names may go on with what it finds: it calls itself, or goes through
        more names for each."""
        match node:
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                return self._n_sites(node) > 0 and self._calls_itself(node)
            case ast.For() | ast.AsyncFor():
                return self._n_sites(node.iter) > 0 and self._n_sites(*node.body) > 0
            case ast.ListComp() | ast.SetComp() | ast.DictComp() | ast.GeneratorExp():
                return self._n_sites(node) > 1
        return False

    def _calls_itself(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> bool:
        """Whether a function seems to call itself, at a glance."""
        body = b"\n".join(self._lines[node.body[0].lineno - 1 : node.end_lineno])
        name = node.name.encode()
        return any(
            _OPENING.match(body, end) is not None and not _is_of_another(body, end - len(name))
            for end in ends_of_word(name, body, behind_dot=True)
        )

    def _n_sites(self, *nodes: ast.stmt | ast.expr) -> int:
        """At how many places within some nodes names are gone through."""
        return sum(
            (node.lineno, node.col_offset) <= site <= (node.end_lineno or 0, node.end_col_offset or 0)
            for node in nodes
            for site in self._sites
        )

    def _receive(self, node: ast.expr) -> None:
        """Note what may stand where the names are gone through of what an expression gives."""
        self._sites.add((node.lineno, node.col_offset))
        match node:
            case (
                ast.Constant()
                | ast.Attribute(attr="__class__")
                | ast.Name(id="self" | "cls")
                | ast.Call(func=ast.Name(id="type" | "super"))
            ):
                pass
            case ast.Name(id=name):
                is_imported, is_given = name in self._imported, self._is_given(name)
                if not is_imported and not is_given and (name in self._defined or name in BUILTINS):
                    return
                if is_imported or not is_given:
                    self.names.add(name)
                self.is_open = True
            case ast.Attribute(attr=name):
                self.names.add(name)
                self.is_open = True
            case _:
                # What was looked up may be anything that a module holds.
                self.goes_deeper |= isinstance(node, ast.Subscript) or _called(node) == "getattr"
                self.is_open = True


def _is_given_in(name: bytes, data: bytes) -> bool:
    """Whether a name gets a value somewhere, at a glance."""
    return any(
        _GIVING.match(data, end) is not None
        or _RENAMING.fullmatch(data, max(end - len(name) - _N_RENAMING, 0), end - len(name)) is not None
        for end in ends_of_word(name, data)
    )


def _is_of_another(body: bytes, start: int) -> bool:
    """Whether a name belongs to something that is not the instance or class around."""
    before = body[max(start - _LONGEST_OWNER, 0) : start]
    return before.endswith(b".") and not before.endswith((b"self.", b"cls."))


def _parameters_of(node: ast.AST) -> Iterator[ast.arg]:
    if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda):
        names = node.args
        yield from (*names.posonlyargs, *names.args, *names.kwonlyargs)
        yield from filter(None, (names.vararg, names.kwarg))


def _table(node: ast.expr, key: ast.expr | None = None) -> Iterator[ast.expr]:
    """A table of names that is asked for a key, where an expression is one and it matters to no other name, with what gives it.
    The names of a module may be any of its own, but for those that each has."""
    is_special = isinstance(key, ast.Constant) and isinstance(key.value, str) and key.value.startswith("__")
    if isinstance(node, ast.Attribute) and (node.attr == "__dict__" or (node.attr == "__globals__" and is_special)):
        yield node
    elif isinstance(node, ast.Call) and _called(node) == "vars":
        yield from (node, node.func)


def _called(node: ast.expr) -> str:
    """The last name of what a call calls, "" where there is none."""
    function = node.func if isinstance(node, ast.Call) else None
    if isinstance(function, ast.Name):
        return function.id
    return function.attr if isinstance(function, ast.Attribute) else ""
