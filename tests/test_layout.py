"""Layout: what departs from a project's habits is found and mended, and nothing else is touched."""

import ast
import random
import re
import subprocess
import sys
import tokenize

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import PROJECT, STDLIB, document, zephyrun
from zephyrun.changes.stages import carry_out
from zephyrun.findings import KINDS, survey_source
from zephyrun.languages.python import parse
from zephyrun.layout.habits import CONVENTIONS, PLACES, decide, sides_of
from zephyrun.layout.measuring import measure
from zephyrun.layout.page import Page
from zephyrun.layout.slips import find_slips
from zephyrun.layout.widths import display_width
from zephyrun.plan import steps_from_findings
from zephyrun.proof.remains import Surroundings
from zephyrun.source import EditSet

LAYOUT = [name for name, kind in KINDS.items() if kind.family == "layout"]


def settled(code, habits=CONVENTIONS, kinds=LAYOUT):
    """Code as it is when all layout steps have been carried out and proved; none may be refused."""
    data = code if isinstance(code, bytes) else code.encode()
    around = Surroundings("hive")
    findings = survey_source("hive.py", data, around, kinds, habits).findings
    outcome = carry_out(data, steps_from_findings(findings), around, habits)
    assert not outcome.refused
    return outcome.data if isinstance(code, bytes) else outcome.data.decode()


def measured(*codes):
    """The habits of some modules."""
    counts = {}
    for code in codes:
        file = parse(code.encode())
        for key, count in measure(Page(file.source, file.marks))[0].items():
            counts[key] = counts.get(key, 0) + count
    return decide(counts)


SPACING = {
    "assignment": ("w=1\n", "w = 1\n"),
    "one side": ("w= 1\nw +=1\n", "w = 1\nw += 1\n"),
    "walrus": ("if (w:=weigh()): pass\n", "if (w := weigh()):\n    pass\n"),
    "comparison": ("w = a==b and a <c\n", "w = a == b and a < c\n"),
    "sum and sign": ("w = a+b - -c*-d\n", "w = a + b - -c * -d\n"),
    "signs": ("f(- a, *b, ** c)\nw = 1e-6 if - a else +b\n", "f(-a, *b, ** c)\nw = 1e-6 if -a else +b\n"),
    "power and index": ("w = a**2 + b[i+1] + b[i :j]\n", "w = a**2 + b[i+1] + b[i :j]\n"),
    "commas": ("f(a,b , c ,d)\nw = (a, )\n", "f(a, b, c, d)\nw = (a, )\n"),
    "brackets": ("f( a )\nw = [ a, { b: c } ]\n", "f(a)\nw = [a, {b: c}]\n"),
    "empty brackets": ("f( )\nw = [ ]\n", "f( )\nw = [ ]\n"),
    "calls": ("f (a)\nw [0] (b)\nprint (c)\nassert (a)\nw = not (a) in (b)\n",
              "f(a)\nw[0](b)\nprint(c)\nassert (a)\nw = not (a) in (b)\n"),
    "keywords": ("f(a = 1, b= 2)\n", "f(a=1, b=2)\n"),
    "defaults": ("def f(a = 1, b:int=2, *, c : int = 3)->int: ...\n",
                 "def f(a=1, b: int = 2, *, c: int = 3) -> int: ...\n"),
    "annotated default behind a subscript": ("def f(a: dict[b, c]=1): ...\n", "def f(a: dict[b, c] = 1): ...\n"),
    "bare marks": ("def f(a, /, b, *, c): ...\n", "def f(a, /, b, *, c): ...\n"),
    "lambda": ("w = lambda a = 1 :a\n", "w = lambda a=1: a\n"),
    "dictionary": ("w = {a :b, c:d}\n", "w = {a: b, c: d}\n"),
    "block colon": ("if a :\n    b = {c: d}\n", "if a:\n    b = {c: d}\n"),
    "annotation of a variable": ("w:int = 1\ntype = w[:2]\n", "w: int = 1\ntype = w[:2]\n"),
    "stretched": ("w  =  a   + b\nimport  a\n", "w = a + b\nimport a\n"),
    "comments": ("w = 1 # kg\nv = 2\t# tab\n#weight of it\n#w = 1\n", "w = 1  # kg\nv = 2\t# tab\n# weight of it\n#w = 1\n"),
    "line ends": ("w = 1  \n  \nv = 2  # kg \n", "w = 1\n\nv = 2  # kg\n"),
    "no last line end": ("w=1  ", "w = 1"),
    "operator at a line end": ("w = (a +\n     b\n     +c)\n", "w = (a +\n     b\n     +c)\n"),
    "backslash": (f"w = {'a' * 70} \\\n    + b*c\n", f"w = {'a' * 70} \\\n    + b * c\n"),
    "needless backslashes": ("assert a, \\\n    b  # why\nw = hive \\\n    .weight \\\n    + tare\nx = \\\n  f(a,\n    b)\n",
                             "assert a, b  # why\nw = hive.weight + tare\nx = \\\n  f(a,\n    b)\n"),
    "matrix product": ("w = a@b\n@f\ndef g(): ...\n", "w = a @ b\n@f\ndef g(): ...\n"),
    "decorator": ("@ f\ndef g(): ...\n", "@ f\ndef g(): ...\n"),
}


