"""Names from elsewhere than the code: what people chose before, and what an adviser proposes; and what a plan says of
names that others can see."""

import json
import sys
import tomllib

import pytest

from tests.helpers import document, zephyrun
from zephyrun.naming.offers import ChosenName, Derived, offers_of, words_of_chosen

LOG = (
    "def read(rows):\n    for row in rows:\n        zq = row()\n        xr = row()\n"
    + "        log(zq, xr)\n" * 14
    + "    return rows\n"
)
STAND_IN = f"{sys.executable} -m zephyrun.commands.stand_in_adviser"


@pytest.fixture
def project(tmp_path):
    """A project with two names of which nothing in it tells what they mean."""
    (tmp_path / "zephyrun.toml").write_text("")
    (tmp_path / "log.py").write_text(LOG)
    return tmp_path


def steps(folder, *words):
    """The steps of a plan, by the old name."""
    zephyrun("propose", ".", "--only", "names", "--output", "plan.toml", *words, cwd=folder)
    return {each["old"]: each for each in tomllib.loads((folder / "plan.toml").read_text()).get("step", [])}


# -- an adviser --------------------------------------------------------------------------------


def test_an_adviser_proposes_names(project):
    """They come with where they are from, and only such as could be given."""
    (project / "words.txt").write_text("zq brood_weight rows class x9\nxr row\n")
    found = steps(project, "--adviser", f"{STAND_IN} words.txt")
    assert found["zq"]["choices"] == ["brood_weight"]
    assert "the adviser: it is in the list" in found["zq"]["why"]
    assert "row" not in found["xr"]["choices"]
    shown = zephyrun("names", "log.py:3:9", "--adviser", f"{STAND_IN} words.txt", cwd=project)
    assert "brood_weight" in shown.stdout and "the adviser proposed names for 1 of 1" in shown.stderr
    # The next survey does without.
    assert "brood_weight" not in zephyrun("survey", ".", cwd=project).stdout


def test_what_an_adviser_is_asked(project):
    """One JSON document a line, about the heaviest first, and no more than it may be asked."""
    keep = f"{sys.executable} -c \"import sys; open('asked', 'w').write(sys.stdin.read())\""
    steps(project, "--adviser", keep)
    questions = [json.loads(line) for line in (project / "asked").read_text().splitlines()]
    assert [each["id"] for each in questions] == [1, 2]
    assert {each["name"] for each in questions} == {"zq", "xr"}
    first = questions[0]
    assert first["schema"] == "zephyrun.question/1" and first["sort"] == "variable" and first["scope"] == "log.read"
    assert "assigned from row()" in first["says"] and {"rows", "read"} <= set(first["taken"])
    assert first["code"].splitlines()[first["line"] - first["first_line"]].strip().startswith(first["name"])
    steps(project, "--adviser", keep, "--adviser-questions", "1")
    assert len((project / "asked").read_text().splitlines()) == 1


def python(code: str) -> str:
    """A command that runs a line of Python."""
    return f'{sys.executable} -c "{code}"'


BAD_ADVISERS = {
    "is not there": ("no-such-program-here", "exit code 127"),
    "fails": (python("raise SystemExit(3)"), "exit code 3"),
    "is slow": (python("import time; time.sleep(60)"), "stopped after 1 seconds"),
    "prints no JSON": (python("print(3, [4])"), "1 of its lines could not be read"),
    "prints nothing of use": (python("print(7); print([]); print({})"), "3 of its lines could not be read"),
    "answers what nobody asked": (python("print(chr(123) + chr(34) + 'id' + chr(34) + ': 9}')"), "1 of its lines"),
    "never stops": (python("import itertools; [print('x' * 999) for _ in itertools.count()]"), "was stopped after 884,736 bytes"),
    "does not listen": (python("import os; os.close(0)"), "names for 0 of 2"),
}


@pytest.mark.parametrize(("command", "said"), BAD_ADVISERS.values(), ids=BAD_ADVISERS)
def test_a_bad_adviser_costs_nothing(project, command, said):
    """The plan is as it is without it, and one sentence says what was wrong."""
    without = steps(project)
    # To start an interpreter may take more than a second where others are busy.
    seconds = 1 if "seconds" in said else 60
    done = zephyrun(
        "propose", ".", "--only", "names", "--output", "plan.toml", "--adviser", command, "--adviser-seconds", seconds,
        cwd=project,
    )
    assert said in done.stderr and len(done.stderr.splitlines()) == 1
    assert {each["old"]: each for each in tomllib.loads((project / "plan.toml").read_text())["step"]} == without


# -- names that were chosen before ---------------------------------------------------------------


