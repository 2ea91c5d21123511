"""Give things that others can see other names, across a whole project.

Many renames are one transaction: all places are found in the project as it is, so a name that goes away
is free for another (`a` to `b` together with `b` to `a`). The checks here give plain reasons early;
safety rests on the proof.
"""

from __future__ import annotations

import sys
import unicodedata
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType

from zephyrun.changes.new_names import reason_against_spelling
from zephyrun.facts import FileFacts
from zephyrun.fences import FENCE_WORD, FENCED_OFF, fence_of
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.linking.hook_guards import answers_for_names, module_passes_name_over
from zephyrun.linking.linkage import Content, LinkedFile
from zephyrun.linking.mentions import is_distinctive
from zephyrun.linking.modules import PACKAGE_MARK, folder_of
from zephyrun.linking.parameters import ParameterUsage
from zephyrun.linking.search import find_usage
from zephyrun.linking.targets import renamed_target
from zephyrun.linking.usage import (
    Doubt,
    Obstacle,
    OpenPlace,
    Place,
    PlaceSort,
    Target,
    TargetSort,
    Usage,
)
from zephyrun.linking.values import Evaluator
from zephyrun.proof.code_readers import code_reservations
from zephyrun.proof.normal_form import is_local_variable
from zephyrun.proof.own_text import own_text_reservations
from zephyrun.proof.quoted_lines import quoted_line_reservations
from zephyrun.proof.remains import Surroundings, found_by_new_name, reservations
from zephyrun.proof.renames import Renaming, new_name_doubt, parameter_reservations, with_calls
from zephyrun.source import Edit, EditSet, Overlap, SourceText, UnreadableText


@dataclass
class Change:
    """What renames make of a project: new contents by path, moves, and what is to say about them."""

    contents: dict[str, Content] = field(default_factory=dict)
    changed: dict[str, bytes] = field(default_factory=dict)
    moved: dict[str, str] = field(default_factory=dict)
    added: dict[str, bytes] = field(default_factory=dict)
    renamings: list[Renaming] = field(default_factory=list)
    usages: list[Usage] = field(default_factory=list)
    by_wish: list[Objections] = field(default_factory=list)

    @property
    def reasons(self) -> list[Obstacle]:
        """All reasons against it."""
        return [each for own in self.by_wish for each in own.reasons]

    @property
    def doubts(self) -> list[Doubt]:
        """All that a person must vouch for."""
        return [each for own in self.by_wish for each in own.doubts]

    @property
    def open_places(self) -> list[OpenPlace]:
        """All places of which nobody has said whether they are meant."""
        return [each for own in self.by_wish for each in own.open_places]


@dataclass
class Objections:
    """What is to say about one wish: reasons against it, doubts, and open places without an answer."""

    reasons: list[Obstacle]
    doubts: list[Doubt]
    open_places: list[OpenPlace]


@dataclass(frozen=True)
class Wish:
    """One thing and the name that it is to have."""

    target: Target
    new: str


WhyKept = Callable[[str, Content], str]


def nothing_kept(_path: str, _content: Content) -> str:
    """Says of no file that nothing may be edited in it."""
    return ""