@pytest.mark.parametrize(("before", "after"), SPACING.values(), ids=SPACING)
def test_spaces_as_the_community_leaves_them(before, after):
    """Every place, one side and both; where the community has no habit nothing is touched."""
    kinds = ["crammed-line", "uneven-spacing"]
    habits = {key: side for key, side in CONVENTIONS.items() if not key.startswith("blank")}
    once = settled(before, habits, kinds)
    assert settled(once, habits, kinds) == after
    assert settled(after, habits, kinds) == after


LEFT_ALONE = {
    "columns": "weight      = 1\ntemperature = 2\n",
    "columns of comments": "w = 1      # kg\nlonger = 2 # °C\n",
    "columns that one line misses": "ab  = 1  # a\nc   = 2  # b\nlong= 3  # c\n",
    "dictionary columns": "w = {\n    'a':   a,\n    'bcd': b,\n}\n",
    "table": "w = [\n    [1,2,  3],\n    [4,5,  6],\n]\n",
    "texts": "w = 'a=b ,c' f'{a+b}{c!r:>{d}}' \"\"\"\n  d=e\n\"\"\"\n",
    "comments": "#w=1\n#!x\n#: doc\n#------\n## a=b\n",
    "fenced line": "w=1  # zephyrun: leave\n",
    "fenced file": "# zephyrun: leave file\nw=1\nif w: v=2\n",
    "fenced block": "# zephyrun: leave from here\nw=1; v=2\n# zephyrun: leave to here\n",
    "instructions": f"w = weigh(hive, {'a' * 50}, {'b' * 30})  # type: ignore[call]\n",
    "texts that are too long": f"w = '{'long ' * 20}'\n# {'long ' * 20}end\n",
    "overloads": "class Hive:\n    def a(self): ...\n    def b(self): ...\n",
    "stubs": "class A(Error): pass\nclass B(Error): pass\n",
    "numbers that end together": "w = [\n    ( 7,  1, full),\n    (14, 22, empty),\n]\n",
    "a list of little functions": "def heavier(w): return w > 3\ndef at_least(w): return w >= 3\n",
    "one-line table": "if a:     w = 1\nelif bcd: w = 2\n",
    "broken before an instruction": "assert a, \\\n    b  # type: ignore[x]\n",
    "continued": "w = weigh(\n  hive,\n        scale,\n)\n",
}


@pytest.mark.parametrize("code", LEFT_ALONE.values(), ids=LEFT_ALONE)
def test_what_is_laid_out_by_hand_is_left_alone(code):
    """Columns, tables, texts, drawings, fences, and what speaks to other programs."""
    assert settled(code, sides_of(measured(code))) == code


