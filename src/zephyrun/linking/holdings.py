"""What collections hold: what they are made with, and what is put into them later.

A collection is in sight as long as nothing may keep it by another name: where it is only gone through, looked
into and added to, what its elements may be is known. A collection inside another one is never in sight.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, NamedTuple

from zephyrun.facts import ScopeKind
from zephyrun.link_facts import AttributeUse, Handed, Origin, OriginSort, Put
from zephyrun.linking.glances import glance
from zephyrun.linking.texts import OF_OPERATORS
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, Value, Values, ValueSort, may_be_of
from zephyrun.patterns import lazy_pattern

if TYPE_CHECKING:
    from zephyrun.linking.linkage import LinkedFile
    from zephyrun.linking.values import Evaluator

# To tell what one collection holds, so many files are read at most.
_MOST_FILES = 30
# Through so many functions, one calling the other, a collection is followed.
_DEEPEST = 3
# So many collections inside each other are told apart.
_DEEPEST_INSIDE = 3
# What only goes through what it is handed. Source: library reference, "Built-in Functions".
_BUILTINS_GOING_THROUGH = frozenset(
    """min max sum any all len sorted list tuple set frozenset reversed iter enumerate zip map filter isinstance print
    repr str bool dict range""".split()
)
# Of these, what gives back one of several things that it is handed, and what may give back all but the first.
_GIVING_ONE = frozenset({"builtins.min", "builtins.max"})
_GIVING_LATER = frozenset({"builtins.sum"})
_GOING_THROUGH = frozenset(
    [
        *(f"builtins.{name}" for name in _BUILTINS_GOING_THROUGH),
        *(f"builtins.series.{method}" for method in ("extend", "extendleft", "update", "difference", "union")),
        "builtins.mapping.update",
        *(f"json.{name}" for name in ("dump", "dumps")),
        *(f"random.{name}" for name in ("choice", "choices", "sample", "shuffle")),
        *(f"statistics.{name}" for name in ("mean", "median", "stdev", "fmean", "pstdev")),
        "math.fsum",
    ]
)
# Methods that stand behind operators. Source: language reference, "Special method names".
_MODULES = (ValueSort.MODULE, ValueSort.PACKAGE, ValueSort.FOREIGN, ValueSort.UNKNOWN)
_HOLDING = (ValueSort.SERIES, ValueSort.TUPLE, ValueSort.MAPPING)
_RUNNING_IT_ALONE = frozenset({"staticmethod", "classmethod"})
_LOOKUPS = frozenset({"getattr", "setattr", "attrgetter"})
_RUNS_TEXTS = lazy_pattern(rb"\b(?:exec|eval|__dict__|vars|globals|locals)\s*\(|\b__dict__\b")
_NAMESPACES = lazy_pattern(rb"\b(?:__dict__|vars|globals|locals)\b")


class _Place(NamedTuple):
    """Where a collection is named: from `start` on (-1 where that is not known) to `end`, and by which name."""

    file: LinkedFile
    start: int
    end: int
    name: str


class Holdings:
    """Says what the collections of one version of a project hold."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator

    def of_name(self, file: LinkedFile, binding: int, values: Values, *, is_moved: bool = False) -> Values:
        """The values of a name, with what is put into those that are collections; where the name `is_moved`, as
        the one attribute has them that it is given to."""
        if not any(map(is_mutable, values)):
            return opened_inside(values)
        places = list(self._places_of_name(file, binding))
        record = file.facts.bindings[binding]
        kind = file.facts.scopes[record.scope].kind
        is_local = kind is ScopeKind.FUNCTION and not record.captured
        is_own = is_local and binding not in file.parameter_by_binding
        n_moved = sum(place.end in place.file.links.moved for place in places)
        others = [
            place
            for place in places
            if not (is_own and not is_moved and place.end in file.links.returned)
            and not (is_local and is_moved and n_moved == 1 and place.end in file.links.moved)
        ]
        is_in_sight = not _may_be_named_by_text(file, record.name)
        if kind is ScopeKind.MODULE and self._evaluator.linkage.stands_in_examples(record.name):
            is_in_sight = False
        if kind is ScopeKind.MODULE and is_in_sight:
            elsewhere = self._places_elsewhere(file, record.name)
            is_in_sight = elsewhere is not None
            places += elsewhere or []
            others += elsewhere or []
        return self._with_puts(values, places, is_in_sight=is_in_sight and not any(map(self._goes_on, others)))

    def of_attribute(self, name: str, relatives: Iterable[ClassKey], values: Values) -> Values:
        """The values of an attribute of some classes, with what is put into those that are collections."""
        if not any(map(is_mutable, values)):
            return opened_inside(values)
        places = self._places_of_attribute(name, frozenset(relatives))
        if places is None or self._is_looked_up(name) or self._evaluator.linkage.stands_in_examples(name):
            return self._with_puts(values, [], is_in_sight=False)
        return self._with_puts(values, places, is_in_sight=not any(map(self._goes_on, places)))

    def _with_puts(self, values: Values, places: Iterable[_Place], *, is_in_sight: bool) -> Values:
        puts = [(place.file, put) for place in places for put in self._puts_at(place)]
        found = set()
        for value in opened_inside(values):
            if is_mutable(value):
                held = value.parts[0].union(*(self._held(value, file, put) for file, put in puts))
                value = value._replace(parts=(opened(held) if is_in_sight else opened(held) | {UNKNOWN_VALUE},))
            found.add(value)
        return frozenset(found)

    def _held(self, collection: Value, file: LinkedFile, put: Put) -> Values:
        """What a collection holds of what is put into it."""
        values = self._evaluator.values(file, put.value)
        if not put.is_spread:
            return values
        if collection.sort is ValueSort.MAPPING:
            return frozenset().union(
                *(each.parts[0] if each.sort is ValueSort.MAPPING else {UNKNOWN_VALUE} for each in values)
            )
        return self._evaluator.values(file, Origin(OriginSort.EACH, "", -1, (put.value,)))

    # -- places ------------------------------------------------------------------------------

    def _places_of_name(self, file: LinkedFile, binding: int) -> Iterator[_Place]:
        record = file.facts.bindings[binding]
        for index in record.references:
            reference = file.facts.references[index]
            yield _Place(file, reference.start, reference.end, record.name)

    def _places_elsewhere(self, file: LinkedFile, name: str) -> list[_Place] | None:
        """Where other modules name a variable of a module; `None` where they may do so by another name."""
        linkage = self._evaluator.linkage
        paths = [path for path in linkage.paths_mentioning(name) if path != file.path]
        if len(paths) > _MOST_FILES or self._is_looked_up(name):
            return None
        found: list[_Place] = []
        for other in filter(None, map(linkage.file, paths)):
            for use in other.links.imports:
                if use.name == "*":
                    return None
                if use.name == name:
                    if use.has_alias or use.binding < 0:
                        return None
                    found += self._places_of_name(other, use.binding)
            found += (
                _Place(other, -1, use.end, name)
                for use in other.links.attributes_by_name.get(name, ())
                if self._may_be_module(other, use)
            )
        return found

    def _may_be_module(self, file: LinkedFile, use: AttributeUse) -> bool:
        values = self._evaluator.values(file, use.receiver)
        return any(value.sort in _MODULES for value in values)

    def _places_of_attribute(self, name: str, relatives: frozenset[ClassKey]) -> list[_Place] | None:
        """Where an attribute of some classes is named; `None` where too many files would have to be read for that."""
        linkage = self._evaluator.linkage
        paths = linkage.paths_mentioning(name)
        if len(paths) > _MOST_FILES:
            return None
        found: list[_Place] = []
        for file in filter(None, map(linkage.file, paths)):
            for use in file.links.attributes_by_name.get(name, ()):
                if may_be_of(self._evaluator.values(file, use.receiver), relatives):
                    found.append(_Place(file, -1, use.end, name))
        for key in relatives:
            if (binding := self._evaluator.binding_in(key, name)) is not None:
                found += self._places_of_name(self._evaluator.file(key[0]), binding)
        return found

    def _is_looked_up(self, name: str) -> bool:
        """Whether something of that name is looked up by its name as a text, or may be in a namespace."""
        return self._evaluator.answers.once(("looked up", name), lambda: self._find_lookup(name))

    def _find_lookup(self, name: str) -> bool:
        return any(
            name in text.words.split(".")
            and (text.callee.name in _LOOKUPS or _has_namespaces(file.data))
            for file in self._evaluator.linkage.mentioning(name)
            for text in file.links.texts
        )

    # -- what becomes of a collection --------------------------------------------------------

    def _puts_at(self, place: _Place) -> list[Put]:
        return place.file.links.puts_by_end.get(place.end, [])

    def _goes_on(self, place: _Place, depth: int = 0) -> bool:
        """Whether something may keep the collection that is named at a place."""
        links = place.file.links
        if place.end in links.going_on or (place.end in links.operands and self._operators_keep()):
            return True
        return any(
            self._is_this(handed, place) and not self._is_gone_through(place.file, handed, depth)
            for handed in place.file.all_handed_by_end.get(place.end, ())
        )

    def _operators_keep(self) -> bool:
        """Whether a method of the project that stands behind an operator may keep what it is given."""
        return self._evaluator.answers.once("operators", lambda: any(map(self._keeps_operands, self._evaluator.linkage.operator_paths)))

    def _keeps_operands(self, path: str) -> bool:
        file = self._evaluator.linkage.file(path)
        return file is not None and any(
            self._puts_at(place) or place.end in file.links.going_on or self._is_handed_on(place)
            for record in file.links.functions
            if record.owner >= 0 and record.name in OF_OPERATORS and len(record.parameters) > 1
            for place in self._places_of_name(file, record.parameters[1].binding)
        )

    def _is_handed_on(self, place: _Place) -> bool:
        """Whether what stands at a place is an argument of something else than a builtin that goes through it."""
        return any(
            self._is_this(handed, place)
            and not (
                handed.callee.sort is OriginSort.NAME
                and handed.callee.name in _BUILTINS_GOING_THROUGH
                and place.file.facts.bindings[handed.callee.binding].outside
            )
            for handed in place.file.all_handed_by_end.get(place.end, ())
        )

    def _is_this(self, handed: Handed, place: _Place) -> bool:
        """Whether an argument is what stands at a place, and not something that ends with it or holds it."""
        if handed.keyword == "…":
            # What holds it lets it go on.
            return False
        if place.start >= 0:
            return handed.start == place.start
        return handed.value.sort is OriginSort.ATTRIBUTE and handed.value.name == place.name

    def _is_gone_through(self, file: LinkedFile, handed: Handed, depth: int = 0) -> bool:
        if handed.keyword in ("*", "**"):
            return True
        return all(
            value.sort is ValueSort.OUTSIDE
            or (self._evaluator.library_name(value) in _GOING_THROUGH and not self._is_given_back(value, file, handed))
            or (value.sort is ValueSort.FUNCTION and depth < _DEEPEST and self._only_reads(value, file, handed, depth + 1))
            for value in self._evaluator.values(file, handed.callee)
        )

    def _is_given_back(self, builtin: Value, file: LinkedFile, handed: Handed) -> bool:
        """Whether a builtin may give back the very thing that it is handed."""
        if builtin.name in _GIVING_ONE:
            others = file.handed_by_call.get(handed.call, ())
            return handed.position < 0 or sum(each.keyword in ("", "*") for each in others) > 1
        return builtin.name in _GIVING_LATER and handed.position != 0

    def _only_reads(self, function: Value, caller: LinkedFile, handed: Handed, depth: int) -> bool:
        """Whether a function of the project only reads what an argument hands to it."""
        file = self._evaluator.file(function.path)
        decorators = {each.name for each in file.links.functions[function.number].decorators}
        if not decorators <= _RUNNING_IT_ALONE:
            # One that chooses by what it is handed may run another function.
            return False
        parameters = self._evaluator.parameters_filled(file, function.number, caller, handed)
        return bool(parameters) and all(
            not self._puts_at(place)
            and not self._goes_on(place, depth)
            for parameter in parameters
            for place in self._places_of_name(file, parameter.binding)
        )


