"""Who goes through the names of a module: every way to a module counts, and what people write every day does not."""

import random

import pytest

from tests.helpers import real_source
from zephyrun.proof.namespace_walkers import NamespaceWalkers

SHOWS = "def show(thing):\n    print(sorted(vars(thing)))\n"
# What `tools.py` and `season.py` hold beside `yard/hives.py`, and who is told to go through the names of that.
WALKING = {
    "handed on by another file": (SHOWS, "import tools\nfrom yard import hives\ntools.show(hives)\n", {"tools"}),
    "under another name": (SHOWS, "import tools\nimport yard.hives as h\ntools.show(h)\n", {"tools"}),
    "behind its package": (SHOWS, "import tools\nimport yard.hives\ntools.show(yard.hives)\n", {"tools"}),
    "imported from whoever imported it": ("from yard import hives\n", "from tools import hives\nprint(dir(hives))\n", {"season"}),
    "asked of whoever imported it": ("from yard import hives\n", "import tools\nprint(dir(tools.hives))\n", {"season"}),
    "one of all names of another file": (
        "from yard import hives\n",
        "import tools\nfor name in dir(tools):\n    print(dir(getattr(tools, name)))\n",
        {"season"},
    ),
    "imported with everything": ("from yard import hives\n", "from tools import *\nprint(len(dir(hives)))\n", {"season"}),
    "found deep down": (
        "def show(thing):\n    for each in vars(thing).values():\n        show(each)\n",
        "import tools\nimport yard\nfrom yard import hives\ntools.show(yard)\n",
        {"tools"},
    ),
    "named in a text": (SHOWS, "import tools\nfrom importlib import import_module\ntools.show(import_module('yard.hives'))\n", {"tools"}),
    "named from its package": (SHOWS, "import tools\nfrom importlib import import_module\ntools.show(import_module('.hives', 'yard'))\n", {"tools"}),
    "handed to a library": ("", "from yard import hives\nimport plugs\nplugs.register('all', [hives])\n", {"plugs.register"}),
    "handed on in an example": (SHOWS, "'''\n>>> import tools\n>>> from yard import hives\n>>> tools.show(hives)\n'''\n", {"tools"}),
    "set by worked-out names": ("", "from yard import hives\nfor name in names:\n    setattr(hives, name, 3)\n", {"season"}),
    "some module by its name": (
        "",
        "from importlib import import_module\ndef show(name):\n    module = import_module(name)\n    print(dir(module))\n",
        {"season"},
    ),
    "in a file that cannot be read": ("", "from yard import hives\nprint dir(hives)\n", {"season"}),
    "asked for by its name": (SHOWS, "import tools\nimport yard\nfrom yard import hives\ntools.show(getattr(yard, 'hives'))\n", {"tools"}),
    "asked for by a worked-out name": (SHOWS, "import tools\nimport yard\nimport yard.hives\ntools.show(getattr(yard, name))\n", {"tools"}),
    "fetched by its name": (
        SHOWS,
        "import tools\nimport yard.hives\nfrom operator import attrgetter\ntools.show(attrgetter('hives')(yard))\n",
        {"tools"},
    ),
    "looked up in a table": (SHOWS, "import tools\nimport yard\nimport yard.hives\ntools.show(yard.__dict__[name])\n", {"tools"}),
    "looked up in what is listed": (SHOWS, "import tools\nimport yard\nimport yard.hives\ntools.show(vars(yard)['hives'])\n", {"tools"}),
    "renamed on its way": ("from yard import hives as h\n", "from tools import h as yard_hives\nprint(len(dir(yard_hives)))\n", {"season"}),
    "static members": ("", "from inspect import getmembers_static\nfrom yard import hives\nprint(getmembers_static(hives))\n", {"season"}),
    "in its package": (
        "",
        "import yard\nprint([dir(each) for each in vars(yard).values()])\n",
        {"season"},
    ),
    "in bytes that are no text": ("", "from yard import hives\nw = '\udcff'\nprint(vars(hives))\n", {"season"}),
    "in a file in another encoding": (
        "",
        "# -*- coding: latin-1 -*-\nfrom yard import hives\n\n\ndef show():\n    print('\udcff', vars(hives))\n",
        {"season"},
    ),
    "in a text that is run and escapes something": (
        SHOWS,
        "import tools\nfrom yard import hives\nexec('tools.show(hives); w = \"\\d\"')\n",
        {"tools"},
    ),
    "of a function that somebody has": ("def show(f):\n    print(sorted(f.__globals__))\n", "import tools\nimport bees\ntools.show(bees.weigh)\n", {"tools"}),
    "asked of a function": ("def show(f):\n    print('DAYS' in f.__globals__)\n", "import tools\nimport bees\ntools.show(bees.weigh)\n", {"tools"}),
    "of the module of a class": (
        "import sys\ndef show(hive):\n    print(dir(sys.modules[type(hive).__module__]))\n",
        "import tools\nimport bees\ntools.show(bees.Hive())\n",
        {"tools"},
    ),
    "found for a function": (
        "import inspect\ndef show(f):\n    print(dir(inspect.getmodule(f)))\n", "import tools\nimport bees\ntools.show(bees.weigh)\n", {"tools"},
    ),
    "constants in the code of a function": (
        "def show(f):\n    print(f.__code__.co_consts)\n", "import tools\nimport bees\ntools.show(bees.weigh)\n", {"tools"}
    ),
    "listed with those of another": (
        "from yard.hives import *\nprint(dir())\n",
        "import tools\n",
        {"tools"},
    ),
}
IN_PEACE = {
    "before a dot alone": (SHOWS, "import tools\nfrom yard import hives\ntools.show(hives.weigh(3))\n"),
    "instances and classes": (
        "class Hive:\n    def show(self):\n        print(vars(self), type(self).__dict__, self.__class__.__dict__, dir(Hive))\n",
        "from yard import hives\nprint(hives.weigh(3))\n",
    ),
    "one name is looked up": (
        "def kept(thing, name):\n    return thing.__dict__[name], thing.__dict__.get(name), name in vars(thing)\n",
        "import tools\nfrom yard import hives\ntools.kept(hives, 'kg')\n",
    ),
    "what every module has": (
        "import sys\ndef show(f):\n    print(f.__globals__['__name__'], f.__globals__.get('__file__'), dir(sys.modules[__name__]))\n",
        "import tools\nimport bees\ntools.show(bees.weigh)\n",
    ),
    "other modules": ("import signal\nprint(dir(signal))\n", "from yard import hives\nprint(hives.weigh(3))\n"),
    "one thing of a module": (SHOWS, "import tools\nfrom yard import hives\ntools.show(getattr(hives, 'weigh', None))\n"),
    "a sentence": (SHOWS, "'''Ask hives, and show(hives).'''\nfrom yard import hives\n# show(hives)\nprint('hives', hives.weigh(3))\n"),
    "an import in a sentence": (
        SHOWS,
        'AS = """\nimport yard.hives as h*) or so\n"""\nfrom yard import hives\nprint(hives.weigh(3))\n',
    ),
    "reloaded and stood in for": (
        SHOWS,
        "from importlib import reload\nfrom unittest import mock\nfrom yard import hives\nreload(hives)\nmock.patch.object(hives, 'weigh')\n",
    ),
    "a list of words": ("WORDS = ['dir', 'vars', '__dict__', '__globals__', 'co_names']\n", "from yard import hives\n"),
    "a variable of that name": ("def show(dir):\n    print(join(dir, 'rows.csv'), dir)\n", "from yard import hives\nshow = hives\n"),
}


