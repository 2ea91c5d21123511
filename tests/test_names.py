"""Names for variables: what the code says of them, the tables of usage, and what is made of both."""

import json
import random
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.helpers import PROJECT, document, zephyrun
from zephyrun.facts import ContextSort
from zephyrun.findings import survey_source
from zephyrun.findings.naming import answered, read_usage
from zephyrun.languages.python import parse
from zephyrun.languages.python.contexts import read_contexts
from zephyrun.naming.candidates import derived_names
from zephyrun.naming.file_usage import FileUsage, UsageOfFiles, unpacked, usage_of
from zephyrun.naming.letters import expansions, fit_of, skeleton, telling_letters
from zephyrun.naming.offers import Derived
from zephyrun.naming.questions import Question, Sort, ask
from zephyrun.naming.ranking import PARTS, trained_weights
from zephyrun.naming.usage import ProjectUsage, Row, ShippedUsage, shipped_usage, write_table
from zephyrun.proof.remains import Surroundings

sys.path.insert(0, str(PROJECT / "benchmarks" / "names"))
import masking

CONTEXTS = {
    "call": ("w = hive.read_scale(3)", {("from call", "read_scale"), ("from call on", "read_scale@hive")}),
    "attribute": ("w = hive.weight", {("from attribute", "weight")}),
    "key": ("w = row['kg']", {("from key", "kg")}),
    "key with a default": ("w = row.get('kg', 0)", {("from call", "get"), ("from key", "kg"), ("from call on", "get@row")}),
    "element": ("w = hives[0]", {("item of", "hives")}),
    "slice": ("w = hives[1:]", {("all of", "hives")}),
    "count": ("w = len(hives)", {("from call", "len"), ("from call on", "len:hives")}),
    "sum": ("w = kg + tare", {("from operator", "Add"), ("from operator", "Add<kg"), ("from operator", "Add>tare")}),
    "test": ("w = kg > 3", {("from test", "Gt")}),
    "asked of something": ("w = hive in hives", {("from test", "In"), ("from test", "In:hive")}),
    "of each": ("w = max(hive.kg for hive in hives)", {("from call", "max"), ("from call on", "max:kg")}),
    "made from each": ("w = set(hive.kg for hive in hives)", {("from call", "set"), ("each", "kg"), ("all of", "hives")}),
    "a mapping of each": (
        "w = {hive.no: hive.kg for hive in hives}",
        {("from literal", "DictComp"), ("each", "kg"), ("each", "no@kg"), ("all of", "hives")},
    ),
    "a mapping by who knows what": (
        "w = {hive or 3: hive.kg for hive in hives}",
        {("from literal", "DictComp"), ("each", "kg"), ("all of", "hives")},
    ),
    "number": ("w = 0", {("from literal", "=0")}),
    "list": ("w = []", {("from literal", "List()")}),
    "comprehension": ("w = [hive.kg for hive in hives]", {("from literal", "ListComp"), ("each", "kg"), ("all of", "hives")}),
    "one of two": ("w, kg = read()", {("part of", "read():0/2")}),
    "one by one": ("w, kg = hive.weight, 3", {("from attribute", "weight")}),
    "loop": ("for w in hives: pass", {("element of", "hives")}),
    "numbered loop": ("for w, hive in enumerate(hives): pass", {("element of call", "enumerate:0")}),
    "paired loop": ("for hive, w in zip(hives, weights): pass", {("element of", "weights")}),
    "loop over a mapping": ("for hive, w in hives.items(): pass", {("element of call", "items:1/2"), ("element of", "value@hives")}),
    "loop over a call": ("for w in read(): pass", {("element of call", "read:0/1")}),
    "opened": ("with scale.open() as w: pass", {("with", "open()"), ("from call", "open"), ("from call on", "open@scale")}),
    "caught": ("try: pass\n    except OSError as w: pass", {("caught", "OSError")}),
    "argument": ("log(3, w)", {("argument", "log:1")}),
    "keyword": ("log(kg=w)", {("keyword", "kg")}),
    "stored": ("hive.kg = w", {("stored", "kg")}),
    "stored in a mapping": ("log({'kg': w})", {("stored", "kg")}),
    "put into": ("weights.append(w)", {("argument", "append:0"), ("put into", "append@weights")}),
    "asked": ("if w: pass", {("asked", "if")}),
    "attribute read": ("log(w.kg)", {("attribute", "kg")}),
    "key read": ("log(w['kg'])", {("key", "kg")}),
    "compared": ("log(w > limit)", {("compared", "Gt:limit"), ("compared", "Gt")}),
    "returned": ("return w", {("returned", "f")}),
    "shown": ("log(f'net: {w}')", {("shown", "net")}),
    "checked": ("isinstance(w, Hive)", {("is a", "Hive")}),
    "annotated": ("w: Hive = None", {("annotated", "Hive"), ("from literal", "=None")}),
}


