"""What a survey of many files comes to, and how it is stored.

A stored survey is two texts (JSON): a short one, from which the usual report can be printed, and one
with every finding.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from zephyrun.findings.finding import Finding, Remedy
from zephyrun.findings.surveying import FileSurvey, by_weight
from zephyrun.naming.questions import Question, Suggestion
from zephyrun.proof.remains import reader_asked_about
from zephyrun.source import Place

_MOST_KEPT = 50


class Summary(NamedTuple):
    """Totals, and the worst findings, worst first.

    `left_out` says of each file that was only read why, and `unread` of each that could not be read;
    `counts` and `weights` are totals by path; `waiting_for` says of modules of the project how many findings wait for a
    word about them.
    """

    n_files: int
    n_lines: int
    n_findings: int
    left_out: Mapping[str, str]
    unread: Mapping[str, str]
    by_kind: Mapping[str, int]
    by_remedy: Mapping[str, int]
    counts: Mapping[str, int]
    weights: Mapping[str, float]
    waiting_for: Mapping[str, int]
    worst: tuple[Finding, ...]


def summarize(
    surveys: Sequence[FileSurvey], left_out: Mapping[str, str]
) -> tuple[Summary, tuple[Finding, ...]]:
    """The summary of some files, and all their findings, worst first."""
    findings = tuple(sorted((each for survey in surveys for each in survey.findings), key=by_weight))
    weights: defaultdict[str, float] = defaultdict(float)
    for finding in findings:
        weights[finding.path] += finding.weight
    summary = Summary(
        len(surveys),
        sum(survey.n_lines for survey in surveys),
        len(findings),
        left_out,
        {survey.path: survey.unread for survey in surveys if survey.unread},
        Counter(finding.kind for finding in findings),
        Counter(finding.remedy.value for finding in findings),
        Counter(finding.path for finding in findings),
        weights,
        _waited_for(findings),
        findings[:_MOST_KEPT],
    )
    return summary, findings


def _waited_for(findings: Iterable[Finding]) -> dict[str, int]:
    """How many findings wait for a word about each module of the project, those most waited for first."""
    counts: Counter[str] = Counter()
    for finding in findings:
        counts.update({reader_asked_about(what) for what in finding.confirm} - {""})
    return dict(counts.most_common())


def summary_to_text(summary: Summary) -> str:
    """The short text of a stored survey."""
    # Imported here, as below: small surveys are not stored, and start-up should stay fast.
    import json

    return json.dumps([*summary[:-1], [_row(finding) for finding in summary.worst]])


def summary_from_text(text: str) -> Summary:
    """Read a stored summary. Errors: `ValueError` or `TypeError` for a text that is none."""
    import json

    *totals, rows = json.loads(text)
    return Summary._make([*totals, tuple(map(_finding, rows))])


def findings_to_text(findings: Iterable[Finding]) -> str:
    """The long text of a stored survey, or of one file's."""
    import json

    return json.dumps([_row(finding) for finding in findings])


def findings_from_text(text: str) -> tuple[Finding, ...]:
    """Read stored findings. Errors: `ValueError` or `TypeError` for a text that holds none."""
    import json

    return tuple(map(_finding, json.loads(text)))


def _row(finding: Finding) -> list[Any]:
    return [
        finding.kind,
        finding.path,
        finding.start.line,
        finding.start.column,
        finding.end.line,
        finding.end.column,
        finding.subject,
        finding.scope,
        finding.ordinal,
        finding.message,
        finding.weight,
        finding.remedy.value,
        [(each.text, each.score, each.evidence) for each in finding.suggestions],
        finding.confirm,
        finding.question.as_row() if finding.question is not None else None,
        finding.is_wide,
        finding.sort,
    ]


def _finding(row: Sequence[Any]) -> Finding:
    kind, path, line, column, end_line, end_column, *further = row
    subject, scope, ordinal, message, weight, remedy, suggestions, confirm, question, is_wide, sort = further
    return Finding(
        kind,
        path,
        Place(line, column),
        Place(end_line, end_column),
        subject,
        scope,
        ordinal,
        message,
        weight,
        Remedy(remedy),
        tuple(Suggestion(text, score, tuple(evidence)) for text, score, evidence in suggestions),
        tuple(confirm),
        Question.from_row(question) if question is not None else None,
        bool(is_wide),
        sort,
    )
