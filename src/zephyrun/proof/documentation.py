"""Documentation that became another: no change of what a program does, unless something reads it.

The witnesses compare code without its documentation, where that differs; what is left is asked here.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from zephyrun.linking.documentation_readers import (
    RUN_EXAMPLE,
    reader_of_class,
    reader_of_function,
    reader_of_module,
)
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.values import Evaluator
from zephyrun.proof.named_constants import namespace_reservations
from zephyrun.proof.normal_form import Respelled, Version
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.rename_map import AlignedFile

_MODULE = -1
_NOTHING_KNOWN = "nothing is known of what reads the documentation"


class DocumentationDoubt(NamedTuple):
    """Why another documentation may be noticed, with the path in the old version and the lines of both;
    `is_lost` where it is not even known what became of it."""

    path: str
    old_line: int
    new_line: int
    what: str
    is_lost: bool = False


def documentation_doubts(
    before: Evaluator,
    files: Mapping[str, AlignedFile],
    respelled: Mapping[str, Respelled],
    surroundings: Mapping[str, Surroundings],
) -> Iterator[DocumentationDoubt]:
    """What may notice that documentation differs, each place at most once. All paths are those of the old
    version."""
    for path, aligned in files.items():
        old = Version(aligned.old).documentation()
        new = Version(aligned.new, respelled=respelled.get(path, {})).documentation()
        for start, (text, line) in old.items():
            image = start if start == _MODULE else aligned.alignment.image(start)
            if image is None or image not in new:
                yield DocumentationDoubt(path, line, 0, "what became of the documentation is not to be told", True)
                continue
            if new[image][0] == text:
                continue
            other, new_line = new[image]
            file = before.linkage.file(path)
            if RUN_EXAMPLE.search(text) or RUN_EXAMPLE.search(other):
                what = "the documentation holds examples, which may be run"
            else:
                what = _reader(before, file, start, surroundings) if file is not None else _NOTHING_KNOWN
            if what:
                yield DocumentationDoubt(path, line, new_line, what)


def _reader(
    before: Evaluator, file: LinkedFile, start: int, surroundings: Mapping[str, Surroundings]
) -> str:
    """What may read the documentation of what bears the name at an offset."""
    if start == _MODULE:
        return reader_of_module(before, file.path)
    for record in file.links.functions:
        if record.name_start == start:
            around = surroundings.get(file.path, Surroundings())
            is_walked = any(True for _ in namespace_reservations(file.source.text, file.facts, around))
            return reader_of_function(before, file.path, record, is_walked=is_walked)
    for owner in file.links.classes:
        if owner.name_start == start:
            return reader_of_class(before, file.path, owner)
    return _NOTHING_KNOWN
