"""What each file of a project must know about the others before a name in it may change."""

from __future__ import annotations

import sys
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from functools import cached_property, partial

from zephyrun.languages.python import UnreadableSource, read_facts
from zephyrun.languages.python.embedding import code_in, is_stub
from zephyrun.languages.python.walk import FRAME_READERS
from zephyrun.linking.given_readers import find_given_readers
from zephyrun.linking.glances import glance
from zephyrun.linking.import_roots import find_import_roots
from zephyrun.linking.import_statements import names_imported
from zephyrun.linking.kept_answers import KeptAnswers
from zephyrun.linking.modules import is_python, is_test, module_name
from zephyrun.linking.texts import first_lines, is_searched, shows_instructions, without_comments, words_in
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.frame_readers import FrameReader
from zephyrun.proof.imports import Importers, imports_of, loads_by_name
from zephyrun.proof.later_names import LaterNames
from zephyrun.proof.namespace_walkers import NamespaceWalkers
from zephyrun.proof.python_versions import THIS_PYTHON, PythonVersion
from zephyrun.proof.quoted_lines import find_quoted_lines, quoted_in
from zephyrun.proof.remains import SOURCE_READERS, Surroundings, reads_source
from zephyrun.proof.set_builtins import sets_builtins_elsewhere

# A file's bytes, or one phrase that says why they are not read (`a symbolic link to ../shared`).
Content = bytes | str

# Only files that hold one of these words are looked at closely.
_SOURCE_MARKS = tuple(name.encode() for name in sorted(SOURCE_READERS))
_FRAME_MARKS = tuple(name.encode() for name in sorted(FRAME_READERS))
_READS_BY_NAME = (b"locals(", b"vars(", b"eval(", b"exec(", b"_getframe", b"currentframe", b"f_locals")
_READS_SOURCE = lazy_pattern(
    rb"(?:\.\s*|\bimport\b(?:\s*\([^)]*?|[^\n;]*?)\b)(?:%b)\b" % b"|".join(_SOURCE_MARKS)
)

# What takes the code in a file apart, or opens any, and what tells that it is one of Python.
_TAKES_CODE_APART = lazy_pattern(rb"\bast\b[^\n]*\bparse\b|\b(?:symtable|tokenize|pyclbr)\b")
_OPENS_CODE = lazy_pattern(rb"\b(?:open|read_text|read_bytes)\s*\([^\n]*(?:\.py[\"']|\b(?!__)\w+\.__file__)|\.py[\"'][^\n]*\.\s*read_(?:text|bytes)\s*\(")
_NAMES_CODE = lazy_pattern(rb"\.py[\"']|\breadmodule|\w\.__file__|\bgetsourcefile\b")

# What shows the members of a class in their order: the namespace of an instance is its own.
_WALKS_MEMBERS = lazy_pattern(rb"(?<!\bself\.)__dict__|\bvars\b(?!\s*\(\s*self\s*\))|getmembers|co_consts|co_names|__set_name__")
# What shows in which order functions stand in a file, or classes are made.
_TELLS_LINES = lazy_pattern(rb"co_firstlineno|__firstlineno__|getsourcelines|findsource|__subclasses__")
_LISTS_MEMBERS = lazy_pattern(rb"\b(?:dir|help|__dir__)\b|\bpydoc\b")
_READS_LOCALS = lazy_pattern(rb"\b(?:f_locals\b|locals\s*\()")
# What builds a project, its documentation or its environments, and is no part of the program.
_BUILDING = frozenset({"setup.py", "conf.py", "noxfile.py", "tasks.py", "fabfile.py"})


def find_surroundings(
    files: Mapping[str, Content],
    given_roots: Collection[str] = (),
    *,
    is_library: bool = False,
    oldest: PythonVersion = THIS_PYTHON,
    harmless_readers: Collection[str] = (),
    kept: KeptAnswers | None = None,
) -> Mapping[str, Surroundings]:
    """What each Python file of a tree must know about the others.

    `files` may hold any files: what is not Python is searched for what Python may find in it.
    `given_roots` are import roots beside those that show in the layout. Code outside hands a library
    things of any sort; `oldest` is the oldest version of Python for which the project is; `harmless_readers` are modules of
    which somebody says that they mind no other names, though they read variables or go through names; `kept` are answers of
    earlier runs about just these files. What is to know about one file alone is only found when it is asked for.
    """
    harmless = frozenset(harmless_readers)
    return _AllSurroundings(files, given_roots, kept or KeptAnswers(), is_library=is_library, oldest=oldest, harmless=harmless)


