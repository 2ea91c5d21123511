"""Where comments and text literals stand in Python source, and what f-strings hold.

The scanner assumes text that the interpreter has accepted; on anything else it finds something
harmless. It exists because the standard tokenizer costs twice a compile.

Source: language reference 2.4 (literals) and 2.4.3 (f-strings); PEP 701 for `nested_quotes`.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator
from functools import cache
from typing import NamedTuple

from zephyrun.patterns import lazy_pattern

# Whether the running interpreter reads f-strings with their own quotes inside (PEP 701).
NESTED_QUOTES = sys.version_info >= (3, 12)

_TRIPLE_DOUBLE = r'"""[^"\\]*(?:(?:\\.|"(?!""))[^"\\]*)*"""'
_TRIPLE_SINGLE = r"'''[^'\\]*(?:(?:\\.|'(?!''))[^'\\]*)*'''"
_DOUBLE = r'"[^"\\\r\n]*(?:\\(?:\r\n|.)[^"\\\r\n]*)*"'
_SINGLE = r"'[^'\\\r\n]*(?:\\(?:\r\n|.)[^'\\\r\n]*)*'"
_PREFIX = r"(?:\b(?i:r[bf]?|br?|fr?|u))?"
_LITERAL = f"(?:{_TRIPLE_DOUBLE}|{_TRIPLE_SINGLE}|{_DOUBLE}|{_SINGLE})"
# Without prefixes and groups each choice begins with a fixed character, which makes a search fast.
PLAIN_MARK = rf"\#[^\r\n]*|{_TRIPLE_DOUBLE}|{_TRIPLE_SINGLE}|{_DOUBLE}|{_SINGLE}"
_PLAIN_MARK = lazy_pattern(PLAIN_MARK, re.DOTALL)
_PREFIXES = frozenset({"r", "b", "f", "u", "rb", "br", "rf", "fr"})
_LONGEST_PREFIX = 2

_F_PREFIX = r"\b(?i:rf|fr|f)"
_QUOTE = r"\"\"\"|'''|\"|'"
_COMMENT_OR_TEXT = rf"(?P<comment>\#[^\r\n]*)|(?P<text>{_PREFIX}{_LITERAL})"
_OPENING_OR_TEXT = (
    rf"(?P<comment>\#[^\r\n]*)|(?P<opening>{_F_PREFIX}(?:{_QUOTE}))|(?P<text>{_PREFIX}{_LITERAL})"
)
_FIELD_PART = (
    rf"{_OPENING_OR_TEXT}"
    r"|(?P<open>[(\[{])|(?P<close>[)\]}])|(?P<relation>[!=<>]=|:=)|(?P<end>[!:=])"
)
_OPENING = rf"(?P<prefix>[A-Za-z]*)(?P<quote>{_QUOTE})"


@cache
def _compiled(pattern: str) -> re.Pattern[str]:
    """A pattern that only f-strings need: to compile all of them takes as long as a small survey."""
    return re.compile(pattern, re.DOTALL)


class Scan(NamedTuple):
    """Ranges of the comments and of the text literals, each in text order.

    An f-string counts as one literal, whatever it holds.
    """

    comments: list[tuple[int, int]]
    texts: list[tuple[int, int]]


class Field(NamedTuple):
    """One replacement field of an f-string: the range of its expression, and whether the field
    shows the expression's own text (`{weight=}`)."""

    start: int
    end: int
    shows_itself: bool


def scan(text: str, start: int = 0, end: int | None = None, *, nested_quotes: bool = False) -> Scan:
    """Find comments and text literals of `text` between two offsets.

    `nested_quotes` reads f-strings as Python 3.12 and later do.
    """
    comments: list[tuple[int, int]] = []
    texts: list[tuple[int, int]] = []
    position, limit = start, len(text) if end is None else end
    if not nested_quotes:
        for first, last in (found.span() for found in _PLAIN_MARK.finditer(text, start, limit)):
            if text[first] == "#":
                comments.append((first, last))
            else:
                texts.append((_with_prefix(text, first, start), last))
        return Scan(comments, texts)
    # With PEP 701 an f-string may hold its own quotes, so only its beginning can be matched at once.
    nested_mark = _compiled(_OPENING_OR_TEXT)
    while match := nested_mark.search(text, position, limit):
        position = match.end()
        if match.lastgroup == "comment":
            comments.append(match.span())
        elif match.lastgroup == "text":
            texts.append(match.span())
        else:
            position = _end_of_nested(text, match.start(), limit, comments)
            texts.append((match.start(), position))
    return Scan(comments, texts)


def _with_prefix(text: str, quote: int, limit: int) -> int:
    """Where the literal begins whose first quote is given: at its prefix, if it has one."""
    first = quote
    while first > limit and (text[first - 1].isalnum() or text[first - 1] == "_"):
        first -= 1
        if quote - first > _LONGEST_PREFIX:
            return quote
    return first if text[first:quote].lower() in _PREFIXES else quote


def _end_of_nested(text: str, start: int, limit: int, comments: list[tuple[int, int]]) -> int:
    """The end of the f-string that begins at `start`; comments inside its fields are noted."""
    opening = _compiled(_OPENING).match(text, start)
    assert opening is not None, "only called where an f-string begins"
    reader = _FormattedText(text, opening, limit, nested_quotes=True, comments=comments)
    for _ in reader.fields():
        pass
    return reader.position


def fields(text: str, start: int, end: int, *, nested_quotes: bool) -> list[Field]:
    """The replacement fields of all f-strings between two offsets, as the tree lists them: each
    field before those of its own format specification.

    The range is one text expression: literals side by side, with comments and line ends between.
    Fields of an f-string inside a field are not listed; ask again for that range.
    """
    found: list[Field] = []
    for first, last in scan(text, start, end, nested_quotes=nested_quotes).texts:
        opening = _compiled(_OPENING).match(text, first)
        if opening is not None and "f" in opening["prefix"].lower():
            reader = _FormattedText(text, opening, last, nested_quotes=nested_quotes, comments=[])
            found.extend(reader.fields())
    return found


class _FormattedText:
    """Reads one f-string from its opening quote on; `position` is where it has come to."""

    def __init__(
        self,
        text: str,
        opening: re.Match[str],
        limit: int,
        *,
        nested_quotes: bool,
        comments: list[tuple[int, int]],
    ) -> None:
        self.text = text
        self.limit = limit
        self.position = opening.end()
        self.nested_quotes = nested_quotes
        self.comments = comments
        self._quote = opening["quote"]
        self._is_raw = "r" in opening["prefix"].lower()

    def fields(self) -> Iterator[Field]:
        yield from self._literal(in_format=False)

    def _literal(self, *, in_format: bool) -> Iterator[Field]:
        """Read literal text up to the closing quote, or to the `}` that ends a format."""
        text = self.text
        while self.position < self.limit:
            character = text[self.position]
            if not in_format and text.startswith(self._quote, self.position):
                self.position += len(self._quote)
                return
            if character == "\\" and not (in_format and self._is_raw):
                self._skip_escape()
            elif character == "{" and not in_format and text.startswith("{{", self.position):
                self.position += 2
            elif character == "{":
                self.position += 1
                yield from self._field()
            elif character == "}" and in_format:
                return
            else:
                self.position += 1

    def _skip_escape(self) -> None:
        name = re.compile(r"\\N\{[^{}]*\}").match(self.text, self.position)
        if name is not None and not self._is_raw:
            self.position = name.end()
        else:
            # A backslash keeps a following quote from closing the text, even in a raw one, but
            # never hides a brace.
            self.position += 1 if self.text[self.position + 1 : self.position + 2] in "{}" else 2

    def _field(self) -> Iterator[Field]:
        """Read a field from behind its `{` to behind its `}`."""
        start, depth, end, shows_itself = self.position, 0, -1, False
        while match := _compiled(_FIELD_PART).search(self.text, self.position, self.limit):
            self.position = match.end()
            if match.lastgroup == "comment":
                if self.nested_quotes:
                    self.comments.append(match.span())
            elif match.lastgroup == "opening":
                if self.nested_quotes:
                    self.position = _end_of_nested(
                        self.text, match.start(), self.limit, self.comments
                    )
                else:
                    plain = _compiled(_COMMENT_OR_TEXT).match(self.text, match.start(), self.limit)
                    self.position = plain.end() if plain else match.end()
            elif match.lastgroup == "open":
                depth += 1
            elif match.lastgroup == "close" and depth:
                depth -= 1
            elif match.lastgroup == "relation":
                # `:=` needs brackets around it: outside them the colon begins a format.
                if depth == 0 and match[0] == ":=":
                    self.position = match.start() + 1
                    yield Field(start, match.start() if end < 0 else end, shows_itself)
                    yield from self._format()
                    return
            elif depth == 0 and match.lastgroup in ("end", "close"):
                end = match.start() if end < 0 else end
                if match[0] == "=":
                    shows_itself = True
                elif match[0] == ":":
                    yield Field(start, end, shows_itself)
                    yield from self._format()
                    return
                elif match[0] == "}":
                    yield Field(start, end, shows_itself)
                    return

    def _format(self) -> Iterator[Field]:
        yield from self._literal(in_format=True)
        self.position += 1
