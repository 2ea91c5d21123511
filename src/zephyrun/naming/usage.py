"""Tables of usage: for each feature, what variables that have it are called.

One table is shipped with the tool and read by memory map; the other is counted from the project that is
looked at. Both answer the same two questions: the row of a feature, and how common a name is.
"""

from __future__ import annotations

import mmap
import struct
import sys
from array import array
from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping
from functools import cached_property, lru_cache
from heapq import nsmallest
from math import log
from pathlib import Path
from typing import Final, NamedTuple, Protocol

from zephyrun.naming.letters import words_of

_MAGIC = b"zephyrun usage 1\n"
_HEADER = struct.Struct("<5I")
_NUMBER: Final = "I"
_NUMBER_BYTES = 4
_COUNT_BITS = 12
_LARGEST_COUNT = 2**_COUNT_BITS - 1
# Counts are kept in eighths, since those of a package are damped by their square root.
_SHARES_OF_A_COUNT = 8
_KEPT_ROWS = 4096
# So many names of a row are told; what is called in more ways says little.
_NAMES_TOLD = 20
# Rarer counts than this say little: counts are taken as if so many more variables bore common names.
_SMOOTHING = 3.0
_HIGHEST_INFORMATION = 8.0
_UNSEEN = 0.5


class Row(NamedTuple):
    """What variables with one feature are called: each name with its count, and the sum of all counts,
    those of names that were left out included."""

    total: float
    names: Mapping[str, float]


EMPTY_ROW = Row(0.0, {})


class Told(NamedTuple):
    """What a row tells of one name: how much likelier the feature makes it (the logarithm, above 0), its share of
    the row, and in how many places it is."""

    information: float
    share: float
    places: float


class Usage(Protocol):
    """A table of usage."""

    def row(self, key: int) -> Row:
        """The row of a feature's key; one without names where the feature was not seen."""

    def telling(self, key: int) -> Mapping[str, Told]:
        """What the row of a feature's key tells, of the names that are the commonest there."""

    def share(self, name: str) -> float:
        """The share of all variables that bear a name, more than 0 for any name."""

    @property
    def words_by_initial(self) -> Mapping[str, Mapping[str, float]]:
        """The words of all names by their first letters, each with how common it is, from 0 to 1."""

    def has(self, name: str) -> bool:
        """Whether any variable bears a name."""


def telling_of(row: Row, share: Callable[[str], float]) -> dict[str, Told]:
    """What a row tells of its commonest names, given the share of all variables that bear a name."""
    found = {}
    names = row.names
    if len(names) > _NAMES_TOLD:
        names = dict(nsmallest(_NAMES_TOLD, names.items(), key=lambda item: (-item[1], item[0])))
    for name, count in names.items():
        usual = share(name)
        information = log((count + _SMOOTHING * usual) / ((row.total + _SMOOTHING) * usual))
        if information > 0:
            found[name] = Told(min(information, _HIGHEST_INFORMATION), count / row.total, count)
    return found


def words_in(names: Mapping[str, float]) -> dict[str, float]:
    """The words of names that are there so often, each with how often it is."""
    counts: defaultdict[str, float] = defaultdict(float)
    for name, count in names.items():
        for word in words_of(name):
            if len(word) > 1:
                counts[word] += count
    return counts


def how_common(counts: Mapping[str, float]) -> dict[str, dict[str, float]]:
    """How common words are that are there so often, from 0 to 1, by their first letters."""
    highest = log(1 + max(counts.values(), default=1))
    found: defaultdict[str, dict[str, float]] = defaultdict(dict)
    for word, count in counts.items():
        found[word[0]][word] = log(1 + count) / highest
    return dict(found)


class ShippedUsage:
    """The usage of other people's code, in arrays that lie in a file."""

    def __init__(self, path: Path) -> None:
        """Errors: `OSError`; `ValueError` where the file is no table of usage."""
        with path.open("rb") as file:
            self._data = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))
        if bytes(self._data[: len(_MAGIC)]) != _MAGIC:
            raise ValueError(f"{path} is no table of usage")
        place = len(_MAGIC)
        n_rows, n_entries, n_names, n_name_bytes, n_about = _HEADER.unpack_from(self._data, place)
        place += _HEADER.size
        parts = []
        for length in (n_rows, n_rows + 1, n_rows, n_entries, n_names, n_names + 1):
            parts.append(_numbers(self._data[place : place + length * _NUMBER_BYTES]))
            place += length * _NUMBER_BYTES
        self._keys, self._starts, self.totals, self._entries, self._counts, self._name_starts = parts
        self._names = self._data[place : place + n_name_bytes]
        self.about = bytes(self._data[place + n_name_bytes : place + n_name_bytes + n_about]).decode()
        self.telling = lru_cache(_KEPT_ROWS)(self._telling)

    def _telling(self, key: int) -> Mapping[str, Told]:
        return telling_of(self.row(key), self.share)

    def row(self, key: int) -> Row:
        """The row of a feature's key; one without names where the feature was not seen."""
        index = bisect_left(self._keys, key)
        if index == len(self._keys) or self._keys[index] != key:
            return EMPTY_ROW
        names = {}
        for entry in self._entries[self._starts[index] : self._starts[index + 1]]:
            count = (entry & _LARGEST_COUNT) / _SHARES_OF_A_COUNT
            names[self._name(entry >> _COUNT_BITS)] = count
        return Row(self.totals[index] / _SHARES_OF_A_COUNT, names)

    def _name(self, number: int) -> str:
        return bytes(self._names[self._name_starts[number] : self._name_starts[number + 1]]).decode()

    def share(self, name: str) -> float:
        """The share of all variables that bear a name; half of the rarest one for a name that is not there."""
        return self._shares.get(name, self._least_share)

    def has(self, name: str) -> bool:
        """Whether any variable bears a name."""
        return name in self._shares

    @cached_property
    def names(self) -> Mapping[str, float]:
        """All names, with their counts."""
        n_names = len(self._counts)
        return {self._name(number): self._counts[number] / _SHARES_OF_A_COUNT for number in range(n_names)}

    @cached_property
    def words_by_initial(self) -> Mapping[str, Mapping[str, float]]:
        """The words of all names by their first letters, each with how common it is, from 0 to 1."""
        return how_common(words_in(self.names))

    @cached_property
    def _shares(self) -> dict[str, float]:
        total = sum(self.names.values())
        return {name: count / total for name, count in self.names.items()}

    @cached_property
    def _least_share(self) -> float:
        return min(self._shares.values(), default=1.0) / 2


