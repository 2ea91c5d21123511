"""`vague-name`: locals whose name would fit anything, where the code says what they hold."""

from __future__ import annotations

from collections.abc import Iterator
from math import log2

from zephyrun.findings.about_names import Wanted, about_variable, lines_of, span, spelling_of, variables_to_name
from zephyrun.findings.finding import FileView, Finding
from zephyrun.naming.letters import VAGUE_WORDS
from zephyrun.naming.words import crypticness

# A vague word over few lines is read together with what it holds.
_FEW_LINES = 6
_FEW_USES = 4
# Whoever calls a thing `data` may mean it; only a name that is surely better is worth a word.
_WANTED = Wanted(0.7, only_said=True)
_VAGUENESS = 0.6


def find_vague_names(view: FileView) -> Iterator[Finding]:
    """Judge every local of the file that is no parameter and whose name can be read."""
    for binding in variables_to_name(view):
        record = view.facts.bindings[binding]
        name = record.name.strip("_")
        if name not in VAGUE_WORDS or crypticness(name):
            continue
        first, last = lines_of(view, binding)
        n_lines, n_uses = last - first + 1, len(record.references)
        if n_lines < _FEW_LINES and n_uses < _FEW_USES:
            continue
        message = (
            f"`{spelling_of(view, binding)}` would fit anything, over {span(n_lines, n_uses)}, "
            "and the code says what it is."
        )
        weight = _VAGUENESS * (log2(1 + n_lines) + log2(1 + n_uses) / 2)
        yield about_variable(view, binding, "vague-name", message, weight, _WANTED)
