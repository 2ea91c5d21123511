"""Where names stand that the tree holds without a position, and what the language makes of them."""

from __future__ import annotations

import re

from zephyrun.patterns import lazy_pattern

_FROM = lazy_pattern(r"from\b[\s\\]*")
_LONGEST_GAP = 300
_QUOTED = lazy_pattern(r"[uU]?('''|\"\"\"|'|\")(.*)\1", re.DOTALL)


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


def mangled_name(name: str, class_name: str) -> str:
    """What a name becomes in the body of a class, "" for outside of one. Source: language reference
    6.2.1."""
    prefix = class_name.lstrip("_")
    if not prefix or not name.startswith("__") or name.endswith("__") or "." in name:
        return name
    return f"_{prefix}{name}"


def quoted_range(text: str, start: int, end: int, value: str) -> tuple[int, int] | None:
    """Where the inside of a text literal stands whose value is written there as it is; `None` where
    escapes or several literals side by side leave no single place."""
    match = _QUOTED.fullmatch(text, start, end)
    return match.span(2) if match is not None and match[2] == value else None
