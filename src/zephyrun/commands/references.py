"""`zephyrun references`: every place where a name stands, and what it does there."""

from __future__ import annotations

import argparse

from zephyrun.commands import OK, options
from zephyrun.commands.pointing import (
    Fixed,
    PointedAt,
    add_target,
    line_and_column,
    place_of,
    point_at,
)
from zephyrun.commands.positions import refuse
from zephyrun.languages.python.reading import without_collector
from zephyrun.linking.search import find_usage
from zephyrun.linking.usage import Place, PlaceSort, Usage
from zephyrun.project.roots import for_people
from zephyrun.reports.lines import counted, one_line, wrapped_line
from zephyrun.source import SourceText

_STYLES = {PlaceSort.DEFINITION: "bold", PlaceSort.WRITE: "yellow"}
_LEAST_WIDTH_OF_SORT = 10


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    add_target(parser)
    options.add_format(parser)


@without_collector()
def run(arguments: argparse.Namespace) -> int:
    """List the references; nothing is changed."""
    try:
        pointed = point_at(arguments.target)
    except Fixed as problem:
        return refuse(str(problem), "zephyrun.references/1", arguments)
    usage = find_usage(pointed.evaluator, pointed.target)
    pointed.kept_facts.save()
    if arguments.format == "json":
        options.print_document(_document(pointed, usage))
    else:
        _print(options.Screen(arguments.color), pointed, usage)
    return OK


def _document(pointed: PointedAt, usage: Usage) -> dict[str, object]:
    def listed(place: Place) -> dict[str, object]:
        line, column = line_and_column(pointed, place.path, place.start)
        return {"path": place.path, "line": line, "column": column, "sort": place.sort.value}

    return {
        "schema": "zephyrun.references/1",
        "root": for_people(pointed.root),
        "target": usage.label,
        "references": [listed(place) for place in sorted(usage.places)],
        "open": [listed(each.place) | {"why": each.why} for each in usage.open_places],
        "mentions": [listed(place) for place in sorted(usage.mentions)],
        "reservations": [each.what for each in usage.doubts],
        "obstacles": [each.reason for each in usage.obstacles],
    }


def _print(screen: options.Screen, pointed: PointedAt, usage: Usage) -> None:
    by_path = usage.by_path()
    sorts = [place.sort.value for place in (*usage.places, *usage.mentions)]
    width = max(map(len, sorts), default=0)
    shown = f"{counted(len(usage.places), 'reference')} in {counted(len(by_path), 'file')}"
    screen.print(wrapped_line((usage.label, "bold"), f": {shown}"))
    for path, places in by_path.items():
        screen.print(wrapped_line((for_people(pointed.root / path), "cyan")))
        for place in places:
            _print_place(screen, pointed, place, width)
    if usage.open_places:
        screen.print(wrapped_line(("perhaps", "bold yellow"), ": what it means there is not known"))
        for each in usage.open_places:
            where = place_of(pointed, each.place.path, each.place.start)
            screen.print(wrapped_line(f"  {where}  ", each.why))
    if usage.mentions:
        screen.print(wrapped_line(("mentioned", "bold"), ": the same word, no reference"))
        for place in sorted(usage.mentions):
            _print_place(screen, pointed, place, width, with_path=True)


def _print_place(
    screen: options.Screen, pointed: PointedAt, place: Place, width_of_sort: int, *, with_path: bool = False
) -> None:
    line, column = line_and_column(pointed, place.path, place.start)
    data = pointed.contents[place.path]
    assert isinstance(data, bytes), "a name was found in it"
    code = SourceText.from_bytes(data, strict=False).line(line)
    first = len(code) - len(code.lstrip())
    width = place.end - place.start
    start = column - 1
    where = place_of(pointed, place.path, place.start) if with_path else f"{line}:{column}"
    screen.print(
        one_line(
            f"  {where:>8}  ",
            (f"{place.sort.value:<{max(width_of_sort, _LEAST_WIDTH_OF_SORT)}}  ", _STYLES.get(place.sort, "dim")),
            code[first:start],
            (code[start : start + width], "bold underline"),
            code[start + width :],
        )
    )
