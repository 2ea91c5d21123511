"""A project's habits: for each place where the language lets one choose, what its code mostly does.

A *side* is one of the ways to do it. A habit counts when enough of the places are on one side; where
a project is divided there is no habit, and nothing departs from it. A project with too few such
places gets what the language's community mostly does (PEP 8).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import NamedTuple

from zephyrun.layout.sites import AFTER, BEFORE, SPACED, TIGHT

# Below so many places a project has no habit of its own.
_FEWEST = 8
_MOSTLY = 0.8
# Authors leave spaces out around some operators to show which binds closer; only a project that
# never does so has a habit.
_NEARLY_ALWAYS = 0.95
_HARDLY_EVER_ELSE = 0.98

WIDTHS = (72, 79, 80, 88, 90, 95, 99, 100, 110, 119, 120, 132, 140, 160)
# What a person may set.
_DEEPEST_STEP, _NARROWEST, _WIDEST = 16, 20, 1000
# A limit shows in the lines that come near it.
_NEAR = 20
_WITHIN_LIMIT = 0.97

Habits = Mapping[str, str]


class Place(NamedTuple):
    """A place where one may choose. `convention` is the community's side, "" where it has none;
    `sides` says what each side looks like, in words that follow the place's own."""

    name: str
    what: str
    convention: str
    sides: Mapping[str, str]
    needed: float = _MOSTLY


# What a person writes to have a place left as it is.
ANY = "any"
_NOT_TO_BE_WANTED = {
    "comment-gap": ("0",),
    "blank-before-definition": ("3",),
    "blank-after-definition": ("3",),
    "blank-between-methods": ("3",),
    "blank-before-inner": ("3",),
    "line-end": (AFTER,),
    "one-line-body": ("beside",),
}

_AROUND = {SPACED: "spaced", TIGHT: "tight", AFTER: "space after", BEFORE: "space before"}
_INSIDE = {TIGHT: "tight", SPACED: "spaced"}
SNAKE, CAMEL, PASCAL = "snake", "camel", "pascal"
_STYLES = {SNAKE: "like_this", CAMEL: "likeThis", PASCAL: "LikeThis"}
_BLANK = {"0": "none", "1": "one", "2": "two", "3": "three or more"}

PLACES: dict[str, Place] = {
    place.name: place
    for place in (
        Place("indentation", "one step of indentation", "4", {}),
        Place("line-width", "the longest line", "79", {}),
        Place("assignment", "around = in assignments", SPACED, _AROUND),
        Place("keyword", "around = of keyword arguments", TIGHT, _AROUND),
        Place("default", "around = of defaults", TIGHT, _AROUND),
        Place("annotated-default", "around = of annotated defaults", SPACED, _AROUND),
        Place("comparison", "around comparisons", SPACED, _AROUND),
        Place("sum", "around + and -", SPACED, _AROUND, _NEARLY_ALWAYS),
        Place("product", "around * / // % @", SPACED, _AROUND, _NEARLY_ALWAYS),
        Place("power", "around **", "", _AROUND, _NEARLY_ALWAYS),
        Place("bits", "around & | ^ << >>", SPACED, _AROUND, _NEARLY_ALWAYS),
        Place("index-operator", "around operators in subscripts", "", _AROUND, _NEARLY_ALWAYS),
        Place("slice-colon", "around the colon of a slice", "", _AROUND, _NEARLY_ALWAYS),
        Place("arrow", "around ->", SPACED, _AROUND),
        Place("comma", "beside commas", AFTER, _AROUND),
        Place("annotation", "beside the colon of an annotation", AFTER, _AROUND),
        Place("dict-colon", "beside the colon of a dictionary", AFTER, _AROUND),
        Place("lambda-colon", "beside the colon of a lambda", AFTER, _AROUND),
        Place(
            "block-colon", "before the colon that opens a block", TIGHT, {TIGHT: "tight", BEFORE: "spaced"}
        ),
        Place("sign", "behind a sign", TIGHT, {TIGHT: "tight", AFTER: "spaced"}),
        Place("round-brackets", "inside ( )", TIGHT, _INSIDE),
        Place("square-brackets", "inside [ ]", TIGHT, _INSIDE),
        Place("curly-brackets", "inside { }", TIGHT, _INSIDE),
        Place("call", "before the bracket of a call", TIGHT, {TIGHT: "tight", BEFORE: "spaced"}),
        Place(
            "comment-gap",
            "spaces before a comment behind code",
            "2",
            {"0": "none", "1": "one", "2": "two or more"},
        ),
        Place("comment-mark", "behind the # of a comment", AFTER, {TIGHT: "tight", AFTER: "spaced"}),
        Place("line-end", "spaces at the end of a line", TIGHT, {TIGHT: "none", AFTER: "left"}),
        Place(
            "one-line-body",
            "the body of a short block",
            "below",
            {"below": "on its own line", "beside": "beside its head"},
        ),
        Place("blank-before-definition", "blank lines before a definition", "2", _BLANK),
        Place("blank-after-definition", "blank lines behind a definition", "2", _BLANK),
        Place("blank-between-methods", "blank lines between methods", "1", _BLANK),
        Place("blank-before-inner", "blank lines before a definition inside a block", "1", _BLANK),
        Place(
            "line-break",
            "what breaks a statement over lines",
            "brackets",
            {"brackets": "brackets", "backslash": "backslashes"},
        ),
        Place(
            "continuation",
            "a call over several lines",
            "hanging",
            {"hanging": "below its head", "aligned": "below its bracket"},
        ),
        Place(
            "closing-bracket",
            "the bracket that closes it",
            "own-line",
            {"own-line": "on its own line", "last-line": "on the last line"},
        ),
        Place("elements", "its elements", "each", {"each": "one a line", "filled": "as many as fit"}),
        Place(
            "trailing-comma",
            "a comma behind the last of them",
            "present",
            {"present": "written", "absent": "left out"},
        ),
        Place(
            "operator-break",
            "an operator where a line breaks",
            "before",
            {"before": "begins the next line", "after": "ends the line"},
        ),
        Place(
            "columns",
            "= on lines that follow one another",
            "plain",
            {"plain": "where it comes", "lined-up": "lined up by hand"},
            _HARDLY_EVER_ELSE,
        ),
        Place(
            "dict-columns",
            "values of dictionaries on lines that follow one another",
            "plain",
            {"plain": "where they come", "lined-up": "lined up by hand"},
            _HARDLY_EVER_ELSE,
        ),
        Place("quotes", "quotes of short texts", "", {"single": "single", "double": "double"}),
        Place("function-name", "names of functions of several words", SNAKE, _STYLES),
        Place("variable-name", "names of variables of several words", SNAKE, _STYLES),
        Place("class-name", "names of classes of several words", PASCAL, _STYLES),
    )
}


