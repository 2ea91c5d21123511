"""`zephyrun apply`: carry out a plan, prove every step, and remember how to take it back."""

from __future__ import annotations

import argparse
import re
import sys
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import unified_diff
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING

from zephyrun.changes.stages import FileOutcome, carry_out, leave_out_clashes
from zephyrun.changes.step import Step
from zephyrun.commands import NOT_SO, OK, options
from zephyrun.journal import Deed, Journal, Operation
from zephyrun.linking.modules import is_python
from zephyrun.plan import Plan, fingerprint, read_plan
from zephyrun.project.discovery import read_content, read_sources
from zephyrun.project.roots import for_people
from zephyrun.proof import Surroundings, find_surroundings
from zephyrun.source import SourceText

if TYPE_CHECKING:
    from rich.console import Console

_Job = tuple[str, bytes, tuple[Step, ...], Surroundings]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument("plan", type=Path, metavar="PLAN", help="a plan that zephyrun propose wrote")
    options.add_dry_run(parser)
    options.add_jobs(parser)
    options.add_format(parser)


@dataclass(frozen=True, slots=True)
class _Outcome:
    """What became of a plan. Ids are in the order of the plan; refusals come with their reasons."""

    plan: Plan
    operations: tuple[Operation, ...]
    applied: tuple[str, ...]
    refused: tuple[tuple[str, str], ...]
    assumptions: tuple[str, ...]

    @property
    def files(self) -> tuple[str, ...]:
        return tuple(operation.path for operation in self.operations)


def run(arguments: argparse.Namespace) -> int:
    """Carry out the accepted steps."""
    plan = read_plan(arguments.plan)
    journal = Journal(plan.root, for_people)
    if not arguments.dry_run and (recovered := journal.recover()) is not None:
        options.say_recovered(", ".join(for_people(plan.root / path) for path in recovered.paths))
    outcome = _carry_out(plan, arguments.jobs)
    if outcome.operations and not arguments.dry_run:
        label = f"apply {arguments.plan.name}"
        journal.carry_out(label, outcome.operations, outcome.assumptions)
    if arguments.format == "json":
        _print_document(outcome, with_difference=arguments.dry_run)
    elif arguments.dry_run:
        sys.stdout.writelines(_difference_lines(outcome.operations))
        _print_refusals(options.console(arguments.color, to_errors=True), outcome)
    else:
        _print(options.console(arguments.color), outcome)
    return NOT_SO if outcome.refused else OK


def _carry_out(plan: Plan, n_processes: int) -> _Outcome:
    """Make and prove the changes; nothing is written yet."""
    refused: dict[str, str] = {}
    contents = read_sources(plan.root)
    jobs = _jobs(plan, contents, refused)
    file_outcomes = options.map_files(
        _carry_out_file,
        jobs,
        n_bytes=sum(len(job[1]) * len(job[2]) for job in jobs),
        jobs=n_processes,
        what="proving",
    )
    changed = {job[0]: outcome.data for job, outcome in zip(jobs, file_outcomes, strict=True)}
    versions = (contents, {**contents, **changed})
    file_outcomes = [
        leave_out_clashes(job[0], job[1:], outcome, versions)
        for job, outcome in zip(jobs, file_outcomes, strict=True)
    ]
    operations: list[Operation] = []
    assumptions: dict[str, None] = {}
    applied: list[str] = []
    for (path, data, _, _), outcome in zip(jobs, file_outcomes, strict=True):
        refused.update(outcome.refused)
        applied.extend(outcome.applied)
        assumptions.update(dict.fromkeys(outcome.assumptions))
        if outcome.data != data:
            operations.append(Operation(Deed.REPLACE, path, outcome.data, expected=data))
    ranks = {step.id: index for index, step in enumerate(plan.steps)}
    return _Outcome(
        plan,
        tuple(operations),
        tuple(sorted(applied, key=ranks.__getitem__)),
        tuple(sorted(refused.items(), key=lambda entry: ranks[entry[0]])),
        tuple(assumptions),
    )


