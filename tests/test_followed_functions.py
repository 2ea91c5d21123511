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

from tests.helpers import LIBRARY, PROJECT
from tests.test_renames import find_target
from tests.test_values_by_running import in_case_it_fails
from zephyrun.changes.project_renames import Wish, carry_out_renames
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ValueSort
from zephyrun.linking.whereabouts import whereabouts
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World, judge_renames
from zephyrun.proof.verdict import Verdict

PARTS = PROJECT / "benchmarks" / "rename_attacks"
IMPORTS = "import functools, operator, inspect, types, threading, collections, copy, contextlib, dataclasses, typing\n"
MOST_HANDS = 3
# How the program comes by what stands in another module; "" where there is none.
FORMS_OF_IMPORT = (
    "", "", "", "import hives", "import hives as other", "from hives import {name}", "from hives import *", "import store",
)
PREFIXES = {"import hives": "hives.", "import hives as other": "other.", "import store": "store.hives."}


class Part(NamedTuple):
    """A piece of a program: lines, and expressions one of which is taken. `heading` says what it is for."""

    heading: str
    lines: str
    expressions: list[str]


def read_parts(name: str = "carried.txt") -> Iterator[Part]:
    """The pieces in a file."""
    for block in re.split(r"(?m)^=== ", (PARTS / name).read_text())[1:]:
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


def run(contents: dict[str, bytes]) -> dict[str, types.ModuleType]:
    """The modules of a program, run one after the other."""
    with mock.patch.dict(sys.modules):
        for path in sorted(contents, key=["hives.py", "store.py", "main.py"].index):
            module = sys.modules[path.removesuffix(".py")] = types.ModuleType(path.removesuffix(".py"))
            exec(compile(contents[path], path, "exec"), vars(module))
        return {name: sys.modules[name] for name in ("main", "hives", "store") if f"{name}.py" in contents}


def output_of(contents: dict[str, bytes]) -> str:
    """What a program prints, or how it ends, without the representations of functions: those show names."""
    printed = io.StringIO()
    with contextlib.redirect_stdout(printed):
        try:
            run(contents)
        except Exception as end:
            print(type(end).__name__)
    return re.sub(r"<[^<>]*>", "…", printed.getvalue())


def parts_with_instances() -> list[Part]:
    """Ways to carry something about, and classes whose attributes are asked for at their end."""
    return [*(part for part in read_parts() if part.heading.startswith("carry")), *read_parts("instances.txt")]


@pytest.mark.parametrize("find_parts", [read_parts, parts_with_instances])
@pytest.mark.parametrize("seed", range(2))
def test_what_is_carried_about_is_not_lost(seed, find_parts):
    """Whatever is safe and proved prints the same: who calls a function by keywords, reads its name or asks something for an
    attribute was found, however it got there."""
    parts, n_proved = list(find_parts()), 0
    for number in range(60):
        texts, target, new = Porter(f"{seed} {number}").program(parts)
        files = {path: text.encode() for path, text in texts.items()}
        world = World(library=read_library, memory=LIBRARY)
        evaluator = world.evaluator(files)
        change = carry_out_renames(evaluator, [Wish(find_target(evaluator, target), new)])
        if change.reasons or change.doubts or change.open_places:
            continue
        proof = judge_renames(files, change.contents, change.renamings, world, before=evaluator)
        if proof.verdict is Verdict.SAME:
            n_proved += 1
            assert output_of(files) == output_of(change.contents), (target, texts)
    assert n_proved > 10


@pytest.mark.parametrize("seed", range(2))
def test_values_of_what_is_carried_leave_nothing_out(seed):
    """What a variable holds at the end of its ways is among what it may be."""
    parts, n_known = list(read_parts()), 0
    for number in range(400):
        texts, _, _ = Porter(f"values {seed} {number}").program(parts)
        files = {path: text.encode() for path, text in texts.items()}
        evaluator = World(library=read_library, memory=LIBRARY).evaluator(files)
        file = evaluator.linkage.file("main.py")
        values = evaluator.binding_values(file, file.module_bindings["held"])
        if UNKNOWN_VALUE in values:
            continue
        try:
            held = run(files)["main"].held
        except Exception:
            # What fails on the way holds nothing.
            continue
        n_known += 1
        names = {evaluator.function_record(value[1:3]).name for value in values if value.sort is ValueSort.FUNCTION}
        names |= {evaluator.class_record(value[1:3]).name for value in values if value.sort is ValueSort.CLASS}
        kinds = {evaluator.class_record(value[1:3]).name for value in values if value.sort is ValueSort.INSTANCE}
        assert getattr(held, "__name__", "") in names or type(held).__name__ in kinds, (texts, values)
    assert n_known > 10


FOLLOWED = {
    # What is known of `_weigh`: the keywords of calls it gets to, dictionaries there, and what is read off it.
    "def _weigh(kg): ...\ndef call(f, kg): f(kg=kg)\ncall(_weigh, 3)": ({"kg=kg"}, set(), set()),
    "def _weigh(kg): ...\ntable = {'a': _weigh, 'b': print}\ntable['b'](sep='')\ntable['a'](kg=3)": ({"kg=3"}, set(), set()),
    "def deco(f):\n    def w(**k): return f(**k)\n    return w\n@deco\ndef _weigh(kg): ...\n_weigh(kg=3)": (set(), {"k"}, set()),
    "import functools\ndef _weigh(kg): ...\nheld = functools.partial(_weigh, kg=3)\nheld(day=4)": ({"kg=3", "day=4"}, set(), set()),
    "def _weigh(kg): ...\ndef show(f): return f.__name__\nshow(f=_weigh)": (set(), set(), {"__name__"}),
    "def _weigh(kg): ...\nclass Hive:\n    def __init__(self, f): self._f = f\n    def run(self): self._f(kg=1)\nHive(_weigh)": (
        {"kg=1"}, set(), set(),
    ),
    "def _make():\n    def _weigh(kg): ...\n    return _weigh\n_make()(kg=5)": ({"kg=5"}, set(), set()),
    "def _weigh(kg): ...\nprint(sorted([3], key=_weigh), _weigh is None)": (set(), set(), set()),
    "import somewhere\ndef _weigh(kg): ...\nsomewhere.keep(_weigh)": None,
    "def _weigh(kg): ...\nglobals()['_weigh'](kg=3)": None,
    "async def _make():\n    def _weigh(kg): ...\n    return _weigh": None,
}


@pytest.mark.parametrize("text", FOLLOWED, ids=range(len(FOLLOWED)))
def test_what_is_known_of_a_function(text):
    """Places and attributes by hand; `None` for one that gets lost."""
    evaluator = World(library=read_library, memory=LIBRARY).evaluator({"main.py": text.encode()})
    file = evaluator.linkage.file("main.py")
    (index,) = [number for number, record in enumerate(file.links.functions) if record.name == "_weigh"]
    found = whereabouts(evaluator, ("main.py", index))
    if FOLLOWED[text] is None:
        assert found.is_lost
        return
    keywords, rests, attributes = FOLLOWED[text]
    assert not found.is_lost
    assert {re.match(r"\w+=\w+", text[start:])[0] for _, start in found.keywords} == keywords
    assert {re.match(r"\w+", text[start:])[0] for _, start in found.rests} == rests
    assert found.attributes == attributes
