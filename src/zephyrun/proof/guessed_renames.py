"""Renames that nobody told of: guess them, and judge the guesses as any rename is judged.

Unlike in a change that is nothing but renames, anything else may differ as well. So each place is sought
where the alignment puts it, the renamed thing is found by the place of its definition, and what a place
speaks against is not told where the file differs anyway.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from functools import cached_property

from zephyrun.linking.documentation_readers import ANNOTATIONS, DOCUMENTATION
from zephyrun.linking.linkage import Content
from zephyrun.linking.targets import renamed_target
from zephyrun.linking.usage import Place, PlaceSort, Target, TargetSort, Usage
from zephyrun.proof.alignment import word_at, words_image
from zephyrun.proof.comparison import Respelling
from zephyrun.proof.documentation import reader_doubts
from zephyrun.proof.known_calls import KnownCalls, called_with_other_keywords, known_calls
from zephyrun.proof.moved_files import renamed_modules
from zephyrun.proof.normal_form import Version, differ_in_annotations, differ_in_documentation
from zephyrun.proof.remains import Surroundings, reads_callers
from zephyrun.proof.rename_map import AlignedFile, Guess, guess_renames
from zephyrun.proof.renames import Judge, Renaming, Versions, World, with_calls
from zephyrun.source import SourceText


@dataclass(frozen=True)
class Reason:
    """Why a guess is not shown to be nothing but a rename: the path of the definition in the new version
    and the lines of both. What a place in some file gives (`given_by`, its new path) is only worth telling
    where that file does not differ anyway."""

    path: str
    old_line: int
    new_line: int
    what: str
    given_by: str


@dataclass(frozen=True)
class GuessedRenames:
    """What has another name: by the paths of the new version, how names are to be read there; what speaks
    against it, and what it rests on. `known_calls` are those of both versions of files in which keywords differ."""

    respellings: Mapping[str, Respelling]
    reasons: tuple[Reason, ...]
    assumptions: tuple[str, ...]
    calls: Mapping[str, Surroundings]
    known_calls: Mapping[str, tuple[KnownCalls, KnownCalls]] = field(default_factory=dict)


NO_RENAMES = GuessedRenames({}, (), (), {})


def find_renames(
    old: Mapping[str, Content],
    new: Mapping[str, Content],
    world: World,
    files: Mapping[str, AlignedFile],
    moved: Mapping[str, str],
) -> GuessedRenames:
    """What has other names in a new version, as far as the rest of both versions lets that be told. `moved`
    gives the new path of each file that has another one; `files` and the surroundings in `world` are by old
    paths."""
    asked = [path for path, each in files.items() if _is_asked(each, world.surroundings.get(path))]
    documented = {
        path: each
        for path, each in files.items()
        if differ_in_documentation(Version(each.old), Version(each.new))
    }
    annotated = {
        path: each for path, each in files.items() if differ_in_annotations(Version(each.old), Version(each.new))
    }
    keyworded = {path: names for path, each in files.items() if (names := called_with_other_keywords(each))}
    if not moved and not asked and not documented and not annotated and not keyworded:
        return NO_RENAMES
    before = world.evaluator(old)
    judge = _GuessJudge(Versions(old, new, world, moved, before), files, keyworded)
    found = judge.hear([*judge.guess_modules(), *guess_renames(before, files)])
    respelled = {
        path: found.respellings[moved.get(path, path)].new
        for path in documented.keys() | annotated.keys()
        if moved.get(path, path) in found.respellings
    }
    doubts = [
        Reason(path, each.old_line, each.new_line, f"not shown: {each.what}", path if each.is_lost else "")
        for each in (
            *reader_doubts(before, documented, respelled, world.surroundings, DOCUMENTATION),
            *reader_doubts(before, annotated, respelled, world.surroundings, ANNOTATIONS),
        )
        for path in [moved.get(each.path, each.path)]
    ]
    known = {moved.get(path, path): judge.known_calls(path) for path in keyworded}
    return replace(found, reasons=(*found.reasons, *doubts), known_calls=known)


def _is_asked(aligned: AlignedFile, around: Surroundings | None) -> bool:
    """Whether other files have a say in what differs between two versions of one."""
    return aligned.is_renamed or (around is not None and reads_callers(aligned.old.facts, around))


class _GuessJudge(Judge):
    """Judges guesses in a change of which nothing is known."""

    def __init__(self, versions: Versions, files: Mapping[str, AlignedFile], keyworded: Mapping[str, Set[str]]) -> None:
        """`keyworded` are, of the files in which keywords differ, the names of what is called with them."""
        known, moved = versions.world.surroundings, versions.moved
        if moved:
            at_new_paths = {new_path: known[path] for path, new_path in moved.items() if path in known}
            world = replace(versions.world, surroundings={**known, **at_new_paths})
            versions = versions._replace(world=world)
        super().__init__(versions)
        self._files = files
        self._keyworded = keyworded
        self._back = {new_path: path for path, new_path in moved.items()}
        self._given_by: dict[str, str] = {}
        self._known_calls: dict[str, tuple[KnownCalls, KnownCalls]] = {}
        self._texts: dict[str, SourceText] = {}

    def _may_be_gone(self, place: Place) -> bool:
        return place.sort is PlaceSort.KEYWORD and place.start in self.known_calls(place.path)[0]

    def _may_be_new(self, place: Place) -> bool:
        path = self._back.get(place.path, place.path)
        return place.sort is PlaceSort.KEYWORD and place.start in self.known_calls(path)[1]

    def known_calls(self, path: str) -> tuple[KnownCalls, KnownCalls]:
        """What both versions of a file, given by its old path, could write without a keyword, if they differ in
        keywords."""
        if path not in self._known_calls:
            names = self._keyworded.get(path, frozenset())
            versions = ((self._before, path), (self._after, self._moved.get(path, path))) if names else ()
            old, new = (known_calls(*each, names) for each in versions) if versions else ({}, {})
            self._known_calls[path] = old, new
        return self._known_calls[path]

    def guess_modules(self) -> list[Guess]:
        """The modules that seem to have another name."""
        return [Guess(target, new, 0) for target, new in dict.fromkeys(self._renamed_modules.values())]

    @cached_property
    def _renamed_modules(self) -> dict[str, tuple[Target, str]]:
        return renamed_modules(self._before.linkage, self._after.linkage, self._moved)

    def _reasons_of_places(self) -> Iterator[Reason]:
        """Files that lie elsewhere and are no renamed modules: who looks for them where they were is not known."""
        for path, new_path in self._moved.items():
            if path not in self._renamed_modules:
                yield Reason(new_path, 0, 0, f"not shown: nothing looks for the file where it was ({path})", "")

    def hear(self, guesses: Sequence[Guess]) -> GuessedRenames:
        """What becomes of the guesses."""
        covered: set[tuple[str, int, str]] = set()
        heard: list[Guess] = []
        usages: list[tuple[Renaming, Usage]] = []
        for guess in guesses:
            # A family of methods is met once for each of its classes.
            if (guess.target.path, guess.start, guess.new) not in covered:
                renaming = Renaming(guess.target, guess.new)
                usage = self._use_before(renaming)
                heard.append(guess)
                usages.append((self._with_changed_places(renaming, usage), usage))
                covered |= {(place.path, place.start, guess.new) for place in usage.places}
        new_names = {guess.new for guess in heard}
        for number, (renaming, usage) in enumerate(usages):
            self._number = number
            self._check(renaming, usage, new_names)
        pairs = frozenset(self._pairs)
        reasons = [self._reason(heard[number], what) for number, what in dict.fromkeys(self._reasons)]
        reasons += self._reasons_of_places()
        respelled = {path: Respelling(dict(sorted(each.items())), pairs) for path, each in self._respelled.items()}
        changed = {self._moved.get(path, path) for path in self._files}
        return GuessedRenames(
            {path: respelled.get(path, Respelling({}, pairs)) for path in changed | respelled.keys()},
            tuple(reasons),
            tuple(dict.fromkeys(self._assumed)),
            {path: with_calls(self._before, path, self._world.surroundings) for path in changed},
        )

    def _with_changed_places(self, renaming: Renaming, usage: Usage) -> Renaming:
        """The renaming with the open places that have changed along: they seem to belong."""
        belongs = set()
        for each in usage.open_places:
            image = self._image(each.place.path, each.place.start)
            if image is not None and self._word_at(*image) == renaming.new:
                belongs.add((each.place.path, each.place.start))
                usage.add([each.place])
        return renaming._replace(belongs=frozenset(belongs))

    def _judge_open_places(self, usage: Usage, renaming: Renaming) -> None:
        """No person says of an open place what it means."""
        super()._judge_open_places(usage, renaming._replace(belongs=frozenset()))

    def _reason(self, guess: Guess, what: str) -> Reason:
        path = guess.target.path
        image = self._image(path, guess.start)
        new_line = self._text(image[0]).line_of(image[1]) if image is not None else 0
        said = f"`{guess.target.written}` became `{guess.new}`; not shown: {what.removeprefix('not shown: ')}"
        file = self._before.linkage.file(path)
        line = file.line_of(guess.start) if file is not None else 0
        return Reason(self._moved.get(path, path), line, new_line, said, self._given_by.get(what, ""))

    def _object_to_place(self, path: str, what: str) -> None:
        super()._object_to_place(path, what)
        self._given_by[self._reasons[-1][1]] = path

    # -- places ------------------------------------------------------------------------------

    def _text(self, path: str) -> SourceText:
        """The text of a file of the new version."""
        if path not in self._texts:
            data = self._new.get(path)
            self._texts[path] = SourceText.from_bytes(data if isinstance(data, bytes) else b"", strict=False)
        return self._texts[path]

    def _word_at(self, path: str, start: int) -> str:
        return word_at(self._text(path).text, start)

    def _image(self, path: str, start: int) -> tuple[str, int] | None:
        new_path = self._moved.get(path, path)
        if path in self._files:
            image = self._files[path].alignment.image(start)
        elif self._old.get(path) == self._new.get(new_path):
            image = start
        else:
            data = self._old.get(path)
            before = SourceText.from_bytes(data, strict=False).text if isinstance(data, bytes) else ""
            image = words_image(before, self._text(new_path).text, start)
        return (new_path, image) if image is not None else None

    def _has_come(self, path: str, start: int) -> bool:
        aligned = self._files.get(self._back.get(path, path))
        if aligned is None:
            return False
        before = aligned.alignment.counterpart(start)
        return before is None or word_at(aligned.old.source.text, before) != self._word_at(path, start)

    def _new_target(self, renaming: Renaming) -> Target | None:
        """The thing whose definition stands where the old one stood: numbers may have changed."""
        target, new = renaming.target, renaming.new
        path = self._moved.get(target.path, target.path)
        file = self._after.linkage.file(path)
        if target.sort is TargetSort.MODULE:
            return renamed_target(self._after, target._replace(path=path), new)
        if file is None:
            return None
        if target.sort is TargetSort.GLOBAL:
            return target._replace(path=path, name=new, spelling=new)
        before = self._before.file(target.path)
        if target.sort is TargetSort.MEMBER:
            image = self._image(target.path, before.links.classes[target.number].name_start)
            for number, record in enumerate(file.links.classes):
                if image is not None and record.name_start == image[1]:
                    return renamed_target(self._after, target._replace(path=path, number=number), new)
            return None
        first = before.facts.bindings[target.number].references[0]
        image = self._image(target.path, before.facts.references[first].start)
        reference = file.facts.reference_by_start.get(image[1]) if image is not None else None
        if reference is None:
            return None
        target = target._replace(path=path, number=reference.binding, name=new, spelling=new)
        if target.sort is TargetSort.LOCAL:
            return target
        for owner, function in enumerate(file.links.functions):
            for parameter in function.parameters:
                if parameter.binding == reference.binding:
                    return target._replace(owner=owner, name=parameter.name, spelling="")
        return None
