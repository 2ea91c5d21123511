"""Count which short words the names of other people's code have: the list that is shipped.

    python benchmarks/names/build_trade_words.py SOURCES

SOURCES is as for `build_table.py`, and so are the packages. A word that cannot be read by itself (`buf`, `hdr`) is known in
the trade where names in five packages and more have it.
"""

from __future__ import annotations

import argparse
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from build_table import packages, python_files

from zephyrun.languages.python import UnreadableSource, parse
from zephyrun.naming.trade_words import TRADE_WORDS
from zephyrun.naming.words import is_readable, split_name

# What fewer have in their names is the word of a few.
_FEWEST_PACKAGES = 5


def words_of_package(folder: Path) -> set[str]:
    """The words, of two letters and more, of all that has a name in a package."""
    found: set[str] = set()
    for path in python_files(folder):
        try:
            facts = parse(path.read_bytes()).facts
        except UnreadableSource:
            continue
        for record in facts.bindings:
            if not record.outside:
                found.update(word for word in split_name(record.name) if word.isalpha() and len(word) > 1)
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    parser.add_argument("--output", type=Path, default=TRADE_WORDS)
    arguments = parser.parse_args()
    counts: Counter[str] = Counter()
    with ProcessPoolExecutor() as workers:
        for words in workers.map(words_of_package, packages(arguments.sources).values()):
            counts.update(word for word in words if not is_readable(word))
    kept = sorted(word for word, count in counts.items() if count >= _FEWEST_PACKAGES)
    arguments.output.write_text("".join(f"{word}\n" for word in kept), "utf-8")
    print(f"{len(kept):,} words of {len(counts):,}")


if __name__ == "__main__":
    main()
