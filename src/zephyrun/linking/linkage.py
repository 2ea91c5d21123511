"""The modules of a project and what their imports mean. Pure: contents are handed in, and so is what
finds the source of a library's module."""

from __future__ import annotations

import ast
import re
import warnings
from collections.abc import Callable, Collection, Hashable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Protocol, TypeVar

from zephyrun.facts import FileFacts, Role
from zephyrun.languages.python import UnreadableSource, parse_shared
from zephyrun.languages.python.links import read_links
from zephyrun.languages.python.reading import without_collector
from zephyrun.link_facts import (
    UNKNOWN,
    ClassHeads,
    ClassRecord,
    FunctionRecord,
    Handed,
    ImportUse,
    KeywordUse,
    LinkFacts,
    Origin,
    OriginSort,
    ParameterRecord,
    RestUse,
    Use,
)
from zephyrun.linking.class_heads import class_heads_in
from zephyrun.linking.glances import glance
from zephyrun.linking.given_readers import find_given_readers
from zephyrun.linking.import_roots import find_import_roots
from zephyrun.linking.import_statements import names_imported
from zephyrun.linking.kept_answers import KeptAnswers, kept_property, kept_until_changed
from zephyrun.linking.modules import LOADING_IN_DISGUISE, LOADING_WORDS, PACKAGE_MARK, folder_of, is_python, module_name, packages_around
from zephyrun.linking.texts import (
    FrameReading,
    begun_in,
    makes_classes,
    names_members,
    defines_operators,
    derives_classes,
    called_in_examples,
    called_with_rest_in_examples,
    example_words_in,
    examples_look_up,
    is_document,
    is_searched,
    read_frame_names,
    runs_code_elsewhere,
    runs_text,
    shows_instructions,
    words_in,
    written_in,
    standing_in_examples,
    written_in_examples,
)
from zephyrun.patterns import ends_of_word, lazy_pattern
from zephyrun.source import SourceText

LIBRARY = "<library>/"
_MOST_FILES_KEPT = 2048
_MANY_WORDS = 12

# What stands before the name of a method, or of an attribute that instances get.
_BEFORE_MEMBER = lazy_pattern(rb"(?m)^[ \t]+(?:async[ \t]+)?def[ \t]+\Z|\bself\.\Z")
_LONGEST_BEFORE = 60
_LOADS = lazy_pattern(
    rb"(?<!\bimport )(?<!\bdef )\b(?:import_module|__import__|load_module|module_from_spec)\s*\(|\bsys\.modules\b|" + LOADING_IN_DISGUISE
)
_TAKES_NAMES_RUN = lazy_pattern(
    rb"(?m)^(?![ \t]*(?:runpy\s*\.\s*)?run_(?:module|path)\s*\([^\n]*\)[ \t\r]*$)(?!.*\bimport\b(?!.*\bas\b)).*\brun_(?:module|path)\b"
)
_LOADING_MARKS = (*LOADING_WORDS, b"modules")
_COMPUTED_LOOKUP = lazy_pattern(
    rb"attr(?:(?<=[gs]etattr)|(?<=hasattr)|(?<=delattr))(?:ibute)?(?:__|_static)?\s*"
    rb"(?:\((?![^,()\n]*,\s*[\"']\w+[\"']\s*[,)])|[,)\]}\r\n;#:\"']|\b(?:as|if|or|and|for|else)\b)|"
    rb"(?:attrgetter|methodcaller)\b\s*(?!\(\s*[\"'][\w.]+[\"']\s*[,)])|"
    rb"patch\.object\s*\((?![^,()\n]*,\s*[\"']\w+[\"']\s*[,)])"
)
# What gives modules, or what stands in them, for other reasons than that it loads them.
FINDING_WORDS = ("getmodule", "resolve_name")
# What looks into a module by itself.
_RESOLVING = b"resolve_name"
_FINDS_MODULES = rb"\b(?:inspect|pkgutil)(?:\s*\.\s*|\s+import\b(?:\s*\([^)]*|[^\n(]*))\b(?:getmodule|resolve_name)\b"
_FINDING = lazy_pattern(_FINDS_MODULES)
# The names of modules as functions and frames have them, but for those that every module has.
_GLOBALS_OF = ("__globals__", "f_globals")
_ASKED_OF_GLOBALS = rb"\b%b\b(?!\s*(?:\[|\.\s*get\s*\()\s*[\"']__\w+__[\"'])"
_LOOKUP_WORDS = (b"attr", b"methodcaller", b"patch")
_LOOKS_INTO = lazy_pattern(
    rb"\b(?:vars|dir|getmembers)\s*\((?!\s*self\s*\))|\bgetmembers\w*\s*(?!\w*\s*\()|\b(?:vars|dir)\s+as\b|(?<!self)\.__dict__|"
    rb"\b(?:getattr|setattr|delattr)\s*\([^,()]*(?:\([^()]*\))?[^,()]*,\s*(?![rR]?[\"']\w+[\"']\s*[,)])"
)
# As `_note_passed_rest` of the front end takes them.
_REST_MARKS = (
    *(b"**", b"kwargs", b"kwds", b"keywords", b"kw="),
    *(b"Thread", b"Process", b"Timer", b"enter", b"apply"),
)
_FILLS_ATTRIBUTE_IN = lazy_pattern(r"\{[^{}:!]*\.")
_LAST_WORD = lazy_pattern(r"\w+\Z")
_LONGEST_WORD = 200
# Where a module is taken by a name that is written out, and where it is only asked whether one is loaded.
_LOADED_BY_NAME = lazy_pattern(
    rb"(?:\bsys\.modules\s*(?:\[|\.\s*get\s*\()|\b(?:import_module|__import__)\s*\()"
    rb"\s*[rR]?[\"']([\w.]+)[\"']\s*(?:\]|\)|,\s*None\s*\))"
)
_IS_LOADED = lazy_pattern(rb"\bin\s+sys\.modules\b(?!\s*[.\[])")
_MAIN = "__main__"
_NAME_OF_IT = lazy_pattern(rb"\s*\.\s*(?!__dict__)\w")
_SET_TO = lazy_pattern(rb"(\w+)\s*=\s*\Z")
_RUNNING_DOCUMENTS = (b"testfile", b"DocFile", b"doctest-glob", b"doctest_glob")
_RUNS_DOCUMENTS = lazy_pattern(rb"\b(?:testfile|DocFileSuite|DocFileTest)\b|doctest[-_]glob")
_DOCUMENTATION_WORDS = (b"__doc__", b"getdoc", b"pydoc", b"help")
_READS_DOCUMENTATION = lazy_pattern(rb"__doc__|\bgetdoc\b|\bpydoc\b|\bhelp\s*\(")

