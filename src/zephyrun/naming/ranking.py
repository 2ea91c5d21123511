"""How likely each candidate is the right name: a log-linear model over what speaks for it.

The weights are trained on real code whose names were hidden, with an answer for none of the candidates, so
that scores are probabilities. See `benchmarks/names/train_ranking.py`.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import cache, lru_cache
from math import exp, log
from pathlib import Path
from typing import NamedTuple

from zephyrun.facts import ContextSort
from zephyrun.naming.candidates import DERIVATIONS, Candidate, Support
from zephyrun.naming.features import GROUPS, VALUES
from zephyrun.naming.letters import NO_FIT, Fit, fit_of, telling_letters, words_of
from zephyrun.naming.offers import ADVISED, CHOSEN
from zephyrun.naming.questions import NameCase, Sort
from zephyrun.naming.short_forms import meanings_of
from zephyrun.naming.usage import Usage
from zephyrun.naming.words import crypticness, singular

TABLES = ("shipped", "project")
_NONE = (
    "none",
    "none: few contexts",
    "none: letters known",
    "none: several letters known",
    "none: best support",
    "none: something says a name",
)
_COUNTED = ("information", "counterpart", "highest share", "sum of shares", "number of features", "share", "unseen")
_COUNTED_OF_VERBS = ("information", "highest share", "sum of shares")
_PLAIN = (
    "words",
    "letters",
    "is cryptic",
    "number fits",
    "number departs",
    "is plural",
    "asks yes or no",
    "asks without a test",
    "test without asking",
    "derivations",
    "derived though unseen",
    "from one of several values",
    "from one of many values",
    "one letter fits what is said",
    "letters fit what is said",
    "keeps its verb",
)
# What says a name outright.
_SAYING = frozenset({"getter", "attribute", "key", "keyword", "stored", "element", "class", "comment", CHOSEN, ADVISED})
_EXPLAINING = frozenset({"comment", CHOSEN, ADVISED})
# How often a short form that has one meaning in the trade has that one, at the least: no reason by itself to find it.
_TRUST_IN_THE_TRADE = 0.48
_FROM_VALUES = frozenset({"call", "getter", "attribute", "key", "class", "operand", "extreme"})
_FEW_VALUES = 2
# What only a collection is used for.
_MANY = frozenset({ContextSort.ITERATED, ContextSort.EACH, ContextSort.ALL_OF})
_COLLECTIONS = ("List", "ListComp", "SetComp", "List()", "Set", "DictComp", "Dict", "Dict()")
_YES_OR_NO = frozenset("is has can should was had did does may must needs use uses allow allows".split())
_LITERAL_TESTS = ("=True", "=False")
_FEW_CONTEXTS = 6.0
# What brings the parts of a vector to about 1.
_LETTERS_OF_A_NAME = 10.0
_USUAL_LOGARITHM = 10.0
_USUAL_SUM = 4.0
_TRUST_IN_PEOPLE = 1.5
_KEPT_NAMES = 2**15

# What each weight is for, in the order of the numbers of a vector.
PARTS: tuple[str, ...] = (
    *_NONE,
    *(f"{table}: {group}" for table in TABLES for group in GROUPS),
    *(f"{table}: {what}" for table in TABLES for what in _COUNTED),
    *(f"{table}: verb: {what}" for table in TABLES for what in _COUNTED_OF_VERBS),
    *(f"derived: {each}" for each in DERIVATIONS),
    *(f"one letter: {each}" for each in Fit._fields),
    *(f"letters: {each}" for each in Fit._fields),
    *_PLAIN,
)


# What tells how far the first answer can be trusted: the logits of it, of the second and of none, how much is known, and
# what is asked; then whatever speaks for it. The weights of the score are for these, in this order.
SCORE_PARTS = tuple(
    f"score: {part}" for part in ("always", "the first", "the second", "none of them", "contexts", "is a parameter", *PARTS)
)
_N_OF_SHARES = len(SCORE_PARTS) - len(PARTS)
# Of what is certain, and of what is impossible, the logit has no end.
_NEARLY_IMPOSSIBLE = 1e-6


class Ranked(NamedTuple):
    """A candidate and the probability that it is the right name."""

    candidate: Candidate
    score: float


def rank(case: NameCase, candidates: Sequence[Candidate], tables: Sequence[Usage]) -> list[Ranked]:
    """The candidates, best first, each with the probability that it is the right name.

    What the model gives the first is put right by a second one, of how often the first is right (stacking; Wolpert,
    "Stacked generalization", 1992). The others share what that leaves.
    """
    if not candidates:
        return []
    weights, score_weights = trained_weights(case.sort), trained_score_weights(case.sort)
    vectors = vectors_of(case, candidates, tables)
    values = [sum(weights[place] * number for place, number in vector.items()) for vector in vectors]
    highest = max(values)
    powers = [exp(value - highest) for value in values]
    total = sum(powers)
    shares = [power / total for power in powers]
    order = sorted(range(1, len(shares)), key=lambda number: (-shares[number], candidates[number - 1].text))
    first = order[0]
    value = sum(weight * number for weight, number in zip(score_weights, score_vector(case, shares), strict=False))
    value += sum(score_weights[_N_OF_SHARES + place] * number for place, number in vectors[first].items())
    trust = 1 / (1 + exp(-value))
    if any(origin.derivation in _EXPLAINING for origin in candidates[first - 1].derived):
        # How often people are right is not learned from code whose names are hidden.
        trust = max(trust, shares[first])
    if meanings_of(words_of(case.spelling), words_of(candidates[first - 1].text)):
        # Nor is what everybody shortens so.
        trust = max(trust, _TRUST_IN_THE_TRADE)
    left = (1 - trust) / max(1 - shares[first], _NEARLY_IMPOSSIBLE)
    return [
        Ranked(candidates[number - 1], trust if number == first else min(trust, left * shares[number]))
        for number in order
    ]


def score_vector(case: NameCase, shares: Sequence[float]) -> tuple[float, ...]:
    """What tells how far the likeliest candidate can be trusted, but for what speaks for it: the numbers for the first of
    `SCORE_PARTS`. `shares` are the probabilities of none of the candidates, and of each; there is one at least."""
    second, first = sorted((0.0, *shares[1:]))[-2:]
    logits = map(_logit, (first, second, shares[0]))
    return (1.0, *logits, log(1 + len(case.features)), float(case.is_parameter))


def _logit(share: float) -> float:
    share = min(max(share, _NEARLY_IMPOSSIBLE), 1 - _NEARLY_IMPOSSIBLE)
    return log(share / (1 - share))


@cache
def trained_weights(sort: Sort) -> tuple[float, ...]:
    """One weight for each of `PARTS`, for names of one sort of thing."""
    return weights_in_use(_kept_numbers(sort))


@cache
def trained_score_weights(sort: Sort) -> tuple[float, ...]:
    """One weight for each of `SCORE_PARTS`, for names of one sort of thing."""
    kept = _with_what_people_say(_kept_numbers(sort), "score: derived: ")
    return tuple(kept.get(part, 0.0) for part in SCORE_PARTS)


@cache
def _kept_numbers(sort: Sort) -> dict[str, float]:
    text = (Path(__file__).parent / "data" / "ranking.json").read_text("utf-8")
    numbers: dict[str, float] = json.loads(text)[sort]
    return numbers


def weights_in_use(trained: Mapping[str, float]) -> tuple[float, ...]:
    """One weight for each of `PARTS`, out of those that were trained."""
    kept = _with_what_people_say(trained, "derived: ")
    return tuple(kept.get(part, 0.0) for part in PARTS)


def _with_what_people_say(trained: Mapping[str, float], derived: str) -> dict[str, float]:
    """The weights, those of comments, choices and advice among them; `derived` is how the names of such weights begin.

    Comments say names where there are no good ones, so nothing is to be learned of them where there are: they count as much
    as what a value is stored as. Nor is anything to be learned of what people chose or an adviser proposes: it weighs like
    the best that code says.
    """
    kept = dict(trained) | {f"{derived}comment": trained.get(f"{derived}stored", 0.0)}
    best = max((weight for part, weight in kept.items() if part.startswith(derived)), default=0.0)
    return kept | {f"{derived}{ADVISED}": best, f"{derived}{CHOSEN}": best * _TRUST_IN_PEOPLE}


_PLACES = {part: place for place, part in enumerate(PARTS)}
_GROUP_PLACES = [[_PLACES[f"{table}: {group}"] for group in GROUPS] for table in TABLES]
_COUNTED_PLACES = [[_PLACES[f"{table}: {what}"] for what in _COUNTED] for table in TABLES]
_VERB_PLACES = [[_PLACES[f"{table}: verb: {what}"] for what in _COUNTED_OF_VERBS] for table in TABLES]
_DERIVED_PLACES = {each: _PLACES[f"derived: {each}"] for each in DERIVATIONS}
_ONE_LETTER = [_PLACES[f"one letter: {each}"] for each in Fit._fields]
_LETTERS = [_PLACES[f"letters: {each}"] for each in Fit._fields]
_KEEPS_LETTERS = _PLACES["letters: keeps_letters"]


def vectors_of(
    case: NameCase, candidates: Sequence[Candidate], tables: Sequence[Usage]
) -> list[dict[int, float]]:
    """What speaks for each answer, by the places of `PARTS`: for none of the candidates first, then for each."""
    is_many = any(
        each.sort in _MANY
        or (each.sort == ContextSort.FROM_LITERAL and each.name in _COLLECTIONS)
        for each in case.features
    )
    is_test = any(
        each.sort == ContextSort.FROM_TEST
        or (
            each.sort in (ContextSort.FROM_LITERAL, ContextSort.DEFAULT)
            and each.name in _LITERAL_TESTS
        )
        for each in case.features
    )
    n_values = len({(each.sort, each.name) for each in case.features if each.sort in VALUES and ":" not in each.name})
    letters = telling_letters(case.spelling)
    n_letters = sum(map(len, words_of(letters)))
    first_word, separator, _ = case.spelling.partition("_")
    first_word += separator
    vectors = []
    best_support = 0.0
    for candidate in candidates:
        vector: dict[int, float] = {}
        for number, table in enumerate(tables):
            support = _add_table(vector, number, candidate.text, candidate.supports[number], table)
            best_support = max(best_support, support)
            if case.sort is Sort.FUNCTION:
                _add_verb(vector, number, candidate.supports_of_verb[number])
        for derivation in {each.derivation for each in candidate.derived}:
            vector[_DERIVED_PLACES[derivation]] = 1.0
        fit = fit_of(letters, candidate.text) if n_letters else NO_FIT
        # Who explains a name in a comment may well use other words than those that it is short for.
        is_explained = fit.departs and any(each.derivation in _EXPLAINING for each in candidate.derived)
        if is_explained:
            # It is as good as one that fits.
            for place in _ONE_LETTER[:1] if n_letters == 1 else (_LETTERS[0], _KEEPS_LETTERS):
                vector[place] = 1.0
        elif n_letters:
            for place, value in zip(_ONE_LETTER if n_letters == 1 else _LETTERS, fit, strict=True):
                if value:
                    vector[place] = float(value)
            if not fit.departs and any(origin.derivation in _SAYING for origin in candidate.derived):
                one_or_more = "one letter fits" if n_letters == 1 else "letters fit"
                vector[_PLACES[f"{one_or_more} what is said"]] = 1.0
        _add_plain(vector, candidate, is_many=is_many, is_test=is_test)
        if separator and case.sort is Sort.FUNCTION and candidate.text.startswith(first_word):
            vector[_PLACES["keeps its verb"]] = 1.0
        if n_values >= _FEW_VALUES and _FROM_VALUES & {each.derivation for each in candidate.derived}:
            many = "several" if n_values == _FEW_VALUES else "many"
            vector[_PLACES[f"from one of {many} values"]] = 1.0
        if candidate.derived and not any(table.has(candidate.text) for table in tables):
            vector[_PLACES["derived though unseen"]] = 1.0
        vectors.append(vector)
    none = {
        _PLACES["none"]: 1.0,
        _PLACES["none: few contexts"]: max(0.0, 1.0 - len(case.features) / _FEW_CONTEXTS / 2),
        _PLACES["none: letters known"]: float(n_letters > 0),
        _PLACES["none: several letters known"]: float(n_letters > 1),
        _PLACES["none: best support"]: best_support,
        _PLACES["none: something says a name"]: float(
            any(origin.derivation in _SAYING for each in candidates for origin in each.derived)
        ),
    }
    return [none, *vectors]


def _add_table(
    vector: dict[int, float], number: int, text: str, supports: Sequence[Support], table: Usage
) -> float:
    """Add what a table says; the highest share among it."""
    information, counterpart, highest, shares, n_features, share, unseen = _COUNTED_PLACES[number]
    groups = _GROUP_PLACES[number]
    best = 0.0
    for each in supports:
        place = groups[each.feature.group]
        trusted = each.information * each.places / (each.places + 1.0)
        vector[place] = vector.get(place, 0.0) + trusted
        vector[information] = vector.get(information, 0.0) + each.information
        if each.feature.is_counterpart:
            vector[counterpart] = vector.get(counterpart, 0.0) + trusted
        best = max(best, each.share * each.places / (each.places + 1.0))
        vector[shares] = vector.get(shares, 0.0) + each.share
    vector[highest] = best
    vector[n_features] = log(1.0 + len(supports))
    vector[share] = log(table.share(text)) / _USUAL_LOGARITHM
    vector[unseen] = float(not table.has(text))
    return best


def _add_verb(vector: dict[int, float], number: int, supports: Sequence[Support]) -> None:
    """Add what a table says of functions whose names begin with the same word."""
    information, highest, shares = _VERB_PLACES[number]
    vector[information] = sum(each.information for each in supports) / _USUAL_SUM
    vector[highest] = max((each.share * each.places / (each.places + 1.0) for each in supports), default=0.0)
    vector[shares] = sum(each.share for each in supports)


class _Plain(NamedTuple):
    """What a name is by itself."""

    n_words: int
    crypticness: float
    is_plural: bool
    asks: bool


@lru_cache(_KEPT_NAMES)
def _plain(text: str) -> _Plain:
    words = words_of(text)
    return _Plain(len(words), crypticness(text), bool(singular(text)), bool(words) and words[0] in _YES_OR_NO)


def _add_plain(vector: dict[int, float], candidate: Candidate, *, is_many: bool, is_test: bool) -> None:
    text = candidate.text
    n_words, unreadable, is_plural, asks = _plain(text)
    vector[_PLACES["words"]] = n_words / 2.0
    vector[_PLACES["letters"]] = len(text) / _LETTERS_OF_A_NAME
    if unreadable:
        vector[_PLACES["is cryptic"]] = unreadable
    if is_plural:
        vector[_PLACES["is plural"]] = 1.0
        vector[_PLACES["number fits" if is_many else "number departs"]] = 1.0
    if asks:
        vector[_PLACES["asks yes or no" if is_test else "asks without a test"]] = 1.0
    elif is_test:
        vector[_PLACES["test without asking"]] = 1.0
    if candidate.derived:
        vector[_PLACES["derivations"]] = log(1.0 + len(candidate.derived))
