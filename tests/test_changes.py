"""Steps carried out: exact bytes, whole refusals, and a way back."""

import random
from dataclasses import replace

import pytest

from tests.helpers import REAL_MODULES, real_source
from zephyrun.changes.comment_deletions import delete_comments
from zephyrun.changes.local_renames import rename_local
from zephyrun.changes.refusal import Refusal
from zephyrun.changes.stages import carry_out
from zephyrun.changes.step import Step
from zephyrun.facts import FileFacts, Role
from zephyrun.findings import KINDS, survey_source
from zephyrun.languages.python import parse
from zephyrun.languages.python.reserved import RESERVED
from zephyrun.plan import steps_from_findings
from zephyrun.proof.comparison import compare_files
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.verdict import Verdict

HERE = Surroundings("log")
N_RENAMED = 15


def step(action: str, scope: str, old: str, new: str = "", *, ordinal: int = 1, **more) -> Step:
    """A step that stands nowhere in particular."""
    return Step(
        f"{old}→{new}", action, "", "log.py", f"log.{scope}" if scope else "log", old, ordinal, 0, 0, new,
        (), 1.0, "safe", more.get("confirm", ()), True, "",
    )


def outcome(code: str | bytes, *steps: Step):
    """The new text and the refusals, by step."""
    data = code if isinstance(code, bytes) else code.encode()
    done = carry_out(data, steps, HERE)
    assert compare_files(data, done.data, HERE, confirmed={w for s in steps for w in s.confirm}).verdict is Verdict.SAME
    return (done.data if isinstance(code, bytes) else done.data.decode()), dict(done.refused)


@pytest.mark.parametrize("name", REAL_MODULES[::3])
def test_there_and_back_gives_the_original_bytes(name):
    """Every local of a real module renamed, in random order, and renamed back."""
    original = real_source(name)
    facts = parse(original).facts
    chosen = [index for index in range(len(facts.bindings)) if has_its_name_alone(facts, index)]
    random.Random(name).shuffle(chosen)
    data = original
    for index in chosen[:N_RENAMED]:
        data = renamed(data, index, f"made_up_{index}")
    assert data.count(b"made_up_") > 2 * len(chosen[:N_RENAMED])
    for index in reversed(chosen[:N_RENAMED]):
        data = renamed(data, index, facts.bindings[index].name)
    assert data == original


def renamed(data: bytes, index: int, new: str) -> bytes:
    """The bytes with one binding renamed; bindings keep their numbers."""
    parsed = parse(data)
    edits = rename_local(parsed.source, parsed.facts, index, new)
    assert not isinstance(edits, Refusal), edits
    return edits.apply(parsed.source)


def has_its_name_alone(facts: FileFacts, index: int) -> bool:
    """Whether a binding is a local whose name nothing inside or around its function bears as well.

    (Else the way back would be refused: it would hide a name.) Imports get an alias, which stays.
    """
    record = facts.bindings[index]
    return (
        is_local_variable(facts, index)
        and not facts.is_shown(index)
        and Role.IMPORT not in facts.roles(index)
        and record.name not in RESERVED
        and not any(
            other.name == record.name and (record.scope in facts.ancestors(scope) or scope in facts.ancestors(record.scope))
            for number, other in enumerate(facts.bindings)
            for scope in {other.scope, *(facts.references[each].scope for each in other.references)}
            if number != index
        )
    )


@pytest.mark.parametrize("name", ["calendar", "difflib", "shlex"])
def test_all_safe_steps_of_a_real_module(name):
    """What the survey calls safe is carried out and proved; what it does not call so waits."""
    data = real_source(name)
    around = Surroundings(name)
    findings = survey_source(f"{name}.py", data, around, list(KINDS)).findings
    steps = [
        each
        for each in steps_from_findings(findings)
        if each.remedy == "safe" and (each.new or each.action == "comment")
    ]
    done = carry_out(data, steps, around)
    assert len(done.applied) >= 0.9 * len(steps) > 0
    assert compare_files(data, done.data, around).verdict is Verdict.SAME
    again = {each.id for each in survey_source(f"{name}.py", done.data, around, list(KINDS)).findings}
    carried_out = {each.finding for each in steps if each.id in done.applied and each.action == "rename"}
    assert not again & carried_out


