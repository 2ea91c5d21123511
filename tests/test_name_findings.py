"""Names that are vague, misleading, muddled, off style or masking: what is found, and what is left in peace."""

import pytest

from tests.helpers import document, zephyrun
from zephyrun.findings import survey_source
from zephyrun.findings.naming import answered
from zephyrun.layout.habits import CONVENTIONS
from zephyrun.naming.glossary import glossary_of
from zephyrun.naming.word_choices import WordChoices, words_in_text
from zephyrun.proof.remains import Surroundings


def found(kind, code, habits=CONVENTIONS, words=WordChoices()):
    """What one kind finds in a source: subjects and messages."""
    survey = survey_source("hive.py", code.encode(), Surroundings("hive"), [kind], habits, words)
    assert not survey.unread
    (survey,) = answered([survey], {survey.path: survey.usage} if survey.usage is not None else {})
    return {each.subject: each for each in survey.findings}


def function(*lines):
    """A function of these statements."""
    return "def f(hive, hives):\n" + "".join(f"    {line}\n" for line in lines)


def getter(*lines):
    """A getter that does this before it gives something."""
    return "class Hive:\n    def get_weight(self):\n" + "".join(f"        {line}\n" for line in lines) + "        return 4\n"


MISLEADING = {
    "a getter that gives nothing": ("def get_weight(hive):\n    hive.kg = 3\n", "gives nothing"),
    "a getter": ("def get_weight(hive):\n    return hive.kg\n", ""),
    "a getter to be written": ("def get_weight(hive):\n    raise NotImplementedError\n", ""),
    "a getter that has none": ('def get_weight(hive):\n    """None."""\n    return None\n', ""),
    "a getter of a base": ("def get_weight(hive):\n    pass\n", ""),
    "a generator": ("def get_weights(hives):\n    yield from hives\n", ""),
    "a getter that others wrap": ("@hook\ndef get_weight(hive):\n    hive.kg = 3\n", ""),
    "a getter whose inner function gives": ("def get_weight(hive):\n    def inner():\n        return 3\n    hive.kg = inner\n", "gives nothing"),
    "yes or no": ("def is_full(hive):\n    return hive.kg > 3\n", ""),
    "a number for yes or no": ("def is_full(hive):\n    return hive.kg + 3\n", "neither"),
    "who knows what for yes or no": ("def is_full(hive):\n    return hive.full\n", ""),
    "no answer": ("def has_queen(hive):\n    hive.look()\n", "gives no answer"),
    "a check that answers": ("def check_queen(hive):\n    return hive.queen is not None\n", "which of the two"),
    "a check that complains": ("def check_queen(hive):\n    if not hive.queen:\n        raise ValueError\n", ""),
    "a list that is a mapping": (function("hive_list = {}", "return hive_list"), "calls itself a list, and is a dict"),
    "a list": (function("hive_list = []", "return hive_list"), ""),
    "a list by and by": (function("hive_list = {}", "hive_list = list(hive_list)"), ""),
    "a set of a version": (function("version_set = True", "return version_set"), ""),
    "from a list": (function("from_list = {}", "return from_list"), ""),
    "a mapping for yes or no": (function("is_full = {}", "return is_full"), "asks yes or no, and holds a dict"),
    "perhaps yes or no": (function("is_full = None", "is_full = hive.full"), ""),
    "units": (function("weight_kg = hive.weight_lb", "return weight_kg"), "one of the two units is wrong"),
    "units that go on": (function("wait_ms = 3", "hive.rest(timeout_seconds=wait_ms)"), "goes to `timeout_seconds`"),
    "units that are reckoned": (function("weight_kg = hive.weight_lb * 0.45", "return weight_kg"), ""),
    "units of other sorts": (function("weight_kg = hive.age_days", "return weight_kg"), ""),
    "one unit": (function("wait_seconds = hive.wait_sec", "return wait_seconds"), ""),
    "denied twice": (function("not_full = hive.kg < 3", "if not not_full:", "    return 3"), "denies twice"),
    "denied once": (function("not_full = hive.kg < 3", "if not_full:", "    return 3"), ""),
    "a getter that changes something": (getter("self.visits = 3"), "only looked, and sets `visits`"),
    "a getter that keeps what it gives": (getter("self.weight = 3"), ""),
    "a getter that keeps something for itself": (getter("self._latest = 3"), ""),
    "a getter that sets up what it gives": (getter("hive = Hive()", "hive.visits = 3"), ""),
    "a getter that deletes": (getter("self.log.unlink()"), "also calls `unlink()`"),
    "a getter that complains": ("def get_weight(hive):\n    if hive:\n        log()\n    raise OSError\n", ""),
    "a plural for one": (function("frames = hive.frame", "return frames"), "sounds like many, and holds one frame"),
    "a plural for many": (function("frames = hive.frame", "for each in frames:", "    log(each)"), ""),
    "a plural that somebody has counted": (function("frames = hive['frame']", "return frames"), ""),
    "a singular for many": (function("frame = hive.frames[1:]", "for each in frame:", "    log(each)"), "holds some of `frames`"),
    "a getter that a base gives to": (getter("self.visits = 3", "super().get_weight()"), ""),
    "a getter that also says what it does": ("def get_and_weigh(hive):\n    hive.weigh()\n", ""),
    "0 and 1 for yes or no": ("def is_full(hive):\n    if hive:\n        return 1\n    return 0\n", ""),
    "0 and 1 for how it went": ("def check_hive(hive):\n    if hive:\n        return 1\n    return 0\n", ""),
    "a check that says what its yes means": ("def check_if_full(hive):\n    return hive.kg > 3\n", ""),
    "an answer for each of many": (function("is_full = [each.kg > 3 for each in hives]", "return is_full"), ""),
    "what is behind a preposition": (function("frames_from_dict = [1]", "return frames_from_dict"), ""),
    "whether there is to be a list": (function("weigh_list = False", "return weigh_list"), ""),
    "one that holds many": (function("batch = hive.batches[1:]", "for each in batch:", "    log(each)"), ""),
    "is a text": (function("weight_is_str = False", "return weight_is_str"), ""),
}


