"""What the standard library does with functions that it is handed. Source: library reference."""

from __future__ import annotations

from zephyrun.link_facts import Handed

# Looks at things without keeping or calling them, or what is in them.
LOOKING_ON = frozenset(
    """builtins.callable builtins.isinstance builtins.issubclass builtins.id builtins.print builtins.repr
    builtins.str builtins.hash builtins.bool builtins.len builtins.any builtins.all builtins.type""".split()
)
# Calls functions by position, and drops them.
CALLING_AND_DROPPING = frozenset(
    """builtins.map builtins.filter builtins.sorted builtins.min builtins.max builtins.iter
    functools.reduce functools.cmp_to_key itertools.starmap itertools.takewhile itertools.dropwhile
    itertools.groupby itertools.filterfalse itertools.accumulate re.sub re.subn re.Scanner signal.signal
    weakref.ref _weakref.ref builtins.property heapq.nlargest heapq.nsmallest heapq.merge""".split()
)
# Of these, what does not call all that it is handed: the places of what it calls.
_CALLED_AT: dict[str, tuple[int | str, ...]] = {
    "builtins.min": ("key",),
    "builtins.max": ("key",),
    "functools.reduce": (0, "function"),
    "itertools.accumulate": (1, "func"),
    "weakref.ref": (1,),
    "_weakref.ref": (1,),
}
# Keeps what it is given, or gives it back; nothing of it is called with other keywords than it is given with.
_KEEPING = frozenset(
    """builtins.list builtins.tuple builtins.set builtins.dict builtins.staticmethod builtins.classmethod
    functools.partial functools.partialmethod collections.defaultdict weakref.proxy atexit.register
    asyncio.run asyncio.create_task asyncio.gather asyncio.wait_for asyncio.ensure_future
    threading.Thread threading.Timer typing.cast""".split()
)
# Calls functions that it is given by position only, or by keywords that it is given in a dictionary.
CALLING_BY_POSITION = LOOKING_ON | CALLING_AND_DROPPING | _KEEPING | {"multiprocessing.Process"}
# Takes functions or classes and does not look at their names.
LOOKING_AT_NO_NAMES = LOOKING_ON | CALLING_AND_DROPPING | _KEEPING | frozenset(
    """builtins.next builtins.frozenset builtins.enumerate builtins.zip builtins.reversed builtins.super
    builtins.sum builtins.getattr builtins.setattr builtins.hasattr builtins.delattr functools.lru_cache
    functools.cache functools.cached_property functools.wraps functools.update_wrapper
    functools.singledispatch itertools.chain operator.itemgetter collections.deque collections.Counter
    typing.cast typing.TypeVar dataclasses.field dataclasses.replace dataclasses.fields copy.copy
    copy.deepcopy contextlib.closing contextlib.suppress warnings.catch_warnings""".split()
)
# Keeps what it calls, and gives it back under these names.
KEPT_UNDER = {
    "collections.defaultdict": ("default_factory",),
    "threading.Thread": ("_target",),
    "threading.Timer": ("function",),
    "multiprocessing.Process": ("_target",),
    "builtins.property": ("fget", "fset", "fdel"),
    "functools.cached_property": ("func",),
}
# The functions behind properties.
BEHIND_PROPERTIES = (*KEPT_UNDER["builtins.property"], *KEPT_UNDER["functools.cached_property"])
_GOING_THROUGH = frozenset({"builtins.list", "builtins.tuple", "builtins.set", "builtins.frozenset", "builtins.dict"})
_PART_OF_ARGUMENT = "…"
# Looks into what is handed over first.
_LOOKING_INTO = frozenset(
    """builtins.getattr builtins.hasattr builtins.setattr builtins.delattr builtins.vars builtins.dir
    builtins.super""".split()
)
# Gives what it is given, by the position of that.
GIVING_BACK = {
    "functools.update_wrapper": 0, "functools.partial": 0, "typing.cast": 1, "builtins.staticmethod": 0,
    "builtins.classmethod": 0, "functools.lru_cache": 0, "functools.cache": 0,
}
# Runs a function with the keywords that it is handed beside it, by the function's position.
RUNNING_WITH_KEYWORDS = {"atexit.register": 0, "weakref.finalize": 1, "asyncio.to_thread": 0}
# Makes a collection of another one's elements; gives one of them.
COLLECTING = frozenset(
    """builtins.list builtins.tuple builtins.set builtins.frozenset builtins.sorted builtins.reversed
    builtins.iter builtins.dict collections.deque itertools.chain""".split()
)
CHOOSING = frozenset({"builtins.next", "builtins.min", "builtins.max"})
# The names of builtins that some module of the library has for something else, which `import *` may bring.
NAMED_LIKE_BUILTINS = frozenset(
    """__doc__ __import__ Ellipsis TimeoutError Warning abs ascii compile copyright enumerate exit filter format help
    input max open pow property repr slice str""".split()
)


def is_called_and_dropped(name: str, handed: Handed) -> bool:
    """Whether a function of the library calls what it is handed by position, and neither keeps it nor gives it to
    anybody."""
    places = _CALLED_AT.get(name)
    return name in CALLING_AND_DROPPING and (places is None or handed.position in places or handed.keyword in places)


def leaves_class_alone(name: str, handed: Handed) -> bool:
    """Whether a function of the library looks at a class that it is handed, goes through it or makes instances of it by
    position, and gives it to nobody but under the names of `KEPT_UNDER`."""
    if name in LOOKING_ON:
        return True
    if handed.keyword == _PART_OF_ARGUMENT:
        return False
    if name in _GOING_THROUGH or name in _LOOKING_INTO:
        return handed.position == 0
    return name in KEPT_UNDER or is_called_and_dropped(name, handed)
