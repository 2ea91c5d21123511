"""An outside program that is asked for names. It runs only because the person gave it on the command line.

Questions go to its standard input and answers come from its standard output, one JSON document a line; the format
is described in docs/names.md.
"""

from __future__ import annotations

import argparse
import json
import os
import select
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from zephyrun.commands import options
from zephyrun.naming.features import Feature
from zephyrun.naming.offers import ADVISED, Derived
from zephyrun.naming.remarks import snippet

if TYPE_CHECKING:
    from zephyrun.findings import Finding

_SCHEMA = "zephyrun.question/1"
_LINES_AROUND = 15
_MOST_SAID = 12
_MOST_NAMES = 5
_LONGEST_NAME = 60
_SECONDS = 60
_QUESTIONS = 200
# What answers may take up: one that goes on for ever would fill the memory before its time is over.
_BYTES_FOR_AN_ANSWER = 4_096
_BYTES_AT_LEAST = 2**16
_CHUNK = 2**16


@dataclass(frozen=True)
class Asked:
    """What is asked about one thing: where it is, what sort of thing, what the code says of it, and which names it
    cannot have. `line` counts from 1."""

    path: str
    line: int
    scope: str
    sort: str
    name: str
    says: Sequence[Feature]
    taken: frozenset[str]


@dataclass(frozen=True)
class Adviser:
    """A command that is asked for names: for at most so many seconds, and about at most so many things."""

    command: str
    seconds: int
    most_questions: int

    def about(self, contents: Mapping[str, bytes]) -> Callable[[Sequence[Finding]], list[tuple[Derived, ...]]]:
        """What asks it about findings in these files, about the heaviest ones first."""

        def ask(findings: Sequence[Finding]) -> list[tuple[Derived, ...]]:
            order = sorted(range(len(findings)), key=lambda each: -findings[each].weight)[: self.most_questions]
            answers = self.ask([_asked(findings[each]) for each in order], contents)
            offers: list[tuple[Derived, ...]] = [()] * len(findings)
            for number, answer in zip(order, answers, strict=True):
                offers[number] = answer
            return offers

        return ask

    def ask(self, asked: Sequence[Asked], contents: Mapping[str, bytes]) -> list[tuple[Derived, ...]]:
        """The names that it offers for each thing. No errors: where it fails or is too slow, there are none, and the
        person is told."""
        questions = "".join(
            json.dumps(_question(number, each, contents), ensure_ascii=False) + "\n"
            for number, each in enumerate(asked, 1)
        )
        output, trouble = self._run(questions.encode("utf-8", "surrogateescape"))
        offers: list[tuple[Derived, ...]] = [()] * len(asked)
        n_unread = 0
        for line in output.splitlines():
            try:
                number, names = _read_answer(line, len(asked))
            except (ValueError, KeyError, TypeError, RecursionError):
                n_unread += bool(line.strip())
                continue
            offers[number - 1] = names
        n_answered = sum(map(bool, offers))
        told = [f"the adviser proposed names for {n_answered} of {len(asked)}"]
        if n_unread:
            told.append(f"{n_unread} of its lines could not be read")
        print(f"zephyrun: {'; '.join([*told, *trouble])}", file=sys.stderr)
        return offers

    def _run(self, questions: bytes) -> tuple[bytes, list[str]]:
        """What it puts out in time, and what went wrong."""
        with tempfile.TemporaryFile() as asked:
            # Out of a file, it may read as slowly as it likes while its answers are read.
            asked.write(questions)
            asked.seek(0)
            with subprocess.Popen(
                self.command,
                shell=True,
                stdin=asked,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                # So that what the shell has started ends with it.
                start_new_session=True,
            ) as process:
                try:
                    with options.waiting(f"asking {self.command}"):
                        output, trouble = self._read(process)
                except BaseException:
                    _end(process)
                    raise
                if trouble:
                    _end(process)
                    return output, [trouble]
        return output, [f"it ended with exit code {process.returncode}"] if process.returncode else []

    def _read(self, process: subprocess.Popen[bytes]) -> tuple[bytes, str]:
        """What it puts out before the time is over or it has said too much, and which of the two it was."""
        assert process.stdout is not None, "it was started with a pipe"
        deadline = time.monotonic() + self.seconds
        most = _BYTES_AT_LEAST + _BYTES_FOR_AN_ANSWER * self.most_questions
        output = bytearray()
        too_slow = f"it was stopped after {self.seconds} seconds"
        while select.select([process.stdout], [], [], max(deadline - time.monotonic(), 0))[0]:
            if not (chunk := os.read(process.stdout.fileno(), _CHUNK)):
                try:
                    process.wait(max(deadline - time.monotonic(), 0))
                except subprocess.TimeoutExpired:
                    return bytes(output), too_slow
                return bytes(output), ""
            output += chunk
            if len(output) > most:
                return bytes(output[:most]), f"it was stopped after {most:,} bytes"
        return bytes(output), too_slow


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Who else to ask for names."""
    parser.add_argument(
        "--adviser",
        metavar="COMMAND",
        help="a program that is asked for names as well, by JSON lines (see docs/names.md)",
    )
    parser.add_argument(
        "--adviser-seconds",
        type=options.positive,
        default=_SECONDS,
        metavar="N",
        help=f"how long it may take for all questions together (default: {_SECONDS})",
    )
    parser.add_argument(
        "--adviser-questions",
        type=options.positive,
        default=_QUESTIONS,
        metavar="N",
        help=f"ask it about so many names at most, the heaviest findings first (default: {_QUESTIONS})",
    )


def chosen_adviser(arguments: argparse.Namespace) -> Adviser | None:
    """The adviser that the person named, `None` for none."""
    if arguments.adviser is None:
        return None
    return Adviser(arguments.adviser, arguments.adviser_seconds, arguments.adviser_questions)


def _asked(finding: Finding) -> Asked:
    question = finding.question
    assert question is not None, "only those are asked about that ask for names"
    case = question.case
    return Asked(
        finding.path,
        finding.start.line,
        finding.scope,
        case.sort.value,
        finding.subject,
        case.features,
        question.taken,
    )


def _question(number: int, asked: Asked, contents: Mapping[str, bytes]) -> dict[str, object]:
    data = contents.get(asked.path, b"")
    lines = data.decode("utf-8", "replace").splitlines()
    first = max(asked.line - _LINES_AROUND, 1)
    said = dict.fromkeys(each.told for each in asked.says if each.told)
    return {
        "schema": _SCHEMA,
        "id": number,
        "path": asked.path,
        "line": asked.line,
        "scope": asked.scope,
        "sort": asked.sort,
        "name": asked.name,
        "says": list(said)[:_MOST_SAID],
        "taken": sorted(asked.taken),
        "first_line": first,
        "code": "\n".join(lines[first - 1 : asked.line + _LINES_AROUND]),
    }


def _read_answer(line: bytes, n_questions: int) -> tuple[int, tuple[Derived, ...]]:
    """The number of a question and the names for it. Errors: `ValueError`, `KeyError` or `TypeError` for what is no
    answer."""
    document = json.loads(line)
    number = document["id"]
    if isinstance(number, bool) or not isinstance(number, int) or not 1 <= number <= n_questions:
        raise ValueError("there is no such question")
    offers = []
    for each in document["names"][:_MOST_NAMES]:
        name, why = (each["name"], each.get("why", "")) if isinstance(each, dict) else (each, "")
        if not isinstance(name, str) or not isinstance(why, str):
            raise TypeError("names and reasons are texts")
        if name.isidentifier() and len(name) <= _LONGEST_NAME:
            offers.append(Derived(name, ADVISED, snippet(f"the adviser: {why}" if why else "the adviser says so")))
    return number, tuple(offers)


def _end(process: subprocess.Popen[bytes]) -> None:
    try:
        os.killpg(process.pid, signal.SIGKILL)
    except ProcessLookupError:
        pass
