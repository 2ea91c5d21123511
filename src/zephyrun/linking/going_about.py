"""Functions and classes that go about as values: whoever has one may call it in any way."""

from __future__ import annotations

from zephyrun.facts import Role
from zephyrun.link_facts import Handed
from zephyrun.linking.library_calls import KEPT_UNDER, leaves_class_alone
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.values import ClassKey, Evaluator, FunctionKey, ValueSort
from zephyrun.linking.whereabouts import are_handlers_given_back, are_parts_told, whereabouts
from zephyrun.patterns import lazy_pattern

# Special methods that take what a call of a class or instance, or a bracket, is given.
MAKING_METHODS = frozenset(
    "__init__ __new__ __call__ __init_subclass__ __class_getitem__ __post_init__".split()
)
# What stands before a class that is caught, and before one that is a value rather than a type.
_CATCHES = lazy_pattern(r"\bexcept\s*\(?[\w.,\s]*\Z")
_GIVES_VALUE = lazy_pattern(r"=\s*[\w.\[({,\s]*\Z")


@once_a_version
def is_kept(evaluator: Evaluator, key: FunctionKey) -> bool:
    """Whether a function may be anywhere: it is handed to code that was not read, or may be found by its name."""
    record = evaluator.function_record(key)
    if record.name == "__call__":
        # Whoever has an instance may call it.
        return True
    if record.owner >= 0 and record.name in MAKING_METHODS:
        return is_class_kept(evaluator, (key[0], record.owner))
    if record.owner >= 0 and record.name.startswith("__") and record.name.endswith("__"):
        # The language calls it, by position; so does who names it, unless it is taken as a value.
        return any(
            use.end not in other.links.called
            for other in evaluator.linkage.mentioning(record.name)
            for use in other.links.attributes_by_name.get(record.name, ())
        )
    return whereabouts(evaluator, key).is_lost


def is_class_kept(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether a class is handed to something that is not known to leave it alone."""
    for each in [key, *evaluator.below(key)]:
        there = evaluator.file(each[0])
        decorators = evaluator.class_record(each).decorators
        if not all(evaluator.is_harmless(there, decorator) for decorator in decorators):
            return True
    name = evaluator.class_record(key).name
    return any(_is_kept_in(evaluator, other, name) for other in evaluator.linkage.mentioning(name))


def _is_kept_in(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether a class goes about in a file as a value: whoever has it may make instances."""
    if any(use.name == name and use.has_alias for use in file.links.imports):
        return True
    ends = {use.end for use in file.links.attributes_by_name.get(name, ())}
    for binding in file.facts.bindings:
        if binding.name == name:
            ends |= {
                file.facts.references[index].end
                for index in binding.references
                if file.facts.references[index].role is Role.READ
            }
    handed = {each.end: each for each in file.links.handed}
    return any(_keeps_class(evaluator, file, end, handed) for end in ends - file.links.called)


def _keeps_class(evaluator: Evaluator, file: LinkedFile, end: int, handed: dict[int, Handed]) -> bool:
    """Whether a class that ends at an offset is more than looked into, inherited from, caught, or
    said to be the type of something."""
    if (hand := handed.get(end)) is not None:
        return not _leaves_alone(evaluator, file, hand)
    text = file.source.text
    if text[end : end + 1] == ".":
        return False
    statement = file.facts.statements[file.facts.statement_at(end - 1)]
    before = text[statement.start : end]
    if statement.sort == "classdef":
        return before.startswith("@") and "class" not in before
    if _CATCHES.search(before):
        return False
    is_typed = statement.sort in ("functiondef", "asyncfunctiondef", "annassign")
    return not is_typed or _GIVES_VALUE.search(before) is not None


def _leaves_alone(evaluator: Evaluator, file: LinkedFile, handed: Handed) -> bool:
    """Whether what a class is handed to gives it to nobody."""
    return all(
        value.sort is ValueSort.FOREIGN
        and leaves_class_alone(value.name, handed)
        and not are_parts_told(evaluator, KEPT_UNDER.get(value.name, ()))
        and (value.name != "signal.signal" or not are_handlers_given_back(evaluator))
        for value in evaluator.values(file, handed.callee)
    )
