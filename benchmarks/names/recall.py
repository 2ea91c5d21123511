"""How many bad names are found: good names of real code are replaced by short forms, and sought.

    python benchmarks/names/recall.py SOURCES [--packages report]

One local variable of each function gets a short form as people write them: its skeleton, its words cut to three
letters, or, where it stands over 15 lines or more, one letter. What is printed: how many of them are found as
`cryptic-name`, how many of these with a name proposed, and with the very name that was there.
"""

from __future__ import annotations

import argparse
import random
import tomllib
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from masking import HERE, function_of

from zephyrun.findings import survey_source
from zephyrun.findings.naming import answered, read_usage
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse
from zephyrun.languages.python.reserved import RESERVED
from zephyrun.naming.features import is_good, is_variable
from zephyrun.naming.letters import skeleton
from zephyrun.naming.words import split_name
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.proof.remains import Surroundings
from zephyrun.source import Edit, EditSet

HOWS = ("skeleton", "cut to three letters", "one letter over 15 lines or more")
_LONG_SPAN = 15
_LEAST_LETTERS = 4
_CUT = 3
_SEED = 3


def shortened(name: str, how: str) -> str:
    """A short form of a name."""
    words = split_name(name)
    if how == HOWS[0]:
        return "_".join(map(skeleton, words))
    return "_".join(word[:_CUT] for word in words) if how == HOWS[1] else words[0][0]


def chosen(parsed: ParsedFile, how: str, chance: random.Random) -> Iterator[tuple[int, str]]:
    """One variable of each function of a file, with its short form."""
    facts = parsed.facts
    by_function: dict[int, list[int]] = {}
    for binding, record in enumerate(facts.bindings):
        name = record.name
        if record.scope and name.islower() and len(name) >= _LEAST_LETTERS and is_good(name):
            if is_variable(facts, binding) and is_local_variable(facts, binding) and function_of(facts, binding):
                by_function.setdefault(function_of(facts, binding), []).append(binding)
    for bindings in by_function.values():
        binding = chance.choice(bindings)
        record = facts.bindings[binding]
        first, last = (parsed.source.line_of(facts.references[record.references[index]].start) for index in (0, -1))
        short = shortened(record.name, how)
        is_long_enough = how != HOWS[2] or last - first + 1 >= _LONG_SPAN
        is_new = short not in facts.names and short not in RESERVED and short != record.name
        if is_long_enough and is_new and len(record.references) > 1 and short.isidentifier():
            yield binding, short


def _with_short_names(parsed: ParsedFile, names: dict[int, str]) -> bytes:
    facts = parsed.facts
    edits = [
        Edit(facts.references[index].start, facts.references[index].end, short)
        for binding, short in names.items()
        for index in facts.bindings[binding].references
    ]
    return EditSet(edits).apply(parsed.source)


def ask(folder: Path) -> Counter[tuple[str, str]]:
    """How many names of a package were replaced, found, named, and named as before, for each way."""
    chance = random.Random(_SEED)
    counts: Counter[tuple[str, str]] = Counter()
    files = {path: path.read_bytes() for path in sorted(folder.rglob("*.py"))}
    usages = {str(path): usage for path, data in files.items() if (usage := read_usage(data)) is not None}
    for path, data in files.items():
        try:
            parsed = parse(data)
        except UnreadableSource:
            continue
        for how in HOWS:
            names = dict(chosen(parsed, how, chance))
            if not names:
                continue
            new = _with_short_names(parsed, names)
            survey = survey_source(str(path), new, Surroundings("m"), ["cryptic-name"])
            if survey.unread:
                continue
            (survey,) = answered([survey], {**usages, str(path): survey.usage} if survey.usage else usages)
            found = {(each.scope.removeprefix("m."), each.subject): each for each in survey.findings}
            for binding, short in names.items():
                record = parsed.facts.bindings[binding]
                finding = found.get((parsed.facts.dotted(record.scope), short))
                texts = [each.text for each in finding.suggestions] if finding is not None else []
                counts[how, "replaced"] += 1
                counts[how, "found"] += finding is not None
                counts[how, "named"] += bool(texts)
                counts[how, "named as before"] += texts[:1] == [record.name]
    return counts


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    parser.add_argument("--packages", default="report", help="a group of sources.toml (default: report)")
    arguments = parser.parse_args()
    names = tomllib.loads((HERE / "sources.toml").read_text())[arguments.packages]
    together: Counter[tuple[str, str]] = Counter()
    with ProcessPoolExecutor() as workers:
        for counts in workers.map(ask, [arguments.sources / name for name in names]):
            together += counts
    for how in HOWS:
        n = together[how, "replaced"] or 1
        told = ", ".join(f"{what} {together[how, what] / n:.1%}" for what in ("found", "named", "named as before"))
        print(f"{how}: {n} names, {told}")


if __name__ == "__main__":
    main()
