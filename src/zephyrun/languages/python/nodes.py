"""All nodes of a tree at once, and what one is called."""

from __future__ import annotations

import ast


def nodes_in(tree: ast.AST) -> list[ast.AST]:
    """All nodes of a tree: itself first, then those nearer to it before others, as `ast.walk` gives them. Comparisons go
    through the same trees many times, and this takes half as long."""
    found = [tree]
    for node in found:
        for field in node._fields:
            value = getattr(node, field, None)
            if isinstance(value, ast.AST):
                found.append(value)
            elif isinstance(value, list):
                found += [each for each in value if isinstance(each, ast.AST)]
    return found


def last_name(node: ast.AST) -> str:
    """The name, or the last part of a dotted one, that an expression is; "" for another one."""
    if isinstance(node, ast.Attribute):
        return node.attr
    return node.id if isinstance(node, ast.Name) else ""
