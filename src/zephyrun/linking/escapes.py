"""What could read the name of a function or class while the program runs, beside its references."""

from __future__ import annotations

import ast
import re
from collections.abc import Collection, Iterable, Iterator, Sequence
from typing import NamedTuple

from zephyrun.facts import Role, ScopeKind
from zephyrun.link_facts import AttributeUse, ClassRecord, FunctionRecord, Handed, Origin, OriginSort, Use
from zephyrun.linking import name_bearers
from zephyrun.linking.asked_by_text import asked_by_text
from zephyrun.linking.fixtures import is_fixture
from zephyrun.linking.going_classes import is_class_kept
from zephyrun.linking.import_graph import reached_files, run_together
from zephyrun.linking.library_bases import LibraryBases
from zephyrun.linking.library_calls import LOOKING_AT_NO_NAMES
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.names_begun import may_begin_in
from zephyrun.linking.origins import origin_of
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.texts import FrameReading, holds_names_against_others, quoted_names
from zephyrun.linking.usage import Place, PlaceSort, Usage
from zephyrun.linking.value_sorts import ClassKey, Value, ValueSort, with_parts
from zephyrun.linking.values import Evaluator
from zephyrun.linking.whereabouts import GIVING_ATTRIBUTE, gets_to_unread, is_method_of_pattern, is_never_asked
from zephyrun.patterns import lazy_pattern

NAMES_ARE_SHOWN = "function names shown in logs, thread and task names and representations"
STORED_OBJECTS = "pickled or otherwise stored objects that name the thing"
# The beginning of a name is that of many when it is short.
_SHORT = 3
_FRAME_ATTRIBUTES = ("co_name", "co_qualname", "function", "name")
# What gives the function again.
_LEADS_BACK = lazy_pattern(r"\.\s*__(?:func|wrapped|get|call|class|self)__\b")
NAME_ATTRIBUTES = frozenset({"__name__", "__qualname__"})
# So many are asked whatever is known already.
_FEW_FILES = 100
# What calls what it is handed first with all the rest.
_CALLING_FIRST = frozenset({"map", "filter", "reduce", "starmap"})
_ASKED_FOR_ANYTHING = "__getattribute__"
_SPECIAL = "__"
# What holds the name of a function, too, and where that is read off the function itself.
_CODE = "__code__"
_HOLDS_CODE = lazy_pattern(r"__code__|(?:gi|cr|ag)_code")
_NAMES_OF_CODE = ("co_name", "co_qualname")
_READS_OFF_CODE = lazy_pattern(r"\.\s*__code__\s*\.\s*(co_(?:qual)?name)\b")
# Names read off something else than a class or instance by itself; a function is never `type(…)`.
_READS_NAME = lazy_pattern(rb"(?<!\bcls)(?<!__class__)\.__(?:qual)?name__\b|\bgetattr\b|\battrgetter\b")
_READS_NAME_OF_CLASS = lazy_pattern(
    rb"(?<!\bcls)(?<!self\.__class__)(?<!type\(self\))(?<!type\(cls\))\.__(?:qual)?name__\b|"
    rb"\bgetattr\b|\battrgetter\b"
)
_READS_OWN_NAME = lazy_pattern(r"(?:\bcls|self\.__class__|type\(self\)|type\(cls\))\.__(?:qual)?name__\b")
_REPRESENTING = "__repr__"
_REPRESENTATIONS = (_REPRESENTING, "__str__", "__format__")
# What is put into a text ends there, and what puts it in stands before.
_ENDS_THERE = lazy_pattern(r"\s*[)}\],!:]")
_FILLS_IN = lazy_pattern(r"%|\.format\(|\{")
_LOGS = lazy_pattern(r"(?:\w+\.)*_?log(?:ger|ging)?\.(?:debug|info|warning|warn|error|exception|critical|log)\(", re.IGNORECASE)
# Brackets of what is filled in, and others. A bracket behind nothing only holds together.
_BRACKETS = lazy_pattern(r"(?P<filling>%\s*\(|\.format\(|\{|(?:\A|[,+])\s*\()|[(\[]|(?P<closing>[)\]}])")
_LONGEST_RECEIVER = 32
# A name that is held against texts, and nothing else.
_COMPARED = lazy_pattern(r"\s*(?:[=!]=|(?:not\s+)?in\b)\s*([(\[{]?\s*(?:[\"'][^\"'\\\n]*[\"'][ \t]*,?[ \t]*)+[)\]}]?)")
_QUOTED = lazy_pattern(r"[\"']([^\"']*)[\"']")
_WRAPS = lazy_pattern(r"@(?:\w+\.)*wraps\(\s*[\w.]+\s*\)\s*(?:async\s+)?def\s+\Z")
_LOOKING_UP = GIVING_ATTRIBUTE | {"attrgetter"}
# What is no instance of a class of the project's own but of one below its own class.
_OF_LANGUAGE = frozenset({ValueSort.PLAIN, ValueSort.SERIES, ValueSort.TUPLE, ValueSort.MAPPING, ValueSort.OUTSIDE, ValueSort.FOREIGN})
_PLAIN_BASES = frozenset({"builtins.object", "abc.ABC", "typing.Generic", "typing.Protocol"})
_ANSWERING_METHODS = ("__getattr__", "__getattribute__")
_STORING = lazy_pattern(
    rb"\bimport\s+[^\n]*?\b(?:pickle|shelve|copyreg|marshal|multiprocessing)\b|"
    rb"\bfrom\s+(?:pickle|shelve|copyreg|multiprocessing)\b"
)
_LONGEST_ATTRIBUTE = 40
_COLLECTIONS = ("builtins.series.", "builtins.tuple.", "builtins.mapping.")


