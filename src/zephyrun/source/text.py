"""`SourceText`: the text of one file, with a way back to its exact bytes.

Words used here:

- *offset*: an index into `SourceText.text`, counted in Unicode code points. The byte order mark
  is not part of the text.
- *line end*: `\\n`, `\\r\\n` or a lone `\\r`, and nothing else. Form feeds, vertical tabs and the
  Unicode line separators stand inside lines, as programming languages have it.
"""

from __future__ import annotations

import codecs
import re
from bisect import bisect_right
from dataclasses import dataclass, field
from functools import cached_property
from itertools import accumulate
from typing import NamedTuple

from zephyrun.patterns import lazy_pattern

BYTE_ORDER_MARK = codecs.BOM_UTF8

_LINE_END = lazy_pattern(r"\r\n|\r|\n")
_LINE_END_BYTES = lazy_pattern(rb"\r\n|\r|\n")
# PEP 263: a comment in one of the first two lines, the first of them being blank or a comment.
_COOKIE = lazy_pattern(rb"^[ \t\f]*#.*?coding[:=][ \t]*([-\w.]+)")
_BLANK_OR_COMMENT = lazy_pattern(rb"^[ \t\f]*(?:#.*)?$")
_PRINTABLE_ASCII = bytes(range(0x20, 0x7F)) + b"\t\r\n\f"
_CLAIM_LENGTH_READ = 12


class UnreadableText(ValueError):
    """The bytes are not text in the encoding that the file claims; the message says why."""


class Place(NamedTuple):
    """Where something begins in one file; 1-based, columns in Unicode code points (not bytes)."""

    line: int
    column: int


def declared_encoding(data: bytes) -> str:
    """Name the encoding that `data` claims to be in, `utf-8` where it claims nothing.

    Errors: `UnreadableText` for an unknown encoding, for one in which ASCII characters do not
    stand for themselves, and for a byte order mark that contradicts the claim.
    Source: PEP 263.
    """
    has_mark = data.startswith(BYTE_ORDER_MARK)
    claim = _claimed_encoding(data[len(BYTE_ORDER_MARK) :] if has_mark else data)
    if claim is None:
        return "utf-8"
    encoding = _canonical_encoding(claim)
    # The interpreter takes no other spelling beside a mark, not even `utf8`.
    if has_mark and not claim.lower().replace("_", "-").startswith("utf-8"):
        raise UnreadableText(f"the byte order mark says utf-8, the comment says {claim}")
    return encoding


def _claimed_encoding(data: bytes) -> str | None:
    lines = _LINE_END_BYTES.split(data, maxsplit=2)[:2]
    for line in lines:
        if match := _COOKIE.match(line):
            return match[1].decode("ascii", "replace")
        if not _BLANK_OR_COMMENT.match(line):
            return None
    return None


def _canonical_encoding(claim: str) -> str:
    spelling = claim[:_CLAIM_LENGTH_READ].lower().replace("_", "-")
    if spelling == "utf-8" or spelling.startswith("utf-8-"):
        return "utf-8"
    if re.match(r"(latin-1|iso-8859-1|iso-latin-1)(-|$)", spelling):
        return "iso-8859-1"
    try:
        encoding = codecs.lookup(claim).name
        keeps_ascii = _PRINTABLE_ASCII.decode(encoding) == _PRINTABLE_ASCII.decode("ascii")
    except Exception as problem:
        # A codec may raise anything; some are not text encodings at all.
        raise UnreadableText(f"unknown encoding {claim}") from problem
    if not keeps_ascii:
        raise UnreadableText(f"the encoding {claim} is not supported")
    return encoding


