"""The proof: it calls like programs the same, and nothing else."""

import ast
import random
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.helpers import LIBRARY, NEAR_MISSES, REAL_MODULES, program_pairs, real_source
from zephyrun.languages.python import parse
from zephyrun.project.library import read_library
from zephyrun.proof.comparison import compare_files
from zephyrun.proof.compiled import compiled_difference
from zephyrun.proof.frame_readers import FrameReader
from zephyrun.proof.normal_form import NormalForm, Version
from zephyrun.proof.imports import Importers, touches
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.renames import World
from zephyrun.proof.surroundings import find_surroundings
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

NEAR_MISS_FILES = sorted(
    path.relative_to(NEAR_MISSES).as_posix()
    for path in NEAR_MISSES.rglob("*.txt")
    if path.name != "true_pairs.txt"
)


# Pairs of names that two files alone must keep, and that all places of a tree may change together.
FORGIVEN_IN_TREES = "locals.txt"


@pytest.mark.parametrize(
    ("name", "old", "new"),
    [pytest.param(name, old, new, id=title) for name in NEAR_MISS_FILES for title, old, new in program_pairs(name)],
)
def test_near_misses_are_not_the_same(name, old, new, record_property):
    """Not one pair that a running program could tell apart is called the same, whoever may use it."""
    record_property("counts", 1)
    proof = compare_files(old, new)
    # Documentation alone is forgiven, or not, by those who know its readers.
    is_documentation = name.endswith("documentation.txt")
    assert is_documentation or proof.verdict is not Verdict.SAME
    assert is_documentation or proof.differences
    if name == FORGIVEN_IN_TREES:
        return
    # Code outside only adds to what there is to mind, and half of the pairs show that.
    for is_library in (False,) if "/" in name else (False, True):
        world = World(library=read_library, memory=LIBRARY, is_library=is_library)
        proof = compare_trees({"hives.py": old}, {"hives.py": new}, world=world)
        assert proof.verdict is not Verdict.SAME


@pytest.mark.parametrize(
    ("old", "new"), [pytest.param(old, new, id=title) for title, old, new in program_pairs("true_pairs.txt")]
)
def test_true_pairs_are_the_same(old, new):
    """A proof that always doubted would be safe and of no use."""
    proof = compare_trees({"hives.py": old}, {"hives.py": new}, world=World(library=read_library, memory=LIBRARY))
    assert proof.verdict is Verdict.SAME, proof
    # A name that others might use is not taken away as lightly as it is given.
    back = compare_trees({"hives.py": new}, {"hives.py": old}, world=World(library=read_library, memory=LIBRARY))
    assert dict(proof.files)["hives.py"].introduced or back.verdict is Verdict.SAME


def test_there_are_enough_near_misses():
    """At least sixty by hand."""
    assert sum(1 for name in NEAR_MISS_FILES for _ in program_pairs(name)) >= 60


