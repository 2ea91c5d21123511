"""Who may call a project's code: only the project itself, or code that nobody here can see."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import islice
from pathlib import Path

from zephyrun.project.roots import is_marked
from zephyrun.project.settings import Settings, read_toml

_PACKAGING_FILES = ("setup.py", "setup.cfg")
_IMPORTS_FOLDER = r"(?m)^\s*(?:from|import)\b[^\n#]*(?<![\w]){}(?!\w)"
# Around a folder that nothing marks as a project, so many files are looked at.
_MOST_FILES = 500


def is_library(root: Path, settings: Settings) -> bool:
    """Whether code outside may use the public names of a project: as the settings say, else an
    installable package counts as a library, and a folder of scripts as an application, unless nothing marks it as a
    project and code around it imports it."""
    if settings.audience:
        return settings.audience == "library"
    if any((root / name).is_file() for name in _PACKAGING_FILES):
        return True
    shared = root / "pyproject.toml"
    if shared.is_file():
        return "project" in read_toml(shared)[0]
    return not is_marked(root) and _is_imported_around(root)


def _is_imported_around(root: Path) -> bool:
    """Whether a file in the folders around, up to the working one, or in the folders beside, imports something by the name of a
    folder."""
    here = Path.cwd()
    inner = [root, *(each for each in root.parents if each.is_relative_to(here) and each != here)]
    for folder in inner:
        pattern = re.compile(_IMPORTS_FOLDER.format(re.escape(folder.name)).encode())
        if any(pattern.search(data) for data in islice(_read_around(folder.parent), _MOST_FILES)):
            return True
    return False


def _read_around(folder: Path) -> Iterator[bytes]:
    for path in (*folder.glob("*.py"), *folder.glob("*/*.py")):
        try:
            yield path.read_bytes()
        except OSError:
            continue
