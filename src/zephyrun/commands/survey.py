"""`zephyrun survey`: what is hard to read, worst first."""

from __future__ import annotations

import argparse
import shlex
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from zephyrun.commands import OK, options
from zephyrun.findings import FileSurvey, Finding, survey_source
from zephyrun.findings.surveying import by_weight
from zephyrun.project.discovery import find_sources, read_content, read_sources
from zephyrun.project.roots import find_root, for_people
from zephyrun.proof import Surroundings, find_surroundings
from zephyrun.source import SourceText

_WORST = 20


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    options.add_paths(parser)
    options.add_only(parser)
    parser.add_argument(
        "--limit",
        type=options.whole_number,
        default=_WORST,
        metavar="N",
        help=f"show the worst N findings (default {_WORST}; 0 for all; JSON always holds all)",
    )
    options.add_jobs(parser)
    options.add_format(parser)


@dataclass(frozen=True, slots=True)
class Survey:
    """What was looked at and what was found. `contents` holds each file's bytes by path."""

    root: Path
    files: tuple[FileSurvey, ...]
    contents: Mapping[str, bytes]
    inner_projects: tuple[str, ...]

    @property
    def findings(self) -> list[Finding]:
        """The findings of all files, worst first."""
        return sorted((each for survey in self.files for each in survey.findings), key=by_weight)


def run(arguments: argparse.Namespace) -> int:
    """Print the survey."""
    survey = survey_paths(arguments.paths, options.chosen_kinds(arguments.only), arguments.jobs)
    if arguments.format == "json":
        from zephyrun.reports.documents import survey_document

        root = for_people(survey.root)
        options.print_document(
            survey_document(root, survey.files, survey.findings, survey.inner_projects)
        )
    else:
        _print(survey, arguments)
    return OK


def _print(survey: Survey, arguments: argparse.Namespace) -> None:
    from zephyrun.reports.survey_view import survey_view

    findings = survey.findings
    n_shown = arguments.limit or len(findings)
    screen = options.console(arguments.color)

    def source_of(path: str) -> SourceText:
        return SourceText.from_bytes(survey.contents[path], strict=False)

    def shown_path(path: str) -> str:
        return for_people(survey.root / path)

    for part in survey_view(survey.files, findings, n_shown, source_of, shown_path):
        screen.print(part)
    for path in survey.inner_projects:
        screen.print(f"left out  {shown_path(path)}: a project of its own; survey it by itself")
    paths = shlex.join(map(str, arguments.paths))
    if n_shown < len(findings):
        worst = "the worst is" if n_shown == 1 else f"the worst {n_shown} are"
        screen.print(f"{worst} shown; all of them: zephyrun survey {paths} --limit 0")
    if findings:
        screen.print(f"next: zephyrun propose {paths} --output cleanup.toml")


def survey_paths(paths: Sequence[Path], kinds: Sequence[str], jobs: int) -> Survey:
    """Survey every source file at or below the paths, in the order of their names.

    Errors: `UserError` for paths that cannot be surveyed.
    """
    root = find_root(paths)
    sources = find_sources(paths, root)
    contents = {name: read_content(root / name) for name in sources.files}
    surroundings = find_surroundings({**read_sources(root), **contents})
    readable = {name: data for name, data in contents.items() if isinstance(data, bytes)}
    surveyed = options.map_files(
        partial(_survey, kinds=tuple(kinds)),
        [(name, data, surroundings.get(name, Surroundings())) for name, data in readable.items()],
        n_bytes=sum(map(len, readable.values())),
        jobs=jobs,
        what="reading",
    )
    unread = [
        FileSurvey(name, 0, unread=data) for name, data in contents.items() if isinstance(data, str)
    ]
    files = sorted([*surveyed, *unread], key=lambda survey: survey.path)
    return Survey(root, tuple(files), readable, sources.inner_projects)


def _survey(item: tuple[str, bytes, Surroundings], kinds: tuple[str, ...]) -> FileSurvey:
    return survey_source(*item, kinds)
