"""What a value may be: enough of it to tell what an attribute belongs to.

The answer is a set of possibilities that leaves nothing out: where something is not known for sure,
`UNKNOWN_VALUE` is among them. What code does is taken without its order: a variable may hold whatever
any of its assignments gives it.
"""

from __future__ import annotations

import builtins
import re
from collections import ChainMap, Counter, OrderedDict, defaultdict, deque
from collections.abc import Callable, Collection, Iterable, Iterator
from functools import cached_property
from typing import NamedTuple

from zephyrun.facts import BINDING_ROLES, Role, ScopeKind
from zephyrun.link_facts import (
    BY_KEYWORD,
    BY_POSITION,
    AttributeUse,
    ClassRecord,
    FunctionRecord,
    Handed,
    Origin,
    OriginSort,
    ParameterRecord,
    Use,
)
from zephyrun.linking.answers import Answers
from zephyrun.linking.borrowed_methods import BorrowedMethods
from zephyrun.linking.bridges import KEYWORD_DECORATOR, has_keyword_function
from zephyrun.linking.hierarchy import Hierarchy
from zephyrun.linking.holdings import Holdings, is_mutable, opened, without_depths
from zephyrun.linking.library_calls import KEPT_UNDER
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.linking.meanings import Meanings, Named
from zephyrun.linking.module_values import ModuleValues
from zephyrun.linking.modules_about import ModulesAbout
from zephyrun.linking.replaced_modules import ReplacedModules
from zephyrun.linking.set_by_name import names_set_in, sets_any_name
from zephyrun.linking.texts import registering_in
from zephyrun.linking.value_sorts import (
    OR_BELOW,
    UNKNOWN_VALUE,
    ClassKey,
    FunctionKey,
    Value,
    Values,
    ValueSort,
    may_be_of,
)
from zephyrun.patterns import lazy_pattern


class Bases(NamedTuple):
    """The direct bases of a class: those that could be read, the names of those of libraries that could
    not, and what the others are called, which may be any class, one of the project's own included."""

    read: tuple[ClassKey, ...]
    foreign: tuple[str, ...]
    unknown: tuple[str, ...]


_NOTHING_KNOWN: Values = frozenset({UNKNOWN_VALUE})
_OUTSIDE: Values = frozenset({Value(ValueSort.OUTSIDE)})
NONE = Value(ValueSort.PLAIN, name="NoneType")
_MOST_FILES_FOR_ONE = 30
# What makes records, beside a call. Source: library reference.
NAMED_TUPLES = ("typing.NamedTuple", "collections.namedtuple")
_RECORDS = ("dataclasses.dataclass",)
_RECORD_BASES = frozenset({*NAMED_TUPLES, "typing.TypedDict"})

# Builtins by what they give. Source: library reference, "Built-in Functions".
_GIVE_PLAIN = {
    **dict.fromkeys("len hash id ord".split(), "int"),
    **dict.fromkeys("repr str ascii bin oct hex chr format input".split(), "str"),
    **dict.fromkeys("isinstance issubclass callable any all hasattr bool".split(), "bool"),
    **{name: name for name in "int float complex bytes bytearray memoryview range slice".split()},
    **dict.fromkeys("print delattr setattr".split(), "NoneType"),
}
# What is an instance of one of these may be anything, or any class.
_ANYTHING = frozenset({"builtins.object", "builtins.type"})
_GIVING_AGAIN = frozenset({"functools.cache", "functools.lru_cache"})
_GIVE_SERIES = frozenset("list tuple set frozenset sorted reversed iter".split())
_GIVE_ELEMENT = frozenset({"next", "min", "max"})
_GIVE_ARGUMENT = frozenset({"os.fspath", "copy.copy", "copy.deepcopy", "dataclasses.replace", "weakref.proxy"})
# Modules of the standard library that make and give nothing but things of their own, by documentation.
_COPYING_HOOKS = ("__copy__", "__deepcopy__", "__reduce__", "__reduce_ex__", "__replace__")
_GIVE_OWN_THINGS = frozenset(
    "re pathlib os os.path datetime time calendar logging subprocess shutil tempfile glob hashlib hmac "
    "struct zlib gzip bz2 lzma zipfile tarfile platform uuid secrets base64 binascii string textwrap "
    "unicodedata decimal fractions math cmath io csv socket ssl getpass locale "
    "fnmatch stat errno difflib html urllib.parse ipaddress mimetypes sysconfig".split()
)
_BUILTINS_OF_MODULE = "__builtins__"
# What gives modules by what it is handed, though its code names only others.
_FINDING_MODULES = frozenset({"inspect.getmodule", "pkgutil.resolve_name"})
# Annotations that stand for files of the library. Source: library reference, `typing`.
_FILES = frozenset({"typing.IO", "typing.TextIO", "typing.BinaryIO"})
# What these things give back as it was handed to them: the file below a buffer, the zone of a time, the
# texts that are compared, the getter of a property.
_GIVEN_BACK = frozenset(
    "string raw buffer detach stream fileobj myfileobj fp file tzinfo logger target queue sock args extra a b "
    "converters numerator denominator filters handlers value obj object __func__ __wrapped__ __self__".split()
).union(*KEPT_UNDER.values())
# What a collection of each sort may be asked for; for anything else, something of a class below it.
_METHODS_OF = {
    ValueSort.SERIES: frozenset().union(*map(dir, (list, set, frozenset, deque, type(iter([]))))) | {"send", "throw", "close"},
    ValueSort.TUPLE: frozenset(dir(tuple)),
    ValueSort.MAPPING: frozenset().union(*map(dir, (dict, OrderedDict, defaultdict, ChainMap, Counter))),
}
# So many parts has no name of a library.
_LONGEST_NAME = 10
_PARSING = "argparse.ArgumentParser().parse_args"
# What calling something of the standard library gives, where that is one thing of the library's own; the
# attributes of a namespace may be anything.
_GIVE_FOREIGN = {
    "argparse.ArgumentParser": "argparse.ArgumentParser()",
    _PARSING: "argparse.Namespace()",
    "argparse.ArgumentParser().add_subparsers": "argparse.ArgumentParser().add_subparsers()",
    "argparse.ArgumentParser().add_subparsers().add_parser": "argparse.ArgumentParser()",
    "argparse.ArgumentParser().add_argument_group": "argparse.ArgumentParser()",
    "argparse.ArgumentParser().add_mutually_exclusive_group": "argparse.ArgumentParser()",
    "argparse.Namespace": "argparse.Namespace()",
    "types.SimpleNamespace": "types.SimpleNamespace()",
    "logging.getLogger": "logging.Logger()",
    "logging.Logger": "logging.Logger()",
    "logging.Logger().getChild": "logging.Logger()",
}
# What gives loggers, and what says of which class these are.
_GIVING_LOGGERS = frozenset({"logging.getLogger", "logging.Logger().getChild"})
_SETTING_LOGGERS = ("setLoggerClass", "loggerClass")
_NAMESPACES = frozenset({"argparse.Namespace()", "types.SimpleNamespace()"})
# Decorators that leave a function what it is, or whose result is called the same way.
HARMLESS_DECORATORS = frozenset(
    """builtins.staticmethod builtins.classmethod abc.abstractmethod functools.lru_cache functools.cache
    functools.wraps typing.final typing.override typing.overload typing.no_type_check
    contextlib.contextmanager contextlib.asynccontextmanager builtins.property functools.cached_property
    abc.abstractproperty functools.singledispatch functools.total_ordering functools.partialmethod
    dataclasses.dataclass typing.runtime_checkable enum.unique typing.dataclass_transform
    functools.singledispatchmethod warnings.deprecated types.coroutine atexit.register""".split()
)
# What stands before the dot at the end of a text, which is no longer than this.
_OWNER = lazy_pattern(r"(\w+)\s*\.\s*\Z")
_LONGEST_OWNER = 200
# To be of an abstract class of the library gives a class nothing.
_REGISTERING = lazy_pattern(r"(?:collections\.abc|numbers)\.\w+\.register")
PROPERTIES = frozenset(
    {"builtins.property", "functools.cached_property", "abc.abstractproperty", "enum.property"}
)
# What says itself what reading an attribute that it is gives.
_ASKED_WHEN_READ = PROPERTIES | {"functools.partialmethod", "functools.singledispatchmethod", "types.DynamicClassAttribute"}
_ENTERING = frozenset({"contextlib.contextmanager", "contextlib.asynccontextmanager"})
# Those whose result gives what the function does.
SAME_RESULT = HARMLESS_DECORATORS - PROPERTIES - _ENTERING - {"functools.singledispatchmethod"}
# What holds its parts, all of them together or, as a tuple does, one by one.
_HOLDING = {
    OriginSort.SERIES: ValueSort.SERIES,
    OriginSort.TUPLE: ValueSort.TUPLE,
    OriginSort.MAPPING: ValueSort.MAPPING,
    OriginSort.PROMISE: ValueSort.PROMISE,
}
_PLAIN = (ValueSort.PLAIN, ValueSort.OUTSIDE)
_COLLECTIONS = (ValueSort.SERIES, ValueSort.TUPLE)
INITIALISER = "__init__"
_SERIES_METHODS = frozenset({"pop", "popleft", "__getitem__"})


