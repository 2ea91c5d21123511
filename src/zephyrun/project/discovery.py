"""Which files belong to a project, and their bytes.

Ignore files of version control are obeyed where they lie; what interpreters, version control and
Zephyrun itself leave behind is never part of a project.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from zephyrun.errors import UserError
from zephyrun.linking.modules import is_python
from zephyrun.linking.texts import LARGEST_SEARCHED, is_searched, may_mean_names
from zephyrun.project.roots import OWN_MARK, relative_to_root

if TYPE_CHECKING:
    from pathspec import GitIgnoreSpec

# What version control, interpreters and Zephyrun itself keep, by name …
_KEPT_BY_OTHERS = frozenset({".zephyrun", ".git", ".hg", ".svn", "__pycache__"})
# … and by what lies in it: a virtual environment, a cache (by the Cache Directory Tagging standard).
_MARKS_OF_OTHERS = ("pyvenv.cfg", "CACHEDIR.TAG")
_IGNORE_FILE = ".gitignore"


class Sources(NamedTuple):
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
    something may stand that means a name in it. Code in a file that version control ignores (settings of one machine) runs
    like any other; what lies in an ignored folder is built or installed, and no part of the project."""
    found: dict[str, bytes | str] = {}
    for name in _walk(root, root, set(), takes_ignored=is_python):
        path = root / name
        if is_python(name):
            found[name] = read_content(path)
        elif may_mean_names(name) and _is_small(path):
            content = read_content(path)
            if isinstance(content, bytes) and is_searched(name, content):
                found[name] = content
    return found


def read_nearest(root: Path, name: str, most_bytes: int) -> dict[str, bytes | str]:
    """The Python files of a project that are nearest to one, that one first, as far as they come to so many bytes
    together; as `read_tree` gives files."""
    paths = sorted(filter(is_python, _walk(root, root, set())), key=lambda each: distance(each, name))
    found: dict[str, bytes | str] = {name: read_content(root / name)}
    n_bytes = 0
    for path in paths:
        if path != name:
            found[path] = content = read_content(root / path)
            n_bytes += len(content)
            if n_bytes > most_bytes:
                break
    return found


def distance(path: str, other: str) -> tuple[int, str]:
    """How far a file is from another: a key to sort by, the nearest first."""
    shared = 0
    for mine, its in zip(path.split("/")[:-1], other.split("/")[:-1]):
        if mine != its:
            break
        shared += 1
    return -shared, path


def _is_small(path: Path) -> bool:
    try:
        return path.stat().st_size <= LARGEST_SEARCHED
    except OSError:
        return False


def _nothing(_: str) -> bool:
    return False


def _walk(
    root: Path, start: Path, inner_projects: set[str], *, takes_ignored: Callable[[str], bool] = _nothing
) -> Iterator[str]:
    """Files at or below `start` that no ignore file between the root and them leaves out, but for those of which `takes_ignored`
    holds; folders that are projects of their own are not entered but added to `inner_projects`."""
    # Texts rather than paths: a project may have many thousand files.
    top = str(root)
    first = start.relative_to(root).as_posix()
    above = [""] if first != "." else []
    above += [f"{each}/" for each in _prefixes(start.relative_to(root).parts[:-1])]
    rules = [(each, rule) for each in above if (rule := _rules(os.path.join(top, each))) is not None]
    if first != "." and _is_ignored(f"{first}/", rules):
        # Whoever names an ignored folder means it.
        rules = []
    stack = [("" if first == "." else f"{first}/", rules)]

    is_start = True
    while stack:
        folder, rules = stack.pop()
        try:
            entries = sorted(os.scandir(os.path.join(top, folder)), key=lambda entry: entry.name)
        except OSError:
            continue
        names = {entry.name for entry in entries}
        if not is_start and not names.isdisjoint(_MARKS_OF_OTHERS):
            continue
        if not is_start and OWN_MARK in names:
            inner_projects.add(folder.rstrip("/"))
            continue
        is_start = False
        if _IGNORE_FILE in names and (own := _rules(os.path.join(top, folder))) is not None:
            rules = [*rules, (folder, own)]
        for entry in entries:
            is_folder = entry.is_dir(follow_symlinks=False)
            name = f"{folder}{entry.name}/" if is_folder else folder + entry.name
            if entry.is_symlink() or (_is_ignored(name, rules) and (is_folder or not takes_ignored(name))):
                continue
            if not is_folder:
                yield name
            elif entry.name not in _KEPT_BY_OTHERS:
                stack.append((name, rules))


def _belongs_to_others(folder: Path) -> bool:
    return folder.name in _KEPT_BY_OTHERS or any((folder / mark).exists() for mark in _MARKS_OF_OTHERS)


def _prefixes(parts: tuple[str, ...]) -> list[str]:
    return ["/".join(parts[: count + 1]) for count in range(len(parts))]


def _rules(folder: str) -> GitIgnoreSpec | None:
    """What the ignore file of a folder says; `None` where there is none."""
    try:
        with open(os.path.join(folder, _IGNORE_FILE), encoding="utf-8", errors="replace") as file:
            lines = file.read().splitlines()
    except OSError:
        return None
    # Imported here: most small projects have no ignore file, and start-up should stay fast.
    from pathspec import GitIgnoreSpec

    try:
        return GitIgnoreSpec.from_lines(lines)
    except ValueError:
        return None


def _is_ignored(name: str, rules: list[tuple[str, GitIgnoreSpec]]) -> bool:
    """Whether the ignore rules leave a path out; the innermost file that has a say decides. Folders
    end in `/`, and so do those of the rules."""
    for folder, rule in reversed(rules):
        verdict = rule.check_file(name[len(folder) :]).include
        if verdict is not None:
            return bool(verdict)
    return False