@dataclass(frozen=True)
class SourceText:
    """One file's text. Make it with `SourceText.from_bytes`; `to_bytes` gives the same bytes back.

    `is_exact` is false where some bytes did not fit the encoding: such a text can be searched and
    written back, but it is not valid source.
    """

    text: str
    encoding: str = "utf-8"
    has_mark: bool = False
    is_exact: bool = True
    data: bytes = field(default=b"", repr=False)

    @classmethod
    def from_bytes(cls, data: bytes, *, strict: bool = True) -> SourceText:
        """Decode `data` by its byte order mark, its coding comment, or as UTF-8.

        With `strict=False`, bytes that do not fit become lone surrogates and come back unchanged.
        Errors: `UnreadableText`, only with `strict=True`.
        """
        has_mark = data.startswith(BYTE_ORDER_MARK)
        body = data[len(BYTE_ORDER_MARK) :] if has_mark else data
        try:
            encoding = declared_encoding(data)
            return cls(body.decode(encoding), encoding, has_mark, True, data)
        except UnicodeDecodeError as problem:
            if strict:
                line = len(_LINE_END_BYTES.findall(body[: problem.start])) + 1
                raise UnreadableText(
                    f"line {line}: the bytes are not valid {problem.encoding}"
                ) from problem
        except UnreadableText:
            if strict:
                raise
        return cls(body.decode("utf-8", "surrogateescape"), "utf-8", has_mark, False, data)

    def to_bytes(self) -> bytes:
        """Give back the bytes that this text was read from."""
        return self.data

    @cached_property
    def line_starts(self) -> list[int]:
        """The offset at which each line begins; the first is 0, one entry a line."""
        if "\r" not in self.text:
            # As most files are written: three times as fast as a search.
            lengths = accumulate(len(line) + 1 for line in self.text.split("\n"))
            return [0, *lengths][:-1]
        return [0, *(match.end() for match in _LINE_END.finditer(self.text))]

    @cached_property
    def is_ascii(self) -> bool:
        """Whether offsets and bytes count alike throughout."""
        return self.text.isascii()

    @property
    def n_lines(self) -> int:
        """How many lines a reader counts: a last line end opens no further line."""
        starts = self.line_starts
        return len(starts) - (starts[-1] == len(self.text))

    def line_of(self, offset: int) -> int:
        """The 1-based line in which `offset` stands."""
        return bisect_right(self.line_starts, offset)

    def place(self, offset: int) -> Place:
        """The line and column of `offset`. A place between `\\r` and `\\n` belongs to their line."""
        line = bisect_right(self.line_starts, offset)
        return Place(line, offset - self.line_starts[line - 1] + 1)

    def offset(self, place: Place) -> int:
        """The offset of `place`. Errors: `ValueError` when the text has no such place."""
        if not 1 <= place.line <= len(self.line_starts):
            raise ValueError(f"there is no line {place.line}")
        start = self.line_starts[place.line - 1]
        following = self.line_starts[place.line :]
        end = following[0] if following else len(self.text) + 1
        if not 1 <= place.column <= end - start:
            raise ValueError(f"line {place.line} has no column {place.column}")
        return start + place.column - 1

    def line(self, number: int) -> str:
        """The text of the 1-based line `number`, without its line end."""
        start = self.line_starts[number - 1]
        match = _LINE_END.search(self.text, start)
        return self.text[start : match.start() if match else len(self.text)]

    def offset_of_utf8(self, line: int, n_bytes: int) -> int:
        """The offset that lies `n_bytes` bytes, counted in UTF-8, into the 1-based `line`.

        Parsers count columns so, whatever the encoding of the file. `n_bytes` may reach beyond
        the line end.
        """
        start = self.line_starts[line - 1]
        if self.is_ascii:
            return start + n_bytes
        # A code point has at least one byte, so this slice is long enough.
        ahead = self.text[start : start + n_bytes]
        if ahead.isascii():
            return start + n_bytes
        return start + len(ahead.encode("utf-8", "surrogatepass")[:n_bytes].decode("utf-8", "ignore"))

    def byte_offset(self, offset: int) -> int:
        """How many bytes of the file lie before `offset`, the byte order mark included."""
        mark = len(BYTE_ORDER_MARK) if self.has_mark else 0
        if self.is_ascii and self.encoding == "utf-8":
            return mark + offset
        return mark + self._byte_starts[offset]

    @cached_property
    def _byte_starts(self) -> list[int]:
        """For each offset (and the end of the text) the number of bytes before it, mark left out."""
        if self.encoding in ("utf-8", "iso-8859-1"):
            errors = "strict" if self.is_exact else "surrogateescape"
            starts, total = [0], 0
            for character in self.text:
                total += len(character.encode(self.encoding, errors))
                starts.append(total)
            return starts
        # Multi-byte and stateful encodings: encoding a character by itself need not give the bytes
        # that stand in the file, so the file's own bytes are counted through the decoder.
        decoder = codecs.getincrementaldecoder(self.encoding)()
        body = self.data[len(BYTE_ORDER_MARK) :] if self.has_mark else self.data
        starts = [0]
        for index in range(len(body)):
            decoded = decoder.decode(body[index : index + 1])
            starts.extend([index + 1] * len(decoded))
        starts.extend([len(body)] * (len(self.text) + 1 - len(starts)))
        starts[-1] = len(body)
        return starts
