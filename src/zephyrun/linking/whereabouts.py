"""Where a function may get to as a value: followed from its definition through variables, parameters,
attributes, collections and what functions give.

What is followed is a value with the function somewhere in it, and a way to it: `CALLED` where calling the
value gives what the rest of the way leads to, `INSIDE` where an element of it is that. The answer is all
that is done with the function at the end of its ways, or that it got lost: it went to code that was not
read, or through something that is not followed. The idea is that of control flow analysis without contexts
(0-CFA; O. Shivers, "Control-Flow Analysis of Higher-Order Languages", 1991), over the names of attributes in
place of objects.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Callable, Iterable, Iterator
from enum import StrEnum
from typing import NamedTuple

from zephyrun.facts import Role, ScopeKind
from zephyrun.link_facts import FunctionRecord, Handed, OriginSort, ParameterRecord, ParameterSort
from zephyrun.linking.calls_in_sight import may_be_looked_up
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import SyntaxTree, syntax_tree
from zephyrun.linking.targets import functions_called
from zephyrun.linking.values import PROPERTIES, Evaluator, FunctionKey, Value, ValueSort


class Step(StrEnum):
    """One step of the way to a function."""

    CALLED = "called"
    INSIDE = "inside"


Way = tuple[Step, ...]

_THE_THING: Way = ()
_CALLED: Way = (Step.CALLED,)
_INSIDE: Way = (Step.INSIDE,)
_LONGEST_WAY = 4
_MOST_SLOTS = 300
_MOST_FILES_FOR_ONE = 30


class Whereabouts(NamedTuple):
    """Where a function gets to. One that `is_lost` may be anywhere. `keywords` are the places (paths and
    offsets) of keywords in calls of it under other names, `rests` of dictionaries of keywords there;
    `attributes` are read off it."""

    is_lost: bool
    keywords: frozenset[tuple[str, int]] = frozenset()
    rests: frozenset[tuple[str, int]] = frozenset()
    attributes: frozenset[str] = frozenset()


class _Slot(NamedTuple):
    """Something that may hold the function: a binding of a file, or (without a path) an attribute of whatever
    has one of that name."""

    path: str
    binding: int
    name: str
    way: Way


class _Lost(Exception):
    """The function cannot be followed any further."""


_Parts = tuple[type[ast.AST], ...]
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_DEFINITIONS = (*_FUNCTIONS, ast.ClassDef)
# What becomes of a function in these: nothing.
_ENDING = (ast.Compare, ast.Expr, ast.Assert, ast.FormattedValue, ast.Delete)
_SPREADING = frozenset({"*", "**"})
# What gives what it is given, by the position of that. Source: library reference.
_GIVING_BACK = {
    "functools.update_wrapper": 0, "functools.partial": 0, "typing.cast": 1, "builtins.staticmethod": 0,
    "builtins.classmethod": 0, "functools.lru_cache": 0, "functools.cache": 0,
}  # fmt: skip
# What makes a collection of another one's elements, and what gives one of them.
_COLLECTING = frozenset(
    """builtins.list builtins.tuple builtins.set builtins.frozenset builtins.sorted builtins.reversed
    builtins.iter builtins.dict collections.deque""".split()
)
_CHOOSING = frozenset({"builtins.next", "builtins.min", "builtins.max"})
# What calls functions by position, or looks at things without keeping or calling them.
_LEAVING_ALONE = frozenset(
    """builtins.map builtins.filter builtins.sorted builtins.min builtins.max builtins.iter
    functools.reduce itertools.starmap itertools.takewhile itertools.dropwhile itertools.groupby
    itertools.filterfalse itertools.accumulate re.sub re.subn re.Scanner builtins.callable
    builtins.isinstance builtins.issubclass builtins.id builtins.print builtins.repr builtins.str
    builtins.hash builtins.bool builtins.len builtins.any builtins.all builtins.type atexit.register
    builtins.property functools.cached_property functools.cmp_to_key heapq.nlargest heapq.nsmallest
    heapq.merge""".split()
)
_LOOKING_UP = frozenset({"builtins.getattr", "builtins.hasattr", "builtins.setattr", "builtins.delattr"})
_WRAPPING = frozenset({"functools.wraps", "functools.update_wrapper"})
_COLLECTIONS = ("builtins.series.", "builtins.tuple.", "builtins.mapping.")
_ADDING = {"append": 0, "add": 0, "appendleft": 0, "insert": 1, "setdefault": 1}
_ADDING_ALL = frozenset({"extend", "update", "extendleft"})
_TAKING_OUT = frozenset({"get", "pop", "popleft", "setdefault", "__getitem__", "popitem"})
_LEADING_ON = frozenset("values items copy keys".split())
# Attributes that lead from a function to what it was made of, or to itself.
_LEADING_ELSEWHERE = frozenset("__get__ __func__ __self__ __wrapped__ __class__ __dict__".split())
_SAME_RESULT = frozenset(
    """builtins.staticmethod builtins.classmethod abc.abstractmethod functools.lru_cache functools.cache
    functools.wraps typing.final typing.override typing.overload typing.no_type_check""".split()
)
_WRITING_ATTRIBUTES = re.compile(rb"\b__dict__\b|\bvars\s*\(")
_UNWRAPPING = ("__wrapped__", "unwrap")
_TRIVIAL_BASES = ("builtins.object", "builtins.Exception", "abc.ABC", "typing.Generic", "typing.Protocol")


@once_a_version
def whereabouts(evaluator: Evaluator, key: FunctionKey) -> Whereabouts:
    """Where a function of the project gets to; its index is that of its record."""
    pursuit = _Pursuit(evaluator)
    try:
        file = evaluator.file(key[0])
        pursuit.begin(file, file.links.functions[key[1]], _THE_THING)
        pursuit.finish()
    except _Lost:
        return Whereabouts(True)
    return Whereabouts(
        False, frozenset(pursuit.keywords), frozenset(pursuit.rests), frozenset(pursuit.attributes)
    )


class _Pursuit:
    """Follows one function. Raises `_Lost` where it cannot."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self.keywords: set[tuple[str, int]] = set()
        self.rests: set[tuple[str, int]] = set()
        self.attributes: set[str] = set()
        self._slots: list[_Slot] = []
        self._seen: set[_Slot] = set()
        self._rules: list[tuple[_Parts, Callable[[LinkedFile, ast.AST, ast.AST, Way], None]]] = [
            ((ast.Call,), self._in_call),
            ((ast.keyword,), self._as_keyword),
            ((ast.Return,), self._given_back),
            ((ast.Assign, ast.AnnAssign, ast.AugAssign, ast.NamedExpr), self._assigned),
            ((ast.Attribute,), self._looked_into),
            ((ast.IfExp, ast.BoolOp), self._chosen),
            ((ast.List, ast.Tuple, ast.Set, ast.Dict), self._collected),
            ((ast.ListComp, ast.SetComp, ast.GeneratorExp, ast.DictComp), self._collected),
            ((ast.For, ast.AsyncFor, ast.comprehension), self._gone_through),
            ((ast.Subscript,), self._indexed),
            ((ast.Starred,), self._spread),
            ((ast.arguments,), self._as_default),
            ((ast.Lambda,), self._given_by_lambda),
            ((*_DEFINITIONS,), self._decorating),
            ((ast.If, ast.While), self._tested),
            ((ast.UnaryOp,), self._tested),
            ((ast.arg,), self._tested),
            ((ast.BinOp,), self._joined),
            ((ast.Yield, ast.YieldFrom), self._yielded),
        ]

    # -- what is still to be followed ----------------------------------------------------------

    def begin(self, file: LinkedFile, record: FunctionRecord, way: Way) -> None:
        """Follow a function of the project, or one that gives it."""
        if record.binding < 0:
            node = _lambda_of(syntax_tree(file.data), record)
            if node is None:
                raise _Lost
            self._follow(file, node, way)
            return
        for decorator in reversed(record.decorators):
            if self._evaluator.is_harmless(file, decorator):
                name = self._evaluator.decorator_name(file, decorator)
                if name in PROPERTIES and len(way) > 1 and way[0] is Step.CALLED:
                    way = way[1:]
                elif way and name not in _SAME_RESULT:
                    raise _Lost
                continue
            for value in self._evaluator.values(file, decorator):
                self._hand_to(value, 0, "", way)
            return
        self._put(file, record.binding, way)

    def finish(self) -> None:
        """Follow everything to its end."""
        while self._slots:
            slot = self._slots.pop()
            if len(self._seen) > _MOST_SLOTS:
                raise _Lost
            if slot.path:
                self._leave_binding(self._evaluator.file(slot.path), slot)
            else:
                self._leave_attribute(slot)

    def _put(self, file: LinkedFile, binding: int, way: Way) -> None:
        """A variable, parameter or function's name may hold it."""
        self._note(_Slot(file.path, binding, file.facts.bindings[binding].name, way))

    def _put_in_attribute(self, name: str, way: Way) -> None:
        """An attribute may hold it."""
        if name.startswith("__") and name.endswith("__"):
            raise _Lost
        self._note(_Slot("", -1, name, way))

    def _note(self, slot: _Slot) -> None:
        if len(slot.way) > _LONGEST_WAY:
            raise _Lost
        if slot not in self._seen:
            self._seen.add(slot)
            self._slots.append(slot)

    def _leave_binding(self, file: LinkedFile, slot: _Slot) -> None:
        """Every place that reads a name, in its file and in others."""
        facts = file.facts
        record = facts.bindings[slot.binding]
        for exposure in facts.exposures:
            if exposure.whole_file or record.scope in facts.ancestors(exposure.scope):
                raise _Lost
        tree = syntax_tree(file.data)
        for index in record.references:
            reference = facts.references[index]
            if reference.role is not Role.READ:
                continue
            node = tree.names.get(reference.start)
            if node is None:
                raise _Lost
            self._follow(file, node, slot.way)
        kind = facts.scopes[record.scope].kind
        if kind is ScopeKind.CLASS:
            self._put_in_attribute(slot.name, slot.way)
        elif kind is ScopeKind.MODULE:
            self._leave_module(file, slot)

    def _leave_module(self, file: LinkedFile, slot: _Slot) -> None:
        paths = self._linkage.paths_mentioning(slot.name)
        if "globals()" in file.source.text or len(paths) > _MOST_FILES_FOR_ONE:
            raise _Lost
        if may_be_looked_up(self._evaluator, file, slot.name, is_member=False):
            raise _Lost
        self._put_in_attribute(slot.name, slot.way)
        for path in self._linkage.paths:
            if path not in paths and not self._takes_all(path, file):
                continue
            other = self._linkage.file(path)
            for use in other.links.imports if other is not None and path != file.path else ():
                assert other is not None, "it has imports"
                if use.name not in (slot.name, "*"):
                    continue
                module = self._linkage.module_of_import(other, use)
                if self._linkage.find_module(module, other.path) == file.path:
                    if use.name == "*" or use.binding < 0:
                        raise _Lost
                    self._put(other, use.binding, slot.way)

    def _takes_all(self, path: str, file: LinkedFile) -> bool:
        """Whether another file may take everything of a module (`from weights import *`), at a glance."""
        data = self._linkage.contents.get(path)
        short = file.module.rpartition(".")[2]
        return isinstance(data, bytes) and b"import *" in data and path in self._linkage.paths_mentioning(short)

    def _leave_attribute(self, slot: _Slot) -> None:
        """Every place that reads an attribute of that name."""
        name = slot.name
        is_unwritten = name.startswith("_") and not self._linkage.stands_in_quotes(name)
        for path in self._linkage.lookup_paths:
            file = self._linkage.file(path)
            for lookup in file.links.lookups if file is not None else ():
                if lookup.may_find(name) and not (is_unwritten and not lookup.shape):
                    raise _Lost
        for file in self._linkage.mentioning(name):
            if any(text.call >= 0 and text.words.rpartition(".")[2] == name for text in file.links.texts):
                raise _Lost
            tree = syntax_tree(file.data)
            for use in file.links.attributes_by_name.get(name, ()):
                node = tree.attributes.get(use.end)
                if node is None:
                    raise _Lost
                if isinstance(node.ctx, ast.Load):
                    self._follow(file, node, slot.way)

    # -- one step ------------------------------------------------------------------------------

    def _follow(self, file: LinkedFile, node: ast.AST, way: Way) -> None:
        """What becomes of a value where it stands."""
        around = syntax_tree(file.data).around[node]
        if isinstance(around, _ENDING):
            return
        for parts, rule in self._rules:
            if isinstance(around, parts):
                rule(file, node, around, way)
                return
        raise _Lost

    def _in_call(self, file: LinkedFile, node: ast.AST, call: ast.AST, way: Way) -> None:
        assert isinstance(call, ast.Call), "by the table"
        if node is call.func:
            self._call(file, call, way)
            return
        tree = syntax_tree(file.data)
        self._hand(file, call, file.handed_by_end.get(tree.end_of(node)), way)

    def _as_keyword(self, file: LinkedFile, node: ast.AST, keyword: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        call = tree.around[keyword]
        if not isinstance(call, ast.Call):
            raise _Lost
        self._hand(file, call, file.handed_by_end.get(tree.end_of(node)), way)

    def _call(self, file: LinkedFile, call: ast.Call, way: Way) -> None:
        """The value is called."""
        tree = syntax_tree(file.data)
        if way:
            if way[0] is not Step.CALLED:
                raise _Lost
            self._follow(file, call, way[1:])
            return
        for keyword in call.keywords:
            found = self.rests if keyword.arg is None else self.keywords
            start = tree.start_of(keyword.value if keyword.arg is None else keyword)
            found.add((file.path, start))

    def _hand(self, file: LinkedFile, call: ast.Call, handed: Handed | None, way: Way) -> None:
        """The value is handed to a call."""
        if handed is None or handed.keyword in (*_SPREADING, "…"):
            raise _Lost
        for value in self._evaluator.values(file, handed.callee):
            if value.sort in (ValueSort.FUNCTION, ValueSort.CLASS) and self._evaluator.file(value.path).is_own:
                self._hand_to(value, handed.position, handed.keyword, way)
            else:
                self._hand_to_library(file, call, handed, value, way)

    def _hand_to_library(
        self, file: LinkedFile, call: ast.Call, handed: Handed, value: Value, way: Way
    ) -> None:
        name = self._evaluator.library_name(value)
        is_inside = way[:1] == _INSIDE
        if name in _LOOKING_UP and handed.position == 0:
            self._look_up(file, call, way)
        elif name in _WRAPPING and handed.position == (name != "functools.wraps") and not way:
            if any(self._linkage.paths_mentioning(word) for word in _UNWRAPPING):
                raise _Lost
            self.attributes.update(("__name__", "__wrapped__"))
        elif _GIVING_BACK.get(name) == handed.position:
            if name == "functools.partial":
                self._call(file, call, ())
            self._follow(file, call, way)
        elif is_inside and name in _COLLECTING:
            self._follow(file, call, way)
        elif is_inside and name in _CHOOSING:
            self._follow(file, call, way[1:])
        elif name == "builtins.dict" and handed.keyword:
            self._follow(file, call, (*_INSIDE, *way))
        elif name == "builtins.enumerate" and is_inside:
            self._follow(file, call, (*_INSIDE, *way))
        elif name.startswith(_COLLECTIONS) and isinstance(call.func, ast.Attribute):
            self._put_into(file, call.func, handed, way)
        elif not (way == _THE_THING and name in _LEAVING_ALONE) and not self._is_sorting(handed):
            raise _Lost

    def _is_sorting(self, handed: Handed) -> bool:
        """Whether a function is the key by which something is sorted that is none of the project's own."""
        is_key = handed.callee.name == "sort" and handed.keyword == "key"
        return is_key and not any(
            record.name == "sort" for file in self._linkage.mentioning("sort") for record in file.links.functions
        )

    def _look_up(self, file: LinkedFile, call: ast.Call, way: Way) -> None:
        """`getattr` and its like of a value."""
        name = call.args[1] if len(call.args) > 1 else None
        if way or not isinstance(name, ast.Constant) or not isinstance(name.value, str):
            raise _Lost
        self._read_off(name.value)

    def _read_off(self, attribute: str) -> None:
        if attribute in _LEADING_ELSEWHERE:
            raise _Lost
        self.attributes.add(attribute)

    def _put_into(self, file: LinkedFile, method: ast.Attribute, handed: Handed, way: Way) -> None:
        """The value is handed to a method of a collection."""
        if method.attr in _ADDING_ALL and way[:1] == _INSIDE:
            self._put_in_target(file, method.value, way)
        elif _ADDING.get(method.attr) == handed.position:
            self._put_in_target(file, method.value, (*_INSIDE, *way))
        elif not (method.attr == "sort" and not way):
            raise _Lost

    def _hand_to(self, value: Value, position: int, keyword: str, way: Way) -> None:
        """The value is handed to a function or class of the project."""
        keys = functions_called(self._evaluator, value)
        if not keys and value.sort is ValueSort.CLASS and keyword and self._is_plain_record(value):
            self._put_in_attribute(keyword, way)
            return
        if not keys:
            raise _Lost
        for key in keys:
            file, record = self._evaluator.file(key[0]), self._evaluator.function_record(key)
            if not file.is_own or not all(
                self._evaluator.is_harmless(file, decorator) for decorator in record.decorators
            ):
                raise _Lost
            for parameter, inner in _taking(record, position, keyword, way):
                self._put(file, parameter.binding, inner)

    def _is_plain_record(self, value: Value) -> bool:
        return self._evaluator.is_record((value.path, value.number))

    def _given_back(self, file: LinkedFile, node: ast.AST, statement: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        around: ast.AST = statement
        while not isinstance(around, _FUNCTIONS):
            around = tree.around[around]
        if isinstance(around, ast.AsyncFunctionDef):
            raise _Lost
        self.begin(file, _record_of(file, tree, around), (*_CALLED, *way))

    def _yielded(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        tree = syntax_tree(file.data)
        around = tree.around[expression]
        while not isinstance(around, (*_FUNCTIONS, ast.Lambda)):
            around = tree.around[around]
        if not isinstance(around, ast.FunctionDef):
            raise _Lost
        inner = way if isinstance(expression, ast.YieldFrom) else (*_INSIDE, *way)
        self.begin(file, _record_of(file, tree, around), (*_CALLED, *inner))

    def _assigned(self, file: LinkedFile, node: ast.AST, statement: ast.AST, way: Way) -> None:
        if isinstance(statement, ast.AnnAssign) and node is not statement.value:
            return
        if isinstance(statement, ast.AugAssign) and (node is statement.target or way[:1] != _INSIDE):
            raise _Lost
        targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]  # type: ignore[attr-defined]
        for target in targets:
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
            self._put_in_target(file, target.value, (*_INSIDE, *way))
        elif isinstance(target, (ast.Tuple, ast.List)) and way[:1] == _INSIDE:
            for element in target.elts:
                is_rest = isinstance(element, ast.Starred)
                inner = element.value if isinstance(element, ast.Starred) else element
                self._put_in_target(file, inner, way if is_rest else way[1:])
        else:
            raise _Lost

    def _put_in_attribute_of(self, file: LinkedFile, target: ast.Attribute, way: Way) -> None:
        """An attribute of something that is known to be the project's own holds the value from then on."""
        end = syntax_tree(file.data).end_of(target)
        uses = [use for use in file.links.attributes_by_name.get(target.attr, ()) if use.end == end]
        if not uses or _WRITING_ATTRIBUTES.search(file.data):
            raise _Lost
        for value in self._evaluator.values(file, uses[0].receiver):
            if value.sort is ValueSort.MODULE and value.path in self._linkage.contents:
                there = self._evaluator.file(value.path)
                if (binding := there.module_bindings.get(target.attr)) is not None:
                    self._put(there, binding, way)
            elif value.sort not in (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.FUNCTION) or not self._is_own(value):
                raise _Lost
        self._put_in_attribute(target.attr, way)

    def _is_own(self, value: Value) -> bool:
        """Whether a class of the project is one of which no library reads attributes."""
        if value.sort is ValueSort.FUNCTION:
            return self._evaluator.file(value.path).is_own
        key = (value.path, value.number)
        return not self._evaluator.unknown_above(key) and all(
            self._evaluator.file(each[0]).is_own and name.startswith(_TRIVIAL_BASES)
            for each in self._evaluator.relatives(key)
            for name in [*self._evaluator.bases(each).foreign, "builtins.object"]
        )

    def _looked_into(self, file: LinkedFile, node: ast.AST, attribute: ast.AST, way: Way) -> None:
        """An attribute of the value is read, or set."""
        assert isinstance(attribute, ast.Attribute), "by the table"
        if way[:1] == _INSIDE:
            call = syntax_tree(file.data).around[attribute]
            if not isinstance(call, ast.Call) or call.func is not attribute:
                raise _Lost
            if attribute.attr in _TAKING_OUT:
                self._follow(file, call, way[1:])
            elif attribute.attr in _LEADING_ON:
                # What is given in pairs lies one deeper.
                self._follow(file, call, (*_INSIDE, *way) if attribute.attr == "items" else way)
            elif attribute.attr not in (*_ADDING, *_ADDING_ALL, "sort", "remove", "index", "clear", "count"):
                raise _Lost
        elif way:
            raise _Lost
        elif attribute.attr == "__call__":
            self._follow(file, attribute, way)
        elif isinstance(attribute.ctx, ast.Load):
            self._read_off(attribute.attr)

    def _chosen(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        if not (isinstance(expression, ast.IfExp) and node is expression.test):
            self._follow(file, expression, way)

    def _collected(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        self._follow(file, expression, (*_INSIDE, *way))

    def _gone_through(self, file: LinkedFile, node: ast.AST, loop: ast.AST, way: Way) -> None:
        assert isinstance(loop, ast.For | ast.AsyncFor | ast.comprehension), "by the table"
        if node is loop.iter:
            if way[:1] != _INSIDE:
                raise _Lost
            self._put_in_target(file, loop.target, way[1:])

    def _indexed(self, file: LinkedFile, node: ast.AST, subscript: ast.AST, way: Way) -> None:
        assert isinstance(subscript, ast.Subscript), "by the table"
        if node is not subscript.value:
            # As a key of a dictionary it is looked for, or kept.
            if not isinstance(subscript.ctx, ast.Load):
                self._put_in_target(file, subscript.value, (*_INSIDE, *way))
            return
        if way[:1] != _INSIDE:
            raise _Lost
        if isinstance(subscript.ctx, ast.Load):
            self._follow(file, subscript, way if isinstance(subscript.slice, ast.Slice) else way[1:])

    def _spread(self, file: LinkedFile, node: ast.AST, starred: ast.AST, way: Way) -> None:
        around = syntax_tree(file.data).around[starred]
        if way[:1] != _INSIDE:
            raise _Lost
        if isinstance(around, (ast.List, ast.Tuple, ast.Set)):
            self._follow(file, around, way)
            return
        handed = file.handed_by_end.get(syntax_tree(file.data).end_of(node))
        if not isinstance(around, ast.Call) or handed is None:
            raise _Lost
        for value in self._evaluator.values(file, handed.callee):
            for key in self._own_functions(value):
                there = self._evaluator.file(key[0])
                for parameter in self._evaluator.function_record(key).parameters:
                    if parameter.sort is ParameterSort.REST:
                        self._put(there, parameter.binding, way)
                    elif parameter.sort is not ParameterSort.REST_KEYWORDS:
                        self._put(there, parameter.binding, way[1:])

    def _own_functions(self, value: Value) -> list[FunctionKey]:
        keys = functions_called(self._evaluator, value)
        if not keys or not all(self._evaluator.file(key[0]).is_own for key in keys):
            raise _Lost
        return keys

    def _as_default(self, file: LinkedFile, node: ast.AST, arguments: ast.AST, way: Way) -> None:
        assert isinstance(arguments, ast.arguments), "by the table"
        positional = [*arguments.posonlyargs, *arguments.args]
        with_default = positional[len(positional) - len(arguments.defaults) :]
        pairs = [*zip(with_default, arguments.defaults, strict=True)]
        pairs += [
            (argument, default)
            for argument, default in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
            if default is not None
        ]
        for argument, default in pairs:
            if default is node:
                start = syntax_tree(file.data).start_of(argument)
                self._put(file, file.facts.reference_by_start[start].binding, way)

    def _given_by_lambda(self, file: LinkedFile, node: ast.AST, function: ast.AST, way: Way) -> None:
        self._follow(file, function, (*_CALLED, *way))

    def _decorating(self, file: LinkedFile, node: ast.AST, definition: ast.AST, way: Way) -> None:
        """The value decorates a function or class: it is called with that, and what it gives bears the name."""
        assert isinstance(definition, _DEFINITIONS), "by the table"
        if node not in definition.decorator_list:
            if isinstance(definition, ast.ClassDef):
                raise _Lost
            return
        if not way:
            return
        tree = syntax_tree(file.data)
        if way[0] is not Step.CALLED or isinstance(definition, ast.ClassDef):
            raise _Lost
        record = _record_of(file, tree, definition)
        above = definition.decorator_list.index(node)  # type: ignore[arg-type]
        if not all(self._evaluator.is_harmless(file, each) for each in record.decorators[:above]):
            raise _Lost
        self._put(file, record.binding, way[1:])

    def _tested(self, file: LinkedFile, node: ast.AST, statement: ast.AST, way: Way) -> None:
        if isinstance(statement, ast.UnaryOp) and not isinstance(statement.op, ast.Not):
            raise _Lost

    def _joined(self, file: LinkedFile, node: ast.AST, expression: ast.AST, way: Way) -> None:
        if way[:1] != _INSIDE:
            raise _Lost
        self._follow(file, expression, way)


def _taking(
    record: FunctionRecord, position: int, keyword: str, way: Way
) -> Iterator[tuple[ParameterRecord, Way]]:
    """The parameters that take an argument, and the way to what is followed from there. The receiver of a
    method comes by itself; where it is not sure which parameter takes it, all of them count. Raises `_Lost`
    where none does."""
    found: list[tuple[ParameterRecord, Way]] = []
    positions = [position, position + 1] if record.owner >= 0 else [position]
    named = [each for each in record.parameters if each.sort is not ParameterSort.KEYWORD]
    for index, parameter in enumerate(named if position >= 0 else ()):
        if parameter.sort is ParameterSort.REST:
            if max(positions) >= index:
                found.append((parameter, (*_INSIDE, *way)))
        elif parameter.sort is not ParameterSort.REST_KEYWORDS and index in positions:
            found.append((parameter, way))
    if position < 0:
        found += [(each, way) for each in record.parameters if each.name == keyword]
        rests = [each for each in record.parameters if each.sort is ParameterSort.REST_KEYWORDS]
        found += [(each, (*_INSIDE, *way)) for each in rests if not found]
    if not found:
        raise _Lost
    yield from found


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


def called_so(places: Iterable[tuple[str, int]], path: str) -> set[int]:
    """The offsets of one file among places."""
    return {start for there, start in places if there == path}
