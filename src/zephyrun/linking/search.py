"""From a target to its use: which collector answers for which sort of thing."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

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


_COLLECTORS: dict[TargetSort, Callable[[Evaluator, Usage], _Collector]] = {
    TargetSort.PARAMETER: ParameterUsage,
    TargetSort.MEMBER: MemberUsage,
    TargetSort.MODULE: ModuleUsage,
    TargetSort.GLOBAL: GlobalUsage,
}


def find_usage(evaluator: Evaluator, target: Target, present_name: str = "") -> Usage:
    """Every reference of a target, and what speaks against changing its name. A target that is only to get its name has
    another one at present."""
    usage = Usage(target, harmless=evaluator.linkage.harmless_paths, present_name=present_name or target.name)
    if target.sort is TargetSort.LOCAL:
        note_local(evaluator, usage)
    else:
        _COLLECTORS[target.sort](evaluator, usage).note()
    usage.open_places.sort()
    return usage
