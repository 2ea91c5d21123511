"""What speaks against a new name wherever it is to stand."""

from __future__ import annotations

from zephyrun.facts import FileFacts
from zephyrun.languages.python.reserved import KEYWORDS


def reason_against_spelling(new: str) -> str | None:
    """Why no variable should be called so, in one phrase; `None` where nothing speaks against it."""
    if not new.isidentifier():
        return f"`{new}` is not a name that Python allows"
    if new in KEYWORDS:
        return f"`{new}` is a keyword"
    if new.startswith("__"):
        return f"`{new}` begins with two underscores, which Python gives a meaning of its own"
    return None


def names_that_keep_order(facts: FileFacts, binding: int, new: str) -> str:
    """Which names would leave the variables that a function shares with inner ones in the alphabetical order in which
    they are cleared, in one phrase; "" where the new name does."""
    own = facts.bindings[binding]
    shared = sorted(
        each.name for each in facts.bindings if each.scope == own.scope and each.captured and not each.outside
    )
    if own.name not in shared:
        return ""
    place = shared.index(own.name)
    below, above = shared[:place][-1:], shared[place + 1 :][:1]
    if all(name < new for name in below) and all(new < name for name in above):
        return ""
    after = [f"after `{name}`" for name in below]
    before = [f"before `{name}`" for name in above]
    return f"a name that stands {' and '.join(after + before)} in the alphabet keeps the order"
