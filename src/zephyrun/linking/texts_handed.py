"""The texts that all callers in sight hand to a parameter: the names that a function looks up for them."""

from __future__ import annotations

import ast

from zephyrun.facts import BINDING_ROLES, Role
from zephyrun.link_facts import BY_KEYWORD, BY_POSITION, OriginSort
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.values import Evaluator


@once_a_version
def texts_handed(evaluator: Evaluator, path: str, binding: int) -> frozenset[str] | None:
    """The texts that a parameter may be, by the binding of it; `None` where it may be something else, or is none."""
    file = evaluator.file(path)
    number, parameter = file.parameter_by_binding.get(binding, (-1, None))
    if parameter is None or parameter.sort not in (*BY_POSITION, *BY_KEYWORD):
        return None
    if file.facts.roles(binding) & BINDING_ROLES != {Role.PARAMETER} or parameter.default is not None:
        return None

    calls = evaluator.calls_of(file, number)
    found: set[str] = set()
    for other, handed in calls or ():
        if parameter not in evaluator.parameters_filled(file, number, other, handed):
            continue
        if handed.value.sort is not OriginSort.PLAIN or (text := _written_text(other.source.text[handed.start : handed.end])) is None:
            return None
        found.add(text)
    return frozenset(found) if found else None


def _written_text(code: str) -> str | None:
    try:
        value = ast.literal_eval(code)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return None
    return value if isinstance(value, str) else None
