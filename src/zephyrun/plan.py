"""The plan: steps that a person can read, strike out and edit, as a TOML file.

The format is settled in the machine interface: `[[step]]` tables, one key a line, so that tools
that work line by line can edit them.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import Any

from zephyrun.changes.step import Step
from zephyrun.errors import UserError
from zephyrun.findings import KINDS, Finding, Remedy
from zephyrun.naming.letters import MAY_BE_SHORT, telling_letters

SCHEMA = "zephyrun.plan/1"
# A suggestion with a lower score is offered, and left to the person. From here on, 85 % of names are just those
# that their authors gave (benchmarks/names/masking.py, packages of the group `tune`): 85 % where one letter of the
# name was left, 90 % where more were, and where the old name tells nothing, 85 % from the second score on. Names of
# functions are right so often only from the third on, and those of classes never. The scores of constants are by rule
# of thumb.
ACCEPTED_FROM = 0.4
ACCEPTED_WITHOUT_LETTERS_FROM = 0.6
ACCEPTED_FOR_FUNCTIONS_FROM = 0.9
CONSTANTS_ACCEPTED_FROM = 0.5
_FEW_LETTERS = 2

_ACTIONS = {
    **{name: "rename" for name, kind in KINDS.items() if kind.family == "names"},
    "magic-number": "constant",
    "echo-comment": "comment",
    "disabled-code": "comment",
    **{name: "layout" for name, kind in KINDS.items() if kind.family == "layout"},
}
# Their worth is that of the name; the others are what they are.
_NAMING_ACTIONS = frozenset({"rename", "constant"})
_HEADER = """\
# A clean-up plan. Read it, then run: zephyrun apply {name}
# Only steps with accept = true are carried out, and each only when it is proved to change nothing
# that the program does. Edit `new` to choose another name; delete a step to strike it out;
# write what you notice into `note`.
"""
_STEP_KEYS = {field.name: field.type for field in fields(Step)}
_REQUIRED = frozenset({"id", "action", "path", "scope", "old", "new", "accept"})


@dataclass(frozen=True)
class Plan:
    """Steps, and the state of the files for which they were made. `root` is an absolute folder;
    `proposed` are the findings that had a step at first."""

    root: Path
    fingerprints: Mapping[str, str]
    steps: tuple[Step, ...]
    proposed: tuple[str, ...] = ()


def steps_from_findings(findings: Iterable[Finding]) -> tuple[Step, ...]:
    """One step for each finding that has a remedy, in the order in which the findings come. A name gets one step,
    however much is wrong with it."""
    steps: list[Step] = []
    named: set[tuple[str, str, str, int]] = set()
    for finding in findings:
        action = _ACTIONS.get(finding.kind)
        if action is None or finding.remedy is Remedy.NONE:
            continue
        if action == "rename":
            address = (finding.path, finding.scope, finding.subject, finding.ordinal)
            if address in named:
                continue
            named.add(address)
        steps.append(_step(f"s{len(steps) + 1:03}", action, finding))
    return tuple(steps)


def _step(identifier: str, action: str, finding: Finding) -> Step:
    best = finding.suggestions[0] if finding.suggestions else None
    score = best.score if best is not None else 0.0
    why = "; ".join(best.evidence) if best is not None else finding.message
    step = Step(
        id=identifier,
        action=action,
        finding=finding.id,
        path=finding.path,
        scope=finding.scope,
        old=finding.subject,
        ordinal=finding.ordinal,
        line=finding.start.line,
        column=finding.start.column,
        new=best.text if best is not None else "",
        choices=tuple(each.text for each in finding.suggestions),
        score=score if action in _NAMING_ACTIONS else 1.0,
        remedy=finding.remedy.value,
        confirm=finding.confirm,
        accept=False,
        why=why,
        kind=finding.kind if action == "layout" else "",
        sort=finding.sort if action == "rename" else "",
    )
    return replace(step, accept=starts_accepted(step))


def renumbered(steps: Iterable[Step]) -> tuple[Step, ...]:
    """The steps with ids in their order, each accepted or not as what is known of it by now says."""
    return tuple(
        replace(step, id=f"s{number:03}", accept=starts_accepted(step)) for number, step in enumerate(steps, 1)
    )


def starts_accepted(step: Step) -> bool:
    """Whether a step is accepted when it is proposed."""
    needed = _needed_score(step)
    return step.remedy == Remedy.SAFE and needed is not None and step.score >= needed


def _needed_score(step: Step) -> float | None:
    """From which score on a step starts out accepted; `None` where it never does."""
    if step.action != "rename":
        return CONSTANTS_ACCEPTED_FROM
    letters = telling_letters(step.old).replace("_", "")
    # Two letters fit many words: something else must speak for one of them.
    is_guess = len(letters) <= _FEW_LETTERS and step.why == MAY_BE_SHORT.format(step.old)
    if letters and not is_guess:
        return {"": ACCEPTED_FROM, "function": ACCEPTED_FOR_FUNCTIONS_FROM}.get(step.sort)
    return None if step.sort else ACCEPTED_WITHOUT_LETTERS_FROM


def plan_text(plan: Plan, destination: Path) -> str:
    """The plan as TOML; its `root` is written relative to where the plan will lie."""
    # Imported here: only writing a plan needs it, and start-up should stay fast.
    import tomlkit

    document = tomlkit.document()
    for line in _HEADER.format(name=destination.name).splitlines():
        document.add(tomlkit.comment(line.removeprefix("# ")))
    document.add("schema", tomlkit.item(SCHEMA))
    root = os.path.relpath(plan.root, destination.resolve().parent).replace(os.sep, "/")
    document.add("root", tomlkit.item(root))
    files = tomlkit.table()
    for path, print_of_file in sorted(plan.fingerprints.items()):
        files.add(path, print_of_file)
    document.add("files", files)
    steps = tomlkit.aot()
    for step in plan.steps:
        table = tomlkit.table()
        for key in _STEP_KEYS:
            value = getattr(step, key)
            if key in ("kind", "sort") and not value:
                continue
            table.add(key, list(value) if isinstance(value, tuple) else value)
        steps.append(table)
    if plan.steps:
        document.add("step", steps)
    if plan.proposed:
        proposed = tomlkit.table()
        proposed.add(tomlkit.comment("What had a step at first: one that is gone was struck out."))
        proposed.add("findings", list(plan.proposed))
        document.add("proposed", proposed)
    return tomlkit.dumps(document)


def read_plan(path: Path) -> Plan:
    """Read a plan. Errors: `UserError`, with the place and what to do, for whatever is no plan."""
    try:
        document = tomllib.loads(path.read_bytes().decode("utf-8-sig"))
    except OSError as problem:
        raise UserError(f"{path} cannot be read: {problem.strerror}") from problem
    except UnicodeDecodeError as problem:
        raise UserError(f"{path} is not UTF-8 text, so it is no plan") from problem
    except (tomllib.TOMLDecodeError, RecursionError) as problem:
        raise UserError(f"{path} is not valid TOML: {problem}") from problem
    if document.get("schema") != SCHEMA:
        raise UserError(f'{path} is not a plan of this version: it does not say schema = "{SCHEMA}"')

    root, files, steps = document.get("root", "."), document.get("files", {}), document.get("step", [])
    if not isinstance(root, str):
        raise UserError(f"{path}: root must be a text")
    table = document.get("proposed", {})
    proposed = table.get("findings", []) if isinstance(table, dict) else None
    if not isinstance(proposed, list) or not all(isinstance(each, str) for each in proposed):
        raise UserError(f"{path}: [proposed] must give findings as a list of texts")

    if not isinstance(files, dict) or not all(isinstance(each, str) for each in files.values()):
        raise UserError(f"{path}: [files] must give a fingerprint for each path")
    if not isinstance(steps, list) or not all(isinstance(each, dict) for each in steps):
        raise UserError(f"{path}: steps must be written as [[step]] tables")

    try:
        folder = (path.resolve().parent / root).resolve()
    except (OSError, ValueError) as problem:
        raise UserError(f"{path}: root names no folder that can be looked up") from problem
    if not folder.is_dir():
        raise UserError(f"{path}: the root {root} is not there; was the plan moved?")

    read = tuple(_read_step(path, number, table) for number, table in enumerate(steps, 1))
    seen: set[str] = set()
    for step in read:
        if step.id in seen:
            raise UserError(f"{path}: two steps have the id {step.id}; give one of them another")
        seen.add(step.id)
    return Plan(folder, files, read, tuple(proposed))


def _read_step(path: Path, number: int, table: dict[str, Any]) -> Step:
    where = f"{path}: step {table.get('id', f'number {number}')}"
    values: dict[str, Any] = {
        "finding": "", "ordinal": 1, "line": 0, "column": 0, "choices": [], "score": 0.0,
        "remedy": "safe", "confirm": [], "why": "", "note": "", "kind": "",
        "sort": "",
    }
    for key in _REQUIRED:
        if key not in table:
            raise UserError(f"{where} has no `{key}`; write it, or delete the step")
    values.update((key, value) for key, value in table.items() if key in _STEP_KEYS)
    for key, value in values.items():
        wanted = _STEP_KEYS[key]
        if not _fits(value, str(wanted)):
            raise UserError(f"{where}: `{key}` must be {_WANTED[str(wanted)]}")
    values["choices"], values["confirm"] = tuple(values["choices"]), tuple(values["confirm"])
    return Step(**values)


_WANTED = {
    "str": "a text",
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
    "tuple[str, ...]": "a list of texts",
}


def _fits(value: object, wanted: str) -> bool:
    if wanted == "bool":
        return isinstance(value, bool)
    if wanted in ("int", "float"):
        allowed = (int,) if wanted == "int" else (int, float)
        return isinstance(value, allowed) and not isinstance(value, bool)
    if wanted == "str":
        return isinstance(value, str)
    return isinstance(value, list) and all(isinstance(each, str) for each in value)
