"""Processes that have loaded what programs need, and run each program in a copy of themselves.

To start the interpreter some thousand times was a third of the suite. A copy has its own working folder,
environment, arguments, input and output, and ends as any other process does. Run as a module, this one has loaded
nothing, and runs files.
"""

from __future__ import annotations

import sys

# Before anything else is loaded: a program finds no more than this.
STARTED_WITH = frozenset(sys.modules)

import json
import os
import signal
import subprocess
import tempfile
from functools import cache
from pathlib import Path

SECONDS = 120


class Copied:
    """A process that answers each call from a copy of itself."""

    def __init__(self, module: str) -> None:
        self.streams = tempfile.TemporaryDirectory()
        words = [sys.executable, "-B", "-m", module, self.streams.name]
        folder = Path(__file__).parent.parent
        self.process = subprocess.Popen(words, cwd=folder, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)

    def run(self, folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
        """Run a call with these words in a folder."""
        call = {"folder": str(folder), "words": words, "environment": dict(os.environ)}
        print(json.dumps(call), file=self.process.stdin, flush=True)
        code = int(self.process.stdout.readline())
        output, errors = ((Path(self.streams.name) / name).read_text("utf-8") for name in ("output", "errors"))
        return subprocess.CompletedProcess(words, code, output, errors)


@cache
def bare() -> Copied:
    """The one process of this test run that has loaded nothing. Its calls are those of files: `run(folder, "main.py")`."""
    return Copied("tests.copies")


def wait_for_calls(streams: Path, answers: int) -> dict[str, object]:
    """Make a copy for each call that comes, and say with which code it ended. Returns in the copies alone, with
    the call; ends the process when nobody calls any more."""
    for line in sys.stdin:
        child = os.fork()
        if not child:
            os.close(answers)
            for number, name in ((1, "output"), (2, "errors")):
                os.dup2(os.open(streams / name, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), number)
            os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
            # What hangs is ended by the system.
            signal.alarm(SECONDS)
            return json.loads(line)
        _, status = os.waitpid(child, 0)
        os.write(answers, b"%d\n" % os.waitstatus_to_exitcode(status))
    sys.exit()


def become(folder: str, words: list[str], environment: dict[str, str]) -> None:
    """Make this process what `python words…` in the folder would be, up to what the file says."""
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    sys.path[0] = folder
    sys.argv = words
    for name in sys.modules.keys() - STARTED_WITH - {"__main__"}:
        del sys.modules[name]


if __name__ == "__main__":
    reply = os.dup(1)
    os.dup2(2, 1)
    become(**wait_for_calls(Path(sys.argv[1]), reply))
    code = compile(Path(sys.argv[0]).read_bytes(), str(Path(sys.argv[0]).absolute()), "exec")
    # The file's names are those of a main module that has no others.
    main = type(sys)("__main__")
    main.__dict__.update(__file__=code.co_filename, __builtins__=__builtins__)
    sys.modules["__main__"] = main
    exec(code, main.__dict__)
