"""`Finding`: one place that is hard to read."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence, Set
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache, cached_property, partial
from string import digits

from zephyrun.facts import FileFacts
from zephyrun.fences import fence_of
from zephyrun.findings.formulas import Formulas
from zephyrun.languages.python.contexts import Contexts, read_contexts
from zephyrun.languages.python.reading import ParsedFile
from zephyrun.languages.python.scanner import Scan
from zephyrun.layout.habits import Habits
from zephyrun.layout.page import Page
from zephyrun.naming.features import is_variable
from zephyrun.naming.questions import Question, Suggestion, names_mentioned
from zephyrun.naming.word_choices import WordChoices
from zephyrun.naming.words import split_name
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.code_readers import code_reservations
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.proof.own_text import own_text_reservations
from zephyrun.proof.quoted_lines import quoted_line_reservations
from zephyrun.proof.remains import Reservation, Surroundings
from zephyrun.source import Place, SourceText

_ID_LENGTH = 10
_TERM = lazy_pattern(r"\b[A-Z]{2,6}\b")
# A word of three letters or more between two others, or at the end of a sentence.
_IN_PROSE = lazy_pattern(r"(?<=[a-z,] )([a-z]{3,})(?=\s+[a-z(]|[.,;:)]\s)")


class Remedy(StrEnum):
    """Can a change be made and proved, does a person have to vouch for something, or neither?"""

    SAFE = "safe"
    REVIEW = "review"
    NONE = "none"


@dataclass(frozen=True)
class Finding:
    """One place that is hard to read. `scope`, `subject` and `ordinal` are its address.

    `weight` says how much it costs a reader: how bad, times how far and how often it is met.
    `confirm` is what a person vouches for by accepting a change where `remedy` is `review`; `question` asks for
    names that only the whole project can tell; `is_wide` where the name reaches beyond its function, so that only
    the whole project tells what there is to confirm; `sort` is "function" or "class" where it is the name of one.
    """

    kind: str
    path: str
    start: Place
    end: Place
    subject: str
    scope: str
    ordinal: int
    message: str
    weight: float
    remedy: Remedy
    suggestions: tuple[Suggestion, ...] = ()
    confirm: tuple[str, ...] = ()
    question: Question | None = None
    is_wide: bool = False
    sort: str = ""

    @property
    def id(self) -> str:
        """Stays the same while the finding does, also when lines above it move."""
        address = "\0".join((self.kind, self.path, self.scope, self.subject, str(self.ordinal)))
        # Imported here: nobody asks for the ids when there is nothing to tell.
        import hashlib

        digest = hashlib.sha256(address.encode("utf-8", "surrogatepass")).hexdigest()
        return digest[:_ID_LENGTH]


@dataclass(frozen=True)
class FileView:
    """All that a detector of one file may look at."""

    path: str
    parsed: ParsedFile
    surroundings: Surroundings
    habits: Habits
    words: WordChoices = WordChoices()

    @property
    def source(self) -> SourceText:
        """The file's text."""
        return self.parsed.source

    @property
    def facts(self) -> FileFacts:
        """What the file says."""
        return self.parsed.facts

    @property
    def marks(self) -> Scan:
        """Where its comments and text literals stand."""
        return self.parsed.marks

    @cached_property
    def contexts(self) -> Contexts:
        """What the file says of its variables and functions."""
        return read_contexts(self.parsed, self._is_hard_to_read)

    @cached_property
    def words_with_terms(self) -> WordChoices:
        """What the team says about words, and what the file itself writes in capitals in comments and texts (`PDU`), or among
        the words of its documentation: whoever works on it has met these as terms."""
        spans = (*self.marks.comments, *self.marks.texts)
        terms = {
            word.lower() for start, end in spans for word in _TERM.findall(self.source.text, start, end)
        }
        documentation = ((text.start, text.end) for text in self.facts.texts if text.use == "documentation")
        prose = {word for start, end in documentation for word in _IN_PROSE.findall(self.source.text, start, end)}
        return replace(self.words, fine=self.words.fine | terms | prose)

    @cached_property
    def formulas(self) -> Formulas:
        """Where the file reckons."""
        return Formulas(self.source, self.facts, self.contexts.by_binding)

    @cached_property
    def names_by_word(self) -> Mapping[str, Set[str]]:
        """The names that the file mentions, by each of their words."""
        found: defaultdict[str, set[str]] = defaultdict(set)
        for name in self.facts.names | self.facts.attributes:
            for word in split_name(name):
                found[word].add(name)
        return found

    @cached_property
    def numbered_names(self) -> Mapping[str, Set[str]]:
        """The names of the file that end with a number, by what stands before it, underscores around it left out."""
        found: defaultdict[str, set[str]] = defaultdict(set)
        for name in self.facts.names:
            if (stem := name.rstrip(digits)) != name:
                found[stem.strip("_")].add(name)
        return found

    def _is_hard_to_read(self, name: str) -> bool:
        return self.words.crypticness(name.strip("_")) > 0

    @cached_property
    def variables_to_name(self) -> tuple[int, ...]:
        """The locals of the file that are variables and no parameters, and may have another name."""
        facts = self.facts
        return tuple(
            binding
            for binding, record in enumerate(facts.bindings)
            if record.scope and is_variable(facts, binding) and is_local_variable(facts, binding)
        )

    @cached_property
    def names_mentioned(self) -> Callable[[int], frozenset[str]]:
        """Every name of the module, and every one that is mentioned in a scope."""
        return cache(partial(names_mentioned, self.facts))

    @cached_property
    def page(self) -> Page:
        """The file as it stands on the page. A survey that asks for no layout does without."""
        return Page(self.source, self.marks)

    @cached_property
    def is_fenced(self) -> Callable[[int], bool]:
        """Whether people fenced a 1-based line off."""
        return fence_of(self.source, self.facts)

    def scope_name(self, scope: int) -> str:
        """The dotted name of a scope, the module's name first."""
        return ".".join(filter(None, (self.surroundings.module, self.facts.dotted(scope))))

    def read_as_text(self, starts: Iterable[int]) -> tuple[str, ...]:
        """What a person must vouch for because some text of the project quotes the lines in which
        these offsets lie, or the file may be read as a text."""
        reserved = quoted_line_reservations(self.source, starts, self.surroundings)
        return tuple(each.what for each in (*reserved, *self._own_text_reservations))

    @cached_property
    def read_off_code(self) -> tuple[str, ...]:
        """What a person must vouch for because the file looks at what the code of functions is made of."""
        return tuple(each.what for each in code_reservations(self.source, self.facts))

    @cached_property
    def _own_text_reservations(self) -> tuple[Reservation, ...]:
        return tuple(own_text_reservations(self.source, self.facts, self.surroundings.module, self.parsed.tree))


def please_confirm(confirm: Sequence[str]) -> str:
    """The end of a message that says what a person vouches for; "" where there is nothing."""
    if not confirm:
        return ""
    more = f" (and {len(confirm) - 1} more)" if len(confirm) > 1 else ""
    return f" Please confirm: {confirm[0]}{more}."
