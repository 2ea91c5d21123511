"""Who passes on a module's names: files that import everything from it, and those that import everything
from them."""

from __future__ import annotations

import re
from collections.abc import Mapping

from zephyrun.proof.remains import absolute_imports, touches

_STAR_IMPORT = re.compile(rb"\bfrom(?:\s|\\)+([.\w]+)(?:\s|\\)*import(?:\s|\\)*\(?\s*\*")


def imports_everything(data: bytes) -> bool:
    """Whether a file seems to import everything from some module."""
    return b"*" in data and _STAR_IMPORT.search(data) is not None


def star_imports(contents: Mapping[str, bytes], modules: Mapping[str, str]) -> dict[str, set[str]]:
    """For each module that imports everything from others: from which ones. `modules` gives the dotted
    name of each file."""
    found: dict[str, set[str]] = {}
    for path, data in contents.items():
        if imports_everything(data):
            sources = (match[1].decode() for match in _STAR_IMPORT.finditer(data))
            found.setdefault(modules[path], set()).update(absolute_imports(sources, modules[path]))
    return found


def passed_on_by(module: str, imports: Mapping[str, set[str]]) -> frozenset[str]:
    """The module itself, and every module that has its names through star imports."""
    found = {module}
    rest = [module]
    while rest:
        passed = rest.pop()
        for carrier, sources in imports.items():
            if carrier not in found and any(touches(source, passed) for source in sources):
                found.add(carrier)
                rest.append(carrier)
    return frozenset(found)
