"""`zephyrun undo`: put back the bytes that were there before the latest change."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from zephyrun.commands import NOT_SO, OK, options
from zephyrun.errors import UserError
from zephyrun.journal import ChangedSince, Entry, Journal
from zephyrun.project.roots import KEPT_FOLDER, find_root, for_people

_DEEPEST = 3
_MOST_FILES_SHOWN = 3


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument(
        "path",
        nargs="?",
        type=options.path,
        default=Path("."),
        metavar="PATH",
        help="the project (default: here)",
    )
    parser.add_argument("--list", action="store_true", help="show what can be taken back")
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Take the latest change back, or list what could be."""
    journal = Journal(_project(arguments.path), for_people)
    options.recover(journal.root)
    if arguments.list:
        return _list(journal, arguments)
    try:
        entry = journal.undo()
    except ChangedSince as problem:
        print(f"zephyrun: {problem}", file=sys.stderr)
        return NOT_SO
    if arguments.format == "json":
        undone = list(entry.paths) if entry is not None else []
        options.print_document(
            {"schema": "zephyrun.undo/1", "root": for_people(journal.root), "undone": undone}
        )
    elif entry is not None:
        screen = options.Screen(arguments.color)
        screen.print(f"taken back: {entry.label} ({_files(journal, entry)})")
    if entry is None:
        print("zephyrun: there is nothing to undo here", file=sys.stderr)
        return NOT_SO
    return OK


def _list(journal: Journal, arguments: argparse.Namespace) -> int:
    entries = journal.undoable()
    if arguments.format == "json":
        listed = [
            {
                "number": entry.number,
                "label": entry.label,
                "files": list(entry.paths),
                "assumptions": list(entry.assumptions),
            }
            for entry in entries
        ]
        options.print_document(
            {"schema": "zephyrun.undo/1", "root": for_people(journal.root), "undoable": listed}
        )
        return OK
    screen = options.Screen(arguments.color)
    for entry in entries:
        screen.print(f"{entry.number:4}  {entry.label}: {_files(journal, entry)}")
        for what in entry.assumptions:
            screen.print(f"      assumed  {what}")
    if not entries:
        screen.print("there is nothing to undo here")
    return OK


def _files(journal: Journal, entry: Entry) -> str:
    shown = [for_people(journal.root / path) for path in entry.paths[:_MOST_FILES_SHOWN]]
    n_more = len(entry.paths) - len(shown)
    return ", ".join(shown) + (f" and {n_more} more" if n_more else "")


def _project(path: Path) -> Path:
    """The root at or above the path; where that has no journal, the one project below that has.

    Without a file that marks a root, the folder given to `propose` was the root, and that may be
    one below the folder in which `undo` is called.
    """
    root = find_root([path])
    if (root / KEPT_FOLDER).is_dir():
        return root
    below = []
    for folder, folders, _ in os.walk(path):
        depth = len(Path(folder).relative_to(path).parts)
        if KEPT_FOLDER in folders and Journal(Path(folder)).undoable():
            below.append(Path(folder).resolve())
        folders[:] = [each for each in folders if not each.startswith(".")] if depth < _DEEPEST else []
    if len(below) > 1:
        listed = ", ".join(for_people(each) for each in below)
        raise UserError(f"several projects below {path} have changes to undo ({listed}); name one")
    return below[0] if below else root