def _contexts(parsed):
    return [each for contexts in read_contexts(parsed).by_binding.values() for each in contexts]


@pytest.mark.parametrize(("code", "expected"), CONTEXTS.values(), ids=CONTEXTS)
def test_contexts(code, expected):
    """What one line says of a variable, and nothing else."""
    parsed = parse(f"def f():\n    w = 7\n    {code}\n".encode())
    names = [each.name for each in parsed.facts.bindings]
    found = {(each.sort.value, each.name) for each in _contexts(parsed) if names[each.binding] == "w"}
    assert found - {("from literal", "=7")} == expected


def test_contexts_of_parameters():
    """Their place, their default, what is written about them, and who stands beside them."""
    code = '''def weigh(self, hive, w=None):
        """Weigh a hive.

        :param w: what it weighed before
        """
    '''
    parsed = parse(code.encode())
    names = [each.name for each in parsed.facts.bindings]
    found = {(each.sort, each.name) for each in _contexts(parsed) if names[each.binding] == "w"}
    assert found >= {
        (ContextSort.PARAMETER, "weigh:1"),
        (ContextSort.DEFAULT, "=None"),
        (ContextSort.BESIDE, "hive"),
        (ContextSort.DESCRIBED, "weighed"),
    }


def test_a_context_knows_whose_name_it_mentions():
    """So that nothing is learned from a name that is itself no good."""
    parsed = parse(b"def f(h):\n    w = h\n    for k in w:\n        log(k)\n")
    bindings = parsed.facts.bindings
    mentioned = {
        (bindings[each.binding].name, bindings[each.other].name)
        for each in _contexts(parsed)
        if each.other >= 0
    }
    assert mentioned == {("w", "h"), ("h", "w"), ("k", "w"), ("w", "k"), ("f", "h")}


def test_contexts_of_every_sort_of_code():
    """Patterns, handlers of groups, aliases: whatever stands in it."""
    code = (
        "from a import b as c\nmatch x:\n    case Hive(weight=3, queen=q), {'k': v, **rest}, [1, *r] | Hive.NONE as y:\n"
        "        log(q, v)\ntry:\n    go()\nexcept* OSError as e:\n    log(e)\nasync def f(*a, **k):\n    global g\n"
        "    async with a as b:\n        return [w async for w in b], f'{b!r:{k}}'\n"
    )
    parsed = parse(code.encode())
    found = {parsed.facts.bindings[each].name for each in read_contexts(parsed).by_binding}
    assert {"q", "v", "e", "a", "b", "w", "f"} <= found


# -- tables ------------------------------------------------------------------------------------

NAMES = st.text("abcdeß", min_size=1, max_size=6)
KEYS = st.integers(0, 2**32 - 1)
ROWS = st.dictionaries(KEYS, st.dictionaries(NAMES, st.integers(1, 400).map(lambda eighths: eighths / 8), min_size=1), max_size=12)


@given(ROWS)
def test_a_table_says_what_was_written(tmp_path_factory, rows):
    """Each row with its names and counts, to the eighth; unknown keys and names give nothing."""
    path = tmp_path_factory.mktemp("table") / "usage.table"
    names = {name: 1.0 for row in rows.values() for name in row}
    write_table(path, {key: Row(sum(row.values()), row) for key, row in rows.items()}, names, "made here")
    table = ShippedUsage(path)
    for key, row in rows.items():
        assert table.row(key) == Row(sum(row.values()), row)
    unknown = next(key for key in range(len(rows) + 1) if key not in rows)
    assert table.row(unknown).names == {}
    assert table.about == "made here"
    assert all(table.has(name) and table.share(name) > 0 for name in names) and not table.has("zzz")
    assert table.share("zzz") > 0


def test_a_file_that_is_no_table(tmp_path):
    """It is refused as one."""
    (tmp_path / "usage.table").write_bytes(b"hives" * 20)
    with pytest.raises(ValueError, match=r"usage\.table is no table of usage"):
        ShippedUsage(tmp_path / "usage.table")


