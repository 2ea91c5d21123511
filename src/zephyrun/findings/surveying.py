"""Run the detectors over one file."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from zephyrun.fences import fenced_lines
from zephyrun.findings.finding import FileView, Finding
from zephyrun.findings.table import KINDS
from zephyrun.languages.python import UnreadableSource, parse
from zephyrun.languages.python.reading import deep_recursion, without_collector
from zephyrun.layout.habits import CONVENTIONS, Habits
from zephyrun.naming.file_usage import FileUsage, usage_of
from zephyrun.naming.word_choices import WordChoices
from zephyrun.proof.remains import Surroundings


class FileSurvey(NamedTuple):
    """What was found in one file; `unread` says why it was not read, "" where it was. `usage` is what its names
    add to those of the project, where names are looked for."""

    path: str
    n_lines: int
    findings: tuple[Finding, ...] = ()
    unread: str = ""
    usage: FileUsage | None = None


def survey_source(
    path: str,
    data: bytes,
    surroundings: Surroundings,
    kinds: Collection[str],
    habits: Habits = CONVENTIONS,
    words: WordChoices = WordChoices(),
) -> FileSurvey:
    """Look for the given kinds in one file, worst first; `habits` are those of its project, and `words` what its
    team says about them. No errors: what cannot be read says so."""
    # Around it all, so that tree and facts are gone before the collector looks again.
    with without_collector():
        return _survey(path, data, surroundings, kinds, habits, words)


def _survey(
    path: str,
    data: bytes,
    surroundings: Surroundings,
    kinds: Collection[str],
    habits: Habits,
    words: WordChoices,
) -> FileSurvey:
    try:
        parsed = parse(data)
    except UnreadableSource as problem:
        return FileSurvey(path, data.count(b"\n"), unread=str(problem))
    view = FileView(path, parsed, surroundings, habits, words)
    with deep_recursion():
        findings = [finding for kind in kinds for finding in KINDS[kind].detector(view)]
    if fences := fenced_lines(parsed.source, parsed.facts):
        findings = [each for each in findings if not any(_touches(each, lines) for lines in fences)]
    findings.sort(key=by_weight)
    looks_for_names = any(KINDS[kind].family == "names" for kind in kinds)
    usage = usage_of(parsed.source, parsed.facts, view.contexts.by_binding) if looks_for_names else None
    return FileSurvey(path, parsed.facts.n_lines, tuple(findings), usage=usage)


def _touches(finding: Finding, lines: range) -> bool:
    return lines.start <= finding.end.line and finding.start.line < lines.stop


def by_weight(finding: Finding) -> tuple[float, str, int, int]:
    """The order of findings: worst first, then as they stand."""
    return -finding.weight, finding.path, finding.start.line, finding.start.column
