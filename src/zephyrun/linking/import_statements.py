"""What the files of a project import, at a glance: also those that cannot be read."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple

from zephyrun.linking.glances import glance
from zephyrun.patterns import lazy_pattern

_SPACE = rb"(?:[ \t]|\\\r?\n)"
_IMPORT = lazy_pattern(rb"import\b%b*(\([^)]*\)|(?:\\\r?\n|[^#;\r\n])+)" % _SPACE)
_BEFORE_IMPORT = lazy_pattern(rb"(?:^|[;:]|>>>)%b*(?:from%b*([.\w]+)%b+)?\Z" % ((_SPACE,) * 3))
_COMMENT = lazy_pattern(rb"#[^\r\n]*|\\")

# As many as a large project has.
_MOST_FILES_KEPT = 4096


class Imported(NamedTuple):
    """One thing that a file imports: the module after `from` ("" without one), its dotted name as it is written, the
    name that is bound, and the dotted name behind that (the first part alone of `hives.scales`)."""

    origin: str
    dotted: str
    name: str
    bound_to: str


def imported_in(data: bytes) -> Iterator[Imported]:
    """What a file imports, with the dots before it: whatever looks like an import counts, also in a file that cannot be
    read. To read it all would double a survey's cost."""
    for _, _, imported in import_statements(data):
        yield from imported


@lru_cache(maxsize=_MOST_FILES_KEPT)
def import_statements(data: bytes) -> tuple[tuple[int, int, list[Imported]], ...]:
    """Where each import of a file begins and ends, and what it imports. Kept, since many ask."""
    return tuple(find_imports(data))


def find_imports(data: bytes) -> Iterator[tuple[int, int, list[Imported]]]:
    """As `import_statements`, found anew."""
    for match in _IMPORT.finditer(data):
        line_start = _line_start(data, match.start())
        before = _BEFORE_IMPORT.search(data[line_start : match.start()])
        if before is None:
            continue
        origin = (before[1] or b"").decode("utf-8", "replace")
        listed = _COMMENT.sub(b"", match[1]).strip(b"()").decode("utf-8", "replace")
        joint = "" if origin.endswith(".") or not origin else "."
        found = []
        for first, *others in filter(None, map(str.split, listed.split(","))):
            dotted = f"{origin}{joint}{first}"
            if others[:1] == ["as"] and len(others) > 1:
                found.append(Imported(origin, dotted, others[1], dotted))
            elif origin:
                found.append(Imported(origin, dotted, first, dotted))
            else:
                top = first.partition(".")[0]
                found.append(Imported(origin, dotted, top, top))
        yield line_start + before.start(), match.end(), found


@glance
def names_imported(data: bytes) -> frozenset[str]:
    """The names of all modules and things that a file imports, as they are written."""
    imported = [each for _, _, found in import_statements(data) for each in found]
    return frozenset([*(each.origin for each in imported), *(each.dotted for each in imported)]) - {""}


def _line_start(data: bytes, position: int) -> int:
    """Where the line begins, or the one that goes on in it behind a backslash."""
    start = data.rfind(b"\n", 0, position) + 1
    while data[:start].endswith((b"\\\n", b"\\\r\n")):
        start = data.rfind(b"\n", 0, start - 1) + 1
    return start
