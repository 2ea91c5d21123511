"""The cache: a survey that uses it says what one without it says, and nothing that goes wrong with it
is ever more than lost time."""

import pickle
import random
import shutil
import sqlite3
import threading
import zlib
from contextlib import closing
from dataclasses import fields
from pathlib import Path

import pytest

from tests.helpers import REAL_MODULES, STDLIB, real_source
from zephyrun.commands import project_survey
from zephyrun.commands.project_survey import survey_paths
from zephyrun.facts import FileFacts
from zephyrun.findings import KINDS
from zephyrun.languages.python import parse
from zephyrun.languages.python.links import read_links
from zephyrun.link_facts import LinkFacts
from zephyrun.project import kept_facts
from zephyrun.project.cache import Cache, joint_key
from zephyrun.project.kept_facts import KeptFacts


@pytest.fixture
def project(tmp_path, monkeypatch):
    """Real modules, with the cache in use however small they are."""
    monkeypatch.setattr(project_survey, "_WORTH_A_CACHE", 0)
    root = tmp_path / "project"
    root.mkdir()
    (root / "zephyrun.toml").touch()
    for name in REAL_MODULES[:2]:
        shutil.copy(STDLIB / f"{name}.py", root)
    (root / "README.md").write_text("An apiary's log.\n")
    return root


def survey(root, **options):
    """Everything that a survey says."""
    found = survey_paths([root], list(KINDS), 1, **options)
    return found.summary, found.findings, found.n_declined


def without_cache(root):
    """What a survey says that knows nothing."""
    shutil.rmtree(root / ".zephyrun", ignore_errors=True)
    said = survey(root)
    return said


def test_what_is_known_is_what_would_be_found(project):
    """After edits of every sort, in several orders, the answer is that of a survey from scratch."""
    dice = random.Random(3)
    edits = (
        lambda path: path.write_bytes(path.read_bytes() + b"\n\ndef late(q):\n    zz = q * 37\n    return zz\n"),
        lambda path: path.write_bytes(b"\n\n\n" + path.read_bytes()),
        lambda path: path.write_bytes(b"import enum\nprint(vars(enum))\n" + path.read_bytes()),
        lambda path: path.write_bytes(b"(" + path.read_bytes()),
        lambda path: path.rename(path.with_name("moved_" + path.name)),
        lambda path: path.unlink(),
        lambda path: (path.parent / "zephyrun.toml").write_text(f'leave_out = ["{path.name}"]\n'),
        lambda path: (path.parent / "note.txt").write_text("Traceback (most recent call last)\n" + path.read_text()),
    )
    for edit in edits:
        survey(project)
        edit(dice.choice(sorted(project.glob("*.py"))))
        first, second = survey(project), survey(project)
        copy = project.parent / "copy"
        shutil.copytree(project, copy)
        assert first == second == without_cache(copy)
        shutil.rmtree(copy)


def test_only_changed_files_are_read_again(project, monkeypatch):
    """And when nothing has changed, none is."""
    survey(project)
    read = []
    real = project_survey.survey_source
    monkeypatch.setattr(
        project_survey, "survey_source", lambda path, *rest: read.append(path) or real(path, *rest)
    )
    survey(project)
    assert read == []
    with (project / "ast.py").open("a") as file:
        file.write("# the end\n")
    survey(project)
    assert read == ["ast.py"]


def damaged(path):
    path.write_bytes(b"no database\n" * 500)


def run_sql(path, statement):
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute(statement)


def of_another_shape(path):
    path.unlink()
    run_sql(path, "CREATE TABLE known (bees)")


def with_nonsense(path):
    run_sql(path, "UPDATE known SET value = '[1, 2'")


def with_other_nonsense(path):
    run_sql(path, "UPDATE known SET value = '[]\n[3]'")


def locked(path):
    # Kept alive by the attribute: a connection that is gone locks nothing.
    locked.connection = sqlite3.connect(path)
    locked.connection.execute("BEGIN EXCLUSIVE")


def a_folder(path):
    path.unlink()
    path.mkdir()