class _AllSurroundings(Mapping[str, Surroundings]):
    """The surroundings by path, each worked out when it is first asked for."""

    def __init__(
        self,
        files: Mapping[str, Content],
        given_roots: Collection[str],
        kept: KeptAnswers,
        *,
        is_library: bool,
        oldest: PythonVersion,
        harmless: frozenset[str],
    ) -> None:
        self._oldest = oldest
        self._harmless = harmless
        self._kept = kept
        self._texts = {
            path: data
            for path, data in files.items()
            if isinstance(data, bytes) and (is_python(path) or is_searched(path, data))
        }
        self._contents = {path: data for path, data in self._texts.items() if is_python(path)}
        import_roots = find_import_roots(self._contents, given_roots)
        self._modules = {path: module_name(path, import_roots) for path in self._contents}
        readable = {**self._contents, **_embedded(self._texts)}
        labels = {path: self._modules.get(path, path) for path in readable}
        given = kept.once("given readers", lambda: find_given_readers(readable))
        self._given = {labels[path]: names for path, names in given.items()}
        reading = kept.once("reading frames", lambda: list(_reading_frames(readable)))
        readers = {path: readable[path] for path in (*reading, *given)}
        self._frame_readers = frozenset(
            FrameReader(labels[path], data) for path, data in readers.items()
        )
        self._names_read = Importers(imports_of(readers, labels))
        self._walkers = NamespaceWalkers(readable, labels, self._modules)
        self._walks_members, self._tells_lines, self._are_builtins_set, counts = (
            kept.once(look.__name__, partial(_is_any, look, readable.values()))
            for look in (walks_members, tells_lines, sets_builtins_elsewhere, counts_members)
        )
        self._counts_members = self._walks_members or counts
        self._any_reads_source = kept.once("reads source", lambda: _any_reads_source(readable))
        self._quoted = kept.once("quoted lines", lambda: find_quoted_lines(self._texts))
        self._uses_libraries = is_library or kept.once(
            "uses libraries", lambda: _use_libraries(self._contents, self._modules.values())
        )
        tops = frozenset(module.partition(".")[0] for module in self._modules.values())
        self._shadowed = tops & sys.stdlib_module_names
        self._known: dict[str, Surroundings] = {}

    def __iter__(self) -> Iterator[str]:
        return iter(self._modules)

    def __len__(self) -> int:
        return len(self._modules)

    def __getitem__(self, path: str) -> Surroundings:
        if path not in self._known:
            module, data = self._modules[path], self._contents[path]
            readers = frozenset(each for each in self._frame_readers if each.module != module)
            read_by = (self._names_read.of(module) | self._givers_named_in(data)) - {module}
            modules_reading = frozenset(each.module for each in readers)
            self._known[path] = Surroundings(
                module,
                frozenset(each for each in readers if each.module not in self._harmless),
                read_by - self._harmless,
                # To find these takes long, and a rename may do without.
                LaterNames(lambda: self._walkers_of(module) - self._harmless),
                self._any_reads_source,
                quoted_in(data, self._quoted),
                self._words_elsewhere(data),
                self._uses_libraries,
                shadowed=self._shadowed,
                walks_members=self._walks_members,
                counts_members=self._counts_members,
                tells_lines=self._tells_lines,
                are_builtins_set=self._are_builtins_set,
                vouched_for=LaterNames(
                    lambda: self._harmless and self._harmless & (self._walkers_of(module) | modules_reading)
                ),
                oldest=self._oldest,
            )
        return self._known[path]

    def _walkers_of(self, module: str) -> frozenset[str]:
        return self._kept.once(("walkers", module), lambda: self._walkers.of(module))

    def _givers_named_in(self, data: bytes) -> set[str]:
        """The modules that give on what reads its caller's names, under a name that stands in a file: by way of others, too."""
        if not self._given:
            return set()
        words = words_in(data)
        return {module for module, names in self._given.items() if any(name and name.encode() in words for name in names)}

    def _words_elsewhere(self, data: bytes) -> frozenset[tuple[str, str]]:
        """For a file in which something reads names by name: which of its words stand in texts that are
        no Python, and where. What is filled into a template is among them."""
        if not any(mark in data for mark in _READS_BY_NAME):
            return frozenset()
        places = self._places_elsewhere
        return frozenset(
            (word.decode("utf-8", "replace"), places[word]) for word in words_in(data) & places.keys()
        )

    @cached_property
    def _places_elsewhere(self) -> dict[bytes, str]:
        """Where each word of the texts that are no Python first stands."""
        places: dict[bytes, str] = {}
        for path, data in self._texts.items():
            if not is_python(path):
                for word, line in first_lines(data).items():
                    places.setdefault(word, f"{path}, line {line}")
        return places


