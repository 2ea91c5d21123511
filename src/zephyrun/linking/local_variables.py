"""Variables of functions that no other function knows, and where they are read."""

from __future__ import annotations

import ast
from collections.abc import Collection
from typing import NamedTuple

from zephyrun.facts import BINDING_ROLES, Role, ScopeKind
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.syntax_trees import syntax_tree

_OF_FUNCTIONS = frozenset({ScopeKind.FUNCTION})
# What gives a variable a value, or none, and takes nothing of what it had.
_GIVING = BINDING_ROLES - {Role.AUGMENT}


class LocalVariable(NamedTuple):
    """A variable by its binding, and the names that read it, in text order."""

    binding: int
    reads: tuple[ast.Name, ...]


def local_variable(
    file: LinkedFile, name: ast.Name, scopes: Collection[ScopeKind] = _OF_FUNCTIONS
) -> LocalVariable | None:
    """The variable that a name is; `None` for one of another scope, and where somebody else may know it or it is added to."""
    tree, facts = syntax_tree(file.data), file.facts
    reference = facts.reference_by_start.get(tree.start_of(name))
    if reference is None:
        return None
    record = facts.bindings[reference.binding]
    if facts.scopes[record.scope].kind not in scopes or record.captured:
        return None
    others = [each for each in map(facts.references.__getitem__, record.references) if each.role not in _GIVING]
    reads = [tree.names.get(each.start) if each.role is Role.READ else None for each in others]
    found = tuple(each for each in reads if each is not None)
    return LocalVariable(reference.binding, found) if len(found) == len(reads) else None