def _walkers(tools, season, hives="def weigh(kg):\n    return kg > 30\n"):
    texts = {"tools.py": tools, "season.py": season, "yard/__init__.py": "", "yard/hives.py": hives}
    modules = {"tools.py": "tools", "season.py": "season", "yard/__init__.py": "yard", "yard/hives.py": "yard.hives"}
    return NamespaceWalkers({path: text.encode("utf-8", "surrogateescape") for path, text in texts.items()}, modules, modules).of("yard.hives")


@pytest.mark.parametrize(("tools", "season", "walkers"), WALKING.values(), ids=WALKING)
def test_every_way_to_a_module_counts(tools, season, walkers):
    """Whoever may go through its names is told."""
    assert _walkers(tools, season) >= walkers


@pytest.mark.parametrize(("tools", "season"), IN_PEACE.values(), ids=IN_PEACE)
def test_what_goes_through_nothing_is_left_in_peace(tools, season):
    """No word is asked for where no module gets into other hands."""
    assert _walkers(tools, season) == frozenset()


def test_names_that_are_not_handed_on_are_not_listed_elsewhere():
    """A star import takes what `__all__` says, where that is there."""
    sees_all = ("from yard.hives import *\nprint(dir())\n", "")
    assert _walkers(*sees_all) == {"tools"}
    assert _walkers(*sees_all, hives="__all__ = ['weigh']\ndef weigh(kg):\n    return kg > 30\n") == frozenset()


JUNK = (b"\xff", b"'''", b'"', b"(", b")", b"\\", b"{", b"import os as o+)", b"\x00", b"\r", b"from . import *", b"#", b"\n\n\tdef f(", b">>> ")


@pytest.mark.parametrize("name", ["copyreg", "dataclasses", "inspect", "pydoc", "runpy"])
def test_damaged_files_are_read_as_far_as_they_go(name):
    """Whatever the bytes are, an answer comes, and no warning."""
    dice = random.Random(name)
    for _ in range(12):
        data = bytearray(real_source(name))
        for _ in range(dice.randrange(1, 12)):
            place = dice.randrange(len(data))
            data[place : place + dice.choice((0, 0, 9))] = dice.choice(JUNK)
        files = {f"{name}.py": bytes(data), "os.py": b"import %b\nprint(dir(%b))\n" % ((name.encode(),) * 2)}
        modules = {path: path.removesuffix(".py") for path in files}
        walkers = NamespaceWalkers(files, modules, modules)
        assert "os" in walkers.of(name) and "os" not in walkers.of("os")
