"""`zephyrun propose`: a clean-up plan to read, edit and apply."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path

from zephyrun.changes.step import Step
from zephyrun.commands import OK, adviser, options
from zephyrun.commands.project_survey import Survey, survey_paths
from zephyrun.errors import UserError
from zephyrun.plan import SCHEMA, Plan, plan_text, renumbered, steps_from_findings
from zephyrun.project.roots import for_people
from zephyrun.reports.lines import counted
from zephyrun.source.fingerprint import fingerprint

_HEAD_OF_A_PLAN = 2000


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    options.add_paths(parser)
    parser.add_argument(
        "--output", type=options.path, metavar="PLAN", help="where to write the plan (default: print it)"
    )
    options.add_only(parser)
    options.add_since(parser)
    adviser.add_arguments(parser)
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Write the plan."""
    survey = survey_paths(
        arguments.paths,
        options.chosen_kinds(arguments.only),
        arguments.jobs,
        arguments.since,
        adviser.chosen_adviser(arguments),
    )
    steps, touched = _looked_at(survey, steps_from_findings(survey.findings))
    fingerprints = {
        path: fingerprint(data)
        for path in sorted({step.path for step in steps} | touched)
        if isinstance(data := survey.everything[path], bytes)
    }
    plan = Plan(survey.root, fingerprints, steps, tuple(step.finding for step in steps))
    destination = arguments.output or Path("cleanup.toml")
    text = plan_text(plan, destination)
    if arguments.output is None and arguments.format == "text":
        sys.stdout.write(text)
        return OK
    if arguments.output is not None:
        _write(destination, text)
    if arguments.format == "json":
        _print_document(plan, arguments.output)
    else:
        _print(plan, destination, arguments.color)
    return OK


def _looked_at(survey: Survey, steps: Sequence[Step]) -> tuple[tuple[Step, ...], frozenset[str]]:
    """The steps, with names of constants that nobody else looks for, and those about names that others can see with
    what there is to confirm for each; without those of them that cannot be carried out. And the paths of the files that
    these would change."""
    if any(step.action == "constant" and step.new for step in steps):
        # Imported here, as below: few plans have such steps, and start-up should stay fast.
        from zephyrun.changes.constant_outlook import with_free_names

        steps = renumbered(with_free_names(survey.everything, steps))
    wide = {finding.id for finding in survey.findings if finding.is_wide}
    asked = [step for step in steps if step.finding in wide and step.new]
    if not asked:
        return tuple(steps), frozenset()
    from zephyrun.commands.outlook import look_at

    outlook = look_at(survey.root, survey.everything, asked)
    looked_at = {step.id: step for step in outlook.steps}
    refused = {step.id for step in asked} - looked_at.keys()
    kept = renumbered(looked_at.get(step.id, step) for step in steps if step.id not in refused)
    return kept, outlook.paths


def _print_document(plan: Plan, destination: Path | None) -> None:
    options.print_document(
        {
            "schema": "zephyrun.propose/1",
            "root": for_people(plan.root),
            "plan": str(destination) if destination else None,
            "steps": len(plan.steps),
            "accepted": sum(step.accept for step in plan.steps),
        }
    )


def _print(plan: Plan, destination: Path, color: str) -> None:
    n_accepted = sum(step.accept for step in plan.steps)
    n_review = sum(step.remedy == "review" for step in plan.steps)
    counts = {
        "accepted": n_accepted,
        "left to you for want of a sure name": len(plan.steps) - n_accepted - n_review,
        "that need your word": n_review,
    }
    parts = ", ".join(f"{count} {what}" for what, count in counts.items() if count)
    screen = options.Screen(color)
    screen.print(f"{destination}: {counted(len(plan.steps), 'step')}" + (f": {parts}" if parts else ""))
    if plan.steps:
        screen.print(f"next: read and edit it, then zephyrun apply {destination}")


def _write(destination: Path, text: str) -> None:
    """Write the plan. An earlier plan there is kept beside it: someone may have edited it."""
    try:
        if destination.exists():
            if f'schema = "{SCHEMA}"'.encode() not in destination.read_bytes()[:_HEAD_OF_A_PLAN]:
                raise UserError(f"{destination} is there and is no plan; give another --output")
            os.replace(destination, destination.with_name(destination.name + ".before"))
        destination.write_text(text, "utf-8", "surrogateescape")
    except OSError as problem:
        raise UserError(f"{destination} cannot be written: {problem.strerror}") from problem
