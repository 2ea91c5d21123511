"""What asks things for names (`getattr`, `attrgetter`, `vars`, …), and may be called by another name than its own, or handed
on. Source: library reference."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from zephyrun.languages.python.nodes import last_name
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.patterns import lazy_pattern

LOOKUPS = frozenset({"getattr", "setattr", "hasattr", "delattr"})
# Special methods that are asked for a name, and what keeps names to ask for later.
HOOKS = frozenset({"__getattr__", "__getattribute__", "__setattr__", "__delattr__"})
ASKING_LATER = frozenset({"attrgetter", "methodcaller"})
LOOKS_PAST_HOOKS = "getattr_static"
# What gives the names that something has.
LISTING_NAMES = frozenset({"vars", "dir", "getmembers", "getmembers_static"})
NAME_READERS = LOOKUPS | ASKING_LATER | LISTING_NAMES | {LOOKS_PAST_HOOKS}
# Where they come from, and what brings some, at a glance.
MODULES_OF_READERS = frozenset({"builtins", "operator", "_operator", "inspect"})
_BRINGS_READERS = lazy_pattern(r"\bfrom\s+(?:builtins|_?operator|inspect)\s+import\b")
ASKED_FOR_ANY_NAME = "__getattribute__"
# One behind a dot that is not called goes on; a builtin is one behind its module alone.
READERS_BEHIND_DOTS = NAME_READERS - BUILTINS | {ASKED_FOR_ANY_NAME, "__setattr__", "__delattr__"}
# What gives one of them that is asked for by its name.
GIVING_READERS = ASKING_LATER | {"getattr", LOOKS_PAST_HOOKS}


def imported_in_disguise(tree: ast.Module, text: str) -> Iterator[ast.alias]:
    """The imports that give some of them another name, in whatever scope of a file with a text."""
    if _BRINGS_READERS.search(text) is None:
        return
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module in MODULES_OF_READERS and not node.level:
            yield from (alias for alias in node.names if alias.asname is not None and alias.name in NAME_READERS)


def puts_stand_in(callee: ast.expr) -> bool:
    """Whether what is called puts a stand-in in the place of an attribute (`patch.object(hive, "kg")`)."""
    return isinstance(callee, ast.Attribute) and callee.attr == "object" and last_name(callee.value) == "patch"
