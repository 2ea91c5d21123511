"""`vague-name`: names that would fit anything, where the code says what the thing is."""

from __future__ import annotations

from collections.abc import Iterator
from math import log2

from zephyrun.facts import ContextSort, Role, ScopeKind
from zephyrun.findings.about_names import (
    about_definition,
    about_variable,
    is_free_parameter,
    lines_of,
    owes_its_name,
    span,
    spelling_of,
)
from zephyrun.findings.finding import FileView, Finding
from zephyrun.naming.features import VALUES, is_variable
from zephyrun.naming.letters import VAGUE_WORDS, is_vague_definition
from zephyrun.naming.questions import Wanted
from zephyrun.naming.words import crypticness
from zephyrun.proof.normal_form import is_local_variable

# A vague word over few lines is read together with what it holds.
_FEW_LINES = 6
_FEW_USES = 4
# Whoever calls a thing `data` may mean it; only a name that is surely better is worth a word.
_SURELY, _ALMOST_CERTAINLY, _PERHAPS = 0.7, 0.8, 0.07
_BETTER = Wanted(_SURELY, only_said=True)
# Parameters are often meant to take anything.
_BETTER_FOR_OTHERS = Wanted(_ALMOST_CERTAINLY, only_said=True)
_BETTER_FOR_DEFINITIONS = Wanted(_PERHAPS, only_said=True)
_MOST_VALUES = 2
_VAGUENESS = 0.6
# What says in an annotation how many of a class there are, and nothing of what they are.
_AROUND_OTHERS = frozenset(
    "Optional List Dict Set Tuple Type Sequence Mapping Iterable Iterator AsyncIterable AsyncIterator Callable".split()
)
_KEYS = frozenset({"key", "keyword", "name", "attr", "k"})
_TAKEN_FROM = frozenset({ContextSort.FROM_ATTRIBUTE, ContextSort.FROM_KEY})
_WEIGHT_OF_A_DEFINITION = 2.0


def find_vague_names(view: FileView) -> Iterator[Finding]:
    """Judge variables and parameters whose names can be read, and functions and classes that owe their names to nobody
    else."""
    facts = view.facts
    for binding, record in enumerate(facts.bindings):
        name = record.name.strip("_")
        if name not in VAGUE_WORDS or crypticness(name) or not is_variable(facts, binding):
            continue
        if (wanted := _wanted(view, binding)) is None:
            continue
        first, last = lines_of(view, binding)
        n_lines, n_uses = last - first + 1, len(record.references)
        if n_lines < _FEW_LINES and n_uses < _FEW_USES:
            continue
        made = {each.name for each in view.contexts.by_binding.get(binding, ()) if each.sort in VALUES}
        if len(made) > _MOST_VALUES or _may_be_several(view, binding) or _goes_on_as_another(view, binding):
            # It is now this and now that, and no word fits it all.
            continue
        message = (
            f"`{spelling_of(view, binding)}` would fit anything, over {span(n_lines, n_uses)}, "
            "and the code says what it is."
        )
        weight = _VAGUENESS * (log2(1 + n_lines) + log2(1 + n_uses) / 2)
        yield about_variable(view, binding, "vague-name", message, weight, wanted)
    for definition in facts.definitions:
        # Inside a function, `func` is what it makes and gives; of a method, its class says the rest.
        is_inside = facts.scopes[definition.scope].kind is not ScopeKind.MODULE
        if not is_inside and is_vague_definition(definition.name) and not owes_its_name(view, definition):
            message = f"`{definition.name}` would fit anything, and the code says what it is for."
            yield about_definition(
                view, definition, "vague-name", message, _WEIGHT_OF_A_DEFINITION, _BETTER_FOR_DEFINITIONS
            )


def _may_be_several(view: FileView, binding: int) -> bool:
    """Whether something is said or asked to be of several types, or is the value of any key."""
    facts = view.facts
    contexts = view.contexts.by_binding.get(binding, ())
    asked = {each.name for each in contexts if each.sort is ContextSort.IS_A}
    annotated = {each.name for each in contexts if each.sort is ContextSort.ANNOTATED}
    classes = {name for name in annotated if name[:1].isupper()} - _AROUND_OTHERS
    record = facts.bindings[binding]
    is_beside_its_key = record.name == "value" and any(
        other.name in _KEYS and other.scope == record.scope for other in facts.bindings
    )
    return is_beside_its_key or "Union" in annotated or max(len(asked), len(classes)) > 1


def _goes_on_as_another(view: FileView, binding: int) -> bool:
    """Whether something is made anew from what it was (`data = compress(data)`), so that no word fits it all, or has the
    word from where it was taken (`result = call.result`)."""
    facts = view.facts
    record = facts.bindings[binding]
    references = [facts.references[index] for index in record.references]
    written = {view.source.line_of(each.start) for each in references if each.role is Role.ASSIGN}
    name = record.name.strip("_")
    return any(
        each.role is Role.AUGMENT or (each.role is Role.READ and view.source.line_of(each.start) in written)
        for each in references
    ) or any(
        each.sort in _TAKEN_FROM and each.name == name for each in view.contexts.by_binding.get(binding, ())
    )


def _wanted(view: FileView, binding: int) -> Wanted | None:
    if is_local_variable(view.facts, binding):
        return _BETTER
    return _BETTER_FOR_OTHERS if is_free_parameter(view, binding) else None