@pytest.mark.parametrize(("code", "said"), MISLEADING.values(), ids=MISLEADING)
def test_misleading_names(code, said):
    """Only what the code itself gives away."""
    messages = [each.message for each in found("misleading-name", code).values()]
    assert len(messages) == bool(said)
    assert all(said in message for message in messages)


MUDDLED = {
    "look-alikes": (("l1", "ll"), True),
    "turned round": (("from_hive", "form_hive"), True),
    "one letter more": (("count", "conut"), True),
    "one letter less": (("weight", "wight"), True),
    "one and many": (("weight", "weights"), False),
    "many of one": (("hive_name", "hives_name"), False),
    "another beginning": (("width", "swidth"), False),
    "another word": (("weight", "height"), False),
    "short": (("kg", "kgs"), False),
    "directions": (("keyCS", "keySC"), False),
    "private": (("_tare", "tare"), False),
    "numbers": (("hive1", "hive2"), False),
    "one and many with a number": (("frame2", "frames2"), False),
    "words as they are": (("quit", "quiet"), False),
    "short words": (("t_layer", "td_layer"), False),
    "a word with a letter before it": (("from_sync", "from_async"), False),
}


def test_a_system_of_names_is_not_muddled():
    """Who gives a dozen names by one rule knows them apart."""
    names = ["n_iixx", "n_ixix", "n_xiix", "n_ixxi"]
    assert not found("muddled-names", function(*(f"{name} = hive()" for name in names), f"return {', '.join(names)}"))


@pytest.mark.parametrize(("names", "are_muddled"), MUDDLED.values(), ids=MUDDLED)
def test_muddled_names(names, are_muddled):
    """In one function; what is alike on purpose is left alone."""
    one, other = names
    together = function(f"{one} = hive()", f"{other} = hives()", f"return {one}, {other}")
    assert bool(found("muddled-names", together)) is are_muddled
    apart = function(f"{one} = hive()", f"return {one}") + function(f"{other} = hive()", f"return {other}")
    assert not found("muddled-names", apart)
    methods = "class Hive:\n" + "".join(f"    def m{name}(self):\n        {name} = 3\n        return {name}\n" for name in names)
    assert not found("muddled-names", methods)


def test_one_idea_under_two_names():
    """Where the project writes it out in far more places, and both are not in one function."""
    store = "def keep{0}(hive_store):\n    error_msg = hive_store()\n    return error_msg\n"
    many = "".join(store.format(number) for number in range(4))
    short = "def read(hive_store):\n    err_msg = hive_store()\n    return err_msg\n"
    finding = found("muddled-names", many + short)["err_msg"]
    assert [each.text for each in finding.suggestions] == ["error_msg"] and finding.remedy == "safe"
    assert "called error_msg here, and 1 err_msg" in finding.suggestions[0].evidence[0]
    assert not found("muddled-names", many + short.replace("read", "read2") + short + short.replace("read", "read3"))
    assert not found("muddled-names", store.format(1) + short)
    assert not found("muddled-names", many + short.replace("return", "error_msg = 3\n    return"))
    both = found("muddled-names", many.replace("error_msg", "error_message") + short)
    assert [each.text for each in both["err_msg"].suggestions] == ["error_message"]


