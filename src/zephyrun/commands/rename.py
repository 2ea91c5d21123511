"""`zephyrun rename`: give one thing another name, wherever it is referred to, and prove it."""

from __future__ import annotations

import argparse
import sys
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial

from zephyrun.changes.bridges import KeptName, add_bridges
from zephyrun.changes.new_names import names_that_keep_order
from zephyrun.changes.project_renames import Change, Wish, carry_out_renames
from zephyrun.commands import NOT_SO, OK, options
from zephyrun.commands.differences import difference_lines
from zephyrun.commands.pointing import (
    Fixed,
    PointedAt,
    add_target,
    offset_at,
    place_of,
    point_at,
)
from zephyrun.commands.positions import refuse
from zephyrun.journal import Deed, Journal, Operation
from zephyrun.languages.python.reading import without_collector
from zephyrun.linking.usage import Doubt, PlaceSort, TargetSort
from zephyrun.project.left_out import why_kept
from zephyrun.project.roots import for_people
from zephyrun.project.target import find_target
from zephyrun.proof.bridges import OLD_NAMES_WARN
from zephyrun.proof.compiled import IN_ANOTHER_ORDER
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.renames import RenameProof, judge_renames
from zephyrun.proof.verdict import Verdict
from zephyrun.reports.lines import counted, wrapped_line

# So many doubts that differ in the file alone are told together, with so many of their places.
_FEWEST_TOLD_TOGETHER = 6
_MOST_PLACES_SHOWN = 3
_MOST_MENTIONS_SHOWN = 12


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    add_target(parser)
    parser.add_argument("new", metavar="NEW", help="the new name alone, without what stands before it")
    parser.add_argument(
        "--confirm",
        action="store_true",
        help="vouch for everything that the command lists: that the open places mean this thing, "
        "and that nothing else depends on its name",
    )
    parser.add_argument(
        "--apart",
        action="append",
        default=[],
        metavar="PATH:LINE:COLUMN",
        help="with --confirm: the name at this open place is that of another thing, and stays",
    )
    parser.add_argument(
        "--documents",
        action="store_true",
        help="change documents (Markdown, reStructuredText) and comments that mention the name, too",
    )
    parser.add_argument(
        "--bridge",
        action="store_true",
        help="keep the old public name for code outside the project: it goes on working, and warns",
    )
    options.add_dry_run(parser)
    options.add_format(parser)


@without_collector()
def run(arguments: argparse.Namespace) -> int:
    """Rename, or say why not; nothing is written unless all of it is proved."""
    try:
        pointed = point_at(arguments.target)
    except Fixed as problem:
        return refuse(str(problem), "zephyrun.rename/1", arguments)
    if not arguments.dry_run:
        options.recover(pointed.root)

    surroundings = pointed.world.look_around(pointed.contents)
    change = carry_out_renames(
        pointed.evaluator,
        [Wish(pointed.target, arguments.new)],
        surroundings=surroundings,
        confirms_all=arguments.confirm,
        apart=frozenset(offset_at(pointed, place) for place in arguments.apart),
        with_documents=arguments.documents,
        why_kept=partial(why_kept, settings=pointed.settings),
    )
    doubts = _doubts_left(change, arguments.bridge)
    refusals = list(_reasons_against(pointed, change))

    proof = None
    kept: list[KeptName] = []
    if not refusals and (arguments.confirm or not doubts and not change.open_places):
        proof = _prove(pointed, change, surroundings)
        if proof.verdict is not Verdict.SAME:
            refusals = list(_unproved(proof))
            if any(reason.endswith(IN_ANOTHER_ORDER) for reason in refusals):
                refusals += _other_names(pointed, arguments.new)
        elif arguments.bridge:
            proof, kept, refusals = _keep_old_names(pointed, change, proof, doubts, surroundings)
    pointed.kept_facts.save()
    is_done = proof is not None and not refusals
    if is_done and not arguments.dry_run:
        assert proof is not None, "it was proved"
        _write(pointed, change, proof, f"rename {arguments.target} {arguments.new}")

    if arguments.format == "json":
        options.print_document(_document(pointed, change, doubts, refusals, proof, kept, is_done))
    elif is_done and arguments.dry_run:
        sys.stdout.writelines(_difference(pointed, change))
    elif is_done:
        assert proof is not None, "it was proved"
        _print(options.Screen(arguments.color), pointed, change, proof, kept, arguments.new)
    else:
        screen = options.Screen(arguments.color, to_errors=True)
        _print_refusal(screen, pointed, change, doubts, refusals)
    return OK if is_done else NOT_SO


