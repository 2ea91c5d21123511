"""Pieces that several views are made of.

Views give lines of styled parts. How they come out is for the commands to say: in colour on a terminal,
or as plain text. They leave no padding behind them, so that what goes through a pipe is clean.
"""

from __future__ import annotations

from typing import NamedTuple

_TAB_WIDTH = 4
# What moves the cursor or rings a bell is shown as a picture of itself (Unicode, Control Pictures).
_DELETE = 0x7F
_PICTURES = {
    **{code: 0x2400 + code for code in range(0x20) if chr(code) not in "\n\t"},
    _DELETE: 0x2421,
    **dict.fromkeys(range(0x80, 0xA0), 0xFFFD),
}

# Stands for a space at which no line is broken. For private use in Unicode, so that no text holds it.
_KEPT_SPACE = "\ue000"
# A text, alone or with its style (words such as `bold`, `dim` and colours).
Part = str | tuple[str, str]


class StyledLine(NamedTuple):
    """One line of a report. One that `is_cut` ends at the edge of a narrow terminal instead of going on
    below."""

    parts: tuple[tuple[str, str], ...] = ()
    is_cut: bool = False

    @property
    def plain(self) -> str:
        """The line without styles."""
        return with_spaces("".join(text for text, _ in self.parts))


def kept_together(text: str) -> str:
    """A text at whose spaces no line is to be broken."""
    return text.replace(" ", _KEPT_SPACE)


def with_spaces(text: str) -> str:
    """A text as it is shown, once it has been broken into lines."""
    return text.replace(_KEPT_SPACE, " ")


def wrapped_line(*parts: Part) -> StyledLine:
    """A line that a narrow terminal wraps."""
    return StyledLine(tuple(map(_styled, parts)))


def one_line(*parts: Part) -> StyledLine:
    """A line that a narrow terminal cuts."""
    return StyledLine(tuple(map(_styled, parts)), is_cut=True)


def _styled(part: Part) -> tuple[str, str]:
    text, style = (part, "") if isinstance(part, str) else part
    return text.translate(_PICTURES), style


def code_line(margin: str, code: str, marked: slice | None = None) -> StyledLine:
    """A line of code behind a margin; with `marked`, the line is lit and that part underlined."""
    if marked is None:
        return one_line((f"{margin}  {code.expandtabs(_TAB_WIDTH)}", "dim"))
    first, last, _ = marked.indices(len(code))
    start, end = (len(code[:cut].expandtabs(_TAB_WIDTH)) for cut in (first, last))
    body = code.expandtabs(_TAB_WIDTH)
    underlined = (body[start:end], "bold underline")
    return one_line((f"{margin}▸ ", "dim"), body[:start], underlined, body[end:])


def counted(count: int, noun: str) -> str:
    """`1 file`, `1,200 files`."""
    return f"{count:,} {noun}" + ("" if count == 1 else "s")
