"""All that an initialiser is handed, where every place is in sight at which instances of its class are made."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.facts import Role
from zephyrun.link_facts import AttributeUse, Handed, OriginSort, Use
from zephyrun.linking.going_classes import is_class_kept
from zephyrun.linking.import_graph import may_be_loaded
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, ValueSort, may_be_of
from zephyrun.linking.values import INITIALISER, Evaluator
from zephyrun.patterns import lazy_pattern

_MOST_FILES = 30
# Classes of libraries that make no instance of those below them; statements make those of metaclasses.
_MAKING_NONE = ("builtins.", "abc.ABC", "typing.Generic", "typing.Protocol")
_CALLS_CLASS_OF = lazy_pattern(rb"\btype\s*\([^()\n]*\)\s*\(|__class__\s*\(")


def find_constructions(evaluator: Evaluator, key: ClassKey) -> list[tuple[LinkedFile, Handed]] | None:
    """What calls hand to the initialiser that a class defines: by its own name, by that of the class or of one below
    it. `None` where some of them may not be in sight."""
    linkage = evaluator.linkage
    family = [key, *evaluator.below(key)]
    names = {evaluator.class_record(each).name for each in family}
    n_files = sum(len(linkage.paths_mentioning(name)) for name in names)
    if n_files > _MOST_FILES or any(map(linkage.stands_in_examples, names)) or not _is_made_here_alone(evaluator, key):
        return None
    if is_class_kept(evaluator, key):
        return None
    # Those that have one of their own hand on what they choose.
    made = frozenset(each for each in family if each == key or evaluator.binding_in(each, INITIALISER) is None)
    paths = {each[0] for each in evaluator.relatives(key)}.union(_paths_calling_class_of(evaluator))
    paths.update(*(linkage.paths_mentioning(name) for name in (*names, INITIALISER)))
    found: list[tuple[LinkedFile, Handed]] = []
    for file in filter(None, map(linkage.file, sorted(paths))):
        if any(_is_taken(evaluator, file, use, key) for use in file.links.attributes_by_name.get(INITIALISER, ())):
            return None
        for handed in _handed_in(evaluator, file, key, made):
            if handed is None or handed.keyword in ("*", "**"):
                return None
            found.append((file, handed))
    return found


def _is_made_here_alone(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether no code outside of what was read makes instances of a class."""
    linkage, record = evaluator.linkage, evaluator.class_record(key)
    initialiser = evaluator.binding_in(key, INITIALISER)
    if initialiser is None or Role.READ in evaluator.file(key[0]).facts.roles(initialiser):
        return False
    is_open = linkage.is_library and not record.name.startswith("_")
    return not (
        is_open
        or may_be_loaded(evaluator, key[0], record.name)
        or evaluator.unknown_above(key)
        or not all(name.startswith(_MAKING_NONE) and name != "builtins.type" for name in evaluator.foreign_above(key))
        or any(evaluator.class_record(each).decorators for each in evaluator.relatives(key))
    )


@once_a_version
def _paths_calling_class_of(evaluator: Evaluator) -> list[str]:
    """The files that call the class of an instance (`type(hive)(…)`), at a glance."""
    contents = evaluator.linkage.contents
    return [
        path
        for path in evaluator.linkage.paths
        if isinstance(data := contents[path], bytes) and _CALLS_CLASS_OF.search(data) is not None
    ]


def _is_taken(evaluator: Evaluator, file: LinkedFile, use: AttributeUse, key: ClassKey) -> bool:
    """Whether an initialiser is taken from the class without being called there, or replaced."""
    is_called = use.use is Use.READ and use.end in file.links.called
    return not is_called and may_be_of(evaluator.values(file, use.receiver), evaluator.relatives(key))


def _handed_in(
    evaluator: Evaluator, file: LinkedFile, key: ClassKey, made: frozenset[ClassKey]
) -> Iterator[Handed | None]:
    """What calls in a file hand to the initialiser; `None` for a call of who knows what class."""
    above, relatives = evaluator.above(key), evaluator.relatives(key)
    for handed in file.links.handed:
        callee = handed.callee
        if handed.keyword == "…":
            continue
        if callee.sort is OriginSort.ATTRIBUTE and callee.name == INITIALISER:
            if may_be_of(evaluator.values(file, callee.parts[0]), relatives):
                yield handed
            continue
        is_class_of = callee.sort is OriginSort.CALL or (
            callee.sort is OriginSort.ATTRIBUTE and callee.name == "__class__"
        )
        for value in evaluator.values(file, callee):
            if value.sort is ValueSort.CLASS:
                place = (value.path, value.number)
                if place in made or (value.may_be_below and place in above):
                    yield handed
                    break
            elif is_class_of and value == UNKNOWN_VALUE and _calls_class_of(file, handed):
                yield None


def _calls_class_of(file: LinkedFile, handed: Handed) -> bool:
    """Whether what is called is the class of something."""
    callee = handed.callee
    return callee.sort is OriginSort.ATTRIBUTE or callee.parts[0].name == "type"