# Their classes are understood by name: to read them would cost more than all else.
_TOLD_BY_TABLES = frozenset({"", "builtins", "typing", "typing_extensions", "enum", "dataclasses", "abc"})
_MOVED_MODULES = {"collections.abc": "_collections_abc"}


class Evaluator:
    """Says what values may be in one version of a project."""

    def __init__(self, linkage: Linkage) -> None:
        self.linkage = linkage
        self.answers: Answers[Value] = Answers(_NOTHING_KNOWN, linkage.kept)
        self._sets_names: dict[ClassKey, bool] = {}
        self.meanings = Meanings(linkage)
        self.modules_about = ModulesAbout(linkage, self.meanings)
        self.replaced_modules = ReplacedModules(self)
        self.module_values = ModuleValues(self, self.replaced_modules)
        self._hierarchy = Hierarchy(self)
        self.borrowed = BorrowedMethods(self)
        self._library_classes: dict[str, ClassKey | None] = {}
        self._writes: dict[str, list[tuple[LinkedFile, AttributeUse]]] = {}
        self._holdings = Holdings(self)

        self._rules: dict[OriginSort, Callable[[LinkedFile, Origin], Values]] = {
            OriginSort.ATTRIBUTE: self._of_attribute,
            OriginSort.CALL: self._of_call,
            OriginSort.ELEMENT: self._of_element,
            OriginSort.EACH: self._of_each,
            OriginSort.PART: self._of_part,
            OriginSort.AWAITED: self._of_awaited,
            OriginSort.ENTERED: self._of_entered,
            OriginSort.EITHER: self._of_either,
            OriginSort.OPERATION: self._of_operation,
            OriginSort.INSTANCE: self._of_instance,
            OriginSort.CLASS: self._of_class,
            OriginSort.PASSED: self._of_passed,
        }

        self._simple: dict[OriginSort, Callable[[LinkedFile, Origin], Value]] = {
            OriginSort.PLAIN: lambda _, origin: Value(ValueSort.PLAIN, name=origin.name),
            OriginSort.DEFINED_CLASS: lambda file, origin: Value(ValueSort.CLASS, file.path, origin.binding),
            OriginSort.DEFINED_FUNCTION: lambda file, origin: Value(ValueSort.FUNCTION, file.path, origin.binding),
            OriginSort.OWN: lambda file, origin: Value(ValueSort.INSTANCE, file.path, origin.binding),
            OriginSort.OWN_CLASS: lambda file, origin: Value(ValueSort.CLASS, file.path, origin.binding, OR_BELOW),
            OriginSort.ABOVE: lambda file, origin: Value(ValueSort.ABOVE, file.path, origin.binding),
        }

    # -- classes -----------------------------------------------------------------------------

    def class_record(self, key: ClassKey) -> ClassRecord:
        """The record of a class."""
        return self.file(key[0]).links.classes[key[1]]

    def function_record(self, key: FunctionKey) -> FunctionRecord:
        """The record of a function."""
        return self.file(key[0]).links.functions[key[1]]

    def file(self, path: str) -> LinkedFile:
        """The file of a class or function that was found."""
        file = self.linkage.file(path)
        assert file is not None, "something was found in it"
        return file

    def bases(self, key: ClassKey) -> Bases:
        """The direct bases of a class."""
        return self.answers.once(("bases", key), lambda: self._find_bases(key))

    def _find_bases(self, key: ClassKey) -> Bases:
        file, record = self.file(key[0]), self.class_record(key)
        known: list[ClassKey] = []
        foreign: list[str] = []
        unknown: list[str] = []
        for base in record.bases:
            if base.sort is OriginSort.ELEMENT:
                # `Generic[Row]` and its like: the class before the bracket is the base.
                base = base.parts[0]
            values = self.values(file, base)
            if any(value.sort is ValueSort.CLASS for value in values):
                # A module of the same name as a class in it is no base.
                values = frozenset(value for value in values if value.sort is not ValueSort.MODULE)
            for value in values:
                if value.sort is ValueSort.CLASS:
                    known.append((value.path, value.number))
                elif value.sort is ValueSort.FOREIGN:
                    read = self.library_class(value.name)
                    if read is not None:
                        known.append(read)
                    else:
                        foreign.append(value.name)
                else:
                    unknown.append(base.name or "a base that is worked out")
        if record.name in self._given_other_bases:
            unknown.append("that is set later")
        return Bases(tuple(known), tuple(foreign), tuple(unknown))

    @cached_property
    def _given_other_bases(self) -> frozenset[str]:
        """The names of classes to which the project gives other bases once they are made."""
        uses = self.writes("__bases__")
        found = (_OWNER.search(file.source.text, max(use.start - _LONGEST_OWNER, 0), use.start) for file, use in uses)
        return frozenset(match[1] for match in found if match is not None)

    def library_class(self, name: str) -> ClassKey | None:
        """A class of a library by its full name, where its source can be read."""
        if name not in self._library_classes:
            self._library_classes[name] = None
            module, _, short = name.rpartition(".")
            module = _MOVED_MODULES.get(module, module)
            file = self.linkage.library_file(module) if module not in _TOLD_BY_TABLES else None
            binding = file.module_bindings.get(short) if file is not None else None
            if file is not None and binding is not None:
                for value in self.binding_values(file, binding):
                    if value.sort is ValueSort.CLASS:
                        self._library_classes[name] = (value.path, value.number)
                    elif value.sort is ValueSort.FOREIGN and value.name != name:
                        self._library_classes[name] = self.library_class(value.name)
        return self._library_classes[name]

    def above(self, key: ClassKey) -> list[ClassKey]:
        """A class and every class above it that could be read, nearest first."""
        found = [key]
        for each in found:
            found += [base for base in self.bases(each).read if base not in found]
        return found

    def foreign_above(self, key: ClassKey) -> list[str]:
        """The bases of a class or of one above it that libraries have and that could not be read."""
        return [name for each in self.above(key) for name in self.bases(each).foreign]

    def unknown_above(self, key: ClassKey) -> list[str]:
        """The bases of a class or of one above it that may be any class."""
        return [name for each in self.above(key) for name in self.bases(each).unknown]

    def has_own_metaclass(self, key: ClassKey) -> bool:
        """Whether a class names a metaclass other than that of abstract bases."""
        metaclass = self.class_record(key).metaclass
        if metaclass is None:
            return False
        values = self.values(self.file(key[0]), metaclass)
        return any(value.name != "abc.ABCMeta" for value in values)

    def below(self, key: ClassKey) -> list[ClassKey]:
        """The classes of the project below a class, at any depth."""
        found: list[ClassKey] = []
        rest = [key]
        while rest:
            for each in self._hierarchy.directly_below(rest.pop()):
                if each not in found:
                    found.append(each)
                    rest.append(each)
        return found

    def bases_by_name(self, named: Named) -> set[Named]:
        """The classes that the head of one names, by their files and names."""
        return self._hierarchy.bases_by_name(named)

    def relatives(self, key: ClassKey) -> list[ClassKey]:
        """The classes that an instance of a class may have its attributes from or share them with."""
        return self.answers.once(("relatives", key), lambda: self._find_relatives(key))

    def _find_relatives(self, key: ClassKey) -> list[ClassKey]:
        found = self.above(key)
        for below in self.below(key):
            # A class below may have other bases, from which an instance then has attributes, too.
            found += [each for each in self.above(below) if each not in found]
        return found

    def binding_in(self, key: ClassKey, name: str) -> int | None:
        """The binding of a name in the body of a class."""
        file = self.file(key[0])
        return file.class_bindings.get(self.class_record(key).scope, {}).get(name)

    def defines(self, key: ClassKey, name: str) -> bool:
        """Whether a class has a name from its body, or from the call that makes it."""
        return self.binding_in(key, name) is not None or self.class_record(key).has_field(name)

    def writes(self, name: str) -> list[tuple[LinkedFile, AttributeUse]]:
        """Every place of the project that gives an attribute of that name a value."""
        if name not in self._writes:
            files = map(self.linkage.file, dict.fromkeys(self._paths_of_writes(name)))
            self._writes[name] = [(file, use) for file in files if file is not None for use in _writes_of(file, name)]
        return self._writes[name]

    def is_set(self, name: str) -> bool:
        """Whether any place of the project gives an attribute of that name a value, or sets it by its name."""
        return name in self.names_set or bool(self.writes(name))

    def _paths_of_writes(self, name: str) -> list[str]:
        return [
            path
            for written in _ways_to_write(name)
            for path in self.linkage.paths_writing(written)
        ]

    def writes_in_reach(self, name: str, classes: Collection[ClassKey] = ()) -> list[tuple[LinkedFile, AttributeUse]] | None:
        """The places that may give an attribute of that name a value, on whatever but an instance of the method's own class, or
        on one of some classes, to tell what it may be; `None` where too many files would have to be read for that, or examples
        in documentation may write it."""
        if self.linkage.is_written_in_examples(name):
            return None
        near = {path for path, _ in classes}
        paths = {path for written in _ways_to_write(name) for path in self.linkage.paths_writing_to_others(written)}
        paths |= near.intersection(self._paths_of_writes(name))
        paths |= {path for written in _ways_to_write(name) for path in self.borrowed.paths_writing(written)}
        if len(paths) > _MOST_FILES_FOR_ONE:
            return None
        return [(file, use) for path in sorted(paths) if (file := self.linkage.file(path)) is not None for use in _writes_of(file, name)]

    # -- values ------------------------------------------------------------------------------

    def values(self, file: LinkedFile, origin: Origin) -> Values:
        """What a value of that origin may be; never empty."""
        if origin.sort is OriginSort.NAME:
            return self.binding_values(file, origin.binding)
        if origin.sort in self._simple:
            return frozenset({self._simple[origin.sort](file, origin)})
        return self.answers.all_of((file.path, origin), lambda: without_depths(self._find(file, origin)))

    def _find(self, file: LinkedFile, origin: Origin) -> Values:
        if (rule := self._rules.get(origin.sort)) is not None:
            return rule(file, origin)
        if origin.sort is OriginSort.IMPORTED:
            return self.module_values.of_import(file, origin.binding)
        if (sort := _HOLDING.get(origin.sort)) is None:
            return _NOTHING_KNOWN
        parts = [self.values(file, part) for part in origin.parts]
        is_whole = origin.sort is OriginSort.TUPLE
        return frozenset({Value(sort, name=origin.name, parts=tuple(parts) if is_whole else (_union(parts),))})

    def binding_values(self, file: LinkedFile, binding: int) -> Values:
        """What a variable, function, class or import may be."""
        if binding < 0:
            return _NOTHING_KNOWN
        record = file.facts.bindings[binding]
        if record.name == _BUILTINS_OF_MODULE:
            # The module or its names, as it happens.
            return frozenset({Value(ValueSort.FOREIGN, name="builtins")})
        if record.outside:
            return self.module_values.of_outside_name(file.path, record.name)
        return self.answers.all_of((file.path, binding), lambda: without_depths(self._find_binding_values(file, binding)))

    def _find_binding_values(self, file: LinkedFile, binding: int) -> Values:
        record = file.facts.bindings[binding]
        values = _union(self._source_values(file, binding))
        if file.facts.scopes[record.scope].kind is ScopeKind.MODULE:
            # Each of the two asks the other.
            from zephyrun.linking.set_from_elsewhere import values_from_elsewhere

            values |= values_from_elsewhere(self, file, record.name)
        if self._is_own_of_borrowed(file, binding):
            return values | _NOTHING_KNOWN
        if binding not in file.links.annotated:
            values = self._holdings.of_name(file, binding, values)
        elif UNKNOWN_VALUE in values and (passed := self._as_passed(file, binding)) is not None:
            values = passed
        return values

    def _is_own_of_borrowed(self, file: LinkedFile, binding: int) -> bool:
        """Whether a binding is what a method calls its own instance that is called on others, too."""
        number, _ = file.parameter_by_binding.get(binding, (-1, None))
        is_own = number >= 0 and any(origin.sort is OriginSort.OWN for origin in file.links.sources.get(binding, ()))
        return is_own and self.borrowed.is_borrowed(file, number)

    def _as_passed(self, file: LinkedFile, binding: int) -> Values | None:
        """What a parameter may be by its calls, where its annotation leaves that open, as a protocol does."""
        number, parameter = file.parameter_by_binding.get(binding, (-1, None))
        if parameter is None or parameter.sort not in (*BY_POSITION, *BY_KEYWORD):
            return None
        if file.facts.roles(binding) & BINDING_ROLES != {Role.PARAMETER}:
            return None
        values = self.values(file, Origin(OriginSort.PASSED, parameter.name, number))
        return values if UNKNOWN_VALUE not in values else None

    def _source_values(self, file: LinkedFile, binding: int) -> Iterator[Values]:
        held: list[Values] = []
        sources = file.links.sources.get(binding, ())
        for values in self._first_values(file, binding, sources):
            held.append(values)
            yield values
        yield from self._grown(held, ((file, each) for each in sources))

    def _grown(self, first: list[Values], sources: Iterable[tuple[LinkedFile, Origin]]) -> Iterator[Values]:
        """What becomes of values that something is worked into, by operators that say nothing of their own."""
        held = _union(first)
        for file, origin in sources:
            if origin.sort is not OriginSort.GROWN:
                continue
            more = self.values(file, origin.parts[0])
            if first and not (held and more):
                # Nothing is known yet of one of them.
                yield frozenset()
            elif held and all(value.sort in _PLAIN for value in held | more):
                yield _OUTSIDE
            elif held and all(value.sort in _COLLECTIONS for value in held | more):
                # What is put into lists and the like is seen where it is; the others are made anew.
                yield frozenset(value for value in held if is_mutable(value))
                yield frozenset({Value(ValueSort.SERIES, name="tuple", parts=(_elements(held | more),))})
            else:
                yield _NOTHING_KNOWN

    def _first_values(self, file: LinkedFile, binding: int, sources: Iterable[Origin]) -> Iterator[Values]:
        for origin in sources:
            if origin.sort is OriginSort.GROWN:
                continue
            if origin.sort is OriginSort.EITHER:
                # `hive = hive or Hive()` gives the variable what it has, or something new.
                parts = tuple(
                    part
                    for part in origin.parts
                    if part.sort is not OriginSort.NAME or part.binding != binding
                )
                origin = origin._replace(parts=parts)
            values = self.values(file, origin)
            if origin.sort is OriginSort.DEFINED_FUNCTION:
                values = self._decorated(file, origin.binding, values)
            elif origin.sort is OriginSort.DEFINED_CLASS:
                record = file.links.classes[origin.binding]
                if not all(self.is_harmless(file, each) for each in record.decorators):
                    values |= _NOTHING_KNOWN
            yield values

    def _decorated(self, file: LinkedFile, index: int, values: Values) -> Values:
        decorators = file.links.functions[index].decorators
        if all(self.is_harmless(file, each) for each in decorators):
            return values
        return _NOTHING_KNOWN

    def is_harmless(self, file: LinkedFile, decorator: Origin) -> bool:
        """Whether a decorator leaves what it decorates as it is, as far as names go."""
        if _is_setter(decorator):
            return True
        name = self.decorator_name(file, decorator)
        return (
            name in HARMLESS_DECORATORS
            or _REGISTERING.fullmatch(name) is not None
            or name in self.linkage.harmless_decorators
            or (decorator_callee(decorator).name == KEYWORD_DECORATOR and has_keyword_function(file))
            or (not name and decorator.sort is not OriginSort.CALL and self._only_gives_back(file, decorator))
        )

    def _only_gives_back(self, file: LinkedFile, decorator: Origin) -> bool:
        """Whether a decorator is a function of the project that leaves what it decorates as it is, or one of a library that
        does."""
        # Each of them asks the other.
        from zephyrun.linking.given_back import gives_back

        values = self.values(file, decorator)
        return all(
            gives_back(self, (value.path, value.number))
            if value.sort is ValueSort.FUNCTION and self.file(value.path).is_own
            else self.library_name(value) in HARMLESS_DECORATORS
            for value in values
        )

    def decorator_name(self, file: LinkedFile, decorator: Origin) -> str:
        """What a decorator of a library is called in full, "" for any other."""
        return self.full_name(file, decorator_callee(decorator))

    def full_name(self, file: LinkedFile, origin: Origin) -> str:
        """The dotted name of something of a library, "" for anything else, and where it may be several things."""
        names = set(map(self.library_name, self.values(file, origin)))
        return names.pop() if len(names) == 1 else ""

    def library_name(self, value: Value) -> str:
        """The dotted name of something of a library, whether it was read or not; "" for anything else."""
        if value.sort is ValueSort.FOREIGN:
            return value.name
        if value.sort not in (ValueSort.FUNCTION, ValueSort.CLASS):
            return ""
        file = self.file(value.path)
        if file.is_own:
            return ""
        records = file.links.functions if value.sort is ValueSort.FUNCTION else file.links.classes
        return f"{file.module}.{records[value.number].name}"

    def _of_attribute(self, file: LinkedFile, origin: Origin) -> Values:
        receivers = self.values(file, origin.parts[0])
        return _union(self.attribute_values(file, value, origin.name) for value in receivers)

    def attribute_values(self, file: LinkedFile, receiver: Value, name: str) -> Values:
        """What an attribute of one value may be."""
        sort = receiver.sort
        if name == "__class__" and sort in (ValueSort.INSTANCE, *_PLAIN):
            return self._classes_of(frozenset({receiver}))
        if sort in (ValueSort.INSTANCE, ValueSort.CLASS):
            return self._of_member((receiver.path, receiver.number), name, sort)
        if sort is ValueSort.ABOVE:
            return self._of_member_above((receiver.path, receiver.number), name)
        if sort in (ValueSort.MODULE, ValueSort.PACKAGE):
            return self.module_values.of_member(file, receiver.name, name)
        if sort in (ValueSort.FOREIGN, ValueSort.OUTSIDE) and self._is_put_on_strangers(name):
            return _NOTHING_KNOWN
        if sort is ValueSort.FOREIGN:
            # What a loop asks on and on (`row = row.above`) would never come to an end.
            if receiver.name in _NAMESPACES or receiver.name.count(".") > _LONGEST_NAME:
                return _NOTHING_KNOWN
            return frozenset({Value(ValueSort.FOREIGN, name=f"{receiver.name}.{name}")})
        if receiver == NONE and not hasattr(None, name):
            return frozenset()
        if sort in (ValueSort.OUTSIDE, ValueSort.PLAIN) and name in _GIVEN_BACK:
            return _NOTHING_KNOWN
        if sort is ValueSort.PLAIN and (kind := getattr(builtins, receiver.name, None)) and not hasattr(kind, name):
            # Something of a class below has it.
            return _NOTHING_KNOWN
        if sort in (ValueSort.OUTSIDE, ValueSort.PLAIN):
            return _OUTSIDE
        if sort in _METHODS_OF and name in _METHODS_OF[sort]:
            return frozenset({Value(ValueSort.FOREIGN, name=f"builtins.{sort}.{name}")})
        return _NOTHING_KNOWN

    def _is_put_on_strangers(self, name: str) -> bool:
        """Whether the project gives things that are none of its own an attribute of that name (`logger.hive = Hive()`)."""
        return self.answers.once(("strangers", name), lambda: any(
            value.sort in (ValueSort.FOREIGN, ValueSort.OUTSIDE)
            for file, use in self.writes_in_reach(name) or ()
            if use.receiver.sort is not OriginSort.OWN
            for value in self.values(file, use.receiver)
        ))

    def _of_member_above(self, key: ClassKey, name: str) -> Values:
        """What `super()` finds in a class: the nearest above it, where nothing has several bases."""
        has_several = any(
            len(self.class_record(each).bases) > 1 for each in [*self.above(key), *self.below(key)]
        )
        if not has_several:
            for each in self.above(key)[1:]:
                if (binding := self.binding_in(each, name)) is not None:
                    return self._of_class_binding(each, binding, ValueSort.INSTANCE)
        return self._of_member(key, name, ValueSort.INSTANCE)

    def _of_member(self, key: ClassKey, name: str, sort: ValueSort) -> Values:
        found: list[Values] = []
        relatives = self.relatives(key)
        for each in relatives:
            binding = self.binding_in(each, name)
            if binding is not None:
                found.append(self._of_class_binding(each, binding, sort))
        # What a metaclass sets on its instances is an attribute of the class.
        setting = [*relatives, *self.metaclasses_of(relatives)]
        writes = self.writes_in_reach(name, setting)
        if writes is None:
            return _NOTHING_KNOWN
        given = [
            (file, use.value)
            for file, use in writes
            if may_be_of(self.values(file, use.receiver), setting)
        ]
        found += [self._moved(*each) for each in given if each[1].sort is not OriginSort.GROWN]
        if not found:
            return _NOTHING_KNOWN
        found += list(self._grown(found, given))
        if self.is_set_by_name(name, relatives):
            found.append(_NOTHING_KNOWN)
        values = self._holdings.of_attribute(name, relatives, _union(found))
        # What is only ever set to nothing here is set to something by code that was not seen.
        return values if values != {NONE} else _NOTHING_KNOWN

    def metaclasses_of(self, keys: Iterable[ClassKey]) -> list[ClassKey]:
        """The metaclasses of some classes that could be read, and what stands above these."""
        named = ((self.file(key[0]), metaclass) for key in keys if (metaclass := self.class_record(key).metaclass) is not None)
        values = (value for file, metaclass in named for value in self.values(file, metaclass))
        found = {(value.path, value.number) for value in values if value.sort is ValueSort.CLASS}
        return sorted({each for key in found for each in self.above(key)})

    def _moved(self, file: LinkedFile, origin: Origin) -> Values:
        """What an attribute is given: a collection that one name had until then is in sight as far as that one was."""
        if origin.sort is OriginSort.EITHER:
            return _union(self._moved(file, part) for part in origin.parts)
        if origin.sort is not OriginSort.NAME or origin.binding < 0 or origin.binding in file.links.annotated:
            return self.values(file, origin)
        record = file.facts.bindings[origin.binding]
        if record.outside or file.facts.scopes[record.scope].kind is not ScopeKind.FUNCTION:
            return self.values(file, origin)
        values = _union(self._source_values(file, origin.binding))
        return self._holdings.of_name(file, origin.binding, values, is_moved=True)

    @cached_property
    def names_set(self) -> frozenset[str]:
        """The names that are set by being written out as texts somewhere in the project."""
        contents = (self.linkage.contents[path] for path in self.linkage.paths)
        found = frozenset().union(*(names_set_in(data) for data in contents if isinstance(data, bytes)))
        return frozenset(name.decode("utf-8", "replace") for name in found)

    def is_set_by_name(self, name: str, keys: Iterable[ClassKey]) -> bool:
        """Whether somebody sets an attribute of that name by a text, or classes set some of their own by names that they work
        out."""
        return name in self.names_set or any(map(self._sets_any_name, keys))

    def _sets_any_name(self, key: ClassKey) -> bool:
        if key not in self._sets_names:
            file = self.file(key[0])
            self._sets_names[key] = file.is_own and sets_any_name(file, key[1])
        return self._sets_names[key]

    def is_property(self, file: LinkedFile, record: FunctionRecord) -> bool:
        """Whether a method is called by naming it: by what decorates it, the setter of a property included."""
        return any(
            self.decorator_name(file, each) in PROPERTIES or _is_setter(each)
            for each in record.decorators
        )

    def _of_class_binding(self, key: ClassKey, binding: int, sort: ValueSort) -> Values:
        file = self.file(key[0])
        found: list[Values] = []
        is_enumeration = any(name.startswith("enum.") for name in self.foreign_above(key))
        for origin in file.links.sources.get(binding, ()):
            if origin.sort is not OriginSort.DEFINED_FUNCTION:
                # What an enumeration's body binds becomes one of its instances.
                member = frozenset({Value(ValueSort.INSTANCE, *key)})
                found.append(member if is_enumeration else self._as_read(self.values(file, origin)))
                continue
            record = file.links.functions[origin.binding]
            if self.is_property(file, record):
                if sort is ValueSort.INSTANCE and not any(map(_is_setter, record.decorators)):
                    found.append(self.values(file, record.gives))
            elif all(self.is_harmless(file, each) for each in record.decorators):
                found.append(
                    frozenset({Value(ValueSort.FUNCTION, file.path, origin.binding)})
                )
            else:
                found.append(_NOTHING_KNOWN)
        return _union(found)

    def _as_read(self, values: Values) -> Values:
        """What reading an attribute of a class gives: one that has a `__get__` says so itself."""
        keys = [(value.path, value.number) for value in values if value.sort is ValueSort.INSTANCE]
        asks = any(
            _ASKED_WHEN_READ & {*self.foreign_above(key)} or any(self.defines(each, "__get__") for each in self.above(key))
            for key in keys
        )
        return _NOTHING_KNOWN if asks else values

    def _of_call(self, file: LinkedFile, origin: Origin) -> Values:
        callees = self.values(file, origin.parts[0])
        arguments = origin.parts[1:]
        return _union(
            self._called(file, value, origin.parts[0], arguments) for value in callees
        )

    def _called(
        self, file: LinkedFile, callee: Value, origin: Origin, arguments: tuple[Origin, ...]
    ) -> Values:
        if callee.sort is ValueSort.FOREIGN:
            return self._result_of_foreign(file, callee.name, origin, arguments)
        return self.given_by_call(callee)

    def given_by_call(self, callee: Value) -> Values:
        """What calling something gives, whatever it is handed."""
        if callee.sort is ValueSort.CLASS:
            return self._constructed(callee)
        if callee.sort is ValueSort.FUNCTION:
            return self._result(callee)
        if callee.sort is ValueSort.OUTSIDE:
            return _OUTSIDE
        # None cannot be called, so the program does not come any further.
        return _NOTHING_KNOWN if callee != NONE else frozenset()

    def _constructed(self, callee: Value) -> Values:
        key = (callee.path, callee.number)
        # A `__new__` or a metaclass of the project's own may give anything.
        if self.linkage.paths_writing("__new__"):
            return _NOTHING_KNOWN
        for each in self.above(key):
            if self.binding_in(each, "__new__") is not None and self.file(each[0]).is_own:
                return _NOTHING_KNOWN
            if self.has_own_metaclass(each):
                return _NOTHING_KNOWN
        instance = frozenset({Value(ValueSort.INSTANCE, *key)})
        return instance | _NOTHING_KNOWN if self._may_change(key) else instance

    def _may_change(self, key: ClassKey) -> bool:
        """Whether an instance of a class may become one of another: by its own methods, or by who knows what."""
        above = self.above(key)
        near = {path for path, _ in above}.intersection(self.linkage.paths_writing("__class__"))
        owners = [_owners(file, use) for file in map(self.file, near) for use in _writes_of(file, "__class__")]
        return self._is_any_changed or any(not keys or not keys.isdisjoint(above) for keys in owners)

    @cached_property
    def _is_any_changed(self) -> bool:
        """Whether instances of who knows what become such of another class: there, by that name, or in an example."""
        writes = self.writes_in_reach("__class__")
        return writes is None or "__class__" in self.names_set or any(not _owners(file, use) for file, use in writes)

    def _result(self, callee: Value) -> Values:
        if self.library_name(callee) in _FINDING_MODULES:
            return _NOTHING_KNOWN
        key = (callee.path, callee.number)
        file, record = self.file(key[0]), self.function_record(key)
        values = self.values(file, record.gives)
        for decorator in record.decorators:
            name = self.decorator_name(file, decorator)
            if name in _ENTERING:
                return frozenset({Value(ValueSort.CONTEXT, parts=(_elements(values),))})
            if name not in SAME_RESULT:
                return _NOTHING_KNOWN
            if name in _GIVING_AGAIN:
                # Every caller gets the same one.
                values = opened(values)
        return values

    def _result_of_foreign(
        self, file: LinkedFile, name: str, origin: Origin, arguments: tuple[Origin, ...]
    ) -> Values:
        short = name.removeprefix("builtins.")
        if name.startswith("builtins."):
            if short in _GIVE_PLAIN:
                return frozenset({Value(ValueSort.PLAIN, name=_GIVE_PLAIN[short])})
            if (found := self._result_of_builtin(file, short, origin, arguments)) is not None:
                return found
        if name == _PARSING and (len(arguments) > 1 or any(use.name == "namespace" for use in file.links.keywords)):
            # What it is handed for that gets the attributes, and is given back.
            return _NOTHING_KNOWN
        if name in _GIVE_FOREIGN:
            is_known = name not in _GIVING_LOGGERS or not any(map(self.linkage.paths_mentioning, _SETTING_LOGGERS))
            return frozenset({Value(ValueSort.FOREIGN, name=_GIVE_FOREIGN[name])}) if is_known else _NOTHING_KNOWN
        if name in _GIVE_ARGUMENT and arguments:
            values = self.values(file, arguments[0])
            return _NOTHING_KNOWN if any(map(self._copies_itself, values)) else values
        if name in ("typing.cast", "typing_extensions.cast") and arguments:
            said = self._of_instance(file, Origin(OriginSort.INSTANCE, "", -1, arguments[:1]))
            # What is said of something that is known makes nothing else of it.
            own = [each for argument in arguments[1:2] for each in self.values(file, argument) if each.sort is ValueSort.INSTANCE]
            return said.union(own)
        module = name.rpartition(".")[0]
        while module:
            if module in _GIVE_OWN_THINGS:
                return _OUTSIDE
            module = module.rpartition(".")[0]
        return _NOTHING_KNOWN

    def _copies_itself(self, value: Value) -> bool:
        """Whether an instance says itself what a copy of it is."""
        return value.sort is ValueSort.INSTANCE and any(
            self.defines(each, hook) for each in self.relatives((value.path, value.number)) for hook in _COPYING_HOOKS
        )

    def _result_of_builtin(
        self, file: LinkedFile, name: str, origin: Origin, arguments: tuple[Origin, ...]
    ) -> Values | None:
        given = [self.values(file, each) for each in arguments]
        if name in _GIVE_SERIES and given:
            return _series(self._gone_through(given[0]))
        if name == "filter" and len(given) == 2:
            return _series(self._gone_through(given[1]))
        if name in _GIVE_ELEMENT and given:
            return self._gone_through(given[0]) if len(given) == 1 or name == "next" else _union(given)
        if name == "enumerate" and given:
            number = frozenset({Value(ValueSort.PLAIN, name="int")})
            pair = Value(ValueSort.TUPLE, parts=(number, self._gone_through(given[0])))
            return _series(frozenset({pair}))
        if name == "zip" and given:
            return _series(frozenset({Value(ValueSort.TUPLE, parts=tuple(map(self._gone_through, given)))}))
        if name == "type" and len(given) == 1:
            return self._classes_of(given[0])
        if name == "open":
            return _OUTSIDE
        kind, _, method = name.partition(".")
        if method and origin.sort is OriginSort.ATTRIBUTE:
            found = _result_of_method(kind, method, self.values(file, origin.parts[0]))
            # What is given for want of a key is one of the answers.
            return found if found is None or len(given) != len(("key", "value")) else found | given[1]
        return None

    def _classes_of(self, values: Values) -> Values:
        return frozenset(
            value.as_class() if value.sort is ValueSort.INSTANCE
            # What is of one of the language's own classes may be of one below it.
            else Value(ValueSort.OUTSIDE) if value == NONE or value.sort is ValueSort.OUTSIDE
            else UNKNOWN_VALUE
            for value in values
        )

    def _of_element(self, file: LinkedFile, origin: Origin) -> Values:
        found: list[Values] = []
        for value in self.values(file, origin.parts[0]):
            if value.sort is ValueSort.TUPLE and origin.name.isdigit():
                index = int(origin.name)
                found.append(value.parts[index] if index < len(value.parts) else frozenset())
            elif value.sort is ValueSort.MAPPING and not origin.name:
                found.append(value.parts[0])
            elif value.sort is ValueSort.INSTANCE:
                found.append(self._result_of_special(value, "__getitem__"))
            else:
                found.append(_elements(frozenset({value})))
        return _union(found)

    def _of_each(self, file: LinkedFile, origin: Origin) -> Values:
        return self._gone_through(self.values(file, origin.parts[0]))

    def _gone_through(self, values: Values) -> Values:
        """What going through values may give."""
        return _union(
            _elements(self._result_of_special(value, "__iter__"))
            if value.sort is ValueSort.INSTANCE
            else _elements(frozenset({value}))
            for value in values
        )

    def _result_of_special(self, value: Value, name: str) -> Values:
        """What a special method of an instance gives."""
        return _union(
            self._result(method) if method.sort is ValueSort.FUNCTION else _NOTHING_KNOWN
            for method in self._of_member((value.path, value.number), name, ValueSort.INSTANCE)
        )

    def _of_part(self, file: LinkedFile, origin: Origin) -> Values:
        return frozenset(
            value
            if value.sort in (ValueSort.SERIES, ValueSort.PLAIN, ValueSort.OUTSIDE)
            else Value(ValueSort.SERIES, parts=(_elements(frozenset({value})),))
            for value in self.values(file, origin.parts[0])
        )

    def _of_awaited(self, file: LinkedFile, origin: Origin) -> Values:
        return _union(
            value.parts[0] if value.sort is ValueSort.PROMISE
            else _OUTSIDE if value.sort is ValueSort.OUTSIDE
            else _NOTHING_KNOWN
            for value in self.values(file, origin.parts[0])
        )

    def _of_entered(self, file: LinkedFile, origin: Origin) -> Values:
        found: list[Values] = []
        for value in self.values(file, origin.parts[0]):
            if value.sort is ValueSort.CONTEXT:
                found.append(value.parts[0])
            elif value.sort is ValueSort.OUTSIDE:
                found.append(_OUTSIDE)
            elif value.sort is ValueSort.INSTANCE:
                found.append(self._result_of_special(value, "__enter__"))
            else:
                found.append(_NOTHING_KNOWN)
        return _union(found)

    def _of_either(self, file: LinkedFile, origin: Origin) -> Values:
        return _union(self.values(file, part) for part in origin.parts)

    def _of_operation(self, file: LinkedFile, origin: Origin) -> Values:
        parts = [self.values(file, part) for part in origin.parts]
        if not all(parts):
            # Nothing is known yet of one of them.
            return frozenset()
        if parts and all(value.sort is ValueSort.PLAIN for each in parts for value in each):
            return _OUTSIDE
        if parts and all(value.sort is ValueSort.SERIES for each in parts for value in each):
            return _series(_union(_elements(each) for each in parts))
        return _NOTHING_KNOWN

    def _of_instance(self, file: LinkedFile, origin: Origin) -> Values:
        found: list[Value] = []
        for value in self.values(file, origin.parts[0]):
            if value.sort is ValueSort.CLASS and not self.is_protocol((value.path, value.number)):
                found.append(value.as_instance())
            elif value.sort is ValueSort.FOREIGN and value.name in _ANYTHING:
                found.append(UNKNOWN_VALUE)
            elif value.sort is ValueSort.FOREIGN and value.name.startswith("builtins."):
                found.append(Value(ValueSort.PLAIN, name=value.name.removeprefix("builtins.")))
            elif value.sort is ValueSort.FOREIGN and value.name in _GIVE_FOREIGN:
                found.append(Value(ValueSort.FOREIGN, name=_GIVE_FOREIGN[value.name]))
            elif value.sort is ValueSort.FOREIGN and (_gives_own_things(value.name) or value.name in _FILES):
                found.append(Value(ValueSort.OUTSIDE))
            else:
                found.append(UNKNOWN_VALUE)
        return frozenset(found)

    def is_record(self, key: ClassKey) -> bool:
        """Whether a class is a record: its fields are keywords of a call, and its representation shows them."""
        file, record = self.file(key[0]), self.class_record(key)
        return any(
            self.decorator_name(file, decorator) in _RECORDS for decorator in record.decorators
        ) or bool(_RECORD_BASES & set(self.foreign_above(key)))

    def is_protocol(self, key: ClassKey) -> bool:
        """Whether other classes may stand for a class without being below it: it is a protocol, or says
        itself what counts as its instance, or others are registered with it."""
        hooks = ("__subclasshook__", "__instancecheck__", "__subclasscheck__")
        if any(self.binding_in(each, hook) is not None for each in self.above(key) for hook in hooks):
            return True
        if any(map(self._has_registered_others, self.above(key))):
            return True
        return any(
            name in ("typing.Protocol", "typing_extensions.Protocol")
            for name in self.foreign_above(key)
        )

    def _has_registered_others(self, key: ClassKey) -> bool:
        """Whether other classes are registered with a class (`Scale.register(Fake)`), at a glance."""
        return bool(self.linkage.paths_where(self.class_record(key).name, registering_in))

    def _of_class(self, file: LinkedFile, origin: Origin) -> Values:
        return frozenset(
            value.as_class() if value.sort is ValueSort.CLASS else UNKNOWN_VALUE
            for value in self.values(file, origin.parts[0])
        )

    # -- parameters --------------------------------------------------------------------------

    def _of_passed(self, file: LinkedFile, origin: Origin) -> Values:
        """What callers give to a parameter, where all of them are in sight, or a fixture to one of a test."""
        # Each of the two asks the other.
        from zephyrun.linking.descriptors import given_to_descriptor
        from zephyrun.linking.fixtures import given_by_fixture
        from zephyrun.linking.handed_by_library import given_by_library

        record = file.links.functions[origin.binding]
        ways = (given_by_fixture, given_by_library, given_to_descriptor)
        given = next(filter(None, (way(self, file, record, origin.name) for way in ways)), None)
        if given is not None:
            return given
        calls = self.calls_of(file, origin.binding)
        if calls is None:
            return _NOTHING_KNOWN
        positions = [each.name for each in record.parameters if each.sort in BY_POSITION]
        position = positions.index(origin.name) if origin.name in positions else -1
        has_receiver = record.owner >= 0 and not self._is_static(record)
        found = [
            self.values(other, handed.value)
            for other, handed in calls
            if handed.keyword == origin.name
            or (
                position >= 0
                and not handed.keyword
                and handed.position in self._places_among(
                    other, handed.callee, position, has_receiver=has_receiver, is_initialiser=record.name == INITIALISER
                )
            )
        ]
        if not found and not calls:
            # Nobody in sight calls it: somebody else does.
            return _NOTHING_KNOWN
        defaults = [each.default for each in record.parameters if each.name == origin.name and each.default is not None]
        found += (self.values(file, default) for default in defaults)
        values = _union(found)
        # What is only ever handed nothing is handed something by code that was not seen.
        return values if values != {NONE} or defaults else _NOTHING_KNOWN

    def parameters_filled(
        self, file: LinkedFile, index: int, caller: LinkedFile, handed: Handed
    ) -> list[ParameterRecord]:
        """The parameters of a function that an argument of a call may fill; none where that cannot be told."""
        record = file.links.functions[index]
        if handed.keyword:
            return [each for each in record.parameters if each.name == handed.keyword and each.sort in BY_KEYWORD]
        has_receiver = record.owner >= 0 and not self._is_static(record)
        by_position = [each for each in record.parameters if each.sort in BY_POSITION]
        return [
            parameter
            for position, parameter in enumerate(by_position)
            if handed.position >= 0
            and handed.position in self._places_among(
                caller, handed.callee, position, has_receiver=has_receiver, is_initialiser=record.name == INITIALISER
            )
        ]

    def _places_among(
        self, file: LinkedFile, callee: Origin, position: int, *, has_receiver: bool, is_initialiser: bool
    ) -> tuple[int, ...]:
        """Where among the arguments of a call a parameter may be filled. A method that is taken from a
        class gets its receiver as the first of them."""
        if not has_receiver:
            return (position,)
        if is_initialiser and callee.name != INITIALISER:
            # The class is called, and makes the receiver itself.
            return (position - 1,)
        if callee.sort is not OriginSort.ATTRIBUTE:
            return (position,)
        sorts = {value.sort for value in self.values(file, callee.parts[0])}
        is_bound = sorts <= {ValueSort.INSTANCE, ValueSort.ABOVE}
        return (position - 1,) if is_bound else (position - 1, position)

    def _is_static(self, record: FunctionRecord) -> bool:
        return any(decorator.name == "staticmethod" for decorator in record.decorators)

    def calls_of(self, file: LinkedFile, index: int) -> list[tuple[LinkedFile, Handed]] | None:
        """All that calls hand to a function, `None` where some of them may not be in sight."""
        # Each of them asks the other.
        from zephyrun.linking.calls_in_sight import find_calls
        from zephyrun.linking.constructions import find_constructions

        record = file.links.functions[index]
        if record.name == INITIALISER and record.owner >= 0 and not record.decorators:
            return self.answers.once(("calls", file.path, index), lambda: find_constructions(self, (file.path, record.owner)))
        return self.answers.once(("calls", file.path, index), lambda: find_calls(self, file, index))


