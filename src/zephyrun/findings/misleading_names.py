"""`misleading-name`: names that promise what the code does not keep."""

from __future__ import annotations

from collections.abc import Iterator
from math import log2

from zephyrun.facts import Context, ContextSort
from zephyrun.findings.about_names import (
    about_definition,
    about_variable,
    lines_of,
    spelling_of,
)
from zephyrun.findings.finding import FileView, Finding
from zephyrun.findings.made_values import sort_made, with_article
from zephyrun.languages.python.answers import Answer, Given
from zephyrun.naming.questions import Wanted
from zephyrun.naming.words import plural, singular, split_name

_ASKING = frozenset({"is", "has", "can", "should"})
_DENYING = (("not",), ("no",), ("non",), ("is", "not"), ("has", "no"), ("without",))
_WEIGHT_OF_A_FUNCTION = 3.0
_WEIGHT_OF_A_VARIABLE = 1.0
_WEIGHT_OF_A_CHECK = 1.5
_PLAIN_TESTS = 2
_SAID = Wanted(only_said=True)
# Functions whose names begin so leave everything as it is.
_ONLY_LOOKING = frozenset({"is", "has", "get", "should", "can"})
_EFFECTS = frozenset("save delete unlink commit rmtree removedirs drop_table send_mail sendmail truncate".split())
_MEANING_EFFECTS = frozenset("or and create make new then".split())
# With these behind it, a check says what its yes means.
_ASKING_CHECKS = frozenset("if whether is has can".split())

# Words for types at the end of a name, and what a variable of that name is.
_TYPE_WORDS = {
    "list": "list", "dict": "dict", "set": "set", "tuple": "tuple", "str": "str", "string": "str", "int": "int",
    "float": "float",
}
_PREPOSITIONS = frozenset("from to by in as with without for of".split())
# One of these holds several things.
_COLLECTIVE = frozenset("batch chunk group page slice window block bunch part".split())

# Units by what they measure. Single letters are none by themselves: `s`, `m` and `g` may be anything.
_UNITS = {
    unit: (dimension, one)
    for dimension, units in {
        "time": ("ns", "us", "ms", "msec msecs milliseconds millis:ms", "sec secs seconds:s", "minutes mins:min", "hours hrs:h", "days:d"),
        "mass": ("mg", "kg kilograms kilos:kg", "grams:g", "lb lbs pounds:lb"),
        "length": ("mm", "cm", "km", "meters metres:m", "inches:in", "feet:ft", "miles:mi"),
        "temperature": ("celsius:c", "fahrenheit:f", "kelvin:k"),
        "size": ("bits", "bytes", "kb", "mb", "gb"),
        "angle": ("degrees deg degs:deg", "radians rad rads:rad"),
    }.items()
    for spelled in units
    for names, _, one in [spelled.partition(":")]
    for unit in names.split()
    for one in [one or names]
}
# Keys of documents are in the singular for lists, too.
_ONE_OF = frozenset({ContextSort.FROM_ATTRIBUTE, ContextSort.FROM_VARIABLE})
_MANY_OF = frozenset({ContextSort.ALL_OF, ContextSort.EACH, ContextSort.FROM_LITERAL, ContextSort.GROWS_BY})
_STRAIGHT = frozenset(
    {ContextSort.FROM_VARIABLE, ContextSort.FROM_ATTRIBUTE, ContextSort.BECOMES, ContextSort.STORED, ContextSort.KEYWORD}
)


def find_misleading_names(view: FileView) -> Iterator[Finding]:
    """Judge functions that promise an answer, and variables whose names say what they are."""
    definitions = {each.name_start: each for each in view.facts.definitions}
    for answer in view.contexts.answers:
        definition = definitions.get(answer.start)
        if definition is None:
            continue
        binding = view.facts.reference_by_start[answer.start].binding
        contexts = view.contexts.by_binding.get(binding, ())
        # What calls its own name hands the question on, to a base or a helper that says how it must be called.
        is_handed_on = answer.name in {call.rpartition(".")[2] for call in definition.calls}
        said = _said_of_function(answer) or (None if is_handed_on else _said_of_getter(view, answer, contexts))
        if said is not None:
            message, weight = said
            yield about_definition(view, definition, "misleading-name", message, weight, _SAID)
    for binding in view.variables_to_name:
        contexts = view.contexts.by_binding.get(binding, ())
        if message := _said_of_variable(spelling_of(view, binding), contexts):
            first, last = lines_of(view, binding)
            weight = _WEIGHT_OF_A_VARIABLE * (1 + log2(2 + last - first))
            yield about_variable(view, binding, "misleading-name", message, weight)


def _said_of_function(answer: Answer) -> tuple[str, float] | None:
    """What is wrong with the name of a function, and how much; `None` where nothing is."""
    if answer.is_stub or answer.is_decorated or answer.is_generator:
        return None
    prefix, *rest = split_name(answer.name)
    given = answer.given
    gives_nothing = given <= {Given.NOTHING}
    if prefix in _ASKING:
        if Given.VALUE in given and given <= {Given.VALUE, Given.NOTHING}:
            return f"`{answer.name}` asks yes or no, and what it gives is neither.", _WEIGHT_OF_A_FUNCTION
        if gives_nothing:
            return f"`{answer.name}` asks yes or no, and gives no answer.", _WEIGHT_OF_A_FUNCTION
    elif prefix == "get" and gives_nothing and not _MEANING_EFFECTS & set(rest):
        return f"`{answer.name}` sounds as if it gave something, and gives nothing.", _WEIGHT_OF_A_FUNCTION
    elif prefix == "check" and given == {Given.BOOLEAN} and not _ASKING_CHECKS & set(rest[:1]):
        said = f"`{answer.name}` answers yes or no; its name does not say which of the two means that all is well."
        return said, _WEIGHT_OF_A_CHECK
    return None


