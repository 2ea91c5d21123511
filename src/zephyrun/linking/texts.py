"""Files that are no modules and in which something may stand that means a name in one: stubs, notebooks,
templates, configuration, Makefiles, documents, scripts without an ending."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from pathlib import PurePosixPath

_ENDINGS = frozenset(
    """.pyi .pyx .pxd .pxi .ipynb .html .htm .xml .j2 .jinja .jinja2 .tmpl .tpl .mako .toml .cfg .ini
    .conf .yaml .yml .json .env .sh .bash .bat .cmd .ps1 .mk .am .in .md .rst .txt .adoc""".split()
)
# What is larger is data.
LARGEST_SEARCHED = 2**20
# Plans, decisions and reports of ours speak of the names that are to change, and mean nothing by it.
_OWN_DOCUMENT = re.compile(rb'(?m)^\{?"?schema"?\s*[=:]\s*"zephyrun\.')

# Each of these begins with fixed letters, which is what makes a search of every file cheap.
_CLASS_HEAD = re.compile(rb"class\s+\w+\s*(?:\[[^\]]*\]\s*)?\(")
_BASE = re.compile(rb"(?<!\w)([^\W\d]\w*)(?![\w=])")
_BRACKET = re.compile(rb"[()]")
_AS = re.compile(rb"as\s(?<=\sas\s)")
_ASSIGNED = re.compile(rb"=\s*(\w[\w.]*)(\s*\()?")
_WRITTEN = re.compile(rb"\.\s*(\w+)\s*(?:=(?!=)|[,):\]]|[-+*/%&|^@<>]+=|in\b)")
_REGISTERING = re.compile(rb"\.\s*register\b")
_LAST_WORD = re.compile(rb"(\w+)\s*\Z")
_LONGEST_WORD = 200
# What follows a name that gets something more than a dotted name.
_GIVEN = re.compile(rb"[ \t]*(?::[^=\n]+)?=(?![=\s]*[\w.]+[ \t]*(?:#|\r?\n|\Z))")
# What stands before a name that a loop or a nameless function binds.
_BINDING = re.compile(rb"\bfor\s(?:(?!\sin\s)[^:\n])*\Z|\blambda\b[^:\n]*\Z")
_BEFORE_PARAMETER = re.compile(rb"[(,]\s*\**\s*\Z")

# Whatever is no letter of ASCII may be part of a name.
_WORD = re.compile(rb"[A-Za-z_\x80-\xff][\w\x80-\xff]*")
_MOST_FILES_KEPT = 4096


def may_mean_names(path: str) -> bool:
    """Whether names may be meant in a file that is no module, going by how it is called."""
    ending = PurePosixPath(path).suffix.lower()
    return not ending or ending in _ENDINGS


def is_searched(path: str, data: bytes) -> bool:
    """Whether a file that is no module is searched for names."""
    return (
        may_mean_names(path)
        and len(data) <= LARGEST_SEARCHED
        and b"\0" not in data
        and not _is_own_document(data)
    )


def _is_own_document(data: bytes) -> bool:
    # The plain word first: a search for it is many times as fast.
    return b"zephyrun." in data and _OWN_DOCUMENT.search(data) is not None


@lru_cache(maxsize=_MOST_FILES_KEPT)
def words_in(data: bytes) -> frozenset[bytes]:
    """Every word of a file. Kept, since it is asked again whenever another file changes."""
    return frozenset(_WORD.findall(data))


@lru_cache(maxsize=_MOST_FILES_KEPT)
def bases_in(data: bytes) -> frozenset[bytes]:
    """The words by which a file may name the bases of its classes, at a glance: those in the heads of
    classes, and those that get another name there, by `as` or by an assignment."""
    found = set(_bases_as_written(data))
    if not found:
        return frozenset()
    for match in _AS.finditer(data):
        found.update(_words_before(data, match.start()))
    for match in _ASSIGNED.finditer(data):
        parts = match[1].split(b".")
        found.update(parts[:-1] if match[2] else parts)
    return frozenset(found)


@lru_cache(maxsize=_MOST_FILES_KEPT)
def works_out_bases(data: bytes) -> bool:
    """Whether a base of some class is worked out or handed in, at a glance: it may be any."""
    return any(_is_worked_out(data, word) for word in _bases_as_written(data))


def _bases_as_written(data: bytes) -> frozenset[bytes]:
    """The words in the heads of a file's classes."""
    return frozenset(
        word
        for match in _CLASS_HEAD.finditer(data)
        for word in _BASE.findall(data, match.end(), _end_of_bracket(data, match.end()))
    )


def _is_worked_out(data: bytes, word: bytes) -> bool:
    """Whether a file gives a name something that is worked out or handed in, at a glance."""
    for match in re.finditer(rb"%b\b(?<!\w%b)" % (word, word), data):
        if _GIVEN.match(data, match.end()):
            return True
        before = data[max(match.start() - _LONGEST_WORD, 0) : match.start()]
        if _BINDING.search(before):
            return True
        if _BEFORE_PARAMETER.search(before):
            head = data.rfind(b"def ", 0, match.start())
            if head >= 0 and _end_of_bracket(data, data.find(b"(", head) + 1) > match.start():
                return True
    return False


def _words_before(data: bytes, position: int) -> Iterator[bytes]:
    """The word that ends before a position, if one does."""
    match = _LAST_WORD.search(data, max(position - _LONGEST_WORD, 0), position)
    if match is not None:
        yield match[1]


def _end_of_bracket(data: bytes, position: int) -> int:
    """Where a bracket that is open at a position ends, as far as that shows without reading texts."""
    n_open = 1
    for match in _BRACKET.finditer(data, position):
        n_open += 1 if match[0] == b"(" else -1
        if not n_open:
            return match.start()
    return len(data)


@lru_cache(maxsize=_MOST_FILES_KEPT)
def written_in(data: bytes) -> frozenset[bytes]:
    """The names of attributes to which a file may give a value, at a glance."""
    return frozenset(_WRITTEN.findall(data))


@lru_cache(maxsize=_MOST_FILES_KEPT)
def registering_in(data: bytes) -> frozenset[bytes]:
    """The words that stand before `.register` in a file."""
    return frozenset(
        word for match in _REGISTERING.finditer(data) for word in _words_before(data, match.start())
    )


@lru_cache(maxsize=_MOST_FILES_KEPT)
def first_lines(data: bytes) -> dict[bytes, int]:
    """The 1-based line in which each word of a file first stands."""
    found: dict[bytes, int] = {}
    for number, line in enumerate(data.split(b"\n"), 1):
        for word in _WORD.findall(line):
            found.setdefault(word, number)
    return found
