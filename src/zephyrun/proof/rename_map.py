"""Guess what has another name in a new version, nobody having said so.

Definitions tell: where a place of one version stands for a place of the other, and a definition there bears
another name, the thing may have been renamed. Whether it was, and whether nothing else came of it, is for
`renames` to judge: a wrong guess may cost a verdict, and never makes one.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from zephyrun.facts import BINDING_ROLES, FileFacts, Role, ScopeKind
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse_shared
from zephyrun.languages.python.reading import deep_recursion
from zephyrun.link_facts import Use
from zephyrun.linking.linkage import Content, LinkedFile
from zephyrun.linking.modules import is_python
from zephyrun.linking.targets import NoTarget, target_at, target_of_binding
from zephyrun.linking.usage import Target, TargetSort
from zephyrun.linking.values import Evaluator
from zephyrun.proof.alignment import Alignment, word_at
from zephyrun.proof.normal_form import is_local_variable

_DEFINING = BINDING_ROLES - {Role.AUGMENT, Role.DELETE}


class AlignedFile(NamedTuple):
    """Two versions of one file with the places that stand for each other. `is_renamed` says whether a
    name that others can see differs at such a place."""

    old: ParsedFile
    new: ParsedFile
    alignment: Alignment
    is_renamed: bool

    def keeps_a_word(self, start: int) -> bool:
        """Whether the word at a place of the old version stands at some place for which it stands."""
        word = word_at(self.old.source.text, start)
        return any(
            word_at(self.new.source.text, image) == word
            for place, image in self.alignment.names
            if place == start
        )


class Guess(NamedTuple):
    """A thing that seems to have another name, and where its old one is defined."""

    target: Target
    new: str
    start: int


def align_files(
    old: Mapping[str, Content], new: Mapping[str, Content], moved: Mapping[str, str], known: Mapping[str, AlignedFile]
) -> dict[str, AlignedFile]:
    """The changed Python files that both versions have and that can be read, by their old paths. What is `known` is taken
    as it is."""
    found = {}
    for path, before in old.items():
        after = new.get(moved.get(path, path))
        if path in known:
            found[path] = known[path]
        elif before != after and is_python(path) and isinstance(before, bytes) and isinstance(after, bytes):
            try:
                with deep_recursion():
                    found[path] = _align(parse_shared(before), parse_shared(after))
            except (UnreadableSource, RecursionError):
                continue
    return found


def _align(old: ParsedFile, new: ParsedFile) -> AlignedFile:
    alignment = Alignment(old, new)
    is_renamed = any(True for _ in _renamed_places(old, new, alignment))
    return AlignedFile(old, new, alignment, is_renamed)


def _renamed_places(old: ParsedFile, new: ParsedFile, alignment: Alignment) -> Iterator[tuple[int, str]]:
    """The places of the old version at which a name that others can see is another one in the new version,
    with that one."""
    locality: dict[int, bool] = {}
    for start, image in alignment.names:
        after = word_at(new.source.text, image)
        if word_at(old.source.text, start) != after:
            reference = old.facts.reference_by_start.get(start)
            if reference is not None and reference.binding not in locality:
                locality[reference.binding] = is_local_variable(old.facts, reference.binding)
            if reference is None or not locality[reference.binding]:
                yield start, after


def guess_renames(before: Evaluator, files: Mapping[str, AlignedFile]) -> list[Guess]:
    """What seems to have another name, each thing once; nothing of which some definition has kept its
    name, or has one name here and another there."""
    found: dict[Target, set[str]] = {}
    starts: dict[Target, int] = {}
    for path, aligned in files.items():
        file = before.linkage.file(path)
        if file is None or not aligned.is_renamed:
            continue
        for start, target, new in _redefined(before, file, aligned):
            is_uncertain = start in aligned.alignment.uncertain and new in aligned.old.facts.names
            if is_uncertain or _is_kept(target, new, aligned):
                # Statements of one shape may just as well have changed places, or something new stand there.
                new = target.written
            found.setdefault(target, set()).add(new)
            starts.setdefault(target, start)
    guesses = [
        Guess(target, next(iter(new)), starts[target])
        for target, new in found.items()
        if len(new) == 1 and target.written not in new
    ]
    while len(likely := [each for each in guesses if not _is_taken(before, each, guesses)]) < len(guesses):
        guesses = likely
    return guesses


def _is_taken(before: Evaluator, guess: Guess, guesses: Sequence[Guess]) -> bool:
    """Whether something beside a thing bore its new name before and seems to have kept it: then they are more
    likely to have changed places."""
    facts = before.file(guess.target.path).facts
    reference = facts.reference_by_start.get(guess.start)
    if reference is None:
        return False
    home = facts.bindings[reference.binding].scope
    bore_it = any(each.name == guess.new and each.scope == home and not each.outside for each in facts.bindings)
    return bore_it and all(
        (each.target.path, each.target.written) != (guess.target.path, guess.new) for each in guesses
    )


def _is_kept(target: Target, new: str, aligned: AlignedFile) -> bool:
    """Whether a name of the module that seems to have become a new one is still bound there."""
    is_new = target.sort is TargetSort.GLOBAL and new not in aligned.old.facts.names
    return is_new and any(
        each.name == target.written and each.scope == 0 and not each.outside for each in aligned.new.facts.bindings
    )


def _redefined(before: Evaluator, file: LinkedFile, aligned: AlignedFile) -> Iterator[tuple[int, Target, str]]:
    """The definitions of what has another name at one of its places at least, each with the name that
    stands there now."""
    new_text = aligned.new.source.text
    renamed = dict(_renamed_places(aligned.old, aligned.new, aligned.alignment))
    references = file.facts.reference_by_start
    bindings = {references[start].binding for start in renamed if start in references}
    for binding in sorted(bindings):
        if (target := _target_of(before, file, binding, aligned)) is None:
            continue
        for start, image in _definitions(file.facts, binding, aligned.alignment):
            yield start, target, word_at(new_text, image)
    names = {file.source.text[use.start : use.end] for use in file.links.attributes if use.start in renamed}
    for use in file.links.attributes:
        if use.use is Use.WRITE and file.source.text[use.start : use.end] in names:
            written = aligned.alignment.image(use.start)
            try:
                if written is not None:
                    yield use.start, target_at(before, file.path, use.start), word_at(new_text, written)
            except NoTarget:
                continue
    for number, record in enumerate(file.links.classes):
        for field in record.fields:
            named = aligned.alignment.image(field.start)
            if named is not None:
                target = Target(TargetSort.MEMBER, file.path, field.name, number, spelling=field.name)
                yield field.start, target, word_at(new_text, named)


def _definitions(facts: FileFacts, binding: int, alignment: Alignment) -> Iterator[tuple[int, int]]:
    """Where a name is defined, and where that place is in the new version."""
    for index in facts.bindings[binding].references:
        reference = facts.references[index]
        image = alignment.image(reference.start) if reference.role in _DEFINING else None
        if image is not None:
            yield reference.start, image


def _target_of(
    before: Evaluator, file: LinkedFile, binding: int, aligned: AlignedFile
) -> Target | None:
    """What a binding is, if it is not the name of something that is defined elsewhere."""
    record = file.facts.bindings[binding]
    if record.outside:
        return None
    for use in file.links.imports:
        if use.binding == binding and not use.has_alias:
            if not aligned.keeps_a_word(use.start):
                # What is imported has another name itself, which shows where it is defined.
                return None
            is_of_module = file.facts.scopes[record.scope].kind is ScopeKind.MODULE
            sort = TargetSort.GLOBAL if is_of_module else TargetSort.LOCAL
            number = -1 if is_of_module else binding
            return Target(sort, file.path, record.name, number, spelling=record.name)
    try:
        target = target_of_binding(before, file, binding)
    except NoTarget:
        return None
    return target if target.path == file.path and target.sort is not TargetSort.MODULE else None
