"""What files take from dotted names that may be classes, at a glance: `Hive.weigh(box)`, `key=Hive.weigh`."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.link_facts import MemberTaken
from zephyrun.linking.glances import glance
from zephyrun.linking.import_statements import find_imports
from zephyrun.linking.module_uses import as_names, dotted_names_in
from zephyrun.linking.texts import without_texts
from zephyrun.patterns import lazy_pattern

_NEAR = 60
_OWN = ("self", "cls", "mcs", "super")
_CALLED_WITH_OWN = lazy_pattern(r"\s*\(\s*(?:self|cls)\s*[,)]")
# What is called of a class that is told by one of its instances.
_OF_A_TYPE = lazy_pattern(r"(?:\btype\s*\((?:[^()\r\n]|\([^()\r\n]*\))*\)|(?:\bself\s*)?\.\s*__class__)\s*\.\s*([^\W\d]\w*)(?=\s*\()")
_OWN_TYPE = lazy_pattern(r"type\s*\(\s*self\s*\)|self\s*\.")
# What is called with nothing, what is gone on from, and a target.
_NOT_TAKEN = lazy_pattern(r"\s*(?:\(\s*\)|=(?!=))")
_CLASS = lazy_pattern(r"([ \t]*)(?:class[ \t]+(\w+))?")


@glance
def members_taken_in(data: bytes) -> frozenset[MemberTaken]:
    """What a file takes from dotted names that may be classes."""
    code = without_texts(data)
    modules = {each.name for _, _, found in find_imports(code) for each in found if not each.origin}
    return frozenset(_taken_in(as_names(code.decode("utf-8", "replace")), modules))


def _taken_in(code: str, modules: set[str]) -> Iterator[MemberTaken]:
    for match in _OF_A_TYPE.finditer(code):
        is_own = _OWN_TYPE.match(match[0]) is not None and _CALLED_WITH_OWN.match(code, match.end()) is not None
        if not is_own and not _NOT_TAKEN.match(code, match.end()):
            yield MemberTaken((), match[1], "")
    for words, start, end in dotted_names_in(code):
        is_of_module = len(words) == len(("yard", "weigh")) and words[0] in modules
        if len(words) == 1 or is_of_module or words[0] in _OWN or _NOT_TAKEN.match(code, end):
            continue
        within = _class_around(code, start) if _CALLED_WITH_OWN.match(code, end) else ""
        yield MemberTaken(words[:-1], words[-1], within)


def _class_around(code: str, position: int) -> str:
    """The class in whose body a place is, by the lines above that are indented less."""
    *above, line = code[:position].splitlines()
    depth = len(line) - len(line.lstrip())
    for each in reversed(above):
        head = _CLASS.match(each)
        if head is not None and each.strip() and len(head[1]) < depth:
            depth = len(head[1])
            if head[2]:
                return head[2]
    return ""
