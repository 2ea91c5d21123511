"""Options that several commands share, each defined once."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from zephyrun.errors import UserError
from zephyrun.project.roots import KEPT_FOLDER, for_people
from zephyrun.reports.lines import StyledLine, with_spaces, wrapped_line

if TYPE_CHECKING:
    from rich.console import Console

Item = TypeVar("Item")
Result = TypeVar("Result")

# Below so many bytes a second process costs more than it saves.
_WORTH_A_POOL = 300_000
# Below so many bytes of code, reading them again costs no more than asking what is known.
WORTH_A_CACHE = 200_000
SLOW_AFTER_SECONDS = 1.0
_PIPE_WIDTH = 100_000
_TOO_MANY_DIGITS = 10
_SHOWN_LENGTH = 60
# Several, so that a process with easy files can take over from one with hard ones.
_CHUNKS_A_PROCESS = 8


def path(text: str) -> Path:
    """An option's value as a path, there or not. Errors: `ArgumentTypeError` for what can be none."""
    try:
        os.stat(text)
    except (FileNotFoundError, NotADirectoryError, PermissionError) as problem:
        if not text:
            raise argparse.ArgumentTypeError("an empty path; give a file or a folder") from problem
    except (OSError, ValueError) as problem:
        shown = text if len(text) <= _SHOWN_LENGTH else text[:_SHOWN_LENGTH] + "…"
        raise argparse.ArgumentTypeError(f"{shown!r} is no path that can be looked up") from problem
    return Path(text)


def add_paths(parser: argparse.ArgumentParser) -> None:
    """The files and folders to look at."""
    parser.add_argument("paths", nargs="+", type=path, metavar="PATH", help="files or folders")


def add_format(parser: argparse.ArgumentParser) -> None:
    """How to print."""
    parser.add_argument(
        "--format",
        choices=("text", "json"),
        default="text",
        help="print text (default) or one JSON document",
    )
    parser.add_argument(
        "--color", choices=("auto", "always", "never"), default="auto", help="when to use colours"
    )


def add_only(parser: argparse.ArgumentParser) -> None:
    """Which kinds of findings."""
    # Imported here, as below: the table knows every detector, and commands that look for nothing need none.
    from zephyrun.findings.table import FAMILIES, KINDS

    parser.add_argument(
        "--only",
        metavar="KIND[,KIND…]",
        default="",
        help=f"keep to these kinds ({', '.join(KINDS)}) or families ({', '.join(FAMILIES)})",
    )


def add_since(parser: argparse.ArgumentParser) -> None:
    """Which lines."""
    parser.add_argument(
        "--since", metavar="REV", help="keep to lines that are new since this revision (git)"
    )


def add_jobs(parser: argparse.ArgumentParser) -> None:
    """How many processes."""
    parser.add_argument(
        "--jobs", type=positive, metavar="N", default=os.cpu_count() or 1, help="processes to use"
    )


def add_dry_run(parser: argparse.ArgumentParser) -> None:
    """Whether to write."""
    parser.add_argument(
        "--dry-run", action="store_true", help="print a unified diff and write nothing"
    )


def whole_number(text: str) -> int:
    """An option's value as a number from 0 on. Errors: `ArgumentTypeError`."""
    if not (text.isascii() and text.isdigit() and len(text) < _TOO_MANY_DIGITS):
        raise argparse.ArgumentTypeError(f"{text!r} is no whole number; give 0 or more")
    return int(text)


def positive(text: str) -> int:
    """An option's value as a number from 1 on. Errors: `ArgumentTypeError`."""
    if not whole_number(text):
        raise argparse.ArgumentTypeError("give at least 1")
    return int(text)


def chosen_kinds(only: str) -> list[str]:
    """The kinds that `--only` names, all of them where it is empty. Errors: `UserError`."""
    from zephyrun.findings.table import FAMILIES, KINDS

    if not only:
        return list(KINDS)
    chosen: list[str] = []
    for word in only.split(","):
        if word in KINDS:
            chosen.append(word)
        elif word in FAMILIES:
            chosen.extend(name for name, kind in KINDS.items() if kind.family == word)
        else:
            raise UserError(
                f"--only {word}: there is no such kind or family; "
                f"choose from {', '.join([*KINDS, *FAMILIES])}"
            )
    return list(dict.fromkeys(chosen))


