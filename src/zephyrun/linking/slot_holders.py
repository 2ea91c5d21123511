"""Who may have what a slot holds: those that look it up by its name, list what there is, or have the thing that has it."""

from __future__ import annotations

import ast
import re

from zephyrun.facts import Exposure, ScopeKind
from zephyrun.link_facts import FunctionRecord, Handed, ImportUse, Lookup, Origin, OriginSort
from zephyrun.linking.library_calls import BEHIND_PROPERTIES, KEPT_UNDER, is_called_and_dropped
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.modules_about import comes_of_loading
from zephyrun.linking.names_taken import (
    LISTING_NAMES,
    TAKING_MEMBERS,
    WORDS_LISTING,
    WORDS_TAKING,
    Listed,
    listed_in,
    may_be_listed,
)
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.sorted_out import are_functions_left_out
from zephyrun.linking.syntax_trees import called_name, syntax_tree
from zephyrun.linking.targets import functions_called
from zephyrun.linking.texts import words_in
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, FunctionKey, Value, ValueSort, Values
from zephyrun.linking.values import Evaluator
from zephyrun.linking.ways import CALLED, THE_THING, Lost, Slot
from zephyrun.patterns import lazy_pattern

RUNNING_TEXTS = frozenset({"eval", "exec"})
_GIVING_NAMESPACE = frozenset({"locals", "vars"})
OF_CLASSES = frozenset({ValueSort.INSTANCE, ValueSort.CLASS})
HAVING = OF_CLASSES | {ValueSort.ABOVE}
_KNOWN_HOLDERS = HAVING | {ValueSort.MODULE}
_COLLECTION_SORTS = frozenset({ValueSort.MAPPING, ValueSort.SERIES, ValueSort.PLAIN})
_ATTRIBUTE_HOOKS = ("__getattr__", "__getattribute__", "__setattr__")
# Of these, a metaclass gets the names of a class behind the class, its name and its bases.
MAKING_CLASSES = frozenset({"__new__", "__init__"})
_METACLASSES = frozenset({"builtins.type", "abc.ABCMeta", "enum.EnumMeta", "enum.EnumType"})
_GOING_THROUGH_ALL = frozenset(word.encode() for word in WORDS_TAKING | WORDS_LISTING)
_OWN_MODULE = lazy_pattern(r"modules\s*\[\s*__name__\s*\]")
# The names of a module of which some are only set.
_ONLY_SET = lazy_pattern(r"\(\)\s*(?:\[[^\]\n]*\]\s*=(?!=)|\.\s*update\b)")
_TAKING_APART = ("astuple", "asdict", "fields", "__match_args__", "__dataclass_fields__")
_TELLING_PARTS = ("__reduce__", "__reduce_ex__")
_TRIVIAL_BASES = ("builtins.object", "builtins.Exception", "abc.ABC", "typing.Generic", "typing.Protocol")


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
def are_parts_told(evaluator: Evaluator, words: tuple[str, ...] = ()) -> bool:
    """Whether somebody asks things what they are made of, by some attributes or those that tell it of anything."""
    return any(
        file.links.attributes_by_name.get(word)
        for word in (*words, *_TELLING_PARTS)
        for file in evaluator.linkage.mentioning(word)
    )


def stands_in_text(file: LinkedFile, name: str) -> bool:
    """Whether a text of a file holds a name as a word."""
    word = re.compile(rf"\b{re.escape(name)}\b")
    return any(word.search(text.words) is not None for text in file.facts.texts if text.use != "documentation")


