"""What is seen of a file at a glance, without reading it: more than there is, perhaps, and never less."""

import ast
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.helpers import STDLIB
from zephyrun.linking.linkage import Linkage
from zephyrun.linking.texts import code_words_in, derives_classes, example_words_in, registering_in, words_in, written_in
from zephyrun.linking.import_graph import reached_files, run_together
from zephyrun.linking.set_by_name import names_set_in
from zephyrun.linking.values import Evaluator

MODULES = sorted(path for path in STDLIB.glob("*.py") if not path.name.startswith("_"))[::3]
LOOKING_UP = {"getattr", "setattr", "hasattr", "delattr", "attrgetter", "methodcaller"}


def encoded(words):
    """As they stand in a file."""
    return {word.encode() for word in words}


@pytest.mark.parametrize("path", MODULES, ids=lambda path: path.stem)
def test_nothing_is_overlooked(path):
    """Held against the syntax tree: attributes that get a value, classes with bases, what is registered,
    every name."""
    data = path.read_bytes()
    nodes = list(ast.walk(ast.parse(data)))
    written = {
        node.attr for node in nodes if isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Store)
    }
    assert encoded(written) <= written_in(data)
    derived = any(isinstance(node, ast.ClassDef) and node.bases for node in nodes)
    assert derives_classes(data) or not derived
    registering = {
        node.value.id
        for node in nodes
        if isinstance(node, ast.Attribute) and node.attr == "register" and isinstance(node.value, ast.Name)
    }
    assert encoded(registering) <= registering_in(data)
    names = {node.id for node in nodes if isinstance(node, ast.Name)}
    assert encoded(names) <= words_in(data)


def spelling(lines, node):
    """How a node is written; the library's own way goes through the whole source each time."""
    first, last = node.lineno - 1, node.end_lineno - 1
    text = b"".join(lines[first : last + 1])
    end = len(text) - len(lines[last]) + node.end_col_offset
    return text[node.col_offset : end].decode()


DESCRIBED = (ast.Module, ast.ClassDef, ast.FunctionDef, ast.AsyncFunctionDef)


@pytest.mark.parametrize("path", MODULES, ids=lambda path: path.stem)
def test_no_code_in_texts_is_overlooked(path):
    """Held against the syntax tree: whatever a text that is no description says that could be code."""
    data = path.read_bytes()
    lines = data.splitlines(keepends=True)
    nodes = list(ast.walk(ast.parse(data)))
    descriptions = {id(node.body[0].value) for node in nodes if isinstance(node, DESCRIBED) and ast.get_docstring(node)}
    seen = code_words_in(data)
    for node in nodes:
        is_text = isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in descriptions
        spelled = spelling(lines, node) if is_text else ""
        # A part of a text that holds expressions has no place of its own in some versions.
        if spelled[-1:] in ("'", '"') and re.search(r"[.(=]|\b(?:import|from|def|class)\b", spelled):
            try:
                ast.literal_eval(f"({spelled})")
            except (SyntaxError, ValueError):
                continue
            if len(re.findall(r"(?m)^\s*[rRuUbB]*[\"']", spelled)) == 1:
                assert encoded(re.findall(r"[^\W\d]\w*", spelled[1:])) <= seen, spelled


def test_dictionaries_of_keywords_are_seen():
    """Whatever hands a dictionary of keywords on lies in a file that was seen, and so does what reads the names
    of running functions by their attributes."""
    contents = {path.name: path.read_bytes() for path in MODULES}
    linkage = Linkage(contents)
    files = [file for file in map(linkage.file, contents) if file is not None]
    handing = {file.path for file in files if file.links.rests}
    assert len(handing) > 10
    assert handing <= linkage.paths_with_rests
    reading = {file.path for file in files if {"co_name", "co_qualname"} & file.links.attributes_by_name.keys()}
    assert reading and reading <= linkage.frame_readers.keys()


def test_computed_lookups_are_seen():
    """Whatever reading finds to be looked up by a name that is worked out lies in a file that was seen."""
    contents = {path.name: path.read_bytes() for path in MODULES}
    linkage = Linkage(contents)
    looking = {name for name in contents if linkage.file(name) is not None and linkage.file(name).links.lookups}
    assert len(looking) > 5
    assert looking <= set(linkage.lookup_paths)