def test_nobody_outside_is_asked_for_a_twin():
    """The project alone settles it; an adviser answers only so many questions."""
    code = "def f(h):\n    err_msg, zq = h(), h()\n    return err_msg, zq\n".encode()
    survey = survey_source("hive.py", code, Surroundings("hive"), ["muddled-names", "cryptic-name"])
    assert {each.subject for each in survey.findings} == {"f", "h", "err_msg", "zq"}
    asked = []

    def advice(findings):
        asked.extend(each.subject for each in findings)
        return [()] * len(findings)

    answered([survey], {survey.path: survey.usage}, advice=advice)
    assert sorted(asked) == ["f", "h", "zq"]


SECOND_MEANINGS = {
    "two things": (function("d = len(hives)", "log(d)", "d = {}", "return d"), "a dict, and a number since line 2"),
    "two branches": (function("if hive:", "    d = len(hives)", "    log(d)", "else:", "    d = {}", "return d"), ""),
    "one made of the other": (function("d = 'kg'", "log(d)", "d = [d]", "return d"), ""),
    "nobody needs the first": (function("d = [3]", "d = 'kg'", "return d"), ""),
    "nobody needs the second": (function("d = [3]", "log(d)", "d = 'kg'"), ""),
    "who knows what between": (function("d = 'kg'", "log(d)", "d = hive()", "log(d)", "d = {}", "return d"), ""),
    "the same sort": (function("d = 3", "log(d)", "d = 0.5", "return d"), ""),
    "in an inner block": (function("if hive:", "    d = [3]", "    log(d)", "    d = 'kg'", "    log(d)"), "a str, and a list since line 3"),
}


@pytest.mark.parametrize(("code", "message"), SECOND_MEANINGS.values(), ids=SECOND_MEANINGS)
def test_one_name_for_two_things(code, message):
    """What bears it one after the other, of two sorts; no one name would do for both."""
    told = found("muddled-names", code)
    assert bool(told) == bool(message) and all(message in each.message and each.remedy == "none" for each in told.values())


MASKING = {
    "builtin": ("def f(hive):\n    list = hive.all\n    return list\nx = list(3)\n", ["list"]),
    "builtin that nobody needs": ("def f(hive):\n    list = hive.all\n    return list\n", []),
    "parameter": ("def f(list):\n    return list\nx = list(3)\n", []),
    "import": ("import time\ndef f(hive):\n    time = hive.time\n    return time\nx = time.time()\n", ["time"]),
    "import far away": ("import time\ndef f(hive):\n    time = hive.time\n    return time\n" + "\n" * 70 + "x = time.time()\n", []),
    "function": ("def weigh(hive): ...\ndef f(hive):\n    weigh = hive.kg\n    return weigh\nweigh(3)\n", ["weigh"]),
    "constant": ("LIMIT = 3\ndef f(hive):\n    LIMIT = hive.kg\n    return LIMIT\nprint(LIMIT)\n", []),
    "import of the same": ("import time\ndef f():\n    import time\n    return time\ntime.time()\n", []),
    "inside a comprehension": ("import time\ndef f(hives):\n    return [time for time in hives]\ntime.time()\n", []),
    "only annotated": ("def f(hive: 'list'):\n    list = hive\n    return list\n", []),
}


@pytest.mark.parametrize(("code", "names"), MASKING.values(), ids=MASKING)
def test_masking_names(code, names):
    """Only where what is hidden is needed."""
    assert list(found("masking-name", code)) == names


VAGUE = {
    "said": (["value = hive['weight']", "hive.log(value)", "hive.weight = value", "hive.keep(weight=value)"], ["value"]),
    "nothing said": (["value = hive()", "hive.log(value)", "hive.log(value)", "hive.log(value)"], []),
    "short": (["value = hive['weight']", "hive.weight = value"], []),
    "beside its key": (["for key, value in hive.items():", "    hive.log(value)", "    hive.weight = value", "    hive.keep(weight=value)"], []),
    "now this and now that": (["value = hive['weight']", "isinstance(value, A)", "isinstance(value, B)", "hive.keep(weight=value)"], []),
    "made anew from what it was": (["value = hive['weight']", "value = log(value)", "hive.weight = value", "hive.keep(weight=value)"], []),
    "called so where it was taken": (["value = hive.value", "hive.log(value)", "hive.weight = value", "hive.keep(weight=value)"], []),
    "plain": (["weight = hive['weight']", "hive.log(weight)", "hive.weight = weight", "hive.keep(weight=weight)"], []),
}