def carry_out_renames(
    evaluator: Evaluator,
    wishes: Sequence[Wish],
    *,
    confirms_all: bool = False,
    apart: frozenset[tuple[str, int]] = frozenset(),
    with_documents: bool = False,
    surroundings: Mapping[str, Surroundings] = MappingProxyType({}),
    said: Collection[str] = (),
    why_kept: WhyKept = nothing_kept,
) -> Change:
    """Make the edits of some renames. With `confirms_all` every open place belongs but those that a
    person says stand `apart` (path and offset), or those of which `said` says so in the words of
    `open_sentences`; without an answer they stay open, and nothing is edited there. `why_kept` says of a file, by its path
    and content, why nothing may be edited in it ("" for any other); nothing is in lines that are fenced off.
    """
    change = Change(contents=dict(evaluator.linkage.contents))
    for wish in wishes:
        usage = find_usage(evaluator, wish.target)
        if wish.target.sort is TargetSort.LOCAL:
            _doubt_local(evaluator, usage, wish.new, surroundings)
        for path, reservation in parameter_reservations(evaluator, usage, wish.new, surroundings):
            usage.doubt(reservation.what, path, reservation.start)
        for what in usage.doubts_about(wish.new):
            usage.doubt(what, wish.target.path)
        change.usages.append(usage)
        belongs, stands_apart = _answers(evaluator, usage, confirms_all, apart, said)
        usage.add(
            each.place for each in usage.open_places if (each.place.path, each.place.start) in belongs
        )
        mentions = frozenset(_take_in_documents(usage)) if with_documents else frozenset()
        change.renamings.append(Renaming(wish.target, wish.new, belongs, stands_apart, mentions))
        answered = belongs | stands_apart
        left = [
            each
            for each in usage.open_places
            if (each.place.path, each.place.start) not in answered
        ]
        change.by_wish.append(Objections(list(usage.obstacles), list(usage.doubts), left))

    freed = set(_bindings_of(evaluator, change.usages))
    _check_for_twins(evaluator, wishes, change)
    freed_members = {(wish.target.path, wish.target.written) for wish in wishes}
    for wish, usage, own in zip(wishes, change.usages, change.by_wish, strict=True):
        own.reasons.extend(_clashes(evaluator, usage, wish.new, freed))
        is_member = wish.target.sort is TargetSort.MEMBER and not own.reasons
        if is_member and (wish.target.path, wish.new) not in freed_members:
            asked = find_usage(evaluator, renamed_target(evaluator, wish.target, wish.new), wish.target.name)
            own.reasons.extend(_clashes_in_classes(evaluator, asked, wish.new))
            own.doubts.extend(_doubts_about_new_name(usage, asked, wish.new))
        elif wish.target.sort is TargetSort.PARAMETER and not own.reasons:
            own.doubts.extend(ParameterUsage(evaluator, usage).doubts_about(wish.new))
        own.doubts.extend(_read_as_text(evaluator, usage, surroundings))
        own.reasons.extend(_kept_places(evaluator, usage, why_kept))

    _edit(evaluator, wishes, change)
    _move(evaluator, wishes, change)
    return change


def _answers(
    evaluator: Evaluator,
    usage: Usage,
    confirms_all: bool,
    apart: frozenset[tuple[str, int]],
    said: Collection[str],
) -> tuple[frozenset[tuple[str, int]], frozenset[tuple[str, int]]]:
    """The open places that belong, and those that stand apart, as a person says."""
    belongs, stands_apart = set(), set()
    for each in usage.open_places:
        key = (each.place.path, each.place.start)
        line = evaluator.file(each.place.path).line_of(each.place.start)
        is_this_one, is_another = open_sentences(each, line)
        if key in apart or is_another in said:
            stands_apart.add(key)
        elif confirms_all or is_this_one in said:
            belongs.add(key)
    return frozenset(belongs), frozenset(stands_apart)


def open_sentences(each: OpenPlace, line: int) -> tuple[str, str]:
    """What a person writes into `confirm` to say that an open place means the thing, and that not."""
    where = f"{each.place.path}, line {line}"
    return f"{each.why}; {where} is this one", f"{each.why}; {where} is another one"


def _doubt_local(
    evaluator: Evaluator, usage: Usage, new: str, surroundings: Mapping[str, Surroundings]
) -> None:
    """What could read the name of a local, or its new one, while the program runs."""
    path = usage.target.path
    file = evaluator.linkage.file(path)
    assert file is not None, "the target was found in it"
    if not is_local_variable(file.facts, usage.target.number):
        return
    around = with_calls(evaluator, path, surroundings)
    binding = usage.target.number
    for what, start in (
        *reservations(file.facts, binding, around),
        *found_by_new_name(file.facts, binding, new, around),
    ):
        usage.doubt(what, path, start)


def _read_as_text(
    evaluator: Evaluator, usage: Usage, surroundings: Mapping[str, Surroundings]
) -> Iterator[Doubt]:
    """Lines that the renames would word otherwise and that some text of the project quotes, and files that may read
    themselves, or look at the code that the renames change."""
    for path, places in usage.by_path().items():
        file = evaluator.linkage.file(path)
        around = surroundings.get(path)
        if file is not None and around is not None:
            starts = [place.start for place in places]
            reserved = [
                *quoted_line_reservations(file.source, starts, around),
                *own_text_reservations(file.source, file.facts, around.module),
            ]
            if usage.target.sort is TargetSort.LOCAL:
                reserved += code_reservations(file.source, file.facts)
            for what, start in reserved:
                yield Doubt(what, path, start)


