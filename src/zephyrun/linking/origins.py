"""What an expression of a syntax tree is a value of."""

from __future__ import annotations

import ast

from zephyrun.link_facts import UNKNOWN, Origin, OriginSort
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.syntax_trees import syntax_tree


def origin_of(file: LinkedFile, node: ast.Name | ast.Attribute) -> Origin:
    """What a name or attribute is a value of."""
    tree = syntax_tree(file.data)
    if isinstance(node, ast.Name):
        reference = file.facts.reference_by_start.get(tree.start_of(node))
        return Origin(OriginSort.NAME, node.id, reference.binding) if reference is not None else UNKNOWN
    end = tree.end_of(node)
    uses = [use for use in file.links.attributes_by_name.get(node.attr, ()) if use.end == end]
    return Origin(OriginSort.ATTRIBUTE, node.attr, -1, (uses[0].receiver,)) if uses else UNKNOWN
