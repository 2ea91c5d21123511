"""The second look at layout: what the changes themselves have left crooked.

A longer name may have made a line too long, or moved a bracket below which other lines stood; a line
that was split may lack the blank lines around it. Only lines that were touched are looked at, and only
for what was not so before: what a person left as it was stays as it was.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from difflib import SequenceMatcher
from typing import NamedTuple

from zephyrun.changes.step import Step
from zephyrun.fences import fence_of
from zephyrun.languages.python import ParsedFile, parse
from zephyrun.layout.departure import Departure
from zephyrun.layout.departures import (
    FINDERS,
    Addressed,
    addressed,
    find_departures,
    line_reader,
    moves_lines,
)
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import Page
from zephyrun.layout.slips import find_slips

# What a step is about: its path, kind, scope, subject and ordinal.
Address = tuple[str, str, str, str, int]


def address_of(step: Step) -> Address:
    """What a layout step is about."""
    return step.path, step.kind, step.scope, step.old, step.ordinal


class Version(NamedTuple):
    """One version of a file, as it stands on the page."""

    parsed: ParsedFile
    page: Page

    def line_of(self, departure: Departure) -> int:
        """The 1-based line on which a departure is seen."""
        return self.page.source.line_of(departure.start)

    def departures(self, habits: Habits, kind: str) -> Iterator[Addressed]:
        """What departs in one way, in text order."""
        is_fenced = fence_of(self.parsed.source, self.parsed.facts)
        return find_departures(self.page, self.parsed.facts, habits, kind, is_fenced)


def version_of(parsed: ParsedFile) -> Version:
    """A file that has been read, with its page."""
    return Version(parsed, Page(parsed.source, parsed.marks))


class History(NamedTuple):
    """What became of one file: its bytes at first, before names changed, and now; `settled` are the
    addresses of the layout steps that were carried out."""

    path: str
    module: str
    original: bytes
    earlier: bytes
    data: bytes
    settled: Collection[Address]


def look_again(history: History, habits: Habits) -> tuple[Step, ...]:
    """The steps that mend what is crooked now and was not at first. Errors: `UnreadableSource`."""
    _, _, original, earlier, data, settled = history
    before, now = version_of(parse(original)), version_of(parse(data))
    found = list(slips(version_of(parse(earlier)), now)) if earlier != data else []
    if found:
        # First of all: what has slipped departs from habits as well, until it is back in line.
        return tuple(_step(history, number, now, each) for number, each in enumerate(found, 1))
    blocks = _touched(before, now)
    # Where lines are counted, nobody has vouched for moving them.
    counts_lines = bool(line_reader(now.parsed.facts))
    for kind in FINDERS:
        crooked = [
            each
            for each in now.departures(habits, kind)
            if each.departure.edits and not (counts_lines and moves_lines(now.page, each.departure))
        ]
        if not crooked:
            continue
        left = [
            before.line_of(each.departure)
            for each in before.departures(habits, kind)
            if address_of(_step(history, 0, before, each)) not in settled
        ]
        for each in crooked:
            line = now.line_of(each.departure)
            if any(
                line in new_lines and not any(number in old_lines for number in left)
                for old_lines, new_lines in blocks
            ):
                found.append(each)
    return tuple(_step(history, number, now, each) for number, each in enumerate(found, 1))


def _dotted(history: History, crooked: Addressed) -> str:
    return ".".join(filter(None, (history.module, crooked.scope)))


def slips(before: Version, now: Version) -> Iterator[Addressed]:
    """What lined up before and does not now, each with its address."""
    facts = now.parsed.facts
    return addressed(find_slips(before.page, now.page, fence_of(now.parsed.source, facts)), facts)


def _touched(before: Version, now: Version) -> list[tuple[range, range]]:
    """The 1-based lines that differ, in runs: those of the old version, and those of the new; with
    the line below each, whose distance to them may have changed."""
    old_lines, new_lines = (
        [version.page.source.line(number) for number in range(1, version.page.source.n_lines + 1)]
        for version in (before, now)
    )
    matcher = SequenceMatcher(None, old_lines, new_lines, autojunk=False)
    return [
        (range(i1 + 1, i2 + 2), range(j1 + 1, j2 + 2))
        for tag, i1, i2, j1, j2 in matcher.get_opcodes()
        if tag != "equal"
    ]


def _step(history: History, number: int, now: Version, crooked: Addressed) -> Step:
    departure, _, ordinal = crooked
    place = now.page.source.place(departure.start)
    return Step(
        id=f"{history.path} again {number}",
        action="layout",
        finding="",
        path=history.path,
        scope=_dotted(history, crooked),
        old=departure.subject,
        ordinal=ordinal,
        line=place.line,
        column=place.column,
        new="",
        choices=(),
        score=1.0,
        remedy="safe",
        confirm=(),
        accept=True,
        why=departure.message,
        kind=departure.kind,
    )

