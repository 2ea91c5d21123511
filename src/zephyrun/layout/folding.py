"""Folding: breaking a line at its brackets, in the project's hand.

Words used here:

- *hanging*: the contents begin on the next line, one step further in than the line they belong to;
  *aligned*: they go on below the first of them.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from zephyrun.layout.habits import Habits
from zephyrun.layout.indentation import MIXED, step_text
from zephyrun.layout.page import DEFINITION, flat_skeleton
from zephyrun.layout.sites import BLANKS
from zephyrun.layout.widths import display_width
from zephyrun.patterns import lazy_pattern

_OPERATORS = (
    (" or ",),
    (" and ",),
    (" == ", " != ", " <= ", " >= ", " < ", " > ", " in ", " not in ", " is ", " is not "),
    (" | ",),
    (" + ", " - "),
    (" * ", " / ", " // ", " % "),
)
_CLAUSE = lazy_pattern(r"(?<![\w.])(?:async[ \t]+for|(?<!async )for|if)\b")
_LOOP = lazy_pattern(r"(?<![\w.])for\b")
_BRANCH = lazy_pattern(r"(?<![\w.])(?:if|else)\b")
# What stands behind `await` may be less than all that follows.
_VALUE_HEADS = lazy_pattern(
    r"(?:return|yield(?:[ \t]+from)?|if|elif|while|assert|(?:async[ \t]+)?for\b.*?\bin)\b[ \t]*"
)
_IMPORT_HEAD = lazy_pattern(r"from[ \t]+[\w.]+[ \t]+import[ \t]+")
_ASSIGNED = lazy_pattern(r"(?<![=!<>:])(?:[-+*/%&|^@]|//|\*\*|>>|<<)?=(?!=)[ \t]*")
# Texts beside one another are one text to the language.
_BETWEEN_TEXTS = lazy_pattern(r"\"[ \t]+(?=[rbfuRBFU]{0,2}\")")
_DEEPEST = 8
# Beyond this part of the width there is too little room left below a bracket.
_FARTHEST_ALIGNED = 0.6


class Hand(NamedTuple):
    """How a project writes what runs over several lines."""

    unit: str
    limit: int
    is_hanging: bool
    closes_alone: bool
    is_filled: bool
    with_trailing_comma: bool
    breaks_after_operator: bool


def hand_of(habits: Habits, limit: int) -> Hand | None:
    """The project's hand; `None` where not even its indentation is settled."""
    unit = habits.get("indentation", MIXED)
    if unit == MIXED:
        return None
    return Hand(
        step_text(unit),
        limit,
        habits.get("continuation", "hanging") == "hanging",
        habits.get("closing-bracket", "own-line") == "own-line",
        habits.get("elements", "each") == "filled",
        habits.get("trailing-comma", "absent") == "present",
        habits.get("operator-break", "before") == "after",
    )


class Piece(NamedTuple):
    """A stretch of code and its skeleton, of the same length."""

    code: str
    skeleton: str

    def cut(self, start: int, end: int | None = None) -> Piece:
        """A part of it."""
        return Piece(self.code[start:end], self.skeleton[start:end])

    def stripped(self) -> Piece:
        """Without white space around."""
        start = len(self.code) - len(self.code.lstrip(BLANKS))
        return self.cut(start, max(len(self.code.rstrip(BLANKS)), start))

    def __add__(self, other: object) -> Piece:
        assert isinstance(other, Piece), "pieces are joined to pieces"
        return Piece(self.code + other.code, self.skeleton + other.skeleton)


def plain(code: str) -> Piece:
    """Code without texts, which is its own skeleton."""
    return Piece(code, code)


def folded(piece: Piece, indent: str, hand: Hand, *, is_statement: bool) -> list[str] | None:
    """The lines into which one line of code is folded, each within the limit; `None` where there is
    no such way. The first line begins with the indentation. What is no statement of its own stands
    inside brackets already."""
    lines = _fold(piece, indent, hand, _DEEPEST, is_statement=is_statement)
    return lines if lines is not None and len(lines) > 1 else None


