"""Modules that go about as values: code may have one of them that does not import it, and ask it for names.

A module goes about that stands somewhere as a value, or that another one holds which does, or whose names are looked
through: of these, nobody knows who asks whom for what. All of it is told at a glance: more, perhaps, and never less.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from functools import cached_property

from zephyrun.link_facts import Dotted, ModuleUses
from zephyrun.linking.linkage import Linkage
from zephyrun.linking.meanings import Meanings
from zephyrun.linking.module_uses import module_uses_in

# What tells modules from other things.
_TELLING_MODULES = ("ismodule", "ModuleType")


class ModulesAbout:
    """The modules of one version of a project by where they are known, and by what they are called there."""

    def __init__(self, linkage: Linkage, meanings: Meanings) -> None:
        self._linkage = linkage
        self._meanings = meanings

    def words_for(self, paths: Collection[str]) -> set[str]:
        """All that some modules are called somewhere: the last words of their own names, and what imports call them."""
        found = {self._linkage.modules[path].rpartition(".")[2] for path in paths} - {""}
        return found.union(*(self._names.get(path, ()) for path in paths))

    def goes_about(self, path: str) -> bool:
        """Whether a module may be had by way of another one that is looked through, or by a text."""
        return path in self._asked_for or path in self._looked_through or self._is_loaded_by_text(path)

    def is_held(self, path: str) -> bool:
        """Whether a module may be had by its name from another one that goes about, or from one that is had so."""
        return path in self._held

    def _is_loaded_by_text(self, path: str) -> bool:
        """Whether a text is the name of a module, where something loads modules by their names."""
        module = self._linkage.modules[path]
        last = module.rpartition(".")[2]
        # By its last word alone only what puts names together finds it, and that is seen by what it gives.
        is_text = rb"[\"'](?:%b|\.+%b)[\"']" % (re.escape(module).encode(), re.escape(last).encode())
        return bool(self._linkage.all_loading_paths) and bool(self._linkage.paths_matching(last, is_text))

    @cached_property
    def _uses(self) -> dict[str, ModuleUses]:
        contents = ((path, self._linkage.contents[path]) for path in self._linkage.paths)
        return {path: module_uses_in(data) for path, data in contents if isinstance(data, bytes)}

    @cached_property
    def _imports(self) -> dict[str, dict[str, set[str]]]:
        """For each file the names that it imports, in whatever scope, and the modules that these may be."""
        found: dict[str, dict[str, set[str]]] = {}
        for path, uses in self._uses.items():
            names = found[path] = {}
            for name, module, member in uses.imports:
                meant = self._meanings.of_import(path, module, member) if name != "*" else None
                modules = self._paths_of(path, self._meanings.followed(meant).modules) if meant is not None else set()
                if modules:
                    names.setdefault(name, set()).update(modules)
        return found

    def _paths_of(self, path: str, modules: Iterable[str]) -> set[str]:
        found = (self._linkage.find_module(each, path) for each in modules)
        return {each for each in found if each is not None}

    @cached_property
    def _names(self) -> dict[str, set[str]]:
        """What imports call each module."""
        found: dict[str, set[str]] = {}
        for names in self._imports.values():
            for name, paths in names.items():
                for path in paths:
                    found.setdefault(path, set()).add(name)
        return found

    @cached_property
    def _asked_for(self) -> set[str]:
        """The modules of whose names one is a text by which something is asked for an attribute."""
        asked = frozenset[str]().union(*(uses.asked for uses in self._uses.values()))
        return {path for path in self._uses if not asked.isdisjoint(self.words_for([path]))}

    @cached_property
    def _standing(self) -> set[str]:
        found = (module for path, uses in self._uses.items() for module in self._meant(path, uses))
        return {*found, *self._asked_for}

    @cached_property
    def _looked_through(self) -> set[str]:
        """The modules among the names of those that go about. Who looks on from there has to tell modules from other things."""
        if any(map(self._linkage.paths_mentioning, _TELLING_MODULES)):
            return self._held
        return set[str]().union(*map(self._inside, self._standing))

    @cached_property
    def _held(self) -> set[str]:
        held: set[str] = set()
        rest = list(self._standing)
        while rest:
            inner = self._inside(rest.pop())
            rest += inner - held
            held |= inner
        return held

    def _meant(self, path: str, uses: ModuleUses) -> set[str]:
        """The modules that stand as values in a file, or whose names it looks through."""
        found = {path} if () in uses.listed else set()
        for words in (uses.standing | uses.listed) - {()}:
            found |= self._reached(path, words)
        return found

    def _reached(self, path: str, words: Dotted) -> set[str]:
        """The modules that a dotted name of a file may mean."""
        if words[0] in self._imports[path]:
            modules = self._imports[path][words[0]]
        elif any(name == "*" for name, _, _ in self._uses[path].imports):
            modules = self._paths_of(path, self._meanings.of_words(path, words[:1], is_inside=False).modules)
        else:
            return set()
        for word in words[1:]:
            modules = {inner for each in modules for inner in self._member(each, word)}
        return modules

    def _member(self, path: str, name: str) -> set[str]:
        """The modules that a name of a module may mean."""
        inner = self._linkage.find_module(f"{self._linkage.modules[path]}.{name}", path)
        return self._imports.get(path, {}).get(name, set()) | ({inner} if inner is not None else set())

    def _inside(self, path: str) -> set[str]:
        """The modules that one holds by its names: those that it imports, and those that lie in a package."""
        return self._children.get(self._linkage.modules[path], set()).union(*self._imports.get(path, {}).values())

    @cached_property
    def _children(self) -> dict[str, set[str]]:
        found: dict[str, set[str]] = {}
        for path, module in self._linkage.modules.items():
            found.setdefault(module.rpartition(".")[0], set()).add(path)
        found.pop("", None)
        return found
