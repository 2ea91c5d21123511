"""`apply` with the person's own checks and with commits, in real repositories."""

import hashlib
import json
import subprocess
import sys

import pytest

from tests.helpers import zephyrun

LOG = """\
def yearly(hive):
    w = hive.weight  # set w
    t = hive.tare
    d = hive.daily_gain
    return w - t + d * 365
"""
PYTHON = f'"{sys.executable}"'


def git(*words, cwd):
    """Git's output, in a repository that knows nobody else."""
    done = subprocess.run(
        ["git", "-c", "user.name=Keeper", "-c", "user.email=keeper@hive.example", *words],
        cwd=cwd, capture_output=True, text=True, check=True,
    )
    return done.stdout


@pytest.fixture
def project(tmp_path, monkeypatch):
    """A module, a plan for it and a repository around them."""
    for role in ("AUTHOR", "COMMITTER"):
        monkeypatch.setenv(f"GIT_{role}_NAME", "Keeper")
        monkeypatch.setenv(f"GIT_{role}_EMAIL", "keeper@hive.example")
    (tmp_path / "log.py").write_text(LOG)
    (tmp_path / "notes.txt").write_text("bees\n")
    git("init", "-q", cwd=tmp_path)
    git("add", ".", cwd=tmp_path)
    git("commit", "-qm", "As inherited", cwd=tmp_path)
    zephyrun("propose", "log.py", "--output", "cleanup.toml", cwd=tmp_path)
    plan = tmp_path / "cleanup.toml"
    plan.write_text(plan.read_text().replace("accept = false", "accept = true"))
    return tmp_path


def applied(project, *words, code=0):
    """What `apply` says it did, by what the steps are about."""
    done = json.loads(zephyrun("apply", "cleanup.toml", *words, "--format", "json", cwd=project, code=code).stdout)
    plan = (project / "cleanup.toml").read_text().split("[[step]]")[1:]
    olds = {part.split('id = "')[1][:4]: part.split('old = "')[1].split('"')[0] for part in plan}
    return {key: sorted(olds[each] for each in done[key]) for key in ("applied", "taken_back")}


def test_tests_that_pass_keep_everything(project):
    """They run before, and after each stage."""
    runs = project / "runs.txt"
    done = applied(project, "--run-after", f"echo run >> {runs}")
    assert done["taken_back"] == [] and {"w", "t", "# set w"} <= set(done["applied"])
    assert runs.read_text().count("run") == 1 + 3
    assert "weight - tare" in (project / "log.py").read_text()
    zephyrun("undo", cwd=project)
    assert (project / "log.py").read_text() == LOG


def test_a_step_that_the_tests_object_to_is_found_and_taken_back(project):
    """Halving leaves its neighbours and the other stages in place; undo takes all of it back."""
    done = applied(project, "--run-after", "grep -q 't = hive.tare' log.py", code=1)
    assert done["taken_back"] == ["t"]
    text = (project / "log.py").read_text()
    assert "weight = hive.weight\n" in text and "    t = hive.tare\n" in text and "# set w" not in text
    zephyrun("undo", cwd=project)
    assert (project / "log.py").read_text() == LOG


def test_nothing_starts_where_the_tests_fail_already(project):
    """Unless one starts anyway; then the exit code is held to."""
    said = zephyrun("apply", "cleanup.toml", "--run-after", "exit 3", cwd=project, code=1)
    assert "fails already, with exit code 3; nothing was changed" in said.stderr
    assert (project / "log.py").read_text() == LOG and not (project / ".zephyrun").exists()
    assert applied(project, "--run-after", "exit 3", "--start-anyway")["taken_back"] == []


SHOW = (
    "import log\nclass Hive: weight, tare, daily_gain = 9, 2, 1\nprint(log.yearly(Hive))\n"
    "open('out.txt', 'w').write(str(log.yearly.__code__.co_nlocals))\n"
)


def test_the_same_output_instead_of_tests(project):
    """Output, error output, exit code and files; a program that never does the same twice is told."""
    (project / "show.py").write_text(SHOW)
    command = f"{PYTHON} show.py"
    assert applied(project, "--same-output", command, "--outputs", "out.txt")["taken_back"] == []
    zephyrun("undo", cwd=project)
    (project / "show.py").write_text(SHOW + "print(open('log.py').read().count('weight'))\n")
    assert applied(project, "--same-output", command, code=1)["taken_back"] == ["w"]
    zephyrun("undo", cwd=project)
    (project / "show.py").write_text("import os\nprint(os.getpid())\n")
    said = zephyrun("apply", "cleanup.toml", "--same-output", command, cwd=project, code=1)
    assert "puts out something else each time" in said.stderr and (project / "log.py").read_text() == LOG
    said = zephyrun("apply", "cleanup.toml", "--outputs", "out.txt", cwd=project, code=2)
    assert "give that as well" in said.stderr


def test_a_file_named_as_an_output_is_never_deleted(project):
    """Not even one that the command does not write."""
    (project / "mine.txt").write_text("mine\n")
    applied(project, "--same-output", "true", "--outputs", "mine.txt")
    assert (project / "mine.txt").read_text() == "mine\n"


