"""`Step`: one change that a person can accept, edit or strike out."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Step:
    """One change. Its address is `scope`, `old` and `ordinal`; `line` and `column` are for people.

    `confirm` is what a person vouches for by accepting a step whose remedy is `review`.
    """

    id: str
    action: str
    finding: str
    path: str
    scope: str
    old: str
    ordinal: int
    line: int
    column: int
    new: str
    choices: tuple[str, ...]
    score: float
    remedy: str
    confirm: tuple[str, ...]
    accept: bool
    why: str
    note: str = ""
    # The kind of finding that the step settles, where the action alone does not say it.
    kind: str = ""
    # "function" or "class" where it is the name of one.
    sort: str = ""
