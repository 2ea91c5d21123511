"""What an assignment surely makes, as far as its own line says it."""

from __future__ import annotations

from zephyrun.facts import Context, ContextSort

_OF_LITERALS = {
    "List()": "list", "List": "list", "ListComp": "list", "Dict()": "dict", "Dict": "dict", "DictComp": "dict",
    "Set": "set", "SetComp": "set", "Tuple": "tuple", "Tuple()": "tuple", "JoinedStr": "str",
}
_OF_CALLS = {"list": "list", "dict": "dict", "set": "set", "tuple": "tuple", "str": "str", "int": "int", "float": "float"}
_TESTS = frozenset("Eq NotEq Lt LtE Gt GtE Is IsNot In NotIn Not".split())
_ARTICLES = {"int": "an int"}


def sort_made(context: Context) -> str | None:
    """Which sort of thing an assignment surely makes, `None` where it does not say."""
    if context.sort is ContextSort.FROM_TEST:
        return "bool" if context.name.partition(":")[0] in _TESTS else None
    if context.sort is ContextSort.FROM_CALL:
        return _OF_CALLS.get(context.name)
    if context.sort is not ContextSort.FROM_LITERAL:
        return None
    if context.name in ("=True", "=False"):
        return "bool"
    if context.name.startswith(("='", '="', "=str")):
        return "str"
    return _OF_LITERALS.get(context.name)


def with_article(sort: str) -> str:
    """A sort of thing as prose speaks of one of it: `a list`."""
    return _ARTICLES.get(sort, f"a {sort}")
