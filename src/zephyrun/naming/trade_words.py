"""Which short words the trade knows: those that names in several packages have."""

from __future__ import annotations

from functools import cache
from pathlib import Path

# Written by `benchmarks/names/build_trade_words.py`, a word a line.
TRADE_WORDS = Path(__file__).parent / "data" / "trade_words.txt"


def is_of_the_trade(word: str) -> bool:
    """Whether a lower-case word that cannot be read by itself is in names all over the trade, so that some readers will have met
    it: `hdr`, but not `hvnmbr`."""
    return word in _trade_words()


@cache
def _trade_words() -> frozenset[str]:
    return frozenset(TRADE_WORDS.read_text("utf-8").split())