def _kept_places(evaluator: Evaluator, usage: Usage, why_kept: WhyKept) -> Iterator[Obstacle]:
    """Places that people want left as they are."""
    for path, places in usage.by_path().items():
        if why := why_kept(path, evaluator.linkage.contents[path]):
            yield Obstacle(f"the name is used in a file that is not edited ({why})", path, places[0].start)
        file = evaluator.linkage.file(path)
        if file is not None and FENCE_WORD in file.source.text:
            is_fenced = fence_of(file.source, file.facts)
            yield from (Obstacle(FENCED_OFF, path, place.start) for place in places if is_fenced(file.line_of(place.start)))


def _bindings_of(evaluator: Evaluator, usages: Iterable[Usage]) -> Iterator[tuple[str, int]]:
    """The bindings that lose their names."""
    for usage in usages:
        for place in usage.places:
            file = evaluator.linkage.file(place.path)
            reference = file.facts.reference_by_start.get(place.start) if file is not None else None
            if reference is not None and place.sort is not PlaceSort.KEYWORD:
                yield place.path, reference.binding


def _check_for_twins(evaluator: Evaluator, wishes: Sequence[Wish], change: Change) -> None:
    """Two things of one scope or one class cannot get the same name: the later one has to do without."""
    first: dict[tuple[str, str, int, str], Target] = {}
    for wish, usage, own in zip(wishes, change.usages, change.by_wish, strict=True):
        homes = {
            (path, "scope", evaluator.file(path).facts.bindings[binding].scope)
            for path, binding in _bindings_of(evaluator, [usage])
        }
        if wish.target.sort is TargetSort.MEMBER:
            homes |= {(path, "class", number) for path, number in usage.homes}
        for home in sorted(homes):
            earlier = first.setdefault((*home, wish.new), wish.target)
            if earlier != wish.target:
                own.reasons.append(
                    Obstacle(f"`{earlier.written}` is to be called `{wish.new}`, too", home[0], 0)
                )
                break


def _take_in_documents(usage: Usage) -> Iterator[tuple[str, int]]:
    """Let documents, and comments that surely mean the name, be changed along; gives their places.
    Documentation in the code was left for a reason: something may read it."""
    for place in list(usage.mentions):
        is_sure = place.sort is PlaceSort.COMMENT and is_distinctive(usage.target.written)
        if place.sort is PlaceSort.DOCUMENT or is_sure:
            usage.mentions.discard(place)
            usage.places.add(place)
            yield place.path, place.start


def _edit(evaluator: Evaluator, wishes: Sequence[Wish], change: Change) -> None:
    """Write the new names into copies of the files."""
    edits: dict[str, EditSet] = {}
    for wish, usage, objections in zip(wishes, change.usages, change.by_wish, strict=True):
        for path, places in usage.by_path().items():
            own = edits.setdefault(path, EditSet())
            for place in places:
                edit = Edit(place.start, place.end, wish.new)
                if not place.alone:
                    edit = Edit(place.end, place.end, f" as {wish.new}")
                elif place.imported == wish.new:
                    edit = Edit(place.imported_end, place.end, "")
                try:
                    own.add(edit)
                except Overlap:
                    objections.reasons.append(
                        Obstacle("two of the renames would change the same text", path, place.start)
                    )
    for path, own in edits.items():
        data = evaluator.linkage.contents[path]
        assert isinstance(data, bytes), "names were found in it"
        file = evaluator.linkage.file(path)
        try:
            changed = own.apply(file.source if file is not None else SourceText.from_bytes(data))
        except UnreadableText as problem:
            for usage, objections in zip(change.usages, change.by_wish, strict=True):
                if path in usage.by_path():
                    objections.reasons.append(Obstacle(str(problem), path, 0))
            continue
        change.contents[path] = change.changed[path] = changed


