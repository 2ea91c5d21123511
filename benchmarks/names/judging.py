"""Draw findings about names from real code, to be judged by a reader who is not told which names were found.

    python benchmarks/names/judging.py SOURCES --kind cryptic-name [--draw 100] [--mix 40] [--seed N] [--score]

So many findings of a kind are drawn from packages that the shipped table was not learned from, and so many variables
and parameters that were not found are mixed in. Each is printed with the lines around it, and a question: would a
careful reviewer ask for another name here? With `--score`, the answers in `benchmarks/judged/names.toml` are counted: of the
names there that are found today, and of those that are not, how many need another.
"""

from __future__ import annotations

import argparse
import random
import tomllib
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

from masking import HERE

from zephyrun.commands.project_habits import measure_project
from zephyrun.findings import survey_source
from zephyrun.findings.naming import answered
from zephyrun.languages.python import parse
from zephyrun.naming.features import is_variable
from zephyrun.project.settings import Settings
from zephyrun.proof.remains import Surroundings

JUDGED = HERE.parents[0] / "judged" / "names.toml"
_GROUPS = ("report", "tune", "judged")
_LINES_AROUND = 3


class Drawn(NamedTuple):
    """A name to be judged: where it is, what the finding says ("" for one that was not found), and the lines around."""

    place: str
    name: str
    message: str
    code: str

    @property
    def key(self) -> str:
        """What stands for it in the file of judgements."""
        return f"{self.place} {self.name}"


def names_of(folder: Path, kind: str) -> tuple[list[Drawn], list[Drawn]]:
    """The findings of a kind in a package, and the variables and parameters that are none."""
    sources = {
        path: path.read_bytes()
        for path in sorted(folder.rglob("*.py"))
        if not any(part.startswith("test") for part in path.relative_to(folder).parts)
    }
    habits = measure_project({str(path): data for path, data in sources.items()}, Settings(), 1).sides
    surveys = [survey_source(str(path), data, Surroundings("m"), [kind], habits) for path, data in sources.items()]
    surveys = answered(surveys, {each.path: each.usage for each in surveys if each.usage is not None})
    found, others = [], []
    for survey in surveys:
        if survey.unread:
            continue
        data = sources[Path(survey.path)]
        parsed = parse(data)
        lines = parsed.source.text.splitlines()
        label = f"{folder.name}/{Path(survey.path).relative_to(folder)}"
        here = set()
        for each in survey.findings:
            here.add((each.start.line, each.subject))
            found.append(_drawn(label, each.start.line, each.subject, each.message, lines))
        for binding, record in enumerate(parsed.facts.bindings):
            if record.scope and is_variable(parsed.facts, binding):
                line = parsed.source.line_of(parsed.facts.references[record.references[0]].start)
                if (line, record.name) not in here:
                    others.append(_drawn(label, line, record.name, "", lines))
    return found, others


def _drawn(path: str, line: int, name: str, message: str, lines: list[str]) -> Drawn:
    first = max(line - _LINES_AROUND, 1)
    last = min(line + _LINES_AROUND, len(lines))
    code = "\n".join(f"      {'>' if n == line else ' '} {lines[n - 1]}" for n in range(first, last + 1))
    return Drawn(f"{path}:{line}", name, message, code)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    parser.add_argument("--kind", default="cryptic-name")
    parser.add_argument("--draw", type=int, default=100)
    parser.add_argument("--mix", type=int, default=40)
    parser.add_argument("--seed", type=int, default=2026)
    parser.add_argument("--score", action="store_true")
    arguments = parser.parse_args()

    judged = {
        f"{each['place']} {each['name']}": each["agree"]
        for each in tomllib.loads(JUDGED.read_text("utf-8"))["judged"]
        if each["kind"] == arguments.kind
    }
    listed = tomllib.loads((HERE / "sources.toml").read_text())
    names = [name for group in _GROUPS for name in listed[group]]
    if arguments.score:
        names = sorted({key.partition("/")[0] for key in judged})
    folders = [arguments.sources / name for name in names]
    with ProcessPoolExecutor() as workers:
        pairs = list(workers.map(partial(names_of, kind=arguments.kind), folders))

    all_found = sorted(each for found, _ in pairs for each in found)
    all_others = sorted(each for _, others in pairs for each in others)
    if arguments.score:
        print_score(arguments.kind, judged, all_found, all_others)
        return

    chance = random.Random(arguments.seed)
    found = chance.sample(all_found, min(arguments.draw, len(all_found)))
    others = chance.sample(all_others, arguments.mix)
    mixed = [*found, *others]
    chance.shuffle(mixed)
    for number, each in enumerate(mixed, 1):
        told = f"\n      {each.message}" if each.message and arguments.kind != "cryptic-name" else ""
        print(f"{number:3} {each.key}{told}\n{each.code}\n")


def print_score(kind: str, judged: Mapping[str, bool], found: list[Drawn], others: list[Drawn]) -> None:
    """How many of the judged names need another one, of those that are found and of those that are not."""
    n_named = len(found) + len(others)
    print(f"{kind}: {len(found)} of {n_named} names, {len(found) / n_named:.1%}")
    for what, named in (("found", found), ("not found", others)):
        known = [judged[key] for key in dict.fromkeys(each.key for each in named) if key in judged]
        if known:
            print(f"{what}: {sum(known)} of {len(known)} need another name, {sum(known) / len(known):.0%}")


if __name__ == "__main__":
    main()