def _numbers(data: memoryview) -> memoryview:
    if sys.byteorder == "little":
        return data.cast(_NUMBER)
    turned = array(_NUMBER, bytes(data))
    turned.byteswap()
    return memoryview(turned)


@lru_cache(1)
def shipped_usage() -> ShippedUsage:
    """The table that comes with the tool."""
    return ShippedUsage(Path(__file__).parent / "data" / "usage.table")


def write_table(
    path: Path, rows: Mapping[int, Row], names: Mapping[str, float], about: str
) -> None:
    """Write a table of usage. Names of rows that are not among `names` are left out, but count."""
    numbers = {name: number for number, name in enumerate(sorted(names))}
    keys, starts, totals, entries = array(_NUMBER), array(_NUMBER, [0]), array(_NUMBER), array(_NUMBER)
    for key in sorted(rows):
        row = rows[key]
        keys.append(key)
        totals.append(round(row.total * _SHARES_OF_A_COUNT))
        for name, count in sorted(row.names.items(), key=lambda entry: (-entry[1], entry[0])):
            if name in numbers:
                kept = min(max(round(count * _SHARES_OF_A_COUNT), 1), _LARGEST_COUNT)
                entries.append(numbers[name] << _COUNT_BITS | kept)
        starts.append(len(entries))
    counts = array(_NUMBER, [round(names[name] * _SHARES_OF_A_COUNT) for name in sorted(names)])
    name_starts = array(_NUMBER, [0])
    text = "".join(sorted(names)).encode()
    place = 0
    for name in sorted(names):
        place += len(name.encode())
        name_starts.append(place)
    told = about.encode()
    with path.open("wb") as file:
        file.write(_MAGIC)
        file.write(_HEADER.pack(len(keys), len(entries), len(names), len(text), len(told)))
        for part in (keys, starts, totals, entries, counts, name_starts):
            if sys.byteorder != "little":
                part.byteswap()
            file.write(part.tobytes())
        file.write(text)
        file.write(told)


def share_of(count: int, total: int) -> float:
    """The share that so many variables of a project are; that of half a variable for none, since what was not
    seen may be."""
    return (count or _UNSEEN) / (total or 1)


class ProjectUsage:
    """The usage of the project that is looked at, counted from its good names; `total` variables bear these."""

    def __init__(self) -> None:
        self._counts: defaultdict[int, Counter[str]] = defaultdict(Counter)
        self._names: Counter[str] = Counter()
        self.total = 0
        self._places: dict[tuple[int, str], tuple[str, int]] = {}
        self._told: dict[int, Mapping[str, Told]] = {}
        self._words: Mapping[str, Mapping[str, float]] | None = None

    def add(self, name: str, keys: Iterable[int]) -> None:
        """Count one variable with its features' keys."""
        self.count_names([name])
        for key in keys:
            self._counts[key][name] += 1

    def count_names(self, names: Iterable[str]) -> None:
        """Count variables, each by its name."""
        self._names.update(names)
        self._told.clear()
        self._words = None
        self.total = self._names.total()

    def count_feature(self, key: int, name: str, place: tuple[str, int]) -> None:
        """Count that a variable has a feature; `place` is its path and line."""
        self._told.pop(key, None)
        self._counts[key][name] += 1
        self._places.setdefault((key, name), place)

    def want(self, keys: Iterable[int]) -> None:
        """Make sure that the rows of these keys are counted."""

    @property
    def words_by_initial(self) -> Mapping[str, Mapping[str, float]]:
        """The words of the project's names by their first letters, each with how common it is, from 0 to 1."""
        if self._words is None:
            self._words = how_common(self.word_counts)
        return self._words

    @property
    def word_counts(self) -> Mapping[str, float]:
        """The words of the project's names, each with how often it is."""
        return words_in(self._names)

    def place(self, key: int, name: str) -> tuple[str, int] | None:
        """The path and line of the first variable of a name that has a feature, where they are known."""
        return self._places.get((key, name))

    def row(self, key: int) -> Row:
        """The row of a feature's key."""
        found = self._counts.get(key)
        return Row(found.total(), found) if found else EMPTY_ROW

    def telling(self, key: int) -> Mapping[str, Told]:
        """What the row of a feature's key tells; it is worked out once, when all is counted."""
        if (told := self._told.get(key)) is None:
            told = self._told[key] = telling_of(self.row(key), self.share)
        return told

    def share(self, name: str) -> float:
        """The share of the project's variables that bear a name; half of one variable's where none does."""
        return share_of(self.count(name), self.total)

    def count(self, name: str) -> int:
        """How many variables bear a name."""
        return self._names.get(name, 0)

    def has(self, name: str) -> bool:
        """Whether any variable bears a name."""
        return name in self._names
