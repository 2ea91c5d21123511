"""The person's own checks of a change: their tests, or what their program puts out.

A command runs only because the person gave it on the command line. It runs in the working folder, as
it would if they typed it.
"""

from __future__ import annotations

import os
import subprocess
from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from zephyrun.commands import options
from zephyrun.errors import UserError

_TAIL_LINES = 12


@dataclass(frozen=True)
class Outcome:
    """What one run of a command did; `files` holds the bytes of the files that it was to write."""

    code: int
    output: bytes
    errors: bytes
    files: tuple[bytes | None, ...] = ()

    def tail(self) -> str:
        """The last lines that the command printed."""
        lines = (self.output + self.errors).decode("utf-8", "replace").splitlines()
        return "\n".join(lines[-_TAIL_LINES:])


class OwnCheck(ABC):
    """Whether a command of the person's finds a change in order."""

    def __init__(self, command: str, outputs: Sequence[Path] = ()) -> None:
        self.command = command
        self._outputs = tuple(outputs)
        self.latest = Outcome(0, b"", b"")

    @abstractmethod
    def prepare(self, *, start_anyway: bool) -> None:
        """Run before anything is changed. Errors: `CheckFailed` when nothing may start."""

    @abstractmethod
    def passes(self) -> bool:
        """Run, and say whether all is as it should be."""

    def _run(self) -> Outcome:
        with subprocess.Popen(
            self.command,
            shell=True,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            # Bytecode goes by a file's second and size: two versions in one second could be mixed up.
            env={**os.environ, "PYTHONDONTWRITEBYTECODE": "1"},
        ) as process:
            try:
                output, errors = self._wait_for(process)
            except BaseException:
                process.kill()
                raise
        files = tuple(path.read_bytes() if path.is_file() else None for path in self._outputs)
        self.latest = Outcome(process.returncode, output, errors, files)
        return self.latest

    def _wait_for(self, process: subprocess.Popen[bytes]) -> tuple[bytes, bytes]:
        """What the command puts out; that it runs is shown when it takes long."""
        try:
            return process.communicate(timeout=options.SLOW_AFTER_SECONDS)
        except subprocess.TimeoutExpired:
            with options.waiting(f"running {self.command}"):
                return process.communicate()


class CheckFailed(UserError):
    """The person's command found something wrong before anything was changed."""


class OwnTests(OwnCheck):
    """Tests: they pass when the command ends with 0."""

    _code = 0

    def prepare(self, *, start_anyway: bool) -> None:
        """Errors: `CheckFailed` when the tests fail already, unless one starts anyway."""
        outcome = self._run()
        if outcome.code and not start_anyway:
            raise CheckFailed(
                f"`{self.command}` fails already, with exit code {outcome.code}; nothing was changed "
                "(--start-anyway goes on and keeps to that code)"
            )
        self._code = outcome.code

    def passes(self) -> bool:
        """Whether the command ends as it did before anything was changed."""
        return self._run().code == self._code


class OwnOutput(OwnCheck):
    """A program: what it puts out must stay the same, to the byte."""

    _expected = Outcome(0, b"", b"")

    def prepare(self, *, start_anyway: bool) -> None:
        """Errors: `CheckFailed` when the program puts out something else each time."""
        self._expected = self._run()
        if self._run() != self._expected:
            raise CheckFailed(
                f"`{self.command}` puts out something else each time, so no change could be told by "
                "it; nothing was changed"
            )

    def passes(self) -> bool:
        """Whether output, error output, exit code and files are what they were."""
        return self._run() == self._expected
