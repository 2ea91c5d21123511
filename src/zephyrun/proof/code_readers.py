"""Files that look at the code of functions: what it is made of tells of every change but one of layout."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.languages.python import ParsedFile
from zephyrun.proof.remains import Reservation

# What tells of a code object more than how its function is called, where it stands, and what it takes.
_LOOKS_AT_CODE = re.compile(
    r"\bco_(?:code|consts|names|nlocals|stacksize|exceptiontable)\b|\bmarshal\s*\.\s*dumps?\s*\([^\n]*code|"
    r"\b(?:import\s+dis\b|from\s+dis\s+import\b)|\.__code__\s*(?:\.\s*replace\b|[=!]=)"
)


def code_reservations(parsed: ParsedFile) -> Iterator[Reservation]:
    """A reservation for each place of a file at which it may look at the code of its functions."""
    for found in _LOOKS_AT_CODE.finditer(parsed.source.text):
        if not parsed.is_code(found.start()):
            continue
        yield Reservation(f"it does not matter what the code of functions is made of, at which `{found[0]}` looks", found.start())
