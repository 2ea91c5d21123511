"""What the front end says about a file: names and their places, texts, comments, hints."""

import ast
import gc
import sys

import pytest

from benchmarks.resolver_agreement import compare_file
from tests.helpers import REAL_MODULES, STDLIB, read_marked, real_source
from zephyrun.facts import Role
from zephyrun.findings import KINDS, survey_source
from zephyrun.languages.python import UnreadableSource, parse, read_facts
from zephyrun.languages.python.scanner import scan
from zephyrun.proof.remains import Surroundings

NAMES = [
    pytest.param("«d» = 3\nprint([d for d in range(«d»)])\n", id="comprehension-has-its-own"),
    pytest.param("«d» = 3\nclass Log:\n    d = 4\n    def f(self):\n        return «d»\n", id="methods-skip-the-class"),
    pytest.param("d = 3\nclass Log:\n    «d» = 4\n    e = «d»\n", id="class-body-reads-its-own"),
    pytest.param("def f(«d»):\n    return f'{«d»!r:>{«d»}} d {{d}}'\n", id="f-string-and-its-format"),
    pytest.param("def f(«d»):\n    return f'''\n {\n«d»}\n{f'{«d»}'}'''\n", id="f-string-lines-and-nesting"),
    pytest.param("def f(«é»):\n    return f'ü{«é»}', '蜂', «é»\n", id="columns-count-code-points"),
    pytest.param("def f():\n    «d» = 1\n    def g():\n        nonlocal «d»\n        del «d»\n", id="nonlocal-and-del"),
    pytest.param("«d» = 1\ndef g():\n    global «d»\n    «d» += 1\n", id="global"),
    pytest.param("def f(rows):\n    [(«d» := r) for r in rows]\n    return «d»\n", id="walrus-leaves-comprehension"),
    pytest.param("def f(d):\n    match d:\n        case {'a': [1, *«e»], **r} | Log(x=«e», y=r):\n            return «e»\n", id="match-captures"),
    pytest.param("def f(d):\n    match d:\n        case {'a': 1, ** «e»}:\n            return «e»\n", id="match-rest"),
    pytest.param("def f():\n    try: pass\n    except (OSError) as «e»:\n        print(«e»)\n", id="except-as"),
    pytest.param("def f():\n    import os . path as «p», sys\n    return «p»\n", id="import-alias"),
    pytest.param("def f():\n    from os import (path # d\n       as «d»)\n    return «d»\n", id="import-alias-after-comment"),
    pytest.param("def \\\n  «d»(): pass\n@«d»\nclass C(«d», k=«d»): pass\n", id="definition-decorator-bases"),
    pytest.param("def f(d, «e»=1):\n    def g(e=«e»): return e\n    «e» = 2\n", id="defaults-belong-outside"),
    pytest.param("class C:\n    def f(self):\n        «__d» = 1\n        return «__d»\n", id="private-names-are-mangled"),
    pytest.param("from __future__ import annotations\n«T» = int\ndef f(x: «T», y: 'list[«T»]') -> «T»: ...\n", id="annotations-in-quotes"),
    pytest.param("def f():\n    with open('a') as («d»), open('b') as e:\n        «d».read()\n", id="with-as"),
    pytest.param("def f():\n    for «d», (e, *g) in []: print(«d»)\n    else: «d»\n", id="loop-targets"),
    pytest.param("x = lambda «d», *a, **k: [«d» for q in «d» if «d»]\n", id="lambda"),
    pytest.param("def f(«ﬁ»):\n    return «fi»\n", id="compatible-characters-fold"),
]


@pytest.mark.parametrize("marked", NAMES)
def test_all_references_of_a_binding(marked):
    """The marked places are all the references of one binding, no more and no fewer."""
    parsed, ranges = read_marked(marked)
    facts = parsed.facts
    at_first = next(each for each in facts.references if (each.start, each.end) == ranges[0])
    found = [facts.references[index] for index in facts.bindings[at_first.binding].references]
    assert [(each.start, each.end) for each in found] == ranges


@pytest.mark.skipif(sys.version_info < (3, 12), reason="type parameters are new in 3.12")
@pytest.mark.parametrize(
    "marked",
    [
        pytest.param("def f[«T»](x: «T») -> list[«T»]:\n    y: «T» = x\n", id="function"),
        pytest.param("class C[«T», *Ts, ** P](B[«T»]):\n    def f(self, x: «T»): ...\n", id="class"),
        pytest.param("type A[«T»: int] = list[«T»]\n", id="alias"),
        pytest.param("def f(«d»):\n    return f'{f'{«d»}'} {\n    «d» # d\n}'\n", id="nested-quotes"),
    ],
)
def test_newer_syntax(marked):
    """Type parameters and f-strings with their own quotes inside, where the interpreter has them."""
    test_all_references_of_a_binding(marked)