def test_the_shipped_table():
    """It says what it was learned from, is small, and knows how the trade calls things."""
    table = shipped_usage()
    assert table.about.startswith("Python 3.")
    usage = usage_of(*_read("def f(path):\n    with open(path) as w:\n        return w.readlines()\n"))
    assert usage.names == ("path",)
    (answer,) = _suggested("def f(path):\n    ln = path.readlines()\n" + "    log(ln)\n" * 14 + "    return ln\n")
    assert answer == "lines"


def _read(code: str):
    parsed = parse(code.encode())
    return parsed.source, parsed.facts, read_contexts(parsed).by_binding


def test_weights_and_parts_fit():
    """Every part of a vector has its weight, so that training and asking mean the same."""
    for sort in Sort:
        assert len(trained_weights(sort)) == len(PARTS) == len(set(PARTS))
        assert sum(weight != 0 for weight in trained_weights(sort)) > len(PARTS) / 3


@given(st.lists(st.tuples(NAMES, st.integers(1, 9999), st.lists(KEYS, max_size=5)), max_size=8))
def test_a_files_usage_comes_back_from_its_bytes(variables):
    """Whatever it holds."""
    from array import array

    usage = FileUsage(
        tuple(name for name, _, _ in variables),
        array("I", [line for _, line, _ in variables]),
        array("I", [len(keys) for _, _, keys in variables]),
        array("I", [key for _, _, keys in variables for key in keys]),
    )
    assert unpacked(usage.packed()) == usage
    assert [(name, line, list(keys)) for name, line, keys in usage.variables()] == variables


@given(st.binary(max_size=60), st.integers(0, 200))
def test_what_is_no_usage_is_refused(noise, length):
    """A damaged cache costs time and nothing else."""
    whole = usage_of(*_read("def f(hives):\n    return hives\n")).packed()
    for damaged in (noise, whole[:length] + noise):
        if damaged != whole:
            with pytest.raises(ValueError):
                unpacked(damaged)


# -- the evaluation ----------------------------------------------------------------------------

# Six functions that call things alike; two are copies, and two are overloads of one name.
SEASON = """\
def weigh(scale, tare):
    weight = read_scale(scale)
    net_weight = weight - tare
    return net_weight


def weigh_again(scale, tare):
    weight = read_scale(scale)
    return weight - tare


def total(hives):
    weights = [weigh(hive.scale, hive.tare) for hive in hives]
    for weight in weights:
        log(weight)
    return sum(weights)


def total(hives, season):
    weights = [weigh(hive.scale, season.tare) for hive in hives]
    return sum(weights)
"""


@pytest.fixture
def package(tmp_path):
    """The functions, and a copy of one of them in another file."""
    (tmp_path / "season.py").write_text(SEASON)
    (tmp_path / "copy.py").write_text(SEASON.partition("\n\n\n")[0] + "\n")
    return tmp_path


def test_what_is_hidden_has_no_say(package):
    """The table of a hidden name is that of the project without its function, copies and namesakes, counted anew;
    no context mentions a name that is hidden."""
    files = masking.read_package(package)
    n_asked = 0
    for hidden in masking.hidden_names(package, 99):
        n_asked += 1
        spoken = {each.name for each in hidden.case.features if each.sort in ("from variable", "becomes", "element of")}
        if hidden.setting == "nothing to go by":
            assert not any(hidden.project.row(each.key).names for each in hidden.case.features)
            continue
        masked = {hidden.answer} if hidden.setting != "all masked" else {"weight", "net_weight", "weights", "scale", "hives"}
        assert not spoken & masked or hidden.setting == "short form"
        left = ProjectUsage()
        for file in files:
            for binding in sorted(file.good):
                function = file.facts.scopes[masking.function_of(file.facts, binding)].name
                if function != hidden.case.function:
                    masking.count(left, file, binding)
        for feature in hidden.case.features:
            assert hidden.project.row(feature.key) == left.row(feature.key)
            assert sorted(hidden.project.telling(feature.key)) == sorted(left.telling(feature.key))
        assert hidden.project.share(hidden.answer) == left.share(hidden.answer)
        assert hidden.project.has(hidden.answer) == left.has(hidden.answer)
    assert n_asked > 30


@given(st.sampled_from(["net_weight", "hive", "apiary_name", "temperature_mean"]), st.integers(0, 10**6))
def test_short_forms_are_short(name, seed):
    """And but for a letter that was just free, their letters stand in the name in their order."""
    short = masking.short_form(name, random.Random(seed))
    assert 0 < len(short) <= len(name)
    fit = fit_of(short, name)
    assert len(short) == 1 or fit.keeps_letters


