"""Every reference of one name across a project, and what speaks against changing it."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Collection, Iterator, Set
from functools import cached_property

from zephyrun.facts import Role, ScopeKind
from zephyrun.link_facts import (
    AttributeUse,
    ClassRecord,
    FunctionRecord,
    ImportUse,
    Origin,
    OriginSort,
    TextUse,
    Use,
)
from zephyrun.linking.bridges import BridgeSort, bridge_places, bridges_in
from zephyrun.linking.escapes import (
    NAME_ATTRIBUTES,
    NAMES_ARE_SHOWN,
    check_name_readers,
)
from zephyrun.linking.exports import export_ranges, is_exported
from zephyrun.linking.fixtures import (
    gives_parameters,
    has_other_name,
    is_fixture,
    texts_for,
    users_of,
)
from zephyrun.linking.going_about import MAKING_METHODS
from zephyrun.linking.homes import Homes
from zephyrun.linking.hook_guards import answers_for_names, module_passes_name_over
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.mentions import note_mentions
from zephyrun.linking.modules import imports_everything, is_private_module, is_test, packages_around, puts_modules_anywhere
from zephyrun.linking.texts import word_in_text
from zephyrun.linking.texts_gone_through import texts_in_variable
from zephyrun.linking.usage import OpenPlace, Place, PlaceSort, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, ValueSort
from zephyrun.linking.values import NONE, Evaluator, decorator_callee
from zephyrun.linking.whereabouts import is_never_asked
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

SORT_OF_ROLE = {
    **dict.fromkeys((Role.READ, Role.QUOTED), PlaceSort.READ),
    **dict.fromkeys(
        (Role.FUNCTION, Role.CLASS, Role.PARAMETER, Role.TYPE_PARAMETER, Role.TYPE_ALIAS),
        PlaceSort.DEFINITION,
    ),
    Role.IMPORT: PlaceSort.IMPORT,
}
_OWN_NAME = lazy_pattern(r"\s*\.\s*__(?:qual)?name__\b")
FOUND_BY_RUNNER = "the test runner does not find … by its name"
_TEST_NAMES = ("test", "Test", "TEST")
_OWN_ANNOTATIONS = lazy_pattern(r"(?<![\w.])__annotations__\b")
_OF_MODULES = frozenset({BridgeSort.MODULE})
_PATCHING = (b"patch", b"setattr", b"modules")
# Sets several names of something at once, each by its keyword.
_OF_PATCHERS = "multiple"
_DEFINED = frozenset({Role.FUNCTION, Role.CLASS})
_LOOKS_AT_NAMES = lazy_pattern(
    r"__name__|__qualname__|signature|__code__|__dict__|getfullargspec|__annotations__"
)
_ENUMERATIONS = "enum."
_BASES_THAT_KEEP_NO_NAMES = ("builtins.", "abc.", "typing.", "typing_extensions.", "enum.")
# `__all__ += …` and `__all__.append(…)` write it.
_READS_EXPORTS = lazy_pattern(r"\b__all__\b(?!\s*(?:[-+]?=(?!=)|:|\.\s*(?:append|extend|remove|insert)\b))")
_GIVES_EXPORTS = lazy_pattern(
    r"\bdef __dir__\(\)[^:\n]*:\s*return (?:(?:list|sorted)\(__all__\)|__all__)[ \t]*(?:#.*)?(?:\n|\Z)"
)
_TYPE_COMMENT = lazy_pattern(r"#\s*type:\s*(?!ignore\b)")
# What is given its own name as a text. Source: library reference, `typing`, `collections`, `enum`.
_NAMED_BY_TEXT = frozenset(
    """typing.TypeVar typing.ParamSpec typing.TypeVarTuple typing.NewType typing.NamedTuple
    typing.TypedDict typing.TypeAliasType collections.namedtuple enum.Enum enum.IntEnum enum.Flag
    enum.IntFlag enum.StrEnum""".split()
)
# Says in which folders modules are sought, or in which first.
_SETS_WAY_TO_MODULES = rb"\bsys\s*\.\s*path\b|\bfrom\s+sys\s+import\b[^\n]*\bpath\b|\baddsitedir\b"


def binding_places(file: LinkedFile, binding: int) -> Iterator[Place]:
    """Where a binding's name stands in its file."""
    unaliased: set[int] = set()
    aliased: dict[int, ImportUse] = {}
    for use in file.links.imports:
        if use.binding == binding and use.has_alias:
            # The alias is the first of the binding's names behind what is imported.
            aliased[use.end] = use
        elif use.binding == binding:
            unaliased.add(use.start)
    ends = sorted(aliased)
    for index in file.facts.bindings[binding].references:
        reference = file.facts.references[index]
        sort = SORT_OF_ROLE.get(reference.role, PlaceSort.WRITE)
        place = Place(file.path, reference.start, reference.end, sort, reference.start not in unaliased)
        if ends and reference.role is Role.IMPORT and place.alone:
            at = bisect_left(ends, reference.start)
            if at:
                use = aliased[ends[at - 1]]
                place = place._replace(imported=use.name or use.module, imported_end=use.end)
        yield place