def decorator_callee(decorator: Origin) -> Origin:
    """What a decorator is of, be it called with arguments or not."""
    return decorator.parts[0] if decorator.sort is OriginSort.CALL else decorator


def _writes_of(file: LinkedFile, name: str) -> list[AttributeUse]:
    """Where a file gives an attribute of that name a value."""
    return [use for use in file.links.attributes_by_name.get(name, ()) if use.use is Use.WRITE]


def _owners(file: LinkedFile, use: AttributeUse) -> set[ClassKey]:
    """The class in whose method an attribute of its own instance is used; none where it may be that of another."""
    sources = file.links.sources.get(use.receiver.binding, ())
    are_own = all(origin.sort is OriginSort.OWN for origin in sources)
    return {(file.path, origin.binding) for origin in sources} if are_own else set()


def _ways_to_write(name: str) -> tuple[str, ...]:
    """How an attribute may be written: as it is, or without the class that the language put before it."""
    match = re.fullmatch(r"_[^\W_]\w*?(__\w+)", name)
    return (name,) if match is None else (name, match[1])


def _is_setter(decorator: Origin) -> bool:
    """Whether a decorator is the setter, deleter or getter of a property (`@weight.setter`)."""
    return decorator.sort is OriginSort.ATTRIBUTE and decorator.name in (
        "setter",
        "deleter",
        "getter",
    )