@pytest.mark.parametrize(("lines", "names"), VAGUE.values(), ids=VAGUE)
def test_vague_names(lines, names):
    """Only where the code says surely what it is."""
    assert list(found("vague-name", function(*lines))) == names


VAGUE_DEFINITIONS = {
    "described": ("def process(rows):\n    \"\"\"Read the scales of all hives.\"\"\"\n    scales = {}\n    for row in rows:\n        scales[row[3]] = row\n    return scales\n", ["process"]),
    "not described": ("def process(row):\n    row[3] += 3\n", []),
    "a command": ("def run(rows):\n    \"\"\"Parse rows.\"\"\"\n    return parse_rows(rows)\n", []),
    "of a base": ("class Hive(Box):\n    def process(self, row):\n        \"\"\"Parse a row.\"\"\"\n        return parse_row(row)\n", []),
    "of a class that says the rest": ("class Hive:\n    def process(self, row):\n        \"\"\"Parse a row.\"\"\"\n        return parse_row(row)\n", []),
    "with what it is for": ("def process_rows(rows):\n    \"\"\"Parse rows.\"\"\"\n    return parse_rows(rows)\n", []),
}


@pytest.mark.parametrize(("code", "names"), VAGUE_DEFINITIONS.values(), ids=VAGUE_DEFINITIONS)
def test_vague_definitions(code, names):
    """Functions that say only that they do something, where the code says what."""
    assert list(found("vague-name", code)) == names


