"""Two versions of one file: hear the witnesses, and say where they see a difference."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise

from zephyrun.facts import FileFacts
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse, parse_shared
from zephyrun.languages.python.reading import deep_recursion
from zephyrun.linking.usage import minds_no_names
from zephyrun.proof.annotations import POSTPONING
from zephyrun.proof.canonical import EQUALITY, EXPLAINING, Canonical
from zephyrun.proof.code_readers import code_reservations
from zephyrun.proof.compiled import NotCompiled, Renamed, compiled_difference
from zephyrun.proof.definition_order import REORDERED, n_moved
from zephyrun.proof.explaining import OPERATORS_ASSUMPTION
from zephyrun.proof.known_calls import KnownCalls
from zephyrun.proof.locating import judge_definitions, locate_differences
from zephyrun.proof.named_constants import (
    constant_reservations,
    constants_beside,
    namespace_reservations,
)
from zephyrun.proof.normal_form import (
    NormalForm,
    Respelled,
    Version,
    differ_in_documentation,
    is_local_variable,
)
from zephyrun.proof.own_text import own_text_reservations
from zephyrun.proof.python_versions import unreadable_spelling
from zephyrun.proof.quoted_lines import changed_quoted_lines
from zephyrun.proof.remains import (
    SOURCE_IS_NOT_READ,
    Reservation,
    Surroundings,
    new_name_reservations,
    reads_source,
    reservations,
)
from zephyrun.proof.verdict import DefinitionProof, Difference, FileProof, Verdict, worst
from zephyrun.source.text import BYTE_ORDER_MARK

_ALONE = Surroundings()


@dataclass(frozen=True)
class Respelling:
    """Names of the new version that others can see and that were others in the old one: their places,
    each with the old spelling, and the pairs of names."""

    new: Respelled
    pairs: Renamed


NO_CALLS_KNOWN: tuple[KnownCalls, KnownCalls] = ({}, {})
NOTHING_RESPELLED = Respelling({}, frozenset())
_WARNING_CALLS = frozenset({"warn", "warn_explicit", "showwarning"})
WARNINGS_DO_NOT_COUNT_LINES = "warnings that are shown once per line are not told apart by lines"


def compare_files(
    old: bytes,
    new: bytes,
    surroundings: Surroundings = _ALONE,
    *,
    confirmed: Collection[str] = (),
    strict: bool = False,
    respelling: Respelling = NOTHING_RESPELLED,
    forgives_documentation: bool = False,
    rewrites: bool = False,
    known_calls: tuple[KnownCalls, KnownCalls] = NO_CALLS_KNOWN,
) -> FileProof:
    """Do two versions of one file do the same?

    `confirmed` holds what a person vouches for, in the words of `reservations`; with `strict`,
    assumptions count as reasons against; `respelling` says which names that others can see have become
    others. Where documentation is forgiven, somebody else is to ask who reads it. With `rewrites`, code
    may be written in other ways that are known to be equal, and constants be gone; `known_calls` tells
    of the calls of both versions what else would be needed for that. No errors: what cannot be read is `unproven`.
    """
    if old == new:
        return FileProof(Verdict.SAME, definitions=all_same(old))
    question = _Question(surroundings, frozenset(confirmed), strict, respelling)
    try:
        with deep_recursion():
            read = partial(
                _versions, old, new, respelling, forgives_documentation=forgives_documentation, folds_constants=rewrites
            )
            versions = read()
            proof = _compare(*versions, question)
            if proof.verdict is Verdict.SAME or not rewrites:
                return proof
            # Trees are rewritten in place, so that the differences are to be told of others.
            versions = read(parse_side=parse)
            rewriting = [
                _canonical(version, surroundings, calls)
                for version, calls in zip(versions, known_calls, strict=True)
            ]
            rewritten = _compare(_afresh(versions[0]), _afresh(versions[1]), question, rewriting)
            return proof if _tells_more(proof, rewritten) else rewritten
    except UnreadableSource as problem:
        return FileProof(Verdict.UNPROVEN, differences=(Difference(0, 0, str(problem)),))
    except RecursionError:
        return FileProof(
            Verdict.UNPROVEN, differences=(Difference(0, 0, "the code is nested too deeply"),)
        )


@dataclass(frozen=True)
class _Question:
    """What two versions of a file are compared under."""

    surroundings: Surroundings
    confirmed: frozenset[str]
    strict: bool
    respelling: Respelling


def _versions(
    old: bytes,
    new: bytes,
    respelling: Respelling,
    *,
    forgives_documentation: bool,
    folds_constants: bool,
    parse_side: Callable[[bytes], ParsedFile] = parse_shared,
) -> tuple[Version, Version]:
    """Both versions. Where constants are folded, those may be gone that the old version had. Errors: `UnreadableSource`."""
    old_file, new_file = _read_side(parse_side, old, "old"), _read_side(parse_side, new, "new")
    respelled = {each.name for each in respelling.new.values()}
    folded = {
        binding: constant
        for binding, constant in constants_beside(new_file.facts, old_file).items()
        if folds_constants and constant.name not in respelled
    }
    introduced = {
        binding: constant
        for binding, constant in constants_beside(old_file.facts, new_file).items()
        # What has another name is not new.
        if constant.start not in respelling.new
    }
    before, after = Version(old_file, folded), Version(new_file, introduced, respelling.new)
    if forgives_documentation and differ_in_documentation(before, after):
        return replace(before, without_documentation=True), replace(after, without_documentation=True)
    return before, after


def _tells_more(proof: FileProof, other: FileProof) -> bool:
    """Whether one proof says more plainly than another one what keeps two versions apart."""
    if other.verdict is Verdict.SAME or other.edits:
        # The code is one, but for what may be asked about it.
        return False
    if proof.verdict is not other.verdict:
        return proof.verdict is Verdict.DIFFERENT
    return len(proof.differences) <= len(other.differences)


def _canonical(version: Version, surroundings: Surroundings, known_calls: KnownCalls) -> Canonical:
    """What rewrites a version to the one way of writing it; its tree is rewritten."""
    # What stands for a number is read as one, wherever its definition stands.
    version.parsed.tree.body = version.statements
    canonical = Canonical(version, surroundings, known_calls)
    canonical.rewrite(version.parsed.tree)
    return canonical


def _afresh(version: Version) -> Version:
    """A version whose tree was rewritten, with nothing that is known of it from before."""
    return replace(version, parsed=replace(version.parsed))


def _read_side(parse_side: Callable[[bytes], ParsedFile], data: bytes, side: str) -> ParsedFile:
    try:
        return parse_side(data)
    except UnreadableSource as problem:
        raise UnreadableSource(f"the {side} version cannot be read: {problem}") from problem


def all_same(data: bytes) -> tuple[DefinitionProof, ...]:
    """The verdicts on the functions and classes of a file in which nothing differs."""
    try:
        version = Version(parse_shared(data))
    except UnreadableSource:
        return ()
    return judge_definitions(version, version, ())


def _compare(
    old: Version,
    new: Version,
    question: _Question,
    rewriting: Sequence[Canonical] = (),
) -> FileProof:
    surroundings, respelling = question.surroundings, question.respelling
    in_order = bool(rewriting)
    old_form, new_form = NormalForm(old, numbers_scopes=in_order), NormalForm(new, numbers_scopes=in_order)
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
    has_other_names = bool(renamed or old.constants or new.constants) or _has_other_locals(old, new)
    reserved = [
        *_old_name_reservations(old, renamed, surroundings),
        *_new_name_reservations(new, renamed, surroundings),
        *_constant_reservations(old, new, surroundings),
        *_in_old(old, changed_quoted_lines(old.parsed, new.parsed, surroundings)),
        *_in_old(old, own_text_reservations(old.source, old.facts, surroundings.module)),
    ]
    if any(_names_of_one(rewriting)):
        # Only one version has the name by which annotations are postponed.
        reserved += _in_old(old, namespace_reservations(old.source.text, old.facts, surroundings))
    rewritten = _count_rewritten(rewriting)
    # Of names that others can see, whoever renames them asks what shows instructions.
    if rewritten or has_other_names:
        reserved += _in_old(old, code_reservations(old.source, old.facts))
    differences = (
        *_compiled_witness(old, new, respelling.pairs, rewriting),
        *(difference for what, difference in reserved if what not in question.confirmed),
        *_first_lines(old, new),
        *_newer_spellings(old, new, surroundings),
    )

    assumed: list[str] = []
    if has_other_names:
        assumed += map(minds_no_names, sorted(surroundings.vouched_for))
    if surroundings.reads_source or reads_source(old.facts):
        assumed.append(SOURCE_IS_NOT_READ)
    if _issues_warnings(old.facts) and _shared_lines(old) != _shared_lines(new):
        assumed.append(WARNINGS_DO_NOT_COUNT_LINES)
    if any(each.counts[EXPLAINING] or each.counts[EQUALITY] for each in rewriting):
        assumed.append(OPERATORS_ASSUMPTION)
    if question.strict:
        rests_on = "rests on an assumption"
        differences += tuple(Difference(0, 0, f"{rests_on}: {what}") for what in assumed)

    vouched_for = sorted({what for what, _ in reserved} & question.confirmed)
    return FileProof(
        worst(difference.verdict for difference in differences),
        _count_edits(old, new, renamed, respelling) + rewritten,
        differences,
        judge_definitions(old, new, differences),
        (*vouched_for, *assumed),
        (*sorted(each.name for each in new.constants.values()), *_names_of_one(rewriting)),
        tuple(sorted(each.name for each in old.constants.values())),
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


def _has_other_locals(old: Version, new: Version) -> bool:
    """Whether the versions have locals of other names, those included of which neither form tells any more."""
    before, after = (
        {each.name for number, each in enumerate(side.facts.bindings) if is_local_variable(side.facts, number)}
        for side in (old, new)
    )
    return before != after


def _count_rewritten(rewriting: Sequence[Canonical]) -> tuple[tuple[str, int], ...]:
    """By how much more one version had to be rewritten than the other, by sort."""
    if not rewriting:
        return ()
    old, new = rewriting
    counts = {sort: abs(old.counts[sort] - new.counts[sort]) for sort in old.counts | new.counts}
    counts[REORDERED] = n_moved(old.order, new.order)
    return tuple((sort, counts[sort]) for sort in sorted(counts) if counts[sort])


def _compiled_witness(
    old: Version, new: Version, renamed: Renamed, rewriting: Sequence[Canonical]
) -> tuple[Difference, ...]:
    constants = [{each.name: each.value for each in version.constants.values()} for version in (old, new)]
    try:
        difference = compiled_difference(
            old.source.to_bytes(),
            new.source.to_bytes(),
            renamed,
            constants=constants,
            drops_documentation=old.without_documentation,
            rewrite=[each.rewrite for each in rewriting],
        )
    except NotCompiled as problem:
        difference = str(problem)
    return () if difference is None else (Difference(0, 0, f"compiled: {difference}"),)


# What a person may vouch for, and the difference that stands without it.
_Reserved = tuple[str, Difference]


def _old_name_reservations(
    old: Version, renamed: Mapping[int, int], surroundings: Surroundings
) -> Iterator[_Reserved]:
    for binding in renamed:
        yield from _in_old(old, reservations(old.facts, binding, surroundings))


def _new_name_reservations(
    new: Version, renamed: Mapping[int, int], surroundings: Surroundings
) -> Iterator[_Reserved]:
    for binding in renamed.values():
        for what, start in new_name_reservations(new.facts, binding, surroundings):
            yield what, Difference(0, new.source.line_of(start), f"not shown: {what}")


def _constant_reservations(old: Version, new: Version, surroundings: Surroundings) -> Iterator[_Reserved]:
    for version in (old, new):
        for constant in version.constants.values():
            for what, start in constant_reservations(version.parsed, constant, surroundings):
                line = version.source.line_of(start)
                lines = (line, 0) if version is old else (0, line)
                yield what, Difference(*lines, f"not shown: {what}")


def _in_old(old: Version, found: Iterable[Reservation]) -> Iterator[_Reserved]:
    """What a person may vouch for, where it stands in the old version."""
    for what, start in found:
        yield what, Difference(old.source.line_of(start), 0, f"not shown: {what}")


def _names_of_one(rewriting: Sequence[Canonical]) -> Iterator[str]:
    """The name that only one version has, if it alone postpones annotations."""
    if len({each.postpones_annotations for each in rewriting}) > 1:
        yield POSTPONING


def _first_lines(old: Version, new: Version) -> tuple[Difference, ...]:
    """A first line with `#!` is no mere comment: the system reads in it what runs the file, byte by byte. A mark before it
    hides it, and another line end becomes part of what it names."""
    lines = [version.source.to_bytes().partition(b"\n")[0] for version in (old, new)]
    if lines[0] == lines[1] or not any(line.removeprefix(BYTE_ORDER_MARK).startswith(b"#!") for line in lines):
        return ()
    how = "changed"
    if old.source.line(1) == new.source.line(1):
        is_marked = any(line.startswith(BYTE_ORDER_MARK) for line in lines)
        how = "stands behind a byte order mark" if is_marked else "ends otherwise"
    return (Difference(1, 1, f"the first line, which says what runs the file, {how}"),)


def _newer_spellings(old: Version, new: Version, surroundings: Surroundings) -> Iterator[Difference]:
    """What one version needs a newer Python for than the oldest one for which the project is, and the other not."""
    needed = [unreadable_spelling(version.parsed, surroundings.oldest) for version in (old, new)]
    versions = [each[1] if each is not None else None for each in needed]
    if versions[0] != versions[1]:
        lines = [each[0] if each is not None else 0 for each in needed]
        written = " and ".join(
            f"the {side} version needs Python {version[0]}.{version[1]}"
            for side, version in zip(("old", "new"), versions, strict=True)
            if version is not None
        )
        oldest = ".".join(map(str, surroundings.oldest))
        yield Difference(lines[0], lines[1], f"{written}, and the project is for {oldest} too")


def _issues_warnings(facts: FileFacts) -> bool:
    return bool(_WARNING_CALLS & facts.attributes) or any(
        name.rpartition(".")[2] in _WARNING_CALLS for name in facts.imports
    )


def _shared_lines(version: Version) -> list[bool]:
    """For each statement but the first, whether it begins on the line of the one before it."""
    definitions = {each.start for each in version.constants.values()}
    lines = [
        version.source.line_of(each.start)
        for each in version.facts.statements
        if each.start not in definitions
    ]
    return [before == after for before, after in pairwise(lines)]


# -- what was edited -------------------------------------------------------------------------------


def _count_edits(
    old: Version, new: Version, renamed: Mapping[int, int], respelling: Respelling
) -> tuple[tuple[str, int], ...]:
    before = Counter(comment.text for comment in old.facts.comments)
    after = Counter(comment.text for comment in new.facts.comments)
    n_comments = max((before - after).total(), (after - before).total())
    edits = []
    if renamed:
        edits.append(("local rename", len(renamed)))
    if respelling.new:
        edits.append(("renamed reference", len(respelling.new)))
    if n_constants := len(new.constants) + len(old.constants):
        edits.append(("named constant", n_constants))
    if n_comments:
        edits.append(("comment", n_comments))
    if old.without_documentation:
        texts = [Counter(text for text, _ in each.documentation().values()) for each in (old, new)]
        n_texts = max((texts[0] - texts[1]).total(), (texts[1] - texts[0]).total())
        if n_texts:
            edits.append(("documentation text", n_texts))
    # Where names of another length stand, lines may differ for that alone.
    if not respelling.new and not old.without_documentation and _layout_differs(
        old, new, renamed, drop_blank=bool(n_comments or n_constants)
    ):
        edits.append(("layout", 1))
    return tuple(edits)


def _layout_differs(
    old: Version, new: Version, renamed: Mapping[int, int], *, drop_blank: bool
) -> bool:
    """Whether the texts differ once renames, constants and comments are made undone."""
    new_names = {
        (reference.start, reference.end): new.facts.bindings[after].name
        for before, after in renamed.items()
        for reference in map(old.facts.references.__getitem__, old.facts.bindings[before].references)
    }
    before = _lines(old, new_names | _written_out(old), drop_blank)
    return old.source.has_mark != new.source.has_mark or before != _lines(new, _written_out(new), drop_blank)


def _written_out(version: Version) -> dict[tuple[int, int], str]:
    """What to write at which ranges of a text so that its constants stand where they are used."""
    cuts = {(each.start, each.end): "" for each in version.constants.values()}
    for constant in version.constants.values():
        for index in version.facts.bindings[constant.binding].references:
            reference = version.facts.references[index]
            if reference.start != constant.start:
                cuts[reference.start, reference.end] = constant.spelling
    return cuts


def _lines(version: Version, replaced: dict[tuple[int, int], str], drop_blank: bool) -> list[str]:
    """The text's lines without comments, trailing spaces and (on demand) blank lines."""
    text = version.source.text
    cuts = dict(replaced) | {(each.start, each.end): "" for each in version.facts.comments}
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
