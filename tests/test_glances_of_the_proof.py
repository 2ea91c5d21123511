"""What is told of a file at a glance: whatever may matter is told, and what people write every day is left in peace."""

import re

import pytest

from zephyrun.languages.python import parse
from zephyrun.linking.texts import begun_in
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.code_readers import code_reservations
from zephyrun.proof.own_text import own_text_reservations
from zephyrun.proof.set_builtins import sets_builtins, sets_builtins_elsewhere

SETTING_BUILTINS = (
    "import builtins\nbuiltins.len = count\n",
    "import builtins as all_of_them\nall_of_them.len = count\n",
    "__builtins__['len'] = count\n",
    "import builtins\nsetattr(builtins, 'len', count)\n",
    "import builtins\ndel builtins.len\n",
    "with mock.patch('builtins.len', count):\n    pass\n",
    "import hives\nhives.len = count\n",
    "import hives\nvars(hives)['len'] = count\n",
    "import hives\nhives.__dict__.update(len=count)\n",
    "with mock.patch('hives.len'):\n    pass\n",
)
SETTING_ITS_OWN = (
    "globals()['len'] = count\n",
    "globals().update(table)\n",
    "exec('len = count')\n",
    "exec(code, globals())\n",
    "globals()[name] = 3\n",
    "globals()['l' + name] = 3\n",
    "globals()[f'{name}_kg'] = 3\n",
    "globals()[names[0]] = 3\n",
    "globals()['WEIGHT_' + name if name else 'len'] = 3\n",
)
LEAVING_BUILTINS = (
    "class Hive:\n    def __init__(self):\n        self.len = 3\n",
    "import builtins\nprint(builtins.len([]), builtins.len == len)\n",
    "import builtins\nbuiltins._ = translate\n",
    "import hives\nhives.length = 3\nassert hives.len == 3\n",
    "hive = Hive()\nhive.len = 3\n",
    "exec(code, space)\ncursor.exec('select')\n",
    "print(globals()['len'], globals().get('len'))\n",
    "with mock.patch('hives.weigh'):\n    pass\n",
    "globals()['WEIGHT_' + name] = 3\nglobals()[f'KG_{name}'] = 3\nglobals()['net'] = 3\n",
)


def _read(code):
    parsed = parse(code.encode())
    return parsed.source, parsed.facts


@pytest.mark.parametrize("code", SETTING_BUILTINS)
def test_who_sets_builtins(code):
    """For all, or in a module that is imported."""
    assert sets_builtins_elsewhere(code.encode())


@pytest.mark.parametrize("code", SETTING_ITS_OWN)
def test_who_sets_its_own_names(code):
    """They are nobody else's."""
    assert sets_builtins(code.encode()) and not sets_builtins_elsewhere(code.encode())


@pytest.mark.parametrize("code", LEAVING_BUILTINS)
def test_who_leaves_builtins_alone(code):
    """Attributes of objects, what is read, and names of one's own."""
    assert not sets_builtins(code.encode())


@pytest.mark.parametrize(
    ("code", "is_seen"),
    [
        ("def net():\n    pass\nprint(net.__code__.co_consts)\n", True),
        ("def net():\n    pass\ncode = net.__code__\nprint(code.co_code)\n", True),
        ("import dis\ndef net():\n    pass\ndis.dis(net)\n", True),
        ("import marshal\ndef net():\n    pass\nmarshal.dumps(net.__code__)\n", True),
        ("def net():\n    pass\nprint(attrgetter('__code__.co_consts')(net))\n", True),
        ("def net():\n    pass\nprint('{0.__code__.co_code}'.format(net))\n", True),
        ("def net():\n    pass\nprint(reduce(getattr, ['__code__', 'co_names'], net))\n", True),
        ("def net(code):\n    return hasattr(code, 'co_code')\n", False),
        ("def net():\n    pass\nprint(net.__code__.co_name, net.__code__.co_argcount)\n", False),
        ("import dis\ndef show(code):\n    dis.dis(code)\n    print(code.co_consts)\n", False),
        ("import marshal\nmarshal.dump(rows, file)\n", False),
        ("import marshal\ndef keep(hive, file):\n    marshal.dump(hive.code, file)\n", False),
        ("import marshal\ndef keep(hive, file):\n    marshal.dump(compile(hive, '', 'exec').code, file)\n", True),
        ("# net.__code__.co_consts\nprint('net.__code__.co_consts')\n", False),
    ],
)
def test_who_looks_at_code(code, is_seen):
    """At that of its own functions; a comment or a text only speaks of it."""
    assert bool([*code_reservations(*_read(code))]) == is_seen