def note_local(evaluator: Evaluator, usage: Usage) -> None:
    """The references of a local: all of them stand in its file."""
    target = usage.target
    file = evaluator.linkage.file(target.path)
    assert file is not None, "the target was found in it"
    scope = file.facts.dotted(file.facts.bindings[target.number].scope)
    usage.label = f"the local `{target.name}` of {scope or 'the module'}"
    usage.add(binding_places(file, target.number))
    for use in file.links.imports:
        if use.binding == target.number and not use.has_alias and not use.name and "." in use.module:
            usage.obstruct(
                f"`{target.name}` is bound by the import of a module inside it", file.path, use.start
            )
    home = file.facts.scopes[file.facts.owner(file.facts.bindings[target.number].scope)]
    if not file.facts.roles(target.number).isdisjoint(_DEFINED):
        for record in definitions_of(file, target.number):
            doubt_decorators(evaluator, usage, file, record, "its name")
        is_class = Role.CLASS in file.facts.roles(target.number)
        check_name_readers(evaluator, usage, is_class=is_class)
    for comment in file.facts.comments:
        if home.start <= comment.start < home.end and target.name in comment.text:
            for match in word_in_text(target.name).finditer(
                file.source.text, comment.start, comment.end
            ):
                usage.mentions.add(Place(file.path, match.start(), match.end(), PlaceSort.COMMENT))


