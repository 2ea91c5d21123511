"""`zephyrun survey`: what is hard to read, worst first."""

from __future__ import annotations

import argparse
import shlex

from zephyrun.commands import OK, options
from zephyrun.commands.project_survey import Survey, survey_paths
from zephyrun.decisions import DECISIONS_FILE
from zephyrun.project.roots import for_people
from zephyrun.reports.lines import counted
from zephyrun.source import SourceText

_WORST = 20


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    options.add_paths(parser)
    options.add_only(parser)
    options.add_since(parser)
    parser.add_argument(
        "--limit",
        type=options.whole_number,
        default=_WORST,
        metavar="N",
        help=f"show the worst N findings (default {_WORST}; 0 for all; JSON always holds all)",
    )
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Print the survey."""
    survey = survey_paths(
        arguments.paths, options.chosen_kinds(arguments.only), arguments.jobs, arguments.since
    )
    if arguments.format == "json":
        from zephyrun.reports.documents import survey_document

        root = for_people(survey.root)
        options.print_document(
            {
                **survey_document(root, survey.summary, survey.findings),
                "declined": survey.n_declined,
                "notes": [note._asdict() for note in survey.notes],
            }
        )
    else:
        _print(survey, arguments)
    return OK


def _print(survey: Survey, arguments: argparse.Namespace) -> None:
    from zephyrun.reports.survey_view import survey_view

    n_findings = survey.summary.n_findings
    n_shown = min(arguments.limit or n_findings, n_findings)
    worst = survey.summary.worst
    shown = (worst if n_shown <= len(worst) else survey.findings)[:n_shown]
    screen = options.Screen(arguments.color)

    def source_of(path: str) -> SourceText:
        return SourceText.from_bytes(survey.contents[path], strict=False)

    def shown_path(path: str) -> str:
        return for_people(survey.root / path)

    for part in survey_view(survey.summary, shown, source_of, shown_path):
        screen.print(part)
    for note in survey.notes:
        screen.print(f"note      {shown_path(note.path)} {note.old.strip()}: {note.text}")
    if survey.n_declined:
        file = shown_path(DECISIONS_FILE)
        screen.print(f"{counted(survey.n_declined, 'finding')} declined in {file} left out")
    paths = shlex.join(map(str, arguments.paths))
    since = f" --since {shlex.quote(arguments.since)}" if arguments.since else ""
    if n_shown < n_findings:
        which = "the worst is" if n_shown == 1 else f"the worst {n_shown} are"
        screen.print(f"{which} shown; all of them: zephyrun survey {paths}{since} --limit 0")
        if len(survey.summary.by_kind) > 1:
            most = max(survey.summary.by_kind, key=survey.summary.by_kind.__getitem__)
            screen.print(f"one kind at a time: zephyrun survey {paths}{since} --only {most}")
    if n_findings:
        screen.print(f"next: zephyrun propose {paths}{since} --output cleanup.toml")
