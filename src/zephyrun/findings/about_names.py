"""What the findings about names have in common: where a name stands, and what can be done about it."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.facts import Definition
from zephyrun.findings.finding import FileView, Finding, Remedy, please_confirm
from zephyrun.naming.features import is_variable
from zephyrun.naming.questions import Suggestion, ask, group_of
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.proof.remains import reservations


def lines_of(view: FileView, binding: int) -> tuple[int, int]:
    """The first and the last line on which a name stands, from 1."""
    references = view.facts.bindings[binding].references
    first = view.source.line_of(view.facts.references[references[0]].start)
    last = view.source.line_of(view.facts.references[references[-1]].start)
    return first, last


def spelling_of(view: FileView, binding: int) -> str:
    """The name as it stands in the text; inside classes it may be mangled otherwise."""
    first = view.facts.references[view.facts.bindings[binding].references[0]]
    return view.source.text[first.start : first.end]


def span(n_lines: int, n_uses: int) -> str:
    """How far a reader has to carry a name, in words."""
    lines = "one line" if n_lines == 1 else f"{n_lines} lines"
    uses = "use" if n_uses == 1 else "uses"
    return f"{lines} and {n_uses} {uses}"


def about_local(
    view: FileView,
    binding: int,
    kind: str,
    message: str,
    weight: float,
    least_score: float = 0.0,
    *,
    only_said: bool = False,
    suggestions: tuple[Suggestion, ...] | None = None,
) -> Finding:
    """The finding that a local should have another name, with the question which, unless `suggestions` say that
    already. Where no name reaches `least_score`, there is nothing to be found; with `only_said`, it must be one
    that the code says."""
    facts, source = view.facts, view.source
    record = facts.bindings[binding]
    spelling = spelling_of(view, binding)
    start = facts.references[record.references[0]].start
    remedy, confirm, because = _remedy(view, binding, spelling)
    question = None
    if suggestions is None:
        taken = view.names_mentioned(facts.owner(record.scope))
        group = group_of(facts, view.path, binding)
        contexts = view.contexts.by_binding
        question = ask(source, facts, binding, contexts, taken, spelling, group, least_score, only_said)
    return Finding(
        kind=kind,
        path=view.path,
        start=source.place(start),
        end=source.place(start + len(spelling)),
        subject=spelling,
        scope=view.scope_name(record.scope),
        ordinal=facts.ordinal(binding),
        message=message + because,
        weight=round(weight, 1),
        remedy=remedy,
        confirm=confirm,
        suggestions=suggestions or (),
        question=question,
    )


def about_definition(
    view: FileView,
    definition: Definition,
    kind: str,
    message: str,
    weight: float,
    suggestions: tuple[Suggestion, ...] = (),
) -> Finding:
    """The finding that a function or class should have another name. It is only told: who else may call it by its
    name, a rename finds out."""
    source, facts = view.source, view.facts
    binding = facts.reference_by_start[definition.name_start].binding
    return Finding(
        kind=kind,
        path=view.path,
        start=source.place(definition.name_start),
        end=source.place(definition.name_start + len(definition.name)),
        subject=definition.name,
        scope=view.scope_name(definition.scope),
        ordinal=facts.ordinal(binding),
        message=message,
        weight=weight,
        remedy=Remedy.NONE,
        suggestions=suggestions,
    )


def variables_to_name(view: FileView) -> Iterator[int]:
    """The locals of a file that are variables and no parameters, and may have another name."""
    facts = view.facts
    for binding, record in enumerate(facts.bindings):
        if record.scope and is_variable(facts, binding) and is_local_variable(facts, binding):
            yield binding


def _remedy(view: FileView, binding: int, spelling: str) -> tuple[Remedy, tuple[str, ...], str]:
    if view.facts.is_shown(binding):
        return Remedy.NONE, (), f" It cannot be renamed: a text prints the name by `{{{spelling}=}}`."
    references = view.facts.bindings[binding].references
    confirm = (
        *(each.what for each in reservations(view.facts, binding, view.surroundings)),
        *view.quoted(view.facts.references[index].start for index in references),
    )
    if confirm:
        return Remedy.REVIEW, confirm, please_confirm(confirm)
    return Remedy.SAFE, (), ""
