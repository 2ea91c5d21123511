"""A proof as a person reads it: the verdict, what was recognised, and each difference in view."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from zephyrun.proof.trees import TreeProof
from zephyrun.proof.verdict import Difference, Verdict
from zephyrun.reports.lines import StyledLine, code_line, counted, kept_together, wrapped_line
from zephyrun.source import SourceText

_STYLES = {Verdict.SAME: "bold green", Verdict.DIFFERENT: "bold red", Verdict.UNPROVEN: "bold yellow"}
_MEANINGS = {
    Verdict.SAME: "both versions do the same",
    Verdict.DIFFERENT: "a running program could tell the versions apart",
    Verdict.UNPROVEN: "not shown to do the same",
}
_WIDEST_PATH = 50
# Given a path and a side ("old" or "new"), the text of that file, or None.
TextOf = Callable[[str, str], SourceText | None]


def proof_view(proof: TreeProof, text_of: TextOf) -> Iterator[StyledLine]:
    """The lines of the report in order: files that changed, assumptions, the verdict."""
    changed = [(path, each) for path, each in proof.files if each.edits or each.differences]
    width = min(max((len(path) for path, _ in changed), default=0), _WIDEST_PATH)
    for path, file_proof in changed:
        edits = ", ".join(map(kept_together, file_proof.edit_texts()))
        yield wrapped_line(
            (f"{file_proof.verdict.value:10}", _STYLES[file_proof.verdict]),
            (f"{path:{width}}" if edits else path, "cyan"),
            (f"  {edits}" if edits else "", ""),
        )
        for difference in file_proof.differences:
            yield from _difference(path, difference, text_of)
    if changed:
        yield wrapped_line()
    for reason in proof.reasons:
        yield wrapped_line(("not shown ", "yellow"), reason)
    for what in proof.assumptions:
        yield wrapped_line(("assumed   ", "yellow"), what)
    n_unchanged = len(proof.files) - len(changed)
    yield wrapped_line(
        (f"{proof.verdict.value:10}", _STYLES[proof.verdict]),
        _MEANINGS[proof.verdict],
        (f" ({counted(len(proof.files), 'file')} compared, {n_unchanged} unchanged)", "dim"),
    )


def _difference(path: str, difference: Difference, text_of: TextOf) -> Iterator[StyledLine]:
    yield wrapped_line(f"  {difference.what}")
    for side, number in (("old", difference.old_line), ("new", difference.new_line)):
        source = text_of(path, side)
        if number and source is not None and number <= source.n_lines:
            yield code_line(f"    {side} {number:>4} ", source.line(number), slice(0, 0))