RESTS = {
    "crammed statements": ("import a; import b\nw = 1; v = 2;\n", "import a\nimport b\nw = 1\nv = 2\n"),
    "crammed block": ("if a: b = 1; c()  # why\nelif d: e()\nelse: f()\n",
                      "if a:\n    b = 1\n    c()  # why\nelif d:\n    e()\nelse:\n    f()\n"),
    "crammed try": ("try: a()\nexcept (B, C): d()\nfinally: e()\n",
                    "try:\n    a()\nexcept (B, C):\n    d()\nfinally:\n    e()\n"),
    "crammed inside": ("def f():\n    while a: b()\n    with c as d: return {e: f for e in d}\n",
                       "def f():\n    while a:\n        b()\n    with c as d:\n        return {e: f for e in d}\n"),
    "crammed class": ("class A: x: int = 1\n", "class A:\n    x: int = 1\n"),
    "crowded comprehension": (
        "w = [frame.weight for hive in hives for frame in hive.frames if frame.full if hive.open]\n",
        "w = [\n    frame.weight\n    for hive in hives\n    for frame in hive.frames\n    if frame.full\n    if hive.open\n]\n"),
    "nested condition without brackets": (
        "def f():\n    return a if b else c if d else e  # why\n",
        "def f():\n    return (\n        a if b\n        else c if d\n        else e\n    )  # why\n"),
    "nested condition at the very end": ("w = a if b else c if d else e", "w = (\n    a if b\n    else c if d\n    else e\n)"),
    "nested condition that is assigned": ("w = a if b else (c if d else e) if f else g\n",
                                          "w = (\n    a if b\n    else (c if d else e) if f\n    else g\n)\n"),
    "nested condition": ("w = f(a if b else c if d else e)\n", "w = f(\n    a if b\n    else c if d\n    else e\n)\n"),
    "ragged file": ("def f():\n  if a:\n    return g(b,\n             c)\n  # why\n  return 1\n",
                    "def f():\n    if a:\n        return g(b,\n                 c)\n    # why\n    return 1\n"),
    "ragged block": ("def f():\n    if a:\n      b()\n      if c:\n        d()\n    return 1\n",
                     "def f():\n    if a:\n        b()\n        if c:\n            d()\n    return 1\n"),
    "tabs": ("def f():\n\tif a:\n\t\treturn '''\n\tb'''\n\treturn [\n\t\t1,\n\t]\n",
             "def f():\n    if a:\n        return '''\n\tb'''\n    return [\n        1,\n    ]\n"),
    "tabs that disagree": ("if a:\n        if b:\n        \tc()\n        d()\n",
                           "if a:\n    if b:\n        c()\n    d()\n"),
    "blank lines that are not empty": ("import a\n\n    \n \n\ndef f():\n    return 1\n", "import a\n\n\ndef f():\n    return 1\n"),
    "definitions": ("import a\ndef f():\n    return 1\nw = 2\n\n\n\nclass A:\n    def g(self):\n        return 1\n    # why\n    @b\n    def h(self):\n        return 2\n",
                    "import a\n\n\ndef f():\n    return 1\n\n\nw = 2\n\n\nclass A:\n    def g(self):\n        return 1\n\n    # why\n    @b\n    def h(self):\n        return 2\n"),
    "heading above a definition": ("a = 1\n\n# A part\n\ndef f():\n    return 1\n", "a = 1\n\n# A part\n\ndef f():\n    return 1\n"),
    "comment that is in the way": (f"    w = weigh(hive)  # {'why ' * 16}\n".replace("    ", "if a:\n    ", 1),
                                   f"if a:\n    # {'why ' * 15}why\n    w = weigh(hive)\n"),
    "overlong call": (f"weigh({'a' * 40}, {'b' * 40}, key=1)\n", f"weigh(\n    {'a' * 40},\n    {'b' * 40},\n    key=1,\n)\n"),
    "overlong condition": (f"if {'a' * 40} and {'b' * 30} or c:\n    d()\n",
                           f"if (\n    {'a' * 40} and {'b' * 30}\n    or c\n):\n    d()\n"),
    "overlong row of elements": (f"weigh(\n    {'a' * 40}, f({'b' * 36}), c\n)\n",
                                 f"weigh(\n    {'a' * 40},\n    f({'b' * 36}),\n    c\n)\n"),
    "overlong import": (f"from hive import {'a' * 40}, {'b' * 30}\n", f"from hive import (\n    {'a' * 40}, {'b' * 30}\n)\n"),
    "overlong text": (f"raise E('{'a' * 40}' f'{{b}}{'c' * 30}')\n", f"raise E(\n    '{'a' * 40}'\n    f'{{b}}{'c' * 30}'\n)\n"),
    "wide characters": (f"weigh('{'蜂' * 30}', {'b' * 10})\n", f"weigh(\n    '{'蜂' * 30}', {'b' * 10}\n)\n"),
    "combining marks": (f"w = weigh('{'é' * 30}', b)\n", f"w = weigh('{'é' * 30}', b)\n"),
    "match": ("match a :\n  case [b,c] if b==c: d()\n  case _:\n    e()\n",
              "match a:\n    case [b, c] if b == c:\n        d()\n    case _:\n        e()\n"),
    "async": ("async def f():\n  async with a: await b()\n", "async def f():\n    async with a:\n        await b()\n"),
    "form feed": ("a=1\n\f\nb=2\n", "a = 1\n\f\nb = 2\n"),
}


@pytest.mark.parametrize(("before", "after"), RESTS.values(), ids=RESTS)
def test_lines_and_blocks(before, after):
    """Splitting, moving in, folding, parting; what goes on below a line goes along with it."""
    once = settled(before)
    assert settled(once) == after
    assert settled(after) == after


@pytest.mark.skipif(sys.version_info < (3, 12), reason="syntax of Python 3.12")
def test_type_parameters():
    """Bounds are spaced as annotations are, and slices are not."""
    code = "type  Pair[T:int] = tuple[T,T]\ndef f[T:int](a:T=1)->T: ...\n"
    assert settled(code, kinds=["uneven-spacing"]) == (
        "type Pair[T: int] = tuple[T, T]\n\n\ndef f[T: int](a: T = 1) -> T: ...\n"
    )


