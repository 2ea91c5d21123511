"""Walls of code: long runs of statements without a paragraph, and where they part.

A paragraph ends where what was set up has been used: a cut costs as much as names lead over it from
one statement to the next, and a good one stands behind a block or before a comment that reads like a
heading.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

from zephyrun.facts import BINDING_ROLES, Definition, FileFacts, ScopeKind, Statement
from zephyrun.layout.departure import Departure, IsFenced, line_end_of, subject_at
from zephyrun.layout.page import Page
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit

# From so many lines on, and so many statements side by side, a reader looks for a place to rest.
_WALL_LINES = 30
_WALL_STATEMENTS = 8
# A comment between statements is a place to rest as well, if a small one.
_LINES_OF_REST = 8
_MOSTLY_ALIKE = 0.6
# A paragraph that keeps so much of the wall does not help.
_STILL_A_WALL = 0.75
_BLOCKS = frozenset(
    "if for while try trystar with match asyncfor asyncwith functiondef asyncfunctiondef classdef".split()
)
_GOOD_LENGTH = 8
_SHORTEST = 2
_LENGTH_COST = 0.06
_SHORT_COST = 3.0
_NAME_COST = 3.0
# What is alike line by line reads like a table, and is never parted.
_ALIKE_COST = 1000.0
_BEHIND_BLOCK, _BEFORE_BLOCK, _BEFORE_HEADING, _BEFORE_END = -2.0, -0.5, -6.0, -1.0
_SET_UP = 3
_OWN_OBJECTS = frozenset({"self", "cls"})
_WORD = lazy_pattern(r"[\w.\"]+")
_CALLEE = lazy_pattern(r"[\w.]+\(")
_GLANCE, _SHAPE_LENGTH = 60, 12


class _Line(NamedTuple):
    """One statement of a wall: the 1-based lines it covers (`top` with the comments above it), the
    names that it binds and reads, and its shape: its first characters without the words."""

    statement: Statement
    top: int
    first: int
    last: int
    bound: frozenset[int]
    read: frozenset[int]
    shape: str


def find_walls(page: Page, facts: FileFacts, is_fenced: IsFenced) -> Iterator[Departure]:
    """Runs of statements in functions that are too long to be taken in without a paragraph."""
    line_end = line_end_of(page.source.text)
    for run in _runs(page, facts):
        if any(map(is_fenced, range(run[0].top, run[-1].last + 1))):
            continue
        cuts = _best_cuts(run) if not _is_list(run) else []
        if not cuts or _longest_part(run, cuts) > _STILL_A_WALL:
            continue
        n_lines = run[-1].last - run[0].top + 1
        start = run[0].statement.start
        yield Departure(
            "wall-of-code",
            subject_at(page, start),
            start,
            page.line_end(run[0].first),
            f"{n_lines} lines follow one another without a paragraph.",
            tuple(
                Edit(offset, offset, line_end)
                for offset in (page.source.line_starts[run[cut].top - 1] for cut in cuts)
            ),
        )


def _is_list(run: Sequence[_Line]) -> bool:
    """Whether a run is one list of like things, such as fields that are set or options that are added:
    nothing in it parts."""
    ways = Counter(
        line.shape if line.shape.endswith("(") else line.statement.sort
        for line in run
        if line.statement.sort not in _BLOCKS
    )
    return max(ways.values(), default=0) >= _MOSTLY_ALIKE * len(run)


def _longest_part(run: Sequence[_Line], cuts: Sequence[int]) -> float:
    """The share of a run that its longest paragraph would have."""
    bounds = [0, *cuts, len(run)]
    n_lines = [run[end - 1].last - run[begin].top + 1 for begin, end in pairwise(bounds)]
    return max(n_lines) / sum(n_lines)


def _runs(page: Page, facts: FileFacts) -> Iterator[list[_Line]]:
    """The walls of a file, each as its statements side by side."""
    source = page.source
    for siblings in _siblings(page, facts):
        first_line, last_line = source.line_of(siblings[0].start), source.line_of(siblings[-1].end - 1)
        if len(siblings) < _WALL_STATEMENTS or last_line - first_line + 1 < _WALL_LINES:
            continue
        begun = 0
        for index in range(1, len(siblings) + 1):
            is_end = index == len(siblings)
            line = source.line_of(siblings[index - 1].start)
            following = last_line if is_end else source.line_of(siblings[index].start)
            has_blank = page.first_blank(range(line, following + 1)) > 0
            if is_end or has_blank:
                # What has a paragraph inside is no wall itself, and ends one.
                yield from _as_wall(page, facts, siblings[begun : index - (is_end and has_blank)])
                begun = index


def _siblings(page: Page, facts: FileFacts) -> Iterator[list[Statement]]:
    """The statements of each block of the long functions, in the order in which the blocks end."""
    line_of = page.source.line_of
    for definition in facts.definitions:
        n_lines = line_of(definition.end) - line_of(definition.start) + 1
        if definition.sort is ScopeKind.FUNCTION and n_lines >= _WALL_LINES:
            yield from _blocks_of(page, facts, definition)


def _has_head_between(page: Page, before: Statement, after: Statement) -> bool:
    """Whether an `else`, a handler or a case begins between two statements of one depth."""
    colons = page.block_colons
    index = bisect_left(colons, before.end)
    return index < len(colons) and colons[index] < after.start


def _blocks_of(page: Page, facts: FileFacts, function: Definition) -> Iterator[list[Statement]]:
    starts = facts.statement_starts
    within = range(bisect_left(starts, function.start), bisect_left(starts, function.end))
    blocks: dict[int, list[Statement]] = {}
    for statement in map(facts.statements.__getitem__, within):
        for depth in [depth for depth in blocks if depth > statement.depth]:
            yield blocks.pop(depth)
        if statement.scope != function.inner_scope:
            continue
        block = blocks.setdefault(statement.depth, [])
        if block and _has_head_between(page, block[-1], statement):
            yield block
            blocks[statement.depth] = block = []
        block.append(statement)
    yield from blocks.values()


def _as_wall(page: Page, facts: FileFacts, statements: Sequence[Statement]) -> Iterator[list[_Line]]:
    source = page.source
    if len(statements) <= _WALL_STATEMENTS:
        return
    if page.skeleton[statements[0].start] == '"':
        # A text that documents the function is set apart by its quotes.
        statements = statements[1:]
    lines = [_line(page, facts, statement) for statement in statements]
    n_rests = sum(line.top < line.first for line in lines[1:])
    if lines[-1].last - lines[0].first + 1 - n_rests * _LINES_OF_REST < _WALL_LINES:
        return
    if any(after.first <= before.last for before, after in zip(lines, lines[1:], strict=False)):
        # Statements that share a line are parted first.
        return
    if not page.first_blank(range(lines[0].first, lines[-1].last + 1)):
        yield lines


def _line(page: Page, facts: FileFacts, statement: Statement) -> _Line:
    source = page.source
    first, last = source.line_of(statement.start), source.line_of(statement.end - 1)
    top = first
    while top - 1 in page.own_line_comments:
        top -= 1
    references = facts.references
    begin = bisect_left(facts.reference_starts, statement.start)
    stop = bisect_left(facts.reference_starts, statement.end)
    own = references[begin:stop]
    bound = {each.binding for each in own if each.role in BINDING_ROLES}
    if statement.sort == "expr" and own and facts.bindings[own[0].binding].name not in _OWN_OBJECTS:
        # What a method is called on is changed, more often than not.
        bound.add(own[0].binding)
    read = frozenset(each.binding for each in own)
    return _Line(statement, top, first, last, frozenset(bound), read, _shape(page, statement))


def _shape(page: Page, statement: Statement) -> str:
    """What a statement looks like at a glance: the callee of a call, else its beginning without the
    words."""
    code = page.skeleton[statement.start : statement.start + _GLANCE]
    callee = _CALLEE.match(code)
    return callee.group() if callee is not None else _WORD.sub("w", code)[:_SHAPE_LENGTH]


def _best_cuts(run: Sequence[_Line]) -> list[int]:
    """The indices of the statements before which a paragraph begins, at the least cost."""
    best: list[tuple[float, int]] = [(0.0, 0)]
    for end in range(1, len(run) + 1):
        options = []
        for begin in range(end):
            n_lines = run[end - 1].last - run[begin].top + 1
            cost = best[begin][0] + _LENGTH_COST * (n_lines - _GOOD_LENGTH) ** 2
            cost += _SHORT_COST * (n_lines < _SHORTEST and end - begin < len(run))
            if begin:
                cost += _cut_cost(run, begin)
            options.append((cost, begin))
        best.append(min(options))
    cuts: list[int] = []
    end = len(run)
    while end:
        end = best[end][1]
        if end:
            cuts.append(end)
    return cuts[::-1]


def _cut_cost(run: Sequence[_Line], begin: int) -> float:
    """What it costs to part a run before the statement `begin`."""
    above, below = run[begin - 1], run[begin]
    set_up = frozenset().union(*(line.bound for line in run[max(begin - _SET_UP, 0) : begin]))
    cost = _NAME_COST * len(above.bound & below.read) + 0.5 * len(set_up & below.read)
    if above.statement.sort in _BLOCKS:
        cost += _BEHIND_BLOCK
    elif below.statement.sort in _BLOCKS:
        cost += _BEFORE_BLOCK
    if below.top < below.first:
        cost += _BEFORE_HEADING
    elif above.shape == below.shape:
        cost += _ALIKE_COST
    if begin == len(run) - 1 and below.statement.sort == "return":
        cost += _BEFORE_END
    return cost
