"""`zephyrun apply`: carry out a plan, prove every step, and remember how to take it back."""

from __future__ import annotations

import argparse
import sys
from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path, PurePosixPath

from zephyrun.changes.stages import STAGES
from zephyrun.commands import NOT_SO, OK, options
from zephyrun.commands.application import Application, stages_of
from zephyrun.commands.differences import difference_lines
from zephyrun.commands.own_checks import CheckFailed, OwnCheck, OwnOutput, OwnTests
from zephyrun.decisions import DECISIONS_FILE, decisions_text, struck_out_of
from zephyrun.errors import UserError
from zephyrun.journal import Deed, Journal, Operation, Transaction
from zephyrun.linking.modules import is_python
from zephyrun.plan import Plan, read_plan
from zephyrun.project.discovery import read_content, read_project
from zephyrun.project.repository import Repository, find_repository
from zephyrun.project.roots import for_people
from zephyrun.project.settings import read_settings
from zephyrun.project.target import find_target
from zephyrun.reports.lines import counted, wrapped_line
from zephyrun.source.fingerprint import fingerprint

_MOST_ALIKE = 3


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument("plan", type=options.path, metavar="PLAN", help="a plan that zephyrun propose wrote")
    add_check_options(parser)
    parser.add_argument(
        "--learn",
        action="store_true",
        help="remember the names that were given, so that the like is called alike from then on",
    )
    parser.add_argument(
        "--remember",
        action="store_true",
        help=f"have what was struck out of the plan not proposed again (in {DECISIONS_FILE})",
    )
    options.add_dry_run(parser)
    options.add_jobs(parser)
    options.add_format(parser)


def add_check_options(parser: argparse.ArgumentParser) -> None:
    """Options of every command that carries steps out: how to check them, and whether to commit."""
    checks = parser.add_mutually_exclusive_group()
    checks.add_argument(
        "--run-after",
        metavar="COMMAND",
        help="run your tests before anything is changed and after each stage; "
        "steps that make them fail are taken back",
    )
    checks.add_argument(
        "--same-output",
        metavar="COMMAND",
        help="instead of tests: a command whose output and exit code must stay the same",
    )
    parser.add_argument(
        "--outputs",
        nargs="+",
        type=options.path,
        default=[],
        metavar="FILE",
        help="files that the command of --same-output writes and that must stay the same",
    )
    parser.add_argument(
        "--start-anyway",
        action="store_true",
        help="start although the tests fail already; then their exit code must stay the same",
    )
    parser.add_argument(
        "--commit", action="store_true", help="make one commit a stage in the git repository"
    )


def run(arguments: argparse.Namespace) -> int:
    """Carry out the accepted steps."""
    return run_plan(read_plan(arguments.plan), arguments, f"apply {arguments.plan.name}")


def run_plan(plan: Plan, arguments: argparse.Namespace, label: str) -> int:
    """Carry out the accepted steps of a plan; `label` is what `undo --list` calls it."""
    journal = Journal(plan.root, for_people)
    if not arguments.dry_run:
        options.recover(plan.root)
    application = _open(plan, arguments.jobs)
    stages = stages_of(plan)
    if arguments.dry_run:
        for action in stages:
            application.run_stage(action, None)
        application.look_again(None)
    else:
        repository = _repository(plan) if arguments.commit else None
        try:
            _run_stages(application, journal, repository, arguments, label)
        except CheckFailed as problem:
            print(f"zephyrun: {problem}", file=sys.stderr)
            return NOT_SO
    if arguments.format == "json":
        _print_document(application, with_difference=arguments.dry_run)
    elif arguments.dry_run:
        sys.stdout.writelines(_difference_lines(application))
        _print_refusals(options.Screen(arguments.color, to_errors=True), application)
    else:
        remembers = arguments.remember or application.settings.remember
        _print(options.Screen(arguments.color), application, remembers=remembers)
    return NOT_SO if application.refused or application.taken_back else OK