def test_below_is_above_turned_round():
    """However a class comes by the name of its base: by an alias, a call, a table of another module."""
    contents = {
        "hives.py": b"class Hive: pass\nclass Scale: pass\n",
        "names.py": b"import hives as h\nAlias = h.Hive\ndef same(x): return x\nBase, Other = same(Alias), h.Scale\n"
        b"class Kinds:\n    kind = Base\n",
        "main.py": b"from names import *\nimport names\nclass A(Alias): pass\nclass B(Kinds.kind, Other): pass\n"
        b"class C(names.Base): pass\nfor each in (A, C):\n    class D(each): pass\n",
    }
    evaluator = Evaluator(Linkage(contents))
    keys = {
        record.name: (path, index)
        for path in contents
        for index, record in enumerate(evaluator.linkage.file(path).links.classes)
    }
    below = {name: {evaluator.class_record(each).name for each in evaluator.below(key)} for name, key in keys.items()}
    assert below["Hive"] == {"A", "B", "C", "D"}
    assert below["Scale"] == {"B"}
    for name, key in keys.items():
        assert {above for above, each in keys.items() if each in evaluator.above(key)} == {
            above for above in keys if name == above or name in below[above]
        }


@pytest.mark.parametrize("path", MODULES, ids=lambda path: path.stem)
def test_no_example_is_overlooked(path):
    """Held against the interpreter's own reading of documentation: every name in an example."""
    data = path.read_bytes()
    seen = example_words_in(data)
    for node in ast.walk(ast.parse(data)):
        text = ast.get_docstring(node, clean=False) if isinstance(node, DESCRIBED) else None
        for line in re.findall(r"(?m)^\s*>>> (.*)$", text or ""):
            assert encoded(re.findall(r"\b[A-Za-z_]\w*", line)) <= seen, line


@pytest.mark.parametrize(
    ("code", "names"),
    [
        ("setattr(hive, 'kg', 3)", {"kg"}),
        ("object.__setattr__(self, 'kg', 3)", {"kg"}),
        ("super().__setattr__('kg', 3)", {"kg"}),
        ("kit.setattr('yard.hive.weigh', stand_in)", {"weigh"}),
        ("mock.patch('yard.hive.weigh', stand_in)", {"weigh"}),
        ("mock.patch.object(hive, 'weigh', return_value=3)", {"weigh"}),
        ("mock.patch.object(Hive(), 'weigh', new=f)", {"weigh"}),
        ("hive.__dict__['kg'] = 3", {"kg"}),
        ("vars(hive)['kg'] = 3", {"kg"}),
        ("hive.__dict__.update(kg=3, day=4)", {"kg", "day"}),
        ("vars(hive).update({'kg': 3})", {"kg"}),
        ("mock.patch.multiple(yard, weigh=f)", {"weigh"}),
        ("mock.patch('yard.hive.weigh')", set()),
        ("mock.patch('yard.hive.weigh', autospec=True)", set()),
        ("hive.__dict__['kg'] == 3", set()),
        ("getattr(hive, 'kg', 3)", set()),
    ],
)
def test_what_is_set_by_its_name(code, names):
    """By a text or a keyword that is written out; a stand-in that answers to everything sets nothing."""
    assert names_set_in(code.encode()) == encoded(names)


NAMES = ("hive", "log", "yard", "scale", "report")
IMPORTS = st.dictionaries(st.sampled_from(NAMES), st.sets(st.sampled_from(NAMES)), min_size=1)


@given(IMPORTS, st.sampled_from(NAMES), st.sampled_from(NAMES))
def test_who_runs_with_whom(imports, first, second):
    """Held against all ways through the imports: what a file gets to, and whether some file gets to two."""
    files = {f"{name}.py": "".join(f"import {each}\n" for each in sorted(imports.get(name, ()))) for name in NAMES}
    evaluator = Evaluator(Linkage({path: text.encode() for path, text in files.items()}))
    reached = {name: {name} for name in NAMES}
    for _ in NAMES:
        for name in NAMES:
            reached[name] |= {far for near in reached[name] for far in imports.get(near, ())}
    for name in NAMES:
        assert reached_files(evaluator, f"{name}.py") == {f"{each}.py" for each in reached[name]}
    is_together = any({first, second} <= each for each in reached.values())
    assert run_together(evaluator, f"{first}.py", f"{second}.py") == is_together