# -- letters -----------------------------------------------------------------------------------


def test_letters():
    """What short forms stand for, and what says nothing."""
    assert skeleton("weight") == "wght" and skeleton("apiary") == "apry" and skeleton("grass") == "grs"
    assert [telling_letters(each) for each in ("x1", "tmp2", "v17_", "wt", "hv2", "_w")] == ["", "", "", "wt", "hv2", "w"]
    assert fit_of("wght", "weight").is_skeleton and not fit_of("wght", "height").keeps_letters
    assert fit_of("hv_cnt", "hive_count").matches_words
    assert fit_of("nb", "net_balance").has_initials
    assert fit_of("w", "weight").has_initial and fit_of("w", "net_weight").has_last_initial
    assert fit_of("q", "weight").departs
    words = {"hive": 2.0, "count": 3.0, "content": 1.0, "have": 0.1}
    assert expansions("hv_cnt", words, 3)[0] == "hive_count"
    assert expansions("hive_cnt", words, 3)[0] == "hive_count"


# -- suggestions -------------------------------------------------------------------------------


def _findings(files: dict[str, str]):
    surveys = [
        survey_source(path, code.encode(), Surroundings(path.removesuffix(".py")), ["cryptic-name"])
        for path, code in files.items()
    ]
    return [each for survey in answered(surveys, {each.path: each.usage for each in surveys}) for each in survey.findings]


def _suggested(code: str) -> list[str]:
    return [each.suggestions[0].text if each.suggestions else "" for each in _findings({"hives.py": code})]


DERIVED = {
    "one of them": ("max(hive.weight for hive in hives)", {"max_weight", "weight"}, set()),
    "all together": ("sum(weights)", {"total_weight"}, {"weight"}),
    "a mean": ("statistics.fmean(weights)", {"mean_weight"}, {"weight"}),
    "whether any": ("any(hive.queen for hive in hives)", {"any_queen", "has_queen"}, set()),
    "whether it is one": ("hive in hives", {"has_hive"}, set()),
    "whether there is none": ("not hives", {"no_hives"}, set()),
    "in one text": ("', '.join(hive.name for hive in hives)", {"names"}, {"name"}),
    "many": ("[read_weight(hive) for hive in hives]", {"weights"}, {"weight"}),
    "a mapping": ("{hive.number: hive.weight for hive in hives}", {"weight_by_number", "weights"}, {"weight"}),
    "how many": ("len(hives)", {"hive_count", "n_hives"}, {"hives"}),
}


@pytest.mark.parametrize(("code", "among", "not_among"), DERIVED.values(), ids=DERIVED)
def test_names_that_the_code_itself_says(code, among, not_among):
    """With number and modifier kept: a mean is no weight, and many are no one."""
    parsed = parse(f"def f(hives, weights, hive):\n    w = {code}\n    return 3\n".encode())
    binding = next(number for number, each in enumerate(parsed.facts.bindings) if each.name == "w")
    contexts = read_contexts(parsed).by_binding
    question = ask(parsed.source, parsed.facts, binding, contexts, frozenset(), "w", "")
    found = {each.text for each in derived_names(question.case, ProjectUsage())}
    assert found >= among and not found & not_among


def test_the_project_says_how_it_calls_things():
    """In other files, with how often and where."""
    others = "".join(
        f"def f{number}(scale):\n    net_weight = read_scale(scale)\n    log(net_weight)\n\n\n" for number in range(6)
    )
    other = "def g(scale):\n    weight = read_scale(scale)\n    log(weight)\n"
    asked = "def h(scale):\n    w = read_scale(scale)\n" + "    log(w)\n" * 4
    (finding,) = _findings({"readings.py": others, "more.py": other, "asked.py": asked})
    best = finding.suggestions[0]
    assert best.text == "net_weight" and best.score > 0.4
    assert "6 of 7 variables assigned from read_scale() are called so here, as in readings.py:2" in best.evidence


def test_what_a_value_is_passed_to_gives_it_a_name():
    """Across files, with the place."""
    other = "def record_weight(hive, gross_weight):\n    log(hive, gross_weight)\n"
    callers = "".join(
        f"def weigh{number}(hive, gross_weight):\n    record_weight(hive, gross_weight)\n\n\n" for number in range(4)
    )
    asked = "def f(hive):\n    gw = hive()\n" + "    record_weight(hive, gw)\n" * 14
    (finding,) = _findings({"log.py": other, "callers.py": callers, "asked.py": asked})
    assert finding.suggestions[0].text == "gross_weight"
    evidence = "4 of 4 variables passed to record_weight() as its second argument are called so here, as in callers.py:1"
    assert evidence in finding.suggestions[0].evidence


