"""The habits of a whole project, measured from a sample of its files that the same project always gives."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from zlib import crc32
from typing import NamedTuple

from zephyrun.commands import options
from zephyrun.languages.python.scanner import NESTED_QUOTES, scan
from zephyrun.layout.habits import Counts, Habit, decide, sides_met
from zephyrun.layout.measuring import measure
from zephyrun.layout.page import Page
from zephyrun.linking.modules import is_python
from zephyrun.project.left_out import LeftOut, reason_to_leave_out
from zephyrun.project.settings import Settings
from zephyrun.source import SourceText, UnreadableText

# More code than this would tell nothing new.
_ENOUGH_BYTES = 750_000
_NOT_ITS_OWN_HAND = frozenset({LeftOut.GENERATED, LeftOut.VENDORED, LeftOut.SETTINGS})


class Sighting(NamedTuple):
    """Where one side of a place is to be seen: a path and a 1-based line with its text."""

    path: str
    line: int
    text: str


class ProjectHabits(NamedTuple):
    """The habits by place, and an example of each (place, side); they were measured on `n_files` of
    the `n_candidates` files that the project's own people wrote."""

    habits: Mapping[str, Habit]
    examples: Mapping[tuple[str, str], Sighting]
    counts: Counts
    n_files: int
    n_candidates: int

    def sides_in_order(self, place: str) -> list[str]:
        """The sides that were met in one place, the commonest first."""
        return sides_met(self.counts, place)

    @property
    def sides(self) -> dict[str, str]:
        """The side of each place for which there is a habit."""
        return {place: habit.side for place, habit in self.habits.items() if habit.side}


class _Measured(NamedTuple):
    counts: Counts
    examples: dict[tuple[str, str], Sighting]


class Sample(NamedTuple):
    """The files on which a project is measured, by path, out of so many that would do."""

    files: tuple[tuple[str, bytes], ...]
    n_candidates: int


def sample_of(contents: Mapping[str, bytes | str], settings: Settings) -> Sample:
    """As many files as are enough, in the order of their paths. Which they are depends on the paths
    alone, so that an edit does not change the choice."""
    candidates = {
        path: data
        for path, data in contents.items()
        if is_python(path) and isinstance(data, bytes) and data.strip()
        and not settings.leaves_out(path)
        and reason_to_leave_out(path, data, ()) not in _NOT_ITS_OWN_HAND
    }

    chosen: list[str] = []
    n_bytes = 0
    for path in sorted(candidates, key=lambda path: (crc32(path.encode("utf-8", "surrogatepass")), path)):
        chosen.append(path)
        n_bytes += len(candidates[path])
        if n_bytes >= _ENOUGH_BYTES:
            break
    return Sample(tuple((path, candidates[path]) for path in sorted(chosen)), len(candidates))


def measure_project(
    contents: Mapping[str, bytes | str], settings: Settings, jobs: int
) -> ProjectHabits:
    """Measure the habits of a project whose files are `contents` by path. What the settings say
    about habits goes before what is measured."""
    return measure_sample(sample_of(contents, settings), settings, jobs)


def measure_sample(sample: Sample, settings: Settings, jobs: int) -> ProjectHabits:
    """Measure the habits of a project on some of its files."""
    measured = options.map_files(
        _measure_file,
        sample.files,
        n_bytes=sum(len(data) for _, data in sample.files),
        jobs=jobs,
        what="measuring",
    )
    counts: Counts = Counter()
    examples: dict[tuple[str, str], Sighting] = {}
    for each in measured:
        counts.update(each.counts)
        for key, sighting in each.examples.items():
            examples.setdefault(key, sighting)

    habits = decide(counts)
    for place, side in settings.habits:
        known = habits[place]
        chosen = "" if side == "any" else side
        share = counts[place, side] / known.n if known.n else 0.0
        habits[place] = Habit(place, chosen, share, known.n, "settings")
    return ProjectHabits(habits, examples, counts, len(sample.files), sample.n_candidates)


def _measure_file(item: tuple[str, bytes]) -> _Measured:
    path, data = item
    try:
        source = SourceText.from_bytes(data)
    except UnreadableText:
        return _Measured(Counter(), {})
    counts, first = measure(Page(source, scan(source.text, nested_quotes=NESTED_QUOTES)))
    examples = {
        key: Sighting(path, line, source.line(line).strip())
        for key, offset in first.items()
        for line in [source.line_of(offset)]
    }
    return _Measured(counts, examples)

