"""Parts of a file that have become files of their own, put back where they are imported.

A file that only one of two versions has, and that one other file imports by its names, can be written out in that: the
same statements run when it is loaded, and the program can then be compared with the version that never had the file.
This holds where nobody can tell that one more module was there. So nothing else may import it, it may ask for nothing of
the project, no name may be set by one module and read in the other, and nothing may ask a module for its own name, file
or namespace.

The definitions then stand behind the imports of the file. The other version has them wherever their writer put them:
there, too, they are brought behind the imports, if nothing that runs on the way could ask for one before it is there.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence, Set
from typing import NamedTuple
from unicodedata import normalize

from zephyrun.facts import FileFacts, Role
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.linking.escapes import NAMES_ARE_SHOWN, STORED_OBJECTS
from zephyrun.linking.import_graph import reached_files
from zephyrun.linking.import_statements import names_imported
from zephyrun.linking.linkage import Content, LinkedFile
from zephyrun.linking.modules import imports_everything, is_python, is_test
from zephyrun.linking.search import find_usage
from zephyrun.linking.texts import words_in
from zephyrun.linking.usage import Place, PlaceSort, Target, TargetSort, Usage
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.call_stack import asks_for_callers
from zephyrun.proof.clashes import NameSeekers
from zephyrun.proof.definition_order import (
    Known,
    bound_names,
    is_plain_definition,
    is_plain_import,
    read_at_once,
)
from zephyrun.proof.imports import loads_modules
from zephyrun.proof.named_constants import namespace_reservations
from zephyrun.proof.normal_form import is_text_statement
from zephyrun.proof.python_versions import NEW_MODULES
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.renames import World

PARTED = "part of a file in a file of its own"

# Who adds more files than so many does other things, too.
_MOST_PARTS = 10
_ALL = "__all__"
_FUTURE = "__future__"
# Of what may be imported from there, the rest is so in every version of Python 3 that is read.
_STILL_TO_COME = frozenset({"annotations", "barry_as_FLUFL"})
# What asks a module for what it is, for all its names, or for where it stands.
_TELLING = frozenset(
    """__name__ __file__ __doc__ __spec__ __loader__ __package__ __path__ __builtins__ __dict__ __globals__ __annotations__
    __getattr__ __dir__ __module__ __warningregistry__ globals locals vars dir eval exec warn warnings inspect modules
    import_module __import__""".split()
)
# Of these, what a file may ask from which a part is taken: it keeps its name and place.
_ASKING_ITSELF = frozenset({"__name__", "__file__", "__doc__", "warn", "warnings"})
# What keeps objects with the names of their classes and modules.
_STORING = (b"pickle", b"shelve", b"marshal", b"dill", b"joblib")
# What runs a module once more, asks which are loaded, or tells which one a function is of.
_NOTICING = (
    *(b"reload", b"runpy", b"run_path", b"run_module", b"sys.modules", b"import modules"),
    *(b"__globals__", b"f_globals", b"co_filename", b"getmodule", b"getfile", b"getsource", b"findsource"),
)
_ALLOWED_SORTS = frozenset({PlaceSort.DEFINITION, PlaceSort.READ, PlaceSort.IMPORT, PlaceSort.COMMENT, PlaceSort.DOCUMENTATION})
_AT_IMPORTS = frozenset({PlaceSort.IMPORT, PlaceSort.COMMENT, PlaceSort.DOCUMENTATION, PlaceSort.DOCUMENT})
_IMPORTS = (ast.Import, ast.ImportFrom)
_WORD = lazy_pattern(r"\w+")
_DEFINED = lazy_pattern(rb"^(?:(?:async[ \t]+)?def|class)[ \t]+(\w+)", re.MULTILINE)


class Joined(NamedTuple):
    """Two versions of a project, the one with files put back into others, the other with what was in them brought to the
    same places: for each file that is gone the one that has its text now, and what that rests on."""

    files: Mapping[str, Content]
    other: Mapping[str, Content]
    homes: Mapping[str, str]
    assumed: tuple[str, ...]


def join_files(
    files: Mapping[str, Content], other: Mapping[str, Content], world: World, *, are_old: bool
) -> Joined | None:
    """One version with the files put back that the other one has not; `None` where there are none, or where something
    might notice. Code outside may use what the old version of a library had."""
    new = [path for path, data in files.items() if path not in other and is_python(path) and isinstance(data, bytes)]
    alone = [path for path in new if _may_be_part(path, files, other)] if len(new) <= _MOST_PARTS else []
    if not alone or any(_may_notice_modules(data) for data in (*_code_in(files), *_code_in(other))):
        return None
    found = Joined(files, other, {}, ())
    around = world.look_around(files), world.look_around(other)
    for _ in alone:
        evaluator = world.evaluator(found.files)
        rest = [path for path in sorted(alone) if path in found.files]
        more = next(filter(None, (_joined(evaluator, path, found, around, are_old=are_old) for path in rest)), None)
        if more is None:
            break
        found = more
    return found if found.homes else None


def _may_be_part(path: str, files: Mapping[str, Content], other: Mapping[str, Content]) -> bool:
    """Whether one file beside it imports a file, at a glance, and had its definitions in the other version."""
    name = path.rpartition("/")[2].partition(".")[0]
    homes = [
        each
        for each, data in files.items()
        if each != path and is_python(each) and isinstance(data, bytes) and name.encode() in data
        and any(name in imported.split(".") for imported in names_imported(data))
    ]
    if len(homes) != 1 or not _are_neighbours(path, homes[0]):
        return False
    data, before = files[path], other.get(homes[0])
    if not isinstance(data, bytes) or not isinstance(before, bytes) or before == files[homes[0]]:
        return False
    return set(_DEFINED.findall(data)) <= words_in(before)


def _code_in(files: Mapping[str, Content]) -> Iterator[bytes]:
    return (data for path, data in files.items() if is_python(path) and isinstance(data, bytes))


def _may_notice_modules(data: bytes) -> bool:
    """Whether a file seems to run modules anew, to ask which there are, or to look at what calls functions."""
    return any(word in data for word in _NOTICING) or asks_for_callers(data)


def _joined(
    evaluator: Evaluator,
    path: str,
    before: Joined,
    around: tuple[Mapping[str, Surroundings], Mapping[str, Surroundings]],
    *,
    are_old: bool,
) -> Joined | None:
    """The versions with one more file put back."""
    usage = find_usage(evaluator, Target(TargetSort.MODULE, path, evaluator.linkage.modules[path]))
    place = _only_import(usage, are_old=are_old)
    part, home = evaluator.linkage.file(path), evaluator.linkage.file(place.path) if place is not None else None
    there = before.other.get(home.path) if home is not None else None
    if place is None or part is None or home is None or not isinstance(there, bytes):
        return None
    nobody = Surroundings()
    if any(_is_looked_through(each.source.text, each.facts, around[0].get(each.path, nobody)) for each in (part, home)):
        return None
    try:
        found = _Part(evaluator, part, home, place, around[0].get(home.path, nobody))
        names = found.names_moved(before.other)
        lifted = _Lifted(there, names, around[1].get(home.path, nobody)).written() if names is not None else None
        written = found.written() if lifted is not None else None
    except UnreadableSource:
        return None
    if written is None or lifted is None:
        return None
    files = {each: content for each, content in before.files.items() if each != path} | {home.path: written}
    homes = {each: home.path if known == path else known for each, known in before.homes.items()} | {path: home.path}
    assumed = dict.fromkeys([*before.assumed, *usage.assumed, NAMES_ARE_SHOWN])
    if any(word in data for data in _code_in(before.files) for word in _STORING):
        assumed[STORED_OBJECTS] = None
    return Joined(files, {**before.other, home.path: lifted}, homes, tuple(assumed))


def _only_import(usage: Usage, *, are_old: bool) -> Place | None:
    """The one place at which a module is imported, if it is named nowhere else."""
    imported = [place for place in usage.places if place.sort is PlaceSort.IMPORT]
    if usage.obstacles or usage.open_places or _has_doubts(usage, are_old=are_old) or len(imported) != 1:
        return None
    return imported[0] if all(place.sort in _AT_IMPORTS for place in usage.places) else None


def _has_doubts(usage: Usage, *, are_old: bool) -> bool:
    """Whether somebody might notice: no code outside knows what only a new version has."""
    return any(are_old or not each.of_outsiders for each in usage.doubts)


def _is_looked_through(text: str, facts: FileFacts, around: Surroundings) -> bool:
    """Whether something goes through the names of a file, or asks for its lines."""
    if around.read_by or around.tells_lines or around.are_builtins_set or around.elsewhere:
        return True
    return any(True for _ in namespace_reservations(text, facts, around))


class _Part:
    """A file that another one imports by its names."""

    def __init__(
        self, evaluator: Evaluator, part: LinkedFile, home: LinkedFile, place: Place, around: Surroundings
    ) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._part = part
        self._home = home
        self._parsed = parse(part.data)
        self._parsed_home = parse(home.data)
        self._around = around
        self._statement = self._statement_at(place.start)

    def names_moved(self, other: Mapping[str, Content]) -> frozenset[str] | None:
        """The names that the file defines, if nobody could tell that the other one imports them."""
        if self._statement is None or not self._stands_alone(other):
            return None
        taken = {alias.name for alias in self._statement.names}
        if taken - self._part.module_bindings.keys() or not self._is_apart(taken):
            return None
        is_sure = all(map(self._is_set_once, taken)) and self._are_unknown(taken, other)
        known = Known.of(self._part.facts, self._parsed.tree.body, self._is_of_library)
        definitions = [each for each in self._statements if not isinstance(each, _IMPORTS)]
        if not is_sure or not all(is_plain_definition(each, known) for each in definitions):
            return None
        return frozenset[str]().union(*map(bound_names, definitions))

    def _is_of_library(self, module: str) -> bool:
        return module not in self._around.shadowed

    @property
    def _statements(self) -> list[ast.stmt]:
        """What the file does beside saying what it is."""
        return [each for each in self._parsed.tree.body if not _says_nothing(each)]

    def _statement_at(self, start: int) -> ast.ImportFrom | None:
        """The import of names that holds an offset, if it stands among the first ones and renames nothing."""
        for statement in _leading(self._parsed_home.tree.body):
            if self._parsed_home.start_of(statement) <= start < self._parsed_home.end_of(statement):
                is_plain = isinstance(statement, ast.ImportFrom) and all(
                    alias.name != "*" and alias.asname in (None, alias.name) for alias in statement.names
                )
                return statement if is_plain and isinstance(statement, ast.ImportFrom) else None
        return None

    # -- the file itself ---------------------------------------------------------------------

    def _stands_alone(self, other: Mapping[str, Content]) -> bool:
        """Whether the file is a module like any other, asks nobody who it is, and takes nothing from the project."""
        part, home = self._part, self._home
        if part.is_package or is_test(part.path) or is_test(home.path) or not _are_neighbours(part.path, home.path):
            return False
        if _words(part.data) & _TELLING or _words(home.data) & (_TELLING - _ASKING_ITSELF):
            return False
        if b">>>" in part.data or self._may_run_twice() or self._is_in_circle() or self._is_read_as_text():
            return False
        if part.source.encoding != home.source.encoding or part.source.has_mark or home.source.has_mark:
            return False
        if any(use.name == "*" for file in (part, home) for use in file.links.imports):
            # What is imported behind the names may be other things that are called so.
            return False
        imports = [each for each in self._statements if isinstance(each, _IMPORTS)]
        if not all(isinstance(each, ast.Import) and is_plain_import(each, self._is_of_library) for each in imports):
            return False
        return _futures(self._parsed) == _futures(self._parsed_home) and self._is_new(other)

    def _may_run_twice(self) -> bool:
        """Whether the file that imports may be run and imported, too: what it imports is run once then."""
        if b"__main__" not in self._home.data and self._home.path.rpartition("/")[2] != "__main__.py":
            return False
        return any(self._home.path in self._linkage.imported_by(path) for path in self._linkage.paths if path != self._home.path)

    def _is_read_as_text(self) -> bool:
        """Whether some file names the file that imports as a file, and may read it."""
        name = self._home.path.rpartition("/")[2].encode()
        return any(name in data for data in _code_in(self._linkage.contents))

    def _is_in_circle(self) -> bool:
        """Whether what the other file imports imports that in turn, and may see it before it has all its names."""
        home, imported = self._home.path, self._linkage.imported_by(self._home.path)
        reached = reached_files(self._evaluator, home) - {home}
        contents = (self._linkage.contents[path] for path in reached)
        return (
            home in imported
            or any(home in reached_files(self._evaluator, path) for path in imported)
            or any(isinstance(data, bytes) and loads_modules(data) for data in contents)
        )

    def _is_new(self, other: Mapping[str, Content]) -> bool:
        """Whether the module takes nobody's place: no module of a library, nothing that a package holds, and nothing that
        the other version imports."""
        package, _, name = self._part.module.rpartition(".")
        if name in sys.stdlib_module_names | NEW_MODULES:
            return False
        around = self._linkage.find_module(package, self._part.path) if package else None
        holder = self._linkage.file(around) if around is not None else None
        if holder is not None and (holder.path == self._home.path or {name, "__getattr__"} & holder.module_bindings.keys()):
            return False
        code = [*_code_in(other), *_code_in(self._linkage.contents)]
        if package and any(imports_everything(data) and name.encode() in words_in(data) for data in code):
            # A package has the modules in it as names, once they are imported.
            return False
        imported = (each for data in _code_in(other) if name.encode() in data for each in names_imported(data))
        return not any(name in each.split(".") for each in imported)

    # -- names -------------------------------------------------------------------------------

    def _is_apart(self, taken: Set[str]) -> bool:
        """Whether neither file means anything else by its names once both are one."""
        own = self._part.module_bindings.keys() - {_ALL}
        theirs = self._home.module_bindings.keys() - taken
        if any(not self._is_imported_alike(name) for name in own & theirs):
            return False
        read_here, read_there = _outside(self._part.facts), _outside(self._home.facts)
        return not (read_here & (theirs | taken) or read_there & (own - taken) or own & BUILTINS)

    def _is_imported_alike(self, name: str) -> bool:
        """Whether both files have a name from one import of a library, which nothing else sets."""
        meant = []
        for file in (self._part, self._home):
            binding = file.module_bindings[name]
            uses = [use for use in file.links.imports if use.binding == binding]
            if file.facts.roles(binding) - {Role.IMPORT, Role.READ} or len(uses) != 1:
                return False
            meant.append((file.absolute(uses[0].module), uses[0].name, uses[0].has_alias))
        return meant[0] == meant[1]

    def _is_set_once(self, name: str) -> bool:
        """Whether a name that is imported stands for one thing as long as the program runs."""
        if not all(_is_bound_once(file.facts, file.module_bindings[name]) for file in (self._part, self._home)):
            return False
        usage = find_usage(self._evaluator, Target(TargetSort.GLOBAL, self._part.path, name))
        if usage.obstacles or usage.open_places or _has_doubts(usage, are_old=False):
            return False
        return all(self._sets_nothing(place) for place in usage.places)

    def _sets_nothing(self, place: Place) -> bool:
        """Whether a place only reads a name, but for the one at which it is bound, and lists of exported names."""
        if place.sort is PlaceSort.WRITE:
            # It was seen that no other statement of the file does.
            return place.path == self._part.path
        if place.sort is not PlaceSort.TEXT:
            return place.sort in _ALLOWED_SORTS
        parsed = {self._part.path: self._parsed, self._home.path: self._parsed_home}.get(place.path)
        return parsed is not None and any(
            bound_names(each) == {_ALL} and parsed.start_of(each) <= place.start < parsed.end_of(each)
            for each in parsed.tree.body
        )

    def _are_unknown(self, taken: Set[str], other: Mapping[str, Content]) -> bool:
        """Whether nobody looks for the other names in the file that imports, where they are no longer."""
        left = self._part.module_bindings.keys() - taken - {_ALL} - self._home.module_bindings.keys()
        if self._linkage.is_library and any(not name.startswith("_") for name in left):
            return False
        return not any(NameSeekers(each).reasons_against(self._home.path, left) for each in (self._linkage.contents, other))

    # -- the text ----------------------------------------------------------------------------

    def written(self) -> bytes | None:
        """The text of the other file with this one behind its imports; `None` where lines are shared."""
        assert self._statement is not None, "somebody asked for the names"
        home, text = self._parsed_home, self._home.source.text
        leading = _leading(home.tree.body)
        ranges = [(each, lines) for each in leading if (lines := _lines_of(home, each)) is not None]
        if len(ranges) < len(leading):
            return None
        own = {ast.dump(each) for each in leading}
        statements = [each for each in self._statements if ast.dump(each) not in own]
        imports = "".join(f"{_text_of(self._parsed, each)}\n" for each in statements if isinstance(each, _IMPORTS))
        definitions = "".join(f"{_text_of(self._parsed, each)}\n" for each in statements if not isinstance(each, _IMPORTS))
        first = next(start for each, (start, _) in ranges if isinstance(each, _IMPORTS) and not _is_of_future(each))
        start, end = next(lines for each, lines in ranges if each is self._statement)
        _, (_, last) = ranges[-1]
        kept = text[first:start] + text[end:last]
        return _encoded(self._home.source.encoding, text[:first] + imports + kept + definitions + text[last:])


class _Lifted:
    """A file of the other version, of which the definitions of some names are brought behind the imports. Raises
    `UnreadableSource`."""

    def __init__(self, data: bytes, names: Set[str], around: Surroundings) -> None:
        self._parsed = parse(data)
        self._names = names
        self._around = around
        self._leading = _leading(self._parsed.tree.body)

    def written(self) -> bytes | None:
        """The text; `None` where something could ask for a name on the way."""
        parsed, facts = self._parsed, self._parsed.facts
        text = parsed.source.text
        if _words(parsed.source.to_bytes()) & (_TELLING - _ASKING_ITSELF) or _is_looked_through(text, facts, self._around):
            return None
        moved = [each for each in parsed.tree.body if bound_names(each) & self._names]
        if frozenset[str]().union(*map(bound_names, moved)) != self._names or not self._may_move(moved):
            return None
        ranges = [_lines_of(parsed, each) for each in [*self._leading, *moved]]
        if any(each is None for each in ranges):
            return None
        lines = [each for each in ranges if each is not None]
        place = max((end for _, end in lines[: len(self._leading)]), default=0)
        written, position = [text[:place], *(f"{_text_of(parsed, each)}\n" for each in moved)], place
        for start, end in sorted(lines[len(self._leading) :]):
            written.append(text[position:start])
            position = end
        return _encoded(parsed.source.encoding, "".join([*written, text[position:]]))

    def _may_move(self, moved: Sequence[ast.stmt]) -> bool:
        """Whether nothing that runs on the way could ask for a name before it is there: neither what stands on the way nor
        any function that it may call, be it one that it handed to somebody."""
        body, facts = self._parsed.tree.body, self._parsed.facts
        known = Known.of(facts, body, lambda module: module not in self._around.shadowed)
        if not all(is_plain_definition(each, known) for each in moved):
            return False
        bindings = [number for number, each in enumerate(facts.bindings) if not each.scope and each.name in self._names]
        if not all(_is_bound_once(facts, number) for number in bindings):
            return False
        there = known.builtins.union(*map(bound_names, self._leading))
        may_ask: set[str] = set()
        said_by: dict[str, set[str]] = {}
        rest = list(moved)
        for statement in body[len(self._leading) :]:
            if not rest:
                break
            # The language takes letters that are alike for one.
            words = set(_WORD.findall(normalize("NFKC", _text_of(self._parsed, statement))))
            if statement is rest[0]:
                names = bound_names(rest.pop(0))
                if set(read_at_once(statement)) - there or names & _all_said(may_ask, said_by):
                    return False
                there |= names
            if is_plain_definition(statement, known):
                said_by |= {name: words | said_by.get(name, set()) for name in bound_names(statement)}
                # What is worked out when a function is defined may be asked for something.
                may_ask |= set(read_at_once(statement))
            else:
                may_ask |= words
        return not rest


def _all_said(words: Iterable[str], said_by: Mapping[str, Set[str]]) -> set[str]:
    """All that some words lead to by what is said under these names."""
    found, rest = set(words), list(words)
    while rest:
        more = said_by.get(rest.pop(), frozenset()) - found
        found |= more
        rest += more
    return found


def _leading(body: Sequence[ast.stmt]) -> list[ast.stmt]:
    """What stands first in a module: its documentation and its imports."""
    found: list[ast.stmt] = []
    for statement in body:
        if not isinstance(statement, _IMPORTS) and not (is_text_statement(statement) and not found):
            break
        found.append(statement)
    return found


def _is_bound_once(facts: FileFacts, binding: int) -> bool:
    references = [facts.references[index] for index in facts.bindings[binding].references]
    return sum(each.role is not Role.READ for each in references) == 1


def _lines_of(parsed: ParsedFile, statement: ast.stmt) -> tuple[int, int] | None:
    """From where to where the lines of a statement go; `None` where others stand on them, too."""
    text = parsed.source.text
    start, end = _start_of(parsed, statement), parsed.end_of(statement)
    first = text.rfind("\n", 0, start) + 1
    last = text.find("\n", end) + 1 or len(text)
    is_alone = not text[first:start].strip() and not text[end:last].partition("#")[0].strip()
    return (first, last) if is_alone and text[last - 1 : last] == "\n" else None


def _start_of(parsed: ParsedFile, statement: ast.stmt) -> int:
    return min(map(parsed.start_of, [statement, *getattr(statement, "decorator_list", [])]))


def _text_of(parsed: ParsedFile, statement: ast.stmt) -> str:
    return parsed.source.text[_start_of(parsed, statement) : parsed.end_of(statement)]


def _encoded(encoding: str, text: str) -> bytes | None:
    """A text as it is written, if it can be."""
    try:
        return text.encode(encoding)
    except UnicodeError:
        return None


def _are_neighbours(path: str, other: str) -> bool:
    """Whether two files lie in one folder, so that what they import by dots is the same."""
    return path.rpartition("/")[0] == other.rpartition("/")[0]


def _words(data: bytes) -> set[str]:
    return {word.decode("utf-8", "replace") for word in words_in(data)}


def _is_of_future(statement: ast.stmt) -> bool:
    return isinstance(statement, ast.ImportFrom) and statement.module == _FUTURE


def _futures(parsed: ParsedFile) -> set[str]:
    """What a file takes from versions of the language to come that have not come."""
    return {
        alias.name
        for each in parsed.tree.body
        if isinstance(each, ast.ImportFrom) and _is_of_future(each)
        for alias in each.names
        if alias.name in _STILL_TO_COME
    }


def _says_nothing(statement: ast.stmt) -> bool:
    """Whether a statement is of no effect where a file is put into another one: its documentation, what it takes from
    versions to come, and which names it gives to who takes all."""
    if isinstance(statement, ast.Assign) and isinstance(statement.value, ast.List | ast.Tuple):
        is_list_of_names = [getattr(each, "id", "") for each in statement.targets] == [_ALL]
        return is_list_of_names and all(isinstance(each, ast.Constant) for each in statement.value.elts)
    return _is_of_future(statement) or is_text_statement(statement)


def _outside(facts: FileFacts) -> set[str]:
    """The names that a file reads and does not bind."""
    return {each.name for each in facts.bindings if each.outside}