def _run_stages(
    application: Application,
    journal: Journal,
    repository: Repository | None,
    arguments: argparse.Namespace,
    label: str,
) -> None:
    """Write stage by stage: all of it one change, but what is committed stands by itself."""
    remember = arguments.remember or application.settings.remember
    check = _check(arguments)
    stages = stages_of(application.plan)
    if check is not None and stages:
        check.prepare(start_anyway=arguments.start_anyway)
    if repository is None:
        with journal.transaction(label) as transaction:
            for action in stages:
                application.run_stage(action, transaction, check)
            application.look_again(transaction, check)
            _keep_decisions(application, transaction, remember, arguments.learn)
        return
    for action in stages:
        with journal.transaction(label) as transaction:
            application.run_stage(action, transaction, check, repository)
    with journal.transaction(f"{label}, second look") as transaction:
        application.look_again(transaction, check, repository)
    with journal.transaction(f"decisions of {label}") as transaction:
        _keep_decisions(application, transaction, remember, arguments.learn)


def _keep_decisions(
    application: Application, transaction: Transaction, with_declined: bool, with_names: bool
) -> None:
    """Remember the plan's notes, and where that is asked for, what was struck out of it and which names it gave."""
    plan = application.plan
    carried_out = set(application.applied) - set(application.taken_back)
    learned = [step.id for step in plan.steps if step.action == "rename" and step.id in carried_out]
    text = decisions_text(plan, with_declined=with_declined, learned=learned if with_names else ())
    if text is not None:
        is_there = (plan.root / DECISIONS_FILE).exists()
        deed = Deed.REPLACE if is_there else Deed.CREATE
        transaction.carry_out([Operation(deed, DECISIONS_FILE, text.encode())])


def _check(arguments: argparse.Namespace) -> OwnCheck | None:
    if arguments.run_after is not None:
        return OwnTests(arguments.run_after)
    if arguments.same_output is not None:
        return OwnOutput(arguments.same_output, arguments.outputs)
    if arguments.outputs:
        raise UserError("--outputs says which files --same-output compares; give that as well")
    return None


def _repository(plan: Plan) -> Repository:
    """The repository for commits. Errors: `UserError` when a commit would take in other changes."""
    repository = find_repository(plan.root)
    repository.check_identity()
    paths = sorted({step.path for step in plan.steps if step.accept})
    if unclean := repository.unclean([path for path in paths if (plan.root / path).is_file()]):
        listed = ", ".join(for_people(plan.root / path) for path in unclean)
        raise UserError(
            f"{listed}: changes that are not committed; commit or stash them first, "
            "or leave out --commit. Nothing was changed"
        )
    return repository


def _open(plan: Plan, n_processes: int) -> Application:
    """The plan with the files as they are; steps on files that cannot be changed are refused."""
    settings = read_settings(plan.root)
    reason_by_target = find_target(plan.root, settings).reason_against
    application = Application(plan, read_project(plan.root), n_processes, settings)
    for path in dict.fromkeys(step.path for step in plan.steps if step.accept):
        # Only what ignore files leave out and somebody named is not in the read set.
        if path not in application.contents and _is_inside(path):
            application.contents[path] = read_content(plan.root / path)
        if reason := _reason_against(plan, path, application.contents.get(path)):
            application.refused.update(
                {step.id: reason for step in plan.steps if step.accept and step.path == path}
            )
    for step in plan.steps:
        if step.accept and reason_by_target:
            application.refused.setdefault(step.id, reason_by_target)
        if step.accept and step.action not in STAGES:
            application.refused.setdefault(step.id, f"this version knows no action {step.action!r}")
    return application


def _is_inside(path: str) -> bool:
    """Whether a plan's path can be that of a Python file below its root."""
    pure = PurePosixPath(path)
    return not pure.is_absolute() and ".." not in pure.parts and is_python(path)


