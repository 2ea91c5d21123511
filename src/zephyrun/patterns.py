"""Regular expressions that are compiled when they are first used: a command needs few of the hundreds that there are, and
to compile them all took a third of its start-up."""

from __future__ import annotations

import re
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


def lazy_pattern(expression: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """What behaves as the compiled expression does where its own methods are called; `re.search` and its like take no
    such thing. Errors: `re.error`, when it is first used."""
    return cast("re.Pattern[AnyStr]", _Later(expression, flags))
