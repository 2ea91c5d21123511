"""Attributes and variables that are set by their names: by `setattr`, in the namespace of an instance or module,
by what puts stand-ins in their places. What they hold then does not show where they are written."""

from __future__ import annotations

from zephyrun.link_facts import AttributeUse, OriginSort
from zephyrun.linking.glances import glance
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.lookup_calls import WRITES
from zephyrun.patterns import lazy_pattern

_WORDS = (b"setattr", b"__dict__", b"vars", b"globals", b"locals", b"patch")
_NAMED = rb"[\"'](?:[\w.]*[.:])?(\w+)[\"']"
_FIRST = rb"(?:[^,()]*(?:\([^()]*\))?[^,()\"']*,\s*)?"
_NAMESPACE = rb"(?:__dict__|\b(?:vars|globals|locals)\s*\([^()]*\))"
_NO_STAND_IN = rb"(?!\s*(?:autospec|spec|spec_set|create)\s*=)"
# Each holds one name, or the keywords that are names.
_SETS_ONE = tuple(
    lazy_pattern(pattern)
    for pattern in (
        rb"setattr(?:__)?\s*\(\s*%b%b\s*," % (_FIRST, _NAMED),
        rb"patch(?:\.object)?\s*\(\s*%b%b\s*,%b" % (_FIRST, _NAMED, _NO_STAND_IN),
        rb"%b\s*(?:\[\s*%b\s*\]\s*=(?!=)|\.\s*(?:setdefault|__setitem__)\s*\(\s*%b)" % (_NAMESPACE, _NAMED, _NAMED),
    )
)
_SETS_SOME = lazy_pattern(
    rb"(?:(?:%b\s*\.\s*update|patch\.(?:multiple|dict))\s*\(|__dict__\s*=\s*(?:\{|dict\s*\())([\w\s=.,]*\)|[^\n]{0,200})" % _NAMESPACE
)
_KEYWORD = lazy_pattern(rb"\b(\w+)\s*=(?!=)|[\"'](\w+)[\"']\s*:")
# Gives an instance another namespace, that of another instance aside, and what is written out.
_REPLACES_NAMESPACE = lazy_pattern(r"\s*=(?!=)(?!\s*(?:\{|dict\s*\(|[\w.]+\.__dict__\b))")
_TAKES_STATE = "__setstate__"
_SETS_IN_NAMESPACE = lazy_pattern(r"\s*(?:\.\s*update\s*\((?!\s*\w+\s*=)|\[(?!\s*[\"']\w+[\"']\s*\])[^\]\n]*\]\s*=(?!=))")
# What a module, class or function is called, where it is not known that it is one.
_NO_INSTANCE = lazy_pattern(
    r"(?<![\w.])(?:mod|module|cls|klass|base|typ|type_|tp|ct|owner|func|function|fn|method|wrapper|wrapped)"
    r"\s*(?:\.\s*)?\Z"
)
_LONGEST_NAME = 20


def is_called_like_class(file: LinkedFile, end: int) -> bool:
    """Whether what stands in front of an offset, or of a dot there, is called as classes, modules and functions are."""
    return _NO_INSTANCE.search(file.source.text[max(end - _LONGEST_NAME, 0) : end]) is not None


@glance
def names_set_in(data: bytes) -> frozenset[bytes]:
    """The names that a file sets and that are written out there as texts or keywords, at a glance."""
    if not any(word in data for word in _WORDS):
        return frozenset()
    matches = (match for pattern in _SETS_ONE for match in pattern.finditer(data))
    found = {name for match in matches for name in match.groups() if name}
    for arguments in _SETS_SOME.findall(data):
        found.update(name for names in _KEYWORD.findall(arguments) for name in names)
    return frozenset(found - {b""})


def sets_any_name(file: LinkedFile, index: int) -> bool:
    """Whether a class sets attributes of its own instances by names that it works out."""
    text = file.source.text
    return any(
        WRITES.match(text, lookup.start) is not None
        for lookup in file.links.lookups
        if _is_own(file, lookup.receiver.binding, index)
    ) or any(
        _SETS_IN_NAMESPACE.match(text, use.end) is not None or _gets_new_namespace(file, use)
        for use in file.links.attributes_by_name.get("__dict__", ())
        if _is_own(file, use.receiver.binding, index)
    )


def _gets_new_namespace(file: LinkedFile, use: AttributeUse) -> bool:
    """Whether the namespace of an instance is replaced by one that nobody knows; its state is that of one of its own."""
    if _REPLACES_NAMESPACE.match(file.source.text, use.end) is None:
        return False
    around = file.facts.outermost_function(use.start)
    return around is None or around.name != _TAKES_STATE


def _is_own(file: LinkedFile, binding: int, index: int) -> bool:
    return any(
        origin.sort in (OriginSort.OWN, OriginSort.OWN_CLASS) and origin.binding == index
        for origin in file.links.sources.get(binding, ())
    )
