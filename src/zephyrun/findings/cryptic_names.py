"""`cryptic-name`: locals whose name says too little for how long a reader must remember it."""

from __future__ import annotations

from collections.abc import Iterator
from math import log2

from zephyrun.facts import FileFacts, Role, ScopeKind
from zephyrun.findings.about_names import about_local, lines_of, span, spelling_of
from zephyrun.findings.finding import FileView, Finding
from zephyrun.naming.questions import LOWEST_SCORE
from zephyrun.proof.normal_form import is_local_variable

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
# Over so few lines a name is worth a word only where a better one is known.
_SHORT_SPAN = 6


def find_cryptic_names(view: FileView) -> Iterator[Finding]:
    """Judge every local of the file that is no parameter."""
    facts = view.facts
    judged = [
        (weight, binding)
        for binding, record in enumerate(facts.bindings)
        # The cheap question first: most names are fine.
        if record.scope
        and view.words.crypticness(record.name.strip("_"))
        and is_local_variable(facts, binding)
        and (weight := _weight(view, binding))
    ]
    for weight, binding in judged:
        first, last = lines_of(view, binding)
        n_uses = len(facts.bindings[binding].references)
        message = _message(spelling_of(view, binding), last - first + 1, n_uses)
        is_short = last - first < _SHORT_SPAN and not _is_numbered(facts.bindings[binding].name)
        least_score = LOWEST_SCORE if is_short else 0.0
        yield about_local(view, binding, "cryptic-name", message, weight, least_score)


def _is_numbered(name: str) -> bool:
    return name[-1:].isdigit()


def _weight(view: FileView, binding: int) -> float:
    """What the name costs a reader; 0 where it is fine."""
    facts = view.facts
    record = facts.bindings[binding]
    name = record.name.strip("_")
    roles = facts.roles(binding)
    is_mangled = record.name != spelling_of(view, binding)
    if not name or is_mangled or Role.IMPORT in roles or roles == {Role.READ}:
        return 0.0
    first, last = lines_of(view, binding)
    n_lines = last - first + 1
    is_in_comprehension = facts.scopes[record.scope].kind is ScopeKind.COMPREHENSION
    if is_in_comprehension and n_lines <= _COMPREHENSION_LINES:
        return 0.0
    if _is_conventional(facts, binding, name, roles, n_lines):
        return 0.0
    return view.words.crypticness(name) * (log2(1 + n_lines) + log2(1 + len(record.references)) / 2)


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


def _message(spelling: str, n_lines: int, n_uses: int) -> str:
    said = "says nothing about" if len(spelling.strip("_")) == 1 else "hardly says"
    return f"`{spelling}` {said} what it holds, over {span(n_lines, n_uses)}."