class Screen:
    """Where text for people goes: a terminal, in colour unless `NO_COLOR` or `--color never` says
    otherwise, or a file or pipe, as plain lines that are neither wrapped nor cut."""

    def __init__(self, color: str, *, to_errors: bool = False) -> None:
        self._stream = sys.stderr if to_errors else sys.stdout
        self._color = color
        self.is_terminal = self._stream.isatty()

    def print(self, line: StyledLine | str = "", style: str = "") -> None:
        """Print one line; a plain text may have a style."""
        styled = line if isinstance(line, StyledLine) else wrapped_line((line, style))
        if not self.is_terminal and self._color != "always":
            self._stream.write(styled.plain + "\n")
            return
        from rich.padding import Padding
        from rich.text import Text

        text = Text.assemble(*styled.parts)
        if styled.is_cut or not text:
            self.console.print(text, no_wrap=True, overflow="ellipsis")
        else:
            # What goes on below keeps the indentation of its beginning.
            indentation = len(text.plain) - len(text.plain.lstrip(" "))
            for broken in text[indentation:].wrap(self.console, max(self.console.width - indentation, 1)):
                broken.plain = with_spaces(broken.plain)
                self.console.print(Padding(broken, (0, 0, 0, indentation), expand=False))

    @cached_property
    def console(self) -> Console:
        """The terminal itself. Made when it is needed, since it takes longer than a small survey."""
        from rich.console import Console

        always, never = self._color == "always", self._color == "never"
        return Console(
            file=self._stream,
            force_terminal=True if always else None,
            no_color=True if never else (False if always else None),
            highlight=False,
            width=None if self.is_terminal else _PIPE_WIDTH,
            markup=False,
            emoji=False,
        )


def print_document(document: dict[str, Any]) -> None:
    """The one JSON document on standard output."""
    import json

    # In one piece and without line breaks: anything else takes many times as long.
    sys.stdout.write(json.dumps(document, ensure_ascii=True) + "\n")


def map_files(
    function: Callable[[Item], Result], items: Sequence[Item], *, n_bytes: int, jobs: int, what: str
) -> list[Result]:
    """`function` of each item, in order, in several processes where that pays; progress is shown on
    a terminal when it takes long. `function` and the items must be picklable."""
    with progress(what, len(items)) as advance:
        results: list[Result] = []
        if jobs == 1 or n_bytes < _WORTH_A_POOL or len(items) == 1:
            for item in items:
                results.append(function(item))
                advance()
            return results
        from concurrent.futures import ProcessPoolExecutor

        with ProcessPoolExecutor(max_workers=min(jobs, len(items))) as pool:
            chunk_size = max(1, len(items) // (jobs * _CHUNKS_A_PROCESS))
            for result in pool.map(function, items, chunksize=chunk_size):
                results.append(result)
                advance()
        return results


@contextmanager
def progress(what: str, total: int) -> Iterator[Callable[[], None]]:
    """Show how far one has come, on a terminal and after a second; yields what counts one on."""
    if not sys.stderr.isatty():
        yield lambda: None
        return
    from time import monotonic

    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

    bar = Progress(
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        console=Screen("auto", to_errors=True).console,
        transient=True,
    )
    task = bar.add_task(what, total=total)
    began = monotonic()

    def advance() -> None:
        bar.advance(task)
        if monotonic() - began > SLOW_AFTER_SECONDS:
            bar.start()

    try:
        yield advance
    finally:
        bar.stop()


@contextmanager
def waiting(what: str) -> Iterator[None]:
    """Show on a terminal that something is under way, and for how long."""
    if not sys.stderr.isatty():
        yield
        return
    from rich.progress import Progress, SpinnerColumn, TextColumn, TimeElapsedColumn

    columns = (SpinnerColumn(), TextColumn("{task.description}", markup=False), TimeElapsedColumn())
    with Progress(*columns, console=Screen("auto", to_errors=True).console, transient=True) as bar:
        bar.add_task(what if len(what) <= _SHOWN_LENGTH else what[:_SHOWN_LENGTH] + "…", total=None)
        yield


def recover(root: Path) -> None:
    """Put the old project back where a process died while it was changing it, and say so. What
    cannot be put back now is told, and left to the next command."""
    if not (root / KEPT_FOLDER).is_dir():
        return
    # Imported here: without that folder there is no journal, and start-up should stay fast.
    from zephyrun.journal import Journal

    try:
        entry = Journal(root, for_people).recover()
    except UserError as problem:
        print(f"zephyrun: {problem}", file=sys.stderr)
        return
    if entry is not None:
        files = ", ".join(for_people(root / path) for path in entry.paths)
        print(
            f"zephyrun: an earlier change was interrupted; the old project is back ({files})",
            file=sys.stderr,
        )