RENAMES = {
    "everywhere": ("def f(h):\n    w = h\n    def g():\n        nonlocal w\n        w += 1\n    return w, f'{w!r:>{w}} kg'\n",
                   "def f(h):\n    weight = h\n    def g():\n        nonlocal weight\n        weight += 1\n    return weight, f'{weight!r:>{weight}} kg'\n"),
    "import": ("def f():\n    import os, sys as w\n    w.x = os\n    return w\n",
               "def f():\n    import os, sys as weight\n    weight.x = os\n    return weight\n"),
    "from-import": ("def f():\n    from os import (w,\n  sep)\n    return w\n",
                    "def f():\n    from os import (w as weight,\n  sep)\n    return weight\n"),
    "keyword keeps its name": ("def f(h):\n    w = h\n    return g(w=w)\n",
                               "def f(h):\n    weight = h\n    return g(w=weight)\n"),
    "attribute keeps its name": ("def f(h):\n    w = h.w\n    w.w = w\n",
                                 "def f(h):\n    weight = h.w\n    weight.w = weight\n"),
    "not in another scope": ("def f(h):\n    w = h\n    return [w for w in w]\n",
                             "def f(h):\n    weight = h\n    return [w for w in weight]\n"),
}


@pytest.mark.parametrize(("old", "new"), RENAMES.values(), ids=RENAMES)
def test_renames(old, new):
    """Every reference follows, and nothing else does."""
    assert outcome(old, step("rename", "f", "w", "weight")) == (new, {})


REFUSALS = {
    "keyword": ("class", "`class` is a keyword"),
    "no name": ("net weight", "is not a name that Python allows"),
    "empty": ("", "no new name is given"),
    "same": ("w", "is the name it has already"),
    "taken": ("total", "is used in the same function already"),
    "taken inside": ("inner", "is used in the same function already"),
    "used global": ("LIMIT", "is used in the same function already"),
    "used builtin": ("len", "is a builtin that the function uses"),
    "builtin": ("list", "is a builtin, and would be hidden"),
    "mangled": ("__weight", "begins with two underscores"),
}


@pytest.mark.parametrize(("new", "reason"), REFUSALS.values(), ids=REFUSALS)
def test_refusals_of_names(new, reason):
    """A plain reason; the file stays as it is."""
    code = "LIMIT = 3\ndef f(h):\n    w = len(h)\n    total = w + LIMIT\n    return lambda inner: inner + w + total\n"
    text, refused = outcome(code, step("rename", "f", "w", new))
    assert text == code
    assert reason in refused[f"w→{new}"]


def test_what_is_no_local_is_refused():
    """Parameters, functions, module-level names, names that are shown, and what is not there."""
    code = "def f(h):\n    w = h\n    def g(): pass\n    return f'{w=}', g\nk = 1\n"
    for scope, old, reason in (
        ("f", "h", "is not a plain local"), ("f", "g", "is not a plain local"), ("", "k", "is not a plain local"),
        ("f", "w", "a text prints the name"), ("f", "q", "there is no such `q`"), ("g", "w", "there is no such `w`"),
    ):
        text, refused = outcome(code, step("rename", scope, old, "weight"))
        assert text == code and reason in refused[f"{old}→weight"], old
    assert "knows no action" in outcome(code, step("polish", "f", "w", "weight"))[1]["w→weight"]


def test_one_bad_step_does_not_stop_the_others():
    """Two that want one name, one that the proof refuses: the rest go on."""
    code = (
        "def f(h):\n    a = h.x\n    b = h.y\n    c = 1\n    d = 2\n"
        "    def g():\n        return c, d\n    return a, b, g\n"
    )
    text, refused = outcome(
        code,
        step("rename", "f", "a", "one"), step("rename", "f", "b", "one"),
        step("rename", "f", "c", "zone"), step("rename", "f", "h", "hive"),
    )
    assert text == code.replace("a =", "one =").replace("return a", "return one")
    assert set(refused) == {"b→one", "c→zone", "h→hive"}
    assert refused["c→zone"].startswith("not proved: ") and "another order" in refused["c→zone"]


def test_swaps_and_chains_count_as_one():
    """A name that is given away in the same stage is free."""
    code = "def f(h):\n    a = h.x\n    b = h.y\n    return a - b\n"
    text, refused = outcome(code, step("rename", "f", "a", "gain"), step("rename", "f", "b", "loss"))
    assert (text, refused) == ("def f(h):\n    gain = h.x\n    loss = h.y\n    return gain - loss\n", {})


