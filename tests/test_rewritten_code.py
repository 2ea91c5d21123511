"""Code that is written another way: what the proof calls the same is run in every case, and must do the same."""

import ast
import itertools
import random
import sys

import pytest

from tests.helpers import LIBRARY, PROJECT, pairs_in, real_source
from zephyrun.project.library import read_library
from zephyrun.proof.comparison import compare_files
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

sys.path.insert(0, str(PROJECT / "benchmarks"))
from clean_ups import make_pair  # noqa: E402

N_PROGRAMS = 150
N_CHANGES = 6
CONDITIONS = ("a", "b", "not a", "not c", "a in (1, 2)", "a not in (0, 1)", "not b in (1,)", "c is None", "c is not None", "a > b",
              "log(1) > a", "a and log(2) < 3", "b > 0 and not log(c)", "a - 1 > b", "log(a) or a > b")
MODULES = ("textwrap", "shlex", "csv", "cmd", "string", "fnmatch")
LEAVING = (ast.Return, ast.Raise, ast.Continue, ast.Break)


class Program:
    """Writes one function of branches, loops and ways to leave them, which logs what it does."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice
        self.n_written = 0

    def leave(self, *, in_loop: bool) -> str:
        """A statement that leaves a block."""
        ways = ["return", "return None", f"return {self.dice.randrange(2)}", "raise ValueError(a)", "pass"]
        return self.dice.choice([*ways, "continue", "break", "continue"] if in_loop else ways)

    def block(self, depth: int, indent: str, *, in_loop: bool) -> list[str]:
        """Up to three statements."""
        lines = []
        for _ in range(self.dice.randrange(1, 4)):
            lines += self.statement(depth, indent, in_loop=in_loop)
        return lines

    def statement(self, depth: int, indent: str, *, in_loop: bool) -> list[str]:
        """One statement, with what stands inside it."""
        self.n_written += 1
        kind = self.dice.choice(["log", "leave", "value", "if", "if", "else", "else", "loop", "try", "with"] if depth else ["log", "leave", "value"])
        inner = indent + "    "
        body = self.block(depth - 1, inner, in_loop=in_loop or kind == "loop") if depth else []
        other = self.block(depth - 1, inner, in_loop=in_loop) if depth else []
        head = f"{indent}if {self.dice.choice(CONDITIONS)}:"
        return {
            "log": [f"{indent}log({self.n_written})"],
            "leave": [indent + self.leave(in_loop=in_loop)],
            "value": [f"{indent}x = log({self.n_written})", f"{indent}{self.dice.choice(['return x', 'log(x)', 'b = 1'])}"],
            "if": [head, *body],
            "else": [head, *body, f"{indent}else:", *other],
            "loop": [f"{indent}for b in range(3):", *body, *([f"{indent}else:", *other] if self.dice.random() < 0.3 else [])],
            "try": [f"{indent}try:", *body, f"{indent}finally:", f"{inner}log(-1)"],
            "with": [f"{indent}with watch:", *body],
        }[kind]


class Rewriting:
    """Makes one change to the branches of a tree, which may leave it as it works or not."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice
        self.n_named = 0

    def change(self, tree: ast.Module) -> None:
        """Change something at random."""
        blocks = [
            block
            for node in ast.walk(tree)
            for field in ("body", "orelse", "finalbody")
            if isinstance(block := getattr(node, field, None), list) and block and not isinstance(node, ast.Module)
        ]
        block = self.dice.choice(blocks)
        index = self.dice.randrange(len(block))
        statement = block[index]
        if self.dice.random() < 0.4:
            self.name_a_part(block, index)
        elif isinstance(statement, ast.If):
            self.change_branch(block, index, statement)
        elif isinstance(statement, LEAVING) and self.dice.random() < 0.5:
            block[index : index + 1] = [] if len(block) > 1 else [ast.Pass()]
        elif isinstance(statement, ast.Return) and statement.value is not None:
            block[index : index + 1] = [ast.Assign([ast.Name("x", ast.Store())], statement.value), ast.Return(ast.Name("x", ast.Load()))]
        elif isinstance(statement, ast.Assign) and index + 1 < len(block) and isinstance(block[index + 1], ast.Return):
            block[index : index + 2] = [ast.Return(statement.value)]
        else:
            block.insert(index + self.dice.randrange(2), self.dice.choice([ast.Pass(), ast.Return(), ast.Continue()]))

    def name_a_part(self, block: list[ast.stmt], index: int) -> None:
        """Give a part of a statement a name in the statement before it, whatever comes of that."""
        statement = block[index]
        parts = [
            (node, field, child)
            for node in ast.walk(statement)
            for field, child in ast.iter_fields(node)
            if isinstance(child, ast.Compare | ast.BinOp | ast.BoolOp | ast.UnaryOp)
        ]
        parts += [
            (node.values, place, child)
            for node in ast.walk(statement)
            if isinstance(node, ast.BoolOp)
            for place, child in enumerate(node.values)
            if not isinstance(child, ast.Name)
        ]
        if not parts:
            return
        holder, place, child = self.dice.choice(parts)
        self.n_named += 1
        read = ast.Name(f"part{self.n_named}", ast.Load())
        if isinstance(holder, list):
            holder[place] = read
        else:
            setattr(holder, place, read)
        block.insert(index, ast.Assign([ast.Name(read.id, ast.Store())], child))

    def change_branch(self, block: list[ast.stmt], index: int, branch: ast.If) -> None:
        """Turn, flatten or nest a branch, whether it leaves or not."""
        rest = block[index + 1 :]
        match self.dice.randrange(5):
            case 0:
                branch.test = ast.UnaryOp(ast.Not(), branch.test)
                branch.body, branch.orelse = branch.orelse or [ast.Pass()], branch.body
            case 1 if branch.orelse:
                block[index + 1 :] = [*branch.orelse, *rest]
                branch.orelse = []
            case 2 if rest:
                branch.orelse = [*branch.orelse, *rest]
                del block[index + 1 :]
            case 3 if rest:
                branch.body = [*branch.body, *rest]
                del block[index + 1 :]
            case 4:
                branch.test = ast.UnaryOp(ast.Not(), branch.test)


