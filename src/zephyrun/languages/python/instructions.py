"""Comments that speak to a program rather than to a reader.

They are told by their shape and not by a list: a shebang, a coding line, a word and a colon with
codes behind it.
"""

from __future__ import annotations

from zephyrun.patterns import lazy_pattern


_INSTRUCTION = lazy_pattern(
    r"#\s*!|#\s*(?!(?:else|try|finally)\s*:\s*$)[\w-]+\s*:|#.*coding[:=]|#\s*-\*-|#:"
    r"|#\s*(?:vim?|emacs)\b"
)


def is_instruction(comment: str) -> bool:
    """Whether a comment, given with its marker, carries an instruction to another program."""
    return _INSTRUCTION.match(comment) is not None
