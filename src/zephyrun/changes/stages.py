"""Carry out the steps of one file, stage by stage, and prove each result before it counts.

The steps of a stage are proved together, since that costs one proof and not hundreds; when that
fails, they are halved until the bad one stands alone. All edits of a stage are made on the text
with which the stage began, so no step ever has to be found again after another one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from zephyrun.changes.comment_deletions import delete_comments
from zephyrun.changes.layout_mending import GONE, MENDED_KINDS, LayoutMending
from zephyrun.changes.local_renames import rename_local
from zephyrun.changes.named_constants import NamedNumber, define_constants, name_number
from zephyrun.changes.refusal import Refusal
from zephyrun.changes.step import Step
from zephyrun.facts import FileFacts
from zephyrun.fences import FENCE_WORD, FENCED_OFF, fence_of
from zephyrun.languages.python import UnreadableSource, parse
from zephyrun.layout.habits import CONVENTIONS, Habits
from zephyrun.proof.clashes import NameSeekers
from zephyrun.proof.comparison import compare_files
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.verdict import Verdict
from zephyrun.source import EditSet, Overlap, SourceText, UnreadableText

# The order in which practitioners work. Each action belongs to one stage.
STAGES = ("layout", "rename", "constant", "comment")


@dataclass(frozen=True)
class FileOutcome:
    """What became of one file's steps: ids carried out, ids refused with their reasons, and the
    names that the module has from now on."""

    data: bytes
    applied: tuple[str, ...]
    refused: tuple[tuple[str, str], ...]
    assumptions: tuple[str, ...]
    introduced: tuple[str, ...] = ()


def carry_out(
    data: bytes,
    steps: Sequence[Step],
    surroundings: Surroundings,
    habits: Habits = CONVENTIONS,
    earlier: bytes | None = None,
) -> FileOutcome:
    """Carry out the steps of one file, whose project has these habits. `earlier` is the file before
    names changed, for what has slipped since. No errors: what cannot be done is refused, step by step.
    """
    original = data
    applied: list[str] = []
    refused: dict[str, str] = {}
    assumptions: dict[str, None] = {}

    introduced: list[str] = []
    for stage in _parts(steps):
        try:
            workshop = _Workshop(data, surroundings, habits, earlier)
        except UnreadableSource as problem:
            refused.update({step.id: f"the file cannot be read: {problem}" for step in stage})
            continue
        workshop.prepare(stage, refused)
        gone = [step for step in stage if refused.get(step.id) == GONE]
        if gone and data != original:
            first = _Workshop(original, surroundings, habits, earlier)
            settled = [step for step in gone if first.has_departure(step)]
            applied.extend(step.id for step in settled)
            for step in settled:
                del refused[step.id]
        workshop.settle([step for step in stage if workshop.is_ready(step)], refused)
        data = workshop.result
        applied.extend(step.id for step in workshop.good)
        assumptions.update(dict.fromkeys(workshop.assumptions))
        introduced.extend(workshop.introduced)

    for step in steps:
        if step.action == "layout" and step.kind not in MENDED_KINDS:
            refused[step.id] = f"this version knows no layout kind {step.kind!r}"
        elif step.action not in STAGES:
            refused[step.id] = f"this version knows no action {step.action!r}"
    return FileOutcome(
        data, tuple(applied), tuple(refused.items()), tuple(assumptions), tuple(introduced)
    )


def _parts(steps: Sequence[Step]) -> Iterator[list[Step]]:
    """The steps in the order in which they are carried out: those of a part on the text that the one
    before it left. Layout has a part for each of its kinds, since one settles what the next stands on."""
    for action in STAGES:
        for kind in MENDED_KINDS if action == "layout" else ("",):
            part = [
                step
                for step in steps
                if step.action == action and (step.kind == kind or action != "layout")
            ]
            if part:
                yield part


def leave_out_clashes(
    path: str,
    job: tuple[bytes, Sequence[Step], Surroundings, Habits, bytes | None],
    outcome: FileOutcome,
    versions: Iterable[NameSeekers],
) -> FileOutcome:
    """The outcome for a file without the names that other files might notice.

    `versions` are those of the project before and after all changes.
    """
    clashes: dict[str, str] = {}
    for version in versions:
        clashes.update(version.reasons_against(path, outcome.introduced))
    if not clashes:
        return outcome
    data, steps, surroundings, habits, earlier = job
    clashing = [step for step in steps if step.action == "constant" and step.new in clashes]
    others = [step for step in steps if step not in clashing]
    again = carry_out(data, others, surroundings, habits, earlier)
    refused = (*again.refused, *((step.id, clashes[step.new]) for step in clashing))
    return replace(again, refused=refused)


class _Workshop:
    """One stage on one file: the text it began with, the steps that are in, the result so far."""

    def __init__(
        self, data: bytes, surroundings: Surroundings, habits: Habits, earlier: bytes | None
    ) -> None:
        self._data = data
        self._surroundings = surroundings
        self._habits = habits
        self._earlier = earlier
        parsed = parse(data)
        self._source: SourceText = parsed.source
        self._facts: FileFacts = parsed.facts
        self._parsed = parsed
        self._prepared: dict[str, EditSet | NamedNumber] = {}
        self.good: list[Step] = []
        self.result = data
        self.assumptions: tuple[str, ...] = ()
        self.introduced: tuple[str, ...] = ()

    @cached_property
    def _mending(self) -> LayoutMending:
        return LayoutMending(self._parsed, self._habits, self._earlier)

    def has_departure(self, step: Step) -> bool:
        """Whether the text has what a layout step is about."""
        scope = _within_module(step.scope, self._surroundings.module)
        return self._mending.edits(scope, step) != Refusal(GONE)

    def is_ready(self, step: Step) -> bool:
        """Whether a step has been turned into edits."""
        return step.id in self._prepared

    def prepare(self, steps: Sequence[Step], refused: dict[str, str]) -> None:
        """Turn each step into edits, or refuse it."""
        for step in steps:
            scope = _within_module(step.scope, self._surroundings.module)
            if step.action == "layout":
                prepared: EditSet | NamedNumber | Refusal = self._mending.edits(scope, step)
            else:
                prepared = _PREPARATIONS[step.action](self._source, self._facts, scope, step)
            if isinstance(prepared, Refusal):
                refused[step.id] = prepared.reason
            elif (line := self._fenced_line(prepared)) > 0:
                refused[step.id] = f"line {line}: {FENCED_OFF}"
            else:
                self._prepared[step.id] = prepared

    def _fenced_line(self, prepared: EditSet | NamedNumber) -> int:
        """The first line that people fenced off and a step would change; 0 for none."""
        if FENCE_WORD not in self._source.text:
            return 0
        is_fenced = fence_of(self._source, self._facts)
        edits = prepared if isinstance(prepared, EditSet) else [prepared.edit]
        lines = (
            line
            for edit in edits
            for line in range(self._source.line_of(edit.start), self._source.line_of(max(edit.end - 1, edit.start)) + 1)
        )
        return next(filter(is_fenced, lines), 0)

    def settle(self, steps: Sequence[Step], refused: dict[str, str]) -> None:
        """Take in as many steps as can be proved together; refuse each of the others."""
        if not steps:
            return
        reason = self._reason_against([*self.good, *steps])
        if reason is None:
            self.good.extend(steps)
        elif len(steps) == 1:
            refused[steps[0].id] = reason
        else:
            middle = len(steps) // 2
            self.settle(steps[:middle], refused)
            self.settle(steps[middle:], refused)

    def _reason_against(self, steps: Sequence[Step]) -> str | None:
        """Try the steps together; when they are proved, keep the result."""
        try:
            together = self._together(steps)
            if isinstance(together, Refusal):
                return together.reason
            new = together.apply(self._source)
        except Overlap:
            return "it would change the same text as another step"
        except UnreadableText as problem:
            return str(problem)
        confirmed = {what for step in steps for what in step.confirm}
        proof = compare_files(self._data, new, self._surroundings, confirmed=confirmed)
        if proof.verdict is not Verdict.SAME:
            first = proof.differences[0]
            line = first.old_line or first.new_line
            where = f"line {line}: " if line else ""
            return f"not proved: {where}{first.what}"
        self.result = new
        self.assumptions = proof.assumptions
        self.introduced = proof.introduced
        return None

    def _together(self, steps: Sequence[Step]) -> EditSet | Refusal:
        """All edits of the steps. Errors: `Overlap` when two want the same text."""
        together = EditSet()
        numbers: list[NamedNumber] = []
        for step in steps:
            prepared = self._prepared[step.id]
            if isinstance(prepared, EditSet):
                together.merge(prepared)
            else:
                together.add(prepared.edit)
                numbers.append(prepared)
        if numbers:
            definitions = define_constants(self._source, self._facts, numbers)
            if isinstance(definitions, Refusal):
                return definitions
            together.merge(definitions)
        return together


def _rename_edits(source: SourceText, facts: FileFacts, scope: str, step: Step) -> EditSet | Refusal:
    group = facts.bindings_at(scope, step.old)
    if not 0 < step.ordinal <= len(group):
        return Refusal(f"there is no such `{step.old}` in {step.scope}; run zephyrun propose again")
    return rename_local(source, facts, group[step.ordinal - 1], step.new)


def _constant_edit(
    source: SourceText, facts: FileFacts, scope: str, step: Step
) -> NamedNumber | Refusal:
    alike = facts.literals_at(source.text, scope, step.old)
    if not 0 < step.ordinal <= len(alike):
        return Refusal(f"there is no such {step.old} in {step.scope}; run zephyrun propose again")
    return name_number(source, facts, alike[step.ordinal - 1], step.new)


def _comment_edits(source: SourceText, facts: FileFacts, scope: str, step: Step) -> EditSet | Refusal:
    if step.new:
        return Refusal("a comment can only be deleted so far; leave `new` empty")
    texts = step.old.split("\n")
    alike = facts.comment_runs_at(scope, texts)
    if not 0 < step.ordinal <= len(alike):
        return Refusal(f"there is no such comment in {step.scope}; run zephyrun propose again")
    return delete_comments(source, facts, alike[step.ordinal - 1], len(texts))


def _within_module(scope: str, module: str) -> str:
    """An address's scope without the module's own name."""
    return scope.removeprefix(module).removeprefix(".")


_PREPARATIONS: dict[
    str, Callable[[SourceText, FileFacts, str, Step], EditSet | NamedNumber | Refusal]
] = {
    "rename": _rename_edits,
    "constant": _constant_edit,
    "comment": _comment_edits,
}
