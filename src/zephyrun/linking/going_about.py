"""Functions that go about as values: whoever has one may call it in any way."""

from __future__ import annotations

from zephyrun.linking.going_classes import is_class_kept
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.value_sorts import FunctionKey
from zephyrun.linking.values import Evaluator
from zephyrun.linking.whereabouts import whereabouts

# Special methods that take what a call of a class or instance, or a bracket, is given.
MAKING_METHODS = frozenset(
    "__init__ __new__ __call__ __init_subclass__ __class_getitem__ __post_init__".split()
)


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
