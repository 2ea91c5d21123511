"""`off-style-name`: names that are written otherwise than the project writes names of their sort."""

from __future__ import annotations

from collections.abc import Iterator
from math import log2

from zephyrun.facts import ContextSort, Definition, ScopeKind
from zephyrun.findings.about_names import (
    about_definition,
    about_variable,
    lines_of,
    owes_its_name,
    spelling_of,
)
from zephyrun.findings.finding import FileView, Finding
from zephyrun.languages.python.reserved import RESERVED
from zephyrun.layout.habits import PASCAL, PLACES
from zephyrun.layout.name_styles import in_style, style_of
from zephyrun.naming.questions import Suggestion
from zephyrun.naming.words import split_name

# As sure as one can be that somebody wants it.
_SCORE = 0.95
_WEIGHT_OF_A_DEFINITION = 2.0
_WEIGHT_OF_A_VARIABLE = 0.5


def find_off_style_names(view: FileView) -> Iterator[Finding]:
    """Judge locals, and functions and classes that owe their names to nobody else."""
    for definition in view.facts.definitions:
        is_class = definition.sort is ScopeKind.CLASS
        place = "class-name" if is_class else "function-name"
        if not (new := _better(view, definition.name, place)) or _follows_another(view, definition):
            continue
        if is_class or not owes_its_name(view, definition):
            suggestions = _suggested(view, new, view.facts.names, place)
            message = _message(view, definition.name, place)
            yield about_definition(
                view, definition, "off-style-name", message, _WEIGHT_OF_A_DEFINITION, suggestions=suggestions
            )
    for binding in view.variables_to_name:
        spelling = spelling_of(view, binding)
        new = _better(view, spelling, "variable-name")
        if not new or _is_class_by_another_name(view, binding, spelling):
            continue
        first, last = lines_of(view, binding)
        weight = _WEIGHT_OF_A_VARIABLE * (1 + log2(2 + last - first))
        message = _message(view, spelling, "variable-name")
        taken = view.names_mentioned(view.facts.owner(view.facts.bindings[binding].scope))
        suggestions = _suggested(view, new, taken, "variable-name")
        yield about_variable(view, binding, "off-style-name", message, weight, suggestions=suggestions)


def _follows_another(view: FileView, definition: Definition) -> bool:
    """Whether a class is written as one that it extends is, or a function as the class is that it stands for: what it
    gives is made inside."""
    style = style_of(definition.name)
    if definition.sort is ScopeKind.CLASS:
        reference = view.facts.reference_by_start.get(definition.name_start)
        contexts = view.contexts.by_binding.get(reference.binding, ()) if reference is not None else ()
        return any(each.sort is ContextSort.EXTENDS and style_of(each.name) == style for each in contexts)
    return style == PASCAL and any(each.scope == definition.inner_scope for each in view.facts.definitions)


def _is_class_by_another_name(view: FileView, binding: int, name: str) -> bool:
    """Whether a variable in the style of classes is set to something in that style, as a class is."""
    contexts = view.contexts.by_binding.get(binding, ())
    return style_of(name) == PASCAL and any(
        each.sort in (ContextSort.FROM_VARIABLE, ContextSort.FROM_ATTRIBUTE) and each.name.lstrip("_")[:1].isupper()
        for each in contexts
    )


def _better(view: FileView, name: str, place: str) -> str:
    """A name in the style that the project has in a place, "" where it is in it, or in none."""
    wanted, style = view.habits.get(place, ""), style_of(name)
    words = split_name(name)
    if not wanted or not style or style == wanted or max(map(len, words)) == 1:
        # Letters side by side, as in `R2I`, are no words.
        return ""
    return in_style(name, words, wanted)


def _message(view: FileView, name: str, place: str) -> str:
    return f"`{name}` is written otherwise than {PLACES[place].what} are here: {_looks(view, place)}."


def _looks(view: FileView, place: str) -> str:
    return PLACES[place].sides[view.habits[place]]


def _suggested(view: FileView, new: str, taken: frozenset[str], place: str) -> tuple[Suggestion, ...]:
    if new in taken or new in RESERVED:
        return ()
    return (Suggestion(new, _SCORE, (f"{PLACES[place].what} are written {_looks(view, place)} here",)),)
