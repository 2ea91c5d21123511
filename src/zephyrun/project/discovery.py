"""Which files belong to a project, and their bytes.

Ignore files of version control are obeyed where they lie; what interpreters, version control and
Zephyrun itself leave behind is never part of a project.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from zephyrun.errors import UserError
from zephyrun.linking.modules import is_python
from zephyrun.project.roots import OWN_MARK, relative_to_root

if TYPE_CHECKING:
    from pathspec import GitIgnoreSpec

# What version control, interpreters and Zephyrun itself keep, by name …
_KEPT_BY_OTHERS = frozenset({".zephyrun", ".git", ".hg", ".svn", "__pycache__"})
# … and by what lies in it: a virtual environment, a cache (by the Cache Directory Tagging standard).
_MARKS_OF_OTHERS = ("pyvenv.cfg", "CACHEDIR.TAG")
_IGNORE_FILE = ".gitignore"
# Scripts often have no ending at all.
_SEARCHED_ENDINGS = frozenset(
    """ .pyi .pyx .pxd .pxi .ipynb .html .htm .xml .j2 .jinja .jinja2 .tmpl .tpl .mako .toml .cfg .ini
    .conf .yaml .yml .json .env .sh .bash .bat .cmd .ps1 .mk .am .in .md .rst .txt .adoc""".split()
) | {""}
_LARGEST_SEARCHED = 2**20
# Plans, decisions and reports of ours speak of the names that are to change, and mean nothing by it.
_OWN_DOCUMENT = re.compile(rb'(?m)^\{?"?schema"?\s*[=:]\s*"zephyrun\.')


@dataclass(frozen=True, slots=True)
class Sources:
    """The Python files that a command is about, and the projects inside that are none of its own.

    All hold paths relative to the root, sorted; `named` are those on the command line.
    """

    named: tuple[str, ...]
    files: tuple[str, ...]
    inner_projects: tuple[str, ...]


def find_sources(paths: Iterable[Path], root: Path) -> Sources:
    """The Python files at or below the paths, each once.

    A file that is named itself counts whatever ignore files say. Symbolic links below a folder are
    not followed, and a folder below with a `zephyrun.toml` of its own is another project. Errors:
    `UserError` for a path that is no Python file or lies outside the root.
    """
    named: set[str] = set()
    found: set[str] = set()
    inner_projects: set[str] = set()
    for path in paths:
        try:
            name = relative_to_root(path, root)
        except ValueError as problem:
            raise UserError(f"{path} lies outside the project at {root}") from problem
        named.add(name)
        if path.is_dir():
            walked = _walk(root, path.resolve(), inner_projects)
            found.update(each for each in walked if is_python(each))
        elif is_python(name):
            found.add(name)
        else:
            raise UserError(f"{path} is no Python file; give .py files or folders")
    return Sources(tuple(sorted(named)), tuple(sorted(found)), tuple(sorted(inner_projects)))


def read_tree(root: Path) -> dict[str, bytes | str]:
    """Every file below `root` by relative path: its bytes, or one phrase why they were not read.

    Ignore files have no say here: an ignored file may well decide what a program does.
    """
    found: dict[str, bytes | str] = {}
    for folder, folders, names in os.walk(root):
        folders[:] = sorted(name for name in folders if not _belongs_to_others(Path(folder, name)))
        links = [name for name in folders if Path(folder, name).is_symlink()]
        for name in sorted([*names, *links]):
            path = Path(folder, name)
            found[path.relative_to(root).as_posix()] = read_content(path)
    return found


def _means_nothing(data: bytes) -> bool:
    """Whether a file is no text, or one of our own documents."""
    return b"\0" in data or _OWN_DOCUMENT.search(data) is not None


def read_content(path: Path) -> bytes | str:
    """A file's bytes, or one phrase why they cannot be read."""
    if path.is_symlink():
        return f"a symbolic link to {os.readlink(path)}"
    try:
        return path.read_bytes() if path.is_file() else "not a regular file"
    except OSError as problem:
        return f"cannot be read: {problem.strerror}"


def read_project(root: Path) -> dict[str, bytes | str]:
    """The read set of a project, as `read_tree` gives files: all of its Python, and the texts in which
    something may stand that means a name in it (stubs, notebooks, templates, configuration, documents).

    Texts of more than a mebibyte are data, and left out.
    """
    found: dict[str, bytes | str] = {}
    for name in _walk(root, root, set()):
        if is_python(name):
            found[name] = read_content(root / name)
        elif _is_searched(root / name):
            content = read_content(root / name)
            if isinstance(content, bytes) and not _means_nothing(content):
                found[name] = content
    return found


def _is_searched(path: Path) -> bool:
    """Whether a file that is not Python may speak of names, going by its name and size."""
    if path.suffix.lower() not in _SEARCHED_ENDINGS:
        return False
    try:
        return path.stat().st_size <= _LARGEST_SEARCHED
    except OSError:
        return False


def _walk(root: Path, start: Path, inner_projects: set[str]) -> Iterator[str]:
    """Files at or below `start` that no ignore file between the root and them leaves out; folders
    that are projects of their own are not entered but added to `inner_projects`."""
    above = [root, *(root / part for part in _prefixes(start.relative_to(root).parts))]
    rules = [(folder, rule) for folder in above[:-1] if (rule := _rules(folder)) is not None]
    if _is_ignored(start, True, rules):
        # Whoever names an ignored folder means it.
        rules = []
    stack = [(start, rules)]
    while stack:
        folder, inherited = stack.pop()
        own = _rules(folder)
        rules = [*inherited, (folder, own)] if own is not None else inherited
        try:
            entries = sorted(os.scandir(folder), key=lambda entry: entry.name)
        except OSError:
            continue
        for entry in entries:
            path = Path(entry.path)
            if entry.is_symlink() or _is_ignored(path, entry.is_dir(), rules):
                continue
            if not entry.is_dir():
                yield path.relative_to(root).as_posix()
            elif _belongs_to_others(path):
                continue
            elif (path / OWN_MARK).exists():
                inner_projects.add(path.relative_to(root).as_posix())
            else:
                stack.append((path, rules))


def _belongs_to_others(folder: Path) -> bool:
    return folder.name in _KEPT_BY_OTHERS or any((folder / mark).exists() for mark in _MARKS_OF_OTHERS)


def _prefixes(parts: tuple[str, ...]) -> list[str]:
    return ["/".join(parts[: count + 1]) for count in range(len(parts))]


def _rules(folder: Path) -> GitIgnoreSpec | None:
    path = folder / _IGNORE_FILE
    if not path.is_file():
        return None
    # Imported here: most small projects have no ignore file, and start-up should stay fast.
    from pathspec import GitIgnoreSpec

    try:
        return GitIgnoreSpec.from_lines(path.read_text("utf-8", "replace").splitlines())
    except (OSError, ValueError):
        return None


def _is_ignored(path: Path, is_folder: bool, rules: list[tuple[Path, GitIgnoreSpec]]) -> bool:
    """Whether the ignore rules leave a path out; the innermost file that has a say decides."""
    for folder, rule in reversed(rules):
        name = path.relative_to(folder).as_posix() + ("/" if is_folder else "")
        verdict = rule.check_file(name).include
        if verdict is not None:
            return bool(verdict)
    return False
