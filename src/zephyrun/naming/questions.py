"""Which name would be better? A question is asked where the code is read; it is answered when all files are known."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from typing import Any, NamedTuple

from zephyrun.facts import Context, FileFacts, Role, ScopeKind
from zephyrun.naming.features import (
    ATTRIBUTE_SHAPE,
    Feature,
    feature_key,
    feature_of,
    features_of,
    is_learned_from,
    is_variable,
    passed_as,
    results_of,
)
from zephyrun.naming.offers import Derived
from zephyrun.naming.remarks import remarks_on
from zephyrun.naming.telling import teller
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

_OF_SELF = lazy_pattern(r"\bself\s*\.\s*(\w+)")
# Below this, a name is more likely to mislead a reader than to help.
LOWEST_SCORE = 0.2
# Of a function it is seldom sure which of several verbs its author would choose; any of them helps a reader.
LOWEST_SCORE_OF_A_DEFINITION = 0.05


_NUMBERED = lazy_pattern(r"(\w*?[^\W\d_])(_?\d+)")


class Suggestion(NamedTuple):
    """A better name. `score` is the probability that it is the right one; `evidence` says in a few words where
    it is from."""

    text: str
    score: float
    evidence: tuple[str, ...]


class Sort(StrEnum):
    """What sort of thing bears a name."""

    VARIABLE = "variable"
    FUNCTION = "function"
    CLASS = "class"


class NameCase(NamedTuple):
    """What a name is sought for. `spelling` is the old name; `remarks` are names that comments suggest, each with
    the comment; `function` is that around it, "" for none; a variable that loops over something is one of many;
    `offers` are names that the code does not say."""

    spelling: str
    features: tuple[Feature, ...]
    remarks: tuple[tuple[str, str], ...] = ()
    function: str = ""
    is_parameter: bool = False
    is_one_of_many: bool = False
    sort: Sort = Sort.VARIABLE
    offers: tuple[Derived, ...] = ()


class Wanted(NamedTuple):
    """Which names are an answer: with a score of at least `least_score`; with `only_said`, such as something in the code
    says. There is nothing to ask where all of `short_words` are the project's own. With `twins`, which are the old name with
    a word written out, one of these is the answer where the project has it much oftener, and there is no other. With
    `unless_short`, any name is an answer where the short words are short for words of the project: it is otherwise
    likely that they are terms. With `in_its_letters`, only such as has a word that begins as the old name does."""

    least_score: float = 0.0
    only_said: bool = False
    short_words: tuple[str, ...] = ()
    twins: tuple[str, ...] = ()
    unless_short: bool = False
    in_its_letters: bool = False


ANY_NAME = Wanted()


@dataclass(frozen=True)
class Question:
    """What it is whose name is to be better. `taken` are names that it cannot have; `group` is the function
    whose variables are named together. `waiting` are features that mention another variable whose name is no
    better, each with that variable's number in the file and its name.
    """

    binding: int
    case: NameCase
    taken: frozenset[str]
    group: str
    waiting: tuple[tuple[Feature, int, str], ...] = ()
    wanted: Wanted = ANY_NAME

    @cached_property
    def number(self) -> str:
        """The number at the end of the old name, where others beside it differ in nothing but that: they are numbered
        things, and a name without a number would tell one of them apart from the rest."""
        numbered = _NUMBERED.fullmatch(self.case.spelling)
        if numbered is None:
            return ""
        family = re.compile(rf"{re.escape(numbered[1])}_?\d+")
        others = self.taken - {self.case.spelling}
        return numbered[2] if any(map(family.fullmatch, others)) else ""

    def written(self, text: str) -> str:
        """A proposed name as it would be written: underscores at the beginning and the number of a numbered thing stay."""
        spelling = self.case.spelling
        return spelling[: len(spelling) - len(spelling.lstrip("_"))] + text + self.number

    def as_row(self) -> list[Any]:
        """The question as plain data, for the cache."""
        return [self.binding, list(self.case), sorted(self.taken), self.group, self.waiting, list(self.wanted)]

    @classmethod
    def from_row(cls, row: Sequence[Any]) -> Question:
        """The question that `as_row` gave. Errors: `ValueError` or `TypeError` for a row that is none."""
        binding, (spelling, features, remarks, *further), taken, group, waiting, wanted = row
        function, is_parameter, is_one_of_many, sort, offers = further
        case = NameCase(
            spelling,
            tuple(Feature(*each) for each in features),
            tuple((text, comment) for text, comment in remarks),
            function,
            is_parameter,
            is_one_of_many,
            Sort(sort),
            tuple(Derived(*each) for each in offers),
        )
        held_back = tuple((Feature(*feature), other, name) for feature, other, name in waiting)
        least_score, only_said, short_words, twins, unless_short, in_its_letters = wanted
        judged = Wanted(least_score, only_said, tuple(short_words), tuple(twins), unless_short, in_its_letters)
        return cls(binding, case, frozenset(taken), group, held_back, judged)

    def with_offers(self, offers: Iterable[Derived]) -> Question:
        """The same question with names that the code does not say."""
        more = (*self.case.offers, *offers)
        return replace(self, case=self.case._replace(offers=more)) if more else self

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
    wanted: Wanted = ANY_NAME,
) -> Question:
    """The question what one variable, function or class of a file should be called."""
    record = facts.bindings[binding]
    # `kg = float(kg)` says nothing of what else it could be called.
    own = [each for each in contexts.get(binding, ()) if each.other != binding]
    tell = teller(source)
    roles = facts.roles(binding)
    sort = sort_of(roles)
    features = features_of(facts, binding, own, lambda other: is_learned_from(facts, other), tell)
    more = []
    if sort is not Sort.VARIABLE:
        more = [results_of(spelling)]
    elif Role.PARAMETER in roles:
        more = [passed_as(spelling)]
    case = NameCase(
        spelling,
        (*features, *more),
        tuple(remarks_on(source, facts, binding)) if sort is Sort.VARIABLE else (),
        facts.scopes[facts.owner(record.scope)].name,
        Role.PARAMETER in roles,
        bool(roles & {Role.LOOP, Role.EACH}),
        sort,
    )
    waiting = tuple(
        (feature_of(each, tell), each.other, facts.bindings[each.other].name)
        for each in own
        if each.other >= 0 and is_variable(facts, each.other) and not is_learned_from(facts, each.other)
    )
    return Question(binding, case, frozenset(taken), group, waiting, wanted)


def ask_about_attribute(
    source: SourceText,
    facts: FileFacts,
    attribute: tuple[int, str, Sequence[Context]],
    taken: Collection[str],
    group: str,
    wanted: Wanted = ANY_NAME,
) -> Question:
    """The question what an attribute should be called, of which its number, name and contexts are given."""
    number, spelling, contexts = attribute
    tell = teller(source)
    known = [each for each in contexts if each.other < 0 or is_learned_from(facts, each.other)]
    features = (*(feature_of(each, tell) for each in known), ATTRIBUTE_SHAPE)
    return Question(number, NameCase(spelling, features), frozenset(taken), group, (), wanted)


def sort_of(roles: frozenset[Role]) -> Sort:
    """What sort of thing bears a name whose references have these roles."""
    if Role.CLASS in roles:
        return Sort.CLASS
    return Sort.FUNCTION if Role.FUNCTION in roles else Sort.VARIABLE


def names_mentioned(facts: FileFacts, scope: int) -> frozenset[str]:
    """Every name of the module, and every one that is mentioned in a scope, inner ones included."""
    around = facts.scopes[scope]
    return facts.module_names | {
        facts.bindings[facts.references[index].binding].name
        for index in facts.references_between(around.start, around.end)
    }


def members_mentioned(source: SourceText, facts: FileFacts, class_scope: int) -> frozenset[str]:
    """The names of a class's own scope, and of what its methods ask `self` for."""
    around = facts.scopes[class_scope]
    asked_for = _OF_SELF.findall(source.text, around.start, around.end)
    return frozenset(asked_for) | {each.name for each in facts.bindings if each.scope == class_scope}


def group_of(facts: FileFacts, path: str, binding: int) -> str:
    """What stands for the variables that are named together with one: those of its outermost function, since
    functions inside one another share their names."""
    around = facts.ancestors(facts.bindings[binding].scope)
    functions = [scope for scope in around if facts.scopes[scope].kind is ScopeKind.FUNCTION]
    return f"{path} {functions[-1] if functions else around[-1]}"
