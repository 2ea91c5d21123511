"""`zephyrun rename` and `zephyrun references`, driven as programs on files in a temporary folder."""

import hashlib
import json
import subprocess
import sys

import pytest

from tests.helpers import zephyrun

FILES = {
    "zephyrun.toml": b"",
    "hives/__init__.py": b"",
    "hives/scales.py": (
        "# -*- coding: latin-1 -*-\r\n"
        "# weigh() misst in kg: Grüße\r\n"
        "class Hive:\r\n"
        "\tdef __init__(self, w):\r\n"
        "\t\tself.w = w\r\n"
        "def weigh(hive, grüße=1):\r\n"
        "\treturn hive.w"
    ).encode("latin-1"),
    "main.py": (
        "\ufefffrom hives.scales import Hive, weigh\n"
        "def show(thing):\n    return thing.w\n"
        "print(weigh(Hive(3)), show(*[Hive(4)]))\n"
    ).encode(),
    "NOTES.md": b"Call `weigh` for w.\n",
}


@pytest.fixture
def yard(tmp_path):
    """A small project in several encodings and line ends."""
    for name, data in FILES.items():
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(data)
    return tmp_path


def bytes_of(folder):
    """Every file of the project."""
    return {
        path.relative_to(folder).as_posix(): path.read_bytes()
        for path in folder.rglob("*")
        if path.is_file() and ".zephyrun" not in path.parts
    }


def test_rename_changes_names_and_nothing_else(yard):
    """Other bytes stay, whatever the encoding; `undo` gives all of them back; a second undo has nothing."""
    done = zephyrun("rename", "hives.scales.weigh", "read_scale", cwd=yard)
    assert "proved the same" in done.stdout and "NOTES.md" in done.stdout
    expected = {
        name: data.replace(b"weigh", b"read_scale") if name.endswith(".py") else data for name, data in FILES.items()
    }
    assert bytes_of(yard) == expected
    zephyrun("undo", cwd=yard)
    assert bytes_of(yard) == FILES
    zephyrun("rename", "main.py:1:33", "read_scale", "--documents", cwd=yard)
    assert b"`read_scale` for w" in (yard / "NOTES.md").read_bytes()


def test_where_no_root_is_marked_the_working_folder_is_one(tmp_path):
    """Who points from above at a file below means the files around it, too; who stands beside it is asked about them."""
    (tmp_path / "apiary").mkdir()
    (tmp_path / "apiary/scales.py").write_text("def weigh(kg):\n    return kg\n")
    (tmp_path / "main.py").write_text("from apiary.scales import weigh\nprint(weigh(3))\n")
    before = bytes_of(tmp_path)
    zephyrun("rename", "apiary/scales.py:1:5", "read_scale", cwd=tmp_path)
    assert b"print(read_scale(3))" in bytes_of(tmp_path)["main.py"]
    zephyrun("undo", cwd=tmp_path)
    assert bytes_of(tmp_path) == before
    asked = zephyrun("rename", "scales.py:1:5", "read_scale", cwd=tmp_path / "apiary", code=1)
    assert "no code outside this project uses `weigh`" in asked.stderr and bytes_of(tmp_path) == before


def test_dry_run_prints_a_difference_and_writes_nothing(yard):
    """A unified diff on standard output, with exit code 0."""
    done = zephyrun("rename", "hives/scales.py:6:5", "read_scale", "--dry-run", cwd=yard)
    assert "+from hives.scales import Hive, read_scale" in done.stdout and done.stdout.startswith("--- a/")
    assert bytes_of(yard) == FILES and not (yard / ".zephyrun" / "journal").exists()


def test_open_places_are_listed_and_answered(yard):
    """Without a word nothing is written; with one, open places belong, unless they stand apart."""
    refused = json.loads(zephyrun("rename", "hives.scales.Hive.w", "kg", "--format", "json", cwd=yard, code=1).stdout)
    assert [each["place"] for each in refused["open"]] == ["main.py:3:18"] and not refused["done"]
    assert bytes_of(yard) == FILES
    zephyrun("rename", "hives.scales.Hive.w", "kg", "--confirm", "--apart", "main.py:3:18", cwd=yard)
    assert b"thing.w\n" in (yard / "main.py").read_bytes()
    zephyrun("undo", cwd=yard)
    done = json.loads(zephyrun("rename", "hives.scales.Hive.w", "kg", "--confirm", "--format", "json", cwd=yard).stdout)
    assert done["verdict"] == "same" and any("thing.w" in each for each in done["assumptions"])
    assert b"thing.kg\n" in (yard / "main.py").read_bytes()