SHORT = {
    "all there is in a function whose own name says nothing": (
        "def calc(d, t=3):\n    r = d - t\n    if r > 40:\n        return r * 2\n    return r\n", {"d": "", "t": "", "r": ""},
    ),
    "all there is in a function that says what it does": (
        "def drift(d, t=3):\n    r = d - t\n    if r > 40:\n        return r * 2\n    return r\n", {},
    ),
    "a short form that has one meaning in the trade": (
        "def f(hives):\n    usr_cnt = 0\n    for each in hives:\n        usr_cnt += each\n    return usr_cnt\n", {"usr_cnt": "user_count"},
    ),
    "a parameter that the project calls otherwise": (
        "def _read(pth):\n    with open(pth) as file:\n        return file.read()\n\n\n"
        "def read(path):\n    return _read(path) or _read(pth=path)\n",
        {"pth": "path"},
    ),
    "a parameter of a method that others call": ("class Hive(Box):\n    def read(self, pth):\n        return open(pth)\n", {}),
    "an attribute": (
        "class Hive:\n    def __init__(self, row):\n        self.wt = row['weight']\n\n    def gain(self):\n"
        "        return self.wt - 3\n",
        {"wt": "weight"},
    ),
    "coordinates": ("class Hive:\n    def __init__(self, row):\n        self.x = row['east']\n", {}),
    "a variable of a module": ("wght = hive['weight']\nlog(wght)\nstore(weight=wght)\n", {"wght": "weight"}),
    "a constant": ("W = hive['weight']\nlog(W)\nstore(weight=W)\n", {}),
    "a function": ("def prs_rw(line):\n    'Parse a row of the log.'\n    return line\n", {"prs_rw": "parse_row"}),
    "a private function": ("def _prs_rw(line):\n    'Parse a row of the log.'\n    return line\n", {"_prs_rw": "_parse_row"}),
    "messages": ("def E017(line):\n    'Parse a row.'\n    return line\n", {}),
    "a match": ("def f(line):\n    m = WEIGHT.match(line)\n    if m:\n        return m[3]\n", {}),
    "parts of something": ("def f(line):\n    tag1, tag2 = line.split()\n    return tag1, tag2\n", {}),
    "one more": ("def f(line):\n    tmp1 = line.split()\n    return tmp1\n", {"tmp1": ""}),
    "a character": ("def f(line):\n    for c in line.upper():\n" + "        log(c)\n" * 6 + "        if c == '(':\n            log(c)\n", {}),
    "no character": ("def f(line):\n    for c in line.upper():\n" + "        log(c)\n" * 16, {"c": ""}),
    "held against a word": ("def f(line):\n    for c in line.split():\n" + "        log(c)\n" * 14 + "        if c == 'kg':\n            log(c)\n", {"c": ""}),
    "a formula": ("def f(east):\n    a = math.sin(east) * 3\n" + "    log(a)\n" * 8 + "    return math.sqrt(a)\n", {}),
    "what the attribute is called": ("def f(hive):\n    wt = hive.wt\n" + "    log(wt)\n" * 16, {}),
    "two words in one": ("def f(hive):\n    innerlog = hive()\n" + "    log(innerlog)\n" * 16, {}),
    "a word beside a stump": ("def f(hive):\n    rbuf_offset = hive()\n" + "    log(rbuf_offset)\n" * 16, {}),
    "cannot be said": ("def f(line):\n    othr = line()\n    return othr\n", {"othr": "other"}),
    "cannot be said, with a vowel": ("def f(line):\n    opnr = line()\n    return opnr\n", {"opnr": ""}),
    "nothing but stumps": ("def f(line):\n    bas_pla = line()\n    return bas_pla\n", {"bas_pla": ""}),
    "two stumps beside a word": ("def f(line):\n    slf_row_prs = line()\n    return slf_row_prs\n", {"slf_row_prs": ""}),
    "several in one": ("def f(line):\n    rowlen, bestq = line()\n" + "    log(rowlen, bestq)\n" * 16, {}),
    "one letter too many": ("def f(line):\n    strt = line()\n    return strt\n", {"strt": ""}),
    "many loops": ("def f(hives):\n" + "    for i in hives():\n        log(i)\n" * 30, {}),
    "one long loop": ("def f(hives):\n    for i in hives():\n" + "        log(i)\n" * 40, {"i": ""}),
    "a pair": ("def f(row):\n    k, v = row.split('=')\n" + "    k = log(k, v)\n" * 9, {}),
    "a pair apart": ("def f(row):\n    v = row.split('=')\n" + "    log(v)\n" * 16, {"v": ""}),
    "parts of a matrix": ("def f(scale):\n    a, b, c, d = scale\n" + "    log(a, b, c, d)\n" * 16, {}),
    "parts of something else": ("def f(scale):\n    w, r = scale\n" + "    log(w, r)\n" * 16, {"w": "", "r": ""}),
    "numbers of a formula": ("def f(kg):\n    c0 = kg * 3\n    c1 = kg - 3\n    c2 = c0 / c1\n    return c0 + c1 + c2\n", {}),
    "the end of what is called": ("def f(row):\n    lex = shlex.shlex(row)\n" + "    log(lex)\n" * 9, {}),
    "made from itself": ("def f(row):\n    rtz = row()\n    rtz = rtz.strip()\n" + "    log(rtz)\n" * 9, {"rtz": ""}),
    "an open file": ("def f(path):\n    f = LogFile(path)\n" + "    log(f)\n" * 16, {}),
    "an error": ("def _f(e: BaseException):\n" + "    log(e)\n" * 30, {}),
    "an initial at a glance": ("def f(dirs):\n    for d in dirs:\n        log(d)\n        rest(d)\n", {}),
    "held against each other": ("def _f(v1, v2):\n    return v1 > v2\n", {}),
    "a term in capitals": ("# What stands in the RQZ is sent.\ndef f(line):\n    rqz = line()\n" + "    log(rqz)\n" * 9, {}),
    "an attribute that is a term": (
        "class Hive:\n    def __init__(self, row):\n        self.wt = row['weight']  # the WT\n\n    def gain(self):\n"
        "        return self.wt - 3\n",
        {},
    ),
    "a term in no capitals": ("# What stands in the rqz is sent.\ndef f(line):\n    rqz = line()\n" + "    log(rqz)\n" * 9, {"rqz": ""}),
    "a term of several names": ("def f(line):\n    zet_min, zet_max = line()\n" + "    log(zet_min, zet_max)\n" * 9, {}),
    "a stump beside a short form": ("def f(line):\n    zet_min, most = line()\n" + "    log(zet_min, most)\n" * 9, {"zet_min": ""}),
    "short for a word of the project": (
        "def f(old, new):\n    wght_old = old()\n    log(wght_old)\n\n\ndef g(weight):\n    return weight\n", {"wght_old": ""},
    ),
    "cut short beside a whole word": (
        "def f(old, new):\n    wei_old = old()\n    log(wei_old)\n\n\ndef g(weight):\n    return weight\n", {},
    ),
    "reckoned with": ("def f(kg, day):\n    q = kg * 3\n    r = q - day\n" + "    log()\n    q = q / r - q\n" * 9 + "    return q * r\n", {}),
    "reckoned with now and then": (
        "def f(kg, day):\n    q = kg * 3\n    r = q - day\n" + "    log()\n" * 16 + "    return q * r\n", {"q": "", "r": ""}
    ),
    "hardly reckoned with": (
        "def f(kg, day):\n    q = kg * 3\n    r = q - day\n" + "    log(q, r)\n" * 16 + "    return q, r\n", {"q": "", "r": ""}
    ),
    "a number of many in a formula": (
        "def f(kg, day):\n" + "".join(f"    zre = kg * {n} - day / {n}\n    log(zre * day - kg * {n})\n" for n in range(3, 9)), {}
    ),
    "put together of texts": ("def f(kg, day):\n    q = kg + 'kg'\n" + "    q = q + day + '-'\n" * 16 + "    return q\n", {"q": ""}),
    "a capital letter": ("def f(hive):\n    N = hive()\n" + "    log(N)\n" * 16, {}),
    "two directions": ("def f(hive):\n    ax = hive()\n    ay = hive()\n" + "    log(ax, ay)\n" * 16, {}),
    "a word of the documentation": ("def f(line):\n    'Give the rqz of it.'\n    rqz = line()\n" + "    log(rqz)\n" * 9, {}),
    "a word of the documentation that is quoted": ("def f(line):\n    'Give `rqz` of it.'\n    rqz = line()\n" + "    log(rqz)\n" * 9, {"rqz": ""}),
    "many numbered parts": ("def f(scale):\n    p0, p1, p2, p3 = scale\n" + "    log(p0, p1, p2, p3)\n" * 9, {}),
    "two numbered parts": ("def f(scale):\n    p0, p1 = scale\n" + "    log(p0, p1)\n" * 9, {"p0": "", "p1": ""}),
    "many numbered ones apart": (
        "def f(scale):\n" + "".join(f"    p{number} = scale()\n" for number in range(4)) + "    return p0, p1, p2, p3\n",
        dict.fromkeys(("p0", "p1", "p2", "p3"), ""),
    ),
    "two of whatever": ("def f(line):\n    tmp1, tmp2 = line()\n    return tmp1, tmp2\n", {"tmp1": "", "tmp2": ""}),
    "two of a kind": ("def f(line):\n    zet1, zet2 = line()\n    return zet1, zet2\n", {}),
    "two of a kind, private": ("def f(line):\n    _zet1, _zet2 = line()\n    return _zet1, _zet2\n", {}),
    "few of a kind, over in three lines": ("def f(scale):\n    o1, o2 = scale()\n    return o1, o2\n", {}),
    "few of a kind, with its initial": ("def f(hive):\n    o1 = opening(hive)\n    o2 = opening(hive)\n" + "    log(o1, o2)\n" * 9, {}),
    "few of a kind, without it": (
        "def f(hive):\n    o1 = hive()\n    o2 = hive()\n    o3 = hive()\n    o4 = hive()\n" + "    log(o1, o2, o3, o4)\n" * 9,
        dict.fromkeys(("o1", "o2", "o3", "o4"), ""),
    ),
    "sizes of a shape": ("def f(weights):\n    n_t, n_w = weights.shape\n" + "    log(n_t, n_w)\n" * 16, {}),
    "an ordinal": ("def f(year):\n    jan_1st = year()\n" + "    log(jan_1st)\n" * 16, {}),
    "a letter with another below it": ("def f(hive):\n    n_I_R = hive()\n" + "    log(n_I_R)\n" * 16, {}),
    "asked for by a text": ("def f(row):\n    tqk = hive(row, 'tqk')\n" + "    log(tqk)\n" * 16, {}),
    "beside a text": ("def f(row):\n    tqk = hive(row, 'tqks')\n" + "    log(tqk)\n" * 16, {"tqk": ""}),
    "width and height": ("def f(frame):\n    w = frame()\n    h = frame()\n" + "    log(w, h)\n" * 16, {}),
    "width and a hive": ("def f(h):\n    w = h()\n" + "    log(w, h)\n" * 16, {"w": ""}),
    "initials of what it is made by": ("def f(hive):\n    sm = ScaleMonitor(hive)\n" + "    log(sm)\n" * 6, {}),
    "initials, far off": ("def f(hive):\n    sm = ScaleMonitor(hive)\n" + "    log(sm)\n" * 16, {"sm": "scale_monitor"}),
    "written as what it is made by": ("def f(hive):\n    hvlog = HvLog(hive)\n" + "    log(hvlog)\n" * 16, {}),
    "of the trade, over in three lines": ("def f(hive):\n    hdr = hive()\n    return hdr\n", {}),
    "of nobody, over in three lines": ("def f(hive):\n    hqr = hive()\n    return hqr\n", {"hqr": ""}),
    "an index that is none": ("def f(hives):\n    i = False\n" + "    log(i)\n" * 16, {"i": ""}),
    "an index among others": ("def f(hives):\n    for m in range(9):\n" + "        log(hives[m])\n" * 16, {}),
    "a file for long": ("def f(path):\n    f = open(path)\n" + "    f.write(3)\n" * 70, {}),
    "letters of mathematics": ("def f(east):\n    v = told(east)\n    u = told(v)\n" + "    log(sqrt(u - v * v))\n" * 16, {}),
    "parts of a colour": ("def _f(r, g, b):\n" + "    log(r, g, b)\n" * 16, {}),
    "what a call returns": ("def f(scale):\n    rc = scale()\n" + "    log(rc)\n" * 16, {}),
    "a comment for a program": ("def f(line):\n    opnr = line()  # type: ignore\n    return opnr\n", {"opnr": ""}),
    "a comment that leaves out": ("def f(line):\n    opnr = line()  # nosuch\n    return opnr\n", {"opnr": ""}),
    "a comment that says what is done": ("def f(line):\n    opnr = line()  # removes aliases\n    return opnr\n", {"opnr": ""}),
    "a verb and a noun in one": ("def f(book):\n    ln = book.readlines()\n" + "    log(ln)\n" * 16, {"ln": "lines"}),
}


