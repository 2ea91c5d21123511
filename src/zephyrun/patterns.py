"""Regular expressions that are compiled when they are first used: a command needs few of the hundreds that there are, and
to compile them all took a third of its start-up."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, cast

if TYPE_CHECKING:
    from typing import AnyStr

_SEARCHING = ("search", "match", "fullmatch", "finditer", "findall", "sub", "subn", "split")


class _Later:
    """Stands for a compiled expression, and becomes as quick as that when it is first asked for anything."""

    def __init__(self, expression: str | bytes, flags: int) -> None:
        self._expression = expression
        self._flags = flags

    def __getattr__(self, name: str) -> Any:
        compiled = re.compile(self._expression, self._flags)
        # These are found at once from now on.
        vars(self).update({each: getattr(compiled, each) for each in _SEARCHING})
        return getattr(compiled, name)


# Whether a byte may be part of a name: whatever is no letter of ASCII may.
_MAY_BE_IN_NAME = [byte > 0x7F or chr(byte).isalnum() or byte == ord("_") for byte in range(0x100)]
_DOT = ord(".")


def ends_of_word(word: bytes, data: bytes, *, behind_dot: bool = False) -> Iterator[int]:
    """The ends of all places where a word stands by itself, those behind a dot only where that is asked for. For words that
    are not known before: to compile an expression for each takes longer than to search for it."""
    start = data.find(word)
    while start >= 0:
        end = start + len(word)
        is_ended = end == len(data) or not _MAY_BE_IN_NAME[data[end]]
        before = data[start - 1] if start else -1
        if is_ended and (before < 0 or not _MAY_BE_IN_NAME[before] and (behind_dot or before != _DOT)):
            yield end
        start = data.find(word, end)


def lazy_pattern(expression: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """What behaves as the compiled expression does where its own methods are called; `re.search` and its like take no
    such thing. Errors: `re.error`, when it is first used."""
    return cast("re.Pattern[AnyStr]", _Later(expression, flags))