@pytest.mark.parametrize(
    ("code", "is_seen"),
    [
        ("print(open('hives.py').read())\n", True),
        ("for path in folder.glob('*.py'):\n    print(path.read_text())\n", True),
        ("print(len(__loader__.get_source(__name__)))\n", True),
        ("print(open(net.__code__.co_filename).read())\n", True),
        ("def show():\n    if ready:\n        return [\n            load(__file__)]\n", True),
        ("@keep(__file__)\ndef show():\n    pass\n", True),
        ("print(open(getsourcefile(net)).read())\n", True),
        ("def show():\n    here = getsourcefile(net)\n    return open(here)\n", True),
        ("def show():\n    here = abspath(sys.modules['__main__'].__file__)\n    return open(join(split(here)[0], 'rows.csv'))\n", False),
        ("def show():\n    here = abspath(sys.modules['__main__'].__file__)\n    return open(here)\n", True),
        ("def show():\n    here = Path(__main__.__file__)\n    if isinstance(here, Hive):\n        open(here.rows)\n    return here.parent\n", False),
        ("def show():\n    here = Path(__main__.__file__)\n    return here.resolve().open()\n", True),
        ("hide(hives.net.__code__.co_filename)\nopen(name)\n", True),
        ("if hives.net.__code__.co_filename != path:\n    open(name)\n", False),
        ("find = inspect.getsourcefile\nprint(open(find(net)).read())\n", True),
        ("print(open(splitext(getfile(net))[0] + '.py').read())\n", True),
        ("def name(net):\n    return '%s|%s' % (inspect.getsourcefile(net), net.__name__)\nopen(name)\n", False),
        ("print(open('season.py').read())\n", False),
        ("print('usage: hives.py FILE')\nopen(name)\n", False),
        ("if name.endswith('.py'):\n    open(name)\n", False),
        ("# __loader__ and hives.py\nopen(name)\n", False),
        ("place = dirname(__file__)\nopen(join(place, 'rows.csv'))\n", False),
        ("hooks = module.__loader__\nopen(name)\n", False),
        ("names.update(__loader__=None, __spec__ = None)\nopen(name)\n", False),
        ("names.update(__loader__=__loader__)\nopen(name)\n", True),
        ("print(f'{__spec__=}')\nopen(name)\n", True),
        ("if __spec__ == kept:\n    open(name)\n", True),
        ("def show():\n    here = __file__\n    return open(here)\n", True),
        ("def show():\n    here = __file__\n    def inner():\n        return here\n    return inner\n", True),
        ("def show():\n    global here\n    here = __file__\n", True),
        ("def show():\n    here = __file__\n    there = here\n    print(locals())\n", True),
        ("def show():\n    here = there = __file__\n    return dirname(here)\n", True),
        ("class Shown:\n    here = __file__\n", True),
        ("def show():\n    return f\"\"\"\n{load(__file__)}\n\"\"\"\n", True),
        ("open(f'{__file__}')\n", True),
        ("open('%s' % __file__)\n", True),
        ("print(linecache.cache[__file__])\n", True),
        ("open(__file__.replace('\\\\', '/'))\n", True),
        ("open(relpath(__file__))\n", True),
        ("open(splitext(__file__)[0] + '.py')\n", True),
        ("open(Path(__file__).with_suffix('.py'))\n", True),
        ("open(splitext(__file__)[0] + '.csv')\n", False),
        ("print(f'usage: {__file__}')\n", False),
        ("def show():\n    here = __file__\n    there = here\n    return dirname(there)\n", False),
        ("def show(path=''):\n    if not path:\n        path = sys.argv[0]\n    return basename(path)\n", False),
        ("def show(argv):\n    first, rest = argv[0], argv[1:]\n    log(first, rest)\n", False),
        ("def show(argv):\n    first, rest = argv[0], argv[1:]\n    return open(first)\n", True),
        ("def show(argv):\n    rest, first = argv[1:], argv[0]\n    for each in [first]:\n        log(each)\n", True),
        ("def show(argv):\n    first, *rest = argv[0], argv[1:]\n    log(first)\n", True),
        ("def show(argv):\n    first, self.path = argv[1], argv[0]\n    log(first)\n", True),
        ("def show():\n    how = (__file__, 1)\n    return open(how[0])\n", True),
        ("def show():\n    how = [[__file__], 1]\n    return open(how[0][0])\n", True),
        ("def show():\n    return open([__file__].pop())\n", True),
        ("pytest.main([__file__, '-v'])\n", False),
        ("runner.main([__file__, '-v'])\n", True),
        ("def test(self):\n    self.assertEqual(warning.filename, __file__)\n", False),
        ("def test(self):\n    self.assert_read(warning.filename, __file__)\n", True),
        ("vars(module).update({'__file__': __file__, '__path__': []})\n", False),
        ("vars(module).update({'path': __file__, '__file__': ''})\n", True),
        ("module.__file__ = __file__\n", False),
        ("module.path = __file__\n", True),
    ],
)
def test_who_may_read_the_file_itself(code, is_seen):
    """By its path, its name, or what knows either."""
    assert bool([*own_text_reservations(*_read(code), "apiary.hives")]) == is_seen


def test_what_texts_leave_open():
    """Behind a dot, where they are run or filled in."""
    assert {b"_k", b"", b"we"} <= begun_in(b"eval('hive._k' + rest)\n'{h.{name}}'.format(h=hive)\nexec(f'hive.we{rest}')\n")
    assert begun_in(b"print('hive._k' + rest)\n") == frozenset()


def test_patterns_that_are_compiled_later():
    """They do what compiled ones do, and wrong ones fail when they are used."""
    text = "north 31, south 28"
    lazy, compiled = lazy_pattern(r"(?P<kg>\d+)", re.ASCII), re.compile(r"(?P<kg>\d+)", re.ASCII)
    for _ in range(2):
        assert lazy.findall(text) == compiled.findall(text)
        assert lazy.sub("0", text, count=1) == compiled.sub("0", text, count=1)
        assert [each["kg"] for each in lazy.finditer(text)] == ["31", "28"]
        assert lazy.match(text) is None and lazy.search(text, 9)["kg"] == "28"
        assert (lazy.pattern, lazy.flags, lazy.groupindex) == (compiled.pattern, compiled.flags, compiled.groupindex)
    wrong = lazy_pattern("(")
    with pytest.raises(re.error):
        wrong.search(text)
