"""`echo-comment`: comments that only repeat the code they stand on.

A comment is an echo when every word of it that means something is in the code, or is the plain
English for what the statement does. One word of reason, of doubt, of unit or of another world, and
it stays: a comment that says why is worth more than a clean page.
"""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.facts import Comment, Statement
from zephyrun.findings.finding import FileView, Finding, Remedy, please_confirm
from zephyrun.languages.python.instructions import is_instruction
from zephyrun.naming.words import split_name, stem
from zephyrun.patterns import lazy_pattern

_WORD = lazy_pattern(r"[A-Za-z]+(?:'[a-z]+)?")
_NAME = lazy_pattern(r"[^\W\d]\w*")
# Code, drawings, links, figures, questions and names in capitals say more than their words.
_IS_NO_PROSE = lazy_pattern(r"[^\x00-\x7f]|[#<>@|\\^~`\"=(\[{]|https?:|\d|\?|\b[A-Z]{2,}\b|[-*_.]{2,}")
# Words that mean nothing by themselves.
_FILLERS = frozenset(
    """a an the this that these those it its our their of to in on into onto from for with by at as
    and then now all each every is are be here we us you i will should just simply new current given
    variable variables value values""".split()
)
_REASONS = frozenset(
    """because since so otherwise must never always only unless until why avoid prevent ensure
    needed need needs require required workaround hack todo fixme xxx bug note warning careful
    important instead else if not no don't doesn't can't cannot won't isn't before after first last
    when while without but although however yet still maybe perhaps probably should could may might
    old legacy deprecated temporary see cf e.g i.e default defaults assume assumes expect expects""".split()
)

# The plain English for what a statement does, by its sort and by what stands in it.
_SORT_WORDS = {
    "assign": "set assign store save initialize initialise init define create make declare put keep",
    "annassign": "set assign store save initialize initialise init define create declare",
    "augassign": "update change",
    "for": "loop iterate go walk run over through for each every",
    "asyncfor": "loop iterate go walk run over through for each every",
    "while": "loop while repeat until",
    "return": "return returns give back hand result",
    "if": "check test if whether when see",
    "import": "import imports load module library libraries",
    "importfrom": "import imports load module library libraries",
    "functiondef": "define function method def",
    "asyncfunctiondef": "define function method def",
    "classdef": "define class",
    "with": "use using with",
    "raise": "raise throw error exception",
    "delete": "delete remove del",
    "try": "try",
    "pass": "pass do nothing",
    "break": "break stop leave exit loop",
    "continue": "continue skip go next",
    "assert": "assert check",
    "expr": "call run",
}
_TOKEN_WORDS = (
    ("+=", "increment increase add plus up count sum accumulate by one"),
    ("-=", "decrement decrease subtract minus reduce by one"),
    ("*=", "multiply times scale by"),
    ("/=", "divide by"),
    ("+", "add plus sum"),
    ("-", "subtract minus difference"),
    ("*", "multiply times product"),
    ("/", "divide ratio by"),
    ("==", "equal equals same is"),
    ("print(", "print show display output write"),
    (".append(", "append add push put"),
    (".extend(", "extend add"),
    (".close(", "close"),
    ("open(", "open file"),
    ("len(", "length count size number"),
    ("sum(", "sum total add"),
    ("sorted(", "sort order"),
    (".sort(", "sort order"),
    ("[]", "empty list"),
    ("{}", "empty dict dictionary"),
    ("None", "none null nothing empty"),
    ("True", "true yes"),
    ("False", "false no"),
    ("0", "zero"),
    ("1", "one"),
    ("max(", "maximum largest biggest max"),
    ("min(", "minimum smallest min"),
)
_HEADING_SORTS = frozenset("for asyncfor while if with functiondef classdef return".split())
_BASE_WEIGHT = 0.8
_WEIGHT_A_WORD = 0.1


def find_echo_comments(view: FileView) -> Iterator[Finding]:
    """Judge every comment that stands alone on a statement."""
    facts = view.facts
    for index, comment in enumerate(facts.comments):
        if _is_echo(view, index) and not is_instruction(comment.text):
            words = len(_WORD.findall(comment.text))
            confirm = view.read_as_text((comment.start,))
            yield Finding(
                kind="echo-comment",
                path=view.path,
                start=view.source.place(comment.start),
                end=view.source.place(comment.end),
                subject=comment.text,
                scope=view.scope_name(comment.scope),
                ordinal=facts.comments_at(facts.dotted(comment.scope), comment.text).index(index) + 1,
                message=f"The comment only repeats the code it stands on.{please_confirm(confirm)}",
                weight=round(_BASE_WEIGHT + _WEIGHT_A_WORD * words, 1),
                remedy=Remedy.REVIEW if confirm else Remedy.SAFE,
                confirm=confirm,
            )


def _is_echo(view: FileView, index: int) -> bool:
    facts, source = view.facts, view.source
    comment = facts.comments[index]
    if comment.statement < 0:
        return False
    statement = facts.statements[comment.statement]
    comment_line = source.line_of(comment.start)
    if comment.own_line:
        if source.line_of(statement.start) != comment_line + 1:
            return False
        if _heads_paragraph(view, comment, statement):
            return False
    elif not source.line_of(statement.start) == source.line_of(statement.head_end) == comment_line:
        return False
    if _is_part_of_block(view, index):
        return False
    return _says_only(comment.text, source.text[statement.start : statement.head_end], statement.sort)


def _is_part_of_block(view: FileView, index: int) -> bool:
    """Whether comments right above or below are read together with this one: other lines of a text,
    or a column of remarks behind the code."""
    comments = view.facts.comments
    comment, place = comments[index], view.source.place(comments[index].start)
    for each in comments[max(index - 1, 0) : index] + comments[index + 1 : index + 2]:
        other = view.source.place(each.start)
        are_both_alone = comment.own_line and each.own_line
        if abs(other.line - place.line) == 1 and (are_both_alone or other.column == place.column):
            return True
    return False


def _heads_paragraph(view: FileView, comment: Comment, statement: Statement) -> bool:
    """Whether the comment is a heading over several statements: it then does group them."""
    if statement.sort in _HEADING_SORTS:
        return False
    following = view.facts.statements[comment.statement + 1 : comment.statement + 2]
    return any(
        each.depth == statement.depth
        and view.source.line_of(each.start) == view.source.line_of(statement.end) + 1
        for each in following
    )


def _says_only(comment: str, code: str, sort: str) -> bool:
    body = comment.lstrip("#").strip()
    if not body or comment.startswith("##") or _IS_NO_PROSE.search(body):
        return False
    words = [word.lower() for word in _WORD.findall(body)]
    # In `check if …` over an `if` the word gives no reason: it is what the statement does.
    if not words or (_REASONS - set(_SORT_WORDS.get(sort, "").split())) & set(words):
        return False
    known = _known_words(code, sort)
    telling = [word for word in words if word not in _FILLERS]
    return bool(telling) and all(stem(word) in known for word in telling)


def _known_words(code: str, sort: str) -> set[str]:
    """The stems of all that the code itself says."""
    known = {stem(word) for name in _NAME.findall(code) for word in split_name(name)}
    known.update(stem(word) for word in _SORT_WORDS.get(sort, "").split())
    for token, words in _TOKEN_WORDS:
        if token in code:
            known.update(stem(word) for word in words.split())
    return known
