"""From a target to its use: which collector answers for which sort of thing."""

from __future__ import annotations

from zephyrun.linking.members import MemberUsage
from zephyrun.linking.module_names import ModuleUsage
from zephyrun.linking.parameters import ParameterUsage
from zephyrun.linking.references import GlobalUsage, is_in_tests, note_local
from zephyrun.linking.usage import Target, TargetSort, Usage
from zephyrun.linking.values import Evaluator


def find_usage(evaluator: Evaluator, target: Target, *, is_library: bool = False) -> Usage:
    """Every reference of a target, and what speaks against changing its name. In a library, code that
    was not read may use whatever is public."""
    usage = Usage(target)
    if target.sort is TargetSort.LOCAL:
        note_local(evaluator, usage)
    elif target.sort is TargetSort.PARAMETER:
        ParameterUsage(evaluator, usage, is_library=is_library).note()
    elif target.sort is TargetSort.MEMBER:
        MemberUsage(evaluator, usage, is_library=is_library).note()
    elif target.sort is TargetSort.MODULE:
        ModuleUsage(evaluator, usage, is_library=is_library).note()
    else:
        gathered = GlobalUsage(evaluator, usage)
        gathered.note()
        if is_library and any(_is_public(file.module, path) for path, file in gathered.homes.items()):
            if not target.name.startswith("_"):
                first = min(usage.places)
                usage.doubt(
                    f"no code outside this project uses {usage.label}", first.path, first.start
                )
    usage.open_places.sort()
    return usage


def _is_public(module: str, path: str) -> bool:
    return not is_in_tests(path) and not any(part.startswith("_") for part in module.split("."))
