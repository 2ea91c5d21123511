"""Which name would be better? A question is asked where the code is read; it is answered when all files are known."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from zephyrun.facts import Context, FileFacts, Role, ScopeKind
from zephyrun.naming.candidates import Candidate, NameCase, candidates_of
from zephyrun.naming.features import Feature, feature_key, feature_of, features_of, is_learned_from
from zephyrun.naming.letters import stands_for, telling_letters
from zephyrun.naming.ranking import Ranked, rank
from zephyrun.naming.remarks import remarks_on
from zephyrun.naming.telling import evidence_of, teller
from zephyrun.naming.usage import ProjectUsage, Usage
from zephyrun.naming.words import crypticness, is_readable, plural, split_name
from zephyrun.source import SourceText

_MOST_SUGGESTIONS = 5
# How often what is known of the others' new names is thought over.
_ROUNDS = 2
_SURE_SCORE = 0.5
# Below this, a name is more likely to mislead a reader than to help.
LOWEST_SCORE = 0.2
_HIGHEST_SCORE = 0.99
_MOST_WORDS_IN_A_NAME = 4
# Words that would say no more than the short name does.
_EMPTY_WORDS = frozenset(
    """data info value values item items result results object obj thing things tmp temp temporary
    var variable ret retval res func function method call callback cb args kwargs arg params param
    get set pop append extend insert update copy split join strip lower upper replace encode decode
    group groups match search findall sub read readline readlines write close self cls other this
    that it element elements entry x y z foo bar baz spam eggs default string str text list dict
    numbers num first second left right process handle main run key input output""".split()
)


class Suggestion(NamedTuple):
    """A better name. `score` is the probability that it is the right one; `evidence` says in a few words where
    it is from."""

    text: str
    score: float
    evidence: tuple[str, ...]


@dataclass(frozen=True)
class Question:
    """One variable whose name is to be better. `taken` are names that it cannot have; `group` is the function
    whose variables are named together. `waiting` are features that mention another variable whose name is no
    better, each with that variable's number in the file and its name. A name with a score below `least_score` is
    no answer; with `only_said`, neither is one that nothing in the code says.
    """

    binding: int
    case: NameCase
    taken: frozenset[str]
    group: str
    waiting: tuple[tuple[Feature, int, str], ...] = ()
    least_score: float = 0.0
    only_said: bool = False

    def as_row(self) -> list[Any]:
        """The question as plain data, for the cache."""
        return [self.binding, list(self.case), sorted(self.taken), self.group, self.waiting, self.least_score, self.only_said]

    @classmethod
    def from_row(cls, row: Sequence[Any]) -> Question:
        """The question that `as_row` gave. Errors: `ValueError` or `TypeError` for a row that is none."""
        binding, (spelling, features, remarks, *further), taken, group, waiting, *wanted = row
        case = NameCase(
            spelling,
            tuple(Feature(*each) for each in features),
            tuple((text, comment) for text, comment in remarks),
            *further,
        )
        held_back = tuple((Feature(*feature), other, name) for feature, other, name in waiting)
        return cls(binding, case, frozenset(taken), group, held_back, *wanted)

    def knowing(self, names: Mapping[int, str]) -> Question:
        """The same question with what waited for the names of these variables."""
        new = []
        for feature, other, name in self.waiting:
            if (better := names.get(other)) is not None:
                said = re.sub(rf"(?<!\w){re.escape(name)}(?!\w)", better, feature.name)
                told = f"{feature.told}, where {name} is {better}"
                new.append(feature._replace(key=feature_key(feature.sort, said), name=said, told=told))
        return replace(self, case=self.case._replace(features=(*self.case.features, *new))) if new else self


def ask(
    source: SourceText,
    facts: FileFacts,
    binding: int,
    contexts: Mapping[int, Sequence[Context]],
    taken: Collection[str],
    spelling: str,
    group: str,
    least_score: float = 0.0,
    only_said: bool = False,
) -> Question:
    """The question what one variable of a file should be called."""
    record = facts.bindings[binding]
    own = contexts.get(binding, ())
    tell = teller(source)
    roles = facts.roles(binding)
    case = NameCase(
        spelling,
        tuple(features_of(facts, binding, own, lambda other: is_learned_from(facts, other), tell)),
        tuple(remarks_on(source, facts, binding)),
        facts.scopes[facts.owner(record.scope)].name,
        Role.PARAMETER in roles,
        bool(roles & {Role.LOOP, Role.EACH}),
    )
    waiting = tuple(
        (feature_of(each, tell), each.other, facts.bindings[each.other].name)
        for each in own
        if each.other >= 0 and not is_learned_from(facts, each.other)
    )
    return Question(binding, case, frozenset(taken), group, waiting, least_score, only_said)


def names_mentioned(facts: FileFacts, scope: int) -> frozenset[str]:
    """Every name of the module, and every one that is mentioned in a scope, inner ones included."""
    around = facts.scopes[scope]
    return facts.module_names | {
        facts.bindings[facts.references[index].binding].name
        for index in facts.references_between(around.start, around.end)
    }


def group_of(facts: FileFacts, path: str, binding: int) -> str:
    """What stands for the variables that are named together with one: those of its outermost function, since
    functions inside one another share their names."""
    around = facts.ancestors(facts.bindings[binding].scope)
    functions = [scope for scope in around if facts.scopes[scope].kind is ScopeKind.FUNCTION]
    return f"{path} {functions[-1] if functions else around[-1]}"


def answer(
    questions: Iterable[Question], shipped: Usage, project: ProjectUsage, is_reserved: Callable[[str], bool]
) -> list[tuple[Suggestion, ...]]:
    """At most five names for each question, best first; none where nothing is worth proposing.

    Names of one group are chosen together: the surest chooses first, and none is the first choice of two.
    """
    asked = list(questions)
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
    answers: list[tuple[Suggestion, ...]] = [()] * len(asked)
    for index, left in _chosen(asked, found):
        answers[index] = tuple(
            Suggestion(
                each.candidate.text,
                round(min(each.score, _HIGHEST_SCORE), 2),
                evidence_of(each.candidate, asked[index].case.spelling, project),
            )
            for each in left[:_MOST_SUGGESTIONS]
        )
    return answers


def _chosen(
    asked: Sequence[Question], found: Sequence[Sequence[Ranked]]
) -> Iterator[tuple[int, list[Ranked]]]:
    """What is left for each question when the surer ones of its group have chosen."""
    order = sorted(range(len(asked)), key=lambda each: (-found[each][0].score if found[each] else 0.0, each))
    given: dict[str, set[str]] = {}
    for index in order:
        others = given.setdefault(asked[index].group, set())
        left = [each for each in found[index] if each.candidate.text not in others]
        others.update(each.candidate.text for each in left[:1])
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
    free = [
        each
        for each in candidates_of(case, tables)
        if each.text not in question.taken and not is_reserved(each.text)
    ]
    if not free:
        return []
    # What loops over the hives is no hives.
    wholes = {plural(each.text) for each in free if any(origin.derivation == "element" for origin in each.derived)}
    return [
        each
        for each in rank(case, free, tables)
        if each.score >= max(LOWEST_SCORE, question.least_score)
        and (each.candidate.derived or not question.only_said)
        and _is_worth_it(each.candidate, case.spelling)
        and not (case.is_one_of_many and each.candidate.text in wholes)
        and evidence_of(each.candidate, case.spelling, project)
    ]


def _is_worth_it(candidate: Candidate, spelling: str) -> bool:
    text = candidate.text
    words = split_name(text)
    letters = telling_letters(spelling)
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
