"""What stands below a class: however a base is written, and held against the slow way over real code."""

from __future__ import annotations

import sysconfig
from pathlib import Path

import pytest

from zephyrun.linking.linkage import Linkage
from zephyrun.linking.value_sorts import ClassKey
from zephyrun.linking.values import Evaluator

_YARD = """
class Hive:
    pass

class Box:
    pass
"""
# By what the class `Late` in late.py has as its base, each of which is the `Hive` of yard.py.
_WAYS = {
    "by its name": "from yard import Hive\nclass Late(Hive): pass",
    "by another name": "from yard import Hive as Home\nclass Late(Home): pass",
    "in its module": "import yard\nclass Late(yard.Hive): pass",
    "in its module under another name": "import yard as place\nclass Late(place.Hive): pass",
    "with all of the module": "from yard import *\nclass Late(Hive): pass",
    "in a function": "def make():\n    from yard import Hive\n    class Late(Hive): pass\n    return Late",
    "by a variable": "import yard\nHome = yard.Hive\nclass Late(Home): pass",
    "by one of two": "try:\n    from yard import Hive\nexcept ImportError:\n    Hive = object\nclass Late(Hive): pass",
    "by a loop": "import yard\nfor Home in (yard.Hive,):\n    class Late(Home): pass",
    "in the midst of an expression": "import yard\nif (Home := yard.Hive):\n    class Late(Home): pass",
    "by several targets": "import yard\nHome, Other = yard.Hive, yard.Box\nclass Late(Home): pass",
    "by what a function gives": "import yard\ndef home(): return yard.Hive\nclass Late(home()): pass",
    "by a condition": "import yard\nclass Late(yard.Hive if yard else object): pass",
    "by a parameter": "import yard\ndef make(Home):\n    class Late(Home): pass\nmake(yard.Hive)",
    "by an attribute": "import yard\nclass Kinds:\n    home = yard.Hive\nclass Late(Kinds.home): pass",
    "by an attribute that is set": "import yard, kinds\nkinds.home = yard.Hive\nclass Late(kinds.home): pass",
    "by a name that others set": "import kinds, setting\nfrom kinds import Hive\nclass Late(Hive): pass",
    "by a name that is set for all": "import yard\ndef fill():\n    global Home\n    Home = yard.Hive\nclass Late(Home): pass",
    "through other modules": "from middle import Hive\nclass Late(Hive): pass",
    "through modules that take from each other": "from left import Hive\nclass Late(Hive): pass",
    "through all of other modules": "from all_of_it import Hive\nclass Late(Hive): pass",
    "with what it holds": "from yard import Hive\nclass Late(Hive[int]): pass",
    "beside others": "from yard import Box, Hive\nclass Late(Box, Hive): pass",
}
_BESIDE = {
    "yard.py": _YARD,
    "kinds.py": "home = None\nclass Hive:\n    pass\n",
    "setting.py": "import kinds, yard\nkinds.Hive = yard.Hive\n",
    "middle.py": "from yard import Hive\n",
    "left.py": "from right import Hive\n",
    "right.py": "try:\n    from left import Hive\nexcept ImportError:\n    from yard import Hive\n",
    "all_of_it.py": "from middle import *\n",
}


def _evaluator(contents: dict[str, bytes]) -> Evaluator:
    return Evaluator(Linkage(contents))


@pytest.mark.parametrize("way", _WAYS)
def test_a_class_is_found_below_its_base(way: str) -> None:
    contents = {**_BESIDE, "late.py": _WAYS[way]}
    evaluator = _evaluator({path: text.encode() for path, text in contents.items()})
    late = next(
        ("late.py", number)
        for number, record in enumerate(evaluator.file("late.py").links.classes)
        if record.name == "Late"
    )
    assert ("yard.py", 0) in evaluator.bases(late).read, "the example says what it is meant to say"
    assert late in evaluator.below(("yard.py", 0))
    if "Box" not in _WAYS[way]:
        assert late not in evaluator.below(("yard.py", 1))


def test_what_is_written_like_a_base_is_none() -> None:
    contents = {
        "yard.py": _YARD,
        "other.py": "class Hive:\n    pass\nclass Late(Hive): pass\n",
        "local.py": "import yard\nclass Late(yard.hive): pass\nclass Later(Unknown): pass\n",
    }
    evaluator = _evaluator({path: text.encode() for path, text in contents.items()})
    assert evaluator.below(("yard.py", 0)) == []
    assert evaluator.below(("other.py", 0)) == [("other.py", 1)]


def _asked_one_by_one(evaluator: Evaluator) -> dict[ClassKey, set[ClassKey]]:
    found: dict[ClassKey, set[ClassKey]] = {}
    for file in evaluator.linkage.deriving_files():
        for number in range(len(file.links.classes)):
            for base in evaluator.bases((file.path, number)).read:
                found.setdefault(base, set()).add((file.path, number))
    return found


@pytest.mark.parametrize("name", ["email", "asyncio", "unittest", "xml"])
def test_nothing_is_missed_below_classes_of_real_code(name: str) -> None:
    folder = Path(sysconfig.get_path("stdlib"), name)
    contents = {f"{name}/{path.relative_to(folder).as_posix()}": path.read_bytes() for path in folder.rglob("*.py")}
    expected = _asked_one_by_one(_evaluator(contents))
    evaluator = _evaluator(contents)
    assert expected
    for key, below in expected.items():
        assert below <= set(evaluator.below(key)), evaluator.class_record(key).name
