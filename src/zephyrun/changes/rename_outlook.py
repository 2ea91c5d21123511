"""What becomes of rename steps that reach beyond their files, told before anybody accepts them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

from zephyrun.changes.project_renames import Objections, WhyKept, Wish, carry_out_renames, nothing_kept, open_sentences
from zephyrun.changes.rename_batches import target_of_step
from zephyrun.changes.step import Step
from zephyrun.linking.linkage import Content
from zephyrun.linking.values import Evaluator
from zephyrun.proof.renames import World

# Whoever has to look at more places than these does better to rename it alone.
_MOST_OPEN_PLACES = 8


class Outlook(NamedTuple):
    """Steps that could be carried out, each with what there is to confirm: "safe" where that is nothing; and the paths
    of all files that they would change."""

    steps: tuple[Step, ...]
    paths: frozenset[str]


def outlook_of(
    contents: Mapping[str, Content], steps: Sequence[Step], world: World, why_kept: WhyKept = nothing_kept
) -> Outlook:
    """What would become of some rename steps. Each is looked at by itself; whether they are proved together is found
    out when they are carried out. `why_kept` is as for `carry_out_renames`."""
    evaluator = world.evaluator(contents)
    found: list[Step] = []
    paths: set[str] = set()
    for step in steps:
        target = target_of_step(evaluator, step)
        if target is None:
            continue
        change = carry_out_renames(evaluator, [Wish(target, step.new)], surroundings=world.surroundings, why_kept=why_kept)
        (own,) = change.by_wish
        if own.reasons or len(own.open_places) > _MOST_OPEN_PLACES:
            continue
        confirm = _to_confirm(evaluator, own)
        found.append(replace(step, remedy="review" if confirm else "safe", confirm=confirm))
        paths |= change.changed.keys() | {each.place.path for each in own.open_places}
    return Outlook(tuple(found), frozenset(paths))


def _to_confirm(evaluator: Evaluator, objections: Objections) -> tuple[str, ...]:
    """What a person vouches for by accepting the step; where it is open whether a name is the one, that it is."""
    doubts = [doubt.what for doubt in objections.doubts]
    places = [
        open_sentences(each, file.line_of(each.place.start))[0]
        for each in objections.open_places
        if (file := evaluator.file(each.place.path)) is not None
    ]
    return tuple(dict.fromkeys([*doubts, *places]))
