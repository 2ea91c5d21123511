"""What the good names of one file are, and the features of the variables that bear them: its share of the
project's usage, small enough to be handed about and kept by the hundred thousand."""

from __future__ import annotations

import zlib
from array import array
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from zephyrun.facts import Context, FileFacts, Role
from zephyrun.naming.features import is_learned_from, keys_of
from zephyrun.naming.usage import ProjectUsage
from zephyrun.source import SourceText

_NUMBER = "I"
# Behind a first word: stands for all names of functions that begin with it.
ANY_SUCH = "_*"
_QUICKLY = 1


@dataclass(frozen=True)
class FileUsage:
    """What bears a name in a file: `keys` holds those of their features one variable after another, and
    `sizes` how many each has; `lines` is where each stands first, from 1."""

    names: tuple[str, ...]
    lines: array[int]
    sizes: array[int]
    keys: array[int]

    def variables(self) -> Iterator[tuple[str, int, array[int]]]:
        """Each variable: its name, its line, and the keys of its features."""
        first = 0
        for name, line, size in zip(self.names, self.lines, self.sizes, strict=True):
            yield name, line, self.keys[first : first + size]
            first += size

    def packed(self) -> bytes:
        """The same in few bytes."""
        names = "\n".join(self.names).encode("utf-8", "surrogatepass")
        numbers = array(_NUMBER, [len(self.names), len(self.keys), *self.lines, *self.sizes]) + self.keys
        return zlib.compress(numbers.tobytes() + names, _QUICKLY)


def unpacked(packed: bytes) -> FileUsage:
    """A file's usage out of its bytes. Errors: `ValueError` where these are none."""
    stream = zlib.decompressobj()
    try:
        data = stream.decompress(packed)
    except (zlib.error, TypeError) as problem:
        raise ValueError(str(problem)) from problem
    if not stream.eof or stream.unused_data:
        raise ValueError("a usage ends where its bytes do")
    width = array(_NUMBER).itemsize
    head = array(_NUMBER, data[: 2 * width])
    n_names, n_keys = head
    end = (2 + 2 * n_names + n_keys) * width
    numbers = array(_NUMBER, data[2 * width : end])
    names = tuple(data[end:].decode("utf-8", "surrogatepass").split("\n")) if n_names else ()
    if len(names) != n_names or len(numbers) != 2 * n_names + n_keys:
        raise ValueError("the parts of a usage do not fit each other")
    return FileUsage(
        names, numbers[:n_names], numbers[n_names : 2 * n_names], numbers[2 * n_names :]
    )


def names_counted(name: str, *, is_function: bool) -> tuple[str, ...]:
    """What a name is counted as: that of a function also as any that begins with its first word."""
    plain = name.strip("_")
    first, separator, _ = plain.partition("_")
    return (plain, first + ANY_SUCH) if is_function and separator else (plain,)


def usage_of(
    source: SourceText, facts: FileFacts, contexts: Mapping[int, Sequence[Context]]
) -> FileUsage:
    """The usage of one file; `contexts` are those of each variable."""
    good = {each for each in range(len(facts.bindings)) if is_learned_from(facts, each)}
    names, lines, sizes, keys = [], array(_NUMBER), array(_NUMBER), array(_NUMBER)
    for binding in sorted(good):
        record = facts.bindings[binding]
        own = keys_of(facts, binding, contexts.get(binding, ()), good.__contains__)
        line = source.line_of(facts.references[record.references[0]].start)
        for name in names_counted(record.name, is_function=Role.FUNCTION in facts.roles(binding)):
            names.append(name)
            lines.append(line)
            sizes.append(len(own))
            keys.extend(own)
    return FileUsage(tuple(names), lines, sizes, keys)


class UsageOfFiles(ProjectUsage):
    """The usage of a project, of which rows are counted when somebody asks for them: few are ever asked for."""

    def __init__(self, files: Mapping[str, FileUsage]) -> None:
        """`files` are the usages of the project's files by path."""
        super().__init__()
        self._files = dict(sorted(files.items()))
        self._wanted: set[int] = set()
        for usage in self._files.values():
            self.count_names(usage.names)

    def want(self, keys: Iterable[int]) -> None:
        """Count the rows of these keys, but for those that are counted already."""
        new = set(keys) - self._wanted
        if not new:
            return
        self._wanted |= new
        for path, usage in self._files.items():
            for name, line, own in usage.variables():
                for key in new.intersection(own):
                    self.count_feature(key, name, (path, line))