def _doubts_left(change: Change, bridge: bool) -> list[Doubt]:
    """What a person must vouch for; a bridge answers for what code outside may use, but not for what it
    may override."""
    if not bridge:
        return change.doubts
    left = [doubt for doubt in change.doubts if not doubt.of_outsiders]
    for usage in change.usages:
        about = next((doubt for doubt in usage.doubts if doubt.of_outsiders), None)
        if about is not None and usage.target.sort is TargetSort.MEMBER:
            left.append(about._replace(what=f"no class outside this project overrides {usage.label}"))
    return left


def _keep_old_names(
    pointed: PointedAt,
    change: Change,
    proof: RenameProof,
    doubts: list[Doubt],
    surroundings: Mapping[str, Surroundings],
) -> tuple[RenameProof, list[KeptName], list[str]]:
    """Add bridges to a change that is proved: what the verdict rests on then, what is kept, and reasons
    against it."""
    bridging = add_bridges(pointed.world.evaluator(change.contents), change, surroundings)
    before = {new: old for old, new in change.moved.items()}
    for path, data in bridging.contents.items():
        change.contents[path] = data
        change.changed[before.get(path, path)] = data
    change.added.update(bridging.added)
    answered = {doubt.what for doubt in change.doubts if doubt.of_outsiders}
    assumptions = [each for each in proof.assumptions if each not in answered]
    own_words = [doubt.what for doubt in doubts if doubt.what not in assumptions]
    assumed = (*assumptions, *own_words, *dict.fromkeys(bridging.assumed), OLD_NAMES_WARN)
    return replace(proof, assumptions=assumed), bridging.kept, bridging.reasons


def _reasons_against(pointed: PointedAt, change: Change) -> Iterator[str]:
    """Why the change is not to be made, each with its place."""
    if reason := find_target(pointed.root, pointed.settings).reason_against:
        yield reason
    for obstacle in change.reasons:
        if obstacle.path in pointed.contents:
            yield f"{place_of(pointed, obstacle.path, obstacle.start)}: {obstacle.reason}"
        else:
            yield obstacle.reason
    yield from _files_left_behind(pointed, change)


def _files_left_behind(pointed: PointedAt, change: Change) -> Iterator[str]:
    """A package moves with all that is in its folder, and so must what was not read."""
    for folder in {path.rpartition("/")[0] for path in change.moved if path.endswith("__init__.py")}:
        for path in sorted((pointed.root / folder).rglob("*")):
            name = path.relative_to(pointed.root).as_posix()
            is_kept = "__pycache__" in path.parts or path.is_dir()
            if not is_kept and name not in change.moved:
                yield f"{for_people(path)} lies in the package and was not read; move it by hand first"


def _prove(
    pointed: PointedAt, change: Change, surroundings: Mapping[str, Surroundings]
) -> RenameProof:
    touched = change.changed.keys() | change.moved.keys()
    at_new_paths = {
        change.moved.get(path, path): surroundings[path] for path in touched if path in surroundings
    }
    world = replace(pointed.world, surroundings=at_new_paths)
    return judge_renames(
        pointed.contents,
        change.contents,
        change.renamings,
        world,
        moved=change.moved,
        confirmed=[doubt.what for doubt in change.doubts],
        before=pointed.evaluator,
    )


def _unproved(proof: RenameProof) -> Iterator[str]:
    for reason in proof.reasons:
        yield f"not proved: {reason}"
    for path, file in proof.files:
        for difference in file.differences[:1]:
            line = difference.old_line or difference.new_line
            where = f"{path}, line {line}" if line else path
            yield f"not proved: {where}: {difference.what}"


