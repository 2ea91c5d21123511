"""What files take from dotted names that may be classes, at a glance: `Hive.weigh(box)`, `key=Hive.weigh`."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.link_facts import MemberTaken
from zephyrun.linking.dotted_names import dotted_names_in, heads_around, words_in_text
from zephyrun.linking.library_calls import BEHIND_PROPERTIES
from zephyrun.patterns import lazy_pattern

_OWN = ("self", "cls", "mcs", "super")
_CALLED_WITH_OWN = lazy_pattern(r"\s*\(\s*(?:self|cls)\s*[,)]")
_OWN_TYPE = lazy_pattern(r"type\s*\(\s*self\s*\)|self\s*\.")
# Attributes of methods and properties that lead to the function behind them.
LEADING_TO_FUNCTION = frozenset({*BEHIND_PROPERTIES, "__func__", "__wrapped__", "__get__"})
# What is called of a class that is told by one of its instances.
_OF_A_TYPE = lazy_pattern(
    r"(?:\btype\s*\((?:[^()\r\n]|\([^()\r\n]*\))*\)|(?:\bself\s*)?\.\s*__class__)\s*\.\s*([^\W\d]\w*)"
    rf"(?=\s*(?:\(|\.\s*(?:{'|'.join(sorted(LEADING_TO_FUNCTION))})\b))"
)
# A member that is taken from something by a text.
_BY_TEXT = lazy_pattern(
    r"\bgetattr(?:_static)?\s*\(\s*([\w.]+)\s*,\s*[\"'](\w+)[\"']|\bvars\s*\(\s*([\w.]+)\s*\)\s*(?:\[|\.\s*(?:get|pop)\s*\()\s*[\"'](\w+)[\"']"
    r"|([\w.]+)\.__dict__\s*(?:\[|\.\s*(?:get|pop)\s*\()\s*[\"'](\w+)[\"']"
)
# What is called with nothing, what is gone on from, and a target.
_NOT_TAKEN = lazy_pattern(r"\s*(?:\(\s*\)|=(?!=))")


def members_taken_in(code: str, modules: set[str]) -> Iterator[MemberTaken]:
    """What a code without its texts takes from dotted names that may be classes; some names are those of `modules`."""
    for match in _OF_A_TYPE.finditer(code):
        is_own = _OWN_TYPE.match(match[0]) is not None and _CALLED_WITH_OWN.match(code, match.end()) is not None
        if not is_own and not _NOT_TAKEN.match(code, match.end()):
            yield MemberTaken((), match[1], "")
    for match in _BY_TEXT.finditer(code):
        owner, name = (each for each in match.groups() if each is not None)
        words = words_in_text(owner)
        if words and words[0] not in _OWN and not (len(words) == 1 and words[0] in modules):
            yield MemberTaken(words, name, "", is_by_text=True)
    for words, start, end in dotted_names_in(code):
        is_of_module = len(words) == len(("yard", "weigh")) and words[0] in modules
        if len(words) == 1 or is_of_module or words[0] in _OWN or _NOT_TAKEN.match(code, end):
            continue
        if words[-1] in LEADING_TO_FUNCTION:
            yield MemberTaken(words[:-2], words[-2], "")
        around = (name for sort, name in heads_around(code, start) if sort == "class")
        within = next(around, "") if _CALLED_WITH_OWN.match(code, end) else ""
        yield MemberTaken(words[:-1], words[-1], within)
