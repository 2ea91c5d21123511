"""The classes that share a name of one of them: what it is to all, and who else may bear it."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator
from functools import cached_property

from zephyrun.link_facts import KeywordUse, Origin, OriginSort
from zephyrun.linking.going_classes import is_class_kept
from zephyrun.linking.library_bases import UNDERSTOOD_BASES, LibraryBases
from zephyrun.linking.linkage import Linkage, LinkedFile
from zephyrun.linking.lookup_calls import READING_HOOKS
from zephyrun.linking.protocols import ASKED_BY_LIBRARY
from zephyrun.linking.proxies import asks_elsewhere, asks_metaclass
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.usage import Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, Value, ValueSort, Values, classes_among
from zephyrun.linking.values import NAMED_TUPLES, Evaluator
from zephyrun.patterns import lazy_pattern

# Bases that bear no names of their own beside special ones, or whose names are told below.
NAMES_OF_BASES = {
    **dict.fromkeys(NAMED_TUPLES, frozenset("_fields _asdict _replace _make _field_defaults count index".split())),
    "typing.TypedDict": frozenset(dir(dict)),
    **dict.fromkeys(
        ("enum.Enum", "enum.IntEnum", "enum.Flag", "enum.IntFlag", "enum.StrEnum"),
        frozenset("name value names values _name_ _value_ _missing_ _generate_next_value_".split()),
    ),
}
# What a class body says of the class alone.
_OF_NO_INSTANCE = frozenset({"__slots__", "__doc__", "__module__", "__qualname__", "__match_args__"})
# Where a text is taken apart into words.
_IS_TAKEN_APART = lazy_pattern(r"[\s)]*\.\s*r?split(?:lines)?\b")
_WORDS = lazy_pattern(r"\w+")
PROTOCOLS = frozenset({"typing.Protocol", "typing_extensions.Protocol"})


class ClassFamily:
    """The classes of the project that share a name, and what may be one of them or an instance of one."""

    def __init__(self, evaluator: Evaluator, usage: Usage) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self.name = usage.target.name
        self.spelling = usage.target.written
        self.is_private = self.spelling.startswith("_")
        self.classes: list[ClassKey] = []
        # What no more than a protocol joins with the others, and which.
        self.joined: dict[ClassKey, ClassKey] = {}
        self.reachable: set[ClassKey] = set()
        self.foreign_names: list[str] = []
        self._known_strangers: dict[tuple[ClassKey, ValueSort], bool] = {}
        self.uses = [
            (file, use, evaluator.values(file, use.receiver))
            for file in self._linkage.mentioning_any((self.spelling, self.name))
            for use in file.links.attributes_by_name.get(self.name, ())
        ]
        self._find_family((usage.target.path, usage.target.number))

    def _find_family(self, start: ClassKey) -> None:
        """All classes of the project that share the name: joined by inheritance, by a later common
        subclass, or by code that asks whichever of them it is given."""
        evaluator = self._evaluator
        family = [start]
        while True:
            before = len(family)
            for key in list(family):
                for relative in evaluator.relatives(key):
                    if relative not in family and self.bears(relative):
                        family.append(relative)
            reachable = {each for key in family for each in evaluator.relatives(key)}
            for _, _, values in self.uses:
                classes = classes_among(values)
                if classes & reachable:
                    # `weight` of a class above them all, or of several, is that of every one, and of
                    # whatever a class below has it from.
                    for key in classes:
                        for each in evaluator.relatives(key):
                            if each not in family and self.bears(each):
                                family.append(each)
            family += self._joined_by_protocols(family)
            if len(family) == before:
                break
        self.classes = [key for key in family if evaluator.file(key[0]).is_own]
        self.foreign_names = [name for key in self.classes for name in evaluator.foreign_above(key)]
        self.reachable = {each for key in family for each in evaluator.relatives(key)}

    def _joined_by_protocols(self, family: Collection[ClassKey]) -> Iterator[ClassKey]:
        """The classes that have all that a protocol of the family asks for, and the protocols that ask for nothing
        but what a class of the family has: whatever is asked of one of them by the protocol is that of all."""
        if not self._linkage.paths_mentioning("Protocol"):
            return
        bearing = [
            (file.path, index)
            for file in self._linkage.mentioning(self.spelling)
            for index in range(len(file.links.classes))
            if self.bears((file.path, index))
        ]
        for protocol in filter(self._is_protocol_itself, bearing):
            joined = [key for key in bearing if key == protocol or self._has_all(key, protocol)]
            if any(key in family for key in joined):
                for key in joined:
                    if key not in family:
                        self.joined.setdefault(key, protocol)
                        yield key

    def _is_protocol_itself(self, key: ClassKey) -> bool:
        return not PROTOCOLS.isdisjoint(self._evaluator.bases(key).foreign)

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

    def bears(self, key: ClassKey) -> bool:
        """Whether a class itself defines the name, or sets it on its instances."""
        evaluator = self._evaluator
        if evaluator.defines(key, self.name):
            return True
        return any(
            file.path == key[0] and _is_own_receiver(file, use.receiver, key[1])
            for file, use in evaluator.writes(self.name)
        )

    def is_from_outside(self, key: ClassKey) -> bool:
        """Whether a class of the family asks those above it for the name, and none that was read has it."""
        below = [key, *self._evaluator.below(key)]
        return key in self.reachable and not any(
            self.bears(each) for each in self._evaluator.relatives(key) if each not in below
        )

    def is_open(self, value: Value) -> bool:
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
            if key not in self.reachable and (key, value.sort) not in self._known_strangers:
                self._known_strangers[key, value.sort] = self._may_have_it_from_us(key, value.sort)
            return key not in self.reachable and self._known_strangers[key, value.sort]
        return self._bases.have_instance(value)

    @cached_property
    def _bases(self) -> LibraryBases:
        """What stands above the family."""
        return LibraryBases(self._evaluator, self.classes)

    def may_be_any(self, values: Values) -> bool:
        """Whether something may be an instance of the family, without being known as one: a class is one of its metaclass."""
        return UNKNOWN_VALUE in values or any(self._bases.have_instance(value) or self._is_made_by_us(value) for value in values)

    def _is_made_by_us(self, value: Value) -> bool:
        """Whether something is a class that one of the family makes, which is the metaclass of it."""
        if value.sort is not ValueSort.CLASS:
            return False
        above = self._evaluator.above((value.path, value.number))
        return not self.reachable.isdisjoint(self._evaluator.metaclasses_of(above))

    def may_ask_us(self, values: Values) -> bool:
        """Whether something may be one of the family, or hand on to one what it is asked for."""
        return self.may_be_any(values) or self.is_proxy(values)

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
        if not is_understood or self.bears(key):
            return True
        file = self._evaluator.file(key[0])
        return not file.is_own and self.name in instance_names(file, key[1])

    def find_other_bearers(self) -> bool:
        """Whether a private name is borne by another class, or a library in sight."""
        if not self.is_private:
            return True
        return self.is_borne_by_another_class or bool(self.libraries_that_bear)

    @property
    def modules_that_bear(self) -> list[str]:
        """The modules that have a name of their own like that."""
        return [file.path for file in self._linkage.mentioning(self.spelling) if self.name in file.module_bindings]

    def may_be_module(self, receiver: Origin, modules: Iterable[str]) -> bool:
        """Whether who knows what may be one of some modules, since these go about as values."""
        about, linkage = self._evaluator.modules_about, self._linkage
        are_found = any(map(linkage.takes_any_module, linkage.finding_paths))
        return any(are_found or about.may_be(path, receiver, is_loaded=True) for path in modules)

    @cached_property
    def is_borne_by_another_class(self) -> bool:
        """Whether a class that is none of the family has such a name, too."""
        return any(
            (file.path, index) not in self.classes and self.bears((file.path, index))
            for file in self._linkage.mentioning(self.spelling)
            for index in range(len(file.links.classes))
        )

    @cached_property
    def libraries_that_bear(self) -> list[str]:
        """The libraries in sight whose source speaks of a private name."""
        found = [
            module
            for module in libraries_of(self._linkage, self._linkage.mentioning(self.spelling))
            if self._linkage.library_mentions(module, self.spelling)
        ]
        return found + ["collections"] * (self.spelling in NAMES_OF_BASES["typing.NamedTuple"])

    def takes_field(self, file: LinkedFile, value: Value, in_pattern: bool) -> bool:
        """Whether a keyword of a call or pattern is a field of the family."""
        if value.sort is not ValueSort.CLASS or (value.path, value.number) not in self.reachable:
            return False
        return in_pattern or self.has_field((value.path, value.number))

    def has_field(self, key: ClassKey) -> bool:
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
    def is_mangled(self) -> bool:
        """Whether Python puts a class before the name wherever that class writes it."""
        return self.name != self.spelling

    def is_proxy(self, values: Values, hooks: Collection[str] = READING_HOOKS, *, minds_keeping: bool = True) -> bool:
        """Whether something may be an instance of another class that asks elsewhere for what it has not."""
        return any(
            (value.path, value.number) not in self.reachable
            and (
                asks_elsewhere(self._evaluator, (value.path, value.number), hooks, minds_keeping=minds_keeping)
                if value.sort is ValueSort.INSTANCE
                else asks_metaclass(self._evaluator, (value.path, value.number), hooks)
            )
            for value in values
            if value.sort in (ValueSort.INSTANCE, ValueSort.CLASS)
        )

    def may_be_ours(self, file: LinkedFile, origin: Origin) -> bool:
        """Whether something may be an instance of the family."""
        values = self._evaluator.values(file, origin)
        return self.may_be_any(values) or bool(classes_among(values) & self.reachable)

    @cached_property
    def stands_in_class(self) -> bool:
        """Whether the name stands in the body of classes, and instances are not given it."""
        name = self._usage.present_name
        return not self._evaluator.is_set(name) and any(self._evaluator.binding_in(key, name) is not None for key in self.classes)

    @cached_property
    def goes_about_as_class(self) -> bool:
        """Whether who knows what may be a class of the family."""
        return any(is_class_kept(self._evaluator, key) for key in self.reachable)

    @cached_property
    def is_key(self) -> bool:
        """Whether the name stands as a text or as a keyword somewhere, but as one of a parameter."""
        return self.stands_in_text or any(
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
    def stands_in_text(self) -> bool:
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

    def may_be_asked_for(self) -> bool:
        """Whether the library may ask what it is handed for an attribute of that name: things of its own have it."""
        return self.spelling in ASKED_BY_LIBRARY or any(
            self._linkage.library_bears(module, self.spelling) for module in _libraries_used(self._evaluator)
        )


@once_a_version
def _libraries_used(evaluator: Evaluator) -> list[str]:
    """The modules of libraries that the project imports."""
    return libraries_of(evaluator.linkage, filter(None, map(evaluator.linkage.file, evaluator.linkage.paths)))


def libraries_of(linkage: Linkage, files: Iterable[LinkedFile]) -> list[str]:
    """The modules of libraries that some files import."""
    modules = {linkage.module_of_import(file, use) for file in files for use in file.links.imports}
    return sorted(module for module in modules if not linkage.is_package(module))


def _is_own_receiver(file: LinkedFile, receiver: Origin, index: int) -> bool:
    """Whether a receiver is the `self` or `cls` of a class's own method."""
    return receiver.sort is OriginSort.NAME and any(
        origin.sort in (OriginSort.OWN, OriginSort.OWN_CLASS) and origin.binding == index
        for origin in file.links.sources.get(receiver.binding, ())
    )


def instance_names(file: LinkedFile, index: int) -> set[str]:
    """The attributes that a class sets on its own instances."""
    return {
        use.name for use in file.links.attributes if _is_own_receiver(file, use.receiver, index)
    }
