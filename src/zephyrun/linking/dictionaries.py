"""Texts that become keys of dictionaries."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.facts import Text
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.patterns import lazy_pattern

# Where texts stand that become no keys, and what is called with texts that it looks up.
_LOOKING_ON = frozenset({"documentation", "annotation", "statement", "compared", "case"})
_LOOKING_UP = frozenset({"get", "pop", "getattr", "hasattr", "delattr", "startswith", "endswith", "print"})
# What makes a dictionary of its keywords, or puts them into one.
_MAKING = frozenset({"dict", "update", "OrderedDict", "defaultdict", "ChainMap"})
_STORES = lazy_pattern(r"\s*\]\s*(?:=(?!=)|,)")
_SPLITS = lazy_pattern(r"\s*\.\s*r?(?:split|partition)\b")


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
