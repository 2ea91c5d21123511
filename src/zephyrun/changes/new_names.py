"""What speaks against a new name wherever it is to stand."""

from __future__ import annotations

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
