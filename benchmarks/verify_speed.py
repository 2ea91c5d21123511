"""What `verify --since HEAD` costs on a large tree, against compiling the tree: processor time of all processes, in one
run, with a warm cache; start-up included. Each is asked for again, and for the first time, where what all files say is
known, but nothing was found out about the two versions yet.

    python benchmarks/verify_speed.py [FOLDER] [--rounds N] [--seed N]

The tree is by default the standard library without its tests, as a git repository with one commit. In the work tree
nothing changed; or five files were cleaned up (by `clean_ups.py`); or a parameter of a private function was renamed; or a
public function is documented otherwise. Allowed: a fifth of `compileall`, and what a hash of each file costs
where nothing changed, for which hashing all files is measured, too.
"""

from __future__ import annotations

import argparse
import random
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

from clean_ups import make_pair
from survey_speed import compare, compiling, copied_tree, forget_answers, nothing, print_ratio

_ALLOWED_SHARE = 5
_CLEANED = ("calendar", "csv", "difflib", "shlex", "textwrap")
_N_CLEAN_UPS = 3
_RENAMED = (
    "difflib.py",
    "def _calculate_ratio(matches, length):\n    if length:\n        return 2.0 * matches / length\n",
    "def _calculate_ratio(matches, n_elements):\n    if n_elements:\n        return 2.0 * matches / n_elements\n",
)
_DOCUMENTED = ("textwrap.py", "Reformat the single paragraph in 'text'", "Wrap one paragraph, the 'text',")
_HASHING = """
import hashlib, pathlib, sys
for path in pathlib.Path(sys.argv[1]).rglob("*.py"):
    hashlib.sha256(path.read_bytes()).digest()
"""


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("folder", nargs="?", type=Path, help="default: the standard library without tests")
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        tree = copied_tree(arguments.folder, Path(scratch, "tree"))
        n_lines = sum(path.read_bytes().count(b"\n") for path in tree.rglob("*.py"))
        print(f"Python {sys.version.split()[0]}, {n_lines:,} lines, medians of {arguments.rounds} rounds")
        commit(tree)
        versions = {
            "five files cleaned up": cleaned_up(tree, arguments.seed),
            "a parameter renamed": with_other_words(tree, *_RENAMED),
            "other documentation": with_other_words(tree, *_DOCUMENTED),
        }
        run = f"import os, sys; os.chdir({str(tree)!r}); sys.path.pop(0); from zephyrun.commands import main; raise SystemExit(main(sys.argv[1:]) not in (0, 1, 3))"
        verifying = ["-c", run, "verify", "--since", "HEAD"]
        costs = compare(
            arguments.rounds,
            {
                "compileall": (nothing, ["-c", compiling(tree)]),
                "hashing": (nothing, ["-c", _HASHING, str(tree)]),
                "nothing changed": (partial(set_up, tree, {}), verifying),
                **{
                    f"{name}, {when}": (partial(set_up, tree, contents, is_first=when == "first"), verifying)
                    for name, contents in versions.items()
                    for when in ("first", "again")
                },
            },
        )
        compiled, hashed = costs.pop("compileall"), costs.pop("hashing")
        print_ratio("verify, nothing changed / hashing all files, processor", costs["nothing changed"].processor, hashed.processor, "s")
        for name, ours in costs.items():
            print_ratio(f"verify, {name} / a fifth of compileall, processor", ours.processor, compiled.processor / _ALLOWED_SHARE, "s")
        print(f"most memory: {max(each.memory for each in costs.values()):.0f} MiB")


def git(tree: Path, *words: str) -> None:
    """Run git in a tree. Exits when that fails."""
    said = ("-c", "user.name=Beekeeper", "-c", "user.email=beekeeper@example.org", "-c", "commit.gpgsign=false")
    subprocess.run(["git", *said, *words], cwd=tree, check=True, capture_output=True)


def commit(tree: Path) -> None:
    """Make a repository of a tree, with one commit."""
    (tree / ".gitignore").write_text("__pycache__/\nconfig-*/\n.zephyrun/\n", "utf-8")
    git(tree, "init", "--quiet")
    git(tree, "add", "--all")
    git(tree, "commit", "--quiet", "--message", "All of it")


def set_up(tree: Path, contents: dict[str, bytes], *, is_first: bool = False) -> None:
    """Bring the work tree to the commit with some files changed; `is_first` if nothing is to be known of that."""
    if is_first:
        forget_answers(tree)
    git(tree, "checkout", "--quiet", "--force", "HEAD")
    for path, data in contents.items():
        (tree / path).write_bytes(data)


def cleaned_up(tree: Path, seed: int) -> dict[str, bytes]:
    """Five modules after some clean-ups."""
    dice = random.Random(seed)
    found = {}
    for name in _CLEANED:
        pair = make_pair((tree / f"{name}.py").read_text("utf-8"), dice, _N_CLEAN_UPS, breaks=False)
        if pair is not None:
            found[f"{name}.py"] = pair.new.encode()
    return found


def with_other_words(tree: Path, path: str, old: str, new: str) -> dict[str, bytes]:
    """A file in which other words stand in place of some."""
    text = (tree / path).read_text("utf-8")
    if text.count(old) == 0:
        sys.exit(f"{path} of this Python does not say: {old}")
    return {path: text.replace(old, new).encode()}


if __name__ == "__main__":
    main()
