"""Renames of what others can see: does a whole project do the same under the new names?

The uses of the old names are sought in the old version, and those of the new names, anew, in the new
one. They must be the same places, one by one; nothing of the old name may be left that belongs to the
thing; and every changed file must be equal, by all witnesses, once the new names are read as the old
ones. What captures a name, or joins two into one, shows in that the places differ.
"""

from __future__ import annotations

import sys
from bisect import bisect_left
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import accumulate
from typing import NamedTuple

from zephyrun.linking.linkage import Content, Library, Linkage, Memory, no_library
from zephyrun.linking.modules import is_python
from zephyrun.linking.reader_calls import calls_of_readers
from zephyrun.linking.search import find_usage
from zephyrun.linking.targets import renamed_target
from zephyrun.linking.usage import OpenPlace, Place, PlaceSort, Target, TargetSort, Usage
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.comparison import Respelling, compare_files
from zephyrun.proof.normal_form import Spelling
from zephyrun.proof.python_versions import THIS_PYTHON, PythonVersion
from zephyrun.proof.remains import Reservation, Surroundings, found_by_new_name, reads_callers, reservations_from_afar
from zephyrun.proof.surroundings import find_surroundings
from zephyrun.proof.verdict import Difference, FileProof, Verdict, worst
from zephyrun.source import Edit, EditSet, SourceText

# Places that no running program sees, but for documentation that something reads.
_FOR_READERS = frozenset({PlaceSort.COMMENT, PlaceSort.DOCUMENTATION, PlaceSort.DOCUMENT})
# What a person may have changed along: no program reads a comment.
_CHANGED_ALONG = frozenset({PlaceSort.COMMENT, PlaceSort.DOCUMENT})
_HANDED_ON = lazy_pattern(r"^what `\*\*` hands on")
_NAME = lazy_pattern(r"`\w+`")
_AS = " as "


class Renaming(NamedTuple):
    """One thing with its new name. `belongs` and `apart` are the open places (path and offset in the
    old version) of which a person says that they mean this thing, or that they do not; `mentions` are
    places in prose that are changed along."""

    target: Target
    new: str
    belongs: frozenset[tuple[str, int]] = frozenset()
    apart: frozenset[tuple[str, int]] = frozenset()
    mentions: frozenset[tuple[str, int]] = frozenset()


@dataclass(frozen=True)
class World:
    """What the question is about beside the files: where modules are looked up, what libraries say,
    whether code outside may use public names, what is known of each file's surroundings, what files
    said when they were read before, and the oldest version of Python for which the answer is to hold."""

    import_roots: tuple[str, ...] = ()
    harmless_decorators: tuple[str, ...] = ()
    library: Library = no_library
    is_library: bool = False
    surroundings: Mapping[str, Surroundings] = field(default_factory=dict)
    memory: Memory | None = None
    oldest: PythonVersion = THIS_PYTHON
    harmless_readers: tuple[str, ...] = ()

    def look_around(self, contents: Mapping[str, Content]) -> Mapping[str, Surroundings]:
        """What each file of one version must know about the others."""
        kept = None
        if self.memory is not None:
            kept = self.memory.answers_about(contents, "surroundings", self.import_roots)
        return find_surroundings(
            contents,
            self.import_roots,
            is_library=self.is_library,
            oldest=self.oldest,
            harmless_readers=self.harmless_readers,
            kept=kept,
        )

    def evaluator(self, contents: Mapping[str, Content]) -> Evaluator:
        """What answers questions about one version."""
        return Evaluator(
            Linkage(
                contents,
                self.import_roots,
                self.library,
                self.harmless_decorators,
                self.harmless_readers,
                is_library=self.is_library,
                memory=self.memory,
            )
        )


@dataclass(frozen=True)
class RenameProof:
    """The verdict on renames: proofs of the changed files by their new paths, and what else is to say."""

    verdict: Verdict
    files: tuple[tuple[str, FileProof], ...]
    reasons: tuple[str, ...]
    assumptions: tuple[str, ...]
    # Which of the renames the reasons are about, by their order.
    blamed: tuple[int, ...] = ()


