"""Bridges: after a rename code outside still finds the old name, and a later rename knows what keeps it."""

import re
import subprocess
import sys

import pytest

from tests.helpers import zephyrun
from zephyrun.linking.bridges import BridgeSort, bridges_in_text, render, render_module_function
from zephyrun.proof.bridges import bridges_difference

PACKAGE = {
    "pyproject.toml": '[project]\nname = "apiary"\nversion = "1"\n',
    "apiary/__init__.py": 'from .scales import weigh\n__all__ = ["weigh"]\n',
    "apiary/scales.py": (
        '"""Scales."""\nTARE = 2\n# How heavy.\ndef weigh(raw, corr=1):\n  return raw - TARE * corr\n\n'
        "class Hive:\n  def __init__(self, kg):\n    self.kg = kg\n  def rd(self, h=1):\n    return self.kg * h\n"
        "  @property\n  def w(self):\n    return self.kg\n  @classmethod\n  def mk(cls):\n    return cls(3)"
    ),
    "apiary/report.py": "from apiary.scales import TARE\nprint(TARE)\n",
    "main.py": "import apiary\nfrom apiary.scales import Hive\nprint(apiary.weigh(9, corr=2), Hive(3).rd(h=2), Hive.mk().w)\n",
}
# What code outside does, by old names alone.
OUTSIDE = """
import warnings
import apiary
from apiary.scales import TARE, Hive, weigh
hive = Hive.mk()
hive.kg = hive.kg + 1
class Own(Hive):
    pass
print(weigh(9, corr=2), apiary.weigh is weigh, TARE, hive.rd(h=2), hive.rd(3), hive.w, Own(4).kg, Own.mk().rd())
"""
RENAMES = (
    ("apiary.scales.weigh", "read_scale"),
    ("apiary.scales.TARE", "TARE_KG"),
    ("apiary.scales.Hive.rd", "read"),
    ("apiary.scales.Hive.w", "weight"),
    ("apiary.scales.Hive.kg", "kilograms"),
    ("apiary.scales.Hive.mk", "make"),
    ("apiary.scales.read_scale.corr", "correction"),
)
LATER_RENAMES = (
    ("apiary.scales.read_scale", "scale_reading"),
    ("apiary.scales.Hive.read", "take_reading"),
    ("apiary.scales.Hive.kilograms", "weight_kg"),
    ("apiary.scales.scale_reading.correction", "factor"),
)


def write(folder, files, newline="\n"):
    """Put files into a folder."""
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text.replace("\n", newline).encode())


def run(folder, code, *options):
    """What a program prints that has the folder on its path."""
    return subprocess.run([sys.executable, "-B", *options, "-c", code], cwd=folder, capture_output=True, text=True)


def contents(folder):
    """The bytes of all sources."""
    return {path.name: path.read_bytes() for path in folder.rglob("*.py")}


@pytest.mark.parametrize("newline", ["\n", "\r\n"], ids=["LF", "CRLF"])
def test_old_names_go_on_working(tmp_path, newline):
    """One rename after another, each with a bridge, then renames of what the bridges lead to: code outside
    prints what it printed, and is told; the project itself uses no old name; undo gives every byte back."""
    write(tmp_path, PACKAGE, newline)
    before = run(tmp_path, OUTSIDE, "-W", "error")
    own = run(tmp_path, "import main")
    first = contents(tmp_path)
    for target, new in RENAMES:
        done = zephyrun("rename", target, new, "--bridge", "--confirm", cwd=tmp_path)
        assert "deprecation warnings on old names" in done.stdout
        assert "no code outside uses" not in done.stdout and "calls" not in done.stdout
    assert b"bridge" not in (tmp_path / "apiary/report.py").read_bytes()
    for target, new in LATER_RENAMES:
        zephyrun("rename", target, new, "--confirm", cwd=tmp_path)
    after = run(tmp_path, OUTSIDE, "-W", "always")
    assert (after.returncode, after.stdout) == (0, before.stdout), after.stderr
    told = set(re.findall(r"(\w+) is now called (\w+)", after.stderr))
    assert told == {
        ("weigh", "scale_reading"), ("TARE", "TARE_KG"), ("rd", "take_reading"), ("w", "weight"),
        ("kg", "weight_kg"), ("mk", "make"), ("corr", "factor"),
    }
    assert run(tmp_path, "import main", "-W", "error").stdout == own.stdout
    for _ in (*RENAMES, *LATER_RENAMES):
        zephyrun("undo", cwd=tmp_path)
    assert contents(tmp_path) == first


