"""Import roots: the folders in which dotted names are looked up (`""` for the project's root, `src`, the own folder of a
script), and the folders that are packages without a mark, since imports say so."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from zephyrun.linking.import_statements import names_imported
from zephyrun.linking.modules import PACKAGE_MARK, folder_of, is_python


def find_import_roots(contents: Mapping[str, object], given: Collection[str] = ()) -> frozenset[str]:
    """The import roots of a project, of which the Python files are among `contents`, by their paths, relative with `/`.

    A package's topmost folder stands in an import root; a script's own folder is one, unless something imports what lies
    there through the folders around it (`import apiary.scales.weigh`, `from .scales import weigh`): then these are
    packages, too. Below roots that are given there are no others.
    """
    paths = [path for path in contents if is_python(path)]
    given_roots = {"" if each.strip("/") in ("", ".") else each.strip("/") for each in given}
    near = [path for path in paths if not any(not root or path.startswith(root + "/") for root in given_roots)]
    packages = {folder_of(path) for path in paths if path.endswith(PACKAGE_MARK)}
    if near:
        packages |= _folders_imported({path: contents[path] for path in paths}, packages)
    roots = set(given_roots)
    for path in near:
        folder = folder_of(path)
        while folder in packages and folder:
            folder = folder_of(folder)
        roots.add(folder)
    return frozenset(roots)


def _folders_imported(contents: Mapping[str, object], packages: Collection[str]) -> set[str]:
    """The folders without a mark that some import names as packages."""
    folders = {folder for path in contents for folder in _folders_around(path)}
    plain = folders.difference(packages)
    by_name: dict[str, list[str]] = {}
    for folder in sorted(folders):
        if "/" not in folder or folder_of(folder) not in packages:
            by_name.setdefault(folder.rpartition("/")[2], []).append(folder)
    found: set[str] = set()
    for path, data in contents.items() if plain else ():
        for dotted in names_imported(data) if isinstance(data, bytes) else ():
            level = len(dotted) - len(dotted.lstrip("."))
            if level:
                around = [*_folders_around(path)][:level]
                found.update(around)
                rest = dotted.lstrip(".").split(".")
                found.update(_folders_on_the_way(around[-1], rest, folders, contents) if len(around) == level else ())
                continue
            first, *rest = dotted.split(".")
            for folder in by_name.get(first, ()):
                found.update(_folders_on_the_way(folder, rest, folders, contents))
    return found & plain


def _folders_on_the_way(folder: str, rest: list[str], folders: Collection[str], paths: Collection[str]) -> list[str]:
    """The folders through which some names lead to something that lies there; none where they lead nowhere."""
    found = [folder]
    for name in rest:
        inner = f"{found[-1]}/{name}"
        if inner not in folders:
            return found if len(found) > 1 or f"{inner}.py" in paths else []
        found.append(inner)
    return found if rest else []


def _folders_around(path: str) -> Iterator[str]:
    """The folders that a file lies in, the innermost first, without that in which all lie."""
    folder = folder_of(path)
    while folder:
        yield folder
        folder = folder_of(folder)