def _fits(code: str, hand: Hand) -> bool:
    return display_width(code) <= hand.limit


def _fold(
    piece: Piece, indent: str, hand: Hand, depth: int, *, is_statement: bool = False
) -> list[str] | None:
    if _fits(indent + piece.code, hand):
        return [indent + piece.code]
    if not depth:
        return None
    # The fewest lines; of those the first way.
    return min(_ways(piece, indent, hand, depth, is_statement), key=len, default=None)


def _ways(
    piece: Piece, indent: str, hand: Hand, depth: int, is_statement: bool
) -> Iterator[list[str]]:
    """The ways to fold a line, the best ones first."""
    elements = [] if is_statement else _elements(piece)
    if len(elements) > 1:
        # Several elements on a line inside brackets: rather each on its own than one broken.
        ends = "," if piece.code.endswith(",") else ""
        written = [each + plain("," if each is not elements[-1] else ends) for each in elements]
        lines_of_elements = _each_folded(written, indent, hand, depth)
        if lines_of_elements is not None:
            yield lines_of_elements
            return
    value = value_range(piece) if is_statement else None
    if value is not None and _breaks(piece.cut(*value), hand):
        lines = list(_in_new_brackets(piece, value, indent, hand, depth))
        if lines:
            yield from lines
            return
    pairs = [pair for pair in reversed(_outer_pairs(piece.skeleton)) if pair[1] - pair[0] > 1]
    if value is not None and any(pair[0] < value[0] for pair in pairs):
        # Rather in new brackets than in those of an annotation or a target.
        pairs = [pair for pair in pairs if pair[0] >= value[0]]
    found = False
    # A subscript is broken only where nothing else is left to break.
    for start, end in sorted(pairs, key=lambda pair: _is_subscript(piece.skeleton, pair[0])):
        if found and _is_subscript(piece.skeleton, start):
            return
        lines_at_bracket = _at_bracket(piece, start, end, indent, hand, depth)
        if lines_at_bracket is not None:
            found = True
            yield lines_at_bracket
    if found:
        return
    if value is not None:
        yield from _in_new_brackets(piece, value, indent, hand, depth)
    elif not is_statement:
        parts = _parts(piece, hand)
        lines_of_parts = _each_folded(parts, indent, hand, depth) if len(parts) > 1 else None
        if lines_of_parts is not None:
            yield lines_of_parts


def _is_subscript(skeleton: str, start: int) -> bool:
    return (
        skeleton[start] == "["
        and start > 0
        and (skeleton[start - 1].isalnum() or skeleton[start - 1] in "_)]")
    )


def _outer_pairs(skeleton: str) -> list[tuple[int, int]]:
    """The pairs of brackets outside all others; the end is the closing one's own offset."""
    pairs: list[tuple[int, int]] = []
    depth = start = 0
    for offset, character in enumerate(skeleton):
        if character in "([{":
            if not depth:
                start = offset
            depth += 1
        elif character in ")]}":
            depth -= 1
            if not depth:
                pairs.append((start, offset))
    return pairs


def value_range(piece: Piece) -> tuple[int, int] | None:
    """The part of a statement around which brackets may be written: what it returns, assigns, tests
    or imports."""
    flat = flat_skeleton(piece.skeleton)
    end = len(piece.code)
    if ";" in flat:
        return None
    if match := _IMPORT_HEAD.match(flat):
        return (match.end(), end) if "(" not in flat and "*" not in flat else None
    if match := _VALUE_HEADS.match(flat):
        if flat.startswith("assert") and "," in flat:
            return None
        if not flat.startswith(("return", "yield", "assert")):
            head, _, body = flat.partition(":")
            if "lambda" in flat or ":=" in flat or body.strip():
                # The body of the block stands behind its head.
                return None
            end = len(head)
        if flat[match.end() : end].strip() == "" or "yield" in flat[match.end() : end]:
            return None
        return match.end(), end
    assigned = list(_ASSIGNED.finditer(flat))
    if assigned and not DEFINITION.match(flat) and "lambda" not in flat and "yield" not in flat:
        return assigned[-1].end(), end
    return None