class SlotHolders:
    """Who may have what a slot holds: by a name, from a list of names, or as an attribute of something."""

    def __init__(self, evaluator: Evaluator, own_name: str) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._own_name = own_name

    def is_offered(self, slot: Slot) -> bool:
        """Whether code outside the project may have it from there; that it has the function itself, where that is
        a public one, is for others to say."""
        is_itself = slot.name == self._own_name and slot.way == THE_THING
        # Who only uses a thing does not look for the functions behind its properties.
        is_hidden = slot.name.startswith("_") or (slot.is_of_library and slot.name in BEHIND_PROPERTIES)
        if not self._linkage.is_library or is_hidden or is_itself:
            return False
        facts = self._evaluator.file(slot.path).facts if not slot.is_attribute else None
        return facts is None or facts.scopes[facts.bindings[slot.binding].scope].kind is ScopeKind.MODULE

    def gives(self, file: LinkedFile, exposure: Exposure, slot: Slot) -> bool:
        """Whether something may give the value of a variable by its name. What looks into frames shows what it finds
        there, and does not call it."""
        facts, scope = file.facts, file.facts.bindings[slot.binding].scope
        what = exposure.what.removesuffix("()")
        is_around = exposure.whole_file or scope in facts.ancestors(exposure.scope)
        if what in RUNNING_TEXTS:
            return is_around and stands_in_text(file, slot.name)
        is_own = exposure.whole_file or exposure.scope == scope or facts.scopes[scope].kind is ScopeKind.FUNCTION
        is_given = what in _GIVING_NAMESPACE and is_around and is_own
        return is_given and not (slot.way == THE_THING and are_functions_left_out(self._evaluator, file, exposure.start))

    def takes_globals(self, file: LinkedFile, slot: Slot) -> bool:
        """Whether a file takes the names of its module, to do more than set some, or to sort out what is no function."""
        places = [
            (reference.start, reference.end)
            for binding in file.facts.bindings
            if binding.outside and binding.name == "globals"
            for reference in (file.facts.references[index] for index in binding.references)
        ]
        return any(
            _ONLY_SET.match(file.source.text, end) is None
            and not (slot.way == THE_THING and are_functions_left_out(self._evaluator, file, start))
            for start, end in places
        )

    def goes_on_in_examples(self, slot: Slot) -> bool:
        """Whether examples in documentation may have it from what bears a name, and hand it on or call it."""
        linkage = self._linkage
        if linkage.stands_alone_in_examples(slot.name):
            return True
        is_used = linkage.is_called_in_examples if slot.way[:1] == CALLED else linkage.stands_in_examples
        return slot.way != THE_THING and is_used(slot.name)

    def modules_offering(self, file: LinkedFile) -> list[str]:
        """A module, and those that take everything of it along (`from weights import *`), by their paths."""
        found = [file.path]
        for path in found:
            short = self._evaluator.file(path).module.rpartition(".")[2]
            for other in self._linkage.mentioning(short):
                if other.path not in found and any(
                    use.name == "*" and self.module_imported(other, use) == path for use in other.links.imports
                ):
                    found.append(other.path)
        return found

    def module_imported(self, file: LinkedFile, use: ImportUse) -> str | None:
        """The file of the module that an import names."""
        return self._linkage.find_module(self._linkage.module_of_import(file, use), file.path)

    def are_members_listed(self) -> bool:
        """Whether somebody takes all members of something that a library may have made."""
        return any(
            not all(map(self._is_made_here, self._evaluator.values(file, handed.value)))
            for word in TAKING_MEMBERS
            for file in self._linkage.mentioning(word)
            for handed in file.handed_by_callee.get(word, ())
            if handed.position == 0
        )

    def are_names_listed(self, file: LinkedFile, lookup: Lookup, slot: Slot) -> bool:
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

    def _are_listed_in(self, file: LinkedFile, slot: Slot, *, is_here: bool) -> bool:
        return self._evaluator.answers.once(
            ("listed", file.path, is_here, slot.path, slot.owner, slot.name),
            lambda: any(self._may_list(file, listed, slot, is_here=is_here) for listed in listed_in(file)),
        )

    def _may_list(self, file: LinkedFile, listed: Listed, slot: Slot, *, is_here: bool) -> bool:
        values = self._evaluator.values(file, listed.origin)
        if not listed.is_inherited and slot.owner >= 0 and self._evaluator.defines((slot.path, slot.owner), slot.name):
            # What stands in a class is in no namespace of its instances.
            values = frozenset(value for value in values if value.sort is not ValueSort.INSTANCE)
        is_module = slot.owner < 0 and bool(slot.path)
        if not is_here and not (is_module and self.may_be_module(file, listed.origin, slot.path, slot.name)):
            values = frozenset(value for value in values if value.sort in _KNOWN_HOLDERS)
        return self._may_have(values, slot)

    def may_be_module(self, file: LinkedFile, origin: Origin, path: str, name: str) -> bool:
        """Whether something of which nothing is known may be a module: one that goes about, or any that is loaded there. What
        looks into those that it loads is taken to leave private names alone."""
        if self._is_new_module(file, origin):
            return False
        if self._evaluator.modules_about.may_be(path, origin, is_loaded=False):
            return True
        # The module itself is another matter.
        is_sought = not self.is_unwritten(name) or (file.path == path and _OWN_MODULE.search(file.source.text) is not None)
        return is_sought and comes_of_loading(file, origin)

    def _is_new_module(self, file: LinkedFile, origin: Origin) -> bool:
        """Whether something is a module that the program makes there, which has nothing of those that are loaded."""
        sources = file.links.sources.get(origin.binding, ()) if origin.sort is OriginSort.NAME else ()
        return bool(sources) and all(
            source.sort is OriginSort.CALL
            and {value.name for value in self._evaluator.values(file, source.parts[0])} == {"types.ModuleType"}
            for source in sources
        )

    def is_unwritten(self, name: str) -> bool:
        """Whether a name is a private one, which is seldom worked out, and stands as a text nowhere."""
        return name.startswith("_") and not self._linkage.stands_in_quotes(name)

    def is_likely(self, file: LinkedFile, receiver: Origin, slot: Slot) -> bool:
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

    def may_be_had_by(self, file: LinkedFile, receiver: Origin, slot: Slot) -> bool:
        """Whether what stands before a dot may be what has the attribute."""
        return self._may_have(self._evaluator.values(file, receiver), slot)

    def _may_have(self, values: Values, slot: Slot) -> bool:
        if slot.is_of_library:
            return not all(map(self._is_made_here, values))
        for value in values:
            if value.sort in HAVING:
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
        if value.sort in HAVING:
            key = (value.path, value.number)
            return not self._evaluator.foreign_above(key) and not self._evaluator.unknown_above(key)
        return value.sort in (ValueSort.MODULE, ValueSort.FUNCTION)

    def makes_class(self, file: LinkedFile, handed: Handed) -> bool:
        """Whether a metaclass gives those above it what is to be in a class, which make that."""
        callee = handed.callee
        if callee.name not in MAKING_CLASSES or callee.sort is not OriginSort.ATTRIBUTE:
            return False
        values = self._evaluator.values(file, callee.parts[0])
        return all(
            not _METACLASSES.isdisjoint(self._evaluator.foreign_above((value.path, value.number)))
            if value.sort is ValueSort.ABOVE
            else value.name in _METACLASSES
            for value in values
        )

    def is_dropped_by(self, name: str, handed: Handed) -> bool:
        """Whether a function of the library calls what it is handed, and nobody gets that out of it again."""
        if name == "signal.signal" and are_handlers_given_back(self._evaluator):
            return False
        return is_called_and_dropped(name, handed) and not are_parts_told(self._evaluator)

    def is_sorting(self, handed: Handed) -> bool:
        """Whether a function is the key by which something is sorted that is none of the project's own."""
        is_key = handed.callee.name == "sort" and handed.keyword == "key"
        return is_key and not any(
            record.name == "sort" for file in self._linkage.mentioning("sort") for record in file.links.functions
        )

    def positions(
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

    def is_plain_record(self, value: Value) -> bool:
        """Whether a class is a record that nobody takes apart."""
        key = (value.path, value.number)
        return (
            self._evaluator.is_record(key)
            and not self._evaluator.foreign_above(key)
            and not any(self._linkage.paths_mentioning(word) for word in _TAKING_APART)
        )

    def is_collection(self, file: LinkedFile, node: ast.expr) -> bool:
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

    def holds_plainly(self, value: Value, name: str) -> bool:
        """Whether an attribute that is set is there as it was given: by no method of the class."""
        for each in self._evaluator.relatives((value.path, value.number)):
            if any(self._evaluator.defines(each, hook) for hook in _ATTRIBUTE_HOOKS):
                return False
            binding = self._evaluator.binding_in(each, name)
            sources = self._evaluator.file(each[0]).links.sources.get(binding, ()) if binding is not None else ()
            if any(source.sort in (OriginSort.DEFINED_FUNCTION, OriginSort.CALL) for source in sources):
                return False
        return True

    def is_read_by_us_alone(self, value: Value, name: str) -> bool:
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

    def own_functions(self, value: Value) -> list[FunctionKey]:
        """The functions that a call of something runs."""
        keys = functions_called(self._evaluator, value)
        if not keys or not all(self._evaluator.file(key[0]).is_own for key in keys):
            raise Lost
        return keys


def _is_imported(file: LinkedFile, receiver: Origin) -> bool:
    """Whether something is a name that a file imports."""
    sources = file.links.sources.get(receiver.binding, ()) if receiver.sort is OriginSort.NAME else ()
    return any(source.sort is OriginSort.IMPORTED for source in sources)