def _series(elements: Values) -> Values:
    return frozenset({Value(ValueSort.SERIES, name="list", parts=(elements,))})


def _elements(values: Values) -> Values:
    """What going through a value, or an index of it, may give."""
    found: list[Values] = []
    for value in values:
        if value.sort in (ValueSort.SERIES, ValueSort.TUPLE):
            found.append(_union(value.parts))
        elif value == NONE:
            continue
        elif value.sort in (ValueSort.PLAIN, ValueSort.OUTSIDE):
            found.append(_OUTSIDE)
        else:
            found.append(_NOTHING_KNOWN)
    return _union(found)


def _result_of_method(kind: str, method: str, receivers: Values) -> Values | None:
    """What a method of a collection gives."""
    if kind == ValueSort.MAPPING:
        held = _union(value.parts[0] for value in receivers if value.sort is ValueSort.MAPPING)
        if method in ("get", "pop", "setdefault"):
            return held | {NONE}
        if method == "values":
            return _series(held)
        if method == "items":
            pair = Value(ValueSort.TUPLE, parts=(_NOTHING_KNOWN, held))
            return _series(frozenset({pair}))
    elif method in _SERIES_METHODS:
        return _elements(receivers)
    return receivers if method == "copy" else None


def _gives_own_things(name: str) -> bool:
    return name.rpartition(".")[0] in _GIVE_OWN_THINGS


def _union(values: Iterable[Values]) -> Values:
    return frozenset().union(*values)
