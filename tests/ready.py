"""The built program, run in copies of a process that has loaded it."""

from __future__ import annotations

import gc
import os
import sys
from functools import cache
from importlib import import_module
from pathlib import Path

from tests.copies import Copied, wait_for_calls
from zephyrun.commands import COMMANDS, run

# What commands load once they are asked for.
LOADED = (*(f"zephyrun.commands.{name}" for name in COMMANDS), "zephyrun.findings.table", "zephyrun.proof.trees")


@cache
def ready() -> Copied:
    """The one such process of this test run. Its calls are those of commands: `run(folder, "survey")`."""
    return Copied("tests.ready")


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
