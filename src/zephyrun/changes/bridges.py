"""Adding bridges to a change: old public names go on working for code outside, and warn."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from zephyrun.changes.project_renames import Change
from zephyrun.facts import ScopeKind
from zephyrun.link_facts import OriginSort
from zephyrun.linking.bridges import (
    KEYWORD_FUNCTION,
    MODULE_FUNCTION,
    BridgeSort,
    bridges_in,
    has_keyword_function,
    indented,
    is_bridge_function,
    names_bridged,
    render,
    render_file,
    render_module_function,
)
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.modules import is_private_module, is_test
from zephyrun.linking.references import is_public, is_public_function
from zephyrun.linking.usage import PlaceSort, Target, TargetSort, Usage
from zephyrun.linking.value_sorts import ClassKey
from zephyrun.linking.values import PROPERTIES, Evaluator
from zephyrun.proof.bridges import bridges_difference
from zephyrun.proof.remains import Surroundings
from zephyrun.source import Edit, EditSet, SourceText

_OF_CLASS = frozenset({"builtins.classmethod", "builtins.staticmethod"})


# The path, and what goes on working there: its sort, the old name and the new one.
KeptName = tuple[str, BridgeSort, str, str]


@dataclass
class Bridging:
    """Files with bridges added, by path; files that are nothing but a bridge; what they keep; what is taken
    for granted of code outside; and why some name cannot be kept."""

    contents: dict[str, bytes] = field(default_factory=dict)
    added: dict[str, bytes] = field(default_factory=dict)
    kept: list[KeptName] = field(default_factory=list)
    assumed: list[str] = field(default_factory=list)
    reasons: list[str] = field(default_factory=list)


def add_bridges(
    after: Evaluator, change: Change, surroundings: Mapping[str, Surroundings]
) -> Bridging:
    """Keep the old public names of a change that is carried out, and prove that nothing else is added.
    `after` knows the new version, and `surroundings` are by the paths of the old one."""
    return _Builder(after, change, surroundings).build()


class _Builder:
    """Gathers the insertions of one change."""

    def __init__(
        self, after: Evaluator, change: Change, surroundings: Mapping[str, Surroundings]
    ) -> None:
        self._after = after
        self._change = change
        self._surroundings = surroundings
        self._edits: dict[str, list[Edit]] = {}
        self._branches: dict[str, str] = {}
        self._helped: dict[str, int] = {}
        self._found = Bridging()

    def build(self) -> Bridging:
        """The files with their bridges."""
        for renaming, usage in zip(self._change.renamings, self._change.usages, strict=True):
            old, new = renaming.target.written, renaming.new
            if renaming.target.sort is TargetSort.GLOBAL:
                self._bridge_modules(usage, old, new)
            elif renaming.target.sort is TargetSort.MEMBER:
                self._bridge_classes(usage, old, new)
            elif renaming.target.sort is TargetSort.PARAMETER:
                self._bridge_functions(usage, renaming.target, new)
            elif renaming.target.sort is TargetSort.MODULE:
                self._bridge_file(usage, renaming.target, new)
            else:
                self._found.reasons.append(f"there is no bridge for {usage.label}: nobody outside can use it")
        for path, branches in self._branches.items():
            file = self._file(path)
            unit = _unit(file)
            end = len(file.source.text)
            start = "" if file.source.text.endswith("\n") or not end else "\n"
            self._insert(path, end, f"{start}\n\n{render_module_function(branches, unit)}")
        for path, position in self._helped.items():
            unit = _unit(self._file(path))
            helper = f"{indented(KEYWORD_FUNCTION, '', unit)}\n\n"
            self._insert(path, position, helper, in_front=True)
        if not self._found.kept and not self._found.reasons:
            labels = ", ".join(usage.label for usage in self._change.usages)
            self._found.reasons.append(f"no code outside can use {labels}: leave --bridge out")
        for path, edits in self._edits.items():
            self._found.contents[path] = EditSet(edits).apply(self._file(path).source)
            self._prove(path)
        return self._found

    def _prove(self, path: str) -> None:
        kept = [(sort, old, new) for there, sort, old, new in self._found.kept if there == path]
        bridged = SourceText.from_bytes(self._found.contents[path]).text
        difference = bridges_difference(self._file(path).source.text, bridged, kept)
        if difference is not None:
            self._found.reasons.append(f"not proved: {path}: {difference}")

    def _file(self, path: str) -> LinkedFile:
        return self._after.file(path)

    def _now(self, path: str) -> str:
        """The new path of a file."""
        return self._change.moved.get(path, path)

    def _insert(self, path: str, position: int, code: str, *, in_front: bool = False) -> None:
        newline = "\r\n" if "\r\n" in self._file(path).source.text else "\n"
        edits = self._edits.setdefault(path, [])
        code = code.replace("\n", newline)
        for number, each in enumerate(edits):
            if each.start == position:
                text = code + each.text if in_front else each.text + code
                edits[number] = Edit(position, position, text)
                return
        edits.append(Edit(position, position, code))

    def _keep(self, path: str, sort: BridgeSort, old: str, new: str) -> None:
        self._found.kept.append((path, sort, old, new))

    # -- files -------------------------------------------------------------------------------

    def _bridge_file(self, usage: Usage, target: Target, new: str) -> None:
        """A file under the old name leads to the new one."""
        package = target.name.rpartition(".")[0]
        if is_test(target.path) or is_private_module(target.name):
            return
        file = self._file(self._now(target.path))
        if file.is_package:
            why = "what is in a package would be loaded twice"
        elif "__main__" in file.source.text:
            why = "it can be run as a program, and a file that leads to it cannot"
        elif target.path in self._change.contents:
            why = f"there is another {target.path} now"
        else:
            now = f"{package}.{new}" if package else new
            newline = "\r\n" if "\r\n" in file.source.text else "\n"
            text = render_file(target.name, now)
            assert names_bridged(text) == (target.name, now), "it was rendered so"
            self._found.added[target.path] = text.replace("\n", newline).encode()
            self._keep(target.path, BridgeSort.FILE, target.name, now)
            return
        self._found.reasons.append(f"there is no bridge for {usage.label}: {why}")

    # -- modules -----------------------------------------------------------------------------

    def _bridge_modules(self, usage: Usage, old: str, new: str) -> None:
        for path, _ in usage.homes:
            file = self._file(self._now(path))
            is_offered = not is_test(file.path) and not is_private_module(file.module)
            if not is_offered or old.startswith("_") or new not in file.module_bindings:
                continue
            if not self._passes_on(usage, path, file):
                self._found.assumed.append(f"no code outside takes `{old}` from modules that only use it")
                continue
            unit = _unit(file)
            branch = render(BridgeSort.MODULE, old, new, unit, unit)
            if MODULE_FUNCTION not in file.module_bindings:
                self._branches[file.path] = self._branches.get(file.path, "") + branch
            elif is_bridge_function(file):
                last = max(each.end for each in bridges_in(file) if each.sort is BridgeSort.MODULE)
                self._insert(file.path, last, branch)
            else:
                self._found.reasons.append(
                    f"{file.path} answers for names by a `{MODULE_FUNCTION}` of its own: keep `{old}` there"
                )
                continue
            self._keep(file.path, BridgeSort.MODULE, old, new)

    def _passes_on(self, usage: Usage, path: str, file: LinkedFile) -> bool:
        """Whether a module offers a name to others: it defines it, is a package, or exports it."""
        sorts = {place.sort for place in usage.by_path().get(path, ())}
        return file.is_package or PlaceSort.IMPORT not in sorts or PlaceSort.TEXT in sorts

    # -- classes -----------------------------------------------------------------------------

    def _bridge_classes(self, usage: Usage, old: str, new: str) -> None:
        homes = [(self._now(path), number) for path, number in usage.homes]
        for key in homes:
            above = set(self._after.above(key)[1:])
            file, record = self._file(key[0]), self._after.class_record(key)
            if above & set(homes) or old.startswith("_") or not is_public(self._after, file, record.name):
                continue
            sort = self._sort_of_member(key, new)
            place = self._end_of_class(file, record.scope)
            if sort is None or place is None:
                self._found.reasons.append(
                    f"there is no bridge for `{old}` of {record.name} in {file.path}: "
                    "a field, a constant or a class on one line would have to be kept by hand"
                )
                continue
            position, indent, start = place
            code = render(sort, old, new, indent, _unit(file))
            self._insert(file.path, position, f"{start}\n{code}")
            self._keep(file.path, sort, old, new)

    def _sort_of_member(self, key: ClassKey, name: str) -> BridgeSort | None:
        """What keeps an old name of a member; `None` where nothing does."""
        file = self._file(key[0])
        is_enumeration = any(base.startswith("enum.") for base in self._after.foreign_above(key))
        if is_enumeration or self._after.is_record(key) or self._after.is_protocol(key):
            return None
        binding = self._after.binding_in(key, name)
        if binding is None:
            return BridgeSort.ATTRIBUTE
        sorts = set()
        for origin in file.links.sources.get(binding, ()):
            if origin.sort is not OriginSort.DEFINED_FUNCTION:
                return None
            function = file.links.functions[origin.binding]
            names = {self._after.decorator_name(file, each) for each in function.decorators}
            is_setter = any(each.name in ("setter", "deleter") for each in function.decorators)
            sorts.add(
                BridgeSort.ATTRIBUTE if is_setter
                else BridgeSort.READ_ONLY if names & PROPERTIES
                else BridgeSort.CLASS_METHOD if names & _OF_CLASS
                else BridgeSort.METHOD
            )
        if BridgeSort.ATTRIBUTE in sorts:
            return BridgeSort.ATTRIBUTE
        return sorts.pop() if len(sorts) == 1 else None

    def _end_of_class(self, file: LinkedFile, scope: int) -> tuple[int, str, str] | None:
        """Where the body of a class ends, how far it stands in, and what has to end its last line."""
        text = file.source.text
        for definition in file.facts.definitions:
            if definition.inner_scope != scope:
                continue
            inside = [each for each in file.facts.statements if each.scope == scope]
            first = min((each.start for each in inside), default=definition.name_start)
            line_start = file.source.line_starts[file.source.line_of(first) - 1]
            indent = text[line_start:first]
            if indent.strip() or file.source.line_of(first) == file.source.line_of(definition.name_start):
                return None
            end = text.find("\n", definition.end)
            return (end + 1, indent, "") if end >= 0 else (len(text), indent, "\n")
        return None

    # -- parameters --------------------------------------------------------------------------

    def _bridge_functions(self, usage: Usage, target: Target, new: str) -> None:
        for path, number in usage.homes:
            file = self._file(self._now(path))
            record = file.links.functions[number]
            is_inner = record.binding < 0 or self._is_inside_function(file, record.binding)
            if is_inner or not is_public_function(self._after, file, record):
                continue
            start = file.source.line_starts[file.source.line_of(record.name_start) - 1]
            head = file.source.text[start : record.name_start]
            around = self._surroundings.get(path, Surroundings())
            if head.strip() != "def" or around.frame_readers:
                self._found.reasons.append(
                    f"there is no bridge for `{target.name}` of {record.name} in {file.path}: it would stand "
                    "between the function and whoever calls it"
                )
                continue
            indent = head[: len(head) - len(head.lstrip())]
            self._insert(file.path, start, render(BridgeSort.KEYWORD, target.name, new, indent, _unit(file)))
            if not has_keyword_function(file):
                top = _top_of(file, record.name_start)
                self._helped[file.path] = min(top, self._helped.get(file.path, top))
            self._keep(file.path, BridgeSort.KEYWORD, target.name, new)

    def _is_inside_function(self, file: LinkedFile, binding: int) -> bool:
        scope = file.facts.bindings[binding].scope
        return any(
            file.facts.scopes[each].kind is ScopeKind.FUNCTION
            for each in (scope, *file.facts.ancestors(scope))
        )


def _unit(file: LinkedFile) -> str:
    """By how much a file's blocks stand further in than what they belong to."""
    return next(_indents(file), "    ")


def _indents(file: LinkedFile) -> Iterator[str]:
    for statement in file.facts.statements:
        if statement.depth == 1:
            start = file.source.line_starts[file.source.line_of(statement.start) - 1]
            indent = file.source.text[start : statement.start]
            if indent and not indent.strip():
                yield indent


def _top_of(file: LinkedFile, position: int) -> int:
    """Where the statement at the top of a module begins that holds a position, with the comments that
    stand directly above it."""
    top = max(
        each.start for each in file.facts.definitions if each.scope == 0 and each.start <= position
    )
    line = file.source.line_of(top)
    while line > 1 and file.source.line(line - 1).startswith("#"):
        line -= 1
    return file.source.line_starts[line - 1]
