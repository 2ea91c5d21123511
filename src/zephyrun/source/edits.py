"""`Edit` and `EditSet`: replacements that do not overlap, carried out in one pass.

Bytes outside an edit never change. That is checked after the fact and not only intended: the
edited bytes must decode to exactly the edited text.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from zephyrun.source.text import SourceText, UnreadableText


class Overlap(ValueError):
    """Two edits claim the same text, or insert at the same place."""


@dataclass(frozen=True, order=True)
class Edit:
    """Replace the text from offset `start` up to `end` by `text`; `start == end` inserts."""

    start: int
    end: int
    text: str

    def __post_init__(self) -> None:
        if not 0 <= self.start <= self.end:
            raise ValueError(f"an edit cannot reach from {self.start} to {self.end}")


class EditSet:
    """Edits of one text, kept in text order. Adding the same edit twice is adding it once."""

    def __init__(self, edits: Iterable[Edit] = ()) -> None:
        self._edits: list[Edit] = []
        for edit in edits:
            self.add(edit)

    def __iter__(self) -> Iterator[Edit]:
        return iter(self._edits)

    def __len__(self) -> int:
        return len(self._edits)

    def add(self, edit: Edit) -> None:
        """Add one edit. Errors: `Overlap` when it meets another; the set is then unchanged.

        Edits that only touch (one ends where the next begins) are fine, two insertions at one
        place are not: nothing would say which comes first.
        """
        index = bisect_left(self._edits, edit)
        for neighbour in self._edits[max(index - 1, 0) : index + 1]:
            if neighbour == edit:
                return
            if _overlap(neighbour, edit):
                raise Overlap(f"two edits meet at offset {max(neighbour.start, edit.start)}")
        self._edits.insert(index, edit)

    def merge(self, other: EditSet) -> None:
        """Add all edits of `other`, or none. Errors: `Overlap`."""
        before = list(self._edits)
        try:
            for edit in other:
                self.add(edit)
        except Overlap:
            self._edits = before
            raise

    def apply_to_text(self, text: str) -> str:
        """The edited text. Errors: `ValueError` when an edit reaches beyond the end."""
        pieces: list[str] = []
        position = 0
        for edit in self._edits:
            if edit.end > len(text):
                raise ValueError(f"an edit ends at {edit.end}, the text at {len(text)}")
            pieces += (text[position : edit.start], edit.text)
            position = edit.end
        pieces.append(text[position:])
        return "".join(pieces)

    def apply(self, source: SourceText) -> bytes:
        """The edited bytes; every byte outside the edits is the one that was there.

        Errors: `UnreadableText` when a new text cannot be written in the file's encoding, or when
        the encoding keeps a state that the edit would upset.
        """
        expected = self.apply_to_text(source.text)
        pieces: list[bytes] = []
        position = 0
        data = source.to_bytes()
        try:
            for edit in self._edits:
                pieces.append(data[position : source.byte_offset(edit.start)])
                pieces.append(edit.text.encode(source.encoding))
                position = source.byte_offset(edit.end)
        except UnicodeEncodeError as problem:
            raise UnreadableText(
                f"{problem.object[problem.start : problem.end]!r} cannot be written in {source.encoding}"
            ) from problem
        edited = b"".join([*pieces, data[position:]])
        if SourceText.from_bytes(edited, strict=source.is_exact).text != expected:
            raise UnreadableText(f"the encoding {source.encoding} does not allow this edit")
        return edited


def _overlap(first: Edit, second: Edit) -> bool:
    if first.start == second.start:
        # An insertion just before a replacement is in order; all else at one start is not.
        return (first.start == first.end) == (second.start == second.end)
    left, right = (first, second) if first.start < second.start else (second, first)
    return left.end > right.start
