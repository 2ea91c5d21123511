"""The built program on files in a temporary folder."""

import os
import re
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

from tests.helpers import PROJECT, document, zephyrun

LOG = """\
# the hive log
def yearly_yield(hive):
    w = hive.weight  # set w
    t = hive.tare
    return w - t


def season(hive):
    g = hive.gain
    return hive.show(locals(), g)
"""


@pytest.fixture
def project(tmp_path):
    """A project with one module in a package."""
    (tmp_path / "zephyrun.toml").touch()
    (tmp_path / "hive").mkdir()
    (tmp_path / "hive/__init__.py").touch()
    (tmp_path / "hive/log.py").write_text(LOG)
    return tmp_path


def fits(value, shape):
    """Whether a document has a shape: types, or lists and dictionaries of shapes."""
    if isinstance(shape, dict):
        return isinstance(value, dict) and all(fits(value.get(key), each) for key, each in shape.items())
    if isinstance(shape, list):
        return isinstance(value, list) and all(fits(each, shape[0]) for each in value)
    return isinstance(value, shape)


SHAPES = {
    "survey": {
        "schema": str, "root": str, "files": int, "lines": int,
        "findings": [{
            "id": str, "kind": str, "path": str, "line": int, "column": int, "end_line": int,
            "end_column": int, "subject": str, "scope": str, "ordinal": int, "message": str,
            "weight": float, "remedy": str,
            "suggestions": [{"text": str, "score": float, "evidence": [str]}],
        }],
        "unread": [{"path": str, "reason": str}],
    },
    "apply": {
        "schema": str, "root": str, "applied": [str], "refused": [{"id": str, "reason": str}],
        "taken_back": [str], "files": [str], "assumptions": [str],
    },
    "verify": {
        "schema": str, "verdict": str, "assumptions": [str],
        "files": [{
            "path": str, "verdict": str, "edits": [str],
            "definitions": [{"name": str, "verdict": str, "given": [str]}],
            "differences": [{"old_line": (int, type(None)), "new_line": (int, type(None)), "what": str}],
        }],
    },
}


def test_survey(project):
    """The contract; worst first; places in the text; paths from the root, for people from here."""
    (project / "hive/broken.py").write_text("print 'hives'\n")
    found = document("survey", "log.py", "broken.py", cwd=project / "hive")
    assert fits(found, SHAPES["survey"])
    assert (found["schema"], found["root"], found["files"], found["lines"]) == ("zephyrun.survey/1", "..", 2, 11)
    assert found["unread"][0]["path"] == "hive/broken.py" and found["unread"][0]["reason"].startswith("line 1: ")
    weights = [each["weight"] for each in found["findings"]]
    assert weights == sorted(weights, reverse=True)
    lines = LOG.splitlines()
    for each in found["findings"]:
        line = lines[each["line"] - 1]
        assert line[each["column"] - 1 : each["end_column"] - 1] == each["subject"]
    in_order = sorted(found["findings"], key=lambda each: (each["line"], each["column"]))
    assert [(each["subject"], each["remedy"]) for each in in_order] == [
        ("w", "safe"), ("# set w", "safe"), ("t", "safe"), ("g", "review"),
    ]
    text = zephyrun("survey", "log.py", "broken.py", cwd=project / "hive").stdout
    assert "  log.py:9  in hive.log.season" in text and "not read  broken.py: line 1: " in text
    assert "better weight" in text and "Please confirm: nothing looks up `g`" in text
    assert "\x1b" not in text and not re.search(r" $", text, re.MULTILINE)


def test_survey_can_be_kept_to_kinds_and_numbers(project):
    """`--only` takes kinds and families; JSON always holds all."""
    only = document("survey", ".", "--only", "comments", cwd=project)["findings"]
    assert {each["kind"] for each in only} == {"echo-comment"}
    text = zephyrun("survey", ".", "--limit", 1, cwd=project).stdout
    assert "the worst is shown; all of them: zephyrun survey . --limit 0" in text
    assert len(document("survey", ".", "--limit", 1, cwd=project)["findings"]) == 4


