"""Count the usage of names in other people's code: the table that is shipped.

    python benchmarks/names/build_table.py SOURCES

SOURCES holds a folder of Python source for each package of `sources.toml` that the table is learned from,
as `fetch_sources.py` unpacks them; the standard library is that of the running interpreter. What is counted
is how variables, functions and classes with a feature are called. Counts of a package are damped by their square root, so that no
package shouts; a feature must have been seen in 5 places and a name in 10.
"""

from __future__ import annotations

import argparse
import os
import sys
import tomllib
from collections import Counter, defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from math import sqrt
from pathlib import Path

from zephyrun.facts import Role
from zephyrun.languages.python import UnreadableSource, parse
from zephyrun.languages.python.contexts import read_contexts
from zephyrun.naming.features import is_learned_from, keys_of
from zephyrun.naming.file_usage import names_counted
from zephyrun.naming.usage import Row, write_table

HERE = Path(__file__).parent
_SHIPPED = HERE.parents[1] / "src" / "zephyrun" / "naming" / "data" / "usage.table"
_PLACES_OF_A_FEATURE = 5
_PLACES_OF_A_NAME = 10
_NAMES_IN_A_ROW = 16
_BYTES_OF_A_MEGABYTE = 1_000_000
_LEFT_OUT_OF_LIBRARY = ("test", "tests", "idle_test", "site-packages", "lib2to3", "__pycache__")

# For each feature, names and their numbers of places; and the names' own.
Counts = tuple[dict[int, Counter[str]], Counter[str]]


def count_file(path: Path) -> list[tuple[str, list[int]]]:
    """The good names of one file, each with the keys of its features; none where it cannot be read."""
    try:
        parsed = parse(path.read_bytes())
    except UnreadableSource:
        return []
    facts = parsed.facts
    contexts = read_contexts(parsed).by_binding
    good = {each for each in range(len(facts.bindings)) if is_learned_from(facts, each)}
    found = []
    for binding in sorted(good):
        keys = list(keys_of(facts, binding, contexts.get(binding, ()), good.__contains__))
        is_function = Role.FUNCTION in facts.roles(binding)
        for name in names_counted(facts.bindings[binding].name, is_function=is_function):
            found.append((name, keys))
    return found


def count_package(folder: Path) -> Counts:
    """The counts of one package."""
    rows: dict[int, Counter[str]] = defaultdict(Counter)
    names: Counter[str] = Counter()
    for path in python_files(folder):
        for name, keys in count_file(path):
            names[name] += 1
            for key in keys:
                rows[key][name] += 1
    return rows, names


def python_files(folder: Path) -> Iterator[Path]:
    """The source files of a package, without those that only test it."""
    for path in sorted(folder.rglob("*.py")):
        if not set(path.relative_to(folder).parts) & set(_LEFT_OUT_OF_LIBRARY):
            yield path


def packages(sources: Path) -> dict[str, Path]:
    """The folders that the table is learned from, by name and version."""
    listed = tomllib.loads((HERE / "sources.toml").read_text())
    found = {f"{name} {version}": sources / name for name, version in listed["table"].items()}
    return {f"Python {sys.version.split()[0]}": Path(os.__file__).parent, **found}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    parser.add_argument("--output", type=Path, default=_SHIPPED)
    arguments = parser.parse_args()
    kept, known = _together(packages(arguments.sources))
    write_table(arguments.output, kept, known, "\n".join(packages(arguments.sources)))
    size = arguments.output.stat().st_size
    print(f"{len(kept):,} features, {len(known):,} names, {size / _BYTES_OF_A_MEGABYTE:.1f} MB")


def _together(chosen: dict[str, Path]) -> tuple[dict[int, Row], dict[str, float]]:
    """The rows and the names of all packages, as far as they are kept."""
    places: Counter[int] = Counter()
    rows: dict[int, Counter[str]] = defaultdict(Counter)
    counts: Counter[str] = Counter()
    names: Counter[str] = Counter()
    with ProcessPoolExecutor() as workers:
        for label, (found_rows, found_names) in zip(chosen, workers.map(count_package, chosen.values())):
            print(f"{label}: {found_names.total():,} names", flush=True)
            for key, row in found_rows.items():
                places[key] += row.total()
                for name, count in row.items():
                    rows[key][name] += sqrt(count)
            for name, count in found_names.items():
                counts[name] += count
                names[name] += sqrt(count)

    known = {name: names[name] for name, count in counts.items() if count >= _PLACES_OF_A_NAME}
    kept = {}
    for key, row in rows.items():
        commonest = row.most_common(_NAMES_IN_A_ROW)
        best = {name: count for name, count in commonest if name in known and count > 1}
        if best and places[key] >= _PLACES_OF_A_FEATURE:
            kept[key] = Row(sum(row.values()), best)
    return kept, known


if __name__ == "__main__":
    main()