def _move(evaluator: Evaluator, wishes: Sequence[Wish], change: Change) -> None:
    """Let the files of renamed modules lie where their new names say."""
    linkage = evaluator.linkage
    for wish, objections in zip(wishes, change.by_wish, strict=True):
        if wish.target.sort is not TargetSort.MODULE:
            continue
        folders = _folders_of(wish.target.name, linkage.modules)
        for path in sorted(linkage.contents):
            if linkage.modules.get(path) == wish.target.name and not path.endswith(f"/{PACKAGE_MARK}"):
                new_path = _beside(path, wish.new + path.rpartition("/")[2][len(wish.target.written) :])
            elif (folder := next((each for each in folders if path.startswith(f"{each}/")), None)) is not None:
                new_path = _beside(folder, wish.new) + path[len(folder) :]
            else:
                continue
            if new_path == path:
                # That it has the name already is told elsewhere.
                continue
            if new_path in linkage.contents:
                objections.reasons.append(Obstacle(f"{new_path} is there already", path, 0))
                continue
            change.moved[path] = new_path
            change.contents[new_path] = change.contents.pop(path)


def _folders_of(dotted: str, modules: Mapping[str, str]) -> set[str]:
    """The folders of a package; several where one without a mark has its modules in several."""
    found: set[str] = set()
    for path, module in modules.items():
        if module == dotted and path.endswith(f"/{PACKAGE_MARK}"):
            found.add(folder_of(path))
        elif module.startswith(f"{dotted}."):
            inner = folder_of(path) if path.endswith(f"/{PACKAGE_MARK}") else path
            found.add(inner.rsplit("/", module[len(dotted) :].count("."))[0])
    return found


def _beside(path: str, name: str) -> str:
    return f"{folder_of(path)}/{name}".lstrip("/")


# -- clashes -------------------------------------------------------------------------------------------


def _clashes(
    evaluator: Evaluator, usage: Usage, new: str, freed: set[tuple[str, int]]
) -> Iterator[Obstacle]:
    """Why the new name cannot stand where the old one stood."""
    target = usage.target
    first = min(usage.places, default=Place(target.path, 0, 0, PlaceSort.READ))
    old = target.written
    if (reason := _reason_against(target, old, new)) is not None:
        yield Obstacle(reason, first.path, first.start)
        return
    for path, places in usage.by_path().items():
        file = evaluator.linkage.file(path)
        if file is not None:
            yield from _clashes_in_file(file, places, new, freed)
    if target.sort is TargetSort.GLOBAL:
        yield from _clashes_in_packages(evaluator, usage, new)
        yield from _clashes_with_hook(evaluator, target.path, new)
    elif target.sort is TargetSort.MODULE:
        yield from _clashes_of_modules(evaluator, target, new)


def _clashes_with_hook(evaluator: Evaluator, path: str, new: str) -> Iterator[Obstacle]:
    """A module may answer for the new name already."""
    file = evaluator.linkage.file(path)
    if file is not None and answers_for_names(file) and not module_passes_name_over(evaluator, file, new):
        yield Obstacle(f"{path} answers for `{new}` by a `__getattr__` of its own", path, 0)


def _reason_against(target: Target, old: str, new: str) -> str | None:
    if not new:
        return f"no new name is given for `{old}`"
    if new == old:
        return f"`{new}` is the name it has already"
    if unicodedata.normalize("NFKC", new) != new:
        return f"`{new}` is not spelled the way in which Python would keep it"
    if old.startswith("__") and old.endswith("__"):
        return f"Python gives the name `{old}` a meaning of its own"
    is_mangled = target.sort is TargetSort.MEMBER and target.name != old
    plain = new.lstrip("_") if is_mangled and new.startswith("__") and not new.endswith("__") else new
    if (reason := reason_against_spelling(plain)) is not None:
        return reason
    if new in BUILTINS and target.sort not in (TargetSort.MEMBER, TargetSort.MODULE):
        return f"`{new}` is a builtin, and would be hidden"
    return None