# A file's bytes, or one phrase that says why they are not read.
Content = bytes | str
# Gives the source of a library's module by its dotted name, and whether it is a package's own; `None`
# where there is none to be read.
Library = Callable[[str], tuple[bytes, bool] | None]


_InCall = TypeVar("_InCall", Handed, KeywordUse, RestUse)


def _by_call(uses: Iterable[_InCall]) -> dict[int, list[_InCall]]:
    found: dict[int, list[_InCall]] = {}
    for use in uses:
        found.setdefault(use.call, []).append(use)
    return found


def handed_to_decorator(record: FunctionRecord | ClassRecord, decorator: Origin, value: Origin) -> Handed:
    """What a decorator of a function or class is handed: the value alone, by position."""
    return Handed(record.name_start, record.name_start + len(record.name), value, decorator, -1, 0, "")


@dataclass(frozen=True)
class LinkedFile:
    """One module: where it lies, what it is called, and all that its text says."""

    path: str
    module: str
    is_package: bool
    data: bytes
    facts: FileFacts
    links: LinkFacts

    @cached_property
    def source(self) -> SourceText:
        """The text."""
        return SourceText.from_bytes(self.data)

    @property
    def is_own(self) -> bool:
        """Whether it belongs to the project."""
        return not self.path.startswith(LIBRARY)

    @cached_property
    def module_bindings(self) -> dict[str, int]:
        """The bindings of the module's own names."""
        return {
            binding.name: index
            for index, binding in enumerate(self.facts.bindings)
            if binding.scope == 0 and not binding.outside
        }

    def may_bind(self, name: str) -> bool:
        """Whether the module may have something under a name, be it with all of another one."""
        return name in self.module_bindings or any(use.name == "*" for use in self.links.imports)

    @cached_property
    def imported_bindings(self) -> frozenset[int]:
        """The bindings that imports give values, in whatever scope."""
        return frozenset(use.binding for use in self.links.imports)

    @cached_property
    def class_bindings(self) -> dict[int, dict[str, int]]:
        """For the scope of each class body: its names and their bindings."""
        found: dict[int, dict[str, int]] = {record.scope: {} for record in self.links.classes}
        for index, binding in enumerate(self.facts.bindings):
            if binding.scope in found and not binding.outside:
                found[binding.scope][binding.name] = index
        return found

    @cached_property
    def name_starts(self) -> frozenset[int]:
        """Where names stand that are no mere words: references, attributes and keywords."""
        return frozenset(
            [
                *self.facts.reference_by_start,
                *(use.start for use in self.links.attributes),
                *(use.start for use in self.links.keywords),
            ]
        )

    def absolute(self, module: str) -> str:
        """The absolute dotted name of what the file imports as `module`, which may begin with dots."""
        return _absolute(module, self.module, is_package=self.is_package)

    @cached_property
    def decorated(self) -> tuple[Handed, ...]:
        """What decorators are handed: the function or class below, unless another decorator comes first."""
        records: list[tuple[Origin, FunctionRecord | ClassRecord]] = [
            (Origin(OriginSort.DEFINED_FUNCTION, "", index), record)
            for index, record in enumerate(self.links.functions)
        ]
        records += [
            (Origin(OriginSort.DEFINED_CLASS, "", index), record)
            for index, record in enumerate(self.links.classes)
        ]
        return tuple(
            handed_to_decorator(record, decorator, UNKNOWN if n_below else origin)
            for origin, record in records
            for n_below, decorator in enumerate(reversed(record.decorators))
        )

    @cached_property
    def taking_last(self) -> dict[int, int]:
        """The functions by the bindings of their last parameters."""
        functions = enumerate(self.links.functions)
        return {record.parameters[-1].binding: number for number, record in functions if record.parameters}

    @cached_property
    def handed_by_call(self) -> dict[int, list[Handed]]:
        """What each call is handed."""
        return _by_call(self.links.handed)

    @cached_property
    def handed_by_callee(self) -> dict[str, list[Handed]]:
        """What calls are handed, by the last names of what is called."""
        found: dict[str, list[Handed]] = {}
        for handed in self.links.handed:
            found.setdefault(handed.callee.name, []).append(handed)
        return found

    @cached_property
    def keywords_by_call(self) -> dict[int, list[KeywordUse]]:
        """The keywords of each call."""
        return _by_call(self.links.keywords)

    @cached_property
    def rests_by_call(self) -> dict[int, list[RestUse]]:
        """The dictionaries of keywords of each call."""
        return _by_call(self.links.rests)

    @cached_property
    def handed_by_end(self) -> dict[int, Handed]:
        """What calls are handed, by where it ends."""
        return {handed.end: handed for handed in self.links.handed}

    def builtins_kept(self, names: Collection[str]) -> Iterator[tuple[str, int]]:
        """Which of some builtins stand as values, and where, and are not called: nobody knows what they will be handed."""
        for binding in self.facts.bindings:
            if binding.outside and binding.name in names:
                for index in binding.references:
                    reference = self.facts.references[index]
                    if reference.end not in self.links.called:
                        yield binding.name, reference.start

    def has_as_value(self, name: str) -> bool:
        """Whether something of that name is read in the file, and not only called."""
        facts, called = self.facts, self.links.called
        if any(use.end not in called and use.use is Use.READ for use in self.links.attributes_by_name.get(name, ())):
            return True
        references = (facts.references[index] for each in facts.bindings if each.name == name for index in each.references)
        return any(each.role is Role.READ and each.end not in called for each in references)

    @cached_property
    def all_handed_by_end(self) -> dict[int, list[Handed]]:
        """As `handed_by_end`, where several things end there: a lambda does where what it gives does."""
        found: dict[int, list[Handed]] = {}
        for handed in self.links.handed:
            found.setdefault(handed.end, []).append(handed)
        return found

    def handed_at(self, start: int, end: int) -> Handed | None:
        """What a call is handed from one offset to another: what `min(each for each in hives)` is handed ends where it does."""
        return next((each for each in self.all_handed_by_end.get(end, ()) if each.start == start), None)

    def word_before(self, end: int) -> str:
        """The name that ends at an offset, "" for none."""
        word = _LAST_WORD.search(self.source.text, max(end - _LONGEST_WORD, 0), max(end, 0))
        return word[0] if word is not None else ""

    @cached_property
    def handed_by_word(self) -> dict[str, list[Handed]]:
        """What calls are handed, by the word in which it ends: the name of a function that goes there."""
        found: dict[str, list[Handed]] = {}
        for handed in self.links.handed:
            word = _LAST_WORD.search(self.source.text, handed.start, handed.end)
            found.setdefault(word[0] if word is not None else "", []).append(handed)
        return found

    @cached_property
    def ends_of_plain_templates(self) -> frozenset[int]:
        """Where texts end that ask what is filled into them for no attribute, and hold nothing but what is written there."""
        return frozenset(
            text.end for text in self.facts.texts if not text.interpolated and not _FILLS_ATTRIBUTE_IN.search(text.words)
        )

    @cached_property
    def parameter_by_binding(self) -> dict[int, tuple[int, ParameterRecord]]:
        """The parameter that each binding of one is, and the index of its function."""
        return {
            parameter.binding: (index, parameter)
            for index, record in enumerate(self.links.functions)
            for parameter in record.parameters
        }

    def line_of(self, offset: int) -> int:
        """The 1-based line of an offset."""
        return self.source.line_of(offset)


