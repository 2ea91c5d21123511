"""Two trees of files: pair them by path and judge each pair. Pure: the files are handed in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from zephyrun.linking.modules import is_python
from zephyrun.proof.clashes import NameSeekers
from zephyrun.proof.comparison import compare_files
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.surroundings import Content, find_surroundings
from zephyrun.proof.verdict import Difference, FileProof, Verdict, worst


@dataclass(frozen=True)
class TreeProof:
    """The verdict on two trees: one proof a file that either tree has, by path, in order.

    `reasons` are those against a verdict that concern all files.
    """

    verdict: Verdict
    files: tuple[tuple[str, FileProof], ...]
    reasons: tuple[str, ...] = ()

    @property
    def assumptions(self) -> tuple[str, ...]:
        """What the verdict rests on, each once."""
        return tuple(sorted({what for _, proof in self.files for what in proof.assumptions}))


class Pair(NamedTuple):
    """Two versions of one path; a side that lacks it has `None`."""

    path: str
    old: Content | None
    new: Content | None
    surroundings: Surroundings
    strict: bool


def compare_trees(
    old: Mapping[str, Content],
    new: Mapping[str, Content],
    *,
    strict: bool = False,
    code_only: bool = False,
    reason_against: str = "",
    run_all: Callable[[Sequence[Pair]], Iterable[FileProof | None]] | None = None,
) -> TreeProof:
    """Judge two trees, given as contents by path below their roots (with `/`).

    With a `reason_against`, nothing that differs can be called the same.
    `run_all` may judge the pairs elsewhere: it is to give back `judge_pair` of each, in order.
    """
    surroundings = find_surroundings(old)
    pairs = [
        Pair(name, old.get(name), new.get(name), surroundings.get(name, Surroundings()), strict)
        for name in sorted(old.keys() | new.keys())
        if is_python(name) or not code_only
    ]
    judged = run_all(pairs) if run_all is not None else map(judge_pair, pairs)
    seekers = (NameSeekers(old), NameSeekers(new))
    proofs = tuple(
        (pair.path, _with_clashes(pair.path, proof, seekers))
        for pair, proof in zip(pairs, judged, strict=True)
        if proof is not None
    )
    reasons = (reason_against,) if reason_against and dict(old) != dict(new) else ()
    verdicts = [*(proof.verdict for _, proof in proofs), *(Verdict.UNPROVEN for _ in reasons)]
    return TreeProof(worst(verdicts), proofs, reasons)


def _with_clashes(path: str, proof: FileProof, seekers: Iterable[NameSeekers]) -> FileProof:
    """The proof of one file, with what other files of both versions say of the names that it
    introduces."""
    reasons: dict[str, str] = {}
    for version in seekers:
        reasons.update(version.reasons_against(path, proof.introduced))
    if not reasons:
        return proof
    differences = (*proof.differences, *(Difference(0, 0, each) for each in reasons.values()))
    return replace(proof, verdict=worst(each.verdict for each in differences), differences=differences)


def judge_pair(pair: Pair) -> FileProof | None:
    """The proof for one path; `None` for a file that is not code and did not change."""
    name, old, new, surroundings, strict = pair
    if old is None or new is None:
        return _unproven(f"the file is only in the {'new' if old is None else 'old'} version")
    if isinstance(old, str) or isinstance(new, str):
        return None if old == new else _unproven(str(new if isinstance(new, str) else old))
    if is_python(name):
        return compare_files(old, new, surroundings, strict=strict)
    return None if old == new else _unproven("not Python, and it differs")


def _unproven(what: str) -> FileProof:
    return FileProof(Verdict.UNPROVEN, differences=(Difference(0, 0, what),))