def test_a_moment_is_a_date():
    """What the library calls otherwise, and letters that hardly anybody means otherwise."""
    code = "def f(row):\n    dt = datetime.strptime(row[0], '%Y-%m-%d')\n" + "    log(dt)\n" * 16
    assert _suggested(code) == ["date"]
    assert fit_of("dt", "date").keeps_letters and not fit_of("dt", "data").keeps_letters


def test_names_of_a_function_are_chosen_together():
    """No two get one name, the surer chooses, and what one is called tells of the other."""
    code = "def f(hive):\n    a = hive.weight\n    w = hive.weight\n" + "    log()\n" * 14 + "    return a + w\n"
    by_name = {each.subject: each for each in _findings({"hives.py": code})}
    assert by_name["w"].suggestions[0].text == "weight"
    assert "a" not in by_name or "weight" not in [each.text for each in by_name["a"].suggestions]
    chain = "def f(row):\n    hs = row['hives']\n    for h in hs:\n" + "        log(h)\n" * 4 + "    return hs\n"
    by_name = {each.subject: each for each in _findings({"hives.py": chain})}
    assert by_name["hs"].suggestions[0].text == "hives"
    assert by_name["h"].suggestions[0].text == "hive"
    assert "one of hs, where hs is hives" in by_name["h"].suggestions[0].evidence


def test_numbered_things_keep_their_numbers():
    """One of them without would be told apart from the rest."""
    code = "def f():\n    L1, L2 = Label(), Label()\n    return [L1, L2, L1]\n"
    assert {each.subject: each.suggestions[0].text for each in _findings({"hives.py": code})} == {"L1": "label1", "L2": "label2"}
    alone = "def f():\n    L1 = Label()\n    return [L1, L1]\n"
    assert [each.suggestions[0].text for each in _findings({"hives.py": alone})] == ["label"]


def test_a_name_is_no_evidence_for_itself():
    """`kg = float(kg)` says nothing of what else it could be called."""
    code = "def f(row):\n    t = row['temperature']\n    t = float(t)\n    row['temperature'] = t\n    return t\n"
    (finding,) = _findings({"hives.py": code})
    assert finding.suggestions[0].text == "temperature"
    assert not any("where t is" in each for each in finding.suggestions[0].evidence)


def test_what_loops_is_one_and_no_collection():
    """A name in the plural is none for one thing."""
    code = "def f(scale):\n    for r in scale.read_rows():\n" + "        log(r)\n" * 4
    (finding,) = _findings({"hives.py": code})
    assert [each.text for each in finding.suggestions][0] == "row"
    assert "rows" not in [each.text for each in finding.suggestions]


def test_questions_are_kept_as_plain_data():
    """What the cache gives back is what was asked."""
    code = "def f(hives):\n    hs = hives()  # the hives\n    log()\n    for h in hs:\n" + "        log(h)\n" * 7
    survey = survey_source("hives.py", code.encode(), Surroundings(), ["cryptic-name"])
    questions = [each.question for each in survey.findings]
    assert sorted(each.case.sort for each in questions) == ["function", "variable", "variable"]
    twins = survey_source("hives.py", b"def f():\n    obj_store = 3\n    return obj_store\n", Surroundings(), ["muddled-names"])
    questions += [each.question for each in twins.findings]
    assert questions[-1].wanted.twins == ("object_store",)
    for question in (*questions, questions[0].with_offers([Derived("hives", "advised", "so they say")])):
        assert Question.from_row(json.loads(json.dumps(question.as_row()))) == question


def test_rows_are_counted_when_they_are_asked_for():
    """And once, however often that is."""
    usage = UsageOfFiles({"a.py": read_usage(b"def f(scale):\n    weight = read_scale(scale)\n    return weight\n")})
    (key,) = [key for _, _, keys in usage._files["a.py"].variables() for key in keys if key == _key("from call", "read_scale")]
    assert usage.row(key).names == {}
    usage.want([key])
    usage.want([key])
    assert usage.row(key) == Row(1, {"weight": 1})
    assert usage.place(key, "weight") == ("a.py", 2)


