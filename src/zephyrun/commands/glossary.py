"""`zephyrun glossary`: the words of a project, what they mean, and which of them stand for one another."""

from __future__ import annotations

import argparse
from pathlib import Path

from zephyrun.commands import OK, options
from zephyrun.findings.naming import read_things
from zephyrun.linking.modules import is_python
from zephyrun.naming.glossary import Entry, glossary_of
from zephyrun.naming.words import plural
from zephyrun.project.discovery import read_project
from zephyrun.project.left_out import may_be_edited
from zephyrun.project.roots import find_root, for_people
from zephyrun.project.settings import read_settings
from zephyrun.reports.lines import StyledLine, counted, one_line, wrapped_line

_USUAL_LIMIT = 40
_WORD_WIDTH, _COUNT_WIDTH = 18, 6
_INDENTATION = " " * (_WORD_WIDTH + _COUNT_WIDTH + 2)
_MOST_SORTS = 3


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument(
        "path", nargs="?", type=options.path, default=Path(), metavar="PATH",
        help="a file or folder of the project (default: here)",
    )
    parser.add_argument(
        "--limit", type=options.whole_number, default=_USUAL_LIMIT, metavar="N",
        help=f"show so many words (default: {_USUAL_LIMIT}, 0 for all)",
    )
    parser.add_argument(
        "--unsettled", action="store_true", help="only short forms and words that rival one another"
    )
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Print the words, the commonest first."""
    root = find_root([arguments.path])
    settings = read_settings(root)
    files = [
        (path, data)
        for path, data in sorted(read_project(root).items())
        if isinstance(data, bytes) and is_python(path) and may_be_edited(path, data, settings, ())
    ]
    n_bytes = sum(len(data) for _, data in files)
    found = options.map_files(read_things, files, n_bytes=n_bytes, jobs=arguments.jobs, what="reading")
    entries = glossary_of(
        (thing for things in found for thing in things), dict(settings.words.meanings)
    )
    if arguments.unsettled:
        entries = [each for each in entries if each.short_for or each.short_forms or each.rivals]
    shown = entries[: arguments.limit] if arguments.limit else entries
    if arguments.format == "json":
        options.print_document(_document(root, entries))
        return OK
    screen = options.Screen(arguments.color)
    for entry in shown:
        for line in _lines(entry, root):
            screen.print(line)
    more = "; all of them: --limit 0" if len(shown) < len(entries) else ""
    screen.print(f"{counted(len(shown), 'word')} of {len(entries)} in {counted(len(files), 'file')}{more}")
    screen.print("to say what a word means, write it into [tool.zephyrun.words] of pyproject.toml")
    return OK


def _lines(entry: Entry, root: Path) -> list[StyledLine]:
    sorts = ", ".join(
        f"{count:,} {sort if count == 1 else plural(sort)}" for sort, count in entry.sorts[:_MOST_SORTS]
    )
    where = f"{for_people(root / entry.path)}:{entry.line}"
    remark = f" · short for {entry.short_for}" if entry.short_for else ""
    if entry.short_forms:
        remark += f" · also written {', '.join(entry.short_forms)}"
    lines = [
        one_line(
            (f"{entry.word:{_WORD_WIDTH}}", "bold cyan" if not entry.short_for else "bold yellow"),
            (f"{entry.n_things:>{_COUNT_WIDTH},}", ""),
            (f"  {sorts}", ""),
            (remark, "yellow"),
            (f"  {where}", "dim"),
        )
    ]
    if entry.meaning:
        lines.append(one_line(f"{_INDENTATION}{entry.meaning}"))
    if entry.rivals:
        lines.append(
            wrapped_line(_INDENTATION, ("perhaps the same as ", "yellow"), ", ".join(entry.rivals))
        )
    return lines


def _document(root: Path, entries: list[Entry]) -> dict[str, object]:
    return {
        "schema": "zephyrun.glossary/1",
        "root": for_people(root),
        "words": [
            {
                "word": each.word,
                "things": each.n_things,
                "sorts": dict(each.sorts),
                "path": each.path,
                "line": each.line,
                "meaning": each.meaning,
                "short_for": each.short_for,
                "short_forms": each.short_forms,
                "rivals": each.rivals,
            }
            for each in entries
        ],
    }