@pytest.mark.parametrize(("code", "names"), SHORT.values(), ids=SHORT)
def test_what_bears_cryptic_names(code, names):
    """With the best name for each."""
    best = {name: each.suggestions[0].text if each.suggestions else "" for name, each in found("cryptic-name", code).items()}
    assert best == names


CARELESS = """\
class HM:
    def __init__(self, n):
        self.n = n()
        self.flg = False
        self.cnt = 0

    def chk(self, d1, w):
        q = self.n[d1]
        self.cnt += 1
        return q - w
"""
CAREFUL = "\n\ndef weigh(hive, scale, tare):\n    weight = scale.read(hive)\n    net_weight = weight - tare\n    return net_weight\n"


def test_in_a_file_in_the_dark_everything_is_found():
    """Where most names say nothing; where others do, each is held against what it costs by itself."""
    best = {name: each.suggestions[0].text if each.suggestions else "" for name, each in found("cryptic-name", CARELESS).items()}
    assert best == {
        "HM": "", "n": "", "flg": "flag", "cnt": "count", "chk": "check", "d1": "", "w": "", "q": "",
    }
    others = CAREFUL + CAREFUL.replace("weigh(", "weigh_again(") + CAREFUL.replace("weigh(", "weigh_all(")
    assert set(found("cryptic-name", CARELESS + others)) < set(best)