@pytest.mark.parametrize(
    ("target", "code", "reason"),
    [
        ("scales.weigh", "def __getattr__(name):\n    return 1\ndef weigh():\n    return 2\n", "of its own"),
        ("scales.Row.kg", "from dataclasses import dataclass\n@dataclass\nclass Row:\n    kg: int\n", "kept by hand"),
        ("scales.Row.KG", "class Row:\n    KG = 3\n", "kept by hand"),
        ("scales.weigh.kg", "async def weigh(kg):\n    return kg\n", "between the function"),
        ("scales._weigh", "def _weigh():\n    return 1\n", "leave --bridge out"),
        ("scales", "if __name__ == '__main__':\n    print(1)\n", "run as a program"),
    ],
)
def test_what_cannot_be_kept(tmp_path, target, code, reason):
    """The reason is told, and nothing is written."""
    write(tmp_path, {"pyproject.toml": PACKAGE["pyproject.toml"], "scales.py": code})
    done = zephyrun("rename", target, "other_name", "--bridge", "--confirm", cwd=tmp_path, code=1)
    assert reason in " ".join(done.stderr.split())
    assert (tmp_path / "scales.py").read_text() == code


OUTSIDE_OF_MODULE = """
import apiary.scales
from apiary import scales
from apiary.scales import Hive, weigh
scales.TARE = 5
print(weigh(9), apiary.weigh(9), apiary.scales.TARE, Hive is scales.Hive)
"""


def test_a_module_goes_on_under_its_old_name(tmp_path):
    """It is the very same one, so that what is set there is set; a later rename knows the file that leads to it."""
    write(tmp_path, PACKAGE)
    before, first = run(tmp_path, OUTSIDE_OF_MODULE), contents(tmp_path)
    shown = zephyrun("rename", "apiary.scales", "weights", "--bridge", "--dry-run", cwd=tmp_path).stdout
    assert "--- /dev/null\n+++ b/apiary/scales.py\n" in shown
    for target, new, *bridge in (("apiary.scales", "weights", "--bridge"), ("apiary.weights", "balance", "--confirm")):
        zephyrun("rename", target, new, *bridge, cwd=tmp_path)
        after = run(tmp_path, OUTSIDE_OF_MODULE, "-W", "always")
        assert (after.returncode, after.stdout) == (0, before.stdout), after.stderr
        assert after.stderr.count(f"apiary.scales is now called apiary.{new}") == 1
        assert run(tmp_path, "import main", "-W", "error").returncode == 0
    for _ in range(2):
        zephyrun("undo", cwd=tmp_path)
    assert contents(tmp_path) == first
    done = zephyrun("rename", "apiary", "yard", "--bridge", "--confirm", cwd=tmp_path, code=1)
    assert "loaded twice" in done.stderr


def test_the_proof_sees_what_is_no_bridge():
    """Whatever else is added or left out, the trees tell."""
    plain = "class Hive:\n    def read(self):\n        return 1\nTARE_KG = 2\n"
    kept = [(BridgeSort.METHOD, "rd", "read"), (BridgeSort.MODULE, "TARE", "TARE_KG")]
    method = render(*kept[0], "    ")
    bridged = plain.replace("TARE_KG", f"\n{method}TARE_KG", 1) + render_module_function(render(*kept[1], "    "))
    assert bridges_difference(plain, bridged, kept) is None
    assert [each[:3] for each in bridges_in_text(bridged)] == kept
    assert bridges_difference(plain, bridged, kept[:1]) is not None
    assert bridges_difference(plain, plain, kept) is not None
    for old, new in (
        ("return TARE_KG", "return TARE_KG + 1"), ("stacklevel=2", "stacklevel=3"), ("self.read(", "self.rd("),
        ('name == "TARE"', 'name != "TARE"'), ("TARE_KG = 2", "TARE_KG = 3"), ("raise Attr", "return Attr"),
        ("import warnings\n", "import warnings\n    import os\n"), ("**keywords)\n", "**{})\n"),
    ):
        assert old in bridged
        assert bridges_difference(plain, bridged.replace(old, new), kept) is not None, new
        assert bridges_difference(plain, bridged + "\n", kept) is None