def test_a_review_step_needs_its_confirmation():
    """Without the person's word it is refused, with it the assumption is carried on."""
    code = "def f(h):\n    w = h\n    return h.show(locals())\n"
    what = "nothing looks up `w` of f by name through locals()"
    assert what in outcome(code, step("rename", "f", "w", "weight"))[1]["w→weight"]
    done = carry_out(code.encode(), [step("rename", "f", "w", "weight", confirm=(what,))], HERE)
    assert (done.refused, done.assumptions) == ((), (what,))
    assert b"weight = h\n" in done.data


COMMENTS = {
    "own line": (b"a = 1\n  # b\nb = 2\n", b"a = 1\nb = 2\n"),
    "trailing": (b"a = 1 \t # b\nb = 2\n", b"a = 1\nb = 2\n"),
    "between blank lines": (b"a = 1\n\n# b\n\nb = 2\n", b"a = 1\n\nb = 2\n"),
    "first": (b"# b\na = 1\n", b"a = 1\n"),
    "last, without a newline": (b"a = 1\n# b", b"a = 1\n"),
    "several lines": (b"a = 1\n\n# b\n# b\n\n\nb = 2\n", b"a = 1\n\n\nb = 2\n"),
    "windows lines": (b"a = 1\r\n# b\r\nb = 2\r\n", b"a = 1\r\nb = 2\r\n"),
    "mixed lines": (b"a = 1\r# b\r\nb = 2\n", b"a = 1\rb = 2\n"),
    "marked": (b"\xef\xbb\xbfa = 1\n# b\nc = '\xc3\xbc'\n", b"\xef\xbb\xbfa = 1\nc = '\xc3\xbc'\n"),
    "another encoding": (b"# coding: latin-1\n# b\nc = '\xfc'\n", b"# coding: latin-1\nc = '\xfc'\n"),
}


@pytest.mark.parametrize(("old", "new"), COMMENTS.values(), ids=COMMENTS)
def test_comments_go_with_their_line(old, new):
    """And every other byte stays."""
    texts = "# b\n# b" if b"# b\n# b" in old else "# b"
    assert outcome(old, step("comment", "", texts))[0] == new


def test_comments_that_stay():
    """Instructions to other programs, and comments that a step would write anew."""
    parsed = parse(b"a = 1  # type: ignore\n")
    assert isinstance(delete_comments(parsed.source, parsed.facts, 0, 1), Refusal)
    assert "can only be deleted" in outcome(b"a = 1  # b\n", step("comment", "", "# b", "# c"))[1]["# b→# c"]
    text, refused = outcome(b"# coding: latin-1\na = '\xfc'\n", step("comment", "", "# coding: latin-1"))
    assert refused and text.startswith(b"# coding")


def test_a_character_that_the_file_cannot_hold():
    """The new name must be writable in the file's own encoding."""
    code = b"# coding: latin-1\ndef f(h):\n    w = h\n    return w\n"
    text, refused = outcome(code, step("rename", "f", "w", "蜂蜜"))
    assert text == code and "cannot be written in" in refused["w→蜂蜜"]
    assert b"gr\xf6\xdfe = h" in outcome(code, step("rename", "f", "w", "größe"))[0]