def judge_renames(
    old: Mapping[str, Content],
    new: Mapping[str, Content],
    renamings: Sequence[Renaming],
    world: World,
    *,
    moved: Mapping[str, str] | None = None,
    confirmed: Collection[str] = (),
    before: Evaluator | None = None,
) -> RenameProof:
    """Judge a change that is said to be nothing but renames. `moved` gives the new path of each file
    that has another one; `confirmed` holds the doubts that a person vouches against; `before` may hand
    in what is known of the old version's values already."""
    versions = Versions(old, new, world, moved or {}, before or world.evaluator(old))
    return Judge(versions, confirmed).judge(renamings)


def new_target_of(
    before: Evaluator, after: Evaluator, renaming: Renaming, moved: Mapping[str, str]
) -> Target | None:
    """The same thing in the new version; `None` where nothing is in its place."""
    path = moved.get(renaming.target.path, renaming.target.path)
    target = renaming.target._replace(path=path)
    if target.sort is TargetSort.MODULE:
        return renamed_target(after, target, renaming.new)
    file = after.linkage.file(path)
    if file is None:
        return None
    if target.sort is TargetSort.GLOBAL:
        return renamed_target(after, target, renaming.new)
    if target.sort is TargetSort.MEMBER:
        is_there = target.number < len(file.links.classes)
        return renamed_target(after, target, renaming.new) if is_there else None
    if target.sort is TargetSort.PARAMETER:
        if target.owner >= len(file.links.functions):
            return None
        bindings = [
            each.binding
            for each in before.file(renaming.target.path).links.functions[target.owner].parameters
        ]
        parameters = file.links.functions[target.owner].parameters
        if len(parameters) != len(bindings):
            return None
        found = parameters[bindings.index(target.number)]
        return target._replace(name=found.name, number=found.binding)

    if target.number >= len(file.facts.bindings):
        return None
    return target._replace(name=file.facts.bindings[target.number].name, spelling=renaming.new)


def new_name_doubt(label: str, new: str, path: str) -> str:
    """What a person vouches for where the new name is asked for already of who knows what."""
    return f"nothing in {path} asked for `{new}` where {label} now answers"


def with_calls(evaluator: Evaluator, path: str, surroundings: Mapping[str, Surroundings]) -> Surroundings:
    """The surroundings of a file, with the places that may call what reads its callers' variables."""
    around = surroundings.get(path, Surroundings())
    file = evaluator.linkage.file(path)
    if file is None or not reads_callers(file.facts, around):
        return around
    calls = calls_of_readers(evaluator, path)
    return replace(around, calls=calls) if calls else around


def parameter_reservations(
    evaluator: Evaluator, usage: Usage, new: str, surroundings: Mapping[str, Surroundings]
) -> Iterator[tuple[str, Reservation]]:
    """What could read the name of a parameter, or its new one, in the frames of its functions, each with the path. The
    surroundings are by the paths of the version that the evaluator knows."""
    if usage.target.sort is not TargetSort.PARAMETER:
        return
    known = {(place.path, place.start) for place in usage.places if place.sort is PlaceSort.TEXT}
    for path, number in usage.homes:
        file, around = evaluator.file(path), with_calls(evaluator, path, surroundings)
        for parameter in file.links.functions[number].parameters:
            if path in surroundings and parameter.name == usage.target.name:
                for each in (
                    *reservations_from_afar(file.facts, parameter.binding, around),
                    *found_by_new_name(file.facts, parameter.binding, new, around),
                ):
                    texts = file.facts.texts_between(each.start, each.start + 1)
                    if not any(
                        place == path and text.start <= start < text.end
                        for place, start in known
                        for text in texts
                    ):
                        yield path, each