class _Ours(NamedTuple):
    """The functions or classes that bear a name, by their records; those that `are_plain` classes stand below
    none of the language's own but `object`."""

    are_classes: bool
    keys: frozenset[tuple[str, int]]
    are_plain: bool


class _NameRead(NamedTuple):
    """Where a name is read off something; with `words`, it is held against these and nothing else."""

    start: int
    words: tuple[str, ...] = ()


def check_name_readers(evaluator: Evaluator, usage: Usage, *, is_class: bool) -> None:
    """Doubts about everything that the function or class is handed to, and about code that reads
    names off what it is given."""
    functions = list(_functions(evaluator, usage)) if not is_class else []
    reads = [
        (file, place)
        for path, places in usage.by_path().items()
        if (file := evaluator.linkage.file(path)) is not None
        for place in places
        if place.sort is PlaceSort.READ and place.end not in file.links.called
    ]
    escapes = is_class or _has_other_holders(evaluator, usage, functions) or any(_goes_on(*each) for each in reads)
    # To follow a function takes longer than to look where it stands.
    is_followed = escapes and bool(functions) and all(
        is_never_asked(evaluator, *each, _telling_attributes(evaluator)) for each in functions
    )
    for file, place in reads if not is_followed else ():
        _doubt_place(evaluator, usage, file, place)
    if is_class:
        _doubt_where_handed(evaluator, usage)
    elif escapes and functions and not is_followed:
        _doubt_what_is_lost(evaluator, usage, functions, reads)
    usage.assume(NAMES_ARE_SHOWN)
    if not is_class:
        check_frame_readers(evaluator, usage)
    are_borne = bool(functions) and name_bearers.go_on(evaluator, usage, functions)
    if is_class and are_things_stored(evaluator):
        usage.assume(STORED_OBJECTS)
    if is_class and not usage.target.name.startswith("_"):
        _doubt_representations(evaluator, usage)
    if are_borne or (escapes and not is_followed and (is_class or not _has_name_of_another(evaluator, usage))):
        _check_readers_of_names(evaluator, usage, is_class=is_class)


def _doubt_where_handed(evaluator: Evaluator, usage: Usage) -> None:
    """Doubts about what a class that goes about as a value is handed to, where nobody speaks of it."""
    keys = _ours(evaluator, usage, is_class=True).keys
    if not any(is_class_kept(evaluator, key) for key in keys):
        return
    for path in evaluator.linkage.paths:
        if not is_worth_asking_all(evaluator, usage):
            return
        file = evaluator.linkage.file(path)
        for callee, start, end in _takers_of_classes(evaluator, path, keys) if file is not None else ():
            assert file is not None, "classes are handed over in it"
            place = Place(path, start, end, PlaceSort.READ)
            check_handed(evaluator, usage, file, callee, place, f"the name of `{usage.target.name}`")