def _other_names(pointed: PointedAt, new: str) -> Iterator[str]:
    """What would do in place of a name that changes the order in which variables are cleared."""
    target = pointed.target
    if target.sort in (TargetSort.LOCAL, TargetSort.PARAMETER):
        facts = pointed.evaluator.file(target.path).facts
        if phrase := names_that_keep_order(facts, target.number, new):
            yield phrase


def _write(pointed: PointedAt, change: Change, proof: RenameProof, label: str) -> None:
    operations = []
    for path in sorted(change.changed.keys() | change.moved.keys()):
        before = pointed.contents[path]
        assert isinstance(before, bytes), "only what was read is changed"
        after = change.changed.get(path, before)
        target = change.moved.get(path, "")
        if path in change.added:
            # Something stays under the old name, so that nothing moves.
            operations.append(Operation(Deed.CREATE, target, after))
            operations.append(Operation(Deed.REPLACE, path, change.added[path], expected=before))
        else:
            deed = Deed.MOVE if target else Deed.REPLACE
            operations.append(Operation(deed, path, after, target, expected=before))
    Journal(pointed.root, for_people).carry_out(label, operations, proof.assumptions)


def _difference(pointed: PointedAt, change: Change) -> Iterator[str]:
    for path in sorted(change.changed.keys() | change.moved.keys()):
        before = pointed.contents[path]
        assert isinstance(before, bytes), "only what was read is changed"
        after = change.changed.get(path, before)
        yield from difference_lines(path, change.moved.get(path, path), before, after)
    for path, data in sorted(change.added.items()):
        yield from difference_lines("", path, b"", data)


def _document(
    pointed: PointedAt,
    change: Change,
    doubts: list[Doubt],
    refusals: list[str],
    proof: RenameProof | None,
    kept: list[KeptName],
    is_done: bool,
) -> dict[str, object]:
    def listed(path: str, start: int) -> str:
        return place_of(pointed, path, start)

    return {
        "schema": "zephyrun.rename/1",
        "root": for_people(pointed.root),
        "target": change.usages[0].label,
        "verdict": str(proof.verdict) if proof is not None else "",
        "done": is_done,
        "files": [
            {
                "path": change.moved.get(path, path),
                "references": len(change.usages[0].by_path().get(path, ())),
                **({"moved_from": path} if path in change.moved else {}),
            }
            for path in sorted(change.changed.keys() | change.moved.keys())
        ],
        "refused": refusals,
        "confirm": [doubt.what for doubt in doubts],
        "bridges": [{"path": path, "old": old, "new": new} for path, _, old, new in kept],
        "open": [
            {"place": listed(each.place.path, each.place.start), "why": each.why}
            for each in change.open_places
        ],
        "mentions": [
            {"place": listed(place.path, place.start), "sort": place.sort.value}
            for place in sorted(change.usages[0].mentions)
        ],
        "assumptions": list(proof.assumptions) if proof is not None else [],
        "difference": "".join(_difference(pointed, change)) if proof is not None else "",
    }


def _print(
    screen: options.Screen,
    pointed: PointedAt,
    change: Change,
    proof: RenameProof,
    kept: list[KeptName],
    new: str,
) -> None:
    usage = change.usages[0]
    for path, places in usage.by_path().items():
        shown = for_people(pointed.root / change.moved.get(path, path))
        counts = Counter(place.sort.value for place in places)
        what = ", ".join(_counted(count, sort) for sort, count in counts.most_common())
        screen.print(wrapped_line(("renamed  ", "bold green"), (shown, "cyan"), f": {what}"))
    for path, target in change.moved.items():
        before, after = for_people(pointed.root / path), for_people(pointed.root / target)
        screen.print(wrapped_line(("moved    ", "bold green"), f"{before} to ", (after, "cyan")))
    for path, sort, old, _ in kept:
        shown = for_people(pointed.root / path)
        screen.print(wrapped_line(("kept     ", "bold green"), (shown, "cyan"), f": {old}, {sort}; it warns"))
    _print_mentions(screen, pointed, change)
    for what in proof.assumptions:
        screen.print(wrapped_line(("assumed  ", "yellow"), what))
    n_files = len(change.changed.keys() | change.moved.keys())
    references = counted(len(usage.places), "reference")
    screen.print(
        f"{usage.label} is now {new}: {references} in {counted(n_files, 'file')}, proved the same"
    )
    here = for_people(pointed.root)
    screen.print(f"take it back: zephyrun undo {'' if here == '.' else here}".rstrip())


