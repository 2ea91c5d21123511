"""Two versions of one file: hear the witnesses, and say where they see a difference."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection
from itertools import pairwise

from zephyrun.facts import FileFacts
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse
from zephyrun.languages.python.reading import deep_recursion
from zephyrun.proof.compiled import NotCompiled, compiled_difference
from zephyrun.proof.locating import judge_definitions, locate_differences
from zephyrun.proof.normal_form import NormalForm
from zephyrun.proof.remains import (
    SOURCE_IS_NOT_READ,
    Surroundings,
    new_name_reservations,
    reads_source,
    reservations,
)
from zephyrun.proof.verdict import DefinitionProof, Difference, FileProof, Verdict, worst

_ALONE = Surroundings()
_WARNING_CALLS = frozenset({"warn", "warn_explicit", "showwarning"})
WARNINGS_DO_NOT_COUNT_LINES = "warnings that are shown once per line are not told apart by lines"


def compare_files(
    old: bytes,
    new: bytes,
    surroundings: Surroundings = _ALONE,
    *,
    confirmed: Collection[str] = (),
    strict: bool = False,
) -> FileProof:
    """Do two versions of one file do the same?

    `confirmed` holds what a person vouches for, in the words of `reservations`; with `strict`,
    assumptions count as reasons against. No errors: what cannot be read is `unproven`.
    """
    if old == new:
        return FileProof(Verdict.SAME, definitions=_all_same(old))
    try:
        old_file = _parse_side(old, "old")
        new_file = _parse_side(new, "new")
        with deep_recursion():
            return _compare(old_file, new_file, surroundings, frozenset(confirmed), strict)
    except UnreadableSource as problem:
        return FileProof(Verdict.UNPROVEN, differences=(Difference(0, 0, str(problem)),))
    except RecursionError:
        return FileProof(
            Verdict.UNPROVEN, differences=(Difference(0, 0, "the code is nested too deeply"),)
        )


def _parse_side(data: bytes, side: str) -> ParsedFile:
    try:
        return parse(data)
    except UnreadableSource as problem:
        raise UnreadableSource(f"the {side} version cannot be read: {problem}") from problem


def _all_same(data: bytes) -> tuple[DefinitionProof, ...]:
    try:
        parsed = parse(data)
    except UnreadableSource:
        return ()
    return judge_definitions(parsed, parsed, ())


def _compare(
    old: ParsedFile,
    new: ParsedFile,
    surroundings: Surroundings,
    confirmed: frozenset[str],
    strict: bool,
) -> FileProof:
    old_form, new_form = NormalForm(old), NormalForm(new)
    old_form.write_module()
    new_form.write_module()
    if old_form.elements != new_form.elements:
        differences = locate_differences(old, new, old_form, new_form)
        return FileProof(
            worst(difference.verdict for difference in differences),
            differences=differences,
            definitions=judge_definitions(old, new, differences),
        )
    renamed = _renamed(old_form, new_form, old.facts, new.facts)
    differences = (
        _compiled_witness(old, new)
        + _remaining(old, new, renamed, surroundings, confirmed)
        + _first_lines(old, new)
    )
    assumed = []
    if surroundings.reads_source or reads_source(old.facts):
        assumed.append(SOURCE_IS_NOT_READ)
    if _issues_warnings(old.facts) and _shared_lines(old) != _shared_lines(new):
        assumed.append(WARNINGS_DO_NOT_COUNT_LINES)
    if strict:
        differences += tuple(Difference(0, 0, f"rests on an assumption: {what}") for what in assumed)
    assumptions = [*(sorted(confirmed) if renamed else []), *assumed]
    return FileProof(
        worst(difference.verdict for difference in differences),
        _count_edits(old, new, renamed),
        differences,
        judge_definitions(old, new, differences),
        tuple(assumptions),
    )


def _renamed(
    old_form: NormalForm, new_form: NormalForm, old: FileFacts, new: FileFacts
) -> dict[int, int]:
    """Old to new binding, for the locals that have another name. Equal forms number alike."""
    new_by_number = {number: binding for binding, number in new_form.order.items()}
    pairs = {binding: new_by_number[number] for binding, number in old_form.order.items()}
    return {
        before: after
        for before, after in pairs.items()
        if old.bindings[before].name != new.bindings[after].name
    }


def _compiled_witness(old: ParsedFile, new: ParsedFile) -> tuple[Difference, ...]:
    try:
        difference = compiled_difference(old.source.to_bytes(), new.source.to_bytes())
    except NotCompiled as problem:
        difference = str(problem)
    return () if difference is None else (Difference(0, 0, f"compiled: {difference}"),)


def _remaining(
    old: ParsedFile,
    new: ParsedFile,
    renamed: dict[int, int],
    surroundings: Surroundings,
    confirmed: frozenset[str],
) -> tuple[Difference, ...]:
    found = []
    for before, after in renamed.items():
        for reservation in reservations(old.facts, before, surroundings):
            if reservation.what not in confirmed:
                line = old.source.line_of(reservation.start)
                found.append(Difference(line, 0, f"not shown: {reservation.what}"))
        for reservation in new_name_reservations(new.facts, after):
            if reservation.what not in confirmed:
                line = new.source.line_of(reservation.start)
                found.append(Difference(0, line, f"not shown: {reservation.what}"))
    return tuple(found)


def _first_lines(old: ParsedFile, new: ParsedFile) -> tuple[Difference, ...]:
    """A first line with `#!` is no mere comment: the system reads in it what runs the file."""
    lines = [parsed.source.line(1) for parsed in (old, new)]
    if lines[0] == lines[1] or not any(line.startswith("#!") for line in lines):
        return ()
    return (Difference(1, 1, "the first line, which says what runs the file, changed"),)


def _issues_warnings(facts: FileFacts) -> bool:
    return bool(_WARNING_CALLS & facts.attributes) or any(
        name.rpartition(".")[2] in _WARNING_CALLS for name in facts.imports
    )


def _shared_lines(parsed: ParsedFile) -> list[bool]:
    """For each statement but the first, whether it begins on the line of the one before it."""
    lines = [parsed.source.line_of(each.start) for each in parsed.facts.statements]
    return [before == after for before, after in pairwise(lines)]


# -- what was edited -------------------------------------------------------------------------------


def _count_edits(
    old: ParsedFile, new: ParsedFile, renamed: dict[int, int]
) -> tuple[tuple[str, int], ...]:
    before = Counter(comment.text for comment in old.facts.comments)
    after = Counter(comment.text for comment in new.facts.comments)
    n_comments = max((before - after).total(), (after - before).total())
    edits = []
    if renamed:
        edits.append(("local rename", len(renamed)))
    if n_comments:
        edits.append(("comment", n_comments))
    if _layout_differs(old, new, renamed, ignore_blank_lines=bool(n_comments)):
        edits.append(("layout", 1))
    return tuple(edits)


def _layout_differs(
    old: ParsedFile, new: ParsedFile, renamed: dict[int, int], *, ignore_blank_lines: bool
) -> bool:
    names = {
        index: new.facts.bindings[after].name
        for before, after in renamed.items()
        for index in old.facts.bindings[before].references
    }
    replaced = {
        (old.facts.references[index].start, old.facts.references[index].end): name
        for index, name in names.items()
    }
    before = _lines(old, replaced, ignore_blank_lines)
    after = _lines(new, {}, ignore_blank_lines)
    return before != after


def _lines(parsed: ParsedFile, replaced: dict[tuple[int, int], str], drop_blank: bool) -> list[str]:
    """The text's lines without comments, trailing spaces and (on demand) blank lines."""
    text = parsed.source.text
    cuts = dict(replaced) | {(comment.start, comment.end): "" for comment in parsed.facts.comments}
    pieces: list[str] = []
    position = 0
    for (start, end), instead in sorted(cuts.items()):
        pieces += (text[position:start], instead)
        position = end
    lines = re.split(r"(\r\n|\r|\n)", "".join([*pieces, text[position:]]))
    stripped = [
        line.rstrip(" \t\f") if line.strip(" \t\f\r\n") else line.strip(" \t\f") for line in lines
    ]
    if drop_blank:
        return [line for line in stripped if line.strip("\r\n")]
    return stripped
