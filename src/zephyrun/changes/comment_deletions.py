"""Delete comments, and the line or the spaces that only stood there for them."""

from __future__ import annotations

from zephyrun.changes.refusal import Refusal
from zephyrun.facts import FileFacts
from zephyrun.languages.python.instructions import is_instruction
from zephyrun.source import Edit, EditSet, SourceText


def delete_comments(
    source: SourceText, facts: FileFacts, first: int, count: int
) -> EditSet | Refusal:
    """The edits that take some comments away that follow one another, or why there are none.

    A single one may stand behind code; several must stand on lines of their own.
    """
    comments = facts.comments[first : first + count]
    if any(is_instruction(each.text) for each in comments):
        return Refusal("the comment speaks to another program")
    text = source.text
    first_line, last_line = source.line_of(comments[0].start), source.line_of(comments[-1].start)
    line_start = source.line_starts[first_line - 1]
    if not comments[0].own_line and count == 1:
        kept = text[line_start : comments[0].start].rstrip(" \t\f")
        return EditSet([Edit(line_start + len(kept), comments[0].end, "")])
    if last_line - first_line != count - 1 or not all(each.own_line for each in comments):
        return Refusal("the comments no longer stand on lines of their own, one below the other")
    end = _start_of_line(source, last_line + 1)
    if first_line > 1 and _is_blank(source, first_line - 1) and _is_blank(source, last_line + 1):
        # Between two blank lines it would leave a double gap.
        end = _start_of_line(source, last_line + 2)
    return EditSet([Edit(line_start, end, "")])


def _start_of_line(source: SourceText, line: int) -> int:
    """Where a 1-based line begins; the end of the text behind the last one."""
    return source.line_starts[line - 1] if line <= len(source.line_starts) else len(source.text)


def _is_blank(source: SourceText, line: int) -> bool:
    return 1 <= line <= source.n_lines and not source.line(line).strip(" \t\f")
