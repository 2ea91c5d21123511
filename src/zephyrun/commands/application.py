"""A plan that is being carried out: stage by stage, each proved, written, checked and committed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache, partial

from zephyrun.changes.second_look import Address, History, address_of, look_again
from zephyrun.changes.stages import STAGES, FileOutcome, carry_out, leave_out_clashes
from zephyrun.changes.step import Step
from zephyrun.commands import options
from zephyrun.commands.own_checks import OwnCheck
from zephyrun.commands.project_habits import measure_project
from zephyrun.facts import FileFacts
from zephyrun.journal import Deed, Operation, Transaction
from zephyrun.languages.python import UnreadableSource, read_facts
from zephyrun.languages.python.reading import without_collector
from zephyrun.layout.habits import Habits
from zephyrun.plan import Plan
from zephyrun.project.audience import is_library
from zephyrun.project.left_out import why_kept
from zephyrun.project.repository import Repository
from zephyrun.project.settings import Settings
from zephyrun.proof.clashes import NameSeekers
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.surroundings import find_surroundings
from zephyrun.reports.lines import counted

_STAGE_NAMES = {"layout": "layout", "rename": "names", "constant": "literals", "comment": "comments"}

_Job = tuple[str, bytes, tuple[Step, ...], Surroundings, Habits, bytes | None]
# Gives the outcome of some steps for each file.
_Prover = Callable[[Sequence[Step]], dict[str, FileOutcome]]
# Mending one thing may show another; it never went on longer on any code we know.
_MOST_LOOKS = 4


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
    # What a second look at the layout mended: steps that are in no plan.
    mended_again: list[Step] = field(default_factory=list)
    assumptions: list[str] = field(default_factory=list)
    # The bytes of the changed files as they were at first.
    originals: dict[str, bytes] = field(default_factory=dict)
    # The same files before the first stage that changed more than layout.
    _before_names: dict[str, bytes] = field(default_factory=dict, init=False, repr=False)
    # The addresses of layout steps that were carried out.
    _settled: set[Address] = field(default_factory=set, init=False, repr=False)
    # What second looks need not try again.
    _tried: set[Address] = field(default_factory=set, init=False, repr=False)
    # What the files know of each other, as long as `contents` stays as it is.
    _surroundings: Mapping[str, Surroundings] | None = field(default=None, init=False, repr=False)
    # What was proved in this stage, by file and the ids of its steps.
    _proved: dict[tuple[str, tuple[str, ...]], FileOutcome] = field(
        default_factory=dict, init=False, repr=False
    )

    @cached_property
    def habits(self) -> Habits:
        """The project's habits, as they were before anything was changed."""
        at_first = {**self.contents, **self.originals}
        return measure_project(at_first, self.settings, self.n_processes).sides

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
        steps = self.steps_of(action)
        wide_ids = {step.id for step in steps if self._reaches_beyond(step)}
        wide = [step for step in steps if step.id in wide_ids]
        narrow = [step for step in steps if step.id not in wide_ids]
        applied: list[str] = []
        for part, prove in ((narrow, self.prove), (wide, self.prove_across_files)):
            if part or part is narrow:
                stage = self._run(action, part, transaction, check, repository, prove)
                self.taken_back.extend(stage.taken_back)
                applied += stage.applied
        self.applied.extend(applied)
        if action == "layout":
            self._settled.update(address_of(step) for step in steps if step.id in set(applied))

    def look_again(
        self,
        transaction: Transaction | None,
        check: OwnCheck | None = None,
        repository: Repository | None = None,
    ) -> None:
        """Mend what the changes left crooked on the page, as a stage of its own."""
        for _ in range(_MOST_LOOKS):
            steps = [
                step for step in self._steps_of_second_look() if address_of(step) not in self._tried
            ]
            if not steps:
                return
            applied = set(self._run("layout", steps, transaction, check, repository).applied)
            self.mended_again.extend(step for step in steps if step.id in applied)
            self._tried.update(map(address_of, steps))
            for step in steps:
                # Nobody asked for it, so nobody need hear that it could not be done.
                self.refused.pop(step.id, None)

    def _steps_of_second_look(self) -> list[Step]:
        surroundings = self._known_surroundings()
        histories = [
            History(
                path,
                surroundings.get(path, Surroundings()).module,
                original,
                self._before_names.get(path, data),
                data,
                frozenset(self._settled),
            )
            for path, original in self.originals.items()
            for data in [_bytes(self.contents[path])]
            if data != original
        ]
        looks = options.map_files(
            partial(_look_again, habits=self.habits),
            histories,
            n_bytes=sum(len(history.data) for history in histories),
            jobs=self.n_processes,
            what="looking again",
        )
        return [step for steps in looks for step in steps]

    def _run(
        self,
        action: str,
        steps: Sequence[Step],
        transaction: Transaction | None,
        check: OwnCheck | None,
        repository: Repository | None,
        prove: _Prover | None = None,
    ) -> _Stage:
        """Carry out some steps of one action."""
        stage = _Stage(self, transaction, check, prove or self.prove)
        stage.settle(steps)
        for outcome in stage.outcomes.values():
            self.assumptions.extend(outcome.assumptions)
        changed = stage.changed
        for path in changed:
            self.originals.setdefault(path, _bytes(self.contents[path]))
        if changed and action != "layout":
            for path in changed:
                self._before_names.setdefault(path, _bytes(self.contents[path]))
        if changed:
            self.contents.update(changed)
            self._surroundings = None
        self._proved.clear()
        if repository is not None and changed:
            message = f"Clean up {_STAGE_NAMES[action]}: {counted(len(stage.applied), 'step')}, proved"
            repository.commit(list(changed), message)
        return stage

    def _known_surroundings(self) -> Mapping[str, Surroundings]:
        """What the files know of each other. Once a stage, however often it is halved: it means
        reading every file of the project."""
        if self._surroundings is None:
            self._surroundings = find_surroundings(
                self.contents,
                self.settings.import_roots,
                is_library=is_library(self.plan.root, self.settings),
                harmless_readers=self.settings.harmless_readers,
            )
        return self._surroundings

    def prove(self, steps: Sequence[Step]) -> dict[str, FileOutcome]:
        """The outcome of some steps of one stage for each file, proved; nothing is written."""
        by_path: dict[str, list[Step]] = {}
        for step in steps:
            by_path.setdefault(step.path, []).append(step)
        surroundings = self._known_surroundings()
        jobs: list[_Job] = [
            (
                path,
                _bytes(self.contents[path]),
                tuple(own),
                surroundings.get(path, Surroundings()),
                self.habits if own[0].action == "layout" else {},
                self._before_names.get(path),
            )
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

    def _reaches_beyond(self, step: Step) -> bool:
        """Whether a step is about a name that others than its function can see."""
        data = self.contents.get(step.path)
        if step.action != "rename" or not isinstance(data, bytes):
            return False
        try:
            facts = _read_facts(data)
        except UnreadableSource:
            return False
        module = self._known_surroundings().get(step.path, Surroundings()).module
        scope = step.scope.removeprefix(module).removeprefix(".")
        group = facts.bindings_at(scope, step.old)
        is_there = 0 < step.ordinal <= len(group)
        return not is_there or not is_local_variable(facts, group[step.ordinal - 1])

    def prove_across_files(self, steps: Sequence[Step]) -> dict[str, FileOutcome]:
        """The outcome of rename steps that reach beyond their files, proved; nothing is written."""
        # Imported here: few plans have such steps, and start-up should stay fast.
        from zephyrun.changes.rename_batches import settle_rename_steps
        from zephyrun.commands.worlds import world_of
        from zephyrun.project.kept_facts import KeptFacts

        kept_facts = KeptFacts(self.plan.root)
        kept_facts.recall_glances(self.contents.values())
        world = world_of(self.plan.root, self.settings, kept_facts, self._known_surroundings())
        with without_collector():
            # Whoever had a file surveyed means it.
            kept = partial(why_kept, settings=self.settings, named=tuple(self.plan.fingerprints))
            settled = settle_rename_steps(self.contents, steps, world, kept)
        kept_facts.save()
        outcomes: dict[str, FileOutcome] = {}
        for path in dict.fromkeys([*settled.changed, *(step.path for step in steps)]):
            own = [step.id for step in steps if step.path == path]
            outcomes[path] = FileOutcome(
                settled.changed.get(path, _bytes(self.contents[path])),
                tuple(each for each in own if each in settled.applied),
                tuple((each, settled.refused[each]) for each in own if each in settled.refused),
                settled.assumptions,
            )
        return outcomes


class _Stage:
    """One stage: which steps are in, and what the files are with them.

    Every attempt starts from the files with which the stage began, since addresses count what stood
    there then.
    """

    def __init__(
        self,
        application: Application,
        transaction: Transaction | None,
        check: OwnCheck | None,
        prove: _Prover,
    ) -> None:
        self.outcomes: dict[str, FileOutcome] = {}
        self.taken_back: list[str] = []
        self._application = application
        self._transaction = transaction
        self._check = check
        self._prove = prove
        self._kept: list[Step] = []

    @property
    def applied(self) -> list[str]:
        """The ids of the steps that were carried out."""
        return [each for outcome in self.outcomes.values() for each in outcome.applied]

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
        outcomes = self._prove([*self._kept, *steps])
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


@lru_cache(maxsize=1)
def _read_facts(data: bytes) -> FileFacts:
    """Kept, since the steps on a file follow one another."""
    return read_facts(data)


def _key(job: _Job) -> tuple[str, tuple[str, ...]]:
    return job[0], tuple(step.id for step in job[2])


def _carry_out_file(job: _Job) -> FileOutcome:
    _, data, steps, surroundings, habits, earlier = job
    return carry_out(data, steps, surroundings, habits, earlier)


def _look_again(history: History, habits: Habits) -> tuple[Step, ...]:
    try:
        return look_again(history, habits)
    except UnreadableSource:
        # It would have been refused before.
        return ()


def _bytes(content: bytes | str) -> bytes:
    assert isinstance(content, bytes), "only files that could be read are changed"
    return content