class Mutation:
    """Makes one change of behaviour in a tree; `ast.unparse` hides it among changes of layout."""

    SWAPS = {
        ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Add, ast.And: ast.Or, ast.Or: ast.And,
        ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.Lt: ast.LtE, ast.Gt: ast.GtE, ast.Is: ast.Eq,
        ast.In: ast.NotIn, ast.NotIn: ast.In, ast.IsNot: ast.NotEq,
    }

    def __init__(self, tree: ast.Module, dice: random.Random) -> None:
        self.tree, self.dice = tree, dice
        self.nodes = list(ast.walk(tree))
        self.documentation = {
            id(node.body[0].value)
            for node in self.nodes
            if isinstance(node, ast.Module | ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)
            and node.body and isinstance(node.body[0], ast.Expr)
        }

    def operator(self) -> bool:
        """Another operator."""
        found = [node for node in self.nodes if isinstance(node, ast.BinOp | ast.BoolOp | ast.Compare)]
        self.dice.shuffle(found)
        for node in found:
            operators = node.ops if isinstance(node, ast.Compare) else [node.op]
            if type(operators[0]) in self.SWAPS:
                swapped = self.SWAPS[type(operators[0])]()
                if isinstance(node, ast.Compare):
                    node.ops[0] = swapped
                else:
                    node.op = swapped
                return True
        return False

    def constant(self) -> bool:
        """Another constant, or one of another type."""
        found = [
            node for node in self.nodes
            if isinstance(node, ast.Constant) and isinstance(node.value, int | str)
            and id(node) not in self.documentation
        ]
        if not found:
            return False
        node = self.dice.choice(found)
        if isinstance(node.value, str):
            node.value += "!"
        elif isinstance(node.value, bool):
            node.value = int(node.value)
        elif self.dice.random() < 0.5 and abs(node.value) < 1000:
            node.value = float(node.value)
        else:
            node.value += 1
        return True

    def one_name(self) -> bool:
        """One occurrence of a name gets another name of the same function."""
        functions = [node for node in self.nodes if isinstance(node, ast.FunctionDef)]
        self.dice.shuffle(functions)
        for function in functions:
            names = [node for node in ast.walk(function) if isinstance(node, ast.Name)]
            spellings = {node.id for node in names}
            if len(names) >= 4 and len(spellings) >= 2:
                node = self.dice.choice(names)
                node.id = self.dice.choice(sorted(spellings - {node.id}))
                return True
        return False

    def missed_reference(self) -> bool:
        """A local is renamed everywhere but in one place."""
        functions = [node for node in self.nodes if isinstance(node, ast.FunctionDef)]
        self.dice.shuffle(functions)
        for function in functions:
            stored = {n.id for n in ast.walk(function) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
            for name in sorted(stored):
                uses = [n for n in ast.walk(function) if isinstance(n, ast.Name) and n.id == name]
                if len(uses) >= 2:
                    spared = self.dice.choice(uses)
                    for node in uses:
                        if node is not spared:
                            node.id = "some_new_name"
                    return True
        return False

    def blocks(self) -> list[list[ast.stmt]]:
        return [
            block for node in self.nodes for field in ("body", "orelse", "finalbody")
            if isinstance(block := getattr(node, field, None), list) and len(block) > 2
        ]

    def lost_statement(self) -> bool:
        """A statement is gone."""
        found = [
            (block, index) for block in self.blocks() for index, statement in enumerate(block)
            if isinstance(statement, ast.Assign | ast.AugAssign | ast.Return | ast.Raise)
        ]
        if found:
            block, index = self.dice.choice(found)
            del block[index]
        return bool(found)

    def order(self) -> bool:
        """Two different statements change places."""
        found = [
            (block, index) for block in self.blocks() for index in range(1, len(block) - 1)
            if ast.dump(block[index]) != ast.dump(block[index + 1])
            and not isinstance(block[index], ast.ImportFrom)
        ]
        if found:
            block, index = self.dice.choice(found)
            block[index], block[index + 1] = block[index + 1], block[index]
        return bool(found)

    def argument(self) -> bool:
        """Two arguments of a call change places."""
        found = [
            node for node in self.nodes
            if isinstance(node, ast.Call) and len(node.args) > 1 and ast.dump(node.args[0]) != ast.dump(node.args[1])
        ]
        if found:
            node = self.dice.choice(found)
            node.args[0], node.args[1] = node.args[1], node.args[0]
        return bool(found)


MUTATIONS = ("operator", "constant", "one_name", "missed_reference", "lost_statement", "order", "argument")


@pytest.mark.parametrize("name", ["bisect", "contextlib", "graphlib", "heapq", "shlex", "textwrap"])
def test_mutants_of_real_modules_are_not_the_same(name):
    """The module printed anew is the same; with one change of behaviour inside, never."""
    old = real_source(name)
    assert compare_files(old, ast.unparse(ast.parse(old)).encode()).verdict is Verdict.SAME
    dice = random.Random(name)
    n_mutants = 0
    for round_number in range(3):
        for mutation in MUTATIONS:
            tree = ast.parse(old)
            if not getattr(Mutation(tree, dice), mutation)():
                continue
            new = ast.unparse(tree).encode()
            try:
                compile(new, name, "exec")
            except SyntaxError:
                continue
            n_mutants += 1
            proof = compare_files(old, new)
            assert proof.verdict is not Verdict.SAME, (mutation, round_number)
    assert n_mutants >= 20


@pytest.mark.parametrize("name", ["contextlib", "difflib", "textwrap"])
def test_each_witness_alone_sees_mutants(name):
    """Neither of the first two witnesses leans on the other."""
    old = real_source(name)
    dice = random.Random(1)
    for mutation in MUTATIONS:
        tree = ast.parse(old)
        if getattr(Mutation(tree, dice), mutation)():
            new = ast.unparse(tree).encode()
            forms = []
            for data in (old, new):
                form = NormalForm(Version(parse(data)))
                form.write_module()
                forms.append(form.elements)
            assert forms[0] != forms[1], mutation
            assert compiled_difference(old, new) is not None, mutation


def test_differences_name_both_lines_and_what_differs():
    """The place in both versions, and the words of the code."""
    old = b"def gain(a, b):\n    d = b - a\n    return d * 2\n"
    new = b"# The gain.\n\ndef gain(a, b):\n    difference = b - a\n    return difference * 3\n"
    proof = compare_files(old, new)
    (difference,) = proof.differences
    assert (proof.verdict, difference.verdict) == (Verdict.DIFFERENT, Verdict.DIFFERENT)
    assert (difference.old_line, difference.new_line, difference.what) == (3, 5, "2 became 3")


def test_what_is_not_understood_yet_is_unproven_and_not_different():
    """Statements in another order, a constant with a name, a renamed method: no claim is made."""
    for old, new in (
        (b"a = 1\nb = 2\n", b"b = 2\na = 1\n"),
        (b"DAYS = 30\ndef f():\n    return DAYS\n", b"def f():\n    return 30\n"),
        (b"class H:\n    def w(self): return self.k\n", b"class H:\n    def weigh(self): return self.k\n"),
        (b"def f(x):\n    y = x\n    return y\n", b"def f(x):\n    return x\n"),
    ):
        assert compare_files(old, new).verdict is Verdict.UNPROVEN


def test_what_is_added_does_not_make_the_rest_different():
    """A function more shifts scopes and lines, a text more is documentation: no claim about others."""
    old = b"class H:\n    def w(self, k):\n        t = k\n        return [self.a(e) for e in t]\n"
    new = b"def g(k):\n    return [e for e in k]\n\n" + old.replace(b"        t", b'        "Weigh."\n        t', 1)
    proof = compare_files(old, new)
    assert proof.verdict is Verdict.UNPROVEN
    assert [(each.new_line, each.what) for each in proof.differences] == [
        (1, "g is only in the new version"), (6, "statements were added"),
    ]
    other = new.replace(b"Weigh.", b"Weigh it.")
    assert [each.what for each in compare_files(new, other).differences] == ["the documentation text changed"]


def test_edits_are_counted_and_definitions_judged():
    """What was recognised, and each definition with what it rests on."""
    old = b"def read(p):\n    d = p  # the path\n    return d\ndef total(p):\n    return read(p)\n"
    new = b"def read(p):\n    path = p\n    return path\n\n\ndef total(p):\n    return read(p)\n"
    proof = compare_files(old, new)
    assert proof.edit_texts() == ("1 local rename", "1 comment")
    assert [(each.name, each.verdict, each.given) for each in proof.definitions] == [
        ("read", Verdict.SAME, ()), ("total", Verdict.SAME, ("read",)),
    ]


def test_a_frame_reader_elsewhere_in_the_tree_keeps_names():
    """A module that reads its callers' variables makes every rename in its importers unproven."""
    helper = b"import sys\ndef fill(text):\n    return text.format(**sys._getframe(1).f_locals)\n"
    kit = {"kit/__init__.py": b"", "kit/helper.py": helper}
    old = b"from kit.helper import fill\ndef line(h):\n    w = h.weight\n    return fill(h.text), w\n"
    new = old.replace(b"w = ", b"weight = ").replace(b", w\n", b", weight\n")
    for imports in (b"from kit.helper import fill", b"from .helper import fill", b"import kit"):
        sides = [kit | {"kit/log.py": data.replace(b"from kit.helper import fill", imports)} for data in (old, new)]
        assert compare_trees(*sides).verdict is Verdict.UNPROVEN
    sides = [kit | {"kit/log.py": data.replace(b"kit.helper", b"other")} for data in (old, new)]
    assert compare_trees(*sides).verdict is Verdict.SAME


@pytest.mark.parametrize("imports", ["import log", "from log import line", "from . import log", "import log this cannot be read"])
def test_a_module_that_reads_names_off_functions_keeps_those_of_what_it_imports(imports):
    """A reader of `co_varnames`, or of the frames of a traceback, makes renames in what it imports unproven."""
    reader = f"{imports}\nnames = log.line.__code__.co_varnames\n".encode()
    old = b"def line(h):\n    w = h.weight\n    return w\n"
    new = old.replace(b"w =", b"weight =").replace(b"return w", b"return weight")
    assert compare_trees({"show.py": reader, "log.py": old}, {"show.py": reader, "log.py": new}).verdict is Verdict.UNPROVEN
    shower = f"{imports}\ndef show(error):\n    print(error.__traceback__.tb_frame.f_locals)\n".encode()
    assert compare_trees({"show.py": shower, "log.py": old}, {"show.py": shower, "log.py": new}).verdict is Verdict.UNPROVEN
    other = b"import os\nnames = os.line.__code__.co_varnames\n"
    assert compare_trees({"show.py": other, "log.py": old}, {"show.py": other, "log.py": new}).verdict is Verdict.SAME


CLASHES = {
    "asked for": b"import log\nlimit = getattr(log, 'HEAVY', 20)\n",
    "set from outside": b"import log\nlog.HEAVY = 20\n",
    "taken when it is there": b"try:\n    from log import HEAVY\nexcept ImportError:\n    HEAVY = 20\n",
    "over one's own": b"HEAVY = 20\nfrom log import *\n",
    "cannot be read": b"from log import *\nprint HEAVY\n",
    "walked through": b"import log\nlimits = [each for each in vars(log)]\n",
    "listed": b"import log\nlimits = [each for each in dir(log)]\n",
    "loaded by name": (
        b"from importlib import import_module\n\ndef load(name):\n    settings = import_module(name)\n"
        b"    return {each: getattr(settings, each) for each in dir(settings) if each.isupper()}\n"
    ),
    "table of names": b"import log\nlimits = list(log.__dict__)\n",
}
CLASHES_IN_A_FOLDER = {
    "taken": b"try:\n    from hive.log import HEAVY\nexcept ImportError:\n    HEAVY = 20\n",
    "asked for by name": b"from importlib import import_module\nlimit = getattr(import_module('hive.' + 'log'), 'HEAVY', 20)\n",
    "asked for as an attribute": b"name = input()\nmodule = __import__(name)\nlimit = module.HEAVY\n",
    "among the loaded ones": b"import sys\nlimit = getattr(sys.modules['hive.log'], 'HEAVY', 20)\n",
}


@pytest.mark.parametrize("mark", [{}, {"hive/__init__.py": b""}], ids=["plain folder", "package"])
@pytest.mark.parametrize("other", CLASHES_IN_A_FOLDER.values(), ids=CLASHES_IN_A_FOLDER)
def test_a_name_in_a_folder_that_need_not_be_marked_as_a_package(other, mark):
    """The dotted name of a module cannot always be told from where it lies."""
    old = b"def is_heavy(hive):\n    return hive.weight > 18\n"
    new = b"HEAVY = 18\n\n\ndef is_heavy(hive):\n    return hive.weight > HEAVY\n"
    tree = {"hive/log.py": old, "other.py": other, **mark}
    assert compare_trees(tree, tree | {"hive/log.py": new}).verdict is Verdict.UNPROVEN
    apart = tree | {"other.py": other.replace(b"HEAVY", b"LIGHT")}
    assert compare_trees(apart, apart | {"hive/log.py": new}).verdict is Verdict.SAME


CLASHES_PASSED_ON = {
    "asked for": b"import kit\nlimit = hasattr(kit, 'HEAVY')\n",
    "taken": b"try:\n    from kit import HEAVY\nexcept ImportError:\n    HEAVY = 20\n",
    "over one's own": b"HEAVY = 20\nfrom kit import *\n",
    "walked through": b"import kit\nlimits = [each for each in vars(kit)]\n",
}


@pytest.mark.parametrize("other", CLASHES_PASSED_ON.values(), ids=CLASHES_PASSED_ON)
@pytest.mark.parametrize("imports", [b"from log import *", b"from parts import *", b"from .parts import*"])
def test_a_name_that_a_star_import_passes_on(imports, other):
    """Two files away, somebody may notice one more name."""
    old = b"def is_heavy(hive):\n    return hive.weight > 18\n"
    new = b"HEAVY = 18\n\n\ndef is_heavy(hive):\n    return hive.weight > HEAVY\n"
    tree = {"log.py": old, "parts.py": b"from log import *\n", "kit.py": imports + b"\n", "other.py": other}
    assert compare_trees(tree, tree | {"log.py": new}).verdict is Verdict.UNPROVEN
    apart = tree | {"kit.py": b"import parts\n"}
    assert compare_trees(apart, apart | {"log.py": new}).verdict is Verdict.SAME


NO_CLASHES = {
    "its own": b"import log\nHEAVY = 20\n",
    "unrelated": b"import other\nother.HEAVY = 20\nlimits = vars(other)\n",
    "an instance's names": b"import log\nclass Hive:\n    def show(self):\n        return vars(self), self.__dict__\n",
}


@pytest.mark.parametrize("other", [*CLASHES, *NO_CLASHES])
def test_a_new_name_in_a_module_and_those_who_import_it(other):
    """A constant is not the same where another file might notice its name."""
    old = b"def heavy(hive):\n    return hive.weight > 18\n"
    new = b"HEAVY = 18\n" + old.replace(b"18", b"HEAVY")
    data = {**CLASHES, **NO_CLASHES}[other]
    verdict = compare_trees({"log.py": old, "show.py": data}, {"log.py": new, "show.py": data}).verdict
    assert verdict is (Verdict.UNPROVEN if other in CLASHES else Verdict.SAME)


def test_warnings_that_come_to_share_a_line_are_an_assumption():
    """Python may show a warning once per line."""
    old = b"from warnings import warn\nwarn('heavy'); warn('heavy')\n"
    new = b"from warnings import warn\nwarn('heavy')\nwarn('heavy')\n"
    assert compare_files(old, new).assumptions == ("warnings that are shown once per line are not told apart by lines",)
    assert compare_files(old, new, strict=True).verdict is Verdict.UNPROVEN
    assert compare_files(old, old.replace(b"\nwarn", b"\n\nwarn", 1)).assumptions == ()


def test_what_a_person_vouches_for_is_carried_into_the_verdict():
    """Without the person's word `unproven`, with it `same` under that assumption."""
    old = b"def f(h):\n    w = h.weight\n    return h.show(locals())\n"
    new = old.replace(b"w =", b"weight =")
    reason = compare_files(old, new).differences[0].what.removeprefix("not shown: ")
    proof = compare_files(old, new, confirmed={reason})
    assert (proof.verdict, proof.assumptions) == (Verdict.SAME, (reason,))


def test_reading_source_back_is_an_assumption_and_strict_refuses_it():
    """Comments matter to a program that reads its own source."""
    old = b"import inspect\ntext = inspect.getsource(inspect)  # the text\n"
    new = b"import inspect\ntext = inspect.getsource(inspect)\n"
    assert compare_files(old, new).verdict is Verdict.SAME
    assert "inspect" in compare_files(old, new).assumptions[0]
    assert compare_files(old, new, strict=True).verdict is Verdict.UNPROVEN


@pytest.mark.parametrize(
    ("new", "how"),
    [
        (b"\xef\xbb\xbf#!/usr/bin/env python3\nw = 1\n", "stands behind a byte order mark"),
        (b"#!/usr/bin/env python3\r\nw = 1\r\n", "ends otherwise"),
        (b"#!/usr/bin/env python3 -O\nw = 1\n", "changed"),
        (b"\n#!/usr/bin/env python3\nw = 1\n", "changed"),
    ],
)
def test_what_runs_a_file_is_read_byte_by_byte(new, how):
    """The system reads the first line of a script, and knows neither byte order marks nor other line ends."""
    old = b"#!/usr/bin/env python3\nw = 1\n"
    for proof in (compare_files(old, new), compare_files(new, old)):
        assert proof.verdict is Verdict.UNPROVEN
        assert any("what runs the file" in each.what for each in proof.differences)
    assert any(each.what.endswith(how) for each in compare_files(old, new).differences)
    assert compare_files(old.replace(b"#!", b"# "), new.replace(b"#!", b"# ")).verdict is Verdict.SAME


def test_trees():
    """Files only on one side, files that are no code, links, unreadable sides: each in one phrase."""
    same = {"a.py": b"x = 1\n", "notes.txt": b"bees"}
    assert compare_trees(same, same | {"a.py": b"x = 1  # one\n"}).verdict is Verdict.SAME
    cases = {
        "only in the new version": same | {"b.py": b""},
        "only in the old version": {"a.py": b"x = 1\n"},
        "not Python, and it differs": same | {"notes.txt": b"wasps"},
        "the new version cannot be read: line 1": same | {"a.py": b"x = = 1\n"},
        "a symbolic link": same | {"a.py": "a symbolic link to b.py"},
    }
    for what, new in cases.items():
        proof = compare_trees(same, new)
        assert proof.verdict is Verdict.UNPROVEN
        assert any(what in each.what for _, file in proof.files for each in file.differences)
    assert compare_trees(same, cases["not Python, and it differs"], code_only=True).verdict is Verdict.SAME
    worst = compare_trees(same | {"b.py": b"y = 1"}, {"a.py": b"x = 2\n", "notes.txt": b"bees"})
    assert worst.verdict is Verdict.DIFFERENT


def test_the_proof_does_not_depend_on_what_it_is_not_told():
    """A file's own module name never makes it its own frame reader."""
    data = b"def f(h):\n    w = h\n    return w\n"
    around = Surroundings("log", frozenset({FrameReader("other", b"def f(g):\n    return g.__code__.co_varnames\n")}))
    assert compare_files(data, data.replace(b"w", b"hive"), around).verdict is Verdict.SAME


QUOTING_TESTS = {
    "in a text": "import traceback\nassert lines() == ('weigh', 'raise Swarm(w.queen)')\n",
    "with a line end": r"assert stderr == '  File x\n    raise Swarm(w.queen)\n'" "\n",
    "in a long text": 'assert TRACEBACK == """\n    raise Swarm(w.queen)\n"""\n',
}


@pytest.mark.parametrize("quoting", QUOTING_TESTS.values(), ids=QUOTING_TESTS)
def test_a_line_that_a_test_quotes_is_not_worded_otherwise(quoting):
    """Tests hold the lines that a traceback shows against what they expect."""
    code = b"def weigh(hive):\n    w = hive.scale\n    x = 3.5\n    raise Swarm(w.queen)\n"
    tree = {"hive.py": code, "tests/test_hive.py": quoting.encode()}
    renamed = code.replace(b"w ", b"weight ").replace(b"w.", b"weight.")
    proof = compare_trees(tree, tree | {"hive.py": renamed})
    assert proof.verdict is Verdict.UNPROVEN
    what = "the line `raise Swarm(w.queen)`, which tests/test_hive.py quotes, may be worded otherwise"
    assert [each.what for each in proof.files[0][1].differences] == [f"not shown: {what}"]
    around = find_surroundings(tree)["hive.py"]
    vouched_for = compare_files(code, renamed, around, confirmed=[what])
    assert vouched_for.verdict is Verdict.SAME
    assert vouched_for.assumptions == (what,)
    # Another line, or a text in a file that sees no lines, is nobody's business.
    assert compare_trees(tree, tree | {"hive.py": code.replace(b"x ", b"share ")}).verdict is Verdict.SAME
    described = b"\"\"\"\nraise Swarm(w.queen)\n\"\"\"\nassert not stderr\n"
    for last, verdict in ((b"", Verdict.SAME), (b"print(__doc__)\n", Verdict.UNPROVEN)):
        described_tree = tree | {"tests/test_hive.py": described + last}
        assert compare_trees(described_tree, described_tree | {"hive.py": renamed}).verdict is verdict
    unseeing = tree | {"tests/test_hive.py": b"KEYS = ['raise Swarm(w.queen)']\n"}
    assert compare_trees(unseeing, unseeing | {"hive.py": renamed}).verdict is Verdict.SAME


DOTTED = st.lists(st.sampled_from(["hive", "log", "a"]), min_size=1, max_size=4).map(".".join)


@given(st.dictionaries(st.sampled_from(["x", "y"]), st.lists(DOTTED, max_size=3)), DOTTED)
def test_importers_are_asked_the_other_way_round(imports, module):
    """The index over all importers answers as asking each of them does."""
    one_by_one = {each for each, names in imports.items() if any(touches(name, module) for name in names)}
    assert Importers(imports).of(module) == one_by_one


SPELLINGS = [
    ("with open(p) as f:\n    f.read()\n", "with (open(p) as f):\n    f.read()\n", (3, 8), (3, 0)),
    ("def net(kg):\n    return kg\nnet(3)\n", "def net(kg: int | None):\n    return kg\nnet(3)\n", (3, 9), (3, 0)),
    ("def net(kg):\n    return kg\nnet(3)\n", "def net(kg: list[int]):\n    return kg\nnet(3)\n", (3, 8), (3, 0)),
    ("import zoneinfo\nimport os\n", "import os\nimport zoneinfo\n", (3, 11), (9, 0)),
    ("f\"{w['kg']}\"\n", 'f"{w["kg"]}"\n', (3, 11), (3, 12)),
    ('f"{w + 1}"\n', 'f"{w\n+ 1}"\n', (3, 11), (3, 12)),
    ("f'{w} {1}'\n", "f'{w} {1 }'\n", (3, 11), (9, 9)),
    ("try: f()\nexcept (A, B): g()\n", "try: f()\nexcept A, B: g()\n", (3, 11), (3, 14)),
]


@pytest.mark.parametrize(("old", "new", "oldest", "reads_from"), SPELLINGS)
def test_a_verdict_holds_for_every_python_that_the_project_is_for(old, new, oldest, reads_from):
    """What an older version would not read, or do otherwise, is not the same for it."""
    if sys.version_info < reads_from and reads_from < (9, 0):
        pytest.skip("this Python does not read it either")
    pair = ({"m.py": old.encode()}, {"m.py": new.encode()})
    proof = compare_trees(*pair, world=World(library=read_library, memory=LIBRARY, oldest=oldest))
    here = compare_trees(*pair, world=World(library=read_library, memory=LIBRARY))
    is_one_everywhere = reads_from == (9, 9)
    assert (proof.verdict is Verdict.SAME) == is_one_everywhere, proof
    assert (here.verdict is Verdict.SAME) == (reads_from != (9, 0)), here
