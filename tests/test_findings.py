"""What is found, what is left in peace, and what is suggested on what evidence."""

import pytest

from zephyrun.findings import KINDS, Remedy, survey_source
from zephyrun.findings.naming import answered
from zephyrun.naming.words import keeps_letters, plural, singular, split_name
from zephyrun.proof.remains import Surroundings


def found(code: str, kind: str = "cryptic-name"):
    """The findings of one kind in a source."""
    survey = survey_source("hive/log.py", code.encode(), Surroundings("hive.log"), [kind])
    assert not survey.unread
    (survey,) = answered([survey], {survey.path: survey.usage} if survey.usage is not None else {})
    return survey.findings


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.name)
def test_the_table_of_kinds_tells_the_truth(kind):
    """Each kind is found in its own example, and not in the better version of it."""
    (finding,) = found(kind.before, kind.name)
    assert finding.weight > 0 and finding.message.endswith(".")
    assert found(kind.after, kind.name) == ()


CRYPTIC = {
    "letter": ("def f(h):\n    w = h.weight\n" + "    log(w)\n" * 14 + "    return w\n", ["w"]),
    "letter at a glance": ("def f(h):\n    w = h.read()\n    return w + w\n", []),
    "skeleton": ("def f(h):\n    wght = h.weight\n    return wght\n", ["wght"]),
    "numbered": ("def f(h):\n    x1 = h.weight\n    return x1\n", ["x1"]),
    "lambda": ("def f(h):\n    w = lambda: h.weight\n" + "    log(w)\n" * 14 + "    return w\n", ["w"]),
    "over few lines, and nobody knows a better one": ("def f(h):\n    w = h()\n    return w\n", []),
    "plain word": ("def f(h):\n    weight = h.weight\n    return weight\n", []),
    "parameter": ("def f(w):\n    return w\n", []),
    "module level": ("w = 3\nprint(w)\n", []),
    "class body": ("class Hive:\n    w = 3\n", []),
    "index": ("def f(hives):\n    for i in range(3):\n        log(hives[i])\n", []),
    "index far away": ("def f(hives):\n    i = 0\n" + "    log(hives)\n" * 40 + "    return i\n", ["i"]),
    "coordinates": ("def f(p):\n    x, y = p\n    return x * y\n", []),
    "one coordinate": ("def f(p):\n    x = p.weight\n" + "    log(x)\n" * 14 + "    return x * p.x\n", ["x"]),
    "error": ("def f(p):\n    try:\n        p()\n    except OSError as e:\n        log(e)\n", []),
    "file": ("def f(p):\n    with open(p) as f:\n        return f.read()\n", []),
    "comprehension": ("def f(hives):\n    return [h.weight for h in hives]\n", []),
    "underscore": ("def f(hives):\n    for _ in hives:\n        log()\n", []),
    "trade": ("def f(rows):\n    df = table(rows)\n    return df\n", []),
    "import": ("def f(rows):\n    import numpy as q\n    return q\n", []),
}


@pytest.mark.parametrize(("code", "names"), CRYPTIC.values(), ids=CRYPTIC)
def test_cryptic_names(code, names):
    """Names that say nothing are found; what the trade reads at sight is not."""
    assert [each.subject for each in found(code)] == names


# A letter is let alone where it is read at a glance.
_BETWEEN = "\n" + "    log()\n" * 14
SUGGESTED = {
    "attribute": (f"w = h.weight{_BETWEEN}    return w", "weight", "assigned from h.weight"),
    "key": (f"w = h['net_weight']{_BETWEEN}    return w", "net_weight", "assigned from h['net_weight']"),
    "getter": ("ed = h.get_elapsed_days()\n    return ed", "elapsed_days", "assigned from h.get_elapsed_days()"),
    "loop": ("for r in h.readings:\n        log(r)" + "\n        log()" * 14 + "\n        log(r)", "reading", "one of h.readings"),
    "comment": (f"q = h()  # honey yield{_BETWEEN}    return q", "honey_yield", "its comment says # honey yield"),
    "keyword": (f"q = h(){_BETWEEN}    log(syrup=q)", "syrup", "passed as syrup="),
    "stored": (f"q = h(){_BETWEEN}    h.syrup = q", "syrup", "stored as syrup"),
    "counter": (f"hc = len(h.hives){_BETWEEN}    return hc", "hive_count", "assigned from len(h.hives)"),
}


@pytest.mark.parametrize(("body", "name", "evidence"), SUGGESTED.values(), ids=SUGGESTED)
def test_suggestions_come_with_their_evidence(body, name, evidence):
    """The first suggestion and the reason for it."""
    (finding,) = found(f"def f(h):\n    {body}\n")
    best = finding.suggestions[0]
    assert best.text == name
    assert any(evidence in each for each in best.evidence)
    assert 0 < best.score < 1


