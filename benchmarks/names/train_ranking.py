"""Train the weights of the ranking on real code whose names are hidden.

    python benchmarks/names/train_ranking.py SOURCES

The packages are those of the group `ranking` in `sources.toml`, which the shipped table was not learned from.
Names of variables, functions and classes have weights of their own. They are hidden one at a time, all of a function at once, and behind short forms, in equal shares; where the
right name is not among the candidates, the right answer is that none of them is. The model is the multinomial
logit over candidates; its weights minimise the negative log-likelihood with a penalty on their squares, by
mini-batches with adaptive steps (Kingma and Ba, "Adam", 2015). Needs NumPy.
"""

from __future__ import annotations

import argparse
import json
import tomllib
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

import numpy as np
from masking import HERE, SETTINGS, candidates_for, hidden_names

from zephyrun.naming.questions import NameCase, Sort
from zephyrun.naming.ranking import (
    PARTS,
    SCORE_PARTS,
    TABLES,
    score_vector,
    vectors_of,
    weights_in_use,
)
from zephyrun.naming.usage import shipped_usage

_WEIGHTS = HERE.parents[1] / "src" / "zephyrun" / "naming" / "data" / "ranking.json"
_MOST_ANSWERS = 24
_BATCH = 256
_ROUNDS = 30
_ROUNDS_BETWEEN_WORDS = 5
_RATE = 0.02
_PENALTY = 2e-4
_LEAST_WEIGHT = 0.001
_NEWTON_STEPS = 25
# A wrong name costs a reader more than one that is not shown, so scores rather promise too little: for variables, of the
# packages that they are learned from, each left out in turn, so much that 84 % of what is scored .5 or more is right.
_COSTS_OF_A_WRONG_NAME = {Sort.VARIABLE: 1.35, Sort.FUNCTION: 1.15, Sort.CLASS: 1.15}
# On the squares of the weights of the score, each for what brings its numbers to a spread of 1; what is rare does not get
# a large one for being so.
_PENALTIES_OF_SCORES = {Sort.VARIABLE: 10.0, Sort.FUNCTION: _PENALTY, Sort.CLASS: _PENALTY}
_LEAST_SPREAD = 0.5
# Old code is not well named elsewhere either, so what is known of one name among good ones would promise too much.
_SETTINGS_OF_SCORES = (*SETTINGS[:2], SETTINGS[-1])
_FIRST_DECAY, _SECOND_DECAY, _TINY = 0.9, 0.999, 1e-8


class Examples(NamedTuple):
    """Vectors (cases × answers × parts), NaN for answers that are not there, the number of the right answer of each case,
    and the cases."""

    vectors: np.ndarray
    right: np.ndarray
    cases: list[NameCase]


def examples(folder: Path, n_cases: int, sort: Sort, settings: tuple[str, ...] = SETTINGS) -> Examples:
    """What is known of hidden names of a package."""
    vectors, right, cases = [], [], []
    for hidden in hidden_names(folder, n_cases, seed=7, settings=settings, sort=sort):
        candidates = candidates_for(hidden)
        table = np.full((_MOST_ANSWERS, len(PARTS)), np.nan, np.float32)
        for row, vector in enumerate(vectors_of(hidden.case, candidates, (shipped_usage(), hidden.project))):
            table[row] = 0.0
            table[row, list(vector)] = list(vector.values())
        texts = [each.text for each in candidates]
        vectors.append(table)
        right.append(texts.index(hidden.answer) + 1 if hidden.answer in texts else 0)
        cases.append(hidden.case)
    return Examples(np.stack(vectors), np.array(right), cases)


def train(vectors: np.ndarray, right: np.ndarray) -> np.ndarray:
    """The weights that make the right answers likeliest."""
    is_there = ~np.isnan(vectors[:, :, 0])
    vectors = np.nan_to_num(vectors)
    weights = np.zeros(len(PARTS))
    first, second = np.zeros_like(weights), np.zeros_like(weights)
    chance = np.random.default_rng(1)
    n_steps = 0
    for n_round in range(_ROUNDS):
        order = chance.permutation(len(right))
        loss = 0.0
        for start in range(0, len(order), _BATCH):
            batch = order[start : start + _BATCH]
            probabilities = _probabilities(vectors[batch], is_there[batch], weights)
            loss -= np.log(probabilities[np.arange(len(batch)), right[batch]] + _TINY).sum()
            expected = np.einsum("ca,cap->p", probabilities, vectors[batch])
            observed = vectors[batch, right[batch]].sum(axis=0)
            slope = (expected - observed) / len(batch) + _PENALTY * weights
            n_steps += 1
            first = _FIRST_DECAY * first + (1 - _FIRST_DECAY) * slope
            second = _SECOND_DECAY * second + (1 - _SECOND_DECAY) * slope**2
            step = first / (1 - _FIRST_DECAY**n_steps)
            scale = np.sqrt(second / (1 - _SECOND_DECAY**n_steps)) + _TINY
            rate = _RATE * (1 - n_round / _ROUNDS)
            weights -= rate * step / scale
        if (n_round + 1) % _ROUNDS_BETWEEN_WORDS == 0:
            print(f"round {n_round + 1}: loss {loss / len(order):.4f}", flush=True)
    return weights