@pytest.mark.parametrize("name", REAL_MODULES)
def test_the_interpreter_agrees(name):
    """Symbol tables and compiled code of real modules agree with the resolver to the last name."""
    tally = compare_file(STDLIB / f"{name}.py")
    assert tally.disagreements == []
    assert tally.n_symbols > 50 and tally.n_instructions > 100


@pytest.mark.parametrize("name", REAL_MODULES)
def test_every_name_node_has_a_reference(name):
    """No name in the tree is forgotten, and each reference spells a name."""
    parsed = parse(real_source(name))
    text = parsed.source.text
    starts = {each.start for each in parsed.facts.references}
    names = [node for node in ast.walk(parsed.tree) if isinstance(node, ast.Name | ast.arg)]
    assert {parsed.source.offset_of_utf8(node.lineno, node.col_offset) for node in names} <= starts
    assert all(text[each.start : each.end].isidentifier() for each in parsed.facts.references)


@pytest.mark.parametrize("name", REAL_MODULES)
def test_comments_are_those_of_the_tokenizer(name):
    """The scanner finds the comments that the standard tokenizer finds."""
    import io
    import tokenize

    text = real_source(name).decode()
    theirs = [
        token.string
        for token in tokenize.generate_tokens(io.StringIO(text).readline)
        if token.type == tokenize.COMMENT
    ]
    found = scan(text, nested_quotes=sys.version_info >= (3, 12)).comments
    assert [text[start:end] for start, end in found] == theirs


def test_comments_know_what_they_stand_on():
    """A trailing comment stands on its statement, one on its own line on the next."""
    parsed, ranges = read_marked(
        "«# head»\nhive = 1  «# behind»\nif hive:  «# on the if»\n    «# inside»\n    f(1,  «# in a call»\n      «# on its own in a call»\n      2)\n«# last»\n"
    )
    facts, source = parsed.facts, parsed.source
    lines = [
        source.line_of(facts.statements[each.statement].start) if each.statement >= 0 else None
        for each in facts.comments
    ]
    assert [(each.start, each.end) for each in facts.comments] == ranges
    assert lines == [2, 2, 3, 5, 5, 5, None]
    assert [each.own_line for each in facts.comments] == [True, False, False, True, False, True, True]


def test_literals_and_texts_know_where_they_stand():
    """Each literal tells its context and what it stands beside."""
    facts = read_facts(
        b'"""Doc."""\ndef feed(kg=2, *, rate=-0.5):\n    if kg > 18 and hive["weight"]:\n'
        b'        give(kg, 3, syrup="1:1")\n    return 7\nmatch x:\n    case 4: pass\n'
    )
    assert [(each.value, each.context, each.beside) for each in facts.literals] == [
        ("2", "default", "kg"), ("0.5", "default", "rate"), ("18", "compared", "kg"),
        ("3", "argument", "give"), ("7", "returned", "feed"), ("4", "case", ""),
    ]
    assert [(each.words, each.use, each.beside) for each in facts.texts] == [
        ("Doc.", "documentation", ""), ("weight", "index", "hive"), ("1:1", "keyword", "syrup"),
    ]


@pytest.mark.parametrize(
    ("code", "what", "whole_file"),
    [
        ("def f():\n    return locals()", "locals()", False),
        ("def f(x):\n    return vars()", "vars()", False),
        ("show = eval", "eval", True),
        ("import sys\ndef f():\n    return sys._getframe(1)", "._getframe", False),
        ("import sys\ndef f():\n    return sys._getframe(1).f_locals", ".f_locals", True),
        ("from inspect import stack", "inspect.stack", True),
        ("import inspect as i\nframes = i.stack()", ".stack", True),
        ("from inspect import currentframe as c", "inspect.currentframe", True),
        ("from builtins import eval", "builtins.eval", True),
        ("g = getattr(builtins, 'exec')", '"exec"', True),
    ],
)
def test_what_can_read_names_is_noted(code, what, whole_file):
    """Everything through which a running program reads the names of locals."""
    assert (what, whole_file) in [(each.what, each.whole_file) for each in read_facts(code.encode()).exposures]


CALLER = "sys._getframe(1).f_locals"