def test_chosen_names_speak_for_the_like():
    """For the same name, and for those that are built of its words; their words are the team's."""
    chosen = (ChosenName("hv_wt", "hive_weight", "log.py"), ChosenName("q", "queen", "log.py"))
    assert list(offers_of(chosen, "hv_wt"))[0] == Derived("hive_weight", "chosen", "you called hv_wt so in log.py")
    assert [each.text for each in offers_of(chosen, "max_wt")] == ["max_weight"]
    assert list(offers_of(chosen, "q")) == list(offers_of(chosen, "max_q")) == []
    assert list(offers_of(chosen, "weight")) == []
    assert words_of_chosen(chosen) == {"hive", "weight", "queen"}


def test_names_are_learned_when_that_is_asked_for(project):
    """What was carried out, edited names included; it is said of the like from then on."""
    found = steps(project)
    plan = (project / "plan.toml").read_text()
    block = plan.index('old = "zq"')
    edited = plan[block:].replace('new = ""', 'new = "brood_kgs"', 1).replace("accept = false", "accept = true", 1)
    (project / "plan.toml").write_text(plan[:block] + edited)
    assert found["zq"]["new"] == ""
    zephyrun("apply", "plan.toml", "--learn", cwd=project)
    kept = tomllib.loads((project / "zephyrun-decisions.toml").read_text())
    assert kept["name"] == [{"path": "log.py", "old": "zq", "new": "brood_kgs"}]

    (project / "more.py").write_text(LOG)
    best = next(each for each in document("survey", "more.py", cwd=project)["findings"] if each["subject"] == "zq")
    assert best["suggestions"][0]["text"] == "brood_kgs"
    assert best["suggestions"][0]["evidence"][0] == "you called zq so in log.py"
    zephyrun("undo", cwd=project)
    assert not (project / "zephyrun-decisions.toml").exists()
    zephyrun("apply", "plan.toml", cwd=project)
    assert not (project / "zephyrun-decisions.toml").exists()


def test_damaged_names_get_a_sentence(project):
    """And nothing is changed."""
    (project / "zephyrun-decisions.toml").write_text('[[name]]\nold = "zq"\n')
    done = zephyrun("survey", ".", cwd=project, code=2)
    assert "each [[name]] one with `old` and `new`" in done.stderr


# -- names that others can see -------------------------------------------------------------------

SCALE = (
    "def _weigh(rows, lim):\n    found = []\n    for row in rows:\n        if len(found) >= lim:\n            break\n"
    "        found.append(row)\n    return found\n\n\ndef weigh(rows, limit):\n    return _weigh(rows, lim=limit)\n"
)


@pytest.mark.parametrize(("settings", "remedy"), [("", "safe"), ('audience = "library"\n', "safe")])
def test_a_parameter_that_the_project_alone_knows(tmp_path, settings, remedy):
    """Its callers follow, in other files too, and it is proved."""
    (tmp_path / "zephyrun.toml").write_text(settings)
    (tmp_path / "scale.py").write_text(SCALE)
    (tmp_path / "report.py").write_text("from scale import _weigh\n\nprint(_weigh([1, 2, 3], lim=2))\n")
    found = steps(tmp_path)["lim"]
    assert (found["new"], found["remedy"], found["confirm"], found["accept"]) == ("limit", remedy, [], True)
    # All files that would change are known as they are, and not just that of the step.
    assert set(tomllib.loads((tmp_path / "plan.toml").read_text())["files"]) == {"report.py", "scale.py"}
    done = json.loads(zephyrun("apply", "plan.toml", "--format", "json", cwd=tmp_path).stdout)
    assert (done["refused"], done["files"]) == ([], ["report.py", "scale.py"])
    assert "limit=2" in (tmp_path / "report.py").read_text()
    assert "len(found) >= limit" in (tmp_path / "scale.py").read_text()


def test_a_parameter_that_others_may_know(tmp_path):
    """A survey asks for a word, and the plan says for which; without it nothing is done."""
    (tmp_path / "zephyrun.toml").write_text('audience = "library"\n')
    (tmp_path / "scale.py").write_text(SCALE.replace("_weigh", "weigh_all"))
    (finding,) = document("survey", ".", "--only", "names", cwd=tmp_path)["findings"]
    assert finding["remedy"] == "review" and "nobody relies on the name `lim`" in finding["message"]
    step = steps(tmp_path)["lim"]
    assert step["remedy"] == "review" and not step["accept"] and any("outside" in each for each in step["confirm"])
    plan = (tmp_path / "plan.toml").read_text()
    (tmp_path / "plan.toml").write_text(plan.replace("accept = false", "accept = true"))
    done = json.loads(zephyrun("apply", "plan.toml", "--format", "json", cwd=tmp_path).stdout)
    assert done["applied"] and set(step["confirm"]) <= set(done["assumptions"])