@glance
def _has_namespaces(data: bytes) -> bool:
    """Whether a file seems to have namespaces in its hands."""
    return _NAMESPACES.search(data) is not None


@glance
def _runs_texts(data: bytes) -> bool:
    """Whether a file seems to run texts, or to call for namespaces."""
    return _RUNS_TEXTS.search(data) is not None


def _may_be_named_by_text(file: LinkedFile, name: str) -> bool:
    """Whether a file that runs texts, or has namespaces in its hands, has a text with a name in it."""
    if not _runs_texts(file.data):
        return False
    return re.search(rf"[\"'][^\"'\n]*\b{re.escape(name)}\b", file.source.text) is not None


def is_mutable(value: Value) -> bool:
    """Whether more may be put into a value than is seen where it is made."""
    return (value.sort is ValueSort.SERIES and value.name in ("list", "set")) or (
        value.sort is ValueSort.MAPPING and value.name != "annotated"
    )


def without_depths(values: Values, depth: int = _DEEPEST_INSIDE) -> Values:
    """Values of which nobody asks what stands deep inside: a collection may even hold itself."""
    if not any(value.parts for value in values):
        return values
    return frozenset(
        value._replace(parts=tuple(without_depths(part, depth - 1) if depth else frozenset({UNKNOWN_VALUE}) for part in value.parts))
        if value.parts
        else value
        for value in values
    )


def opened_inside(values: Values) -> Values:
    """Values of which nobody sees what is put into the collections inside them."""
    return frozenset(
        value._replace(parts=tuple(map(opened, value.parts)))
        if value.sort in _HOLDING
        else value
        for value in values
    )


def opened(values: Values) -> Values:
    """Values of which nobody sees what is put into them, or into what they hold."""
    return frozenset(
        value._replace(parts=(value.parts[0] | {UNKNOWN_VALUE},)) if is_mutable(value) else value
        for value in opened_inside(values)
    )

