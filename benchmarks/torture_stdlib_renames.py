"""Rename everything that the tool calls safe in standard library modules, and run their own tests.

    python benchmarks/torture_stdlib_renames.py [--modules N] [--own-words] [--keep FOLDER]

Works on a copy, as torture_stdlib.py does, which is a library: public names stay. So do names that a
module of the standard library speaks of which is not in the copy, since it may ask for them (and keywords
of functions that it speaks of). Every other name is asked for alone; all that are safe are renamed at once,
proved, and the tests are run; then all are renamed back, and every byte must be the one that was there. With
`--own-words` the new names are words of the module's own vocabulary, which are mostly taken: what is safe all
the same must be so.
"""

from __future__ import annotations

import argparse
import random
import shutil
import sys
import tempfile
import time
from collections.abc import Collection
from pathlib import Path

from renaming import Verdicts, everything_named, fresh_name, judge_each, open_world, prove_together, with_surroundings
from torture_renames import print_counts, print_reasons, rename_back
from torture_stdlib import MODULES, STDLIB, Reports, copy_modules, print_tests, run_all_tests

from zephyrun.linking.texts import words_in
from zephyrun.linking.usage import Target, TargetSort
from zephyrun.linking.values import Evaluator

_MOST_SHOWN = 12
_SEED = 5


def words_outside(copy: Path) -> frozenset[str]:
    """The words of the library's modules that are not in the copy, and of those that are no Python: of the
    interpreter, its library and what it loads."""
    found: set[bytes] = set()
    compiled = [Path(sys.executable), *Path(sys.base_prefix, "lib").glob("libpython*"), *STDLIB.rglob("*.so")]
    for path in compiled:
        found |= words_in(path.read_bytes())
    for path in STDLIB.rglob("*.py"):
        inside = path.relative_to(STDLIB)
        if inside.parts[0] not in ("test", "site-packages", "idlelib") and not (copy / inside).exists():
            found |= words_in(path.read_bytes())
    return frozenset(word.decode("utf-8", "replace") for word in found)


def laid_out(copy: Path, folder: Path) -> Path:
    """The copy as it can be run: with its tests, which follow renames, among all those of the library."""
    shutil.copytree(copy, folder, ignore=shutil.ignore_patterns("tests"))
    shutil.copytree(STDLIB / "test", folder / "test", ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copytree(copy / "tests", folder / "test", dirs_exist_ok=True)
    return folder


def may_be_asked_for(evaluator: Evaluator, target: Target, outside: frozenset[str]) -> bool:
    """Whether a module that is not in the copy may speak of something: of a parameter, where it speaks of the
    function, too."""
    if target.sort is TargetSort.PARAMETER:
        function = evaluator.file(target.path).links.functions[target.owner]
        return target.written in outside and function.name in outside
    return target.sort is not TargetSort.LOCAL and target.written in outside


class OwnWords:
    """Gives each name another one of the vocabulary of its module."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self._dice = random.Random(_SEED)
        self._words: dict[str, list[str]] = {}

    def name(self, target: Target, number: int) -> str:
        """A word that the module uses already."""
        if target.path not in self._words:
            facts = self._evaluator.file(target.path).facts
            words = {binding.name for binding in facts.bindings} | facts.attributes
            self._words[target.path] = sorted(word for word in words if not word.startswith("__"))
        others = [word for word in self._words[target.path] if word != target.written]
        return self._dice.choice(others) if others else fresh_name(target, number)


def by_old_ids(after: Reports, before: Reports, old_names: dict[str, str]) -> Reports:
    """The outcomes by the ids that tests had before: an example in documentation is called after what it
    documents."""
    return {
        name: (problem, {_old_id(test, before[name][1], old_names): outcome for test, outcome in outcomes.items()})
        for name, (problem, outcomes) in after.items()
    }


def _old_id(test: str, known: Collection[str], old_names: dict[str, str]) -> str:
    old = ".".join(old_names.get(part, part) for part in test.split("."))
    return old if test not in known and old in known else test


def main() -> int:
    """Run the torture; 1 when a test that passed fails afterwards, or a byte is not given back."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("--modules", type=int, default=len(MODULES), help="only the first N modules")
    parser.add_argument("--own-words", action="store_true", help="new names that the module uses already")
    parser.add_argument("--keep", type=Path, help="leave the changed copy in this folder")
    arguments = parser.parse_args()
    folder = arguments.keep or Path(tempfile.mkdtemp(prefix="torture-"))
    copy = folder / "copy"
    copy.mkdir(parents=True)
    (copy / "zephyrun.toml").write_text("")
    names = copy_modules(copy, arguments.modules)
    original = laid_out(copy, folder / "original")
    before = run_all_tests(original, names)

    began = time.perf_counter()
    contents, world = open_world(copy, is_library=True)
    world = with_surroundings(world, contents)
    evaluator = world.evaluator(contents)
    outside = words_outside(copy)
    paths = [path for path in evaluator.linkage.paths if not path.startswith("tests/")]
    named = [
        (sort, target)
        for sort, target in everything_named(evaluator, paths)
        if not may_be_asked_for(evaluator, target, outside)
    ]

    new_name = OwnWords(evaluator).name if arguments.own_words else fresh_name
    verdicts: Verdicts = judge_each(evaluator, named, world, new_name)
    print(f"Python {sys.version.split()[0]}, {len(names)} modules and packages, {len(paths)} files")
    print_counts(verdicts.counts)
    print_reasons(verdicts)

    change, refused = prove_together(evaluator, verdicts.safe, world)
    print(f"renamed together and proved: {len(change.usages)}, with {sum(len(each.places) for each in change.usages):,} "
          f"references in {len(change.changed)} files; not proved: {len(refused)}; "
          f"{time.perf_counter() - began:.0f} seconds")
    for wish, why in refused[:_MOST_SHOWN]:
        print(f"   {wish.target.name} of {wish.target.path}: {why}")
    for path, data in change.changed.items():
        (copy / path).write_bytes(data)

    renamed = laid_out(copy, folder / "renamed")
    old_names = {each.new: each.target.written for each in change.renamings}
    after = by_old_ids(run_all_tests(renamed, names), before, old_names)
    broken = print_tests(names, before, after, original, renamed)
    n_strange = rename_back(change, world, contents)
    print(f"files that renaming back does not give back: {n_strange}")
    if not arguments.keep:
        shutil.rmtree(folder, ignore_errors=True)
    return 1 if broken or n_strange else 0


if __name__ == "__main__":
    sys.exit(main())
