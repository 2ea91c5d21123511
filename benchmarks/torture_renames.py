"""Rename everything that the tool calls safe in real packages, and run their own suites before and after.

    python benchmarks/torture_renames.py [NAME ...] [--application] [--keep FOLDER]

The packages are those of torture_packages.py. Every module-level name, class, method, attribute,
parameter and local outside the tests is asked for alone; all that are safe are renamed at once, proved,
and the suite is run. Then all are renamed back, and every byte must be the one that was there. Renamed
names are counted by sort and refused ones by reason, and a run under coverage tells which share of the
renamed references stands on lines that the suite executes. What `verify` says of both versions, which is
not told of the renames, is printed, too. Ends with 1 when a test breaks or a byte is
not given back.
"""

from __future__ import annotations

import argparse
import json
import re
import shutil
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from renaming import Verdicts, everything_named, judge_each, open_world, prove_together, with_surroundings
from torture_packages import PACKAGES, Package, Workshop, fetch, open_workshop, run_suite

from zephyrun.changes.project_renames import Change, Wish, carry_out_renames
from zephyrun.linking.modules import is_test
from zephyrun.linking.usage import PlaceSort
from zephyrun.proof.renames import World, new_target_of
from zephyrun.proof.trees import compare_trees

_MOST_REASONS = 12
_SHOWN_LENGTH = 110
_PROVING = (PlaceSort.COMMENT, PlaceSort.DOCUMENTATION, PlaceSort.DOCUMENT)


def torture(workshop: Workshop, package: Package, arguments: argparse.Namespace) -> tuple[int, int, int, int]:
    """Rename all that is safe in one package and print what came of it: tests that passed, those that
    broke, and how many of the renamed references ran, of how many."""
    root = fetch(workshop, package)
    print(f"\n{package.release}: {package.difficulty}")
    before = run_suite(workshop, root, package)
    began = time.perf_counter()
    contents, world = open_world(root, is_library=not arguments.application)
    evaluator = world.evaluator(contents)
    inside = "" if package.code == "." else f"{package.code}/"
    paths = [
        path for path in evaluator.linkage.paths
        if path.startswith(inside) and not is_test(path) and not path.startswith("docs/")
    ]
    named = list(everything_named(evaluator, paths))
    full_world = with_surroundings(world, contents)
    verdicts = judge_each(evaluator, named, full_world)
    print_counts(verdicts.counts)
    print_reasons(verdicts)
    change, refused = prove_together(evaluator, verdicts.safe, full_world)
    print(f"renamed together and proved: {len(change.usages)}, with {sum(len(each.places) for each in change.usages):,} "
          f"references in {len(change.changed)} files; not proved: {len(refused)}; "
          f"{time.perf_counter() - began:.0f} seconds")
    for wish, why in refused[:_MOST_REASONS]:
        print(f"   {wish.target.name} of {wish.target.path}: {why}")

    print_untold_verdict(contents, change, world)
    for path, data in change.changed.items():
        (root / path).write_bytes(data)
    after = run_suite(workshop, root, package)
    passed = {test for test, outcome in before.items() if outcome == "passed"}
    broken = sorted(test for test in passed if after.get(test) != "passed")
    if broken:
        # Some tests depend on the time of day, or bear it in their names: they get a second chance, on both copies alike.
        again, unchanged = run_suite(workshop, root, package), run_suite(workshop, fetch(workshop, package), package)
        broken = [each for each in broken if again.get(each) != "passed" and unchanged.get(each) == "passed"]
    run_suite(workshop, root, package, traced=True)
    n_executed, n_references = _executed_references(root, change)
    n_strange = rename_back(change, world, contents)
    print(f"tests that passed: {len(passed):,}; broken: {len(broken)}")
    for test in broken[:_MOST_REASONS]:
        print(f"   {test}")
    print(f"renamed references on lines that the suite executed: {n_executed:,} of {n_references:,} "
          f"({n_executed / max(n_references, 1):.0%}); files that renaming back does not give back: {n_strange}")
    return len(passed), len(broken) + n_strange, n_executed, n_references


