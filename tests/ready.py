"""The built program, run in copies of a process that has loaded it.

To start the interpreter and to load the program, some five hundred times, was a quarter of the suite. A copy has its
own working folder, environment, arguments, input and output, and ends as any other process does.
"""

from __future__ import annotations

import gc
import json
import os
import signal
import subprocess
import sys
import tempfile
from functools import cache
from importlib import import_module
from pathlib import Path

from zephyrun.commands import COMMANDS, run

SECONDS = 120
# What commands load once they are asked for.
LOADED = (*(f"zephyrun.commands.{name}" for name in COMMANDS), "zephyrun.findings.table", "zephyrun.proof.trees")


class Ready:
    """A process that has loaded the program, and answers each call from a copy of itself."""

    def __init__(self) -> None:
        self.streams = tempfile.TemporaryDirectory()
        words = [sys.executable, "-m", "tests.ready", self.streams.name]
        folder = Path(__file__).parent.parent
        self.process = subprocess.Popen(words, cwd=folder, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)

    def run(self, folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
        """Run `zephyrun words…` in a folder."""
        call = {"folder": str(folder), "words": words, "environment": dict(os.environ)}
        print(json.dumps(call), file=self.process.stdin, flush=True)
        code = int(self.process.stdout.readline())
        output, errors = ((Path(self.streams.name) / name).read_text("utf-8") for name in ("output", "errors"))
        return subprocess.CompletedProcess(words, code, output, errors)


@cache
def ready() -> Ready:
    """The one such process of this test run."""
    return Ready()


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
    """Make this process what `python -m zephyrun words…` in the folder would be."""
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    sys.path[0] = folder
    sys.argv = [sys.modules["zephyrun"].__path__[0] + "/__main__.py", *words]


if __name__ == "__main__":
    reply = os.dup(1)
    os.dup2(2, 1)
    for module in LOADED:
        import_module(module)
    # Pages that nobody writes to are not copied.
    gc.freeze()
    become(**wait_for_calls(Path(sys.argv[1]), reply))
    run()