def test_a_wall_parts_where_names_no_longer_lead_over():
    """Set up, loop, result; what feeds the loop stays with it."""
    lines = [f"    total_{n} = weigh(hive, {n})" for n in range(8)]
    lines += ["    heaviest = 0", "    for frame in hive.frames:", *[f"        heaviest = note(frame, {n}, heaviest)" for n in range(12)]]
    lines += ["    lightest = 0", *[f"    lightest += total_{n}" for n in range(8)], "    return lightest"]
    code = "def season(hive):\n" + "\n".join(lines) + "\n"
    paragraphs = settled(code).split("\n\n")
    assert [part.splitlines()[0].strip() for part in paragraphs][1:] == ["heaviest = 0", "lightest = 0"]


# -- properties --------------------------------------------------------------------------------


REAL = [*sorted((PROJECT / "src").rglob("*.py")), *(STDLIB / f"{name}.py" for name in (
    "optparse", "textwrap", "difflib", "tarfile", "pickle", "telnetlib" if (STDLIB / "telnetlib.py").exists() else "stat",
    "imaplib", "turtle", "bdb", "dataclasses",
))]
HANDS = {
    "as the community": CONVENTIONS,
    "narrow": {**CONVENTIONS, "line-width": "60"},
    "aligned": {**CONVENTIONS, "continuation": "aligned", "closing-bracket": "last-line", "line-width": "72"},
    "filled": {**CONVENTIONS, "elements": "filled", "closing-bracket": "last-line", "indentation": "2"},
    "tabs": {**CONVENTIONS, "indentation": "tab", "keyword": "spaced", "round-brackets": "spaced"},
    "tight": {**CONVENTIONS, "assignment": "tight", "comma": "tight", "operator-break": "after", "comparison": "tight"},
}


def check(data, habits):
    """Settling keeps the tree, is done after a second look, and touches nothing then."""
    once = settled(data, habits)
    assert ast.dump(ast.parse(once)) == ast.dump(ast.parse(data))
    done = settled(once, habits)
    for _ in range(2):
        if settled(done, habits) == done:
            return
        done = settled(done, habits)
    raise AssertionError("layout is never settled")


@pytest.mark.parametrize("hand", HANDS.values(), ids=HANDS)
def test_real_modules_keep_their_trees_and_come_to_rest(hand):
    """Whatever the project's hand: equal trees, proved, and nothing left to do."""
    dice = random.Random(len(hand["line-width"]) + len(hand))
    for path in dice.sample(REAL, 7):
        check(path.read_bytes(), hand)