def _reason_against(plan: Plan, path: str, content: bytes | str | None) -> str:
    """Why the steps on a file are refused, "" where nothing speaks against them."""
    if not _is_inside(path):
        return f"{path} is no Python file below the root of the plan"
    if not (plan.root / path).exists():
        return f"{path} is not there any more; run zephyrun propose again"
    if not isinstance(content, bytes):
        return f"{path}: {content}"
    if path not in plan.fingerprints:
        return f"the plan has no fingerprint of {path}; run zephyrun propose again"
    if plan.fingerprints[path] != fingerprint(content):
        return f"{path} changed since the plan was written; run zephyrun propose again"
    return ""


def _difference_lines(application: Application) -> Iterator[str]:
    """A unified diff of what would be written."""
    for path, original in application.originals.items():
        content = application.contents[path]
        assert isinstance(content, bytes), "a changed file was read"
        yield from difference_lines(path, path, original, content)


def _in_order(plan: Plan, identifiers: Iterable[str]) -> list[str]:
    wanted = set(identifiers)
    return [step.id for step in plan.steps if step.id in wanted]


def _print_document(application: Application, *, with_difference: bool) -> None:
    from zephyrun.reports.documents import apply_document

    plan = application.plan
    document = apply_document(
        for_people(plan.root),
        _in_order(plan, application.applied),
        [(each, application.refused[each]) for each in _in_order(plan, application.refused)],
        _in_order(plan, application.taken_back),
        list(application.originals),
        list(dict.fromkeys(application.assumptions)),
        application.mended_again,
    )
    if with_difference:
        document["difference"] = "".join(_difference_lines(application))
    options.print_document(document)


def _print_refusals(screen: options.Screen, application: Application) -> None:
    plan = application.plan
    reasons = {
        **application.refused,
        **dict.fromkeys(application.taken_back, "your command objects to it"),
    }
    steps = {step.id: step for step in plan.steps}
    alike: dict[tuple[str, str], list[str]] = {}
    for identifier in _in_order(plan, reasons):
        word = "refused" if identifier in application.refused else "taken back"
        alike.setdefault((word, reasons[identifier]), []).append(identifier)
    for (word, reason), identifiers in alike.items():
        # One reason for a whole file is told once.
        shown = identifiers[:1] if len(identifiers) > _MOST_ALIKE else identifiers
        others = f" and {len(identifiers) - 1} more steps" if len(shown) < len(identifiers) else ""
        for step in map(steps.__getitem__, shown):
            place = f"{for_people(plan.root / step.path)}:{step.line}"
            what = f"{step.id} {place} {step.old.strip()}{others}: {reason}"
            screen.print(wrapped_line((f"{word}  ", "bold yellow"), what))
    for what in dict.fromkeys(application.assumptions):
        screen.print(wrapped_line(("assumed  ", "yellow"), what))


def _print(screen: options.Screen, application: Application, *, remembers: bool) -> None:
    _print_refusals(screen, application)
    plan, root = application.plan, application.plan.root
    steps = {step.id: step for step in plan.steps}
    per_file = Counter(steps[identifier].path for identifier in application.applied)
    for path in application.originals:
        shown, count = for_people(root / path), counted(per_file[path], "step")
        screen.print(wrapped_line(("proved   ", "bold green"), (shown, "cyan"), f": {count}"))
    counts = [f"{len(application.refused)} refused"]
    if application.taken_back:
        counts.append(f"{len(application.taken_back)} taken back")
    counts.append(f"{sum(not step.accept for step in plan.steps)} not accepted in the plan")
    screen.print(
        f"{counted(len(application.applied), 'step')} carried out in "
        f"{counted(len(application.originals), 'file')}, {', '.join(counts)}"
    )
    if n_again := len(application.mended_again):
        places = counted(n_again, "place")
        screen.print(f"{places} of layout mended again where the changes had left it crooked")
    if n_struck_out := len(struck_out_of(plan)):
        how = "remembered" if remembers else "to have that remembered, apply with --remember"
        screen.print(f"{counted(n_struck_out, 'step')} struck out: {how}")
    if application.originals:
        screen.print(f"take it back: zephyrun undo {_undo_path(root)}".rstrip())


def _undo_path(root: Path) -> str:
    """How to name the project to `undo` from the working folder; "" where that is the root."""
    here = for_people(root)
    return "" if here == "." else here
