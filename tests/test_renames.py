"""Renames across a project: small programs, each with what must come of one rename, and run."""

import re
from pathlib import Path
from typing import NamedTuple

import pytest

from tests.helpers import LIBRARY, PROJECT, real_source
from tests.ready import run_program
from zephyrun.changes.project_renames import Wish, carry_out_renames
from zephyrun.changes.rename_batches import settle_batch
from zephyrun.linking.linkage import Linkage
from zephyrun.linking.targets import NoTarget, target_at, target_named
from zephyrun.linking.usage import PlaceSort, TargetSort
from zephyrun.linking.values import Evaluator
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World, judge_renames, new_target_of
from zephyrun.proof.surroundings import find_surroundings
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict
from zephyrun.source import Edit, EditSet, SourceText

CASES = Path(__file__).parent / "rename_cases" / "names.txt"
ATTACKS = PROJECT / "benchmarks" / "rename_attacks" / "programs.txt"


class Case(NamedTuple):
    """A small project, one rename, and its outcome: done, review or refused."""

    title: str
    target: str
    new: str
    outcome: str
    files: dict[str, bytes]


def read_cases(path: Path = CASES) -> list[Case]:
    """The cases of a file, in order."""
    found = []
    for block in re.split(r"(?m)^=== ", path.read_text("utf-8"))[1:]:
        head, *parts = re.split(r"(?m)^--- ", block)
        title, call = head.strip().split("\n")
        match = re.fullmatch(r"rename (\S+) -> (\S+) : (\w+)", call)
        assert match is not None, call
        files = {name: body.encode() for name, _, body in (part.partition("\n") for part in parts)}
        found.append(Case(title, match[1], match[2], match[3], files))
    return found


def find_target(evaluator: Evaluator, text: str):
    """The target of a case: `path:line:column` or a dotted name."""
    path, *place = text.split(":")
    if not place:
        return target_named(evaluator, text)
    file = evaluator.linkage.file(path)
    line, column = map(int, place)
    return target_at(evaluator, path, file.source.line_starts[line - 1] + column - 1)


def output_of(files: dict[str, bytes]) -> tuple[int, str, str]:
    """What the program of a case does."""
    done = run_program(files)
    output = re.sub(r"in \d+\.\d+s", "in no time", done.stdout)
    return done.returncode, output, re.sub(r"(?s)Traceback.*\n(?=\w)", "", done.stderr)


# What somebody knows who was told of no rename.
UNTOLD = World(library=read_library, memory=LIBRARY)


def world_of(files: dict[str, bytes]) -> World:
    """All that a judgement of some files needs."""
    return World(library=read_library, memory=LIBRARY, surroundings=find_surroundings(files))


@pytest.mark.parametrize("case", read_cases(), ids=lambda case: case.title)
def test_rename_case(case):
    """A rename that is called safe leaves the program as it was, and can be made undone to the byte by
    renaming back; one that is not names its reason."""
    world = world_of(case.files)
    evaluator = world.evaluator(case.files)
    wishes = [Wish(find_target(evaluator, case.target), case.new)]
    change = carry_out_renames(evaluator, wishes, surroundings=world.surroundings)
    if change.reasons:
        outcome = "refused"
    elif change.doubts or change.open_places:
        outcome = "review"
    else:
        outcome = "done"
    reasons = [*change.reasons, *change.open_places, *change.doubts]
    assert outcome == case.outcome, reasons
    if outcome == "refused":
        return
    if outcome == "review":
        # What a person vouches for is carried out, too; where they are right, all is well.
        change = carry_out_renames(evaluator, wishes, surroundings=world.surroundings, confirms_all=True)
    confirmed = [doubt.what for doubt in change.doubts]
    proof = judge_renames(
        case.files, change.contents, change.renamings, world, moved=change.moved, confirmed=confirmed
    )
    assert proof.verdict is Verdict.SAME, (proof.reasons, [file.differences for _, file in proof.files])
    if outcome == "review":
        return
    before = output_of(case.files)
    assert before == output_of(change.contents)
    assert before[0] == 0, before[2]

    after = world.evaluator(change.contents)
    target = new_target_of(evaluator, after, change.renamings[0], change.moved)
    back = carry_out_renames(after, [Wish(target, change.renamings[0].target.written)])
    if not any(b" as " in data for data in change.changed.values() if data not in case.files.values()):
        assert back.contents == case.files


def in_tens(cases):
    """Some cases, ten at once: of thousands, each as a test of its own costs more than to judge it."""
    return [cases[first : first + 10] for first in range(0, len(cases), 10)]


