"""The use of an attribute or method: by its receivers, and by all the classes that share it.

An attribute belongs only where it is known what its receiver is. For a private name (`_weight`) that no
library in sight bears, nothing but a class of the project can be the receiver: where one family alone
has such a name, an unknown receiver is one of it, under the assumption of that name.
"""

from __future__ import annotations

import ast
import builtins
import re
from collections.abc import Collection, Iterable, Iterator, Mapping
from functools import cached_property

from zephyrun.facts import Role, ScopeKind
from zephyrun.languages.python import name_readers
from zephyrun.link_facts import UNKNOWN, AttributeUse, ClassRecord, Handed, KeywordUse, Lookup, Origin, OriginSort, TextUse, Use
from zephyrun.linking.asked_by_text import asked_by_text
from zephyrun.linking.bridges import BridgeSort, bridge_places, class_around
from zephyrun.linking.certain_attributes import is_always_there
from zephyrun.linking.escapes import (
    check_frame_readers,
    check_handed,
    check_instruction_readers,
    check_name_readers,
    is_worth_asking_all,
)
from zephyrun.linking.exports import statements_of
from zephyrun.linking.going_classes import is_class_kept
from zephyrun.linking.homes import LOOKUPS, places_filled_in
from zephyrun.linking.library_bases import UNDERSTOOD_BASES, LibraryBases
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.linking.members_taken import LEADING_TO_FUNCTION
from zephyrun.linking.mentions import note_mentions
from zephyrun.linking.modules import is_test
from zephyrun.linking.name_hooks import may_notice_its_name
from zephyrun.linking.names_asked import ANY_NAME, names_asked_for
from zephyrun.linking.names_begun import (
    is_key_made_of_unknown,
    is_made_of_unknown,
    may_begin_in,
    puts_together_unknown,
)
from zephyrun.linking.names_given import doubt_names_given
from zephyrun.linking.names_passed_over import call_handing, is_never, namespace_passes_name_over, passes_name_over
from zephyrun.linking.names_taken import NAMESPACE
from zephyrun.linking.origins import origin_of
from zephyrun.linking.protocols import ASKED_BY_LIBRARY
from zephyrun.linking.proxies import (
    ATTRIBUTE_HOOKS,
    READING_HOOKS,
    asks_elsewhere,
    asks_metaclass,
    hooks_asked,
)
from zephyrun.linking.references import (
    FOUND_BY_RUNNER,
    binding_places,
    definitions_of,
    doubt_decorators,
    doubt_strangers,
    is_public,
    is_silent,
    place_of_attribute,
    read_before_bound,
    shown_attribute,
    why_open,
)
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.set_by_name import is_called_like_class
from zephyrun.linking.syntax_trees import called_name, syntax_tree
from zephyrun.linking.texts import LISTS_SPREAD, makes_classes, word_in_text
from zephyrun.linking.texts_made import texts_made
from zephyrun.linking.usage import PRIVATE_ATTRIBUTES, OpenPlace, Place, PlaceSort, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, FunctionKey, Value, ValueSort, Values, with_parts
from zephyrun.linking.values import NAMED_TUPLES, Evaluator
from zephyrun.patterns import lazy_pattern

_OF_CLASSES = frozenset(
    {BridgeSort.METHOD, BridgeSort.CLASS_METHOD, BridgeSort.READ_ONLY, BridgeSort.ATTRIBUTE}
)
# Bases that bear no names of their own beside special ones, or whose names are told below.
_NAMES_OF_BASES = {
    **dict.fromkeys(NAMED_TUPLES, frozenset("_fields _asdict _replace _make _field_defaults count index".split())),
    "typing.TypedDict": frozenset(dir(dict)),
    **dict.fromkeys(
        ("enum.Enum", "enum.IntEnum", "enum.Flag", "enum.IntFlag", "enum.StrEnum"),
        frozenset("name value names values _name_ _value_ _missing_ _generate_next_value_".split()),
    ),
}
# What takes an instance and asks it for nothing but special methods.
_ASKING_NOTHING = frozenset(
    f"builtins.{name}"
    for name in """len repr str print isinstance issubclass iter next list tuple set frozenset sorted
    reversed enumerate zip sum min max any all bool hash id type int float abs round format super
    callable getattr setattr hasattr delattr bytes map filter""".split()
) | frozenset(
    """copy.copy copy.deepcopy dataclasses.replace typing.cast weakref.ref weakref.proxy
    functools.partial threading.Thread collections.deque collections.Counter
    collections.defaultdict itertools.chain operator.attrgetter asyncio.gather asyncio.run
    asyncio.create_task asyncio.wait_for asyncio.ensure_future builtins.object.__setattr__
    builtins.object.__getattribute__ builtins.object.__delattr__""".split()
) | frozenset(
    f"{logger}.{level}"
    for logger in ("logging", "logging.Logger()")
    for level in "debug info warning warn error exception critical fatal log".split()
)
_ASKING_MEMBERS = frozenset(
    """builtins.vars builtins.dir dataclasses.asdict dataclasses.astuple dataclasses.fields
    inspect.getmembers inspect.getmembers_static inspect.classify_class_attrs inspect.get_annotations
    typing.get_type_hints""".split()
)
# What a class body says of the class alone.
_OF_NO_INSTANCE = frozenset({"__slots__", "__doc__", "__module__", "__qualname__", "__match_args__"})
_ASKING_WORDS = frozenset(name.rpartition(".")[2] for name in _ASKING_MEMBERS)
_MAKING_CLASSES = frozenset({"type", "new_class", "make_dataclass"})
_KEYWORDS_OF_BASES = frozenset({"*", "bases"})
# What tells classes from other things.
_TELLS_CLASSES = lazy_pattern(r"\bisinstance\s*\(\s*[\w.]+\s*,\s*type\b|\bisclass\b|\bissubclass\b")
# Where a text is taken apart into words.
_IS_TAKEN_APART = lazy_pattern(r"[\s)]*\.\s*r?split(?:lines)?\b")
_WORDS = lazy_pattern(r"\w+")
# Of these, what lists the names of anything.
_LISTING_FIELDS = frozenset({"dataclasses.asdict", "dataclasses.fields"})
_LISTING = _LISTING_FIELDS | {"builtins.vars", "builtins.dir", "inspect.getmembers", "inspect.getmembers_static"}
_LISTING_BUILTINS = frozenset({"vars", "dir"})
_GIVING_NAMESPACE = "builtins.vars"
_LISTING_WORDS = frozenset(name.rpartition(".")[2] for name in _LISTING)
_KEEPING_LOOKUPS = frozenset(f"operator.{name}" for name in name_readers.ASKING_LATER)
_TEST_CASE = "TestCase"
_SHOWN_NAMES = ("__slots__", "__match_args__", "__dataclass_fields__")
_REPLACING = frozenset({"dataclasses.replace", "copy.replace"})
_REPLACING_METHODS = ("_replace", "__replace__")
_PROTOCOLS = frozenset({"typing.Protocol", "typing_extensions.Protocol"})
# Where the names of an instance are asked for one, and not shown as a whole: what is behind them, or before.
_ONE_NAME = (
    r"\s*(?:\[|\.\s*(?:get|pop|setdefault|update|__contains__|__getitem__|__setitem__|__delitem__)\s*\()"
    r"(?:\s*[\"'](?P<name>\w+)[\"']\s*[\]),])?"
)
_ONE_NAME_AFTER = lazy_pattern(_ONE_NAME)
_ONE_NAME_LISTED_AFTER = lazy_pattern(rf"\s*\){_ONE_NAME}")
_ONE_NAME_BEFORE = lazy_pattern(
    r"(?:(?:[\"'](?P<name>\w+)[\"']\s+(?:not\s+)?)?\bin\s+|__dict__\s*\.\s*update\(\s*)[\w.()\[\]]*\Z"
)
_GOING_THROUGH_BEFORE = lazy_pattern(r"\bfor\s+(?:(?!\b(?:in|if)\b)[\w\s,()*])+\bin\s+[\w.()\[\]]*\Z")

# The names of one instance go to another one, or come from a dictionary.
_COPIES_ALL_BEFORE = lazy_pattern(r"__dict__\s*\.\s*update\(\s*[\w.]+\.\s*\Z")
_COPIES_ALL_AFTER = lazy_pattern(r"\s*\.\s*update\(\s*[\w.]+\.\s*__dict__\s*\)")
# What is had without its names (`vars(hive).values()`), or held against the like of it.
_HELD_AGAINST = lazy_pattern(r"\)\s*[=!]=\s*vars\(\s*\Z")
_HELD_AGAINST_NOTHING = lazy_pattern(r"\s*[=!]=\s*\{\s*\}")
# What of a method tells nothing of the instances that it is given.
_ABOUT_METHOD = lazy_pattern(r"\s*\.\s*__(?:doc|name|qualname|module|annotations)__\b")
# Two instances of one class, or of one and one below it, have the same names.
_HELD_AGAINST_LIKE = lazy_pattern(
    r"isinstance(?<!\wisinstance)\(\s*(\w+)\s*,\s*(?:self\.__class__|type\(self\))\s*\)(?:\s+and\s+|[ \t]*:\s*return\s+)"
    r"(?:self\.__dict__\s*[=!]=\s*\1\.__dict__|\1\.__dict__\s*[=!]=\s*self\.__dict__)(?!\s*[.\[])"
)
# A method that is asked for by its name, of what is called like a class or in a namespace.
_TAKES_FROM_CLASS = lazy_pattern(
    r"getattr(?:_static)?\(\s*(?:[\w.]*\.)?[A-Z]\w*\s*,\s*\Z|getattr(?:_static)?\(\s*type\([\w.]*\)\s*,\s*\Z|(?:__dict__|vars\([\w.]*\))\s*(?:\[|\.\s*get\()\s*\Z"
)
_ONLY_VALUES = lazy_pattern(r"\s*\)\s*(?:\.\s*values\s*\(|[=!]=\s*vars\()")
_IS_FILLED = lazy_pattern(r"\s*\.\s*update\(")
_LONGEST_RECEIVER = 80
# Methods that every instance has, and that give all of its names. Source: library reference.
_CALLED_FOR_NOTHING = lazy_pattern(r"\s*\(\s*\)")
_GIVING_STATE = frozenset({"__reduce__", "__reduce_ex__", "__getstate__"})
_ONLY_ASKING = frozenset({"hasattr"})
_BEGINS_NAMESPACE = lazy_pattern(rb"[\"']__(?:d(?:i(?:c(?:t_?)?)?)?)?[\"'{]")
# What ends within a name behind a dot, in a text that is put together.
_BEGUN_NAME = lazy_pattern(r"\w\.(?:(\w*)\{\w*\}|(\w+)\Z)")


