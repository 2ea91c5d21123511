"""Modules that go about as values: code may have one of them that does not import it, and ask it for names.

A module goes about that stands somewhere as a value, or that another one holds which does, or whose names are looked
through: of these, nobody knows who asks whom for what. All of it is told at a glance: more, perhaps, and never less.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from functools import cached_property

from zephyrun.facts import Role
from zephyrun.link_facts import Dotted, ModuleUses, Origin, OriginSort, Use
from zephyrun.linking.kept_answers import kept_property, kept_until_changed
from zephyrun.linking.linkage import FINDING_WORDS, LinkedFile, Linkage
from zephyrun.linking.meanings import Meanings, union
from zephyrun.linking.module_uses import example_uses_in, module_uses_in
from zephyrun.linking.modules import LOADING_WORDS
from zephyrun.patterns import lazy_pattern

_LOADING = frozenset([*(word.decode() for word in LOADING_WORDS if b"." not in word), *FINDING_WORDS])
_LOADED_ONES = "modules"
# What is handed a module and gives none on.
_KEEPING_NO_MODULES = frozenset("getattr hasattr setattr delattr vars dir isinstance reload getmembers getsource".split())
_DOT = lazy_pattern(r"\s*\.(?!\s*__dict__\b)")
# What an expression calls something by itself, as parameters and variables do.
_NAMED_IN_EXPRESSION = r"\b(?:for|lambda)\b[^:=\n]*(?<!\.)\b{}\b"
# What stands before the name of a package that has no file.
_PACKAGE = "<package> "
# What tells modules from other things.
_TELLING_MODULES = (("ismodule", rb"\bismodule\b"), ("ModuleType", rb"\bisinstance\s*\([^()\n]*(?:\([^()\n]*)?\bModuleType\b"))


class ModulesAbout:
    """The modules of one version of a project by where they are known, and by what they are called there."""

    def __init__(self, linkage: Linkage, meanings: Meanings) -> None:
        self._linkage = linkage
        self._meanings = meanings
        self.kept = linkage.kept
        self._known: dict[tuple[str, str], set[str]] = {}

    def words_for(self, paths: Collection[str]) -> set[str]:
        """All that some modules are called somewhere: the last words of their own names, and what imports call them."""
        found = {self._linkage.modules[path].rpartition(".")[2] for path in paths} - {""}
        rest = list(found)
        while rest:
            more = {
                name
                for importer, name in self._imports_by_word.get(rest.pop(), ())
                if name not in found and not self._imported(importer, name).isdisjoint(paths)
            }
            found |= more
            rest += more
        return found

    def goes_about(self, path: str) -> bool:
        """Whether a module may be had by way of another one that is looked through, or by a text."""
        return path in self._asked_for or path in self._looked_through or self._is_loaded_by_text(path)

    def is_held(self, path: str) -> bool:
        """Whether a module may be had by its name from another one that goes about, or from one that is had so."""
        return path in self._held

    def is_filled(self, path: str) -> bool:
        """Whether a module may be given names that are worked out."""
        return path in self._filled or (self._is_anything_filled and path in self._handed_about)

    @kept_property
    def _filled(self) -> set[str]:
        chains = ((path, words) for path, uses in self.uses.items() for words in uses.filled - {()})
        return set[str]().union(*(self._reached(path, words) for path, words in chains))

    @kept_property
    def _is_anything_filled(self) -> bool:
        return any(() in uses.filled for uses in self.uses.values())

    @kept_property
    def paths_listed(self) -> set[str]:
        """The modules whose names are gone through, or looked up by names that are worked out."""
        own = {path for path, uses in self.uses.items() if () in uses.listed}
        return own.union(*(self._meant(path, uses.listed - {()}) for path, uses in self.uses.items()))

    def may_be(self, path: str, origin: Origin, *, is_loaded: bool) -> bool:
        """Whether a value of which nothing is known may be a module; with `is_loaded`, one that somebody loads and gives on
        counts, too."""
        if path in self._handed_about or path in self._looked_through:
            return True
        if is_loaded and (self.are_loaded_and_given_on or self._is_loaded_by_text(path)):
            return True
        return origin.sort is OriginSort.ATTRIBUTE and origin.name in self.words_for([path]) and self.is_held(path)

    @kept_property
    def are_loaded_and_given_on(self) -> bool:
        """Whether a module that is loaded by a name which is worked out, and may be one of the project, goes on to other code:
        a function gives it, or something gets it."""
        linkage = self._linkage
        only_found = set(linkage.finding_paths) - set(linkage.all_loading_paths)
        paths = (path for path in linkage.finding_paths if path in only_found or linkage.takes_any_module(path))
        return any(_gives_loaded_on(file) for path in paths if (file := linkage.file(path)) is not None)

    def _is_loaded_by_text(self, path: str) -> bool:
        """Whether a text is the name of a module, where something loads modules by their names."""
        module = self._linkage.modules[path]
        last = module.rpartition(".")[2]
        # By its last word alone only what puts names together finds it, and that is seen by what it gives.
        is_text = rb"[\"'](?:%b|\.+%b)[\"']" % (re.escape(module).encode(), re.escape(last).encode())
        return bool(self._linkage.finding_paths) and bool(self._linkage.paths_matching(last, is_text))

    @cached_property
    def uses(self) -> dict[str, ModuleUses]:
        """What each file does with what it imports, and each document whose examples run."""
        contents = ((path, self._linkage.contents[path]) for path in self._linkage.paths)
        modules = {path: module_uses_in(data) for path, data in contents if isinstance(data, bytes)}
        return modules | {path: example_uses_in(data) for path, data in self._linkage.documents_run}

    def handed_in_examples(self, path: str) -> list[str]:
        """The files with examples in which a module stands as a value."""
        return [there for there, uses in self._example_uses.items() if path in self._meant(there, uses.standing)]

    def listed_in_examples(self, path: str) -> list[str]:
        """The files with examples that go through the names of a module, or look some up that they work out."""
        return [
            there
            for there, uses in self._example_uses.items()
            if path in self._meant(there, uses.listed - {()}) or (there == path and () in uses.listed)
        ]

    @cached_property
    def _example_uses(self) -> dict[str, ModuleUses]:
        contents = ((path, self._linkage.contents[path]) for path in self.uses)
        seen = {path: example_uses_in(data) for path, data in contents if isinstance(data, bytes) and b">>>" in data}
        return {path: uses for path, uses in seen.items() if uses.standing or uses.listed}

    @kept_property
    def _imports_by_word(self) -> dict[str, set[tuple[str, str]]]:
        """The imports of all files, by file and the name that they give, by the last word of what they take."""
        found: dict[str, set[tuple[str, str]]] = {}
        for path, uses in self.uses.items():
            for name, module, member in uses.imports:
                found.setdefault(member or module.rpartition(".")[2], set()).add((path, name))
        return found

    @kept_property
    def _all_words(self) -> set[str]:
        """All words that modules may be called by."""
        found = {module.rpartition(".")[2] for module in self._linkage.modules.values()}
        rest = list(found)
        while rest:
            more = {name for _, name in self._imports_by_word.get(rest.pop(), ())} - found
            found |= more
            rest += more
        return found

    def _imported(self, path: str, name: str) -> set[str]:
        """The modules that a name may be which a file imports, in whatever scope."""
        key = path, name
        if key not in self._known:
            imports = [each for each in self.uses[path].imports if each[0] == name] if path in self.uses else []
            meant = union(self._meanings.of_import(path, module, member) for _, module, member in imports)
            self._known[key] = self._paths_of(path, self._meanings.followed(meant).modules)
        return self._known[key]

    def _paths_of(self, path: str, modules: Iterable[str]) -> set[str]:
        found = ((each, self._linkage.find_module(each, path)) for each in modules)
        return {_PACKAGE + dotted if there is None else there for dotted, there in found}

    def _name_of(self, path: str) -> str:
        return self._linkage.modules.get(path) or path.removeprefix(_PACKAGE)

    @kept_property
    def _asked_for(self) -> set[str]:
        """The modules that something is asked for by a text that is their name. Who knows what may only be a module that
        stands as a value, or is had from one that does, unless some are loaded by their names."""
        found = set[str]().union(*(self._asked_of(path, uses.asked_of) for path, uses in self.uses.items()))
        asked = frozenset[str]().union(*(uses.asked for uses in self.uses.values()))
        asked &= self._all_words
        imported = (self._imported(path, name) for found in self._imports_by_word.values() for path, name in found if name in asked)
        named = {path for path in self.uses if self._name_of(path).rpartition(".")[2] in asked}.union(*imported)
        if self._linkage.finding_paths:
            return found | named
        return found | (named & self.held_by(found | self._standing_by_themselves))

    def _asked_of(self, path: str, asked: Iterable[tuple[Dotted, str]]) -> set[str]:
        """The modules that a file asks other ones, or itself, for by texts."""
        return set[str]().union(*(self._reached(path, (*words, name)) for words, name in asked if name in self._all_words))

    @cached_property
    def _handed_about(self) -> set[str]:
        """The modules that stand as values, or that something asks for by a text."""
        return self._values | self._asked_for

    @kept_property
    def _values(self) -> set[str]:
        """The modules that stand as values."""
        return {module for path, uses in self.uses.items() for module in self._meant(path, uses.standing)}

    @cached_property
    def _standing_by_themselves(self) -> set[str]:
        """The modules that stand as values, and the ones whose names are looked through."""
        return self._values | self.paths_listed

    @cached_property
    def _standing(self) -> set[str]:
        """Those, and the ones that something asks for by a text."""
        return self._standing_by_themselves | self._asked_for

    @kept_property
    def _looked_through(self) -> set[str]:
        """The modules among the names of those that go about. Who looks on from there has to tell modules from other things."""
        if any(self._linkage.paths_matching(word, pattern) for word, pattern in _TELLING_MODULES):
            return self._held
        return set[str]().union(*map(self.inside, self._standing))

    @kept_property
    def _held(self) -> set[str]:
        return self.held_by(self._standing)

    def held_by(self, modules: Iterable[str]) -> set[str]:
        """What modules some modules hold, and those again."""
        held: set[str] = set()
        rest = list(modules)
        while rest:
            inner = self.inside(rest.pop())
            rest += inner - held
            held |= inner
        return held

    def _meant(self, path: str, names: Iterable[Dotted]) -> set[str]:
        """The modules that some dotted names of a file mean."""
        asked = (words for words in names if words[-1] in self._all_words)
        return set[str]().union(*(self._reached(path, words) for words in asked if self._is_imported_there(path, words)))

    def _is_imported_there(self, path: str, words: Dotted) -> bool:
        """Whether a name that stands by itself is surely or perhaps what is imported, and no parameter of that name."""
        if len(words) > 1 or not self._is_ambiguous(path, words[0]):
            return True
        file = self._linkage.file(path)
        return file is None or any(
            file.facts.references[number].role is Role.READ and not _DOT.match(file.source.text, file.facts.references[number].end)
            for binding in file.imported_bindings
            if binding >= 0 and file.facts.bindings[binding].name == words[0]
            for number in file.facts.bindings[binding].references
        )

    def _is_ambiguous(self, path: str, name: str) -> bool:
        """Whether a file calls something else by a name that it imports, perhaps."""
        seen = self._meanings.seen(path)
        if seen is None:
            return False
        if name in seen.ambiguous:
            return True
        data = self._linkage.contents[path]
        inside = re.compile(_NAMED_IN_EXPRESSION.format(re.escape(name)).encode())
        return isinstance(data, bytes) and inside.search(data) is not None

    def _reached(self, path: str, words: Dotted) -> set[str]:
        """The modules that a dotted name of a file may mean."""
        modules = self._named_in(path, words[0])
        for word in words[1:]:
            modules = {inner for each in modules for inner in self._member(each, word)}
        return modules

    def _member(self, path: str, name: str) -> set[str]:
        """The modules that a name of a module may mean."""
        inner = f"{self._name_of(path)}.{name}"
        return self._named_in(path, name) | (self._paths_of(path, [inner]) if self._linkage.is_package(inner) else set())

    def _named_in(self, path: str, name: str) -> set[str]:
        """The modules that a name of a file may be which it imports, or gets with everything of another one."""
        modules = self._imported(path, name)
        starred = self._starred(path) if not modules else ()
        if starred and self._meanings.seen(path) is not None:
            return self._paths_of(path, self._meanings.of_words(path, (name,), is_inside=False).modules)
        # A document with examples, or what cannot be read.
        return modules.union(*(self._member(each, name) for each in starred if each != path and self._meanings.seen(each) is not None))

    def _starred(self, path: str) -> set[str]:
        """The modules of which a file imports everything."""
        imports = self.uses[path].imports if path in self.uses else frozenset[tuple[str, str, str]]()
        meant = union(self._meanings.of_import(path, module, "") for name, module, _ in imports if name == "*")
        return self._paths_of(path, self._meanings.followed(meant).modules)

    @kept_until_changed
    def inside(self, path: str) -> set[str]:
        """The modules that one holds by its names: those that it imports, and those that lie in a package; for what it gets
        with everything of another module stands that one."""
        imports = self.uses[path].imports if path in self.uses else frozenset[tuple[str, str, str]]()
        names = {name for name, _, _ in imports} - {"*"}
        children = self._children.get(self._name_of(path), set())
        return children.union(self._starred(path), *(self._imported(path, name) for name in names))

    @cached_property
    def _children(self) -> dict[str, set[str]]:
        found: dict[str, set[str]] = {}
        for path, module in self._linkage.modules.items():
            found.setdefault(module.rpartition(".")[0], set()).add(path)
        found.pop("", None)
        return found


def _gives_loaded_on(file: LinkedFile) -> bool:
    given = (
        (record.gives for record in file.links.functions),
        (use.value for use in file.links.attributes if use.use is Use.WRITE),
        (origin for binding in file.module_bindings.values() for origin in file.links.sources.get(binding, ())),
        (put.value for put in file.links.puts),
        (handed.value for handed in file.links.handed if handed.callee.name not in _KEEPING_NO_MODULES),
    )
    return any(comes_of_loading(file, each) for origins in given for each in origins)


def comes_of_loading(file: LinkedFile, origin: Origin, held: Collection[str] = ()) -> bool:
    """Whether a value comes of a call that loads a module, or of the loaded ones, by way of variables, too. With the names of
    modules that such a one may have `held`, these count as well, and whatever is asked for by a name that is worked out."""
    rest, met = [origin], {origin}
    for each in rest:
        name = file.links.imports[each.binding].name if each.sort is OriginSort.IMPORTED else each.name
        if name in _LOADING or (each.sort is OriginSort.ATTRIBUTE and name == _LOADED_ONES):
            return True
        if each.sort is OriginSort.NAME:
            more = file.links.sources.get(each.binding, ())
        elif each.sort is OriginSort.ATTRIBUTE:
            # One of a module is none, unless it is one that it holds.
            more = each.parts[:1] if name in held else ()
        elif held and each.sort is OriginSort.CALL and each.parts[0].name == "getattr":
            return True
        else:
            # What is called gives something of its own, whatever it is handed.
            more = each.parts[:1] if each.sort is OriginSort.CALL else each.parts
        rest += [part for part in more if part not in met]
        met.update(more)
    return False
