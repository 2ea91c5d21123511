"""`zephyrun survey`: what is hard to read, worst first."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from functools import partial
from pathlib import Path

from zephyrun.commands import options
from zephyrun.findings import FileSurvey, Finding, survey_source
from zephyrun.findings.surveying import by_weight
from zephyrun.project.discovery import read_content, read_sources, source_files
from zephyrun.project.roots import find_root, for_people
from zephyrun.proof import Surroundings, find_surroundings

_WORST = 20


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    options.add_paths(parser)
    options.add_only(parser)
    parser.add_argument(
        "--limit",
        type=int,
        default=_WORST,
        metavar="N",
        help=f"show the worst N findings (default {_WORST}; 0 for all; JSON always holds all)",
    )
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Print the survey."""
    root = find_root(arguments.paths)
    kinds = options.chosen_kinds(arguments.only)
    surveys = survey_paths(arguments.paths, root, kinds, arguments.jobs)
    findings = sorted((each for survey in surveys for each in survey.findings), key=by_weight)
    if arguments.format == "json":
        from zephyrun.reports.documents import survey_document

        options.print_document(survey_document(for_people(root), surveys, findings))
    else:
        _print(surveys, findings, root, arguments)
    return 0


def _print(
    surveys: Sequence[FileSurvey], findings: list[Finding], root: Path, arguments: argparse.Namespace
) -> None:
    from zephyrun.reports.survey_view import survey_view

    shown = findings[: arguments.limit] if arguments.limit > 0 else findings
    screen = options.console(arguments.color)
    for part in survey_view(surveys, shown, findings, root):
        screen.print(part)
    paths = " ".join(map(str, arguments.paths))
    if len(shown) < len(findings):
        screen.print(f"the worst {len(shown)} are shown; all of them: zephyrun survey {paths} --limit 0")
    if findings:
        screen.print(f"next: zephyrun propose {paths} --output cleanup.toml")


def survey_paths(
    paths: Sequence[Path], root: Path, kinds: Sequence[str], jobs: int
) -> list[FileSurvey]:
    """Survey every source file at or below the paths, in the order of their names."""
    names = source_files(paths, root)
    contents = {name: read_content(root / name) for name in names}
    surroundings = find_surroundings({**read_sources(root), **contents})
    readable = [
        (name, data, surroundings.get(name, Surroundings()))
        for name, data in contents.items()
        if isinstance(data, bytes)
    ]
    surveyed = options.map_files(
        partial(_survey, kinds=tuple(kinds)),
        readable,
        n_bytes=sum(len(data) for _, data, _ in readable),
        jobs=jobs,
        what="reading",
    )
    unread = [
        FileSurvey(name, 0, unread=data) for name, data in contents.items() if isinstance(data, str)
    ]
    return sorted([*surveyed, *unread], key=lambda survey: survey.path)


def _survey(item: tuple[str, bytes, Surroundings], kinds: tuple[str, ...]) -> FileSurvey:
    return survey_source(*item, kinds)
