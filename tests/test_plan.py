"""The plan file: what is written is what is read, and bad plans get one sentence."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zephyrun.changes.step import Step
from zephyrun.errors import UserError
from zephyrun.plan import Plan, plan_text, read_plan, starts_accepted
from zephyrun.source.fingerprint import fingerprint

TEXTS = st.text(st.characters(exclude_categories=["Cs"]), max_size=12)
LISTS = st.lists(TEXTS, max_size=3).map(tuple)
STEPS = st.builds(
    Step, id=TEXTS, action=TEXTS, finding=TEXTS, path=TEXTS, scope=TEXTS, old=TEXTS,
    ordinal=st.integers(1, 99), line=st.integers(0, 10**6), column=st.integers(0, 10**6), new=TEXTS,
    choices=LISTS, score=st.floats(0, 1), remedy=st.sampled_from(["safe", "review"]), confirm=LISTS,
    accept=st.booleans(), why=TEXTS, note=TEXTS,
)


@given(steps=st.lists(STEPS, max_size=4, unique_by=lambda step: step.id), paths=st.lists(TEXTS, max_size=3, unique=True))
def test_what_is_written_is_read(tmp_path_factory, steps, paths):
    """Every step to the letter, and the fingerprint of every file."""
    folder = tmp_path_factory.getbasetemp()
    plan = Plan(folder.resolve(), {path: fingerprint(path.encode()) for path in paths}, tuple(steps))
    place = folder / "plan.toml"
    place.write_text(plan_text(plan, place), "utf-8")
    assert read_plan(place) == plan


def test_the_text_is_for_people_and_line_based_tools(tmp_path):
    """`[[step]]` tables, one key a line, in the order of the contract; the root relative."""
    step = Step(
        "s001", "rename", "k3f9a1", "hive/log.py", "hive.log.yearly_yield", "d", 1, 12, 5, "elapsed_days",
        ("elapsed_days", "days"), 0.71, "safe", (), True, "assigned from (end - start).days", "ask first",
    )
    plan = Plan(tmp_path, {"hive/log.py": fingerprint(b"")}, (step,))
    lines = plan_text(plan, tmp_path / "plans" / "cleanup.toml").splitlines()
    assert lines[0].startswith("# A clean-up plan.")
    assert lines[lines.index('schema = "zephyrun.plan/1"') + 1] == 'root = ".."'
    assert lines[lines.index("[[step]]") + 1 :][:17] == [
        'id = "s001"', 'action = "rename"', 'finding = "k3f9a1"', 'path = "hive/log.py"',
        'scope = "hive.log.yearly_yield"', 'old = "d"', "ordinal = 1", "line = 12", "column = 5",
        'new = "elapsed_days"', 'choices = ["elapsed_days", "days"]', "score = 0.71", 'remedy = "safe"',
        "confirm = []", "accept = true", 'why = "assigned from (end - start).days"', 'note = "ask first"',
    ]


@pytest.mark.parametrize(
    ("old", "sort", "score", "why", "is_accepted"),
    [
        ("wt", "", 0.5, "assigned from hive.weight", True),
        ("wt", "", 0.5, "wt may be short for it", False),
        ("wt", "", 0.9, "wt may be short for it", True),
        ("wght", "", 0.5, "wght may be short for it", True),
        ("x1", "", 0.5, "assigned from hive.weight", False),
        ("wt", "function", 0.8, "assigned from hive.weight", False),
        ("wt", "class", 0.99, "assigned from hive.weight", False),
    ],
)
def test_what_starts_accepted(old, sort, score, why, is_accepted):
    """Names that are likely, by more than two letters that fit many words."""
    step = Step(
        "s001", "rename", "k3f9a1", "hive/log.py", "hive.log.f", old, 1, 12, 5, "weight", ("weight",), score, "safe", (),
        False, why, sort=sort,
    )
    assert starts_accepted(step) is is_accepted
    assert not starts_accepted(replace(step, remedy="review"))


GOOD = """schema = "zephyrun.plan/1"
root = "."
[files]
"log.py" = "sha256:0"
[[step]]
id = "s001"
action = "rename"
path = "log.py"
scope = "log.f"
old = "w"
new = "weight"
accept = true
"""


def test_people_may_leave_out_what_is_only_for_them(tmp_path):
    """The address, the new name and `accept` are enough; keys of a later version are passed over."""
    place = tmp_path / "plan.toml"
    place.write_text(GOOD + "mood = 3\n")
    (step,) = read_plan(place).steps
    assert (step.ordinal, step.note, step.confirm, step.accept) == (1, "", (), True)


BAD = {
    "no TOML": ("schema = ", "is not valid TOML"),
    "other schema": (GOOD.replace("plan/1", "plan/2"), "is not a plan of this version"),
    "nothing": ("", "is not a plan of this version"),
    "root": (GOOD.replace('root = "."', "root = 1"), "root must be a text"),
    "root gone": (GOOD.replace('root = "."', 'root = "gone"'), "the root gone is not there"),
    "root no path": (GOOD.replace('root = "."', 'root = "\\u0000"'), "names no folder"),
    "files": (GOOD.replace('"sha256:0"', "1"), "must give a fingerprint for each path"),
    "one step": (GOOD.replace("[[step]]", "[step]"), "steps must be written as [[step]] tables"),
    "no id": (GOOD.replace('id = "s001"\n', ""), "step number 1 has no `id`"),
    "no scope": (GOOD.replace('scope = "log.f"\n', ""), "step s001 has no `scope`"),
    "accept": (GOOD.replace("accept = true", 'accept = "yes"'), "step s001: `accept` must be true or false"),
    "new": (GOOD.replace('new = "weight"', "new = 3"), "step s001: `new` must be a text"),
    "ordinal": (GOOD + "ordinal = true\n", "step s001: `ordinal` must be a whole number"),
    "confirm": (GOOD + "confirm = [1]\n", "step s001: `confirm` must be a list of texts"),
    "twice": (GOOD + GOOD[GOOD.index("[[step]]") :], "two steps have the id s001"),
    "nested": ("a = " + "[" * 5000, "is not valid TOML"),
    "bytes": ("\udcff", "is not UTF-8 text"),
}


@pytest.mark.parametrize(("text", "message"), BAD.values(), ids=BAD)
def test_bad_plans(tmp_path, text, message):
    """One sentence that names the file, the step and what to do."""
    place = tmp_path / "plan.toml"
    place.write_bytes(text.encode("utf-8", "surrogateescape"))
    with pytest.raises(UserError) as caught:
        read_plan(place)
    assert message in str(caught.value) and str(place) in str(caught.value)
    assert "\n" not in str(caught.value).split("TOML")[0]


def test_a_plan_that_is_not_there(tmp_path):
    """Or is a folder."""
    for place in (tmp_path / "none.toml", tmp_path):
        with pytest.raises(UserError, match="cannot be read"):
            read_plan(place)
