"""What the receivers of attributes are said to be, held against the suites of real packages as they run.

    python benchmarks/receivers_by_running.py [NAME ...] [--keep FOLDER] [--show N]

Each attribute of the packages of torture_packages.py, tests included, notes of what class its receiver is while
the suite runs. A receiver that was an instance or a class of the project's own, where something else was said
for sure, is an error of what renames stand on. An annotation is taken at its word: where it is wrong, that is
counted apart. Prints how many receivers are known, and of how many of these the suite showed anything. Ends
with 1 when one was not what was said.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from renaming import open_world
from torture_packages import PACKAGES, Package, Workshop, environment_of, fetch, open_workshop

from zephyrun.link_facts import AttributeUse
from zephyrun.linking.library_bases import LibraryBases
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.value_sorts import ClassKey, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.source import SourceText

_DEFAULT = ("click", "pluggy", "mistune", "waitress", "webob", "mido", "boltons", "markdown", "marshmallow")
# Loaded by the interpreter before anything else. Asks a value for nothing.
_RECORDER = '''
import atexit, builtins, json, os, sys, threading
seen = set()
def note(place, value):
    kind = type(value)
    if issubclass(kind, type):
        seen.add((place, "class", value))
    else:
        seen.add((place, "instance", kind))
    return value
builtins.note_receiver = note
def told(kind):
    module = sys.modules.get(kind.__module__) if isinstance(kind.__module__, str) else None
    path = getattr(module, "__file__", None) or ""
    return [path, kind.__qualname__]
def dump():
    with open(os.environ["SEEN"], "a") as file:
        for place, sort, kind in list(seen):
            try:
                above = [[told(each) for each in type.__getattribute__(of, "__mro__")] for of in (kind, type(kind))]
            except Exception:
                continue
            file.write(json.dumps([place, sort, *above]) + "\\n")
atexit.register(dump)
'''
_LEFT_OPEN = (ValueSort.UNKNOWN, ValueSort.ABOVE)
_OF_CLASSES = (ValueSort.INSTANCE, ValueSort.CLASS)


class Sight(NamedTuple):
    """What a receiver was when the suite ran: of what sort, what files and names its classes have, nearest first,
    and, where it is a class, those of its metaclass."""

    sort: str
    above: tuple[tuple[str, str], ...]
    metaclasses: tuple[tuple[str, str], ...]


class Recording(ast.NodeTransformer):
    """Hands the receiver of each attribute that is read to the recorder."""

    def __init__(self, path: str, source: SourceText) -> None:
        self._path, self._source = path, source

    def visit_Attribute(self, node: ast.Attribute) -> ast.Attribute:
        """`a.b` becomes `note_receiver("path:offset", a).b`."""
        self.generic_visit(node)
        if isinstance(node.ctx, ast.Load) and node.end_lineno is not None and node.end_col_offset is not None:
            end = self._source.offset_of_utf8(node.end_lineno, node.end_col_offset)
            place = ast.Constant(f"{self._path}:{end}")
            node.value = ast.Call(ast.Name("note_receiver", ast.Load()), [place, node.value], [])
        return node

    def visit_Match(self, node: ast.Match) -> ast.Match:
        """Patterns hold names with dots that may be nothing else."""
        node.subject = self.visit(node.subject)
        for case in node.cases:
            case.body = [self.visit(each) for each in case.body]
        return node


def main() -> int:
    """Run each suite, and print what was not as it was said."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("names", nargs="*", help=f"some of {', '.join(PACKAGES)}; default: {', '.join(_DEFAULT)}")
    parser.add_argument("--keep", type=Path, help="work in this folder, and leave it")
    parser.add_argument("--show", type=int, default=20, help="so many errors of each package")
    arguments = parser.parse_args()
    n_errors = 0
    with tempfile.TemporaryDirectory(prefix="receivers-") as scratch:
        folder = arguments.keep or Path(scratch)
        packages = [PACKAGES[name] for name in arguments.names or _DEFAULT]
        workshop = open_workshop(folder.resolve(), packages)
        for package in packages:
            n_errors += check(workshop, package, arguments.show)
    return min(n_errors, 1)


