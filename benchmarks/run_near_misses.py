"""Run both versions of the near-misses that were written from the page: each pair must print, or end with,
something else. They lie in `near_misses/by_the_page`, and in `near_misses_beside_others` those that another file runs.

    python benchmarks/run_near_misses.py

Prints the pairs that a run does not tell apart (none is expected), and how many were run.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

HERE = Path(__file__).parent
FILES = (
    *sorted((HERE / "near_misses" / "by_the_page").glob("*.txt")),
    *sorted((HERE / "near_misses_beside_others").glob("*.txt")),
)
SECONDS = 30


def pairs(path: Path) -> Iterator[tuple[str, str, str, str]]:
    """Title, old and new version of each pair in a file, and the program that runs them, "" where they run alone."""
    for block in re.split(r"(?m)^=== ", path.read_text("utf-8"))[1:]:
        title, _, body = block.partition("\n")
        pair, _, other = body.partition("+++\n")
        old, new = pair.split("---\n")
        yield title, old, new, other


def outcome(source: str, other: str) -> tuple[int, str, str]:
    """Exit code, output, and the last line of the error output of a program; the same path for all."""
    with tempfile.TemporaryDirectory() as folder:
        Path(folder, "hives.py").write_text(source, "utf-8")
        program = Path(folder, "season.py" if other else "hives.py")
        program.write_text(other or source, "utf-8")
        done = subprocess.run(
            [sys.executable, "-W", "ignore", program.name],
            cwd=folder,
            capture_output=True,
            text=True,
            encoding="utf-8",
            timeout=SECONDS,
        )
    return done.returncode, done.stdout, "".join(done.stderr.splitlines()[-1:])


def main() -> None:
    """Run them all."""
    n_pairs, n_alike = 0, 0
    for path in FILES:
        for title, old, new, other in pairs(path):
            n_pairs += 1
            if outcome(old, other) == outcome(new, other):
                n_alike += 1
                print(f"{path.name}: {title}")
    print(f"{n_alike} of {n_pairs} pairs run alike")


if __name__ == "__main__":
    main()