class GlobalUsage:
    """Gathers the use of a module-level name.

    *Homes* are the modules whose namespace holds the thing under this name: the one that defines it, and
    those that import it without giving it another name.
    """

    def __init__(self, evaluator: Evaluator, usage: Usage) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self._name = usage.target.name
        self.homes: dict[str, LinkedFile] = {}
        self._bindings: list[tuple[LinkedFile, int]] = []
        self._asked = Homes(evaluator, usage, self._name, self.homes)

    def note(self) -> None:
        """Fill the usage."""
        target = self._usage.target
        pending = [target.path]
        while pending:
            path = pending.pop()
            file = self._linkage.file(path)
            if path in self.homes or file is None:
                continue
            self.homes[path] = file
            pending.extend(self._note_home(file))
        self._usage.homes = [(path, -1) for path in self.homes]
        first = self.homes[target.path]
        self._usage.label = f"`{self._name}` of {first.module or first.path}"
        self._note_attributes()
        self._doubt_imports_of_what_is_put()
        self._doubt_imports_of_another()
        self._check_stand_ins()
        self._note_texts()
        self._note_fixture()
        self._asked.check_patterns()
        self._asked.check_readers()
        self._check_definitions()
        self._check_modules_of_that_name()
        self._check_names_read()
        self._check_passing_on()
        self._check_outsiders()
        note_mentions(self._evaluator, self._usage, self._name, self._is_visible)

    def _is_visible(self, path: str) -> bool:
        return path in self.homes or any(place.path == path for place in self._usage.places)

    def _note_home(self, file: LinkedFile) -> Iterator[str]:
        """Note the references in one home; gives the paths of further homes."""
        binding = file.module_bindings.get(self._name)
        if binding is None:
            for index, record in enumerate(file.facts.bindings):
                if record.outside and record.name == self._name:
                    self._usage.add(binding_places(file, index))
        else:
            self._bindings.append((file, binding))
            yield from self._note_binding(file, binding)
        yield from self._importers_of(file)
        self._check_stars(file)
        self._usage.add(place for _, place in bridge_places(file, self._name, _OF_MODULES))
        if any(each.sort is BridgeSort.MODULE and each.old == self._name for each in bridges_in(file)):
            self._usage.obstruct(
                f"{file.path} keeps `{self._name}` for code outside, by a bridge; take that out first",
                file.path,
            )
        is_home = file.path == self._usage.target.path
        if is_home and answers_for_names(file) and not module_passes_name_over(self._evaluator, file, self._name):
            start = file.facts.references[
                file.facts.bindings[file.module_bindings["__getattr__"]].references[0]
            ].start
            self._usage.obstruct(
                f"{file.path} answers for names by a `__getattr__` of its own", file.path, start
            )

    def _check_stars(self, file: LinkedFile) -> None:
        """What `import *` takes out of a library may bring the name, or hide it."""
        for use in file.links.imports:
            if use.name != "*":
                continue
            module = self._linkage.module_of_import(file, use)
            if self._linkage.is_package(module):
                continue
            library = self._linkage.library_file(module)
            if library is None:
                self._usage.doubt(
                    f"`import *` from {module} in {file.path} brings no `{self._name}`",
                    file.path,
                    use.start,
                )
            elif self._name in library.module_bindings and is_exported(library, self._name):
                self._usage.obstruct(
                    f"`import *` from {module} in {file.path} brings `{self._name}`, too",
                    file.path,
                    use.start,
                )

    def _note_binding(self, file: LinkedFile, binding: int) -> Iterator[str]:
        """Note the references of a binding; gives the modules from which it is imported."""
        origins: dict[int, str | None] = {}
        for use in file.links.imports:
            if use.binding == binding and not use.has_alias:
                origins[use.start] = self._origin_of(file, use)
        for place in binding_places(file, binding):
            if not place.alone:
                origin = origins[place.start]
                if origin is not None:
                    place = place._replace(alone=True)
                    yield origin
                elif "." in file.source.text[place.start : _import_end(file, place.start)]:
                    self._usage.obstruct(
                        f"`{self._name}` is bound by the import of a module inside it",
                        file.path,
                        place.start,
                    )
            self._usage.places.add(place)

    def _origin_of(self, file: LinkedFile, use: ImportUse) -> str | None:
        """The path of the project's module from which an import takes the name."""
        if not use.name:
            return None
        path = self._linkage.find_module(self._linkage.module_of_import(file, use), file.path)
        there = self._linkage.file(path) if path is not None else None
        if there is None or there.path == file.path:
            return None
        is_there = use.name in there.module_bindings or any(
            each.name == "*" for each in there.links.imports
        )
        return there.path if is_there else None

    def _importers_of(self, home: LinkedFile) -> Iterator[str]:
        """Note imports of the name out of a home; gives the modules that have it from then on."""
        for path in self._paths_of_importers(home):
            file = self._linkage.file(path)
            if file is None or path == home.path:
                continue
            for use in file.links.imports:
                if use.name not in (self._name, "*"):
                    continue
                module = self._linkage.module_of_import(file, use)
                if self._linkage.find_module(module, path) != home.path:
                    continue
                if use.name == "*":
                    if is_exported(home, self._name):
                        self._check_other_sources(file, home, use)
                        yield path
                    continue
                self._usage.places.add(Place(path, use.start, use.end, PlaceSort.IMPORT))
                if use.has_alias:
                    continue
                scope = file.facts.bindings[use.binding].scope
                if scope == 0:
                    yield path
                elif file.facts.scopes[scope].kind is ScopeKind.CLASS:
                    self._usage.obstruct(
                        f"`{self._name}` is imported in a class body in {path}, where it is a name of the class",
                        path,
                        use.start,
                    )
                else:
                    self._note_local_import(file, use.binding)

    def _doubt_imports_of_another(self) -> None:
        """Doubts about imports of a module that has the name, or of a package around one, where several are called so, and none of
        them lies beside who imports it, or something says where modules are sought first."""
        linkage = self._linkage
        homes = {path: linkage.modules[path] for path in self.homes}
        if not any(linkage.are_several(each) for home in homes.values() for each in (home, *packages_around(home))):
            return
        is_way_set = bool(linkage.paths_matching("path", _SETS_WAY_TO_MODULES))
        for file in linkage.mentioning(self._name):
            for use in file.links.imports:
                module = linkage.module_of_import(file, use)
                meant = [path for path, home in homes.items() if linkage.are_several(module) and f"{home}.".startswith(f"{module}.")]
                if meant and (is_way_set or linkage.find_module(module, file.path) is None):
                    self._usage.doubt(f"{file.path} imports another {module} than that of {meant[0]}", file.path, use.start)

    def _doubt_imports_of_what_is_put(self) -> None:
        """Doubts about imports of the name out of modules that are not there, where something may be put among the loaded ones."""
        for file in self._linkage.mentioning(self._name) if self._evaluator.replaced_modules.is_any_put else ():
            for use in file.links.imports:
                module = self._linkage.module_of_import(file, use) if use.name == self._name else ""
                if module and self._linkage.find_module(module, file.path) is None and self._evaluator.replaced_modules.may_be_put(module):
                    what = f"what is put in the place of {module} holds another `{self._name}`, which {file.path} imports"
                    self._usage.doubt(what, file.path, use.start)

    def _paths_of_importers(self, home: LinkedFile) -> list[str]:
        """The files that may import something of a home, at a glance: they speak of the module by its own
        name, or stand in the package that it is, and hold the name or a star."""
        short = home.module.rpartition(".")[2]
        names = set(self._linkage.paths_mentioning(self._name))
        near = set(self._linkage.paths_mentioning(short)) if short else set(names)
        if home.is_package:
            folder = home.path.rpartition("/")[0]
            near.update(path for path in self._linkage.paths if path.startswith(f"{folder}/"))
        found = []
        for path in sorted(near):
            data = self._linkage.contents[path]
            if path in names or (isinstance(data, bytes) and imports_everything(data)):
                found.append(path)
        return found

    def _files_that_may_ask(self, *, everywhere: bool) -> Iterator[LinkedFile]:
        """The files that hold the name and could mean it: the homes, those that speak of one by what it is
        called anywhere, and those that load modules; with `everywhere`, all that hold it."""
        words = self._asked.words
        near = {*self.homes, *self._linkage.finding_paths, *(path for word in words for path in self._linkage.paths_mentioning(word))}
        for path in self._linkage.paths_mentioning(self._name):
            if everywhere or path in near:
                if (file := self._linkage.file(path)) is not None:
                    yield file

    def _check_other_sources(self, file: LinkedFile, home: LinkedFile, use: ImportUse) -> None:
        """A name that `import *` takes out of a home must come from nowhere else."""
        others = [
            each.start
            for each in file.links.imports
            if each.name == "*"
            for path in [self._linkage.find_module(self._linkage.module_of_import(file, each), file.path)]
            if path is not None and path not in self.homes and self._gives_name(path, {file.path})
        ]
        if self._name in file.module_bindings:
            others.append(use.start)
        for start in others:
            self._usage.obstruct(
                f"`{self._name}` in {file.path} may come from elsewhere than {home.path}", file.path, start
            )

    def _gives_name(self, path: str, seen: set[str]) -> bool:
        """Whether `import *` may take the name out of a module, which has it of its own or takes it so from others."""
        there = self._linkage.file(path)
        if there is None:
            return True
        if not is_exported(there, self._name):
            return False
        if self._name in there.module_bindings:
            return True
        return any(
            inner not in seen and inner not in self.homes and self._gives_name(inner, seen | {inner})
            for each in there.links.imports
            if each.name == "*"
            for inner in [self._linkage.find_module(self._linkage.module_of_import(there, each), path)]
            if inner is not None
        )

    def _note_local_import(self, file: LinkedFile, binding: int) -> None:
        for place in binding_places(file, binding):
            self._usage.places.add(place._replace(alone=True))

    @cached_property
    def _goes_about(self) -> bool:
        return self._asked.go_about()

    def _note_attributes(self) -> None:
        loose = self._goes_about
        is_held = any(map(self._evaluator.modules_about.is_held, self.homes))
        for file in self._files_that_may_ask(everywhere=loose):
            is_loose = loose or file.path in self._linkage.finding_paths
            for use in file.links.attributes_by_name.get(self._name, ()):
                if not (is_loose or self._asked.is_called_like_one(file, use.receiver)):
                    continue
                values = self._evaluator.values(file, use.receiver)
                place = place_of_attribute(file, use)
                ours = {value for value in values if self._asked.is_one(value)}
                # Where a module could not be imported, there may be `None`, which has no such name.
                if ours and ours == values - {NONE}:
                    self._usage.places.add(place)
                elif ours:
                    self._usage.obstruct(
                        f"`{shown_attribute(file, use.end)}` in {file.path} may be that of another "
                        "module, too",
                        file.path,
                        use.start,
                    )
                elif UNKNOWN_VALUE in values and (is_loose or (is_held and use.receiver.sort is OriginSort.ATTRIBUTE)):
                    self._usage.open_places.append(OpenPlace(place, why_open(file, use.end)))
        if loose:
            self._asked.check_lookups()

    def _check_stand_ins(self) -> None:
        """Doubts about files that put something in the place of a home, which then needs such a name, too."""
        words = "|".join(map(re.escape, sorted(self._asked.words)))
        replaced = re.compile(
            rf"\b(?:object|setattr)\s*\([^()\n]*,\s*[\"'](?:{words})[\"']|\b(?:patch|setattr)\s*\(\s*[\"'][\w.]+\.(?:{words})[\"']"
            rf"|\bmodules\b[^\n]*[\"'](?:[\w.]+\.)?(?:{words})[\"']\s*(?:\]\s*=(?!=)|,|:)"
        )
        for path in self._linkage.paths_mentioning(self._name) if words else ():
            data = self._linkage.contents[path]
            if isinstance(data, bytes) and any(word in data for word in _PATCHING) and replaced.search(data.decode("utf-8", "replace")):
                self._usage.doubt_reader(f"what stands in for the module in {path} is not asked for `{self._name}`", path)
        quoted = rb"[\"'](?:[\w.]+\.)?(?:%b)[\"']" % words.encode()
        for path in self._linkage.paths_mentioning("modules") if words else ():
            data = self._linkage.contents[path]
            if isinstance(data, bytes) and puts_modules_anywhere(data) and re.search(quoted, data) is not None:
                self._usage.doubt_reader(f"what may stand in for the module in {path} is not asked for `{self._name}`", path)

    def _note_texts(self) -> None:
        for file in self._files_that_may_ask(everywhere=self._goes_about):
            listed = export_ranges(file) if file.path in self.homes else []
            for text in file.links.texts:
                if self._name in text.words:
                    self._note_text(file, text, listed)
                    self._check_program(file, text)
            if file.path in self.homes:
                self._note_type_comments(file)
        self._note_packaging()

    def _note_text(
        self, file: LinkedFile, text: TextUse, listed: list[tuple[int, int]]
    ) -> None:
        start = self._start_in_text(file, text)
        if start < 0:
            return
        place = Place(file.path, start, start + len(self._name), PlaceSort.TEXT)
        if text.words == self._name:
            is_listed = any(first <= text.start < last for first, last in listed)
            takes_from_home = (
                text.position == 1
                and bool(text.arguments)
                and any(map(self._asked.is_one, self._evaluator.values(file, text.arguments[0])))
            )
            names_itself = self._names_itself(file, text)
            if names_itself:
                self._usage.assume(NAMES_ARE_SHOWN)
            if is_listed or takes_from_home or names_itself:
                self._usage.places.add(place)
        else:
            self._usage.places.add(place)

    def _check_program(self, file: LinkedFile, text: TextUse) -> None:
        """A doubt where a text names something of the program that is run, whatever that is."""
        if re.match(rf"__main__[.:]{re.escape(self._name)}(?!\w)", text.words):
            self._usage.doubt(f"`{text.words}` in {file.path} is not `{self._name}`", file.path, text.start)

    def _start_in_text(self, file: LinkedFile, text: TextUse) -> int:
        """Where the name stands in a text that is it, or that is a dotted name which leads to it."""
        raw = file.source.text[text.start : text.end]
        if text.words == self._name:
            return text.start + raw.index(self._name) if self._name in raw else -1
        for home in self.homes.values():
            match = re.match(
                rf"{re.escape(home.module)}[.:]({re.escape(self._name)})(?![\w])", text.words
            )
            if home.module and match is not None and text.words in raw:
                return text.start + raw.index(text.words) + match.start(1)
        return -1

    def _names_itself(self, file: LinkedFile, text: TextUse) -> bool:
        """Whether a text is the name that something is given where it is made (`TypeVar("Row")`)."""
        if text.position != 0 or file.path not in self.homes:
            return False
        statement = file.facts.statements[file.facts.statement_at(text.start)]
        binding = file.module_bindings.get(self._name)
        is_assigned = binding is not None and any(
            statement.start <= file.facts.references[index].start < text.start
            for index in file.facts.bindings[binding].references
        )
        return is_assigned and any(
            value.sort is ValueSort.FOREIGN
            and value.name.replace("typing_extensions.", "typing.") in _NAMED_BY_TEXT
            for value in self._evaluator.values(file, text.callee)
        )

    def _note_type_comments(self, file: LinkedFile) -> None:
        for comment in file.facts.comments:
            if self._name in comment.text and _TYPE_COMMENT.match(comment.text):
                for match in word_in_text(self._name).finditer(
                    file.source.text, comment.start, comment.end
                ):
                    self._usage.places.add(
                        Place(file.path, match.start(), match.end(), PlaceSort.TYPE_COMMENT)
                    )

    def _note_fixture(self) -> None:
        """A fixture is asked for by the names of parameters, and in texts."""
        for home, binding in self._bindings:
            for record in definitions_of(home, binding):
                if isinstance(record, ClassRecord) or not is_fixture(record):
                    continue
                if has_other_name(home, record):
                    continue
                for file, _, parameter in users_of(self._evaluator, home, self._name):
                    self._usage.add(binding_places(file, parameter))
                for file, start in texts_for(self._evaluator, home, self._name):
                    end = start + len(self._name)
                    self._usage.places.add(Place(file.path, start, end, PlaceSort.TEXT))

    def _note_packaging(self) -> None:
        """Entry points in packaging files: `hive.commands:main`."""
        for path in ("pyproject.toml", "setup.cfg", "setup.py"):
            data = self._linkage.contents.get(path)
            if not isinstance(data, bytes) or self._name.encode() not in data:
                continue
            text = SourceText.from_bytes(data, strict=False).text
            for home in self.homes.values():
                pattern = rf"(?<![\w.]){re.escape(home.module)}:({re.escape(self._name)})(?!\w)"
                for match in re.finditer(pattern, text):
                    self._usage.places.add(
                        Place(path, match.start(1), match.end(1), PlaceSort.TEXT)
                    )

    def _check_mangling(self, file: LinkedFile, binding: int) -> None:
        """A class whose name Python puts before names of its own keeps it."""
        for index, record in enumerate(file.links.classes):
            prefix = f"_{record.name.lstrip('_')}__"
            if record.binding != binding or not record.name.strip("_"):
                continue
            names = {use.name for use in file.links.attributes}
            names |= {each.name for each in file.facts.bindings}
            if any(name.startswith(prefix) and not name.endswith("__") for name in names):
                self._usage.obstruct(
                    f"`{record.name}` has names with two underscores, before which Python puts that of "
                    "the class; give those other names first",
                    file.path,
                    file.links.classes[index].name_start,
                )

    def _check_metaclasses(self, file: LinkedFile, binding: int) -> None:
        """What makes a class may keep it under its name; a record shows its class's name."""
        evaluator, name = self._evaluator, self._name
        for index, record in enumerate(file.links.classes):
            if record.binding != binding:
                continue
            for key in evaluator.above((file.path, index)):
                if evaluator.has_own_metaclass(key):
                    self._usage.doubt(
                        f"the metaclass of `{name}` does not look at its name", file.path, record.name_start
                    )
            own = (file.path, index)
            for base in [*evaluator.foreign_above(own), *evaluator.unknown_above(own)]:
                if not base.startswith(_BASES_THAT_KEEP_NO_NAMES):
                    self._usage.doubt(
                        f"the base {base} in {file.path}, which was not read, does not look at the name "
                        f"of `{name}`",
                        file.path,
                        record.name_start,
                    )
            shows_itself = any(
                evaluator.decorator_name(file, decorator) == "dataclasses.dataclass"
                for decorator in record.decorators
            ) or "typing.NamedTuple" in evaluator.foreign_above(own)
            if shows_itself and not is_silent(file, record.name_start):
                self._usage.doubt(
                    f"nothing depends on how a record shows its class `{name}`",
                    file.path,
                    record.name_start,
                )
            is_enumeration = any(base.startswith(_ENUMERATIONS) for base in evaluator.foreign_above(own))
            if is_enumeration and not name.startswith("_"):
                self._usage.doubt(
                    f"nothing depends on how a member shows its enumeration `{name}`", file.path, record.name_start
                )

    def _check_exports(self, file: LinkedFile) -> None:
        """Code that reads the list of exported names, or answers for the names of the module."""
        binding = file.module_bindings.get("__all__")
        references = file.facts.bindings[binding].references if binding is not None else ()
        roles = {file.facts.references[index].role for index in references}
        exported = texts_in_variable(self._evaluator, file, binding) if binding is not None else None
        if Role.READ in roles and _READS_EXPORTS.search(file.source.text):
            what = f"what reads `__all__` in {file.path} does not depend on …"
            if exported is None:
                self._usage.doubt(what.replace("…", f"`{self._name}`"), file.path)
            else:
                self._usage.look_out(what, exported)
        if "__dir__" in file.module_bindings and (exported is None or not _GIVES_EXPORTS.search(file.source.text)):
            self._usage.doubt(
                f"the `__dir__` of {file.path} does not depend on `{self._name}`", file.path
            )

    def _check_annotations(self) -> None:
        """Annotations that are kept as texts hold the name, and something may show them."""
        for path in self._linkage.paths_mentioning("__annotations__"):
            self._usage.doubt(
                f"what reads `__annotations__` in {path} does not show `{self._name}`", path
            )

    def _check_module_annotations(self) -> None:
        """What is annotated at the top of a module is among its annotations."""
        for file in self._linkage.mentioning("__annotations__"):
            uses = file.links.attributes_by_name.get("__annotations__", ())
            values = [value for use in uses for value in self._evaluator.values(file, use.receiver)]
            is_own = file.path in self.homes and _OWN_ANNOTATIONS.search(file.source.text) is not None
            if is_own or any(value == UNKNOWN_VALUE or value.sort is ValueSort.MODULE for value in values):
                self._usage.doubt(
                    f"what reads `__annotations__` in {file.path} does not look for `{self._name}`", file.path
                )

    def _check_names_read(self) -> None:
        """A name that is read off the thing itself (`T.__name__`), and one that a patcher takes as a keyword."""
        for path, places in self._usage.by_path().items():
            file = self._linkage.file(path)
            if file is None:
                continue
            for place in places:
                if _OWN_NAME.match(file.source.text, place.end):
                    self._usage.doubt(
                        f"nothing depends on the name that `{self._name}` says is its own", path, place.start
                    )
        naming = set(self._linkage.paths_mentioning(self._name))
        for path in naming.intersection(self._linkage.paths_mentioning(_OF_PATCHERS)):
            file = self._linkage.file(path)
            for use in file.links.keywords if file is not None else ():
                if use.name == self._name and use.callee.name == _OF_PATCHERS:
                    place = Place(path, use.start, use.end, PlaceSort.KEYWORD)
                    self._usage.open_places.append(
                        OpenPlace(place, f"the keyword `{self._name}`: it is not known what it is set in")
                    )

    def _check_modules_of_that_name(self) -> None:
        """What a package has under the name of a module in it is what `import hives.scale as scale` gives."""
        for home in self.homes.values():
            inner = f"{home.module}.{self._name}"
            if home.module and self._linkage.is_package(inner):
                obstruct_other_names(self._evaluator, self._usage, inner)

    def _check_passing_on(self) -> None:
        """`import weigh as weigh` says that a module passes the name on: an alias for no other reason."""
        starts = {(place.path, place.start) for place in self._usage.places}
        for place in sorted(self._usage.places):
            imported = place.imported_end - len(self._name)
            if place.imported == self._name and (place.path, imported) not in starts:
                self._usage.doubt(
                    f"nobody relies on `{self._name}` being passed on by {place.path}",
                    place.path,
                    place.start,
                )

    def _check_outsiders(self) -> None:
        """In a library, code that was not read may use whatever is public."""
        if not self._linkage.is_library or self._name.startswith("_"):
            return
        public = [
            file
            for path, file in self.homes.items()
            if not is_test(path) and not is_private_module(file.module)
        ]
        if public:
            place = min(self._usage.places, default=None)
            path, start = (place.path, place.start) if place is not None else (public[0].path, 0)
            self._usage.doubt(
                f"no code outside this project uses {self._usage.label}", path, start, of_outsiders=True
            )

    def _check_definitions(self) -> None:
        if any(Role.QUOTED in file.facts.roles(binding) for file, binding in self._bindings):
            self._check_annotations()
        if any(binding in file.links.annotated for file, binding in self._bindings):
            self._check_module_annotations()
        for file, binding in self._bindings:
            self._check_metaclasses(file, binding)
        for file in self.homes.values():
            self._check_exports(file)
        for file, binding in self._bindings:
            self._check_mangling(file, binding)
        for file in self.homes.values():
            for names in file.class_bindings.values():
                inner = names.get(self._name)
                if inner is not None and (start := read_before_bound(file, inner)) >= 0:
                    self._usage.obstruct(
                        f"`{self._name}` is read in a class body that binds it, too (line "
                        f"{file.line_of(start)})",
                        file.path,
                        start,
                    )

        roles = [file.facts.roles(binding) for file, binding in self._bindings]
        is_class = any(Role.CLASS in each for each in roles)
        if is_class or any(Role.FUNCTION in each for each in roles):
            for file, binding in self._bindings:
                for record in definitions_of(file, binding):
                    doubt_decorators(self._evaluator, self._usage, file, record, "its name")
            check_name_readers(self._evaluator, self._usage, is_class=is_class)
        for file, binding in self._bindings:
            if is_test(file.path) and Role.FUNCTION in file.facts.roles(binding):
                check_test_name(self._usage, file, binding)


