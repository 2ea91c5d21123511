"""What the code says a variable should be called, ranked.

Every suggestion rests on something a reader can look at: what the value was assigned from, where
it goes, what a loop runs over, the comment on its line. Scores are chances, by rule of thumb, that
a reader would take the name; agreeing evidence adds up as independent chances do.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from zephyrun.facts import Definition, FileFacts, Hint, Role
from zephyrun.naming.words import (
    crypticness,
    is_readable,
    keeps_letters,
    plural,
    singular,
    snake_case,
    split_name,
)
from zephyrun.source import SourceText

_MOST_SUGGESTIONS = 5
_LOWEST_SCORE = 0.35
_HIGHEST_SCORE = 0.97
_SNIPPET_LENGTH = 40
# Letters of the old name kept in order: the writer most likely meant just this word.
_LETTERS_BONUS = 0.15
_SAME_INITIAL_BONUS = 0.08

_SCORES = {
    "stored": 0.7,
    "keyword": 0.7,
    "key": 0.7,
    "element": 0.68,
    "attribute": 0.62,
    "comment": 0.74,
    "call": 0.55,
    "argument": 0.55,
    "each": 0.55,
    "count": 0.55,
    "sum": 0.45,
    "returned": 0.42,
    "key of": 0.4,
}

# What a function's name says about doing and not about what it gives back.
_LEADING_VERBS = frozenset(
    """get read load fetch compute calculate calc find make create build parse to as iter take pick
    add choose select extract collect gather determine derive measure estimate query ask new init open
    format convert normalize normalise render generate lookup resolve next write save dump send run
    handle update set remove delete pop check split join match merge copy apply call emit""".split()
)
# Words that would say no more than the short name does.
_EMPTY_WORDS = frozenset(
    """data info value values item items result results object obj thing things tmp temp temporary
    var variable ret retval res func function method call callback cb args kwargs arg params param
    get set pop append extend insert update copy split join strip lower upper replace encode decode
    group groups match search findall sub read readline readlines write close self cls other this
    that it element elements entry x y z foo bar baz spam eggs default string str text list dict
    number num first second left right args process handle main run index key count""".split()
)
# A name that begins so says where something is or goes, and not what it is.
_PREPOSITIONS = frozenset("by with from to in on for of at as is has".split())
# Words that we add ourselves: beside an empty word (`data_count`) they say nothing more.
_DERIVED = frozenset({"count", "total", "key"})
_STOP_WORDS = frozenset("the a an of in for to this that its our is are and with per from".split())
# Comments that begin so say what happens, or what to think of it, and not what something is.
_NO_NOUNS = frozenset(
    """or and ditto see not no if when same else note todo fixme hack could should may must can now
    already optional unused raise return avoid assume ignore skip use used using only so then just
    also do does don was were be will would we you i don't it's is are has have because since until
    try make makes get gets set sets check checks add adds keep keeps""".split()
)
_COMMENT_BREAK = re.compile(r"[,;:(.\-–—=/]| in | for | from | per | which | that ")
_PLAIN_WORDS = re.compile(r"[a-z ]+")
_MOST_WORDS_IN_A_NAME = 4
_MOST_WORDS_IN_A_REMARK = 3


class Suggestion(NamedTuple):
    """A better name. `score` lies between 0 and 1; `evidence` says in a few words where it is from."""

    text: str
    score: float
    evidence: tuple[str, ...]


class _Candidate(NamedTuple):
    text: str
    source: str
    evidence: str


def suggest_names(
    source: SourceText,
    facts: FileFacts,
    binding: int,
    spelling: str,
    is_free: Callable[[str], bool],
) -> tuple[Suggestion, ...]:
    """At most five names for a binding, best first; empty where nothing is worth proposing.

    `is_free` says whether a name may be used in the binding's place.
    """
    collected: dict[str, list[_Candidate]] = {}
    for candidate in _candidates(source, facts, binding):
        if _is_worth_it(candidate.text, spelling) and is_free(candidate.text):
            collected.setdefault(candidate.text, []).append(candidate)
    suggestions = [
        Suggestion(
            text, _score(text, spelling, found), tuple(dict.fromkeys(each.evidence for each in found))
        )
        for text, found in collected.items()
    ]
    worth = [each for each in suggestions if each.score >= _LOWEST_SCORE]
    worth.sort(key=lambda each: (-each.score, len(each.text), each.text))
    return tuple(worth[:_MOST_SUGGESTIONS])


def _is_worth_it(text: str, spelling: str) -> bool:
    words = split_name(text)
    return (
        bool(words)
        and min(map(len, words)) > 1
        and words[0] not in _PREPOSITIONS
        and not (_DERIVED & set(words) and _EMPTY_WORDS & set(words[:-1] + words[1:]) - _DERIVED)
        and text.isidentifier()
        and text != spelling
        and len(text) > max(2, len(spelling.strip("_")))
        and len(words) <= _MOST_WORDS_IN_A_NAME
        and text not in _EMPTY_WORDS
        and crypticness(text) == 0.0
        and all(is_readable(word) or word.isdigit() for word in words)
    )


def _score(text: str, spelling: str, found: Iterable[_Candidate]) -> float:
    doubt = 1.0
    # One sort of evidence counts once: ten uses of one keyword are not ten witnesses.
    for source in {each.source for each in found}:
        doubt *= 1.0 - _SCORES[source]
    score = 1.0 - doubt
    letters = [letter for letter in spelling if letter.isalpha()]
    if keeps_letters(spelling, text):
        score += _LETTERS_BONUS if len(letters) > 1 else _SAME_INITIAL_BONUS
    return round(min(score, _HIGHEST_SCORE), 2)


def _candidates(source: SourceText, facts: FileFacts, binding: int) -> Iterator[_Candidate]:
    for hint in facts.hints_of(binding):
        yield from _from_hint(source, facts, hint)
    yield from _from_comments(source, facts, binding)


def _from_hint(source: SourceText, facts: FileFacts, hint: Hint) -> Iterator[_Candidate]:
    code = snippet(source.text[hint.start : hint.end])
    name = snake_case(hint.name)
    if hint.source == "call":
        if text := _without_verb(name):
            yield _Candidate(text, "call", f"assigned from {code}")
    elif hint.source in ("attribute", "key"):
        yield _Candidate(name, hint.source, f"assigned from {code}")
    elif hint.source == "element":
        if one := singular(_without_verb(name) or name):
            yield _Candidate(one, "element", f"one of {code}")
    elif hint.source == "key of":
        if one := singular(name):
            yield _Candidate(f"{one}_key", "key of", f"a key of {code}")
    elif hint.source == "each":
        yield _Candidate(plural(name), "each", f"collected by {code}")
    elif hint.source == "count":
        yield _Candidate(f"{singular(name) or name}_count", "count", f"counted by {code}")
    elif hint.source == "sum":
        yield _Candidate(f"total_{name}", "sum", f"adds up {code}")
    elif hint.source == "keyword":
        yield _Candidate(name, "keyword", f"passed as {hint.name}=")
    elif hint.source == "stored":
        yield _Candidate(name, "stored", f"stored as {hint.name}")
    elif hint.source == "returned":
        # The function's own name is taken; without a verb before it, its noun is still free.
        text = _without_verb(name)
        if text == name:
            text = name.rpartition("_")[2] if "_" in name else ""
        if text:
            yield _Candidate(text, "returned", f"returned by {hint.name}")
    elif hint.source == "argument":
        for definition in facts.definitions_by_name.get(hint.name, ()):
            if parameter := parameter_name(definition, hint.position):
                yield _Candidate(
                    snake_case(parameter), "argument", f"passed to {hint.name} as {parameter}"
                )


def parameter_name(definition: Definition, position: int) -> str:
    """The parameter that takes the positional argument of an index, "" where there is none."""
    # A method that is called on an instance gets that instance before the first argument.
    names = definition.parameters
    if names and names[0] in ("self", "cls"):
        names = names[1:]
    return names[position] if position < len(names) else ""


def _without_verb(name: str) -> str:
    words = name.split("_")
    while words and words[0] in _LEADING_VERBS:
        words = words[1:]
    return "_".join(words)


def _from_comments(source: SourceText, facts: FileFacts, binding: int) -> Iterator[_Candidate]:
    """The comment behind an assignment often says what the name does not."""
    for index in facts.bindings[binding].references:
        reference = facts.references[index]
        if reference.role not in (Role.ASSIGN, Role.LOOP, Role.WITH):
            continue
        statement = facts.statements[facts.statement_at(reference.start)]
        if statement.start != reference.start and reference.role is Role.ASSIGN:
            # One of several targets: the comment may mean another.
            continue
        comment = facts.trailing_comment(facts.statement_at(reference.start))
        if comment is not None and source.line_of(comment.start) == source.line_of(reference.start):
            if text := name_from_words(comment.text):
                yield _Candidate(text, "comment", f"its comment says {snippet(comment.text)}")


def name_from_words(comment: str) -> str:
    """A name from a short noun phrase such as `# elapsed days`; "" where it is not that short."""
    phrase = _COMMENT_BREAK.split(comment.lstrip("#").strip().lower())[0]
    if not _PLAIN_WORDS.fullmatch(phrase):
        return ""
    words = [word for word in phrase.split() if word not in _STOP_WORDS]
    if _NO_NOUNS & set(words):
        return ""
    return "_".join(words) if 1 <= len(words) <= _MOST_WORDS_IN_A_REMARK else ""


def snippet(text: str) -> str:
    """A piece of code or a comment as evidence shows it: on one line, and not too long."""
    words = " ".join(text.split())
    return words if len(words) <= _SNIPPET_LENGTH else words[: _SNIPPET_LENGTH - 1] + "…"


def names_mentioned(facts: FileFacts, scope: int) -> set[str]:
    """Every name that is mentioned between the beginning and the end of a scope, inner ones included."""
    around = facts.scopes[scope]
    return {
        facts.bindings[facts.references[index].binding].name
        for index in facts.references_between(around.start, around.end)
    }
