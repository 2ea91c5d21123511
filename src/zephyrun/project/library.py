"""The source of standard library modules: read as text, never imported."""

from __future__ import annotations

import sys
import sysconfig
from functools import cache
from pathlib import Path


@cache
def read_library(dotted: str) -> tuple[bytes, bool] | None:
    """The source of a module of the running interpreter's standard library, and whether it is a
    package's own; `None` where there is none, or none that is written in Python."""
    parts = dotted.split(".")
    if parts[0] not in sys.stdlib_module_names or not all(map(str.isidentifier, parts)):
        return None
    below = Path(sysconfig.get_path("stdlib")).joinpath(*parts)
    for path, is_package in ((below / "__init__.py", True), (below.with_suffix(".py"), False)):
        try:
            return path.read_bytes(), is_package
        except OSError:
            continue
    return None