def test_a_module_moves(yard):
    """The file moves, imports follow, and `undo` moves it back."""
    done = zephyrun("rename", "hives.scales", "balance", cwd=yard)
    assert "hives/balance.py" in done.stdout and not (yard / "hives/scales.py").exists()
    assert b"from hives.balance import" in (yard / "main.py").read_bytes()
    zephyrun("undo", cwd=yard)
    assert bytes_of(yard) == FILES


@pytest.mark.parametrize(
    ("target", "new", "code", "words"),
    [
        ("main.py:1:99", "x", 2, "columns"),
        ("main.py:99:1", "x", 2, "lines"),
        ("main.py:2:1", "x", 2, "no name"),
        ("nowhere.py:1:1", "x", 2, "no file"),
        ("hives.nothing", "x", 2, "there is no"),
        ("main.py:4:1", "x", 1, "outside the project"),
        ("hives.scales.weigh", "class", 1, "keyword"),
        ("hives.scales.weigh", "Hive", 1, "already"),
        ("hives.scales.weigh", "not a name", 1, "not a name"),
        ("hives.scales.weigh", "weigh", 1, "already"),
    ],
)
def test_what_cannot_be_gets_one_sentence(yard, target, new, code, words):
    """What, where and why; nothing is written, and no traceback is shown."""
    done = zephyrun("rename", target, new, cwd=yard, code=code)
    assert words in done.stderr and "Traceback" not in done.stderr
    assert bytes_of(yard) == FILES


def test_references_lists_and_changes_nothing(yard):
    """Each with what the name does there; what is open, and what only mentions it, by itself."""
    found = json.loads(zephyrun("references", "hives.scales.Hive.w", "--format", "json", cwd=yard).stdout)
    sorts = [(each["path"], each["line"], each["sort"]) for each in found["references"]]
    assert sorts == [("hives/scales.py", 5, "write"), ("hives/scales.py", 7, "read")]
    assert [each["path"] for each in found["open"]] == ["main.py"]
    assert "perhaps" in zephyrun("references", "hives.scales.Hive.w", cwd=yard).stdout
    assert bytes_of(yard) == FILES


def test_steps_of_a_plan_reach_beyond_their_file(yard):
    """A plan's rename steps use the same engine: swaps are one change, open places wait for `confirm`."""
    prints = "".join(
        f'"{name}" = "sha256:{hashlib.sha256(data).hexdigest()}"\n'
        for name, data in FILES.items() if name.endswith(".py")
    )
    step = '[[step]]\nid = "{0}"\naction = "rename"\npath = "hives/scales.py"\nscope = "hives.scales{1}"\nold = "{2}"\nnew = "{3}"\naccept = true\n'
    text = f'schema = "zephyrun.plan/1"\nroot = "."\n[files]\n{prints}' + "".join(
        step.format(*words)
        for words in [("s1", "", "weigh", "Hive"), ("s2", "", "Hive", "weigh"), ("s3", ".Hive", "w", "kg")]
    )
    (yard / "plan.toml").write_text(text)
    report = json.loads(zephyrun("apply", "plan.toml", "--format", "json", cwd=yard, code=1).stdout)
    assert report["applied"] == ["s1", "s2"] and report["refused"][0]["id"] == "s3"
    assert b"class weigh:" in (yard / "hives/scales.py").read_bytes()
    sentence = report["refused"][0]["reason"].partition("`confirm`: ")[2]
    zephyrun("undo", cwd=yard)
    (yard / "plan.toml").write_text(text + f"confirm = [{json.dumps(sentence)}]\n")
    report = json.loads(zephyrun("apply", "plan.toml", "--format", "json", cwd=yard).stdout)
    assert report["applied"] == ["s1", "s2", "s3"]
    zephyrun("undo", cwd=yard)
    (yard / "plan.toml").unlink()
    assert bytes_of(yard) == FILES


