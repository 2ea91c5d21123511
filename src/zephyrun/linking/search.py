"""From a target to its use: which collector answers for which sort of thing."""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from dataclasses import fields
from typing import Any, Protocol

from zephyrun.linking.members import MemberUsage
from zephyrun.linking.module_names import ModuleUsage
from zephyrun.linking.parameters import ParameterUsage
from zephyrun.linking.references import GlobalUsage, note_local
from zephyrun.linking.usage import Target, TargetSort, Usage
from zephyrun.linking.values import Evaluator


class _Collector(Protocol):
    """Gathers the use of one thing."""

    def note(self) -> None:
        """Fill the usage."""


# What is found out about a target, and can be written down.
_FOUND = tuple(field.name for field in fields(Usage) if field.name not in ("target", "harmless"))

_COLLECTORS: dict[TargetSort, Callable[[Evaluator, Usage], _Collector]] = {
    TargetSort.PARAMETER: ParameterUsage,
    TargetSort.MEMBER: MemberUsage,
    TargetSort.MODULE: ModuleUsage,
    TargetSort.GLOBAL: GlobalUsage,
}


def find_usage(evaluator: Evaluator, target: Target, present_name: str = "") -> Usage:
    """Every reference of a target, and what speaks against changing its name. A target that is only to get its name has
    another one at present."""
    usage = _begun(evaluator, target, present_name)

    def find() -> dict[str, object]:
        _fill(evaluator, usage)
        usage.open_places.sort()
        return {name: copy(getattr(usage, name)) for name in _FOUND}

    # Whoever asked adds to it what it thinks of a new name.
    for name, found in evaluator.linkage.kept.once(("usage", target, present_name), find).items():
        setattr(usage, name, copy(found))
    return usage


def _begun(evaluator: Evaluator, target: Target, present_name: str = "") -> Usage:
    return Usage(target, harmless=evaluator.linkage.harmless_paths, present_name=present_name or target.name)


def _fill(evaluator: Evaluator, usage: Usage) -> None:
    if usage.target.sort is TargetSort.LOCAL:
        note_local(evaluator, usage)
    else:
        _COLLECTORS[usage.target.sort](evaluator, usage).note()


def find_certain_usage(evaluator: Evaluator, target: Target) -> Usage | None:
    """Every reference of a target; `None` as soon as something in the project speaks against a change of its name."""
    usage = _CertainUsage(target, harmless=evaluator.linkage.harmless_paths, present_name=target.name)
    try:
        _fill(evaluator, usage)
    except _Doubtful:
        return None
    return usage if not usage.open_places else None


class _Doubtful(Exception):
    """There is a doubt."""


class _CertainUsage(Usage):
    """The use of a name, where it is certain."""

    def doubt(self, *args: Any, **kwargs: Any) -> None:
        """Give up, but for what only concerns code outside the project."""
        if not kwargs.get("of_outsiders"):
            raise _Doubtful
        super().doubt(*args, **kwargs)