def test_one_commit_a_stage_and_nothing_else_in_it(project):
    """What was staged or changed in other files stays as it was; hooks are not run."""
    hook = project / ".git/hooks/pre-commit"
    hook.write_text("#!/bin/sh\ntouch hooked\nexit 1\n")
    hook.chmod(0o755)
    (project / "notes.txt").write_text("bees\nand wasps\n")
    git("add", "notes.txt", cwd=project)
    (project / "notes.txt").write_text("bees\nand wasps\nand ants\n")
    zephyrun("apply", "cleanup.toml", "--commit", cwd=project)
    subjects = git("log", "--format=%s", cwd=project).splitlines()
    assert subjects == [
        "Clean up comments: 1 step, proved", "Clean up literals: 1 step, proved",
        "Clean up names: 3 steps, proved", "As inherited",
    ]
    assert git("show", "--name-only", "--format=", "HEAD", cwd=project).split() == ["log.py"]
    status = git("status", "--porcelain", "--untracked-files=no", cwd=project)
    assert status == "MM notes.txt\n"
    assert git("show", ":notes.txt", cwd=project) == "bees\nand wasps\n"
    assert git("show", "HEAD:log.py", cwd=project) == (project / "log.py").read_text() != LOG
    assert not (project / "hooked").exists()


def test_a_file_with_changes_of_its_own_is_not_committed(project):
    """Nothing is changed then; without a repository the message says so."""
    (project / "log.py").write_text(LOG + "# mine\n")
    zephyrun("propose", "log.py", "--output", "cleanup.toml", cwd=project)
    said = zephyrun("apply", "cleanup.toml", "--commit", cwd=project, code=2)
    assert "log.py: changes that are not committed" in said.stderr
    assert (project / "log.py").read_text() == LOG + "# mine\n"
    (project / ".git").rename(project / "no-git")
    said = zephyrun("apply", "cleanup.toml", "--commit", cwd=project, code=2)
    assert "lies in no git repository" in said.stderr


KEPT = {
    "fenced in the function": ({"log.py": "def weigh(hive):\n    w = hive.load\n    return w  # zephyrun: leave\n"}, "log.weigh", "w", "weight"),
    "fenced elsewhere": (
        {
            "log.py": "def weigh(hive):\n    return hive.load\n",
            "main.py": "# zephyrun: leave from here\nfrom log import weigh\n# zephyrun: leave to here\nprint(weigh)\n",
        },
        "log", "weigh", "measure",
    ),
    "left out by the settings": (
        {"log.py": "def weigh(hive):\n    return hive.load\n", "old.py": "from log import weigh\n", "zephyrun.toml": "leave_out = ['old.py']\n"},
        "log", "weigh", "measure",
    ),
    "generated": (
        {"log.py": "def weigh(hive):\n    return hive.load\n", "tables.py": "# @generated\nfrom log import weigh\n"},
        "log", "weigh", "measure",
    ),
}


@pytest.mark.parametrize("files, scope, old, new", KEPT.values(), ids=KEPT)
def test_no_step_reaches_where_people_want_nothing_changed(files, scope, old, new, tmp_path):
    """A rename and a step of a plan are refused alike, and not a byte is another one."""
    for name, text in {"zephyrun.toml": "", **files}.items():
        (tmp_path / name).write_text(text)
    step = {"id": "s1", "action": "rename", "path": "log.py", "scope": scope, "old": old, "ordinal": 1, "new": new, "accept": True}
    kept = hashlib.sha256(files["log.py"].encode()).hexdigest()
    lines = [f"{key} = {json.dumps(value)}" for key, value in step.items()]
    plan = ['schema = "zephyrun.plan/1"', 'root = "."', "[files]", f'"log.py" = "sha256:{kept}"', "[[step]]", *lines]
    (tmp_path / "plan.toml").write_text("\n".join(plan))
    refused = json.loads(zephyrun("apply", "plan.toml", "--format", "json", cwd=tmp_path, code=1).stdout)["refused"]
    told = zephyrun("rename", f"{scope}.{old}", new, cwd=tmp_path, code=1).stderr
    for words in ("fenced off", "not edited (left out by the settings)", "not edited (generated)"):
        assert (words in told) == (words in str(refused))
    assert "refused" in told and refused
    assert all((tmp_path / name).read_text() == text for name, text in files.items())


def test_code_that_version_control_ignores_follows(tmp_path):
    """Settings of one machine run like any other code; what is built does not."""
    (tmp_path / "log.py").write_text("def weigh(hive):\n    return hive.load\n")
    (tmp_path / ".gitignore").write_text("local.py\nbuild/\n")
    (tmp_path / "local.py").write_text("from log import weigh\n")
    (tmp_path / "build").mkdir()
    (tmp_path / "build/log.py").write_text("def weigh(hive):\n    return hive.load\n")
    git("init", "-q", cwd=tmp_path)
    zephyrun("rename", "log.weigh", "measure", cwd=tmp_path)
    assert (tmp_path / "local.py").read_text() == "from log import measure\n"
    assert "weigh" in (tmp_path / "build/log.py").read_text()
    assert json.loads(zephyrun("survey", ".", "--format", "json", cwd=tmp_path).stdout)["files"] == 1
