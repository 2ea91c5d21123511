"""Measure one page: how often each side of each place is taken, and where to see it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.layout.blank_lines import Gap, gaps_of
from zephyrun.layout.brackets import opened_brackets
from zephyrun.layout.comments import comment_marks
from zephyrun.layout.habits import Counts
from zephyrun.layout.name_styles import style_of
from zephyrun.layout.indentation import block_steps, step_name
from zephyrun.layout.line_breaks import break_sides
from zephyrun.layout.page import Page
from zephyrun.layout.sites import AFTER, BLANKS, BRACKET_PLACES, EDGES, SPACED, TIGHT, Edge, edge_sites
from zephyrun.layout.widths import display_width
from zephyrun.patterns import lazy_pattern

_MANY_BLANK = 3
_COLUMN_PLACES = {"assignment": "columns", "dict-colon": "dict-columns"}
_FAR = 80
_MANY_SPACES = 2
_SHORT_TEXT = lazy_pattern(r"(?i:[rbfu]{0,2})(['\"])(?!\1\1)([^'\"\\\r\n]+)\1\Z")
_CODE_BEHIND = lazy_pattern(r"[ \t]*[^\s#\\]")
_BREAKS_BEFORE = lazy_pattern(r"^[ \t]*(?:and|or|\+|-|\*|/|%|==|!=|<=?|>=?|\||&)[ \t]", re.MULTILINE)
_BREAKS_AFTER = lazy_pattern(
    r"(?<=[\w)\]}\"'])[ \t]+(?:and|or|\+|-|\*|/|%|==|!=|<=?|>=?|\||&)[ \t]*(?=#|$)", re.MULTILINE
)
_NAMES = (
    (lazy_pattern(r"\bdef[ \t]+(\w+)"), "function-name"),
    (lazy_pattern(r"\bclass[ \t]+(\w+)"), "class-name"),
    (lazy_pattern(r"^[ \t]+(?:for[ \t]+)?(\w+)[ \t]*(?:=(?!=)|[ \t]in[ \t])", re.MULTILINE), "variable-name"),
)


class Example(NamedTuple):
    """Where one side of a place can be seen: an offset in the text."""

    place: str
    side: str
    start: int


def measure(page: Page) -> tuple[Counts, dict[tuple[str, str], int]]:
    """How often each (place, side) occurs on a page, and the offset of the first of each."""
    counts: Counts = Counter()
    first: dict[tuple[str, str], int] = {}
    for site in page.sites:
        key = site.place, site.side
        counts[key] += 1
        first.setdefault(key, site.start)
    for edge in EDGES:
        for token, count in Counter(edge.usual.findall(page.skeleton)).items():
            key = edge.places[token], edge.usual_side
            counts[key] += count
            first.setdefault(key, _first_usual(page, edge, token))
        for side, _ in edge.others:
            for site in edge_sites(page.skeleton, edge, side):
                # Inside a bracket a space is a space, whichever of the two it stands beside.
                key = site.place, SPACED if site.place in BRACKET_PLACES else side
                counts[key] += 1
                first.setdefault(key, site.start)
    for place, side, start in _others(page):
        counts[place, side] += 1
        first.setdefault((place, side), start)
    n_trailing = counts["line-end", AFTER]
    counts["line-end", TIGHT] += page.source.n_lines - n_trailing
    return counts, first


def _first_usual(page: Page, edge: Edge, token: str) -> int:
    """Where a token of an edge stands first on its usual side."""
    return next(each.start() for each in edge.usual.finditer(page.skeleton) if each.group() == token)


def _others(page: Page) -> Iterator[Example]:
    for start, _ in page.spaces_at_line_ends():
        yield Example("line-end", AFTER, start)
    for step in block_steps(page):
        yield Example("indentation", step_name(step.indent), page.rows[step.row].first)
    yield from _widths(page)
    for colon in page.block_colons:
        is_beside = _CODE_BEHIND.match(page.skeleton, colon + 1) is not None
        yield Example("one-line-body", "beside" if is_beside else "below", colon)
    for gap in gaps_of(page):
        yield Example(gap.place, _blank_side(gap), page.rows[gap.row].first)
    for bracket in opened_brackets(page):
        yield from (Example(place, side, bracket.start) for place, side in bracket.sides())
    for side, start in break_sides(page):
        yield Example("line-break", side, start)
    for start, end in page.comment_gaps:
        yield Example("comment-gap", str(min(end - start, _MANY_SPACES)), end)
    for start, side in comment_marks(page):
        yield Example("comment-mark", side, start)
    yield from _columns(page)
    yield from _name_styles(page)
    for start, end in page.marks.texts:
        text = _SHORT_TEXT.match(page.source.text, start, end)
        if text is not None:
            yield Example("quotes", "single" if text[1] == "'" else "double", start)
    for pattern, side in ((_BREAKS_BEFORE, "before"), (_BREAKS_AFTER, "after")):
        for match in pattern.finditer(page.skeleton):
            yield Example("operator-break", side, match.end() - 1)


def _name_styles(page: Page) -> Iterator[Example]:
    """How names of several words are written where they are given."""
    for pattern, place in _NAMES:
        for match in pattern.finditer(page.skeleton):
            if style := style_of(match[1]):
                yield Example(place, style, match.start(1))


def _columns(page: Page) -> Iterator[Example]:
    """Whether cells on lines that follow one another are lined up by hand: the signs of assignments,
    the values of dictionaries."""
    starts, skeleton = page.source.line_starts, page.skeleton
    above = dict.fromkeys(_COLUMN_PLACES, (0, 0, 0))
    for site in page.sites:
        if site.place not in _COLUMN_PLACES:
            continue
        line = page.source.line_of(site.start)
        start = starts[line - 1]
        if site.place == "assignment":
            column = site.start - start
            cell_end = len(skeleton[start : site.start].rstrip(BLANKS))
        else:
            cell_end = site.end - start
            behind = skeleton[site.end : site.end + _FAR]
            column = cell_end + len(behind) - len(behind.lstrip(BLANKS))
        line_above, column_above, end_above = above[site.place]
        if line == line_above + 1 and cell_end != end_above:
            side = "lined-up" if column == column_above else "plain"
            yield Example(_COLUMN_PLACES[site.place], side, site.start)
        above[site.place] = (line, column, cell_end)


def _blank_side(gap: Gap) -> str:
    return str(min(gap.n_blank, _MANY_BLANK))


def _widths(page: Page) -> Iterator[Example]:
    """The width of every physical line of code that is not part of a text."""
    starts = page.source.line_starts
    for row in page.rows:
        for line in page.lines_of(row):
            start, end = starts[line - 1], page.line_end(line)
            if end < len(page.skeleton) and page.skeleton[end] == '"':
                continue
            yield Example("line-width", str(display_width(page.source.text[start:end])), start)
