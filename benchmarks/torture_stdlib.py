"""Clean up a copy of standard library modules, and run their own tests against the copy.

    python benchmarks/torture_stdlib.py [--modules N] [--keep FOLDER]

Survey, propose and apply run as commands on a copy. Every `safe` step is accepted, whatever its score
(and those of which a person knows what they ask); where no better name stands in the code, a made-up one
is filled in, so that every name that the tool calls safe is put to the test. The standard library's
tests run against the copy before and after (with frozen modules off; each module's `__file__` is
checked), and nothing that passed may fail. As in any project, the tests lie in the tree that is cleaned
up: read, and not edited. Prints steps by action, refusals by reason, tests before and after by name,
seconds.
"""

from __future__ import annotations

import argparse
import json
import shutil
import subprocess
import sys
import sysconfig
import tempfile
import time
import tomllib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from accepting import (
    FOREIGN_HAND,
    accept_everything,
    files_with_other_trees,
    listed,
    print_steps,
    safe_layout_left,
    zephyrun,
)

STDLIB = Path(sysconfig.get_path("stdlib"))

# Modules and packages with test modules of their own that need no network and no screen.
MODULES = {
    "argparse": "test_argparse", "base64": "test_base64", "bdb": "test_bdb", "bisect": "test_bisect",
    "calendar": "test_calendar", "cmd": "test_cmd", "code": "test_code", "codeop": "test_codeop",
    "colorsys": "test_colorsys", "compileall": "test_compileall", "configparser": "test_configparser",
    "contextlib": "test_contextlib", "copy": "test_copy", "csv": "test_csv",
    "dataclasses": "test_dataclasses", "difflib": "test_difflib", "dis": "test_dis",
    "enum": "test_enum", "filecmp": "test_filecmp", "fileinput": "test_fileinput",
    "fnmatch": "test_fnmatch", "fractions": "test_fractions", "ftplib": "test_ftplib",
    "functools": "test_functools", "getopt": "test_getopt", "gettext": "test_gettext",
    "glob": "test_glob", "graphlib": "test_graphlib", "gzip": "test_gzip", "heapq": "test_heapq",
    "hmac": "test_hmac", "html": "test_htmlparser", "inspect": "test_inspect",
    "ipaddress": "test_ipaddress", "json": "test_json", "linecache": "test_linecache",
    "locale": "test_locale", "mailbox": "test_mailbox", "mimetypes": "test_mimetypes",
    "netrc": "test_netrc", "ntpath": "test_ntpath", "optparse": "test_optparse",
    "pathlib": "test_pathlib", "pickle": "test_pickle", "pickletools": "test_pickletools",
    "plistlib": "test_plistlib", "posixpath": "test_posixpath", "pprint": "test_pprint",
    "quopri": "test_quopri", "random": "test_random", "re": "test_re", "reprlib": "test_reprlib",
    "sched": "test_sched", "shlex": "test_shlex", "shutil": "test_shutil", "smtplib": "test_smtplib",
    "statistics": "test_statistics", "string": "test_string", "symtable": "test_symtable",
    "tabnanny": "test_tabnanny", "tarfile": "test_tarfile", "tempfile": "test_tempfile",
    "textwrap": "test_textwrap", "timeit": "test_timeit", "tokenize": "test_tokenize",
    "trace": "test_trace", "traceback": "test_traceback", "types": "test_types",
    "typing": "test_typing", "urllib": "test_urlparse", "uuid": "test_uuid",
    "weakref": "test_weakref", "xmlrpc": "test_xmlrpc", "zipapp": "test_zipapp",
}

# A module and a test load others by name and go through all their names. Nobody asks them to load these,
# and a person would know.
VOUCHED_FOR = ("by optparse minds one more", "by test_bdb minds one more")

# By module: an error text, and outcomes by test id.
Reports = dict[str, tuple[str, dict[str, str]]]

# Runs one test module and prints one line of JSON: where the module came from, and each test's
# outcome by its id.
_RUNNER = """
import importlib, json, sys, unittest, warnings
name, test_name = sys.argv[1:3]
outcomes = {}
class Recorder(unittest.TestResult):
    def startTest(self, test): outcomes[test.id()] = "passed"
    def addError(self, test, error): outcomes[test.id()] = "error"
    def addFailure(self, test, error): outcomes[test.id()] = "failed"
    def addSkip(self, test, reason): outcomes[test.id()] = "skipped"
    def addExpectedFailure(self, test, error): outcomes[test.id()] = "expected failure"
    def addUnexpectedSuccess(self, test): outcomes[test.id()] = "unexpected success"
    def addSubTest(self, test, subtest, error):
        if error is not None: outcomes[test.id()] = "failed"
module = importlib.import_module(name)
out, sys.stdout = sys.stdout, sys.stderr
suite = unittest.defaultTestLoader.loadTestsFromName("test." + test_name)
suite.run(Recorder())
print(json.dumps({"file": module.__file__, "outcomes": outcomes}), file=out)
"""


def run_tests(copy: Path, name: str, test_name: str) -> tuple[str, dict[str, str]]:
    """One test module against the copy: an error text ("" for none), and outcomes by test id."""
    work = tempfile.mkdtemp(prefix="torture-run-")
    try:
        done = subprocess.run(
            [sys.executable, "-X", "frozen_modules=off", "-W", "ignore", "-c", _RUNNER, name, test_name],
            env={"PYTHONPATH": str(copy), "PATH": "/usr/bin:/bin", "HOME": work, "LANG": "C.UTF-8"},
            cwd=work,
            capture_output=True,
            text=True,
            timeout=300,
        )
        report = json.loads(done.stdout.strip().splitlines()[-1])
    except subprocess.TimeoutExpired:
        return "took longer than 300 seconds", {}
    except (IndexError, ValueError):
        return f"did not report: {done.stderr.strip().splitlines()[-1:]}", {}
    finally:
        shutil.rmtree(work, ignore_errors=True)
    if not Path(report["file"]).is_relative_to(copy):
        return f"was loaded from {report['file']}, not from the copy", {}
    return "", report["outcomes"]


