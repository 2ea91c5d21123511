"""Give a number a name at the top of the module.

A step replaces one number; steps that agree on name and number share one definition. The checks here
give plain reasons early; safety rests on the proof.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from zephyrun.changes.new_names import reason_against_spelling
from zephyrun.changes.refusal import Refusal
from zephyrun.facts import FileFacts, Literal, ScopeKind, Statement
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.patterns import lazy_pattern
from zephyrun.source import Edit, EditSet, SourceText

_NUMBER_SORTS = frozenset({"int", "float", "complex"})
_NO_PLACE_FOR_A_NAME = {
    "case": "in a pattern a name would capture instead of compare",
    "annotation": "in an annotation the number itself is the meaning",
}
_CONSTANT = lazy_pattern(r"_?[A-Z][A-Z0-9_]*\s*=[^=]")
_DUNDER = lazy_pattern(r"__\w+__\s*=[^=]")
_IMPORTS = frozenset({"import", "importfrom"})
_CHOICES = frozenset({"if", "try"})
_QUOTES = "\"'rRuU"
_DEFINITIONS = frozenset({"functiondef", "asyncfunctiondef", "classdef"})


@dataclass(frozen=True)
class NamedNumber:
    """One number that is to be replaced by a name. `spelling` is how the number is written."""

    edit: Edit
    name: str
    spelling: str
    value: str


def name_number(
    source: SourceText, facts: FileFacts, literal: Literal, new: str
) -> NamedNumber | Refusal:
    """Prepare the replacement of one number, or say why there is none."""
    spelling = source.text[literal.start : literal.end]
    if (reason := _reason_against(facts, literal, spelling, new)) is not None:
        return Refusal(reason)
    return NamedNumber(Edit(literal.start, literal.end, new), new, spelling, literal.value)


def define_constants(
    source: SourceText, facts: FileFacts, numbers: Sequence[NamedNumber]
) -> EditSet | Refusal:
    """The edit that defines the constants for some numbers, in the order of their first use.

    They stand behind the imports, and behind the constants that stand there already.
    """
    numbers = sorted(numbers, key=lambda number: number.edit.start)
    known: dict[str, NamedNumber] = {}
    for number in numbers:
        first = known.setdefault(number.name, number)
        if first.value != number.value:
            return Refusal(f"another step gives the name `{number.name}` to {first.spelling}")
    top = [each for each in facts.statements if each.depth == 0]
    last = _last_before_constants(source, facts, top, numbers[0].edit.start)
    lines = "".join(f"{each.name} = {each.spelling}\n" for each in known.values())
    if last is None:
        offset = _start_with_comments(source, facts, top[0])
        gap = "\n\n" if top[0].sort in _DEFINITIONS else "\n"
        return EditSet([Edit(offset, offset, _with_line_ends(source, lines + gap))])
    line = source.line_of(max(last.end - 1, last.start))
    if any(each.start > last.start and source.line_of(each.start) == line for each in top):
        return Refusal("other statements share the line below which the constant would stand")
    if line >= len(source.line_starts):
        return Refusal("nothing follows the imports that could use the constant")
    offset = source.line_starts[line]
    is_beside_constants = _CONSTANT.match(source.text, last.start) is not None
    above = "" if is_beside_constants else "\n"
    text = above + lines + _gap_below(source, top, line)
    return EditSet([Edit(offset, offset, _with_line_ends(source, text))])


def _reason_against(facts: FileFacts, literal: Literal, spelling: str, new: str) -> str | None:
    if literal.sort not in _NUMBER_SORTS:
        return f"`{spelling}` is no number"
    if not new:
        return f"no name is given for {spelling}; fill in `new` in the plan"
    if (reason := reason_against_spelling(new)) is not None:
        return reason
    if new in BUILTINS:
        return f"`{new}` is a builtin, and would be hidden"
    if new in facts.names:
        return f"`{new}` is used in the module already"
    if any(new in text.words for text in facts.texts if text.use != "documentation"):
        return f"`{new}` stands in a text of the module, which may look it up"
    if (reason := _NO_PLACE_FOR_A_NAME.get(literal.context)) is not None:
        return reason
    if facts.scopes[literal.scope].kind is ScopeKind.TYPES:
        return "among type parameters a name may be looked up later"
    return None


def _last_before_constants(
    source: SourceText, facts: FileFacts, top: list[Statement], first_use: int
) -> Statement | None:
    """The statement below which constants go: the last constant in the module's head, else its last
    import or its documentation; `None` for a module without a head.

    The head reaches to the first definition, and to the first use.
    """
    last = last_constant = None
    for index, statement in enumerate(top):
        if statement.sort in _DEFINITIONS or statement.end > first_use:
            break
        text = source.text
        if statement.sort == "assign" and _CONSTANT.match(text, statement.start) is not None:
            last_constant = statement
        elif (
            statement.sort in _IMPORTS
            or (index == 0 and statement.sort == "expr" and text[statement.start] in _QUOTES)
            or (statement.sort == "assign" and _DUNDER.match(text, statement.start) is not None)
            or (statement.sort in _CHOICES and _holds_only_imports(facts, statement))
        ):
            last = statement
    return last_constant or last


def _holds_only_imports(facts: FileFacts, around: Statement) -> bool:
    inside = [
        each for each in facts.statements if around.start < each.start and each.end <= around.end
    ]
    return bool(inside) and all(each.sort in _IMPORTS for each in inside)


def _start_with_comments(source: SourceText, facts: FileFacts, statement: Statement) -> int:
    """Where the line of a statement begins, with the comments right above it; those at the very top
    of a file belong to the file and stay there."""
    line = source.line_of(statement.start)
    commented = {source.line_of(each.start) for each in facts.comments if each.own_line}
    first = line
    while first - 1 in commented:
        first -= 1
    return source.line_starts[(line if first == 1 else first) - 1]


def _gap_below(source: SourceText, top: list[Statement], line: int) -> str:
    """Blank lines that are missing below a definition that comes after the 1-based `line`."""
    following = [each for each in top if source.line_of(each.start) > line]
    if line + 1 > source.n_lines or not source.line(line + 1).strip(" \t\f") or not following:
        return ""
    if _CONSTANT.match(source.text, following[0].start):
        return ""
    return "\n\n" if following[0].sort in _DEFINITIONS else "\n"


def _with_line_ends(source: SourceText, text: str) -> str:
    """The text with line ends as the file begins to write them."""
    match = re.search(r"\r\n|\r|\n", source.text)
    return text.replace("\n", match[0] if match else "\n")
