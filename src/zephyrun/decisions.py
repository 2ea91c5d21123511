"""What a team has decided about findings, in a file that it can commit.

    schema = "zephyrun.decisions/1"
    [[declined]]              # not proposed again
    finding = "k3f9a1"
    path = "hive/log.py"      # path and old are for people
    old = "w"
    [[note]]                  # told in every survey
    finding = "m2ab9d"
    path = "hive/log.py"
    old = "t"
    text = "is in Fahrenheit, a bug?"
    [[name]]                  # proposed for the like, and its words are the team's
    path = "hive/log.py"
    old = "wt"
    new = "weight"
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from zephyrun.errors import UserError
from zephyrun.naming.offers import ChosenName

if TYPE_CHECKING:
    from zephyrun.changes.step import Step
    from zephyrun.plan import Plan

DECISIONS_FILE = "zephyrun-decisions.toml"
_SCHEMA = "zephyrun.decisions/1"
_HEADER = (
    "What was decided about findings of zephyrun. Commit this file to share it;",
    "delete an entry to have a finding proposed again.",
)


class Note(NamedTuple):
    """What somebody wrote about a finding."""

    finding: str
    path: str
    old: str
    text: str


class Decisions(NamedTuple):
    """Ids of findings that are not to be proposed again, notes, and names that were learned."""

    declined: frozenset[str] = frozenset()
    notes: tuple[Note, ...] = ()
    names: tuple[ChosenName, ...] = ()


def read_decisions(root: Path) -> Decisions:
    """The decisions of the project at a root. Errors: `UserError` for a file that is damaged."""
    path = root / DECISIONS_FILE
    if not path.is_file():
        return Decisions()
    # Imported here, as below: few projects have decisions, and start-up should stay fast.
    import tomllib

    try:
        document = tomllib.loads(path.read_bytes().decode("utf-8-sig"))
        return Decisions(
            frozenset(str(each["finding"]) for each in document.get("declined", [])),
            tuple(
                Note(*(str(each.get(key, "")) for key in ("finding", "path", "old", "text")))
                for each in document.get("note", [])
            ),
            tuple(
                ChosenName(str(each["old"]), str(each["new"]), str(each.get("path", "")))
                for each in document.get("name", [])
            ),
        )
    except OSError as problem:
        raise UserError(f"{path} cannot be read: {problem.strerror}") from problem
    except (ValueError, RecursionError) as problem:
        raise UserError(f"{path} is not valid TOML: {problem}") from problem
    except (KeyError, TypeError, AttributeError) as problem:
        raise UserError(
            f"{path}: each [[declined]] and [[note]] must be a table with a `finding`, each [[name]] one with `old` and `new`"
        ) from problem


def decisions_text(plan: Plan, *, with_declined: bool, learned: Collection[str] = ()) -> str | None:
    """The decisions file as a plan leaves it: with its notes, on demand with what was struck out, and with the names
    that the steps with the ids of `learned` gave.

    `None` where the plan brings nothing new. Errors: `UserError` for a file that is damaged.
    """
    known = read_decisions(plan.root)
    struck_out = struck_out_of(plan) if with_declined else []
    declined = [each for each in struck_out if each["finding"] not in known.declined]
    told = {(note.finding, note.text) for note in known.notes}
    notes = [
        {"finding": step.finding, "path": step.path, "old": step.old, "text": step.note}
        for step in plan.steps
        if step.note and (step.finding, step.note) not in told
    ]
    given = [ChosenName(step.old, step.new, step.path) for step in plan.steps if step.id in learned]
    known_names = {(each.old, each.new) for each in known.names}
    names = {
        (each.old, each.new): {"path": each.path, "old": each.old, "new": each.new}
        for each in reversed(given)
        if (each.old, each.new) not in known_names
    }
    if not declined and not notes and not names:
        return None
    entries = {"declined": declined, "note": notes, "name": list(names.values())[::-1]}
    return _with_entries(plan.root / DECISIONS_FILE, entries)


def struck_out_of(plan: Plan) -> list[dict[str, str]]:
    """Findings that were proposed, and about which the person wants nothing done: their steps were
    deleted, or were accepted at first and no longer are."""
    from zephyrun.plan import starts_accepted

    by_finding: dict[str, Step] = {step.finding: step for step in plan.steps}
    found = [{"finding": each} for each in plan.proposed if each not in by_finding]
    found += [
        {"finding": step.finding, "path": step.path, "old": step.old}
        for step in plan.steps
        if step.finding in plan.proposed and not step.accept and starts_accepted(step)
    ]
    return found


def _with_entries(path: Path, more: Mapping[str, Sequence[dict[str, str]]]) -> str:
    import tomlkit

    if path.is_file():
        document = tomlkit.parse(path.read_text("utf-8-sig"))
    else:
        document = tomlkit.document()
        for line in _HEADER:
            document.add(tomlkit.comment(line))
        document.add("schema", tomlkit.item(_SCHEMA))
    for key, entries in more.items():
        if not entries:
            continue
        tables: Any = document.get(key)
        if tables is None:
            tables = tomlkit.aot()
            document.add(key, tables)
            tables = document[key]
        for entry in entries:
            table = tomlkit.table()
            for name, value in entry.items():
                table.add(name, value)
            tables.append(table)
    return tomlkit.dumps(document)
