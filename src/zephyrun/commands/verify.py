"""`zephyrun verify`: do two versions do the same?"""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from pathlib import Path

from zephyrun.commands import NO_VERDICT, NOT_SO, OK, options
from zephyrun.errors import UserError
from zephyrun.linking.modules import is_python
from zephyrun.project.audience import is_library
from zephyrun.project.discovery import read_content, read_tree
from zephyrun.project.library import read_library
from zephyrun.project.roots import find_root, for_people
from zephyrun.project.settings import read_settings
from zephyrun.project.target import find_target
from zephyrun.proof.renames import World
from zephyrun.proof.surroundings import Content
from zephyrun.proof.trees import Pair, TreeProof, compare_trees, judge_pair
from zephyrun.proof.verdict import FileProof, Verdict
from zephyrun.source import SourceText

_EXIT_CODES = {Verdict.SAME: OK, Verdict.DIFFERENT: NOT_SO, Verdict.UNPROVEN: NO_VERDICT}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    parser.add_argument("old", type=options.path, metavar="OLD", help="the old file or folder")
    parser.add_argument("new", type=options.path, metavar="NEW", help="the new file or folder")
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
    for path in (arguments.old, arguments.new):
        if path.exists():
            options.recover(find_root([path]))
    old, new = _read(arguments.old, arguments.new)

    def run_all(pairs: Sequence[Pair]) -> list[FileProof | None]:
        n_bytes = sum(len(each.new or b"") for each in pairs if each.old != each.new)
        return options.map_files(
            judge_pair, pairs, n_bytes=n_bytes, jobs=arguments.jobs, what="comparing"
        )

    root = arguments.new if arguments.new.is_dir() else find_root([arguments.new])
    settings = read_settings(root)
    proof = compare_trees(
        old,
        new,
        strict=arguments.strict,
        code_only=arguments.code_only,
        reason_against=find_target(root, settings).reason_against,
        run_all=run_all,
        world=World(
            settings.import_roots, settings.harmless_decorators, read_library, is_library(root, settings)
        ),
    )
    if arguments.format == "json":
        from zephyrun.reports.documents import verify_document

        options.print_document(
            verify_document(_root(arguments.old), _root(arguments.new), proof)
        )
    else:
        _print(proof, {"old": old, "new": new}, arguments.color)
    return _EXIT_CODES[proof.verdict]


def _root(path: Path) -> str:
    return for_people(path if path.is_dir() else path.parent)


def _read(old: Path, new: Path) -> tuple[dict[str, Content], dict[str, Content]]:
    """Both sides by path. Errors: `UserError` when they cannot be compared at all."""
    for path in (old, new):
        if not path.exists():
            raise UserError(f"{path} does not exist; check the spelling or the working folder")
    if old.is_dir() != new.is_dir():
        raise UserError(f"{old} and {new} cannot be compared; give two files or two folders")
    if old.is_dir():
        return dict(read_tree(old)), dict(read_tree(new))
    # Two files are compared whatever they are called; the new one's name stands for both.
    name = new.name if is_python(new.name) else f"{new.name}.py"
    return {name: _content(old)}, {name: _content(new)}


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