def test_patterns_of_every_sort_are_read():
    """Also those that are nothing but a value."""
    patterns = ("True", "None", "-3", "'kg'", "[3, *_]", "{'kg': 3, **rest}", "Hive(kg=3)", "Hive() | None as hive", "_")
    code = "def f(hive):\n    match hive:\n" + "".join(f"        case {each}:\n            log()\n" for each in patterns)
    assert not found("cryptic-name", code)


def test_off_style_names():
    """By the project's habits, whichever they are; what others may have named is left alone."""
    code = (
        "class hive_diary: ...\nclass HiveLog:\n    def readRows(self):\n        netWeight = 3\n        return netWeight\n"
        "class Reader(HiveLog):\n    def readAll(self): ...\n@hook\ndef onRead(rows): ...\ndef read_rows(someRows):\n    net_weight = 3\n    return net_weight\n"
    )
    assert set(found("off-style-name", code)) == {"hive_diary", "readRows", "netWeight"}
    camel = {**CONVENTIONS, "variable-name": "camel", "function-name": ""}
    by_name = found("off-style-name", code, camel)
    assert set(by_name) == {"hive_diary", "net_weight"}
    assert by_name["net_weight"].suggestions[0].text == "netWeight" and by_name["net_weight"].remedy == "safe"
    assert by_name["hive_diary"].suggestions[0].text == "HiveDiary" and by_name["hive_diary"].remedy == "review"
    aliases = "def f(hive):\n    HiveLog = hive.HiveLog\n    NetWeight = hive.weigh()\n    return HiveLog, NetWeight\n"
    assert set(found("off-style-name", aliases)) == {"NetWeight"}
    alike = "class hive_diary(log_book): ...\ndef HiveLog(hive):\n    def log_hive(): ...\n    return log_hive\n"
    assert not found("off-style-name", alike)
    taken = "def f(hive):\n    netWeight = net_weight = 3\n    return netWeight, net_weight\n"
    assert found("off-style-name", taken)["netWeight"].suggestions == ()