def test_the_order_does_not_hang_on_chance(project):
    """Two hash seeds and two numbers of processes give the same bytes."""
    outputs = set()
    survey = ["survey", PROJECT / "src/zephyrun/apiary", "--format", "json"]
    for seed, jobs in (("1", "1"), ("2", "2"), ("3", "1")):
        done = subprocess.run(
            [sys.executable, "-m", "zephyrun", *survey, "--jobs", jobs],
            env={**os.environ, "PYTHONHASHSEED": seed}, capture_output=True, check=True, cwd=project,
        )
        outputs.add(done.stdout)
    assert len(outputs) == 1


def test_from_a_messy_file_to_a_proved_and_undoable_clean_up(project):
    """Propose, edit, dry run, apply, verify, undo."""
    old = project.parent / "old.py"
    old.write_text(LOG)
    said = zephyrun("propose", "hive", "--output", "cleanup.toml", cwd=project).stdout
    assert "cleanup.toml: 4 steps: 3 accepted, 1 that need your word" in said
    plan = project / "cleanup.toml"
    plan.write_text(plan.read_text().replace('new = "tare"', 'new = "net"').replace("accept = false", "accept = true"))
    preview = zephyrun("apply", "cleanup.toml", "--dry-run", cwd=project).stdout
    assert preview.startswith("--- a/hive/log.py\n+++ b/hive/log.py\n@@ ") and "\n+    net = hive.tare\n" in preview
    assert (project / "hive/log.py").read_text() == LOG and not (project / ".zephyrun").exists()
    done = document("apply", "cleanup.toml", cwd=project)
    assert fits(done, SHAPES["apply"])
    assert (len(done["applied"]), done["refused"], done["files"]) == (4, [], ["hive/log.py"])
    assert done["assumptions"] == ["nothing looks up `g` of season by name through locals()"]
    cleaned = (project / "hive/log.py").read_text()
    assert "    weight = hive.weight\n    net = hive.tare\n    return weight - net\n" in cleaned
    verdict = document("verify", old, "hive/log.py", cwd=project, code=3)
    assert fits(verdict, SHAPES["verify"]) and verdict["verdict"] == "unproven"
    assert "locals()" in verdict["files"][0]["differences"][0]["what"]
    listed = zephyrun("undo", "--list", cwd=project).stdout
    assert "apply cleanup.toml: hive/log.py" in listed and "assumed  nothing looks up `g`" in listed
    assert document("undo", cwd=project)["undone"] == ["hive/log.py"]
    assert (project / "hive/log.py").read_text() == LOG
    assert "nothing to undo" in zephyrun("undo", cwd=project, code=1).stderr


def test_a_file_that_changed_since_is_refused_and_the_others_go_on(project):
    """Step by step, with what to do; files that are gone or outside as well."""
    (project / "hive/other.py").write_text(LOG)
    (project / "hive/third.py").write_text(LOG)
    zephyrun("propose", ".", "--output", "cleanup.toml", "--only", "echo-comment", cwd=project)
    with (project / "hive/other.py").open("a") as file:
        file.write("# mine\n")
    (project / "hive/third.py").unlink()
    done = document("apply", "cleanup.toml", cwd=project, code=1)
    assert len(done["applied"]) == 1 and done["files"] == ["hive/log.py"]
    reasons = sorted(each["reason"] for each in done["refused"])
    assert reasons == [
        "hive/other.py changed since the plan was written; run zephyrun propose again",
        "hive/third.py is not there any more; run zephyrun propose again",
    ]
    assert (project / "hive/other.py").read_text() == LOG + "# mine\n"
    plan = project / "cleanup.toml"
    plan.write_text(plan.read_text().replace('path = "hive/log.py"', 'path = "../log.py"'))
    for words, stream in (((), "stdout"), (("--dry-run",), "stderr")):
        said = zephyrun("apply", "cleanup.toml", *words, cwd=project, code=1)
        assert "no Python file below the root" in getattr(said, stream)