PRELUDE = "class Watch:\n    def __enter__(self): log('in')\n    def __exit__(self, *_): log('out')\nwatch = Watch()\n"


def behaviour(program: str) -> list[object]:
    """What a program logs, gives and raises for each way to call it."""
    found: list[object] = []

    def log(value):
        found.append(value)
        return value

    names = {"log": log}
    exec(compile(PRELUDE + program, "<program>", "exec"), names)
    for case in itertools.product((0, 1), (0, 1), (None, 3)):
        try:
            found.append(names["f"](*case))
        except (ValueError, NameError, TypeError) as problem:
            found.append(type(problem).__name__)
    return found


def written(tree: ast.AST) -> str | None:
    """The text of a tree; `None` for one that is no program."""
    text = ast.unparse(ast.fix_missing_locations(tree))
    try:
        compile(text, "<program>", "exec")
    except SyntaxError:
        return None
    return text


def test_clean_ups_by_hand_are_recognised():
    """What a person would do: hardly any is left unproven, and none is called a change."""
    pairs = [pair for path in (PROJECT / "benchmarks" / "clean_ups_by_hand").glob("*.txt") for pair in pairs_in(path)]
    verdicts = {
        title: compare_trees({"hives.py": old}, {"hives.py": new}, world=World(library=read_library, memory=LIBRARY)).verdict
        for title, old, new in pairs
    }
    assert len(verdicts) == 100 and Verdict.DIFFERENT not in verdicts.values()
    unproven = [title for title, verdict in verdicts.items() if verdict is Verdict.UNPROVEN]
    assert len(unproven) <= 7, unproven


@pytest.mark.parametrize("module", MODULES)
def test_hidden_changes_are_not_the_same(module):
    """What the benchmark of pairs makes of real modules, by code that imports nothing of ours."""
    old, dice = real_source(module).decode(), random.Random()
    for breaks in (False, True, True):
        pair = make_pair(old, dice, dice.randrange(1, 4), breaks=breaks)
        if pair is not None:
            proof = compare_trees({"log.py": pair.old.encode()}, {"log.py": pair.new.encode()}, world=World(library=read_library, memory=LIBRARY))
            assert not breaks or proof.verdict is not Verdict.SAME, (pair.kinds, pair.new)
            assert breaks or proof.verdict is not Verdict.DIFFERENT, (pair.kinds, pair.new)


def test_branches_that_are_called_the_same_do_the_same():
    """Branches turned, flattened, nested and left at random, well or badly."""
    dice = random.Random()
    n_same = 0
    for _ in range(N_PROGRAMS):
        old = "\n".join(["def f(a, b, c):", *Program(dice).block(3, "    ", in_loop=False)])
        tree = ast.parse(old)
        rewriting = Rewriting(dice)
        for _ in range(dice.randrange(1, N_CHANGES)):
            rewriting.change(tree)
        new = written(tree)
        if new is None or written(ast.parse(old)) is None:
            continue
        if compare_files(old.encode(), new.encode(), rewrites=True).verdict is Verdict.SAME:
            n_same += 1
            assert behaviour(old) == behaviour(new), f"{old}\n\n{new}"
    assert n_same


