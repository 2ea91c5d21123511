"""Which classes of a project stand directly below a class.

Any name may stand for a class, so the bases of every class would have to be known. Most are plain names, though, and
what these may mean is told by the names that files bind (`class_heads.py`), without reading these. Only where that tells nothing
the class is asked for its bases.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

from zephyrun.linking.kept_answers import kept_property
from zephyrun.linking.linkage import LIBRARY, Linkage
from zephyrun.linking.meanings import Meanings, Meant, Named
from zephyrun.linking.value_sorts import ClassKey

if TYPE_CHECKING:
    from zephyrun.linking.values import Evaluator

# How often the classes below others are found anew, where that depends on itself.
_MOST_PASSES = 3


class _Index(NamedTuple):
    """The classes of a project by what stands in their heads: those above each class and below it, those below what libraries call
    so, and those with bases of which no name tells what they are."""

    above: dict[Named, set[Named]]
    below: dict[Named, set[Named]]
    below_foreign: dict[str, set[Named]]
    open_ones: set[Named]


class Hierarchy:
    """The classes below others in one version of a project."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self.kept = evaluator.linkage.kept
        self._known: dict[ClassKey, list[ClassKey]] = {}
        # What stands below classes by bases that are worked out.
        self._below_open: dict[ClassKey, list[ClassKey]] | None = None
        self._is_asked = False

    def directly_below(self, key: ClassKey) -> list[ClassKey]:
        """The classes that have a class among their bases, in order of their files."""
        self._is_asked = True
        if self._below_open is None:
            self._find_open_ones()
        assert self._below_open is not None, "it was just found"
        if key not in self._known:
            self._known[key] = list(self._below_by_name(key))
        return sorted({*self._known[key], *self._below_open.get(key, ())})

    def bases_by_name(self, named: Named) -> set[Named]:
        """The classes that the head of one names, by their files and names."""
        return self._index.above.get(named, set())

    def _below_by_name(self, key: ClassKey) -> Iterator[ClassKey]:
        """The classes whose heads name a class, of whatever scope where several are called so."""
        path, _ = key
        if path.startswith(LIBRARY):
            below = self._below_libraries.get(key, set())
        else:
            below = self._index.below.get((path, self._evaluator.class_record(key).name), set())
        return self._classes_called(below)

    def _find_open_ones(self) -> None:
        """Ask the classes for their bases of which no name tells what these are. Where that depends itself on what is
        below some class, it is found once more."""
        with self._evaluator.answers.afresh():
            for _ in range(_MOST_PASSES):
                before = self._below_open = self._below_open or {}
                self._is_asked = False
                self._below_open = found = self._bases_turned_round()
                if not self._is_asked or found == before:
                    break
                self._evaluator.answers.forget()

    def _bases_turned_round(self) -> dict[ClassKey, list[ClassKey]]:
        found: dict[ClassKey, list[ClassKey]] = {}
        for key in self._classes_called(self._index.open_ones | self._below_moved):
            for base in self._evaluator.bases(key).read:
                found.setdefault(base, []).append(key)
        return found

    def _classes_called(self, named: Iterable[Named]) -> Iterator[ClassKey]:
        """The classes with bases of some names."""
        by_path: dict[str, set[str]] = {}
        for path, name in named:
            by_path.setdefault(path, set()).add(name)
        for path, names in sorted(by_path.items()):
            file = self._evaluator.linkage.file(path)
            for number, record in enumerate(file.links.classes if file is not None else ()):
                if record.name in names and record.bases:
                    yield path, number

    @kept_property
    def _index(self) -> _Index:
        return _find_index(self._evaluator.linkage, self._evaluator.meanings)

    @cached_property
    def _below_libraries(self) -> dict[ClassKey, set[Named]]:
        """The classes that may stand directly below those of libraries."""
        found: dict[ClassKey, set[Named]] = {}
        for dotted, below in self._index.below_foreign.items():
            if (base := self._evaluator.library_class(dotted)) is not None:
                found.setdefault(base, set()).update(below)
        return found

    @cached_property
    def _below_moved(self) -> set[Named]:
        """The classes that stand below one of the project's by the name that a library has for it."""
        found = (below for base, below in self._below_libraries.items() if not base[0].startswith(LIBRARY))
        return set().union(*found)


def _find_index(linkage: Linkage, meanings: Meanings) -> _Index:
    found = _Index({}, {}, {}, set())
    for path in linkage.deriving_paths:
        seen = meanings.seen(path)
        for head in seen.heads if seen is not None else ():
            for base in head.bases:
                _add(found, (path, head.name), meanings.of_base(path, base, is_inside=head.is_inside))
    return found


def _add(index: _Index, head: Named, meant: Meant) -> None:
    index.above.setdefault(head, set()).update(meant.classes)
    if meant.is_open:
        index.open_ones.add(head)
        return
    for each in meant.classes:
        index.below.setdefault(each, set()).add(head)
    for dotted in meant.foreign:
        index.below_foreign.setdefault(dotted, set()).add(head)
