"""Clean up real packages, and run their own test suites before and after.

    python benchmarks/torture_packages.py [NAME ...] [--keep FOLDER]

The packages are fixed in a list, chosen for what makes renaming hard. Their source distributions are
fetched with pip, and their suites run with pytest in an environment of their own. Everything `safe` is
carried out, with made-up names where none is proposed. Suites are compared by test id; `undo` must give
every byte back; and a run under coverage tells which share of the changed lines the suite executes.
Ends with 1 when a test breaks or a byte is not given back.
"""

from __future__ import annotations

import argparse
import hashlib
import json
import os
import shutil
import subprocess
import sys
import tarfile
import tempfile
import time
import tomllib
import venv
from difflib import SequenceMatcher
from pathlib import Path
from typing import NamedTuple
from xml.etree import ElementTree

from accepting import (
    FOREIGN_HAND,
    accept_everything,
    files_with_other_trees,
    listed,
    print_steps,
    safe_layout_left,
    zephyrun,
)

# A package may say of its own suite that it fails under a certain share, or where its lines are noted.
_OWN_SETTINGS = (f"--rcfile={os.devnull}",)


class Package(NamedTuple):
    """A package as it is fetched: what makes it hard, where its code and tests lie, what its suite
    needs, and options for pytest (tests that need the network, or fail in any copy)."""

    release: str
    difficulty: str
    code: str
    tests: str
    needs: tuple[str, ...] = ()
    options: tuple[str, ...] = ()


PACKAGES = {
    package.release.partition("==")[0]: package
    for package in (
        Package("pluggy==1.5.0", "a plug-in registry that reads parameter names; pytest runs on it",
                "src", "testing", options=("--ignore=testing/benchmark.py",)),
        Package("click==8.1.7", "a command line built from decorators and parameter names", "src", "tests"),
        Package("pony==0.7.19", "maps objects to tables; reads frames and the instructions of generators", ".",
                "pony/orm/tests", options=("-p", "no:warnings")),
        Package("traitlets==5.14.3", "descriptors, metaclasses, configuration by name", ".", "tests",
                needs=("pytest-mock", "argcomplete", "typing_extensions"),
                options=("--ignore=tests/test_typing.py",)),
        Package("pyparsing==3.1.2", "a parser with actions told apart by their parameters", ".", "tests",
                options=("--ignore=tests/test_diagram.py",)),
        Package("jinja2==3.1.4", "compiles templates; rewrites frames and reads their locals", "src", "tests",
                needs=("markupsafe", "trio")),
        Package("marshmallow==3.21.3", "a class registry, hooks found by name", "src", "tests",
                needs=("packaging", "pytz", "simplejson")),
        Package("mistune==3.0.2", "a parser that computes the names of its methods", "src", "tests"),
        Package("markdown==3.6", "extensions loaded by name; long regular expressions", ".", "tests",
                needs=("pyyaml",), options=("-o", "python_classes=Nothing")),
        Package("boltons==24.0.0", "functions built from text; frames; tables of every sort", ".", "tests"),
        Package("webob==1.8.9", "descriptors made by functions; a request that is its environment", "src", "tests"),
        Package("waitress==3.0.2", "event handlers found by name; threads", "src", "tests"),
        Package("mako==1.3.6", "compiles templates to modules; reads the source of its callers", ".", "test",
                needs=("markupsafe",)),
        Package("mido==1.3.3", "messages whose attributes are keys of a table", ".", "tests", needs=("packaging",)),
        Package("tinydb==4.9.0", "queries that keep the names they are asked for; classes shown by name", ".", "tests",
                needs=("pyyaml",), options=("--ignore=tests/test_mypy_plugin.py",)),
        Package("glom==25.12.0", "paths of attributes that are looked up later", ".", "glom/test",
                needs=("boltons", "face", "attrs", "pyyaml")),
        Package("jsonpatch==1.48", "operations found by name; looks into the names of what it is given", ".", "tests.py",
                needs=("jsonpointer",)),
        Package("croniter==7.0.0", "a package that binds the name of a module in it", "src", "src/croniter/tests",
                needs=("python-dateutil", "pytz", "tzlocal")),
        Package("netaddr==1.3.0", "slots, states and classes that know each other", ".", "netaddr/tests"),
    )
}


class Workshop(NamedTuple):
    """Where the packages lie, and the interpreter that runs their suites."""

    folder: Path
    python: Path


