"""How names of several words are written: like_this, likeThis or LikeThis."""

from __future__ import annotations


from zephyrun.layout.habits import CAMEL, PASCAL, SNAKE
from zephyrun.patterns import lazy_pattern

_PATTERNS = (
    (SNAKE, lazy_pattern(r"[a-z][a-z0-9]*(?:_+[a-z0-9]+)+")),
    (CAMEL, lazy_pattern(r"[a-z]+[0-9]*(?:[A-Z][a-z0-9]*)+")),
    (PASCAL, lazy_pattern(r"[A-Z][a-z0-9]+(?:[A-Z][a-z0-9]*)+")),
)


def style_of(name: str) -> str:
    """The style of a name of several words; "" for one word, and for what is of no style or of two."""
    plain = name.strip("_")
    return next((style for style, pattern in _PATTERNS if pattern.fullmatch(plain)), "")


def in_style(name: str, words: list[str], style: str) -> str:
    """A name of these words in another style; what stands around the words stays."""
    plain = name.strip("_")
    if style == SNAKE:
        written = "_".join(words)
    else:
        written = "".join(word.capitalize() for word in words)
        written = written[:1].lower() + written[1:] if style == CAMEL else written
    before, _, after = name.partition(plain)
    return f"{before}{written}{after}"
