"""What functions and classes do, as far as that tells how they could be called."""

from __future__ import annotations

import ast
from dataclasses import dataclass, field
from typing import Any

from zephyrun.languages.python.answers import FunctionNode, Given, given_by, is_documentation
from zephyrun.patterns import lazy_pattern

_WORDS = lazy_pattern(r"[^\W\d_]+")
_END_OF_SENTENCE = lazy_pattern(r"[.:;!?](?:\s|$)|\n\s*\n")
_MOST_WORDS = 8
# What a function calls last is seldom what it is for.
_MOST_CALLS = 8
_MOST_MEMBERS = 12


@dataclass
class Deeds:
    """What the own statements of one function do, gathered while they are looked at: what it calls and which
    attributes it sets, each with the first place, and what it gives."""

    calls: dict[str, ast.AST] = field(default_factory=dict)
    sets: dict[str, ast.AST] = field(default_factory=dict)
    returns: list[ast.Return] = field(default_factory=list)
    is_generator: bool = False

    def note_call(self, callee: str, node: ast.AST) -> None:
        """Note a call."""
        if callee and len(self.calls) < _MOST_CALLS:
            self.calls.setdefault(callee, node)

    def note_set(self, name: str, node: ast.AST) -> None:
        """Note that an attribute is set."""
        if name and len(self.sets) < _MOST_CALLS:
            self.sets.setdefault(name, node)

    @property
    def sort_given(self) -> str:
        """What sort of thing it gives, in one word or two."""
        if self.is_generator:
            return "one by one"
        given = frozenset(given_by(each.value) for each in self.returns)
        if given <= {Given.NOTHING}:
            return "nothing"
        if given <= {Given.BOOLEAN, Given.NOTHING}:
            return "yes or no"
        return "value"


def words_of_text(text: str) -> list[str]:
    """The first words of a text, in small letters."""
    return [word.lower() for word in _WORDS.findall(text)[:_MOST_WORDS]]


def words_of_sentence(text: str) -> list[str]:
    """The first words of the first sentence of a documentation or comment, in small letters."""
    return words_of_text(_END_OF_SENTENCE.split(text.strip().lstrip("#").strip(), maxsplit=1)[0])


def documentation_of(node: FunctionNode | ast.ClassDef) -> str:
    """The documentation of a function or class as it is written, "" for none."""
    first: Any = node.body[0]
    return str(first.value.value) if is_documentation(first) else ""


def members_of(node: ast.ClassDef) -> list[str]:
    """The names of the first methods of a class, special ones left out."""
    names = [each.name for each in node.body if isinstance(each, FunctionNode) and not each.name.startswith("__")]
    return names[:_MOST_MEMBERS]
