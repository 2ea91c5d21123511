"""`magic-number`: numbers whose meaning a reader has to guess.

A number is plain, and left alone, where something beside it says what it is (a parameter's default, a
keyword, a name that it is assigned to, a key), where it is one of those that mean themselves (0, 1, 2,
a half), where it is data among other data, and in tests, whose numbers are examples.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from zephyrun.facts import Literal, ScopeKind
from zephyrun.findings.finding import FileView, Finding, Remedy, please_confirm
from zephyrun.languages.python.reserved import RESERVED
from zephyrun.linking.modules import is_test
from zephyrun.naming.constants import code_before, suggest_constant_names
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.named_constants import namespace_reservations

_PLAIN = frozenset({"0", "1", "2", "0.0", "1.0", "2.0", "0.5", "-1", "0j", "1j"})
_SORTS = frozenset({"int", "float", "complex"})
# Where something beside the number says what it is, or where no name could stand.
_PLAIN_CONTEXTS = frozenset(
    "default keyword assigned key value element index annotation case decorator format".split()
)
_PLAIN_CALLEES = frozenset(
    """round range int str float pow divmod log split rsplit zfill ljust rjust date datetime time
    Fraction Decimal""".split()
)
# Beside these every reader knows what a number counts.
_CALENDAR = frozenset("month weekday isoweekday day hour minute version_info major minor".split())
_WEIGHTS = {"compared": 1.6, "operand": 1.5, "argument": 1.3, "returned": 1.2}
_WEIGHT_ELSEWHERE = 1.0
_WEIGHT_A_REPETITION = 0.2
_MOST_REPETITIONS = 5
_WEIGHT_WITHOUT_SUGGESTION = 0.5
_PERCENT = lazy_pattern(r"[*/]\s*$")
_TEXT_TIMES = lazy_pattern(r"['\"]\s*\*\s*$")
_TIMES_TEXT = lazy_pattern(r"\s*\*\s*[rbuf]*['\"]")
_FROM_THE_END = lazy_pattern(r"[:\[]\s*-\s*$")
_MASK = lazy_pattern(r"0[xXbBoO]")


def find_magic_numbers(view: FileView) -> Iterator[Finding]:
    """Judge every number of the file."""
    if is_test(view.path):
        return
    confirm: tuple[str, ...] | None = None
    promised: dict[str, str] = {}
    for literal in view.facts.literals:
        if not _is_magic(view, literal):
            continue
        if confirm is None:
            confirm = tuple(
                dict.fromkeys(
                    each.what
                    for each in namespace_reservations(view.source.text, view.facts, view.surroundings)
                )
            )
        needed = (*confirm, *view.read_as_text((literal.start,)), *view.read_off_code)
        finding = _finding(view, literal, view.facts.literal_counts[literal.value], needed, promised)
        if finding.suggestions:
            promised.setdefault(finding.suggestions[0].text, literal.value)
        yield finding


def _is_magic(view: FileView, literal: Literal) -> bool:
    if literal.sort not in _SORTS or literal.value in _PLAIN or literal.context in _PLAIN_CONTEXTS:
        return False
    facts, text = view.facts, view.source.text
    spelling = text[literal.start : literal.end]
    before = code_before(view.source, literal)
    if _MASK.match(spelling) or literal.beside in _PLAIN_CALLEES | _CALENDAR:
        return False
    if _FROM_THE_END.search(before):
        return False
    if _TEXT_TIMES.search(before) or _TIMES_TEXT.match(text, literal.end):
        return False
    if literal.value in ("100", "100.0") and _PERCENT.search(before):
        return False
    if facts.scopes[literal.scope].kind is ScopeKind.CLASS:
        return False
    # At the top of a module a number is part of what a name there is computed from.
    return literal.scope != 0 or literal.context in ("compared", "argument")


def _finding(
    view: FileView,
    literal: Literal,
    count: int,
    confirm: tuple[str, ...],
    promised: Mapping[str, str],
) -> Finding:
    """The finding for one number; `promised` are names that numbers before it would like."""
    facts, source = view.facts, view.source
    spelling = source.text[literal.start : literal.end]

    def is_free(name: str) -> bool:
        is_taken = name in facts.names or name in RESERVED
        return not is_taken and promised.get(name, literal.value) == literal.value

    suggestions = suggest_constant_names(source, facts, literal, is_free)
    weight = _WEIGHTS.get(literal.context, _WEIGHT_ELSEWHERE)
    weight += _WEIGHT_A_REPETITION * min(count - 1, _MOST_REPETITIONS)
    also = f" It stands in this file {count} times." if count > 1 else ""
    return Finding(
        kind="magic-number",
        path=view.path,
        start=source.place(literal.start),
        end=source.place(literal.end),
        subject=spelling,
        scope=view.scope_name(literal.scope),
        ordinal=facts.literals_at(source.text, facts.dotted(literal.scope), spelling).index(literal) + 1,
        message=f"A reader has to guess what {spelling} stands for.{also}{please_confirm(confirm)}",
        weight=round(weight if suggestions else weight * _WEIGHT_WITHOUT_SUGGESTION, 1),
        remedy=Remedy.REVIEW if confirm else Remedy.SAFE,
        suggestions=suggestions,
        confirm=confirm,
    )
