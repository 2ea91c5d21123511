"""Programs that the proof calls the same are run, and must do the same.

Small programs are made at random from what makes names treacherous: closures, class bodies,
comprehensions, `nonlocal`, `global`, `del`, handlers, look-ups by name. Some of the names in them are
then respelt, well or badly.
"""

import random
import re

import pytest

from zephyrun.proof.comparison import compare_files
from zephyrun.proof.verdict import Verdict

POOL = ("a", "b", "c", "d", "k")
FRESH = ("gain", "loss")
N_PROGRAMS = 200


class Program:
    """Writes one random program. Every name comes from a small pool, so that names meet."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice

    def name(self) -> str:
        return self.dice.choice(POOL)

    def value(self, depth: int = 2) -> str:
        """An expression; `depth` bounds how far it nests."""
        name, other = self.name(), self.name()
        plain = [name, str(self.dice.randrange(4)), f"({name} + {other})", f"log({name})"]
        if not depth:
            return self.dice.choice(plain)
        inner = self.value(depth - 1)
        nested = [
            f"[{inner} for {name} in range(2)]",
            f"[{inner} for {name} in [{other}] if {name}]",
            f"(lambda {name}: {inner})({other})",
            f"(lambda: {inner})()",
            f"({name} := {inner})",
            f"f'{{{name}!r:>3}} {{{inner}}}'",
            f"dict({name}={inner})",
            f"({inner} if {name} else {other})",
            f"sum([{name} for {name} in [{inner}] if isinstance({name}, int)])",
        ]
        treacherous = [
            f"f'{{{name}=}}'", "sorted(locals())", f"eval('{name}')", f"vars().get('{name}')", "len(globals())",
        ]
        dice = self.dice.random()
        return self.dice.choice(
            plain if dice < 0.5
            else nested if dice < 0.96
            else treacherous
        )

    def block(self, depth: int, indent: str, *, inside: bool) -> list[str]:
        """Two or three statements."""
        lines: list[str] = []
        for _ in range(self.dice.randrange(2, 4)):
            lines += self.statement(depth, indent, inside=inside)
        return lines

    def statement(self, depth: int, indent: str, *, inside: bool) -> list[str]:
        name, other = self.name(), self.name()
        more = indent + "    "
        simple = [
            f"{name} = {self.value()}", f"{name} = {self.value()}", f"{name}, {other} = {self.value()}, {self.value()}",
            f"{name} += {other}", f"log({self.value()})", f"log({name}, {other})", f"del {name}",
        ]
        if not depth or self.dice.random() < 0.6:
            return [indent + self.dice.choice(simple)]

        def body() -> list[str]:
            return self.block(depth - 1, more, inside=inside)

        compound = [
            lambda: [f"{indent}for {name} in range(2):", *body()],
            lambda: [f"{indent}if {name}:", *body(), f"{indent}else:", *body()],
            lambda: [f"{indent}try:", *body(), f"{indent}except Exception as {name}:", f"{more}log(type({name}))", *body()],
            lambda: [f"{indent}class Hive:", *body(), f"{indent}log(sorted(n for n in vars(Hive) if n[0] != '_'))"],
            lambda: [
                f"{indent}match {name}:",
                f"{more}case [{other}, *_] | {other}:",
                *self.block(depth - 1, more + "    ", inside=inside),
            ],
            lambda: self.function(depth - 1, indent, inside=True),
        ]
        return self.dice.choice(compound)()

    def function(self, depth: int, indent: str, *, inside: bool) -> list[str]:
        """A function, and a call of it."""
        more = indent + "    "
        parameter = self.name()
        declared = [each for each in (self.name(),) if each != parameter and self.dice.random() < 0.3]
        sort = "nonlocal" if inside and self.dice.random() < 0.5 else "global"
        return [
            f"{indent}def work({parameter}, {'q'}={self.value(0)}):",
            *(f"{more}{sort} {each}" for each in declared),
            *self.block(depth, more, inside=True),
            f"{more}return {self.value()}",
            f"{indent}log(work({self.value(0)}))",
        ]

    def module(self) -> str:
        lines = [f"{name} = {number}" for number, name in enumerate(POOL) if self.dice.random() < 0.7]
        for _ in range(2):
            lines += self.function(2, "", inside=False)
        return "\n".join(lines) + "\n"


def respelt(program: str, dice: random.Random) -> str:
    """Give a name of one function another spelling, in all places or all but one."""
    starts = [match.start() for match in re.finditer(r"(?m)^def ", program)]
    first = dice.choice(starts)
    last = next((each for each in starts if each > first), len(program))
    old, new = dice.choice(POOL), dice.choice([*POOL, *FRESH, *FRESH])
    places = [match.start() for match in re.finditer(rf"\b{old}\b", program[first:last])]
    if places and dice.random() < 0.4:
        places.remove(dice.choice(places))
    text = program[first:last]
    for place in reversed(places):
        text = text[:place] + new + text[place + len(old) :]
    return program[:first] + text + program[last:]


def with_constant(program: str, dice: random.Random) -> str:
    """Give a number a name, in some of its places, well or badly: defined too late, in a function, with
    another value, twice, over a name that is there."""
    places = [match.start() for match in re.finditer(r"(?<![\w'])[0-3](?![\w'])", program)]
    if not places:
        return program
    number = program[dice.choice(places)]
    places = [place for place in places if program[place] == number and dice.random() < 0.8]
    name = dice.choice(["KG", "KG", "KG", dice.choice(POOL)])
    for place in reversed(places):
        program = program[:place] + name + program[place + 1 :]
    value = dice.choice([number] * 6 + [f"{number}.0", str(dice.randrange(4)), "True", f"-{number}", "int('1')"])
    lines = program.splitlines(keepends=True)
    line = dice.choice([0, 0, 0, 0, dice.randrange(len(lines) + 1), len(lines)])
    indent = re.match(r" *", lines[line])[0] if line < len(lines) and dice.random() < 0.5 else ""
    definition = f"{indent}{name} = {value}\n"
    lines.insert(line, definition)
    if dice.random() < 0.1:
        lines.insert(dice.randrange(len(lines) + 1), definition)
    return "".join(lines)


def behaviour(program: str) -> list[str]:
    """What a program logs, and how it ends. Wordings of errors do not count."""
    logged: list[str] = []

    def log(*values):
        logged.append(re.sub(r" at 0x[0-9a-f]+", "", repr(values)))
        assert len(logged) < 500
        return len(logged)

    try:
        exec(compile(program, "program", "exec"), {"log": log, "__name__": "program"})
    except Exception as problem:
        logged.append(type(problem).__name__)
    return logged


@pytest.mark.parametrize("change", [respelt, with_constant])
@pytest.mark.parametrize("seed", range(2))
def test_what_is_called_the_same_does_the_same(change, seed):
    """No program that is called the same as another behaves otherwise."""
    dice = random.Random(seed)
    n_same = n_changed = 0
    for _ in range(N_PROGRAMS):
        old = Program(dice).module()
        new = change(change(old, dice), dice) if dice.random() < 0.3 else change(old, dice)
        try:
            compile(old, "old", "exec"), compile(new, "new", "exec")
        except SyntaxError:
            continue
        if old == new:
            continue
        n_changed += 1
        if compare_files(old.encode(), new.encode()).verdict is Verdict.SAME:
            n_same += 1
            assert behaviour(old) == behaviour(new), f"{old}\n---\n{new}"
    # A generator that made no good changes, or only good ones, would test nothing.
    assert 0.02 * n_changed < n_same < 0.9 * n_changed, (n_same, n_changed)
