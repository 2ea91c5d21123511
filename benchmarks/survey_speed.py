"""What a survey costs, measured side by side with the interpreter's own work in one run.

    python benchmarks/survey_speed.py [FOLDER] [--rounds N]

Three ratios: processor time of `zephyrun survey` (all its processes) against that of `compileall` of
the same tree; wall time of `survey` of a one-line file against that of an empty program; and the
memory that both of these take at most. Medians over the rounds, in which both sides take turns.
"""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import sys
import sysconfig
import tempfile
import time
from pathlib import Path
from typing import NamedTuple

_KIB = 1024
# As for a person who installed it: compiled once, then loaded.
_ENVIRONMENT = {name: os.environ[name] for name in os.environ if name != "PYTHONDONTWRITEBYTECODE"}
START_UPS_A_ROUND = 4
MILLISECONDS_PER_SECOND = 1000


class Cost(NamedTuple):
    """What one command took: seconds on the clock, seconds of processor time of all its processes,
    and the most memory (MiB) that one of its processes held."""

    wall: float
    processor: float
    memory: float


def cost_of(words: list[str]) -> Cost:
    """Run a Python command silently and count what it takes. Exits when the command fails."""
    began = time.perf_counter()
    child = os.fork()
    if child == 0:
        null = os.open(os.devnull, os.O_RDWR)
        for stream in range(3):
            os.dup2(null, stream)
        os.execve(sys.executable, [sys.executable, *words], _ENVIRONMENT)
    # Processor time that a child waited for itself counts in as well.
    _, status, usage = os.wait4(child, 0)
    wall = time.perf_counter() - began
    if os.waitstatus_to_exitcode(status):
        sys.exit(f"python {' '.join(words)} ended with {os.waitstatus_to_exitcode(status)}")
    return Cost(wall, usage.ru_utime + usage.ru_stime, usage.ru_maxrss / _KIB)


def medians(costs: list[Cost]) -> Cost:
    """The median of each figure by itself."""
    return Cost(*(statistics.median(column) for column in zip(*costs, strict=True)))


def compare(rounds: int, ours: list[str], theirs: list[str]) -> tuple[Cost, Cost]:
    """Both commands in turn, after one round that counts for nothing."""
    measured: tuple[list[Cost], list[Cost]] = ([], [])
    for round_number in range(rounds + 1):
        for costs, words in zip(measured, (ours, theirs), strict=True):
            cost = cost_of(words)
            if round_number:
                costs.append(cost)
    return medians(measured[0]), medians(measured[1])


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("folder", nargs="?", type=Path, help="default: the standard library without tests")
    parser.add_argument("--rounds", type=int, default=5)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        tree = Path(scratch, "tree")
        source = arguments.folder or Path(sysconfig.get_path("stdlib"))
        ignored = shutil.ignore_patterns("__pycache__", "site-packages", "test", "tests")
        shutil.copytree(source, tree, ignore=ignored)
        (tree / "zephyrun.toml").touch()
        files = list(tree.rglob("*.py"))
        n_lines = sum(path.read_bytes().count(b"\n") for path in files)
        print(f"Python {sys.version.split()[0]}, {len(files):,} files, {n_lines:,} lines")
        print(f"medians of {arguments.rounds} rounds")

        survey = ["-m", "zephyrun", "survey", str(tree), "--format", "json", "--jobs", "2"]
        # Called through code, since the command ends with 1 where one file does not compile.
        call = f"import compileall; compileall.compile_dir({str(tree)!r}, quiet=2, force=True, workers=2)"
        ours, theirs = compare(arguments.rounds, survey, ["-c", call])
        print_ratio("survey / compileall, processor seconds", ours.processor, theirs.processor, "s")
        print_ratio("  on the clock (processes as each likes)", ours.wall, theirs.wall, "s")
        print_ratio("  memory of the largest process", ours.memory, theirs.memory, "MiB")

        one_line = Path(scratch, "one.py")
        one_line.write_text("hives = 3\n")
        survey = ["-m", "zephyrun", "survey", str(one_line)]
        ours, theirs = compare(START_UPS_A_ROUND * arguments.rounds, survey, ["-c", "pass"])
        milliseconds = [MILLISECONDS_PER_SECOND * each.wall for each in (ours, theirs)]
        print_ratio("survey of one line / empty program, wall", *milliseconds, "ms")
        print_ratio("survey of one line / empty program, memory", ours.memory, theirs.memory, "MiB")


def print_ratio(what: str, ours: float, theirs: float, unit: str) -> None:
    """One line: the ratio, and both figures."""
    print(f"{what:45} {ours / theirs:5.2f}   ({ours:.1f} {unit} against {theirs:.1f} {unit})")


if __name__ == "__main__":
    main()
