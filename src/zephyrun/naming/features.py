"""What contexts are counted by: each is a feature, and features of one sort are a group.

The tables of usage know features by their keys alone, so that a row is found without a text.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache
from typing import NamedTuple

from zephyrun.facts import Context, ContextSort, FileFacts, Role, ScopeKind
from zephyrun.naming.words import crypticness, split_name

# Groups of features that weigh alike; the ranking has weights of its own for each.
GROUPS = (
    "value",
    "value of",
    "literal",
    "operator",
    "element",
    "argument",
    "parameter",
    "keyword",
    "attribute",
    "key",
    "index",
    "compared",
    "returned",
    "iterated",
    "other use",
    "annotated",
    "described",
    "default",
    "beside",
    "within",
    "shape",
    # Those of functions and classes.
    "gives",
    "gives a",
    "asks",
    "calls",
    "sets",
    "takes",
    "says",
    "member of",
    "extends",
    "bears",
    "wrapped by",
    "results",
)
_GROUP_OF_SORT: dict[str, str] = {
    ContextSort.FROM_CALL: "value",
    ContextSort.FROM_CALL_ON: "value of",
    ContextSort.FROM_ATTRIBUTE: "value",
    ContextSort.FROM_KEY: "value",
    ContextSort.FROM_VARIABLE: "value",
    ContextSort.FROM_OPERATOR: "operator",
    ContextSort.FROM_TEST: "operator",
    ContextSort.FROM_LITERAL: "literal",
    ContextSort.ITEM_OF: "value of",
    ContextSort.ALL_OF: "value of",
    ContextSort.EACH: "value of",
    ContextSort.PART_OF: "value",
    ContextSort.ELEMENT_OF: "element",
    ContextSort.ELEMENT_OF_CALL: "element",
    ContextSort.GROWS_BY: "operator",
    ContextSort.WITH: "value",
    ContextSort.CAUGHT: "value",
    ContextSort.ARGUMENT: "argument",
    ContextSort.KEYWORD: "keyword",
    ContextSort.STORED: "keyword",
    ContextSort.BECOMES: "keyword",
    ContextSort.PUT_INTO: "keyword",
    ContextSort.ATTRIBUTE: "attribute",
    ContextSort.KEY: "key",
    ContextSort.INDEX_INTO: "index",
    ContextSort.COMPARED: "compared",
    ContextSort.OPERAND: "compared",
    ContextSort.ASKED: "other use",
    ContextSort.RETURNED: "returned",
    ContextSort.ITERATED: "iterated",
    ContextSort.SHOWN: "other use",
    ContextSort.IS_A: "annotated",
    ContextSort.OTHER_USE: "other use",
    ContextSort.PARAMETER: "parameter",
    ContextSort.DEFAULT: "default",
    ContextSort.ANNOTATED: "annotated",
    ContextSort.DESCRIBED: "described",
    ContextSort.BESIDE: "beside",
    **{
        sort: sort.value
        for sort in (
            ContextSort.GIVES,
            ContextSort.GIVES_A,
            ContextSort.ASKS,
            ContextSort.CALLS,
            ContextSort.SETS,
            ContextSort.TAKES,
            ContextSort.SAYS,
            ContextSort.MEMBER_OF,
            ContextSort.EXTENDS,
            ContextSort.BEARS,
            ContextSort.WRAPPED_BY,
        )
    },
}
_GROUP_NUMBERS = {name: number for number, name in enumerate(GROUPS)}
# Calls and parameters name one another: what is handed to a parameter is often called as it is.
_COUNTERPARTS: dict[str, str] = {
    ContextSort.ARGUMENT: ContextSort.PARAMETER,
    ContextSort.PARAMETER: ContextSort.ARGUMENT,
}
# What says what a variable was made from.
VALUES = frozenset(
    {
        ContextSort.FROM_CALL,
        ContextSort.FROM_ATTRIBUTE,
        ContextSort.FROM_KEY,
        ContextSort.FROM_OPERATOR,
        ContextSort.ITEM_OF,
        ContextSort.GROWS_BY,
    }
)
_SHAPES = {
    ScopeKind.COMPREHENSION: "comprehension",
    ScopeKind.LAMBDA: "lambda",
    ScopeKind.MODULE: "module",
    ScopeKind.CLASS: "class",
}
_MOST_WORDS_OF_A_FUNCTION = 4
_KEPT_KEYS = 2**17
# The sort of a feature that no row of functions has: it is looked up among variables.
RESULTS = "results"
# Names that their place gives them, and that say nothing of what they stand for.
PLACEHOLDERS = frozenset({"self", "cls", "mcs", "args", "kwargs", "_", "__"})


class Feature(NamedTuple):
    """One feature of what bears a name. `key` is that of its row; `told` says in a few words what the code says there,
    where somebody asked for that; `is_counterpart` where it is looked up as a parameter for what is an argument,
    or the reverse."""

    group: int
    key: int
    sort: str
    name: str
    told: str = ""
    is_counterpart: bool = False


@lru_cache(_KEPT_KEYS)
def feature_key(sort: str, name: str) -> int:
    """The key of a feature's row: 32 bits."""
    return zlib.crc32(f"{sort}\0{name}".encode("utf-8", "surrogatepass"))