def obstruct_other_names(evaluator: Evaluator, usage: Usage, dotted: str) -> None:
    """Obstacles where a module is imported under another name: by that, one has what its package has under the module's own."""
    package = dotted.rpartition(".")[0]
    for file, use in evaluator.module_values.imports_under_other_names(dotted):
        usage.obstruct(f"`import {dotted} as …` in {file.path} gives what `{package}` has under that name", file.path, use.start)


def doubt_strangers(
    evaluator: Evaluator, usage: Usage, name: str, family: Collection[ClassKey]
) -> None:
    """Doubts about classes that define a name, and that may be below one of a family: a base is not known."""
    for file in evaluator.linkage.mentioning(name):
        for index, record in enumerate(file.links.classes):
            key = (file.path, index)
            if evaluator.defines(key, name) and key not in family and evaluator.unknown_above(key):
                usage.doubt(
                    f"`{name}` of {record.name} in {file.path}, of which a base is not known, is another one",
                    file.path,
                    record.name_start,
                )


def doubt_decorators(
    evaluator: Evaluator,
    usage: Usage,
    file: LinkedFile,
    record: FunctionRecord | ClassRecord,
    what: str,
    attributes: Set[str] = NAME_ATTRIBUTES,
) -> None:
    """A doubt where a decorator was not understood: it may look at names. A function is only looked at by those
    who read certain `attributes` off it."""
    if all(_leaves_names(evaluator, file, decorator) for decorator in record.decorators):
        return
    if not isinstance(record, FunctionRecord) or not (
        is_fixture(record) or is_never_asked(evaluator, file, record, attributes)
    ):
        usage.doubt(
            f"the decorator of `{record.name}` in {file.path} does not look at {what}",
            file.path,
            record.name_start,
        )