def _is_any(look: Callable[[bytes], bool], contents: Iterable[bytes]) -> bool:
    return any(map(look, contents))


def _any_reads_source(texts: Mapping[str, bytes]) -> bool:
    program = (data for path, data in texts.items() if path.rpartition("/")[2] not in _BUILDING)
    # One is enough, and short files are read sooner.
    return any(map(_reads_source, sorted(filter(_may_read_source, program), key=len)))


def _use_libraries(contents: Mapping[str, bytes], modules: Collection[str]) -> bool:
    """Whether a program uses any library but Python's own, at a glance. Tests and what builds the
    project are no part of the program; whatever loads modules by name may load any."""
    ours = {module.partition(".")[0] for module in modules}
    for path, data in contents.items():
        if is_test(path) or path.rpartition("/")[2] in _BUILDING:
            continue
        if loads_by_name(data):
            return True
        imported = {name.partition(".")[0] for name in names_imported(data)} - {""}
        if imported - ours - sys.stdlib_module_names:
            return True
    return False


def _embedded(texts: Mapping[str, bytes]) -> dict[str, bytes]:
    """The code in files that are no modules. Stubs do not run, so they read no names."""
    found = {
        path: code_in(path, data)
        for path, data in texts.items()
        if not is_python(path) and not is_stub(path)
    }
    return {path: code for path, code in found.items() if code is not None}


def _reading_frames(texts: Mapping[str, bytes]) -> dict[str, bytes]:
    return {
        path: data
        for path, data in texts.items()
        if _may_read_frames(data) and (not is_python(path) or _reads_frames_in_code(data))
    }


@glance
def _may_read_source(data: bytes) -> bool:
    return any(mark in data for mark in (*_SOURCE_MARKS, b".py", b".__file__", b"readmodule"))


@glance
def _may_read_frames(data: bytes) -> bool:
    return any(mark in data for mark in _FRAME_MARKS) or shows_instructions(data)


@glance
def _reads_frames_in_code(data: bytes) -> bool:
    """As the above, comments aside."""
    return _may_read_frames(without_comments(data))


@glance
def walks_members(data: bytes) -> bool:
    """Whether a file may see in which order the members of a class stand, at a glance."""
    return _WALKS_MEMBERS.search(data) is not None


@glance
def tells_lines(data: bytes) -> bool:
    """Whether a file may see in which order functions stand, by their lines, at a glance."""
    return _TELLS_LINES.search(data) is not None


@glance
def counts_members(data: bytes) -> bool:
    """Whether a file may see how many members a class has, at a glance."""
    return walks_members(data) or _LISTS_MEMBERS.search(data) is not None


@glance
def reads_locals(data: bytes) -> bool:
    """Whether a file may list the names of what stands around, as in the body of a class, at a glance."""
    return _READS_LOCALS.search(data) is not None


def _reads_source(data: bytes) -> bool:
    if _OPENS_CODE.search(data) is not None or (_TAKES_CODE_APART.search(data) is not None and _NAMES_CODE.search(data) is not None):
        return True
    if _READS_SOURCE.search(data) is None:
        return False
    try:
        return reads_source(read_facts(data))
    except UnreadableSource:
        return True
