"""What speaks for a name, in words that a person believes."""

from __future__ import annotations

from collections.abc import Sequence

from zephyrun.facts import ContextSort
from zephyrun.naming.candidates import Candidate, Support
from zephyrun.naming.letters import MAY_BE_SHORT, words_of
from zephyrun.naming.short_forms import meanings_of
from zephyrun.naming.telling import told_of
from zephyrun.naming.usage import ProjectUsage
from zephyrun.naming.words import plural

_MOST_EVIDENCE = 3
# What is alike about the variables of a row, where it is not what is said of the one that is asked for.
_ALIKE = {
    ContextSort.FROM_CALL: "assigned from {callee}()",
    ContextSort.FROM_ATTRIBUTE: "assigned from .{name}",
    ContextSort.FROM_KEY: "assigned from [“{name}”]",
    ContextSort.ELEMENT_OF_CALL: "that are among {callee}()",
    ContextSort.RETURNED: "returned by {callee}()",
    ContextSort.ANNOTATED: "annotated with {name}",
    ContextSort.KEY: "asked for [“{name}”]",
    ContextSort.PARAMETER: "that are the {ordinal} parameter of {callee}()",
    ContextSort.ARGUMENT: "passed to {callee}() as its {ordinal} argument",
    ContextSort.GIVES: "that return {name}",
    ContextSort.ASKS: "that answer by {name}",
    ContextSort.CALLS: "that call {name}()",
    ContextSort.SETS: "that set .{name}",
    ContextSort.TAKES: "that take {name}",
    ContextSort.SAYS: "described with “{name}”",
    ContextSort.MEMBER_OF: "of classes called {name}",
    ContextSort.EXTENDS: "based on {name}",
    ContextSort.BEARS: "with a method {name}()",
    ContextSort.WRAPPED_BY: "decorated with {name}",
}
_OF_FUNCTIONS = frozenset(
    {
        ContextSort.GIVES,
        ContextSort.ASKS,
        ContextSort.CALLS,
        ContextSort.SETS,
        ContextSort.TAKES,
        ContextSort.MEMBER_OF,
    }
)
_OF_CLASSES = frozenset({ContextSort.EXTENDS, ContextSort.BEARS})
_OF_BOTH = frozenset({ContextSort.SAYS, ContextSort.WRAPPED_BY})
# Features that hardly anybody would believe by themselves.
_UNTOLD = frozenset({"shape", ContextSort.GIVES_A, ContextSort.FROM_LITERAL, ContextSort.ASKED, ContextSort.OTHER_USE})
_LEAST_SHARE = 0.1
_LEAST_COUNT = 2


def evidence_of(candidate: Candidate, spelling: str, project: ProjectUsage) -> tuple[str, ...]:
    """What speaks for a name in place of an old one, the best first: at most three short phrases, none where
    nothing does that a person would believe."""
    said = [each.told for each in candidate.derived if each.told]
    if any(each.derivation == "expanded" for each in candidate.derived) and sum(map(str.isalpha, spelling)) > 1:
        meanings = meanings_of(words_of(spelling), words_of(candidate.text))
        known = " and ".join(f"{short} is short for {whole}" for short, whole in meanings.items())
        said.append(f"in the trade, {known}" if known else MAY_BE_SHORT.format(spelling))
    shipped, own = candidate.supports
    told = [*said[:2], *_from_project(candidate.text, own, project), *said[2:], *_from_elsewhere(shipped)]
    return tuple(dict.fromkeys(told))[:_MOST_EVIDENCE]


def _best(supports: Sequence[Support]) -> list[Support]:
    believed = [each for each in supports if each.feature.sort not in _UNTOLD and each.share >= _LEAST_SHARE]
    # Where two say as much, what a value is goes before what is done with it.
    return sorted(
        believed,
        key=lambda each: (
            -round(each.share * each.information * each.places / (each.places + 1), 2),
            each.feature.group,
        ),
    )


def _from_project(text: str, supports: Sequence[Support], project: ProjectUsage) -> list[str]:
    for support in _best(supports):
        feature = support.feature
        place = project.place(feature.key, text)
        where = f"{place[0]}:{place[1]}" if place is not None else ""
        if feature.sort == ContextSort.PARAMETER and feature.is_counterpart:
            callee = feature.name.partition(":")[0]
            return [f"passed to {callee}({text}=…) in {where}"]
        row = project.row(feature.key)
        count, total = round(row.names[text]), round(row.total)
        if total == 1:
            return [f"another {_thing(support)} {_alike(support)} is called so, in {where}"]
        return [f"{count} of {total} {plural(_thing(support))} {_alike(support)} are called so here, as in {where}"]
    return []


def _from_elsewhere(supports: Sequence[Support]) -> list[str]:
    for support in _best(supports):
        if support.places >= _LEAST_COUNT:
            things = plural(_thing(support))
            return [f"so are {support.share:.0%} of {things} {_alike(support)} in other people's code"]
    return []


def _thing(support: Support) -> str:
    if support.feature.sort in _OF_FUNCTIONS:
        return "function"
    if support.feature.sort in _OF_CLASSES:
        return "class"
    return "definition" if support.feature.sort in _OF_BOTH else "variable"


def _alike(support: Support) -> str:
    feature = support.feature
    if feature.sort == "within":
        is_whole = feature.name.endswith("()")
        return f"in {feature.name}" if is_whole else f"in functions about “{feature.name}”"
    sentence = _ALIKE.get(feature.sort)  # type: ignore[call-overload]
    return told_of(sentence, feature.sort, feature.name, "") if sentence is not None else feature.told