def test_another_order_of_shared_variables_names_what_would_do(tmp_path):
    """The refusal says which names keep the order; one of them is carried out. Other refusals say nothing of it."""
    lines = "def outer():\n    day = 1\n    hive = 2\n    def inner():\n        return day + hive\n    return inner()\nprint(outer())\n"
    (tmp_path / "main.py").write_text(lines)
    refused = zephyrun("rename", "main.outer.day", "weight", cwd=tmp_path, code=1)
    assert "stands before `hive` in the alphabet" in refused.stderr and (tmp_path / "main.py").read_text() == lines
    assert "alphabet" not in zephyrun("rename", "main.outer.day", "hive", cwd=tmp_path, code=1).stderr
    zephyrun("rename", "main.outer.day", "first_day", cwd=tmp_path)
    assert "first_day + hive" in (tmp_path / "main.py").read_text()


@pytest.mark.parametrize(
    ("target", "sees", "word"),
    [
        ("hives.net.t", "open(inspect.getsourcefile(net)).read()", "text of this file"),
        ("hives.net", "open(inspect.getsourcefile(net)).read()", "text of this file"),
        ("hives.net.t", "net.__code__.co_consts", "code of functions"),
    ],
)
def test_who_reads_itself_is_vouched_for(tmp_path, target, sees, word):
    """A file that may read its own text or code waits for a word, and is renamed with one."""
    path = tmp_path / "hives.py"
    path.write_text(f"import inspect\ndef net(rows):\n    t = sum(rows)\n    return t\nprint({sees})\n")
    refused = json.loads(zephyrun("rename", target, "total", "--format", "json", cwd=tmp_path, code=1).stdout)
    assert any(word in what for what in refused["confirm"]) and not refused["refused"]
    zephyrun("rename", target, "total", "--confirm", cwd=tmp_path)
    assert "total" in path.read_text()


def test_what_many_files_do_alike_is_told_once(tmp_path):
    """Eight files hand on keywords that nobody knows: one sentence for people, eight for programs."""
    (tmp_path / "hives.py").write_text("def weigh(day=1):\n    return day\n")
    for number in range(8):
        (tmp_path / f"season_{number}.py").write_text(
            "import json, hives\nprint(hives.weigh(**json.loads(input())))\n"
        )
    told = zephyrun("rename", "hives.weigh.day", "noon", cwd=tmp_path, code=1).stderr
    assert "what `**` hands on in 8 files holds no `day`" in " ".join(told.split())
    assert told.count("hands on") == 1 and "5 more" in told
    report = zephyrun("rename", "hives.weigh.day", "noon", "--format", "json", cwd=tmp_path, code=1).stdout
    assert sum("hands on" in what for what in json.loads(report)["confirm"]) == 8


PRINTERS = """\
from typing import Protocol
class Printer(Protocol):
    def head(self, title): ...
    def line(self, text): ...
class Plain:
    def head(self, title):
        print(title.upper())
    def line(self, text):
        print("-", text)
class Loud(Plain):
    def line(self, text):
        print("!", text)
class Coin:
    def head(self):
        return "queen"
def report(printer: Printer):
    printer.head("hives")
    printer.line("north")
report(Plain())
report(Loud())
print(Coin().head())
"""


@pytest.mark.parametrize("target", ["main.Printer.head", "main.Plain.head"])
def test_a_protocol_and_what_satisfies_it_are_renamed_together(tmp_path, target):
    """Once the person says so; a class that has only a part of it is asked about and keeps its name apart."""
    (tmp_path / "main.py").write_text(PRINTERS)
    asked = zephyrun("rename", target, "title_line", cwd=tmp_path, code=1).stderr
    assert "is that of the protocol Printer, too" in asked or "main.py:2:7: `head` of Printer" in asked
    before = run_main(tmp_path)
    zephyrun("rename", target, "title_line", "--confirm", cwd=tmp_path)
    assert (tmp_path / "main.py").read_text() == PRINTERS.replace("head(self, title)", "title_line(self, title)").replace(
        "printer.head", "printer.title_line"
    )
    assert run_main(tmp_path) == before


def run_main(folder):
    """What the program in a folder prints."""
    return subprocess.run([sys.executable, "main.py"], cwd=folder, capture_output=True, text=True, check=True).stdout
