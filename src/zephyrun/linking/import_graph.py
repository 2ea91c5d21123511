"""Which files of a project import which others."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.values import Evaluator


@once_a_version
def reached_files(evaluator: Evaluator, path: str) -> frozenset[str]:
    """The files of the project that a file imports, and those that these import, itself included."""
    return _spread([path], evaluator.linkage.imported_by)


@once_a_version
def may_be_loaded(evaluator: Evaluator, path: str, name: str) -> bool:
    """Whether a name of a module may be had from one that is loaded by its name and then looked into: it is that one, or one that
    holds it or has the name from it."""
    loaded = _looked_into_where_loaded(evaluator)
    if loaded is None:
        return True
    files = (evaluator.linkage.file(each) for each in loaded)
    return path in loaded or any(file is not None and file.may_bind(name) for file in files)


@once_a_version
def _looked_into_where_loaded(evaluator: Evaluator) -> frozenset[str] | None:
    """The modules that are loaded by their names and then looked into, and those that they hold; `None` for any."""
    found = [modules_loaded(evaluator, path) for path in evaluator.linkage.loading_paths]
    known = [each for each in found if each is not None]
    return frozenset[str]().union(*known) if len(known) == len(found) else None


@once_a_version
def modules_loaded(evaluator: Evaluator, path: str) -> frozenset[str] | None:
    """The modules that a file loads by their names, and those that they hold; `None` for any."""
    named = evaluator.linkage.names_loaded(path)
    if named is None:
        return None
    found = {there for each in named if (there := evaluator.linkage.find_module(each, path)) is not None}
    return frozenset(found | evaluator.modules_about.held_by(found))


def knows(evaluator: Evaluator, path: str, other: str) -> bool:
    """Whether one of two files imports the other, be it by way of others."""
    return other in reached_files(evaluator, path) or path in reached_files(evaluator, other)


@once_a_version
def run_together(evaluator: Evaluator, path: str, other: str) -> bool:
    """Whether some file of the project imports both of two files, be it by way of others; the file may be one of the two."""
    importers = _importers(evaluator)
    return not _spread([path], importers).isdisjoint(_spread([other], importers))


@once_a_version
def _importers_by_path(evaluator: Evaluator) -> dict[str, set[str]]:
    found: dict[str, set[str]] = {}
    for path in evaluator.linkage.paths:
        for imported in evaluator.linkage.imported_by(path):
            found.setdefault(imported, set()).add(path)
    return found


def _importers(evaluator: Evaluator) -> Callable[[str], Iterable[str]]:
    by_path = _importers_by_path(evaluator)
    return lambda path: by_path.get(path, ())


def _spread(paths: list[str], step: Callable[[str], Iterable[str]]) -> frozenset[str]:
    """All that can be got to from some paths, themselves included."""
    found, rest = set(paths), list(paths)
    while rest:
        more = [each for each in step(rest.pop()) if each not in found]
        found.update(more)
        rest += more
    return frozenset(found)
