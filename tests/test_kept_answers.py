"""What was found out about a project is kept until a file of it changes: asked again, the tool says the same, and after a change what
is true then."""

import itertools
from dataclasses import replace

import pytest

from tests.test_renames import ATTACKS, find_target, in_tens, read_cases
from zephyrun.changes.project_renames import Wish, carry_out_renames
from zephyrun.linking import answers, kept_answers
from zephyrun.linking.kept_answers import KeptAnswers
from zephyrun.linking.targets import NoTarget
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Value, ValueSort
from zephyrun.project import cache as caches
from zephyrun.project import kept_facts
from zephyrun.project.cache import Cache
from zephyrun.project.kept_facts import KeptFacts
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World, judge_renames

SOME_CASES = [*read_cases()[::15], *read_cases(ATTACKS)[::60]]


@pytest.fixture(autouse=True)
def everything_is_worth_keeping(monkeypatch):
    """However small the project is, and however soon something was found out."""
    monkeypatch.setattr(kept_facts, "_BYTES_WORTH_KEEPING", 0)
    for module in (kept_answers, answers):
        monkeypatch.setattr(module, "is_costly", lambda began: True)


def said_of(case, files, memory):
    """All that is said of a rename, and of the proof of what comes of it."""
    world = World(library=read_library, memory=memory)
    world = replace(world, surroundings=world.look_around(files))
    evaluator = world.evaluator(files)
    try:
        wishes = [Wish(find_target(evaluator, case.target), case.new)]
    except NoTarget as problem:
        return str(problem)
    change = carry_out_renames(evaluator, wishes, surroundings=world.surroundings)
    said = [change.reasons, change.doubts, sorted(change.open_places), change.contents]
    if not change.reasons:
        confirmed = [doubt.what for doubt in change.doubts]
        said += judge_renames(files, change.contents, change.renamings, world, moved=change.moved, confirmed=confirmed).__dict__.values()
    return list(map(str, said))


def without_one(case):
    """The files of a case but one, which is not that of the target."""
    others = sorted(path for path in case.files if not case.target.startswith(path.removesuffix(".py")))
    return {path: data for path, data in case.files.items() if path != others[0]} if others else {}


@pytest.mark.parametrize("cases", in_tens(SOME_CASES), ids=lambda cases: cases[0].title)
def test_a_later_run_says_what_the_first_one_said(cases, tmp_path):
    """Nothing is known at first; then something of the project less one of its files; then all."""
    for number, case in enumerate(cases):
        (root := tmp_path / str(number)).mkdir()
        expected = said_of(case, case.files, None)
        for files in filter(None, (without_one(case), case.files, case.files)):
            memory = KeptFacts(root)
            said = said_of(case, files, memory)
            memory.save()
            assert files != case.files or said == expected, case.title
        assert len(KeptFacts(root).answers_about(case.files, "surroundings", ()).known) > 0


def test_circumstances_count(tmp_path):
    """What holds for a program does not for a library."""
    files = {"hives.py": b"kg = 3\n"}
    kept = KeptFacts(tmp_path)
    for circumstance, answer in (("program", 1), ("library", 2)):
        kept.answers_about(files, circumstance).once("question", lambda answer=answer: answer)
    kept.save()
    later = KeptFacts(tmp_path)
    known = [later.answers_about(files, each).once("question", lambda: 3) for each in ("program", "library", "script")]
    assert known == [1, 2, 3]
    assert later.answers_about({"hives.py": b"kg = 4\n"}, "program").once("question", lambda: 3) == 3
    assert later.answers_about({"hive.py": b"kg = 3\n"}, "program").once("question", lambda: 3) == 3


def test_only_what_can_be_read_again_is_kept(tmp_path):
    """Values, records and collections come back as they were; anything else is asked again."""
    value = Value(ValueSort.SERIES, parts=(frozenset({UNKNOWN_VALUE, Value(ValueSort.CLASS, "hives.py", 3)}),))
    large = {f"hive {number}": [number, None, True, b"kg"] for number in range(500)}
    plain = {"value": frozenset({value}), "large": large, ("hives.py", 3, value): {("a",), ("b", 2)}}
    kept = KeptFacts(tmp_path)
    about = kept.answers_about({}, "all")
    for key, answer in plain.items():
        about.once(key, lambda answer=answer: answer)
    about.once("thing", object)
    about.once(object, lambda: 1)
    kept.save()
    later = KeptFacts(tmp_path).answers_about({}, "all")
    for key, answer in plain.items():
        assert later.once(key, lambda: None) == answer
    assert later.once("thing", lambda: "asked again") == "asked again"
    assert later.once("large", lambda: None) is later.once("large", lambda: None)


def test_what_is_damaged_is_asked_again(tmp_path):
    """In whatever place, and whoever wrote it."""
    kept = KeptFacts(tmp_path)
    kept.answers_about({}, "all").once("question", lambda: 1)
    kept.save()
    with kept._answers._connection() as connection:
        ((packed,),) = connection.execute("SELECT value FROM answers").fetchall()
        for damaged in (packed[:-1], b"", packed[16:], packed[:16] + packed[17:], bytes(len(packed))):
            connection.execute("UPDATE answers SET value = ?", (damaged,))
            connection.commit()
            assert KeptFacts(tmp_path).answers_about({}, "all").once("question", lambda: 2) == 2


def test_few_versions_are_kept(tmp_path):
    """Of all that a run met, the first ones and the last."""
    kept = KeptFacts(tmp_path)
    for number in range(20):
        about = kept.answers_about({"hives.py": b"kg = %d" % number}, "all")
        for question in range(number + 1):
            about.once(question, lambda: 1)
    kept.save()
    known = [
        len(KeptFacts(tmp_path).answers_about({"hives.py": b"kg = %d" % number}, "all").known) for number in range(20)
    ]
    assert known == [1, 2] + [0] * 14 + [17, 18, 19, 20]


def test_versions_that_nobody_needs_are_forgotten(tmp_path, monkeypatch):
    """First those that were needed longest ago."""
    seconds = itertools.count(1_800_000_000)
    monkeypatch.setattr(caches.time, "time", lambda: next(seconds))
    (tmp_path / ".zephyrun").mkdir()
    cache = Cache[bytes](tmp_path, "answers")
    for number in range(5):
        cache.put({f"version {number}": b"answers"})
        cache.keep_latest([f"version {number}", "version 0"], 3)
    assert set(cache.get([f"version {number}" for number in range(5)])) == {"version 0", "version 4", "version 3"}


def test_too_many_answers_leave_those_of_the_last_run(tmp_path, monkeypatch):
    """So that what is kept does not grow with every question that was ever asked."""
    monkeypatch.setattr(kept_facts, "_MOST_ANSWERS", 30)
    for first in (0, 20, 40):
        kept = KeptFacts(tmp_path)
        about = kept.answers_about({}, "all")
        for question in range(first, first + 20):
            about.once(question, lambda: 1)
        kept.save()
    assert set(KeptFacts(tmp_path).answers_about({}, "all").known) == set(range(40, 60))


def test_nothing_is_known_without_a_cache():
    """What is asked twice is found out once all the same."""
    asked = []
    about = KeptAnswers()
    for _ in range(2):
        assert about.once("question", lambda: asked.append(1)) is None
    assert asked == [1]
