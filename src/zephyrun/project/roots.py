"""The root of a project, and paths relative to it."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from zephyrun.errors import UserError

OWN_MARK = "zephyrun.toml"
# What Zephyrun keeps for a project lies in this folder at its root.
KEPT_FOLDER = ".zephyrun"
_ROOT_MARKS = (OWN_MARK, "pyproject.toml", ".git")


def make_kept_folder(root: Path) -> Path:
    """The folder for what is kept for a project, made where it is not there, and ignored by version
    control through a file of its own. Errors: `OSError`."""
    folder = root / KEPT_FOLDER
    folder.mkdir(exist_ok=True)
    ignore_file = folder / ".gitignore"
    if not ignore_file.exists():
        ignore_file.write_text("*\n")
    return folder


def find_root(paths: Sequence[Path]) -> Path:
    """The nearest folder at or above the paths that is marked as a root, else the given folder.

    Errors: `UserError` when a path does not exist, or the paths lie in different roots.
    """
    roots = [_root_of(path) for path in paths]
    if len({root for root, has_mark in roots if has_mark}) > 1:
        raise UserError("the paths lie in different projects; give those of one project at a time")
    for root, has_mark in roots:
        if has_mark:
            return root
    return Path(os.path.commonpath([root for root, _ in roots]))


def find_root_around(path: Path) -> Path:
    """The root of a file at which somebody points from the working folder: as `find_root`, but where no root is marked, that
    folder, if the file lies there and it is not the person's own folder of all things or one above that.

    Errors: `UserError` when the path does not exist.
    """
    root, has_mark = _root_of(path)
    here = Path.cwd()
    stands_in_project = not path.is_absolute() and root.is_relative_to(here) and not Path.home().is_relative_to(here)
    return here if stands_in_project and not has_mark else root


def is_marked(folder: Path) -> bool:
    """Whether a folder is marked as the root of a project."""
    return any((folder / mark).exists() for mark in _ROOT_MARKS)


def _root_of(path: Path) -> tuple[Path, bool]:
    if not path.exists():
        raise UserError(f"{path} does not exist; check the spelling or the working folder")
    absolute = path.resolve()
    start = absolute if absolute.is_dir() else absolute.parent
    for folder in (start, *start.parents):
        if is_marked(folder):
            return folder, True
    return start, False


def relative_to_root(path: Path, root: Path) -> str:
    """The path below the root, with `/`. Errors: `ValueError` for a path outside."""
    return path.resolve().relative_to(root).as_posix()


def for_people(path: Path) -> str:
    """The path relative to the working folder, as text for people shows it."""
    return os.path.relpath(path)
