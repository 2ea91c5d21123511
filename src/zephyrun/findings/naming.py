"""Names for what was found, chosen when all files of the project are known."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cache
from typing import TYPE_CHECKING

from zephyrun.facts import FileFacts
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse
from zephyrun.languages.python.contexts import NO_BINDING, AttributeContexts, read_contexts
from zephyrun.languages.python.reading import without_collector
from zephyrun.languages.python.reserved import RESERVED
from zephyrun.naming.answers import answer
from zephyrun.naming.features import is_good, is_variable
from zephyrun.naming.file_usage import FileUsage, UsageOfFiles, usage_of
from zephyrun.naming.glossary import NamedThing, things_in
from zephyrun.naming.letters import skeleton
from zephyrun.naming.offers import Derived, offers_of
from zephyrun.naming.questions import (
    ANY_NAME,
    Question,
    Suggestion,
    ask,
    ask_about_attribute,
    group_of,
    members_mentioned,
    names_mentioned,
)
from zephyrun.naming.usage import shipped_usage
from zephyrun.naming.word_choices import WordChoices

if TYPE_CHECKING:
    from zephyrun.findings.finding import Finding
    from zephyrun.findings.surveying import FileSurvey

# A bad name costs a reader as much when nobody knows a better one, but there is less to be done about it.
_WEIGHT_WITHOUT_SUGGESTION = 0.5


def read_usage(data: bytes) -> FileUsage | None:
    """What the names of a file add to those of its project; nothing where it cannot be read."""
    with without_collector():
        try:
            parsed = parse(data)
        except UnreadableSource:
            return None
        return usage_of(parsed.source, parsed.facts, read_contexts(parsed).by_binding)


def read_things(item: tuple[str, bytes]) -> list[NamedThing]:
    """What has a name in a file of a path and a content; nothing where it cannot be read."""
    path, data = item
    with without_collector():
        try:
            parsed = parse(data)
        except UnreadableSource:
            return []
        return things_in(path, parsed.source, parsed.facts, read_contexts(parsed).by_binding)


# For each finding that asks for names, those that somebody outside proposes.
Advice = Callable[[Sequence["Finding"]], Sequence[Sequence[Derived]]]


def answered(
    surveys: Sequence[FileSurvey],
    usages: Mapping[str, FileUsage],
    words: WordChoices = WordChoices(),
    advice: Advice | None = None,
) -> list[FileSurvey]:
    """The surveys with names for what asked for them. `usages` are those of the project's files by path, the
    surveyed ones among them; `words` are what its team says about them."""
    # Imported here: whoever asks for the names of one thing needs no findings.
    from zephyrun.findings.surveying import by_weight

    project = UsageOfFiles(usages)
    ease = _easing(project)
    surveys = [each._replace(findings=tuple(map(ease, each.findings))) for each in surveys]
    asking = [each for survey in surveys for each in survey.findings if each.question is not None]
    if not asking:
        return surveys
    offers: list[Sequence[Derived]] = [()] * len(asking)
    if advice is not None:
        # What has a twin or none is settled by the project alone.
        open_ones = [number for number, each in enumerate(asking) if each.question and not each.question.wanted.twins]
        for number, more in zip(open_ones, advice([asking[number] for number in open_ones]), strict=True):
            offers[number] = more
    questions = [
        finding.question.with_offers((*offers_of(words.chosen, finding.question.case.spelling), *more))
        for finding, more in zip(asking, offers, strict=True)
        if finding.question is not None
    ]
    with without_collector():
        found = answer(questions, shipped_usage(), project, RESERVED.__contains__, leave_out=_own_words_of(project))
    answers = iter(found)
    return [
        survey._replace(findings=tuple(sorted(_with_names(survey.findings, answers), key=by_weight)))
        for survey in surveys
    ]


def _with_names(
    findings: Sequence[Finding], answers: Iterator[tuple[Suggestion, ...] | None]
) -> Iterator[Finding]:
    for finding in findings:
        if finding.question is None:
            yield finding
        elif (suggestions := next(answers)) or (suggestions is not None and not finding.question.wanted.least_score):
            yield _named(finding, suggestions)


def better_names(
    path: str,
    parsed: ParsedFile,
    binding: int,
    usages: Mapping[str, FileUsage],
    words: WordChoices = WordChoices(),
    offers: Sequence[Derived] = (),
) -> tuple[Suggestion, ...]:
    """Names for one variable, function or class of a file; for a variable chosen together with those of the variables
    beside it that have no good name either. `usages` are those of the project's files, `words` what its team says
    about them; `offers` are more names for this one."""
    facts = parsed.facts
    group = group_of(facts, path, binding)
    contexts = read_contexts(parsed).by_binding
    beside = [binding]
    if is_variable(facts, binding):
        beside = [
            each
            for each in _variables_of(facts, path, group)
            if each == binding or not is_good(facts.bindings[each].name)
        ]
    questions = [
        ask(
            parsed.source,
            facts,
            each,
            contexts,
            names_mentioned(facts, facts.owner(facts.bindings[each].scope)),
            facts.bindings[each].name,
            group,
        ).with_offers(
            (*offers_of(words.chosen, facts.bindings[each].name), *(offers if each == binding else ()))
        )
        for each in beside
    ]
    return _answers(questions, usages)[beside.index(binding)]


def better_attribute_names(
    path: str,
    parsed: ParsedFile,
    attribute: AttributeContexts,
    usages: Mapping[str, FileUsage],
    words: WordChoices = WordChoices(),
    offers: Sequence[Derived] = (),
) -> tuple[Suggestion, ...]:
    """Names for one attribute that the methods of a class use of their own object; the rest as for `better_names`."""
    facts = parsed.facts
    question = ask_about_attribute(
        parsed.source,
        facts,
        (NO_BINDING - 1, attribute.name, attribute.contexts),
        members_mentioned(parsed.source, facts, attribute.class_scope),
        path,
    )
    (found,) = _answers([question.with_offers((*offers_of(words.chosen, attribute.name), *offers))], usages)
    return found


def _answers(
    questions: Sequence[Question], usages: Mapping[str, FileUsage]
) -> list[tuple[Suggestion, ...]]:
    found = answer(questions, shipped_usage(), UsageOfFiles(usages), RESERVED.__contains__)
    return [each or () for each in found]


def _own_words_of(project: UsageOfFiles) -> Callable[[Question], bool]:
    """What says whether a question is about the project's own short words, which its readers know: half of them, or
    more."""
    is_own = cache(project.is_own_word)

    def are_own(question: Question) -> bool:
        words = question.wanted.short_words
        return bool(words) and 2 * sum(map(is_own, words)) >= len(words)

    return are_own


def _easing(project: UsageOfFiles) -> Callable[[Finding], Finding]:
    """What lets any name be an answer where a short word is no term, but the bones of a word of the project."""
    is_short = cache(project.is_short_for_another)

    def ease(finding: Finding) -> Finding:
        question = finding.question
        if question is None or not question.wanted.unless_short:
            return finding
        bones = [word for word in question.wanted.short_words if skeleton(word) == word]
        if len(bones) < len(question.wanted.short_words) or not all(map(is_short, bones)):
            return finding
        wanted = ANY_NAME._replace(short_words=question.wanted.short_words)
        return replace(finding, question=replace(question, wanted=wanted))

    return ease


def _named(finding: Finding, suggestions: tuple[Suggestion, ...]) -> Finding:
    weight = finding.weight if suggestions else round(finding.weight * _WEIGHT_WITHOUT_SUGGESTION, 1)
    return replace(finding, suggestions=suggestions, weight=weight, question=None)


def _variables_of(facts: FileFacts, path: str, group: str) -> Iterator[int]:
    for binding in range(len(facts.bindings)):
        if is_variable(facts, binding) and group_of(facts, path, binding) == group:
            yield binding
