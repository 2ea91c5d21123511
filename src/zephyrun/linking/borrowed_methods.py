"""Methods that are taken from their class and called with something else (`Hive.weigh(box)`): what they are called on need
not be one of their own."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import TYPE_CHECKING

from zephyrun.link_facts import Dotted, MemberTaken, Origin, OriginSort
from zephyrun.linking.kept_answers import kept_property
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.meanings import Named
from zephyrun.linking.value_sorts import ClassKey, Value, ValueSort

if TYPE_CHECKING:
    from zephyrun.linking.values import Evaluator


# Answers, written as values: whoever knows nothing says yes.
_YES = frozenset({Value(ValueSort.UNKNOWN)})
_NO = frozenset({Value(ValueSort.PLAIN, name="bool")})


class BorrowedMethods:
    """The methods of one version of a project that are called with more than their own instances."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self._meanings = evaluator.meanings
        self.kept = evaluator.linkage.kept
        self._taken_by_path: dict[str, list[int]] = {}
        self._may_have_borrowed: dict[str, bool] = {}

    def is_borrowed(self, file: LinkedFile, index: int) -> bool:
        """Whether a method may be called on something that is no instance of its class."""
        record = file.links.functions[index]
        if not file.is_own or record.owner < 0:
            return False
        key = file.path, index
        # It may be asked once more on the way: as long as nothing else shows, it is called on nothing else by that.
        found = self._evaluator.answers.all_of(("borrowed", key), lambda: _YES if self._find_whether_borrowed(file, index) else _NO)
        return bool(found - _NO)

    def _find_whether_borrowed(self, file: LinkedFile, index: int) -> bool:
        record = file.links.functions[index]
        name = file.links.classes[record.owner].name
        taken = self._taken_of(record.name).get((file.path, name), ())
        return any(self._is_of_others(path, each, (file.path, record.owner)) for path, each in taken)

    def paths_writing(self, name: str) -> list[str]:
        """The files in which a borrowed method may give what it is called on an attribute of that name."""
        return [path for path in self._evaluator.linkage.paths_writing(name) if self._has_borrowed(path)]

    def _has_borrowed(self, path: str) -> bool:
        if path not in self._may_have_borrowed:
            seen = self._meanings.seen(path)
            self._may_have_borrowed[path] = seen is not None and any(
                (path, title) in self._taken_of(name)
                for title, names in seen.methods.items()
                for name in names
            )
        file = self._evaluator.linkage.file(path) if self._may_have_borrowed[path] else None
        return file is not None and any(self.is_borrowed(file, index) for index in self._methods_taken(file))

    def _methods_taken(self, file: LinkedFile) -> list[int]:
        """The functions of a file that something takes from their class."""
        if file.path not in self._taken_by_path:
            self._taken_by_path[file.path] = [
                index
                for index, record in enumerate(file.links.functions)
                if record.owner >= 0 and (file.path, file.links.classes[record.owner].name) in self._taken_of(record.name)
            ]
        return self._taken_by_path[file.path]

    def _is_of_others(self, path: str, taken: MemberTaken, key: tuple[str, int]) -> bool:
        """Whether what takes a method from a class calls it on anything but instances of that."""
        if taken.is_example or taken.is_by_text:
            return True
        file = self._evaluator.linkage.file(path)
        if file is None:
            return False
        if not taken.within:
            return not self._is_called_on_instances(file, taken, key)
        owners = [number for number, record in enumerate(file.links.classes) if record.name == taken.within]
        return not owners or not all(key in self._evaluator.above((path, number)) for number in owners)

    def _is_called_on_instances(self, file: LinkedFile, taken: MemberTaken, key: ClassKey) -> bool:
        """Whether all that a file takes so is called there, on what is surely of the class."""
        if not taken.owner:
            return False
        uses = [use for use in file.links.attributes_by_name.get(taken.name, ()) if use.receiver.name == taken.owner[-1]]
        return all(use.end in file.links.called for use in uses) and all(
            self._is_instance(file, handed.value, key)
            for handed in file.links.handed
            if handed.position == 0 and handed.callee.name == taken.name and _receiver_word(handed.callee) == taken.owner[-1]
        )

    def _is_instance(self, file: LinkedFile, origin: Origin, key: ClassKey) -> bool:
        """Whether a value is made on the spot, or a variable that only holds such ones: more is not asked, since that may
        depend on what methods call their own."""
        if origin.sort is OriginSort.NAME:
            sources = file.links.sources.get(origin.binding, ())
            made = (each.sort in (OriginSort.CALL, OriginSort.OWN) and self._is_instance(file, each, key) for each in sources)
            return bool(sources) and all(made)
        if origin.sort is not OriginSort.CALL or origin.parts[0].sort not in (OriginSort.NAME, OriginSort.ATTRIBUTE):
            return origin.sort is OriginSort.OWN and key in self._evaluator.above((file.path, origin.binding))
        values = self._evaluator.values(file, origin.parts[0])
        return all(
            value.sort is ValueSort.CLASS and key in self._evaluator.above((value.path, value.number)) for value in values
        )

    def _taken_of(self, name: str) -> dict[Named, list[tuple[str, MemberTaken]]]:
        """What takes a method of that name, and where, for each class by file and name."""
        return self._all_taken.get(name, {})

    @kept_property
    def _all_taken(self) -> dict[str, dict[Named, list[tuple[str, MemberTaken]]]]:
        found: dict[str, dict[Named, list[tuple[str, MemberTaken]]]] = {}
        for path, uses in self._evaluator.modules_about.uses.items():
            for taken in uses.taken:
                for owner in self._owners(path, taken):
                    found.setdefault(taken.name, {}).setdefault(owner, []).append((path, taken))
        return found

    @cached_property
    def _classes_with(self) -> dict[str, list[Named]]:
        """The classes that define a method of each name."""
        found: dict[str, list[Named]] = {}
        for path in self._evaluator.linkage.paths:
            seen = self._meanings.seen(path)
            for title, names in seen.methods.items() if seen is not None else ():
                for name in names:
                    found.setdefault(name, []).append((path, title))
        return found

    def _owners(self, path: str, taken: MemberTaken) -> Iterator[Named]:
        """The classes that a method may be of which is taken from a dotted name: the nearest that have it."""
        if not taken.owner:
            yield from self._classes_with.get(taken.name, ())
            return
        is_read = self._meanings.seen(path) is not None
        named = self._meanings.of_words(path, taken.owner, is_inside=False).classes if is_read else frozenset[Named]()
        rest = list(named | self._imported_inside(path, taken.owner))
        for each in rest:
            seen = self._meanings.seen(each[0])
            if seen is not None and taken.name in seen.methods.get(each[1], ()):
                yield each
            else:
                rest += [base for base in self._evaluator.bases_by_name(each) if base not in rest]

    def _imported_inside(self, path: str, owner: Dotted) -> set[Named]:
        """The classes that a dotted name may mean by the imports of functions and the like."""
        found = (
            self._meanings.behind(path, self._meanings.of_import(path, module, member), owner[1:])
            for name, module, member in self._evaluator.modules_about.uses[path].imports
            if name == owner[0]
        )
        return set[Named]().union(*(meant.classes for meant in found))


def _receiver_word(callee: Origin) -> str:
    return callee.parts[0].name if callee.sort is OriginSort.ATTRIBUTE else ""
