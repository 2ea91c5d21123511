"""What a survey costs, measured side by side with the interpreter's own work in one run.

    python benchmarks/survey_speed.py [FOLDER] [--rounds N] [--profile]

Ratios of processor time (all processes, two workers on both sides): `zephyrun survey` of a tree, cold,
for literals and comments, with layout, and for everything; then
with one file changed, and with nothing changed, against `compileall` of the same tree. Then memory, and
wall time of `--version`, `--help` and `survey` of a one-line file against that of an empty program, beside that of
importing what any such tool needs. Medians over the rounds, in
which all sides take turns. With `--profile`, where the time of a cold survey goes, in one process.
"""

from __future__ import annotations

import argparse
import ast
import os
import shutil
import sqlite3
import statistics
import sys
import sysconfig
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any, NamedTuple

from zephyrun.findings import KINDS
from zephyrun.findings.finding import FileView
from zephyrun.languages.python import parse
from zephyrun.languages.python.reading import deep_recursion
from zephyrun.layout.habits import CONVENTIONS
from zephyrun.proof.surroundings import find_surroundings

_KIB = 1024
# As for a person who installed it: compiled once, then loaded.
_ENVIRONMENT = {name: os.environ[name] for name in os.environ if name != "PYTHONDONTWRITEBYTECODE"}
_FIRST = "literals,comments"
_EVERYTHING = "cold, everything"
# What any program loads that reads options, finds files and takes code apart.
_NEEDED = "argparse, ast, dataclasses, pathlib, re"
START_UPS_A_ROUND = 4
MILLISECONDS_PER_SECOND = 1000
MIB_ALLOWED = 60
PROFILED_SHARE = 4


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


def compare(rounds: int, sides: dict[str, tuple[Callable[[], None], list[str]]]) -> dict[str, Cost]:
    """All commands in turn, each after what prepares it, and after one round that counts for nothing."""
    measured: dict[str, list[Cost]] = {name: [] for name in sides}
    for round_number in range(rounds + 1):
        for name, (prepare, words) in sides.items():
            prepare()
            cost = cost_of(words)
            if round_number:
                measured[name].append(cost)
    return {name: medians(costs) for name, costs in measured.items()}


def copied_tree(source: Path | None, tree: Path) -> Path:
    """A copy of a folder, by default of the standard library without its tests, as a project."""
    ignored = shutil.ignore_patterns("__pycache__", "site-packages", "test", "tests")
    shutil.copytree(source or Path(sysconfig.get_path("stdlib")), tree, ignore=ignored)
    (tree / "zephyrun.toml").touch()
    return tree


def compiling(tree: Path) -> str:
    """What compiles a tree; called through code, since the command ends with 1 where one file does not
    compile."""
    return f"import compileall; compileall.compile_dir({str(tree)!r}, quiet=2, force=True, workers=2)"


def forget_answers(tree: Path) -> None:
    """Forget what was found out about whole versions of a tree; what its files say stays known."""
    file = tree / ".zephyrun" / "cache.sqlite"
    if file.exists():
        with closing(sqlite3.connect(file)) as cache, cache:
            cache.execute("DELETE FROM answers")


def nothing() -> None:
    """What prepares a command that needs nothing."""


def print_profile(files: dict[str, bytes]) -> None:
    """Where the time of a cold survey goes: seconds of processor time by stage, and in units of what
    `compile` takes for the same files."""
    spent: Counter[str] = Counter()

    def timed(stage: str, work: Callable[[], Any]) -> Any:
        began = time.process_time()
        result = work()
        spent[stage] += time.process_time() - began
        return result

    surroundings = timed("surroundings of all files", lambda: find_surroundings(files))
    for name, data in files.items():
        try:
            timed("compile", lambda: compile(data, name, "exec", dont_inherit=True))
            parsed = timed("text, tree, scan, walk, facts", lambda: parse(data))
        except (SyntaxError, ValueError):
            continue
        timed("  of these: the tree", lambda: ast.parse(data))
        view = FileView(name, parsed, surroundings[name], CONVENTIONS)
        with deep_recursion():
            for kind in KINDS.values():
                timed(f"detector of {kind.name}", lambda: list(kind.detector(view)))
    yardstick = spent.pop("compile")
    print(f"where the time goes, one process, {len(files):,} files (compile: {yardstick:.2f} s)")
    for stage, seconds in spent.items():
        print(f"  {stage:40} {seconds:6.2f} s {seconds / yardstick:6.2f}")


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("folder", nargs="?", type=Path, help="default: the standard library without tests")
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--profile", action="store_true", help="also print where the time goes")
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        tree = copied_tree(arguments.folder, Path(scratch, "tree"))
        files = list(tree.rglob("*.py"))
        n_lines = sum(path.read_bytes().count(b"\n") for path in files)
        print(f"Python {sys.version.split()[0]}, {len(files):,} files, {n_lines:,} lines")
        print(f"medians of {arguments.rounds} rounds")

        kept, changed = tree / ".zephyrun", files[len(files) // 2]
        survey = ["-m", "zephyrun", "survey", str(tree), "--jobs", "2"]

        def forget() -> None:
            shutil.rmtree(kept, ignore_errors=True)

        costs = compare(
            arguments.rounds,
            {
                "compileall": (nothing, ["-c", compiling(tree)]),
                "cold, literals and comments": (forget, [*survey, "--only", _FIRST]),
                "cold, with layout": (forget, [*survey, "--only", f"{_FIRST},layout"]),
                _EVERYTHING: (forget, survey),
                "one file changed": (lambda: append_comment(changed), survey),
                "nothing changed": (nothing, survey),
            },
        )
        theirs = costs.pop("compileall")
        for name, ours in costs.items():
            what = f"survey / compileall, processor, {name}"
            print_ratio(what, ours.processor, theirs.processor, "s")
        ours = costs[_EVERYTHING]
        print_ratio("  cold, on the clock", ours.wall, theirs.wall, "s")
        allowed = MIB_ALLOWED + n_lines / _KIB
        print_ratio("  cold, memory / 60 MB + 1 KiB a line", ours.memory, allowed, "MiB")

        one_line = Path(scratch, "one.py")
        one_line.write_text("hives = 3\n")
        costs = compare(
            START_UPS_A_ROUND * arguments.rounds,
            {
                "empty program": (nothing, ["-c", "pass"]),
                "--version": (nothing, ["-m", "zephyrun", "--version"]),
                "--help": (nothing, ["-m", "zephyrun", "--help"]),
                f"import {_NEEDED}": (nothing, ["-c", f"import {_NEEDED}"]),
                "survey of one line": (nothing, ["-m", "zephyrun", "survey", str(one_line)]),
            },
        )
        theirs = costs.pop("empty program")
        for name, ours in costs.items():
            milliseconds = [MILLISECONDS_PER_SECOND * each.wall for each in (ours, theirs)]
            print_ratio(f"{name} / empty program, wall", *milliseconds, "ms")
        ours = costs["survey of one line"]
        print_ratio("survey of one line / empty program, memory", ours.memory, theirs.memory, "MiB")
        if arguments.profile:
            print_profile({path.relative_to(tree).as_posix(): path.read_bytes() for path in files[::PROFILED_SHARE]})


def append_comment(path: Path) -> None:
    """Change a file in a way that changes no finding."""
    path.write_bytes(path.read_bytes() + b"# changed\n")


def print_ratio(what: str, ours: float, theirs: float, unit: str) -> None:
    """One line: the ratio, and both figures."""
    print(f"{what:54} {ours / theirs:5.2f}   ({ours:.1f} {unit} against {theirs:.1f} {unit})")


if __name__ == "__main__":
    main()
