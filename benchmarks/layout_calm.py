"""What Zephyrun finds in the layout of packages that are well kept: little.

    python benchmarks/layout_calm.py [--draw N] [--seed N] [--show]

For ten packages: findings and touched lines per 1,000 lines. Then N findings are drawn at random; with
`--show` each is printed as a difference, to be judged. The judgements of the draw with the default seed
lie in `judged/layout.toml`: whether the author would agree, and why where not.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
import tempfile
import tomllib
from collections import Counter
from pathlib import Path

from accepting import zephyrun
from layout_restore import unpack

PACKAGES = (
    "django==5.0.6", "twisted==24.3.0", "sqlalchemy==2.0.30", "networkx==3.3", "tornado==6.4.1",
    "sphinx==7.3.7", "werkzeug==3.0.3", "marshmallow==3.21.3", "pyparsing==3.1.2", "urllib3==2.2.1",
)
JUDGED = Path(__file__).parent / "judged" / "layout.toml"
# In a thousand lines.
MOST_FINDINGS, MOST_TOUCHED = 2, 5
_THOUSAND = 1000


def main() -> int:
    """Print the figures; 1 where a package has more than two findings, or five touched lines, in 1,000."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("--draw", type=int, default=50)
    parser.add_argument("--seed", type=int, default=2026)
    parser.add_argument("--show", action="store_true")
    arguments = parser.parse_args()
    drawn_from: list[tuple[str, dict]] = []
    n_missed = 0
    with tempfile.TemporaryDirectory(prefix="layout-calm-") as scratch:
        roots = {}
        for release in PACKAGES:
            root = roots[release] = unpack(release, Path(scratch))
            report = json.loads(zephyrun("survey", root, "--only", "layout", "--format", "json"))
            n_touched, n_lines = touched_lines(root), report["lines"]
            shares = [_THOUSAND * count / n_lines for count in (len(report["findings"]), n_touched)]
            n_missed += shares[0] > MOST_FINDINGS or shares[1] > MOST_TOUCHED
            kinds = Counter(each["kind"] for each in report["findings"])
            print(f"{release:22} {n_lines:8,} lines  findings {shares[0]:5.2f}  lines touched {shares[1]:5.2f}  {dict(kinds)}")
            drawn_from += [(release, each) for each in report["findings"]]
        dice = random.Random(arguments.seed)
        drawn = dice.sample(drawn_from, min(arguments.draw, len(drawn_from)))
        if arguments.show:
            for number, (release, finding) in enumerate(drawn, 1):
                show(number, release, roots[release], finding, Path(scratch))
    if JUDGED.exists():
        print_judged({f"{release} {finding['id']}" for release, finding in drawn})
    return 1 if n_missed else 0


def touched_lines(root: Path) -> int:
    """How many lines of a package its layout steps would change or add."""
    difference = zephyrun("settle", root, "--dry-run", ok=(0, 1))
    return sum(line.startswith("+") and not line.startswith("+++") for line in difference.splitlines())


def show(number: int, release: str, root: Path, finding: dict, scratch: Path) -> None:
    """Print one finding and what it would come to, alone."""
    print(
        f"\n== {number}  {release}  {finding['path']}:{finding['line']}  {finding['kind']}  {finding['id']}"
    )
    print(f"   {finding['message']}")
    plan = scratch / "one.toml"
    zephyrun("propose", root / finding["path"], "--only", finding["kind"], "--output", plan)
    head, *tables = plan.read_text().split("[[step]]")
    own = [each for each in tables if f'finding = "{finding["id"]}"' in each]
    plan.write_text("[[step]]".join([head, *own]))
    print(zephyrun("apply", plan, "--dry-run", ok=(0, 1)))


def print_judged(drawn: set[str]) -> None:
    """What the judgements come to, of the findings that were drawn."""
    judged = tomllib.loads(JUDGED.read_text())["judged"]
    known = [each for each in judged if f"{each['package']} {each['finding']}" in drawn]
    n_agreed = sum(each["agree"] for each in known)
    print(f"judged: {len(known)} of {len(drawn)} drawn; the author would agree with {n_agreed}")


if __name__ == "__main__":
    sys.exit(main())