def _probabilities(vectors: np.ndarray, is_there: np.ndarray, weights: np.ndarray) -> np.ndarray:
    values = np.where(is_there, vectors @ weights, -np.inf)
    powers = np.exp(values - values.max(axis=1, keepdims=True))
    return powers / powers.sum(axis=1, keepdims=True)


def trust(known: Examples, weights: np.ndarray, sort: Sort) -> np.ndarray:
    """The weights of the score: a logistic model of whether the likeliest candidate is right. Of functions and classes it
    seldom is, so that nothing can be learned there of what speaks for it."""
    is_there = ~np.isnan(known.vectors[:, :, 0])
    shares = _probabilities(np.nan_to_num(known.vectors), is_there, weights)
    asked = [number for number in range(len(known.right)) if is_there[number, 1:].any()]
    likeliest = shares[asked, 1:].argmax(axis=1) + 1
    of_shares = [score_vector(known.cases[number], shares[number][is_there[number]].tolist()) for number in asked]
    speaking = known.vectors[asked, likeliest] * (sort is Sort.VARIABLE)
    inputs = np.hstack([np.array(of_shares), speaking])
    spread = np.maximum(inputs.std(axis=0), _LEAST_SPREAD)
    inputs /= spread
    is_right = (likeliest == known.right[asked]).astype(float)
    counts = np.where(is_right, 1.0, _COSTS_OF_A_WRONG_NAME[sort])
    found, penalty = np.zeros(len(SCORE_PARTS)), _PENALTIES_OF_SCORES[sort]
    for _ in range(_NEWTON_STEPS):
        told = 1 / (1 + np.exp(-inputs @ found))
        curvature = (inputs.T * (counts * told * (1 - told))) @ inputs
        # No function is a parameter: what says nothing gets no weight.
        slope = inputs.T @ (counts * (is_right - told)) - penalty * found
        found += np.linalg.solve(curvature + penalty * np.eye(len(found)), slope)
    return found / spread


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    parser.add_argument("--cases", type=int, default=1000, help="for each package (default: 1000)")
    arguments = parser.parse_args()
    listed = tomllib.loads((HERE / "sources.toml").read_text())
    names = listed["ranking"]
    kept = {}
    for sort in Sort:
        known = _together(arguments.sources, names, partial(examples, n_cases=arguments.cases, sort=sort))
        right = known.right
        print(f"{sort}: {len(right):,} cases of {', '.join(names)}; {len(SETTINGS)} settings, {len(TABLES)} tables")
        print(f"the right name is among the candidates in {(right > 0).mean():.1%}")
        kept[sort] = _as_kept(PARTS, train(known.vectors, right))
        both = [*names, *listed["tune"]]
        known = _together(
            arguments.sources,
            both,
            partial(examples, n_cases=arguments.cases, sort=sort, settings=_SETTINGS_OF_SCORES),
        )
        trained = trust(known, np.array(weights_in_use(kept[sort])), sort)
        kept[sort] |= _as_kept(SCORE_PARTS, trained)
        print(f"the score is learned from {len(known.right):,} cases of {', '.join(both)}; {_SETTINGS_OF_SCORES}")
    _WEIGHTS.write_text(json.dumps(kept, indent=1) + "\n")


def _as_kept(parts: tuple[str, ...], weights: np.ndarray) -> dict[str, float]:
    rounded = {part: round(float(weight), 3) for part, weight in zip(parts, weights, strict=True)}
    return {part: weight for part, weight in rounded.items() if abs(weight) >= _LEAST_WEIGHT}


def _together(sources: Path, names: list[str], make: Callable[[Path], Examples]) -> Examples:
    with ProcessPoolExecutor() as workers:
        found = list(workers.map(make, [sources / name for name in names]))
    return Examples(
        np.concatenate([each.vectors for each in found]),
        np.concatenate([each.right for each in found]),
        [case for each in found for case in each.cases],
    )


if __name__ == "__main__":
    main()
