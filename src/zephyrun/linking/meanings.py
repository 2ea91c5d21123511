"""What names mean in a project, told without reading its files whole (`class_heads.py`): more, perhaps, and never less."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.link_facts import BoundNames, ClassHeads, Dotted, WrittenBase
from zephyrun.linking.class_heads import class_heads_in
from zephyrun.linking.linkage import Linkage

# A class, or a name of a module, by its file.
Named = tuple[str, str]


class Meant(NamedTuple):
    """What a name may mean: classes of the project, modules of it, things of libraries, what names of modules mean, and,
    with `is_open`, any class."""

    classes: frozenset[Named] = frozenset()
    modules: frozenset[str] = frozenset()
    foreign: frozenset[str] = frozenset()
    names: frozenset[Named] = frozenset()
    is_open: bool = False


OPEN = Meant(is_open=True)
NOTHING = Meant()


class Meanings:
    """What names of one version of a project mean."""

    def __init__(self, linkage: Linkage) -> None:
        self._linkage = linkage
        self._direct: dict[Named, Meant] = {}
        # Names behind dots of which is asked what they mean.
        self._asked: set[tuple[str, WrittenBase]] = set()

    def seen(self, path: str) -> ClassHeads | None:
        """What the heads of a file's classes name, and what its names are; `None` where it cannot be read."""
        data = self._linkage.contents.get(path)
        return class_heads_in(data) if isinstance(data, bytes) else None

    def of_base(self, path: str, base: WrittenBase, *, is_inside: bool) -> Meant:
        """What a base may be at most."""
        meant = self.of_words(path, base.words, is_inside=is_inside) if base.words else OPEN
        if base.title and not (meant.is_open or meant.classes):
            return meant._replace(classes=frozenset({(path, base.title)}))
        return OPEN if base.title else meant

    def of_words(self, path: str, words: Dotted, *, is_inside: bool) -> Meant:
        """What a dotted name means in a module, or, with `is_inside`, in a scope in it."""
        seen = self.seen(path)
        assert seen is not None, "it has heads"
        inside = self._bound(path, words[0], seen.inside) if is_inside else NOTHING
        return self.behind(path, union([inside, Meant(names=frozenset({(path, words[0])}))]), words[1:])

    def behind(self, path: str, first: Meant, words: Dotted) -> Meant:
        """What the last of some words means that stand behind the dots of something."""
        meant = self.followed(first)
        for word in words:
            members = [self.of_member(path, dotted, word) for dotted in meant.modules]
            foreign = frozenset(f"{dotted}.{word}" for dotted in meant.foreign)
            # What stands in a class is told by more than names.
            is_open = meant.is_open or bool(meant.classes)
            meant = self.followed(union([*members, Meant(foreign=foreign, is_open=is_open)]))
        return meant

    def followed(self, meant: Meant) -> Meant:
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
        return union(found)

    def _of_name(self, path: str, name: str) -> Meant:
        """What binds a name of a module, or gives it a value from elsewhere."""
        seen = self.seen(path)
        if seen is None:
            return NOTHING
        bound = self._bound(path, name, seen.of_module)
        names = seen.of_module.names.get(name, ())
        is_bound = bound != NOTHING or name in seen.of_module.plain
        is_set = bool(is_bound or names) and bool(self._linkage.paths_writing_to_others(name))
        if is_bound or is_set:
            return union([bound, self._renamed(path, names), *([OPEN] if is_set else [])])
        stars = [self.of_member(path, self._linkage.own_name(self._linkage.absolute(path, star), path), name) for star in seen.stars]
        builtin = Meant(foreign=frozenset({f"builtins.{name}"} if name in BUILTINS else ()))
        return union([builtin, *stars, self._renamed(path, names)])

    def _renamed(self, path: str, names: Iterable[WrittenBase]) -> Meant:
        """What the names of a module mean that others were given (`Home = yard.Hive`)."""
        found = [Meant(names=frozenset((path, each.words[0]) for each in names if len(each.words) == 1 and not each.title))]
        for each in names:
            if (path, each) in self._asked:
                found.append(OPEN)
            elif len(each.words) > 1 or each.title:
                self._asked.add((path, each))
                found.append(self.of_base(path, each, is_inside=False))
                self._asked.discard((path, each))
        return union(found)

    def _bound(self, path: str, name: str, names: BoundNames) -> Meant:
        """What the names that are bound in some scopes of a file mean."""
        found = [self.of_import(path, *each) for each in names.imports.get(name, ())]
        if name in names.classes:
            found.append(Meant(classes=frozenset({(path, name)})))
        if name in names.others:
            found.append(OPEN)
        return union(found)

    def of_import(self, path: str, module: str, member: str) -> Meant:
        dotted = self._linkage.own_name(self._linkage.absolute(path, module), path)
        return self.of_member(path, dotted, member) if member else self._of_module(dotted)

    def _of_module(self, dotted: str) -> Meant:
        """What the absolute name of a module means."""
        found = frozenset({dotted})
        return Meant(modules=found) if self._linkage.is_package(dotted) else Meant(foreign=found)

    def of_member(self, path: str, dotted: str, name: str) -> Meant:
        """What stands in a module under a name, as a file would find it."""
        inner = f"{dotted}.{name}" if dotted else name
        there = self._linkage.find_module(dotted, path)
        names = Meant(names=frozenset({(there, name)} if there is not None else ()))
        if self._linkage.is_package(inner):
            return names._replace(modules=frozenset({inner}))
        is_foreign = there is None and not self._linkage.is_package(dotted)
        return names._replace(foreign=frozenset({inner} if is_foreign else ()))


def union(meanings: Iterable[Meant]) -> Meant:
    # Most names mean one thing.
    some = [each for each in meanings if each != NOTHING]
    if len(some) <= 1:
        return some[0] if some else NOTHING
    classes, modules, foreign, names = (frozenset[Any]().union(*sets) for sets in zip(*(each[:-1] for each in some), strict=True))
    return Meant(classes, modules, foreign, names, any(each.is_open for each in some))
