"""`zephyrun demo`: a tour of the commands on a small inherited project."""

from __future__ import annotations

import argparse
import importlib.resources
import shutil
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

from zephyrun.commands import NOT_SO, OK, options
from zephyrun.errors import UserError
from zephyrun.project.roots import for_people

_DEFAULT_FOLDER = Path("apiary-demo")
_SPOILED_FILE = "hive/weights.py"
_SPOILED = ("b = readings[-1]['weight']", "b = readings[-2]['weight']")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument(
        "folder",
        nargs="?",
        type=options.path,
        default=_DEFAULT_FOLDER,
        metavar="FOLDER",
        help=f"a new folder for the sample project (default: {_DEFAULT_FOLDER})",
    )
    parser.add_argument(
        "--color", choices=("auto", "always", "never"), default="auto", help="when to use colours"
    )


def run(arguments: argparse.Namespace) -> int:
    """Copy the sample project and show each command on it."""
    folder = arguments.folder
    if folder.exists():
        raise UserError(f"{folder} is there already; give a new folder: zephyrun demo FOLDER")
    try:
        _copy_project(folder / "project")
        shutil.copytree(folder / "project", folder / "before")
    except OSError as problem:
        raise UserError(f"{folder} cannot be written: {problem.strerror}") from problem

    tour = _Tour(folder, arguments.color)
    tour.say("An apiary's log keeping, inherited: six modules, about five hundred lines, with tests.")
    tour.python("The tests pass before anything is changed.", "-m", "unittest", "-q", where="project")
    tour.zephyrun("What is hard to read, worst first?", "survey", "project", "--limit", "4")
    tour.zephyrun(
        "How does the project's code stand on the page? Only what departs from that is found.",
        "habits",
        "project",
    )
    tour.zephyrun(
        "A plan of the changes, as a file that you can read and edit. Sure steps start out accepted.",
        "propose", "project/hive", "project/season_report.py", "--output", "cleanup.toml",
    )

    tour.zephyrun("Carry it out. Each step is proved before it is written.", "apply", "cleanup.toml")
    tour.python("The tests still pass.", "-m", "unittest", "-q", where="project")
    tour.zephyrun("Anyone can check that both versions do the same.", "verify", "before", "project")
    tour.spoil()
    tour.zephyrun(
        "The proof has teeth. Here somebody 'only renamed' and took the last but one reading:",
        "verify", "before", "spoiled", code=NOT_SO,
    )

    tour.zephyrun(
        "One thing gets another name, wherever in the project it is referred to.",
        "rename", "hive.log.by_hive", "group_by_hive", where="project",
    )
    tour.zephyrun("Everything can be taken back, to the byte: the rename …", "undo", "project")
    tour.zephyrun("… and the plan …", "undo", "project")
    tour.zephyrun("… and done again: the plan still fits.", "apply", "cleanup.toml")
    here = for_people(folder)
    tour.say(
        f"The result lies in {here}/project, as it was before in {here}/before, the plan beside them."
    )
    tour.say("Now try it on a copy of your own: zephyrun survey YOUR_FOLDER")
    return OK if tour.went_well else NOT_SO


def _copy_project(destination: Path) -> None:
    packaged = importlib.resources.files("zephyrun") / "apiary"
    with importlib.resources.as_file(packaged) as source:
        shutil.copytree(source, destination, ignore=shutil.ignore_patterns("__pycache__"))


class _Tour:
    """Runs commands in the demo's folder, each with a line of explanation before it."""

    def __init__(self, folder: Path, color: str) -> None:
        self.went_well = True
        self._folder = folder
        self._screen = options.Screen(color)
        self._color = "always" if self._screen.is_terminal and color != "never" else "never"

    def say(self, text: str) -> None:
        self._screen.print(text, style="bold")
        self._screen.print()

    def zephyrun(self, text: str, *words: str, code: int = OK, where: str = "") -> None:
        """Show and run a command of ours, in the demo's folder or in one inside it; `code` is the exit
        code that it should have."""
        command = [sys.executable, "-m", "zephyrun", *words, "--color", self._color]
        shown = f"cd {where} && " if where else ""
        self._run(text, f"{shown}zephyrun {' '.join(words)}", command, self._folder / where, code)

    def python(self, text: str, *words: str, where: str) -> None:
        """Show and run the interpreter in one of the demo's folders."""
        command = [sys.executable, "-B", *words]
        shown = f"cd {where} && python {' '.join(words)}"
        self._run(text, shown, command, self._folder / where, OK)

    def spoil(self) -> None:
        """Make a third copy in which one change is wrong."""
        shutil.copytree(self._folder / "before", self._folder / "spoiled")
        path = self._folder / "spoiled" / _SPOILED_FILE
        old, new = _SPOILED
        path.write_text(path.read_text("utf-8").replace(old, new), "utf-8")

    def _run(self, text: str, shown: str, command: Sequence[str], where: Path, code: int) -> None:
        self._screen.print(text, style="bold")
        self._screen.print(f"$ {shown}", style="cyan")
        sys.stdout.flush()
        done = subprocess.run(command, cwd=where, stdin=subprocess.DEVNULL, check=False)
        self.went_well = self.went_well and done.returncode == code
        self._screen.print()
