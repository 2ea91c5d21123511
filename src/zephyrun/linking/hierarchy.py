"""Which classes of a project stand directly below a class.

Any name may stand for a class, so the bases of every class would have to be known. Most are plain names, though, and
what these may mean is told by the names that files bind (`class_heads.py`), without reading these. Only where that tells nothing
the class is asked for its bases.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.link_facts import BoundNames, ClassHeads, Dotted, WrittenBase
from zephyrun.linking.class_heads import class_heads_in
from zephyrun.linking.linkage import LIBRARY, Linkage
from zephyrun.linking.value_sorts import ClassKey

if TYPE_CHECKING:
    from zephyrun.linking.values import Evaluator

# How often the classes below others are found anew, where that depends on itself.
_MOST_PASSES = 3
# A class by its file and name.
_Named = tuple[str, str]


class _Meant(NamedTuple):
    """What a name may mean: classes of the project, modules of it, things of libraries, what names of modules mean, and,
    with `is_open`, any class."""

    classes: frozenset[_Named] = frozenset()
    modules: frozenset[str] = frozenset()
    foreign: frozenset[str] = frozenset()
    names: frozenset[_Named] = frozenset()
    is_open: bool = False


_OPEN = _Meant(is_open=True)
_NOTHING = _Meant()


class Hierarchy:
    """The classes below others in one version of a project."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
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

    def _classes_called(self, named: Iterable[_Named]) -> Iterator[ClassKey]:
        """The classes with bases of some names."""
        by_path: dict[str, set[str]] = {}
        for path, name in named:
            by_path.setdefault(path, set()).add(name)
        for path, names in sorted(by_path.items()):
            file = self._evaluator.linkage.file(path)
            for number, record in enumerate(file.links.classes if file is not None else ()):
                if record.name in names and record.bases:
                    yield path, number

    @cached_property
    def _index(self) -> _Index:
        return _Index(self._evaluator.linkage)

    @cached_property
    def _below_libraries(self) -> dict[ClassKey, set[_Named]]:
        """The classes that may stand directly below those of libraries."""
        found: dict[ClassKey, set[_Named]] = {}
        for dotted, below in self._index.below_foreign.items():
            if (base := self._evaluator.library_class(dotted)) is not None:
                found.setdefault(base, set()).update(below)
        return found

    @cached_property
    def _below_moved(self) -> set[_Named]:
        """The classes that stand below one of the project's by the name that a library has for it."""
        found = (below for base, below in self._below_libraries.items() if not base[0].startswith(LIBRARY))
        return set().union(*found)


