"""Code that gives builtins another meaning, so that nothing can be said of a call by its name: told at a glance."""

from __future__ import annotations

import re

from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.linking.set_by_name import names_set_in

# What gives a builtin another meaning: in its module, in that of the file, or in another one.
_BUILTINS_AS = re.compile(rb"\bimport\s+builtins\s+as\s+(\w+)")
_CHANGES_BUILTINS = (
    rb"\b(?:%(it)b)\s*(?:\.\s*(?!__dict__)(\w+)\s*=(?!=)|\.\s*__dict__|\[)|"
    rb"\b(?:[sd]e[tl]attr|vars|patch[\w.]*)\s*\(\s*[\"']?(?:%(it)b)\b(?:[\"']?\s*[.,]\s*[\"']?(\w+))?|\bdel\s[^\n]*\b(?:%(it)b)\b"
)
_SETS_GLOBALS = re.compile(
    rb"\bglobals\s*\(\s*\)\s*(?:\[[^\]\n]*\]\s*=(?!=)|\.\s*(?:update|setdefault|__setitem__)\b|\|=)|(?<![\w.])exec\s*\("
)
# What the proof goes by, and where it stands behind a module.
_GONE_BY = frozenset(b"len int float sorted list tuple range enumerate isinstance any all bool round".split())
_IN_MODULES = {b".%b" % name: re.compile(rb"\b(\w+)\.%b\s*=(?!=)" % name) for name in sorted(_GONE_BY)}
_STAND_IN = re.compile(rb"\bpatch[\w.]*\s*\(\s*[\"'][\w.]*\.(?:%b)[\"']" % b"|".join(sorted(_GONE_BY)))


def sets_builtins(data: bytes) -> bool:
    """Whether a file seems to give builtins another meaning, for itself or for all, at a glance."""
    return _SETS_GLOBALS.search(data) is not None or sets_builtins_elsewhere(data)


def sets_builtins_elsewhere(data: bytes) -> bool:
    """Whether a file seems to give builtins another meaning for all, or for another module, at a glance."""
    if b"builtins" in data:
        names = b"|".join([b"(?:__)?builtins(?:__)?", *map(re.escape, _BUILTINS_AS.findall(data))])
        for found in re.finditer(_CHANGES_BUILTINS % {b"it": names}, data):
            name = found[1] or found[2]
            if name is None or name.decode() in BUILTINS:
                return True
    if not _GONE_BY.isdisjoint(names_set_in(data)) or _STAND_IN.search(data) is not None:
        return True
    return any(
        re.search(rb"\bimport\b[^\n]*\b%b\b" % found[1], data) is not None
        for name, setting in _IN_MODULES.items()
        if name in data
        for found in setting.finditer(data)
    )