# -- the team's words --------------------------------------------------------------------------


def test_what_a_team_says_about_words():
    """Fine short forms are not cryptic; words to be avoided are found, with the word for them."""
    code = function("hv_wt = hive()", *["hive.log(hv_wt)"] * 6, "x1 = hive()", "return hv_wt, x1")
    assert set(found("cryptic-name", code)) == {"hv_wt", "x1"}
    assert set(found("cryptic-name", code, words=WordChoices(frozenset({"hv", "wt"})))) == {"x1"}
    instead = WordChoices(instead=(("wt", "weight"), ("hv", "hive")))
    (finding,) = found("muddled-names", code, words=instead).values()
    assert (finding.subject, finding.suggestions[0].text, finding.remedy) == ("hv_wt", "hive_weight", "safe")
    assert words_in_text("Hive weights  # in kg\n* brood-box\n") == {"hive", "weights", "brood", "box"}


WORDS = '[words]\nfine = ["hv"]\nterms = "terms.txt"\nmeanings = { tare = "the empty hive" }\ninstead = { wt = "weight" }\n'
LOG = "class Hive:\n    \"\"\"A box with bees. It has frames.\"\"\"\n\n\ndef weigh(hv, tare):\n    for fr in hv.frames:\n        log(fr)\n    bb = hv()\n" + "    log(bb)\n" * 6 + "    wt = hv()\n    return wt\n"


def test_words_in_the_settings(tmp_path):
    """They reach the survey and the glossary."""
    (tmp_path / "zephyrun.toml").write_text(WORDS)
    (tmp_path / "terms.txt").write_text("bb: brood box\n")
    (tmp_path / "hive.py").write_text(LOG)
    kinds = {each["subject"]: each["kind"] for each in document("survey", ".", cwd=tmp_path)["findings"]}
    assert kinds == {"fr": "cryptic-name", "wt": "muddled-names"} or kinds == {"wt": "muddled-names"}
    words = {each["word"]: each for each in document("glossary", cwd=tmp_path)["words"]}
    assert words["tare"]["meaning"] == "the empty hive" and words["hive"]["meaning"] == "A box with bees"
    assert words["fr"]["short_for"] == "frame" and words["fr"]["sorts"] == {"variable": 1}
    shown = zephyrun("glossary", "--limit", 1, cwd=tmp_path).stdout
    assert "1 word of " in shown and "all of them: --limit 0" in shown
    assert "short for frame" in zephyrun("glossary", "--unsettled", cwd=tmp_path).stdout


WRONG_WORDS = {
    "no table": ('words = "hv"\n', "`words` must be a table"),
    "unknown": ('[words]\nfines = ["hv"]\n', "`words` has no `fines`; did you mean `fine`?"),
    "no list": ('[words]\nfine = "hv"\n', "`fine` must be a list of texts"),
    "no texts": ("[words]\ninstead = { wt = 3 }\n", "`instead` must be a table of texts"),
    "no path": ("[words]\nterms = 3\n", "`terms` must be the path of a text file"),
    "no such list": ('[words]\nterms = "none.txt"\n', "none.txt cannot be read"),
}


@pytest.mark.parametrize(("settings", "said"), WRONG_WORDS.values(), ids=WRONG_WORDS)
def test_wrong_words_in_the_settings(tmp_path, settings, said):
    """One sentence that says where and what."""
    (tmp_path / "zephyrun.toml").write_text(settings)
    (tmp_path / "hive.py").write_text(LOG)
    error = zephyrun("survey", ".", cwd=tmp_path, code=2).stderr
    assert said in error and len(error.splitlines()) == 1


def test_rivals_are_words_for_one_idea():
    """In the same contexts, and not side by side; short forms are not rivals but short."""
    from zephyrun.naming.glossary import NamedThing

    def things(name, keys, group):
        return [NamedThing(name, "variable", "hive.py", 1, f"{group}{number}", "", keys) for number in range(3)]

    apart = [*things("queen", (1, 2), "a"), *things("ruler", (1, 2), "b")]
    rivals = {each.word: each.rivals for each in glossary_of(apart, {})}
    assert rivals == {"queen": ("ruler",), "ruler": ("queen",)}
    together = [*things("queen", (1, 2), "a"), *things("ruler", (1, 2), "a")]
    assert not any(each.rivals for each in glossary_of(together, {}))
