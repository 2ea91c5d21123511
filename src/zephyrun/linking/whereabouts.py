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
from collections.abc import Callable, Iterable, Iterator, Set
from typing import Any, NamedTuple

from zephyrun.facts import Role, ScopeKind
from zephyrun.languages.python.links import PASSED_AT
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.link_facts import BY_POSITION, UNKNOWN, FunctionRecord, Handed, Origin, ParameterRecord, ParameterSort, Use
from zephyrun.linking.asked_by_text import asked_by_text
from zephyrun.linking.library_calls import BEHIND_PROPERTIES, CHOOSING, COLLECTING, KEPT_UNDER, LOOKING_ON, RUNNING_WITH_KEYWORDS
from zephyrun.linking.linkage import LinkedFile, handed_to_decorator
from zephyrun.linking.names_taken import NAMESPACE, WORDS_TAKING, Taken, namespaces_taken
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.set_by_name import is_called_like_class
from zephyrun.linking.slot_holders import (
    HAVING,
    MAKING_CLASSES,
    OF_CLASSES,
    RUNNING_TEXTS,
    SlotHolders,
    are_parts_told,
    stands_in_text,
)
from zephyrun.linking.sorted_out import sorts_out_functions
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, function_around, syntax_tree
from zephyrun.linking.targets import functions_called
from zephyrun.linking.texts_gone_through import texts_gone_through
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, FunctionKey, Value, ValueSort, Values
from zephyrun.linking.values import SAME_RESULT, Evaluator
from zephyrun.linking.ways import (
    CALLED,
    CALLED_ON_AND_ON,
    INSIDE,
    LONGEST_WAY,
    OF_LIBRARY,
    READ,
    THE_THING,
    Lost,
    Slot,
    Way,
    fits,
    is_inside,
    parts_of,
    under,
    ways_after_call,
    ways_of_result,
)

_MOST_SLOTS = 300
_MOST_FILES_FOR_ONE = 100
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
_WRAPPING = frozenset({"functools.wraps", "functools.update_wrapper"})
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
_PLACE_OF_NAMESPACE = 3
# What shows what a thing holds, and nothing of what is in a collection.
_LISTING = frozenset({"builtins.vars", "builtins.dir"})
_OF_MEMBERS = ("value", "_value_")
_OF_PATTERNS = frozenset({"sub", "subn"})
# The name of something in a module, in a text.
_FOUND_BY_TEXT = rb"[\"'][\w.]+[.:]%b\b"
_MATCHES = rb"\bmatch\b[^\n]*:[ \t\r]*\n\s*case\b"
_READING_DEFAULTS = ("__defaults__", "__kwdefaults__", "signature", "getfullargspec", "getcallargs")
_IN_CELL, _OPENING_CELLS = "cell_contents", "getclosurevars"
_OF_PROPERTIES = frozenset({*BEHIND_PROPERTIES, "getter", "setter", "deleter"})
_PROPERTY, _CACHED_PROPERTY = "builtins.property", "functools.cached_property"
_UNWRAPPING = ("__wrapped__", "unwrap")
_ITS_CODE = "__code__"


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


class _Offered(Lost):
    """Code outside the project may have the function."""


@once_a_version
def whereabouts(evaluator: Evaluator, key: FunctionKey) -> Whereabouts:
    """Where a function of the project gets to; its index is that of its record."""
    file = evaluator.file(key[0])
    record = file.links.functions[key[1]]
    pursuit = _Pursuit(evaluator, record.name)
    try:
        pursuit.begin(file, record, THE_THING)
        pursuit.finish()
    except Lost as end:
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
        pursuit.begin(file, record, THE_THING)
        pursuit.finish()
    except Lost:
        return True
    return False


def is_never_asked(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord, attributes: Set[str]) -> bool:
    """Whether a function can be followed wherever it gets to, and none of some attributes is read off it there."""
    found = whereabouts(evaluator, (file.path, file.links.functions.index(record)))
    return not found.is_lost and found.attributes.isdisjoint(attributes)


