"""What could read the documentation of a module, a class or a function while a program runs, or what annotates it."""

from __future__ import annotations

import sys
from collections.abc import Collection, Iterator
from typing import NamedTuple

from zephyrun.facts import ScopeKind
from zephyrun.link_facts import ClassRecord, FunctionRecord, Origin
from zephyrun.linking.library_bases import LibraryBases
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.texts import runs_text
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, Value, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.linking.whereabouts import is_never_asked
from zephyrun.patterns import lazy_pattern

# A prompt, behind which examples stand that can be run.
RUN_EXAMPLE = lazy_pattern(r"(?m)^\s*>>>")
_NAMESPACE = "__dict__"
# What lists the names of something, and so gives names to look up, and what does so near by; at a glance.
_LISTING = lazy_pattern(r"\bdir\s*\(|\bgetmembers\b")
_TABLES = lazy_pattern(r"\bvars\s*\(|__dict__")
_ONLY_SETTING = ("setattr", "delattr", "hasattr")
# What gives the namespace of a module, and what takes one thing out of one, or puts it there.
_OWN_NAMESPACE = "globals"
_TAKES_ONE = lazy_pattern(
    r"\bglobals\s*\(\s*\)\s*(?:\[\s*[\"']\w+[\"']\s*\]|\.\s*(?:get|pop|setdefault)\s*\(\s*[\"']\w+[\"']\s*[,)])"
)
# A special name that a text begins, or fills in, and that goes on with what is worked out.
_BEGUN = r"__(?![A-Za-z]\w*__)"
_BEGINS_SPECIAL_NAME = lazy_pattern(rf"(?:\A|[.({{\[]){_BEGUN}")
_FILLS_SPECIAL_NAME_IN = lazy_pattern(rf"[.({{\[]{_BEGUN}")
_BEGINS_ONE_SOMEWHERE = lazy_pattern(rb"[\"'.({\[]%b" % _BEGUN.encode())
_LOOKING_UP_LATER = frozenset({"__getattribute__", "attrgetter"})


class Reading(NamedTuple):
    """Something that can be read off a function, class or module: what people call it, the attribute that holds it,
    those of a function that lead to it, and what of the library shows it, with words that give that away."""

    called: str
    attribute: str
    leading: frozenset[str]
    showing: frozenset[str]
    words: tuple[str, ...]


# Source: library reference.
DOCUMENTATION = Reading(
    "documentation",
    "__doc__",
    frozenset({"__doc__", "__code__"}),
    frozenset({"builtins.help", "inspect.getdoc", "inspect.getmembers", "pydoc.render_doc", "pydoc.getdoc"}),
    ("help", "getdoc", "getmembers", "pydoc", "vars"),
)
ANNOTATIONS = Reading(
    "annotations",
    "__annotations__",
    frozenset({"__annotations__", "__annotate__", "__signature__"}),
    frozenset(
        {
            "builtins.help", "inspect.getmembers", "pydoc.render_doc", "typing.get_type_hints", "inspect.signature",
            "inspect.get_annotations", "inspect.getfullargspec", "annotationlib.get_annotations",
            "annotationlib.call_annotate_function", "inspect.Signature.from_callable", "functools.singledispatch",
        }
    ),
    (
        "help", "getmembers", "pydoc", "vars", "get_type_hints", "signature", "get_annotations", "getfullargspec",
        "annotationlib", "from_callable", "singledispatch",
    ),
)
_ANYTHING = frozenset({UNKNOWN_VALUE})
_OF_CLASSES = (ValueSort.CLASS, ValueSort.INSTANCE, ValueSort.ABOVE)
# Classes of libraries that do not look at documentation. Source: library reference.
_INDIFFERENT = ("builtins.", "abc.", "typing.", "enum.", "collections.abc.", "collections.namedtuple", "dataclasses.")
# Those of them that can be read look methods up by the names that they know.
_INDIFFERENT_MODULES = frozenset({"abc", "collections.abc", "_collections_abc", "numbers"})
# Modules that are partly compiled, and have classes that are.
_COMPILED = frozenset({"io", "collections", "threading", "datetime", "weakref", "random", "decimal", "array", "queue"})


