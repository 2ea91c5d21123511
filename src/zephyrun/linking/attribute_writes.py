"""Where an attribute of instances gets its values, where all such places are in sight."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.link_facts import AttributeUse, Origin
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.lookup_calls import WRITES
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.value_sorts import ClassKey, may_be_of
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

_NAMESPACE, _GIVING_NAMESPACE = "__dict__", "vars"
# Methods by which a class may keep or give another value than the one that is written.
_CHANGING = ("__getattribute__", "__setattr__")
# A namespace gets names which are not written there, or goes to a variable.
_FILLED = lazy_pattern(r"\s*\)?\s*(?:\.\s*update\s*\(|\[(?!\s*[\"'])|=(?!=)|(?:[\r\n;#]|\Z))")


@once_a_version
def writes_in_sight(evaluator: Evaluator, key: ClassKey, name: str) -> list[tuple[LinkedFile, AttributeUse]] | None:
    """The places that give an attribute of instances of a class, or of its relatives, a value; `None` where something else
    may: the body of a class, a base that was not read, a method that puts something else in its place, who works out its name."""
    relatives = evaluator.relatives(key)
    is_open = bool(evaluator.unknown_above(key)) or any(evaluator.defines(each, word) for each in relatives for word in (name, *_CHANGING))
    writes = evaluator.writes_in_reach(name, relatives)
    if is_open or writes is None or evaluator.is_set_by_name(name, relatives):
        return None
    if _may_be_set_by_others(evaluator, name, tuple(relatives)):
        return None
    return [(file, use) for file, use in writes if may_be_of(evaluator.values(file, use.receiver), relatives)]


def _may_be_set_by_others(evaluator: Evaluator, name: str, classes: tuple[ClassKey, ...]) -> bool:
    """Whether an attribute of instances of some classes may be set by a name that is worked out, or among all in their
    namespace."""
    linkage = evaluator.linkage
    for file in filter(None, map(linkage.file, linkage.lookup_paths)):
        for lookup in file.links.lookups:
            if lookup.may_find(name) and WRITES.match(file.source.text, lookup.start) is not None:
                if may_be_of(evaluator.values(file, lookup.receiver), classes):
                    return True
    return any(
        _FILLED.match(file.source.text, end) is not None and may_be_of(evaluator.values(file, owner), classes)
        for file in linkage.mentioning_any((_NAMESPACE, _GIVING_NAMESPACE))
        for owner, end in namespaces_of(file)
    )


def namespaces_of(file: LinkedFile) -> Iterator[tuple[Origin, int]]:
    """What a file takes the namespace of, and where the expression ends that gives it."""
    yield from ((use.receiver, use.end) for use in file.links.attributes_by_name.get(_NAMESPACE, ()))
    yield from ((each.value, each.end) for each in file.links.handed if each.callee.name == _GIVING_NAMESPACE)
