"""Files that look at the code of functions: what it is made of tells of every change but one of layout."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.facts import FileFacts
from zephyrun.languages.python.told_texts import is_told
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.remains import Reservation
from zephyrun.source import SourceText

# What tells of a code object more than how its function is called, where it stands, and what it takes.
_INSIDE = r"\s*\.\s*co_(?:code|consts|names|nlocals|stacksize|exceptiontable)\b"
_LOOKS_INSIDE = lazy_pattern(rf"\b__code__{_INSIDE}")
_KEEPS_CODE = lazy_pattern(r"\b(\w+)\s*(?::\s*\w+\s*)?=\s*[^\n=]*\.__code__\b")
# The same in a text, by which it is looked up, filled in or run.
_IN_TEXT = lazy_pattern(r"(?:\A|\.)(?:co_(?:code|consts|names|nlocals|stacksize|exceptiontable)\b|__code__\.replace\b)")
_LOOKS_AT_CODE = lazy_pattern(r"\.__code__\s*(?:\.\s*replace\b|[=!]=)")
_CODE = "__code__"
_STORES = "marshal"
# What gives the code of something; without it a file stores what it was handed.
_GIVING_CODE = ("__code__", "f_code", "_code", "compile")
_STORES_CODE = lazy_pattern(r"marshal\s*\.\s*dumps?\s*\([^\n]*code")
_IMPORTS_DIS = (lazy_pattern(r"import\s+dis\b"), lazy_pattern(r"from\s+dis\s+import\b"))
# What lists the instructions of something that it is handed by its name. Source: library reference.
_LISTS_INSTRUCTIONS = lazy_pattern(r"\b(?:dis|distb|disassemble|disco|get_instructions|code_info|show_code|Bytecode)\s*\(\s*(\w+)")


def code_reservations(source: SourceText, facts: FileFacts) -> Iterator[Reservation]:
    """A reservation for each place of a file at which it may look at the code of its functions."""
    text = source.text
    places: list[re.Match[str]] = []
    # Few files hold any of these words, and every file is asked.
    if _CODE in text:
        places += (*_LOOKS_AT_CODE.finditer(text), *_LOOKS_INSIDE.finditer(text))
        for kept in set(_keeping_code(text)):
            places += re.finditer(rf"\b{kept}{_INSIDE}", text)
    if _STORES in text and any(word in text for word in _GIVING_CODE):
        places += _STORES_CODE.finditer(text)
    if any(pattern.search(text) is not None for pattern in _IMPORTS_DIS):
        own = {each.name for each in facts.bindings if not each.outside and each.scope == 0}
        places += (found for found in _LISTS_INSTRUCTIONS.finditer(text) if found[1] in own)
    for found in places:
        if facts.is_code(found.start()):
            yield _reservation(found[0], found.start())
    if "co_" in text:
        for each in facts.texts:
            # Whether there is any code does not tell what is in it.
            is_asking = each.use != "documentation" and each.beside != "hasattr" and _IN_TEXT.search(each.words) is not None
            if is_asking and not is_told(facts, each):
                yield _reservation(each.words, each.start)


def _reservation(shown: str, start: int) -> Reservation:
    return Reservation(f"it does not matter what the code of functions is made of, at which `{shown}` looks", start)


def _keeping_code(text: str) -> Iterator[str]:
    """The variables that hold code objects."""
    end = text.find(_CODE)
    while end >= 0:
        # A value may begin on the line behind its name.
        start = text.rfind("\n", 0, max(text.rfind("\n", 0, end), 0)) + 1
        yield from (each[1] for each in _KEEPS_CODE.finditer(text, start, end + len(_CODE)))
        end = text.find(_CODE, end + 1)