def is_variable(facts: FileFacts, binding: int) -> bool:
    """Whether a binding is a variable or a parameter, and neither function, class nor import."""
    record = facts.bindings[binding]
    if record.outside or not record.references or record.name in PLACEHOLDERS or record.name.startswith("__"):
        return False
    return not facts.roles(binding) & {
        Role.FUNCTION,
        Role.CLASS,
        Role.IMPORT,
        Role.TYPE_PARAMETER,
        Role.TYPE_ALIAS,
    }


def is_definition(facts: FileFacts, binding: int) -> bool:
    """Whether a binding is a function or class, and its name none that the language gives a meaning."""
    record = facts.bindings[binding]
    if record.outside or not record.references or record.name.startswith("__"):
        return False
    roles = facts.roles(binding)
    return bool(roles & {Role.FUNCTION, Role.CLASS}) and not roles & {Role.IMPORT, Role.PARAMETER, Role.ASSIGN}


def is_good(name: str) -> bool:
    """Whether a name is fit to be learned from: readable, and long enough to say something."""
    return crypticness(name.strip("_")) == 0.0


def is_learned_from(facts: FileFacts, binding: int) -> bool:
    """Whether a variable, function or class is counted with its name."""
    return is_good(facts.bindings[binding].name) and (
        is_variable(facts, binding) or is_definition(facts, binding)
    )


def features_of(
    facts: FileFacts,
    binding: int,
    contexts: Iterable[Context],
    is_known: Callable[[int], bool],
    tell: Callable[[Context], str] | None = None,
) -> list[Feature]:
    """The features of one variable, function or class, of which these are the contexts. `is_known` says of another
    variable whether its name may be learned from; `tell` puts a context into words."""
    found = [feature_of(each, tell) for each in contexts if each.other < 0 or is_known(each.other)]
    for each in tuple(found):
        counterpart = _COUNTERPARTS.get(each.sort)
        if counterpart is not None:
            found.append(
                each._replace(key=feature_key(counterpart, each.name), sort=counterpart, is_counterpart=True)
            )
    found.extend(_surroundings(facts, binding))
    return found


def keys_of(
    facts: FileFacts, binding: int, contexts: Iterable[Context], is_known: Callable[[int], bool]
) -> dict[int, None]:
    """The keys of the rows in which one variable, function or class is counted, in their order; the rest as for
    `features_of`, without what is only looked up."""
    keys = {feature_key(each.sort, each.name): None for each in contexts if each.other < 0 or is_known(each.other)}
    keys.update((each.key, None) for each in _surroundings(facts, binding))
    return keys


def feature_of(context: Context, tell: Callable[[Context], str] | None) -> Feature:
    """The feature that a context is, with what it says in words where somebody tells them."""
    return Feature(
        _GROUP_NUMBERS[_GROUP_OF_SORT[context.sort]],
        feature_key(context.sort, context.name),
        context.sort,
        context.name,
        tell(context) if tell is not None else "",
    )


def _surroundings(facts: FileFacts, binding: int) -> Iterator[Feature]:
    record = facts.bindings[binding]
    roles = facts.roles(binding)
    around = facts.scopes[record.scope].kind
    if roles & {Role.FUNCTION, Role.CLASS}:
        yield _own("shape", f"class in {around}" if Role.CLASS in roles else f"function in {around}")
        return
    owner = facts.scopes[facts.owner(record.scope)]
    if owner.kind is ScopeKind.FUNCTION:
        yield from _within(owner.name)
    written = "/".join(sorted(roles - {Role.READ}))
    yield _own("shape", f"{_SHAPES.get(around, 'function')}:{written}")


@lru_cache(_KEPT_KEYS)
def _within(function: str) -> tuple[Feature, ...]:
    words = split_name(function)[:_MOST_WORDS_OF_A_FUNCTION]
    return (*(_own("within", word) for word in words), _own("within", f"{function}()"))


def results_of(function: str) -> Feature:
    """What stands for the variables that are assigned from calls of a function."""
    key = feature_key(ContextSort.FROM_CALL, function)
    return Feature(_GROUP_NUMBERS["results"], key, RESULTS, function)


def passed_as(parameter: str) -> Feature:
    """What stands for the variables that are passed for a parameter by its name."""
    key = feature_key(ContextSort.KEYWORD, parameter)
    told = f"passed as {parameter}="
    return Feature(_GROUP_NUMBERS["keyword"], key, ContextSort.KEYWORD, parameter, told, is_counterpart=True)


@lru_cache(_KEPT_KEYS)
def _own(group: str, name: str) -> Feature:
    return Feature(_GROUP_NUMBERS[group], feature_key(group, name), group, name)


# The shape of what is set on objects, which is that of what stands in the body of a class.
ATTRIBUTE_SHAPE = _own("shape", "class:assign")
