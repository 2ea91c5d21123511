"""Dotted names in the text of code, and what stands around them, without reading it as code."""

from __future__ import annotations

from collections.abc import Iterator
from unicodedata import normalize

from zephyrun.link_facts import Dotted
from zephyrun.patterns import lazy_pattern

_WORD = lazy_pattern(r"[^\W\d]\w*")
_BETWEEN = r"(?:\s|\\\r?\n)*"
_DOTTED = lazy_pattern(rf"(?<![.\w])[^\W\d]\w*(?:{_BETWEEN}\.{_BETWEEN}[^\W\d]\w*)*")
_HEAD = lazy_pattern(r"([ \t]*)(?:(?:async[ \t]+)?(def|class)[ \t]+(\w+))?")


def as_names(text: str) -> str:
    """A text as the language compares names."""
    return text if text.isascii() else normalize("NFKC", text)


def words_in_text(text: str) -> Dotted:
    """The names in a text, in their order."""
    return tuple(_WORD.findall(text))


def dotted_names_in(code: str) -> Iterator[tuple[Dotted, int, int]]:
    """Each name of a code with those behind its dots, and where it begins and ends."""
    return ((words_in_text(match[0]), match.start(), match.end()) for match in _DOTTED.finditer(code))


def heads_around(code: str, position: int) -> Iterator[tuple[str, str]]:
    """The functions and classes in whose bodies a place is (`def` or `class`, and the name), from within, by the lines above
    that are indented less."""
    *above, line = code[:position].splitlines() or [""]
    depth = len(line) - len(line.lstrip())
    for each in reversed(above):
        head = _HEAD.match(each)
        if head is not None and each.strip() and len(head[1]) < depth:
            depth = len(head[1])
            if head[2]:
                yield head[2], head[3]
