"""`zephyrun apply`: carry out a plan, prove every step, and remember how to take it back."""

from __future__ import annotations

import argparse
from collections import Counter
from collections.abc import Sequence
from difflib import unified_diff
from pathlib import Path, PurePosixPath

from zephyrun.changes.stages import FileOutcome, carry_out
from zephyrun.changes.step import Step
from zephyrun.commands import NOT_SO, OK, options
from zephyrun.journal import Deed, Journal, Operation
from zephyrun.linking.modules import is_python
from zephyrun.plan import Plan, fingerprint, read_plan
from zephyrun.project.discovery import read_content, read_sources
from zephyrun.project.roots import for_people
from zephyrun.proof import Surroundings, find_surroundings
from zephyrun.source import SourceText

_Job = tuple[str, bytes, tuple[Step, ...], Surroundings]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument("plan", type=Path, metavar="PLAN", help="a plan that zephyrun propose wrote")
    options.add_dry_run(parser)
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Carry out the accepted steps."""
    plan = read_plan(arguments.plan)
    journal = Journal(plan.root)
    if not arguments.dry_run and (recovered := journal.recover()) is not None:
        options.say_recovered(recovered.paths)
    refused: dict[str, str] = {}
    jobs = _jobs(plan, refused)
    outcomes = options.map_files(
        _carry_out,
        jobs,
        n_bytes=sum(len(job[1]) * len(job[2]) for job in jobs),
        jobs=arguments.jobs,
        what="proving",
    )
    operations = []
    assumptions: dict[str, None] = {}
    applied: list[str] = []
    for (path, data, _, _), outcome in zip(jobs, outcomes, strict=True):
        refused.update(outcome.refused)
        applied.extend(outcome.applied)
        assumptions.update(dict.fromkeys(outcome.assumptions))
        if outcome.data != data:
            operations.append(Operation(Deed.REPLACE, path, outcome.data, expected=data))
    if arguments.dry_run:
        _print_differences(operations)
    elif operations:
        journal.carry_out(f"apply {arguments.plan.name}", operations, tuple(assumptions))
    in_order = {step.id: index for index, step in enumerate(plan.steps)}
    applied.sort(key=in_order.__getitem__)
    refusals = sorted(refused.items(), key=lambda each: in_order[each[0]])
    files = [operation.path for operation in operations]
    if arguments.format == "json" and not arguments.dry_run:
        from zephyrun.reports.documents import apply_document

        document = apply_document(for_people(plan.root), applied, refusals, files, tuple(assumptions))
        options.print_document(document)
    elif not arguments.dry_run:
        _print(arguments, plan, applied, refusals, files, tuple(assumptions))
    return NOT_SO if refused else OK


def _jobs(plan: Plan, refused: dict[str, str]) -> list[_Job]:
    """The files to change, each with its bytes and its accepted steps."""
    by_path: dict[str, list[Step]] = {}
    for step in plan.steps:
        if step.accept:
            by_path.setdefault(step.path, []).append(step)
    contents = read_sources(plan.root)
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


def _carry_out(job: _Job) -> FileOutcome:
    _, data, steps, surroundings = job
    return carry_out(data, steps, surroundings)


def _print_differences(operations: Sequence[Operation]) -> None:
    for operation in operations:
        old = SourceText.from_bytes(operation.expected or b"", strict=False).text
        new = SourceText.from_bytes(operation.data, strict=False).text
        lines = unified_diff(
            old.splitlines(keepends=True),
            new.splitlines(keepends=True),
            f"a/{operation.path}",
            f"b/{operation.path}",
        )
        for line in lines:
            print(line, end="" if line.endswith("\n") else "\n\\ No newline at end of file\n")


def _print(
    arguments: argparse.Namespace,
    plan: Plan,
    applied: Sequence[str],
    refusals: Sequence[tuple[str, str]],
    files: Sequence[str],
    assumptions: Sequence[str],
) -> None:
    from rich.text import Text

    screen = options.console(arguments.color)
    steps = {step.id: step for step in plan.steps}
    for identifier, reason in refusals:
        step = steps[identifier]
        place = f"{for_people(plan.root / step.path)}:{step.line}"
        what = f"{identifier} {place} {step.old.strip()}"
        screen.print(Text.assemble(("refused  ", "bold yellow"), what, f": {reason}"))
    for what in assumptions:
        screen.print(Text.assemble(("assumed  ", "yellow"), what))
    per_file = Counter(steps[identifier].path for identifier in applied)
    for path in files:
        shown = for_people(plan.root / path)
        count = _steps(per_file[path])
        screen.print(Text.assemble(("proved   ", "bold green"), (shown, "cyan"), f": {count}"))
    n_waiting = sum(not step.accept for step in plan.steps)
    screen.print(
        f"{_steps(len(applied))} carried out in {len(files)} file{'s' * (len(files) != 1)}, "
        f"{len(refusals)} refused, {n_waiting} not accepted in the plan"
    )
    if files:
        screen.print(f"take it back: zephyrun undo {_undo_path(plan.root)}".rstrip())


def _steps(count: int) -> str:
    return f"{count} step" + ("" if count == 1 else "s")


def _undo_path(root: Path) -> str:
    """How to name the project to `undo` from the working folder; "" where that is the root."""
    here = for_people(root)
    return "" if here == "." else here
