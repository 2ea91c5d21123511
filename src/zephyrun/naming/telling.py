"""What contexts and tables say, in words that a person believes."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zephyrun.facts import Context, ContextSort
from zephyrun.naming.candidates import Candidate, Support
from zephyrun.naming.remarks import snippet
from zephyrun.naming.usage import ProjectUsage
from zephyrun.source import SourceText

_MOST_EVIDENCE = 3
_ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth")
# How a context is put into words: with the code, what the context names, or the callee and the ordinal.
_SENTENCES = {
    ContextSort.FROM_CALL: "assigned from {code}",
    ContextSort.FROM_CALL_ON: "assigned from {code}",
    ContextSort.FROM_ATTRIBUTE: "assigned from {code}",
    ContextSort.FROM_KEY: "assigned from {code}",
    ContextSort.FROM_VARIABLE: "assigned from {code}",
    ContextSort.FROM_OPERATOR: "worked out as {code}",
    ContextSort.FROM_TEST: "says whether {code}",
    ContextSort.FROM_LITERAL: "begins as {code}",
    ContextSort.ITEM_OF: "assigned from {code}",
    ContextSort.ALL_OF: "made from {code}",
    ContextSort.EACH: "collected by {code}",
    ContextSort.PART_OF: "a part of {code}",
    ContextSort.ELEMENT_OF: "one of {code}",
    ContextSort.ELEMENT_OF_CALL: "one of {code}",
    ContextSort.GROWS_BY: "grows by {code}",
    ContextSort.WITH: "opened by {code}",
    ContextSort.CAUGHT: "caught as {name}",
    ContextSort.ARGUMENT: "passed to {callee}() as its {ordinal} argument",
    ContextSort.KEYWORD: "passed as {name}=",
    ContextSort.STORED: "stored as {name}",
    ContextSort.BECOMES: "becomes {name}",
    ContextSort.PUT_INTO: "put into {code}",
    ContextSort.ATTRIBUTE: "asked for .{name}",
    ContextSort.KEY: "looked into: {code}",
    ContextSort.INDEX_INTO: "looks up {code}",
    ContextSort.COMPARED: "compared in {code}",
    ContextSort.OPERAND: "reckoned with in {code}",
    ContextSort.ASKED: "asked as a condition",
    ContextSort.RETURNED: "returned by {callee}",
    ContextSort.ITERATED: "looped over",
    ContextSort.SHOWN: "shown behind “{name}”",
    ContextSort.IS_A: "checked to be a {name}",
    ContextSort.OTHER_USE: "used",
    ContextSort.PARAMETER: "{ordinal} parameter of {callee}()",
    ContextSort.DEFAULT: "its default is {code}",
    ContextSort.ANNOTATED: "annotated as {code}",
    ContextSort.DESCRIBED: "documented with the word “{name}”",
    ContextSort.BESIDE: "beside {name}",
}
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
}
# Features that hardly anybody would believe by themselves.
_UNTOLD = frozenset({"shape", ContextSort.FROM_LITERAL, ContextSort.ASKED, ContextSort.OTHER_USE})
_LEAST_SHARE = 0.1
_LEAST_COUNT = 2


def teller(source: SourceText) -> Callable[[Context], str]:
    """What puts the contexts of a file into words."""
    return lambda context: _told(
        _SENTENCES[context.sort], context.sort, context.name, snippet(source.text[context.start : context.end])
    )


def _told(sentence: str, sort: str, name: str, code: str) -> str:
    callee, _, place = name.partition(":")
    number = place.partition("/")[0]
    ordinal = _ORDINALS[int(number)] if number.isdigit() and int(number) < len(_ORDINALS) else "further"
    if sort == ContextSort.RETURNED:
        callee = callee.removesuffix("*")
    return sentence.format(
        code=code,
        name=name.rpartition("@")[2].removesuffix("="),
        callee=callee,
        ordinal=ordinal,
    )


def evidence_of(candidate: Candidate, spelling: str, project: ProjectUsage) -> tuple[str, ...]:
    """What speaks for a name in place of an old one, the best first: at most three short phrases, none where
    nothing does that a person would believe."""
    said = [each.told for each in candidate.derived if each.told]
    if any(each.derivation == "expanded" for each in candidate.derived) and sum(map(str.isalpha, spelling)) > 1:
        said.append(f"{spelling} may be short for it")
    shipped, own = candidate.supports
    told = [*said[:2], *_from_project(candidate.text, own, project), *said[2:], *_from_elsewhere(shipped)]
    return tuple(dict.fromkeys(told))[:_MOST_EVIDENCE]


def _best(supports: Sequence[Support]) -> list[Support]:
    believed = [each for each in supports if each.feature.sort not in _UNTOLD and each.share >= _LEAST_SHARE]
    return sorted(believed, key=lambda each: -each.share * each.information * each.places / (each.places + 1))


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
            return [f"another variable {_alike(support)} is called so, in {where}"]
        return [f"{count} of {total} variables {_alike(support)} are called so here, as in {where}"]
    return []


def _from_elsewhere(supports: Sequence[Support]) -> list[str]:
    for support in _best(supports):
        if support.places >= _LEAST_COUNT:
            return [f"so are {support.share:.0%} of variables {_alike(support)} in other people's code"]
    return []


def _alike(support: Support) -> str:
    feature = support.feature
    if feature.sort == "within":
        is_whole = feature.name.endswith("()")
        return f"in {feature.name}" if is_whole else f"in functions about “{feature.name}”"
    sentence = _ALIKE.get(feature.sort)  # type: ignore[call-overload]
    return _told(sentence, feature.sort, feature.name, "") if sentence is not None else feature.told
