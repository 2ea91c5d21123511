"""Which files of a project import which others."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.values import Evaluator


@once_a_version
def reached_files(evaluator: Evaluator, path: str) -> frozenset[str]:
    """The files of the project that a file imports, and those that these import, itself included."""
    return _spread([path], evaluator.linkage.imported_by)


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
