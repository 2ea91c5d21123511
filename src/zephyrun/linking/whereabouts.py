"""Where a function may get to as a value: followed from its definition through variables, parameters,
attributes, collections and what functions give.

What is followed is a value with the function somewhere in it, and a way to it: by a call where calling the
value gives what the rest of the way leads to, else to an element that is that. The answer is all
that is done with the function at the end of its ways, or that it got lost: it went to code that was not
read, or through something that is not followed. The idea is that of control flow analysis without contexts
(0-CFA; O. Shivers, "Control-Flow Analysis of Higher-Order Languages", 1991), over the names of attributes in
place of objects.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Callable, Iterable, Iterator, Set
from typing import Any, NamedTuple

from zephyrun.facts import Exposure, Role, ScopeKind
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.link_facts import (
    BY_POSITION,
    UNKNOWN,
    FunctionRecord,
    Handed,
    ImportUse,
    Lookup,
    Origin,
    OriginSort,
    ParameterRecord,
    ParameterSort,
    Use,
)
from zephyrun.linking.asked_by_text import asked_by_text
from zephyrun.linking.library_calls import (
    BEHIND_PROPERTIES,
    CALLING_AND_DROPPING,
    CHOOSING,
    COLLECTING,
    GIVING_BACK,
    KEPT_UNDER,
    LOOKING_ON,
    RUNNING_WITH_KEYWORDS,
    is_called_and_dropped,
)
from zephyrun.linking.linkage import LinkedFile, handed_to_decorator
from zephyrun.linking.modules_about import comes_of_loading
from zephyrun.linking.names_taken import (
    LISTING_NAMES,
    NAMESPACE,
    TAKING_MEMBERS,
    WORDS_LISTING,
    WORDS_TAKING,
    Listed,
    Taken,
    listed_in,
    may_be_listed,
    namespaces_taken,
)
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.set_by_name import is_called_like_class
from zephyrun.linking.sorted_out import are_functions_left_out, sorts_out_functions
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, function_around, syntax_tree
from zephyrun.linking.targets import functions_called
from zephyrun.linking.texts import words_in
from zephyrun.linking.texts_gone_through import texts_gone_through
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, FunctionKey, Value, ValueSort, Values
from zephyrun.linking.values import SAME_RESULT, Evaluator
from zephyrun.patterns import lazy_pattern


class Step(NamedTuple):
    """One step of the way to a function: a call, or to an element of a collection, under a `key` that is a text
    where that is known ("" for any). The key of a call says whether it is one that reading an attribute makes."""

    is_call: bool
    key: str = ""


Way = tuple[Step, ...]

_THE_THING: Way = ()
_CALLED: Way = (Step(True),)
_INSIDE: Way = (Step(False),)
# A property is called when an attribute is read.
_READ = Step(True, "read")
_LONGEST_WAY = 4
# As many calls as are told apart, or more.
_CALLED_ON_AND_ON: Way = (Step(True),) * _LONGEST_WAY
_MOST_SLOTS = 300
_MOST_FILES_FOR_ONE = 100


class Whereabouts(NamedTuple):
    """Where a function gets to. One that `is_lost` may be anywhere; one that is `offered` is so for code outside
    the project may have it. `keywords` are the places (paths and
    offsets) of keywords in calls of it under other names, `rests` of dictionaries of keywords there;
    `attributes` are read off it; `names` are of what has it."""

    is_lost: bool
    keywords: frozenset[tuple[str, int]] = frozenset()
    rests: frozenset[tuple[str, int]] = frozenset()
    attributes: frozenset[str] = frozenset()
    names: frozenset[str] = frozenset()
    is_offered: bool = False


class _Slot(NamedTuple):
    """Something that may hold the function: a binding of a file, or an attribute (`binding` is -1). The owner of
    an attribute is a class by its file and record, or a module (-1); without a path, whatever has one of that
    name, or of that what libraries make (-2)."""

    path: str
    binding: int
    name: str
    way: Way
    owner: int = -1

    @property
    def is_attribute(self) -> bool:
        """Whether it is an attribute of something."""
        return self.binding < 0

    @property
    def is_of_library(self) -> bool:
        """Whether it is an attribute of what libraries make."""
        return self.owner == _OF_LIBRARY[1]


class _Lost(Exception):
    """The function cannot be followed any further."""


class _Offered(_Lost):
    """Code outside the project may have the function."""


_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_DEFINITIONS = (*_FUNCTIONS, ast.ClassDef)
# What becomes of a function in these: nothing.
_ENDING = (ast.Expr, ast.Assert, ast.FormattedValue, ast.Delete, ast.If, ast.While, ast.arg)
# Operators hand their operands to methods of classes, on either side.
_COMPARING = tuple(f"__{name}__" for name in "eq ne lt le gt ge contains".split())
_ASKED_BY_KEY = ("__getitem__", "__setitem__", "__delitem__", "__missing__")
_JOINING = tuple(
    f"__{side}{name}__"
    for name in "add sub mul matmul truediv floordiv mod pow lshift rshift and or xor divmod".split()
    for side in ("", "r", "i")
)
# Under these names the language calls what a class has, by position.
_CALLED_BY_LANGUAGE = frozenset(
    """__getattr__ __getattribute__ __setattr__ __delattr__ __iter__ __next__ __reversed__ __len__ __bool__ __hash__
    __repr__ __str__ __format__ __enter__ __exit__ __get__ __set__ __delete__ __copy__ __deepcopy__""".split()
).union(_COMPARING, _ASKED_BY_KEY, _JOINING, (f"__i{name[2:]}" for name in _JOINING))
_LOOKING_UP = frozenset({"builtins.getattr", "builtins.hasattr", "builtins.setattr", "builtins.delattr"})
_LOOKING_UP_NAMES = frozenset("getattr __getattribute__ getattr_static attrgetter methodcaller".split())
GIVING_ATTRIBUTE = frozenset({"getattr", "__getattribute__", "getattr_static"})
_ASKING = frozenset("hasattr setattr delattr __setattr__ __delattr__".split())
_RUNNING_TEXTS = frozenset({"eval", "exec"})
_GIVING_NAMESPACE = frozenset({"locals", "vars"})
_WRAPPING = frozenset({"functools.wraps", "functools.update_wrapper"})
_OF_CLASSES = frozenset({ValueSort.INSTANCE, ValueSort.CLASS})
_HAVING = _OF_CLASSES | {ValueSort.ABOVE}
_KNOWN_HOLDERS = _HAVING | {ValueSort.MODULE}
_COLLECTION_SORTS = frozenset({ValueSort.MAPPING, ValueSort.SERIES, ValueSort.PLAIN})
_COLLECTIONS = ("builtins.series.", "builtins.tuple.", "builtins.mapping.")
_ADDING = {"append": 0, "add": 0, "appendleft": 0, "insert": 1, "setdefault": 1}
_ADDING_ALL = frozenset({"extend", "update", "extendleft"})
_TAKING_OUT = frozenset({"get", "pop", "popleft", "setdefault", "__getitem__"})
_LOOKING_FOR = frozenset({"remove", "index", "count", "discard", "__contains__"})
_LEADING_ON = frozenset("values items copy keys".split())
# Attributes that lead from a function to what it was made of, or to itself.
_LEADING_ELSEWHERE = frozenset("__get__ __func__ __self__ __wrapped__".split())
# What gives any attribute by its name, or all of them.
_ASKED_FOR_ANYTHING = frozenset("__getattribute__ __reduce__ __reduce_ex__ __getstate__".split())
_ATTRIBUTE_HOOKS = ("__getattr__", "__getattribute__", "__setattr__")
# Of these, a metaclass gets the names of a class behind the class, its name and its bases.
_MAKING_CLASSES = frozenset({"__new__", "__init__"})
_PLACE_OF_NAMESPACE = 3
_METACLASSES = frozenset({"builtins.type", "abc.ABCMeta", "enum.EnumMeta", "enum.EnumType"})
# What shows what a thing holds, and nothing of what is in a collection.
_LISTING = frozenset({"builtins.vars", "builtins.dir"})
# What functions, and collections of them, are no arguments for.
_TAKING_NUMBERS = frozenset(
    f"builtins.{name}" for name in "int float complex abs round divmod pow ord chr bin oct hex range bytes bytearray".split()
)
# What gives elements of a collection with something beside each.
_PAIRING = frozenset({"builtins.enumerate", "builtins.zip"})
_ONLY_COLLECTING = COLLECTING - CALLING_AND_DROPPING
# What makes one collection of several that stand in one.
_JOINING_ALL = frozenset({"builtins.sum", "itertools.chain.from_iterable"})
_OF_MEMBERS = ("value", "_value_")
_OF_PATTERNS = frozenset({"sub", "subn"})
_GOING_THROUGH_ALL = frozenset(word.encode() for word in WORDS_TAKING | WORDS_LISTING)
# The name of something in a module, in a text.
_FOUND_BY_TEXT = rb"[\"'][\w.]+[.:]%b\b"
_OWN_MODULE = lazy_pattern(r"modules\s*\[\s*__name__\s*\]")
# The names of a module of which some are only set.
_ONLY_SET = lazy_pattern(r"\(\)\s*(?:\[[^\]\n]*\]\s*=(?!=)|\.\s*update\b)")
_MATCHES = rb"\bmatch\b[^\n]*:[ \t\r]*\n\s*case\b"
_TAKING_APART = ("astuple", "asdict", "fields", "__match_args__", "__dataclass_fields__")
_READING_DEFAULTS = ("__defaults__", "__kwdefaults__", "signature", "getfullargspec", "getcallargs")
_IN_CELL, _OPENING_CELLS = "cell_contents", "getclosurevars"
# Stands for what owns the attributes of objects that libraries make.
_OF_LIBRARY = ("", -2)
_OF_PROPERTIES = frozenset({*BEHIND_PROPERTIES, "getter", "setter", "deleter"})
_DICTIONARY = "builtins.dict"
_PROPERTY, _CACHED_PROPERTY = "builtins.property", "functools.cached_property"
_TELLING_PARTS = ("__reduce__", "__reduce_ex__")
_UNWRAPPING = ("__wrapped__", "unwrap")
_ITS_CODE = "__code__"
_TRIVIAL_BASES = ("builtins.object", "builtins.Exception", "abc.ABC", "typing.Generic", "typing.Protocol")


@once_a_version
def whereabouts(evaluator: Evaluator, key: FunctionKey) -> Whereabouts:
    """Where a function of the project gets to; its index is that of its record."""
    file = evaluator.file(key[0])
    record = file.links.functions[key[1]]
    pursuit = _Pursuit(evaluator, record.name)
    try:
        pursuit.begin(file, record, _THE_THING)
        pursuit.finish()
    except _Lost as end:
        return Whereabouts(True, is_offered=isinstance(end, _Offered))
    return Whereabouts(
        False, frozenset(pursuit.keywords), frozenset(pursuit.rests), frozenset(pursuit.attributes), pursuit.names
    )


@once_a_version
def gets_to_unread(evaluator: Evaluator, key: FunctionKey) -> bool:
    """Whether a function may get to code that was not read, beside what looks it up in a namespace in which it stands."""
    file = evaluator.file(key[0])
    record = file.links.functions[key[1]]
    pursuit = _Pursuit(evaluator, record.name, minds_namespaces=False)
    try:
        pursuit.begin(file, record, _THE_THING)
        pursuit.finish()
    except _Lost:
        return True
    return False


def is_never_asked(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord, attributes: Set[str]) -> bool:
    """Whether a function can be followed wherever it gets to, and none of some attributes is read off it there."""
    found = whereabouts(evaluator, (file.path, file.links.functions.index(record)))
    return not found.is_lost and found.attributes.isdisjoint(attributes)


@once_a_version
def are_handlers_given_back(evaluator: Evaluator) -> bool:
    """Whether somebody asks what handles a signal, or takes what did so before."""
    linkage = evaluator.linkage
    return bool(linkage.paths_mentioning("getsignal")) or any(
        isinstance(node, ast.Call) and called_name(node) == "signal" and not isinstance(around, ast.Expr)
        for file in linkage.mentioning("signal")
        for node, around in syntax_tree(file.data).around.items()
    )


@once_a_version
def _are_cells_opened(evaluator: Evaluator) -> bool:
    """Whether somebody takes values out of the cells of functions, to do more than compare them."""
    linkage = evaluator.linkage
    return bool(linkage.paths_mentioning(_OPENING_CELLS)) or any(
        any(True for _ in asked_by_text(file, _IN_CELL))
        or any(_IN_CELL in text.words for text in file.links.texts)
        or any(
            use.use is Use.READ and not _is_held_against(_around_attribute(file, use.end))
            for use in file.links.attributes_by_name.get(_IN_CELL, ())
        )
        for file in linkage.mentioning(_IN_CELL)
    )


@once_a_version
def are_parts_told(evaluator: Evaluator, words: tuple[str, ...] = ()) -> bool:
    """Whether somebody asks things what they are made of, by some attributes or those that tell it of anything."""
    return any(
        file.links.attributes_by_name.get(word)
        for word in (*words, *_TELLING_PARTS)
        for file in evaluator.linkage.mentioning(word)
    )


class _Pursuit:
    """Follows one function. Raises `_Lost` where it cannot."""

    def __init__(self, evaluator: Evaluator, own_name: str, *, minds_namespaces: bool = True) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._own_name = own_name
        self._minds_namespaces = minds_namespaces
        self.keywords: set[tuple[str, int]] = set()
        self.rests: set[tuple[str, int]] = set()
        self.attributes: set[str] = set()
        self._slots: list[_Slot] = []
        self._seen: set[_Slot] = set()
        self._rules: dict[type[ast.AST], Callable[[LinkedFile, ast.AST, Any, Way], None]] = {
            ast.Call: self._in_call,
            ast.keyword: self._as_keyword,
            ast.Return: self._given_back,
            **dict.fromkeys((ast.Assign, ast.AnnAssign, ast.AugAssign, ast.NamedExpr), self._assigned),
            ast.Attribute: self._looked_into,
            **dict.fromkeys((ast.IfExp, ast.BoolOp), self._chosen),
            **dict.fromkeys((ast.List, ast.Tuple, ast.Set, ast.Dict), self._collected),
            **dict.fromkeys((ast.ListComp, ast.SetComp, ast.GeneratorExp, ast.DictComp), self._collected),
            **dict.fromkeys((ast.For, ast.AsyncFor, ast.comprehension), self._gone_through),
            ast.Subscript: self._indexed,
            ast.Starred: self._spread,
            ast.arguments: self._as_default,
            ast.Lambda: self._given_by_lambda,
            **dict.fromkeys(_DEFINITIONS, self._decorating),
            ast.UnaryOp: self._negated,
            ast.BinOp: self._joined,
            ast.Compare: self._compared,
            **dict.fromkeys((ast.Yield, ast.YieldFrom), self._yielded),
        }

    @property
    def names(self) -> frozenset[str]:
        """The names of all that has it."""
        return frozenset(slot.name for slot in self._seen)

    # -- what is still to be followed ----------------------------------------------------------

    def begin(self, file: LinkedFile, record: FunctionRecord, way: Way) -> None:
        """Follow a function of the project, or one that gives it."""
        if record.binding < 0:
            node = _lambda_of(syntax_tree(file.data), record)
            if node is None:
                raise _Lost
            self._follow(file, node, way)
            return
        if self._evaluator.is_property(file, record):
            # To read it is to call it, but by the function behind it.
            if way:
                for inner in _ways_after_call(way):
                    self._put(file, record.binding, inner)
                return
            names = {self._evaluator.decorator_name(file, each) for each in record.decorators}
            for attribute in KEPT_UNDER[_CACHED_PROPERTY if _CACHED_PROPERTY in names else _PROPERTY]:
                self._put_in_attribute(_OF_LIBRARY, attribute, way)
            return
        self._decorate(file, record, record.decorators, way)

    def _decorate(
        self, file: LinkedFile, record: FunctionRecord, decorators: tuple[Origin, ...], way: Way
    ) -> None:
        """A function, or what decorators below have made of it, is decorated, and bears the name."""
        for decorator in reversed(decorators):
            if not self._evaluator.is_harmless(file, decorator):
                handed = handed_to_decorator(record, decorator, UNKNOWN)
                for value in self._evaluator.values(file, decorator):
                    self._hand_to(file, value, handed, way)
                return
            if way and self._evaluator.decorator_name(file, decorator) not in SAME_RESULT:
                raise _Lost
        self._put(file, record.binding, way)

    def finish(self) -> None:
        """Follow everything to its end."""
        while self._slots:
            slot = self._slots.pop()
            if len(self._seen) > _MOST_SLOTS:
                raise _Lost
            if slot.is_attribute:
                self._leave_attribute(slot)
            else:
                self._leave_binding(self._evaluator.file(slot.path), slot)

    def _put(self, file: LinkedFile, binding: int, way: Way) -> None:
        """A variable, parameter or function's name may hold it."""
        self._note(_Slot(file.path, binding, file.facts.bindings[binding].name, way))

    def _put_in_attribute(self, owner: ClassKey, name: str, way: Way) -> None:
        """An attribute of instances or a module may hold it."""
        if way[:1] == (_READ,):
            if owner[1] < 0:
                raise _Lost
            way = way[1:]
        is_special = name.startswith("__") and name.endswith("__")
        if is_special and (way or name not in _CALLED_BY_LANGUAGE):
            raise _Lost
        self._note(_Slot(owner[0], -1, name, way, owner[1]))

    def _note(self, slot: _Slot) -> None:
        if self._is_offered(slot):
            raise _Offered
        if len(slot.way) > _LONGEST_WAY:
            if set(slot.way) != set(_CALLED):
                raise _Lost
            slot = slot._replace(way=_CALLED_ON_AND_ON)
        if slot not in self._seen:
            self._seen.add(slot)
            self._slots.append(slot)

    def _is_offered(self, slot: _Slot) -> bool:
        """Whether code outside the project may have it from there; that it has the function itself, where that is
        a public one, is for others to say."""
        is_itself = slot.name == self._own_name and slot.way == _THE_THING
        # Who only uses a thing does not look for the functions behind its properties.
        is_hidden = slot.name.startswith("_") or (slot.is_of_library and slot.name in BEHIND_PROPERTIES)
        if not self._linkage.is_library or is_hidden or is_itself:
            return False
        facts = self._evaluator.file(slot.path).facts if not slot.is_attribute else None
        return facts is None or facts.scopes[facts.bindings[slot.binding].scope].kind is ScopeKind.MODULE

    def _leave_binding(self, file: LinkedFile, slot: _Slot) -> None:
        """Every place that reads a name, in its file and in others."""
        facts = file.facts
        record = facts.bindings[slot.binding]
        kind = facts.scopes[record.scope].kind
        if self._minds_namespaces and any(self._gives(file, exposure, slot) for exposure in facts.exposures):
            raise _Lost
        if record.captured and _are_cells_opened(self._evaluator):
            raise _Lost
        for index in record.references:
            reference = facts.references[index]
            if reference.role is not Role.READ or self._is_only_called(file, reference.end, slot.way):
                continue
            node = syntax_tree(file.data).names.get(reference.start)
            if node is None:
                raise _Lost
            self._follow(file, node, slot.way)
        if kind is ScopeKind.CLASS:
            owner = (file.path, file.links.class_by_scope[record.scope])
            self._leave_by_namespaces(file, frozenset({Value(ValueSort.CLASS, *owner)}), slot.name, slot.way)
            self._put_in_attribute(owner, slot.name, slot.way)
            self._hand_to_metaclasses(owner, slot)
            if any(name.startswith("enum.") for name in self._evaluator.foreign_above(owner)):
                # The members of an enumeration have it.
                for attribute in _OF_MEMBERS:
                    self._put_in_attribute(owner, attribute, slot.way)
        elif kind is ScopeKind.MODULE:
            self._leave_module(file, slot)

    def _hand_to_metaclasses(self, owner: ClassKey, slot: _Slot) -> None:
        """What stands in the body of a class is in a dictionary that its metaclass is given."""
        for path, number in self._evaluator.metaclasses_of(self._evaluator.above(owner)):
            there = self._evaluator.file(path)
            for record in there.links.functions if there.is_own else ():
                if record.owner == number and record.name in _MAKING_CLASSES:
                    for parameter, inner in _taking(record, (_PLACE_OF_NAMESPACE,), "", _under(slot.name, slot.way)):
                        self._put(there, parameter.binding, inner)

    def _gives(self, file: LinkedFile, exposure: Exposure, slot: _Slot) -> bool:
        """Whether something may give the value of a variable by its name. What looks into frames shows what it finds
        there, and does not call it."""
        facts, scope = file.facts, file.facts.bindings[slot.binding].scope
        what = exposure.what.removesuffix("()")
        is_around = exposure.whole_file or scope in facts.ancestors(exposure.scope)
        if what in _RUNNING_TEXTS:
            return is_around and _stands_in_text(file, slot.name)
        is_own = exposure.whole_file or exposure.scope == scope or facts.scopes[scope].kind is ScopeKind.FUNCTION
        is_given = what in _GIVING_NAMESPACE and is_around and is_own
        return is_given and not (slot.way == _THE_THING and are_functions_left_out(self._evaluator, file, exposure.start))

    def _leave_module(self, file: LinkedFile, slot: _Slot) -> None:
        paths = self._linkage.paths_mentioning(slot.name)
        if self._linkage.finding_paths and self._linkage.paths_matching(slot.name, _FOUND_BY_TEXT % slot.name.encode()):
            raise _Lost
        if self._goes_on_in_examples(slot) or self._takes_globals(file, slot) or len(paths) > _MOST_FILES_FOR_ONE:
            raise _Lost
        self._leave_by_module_names(file, slot.name, slot.way)
        offering = self._modules_offering(file)
        for path in offering:
            self._put_in_attribute((path, -1), slot.name, slot.way)
        found = (self._linkage.file(path) for path in dict.fromkeys([*paths, *offering]) if path != file.path)
        others = [each for each in found if each is not None]
        if any(_runs_text_with(other, slot.name) for other in others):
            raise _Lost
        for other in others:
            for use in other.links.imports:
                if use.name not in (slot.name, "*") or self._module_imported(other, use) not in offering:
                    continue
                if use.name == "*":
                    for index, binding in enumerate(other.facts.bindings):
                        if binding.outside and binding.name == slot.name:
                            self._put(other, index, slot.way)
                elif use.binding < 0:
                    raise _Lost
                else:
                    self._put(other, use.binding, slot.way)

    def _takes_globals(self, file: LinkedFile, slot: _Slot) -> bool:
        """Whether a file takes the names of its module, to do more than set some, or to sort out what is no function."""
        places = [
            (reference.start, reference.end)
            for binding in file.facts.bindings
            if binding.outside and binding.name == "globals"
            for reference in (file.facts.references[index] for index in binding.references)
        ]
        return any(
            _ONLY_SET.match(file.source.text, end) is None
            and not (slot.way == _THE_THING and are_functions_left_out(self._evaluator, file, start))
            for start, end in places
        )

    def _leave_by_module_names(self, home: LinkedFile, name: str, way: Way) -> None:
        """Every place that takes something of a module by way of everything that it holds (`vars(hives).values()`)."""
        for file in self._linkage.mentioning_any(WORDS_TAKING):
            of_home: dict[Origin, bool] = {}
            for taken in namespaces_taken(self._evaluator, file, name, is_unwritten=self._is_unwritten(name)):
                if taken.origin not in of_home:
                    of_home[taken.origin] = any(
                        (value.sort is ValueSort.MODULE and value.path == home.path)
                        or (value == UNKNOWN_VALUE and self._may_be_module(file, taken.origin, home.path, name))
                        for value in self._evaluator.values(file, taken.origin)
                    )
                if of_home[taken.origin]:
                    self._follow_namespace(file, taken, name, way)

    def _goes_on_in_examples(self, slot: _Slot) -> bool:
        """Whether examples in documentation may have it from what bears a name, and hand it on or call it."""
        linkage = self._linkage
        if linkage.stands_alone_in_examples(slot.name):
            return True
        is_used = linkage.is_called_in_examples if slot.way[:1] == _CALLED else linkage.stands_in_examples
        return slot.way != _THE_THING and is_used(slot.name)

    def _modules_offering(self, file: LinkedFile) -> list[str]:
        """A module, and those that take everything of it along (`from weights import *`), by their paths."""
        found = [file.path]
        for path in found:
            short = self._evaluator.file(path).module.rpartition(".")[2]
            for other in self._linkage.mentioning(short):
                if other.path not in found and any(
                    use.name == "*" and self._module_imported(other, use) == path for use in other.links.imports
                ):
                    found.append(other.path)
        return found

    def _module_imported(self, file: LinkedFile, use: ImportUse) -> str | None:
        return self._linkage.find_module(self._linkage.module_of_import(file, use), file.path)

    def _leave_attribute(self, slot: _Slot) -> None:
        """Every place that reads an attribute of that name."""
        name = slot.name
        if self._goes_on_in_examples(slot):
            raise _Lost
        for path in self._linkage.lookup_paths:
            if (file := self._linkage.file(path)) is not None:
                self._leave_by_lookups(file, slot)
        captured = _names_captured(self._evaluator)
        if captured is None or name in captured:
            raise _Lost
        if slot.is_of_library and self._are_members_listed():
            raise _Lost
        for file in self._linkage.mentioning(name):
            if _runs_text_with(file, name):
                raise _Lost
            for text in file.links.texts:
                if text.callee.name in _LOOKING_UP_NAMES and name in text.words.split("."):
                    self._look_up_there(file, text.start, slot.way)
            for use in file.links.attributes_by_name.get(name, ()):
                if use.use is not Use.READ or not self._may_be_had_by(file, use.receiver, slot):
                    continue
                if self._is_only_called(file, use.end, slot.way):
                    continue
                node = syntax_tree(file.data).attributes.get(use.end)
                if node is None:
                    raise _Lost
                self._follow(file, node, slot.way)

    def _are_members_listed(self) -> bool:
        """Whether somebody takes all members of something that a library may have made."""
        return any(
            not all(map(self._is_made_here, self._evaluator.values(file, handed.value)))
            for word in TAKING_MEMBERS
            for file in self._linkage.mentioning(word)
            for handed in file.handed_by_callee.get(word, ())
            if handed.position == 0
        )

    def _leave_by_lookups(self, file: LinkedFile, slot: _Slot) -> None:
        """Every call that may look an attribute of that name up. A name of which nothing is known, in something
        of which nothing is known, may be any: it is taken for one of a method that is looked for, since what sorts
        messages does that, and not for one of what happens to hold the function."""
        is_method = slot.owner >= 0 and slot.name == self._own_name
        for lookup in file.links.lookups:
            if not lookup.may_find(slot.name) or not self._may_be_had_by(file, lookup.receiver, slot):
                continue
            if lookup.is_open and self._is_unwritten(slot.name) and not self._are_names_listed(file, lookup, slot):
                continue
            if lookup.is_open and not is_method and not self._is_likely(file, lookup.receiver, slot):
                continue
            # To read what a loop goes through takes long.
            texts = texts_gone_through(self._evaluator, file.path, lookup.binding) if lookup.is_open else None
            if texts is not None and slot.name not in texts:
                continue
            self._look_up_there(file, lookup.start, slot.way)

    def _are_names_listed(self, file: LinkedFile, lookup: Lookup, slot: _Slot) -> bool:
        """Whether a name that is looked up may be one of those that are listed: of who knows what in the file at hand, or of
        what surely has an attribute. A private name is seldom worked out, but may be found among them."""
        if not may_be_listed(file, lookup.binding):
            # What is put together or cut out in a file is no name that another one lists.
            return self._are_listed_in(file, slot, is_here=False)
        is_here = file.path == slot.path and self._are_listed_in(file, slot, is_here=True)
        return is_here or self._evaluator.answers.once(
            ("listed", slot.path, slot.owner, slot.name),
            lambda: any(self._are_listed_in(each, slot, is_here=False) for each in self._linkage.mentioning_any(WORDS_LISTING)),
        )

    def _are_listed_in(self, file: LinkedFile, slot: _Slot, *, is_here: bool) -> bool:
        return self._evaluator.answers.once(
            ("listed", file.path, is_here, slot.path, slot.owner, slot.name),
            lambda: any(self._may_list(file, listed, slot, is_here=is_here) for listed in listed_in(file)),
        )

    def _may_list(self, file: LinkedFile, listed: Listed, slot: _Slot, *, is_here: bool) -> bool:
        values = self._evaluator.values(file, listed.origin)
        if not listed.is_inherited and slot.owner >= 0 and self._evaluator.defines((slot.path, slot.owner), slot.name):
            # What stands in a class is in no namespace of its instances.
            values = frozenset(value for value in values if value.sort is not ValueSort.INSTANCE)
        is_module = slot.owner < 0 and bool(slot.path)
        if not is_here and not (is_module and self._may_be_module(file, listed.origin, slot.path, slot.name)):
            values = frozenset(value for value in values if value.sort in _KNOWN_HOLDERS)
        return self._may_have(values, slot)

    def _may_be_module(self, file: LinkedFile, origin: Origin, path: str, name: str) -> bool:
        """Whether something of which nothing is known may be a module: one that goes about, or any that is loaded there. What
        looks into those that it loads is taken to leave private names alone."""
        if self._is_new_module(file, origin):
            return False
        if self._evaluator.modules_about.may_be(path, origin, is_loaded=False):
            return True
        # The module itself is another matter.
        is_sought = not self._is_unwritten(name) or (file.path == path and _OWN_MODULE.search(file.source.text) is not None)
        return is_sought and comes_of_loading(file, origin)

    def _is_new_module(self, file: LinkedFile, origin: Origin) -> bool:
        """Whether something is a module that the program makes there, which has nothing of those that are loaded."""
        sources = file.links.sources.get(origin.binding, ()) if origin.sort is OriginSort.NAME else ()
        return bool(sources) and all(
            source.sort is OriginSort.CALL
            and {value.name for value in self._evaluator.values(file, source.parts[0])} == {"types.ModuleType"}
            for source in sources
        )

    def _is_unwritten(self, name: str) -> bool:
        """Whether a name is a private one, which is seldom worked out, and stands as a text nowhere."""
        return name.startswith("_") and not self._linkage.stands_in_quotes(name)

    def _is_likely(self, file: LinkedFile, receiver: Origin, slot: _Slot) -> bool:
        """Whether a name of which nothing is known may be sought in what holds the function: in what is known to be
        that, in something imported where it is a module, else in what the same file has of which nothing is known."""
        if slot.is_of_library:
            values = self._evaluator.values(file, receiver)
            if _is_imported(file, receiver):
                return False
            is_sought = self._linkage.stands_in_quotes(slot.name) or any(map(file.handed_by_callee.get, LISTING_NAMES))
            return any(value.name in KEPT_UNDER or (is_sought and value == UNKNOWN_VALUE) for value in values)
        if UNKNOWN_VALUE not in self._evaluator.values(file, receiver):
            return True
        if slot.owner >= 0 or not slot.path:
            return file.path == slot.path
        return _is_imported(file, receiver)

    def _is_only_called(self, file: LinkedFile, end: int, way: Way) -> bool:
        """Whether it is the function itself that stands in front of an offset, and is called there: that needs no
        tree. The keywords are noted."""
        if way or end not in file.links.called:
            return False
        self.keywords.update((file.path, use.start) for use in file.keywords_by_call.get(end, ()))
        self.rests.update((file.path, rest.start) for rest in file.rests_by_call.get(end, ()))
        return True

    def _may_be_had_by(self, file: LinkedFile, receiver: Origin, slot: _Slot) -> bool:
        """Whether what stands before a dot may be what has the attribute."""
        return self._may_have(self._evaluator.values(file, receiver), slot)

    def _may_have(self, values: Values, slot: _Slot) -> bool:
        if slot.is_of_library:
            return not all(map(self._is_made_here, values))
        for value in values:
            if value.sort in _HAVING:
                key = (value.path, value.number)
                keys = [key] if value.sort is ValueSort.INSTANCE else [key, *self._evaluator.metaclasses_of(self._evaluator.above(key))]
                owner = (slot.path, slot.owner)
                if not slot.path or (slot.owner >= 0 and any(owner in self._evaluator.relatives(each) for each in keys)):
                    return True
            elif value.sort is ValueSort.MODULE:
                if not slot.path or (slot.owner < 0 and value.path == slot.path):
                    return True
            elif value.sort in (ValueSort.UNKNOWN, ValueSort.PACKAGE, ValueSort.FUNCTION):
                return True
        return False

    def _is_made_here(self, value: Value) -> bool:
        """Whether a value is surely nothing that a library makes or that is below such a class."""
        if value.sort in _HAVING:
            key = (value.path, value.number)
            return not self._evaluator.foreign_above(key) and not self._evaluator.unknown_above(key)
        return value.sort in (ValueSort.MODULE, ValueSort.FUNCTION)

    def _look_up_there(self, file: LinkedFile, start: int, way: Way) -> None:
        """A call may give an attribute that holds it; the call or its name begins at `start`."""
        call = syntax_tree(file.data).lookups.get(start)
        if call is None:
            raise _Lost
        if called_name(call) in GIVING_ATTRIBUTE:
            self._follow(file, call, way)
        elif called_name(call) == "attrgetter":
            self._follow(file, call, (*_CALLED, *way))
        elif called_name(call) not in _ASKING:
            raise _Lost

    # -- one step ------------------------------------------------------------------------------

    def _follow(self, file: LinkedFile, node: ast.AST, way: Way) -> None:
        """What becomes of a value where it stands."""
        around = syntax_tree(file.data).around[node]
        if isinstance(around, _ENDING):
            return
        if (rule := self._rules.get(type(around))) is None:
            raise _Lost
        rule(file, node, around, way)

    def _in_call(self, file: LinkedFile, node: ast.AST, call: ast.Call, way: Way) -> None:
        if node is call.func:
            self._call(file, call, way)
            return
        self._hand(file, call, _handed(file, node), way)

    def _as_keyword(self, file: LinkedFile, node: ast.AST, keyword: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        call = tree.around[keyword]
        if not isinstance(call, ast.Call):
            raise _Lost
        self._hand(file, call, _handed(file, node), way)

    def _call(self, file: LinkedFile, call: ast.Call, way: Way) -> None:
        """The value is called."""
        tree = syntax_tree(file.data)
        if way:
            # Neither a collection nor a property can be called.
            if way[0].is_call and way[0] != _READ:
                for inner in _ways_after_call(way):
                    self._follow(file, call, inner)
            return
        for keyword in call.keywords:
            found = self.rests if keyword.arg is None else self.keywords
            start = tree.start_of(keyword.value if keyword.arg is None else keyword)
            found.add((file.path, start))

    def _hand(self, file: LinkedFile, call: ast.Call, handed: Handed | None, way: Way) -> None:
        """The value is handed to a call."""
        if handed is None or handed.keyword in ("*", "…"):
            raise _Lost
        if handed.keyword == "**":
            self._spread_over(file, handed, way)
            return
        if way and self._makes_class(file, handed):
            self._put_in_class(way)
            return
        for value in self._evaluator.values(file, handed.callee):
            if value.sort in (ValueSort.FUNCTION, ValueSort.CLASS) and self._evaluator.file(value.path).is_own:
                self._hand_to(file, value, handed, way)
            else:
                self._hand_to_library(file, call, handed, value, way)

    def _makes_class(self, file: LinkedFile, handed: Handed) -> bool:
        """Whether a metaclass gives those above it what is to be in a class, which make that."""
        callee = handed.callee
        if callee.name not in _MAKING_CLASSES or callee.sort is not OriginSort.ATTRIBUTE:
            return False
        values = self._evaluator.values(file, callee.parts[0])
        return all(
            not _METACLASSES.isdisjoint(self._evaluator.foreign_above((value.path, value.number)))
            if value.sort is ValueSort.ABOVE
            else value.name in _METACLASSES
            for value in values
        )

    def _put_in_class(self, way: Way) -> None:
        """A class is made of a dictionary that has the value in it."""
        if way == _under(self._own_name, _THE_THING):
            # It stands in the body of the class, and is followed from there.
            return
        if not _is_inside(way) or not way[0].key:
            raise _Lost
        self._put_in_attribute(("", -1), way[0].key, way[1:])

    def _hand_to_library(
        self, file: LinkedFile, call: ast.Call, handed: Handed, value: Value, way: Way
    ) -> None:
        name = self._evaluator.library_name(value)
        if (results := _ways_of_result(name, handed, way)) is not None:
            if _is_inside(way) and name in COLLECTING | CHOOSING:
                self._hand_to_key(file, call, way)
            if name == "functools.partial":
                self._call(file, call, ())
            for inner in results:
                self._follow(file, call, inner)
        elif name in _LOOKING_UP and handed.position == 0:
            self._look_up(file, call, name, way)
        elif name in _WRAPPING and handed.position == (name != "functools.wraps") and not way:
            if any(self._linkage.paths_mentioning(word) for word in _UNWRAPPING):
                raise _Lost
            self.attributes.update(("__name__", "__wrapped__"))
        elif name == _PROPERTY and way[:1] == _CALLED:
            self._keep_getter(file, call, handed, way)
        elif name in _LISTING and handed.position == 0:
            if not way:
                self._read_off(NAMESPACE)
        elif name.startswith(_COLLECTIONS) and isinstance(call.func, ast.Attribute):
            self._put_into(file, call, call.func, handed, way)
        elif not way and name in KEPT_UNDER:
            self._keep(file, call, KEPT_UNDER[name])
        elif name in LOOKING_ON and not (name == "builtins.type" and len(call.args) > 1):
            self._hand_to_methods(("__instancecheck__", "__subclasscheck__"), way)
        elif not way and RUNNING_WITH_KEYWORDS.get(name) == handed.position:
            self._call(file, call, way)
        elif way or not (
            self._is_dropped_by(name, handed) or self._is_sorting(handed) or is_method_of_pattern(handed.callee, value)
        ):
            raise _Lost

    def _keep_getter(self, file: LinkedFile, call: ast.Call, handed: Handed, way: Way) -> None:
        """A property is made with what gives the value when it is called."""
        behind = KEPT_UNDER[_PROPERTY]
        attributes = [handed.keyword] if handed.keyword else behind[handed.position :][:1]
        for attribute in attributes:
            self._put_in_attribute(_OF_LIBRARY, attribute, way)
        if behind[0] in attributes:
            self._follow(file, call, (_READ, *way[1:]))

    def _keep(self, file: LinkedFile, call: ast.Call, attributes: Iterable[str]) -> None:
        """A library object that a call makes keeps the value, and calls it with what it was made with."""
        if are_parts_told(self._evaluator):
            raise _Lost
        end = syntax_tree(file.data).end_of(call.func)
        self.rests.update((file.path, rest.start) for rest in file.rests_by_call.get(end, ()))
        for attribute in attributes:
            self._put_in_attribute(_OF_LIBRARY, attribute, _THE_THING)

    def _is_dropped_by(self, name: str, handed: Handed) -> bool:
        """Whether a function of the library calls what it is handed, and nobody gets that out of it again."""
        if name == "signal.signal" and are_handlers_given_back(self._evaluator):
            return False
        return is_called_and_dropped(name, handed) and not are_parts_told(self._evaluator)

    def _hand_to_key(self, file: LinkedFile, call: ast.Call, way: Way) -> None:
        """What a collection is put in order by is called with each element."""
        end = syntax_tree(file.data).end_of(call.func)
        for handed in file.handed_by_call.get(end, ()):
            if handed.keyword == "key":
                for value in self._evaluator.values(file, handed.value):
                    if value.sort is not ValueSort.FOREIGN or not value.name.startswith("builtins."):
                        self._hand_to(file, value, handed._replace(position=0, keyword=""), way[1:])

    def _is_sorting(self, handed: Handed) -> bool:
        """Whether a function is the key by which something is sorted that is none of the project's own."""
        is_key = handed.callee.name == "sort" and handed.keyword == "key"
        return is_key and not any(
            record.name == "sort" for file in self._linkage.mentioning("sort") for record in file.links.functions
        )

    def _look_up(self, file: LinkedFile, call: ast.Call, how: str, way: Way) -> None:
        """`getattr` and its like of a value."""
        name = _text_of(call.args[1]) if len(call.args) > 1 else ""
        if name and not way:
            self._read_off(name)
        elif how != "builtins.hasattr":
            raise _Lost

    def _read_off(self, attribute: str) -> None:
        if attribute in _LEADING_ELSEWHERE:
            raise _Lost
        self.attributes.add(attribute)

    def _put_into(
        self, file: LinkedFile, call: ast.Call, method: ast.Attribute, handed: Handed, way: Way
    ) -> None:
        """The value is handed to a method of a collection."""
        if method.attr in _ADDING_ALL:
            if handed.keyword:
                self._put_in_target(file, method.value, _under(handed.keyword, way))
            elif _is_inside(way):
                self._put_in_target(file, method.value, way)
        elif _ADDING.get(method.attr) == handed.position:
            key = _text_of(call.args[0]) if method.attr == "setdefault" else ""
            self._put_in_target(file, method.value, _under(key, way))
            self._follow(file, call, way)
        elif method.attr in _TAKING_OUT:
            # What is given for want of a key.
            if handed.position > 0:
                self._follow(file, call, way)
        elif method.attr not in _LOOKING_FOR and (method.attr != "sort" or way):
            raise _Lost

    def _hand_to(self, file: LinkedFile, value: Value, handed: Handed, way: Way) -> None:
        """The value is handed to a function or class of the project."""
        keys = functions_called(self._evaluator, value)
        if not keys and value.sort is ValueSort.CLASS and handed.keyword and self._is_plain_record(value):
            self._put_in_attribute((value.path, value.number), handed.keyword, way)
            return
        if not keys:
            raise _Lost
        for key in keys:
            there, record = self._evaluator.file(key[0]), self._evaluator.function_record(key)
            if not there.is_own or not all(
                self._evaluator.is_harmless(there, decorator) for decorator in record.decorators
            ):
                raise _Lost
            positions = self._positions(file, value, handed, record)
            for parameter, inner in _taking(record, positions, handed.keyword, way):
                self._put(there, parameter.binding, inner)

    def _positions(
        self, file: LinkedFile, value: Value, handed: Handed, record: FunctionRecord
    ) -> tuple[int, ...]:
        """Among the parameters, the places that an argument may fill: the receiver of a method may come by
        itself. None for a keyword."""
        if handed.position < 0:
            return ()
        is_static = any(decorator.name == "staticmethod" for decorator in record.decorators)
        if record.owner < 0 or is_static:
            return (handed.position,)
        if value.sort is ValueSort.CLASS:
            return (handed.position + 1,)
        if handed.callee.sort is OriginSort.ATTRIBUTE:
            receivers = self._evaluator.values(file, handed.callee.parts[0])
            if {each.sort for each in receivers} <= {ValueSort.INSTANCE, ValueSort.ABOVE}:
                return (handed.position + 1,)
        return (handed.position, handed.position + 1)

    def _is_plain_record(self, value: Value) -> bool:
        """Whether a class is a record that nobody takes apart."""
        key = (value.path, value.number)
        return (
            self._evaluator.is_record(key)
            and not self._evaluator.foreign_above(key)
            and not any(self._linkage.paths_mentioning(word) for word in _TAKING_APART)
        )

    def _given_back(self, file: LinkedFile, node: ast.AST, statement: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        around = function_around(tree, statement)
        # What a generator gives back at its end is had by other ways than a call.
        if not isinstance(around, ast.FunctionDef) or around in tree.generators:
            raise _Lost
        self.begin(file, _record_of(file, tree, around), (*_CALLED, *way))

    def _yielded(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        around = function_around(tree, expression)
        is_whole = isinstance(expression, ast.YieldFrom)
        if not isinstance(around, ast.FunctionDef) or (is_whole and not _is_inside(way)):
            raise _Lost
        inner = way if is_whole else (*_INSIDE, *way)
        self.begin(file, _record_of(file, tree, around), (*_CALLED, *inner))

    def _assigned(
        self,
        file: LinkedFile,
        node: ast.AST,
        statement: ast.Assign | ast.AnnAssign | ast.AugAssign | ast.NamedExpr,
        way: Way,
    ) -> None:
        if isinstance(statement, ast.AnnAssign) and node is not statement.value:
            return
        if isinstance(statement, ast.AugAssign) and (
            node is statement.target or not _is_inside(way) or not self._is_collection(file, statement.target)
        ):
            raise _Lost
        for target in statement.targets if isinstance(statement, ast.Assign) else [statement.target]:
            self._put_in_target(file, target, way)
        if isinstance(statement, ast.NamedExpr):
            self._follow(file, statement, way)

    def _put_in_target(self, file: LinkedFile, target: ast.AST, way: Way) -> None:
        """What is assigned to holds the value from then on."""
        tree = syntax_tree(file.data)
        if isinstance(target, ast.Name):
            reference = file.facts.reference_by_start.get(tree.start_of(target))
            if reference is None:
                raise _Lost
            self._put(file, reference.binding, way)
        elif isinstance(target, ast.Attribute):
            self._put_in_attribute_of(file, target, way)
        elif isinstance(target, ast.Subscript):
            if not self._is_collection(file, target.value):
                raise _Lost
            if isinstance(target.slice, ast.Slice):
                self._put_in_target(file, target.value, way)
                return
            self._put_in_target(file, target.value, _under(_text_of(target.slice), way))
        elif isinstance(target, (ast.Tuple, ast.List)) and _is_inside(way):
            for element in target.elts:
                is_rest = isinstance(element, ast.Starred)
                inner = element.value if isinstance(element, ast.Starred) else element
                self._put_in_target(file, inner, way if is_rest else way[1:])
        else:
            raise _Lost

    def _is_collection(self, file: LinkedFile, node: ast.expr) -> bool:
        """Whether a variable or attribute holds a collection of the language."""
        tree = syntax_tree(file.data)
        values: Values = frozenset()
        if isinstance(node, ast.Name):
            reference = file.facts.reference_by_start.get(tree.start_of(node))
            values = self._evaluator.binding_values(file, reference.binding if reference is not None else -1)
        elif isinstance(node, ast.Attribute):
            for use in file.links.attributes_by_name.get(node.attr, ()):
                if use.end == tree.end_of(node):
                    origin = Origin(OriginSort.ATTRIBUTE, use.name, -1, (use.receiver,))
                    values = self._evaluator.values(file, origin)
        return bool(values) and all(value.sort in _COLLECTION_SORTS for value in values)

    def _put_in_attribute_of(self, file: LinkedFile, target: ast.Attribute, way: Way) -> None:
        """An attribute of something that is known to be the project's own holds the value from then on."""
        end = syntax_tree(file.data).end_of(target)
        uses = [use for use in file.links.attributes_by_name.get(target.attr, ()) if use.end == end]
        values = self._evaluator.values(file, uses[0].receiver) if uses else frozenset()
        if not values:
            raise _Lost
        self._leave_by_namespaces(file, values, target.attr, way)
        for value in values:
            if value.sort is ValueSort.MODULE and value.path in self._linkage.contents:
                there = self._evaluator.file(value.path)
                if (binding := there.module_bindings.get(target.attr)) is not None:
                    self._put(there, binding, way)
                self._put_in_attribute((value.path, -1), target.attr, way)
            elif value.sort is ValueSort.FUNCTION and self._evaluator.file(value.path).is_own:
                self._put_in_attribute(("", -1), target.attr, way)
            elif (
                value.sort in (ValueSort.INSTANCE, ValueSort.CLASS)
                and self._is_read_by_us_alone(value, target.attr)
                and self._holds_plainly(value, target.attr)
            ):
                self._put_in_attribute((value.path, value.number), target.attr, way)
            else:
                raise _Lost

    def _leave_by_namespaces(self, home: LinkedFile, owners: Values, name: str, way: Way) -> None:
        """Every place that takes an attribute by way of everything that something holds (`vars(self).values()`): an
        instance what it was given, a class what stands in its body. What is taken from who knows what counts in the
        file at hand, where it is called like a class, or is not."""
        are_classes = any(value.sort is ValueSort.CLASS for value in owners)
        keys = {(value.path, value.number) for value in owners}
        same = {ValueSort.CLASS} if are_classes else {ValueSort.INSTANCE, ValueSort.ABOVE}
        classes = [key for value in owners if value.sort in _OF_CLASSES for key in [(value.path, value.number)]]
        if any(self._evaluator.defines(key, "__slots__") for key in classes):
            # The class has what gets at it.
            same.add(ValueSort.CLASS)
        for file in self._linkage.mentioning_any(WORDS_TAKING):
            for taken in namespaces_taken(self._evaluator, file, name, is_unwritten=self._is_unwritten(name)):
                for value in self._evaluator.values(file, taken.origin):
                    if value.sort in same or (taken.is_inherited and value.sort in _HAVING):
                        is_taken = not keys.isdisjoint(self._evaluator.relatives((value.path, value.number)))
                    elif value.sort is ValueSort.UNKNOWN:
                        is_taken = file.path == home.path
                        is_taken &= taken.is_inherited or is_called_like_class(file, taken.end) == are_classes
                        is_taken |= taken.is_named
                    else:
                        is_taken = value.sort is ValueSort.FUNCTION and value in owners
                    if is_taken:
                        self._follow_namespace(file, taken, name, way)
                        break

    def _follow_namespace(self, file: LinkedFile, taken: Taken, name: str, way: Way) -> None:
        """Something gives all that a thing holds, an attribute that has the value among it: in a dictionary, or in pairs."""
        tree = syntax_tree(file.data)
        attribute = tree.attributes.get(taken.word_end)
        word = attribute or tree.names.get(taken.word_end - len(taken.word))
        if attribute is not None and attribute.attr == NAMESPACE:
            self._follow(file, attribute, _under(name, way))
            return
        call = tree.around[word] if word is not None else None
        # What sorts the members out is called with each of them.
        if not isinstance(call, ast.Call) or call.func is not word or len(call.args) != 1 or call.keywords:
            raise _Lost
        self._follow(file, call, (*_INSIDE, *_INSIDE, *way) if taken.is_inherited else _under(name, way))

    def _holds_plainly(self, value: Value, name: str) -> bool:
        """Whether an attribute that is set is there as it was given: by no method of the class."""
        for each in self._evaluator.relatives((value.path, value.number)):
            if any(self._evaluator.defines(each, hook) for hook in _ATTRIBUTE_HOOKS):
                return False
            binding = self._evaluator.binding_in(each, name)
            sources = self._evaluator.file(each[0]).links.sources.get(binding, ()) if binding is not None else ()
            if any(source.sort in (OriginSort.DEFINED_FUNCTION, OriginSort.CALL) for source in sources):
                return False
        return True

    def _is_read_by_us_alone(self, value: Value, name: str) -> bool:
        """Whether no library reads an attribute of a class of the project: the classes of one above it do not know the name,
        nor do they go through all that an instance has."""
        key = (value.path, value.number)
        if self._evaluator.unknown_above(key):
            return False
        for each in self._evaluator.relatives(key):
            file = self._evaluator.file(each[0])
            if not all(base.startswith(_TRIVIAL_BASES) for base in self._evaluator.bases(each).foreign):
                return False
            is_known = name.encode() in words_in(file.data) or any(lookup.may_find(name) for lookup in file.links.lookups)
            if not file.is_own and (is_known or words_in(file.data) & _GOING_THROUGH_ALL):
                return False
        return True

    def _looked_into(self, file: LinkedFile, node: ast.AST, attribute: ast.Attribute, way: Way) -> None:
        """An attribute of the value is read, or set."""
        if _is_inside(way):
            call = syntax_tree(file.data).around[attribute]
            if not isinstance(call, ast.Call) or call.func is not attribute:
                return
            if attribute.attr == "popitem":
                self._follow(file, call, (*_INSIDE, *way[1:]))
            elif attribute.attr in _TAKING_OUT:
                if _fits(way, _text_of(call.args[0]) if call.args else ""):
                    self._follow(file, call, way[1:])
            elif attribute.attr == "items":
                self._follow(file, call, (*_INSIDE, *_INSIDE, *way[1:]))
            elif attribute.attr == "sort" and call.keywords:
                raise _Lost
            elif attribute.attr in _LEADING_ON:
                self._follow(file, call, way if attribute.attr == "copy" else (*_INSIDE, *way[1:]))
        elif attribute.attr == "__call__":
            self._follow(file, attribute, way)
        elif way:
            if attribute.attr in _LEADING_ELSEWHERE or (way[0] == _READ and attribute.attr in _OF_PROPERTIES):
                raise _Lost
        elif isinstance(attribute.ctx, ast.Load):
            if attribute.attr in _ASKED_FOR_ANYTHING:
                raise _Lost
            self._read_off(attribute.attr)
            if attribute.attr == "func":
                # What `functools.partial` has made of it leads back.
                self._follow(file, attribute, way)
        elif attribute.attr == _ITS_CODE:
            # With another code it is another function.
            self.attributes.add(_ITS_CODE)

    def _chosen(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        if not (isinstance(expression, ast.IfExp) and node is expression.test):
            self._follow(file, expression, way)

    def _collected(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        key = ""
        if isinstance(expression, ast.Dict) and node in expression.values:
            beside = expression.keys[expression.values.index(node)]
            if beside is None:
                # What `**` spreads out stays under its keys.
                self._follow(file, expression, way)
                return
            key = _text_of(beside)
        self._follow(file, expression, _under(key, way))

    def _gone_through(
        self, file: LinkedFile, node: ast.AST, loop: ast.For | ast.AsyncFor | ast.comprehension, way: Way
    ) -> None:
        if node is not loop.iter or not _is_inside(way):
            return
        for target, inner in _parts_of(loop.target, way[1:]):
            is_itself = inner == _THE_THING and isinstance(target, ast.Name)
            if not (is_itself and sorts_out_functions(self._evaluator, file, loop, getattr(target, "id", ""))):
                self._put_in_target(file, target, inner)

    def _indexed(self, file: LinkedFile, node: ast.AST, subscript: ast.Subscript, way: Way) -> None:
        if node is not subscript.value:
            # As a key of a dictionary it is looked for, or kept.
            if not isinstance(subscript.ctx, ast.Load):
                self._put_in_target(file, subscript.value, _under("", way))
            self._hand_to_methods(_ASKED_BY_KEY, way)
            return
        if isinstance(subscript.ctx, ast.Load) and _fits(way, _text_of(subscript.slice)):
            self._follow(file, subscript, way if isinstance(subscript.slice, ast.Slice) else way[1:])

    def _spread(self, file: LinkedFile, node: ast.AST, starred: ast.AST, way: Way) -> None:
        around = syntax_tree(file.data).around[starred]
        if not _is_inside(way):
            return
        if isinstance(around, (ast.List, ast.Tuple, ast.Set)):
            self._follow(file, around, way)
            return
        handed = _handed(file, node)
        if not isinstance(around, ast.Call) or handed is None:
            raise _Lost
        self._spread_over(file, handed, way)

    def _spread_over(self, file: LinkedFile, handed: Handed, way: Way) -> None:
        """The elements of a collection are arguments, of which nobody knows where they go."""
        if not _is_inside(way):
            return
        rest = ParameterSort.REST if handed.keyword == "*" else ParameterSort.REST_KEYWORDS
        for value in self._evaluator.values(file, handed.callee):
            for key in self._own_functions(value):
                there = self._evaluator.file(key[0])
                parameters = self._evaluator.function_record(key).parameters
                named = [each for each in parameters if each.name == way[0].key]
                for parameter in named or parameters:
                    if parameter.sort is rest:
                        self._put(there, parameter.binding, way)
                    elif parameter.sort not in (ParameterSort.REST, ParameterSort.REST_KEYWORDS) and (
                        named or not way[0].key
                    ):
                        self._put(there, parameter.binding, way[1:])

    def _own_functions(self, value: Value) -> list[FunctionKey]:
        keys = functions_called(self._evaluator, value)
        if not keys or not all(self._evaluator.file(key[0]).is_own for key in keys):
            raise _Lost
        return keys

    def _as_default(self, file: LinkedFile, node: ast.AST, arguments: ast.arguments, way: Way) -> None:
        positional = [*arguments.posonlyargs, *arguments.args]
        with_default = positional[len(positional) - len(arguments.defaults) :]
        pairs = [*zip(with_default, arguments.defaults, strict=True)]
        pairs += [
            (argument, default)
            for argument, default in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
            if default is not None
        ]
        if any(self._linkage.paths_mentioning(word) for word in _READING_DEFAULTS):
            raise _Lost
        for argument, default in pairs:
            if default is node:
                start = syntax_tree(file.data).start_of(argument)
                self._put(file, file.facts.reference_by_start[start].binding, way)

    def _given_by_lambda(self, file: LinkedFile, node: ast.AST, function: ast.AST, way: Way) -> None:
        if function in syntax_tree(file.data).generators:
            raise _Lost
        self._follow(file, function, (*_CALLED, *way))

    def _decorating(
        self,
        file: LinkedFile,
        node: ast.AST,
        definition: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef,
        way: Way,
    ) -> None:
        """The value decorates a function or class: it is called with that, and what it gives bears the name."""
        if node not in definition.decorator_list:
            if isinstance(definition, ast.ClassDef):
                raise _Lost
            return
        if not way:
            return
        tree = syntax_tree(file.data)
        if not way[0].is_call or isinstance(definition, ast.ClassDef):
            raise _Lost
        record = _record_of(file, tree, definition)
        n_above = definition.decorator_list.index(node)
        for inner in _ways_after_call(way):
            self._decorate(file, record, record.decorators[:n_above], inner)

    def _negated(self, file: LinkedFile, node: ast.AST, expression: ast.UnaryOp, way: Way) -> None:
        if not isinstance(expression.op, ast.Not):
            raise _Lost

    def _joined(self, file: LinkedFile, node: ast.AST, expression: ast.BinOp, way: Way) -> None:
        self._hand_to_methods(_JOINING, way)
        # Otherwise it is filled into a text.
        if _is_inside(way) and not isinstance(expression.op, ast.Mod):
            self._follow(file, expression, way)

    def _compared(self, file: LinkedFile, node: ast.AST, expression: ast.Compare, way: Way) -> None:
        if not _is_held_against(expression):
            self._hand_to_methods(_COMPARING, way)
            while _is_inside(way):
                # Collections are compared by their elements.
                way = way[1:]
                self._hand_to_methods(_COMPARING, way)

    def _hand_to_methods(self, names: Iterable[str], way: Way) -> None:
        """The value is handed to a special method, of whichever class of the project has one."""
        for name in names:
            for file in self._linkage.mentioning(name):
                for record in file.links.functions:
                    if record.name == name and record.owner >= 0:
                        for parameter, inner in _taking(record, (1,), "", way):
                            self._put(file, parameter.binding, inner)


def _around_attribute(file: LinkedFile, end: int) -> ast.AST | None:
    """What an attribute that ends at an offset is a part of."""
    tree = syntax_tree(file.data)
    node = tree.attributes.get(end)
    return tree.around[node] if node is not None else None


def _is_held_against(node: ast.AST | None) -> bool:
    """Whether things are only asked whether they are one and the same."""
    return isinstance(node, ast.Compare) and all(isinstance(operator, ast.Is | ast.IsNot) for operator in node.ops)


def _handed(file: LinkedFile, node: ast.AST) -> Handed | None:
    """What a call is handed as one of its arguments, or inside one."""
    tree = syntax_tree(file.data)
    return file.handed_at(tree.start_of(node), tree.end_of(node))


def _is_inside(way: Way) -> bool:
    """Whether a way begins in a collection."""
    return bool(way) and not way[0].is_call


def _ways_of_result(name: str, handed: Handed, way: Way) -> list[Way] | None:
    """The ways to what is followed from the result of a function of the library that only gives it on, by itself or in a
    collection; `None` for one that does something else."""
    is_inside, is_deep = _is_inside(way), _is_inside(way[1:])
    if GIVING_BACK.get(name) == handed.position or (name == "builtins.getattr" and handed.position > 1):
        # The latter for want of an attribute.
        return [way]
    if name == _DICTIONARY and handed.keyword:
        return [_under(handed.keyword, way)]
    if name in _TAKING_NUMBERS or (not way and name in _ONLY_COLLECTING and not handed.keyword):
        # A function is neither a number nor a collection.
        return []
    if not is_inside:
        return None
    if name in COLLECTING:
        # Of pairs, the second is what lies under the first.
        return [way, way[1:]] if name == _DICTIONARY and is_deep else [way]
    if name in CHOOSING:
        return [way[1:]]
    if name in _JOINING_ALL:
        # Functions by themselves cannot be added.
        return [way[1:]] if is_deep else []
    if name in _PAIRING:
        return [(*_INSIDE, *_INSIDE, *way[1:])]
    return [] if name == "re.Scanner" else None


def _ways_after_call(way: Way) -> Iterator[Way]:
    """What is left of a way behind the call that it begins with."""
    yield way[1:]
    if way == _CALLED_ON_AND_ON:
        yield way


def _under(key: str, way: Way) -> Way:
    """The way from a collection that has something under a key ("" for any)."""
    return (Step(False, key), *way)


def _parts_of(target: ast.expr, way: Way) -> Iterator[tuple[ast.expr, Way]]:
    """What gets a value that goes through a loop, part by part, and the way to what is followed from there."""
    is_split = isinstance(target, ast.Tuple) and not any(isinstance(each, ast.Starred) for each in target.elts)
    if isinstance(target, ast.Tuple) and is_split and _is_inside(way):
        yield from ((each, way[1:]) for each in target.elts)
    else:
        yield target, way


def _fits(way: Way, key: str) -> bool:
    """Whether what a collection has under a key ("" for any) may be what the way leads to."""
    return _is_inside(way) and (not key or way[0].key in ("", key))


def _text_of(node: ast.expr) -> str:
    """A text that is written out, "" for anything else."""
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def _taking(
    record: FunctionRecord, positions: tuple[int, ...], keyword: str, way: Way
) -> Iterator[tuple[ParameterRecord, Way]]:
    """The parameters that take an argument, and the way to what is followed from there. Raises `_Lost` where
    none does."""
    found: list[tuple[ParameterRecord, Way]] = []
    by_position = [each for each in record.parameters if each.sort is not ParameterSort.KEYWORD]
    for index, parameter in enumerate(by_position if positions else ()):
        if parameter.sort is ParameterSort.REST and max(positions) >= index:
            found.append((parameter, (*_INSIDE, *way)))
        elif parameter.sort in BY_POSITION and index in positions:
            found.append((parameter, way))
    if not positions:
        found += [(each, way) for each in record.parameters if each.name == keyword]
        rests = [each for each in record.parameters if each.sort is ParameterSort.REST_KEYWORDS]
        found += [(each, _under(keyword, way)) for each in rests if not found]
    if not found:
        raise _Lost
    yield from found


def is_method_of_pattern(callee: Origin, value: Value) -> bool:
    """Whether a call is one of a compiled pattern, which calls what it is given by position: nothing else that
    no code of the project made bears such a method."""
    return value.sort is ValueSort.OUTSIDE and callee.name in _OF_PATTERNS


@once_a_version
def _names_captured(evaluator: Evaluator) -> frozenset[str] | None:
    """The attributes that patterns capture by their names; `None` where some go by their places."""
    found: set[str] = set()
    for path in evaluator.linkage.paths_matching("match", _MATCHES):
        if (file := evaluator.linkage.file(path)) is None:
            continue
        for pattern in syntax_tree(file.data).patterns:
            if pattern.patterns and getattr(pattern.cls, "id", "") not in BUILTINS:
                return None
            found.update(pattern.kwd_attrs)
    return frozenset(found)


def _runs_text_with(file: LinkedFile, name: str) -> bool:
    """Whether a file runs texts as code, and one of its texts holds a name as a word."""
    runs = any(exposure.what.removesuffix("()") in _RUNNING_TEXTS for exposure in file.facts.exposures)
    return runs and _stands_in_text(file, name)


def _is_imported(file: LinkedFile, receiver: Origin) -> bool:
    """Whether something is a name that a file imports."""
    sources = file.links.sources.get(receiver.binding, ()) if receiver.sort is OriginSort.NAME else ()
    return any(source.sort is OriginSort.IMPORTED for source in sources)


def _stands_in_text(file: LinkedFile, name: str) -> bool:
    """Whether a text of a file holds a name as a word."""
    word = re.compile(rf"\b{re.escape(name)}\b")
    return any(word.search(text.words) is not None for text in file.facts.texts if text.use != "documentation")


def _lambda_of(tree: SyntaxTree, record: FunctionRecord) -> ast.Lambda | None:
    return tree.lambdas.get(record.parameters[0].start) if record.parameters else None


def _record_of(file: LinkedFile, tree: SyntaxTree, node: ast.AST) -> FunctionRecord:
    """The record of a function that stands in a tree."""
    assert isinstance(node, _FUNCTIONS), "only functions have one"
    end = tree.end_of(node)
    starts = {
        each.name_start
        for each in file.facts.definitions_by_name.get(node.name, ())
        if each.end == end
    }
    for record in file.links.functions:
        if record.name_start in starts:
            return record
    raise _Lost
