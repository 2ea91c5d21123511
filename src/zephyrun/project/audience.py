"""Who may call a project's code: only the project itself, or code that nobody here can see."""

from __future__ import annotations

from pathlib import Path

from zephyrun.project.settings import Settings, read_toml

_PACKAGING_FILES = ("setup.py", "setup.cfg")


def is_library(root: Path, settings: Settings) -> bool:
    """Whether code outside may use the public names of a project: as the settings say, else an
    installable package counts as a library, and a folder of scripts as an application."""
    if settings.audience:
        return settings.audience == "library"
    if any((root / name).is_file() for name in _PACKAGING_FILES):
        return True
    shared = root / "pyproject.toml"
    return shared.is_file() and "project" in read_toml(shared)[0]
