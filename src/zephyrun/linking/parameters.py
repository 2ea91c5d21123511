"""The use of a parameter: inside its function, and as a keyword wherever that may be called."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.facts import ScopeKind
from zephyrun.link_facts import (
    FunctionRecord,
    KeywordUse,
    Origin,
    OriginSort,
    ParameterRecord,
    ParameterSort,
)
from zephyrun.linking.escapes import check_handed
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.mentions import note_mentions
from zephyrun.linking.references import (
    binding_places,
    is_in_tests,
    is_own_decorator,
)
from zephyrun.linking.targets import functions_called
from zephyrun.linking.usage import OpenPlace, Place, PlaceSort, Usage
from zephyrun.linking.values import UNKNOWN_VALUE, Evaluator, FunctionKey, Value, ValueSort

_ONLY_BY_POSITION = frozenset({ParameterSort.POSITIONAL, ParameterSort.REST})
_READS_SIGNATURES = re.compile(
    rb"\b(?:signature|getfullargspec|getargspec|get_type_hints|__annotations__|__code__|co_varnames)\b"
)
# What calls functions that it is given by position only. Source: library reference.
_CALLING_BY_POSITION = frozenset(
    """builtins.map builtins.filter builtins.sorted builtins.min builtins.max builtins.iter
    functools.reduce functools.cmp_to_key itertools.starmap itertools.takewhile itertools.dropwhile
    itertools.groupby itertools.filterfalse itertools.accumulate re.sub atexit.register signal.signal
    builtins.callable builtins.isinstance builtins.id builtins.print builtins.repr builtins.str
    builtins.list builtins.tuple builtins.set builtins.dict builtins.property builtins.staticmethod
    builtins.classmethod builtins.hash builtins.bool collections.defaultdict weakref.ref weakref.proxy
    asyncio.run asyncio.create_task asyncio.gather asyncio.wait_for asyncio.ensure_future""".split()
)
_MAKES = ("__init__", "__new__", "__call__", "__init_subclass__", "__class_getitem__", "__post_init__")


class ParameterUsage:
    """Gathers the use of a parameter, in its function and in all that override it."""

    def __init__(self, evaluator: Evaluator, usage: Usage, *, is_library: bool) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self._is_library = is_library
        self.name = usage.target.name
        self.functions: list[FunctionKey] = []

    def note(self) -> None:
        """Fill the usage."""
        target = self._usage.target
        file = self._file(target.path)
        record = file.links.functions[target.owner]
        self._usage.label = f"the parameter `{self.name}` of {record.name or 'a lambda'}"
        self.functions = self._related((target.path, target.owner))
        may_be_keyword = False
        for key in self.functions:
            for there, parameter in self._parameters_of(key):
                self._usage.add(binding_places(there, parameter.binding))
                may_be_keyword |= parameter.sort not in _ONLY_BY_POSITION and (
                    parameter.sort is not ParameterSort.REST_KEYWORDS
                )
        if may_be_keyword:
            self._note_keywords()
            self._note_rests()
            self._check_callers()
            for key in self.functions:
                self._check_function(key)
        files = {place.path for place in self._usage.places}
        note_mentions(self._linkage, self._usage, self.name, files.__contains__)

    def _file(self, path: str) -> LinkedFile:
        return self._evaluator.file(path)

    def _parameters_of(self, key: FunctionKey) -> Iterator[tuple[LinkedFile, ParameterRecord]]:
        file = self._file(key[0])
        for parameter in file.links.functions[key[1]].parameters:
            if parameter.name == self.name:
                yield file, parameter

    def _related(self, key: FunctionKey) -> list[FunctionKey]:
        """The function, and for a method those that it overrides or that override it: whoever calls one
        of them may be calling another."""
        file = self._file(key[0])
        record = file.links.functions[key[1]]
        if record.owner < 0 or record.name in _MAKES:
            return [key]
        found: list[FunctionKey] = []
        classes = [(key[0], record.owner)]
        for each in classes:
            for relative in self._evaluator.relatives(each):
                binding = self._evaluator.binding_in(relative, record.name)
                if binding is not None and relative not in classes:
                    classes.append(relative)
        for each in classes:
            there = self._file(each[0])
            binding = self._evaluator.binding_in(each, record.name)
            for origin in there.links.sources.get(binding, ()) if binding is not None else ():
                if origin.sort is not OriginSort.DEFINED_FUNCTION:
                    continue
                related = (each[0], origin.binding)
                if there.is_own:
                    found.append(related)
                elif any(True for _ in self._parameters_of(related)):
                    self._usage.obstruct(
                        f"`{self.name}` is a parameter of {there.module}.{record.name}, which is outside "
                        "the project",
                        key[0],
                        record.name_start,
                    )
        if key not in found:
            found.insert(0, key)
        for name in self._evaluator.foreign_above((key[0], record.owner)):
            if not name.startswith(("builtins.", "abc.", "typing.", "enum.")) and (
                not record.name.startswith("_") or record.name.startswith("__")
            ):
                self._usage.doubt(
                    f"the base {name} in {key[0]}, which was not read, does not call {record.name} with "
                    f"`{self.name}` as a keyword",
                    key[0],
                    record.name_start,
                )
        return found

    # -- keywords ----------------------------------------------------------------------------

    def _note_keywords(self) -> None:
        for file in self._linkage.mentioning(self.name):
            for use in file.links.keywords:
                if use.name == self.name and not use.in_pattern:
                    self._note_keyword(file, use)

    def _note_keyword(self, file: LinkedFile, use: KeywordUse) -> None:
        values = self._evaluator.values(file, use.callee)
        place = Place(file.path, use.start, use.end, PlaceSort.KEYWORD)
        ours = {value for value in values if self._is_call_of(value)}
        if self._is_partial(file, use):
            return
        if ours and ours == values:
            self._usage.places.add(place)
        elif ours:
            others = values - ours
            if UNKNOWN_VALUE in others:
                self._open(place, use)
            else:
                self._usage.obstruct(
                    f"the keyword `{self.name}` in {file.path} may go to another function, too",
                    file.path,
                    use.start,
                )
        elif UNKNOWN_VALUE in values and self._may_be_called(use.callee):
            self._open(place, use)

    def _open(self, place: Place, use: KeywordUse) -> None:
        called = f"`{use.callee.name}`" if use.callee.name else "what is called"
        self._usage.open_places.append(
            OpenPlace(place, f"the keyword `{self.name}`: what {called} stands for is not known")
        )

    def _is_call_of(self, value: Value) -> bool:
        return any(key in self.functions for key in functions_called(self._evaluator, value))

    def _is_partial(self, file: LinkedFile, use: KeywordUse) -> bool:
        """Whether a keyword is kept for a later call (`partial(weigh, hive=h)`); noted where it is."""
        callees = {value.name for value in self._evaluator.values(file, use.callee)}
        if not callees & {"functools.partial", "functools.partialmethod"}:
            return False
        for handed in file.links.handed:
            if handed.position == 0 and handed.callee == use.callee and handed.start < use.start:
                if any(map(self._is_call_of, self._evaluator.values(file, handed.value))):
                    self._usage.places.add(Place(file.path, use.start, use.end, PlaceSort.KEYWORD))
                    return True
        return False

    def _may_be_called(self, callee: Origin) -> bool:
        """Whether an unknown callee may be one of the functions: it is called by their name, or one of
        them goes about as a value."""
        names = self._called_names()
        return callee.name in names or (
            self._goes_about() and callee.sort is not OriginSort.ATTRIBUTE
        )

    def _called_names(self) -> set[str]:
        names = set()
        for key in self.functions:
            record = self._evaluator.function_record(key)
            names.add(record.name)
            if record.name in _MAKES and record.owner >= 0:
                own = (key[0], record.owner)
                for each in [own, *self._evaluator.below(own)]:
                    names.add(self._evaluator.class_record(each).name)
                names |= {"cls", "__class__", "__init__", "__new__"}
        return names - {""}

    def _goes_about(self) -> bool:
        return any(
            not self._is_called_only(key) for key in self.functions
        )

    def _is_called_only(self, key: FunctionKey) -> bool:
        file = self._file(key[0])
        record = file.links.functions[key[1]]
        if record.binding < 0:
            return False
        for index in file.facts.bindings[record.binding].references:
            reference = file.facts.references[index]
            if reference.start == record.name_start or reference.end in file.links.called:
                continue
            return False
        return True

    def _note_rests(self) -> None:
        """Calls with `**`: what keys it holds may not be known."""
        names = self._called_names()
        paths = {path for name in names for path in self._linkage.paths_mentioning(name)}
        for path in sorted(paths):
            file = self._linkage.file(path)
            for rest in file.links.rests if file is not None else ():
                assert file is not None
                values = self._evaluator.values(file, rest.callee)
                is_ours = any(map(self._is_call_of, values))
                is_open = UNKNOWN_VALUE in values and rest.callee.name in names
                if not is_ours and not is_open:
                    continue
                if rest.keys is None:
                    self._usage.doubt(
                        f"what `**` hands on in {path} holds no `{self.name}`", path, rest.start
                    )
                elif self.name in rest.keys:
                    self._usage.obstruct(
                        f"`{self.name}` is handed on through a dictionary in {path}", path, rest.start
                    )

    # -- what speaks against -----------------------------------------------------------------

    def _check_callers(self) -> None:
        for key in self.functions:
            file = self._file(key[0])
            record = file.links.functions[key[1]]
            if record.binding < 0:
                continue
            self._check_handed_on(file, record)
            if self._is_library and self._is_public(file, record):
                self._usage.doubt(
                    f"no code outside this project calls {record.name} with `{self.name}` as a keyword",
                    file.path,
                    record.name_start,
                )

    def _check_handed_on(self, file: LinkedFile, record: FunctionRecord) -> None:
        """A function that is handed to code that was not read may be called with keywords there."""
        if record.name.startswith("__") and record.name not in _MAKES:
            return
        word = record.name
        for other in self._linkage.mentioning(word):
            for handed in other.links.handed:
                if not other.source.text[handed.start : handed.end].endswith(word):
                    continue
                values = self._evaluator.values(other, handed.value)
                if any(
                    value.sort is ValueSort.FUNCTION and (value.path, value.number) in self.functions
                    for value in values
                ):
                    place = Place(other.path, handed.start, handed.end, PlaceSort.READ)
                    check_handed(
                        self._evaluator,
                        self._usage,
                        other,
                        handed.callee,
                        place,
                        f"the parameter `{self.name}` of what it is given",
                        _CALLING_BY_POSITION,
                    )

    def _is_public(self, file: LinkedFile, record: FunctionRecord) -> bool:
        names = [*file.module.split("."), file.facts.dotted(record.scope), record.name]
        if record.owner < 0 and file.facts.scopes[record.scope].kind is not ScopeKind.MODULE:
            return False
        parts = [part for name in names for part in name.split(".") if part]
        return not is_in_tests(file.path) and not any(
            part.startswith("_") and part not in _MAKES for part in parts
        )

    def _check_function(self, key: FunctionKey) -> None:
        file = self._file(key[0])
        record = file.links.functions[key[1]]
        for decorator in record.decorators:
            if not self._evaluator.is_harmless(file, decorator) and not is_own_decorator(
                self._evaluator, file, decorator
            ):
                self._usage.doubt(
                    f"the decorator of {record.name} in {file.path} does not look at `{self.name}`",
                    file.path,
                    record.name_start,
                )
        if is_in_tests(file.path) and record.name.startswith("test"):
            self._usage.doubt(
                f"`{self.name}` of {record.name} does not name a fixture", file.path, record.name_start
            )
        for exposure in file.facts.exposures:
            if self._sees(file, exposure.scope, key) or exposure.whole_file:
                self._usage.doubt(
                    f"nothing looks up `{self.name}` of {record.name} by name through {exposure.what}",
                    file.path,
                    exposure.start,
                )
        for path in self._linkage.paths_mentioning(record.name) if record.name else ():
            data = self._linkage.contents[path]
            if isinstance(data, bytes) and _READS_SIGNATURES.search(data):
                self._usage.doubt(
                    f"what reads signatures in {path} does not look at those of {record.name}", path
                )

    def _sees(self, file: LinkedFile, scope: int, key: FunctionKey) -> bool:
        parameters = [each for _, each in self._parameters_of(key)]
        return any(
            file.facts.bindings[each.binding].scope in file.facts.ancestors(scope)
            for each in parameters
        )
