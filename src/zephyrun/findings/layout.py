"""The layout kinds: what departs from the project's habits on the page.

What departs and how to mend it is worked out in the room `layout`; here it becomes findings.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from zephyrun.findings.finding import FileView, Finding, Remedy, please_confirm
from zephyrun.layout.departures import Addressed, find_departures, line_reader, moves_lines

# How much one place costs a reader; many alike cost more, but not as often as they are met.
_WEIGHTS = {
    "ragged-indent": 3.0,
    "crammed-line": 1.5,
    "uneven-spacing": 0.4,
    "overlong-line": 1.0,
    "wall-of-code": 2.0,
}
# Kinds that change no line but its place on the page.
_MOVES_LINES_ONLY = frozenset({"ragged-indent", "wall-of-code"})


def layout_detector(kind: str) -> Callable[[FileView], Iterator[Finding]]:
    """The detector of one layout kind."""

    def detect(view: FileView) -> Iterator[Finding]:
        for addressed in find_departures(view.page, view.facts, view.habits, kind, view.is_fenced):
            yield _finding(view, addressed)

    return detect


def _finding(view: FileView, addressed: Addressed) -> Finding:
    departure, scope, ordinal = addressed
    moves_only = departure.kind in _MOVES_LINES_ONLY
    confirm = view.read_as_text(() if moves_only else [edit.start for edit in departure.edits])
    if (reader := line_reader(view.facts)) and moves_lines(view.page, departure):
        confirm += (f"nothing in this file counts on where its lines stand, though it uses {reader}",)
    remedy = (Remedy.REVIEW if confirm else Remedy.SAFE) if departure.edits else Remedy.NONE
    return Finding(
        kind=departure.kind,
        path=view.path,
        start=view.source.place(departure.start),
        end=view.source.place(departure.end),
        subject=departure.subject,
        scope=".".join(filter(None, (view.surroundings.module, scope))),
        ordinal=ordinal,
        message=departure.message + please_confirm(confirm),
        weight=round(_WEIGHTS[departure.kind] * math.sqrt(departure.n_places), 2),
        remedy=remedy,
        confirm=confirm,
    )