def _in_new_brackets(
    piece: Piece, value: tuple[int, int], indent: str, hand: Hand, depth: int
) -> Iterator[list[str]]:
    """Write brackets around a value, and fold there. They group only: no comma comes into them, but
    for the names of an import."""
    start, end = value
    inside = piece.cut(start, end).stripped()
    if not inside.code:
        return
    is_import = _IMPORT_HEAD.match(piece.skeleton) is not None
    if not is_import and ("," in flat_skeleton(inside.skeleton) or _is_one_bracket(inside.skeleton)):
        return
    if not is_import and not _breaks(inside, hand) and not _fits(indent + hand.unit + inside.code, hand):
        return
    head = piece.cut(0, start)
    if head.code and head.code[-1] not in BLANKS:
        head += plain(" ")
    joined = head + plain("(") + inside + plain(")") + piece.cut(end)
    lines = _at_bracket(
        joined,
        len(head.code),
        len(head.code) + 1 + len(inside.code),
        indent,
        hand,
        depth,
        is_new=not is_import,
    )
    if lines is not None:
        yield lines


def _is_one_bracket(skeleton: str) -> bool:
    pairs = _outer_pairs(skeleton)
    return len(pairs) == 1 and pairs[0] == (0, len(skeleton) - 1)


def _at_bracket(
    piece: Piece, start: int, end: int, indent: str, hand: Hand, depth: int, *, is_new: bool = False
) -> list[str] | None:
    """Fold a line at one pair of its brackets; `None` where something still would not fit."""
    head, tail = piece.cut(0, start + 1), piece.cut(end)
    inside = piece.cut(start + 1, end).stripped()
    if not inside.code:
        return None
    if not hand.is_hanging:
        lines = _aligned(head, inside, tail, indent, hand)
        if lines is not None:
            return lines
    return _hanging(head, inside, tail, indent, hand, depth, is_new=is_new)


def _hanging(
    head: Piece, inside: Piece, tail: Piece, indent: str, hand: Hand, depth: int, *, is_new: bool
) -> list[str] | None:
    inner = indent + hand.unit
    if DEFINITION.match(head.code) and not hand.closes_alone:
        # Set apart from the body, which is one step further in.
        inner += hand.unit
    first = indent + head.code
    if not _fits(first, hand):
        return None

    elements = _elements(inside)
    closing = [indent + tail.code] if hand.closes_alone else []
    if closing and not _fits(closing[0], hand):
        return None
    is_list = len(elements) > 1
    on_one_line = inner + inside.code + ("" if closing else tail.code)
    if _fits(on_one_line, hand) and not inside.code.endswith(","):
        return [first, on_one_line, *closing]

    if not is_list:
        parts = _parts(inside, hand)
        if len(parts) == 1 and (is_new or not _outer_pairs(inside.skeleton)):
            return None
        lines = _each_folded(parts, inner, hand, depth)
    elif hand.is_filled and not closing:
        lines = _filled([each.code for each in elements], inner, inner, hand)
    else:
        lines = _each_folded(_with_commas(elements, head, hand, bool(closing)), inner, hand, depth)
    if lines is None:
        return None

    if not closing:
        lines[-1] += tail.code
        if not _fits(lines[-1], hand):
            return None
    return [first, *lines, *closing]


def _aligned(head: Piece, inside: Piece, tail: Piece, indent: str, hand: Hand) -> list[str] | None:
    first = indent + head.code
    # Tabs of the indentation stay tabs.
    inner = indent + " " * (display_width(first) - display_width(indent))
    if display_width(inner) > hand.limit * _FARTHEST_ALIGNED:
        return None
    elements = _elements(inside)
    if len(elements) > 1:
        lines = _filled([each.code for each in elements], first, inner, hand, n_behind=len(tail.code))
    else:
        parts = _parts(inside, hand)
        lines = None
        if len(parts) > 1:
            lines = [first + parts[0].code, *(inner + each.code for each in parts[1:])]
    if lines is None or len(lines) < 2:
        return None
    lines[-1] += tail.code
    return lines if all(_fits(line, hand) for line in lines) else None


