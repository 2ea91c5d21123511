"""What modules, and the names of modules, stand for: by imports, by what a package has under the name of a module in it, and by
imports of everything."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from typing import TYPE_CHECKING

from zephyrun.facts import Role, ScopeKind
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.link_facts import ImportUse
from zephyrun.linking.library_calls import NAMED_LIKE_BUILTINS
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.replaced_modules import ReplacedModules
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Value, Values, ValueSort

if TYPE_CHECKING:
    from zephyrun.linking.values import Evaluator

_NOTHING_KNOWN: Values = frozenset({UNKNOWN_VALUE})
_ONLY_IMPORTED = frozenset({Role.IMPORT, Role.READ})


class ModuleValues:
    """Says what is had by the names of modules, as a file of one version of a project would find it."""

    def __init__(self, evaluator: Evaluator, put: ReplacedModules) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._put = put
        self.answers = evaluator.answers

    @once_a_version
    def of_outside_name(self, path: str, name: str) -> Values:
        file, is_builtin = self._evaluator.file(path), name in BUILTINS
        if is_builtin and not self._may_be_taken_along(file, name):
            return frozenset({Value(ValueSort.FOREIGN, name=f"builtins.{name}")})
        for there, module in self.taking_along(path):
            # What a module inside takes along for a builtin is not looked for.
            values = self._bound_in(there, module, name) if there is file or not is_builtin else None
            if values is not None and UNKNOWN_VALUE not in values:
                return values
        return _NOTHING_KNOWN

    def _may_be_taken_along(self, file: LinkedFile, name: str) -> bool:
        """Whether a file may have a name from an import of everything, of modules that do so, too."""
        for each, module in self.taking_along(file.path):
            there = self._file_of(each, module)
            if there is not None and name not in there.module_bindings:
                continue
            is_of_library = there is None and module.partition(".")[0] in sys.stdlib_module_names
            if not is_of_library or name in NAMED_LIKE_BUILTINS:
                return True
        return False

    @once_a_version
    def taking_along(self, path: str) -> list[tuple[LinkedFile, str]]:
        """The imports of everything that a file makes, each followed by those of the module that it leads to: the file with
        the import, and the module that it names."""
        found: list[tuple[LinkedFile, str]] = []
        seen = {path}
        rest = self._imports_of_all(self._evaluator.file(path))
        while rest:
            found.append(rest.pop())
            there = self._file_of(*found[-1])
            if there is not None and there.path not in seen:
                seen.add(there.path)
                rest += self._imports_of_all(there)
        return found

    def _imports_of_all(self, file: LinkedFile) -> list[tuple[LinkedFile, str]]:
        """The imports of everything in a file, the last one first."""
        uses = [use for use in file.links.imports if use.name == "*"]
        return [(file, self._linkage.module_of_import(file, use)) for use in reversed(uses)]

    def _file_of(self, file: LinkedFile, dotted: str) -> LinkedFile | None:
        """The file of a module, as another file would find it."""
        path = self._linkage.find_module(dotted, file.path)
        return self._linkage.file(path) if path is not None else None

    def of_import(self, file: LinkedFile, index: int) -> Values:
        use = file.links.imports[index]
        module = self._linkage.module_of_import(file, use)
        if not use.name:
            bound = module if use.has_alias else module.partition(".")[0]
            return self.of_module(file, bound)
        return self.of_member(file, module, use.name)

    def of_module(self, file: LinkedFile, dotted: str) -> Values:
        """The module of an absolute name, as a file would find it."""
        path = self._linkage.find_module(dotted, file.path)
        if path is not None:
            module = frozenset({Value(ValueSort.MODULE, path, name=self._linkage.modules[path])})
            return module | _NOTHING_KNOWN if dotted in self._put.names else module
        if paths := self._linkage.paths_called(dotted):
            return frozenset(Value(ValueSort.MODULE, each, name=dotted) for each in paths)
        if self._linkage.is_package(dotted):
            return frozenset({Value(ValueSort.PACKAGE, name=dotted)})
        foreign = frozenset({Value(ValueSort.FOREIGN, name=dotted)})
        return foreign | _NOTHING_KNOWN if self._put.may_be_put(dotted) else foreign

    def of_member(self, file: LinkedFile, dotted: str, name: str) -> Values:
        """What a name of a module stands for."""
        values = self._bound_in(file, dotted, name)
        if values is not None:
            return values
        there = self._file_of(file, dotted)
        return self.of_outside_name(there.path, name) if there is not None and name not in BUILTINS else _NOTHING_KNOWN

    def _bound_in(self, file: LinkedFile, dotted: str, name: str) -> Values | None:
        """As `of_member`; `None` where a module has a name, if at all, from an import of everything."""
        path = self._linkage.find_module(dotted, file.path)
        inner = f"{dotted}.{name}" if dotted else name
        is_inner = self._linkage.is_package(inner)
        if path is None:
            if is_inner:
                return self.of_module(file, inner)
            if self._linkage.is_package(dotted):
                return _NOTHING_KNOWN
            foreign = frozenset({Value(ValueSort.FOREIGN, name=inner)})
            return foreign | _NOTHING_KNOWN if self._put.may_be_put(dotted) or self._put.may_be_put(inner) else foreign
        there = self._linkage.file(path)
        if there is None:
            return _NOTHING_KNOWN
        binding = there.module_bindings.get(name)
        # A package that imports a module inside it asks itself for what it is about to bind.
        if binding is not None and not (is_inner and there.path == file.path):
            values = self._evaluator.binding_values(there, binding)
            is_either = is_inner and not self._is_bound_for_good(file, there, binding, inner)
            return values | self.of_module(file, inner) if is_either else values
        if is_inner:
            return self.of_module(file, inner)
        return None if there.is_own else frozenset({Value(ValueSort.FOREIGN, name=inner)})

    def _is_bound_for_good(self, file: LinkedFile, package: LinkedFile, binding: int, inner: str) -> bool:
        """Whether a package binds a name to something of its module of that name, so that a file which is read later finds no
        module under it."""
        from zephyrun.linking.import_graph import reached_files

        facts, text = package.facts, package.source.text
        uses = [each for each in package.links.imports if each.binding == binding and each.name]
        if len(uses) != 1 or self._linkage.module_of_import(package, uses[0]) != inner or not facts.roles(binding) <= _ONLY_IMPORTED:
            return False
        statement = facts.statements[facts.statement_at(uses[0].start)]
        is_always = facts.scopes[statement.scope].kind is ScopeKind.MODULE and text[: statement.start].rpartition("\n")[2] == ""
        is_certain = is_always and not self._linkage.all_loading_paths and not any(self.imports_under_other_names(inner))
        return is_certain and file.path not in reached_files(self._evaluator, package.path)

    def imports_under_other_names(self, dotted: str) -> Iterator[tuple[LinkedFile, ImportUse]]:
        """The imports of a module under another name (`import hives.scale as scale`), by which one has whatever its package has
        under its own."""
        for file in self._linkage.mentioning(dotted.rpartition(".")[2]):
            for use in file.links.imports:
                if use.has_alias and not use.name and self._linkage.module_of_import(file, use) == dotted:
                    yield file, use
