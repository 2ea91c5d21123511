"""Things that get all names of an instance at once (`copied.__dict__.update(self.__dict__)`): these are the names of its class."""

from __future__ import annotations

import ast

from zephyrun.link_facts import AttributeUse
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.names_begun import may_begin_in
from zephyrun.linking.names_taken import NAMESPACE
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.slot_holders import stands_in_text
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.value_sorts import ClassKey, ValueSort, classes_among
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

# The names of one thing go to another one, which stands before.
COPIES_ALL_AFTER = lazy_pattern(r"\s*\.\s*update\(\s*[\w.]+\.\s*__dict__\s*\)")


def only_gets_strangers(evaluator: Evaluator, file: LinkedFile, namespace: AttributeUse, name: str) -> bool:
    """Whether all that is done with a namespace, at a place, is that it gets all names of an instance of the project's own
    whose class and relatives have nothing of a private name."""
    if COPIES_ALL_AFTER.match(file.source.text, namespace.end) is None or not _is_written_out(evaluator, name):
        return False
    source = _source_of_copy(file, namespace)
    values = evaluator.values(file, source.receiver) if source is not None else frozenset()
    are_instances = bool(values) and all(value.sort is ValueSort.INSTANCE for value in values)
    return are_instances and not any(_knows_name(evaluator, key, name) for key in classes_among(values))


@once_a_version
def _is_written_out(evaluator: Evaluator, name: str) -> bool:
    """Whether a private name is given to nothing by a text, by a keyword, or by being put together."""
    linkage = evaluator.linkage
    return name.startswith("_") and not any(
        stands_in_text(file, name) or any(use.name == name for use in file.links.keywords) for file in linkage.mentioning(name)
    ) and not any(may_begin_in(evaluator, path, name) for path in linkage.paths)


def _source_of_copy(file: LinkedFile, namespace: AttributeUse) -> AttributeUse | None:
    """The namespace of which another one gets all names; `None` where that one is used otherwise."""
    tree = syntax_tree(file.data)
    node = tree.attributes.get(namespace.end)
    update = tree.around[node] if node is not None else None
    call = tree.around[update] if isinstance(update, ast.Attribute) and update.attr == "update" else None
    match call:
        case ast.Call(args=[ast.Attribute(attr="__dict__") as source], keywords=[]) if isinstance(tree.around[call], ast.Expr):
            end = tree.end_of(source)
            return next((each for each in file.links.attributes_by_name.get(NAMESPACE, ()) if each.end == end), None)
    return None


def _knows_name(evaluator: Evaluator, key: ClassKey, name: str) -> bool:
    """Whether a class, one that is below it or one above it has a name, or an instance of one is asked for it."""
    relatives = set(evaluator.relatives(key))
    if any(evaluator.defines(each, name) for each in relatives) or evaluator.unknown_above(key):
        return True
    return any(
        relatives & classes_among(evaluator.values(file, use.receiver))
        for file in evaluator.linkage.mentioning(name)
        for use in file.links.attributes_by_name.get(name, ())
    )