def test_parameters_give_names_to_arguments():
    """What a value is passed to, in a function of the same file."""
    (finding,) = found("def feed(syrup, amount): ...\ndef f(h):\n    amt = h()\n    feed(h, amt)\n")
    assert finding.suggestions[0].text == "amount"
    assert "passed to feed(amount=…) in hive/log.py:1" in finding.suggestions[0].evidence


def test_no_suggestion_is_taken_already():
    """Not a name of the function, of the module, a builtin or a keyword, nor one promised twice."""
    code = (
        "weight = 3\ndef f(h, hives):\n    w = h.weight\n    t = h.type\n    g = h.gain\n    a = h.gain\n"
        "    k = h.hives\n    return w, t, a, g, k\n"
    )
    suggested = {each.subject: [one.text for one in each.suggestions] for each in found(code)}
    texts = [text for names in suggested.values() for text in names]
    assert texts.count("gain") == 1 and not {"weight", "type", "hives"} & set(texts)


def test_remedies():
    """Safe; a person's word needed, and for what; only told, and why."""
    safe, review, none = (
        found(f"def f(h):\n    w = h.weight\n    return {after}\n")[0]
        for after in ("w", "h.show(locals()), w", "f'{w=}'")
    )
    assert (safe.remedy, safe.confirm) == (Remedy.SAFE, ())
    assert review.remedy is Remedy.REVIEW
    assert review.confirm == ("nothing looks up `w` of f by name through locals()",)
    assert review.confirm[0] in review.message
    assert none.remedy is Remedy.NONE and "{w=}" in none.message


def test_an_id_stays_when_lines_move():
    """Also two of one name in one scope keep apart."""
    code = "def f(h):\n    w = [\n w +\n 1\n" + "\n" * 14 + " for w\n in h]\n    return w\n"
    before = {each.ordinal: each.id for each in found(code)}
    after = {each.ordinal: each.id for each in found("import os\n\n\n" + code)}
    assert before == after and len(before) == len(set(before.values())) == 2
    other = survey_source("hive/other.py", code.encode(), Surroundings("hive.other"), ["cryptic-name"])
    assert not {each.id for each in other.findings} & set(before.values())


ECHOES = [
    "hives += 1  # increment hives",
    "# loop over the hives\nfor hive in hives:\n    pass",
    "# return the weight\nreturn weight",
    "weight = hive.weight  # set weight",
    "# open the file\nwith open(path) as file:\n    pass",
    "# check if weight is None\nif weight is None:\n    pass",
]
KEPT = [
    "hives += 1  # the queen is counted too",
    "hives += 1  # increment hives because the log starts at zero",
    "hives += 1  # TODO increment hives",
    "weight = 3  # kg",
    "weight = hive.weight  # in kg, without the lid",
    "# --- weights ---\nweight = hive.weight",
    "# weights\nweight = hive.weight\ngain = hive.gain\nloss = hive.loss",
    "# weight = hive.weight\nlog(weight)",
    "# first the hive\n# then the weight\nweight = hive.weight",
    "weight = hive.weight  # type: ignore",
    "weight = hive.weight  # scales: no-check",
    "hives += 1    # the inspected\n             # hives\nweight = 3",
    "weight = hive.weight    # weight\ngain = hive.gain        # gain",
    "##### set the weight\nweight = 3",
    "rows = [\n    hive,  # hive\n]",
    "weight = hive.weight  # poids de la ruche",
    "hives += 1  # increment hives?",
]


@pytest.mark.parametrize("code", ECHOES)
def test_echoes(code):
    """A comment in which every word is in the code."""
    assert len(found(f"def f(path, hives, weight, hive):\n    {indented(code)}\n", "echo-comment")) == 1


@pytest.mark.parametrize("code", KEPT)
def test_comments_that_stay(code):
    """Reasons, units, headings, doubts, disabled code and instructions to other programs."""
    assert found(f"def f(path, hives, weight, hive):\n    {indented(code)}\n", "echo-comment") == ()


def indented(code: str) -> str:
    """Code for the body of a function."""
    return code.replace("\n", "\n    ")


def test_words():
    """Names cut into words, and their numbers."""
    assert split_name("usrCnt2_HTTPServer") == ["usr", "cnt", "2", "http", "server"]
    assert [singular(word) for word in ("hives", "boxes", "bees", "net_weights", "status", "glass", "series")] == [
        "hive", "box", "bee", "net_weight", "", "", "",
    ]
    assert [plural(word) for word in ("hive", "box", "query", "day", "weights")] == [
        "hives", "boxes", "queries", "days", "weights",
    ]
    assert keeps_letters("wght", "weight") and not keeps_letters("wg", "gewicht")