@pytest.mark.parametrize(
    ("body", "names", "caller_of"),
    [
        (f"return {CALLER}.get('day')", ("day",), "look"),
        (f"return {CALLER}['day']", ("day",), "look"),
        (f"d = {CALLER}; return d.get('day'), 'kg' in d", ("day", "kg"), "look"),
        (f"return [n for n in {CALLER} if n.startswith('l_')]", ("l_*",), "look"),
        (f"return [n for n in {CALLER} if n == 'kg' and n]", ("kg",), "look"),
        (f"return keys({CALLER})", ("day",), "look"),
        (f"d = {CALLER} if key else None; return d.get('day') if d is not None else 0", ("day",), "look"),
        (f"d = {CALLER} or key; return sorted(d)", None, "look"),
        ("f = sys._getframe().f_back; f = cast(object, f); return f.f_locals['kg']", ("kg",), "look"),
        ("return sys._getframe(2).f_locals['kg']", ("kg",), ""),
        ("f = sys._getframe(1); f = f.f_back; return f.f_locals['kg']", ("kg",), ""),
        ("return [sys._getframe(1).f_locals['kg'] for _ in '1']", ("kg",), ""),
        (f"yield {CALLER}['kg']", ("kg",), ""),
        (f"return sorted({CALLER})", None, "look"),
        (f"return {{**{CALLER}}}", None, "look"),
        (f"return {CALLER}.get(key)", None, "look"),
        (f"global d; d = {CALLER}; return d.get('day')", None, "look"),
        (f"keep.d = {CALLER}", None, "look"),
        (f"keys = list; return keys({CALLER})", None, "look"),
        (f"d = {CALLER}; return d.get('day'), list(d)", None, "look"),
        (f"return [n for n in {CALLER} if n or n.startswith('l_')]", None, "look"),
    ],
)
def test_which_names_are_read_off_frames(body, names, caller_of):
    """One name, those that begin in one way, or any; in the caller alone, or in whatever is running."""
    code = f"import sys\ndef keys(d):\n    return d.get('day')\ndef look():\n    {body}\n"
    (first, *_) = [each for each in read_facts(code.encode()).exposures if each.what == ".f_locals"]
    assert first.reads == (names, caller_of)


LOOP = "def look():\n    for n, v in sys._getframe(1).f_locals.items():\n        {}\n        {}\n    {}\n"


@pytest.mark.parametrize(
    ("first", "then", "after", "names"),
    [
        ("if not n.startswith('l_'): continue", "print(n)", "return 1", ("l_*",)),
        ("if not n.startswith('l_') or v: continue", "print(n)", "return 1", ("l_*",)),
        ("if n != 'kg': continue", "print(n)", "for n in 'ab': print(n)", ("kg",)),
        ("if v or not n.startswith('l_'): continue", "print(n)", "return 1", None),
        ("if v and not n.startswith('l_'): continue", "print(n)", "return 1", None),
        ("print(n)", "if not n.startswith('l_'): continue", "return 1", None),
        ("if not n.startswith('l_'): continue", "print(n)", "return n", None),
        ("if not n.startswith('l_'): print(v); continue", "print(n)", "return 1", None),
    ],
)
def test_which_names_a_loop_over_variables_keeps(first, then, after, names):
    """Where it passes over all others before it does anything."""
    (exposure,) = read_facts(LOOP.format(first, then, after).encode()).exposures
    assert exposure.reads.names == names


@pytest.mark.parametrize(
    ("what", "stays"),
    [
        ("sys._getframe(1).f_lineno", True),
        ("inspect.getouterframes(inspect.currentframe())[1].function", True),
        ("[f.f_code for f in [sys._getframe()] if f]", False),
        ("show(sys._getframe())", False),
        ("sys._getframe", False),
    ],
)
def test_a_frame_that_stays_shows_no_variable(what, stays):
    """Asked for its line, it may be looked at; handed on, somebody else may ask it for anything."""
    exposures = read_facts(f"import inspect, sys\ndef look():\n    return {what}\n".encode()).exposures
    assert (exposures == ()) == stays


@pytest.mark.parametrize("code", ["vars(hive)", "dir(hive)", "def eval(x): ...\neval(1)", "hive.eval(1)", "x = 'eval'"])
def test_what_only_looks_like_it_is_not(code):
    """Builtins with an argument, and functions that only share a name."""
    assert read_facts(code.encode()).exposures == ()


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"def f(:\n", "line 1: "),
        (b"x = 1\x00\n", "null bytes"),
        (b"print 'python 2'\n", "line 1: "),
        (b"x = '\xff'\n", "line 1: the bytes are not valid utf-8"),
        (b"(" * 5000 + b")" * 5000, "nested|too many"),
        (b"x" + b"[0]" * 100_000 + b"\n", "nested|recursion"),
    ],
)
def test_unreadable_source_says_why(data, message):
    """One phrase, with the line where there is one; nothing else ever escapes."""
    with pytest.raises(UnreadableSource, match=message):
        parse(data)


def test_deep_but_valid_code_is_read():
    """What the interpreter parses, the walk can follow."""
    facts = read_facts(b"total = " + b" + ".join([b"weight"] * 900) + b"\n")
    assert len(facts.references) == 901
    assert facts.references[0].role is Role.ASSIGN


def test_nothing_is_left_for_the_collector_of_cycles():
    """What was read of a file goes at once: looking through it again and again took a fifth of a survey."""
    data = real_source("argparse")
    gc.collect()
    gc.disable()
    try:
        survey_source("argparse.py", data, Surroundings(), tuple(KINDS))
        assert gc.collect() < 100
    finally:
        gc.enable()
