"""What a file does with the modules that it imports, at a glance: whether they go on as values, and who may then ask them
for names."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from zephyrun.link_facts import Dotted, ModuleUses
from zephyrun.linking.dotted_names import as_names, dotted_names_in, heads_around, words_in_text
from zephyrun.linking.glances import glance
from zephyrun.linking.import_statements import find_imports
from zephyrun.linking.members_taken import members_taken_in
from zephyrun.linking.texts import example_lines_in, without_texts
from zephyrun.patterns import lazy_pattern

_NAMESPACE = "__dict__"
# What stands around a dotted name is looked for so far away.
_NEAR = 80
_LISTS = lazy_pattern(r"\b(?:vars|dir|getmembers|getmembers_static)\s*\(\s*\Z")
_LOOKS_UP = lazy_pattern(r"\b(?:(get)|(set)|[hd]\w{2})attr\s*\(\s*\Z")
_HARMLESS = lazy_pattern(r"\b(?:reload|isinstance)\s*\(\s*\Z|@\s*\Z")
_PATCHES = lazy_pattern(r"\bobject\s*\(\s*\Z")
_ASKS_ITSELF = lazy_pattern(r"\b(?:if|elif|not|while)\s+\Z")
_FOR_TEXT = lazy_pattern(r"\s*,\s*[\"'](\w+)[\"']\s*[,)]")
_QUOTES = frozenset({"'", '"'})
_OF_NAMESPACE = lazy_pattern(r"[\s)]*(?:\[|\.\s*(?:get|pop)\s*\()\s*[\"'](\w+)[\"']")
# A name that is given to what has one, in a way that is seen on one line.
_GIVEN_ANOTHER = lazy_pattern(r"(?m)^[ \t]*(\w+)[ \t]*=[ \t]*[\w.]+[ \t]*$|\bfor[ \t]+(\w+)[ \t]+in\b")
# A target, what is called, and what is only asked whether it is there.
_NO_VALUE = lazy_pattern(r"\s*(?:=(?!=)|\(|is\b)")
_INDENT = lazy_pattern(rb"[ \t]*\S")
_OWN_NAMESPACE = lazy_pattern(r"\b(?:(globals)|vars|dir|locals)\s*\(\s*\)")
_RUNS = lazy_pattern(r"\b(?:eval|exec)\s*\([^\r\n]*,\s*\Z")
_AMONG = lazy_pattern(r"\bin\s+\Z")
_FILLS = lazy_pattern(r"[\s)]*(?:\.\s*(?:update|setdefault|__setitem__)\s*\(|\[[^\]\r\n]*\]\s*=(?!=))")
_FILLING = r"(?:\.\s*(?:update|setdefault|__setitem__)\s*\(|\[(?!\s*[\"']\w+[\"']\s*\])[^\]\r\n]*\]\s*=(?!=))"
_FILLED = lazy_pattern(
    rf"\bsetattr\s*\(\s*([^\"'\r\n,]*),\s*(?![\"'])|\bvars\s*\(([^()\r\n]*(?:\([^()]*\))?[^()\r\n]*)\)\s*{_FILLING}"
    rf"|([\w.]*)\.{_NAMESPACE}\s*{_FILLING}"
)
_ATTRIBUTE_ASKED = lazy_pattern(r"\bgetattr\s*\((?!\s*self\s*,)[^\"'\r\n]*,\s*[\"'](\w+)[\"']\s*[,)]|\battrgetter\s*\(([^()]*)\)")
_NAMESPACE_ASKED = lazy_pattern(rf"(?:\bvars\s*\([^()]*(?:\([^()]*\))?[^()]*\)|\b(?:{_NAMESPACE}|__globals__|f_globals))\s*(?:\[|\.\s*(?:get|pop)\s*\()\s*[\"'](\w+)[\"']")


@glance
def module_uses_in(data: bytes) -> ModuleUses:
    """What a file does with what it imports, examples in its documentation included."""
    return _joint(_uses_of(without_texts(data)), example_uses_in(data))


@glance
def example_uses_in(data: bytes) -> ModuleUses:
    """What examples in documentation do with what they import, and with the names of the module around them."""
    code = without_texts(example_lines_in(data))
    uses = _uses_of(code, knows_all=True)
    renamed = {match[1] or match[2] for match in _GIVEN_ANOTHER.finditer(code.decode("utf-8", "replace"))}
    taken = (each._replace(owner=() if each.owner[:1] and each.owner[0] in renamed else each.owner) for each in uses.taken)
    return uses._replace(taken=frozenset(each._replace(within="", is_example=True) for each in taken))


def _joint(some: ModuleUses, others: ModuleUses) -> ModuleUses:
    return ModuleUses(
        some.imports | others.imports,
        some.standing | others.standing,
        some.listed | others.listed,
        some.asked | others.asked,
        some.asked_of | others.asked_of,
        some.filled | others.filled,
        some.taken | others.taken,
    )


def _uses_of(code: bytes, *, knows_all: bool = False) -> ModuleUses:
    """What a code without its texts does; with `knows_all`, any name may be one of its imports."""
    statements = list(find_imports(code))
    imported = [each for _, _, found in statements for each in found]
    ends = [0, *(end for _, end, _ in statements)]
    starts = [*(start for start, _, _ in statements), len(code)]
    rest = as_names(b"\n".join(code[end:start] for end, start in zip(ends, starts, strict=True)).decode("utf-8", "replace"))
    uses = _Uses(set(), set(), set(), set())
    names = {as_names(each.name) for each in imported}
    uses.read(rest, names | {"*"} if knows_all else names)
    imports = frozenset(
        (as_names(each.name), each.origin, each.dotted.rpartition(".")[2]) if each.origin else (as_names(each.name), each.bound_to, "")
        for each in imported
    )
    taken = members_taken_in(rest, {as_names(each.name) for each in imported if not each.origin})
    # A class that imports a module has it as an attribute: whoever has the class may ask it for that.
    inside = (found for start, _, found in statements if _is_in_class(code, start))
    uses.asked_of.update(((), as_names(each.name)) for found in inside for each in found)
    standing, listed, asked, filled = frozenset(uses.standing), frozenset(uses.listed), frozenset(_asked_in(rest)), frozenset(uses.filled)
    return ModuleUses(imports, standing, listed, asked, frozenset(uses.asked_of), filled, frozenset(taken))


def _is_in_class(code: bytes, start: int) -> bool:
    """Whether the statement that begins at a place, or behind blanks there, stands in the body of a class."""
    indent = _INDENT.match(code, start)
    if indent is None or b"class" not in code:
        return False
    before = code[: indent.end()].decode("utf-8", "replace")
    line = before.rpartition("\n")[2].lstrip()
    return line.startswith("class") or next(heads_around(before, len(before)), ("", ""))[0] == "class"


class _Uses(NamedTuple):
    """What is found out about dotted names."""

    standing: set[Dotted]
    listed: set[Dotted]
    asked_of: set[tuple[Dotted, str]]
    filled: set[Dotted]

    def read(self, code: str, names: set[str]) -> None:
        """Look at each dotted name that begins with one of some names; with all of another module, any may."""
        for words, start, end in dotted_names_in(code):
            if words[0] in names or "*" in names:
                self._note(words, code[max(start - _NEAR, 0) : start], code[end : end + _NEAR])
        for match in _FILLED.finditer(code):
            filled = words_in_text(match[1] or match[2] or match[3] or "")
            if not filled or (filled[0] not in names and filled != ("self",)):
                self.filled.add(())
        for match in _OWN_NAMESPACE.finditer(code):
            if match[1] or not any(sort == "def" for sort, _ in heads_around(code, match.start())):
                before, after = code[max(match.start() - _NEAR, 0) : match.start()], code[match.end() : match.end() + _NEAR]
                self._note_own(before, after)

    def _note(self, words: Dotted, before: str, after: str) -> None:
        if before[-1:] in _QUOTES and before[-1:] == after[:1]:
            # It is a text.
            return
        if _NAMESPACE in words:
            self._note_listed(words[: words.index(_NAMESPACE)], f".{words[-1]}{after}" if words[-1] != _NAMESPACE else after)
        elif _LISTS.search(before):
            self._note_listed(words, after)
        elif (match := _LOOKS_UP.search(before)) is not None:
            text = _FOR_TEXT.match(after)
            if text is None:
                (self.filled if match[2] else self.listed).add(words)
            elif match[1]:
                self.asked_of.add((words, text[1]))
        elif not (
            _HARMLESS.search(before)
            or _NO_VALUE.match(after)
            or (_PATCHES.search(before) and _FOR_TEXT.match(after))
            or (_ASKS_ITSELF.search(before) and after.lstrip().startswith(":"))
        ):
            self.standing.add(words)

    def _note_listed(self, words: Dotted, after: str) -> None:
        text = _OF_NAMESPACE.match(after)
        if text is not None:
            self.asked_of.add((words, text[1]))
        elif words and _FILLS.match(after):
            self.filled.add(words)
        else:
            self.listed.add(words)

    def _note_own(self, before: str, after: str) -> None:
        if not (_FILLS.match(after) or _RUNS.search(before) or (_AMONG.search(before) and not after.startswith("."))):
            self._note_listed((), after)


def _asked_in(code: str) -> Iterator[str]:
    for match in _ATTRIBUTE_ASKED.finditer(code):
        yield from [match[1]] if match[1] else words_in_text(match[2])
    for match in _NAMESPACE_ASKED.finditer(code):
        yield match[1]
