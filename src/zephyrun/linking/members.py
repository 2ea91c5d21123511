"""The use of an attribute or method: by its receivers, and by all the classes that share it.

An attribute belongs only where it is known what its receiver is. For a private name (`_weight`) that no
library in sight bears, nothing but a class of the project can be the receiver: where one family alone
has such a name, an unknown receiver is one of it, under the assumption of that name.
"""

from __future__ import annotations

import builtins
import re
from functools import cached_property

from zephyrun.facts import Role
from zephyrun.languages.python import name_readers
from zephyrun.link_facts import ClassRecord, OriginSort, TextUse, Use
from zephyrun.linking.bridges import BridgeSort, bridge_places, class_around
from zephyrun.linking.certain_attributes import is_always_there
from zephyrun.linking.class_families import NAMES_OF_BASES, PROTOCOLS, ClassFamily, instance_names
from zephyrun.linking.escapes import check_frame_readers, check_instruction_readers, check_name_readers
from zephyrun.linking.exports import statements_of
from zephyrun.linking.going_classes import is_class_kept
from zephyrun.linking.homes import LOOKUPS, places_filled_in
from zephyrun.linking.hook_guards import passes_name_on
from zephyrun.linking.library_bases import UNDERSTOOD_BASES
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.member_escapes import MemberEscapes
from zephyrun.linking.member_readers import MemberReaders
from zephyrun.linking.mentions import note_mentions
from zephyrun.linking.modules import is_test
from zephyrun.linking.name_hooks import may_notice_its_name
from zephyrun.linking.names_given import doubt_names_given
from zephyrun.linking.proxies import ATTRIBUTE_HOOKS
from zephyrun.linking.references import (
    FOUND_BY_RUNNER,
    binding_places,
    definitions_of,
    doubt_decorators,
    doubt_strangers,
    is_silent,
    place_of_attribute,
    read_before_bound,
    shown_attribute,
    why_open,
)
from zephyrun.linking.texts import makes_classes, names_members, word_in_text
from zephyrun.linking.usage import PRIVATE_ATTRIBUTES, OpenPlace, Place, PlaceSort, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, Value, ValueSort, classes_among, with_parts
from zephyrun.linking.values import Evaluator

_OF_CLASSES = frozenset(
    {BridgeSort.METHOD, BridgeSort.CLASS_METHOD, BridgeSort.READ_ONLY, BridgeSort.ATTRIBUTE}
)
_MAKING_CLASSES = frozenset({"type", "new_class", "make_dataclass"})
_KEYWORDS_OF_BASES = frozenset({"*", "bases"})
_KEEPING_LOOKUPS = frozenset(f"operator.{name}" for name in name_readers.ASKING_LATER)
_TEST_CASE = "TestCase"
_SHOWN_NAMES = ("__slots__", "__match_args__", "__dataclass_fields__")
_REPLACING = frozenset({"dataclasses.replace", "copy.replace"})
_REPLACING_METHODS = ("_replace", "__replace__")


