"""What comments call a variable."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.facts import FileFacts, Role
from zephyrun.naming.definition_names import KNOWN_VERBS
from zephyrun.naming.words import SHORT_WORDS, singular
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

_SNIPPET_LENGTH = 40
_STOP_WORDS = frozenset("the a an of in for to this that its our is are and with per from".split())
# Comments that begin so say what happens, or what to think of it, and not what something is.
_NO_NOUNS = frozenset(
    """or and ditto see not no if when same else note todo fixme hack could should may must can now
    already optional unused raise return avoid assume ignore skip use used using only so then just
    also do does don was were be will would we you i don't it's is are has have because since until
    try make makes get gets set sets check checks add adds keep keeps holds needs happens means contains
    copied reversed""".split()
)
_COMMENT_BREAK = lazy_pattern(r"[,;:(.\-–—=/]| in | for | from | per | which | that ")
# A name of something else in the code: `tMissArg`.
_CODE = lazy_pattern(r"[a-z][A-Z]")
_PLAIN_WORDS = lazy_pattern(r"[a-z ]+")
_MOST_WORDS_IN_A_REMARK = 3
# A word with a colon says for which program what follows is; one that begins with `no` and is no word, what it is to
# leave out.
_LABEL = lazy_pattern(r"#+\s*\w+:")
_LEFT_OUT = lazy_pattern(r"no[a-z]{1,4}")


def remarks_on(source: SourceText, facts: FileFacts, binding: int) -> Iterator[tuple[str, str]]:
    """Names that the comment behind a variable's first assignment suggests, each with the comment. What is said behind
    another one is about that value."""
    for index in facts.bindings[binding].references:
        reference = facts.references[index]
        if reference.role is Role.DECLARE:
            continue
        if reference.role not in (Role.ASSIGN, Role.LOOP, Role.WITH):
            return
        statement = facts.statements[facts.statement_at(reference.start)]
        if statement.start != reference.start and reference.role is Role.ASSIGN:
            # One of several targets: the comment may mean another.
            return
        comment = facts.trailing_comment(facts.statement_at(reference.start))
        if comment is not None and source.line_of(comment.start) == source.line_of(reference.start):
            if text := name_from_words(comment.text):
                yield text, snippet(comment.text)
        return


def name_from_words(comment: str) -> str:
    """A name from a short noun phrase such as `# elapsed days`; "" where it is not that short."""
    if _LABEL.match(comment):
        return ""
    phrase, *_ = _COMMENT_BREAK.split(comment.lstrip("#").strip())
    if _CODE.search(phrase) or not _PLAIN_WORDS.fullmatch(phrase := phrase.lower()):
        return ""
    words = [word for word in phrase.split() if word not in _STOP_WORDS]
    if _NO_NOUNS & set(words) or (words and _LEFT_OUT.fullmatch(words[0]) and not _is_known(words[0])):
        return ""
    if len(words) > 1 and singular(words[0]) in KNOWN_VERBS:
        # `removes aliases` says what is done.
        return ""
    return "_".join(words) if 1 <= len(words) <= _MOST_WORDS_IN_A_REMARK else ""


def _is_known(word: str) -> bool:
    return word in SHORT_WORDS or singular(word) in SHORT_WORDS


def snippet(text: str) -> str:
    """A piece of code or a comment as evidence shows it: on one line, and not too long."""
    words = " ".join(text.split())
    return words if len(words) <= _SNIPPET_LENGTH else words[: _SNIPPET_LENGTH - 1] + "…"
