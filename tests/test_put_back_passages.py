"""Functions that are cut in two, locals that are named or folded, loops that are turned: what the proof calls the same
is run in every case, and must do the same, down to the moment at which each thing is let go."""

import ast
import itertools
import random

from tests.helpers import LIBRARY, THINGS
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

N_PROGRAMS = 45
NAMES = ("x", "y", "z", "n", "m", "word", "flag", "kept")
PRELUDE = THINGS + '''
def compare(self, other):
    told.append(("compared", self.number))
    return True
Thing.__eq__ = compare
def make(number):
    told.append(("made", number))
    return Thing(number)
def shown(value):
    # What is told holds no thing, which would stay alive, and be compared with others.
    if isinstance(value, (list, tuple)):
        return [type(value).__name__, *map(shown, value)]
    return value if isinstance(value, (int, str, bool, type(None))) else type(value).__name__
def tell(*values):
    told.append([shown(each) for each in values])
    return len(values)
def fail(number):
    if number > 1:
        raise ValueError(number)
'''


class Program:
    """Writes one function of plain values, things with a last word, branches and loops."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice
        self.n_made = 0

    def value(self) -> str:
        """An expression."""
        self.n_made += 1
        one, other = self.dice.choice(NAMES), self.dice.choice(("a", "b", *NAMES))
        return self.dice.choice(
            [f"make({self.n_made})", f"{self.n_made}", f"{other} + 1", f"f'{{{one}}} kg'", "a > b", "'kg'", "[a, b]", "sorted([b, a])",
             f"[{one}]", f"tell({one}, {other})", f"not len('ab') == {self.dice.randrange(4)}", one, "None", f"(a, {other})", "len('kg') != a"]
        )

    def statement(self, depth: int, indent: str) -> list[str]:
        """One statement, with what stands inside it."""
        name, other = self.dice.choice(NAMES), self.dice.choice(NAMES)
        inner = indent + "    "
        kind = self.dice.choice(["set"] * 5 + ["tell", "tell", "fail", "add", "return", "loop", "if", "try", "index", "places"][: 10 if depth else 5])
        body = [line for _ in range(self.dice.randrange(1, 3)) for line in self.statement(depth - 1, inner)] if depth else []
        return {
            "set": [f"{indent}{name} = {self.value()}"],
            "tell": [f"{indent}tell({name}, {other})"],
            "fail": [f"{indent}fail(a)"],
            "add": [f"{indent}{name} += {self.dice.choice(['1', '2', other])}"],
            "return": [f"{indent}return {self.dice.choice([name, 'a', f'tell({name})'])}"],
            "loop": [f"{indent}for {name} in {self.dice.choice(['range(2)', 'range(a)', '[a, b]', 'kept', other])}:", *body],
            "index": [f"{indent}for {name} in range(len({other})):", f"{inner}z = {other}[{name}]", *body],
            "places": [f"{indent}for {name}, z in enumerate({other}):", *body],
            "if": [f"{indent}if {self.dice.choice(['a > b', 'b', name])}:", *body],
            "try": [f"{indent}try:", *body, f"{indent}except ValueError:", f"{inner}tell({name})"],
        }[kind]

    def written(self) -> str:
        """The text of the function. Some names are set at first, so that it gets somewhere."""
        lines = [f"    {name} = {self.value()}" for name in self.dice.sample(NAMES, self.dice.randrange(6))]
        for _ in range(self.dice.randrange(2, 6)):
            lines += self.statement(2, "    ")
        return "\n".join(["def work(a, b):", *lines]) + "\n"


class Change:
    """Changes a function as people do who clean up, with or without care."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice

    def change(self, tree: ast.Module) -> None:
        """One change at random."""
        self.dice.choice([self.cut, self.cut, self.move_value, self.fold, self.name, self.drop, self.turn_loop, self.turn_loop])(tree)

    def blocks(self, tree: ast.Module) -> list[list[ast.stmt]]:
        """The blocks of the function."""
        return [
            block
            for node in ast.walk(tree)
            for field in ("body", "orelse")
            if isinstance(block := getattr(node, field, None), list) and block and not isinstance(node, ast.Module)
        ]

    def cut(self, tree: ast.Module) -> None:
        """Move some statements into a function of their own."""
        block = self.dice.choice(self.blocks(tree))
        first = self.dice.randrange(len(block))
        last = min(len(block), first + self.dice.randrange(1, 4))
        passage = block[first:last]
        names = [each for statement in passage for each in ast.walk(statement) if isinstance(each, ast.Name)]
        read = dict.fromkeys(each.id for each in names if isinstance(each.ctx, ast.Load) and each.id in ("a", "b", *NAMES))
        written = list(dict.fromkeys(each.id for each in names if isinstance(each.ctx, ast.Store)))
        if self.dice.random() < 0.2:
            self.dice.shuffle(written)
        given_back = [each for each in written if self.dice.random() < 0.8]
        set_first = {passage[0].targets[0].id} if isinstance(passage[0], ast.Assign) and isinstance(passage[0].targets[0], ast.Name) else set()
        taken = [each for each in read if each not in set_first or self.dice.random() < 0.2]
        call = ast.Call(ast.Name("_part", ast.Load()), [ast.Name(each, ast.Load()) for each in taken], [])
        body = list(passage)
        ends = isinstance(body[-1], ast.Return)
        if not ends and given_back:
            values = [ast.Name(each, ast.Load()) for each in given_back]
            body.append(ast.Return(values[0] if len(values) == 1 else ast.Tuple(values, ast.Load())))
        targets = [ast.Name(each, ast.Store()) for each in given_back]
        statement: ast.stmt = ast.Return(call) if ends else ast.Expr(call)
        if not ends and given_back:
            statement = ast.Assign([targets[0] if len(targets) == 1 else ast.Tuple(targets, ast.Store())], call)
        block[first:last] = [statement]
        parameters = ast.arguments([], [ast.arg(each) for each in taken], None, [], [], None, [])
        tree.body.insert(self.dice.randrange(2), ast.FunctionDef("_part", parameters, body, [], type_params=[]))

    def move_value(self, tree: ast.Module) -> None:
        """Move an expression into a function of its own."""
        values = [
            each for each in ast.walk(tree)
            if isinstance(each, ast.Assign | ast.Return | ast.Expr) and isinstance(each.value, ast.Call | ast.Compare | ast.BinOp | ast.Tuple)
        ]
        if not values:
            return
        statement = self.dice.choice(values)
        names = {each.id for each in ast.walk(statement.value) if isinstance(each, ast.Name)} & {"a", "b", *NAMES}
        taken = sorted(names)
        call = ast.Call(ast.Name("_value", ast.Load()), [ast.Name(each, ast.Load()) for each in taken], [])
        parameters = ast.arguments([], [ast.arg(each) for each in taken], None, [], [], None, [])
        tree.body.insert(0, ast.FunctionDef("_value", parameters, [ast.Return(statement.value)], [], type_params=[]))
        statement.value = call

    def fold(self, tree: ast.Module) -> None:
        """Write a value in the place of the names that seem to stand for it."""
        settings = [each for each in ast.walk(tree) if isinstance(each, ast.Assign) and isinstance(each.targets[0], ast.Name)]
        constants = [each for each in settings if isinstance(each.value, ast.Constant)]
        if not constants:
            return
        setting = self.dice.choice(constants if self.dice.random() < 0.9 else settings)

        class Fold(ast.NodeTransformer):
            def visit_Name(self, node: ast.Name) -> ast.expr:
                is_it = node.id == setting.targets[0].id and isinstance(node.ctx, ast.Load)
                return setting.value if is_it else node

        for block in self.blocks(tree):
            if setting in block:
                block[block.index(setting)] = ast.Pass()
        Fold().visit(tree)

    def name(self, tree: ast.Module) -> None:
        """Give a part a name in a statement before it."""
        block = self.dice.choice(self.blocks(tree))
        index = self.dice.randrange(len(block))
        parts = [
            (node, field, child)
            for node in ast.walk(block[index])
            for field, child in ast.iter_fields(node)
            if isinstance(child, ast.Compare | ast.BinOp | ast.JoinedStr | ast.Constant | ast.Call) and not isinstance(node, ast.FormattedValue)
        ]
        if parts:
            node, field, child = self.dice.choice(parts)
            setattr(node, field, ast.Name("part", ast.Load()))
            block.insert(self.dice.choice([index, 0]), ast.Assign([ast.Name("part", ast.Store())], child))

    def drop(self, tree: ast.Module) -> None:
        """Leave out a statement that sets something."""
        block = self.dice.choice(self.blocks(tree))
        found = [each for each in block if isinstance(each, ast.Assign)]
        if found:
            block[block.index(self.dice.choice(found))] = ast.Pass()

    def turn_loop(self, tree: ast.Module) -> None:
        """A loop over the things for one over an index."""
        loops = [each for each in ast.walk(tree) if isinstance(each, ast.For) and isinstance(each.iter, ast.Call)]
        loops = [each for each in loops if getattr(each.iter.func, "id", "") == "range"]
        loops = [each for each in loops if isinstance(each.iter.args[0], ast.Call) and isinstance(each.body[0], ast.Assign)]
        for loop in loops:
            things, target = loop.iter.args[0].args[0], loop.body[0].targets[0]
            del loop.body[0]
            loop.body = loop.body or [ast.Pass()]
            if self.dice.random() < 0.5:
                loop.target, loop.iter = target, things
            else:
                loop.target = ast.Tuple([loop.target, target], ast.Store())
                loop.iter = ast.Call(ast.Name("enumerate", ast.Load()), [things], [])