def test_undo_refuses_to_overwrite_what_someone_wrote(project):
    """By name, and finds the project from a folder above it."""
    zephyrun("propose", "hive", "--output", "cleanup.toml", cwd=project)
    zephyrun("apply", "cleanup.toml", cwd=project)
    path = project / "hive/log.py"
    cleaned = path.read_text()
    path.write_text(cleaned + "# mine\n")
    assert "hive/log.py changed since" in zephyrun("undo", cwd=project, code=1).stderr
    path.write_text(cleaned)
    zephyrun("undo", project.name, cwd=project.parent)
    assert path.read_text() == LOG


@pytest.mark.parametrize(
    "command", ["survey hive", "propose hive --output x.toml", "verify hive hive", "undo --list"]
)
def test_an_interrupted_change_is_put_back_by_whatever_comes_next(project, command):
    """And it says so, once."""
    zephyrun("propose", "hive", "--output", "cleanup.toml", cwd=project)
    zephyrun("apply", "cleanup.toml", cwd=project)
    entry = project / ".zephyrun/journal/0001/entry.json"
    entry.write_text(entry.read_text().replace('"state": "done"', '"state": "begun"'))
    cleaned = (project / "hive/log.py").read_text()
    zephyrun("apply", "cleanup.toml", "--dry-run", cwd=project, code=None)
    assert (project / "hive/log.py").read_text() == cleaned
    assert "the old project is back (hive/log.py)" in zephyrun(*command.split(), cwd=project).stderr
    assert (project / "hive/log.py").read_text() == LOG
    assert zephyrun(*command.split(), cwd=project).stderr == ""


def test_an_earlier_plan_is_kept(project):
    """Someone may have edited it; a file that is no plan is left alone."""
    zephyrun("propose", "hive", "--output", "cleanup.toml", cwd=project)
    mine = (project / "cleanup.toml").read_text() + "# mine\n"
    (project / "cleanup.toml").write_text(mine)
    zephyrun("propose", "hive", "--output", "cleanup.toml", cwd=project)
    assert (project / "cleanup.toml.before").read_text() == mine
    message = zephyrun("propose", "hive", "--output", "hive/log.py", cwd=project, code=2).stderr
    assert "hive/log.py is there and is no plan" in message and (project / "hive/log.py").read_text() == LOG


VERDICTS = {
    "same": ("def f(h):\n    w = h\n    return w\n", "def f(h):\n    weight = h\n    return weight\n", 0),
    "different": ("x = 2\n", "x = 3\n", 1),
    "unproven": ("a = len([])\nb = 3\nc = a\n", "b = 3\na = len([])\nc = a\n", 3),
    "unreadable": ("x = 2\n", "x = = 2\n", 3),
}


@pytest.mark.parametrize(("old", "new", "code"), VERDICTS.values(), ids=VERDICTS)
def test_verify(tmp_path, old, new, code):
    """The verdict as exit code, text and JSON; files and folders alike."""
    for side, text in (("old", old), ("new", new)):
        (tmp_path / side).mkdir()
        (tmp_path / side / "log.py").write_text(text)
        (tmp_path / side / "notes.txt").write_text("bees")
    # What Zephyrun itself wrote there is no part of the program.
    (tmp_path / "new/zephyrun.toml").write_text("remember = true\n")
    (tmp_path / "new/cleanup.toml").write_text('schema = "zephyrun.plan/1"\nroot = "."\n')
    (tmp_path / "new/cache").mkdir()
    (tmp_path / "new/cache/CACHEDIR.TAG").write_text("Signature: 8a477f597d28d172789f06886806bc55")
    expected = {0: "same", 1: "different", 3: "unproven"}[code]
    for words in (("old", "new"), ("old/log.py", "new/log.py")):
        found = document("verify", *words, cwd=tmp_path, code=code)
        assert fits(found, SHAPES["verify"]) and found["verdict"] == expected
        text = zephyrun("verify", *words, cwd=tmp_path, code=code).stdout
        assert text.splitlines()[-1].startswith(expected)
    if code:
        assert found["files"][0]["differences"]


