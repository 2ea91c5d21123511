"""`disabled-code`: code that was turned into comments instead of being deleted.

A run of comment lines is disabled code when all of it reads as Python and at least one statement in it
could be nothing else. What could as well be prose, a formula or an example stays: a comment that says
why is worth more than a clean page.
"""

from __future__ import annotations

import ast
import warnings
from collections.abc import Iterator, Sequence
from itertools import pairwise

from zephyrun.facts import Comment
from zephyrun.findings.finding import FileView, Finding, Remedy, please_confirm
from zephyrun.languages.python.instructions import is_instruction
from zephyrun.languages.python.reserved import KEYWORDS
from zephyrun.patterns import lazy_pattern

# Statements that begin in the middle, by their first word: what would have to stand before them.
_IF, _TRY = "if True:\n    pass\n", "try:\n    pass\n"
_BEGINNINGS = {
    "elif": (_IF,),
    "else": (_IF, _TRY),
    "except": (_TRY,),
    "finally": (_TRY,),
    "case": ("", "match True:\n    case _:\n        pass\n"),
}
# Without one of these nothing is code beyond doubt.
_CODE_MARK = lazy_pattern(
    r"[(\[]|(?m:^\s*(?:async|assert|class|def|for|from|if|import|raise|return|try|while|with)\b)"
)
_TEXT_OR_COMMENT = lazy_pattern(r"['\"#]")
_FIRST_WORD = lazy_pattern(r"\s*(\w*)")
_SHOWS_AN_EXAMPLE = lazy_pattern(
    r"(?i)>>>|\b(?:e\.?g|i\.?e|example|usage|like|such as|means|note|see)\b|[:?]\s*$"
)
# `e.g. weight = …` would read as an assignment to an attribute.
_ABBREVIATION = lazy_pattern(r"\s*(?:e\.\s?g|i\.\s?e)\b")
_BASE_WEIGHT = 1.5
_WEIGHT_A_LINE = 0.2
_MOST_LINES_WEIGHED = 20


def find_disabled_code(view: FileView) -> Iterator[Finding]:
    """Judge every run of comment lines."""
    facts, source = view.facts, view.source
    for first, last in _runs(view):
        comments = facts.comments[first : last + 1]
        if any(is_instruction(each.text) for each in comments) or not _is_code(view, first, comments):
            continue
        texts = tuple(each.text for each in comments)
        confirm = view.read_as_text(())
        n_lines = len(texts)
        lines = "This line is code that does" if n_lines == 1 else f"These {n_lines} lines are code that does"
        yield Finding(
            kind="disabled-code",
            path=view.path,
            start=source.place(comments[0].start),
            end=source.place(comments[-1].end),
            subject="\n".join(texts),
            scope=view.scope_name(comments[0].scope),
            ordinal=facts.comment_runs_at(facts.dotted(comments[0].scope), texts).index(first) + 1,
            message=f"{lines} not run; version control remembers it.{please_confirm(confirm)}",
            weight=round(_BASE_WEIGHT + _WEIGHT_A_LINE * min(n_lines, _MOST_LINES_WEIGHED), 1),
            remedy=Remedy.REVIEW if confirm else Remedy.SAFE,
            confirm=confirm,
        )


def _runs(view: FileView) -> Iterator[tuple[int, int]]:
    """First and last index of each run of comments on lines of their own, at one indentation."""
    first = last = -1
    line = column = 0
    for index, comment in enumerate(view.facts.comments):
        if not comment.own_line:
            continue
        place = view.source.place(comment.start)
        if index != last + 1 or place.line != line + 1 or place.column != column:
            if last >= 0:
                yield first, last
            first = index
        last, line, column = index, place.line, place.column
    if last >= 0:
        yield first, last


def _is_code(view: FileView, first: int, comments: Sequence[Comment]) -> bool:
    tree = _parsed([each.text for each in comments])
    if tree is None or not tree.body:
        return False
    above = view.facts.comments[first - 1].text if first else ""
    if _SHOWS_AN_EXAMPLE.search(above) and _is_right_above(view, first):
        return False
    statements = [node for node in ast.walk(tree) if isinstance(node, ast.stmt)]
    return any(_is_nothing_else(view, each) for each in statements) and not any(
        _is_prose(each) for each in statements
    )


def _is_right_above(view: FileView, first: int) -> bool:
    comments, source = view.facts.comments, view.source
    return source.line_of(comments[first].start) - source.line_of(comments[first - 1].start) <= 2


def _parsed(texts: Sequence[str]) -> ast.Module | None:
    """The lines without their marks as a tree; `None` where they are no Python."""
    bodies = [text.lstrip("#") for text in texts]
    if any(text.startswith("##") for text in texts) or _ABBREVIATION.match(bodies[0]):
        return None
    # Imported here: a file without comments does without, and start-up should stay fast.
    import textwrap

    code = textwrap.dedent("\n".join(bodies))
    if not code.isascii() or _CODE_MARK.search(code) is None or _reads_as_prose(code):
        return None
    first_word = _FIRST_WORD.match(code)
    assert first_word is not None, "it may be empty"
    for beginning in _BEGINNINGS.get(first_word[1], ("",)):
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                tree = ast.parse(beginning + code)
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            continue
        return tree if not beginning else ast.Module([*_added(tree)], [])
    return None


def _reads_as_prose(code: str) -> bool:
    """Whether two words that are no keywords follow each other, as they never do in code. Most comments
    are told from code by that, at a fraction of what a parse costs."""
    for line in code.splitlines():
        if '"""' in line or "'''" in line:
            # A text over several lines may hold prose and be code all the same.
            return False
        words = _TEXT_OR_COMMENT.split(line, 1)[0].split()
        for word, following in pairwise(words):
            if (
                word.isidentifier()
                and following.isidentifier()
                and word not in KEYWORDS
                and following not in KEYWORDS
            ):
                return True
    return False


def _added(tree: ast.Module) -> Iterator[ast.stmt]:
    """The statements of a fragment, without those that were put before it."""
    around = tree.body[0]
    for node in ast.walk(around):
        if isinstance(node, ast.stmt) and node is not around and not isinstance(node, ast.Pass):
            yield node
    yield from tree.body[1:]


def _is_nothing_else(view: FileView, statement: ast.stmt) -> bool:
    """Whether a statement would hardly be written as prose or as a formula."""
    if isinstance(statement, ast.Expr):
        return isinstance(statement.value, ast.Call) and _knows(view, statement.value.func)
    if isinstance(statement, ast.Assign | ast.AugAssign):
        # A plain formula explains as often as it was disabled.
        return any(isinstance(node, ast.Call | ast.Subscript) for node in ast.walk(statement.value))
    if isinstance(statement, ast.Return):
        return statement.value is not None and not isinstance(statement.value, ast.Name)
    return isinstance(
        statement,
        ast.Import | ast.ImportFrom | ast.FunctionDef | ast.ClassDef | ast.For | ast.If | ast.While
        | ast.With | ast.Raise | ast.Assert | ast.Try,
    )


def _knows(view: FileView, function: ast.expr) -> bool:
    """Whether the file speaks of a function elsewhere: prose also writes words before brackets."""
    if isinstance(function, ast.Attribute):
        return True
    return isinstance(function, ast.Name) and (function.id in view.facts.names or function.id == "print")


def _is_prose(statement: ast.stmt) -> bool:
    """Whether a statement is one that prose makes by chance: a word, or some with commas."""
    return isinstance(statement, ast.Expr) and not isinstance(
        statement.value, ast.Call | ast.Await | ast.Yield | ast.YieldFrom
    )
