"""How much could be renamed without anybody's word, and whether what could not is held back for a reason.

    python benchmarks/rename_reach.py [NAME ...] [--draw N] [--seed N] [--show]

Every name outside the tests of the packages of torture_packages.py is asked for alone, as in an application:
all callers are in sight. Prints the shares by sort, against the goal for locals and for parameters of
private functions. Then N refusals and reviews of private functions, classes, methods and attributes are
drawn at random; with `--show` each is printed with its reason, to be judged by reading the code. The
judgements of the draw with the default packages and seed lie in `judged/renames.toml`.
"""

from __future__ import annotations

import argparse
import random
import tempfile
import tomllib
from collections import Counter
from pathlib import Path

from renaming import Verdicts, everything_named, judge_each, open_world, with_surroundings
from torture_packages import PACKAGES, fetch, open_workshop
from torture_renames import print_counts

from zephyrun.linking.modules import is_test

JUDGED = Path(__file__).parent / "judged" / "renames.toml"
GOAL = 0.97
_WITH_A_GOAL = ("local", "parameter of a private function")
_DRAWN_FROM = frozenset({"private function", "private class", "private method", "private attribute"})
# pony reads instructions and frames, so that hardly a name of it can be renamed.
_DEFAULT = tuple(name for name in PACKAGES if name != "pony")


def main() -> int:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("names", nargs="*", help=f"some of {', '.join(PACKAGES)}; default: all but pony")
    parser.add_argument("--draw", type=int, default=60)
    parser.add_argument("--seed", type=int, default=2026)
    parser.add_argument("--show", action="store_true")
    parser.add_argument("--keep", type=Path, help="work in this folder, and leave it")
    arguments = parser.parse_args()
    total: Counter[tuple[str, str]] = Counter()
    drawn_from = []
    with tempfile.TemporaryDirectory(prefix="rename-reach-") as scratch:
        folder = arguments.keep or Path(scratch)
        packages = [PACKAGES[name] for name in arguments.names or _DEFAULT]
        workshop = open_workshop(folder.resolve(), packages)
        for package in packages:
            verdicts, held_back = ask(fetch(workshop, package), package.code)
            print(f"\n{package.release}")
            print_counts(verdicts.counts)
            total += verdicts.counts
            drawn_from += [(package.release, *each) for each in held_back]
    print("\nall together")
    print_counts(total)
    for sort in _WITH_A_GOAL:
        n_all = sum(total[sort, answer] for answer in ("safe", "review", "refused"))
        share = total[sort, "safe"] / max(n_all, 1)
        print(f"{sort}: {share:.1%} safe, {GOAL:.0%} wanted: {'met' if share >= GOAL else 'missed'}")

    drawn = random.Random(arguments.seed).sample(sorted(drawn_from), min(arguments.draw, len(drawn_from)))
    if arguments.show:
        for number, (release, place, name, answer, why) in enumerate(drawn, 1):
            print(f"{number:3}  {release} {place} {name}: {answer}: {why}")
    print_judged({f"{release} {place} {name}" for release, place, name, _, _ in drawn})
    return 0


def ask(root: Path, code: str) -> tuple[Verdicts, list[tuple[str, str, str, str]]]:
    """The answers for one package; and the place, name, answer and reason of what is private and held back."""
    contents, world = open_world(root, is_library=False)
    evaluator = world.evaluator(contents)
    inside = "" if code == "." else f"{code}/"
    paths = [
        path for path in evaluator.linkage.paths
        if path.startswith(inside) and not is_test(path) and not path.startswith("docs/")
    ]
    named = list(everything_named(evaluator, paths))
    verdicts = judge_each(evaluator, named, with_surroundings(world, contents))
    sorts = {target: sort for sort, target in named}
    held_back = []
    for target, answer, why in verdicts.others:
        if sorts[target] in _DRAWN_FROM:
            file = evaluator.file(target.path)
            line = file.line_of(max(file.source.text.find(target.written), 0))
            held_back.append((f"{target.path}:{line}", target.written, answer, why))
    return verdicts, held_back


def print_judged(drawn: set[str]) -> None:
    """What was said of the drawn ones."""
    if not JUDGED.exists():
        return
    judged = tomllib.loads(JUDGED.read_text("utf-8"))["judged"]
    judged = [each for each in judged if f"{each['package']} {each['place']} {each['name']}" in drawn]
    n_needless = sum(each["needless"] for each in judged)
    print(f"judged: {len(judged)} of {len(drawn)} drawn; needlessly held back: {n_needless}")


if __name__ == "__main__":
    raise SystemExit(main())
