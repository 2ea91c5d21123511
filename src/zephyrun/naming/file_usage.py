"""What the good names of one file are, and the features of the variables that bear them: its share of the
project's usage, small enough to be handed about and kept by the hundred thousand."""

from __future__ import annotations

import zlib
from array import array
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from zephyrun.facts import Context, FileFacts, Role
from zephyrun.naming.features import is_learned_from, keys_of
from zephyrun.naming.letters import skeleton, words_of
from zephyrun.naming.usage import ProjectUsage
from zephyrun.naming.words import is_readable, keeps_letters
from zephyrun.source import SourceText

_NUMBER = "I"
# Behind a first word: stands for all names of functions that begin with it.
ANY_SUCH = "_*"
# How many names, keys and short words there are.
_HEAD = 3
_QUICKLY = 1
# In the names of so many files, a short word is met by whoever works on a project.
_FILES_WITH_OWN_WORDS = 3


@dataclass(frozen=True)
class FileUsage:
    """What bears a name in a file: `keys` holds those of their features one variable after another, and
    `sizes` how many each has; `lines` is where each stands first, from 1. `short_words` are those words of names that
    other files can see which no reader knows by themselves."""

    names: tuple[str, ...]
    lines: array[int]
    sizes: array[int]
    keys: array[int]
    short_words: tuple[str, ...] = ()

    def variables(self) -> Iterator[tuple[str, int, array[int]]]:
        """Each variable: its name, its line, and the keys of its features."""
        first = 0
        for name, line, size in zip(self.names, self.lines, self.sizes, strict=True):
            yield name, line, self.keys[first : first + size]
            first += size

    def packed(self) -> bytes:
        """The same in few bytes."""
        names = "\n".join([*self.names, *self.short_words]).encode("utf-8", "surrogatepass")
        sizes = [len(self.names), len(self.keys), len(self.short_words)]
        numbers = array(_NUMBER, [*sizes, *self.lines, *self.sizes]) + self.keys
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
    n_names, n_keys, n_short = array(_NUMBER, data[: _HEAD * width])
    end = (_HEAD + 2 * n_names + n_keys) * width
    numbers = array(_NUMBER, data[_HEAD * width : end])
    texts = tuple(data[end:].decode("utf-8", "surrogatepass").split("\n")) if n_names + n_short else ()
    if len(texts) != n_names + n_short or len(numbers) != 2 * n_names + n_keys:
        raise ValueError("the parts of a usage do not fit each other")
    return FileUsage(
        texts[:n_names], numbers[:n_names], numbers[n_names : 2 * n_names], numbers[2 * n_names :], texts[n_names:]
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
    return FileUsage(tuple(names), lines, sizes, keys, tuple(sorted(_short_words(facts))))


def _short_words(facts: FileFacts) -> set[str]:
    shown = facts.attributes.union(*((each.name, *each.parameters) for each in facts.definitions))
    return {word for name in shown for word in words_of(name) if len(word) > 1 and not is_readable(word)}


class UsageOfFiles(ProjectUsage):
    """The usage of a project, of which rows are counted when somebody asks for them: few are ever asked for."""

    def __init__(self, files: Mapping[str, FileUsage]) -> None:
        """`files` are the usages of the project's files by path."""
        super().__init__()
        self._files = dict(sorted(files.items()))
        self._wanted: set[int] = set()
        self._short_words: Counter[str] = Counter()
        for usage in self._files.values():
            self.count_names(usage.names)
            self._short_words.update(usage.short_words)

    def is_own_word(self, word: str) -> bool:
        """Whether a short word is one of the project's own: in names all over it, and not short for another one."""
        return self._short_words[word] >= _FILES_WITH_OWN_WORDS and not self.is_short_for_another(word)

    def is_short_for_another(self, word: str) -> bool:
        """Whether a word has the first letters of a word of the project, or its consonants."""
        bones = skeleton(word)
        return any(
            (full.startswith(word) or (skeleton(full) == bones and keeps_letters(word, full)))
            and full != word
            and is_readable(full)
            for full in self.words_by_initial.get(word[0], ())
        )

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
