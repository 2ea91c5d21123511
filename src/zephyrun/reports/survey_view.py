"""A survey as a person reads it: worst first, the code in view, and why it matters."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from zephyrun.findings import FAMILIES, KINDS, FileSurvey, Finding
from zephyrun.source import SourceText

_CONTEXT_LINES = 1
_REMEDY_STYLES = {"safe": "green", "review": "yellow", "none": "dim"}
_BAR_WIDTH = 10
_HEAVY_WEIGHT = 8.0


def survey_view(
    surveys: Sequence[FileSurvey], shown: Sequence[Finding], all_findings: Sequence[Finding], root: Path
) -> Iterator[RenderableType]:
    """The parts of the report in order: findings, files not read, totals."""
    for finding in shown:
        yield Padding(_finding(finding, root), (0, 0, 1, 0))
    for survey in surveys:
        if survey.unread:
            yield Text.assemble(("not read  ", "yellow"), survey.path, f": {survey.unread}")
    yield _totals(surveys, all_findings)


def _finding(finding: Finding, root: Path) -> RenderableType:
    head = Text.assemble(
        (f"{_weight_bar(finding.weight)} ", "magenta"),
        (finding.kind, "bold"),
        "  ",
        (f"{finding.path}:{finding.start.line}", "cyan"),
        (f"  in {finding.scope}" if finding.scope else "", "dim"),
        no_wrap=True,
        overflow="ellipsis",
    )
    parts: list[RenderableType] = [head, Padding(_code(finding, root), (0, 0, 0, 2))]
    parts.append(Padding(Text(finding.message), (0, 0, 0, 2)))
    parts.extend(Padding(each, (0, 0, 0, 2)) for each in _remedies(finding))
    return Group(*parts)


def _weight_bar(weight: float) -> str:
    full = min(_BAR_WIDTH, max(1, round(_BAR_WIDTH * weight / _HEAVY_WEIGHT)))
    return f"{weight:4.1f} " + "▰" * full + "▱" * (_BAR_WIDTH - full)


def _code(finding: Finding, root: Path) -> RenderableType:
    """The line of the finding between its neighbours, the subject marked."""
    source = SourceText.from_bytes((root / finding.path).read_bytes(), strict=False)
    first = max(1, finding.start.line - _CONTEXT_LINES)
    last = min(source.n_lines, finding.start.line + _CONTEXT_LINES)
    table = Table.grid(padding=(0, 1))
    table.add_column(justify="right", style="dim", no_wrap=True)
    table.add_column(no_wrap=True, overflow="ellipsis")
    for number in range(first, last + 1):
        is_here = number == finding.start.line
        line = Text(source.line(number), style="" if is_here else "dim")
        if is_here:
            end = finding.end.column if finding.end.line == number else len(line) + 1
            line.stylize("bold underline", finding.start.column - 1, end - 1)
        line.expand_tabs(4)
        table.add_row(f"{number} {'▸' if is_here else ' '}", line)
    return table


def _remedies(finding: Finding) -> Iterator[Text]:
    style = _REMEDY_STYLES[finding.remedy.value]
    if finding.suggestions:
        for index, each in enumerate(finding.suggestions[:3]):
            yield Text.assemble(
                ("better " if index == 0 else "    or ", "dim"),
                (each.text, f"bold {style}" if index == 0 else ""),
                (f"  {each.score:.0%} · {'; '.join(each.evidence)}", "dim"),
                no_wrap=True,
                overflow="ellipsis",
            )
    elif finding.kind == "echo-comment":
        yield Text.assemble(("better ", "dim"), ("without it", f"bold {style}"))
    else:
        yield Text("no better name stands in the code: give one in the plan", style="dim")


def _totals(surveys: Sequence[FileSurvey], findings: Sequence[Finding]) -> RenderableType:
    n_lines = sum(survey.n_lines for survey in surveys)
    by_kind = Counter(finding.kind for finding in findings)
    table = Table.grid(padding=(0, 2))
    table.add_column(style="bold")
    table.add_column(justify="right")
    table.add_column(style="dim")
    for kind in sorted(by_kind, key=lambda each: FAMILIES.index(KINDS[each].family)):
        table.add_row(kind, str(by_kind[kind]), KINDS[kind].reason)
    remedies = Counter(finding.remedy.value for finding in findings)
    summary = Text.assemble(
        (f"{len(findings)} findings", "bold"),
        f" in {_number(len(surveys), 'file')} and {_number(n_lines, 'line')}",
        f": {remedies['safe']} can be changed safely, {remedies['review']} after you confirm something",
        f", {remedies['none']} are only told" if remedies["none"] else "",
    )
    return Group(summary, table) if findings else summary


def _number(count: int, noun: str) -> str:
    return f"{count:,} {noun}" + ("" if count == 1 else "s")