def check(workshop: Workshop, package: Package, n_shown: int) -> int:
    """Hold one package's receivers against what its suite shows: the number of those that were something else."""
    root = fetch(workshop, package)
    contents, world = open_world(root, is_library=False)
    evaluator = world.evaluator(contents)
    seen = run_recorded(workshop, package, root, evaluator)
    own = classes_by_name(evaluator)
    n_known = n_shown_by_suite = n_below = 0
    n_all, errors = 0, []
    for file, use in attributes(evaluator):
        n_all += 1
        values = evaluator.values(file, use.receiver)
        if any(value.sort in _LEFT_OPEN for value in values):
            continue
        n_known += 1
        said = {(value.sort.value, (value.path, value.number)) for value in values if value.sort in _OF_CLASSES}
        sights = seen.get(f"{file.path}:{use.end}", ())
        n_shown_by_suite += bool(sights)
        for sight in sights:
            ours = [key for each in sight.above for key in own.get(each, ())]
            made_by = [key for each in sight.metaclasses for key in own.get(each, ())] if sight.sort == "class" else []
            if not ours or any((sight.sort, key) in said for key in ours) or any(("instance", key) in said for key in made_by):
                continue
            # What is said to be of a library's class is looked at for those that stand below that.
            if sight.sort == "instance" and any(map(LibraryBases(evaluator, ours[:1]).have_instance, values)):
                n_below += 1
            else:
                errors.append((file, use, sight, values))
                break
    print(
        f"{package.release}: {n_known} of {n_all} receivers are known, {n_shown_by_suite} of them shown, {n_below} said to be "
        f"of a library's class, {len(errors)} wrong"
    )
    for file, use, sight, values in errors[:n_shown]:
        line = file.line_of(use.start)
        print(f"  {file.path}:{line}: {file.source.line(line).strip()}")
        print(f"      .{use.name} of {sight.sort} {sight.above[0]}, said {sorted({f'{v.sort} {v.path} {v.number} {v.name}' for v in values})}")
    return len(errors)


def attributes(evaluator: Evaluator) -> Iterator[tuple[LinkedFile, AttributeUse]]:
    """Every attribute of a project, with its file."""
    for path in evaluator.linkage.paths:
        file = evaluator.linkage.file(path)
        if file is not None:
            yield from ((file, use) for use in file.links.attributes)


def classes_by_name(evaluator: Evaluator) -> dict[tuple[str, str], list[ClassKey]]:
    """The classes of a project by the file and the name that they tell."""
    found: dict[tuple[str, str], list[ClassKey]] = defaultdict(list)
    for path in evaluator.linkage.paths:
        file = evaluator.linkage.file(path)
        for index, record in enumerate(file.links.classes if file is not None else ()):
            assert file is not None, "it has classes"
            found[path, file.facts.dotted(record.scope) if record.scope >= 0 else record.name].append((path, index))
    return found


def run_recorded(workshop: Workshop, package: Package, root: Path, evaluator: Evaluator) -> dict[str, set[Sight]]:
    """What the suite shows of each receiver, by place."""
    seen: dict[str, set[Sight]] = defaultdict(set)
    with tempfile.TemporaryDirectory(prefix="recorded-") as scratch:
        copy = Path(scratch, "copy").resolve()
        shutil.copytree(root, copy, symlinks=True)
        for path in evaluator.linkage.paths:
            file = evaluator.linkage.file(path)
            if file is not None:
                tree = Recording(path, file.source).visit(ast.parse(file.data))
                (copy / path).write_text(ast.unparse(ast.fix_missing_locations(tree)), encoding="utf-8")
        loaded_first = Path(scratch, "first")
        loaded_first.mkdir()
        (loaded_first / "sitecustomize.py").write_text(_RECORDER)
        environment = environment_of(copy, package, scratch)
        environment["PYTHONPATH"] += os.pathsep + str(loaded_first)
        environment["SEEN"] = str(Path(scratch, "seen.jsonl"))
        words = ["-m", "pytest", "-q", "-p", "no:cacheprovider", "-o", "addopts=", *package.options, package.tests]
        done = subprocess.run([workshop.python, *words], cwd=copy, env=environment, capture_output=True, text=True, timeout=900)
        if not Path(environment["SEEN"]).exists():
            sys.exit(f"{package.release}: nothing was noted: {done.stdout[-2000:]}{done.stderr[-2000:]}")
        for line in Path(environment["SEEN"]).read_text().splitlines():
            place, sort, *kinds = json.loads(line)
            seen[place].add(Sight(sort, *(tuple(_told(copy, *each) for each in above) for above in kinds)))
        print(done.stdout.strip().rpartition("\n")[2])
    return seen


def _told(copy: Path, path: str, name: str) -> tuple[str, str]:
    """The file of a class as the project has it, "" for one outside, and its name there."""
    inside = Path(path).relative_to(copy).as_posix() if path and Path(path).is_relative_to(copy) else ""
    return inside, name.replace(".<locals>", "")


if __name__ == "__main__":
    raise SystemExit(main())
