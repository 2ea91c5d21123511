"""Who passes on a module's names: files that import everything from it, and those that import everything
from them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from zephyrun.linking.modules import STAR
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.imports import Importers, absolute_imports

_SOURCE = lazy_pattern(rb"\bfrom(?:\s|\\)+([.\w]+)(?:\s|\\)*\Z")
_LONGEST_SOURCE = 300


def find_carriers(contents: Mapping[str, bytes], modules: Mapping[str, str]) -> Importers:
    """The modules that import everything from others. `modules` gives each file's dotted name."""
    found: dict[str, set[str]] = {}
    for path, data in contents.items():
        if sources := set(star_sources(data)):
            found.setdefault(modules[path], set()).update(absolute_imports(sources, modules[path]))
    return Importers(found)


def star_sources(data: bytes) -> Iterator[str]:
    """The modules, as they are written, from which a file imports everything."""
    for match in STAR.finditer(data):
        source = _SOURCE.search(data, max(match.start() - _LONGEST_SOURCE, 0), match.start())
        if source is not None:
            yield source[1].decode("utf-8", "replace")


def bearers_of_names(module: str, carriers: Importers) -> frozenset[str]:
    """The module itself, and every module that has its names through star imports."""
    found = {module}
    rest = [module]
    while rest:
        new = carriers.of(rest.pop()) - found
        found |= new
        rest.extend(new)
    return frozenset(found)