BAD_SIDES = {
    "broken.py": (b"w = 1\n", b"w = = 1\n", "the new version cannot be read: line 1: invalid syntax"),
    "ancient.py": (b'print "w"\n', b'print("w")\n', "the old version cannot be read: line 1: Missing parentheses"),
    "bytes.py": (b"w = '\xff'\n", b"w = '\xfe'\n", "line 1: the bytes are not valid utf-8"),
    "hive.png": (b"\x89PNG\x00", b"\x89PNG\x01", "not Python, and it differs"),
    "gone.py": (b"w = 1\n", None, "the file is only in the old version"),
    "link.py": (b"good.py", b"broken.py", "a symbolic link to broken.py"),
}


def test_verify_says_of_each_file_that_it_cannot_compare_why(tmp_path):
    """One sentence each, and the rest goes on."""
    for number, side in enumerate(("old", "new")):
        (tmp_path / side).mkdir()
        (tmp_path / side / "good.py").write_text(f"def f(h):\n    w{number} = h\n    return w{number}\n")
        for name, versions in BAD_SIDES.items():
            content = versions[number]
            if name == "link.py":
                (tmp_path / side / name).symlink_to(content.decode())
            elif content is not None:
                (tmp_path / side / name).write_bytes(content)
    found = {each["path"]: each for each in document("verify", "old", "new", cwd=tmp_path, code=3)["files"]}
    assert found.pop("good.py")["verdict"] == "same"
    assert found.keys() == BAD_SIDES.keys()
    for name, (_, _, reason) in BAD_SIDES.items():
        assert found[name]["verdict"] == "unproven" and reason in found[name]["differences"][0]["what"], name


@pytest.mark.skipif(sys.version_info >= (3, 12), reason="this Python reads it")
def test_code_for_a_newer_python_is_told_from_nonsense(tmp_path):
    """What a statement of a later version begins with."""
    for side in ("old.py", "new.py"):
        (tmp_path / side).write_text(f"type Weight = int  # {side}\n")
    said = zephyrun("verify", "old.py", "new.py", cwd=tmp_path, code=3).stdout
    assert "it seems to need Python 3.12" in " ".join(said.split())


WRONG_CALLS = {
    "no command": ((), "the following arguments are required"),
    "unknown command": (("polish",), "invalid choice"),
    "unknown option": (("survey", ".", "--mood"), "unrecognized arguments"),
    "no path": (("survey", "gone.py"), "gone.py does not exist; check the spelling"),
    "no Python": (("survey", "zephyrun.toml"), "zephyrun.toml is no Python file"),
    "kind": (("survey", ".", "--only", "rude-name"), "there is no such kind or family; choose from cryptic-name"),
    "limit": (("survey", ".", "--limit", "-1"), "no whole number"),
    "jobs": (("survey", ".", "--jobs", "0"), "give at least 1"),
    "no plan": (("apply", "gone.toml"), "gone.toml cannot be read"),
    "no plan at all": (("apply", "zephyrun.toml"), "is not a plan of this version"),
    "file and folder": (("verify", "hive", "hive/log.py"), "give two files or two folders"),
    "no such version": (("verify", "hive", "gone"), "gone does not exist; check the spelling"),
    "one version only": (("verify", "hive"), "give two files or two folders, or --since REV"),
    "no repository": (("verify", "--since", "main"), "lies in no git repository"),
    "two questions": (("verify", "--since", "main", "--between", "a", "b"), "not allowed with argument"),
    "plan in no folder": (("propose", ".", "--output", "gone/plan.toml"), "gone/plan.toml cannot be written"),
    "demo there already": (("demo", "hive"), "hive is there already"),
}


@pytest.mark.parametrize(("words", "message"), WRONG_CALLS.values(), ids=WRONG_CALLS)
def test_wrong_calls(project, words, message):
    """One sentence, exit code 2, no file touched."""
    done = zephyrun(*words, cwd=project, code=2)
    assert message in done.stderr and done.stdout == ""
    assert (project / "hive/log.py").read_text() == LOG


