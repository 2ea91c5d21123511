"""The second look at layout: what the changes themselves have left crooked.

A longer name may have made a line too long, or moved a bracket below which other lines stood; a line
that was split may lack the blank lines around it. Only lines that were touched are looked at, and only
for what was not so before: what a person left as it was stays as it was.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator
from difflib import SequenceMatcher
from typing import NamedTuple

from zephyrun.changes.step import Step
from zephyrun.fences import fence_of
from zephyrun.languages.python import ParsedFile, parse
from zephyrun.layout.departure import Departure
from zephyrun.layout.departures import FINDERS, Addressed, find_departures, line_reader, moves_lines
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import Page
from zephyrun.layout.slips import find_slips

# What a step is about within its file: its kind, scope, subject and ordinal.
Address = tuple[str, str, str, int]


class _Version(NamedTuple):
    parsed: ParsedFile
    page: Page

    def line_of(self, departure: Departure) -> int:
        return self.page.source.line_of(departure.start)

    def departures(self, habits: Habits, kind: str) -> Iterator[Addressed]:
        is_fenced = fence_of(self.parsed.source, self.parsed.facts)
        return find_departures(self.page, self.parsed.facts, habits, kind, is_fenced)


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
    before, now = _version(original), _version(data)
    found = list(_slips(_version(earlier), now)) if earlier != data else []
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
            if (kind, _dotted(history, each), each.departure.subject, each.ordinal) not in settled
        ]
        for addressed in crooked:
            line = now.line_of(addressed.departure)
            if any(
                line in new_lines and not any(each in old_lines for each in left)
                for old_lines, new_lines in blocks
            ):
                found.append(addressed)
    return tuple(_step(history, number, now, each) for number, each in enumerate(found, 1))


def _dotted(history: History, addressed: Addressed) -> str:
    return ".".join(filter(None, (history.module, addressed.scope)))


def _slips(before: _Version, now: _Version) -> Iterator[Addressed]:
    """What lined up before and does not now, each with its address."""
    alike: Counter[tuple[str, str]] = Counter()
    facts = now.parsed.facts
    for departure in find_slips(before.page, now.page, fence_of(now.parsed.source, facts)):
        scope = facts.dotted(facts.scope_at(departure.start))
        alike[scope, departure.subject] += 1
        yield Addressed(departure, scope, alike[scope, departure.subject])


def slips_between(earlier: bytes, now: ParsedFile, page: Page) -> Iterator[Addressed]:
    """The slips of a file that has been read. Errors: `UnreadableSource`."""
    return _slips(_version(earlier), _Version(now, page))


def _version(data: bytes) -> _Version:
    parsed = parse(data)
    return _Version(parsed, Page(parsed.source, parsed.marks))


def _touched(before: _Version, now: _Version) -> list[tuple[range, range]]:
    """The 1-based lines that differ, in runs: those of the old version, and those of the new; with
    the line below each, whose distance to them may have changed."""
    old_lines, new_lines = (version.page.source.text.splitlines() for version in (before, now))
    matcher = SequenceMatcher(None, old_lines, new_lines, autojunk=False)
    return [
        (range(i1 + 1, i2 + 2), range(j1 + 1, j2 + 2))
        for tag, i1, i2, j1, j2 in matcher.get_opcodes()
        if tag != "equal"
    ]


def _step(history: History, number: int, now: _Version, addressed: Addressed) -> Step:
    departure, _, ordinal = addressed
    place = now.page.source.place(departure.start)
    return Step(
        id=f"{history.path} again {number}",
        action="layout",
        finding="",
        path=history.path,
        scope=_dotted(history, addressed),
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

