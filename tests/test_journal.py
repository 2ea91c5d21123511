"""The journal: all or nothing, and back to the byte."""

import os
import shutil
import subprocess
import sys

import pytest

from tests.helpers import PROJECT
from zephyrun.errors import UserError
from zephyrun.journal import ChangedSince, Deed, Journal, Operation

OLD = {"hive/log.py": b"w = 1\r\n", "hive/old.py": b"# \xff\n", "hive/gone.py": b"", "run.py": b"#!/bin/sh\n"}
OPERATIONS = (
    Operation(Deed.REPLACE, "run.py", b"#!/bin/sh\nexit\n", expected=OLD["run.py"]),
    Operation(Deed.REPLACE, "hive/log.py", b"weight = 1\r\n", expected=OLD["hive/log.py"]),
    Operation(Deed.CREATE, "hive/parts/units/kg.py", b"KG = 1\n"),
    Operation(Deed.DELETE, "hive/gone.py"),
    Operation(Deed.MOVE, "hive/old.py", b"# moved\n", target="hive/parts/new.py"),
)
NEW = {
    "hive/log.py": b"weight = 1\r\n", "hive/parts/units/kg.py": b"KG = 1\n",
    "hive/parts/new.py": b"# moved\n", "run.py": b"#!/bin/sh\nexit\n",
}


def contents(root):
    """All files and folders of the project, without what Zephyrun keeps."""
    found = {}
    for path in sorted(root.rglob("*")):
        name = path.relative_to(root).as_posix()
        if not name.startswith(".zephyrun/") and name != ".zephyrun":
            found[name] = path.read_bytes() if path.is_file() else None
    return found


@pytest.fixture
def project(tmp_path):
    """A small project, one file of it executable."""
    for name, data in OLD.items():
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(data)
    (tmp_path / "run.py").chmod(0o755)
    return tmp_path


def test_every_operation_there_and_back(project):
    """Replace, create, delete and move; the mode stays; undo restores bytes and folders."""
    before = contents(project)
    journal = Journal(project)
    entry = journal.carry_out("clean-up", OPERATIONS, ["somebody's word"])
    after = contents(project)
    assert {name: data for name, data in after.items() if data is not None} == NEW
    assert os.stat(project / "run.py").st_mode & 0o777 == 0o755
    assert Journal(project).undoable() == (entry,)
    assert entry.assumptions == ("somebody's word",)
    assert Journal(project).undo().label == "clean-up"
    assert contents(project) == before
    assert os.stat(project / "run.py").st_mode & 0o777 == 0o755
    assert Journal(project).undo() is None


def test_undo_goes_back_one_change_at_a_time(project):
    """The latest first."""
    journal = Journal(project)
    for number in range(3):
        journal.carry_out(f"change {number}", [Operation(Deed.REPLACE, "run.py", b"%d" % number)])
    for number in (1, 0):
        journal.undo()
        assert (project / "run.py").read_bytes() == b"%d" % number
    journal.undo()
    assert contents(project)["run.py"] == OLD["run.py"]


def test_what_zephyrun_keeps_is_hidden_from_version_control(project):
    """Through a file of its own; nothing is kept before the first change."""
    journal = Journal(project)
    assert journal.entries() == () and journal.recover() is None
    assert not (project / ".zephyrun").exists()
    journal.carry_out("clean-up", OPERATIONS[:1])
    assert (project / ".zephyrun" / ".gitignore").read_text() == "*\n"


REFUSED = {
    "changed since": (Operation(Deed.REPLACE, "run.py", b"", expected=b"other"), "run.py changed since"),
    "gone": (Operation(Deed.DELETE, "hive/never.py"), "hive/never.py is not there"),
    "there already": (Operation(Deed.CREATE, "run.py", b""), "run.py is there already"),
    "target there": (Operation(Deed.MOVE, "hive/old.py", b"", target="run.py"), "run.py is there already"),
    "outside": (Operation(Deed.CREATE, "../out.py", b""), "lies outside the project"),
    "target outside": (Operation(Deed.MOVE, "run.py", b"", target="../out.py"), "lies outside the project"),
    "link": (Operation(Deed.REPLACE, "link.py", b""), "link.py is a symbolic link"),
    "read-only": (Operation(Deed.REPLACE, "hive/log.py", b""), "hive/log.py is read-only"),
    "through a link": (Operation(Deed.CREATE, "away/out.py", b""), "lies outside the project"),
}


@pytest.mark.parametrize(("operation", "message"), REFUSED.values(), ids=REFUSED)
def test_one_operation_that_cannot_be_done_stops_all(project, tmp_path_factory, operation, message):
    """Before anything is written, with the file's name."""
    (project / "link.py").symlink_to("run.py")
    (project / "away").symlink_to(tmp_path_factory.mktemp("elsewhere"))
    (project / "hive/log.py").chmod(0o444)
    before = contents(project)
    with pytest.raises(UserError, match=message):
        Journal(project).carry_out("clean-up", [OPERATIONS[0], operation])
    assert contents(project) == before


