"""What a file says to others, gathered in a walk of its own.

A survey never needs it; a question that reaches beyond one file asks it of the files that the question
names. So it is kept out of the walk that every file pays for.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from typing import Any

from zephyrun.facts import BINDING_ROLES, Role, ScopeKind
from zephyrun.languages.python.going_on import TAKING_ALL, TAKING_ONE, find_going_on
from zephyrun.languages.python.name_readers import (
    ASKED_FOR_ANY_NAME,
    ASKING_LATER,
    GIVING_READERS,
    HOOKS,
    LISTING_NAMES,
    LOOKS_PAST_HOOKS,
    LOOKUPS,
    MODULES_OF_READERS,
    NAME_READERS,
    READERS_BEHIND_DOTS,
    imported_in_disguise,
    puts_stand_in,
)
from zephyrun.languages.python.places import (
    keyword_before,
    mangled_name,
    module_start_of,
    quoted_range,
)
from zephyrun.languages.python.reading import ParsedFile, deep_recursion
from zephyrun.languages.python.relocation import parse_fragment
from zephyrun.languages.python.walk import all_arguments, position_readers
from zephyrun.link_facts import (
    UNKNOWN,
    AttributeUse,
    ClassRecord,
    FieldText,
    FunctionRecord,
    Handed,
    ImportUse,
    KeywordUse,
    LinkFacts,
    Lookup,
    Origin,
    OriginSort,
    ParameterRecord,
    ParameterSort,
    Put,
    RestUse,
    TextUse,
    Use,
)
from zephyrun.patterns import lazy_pattern

_USES = {ast.Load: Use.READ, ast.Store: Use.WRITE, ast.Del: Use.DELETE}
_PLAIN_TEXT = lazy_pattern(r"[^\W\d]\w*(?:\.[^\W\d]\w*)*")
_ACCESSOR = lazy_pattern(r"\.(?:setter|getter|deleter)\b")
# What makes classes, given a name and what they have. Source: library reference.
MAKING_CLASSES = frozenset(
    "namedtuple NamedTuple TypedDict Enum IntEnum StrEnum Flag IntFlag".split()
)
_FIELD = lazy_pattern(r"\w+")
# Where calls take the keywords with which they will call something: by keyword, and by position in some of
# the standard library. Source: library reference.
_PASSED_AS = frozenset({"kwargs", "kwds", "keywords", "kw"})
PASSED_AT = {
    **{"Thread": 4, "Process": 4, "Timer": 3, "enter": 4, "enterabs": 4},
    **{"apply": 2, "apply_async": 2, "start_new_thread": 2},
}
# Expressions that end where one of their parts does, which is not called with them.
_ENDING_AS_A_PART = (
    ast.BoolOp, ast.BinOp, ast.IfExp, ast.Lambda, ast.NamedExpr, ast.Await, ast.UnaryOp, ast.Yield, ast.YieldFrom, ast.Compare,
)
# The library, and what of it gives a base that makes a class of a certain metaclass.
_SAYS_METACLASS = ("six", "with_metaclass")
# What a text is made of that is put together.
_PARTS_OF_TEXT = (ast.Name, ast.Constant, ast.JoinedStr, ast.FormattedValue, ast.BinOp, ast.Add, ast.expr_context)
_BEFORE_FILLING = lazy_pattern(r"[%{]")
# Behind a conversion, its letter included, or a closing brace.
_AFTER_FILLING = lazy_pattern(r"%(?:\([^)]*\))?[^a-zA-Z%]*[a-zA-Z%]|\}")
_CALLED_LIKE_CLASSES = frozenset({"cls", "klass", "kls", "owner", "type_"})
GIVING_INSTANCES = frozenset({"property", "cached_property", "setter", "getter", "deleter", "abstractmethod", "override", "overload"})
# Where the words that annotations use for collections and the like come from.
_MODULES_OF_TYPES = frozenset(
    "typing typing_extensions collections collections.abc asyncio asyncio.futures asyncio.tasks contextlib concurrent.futures types builtins".split()
)
# What calls of builtins give that are handed nothing.
_EMPTY = {
    "list": Origin(OriginSort.SERIES, "list"),
    "set": Origin(OriginSort.SERIES, "set"),
    "dict": Origin(OriginSort.MAPPING),
}
_LEAVES = (ast.Return, ast.Raise, ast.Continue, ast.Break)

# What annotations say by the last part of the name before the bracket. Source: PEP 484, 585, 604, 612.
_FIRST_IS_IT = frozenset({"Annotated", "ClassVar", "Final", "Required", "NotRequired", "ReadOnly", "InitVar"})
_SERIES = frozenset(
    "list set frozenset deque List Set FrozenSet Deque Sequence MutableSequence Iterable Iterator "
    "Collection AbstractSet MutableSet Generator AsyncIterable AsyncIterator AsyncGenerator "
    "Reversible Container".split()
)
_MAPPINGS = frozenset(
    "dict Dict Mapping MutableMapping defaultdict DefaultDict OrderedDict ChainMap".split()
)
_PROMISES = frozenset({"Awaitable", "Coroutine", "Future", "Task"})


def read_links(parsed: ParsedFile) -> LinkFacts:
    """What a parsed file says to others."""
    reader = _Reader(parsed)
    with deep_recursion():
        reader.visit(parsed.tree)
    return reader.result()


def _either(origins: Iterable[Origin]) -> Origin:
    distinct = tuple(dict.fromkeys(origins))
    return distinct[0] if len(distinct) == 1 else Origin(OriginSort.EITHER, "", -1, distinct)


def _plain(name: str) -> Origin:
    return Origin(OriginSort.PLAIN, name)


def _short_name(node: ast.AST) -> str:
    if isinstance(node, ast.Name):
        return node.id
    return node.attr if isinstance(node, ast.Attribute) else ""


# A name where it is given a value, and the expression.
Given = tuple[ast.Name, ast.expr]


class _Frame:
    """What is gathered about the function whose body is being read, that of `node`; of a module that is nothing."""

    def __init__(self, node: ast.AST | None = None) -> None:
        self.node = node
        self.returned: list[Origin] = []
        self.yielded: list[Origin] = []
        self.is_generator = False

    @cached_property
    def given(self) -> dict[str, list[Given | None]]:
        """What its names are given, and those of functions inside it, `None` for what is no plain expression."""
        return given_in(self.node) if self.node is not None else {}


class _Reader(ast.NodeVisitor):
    """Walks one tree; `result` is what it found."""

    def __init__(self, parsed: ParsedFile) -> None:
        self._parsed = parsed
        self._source = parsed.source
        self._facts = parsed.facts
        self._start_of, self._end_of = position_readers(parsed.source)
        self._inner_scopes = {each.name_start: each.inner_scope for each in parsed.facts.definitions}
        self._sources: dict[int, list[Origin]] = {}
        self._annotated: set[int] = set()
        self._functions: list[FunctionRecord] = []
        self._classes: list[ClassRecord] = []
        self._attributes: list[AttributeUse] = []
        self._keywords: list[KeywordUse] = []
        self._rests: list[RestUse] = []
        self._imports: list[ImportUse] = []
        self._texts: dict[int, TextUse] = {}
        self._handed: list[Handed] = []
        self._lookups: list[Lookup] = []
        self._given_to_lambdas: dict[int, Origin] = {}
        self._fragments: dict[int, ast.expr | None] = {}
        self._called: set[int] = set()
        self._called_through: set[int] = set()
        self._puts: list[Put] = []
        self._scope = 0
        self._class = -1
        self._is_class_body = False
        self._private_name = ""
        # What the special method around calls its instance, and the name that it is asked for.
        self._hooked = ("", "")
        self._frames = [_Frame()]
        self._narrowed: dict[int, Origin] = {}
        # What asks things for names, by the bindings that import it under another name.
        self._disguised = {
            self._binding_at(self._place(alias, "asname")): alias.name
            for alias in imported_in_disguise(parsed.tree, parsed.source.text)
        }

    def result(self) -> LinkFacts:
        """Everything that was found."""
        going_on = find_going_on(self._parsed.tree, self._end_of)
        return LinkFacts(
            {binding: tuple(dict.fromkeys(origins)) for binding, origins in self._sources.items()},
            frozenset(self._annotated),
            tuple(self._functions),
            tuple(self._classes),
            tuple(sorted(set(self._attributes), key=lambda use: use.start)),
            tuple(self._keywords),
            tuple(self._rests),
            tuple(self._imports),
            tuple(self._texts[start] for start in sorted(self._texts)),
            tuple(self._handed),
            tuple(self._lookups),
            frozenset(self._called),
            frozenset(self._called_through),
            tuple(self._puts),
            going_on.ends,
            going_on.returned,
            going_on.moved,
            going_on.operands,
        )

    # -- names -------------------------------------------------------------------------------

    def _binding_at(self, start: int) -> int:
        reference = self._facts.reference_by_start.get(start)
        return -1 if reference is None else reference.binding

    def _place(self, node: ast.AST, field: str) -> int:
        places = self._parsed.places.get((id(node), field))
        return places[0] if places else -1

    def _mangled(self, name: str) -> str:
        return mangled_name(name, self._private_name)

    def _take(self, binding: int, origin: Origin) -> None:
        """Note that a binding's value may come from an origin."""
        if binding >= 0 and binding not in self._annotated:
            self._sources.setdefault(binding, []).append(origin)

    def _declare(self, binding: int, annotation: Origin) -> None:
        """Note what an annotation says of a binding: from then on nothing else counts."""
        if binding < 0:
            return
        if binding not in self._annotated:
            self._sources[binding] = []
            self._annotated.add(binding)
        self._sources[binding].append(annotation)

    def _bind(self, target: ast.expr, origin: Origin) -> None:
        """Note what an assignment, a loop or the like gives to a target."""
        if isinstance(target, ast.Name):
            self._take(self._binding_at(self._start_of(target)), origin)
        elif isinstance(target, ast.Tuple | ast.List):
            starred = [isinstance(each, ast.Starred) for each in target.elts]
            for index, each in enumerate(target.elts):
                if isinstance(each, ast.Starred):
                    part = Origin(OriginSort.PART, "", -1, (origin,))
                    self._bind(each.value, part)
                else:
                    name = str(index) if not any(starred[:index]) else ""
                    self._bind(each, Origin(OriginSort.ELEMENT, name, -1, (origin,)))
        elif isinstance(target, ast.Attribute):
            self._note_attribute(target, origin)
            self.visit(target.value)
        else:
            if isinstance(target, ast.Subscript):
                self._put(target.value, origin, is_spread=isinstance(target.slice, ast.Slice))
            self.visit(target)

    def _put(self, collection: ast.expr, value: Origin, *, is_spread: bool = False) -> None:
        self._puts.append(Put(self._end_of(collection), value, is_spread))

    # -- statements --------------------------------------------------------------------------

    def visit_Module(self, node: ast.Module) -> None:
        """A whole file."""
        self._block(node.body)
        self._note_kept_readers()

    def _block(self, statements: Sequence[ast.stmt]) -> None:
        """Statements that follow one another. What a check leaves over holds for those behind it."""
        before = dict(self._narrowed)
        for index, statement in enumerate(statements):
            self.visit(statement)
            rest = statements[index + 1 :]
            if isinstance(statement, ast.Assert):
                self._narrow(statement.test, rest)
            elif isinstance(statement, ast.If) and not statement.orelse:
                test = statement.test
                leaves = isinstance(statement.body[-1], _LEAVES)
                if leaves and isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
                    self._narrow(test.operand, rest)
        self._narrowed = before

    def _narrow(self, test: ast.expr, inside: Sequence[ast.AST]) -> None:
        """Let names be what a test says that they are, unless something inside assigns them."""
        tests = test.values if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.And) else [test]
        for each in tests:
            if (
                isinstance(each, ast.Call)
                and isinstance(each.func, ast.Name)
                and each.func.id == "isinstance"
                and len(each.args) == 2
                and isinstance(each.args[0], ast.Name)
                and not _assigns(inside, each.args[0].id)
            ):
                classes = each.args[1].elts if isinstance(each.args[1], ast.Tuple) else [each.args[1]]
                binding = self._binding_at(self._start_of(each.args[0]))
                # Another function could give a shared variable another value meanwhile.
                if binding >= 0 and not self._facts.bindings[binding].captured:
                    self._narrowed[binding] = _either(map(self._instance_of, classes))

    def _instance_of(self, node: ast.expr) -> Origin:
        return Origin(OriginSort.INSTANCE, "", -1, (self._origin(node),))

    def visit_If(self, node: ast.If | ast.While) -> None:
        """What the test says of a name holds in the block."""
        self.visit(node.test)
        before = dict(self._narrowed)
        self._narrow(node.test, node.body)
        self._block(node.body)
        self._narrowed = before
        self._block(node.orelse)

    visit_While = visit_If

    def visit_IfExp(self, node: ast.IfExp) -> None:
        """As for `if`."""
        self.visit(node.test)
        before = dict(self._narrowed)
        self._narrow(node.test, [node.body])
        self.visit(node.body)
        self._narrowed = before
        self.visit(node.orelse)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        """What one part of an `and` says holds in those behind it."""
        before = dict(self._narrowed)
        for index, value in enumerate(node.values):
            self.visit(value)
            if isinstance(node.op, ast.And):
                self._narrow(value, node.values[index + 1 :])
        self._narrowed = before

    @contextmanager
    def _inside(self, scope: int) -> Iterator[None]:
        """The state of a scope of its own: what was narrowed outside may not hold when it runs."""
        before = self._scope, self._is_class_body, self._narrowed
        self._scope, self._is_class_body, self._narrowed = scope, False, {}
        yield
        self._scope, self._is_class_body, self._narrowed = before

    def visit_FunctionDef(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """A function: its head belongs outside, its body has a frame of its own."""
        for decorator in node.decorator_list:
            self._note_called(decorator)
            self.visit(decorator)
        self._visit_heads(node.args)
        if node.returns is not None:
            self._visit_annotation(node.returns)
        for parameter in getattr(node, "type_params", ()):
            self.visit(parameter)

        name_start = self._place(node, "name")
        binding = self._binding_at(name_start)
        owner = self._class if self._is_class_body else -1
        number = len(self._functions)
        self._functions.append(None)  # type: ignore[arg-type]
        self._take(binding, Origin(OriginSort.DEFINED_FUNCTION, "", number))
        decorators = tuple(map(self._origin, node.decorator_list))
        around = self._scope
        with self._inside(self._inner_scopes.get(name_start, around)):
            parameters = self._parameters(node, number, owner)
            self._frames.append(_Frame(node))
            before = self._hooked
            is_hook = node.name in HOOKS and len(parameters) > 1
            self._hooked = (parameters[0].name, parameters[1].name) if is_hook else ("", "")
            self._block(node.body)
            self._hooked = before
            frame = self._frames.pop()

        self._functions[number] = FunctionRecord(
            node.name,
            binding,
            name_start,
            around,
            owner,
            decorators,
            parameters,
            self._gives(node, frame),
        )

    visit_AsyncFunctionDef = visit_FunctionDef

    def _gives(self, node: ast.FunctionDef | ast.AsyncFunctionDef, frame: _Frame) -> Origin:
        if node.returns is not None:
            given = self._annotation(node.returns)
        elif frame.is_generator:
            given = Origin(OriginSort.SERIES, "generator", -1, (_either(frame.yielded or [UNKNOWN]),))
        else:
            given = _either(frame.returned or [_plain("NoneType")])
        if isinstance(node, ast.AsyncFunctionDef) and not frame.is_generator:
            return Origin(OriginSort.PROMISE, "", -1, (given,))
        return given

    def _visit_heads(self, arguments: ast.arguments) -> None:
        for default in [*arguments.defaults, *arguments.kw_defaults]:
            if default is not None:
                self.visit(default)
        for argument in all_arguments(arguments):
            if argument.annotation is not None:
                self._visit_annotation(argument.annotation)

    def _parameters(
        self, node: ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda, number: int, owner: int
    ) -> tuple[ParameterRecord, ...]:
        arguments = node.args
        positional = [*arguments.posonlyargs, *arguments.args]
        n_required = len(positional) - len(arguments.defaults)
        found: list[ParameterRecord] = []

        def add(argument: ast.arg, sort: ParameterSort, default: ast.expr | None) -> None:
            start = self._start_of(argument)
            binding = self._binding_at(start)
            note = argument.annotation
            annotation = self._annotation(note) if note is not None else None
            if sort is ParameterSort.REST:
                self._take(binding, Origin(OriginSort.SERIES, "tuple", -1, (annotation or UNKNOWN,)))
            elif sort is ParameterSort.REST_KEYWORDS:
                self._take(binding, Origin(OriginSort.MAPPING, "", -1, (annotation or UNKNOWN,)))
            elif annotation is not None:
                self._declare(binding, annotation)
            elif not found and isinstance(node, ast.Lambda) and id(node) in self._given_to_lambdas:
                self._take(binding, self._given_to_lambdas[id(node)])
            elif not found and owner >= 0 and isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                self._take(binding, self._first_parameter(node, owner, argument.arg))
            else:
                self._take(binding, Origin(OriginSort.PASSED, argument.arg, number))
            origin = self._origin(default) if default is not None else None
            found.append(ParameterRecord(argument.arg, start, sort, binding, origin, annotation))

        for index, argument in enumerate(positional):
            is_positional = index < len(arguments.posonlyargs)
            sort = ParameterSort.POSITIONAL if is_positional else ParameterSort.EITHER
            add(argument, sort, arguments.defaults[index - n_required] if index >= n_required else None)
        if arguments.vararg is not None:
            add(arguments.vararg, ParameterSort.REST, None)
        for argument, default in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True):
            add(argument, ParameterSort.KEYWORD, default)
        if arguments.kwarg is not None:
            add(arguments.kwarg, ParameterSort.REST_KEYWORDS, None)
        return tuple(found)

    def _first_parameter(self, node: ast.FunctionDef | ast.AsyncFunctionDef, owner: int, name: str) -> Origin:
        decorators = {_short_name(each) for each in node.decorator_list}
        binding = self._binding_at(self._place(node, "name"))
        scope = self._classes[owner].scope
        is_used_in_body = any(
            reference.role is Role.READ and reference.scope == scope
            for index in self._facts.bindings[binding].references
            for reference in [self._facts.references[index]]
            if not self._is_accessor_of(reference.end)
        )
        if "staticmethod" in decorators or is_used_in_body:
            # Called in the class's body, or made into something else there, it gets what it is given.
            return UNKNOWN
        if "classmethod" in decorators or node.name in (
            "__new__",
            "__init_subclass__",
            "__class_getitem__",
        ):
            return Origin(OriginSort.OWN_CLASS, "", owner)
        if decorators and name in _CALLED_LIKE_CLASSES and not decorators <= GIVING_INSTANCES:
            # A decorator of somebody's own may make a property of the class of it.
            return UNKNOWN
        return Origin(OriginSort.OWN, "", owner)

    def _is_accessor_of(self, end: int) -> bool:
        """Whether a name is followed by what makes it a property's accessor (`@weight.setter`)."""
        return _ACCESSOR.match(self._source.text, end) is not None

    def visit_Lambda(self, node: ast.Lambda) -> None:
        """A function without a name."""
        self._visit_heads(node.args)
        number = len(self._functions)
        self._functions.append(None)  # type: ignore[arg-type]
        with self._inside(self._scope):
            parameters = self._parameters(node, number, -1)
            self._frames.append(_Frame(node))
            self.visit(node.body)
            self._frames.pop()
        self._functions[number] = FunctionRecord(
            "", -1, -1, self._scope, -1, (), parameters, self._origin(node.body)
        )

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        """A class: its body is a scope in which methods find their owner."""
        for decorator in node.decorator_list:
            self._note_called(decorator)
            self.visit(decorator)
        above_it, made_by = self._bases_of(node)
        for base in above_it:
            self.visit(base)

        name_start = self._place(node, "name")
        binding = self._binding_at(name_start)
        number = len(self._classes)
        own = Origin(OriginSort.DEFINED_CLASS, "", number)
        metaclasses = [*map(self._origin, made_by), *(self._origin(each.value) for each in node.keywords if each.arg == "metaclass")]
        # A base's `__init_subclass__` takes them, or the metaclass, which is called with them.
        above = Origin(OriginSort.ABOVE, "", number)
        takes = Origin(OriginSort.ATTRIBUTE, "__init_subclass__", -1, (above,))
        for keyword in node.keywords:
            self._note_keyword(keyword, metaclasses[0] if metaclasses else takes, -1)
            self.visit(keyword.value)

        scope = self._inner_scopes.get(name_start, self._scope)
        # A base that a call makes comes behind the class itself.
        self._classes.append(ClassRecord(node.name, binding, name_start, scope, self._scope, (), None, ()))
        bases = tuple(
            self._class_by_call(base, self._start_of(base), -1) or self._origin(base)
            for base in above_it
        )
        self._classes[number] = (
            ClassRecord(
                node.name,
                binding,
                name_start,
                scope,
                self._scope,
                bases,
                metaclasses[0] if metaclasses else None,
                tuple(map(self._origin, node.decorator_list)),
            )
        )

        self._take(binding, own)
        before = self._class, self._private_name
        with self._inside(scope):
            self._class, self._private_name, self._is_class_body = number, node.name, True
            self._block(node.body)
        self._class, self._private_name = before

    def _bases_of(self, node: ast.ClassDef) -> tuple[list[ast.expr], list[ast.expr]]:
        """The bases of a class, and its metaclass where a call of a well-known library says both
        (`class Hive(six.with_metaclass(ABCMeta, Box))`)."""
        match node.bases:
            case [ast.Call(func=callee, args=[metaclass, *bases], keywords=[])] if not any(
                isinstance(each, ast.Starred) for each in (metaclass, *bases)
            ):
                root = callee.value if isinstance(callee, ast.Attribute) else callee
                known = {use.binding: use.name for use in self._imports if use.module == _SAYS_METACLASS[0]}
                if isinstance(root, ast.Name) and _short_name(callee) == _SAYS_METACLASS[1]:
                    if known.get(self._binding_at(self._start_of(root))) == ("" if root is not callee else _SAYS_METACLASS[1]):
                        self._note_called(callee)
                        self.visit(callee)
                        self.visit(metaclass)
                        return bases, [metaclass]
        return node.bases, []

    def visit_Assign(self, node: ast.Assign) -> None:
        """Every target takes the value."""
        self.visit(node.value)
        target = node.targets[0]
        made = None
        if isinstance(target, ast.Name) and len(node.targets) == 1:
            start = self._start_of(target)
            made = self._class_by_call(node.value, start, self._binding_at(start))
        origin = made or self._origin(node.value)
        for target in node.targets:
            self._bind(target, origin)

    def _class_by_call(self, node: ast.expr, name_start: int, binding: int) -> Origin | None:
        """The class that a call makes, where its fields are written out."""
        if not isinstance(node, ast.Call) or len(node.args) != 2 or any(
            keyword.arg in (None, "rename", "names", "start") for keyword in node.keywords
        ):
            return None
        callee = self._imported_name(node.func)
        title, listed = node.args
        name = title.value if isinstance(title, ast.Constant) else None
        fields = tuple(self._field_texts(listed)) if callee in MAKING_CLASSES else ()
        if not fields or not isinstance(name, str):
            return None
        number = len(self._classes)
        base = (self._origin(node.func),)
        self._classes.append(
            ClassRecord(name, binding, name_start, -1, self._scope, base, None, (), fields)
        )
        return Origin(OriginSort.DEFINED_CLASS, "", number)

    def _imported_name(self, node: ast.expr) -> str:
        """The last name of something, as its module has it where it was imported under another one (`nt` for `namedtuple`)."""
        if not isinstance(node, ast.Name):
            return _short_name(node)
        names = {
            self._imports[origin.binding].name
            for origin in self._sources.get(self._binding_at(self._start_of(node)), ())
            if origin.sort is OriginSort.IMPORTED
        }
        return names.pop() if len(names) == 1 and "" not in names else node.id

    def _field_texts(self, node: ast.expr) -> Iterator[FieldText]:
        """The fields that a text lists, or several; none where one of them is not plain."""
        if isinstance(node, ast.Constant):
            yield from self._words_of(node)
            return
        parts: Sequence[ast.expr | None] = ()
        if isinstance(node, ast.List | ast.Tuple):
            parts = [
                each.elts[0] if isinstance(each, ast.Tuple | ast.List) and each.elts else each
                for each in node.elts
            ]
        elif isinstance(node, ast.Dict):
            parts = node.keys
        found = [
            list(self._words_of(each)) if isinstance(each, ast.Constant) else [] for each in parts
        ]
        if all(len(words) == 1 for words in found):
            yield from (words[0] for words in found)

    def _words_of(self, node: ast.Constant) -> list[FieldText]:
        if not isinstance(node.value, str):
            return []
        start, end = self._start_of(node), self._end_of(node)
        raw = self._source.text[start:end]
        words = [(match[0], match.start()) for match in _FIELD.finditer(raw)]
        names = node.value.replace(",", " ").split()
        # Escapes, prefixes and texts in several pieces do not stand there as they read.
        if [word for word, _ in words] != names or not all(map(str.isidentifier, names)):
            return []
        return [FieldText(word, start + at, start + at + len(word)) for word, at in words]

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        """The annotation says what the target is."""
        self._visit_annotation(node.annotation)
        annotation = self._annotation(node.annotation)
        if node.value is not None and self._name_in_library(node.annotation) in ("Final", "ClassVar"):
            # That says nothing of the value.
            self._bind(node.target, self._origin(node.value))
        elif isinstance(node.target, ast.Name):
            self._declare(self._binding_at(self._start_of(node.target)), annotation)
        elif isinstance(node.target, ast.Attribute):
            self._bind(node.target, annotation)
        else:
            self._bind(node.target, annotation)
        if node.value is not None:
            self.visit(node.value)

    def visit_AugAssign(self, node: ast.AugAssign) -> None:
        """The target takes the result of an operation."""
        self.visit(node.value)
        value = self._origin(node.value)
        if isinstance(node.target, ast.Subscript):
            operands = (self._origin(node.target), value)
            self._bind(node.target, Origin(OriginSort.OPERATION, "", -1, operands))
        else:
            # `rows += more` puts more into the same list.
            self._bind(node.target, Origin(OriginSort.GROWN, "", -1, (value,)))
            self._put(node.target, value, is_spread=True)

    def visit_NamedExpr(self, node: ast.NamedExpr) -> None:
        """An assignment inside an expression."""
        self.visit(node.value)
        self._bind(node.target, self._origin(node.value))

    def visit_For(self, node: ast.For | ast.AsyncFor) -> None:
        """The target takes each element."""
        self.visit(node.iter)
        self._bind(node.target, self._element_of(node.iter))
        self._block(node.body)
        self._block(node.orelse)

    visit_AsyncFor = visit_For

    def _element_of(self, node: ast.expr) -> Origin:
        return Origin(OriginSort.EACH, "", -1, (self._origin(node),))

    def visit_comprehension(self, node: ast.comprehension) -> None:
        """As for `for`."""
        self.visit(node.iter)
        self._bind(node.target, self._element_of(node.iter))
        for test in node.ifs:
            self.visit(test)

    def _visit_comprehension(self, node: Any) -> None:
        before = dict(self._narrowed)
        for generator in node.generators:
            self.visit(generator)
        for generator in node.generators:
            for test in generator.ifs:
                self._narrow(test, ())
        for field in ("elt", "key", "value"):
            if (part := getattr(node, field, None)) is not None:
                self.visit(part)
        self._narrowed = before

    visit_ListComp = visit_SetComp = visit_GeneratorExp = visit_DictComp = _visit_comprehension

    def visit_With(self, node: ast.With | ast.AsyncWith) -> None:
        """The target takes what entering gives."""
        for item in node.items:
            self.visit(item.context_expr)
            if item.optional_vars is not None:
                entered = Origin(OriginSort.ENTERED, "", -1, (self._origin(item.context_expr),))
                self._bind(item.optional_vars, entered)
        self._block(node.body)

    visit_AsyncWith = visit_With

    def visit_Try(self, node: ast.Try | ast.TryStar) -> None:
        """Each handler's name is an instance of what it catches."""
        self._block(node.body)
        for handler in node.handlers:
            if handler.type is not None:
                self.visit(handler.type)
                classes = (
                    handler.type.elts if isinstance(handler.type, ast.Tuple) else [handler.type]
                )
                if handler.name is not None:
                    caught = _either(map(self._instance_of, classes))
                    self._take(self._binding_at(self._place(handler, "name")), caught)
            self._block(handler.body)
        self._block(node.orelse)
        self._block(node.finalbody)

    visit_TryStar = visit_Try

    def visit_Match(self, node: ast.Match) -> None:
        """Patterns look attributes up and bind names."""
        self.visit(node.subject)
        for case in node.cases:
            self.visit(case.pattern)
            if case.guard is not None:
                self.visit(case.guard)
            self._block(case.body)

    def visit_MatchClass(self, node: ast.MatchClass) -> None:
        """Keywords of a class pattern are attributes of the class."""
        self.visit(node.cls)
        callee = self._origin(node.cls)
        for name, pattern in zip(node.kwd_attrs, node.kwd_patterns, strict=True):
            start = keyword_before(self._source.text, name, self._start_of(pattern))
            if start >= 0:
                self._keywords.append(
                    KeywordUse(start, start + len(name), self._mangled(name), callee, in_pattern=True)
                )
        for pattern in [*node.patterns, *node.kwd_patterns]:
            self.visit(pattern)

    def visit_MatchAs(self, node: ast.MatchAs) -> None:
        """A name for what a pattern matched."""
        if node.pattern is not None:
            self.visit(node.pattern)
        if node.name is not None:
            matched = UNKNOWN
            if isinstance(node.pattern, ast.MatchClass):
                matched = self._instance_of(node.pattern.cls)
            self._take(self._binding_at(self._place(node, "name")), matched)

    def visit_MatchStar(self, node: ast.MatchStar) -> None:
        """A name for the rest of a sequence."""
        if node.name is not None:
            self._take(self._binding_at(self._place(node, "name")), UNKNOWN)

    def visit_MatchMapping(self, node: ast.MatchMapping) -> None:
        """A name for the rest of a mapping."""
        self.generic_visit(node)
        if node.rest is not None:
            self._take(self._binding_at(self._place(node, "rest")), UNKNOWN)

    def visit_Import(self, node: ast.Import) -> None:
        """Each alias binds a module."""
        for alias in node.names:
            start = self._start_of(alias)
            self._import(alias, alias.name, "", start, start + len(alias.name), -1)

    def visit_ImportFrom(self, node: ast.ImportFrom) -> None:
        """Each alias binds something out of a module."""
        module = "." * node.level + (node.module or "")
        module_start = module_start_of(self._source.text, self._start_of(node), module)
        for alias in node.names:
            start = self._start_of(alias)
            self._import(alias, module, alias.name, start, start + len(alias.name), module_start)

    def _import(
        self, alias: ast.alias, module: str, name: str, start: int, end: int, module_start: int
    ) -> None:
        binding = self._binding_at(self._place(alias, "asname")) if name != "*" else -1
        self._take(binding, Origin(OriginSort.IMPORTED, "", len(self._imports)))
        self._imports.append(
            ImportUse(module, name, start, end, module_start, binding, alias.asname is not None)
        )

    def visit_Return(self, node: ast.Return) -> None:
        """What a function gives."""
        if node.value is not None:
            self.visit(node.value)
            self._frames[-1].returned.append(self._origin(node.value))
        else:
            self._frames[-1].returned.append(_plain("NoneType"))

    def visit_Yield(self, node: ast.Yield) -> None:
        """What a generator gives."""
        self._frames[-1].is_generator = True
        if node.value is not None:
            self.visit(node.value)
            self._frames[-1].yielded.append(self._origin(node.value))

    def visit_YieldFrom(self, node: ast.YieldFrom) -> None:
        """What a generator hands on."""
        self._frames[-1].is_generator = True
        self.visit(node.value)
        self._frames[-1].yielded.append(self._element_of(node.value))

    # -- expressions -------------------------------------------------------------------------

    def visit_Attribute(self, node: ast.Attribute) -> None:
        """A name behind a dot."""
        self._note_attribute(node, UNKNOWN)
        self.visit(node.value)

    def _note_attribute(self, node: ast.Attribute, value: Origin) -> None:
        end = self._end_of(node)
        start = end - len(node.attr)
        if self._source.text[start:end] != node.attr:
            return
        self._attributes.append(
            AttributeUse(
                start,
                end,
                self._mangled(node.attr),
                _USES[type(node.ctx)],
                self._origin(node.value),
                self._scope,
                value,
            )
        )

    def visit_Call(self, node: ast.Call) -> None:
        """A call: what it is of, and what it hands on."""
        call = self._note_called(node.func)
        self.visit(node.func)
        callee = self._origin(node.func)
        arguments = tuple(map(self._origin, node.args))
        self._note_lambda(node)
        self._note_lookup(node, arguments)
        self._note_passed_rest(node, callee, call)
        self._note_puts(node)
        for position, argument in enumerate(node.args):
            self._note_text(argument, callee, call, position, "", arguments)
            self._hand(argument, callee, call, position, "")
            self.visit(argument)
        for keyword in node.keywords:
            self._note_keyword(keyword, callee, call)
            self._note_text(keyword.value, callee, call, -1, keyword.arg or "", arguments)
            self._hand(keyword.value, callee, call, -1, keyword.arg or "**")
            self.visit(keyword.value)

    def _note_puts(self, node: ast.Call) -> None:
        """What a method puts into the collection that it is called of."""
        if not isinstance(node.func, ast.Attribute) or node.func.attr not in (*TAKING_ONE, *TAKING_ALL):
            return
        collection, method = node.func.value, node.func.attr
        if method in TAKING_ALL:
            for each in node.args:
                is_whole = not isinstance(each, ast.Starred)
                self._put(collection, self._origin(each) if is_whole else UNKNOWN, is_spread=True)
            for keyword in node.keywords:
                self._put(collection, self._origin(keyword.value) if keyword.arg is not None else UNKNOWN)
        elif len(node.args) > TAKING_ONE[method] and not any(isinstance(each, ast.Starred) for each in node.args):
            self._put(collection, self._origin(node.args[TAKING_ONE[method]]))
        elif method != "setdefault":
            self._put(collection, UNKNOWN)

    def _note_called(self, callee: ast.expr) -> int:
        """Note an expression that is called, or that decorates; where it ends."""
        end = self._end_of(callee)
        if not isinstance(callee, _ENDING_AS_A_PART):
            self._called.add(end)
        if isinstance(callee, ast.Call):
            self._called_through.add(self._end_of(callee.func))
        return end

    def _note_lookup(self, node: ast.Call, arguments: tuple[Origin, ...]) -> None:
        """Note a call that looks an attribute up by a name which is worked out."""
        called, receiver = self._called_name(node.func), UNKNOWN
        name: ast.expr | None = None
        if called in LOOKUPS or called == LOOKS_PAST_HOOKS or puts_stand_in(node.func):
            is_spread = any(isinstance(each, ast.Starred) for each in node.args[:2])
            if len(node.args) > 1 and not is_spread:
                receiver, name = arguments[0], node.args[1]
            elif node.args:
                name = node.args[0]
        elif called in HOOKS and isinstance(node.func, ast.Attribute):
            n_own = 1 + (called == "__setattr__")
            is_bound = len(node.args) == n_own
            owner = node.func.value if is_bound or not node.args else node.args[0]
            receiver = self._origin(owner)
            name = node.args[-n_own] if len(node.args) in (n_own, n_own + 1) else None
            if isinstance(name, ast.Name) and name.id == self._hooked[1] and self._is_itself(owner):
                # The hook hands on what it was asked for.
                return
        elif called in ASKING_LATER and node.args:
            name = next((each for each in node.args if not isinstance(each, ast.Constant)), None)
        if name is not None and not isinstance(name, ast.Constant):
            is_asked = isinstance(name, ast.Name) and name.id == self._hooked[1] and self._is_only_asked(name.id)
            only_name = self._only_name_in(name) if len(node.args) > 1 and name is node.args[1] else -1
            for prefix, suffix, is_whole in sorted(self._shapes_of(name)):
                is_open_variable = isinstance(name, ast.Name) and not (prefix or suffix or is_whole)
                binding = self._binding_at(self._start_of(name)) if is_open_variable else -1
                self._lookups.append(Lookup(self._start_of(node), receiver, prefix, suffix, is_asked, is_whole, binding, only_name))

    def _only_name_in(self, worked_out: ast.expr) -> int:
        """The binding of the one name in an expression that is made of texts beside it; -1 for any other."""
        parts = list(ast.walk(worked_out))
        names = [each for each in parts if isinstance(each, ast.Name)]
        is_text = len(names) == 1 and all(isinstance(each, _PARTS_OF_TEXT) for each in parts)
        return self._binding_at(self._start_of(names[0])) if is_text else -1

    def _shapes_of(self, name: ast.expr | None, seen: frozenset[str] = frozenset()) -> set[tuple[str, str, bool]]:
        """What a text that is put together may begin and end with, and whether the beginning is all of it: several
        where a variable may hold several texts."""
        if isinstance(name, ast.IfExp):
            return self._shapes_of(name.body, seen) | self._shapes_of(name.orelse, seen)
        if isinstance(name, ast.Constant) and isinstance(name.value, str):
            return {(name.value, "", True)}
        if isinstance(name, ast.Name) and name.id not in seen:
            return set().union(*(self._shapes_of(each, seen | {name.id}) for each in self._given_to(name)))
        return {(*_ends_of(name), False)} if name is not None else {("", "", False)}

    def _given_to(self, name: ast.Name) -> list[ast.expr | None]:
        """What a variable of a function is given, `None` for what is not written out."""
        # The first frame is the module's: a variable may belong to any of the functions around.
        given = [each for frame in self._frames[1:2] for each in frame.given.get(name.id, ())]
        binding = self._binding_at(self._start_of(name))
        plain = [each for each in given if each is not None]
        own = [value for target, value in plain if self._binding_at(self._start_of(target)) == binding]
        return [*own] if own and len(plain) == len(given) else [None]

    def _is_only_asked(self, name: str) -> bool:
        """Whether a name is still what the special method around was asked for: nothing else is given to it there."""
        method = next(frame for frame in reversed(self._frames) if not isinstance(frame.node, ast.Lambda))
        return method.given.get(name) == [None]

    def _is_itself(self, node: ast.expr) -> bool:
        """Whether an expression is the instance of the special method around, or what is above it."""
        is_super = isinstance(node, ast.Call) and _short_name(node.func) == "super"
        return is_super or (isinstance(node, ast.Name) and node.id == self._hooked[0])

    def _called_name(self, callee: ast.expr) -> str:
        """The last name of what is called, or that of what asks for names where it is called by another one."""
        name = self._disguised.get(self._binding_at(self._start_of(callee))) if isinstance(callee, ast.Name) else None
        return name or _short_name(callee)

    def _note_kept_readers(self) -> None:
        """`getattr` and its like as values, or under names by which other files may call them: what they will be called
        with is not known."""
        facts = self._facts
        imported = {use.binding: use.name for use in self._imports if use.module in MODULES_OF_READERS}
        for number, binding in enumerate(facts.bindings):
            name = binding.name if binding.outside and binding.name in LOOKUPS else imported.get(number, "")
            if name not in NAME_READERS:
                continue
            is_seen_elsewhere = name != binding.name and facts.scopes[binding.scope].kind is not ScopeKind.FUNCTION
            for reference in (facts.references[index] for index in binding.references):
                is_kept = reference.role is Role.READ and reference.end not in self._called
                if is_kept or (reference.role is Role.IMPORT and is_seen_elsewhere):
                    self._keep_reader(name, reference.start, reference.end, Origin(OriginSort.NAME, name, number))
        builtins = {use.binding for use in self._imports if use.module == "builtins" and not use.name}
        for use in self._attributes:
            is_builtin = use.name in NAME_READERS and use.receiver.sort is OriginSort.NAME and use.receiver.binding in builtins
            if use.use is Use.READ and use.end not in self._called and (is_builtin or use.name in READERS_BEHIND_DOTS):
                self._keep_reader(use.name, use.start, use.end, Origin(OriginSort.ATTRIBUTE, use.name, -1, (use.receiver,)))

    def _keep_reader(self, name: str, start: int, end: int, reader: Origin) -> None:
        """Note something that asks for names, and may be called with anything."""
        if name in LISTING_NAMES:
            self._handed.append(Handed(start, end, UNKNOWN, reader, -1, 0, ""))
            return
        self._lookups.append(Lookup(start, UNKNOWN, ""))

    def _hand(
        self, argument: ast.expr, callee: Origin, call: int, position: int, keyword: str
    ) -> None:
        inner = argument.value if isinstance(argument, ast.Starred) else argument
        if inner is not argument:
            position, keyword = -1, "*"
        start, end = self._start_of(inner), self._end_of(inner)
        self._handed.append(Handed(start, end, self._origin(inner), callee, call, position, keyword))
        for part in _parts_inside(argument):
            start, end = self._start_of(part), self._end_of(part)
            self._handed.append(Handed(start, end, self._origin(part), callee, call, -1, "…"))

    def _note_lambda(self, node: ast.Call) -> None:
        """What builtins that go through something give to a function without a name."""
        if isinstance(node.func, ast.Attribute):
            gone_through = node.func.value if node.func.attr == "sort" else None
        else:
            is_builtin = isinstance(node.func, ast.Name) and self._is_builtin(node.func)
            by_key = is_builtin and _short_name(node.func) in ("sorted", "min", "max")
            gone_through = node.args[0] if by_key and len(node.args) == 1 else None
            if is_builtin and _short_name(node.func) in ("map", "filter") and len(node.args) == 2:
                if isinstance(node.args[0], ast.Lambda):
                    self._given_to_lambdas[id(node.args[0])] = self._element_of(node.args[1])
        for keyword in node.keywords:
            if keyword.arg == "key" and isinstance(keyword.value, ast.Lambda) and gone_through is not None:
                self._given_to_lambdas[id(keyword.value)] = self._element_of(gone_through)

    def _is_builtin(self, node: ast.Name) -> bool:
        binding = self._binding_at(self._start_of(node))
        return binding >= 0 and self._facts.bindings[binding].outside

    def _note_keyword(self, keyword: ast.keyword, callee: Origin, call: int) -> None:
        if keyword.arg is not None:
            start = self._start_of(keyword)
            end = start + len(keyword.arg)
            self._keywords.append(KeywordUse(start, end, keyword.arg, callee, call))
            return
        self._note_rest(keyword.value, callee, call)

    def _note_rest(
        self, node: ast.expr, callee: Origin, call: int, *, is_passed: bool = False
    ) -> None:
        """Note a dictionary of keywords."""
        keys: tuple[str, ...] | None = None
        if isinstance(node, ast.Dict) and all(isinstance(key, ast.Constant) for key in node.keys):
            keys = tuple(str(key.value) for key in node.keys if isinstance(key, ast.Constant))
        start, end = self._start_of(node), self._end_of(node)
        self._rests.append(RestUse(start, end, callee, keys, self._origin(node), call, is_passed))

    def _note_passed_rest(self, node: ast.Call, callee: Origin, call: int) -> None:
        """Note a dictionary that a call takes to call something with it later."""
        position = PASSED_AT.get(self._imported_name(node.func), len(node.args))
        passed = node.args[position : position + 1]
        passed += [keyword.value for keyword in node.keywords if keyword.arg in _PASSED_AS]
        for value in passed:
            self._note_rest(value, callee, call, is_passed=True)

    def _note_text(
        self,
        node: ast.expr,
        callee: Origin,
        call: int,
        position: int,
        keyword: str,
        arguments: tuple[Origin, ...],
    ) -> None:
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            if node.value in (ASKED_FOR_ANY_NAME, *NAME_READERS) and callee.name in GIVING_READERS:
                self._lookups.append(Lookup(self._start_of(node), UNKNOWN, ""))
            self._texts[self._start_of(node)] = TextUse(
                self._start_of(node),
                self._end_of(node),
                node.value,
                callee,
                call,
                position,
                keyword,
                arguments,
                self._is_written_plainly(node),
            )

    def visit_Constant(self, node: ast.Constant) -> None:
        """A text that could be a name."""
        if (
            isinstance(node.value, str)
            and _PLAIN_TEXT.fullmatch(node.value)
            and self._start_of(node) not in self._texts
        ):
            self._note_text(node, UNKNOWN, -1, -1, "", ())

    def _is_written_plainly(self, node: ast.Constant) -> bool:
        """Whether the text stands in the file as it is, between one pair of quotes."""
        start, end = self._start_of(node), self._end_of(node)
        return quoted_range(self._source.text, start, end, str(node.value)) is not None

    def _origin(self, node: ast.expr) -> Origin:
        """Where an expression's value comes from."""
        make = _ORIGINS.get(type(node))
        return make(self, node) if make is not None else UNKNOWN

    def _origin_of_name(self, node: ast.Name) -> Origin:
        binding = self._binding_at(self._start_of(node))
        if (narrowed := self._narrowed.get(binding)) is not None:
            return narrowed
        return Origin(OriginSort.NAME, self._disguised.get(binding, node.id), binding)

    def _origin_of_attribute(self, node: ast.Attribute) -> Origin:
        return Origin(OriginSort.ATTRIBUTE, self._mangled(node.attr), -1, (self._origin(node.value),))

    def _origin_of_call(self, node: ast.Call) -> Origin:
        if isinstance(node.func, ast.Name) and node.func.id == "super" and not node.args:
            return Origin(OriginSort.ABOVE, "", self._class) if self._class >= 0 else UNKNOWN
        if isinstance(node.func, ast.Name) and node.func.id in _EMPTY and not node.args and not node.keywords:
            if self._is_builtin(node.func):
                return _EMPTY[node.func.id]
        arguments = [] if any(isinstance(each, ast.Starred) for each in node.args) else node.args
        return Origin(
            OriginSort.CALL, "", -1, (self._origin(node.func), *map(self._origin, arguments))
        )

    def _origin_of_subscript(self, node: ast.Subscript) -> Origin:
        if isinstance(node.slice, ast.Slice):
            return Origin(OriginSort.PART, "", -1, (self._origin(node.value),))
        index = node.slice.value if isinstance(node.slice, ast.Constant) else None
        name = str(index) if type(index) is int else ""
        return Origin(OriginSort.ELEMENT, name, -1, (self._origin(node.value),))

    def _origin_of_constant(self, node: ast.Constant) -> Origin:
        return _plain(type(node.value).__name__)

    def _origin_of_series(self, node: ast.List | ast.Set | ast.Tuple) -> Origin:
        parts = tuple(
            self._element_of(each.value) if isinstance(each, ast.Starred) else self._origin(each)
            for each in node.elts
        )
        if isinstance(node, ast.Tuple) and not any(isinstance(e, ast.Starred) for e in node.elts):
            return Origin(OriginSort.TUPLE, "", -1, parts)
        return Origin(OriginSort.SERIES, type(node).__name__.lower(), -1, parts)

    def _origin_of_dict(self, node: ast.Dict) -> Origin:
        # A dictionary that is taken in may hold anything.
        values = tuple(
            self._origin(value) if key is not None else UNKNOWN
            for key, value in zip(node.keys, node.values, strict=True)
        )
        return Origin(OriginSort.MAPPING, "", -1, values)

    def _origin_of_comprehension(self, node: ast.ListComp | ast.SetComp | ast.GeneratorExp) -> Origin:
        sorts = {ast.ListComp: "list", ast.SetComp: "set", ast.GeneratorExp: "generator"}
        return Origin(OriginSort.SERIES, sorts[type(node)], -1, (self._origin(node.elt),))

    def _origin_of_dict_comprehension(self, node: ast.DictComp) -> Origin:
        return Origin(OriginSort.MAPPING, "", -1, (self._origin(node.value),))

    def _origin_of_operation(self, node: ast.BinOp) -> Origin:
        parts = (self._origin(node.left), self._origin(node.right))
        return Origin(OriginSort.OPERATION, "", -1, parts)

    def _origin_of_sign(self, node: ast.UnaryOp) -> Origin:
        if isinstance(node.op, ast.Not):
            return _plain("bool")
        return Origin(OriginSort.OPERATION, "", -1, (self._origin(node.operand),))

    # -- annotations -------------------------------------------------------------------------

    def _visit_annotation(self, node: ast.expr) -> None:
        """Note the attributes inside an annotation, quoted or not."""
        self.visit(node)
        for inner in ast.walk(node):
            if isinstance(inner, ast.Constant) and isinstance(inner.value, str):
                if (fragment := self._unquoted(inner)) is not None:
                    self.visit(fragment)

    def _unquoted(self, node: ast.Constant) -> ast.expr | None:
        """The expression inside an annotation in quotes; asked for by whoever reads the annotation."""
        start = self._start_of(node)
        if start not in self._fragments:
            value = str(node.value)
            inside = quoted_range(self._source.text, start, self._end_of(node), value)
            self._fragments[start] = parse_fragment(self._source, *inside) if inside is not None else None
        return self._fragments[start]

    def _annotation(self, node: ast.expr) -> Origin:
        """What an annotation says that a value is."""
        if isinstance(node, ast.Constant):
            if node.value is None:
                return _plain("NoneType")
            fragment = self._unquoted(node) if isinstance(node.value, str) else None
            return self._annotation(fragment) if fragment is not None else UNKNOWN
        if isinstance(node, ast.BinOp) and isinstance(node.op, ast.BitOr):
            return _either([self._annotation(node.left), self._annotation(node.right)])
        if isinstance(node, ast.Subscript):
            return self._annotation_with_parts(node)
        if isinstance(node, ast.Name | ast.Attribute):
            name = self._name_in_library(node)
            if name == "Self" and self._class >= 0:
                return Origin(OriginSort.INSTANCE, "", -1, (Origin(OriginSort.DEFINED_CLASS, "", self._class),))
            if name in ("Any", "object", "Self", "Callable", "type", "Type"):
                # A value of any class has `object` for its own.
                return UNKNOWN
            if name in _SERIES | _MAPPINGS | {"tuple", "Tuple"}:
                return Origin(OriginSort.SERIES, "", -1, (UNKNOWN,))
            return self._instance_of(node)
        return UNKNOWN

    def _name_in_library(self, node: ast.expr) -> str:
        """What the language or its library calls what an annotation names, whatever it is called here; "" for what is a class
        of somebody's own (`nodes.List`)."""
        base = node
        while isinstance(base, ast.Attribute):
            base = base.value
        if not isinstance(base, ast.Name):
            return _short_name(node)
        binding = self._binding_at(self._start_of(base))
        if binding < 0 or self._facts.bindings[binding].outside:
            return _short_name(node) if binding < 0 or base is node else ""
        imported = [
            self._imports[origin.binding]
            for origin in self._sources.get(binding, ())
            if origin.sort is OriginSort.IMPORTED
        ]
        is_only_imported = self._facts.roles(binding) & BINDING_ROLES == {Role.IMPORT}
        names = {use.name for use in imported} if base is node else {_short_name(node)}
        if not is_only_imported or len(names) != 1 or not {use.module for use in imported} <= _MODULES_OF_TYPES:
            return ""
        return names.pop()

    def _annotation_with_parts(self, node: ast.Subscript) -> Origin:
        name = self._name_in_library(node.value)
        parts = node.slice.elts if isinstance(node.slice, ast.Tuple) else [node.slice]
        if not parts:
            return UNKNOWN
        if name in ("Optional", "Union"):
            return _either([*map(self._annotation, parts)])
        if name in _FIRST_IS_IT:
            return self._annotation(parts[0])
        if name in _SERIES:
            return Origin(OriginSort.SERIES, "annotated", -1, (self._annotation(parts[0]),))
        if name in _MAPPINGS:
            return Origin(OriginSort.MAPPING, "annotated", -1, (self._annotation(parts[-1]),))
        if name in _PROMISES:
            return Origin(OriginSort.PROMISE, "", -1, (self._annotation(parts[-1]),))
        if name in ("tuple", "Tuple"):
            if isinstance(parts[-1], ast.Constant) and parts[-1].value is ...:
                return Origin(OriginSort.SERIES, "tuple", -1, (self._annotation(parts[0]),))
            return Origin(OriginSort.TUPLE, "", -1, tuple(map(self._annotation, parts)))
        if name in ("type", "Type"):
            return Origin(OriginSort.CLASS, "", -1, (self._origin(parts[0]),))
        if name in ("Callable", "Literal", "TypeGuard", "TypeIs", "ContextManager"):
            return UNKNOWN
        return self._instance_of(node.value)


