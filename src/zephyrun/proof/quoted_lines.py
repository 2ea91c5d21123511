"""Lines of code that some text of the project quotes, as tests quote those of a traceback.

A traceback shows the source line in which an error came up, and a warning the one that caused it. A
test that holds such a text against what it expects fails when the line is worded otherwise. Texts that
equal no whole line (parts of it, patterns) are not found.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping

from zephyrun.languages.python import ParsedFile
from zephyrun.linking.glances import glance
from zephyrun.linking.modules import is_python
from zephyrun.linking.texts import describes, texts_in
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.remains import Reservation, Surroundings
from zephyrun.source import SourceText

# Only files that assert something and hold one of these words are looked at: without one of them nobody
# sees a source line.
_TEST_MARK = b"assert"
_LINE_MARKS = (b"raceback", b"RACEBACK", b"linecache", b"stderr")
_EXAMPLE = b">>>"
_DESCRIPTION = b"__doc__"
_TRACEBACK = b"Traceback (most recent call last)"
_ESCAPED = ((b"\\n", b"\n"), (b"\\'", b"'"), (b'\\"', b'"'))
# A single word may be anything; a line of code has more to it.
_MORE_THAN_A_WORD = lazy_pattern(rb"\w.*\W|\W.*\w")


def find_quoted_lines(files: Mapping[str, bytes]) -> dict[bytes, str]:
    """Whatever may be a line of code that a text of the project quotes, with the file that does."""
    quoted: dict[bytes, str] = {}
    for path, data in files.items():
        for line in _possible_lines(path, data):
            quoted.setdefault(line, path)
    return quoted


def _possible_lines(path: str, data: bytes) -> frozenset[bytes]:
    if is_python(path):
        return _quoted_in_code(data) if _sees_lines(data) else frozenset()
    return frozenset(map(bytes.strip, data.splitlines())) if _TRACEBACK in data else frozenset()


@glance
def _sees_lines(data: bytes) -> bool:
    return _TEST_MARK in data and any(mark in data for mark in _LINE_MARKS)


@glance
def _quoted_in_code(data: bytes) -> frozenset[bytes]:
    """What stands between quotes, at a glance: to read the file would cost many times as much. A description is held
    against nothing, unless it shows an example or somebody reads it."""
    lines: list[bytes] = []
    are_read = _DESCRIPTION in data
    for start, text in texts_in(data):
        if not are_read and _EXAMPLE not in text and describes(data, start):
            continue
        text = text.strip(text[:1])
        for written, meant in _ESCAPED:
            text = text.replace(written, meant)
        lines += text.splitlines()
    return frozenset(map(bytes.strip, lines))


def quoted_in(data: bytes, quoted: Mapping[bytes, str]) -> frozenset[tuple[str, str]]:
    """The lines of one file that are quoted, without the space around them, each with where."""
    if not quoted:
        return frozenset()
    found = quoted.keys() & map(bytes.strip, data.splitlines())
    return frozenset(
        (line.decode("utf-8", "replace"), quoted[line])
        for line in found
        if not line.startswith(b"#") and _MORE_THAN_A_WORD.search(line)
    )


def quoted_line_reservations(
    source: SourceText, starts: Iterable[int], surroundings: Surroundings
) -> tuple[Reservation, ...]:
    """What a person must vouch for before the lines in which the offsets lie may change."""
    if not surroundings.quoted:
        return ()
    where = dict(surroundings.quoted)
    first_by_line: dict[str, int] = {}
    for start in starts:
        first_by_line.setdefault(source.line(source.line_of(start)).strip(), start)
    return tuple(
        _reservation(line, where[line], start) for line, start in first_by_line.items() if line in where
    )


def changed_quoted_lines(
    old: ParsedFile, new: ParsedFile, surroundings: Surroundings
) -> Iterator[Reservation]:
    """Reservations for each quoted line that the new version words otherwise."""
    if not surroundings.quoted:
        return
    before, after = (_line_counts(version) for version in (old, new))
    for line, where in sorted(surroundings.quoted):
        if after[line] < before[line]:
            yield _reservation(line, where, old.source.text.find(line))


def _line_counts(version: ParsedFile) -> Counter[str]:
    """How often each line is there. No instruction stands on a line that begins inside a text and fills nothing in,
    so that nothing shows such a line as code."""
    source = version.source
    inside = {
        number
        for text in version.facts.texts
        for number in range(source.line_of(text.start) + 1, source.line_of(text.end) + 1)
        if not text.interpolated or "{" not in source.line(number)
    }
    return Counter(
        source.line(number).strip() for number in range(1, source.n_lines + 1) if number not in inside
    )


def _reservation(line: str, where: str, start: int) -> Reservation:
    return Reservation(f"the line `{line}`, which {where} quotes, may be worded otherwise", start)