def _leaves_names(evaluator: Evaluator, file: LinkedFile, decorator: Origin) -> bool:
    """Whether a decorator looks at no names: one that is known, or a function of the project."""
    if evaluator.is_harmless(file, decorator) or gives_parameters(decorator):
        return True
    values = evaluator.values(file, decorator_callee(decorator))
    for value in values:
        if value.sort not in (ValueSort.FUNCTION, ValueSort.CLASS):
            return False
        there = evaluator.file(value.path)
        if not there.is_own or _LOOKS_AT_NAMES.search(there.source.text):
            return False
    return bool(values)


def definitions_of(file: LinkedFile, binding: int) -> Iterator[FunctionRecord | ClassRecord]:
    """The functions and classes that a name of a file is defined as."""
    for origin in file.links.sources.get(binding, ()):
        if origin.sort is OriginSort.DEFINED_FUNCTION:
            yield file.links.functions[origin.binding]
        elif origin.sort is OriginSort.DEFINED_CLASS:
            yield file.links.classes[origin.binding]


def is_silent(file: LinkedFile, name_start: int) -> bool:
    """Whether the decorator of a record's class says that it shows no names (`repr=False`)."""
    before = file.source.text[:name_start]
    return re.search(r"\brepr\s*=\s*False\b", before[before.rfind("@") :]) is not None


