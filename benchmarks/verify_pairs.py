"""Clean-ups of real code, and changes of behaviour hidden among clean-ups: what does `verify` say?

    python benchmarks/verify_pairs.py [--clean N] [--broken N] [--seed N] [--show] [--by-hand]

The pairs are made from modules of the standard library by `clean_ups.py`, which imports nothing of the
project (clean ones not from one module that tells its own text); each is a text with one to five clean-ups,
and, of the broken ones, one change of behaviour. Every text is written anew from its tree, so that layout, comments and quotes differ as well. Prints how many broken ones
are called the same (0 is asked), how many clean ones are (95 %), how many broken ones are located within two
lines (95 %), and what it costs. With `--by-hand`, the hundred clean-ups in `clean_ups_by_hand` are asked instead,
which people might make. Ends with 1 when a broken one is called the same.
"""

from __future__ import annotations

import argparse
import random
import sysconfig
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import NamedTuple

from clean_ups import Pair, make_pair

from zephyrun.project.library import read_library
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

_SHORTEST, _LONGEST = 2_000, 30_000
# Run by itself, it prints what stands on which line of its own text: whatever is changed in that is another behaviour.
_TELLING_ITS_TEXT = "pyclbr.py"
_NEAR = 2
_MOST_CLEAN_UPS = 5
_THOUSAND = 1000
_MOST_SHOWN = 3
# None of n bounds a rate below 3/n, with 95 % confidence.
_RULE_OF_THREE = 3
_LARGEST_SEED = 1 << 30


class Answer(NamedTuple):
    """What was said of one pair: the verdict, the lines that were shown, seconds, and why not the same."""

    name: str
    pair: Pair
    verdict: str
    lines: tuple[tuple[int, int], ...]
    seconds: float
    why: str


def answer(job: tuple[str, str, int, bool]) -> Answer | None:
    """Make one pair and ask."""
    name, text, seed, breaks = job
    dice = random.Random(seed)
    pair = make_pair(text, dice, dice.randrange(1, _MOST_CLEAN_UPS + 1), breaks=breaks)
    if pair is None:
        return None
    began = time.perf_counter()
    proof = compare_trees({name: pair.old.encode()}, {name: pair.new.encode()}, world=World(library=read_library))
    seconds = time.perf_counter() - began
    differences = [each for _, file in proof.files for each in file.differences]
    why = "; ".join(f"{each.old_line}:{each.new_line} {each.what}" for each in differences[:_MOST_SHOWN])
    lines = tuple((each.old_line, each.new_line) for each in differences)
    return Answer(name, pair, proof.verdict.value, lines, seconds, why)


def main() -> int:
    """Ask, and print the figures."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("--clean", type=int, default=2_000)
    parser.add_argument("--broken", type=int, default=4_000)
    parser.add_argument("--seed", type=int, default=2026)
    parser.add_argument("--show", action="store_true", help="print each clean-up that is not called the same")
    parser.add_argument("--by-hand", action="store_true", help="ask about the clean-ups made by hand")
    arguments = parser.parse_args()
    if arguments.by_hand:
        return ask_about_hand_made()
    sources = [
        (path.name, path.read_text("utf-8"))
        for path in sorted(Path(sysconfig.get_path("stdlib")).glob("*.py"))
        if _SHORTEST < path.stat().st_size < _LONGEST
    ]
    cleaned = [each for each in sources if each[0] != _TELLING_ITS_TEXT]
    dice = random.Random(arguments.seed)
    jobs = [
        (*dice.choice(sources if breaks else cleaned), dice.randrange(_LARGEST_SEED), breaks)
        for breaks, number in ((False, arguments.clean), (True, arguments.broken))
        for _ in range(number)
    ]
    with ProcessPoolExecutor() as pool:
        answers = [each for each in pool.map(answer, jobs, chunksize=8) if each is not None]

    clean = [each for each in answers if not each.pair.lines[0]]
    broken = [each for each in answers if each.pair.lines[0]]
    n_proved = sum(each.verdict == Verdict.SAME for each in clean)
    wrong = [each for each in broken if each.verdict == Verdict.SAME]
    n_near = sum(any(abs(old - each.pair.lines[0]) <= _NEAR for old, _ in each.lines) for each in broken)
    n_lines = sum(each.pair.old.count("\n") for each in answers)
    seconds = sum(each.seconds for each in answers)
    print(f"clean-ups proved: {n_proved:,} of {len(clean):,} ({n_proved / len(clean):.1%}; 95 % asked)")
    bound = "" if wrong else f": a rate under {_RULE_OF_THREE / len(broken):.2%}"
    print(f"changes of behaviour called the same: {len(wrong)} of {len(broken):,}{bound}")
    print(f"of these called different: {sum(each.verdict == Verdict.DIFFERENT for each in broken):,}; "
          f"located within {_NEAR} lines: {n_near:,} ({n_near / len(broken):.1%}; 95 % asked)")
    print(f"{seconds / n_lines * _THOUSAND:.2f} seconds for a thousand lines")
    print_by_kind(clean, broken)
    for each in wrong:
        print(f"\nWRONG {each.name} {each.pair.kinds}\n{each.pair.new}")
    if arguments.show:
        for each in clean:
            if each.verdict != Verdict.SAME:
                print(f"   {each.name} {', '.join(each.pair.kinds)}: {each.why}")
    return 1 if wrong else 0


def ask_about_hand_made() -> int:
    """Ask about each clean-up made by hand, and print what was not proved."""
    n_asked = n_proved = 0
    for path in sorted(Path(__file__).with_name("clean_ups_by_hand").glob("*.txt")):
        for block in path.read_text("utf-8").split("=== ")[1:]:
            title, _, body = block.partition("\n")
            old, new = (each.encode() for each in body.split("---\n"))
            proof = compare_trees({"hives.py": old}, {"hives.py": new}, world=World(library=read_library))
            n_asked += 1
            n_proved += proof.verdict is Verdict.SAME
            if proof.verdict is not Verdict.SAME:
                whys = [each.what for _, file in proof.files for each in file.differences]
                print(f"   {proof.verdict.value}: {title}: {'; '.join(whys[:_MOST_SHOWN])}")
    print(f"clean-ups by hand proved: {n_proved} of {n_asked}")
    return 0


def print_by_kind(clean: list[Answer], broken: list[Answer]) -> None:
    """How each kind of change fared."""
    n_met = Counter(kind for each in clean for kind in each.pair.kinds)
    n_proved = Counter(kind for each in clean if each.verdict == Verdict.SAME for kind in each.pair.kinds)
    for kind, number in sorted(n_met.items()):
        print(f"   {kind:28} proved {n_proved[kind]:5} of {number:5}")
    for kind, number in sorted(Counter(each.pair.kinds[0] for each in broken).items()):
        print(f"   {kind:28} hidden {number:5} times")


if __name__ == "__main__":
    raise SystemExit(main())