def _ends_of(node: ast.expr) -> tuple[str, str]:
    """What a text begins and ends with that is put together from parts."""
    if isinstance(node, ast.JoinedStr) and node.values:
        return _ends_of(node.values[0])[0], _ends_of(node.values[-1])[1]
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return _ends_of(node.left)[0], _ends_of(node.right)[1]
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mod):
        return _ends_of(node.left)
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "format":
        return _ends_of(node.func.value)
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return _BEFORE_FILLING.split(node.value)[0], _AFTER_FILLING.split(node.value)[-1]
    return "", ""


def given_in(function: ast.AST) -> dict[str, list[Given | None]]:
    """What the names of a function, and of those inside it, are given: expressions, and `None` for all else."""
    found: dict[str, list[Given | None]] = {}
    plain: set[ast.expr] = set()
    nodes = list(ast.walk(function))
    for node in nodes:
        for target, value in _given_plainly(node):
            plain.add(target)
            found.setdefault(target.id, []).append((target, value))
    for node in nodes:
        if isinstance(node, ast.Name) and not isinstance(node.ctx, ast.Load) and node not in plain:
            found.setdefault(node.id, []).append(None)
        for name in _bound_otherwise(node):
            found.setdefault(name, []).append(None)
    return found


def _given_plainly(node: ast.AST) -> Iterator[Given]:
    """The names that a statement or expression gives values that are written there."""
    if isinstance(node, ast.Assign):
        yield from ((target, node.value) for target in node.targets if isinstance(target, ast.Name))
    elif isinstance(node, ast.AnnAssign | ast.NamedExpr) and isinstance(node.target, ast.Name):
        if node.value is not None:
            yield node.target, node.value
    elif isinstance(node, ast.For | ast.AsyncFor | ast.comprehension):
        listed = node.iter.elts if isinstance(node.iter, ast.Tuple | ast.List | ast.Set) else []
        if isinstance(node.target, ast.Name) and not any(isinstance(each, ast.Starred) for each in listed):
            yield from ((node.target, each) for each in listed)


