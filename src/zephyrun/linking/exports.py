"""What a module offers to those that import everything from it."""

from __future__ import annotations

from zephyrun.facts import Role
from zephyrun.linking.linkage import LinkedFile


def export_ranges(file: LinkedFile) -> list[tuple[int, int]]:
    """Where a module's `__all__` is written."""
    binding = file.module_bindings.get("__all__")
    return statements_of(file, binding) if binding is not None else []


def statements_of(file: LinkedFile, binding: int) -> list[tuple[int, int]]:
    """Where the statements begin and end in which a binding's name stands."""
    facts = file.facts
    statements = [
        facts.statements[facts.statement_at(facts.references[index].start)]
        for index in facts.bindings[binding].references
    ]
    return [(each.start, each.end) for each in statements]


def is_exported(file: LinkedFile, name: str) -> bool:
    """Whether `import *` takes a name along, as far as it shows: it may where the list is worked out."""
    if "__all__" not in file.module_bindings:
        return not name.startswith("_")
    if any(_is_worked_out(file, start, end) for start, end in export_ranges(file)):
        return True
    return any(
        text.words == name
        for start, end in export_ranges(file)
        for text in file.facts.texts_between(start, end)
    )


def _is_worked_out(file: LinkedFile, start: int, end: int) -> bool:
    """Whether a list of exported names holds more than what is written there."""
    facts = file.facts
    references = [facts.references[index] for index in facts.references_between(start, end)]
    return any(
        each.role is Role.READ and facts.bindings[each.binding].name != "__all__" for each in references
    )
