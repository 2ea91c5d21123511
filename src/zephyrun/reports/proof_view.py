"""A proof as a person reads it: the verdict, what was recognised, and each difference in view."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from zephyrun.proof import Difference, FileProof, TreeProof, Verdict
from zephyrun.source import SourceText

_STYLES = {Verdict.SAME: "bold green", Verdict.DIFFERENT: "bold red", Verdict.UNPROVEN: "bold yellow"}
_MEANINGS = {
    Verdict.SAME: "both versions do the same",
    Verdict.DIFFERENT: "a running program could tell the versions apart",
    Verdict.UNPROVEN: "not shown to do the same",
}
# Given a path and a side ("old" or "new"), the text of that file, or None.
TextOf = Callable[[str, str], SourceText | None]


def proof_view(proof: TreeProof, text_of: TextOf) -> Iterator[RenderableType]:
    """The parts of the report in order: files that changed, assumptions, the verdict."""
    for path, file_proof in proof.files:
        if file_proof.edits or file_proof.differences:
            yield Padding(_file(path, file_proof, text_of), (0, 0, 1, 0))
    for what in proof.assumptions:
        yield Text.assemble(("assumed  ", "yellow"), what)
    n_unchanged = sum(not each.edits and not each.differences for _, each in proof.files)
    yield Text.assemble(
        (proof.verdict.value, _STYLES[proof.verdict]),
        f": {_MEANINGS[proof.verdict]}",
        (f" ({len(proof.files)} files compared, {n_unchanged} of them unchanged)", "dim"),
    )


def _file(path: str, proof: FileProof, text_of: TextOf) -> RenderableType:
    head = Text.assemble(
        (f"{proof.verdict.value:9}", _STYLES[proof.verdict]),
        (path, "cyan"),
        ("  " + ", ".join(proof.edit_texts()), "") if proof.edits else "",
    )
    parts: list[RenderableType] = [head]
    parts.extend(Padding(_difference(path, each, text_of), (0, 0, 0, 2)) for each in proof.differences)
    return Group(*parts)


def _difference(path: str, difference: Difference, text_of: TextOf) -> RenderableType:
    table = Table.grid(padding=(0, 1))
    table.add_column(style="dim", no_wrap=True)
    table.add_column(justify="right", style="dim", no_wrap=True)
    table.add_column(no_wrap=True, overflow="ellipsis")
    lines = (("old", difference.old_line), ("new", difference.new_line))
    for side, number in lines:
        source = text_of(path, side)
        if number and source is not None and number <= source.n_lines:
            line = Text(source.line(number))
            line.expand_tabs(4)
            table.add_row(side, str(number), line)
    return Group(Text(difference.what), table)
