"""New names of a module that another file of the project might notice."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from zephyrun.languages.python import UnreadableSource, read_facts
from zephyrun.languages.python.embedding import code_in, is_stub
from zephyrun.linking.modules import find_import_roots, is_python, module_name
from zephyrun.linking.texts import first_lines, is_searched, words_in
from zephyrun.proof.remains import absolute_imports, touches
from zephyrun.proof.star_imports import bearers_of_names, find_carriers, imports_everything
from zephyrun.proof.surroundings import Content


def find_clashes(
    path: str, names: Collection[str], files: Mapping[str, Content]
) -> dict[str, str]:
    """For each of the names that a module is to bear from now on: why another file might notice.

    A file of Python notices that imports the module and takes the name from it, asks for it or sets
    it, or that imports everything from it and has such a name itself; so does a stub of the module.
    Any other file might notice that holds both the name and the module's own as words.
    """
    if not names:
        return {}
    found: dict[str, str] = {}
    import_roots = find_import_roots([name for name in files if is_python(name)])
    module = module_name(path, import_roots)
    code = {
        path: data for path, data in files.items() if is_python(path) and isinstance(data, bytes)
    }
    labels = {path: module_name(path, import_roots) for path in code}
    # Whoever imports everything from the module has the name from then on, too.
    bearers = bearers_of_names(module, find_carriers(code, labels))
    encoded = frozenset(name.encode() for name in names)
    for other, data in files.items():
        if other == path or not isinstance(data, bytes):
            continue
        if not is_python(other) and not is_searched(other, data):
            continue
        for word in sorted(encoded & words_in(data)):
            name = word.decode()
            if name not in found and _may_notice(
                name, module, bearers, other, data, module_name(other, import_roots)
            ):
                line = first_lines(data)[word]
                found[name] = (
                    f"`{name}` stands in {other} (line {line}) too, which may look for it in {path}"
                )
    return found


def _may_notice(
    name: str, module: str, bearers: Collection[str], other: str, data: bytes, own_module: str
) -> bool:
    """Whether a file in which a name stands could mean that of the module, which all `bearers` have."""
    code = data if is_python(other) else code_in(other, data)
    if code is None:
        return module.rpartition(".")[2].encode() in words_in(data)
    if is_stub(other) and own_module == module:
        return True
    try:
        facts = read_facts(code)
    except UnreadableSource:
        return True
    imported = absolute_imports(facts.imports, own_module)
    if not any(touches(each, bearer) for each in imported for bearer in bearers):
        return False
    return (
        any(f"{bearer}.{name}" in imported for bearer in bearers)
        or name in facts.attributes
        or any(name in text.words for text in facts.texts if text.use != "documentation")
        or imports_everything(code)
    )
