"""What is said of values and renames, held against programs that run."""

import ast
import contextlib
import io
import json
import random
import re

import pytest

from tests.helpers import real_source
from tests.ready import run_program
from tests.test_renames import read_cases
from zephyrun.changes.project_renames import Wish, carry_out_renames
from zephyrun.linking.linkage import Linkage
from zephyrun.linking.targets import NoTarget, target_of_binding
from zephyrun.linking.usage import TargetSort
from zephyrun.linking.value_sorts import ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World, judge_renames
from zephyrun.proof.verdict import Verdict

# Notes for each receiver of an attribute which class of the project it is of, is, or is below.
RECORDER = '''
import atexit, builtins, json, runpy, sys, types
seen = {}
def note(place, value):
    sort, kind = ("class", value) if isinstance(value, type) else ("instance", type(value))
    if isinstance(value, types.ModuleType):
        seen.setdefault(place, []).append(["module", value.__name__])
    else:
        names = [f"{each.__module__}.{each.__qualname__}" for each in kind.__mro__]
        seen.setdefault(place, []).append([sort, *names])
    return value
builtins.note_receiver = note
try:
    runpy.run_path("main.py", run_name="main")
finally:
    sys.__stderr__.write(json.dumps(seen))
'''

# Real modules with classes of many kinds, and what makes them run.
REAL_PROGRAMS = {
    "fractions": "print(f.Fraction(3, 4) ** 2 + f.Fraction('1.5'), f.Fraction(7, 3).limit_denominator(2), -f.Fraction(1, 2))",
    "shlex": "print(list(f.shlex('weigh -h \"north hive\"', posix=True)), f.split('a b'), f.quote('a b'))",
    "textwrap": "print(f.TextWrapper(width=20).fill('the hive gained two kilograms since may'), f.dedent('  a\\n  b'))",
    "graphlib": "s = f.TopologicalSorter({1: {2}, 2: {3}})\ns.prepare()\nwhile s.is_active():\n    r = s.get_ready()\n    s.done(*r)\n    print(r)",
    "statistics": "n = f.NormalDist(3, 2)\nprint(n.cdf(4), (n + n).mean, f.NormalDist.from_samples([1, 2, 4]).stdev, n.overlap(n))",
    "argparse": "p = f.ArgumentParser(prog='hive')\np.add_argument('--kg', type=int)\ns = p.add_subparsers().add_parser('weigh')\n"
    "s.add_argument('name', nargs='*')\ng = p.add_mutually_exclusive_group()\ng.add_argument('-a', action='store_true')\n"
    "print(p.parse_args(['--kg', '3', 'weigh', 'x']), p.format_help())",
    "difflib": "print(list(f.unified_diff(['a'], ['b'])), f.SequenceMatcher(None, 'abc', 'abd').ratio(), f.get_close_matches('hve', ['hive']))",
    "configparser": "c = f.ConfigParser()\nc.read_string('[a]\\nkg = 3\\nx = %(kg)s')\nprint(c['a']['x'], c.sections(), c.getint('a', 'kg'))",
}


def programs():
    """The projects to run, each as contents by path."""
    for case in read_cases():
        # Of a borrowed method it is not the value that is left open: there is a doubt of its own.
        if "borrows" in case.title:
            continue
        if case.outcome != "refused" and "pytest" not in str(case.files):
            yield pytest.param(case.files, id=case.title)
    for name, driver in REAL_PROGRAMS.items():
        main = f"import own_{name} as f\n{driver}\n".encode()
        yield pytest.param({f"own_{name}.py": real_source(name), "main.py": main}, id=name)


class Recording(ast.NodeTransformer):
    """Hands the receiver of each attribute that is read to the recorder."""

    def __init__(self, path, source):
        self.path, self.source = path, source

    def visit_Attribute(self, node):
        """`a.b` becomes `note_receiver("path:offset", a).b`."""
        self.generic_visit(node)
        if isinstance(node.ctx, ast.Load):
            end = self.source.offset_of_utf8(node.end_lineno, node.end_col_offset)
            place = ast.Constant(f"{self.path}:{end}")
            node.value = ast.Call(ast.Name("note_receiver", ast.Load()), [place, node.value], [])
        return node


