"""Names that Python keeps for itself."""

import builtins
import keyword

KEYWORDS = frozenset(keyword.kwlist) | frozenset(keyword.softkwlist)
BUILTINS = frozenset(dir(builtins))
RESERVED = KEYWORDS | BUILTINS
