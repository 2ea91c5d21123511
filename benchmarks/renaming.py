"""What the rename benchmarks share: everything in a project that has a name, and what the tool says of
renaming it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from zephyrun.changes.project_renames import Change, Wish, carry_out_renames
from zephyrun.changes.rename_batches import settle_batch
from zephyrun.facts import Role, ScopeKind
from zephyrun.linking.linkage import Content, LinkedFile
from zephyrun.linking.targets import NoTarget, target_of_binding
from zephyrun.linking.usage import Target, TargetSort
from zephyrun.linking.values import Evaluator
from zephyrun.project.discovery import read_project
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World
from zephyrun.proof.surroundings import find_surroundings


@dataclass
class Verdicts:
    """What the tool says of each target: safe, or why not."""

    safe: list[Wish] = field(default_factory=list)
    others: list[tuple[Target, str, str]] = field(default_factory=list)
    counts: Counter[tuple[str, str]] = field(default_factory=Counter)


def open_world(root: Path, *, is_library: bool) -> tuple[dict[str, Content], World]:
    """A project's files, and all that a judgement of them needs."""
    contents = read_project(root)
    return contents, World(library=read_library, is_library=is_library)


def with_surroundings(world: World, contents: Mapping[str, Content]) -> World:
    """The same world, with what the files know of each other."""
    return replace(world, surroundings=find_surroundings(contents, is_library=world.is_library))


def everything_named(evaluator: Evaluator, paths: list[str]) -> Iterator[tuple[str, Target]]:
    """Each thing that has a name in some files, with the sort of thing that it is."""
    seen: set[Target] = set()
    for path in paths:
        file = evaluator.linkage.file(path)
        if file is None:
            continue
        for sort, target in (*_bound(evaluator, file), *_set_on_instances(evaluator, file)):
            if target not in seen and not target.written.startswith("__"):
                seen.add(target)
                yield sort, target


def _bound(evaluator: Evaluator, file: LinkedFile) -> Iterator[tuple[str, Target]]:
    for index, binding in enumerate(file.facts.bindings):
        if binding.outside:
            continue
        try:
            target = target_of_binding(evaluator, file, index)
        except NoTarget:
            continue
        if target.path == file.path and target.sort is not TargetSort.MODULE:
            yield sort_of(file, target, index), target


def sort_of(file: LinkedFile, target: Target, binding: int) -> str:
    """A sort of thing as practitioners speak of it."""
    roles = file.facts.roles(binding)
    if target.sort is TargetSort.LOCAL:
        return "local"
    if target.sort is TargetSort.PARAMETER:
        owner = file.links.functions[target.owner]
        kind = file.facts.scopes[owner.scope].kind
        is_special = owner.name.startswith("__") and owner.name.endswith("__")
        is_private = not is_special and (
            owner.name.startswith("_") or kind is ScopeKind.FUNCTION or not owner.name
        )
        return "parameter of a private function" if is_private else "parameter"
    word = (
        "class" if Role.CLASS in roles
        else "import alias" if Role.IMPORT in roles
        else "function" if Role.FUNCTION in roles and target.sort is TargetSort.GLOBAL
        else "method" if Role.FUNCTION in roles
        else "attribute" if target.sort is TargetSort.MEMBER
        else "module-level variable"
    )
    is_private = target.written.startswith("_")
    return f"private {word}" if is_private else word


def _set_on_instances(evaluator: Evaluator, file: LinkedFile) -> Iterator[tuple[str, Target]]:
    for use in file.links.attributes:
        for origin in file.links.sources.get(use.receiver.binding, ()):
            if use.use.value == "write" and origin.sort.value == "own":
                key = (file.path, origin.binding)
                if evaluator.binding_in(key, use.name) is None:
                    spelling = file.source.text[use.start : use.end]
                    sort = "private attribute" if spelling.startswith("_") else "attribute"
                    yield sort, Target(
                        TargetSort.MEMBER, file.path, use.name, origin.binding, spelling=spelling
                    )


def fresh_name(target: Target, number: int) -> str:
    """A name that is nowhere else. As it begins like the old one, closure cells keep their order; two
    underscores at the beginning would have a meaning of their own."""
    return f"{target.written}_x{number}" if target.written.strip("_") else f"{target.written}x{number}"


def judge_each(
    evaluator: Evaluator,
    named: list[tuple[str, Target]],
    world: World,
    new_name: Callable[[Target, int], str] = fresh_name,
) -> Verdicts:
    """Ask for each target alone whether it could be renamed without anybody's word."""
    found = Verdicts()
    taken: set[tuple[str, int]] = set()
    for number, (sort, target) in enumerate(named):
        wish = Wish(target, new_name(target, number))
        change = carry_out_renames(evaluator, [wish], surroundings=world.surroundings)
        answer, why = _answer(change)
        found.counts[sort, answer] += 1
        if answer == "safe":
            # A family of methods is met once for each of its classes.
            places = {(place.path, place.start) for place in change.usages[0].places}
            if not places & taken:
                found.safe.append(wish)
            taken |= places
        else:
            found.others.append((target, answer, why))
    return found


def _answer(change: Change) -> tuple[str, str]:
    if change.reasons:
        return "refused", change.reasons[0].reason
    if change.open_places:
        return "review", change.open_places[0].why
    if change.doubts:
        return "review", change.doubts[0].what
    return "safe", ""


def prove_together(
    evaluator: Evaluator, wishes: list[Wish], world: World
) -> tuple[Change, list[tuple[Wish, str]]]:
    """Carry out as many renames at once as are proved together; the others with the reason."""
    batch = settle_batch(evaluator, wishes, world)
    return batch.change, [(wishes[number], reason) for number, reason in sorted(batch.refused.items())]
