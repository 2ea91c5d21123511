"""Attributes that a text or a pattern asks for, so that no reference names them."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.languages.python.name_readers import LOOKUPS
from zephyrun.languages.python.told_texts import is_told
from zephyrun.linking.linkage import LinkedFile
from zephyrun.patterns import lazy_pattern

_IS_SOUGHT = lazy_pattern(r"\s+(?:not\s+)?in\b")


def asked_by_text(file: LinkedFile, attribute: str) -> Iterator[int]:
    """Where a file may ask who knows what for an attribute: by a text that is its name or has it behind a dot
    (`attrgetter("__class__.__name__")`, `"{0.__name__}"`), or in a pattern (`case object(__name__=name)`)."""
    if attribute not in file.source.text:
        return
    named = re.compile(rf"(?:\A|\.)\s*{re.escape(attribute)}\b")
    # Those are told beside the text of whom it asks, as in `getattr(hive, "__name__")`.
    asked_of_one = {text.start for text in file.links.texts if text.position > 0 and text.callee.name in LOOKUPS}
    for text in file.facts.texts:
        is_asking = text.use != "documentation" and text.start not in asked_of_one and named.search(text.words)
        if is_asking and _IS_SOUGHT.match(file.source.text, text.end) is not None:
            # Whether there is one (`"__slots__" in vars(Hive)`) says nothing of what it holds.
            continue
        if is_asking and not is_told(file.facts, text) and not _is_slot(file, text.start):
            yield text.start
    yield from (use.start for use in file.links.keywords if use.in_pattern and use.name == attribute)


def _is_slot(file: LinkedFile, start: int) -> bool:
    """Whether a text at an offset names an attribute that instances may have."""
    statement = file.facts.statements[file.facts.statement_at(start)]
    return file.source.text.startswith("__slots__", statement.start)
