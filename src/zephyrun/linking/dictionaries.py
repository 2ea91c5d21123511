"""Dictionaries of keywords: what keys get into one before it is handed on with `**`."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator

from zephyrun.facts import Role, ScopeKind, Text
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.patterns import lazy_pattern

# What follows a dictionary that is only read, or from which something is taken out.
_READ_ONLY = lazy_pattern(r"\s*(?:\.\s*(?:get|pop|items|keys|values|copy)\s*\(|\[[^\]\n]*\](?!\s*(?:=(?!=)|[-+*/|&]=)))")
_PUTS = lazy_pattern(r"\s*(?:\[[\"'](\w+)[\"']\]\s*=(?!=)|\.\s*setdefault\(\s*[\"'](\w+)[\"'])")
# Where texts stand that become no keys, and what is called with texts that it looks up.
_LOOKING_ON = frozenset({"documentation", "annotation", "statement", "compared", "case"})
_LOOKING_UP = frozenset({"get", "pop", "getattr", "hasattr", "delattr", "startswith", "endswith", "print"})
# What makes a dictionary of its keywords, or puts them into one.
_MAKING = frozenset({"dict", "update", "OrderedDict", "defaultdict", "ChainMap"})
_STORES = lazy_pattern(r"\s*\]\s*(?:=(?!=)|,)")
_SPLITS = lazy_pattern(r"\s*\.\s*r?(?:split|partition)\b")
_ENDS_IN_IN = lazy_pattern(r"\bin\Z")
_LONGEST_SPACE = 200


def may_be_key(linkage: Linkage, name: str) -> bool:
    """Whether the name stands in some text that could become a key of a dictionary. A text that is only
    compared or looked up becomes none, and a sentence that holds the word is none."""
    spelled = rf"(?<![^\W_]){re.escape(name).replace('_', '[_-]')}(?![^\W_])"
    whole = re.compile(rf"[\s_-]*{spelled}[\s_-]*|[\w\s.-]*(?:[,;|][\w\s.-]*)+")
    paired = re.compile(rf"{spelled}(?:[\"']\s*:|\s*=(?!=))|(?m:^[\s-]*{spelled}\s*:)")
    word = re.compile(spelled)
    return any(
        word.search(text.words)
        and not _is_only_looked_up(file, text)
        and (
            whole.fullmatch(text.words)
            or paired.search(text.words)
            or text.interpolated
            or _SPLITS.match(file.source.text, text.end)
        )
        for file in linkage.mentioning_any({name, name.partition("_")[0]})
        for text in file.facts.texts
    )


def keys_written(file: LinkedFile, name: str) -> Iterator[int]:
    """Where a file gives something that name in a dictionary: where the key begins, or the keyword of what makes one."""
    for text in file.facts.texts:
        if text.words == name and (text.use == "key" or (text.use == "index" and _STORES.match(file.source.text, text.end))):
            yield text.start + 1
    yield from (each.start for each in file.links.keywords if each.name == name and each.callee.name in _MAKING)


def _is_only_looked_up(file: LinkedFile, text: Text) -> bool:
    """Whether a text is only compared with something, or what is looked up by it is only read."""
    if text.use in _LOOKING_ON:
        return True
    if text.use == "index":
        return _STORES.match(file.source.text, text.end) is None
    return text.use == "argument" and text.beside in _LOOKING_UP


def handed_on_and_left(file: LinkedFile, binding: int, name: str) -> tuple[bool, bool]:
    """Of a dictionary of keywords: whether it is handed to some call as it is, which might put keys into
    it; and whether else it is only handed on with `**`, read, and given other keys that are written out, so
    that the name does not get in."""
    text = file.source.text
    is_handed = False
    for index in file.facts.bindings[binding].references:
        reference = file.facts.references[index]
        if reference.role in (Role.PARAMETER, Role.ASSIGN):
            continue
        before = text[max(reference.start - _LONGEST_SPACE, 0) : reference.start].rstrip()
        is_spread = before.endswith("**")
        is_asked = _ENDS_IN_IN.search(before)
        put = _PUTS.match(text, reference.end)
        is_other = put is not None and (put[1] or put[2]) != name
        if is_spread or is_asked or is_other or _READ_ONLY.match(text, reference.end):
            continue
        if reference.end not in file.handed_by_end:
            return is_handed, False
        is_handed = True
    return is_handed, True


def keys_set(file: LinkedFile, binding: int) -> set[str] | None:
    """The keys of the dictionaries that a variable is set to, where all are written out; `None` elsewhere."""
    found: set[str] = set()
    facts = file.facts
    if facts.scopes[facts.bindings[binding].scope].kind is not ScopeKind.FUNCTION:
        # Others may get at it.
        return None
    for index in facts.bindings[binding].references:
        reference = facts.references[index]
        if reference.role not in (Role.READ, Role.ASSIGN):
            return None
        if reference.role is Role.ASSIGN:
            statement = facts.statements[facts.statement_at(reference.start)]
            keys = _keys_of_statement(file.source.text[statement.start : statement.end])
            if keys is None:
                return None
            found |= keys
    return found


def _keys_of_statement(text: str) -> set[str] | None:
    try:
        statement = ast.parse(text).body[0]
    except SyntaxError:
        return None
    match statement:
        case ast.Assign(targets=[ast.Name()], value=value) | ast.AnnAssign(value=value):
            pass
        case _:
            return None
    match value:
        case ast.Dict(keys=keys):
            words = [key.value for key in keys if isinstance(key, ast.Constant)]
            return set(map(str, words)) if len(words) == len(keys) else None
        case ast.Call(func=ast.Name(id="dict"), args=[], keywords=keywords):
            named = [keyword.arg for keyword in keywords]
            return {name for name in named if name} if all(named) else None
    return None
