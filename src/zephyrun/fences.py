"""Fences: lines that people want left as they are.

    weight = w  # zephyrun: leave            this line
    # zephyrun: leave from here              until the end, or
    # zephyrun: leave to here                until this line
    # zephyrun: leave file                   the whole file
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from zephyrun.facts import FileFacts
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

# What every fence holds, and why nothing is changed behind one.
FENCE_WORD = "zephyrun:"
FENCED_OFF = "the line is fenced off"
_FENCE = lazy_pattern(r"#\s*zephyrun:\s*leave(?:\s+(from here|to here|file))?\s*(?:[-–—:;,.].*)?$")


def fenced_lines(source: SourceText, facts: FileFacts) -> tuple[range, ...]:
    """The 1-based lines that are fenced off; a fence that is never closed reaches to the end."""
    return tuple(_ranges(source, facts))


def fence_of(source: SourceText, facts: FileFacts) -> Callable[[int], bool]:
    """What tells whether a 1-based line is fenced off."""
    fences = fenced_lines(source, facts)
    return lambda line: any(line in lines for lines in fences)


def _ranges(source: SourceText, facts: FileFacts) -> Iterator[range]:
    opened = 0
    end = source.n_lines + 1
    for comment in facts.comments:
        match = _FENCE.match(comment.text)
        if match is None:
            continue
        line = source.line_of(comment.start)
        if match[1] == "file":
            yield range(1, end)
        elif match[1] == "from here":
            opened = opened or line
        elif match[1] == "to here":
            if opened:
                yield range(opened, line + 1)
            opened = 0
        else:
            yield range(line, line + 1)
    if opened:
        yield range(opened, end)
