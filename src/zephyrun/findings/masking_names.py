"""`masking-name`: locals that hide a builtin, an import or a definition that the same file still needs."""

from __future__ import annotations

from collections.abc import Iterator
from math import log2

from zephyrun.facts import FileFacts, Role, ScopeKind
from zephyrun.findings.about_names import about_variable, lines_of, spelling_of
from zephyrun.findings.finding import FileView, Finding
from zephyrun.languages.python.reserved import BUILTINS

_HIDES_A_BUILTIN = 0.9
_HIDES_A_NAME = 0.6
# What is needed only far away, nobody will take for the other; builtins are needed everywhere.
_NEAR_LINES = 60


def find_masking_names(view: FileView) -> Iterator[Finding]:
    """Judge every local of the file that is no parameter: callers may know those by their names."""
    facts = view.facts
    outer = {
        record.name: binding
        for binding, record in enumerate(facts.bindings)
        if record.scope == 0 and record.references
    }
    # No imports: a function that imports what the module imports too means the same thing.
    for binding in view.variables_to_name:
        hidden = outer.get(facts.bindings[binding].name)
        what = _what_is_hidden(facts, hidden) if hidden is not None else ""
        if hidden is None or not what:
            continue
        first, last = lines_of(view, binding)
        scope = facts.scopes[facts.bindings[binding].scope]
        if scope.kind is ScopeKind.COMPREHENSION and last == first:
            # Nobody looks for the other one there.
            continue
        needed = _nearest_use(view, hidden, first)
        if not facts.bindings[hidden].outside and abs(needed - first) > _NEAR_LINES:
            continue
        message = f"`{spelling_of(view, binding)}` hides {what}, which line {needed} needs."
        worst = _HIDES_A_BUILTIN if facts.bindings[hidden].outside else _HIDES_A_NAME
        yield about_variable(view, binding, "masking-name", message, worst * (2 + log2(2 + last - first)))


def _what_is_hidden(facts: FileFacts, hidden: int) -> str:
    """What a name of the module is, for the end of a sentence; "" for what may well be hidden."""
    record = facts.bindings[hidden]
    roles = facts.roles(hidden)
    if Role.READ not in roles:
        return ""
    if record.outside:
        return "the builtin of that name" if record.name in BUILTINS else ""
    if Role.IMPORT in roles:
        return "an import"
    if Role.CLASS in roles:
        return "a class of this file"
    return "a function of this file" if Role.FUNCTION in roles else ""


def _nearest_use(view: FileView, hidden: int, line: int) -> int:
    """The line nearest to another where a name of the module is read."""
    facts = view.facts
    lines = [
        view.source.line_of(facts.references[index].start)
        for index in facts.bindings[hidden].references
        if facts.references[index].role is Role.READ
    ]
    return min(lines, key=lambda each: (abs(each - line), each))
