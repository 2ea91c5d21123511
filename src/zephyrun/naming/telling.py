"""What contexts say, in words."""

from __future__ import annotations

from collections.abc import Callable

from zephyrun.facts import Context, ContextSort
from zephyrun.naming.remarks import snippet
from zephyrun.source import SourceText

_ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth")
# How a context is put into words: with the code, what the context names, or the callee and the ordinal.
_SENTENCES = {
    ContextSort.FROM_CALL: "assigned from {code}",
    ContextSort.FROM_CALL_ON: "assigned from {code}",
    ContextSort.FROM_ATTRIBUTE: "assigned from {code}",
    ContextSort.FROM_KEY: "assigned from {code}",
    ContextSort.FROM_VARIABLE: "assigned from {code}",
    ContextSort.FROM_OPERATOR: "worked out as {code}",
    ContextSort.FROM_TEST: "says whether {code}",
    ContextSort.FROM_LITERAL: "begins as {code}",
    ContextSort.ITEM_OF: "assigned from {code}",
    ContextSort.ALL_OF: "made from {code}",
    ContextSort.EACH: "collected by {code}",
    ContextSort.PART_OF: "a part of {code}",
    ContextSort.ELEMENT_OF: "one of {code}",
    ContextSort.ELEMENT_OF_CALL: "one of {code}",
    ContextSort.GROWS_BY: "grows by {code}",
    ContextSort.WITH: "opened by {code}",
    ContextSort.CAUGHT: "caught as {name}",
    ContextSort.ARGUMENT: "passed to {callee}() as its {ordinal} argument",
    ContextSort.KEYWORD: "passed as {name}=",
    ContextSort.STORED: "stored as {name}",
    ContextSort.BECOMES: "becomes {name}",
    ContextSort.PUT_INTO: "put into {code}",
    ContextSort.ATTRIBUTE: "asked for .{name}",
    ContextSort.KEY: "looked into: {code}",
    ContextSort.INDEX_INTO: "looks up {code}",
    ContextSort.COMPARED: "compared in {code}",
    ContextSort.OPERAND: "reckoned with in {code}",
    ContextSort.ASKED: "asked as a condition",
    ContextSort.RETURNED: "returned by {callee}",
    ContextSort.ITERATED: "looped over",
    ContextSort.SHOWN: "shown behind “{name}”",
    ContextSort.IS_A: "checked to be a {name}",
    ContextSort.OTHER_USE: "used",
    ContextSort.PARAMETER: "{ordinal} parameter of {callee}()",
    ContextSort.DEFAULT: "its default is {code}",
    ContextSort.ANNOTATED: "annotated as {code}",
    ContextSort.DESCRIBED: "documented with the word “{name}”",
    ContextSort.BESIDE: "beside {name}",
    ContextSort.GIVES: "it returns {name}",
    ContextSort.GIVES_A: "it gives {name}",
    ContextSort.ASKS: "it answers by {code}",
    ContextSort.CALLS: "it calls {name}()",
    ContextSort.SETS: "it sets .{name}",
    ContextSort.TAKES: "it takes {name}",
    ContextSort.SAYS: "described with the word “{name}”",
    ContextSort.MEMBER_OF: "a method of {name}",
    ContextSort.EXTENDS: "based on {name}",
    ContextSort.BEARS: "it has the method {name}()",
    ContextSort.WRAPPED_BY: "decorated with {name}",
}


def teller(source: SourceText) -> Callable[[Context], str]:
    """What puts the contexts of a file into words."""
    return lambda context: told_of(
        _SENTENCES[context.sort], context.sort, context.name, snippet(source.text[context.start : context.end])
    )


def told_of(sentence: str, sort: str, name: str, code: str) -> str:
    """A sentence with its gaps filled in: the code, the name of a context, its callee and its ordinal."""
    callee, _, place = name.partition(":")
    number = place.partition("/")[0]
    ordinal = _ORDINALS[int(number)] if number.isdigit() and int(number) < len(_ORDINALS) else "further"
    if sort == ContextSort.RETURNED:
        callee = callee.removesuffix("*")
    return sentence.format(
        code=code,
        name=name.rpartition("@")[2].removesuffix("=").removeprefix("first "),
        callee=callee,
        ordinal=ordinal,
    )
