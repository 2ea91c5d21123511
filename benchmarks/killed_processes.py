"""Kill `apply` and `undo` at every operation on the disk, and at random; nothing may be lost.

    python benchmarks/killed_processes.py [--random N]

A copy of the sample project is cleaned up by a process that ends itself, as `kill -9` would, at its
first, second, third … operation on the disk, and by processes that are killed from outside after a
random time. After each the next command must find the old project or the new one, to the byte, say so
where something was put back, and leave nothing behind in the project's folders. Prints what was found.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

APIARY = Path(__file__).resolve().parent.parent / "src" / "zephyrun" / "apiary"
# Every way in which a change touches the disk.
OPERATIONS = ("open", "write", "replace", "rename", "unlink", "rmdir", "mkdir", "chmod", "fsync")
_DIES = """
import builtins, os, sys
from zephyrun.commands import main
left = int(sys.argv[1])
def counted(function):
    def call(*arguments, **options):
        global left
        left -= 1
        if left < 0:
            os._exit(137)
        return function(*arguments, **options)
    return call
for name in {operations!r}:
    setattr(os, name, counted(getattr(os, name)))
code = main(sys.argv[2:])
print("operations left:", left, file=sys.stderr)
sys.exit(code)
"""
_ENDED_BY_ITSELF = 137
# Shares of how long a command takes: much goes into starting up, the disk is touched near the end.
EARLIEST_KILL = 0.3
LATEST_KILL = 1.05

Contents = dict[str, bytes]


def contents_of(project: Path) -> Contents:
    """The files of the project, without what Zephyrun keeps."""
    return {
        path.relative_to(project).as_posix(): path.read_bytes()
        for path in sorted(project.rglob("*"))
        if path.is_file() and ".zephyrun" not in path.parts and "__pycache__" not in path.parts
    }


class Stage:
    """A folder with a project, its plan, and both versions of it to compare with."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.project = folder / "project"
        shutil.copytree(APIARY, self.project, ignore=shutil.ignore_patterns("__pycache__"))
        self.run("propose", "project/hive", "project/season_report.py", "--output", "cleanup.toml")
        self.old = contents_of(self.project)
        self.run("apply", "cleanup.toml")
        self.new = contents_of(self.project)
        shutil.copytree(self.project, folder / "applied")
        self.run("undo", "project")
        shutil.copytree(self.project, folder / "undone")

    def run(self, *words: str) -> subprocess.CompletedProcess[str]:
        """A command of ours, to its end."""
        command = [sys.executable, "-m", "zephyrun", *words]
        return subprocess.run(command, cwd=self.folder, capture_output=True, text=True, check=False)

    def reset(self, state: str) -> None:
        """Put the project into a state: `applied` or `undone`, its journal included."""
        shutil.rmtree(self.project)
        shutil.copytree(self.folder / state, self.project)

    def verdict(self) -> str:
        """What the next command finds, in one word; a sentence in capitals is a failure."""
        next_command = self.run("undo", "project", "--list")
        found = contents_of(self.project)
        left_over = [path for path in self.project.rglob(".zephyrun-*") if "journal" not in path.parts]
        if left_over or any(".zephyrun-" in name for name in found):
            return "SOMETHING WAS LEFT BEHIND"
        if found == self.new:
            return "new"
        if found != self.old:
            return "NEITHER OLD NOR NEW"
        return "old, put back and said so" if "the old project is back" in next_command.stderr else "old"


def main() -> int:
    """Kill and look; 1 when anything was lost."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("--random", type=int, default=200, help="how often to kill at a random time")
    parser.add_argument("--stride", type=int, default=1, help="kill at every Nth operation only")
    arguments = parser.parse_args()
    counts: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as scratch:
        stage = Stage(Path(scratch))
        for state, words in (("undone", ("apply", "cleanup.toml")), ("applied", ("undo", "project"))):
            n_operations = kill_at_each_operation(stage, state, words, arguments.stride, counts)
            print(f"{words[0]}: killed at each of {n_operations} operations on the disk")
        kill_at_random(stage, arguments.random, counts)
        print(f"apply and undo: killed {arguments.random} times at random")
    for verdict, count in sorted(counts.items()):
        print(f"  {count:5} found {verdict}")
    return 1 if any(verdict.isupper() for verdict in counts) else 0


def kill_at_each_operation(
    stage: Stage, state: str, words: tuple[str, ...], stride: int, counts: Counter[str]
) -> int:
    """Kill one command at each of its operations; how many it has."""
    program = _DIES.format(operations=OPERATIONS)
    n_operations = 0
    while True:
        stage.reset(state)
        command = [sys.executable, "-c", program, str(n_operations), *words]
        done = subprocess.run(command, cwd=stage.folder, capture_output=True, check=False)
        counts[stage.verdict()] += 1
        if done.returncode != _ENDED_BY_ITSELF:
            return n_operations
        n_operations += stride


def kill_at_random(stage: Stage, n_times: int, counts: Counter[str]) -> None:
    """Kill whole commands from outside, at times spread over how long they take."""
    dice = random.Random(1)
    for number in range(n_times):
        state, words = [("undone", ("apply", "cleanup.toml")), ("applied", ("undo", "project"))][number % 2]
        stage.reset(state)
        began = time.perf_counter()
        if number < 2:
            stage.run(*words)
            duration = time.perf_counter() - began
            stage.reset(state)
        command = [sys.executable, "-m", "zephyrun", *words]
        child = subprocess.Popen(
            command, cwd=stage.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        time.sleep(duration * dice.uniform(EARLIEST_KILL, LATEST_KILL))
        try:
            os.killpg(child.pid, signal.SIGKILL)
        except ProcessLookupError:
            pass
        child.wait()
        counts[stage.verdict()] += 1


if __name__ == "__main__":
    sys.exit(main())
