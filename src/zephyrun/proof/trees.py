"""Two trees of files: pair them by path and judge each pair. Pure: the files are handed in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from zephyrun.linking.modules import is_python
from zephyrun.proof.clashes import NameSeekers
from zephyrun.proof.comparison import NO_CALLS_KNOWN, NOTHING_RESPELLED, Respelling, all_same, compare_files
from zephyrun.proof.guessed_renames import Reason, find_renames
from zephyrun.proof.known_calls import KnownCalls
from zephyrun.proof.moved_files import find_moved
from zephyrun.proof.parted_files import PARTED, Joined, join_files
from zephyrun.proof.passages import PASSAGE, Apart, PutBack, functions_apart, put_back_passages
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.rename_map import AlignedFile, align_files
from zephyrun.proof.renames import World, judge_text
from zephyrun.proof.surroundings import Content
from zephyrun.proof.verdict import DefinitionProof, Difference, FileProof, Verdict, worst


@dataclass(frozen=True)
class TreeProof:
    """The verdict on two trees: one proof a file that either tree has, by path, in order.

    `reasons` are those against a verdict that concern all files, `assumed` what it rests on that does.
    """

    verdict: Verdict
    files: tuple[tuple[str, FileProof], ...]
    reasons: tuple[str, ...] = ()
    assumed: tuple[str, ...] = ()

    @property
    def assumptions(self) -> tuple[str, ...]:
        """What the verdict rests on, each once."""
        return tuple(sorted({*self.assumed, *(what for _, proof in self.files for what in proof.assumptions)}))


_NOTHING_ELSE = World()
_ALONE = Surroundings()


class Pair(NamedTuple):
    """Two versions of one path; a side that lacks it has `None`."""

    path: str
    old: Content | None
    new: Content | None
    surroundings: Surroundings
    strict: bool
    respelling: Respelling = NOTHING_RESPELLED
    known_calls: tuple[KnownCalls, KnownCalls] = NO_CALLS_KNOWN


def compare_trees(
    old: Mapping[str, Content],
    new: Mapping[str, Content],
    *,
    strict: bool = False,
    code_only: bool = False,
    reason_against: str = "",
    run_all: Callable[[Sequence[Pair]], Iterable[FileProof | None]] | None = None,
    world: World = _NOTHING_ELSE,
) -> TreeProof:
    """Judge two trees, given as contents by path below their roots (with `/`).

    With a `reason_against`, nothing that differs can be called the same. `run_all` may judge the pairs
    elsewhere: it is to give back `judge_pair` of each, in order. `world` says what the trees stand among.
    """
    if dict(old) == dict(new):
        code = (name for name, data in sorted(new.items()) if is_python(name) and isinstance(data, bytes))
        return TreeProof(Verdict.SAME, tuple((name, FileProof(Verdict.SAME)) for name in code))
    question = _Question(strict, code_only, reason_against, run_all, world)
    proof = _compare_with_passages(old, new, question)
    if proof.verdict is Verdict.SAME:
        return proof
    joined: list[Joined] = []
    before, after = old, new
    if (found := join_files(after, before, world, are_old=False)) is not None:
        before, after = found.other, found.files
        joined.append(found)
    if (found := join_files(before, after, world, are_old=True)) is not None:
        before, after = found.files, found.other
        joined.append(found)
    if not joined:
        return proof
    return _with_parts(proof, _compare_with_passages(before, after, question), joined, new, question)


@dataclass(frozen=True)
class _Question:
    """What two trees are compared under; the words are those of `compare_trees`."""

    strict: bool
    code_only: bool
    reason_against: str
    run_all: Callable[[Sequence[Pair]], Iterable[FileProof | None]] | None
    world: World


def _compare_with_passages(
    old: Mapping[str, Content], new: Mapping[str, Content], question: _Question
) -> TreeProof:
    """Judge two trees as they are, or with passages put back that only one of them has in functions of their own."""
    moved = find_moved(old, new)
    files = align_files(old, new, moved, {})
    proof = _compare(old, new, moved, files, question)
    if proof.verdict is Verdict.SAME:
        return proof
    # Of what lies elsewhere no passages are put back.
    aligned = {path: each for path, each in files.items() if path not in moved}
    apart = [
        {path: functions_apart(each.old, each.new) for path, each in aligned.items()},
        {path: functions_apart(each.new, each.old) for path, each in aligned.items()},
    ]
    put_back = [_put_back(version, apart[number], question.world) for number, version in enumerate((old, new))]
    if put_back == [None, None]:
        return proof
    before, after = (each.files if each is not None else version for each, version in zip(put_back, (old, new), strict=True))
    changed = {path for each in put_back if each is not None for path in each.counts}
    kept = {path: each for path, each in files.items() if path not in changed}
    other = _compare(before, after, moved, align_files(before, after, moved, kept), question)
    return _with_passages(proof, other, put_back, question)


def _put_back(files: Mapping[str, Content], apart: Mapping[str, Apart], world: World) -> PutBack | None:
    """One version with the passages put back that the other one has not in functions of their own."""
    if not any(each.names for each in apart.values()):
        return None
    return put_back_passages(files, apart, replace(world, surroundings=world.look_around(files)))


def _with_parts(
    proof: TreeProof,
    other: TreeProof,
    joined: Sequence[Joined],
    new: Mapping[str, Content],
    question: _Question,
) -> TreeProof:
    """The proof of two trees, or what it says with files put back into others where all of these do the same. What is
    said of functions and classes is said where they stand in the new version."""
    files = dict(other.files)
    homes = {part: home for each in joined for part, home in each.homes.items()}
    if any(home in files and files[home].verdict is not Verdict.SAME for home in homes.values()):
        return proof
    for part, home in homes.items():
        files[part] = FileProof(Verdict.SAME, edits=((PARTED, 1),), definitions=_definitions_in(new.get(part)))
        files[home] = replace(files[home], definitions=_definitions_in(new.get(home)))
    assumed = tuple(dict.fromkeys([*other.assumed, *(what for each in joined for what in each.assumed)]))
    reasons = other.reasons
    if question.strict:
        reasons += tuple(f"rests on an assumption: {what}" for what in assumed if what not in other.assumed)
    verdicts = [*(each.verdict for each in files.values()), *(Verdict.UNPROVEN for _ in reasons)]
    return TreeProof(worst(verdicts), tuple(sorted(files.items())), reasons, assumed)


def _definitions_in(data: Content | None) -> tuple[DefinitionProof, ...]:
    """The verdicts on the functions and classes of a file that does the same."""
    return all_same(data) if isinstance(data, bytes) else ()


def _with_passages(
    proof: TreeProof, other: TreeProof, put_back: Sequence[PutBack | None], question: _Question
) -> TreeProof:
    """The proof of two trees, or what it says with passages put back (in the old and the new one) where that says
    more."""
    done = [each for each in put_back if each is not None]
    assumed = tuple(dict.fromkeys(what for each in done for what in each.assumed))
    counts = Counter[str]()
    for each in done:
        counts.update(each.counts)
    before = dict(proof.files)
    files = []
    for path, after in other.files:
        if after.verdict is Verdict.SAME and counts[path]:
            after = replace(after, edits=(*after.edits, (PASSAGE, counts[path])))
        elif counts[path]:
            says_more = len(after.differences) <= len(before[path].differences)
            after = _at_real_lines(path, after, put_back) if says_more else before[path]
        files.append((path, after))
    reasons = other.reasons
    if question.strict:
        reasons += tuple(f"rests on an assumption: {what}" for what in assumed)
    verdicts = [*(each.verdict for _, each in files), *(Verdict.UNPROVEN for _ in reasons)]
    found = TreeProof(worst(verdicts), tuple(files), reasons, tuple(dict.fromkeys([*other.assumed, *assumed])))
    n_same = [sum(each.verdict is Verdict.SAME for _, each in version.files) for version in (found, proof)]
    return found if n_same[0] >= n_same[1] else proof


def _at_real_lines(path: str, proof: FileProof, put_back: Sequence[PutBack | None]) -> FileProof:
    """The proof of a file with the lines of its differences where they are in the texts that people have."""
    old, new = (each.lines.get(path, ()) if each is not None else () for each in put_back)

    def real(line: int, lines: Sequence[int]) -> int:
        return lines[line - 1] if 0 < line <= len(lines) else line

    differences = tuple(
        replace(each, old_line=real(each.old_line, old), new_line=real(each.new_line, new))
        for each in proof.differences
    )
    return replace(proof, differences=differences)


def _compare(
    old: Mapping[str, Content],
    new: Mapping[str, Content],
    moved: Mapping[str, str],
    files: Mapping[str, AlignedFile],
    question: _Question,
) -> TreeProof:
    """Judge two trees as they are, with the files of which both versions are there, aligned, by their old paths."""
    world = question.world
    surroundings = world.look_around(old)
    before = {name: name for name in new} | {new_path: path for path, new_path in moved.items()}
    renames = find_renames(old, new, replace(world, surroundings=surroundings), files, moved)
    changed = {name for name in new if old.get(before.get(name, name)) != new[name]}
    pairs = [
        Pair(
            name,
            old.get(before.get(name, name)),
            new.get(name),
            # What does not differ is not asked about.
            renames.calls.get(name, surroundings.get(before.get(name, name), _ALONE) if name in changed else _ALONE),
            question.strict,
            renames.respellings.get(name, NOTHING_RESPELLED),
            renames.known_calls.get(name, NO_CALLS_KNOWN),
        )
        for name in sorted((old.keys() - moved.keys()) | new.keys())
        if is_python(name) or not question.code_only
    ]
    judged = question.run_all(pairs) if question.run_all is not None else map(judge_pair, pairs)
    seekers = (NameSeekers(old), NameSeekers(new))
    proofs = tuple(
        (pair.path, _with_clashes(pair.path, proof, seekers, is_library=world.is_library))
        for pair, proof in zip(pairs, judged, strict=True)
        if proof is not None
    )
    there = set(moved.values())
    differing = {path for path, proof in proofs if proof.verdict is not Verdict.SAME}
    told = [each for each in renames.reasons if each.given_by not in differing]
    proofs = tuple(
        (path, _moved(proof) if path in there else proof)
        for path, proof in ((path, _with_reasons(path, proof, told)) for path, proof in proofs)
    )
    known = {path for path, _ in proofs}
    # A package may have no file of its own.
    reasons = [each.what for each in told if each.path not in known]
    reasons += [question.reason_against] if question.reason_against else []
    if question.strict:
        reasons += [f"rests on an assumption: {what}" for what in renames.assumptions]
    verdicts = [*(proof.verdict for _, proof in proofs), *(Verdict.UNPROVEN for _ in reasons)]
    return TreeProof(worst(verdicts), proofs, tuple(reasons), renames.assumptions)


def _moved(proof: FileProof) -> FileProof:
    return replace(proof, edits=(("moved file", 1), *proof.edits))


def _with_reasons(path: str, proof: FileProof, reasons: Iterable[Reason]) -> FileProof:
    """The proof of one file, with what speaks against names that seem to have become others there."""
    own = [Difference(each.old_line, each.new_line, each.what) for each in reasons if each.path == path]
    return _with_differences(proof, own)


def _with_differences(proof: FileProof, more: Sequence[Difference]) -> FileProof:
    if not more:
        return proof
    differences = (*proof.differences, *more)
    return replace(proof, verdict=worst(each.verdict for each in differences), differences=differences)


def _with_clashes(path: str, proof: FileProof, seekers: Iterable[NameSeekers], *, is_library: bool) -> FileProof:
    """The proof of one file, with what other files of both versions say of the constants that only one of them
    has. Code outside may use what a library has."""
    reasons: dict[str, str] = {}
    for version in seekers:
        reasons.update(version.reasons_against(path, (*proof.introduced, *proof.folded)))
    for name in proof.folded:
        if is_library and not name.startswith("_"):
            reasons[name] = f"`{name}` is gone, and code outside may use it"
    return _with_differences(proof, [Difference(0, 0, each) for each in reasons.values()])


def judge_pair(pair: Pair) -> FileProof | None:
    """The proof for one path; `None` for a file that is not code and did not change."""
    name, old, new, surroundings, strict, respelling, known_calls = pair
    if old is None or new is None:
        return _unproven(f"the file is only in the {'new' if old is None else 'old'} version")
    if isinstance(old, str) or isinstance(new, str):
        return None if old == new else _unproven(str(new if isinstance(new, str) else old))
    if is_python(name) and old == new:
        # To read it for the names in it would cost more than all else.
        return FileProof(Verdict.SAME)
    if is_python(name):
        return compare_files(
            old,
            new,
            surroundings,
            strict=strict,
            respelling=respelling,
            forgives_documentation=True,
            rewrites=True,
            known_calls=known_calls,
        )
    return None if old == new else judge_text(old, new, respelling.new)


def _unproven(what: str) -> FileProof:
    return FileProof(Verdict.UNPROVEN, differences=(Difference(0, 0, what),))