def test_faults_of_our_own_and_interruptions(project, monkeypatch, capsys):
    """One sentence that names the log with the details; 70 for a fault, 130 for an interruption."""
    from zephyrun.commands import main, survey

    for problem, code in ((ZeroDivisionError("bees"), 70), (KeyboardInterrupt(), 130)):

        def fail(arguments, problem=problem):
            raise problem

        monkeypatch.setattr(survey, "run", fail)
        assert main(["survey", str(project)]) == code
        said = capsys.readouterr()
        assert said.out == "" and said.err.count("\n") == 1
        if code == 70:
            log = Path(said.err.split("report it with ")[1].strip())
            assert "ZeroDivisionError: bees" in log.read_text()
            log.unlink()


@pytest.mark.parametrize("command", ["", "demo", "survey", "propose", "apply", "verify", "undo"])
def test_help(tmp_path, command):
    """Every command explains itself, and its options."""
    text = zephyrun(*filter(None, [command]), "--help", cwd=tmp_path).stdout
    assert text.startswith(f"usage: zephyrun {command}".strip()) and len(text.splitlines()) > 6


def test_files_that_cannot_be_used_get_a_sentence_each(project):
    """Odd bytes, links, no rights; the rest goes on."""
    (project / "hive/bytes.py").write_bytes(b"w = '\xff'\n")
    (project / "hive/nul.py").write_bytes(b"w = 1\x00\n")
    (project / "hive/empty.py").touch()
    (project / "hive/cookie.py").write_bytes(b"# coding: honey\n")
    (project / "hive/link.py").symlink_to("log.py")
    found = document("survey", "hive", cwd=project)
    reasons = {each["path"]: each["reason"] for each in found["unread"]}
    assert sorted(reasons) == ["hive/bytes.py", "hive/cookie.py", "hive/nul.py"]
    assert "not valid utf-8" in reasons["hive/bytes.py"] and "honey" in reasons["hive/cookie.py"]
    assert len(found["findings"]) == 4


def test_output_that_nobody_reads(project):
    """`| head` ends quietly."""
    (project / "hive/long.py").write_text(
        "".join(LOG.replace("def yearly", f"def y{number}") for number in range(200))
    )
    command = f'"{sys.executable}" -m zephyrun survey hive --limit 0 | head -1'
    done = subprocess.run(["sh", "-c", command], cwd=project, capture_output=True, text=True)
    assert done.stderr == "" and done.stdout.startswith("▰")


def test_a_survey_of_a_tree_that_cannot_be_written_to(project):
    """Nothing is kept, nothing is needed."""
    for path in (project / "hive", project):
        path.chmod(0o555)
    assert document("survey", "hive", cwd=project)["files"] == 2
    assert not (project / ".zephyrun").exists()
    for path in (project, project / "hive"):
        path.chmod(0o755)


def test_ignored_files_and_projects_inside_are_left_out(project):
    """By the ignore files of version control, and by a `zephyrun.toml` of their own."""
    for name in ("build/made.py", "inner/zephyrun.toml", "inner/log.py", "kept.py", ".venv/pyvenv.cfg", ".venv/a.py"):
        (project / name).parent.mkdir(exist_ok=True)
        (project / name).write_text(LOG if name.endswith("py") else "")
    (project / ".gitignore").write_text("build/\n*ept.py\n!kept.py\n")
    found = document("survey", ".", cwd=project)
    assert {each["path"] for each in found["findings"]} == {"hive/log.py", "kept.py"}
    assert found["left_out"] == [{"path": "inner", "reason": "a project of its own"}]
    assert document("survey", "inner", cwd=project)["findings"]
    assert document("survey", "build/made.py", cwd=project)["findings"]
    assert document("survey", "build", cwd=project)["findings"]


