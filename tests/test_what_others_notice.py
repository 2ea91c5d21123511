"""What another file of the project may notice of a clean-up that is none by itself."""

import ast
import textwrap

import pytest

from tests.helpers import programs_beside_others
from zephyrun.languages.python.frame_reads import read_off_frames
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


# What takes names off the code of a function that it is given, as the body of one with `code`; and whether it surely takes
# no local but `kg`.
NAME_TAKERS = {
    "as many as there are by position": ("number = code.co_argcount\nreturn code.co_varnames[:number]", True),
    "their names by a name": ("names = code.co_varnames\nnumber = code.co_argcount\nreturn list(names[:number])", True),
    "those by keyword, too": ("return code.co_varnames[:code.co_argcount + code.co_kwonlyargcount]", True),
    "those by position twice": ("return code.co_varnames[:code.co_argcount + code.co_argcount]", False),
    "as many as it is told": ("number = 9\ndef inner(code, number):\n    return code.co_varnames[:number]\nreturn inner(code, 9)", False),
    "as many as it is told and more": (
        "def inner(code, number):\n    number += code.co_argcount\n    return code.co_varnames[:number]\nreturn inner(code, 9)", False,
    ),
    "as many as stand around it": ("number = 9\ndef inner():\n    return code.co_varnames[:number]\nreturn inner()", False),
    "as many as one more loop says": ("for number in range(9):\n    pass\nreturn code.co_varnames[:number]", False),
    "one or the other": ("number = code.co_argcount\nif number < 9:\n    number = 9\nreturn code.co_varnames[:number]", False),
    "as many as all together": ("number = code.co_nlocals\nreturn code.co_varnames[:number]", False),
    "many times as many": ("number = code.co_argcount\nnumber *= 9\nreturn code.co_varnames[:number or 9]", False),
    "all and one more": ("number = code.co_argcount\nnumber += 1\nreturn code.co_varnames[:number]", False),
    "added twice": ("number = code.co_argcount\nmore = code.co_argcount\nnumber += more\nreturn code.co_varnames[:number]", False),
    "counted in a loop": ("number = 0\nfor each in 'ab':\n    number += code.co_kwonlyargcount\nreturn code.co_varnames[:number]", False),
    "the next one": ("number = code.co_argcount\nreturn code.co_varnames[number:][:1]", False),
    "the next one by its number": ("number = code.co_argcount\nreturn [code.co_varnames[number]] if code.co_nlocals > number else []", False),
    "of another code": ("own = code\ncode = make().__code__\nnumber = code.co_argcount\nreturn own.co_varnames[:number]", False),
    "of what the name was": ("given = code\ncode = make().__code__\nnumber = code.co_argcount\ncode = given\nreturn code.co_varnames[:number]", False),
    "a word that is sought": ("return ['kg'] if 'kg' in code.co_varnames else []", True),
    "a word that is given": ("return [each for each in ('kg', 'weight_of_local') if each in code.co_varnames]", False),
    "as a library does": (
        "number = code.co_argcount\nnames = code.co_varnames\nn_more = code.co_kwonlyargcount\ntaken = list(names[:number])\n"
        "number += n_more\nif code.co_flags & inspect.CO_VARARGS:\n    taken.append(code.co_varnames[number])\n    number = number + 1\n"
        "if code.co_flags & inspect.CO_VARKEYWORDS:\n    taken.append(code.co_varnames[number])\nreturn taken",
        True,
    ),
    "one too far": (
        "number = code.co_argcount\nnumber += code.co_kwonlyargcount\nif code.co_flags & inspect.CO_VARARGS:\n    number += 1\n"
        "    return code.co_varnames[number:][:1] and [code.co_varnames[number]]\nreturn []",
        False,
    ),
    "whatever the flags say": (
        "number = code.co_argcount\nnumber += code.co_kwonlyargcount\nif code.co_flags | inspect.CO_VARARGS:\n"
        "    return [code.co_varnames[number]] if code.co_nlocals > number else []\nreturn []",
        False,
    ),
    "where they are not set": (
        "number = code.co_argcount\nnumber += code.co_kwonlyargcount\nif code.co_flags & inspect.CO_VARARGS:\n    return []\n"
        "else:\n    return [code.co_varnames[number]] if code.co_nlocals > number else []",
        False,
    ),
    "the wrong flag": (
        "number = code.co_argcount\nnumber += code.co_kwonlyargcount\nif code.co_flags & inspect.CO_VARKEYWORDS:\n    number += 1\n"
        "    number += 1\nif code.co_flags & inspect.CO_VARKEYWORDS:\n    return [code.co_varnames[number]] if code.co_nlocals > number else []\nreturn []",
        False,
    ),
}
HEADS = ("", "a", "a, b", "a, *b", "*b", "a, *, b", "*, a", "**b", "a, **b", "a, *b, c, **d", "*b, **d", "a, /, b, *, c, d")


@pytest.mark.parametrize(("body", "is_known"), NAME_TAKERS.values(), ids=NAME_TAKERS)
def test_who_takes_names_off_code(body, is_known):
    """What is said to take no local but those it asks for does not, whatever the parameters are."""
    text = "import inspect\ndef take(code):\n" + textwrap.indent(body, "    ") + "\n"
    tree = ast.parse(text)
    readings = read_off_frames(tree)
    asked = [readings.get(id(node)) for node in ast.walk(tree) if getattr(node, "attr", "") == "co_varnames"]
    assert all(each is not None and each.names is not None for each in asked) is is_known
    space: dict[str, object] = {"make": lambda: lambda a, b, c, d, e: None}
    exec(text, space)
    taken = set()
    for head in HEADS:
        exec(f"def weigh({head}):\n    weight_of_local = 1\n    kg = 2", space)
        taken |= set(space["take"](space["weigh"].__code__))
    assert ("weight_of_local" in taken) is not is_known


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
