"""What a module offers to those that import everything from it."""

from __future__ import annotations

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
