"""Code that gives builtins another meaning, so that nothing can be said of a call by its name: told at a glance."""

from __future__ import annotations

import re

from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.linking.glances import glance
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.imports import is_imported

# What gives a builtin another meaning: in its module, in that of the file, or in another one.
_BUILTINS_AS = lazy_pattern(rb"import\s+builtins\s+as\s+(\w+)")
# Each begins with a fixed word, which is what makes a search of every file cheap.
_CHANGES_BUILTINS = (
    rb"(?:%(it)b)\s*(?:\.\s*(?!__dict__)(\w+)\s*=(?!=)|\.\s*__dict__|\[)",
    rb"(?:setattr|delattr|vars|patch[\w.]*)\s*\(\s*[\"']?(?:__)?(?:%(it)b)\b(?:[\"']?\s*[.,]\s*[\"']?(\w+))?",
    rb"del\s[^\n]*\b(?:__)?(?:%(it)b)\b",
)
_SETS_GLOBALS = lazy_pattern(
    rb"\bglobals\s*\(\s*\)\s*(?:\[([^\n]*?)\]\s*=(?!=)|\.\s*(?:update|setdefault|__setitem__)\b|\|=)|(?<![\w.])exec\s*\((?![^()\n]*,(?!\s*globals))"
)
# A text at the beginning of a key that goes on, or is all of it.
_BEGINNING = lazy_pattern(rb"\s*[fF]?[\"'](\w+)(?:[\"']\s*(?:\+|\Z)|[{%])")
_CHOICE = lazy_pattern(rb"\b(?:if|or|and)\b")
# What the proof goes by: where it is set behind a dot, and where it stands as a text or as a keyword.
_GONE_BY = frozenset(b"len int float sorted list tuple range enumerate isinstance any all bool round".split())
_ANY_OF_THEM = b"|".join(sorted(_GONE_BY))
_SET_SOMEWHERE = lazy_pattern(rb"\.(?:%b)\s*=(?!=)" % _ANY_OF_THEM)
_OWNER = lazy_pattern(rb"(\w+)\Z")
_LONGEST_OWNER = 80
_SETTING_BY_NAME = (b"setattr", b"__dict__", b"vars(", b"patch")
_IN_NAMESPACE = rb"\s*(?:\[\s*[\"'](?:%b)[\"']\s*\]\s*=(?!=)|\.\s*update\s*\([^\n]*\b(?:%b)\b)" % ((_ANY_OF_THEM,) * 2)
_SET_BY_NAME = (
    lazy_pattern(rb"setattr\s*\(\s*(\w+)\s*,\s*[\"'](?:%b)[\"']" % _ANY_OF_THEM),
    lazy_pattern(rb"vars\s*\(\s*(\w+)\s*\)%b" % _IN_NAMESPACE),
    lazy_pattern(rb"\.__dict__%b" % _IN_NAMESPACE),
)
_STAND_IN = lazy_pattern(rb"patch[\w.]*\s*\(\s*[\"'][\w.]*\.(?:%b)[\"']" % _ANY_OF_THEM)


def sets_builtins(data: bytes) -> bool:
    """Whether a file seems to give builtins another meaning, for itself or for all, at a glance."""
    sets_own = any(_may_be_builtin(found[1]) for found in _SETS_GLOBALS.finditer(data))
    return sets_own or sets_builtins_elsewhere(data)


def _may_be_builtin(key: bytes | None) -> bool:
    """Whether a key that is worked out may be the name of a builtin: its beginning may tell that it is none."""
    beginning = _BEGINNING.match(key) if key is not None else None
    if key is None or beginning is None or _CHOICE.search(key) is not None:
        return True
    word = beginning[1].decode()
    return any(name.startswith(word) for name in BUILTINS)


@glance
def sets_builtins_elsewhere(data: bytes) -> bool:
    """Whether a file seems to give builtins another meaning for all, or for another module, at a glance."""
    if b"builtins" in data:
        names = b"|".join([b"builtins(?:__)?", *map(re.escape, _BUILTINS_AS.findall(data))])
        for pattern in _CHANGES_BUILTINS:
            for found in re.finditer(pattern % {b"it": names}, data):
                name = found[1] if found.groups() else None
                if name is None or name.decode() in BUILTINS:
                    return True
    places = [*_SET_SOMEWHERE.finditer(data)]
    if any(word in data for word in _SETTING_BY_NAME):
        if _STAND_IN.search(data) is not None:
            return True
        places += (found for pattern in _SET_BY_NAME for found in pattern.finditer(data))
    owners = (_owner(data, found) for found in places)
    return any(owner and is_imported(owner, data) for owner in owners)


def _owner(data: bytes, found: re.Match[bytes]) -> bytes:
    """Whose name is set where a pattern matches: it is in the pattern, or the word before."""
    if found.groups():
        return bytes(found[1])
    before = _OWNER.search(data, max(found.start() - _LONGEST_OWNER, 0), found.start())
    return before[1] if before is not None else b""
