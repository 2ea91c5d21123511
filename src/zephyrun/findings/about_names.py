"""What the findings about names have in common: where a name stands, and what can be done about it."""

from __future__ import annotations

from zephyrun.facts import Definition, Role, ScopeKind
from zephyrun.findings.finding import FileView, Finding, Remedy, please_confirm
from zephyrun.languages.python.contexts import NO_BINDING, AttributeContexts
from zephyrun.naming.questions import (
    ANY_NAME,
    Question,
    Suggestion,
    Wanted,
    ask,
    ask_about_attribute,
    group_of,
    members_mentioned,
)
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


def about_variable(
    view: FileView,
    binding: int,
    kind: str,
    message: str,
    weight: float,
    wanted: Wanted = ANY_NAME,
    *,
    suggestions: tuple[Suggestion, ...] | None = None,
) -> Finding:
    """The finding that a variable or parameter should have another name, with the question which, unless
    `suggestions` say that already."""
    facts = view.facts
    record = facts.bindings[binding]
    spelling = spelling_of(view, binding)
    question = None
    if suggestions is None:
        question = _question(view, binding, spelling, wanted)
    remedy, confirm, because = _remedy(view, binding, spelling)
    return _finding(
        view,
        kind,
        (facts.references[record.references[0]].start, spelling),
        (view.scope_name(record.scope), facts.ordinal(binding)),
        message + because,
        weight,
        (remedy, confirm),
        suggestions or (),
        question,
        is_wide=not is_local_variable(facts, binding),
    )


def about_definition(
    view: FileView,
    definition: Definition,
    kind: str,
    message: str,
    weight: float,
    wanted: Wanted | None = None,
    *,
    suggestions: tuple[Suggestion, ...] = (),
) -> Finding:
    """The finding that a function or class should have another name, with the question which where one is
    `wanted`."""
    facts = view.facts
    binding = facts.reference_by_start[definition.name_start].binding
    question = _question(view, binding, definition.name, wanted) if wanted is not None else None
    is_told_only = question is None and not suggestions
    remedy, confirm, because = _ONLY_TOLD if is_told_only else _remedy(view, binding, definition.name)
    return _finding(
        view,
        kind,
        (definition.name_start, definition.name),
        (view.scope_name(definition.scope), facts.ordinal(binding)),
        message + because,
        weight,
        (remedy, confirm),
        suggestions,
        question,
        is_wide=True,
        sort="class" if definition.sort is ScopeKind.CLASS else "function",
    )


def about_attribute(
    view: FileView,
    number: int,
    attribute: AttributeContexts,
    kind: str,
    message: str,
    weight: float,
    wanted: Wanted,
) -> Finding:
    """The finding that an attribute should have another name; `number` is its order among those of the file."""
    facts = view.facts
    question = ask_about_attribute(
        view.source,
        facts,
        (NO_BINDING - 1 - number, attribute.name, attribute.contexts),
        members_mentioned(view.source, facts, attribute.class_scope),
        f"{view.path} class {attribute.class_scope}",
        wanted,
    )
    confirm = (_nobody_else(attribute.name),)
    return _finding(
        view,
        kind,
        (attribute.starts[0], attribute.name),
        (view.scope_name(attribute.class_scope), 1),
        message + please_confirm(confirm),
        weight,
        (Remedy.REVIEW, confirm),
        (),
        question,
        is_wide=True,
    )


def owes_its_name(view: FileView, definition: Definition) -> bool:
    """Whether a function may owe its name, and those of its parameters, to a base that says how it must be called, or
    to a decorator."""
    if definition.decorated or (definition.name.startswith("__") and definition.name.endswith("__")):
        return True
    around = view.facts.scopes[definition.scope]
    return around.kind is ScopeKind.CLASS and definition.scope not in view.contexts.classes_by_themselves


def is_free_parameter(view: FileView, binding: int) -> bool:
    """Whether a binding is a parameter of a function that owes its name to nobody else."""
    facts = view.facts
    function = facts.definitions_by_inner_scope.get(facts.bindings[binding].scope)
    is_parameter = Role.PARAMETER in facts.roles(binding)
    return is_parameter and function is not None and not owes_its_name(view, function)


def _question(view: FileView, binding: int, spelling: str, wanted: Wanted) -> Question:
    facts = view.facts
    record = facts.bindings[binding]
    is_inside = is_local_variable(facts, binding) or facts.scopes[record.scope].kind is ScopeKind.FUNCTION
    return ask(
        view.source,
        facts,
        binding,
        view.contexts.by_binding,
        view.names_mentioned(facts.owner(record.scope)) if is_inside else facts.names | facts.attributes,
        spelling,
        group_of(facts, view.path, binding),
        wanted,
    )


def _finding(
    view: FileView,
    kind: str,
    written: tuple[int, str],
    address: tuple[str, int],
    message: str,
    weight: float,
    remedy: tuple[Remedy, tuple[str, ...]],
    suggestions: tuple[Suggestion, ...],
    question: Question | None,
    *,
    is_wide: bool,
    sort: str = "",
) -> Finding:
    start, spelling = written
    return Finding(
        kind=kind,
        path=view.path,
        start=view.source.place(start),
        end=view.source.place(start + len(spelling)),
        subject=spelling,
        scope=address[0],
        ordinal=address[1],
        message=message,
        weight=round(weight, 1),
        remedy=remedy[0],
        confirm=remedy[1],
        suggestions=suggestions,
        question=question,
        is_wide=is_wide,
        sort=sort,
    )


def _nobody_else(spelling: str) -> str:
    return f"nobody relies on the name `{spelling}` but the code that is read here"


# What can be done about a name, what is to be confirmed for it, and how a message ends that says so.
_Remedy = tuple[Remedy, tuple[str, ...], str]
_ONLY_TOLD: _Remedy = (Remedy.NONE, (), "")


def _remedy(view: FileView, binding: int, spelling: str) -> _Remedy:
    if view.facts.is_shown(binding):
        return Remedy.NONE, (), f" It cannot be renamed: a text prints the name by `{{{spelling}=}}`."
    references = view.facts.bindings[binding].references
    lines = (view.source.line_of(view.facts.references[index].start) for index in references)
    if (line := next(filter(view.is_fenced, lines), 0)) > 0:
        return Remedy.NONE, (), f" It cannot be renamed: line {line} is fenced off."
    confirm: tuple[str, ...]
    if is_local_variable(view.facts, binding):
        confirm = (
            *(each.what for each in reservations(view.facts, binding, view.surroundings)),
            *view.read_as_text(view.facts.references[index].start for index in references),
            *view.read_off_code,
        )
    else:
        # Who else uses it only the whole project tells: a plan says what there is to confirm.
        confirm = (_nobody_else(spelling),)
    if confirm:
        return Remedy.REVIEW, confirm, please_confirm(confirm)
    return Remedy.SAFE, (), ""