def _counted(count: int, sort: str) -> str:
    """`2 reads`, `1 in a comment`."""
    return f"{count} {sort}" if " " in sort else counted(count, sort)


def _print_mentions(screen: options.Screen, pointed: PointedAt, change: Change) -> None:
    mentions = sorted(change.usages[0].mentions)
    for place in mentions[:_MOST_MENTIONS_SHOWN]:
        what = {
            PlaceSort.COMMENT: "a comment, in which the word may mean something else",
            PlaceSort.DOCUMENTATION: "documentation, in which the word may mean something else",
            PlaceSort.DOCUMENT: "a document; --documents changes it, too",
        }.get(place.sort, "a string that nothing is known to look up")
        where = place_of(pointed, place.path, place.start)
        screen.print(wrapped_line(("left     ", "dim"), (where, "cyan"), f": {what}"))
    if len(mentions) > _MOST_MENTIONS_SHOWN:
        n_more = len(mentions) - _MOST_MENTIONS_SHOWN
        screen.print(wrapped_line(("left     ", "dim"), f"and {n_more} more (zephyrun references)"))


def _alike(doubts: Sequence[Doubt]) -> list[list[Doubt]]:
    """The doubts, those together that say the same of several files, or of several things that are called."""
    found: dict[str, list[Doubt]] = {}
    for doubt in doubts:
        about = doubt.called or doubt.path
        found.setdefault(doubt.what.replace(about, "…") if about else doubt.what, []).append(doubt)
    return list(found.values())


def _print_doubts(screen: options.Screen, pointed: PointedAt, doubts: Sequence[Doubt]) -> None:
    """What is to be confirmed; of many files in one sentence."""
    places = [place_of(pointed, each.path, each.start) if each.path else "" for each in doubts]
    if len(doubts) < _FEWEST_TOLD_TOGETHER:
        for where, doubt in zip(places, doubts, strict=True):
            screen.print(wrapped_line(("confirm  ", "bold yellow"), (where, "cyan"), f": {doubt.what}"))
        return
    first = doubts[0]
    files = counted(len({each.path for each in doubts}), "file")
    together = f"what is called at {len(doubts)} places in {files}" if first.called else files
    what = first.what.replace(first.called or first.path, together)
    shown = ", ".join(places[:_MOST_PLACES_SHOWN])
    rest = f" and {len(places) - _MOST_PLACES_SHOWN} more; --format json lists all"
    screen.print(wrapped_line(("confirm  ", "bold yellow"), f"{what} (", (shown, "cyan"), f"{rest})"))


def _print_refusal(
    screen: options.Screen,
    pointed: PointedAt,
    change: Change,
    doubts: list[Doubt],
    refusals: list[str],
) -> None:
    for reason in dict.fromkeys(refusals):
        screen.print(wrapped_line(("refused  ", "bold red"), reason))
    if not refusals:
        for each in change.open_places:
            where = place_of(pointed, each.place.path, each.place.start)
            screen.print(wrapped_line(("open     ", "bold yellow"), (where, "cyan"), f": {each.why}"))
        for alike in _alike(doubts):
            _print_doubts(screen, pointed, alike)
        screen.print(
            "nothing was changed. --confirm vouches for all of this: open places are renamed, too; "
            "--apart PATH:LINE:COLUMN keeps one as it is"
        )
        if any(doubt.of_reader for doubt in doubts):
            screen.print("a module of yours that reads names and minds no other ones goes into the setting `harmless_readers`")
        return
    screen.print("nothing was changed")