class Memory(Hashable, Protocol):
    """What files said when they were read before, by their contents, and what was found out about whole projects."""

    def recall(self, data: bytes) -> tuple[FileFacts, LinkFacts] | None:
        """The facts of a content, where they are known."""

    def keep(self, data: bytes, file_facts: FileFacts, links: LinkFacts, /) -> None:
        """Keep the facts of a content."""

    def answers_about(self, contents: Mapping[str, Content], *circumstances: object) -> KeptAnswers:
        """The answers about one version of a project that are known, to be kept with those that are found. `circumstances` are
        what they depend on beside the files."""


def no_library(module: str) -> None:
    """A library of which nothing can be read."""
    return None


class Linkage:
    """The modules of one version of a project.

    Files are read when a question first comes to them; one that cannot be read is `None`. The project
    may vouch for decorators of libraries, by their full names. In a library, code that is not here may
    call whatever is public.
    """

    def __init__(
        self,
        contents: Mapping[str, Content],
        given_roots: Collection[str] = (),
        library: Library = no_library,
        harmless_decorators: Collection[str] = (),
        harmless_readers: Collection[str] = (),
        *,
        is_library: bool = False,
        memory: Memory | None = None,
    ) -> None:
        self._memory = memory
        self.contents = contents
        self.is_library = is_library
        self.harmless_decorators = frozenset(harmless_decorators)
        self._library = library
        self.paths = sorted(path for path in contents if is_python(path))
        self._roots = find_import_roots(contents, given_roots)
        self.modules = {path: module_name(path, self._roots) for path in self.paths}
        # The files of which the settings say that they mind no other names.
        self.harmless_paths = {path: module for path, module in self.modules.items() if module in harmless_readers}
        self._files: dict[str, LinkedFile | None] = {}
        self._libraries: dict[str, str] = {}
        self._words_asked: set[str] = set()
        self._imported: dict[str, frozenset[str]] = {}
        circumstances = (
            sorted(given_roots), sorted(harmless_decorators), sorted(harmless_readers), is_library, library is no_library
        )
        self.kept = memory.answers_about(contents, *circumstances) if memory is not None else KeptAnswers()

    def imported_by(self, path: str) -> frozenset[str]:
        """The files of the project that a file imports, those around them included, at a glance."""
        if path not in self._imported:
            self._imported[path] = self._find_imported(path)
        return self._imported[path]

    def _find_imported(self, path: str) -> frozenset[str]:
        data = self.contents.get(path)
        names = {self.absolute(path, name) for name in names_imported(data)} if isinstance(data, bytes) else set()
        found = (self.find_module(each, path) for name in names for each in (name, *packages_around(name)))
        return frozenset(each for each in found if each is not None)

    @cached_property
    def _paths_by_module(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for path, module in self.modules.items():
            found.setdefault(module, []).append(path)
        return found

    @cached_property
    def _packages(self) -> frozenset[str]:
        """Dotted names that lead to some module, folders without a mark of a package included."""
        names: set[str] = set()
        for module in self._paths_by_module:
            names.update(packages_around(module))
        return frozenset(names)

    def file(self, path: str) -> LinkedFile | None:
        """One module's facts; `None` where it cannot be read."""
        if path not in self._files:
            if path.startswith(LIBRARY) and path not in self.contents:
                # An earlier run came to it.
                return self.library_file(module_name(path.removeprefix(LIBRARY), [""]))
            data = self.contents.get(path)
            module = self.modules.get(path, "")
            self._files[path] = _read(path, module, data, self._memory) if isinstance(data, bytes) else None
        return self._files[path]

    def is_known(self, path: str) -> bool:
        """Whether a module has been read already."""
        return self._files.get(path) is not None

    def can_be_read(self, path: str) -> bool:
        """Whether a module is Python that the running interpreter reads; asked without reading it all."""
        if path in self._files:
            return self._files[path] is not None
        data = self.contents.get(path)
        return isinstance(data, bytes) and _parses(data)

    def reading(self, paths: Iterable[str]) -> Iterator[LinkedFile]:
        """Those of some files that can be read, each read when it is come to."""
        for path in paths:
            if (file := self.file(path)) is not None:
                yield file

    def mentioning(self, word: str) -> Iterator[LinkedFile]:
        """The files of the project that hold a word and can be read, in order of their paths."""
        return self.reading(self.paths_mentioning(word))

    def mentioning_any(self, words: Iterable[str]) -> Iterator[LinkedFile]:
        """The files of the project that hold one of some words and can be read, each once."""
        return self.reading(sorted({path for word in words for path in self.paths_mentioning(word)}))

    def paths_mentioning(self, word: str) -> list[str]:
        """The paths of the project's modules that hold a word, in order."""
        self._words_asked.add(word)
        return self._paths_with(word)

    @kept_until_changed
    def _paths_with(self, word: str) -> list[str]:
        encoded = word.encode()
        if len(self._words_asked) > _MANY_WORDS:
            return [path for path, words in self._all_words if encoded in words]
        # To look for the letters first spares most files from being taken apart; not so when many words are asked for.
        return [path for path, data in self._modules_read if encoded in data and encoded in words_in(data)]

    @cached_property
    def _all_words(self) -> list[tuple[str, frozenset[bytes]]]:
        """The words of each of the project's modules."""
        return [(path, words_in(data)) for path, data in self._modules_read]

    @cached_property
    def _modules_read(self) -> list[tuple[str, bytes]]:
        """The project's modules whose bytes are there, in order of their paths."""
        found = [(path, self.contents[path]) for path in self.paths]
        return [(path, data) for path, data in found if isinstance(data, bytes)]

    def paths_where(self, word: str, words_of: Callable[[bytes], Collection[bytes]]) -> list[str]:
        """The paths of modules that hold a word in a certain role: among what `words_of` finds in them."""
        encoded, found = word.encode(), []
        for path in self.paths_mentioning(word):
            data = self.contents[path]
            if isinstance(data, bytes) and encoded in words_of(data):
                found.append(path)
        return found

    def paths_writing(self, name: str) -> list[str]:
        """The paths of modules that give an attribute of that name a value, in order."""
        return [path for path, heads in self._seen_writing(name) if name in heads.written or name in heads.written_to_own]

    def paths_writing_to_others(self, name: str) -> list[str]:
        """As `paths_writing`, without those that only give such an attribute to what their methods are called on."""
        return [path for path, heads in self._seen_writing(name) if name in heads.written]

    def _seen_writing(self, name: str) -> Iterator[tuple[str, ClassHeads]]:
        """What stands in the modules that seem to give an attribute of that name a value."""
        for path in self._paths_by_written.get(name.encode(), ()):
            data = self.contents[path]
            heads = class_heads_in(data) if isinstance(data, bytes) else None
            if heads is not None:
                yield path, heads

    def paths_beginning(self, name: str, *, are_any: bool) -> list[str]:
        """The paths of modules with texts that seem to hold the beginning of an attribute's name, and no more of it; with
        `are_any`, those where it may be filled in as a whole, too."""
        beginnings = (name[:length].encode() for length in range(not are_any, len(name)))
        return sorted({path for each in beginnings for path in self._paths_by_begun.get(each, ())})

    @kept_property
    def _paths_by_begun(self) -> dict[bytes, list[str]]:
        return self._by_glance(begun_in)

    @kept_property
    def _paths_by_written(self) -> dict[bytes, list[str]]:
        return self._by_glance(written_in)

    def _by_glance(self, glance: Callable[[bytes], Collection[bytes]]) -> dict[bytes, list[str]]:
        """The paths of modules by what a glance at each finds, in order."""
        found: dict[bytes, list[str]] = {}
        for path, data in self._modules_read:
            for name in glance(data):
                found.setdefault(name, []).append(path)
        return found

    @kept_until_changed
    def paths_matching(self, word: str, pattern: bytes) -> list[str]:
        """The paths of modules that hold a word, and something that a pattern with it matches."""
        compiled = re.compile(pattern)
        found = []
        for path in self.paths_mentioning(word):
            data = self.contents[path]
            if isinstance(data, bytes) and compiled.search(data):
                found.append(path)
        return found

    @kept_property
    def paths_with_rests(self) -> frozenset[str]:
        """The modules that seem to hand dictionaries of keywords on, at a glance."""
        return frozenset(path for path, data in self._modules_read if any(mark in data for mark in _REST_MARKS))

    def _paths_seen(self, look: Callable[[bytes], bool]) -> list[str]:
        """The project's modules of which a glance says yes, in order of their paths."""
        return [path for path, data in self._modules_read if look(data)]

    @kept_property
    def deriving_paths(self) -> list[str]:
        """The modules in which classes seem to have bases, in order of their paths."""
        return self._paths_seen(derives_classes)

    @kept_property
    def operator_paths(self) -> list[str]:
        """The modules that seem to say what operators do, in order of their paths."""
        return self._paths_seen(defines_operators)

    def deriving_files(self) -> Iterator[LinkedFile]:
        """The files of the project in which classes have bases, in order of their paths."""
        return self.reading(self.deriving_paths)

    @kept_until_changed
    def stands_in_quotes(self, word: str) -> bool:
        """Whether a word alone is a text in some module."""
        encoded = word.encode()
        texts = (b'"%b"' % encoded, b"'%b'" % encoded)
        return any(
            text in data
            for path in self.paths_mentioning(word)
            for data in [self.contents[path]]
            if isinstance(data, bytes)
            for text in texts
        )

    @cached_property
    def texts_beside(self) -> list[tuple[str, bytes]]:
        """The files that are no modules and in which names may stand, in order of their paths."""
        return [
            (path, data)
            for path, data in sorted(self.contents.items())
            if not is_python(path)
            and isinstance(data, bytes)
            and (is_document(path) or is_searched(path, data))
        ]

    @kept_property
    def lookup_paths(self) -> list[str]:
        """The modules that look attributes up by names that are not written out, at a glance."""
        return self._paths_seen(looks_up)

    @kept_property
    def naming_paths(self) -> list[str]:
        """The modules that may give classes names which are not written out, at a glance."""
        return self._paths_seen(names_members)

    @kept_property
    def class_making_paths(self) -> list[str]:
        """The files that seem to make classes by a call, of a table of names that may come from anywhere."""
        return self._paths_seen(makes_classes)

    @kept_property
    def frame_readers(self) -> dict[str, FrameReading]:
        """The modules that read the names of running functions, at a glance, and of which."""
        found = {path: read_frame_names(data) for path, data in self._modules_read}
        return {path: reading for path, reading in found.items() if reading}

    @kept_property
    def instruction_readers(self) -> list[str]:
        """The modules that seem to look at the instructions of functions, or to run them among other names."""
        return [
            path for path, data in self._modules_read if shows_instructions(data) or runs_code_elsewhere(data)
        ]

    @kept_property
    def runs_texts(self) -> bool:
        """Whether some module seems to run code that a text holds, at a glance."""
        return any(runs_text(data) for _, data in self._modules_read)

    @kept_property
    def runs_documents(self) -> bool:
        """Whether something seems to run the examples in documents, at a glance."""
        return any(
            _RUNS_DOCUMENTS.search(data)
            for data in self.contents.values()
            if isinstance(data, bytes) and any(word in data for word in _RUNNING_DOCUMENTS)
        )

    def stands_in_examples(self, word: str) -> bool:
        """Whether examples in documentation, which run as tests, hold a word."""
        return word.encode() in self._words_in_examples

    def stands_alone_in_examples(self, word: str) -> bool:
        """Whether examples in documentation may hold a word that is not called there, and so goes on as a value."""
        return self.stands_in_examples(word) and word.encode() in self._standing_in_examples

    @kept_property
    def _standing_in_examples(self) -> frozenset[bytes]:
        return self._seen_in_examples(standing_in_examples)

    def is_called_in_examples(self, word: str) -> bool:
        """Whether examples in documentation may call something of a name."""
        return self.stands_in_examples(word) and word.encode() in self._called_in_examples

    @kept_property
    def _called_in_examples(self) -> frozenset[bytes]:
        return self._seen_in_examples(called_in_examples)

    def is_called_with_rest_in_examples(self, word: str) -> bool:
        """Whether examples in documentation may call something with a dictionary of keywords."""
        return self.stands_in_examples(word) and word.encode() in self._called_with_rest_in_examples

    @kept_property
    def _called_with_rest_in_examples(self) -> frozenset[bytes]:
        return self._seen_in_examples(called_with_rest_in_examples)

    @kept_property
    def _words_in_examples(self) -> frozenset[bytes]:
        return self._seen_in_examples(example_words_in)

    def is_written_in_examples(self, name: str) -> bool:
        """Whether examples in documentation may give an attribute of that name a value."""
        return name.encode() in self._written_in_examples

    @kept_property
    def _written_in_examples(self) -> frozenset[bytes]:
        return self._seen_in_examples(written_in_examples)

    def _seen_in_examples(self, look: Callable[[bytes], frozenset[bytes]]) -> frozenset[bytes]:
        """What a glance at the examples of all modules shows, and at those of documents where these run."""
        seen = [look(data) for some in (self._modules_read, self.documents_run) for _, data in some]
        return frozenset[bytes]().union(*seen)

    @cached_property
    def documents_run(self) -> list[tuple[str, bytes]]:
        """The documents whose examples run, and what they hold."""
        return [(path, data) for path, data in self.texts_beside if b">>>" in data] if self.runs_documents else []

    @cached_property
    def examples_looking_up(self) -> list[tuple[str, bytes]]:
        """The files with examples in documentation that look names up which they work out, or run texts."""
        return [(path, data) for some in (self._modules_read, self.documents_run) for path, data in some if examples_look_up(data)]

    @kept_property
    def reads_documentation(self) -> bool:
        """Whether some module reads documentation while it runs, at a glance."""
        return any(
            _reads_documentation(data) for _, data in self._modules_read
        )

    @kept_property
    def all_loading_paths(self) -> list[str]:
        """The modules that load others by their names, or find loaded ones."""
        return self._paths_seen(_loads)

    @kept_property
    def reader_givers(self) -> dict[str, frozenset[str]]:
        """The files that give on a builtin which reads the names around its caller, and under which names."""
        return find_given_readers({path: data for path, data in self.contents.items() if isinstance(data, bytes) and is_python(path)})

    @kept_property
    def finding_paths(self) -> list[str]:
        """Those that load modules, and those that find out which one something is of, or what a dotted name means, or ask
        functions and frames for the names of their modules."""
        finding = (path for word in FINDING_WORDS for path in self.paths_mentioning(word))
        asking = (path for word in _GLOBALS_OF for path in self.paths_matching(word, _ASKED_OF_GLOBALS % word.encode()))
        return sorted({*self.all_loading_paths, *finding, *asking})

    @kept_property
    def loading_paths(self) -> list[str]:
        """The modules that load others by names that they work out, and look into what they loaded by
        names that they work out, too."""
        loading = frozenset(self.all_loading_paths)
        finding = frozenset(path for word in FINDING_WORDS for path in self.paths_matching(word, _FINDS_MODULES))
        return [
            path
            for path, data in self._modules_read
            if ((path in finding or (path in loading and self.takes_any_module(path))) and _LOOKS_INTO.search(data))
            or (path in finding and _RESOLVING in data)
            or _takes_names_run(data)
        ]

    def takes_any_module(self, path: str) -> bool:
        """Whether what a file loads or finds may be a module of the project, one that is run as a script
        included, in which it looks for more than it names."""
        data = self.contents[path]
        assert isinstance(data, bytes), "it was read"
        return _loads_unnamed(data) or any(
            (self.is_package(name) or name.startswith(".") or name == _MAIN) and not are_named
            for name, are_named in _loaded_by_name(data)
        )

    def names_loaded(self, path: str) -> frozenset[str] | None:
        """The absolute names of all modules that a file loads or takes from the loaded ones; `None` where some may be any."""
        data = self.contents[path]
        assert isinstance(data, bytes), "it was read"
        named = {name for name, _ in _loaded_by_name(data)}
        is_any = _loads_unnamed(data) or _takes_names_run(data) or _FINDING.search(data) is not None
        return None if is_any or any(name.startswith(".") or name == _MAIN for name in named) else frozenset(named)

    def find_module(self, dotted: str, beside: str = "") -> str | None:
        """The path of a module of the project by its absolute name, as the file at `beside` would find
        it; `None` where there is none, or more than one."""
        paths = self.paths_called(dotted)
        if len(paths) > 1:
            paths = [path for path in paths if self._root_of(path) == self._root_of(beside)]
        if not paths and beside:
            return self._found_beside(dotted, beside)
        return paths[0] if len(paths) == 1 else None

    def are_several(self, dotted: str) -> bool:
        """Whether several modules are called so, as folders of scripts have them."""
        return len(self.paths_called(dotted)) > 1

    def paths_called(self, dotted: str) -> list[str]:
        """The paths of all modules that are called so."""
        return self._paths_by_module.get(dotted, [])

    def _found_beside(self, dotted: str, path: str) -> str | None:
        """The path of a module that lies beside a file, or below: where that is run as a script, it looks there first."""
        folder = folder_of(path)
        inner = f"{folder}/{dotted.replace('.', '/')}".lstrip("/")
        if f"{folder}/{PACKAGE_MARK}".lstrip("/") in self.contents:
            return None
        return next((each for each in (f"{inner}.py", f"{inner}/{PACKAGE_MARK}") if each in self.modules), None)

    def own_name(self, dotted: str, beside: str) -> str:
        """What a module is called that a file calls by a dotted name: more, where a script calls one beside it."""
        path = self.find_module(dotted, beside)
        return self.modules[path] if path is not None else dotted

    def is_package(self, dotted: str) -> bool:
        """Whether a dotted name leads on to modules of the project."""
        return dotted in self._packages or dotted in self._paths_by_module

    def _root_of(self, path: str) -> str:
        module = self.modules.get(path, "").replace(".", "/")
        return path[: path.rfind(module)] if module and module in path else path.rpartition("/")[0]

    def library_file(self, dotted: str) -> LinkedFile | None:
        """A module of a library by its dotted name; `None` where its source cannot be read."""
        if dotted not in self._libraries:
            self._libraries[dotted] = ""
            if (found := self._library(dotted)) is not None:
                data, is_package = found
                path = LIBRARY + dotted.replace(".", "/") + ("/__init__.py" if is_package else ".py")
                self._files[path] = _read(path, dotted, data, self._memory)
                self._libraries[dotted] = path
        path = self._libraries[dotted]
        return self._files[path] if path else None

    def library_mentions(self, dotted: str, word: str) -> bool:
        """Whether the source of a library's module holds a word; without a source nothing is known."""
        found = self._library(dotted)
        return found is not None and word.encode() in words_in(found[0])

    def library_asks_others(self, dotted: str, name: str) -> bool:
        """Whether a library's module may ask something else than its own instances for an attribute, at a glance; without a
        source nothing is known."""
        found = self._library(dotted)
        return found is not None and name.encode() in found[0] and _asks_others(found[0], name.encode())

    def library_bears(self, dotted: str, name: str) -> bool:
        """Whether a library's module has a class with such a method, or sets such an attribute on its instances, at a
        glance: something else may stand for these. Without a source nothing is known."""
        found = self._library(dotted)
        return found is not None and name.encode() in found[0] and _bears(found[0], name.encode())

    def absolute(self, path: str, module: str) -> str:
        """The absolute dotted name of what a file imports as `module`, which may begin with dots."""
        return _absolute(module, self.modules.get(path, ""), is_package=_is_package(path))

    def module_of_import(self, file: LinkedFile, use: ImportUse) -> str:
        """The absolute name of the module that an import statement names, as the file knows it whose variable is its first part."""
        dotted = file.absolute(use.module)
        return self.own_name(dotted, file.path) if use.name or use.has_alias else dotted


def _absolute(module: str, importer: str, *, is_package: bool) -> str:
    """The absolute dotted name of what a module imports as `module`."""
    rest = module.lstrip(".")
    level = len(module) - len(rest)
    if not level:
        return module
    parts = importer.split(".") if importer else []
    n_dropped = level - 1 if is_package else level
    kept = parts[: max(len(parts) - n_dropped, 0)]
    return ".".join([*kept, rest] if rest else kept)


def _is_package(path: str) -> bool:
    return path.rpartition("/")[2].startswith("__init__.")


def _bears(data: bytes, name: bytes) -> bool:
    starts = (end - len(name) for end in ends_of_word(name, data, behind_dot=True))
    return any(_BEFORE_MEMBER.search(data, max(start - _LONGEST_BEFORE, 0), start) for start in starts)


def _asks_others(data: bytes, name: bytes) -> bool:
    return re.search(rb"(?<!\bself)(?<!\bcls)\.\s*%b\b|[\"']%b[\"']" % (name, name), data) is not None


@glance
def _loads(data: bytes) -> bool:
    """Whether a file loads modules by their names, or finds loaded ones, at a glance."""
    # The plain words first: a search for them is many times as fast.
    return any(word in data for word in _LOADING_MARKS) and _LOADS.search(data) is not None


@glance
def _loaded_by_name(data: bytes) -> tuple[tuple[str, bool], ...]:
    """The names by which a file loads modules or finds loaded ones, and whether each is only asked for names that are
    written out, at a glance."""
    return tuple((match[1].decode(), _only_names_are_taken(data, match)) for match in _LOADED_BY_NAME.finditer(data))


@glance
def _loads_unnamed(data: bytes) -> bool:
    """Whether a file loads modules by names that are not written out, at a glance."""
    return _LOADS.search(_IS_LOADED.sub(b"", _LOADED_BY_NAME.sub(b"", data))) is not None


@glance
def _takes_names_run(data: bytes) -> bool:
    """Whether a file runs modules and does something with the names that these have then, at a glance."""
    return b"runpy" in data and _TAKES_NAMES_RUN.search(data) is not None


@glance
def looks_up(data: bytes) -> bool:
    """Whether a file looks attributes up by names that are not written out, at a glance."""
    return any(word in data for word in _LOOKUP_WORDS) and _COMPUTED_LOOKUP.search(data) is not None


def _only_names_are_taken(data: bytes, taken: re.Match[bytes]) -> bool:
    """Whether the module that stands at a place is only asked for names that are written out: there, or
    by the variable that is set to it."""
    if _NAME_OF_IT.match(data, taken.end()):
        return True
    variable = _SET_TO.search(data, data.rfind(b"\n", 0, taken.start()) + 1, taken.start())
    if variable is None:
        return False
    name = re.escape(variable[1])
    plain = rb"\b(?:getattr|hasattr)\s*\(\s*%b\s*,\s*[\"']\w+[\"']|\b%b\s*(?:\.\s*(?!__dict__)\w|is\b|:|=)"
    uses = re.findall(rb"\b%b\b" % name, data)
    return len(re.findall(plain % (name, name), data)) == len(uses)


@glance
def _reads_documentation(data: bytes) -> bool:
    return any(word in data for word in _DOCUMENTATION_WORDS) and (
        _READS_DOCUMENTATION.search(data) is not None
    )


@lru_cache(maxsize=_MOST_FILES_KEPT)
def _parses(data: bytes) -> bool:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            ast.parse(data)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return False
    return True


@lru_cache(maxsize=_MOST_FILES_KEPT)
def _read(path: str, module: str, data: bytes, memory: Memory | None) -> LinkedFile | None:
    """Kept between versions of a project, of which most files are the same."""
    is_package = _is_package(path)
    known = memory.recall(data) if memory is not None else None
    if known is not None:
        return LinkedFile(path, module, is_package, data, *known)
    with without_collector():
        try:
            parsed = parse_shared(data)
            links = read_links(parsed)
        except (UnreadableSource, RecursionError):
            return None
        if memory is not None:
            memory.keep(data, parsed.facts, links)
        return LinkedFile(path, module, is_package, data, parsed.facts, links)
