"""What is put among the loaded modules, where others look for modules, and what is surely one of these."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from zephyrun.facts import ScopeKind
from zephyrun.link_facts import Origin, OriginSort
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.modules import names_put_among_modules, puts_modules_anywhere
from zephyrun.linking.texts import words_ending_texts_in
from zephyrun.patterns import lazy_pattern

if TYPE_CHECKING:
    from zephyrun.linking.values import Evaluator

# What gives a module, what holds those that are loaded, and what puts something else where one is found.
_LOADED_MODULES = "sys.modules"
_MAKING_MODULE = "types.ModuleType"
_GIVING_MODULES = frozenset({"builtins.__import__", "importlib.__import__", "importlib.import_module", _MAKING_MODULE})
_PUTS_AMONG_MODULES = lazy_pattern(
    rb"modules\s*(?:\[[^\]\n]*\]\s*(?:=(?!=)|\.\s*__class__)|\.\s*(?:update|setdefault|__setitem__)\b|[,)|])|"
    rb"sys\s*\.\s*modules[ \t]*(?:[\r\n;#]|\Z)|import\b[^\n]*\bmodules\b|setitem\b"
)
# What makes modules that are something more.
_MODULE_CLASS = "ModuleType"
_DERIVES_MODULES = lazy_pattern(rb"class\s+\w+\s*\([^()\n]*ModuleType")


class ReplacedModules:
    """Says of one version of a project under which names of modules something else may be found."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage

    def is_some_module(self, file: LinkedFile, origin: Origin) -> bool:
        """Whether a value is a module that is loaded by a name that is worked out, and so nothing that a class or an
        instance is."""
        if origin.sort is OriginSort.CALL:
            names = set(map(self._evaluator.library_name, self._evaluator.values(file, origin.parts[0])))
            return names == {_MAKING_MODULE} or (names <= _GIVING_MODULES and not self._are_replaced)
        if origin.sort is OriginSort.ELEMENT:
            names = set(map(self._evaluator.library_name, self._evaluator.values(file, origin.parts[0])))
            return names == {_LOADED_MODULES} and not self._are_replaced and not self.is_any_put
        if origin.sort is not OriginSort.NAME or origin.binding < 0:
            return False
        record = file.facts.bindings[origin.binding]
        sources = file.links.sources.get(origin.binding, ())
        # What others set in a module is not seen here.
        is_local = file.facts.scopes[record.scope].kind is ScopeKind.FUNCTION and not record.captured
        return is_local and bool(sources) and all(
            each.sort is OriginSort.CALL and self.is_some_module(file, each) for each in sources
        )

    @cached_property
    def names(self) -> frozenset[str]:
        """The names under which something is put among the loaded modules."""
        contents = ((path, self._linkage.contents[path]) for path in self._linkage.paths_mentioning("modules"))
        found = (
            names_put_among_modules(data, self._linkage.modules.get(path, "")) for path, data in contents if isinstance(data, bytes)
        )
        return frozenset[str]().union(*found)

    @property
    def is_any_put(self) -> bool:
        """Whether something is put among the loaded modules, under whatever name."""
        return bool(self.names) or self._are_put_anywhere

    @cached_property
    def _are_put_anywhere(self) -> bool:
        """Whether something is put among the loaded modules under names that are worked out."""
        contents = (self._linkage.contents[path] for path in self._linkage.paths_mentioning("modules"))
        return any(isinstance(data, bytes) and puts_modules_anywhere(data) for data in contents)

    def may_be_put(self, dotted: str) -> bool:
        """Whether something may be had under the name of a module that is not there: a text that ends with its last word
        tells."""
        if dotted in self.names:
            return True
        last = dotted.rpartition(".")[2]
        return self._are_put_anywhere and bool(self._linkage.paths_where(last, words_ending_texts_in))

    @cached_property
    def _are_replaced(self) -> bool:
        """Whether anything is put where loaded modules are found, or a module may be an instance of the project's own."""
        return any(
            isinstance(data := self._linkage.contents[path], bytes) and pattern.search(data) is not None
            for word, pattern in (("modules", _PUTS_AMONG_MODULES), (_MODULE_CLASS, _DERIVES_MODULES))
            for path in self._linkage.paths_mentioning(word)
        )
