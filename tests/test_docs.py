"""The pages in docs/ say what the code does."""

import os
import re

import pytest

from tests.helpers import LIBRARY, PROJECT
from zephyrun.layout.habits import PLACES
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

HABITS = PROJECT / "docs" / "habits.md"
EXAMPLES = re.findall(
    r"(?s)^```python (same|not the same)\n(.*?)\n# becomes\n(.*?)\n```$",
    (PROJECT / "docs" / "what-same-means.md").read_text("utf-8"),
    re.MULTILINE,
)


def rows():
    """The table of places as it should read."""
    for place in PLACES.values():
        sides = ", ".join(f"`{side}`" for side in place.sides) or "a number" + ", `tab`" * (place.name == "indentation")
        yield f"| `{place.name}` | {place.what.replace('|', '&#124;')} | {f'`{place.convention}`' if place.convention else 'none'} | {sides} |"


def test_the_table_of_places_is_complete():
    """Every place with its convention and sides; `ZEPHYRUN_ACCEPT=1` writes the table anew."""
    text = HABITS.read_text("utf-8")
    head, _, rest = text.partition("| place | what it is | convention | sides |\n|---|---|---|---|\n")
    _, gap, tail = rest.partition("\n\n")
    written = head + "| place | what it is | convention | sides |\n|---|---|---|---|\n" + "\n".join(rows()) + gap + tail
    if os.environ.get("ZEPHYRUN_ACCEPT"):
        HABITS.write_text(written, "utf-8")
    assert written == HABITS.read_text("utf-8")


def files_of(example):
    """The files of one version: the first one, and those that begin with `# in …`."""
    first, *others = re.split(r"(?m)^# in (?=\S+\.py$)", example)
    named = (each.split("\n", 1) for each in others)
    return {"hives.py": first.encode(), **{name: code.encode() for name, code in named}}


@pytest.mark.parametrize(("verdict", "old", "new"), EXAMPLES)
def test_what_same_means_is_what_is_said(verdict, old, new):
    """Each example of the page gets the answer that it stands for."""
    proof = compare_trees(files_of(old), files_of(new), world=World(library=read_library, memory=LIBRARY))
    assert (proof.verdict is Verdict.SAME) == (verdict == "same"), proof


def test_every_example_has_an_answer():
    """No block of code on the page goes untested."""
    text = (PROJECT / "docs" / "what-same-means.md").read_text("utf-8")
    assert len(EXAMPLES) == text.count("\n```python") > 0
