"""Where names stand that the tree holds without a position."""

from __future__ import annotations

import re

_FROM = re.compile(r"from\b[\s\\]*")
_LONGEST_GAP = 300


def keyword_before(text: str, name: str, end: int) -> int:
    """Where the keyword of a class pattern stands, of which the pattern itself begins at `end`; -1 where
    it cannot be told."""
    match = re.search(rf"{re.escape(name)}\s*=[\s(\\]*\Z", text[max(end - _LONGEST_GAP, 0) : end])
    return -1 if match is None else end - len(match[0])


def module_start_of(text: str, start: int, module: str) -> int:
    """Where a `from` statement that begins at `start` names its module, dots included; -1 where that
    cannot be told."""
    match = _FROM.match(text, start)
    if match is None or not module or not text.startswith(module, match.end()):
        return -1
    return match.end()
