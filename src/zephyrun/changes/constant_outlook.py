"""What becomes of new constants that another file might notice, told before anybody accepts them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from zephyrun.changes.step import Step
from zephyrun.linking.linkage import Content
from zephyrun.linking.texts import words_in
from zephyrun.proof.clashes import NameSeekers

# How good a name is that is not of the style of the others.
_SHARE_OFF_STYLE = 0.5


def with_free_names(contents: Mapping[str, Content], steps: Sequence[Step]) -> tuple[Step, ...]:
    """The same steps; constants that would be refused since another file might notice their names get one that would
    not. That is the name without the underline, which fewer files could work out; where it is no better, none is
    given, and `why` says what is against the one that was found."""
    named: dict[str, list[Step]] = {}
    for step in steps:
        if step.action == "constant" and step.new:
            named.setdefault(step.path, []).append(step)
    seekers = NameSeekers(contents)
    reasons = {
        path: seekers.reasons_against(path, {name for step in own for name in (step.new, _public(step.new))})
        for path, own in named.items()
    }
    return tuple(
        _with_free_name(step, reasons[step.path], contents[step.path])
        if step.action == "constant" and step.new
        else step
        for step in steps
    )


def _with_free_name(step: Step, reasons: Mapping[str, str], data: Content) -> Step:
    if (reason := reasons.get(step.new)) is None:
        return step
    name = _public(step.new)
    is_free = name != step.new and name not in reasons and isinstance(data, bytes) and name.encode() not in words_in(data)
    score = step.score * _SHARE_OFF_STYLE if is_free else 0.0
    return replace(step, new=name if is_free else "", score=score, why=f"{step.why}; not `{step.new}`, since {reason}")


def _public(name: str) -> str:
    """A name that says nothing of who may use it."""
    return name.lstrip("_")