def _clashes_in_file(
    file: LinkedFile, places: Sequence[Place], new: str, freed: set[tuple[str, int]]
) -> Iterator[Obstacle]:
    """Bindings that would take the new name, or be taken by it."""
    facts = file.facts
    ours: set[int] = set()
    scopes: dict[int, set[int]] = {}
    for place in places:
        reference = facts.reference_by_start.get(place.start)
        if reference is not None and place.sort is not PlaceSort.KEYWORD:
            ours.add(reference.binding)
            home = facts.bindings[reference.binding].scope
            scopes.setdefault(home, set()).add(reference.scope)
        if any(start <= place.start < end for start, end in facts.shown):
            yield Obstacle(
                f"a text prints the name together with its value (line {file.line_of(place.start)})",
                file.path,
                place.start,
            )
    for index, binding in enumerate(facts.bindings):
        if binding.name != new or index in ours or (file.path, index) in freed:
            continue
        for home, used_in in scopes.items():
            start = facts.references[binding.references[0]].start if binding.references else 0
            if _takes(facts, index, home, used_in):
                what = "is a builtin that is used there" if _is_builtin(facts, index) else "is used there"
                yield Obstacle(
                    f"`{new}` {what} already ({file.path}, line {file.line_of(start)})", file.path, start
                )
                break


def _is_builtin(facts: FileFacts, binding: int) -> bool:
    return facts.bindings[binding].outside and facts.bindings[binding].name in BUILTINS


def _takes(facts: FileFacts, other: int, home: int, used_in: Iterable[int]) -> bool:
    """Whether a binding of the new name and ours, which lives in `home`, would get in each other's way."""
    record = facts.bindings[other]
    if record.scope == home and not record.outside:
        return True
    if record.scope != home and home in facts.ancestors(record.scope):
        # It lives further in: it would take those of our references that it can see.
        return any(record.scope in facts.ancestors(scope) for scope in used_in)
    # It lives further out: ours would take those of its references that can see ours.
    return any(
        home in facts.ancestors(facts.references[index].scope) for index in record.references
    )


def _clashes_in_classes(evaluator: Evaluator, asked: Usage, new: str) -> Iterator[Obstacle]:
    """Why the classes cannot have the new name, of which the use before the change is `asked`."""
    yield from asked.obstacles
    for place in sorted(asked.places):
        if place.sort not in (PlaceSort.COMMENT, PlaceSort.DOCUMENTATION):
            file = evaluator.file(place.path)
            yield Obstacle(
                f"`{new}` is an attribute of these classes already "
                f"({place.path}, line {file.line_of(place.start)})",
                place.path,
                place.start,
            )
            return


def _doubts_about_new_name(usage: Usage, asked: Usage, new: str) -> Iterator[Doubt]:
    """Code that asks for the new name already, of what is not known: it could be one of the family. So could what goes through
    names, or works them out, and would not come to the old one."""
    met = {(each.path, each.start) for each in usage.doubts}
    yield from (each for each in asked.doubts if each.of_names and (each.path, each.start) not in met)
    first = {each.place.path: each.place.start for each in reversed(asked.open_places)}
    for path, start in sorted(first.items()):
        yield Doubt(new_name_doubt(usage.label, new, path), path, start)


def _clashes_in_packages(evaluator: Evaluator, usage: Usage, new: str) -> Iterator[Obstacle]:
    linkage = evaluator.linkage
    for path in usage.by_path():
        module = linkage.modules.get(path, "")
        if linkage.is_package(module) and linkage.is_package(f"{module}.{new}"):
            yield Obstacle(f"`{new}` is a module of the package {module}", path, 0)
    if new.startswith("_") and not usage.target.written.startswith("_"):
        for path, places in usage.by_path().items():
            file = linkage.file(path)
            for use in file.links.imports if file is not None else ():
                if use.name == "*" and any(place.sort is PlaceSort.READ for place in places):
                    yield Obstacle(
                        f"{path} imports everything, which leaves out names like `{new}`", path, use.start
                    )


def _clashes_of_modules(evaluator: Evaluator, target: Target, new: str) -> Iterator[Obstacle]:
    linkage = evaluator.linkage
    package = target.name.rpartition(".")[0]
    dotted = f"{package}.{new}".strip(".")
    if linkage.is_package(dotted):
        yield Obstacle(f"a module {dotted} is there already", target.path, 0)
    if not package and new in sys.stdlib_module_names:
        yield Obstacle(f"`{new}` is a module of the standard library, and would hide it", target.path, 0)
    path = linkage.find_module(package) if package else None
    there = linkage.file(path) if path is not None else None
    if there is not None and new in there.module_bindings:
        yield Obstacle(f"`{new}` is a name of the package {package} already", there.path, 0)