class _Look(NamedTuple):
    """A place at which code looks at the documentation of something, or its annotations, and what that may be; with
    `is_whole`, at that of all that it holds as well, and with `is_shown` by a library that shows it."""

    place: str
    values: frozenset[Value]
    is_whole: bool
    is_shown: bool = False

    @property
    def is_open(self) -> bool:
        """Whether it may be anything."""
        return any(value.sort is ValueSort.UNKNOWN for value in self.values)

    def is_at_module(self, path: str) -> bool:
        """Whether it may be the module of a file."""
        return any(value.sort is ValueSort.MODULE and value.path == path for value in self.values)

    def is_at_class(self, family: Collection[ClassKey]) -> bool:
        """Whether it may be one of some classes, or an instance of one."""
        return any(value.sort in _OF_CLASSES and (value.path, value.number) in family for value in self.values)


def reader_of_module(evaluator: Evaluator, path: str, reading: Reading = DOCUMENTATION) -> str:
    """What may read the documentation of a module, or its annotations, in a phrase; "" for nothing."""
    if _names_it(evaluator.file(path), reading):
        return f"{path} may read its own {reading.called}"
    for look in _looks(evaluator, reading):
        if look.is_open or look.is_at_module(path):
            return f"{look.place} may read the {reading.called} of the module"
    return ""


def reader_of_class(evaluator: Evaluator, path: str, record: ClassRecord) -> str:
    """What may read the documentation of a class, in a phrase; "" for nothing."""
    file = evaluator.file(path)
    key = (path, file.links.classes.index(record))
    if _names_it(file, DOCUMENTATION):
        return f"{path} may read its own documentation"
    if reason := _not_understood(evaluator, key, DOCUMENTATION):
        return reason
    family = evaluator.relatives(key)
    bases = LibraryBases(evaluator, [key])
    for look in _looks(evaluator, DOCUMENTATION):
        is_open = look.is_open or any(map(bases.have_instance, look.values))
        if is_open or look.is_at_class(family) or (look.is_whole and look.is_at_module(path)):
            return f"{look.place} may read the documentation of {record.name}"
    return ""


def reader_of_function(
    evaluator: Evaluator,
    path: str,
    record: FunctionRecord,
    reading: Reading = DOCUMENTATION,
    *,
    is_walked: bool,
) -> str:
    """What may read the documentation of a function or method, or its annotations, in a phrase; "" for nothing. With
    `is_walked`, something goes through all names of the module."""
    file = evaluator.file(path)
    for decorator in record.decorators:
        if not evaluator.is_harmless(file, decorator):
            return f"the decorator of {record.name} may read its {reading.called}"
    owner = (path, record.owner) if record.owner >= 0 else None
    if owner is not None and (reason := _not_understood(evaluator, owner, reading)):
        return reason
    if owner is not None and record.name.startswith("__") and record.name.endswith("__"):
        is_asked = _is_handed_on(evaluator, record.name)
    else:
        is_asked = not is_never_asked(evaluator, file, record, reading.leading)
    if is_asked:
        return f"what {record.name} is handed to may read its {reading.called}"
    if _is_wrapped(evaluator, file, record):
        for look in _looks(evaluator, reading):
            if look.is_open or any(value.sort is ValueSort.FUNCTION for value in look.values):
                return f"{look.place} may read the {reading.called} of what wraps {record.name}"
    family = evaluator.relatives(owner) if owner is not None else ()
    is_found = owner is not None or is_walked
    for look in _looks(evaluator, reading):
        if look.is_whole and not look.is_shown:
            # A namespace holds functions; what they hold has to be read off them.
            continue
        is_at_home = look.is_at_module(path) or look.is_at_class(family)
        is_possible = look.is_open and (is_found or look.is_shown)
        if is_possible or (look.is_whole and is_at_home):
            return f"{look.place} may read the {reading.called} of {record.name}"
    return ""