@pytest.mark.parametrize(
    "damage", [damaged, of_another_shape, with_nonsense, with_other_nonsense, locked, a_folder]
)
def test_a_bad_cache_is_passed_over(project, damage, monkeypatch):
    """Whatever lies there instead."""
    monkeypatch.setattr("zephyrun.project.cache._PATIENCE_SECONDS", 0.01)
    said = survey(project)
    damage(project / ".zephyrun/cache.sqlite")
    assert survey(project) == said
    if damage is locked:
        locked.connection.close()


def test_what_the_cache_must_not_touch(project, tmp_path):
    """A link at its place leads to somebody's file; a root that cannot be written stays as it is."""
    theirs = tmp_path / "theirs"
    theirs.write_bytes(b"")
    (project / ".zephyrun").mkdir()
    (project / ".zephyrun/cache.sqlite").symlink_to(theirs)
    said = survey(project)
    assert theirs.read_bytes() == b""
    shutil.rmtree(project / ".zephyrun")
    (project / ".zephyrun").write_text("no folder")
    assert survey(project) == said
    assert (project / ".zephyrun").read_text() == "no folder"


def test_two_at_once(project):
    """Both get their answer."""
    answers = []
    threads = [threading.Thread(target=lambda: answers.append(survey(project))) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert answers[0] == answers[1] == without_cache(project)


def test_old_entries_are_forgotten(tmp_path, monkeypatch):
    """What nobody has asked for in a month goes."""
    today = 1_800_000_000
    monkeypatch.setattr("zephyrun.project.cache.time.time", lambda: today)
    cache = Cache(tmp_path)
    cache.put({"a": "1"})
    assert cache.get(["a", "b"]) == {"a": "1"}
    today += 40 * 86400
    cache.put({"b": "2"})
    assert cache.get(["a", "b"]) == {"b": "2"}
    assert joint_key("a", "b") != joint_key("ab") != joint_key("a b")
    assert Path(tmp_path, ".zephyrun/.gitignore").read_text() == "*\n"


@pytest.fixture
def keeps_little(monkeypatch):
    """Facts are kept however few they are."""
    monkeypatch.setattr("zephyrun.project.kept_facts._BYTES_WORTH_KEEPING", 1)


@pytest.mark.usefixtures("keeps_little")
def test_facts_come_back_as_they_were(tmp_path):
    """What a file said is the same from the cache, also when another process wrote it."""
    data = real_source("shlex")
    before = parse(data)
    kept = KeptFacts(tmp_path)
    kept.keep(data, before.facts, read_links(before))
    assert kept.recall(data) == (before.facts, read_links(before))
    kept.save()
    later = KeptFacts(tmp_path)
    assert as_told(later.recall(data)) == as_told((before.facts, read_links(before)))
    assert later.recall(data + b"\n") is None
    later.save()


def as_told(facts):
    """All fields of what a file says of itself and to others."""
    kinds = (FileFacts, LinkFacts)
    return [{field.name: getattr(each, field.name) for field in fields(kind)} for each, kind in zip(facts, kinds, strict=True)]


class Trap:
    """Pickled, it asks for a file to be made."""

    def __init__(self, path):
        self.path = path

    def __reduce__(self):
        return Path.touch, (self.path,)


def marked(packed):
    """Packed facts of somebody who knows how they are marked."""
    return kept_facts._mark(packed) + packed


def test_nothing_in_the_cache_is_run(tmp_path):
    """Somebody's database may hold anything; and what is damaged is read anew."""
    data, path = real_source("shlex"), tmp_path / "sprung"
    told = parse(data).facts, read_links(parse(data))
    key, good = kept_facts._key(data), kept_facts._packed(*told)
    damaged = good[:60] + b"\xff" * 9 + good[69:]
    trap = zlib.compress(pickle.dumps(Trap(path)))
    for bad in [trap, marked(trap), marked(pickle.dumps(Trap(path))), marked(b""), good[:-9], damaged, b"", "text"]:
        Cache(tmp_path, "facts").put({key: bad})
        kept = KeptFacts(tmp_path)
        assert kept.recall(data) is None
        kept.save()

    for part in (trap, b"", "text", good):
        parts = tuple((part,) * len(fields(kind)) for kind in (FileFacts, LinkFacts))
        Cache(tmp_path, "facts").put({key: marked(pickle.dumps(parts))})
        kept = KeptFacts(tmp_path)
        assert as_told(kept.recall(data)) == as_told(told)
        kept.save()
    assert not path.exists()
