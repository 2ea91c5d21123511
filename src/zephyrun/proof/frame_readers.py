"""Modules that read the variables of other functions, and what they read there."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import lru_cache

from zephyrun.facts import FrameRead
from zephyrun.languages.python import UnreadableSource, read_facts
from zephyrun.languages.python.frame_reads import ANYTHING
from zephyrun.languages.python.walk import FRAME_READERS
from zephyrun.linking.glances import glance
from zephyrun.linking.texts import shows_instructions, without_comments
from zephyrun.patterns import lazy_pattern

_MARK = lazy_pattern(rf"\b(?:{'|'.join(sorted(FRAME_READERS))})\b")
_QUOTED = lazy_pattern(rb"[\"'](\w+)[\"']")
# What is seen to be asked for one name, or for none.
_ASKED_IN_SIGHT = frozenset({"f_locals", "co_varnames"})
_MOST_FILES_KEPT = 256


@dataclass(frozen=True)
class FrameReader:
    """A module, by its dotted name, that reads other functions' variables. It is only read itself when
    somebody is in its reach."""

    module: str
    data: bytes

    @property
    def reads(self) -> tuple[FrameRead, ...]:
        """What it reads there."""
        return _read_off_frames(self.data)

    @property
    def digest(self) -> str:
        """What stands for it, and for its content."""
        return f"{self.module} {_digest(self.data)}"

    def seeks(self, name: str) -> bool:
        """Whether it asks frames for that very name, or for all that begin like it."""
        quoted, spelt = _quoted_words(self.data), name.encode("utf-8", "surrogatepass")
        if not any(spelt[:length] in quoted for length in range(1, len(spelt) + 1)):
            return False
        return any(reads.names is not None and reads.asks_for(name) for reads in self.reads)


@lru_cache(maxsize=_MOST_FILES_KEPT)
def _digest(data: bytes) -> str:
    """Asked for every file of a project, whose surroundings it belongs to."""
    return hashlib.sha256(data).hexdigest()


@glance
def _quoted_words(data: bytes) -> frozenset[bytes]:
    """Every word that stands alone between quotes; each name of a project is held against them."""
    return frozenset(_QUOTED.findall(data))


@glance
def _read_off_frames(data: bytes) -> tuple[FrameRead, ...]:
    """Anything, where code does not just ask a frame for its variables."""
    code = without_comments(data)
    marks = {mark for mark in FRAME_READERS if mark.encode() in code}
    if not marks & _ASKED_IN_SIGHT or ("f_locals" not in marks and marks - _ASKED_IN_SIGHT) or shows_instructions(data):
        return (ANYTHING,)
    try:
        facts = read_facts(data)
    except UnreadableSource:
        return (ANYTHING,)
    reads = [
        each.reads for each in facts.exposures if each.whole_file and each.what.rpartition(".")[2] in FRAME_READERS
    ]
    holds_code = any(text.use != "documentation" and _MARK.search(text.words) for text in facts.texts)
    return tuple(dict.fromkeys([*reads, *([ANYTHING] if holds_code else [])]))
