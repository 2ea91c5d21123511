"""`zephyrun verify`: do two versions do the same?"""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from zephyrun.commands import NO_VERDICT, NOT_SO, OK, options
from zephyrun.commands.worlds import world_of
from zephyrun.decisions import DECISIONS_FILE
from zephyrun.errors import UserError
from zephyrun.linking.modules import is_python
from zephyrun.linking.texts import is_own_document
from zephyrun.project.discovery import read_content, read_tree
from zephyrun.project.kept_facts import own_kept_facts
from zephyrun.project.repository import find_repository
from zephyrun.project.roots import KEPT_FOLDER, OWN_MARK, find_root, for_people
from zephyrun.project.settings import read_settings
from zephyrun.project.target import find_target
from zephyrun.proof.surroundings import Content
from zephyrun.proof.trees import Pair, TreeProof, compare_trees, judge_pair
from zephyrun.proof.verdict import FileProof, Verdict
from zephyrun.source import SourceText

_EXIT_CODES = {Verdict.SAME: OK, Verdict.DIFFERENT: NOT_SO, Verdict.UNPROVEN: NO_VERDICT}

_OWN_FILES = (OWN_MARK, DECISIONS_FILE)
_OWN_ENDINGS = (".toml", ".json")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument(
        "paths",
        type=options.path,
        nargs="*",
        metavar="OLD NEW",
        help="the old and the new file or folder; with --since or --between the project, if not the one here",
    )
    revisions = parser.add_mutually_exclusive_group()
    revisions.add_argument("--since", metavar="REV", help="compare the work tree with this revision (git)")
    revisions.add_argument("--between", nargs=2, metavar="REV", help="compare two revisions (git)")
    parser.add_argument(
        "--strict", action="store_true", help="count what rests on an assumption as unproven"
    )
    parser.add_argument(
        "--code-only", action="store_true", help="leave out files that are not Python"
    )
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Print the verdict; the exit code says it too."""
    sides = _sides(arguments)
    old, new = map(_without_own, (sides.old, sides.new))

    def run_all(pairs: Sequence[Pair]) -> list[FileProof | None]:
        n_bytes = sum(len(each.new or b"") for each in pairs if each.old != each.new)
        return options.map_files(
            judge_pair, pairs, n_bytes=n_bytes, jobs=arguments.jobs, what="comparing"
        )

    settings = read_settings(sides.root)
    target = find_target(sides.root, settings)
    memory = own_kept_facts(sides.kept_at) if sides.kept_at is not None else None
    if memory is not None and old != new:
        memory.recall_glances([*old.values(), *new.values()])
    proof = compare_trees(
        old,
        new,
        strict=arguments.strict,
        code_only=arguments.code_only,
        reason_against=target.reason_against,
        run_all=run_all,
        world=replace(world_of(sides.root, settings, memory), oldest=target.oldest),
    )
    if memory is not None:
        memory.save()
    if arguments.format == "json":
        from zephyrun.reports.documents import verify_document

        options.print_document(
            verify_document(sides.old_root, sides.new_root, proof, sides.revisions)
        )
    else:
        _print(proof, {"old": old, "new": new}, arguments.color)
    return _EXIT_CODES[proof.verdict]


def _without_own(files: Mapping[str, Content]) -> dict[str, Content]:
    """The files of a side without settings, plans and reports of ours, which are no part of the program."""
    return {path: data for path, data in files.items() if not _is_own(path, data)}


def _is_own(path: str, data: Content) -> bool:
    is_document = path.endswith(_OWN_ENDINGS) and isinstance(data, bytes) and is_own_document(data)
    return is_document or path.rpartition("/")[2] in _OWN_FILES


class _Sides(NamedTuple):
    """What is compared: both versions by path, where each lies, the project to which the new one belongs, the root where
    the facts of files are kept, and the revisions that they are of, "" for files as they lie there."""

    old: dict[str, Content]
    new: dict[str, Content]
    old_root: str
    new_root: str
    root: Path
    kept_at: Path | None
    revisions: tuple[str, str] = ("", "")


def _sides(arguments: argparse.Namespace) -> _Sides:
    """Both sides. Errors: `UserError` when they cannot be compared at all."""
    if arguments.since is None and arguments.between is None:
        if len(arguments.paths) != len(("old", "new")):
            raise UserError("give two files or two folders, or --since REV, or --between REV REV")
        return _two_paths(*arguments.paths)
    if len(arguments.paths) > 1:
        raise UserError("give one project at most beside --since or --between")
    root = find_root(arguments.paths or [Path(".")])
    options.recover(root)
    repository = find_repository(root)
    lies_at = for_people(root)
    if arguments.between is not None:
        before, after = arguments.between
        new = repository.files_at(after)
        return _Sides(repository.files_at(before, new), new, lies_at, lies_at, root, root, (before, after))
    work_tree = {name: read_content(root / name) for name in repository.files_of_work_tree()}
    old = repository.files_at(arguments.since, work_tree)
    return _Sides(old, work_tree, lies_at, lies_at, root, root, (arguments.since, ""))


def _two_paths(old: Path, new: Path) -> _Sides:
    for path in (old, new):
        if not path.exists():
            raise UserError(f"{path} does not exist; check the spelling or the working folder")
        options.recover(find_root([path]))
    if old.is_dir() != new.is_dir():
        raise UserError(f"{old} and {new} cannot be compared; give two files or two folders")
    if old.is_dir():
        # Nothing is left behind in a folder that is only looked at.
        kept_at = next((path for path in (new, old) if (path / KEPT_FOLDER).is_dir()), None)
        return _Sides(dict(read_tree(old)), dict(read_tree(new)), for_people(old), for_people(new), new, kept_at)
    # Two files are compared whatever they are called; the new one's name stands for both.
    name = new.name if is_python(new.name) else f"{new.name}.py"
    roots = for_people(old.parent), for_people(new.parent)
    return _Sides({name: _content(old)}, {name: _content(new)}, *roots, find_root([new]), None)


def _content(path: Path) -> Content:
    return read_content(path.resolve())


def _print(proof: TreeProof, sides: Mapping[str, Mapping[str, Content]], color: str) -> None:
    from zephyrun.reports.proof_view import proof_view

    def text_of(path: str, side: str) -> SourceText | None:
        content = sides[side].get(path)
        return SourceText.from_bytes(content, strict=False) if isinstance(content, bytes) else None

    screen = options.Screen(color)
    for part in proof_view(proof, text_of):
        screen.print(part)
