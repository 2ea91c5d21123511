"""What a rename costs on a large tree, against compiling the tree: processor time of all processes, in one
run, with a warm cache; start-up included. Each is asked for again (as with `--dry-run` first, and then in earnest), and
for the first time, where what all files say is known, but nothing was found out about the whole tree yet.

    python benchmarks/rename_speed.py [FOLDER] [--rounds N]

The tree is by default the standard library without its tests. Allowed: a tenth of `compileall`, and 60 MB and
1 KiB for each line of the tree.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

from survey_speed import MIB_ALLOWED, compare, compiling, copied_tree, forget_answers, nothing, print_ratio

_KIB = 1024
_ALLOWED_SHARE = 10
# What is renamed: a function used in five files, a method, a private method, and a local.
_RENAMES = {
    "a function used in five files": ("textwrap.indent", "shift_right"),
    "a private method": ("textwrap.TextWrapper._munge_whitespace", "_tidy_space"),
    "a parameter": ("textwrap.indent.prefix", "in_front"),
    "a local": ("textwrap.TextWrapper._wrap_chunks.cur_len", "current_length"),
}


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("folder", nargs="?", type=Path, help="default: the standard library without tests")
    parser.add_argument("--rounds", type=int, default=3)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        tree = copied_tree(arguments.folder, Path(scratch, "tree"))
        n_lines = sum(path.read_bytes().count(b"\n") for path in tree.rglob("*.py"))
        print(f"Python {sys.version.split()[0]}, {n_lines:,} lines, medians of {arguments.rounds} rounds")
        # What lies in the tree are no modules of the interpreter that runs us.
        run = f"import os, sys; os.chdir({str(tree)!r}); sys.path.pop(0); from zephyrun.commands import main; main(sys.argv[1:])"
        for target, new in _RENAMES.values():
            # What files say is known from then on.
            call = [sys.executable, "-c", run, "rename", target, new, "--confirm", "--dry-run"]
            subprocess.run(call, capture_output=True, check=False)
        costs = compare(
            arguments.rounds,
            {
                "compileall": (nothing, ["-c", compiling(tree)]),
                **{
                    f"{name}, {when}": (prepare, ["-c", run, "rename", target, new, "--confirm", "--dry-run"])
                    for name, (target, new) in _RENAMES.items()
                    for when, prepare in (("first", partial(forget_answers, tree)), ("again", nothing))
                },
            },
        )
        theirs = costs.pop("compileall")
        for name, ours in costs.items():
            print_ratio(f"rename of {name} / a tenth of compileall, processor", ours.processor,
                        theirs.processor / _ALLOWED_SHARE, "s")
        largest = max(each.memory for each in costs.values())
        allowed = MIB_ALLOWED + n_lines / _KIB
        print_ratio("  memory / 60 MB + 1 KiB a line", largest, allowed, "MiB")


if __name__ == "__main__":
    main()
