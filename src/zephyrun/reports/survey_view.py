"""A survey as a person reads it: worst first, the code in view, and why it matters."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cache

from zephyrun.findings import FAMILIES, KINDS, Finding, Remedy
from zephyrun.findings.summary import Summary
from zephyrun.reports.lines import StyledLine, code_line, counted, one_line, wrapped_line
from zephyrun.source import SourceText

_CONTEXT_LINES = 1
_MOST_LINES = 8
_MOST_SUGGESTIONS = 3
_REMEDY_STYLES = {"safe": "green", "review": "yellow", "none": "dim"}
_REMEDIES = {
    "safe": "can be changed safely",
    "review": "after you confirm something",
    "none": "only told",
}
_MANY_FILES = 5
# From how many findings on, or which share of all, it is worth a look at what they wait for; and how much is named.
_MANY_WAITING = 10
_LARGE_SHARE = 0.1
_MOST_READERS = 3
_BAR_WIDTH = 10
_HEAVY_WEIGHT = 8.0
_KIND_WIDTH = max(map(len, KINDS)) + 1


def survey_view(
    summary: Summary,
    shown: Iterable[Finding],
    source_of: Callable[[str], SourceText],
    shown_path: Callable[[str], str],
) -> Iterator[StyledLine]:
    """The lines of the report in order: the findings to be shown, what was not read or left out,
    totals.

    `source_of` gives a file's text and `shown_path` its path for people, both by path below the root.
    """
    source_of = cache(source_of)
    for finding in shown:
        yield from _finding(finding, source_of(finding.path), shown_path(finding.path))
        yield wrapped_line()
    for path, reason in summary.unread.items():
        yield wrapped_line(("not read  ", "yellow"), shown_path(path), f": {reason}")
    yield from _left_out(summary.left_out, shown_path)
    yield from _totals(summary)
    yield from _waiting(summary)
    yield from _worst_files(summary, shown_path)


def _left_out(left_out: Mapping[str, str], shown_path: Callable[[str], str]) -> Iterator[StyledLine]:
    """How many files were read and not surveyed, and why; the first of each sort by name."""
    by_reason: dict[str, list[str]] = {}
    for path, reason in left_out.items():
        by_reason.setdefault(str(reason), []).append(path)
    for reason, paths in by_reason.items():
        others = f" and {len(paths) - 1} more" if len(paths) > 1 else ""
        yield wrapped_line(
            ("left out  ", "yellow"), f"{shown_path(paths[0])}{others}: {reason}; name it to survey it"
        )


def _worst_files(summary: Summary, shown_path: Callable[[str], str]) -> Iterator[StyledLine]:
    """Where most is to be done, for projects of several files."""
    if len(summary.counts) < _MANY_FILES:
        return
    yield wrapped_line(("worst files, by weight:", "dim"))
    ranked = sorted(summary.weights.items(), key=lambda entry: (-entry[1], entry[0]))
    for path, weight in ranked[:_MANY_FILES]:
        yield one_line(
            (f"  {weight:>5,.0f} ", "bold"),
            (shown_path(path), "cyan"),
            (f"  {counted(summary.counts[path], 'finding')}", "dim"),
        )


def _finding(finding: Finding, source: SourceText, path: str) -> Iterator[StyledLine]:
    yield one_line(
        (f"{_weight_bar(finding.weight)} ", "magenta"),
        (finding.kind, "bold"),
        ("  ", ""),
        (f"{path}:{finding.start.line}", "cyan"),
        (f"  in {finding.scope}" if finding.scope else "", "dim"),
    )
    yield from _code(finding, source)
    yield wrapped_line(f"  {finding.message}")
    yield from _remedies(finding)


def _weight_bar(weight: float) -> str:
    full = min(_BAR_WIDTH, max(1, round(_BAR_WIDTH * weight / _HEAVY_WEIGHT)))
    return "▰" * full + "▱" * (_BAR_WIDTH - full) + f" {weight:.1f}"


def _code(finding: Finding, source: SourceText) -> Iterator[StyledLine]:
    """The lines of the finding between their neighbours, the subject marked; long ones are cut."""
    start, end = finding.start, finding.end
    first = max(1, start.line - _CONTEXT_LINES)
    last = min(source.n_lines, end.line + _CONTEXT_LINES)
    last_shown = min(last, first + _MOST_LINES - 1)
    width = len(str(last_shown))
    for number in range(first, last_shown + 1):
        marked = None
        if start.line <= number <= end.line:
            begins = start.column - 1 if number == start.line else 0
            marked = slice(begins, end.column - 1 if number == end.line else None)
        yield code_line(f"  {number:>{width}} ", source.line(number), marked)
    if last_shown < last:
        yield wrapped_line((f"  {'':{width}} … {last - last_shown} lines more", "dim"))


def _remedies(finding: Finding) -> Iterator[StyledLine]:
    style = _REMEDY_STYLES[finding.remedy.value]
    for index, each in enumerate(finding.suggestions[:_MOST_SUGGESTIONS]):
        yield one_line(
            ("  better " if index == 0 else "      or ", "dim"),
            (each.text, f"bold {style}" if index == 0 else ""),
            (f"  {each.score:.0%} · {'; '.join(each.evidence)}", "dim"),
        )
    if finding.suggestions:
        return
    if KINDS[finding.kind].family == "layout":
        if finding.remedy is Remedy.NONE:
            yield wrapped_line(("  no way to mend it that could be proved", "dim"))
    elif KINDS[finding.kind].family == "comments":
        yield one_line(("  better ", "dim"), ("without it", f"bold {style}"))
    elif finding.remedy is not Remedy.NONE:
        yield wrapped_line(("  no better name stands in the code: give one in the plan", "dim"))


def _waiting(summary: Summary) -> Iterator[StyledLine]:
    """Which modules to look at, where many findings wait for a word about them."""
    many = max(_MANY_WAITING, summary.n_findings * _LARGE_SHARE)
    readers = [reader for reader, count in summary.waiting_for.items() if count >= many]
    if not readers:
        return
    named = ", ".join(readers[:_MOST_READERS])
    others = f" and {len(readers) - _MOST_READERS} more" if len(readers) > _MOST_READERS else ""
    yield wrapped_line(
        ("waiting  ", "yellow"),
        f"up to {summary.waiting_for[readers[0]]:,} of these wait for a word about {named}{others}: "
        "what minds no other names goes into the setting `harmless_readers`",
    )


def _totals(summary: Summary) -> Iterator[StyledLine]:
    counts = summary.by_remedy
    parts = [f"{counts[each]:,} {meaning}" for each, meaning in _REMEDIES.items() if each in counts]
    yield wrapped_line(
        (counted(summary.n_findings, "finding"), "bold"),
        f" in {counted(summary.n_files, 'file')} and {counted(summary.n_lines, 'line')}",
        ": " + ", ".join(parts) if parts else "",
    )
    for kind in sorted(summary.by_kind, key=lambda each: FAMILIES.index(KINDS[each].family)):
        count = f"  {summary.by_kind[kind]:>5,} "
        family = KINDS[kind].family
        yield one_line((count, "bold"), f"{family:10}", f"{kind:{_KIND_WIDTH}}", (KINDS[kind].reason, "dim"))