def test_undo_refuses_when_someone_changed_a_file_since(project):
    """By name; nothing is undone, not even the other files."""
    Journal(project).carry_out("clean-up", OPERATIONS)
    (project / "hive/log.py").write_bytes(b"mine\n")
    before = contents(project)
    with pytest.raises(ChangedSince, match="hive/log.py changed since"):
        Journal(project).undo()
    assert contents(project) == before


# Ends the process, as a power cut would, at the Nth operation on the disk.
DIES = """
import os, sys
from tests.test_journal import OPERATIONS, Journal
from pathlib import Path
left = int(sys.argv[2])
def counted(function):
    def call(*arguments, **options):
        global left
        left -= 1
        if left < 0:
            os._exit(9)
        return function(*arguments, **options)
    return call
for name in ("replace", "fsync", "unlink", "chmod", "mkdir", "rmdir", "rename", "open"):
    setattr(os, name, counted(getattr(os, name)))
journal = Journal(Path(sys.argv[1]))
journal.carry_out("clean-up", OPERATIONS) if sys.argv[3] == "do" else journal.undo()
"""


@pytest.mark.parametrize("deed", ["do", "undo"])
def test_a_process_that_dies_at_any_operation(project, tmp_path_factory, deed):
    """The next command finds the old project or the new one, and never a mixture."""
    if deed == "undo":
        Journal(project).carry_out("clean-up", OPERATIONS)
    start = contents(project)
    old = {name: data for name, data in start.items() if data is not None}
    outcomes = set()
    for n_operations in range(0, 400, 17):
        copy = tmp_path_factory.mktemp("copy") / "project"
        shutil.copytree(project, copy, symlinks=True)
        command = [sys.executable, "-c", DIES, copy, str(n_operations), deed]
        done = subprocess.run(command, cwd=PROJECT, env={**os.environ, "PYTHONDONTWRITEBYTECODE": "1"})
        assert done.returncode in (0, 9)
        Journal(copy).recover()
        found = {name: data for name, data in contents(copy).items() if data is not None}
        assert found in (OLD, NEW)
        assert not list(copy.rglob("hive/.zephyrun-*"))
        assert Journal(copy).recover() is None
        outcomes.add((done.returncode, found == old))
        if done.returncode == 0:
            break
    assert (9, True) in outcomes or deed == "undo"
    assert (0, False) in outcomes


def test_two_at_once(project):
    """The second is told to wait."""
    journal = Journal(project)
    with journal._lock(), pytest.raises(UserError, match="another zephyrun is changing this project"):
        Journal(project).carry_out("clean-up", OPERATIONS)
    assert contents(project) == {**OLD, "hive": None}


def test_a_damaged_journal_is_named(project):
    """With what to do about it."""
    Journal(project).carry_out("clean-up", OPERATIONS[:1])
    (project / ".zephyrun/journal/0001/entry.json").write_text('{"records": 3}')
    with pytest.raises(UserError, match="entry.json is damaged; move the folder"):
        Journal(project).undo()


def test_stages_of_one_change(project):
    """They count as one for undo; the latest can be taken back alone; an exception takes back all."""
    before = contents(project)
    first = Operation(Deed.REPLACE, "run.py", b"one\n", expected=OLD["run.py"])
    second = Operation(Deed.REPLACE, "run.py", b"two\n", expected=b"one\n")
    journal = Journal(project)
    with journal.transaction("clean-up") as transaction:
        transaction.carry_out([first], ["a word"])
        transaction.carry_out([second, OPERATIONS[2]], ["another word"])
        transaction.take_back()
        assert (project / "run.py").read_bytes() == b"one\n"
        assert "hive/parts" not in contents(project)
        transaction.carry_out([second])
    assert (project / "run.py").read_bytes() == b"two\n"
    (entry,) = journal.undoable()
    assert entry.paths == ("run.py",) and entry.assumptions == ("a word",)
    journal.undo()
    assert contents(project) == before
    with pytest.raises(KeyboardInterrupt), journal.transaction("clean-up") as transaction:
        transaction.carry_out([first])
        transaction.carry_out([second])
        raise KeyboardInterrupt
    assert contents(project) == before and journal.undoable() == ()


def test_a_full_disk(project):
    """Whatever cannot be written any more: one sentence, and the old project."""
    code = (
        "import resource, sys\nfrom tests.test_journal import Journal, Operation, Deed, UserError\n"
        "from pathlib import Path\nimport signal\nsignal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[2]), int(sys.argv[2])))\n"
        "new = b'x' * 5000\n"
        "operations = [Operation(Deed.REPLACE, name, new) for name in ('run.py', 'hive/log.py')]\n"
        "try:\n    Journal(Path(sys.argv[1])).carry_out('clean-up', operations)\n"
        "except UserError as problem:\n    print(problem)\n"
    )
    before = contents(project)
    for limit in (1, 100, 4000):
        done = subprocess.run(
            [sys.executable, "-c", code, project, str(limit)], cwd=PROJECT, capture_output=True, text=True
        )
        assert done.returncode == 0 and done.stderr == "" and "cannot be written" in done.stdout
        Journal(project).recover()
        assert contents(project) == before