class MemberUsage:
    """Gathers the use of a name of a class."""

    def __init__(self, evaluator: Evaluator, usage: Usage) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self.name = usage.target.name
        self.spelling = usage.target.written
        self.is_private = self.spelling.startswith("_")
        self.family: list[ClassKey] = []
        # What no more than a protocol joins with the others, and which.
        self._joined: dict[ClassKey, ClassKey] = {}
        self._reachable: set[ClassKey] = set()
        self._foreign_names: list[str] = []
        self._all_uses: list[tuple[LinkedFile, AttributeUse, Values]] = []
        self._known_strangers: dict[tuple[ClassKey, ValueSort], bool] = {}

    def note(self) -> None:
        """Fill the usage."""
        self._all_uses = [
            (file, use, self._evaluator.values(file, use.receiver))
            for file in self._linkage.mentioning_any((self.spelling, self.name))
            for use in file.links.attributes_by_name.get(self.name, ())
        ]
        self._find_family((self._usage.target.path, self._usage.target.number))
        self._usage.homes = list(self.family)
        first = self._evaluator.class_record(self.family[0])
        self._usage.label = f"`{self.spelling}` of {first.name}"

        self._note_bodies()
        self._note_attributes()
        self._note_keywords()
        self._check_rests()
        self._check_shown_names(_SHOWN_NAMES)
        self._note_texts()
        self._note_bridges()

        self._check_mangling()
        self._check_declared()
        self._check_bases()
        doubt_strangers(self._evaluator, self._usage, self.spelling, self.family)
        self._check_protocols()
        self._check_lent_methods()
        self._check_changed_classes()
        self._check_classes_made()
        self._check_readers_of_names()
        check_instruction_readers(self._evaluator, self._usage, {key[0] for key in self.family})
        self._check_lookups()
        doubt_names_given(self._evaluator, self._usage, self.spelling)
        self._check_escapes()
        files = {place.path for place in self._usage.places}
        note_mentions(self._evaluator, self._usage, self.spelling, files.__contains__)

    def _check_readers_of_names(self) -> None:
        """Doubts about code that reads the name off a method, or off a class inside."""
        is_class, is_method, is_property = False, False, False
        for key in self.family:
            binding = self._evaluator.binding_in(key, self.name)
            if binding is not None:
                file = self._evaluator.file(key[0])
                for record in definitions_of(file, binding):
                    if isinstance(record, ClassRecord):
                        is_class = True
                    elif self._evaluator.is_property(file, record):
                        is_property = True
                    else:
                        is_method = True
                if binding in file.links.annotated:
                    self._check_shown_names(["__annotations__"])
        if is_class or is_method:
            check_name_readers(self._evaluator, self._usage, is_class=is_class)
        elif is_property:
            check_frame_readers(self._evaluator, self._usage)

    def _note_bridges(self) -> None:
        """Old names that lead to this one, in classes of the family."""
        for path in {key[0] for key in self.family}:
            file = self._evaluator.file(path)
            for bridge, place in bridge_places(file, self.spelling, _OF_CLASSES):
                if (path, class_around(file, bridge.start)) in self.family:
                    self._usage.places.add(place)

    # -- the family --------------------------------------------------------------------------

    def _find_family(self, start: ClassKey) -> None:
        """All classes of the project that share the name: joined by inheritance, by a later common
        subclass, or by code that asks whichever of them it is given."""
        evaluator = self._evaluator
        family = [start]
        while True:
            before = len(family)
            for key in list(family):
                for relative in evaluator.relatives(key):
                    if relative not in family and self._bears(relative):
                        family.append(relative)
            reachable = {each for key in family for each in evaluator.relatives(key)}
            for _, _, values in self._all_uses:
                classes = _classes(values)
                if classes & reachable:
                    # `weight` of a class above them all, or of several, is that of every one, and of
                    # whatever a class below has it from.
                    for key in classes:
                        for each in evaluator.relatives(key):
                            if each not in family and self._bears(each):
                                family.append(each)
            family += self._joined_by_protocols(family)
            if len(family) == before:
                break
        self.family = [key for key in family if evaluator.file(key[0]).is_own]
        self._foreign_names = [name for key in self.family for name in evaluator.foreign_above(key)]
        self._reachable = {each for key in family for each in evaluator.relatives(key)}

    def _joined_by_protocols(self, family: Collection[ClassKey]) -> Iterator[ClassKey]:
        """The classes that have all that a protocol of the family asks for, and the protocols that ask for nothing
        but what a class of the family has: whatever is asked of one of them by the protocol is that of all."""
        if not self._linkage.paths_mentioning("Protocol"):
            return
        bearing = [
            (file.path, index)
            for file in self._linkage.mentioning(self.spelling)
            for index in range(len(file.links.classes))
            if self._bears((file.path, index))
        ]
        for protocol in filter(self._is_protocol_itself, bearing):
            joined = [key for key in bearing if key == protocol or self._has_all(key, protocol)]
            if any(key in family for key in joined):
                for key in joined:
                    if key not in family:
                        self._joined.setdefault(key, protocol)
                        yield key

    def _is_protocol_itself(self, key: ClassKey) -> bool:
        return not _PROTOCOLS.isdisjoint(self._evaluator.bases(key).foreign)

    def _has_all(self, key: ClassKey, protocol: ClassKey) -> bool:
        """Whether a class has everything that a protocol asks for."""
        evaluator = self._evaluator
        asked = {
            name
            for each in evaluator.above(protocol)
            if self._is_protocol_itself(each)
            for name in evaluator.file(each[0]).class_bindings.get(evaluator.class_record(each).scope, {})
        }
        above = evaluator.above(key)
        return all(
            any(evaluator.defines(each, name) for each in above)
            or any(
                _is_own_receiver(file, use.receiver, each[1])
                for each in above
                for file, use in evaluator.writes(name)
                if file.path == each[0]
            )
            for name in asked - _OF_NO_INSTANCE
        )

    def _bears(self, key: ClassKey) -> bool:
        """Whether a class itself defines the name, or sets it on its instances."""
        evaluator = self._evaluator
        if evaluator.defines(key, self.name):
            return True
        return any(
            file.path == key[0] and _is_own_receiver(file, use.receiver, key[1])
            for file, use in evaluator.writes(self.name)
        )

    # -- places ------------------------------------------------------------------------------

    def _note_bodies(self) -> None:
        for key in self.family:
            file = self._evaluator.file(key[0])
            for field in self._evaluator.class_record(key).fields:
                if field.name == self.name:
                    self._usage.places.add(Place(key[0], field.start, field.end, PlaceSort.DEFINITION))
            binding = self._evaluator.binding_in(key, self.name)
            if binding is None:
                continue
            for place in binding_places(file, binding):
                self._usage.places.add(place)
            self._check_body(file, key, binding)

    def _check_body(self, file: LinkedFile, key: ClassKey, binding: int) -> None:
        record = file.facts.bindings[binding]
        first = file.facts.references[record.references[0]]
        if (start := read_before_bound(file, binding)) >= 0:
            self._usage.obstruct(
                f"`{self.spelling}` is read in the class body before it is bound there, so it may be "
                "another one",
                file.path,
                start,
            )
        if any(
            not use.has_alias and use.binding == binding for use in file.links.imports
        ):
            self._usage.obstruct(
                f"`{self.spelling}` is imported in the class body", file.path, first.start
            )
        for origin in file.links.sources.get(binding, ()):
            if origin.sort is OriginSort.DEFINED_FUNCTION:
                function = file.links.functions[origin.binding]
                doubt_decorators(self._evaluator, self._usage, file, function, "its name")
        if may_notice_its_name(self._evaluator, file, binding):
            self._usage.doubt(
                f"the value of `{self.spelling}` in {self._evaluator.class_record(key).name} does "
                "not ask for its name (`__set_name__`)",
                file.path,
                first.start,
            )

    def _note_attributes(self) -> None:
        others_bear = self._find_other_bearers()
        modules = self._modules_that_bear
        self._usage.stands_alone = not others_bear and not modules
        for file, use, values in self._all_uses:
            place = place_of_attribute(file, use)
            classes = _classes(values)
            ours = classes & self._reachable
            unknown = [value for value in values if self._is_open(value)]
            is_only_ours = classes <= self._reachable and all(map(self._bears_nothing, values))
            for value in values:
                if value.sort is ValueSort.ABOVE and self._is_from_outside((value.path, value.number)):
                    self._usage.obstruct(
                        f"`super().{self.spelling}` in {file.path} is of a base that was not read", file.path, use.start
                    )
            if ours and is_only_ours and not unknown:
                self._usage.places.add(place)
            elif ours and not unknown:
                self._usage.obstruct(
                    f"`{shown_attribute(file, use.end)}` in {file.path} may be that of another class, too",
                    file.path,
                    use.start,
                )
            elif unknown and self.is_private and not others_bear and not self._may_be_module(use.receiver, modules):
                # Nothing but this family bears such a name.
                self._usage.places.add(place)
                self._usage.assume(PRIVATE_ATTRIBUTES)
            elif ours or unknown:
                self._usage.open_places.append(OpenPlace(place, why_open(file, use.end)))

    def _is_from_outside(self, key: ClassKey) -> bool:
        """Whether a class of the family asks those above it for the name, and none that was read has it."""
        below = [key, *self._evaluator.below(key)]
        return key in self._reachable and not any(
            self._bears(each) for each in self._evaluator.relatives(key) if each not in below
        )

    def _bears_nothing(self, value: Value) -> bool:
        """Whether a value is a class or instance, or a builtin that cannot have the name."""
        if value.sort is ValueSort.PLAIN:
            return self.spelling not in dir(getattr(builtins, value.name, object))
        return value.sort in (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE)

    def _is_open(self, value: Value) -> bool:
        """Whether a value may be one of the family although it is not known to be."""
        if value.sort in (ValueSort.UNKNOWN, ValueSort.PROMISE):
            return True
        if value.sort is ValueSort.CLASS:
            # What a class has no name for it asks its metaclass for.
            return any(
                map(
                    self._evaluator.has_own_metaclass,
                    self._evaluator.above((value.path, value.number)),
                )
            )
        if value.sort in (ValueSort.INSTANCE, ValueSort.ABOVE):
            key = (value.path, value.number)
            if key not in self._reachable and (key, value.sort) not in self._known_strangers:
                self._known_strangers[key, value.sort] = self._may_have_it_from_us(key, value.sort)
            return key not in self._reachable and self._known_strangers[key, value.sort]
        return self._bases.have_instance(value)

    @cached_property
    def _bases(self) -> LibraryBases:
        """What stands above the family."""
        return LibraryBases(self._evaluator, self.family)

    def _may_be_any(self, values: Values) -> bool:
        """Whether something may be an instance of the family, without being known as one: a class is one of its metaclass."""
        return UNKNOWN_VALUE in values or any(self._bases.have_instance(value) or self._is_made_by_us(value) for value in values)

    def _is_made_by_us(self, value: Value) -> bool:
        """Whether something is a class that one of the family makes, which is the metaclass of it."""
        if value.sort is not ValueSort.CLASS:
            return False
        above = self._evaluator.above((value.path, value.number))
        return not self._reachable.isdisjoint(self._evaluator.metaclasses_of(above))

    def _may_ask_us(self, values: Values) -> bool:
        """Whether something may be one of the family, or hand on to one what it is asked for."""
        return self._may_be_any(values) or self._is_proxy(values)

    def _may_have_it_from_us(self, key: ClassKey, sort: ValueSort) -> bool:
        """Whether an instance of another class may have the name from one of the family all the same."""
        evaluator = self._evaluator
        relatives = evaluator.relatives(key)
        if sort is ValueSort.INSTANCE and asks_elsewhere(evaluator, key, READING_HOOKS):
            return True
        if evaluator.unknown_above(key):
            # A base that is worked out may be any class.
            return True
        bearers = [each for each in relatives if sort is ValueSort.INSTANCE or each != key]
        # What nothing brings that is joined with it here is brought by something that is joined elsewhere.
        return not any(map(self._may_bring, bearers))

    def _may_bring(self, key: ClassKey) -> bool:
        """Whether a class may bring the name: it bears it, or has a base of a library that was not read."""
        is_understood = all(
            name in UNDERSTOOD_BASES or name.startswith("builtins.")
            for name in self._evaluator.bases(key).foreign
        )
        if not is_understood or self._bears(key):
            return True
        file = self._evaluator.file(key[0])
        return not file.is_own and self.name in _instance_names(file, key[1])

    def _find_other_bearers(self) -> bool:
        """Whether a private name is borne by another class, or a library in sight."""
        if not self.is_private:
            return True
        return self._is_borne_by_another_class or bool(self._libraries_that_bear)

    @property
    def _modules_that_bear(self) -> list[str]:
        """The modules that have a name of their own like that."""
        return [file.path for file in self._linkage.mentioning(self.spelling) if self.name in file.module_bindings]

    def _may_be_module(self, receiver: Origin, modules: Iterable[str]) -> bool:
        """Whether who knows what may be one of some modules, since these go about as values."""
        about, linkage = self._evaluator.modules_about, self._linkage
        are_found = any(map(linkage.takes_any_module, linkage.finding_paths))
        return any(are_found or about.may_be(path, receiver, is_loaded=True) for path in modules)

    @cached_property
    def _is_borne_by_another_class(self) -> bool:
        return any(
            (file.path, index) not in self.family and self._bears((file.path, index))
            for file in self._linkage.mentioning(self.spelling)
            for index in range(len(file.links.classes))
        )

    def _check_classes_made(self) -> None:
        """Doubts about classes that a call makes, which may be below one of the family and another one that bears the name."""
        for path in self._linkage.paths if self._is_borne_by_another_class else ():
            data = self._linkage.contents[path]
            file = self._linkage.file(path) if isinstance(data, bytes) and makes_classes(data) else None
            for handed in file.links.handed if file is not None else ():
                assert file is not None, "it has calls"
                is_base = handed.callee.name in _MAKING_CLASSES and (handed.position == 1 or handed.keyword in _KEYWORDS_OF_BASES)
                values = with_parts(self._evaluator.values(file, handed.value)) if is_base else set[Value]()
                if UNKNOWN_VALUE in values or _classes(values) & self._reachable:
                    self._usage.doubt(
                        f"no class that is made by a call in {path} has two `{self.spelling}`", path, handed.start, of_names=True
                    )

    @cached_property
    def _libraries_that_bear(self) -> list[str]:
        """The libraries in sight whose source speaks of a private name."""
        found = [
            module
            for module in _libraries_of(self._linkage, self._linkage.mentioning(self.spelling))
            if self._linkage.library_mentions(module, self.spelling)
        ]
        return found + ["collections"] * (self.spelling in _NAMES_OF_BASES["typing.NamedTuple"])

    def _note_keywords(self) -> None:
        for file in self._linkage.mentioning(self.spelling):
            for use in file.links.keywords:
                if use.name != self.name:
                    continue
                values = self._evaluator.values(file, use.callee)
                place = Place(file.path, use.start, use.end, PlaceSort.KEYWORD)
                if any(self._takes_field(file, value, use.in_pattern) for value in values):
                    self._usage.places.add(place)
                elif UNKNOWN_VALUE in values and not use.in_pattern and self._is_made_somewhere:
                    called = f"`{use.callee.name}`" if use.callee.name else "what is called"
                    why = f"the keyword `{self.spelling}`: it is not known what {called} stands for"
                    self._usage.open_places.append(OpenPlace(place, why))
                elif any(
                    value.sort is ValueSort.FOREIGN and value.name in _REPLACING for value in values
                ) or use.callee.name in _REPLACING_METHODS:
                    self._usage.open_places.append(
                        OpenPlace(place, f"the keyword `{self.spelling}`: it is not known what it replaces")
                    )
                elif UNKNOWN_VALUE in values and self.is_private and use.callee.name == "update":
                    self._usage.open_places.append(
                        OpenPlace(place, f"the keyword `{self.spelling}`: it may become a name of a class")
                    )
                elif makes_classes(file.data) and any(value.name == "builtins.dict" for value in values):
                    self._usage.open_places.append(
                        OpenPlace(place, f"the keyword `{self.spelling}`: it may become a name of a class")
                    )
                elif use.in_pattern and any(map(self._may_be_class_of_ours, values)):
                    self._usage.open_places.append(
                        OpenPlace(place, f"the pattern's `{self.spelling}`: it is not known of which class")
                    )

    def _may_be_class_of_ours(self, value: Value) -> bool:
        """Whether what a pattern holds something against may be a class of an instance of the family, without being
        known as one: any class of a library may be, that is no concrete one of the language, and a proxy's."""
        if value.sort is ValueSort.CLASS:
            return self._is_proxy(frozenset({value.as_instance()}))
        if value.sort is ValueSort.FOREIGN and value.name.startswith("builtins."):
            return value.name == "builtins.object" or value.name in self._foreign_names
        return value == UNKNOWN_VALUE or value.sort is ValueSort.FOREIGN

    @cached_property
    def _is_made_somewhere(self) -> bool:
        """Whether a record with the field goes about as a value, so that whoever has it may make one."""
        return any(self._has_field(key) and is_class_kept(self._evaluator, key) for key in self._reachable)

    def _check_rests(self) -> None:
        """Doubts about dictionaries of keywords that make records, or replace fields of some."""
        if not any(map(self._has_field, self.family)):
            return
        for path in sorted(self._linkage.paths_with_rests):
            file = self._linkage.file(path)
            for rest in file.links.rests if file is not None else ():
                assert file is not None, "it has calls"
                is_open = rest.keys is None or self.name in rest.keys
                values = self._evaluator.values(file, rest.callee) if is_open else ()
                replaces = rest.callee.name in _REPLACING_METHODS
                if is_open and (replaces or any(self._may_take_fields(file, value) for value in values)):
                    self._usage.doubt(
                        f"what `**` hands on in {path} holds no `{self.spelling}`", path, rest.start
                    )

    def _may_take_fields(self, file: LinkedFile, called: Value) -> bool:
        """Whether a call may take the field as a keyword."""
        if called == UNKNOWN_VALUE:
            return self._is_made_somewhere
        return called.name in _REPLACING or self._takes_field(file, called, in_pattern=False)

    def _check_shown_names(self, words: Iterable[str]) -> None:
        """Doubts about code that reads the names of slots, fields or annotations off a class."""
        for word in words:
            for file in self._linkage.mentioning(word):
                for use in file.links.attributes_by_name.get(word, ()):
                    values = self._evaluator.values(file, use.receiver)
                    if (self._may_be_any(values) or _classes(values) & self._reachable) and not self._is_asked_of_others(file, use):
                        self._usage.doubt(
                            f"what reads `{word}` in {file.path} does not look for `{self.spelling}`",
                            file.path,
                            use.start,
                        )
                looked_up = (text for text in file.links.texts if text.words == word and text.position > 0 and text.callee.name in LOOKUPS - _ONLY_ASKING)
                may_be_ours = (text.start for text in looked_up if self._may_be_ours(file, text.arguments[0]))
                for start in (*asked_by_text(file, word), *may_be_ours):
                    self._usage.doubt(
                        f"what asks for `{word}` in {file.path} does not look for `{self.spelling}`", file.path, start
                    )

    def _is_asked_of_others(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether the names that a class shows are only asked for other ones, which are written out."""
        shown = syntax_tree(file.data).attributes.get(use.end)
        asked = names_asked_for(file, shown) if shown is not None else None
        return asked is not None and ANY_NAME not in asked and not self._is_one_of(file, shown, asked)

    def _is_one_of(self, file: LinkedFile, namespace: ast.expr | None, asked: Collection[str]) -> bool:
        """Whether the name is among those for which a namespace is asked; none of these may become the new one."""
        start = syntax_tree(file.data).start_of(namespace) if namespace is not None else 0
        what = f"what asks for names of something in {file.path} does not ask for …"
        self._usage.look_out(what, set(asked) - {ANY_NAME, self.name, self.spelling}, start, path=file.path)
        return not {self.name, self.spelling}.isdisjoint(asked)

    def _takes_field(self, file: LinkedFile, value: Value, in_pattern: bool) -> bool:
        """Whether a keyword of a call or pattern is a field of the family."""
        if value.sort is not ValueSort.CLASS or (value.path, value.number) not in self._reachable:
            return False
        return in_pattern or self._has_field((value.path, value.number))

    def _has_field(self, key: ClassKey) -> bool:
        """Whether a class takes the name as a keyword since it is a field of a record."""
        return any(
            self._evaluator.is_record(each)
            and (
                self._evaluator.binding_in(each, self.name) in self._evaluator.file(each[0]).links.annotated
                or self._evaluator.class_record(each).has_field(self.name)
            )
            for each in self._evaluator.above(key)
        )

    @property
    def _is_mangled(self) -> bool:
        """Whether Python puts a class before the name wherever that class writes it."""
        return self.name != self.spelling

    def _note_texts(self) -> None:
        bodies = self._texts_of_bodies()
        for file in self._linkage.mentioning(self.spelling):
            for text in file.links.texts:
                if self._is_mangled and not any(first <= text.start < last for first, last in bodies.get(file.path, ())):
                    # Python puts no class before what stands in a text, but in slots.
                    continue
                if text.words == self.spelling and text.is_plain:
                    self._note_text(file, text, bodies.get(file.path, []))
                elif self.spelling in text.words.split(".") and text.is_plain:
                    self._note_dotted_text(file, text)
            if not self._is_mangled:
                self._usage.open_places.extend(places_filled_in(file, self.spelling))
        self._check_slots(bodies)

    def _check_slots(self, bodies: dict[str, list[tuple[int, int]]]) -> None:
        """Slots that are not written out one by one cannot follow."""
        for path, ranges in bodies.items():
            file = self._evaluator.file(path)
            for start, end in ranges:
                for text in file.facts.texts_between(start, end):
                    words = re.split(r"\W+", text.words)
                    if self.spelling in words and text.words != self.spelling:
                        self._usage.obstruct(
                            f"`{self.spelling}` stands in a text with other names, which is taken apart",
                            path,
                            text.start,
                        )
        for key in self.family:
            slots = self._evaluator.binding_in(key, "__slots__")
            is_slot = slots is not None and self._evaluator.binding_in(key, self.name) is None
            if slots is None or not is_slot or not self._bears(key):
                continue
            file = self._evaluator.file(key[0])
            start = file.facts.references[file.facts.bindings[slots].references[0]].start
            is_written = any(
                place.sort is PlaceSort.TEXT and place.path == path and first <= place.start < last
                for place in self._usage.places
                for path, ranges in bodies.items()
                for first, last in ranges
            )
            if not is_written:
                self._usage.obstruct(
                    f"the slots, of which `{self.spelling}` must be one, are worked out", key[0], start
                )

    def _texts_of_bodies(self) -> dict[str, list[tuple[int, int]]]:
        """Where `__slots__` and `__match_args__` of the family are written."""
        found: dict[str, list[tuple[int, int]]] = {}
        for key in self._reachable:
            file = self._evaluator.file(key[0])
            words = ("__slots__",) if self._is_mangled else ("__slots__", "__match_args__")
            for name in words if file.is_own else ():
                binding = self._evaluator.binding_in(key, name)
                if binding is not None:
                    found.setdefault(file.path, []).extend(statements_of(file, binding))
        return found

    def _note_text(
        self, file: LinkedFile, text: TextUse, bodies: list[tuple[int, int]]
    ) -> None:
        raw = file.source.text[text.start : text.end]
        start = text.start + raw.index(self.spelling)
        place = Place(file.path, start, start + len(self.spelling), PlaceSort.TEXT)
        if any(first <= text.start < last for first, last in bodies):
            self._usage.places.add(place)
            return
        callees = {value.name for value in self._evaluator.values(file, text.callee)}
        if text.position == 0 and text.callee.name in ATTRIBUTE_HOOKS and text.callee.parts:
            values = self._evaluator.values(file, text.callee.parts[0])
            if _classes(values) and _classes(values) <= self._reachable and UNKNOWN_VALUE not in values:
                self._usage.places.add(place)
            elif _classes(values) & self._reachable or self._may_ask_us(values):
                self._open_text(place, self.spelling)
        elif text.position == 1 and text.arguments:
            values = self._evaluator.values(file, text.arguments[0])
            classes = _classes(values)
            words = {name.rpartition(".")[2] for name in callees} | {text.callee.name}
            if classes and classes <= self._reachable and UNKNOWN_VALUE not in values:
                self._usage.places.add(place)
            elif classes & self._reachable or (self._may_ask_us(values) and words & LOOKUPS.union(ATTRIBUTE_HOOKS)):
                self._open_text(place, self.spelling)
        elif callees & _KEEPING_LOOKUPS or makes_classes(file.data) or self._goes_to_hook(text):
            self._open_text(place, self.spelling)

    def _goes_to_hook(self, text: TextUse) -> bool:
        """Whether what a text is handed to may be a hook that is looked up by its own name (`getattr(thing, "__getattr__")`)."""
        is_looked_up = text.callee.sort is OriginSort.CALL and text.callee.parts[0].name in LOOKUPS
        return is_looked_up and any(map(self._linkage.stands_in_quotes, ATTRIBUTE_HOOKS))

    def _open_text(self, place: Place, words: str) -> None:
        self._usage.open_places.append(
            OpenPlace(place, f'"{words}": it is not known what it is looked up in')
        )

    def _note_dotted_text(self, file: LinkedFile, text: TextUse) -> None:
        """`hive.log.Hive.weight`, as patchers take it."""
        raw = file.source.text[text.start : text.end]
        if {value.name for value in self._evaluator.values(file, text.callee)} & _KEEPING_LOOKUPS:
            words = word_in_text(self.spelling)
            for match in words.finditer(file.source.text, text.start, text.end):
                place = Place(file.path, match.start(), match.end(), PlaceSort.TEXT)
                self._open_text(place, text.words)
            return
        for key in self.family:
            there = self._evaluator.file(key[0])
            full = f"{there.module}.{self._evaluator.class_record(key).name}.{self.spelling}"
            if text.words.replace(":", ".") == full and text.words in raw:
                start = text.start + raw.index(text.words) + len(full) - len(self.spelling)
                self._usage.places.add(
                    Place(file.path, start, start + len(self.spelling), PlaceSort.TEXT)
                )

    # -- what speaks against -----------------------------------------------------------------

    def _check_mangling(self) -> None:
        """What Python puts a class's name before may be written with it outside of the class."""
        if not self._is_mangled:
            return
        for file in self._linkage.mentioning(self.name):
            match = word_in_text(self.name).search(file.source.text)
            if match is not None:
                self._usage.obstruct(
                    f"`{self.spelling}` is written as `{self.name}` in {file.path}", file.path, match.start()
                )

    def _check_declared(self) -> None:
        """What is only declared, and given a value nowhere in sight, has it from a base that was not read."""
        evaluator = self._evaluator
        declared = [
            (key, binding)
            for key in self.family
            for binding in [evaluator.binding_in(key, self.name)]
            if binding is not None
        ]
        is_written = any(use.use is Use.WRITE for _, use, _ in self._all_uses) or any(
            evaluator.is_record(key) or not _is_only_declared(evaluator.file(key[0]), binding)
            for key, binding in declared
        )
        outside = [
            name
            for key in self.family
            for name in [*evaluator.unknown_above(key), *evaluator.foreign_above(key)]
            if name not in UNDERSTOOD_BASES and not name.startswith("typing")
        ]
        if declared and outside and not is_written:
            self._usage.obstruct(
                f"`{self.spelling}` is only declared, and given a value by the base {outside[0]}, which was not read",
                *self._first_place(),
            )

    def _check_bases(self) -> None:
        evaluator = self._evaluator
        if self.is_private and self.name == self.spelling:
            for module in self._libraries_that_bear:
                self._usage.doubt(
                    f"{module}, whose source speaks of `{self.spelling}`, asks none of these classes for it",
                    *self._first_place(),
                )
        first = evaluator.file(self.family[0][0])
        names = [*self._foreign_names, *(evaluator.class_record(key).name for key in self._reachable)]
        if is_test(first.path) or any(name.endswith(_TEST_CASE) for name in names):
            self._usage.look_out(FOUND_BY_RUNNER, ["test"], for_beginnings=True)
        for key in self._reachable:
            file, record = evaluator.file(key[0]), evaluator.class_record(key)
            if not file.is_own:
                if self._bears(key) or self.name in _instance_names(file, key[1]):
                    self._usage.obstruct(
                        f"`{self.spelling}` comes from {file.module}.{record.name}, which is outside the "
                        "project",
                        *self._first_place(),
                    )
                self._check_library_lookups(file)
                continue
            for name in evaluator.bases(key).foreign:
                self._check_foreign_base(file, record.name_start, name)
            for name in evaluator.bases(key).unknown:
                self._doubt_base(file, record.name_start, name)
            doubt_decorators(self._evaluator, self._usage, file, record, f"`{self.spelling}`")
            if self._evaluator.is_record(key) and self._is_field() and not is_silent(file, record.name_start):
                self._doubt_shown(file, record.name_start)
            if evaluator.has_own_metaclass(key):
                self._usage.doubt(
                    f"the metaclass of {record.name} does not look at `{self.spelling}`",
                    file.path,
                    record.name_start,
                )
            for hook in ATTRIBUTE_HOOKS:
                if evaluator.binding_in(key, hook) is not None and not (
                    hook == "__getattr__" and is_always_there(evaluator, key, self.name)
                ):
                    self._usage.doubt(
                        f"the `{hook}` of {record.name} does not depend on the name `{self.spelling}`",
                        file.path,
                        record.name_start,
                    )

    def _first_place(self) -> tuple[str, int]:
        place = min(self._usage.places, default=None)
        return (place.path, place.start) if place is not None else (self._usage.target.path, 0)

    def _check_library_lookups(self, file: LinkedFile) -> None:
        """A base of a library may find methods by names that it works out (`visit_…`)."""
        for lookup in file.links.lookups:
            if self.is_private or not lookup.may_find(self.spelling):
                continue
            what = (
                f"{file.module} does not look up `{self.spelling}` by a name that it works out"
                if not lookup.shape
                else f"{file.module} does not look up names that {lookup.shape}"
            )
            self._usage.doubt(what, *self._first_place())

    def _check_foreign_base(self, file: LinkedFile, start: int, name: str) -> None:
        if name.startswith("builtins."):
            kind = getattr(builtins, name.removeprefix("builtins."), None)
            if kind is not None and self.spelling in dir(kind):
                self._usage.obstruct(
                    f"`{self.spelling}` comes from `{name.removeprefix('builtins.')}`, which is outside "
                    "the project",
                    file.path,
                    start,
                )
        elif self.spelling in _NAMES_OF_BASES.get(name, ()):
            self._usage.obstruct(
                f"`{self.spelling}` comes from {name}, which is outside the project", file.path, start
            )
        elif name == "typing.TypedDict":
            self._usage.obstruct(
                f"`{self.spelling}` is a key of dictionaries, and not an attribute", file.path, start
            )
        elif name.startswith("enum."):
            self._usage.doubt(
                f"nothing shows or looks up the member `{self.spelling}` by its name", file.path, start
            )
        elif name not in UNDERSTOOD_BASES:
            if self.is_private:
                self._usage.assume(PRIVATE_ATTRIBUTES)
            else:
                self._doubt_base(file, start, name)

    def _check_protocols(self) -> None:
        """Doubts about classes that are told by what they have: protocols and what could satisfy them."""
        is_protocol = any(map(self._is_protocol, self.family))
        for key, protocol in self._joined.items():
            record = self._evaluator.class_record(key)
            self._usage.doubt(
                f"`{self.spelling}` of {record.name} in {key[0]} is that of the protocol "
                f"{self._evaluator.class_record(protocol).name}, too",
                key[0],
                record.name_start,
            )
        for file in self._linkage.mentioning(self.spelling):
            for index, record in enumerate(file.links.classes):
                key = (file.path, index)
                if key in self.family or not self._evaluator.defines(key, self.name):
                    continue
                if is_protocol or self._is_protocol(key):
                    self._usage.doubt(
                        f"`{self.spelling}` of {record.name} in {file.path} has nothing to do with a protocol "
                        "that asks for the name",
                        file.path,
                        record.name_start,
                    )

    def _is_protocol(self, key: ClassKey) -> bool:
        return not _PROTOCOLS.isdisjoint(self._evaluator.foreign_above(key))

    def _check_lent_methods(self) -> None:
        """Methods that ask their instance for the name, and that are taken from the class for who knows
        what instance."""
        asking: dict[FunctionKey, str] = {}
        for file, use, _ in self._all_uses:
            owners = {
                (file.path, origin.binding)
                for origin in file.links.sources.get(use.receiver.binding, ())
                if use.receiver.sort is OriginSort.NAME and origin.sort is OriginSort.OWN
            }
            if owners & self._reachable:
                asking.update(
                    ((file.path, number), record.name)
                    for number, record in enumerate(file.links.functions)
                    if record.parameters and record.parameters[0].binding == use.receiver.binding
                )
        for file in self._linkage.mentioning_any(set(asking.values())):
            for taken in file.links.attributes:
                if taken.name in asking.values() and self._is_lent(file, taken, asking):
                    self._usage.doubt(
                        f"`{shown_attribute(file, taken.end)}` in {file.path}, taken from its class, is only "
                        f"given instances that have `{self.spelling}`",
                        file.path,
                        taken.start,
                    )
            for name, start in _taken_otherwise(file, set(asking.values())):
                self._usage.doubt(
                    f"`{name}`, taken from its class in {file.path}, is only given instances that have `{self.spelling}`",
                    file.path,
                    start,
                )

    def _is_lent(
        self, file: LinkedFile, taken: AttributeUse, asking: Mapping[FunctionKey, str]
    ) -> bool:
        """Whether a method is taken from a class, and not at once called with an instance of it."""
        if taken.use is not Use.READ or _ABOUT_METHOD.match(file.source.text, taken.end):
            return False
        values = self._evaluator.values(file, taken.receiver)
        functions = {key for value in values if value.sort is ValueSort.CLASS for key in self._functions_of(file, value, taken.name)}
        if functions.isdisjoint(asking):
            return False
        homes = [(path, self._evaluator.function_record((path, number)).owner) for path, number in functions & asking.keys()]
        for handed in file.links.handed:
            if handed.call == taken.end and handed.position == 0:
                given = self._evaluator.values(file, handed.value)
                return not all(value.sort is ValueSort.INSTANCE and self._is_of((value.path, value.number), homes) for value in given)
        return True

    def _functions_of(self, file: LinkedFile, of_class: Value, name: str) -> Iterator[FunctionKey]:
        """The functions that a class may have under a name; where it is called by its own, none of one below it."""
        evaluator = self._evaluator
        above = evaluator.above((of_class.path, of_class.number))
        for value in evaluator.attribute_values(file, of_class, name):
            if value.sort is not ValueSort.FUNCTION:
                continue
            record = evaluator.function_record((value.path, value.number))
            if of_class.may_be_below or record.owner < 0 or (value.path, record.owner) in above:
                yield value.path, value.number

    def _is_of(self, key: ClassKey, homes: Collection[ClassKey]) -> bool:
        """Whether instances of a class are of the family, or of all the classes whose methods they are given to."""
        above = self._evaluator.above(key)
        return key in self._reachable or all(home in above for home in homes)

    def _doubt_base(self, file: LinkedFile, start: int, name: str) -> None:
        self._usage.doubt(
            f"the base {name} in {file.path}, which was not read, has no `{self.spelling}`",
            file.path,
            start,
        )

    def _is_field(self) -> bool:
        return any(self._has_field(key) for key in self.family)

    def _doubt_shown(self, file: LinkedFile, start: int) -> None:
        """The representation of a record shows the names of its fields."""
        self._usage.doubt(
            f"nothing depends on how a record shows its field `{self.spelling}`", file.path, start
        )

    def _check_lookups(self) -> None:
        """Code that looks attributes up by names that it works out."""
        for path in self._linkage.lookup_paths:
            data = self._linkage.contents[path]
            assert isinstance(data, bytes), "a word was found in it"
            # A private name is seldom worked out: what is known to be of the family counts, and
            # everything where the name stands as a text, or begins like one that is put together.
            is_far = self.is_private and not self._is_key
            is_begun = is_far and self._begins_in(path)
            is_made = is_far and puts_together_unknown(data)
            file = self._linkage.file(path)
            for lookup in file.links.lookups if file is not None else ():
                assert file is not None, "it has calls"
                reason = f"names that {lookup.shape} are looked up in {path}" if lookup.shape else ""
                is_met = self._usage.is_obstructed_by(reason) if reason else self._usage.has_lookup_doubt(path)
                if is_met or not lookup.may_find(self.name) or not self._may_be_asked(file, lookup, is_begun=is_begun, is_made=is_made):
                    continue
                if reason:
                    self._usage.obstruct(reason, path, lookup.start)
                else:
                    self._usage.doubt_lookup(path, lookup.start)
        for file in self._linkage.mentioning(NAMESPACE):
            for use in file.links.attributes_by_name.get(NAMESPACE, ()):
                if self._may_show(file, use):
                    self._usage.doubt(
                        f"what uses `__dict__` in {file.path} does not depend on `{self.spelling}`",
                        file.path,
                        use.start,
                        of_names=True,
                    )
        self._check_tables_of_strangers()
        self._check_other_ways_to_namespaces()
        self._check_texts_put_together()

    def _may_be_asked(self, file: LinkedFile, lookup: Lookup, *, is_begun: bool, is_made: bool) -> bool:
        """Whether what looks an attribute up may ask one of the family for the name, in a file that has a text with which the
        name may begin (`is_begun`), or puts names together of what stands elsewhere (`is_made`)."""
        values = self._evaluator.values(file, lookup.receiver)
        # Who asks a proxy for a name that the library asks nobody for is a reference to it, or an open place.
        is_told = lookup.is_handed_on and self.is_private
        if lookup.is_handed_on and not self.is_private and not self._is_asked_out_of_sight(file, lookup):
            return False
        is_proxy = not lookup.is_handed_on and self._is_proxy(values, hooks_asked(file, lookup))
        is_in_family = not is_told and (is_proxy or bool(_classes(values) & self._reachable))
        if not is_in_family:
            is_seldom = self.is_private and lookup.is_open and not self._is_key and not is_begun
            if not self._may_be_any(values) or self._evaluator.is_some_module(file, lookup.receiver):
                return False
            if is_seldom and not (is_made and is_made_of_unknown(self._evaluator, file, lookup, self.spelling)):
                return self.name in (self._texts_sought(file, lookup) or ())
        return self._may_be_sought(file, lookup)

    def _is_asked_out_of_sight(self, file: LinkedFile, lookup: Lookup) -> bool:
        """Whether somebody may ask for the name what hands on what it is asked for, who shows nowhere: the library does so,
        and who gives values."""
        is_reading = file.source.text.startswith("getattr", lookup.start)
        return not is_reading or self._may_be_asked_for() or _are_hooks_taken(self._evaluator)

    def _is_proxy(self, values: Values, hooks: Collection[str] = READING_HOOKS) -> bool:
        """Whether something may be an instance of another class that asks elsewhere for what it has not."""
        return any(
            (value.path, value.number) not in self._reachable
            and (
                asks_elsewhere(self._evaluator, (value.path, value.number), hooks)
                if value.sort is ValueSort.INSTANCE
                else asks_metaclass(self._evaluator, (value.path, value.number), hooks)
            )
            for value in values
            if value.sort in (ValueSort.INSTANCE, ValueSort.CLASS)
        )

    def _may_be_sought(self, file: LinkedFile, lookup: Lookup) -> bool:
        """Whether the name may be the one that is worked out: callers hand it in, or a loop comes to it."""
        texts = self._texts_sought(file, lookup)
        return self.name in texts if texts is not None else not is_never(self._evaluator, file.path, lookup.binding, self.name)

    def _texts_sought(self, file: LinkedFile, lookup: Lookup) -> Collection[str] | None:
        """The names that may be worked out where one is looked up; `None` where these are not known."""
        call = syntax_tree(file.data).lookups.get(lookup.start)
        worked_out = call.args[1] if call is not None and called_name(call) in LOOKUPS and len(call.args) > 1 else None
        return texts_made(self._evaluator, file, worked_out) if worked_out is not None else None

    def _begins_in(self, path: str) -> bool:
        """Whether a file makes names of a text that the private name begins with (`"_" + name`), which may be that one."""
        if not self.is_private:
            return False
        return self._stands_begun or may_begin_in(self._evaluator, path, self.spelling)

    @cached_property
    def _stands_begun(self) -> bool:
        """Whether a text somewhere is the beginning of the name, up to the end of a word of it, or all of it that does not
        come from the class."""
        if self._is_mangled and any(
            self.spelling in text.words and text.use != "documentation"
            for file in self._linkage.mentioning(self.spelling)
            for text in file.facts.texts
        ):
            return True
        cuts = [place + 1 for place in range(1, len(self.spelling) - 1) if self.spelling[place] == "_"]
        beginnings = {self.spelling[:cut] for cut in cuts}
        return any(
            text.words in beginnings and text.use != "documentation"
            for file in self._linkage.mentioning_any(beginnings)
            for text in file.facts.texts
        )

    def _check_tables_of_strangers(self) -> None:
        """Doubts about what lists the names of who knows what (`vars(thing)`)."""
        for file in self._linkage.mentioning_any(_LISTING_WORDS):
            for handed in file.links.handed:
                if handed.callee.name in _LISTING_WORDS and self._may_list(file, handed):
                    self._doubt_listing(file, handed.callee.name, handed.start)
            for name, start in file.builtins_kept(_LISTING_BUILTINS):
                self._doubt_listing(file, name, start)
            for spread in LISTS_SPREAD.finditer(file.source.text):
                self._doubt_listing(file, spread[1], spread.start())

    def _doubt_listing(self, file: LinkedFile, called: str, start: int) -> None:
        self._usage.doubt_reader(
            f"what `{called}` gives in {file.path} is not looked into for `{self.spelling}`", file.path, start, of_names=True
        )

    def _may_list(self, file: LinkedFile, handed: Handed) -> bool:
        """Whether who knows what is handed to what lists its names, and the family's name may be asked for there."""
        if not self._may_be_any(self._evaluator.values(file, handed.value)):
            return False
        if self._evaluator.is_some_module(file, handed.value) or _without_names(file, handed):
            return False
        called = set(map(self._evaluator.library_name, self._evaluator.values(file, handed.callee)))
        if called.isdisjoint(_LISTING):
            return False
        if called <= _LISTING_FIELDS and not any(map(self._evaluator.is_record, self.family)):
            return False
        if called == {_GIVING_NAMESPACE} and self._is_left_in_class(file, self._evaluator.values(file, handed.value), handed.end):
            return False
        text = file.source.text
        before = text[max(handed.start - _LONGEST_RECEIVER, 0) : handed.start]
        asked = _ONE_NAME_LISTED_AFTER.match(text, handed.end) or _name_asked_before(before)
        if asked is None:
            return not self._is_not_among(file, handed)
        if asked["name"] is not None:
            return asked["name"] == self.spelling
        return self._may_be_key(file, call_handing(file, handed))

    def _may_be_key(self, file: LinkedFile, namespace: ast.expr | None) -> bool:
        """Whether what is not written out where a namespace is asked for one name may be this one."""
        if self._is_key or self._begins_in(file.path):
            return True
        return namespace is not None and self.is_private and is_key_made_of_unknown(self._evaluator, file, namespace, self.spelling)

    def _is_copied_with_another(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether the names of an instance go to, or come from, one that is known to be of another class."""
        beside = (
            each
            for each in file.links.attributes_by_name.get(NAMESPACE, ())
            if each != use and abs(each.end - use.end) <= _LONGEST_RECEIVER
        )
        return any(_classes(self._evaluator.values(file, each.receiver)) - self._reachable for each in beside)

    def _check_changed_classes(self) -> None:
        """Doubts about instances that become such of another class, which then asks them for what they have."""
        is_asked_elsewhere = self._is_borne_by_another_class or any(_classes(values) - self._reachable for _, _, values in self._all_uses)
        for file, use in self._evaluator.writes("__class__") if is_asked_elsewhere else ():
            if self._may_be_ours(file, use.receiver) or _classes(self._evaluator.values(file, use.value)) & self._reachable:
                self._usage.doubt(
                    f"what gets another class in {file.path} has no `{self.spelling}` that is asked for there", file.path, use.start
                )

    def _is_not_among(self, file: LinkedFile, handed: Handed) -> bool:
        """Whether what is done with the names that a call gives of something does not depend on this one."""
        if _without_names(file, handed):
            return True
        call = call_handing(file, handed)
        return (
            passes_name_over(self._evaluator, file, handed, self.name)
            or (call is not None and handed.callee.name in _LISTING_BUILTINS and self._asks_for_others(file, call, handed.value))
        )

    def _check_other_ways_to_namespaces(self) -> None:
        """Doubts about what gives all names of an instance without naming `__dict__` as an attribute."""
        for file, start in self._other_ways_to_namespaces():
            self._usage.doubt(
                f"what takes all names of an instance in {file.path} does not depend on `{self.spelling}`",
                file.path,
                start,
                of_names=True,
            )

    def _other_ways_to_namespaces(self) -> Iterator[tuple[LinkedFile, int]]:
        for file in self._linkage.mentioning_any(set(_GIVING_STATE)):
            for use in file.links.attributes:
                is_called = use.name in _GIVING_STATE and use.end in file.links.called and not _is_call_let_go(file, use)
                if (
                    is_called
                    and self._may_be_ours(file, use.receiver)
                    and not self._is_left_in_class(file, self._evaluator.values(file, use.receiver), use.start)
                    and not self._has_own(file, use)
                ):
                    yield file, use.start
        for file in self._linkage.mentioning(NAMESPACE):
            for text in file.links.texts:
                is_asked = text.words.rpartition(".")[2] == NAMESPACE and text.callee.name not in _ONLY_ASKING
                owner = text.arguments[0] if text.callee.name in LOOKUPS and text.arguments else UNKNOWN
                if is_asked and text.call >= 0 and self._may_be_ours(file, owner) and not self._is_asked_for_others(file, text):
                    yield file, text.start
            yield from ((file, start) for start in asked_by_text(file, NAMESPACE))
        for path in self._linkage.lookup_paths:
            data = self._linkage.contents[path]
            there = self._linkage.file(path) if isinstance(data, bytes) and _BEGINS_NAMESPACE.search(data) else None
            for lookup in there.links.lookups if there is not None else ():
                assert there is not None, "it has calls"
                is_begun = lookup.prefix.startswith("__") and lookup.may_find(NAMESPACE)
                if is_begun and self._may_be_ours(there, lookup.receiver):
                    yield there, lookup.start

    def _is_asked_for_others(self, file: LinkedFile, text: TextUse) -> bool:
        """Whether a namespace that is asked for by its name (`getattr(hive, "__dict__", {})`) is only asked for other names."""
        call = syntax_tree(file.data).lookups.get(text.start)
        return call is not None and text.words == NAMESPACE and text.callee.name == "getattr" and self._asks_for_others(file, call, text.arguments[0])

    def _asks_for_others(self, file: LinkedFile, namespace: ast.expr, owner: Origin) -> bool:
        """Whether the namespace of something is only asked for other names."""
        asked = names_asked_for(file, namespace)
        if asked is None or self._is_one_of(file, namespace, asked):
            return False
        if ANY_NAME not in asked:
            return True
        is_ours = bool(_classes(self._evaluator.values(file, owner)) & self._reachable)
        return not (is_ours or self._may_be_key(file, namespace))

    def _has_own(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether all that may be called is a method of the project's own."""
        evaluator = self._evaluator
        if all(any(evaluator.defines(each, use.name) for each in evaluator.above(key)) for key in self.family):
            return True
        return all(
            value.sort is ValueSort.FUNCTION
            for receiver in self._evaluator.values(file, use.receiver)
            for value in self._evaluator.attribute_values(file, receiver, use.name) or (UNKNOWN_VALUE,)
        )

    def _may_be_ours(self, file: LinkedFile, origin: Origin) -> bool:
        """Whether something may be an instance of the family."""
        values = self._evaluator.values(file, origin)
        return self._may_be_any(values) or bool(_classes(values) & self._reachable)

    def _check_texts_put_together(self) -> None:
        """Doubts about texts that are run, or filled in, and that are made of parts between which a name may end."""
        for path in self._linkage.paths_beginning(self.spelling, are_any=self._stands_in_text):
            file = self._linkage.file(path)
            for text in file.facts.texts if file is not None else ():
                begun = _BEGUN_NAME.search(text.words)
                if text.use != "documentation" and begun is not None and self._is_begun_by(begun[1] or begun[2] or ""):
                    self._usage.doubt(
                        f"the text that begins a name in {path} does not become `{self.spelling}`", path, text.start
                    )

    def _is_begun_by(self, beginning: str) -> bool:
        if not beginning:
            # What follows is filled in: any name that stands as a text may.
            return self._stands_in_text
        return beginning != self.spelling and self.spelling.startswith(beginning)

    def _may_show(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether the names of an instance that are taken at a place may be those of the family: it is one of
        theirs, or who knows what, and is asked for the name or gives all that it has."""
        values = self._evaluator.values(file, use.receiver)
        is_ours = bool(_classes(values) & self._reachable)
        if not is_ours and (not self._may_be_any(values) or self._evaluator.is_some_module(file, use.receiver)):
            return False
        text = file.source.text
        before = text[max(use.start - _LONGEST_RECEIVER, 0) : use.start]
        if _is_held_against_like(text, use.start) or _HELD_AGAINST_NOTHING.match(text, use.end) or _is_let_go(file, use):
            return False
        asked = _ONE_NAME_AFTER.match(text, use.end) or _name_asked_before(before)
        if self._is_left_in_class(file, values, use.start) and not _goes_on_as_whole(self._evaluator, file, use):
            return False
        if asked is None:
            return (is_ours or not is_called_like_class(file, use.start)) and not self._is_none_of_these(file, use)
        if asked["name"] is not None:
            return asked["name"] == self.spelling
        if _COPIES_ALL_BEFORE.search(before) or _COPIES_ALL_AFTER.match(text, use.end):
            return self._is_copied_with_another(file, use)
        if is_ours and not (self.is_private and _IS_FILLED.match(text, use.end)):
            return True
        return self._may_be_key(file, syntax_tree(file.data).attributes.get(use.end))

    def _is_left_in_class(self, file: LinkedFile, values: Values, place: int) -> bool:
        """Whether the names that something with a name has of its own, at a place, are those of an instance, which has this one
        from its class."""
        if not self._stands_in_class or self._is_key:
            return False
        if any(value.sort is ValueSort.CLASS for value in values):
            return False
        may_be_class = is_called_like_class(file, place) or _TELLS_CLASSES.search(file.source.text) is not None
        return UNKNOWN_VALUE not in values or not (may_be_class or self._goes_about_as_class)

    def _is_none_of_these(self, file: LinkedFile, namespace: AttributeUse) -> bool:
        """Whether what is done with the names in a namespace does not depend on this one."""
        if namespace_passes_name_over(self._evaluator, file, namespace.end, self.name):
            return True
        taken = syntax_tree(file.data).attributes.get(namespace.end)
        return taken is not None and self._asks_for_others(file, taken, namespace.receiver)

    @cached_property
    def _stands_in_class(self) -> bool:
        """Whether the name stands in the body of classes, and instances are not given it."""
        name = self._usage.present_name
        return not self._evaluator.is_set(name) and any(self._evaluator.binding_in(key, name) is not None for key in self.family)

    @cached_property
    def _goes_about_as_class(self) -> bool:
        """Whether who knows what may be a class of the family."""
        return any(is_class_kept(self._evaluator, key) for key in self._reachable)

    @cached_property
    def _is_key(self) -> bool:
        """Whether the name stands as a text or as a keyword somewhere, but as one of a parameter."""
        return self._stands_in_text or any(
            use.name in (self.name, self.spelling) and not self._is_of_parameter(file, use)
            for file in self._linkage.mentioning(self.spelling)
            for use in file.links.keywords
        )

    def _is_of_parameter(self, file: LinkedFile, use: KeywordUse) -> bool:
        """Whether a keyword of a call fills in a parameter of that name, whatever is called."""
        values = self._evaluator.values(file, use.callee)
        return all(
            value.sort is ValueSort.FUNCTION
            and any(each.name == use.name for each in self._evaluator.function_record((value.path, value.number)).parameters)
            for value in values
        )

    @cached_property
    def _stands_in_text(self) -> bool:
        """Whether the name stands as a text somewhere that no reference explains, in quotes in one (`'{"kg": 3}'`), or in one
        that is taken apart into words."""
        quoted = re.compile(rf"([\"']){re.escape(self.spelling)}\1")
        return any(
            (
                text.words == self.spelling
                or (text.use != "documentation" and quoted.search(text.words) is not None)
                or (_IS_TAKEN_APART.match(file.source.text, text.end) and self.spelling in _WORDS.findall(text.words))
            )
            and not any(
                place.path == file.path and text.start <= place.start < text.end
                for place in self._usage.places
            )
            for file in self._linkage.mentioning(self.spelling)
            for text in file.facts.texts
            if self.spelling in text.words
        )

    def _check_escapes(self) -> None:
        """Instances that go to code that was not read, which may ask them for any public name."""
        if self._linkage.is_library and not self.is_private and self._is_public_class():
            self._usage.doubt(
                f"no code outside this project uses {self._usage.label}",
                *self._first_place(),
                of_outsiders=True,
            )
        if not self.is_private and self._may_be_asked_for() and _hands_on_strangers(self._evaluator):
            # One of them may be an instance that was said to be something else, or got there out of sight.
            self._usage.doubt(
                f"the library, which may ask what it is handed for `{self.spelling}`, is handed none of these",
                *self._first_place(),
            )
        words = {self._evaluator.class_record(key).name for key in self.family}
        near = {file.path: file for file in self._linkage.mentioning_any({*words, self.spelling})}
        for file in near.values():
            self._check_handed_in(file)
        for file in self._linkage.mentioning_any(_ASKING_WORDS):
            for handed in file.links.handed if file.path not in near else ():
                if handed.callee.name in _ASKING_WORDS and _classes(self._evaluator.values(file, handed.value)) & self._reachable:
                    self._doubt_members_listed(file, handed)
        for path in self._linkage.paths if not self._is_let_alone else ():
            # An instance may be handed on where nobody speaks of it.
            if not is_worth_asking_all(self._evaluator, self._usage):
                return
            far = self._linkage.file(path) if path not in near else None
            if far is not None:
                self._check_handed_in(far)

    @property
    def _is_let_alone(self) -> bool:
        """Whether code that was not read asks for no such name: a private one that is written out nowhere."""
        return self.is_private and not self._is_key

    def _check_handed_in(self, file: LinkedFile) -> None:
        """Doubts about what a file hands instances of the family to."""
        for handed, classes, held, asks_nothing in _handed_instances(self._evaluator, file.path):
            if classes & self._reachable and (name := self._becomes_own_of(file, handed, classes)):
                self._usage.doubt(
                    f"`{name}` in {file.path} does not look at `{self.spelling}` of what it is called on", file.path, handed.start
                )
            if handed.callee.name not in _ASKING_WORDS and self._is_let_alone:
                continue
            is_written_to = handed.keyword == "file" and self.spelling in ("write", "flush")
            if (asks_nothing and not is_written_to) or not held & self._reachable:
                continue
            if self._doubt_members_listed(file, handed) or self._is_let_alone:
                continue
            check_handed(
                self._evaluator,
                self._usage,
                file,
                handed.callee,
                Place(file.path, handed.start, handed.end, PlaceSort.READ),
                f"`{self.spelling}` of what it is given",
                () if is_written_to else _ASKING_NOTHING,
                of_names=self.is_private,
            )

    def _doubt_members_listed(self, file: LinkedFile, handed: Handed) -> bool:
        """A doubt where something of the family is handed to what lists its names, and these are looked into; whether it is."""
        callees = self._evaluator.values(file, handed.callee)
        names = set(map(self._evaluator.library_name, callees)) & _ASKING_MEMBERS
        if not names or self._is_not_among(file, handed):
            return False
        self._usage.doubt(
            f"what `{min(names)}` gives in {file.path} is not looked into for `{self.spelling}`",
            file.path,
            handed.start,
            of_names=True,
        )
        return True

    def _becomes_own_of(self, file: LinkedFile, handed: Handed, classes: set[ClassKey]) -> str:
        """The method of another class that takes what it is handed, an instance of some classes, for one of its own; "" for
        none. One of a class above takes it for what it is."""
        callee = handed.callee
        if handed.position != 0 or callee.sort is not OriginSort.ATTRIBUTE:
            return ""
        named = self._evaluator.values(file, callee.parts[0])
        if not any(value.sort is ValueSort.CLASS for value in named):
            return ""
        # What is called by the name of its class is none from below it.
        are_exact = all(value.sort is ValueSort.CLASS and not value.may_be_below for value in named)
        homes = {each for value in named for each in self._evaluator.above((value.path, value.number))} if are_exact else set()
        for value in self._evaluator.values(file, callee):
            if value.sort is not ValueSort.FUNCTION:
                continue
            there, record = self._evaluator.file(value.path), self._evaluator.function_record((value.path, value.number))
            owner = (value.path, record.owner)
            is_below = are_exact and owner not in homes
            if record.owner < 0 or is_below or owner in self._reachable:
                continue
            if all(owner in self._evaluator.above(each) for each in classes):
                continue
            if self._evaluator.borrowed.is_borrowed(there, value.number):
                # What it calls its own is open for that.
                continue
            for parameter in self._evaluator.parameters_filled(there, value.number, file, handed):
                if any(each.sort is OriginSort.OWN for each in there.links.sources.get(parameter.binding, ())):
                    return record.name
        return ""

    def _may_be_asked_for(self) -> bool:
        """Whether the library may ask what it is handed for an attribute of that name: things of its own have it."""
        return self.spelling in ASKED_BY_LIBRARY or any(
            self._linkage.library_bears(module, self.spelling) for module in _libraries_used(self._evaluator)
        )

    def _is_public_class(self) -> bool:
        return any(
            is_public(
                self._evaluator,
                self._evaluator.file(key[0]),
                self._evaluator.class_record(key).name,
            )
            for key in self.family
        )


@once_a_version
def _handed_instances(
    evaluator: Evaluator, path: str
) -> list[tuple[Handed, set[ClassKey], set[ClassKey], bool]]:
    """What a file hands to calls that are or may be instances of classes, or hold some, with the classes of what it is, and of
    all that is in it, and whether what is called asks it for nothing."""
    file = evaluator.file(path)
    found = []
    for handed in file.links.handed:
        values = evaluator.values(file, handed.value)
        if held := _classes(with_parts(values)):
            asks_nothing = _fills_literal(file, handed) or _asks_nothing(evaluator, file, handed.callee)
            found.append((handed, _classes(values), held, asks_nothing))
    return found


@once_a_version
def _are_hooks_taken(evaluator: Evaluator) -> bool:
    """Whether a method that is asked for names goes about as a value, or bears another name, too."""
    return any(
        any(use.end not in file.links.called for hook in READING_HOOKS for use in file.links.attributes_by_name.get(hook, ()))
        or any(
            Role.READ in file.facts.roles(names[hook])
            for names in file.class_bindings.values()
            for hook in READING_HOOKS
            if hook in names
        )
        for file in evaluator.linkage.mentioning_any(READING_HOOKS)
    )


@once_a_version
def _libraries_used(evaluator: Evaluator) -> list[str]:
    """The modules of libraries that the project imports."""
    return _libraries_of(evaluator.linkage, filter(None, map(evaluator.linkage.file, evaluator.linkage.paths)))


def _libraries_of(linkage: Linkage, files: Iterable[LinkedFile]) -> list[str]:
    """The modules of libraries that some files import."""
    modules = {linkage.module_of_import(file, use) for file in files for use in file.links.imports}
    return sorted(module for module in modules if not linkage.is_package(module))


@once_a_version
def _hands_on_strangers(evaluator: Evaluator) -> bool:
    """Whether anything whose class is not known is handed to code that was not read."""
    files = filter(None, map(evaluator.linkage.file, evaluator.linkage.paths))
    return any(
        not _asks_nothing(evaluator, file, handed.callee)
        and any(value.sort in (ValueSort.UNKNOWN, ValueSort.OUTSIDE) for value in evaluator.values(file, handed.value))
        for file in files
        for handed in file.links.handed
    )


def _fills_literal(file: LinkedFile, handed: Handed) -> bool:
    """Whether something is filled into a text that is written there, and which asks it for no attribute (`"{} kg".format(hive)`)."""
    return handed.callee.name == "format" and handed.call - len(".format") in file.ends_of_plain_templates


def _asks_nothing(evaluator: Evaluator, file: LinkedFile, callee: Origin) -> bool:
    """Whether what is called is the project's own, or asks what it is given for nothing."""
    return all(
        value.name in _ASKING_NOTHING
        or (
            value.sort in (ValueSort.FUNCTION, ValueSort.CLASS)
            and evaluator.file(value.path).is_own
        )
        for value in evaluator.values(file, callee)
    )


def _without_names(file: LinkedFile, handed: Handed) -> bool:
    """Whether what a call gives of something is had without its names, or held against the like."""
    before = file.source.text[max(handed.start - _LONGEST_RECEIVER, 0) : handed.start]
    return (
        _ONLY_VALUES.match(file.source.text, handed.end) is not None or _HELD_AGAINST.search(before) is not None
    )


def _name_asked_before(before: str) -> re.Match[str] | None:
    """Where one name is sought in what stands behind some text, which does not go through all of them."""
    return None if _GOING_THROUGH_BEFORE.search(before) is not None else _ONE_NAME_BEFORE.search(before)


def _classes(values: Iterable[Value]) -> set[ClassKey]:
    return {
        (value.path, value.number)
        for value in values
        if value.sort in (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE)
    }


def _taken_otherwise(file: LinkedFile, names: Collection[str]) -> Iterator[tuple[str, int]]:
    """Which of some methods a file may take from their class by a text or as the function behind them, and where."""
    for word in LEADING_TO_FUNCTION:
        for use in file.links.attributes_by_name.get(word, ()):
            yield from ((each.name, use.start) for each in _sources_of(file, use.receiver) if each.name in names)
    for asked in file.links.texts:
        if asked.words in LEADING_TO_FUNCTION and asked.arguments:
            yield from ((each.name, asked.start) for each in _sources_of(file, asked.arguments[0]) if each.name in names)
    for text in file.facts.texts:
        before = file.source.text[max(text.start - _LONGEST_RECEIVER, 0) : text.start]
        if text.words in names and _TAKES_FROM_CLASS.search(before) is not None:
            yield text.words, text.start


def _sources_of(file: LinkedFile, origin: Origin) -> tuple[Origin, ...]:
    """Where a value comes from, where that is a variable; else itself."""
    return file.links.sources.get(origin.binding, ()) if origin.sort is OriginSort.NAME else (origin,)


def _is_let_go(file: LinkedFile, use: AttributeUse) -> bool:
    """Whether an attribute of something with a name is all of a statement in a function, so that its value gets nowhere."""
    facts = file.facts
    statement = facts.statements[facts.statement_at(use.start)]
    is_all = statement.sort == "expr" and statement.end == use.end
    return is_all and facts.scopes[facts.owner(statement.scope)].kind is ScopeKind.FUNCTION


def _goes_on_as_whole(evaluator: Evaluator, file: LinkedFile, use: AttributeUse) -> bool:
    """Whether a namespace may become that of something else: it is set, given on, or handed to code of the project's own."""
    tree = syntax_tree(file.data)
    namespace = tree.attributes.get(use.end)
    around = tree.around[namespace] if namespace is not None and use.use is Use.READ else None
    match around:
        case ast.keyword():
            around = tree.around[around]
        case ast.Starred() | ast.FormattedValue() | ast.Subscript() | ast.Attribute() | ast.BinOp() | ast.Compare() | ast.UnaryOp():
            return False
        case ast.For() | ast.comprehension() | ast.If() | ast.IfExp() | ast.Assert():
            return False
    match around:
        case ast.Call(func=ast.Attribute(value=ast.Constant())):
            return False
        case ast.Call(func=ast.Name() | ast.Attribute() as called):
            values = evaluator.values(file, origin_of(file, called))
            return not all(evaluator.library_name(value) for value in values)
    return True


def _is_call_let_go(file: LinkedFile, use: AttributeUse) -> bool:
    """Whether the call of an attribute without arguments is all of a statement in a function, so that its result gets nowhere."""
    facts = file.facts
    statement = facts.statements[facts.statement_at(use.start)]
    is_all = statement.sort == "expr" and _CALLED_FOR_NOTHING.fullmatch(file.source.text, use.end, statement.end) is not None
    return is_all and facts.scopes[facts.owner(statement.scope)].kind is ScopeKind.FUNCTION


def _is_held_against_like(text: str, place: int) -> bool:
    """Whether the names of an instance are only held against those of another one of its class, which has the same."""
    return any(
        match.start() < place < match.end() and not text[: match.start()].rstrip().endswith("not")
        for match in _HELD_AGAINST_LIKE.finditer(text)
    )


def _is_only_declared(file: LinkedFile, binding: int) -> bool:
    """Whether a name of a class body is annotated there, and given no value."""
    facts = file.facts
    for index in facts.bindings[binding].references:
        reference = facts.references[index]
        statement = facts.statements[facts.statement_at(reference.start)]
        if reference.role is not Role.READ and not (
            statement.sort == "annassign" and "=" not in file.source.text[reference.end : statement.end]
        ):
            return False
    return True


def _is_own_receiver(file: LinkedFile, receiver: Origin, index: int) -> bool:
    """Whether a receiver is the `self` or `cls` of a class's own method."""
    return receiver.sort is OriginSort.NAME and any(
        origin.sort in (OriginSort.OWN, OriginSort.OWN_CLASS) and origin.binding == index
        for origin in file.links.sources.get(receiver.binding, ())
    )


def _instance_names(file: LinkedFile, index: int) -> set[str]:
    """The attributes that a class sets on its own instances."""
    return {
        use.name for use in file.links.attributes if _is_own_receiver(file, use.receiver, index)
    }
