"""`cryptic-name`: locals whose name says too little for how long a reader must remember it."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from functools import cache, partial
from math import log2

from zephyrun.facts import FileFacts, Role, ScopeKind
from zephyrun.findings.finding import FileView, Finding, Remedy, please_confirm
from zephyrun.naming.questions import ask, group_of, names_mentioned
from zephyrun.naming.words import crypticness
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.proof.remains import reservations

# The trade's own short names: in which role each is read at sight, and over how many lines.
_CONVENTIONS: dict[str, tuple[frozenset[Role], int]] = {
    **dict.fromkeys("ijk", (frozenset({Role.LOOP, Role.EACH, Role.ASSIGN, Role.AUGMENT}), 12)),
    **dict.fromkeys(("e", "ex", "exc", "err"), (frozenset({Role.CATCH, Role.ASSIGN}), 15)),
    **dict.fromkeys(("f", "fp", "fh"), (frozenset({Role.WITH, Role.ASSIGN}), 8)),
    **dict.fromkeys("kv", (frozenset({Role.LOOP, Role.EACH}), 5)),
    "n": (frozenset({Role.ASSIGN, Role.LOOP, Role.EACH}), 8),
    "m": (frozenset({Role.ASSIGN, Role.INLINE}), 4),
    "fn": (frozenset({Role.LOOP, Role.ASSIGN}), 8),
}
_COORDINATES = frozenset("xyz")
_COORDINATE_LINES = 15
# Inside a comprehension on one or two lines even a letter is read together with what it means.
_COMPREHENSION_LINES = 2


def find_cryptic_names(view: FileView) -> Iterator[Finding]:
    """Judge every local of the file that is no parameter."""
    facts = view.facts
    mentioned = cache(partial(names_mentioned, facts))
    judged = [
        (weight, binding)
        for binding, record in enumerate(facts.bindings)
        # The cheap question first: most names are fine.
        if record.scope
        and crypticness(record.name.strip("_"))
        and is_local_variable(facts, binding)
        and (weight := _weight(view, binding))
    ]
    for weight, binding in judged:
        owner = facts.owner(facts.bindings[binding].scope)
        yield _finding(view, binding, weight, mentioned(owner), group_of(facts, view.path, binding))


def _lines(view: FileView, binding: int) -> tuple[int, int]:
    references = view.facts.bindings[binding].references
    first = view.source.line_of(view.facts.references[references[0]].start)
    last = view.source.line_of(view.facts.references[references[-1]].start)
    return first, last


def _weight(view: FileView, binding: int) -> float:
    """What the name costs a reader; 0 where it is fine."""
    facts = view.facts
    record = facts.bindings[binding]
    name = record.name.strip("_")
    roles = facts.roles(binding)
    is_mangled = record.name != _spelling(view, binding)
    if not name or is_mangled or Role.IMPORT in roles or roles == {Role.READ}:
        return 0.0
    first, last = _lines(view, binding)
    n_lines = last - first + 1
    is_in_comprehension = facts.scopes[record.scope].kind is ScopeKind.COMPREHENSION
    if is_in_comprehension and n_lines <= _COMPREHENSION_LINES:
        return 0.0
    if _is_conventional(facts, binding, name, roles, n_lines):
        return 0.0
    return crypticness(name) * (log2(1 + n_lines) + log2(1 + len(record.references)) / 2)


def _is_conventional(
    facts: FileFacts, binding: int, name: str, roles: frozenset[Role], n_lines: int
) -> bool:
    if name in _COORDINATES:
        scope = facts.bindings[binding].scope
        beside = {each.name for each in facts.bindings if each.scope == scope}
        return len(_COORDINATES & beside) > 1 and n_lines <= _COORDINATE_LINES
    allowed, most_lines = _CONVENTIONS.get(name, (frozenset(), 0))
    binding_roles = roles - {Role.READ, Role.DELETE, Role.DECLARE}
    return binding_roles <= allowed and n_lines <= most_lines


def _spelling(view: FileView, binding: int) -> str:
    """The name as it stands in the text; inside classes it may be mangled otherwise."""
    first = view.facts.references[view.facts.bindings[binding].references[0]]
    return view.source.text[first.start : first.end]


def _finding(
    view: FileView, binding: int, weight: float, taken: Collection[str], group: str
) -> Finding:
    """The finding for one name; `taken` are names that no suggestion may be, and names of one `group` are
    chosen together."""
    facts, source = view.facts, view.source
    record = facts.bindings[binding]
    spelling = _spelling(view, binding)
    first, last = _lines(view, binding)
    start = facts.references[record.references[0]].start
    remedy, confirm, because = _remedy(view, binding, spelling)
    return Finding(
        kind="cryptic-name",
        path=view.path,
        start=source.place(start),
        end=source.place(start + len(spelling)),
        subject=spelling,
        scope=view.scope_name(record.scope),
        ordinal=facts.ordinal(binding),
        message=_message(spelling, last - first + 1, len(record.references)) + because,
        weight=round(weight, 1),
        remedy=remedy,
        confirm=confirm,
        question=ask(source, facts, binding, view.contexts, taken, spelling, group),
    )


def _message(spelling: str, n_lines: int, n_uses: int) -> str:
    said = "says nothing about" if len(spelling.strip("_")) == 1 else "hardly says"
    lines = "one line" if n_lines == 1 else f"{n_lines} lines"
    uses = "use" if n_uses == 1 else "uses"
    return f"`{spelling}` {said} what it holds, over {lines} and {n_uses} {uses}."


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
