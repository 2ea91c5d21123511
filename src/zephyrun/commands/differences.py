"""Unified diffs of what would be written."""

from __future__ import annotations

import re
from collections.abc import Iterator
from difflib import unified_diff

from zephyrun.source import SourceText


def difference_lines(old_path: str, new_path: str, old: bytes, new: bytes) -> Iterator[str]:
    """A unified diff of one file, which may move, or be a new one (without an old path)."""
    if old_path and old_path != new_path and old == new:
        yield f"--- a/{old_path}\n+++ b/{new_path}\n"
    before = f"a/{old_path}" if old_path else "/dev/null"
    for line in unified_diff(_lines(old), _lines(new), before, f"b/{new_path}"):
        yield line if line.endswith("\n") else f"{line}\n\\ No newline at end of file\n"


def _lines(data: bytes) -> list[str]:
    """The lines of a file as programs that patch count them: only `\\n` ends one."""
    text = SourceText.from_bytes(data, strict=False).text
    return [line for line in re.split(r"(?<=\n)", text) if line]
