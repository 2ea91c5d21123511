"""Better names for what was asked, chosen when the whole project is known."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cache, partial

from zephyrun.facts import ContextSort
from zephyrun.naming.candidates import Candidate, candidates_of, derived_names
from zephyrun.naming.evidence import evidence_of
from zephyrun.naming.features import RESULTS, Feature
from zephyrun.naming.letters import stands_for, telling_letters, words_of
from zephyrun.naming.offers import CHOSEN, Derived
from zephyrun.naming.questions import (
    LOWEST_SCORE,
    LOWEST_SCORE_OF_A_DEFINITION,
    NameCase,
    Question,
    Sort,
    Suggestion,
)
from zephyrun.naming.ranking import Ranked, rank
from zephyrun.naming.short_forms import TRADE_MEANINGS
from zephyrun.naming.usage import ProjectUsage, Usage
from zephyrun.naming.words import TRADE_FORMS, crypticness, is_readable, plural, singular, split_name

_MOST_SUGGESTIONS = 5
# How often what is known of the others' new names is thought over.
_ROUNDS = 2
_SURE_SCORE = 0.5
_HIGHEST_SCORE = 0.99
# A name written out counts as what the project calls such things from so many places on, and where it is so much
# oftener there.
_FEWEST_TWINS = 3
_TIMES_AS_MANY = 2
_SCORE_OF_A_TWIN = 0.8
_MOST_WORDS_IN_A_NAME = 4
_MOSTLY = 0.5
# What only has to do with a thing need not be what it is.
_HINTING = frozenset({"function", "compared", "operand", "collection", "shown", "put into"})
# Where a thing stands says little of what it is; results are looked up among variables.
_SAYING_LITTLE = frozenset({"within", "shape", RESULTS, ContextSort.GIVES_A, ContextSort.MEMBER_OF, ContextSort.BESIDE})
# Words that would say no more than the short name does.
_EMPTY_WORDS = frozenset(
    """data info value values item items result results object obj thing things tmp temp temporary
    var variable ret retval res func function method call callback cb args kwargs arg params param
    get set pop append extend insert update copy split join strip lower upper replace encode decode
    group groups match search findall sub read readline readlines write close self cls other this
    that it element elements entry x y z foo bar baz spam eggs default string str text list dict
    numbers num first second left right process handle main run key input output""".split()
)


def _nothing(_: Question) -> bool:
    return False


def answer(
    questions: Iterable[Question],
    shipped: Usage,
    project: ProjectUsage,
    is_reserved: Callable[[str], bool],
    leave_out: Callable[[Question], bool] = _nothing,
) -> list[tuple[Suggestion, ...] | None]:
    """At most five names for each question, best first; none where nothing is worth proposing, and `None` for those
    that are to be left out.

    Names of one group are chosen together: the surest chooses first, and none is the first choice of two.
    """
    everything = list(questions)
    n_asked = Counter(question.case.spelling for question in everything if question.wanted.twins)
    numbers = [
        number
        for number, question in enumerate(everything)
        if not question.wanted.twins and not leave_out(question)
    ]
    asked = [everything[number] for number in numbers]
    project.want(feature.key for question in asked for feature in question.case.features)
    found = [_ranked(question, shipped, project, is_reserved) for question in asked]
    for _ in range(_ROUNDS):
        names = _first_choices(asked, found)
        better = [question.knowing(names.get(question.group, {})) for question in asked]
        project.want(feature.key for question in better for feature in question.case.features)
        found = [
            _ranked(after, shipped, project, is_reserved) if after is not before else ranked
            for before, after, ranked in zip(asked, better, found, strict=True)
        ]

    answers: list[tuple[Suggestion, ...] | None] = [
        _twin(question, project, n_asked[question.case.spelling]) if question.wanted.twins else None
        for question in everything
    ]
    for index, left in _chosen(asked, found):
        answers[numbers[index]] = tuple(
            Suggestion(
                asked[index].written(each.candidate.text),
                round(min(each.score, _HIGHEST_SCORE), 2),
                evidence_of(each.candidate, asked[index].case.spelling, project),
            )
            for each in left[:_MOST_SUGGESTIONS]
        )
    return answers


def _twin(question: Question, project: ProjectUsage, n_asked: int) -> tuple[Suggestion, ...] | None:
    """The same name with a word written out, where the project has that much oftener."""
    spelling = question.case.spelling
    n_own = max(project.count(spelling), n_asked)
    n_places, text = max((project.count(each), each) for each in question.wanted.twins)
    if n_places < max(_FEWEST_TWINS, _TIMES_AS_MANY * n_own) or text in question.taken:
        return None
    told = f"{n_places} variables or functions are called {text} here, and {n_own} {spelling}"
    return (Suggestion(text, _SCORE_OF_A_TWIN, (told,)),)


def _chosen(
    asked: Sequence[Question], found: Sequence[Sequence[Ranked]]
) -> Iterator[tuple[int, list[Ranked]]]:
    """What is left for each question when the surer ones of its group have chosen."""
    order = sorted(range(len(asked)), key=lambda each: (-found[each][0].score if found[each] else 0.0, each))
    given: dict[str, set[str]] = {}
    for index in order:
        others = given.setdefault(asked[index].group, set())
        written = asked[index].written
        left = [each for each in found[index] if written(each.candidate.text) not in others]
        others.update(written(each.candidate.text) for each in left[:1])
        yield index, left


def _first_choices(
    asked: Sequence[Question], found: Sequence[Sequence[Ranked]]
) -> dict[str, dict[int, str]]:
    """The names of which one may be sure, of each group's variables."""
    names: dict[str, dict[int, str]] = {}
    for index, left in _chosen(asked, found):
        if left and left[0].score >= _SURE_SCORE:
            names.setdefault(asked[index].group, {})[asked[index].binding] = left[0].candidate.text
    return names


