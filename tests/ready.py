"""The built program, and small programs that are to be run, in copies of processes that have loaded what they need.

To start the interpreter and to load modules, some three thousand times, was a third of the suite. A copy has its
own working folder, environment, arguments, input and output, and ends as any other process does.
"""

from __future__ import annotations

import builtins
import gc
import json
import os
import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable
from functools import cache
from importlib import import_module
from importlib.machinery import SourceFileLoader
from pathlib import Path
from types import ModuleType

SECONDS = 120
# What small programs like to load, beside what is loaded here. A copy takes the longer to end the more it holds.
_OFTEN_LOADED = "argparse dataclasses enum inspect logging threading typing unittest".split()


class Ready:
    """A process that has loaded what is run in copies of it, and answers each call from one."""

    def __init__(self, what: str) -> None:
        self.streams = tempfile.TemporaryDirectory()
        words = [sys.executable, "-m", "tests.ready", what, self.streams.name]
        folder = Path(__file__).parent.parent
        self.process = subprocess.Popen(words, cwd=folder, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)

    def run(self, folder: Path, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
        """Run something in a folder with some words of a command line."""
        call = {"folder": str(folder), "words": words, "environment": {**os.environ, **environment}}
        print(json.dumps(call), file=self.process.stdin, flush=True)
        code = int(self.process.stdout.readline())
        output, errors = ((Path(self.streams.name) / name).read_text("utf-8") for name in ("output", "errors"))
        return subprocess.CompletedProcess(words, code, output, errors)


@cache
def ready(what: str) -> Ready:
    """The one such process of this test run: for `zephyrun`, or for a `program` of Python."""
    return Ready(what)


def run_program(files: dict[str, bytes], name: str = "main.py") -> subprocess.CompletedProcess[str]:
    """Run a program that consists of some files, as `python -B` would."""
    folder = Path(ready("program").streams.name, "program")
    folder.mkdir(exist_ok=True)
    lay_out(folder, files)
    # What the program starts keeps nothing compiled either: two versions may run in one folder within a second. Tests that it
    # runs need no plug-ins, which take longer to load than it takes.
    return ready("program").run(folder, name, PYTHONDONTWRITEBYTECODE="1", PYTEST_DISABLE_PLUGIN_AUTOLOAD="1")


def lay_out(folder: Path, files: dict[str, bytes]) -> None:
    """Make a folder hold some files and nothing else. Most names stay from one program to the next, and to make and remove
    thousands of folders took longer than many a program."""
    wanted = {folder / name for name in files}
    around = {each for path in wanted for each in path.parents}
    for path in sorted(folder.rglob("*"), reverse=True):
        if path.is_dir() and not path.is_symlink():
            if path not in around:
                path.rmdir()
        elif path not in wanted:
            path.unlink()
    for name, data in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)


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


def load_command() -> Callable[[], None]:
    """Load all that `zephyrun` needs once it is asked for something."""
    commands = import_module("zephyrun.commands")
    for module in (*(f"zephyrun.commands.{name}" for name in commands.COMMANDS), "zephyrun.findings.table", "zephyrun.proof.trees"):
        import_module(module)

    def run() -> None:
        sys.argv.insert(0, sys.modules["zephyrun"].__path__[0] + "/__main__.py")
        commands.run()

    return run


def load_for_programs() -> Callable[[], None]:
    """Load what small programs often need. A module of their own that is called like one of these takes its place."""
    at_start = subprocess.run(
        [sys.executable, "-c", "import sys; print(*sys.modules)"], capture_output=True, text=True, check=True
    ).stdout.split()
    for module in _OFTEN_LOADED:
        import_module(module)

    def run() -> None:
        for each in {Path(name).stem for name in os.listdir()}.difference(at_start):
            sys.modules.pop(each, None)
        sys.dont_write_bytecode = True
        path = os.path.abspath(sys.argv[0])
        main = ModuleType("__main__")
        vars(main).update(__file__=path, __builtins__=builtins, __loader__=SourceFileLoader("__main__", path))
        sys.modules["__main__"] = main
        exec(compile(Path(path).read_bytes(), path, "exec"), vars(main))

    return run


_LOADING = {"zephyrun": load_command, "program": load_for_programs}


def become(folder: str, words: list[str], environment: dict[str, str]) -> None:
    """Make this process one that is started in a folder."""
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    sys.path[0] = folder
    sys.argv = words


if __name__ == "__main__":
    reply = os.dup(1)
    os.dup2(2, 1)
    run_it = _LOADING[sys.argv[1]]()
    # Pages that nobody writes to are not copied.
    gc.freeze()
    become(**wait_for_calls(Path(sys.argv[2]), reply))
    run_it()