class Tidying(ast.NodeTransformer):
    """Writes branches as a careful person might, and values that are given back at once under a name."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice
        self.n_changes = 0

    def generic_visit(self, node: ast.AST) -> ast.AST:
        """Change some of the blocks of a node, innermost first."""
        super().generic_visit(node)
        for field in ("body", "orelse", "finalbody"):
            block = getattr(node, field, None)
            if isinstance(block, list) and not isinstance(node, ast.ClassDef):
                setattr(node, field, [each for statement in block for each in self.tidied(statement)])
        return node

    def tidied(self, statement: ast.stmt) -> list[ast.stmt]:
        """One statement, or what may stand in its place."""
        if not isinstance(statement, ast.If) or not statement.orelse or self.dice.random() < 0.3:
            return [statement]
        self.n_changes += 1
        if isinstance(statement.body[-1], LEAVING) and self.dice.random() < 0.7:
            rest, statement.orelse = statement.orelse, []
            return [statement, *rest]
        test = statement.test
        is_denied = isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not)
        statement.test = test.operand if is_denied else ast.UnaryOp(ast.Not(), test)
        statement.body, statement.orelse = statement.orelse, statement.body
        return [statement]


@pytest.mark.parametrize("module", MODULES)
def test_real_branches_are_recognised(module):
    """Branches of library modules, turned and flattened: the same; with one condition denied: not."""
    old = real_source(module)
    tidying = Tidying(random.Random())
    tree = tidying.visit(ast.parse(old))
    new = written(tree)
    assert new is not None
    proof = compare_files(old, new.encode(), rewrites=True)
    assert proof.verdict is Verdict.SAME, proof.differences
    branch = next((each for each in ast.walk(tree) if isinstance(each, ast.If) and each.orelse), None)
    if branch is not None:
        branch.test = ast.UnaryOp(ast.Not(), branch.test)
        assert compare_files(old, written(tree).encode(), rewrites=True).verdict is not Verdict.SAME


class Module:
    """Writes the statements at the top of a module: definitions, constants, imports and calls, with names that
    meet now and then."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice

    def statement(self) -> str:
        """One statement."""
        name, other = self.dice.sample(("a", "b", "c", "d", "e", "f"), 2)
        return self.dice.choice(
            [
                f"def {name}(x=3):\n    return log('{other}')",
                f"def {name}(x={other}):\n    return x",
                f"def {name}(x):\n    return {other}",
                f"def {name}(x: int = -1) -> str:\n    return [x for x in (x,)]",
                f"@keep\ndef {name}():\n    return 3",
                f"class {name}:\n    {other} = 3\n    def weigh(self, x=4):\n        return x",
                f"class {name}:\n    kg = {other}",
                f"class {name}(keep):\n    pass",
                f"{name} = 3",
                f"{name} = (1, -2)",
                f"{name} = {other}",
                f"{name} = log(2)",
                f"log({name}.__class__)",
                f"import os as {name}",
                f"from math import floor as {name}, ceil",
                "import sys, string",
                f"from collections import deque as {name}",
            ]
        )


def loaded(program: str) -> list[object]:
    """What a module logs while it is loaded, and what is under its names then."""
    found: list[object] = []

    def keep(*values):
        found.append([getattr(each, "__name__", each) for each in values])
        return values[0]

    names = {"log": keep, "keep": keep}
    try:
        exec(compile(program, "<module>", "exec"), names)
    except (NameError, TypeError, AttributeError) as problem:
        found.append(type(problem).__name__)
    for name in "abcdef":
        value = names.get(name)
        held = [value if isinstance(value, int | tuple) else 0, getattr(value, "kg", 0), *(getattr(value, "__defaults__", 0) or ())]
        found.append((type(value).__name__, [getattr(each, "__name__", each) for each in held]))
    return found


def test_orders_that_are_called_the_same_do_the_same():
    """The statements of a module in another order, at random."""
    dice = random.Random()
    n_same = 0
    for _ in range(N_PROGRAMS * 2):
        statements = [Module(dice).statement() for _ in range(dice.randrange(2, 6))]
        other = list(statements)
        first, second = dice.sample(range(len(other)), 2)
        other[first], other[second] = other[second], other[first]
        old, new = ("\n".join(each) + "\n" for each in (statements, other))
        if old != new and compare_files(old.encode(), new.encode(), rewrites=True).verdict is Verdict.SAME:
            n_same += 1
            assert loaded(old) == loaded(new), f"{old}\n\n{new}"
    assert n_same
