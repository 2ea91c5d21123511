"""Pieces that several views are made of. Views give lines of text and leave no padding behind
them, so that what goes through a pipe is clean."""

from __future__ import annotations

from rich.text import Text

_TAB_WIDTH = 4


def one_line(*parts: tuple[str, str]) -> Text:
    """Text and style, part by part, on one line that a narrow terminal cuts rather than wraps."""
    return Text.assemble(*parts, no_wrap=True, overflow="ellipsis")


def code_line(margin: str, code: str, marked: slice | None = None) -> Text:
    """A line of code behind a margin; with `marked`, the line is lit and that part underlined."""
    body = Text(code, style="dim" if marked is None else "")
    if marked is not None:
        first, last, _ = marked.indices(len(code))
        body.stylize("bold underline", first, last)
    body.expand_tabs(_TAB_WIDTH)
    sign = "▸ " if marked is not None else "  "
    return Text.assemble((margin + sign, "dim"), body, no_wrap=True, overflow="ellipsis")


def counted(count: int, noun: str) -> str:
    """`1 file`, `1,200 files`."""
    return f"{count:,} {noun}" + ("" if count == 1 else "s")
