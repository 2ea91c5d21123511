"""Functions that are carried about by programs, and the renames of what they are called by."""

import contextlib
import io
import random
import re
import sys
import types
from collections.abc import Iterator
from typing import NamedTuple
from unittest import mock

import pytest

from tests.helpers import PROJECT
from tests.test_renames import find_target
from tests.test_values_by_running import in_case_it_fails
from zephyrun.changes.project_renames import Wish, carry_out_renames
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World, judge_renames
from zephyrun.proof.verdict import Verdict

PARTS = PROJECT / "benchmarks" / "rename_attacks" / "carried.txt"
IMPORTS = "import functools, operator, inspect, types, threading, collections, copy, contextlib, dataclasses, typing\n"
MOST_HANDS = 3
# How the program comes by what stands in another module; "" where there is none.
FORMS_OF_IMPORT = (
    "", "", "", "import hives", "import hives as other", "from hives import {name}", "from hives import *", "import store",
)  # fmt: skip
PREFIXES = {"import hives": "hives.", "import hives as other": "other.", "import store": "store.hives."}


class Part(NamedTuple):
    """A piece of a program: lines, and expressions one of which is taken. `heading` says what it is for."""

    heading: str
    lines: str
    expressions: list[str]


def read_parts() -> Iterator[Part]:
    """The pieces."""
    for block in re.split(r"(?m)^=== ", PARTS.read_text())[1:]:
        heading, *lines = block.splitlines(keepends=True)
        expressions = [line.removeprefix("=> ").strip() for line in lines if line.startswith("=> ")]
        yield Part(heading.strip(), "".join(line for line in lines if line.strip() and not line.startswith("=> ")), expressions)


class Porter:
    """Puts pieces together to programs."""

    def __init__(self, seed: str):
        self.dice = random.Random(seed)
        self.lines = IMPORTS
        self.n_hands = 0

    def take(self, part: Part, carried: str) -> str:
        """Add the lines of a piece; what holds the function then."""
        self.n_hands += 1
        expression = self.dice.choice(part.expressions)
        fresh = {"{e}": carried, "{v}": f"v{self.n_hands}", "{w}": f"w{self.n_hands}", "{C}": f"C{self.n_hands}"}
        for mark, text in fresh.items():
            part = part._replace(lines=part.lines.replace(mark, text))
            expression = expression.replace(mark, text)
        self.lines += part.lines
        return expression

    def program(self, parts: list[Part]) -> tuple[dict[str, str], str, str]:
        """A program that prints one thing, by its files; the target of a rename in it, and the new name."""
        of_sort = {sort: [part for part in parts if part.heading.startswith(sort)] for sort in ("bear", "carry", "use")}
        bearer = self.dice.choice(of_sort["bear"])
        target, new = re.fullmatch(r"bear (\S+) -> (\w+)", bearer.heading).groups()
        carried = self.take(bearer, "")
        files = {"main.py": ""}
        form = self.dice.choice(FORMS_OF_IMPORT)
        if form:
            target = target.replace("main", "hives")
            names = re.findall(r"\{m\}(\w+)", carried)
            files = {"hives.py": f"{self.lines}__all__ = {names}\n", "store.py": "import hives\n"}
            self.lines = IMPORTS + "".join(form.replace("{name}", name) + "\n" for name in dict.fromkeys(names))
        carried = carried.replace("{m}", PREFIXES.get(form, ""))
        for _ in range(self.dice.randint(1, MOST_HANDS)):
            carried = self.take(self.dice.choice(of_sort["carry"]), carried)
        use = self.take(self.dice.choice(of_sort["use"]), "held")
        self.lines += "\n".join([f"held = {carried}", *in_case_it_fails(f"print({use})")]) + "\n"
        return files | {"main.py": self.lines}, target, new


def output_of(contents: dict[str, bytes]) -> str:
    """What a program prints, without the representations of functions: those show names."""
    printed = io.StringIO()
    with contextlib.redirect_stdout(printed), mock.patch.dict(sys.modules):
        for path in sorted(contents, key=["hives.py", "store.py", "main.py"].index):
            module = sys.modules[path.removesuffix(".py")] = types.ModuleType(path.removesuffix(".py"))
            exec(compile(contents[path], path, "exec"), vars(module))
    return re.sub(r"<[^<>]*>", "…", printed.getvalue())


@pytest.mark.parametrize("seed", range(4))
def test_carried_functions_are_not_lost(seed):
    """Whatever is safe and proved prints the same: who calls the function by keywords or reads its name was
    found, however it got there."""
    parts, n_proved = list(read_parts()), 0
    for number in range(60):
        texts, target, new = Porter(f"{seed} {number}").program(parts)
        files = {path: text.encode() for path, text in texts.items()}
        world = World(library=read_library)
        evaluator = world.evaluator(files)
        change = carry_out_renames(evaluator, [Wish(find_target(evaluator, target), new)])
        if change.reasons or change.doubts or change.open_places:
            continue
        proof = judge_renames(files, change.contents, change.renamings, world, before=evaluator)
        if proof.verdict is Verdict.SAME:
            n_proved += 1
            assert output_of(files) == output_of(change.contents), (target, texts)
    assert n_proved > 10