def is_worth_asking_all(evaluator: Evaluator, usage: Usage) -> bool:
    """Whether to ask all files what they hand something to, also those that speak of nothing of it: that costs a lot, and in a
    large project it is only done as long as nothing else asks for a word."""
    is_asked = bool(usage.doubts or usage.open_places)
    return not usage.obstacles and (not is_asked or len(evaluator.linkage.paths) <= _FEW_FILES)


@once_a_version
def _takers_of_classes(evaluator: Evaluator, path: str, keys: frozenset[ClassKey]) -> list[tuple[Origin, int, int]]:
    """What a file hands some classes to, or what holds one of them, each with where: what is called, what that calls with what it is
    given, and what gets it as an attribute."""
    file = evaluator.file(path)
    called = {each.call: each.value for each in file.links.handed if each.position == 0 and each.callee.name in _CALLING_FIRST}
    given = [(each.callee, each.value, each.start, each.end) for each in file.links.handed]
    given += [(called[each.call], each.value, each.start, each.end) for each in file.links.handed if each.call in called]
    given += [
        (each.receiver, each.value, each.start, each.end)
        for each in file.links.attributes
        if each.use is Use.WRITE and any(value.sort is ValueSort.FOREIGN for value in evaluator.values(file, each.receiver))
    ]
    return [
        (taker, start, end)
        for taker, value, start, end in given
        if any(
            each.sort is ValueSort.CLASS and (each.path, each.number) in keys
            for each in with_parts(evaluator.values(file, value))
        )
    ]


def _doubt_representations(evaluator: Evaluator, usage: Usage) -> None:
    """A doubt where the representation of something shows instances of a class that has none of its own, by which it is called
    what it is called."""
    keys = _ours(evaluator, usage, is_class=True).keys
    above = {each for key in keys for each in evaluator.above(key)}
    if any(evaluator.defines(each, method) for each in above for method in _REPRESENTATIONS):
        return
    for file in evaluator.linkage.mentioning_any(set(_REPRESENTATIONS)):
        shown = [each for name in _REPRESENTATIONS for each in file.facts.definitions_by_name.get(name, ())]
        for use in file.links.attributes if shown else ():
            is_inside = any(each.start <= use.start < each.end for each in shown)
            if not is_inside or use.use is not Use.READ or not _is_filled_in(file, use):
                continue
            values = evaluator.values(file, Origin(OriginSort.ATTRIBUTE, use.name, -1, (use.receiver,)))
            if any(value.sort is ValueSort.INSTANCE and (value.path, value.number) in above for value in values):
                what = f"nothing depends on how {file.path} shows instances of `{usage.target.name}`"
                usage.doubt(what, file.path, use.start)
                return


def _is_filled_in(file: LinkedFile, use: AttributeUse) -> bool:
    """Whether an attribute, and nothing of it, is put into a text."""
    statement = file.facts.statements[file.facts.statement_at(use.start)]
    before = file.source.text[statement.start : use.start].rpartition("=")[2].removeprefix("return")
    return _ENDS_THERE.match(file.source.text, use.end) is not None and _FILLS_IN.search(before) is not None and _is_put_into_text(before)


def _doubt_what_is_lost(
    evaluator: Evaluator,
    usage: Usage,
    functions: Sequence[tuple[LinkedFile, FunctionRecord]],
    reads: Iterable[tuple[LinkedFile, Place]],
) -> None:
    """A doubt where a function gets on to what was not read by way of the project's own code, unless one says so already."""
    keys = [(file.path, file.links.functions.index(record)) for file, record in functions if not is_fixture(record)]
    going_on = [(file, place) for file, place in reads if _goes_on(file, place)]
    is_told = any(each.start == place.start and each.path == file.path for file, place in going_on for each in usage.doubts)
    if going_on and not is_told and any(gets_to_unread(evaluator, key) for key in keys):
        file, place = going_on[0]
        usage.doubt(
            f"what `{usage.target.name}` gets to from {file.path}, which was not read, does not look at its name", file.path, place.start
        )


