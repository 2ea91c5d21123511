"""Files that open themselves: whatever a clean-up changes in them, comments included, they may see."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from zephyrun.languages.python import ParsedFile
from zephyrun.proof.remains import Reservation

_MARKS = (b"__file__", b"argv")
# What makes of a path the same path, in another spelling or kind.
_KEEPS_PATH = frozenset("Path PurePath abspath absolute realpath resolve expanduser fspath normpath str strip".split())
_OPENS = frozenset("open read_text read_bytes getlines getline read FileIO fopen run_path".split())


def own_text_reservations(parsed: ParsedFile) -> Iterator[Reservation]:
    """A reservation for each place at which the file opens itself."""
    source = parsed.source
    if not any(mark in source.to_bytes() for mark in _MARKS):
        return
    paths = set(_names_of_path(parsed.tree))
    for node in ast.walk(parsed.tree):
        if isinstance(node, ast.Call) and _last_name(node.func) in _OPENS and _has_path(node, paths):
            start = parsed.start_of(node)
            code = source.line(source.line_of(start)).strip()
            yield Reservation(f"it does not matter what the text of this file is, which it opens itself in `{code}`", start)


def _names_of_path(tree: ast.Module) -> Iterator[str]:
    """Variables that are set to the path of the file, by their spelling."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Assign) and _is_path(node.value, set()):
            yield from (target.id for target in node.targets if isinstance(target, ast.Name))


def _has_path(call: ast.Call, paths: set[str]) -> bool:
    values = [*call.args[:1], *(keyword.value for keyword in call.keywords)]
    if isinstance(call.func, ast.Attribute):
        values.append(call.func.value)
    return any(_is_path(value, paths) for value in values)


def _is_path(node: ast.expr, paths: set[str]) -> bool:
    """Whether the path of the file that runs may come of this."""
    if isinstance(node, ast.Name):
        return node.id == "__file__" or node.id in paths
    if isinstance(node, ast.Subscript):
        return _last_name(node.value) == "argv" and isinstance(node.slice, ast.Constant) and node.slice.value == 0
    return isinstance(node, ast.Call) and _last_name(node.func) in _KEEPS_PATH and _has_path(node, paths)


def _last_name(node: ast.expr) -> str:
    if isinstance(node, ast.Attribute):
        return node.attr
    return node.id if isinstance(node, ast.Name) else ""