def _is_wrapped(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether another function gets what is told of one."""
    is_special = record.name.startswith("__") and record.name.endswith("__")
    return not is_special and not is_never_asked(evaluator, file, record, frozenset({"__wrapped__"}))


def _is_handed_on(evaluator: Evaluator, name: str) -> bool:
    """Whether some code does anything with a method that Python itself calls but call it."""
    return any(
        use.end not in file.links.called
        for file in evaluator.linkage.mentioning_any({name})
        for use in file.links.attributes_by_name.get(name, ())
    ) or any(
        text.words == name for file in evaluator.linkage.mentioning_any({name}) for text in file.links.texts
    )


def _names_it(file: LinkedFile, reading: Reading) -> bool:
    """Whether a file reads it of the module, or of the class around, by its bare name: be this put together, or one of
    all names that are there."""
    facts = file.facts
    if any(binding.name == reading.attribute for binding in facts.bindings):
        return True
    around = (ScopeKind.MODULE, ScopeKind.CLASS)
    if any(each.gives_namespace and facts.scopes[each.scope].kind in around for each in facts.exposures):
        return True
    if not any(binding.outside and binding.name == _OWN_NAMESPACE for binding in facts.bindings):
        return False
    # Whoever takes one thing out of it that is written there minds no other.
    rest = _TAKES_ONE.sub("", file.source.text)
    return _OWN_NAMESPACE in rest or any(text.words == reading.attribute for text in facts.texts)


def _are_names_listed(file: LinkedFile, start: int) -> bool:
    """Whether names of things are listed that code at an offset may look up: anywhere in the file, or in the function
    around."""
    text = file.source.text
    if _LISTING.search(text) is not None:
        return True
    around = file.facts.outermost_function(start)
    return (_TABLES.search(text) if around is None else _TABLES.search(text, around.start, around.end)) is not None


def _begins_special_name(file: LinkedFile) -> bool:
    """Whether a text of a file begins a special name and leaves open how it goes on."""
    return _BEGINS_ONE_SOMEWHERE.search(file.data) is not None and any(
        text.use != "documentation" and _BEGINS_SPECIAL_NAME.search(text.words) is not None for text in file.facts.texts
    )


@once_a_version
def _stands_in_parts(evaluator: Evaluator, reading: Reading) -> bool:
    """Whether the name of the attribute, or what is between its underscores, stands as a text anywhere."""
    inner = reading.attribute.strip("_")
    parts = {inner, f"__{inner}", f"{inner}__", reading.attribute}
    return any(
        text.words in parts and text.use != "documentation"
        for file in evaluator.linkage.mentioning_any(parts)
        for text in file.facts.texts
    )


def _not_understood(evaluator: Evaluator, key: ClassKey, reading: Reading) -> str:
    """What may look at all that a class holds: a decorator, a metaclass or a base."""
    file, record = evaluator.file(key[0]), evaluator.class_record(key)
    if not all(evaluator.is_harmless(file, decorator) for decorator in record.decorators):
        return f"the decorator of {record.name} may read {reading.called}"
    for each in evaluator.above(key):
        if evaluator.has_own_metaclass(each):
            return f"the metaclass of {record.name} may read {reading.called}"
        above = evaluator.file(each[0])
        is_read = not above.is_own and above.module not in _INDIFFERENT_MODULES
        looks = _looks_in(evaluator, above, reading) if is_read else ()
        if any(look.is_open or look.is_at_class(evaluator.relatives(key)) for look in looks):
            return f"a base of {record.name} may read {reading.called}"
    bases = [*evaluator.foreign_above(key), *evaluator.unknown_above(key)]
    for name in bases:
        if not name.startswith(_INDIFFERENT) and not _is_compiled(name):
            return f"{name}, a base of {record.name}, may read {reading.called}"
    return ""


def _is_compiled(name: str) -> bool:
    """Whether a class of that name stands in a part of the standard library that is no Python, and asks for little."""
    top = name.partition(".")[0]
    return top in sys.stdlib_module_names and (top.startswith("_") or top in _COMPILED)


def _looks(evaluator: Evaluator, reading: Reading) -> Iterator[_Look]:
    linkage = evaluator.linkage
    told = {file.path for file in linkage.mentioning_any({reading.attribute, _NAMESPACE, *reading.words})}
    for path in sorted(told.union(linkage.lookup_paths, _paths_with_texts_put_together(evaluator))):
        if (file := linkage.file(path)) is not None:
            yield from _looks_in(evaluator, file, reading)


@once_a_version
def _paths_with_texts_put_together(evaluator: Evaluator) -> frozenset[str]:
    """The files in which texts are run, or begin a special name, at a glance."""
    contents = evaluator.linkage.contents
    return frozenset(
        path
        for path in evaluator.linkage.paths
        if isinstance(data := contents[path], bytes)
        and (runs_text(data) or _BEGINS_ONE_SOMEWHERE.search(data) is not None)
    )


def _looks_in(evaluator: Evaluator, file: LinkedFile, reading: Reading) -> Iterator[_Look]:
    for name in (reading.attribute, _NAMESPACE):
        for use in file.links.attributes_by_name.get(name, ()):
            values = evaluator.values(file, use.receiver)
            yield _Look(_place(file, use.start), values, name == _NAMESPACE)
    for pattern in file.links.keywords:
        if pattern.in_pattern and pattern.name in (reading.attribute, _NAMESPACE):
            yield _Look(_place(file, pattern.start), _ANYTHING, pattern.name == _NAMESPACE)
    for text in file.links.texts:
        if text.words.rpartition(".")[2] == reading.attribute:
            beside = [evaluator.values(file, each.value) for each in file.handed_by_call.get(text.call, ())]
            # It is looked up in what the method belongs to, or in what is handed over later.
            is_anywhere = text.callee.name in _LOOKING_UP_LATER
            values = _ANYTHING if is_anywhere else frozenset().union(*beside) or _ANYTHING
            yield _Look(_place(file, text.start), values, False)
        elif text.words == _NAMESPACE and text.callee.name in _LOOKING_UP_LATER:
            yield _Look(_place(file, text.start), _ANYTHING, True)
    yield from _looks_by_texts(evaluator, file, reading)
    if not any(word in file.source.text for word in reading.words):
        return
    for handed in file.links.handed:
        is_shown = _shows(evaluator, file, handed.callee, reading)
        if is_shown or handed.callee.name == "vars":
            values = evaluator.values(file, handed.value)
            # A text is the name of something.
            is_text = any(value.sort is ValueSort.PLAIN for value in values)
            yield _Look(_place(file, handed.start), values | _ANYTHING if is_text else values, True, is_shown)


def _looks_by_texts(evaluator: Evaluator, file: LinkedFile, reading: Reading) -> Iterator[_Look]:
    """The looks at what a text asks for that is filled in or run, and those by names that are worked out."""
    is_begun = _begins_special_name(file)
    for text in file.facts.texts:
        is_asked = reading.attribute in text.words and text.words.rpartition(".")[2] != reading.attribute
        is_filled_in = is_begun and _FILLS_SPECIAL_NAME_IN.search(text.words) is not None
        if text.use != "documentation" and (is_asked or is_filled_in):
            yield _Look(_place(file, text.start), _ANYTHING, False)
    is_made = is_begun or _stands_in_parts(evaluator, reading)
    if is_made and runs_text(file.data):
        yield _Look(f"{file.path}, which runs texts,", _ANYTHING, False)
    for lookup in file.links.lookups:
        is_read = not file.source.text.startswith(_ONLY_SETTING, lookup.start)
        if is_read and lookup.may_find(reading.attribute) and (is_made or _are_names_listed(file, lookup.start)):
            yield _Look(_place(file, lookup.start), evaluator.values(file, lookup.receiver), False)


def _shows(evaluator: Evaluator, file: LinkedFile, callee: Origin, reading: Reading) -> bool:
    return any(evaluator.library_name(value) in reading.showing for value in evaluator.values(file, callee))


def _place(file: LinkedFile, start: int) -> str:
    return f"{file.path}, line {file.line_of(start)},"