class _Shifts:
    """Where the edits of one file put what stood at an offset."""

    def __init__(self) -> None:
        self._edits: list[tuple[int, int]] = []
        self._aliases: dict[int, int] = {}
        self._goes_to: dict[int, int] = {}
        self._starts: list[int] = []
        self._sums: list[int] = []

    def add(self, places: Iterable[Place], new: str) -> None:
        """Take in the edits at some places, which are to have a new name."""
        for place in places:
            if place.imported == new:
                # The alias goes, and the imported name itself is bound.
                self._edits.append((place.imported_end, place.imported_end - place.end))
                self._goes_to[place.start] = place.imported_end - len(new)
            elif place.alone:
                self._edits.append((place.start, len(new) - (place.end - place.start)))
            else:
                self._edits.append((place.end, len(new) + len(_AS)))
                self._aliases[place.start] = place.end - place.start + len(_AS)

    def settle(self) -> None:
        """To be called once all edits are in."""
        self._edits.sort()
        self._starts = [start for start, _ in self._edits]
        self._sums = [0, *accumulate(delta for _, delta in self._edits)]

    def image(self, start: int) -> int:
        """Where the name that was at an offset is now."""
        start = self._goes_to.get(start, start)
        return start + self._sums[bisect_left(self._starts, start)] + self._aliases.get(start, 0)


class Versions(NamedTuple):
    """Two versions of a project, with what they stand among, the new path of each file that has another one, and
    what is known of the values in the old one."""

    old: Mapping[str, Content]
    new: Mapping[str, Content]
    world: World
    moved: Mapping[str, str]
    before: Evaluator


