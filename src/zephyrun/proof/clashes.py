"""New names of a module that another file of the project might notice."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Set
from functools import cached_property

from zephyrun.facts import Text
from zephyrun.languages.python import UnreadableSource, read_facts
from zephyrun.languages.python.embedding import code_in, is_stub
from zephyrun.link_facts import Said
from zephyrun.linking.glances import glance
from zephyrun.linking.import_roots import find_import_roots
from zephyrun.linking.linkage import looks_up
from zephyrun.linking.modules import imports_everything, is_python, module_name
from zephyrun.linking.texts import finds_by_text, first_lines, is_part_of_name, is_searched, words_in
from zephyrun.proof.imports import Importers, absolute_imports, loads_modules, touches
from zephyrun.proof.star_imports import bearers_of_names, find_carriers
from zephyrun.proof.surroundings import Content

_TAKING_APART = frozenset(
    "split rsplit partition rpartition strip lstrip rstrip startswith endswith count find rfind".split()
)


@glance
def _said_in(code: bytes) -> Said | None:
    """What code says, with its imports as they are written; `None` where it cannot be read."""
    try:
        facts = read_facts(code)
    except UnreadableSource:
        return None
    texts = [text for text in facts.texts if text.use != "documentation"]
    return Said(
        frozenset(facts.imports),
        frozenset(facts.attributes),
        tuple(text.words for text in texts),
        tuple(text.words for text in texts if not _only_takes_apart(text)),
        loads_modules(code),
        imports_everything(code),
    )


def _said_by(code: bytes, module: str) -> Said | None:
    """What the code of a module says."""
    said = _said_in(code)
    return said._replace(imports=frozenset(absolute_imports(said.imports, module))) if said is not None else None


def _imports_of(said: Said, modules: Collection[str]) -> list[str]:
    """What is imported that touches one of some modules."""
    return [each for each in said.imports if any(touches(each, module) for module in modules)]


class NameSeekers:
    """The files of one version of a project, as far as they might notice a new name of a module.

    A file of Python notices that imports the module, or may load it by name, and takes the name from
    it, asks for it or sets it, or looks up names that it works out and holds a text that is part of this one; so does
    a file that imports everything from it and has such a name itself, and a stub of the module. Any other file might
    notice that holds both the name and the module's own as words.
    """

    def __init__(self, files: Mapping[str, Content]) -> None:
        self._texts = {
            path: data
            for path, data in files.items()
            if isinstance(data, bytes) and (is_python(path) or is_searched(path, data))
        }

    @cached_property
    def _modules(self) -> dict[str, str]:
        """The dotted name of each file; those that are no modules are called as if they were."""
        import_roots = find_import_roots(self._texts)
        return {path: module_name(path, import_roots) for path in self._texts}

    @cached_property
    def _carriers(self) -> Importers:
        code = {path: data for path, data in self._texts.items() if is_python(path)}
        return find_carriers(code, self._modules)

    @cached_property
    def _looking_up(self) -> frozenset[str]:
        """The paths of files that look names up, at a glance."""
        return frozenset(path for path, data in self._texts.items() if looks_up(data) or finds_by_text(data))

    def reasons_against(self, path: str, names: Collection[str]) -> dict[str, str]:
        """For each of the names that a module is to bear from now on: why another file might notice."""
        if not names:
            return {}
        found: dict[str, str] = {}
        # Whoever imports everything from the module has the name from then on, too.
        bearers = bearers_of_names(self._modules[path], self._carriers)
        encoded = frozenset(name.encode() for name in names)
        for other, data in self._texts.items():
            if other == path:
                continue
            for word in sorted(encoded & words_in(data)):
                name = word.decode()
                if name not in found and self._may_notice(other, name, path, bearers):
                    line = first_lines(data)[word]
                    found[name] = (
                        f"`{name}` stands in {other} (line {line}) too, which may look for it in {path}"
                    )
            if other in self._looking_up:
                words = words_in(data)
                begun = [name for name in names if name not in found and _holds_part(words, name)]
                for name in self._worked_out(other, begun, bearers) if begun else ():
                    found[name] = f"{other} looks up names that it works out, which may lead to `{name}` in {path}"
        return found

    def _worked_out(self, other: str, names: Collection[str], bearers: Collection[str]) -> list[str]:
        """Those of some new names that code which looks names up may make of a text, if it has the module."""
        if (code := self._code_of(other)) is None:
            return []
        if (said := _said_by(code, self._modules[other])) is None:
            return list(names)
        if not _imports_of(said, bearers) and not said.loads_modules:
            return []
        return [name for name in names if any(is_part_of_name(words, name) for words in said.texts_put_together)]

    def _code_of(self, path: str) -> bytes | None:
        data = self._texts[path]
        return data if is_python(path) else code_in(path, data)

    def _may_notice(self, other: str, name: str, path: str, bearers: Collection[str]) -> bool:
        """Whether a file in which a name stands could mean that of the module at `path`, which all
        `bearers` have."""
        module = self._modules[path]
        if (code := self._code_of(other)) is None:
            return module.rpartition(".")[2].encode() in words_in(self._texts[other])
        if is_stub(other) and touches(self._modules[other], module):
            return True
        if (said := _said_by(code, self._modules[other])) is None:
            return True
        imported = _imports_of(said, bearers)
        if not imported and not said.loads_modules:
            return False
        return (
            any(each.endswith(f".{name}") for each in imported)
            or name in said.attributes
            or any(name in words for words in said.texts)
            or said.imports_everything
        )


def _only_takes_apart(text: Text) -> bool:
    """Whether an underline is only what words are taken apart at: `word.partition("_")`."""
    is_handed = text.use == "argument" and not text.interpolated and text.beside in _TAKING_APART
    return is_handed and not text.words.strip("_")


def _holds_part(words: Set[bytes], name: str) -> bool:
    """Whether some words are the beginning or the end of a name, at a glance."""
    encoded = name.encode()
    return any(encoded[:cut] in words or encoded[cut:] in words for cut in range(1, len(encoded)))