def _said_of_getter(
    view: FileView, answer: Answer, contexts: tuple[Context, ...]
) -> tuple[str, float] | None:
    """What is wrong with the name of a function that gives something, but also does what nobody expects of it."""
    words = split_name(answer.name)
    if answer.is_stub or answer.is_decorated or words[0] not in _ONLY_LOOKING:
        return None
    # Objects that it has made itself it may set up.
    sets = [
        each.name
        for each in contexts
        if each.sort is ContextSort.SETS and view.source.text.startswith("self.", each.start)
    ]
    # What a getter keeps for the next time is its own affair.
    changed = [name for name in sets if not name.startswith("_") and not set(split_name(name)) & set(words)]
    if changed and words[0] == "get" and len(words) > 1:
        return f"`{answer.name}` sounds as if it only looked, and sets `{changed[0]}`.", _WEIGHT_OF_A_FUNCTION
    calls = [each.name for each in contexts if each.sort is ContextSort.CALLS]
    effects = [name for name in calls if name in _EFFECTS and not {name, *_MEANING_EFFECTS} & set(words)]
    if effects:
        said = f"`{answer.name}` sounds as if it only looked, and also calls `{effects[0]}()`."
        return said, _WEIGHT_OF_A_FUNCTION
    return None


def _said_of_variable(name: str, contexts: tuple[Context, ...]) -> str:
    """What is wrong with the name of a variable, "" where nothing is."""
    words = split_name(name)
    return (
        _wrong_type(name, words, contexts)
        or _wrong_number(name, contexts)
        or _wrong_unit(name, words, contexts)
        or _denied_twice(name, words, contexts)
    )


def _wrong_type(name: str, words: list[str], contexts: tuple[Context, ...]) -> str:
    sorts = {sort for each in contexts if (sort := sort_made(each)) is not None}
    if words and words[0] in _ASKING and len(words) > 1:
        # A list may hold one answer for each of many things.
        wrong = sorts - {"bool", "list", "tuple"}
        if wrong and "bool" not in sorts:
            return f"`{name}` asks yes or no, and holds {with_article(min(wrong))}."
        return ""
    # What is behind a preposition is something else: `args_from_dict`.
    may_say = len(words) > 1 and not (_PREPOSITIONS | _ASKING) & set(words)
    said = _TYPE_WORDS.get(words[-1]) if may_say else None
    if said is None or not sorts or said in sorts or sorts == {"bool"}:
        # What `is_set` may well be `version_set`, and `generate_list` says whether to.
        return ""
    return f"`{name}` calls itself {with_article(said)}, and is {with_article(min(sorts))}."


def _wrong_number(name: str, contexts: tuple[Context, ...]) -> str:
    """Whether a plural holds one, or a singular holds many, of what the code itself calls the other way."""
    one, many = singular(name), plural(name)
    if one and any(_says(each, one) for each in contexts):
        if not any(each.sort in _MANY_OF or each.sort is ContextSort.ITERATED for each in contexts):
            return f"`{name}` sounds like many, and holds one {one}."
    is_collective = name.rpartition("_")[2] in _COLLECTIVE
    is_sliced = not is_collective and any(each.sort is ContextSort.ALL_OF and each.name == many for each in contexts)
    if is_sliced and not one and any(each.sort is ContextSort.ITERATED for each in contexts):
        return f"`{name}` sounds like one, and holds some of `{many}`."
    return ""


def _says(context: Context, name: str) -> bool:
    """Whether a variable is made from something of a name; of a function only its getter says what it gives."""
    if context.sort is ContextSort.FROM_CALL:
        return context.name == f"get_{name}"
    return context.sort in _ONE_OF and context.name == name


def _wrong_unit(name: str, words: list[str], contexts: tuple[Context, ...]) -> str:
    mine = _UNITS.get(words[-1]) if len(words) > 1 else None
    if mine is None:
        return ""
    for each in contexts:
        other_words = split_name(each.name)
        its = _UNITS.get(other_words[-1]) if each.sort in _STRAIGHT and len(other_words) > 1 else None
        if its is not None and its[0] == mine[0] and its[1] != mine[1]:
            way = "comes from" if each.sort in (ContextSort.FROM_VARIABLE, ContextSort.FROM_ATTRIBUTE) else "goes to"
            return f"`{name}` {way} `{each.name}` as it is, and one of the two units is wrong."
    return ""


def _denied_twice(name: str, words: list[str], contexts: tuple[Context, ...]) -> str:
    denies = any(tuple(words[: len(denying)]) == denying and len(words) > len(denying) for denying in _DENYING)
    n_tests = sum(each.sort is ContextSort.ASKED for each in contexts)
    n_denied = sum(each.sort is ContextSort.ASKED and each.name == "not" for each in contexts)
    if denies and n_denied and n_denied * _PLAIN_TESTS > n_tests:
        return f"`not {name}` denies twice; a name that affirms would read better."
    return ""
