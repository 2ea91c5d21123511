"""The pages in docs/ say what the code does."""

import os

from tests.helpers import PROJECT
from zephyrun.layout.habits import PLACES

HABITS = PROJECT / "docs" / "habits.md"


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