def is_method_of_pattern(callee: Origin, value: Value) -> bool:
    """Whether a call is one of a compiled pattern, which calls what it is given by position: nothing else that
    no code of the project made bears such a method."""
    return value.sort is ValueSort.OUTSIDE and callee.name in _OF_PATTERNS


class _Pursuit:
    """Follows one function. Raises `Lost` where it cannot."""

    def __init__(self, evaluator: Evaluator, own_name: str, *, minds_namespaces: bool = True) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._own_name = own_name
        self._holders = SlotHolders(evaluator, own_name)

        self._minds_namespaces = minds_namespaces
        self.keywords: set[tuple[str, int]] = set()
        self.rests: set[tuple[str, int]] = set()
        self.attributes: set[str] = set()
        self._slots: list[Slot] = []
        self._seen: set[Slot] = set()

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
                raise Lost
            self._follow(file, node, way)
            return
        if self._evaluator.is_property(file, record):
            # To read it is to call it, but by the function behind it.
            if way:
                for inner in ways_after_call(way):
                    self._put(file, record.binding, inner)
                return
            names = {self._evaluator.decorator_name(file, each) for each in record.decorators}
            for attribute in KEPT_UNDER[_CACHED_PROPERTY if _CACHED_PROPERTY in names else _PROPERTY]:
                self._put_in_attribute(OF_LIBRARY, attribute, way)
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
                raise Lost
        self._put(file, record.binding, way)

    def finish(self) -> None:
        """Follow everything to its end."""
        while self._slots:
            slot = self._slots.pop()
            if len(self._seen) > _MOST_SLOTS:
                raise Lost
            if slot.is_attribute:
                self._leave_attribute(slot)
            else:
                self._leave_binding(self._evaluator.file(slot.path), slot)

    def _put(self, file: LinkedFile, binding: int, way: Way) -> None:
        """A variable, parameter or function's name may hold it."""
        self._note(Slot(file.path, binding, file.facts.bindings[binding].name, way))

    def _put_in_attribute(self, owner: ClassKey, name: str, way: Way) -> None:
        """An attribute of instances or a module may hold it."""
        if way[:1] == (READ,):
            if owner[1] < 0:
                raise Lost
            way = way[1:]
        is_special = name.startswith("__") and name.endswith("__")
        if is_special and (way or name not in _CALLED_BY_LANGUAGE):
            raise Lost
        self._note(Slot(owner[0], -1, name, way, owner[1]))

    def _note(self, slot: Slot) -> None:
        if self._holders.is_offered(slot):
            raise _Offered
        if len(slot.way) > LONGEST_WAY:
            if set(slot.way) != set(CALLED):
                raise Lost
            slot = slot._replace(way=CALLED_ON_AND_ON)
        if slot not in self._seen:
            self._seen.add(slot)
            self._slots.append(slot)

    def _leave_binding(self, file: LinkedFile, slot: Slot) -> None:
        """Every place that reads a name, in its file and in others."""
        facts = file.facts
        record = facts.bindings[slot.binding]
        kind = facts.scopes[record.scope].kind
        if self._minds_namespaces and any(self._holders.gives(file, exposure, slot) for exposure in facts.exposures):
            raise Lost
        if record.captured and _are_cells_opened(self._evaluator):
            raise Lost
        for index in record.references:
            reference = facts.references[index]
            if reference.role is not Role.READ or self._is_only_called(file, reference.end, slot.way):
                continue
            node = syntax_tree(file.data).names.get(reference.start)
            if node is None:
                raise Lost
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

    def _hand_to_metaclasses(self, owner: ClassKey, slot: Slot) -> None:
        """What stands in the body of a class is in a dictionary that its metaclass is given."""
        for path, number in self._evaluator.metaclasses_of(self._evaluator.above(owner)):
            there = self._evaluator.file(path)
            for record in there.links.functions if there.is_own else ():
                if record.owner == number and record.name in MAKING_CLASSES:
                    for parameter, inner in _taking(record, (_PLACE_OF_NAMESPACE,), "", under(slot.name, slot.way)):
                        self._put(there, parameter.binding, inner)

    def _leave_module(self, file: LinkedFile, slot: Slot) -> None:
        paths = self._linkage.paths_mentioning(slot.name)
        if self._linkage.finding_paths and self._linkage.paths_matching(slot.name, _FOUND_BY_TEXT % slot.name.encode()):
            raise Lost
        if self._holders.goes_on_in_examples(slot) or self._holders.takes_globals(file, slot) or len(paths) > _MOST_FILES_FOR_ONE:
            raise Lost
        self._leave_by_module_names(file, slot.name, slot.way)
        offering = self._holders.modules_offering(file)
        for path in offering:
            self._put_in_attribute((path, -1), slot.name, slot.way)
        found = (self._linkage.file(path) for path in dict.fromkeys([*paths, *offering]) if path != file.path)
        others = [each for each in found if each is not None]
        if any(_runs_text_with(other, slot.name) for other in others):
            raise Lost
        for other in others:
            for use in other.links.imports:
                if use.name not in (slot.name, "*") or self._holders.module_imported(other, use) not in offering:
                    continue
                if use.name == "*":
                    for index, binding in enumerate(other.facts.bindings):
                        if binding.outside and binding.name == slot.name:
                            self._put(other, index, slot.way)
                elif use.binding < 0:
                    raise Lost
                else:
                    self._put(other, use.binding, slot.way)

    def _leave_by_module_names(self, home: LinkedFile, name: str, way: Way) -> None:
        """Every place that takes something of a module by way of everything that it holds (`vars(hives).values()`)."""
        for file in self._linkage.mentioning_any(WORDS_TAKING):
            of_home: dict[Origin, bool] = {}
            for taken in namespaces_taken(self._evaluator, file, name, is_unwritten=self._holders.is_unwritten(name)):
                if taken.origin not in of_home:
                    of_home[taken.origin] = any(
                        (value.sort is ValueSort.MODULE and value.path == home.path)
                        or (value == UNKNOWN_VALUE and self._holders.may_be_module(file, taken.origin, home.path, name))
                        for value in self._evaluator.values(file, taken.origin)
                    )
                if of_home[taken.origin]:
                    self._follow_namespace(file, taken, name, way)

    def _leave_attribute(self, slot: Slot) -> None:
        """Every place that reads an attribute of that name."""
        name = slot.name
        if self._holders.goes_on_in_examples(slot):
            raise Lost
        for path in self._linkage.lookup_paths:
            if (file := self._linkage.file(path)) is not None:
                self._leave_by_lookups(file, slot)
        captured = _names_captured(self._evaluator)
        if captured is None or name in captured:
            raise Lost
        if slot.is_of_library and self._holders.are_members_listed():
            raise Lost
        for file in self._linkage.mentioning(name):
            if _runs_text_with(file, name):
                raise Lost
            for text in file.links.texts:
                if text.callee.name in _LOOKING_UP_NAMES and name in text.words.split("."):
                    self._look_up_there(file, text.start, slot.way)
            for use in file.links.attributes_by_name.get(name, ()):
                if use.use is not Use.READ or not self._holders.may_be_had_by(file, use.receiver, slot):
                    continue
                if self._is_only_called(file, use.end, slot.way):
                    continue
                node = syntax_tree(file.data).attributes.get(use.end)
                if node is None:
                    raise Lost
                self._follow(file, node, slot.way)

    def _leave_by_lookups(self, file: LinkedFile, slot: Slot) -> None:
        """Every call that may look an attribute of that name up. A name of which nothing is known, in something
        of which nothing is known, may be any: it is taken for one of a method that is looked for, since what sorts
        messages does that, and not for one of what happens to hold the function."""
        is_method = slot.owner >= 0 and slot.name == self._own_name
        for lookup in file.links.lookups:
            if not lookup.may_find(slot.name) or not self._holders.may_be_had_by(file, lookup.receiver, slot):
                continue
            if lookup.is_open and self._holders.is_unwritten(slot.name) and not self._holders.are_names_listed(file, lookup, slot):
                continue
            if lookup.is_open and not is_method and not self._holders.is_likely(file, lookup.receiver, slot):
                continue
            # To read what a loop goes through takes long.
            texts = texts_gone_through(self._evaluator, file.path, lookup.binding) if lookup.is_open else None
            if texts is not None and slot.name not in texts:
                continue
            self._look_up_there(file, lookup.start, slot.way)

    def _is_only_called(self, file: LinkedFile, end: int, way: Way) -> bool:
        """Whether it is the function itself that stands in front of an offset, and is called there: that needs no
        tree. The keywords are noted."""
        if way or end not in file.links.called:
            return False
        self.keywords.update((file.path, use.start) for use in file.keywords_by_call.get(end, ()))
        self.rests.update((file.path, rest.start) for rest in file.rests_by_call.get(end, ()))
        return True

    def _look_up_there(self, file: LinkedFile, start: int, way: Way) -> None:
        """A call may give an attribute that holds it; the call or its name begins at `start`."""
        call = syntax_tree(file.data).lookups.get(start)
        if call is None:
            raise Lost
        if called_name(call) in GIVING_ATTRIBUTE:
            self._follow(file, call, way)
        elif called_name(call) == "attrgetter":
            self._follow(file, call, (*CALLED, *way))
        elif called_name(call) not in _ASKING:
            raise Lost

    # -- one step ------------------------------------------------------------------------------

    def _follow(self, file: LinkedFile, node: ast.AST, way: Way) -> None:
        """What becomes of a value where it stands."""
        around = syntax_tree(file.data).around[node]
        if isinstance(around, _ENDING):
            return
        if (rule := self._rules.get(type(around))) is None:
            raise Lost
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
            raise Lost
        self._hand(file, call, _handed(file, node), way)

    def _call(self, file: LinkedFile, call: ast.Call, way: Way) -> None:
        """The value is called."""
        tree = syntax_tree(file.data)
        if way:
            # Neither a collection nor a property can be called.
            if way[0].is_call and way[0] != READ:
                for inner in ways_after_call(way):
                    self._follow(file, call, inner)
            return
        for keyword in call.keywords:
            found = self.rests if keyword.arg is None else self.keywords
            start = tree.start_of(keyword.value if keyword.arg is None else keyword)
            found.add((file.path, start))

    def _hand(self, file: LinkedFile, call: ast.Call, handed: Handed | None, way: Way) -> None:
        """The value is handed to a call."""
        if handed is None or handed.keyword in ("*", "…"):
            raise Lost
        if handed.keyword == "**":
            self._spread_over(file, handed, way)
            return
        if way and self._holders.makes_class(file, handed):
            self._put_in_class(way)
            return
        for value in self._evaluator.values(file, handed.callee):
            if value.sort in (ValueSort.FUNCTION, ValueSort.CLASS) and self._evaluator.file(value.path).is_own:
                self._hand_to(file, value, handed, way)
            else:
                self._hand_to_library(file, call, handed, value, way)

    def _put_in_class(self, way: Way) -> None:
        """A class is made of a dictionary that has the value in it."""
        if way == under(self._own_name, THE_THING):
            # It stands in the body of the class, and is followed from there.
            return
        if not is_inside(way) or not way[0].key:
            raise Lost
        self._put_in_attribute(("", -1), way[0].key, way[1:])

    def _hand_to_library(
        self, file: LinkedFile, call: ast.Call, handed: Handed, value: Value, way: Way
    ) -> None:
        name = self._evaluator.library_name(value)
        if (results := ways_of_result(name, handed, way)) is not None:
            if is_inside(way) and name in COLLECTING | CHOOSING:
                self._hand_to_key(file, call, way)
            if name == "functools.partial":
                self._call(file, call, ())
            for inner in results:
                self._follow(file, call, inner)
        elif name in _LOOKING_UP and handed.position == 0:
            self._look_up(file, call, name, way)
        elif name in _WRAPPING and handed.position == (name != "functools.wraps") and not way:
            if any(self._linkage.paths_mentioning(word) for word in _UNWRAPPING):
                raise Lost
            self.attributes.update(("__name__", "__wrapped__"))
        elif name == _PROPERTY and way[:1] == CALLED:
            self._keep_getter(file, call, handed, way)
        elif name in _LISTING and handed.position == 0:
            if not way:
                self._read_off(NAMESPACE)
        elif name.startswith(_COLLECTIONS) and isinstance(call.func, ast.Attribute):
            self._put_into(file, call, call.func, handed, way)
        elif not way and name in KEPT_UNDER:
            self._keep(file, call, name)
        elif name in LOOKING_ON and not (name == "builtins.type" and len(call.args) > 1):
            self._hand_to_methods(("__instancecheck__", "__subclasscheck__"), way)
        elif not way and RUNNING_WITH_KEYWORDS.get(name) == handed.position:
            self._call(file, call, way)
        elif way or not (
            self._holders.is_dropped_by(name, handed) or self._holders.is_sorting(handed) or is_method_of_pattern(handed.callee, value)
        ):
            raise Lost

    def _keep_getter(self, file: LinkedFile, call: ast.Call, handed: Handed, way: Way) -> None:
        """A property is made with what gives the value when it is called."""
        behind = KEPT_UNDER[_PROPERTY]
        attributes = [handed.keyword] if handed.keyword else behind[handed.position :][:1]
        for attribute in attributes:
            self._put_in_attribute(OF_LIBRARY, attribute, way)
        if behind[0] in attributes:
            self._follow(file, call, (READ, *way[1:]))

    def _keep(self, file: LinkedFile, call: ast.Call, name: str) -> None:
        """A library object that a call makes keeps the value, and calls it with what it was made with."""
        end = syntax_tree(file.data).end_of(call.func)
        rests = file.rests_by_call.get(end, ())
        place = PASSED_AT.get(name.rpartition(".")[2])
        is_spread = any(isinstance(each, ast.Starred) for each in call.args) or any(each.arg is None for each in call.keywords)
        # What stands in the place of the keywords is not seen to do so where the class has another name.
        is_hidden = place is not None and len(call.args) > place and not any(rest.is_passed for rest in rests)
        if is_hidden or (is_spread and place is not None) or are_parts_told(self._evaluator):
            raise Lost
        self.rests.update((file.path, rest.start) for rest in rests)
        for attribute in KEPT_UNDER[name]:
            self._put_in_attribute(OF_LIBRARY, attribute, THE_THING)

    def _hand_to_key(self, file: LinkedFile, call: ast.Call, way: Way) -> None:
        """What a collection is put in order by is called with each element."""
        end = syntax_tree(file.data).end_of(call.func)
        for handed in file.handed_by_call.get(end, ()):
            if handed.keyword == "key":
                for value in self._evaluator.values(file, handed.value):
                    if value.sort is not ValueSort.FOREIGN or not value.name.startswith("builtins."):
                        self._hand_to(file, value, handed._replace(position=0, keyword=""), way[1:])

    def _look_up(self, file: LinkedFile, call: ast.Call, how: str, way: Way) -> None:
        """`getattr` and its like of a value."""
        name = _text_of(call.args[1]) if len(call.args) > 1 else ""
        if name and not way:
            self._read_off(name)
        elif how != "builtins.hasattr":
            raise Lost

    def _read_off(self, attribute: str) -> None:
        if attribute in _LEADING_ELSEWHERE:
            raise Lost
        self.attributes.add(attribute)

    def _put_into(
        self, file: LinkedFile, call: ast.Call, method: ast.Attribute, handed: Handed, way: Way
    ) -> None:
        """The value is handed to a method of a collection."""
        if method.attr in _ADDING_ALL:
            if handed.keyword:
                self._put_in_target(file, method.value, under(handed.keyword, way))
            elif is_inside(way):
                self._put_in_target(file, method.value, way)
        elif _ADDING.get(method.attr) == handed.position:
            key = _text_of(call.args[0]) if method.attr == "setdefault" else ""
            self._put_in_target(file, method.value, under(key, way))
            self._follow(file, call, way)
        elif method.attr in _TAKING_OUT:
            # What is given for want of a key.
            if handed.position > 0:
                self._follow(file, call, way)
        elif method.attr not in _LOOKING_FOR and (method.attr != "sort" or way):
            raise Lost

    def _hand_to(self, file: LinkedFile, value: Value, handed: Handed, way: Way) -> None:
        """The value is handed to a function or class of the project."""
        keys = functions_called(self._evaluator, value)
        if not keys and value.sort is ValueSort.CLASS and handed.keyword and self._holders.is_plain_record(value):
            self._put_in_attribute((value.path, value.number), handed.keyword, way)
            return
        if not keys:
            raise Lost
        for key in keys:
            there, record = self._evaluator.file(key[0]), self._evaluator.function_record(key)
            if not there.is_own or not all(
                self._evaluator.is_harmless(there, decorator) for decorator in record.decorators
            ):
                raise Lost
            positions = self._holders.positions(file, value, handed, record)
            for parameter, inner in _taking(record, positions, handed.keyword, way):
                self._put(there, parameter.binding, inner)

    def _given_back(self, file: LinkedFile, node: ast.AST, statement: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        around = function_around(tree, statement)
        # What a generator gives back at its end is had by other ways than a call.
        if not isinstance(around, ast.FunctionDef) or around in tree.generators:
            raise Lost
        self.begin(file, _record_of(file, tree, around), (*CALLED, *way))

    def _yielded(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        around = function_around(tree, expression)
        is_whole = isinstance(expression, ast.YieldFrom)
        if not isinstance(around, ast.FunctionDef) or (is_whole and not is_inside(way)):
            raise Lost
        inner = way if is_whole else (*INSIDE, *way)
        self.begin(file, _record_of(file, tree, around), (*CALLED, *inner))

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
            node is statement.target or not is_inside(way) or not self._holders.is_collection(file, statement.target)
        ):
            raise Lost
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
                raise Lost
            self._put(file, reference.binding, way)
        elif isinstance(target, ast.Attribute):
            self._put_in_attribute_of(file, target, way)
        elif isinstance(target, ast.Subscript):
            if not self._holders.is_collection(file, target.value):
                raise Lost
            if isinstance(target.slice, ast.Slice):
                self._put_in_target(file, target.value, way)
                return
            self._put_in_target(file, target.value, under(_text_of(target.slice), way))
        elif isinstance(target, (ast.Tuple, ast.List)) and is_inside(way):
            for element in target.elts:
                is_rest = isinstance(element, ast.Starred)
                inner = element.value if isinstance(element, ast.Starred) else element
                self._put_in_target(file, inner, way if is_rest else way[1:])
        else:
            raise Lost

    def _put_in_attribute_of(self, file: LinkedFile, target: ast.Attribute, way: Way) -> None:
        """An attribute of something that is known to be the project's own holds the value from then on."""
        end = syntax_tree(file.data).end_of(target)
        uses = [use for use in file.links.attributes_by_name.get(target.attr, ()) if use.end == end]
        values = self._evaluator.values(file, uses[0].receiver) if uses else frozenset()
        if not values:
            raise Lost
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
                and self._holders.is_read_by_us_alone(value, target.attr)
                and self._holders.holds_plainly(value, target.attr)
            ):
                self._put_in_attribute((value.path, value.number), target.attr, way)
            else:
                raise Lost

    def _leave_by_namespaces(self, home: LinkedFile, owners: Values, name: str, way: Way) -> None:
        """Every place that takes an attribute by way of everything that something holds (`vars(self).values()`): an
        instance what it was given, a class what stands in its body. What is taken from who knows what counts in the
        file at hand, where it is called like a class, or is not."""
        are_classes = any(value.sort is ValueSort.CLASS for value in owners)
        keys = {(value.path, value.number) for value in owners}
        same = {ValueSort.CLASS} if are_classes else {ValueSort.INSTANCE, ValueSort.ABOVE}
        classes = [key for value in owners if value.sort in OF_CLASSES for key in [(value.path, value.number)]]
        if any(self._evaluator.defines(key, "__slots__") for key in classes):
            # The class has what gets at it.
            same.add(ValueSort.CLASS)
        for file in self._linkage.mentioning_any(WORDS_TAKING):
            for taken in namespaces_taken(self._evaluator, file, name, is_unwritten=self._holders.is_unwritten(name)):
                for value in self._evaluator.values(file, taken.origin):
                    if value.sort in same or (taken.is_inherited and value.sort in HAVING):
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
            self._follow(file, attribute, under(name, way))
            return
        call = tree.around[word] if word is not None else None
        # What sorts the members out is called with each of them.
        if not isinstance(call, ast.Call) or call.func is not word or len(call.args) != 1 or call.keywords:
            raise Lost
        self._follow(file, call, (*INSIDE, *INSIDE, *way) if taken.is_inherited else under(name, way))

    def _looked_into(self, file: LinkedFile, node: ast.AST, attribute: ast.Attribute, way: Way) -> None:
        """An attribute of the value is read, or set."""
        if is_inside(way):
            call = syntax_tree(file.data).around[attribute]
            if not isinstance(call, ast.Call) or call.func is not attribute:
                return
            if attribute.attr == "popitem":
                self._follow(file, call, (*INSIDE, *way[1:]))
            elif attribute.attr in _TAKING_OUT:
                if fits(way, _text_of(call.args[0]) if call.args else ""):
                    self._follow(file, call, way[1:])
            elif attribute.attr == "items":
                self._follow(file, call, (*INSIDE, *INSIDE, *way[1:]))
            elif attribute.attr == "sort" and call.keywords:
                raise Lost
            elif attribute.attr in _LEADING_ON:
                self._follow(file, call, way if attribute.attr == "copy" else (*INSIDE, *way[1:]))
        elif attribute.attr == "__call__":
            self._follow(file, attribute, way)
        elif way:
            if attribute.attr in _LEADING_ELSEWHERE or (way[0] == READ and attribute.attr in _OF_PROPERTIES):
                raise Lost
        elif isinstance(attribute.ctx, ast.Load):
            if attribute.attr in _ASKED_FOR_ANYTHING:
                raise Lost
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
        self._follow(file, expression, under(key, way))

    def _gone_through(
        self, file: LinkedFile, node: ast.AST, loop: ast.For | ast.AsyncFor | ast.comprehension, way: Way
    ) -> None:
        if node is not loop.iter or not is_inside(way):
            return
        for target, inner in parts_of(loop.target, way[1:]):
            is_itself = inner == THE_THING and isinstance(target, ast.Name)
            if not (is_itself and sorts_out_functions(self._evaluator, file, loop, getattr(target, "id", ""))):
                self._put_in_target(file, target, inner)

    def _indexed(self, file: LinkedFile, node: ast.AST, subscript: ast.Subscript, way: Way) -> None:
        if node is not subscript.value:
            # As a key of a dictionary it is looked for, or kept.
            if not isinstance(subscript.ctx, ast.Load):
                self._put_in_target(file, subscript.value, under("", way))
            self._hand_to_methods(_ASKED_BY_KEY, way)
            return
        if isinstance(subscript.ctx, ast.Load) and fits(way, _text_of(subscript.slice)):
            self._follow(file, subscript, way if isinstance(subscript.slice, ast.Slice) else way[1:])

    def _spread(self, file: LinkedFile, node: ast.AST, starred: ast.AST, way: Way) -> None:
        around = syntax_tree(file.data).around[starred]
        if not is_inside(way):
            return
        if isinstance(around, (ast.List, ast.Tuple, ast.Set)):
            self._follow(file, around, way)
            return
        handed = _handed(file, node)
        if not isinstance(around, ast.Call) or handed is None:
            raise Lost
        self._spread_over(file, handed, way)

    def _spread_over(self, file: LinkedFile, handed: Handed, way: Way) -> None:
        """The elements of a collection are arguments, of which nobody knows where they go."""
        if not is_inside(way):
            return
        rest = ParameterSort.REST if handed.keyword == "*" else ParameterSort.REST_KEYWORDS
        for value in self._evaluator.values(file, handed.callee):
            for key in self._holders.own_functions(value):
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
            raise Lost
        for argument, default in pairs:
            if default is node:
                start = syntax_tree(file.data).start_of(argument)
                self._put(file, file.facts.reference_by_start[start].binding, way)

    def _given_by_lambda(self, file: LinkedFile, node: ast.AST, function: ast.AST, way: Way) -> None:
        if function in syntax_tree(file.data).generators:
            raise Lost
        self._follow(file, function, (*CALLED, *way))

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
                raise Lost
            return
        if not way:
            return
        tree = syntax_tree(file.data)
        if not way[0].is_call or isinstance(definition, ast.ClassDef):
            raise Lost
        record = _record_of(file, tree, definition)
        n_above = definition.decorator_list.index(node)
        for inner in ways_after_call(way):
            self._decorate(file, record, record.decorators[:n_above], inner)

    def _negated(self, file: LinkedFile, node: ast.AST, expression: ast.UnaryOp, way: Way) -> None:
        if not isinstance(expression.op, ast.Not):
            raise Lost

    def _joined(self, file: LinkedFile, node: ast.AST, expression: ast.BinOp, way: Way) -> None:
        self._hand_to_methods(_JOINING, way)
        # Otherwise it is filled into a text.
        if is_inside(way) and not isinstance(expression.op, ast.Mod):
            self._follow(file, expression, way)

    def _compared(self, file: LinkedFile, node: ast.AST, expression: ast.Compare, way: Way) -> None:
        if not _is_held_against(expression):
            self._hand_to_methods(_COMPARING, way)
            while is_inside(way):
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


def _text_of(node: ast.expr) -> str:
    """A text that is written out, "" for anything else."""
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def _taking(
    record: FunctionRecord, positions: tuple[int, ...], keyword: str, way: Way
) -> Iterator[tuple[ParameterRecord, Way]]:
    """The parameters that take an argument, and the way to what is followed from there. Raises `Lost` where
    none does."""
    found: list[tuple[ParameterRecord, Way]] = []
    by_position = [each for each in record.parameters if each.sort is not ParameterSort.KEYWORD]
    for index, parameter in enumerate(by_position if positions else ()):
        if parameter.sort is ParameterSort.REST and max(positions) >= index:
            found.append((parameter, (*INSIDE, *way)))
        elif parameter.sort in BY_POSITION and index in positions:
            found.append((parameter, way))
    if not positions:
        found += [(each, way) for each in record.parameters if each.name == keyword]
        rests = [each for each in record.parameters if each.sort is ParameterSort.REST_KEYWORDS]
        found += [(each, under(keyword, way)) for each in rests if not found]
    if not found:
        raise Lost
    yield from found


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
    runs = any(exposure.what.removesuffix("()") in RUNNING_TEXTS for exposure in file.facts.exposures)
    return runs and stands_in_text(file, name)


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
    raise Lost