def receivers_seen(evaluator: Evaluator, files: dict[str, bytes]):
    """What the receivers of attributes were when the program ran, by place."""
    recorded = {"record.py": RECORDER.encode()}
    for path, data in files.items():
        file = evaluator.linkage.file(path) if path.endswith(".py") else None
        if file is not None:
            tree = Recording(path, file.source).visit(ast.parse(data))
            data = ast.unparse(ast.fix_missing_locations(tree)).encode()
        recorded[path] = data
    done = run_program(recorded, "record.py")
    return json.JSONDecoder().raw_decode(done.stderr, done.stderr.index("{"))[0]


@pytest.mark.parametrize("files", list(programs()))
def test_values_leave_nothing_out(files):
    """Wherever a receiver was something of the project's own, that is among what it may be: nothing that is
    said to be something else was it after all."""
    evaluator = Evaluator(Linkage(files, (), read_library))
    seen = receivers_seen(evaluator, files)
    own = {
        f"{module}.{file.facts.dotted(record.scope)}": (path, index)
        for path, module in evaluator.linkage.modules.items()
        for file in [evaluator.linkage.file(path)]
        if file is not None
        for index, record in enumerate(file.links.classes)
    }
    for path in evaluator.linkage.paths:
        file = evaluator.linkage.file(path)
        for use in file.links.attributes if file is not None else ():
            values = evaluator.values(file, use.receiver)
            open_sorts = {ValueSort.UNKNOWN, ValueSort.ABOVE}
            if any(value.sort in open_sorts for value in values):
                continue
            said = {(value.sort.value, (value.path, value.number)) for value in values}
            modules = {value.name for value in values if value.sort is ValueSort.MODULE}
            for sort, *names in seen.get(f"{path}:{use.end}", ()):
                if sort == "module":
                    assert names[0] in modules or names[0] not in evaluator.linkage.modules.values()
                    continue
                ours = [own[name.replace(".<locals>", "")] for name in names if name.replace(".<locals>", "") in own]
                # An instance of a class below is one of the class, too.
                assert not ours or any((sort, key) in said for key in ours), (file.line_of(use.start), use, values, names)


def in_case_it_fails(*statements):
    """Lines that run the statements and print what kind of error ends them."""
    return ["try:", *(f"    {each}" for each in statements), "except Exception as e:", "    print(type(e).__name__)"]


