"""The proof's answers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum


class Verdict(StrEnum):
    """Do two versions do the same? `different` and `unproven` come with reasons and places."""

    SAME = "same"
    DIFFERENT = "different"
    UNPROVEN = "unproven"


def worst(verdicts: Iterable[Verdict]) -> Verdict:
    """`different` if any is, else `unproven` if any is, else `same`."""
    found = set(verdicts)
    for verdict in (Verdict.DIFFERENT, Verdict.UNPROVEN):
        if verdict in found:
            return verdict
    return Verdict.SAME


@dataclass(frozen=True)
class Difference:
    """One place that keeps two versions from being the same. Lines are 1-based; 0 is no line."""

    old_line: int
    new_line: int
    what: str
    verdict: Verdict = Verdict.UNPROVEN


@dataclass(frozen=True)
class DefinitionProof:
    """The verdict on one function or class, as far as what it calls (`given`) is the same."""

    name: str
    verdict: Verdict
    given: tuple[str, ...] = ()


@dataclass(frozen=True)
class FileProof:
    """The verdict on one file. `edits` counts what was recognised, by sort; `introduced` are constants
    of the module that only the new version has, `folded` those that only the old one has."""

    verdict: Verdict
    edits: tuple[tuple[str, int], ...] = ()
    differences: tuple[Difference, ...] = ()
    definitions: tuple[DefinitionProof, ...] = ()
    assumptions: tuple[str, ...] = ()
    introduced: tuple[str, ...] = ()
    folded: tuple[str, ...] = ()

    def edit_texts(self) -> tuple[str, ...]:
        """The edits for people, such as `12 local renames`."""
        return tuple(_counted(sort, count) for sort, count in self.edits)


# Sorts of edits of which another word than the last one has an ending for many.
_MANY = {
    "branch written the other way": "branches written the other way",
    "comparison written the other way": "comparisons written the other way",
    "local that stood for a constant": "locals that stood for a constant",
    "local that nothing read": "locals that nothing read",
    "argument with or without its keyword": "arguments with or without their keywords",
    "loop over an index": "loops over an index",
    "passage in a function of its own": "passages in functions of their own",
    "variable that was only given back": "variables that were only given back",
    "annotation that nothing reads": "annotations that nothing reads",
    "annotation of a local": "annotations of locals",
    "definition or import in another place": "definitions or imports in another place",
}


def _counted(sort: str, count: int) -> str:
    if sort == "layout":
        return sort
    return f"1 {sort}" if count == 1 else f"{count} {_MANY.get(sort, f'{sort}s')}"
