"""What several test modules need: marked sources, pairs of programs, real code."""

from __future__ import annotations

import json
import re
import subprocess
import sysconfig
from collections.abc import Iterator
from pathlib import Path

from benchmarks.run_near_misses import pairs
from tests.ready import ready
from zephyrun.languages.python import ParsedFile, parse
from zephyrun.linking.kept_answers import KeptAnswers

PROJECT = Path(__file__).resolve().parent.parent
NEAR_MISSES = PROJECT / "benchmarks" / "near_misses"
STDLIB = Path(sysconfig.get_path("stdlib"))

# Modules of many styles: deep closures, class bodies, comprehensions, star arguments, f-strings.
REAL_MODULES = (
    "argparse", "ast", "calendar", "configparser", "contextlib", "dataclasses", "difflib", "enum",
    "fractions", "functools", "graphlib", "heapq", "ipaddress", "shlex", "statistics", "textwrap",
    "traceback",
)


# Things with a last word, for programs that are run: they tell when they are let go.
THINGS = '''
class Thing:
    def __init__(self, number):
        self.number = number
    def __del__(self):
        told.append(("gone", self.number))
    def __lt__(self, other):
        return self.number < other.number
    def __repr__(self):
        return "thing %d" % self.number
'''


def real_source(name: str) -> bytes:
    """The bytes of a standard library module."""
    return (STDLIB / f"{name}.py").read_bytes()


def read_marked(marked: str) -> tuple[ParsedFile, list[tuple[int, int]]]:
    """Parse a source in which «…» marks places; the file without marks, and the marked ranges."""
    ranges, plain, position = [], "", 0
    for match in re.finditer(r"«(.*?)»", marked, re.DOTALL):
        plain += marked[position : match.start()]
        ranges.append((len(plain), len(plain) + len(match[1])))
        plain += match[1]
        position = match.end()
    return parse((plain + marked[position:]).encode()), ranges


def program_pairs(name: str) -> Iterator[tuple[str, bytes, bytes]]:
    """Title, old and new version of each pair in a file of near-misses."""
    yield from pairs_in(NEAR_MISSES / name)


def pairs_in(path: Path) -> Iterator[tuple[str, bytes, bytes]]:
    """Title, old and new version of each pair in a file."""
    yield from ((title, old.encode(), new.encode()) for title, old, new, _ in pairs(path))


def programs_beside_others() -> Iterator[tuple[str, bytes, bytes, bytes]]:
    """Title, old and new version, and the file beside them, of near-misses in two files."""
    for path in sorted((PROJECT / "benchmarks" / "near_misses_beside_others").glob("*.txt")):
        for title, *programs in pairs(path):
            old, new, other = (program.encode() for program in programs)
            yield title, old, new, other


def zephyrun(*words: object, cwd: Path, code: int | None = 0) -> subprocess.CompletedProcess[str]:
    """Run the built program; fails when the exit code is not `code`."""
    done = ready("zephyrun").run(cwd, *map(str, words))
    if code is not None:
        assert done.returncode == code, (done.returncode, done.stdout, done.stderr)
    assert "Traceback" not in done.stderr
    return done


def document(*words, cwd, code=0):
    """The one JSON document that a command prints."""
    return json.loads(zephyrun(*words, "--format", "json", cwd=cwd, code=code).stdout)


class KnownLibrary:
    """Remembers what modules of the library say, which hundreds of small programs ask for."""

    def __init__(self):
        self._facts = {}

    def recall(self, data):
        """What a content says, where that is known."""
        return self._facts.get(data)

    def keep(self, data, file_facts, links):
        """Keep what a content says."""
        self._facts[data] = file_facts, links

    def answers_about(self, contents, *circumstances):
        """Of programs as small as these nothing is kept."""
        return KeptAnswers()


LIBRARY = KnownLibrary()
