"""Many renames as one transaction: as many as are proved together, and why each of the others is not in.

The whole batch is tried first. Where a rename is to blame it goes; where only files differ, the culprit is
sought among the renames that changed them, by halves, so that one bad rename costs itself and not its
neighbours.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field

from zephyrun.changes.project_renames import Change, WhyKept, Wish, carry_out_renames, nothing_kept, open_sentences
from zephyrun.changes.step import Step
from zephyrun.linking.linkage import Content
from zephyrun.linking.targets import NoTarget, target_inside, target_of_binding
from zephyrun.linking.usage import Target
from zephyrun.linking.values import Evaluator
from zephyrun.proof.renames import RenameProof, World, judge_renames
from zephyrun.proof.verdict import Verdict


@dataclass(frozen=True)
class Batch:
    """What became of some wishes: the change that those which were `kept` make together, its proof, and of
    the others the reason; by their order."""

    kept: tuple[int, ...]
    refused: Mapping[int, str]
    change: Change
    proof: RenameProof | None


@dataclass(frozen=True)
class _Trial:
    """What came of trying some wishes together. `reasons` are against those to blame; where none is, the
    culprits are in each of the groups of `suspects`."""

    change: Change
    proof: RenameProof | None = None
    reasons: Mapping[int, str] = field(default_factory=dict)
    suspects: tuple[tuple[int, ...], ...] = ()
    what: str = ""

    @property
    def is_proved(self) -> bool:
        return self.proof is not None and self.proof.verdict is Verdict.SAME


_Try = Callable[[Sequence[int]], _Trial]


def settle_batch(
    evaluator: Evaluator,
    wishes: Sequence[Wish],
    world: World,
    said: Collection[str] = (),
    why_kept: WhyKept = nothing_kept,
) -> Batch:
    """Carry out as many of some wishes as can be proved together. `said` holds what a person says of open
    places and vouches for; `why_kept` is as for `carry_out_renames`."""

    def try_some(numbers: Sequence[int]) -> _Trial:
        return _try_together(evaluator, wishes, numbers, world, said, why_kept)

    kept = list(range(len(wishes)))
    refused: dict[int, str] = {}
    while True:
        trial = try_some(kept)
        if trial.is_proved or not kept:
            return Batch(tuple(kept), refused, trial.change, trial.proof)
        refused.update(trial.reasons or _culprits(try_some, kept, trial))
        kept = [number for number in kept if number not in refused]


def _culprits(try_some: _Try, kept: Sequence[int], failed: _Trial) -> dict[int, str]:
    """Wishes that keep a batch from being proved, at least one."""
    found: dict[int, str] = {}
    for group in failed.suspects:
        rest = [number for number in group if number not in found]
        alone = try_some(rest) if len(rest) < len(kept) else failed
        while not alone.is_proved:
            # All that is wrong in one file is found at the cost of that file.
            found.update(alone.reasons or _halve(try_some, [], rest, alone.what))
            rest = [number for number in rest if number not in found]
            alone = try_some(rest)
    if found:
        return found
    suspected = {number for group in failed.suspects for number in group}
    others = [number for number in kept if number not in suspected]
    return _halve(try_some, others, sorted(suspected) or kept, failed.what)


def _halve(
    try_some: _Try, good: Sequence[int], suspects: Sequence[int], what: str
) -> dict[int, str]:
    """A wish that cannot be proved together with those that are `good`, as all suspects cannot."""
    while len(suspects) > 1:
        middle = len(suspects) // 2
        first = suspects[:middle]
        trial = try_some([*good, *first])
        if trial.is_proved:
            good, suspects = [*good, *first], suspects[middle:]
            continue
        blamed = {number: trial.reasons[number] for number in first if number in trial.reasons}
        if blamed:
            return blamed
        suspects, what = first, trial.what
    return {suspects[0]: what}


def _try_together(
    evaluator: Evaluator,
    wishes: Sequence[Wish],
    numbers: Sequence[int],
    world: World,
    said: Collection[str],
    why_kept: WhyKept,
) -> _Trial:
    change = carry_out_renames(
        evaluator,
        [wishes[number] for number in numbers],
        surroundings=world.surroundings,
        said=said,
        why_kept=why_kept,
    )
    reasons: dict[int, str] = {}
    for number, own in zip(numbers, change.by_wish, strict=True):
        unsaid = [doubt.what for doubt in own.doubts if doubt.what not in said]
        unsaid += [
            open_sentences(each, evaluator.file(each.place.path).line_of(each.place.start))[0]
            for each in own.open_places
        ]
        if own.reasons:
            reasons[number] = own.reasons[0].reason
        elif unsaid:
            reasons[number] = f"a person must vouch for it in `confirm`: {'; '.join(unsaid)}"
    if reasons:
        return _Trial(change, reasons=reasons)

    proof = judge_renames(
        evaluator.linkage.contents,
        change.contents,
        change.renamings,
        world,
        moved=change.moved,
        confirmed=said,
        before=evaluator,
    )
    what = f"not proved: {_first_reason(proof)}"
    blamed = {numbers[order]: what for order in proof.blamed}
    return _Trial(change, proof, blamed, _suspects(change, proof, numbers), what)


def _suspects(
    change: Change, proof: RenameProof, numbers: Sequence[int]
) -> tuple[tuple[int, ...], ...]:
    """For each file that differs, the wishes that changed it."""
    came_from = {new: old for old, new in change.moved.items()}
    groups = []
    for path, file in proof.files:
        if file.verdict is not Verdict.SAME:
            old_path = came_from.get(path, path)
            groups.append(
                tuple(
                    number
                    for number, usage in zip(numbers, change.usages, strict=True)
                    if old_path in usage.by_path()
                )
            )
    return tuple(filter(None, groups))


def _first_reason(proof: RenameProof) -> str:
    if proof.reasons:
        return proof.reasons[0]
    for path, file in proof.files:
        for difference in file.differences:
            line = difference.old_line or difference.new_line
            return f"{path}, line {line}: {difference.what}" if line else f"{path}: {difference.what}"
    return "the versions differ"


# -- steps of a plan -----------------------------------------------------------------------------------


@dataclass(frozen=True)
class Settled:
    """What became of rename steps: new contents of the changed files by path, ids of the steps that are
    in, and of the others with the reason."""

    changed: Mapping[str, bytes]
    applied: tuple[str, ...]
    refused: Mapping[str, str]
    assumptions: tuple[str, ...]


def settle_rename_steps(
    contents: Mapping[str, Content], steps: Sequence[Step], world: World, why_kept: WhyKept = nothing_kept
) -> Settled:
    """Carry out as many rename steps as can be proved together. No errors: a step that cannot be is
    refused, with its reason. `why_kept` is as for `carry_out_renames`."""
    evaluator = world.evaluator(contents)
    refused: dict[str, str] = {}
    found: list[tuple[Step, Wish]] = []
    for step in steps:
        target = target_of_step(evaluator, step)
        if not step.new:
            refused[step.id] = f"no new name is given for `{step.old}`; fill in `new` in the plan"
        elif target is None:
            where = step.scope or step.path
            refused[step.id] = f"there is no such `{step.old}` in {where}; run zephyrun propose again"
        else:
            found.append((step, Wish(target, step.new)))
    said = {sentence for step, _ in found for sentence in step.confirm}
    batch = settle_batch(evaluator, [wish for _, wish in found], world, said, why_kept)
    refused |= {found[number][0].id: reason for number, reason in batch.refused.items()}
    assumptions = batch.proof.assumptions if batch.proof is not None else ()
    applied = tuple(found[number][0].id for number in batch.kept)
    return Settled(batch.change.changed, applied, refused, assumptions)


def target_of_step(evaluator: Evaluator, step: Step) -> Target | None:
    """The thing that a step is about, `None` where it is not there."""
    file = evaluator.linkage.file(step.path)
    if file is None:
        return None
    scope = step.scope.removeprefix(file.module).removeprefix(".")
    group = file.facts.bindings_at(scope, step.old)
    try:
        if 0 < step.ordinal <= len(group):
            return target_of_binding(evaluator, file, group[step.ordinal - 1])
        return target_inside(evaluator, file, [*filter(None, scope.split(".")), step.old])
    except NoTarget:
        return None
