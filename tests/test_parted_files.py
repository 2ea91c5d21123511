"""Parts of a file in files of their own: what is called the same does the same, and near-misses are not called so."""

import re
from pathlib import Path
from typing import NamedTuple

import pytest

from tests.helpers import LIBRARY
from tests.ready import run_program
from zephyrun.project.library import read_library
from zephyrun.proof.parted_files import PARTED
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

NEAR_MISSES = Path(__file__).parent.parent / "benchmarks/near_misses_of_trees.txt"
WORLD = World(library=read_library, memory=LIBRARY)


class Case(NamedTuple):
    title: str
    is_same: bool
    old: dict[str, bytes]
    new: dict[str, bytes]


def read_cases():
    for block in re.split(r"(?m)^=== ", NEAR_MISSES.read_text("utf-8"))[1:]:
        head, *parts = re.split(r"(?m)^--- ", block)
        title, _, verdict = head.strip().partition(" : ")
        sides = {"old": {}, "new": {}}
        for part in parts:
            where, _, code = part.partition("\n")
            side, path = where.split()
            for each in ("old", "new") if side == "both" else (side,):
                sides[each][path] = code.encode()
        yield Case(title, verdict == "same", **sides)


CASES = [*read_cases()]


def output_of(files):
    """What the program prints, and how it ends."""
    done = run_program(files)
    return done.returncode, done.stdout


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.title)
def test_parts_of_files(case):
    """In both directions; each program tells by its output whether the two are one."""
    assert (output_of(case.old) == output_of(case.new)) is case.is_same
    for sides in ((case.old, case.new), (case.new, case.old)):
        proof = compare_trees(*sides, world=WORLD)
        assert (proof.verdict is Verdict.SAME) is case.is_same
        if case.is_same:
            files = dict(proof.files)
            assert all((PARTED, 1) in files[path].edits for path in case.old.keys() ^ case.new.keys())
            said = {
                (path, each.name, each.verdict)
                for path, file in proof.files
                for each in file.definitions
                if "." not in each.name
            }
            assert said == {
                (path, name, Verdict.SAME)
                for path, data in sides[1].items()
                if (PARTED, 1) in files[path].edits or sides[0].get(path) != data
                for name in re.findall(r"(?m)^(?:def|class) (\w+)", data.decode())
            }