def judge_program(case) -> tuple[bool, bool]:
    """Say whether a rename is proved without a word, and whether the program then does another thing; that also where it
    needs a word, and who was told of nothing calls it the same."""
    world = world_of(case.files)
    evaluator = world.evaluator(case.files)
    wishes = [Wish(find_target(evaluator, case.target), case.new)]
    change = carry_out_renames(evaluator, wishes, surroundings=world.surroundings)
    is_done = not (change.reasons or change.doubts or change.open_places)
    if is_done:
        proof = judge_renames(case.files, change.contents, change.renamings, world, moved=change.moved)
        if proof.verdict is not Verdict.SAME:
            return False, False
        if case.outcome == "shown":
            return True, not proof.assumptions
    elif change.contents == case.files or compare_trees(case.files, change.contents, world=UNTOLD).verdict is not Verdict.SAME:
        return False, False
    return is_done, output_of(case.files) != output_of(change.contents)


@pytest.mark.parametrize("cases", in_tens(read_cases(ATTACKS)), ids=lambda cases: cases[0].title)
def test_no_proved_rename_does_another_thing(cases, record_property):
    """Programs that were written to be told by a name: whatever is proved without a word, or called the same by who was
    told of nothing, runs as before, or (where the case says so) only shows the name, which the verdict then takes for
    granted."""
    judged = [(case.title, *judge_program(case)) for case in cases]
    wrong = [title for title, _, is_other in judged if is_other]
    record_property("counts", sum(is_proved or is_other for _, is_proved, is_other in judged))
    record_property("wrong", len(wrong))
    assert not wrong


MOST_FORGOTTEN = 3
FOR_READERS = {PlaceSort.COMMENT, PlaceSort.DOCUMENTATION, PlaceSort.DOCUMENT}


def forgetful(case, change):
    """The change without one of its references, which is named, for some of them."""
    places = sorted(place for place in change.usages[0].places if place.sort not in FOR_READERS)
    if change.moved or len(places) < 2:
        return
    for forgotten in places[:MOST_FORGOTTEN]:
        contents = dict(case.files)
        for path, kept in change.usages[0].by_path().items():
            edits = EditSet(Edit(p.start, p.end, case.new) for p in kept if p != forgotten and p.alone)
            contents[path] = edits.apply(SourceText.from_bytes(case.files[path]))
        yield forgotten, contents


@pytest.mark.parametrize("case", [each for each in read_cases() if each.outcome == "done"], ids=lambda case: case.title)
def test_the_proof_sees_a_forgotten_reference(case):
    """Every rename that is done, with one reference left out after the other: none of them is the same."""
    world = world_of(case.files)
    evaluator = world.evaluator(case.files)
    change = carry_out_renames(evaluator, [Wish(find_target(evaluator, case.target), case.new)])
    for forgotten, contents in forgetful(case, change):
        proof = judge_renames(case.files, contents, change.renamings, world, before=evaluator)
        assert proof.verdict is not Verdict.SAME, forgotten


@pytest.mark.parametrize("case", [each for each in read_cases() if each.outcome == "review"], ids=lambda case: case.title)
def test_nothing_is_proved_without_a_word(case):
    """What waits for a person's word is not the same without it."""
    world = world_of(case.files)
    evaluator = world.evaluator(case.files)
    wish = Wish(find_target(evaluator, case.target), case.new)
    change = carry_out_renames(evaluator, [wish], confirms_all=True)
    unconfirmed = [each._replace(belongs=frozenset()) for each in change.renamings]
    proof = judge_renames(case.files, change.contents, unconfirmed, world, moved=change.moved)
    assert proof.verdict is not Verdict.SAME
    assert proof.reasons or any(file.differences for _, file in proof.files)


def names_of(evaluator: Evaluator, path: str):
    """Every name that a file binds, as a target."""
    from zephyrun.linking.targets import target_of_binding

    file = evaluator.linkage.file(path)
    for index, binding in enumerate(file.facts.bindings):
        if not binding.outside and not binding.name.startswith("__"):
            try:
                target = target_of_binding(evaluator, file, index)
            except NoTarget:
                continue
            if target.sort is not TargetSort.MODULE:
                yield target


