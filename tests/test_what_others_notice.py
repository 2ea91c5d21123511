"""What another file of the project may notice of a clean-up that is none by itself."""

import pytest

from tests.helpers import programs_beside_others
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

# What the other file does, the old and the new version of one file, and the other file.
OTHERS = {
    "imports a constant that is gone": ("TARE = 3\ndef net(kg):\n    return kg - TARE\n", "def net(kg):\n    return kg - 3\n", "from hives import TARE\nprint(TARE)\n"),
    "asks for a constant that is gone": ("TARE = 3\ndef net(kg):\n    return kg - TARE\n", "def net(kg):\n    return kg - 3\n", "import hives\nprint(getattr(hives, 'TARE', 0))\n"),
    "sets a constant that is gone": ("TARE = 3\ndef net(kg):\n    return kg - TARE\n", "def net(kg):\n    return kg - 3\n", "import hives\nhives.TARE = 4\n"),
    "sets a constant that is new": ("def net(row):\n    return row['kg']\n", "KG = 'kg'\ndef net(row):\n    return row[KG]\n", "import hives\nhives.KG = 'g'\n"),
    "overrides what is new": (
        "class Hive:\n    def grade(self):\n        return self.kg > 3\n",
        "class Hive:\n    def grade(self):\n        return self._is_top()\n    def _is_top(self):\n        return self.kg > 3\n",
        "from hives import Hive\nclass Nucleus(Hive):\n    def _is_top(self):\n        return False\n",
    ),
    "sets what is new": (
        "def grade(hive):\n    return hive.kg > 3\n", "def grade(hive):\n    return _is_top(hive)\ndef _is_top(hive):\n    return hive.kg > 3\n",
        "import hives\nhives._is_top = print\n",
    ),
    "puts a stand-in in its place": (
        "def grade(hive):\n    return hive.kg > 3\n", "def grade(hive):\n    return _is_top(hive)\ndef _is_top(hive):\n    return hive.kg > 3\n",
        "from unittest import mock\ndef test(hive):\n    with mock.patch('hives._is_top'):\n        print(hive)\n",
    ),
    "counts frames": (
        "def grade(hive):\n    return hive.weigh() > 3\n", "def grade(hive):\n    return _is_top(hive)\ndef _is_top(hive):\n    return hive.weigh() > 3\n",
        "import hives, sys\nclass Hive:\n    def weigh(self):\n        return len(sys._getframe(2).f_code.co_name)\nprint(hives.grade(Hive()))\n",
    ),
    "asks for a stack level": (
        "def grade(hive):\n    return hive.weigh() > 3\n", "def grade(hive):\n    return _is_top(hive)\ndef _is_top(hive):\n    return hive.weigh() > 3\n",
        "import hives, warnings\nclass Hive:\n    def weigh(self):\n        warnings.warn('late', stacklevel=3)\nprint(hives.grade(Hive()))\n",
    ),
    "overrides a method whose argument has its keyword": (
        "class Hive:\n    def net(self, kg, tare):\n        return kg - tare\n    def show(self):\n        return self.net(3, 1)\n",
        "class Hive:\n    def net(self, kg, tare):\n        return kg - tare\n    def show(self):\n        return self.net(3, tare=1)\n",
        "from hives import Hive\nclass Nucleus(Hive):\n    def net(self, kg, box):\n        return kg\nprint(Nucleus().show())\n",
    ),
    "sets a function whose argument has its keyword": (
        "def net(kg, tare):\n    return kg - tare\ndef show():\n    return net(3, 1)\n", "def net(kg, tare):\n    return kg - tare\ndef show():\n    return net(3, tare=1)\n",
        "import hives\nhives.net = lambda kg, box: kg\n",
    ),
    "reads what annotates": ("def net(kg):\n    return kg\n", "def net(kg: int):\n    return kg\n", "import hives\nfrom typing import get_type_hints\nprint(get_type_hints(hives.net))\n"),
    "lists the members of a class": (
        "class Hive:\n    def net(self):\n        return 3\n    def gross(self):\n        return 4\n",
        "class Hive:\n    def gross(self):\n        return 4\n    def net(self):\n        return 3\n",
        "import hives\nprint(list(vars(hives.Hive)))\n",
    ),
    "reads the variables of running functions": (
        "def net(kg, hive):\n    tare = 3\n    hive.show()\n    return kg\n", "def net(kg, hive):\n    hive.show()\n    return kg\n",
        "import hives, inspect\nclass Hive:\n    def show(self):\n        print(inspect.currentframe().f_back.f_locals)\nhives.net(3, Hive())\n",
    ),
    "imports the name that postpones annotations": (
        "def net(kg: int):\n    return kg\n", "from __future__ import annotations\ndef net(kg: int):\n    return kg\n", "from hives import annotations\nprint(annotations)\n",
    ),
    "shows documentation": ("def net(kg):\n    return kg\n", "def net(kg):\n    'The net weight.'\n    return kg\n", "import hives\nprint(hives.net.__doc__)\n"),
}