def copy_tests(test_name: str, folder: Path) -> None:
    """Put a test module or package of the standard library where a project would have it."""
    source = STDLIB / "test" / test_name
    if source.is_dir():
        shutil.copytree(source, folder / test_name, ignore=shutil.ignore_patterns("__pycache__"))
    else:
        folder.mkdir(exist_ok=True)
        shutil.copy(source.with_suffix(".py"), folder)


def copy_modules(copy: Path, n_modules: int) -> list[str]:
    """Put modules and their tests into a folder; the names of those that have tests here."""
    names = [
        name
        for name in list(MODULES)[:n_modules]
        if (STDLIB / "test" / f"{MODULES[name]}.py").exists() or (STDLIB / "test" / MODULES[name]).is_dir()
    ]
    for name in names:
        if (STDLIB / name).is_dir():
            shutil.copytree(STDLIB / name, copy / name, ignore=shutil.ignore_patterns("__pycache__"))
        else:
            shutil.copy(STDLIB / f"{name}.py", copy)
        copy_tests(MODULES[name], copy / "tests")
    return names


def run_all_tests(copy: Path, names: list[str]) -> Reports:
    """All test modules, two at a time."""
    with ThreadPoolExecutor(2) as pool:
        reports = pool.map(lambda name: run_tests(copy, name, MODULES[name]), names)
        return dict(zip(names, reports, strict=True))


def print_tests(
    names: list[str], before: Reports, after: Reports, original: Path, copy: Path
) -> list[str]:
    """Passed tests by module; gives back those that a change broke."""
    broken: list[str] = []
    n_before = n_after = 0
    for name in names:
        problem, outcomes = after[name]
        passed = {test for test, outcome in before[name][1].items() if outcome == "passed"}
        worse = sorted(test for test in passed if outcomes.get(test) != "passed")
        if worse:
            # Some tests depend on the time of day or on what else runs: they get a second chance,
            # on both copies alike.
            _, again = run_tests(copy, name, MODULES[name])
            _, unchanged = run_tests(original, name, MODULES[name])
            worse = [
                test for test in worse if again.get(test) != "passed" and unchanged.get(test) == "passed"
            ]
        if problem and not before[name][0]:
            worse.append(f"{name}: {problem}")
        broken += worse
        n_passed = sum(outcome == "passed" for outcome in outcomes.values())
        n_before += len(passed)
        n_after += n_passed
        note = f"  before: {before[name][0]}" if before[name][0] else ""
        print(f"  {name:14} passed before {len(passed):5}, after {n_passed:5}, broken {len(worse)}{note}")
    print(f"tests that passed: {n_before:,} before, {n_after:,} after; broken: {len(broken)}")
    for test in broken:
        print(f"   {test}")
    return broken


def main() -> int:
    """Run the torture; 1 when a test that passed fails afterwards."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("--modules", type=int, default=len(MODULES), help="only the first N modules")
    parser.add_argument("--only", default="", help="keep to these kinds or families")
    parser.add_argument(
        "--foreign-hand", action="store_true", help="settle the layout as the library does not have it"
    )
    parser.add_argument("--keep", type=Path, help="leave the changed copy in this folder")
    arguments = parser.parse_args()
    began = time.perf_counter()
    folder = arguments.keep or Path(tempfile.mkdtemp(prefix="torture-"))
    copy = folder / "copy"
    copy.mkdir(parents=True)
    (copy / "zephyrun.toml").write_text(FOREIGN_HAND if arguments.foreign_hand else "")
    names = copy_modules(copy, arguments.modules)
    original = folder / "original"
    shutil.copytree(copy, original)
    before = run_all_tests(copy, names)
    tests_seconds = time.perf_counter() - began

    tool_began = time.perf_counter()
    plan = folder / "cleanup.toml"
    only = ["--only", arguments.only] if arguments.only else []
    zephyrun("propose", copy, "--output", plan, *only)
    counts = accept_everything(plan, VOUCHED_FOR)
    report = json.loads(zephyrun("apply", plan, "--format", "json", ok=(0, 1)))
    verdict = json.loads(zephyrun("verify", original, copy, "--format", "json", ok=(0, 1, 3)))
    tool_seconds = time.perf_counter() - tool_began
    after = run_all_tests(copy, names)

    n_tests = len(list((copy / "tests").rglob("*.py")))
    n_files = len(list(copy.rglob("*.py"))) - n_tests
    print(
        f"Python {sys.version.split()[0]}, {len(names)} modules and packages, {n_files} files, "
        f"{n_tests} files of tests"
    )
    print("steps in the plan: " + listed(counts))
    print_steps(tomllib.loads(plan.read_text()).get("step", []), report)
    print(f"verdict afterwards: {verdict['verdict']}")
    if arguments.only == "layout":
        others = files_with_other_trees(original, copy, report["files"])
        print(f"files whose trees differ: {len(others)} of {len(report['files'])}; "
              f"a second run would propose {safe_layout_left(copy)} steps")
    broken = print_tests(names, before, after, original, copy)
    print(
        f"seconds: {tests_seconds:.0f} for the tests once, {tool_seconds:.1f} for propose, apply and verify"
    )
    if not arguments.keep:
        shutil.rmtree(folder, ignore_errors=True)
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
