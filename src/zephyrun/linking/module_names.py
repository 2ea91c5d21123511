"""The use of a module's or package's name: in imports, behind the names of packages, in dotted texts."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cached_property

from zephyrun.facts import ScopeKind
from zephyrun.link_facts import AttributeUse, ImportUse, Origin, TextUse
from zephyrun.linking.bridges import names_bridged
from zephyrun.linking.escapes import NAMES_ARE_SHOWN, STORED_OBJECTS
from zephyrun.linking.homes import LOOKUPS, Homes, place_in_text
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.mentions import note_mentions
from zephyrun.linking.modules import is_private_module, is_test
from zephyrun.linking.modules_about import comes_of_loading
from zephyrun.linking.references import (
    binding_places,
    obstruct_other_names,
    place_of_attribute,
    why_open,
)
from zephyrun.linking.usage import OpenPlace, Place, PlaceSort, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Value, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

_LOADING_CALL = lazy_pattern(
    rb"\b(?:import_module|__import__|iter_modules|walk_packages|run_module)\s*\("
)
# What is harmless comes first; what is left is the name or path itself.
_ASKS_ITSELF = lazy_pattern(
    r"(?:getLogger|get_logger)\(\s*__name__|[\"']__main__[\"']\s*==\s*__name__|\.\s*__name__|"
    r"__name__\s*[=!]=\s*[\"']__main__|(?<!\w)(?P<name>__name__)\b|"
    r"dirname\(\s*(?:(?:\w+\.)*\w+\(\s*)*__file__|"
    r"Path\(\s*__file__\s*\)(?:\s*\.\s*(?:resolve|absolute)\(\s*\))*\s*\.\s*parents?\b|(?<![\w.])(?P<file>__file__)\b"
)
# What stands before a module's file, or behind it, where only its folder is taken.
_BEFORE_FILE = lazy_pattern(r"(?P<all>dirname)?(?(all)|Path)\(\s*(?:(?:\w+\.)*\w+\(\s*)*[\w.]*\Z")
_PARENT_BEHIND = lazy_pattern(r"\s*\)(?:\s*\.\s*(?:resolve|absolute)\(\s*\))*\s*\.\s*parents?\b")
_LONGEST_BEFORE = 120
# What a module bears that tells its name, and what tells of code in which module or file it stands.
_TELLING_NAME = ("__name__", "__file__", "__spec__", "__cached__", "__package__")
_TELLING_FILE = ("getfile", "getsourcefile", "getabsfile", "getmodulename", "getmodule", "co_filename")
_TELLING_OF_TRACEBACK = (b"extract_tb", b"extract_stack", b"TracebackException", b"FrameSummary")
_ASKS_FILENAME = lazy_pattern(rb"\.\s*filename\b")
_LISTS_OWN_FOLDER = lazy_pattern(
    rb"\b(?:listdir|scandir|walk)\s*\([^\n\"']*__(?:file|path)__[^\n\"']*\)|__(?:file|path)__[^\n\"']*\.\s*(?:iterdir\(|r?glob\()"
)
_READS_MODULE = lazy_pattern(rb"\.\s*__module__\b(?!\s*=(?!=))|[\"']__module__[\"']")
_LISTS_FILES = lazy_pattern(rb"\b(?:listdir|scandir|iterdir|r?glob|i?glob|walk)\s*\(")
_ENDING = lazy_pattern(rb"\.pyw?[\"']")
# Modules that keep the names of classes, and of the modules that define these.
_STORING = ("pickle", "shelve")
_IMPORTERS = frozenset({"importlib.import_module", "builtins.__import__", "importlib.reload"})

# What asks for attributes by a text with dots.
_ASKING_FOR_TEXT = b"attrgetter"


class ModuleUsage:
    """Gathers the use of a module's name. Only the last part of its dotted name is in question."""

    def __init__(self, evaluator: Evaluator, usage: Usage) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self.dotted = usage.target.name
        self.package, _, self.name = self.dotted.rpartition(".")
        # The package around, and the modules that import it without another name.
        self._homes: dict[str, LinkedFile] = {}
        self._asked = Homes(evaluator, usage, self.name, self._homes, {self.package} - {""})

    def note(self) -> None:
        """Fill the usage."""
        self._usage.label = f"the module {self.dotted}"
        if self._is_taken_twice():
            self._usage.obstruct(f"several modules are called {self.dotted}", self._usage.target.path)
        for file in self._linkage.mentioning(self.name):
            for use in file.links.imports:
                self._usage.add(self._places_in_import(file, use))
            self._note_attributes(file)
            self._note_taken_along(file)
            for text in file.links.texts:
                self._note_text(file, text)
        self._note_packaging()
        self._note_bridges()
        self._check()
        self._check_name_in_package()
        self._check_homes()
        files = {place.path for place in self._usage.places}
        note_mentions(self._evaluator, self._usage, self.name, files.__contains__)

    def _is_taken_twice(self) -> bool:
        paths = [path for path, module in self._linkage.modules.items() if module == self.dotted]
        return len(paths) > 1

    def _covers(self, module: str) -> bool:
        return module == self.dotted or module.startswith(f"{self.dotted}.")

    def _places_in_import(self, file: LinkedFile, use: ImportUse) -> Iterator[Place]:
        module = self._module_of_import(file, use)
        written = use.module.lstrip(".")
        if not use.name:
            if self._covers(module):
                yield self._part(file, use.start, module, len(written))
                if not use.has_alias and module == self.dotted or not self.package:
                    yield from self._places_of_binding(file, use)
            return
        if self._covers(module) and use.module_start >= 0 and self._is_written(module, written):
            start = use.module_start + len(use.module) - len(written)
            yield self._part(file, start, module, len(written))
        if use.name == self.name and module == self.package and self._names_module(file, use):
            yield Place(file.path, use.start, use.end, PlaceSort.IMPORT)
            if not use.has_alias:
                yield from self._places_of_binding(file, use)

    def _module_of_import(self, file: LinkedFile, use: ImportUse) -> str:
        """The name of the module that an import statement names: its own, where a script calls one beside it by less."""
        return self._linkage.own_name(self._linkage.module_of_import(file, use), file.path)

    def _is_written(self, module: str, written: str) -> bool:
        """Whether the part in question is among those that are written, and not behind the dots."""
        return len(module) - len(written) <= len(self.package) + bool(self.package)

    def _names_module(self, file: LinkedFile, use: ImportUse) -> bool:
        values = self._evaluator.module_values.of_member(file, self.package, self.name)
        return any(map(self._is_target, values))

    def _is_target(self, value: Value) -> bool:
        return (
            value.sort in (ValueSort.MODULE, ValueSort.PACKAGE) and value.name == self.dotted
        )

    def _part(self, file: LinkedFile, start: int, module: str, n_written: int) -> Place:
        """The place of the part in question in a dotted name, of which the end is written."""
        hidden = len(module) - n_written
        first = start + len(self.dotted) - len(self.name) - hidden
        return Place(file.path, first, first + len(self.name), PlaceSort.IMPORT)

    def _places_of_binding(self, file: LinkedFile, use: ImportUse) -> Iterator[Place]:
        if use.binding < 0 or file.facts.bindings[use.binding].name != self.name:
            return
        others = [
            each
            for each in file.links.imports
            if each.binding == use.binding and not each.has_alias
            and not self._covers(self._module_of_import(file, each))
            and f"{self._module_of_import(file, each)}.{each.name}" != self.dotted
        ]
        if others:
            self._usage.obstruct(
                f"`{self.name}` in {file.path} is bound by another import, too",
                file.path,
                others[0].start,
            )
        kind = file.facts.scopes[file.facts.bindings[use.binding].scope].kind
        if kind is ScopeKind.MODULE:
            self._homes[file.path] = file
        elif kind is ScopeKind.CLASS:
            self._usage.obstruct(
                f"`{self.name}` is imported in a class body in {file.path}, where it is a name of the class", file.path, use.start
            )
        for place in binding_places(file, use.binding):
            yield place._replace(alone=True)

    def _note_attributes(self, file: LinkedFile) -> None:
        for use in file.links.attributes_by_name.get(self.name, ()):
            place = place_of_attribute(file, use)
            receivers = self._evaluator.values(file, use.receiver)
            modules = {
                value for value in receivers if value.sort in (ValueSort.MODULE, ValueSort.PACKAGE)
            }
            leads_here = [
                value
                for value in modules
                if any(map(self._is_target, self._evaluator.attribute_values(file, value, self.name)))
            ]
            if leads_here and len(leads_here) == len(receivers) and not self._is_hidden:
                self._usage.places.add(place)
            elif leads_here:
                self._usage.open_places.append(OpenPlace(place, why_open(file, use.end)))
            elif UNKNOWN_VALUE in receivers and (self._may_be_had or comes_of_loading(file, use.receiver)):
                self._usage.open_places.append(OpenPlace(place, why_open(file, use.end)))

    def _note_taken_along(self, file: LinkedFile) -> None:
        """The name where `import *` brings it."""
        for index, record in enumerate(file.facts.bindings):
            if not record.outside or record.name != self.name:
                continue
            values = self._evaluator.binding_values(file, index)
            if not any(map(self._is_target, values)):
                continue
            if all(map(self._is_target, values)):
                self._usage.add(place._replace(alone=True) for place in binding_places(file, index))
            else:
                self._usage.obstruct(f"`{self.name}` in {file.path} may come from elsewhere than the module", file.path)

    @cached_property
    def _may_be_had(self) -> bool:
        """Whether something that holds the module goes about, so that code may have it of who knows what."""
        about = self._evaluator.modules_about
        return any(about.is_held(path) for path, module in self._linkage.modules.items() if module == self.dotted)

    @cached_property
    def _is_hidden(self) -> bool:
        """Whether the package around the module has something else under its name."""
        path = self._linkage.find_module(self.package) if self.package else None
        file = self._linkage.file(path) if path is not None else None
        binding = file.module_bindings.get(self.name) if file is not None else None
        return (
            file is not None
            and binding is not None
            and not all(map(self._is_target, self._evaluator.binding_values(file, binding)))
        )

    def _note_text(self, file: LinkedFile, text: TextUse) -> None:
        raw = file.source.text[text.start : text.end]
        pattern = rf"{re.escape(self.dotted)}(?=[.:]|\Z)"
        match = re.match(pattern, text.words)
        if match is None or text.words not in raw or not re.fullmatch(r"[\w.:]+", text.words):
            return
        is_import = any(
            value.sort is ValueSort.FOREIGN and value.name in _IMPORTERS
            for value in self._evaluator.values(file, text.callee)
        )
        if "." not in text.words and ":" not in text.words and not is_import:
            return
        start = text.start + raw.index(text.words) + len(self.dotted) - len(self.name)
        place = Place(file.path, start, start + len(self.name), PlaceSort.TEXT)
        if self.package or is_import:
            self._usage.places.add(place)
        else:
            # `log.weight` may be a key as well as a name in a module.
            self._usage.open_places.append(
                OpenPlace(place, f'"{text.words}": it is not known whether that means the module')
            )

    def _note_bridges(self) -> None:
        """Files that lead to the module under a name that it had before."""
        for file in self._linkage.mentioning(self.name):
            bridged = names_bridged(file.source.text)
            if bridged is None or not self._covers(bridged[1]):
                continue
            for match in re.finditer(rf"(?<![\w.]){re.escape(self.dotted)}(?!\w)", file.source.text):
                start = match.end() - len(self.name)
                if any(each.start <= start < each.end for each in file.facts.comments):
                    self._usage.places.add(Place(file.path, start, match.end(), PlaceSort.COMMENT))
                elif any(each.start <= start < each.end for each in file.facts.texts):
                    self._usage.places.add(Place(file.path, start, match.end(), PlaceSort.TEXT))

    def _note_packaging(self) -> None:
        """Entry points in packaging files: `hive.commands:main`."""
        for path in ("pyproject.toml", "setup.cfg"):
            data = self._linkage.contents.get(path)
            if not isinstance(data, bytes) or self.name.encode() not in data:
                continue
            text = SourceText.from_bytes(data, strict=False).text
            shift = len(self.dotted) - len(self.name)
            for match in re.finditer(rf"(?<![\w.]){re.escape(self.dotted)}(?=[\w.]*:\w)", text):
                start = match.start() + shift
                self._usage.places.add(Place(path, start, start + len(self.name), PlaceSort.TEXT))

    def _check(self) -> None:
        target = self._usage.target
        first = target.path
        own = [path for path, module in self._linkage.modules.items() if self._covers(module)]
        if any(is_test(path) for path in own) or self.name in ("conftest", "setup", "__main__"):
            self._usage.doubt(f"the test runner or another program does not find {first} by name", first)

        if self.name in ("__main__", "__init__"):
            self._usage.obstruct(f"Python gives the name {self.name} a meaning of its own", first)
        if self._linkage.is_library and not is_private_module(self.dotted):
            self._usage.doubt(
                f"no code outside this project imports {self.dotted}", first, of_outsiders=True
            )

        for path in own:
            file = self._linkage.file(path)
            if file is None:
                continue
            self._usage.assume(NAMES_ARE_SHOWN)
            self._check_own_name(file)
        if any(map(self._linkage.paths_mentioning, _STORING)):
            self._usage.assume(STORED_OBJECTS)
        self._check_readers()

        name = re.escape(self.name)
        as_file = rf"(?<![\w.]){name}(?:/|\\|\.py\b|\Z)"
        as_attribute = rf"\{{(?:\w+\.)+{name}(?=[.:!}}\[])"
        for file in self._linkage.mentioning(self.name):
            asked = rf"|\A(?:\w+\.)*{name}(?:\.|\Z)" if _ASKING_FOR_TEXT in file.data else ""
            leading = re.compile(f"{as_file}|{as_attribute}{asked}")
            for text in file.facts.texts:
                if text.use == "documentation" or self.name not in text.words:
                    continue
                if leading.search(text.words) and not any(
                    place.path == file.path and text.start <= place.start < text.end
                    for place in self._usage.places
                ):
                    self._usage.doubt(
                        f"the text that holds `{self.name}` in {file.path} does not lead to the module",
                        file.path,
                        text.start,
                    )

        for path in self._linkage.paths:
            data = self._linkage.contents[path]
            if isinstance(data, bytes) and _LOADING_CALL.search(data):
                file = self._linkage.file(path)
                if file is None or not self._loads_by_literal(file):
                    self._usage.doubt(
                        f"{path}, which loads modules by names that it works out, does not load "
                        f"{self.dotted}",
                        path,
                    )

    def _check_name_in_package(self) -> None:
        """Where the package has something else under the name, `import hives.scale as scale` gives that, and then the module."""
        path = self._linkage.find_module(self.package) if self.package else None
        package = self._linkage.file(path) if path is not None else None
        binding = package.module_bindings.get(self.name) if package is not None else None
        if package is None or binding is None or all(map(self._is_target, self._evaluator.binding_values(package, binding))):
            return
        obstruct_other_names(self._evaluator, self._usage, self.dotted)

    def _check_homes(self) -> None:
        """Doubts about what may come to the module by the names that others have for it, and places where it is asked for by
        a text."""
        path = self._linkage.find_module(self.package) if self.package else None
        around = self._linkage.file(path) if path is not None else None
        if around is not None:
            self._homes[around.path] = around
        for file in self._linkage.mentioning(self.name):
            for text in file.links.texts:
                if text.words == self.name and text.position == 1 and text.callee.name in LOOKUPS and text.arguments:
                    place = place_in_text(file, text, self.name)
                    if place is not None and any(map(self._asked.is_one, self._evaluator.values(file, text.arguments[0]))):
                        self._usage.places.add(place)
        if self._asked.go_about():
            self._asked.check_lookups()
        self._asked.check_patterns()
        self._asked.check_readers()

    def _check_own_name(self, file: LinkedFile) -> None:
        """Doubts about a module that asks for its own name, but to tell whether it is run or to name its
        logger, and for its own file, but to find what lies beside it."""
        for match in _ASKS_ITSELF.finditer(file.source.text):
            if match.lastgroup is not None:
                self._usage.doubt(
                    f"what {file.path} does with `{match[0]}` does not depend on the name", file.path, match.start()
                )

    def _check_attributes(self) -> None:
        """Doubts about code that asks the module, or what may be it, for its name or file, and about what tells of code in
        which file it stands."""
        home = self._usage.target.path
        for word in _TELLING_NAME:
            # Nearly every file speaks of its own.
            for path in self._linkage.paths_matching(word, rb"\.\s*%b\b" % word.encode()):
                file = self._linkage.file(path)
                for use in file.links.attributes_by_name.get(word, ()) if file is not None else ():
                    assert file is not None, "it has attributes"
                    if self._may_be_it(file, use.receiver, home) and not self._takes_folder(file, use):
                        self._usage.doubt(f"what asks for `{word}` in {file.path} does not depend on {self.dotted}", file.path, use.start)
        for word in _TELLING_FILE:
            for path in self._linkage.paths_mentioning(word):
                self._usage.doubt(f"what asks for files or modules by `{word}` in {path} does not depend on {self.dotted}", path)

    def _may_be_it(self, file: LinkedFile, receiver: Origin, home: str) -> bool:
        """Whether something is the module, or may be it where that goes about."""
        values = self._evaluator.values(file, receiver)
        if any(value.sort in (ValueSort.MODULE, ValueSort.PACKAGE) and value.name == self.dotted for value in values):
            return True
        is_known = home in self._linkage.modules
        return UNKNOWN_VALUE in values and is_known and self._evaluator.modules_about.may_be(home, receiver, is_loaded=True)

    def _takes_folder(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether only the folder of a file is asked for (`dirname(hives.__file__)`, `Path(hives.__file__).parent`)."""
        text = file.source.text
        before = text[max(use.start - _LONGEST_BEFORE, 0) : use.start]
        found = _BEFORE_FILE.search(before)
        return found is not None and (found["all"] is not None or _PARENT_BEHIND.match(text, use.end) is not None)

    def _check_readers(self) -> None:
        """Doubts about code that reads names of modules off what they define, or goes through files of code."""
        self._check_attributes()
        for path in self._linkage.paths:
            data = self._linkage.contents[path]
            if not isinstance(data, bytes):
                continue
            if b"__module__" in data and _READS_MODULE.search(data):
                self._usage.doubt(f"what reads `__module__` in {path} does not depend on {self.dotted}", path)
            if any(word in data for word in _TELLING_OF_TRACEBACK) and _ASKS_FILENAME.search(data):
                self._usage.doubt(f"what asks for `filename` in {path} does not depend on {self.dotted}", path)
            if (_LISTS_FILES.search(data) and _ENDING.search(data)) or _LISTS_OWN_FOLDER.search(data):
                self._usage.doubt(f"{path}, which goes through files of code, does not look for {self.dotted}", path)

    def _loads_by_literal(self, file: LinkedFile) -> bool:
        """Whether every module that a file loads by name is one whose name it writes out."""
        n_calls = len(_LOADING_CALL.findall(file.source.to_bytes()))
        n_literal = sum(
            text.position == 0
            and any(value.name in _IMPORTERS for value in self._evaluator.values(file, text.callee))
            for text in file.links.texts
        )
        return n_literal >= n_calls
