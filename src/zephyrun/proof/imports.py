"""Which modules files import, at a glance, and who imports a module."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from itertools import combinations

from zephyrun.linking.import_statements import names_imported
from zephyrun.linking.modules import LOADING_WORDS
from zephyrun.patterns import ends_of_word, lazy_pattern

_IMPORTED = lazy_pattern(rb"import(?<!\wimport)\b([^\n]*)")

# What loads a module whose name is worked out while the program runs, and what finds one that was loaded.
LOADING_CALL = rb"(?:import_module|__import__|load_module|module_from_spec)[ \t]*\("
LOADING_OR_FINDING = rb"%b|\bsys\.modules(?:\[|\.get\()" % LOADING_CALL
_LOADS = lazy_pattern(LOADING_CALL)
_LOADS_OR_FINDS = lazy_pattern(LOADING_OR_FINDING)


def is_imported(name: bytes, data: bytes) -> bool:
    """Whether a word is what a file calls something that it imports, at a glance."""
    if name not in data:
        return False
    return any(True for words in _IMPORTED.findall(data) for _ in ends_of_word(name, words, behind_dot=True))


def imports_of(texts: Mapping[str, bytes], labels: Mapping[str, str]) -> dict[str, set[str]]:
    """The absolute names that files import, by how the files are to be called."""
    found: dict[str, set[str]] = {}
    for path, data in texts.items():
        found.setdefault(labels[path], set()).update(absolute_imports(names_imported(data), labels[path]))
    return found


def loads_by_name(data: bytes) -> bool:
    """Whether code seems to load modules by names that it works out."""
    return _may_load(data) and _LOADS.search(data) is not None


def loads_modules(data: bytes) -> bool:
    """Whether code seems to load modules, or to find loaded ones, by names that it works out."""
    return _may_load(data) and _LOADS_OR_FINDS.search(data) is not None


def _may_load(data: bytes) -> bool:
    return any(word in data for word in LOADING_WORDS)


def touches(imported: str, module: str) -> bool:
    """Whether importing a dotted name could give access to a module or to something in it.

    A folder without a mark of a package may be one all the same, so the module's own name may also
    be the end of the imported one, or the other way round.
    """
    return (
        imported == module
        or module.startswith(imported + ".")
        or imported.startswith(module + ".")
        or imported.endswith("." + module)
        or f".{module}." in imported
        or module.endswith("." + imported)
    )


class Importers:
    """Who imports what, asked the other way round: whose imports `touches` a module? Asked for every
    module of a project, so that its cost must not grow with all pairs of them."""

    def __init__(self, imports: Mapping[str, Iterable[str]]) -> None:
        self._by_name: dict[str, set[str]] = {}
        self._by_part: dict[str, set[str]] = {}
        for importer, names in imports.items():
            for name in names:
                self._by_name.setdefault(name, set()).add(importer)
                parts = name.split(".")
                for start, end in combinations(range(len(parts) + 1), 2):
                    self._by_part.setdefault(".".join(parts[start:end]), set()).add(importer)

    def of(self, module: str) -> frozenset[str]:
        """The importers with a name that touches the module."""
        parts = module.split(".")
        found = set(self._by_part.get(module, ()))
        for cut in range(1, len(parts)):
            found |= self._by_name.get(".".join(parts[:cut]), set())
            found |= self._by_name.get(".".join(parts[cut:]), set())
        return frozenset(found)


def absolute_imports(imports: Iterable[str], module: str) -> set[str]:
    """The absolute dotted names that a file imports, and some more.

    Relative ones count from the package; since the name alone does not tell a package from a plain
    module, both readings are given.
    """
    found = set()
    for name in imports:
        rest = name.lstrip(".")
        level = len(name) - len(rest)
        if not level:
            found.add(name)
            continue
        parts = module.split(".")
        for n_kept in (len(parts) - level, len(parts) - level + 1):
            found.add(".".join([*parts[: max(n_kept, 0)], rest]).strip("."))
    return found - {""}