@pytest.mark.parametrize(("old", "new", "other"), OTHERS.values(), ids=OTHERS)
def test_another_file_may_notice(old, new, other):
    """By itself it is the same; beside a file that can tell it is not."""
    world = World(library=read_library)
    alone = compare_trees({"hives.py": old.encode()}, {"hives.py": new.encode()}, world=world)
    beside = {"yard.py": other.encode()}
    both = compare_trees({"hives.py": old.encode(), **beside}, {"hives.py": new.encode(), **beside}, world=world)
    assert (alone.verdict, both.verdict) == (Verdict.SAME, Verdict.UNPROVEN)


# What another file does with the variables of running functions, and whether a local may then be called otherwise.
READERS = {
    "values are let go": ("import sys\ndef show(t):\n    sys._getframe(1).f_locals\n", Verdict.SAME),
    "values are shown at a prompt": ("import sys\nsys._getframe().f_locals\n", Verdict.UNPROVEN),
    "parameters of another": ("def names(code, other):\n    return code.co_varnames[:other.co_argcount]\n", Verdict.UNPROVEN),
    "values are shown": ("import sys\ndef show(t):\n    print(sys._getframe(1).f_locals)\n", Verdict.UNPROVEN),
    "parameters alone": ("def names(code):\n    return code.co_varnames[:code.co_argcount]\n", Verdict.SAME),
    "one more than parameters": ("def names(code):\n    return code.co_varnames[:code.co_argcount + 1]\n", Verdict.UNPROVEN),
    "all but parameters": ("def names(code):\n    return code.co_varnames[code.co_argcount:]\n", Verdict.UNPROVEN),
    "lines of code": ("from dis import findlinestarts as lines  # where they begin\n", Verdict.SAME),
    "lines and instructions": ("from dis import findlinestarts, dis\n", Verdict.UNPROVEN),
    "a word": ("FORMATS = {'cgitb': 'long'}\n", Verdict.SAME),
    "a module by that word": ("from importlib import import_module\nTOOL = 'cgitb'\nimport_module(TOOL).enable()\n", Verdict.UNPROVEN),
}


@pytest.mark.parametrize(("other", "verdict"), READERS.values(), ids=READERS)
def test_who_reads_the_variables_of_others(other, verdict):
    """Only who may find a local by its name makes it wait."""
    old = "import yard\ndef net(rows):\n    t = sum(rows)\n    yard.show(t)\n    return t\n"
    new = "import yard\ndef net(rows):\n    total = sum(rows)\n    yard.show(total)\n    return total\n"
    sides = ({"hives.py": each.encode(), "yard.py": other.encode()} for each in (old, new))
    assert compare_trees(*sides, world=World(library=read_library)).verdict is verdict


# What another file does with an underline and a module whose names it works out, and whether that one may then get a
# private name for a number.
UNDERLINES = {
    "puts it for another sign": ("def read():\n    return getattr(hives, '-TARE_KG'.replace('-', '_'))\n", Verdict.UNPROVEN),
    "takes a word apart at it": ("def read(word):\n    return getattr(hives, word.partition('_')[2])\n", Verdict.SAME),
    "puts it before a word": ("def read(word):\n    return getattr(hives, '_' + word)\n", Verdict.UNPROVEN),
    "fills a word in behind it": ("def read(word):\n    return getattr(hives, f'_{word}')\n", Verdict.UNPROVEN),
    "keeps it": ("MARK = '_'\ndef read(word):\n    return getattr(hives, MARK + word)\n", Verdict.UNPROVEN),
    "joins words with it": ("def read(word):\n    return getattr(hives, '_'.join(['', word]))\n", Verdict.UNPROVEN),
    "puts it between words": ("def read(yard, word):\n    return getattr(hives, f'{yard}_{word}')\nread('', 'TARE_KG')\n", Verdict.UNPROVEN),
    "puts a word between": ("def read(word):\n    return getattr(hives, f'_{word}_kg'.upper())\n", Verdict.UNPROVEN),
    "puts a word before the last one": ("def read(word):\n    return getattr(hives, f'_{word}_KG')\n", Verdict.UNPROVEN),
    "puts a brace between": ("def read(word):\n    return getattr(hives, f'_{{{word}'.replace('{', ''))\n", Verdict.UNPROVEN),
    "replaces more than it": ("def read(word):\n    return getattr(hives, word.replace('all', '_TARE'))\n", Verdict.UNPROVEN),
}


@pytest.mark.parametrize(("reader", "verdict"), UNDERLINES.values(), ids=UNDERLINES)
def test_who_works_private_names_out(reader, verdict):
    """An underline begins a name only where something is put behind it."""
    old, new = "def net(kg):\n    return kg - 17\n", "_TARE_KG = 17\ndef net(kg):\n    return kg - _TARE_KG\n"
    sides = ({"hives.py": each.encode(), "yard.py": f"import hives\n{reader}".encode()} for each in (old, new))
    assert compare_trees(*sides, world=World(library=read_library)).verdict is verdict


@pytest.mark.parametrize(
    ("old", "new", "other"), [pytest.param(*versions, id=title) for title, *versions in programs_beside_others()]
)
def test_what_another_file_tells_apart(old, new, other):
    """Whoever may use the project: these were written from what the page says."""
    for is_library in (False, True):
        world = World(library=read_library, is_library=is_library)
        sides = ({"hives.py": each, "season.py": other} for each in (old, new))
        assert compare_trees(*sides, world=world).verdict is not Verdict.SAME