def _key(sort: str, name: str) -> int:
    from zephyrun.naming.features import feature_key

    return feature_key(sort, name)


# -- the command -------------------------------------------------------------------------------

LOG = "def read_weights(rows):\n    for row in rows:\n        w = row['net_weight']\n        log(w)\n        log(w)\n"


def _project(folder, **files: str) -> None:
    (folder / "hive").mkdir()
    (folder / "pyproject.toml").write_text("")
    for name, code in files.items():
        (folder / "hive" / f"{name}.py").write_text(code)


def test_names_for_one_variable(tmp_path):
    """Pointed at anywhere; as text with the next step, and as JSON."""
    _project(tmp_path, log=LOG)
    for place in ("3:9", "4:13"):
        shown = zephyrun("names", f"hive/log.py:{place}", cwd=tmp_path)
        assert "net_weight  assigned from row['net_weight']" in shown.stdout
        assert "next: zephyrun rename hive/log.py:3:9 " in shown.stdout
    said = document("names", "hive/log.py:5:13", cwd=tmp_path)
    assert said["schema"] == "zephyrun.names/1"
    assert (said["path"], said["line"], said["column"]) == ("hive/log.py", 3, 9)
    assert (said["subject"], said["scope"]) == ("w", "read_weights")
    assert {"text", "score", "evidence"} == set(said["suggestions"][0])
    assert "net_weight" in [each["text"] for each in said["suggestions"]]


SCALE = """\
class Scale:
    def read(self, line):
        self.kg = line.total
        self.tr = float(line.tare)
        return _prs_ln(self.kg - self.tr)


def _prs_ln(line):
    '''Parse a line that the scale has written.'''
    return line.strip()
"""


def test_what_a_parameter_gets_gives_it_a_name(tmp_path):
    """However many common names would stand beside those that are chosen for the others."""
    code = (
        "def record(h, w, d):\n    if w > 0:\n        KEPT[h] = w, d\n    print(h, w, d)\n\n\n"
        "def visit(hive):\n    weight = read_scale(hive)\n    for day in load_days():\n        record(hive, weight, day)\n\n\n"
        "def visit_all(hives):\n    for hive in hives:\n        weight = read_scale(hive)\n        record(hive, weight, 'today')\n"
    )
    _project(tmp_path, record=code)
    said = [document("names", f"hive/record.py:1:{column}", cwd=tmp_path)["suggestions"] for column in (12, 15, 18)]
    assert [each[0]["text"] if each else "" for each in said] == ["hive", "weight", "day"]


def test_names_of_functions_and_attributes(tmp_path):
    """What they are called elsewhere, or what their code and documentation say."""
    _project(tmp_path, scale=SCALE)
    attribute = zephyrun("names", "hive/scale.py:5:39", cwd=tmp_path).stdout
    assert attribute.startswith("tr in Scale, hive/scale.py:4:14") and "tare  assigned from float(line.tare)" in attribute
    function = zephyrun("names", "hive/scale.py:5:17", cwd=tmp_path).stdout
    assert "parse_line  " in function and "described as “parse a line" in function


NOT_NAMED = {
    "its own object": ("hive/scale.py:3:9", 1, "`self` is a name that the language gives a meaning"),
    "an attribute of something": ("hive/scale.py:3:25", 1, "`total` is none of those here; names are known for variables"),
    "nothing": ("hive/log.py:3:1", 1, "no name stands there"),
    "a builtin": ("hive/log.py:4:9", 1, "`log` is not of this file"),
    "a line too many": ("hive/log.py:99:1", 2, "the file has"),
    "a column too many": ("hive/log.py:3:99", 2, "line 3 has 29 columns, counted from 1"),
    "no column": ("hive/log.py:3:0", 2, "line 3 has 29 columns, counted from 1"),
    "no position": ("hive/log.py", 2, "give path:line:column"),
    "no file": ("hive/none.py:1:1", 2, "is no file"),
    "no Python": ("hive/old.py:1:1", 2, "cannot be read as Python"),
}


@pytest.mark.parametrize(("target", "code", "said"), NOT_NAMED.values(), ids=NOT_NAMED)
def test_what_has_no_names(tmp_path, target, code, said):
    """One sentence, and the exit code of the contract."""
    _project(tmp_path, log=LOG, old="print 3\n", scale=SCALE)
    refused = zephyrun("names", target, cwd=tmp_path, code=code)
    assert said in refused.stderr and len(refused.stderr.splitlines()) == 1
