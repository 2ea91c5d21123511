"""Says whether two versions behave the same. It trusts no other room that changes code.

Translation validation: each result is checked afresh by three witnesses (`normal_form`,
`compiled`, `remains`), and only when all agree is the verdict `same`. In doubt it is `unproven`.
"""

from zephyrun.proof.comparison import compare_files
from zephyrun.proof.named_constants import namespace_reservations
from zephyrun.proof.quoted_lines import quoted_line_reservations
from zephyrun.proof.remains import Reservation, Surroundings, reservations
from zephyrun.proof.trees import (
    Content,
    TreeProof,
    compare_trees,
    find_clashes,
    find_surroundings,
)
from zephyrun.proof.verdict import DefinitionProof, Difference, FileProof, Verdict

__all__ = [
    "Content",
    "DefinitionProof",
    "Difference",
    "FileProof",
    "Reservation",
    "Surroundings",
    "TreeProof",
    "Verdict",
    "compare_files",
    "compare_trees",
    "find_clashes",
    "find_surroundings",
    "namespace_reservations",
    "quoted_line_reservations",
    "reservations",
]
