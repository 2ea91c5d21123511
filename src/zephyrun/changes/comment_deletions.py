"""Delete a comment, and the line or the spaces that only stood there for it."""

from __future__ import annotations

from zephyrun.changes.refusal import Refusal
from zephyrun.facts import FileFacts
from zephyrun.languages.python.instructions import is_instruction
from zephyrun.source import Edit, EditSet, SourceText


def delete_comment(source: SourceText, facts: FileFacts, index: int) -> EditSet | Refusal:
    """The edits that take a comment away, or why there are none."""
    comment = facts.comments[index]
    if is_instruction(comment.text):
        return Refusal("the comment speaks to another program")
    text = source.text
    line = source.line_of(comment.start)
    line_start = source.line_starts[line - 1]
    if not comment.own_line:
        kept = text[line_start : comment.start].rstrip(" \t\f")
        return EditSet([Edit(line_start + len(kept), comment.end, "")])
    has_next = line < len(source.line_starts)
    end = source.line_starts[line] if has_next else len(text)
    if has_next and _is_blank(source, line - 1) and _is_blank(source, line + 1) and line > 1:
        # Between two blank lines it would leave a double gap.
        end = source.line_starts[line + 1] if line + 1 < len(source.line_starts) else len(text)
    return EditSet([Edit(line_start, end, "")])


def _is_blank(source: SourceText, line: int) -> bool:
    return 1 <= line <= source.n_lines and not source.line(line).strip(" \t\f")