def test_swaps_and_chains_are_one_change():
    """`a` to `b` together with `b` to `a`: a name that goes away is free for another."""
    files = {
        "shared.py": b"tare = 1\nlimit = 5\ndef check(x):\n    return x - tare > limit\n",
        "main.py": b"import shared\nfrom shared import limit, tare\nprint(shared.check(7), shared.tare, limit, tare)\n",
    }
    world = World(library=read_library, memory=LIBRARY)
    evaluator = world.evaluator(files)
    wishes = [
        Wish(target_named(evaluator, "shared.tare"), "limit"),
        Wish(target_named(evaluator, "shared.limit"), "tare"),
        Wish(target_named(evaluator, "shared.check"), "is_heavy"),
    ]
    change = carry_out_renames(evaluator, wishes)
    assert not change.reasons
    assert b"limit = 1\ntare = 5\ndef is_heavy(x):\n    return x - limit > tare\n" == change.contents["shared.py"]
    proof = judge_renames(files, change.contents, change.renamings, world)
    assert proof.verdict is Verdict.SAME, proof
    assert output_of(files) == output_of(change.contents)


def renameable(evaluator: Evaluator, path: str) -> list[Wish]:
    """A fresh name for everything in a file that can be renamed without anybody's word, each family once.
    A new name that begins like the old one keeps the order of closure cells."""
    found, taken = [], set()
    for number, target in enumerate(dict.fromkeys(names_of(evaluator, path))):
        wish = Wish(target, f"{target.written}_x{number}")
        change = carry_out_renames(evaluator, [wish])
        places = {(place.path, place.start) for place in change.usages[0].places}
        if not change.reasons and not change.doubts and not change.open_places and not places & taken:
            found.append(wish)
            taken |= places
    return found


@pytest.mark.parametrize("module", ["graphlib", "shlex", "textwrap"])
def test_rename_everything_and_back(module):
    """Real modules: every name that can be is renamed, one at a time and all at once, proved, and renamed
    back to the byte."""
    files = {f"{module}.py": real_source(module)}
    world = World(library=read_library, memory=LIBRARY)
    evaluator = world.evaluator(files)
    wishes = renameable(evaluator, f"{module}.py")
    assert len(wishes) > 20
    for some in (wishes, *([each] for each in wishes[::9])):
        change = carry_out_renames(evaluator, some)
        proof = judge_renames(files, change.contents, change.renamings, world, before=evaluator)
        blamed = [some[number].target.name for number in proof.blamed]
        assert proof.verdict is Verdict.SAME, (blamed, proof.reasons, [file.differences for _, file in proof.files])
        after = world.evaluator(change.contents)
        targets = [new_target_of(evaluator, after, each, change.moved) for each in change.renamings]
        back = carry_out_renames(
            after, [Wish(target, wish.target.written) for target, wish in zip(targets, some, strict=True)]
        )
        assert back.contents == files


def test_prose_about_another_functions_parameter_stays():
    """What a description says of a parameter is about the one of its own function."""
    described = '    """Weigh.\n\n    :param day: `day` of the season\n    """\n    return day\n'
    text = f"def _weigh(day):\n{described}def _count(day):\n{described}# `day` here is nobody's\n_weigh(1)\n_count(day=2)\n"
    files = {"main.py": text.encode()}
    evaluator = world_of(files).evaluator(files)
    change = carry_out_renames(evaluator, [Wish(find_target(evaluator, "main.py:1:12"), "noon")])
    first, rest = text.split("def _count")
    assert change.contents["main.py"].decode() == f"{first.replace('day', 'noon')}def _count{rest}"


def test_a_batch_costs_only_those_to_blame():
    """Two renames that exclude each other and one that a person must vouch for: the others are carried
    out, and each of these has its reason."""
    text = (
        "import sys\n"
        "def _weigh(first, second, third):\n"
        "    return first - second * third\n"
        "def _tare():\n"
        "    return sys._getframe().f_code.co_name\n"
        "print(_weigh(3, 2, 1), _tare())\n"
    )
    files = {"main.py": text.encode(), "hives.py": b"def _count(hives):\n    return len(hives)\nprint(_count([]))\n"}
    world = world_of(files)
    evaluator = world.evaluator(files)
    places = [("main.py:2:12", "kg"), ("main.py:2:19", "kg"), ("main.py:2:27", "days"), ("hives.py:1:12", "all_hives")]
    wishes = [Wish(find_target(evaluator, place), new) for place, new in places]
    wishes.append(Wish(find_target(evaluator, "main.py:4:5"), "_empty"))
    batch = settle_batch(evaluator, wishes, world)
    assert batch.proof.verdict is Verdict.SAME
    assert batch.kept == (0, 2, 3)
    assert set(batch.refused) == {1, 4}
    assert "`first` is to be called `kg`, too" in batch.refused[1]
