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

import numpy as np
from masking import HERE, SETTINGS, candidates_for, hidden_names

from zephyrun.naming.questions import Sort
from zephyrun.naming.ranking import PARTS, SHIFT, SLOPE, TABLES, vectors_of
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
_FIRST_DECAY, _SECOND_DECAY, _TINY = 0.9, 0.999, 1e-8


def examples(
    folder: Path, n_cases: int, sort: Sort, settings: tuple[str, ...] = SETTINGS
) -> tuple[np.ndarray, np.ndarray]:
    """Vectors (cases × answers × parts) and the number of the right answer of each case; answers that are not
    there have NaN."""
    vectors, right = [], []
    for hidden in hidden_names(folder, n_cases, seed=7, settings=settings, sort=sort):
        candidates = candidates_for(hidden)
        table = np.full((_MOST_ANSWERS, len(PARTS)), np.nan, np.float32)
        for row, vector in enumerate(vectors_of(hidden.case, candidates, (shipped_usage(), hidden.project))):
            table[row] = 0.0
            table[row, list(vector)] = list(vector.values())
        texts = [each.text for each in candidates]
        vectors.append(table)
        right.append(texts.index(hidden.answer) + 1 if hidden.answer in texts else 0)
    return np.stack(vectors), np.array(right)


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


def honesty(vectors: np.ndarray, right: np.ndarray, weights: np.ndarray) -> tuple[float, float]:
    """By what the logit of the best score is to be multiplied, and what added to it, so that it is the probability of
    being right on other code (Platt, "Probabilistic outputs for support vector machines", 1999)."""
    is_there = ~np.isnan(vectors[:, :, 0])
    probabilities = _probabilities(np.nan_to_num(vectors), is_there, weights)[:, 1:]
    best = probabilities.argmax(axis=1)
    scores = probabilities[np.arange(len(right)), best].clip(_TINY, 1 - _TINY)
    inputs = np.stack([np.log(scores / (1 - scores)), np.ones(len(right))], axis=1)
    is_right = (best + 1 == right).astype(float)
    found = np.array([1.0, 0.0])
    for _ in range(_NEWTON_STEPS):
        told = 1 / (1 + np.exp(-inputs @ found))
        curvature = (inputs * (told * (1 - told))[:, None]).T @ inputs
        found += np.linalg.solve(curvature, inputs.T @ (is_right - told))
    return float(found[0]), float(found[1])


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    parser.add_argument("--cases", type=int, default=1000, help="for each package (default: 1000)")
    arguments = parser.parse_args()
    listed = tomllib.loads((HERE / "sources.toml").read_text())
    names = listed["ranking"]
    kept = {}
    for sort in Sort:
        vectors, right = _together(arguments.sources, names, partial(examples, n_cases=arguments.cases, sort=sort))
        print(f"{sort}: {len(right):,} cases of {', '.join(names)}; {len(SETTINGS)} settings, {len(TABLES)} tables")
        print(f"the right name is among the candidates in {(right > 0).mean():.1%}")
        weights = train(vectors, right)
        # What definitions are called is seldom said without the letters of a name.
        settings = SETTINGS[:1] if sort is Sort.VARIABLE else (SETTINGS[0], SETTINGS[-1])
        others = _together(
            arguments.sources,
            listed["tune"],
            partial(examples, n_cases=arguments.cases, sort=sort, settings=settings),
        )
        slope, shift = honesty(*others, weights)
        print(f"score as told: logistic of {slope:.2f} times its logit {shift:+.2f}, by the group `tune`: {settings}")
        rounded = {part: round(float(weight), 3) for part, weight in zip(PARTS, weights, strict=True)}
        kept[sort] = {part: weight for part, weight in rounded.items() if abs(weight) >= _LEAST_WEIGHT}
        kept[sort] |= {SLOPE: round(slope, 3), SHIFT: round(shift, 3)}
    _WEIGHTS.write_text(json.dumps(kept, indent=1) + "\n")


def _together(
    sources: Path, names: list[str], make: Callable[[Path], tuple[np.ndarray, np.ndarray]]
) -> tuple[np.ndarray, np.ndarray]:
    with ProcessPoolExecutor() as workers:
        found = list(workers.map(make, [sources / name for name in names]))
    return np.concatenate([each for each, _ in found]), np.concatenate([each for _, each in found])


if __name__ == "__main__":
    main()
