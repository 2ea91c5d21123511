"""A plan that is being carried out: stage by stage, each proved, written, checked and committed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from zephyrun.changes.stages import STAGES, FileOutcome, carry_out, leave_out_clashes
from zephyrun.changes.step import Step
from zephyrun.commands import options
from zephyrun.commands.own_checks import OwnCheck
from zephyrun.journal import Deed, Operation, Transaction
from zephyrun.plan import Plan
from zephyrun.project.repository import Repository
from zephyrun.project.settings import Settings
from zephyrun.proof.clashes import NameSeekers
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.surroundings import find_surroundings
from zephyrun.reports.lines import counted

_STAGE_NAMES = {"rename": "names", "constant": "literals", "comment": "comments"}

_Job = tuple[str, bytes, tuple[Step, ...], Surroundings]


@dataclass
class Application:
    """What has become of a plan so far. `contents` are the project's files as they are by now."""

    plan: Plan
    contents: dict[str, bytes | str]
    n_processes: int
    settings: Settings = Settings()
    refused: dict[str, str] = field(default_factory=dict)
    applied: list[str] = field(default_factory=list)
    taken_back: list[str] = field(default_factory=list)
    assumptions: list[str] = field(default_factory=list)
    # The bytes of the changed files as they were at first.
    originals: dict[str, bytes] = field(default_factory=dict)
    # What the files know of each other, as long as `contents` stays as it is.
    _surroundings: Mapping[str, Surroundings] | None = field(default=None, init=False, repr=False)
    # What was proved in this stage, by file and the ids of its steps.
    _proved: dict[tuple[str, tuple[str, ...]], FileOutcome] = field(
        default_factory=dict, init=False, repr=False
    )

    def steps_of(self, action: str) -> list[Step]:
        """The accepted steps of one stage that are still to be carried out."""
        return [
            step
            for step in self.plan.steps
            if step.accept and step.action == action and step.id not in self.refused
        ]

    def run_stage(
        self,
        action: str,
        transaction: Transaction | None,
        check: OwnCheck | None = None,
        repository: Repository | None = None,
    ) -> None:
        """Carry out one stage. Without a transaction nothing is written."""
        stage = _Stage(self, transaction, check)
        stage.settle(self.steps_of(action))
        self.taken_back.extend(stage.taken_back)
        applied = [each for outcome in stage.outcomes.values() for each in outcome.applied]
        self.applied.extend(applied)
        for outcome in stage.outcomes.values():
            self.assumptions.extend(outcome.assumptions)
        changed = stage.changed
        for path in changed:
            self.originals.setdefault(path, _bytes(self.contents[path]))
        if changed:
            self.contents.update(changed)
            self._surroundings = None
        self._proved.clear()
        if repository is not None and changed:
            message = f"Clean up {_STAGE_NAMES[action]}: {counted(len(applied), 'step')}, proved"
            repository.commit(list(changed), message)

    def prove(self, steps: Sequence[Step]) -> dict[str, FileOutcome]:
        """The outcome of some steps of one stage for each file, proved; nothing is written."""
        by_path: dict[str, list[Step]] = {}
        for step in steps:
            by_path.setdefault(step.path, []).append(step)
        if self._surroundings is None:
            # Once a stage, however often it is halved: it means reading every file of the project.
            self._surroundings = find_surroundings(self.contents, self.settings.import_roots)
        surroundings = self._surroundings
        jobs: list[_Job] = [
            (path, _bytes(self.contents[path]), tuple(own), surroundings.get(path, Surroundings()))
            for path, own in by_path.items()
        ]
        # A stage that is halved asks again and again for files in which nothing is different.
        new_jobs = [job for job in jobs if _key(job) not in self._proved]
        newly_proved = options.map_files(
            _carry_out_file,
            new_jobs,
            n_bytes=sum(len(job[1]) * len(job[2]) for job in new_jobs),
            jobs=self.n_processes,
            what="proving",
        )
        self._proved.update(zip(map(_key, new_jobs), newly_proved, strict=True))
        outcomes = [self._proved[_key(job)] for job in jobs]
        results = {job[0]: outcome.data for job, outcome in zip(jobs, outcomes, strict=True)}
        versions = (NameSeekers(self.contents), NameSeekers({**self.contents, **results}))
        return {
            job[0]: leave_out_clashes(job[0], job[1:], outcome, versions)
            for job, outcome in zip(jobs, outcomes, strict=True)
        }


class _Stage:
    """One stage: which steps are in, and what the files are with them.

    Every attempt starts from the files with which the stage began, since addresses count what stood
    there then.
    """

    def __init__(
        self, application: Application, transaction: Transaction | None, check: OwnCheck | None
    ) -> None:
        self.outcomes: dict[str, FileOutcome] = {}
        self.taken_back: list[str] = []
        self._application = application
        self._transaction = transaction
        self._check = check
        self._kept: list[Step] = []

    @property
    def changed(self) -> dict[str, bytes]:
        """The files that the stage changes, as they are with it."""
        contents = self._application.contents
        return {
            path: outcome.data
            for path, outcome in self.outcomes.items()
            if outcome.data != contents[path]
        }

    def settle(self, steps: Sequence[Step]) -> None:
        """Take in as many of the steps as are proved and as the person's check lets pass."""
        if not steps:
            return
        outcomes = self._application.prove([*self._kept, *steps])
        for outcome in outcomes.values():
            self._application.refused.update(outcome.refused)
        left = [step for step in steps if step.id not in self._application.refused]
        if self._passes(outcomes):
            self._kept.extend(left)
            self.outcomes = outcomes
        elif len(left) == 1:
            self.taken_back.append(left[0].id)
        else:
            middle = len(left) // 2
            self.settle(left[:middle])
            self.settle(left[middle:])

    def _passes(self, outcomes: Mapping[str, FileOutcome]) -> bool:
        """Write the files; where the person's check objects, take them back."""
        if self._transaction is None:
            return True
        on_disk = {**self._application.contents, **self.changed}
        operations = [
            Operation(Deed.REPLACE, path, outcome.data, expected=_bytes(on_disk[path]))
            for path, outcome in outcomes.items()
            if outcome.data != on_disk[path]
        ]
        if not operations:
            return True
        assumptions = [what for outcome in outcomes.values() for what in outcome.assumptions]
        self._transaction.carry_out(operations, assumptions)
        if self._check is None or self._check.passes():
            return True
        self._transaction.take_back()
        return False


def stages_of(plan: Plan) -> list[str]:
    """The stages that a plan has accepted steps for, in the order of work."""
    accepted = {step.action for step in plan.steps if step.accept}
    return [action for action in STAGES if action in accepted]


def _key(job: _Job) -> tuple[str, tuple[str, ...]]:
    return job[0], tuple(step.id for step in job[2])


def _carry_out_file(job: _Job) -> FileOutcome:
    _, data, steps, surroundings = job
    return carry_out(data, steps, surroundings)


def _bytes(content: bytes | str) -> bytes:
    assert isinstance(content, bytes), "only files that could be read are changed"
    return content
