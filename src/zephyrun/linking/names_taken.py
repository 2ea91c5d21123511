"""Who takes all that a thing holds, or lists the names of it: an instance, a class or a module."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple

from zephyrun.facts import Role
from zephyrun.link_facts import AttributeUse, Origin
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.value_sorts import ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

# What gives names and values of all members, and what gives names, of classes as of their instances.
TAKING_MEMBERS = ("getmembers", "getmembers_static")
LISTING_NAMES = ("dir", *TAKING_MEMBERS)
NAMESPACE, _NAMESPACE_OF, _DIRECTORY = "__dict__", "vars", "__dir__"
WORDS_TAKING = frozenset({NAMESPACE, _NAMESPACE_OF, *TAKING_MEMBERS})
WORDS_LISTING = frozenset({*LISTING_NAMES, NAMESPACE, _NAMESPACE_OF, _DIRECTORY})
# A namespace that is only given another name, or asked for one ("name").
_LOOKED_INTO = lazy_pattern(r"\s*(?:\[\s*[\"'](?P<name>\w+)[\"']\s*\]|\.\s*(?:update|keys)\b)")
# One that is asked for a name that is worked out, and one in which a name is sought.
_ASKED_FOR_ONE = lazy_pattern(r"\s*(?:\[|\.\s*(?:get|pop|setdefault)\s*\()\s*")
# One that is asked for something, or given it, and not gone through.
_NOT_LISTED = lazy_pattern(r"\s*(?:\[|\.\s*(?:get|pop|setdefault|update|clear)\b)")
_LOOKED_IN = lazy_pattern(r"\bin\s+[\w.]+\Z")
_GOES_ON = lazy_pattern(r"\s*[.\[(|]")
_LONGEST_RECEIVER = 60
# How a variable gets one thing after another.
_GOING_THROUGH = frozenset({Role.LOOP, Role.EACH, Role.CAPTURE})
# Gives a variable a namespace, and no more.
_GIVEN_TO = lazy_pattern(r"(?m)^[ \t]*(?P<name>\w+)[ \t]*=[ \t]*(?P<receiver>[\w.]+\.)__dict__[ \t]*(?:#.*)?$")
# A variable that is given something, that is asked whether it has a name, or for one that is written out, or anything else.
_USED = r"(?P<is_sought>\bin )?(?<![\w.]){}\b(?:(?P<is_given>\s*=(?!=))|\s*\[\s*[\"'](?P<asked>\w+)[\"']\s*\])?"
_IN_LOOP = lazy_pattern(r"\bfor\b[^\n]*\Z")
_MOST_FILES_KEPT = 1024


class Taken(NamedTuple):
    """What a file takes all names of, and where that ends; the word that says so (`__dict__`, `vars`), and where it ends.
    With `is_named`, one name alone is taken."""

    origin: Origin
    end: int
    word: str
    word_end: int
    is_named: bool = False

    @property
    def is_inherited(self) -> bool:
        """Whether what an instance has from its class is taken, too."""
        return self.word in TAKING_MEMBERS


class Listed(NamedTuple):
    """What a file lists the names of: with `is_inherited`, those of its class, too."""

    origin: Origin
    is_inherited: bool


def namespaces_taken(evaluator: Evaluator, file: LinkedFile, name: str, *, is_unwritten: bool) -> Iterator[Taken]:
    """What a file takes all names of, or this one. A name that `is_unwritten`, a private one that stands as a text nowhere, is
    not worked out, unless the file goes through names."""
    text = file.source.text
    for use in file.links.attributes_by_name.get(NAMESPACE, ()):
        looked_into = _LOOKED_INTO.match(text, use.end)
        asked = _ASKED_FOR_ONE.match(text, use.end) if is_unwritten else None
        is_asked = asked is not None and not _goes_through_names(file, asked.end())
        is_asked |= _is_looked_in(text, use)
        only = _only_asked_for(text).get(use.start)
        is_asked |= only is not None and name not in only
        if looked_into["name"] == name if looked_into is not None else not is_asked:
            yield Taken(use.receiver, use.start - 1, NAMESPACE, use.end, looked_into is not None)
    for word in (_NAMESPACE_OF, *TAKING_MEMBERS):
        for handed in file.handed_by_callee.get(word, ()):
            sorts = {value.sort for value in evaluator.values(file, handed.callee)}
            # One of the project's own is followed through.
            if handed.position == 0 and (ValueSort.FOREIGN in sorts or ValueSort.FUNCTION not in sorts):
                yield Taken(handed.value, handed.end, word, handed.call)


def listed_in(file: LinkedFile) -> Iterator[Listed]:
    """What a file lists the names of."""
    for word in (_NAMESPACE_OF, *LISTING_NAMES):
        handed = (each for each in file.handed_by_callee.get(word, ()) if each.position == 0)
        yield from (Listed(each.value, word in LISTING_NAMES) for each in handed)
    yield from (Listed(use.receiver, True) for use in file.links.attributes_by_name.get(_DIRECTORY, ()))
    for use in file.links.attributes_by_name.get(NAMESPACE, ()):
        if not _NOT_LISTED.match(file.source.text, use.end):
            yield Listed(use.receiver, False)


def may_be_listed(file: LinkedFile, binding: int) -> bool:
    """Whether a variable may have a name that stands among others: it is handed over, or goes through something."""
    return binding >= 0 and not file.facts.roles(binding).isdisjoint({Role.PARAMETER, *_GOING_THROUGH})


def _is_looked_in(text: str, use: AttributeUse) -> bool:
    """Whether a name is sought in a namespace, or its names are gone through without what they stand for."""
    before = text[max(use.start - _LONGEST_RECEIVER, 0) : use.start]
    return _LOOKED_IN.search(before) is not None and _GOES_ON.match(text, use.end) is None


def _goes_through_names(file: LinkedFile, start: int) -> bool:
    """Whether what stands at an offset is a variable that goes through something."""
    reference = file.facts.reference_by_start.get(start)
    return reference is not None and not file.facts.roles(reference.binding).isdisjoint(_GOING_THROUGH)


@lru_cache(maxsize=_MOST_FILES_KEPT)
def _only_asked_for(text: str) -> dict[int, frozenset[str]]:
    """The namespaces that are only given to a variable which is asked for names that are written out, by where they stand
    in a text, and these names."""
    found: dict[int, frozenset[str]] = {}
    for given in _GIVEN_TO.finditer(text):
        uses = [*re.finditer(_USED.format(re.escape(given["name"])), text)]
        if all(use["is_given"] or use["asked"] or (use["is_sought"] and not _IN_LOOP.search(text, 0, use.start())) for use in uses):
            found[given.end("receiver")] = frozenset(use["asked"] for use in uses if use["asked"])
    return found