class Judge:
    """Hears the witnesses about one change."""

    def __init__(self, versions: Versions, confirmed: Collection[str] = ()) -> None:
        self._old, self._new, self._world, self._moved, self._before = versions
        self._confirmed = frozenset(confirmed)
        self._after = self._world.evaluator(self._new)
        self._number = 0
        self._reasons: list[tuple[int, str]] = []
        self._assumed: list[str] = []
        self._shifts: dict[str, _Shifts] = {}
        self._respelled: dict[str, dict[int, Spelling]] = {}
        self._pairs: set[tuple[str, str]] = set()

    def judge(self, renamings: Sequence[Renaming]) -> RenameProof:
        """The verdict."""
        usages = [self._use_before(renaming) for renaming in renamings]
        for renaming, usage in zip(renamings, usages, strict=True):
            for path, places in usage.by_path().items():
                self._shifts.setdefault(path, _Shifts()).add(places, renaming.new)
        for shifts in self._shifts.values():
            shifts.settle()
        new_names = {each.new for each in renamings}
        for number, (renaming, usage) in enumerate(zip(renamings, usages, strict=True)):
            self._number = number
            self._check(renaming, usage, new_names)
        files = tuple(self._judge_files())
        verdicts = [proof.verdict for _, proof in files]
        if self._reasons:
            verdicts.append(Verdict.UNPROVEN)
        assumed = dict.fromkeys(
            [*self._assumed, *(what for _, proof in files for what in proof.assumptions)]
        )
        return RenameProof(
            worst(verdicts),
            files,
            tuple(dict.fromkeys(what for _, what in self._reasons)),
            tuple(assumed),
            tuple(dict.fromkeys(number for number, _ in self._reasons)),
        )

    # -- names -------------------------------------------------------------------------------

    def _object(self, what: str) -> None:
        """Note a reason against the rename that is being judged."""
        self._reasons.append((self._number, what))

    def _object_to_place(self, path: str, what: str) -> None:
        """Note a reason that a place of the new version gives which stands for none of the old one."""
        self._object(f"{path}: {what}")

    def _new_target(self, renaming: Renaming) -> Target | None:
        """The renamed thing in the new version."""
        return new_target_of(self._before, self._after, renaming, self._moved)

    def _use_before(self, renaming: Renaming) -> Usage:
        """The use of a thing in the old version; open places belong to it where a person says so."""
        usage = find_usage(self._before, renaming.target)
        usage.add(
            each.place
            for each in usage.open_places
            if (each.place.path, each.place.start) in renaming.belongs
        )
        usage.add(
            place
            for place in usage.mentions
            if place.sort in _CHANGED_ALONG and (place.path, place.start) in renaming.mentions
        )
        return usage

    def _check(self, renaming: Renaming, before: Usage, new_names: Collection[str]) -> None:
        """Hold the uses of one thing in both versions against each other."""
        target = self._new_target(renaming)
        if target is None:
            self._object(f"{before.label} is not found under its new name")
            return
        after = find_usage(self._after, target)
        for name in (renaming.target.written, target.written):
            if name.startswith("__") and name.endswith("__"):
                self._object(f"Python gives the name `{name}` a meaning of its own")
        if target.sort is TargetSort.MODULE and target.name in sys.stdlib_module_names:
            self._object(f"`{target.name}` is a module of the standard library, and would be hidden")
        self._judge_open_places(before, renaming)
        self._judge_doubts(before, after)
        back = {old: self._world.surroundings.get(new) for old, new in self._moved.items()}
        around = {
            path: each
            for path, _ in before.homes
            for each in [back[path] if path in back else self._world.surroundings.get(path)]
            if each is not None
        }
        for _, reservation in parameter_reservations(self._before, before, renaming.new, around):
            self._ask(reservation.what)
        old_name, new_name = renaming.target.written, target.written
        self._pairs.add((old_name, new_name))
        if renaming.target.sort is TargetSort.MEMBER:
            self._pairs.add((renaming.target.name, target.name))
        self._pair_places(before, after, renaming, old_name, new_name)
        if old_name not in new_names:
            self._check_left_over(renaming, target, old_name)

    def _judge_open_places(self, usage: Usage, renaming: Renaming) -> None:
        """Open places belong, or stand apart, as a person says; the others are reasons against."""
        for each in usage.open_places:
            key = (each.place.path, each.place.start)
            where = f"{each.place.path}, line {_line(self._before, each)}"
            if key in renaming.belongs:
                self._assumed.append(f"{each.why}, and a person says that it is {usage.label} ({where})")
            elif key in renaming.apart:
                self._assumed.append(f"{each.why}, and a person says that it is another ({where})")
            else:
                self._object(f"{where}: {each.why}")

    def _judge_doubts(self, before: Usage, after: Usage) -> None:
        for obstacle in [*before.obstacles, *after.obstacles]:
            self._object(obstacle.reason)
        for doubt in before.doubts:
            self._ask(doubt.what)
        for what in before.doubts_about(after.target.written):
            self._ask(what)
        known = {_NAME.sub("", doubt.what) for doubt in before.doubts}
        for doubt in after.doubts:
            # What goes through names comes to the new one, and a call that failed for it may go on.
            is_met = doubt.of_names or _HANDED_ON.search(doubt.what) is not None
            if is_met and _NAME.sub("", doubt.what) not in known:
                self._ask(doubt.what)
        self._assumed.extend(before.assumed)

    def _ask(self, what: str) -> None:
        """Something that a person must have vouched for."""
        if what in self._confirmed:
            self._assumed.append(what)
        else:
            self._object(f"not shown: {what}")

    def _image(self, path: str, start: int) -> tuple[str, int] | None:
        """Where a place of the old version is in the new one; `None` where that is not to be told."""
        shifts = self._shifts.get(path)
        return self._moved.get(path, path), shifts.image(start) if shifts is not None else start

    def _has_come(self, path: str, start: int) -> bool:
        """Whether a place of the new version bears another name than its counterpart, or has none."""
        return False

    def _may_be_gone(self, place: Place) -> bool:
        """Whether a place of the old version needs no counterpart."""
        return False

    def _may_be_new(self, place: Place) -> bool:
        """Whether a place of the new version needs no counterpart."""
        return False

    def _pair_places(
        self, before: Usage, after: Usage, renaming: Renaming, old_name: str, new_name: str
    ) -> None:
        """The places of the new version must be those of the old one, each where the edits put it."""
        images = {}
        for place in before.places:
            if (image := self._image(place.path, place.start)) is not None:
                images[image] = place
            elif place.sort not in _FOR_READERS and not self._may_be_gone(place):
                path = self._moved.get(place.path, place.path)
                self._object_to_place(path, f"what became of a reference to {before.label} is not to be told")

        found = {(place.path, place.start): place for place in after.places}
        opened = {(each.place.path, each.place.start): each.place for each in after.open_places}
        vouched = {self._image(*key) for key in renaming.belongs}
        for key, place in images.items():
            here = found.get(key) or opened.get(key)
            if here is not None:
                spelling = Spelling(here.end, old_name, is_bound_only=not here.alone)
                self._respelled.setdefault(key[0], {})[here.start] = spelling
                if key not in found and key not in vouched:
                    self._object(f"whether `{new_name}` in {key[0]} is {before.label} is not known any more")
            elif place.sort not in _FOR_READERS:
                self._object_to_place(key[0], f"a reference to {before.label} is none under the new name")
            elif key[0] in self._new:
                end = key[1] + len(new_name)
                self._respelled.setdefault(key[0], {})[key[1]] = Spelling(end, old_name)

        for key, place in found.items():
            if key in images or place.sort in _FOR_READERS or self._may_be_new(place):
                continue
            self._object_to_place(key[0], f"`{new_name}` is in use already, and would be {before.label}")
            if not self._has_come(*key):
                break
            spelling = Spelling(place.end, old_name, is_bound_only=not place.alone)
            self._respelled.setdefault(key[0], {})[place.start] = spelling
        for path in sorted({key[0] for key in opened if key not in images}):
            self._ask(new_name_doubt(before.label, new_name, path))

    def _check_left_over(self, renaming: Renaming, target: Target, old_name: str) -> None:
        """Nothing may ask for the thing under its old name in the new version."""
        if target.sort is TargetSort.LOCAL:
            return
        old = renaming.target
        left = find_usage(self._after, target._replace(name=old.name, spelling=old.spelling))
        live = [place for place in left.places if place.sort not in _FOR_READERS]
        if target.sort is TargetSort.PARAMETER:
            live = [place for place in live if place.sort is PlaceSort.KEYWORD]
        apart = {self._image(*key) for key in renaming.apart}
        if live:
            first = min(live)
            self._object(f"{first.path}: `{old_name}` is left, and seems to mean {left.label}")
        elif any((each.place.path, each.place.start) not in apart for each in left.open_places):
            self._object(f"`{old_name}` is left where what it means is not known")

    # -- files -------------------------------------------------------------------------------

    def _judge_files(self) -> Iterable[tuple[str, FileProof]]:
        back = {new: old for old, new in self._moved.items()}
        for path in sorted(self._new.keys() | {self._moved.get(each, each) for each in self._old}):
            before, after = self._old.get(back.get(path, path)), self._new.get(path)
            if before == after:
                continue
            if isinstance(before, bytes) and isinstance(after, bytes):
                yield path, self._judge_file(path, before, after)
            else:
                yield path, _unproven("the file is only in one of the versions")

    def _judge_file(self, path: str, before: bytes, after: bytes) -> FileProof:
        respelled = self._respelled.get(path, {})
        if not is_python(path):
            return judge_text(before, after, respelled)
        respelling = Respelling(dict(sorted(respelled.items())), frozenset(self._pairs))
        return compare_files(
            before,
            after,
            with_calls(self._before, path, self._world.surroundings),
            confirmed=self._confirmed,
            respelling=respelling,
        )


def judge_text(before: bytes, after: bytes, respelled: Mapping[int, Spelling]) -> FileProof:
    """A document or packaging file: equal once the names at those places are read as the old ones."""
    source = SourceText.from_bytes(after, strict=False)
    edits = EditSet(Edit(start, each.end, each.name) for start, each in sorted(respelled.items()))
    is_same = edits.apply_to_text(source.text) == SourceText.from_bytes(before, strict=False).text
    return FileProof(Verdict.SAME) if is_same else _unproven("not Python, and it differs")


def _line(evaluator: Evaluator, each: OpenPlace) -> int:
    file = evaluator.linkage.file(each.place.path)
    return file.line_of(each.place.start) if file is not None else 0


def _unproven(what: str) -> FileProof:
    return FileProof(Verdict.UNPROVEN, differences=(Difference(0, 0, what),))
