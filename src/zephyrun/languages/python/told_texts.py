"""Texts that are only told to people, and looked up nowhere."""

from __future__ import annotations

from zephyrun.facts import FileFacts, Role, ScopeKind, Text
from zephyrun.patterns import lazy_pattern

# What calls are named that show a text to people.
_TELLING = lazy_pattern(
    r"^(?:warn|warning|debug|info|error|exception|critical|log|fail|print|open|add_argument|add_option|"
    r"_|n?p?gettext(?:_lazy)?|u(?:n)?gettext)$|"
    r"(?:Error|Exception|Warning)$"
)


def is_told(facts: FileFacts, text: Text) -> bool:
    """Whether a text is the message of an exception that is raised, or of something that is asserted, or goes to what
    shows it to people."""
    sort = facts.statements[facts.statement_at(text.start)].sort
    if sort == "raise" or (sort == "assert" and text.use == "other"):
        return True
    return goes_to_people(text.use, text.beside) or (text.use == "assigned" and _is_kept_to_be_raised(facts, text))


def _is_kept_to_be_raised(facts: FileFacts, text: Text) -> bool:
    """Whether a text is assigned to a variable alone, which is read by nothing but exceptions that are raised."""
    start = facts.statements[facts.statement_at(text.start)].start
    kept_in = facts.reference_by_start.get(start)
    if kept_in is None:
        return False
    variable = facts.bindings[kept_in.binding]
    read = [facts.references[each] for each in variable.references if facts.references[each].role is Role.READ]
    is_raised = facts.scopes[variable.scope].kind is ScopeKind.FUNCTION and all(
        facts.statements[facts.statement_at(each.start)].sort == "raise" for each in read
    )
    # No other variable gets it, too, nor is it a part of what the variable is given.
    return is_raised and not any(start < each.start < text.start for each in facts.references)


def goes_to_people(use: str, beside: str) -> bool:
    """Whether a text that is used so is handed to what shows it to people."""
    return use == "argument" and _TELLING.search(beside) is not None