def _ranked(
    question: Question, shipped: Usage, project: ProjectUsage, is_reserved: Callable[[str], bool]
) -> list[Ranked]:
    case = question.case
    tables = (shipped, project)
    if question.wanted.only_said and not _says_a_name(case, project, in_its_letters=question.wanted.in_its_letters):
        return []
    free = [
        each
        for each in candidates_of(case, tables)
        if question.written(each.text) not in question.taken and not is_reserved(question.written(each.text))
    ]
    if not free:
        return []
    lowest = LOWEST_SCORE if case.sort is Sort.VARIABLE else LOWEST_SCORE_OF_A_DEFINITION
    letters = telling_letters(case.spelling) if question.wanted.in_its_letters else ""
    # What loops over the hives is no hives.
    wholes = {plural(each.text) for each in free if any(origin.derivation == "element" for origin in each.derived)}
    return [
        each
        for each in rank(case, free, tables)
        if each.score >= max(lowest, question.wanted.least_score)
        and (not question.wanted.only_said or _is_said(each.candidate))
        and (not letters or _begins_like(letters, each.candidate.text))
        and _is_worth_it(each.candidate, case.spelling)
        and not (case.is_one_of_many and each.candidate.text in wholes)
        and evidence_of(each.candidate, case.spelling, project)
    ]


def _is_said(candidate: Candidate) -> bool:
    """Whether something in the code of the project says a name, and not just its letters or other people's code."""
    return any(map(_says_outright, candidate.derived)) or any(
        _tells_outright(support.feature, support.share, support.places)
        for support in candidate.supports[-1]
        if support.feature.sort not in _SAYING_LITTLE
    )


def _says_a_name(case: NameCase, project: Usage, *, in_its_letters: bool) -> bool:
    """Whether anything in the code of the project may say a name, or one that the old name may be short for: a quick look
    that spares a long one."""
    letters = telling_letters(case.spelling) if in_its_letters else ""
    may_be = partial(_begins_like, letters) if letters else bool
    return any(may_be(each.text) for each in derived_names(case, project) if _says_outright(each)) or any(
        _tells_outright(feature, told.share, told.places) and may_be(text)
        for feature in case.features
        if feature.sort not in _SAYING_LITTLE
        for text, told in project.telling(feature.key).items()
    )


def _begins_like(letters: str, text: str) -> bool:
    return any(word[0] == letters[0].lower() for word in words_of(text))


def _says_outright(origin: Derived) -> bool:
    return bool(origin.told) and origin.derivation not in _HINTING


def _tells_outright(feature: Feature, share: float, places: float) -> bool:
    return feature.is_counterpart or (share >= _MOSTLY and places > 1)


def _is_worth_it(candidate: Candidate, spelling: str) -> bool:
    text = candidate.text
    if any(each.derivation == CHOSEN for each in candidate.derived):
        # Whoever chose it can read it.
        return text != spelling
    words = split_name(text)
    letters = telling_letters(spelling)
    new = set(words) - set(split_name(spelling))
    if not new or any(_is_short_form(word) for word in new) or text in (plural(spelling), singular(spelling)):
        # The same words, or one short form in place of another, help nobody.
        return False
    if text in _EMPTY_WORDS and not (len(letters) > 1 and stands_for(letters.lower(), text)):
        return False
    return (
        bool(words)
        and min(map(len, words)) > 1
        and text != spelling
        and len(text) > max(2, len(spelling.strip("_")))
        and len(words) <= _MOST_WORDS_IN_A_NAME
        and crypticness(text) == 0.0
        and all(is_readable(word) or word.isdigit() for word in words)
    )


@cache
def _is_short_form(word: str) -> bool:
    one = singular(word) or word
    return one in TRADE_MEANINGS and one not in TRADE_FORMS
