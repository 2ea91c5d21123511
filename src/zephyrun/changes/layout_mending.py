"""Mend how code stands on the page: what departs from the habits is sought again, and mended as the
project does it elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.changes.refusal import Refusal
from zephyrun.changes.second_look import slips, version_of
from zephyrun.changes.step import Step
from zephyrun.languages.python import ParsedFile, parse
from zephyrun.layout.departure import Departure
from zephyrun.layout.departures import FINDERS, Addressed
from zephyrun.layout.habits import Habits
from zephyrun.layout.slips import SLIPPED
from zephyrun.source import EditSet

GONE = "there is no such place; run zephyrun propose again"

LAYOUT_KINDS = tuple(FINDERS)
# In the order in which they are mended. What slipped is no kind of finding: it is seen only beside the
# version in which it had not.
MENDED_KINDS = (SLIPPED, *LAYOUT_KINDS)


class LayoutMending:
    """What departs in one file, by kind and address; worked out once, however many steps ask.

    `earlier` is the file as it was before names changed, `None` where none have.
    """

    def __init__(self, parsed: ParsedFile, habits: Habits, earlier: bytes | None = None) -> None:
        self._version = version_of(parsed)
        self._earlier = earlier
        self._habits = habits
        self._by_address: dict[str, dict[tuple[str, str, int], Departure]] = {}

    def edits(self, scope: str, step: Step) -> EditSet | Refusal:
        """The edits of one step, whose `scope` is given without the module's own name."""
        if step.new:
            return Refusal("layout is mended as the project has it elsewhere; leave `new` empty")
        departure = self._departures(step.kind).get((scope, step.old, step.ordinal))
        if departure is None:
            return Refusal(GONE)
        if not departure.edits:
            return Refusal("there is no way to mend it that could be proved")
        return EditSet(departure.edits)

    def _departures(self, kind: str) -> dict[tuple[str, str, int], Departure]:
        if kind not in self._by_address:
            self._by_address[kind] = {
                (each.scope, each.departure.subject, each.ordinal): each.departure
                for each in self._find(kind)
            }
        return self._by_address[kind]

    def _find(self, kind: str) -> Iterator[Addressed]:
        if kind != SLIPPED:
            return self._version.departures(self._habits, kind)
        if self._earlier is None:
            return iter(())
        return slips(version_of(parse(self._earlier)), self._version)