def test_broken_files_are_told_and_not_judged():
    """One phrase with the line."""
    survey = survey_source("old.py", b"print 'hives'\n", Surroundings(), list(KINDS))
    assert survey.findings == () and survey.unread.startswith("line 1: ")


MAGIC = {
    "operand": ("return hive.gain * 365", ["365"]),
    "compared": ("return hive.weight > 18.5", ["18.5"]),
    "returned": ("return 42", ["42"]),
    "positional argument": ("wait(hive, 45)", ["45"]),
    "negative": ("return hive.gain < -5", ["5"]),
    "slice": ("return hive.name[:30]", ["30"]),
    "inside a format": ("return f'{hive.gain * 365:>8}'", ["365"]),
    "plain numbers": ("return hive.gain * 2 + 1 - 0.5 * (hive.rank - 1) / 2.0", []),
    "true is not one": ("return hive.open == True", []),
    "keyword": ("wait(hive, seconds=45)", []),
    "assigned": ("seconds = 45\n    return seconds", []),
    "default": ("return lambda seconds=45: seconds", []),
    "table": ("return [18, 24, 36], {'queen': 16, 24: 'drone'}", []),
    "index": ("return hive[4]", []),
    "from the end": ("return hive.name[:-4]", []),
    "pattern": ("match hive:\n        case 365: pass", []),
    "mask": ("return hive.flags & 0xFF", []),
    "a line of signs": ("return '-' * 40", []),
    "per cent": ("return hive.share * 100", []),
    "rounding": ("return round(hive.weight, 3)", []),
    "annotation": ("frames: Literal[10] = hive.frames", []),
}


@pytest.mark.parametrize(("body", "numbers"), MAGIC.values(), ids=MAGIC)
def test_magic_numbers(body, numbers):
    """Numbers that stand for something are found; those that something beside them explains are not."""
    assert [each.subject for each in found(f"def f(hive):\n    {body}\n", "magic-number")] == numbers


def test_numbers_at_the_top_and_in_tests_are_examples():
    """A module's own tables, its constants, and whatever stands in a test."""
    assert found("SECONDS = 60 * 60\nLIMITS = [18, 24]\nclass Hive:\n    frames = 5 * 2\n", "magic-number") == ()
    code = b"def test_gain():\n    assert gain(45) == 365\n"
    for path in ("tests/hive.py", "hive/test_log.py"):
        assert survey_source(path, code, Surroundings(), ["magic-number"]).findings == ()


@pytest.mark.parametrize(
    ("body", "name", "evidence"),
    [
        ("return hive.daily_yield * 365", "DAYS_PER_YEAR", "365 beside daily"),
        ("return hive.weight * 2.20462", "POUNDS_PER_KG", "2.20462 beside weight"),
        ("return hive.gain * 0.8  # share of the keeper", "SHARE_KEEPER", "its comment says # share of the keeper"),
        ("return hive.gain * 14  # grams per frame", "GRAMS_PER_FRAME", "its comment says # grams per frame"),
        ("sleep(45)", "SLEEP_SECONDS", "sleep takes seconds"),
        ("feed(hive, 18)", "FEED_SYRUP", "passed to feed as syrup"),
        ("return hive.weight > 18", "WEIGHT_LIMIT", "a limit of weight"),
    ],
)
def test_names_for_numbers_come_with_their_evidence(body, name, evidence):
    """The comment, numbers that the trade knows, parameters, callees, comparisons."""
    (finding,) = found(f"def feed(hive, syrup): ...\ndef f(hive):\n    {body}\n", "magic-number")
    assert (finding.suggestions[0].text, finding.suggestions[0].evidence) == (name, (evidence,))
    taken = found(f"{name} = 1\ndef feed(hive, syrup): ...\ndef f(hive):\n    {body}\n", "magic-number")
    assert name not in [each.text for each in taken[0].suggestions]


def test_a_module_whose_names_are_walked_needs_a_word():
    """One more name might be noticed."""
    (finding,) = found("def f(hive):\n    return hive.gain * 365, globals()\n", "magic-number")
    assert finding.remedy is Remedy.REVIEW
    assert finding.confirm == ("nothing that goes through the names of this module by globals() minds one more",)


