"""Spaces within lines: where they depart from the project's habits, and where they are left alone.

Left alone are columns that line up with a neighbour's, and tables of literals laid out by hand.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.layout.blank_lines import find_uneven_gaps
from zephyrun.layout.comments import comment_marks
from zephyrun.layout.departure import Departure, IsFenced, subject_at
from zephyrun.layout.habits import PLACES, Habits
from zephyrun.layout.line_breaks import find_needless_breaks
from zephyrun.layout.page import Page
from zephyrun.layout.sites import (
    AFTER,
    BEFORE,
    BLANKS,
    BRACKET_PLACES,
    EDGES,
    SPACED,
    TIGHT,
    Site,
    edge_sites,
)
from zephyrun.layout.tables import Tables
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

# From so many lines on that depart alike, a file is one departure.
_ALIKE = 5
_SHOWN = 3
# Beginning with what is rare, these pass over the indentation of lines at the speed of a search.
_WIDE = lazy_pattern(r"  (?<=\S  )[ \t]*(?=[^\s#\\])|\t(?<=\S\t)[ \t]*(?=[^\s#\\])")
_OPERATOR_PLACES = frozenset({"sum", "product", "power", "bits", "index-operator"})
_STRETCHED = "stretched"
_WORD_SIGN = "w"
_WORD = lazy_pattern(r"\w+")
_FEWEST_CELLS = 2
_WIDE_GAP = 3
_COLUMNS_A_STRAY = 6


class _Gap(NamedTuple):
    """Spaces that should be others: from `start` to `end` in the text, `new` instead."""

    start: int
    end: int
    place: str
    new: str


def find_uneven_spacing(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[Departure]:
    """Lines that are spaced otherwise than the project spaces them. Where a file departs in one way
    throughout, that is one departure."""
    blank = list(find_uneven_gaps(page, habits, is_fenced))
    yield from blank
    yield from find_needless_breaks(page, habits, is_fenced)
    # What is on a blank line goes with it.
    replaced = [edit for departure in blank for edit in departure.edits]
    gaps = sorted(
        gap
        for gap in _kept(page, habits, is_fenced)
        if not any(edit.start <= gap.start < edit.end for edit in replaced)
    )
    if not gaps:
        return
    line_of = page.source.line_of
    lines_by_place: dict[str, set[int]] = {}
    for gap in gaps:
        lines_by_place.setdefault(gap.place, set()).add(line_of(gap.start))
    throughout = {place for place, lines in lines_by_place.items() if len(lines) >= _ALIKE}
    for place in sorted(throughout):
        yield _of_file(page, habits, place, [gap for gap in gaps if gap.place == place])
    by_line: dict[int, list[_Gap]] = {}
    for gap in gaps:
        if gap.place not in throughout:
            by_line.setdefault(line_of(gap.start), []).append(gap)
    for line, own in by_line.items():
        yield _of_line(page, habits, line, own)


def _of_file(page: Page, habits: Habits, place: str, gaps: list[_Gap]) -> Departure:
    lines = sorted({page.source.line_of(gap.start) for gap in gaps})
    return Departure(
        "uneven-spacing",
        place,
        gaps[0].start,
        max(gaps[0].end, gaps[0].start + 1),
        f"{len(lines)} lines of the file depart from the project {_words(habits, place)}.",
        tuple(Edit(gap.start, gap.end, gap.new) for gap in gaps),
        len(lines),
    )


def _of_line(page: Page, habits: Habits, line: int, gaps: list[_Gap]) -> Departure:
    start = page.source.line_starts[line - 1]
    end = page.line_end(line)
    text = page.source.text[start:end]
    first = start + len(text) - len(text.lstrip(BLANKS)) if text.strip(BLANKS) else start
    places = list(dict.fromkeys(gap.place for gap in gaps))
    ways = "; ".join(_words(habits, place) for place in places[:_SHOWN])
    return Departure(
        "uneven-spacing",
        subject_at(page, start),
        first,
        max(end, first + 1),
        f"The line departs from the project {ways}.",
        tuple(Edit(gap.start, gap.end, gap.new) for gap in gaps),
    )


def _words(habits: Habits, place: str) -> str:
    """How the project does it, as the end of a sentence."""
    if place == _STRETCHED:
        return "in spaces between words, of which one is enough"
    record = PLACES[place]
    side = habits.get(place, record.convention)
    return f"in {_SUBJECTS.get(place, 'the space ' + record.what)} ({record.sides.get(side, side)} elsewhere)"


_SUBJECTS = {
    "comment-gap": "the space before a comment",
    "line-end": "spaces at the end of a line",
}


def _uneven_gaps(page: Page, habits: Habits) -> Iterator[_Gap]:
    """Every gap that departs, in text order and without two of the same place in the text."""
    by_start: dict[int, _Gap] = {}
    for site in _uneven_sites(page, habits):
        for gap in _gaps_beside(page, site, habits[site.place]):
            by_start.setdefault(gap.start, gap)
    for gap in _stretched(page):
        by_start.setdefault(gap.start, gap)
    for gap in _comment_gaps(page, habits):
        by_start[gap.start] = gap
    last_end = -1
    for _, gap in sorted(by_start.items()):
        if gap.start >= last_end:
            yield gap
            last_end = gap.end


def _uneven_sites(page: Page, habits: Habits) -> Iterator[Site]:
    own_ways = _own_ways(page, habits)
    for site in page.sites:
        wanted = habits.get(site.place, site.side)
        if site.place in own_ways:
            continue
        if wanted != site.side and not (site.place == "slice-colon" and site.side in (SPACED, TIGHT)):
            # Spaces around the colon of a slice go by how long its bounds are, if they are even.
            yield site
    for edge in EDGES:
        sides = {habits[place] for place in edge.places.values() if place in habits}
        if sides - {edge.usual_side}:
            for site in edge_sites(page.skeleton, edge, edge.usual_side):
                if habits.get(site.place, site.side) != site.side:
                    yield site
        if not sides:
            continue
        for side, _ in edge.others:
            for site in edge_sites(page.skeleton, edge, side):
                wanted = habits.get(site.place, side)
                # A space inside a bracket is on one of two sides, by which bracket it is.
                if wanted != side and not (wanted == SPACED and site.place in BRACKET_PLACES):
                    yield site


def _own_ways(page: Page, habits: Habits) -> frozenset[str]:
    """Places around operators in which a file goes its own way throughout: there authors mean what they
    squeeze."""
    by_place: dict[str, Counter[bool]] = {}
    for site in page.sites:
        if site.place in _OPERATOR_PLACES and site.place in habits:
            departs = site.side != habits[site.place]
            by_place.setdefault(site.place, Counter())[departs] += 1
    return frozenset(
        place
        for place, counts in by_place.items()
        if counts[True] >= _ALIKE and counts[True] > counts[False]
    )


def _gaps_beside(page: Page, site: Site, wanted: str) -> Iterator[_Gap]:
    """What to change beside a token so that it stands as the project has it."""
    skeleton = page.skeleton
    if site.place in BRACKET_PLACES:
        opens = skeleton[site.start] in "([{"
        wants_before, wants_after = wanted != TIGHT and not opens, wanted != TIGHT and opens
        looks_before, looks_after = not opens, opens
    else:
        wants_before, wants_after = wanted in (BEFORE, SPACED), wanted in (AFTER, SPACED)
        looks_before = site.place != "sign"
        looks_after = site.place not in ("block-colon", "call")
    if looks_before:
        start = site.start
        while skeleton[start - 1] in BLANKS:
            start -= 1
        if (start < site.start) != wants_before:
            yield _Gap(start, site.start, site.place, " " if wants_before else "")
    if looks_after:
        end = site.end
        while skeleton[end] in BLANKS:
            end += 1
        if skeleton[end] in "\\\r\n#":
            return
        if (end > site.end) != wants_after:
            yield _Gap(site.end, end, site.place, " " if wants_after else "")


def _stretched(page: Page) -> Iterator[_Gap]:
    """More than one space between two tokens of a line."""
    for match in _WIDE.finditer(page.skeleton):
        yield _Gap(match.start(), match.end(), _STRETCHED, " ")


def _comment_gaps(page: Page, habits: Habits) -> Iterator[_Gap]:
    text = page.source.text
    if "comment-gap" in habits:
        wanted = int(habits["comment-gap"])
        for start, end in page.comment_gaps:
            # A wide gap, or a tab, makes a column of its own, to whatever it is meant to line up.
            if end - start != wanted and end - start < _WIDE_GAP and "\t" not in text[start:end]:
                yield _Gap(start, end, "comment-gap", " " * wanted)
    if habits.get("comment-mark", "") == AFTER:
        for start, side in comment_marks(page):
            if side == TIGHT:
                yield _Gap(start + 1, start + 1, "comment-mark", " ")
    if habits.get("line-end", "") == TIGHT:
        for start, end in page.spaces_at_line_ends():
            yield _Gap(start, end, "line-end", "")


# -- what is left alone ------------------------------------------------------------------------


def _kept(page: Page, habits: Habits, is_fenced: IsFenced) -> Iterator[_Gap]:
    """The gaps but for those in columns, in tables, and on lines that people fenced off."""
    tables = Tables(page)
    # How often the file lines cells up between such signs, and which wide gaps do not.
    n_columns: Counter[tuple[str, str]] = Counter()
    stray: list[tuple[_Gap, tuple[str, str]]] = []
    for gap in _uneven_gaps(page, habits):
        line = page.source.line_of(gap.start)
        if is_fenced(line):
            continue
        if gap.place in ("line-end", "comment-mark"):
            yield gap
            continue
        cell = _cell_at(page, gap.end, line)
        if _is_column(page, gap, line, habits):
            if cell is not None:
                n_columns[cell.sign] += 1
        elif not tables.hold(gap.start) and not _is_right_aligned(page, gap, line):
            if gap.place == _STRETCHED and cell is not None and _may_be_stray(cell, habits):
                stray.append((gap, cell.sign))
            else:
                yield gap
    for gap, sign in stray:
        # One wide gap among many that line up belongs to them: its neighbours are elsewhere.
        if n_columns[sign] < _COLUMNS_A_STRAY:
            yield gap


def _is_column(page: Page, gap: _Gap, line: int, habits: Habits) -> bool:
    """Whether what stands behind a gap lines up with its like on lines above and below.

    It takes one wide gap to make a column, and cells of different lengths before it: single spaces, and
    cells of one length, line up by themselves.
    """
    own = _cell_at(page, gap.end, line)
    if own is None:
        return False
    # Where nobody lines cells up by hand, two that do so by chance are no column.
    needed = _FEWEST_CELLS if _is_plain(own, habits) else 1
    column = gap.end - page.source.line_starts[line - 1]
    n_alike = 0
    is_real = False
    for step in (-1, 1):
        other = _neighbour(page, line, step)
        while other and n_alike < needed:
            there = _cell_at(page, page.source.line_starts[other - 1] + column, other)
            if there is None or there.sign != own.sign:
                break
            n_alike += 1
            widest = max(own.gap, there.gap)
            is_real = is_real or (there.end != own.end and widest > 1)
            if there.end != own.end and widest >= _WIDE_GAP:
                # Nobody comes by that by chance.
                return True
            other = _neighbour(page, other, step)
    if n_alike >= needed and is_real:
        return True
    if own.gap < _WIDE_GAP:
        return False
    # Near a wide column, a gap that misses it belongs to the table as well.
    others = (_neighbour(page, line, step) for step in (-1, 1))
    return any(_has_wide_gap(page, other, own.sign) for other in others if other)


def _is_right_aligned(page: Page, gap: _Gap, line: int) -> bool:
    """Whether a word or number behind a gap ends where a longer one ends on a line above or below, which fills the gap:
    `( 7, FULL),` above `(14, EMPTY),`."""
    word = _WORD.match(page.skeleton, gap.end)
    if word is None or gap.start == gap.end:
        return False
    line_start = page.source.line_starts[line - 1]
    first, start, end = (each - line_start for each in (gap.start, gap.end, word.end()))
    for step in (-1, 1):
        other = _neighbour(page, line, step)
        while other and (there := _word_ending_at(page, other, end)) is not None:
            if first <= there < start:
                return True
            other = _neighbour(page, other, step)
    return False


def _word_ending_at(page: Page, line: int, column: int) -> int | None:
    """At which column a word or number of a line begins that ends before a column; `None` where none ends there."""
    start, skeleton = page.source.line_starts[line - 1], page.skeleton
    end = start + column
    if end > page.line_end(line) or _WORD.match(skeleton, end - 1) is None or _WORD.match(skeleton, end) is not None:
        return None
    while end > start and _WORD.match(skeleton, end - 1) is not None:
        end -= 1
    return end - start


def _may_be_stray(cell: _Cell, habits: Habits) -> bool:
    """Whether a wide gap could be that of a column whose other cells are not beside it."""
    return cell.gap >= _WIDE_GAP or not _is_plain(cell, habits)


def _is_plain(cell: _Cell, habits: Habits) -> bool:
    """Whether nobody lines such cells up by hand in this project."""
    places = _column_places(cell.sign)
    return bool(places) and all(habits.get(place, "") == "plain" for place in places)


def _column_places(sign: tuple[str, str]) -> tuple[str, ...]:
    """The habits that say whether such cells are lined up."""
    if sign[1] == "#":
        return ()
    if sign[1] == "=":
        return ("columns",)
    if sign[0] == ":":
        return ("dict-columns",)
    return ("columns", "dict-columns")


def _has_wide_gap(page: Page, line: int, sign: tuple[str, str]) -> bool:
    """Whether a line has a wide gap between such signs."""
    start, end = page.source.line_starts[line - 1], page.line_end(line)
    return any(
        match.end() - match.start() >= _WIDE_GAP
        and _signs(page.skeleton, match.start(), match.end()) == sign
        for match in _WIDE.finditer(page.skeleton, start, end)
    )


class _Cell(NamedTuple):
    """What stands before a column on a line: the column at which it ends, the width of the gap behind
    it, and the signs on both sides of the gap."""

    end: int
    gap: int
    sign: tuple[str, str]


def _cell_at(page: Page, offset: int, line: int) -> _Cell | None:
    """The cell that ends before an offset; `None` where no token of the line begins there."""
    start, skeleton = page.source.line_starts[line - 1], page.skeleton
    if not start < offset < page.line_end(line) or skeleton[offset] in BLANKS:
        return None
    before = skeleton[start:offset]
    kept = before.rstrip(BLANKS)
    # White space at the beginning of a line is no column.
    if not kept:
        return None
    return _Cell(len(kept), len(before) - len(kept), _signs(skeleton, start + len(kept), offset))


def _signs(skeleton: str, end: int, start: int) -> tuple[str, str]:
    """The signs on both sides of a gap. Between two words it is the second that makes a column, such as
    `import` on lines of imports."""
    before, after = _sign(skeleton[end - 1]), _sign(skeleton[start])
    if before == after == _WORD_SIGN:
        word = _WORD.match(skeleton, start)
        return before, word.group() if word is not None else after
    return before, after


def _sign(character: str) -> str:
    """What a character says about the token that it belongs to: itself, unless it is part of a name, a
    number or a text, or a bracket around such."""
    return _WORD_SIGN if character.isalnum() or character in "_\"'-([{)]}" else character


def _neighbour(page: Page, line: int, step: int) -> int:
    """The next line with code above (-1) or below (1), 0 where there is none; comments and blank lines
    between are passed over."""
    n_lines = page.source.n_lines
    other = line + step
    while 1 <= other <= n_lines and (other in page.own_line_comments or page.is_blank(other)):
        other += step
    return other if other <= n_lines else 0