class Author:
    """Writes programs of a few classes that share names, and of functions that are handed their instances."""

    NAMES = ("kg", "day", "read", "top")

    def __init__(self, seed):
        self.dice = random.Random(seed)
        # What functions are annotated to take; an annotation is taken at its word.
        self.noted = {}
        # The function that is also reached by a forwarding one and through a table.
        self.passed_on = ""

    def pick(self, *choices):
        """One of the choices."""
        return self.dice.choice(choices)

    def program(self):
        """A program that prints what it does, errors included."""
        lines, classes = ["import operator", "from functools import partial"], []
        for number in range(self.dice.randrange(2, 5)):
            bases = self.dice.sample(classes, min(len(classes), self.dice.randrange(3)))
            # Later classes first: so they always have an order in which they can be searched.
            lines += self.class_lines(f"K{number}", sorted(bases, reverse=True))
            classes.append(f"K{number}")
        functions = [f"f{number}" for number in range(self.dice.randrange(1, 4))]
        for name in functions:
            lines += self.function_lines(name, classes)
        kept = f"kept = [{self.pick(*classes)}()]"
        patch = f"{self.pick(*classes)}.{self.pick(*self.NAMES)} = kept[0]"
        self.passed_on = self.pick(*functions)
        lines += [
            f"def forward(*args, **rest): return {self.passed_on}(*args, **rest)",
            f"table = {{'a': {self.passed_on}, 'b': {self.pick(*classes)}}}",
            *in_case_it_fails(kept, self.pick(f"kept.append({self.pick(*classes)}())", patch, "pass")),
        ]
        lines += ["def attempt(action):", *(f"    {line}" for line in in_case_it_fails("print(action())"))]
        for _ in range(self.dice.randrange(4, 9)):
            lines.append(f"attempt(lambda: {self.use(classes, functions)})")
        return "\n".join(lines) + "\n"

    def class_lines(self, name, bases):
        """A class with attributes, a method or two, and perhaps a property."""
        head = f"class {name}({', '.join(bases)}):" if bases else f"class {name}:"
        held, given, method = self.dice.sample(self.NAMES, 3)
        lines = [head, f"    {held} = {self.dice.randrange(9)}"]
        if self.dice.random() < 0.6:
            first = f"        super().__init__({given}={given})" if bases and self.dice.random() < 0.4 else f"        self.{given} = {given}"
            lines += [f"    def __init__(self, {given}=1):", first]
        decorator = self.pick("", "", "    @property\n", "    @staticmethod\n" if self.dice.random() < 0.2 else "")
        body = self.pick(f"self.{held}", f"(self.{held}, getattr(self, '{given}', None))", f"type(self).{held}", "1")
        receiver = "" if "static" in decorator else "self"
        body = "2" if not receiver else body
        more = self.pick("", ", extra=0") if receiver and "property" not in decorator else ""
        return lines + [f"{decorator}    def {method}({receiver}{more}):", f"        return {body}"]

    def function_lines(self, name, classes):
        """A function that asks what it is given for an attribute, or calls a method with a keyword."""
        kind = self.pick(*classes)
        note = self.pick("", "", f": {kind}", f": '{kind}'")
        if note:
            self.noted[name] = kind
        attribute = self.pick(*self.NAMES)
        body = self.pick(
            f"thing.{attribute}", f"thing.{attribute}(extra=2)", f"getattr(thing, '{attribute}')", f"[t.{attribute} for t in [thing]]",
            f"thing.{attribute} if isinstance(thing, {self.pick(*classes)}) else 0", f"operator.attrgetter('{attribute}')(thing)",
        )
        return [f"def {name}(thing{note}, kg=None):", f"    return {body}"]

    def use(self, classes, functions):
        """An expression that makes something happen."""
        function, attribute = self.pick(*functions), self.pick(*self.NAMES)
        instance = f"{self.noted.get(function) or self.pick(*classes)}()"
        passed_on = f"{self.noted.get(self.passed_on) or self.pick(*classes)}()"
        return self.pick(
            f"{function}({instance})", f"{function}(thing={instance}, kg=1)", f"{instance}.{attribute}", f"{self.pick(*classes)}.{attribute}",
            f"[each.{attribute} for each in ({instance}, {instance})]", f"partial({function}, kg=3)({instance})", f"sorted(map({function}, [{instance}]))",
            f"{{'a': {instance}}}['a'].{attribute}", f"{self.pick(*classes)}({attribute}=4).{attribute}", f"{function}(**{{'thing': {instance}}})",
            f"forward({passed_on}, kg=2)", f"table['a'](thing={passed_on})", f"table['b']({attribute}=3).{attribute}",
            f"[each.{attribute} for each in kept]", f"kept[0].{attribute}.{self.pick(*self.NAMES)}",
            f"(lambda q: q.{attribute})({instance})", f"max([{instance}], key=lambda q: str(q.{attribute})).{attribute}",
        )


def output_of(code):
    """What a program prints, without the representations of functions and classes: those show names."""
    printed = io.StringIO()
    with contextlib.redirect_stdout(printed):
        exec(compile(code, "main.py", "exec"), {"__name__": "main"})
    text, n_shown = printed.getvalue(), 1
    while n_shown:
        text, n_shown = re.subn(r"<[^<>]*>", "…", text)
    return text


@pytest.mark.parametrize("seed", range(2))
def test_safe_renames_do_the_same(seed):
    """Random programs, and in each a rename to a fresh or a taken name. What is safe and proved prints the
    same; and not a few are."""
    dice, n_proved = random.Random(seed), 0
    for number in range(60):
        files = {"main.py": Author(f"{seed} {number}").program().encode()}
        world = World(library=read_library)
        evaluator = world.evaluator(files)
        file = evaluator.linkage.file("main.py")
        bindings = [index for index, each in enumerate(file.facts.bindings) if not each.outside]
        for binding in dice.sample(bindings, 4):
            try:
                target = target_of_binding(evaluator, file, binding)
            except NoTarget:
                continue
            if target.sort is TargetSort.MODULE or target.written.startswith("__"):
                continue
            change = carry_out_renames(evaluator, [Wish(target, dice.choice(["fresh", "weight", *Author.NAMES]))])
            if change.reasons or change.doubts or change.open_places:
                continue
            proof = judge_renames(files, change.contents, change.renamings, world, before=evaluator)
            if proof.verdict is Verdict.SAME:
                n_proved += 1
                assert output_of(files["main.py"]) == output_of(change.contents["main.py"]), (target, files["main.py"].decode())
    assert n_proved > 50