@once_a_version
def are_things_stored(evaluator: Evaluator) -> bool:
    """Whether some code seems to store things with the names that they bear, at a glance."""
    contents = map(evaluator.linkage.contents.get, evaluator.linkage.paths)
    return any(isinstance(data, bytes) and _STORING.search(data) for data in contents)


@once_a_version
def _telling_attributes(evaluator: Evaluator) -> frozenset[str]:
    """The attributes of functions that may lead to their names in a project."""
    is_read_off_code = any(evaluator.linkage.paths_mentioning(word) for word in _NAMES_OF_CODE)
    return NAME_ATTRIBUTES | {_CODE} if is_read_off_code else NAME_ATTRIBUTES


def _functions(evaluator: Evaluator, usage: Usage) -> Iterator[tuple[LinkedFile, FunctionRecord]]:
    """The functions that bear the name."""
    for file, starts in _definitions(evaluator, usage):
        for record in file.links.functions:
            if record.name_start in starts:
                yield file, record


def check_instruction_readers(evaluator: Evaluator, usage: Usage, paths: Collection[str]) -> None:
    """Doubts about code that shows which names functions use: whoever hands it one, its file runs together with that one's."""
    for reader in evaluator.linkage.instruction_readers:
        if any(run_together(evaluator, path, reader) for path in paths):
            usage.doubt_reader(
                f"what looks at the instructions of functions in {reader} does not show `{usage.target.written}`", reader
            )


def check_frame_readers(evaluator: Evaluator, usage: Usage) -> None:
    """Doubts about code that reads the names of running functions: off the stack, where ours may be on it, or
    off the traceback of an exception, where ours is a name that it looks for, or begins like one. What
    tracebacks show else is no behaviour."""
    linkage = evaluator.linkage
    name = usage.target.written
    for path, reading in linkage.frame_readers.items():
        data = linkage.contents[path]
        assert isinstance(data, bytes), "it was read"
        what = f"what reads the names of running functions in {path} does not look for …"
        if reading is FrameReading.NEAR:
            is_on_stack = path in reached_files(evaluator, usage.target.path) or _lends_functions(evaluator, path)
        else:
            # Ours may call what calls that in the end, without knowing anything of it.
            is_on_stack = reading is not FrameReading.TRACEBACK and run_together(evaluator, usage.target.path, path)
        if reading is not FrameReading.NEAR or is_on_stack:
            # Ours may be on the way of an exception.
            usage.look_out(what, [each for each in quoted_names(data) if len(each) >= _SHORT], for_beginnings=True)
            usage.look_out(what, quoted_names(data))
            if holds_names_against_others(data):
                usage.look_out(what, _names_quoted_anywhere(evaluator))
                is_on_stack |= _may_be_said(evaluator, name)
        if is_on_stack:
            usage.doubt_reader(what.replace("…", f"`{name}`"), path)


@once_a_version
def _may_be_said(evaluator: Evaluator, name: str) -> bool:
    """Whether some text of the project holds a name, or a private one may be put together."""
    linkage = evaluator.linkage
    in_texts = (
        text.use != "documentation" and name in text.words for file in linkage.mentioning(name) for text in file.facts.texts
    )
    return any(in_texts) or (name.startswith("_") and any(may_begin_in(evaluator, path, name) for path in linkage.paths))


@once_a_version
def _names_quoted_anywhere(evaluator: Evaluator) -> frozenset[str]:
    contents = map(evaluator.linkage.contents.get, evaluator.linkage.paths)
    return frozenset().union(*(quoted_names(data) for data in contents if isinstance(data, bytes)))


@once_a_version
def _lends_functions(evaluator: Evaluator, path: str) -> bool:
    """Whether functions of a file that read the names of running ones get to others, which then call them without
    knowing the file."""
    file = evaluator.linkage.file(path)
    if file is None:
        return True
    reading: set[int] = set()
    for word in _FRAME_ATTRIBUTES:
        for use in file.links.attributes_by_name.get(word, ()):
            if any(each.kind is ScopeKind.LAMBDA and each.start <= use.start < each.end for each in file.facts.scopes):
                # One without a name may be anywhere.
                return True
            around = [each for each in file.facts.definitions if each.start <= use.start < each.end]
            reading.update(each.name_start for each in around)
    return any(_is_lent(evaluator, file, record) for record in file.links.functions if record.name_start in reading)