class _Index:
    """The classes of a project by what stands in their heads."""

    def __init__(self, linkage: Linkage) -> None:
        self._linkage = linkage
        self.below: dict[_Named, set[_Named]] = {}
        self.below_foreign: dict[str, set[_Named]] = {}
        self.open_ones: set[_Named] = set()
        self._direct: dict[_Named, _Meant] = {}
        # Names behind dots of which is asked what they mean.
        self._asked: set[tuple[str, WrittenBase]] = set()
        for path in linkage.deriving_paths:
            seen = self._seen(path)
            for head in seen.heads if seen is not None else ():
                for base in head.bases:
                    self._add((path, head.name), self._meant_by(path, base, is_inside=head.is_inside))

    def _add(self, head: _Named, meant: _Meant) -> None:
        for each in meant.classes:
            self.below.setdefault(each, set()).add(head)
        for dotted in meant.foreign:
            self.below_foreign.setdefault(dotted, set()).add(head)
        if meant.is_open:
            self.open_ones.add(head)

    def _seen(self, path: str) -> ClassHeads | None:
        data = self._linkage.contents.get(path)
        return class_heads_in(data) if isinstance(data, bytes) else None

    def _meant_by(self, path: str, base: WrittenBase, *, is_inside: bool) -> _Meant:
        """What a base may be at most."""
        meant = self._meant_by_words(path, base.words, is_inside=is_inside) if base.words else _OPEN
        if base.title and not (meant.is_open or meant.classes):
            return meant._replace(classes=frozenset({(path, base.title)}))
        return _OPEN if base.title else meant

    def _meant_by_words(self, path: str, words: Dotted, *, is_inside: bool) -> _Meant:
        seen = self._seen(path)
        assert seen is not None, "it has heads"
        inside = self._bound(path, words[0], seen.inside) if is_inside else _NOTHING
        meant = self._followed(_union([inside, _Meant(names=frozenset({(path, words[0])}))]))
        for word in words[1:]:
            members = [self._of_member(path, dotted, word) for dotted in meant.modules]
            foreign = frozenset(f"{dotted}.{word}" for dotted in meant.foreign)
            # What stands in a class is told by more than names.
            is_open = meant.is_open or bool(meant.classes)
            meant = self._followed(_union([*members, _Meant(foreign=foreign, is_open=is_open)]))
        return meant

    def _followed(self, meant: _Meant) -> _Meant:
        """The same, with what names of modules mean, which may lead to each other."""
        rest, met = list(meant.names), set(meant.names)
        found = [meant._replace(names=frozenset())]
        for each in rest:
            if each not in self._direct:
                self._direct[each] = self._of_name(*each)
            there = self._direct[each]
            found.append(there._replace(names=frozenset()))
            rest += there.names - met
            met |= there.names
        return _union(found)

    def _of_name(self, path: str, name: str) -> _Meant:
        """What binds a name of a module, or gives it a value from elsewhere."""
        seen = self._seen(path)
        if seen is None:
            return _NOTHING
        bound = self._bound(path, name, seen.of_module)
        names = seen.of_module.names.get(name, ())
        is_bound = bound != _NOTHING or name in seen.of_module.plain
        if (is_bound or names) and self._linkage.paths_writing_to_others(name):
            return _OPEN
        if is_bound:
            return _union([bound, self._renamed(path, names)])
        stars = [self._of_member(path, self._linkage.absolute(path, star), name) for star in seen.stars]
        builtin = _Meant(foreign=frozenset({f"builtins.{name}"} if name in BUILTINS else ()))
        return _union([builtin, *stars, self._renamed(path, names)])

    def _renamed(self, path: str, names: Iterable[WrittenBase]) -> _Meant:
        """What the names of a module mean that others were given (`Home = yard.Hive`)."""
        found = [_Meant(names=frozenset((path, each.words[0]) for each in names if len(each.words) == 1 and not each.title))]
        for each in names:
            if (path, each) in self._asked:
                found.append(_OPEN)
            elif len(each.words) > 1 or each.title:
                self._asked.add((path, each))
                found.append(self._meant_by(path, each, is_inside=False))
                self._asked.discard((path, each))
        return _union(found)

    def _bound(self, path: str, name: str, names: BoundNames) -> _Meant:
        """What the names that are bound in some scopes of a file mean."""
        found = [self._imported(path, *each) for each in names.imports.get(name, ())]
        if name in names.classes:
            found.append(_Meant(classes=frozenset({(path, name)})))
        if name in names.others:
            found.append(_OPEN)
        return _union(found)

    def _imported(self, path: str, module: str, member: str) -> _Meant:
        dotted = self._linkage.absolute(path, module)
        return self._of_member(path, dotted, member) if member else self._of_module(dotted)

    def _of_module(self, dotted: str) -> _Meant:
        """What the absolute name of a module means."""
        found = frozenset({dotted})
        return _Meant(modules=found) if self._linkage.is_package(dotted) else _Meant(foreign=found)

    def _of_member(self, path: str, dotted: str, name: str) -> _Meant:
        """What stands in a module under a name, as a file would find it."""
        inner = f"{dotted}.{name}" if dotted else name
        there = self._linkage.find_module(dotted, path)
        names = _Meant(names=frozenset({(there, name)} if there is not None else ()))
        if self._linkage.is_package(inner):
            return names._replace(modules=frozenset({inner}))
        is_foreign = there is None and not self._linkage.is_package(dotted)
        return names._replace(foreign=frozenset({inner} if is_foreign else ()))


def _union(meanings: Iterable[_Meant]) -> _Meant:
    # Most names mean one thing.
    some = [each for each in meanings if each != _NOTHING]
    if len(some) <= 1:
        return some[0] if some else _NOTHING
    classes, modules, foreign, names = (frozenset[Any]().union(*sets) for sets in zip(*(each[:-1] for each in some), strict=True))
    return _Meant(classes, modules, foreign, names, any(each.is_open for each in some))
