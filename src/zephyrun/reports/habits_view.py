"""The habits of a project as a table for people: what it does, how often, and both sides of it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Protocol

from zephyrun.layout.habits import PLACES, Habit, sides_met
from zephyrun.reports.lines import StyledLine, one_line, wrapped_line

_PLACE_WIDTH, _SIDE_WIDTH = 24, 24
_LONGEST_EXAMPLE = 70
# The least share that is not shown as none.
_LEAST = 0.001


class Sighting(Protocol):
    """Where one side of a place is to be seen."""

    @property
    def path(self) -> str: ...
    @property
    def line(self) -> int: ...
    @property
    def text(self) -> str: ...


def habits_view(
    habits: Mapping[str, Habit],
    counts: Mapping[tuple[str, str], int],
    examples: Mapping[tuple[str, str], Sighting],
    is_narrow: bool,
) -> Iterator[StyledLine]:
    """One line a place; below it the other side where there is one. Divided places come last, as
    choices to make."""
    settled = [
        habit for habit in habits.values() if habit.side and (habit.n or habit.origin == "settings")
    ]
    for habit in settled:
        yield _habit_line(habit)
        yield from _examples(habit, counts, examples, is_narrow)
    divided = [
        habit
        for habit in habits.values()
        if not habit.side and habit.n and habit.origin == "measured"
    ]
    if divided:
        yield wrapped_line(("not settled, so nothing departs from it: a choice to make", "bold yellow"))
    for habit in divided:
        yield _habit_line(habit)
        yield from _examples(habit, counts, examples, is_narrow)
    shown = {habit.place for habit in (*settled, *divided)}
    quiet = [place for place in habits if place not in shown]
    if quiet:
        yield wrapped_line((f"hardly to be seen: {', '.join(quiet)}", "dim"))


def described_side(place: str, side: str) -> str:
    """A side in words."""
    if place == "indentation":
        return {"tab": "a tab", "mixed": "tabs and spaces"}.get(side, f"{side} spaces")
    if place == "line-width":
        return f"{side} columns"
    return PLACES[place].sides.get(side, side)


def _habit_line(habit: Habit) -> StyledLine:
    side = described_side(habit.place, habit.side) if habit.side else "divided"
    origins = {"settings": " · as the settings say", "convention": " · by convention, too few to tell"}
    return one_line(
        (f"{habit.place:{_PLACE_WIDTH}}", "cyan"),
        (f"{side:{_SIDE_WIDTH}}", "bold green" if habit.side else "bold yellow"),
        (f"{_share(habit.share):>6}", ""),
        (f" of {habit.n:<7,}", "dim"),
        (PLACES[habit.place].what + origins.get(habit.origin, ""), "dim"),
    )


def _share(share: float) -> str:
    """A share in per cent; 0 and 100 are shown only where they are exact."""
    if share in (0.0, 1.0):
        return f"{share:.0%}"
    return f"{min(max(share, _LEAST), 1 - _LEAST):.1%}"


def _examples(
    habit: Habit,
    counts: Mapping[tuple[str, str], int],
    examples: Mapping[tuple[str, str], Sighting],
    is_narrow: bool,
) -> Iterator[StyledLine]:
    """An example of the two commonest sides, where there is more than one."""
    sides = [side for side in sides_met(counts, habit.place) if (habit.place, side) in examples]
    if len(sides) < 2 or habit.place == "line-width":
        return
    for side in sides[:2]:
        seen = examples[habit.place, side]
        text = seen.text
        if is_narrow and len(text) > _LONGEST_EXAMPLE:
            text = text[: _LONGEST_EXAMPLE - 1] + "…"
        yield one_line(
            (f"  {counts[habit.place, side]:>8,} × {described_side(habit.place, side)}: ", "dim"),
            (text, ""),
            (f"  {seen.path}:{seen.line}", "dim"),
        )