def _filled(
    elements: Sequence[str], first: str, inner: str, hand: Hand, n_behind: int = 0
) -> list[str] | None:
    """As many elements a line as fit."""
    lines: list[str] = []
    line, is_empty = first, True
    for index, element in enumerate(elements):
        is_last = index == len(elements) - 1
        text = element if is_last else f"{element},"
        longer = line + text if is_empty else f"{line} {text}"
        if display_width(longer) + is_last * n_behind > hand.limit and not is_empty:
            lines.append(line)
            longer = inner + text
        line, is_empty = longer, False
        if not _fits(line, hand):
            return None
    return [*lines, line]


def _each_folded(
    parts: Sequence[Piece], inner: str, hand: Hand, depth: int
) -> list[str] | None:
    lines: list[str] = []
    for part in parts:
        own = _fold(part, inner, hand, depth - 1)
        if own is None:
            return None
        lines += own
    return lines


def _elements(inside: Piece) -> list[Piece]:
    """What commas part in a bracket; a comma behind the last one is left out."""
    flat = flat_skeleton(inside.skeleton)
    if "lambda" in flat or _CLAUSE.search(flat):
        # Their parameters and targets are parted by commas as well.
        return [inside]
    cuts = [offset for offset, character in enumerate(flat) if character == ","]
    bounds = [-1, *cuts, len(flat)]
    elements = [
        inside.cut(start + 1, end).stripped()
        for start, end in zip(bounds, bounds[1:], strict=False)
    ]
    if not elements[-1].code:
        elements.pop()
    if len(elements) == 1:
        # A comma behind a single element may make it a tuple.
        return [inside]
    return elements


def _with_commas(elements: Sequence[Piece], head: Piece, hand: Hand, closes_alone: bool) -> list[Piece]:
    """The elements, each with its comma; the last has one where the project writes it and it means
    nothing."""
    comma = plain(",")
    written = [each + comma for each in elements]
    may_trail = elements[-1].code != "*" and not _is_subscript(head.skeleton, len(head.code) - 1)
    if not (closes_alone and hand.with_trailing_comma and may_trail):
        written[-1] = elements[-1]
    return written


def _parts(inside: Piece, hand: Hand) -> list[Piece]:
    """The parts of one expression: the clauses of a comprehension, or what its loosest operators
    join."""
    breaks = _breaks(inside, hand)
    bounds = [0, *breaks, len(inside.code)]
    return [
        inside.cut(start, end).stripped()
        for start, end in zip(bounds, bounds[1:], strict=False)
        if start < end
    ]


def clause_starts(flat: str) -> list[int]:
    """Where the clauses of a comprehension begin, none where it is none."""
    loop = _LOOP.search(flat)
    if loop is None:
        return []
    # `async for` begins before its second word.
    first = loop.start() - len("async ")
    return [each.start() for each in _CLAUSE.finditer(flat) if each.start() >= first]


def _breaks(inside: Piece, hand: Hand) -> list[int]:
    """Where to break an expression: before the clauses of a comprehension or the branches of a
    condition, at its loosest operators, or between texts."""
    flat = flat_skeleton(inside.skeleton)
    if clauses := clause_starts(flat):
        return clauses
    if "lambda" in flat or ":=" in flat:
        return []
    if " if " in flat:
        return [each.start() for each in _BRANCH.finditer(flat)]
    operators = _operator_breaks(flat, hand)
    return operators or [each.end() for each in _BETWEEN_TEXTS.finditer(flat)]


def _operator_breaks(flat: str, hand: Hand) -> list[int]:
    for group in _OPERATORS:
        found = sorted(
            match.start() + 1
            for match in re.finditer("|".join(sorted(map(re.escape, group), key=len, reverse=True)), flat)
        )
        if found:
            if not hand.breaks_after_operator:
                return found
            return [offset + flat[offset:].index(" ") for offset in found]
    return []