def behaviour(program: str) -> list[object]:
    """What a program tells, gives and raises for each way to call it."""
    told: list[object] = []
    names = {"told": told}
    exec(compile(PRELUDE + program, "<program>", "exec"), names)
    for case in itertools.product((0, 1, 2), (0, 1)):
        try:
            result = names["work"](*case)
            told.append(("result", type(result).__name__, result if isinstance(result, int | str) else 0))
            del result
        except (ValueError, NameError, TypeError, IndexError) as problem:
            told.append(type(problem).__name__)
    return told


def written(tree: ast.Module) -> str | None:
    """The text of a tree; `None` for one that is no program."""
    try:
        text = ast.unparse(ast.fix_missing_locations(tree)) + "\n"
        compile(text, "<program>", "exec")
    except (SyntaxError, ValueError):
        return None
    return text


def test_what_is_called_the_same_does_the_same():
    """Passages cut out, values named and folded, loops turned, at random."""
    dice = random.Random()
    n_same = 0
    for _ in range(N_PROGRAMS):
        old = Program(dice).written()
        for _ in range(4):
            tree = ast.parse(old)
            change = Change(dice)
            for _ in range(dice.randrange(1, 3)):
                change.change(tree)
            new = written(tree)
            if new is None or ast.dump(ast.parse(new)) == ast.dump(ast.parse(old)):
                continue
            proof = compare_trees({"m.py": old.encode()}, {"m.py": new.encode()}, world=World(library=read_library, memory=LIBRARY))
            if proof.verdict is Verdict.SAME:
                n_same += 1
                assert behaviour(old) == behaviour(new), f"{old}\n{new}"
    assert n_same