@pytest.mark.parametrize("change", [
    lambda data: data.replace(b"\n", b"\r\n"),
    lambda data: b"\xef\xbb\xbf" + data,
    lambda data: data.rstrip(b"\n"),
    lambda data: re.sub(rb"(?m)^((?:    )+)(?=\w)", lambda match: b"\t" * (len(match[1]) // 4), data),
], ids=["CRLF", "BOM", "no last line end", "tabs"])
def test_real_modules_in_other_guises(change):
    """Line ends, marks and tabs are kept where nothing is wrong with them."""
    for name in ("textwrap", "bdb", "cmd"):
        data = change((STDLIB / f"{name}.py").read_bytes())
        try:
            ast.parse(data)
        except SyntaxError:
            continue
        once = settled(data)
        check(data, CONVENTIONS)
        assert (b"\r\n" in once) == (b"\r\n" in data) and once.startswith(b"\xef\xbb\xbf") == data.startswith(b"\xef\xbb\xbf")
        assert not re.search(rb"(?<!\r)\n", once) or b"\r\n" not in data


@settings(max_examples=15)
@given(st.integers(0, 10**9))
def test_modules_damaged_at_random(seed):
    """Spaces added and taken away anywhere the language allows: the tree stays, and it comes to rest."""
    dice = random.Random(seed)
    text = dice.choice(REAL).read_text("utf-8")
    lines = text.splitlines(keepends=True)
    with_gaps = []
    for token in tokenize.generate_tokens(iter(lines).__next__):
        (line, start), (end_line, end) = token.start, token.end
        if line == end_line and token.type == tokenize.OP and dice.random() < 0.05:
            with_gaps.append((line, end, dice.choice([" ", "  ", ""])))
    for line, end, gap in reversed(with_gaps):
        text_of_line = lines[line - 1]
        behind = text_of_line[end:]
        kept = behind.lstrip(" ") if not gap and behind.strip() else behind
        lines[line - 1] = text_of_line[:end] + gap * (not behind.startswith("\n")) + kept
    damaged = "".join(lines)
    try:
        if ast.dump(ast.parse(damaged)) != ast.dump(ast.parse(text)):
            return
    except SyntaxError:
        return
    check(damaged.encode(), CONVENTIONS)


def test_display_width():
    """What a terminal shows counts: wide characters twice, marks not at all, tabs to the next eight."""
    assert [display_width(text) for text in ("hive", "蜂蜂", "é", "\ta", "abc\tb", "\fa")] == [4, 4, 1, 9, 9, 1]


# -- habits ------------------------------------------------------------------------------------


def test_habits_are_what_most_places_do():
    """Measured by place; divided ones have no side; too few go by convention."""
    code = "".join(f"def f{n}(a, b = {n}):\n  return g(a,b , key = {n})\n\n" for n in range(20))
    habits = measured(code, "w=1\n" * 10 + "w = 1\n" * 10)
    assert habits["indentation"].side == "2" and habits["default"].side == habits["keyword"].side == "spaced"
    assert (habits["assignment"].side, habits["assignment"].share, habits["assignment"].n) == ("", 0.5, 20)
    assert habits["blank-before-definition"].side == "1"
    assert habits["arrow"].origin == "convention" and habits["arrow"].side == PLACES["arrow"].convention
    assert settled("w=1\nv = 2\ndef f(a=1): return 1\n", sides_of(habits), ["uneven-spacing"]) == (
        "w=1\nv = 2\n\ndef f(a = 1): return 1\n"
    )


@pytest.mark.parametrize(("width", "beyond", "limit"), [(79, 0, "79"), (88, 0, "88"), (100, 1, "100"), (79, 20, "")])
def test_the_width_shows_in_the_lines_that_come_near_it(width, beyond, limit):
    """A limit is what nearly no line passes of those that come near; else there is none."""
    lines = [f"w = '{'a' * (length - 6)}'" for length in range(width - 25, width + 1) for _ in range(4)]
    lines += [f"w = '{'a' * (200 + 3 * n)}'" for n in range(beyond)]
    assert measured("\n".join(lines) + "\n")["line-width"].side == limit


# -- commands ----------------------------------------------------------------------------------


MESSY = "def weigh(hive):\n   w=hive.weight; return w\n"


def test_settle_mends_and_can_be_taken_back(tmp_path):
    """All of it in one go, twice the same, and back to the byte; a dry run writes nothing."""
    path = tmp_path / "hive.py"
    path.write_bytes(MESSY.encode())
    assert "+    w = hive.weight\n" in zephyrun("settle", ".", "--dry-run", cwd=tmp_path).stdout
    assert path.read_bytes() == MESSY.encode()
    zephyrun("settle", "hive.py", cwd=tmp_path)
    assert path.read_text() == "def weigh(hive):\n    w = hive.weight\n    return w\n"
    assert "0 steps carried out" in zephyrun("settle", ".", cwd=tmp_path).stdout
    zephyrun("undo", cwd=tmp_path)
    assert path.read_bytes() == MESSY.encode()


def test_habits_show_both_sides_and_settings_overrule_them(tmp_path):
    """The share and an example of either side; what the settings say counts."""
    (tmp_path / "hive.py").write_text("w = 1\n" * 9 + "v=2\n")
    shown = zephyrun("habits", cwd=tmp_path).stdout
    assert "measured on 1 file of ." in shown
    assert re.search(r"assignment +spaced +90\.0% of 10", shown) and "1 × tight: v=2  hive.py:10" in shown
    places = {each["place"]: each for each in document("habits", ".", cwd=tmp_path)["habits"]}
    assert places["assignment"]["sides"][1]["example"] == {"path": "hive.py", "line": 10, "text": "v=2"}
    (tmp_path / "zephyrun.toml").write_text('[habits]\nassignment = "tight"\n')
    zephyrun("settle", ".", cwd=tmp_path)
    assert (tmp_path / "hive.py").read_text() == "w=1\n" * 9 + "v=2\n"
    assert "as the settings say" in zephyrun("habits", ".", cwd=tmp_path).stdout


@pytest.mark.parametrize(("settings_text", "message"), [
    ('[habits]\nassignmnt = "tight"\n', "line 2: there is no habit `assignmnt`; did you mean `assignment`?"),
    ('[habits]\ncomma = "never"\n', 'line 2: the habit `comma` must be one of "spaced", "tight", "after"'),
    ("[habits]\nindentation = 0\n", 'line 2: the habit `indentation` must be a number of spaces, or "tab"'),
    ("habits = 3\n", "line 1: `habits` must be a table"),
])
def test_settings_that_are_none(tmp_path, settings_text, message):
    """One sentence with file, line and what to write."""
    (tmp_path / "hive.py").write_text("w = 1\n")
    (tmp_path / "zephyrun.toml").write_text(settings_text)
    assert message in zephyrun("survey", ".", cwd=tmp_path, code=2).stderr


ALIGNED = '''\
def season_gain(hive):
    w1 = weigh(hive.scale,
               hive.tare)
    g1    = w1 - hive.start  # in kg
    hours = hive.hours       # since then
    return note(hive, w1, g1, hours, "the gain of a season", "and the hours")
'''


def test_a_second_look_mends_what_longer_names_left_crooked(tmp_path):
    """Brackets that moved, columns that slipped, lines that grew too long; nothing else."""
    (tmp_path / "hive.py").write_text(ALIGNED + "v=1\n")
    zephyrun("propose", ".", "--only", "names", "--output", "plan.toml", cwd=tmp_path)
    plan = (tmp_path / "plan.toml").read_text()
    parts = plan.split("[[step]]")
    for index, part in enumerate(parts[1:], 1):
        name = {"w1": "weight_on_the_scale", "g1": "gain_since_the_start"}[re.search(r'old = "(\w+)"', part)[1]]
        parts[index] = re.sub(r'new = "\w*"', f'new = "{name}"', part).replace("accept = false", "accept = true")
    (tmp_path / "plan.toml").write_text("[[step]]".join(parts))
    report = document("apply", "plan.toml", cwd=tmp_path)
    assert (tmp_path / "hive.py").read_text() == '''\
def season_gain(hive):
    weight_on_the_scale = weigh(hive.scale,
                                hive.tare)
    gain_since_the_start = weight_on_the_scale - hive.start  # in kg
    hours                = hive.hours                        # since then
    return note(
        hive,
        weight_on_the_scale,
        gain_since_the_start,
        hours,
        "the gain of a season",
        "and the hours",
    )
v=1
'''
    assert {each["kind"] for each in report["mended_again"]} == {"slipped-alignment", "overlong-line"}
    zephyrun("undo", cwd=tmp_path)
    assert (tmp_path / "hive.py").read_text() == ALIGNED + "v=1\n"


def test_splitting_lines_that_warn_rests_on_an_assumption(tmp_path):
    """Warnings that are shown once per line are told apart by lines: the report says so."""
    (tmp_path / "hive.py").write_text("import warnings\nwarnings.warn('x'); warnings.warn('x')\n")
    report = document("settle", ".", cwd=tmp_path)
    assert report["assumptions"] == ["warnings that are shown once per line are not told apart by lines"]


def test_a_layout_step_that_is_struck_out_stays_undone(tmp_path):
    """Only what is accepted is mended, also by the second look; the rest of the line stays as it was."""
    (tmp_path / "hive.py").write_text(MESSY)
    zephyrun("propose", ".", "--only", "layout", "--output", "plan.toml", cwd=tmp_path)
    plan = (tmp_path / "plan.toml").read_text()
    for part in plan.split("[[step]]")[1:]:
        if 'kind = "crammed-line"' not in part:
            plan = plan.replace(part, part.replace("accept = true", "accept = false"))
    (tmp_path / "plan.toml").write_text(plan)
    zephyrun("apply", "plan.toml", cwd=tmp_path)
    assert (tmp_path / "hive.py").read_text() == "def weigh(hive):\n   w=hive.weight\n   return w\n"


# -- folding, in each hand ---------------------------------------------------------------------


LONG = """\
def yearly_yield(hive, weights, temperatures, inspections, honey_yields, queens=None, *rest):
    total = combine(hive.weights, hive.temperatures) + combine_inspections(hive.inspections, 12)
    if hive.weight > lowest_weight and hive.temperature < highest or not hive.is_swarming and x:
        return [inspection.weight for inspection in hive.inspections if inspection.weight > low]
    x = weights["first"].difference(weights["second"]).union(weights["third"], weights["fourth"])
    raise ValueError("the hive %s has lost too much weight since its last inspection" % hive.name)
"""
FOLDED = {
    "hanging": ({}, """\
def yearly_yield(
    hive, weights, temperatures, inspections, honey_yields, queens=None, *rest
):
    total = (
        combine(hive.weights, hive.temperatures)
        + combine_inspections(hive.inspections, 12)
    )
    if (
        hive.weight > lowest_weight and hive.temperature < highest
        or not hive.is_swarming and x
    ):
        return [
            inspection.weight
            for inspection in hive.inspections
            if inspection.weight > low
        ]
    x = weights["first"].difference(weights["second"]).union(
        weights["third"], weights["fourth"]
    )
    raise ValueError(
        "the hive %s has lost too much weight since its last inspection"
        % hive.name
    )
"""),
    "aligned, operators at the ends": (
        {"continuation": "aligned", "operator-break": "after", "closing-bracket": "last-line"}, """\
def yearly_yield(hive, weights, temperatures, inspections, honey_yields,
                 queens=None, *rest):
    total = (combine(hive.weights, hive.temperatures) +
             combine_inspections(hive.inspections, 12))
    if (hive.weight > lowest_weight and hive.temperature < highest or
        not hive.is_swarming and x):
        return [inspection.weight
                for inspection in hive.inspections
                if inspection.weight > low]
    x = weights["first"].difference(weights["second"]).union(
        weights["third"], weights["fourth"])
    raise ValueError(
        "the hive %s has lost too much weight since its last inspection" %
        hive.name)
"""),
}


@pytest.mark.parametrize(("hand", "after"), FOLDED.values(), ids=FOLDED)
def test_long_lines_are_folded_in_the_projects_hand(hand, after):
    """Hanging or aligned, the closing bracket alone or not, operators at either end."""
    assert settled(LONG, {**CONVENTIONS, **hand}, ["overlong-line"]) == after
    assert ast.dump(ast.parse(after)) == ast.dump(ast.parse(LONG))


KEPT_WHOLE = {
    "body beside its head": f"if {'a' * 20} and {'b' * 20}: {'c' * 30}(d, e)\nelse: w = {'a' * 40} or {'b' * 40}\n",
    "several statements": f"if a: {'b' * 40} = {'c' * 20} or {'d' * 20}; return_({'e' * 10})\n",
    "annotated head": f"if (w := {'a' * 40}) and {'b' * 40}:\n    pass\n",
    "one-element tuple": f"w = ({'a' * 40} or {'b' * 40},)\n",
    "targets of a loop": f"w = {{path: data for path, data in {'a' * 30}.items() if data in {'b' * 20}}}\n",
    "lambda": f"w = sorted({'a' * 40}, key=lambda name, count: (count, {'b' * 30}))\n",
    "keyword unpacking": f"weigh({'a' * 40}, *{'b' * 30}, **{'c' * 10})\n",
    "generator": f"w = sum(weight for name, weight in {'a' * 40} if name in {'b' * 20})\n",
    "subscript": f"w = {'a' * 40}[{'b' * 20}, {'c' * 20}]\n",
    "condition": f"w = {'a' * 30} if {'b' * 20} else {'c' * 30}\n",
    "assertion": f"assert {'a' * 30}({'b' * 30}), {'c' * 20}\n",
    "decorator": f"@{'a' * 30}({'b' * 30}, {'c' * 20})\ndef f(): ...\n",
    "import": f"from hive.log import {'a' * 30} as b, {'c' * 30}\n",
    "star import": f"from {'hive.' * 20}log import *\n",
    "annotated": f"w: dict[{'a' * 30}, {'b' * 30}] = {'c' * 20}\n",
    "yield from": f"def f():\n    yield from {'a' * 40}({'b' * 20}) | {'c' * 20}\n",
    "await before an operator": f"async def f():\n    await {'a' * 40}({'b' * 20}) | {'c' * 20}\n",
    "await": f"async def f():\n    return await {'a' * 40}({'b' * 20}, {'c' * 20})\n",
    "yield": f"def f():\n    w = yield {'a' * 40}({'b' * 20}, {'c' * 20})\n",
    "with": f"with {'a' * 30}({'b' * 20}) as c, {'d' * 20}() as e:\n    pass\n",
    "inside a backslash": f"if a and \\\n        {'b' * 30}({'c' * 20}, {'d' * 20}) and e:\n    pass\n",
}


@pytest.mark.parametrize("code", KEPT_WHOLE.values(), ids=KEPT_WHOLE)
def test_folding_keeps_what_every_comma_and_bracket_means(code):
    """Whatever stands in a line: the tree stays, nothing is refused, and a second look finds nothing."""
    for hand in HANDS.values():
        once = settled(code, hand, ["overlong-line"])
        assert ast.dump(ast.parse(once)) == ast.dump(ast.parse(code))
        assert settled(once, hand, ["overlong-line"]) == once


# -- projects ----------------------------------------------------------------------------------


def test_a_divided_project_is_told_once(tmp_path):
    """Nothing departs where there is no habit; the habits say that a choice is to be made."""
    (tmp_path / "hive.py").write_text("w = 1\nv=2\n" * 10)
    assert document("survey", ".", "--only", "layout", cwd=tmp_path)["findings"] == []
    shown = zephyrun("habits", cwd=tmp_path).stdout
    assert "a choice to make\nassignment              divided" in shown


def test_tests_show_the_projects_hand_and_generated_files_do_not(tmp_path):
    """What people wrote counts, also where it is not edited; what a program wrote does not."""
    (tmp_path / "tests").mkdir()
    (tmp_path / "tests/test_hive.py").write_text("w=1\n" * 20)
    (tmp_path / "tables_pb2.py").write_text("w = 1\n" * 200)
    (tmp_path / "hive.py").write_text("v = 1\n")
    zephyrun("settle", ".", cwd=tmp_path)
    assert (tmp_path / "hive.py").read_text() == "v=1\n"


def test_a_line_that_a_test_quotes_waits_for_a_word(tmp_path):
    """Layout words no line otherwise that some test holds against a traceback."""
    (tmp_path / "zephyrun.toml").touch()
    (tmp_path / "hive.py").write_text("def weigh(hive):\n    return hive.weight+hive.tare\n" + "w = 1 + 2\n" * 40)
    (tmp_path / "test_hive.py").write_text(
        "def test_error(stderr):\n    assert 'return hive.weight+hive.tare' in stderr\n"
    )
    found = document("survey", "hive.py", "--only", "layout", cwd=tmp_path)["findings"]
    assert [each["remedy"] for each in found if each["line"] == 2] == ["review"]
    zephyrun("settle", "hive.py", cwd=tmp_path)
    assert "hive.weight+hive.tare" in (tmp_path / "hive.py").read_text()


def test_code_that_counts_its_own_lines_is_asked_about(tmp_path):
    """What only spaces a line is safe there; what moves lines waits for a word, in the second look too."""
    code = "import traceback\ndef f():\n    w=1; return traceback.extract_stack()\n"
    (tmp_path / "hive.py").write_text(code + "w = 1\n" * 20)
    found = document("survey", ".", "--only", "layout", cwd=tmp_path)["findings"]
    assert {each["kind"]: each["remedy"] for each in found if "above" not in each["subject"]} == {
        "crammed-line": "review", "uneven-spacing": "safe",
    }
    zephyrun("settle", ".", cwd=tmp_path)
    assert (tmp_path / "hive.py").read_text() == code.replace("w=1", "w = 1") + "w = 1\n" * 20


def test_only_new_lines_are_settled(tmp_path):
    """With `--since`, what was there before stays; each stage of `--commit` is a commit of its own."""
    def git(*words):
        who = ["-c", "user.name=Keeper", "-c", "user.email=keeper@hive.example"]
        return subprocess.run(["git", *who, *words], cwd=tmp_path, check=True, capture_output=True, text=True).stdout

    git("init", "-q")
    (tmp_path / "hive.py").write_text("v=1\n" + "w = 1\n" * 20)
    git("add", ".")
    git("commit", "-qm", "As inherited")
    (tmp_path / "hive.py").write_text("v=1\n" + "w = 1\n" * 20 + "u=2; t = 3\n")
    zephyrun("settle", ".", "--since", "HEAD", cwd=tmp_path)
    assert (tmp_path / "hive.py").read_text() == "v=1\n" + "w = 1\n" * 20 + "u = 2\nt = 3\n"


@pytest.mark.parametrize(("before", "after"), [
    pytest.param("foo(a,\n    b)\n", "longer_name(a,\n            b)\n", id="aligned"),
    pytest.param("foo(\n    a,\n)\n", "longer_name(\n    a,\n)\n", id="hanging"),
    pytest.param("foo(a, bar(b,\n           c),\n    d)\n", "longer_name(a, bar(b,\n                   c),\n            d)\n", id="nested"),
    pytest.param("foo(a,\n  b)\n", "longer_name(a,\n  b)\n", id="neither"),
    pytest.param("if a:\n\tfoo(b,\n\t    c)\n", "if a:\n\tlonger_name(b,\n\t            c)\n", id="tabs"),
    pytest.param("x = foo(a, '''\n    b''',\n        c)\n", "x = longer_name(a, '''\n    b''',\n                c)\n", id="text"),
    pytest.param("foo = 1   # a\nb   = 22  # c\n", "longer_name = 1   # a\nb           = 22  # c\n", id="columns"),
    pytest.param("foo = 1  # a\nb = 2  # c\n", "longer_name = 1  # a\nb = 2  # c\n", id="no columns"),
])
def test_what_slips_is_moved_back(before, after):
    """What stood below its bracket, or in a column, does so again; all else stays where it is."""
    old, new = parse(before.encode()), parse(before.replace("foo", "longer_name").encode())
    edits = EditSet()
    for departure in find_slips(Page(old.source, old.marks), Page(new.source, new.marks), lambda line: False):
        edits.merge(EditSet(departure.edits))
    assert edits.apply(new.source).decode() == after


def test_a_second_look_that_tests_object_to_is_dropped_in_silence(tmp_path):
    """Nobody asked for it: what was asked for stays, and the run counts as done."""
    (tmp_path / "hive.py").write_text(ALIGNED)
    (tmp_path / "check.py").write_text("import sys\nsys.exit(len(open('hive.py').readlines()) != 6)\n")
    zephyrun("propose", ".", "--only", "names", "--output", "plan.toml", cwd=tmp_path)
    plan = (tmp_path / "plan.toml").read_text().replace("accept = false", "accept = true")
    plan = re.sub(r'(old = "(\w+)"[^\[]*?new = )"\w*"', rf'\1"\2_{"long_" * 6}name"', plan)
    (tmp_path / "plan.toml").write_text(plan)
    check = f"{sys.executable} check.py"
    report = document("apply", "plan.toml", "--run-after", check, cwd=tmp_path)
    assert report["applied"] and not report["taken_back"]
    assert "overlong-line" not in {each["kind"] for each in report["mended_again"]}
