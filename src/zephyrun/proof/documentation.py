"""Documentation and annotations that became others: no change of what a program does, unless something reads them.

The witnesses compare code without them, where they differ; what is left is asked here.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterator, Mapping
from functools import cached_property
from typing import NamedTuple

from zephyrun.facts import FileFacts
from zephyrun.linking.documentation_readers import (
    ANNOTATIONS,
    DOCUMENTATION,
    RUN_EXAMPLE,
    Reading,
    reader_of_class,
    reader_of_function,
    reader_of_module,
)
from zephyrun.linking.values import Evaluator
from zephyrun.proof.named_constants import namespace_reservations
from zephyrun.proof.normal_form import Respelled, Version
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.rename_map import AlignedFile

_MODULE = -1
_NOTHING_KNOWN = "nothing is known of what reads it"


class ReaderDoubt(NamedTuple):
    """Why another documentation or annotation may be noticed, with the path in the old version and the lines of both;
    `is_lost` where it is not even known what became of it."""

    path: str
    old_line: int
    new_line: int
    what: str
    is_lost: bool = False


def reader_doubts(
    before: Evaluator,
    files: Mapping[str, AlignedFile],
    respelled: Mapping[str, Respelled],
    surroundings: Mapping[str, Surroundings],
    reading: Reading,
) -> Iterator[ReaderDoubt]:
    """What may notice that documentation differs, or annotations, each place at most once. All paths are those of the
    old version."""
    for path, aligned in files.items():
        versions = Version(aligned.old), Version(aligned.new, respelled=respelled.get(path, {}))
        old, new = (
            each.annotations() if reading is ANNOTATIONS else each.documentation() for each in versions
        )
        reader = _Reader(before, path, surroundings, reading)
        images = _Images(aligned, respelled.get(path, {}))
        for start, text, other, lines in _pairs(images, old, new):
            is_run = reading is DOCUMENTATION and any(RUN_EXAMPLE.search(str(each)) for each in (text, other))
            if other is None:
                yield ReaderDoubt(path, *lines, f"what became of the {reading.called} is not to be told", True)
            elif is_run:
                yield ReaderDoubt(path, *lines, "the documentation holds examples, which may be run")
            elif what := reader.of(start):
                yield ReaderDoubt(path, *lines, what)


class _Images:
    """Tells where a definition of the old version is in the new one."""

    def __init__(self, aligned: AlignedFile, respelled: Respelled) -> None:
        self._aligned = aligned
        self._respelled = respelled

    def image(self, start: int) -> int | None:
        """Where its name stands there; `None` where that is not to be told. One that is in another place, and has other
        statements, is still the only one that is called so."""
        if start == _MODULE:
            return start
        image = self._aligned.alignment.image(start)
        if image is None and (name := self._names[0].get(start)) is not None:
            found = [each for each, other in self._names[1].items() if other == name]
            image = found[0] if found and found[0] not in self._respelled else None
        return image

    @cached_property
    def _names(self) -> tuple[dict[int, str], ...]:
        """The dotted names that one definition alone has, in the old version and in the new one."""
        return _names_of_one(self._aligned.old.facts), _names_of_one(self._aligned.new.facts)


def _names_of_one(facts: FileFacts) -> dict[int, str]:
    names = {each.name_start: f"{facts.dotted(each.scope)}.{each.name}" for each in facts.definitions}
    n_met = Counter(names.values())
    return {start: name for start, name in names.items() if n_met[name] == 1}


def _pairs(
    images: _Images, old: Mapping[int, tuple[Hashable, int]], new: Mapping[int, tuple[Hashable, int]]
) -> Iterator[tuple[int, Hashable, Hashable | None, tuple[int, int]]]:
    """What differs between two versions, by where it is in the old one: what there was, what there is now (`None`
    where that is not to be told), and the lines of both."""
    for start, (before, line) in old.items():
        image = images.image(start)
        if image is None or image not in new:
            yield start, before, None, (line, 0)
        elif new[image][0] != before:
            yield start, before, new[image][0], (line, new[image][1])


class _Reader(NamedTuple):
    """Finds what may read something off the definitions of one file."""

    before: Evaluator
    path: str
    surroundings: Mapping[str, Surroundings]
    reading: Reading

    def of(self, start: int) -> str:
        """What may read it of what bears the name at an offset; "" for nothing."""
        file = self.before.linkage.file(self.path)
        if file is None:
            return _NOTHING_KNOWN
        around = self.surroundings.get(self.path, Surroundings())
        walkers = namespace_reservations(file.source.text, file.facts, around)
        if start == _MODULE and self.reading is ANNOTATIONS:
            # The module has one name more if there are any.
            return next((each.what for each in walkers), "") or reader_of_module(self.before, self.path, self.reading)
        if start == _MODULE:
            return reader_of_module(self.before, self.path, self.reading)
        for record in file.links.functions:
            if record.name_start == start:
                is_walked = any(True for _ in walkers)
                return reader_of_function(self.before, self.path, record, self.reading, is_walked=is_walked)
        for owner in file.links.classes:
            if owner.name_start == start:
                return reader_of_class(self.before, self.path, owner)
        return _NOTHING_KNOWN