def _bound_otherwise(node: ast.AST) -> Iterator[str]:
    """The names that something binds which is no expression."""
    if isinstance(node, ast.Global | ast.Nonlocal):
        yield from node.names
    elif isinstance(node, ast.alias):
        yield node.asname or node.name.partition(".")[0]
    elif not isinstance(node, ast.keyword):
        names = (getattr(node, field, None) for field in ("name", "arg", "rest"))
        yield from (name for name in names if isinstance(name, str))


def _assigns(nodes: Iterable[ast.AST], name: str) -> bool:
    """Whether something in the nodes gives a name another value."""
    return any(
        (isinstance(each, ast.Name) and each.id == name and not isinstance(each.ctx, ast.Load))
        or (isinstance(each, ast.Nonlocal | ast.Global) and name in each.names)
        for node in nodes
        for each in ast.walk(node)
    )


_ORIGINS: dict[type[ast.AST], Any] = {
    ast.Name: _Reader._origin_of_name,
    ast.Attribute: _Reader._origin_of_attribute,
    ast.Call: _Reader._origin_of_call,
    ast.Subscript: _Reader._origin_of_subscript,
    ast.Constant: _Reader._origin_of_constant,
    ast.JoinedStr: lambda reader, node: _plain("str"),
    ast.Compare: lambda reader, node: Origin(OriginSort.OPERATION, "", -1, ()),
    **dict.fromkeys((ast.List, ast.Set, ast.Tuple), _Reader._origin_of_series),
    ast.Dict: _Reader._origin_of_dict,
    **dict.fromkeys((ast.ListComp, ast.SetComp, ast.GeneratorExp), _Reader._origin_of_comprehension),
    ast.DictComp: _Reader._origin_of_dict_comprehension,
    ast.IfExp: lambda reader, node: _either([reader._origin(node.body), reader._origin(node.orelse)]),
    ast.BoolOp: lambda reader, node: _either([*map(reader._origin, node.values)]),
    ast.BinOp: _Reader._origin_of_operation,
    ast.UnaryOp: _Reader._origin_of_sign,
    ast.NamedExpr: lambda reader, node: reader._origin(node.value),
    ast.Await: lambda reader, node: Origin(
        OriginSort.AWAITED, "", -1, (reader._origin(node.value),)
    ),
}


def _parts_inside(node: ast.expr) -> Iterator[ast.expr]:
    """What a collection that is written out holds, however deep."""
    if isinstance(node, ast.Tuple | ast.List | ast.Set):
        parts = node.elts
    elif isinstance(node, ast.Dict):
        parts = node.values
    else:
        return
    for part in parts:
        yield part
        yield from _parts_inside(part)