def test_the_demo(tmp_path):
    """The tour goes well, leaves what it promises, and ends with a clean-up that passes its tests."""
    tour = zephyrun("demo", "tour", cwd=tmp_path).stdout
    for command in ("survey", "propose", "apply", "verify", "rename", "undo"):
        assert f"zephyrun {command} " in tour
    assert "a running program could tell the versions apart" in tour
    assert "The result lies in tour/project, as it was before in tour/before" in tour
    tests = subprocess.run(
        [sys.executable, "-B", "-m", "unittest"], cwd=tmp_path / "tour/project", capture_output=True, text=True
    )
    assert tests.returncode == 0, tests.stderr
    reports = [
        subprocess.run(
            [sys.executable, "-B", "season_report.py"],
            cwd=tmp_path / "tour" / side, capture_output=True, check=True,
        ).stdout
        for side in ("before", "project")
    ]
    assert reports[0] == reports[1] != b""
    zephyrun("verify", "tour/before", "tour/project", cwd=tmp_path)


def test_a_constant_that_another_file_might_notice_is_refused(project):
    """Its neighbours are carried out; the reason names the file."""
    (project / "hive/limits.py").write_text("def heavy(hive):\n    return hive.weight > 18 or hive.gain > 45\n")
    (project / "hive/show.py").write_text("from hive import limits\nlimit = getattr(limits, 'HEAVY', 20)\n")
    zephyrun("propose", "hive/limits.py", "--output", "cleanup.toml", cwd=project)
    plan = (project / "cleanup.toml").read_text()
    plan = plan.replace('new = "WEIGHT_LIMIT"', 'new = "HEAVY"').replace("accept = false", "accept = true")
    (project / "cleanup.toml").write_text(plan)
    done = document("apply", "cleanup.toml", cwd=project, code=1)
    assert len(done["applied"]) == len(done["refused"]) == 1
    assert "`HEAVY` stands in hive/show.py (line" in done["refused"][0]["reason"]
    assert (project / "hive/limits.py").read_text() == (
        "GAIN_LIMIT = 45\n\n\ndef heavy(hive):\n    return hive.weight > 18 or hive.gain > GAIN_LIMIT\n"
    )


def test_a_plan_names_constants_as_nobody_else_looks_for_them(project):
    """The name that is found first would be refused, and the plan says why; what takes its place is carried out."""
    code = "def heavy(hive):\n    return hive.weight > 18\n"
    (project / "hive/limits.py").write_text(f"_LIGHT = 9\n\n\n{code}")
    (project / "hive/yields.py").write_text(code.replace("weight", "honey_yield"))
    (project / "hive/show.py").write_text(
        "from hive import limits\n\n\ndef limit(word):\n    return getattr(limits, '_' + word)\n"
    )
    (project / "hive/table.py").write_text(
        "from hive import yields\n\n\ndef limit(word):\n    return getattr(yields, f'HONEY_{word}')\n"
    )
    zephyrun("propose", "hive/limits.py", "hive/yields.py", "--output", "cleanup.toml", "--only", "magic-number", cwd=project)
    plan = (project / "cleanup.toml").read_text()
    for place in ("hive/show.py", "hive/table.py"):
        assert plan.count(f"{place} looks up names that it works out") == 1
    private, taken = tomllib.loads(plan)["step"]
    assert (private["new"], private["choices"][0]) == ("WEIGHT_LIMIT", "_WEIGHT_LIMIT") and not private["accept"]
    assert (taken["new"], taken["choices"][0]) == ("", "HONEY_YIELD_LIMIT") and not taken["accept"]
    (project / "cleanup.toml").write_text(plan.replace("accept = false", "accept = true"))
    done = document("apply", "cleanup.toml", cwd=project, code=1)
    assert done["applied"] == [private["id"]] and "no name is given for 18" in done["refused"][0]["reason"]
    assert "WEIGHT_LIMIT = 18\n" in (project / "hive/limits.py").read_text()


