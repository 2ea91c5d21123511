"""Rename a local everywhere.

The checks here give plain reasons early; they are not what safety rests on. That is the proof's.
"""

from __future__ import annotations


from zephyrun.changes.new_names import reason_against_spelling
from zephyrun.changes.refusal import Refusal
from zephyrun.facts import FileFacts, Role
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.source import Edit, EditSet, SourceText

_ALIAS_BEFORE = lazy_pattern(r"\bas(?:[ \t\f\r\n]|\\|\#[^\r\n]*)+\Z")
_LONGEST_GAP = 200


def rename_local(source: SourceText, facts: FileFacts, binding: int, new: str) -> EditSet | Refusal:
    """The edits that give a local another name, or why there are none."""
    old = facts.bindings[binding].name
    if (reason := _reason_against(facts, binding, new)) is not None:
        return Refusal(reason)
    edits = EditSet()
    for index in facts.bindings[binding].references:
        reference = facts.references[index]
        if reference.role is Role.IMPORT and not _has_alias(source, reference.start):
            edits.add(Edit(reference.end, reference.end, f" as {new}"))
        else:
            edits.add(Edit(reference.start, reference.end, new))
    assert len(edits), f"{old} stands nowhere"
    return edits


def _reason_against(facts: FileFacts, binding: int, new: str) -> str | None:
    record = facts.bindings[binding]
    old = record.name
    if not new:
        return f"no new name is given for `{old}`; fill in `new` in the plan"
    if (reason := reason_against_spelling(new)) is not None:
        return reason
    if new == old:
        return f"`{new}` is the name it has already"
    if not is_local_variable(facts, binding):
        return f"`{old}` is not a plain local, so its name can be seen from outside its function"
    if facts.is_shown(binding):
        return f"a text prints the name `{old}` together with its value"
    for other in facts.references:
        if facts.bindings[other.binding].name == new and record.scope in facts.ancestors(other.scope):
            if facts.bindings[other.binding].outside and new in BUILTINS:
                return f"`{new}` is a builtin that the function uses"
            return f"`{new}` is used in the same function already"
    if new in BUILTINS:
        return f"`{new}` is a builtin, and would be hidden"
    return None


def _has_alias(source: SourceText, start: int) -> bool:
    return _ALIAS_BEFORE.search(source.text[max(start - _LONGEST_GAP, 0) : start]) is not None