def print_untold_verdict(contents: dict[str, bytes | str], change: Change, world: World) -> None:
    """What `verify` says of the two versions, which is not told what was renamed."""
    began = time.perf_counter()
    proof = compare_trees(contents, change.contents, world=world)
    edits = sum((Counter(dict(file.edits)) for _, file in proof.files), Counter[str]())
    listed = ", ".join(f"{count:,} times {sort}" for sort, count in sorted(edits.items()))
    print(f"told of no rename, verify says: {proof.verdict}; {listed}; {time.perf_counter() - began:.0f} seconds")
    differing = [(path, each) for path, file in proof.files for each in file.differences]
    for path, difference in differing[:_MOST_REASONS]:
        print(f"   {path}, line {difference.old_line}: {difference.what}")


def print_counts(counts: Counter[tuple[str, str]]) -> None:
    """How much of each sort could be renamed without anybody's word."""
    for sort in sorted({sort for sort, _ in counts}):
        answers = {answer: counts[sort, answer] for answer in ("safe", "review", "refused")}
        share = answers["safe"] / sum(answers.values())
        listed = ", ".join(f"{count} {answer}" for answer, count in answers.items())
        print(f"   {sort:32} {share:5.1%} safe ({listed})")


def print_reasons(verdicts: Verdicts) -> None:
    """What holds most renames back."""
    reasons = Counter(f"{answer}: {re.sub(r'`[^`]*`', '…', why)}" for _, answer, why in verdicts.others)
    for reason, count in reasons.most_common(_MOST_REASONS):
        print(f"   {count:5} {reason[:_SHOWN_LENGTH]}")


def _executed_references(root: Path, change: Change) -> tuple[int, int]:
    files = json.loads((root / "executed.json").read_text())["files"]
    n_executed = n_all = 0
    for usage in change.usages:
        for place in usage.places:
            data = change.contents.get(place.path)
            measured = files.get(place.path)
            if place.sort in _PROVING or not isinstance(data, bytes) or measured is None:
                continue
            line = data.count(b"\n", 0, place.start) + 1
            n_all += line in measured["executed_lines"] or line in measured["missing_lines"]
            n_executed += line in measured["executed_lines"]
    return n_executed, n_all


def rename_back(change: Change, world: World, contents: dict[str, bytes | str]) -> int:
    """Rename everything back; the number of files that are not what they were."""
    evaluator = world.evaluator(change.contents)
    first = world.evaluator(contents)
    wishes = []
    for renaming in change.renamings:
        target = new_target_of(first, evaluator, renaming, change.moved)
        if target is not None:
            wishes.append(Wish(target, renaming.target.written))
    back = carry_out_renames(evaluator, wishes)
    return sum(
        back.contents.get(path) != contents[path]
        for path in change.changed
    )


def main() -> int:
    """Run the torture; 1 when a test that passed fails afterwards, or a byte is not given back."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("names", nargs="*", help=f"some of {', '.join(PACKAGES)}; default: all")
    parser.add_argument(
        "--application", action="store_true", help="rename public names, too: all callers are in sight"
    )
    parser.add_argument("--keep", type=Path, help="work in this folder, and leave it")
    arguments = parser.parse_args()
    packages = [PACKAGES[name] for name in arguments.names or PACKAGES]
    folder = arguments.keep or Path(tempfile.mkdtemp(prefix="torture-renames-"))
    folder.mkdir(parents=True, exist_ok=True)
    workshop = open_workshop(folder.resolve(), packages)
    totals = [torture(workshop, package, arguments) for package in packages]
    n_passed, n_broken, n_executed, n_references = map(sum, zip(*totals, strict=True))
    print(f"\nPython {sys.version.split()[0]}, {len(packages)} packages, {n_passed:,} tests that passed; broken: "
          f"{n_broken}; renamed references executed: {n_executed:,} of {n_references:,} "
          f"({n_executed / max(n_references, 1):.0%})")
    if not arguments.keep:
        shutil.rmtree(folder, ignore_errors=True)
    return 1 if n_broken else 0


if __name__ == "__main__":
    sys.exit(main())
