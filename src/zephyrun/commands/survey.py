"""`zephyrun survey`: what is hard to read, worst first."""

from __future__ import annotations

import argparse
import shlex
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from functools import partial
from pathlib import Path

from zephyrun.commands import OK, options
from zephyrun.decisions import DECISIONS_FILE, Decisions, Note, read_decisions
from zephyrun.findings import FileSurvey, Finding, survey_source
from zephyrun.findings.surveying import by_weight
from zephyrun.project.discovery import find_sources, read_content, read_project
from zephyrun.project.left_out import LeftOut, reason_to_leave_out
from zephyrun.project.roots import find_root, for_people
from zephyrun.project.settings import read_settings
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.surroundings import find_surroundings
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


@dataclass(frozen=True, slots=True)
class Survey:
    """What was looked at and what was found. `contents` holds each file's bytes by path; `left_out`
    are files that were only read, and why; `n_declined` counts findings that the team wants nothing
    done about."""

    root: Path
    files: tuple[FileSurvey, ...]
    contents: Mapping[str, bytes]
    left_out: Mapping[str, LeftOut]
    n_declined: int
    notes: tuple[Note, ...]

    @property
    def findings(self) -> list[Finding]:
        """The findings of all files, worst first."""
        return sorted((each for survey in self.files for each in survey.findings), key=by_weight)


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
                **survey_document(root, survey.files, survey.findings, survey.left_out),
                "declined": survey.n_declined,
                "notes": [asdict(note) for note in survey.notes],
            }
        )
    else:
        _print(survey, arguments)
    return OK


def _print(survey: Survey, arguments: argparse.Namespace) -> None:
    from zephyrun.reports.survey_view import survey_view

    findings = survey.findings
    n_shown = arguments.limit or len(findings)
    screen = options.Screen(arguments.color)

    def source_of(path: str) -> SourceText:
        return SourceText.from_bytes(survey.contents[path], strict=False)

    def shown_path(path: str) -> str:
        return for_people(survey.root / path)

    for part in survey_view(
        survey.files, findings, survey.left_out, n_shown, source_of, shown_path
    ):
        screen.print(part)
    for note in survey.notes:
        screen.print(f"note      {shown_path(note.path)} {note.old.strip()}: {note.text}")
    if survey.n_declined:
        file = shown_path(DECISIONS_FILE)
        screen.print(f"{counted(survey.n_declined, 'finding')} declined in {file} left out")
    paths = shlex.join(map(str, arguments.paths))
    since = f" --since {shlex.quote(arguments.since)}" if arguments.since else ""
    if n_shown < len(findings):
        worst = "the worst is" if n_shown == 1 else f"the worst {n_shown} are"
        screen.print(f"{worst} shown; all of them: zephyrun survey {paths}{since} --limit 0")
    if findings:
        screen.print(f"next: zephyrun propose {paths}{since} --output cleanup.toml")


def survey_paths(
    paths: Sequence[Path], kinds: Sequence[str], jobs: int, since: str | None = None
) -> Survey:
    """Survey every source file at or below the paths, in the order of their names.

    With `since`, only findings on lines that are new since that revision count. Errors: `UserError`
    for paths that cannot be surveyed, and for a revision that is none.
    """
    root = find_root(paths)
    options.recover(root)
    sources = find_sources(paths, root)
    everything = read_project(root)
    # Only what ignore files leave out and somebody named is not among them.
    contents = {
        name: everything[name] if name in everything else read_content(root / name)
        for name in sources.files
    }
    left_out: dict[str, LeftOut] = dict.fromkeys(sources.inner_projects, LeftOut.PROJECT)
    settings = read_settings(root)
    for name, data in contents.items():
        if settings.leaves_out(name):
            left_out[name] = LeftOut.SETTINGS
        elif isinstance(data, bytes) and (reason := reason_to_leave_out(name, data, sources.named)):
            left_out[name] = reason
    surroundings = find_surroundings({**everything, **contents}, settings.import_roots)
    readable = {
        name: data
        for name, data in contents.items()
        if isinstance(data, bytes) and name not in left_out
    }
    surveyed = options.map_files(
        partial(_survey, kinds=tuple(kinds)),
        [(name, data, surroundings.get(name, Surroundings())) for name, data in readable.items()],
        n_bytes=sum(map(len, readable.values())),
        jobs=jobs,
        what="reading",
    )
    if since is not None:
        # Imported here: few surveys ask version control, and start-up should stay fast.
        from zephyrun.project.repository import find_repository

        surveyed = _on_new_lines(surveyed, find_repository(root).changed_lines(since))
    decisions = read_decisions(root)
    n_found = sum(len(survey.findings) for survey in surveyed)
    if decisions.declined:
        surveyed = [_undecided(survey, decisions) for survey in surveyed]
    unread = [
        FileSurvey(name, 0, unread=data) for name, data in contents.items() if isinstance(data, str)
    ]
    files = sorted([*surveyed, *unread], key=lambda survey: survey.path)
    n_declined = n_found - sum(len(survey.findings) for survey in surveyed)
    return Survey(
        root, tuple(files), readable, dict(sorted(left_out.items())), n_declined, decisions.notes
    )


def _undecided(survey: FileSurvey, decisions: Decisions) -> FileSurvey:
    findings = tuple(each for each in survey.findings if each.id not in decisions.declined)
    return replace(survey, findings=findings)


def _on_new_lines(
    surveys: Sequence[FileSurvey], new_lines: Mapping[str, Sequence[range]]
) -> list[FileSurvey]:
    """The surveys with only those findings that touch a new line of their file."""

    def is_new(finding: Finding) -> bool:
        return any(
            lines.start <= finding.end.line and finding.start.line < lines.stop
            for lines in new_lines.get(finding.path, ())
        )

    return [
        replace(survey, findings=tuple(filter(is_new, survey.findings))) for survey in surveys
    ]


def _survey(item: tuple[str, bytes, Surroundings], kinds: tuple[str, ...]) -> FileSurvey:
    return survey_source(*item, kinds)