class MemberUsage:
    """Gathers the use of a name of a class."""

    def __init__(self, evaluator: Evaluator, usage: Usage) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self._family = family = ClassFamily(evaluator, usage)
        self._readers = MemberReaders(evaluator, usage, family)
        self._escapes = MemberEscapes(evaluator, usage, family, self._readers)
        self._name, self._spelling, self._is_private = family.name, family.spelling, family.is_private

    def note(self) -> None:
        """Fill the usage."""
        self._usage.homes = list(self._family.classes)
        first = self._evaluator.class_record(self._family.classes[0])
        self._usage.label = f"`{self._spelling}` of {first.name}"

        self._note_bodies()
        self._note_attributes()
        self._note_keywords()
        self._check_rests()
        self._readers.check_shown_names(_SHOWN_NAMES)
        self._note_texts()
        self._note_bridges()

        self._check_mangling()
        self._check_declared()
        self._check_bases()
        doubt_strangers(self._evaluator, self._usage, self._spelling, self._family.classes)
        self._check_protocols()
        self._escapes.check_lent_methods()
        self._escapes.check_changed_classes()
        self._check_classes_made()
        self._check_readers_of_names()
        check_instruction_readers(self._evaluator, self._usage, {key[0] for key in self._family.classes})
        self._readers.check_lookups()
        doubt_names_given(self._evaluator, self._usage, self._spelling)
        self._escapes.check_escapes()
        files = {place.path for place in self._usage.places}
        note_mentions(self._evaluator, self._usage, self._spelling, files.__contains__)

    def _check_readers_of_names(self) -> None:
        """Doubts about code that reads the name off a method, or off a class inside."""
        is_class, is_method, is_property = False, False, False
        for key in self._family.classes:
            binding = self._evaluator.binding_in(key, self._name)
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
                    self._readers.check_shown_names(["__annotations__"])
        if is_class or is_method:
            check_name_readers(self._evaluator, self._usage, is_class=is_class)
        elif is_property:
            check_frame_readers(self._evaluator, self._usage)

    def _note_bridges(self) -> None:
        """Old names that lead to this one, in classes of the family."""
        for path in {key[0] for key in self._family.classes}:
            file = self._evaluator.file(path)
            for bridge, place in bridge_places(file, self._spelling, _OF_CLASSES):
                if (path, class_around(file, bridge.start)) in self._family.classes:
                    self._usage.places.add(place)

    def _note_bodies(self) -> None:
        for key in self._family.classes:
            file = self._evaluator.file(key[0])
            for field in self._evaluator.class_record(key).fields:
                if field.name == self._name:
                    self._usage.places.add(Place(key[0], field.start, field.end, PlaceSort.DEFINITION))
            binding = self._evaluator.binding_in(key, self._name)
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
                f"`{self._spelling}` is read in the class body before it is bound there, so it may be "
                "another one",
                file.path,
                start,
            )
        if any(
            not use.has_alias and use.binding == binding for use in file.links.imports
        ):
            self._usage.obstruct(
                f"`{self._spelling}` is imported in the class body", file.path, first.start
            )
        for origin in file.links.sources.get(binding, ()):
            if origin.sort is OriginSort.DEFINED_FUNCTION:
                function = file.links.functions[origin.binding]
                doubt_decorators(self._evaluator, self._usage, file, function, "its name")
        if may_notice_its_name(self._evaluator, file, binding):
            self._usage.doubt(
                f"the value of `{self._spelling}` in {self._evaluator.class_record(key).name} does "
                "not ask for its name (`__set_name__`)",
                file.path,
                first.start,
            )

    def _note_attributes(self) -> None:
        others_bear = self._family.find_other_bearers()
        modules = self._family.modules_that_bear
        self._usage.stands_alone = not others_bear and not modules
        for file, use, values in self._family.uses:
            place = place_of_attribute(file, use)
            classes = classes_among(values)
            ours = classes & self._family.reachable
            unknown = [value for value in values if self._family.is_open(value)]
            is_only_ours = classes <= self._family.reachable and all(map(self._bears_nothing, values))
            for value in values:
                if value.sort is ValueSort.ABOVE and self._family.is_from_outside((value.path, value.number)):
                    self._usage.obstruct(
                        f"`super().{self._spelling}` in {file.path} is of a base that was not read", file.path, use.start
                    )
            if ours and is_only_ours and not unknown:
                self._usage.places.add(place)
            elif ours and not unknown:
                self._usage.obstruct(
                    f"`{shown_attribute(file, use.end)}` in {file.path} may be that of another class, too",
                    file.path,
                    use.start,
                )
            elif unknown and self._is_private and not others_bear and not self._family.may_be_module(use.receiver, modules):
                # Nothing but this family bears such a name.
                self._usage.places.add(place)
                self._usage.assume(PRIVATE_ATTRIBUTES)
            elif ours or unknown:
                self._usage.open_places.append(OpenPlace(place, why_open(file, use.end)))

    def _bears_nothing(self, value: Value) -> bool:
        """Whether a value is a class or instance, or a builtin that cannot have the name."""
        if value.sort is ValueSort.PLAIN:
            return self._spelling not in dir(getattr(builtins, value.name, object))
        return value.sort in (ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE)

    def _check_classes_made(self) -> None:
        """Doubts about classes that a call makes, which may be below one of the family and another one that bears the name."""
        for path in self._linkage.paths if self._family.is_borne_by_another_class else ():
            data = self._linkage.contents[path]
            file = self._linkage.file(path) if isinstance(data, bytes) and makes_classes(data) else None
            for handed in file.links.handed if file is not None else ():
                assert file is not None, "it has calls"
                is_base = handed.callee.name in _MAKING_CLASSES and (handed.position == 1 or handed.keyword in _KEYWORDS_OF_BASES)
                values = with_parts(self._evaluator.values(file, handed.value)) if is_base else set[Value]()
                if UNKNOWN_VALUE in values or classes_among(values) & self._family.reachable:
                    self._usage.doubt(
                        f"no class that is made by a call in {path} has two `{self._spelling}`", path, handed.start, of_names=True
                    )

    def _note_keywords(self) -> None:
        for file in self._linkage.mentioning(self._spelling):
            for use in file.links.keywords:
                if use.name != self._name:
                    continue
                values = self._evaluator.values(file, use.callee)
                place = Place(file.path, use.start, use.end, PlaceSort.KEYWORD)
                if any(self._family.takes_field(file, value, use.in_pattern) for value in values):
                    self._usage.places.add(place)
                elif UNKNOWN_VALUE in values and not use.in_pattern and self._is_made_somewhere:
                    called = f"`{use.callee.name}`" if use.callee.name else "what is called"
                    why = f"the keyword `{self._spelling}`: it is not known what {called} stands for"
                    self._usage.open_places.append(OpenPlace(place, why))
                elif any(
                    value.sort is ValueSort.FOREIGN and value.name in _REPLACING for value in values
                ) or use.callee.name in _REPLACING_METHODS:
                    self._usage.open_places.append(
                        OpenPlace(place, f"the keyword `{self._spelling}`: it is not known what it replaces")
                    )
                elif UNKNOWN_VALUE in values and self._is_private and use.callee.name == "update":
                    self._usage.open_places.append(
                        OpenPlace(place, f"the keyword `{self._spelling}`: it may become a name of a class")
                    )
                elif makes_classes(file.data) and any(value.name == "builtins.dict" for value in values):
                    self._usage.open_places.append(
                        OpenPlace(place, f"the keyword `{self._spelling}`: it may become a name of a class")
                    )
                elif use.in_pattern and any(map(self._may_be_class_of_ours, values)):
                    self._usage.open_places.append(
                        OpenPlace(place, f"the pattern's `{self._spelling}`: it is not known of which class")
                    )

    def _may_be_class_of_ours(self, value: Value) -> bool:
        """Whether what a pattern holds something against may be a class of an instance of the family, without being
        known as one: any class of a library may be, that is no concrete one of the language, and a proxy's."""
        if value.sort is ValueSort.CLASS:
            return self._family.is_proxy(frozenset({value.as_instance()}))
        if value.sort is ValueSort.FOREIGN and value.name.startswith("builtins."):
            return value.name == "builtins.object" or value.name in self._family.foreign_names
        return value == UNKNOWN_VALUE or value.sort is ValueSort.FOREIGN

    @cached_property
    def _is_made_somewhere(self) -> bool:
        """Whether a record with the field goes about as a value, so that whoever has it may make one."""
        return any(self._family.has_field(key) and is_class_kept(self._evaluator, key) for key in self._family.reachable)

    def _check_rests(self) -> None:
        """Doubts about dictionaries of keywords that make records, or replace fields of some."""
        if not any(map(self._family.has_field, self._family.classes)):
            return
        for path in sorted(self._linkage.paths_with_rests):
            file = self._linkage.file(path)
            for rest in file.links.rests if file is not None else ():
                assert file is not None, "it has calls"
                is_open = rest.keys is None or self._name in rest.keys
                values = self._evaluator.values(file, rest.callee) if is_open else ()
                replaces = rest.callee.name in _REPLACING_METHODS
                if is_open and (replaces or any(self._may_take_fields(file, value) for value in values)):
                    self._usage.doubt(
                        f"what `**` hands on in {path} holds no `{self._spelling}`", path, rest.start
                    )

    def _may_take_fields(self, file: LinkedFile, called: Value) -> bool:
        """Whether a call may take the field as a keyword."""
        if called == UNKNOWN_VALUE:
            return self._is_made_somewhere
        return called.name in _REPLACING or self._family.takes_field(file, called, in_pattern=False)

    def _note_texts(self) -> None:
        bodies = self._texts_of_bodies()
        for file in self._linkage.mentioning(self._spelling):
            for text in file.links.texts:
                if self._family.is_mangled and not any(first <= text.start < last for first, last in bodies.get(file.path, ())):
                    # Python puts no class before what stands in a text, but in slots.
                    continue
                if text.words == self._spelling and text.is_plain:
                    self._note_text(file, text, bodies.get(file.path, []))
                elif self._spelling in text.words.split(".") and text.is_plain:
                    self._note_dotted_text(file, text)
            if not self._family.is_mangled:
                self._usage.open_places.extend(places_filled_in(file, self._spelling))
        self._check_slots(bodies)

    def _check_slots(self, bodies: dict[str, list[tuple[int, int]]]) -> None:
        """Slots that are not written out one by one cannot follow."""
        for path, ranges in bodies.items():
            file = self._evaluator.file(path)
            for start, end in ranges:
                for text in file.facts.texts_between(start, end):
                    words = re.split(r"\W+", text.words)
                    if self._spelling in words and text.words != self._spelling:
                        self._usage.obstruct(
                            f"`{self._spelling}` stands in a text with other names, which is taken apart",
                            path,
                            text.start,
                        )
        for key in self._family.classes:
            slots = self._evaluator.binding_in(key, "__slots__")
            is_slot = slots is not None and self._evaluator.binding_in(key, self._name) is None
            if slots is None or not is_slot or not self._family.bears(key):
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
                    f"the slots, of which `{self._spelling}` must be one, are worked out", key[0], start
                )

    def _texts_of_bodies(self) -> dict[str, list[tuple[int, int]]]:
        """Where `__slots__` and `__match_args__` of the family are written."""
        found: dict[str, list[tuple[int, int]]] = {}
        for key in self._family.reachable:
            file = self._evaluator.file(key[0])
            words = ("__slots__",) if self._family.is_mangled else ("__slots__", "__match_args__")
            for name in words if file.is_own else ():
                binding = self._evaluator.binding_in(key, name)
                if binding is not None:
                    found.setdefault(file.path, []).extend(statements_of(file, binding))
        return found

    def _note_text(
        self, file: LinkedFile, text: TextUse, bodies: list[tuple[int, int]]
    ) -> None:
        raw = file.source.text[text.start : text.end]
        start = text.start + raw.index(self._spelling)
        place = Place(file.path, start, start + len(self._spelling), PlaceSort.TEXT)
        if any(first <= text.start < last for first, last in bodies):
            self._usage.places.add(place)
            return
        callees = {value.name for value in self._evaluator.values(file, text.callee)}
        if text.position == 0 and text.callee.name in ATTRIBUTE_HOOKS and text.callee.parts:
            values = self._evaluator.values(file, text.callee.parts[0])
            if classes_among(values) and classes_among(values) <= self._family.reachable and UNKNOWN_VALUE not in values:
                self._usage.places.add(place)
            elif classes_among(values) & self._family.reachable or self._family.may_ask_us(values):
                self._open_text(place, self._spelling)
        elif text.position == 1 and text.arguments:
            values = self._evaluator.values(file, text.arguments[0])
            classes = classes_among(values)
            words = {name.rpartition(".")[2] for name in callees} | {text.callee.name}
            if classes and classes <= self._family.reachable and UNKNOWN_VALUE not in values:
                self._usage.places.add(place)
            elif classes & self._family.reachable or (self._family.may_ask_us(values) and words & LOOKUPS.union(ATTRIBUTE_HOOKS)):
                self._open_text(place, self._spelling)
        elif callees & _KEEPING_LOOKUPS or self._linkage.class_making_paths or names_members(file.data) or self._goes_to_hook(text):
            self._open_text(place, self._spelling)

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
            words = word_in_text(self._spelling)
            for match in words.finditer(file.source.text, text.start, text.end):
                place = Place(file.path, match.start(), match.end(), PlaceSort.TEXT)
                self._open_text(place, text.words)
            return
        for key in self._family.classes:
            there = self._evaluator.file(key[0])
            full = f"{there.module}.{self._evaluator.class_record(key).name}.{self._spelling}"
            if text.words.replace(":", ".") == full and text.words in raw:
                start = text.start + raw.index(text.words) + len(full) - len(self._spelling)
                self._usage.places.add(
                    Place(file.path, start, start + len(self._spelling), PlaceSort.TEXT)
                )

    def _check_mangling(self) -> None:
        """What Python puts a class's name before may be written with it outside of the class."""
        if not self._family.is_mangled:
            return
        for file in self._linkage.mentioning(self._name):
            match = word_in_text(self._name).search(file.source.text)
            if match is not None:
                self._usage.obstruct(
                    f"`{self._spelling}` is written as `{self._name}` in {file.path}", file.path, match.start()
                )

    def _check_declared(self) -> None:
        """What is only declared, and given a value nowhere in sight, has it from a base that was not read."""
        evaluator = self._evaluator
        declared = [
            (key, binding)
            for key in self._family.classes
            for binding in [evaluator.binding_in(key, self._name)]
            if binding is not None
        ]
        is_written = any(use.use is Use.WRITE for _, use, _ in self._family.uses) or any(
            evaluator.is_record(key) or not _is_only_declared(evaluator.file(key[0]), binding)
            for key, binding in declared
        )
        outside = [
            name
            for key in self._family.classes
            for name in [*evaluator.unknown_above(key), *evaluator.foreign_above(key)]
            if name not in UNDERSTOOD_BASES and not name.startswith("typing")
        ]
        if declared and outside and not is_written:
            self._usage.obstruct(
                f"`{self._spelling}` is only declared, and given a value by the base {outside[0]}, which was not read",
                *self._usage.first_place(),
            )

    def _check_bases(self) -> None:
        evaluator = self._evaluator
        if self._is_private and self._name == self._spelling:
            for module in self._family.libraries_that_bear:
                if not self._linkage.library_asks_others(module, self._spelling):
                    continue
                self._usage.doubt(
                    f"{module}, whose source speaks of `{self._spelling}`, asks none of these classes for it",
                    *self._usage.first_place(),
                )
        first = evaluator.file(self._family.classes[0][0])
        names = [*self._family.foreign_names, *(evaluator.class_record(key).name for key in self._family.reachable)]
        if is_test(first.path) or any(name.endswith(_TEST_CASE) for name in names):
            self._usage.look_out(FOUND_BY_RUNNER, ["test"], for_beginnings=True)
        for key in self._family.reachable:
            file, record = evaluator.file(key[0]), evaluator.class_record(key)
            if not file.is_own:
                if self._family.bears(key) or self._name in instance_names(file, key[1]):
                    self._usage.obstruct(
                        f"`{self._spelling}` comes from {file.module}.{record.name}, which is outside the "
                        "project",
                        *self._usage.first_place(),
                    )
                self._check_library_lookups(file)
                continue
            for name in evaluator.bases(key).foreign:
                self._check_foreign_base(file, record.name_start, name)
            for name in evaluator.bases(key).unknown:
                self._doubt_base(file, record.name_start, name)
            doubt_decorators(self._evaluator, self._usage, file, record, f"`{self._spelling}`")
            if self._evaluator.is_record(key) and self._is_field() and not is_silent(file, record.name_start):
                self._doubt_shown(file, record.name_start)
            if evaluator.has_own_metaclass(key):
                self._usage.doubt(
                    f"the metaclass of {record.name} does not look at `{self._spelling}`",
                    file.path,
                    record.name_start,
                )
            for hook in ATTRIBUTE_HOOKS:
                is_never_asked = hook == "__getattr__" and is_always_there(evaluator, key, self._usage.present_name)
                if evaluator.binding_in(key, hook) is not None and not (
                    is_never_asked or passes_name_on(evaluator, key, hook, self._name)
                ):
                    self._usage.doubt(
                        f"the `{hook}` of {record.name} does not depend on the name `{self._spelling}`",
                        file.path,
                        record.name_start,
                        of_names=True,
                    )

    def _check_library_lookups(self, file: LinkedFile) -> None:
        """A base of a library may find methods by names that it works out (`visit_…`)."""
        for lookup in file.links.lookups:
            if self._is_private or not lookup.may_find(self._spelling):
                continue
            what = (
                f"{file.module} does not look up `{self._spelling}` by a name that it works out"
                if not lookup.shape
                else f"{file.module} does not look up names that {lookup.shape}"
            )
            self._usage.doubt(what, *self._usage.first_place())

    def _check_foreign_base(self, file: LinkedFile, start: int, name: str) -> None:
        if name.startswith("builtins."):
            kind = getattr(builtins, name.removeprefix("builtins."), None)
            if kind is not None and self._spelling in dir(kind):
                self._usage.obstruct(
                    f"`{self._spelling}` comes from `{name.removeprefix('builtins.')}`, which is outside "
                    "the project",
                    file.path,
                    start,
                )
        elif self._spelling in NAMES_OF_BASES.get(name, ()):
            self._usage.obstruct(
                f"`{self._spelling}` comes from {name}, which is outside the project", file.path, start
            )
        elif name == "typing.TypedDict":
            self._usage.obstruct(
                f"`{self._spelling}` is a key of dictionaries, and not an attribute", file.path, start
            )
        elif name.startswith("enum."):
            self._usage.doubt(
                f"nothing shows or looks up the member `{self._spelling}` by its name", file.path, start
            )
        elif name not in UNDERSTOOD_BASES:
            if self._is_private:
                self._usage.assume(PRIVATE_ATTRIBUTES)
            else:
                self._doubt_base(file, start, name)

    def _check_protocols(self) -> None:
        """Doubts about classes that are told by what they have: protocols and what could satisfy them."""
        is_protocol = any(map(self._is_protocol, self._family.classes))
        for key, protocol in self._family.joined.items():
            record = self._evaluator.class_record(key)
            self._usage.doubt(
                f"`{self._spelling}` of {record.name} in {key[0]} is that of the protocol "
                f"{self._evaluator.class_record(protocol).name}, too",
                key[0],
                record.name_start,
            )
        for file in self._linkage.mentioning(self._spelling):
            for index, record in enumerate(file.links.classes):
                key = (file.path, index)
                if key in self._family.classes or not self._evaluator.defines(key, self._name):
                    continue
                if is_protocol or self._is_protocol(key):
                    self._usage.doubt(
                        f"`{self._spelling}` of {record.name} in {file.path} has nothing to do with a protocol "
                        "that asks for the name",
                        file.path,
                        record.name_start,
                    )

    def _is_protocol(self, key: ClassKey) -> bool:
        return not PROTOCOLS.isdisjoint(self._evaluator.foreign_above(key))

    def _doubt_base(self, file: LinkedFile, start: int, name: str) -> None:
        self._usage.doubt(
            f"the base {name} in {file.path}, which was not read, has no `{self._spelling}`",
            file.path,
            start,
        )

    def _is_field(self) -> bool:
        return any(self._family.has_field(key) for key in self._family.classes)

    def _doubt_shown(self, file: LinkedFile, start: int) -> None:
        """The representation of a record shows the names of its fields."""
        self._usage.doubt(
            f"nothing depends on how a record shows its field `{self._spelling}`", file.path, start
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