def test_decisions_stay(project):
    """What was struck out is not proposed again when that is asked for; notes are told in surveys."""
    code = LOG.replace("w = hive.weight  # set w", "wght = hive.weight").replace("return w", "return wght")
    (project / "hive/log.py").write_text(code)
    zephyrun("propose", "hive", "--output", "cleanup.toml", cwd=project)
    head, *steps = (project / "cleanup.toml").read_text().split("[[step]]")
    deleted = next(each for each in steps if 'old = "t"' in each)
    kept = [each for each in steps if each is not deleted]
    kept = [each.replace("accept = true", "accept = false") if 'old = "wght"' in each else each for each in kept]
    kept = [each.replace('note = ""', 'note = "pounds or kg?"') if 'old = "wght"' in each else each for each in kept]
    (project / "cleanup.toml").write_text("[[step]]".join([head, *kept]))
    said = zephyrun("apply", "cleanup.toml", cwd=project).stdout
    assert "2 steps struck out: to have that remembered, apply with --remember" in said
    found = document("survey", "hive", cwd=project)
    assert {each["subject"] for each in found["findings"]} == {"t", "wght", "g"} and found["declined"] == 0
    assert [(each["path"], each["text"]) for each in found["notes"]] == [("hive/log.py", "pounds or kg?")]
    zephyrun("undo", cwd=project)
    assert not (project / "zephyrun-decisions.toml").exists()
    zephyrun("apply", "cleanup.toml", "--remember", cwd=project)
    found = document("survey", "hive", cwd=project)
    assert {each["subject"] for each in found["findings"]} == {"g"} and found["declined"] == 2
    text = zephyrun("survey", "hive", cwd=project).stdout
    assert "note      hive/log.py wght: pounds or kg?" in text
    assert "2 findings declined in zephyrun-decisions.toml left out" in text
    (project / "zephyrun-decisions.toml").write_text("declined = 3\n")
    assert "zephyrun-decisions.toml" in zephyrun("survey", "hive", cwd=project, code=2).stderr


def test_a_constant_is_there_when_imports_run_in_a_circle(tmp_path):
    """What another module calls while this one is half loaded finds the number defined."""
    (tmp_path / "zephyrun.toml").touch()
    (tmp_path / "season.py").write_text(
        "import report_title\n\n\ndef days(years):\n    return years * 365  # days per year\n\n\n"
        "import report\nprint(report.total(), report_title.TITLE)\n"
    )
    (tmp_path / "report_title.py").write_text("TITLE = 'days'\n")
    (tmp_path / "report.py").write_text("import season\n\n\ndef total():\n    return season.days(3)\n\n\nprint(total())\n")

    def printed():
        words = [sys.executable, "-B", "-c", "import season"]
        return subprocess.run(words, cwd=tmp_path, capture_output=True, text=True, check=True).stdout

    before = printed()
    zephyrun("propose", "season.py", "--only", "magic-number", "--output", "cleanup.toml", cwd=tmp_path)
    assert len(document("apply", "cleanup.toml", cwd=tmp_path)["applied"]) == 1
    assert "DAYS_PER_YEAR = 365\n" in (tmp_path / "season.py").read_text()
    assert printed() == before == "1095\n1095 days\n"


def test_a_file_that_changed_since_still_counts_for_the_others(tmp_path):
    """Its own steps are refused; and since it now reads its callers' variables, so are theirs."""
    (tmp_path / "zephyrun.toml").touch()
    (tmp_path / "kit.py").write_text("def show(hive):\n    n2 = hive.name\n    return n2\n")
    (tmp_path / "log.py").write_text("import kit\n\n\ndef weigh(hive):\n    w = hive.weight\n    return kit.show(hive), w\n")
    zephyrun("propose", ".", "--output", "cleanup.toml", cwd=tmp_path)
    plan = (tmp_path / "cleanup.toml").read_text()
    assert plan.count("\naccept = true") == 2
    (tmp_path / "kit.py").write_text("import sys\n\n\ndef show(hive):\n    return sys._getframe(1).f_locals['w']\n")
    done = document("apply", "cleanup.toml", cwd=tmp_path, code=1)
    reasons = " ".join(each["reason"] for each in done["refused"])
    assert done["applied"] == [] and len(done["refused"]) == 2
    assert "kit.py changed since the plan was written" in reasons
    assert "kit, which reads other functions' variables" in reasons