def open_workshop(folder: Path, packages: list[Package]) -> Workshop:
    """An environment with pytest, coverage and all that the suites need."""
    environment = folder / "environment"
    python = environment / "bin" / "python"
    if not python.exists():
        venv.create(environment, with_pip=True)
    needs = {need for package in packages for need in package.needs}
    install = [python, "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
    subprocess.run([*install, "pytest<8.2", "coverage", *sorted(needs)], check=True)
    return Workshop(folder, python)


def fetch(workshop: Workshop, package: Package) -> Path:
    """The unpacked source distribution."""
    archives = workshop.folder / "archives" / package.release
    if not archives.exists():
        download = [workshop.python, "-m", "pip", "download", "--quiet", "--disable-pip-version-check"]
        words = ["--no-deps", "--no-binary", ":all:", "--dest", archives, package.release]
        subprocess.run([*download, *words], check=True)
    (archive,) = archives.glob("*.tar.gz")
    target = Path(tempfile.mkdtemp(prefix=f"{package.release}-", dir=workshop.folder))
    with tarfile.open(archive) as opened:
        opened.extractall(target, filter="data")
    (root,) = target.iterdir()
    (root / "zephyrun.toml").touch()
    return root


def environment_of(root: Path, package: Package, home: str) -> dict[str, str]:
    """What a suite sees of the world around it."""
    return {
        "PYTHONPATH": os.pathsep.join({str(root / package.code), str(root)}),
        "PYTHONDONTWRITEBYTECODE": "1",
        "PATH": os.environ["PATH"],
        "HOME": home,
        "LANG": "C.UTF-8",
    }


def run_suite(workshop: Workshop, root: Path, package: Package, *, traced: bool = False) -> dict[str, str]:
    """Run a copy of the suite on a copy of the code, so that it leaves nothing behind: outcomes by
    test id. With `traced`, the lines that ran are noted in `.coverage` of the root."""
    with tempfile.TemporaryDirectory(prefix="suite-") as scratch:
        copy = Path(scratch, "copy")
        shutil.copytree(root, copy, symlinks=True, ignore=shutil.ignore_patterns(".zephyrun"))
        report = Path(scratch, "report.xml")
        data_file = f"--data-file={root / '.coverage'}"
        tracing = ["-m", "coverage", "run", *_OWN_SETTINGS, data_file, "--source", str(copy)] if traced else []
        words = ["-m", "pytest", "-q", "-p", "no:cacheprovider", "-p", "no:randomly", "-o", "addopts="]
        done = subprocess.run(
            [workshop.python, *tracing, *words, f"--junitxml={report}", *package.options, package.tests],
            cwd=copy,
            env=environment_of(copy, package, scratch),
            capture_output=True,
            text=True,
            timeout=900,
        )
        if not report.exists():
            sys.exit(
                f"{package.release}: the suite gave no report: {done.stdout[-2000:]}{done.stderr[-2000:]}"
            )
        if traced:
            translate_paths(workshop, root, copy)
        return outcomes(report)


def outcomes(report: Path) -> dict[str, str]:
    """Each test's outcome by its id; a test that is met twice keeps its worse outcome."""
    found: dict[str, str] = {}
    for case in ElementTree.parse(report).iter("testcase"):
        identifier = f"{case.get('classname')}::{case.get('name')}"
        children = {child.tag for child in case}
        outcome = next((tag for tag in ("failure", "error", "skipped") if tag in children), "passed")
        if found.get(identifier, "passed") == "passed":
            found[identifier] = outcome
    return found


def translate_paths(workshop: Workshop, root: Path, copy: Path) -> None:
    """Write the lines that ran as JSON, by path below the root."""
    data_file = f"--data-file={root / '.coverage'}"
    words = ["-m", "coverage", "json", *_OWN_SETTINGS, "-q", data_file, "-i", "-o", str(root / "executed.json")]
    subprocess.run([workshop.python, *words], cwd=copy, check=True, capture_output=True)


def fingerprints(root: Path) -> dict[str, str]:
    """The content of every file of a package."""
    return {
        path.relative_to(root).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(root.rglob("*"))
        if path.is_file() and ".zephyrun" not in path.parts
    }


def changed_lines(old: Path, new: Path) -> set[int]:
    """The 1-based lines of the new version that the old one does not have, comments left out."""
    before, after = (path.read_text("utf-8", "replace").splitlines() for path in (old, new))
    found: set[int] = set()
    for tag, _, _, first, last in SequenceMatcher(None, before, after, autojunk=False).get_opcodes():
        if tag in ("replace", "insert"):
            found.update(range(first + 1, last + 1))
    return {
        number
        for number in found
        if (stripped := after[number - 1].strip()) and not stripped.startswith("#")
    }


def executed_share(root: Path, original: Path, paths: list[str]) -> tuple[int, int]:
    """How many of the changed lines that are the beginning of a statement the suite executed, of how
    many."""
    files = json.loads((root / "executed.json").read_text())["files"]
    n_executed = n_changed = 0
    for path in paths:
        lines = changed_lines(original / path, root / path)
        measured = files.get(path, {"executed_lines": [], "missing_lines": []})
        executed, missing = set(measured["executed_lines"]), set(measured["missing_lines"])
        n_executed += len(lines & executed)
        n_changed += len(lines & (executed | missing)) if path in files else len(lines)
    return n_executed, n_changed


def torture(
    workshop: Workshop, package: Package, only: str, *, in_foreign_hand: bool
) -> tuple[int, int, int, int]:
    """Clean up one package and print what came of it: tests that passed, those that broke, and how
    many of the changed lines ran, of how many."""
    began = time.perf_counter()
    root = fetch(workshop, package)
    if in_foreign_hand:
        (root / "zephyrun.toml").write_text(FOREIGN_HAND)
    original = root.with_name("original")
    shutil.copytree(root, original, symlinks=True)
    print(f"\n{package.release}: {package.difficulty}")
    before = run_suite(workshop, root, package)
    plan = root.with_name("cleanup.toml")

    tool_began = time.perf_counter()
    zephyrun("propose", root, "--output", plan, *(["--only", only] if only else []))
    counts = accept_everything(plan)
    report = json.loads(zephyrun("apply", plan, "--format", "json", ok=(0, 1)))
    verdict = json.loads(zephyrun("verify", original, root, "--format", "json", ok=(0, 1, 3)))
    tool_seconds = time.perf_counter() - tool_began
    print("steps in the plan: " + listed(counts))
    print_steps(tomllib.loads(plan.read_text()).get("step", []), report)

    print(f"verdict afterwards: {verdict['verdict']}")
    if only == "layout":
        others = files_with_other_trees(original, root, report["files"])
        print(f"files whose trees differ: {len(others)} of {len(report['files'])}; "
              f"a second run would propose {safe_layout_left(root)} steps")
    after = run_suite(workshop, root, package)
    passed = {test for test, outcome in before.items() if outcome == "passed"}
    broken = sorted(test for test in passed if after.get(test) != "passed")
    if broken:
        # Some tests depend on the time of day: they get a second chance, on both copies alike.
        again, unchanged = run_suite(workshop, root, package), run_suite(workshop, original, package)
        broken = [each for each in broken if again.get(each) != "passed" and unchanged.get(each) == "passed"]

    run_suite(workshop, root, package, traced=True)
    n_executed, n_changed = executed_share(root, original, report["files"])
    for name in (".coverage", "executed.json"):
        (root / name).unlink(missing_ok=True)

    zephyrun("undo", root, ok=(0, 1))
    was_restored = fingerprints(root) == fingerprints(original)
    print(f"tests that passed: {len(passed):,} before, {sum(each == 'passed' for each in after.values()):,} after; "
          f"broken: {len(broken)}")
    for test in broken:
        print(f"   {test}")

    print(f"changed lines that the suite executed: {n_executed:,} of {n_changed:,}")
    print(f"undo gave every byte back: {'yes' if was_restored else 'NO'}")
    print(
        f"seconds: {tool_seconds:.1f} for propose, apply and verify, {time.perf_counter() - began:.0f} in all"
    )
    return len(passed), len(broken) + (not was_restored), n_executed, n_changed


def main() -> int:
    """Run the torture; 1 when a test that passed fails afterwards, or a byte is not given back."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("names", nargs="*", help=f"some of {', '.join(PACKAGES)}; default: all")
    parser.add_argument("--only", default="", help="keep to these kinds or families")
    parser.add_argument(
        "--foreign-hand", action="store_true", help="settle the layout as none of the packages has it"
    )
    parser.add_argument("--keep", type=Path, help="work in this folder, and leave it")
    arguments = parser.parse_args()
    if unknown := set(arguments.names) - PACKAGES.keys():
        parser.error(f"no such package: {', '.join(sorted(unknown))}")
    packages = [PACKAGES[name] for name in arguments.names or PACKAGES]
    folder = arguments.keep or Path(tempfile.mkdtemp(prefix="torture-packages-"))
    folder.mkdir(parents=True, exist_ok=True)
    workshop = open_workshop(folder.resolve(), packages)
    totals = [
        torture(workshop, package, arguments.only, in_foreign_hand=arguments.foreign_hand)
        for package in packages
    ]
    n_passed, n_broken, n_executed, n_changed = map(sum, zip(*totals, strict=True))
    print(f"\nPython {sys.version.split()[0]}, {len(packages)} packages, {n_passed:,} tests that passed; "
          f"broken: {n_broken}; changed lines executed: {n_executed:,} of {n_changed:,} "
          f"({n_executed / max(n_changed, 1):.0%})")
    if not arguments.keep:
        shutil.rmtree(folder, ignore_errors=True)
    return 1 if n_broken else 0


if __name__ == "__main__":
    sys.exit(main())
