"""All departures of a page, by kind, and how to find one again by its address."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from zephyrun.facts import FileFacts
from zephyrun.layout.departure import Departure, IsFenced
from zephyrun.layout.habits import Habits
from zephyrun.layout.indentation import find_ragged_indent
from zephyrun.layout.page import Page
from zephyrun.layout.spacing import find_uneven_spacing

_Finder = Callable[[Page, FileFacts, Habits, IsFenced], Iterator[Departure]]


# The finders below are imported where they are needed: small files do without, and start-up should stay
# fast.
def _find_crammed_lines(
    page: Page, facts: FileFacts, habits: Habits, is_fenced: IsFenced
) -> Iterator[Departure]:
    skeleton = page.skeleton
    if not (page.block_colons or page.brackets or ";" in skeleton or " else " in skeleton):
        return iter(())
    from zephyrun.layout.crammed import find_crammed_lines

    return find_crammed_lines(page, habits, is_fenced)


def _find_walls(
    page: Page, facts: FileFacts, habits: Habits, is_fenced: IsFenced
) -> Iterator[Departure]:
    if not facts.definitions:
        return iter(())
    from zephyrun.layout.paragraphs import find_walls

    return find_walls(page, facts, is_fenced)


def _find_overlong_lines(
    page: Page, facts: FileFacts, habits: Habits, is_fenced: IsFenced
) -> Iterator[Departure]:
    text = page.source.text
    limit = int(habits.get("line-width", "0"))
    is_plain = page.source.is_ascii and "\t" not in text
    if not limit or (is_plain and max(map(len, text.split("\n"))) <= limit):
        return iter(())
    from zephyrun.layout.overlong import find_overlong_lines

    return find_overlong_lines(page, habits, is_fenced)


# In the order in which they are mended: each stands on what those before it have settled.
FINDERS: dict[str, _Finder] = {
    "ragged-indent": lambda page, facts, habits, is_fenced: find_ragged_indent(page, habits, is_fenced),
    "crammed-line": _find_crammed_lines,
    "uneven-spacing": lambda page, facts, habits, is_fenced: find_uneven_spacing(page, habits, is_fenced),
    "overlong-line": _find_overlong_lines,
    "wall-of-code": _find_walls,
}


# Through these a program can count its own lines.
_LINE_READERS = frozenset(
    "extract_stack extract_tb walk_tb walk_stack f_lineno tb_lineno co_firstlineno getframeinfo findsource "
    "getsourcelines".split()
)


def line_reader(facts: FileFacts) -> str:
    """By what a file reads line numbers, "" where it does not. They are no behaviour, but code that
    counts on where its own lines stand breaks when they move."""
    imported = {name.rpartition(".")[2] for name in facts.imports}
    return min(_LINE_READERS & (facts.attributes | imported), default="")


def moves_lines(page: Page, departure: Departure) -> bool:
    """Whether mending it changes how many lines stand above others."""
    text = page.source.text
    return any(
        edit.text.count("\n") != text.count("\n", edit.start, edit.end)
        or edit.text.count("\r") != text.count("\r", edit.start, edit.end)
        for edit in departure.edits
    )


class Addressed(NamedTuple):
    """A departure with its address: the scope's dotted name within the module, and which of those
    with its subject it is."""

    departure: Departure
    scope: str
    ordinal: int


def find_departures(
    page: Page, facts: FileFacts, habits: Habits, kind: str, is_fenced: IsFenced
) -> Iterator[Addressed]:
    """The departures of one kind, in text order."""
    return addressed(FINDERS[kind](page, facts, habits, is_fenced), facts)


def addressed(departures: Iterable[Departure], facts: FileFacts) -> Iterator[Addressed]:
    """Departures with their addresses, in text order."""
    alike: Counter[tuple[str, str]] = Counter()
    for departure in sorted(departures, key=lambda each: each.start):
        scope = facts.dotted(facts.scope_at(departure.start))
        alike[scope, departure.subject] += 1
        yield Addressed(departure, scope, alike[scope, departure.subject])
