"""Texts that are only told to people, and looked up nowhere."""

from __future__ import annotations

from zephyrun.facts import FileFacts, Text
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
    return goes_to_people(text.use, text.beside)


def goes_to_people(use: str, beside: str) -> bool:
    """Whether a text that is used so is handed to what shows it to people."""
    return use == "argument" and _TELLING.search(beside) is not None