class Habit(NamedTuple):
    """What a project does in one place. `side` is "" where it is divided; `share` of its `n` places
    are on the side that most of them are on. `origin` is `measured`, `convention` or `settings`."""

    place: str
    side: str
    share: float
    n: int
    origin: str = "measured"


# Even one column that somebody lined up says that he does so.
_COLUMNS = frozenset({"columns", "dict-columns"})

Counts = Counter[tuple[str, str]]


def reason_against_side(place: str, side: str) -> str | None:
    """What is wrong with a side that somebody wants in a place, as the end of a sentence; `None`
    where nothing is."""
    if side == ANY:
        return None
    if place == "indentation":
        is_fine = side == "tab" or _is_number(side, 1, _DEEPEST_STEP)
        return None if is_fine else 'a number of spaces, or "tab"'
    if place == "line-width":
        is_fine = _is_number(side, _NARROWEST, _WIDEST)
        return None if is_fine else f"a number of columns from {_NARROWEST} on"
    sides = [each for each in PLACES[place].sides if each not in _NOT_TO_BE_WANTED.get(place, ())]
    if side in sides:
        return None
    return "one of " + ", ".join(f'"{each}"' for each in (*sides, ANY))


def _is_number(side: str, least: int, most: int) -> bool:
    is_number = side.isascii() and side.isdigit() and len(side) <= len(str(most))
    return is_number and least <= int(side) <= most


def decide(counts: Mapping[tuple[str, str], int]) -> dict[str, Habit]:
    """The habits that some counts of places and sides come to, for every place there is."""
    by_place: dict[str, Counter[str]] = {}
    for (place, side), count in counts.items():
        by_place.setdefault(place, Counter())[side] += count
    decided = {
        place.name: _decide_place(place, by_place.get(place.name, Counter()))
        for place in PLACES.values()
        if place.name != "line-width"
    }
    decided["line-width"] = _decide_width(by_place.get("line-width", Counter()))
    return {name: decided[name] for name in PLACES}


def sides_met(counts: Mapping[tuple[str, str], int], place: str) -> list[str]:
    """The sides that were met in one place, the commonest first."""
    sides = [(count, side) for (name, side), count in counts.items() if name == place and count]
    return [side for _, side in sorted(sides, reverse=True)]


def sides_of(habits: Mapping[str, Habit]) -> Habits:
    """The sides alone, of those places where there is a habit."""
    return {name: habit.side for name, habit in habits.items() if habit.side}


def _decide_place(place: Place, sides: Counter[str]) -> Habit:
    n_places = sides.total()
    if n_places < _FEWEST and (place.name not in _COLUMNS or not n_places):
        share = sides[place.convention] / n_places if n_places else 1.0
        return Habit(place.name, place.convention, share, n_places, "convention")
    # Equal counts go by the alphabet, so that nothing depends on the order of files.
    side, count = max(sides.items(), key=lambda item: (item[1], item[0]))
    share = count / n_places
    return Habit(place.name, side if share >= place.needed else "", share, n_places)


def _decide_width(sides: Counter[str]) -> Habit:
    """The limit that lines keep to: the least common one that nearly no line passes of those that
    come near it."""
    widths = {int(side): count for side, count in sides.items()}
    n_lines = sum(widths.values())
    best = 0.0
    for limit in WIDTHS:
        near = sum(count for width, count in widths.items() if width > limit - _NEAR)
        within = sum(count for width, count in widths.items() if limit - _NEAR < width <= limit)
        share = within / near if near else 1.0
        if near >= _FEWEST and share >= _WITHIN_LIMIT:
            return Habit("line-width", str(limit), share, n_lines)
        best = max(best, share if near >= _FEWEST else 0.0)
    convention = PLACES["line-width"].convention
    n_beyond = sum(count for width, count in widths.items() if width > int(convention))
    if n_beyond < _FEWEST:
        return Habit(
            "line-width", convention, 1 - n_beyond / n_lines if n_lines else 1.0, n_lines, "convention"
        )
    return Habit("line-width", "", best, n_lines)


# What a project gets that has no code of its own to go by.
CONVENTIONS: Habits = sides_of(decide({}))
