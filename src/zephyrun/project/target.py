"""For which Python versions a project is: what a verdict must hold for.

Set by `target` in the settings, else found in the packaging files, else the running interpreter alone.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zephyrun.errors import UserError
from zephyrun.patterns import lazy_pattern
from zephyrun.project.settings import Settings, read_toml

_THIS_PYTHON = ".".join(map(str, sys.version_info[:3]))
_PLAIN_VERSION = lazy_pattern(r"\d+\.\d+")
_ANY_PATCH = 99
_SHARED_FILE = "pyproject.toml"
_OLD_SHARED_FILE = "setup.cfg"


@dataclass(frozen=True)
class Target:
    """The versions that a project is for, in the notation of packaging files (`>=3.9,<3.13`), and where
    that was found. Both are "" where nothing says so."""

    versions: str = ""
    origin: str = ""

    @property
    def covers_this_python(self) -> bool:
        """Whether the running interpreter is one of them."""
        if not self.versions:
            return True
        # Imported here: few commands ask, and start-up should stay fast.
        from packaging.specifiers import SpecifierSet

        return SpecifierSet(self.versions).contains(_THIS_PYTHON, prereleases=True)

    @property
    def oldest(self) -> tuple[int, int]:
        """The oldest minor version that it takes in, as far as Python 3 goes; where nothing says so, the running
        one."""
        if not self.versions:
            return sys.version_info[:2]
        from packaging.specifiers import SpecifierSet

        versions = SpecifierSet(self.versions)
        for minor in range(sys.version_info[1]):
            if any(versions.contains(f"3.{minor}.{patch}") for patch in (0, _ANY_PATCH)):
                return 3, minor
        return sys.version_info[:2]

    @property
    def reason_against(self) -> str:
        """Why no verdict of this interpreter holds for the project, "" where it does."""
        if self.covers_this_python:
            return ""
        return (
            f"this is Python {_THIS_PYTHON}, and the project is for {self.versions} "
            f"({self.origin}): run zephyrun with one of those"
        )


def find_target(root: Path, settings: Settings) -> Target:
    """The target of the project at a root. Errors: `UserError` for versions that cannot be read."""
    if settings.target:
        return _checked(Target(settings.target, "the setting `target`"))
    shared, old_shared = root / _SHARED_FILE, root / _OLD_SHARED_FILE
    if shared.is_file():
        project: Any = read_toml(shared)[0].get("project", {})
        required = project.get("requires-python", "") if isinstance(project, dict) else ""
        if isinstance(required, str) and required:
            return _checked(Target(required, f"requires-python in {_SHARED_FILE}"))
    if old_shared.is_file():
        if required := _required_by(old_shared):
            return _checked(Target(required, f"python_requires in {_OLD_SHARED_FILE}"))
    return Target()


def _required_by(path: Path) -> str:
    # Imported here: few projects still have such a file.
    from configparser import ConfigParser
    from configparser import Error as MalformedConfiguration

    parser = ConfigParser(interpolation=None)
    try:
        parser.read_string(path.read_text("utf-8"))
    except (OSError, ValueError, MalformedConfiguration):
        # A file for other programs: what they cannot read is for them to tell.
        return ""
    return parser.get("options", "python_requires", fallback="")


def _checked(target: Target) -> Target:
    from packaging.specifiers import InvalidSpecifier, SpecifierSet

    # People write `3.11` and mean every 3.11.
    is_plain = _PLAIN_VERSION.fullmatch(target.versions)
    versions = f"=={target.versions}.*" if is_plain else target.versions
    try:
        SpecifierSet(versions)
    except InvalidSpecifier as problem:
        raise UserError(
            f"{target.origin}: {target.versions!r} names no Python versions; write, say, >=3.9,<3.13"
        ) from problem
    return Target(versions, target.origin)