CONSTANTS = {
    "below the imports": (
        '"""Weights."""\nimport os\n\n\ndef f(h):\n    return h * 365\n',
        '"""Weights."""\nimport os\n\nDAYS = 365\n\n\ndef f(h):\n    return h * DAYS\n',
    ),
    "below the documentation": (
        '"""Weights."""\n\n\ndef f(h):\n    return h * 365\n',
        '"""Weights."""\n\nDAYS = 365\n\n\ndef f(h):\n    return h * DAYS\n',
    ),
    "below other constants": (
        "import os\n\nLIMIT = 3\n\n\ndef f(h):\n    return h * 365\n",
        "import os\n\nLIMIT = 3\nDAYS = 365\n\n\ndef f(h):\n    return h * DAYS\n",
    ),
    "before a use while loading": (
        "import os\n\nLIMIT = f(365)\n\n\ndef g(h):\n    return h * 2\n",
        "import os\n\nDAYS = 365\n\nLIMIT = f(DAYS)\n\n\ndef g(h):\n    return h * 2\n",
    ),
    "at the top": (
        "#!/usr/bin/env python3\n# Weights.\n\n# for a year\ndef f(h):\n    return h * 365\n",
        "#!/usr/bin/env python3\n# Weights.\n\nDAYS = 365\n\n\n# for a year\ndef f(h):\n    return h * DAYS\n",
    ),
    "behind guarded imports": (
        "try:\n    import os\nexcept ImportError:\n    import sys\n\ndef f(h):\n    return h * 365\n",
        "try:\n    import os\nexcept ImportError:\n    import sys\n\nDAYS = 365\n\ndef f(h):\n    return h * DAYS\n",
    ),
    "close to a definition": (
        "import os\ndef f(h):\n    return h * 365\n",
        "import os\n\nDAYS = 365\n\n\ndef f(h):\n    return h * DAYS\n",
    ),
    "with the file's line ends": (
        "import os\r\n\r\ndef f(h):\r\n    return h * 365\r\n",
        "import os\r\n\r\nDAYS = 365\r\n\r\ndef f(h):\r\n    return h * DAYS\r\n",
    ),
    "in a default, a decorator and an f-string": (
        "import os\n\n@g(365)\ndef f(h, d=365):\n    return f'{h * 365:>{365}} 365'\n",
        "import os\n\nDAYS = 365\n\n@g(DAYS)\ndef f(h, d=DAYS):\n    return f'{h * DAYS:>{DAYS}} 365'\n",
    ),
    "before an import that comes back while the module is half loaded": (
        "import os\n\n\ndef f(h):\n    return h * 365\n\n\nimport season\n",
        "import os\n\nDAYS = 365\n\n\ndef f(h):\n    return h * DAYS\n\n\nimport season\n",
    ),
    "as it is written, without its sign": (
        "import os\n\ndef f(h):\n    return h > -0x16_D\n",
        "import os\n\nDAYS = 0x16_D\n\ndef f(h):\n    return h > -DAYS\n",
    ),
}


@pytest.mark.parametrize(("old", "new"), CONSTANTS.values(), ids=CONSTANTS)
def test_constants(old, new):
    """All numbers of one value get one name, defined where it can be found and before its use."""
    parsed = parse(old.encode())
    steps = []
    for each in parsed.facts.literals:
        if each.value == "365":
            spelling, scope = old[each.start : each.end], parsed.facts.dotted(each.scope)
            ordinal = parsed.facts.literals_at(old, scope, spelling).index(each) + 1
            one = step("constant", scope, spelling, "DAYS", ordinal=ordinal)
            steps.append(replace(one, id=str(each.start)))
    assert outcome(old, *steps) == (new, {})


NO_CONSTANTS = {
    "pattern": ("match h:\n        case 365: return 1", "a name would capture"),
    "annotation": ("d: Literal[365] = h", "the number itself is the meaning"),
    "metaclass": ("class C(Enum):\n        d = g(365)", "not proved"),
    "walked": ("return [n for n in globals()], 365", "globals() minds one more"),
    "named in a text": ("return h['DAYS'], 365", "stands in a text of the module"),
    "taken": ("DAYS = 365 + h", "is used in the module already"),
}


@pytest.mark.parametrize(("body", "reason"), NO_CONSTANTS.values(), ids=NO_CONSTANTS)
def test_where_no_constant_can_stand(body, reason):
    """A plain reason, and no byte changed."""
    code = f"import os\n\ndef f(h):\n    {body}\n"
    facts = parse(code.encode()).facts
    (literal,) = [each for each in facts.literals if each.value == "365"]
    text, refused = outcome(code, step("constant", facts.dotted(literal.scope), "365", "DAYS"))
    assert text == code and reason in refused["365→DAYS"]


def test_one_name_for_two_numbers():
    """The second is refused; two names for one number are two constants."""
    code = "import os\n\ndef f(h):\n    return h * 365 + 366\n"
    text, refused = outcome(code, step("constant", "f", "365", "DAYS"), step("constant", "f", "366", "DAYS"))
    assert "h * DAYS + 366" in text and "gives the name `DAYS` to 365" in refused["366→DAYS"]
    steps = [step("constant", "f", "365", name, ordinal=ordinal) for ordinal, name in ((1, "A"), (2, "B"))]
    text, _ = outcome(code.replace("366", "365"), *steps)
    assert "A = 365\nB = 365\n" in text and "h * A + B" in text
