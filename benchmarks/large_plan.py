"""A plan of 2,000 steps: what it costs to prove them together, and what one bad step costs.

    python benchmarks/large_plan.py [--steps N]

On a copy of the standard library without its tests. Safe steps are accepted, with made-up names where
none is proposed, until there are as many as asked for. Measured side by side: the whole plan, and a
sample of its steps applied one plan each, as seconds of processor time a step. Then the plan once more,
with a person's check that one step cannot pass: how often the check ran, and what was taken back.
"""

from __future__ import annotations

import argparse
import json
import re
import resource
import shlex
import shutil
import sys
import sysconfig
import tempfile
from pathlib import Path

from accepting import accept_everything, zephyrun

BAD_NAME = "made_up_and_unwelcome"
SAMPLE = 12
MILLISECONDS_PER_SECOND = 1000


def processor_seconds(*words: str | Path, ok: tuple[int, ...] = (0,)) -> tuple[float, str]:
    """Processor time that a command of ours takes, those that it starts included, and what it prints."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    printed = zephyrun(*words, ok=ok)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime, printed


def split_plan(plan: Path) -> tuple[str, list[str]]:
    """What stands before the steps, and the accepted steps."""
    head, *tables = plan.read_text().split("[[step]]")
    return head, [each for each in tables if "\naccept = true" in each]


def check_command(folder: Path) -> str:
    """A person's check that fails as long as the bad name stands anywhere, and counts its runs."""
    script = folder / "check.py"
    script.write_text(
        "import pathlib, sys\n"
        f"with open({str(folder / 'runs')!r}, 'a') as file:\n    file.write('.')\n"
        f"sys.exit(any({BAD_NAME!r} in path.read_text('utf-8', 'replace') "
        f"for path in pathlib.Path({str(folder / 'tree')!r}).rglob('*.py')))\n"
    )
    return f"{shlex.quote(sys.executable)} {shlex.quote(str(script))}"


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("--steps", type=int, default=2000)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        tree, plan = folder / "tree", folder / "cleanup.toml"
        ignored = shutil.ignore_patterns("__pycache__", "site-packages", "test", "tests", "idlelib")
        shutil.copytree(sysconfig.get_path("stdlib"), tree, ignore=ignored)
        (tree / "zephyrun.toml").touch()
        zephyrun("propose", tree, "--output", plan)
        accept_everything(plan)
        head, steps = split_plan(plan)
        steps = steps[: arguments.steps]
        plan.write_text("[[step]]".join([head, *steps]))
        seconds, printed = processor_seconds("apply", plan, "--format", "json", ok=(0, 1))
        report = json.loads(printed)
        print(f"{len(steps):,} steps in {len(report['files'])} files: {len(report['applied']):,} carried out, "
              f"{len(report['refused'])} refused; {MILLISECONDS_PER_SECOND * seconds / len(steps):.1f} ms of processor time a step")
        zephyrun("undo", tree)

        total = 0.0
        for step in steps[:: len(steps) // SAMPLE][:SAMPLE]:
            plan.write_text("[[step]]".join([head, step]))
            total += processor_seconds("apply", plan, "--format", "json", ok=(0, 1))[0]
            zephyrun("undo", tree, ok=(0, 1))
        print(f"one plan a step: {MILLISECONDS_PER_SECOND * total / SAMPLE:.0f} ms a step, "
              f"{total / SAMPLE / (seconds / len(steps)):.0f} times as much ({SAMPLE} steps)")

        applied = set(report["applied"])
        good = [each for each in steps if re.search(r'\nid = "(\w+)"', each)[1] in applied]
        renames = [index for index, each in enumerate(good) if 'action = "rename"' in each]
        bad = renames[len(renames) // 2]
        good[bad] = re.sub(r'\nnew = ".*"', f'\nnew = "{BAD_NAME}"', good[bad])
        plan.write_text("[[step]]".join([head, *good]))
        words = ("apply", plan, "--run-after", check_command(folder), "--format", "json")
        report = json.loads(zephyrun(*words, ok=(0, 1)))
        print(f"with one step that the person's check does not pass: {len(report['applied']):,} carried out, "
              f"{len(report['taken_back'])} taken back, {len(report['refused'])} refused; "
              f"the check ran {len((folder / 'runs').read_text())} times")


if __name__ == "__main__":
    main()