DISABLED = [
    "# log(hive)\nreturn hive",
    "# if hive.queen is None:\n#     order_queen(hive)\nreturn hive",
    "# else:\n#     log(hive)\nreturn hive",
    "# weight = read_scale(hive)[0]\nreturn hive",
    "#print(hive.weight)\nreturn hive",
    "# import scales\nreturn hive",
    "# for frame in hive.frames:\n#     log(frame)\n#     frame.turn()\nreturn hive",
    "# return hive.weight * 2\nreturn hive",
]
PROSE = [
    "# return the hive\nreturn hive",
    "# the weight (in kg)\nreturn hive",
    "# weight = total - tare\nreturn hive",
    "# hives, frames, queens\nreturn hive",
    "# pass\nreturn hive",
    "# see harvest(hive)\nreturn hive",
    "# for example:\n# log(hive)\nreturn hive",
    "# such as\n\n# log(hive)\nreturn hive",
    "# type: ignore[call]\nreturn hive",
    "# e.g. weight = read(hive)\nreturn hive",
    "# log(hive) and wait\nreturn hive",
    "## log(hive)\nreturn hive",
    "# inspections (twice a week)\nreturn hive",
    "# >>> log(hive)\nreturn hive",
]


@pytest.mark.parametrize("code", DISABLED)
def test_disabled_code(code):
    """The whole run of lines is one finding, and a step deletes it."""
    (finding,) = found(f"def log(hive): ...\ndef f(hive):\n    {indented(code)}\n", "disabled-code")
    assert finding.subject.count("\n") == code.count("\n") - 1
    assert (finding.start.line, finding.end.line) == (3, 3 + finding.subject.count("\n"))


@pytest.mark.parametrize("code", PROSE)
def test_prose_that_looks_like_code(code):
    """Formulas, examples, words that happen to parse."""
    assert found(f"def log(hive): ...\ndef f(hive):\n    {indented(code)}\n", "disabled-code") == ()


FENCES = {
    "no fence": ("w = h.weight", "g = h.gain", "wg"),
    "line": ("w = h.weight  # zephyrun: leave", "g = h.gain", "g"),
    "line, with a reason": ("w = h.weight  # zephyrun: leave, as on paper", "g = h.gain", "g"),
    "block": ("# zephyrun: leave from here\n    w = h.weight\n    # zephyrun: leave to here", "g = h.gain", "g"),
    "to the end": ("w = h.weight\n    # zephyrun: leave from here", "g = h.gain", "w"),
    "file": ("w = h.weight", "g = h.gain  # zephyrun: leave file", ""),
    "something else": ("w = h.weight  # zephyrun: leaves", "g = h.gain", "wg"),
}


@pytest.mark.parametrize(("first", "second", "names"), FENCES.values(), ids=FENCES)
def test_fences(first, second, names):
    """A line, a block or a file is left as it is; the mark itself is never an echo."""
    code = f"def gains(h):\n    {first}\n    {second}\n    return w, g\n"
    assert sorted(each.subject for each in found(code)) == sorted(names)
    assert found(code, "echo-comment") == ()


def test_a_quoted_line_makes_every_kind_of_finding_wait_for_a_word():
    """Whatever would word a line otherwise that a test quotes is for a person to vouch for."""
    line = "    w = hive.weight * 7.3  # hive weight"
    code = f"def weigh(hive):\n{line}\n    check(w)\n    check(w)\n    check(w)\n    return w\n"
    quoted = frozenset({(line.strip(), "tests/test_hive.py")})
    survey = survey_source("hive/log.py", code.encode(), Surroundings("hive.log", quoted=quoted), list(KINDS))
    by_kind = {each.kind: each for each in survey.findings}
    assert by_kind.keys() >= {"cryptic-name", "magic-number"}
    for finding in survey.findings:
        assert finding.remedy == "review"
        assert "tests/test_hive.py quotes" in finding.confirm[0]
        assert finding.confirm[0] in finding.message


@pytest.mark.parametrize(
    ("reader", "kinds"),
    [
        ("TEXT = Path(__file__).read_text()", {"disabled-code", "magic-number", "uneven-spacing", "crammed-line"}),
        ("print(open('hive.py').read())", {"disabled-code", "magic-number", "uneven-spacing", "crammed-line"}),
        ("print(net.__code__.co_consts)", {"magic-number"}),
    ],
)
def test_who_reads_the_file_itself_or_its_code_makes_findings_wait_for_a_word(reader, kinds):
    """Such a reader sees what no other could."""
    code = f"def net(kg):\n    # kg = 3\n    # print(kg)\n    kg=kg - 37.5; return kg\n{reader}\n"
    survey = survey_source("hive.py", code.encode(), Surroundings("hive"), tuple(KINDS))
    assert {each.kind for each in survey.findings if each.confirm} == kinds
    assert all(each.remedy is not Remedy.SAFE for each in survey.findings if each.kind in kinds)
    plain = survey_source("hive.py", code.replace(reader, "print(net)").encode(), Surroundings("hive"), tuple(KINDS))
    assert not any(each.confirm for each in plain.findings)