def _jobs(
    plan: Plan, contents: Mapping[str, bytes | str], refused: dict[str, str]
) -> list[_Job]:
    """The files to change, each with its bytes and its accepted steps."""
    by_path: dict[str, list[Step]] = {}
    for step in plan.steps:
        if step.accept:
            by_path.setdefault(step.path, []).append(step)
    surroundings = find_surroundings(contents)
    jobs: list[_Job] = []
    for path, steps in by_path.items():
        data, reason = _read(plan, path)
        if reason:
            refused.update({step.id: reason for step in steps})
            continue
        around = surroundings.get(path) or find_surroundings({**contents, path: data})[path]
        jobs.append((path, data, tuple(steps), around))
    return jobs


def _read(plan: Plan, path: str) -> tuple[bytes, str]:
    """A file's bytes, or why its steps are refused."""
    pure = PurePosixPath(path)
    if pure.is_absolute() or ".." in pure.parts or not is_python(path):
        return b"", f"{path} is no Python file below the root of the plan"
    if not (plan.root / path).exists():
        return b"", f"{path} is not there any more; run zephyrun propose again"
    data = read_content(plan.root / path)
    if isinstance(data, str):
        return b"", f"{path}: {data}"
    if path not in plan.fingerprints:
        return b"", f"the plan has no fingerprint of {path}; run zephyrun propose again"
    if plan.fingerprints[path] != fingerprint(data):
        return b"", f"{path} changed since the plan was written; run zephyrun propose again"
    return data, ""


def _carry_out_file(job: _Job) -> FileOutcome:
    _, data, steps, surroundings = job
    return carry_out(data, steps, surroundings)


def _difference_lines(operations: Sequence[Operation]) -> Iterator[str]:
    """A unified diff of what would be written."""
    for operation in operations:
        old = _lines(operation.expected or b"")
        new = _lines(operation.data)
        lines = unified_diff(old, new, f"a/{operation.path}", f"b/{operation.path}")
        for line in lines:
            yield line if line.endswith("\n") else f"{line}\n\\ No newline at end of file\n"


def _lines(data: bytes) -> list[str]:
    """The lines of a file as programs that patch count them: only `\\n` ends one."""
    text = SourceText.from_bytes(data, strict=False).text
    return [line for line in re.split(r"(?<=\n)", text) if line]


def _print_document(outcome: _Outcome, *, with_difference: bool) -> None:
    from zephyrun.reports.documents import apply_document

    document = apply_document(
        for_people(outcome.plan.root),
        outcome.applied,
        outcome.refused,
        outcome.files,
        outcome.assumptions,
    )
    if with_difference:
        document["difference"] = "".join(_difference_lines(outcome.operations))
    options.print_document(document)


def _print_refusals(screen: Console, outcome: _Outcome) -> None:
    from rich.text import Text

    steps = {step.id: step for step in outcome.plan.steps}
    for identifier, reason in outcome.refused:
        step = steps[identifier]
        place = f"{for_people(outcome.plan.root / step.path)}:{step.line}"
        what = f"{identifier} {place} {step.old.strip()}: {reason}"
        screen.print(Text.assemble(("refused  ", "bold yellow"), what))
    for what in outcome.assumptions:
        screen.print(Text.assemble(("assumed  ", "yellow"), what))


def _print(screen: Console, outcome: _Outcome) -> None:
    from rich.text import Text

    _print_refusals(screen, outcome)
    root = outcome.plan.root
    steps = {step.id: step for step in outcome.plan.steps}
    per_file = Counter(steps[identifier].path for identifier in outcome.applied)
    for path in outcome.files:
        shown, count = for_people(root / path), _steps(per_file[path])
        screen.print(Text.assemble(("proved   ", "bold green"), (shown, "cyan"), f": {count}"))
    n_waiting = sum(not step.accept for step in outcome.plan.steps)
    n_files = len(outcome.files)
    screen.print(
        f"{_steps(len(outcome.applied))} carried out in {n_files} file{'s' * (n_files != 1)}, "
        f"{len(outcome.refused)} refused, {n_waiting} not accepted in the plan"
    )
    if outcome.files:
        screen.print(f"take it back: zephyrun undo {_undo_path(root)}".rstrip())


def _steps(count: int) -> str:
    return f"{count} step" + ("" if count == 1 else "s")


def _undo_path(root: Path) -> str:
    """How to name the project to `undo` from the working folder; "" where that is the root."""
    here = for_people(root)
    return "" if here == "." else here
