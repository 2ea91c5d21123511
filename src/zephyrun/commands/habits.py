"""`zephyrun habits`: how a project's code stands on the page, place by place."""

from __future__ import annotations

import argparse
from pathlib import Path

from zephyrun.commands import OK, options
from zephyrun.commands.project_habits import ProjectHabits, measure_project
from zephyrun.project.discovery import read_project
from zephyrun.project.roots import find_root, for_people
from zephyrun.project.settings import read_settings
from zephyrun.reports.lines import counted


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument(
        "path", nargs="?", type=options.path, default=Path(), metavar="PATH",
        help="a file or folder of the project (default: here)",
    )
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Print the habits."""
    root = find_root([arguments.path])
    measured = measure_project(read_project(root), read_settings(root), arguments.jobs)
    if arguments.format == "json":
        options.print_document(_document(root, measured))
        return OK
    from zephyrun.reports.habits_view import habits_view

    screen = options.Screen(arguments.color)
    for line in habits_view(measured.habits, measured.counts, measured.examples, screen.is_terminal):
        screen.print(line)
    of_all = f", of {measured.n_candidates}" if measured.n_candidates > measured.n_files else ""
    screen.print(f"measured on {counted(measured.n_files, 'file')} of {for_people(root)}{of_all}")
    screen.print("to settle a place otherwise, write it into [tool.zephyrun.habits] of pyproject.toml")
    return OK


def _document(root: Path, measured: ProjectHabits) -> dict[str, object]:
    return {
        "schema": "zephyrun.habits/1",
        "root": for_people(root),
        "files": measured.n_files,
        "habits": [
            {
                "place": habit.place,
                "side": habit.side or None,
                "share": round(habit.share, 4),
                "places": habit.n,
                "origin": habit.origin,
                "sides": [
                    {
                        "side": side,
                        "places": measured.counts[habit.place, side],
                        "example": measured.examples[habit.place, side]._asdict(),
                    }
                    for side in measured.sides_in_order(habit.place)
                    if (habit.place, side) in measured.examples
                ],
            }
            for habit in measured.habits.values()
        ],
    }