def _is_lent(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether a function stands anywhere without being called there, or may be called as a method by who does not know
    its file."""
    name = record.name
    if record.binding < 0 or name.startswith("__") or record.decorators:
        return True
    for other in evaluator.linkage.mentioning(name):
        facts, links = other.facts, other.links
        attributes = links.attributes_by_name.get(name, ())
        if file.path not in reached_files(evaluator, other.path):
            if record.owner >= 0 and attributes:
                return True
            continue
        if any(use.end not in links.called for use in attributes):
            return True
        if any(use.name == name and use.has_alias for use in links.imports):
            return True
        if any(text.words == name for text in facts.texts):
            return True
        if any(
            facts.references[index].role is Role.READ and facts.references[index].end not in links.called
            for binding in facts.bindings
            if binding.name == name
            for index in binding.references
        ):
            return True
    return False


def _has_other_holders(
    evaluator: Evaluator, usage: Usage, functions: Sequence[tuple[LinkedFile, FunctionRecord]]
) -> bool:
    """Whether a function goes where no place of its name is: to what decorates it, or under another name."""
    return any(
        not evaluator.is_harmless(file, decorator) for file, record in functions for decorator in record.decorators
    ) or any(
        place.sort is PlaceSort.IMPORT and any(use.start == place.start and use.has_alias for use in file.links.imports)
        for place in usage.places
        if (file := evaluator.linkage.file(place.path)) is not None
    )


def _goes_on(file: LinkedFile, place: Place) -> bool:
    """Whether what stands at a place goes on from there as a value."""
    after = _behind(file, place)
    return place.end in file.handed_by_end or not after.startswith(".") or _LEADS_BACK.match(after) is not None


def _behind(file: LinkedFile, place: Place) -> str:
    return file.source.text[place.end : place.end + _LONGEST_ATTRIBUTE].lstrip()


def _doubt_place(evaluator: Evaluator, usage: Usage, file: LinkedFile, place: Place) -> None:
    """A doubt where what stands at a place is handed on, or asked for its name."""
    name = usage.target.name
    if (hand := file.handed_by_end.get(place.end)) is not None:
        check_handed(evaluator, usage, file, hand.callee, place, f"the name of `{name}`")
        if _may_look_name_up(file, hand):
            usage.doubt(f"`{name}` is not asked for its own name in {file.path}", file.path, place.start)
        return
    after = _behind(file, place)
    for attribute in sorted({*NAME_ATTRIBUTES, _ASKED_FOR_ANYTHING}) if _LEADS_BACK.match(after) is None else ():
        if re.match(rf"\.\s*{attribute}\b", after):
            usage.doubt(f"`{name}.{attribute}` may give another text", file.path, place.start)
    if (found := _READS_OFF_CODE.match(after)) is not None:
        usage.doubt(f"`{name}.{_CODE}.{found[1]}` may give another text", file.path, place.start)


def _may_look_name_up(file: LinkedFile, handed: Handed) -> bool:
    """Whether what is handed over is asked for an attribute by a name that is put together (`getattr(weigh, "__na" + word)`)."""
    return handed.position == 0 and any(
        lookup.start < handed.start
        and lookup.receiver == handed.value
        and lookup.prefix.startswith(_SPECIAL)
        and any(map(lookup.may_find, NAME_ATTRIBUTES))
        for lookup in file.links.lookups
    )


def check_handed(
    evaluator: Evaluator,
    usage: Usage,
    file: LinkedFile,
    callee: Origin,
    place: Place,
    what: str,
    harmless: Collection[str] = LOOKING_AT_NO_NAMES,
    *,
    of_names: bool = False,
) -> None:
    """A doubt where something is handed to what was not read, and may look at it; `of_names` where it goes through names."""
    for value in evaluator.values(file, callee):
        if value.sort in (ValueSort.FUNCTION, ValueSort.CLASS):
            if evaluator.file(value.path).is_own:
                continue
        elif is_method_of_pattern(callee, value):
            continue
        elif value.sort is ValueSort.FOREIGN and (
            value.name in harmless or value.name.startswith(_COLLECTIONS)
        ):
            continue
        called = f"{_called(file, callee, value)} in {file.path}"
        usage.doubt(f"{called} does not look at {what}", file.path, place.start, of_names=of_names, called=called)


def _called(file: LinkedFile, callee: Origin, value: Value) -> str:
    if value.sort is ValueSort.FOREIGN:
        return f"`{value.name.removeprefix('builtins.')}`"
    return f"`{callee.name}`" if callee.name else "what is called"


def _check_readers_of_names(evaluator: Evaluator, usage: Usage, *, is_class: bool) -> None:
    """Doubts about code that reads `__name__`, told at a glance: what it is read off is seldom known.
    What a class reads off itself concerns itself and its relatives alone."""
    name = usage.target.name
    ours = _ours(evaluator, usage, is_class=is_class)
    relatives = _relatives(evaluator, usage) if is_class else frozenset()
    # How a class of the public shows its things is what it does; the closed list speaks of functions and of private classes.
    is_representation_free = not is_class or name.startswith("_")
    pattern = _READS_NAME_OF_CLASS if is_class else _READS_NAME
    for attribute in sorted(NAME_ATTRIBUTES):
        for path in evaluator.linkage.paths_mentioning(attribute):
            data = evaluator.linkage.contents[path]
            assert isinstance(data, bytes), "a word was found in it"
            what = f"what reads `{attribute}` in {path} does not depend on the name of …"
            file = evaluator.linkage.file(path)
            read_off: list[_NameRead] = []
            if file is None:
                read_off.append(_NameRead(0))
            else:
                own = _own_names_read(file, relatives, is_representation_free=is_representation_free)
                read_off += map(_NameRead, (*own, *asked_by_text(file, attribute)))
            if file is not None and pattern.search(data) is not None:
                read_off += _unknown_reads(evaluator, file, attribute, pattern, ours, is_representation_free=is_representation_free)
            usage.look_out(what, [word for each in read_off for word in each.words])
            asked_for_any = next((each for each in read_off if not each.words), None)
            if asked_for_any is not None:
                usage.doubt_reader(what.replace("…", f"`{name}`"), path, asked_for_any.start)
    for attribute in _NAMES_OF_CODE if not is_class else ():
        for file in evaluator.linkage.mentioning(attribute):
            if _reads_off_code(evaluator, file, attribute, ours):
                usage.doubt_reader(f"what reads `{attribute}` in {file.path} does not depend on the name of `{name}`", file.path)


def _reads_off_code(evaluator: Evaluator, file: LinkedFile, attribute: str, ours: _Ours) -> bool:
    """Whether a file may read the name off the code of one of ours; that of running ones is looked for elsewhere."""
    if any(True for _ in asked_by_text(file, attribute)):
        return True
    for use in file.links.attributes_by_name.get(attribute, ()) if _HOLDS_CODE.search(file.source.text) else ():
        code = use.receiver
        if code.sort is OriginSort.NAME:
            # A variable may hold the code.
            return True
        if code.sort is OriginSort.ATTRIBUTE and code.name != _CODE and _HOLDS_CODE.fullmatch(code.name):
            return True
        if code.sort is OriginSort.ATTRIBUTE and code.name == _CODE:
            if any(_may_bear_name(evaluator, value, ours) for value in evaluator.values(file, code.parts[0])):
                return True
    return False


def _ours(evaluator: Evaluator, usage: Usage, *, is_class: bool) -> _Ours:
    """The functions or classes that bear the name."""
    found: list[tuple[str, int]] = []
    for file, starts in _definitions(evaluator, usage):
        records: Sequence[FunctionRecord | ClassRecord] = file.links.classes if is_class else file.links.functions
        found += [(file.path, index) for index, record in enumerate(records) if record.name_start in starts]
    are_plain = is_class and all(
        not evaluator.unknown_above(key)
        and set(evaluator.foreign_above(key)) <= _PLAIN_BASES
        and all(evaluator.file(path).is_own for path, _ in evaluator.above(key))
        for key in found
    )
    return _Ours(is_class, frozenset(found), are_plain)


def _definitions(evaluator: Evaluator, usage: Usage) -> Iterator[tuple[LinkedFile, frozenset[int]]]:
    """The files that define the name, and where it starts there."""
    for path, places in usage.by_path().items():
        file = evaluator.linkage.file(path)
        starts = frozenset(place.start for place in places if place.sort is PlaceSort.DEFINITION)
        if file is not None and starts:
            yield file, starts


def _unknown_reads(
    evaluator: Evaluator,
    file: LinkedFile,
    attribute: str,
    pattern: re.Pattern[bytes],
    ours: _Ours,
    *,
    is_representation_free: bool,
) -> Iterator[_NameRead]:
    """Where a file reads a name off what may be a function or class that bears ours."""
    for use in file.links.attributes_by_name.get(attribute, ()):
        before = file.source.text[max(use.start - _LONGEST_RECEIVER, 0) : use.end]
        values = evaluator.values(file, use.receiver)
        if (
            use.use is Use.READ
            and not _is_shown(file, use.start, is_representation_free=is_representation_free)
            and pattern.search(before.encode())
            and any(_may_bear_name(evaluator, value, ours, attribute) for value in values)
            and not (ours.are_classes and _is_class_of_others(evaluator, file, use, ours))
        ):
            compared = _COMPARED.match(file.source.text, use.end)
            yield _NameRead(use.start, tuple(_QUOTED.findall(compared[1])) if compared is not None else ())
    for text in file.links.texts:
        if text.words != attribute or text.callee.name not in _LOOKING_UP:
            continue
        values = evaluator.values(file, text.arguments[0]) if text.position > 0 else frozenset()
        if not values or any(_may_bear_name(evaluator, value, ours) for value in values):
            yield _NameRead(text.start)


def _may_bear_name(evaluator: Evaluator, value: Value, ours: _Ours, attribute: str = "") -> bool:
    """Whether something may be one of ours, or give the name of one for its own, or as a part of it."""
    key = (value.path, value.number)
    if value.sort is ValueSort.INSTANCE:
        return bool(
            evaluator.unknown_above(key)
            or (ours.are_classes and "builtins.type" in evaluator.foreign_above(key))
            or any(
                evaluator.defines(each, hook) for each in evaluator.relatives(key) for hook in _ANSWERING_METHODS
            )
        )
    if value.sort is ValueSort.CLASS:
        return ours.are_classes and not ours.keys.isdisjoint([key, *evaluator.below(key)])
    if value.sort is ValueSort.FUNCTION:
        if _has_name_of_wrapped(evaluator, key):
            return True
        stands_inside = attribute == "__qualname__" and value.path in {path for path, _ in ours.keys}
        return stands_inside or (key in ours.keys and not ours.are_classes)
    if value.sort in (ValueSort.OUTSIDE, ValueSort.PLAIN):
        # What no code of the project made may still be an instance of a class below one of the language's.
        return ours.are_classes and not ours.are_plain
    return value.sort not in (ValueSort.FOREIGN, ValueSort.MODULE)


def _is_class_of_others(evaluator: Evaluator, file: LinkedFile, use: AttributeUse, ours: _Ours) -> bool:
    """Whether the name is that of the class of something (`type(error).__name__`) which is no instance of ours."""
    read = syntax_tree(file.data).attributes.get(use.end)
    match read.value if read is not None else None:
        case (
            ast.Call(func=ast.Name(id="type"), args=[ast.Name() | ast.Attribute() as thing], keywords=[])
            | ast.Attribute(value=ast.Name() | ast.Attribute() as thing, attr="__class__")
        ):
            values = evaluator.values(file, origin_of(file, thing))
        case _:
            return False
    bases = LibraryBases(evaluator, ours.keys)
    above = {each for key in ours.keys for each in evaluator.above(key)}
    return not any(evaluator.unknown_above(key) for key in ours.keys) and not any(
        (value.path, value.number) in above
        if value.sort is ValueSort.INSTANCE
        else value.sort not in _OF_LANGUAGE or bases.have_instance(value)
        for value in values
    )


def _has_name_of_wrapped(evaluator: Evaluator, key: tuple[str, int]) -> bool:
    """Whether a function has the name of what it wraps (`@functools.wraps(weigh)`)."""
    file, record = evaluator.file(key[0]), evaluator.function_record(key)
    return any(evaluator.decorator_name(file, each) == "functools.wraps" for each in record.decorators) or any(
        handed.callee.name == "update_wrapper"
        for other in evaluator.linkage.mentioning("update_wrapper")
        for handed in other.handed_by_word.get(record.name, ())
    )


def _has_name_of_another(evaluator: Evaluator, usage: Usage) -> bool:
    """Whether a function gets the name of another one before anybody sees it: `@functools.wraps(function)`
    stands right above it, or it is only handed to `functools.update_wrapper`."""
    file = evaluator.file(usage.target.path)
    starts = {place.start for place in usage.places if place.path == file.path}
    records = [record for record in file.links.functions if record.name_start in starts]
    return bool(records) and all(
        _is_wrapped_above(evaluator, file, record) or _is_only_wrapped(evaluator, file, record)
        for record in records
    )


def _is_wrapped_above(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord) -> bool:
    return (
        bool(record.decorators)
        and evaluator.decorator_name(file, record.decorators[-1]) == "functools.wraps"
        and _WRAPS.search(file.source.text[: record.name_start]) is not None
    )


def _is_only_wrapped(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord) -> bool:
    if record.decorators or record.binding < 0 or record.owner >= 0:
        return False
    references = [file.facts.references[each] for each in file.facts.bindings[record.binding].references]
    handed = [file.handed_by_end.get(each.end) for each in references if each.role is not Role.FUNCTION]
    return bool(handed) and all(
        hand is not None
        and [(each.position, each.keyword) for each in file.handed_by_call[hand.call]] == [(0, ""), (1, "")]
        and hand.position == 0
        and {evaluator.library_name(value) for value in evaluator.values(file, hand.callee)}
        == {"functools.update_wrapper"}
        for hand in handed
    )


def _relatives(evaluator: Evaluator, usage: Usage) -> frozenset[ClassKey]:
    """The classes that bear the name, and those above and below them."""
    target = usage.target
    file = evaluator.linkage.file(target.path)
    named = [index for index, record in enumerate(file.links.classes if file is not None else ()) if record.name == target.name]
    return frozenset(each for index in named for each in evaluator.relatives((target.path, index)))


def _own_names_read(file: LinkedFile, relatives: Collection[ClassKey], *, is_representation_free: bool) -> list[int]:
    """Where one of some classes reads the name off itself, in a file."""
    own = {file.links.classes[number].name_start for path, number in relatives if path == file.path}
    bodies = [each for each in file.facts.definitions if each.name_start in own]
    places = [match.start() for match in _READS_OWN_NAME.finditer(file.source.text)] if bodies else []
    return [
        place
        for place in places
        if any(body.start <= place < body.end for body in bodies)
        and not _is_shown(file, place, is_representation_free=is_representation_free)
    ]


def _is_shown(file: LinkedFile, place: int, *, is_representation_free: bool) -> bool:
    """Whether what stands at a place is only told by a logger or, where that counts for nothing, by the representation of
    something."""
    statement = file.facts.statements[file.facts.statement_at(place)]
    before = file.source.text[statement.start : place]
    if statement.sort == "expr" and (logs := _LOGS.match(before)) is not None:
        return _is_put_into_text(before[logs.end() :])
    if not is_representation_free:
        return False
    around = [each for each in file.facts.definitions if each.start <= place < each.end and each.sort is ScopeKind.FUNCTION]
    is_representing = bool(around) and max(around, key=lambda each: each.start).name == _REPRESENTING
    return is_representing and statement.sort == "return" and _is_put_into_text(before.removeprefix("return"))


def _is_put_into_text(before: str) -> bool:
    """Whether what stands behind some code of a statement is only put into a text there: nobody is handed it, and nothing
    asked for by it."""
    opened: list[bool] = []
    for bracket in _BRACKETS.finditer(before):
        if bracket["closing"]:
            del opened[-1:]
        else:
            opened.append(bracket["filling"] is not None)
    return all(opened)
