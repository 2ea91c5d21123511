"""What descriptors are asked for: their `__get__` and its like are called with instances of the classes that hold them.
Source: language reference, "Implementing Descriptors"."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from zephyrun.facts import Role
from zephyrun.languages.python.name_readers import ASKING_LATER, LISTING_NAMES, LOOKS_PAST_HOOKS, LOOKUPS, NAME_READERS
from zephyrun.link_facts import FunctionRecord, Use
from zephyrun.linking.going_classes import is_class_kept
from zephyrun.linking.import_graph import may_be_loaded
from zephyrun.linking.library_bases import LibraryBases
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, Value, Values, ValueSort, may_be_of
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

_HOOKS = frozenset({"__get__", "__set__", "__delete__"})
_MOST_FILES = 30
_NAMESPACE = "__dict__"
_LOOKING_UP = LOOKUPS | {LOOKS_PAST_HOOKS}
_LOOKED_INTO = lazy_pattern(r"\s*\.")
_GIVEN_BACK = lazy_pattern(r"\breturn\s+\Z")


def given_to_descriptor(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord, parameter: str) -> Values | None:
    """What a method of a descriptor may be asked about, which is its first parameter; `None` where that is not in sight."""
    names = [each.name for each in record.parameters[1:2]]
    if record.name not in _HOOKS or record.owner < 0 or record.decorators or names != [parameter]:
        return None
    holders = _holders(evaluator, (file.path, record.owner))
    if holders is None:
        return None
    return frozenset(Value(ValueSort.INSTANCE, *each) for each in holders)


@once_a_version
def _holders(evaluator: Evaluator, key: ClassKey) -> frozenset[ClassKey] | None:
    """The classes that hold instances of a class as attributes; `None` where some instances may be elsewhere."""
    linkage = evaluator.linkage
    family = [key, *evaluator.below(key)]
    titled = [(path, evaluator.class_record((path, number)).name) for path, number in family]
    titles = {title for _, title in titled}
    is_open = linkage.is_library and not all(title.startswith("_") for title in titles)
    if is_open or evaluator.unknown_above(key) or any(map(linkage.stands_in_examples, titles)):
        return None
    if any(may_be_loaded(evaluator, *each) for each in titled):
        return None
    if sum(len(linkage.paths_mentioning(title)) for title in titles) > _MOST_FILES or is_class_kept(evaluator, key):
        return None
    if any(_is_asked_by_name(evaluator, file, family) for file in linkage.mentioning_any(set(_HOOKS))):
        return None
    holders: set[ClassKey] = set()
    names: set[str] = set()
    for file in linkage.mentioning_any(titles):
        for made in _places_made(evaluator, file, titles, family):
            held = _held_by(file, made)
            if held is None:
                return None
            holders.add((file.path, held[0]))
            names.add(held[1])
    asking = {*linkage.lookup_paths, *(file.path for file in linkage.mentioning_any({*names, _NAMESPACE, *NAME_READERS}))}
    is_lent = any(_gives_itself(evaluator, each) for each in family) or any(
        _is_taken_from_class(evaluator, file, names, holders) for file in filter(None, map(linkage.file, sorted(asking)))
    )
    return None if is_lent else frozenset(holders)


def _is_asked_by_name(evaluator: Evaluator, file: LinkedFile, family: list[ClassKey]) -> bool:
    """Whether a file calls one of the methods by its name, with whatever it likes."""
    uses = (use for hook in _HOOKS for use in file.links.attributes_by_name.get(hook, ()))
    asked = {value for use in uses for value in evaluator.values(file, use.receiver)}
    # What stands above an instance is asked about what that was asked about.
    return LibraryBases(evaluator, family).may_be_of_ours(frozenset(value for value in asked if value.sort is not ValueSort.ABOVE))


def _places_made(evaluator: Evaluator, file: LinkedFile, titles: set[str], family: list[ClassKey]) -> Iterator[ast.expr]:
    """Where a file makes an instance, or decorates with one of the classes: the name of the class there."""
    tree, links = syntax_tree(file.data), file.links
    for start, name in tree.names.items():
        reference = file.facts.reference_by_start.get(start)
        if reference is not None and reference.end in links.called:
            if may_be_of(evaluator.binding_values(file, reference.binding), family):
                yield name
    for title in titles:
        for use in links.attributes_by_name.get(title, ()):
            if use.end in links.called and use.end in tree.attributes:
                yield tree.attributes[use.end]


def _held_by(file: LinkedFile, made: ast.expr) -> tuple[int, str] | None:
    """The class that has what is made as an attribute, by the number of its record, and under which name; `None` for
    anything else that is done with it."""
    tree = syntax_tree(file.data)
    around = tree.around[made]
    value: ast.AST = around if isinstance(around, ast.Call) and around.func is made else made
    statement = tree.around[value]
    name = ""
    match statement:
        case ast.Assign(targets=[ast.Name(id=name)], value=given) | ast.AnnAssign(target=ast.Name(id=name), value=given):
            is_held = given is value
        case ast.FunctionDef(name=name, decorator_list=[given]) | ast.AsyncFunctionDef(name=name, decorator_list=[given]):
            is_held = given is value
        case _:
            return None
    body = tree.around[statement]
    if not is_held or not isinstance(body, ast.ClassDef):
        return None
    start = tree.start_of(body)
    behind = [(each.name_start, number) for number, each in enumerate(file.links.classes) if each.name == body.name and each.name_start > start]
    return (min(behind)[1], name) if behind else None


def _is_taken_from_class(evaluator: Evaluator, file: LinkedFile, names: set[str], holders: set[ClassKey]) -> bool:
    """Whether a file has the descriptor itself from a class (`Hive.weight`), or all that a class has."""
    links = file.links
    asked = [use.receiver for name in (*names, _NAMESPACE) for use in links.attributes_by_name.get(name, ()) if use.use is Use.READ]
    asked += [handed.value for handed in links.handed if handed.callee.name in LISTING_NAMES]
    asked += [lookup.receiver for lookup in links.lookups if any(map(lookup.may_find, names))]
    for text in links.texts:
        if text.callee.name in ASKING_LATER and not names.isdisjoint(text.words.split(".")):
            return True
        if text.words in names and text.position > 0 and text.callee.name in _LOOKING_UP:
            asked.append(text.arguments[0])
    return any(_may_be_class(evaluator, value, holders) for origin in asked for value in evaluator.values(file, origin))


def _may_be_class(evaluator: Evaluator, value: Value, holders: set[ClassKey]) -> bool:
    if value.sort is ValueSort.CLASS:
        key = value.path, value.number
        return not holders.isdisjoint([*evaluator.above(key), *evaluator.below(key)])
    return value == UNKNOWN_VALUE and any(is_class_kept(evaluator, each) for each in holders)


def _gives_itself(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether a method of a class does more with its own instance than to look into it, or to give it back."""
    file = evaluator.file(key[0])
    for record in file.links.functions:
        own = record.parameters[0].binding if record.owner == key[1] and record.parameters else -1
        for reference in map(file.facts.references.__getitem__, file.facts.bindings[own].references if own >= 0 else ()):
            if reference.role is not Role.READ or _LOOKED_INTO.match(file.source.text, reference.end) is not None:
                continue
            if _GIVEN_BACK.search(file.source.text[: reference.start]) is None:
                return True
    return False