def read_before_bound(file: LinkedFile, binding: int) -> int:
    """Where a class body reads one of its names before it surely has it, so that the module's may be
    meant; -1 for nowhere. Source: language reference 4.2.2 (class blocks)."""
    facts = file.facts
    record = facts.bindings[binding]
    references = [facts.references[index] for index in record.references]
    inside = [each for each in facts.statements if each.scope == record.scope]
    depth = min((each.depth for each in inside), default=0)
    sure = [
        statement.end
        for each in references
        if each.role not in (Role.READ, Role.QUOTED) and each.scope == record.scope
        for statement in [facts.statements[facts.statement_at(each.start)]]
        if statement.depth == depth
    ]
    first = min(sure, default=len(file.source.text))
    return next(
        (
            each.start
            for each in references
            if each.role is Role.READ and each.scope == record.scope and each.start < first
        ),
        -1,
    )


def is_public(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether code outside a library may use a module-level name: it is no private one, and stands in a
    module that is none, or that a public one passes it on from."""
    return not name.startswith("_") and _is_passed_on(evaluator, file, name, set())


def is_public_function(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether code outside a library may call a function or method: no part of its dotted name is private."""
    if record.owner < 0 and file.facts.scopes[record.scope].kind is not ScopeKind.MODULE:
        return False
    names = [part for part in (file.facts.dotted(record.scope), record.name) if part]
    parts = ".".join(names).split(".")
    return is_public(evaluator, file, parts[0]) and not any(
        part.startswith("_") and part not in MAKING_METHODS for part in parts
    )


def _is_passed_on(evaluator: Evaluator, file: LinkedFile, name: str, seen: set[str]) -> bool:
    if is_test(file.path) or file.path in seen:
        return False
    seen.add(file.path)
    if not is_private_module(file.module):
        return True
    linkage = evaluator.linkage
    short = file.module.rpartition(".")[2]
    return any(
        use.name in (name, "*")
        and linkage.find_module(linkage.module_of_import(other, use), other.path) == file.path
        and _is_passed_on(evaluator, other, name, seen)
        for other in linkage.mentioning(short)
        for use in other.links.imports
    )


def check_test_name(usage: Usage, file: LinkedFile, binding: int) -> None:
    """A test is found by its name, and a fixture by that of parameters."""
    hooks = ["pytest_"] if file.path.endswith("conftest.py") else []
    start = file.facts.references[file.facts.bindings[binding].references[0]].start
    usage.look_out(FOUND_BY_RUNNER, [*_TEST_NAMES, *hooks], start, for_beginnings=True)


def place_of_attribute(file: LinkedFile, use: AttributeUse) -> Place:
    """The place of a name behind a dot."""
    sort = PlaceSort.READ if use.use is Use.READ else PlaceSort.WRITE
    return Place(file.path, use.start, use.end, sort)


def shown_attribute(file: LinkedFile, end: int) -> str:
    """The expression that ends with an attribute, as it is written, shortened to its line."""
    text = file.source.text
    start, depth = end, 0
    while start and text[start - 1] != "\n":
        letter = text[start - 1]
        if letter in ")]":
            depth += 1
        elif letter in "([":
            depth -= 1
        if depth < 0 or not (depth or letter.isalnum() or letter in "_.()[]\"'"):
            break
        start -= 1
    return text[start:end].strip()


def why_open(file: LinkedFile, end: int) -> str:
    """Why nobody can tell what an attribute belongs to that ends at an offset."""
    shown = shown_attribute(file, end)
    receiver = shown.rpartition(".")[0]
    what = f"what `{receiver}` is" if receiver else "what it belongs to"
    return f"`{shown}`: it is not known {what}"


def _import_end(file: LinkedFile, start: int) -> int:
    for use in file.links.imports:
        if use.start == start:
            return use.end
    return start
