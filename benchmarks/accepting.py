"""What both tortures share: run our commands, accept all that is safe, and tell what became of it."""

from __future__ import annotations

import ast
import json
import re
import subprocess
import sys
import tomllib
from collections import Counter
from pathlib import Path
from typing import Any

# Habits that no package here has, so that nearly every line of it departs from them.
FOREIGN_HAND = """\
[habits]
indentation = 2
line-width = 68
assignment = "tight"
comparison = "tight"
comma = "tight"
closing-bracket = "last-line"
elements = "filled"
operator-break = "after"
blank-before-definition = 1
"""

# Names for where none is proposed, by action.
MADE_UP = {"rename": "made_up_{}", "constant": "_MADE_UP_{}"}


def zephyrun(*words: str | Path, ok: tuple[int, ...] = (0,)) -> str:
    """Run a command of ours; its standard output. Exits when it ends otherwise than with `ok`."""
    done = subprocess.run(
        [sys.executable, "-m", "zephyrun", *map(str, words)], capture_output=True, text=True
    )
    if done.returncode not in ok:
        sys.exit(f"zephyrun {words[0]} ended with {done.returncode}: {done.stderr}")
    return done.stdout


def accept_everything(plan: Path, vouched_for: tuple[str, ...] = ()) -> Counter[str]:
    """Accept every safe step, and make up a name where none is proposed. Steps that wait for a person's
    word count as safe when all that they ask ends with one of `vouched_for`."""
    counts: Counter[str] = Counter()
    steps = tomllib.loads(plan.read_text()).get("step", [])
    text = plan.read_text()
    head, *tables = re.split(r"(?m)^\[\[step\]\]$", text)
    rewritten = [head]
    for number, (step, table) in enumerate(zip(steps, tables, strict=True)):
        is_vouched = bool(vouched_for) and all(each.endswith(vouched_for) for each in step["confirm"])
        if step["remedy"] == "safe" or (step["remedy"] == "review" and is_vouched):
            table = table.replace("\naccept = false", "\naccept = true")
            if step["action"] in MADE_UP and not step["new"]:
                name = MADE_UP[step["action"]].format(number)
                table = table.replace('\nnew = ""', f'\nnew = "{name}"')
                counts["with a made-up name"] += 1
            elif step["action"] in MADE_UP:
                counts["with a suggested name"] += 1
            if step["remedy"] == "review":
                counts[f"{step['action']} vouched for"] += 1
        counts[f"{step.get('kind') or step['action']} {step['remedy']}"] += 1
        rewritten.append(table)
    plan.write_text("[[step]]".join(rewritten))
    return counts


def files_with_other_trees(original: Path, changed: Path, paths: list[str]) -> list[str]:
    """The files whose syntax trees differ, positions apart: layout must leave none."""
    def tree(root: Path, path: str) -> str:
        return ast.dump(ast.parse((root / path).read_bytes()))

    return [path for path in paths if tree(original, path) != tree(changed, path)]


def safe_layout_left(root: Path) -> int:
    """How many layout steps a second run would propose; there should be none."""
    report = json.loads(zephyrun("survey", root, "--only", "layout", "--format", "json"))
    return sum(finding["remedy"] == "safe" for finding in report["findings"])


def listed(counts: Counter[str]) -> str:
    """`3 rename safe, 1 comment safe`."""
    return ", ".join(f"{count:,} {what}" for what, count in sorted(counts.items())) or "nothing"


def print_steps(steps: list[dict[str, Any]], report: dict[str, Any]) -> None:
    """What was carried out, by action, and what was refused, by reason."""
    actions = {step["id"]: step.get("kind") or step["action"] for step in steps}
    print("carried out:       " + listed(Counter(actions[each] for each in report["applied"])))
    print("mended again:      " + listed(Counter(each["kind"] for each in report["mended_again"])))
    reasons = Counter(
        re.sub(r"line \d+: |`[^`]*`|\bin \S+", "…", each["reason"]) for each in report["refused"]
    )
    print(f"refused:           {len(report['refused'])}")
    for reason, count in reasons.most_common():
        print(f"  {count:5} {reason}")
