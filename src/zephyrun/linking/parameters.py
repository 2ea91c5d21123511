"""The use of a parameter: inside its function, and as a keyword wherever that may be called."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from functools import cached_property

from zephyrun.facts import Role, ScopeKind
from zephyrun.link_facts import (
    BY_KEYWORD,
    BY_POSITION,
    FunctionRecord,
    KeywordUse,
    Origin,
    OriginSort,
    ParameterRecord,
    ParameterSort,
    RestUse,
    Use,
)
from zephyrun.linking.asked_by_text import asked_by_text
from zephyrun.linking.bridges import KEYWORD_DECORATOR, BridgeSort, bridge_places
from zephyrun.linking.dictionaries import keys_written
from zephyrun.linking.escapes import check_handed
from zephyrun.linking.evaluated_code import doubt_keywords_in_code
from zephyrun.linking.fixtures import asks_for_fixtures, parameter_texts
from zephyrun.linking.going_about import MAKING_METHODS, is_kept
from zephyrun.linking.keys_held import KeysHeld, is_only_handed_on
from zephyrun.linking.library_bases import LibraryBases
from zephyrun.linking.library_calls import CALLING_BY_POSITION
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.mentions import Span, note_mentions
from zephyrun.linking.prepared_calls import RUNNING_LATER, check_prepared_calls
from zephyrun.linking.private_methods import TELLING_CALLS, methods_called
from zephyrun.linking.reader_calls import calls_of_readers
from zephyrun.linking.references import (
    binding_places,
    doubt_decorators,
    doubt_strangers,
    is_public_function,
)
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.signature_readers import calls_of_signature_readers, readers_going_on
from zephyrun.linking.signature_reads import names_read_by, names_read_off
from zephyrun.linking.targets import functions_called
from zephyrun.linking.texts import words_in
from zephyrun.linking.usage import PRIVATE_ATTRIBUTES, Doubt, OpenPlace, Place, PlaceSort, Target, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, FunctionKey, Value, ValueSort, Values, with_parts
from zephyrun.linking.values import Evaluator
from zephyrun.linking.whereabouts import GIVING_ATTRIBUTE, Whereabouts, whereabouts
from zephyrun.patterns import lazy_pattern

# What reads the names of parameters off a function that it is given, or that stands before the dot.
_MAKES_CLASS = "new_class"
# Says with which keywords a stand-in was called.
_CALLS_OF_STAND_INS = ("unittest.mock.call", "mock.call")
_ITS_CODE = "__code__"
# The code of what is running, and what only asks it something.
_CODE_OF_RUNNING = ("f_code", "gi_code", "cr_code", "ag_code")
_ASKS_CODE = lazy_pattern(r"\s*\.\s*co_\w+|\s+(?:is|in|not)\b|\s*[=!]=")
_SIGNATURE_ATTRIBUTES = ("__annotations__", _ITS_CODE, "__signature__", "__kwdefaults__")
# Without any of these, the code of a function tells nobody what its parameters are called.
_READS_OFF_CODE = ("co_varnames", "getargs", "dis", "marshal", "FunctionType")
_ONLY_BRIDGES = lazy_pattern(rf"(?:\s*@{KEYWORD_DECORATOR}\(.*\n)*\s*(?:async\s+)?def\s+")
# What tells of a stand-in how it was called. Source: library reference, `unittest.mock`.
_SAYS_HOW_CALLED = frozenset(
    """assert_called_with assert_called_once_with assert_any_call assert_awaited_with assert_awaited_once_with
    assert_any_await call""".split()
)
_KEEPS_CALLS = lazy_pattern(rb"(?:\.\s*|[\"'])(?:%b)\b" % "|".join(TELLING_CALLS).encode())
_OF_INSTANCES = frozenset({"__call__"})
# How arguments are given that stand in one collection.
_SPREAD = ("*", "**")
_METHODS_OF_BUILTINS = frozenset(
    name for kind in (str, bytes, bytearray, list, dict, set) for name in dir(kind) if not name.startswith("_")
)
_MAKES_NAMESPACES = lazy_pattern(
    rb"Namespace|\btype\s*\([^()\n]*,|\b__dict__\b|\bvars\s*\(|\*\*|namedtuple|make_dataclass|new_class|setattr"
)
# What makes attributes up when they are asked for.
_MAKING_UP = ("__getattr__", "__getattribute__")
_RUNNING_NOTHING = frozenset({"builtins.dict", "builtins.print", "builtins.str.format"})
# Libraries whose classes run nothing that their instances are made with.
_RUNNING_NO_FUNCTIONS = frozenset("abc enum typing collections _collections_abc io ast json".split())
_RUNNING = lazy_pattern(
    r"(?i)__init__|__new__|partial|thread|process|timer|submit|apply|register|callback|finalize|enter|call|"
    r"job|spawn|soon|run|exec|delay|schedule|enqueue|task|start|invoke|dispatch|defer|map|retry|handler|hook|"
    r"connect|bind"
)
_RUN_AS = frozenset({"target"})
_NEVER_RUN = frozenset({"**", "kwargs", "kwds", "keywords", "kw", "args", "name", "daemon"})

# Where a signature is read, and the names that are looked for in it, `None` for any.
_SignatureRead = tuple[int, frozenset[str] | None]


class ParameterUsage:
    """Gathers the use of a parameter, in its function and in all that override it."""

    def __init__(self, evaluator: Evaluator, usage: Usage) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self.name = usage.target.name
        self.functions: list[FunctionKey] = []
        self._known_as_given: dict[FunctionKey, bool] = {}
        self._known_as_attribute: dict[str, bool] = {}
        # Whether a call that is prepared keeps the name as a keyword.
        self._is_kept_for_later = False

    def note(self) -> None:
        """Fill the usage."""
        target = self._usage.target
        file = self._file(target.path)
        record = file.links.functions[target.owner]
        self._usage.label = f"the parameter `{self.name}` of {record.name or 'a lambda'}"
        if self.name.startswith("__"):
            self._usage.obstruct(
                f"Python may put the name of a class before `{self.name}`", target.path, record.name_start
            )

        self.functions = self._related((target.path, target.owner))
        self._usage.homes = list(self.functions)
        takes_keyword = False
        for key in self.functions:
            for there, parameter in self._parameters_of(key):
                self._usage.add(binding_places(there, parameter.binding))
                takes_keyword |= self._may_be_keyword(there.links.functions[key[1]], parameter)
            self._check_exposures(key)
            self._note_bridges(key)

        if takes_keyword:
            self._note_keywords()
            self._note_rests()
            self._check_keys()
            self._check_callers()
            doubt_keywords_in_code(self._evaluator, self._usage, self.name, self.functions)
        for key in self.functions:
            self._check_function(key)

        self._check_signature_readers()
        self._check_classes_made()
        self._check_other_code()
        if self._are_values:
            check_prepared_calls(self._evaluator, self._usage, self.name, is_kept=self._is_kept_for_later)
        files = {place.path for place in self._usage.places}
        note_mentions(
            self._evaluator,
            self._usage,
            self.name,
            files.__contains__,
            only_near=not takes_keyword,
            # What a file holds gets to a parameter through the keys of a dictionary.
            is_data_read=bool(self._usage.doubts or self._usage.open_places),
            within=self._spans(),
            called=self._called_names(self.functions),
            goes_about=takes_keyword and self._linkage.stands_in_examples(self.name) and self._goes_about,
            may_be_used_in=self._may_be_called_in,
        )

    def _may_be_called_in(self, data: bytes) -> bool:
        """Whether a module that cannot be read may call one of the functions: it has the name of one, or of something that
        has one."""
        names = self._called_names(self.functions) | self._names_above()
        held = [self._followed(key) for key in self.functions]
        names = names.union(*(each.names for each in held))
        return self._goes_about or not words_in(data).isdisjoint(name.encode() for name in names)

    def _spans(self) -> dict[str, list[Span]]:
        """Where the functions stand: elsewhere prose speaks of other parameters."""
        found: dict[str, list[Span]] = {}
        for path, number in self.functions:
            file = self._file(path)
            record = file.links.functions[number]
            found.setdefault(path, []).extend(
                (each.start, each.end)
                for each in file.facts.definitions
                if each.name_start == record.name_start
            )
        return found

    def _may_be_keyword(self, record: FunctionRecord, parameter: ParameterRecord) -> bool:
        """Whether a caller could give a parameter its value by its name. The receiver of a method comes
        with the method, unless somebody names it."""
        if record.owner >= 0 and parameter == record.parameters[0]:
            decorators = {decorator.name for decorator in record.decorators}
            return "staticmethod" in decorators or self._is_receiver_named
        return parameter.sort in BY_KEYWORD

    @cached_property
    def _is_receiver_named(self) -> bool:
        """Whether some call has a keyword of the name, or some dictionary a key, as seldom is for that of a receiver."""
        if self._linkage.paths_matching(self.name, rb"[\"']%b[\"']\s*:" % self.name.encode()):
            return True
        files = map(self._linkage.file, self._paths_with_keyword)
        return any(use.name == self.name for file in files if file is not None for use in file.links.keywords)

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
        if record.owner >= 0 and record.parameters and self.name == record.parameters[0].name:
            # The receiver comes with the method, whatever the others call it.
            return [key]
        if record.owner < 0 or record.name in MAKING_METHODS - _OF_INSTANCES:
            return self._defined_together(key)

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
        doubt_strangers(self._evaluator, self._usage, record.name, classes)

        own = (key[0], record.owner)
        for name in [*self._evaluator.foreign_above(own), *self._evaluator.unknown_above(own)]:
            if not name.startswith(("builtins.", "abc.", "typing.", "enum.")) and (
                not record.name.startswith("_") or _is_special(record.name)
            ):
                self._usage.doubt(
                    f"the base {name} in {key[0]}, which was not read, does not call {record.name} with "
                    f"`{self.name}` as a keyword",
                    key[0],
                    record.name_start,
                )
        return found

    def _defined_together(self, key: FunctionKey) -> list[FunctionKey]:
        """The functions that one name stands for: overloads, or one for each side of a condition."""
        file = self._file(key[0])
        binding = file.links.functions[key[1]].binding
        return [key] + [
            (key[0], origin.binding)
            for origin in file.links.sources.get(binding, ())
            if origin.sort is OriginSort.DEFINED_FUNCTION and origin.binding != key[1]
        ]

    def _note_bridges(self, key: FunctionKey) -> None:
        """Old keywords that lead to the parameter, in decorators above its function."""
        file = self._file(key[0])
        record = file.links.functions[key[1]]
        for bridge, place in bridge_places(file, self.name, frozenset({BridgeSort.KEYWORD})):
            # Between the decorator and the name there is nothing but its like.
            between = file.source.text[bridge.end : record.name_start]
            if bridge.end <= record.name_start and _ONLY_BRIDGES.fullmatch(between):
                self._usage.places.add(place)

    # -- keywords ----------------------------------------------------------------------------

    def _note_keywords(self) -> None:
        for file in self._files_that_may_call(self.functions):
            for use in file.links.keywords:
                if use.name == self.name and not use.in_pattern:
                    self._note_keyword(file, use)
        for name in self._called_names(self.functions):
            for path in self._linkage.paths_mentioning(name):
                self._check_stand_ins(path)

    def _check_stand_ins(self, path: str) -> None:
        """What was told to a stand-in is kept by the names of parameters."""
        data = self._linkage.contents[path]
        if isinstance(data, bytes) and _KEEPS_CALLS.search(data):
            file = self._linkage.file(path)
            for text in file.facts.texts if file is not None else ():
                if text.words == self.name:
                    self._usage.doubt(
                        f"what {path} asks of calls of a stand-in is not `{self.name}`", path, text.start
                    )

    @cached_property
    def _paths_with_keyword(self) -> list[str]:
        pattern = rb"%b(?<!\w%b)\s*=(?!=)" % ((self.name.encode(),) * 2)
        return self._linkage.paths_matching(self.name, pattern)

    def _files_that_may_call(self, functions: list[FunctionKey]) -> Iterator[LinkedFile]:
        """The files with the parameter's name that may call one of some functions: by what they are
        called, or whatever they call it, where one goes about as a value or modules are loaded by name."""
        near = set(self._loading_paths(functions))
        for name in self._called_names(functions) | self._names_above():
            near.update(self._linkage.paths_mentioning(name))
        near.update(path for key in functions for path, _ in self._followed(key).keywords)
        is_everywhere = any(is_kept(self._evaluator, key) for key in functions)
        for path in self._paths_with_keyword:
            if is_everywhere or path in near:
                if (file := self._linkage.file(path)) is not None:
                    yield file

    def _names_above(self) -> set[str]:
        """What leads from a class above, or from an instance, to those that the functions make."""
        above = {each for owner in self._made for each in self._evaluator.above(owner) if each != owner}
        names = {self._evaluator.class_record(each).name for each in above if self._file(each[0]).is_own}
        return names | {"type"} if self._made else set()

    def _note_keyword(self, file: LinkedFile, use: KeywordUse) -> None:
        values = self._evaluator.values(file, use.callee)
        if methods := methods_called(self._evaluator, file, use.callee):
            values = values - {UNKNOWN_VALUE} | methods
            self._usage.assume(PRIVATE_ATTRIBUTES)
        place = Place(file.path, use.start, use.end, PlaceSort.KEYWORD)
        ours = {value for value in values if self._is_call_of(value)}
        if self._is_partial(file, use):
            return
        if any(value.name == "operator.methodcaller" for value in values):
            called = {
                text.words
                for text in file.links.texts
                if text.position == 0 and text.call == use.call
            }
            if called & {*self._called_names(self.functions), "__call__"}:
                self._open(place, use)
            return
        if ours and any(self._goes_elsewhere_too(value) for value in ours):
            self._usage.obstruct(
                f"the keyword `{self.name}` in {file.path} goes to another function, too", file.path, use.start
            )
        elif ours and ours == values:
            self._usage.places.add(place)
            self._check_rests_filled(ours)
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
        elif any(value.name.startswith(_CALLS_OF_STAND_INS) for value in values):
            self._open(place, use)
        elif self._are_of_classes and any(value.name == "builtins.type" for value in values):
            self._open(place, use)
        elif UNKNOWN_VALUE in values and use.callee.name in _SAYS_HOW_CALLED:
            self._open(place, use)
        elif (self._goes_about or self._may_take(self.functions, file, use.call)) and (
            self._may_be_method_of_ours(file, use.callee)
            or self._may_be_own_class(file, use.callee, self.functions)
            or self._is_followed_to(file, use.start, values, self.functions)
            or (
                UNKNOWN_VALUE in values
                and (self._may_be_called(use.callee) or file.path in self._loading_paths(self.functions))
            )
        ):
            self._open(place, use)
        elif self._is_run_there(
            file, use.callee, use.call, self.functions, are_kept=self._goes_about
        ):
            self._open(place, use)

    def _may_be_method_of_ours(self, file: LinkedFile, callee: Origin) -> bool:
        """Whether a method is called of what is said to be of a library, and may be of one of the classes."""
        if callee.sort is not OriginSort.ATTRIBUTE or callee.name not in self._called_names(self.functions):
            return False
        receivers = self._evaluator.values(file, callee.parts[0])
        return any(map(self._bases.have_instance, receivers))

    @cached_property
    def _bases(self) -> LibraryBases:
        """What stands above the classes that have the functions."""
        return self._bases_of(self.functions)

    def _bases_of(self, functions: list[FunctionKey]) -> LibraryBases:
        owners = [(key[0], self._evaluator.function_record(key).owner) for key in functions]
        return LibraryBases(self._evaluator, [each for each in owners if each[1] >= 0])

    @cached_property
    def _made(self) -> list[ClassKey]:
        """The classes whose instances the functions make."""
        return self._made_by(self.functions)

    def _made_by(self, functions: list[FunctionKey]) -> list[ClassKey]:
        records = {key: self._evaluator.function_record(key) for key in functions}
        return [(key[0], each.owner) for key, each in records.items() if each.owner >= 0 and each.name in MAKING_METHODS]

    @cached_property
    def _are_of_classes(self) -> bool:
        """Whether the functions are given the keywords of a class that is made."""
        return any(
            self._evaluator.function_record(key).name == "__init_subclass__" for key in self.functions
        ) or any("builtins.type" in self._evaluator.foreign_above(each) for each in self._made)

    def _may_be_own_class(self, file: LinkedFile, callee: Origin, functions: list[FunctionKey]) -> bool:
        """Whether the class of something is called (`type(hive)(kg=3)`) that may be an instance of a class whose instances
        some functions make."""
        if not self._made_by(functions) or all(
            value.sort in (ValueSort.CLASS, ValueSort.FUNCTION) for value in self._evaluator.values(file, callee)
        ):
            return False
        bases = self._bases_of(functions)
        sources = file.links.sources.get(callee.binding, ()) if callee.sort is OriginSort.NAME else ()
        for each in (callee, *sources):
            is_type = each.sort is OriginSort.CALL and each.parts[0].name == "type" and len(each.parts) > 1
            is_class = each.sort is OriginSort.ATTRIBUTE and each.name == "__class__"
            if is_type or is_class:
                asked = self._evaluator.values(file, each.parts[1] if is_type else each.parts[0])
                if UNKNOWN_VALUE in asked or any(map(bases.have_instance, asked)):
                    return True
        return False

    def _open(self, place: Place, use: KeywordUse) -> None:
        called = f"`{use.callee.name}`" if use.callee.name else "what is called"
        self._usage.open_places.append(
            OpenPlace(place, f"the keyword `{self.name}`: it is not known what {called} stands for")
        )

    def _goes_elsewhere_too(self, value: Value) -> bool:
        """Whether a call runs another function with the same keywords, too: `__new__` and `__init__`, or that of another
        class where one above all of them is called."""
        return any(
            key not in self.functions and self._takes_keyword(key)
            for key in functions_called(self._evaluator, value)
        )

    def _takes_keyword(self, key: FunctionKey) -> bool:
        """Whether a function has a parameter of the name, or does something with keywords of any name."""
        facts = self._file(key[0]).facts
        return any(
            each.name == self.name
            or (each.sort is ParameterSort.REST_KEYWORDS and Role.READ in facts.roles(each.binding))
            for each in self._evaluator.function_record(key).parameters
        )

    def _check_rests_filled(self, values: Iterable[Value]) -> None:
        """Doubts about methods that override one of the others, get the name among keywords of any name, and do more with
        these than to hand them on."""
        for key in {key for value in values for key in functions_called(self._evaluator, value)}:
            file, record = self._file(key[0]), self._evaluator.function_record(key)
            last = record.parameters[-1] if record.parameters else None
            takes_rest = last is not None and last.sort is ParameterSort.REST_KEYWORDS
            if last is None or not takes_rest or any(each.name == self.name and each.sort in BY_KEYWORD for each in record.parameters):
                continue
            if not is_only_handed_on(file, last.binding):
                what = f"`{record.name}` in {file.path}, which takes keywords of any name, does not look for `{self.name}`"
                self._usage.doubt(what, file.path, record.name_start)

    def _is_call_of(self, value: Value) -> bool:
        return any(key in self.functions for key in functions_called(self._evaluator, value))

    def _is_partial(self, file: LinkedFile, use: KeywordUse) -> bool:
        """Whether a keyword is kept for a later call (`partial(weigh, hive=h)`); noted where it is."""
        callees = {value.name for value in self._evaluator.values(file, use.callee)}
        if not callees & {"functools.partial", "functools.partialmethod"}:
            return False
        for handed in file.links.handed:
            if handed.position == 0 and handed.call == use.call:
                if any(map(self._is_call_of, self._evaluator.values(file, handed.value))):
                    self._is_kept_for_later = True
                    self._usage.places.add(Place(file.path, use.start, use.end, PlaceSort.KEYWORD))
                    return True
        return False

    def _may_be_called(self, callee: Origin) -> bool:
        """Whether an unknown callee may be one of the functions: it is called by their name, or one of
        them goes about as a value."""
        names = self._called_names(self.functions)
        return callee.name in names or (self._goes_about and not self._is_method_of_builtins(callee))

    def _is_method_of_builtins(self, callee: Origin) -> bool:
        """Whether a call goes to a method that texts or collections have, such as `format`, and nothing in the project
        gives that name to anything else."""
        name = callee.name
        if callee.sort is not OriginSort.ATTRIBUTE or name not in _METHODS_OF_BUILTINS:
            return False
        if name not in self._known_as_attribute:
            self._known_as_attribute[name] = (
                self._evaluator.is_set(name)
                or any(self._linkage.paths_mentioning(hook) for hook in _MAKING_UP)
                or any(self._sets_by_name(path, name) for path in self._linkage.lookup_paths)
                or any(self._may_be_attribute(file, name) for file in self._linkage.mentioning(name))
            )
        return not self._known_as_attribute[name]

    def _sets_by_name(self, path: str, name: str) -> bool:
        """Whether a file sets attributes by names that it works out, and one may be that name."""
        data = self._linkage.contents[path]
        file = self._linkage.file(path) if isinstance(data, bytes) and b"setattr" in data else None
        return file is not None and any(each.may_find(name) for each in file.links.lookups)

    def _may_be_attribute(self, file: LinkedFile, name: str) -> bool:
        """Whether one of the functions may get to be an attribute of that name in a file: in the body of a class, as a
        keyword, or in a dictionary that becomes a namespace."""
        handed = (each.value for each in file.links.handed if each.keyword == name)
        if any(self._may_be_one(value) for each in handed for value in self._evaluator.values(file, each)):
            return True
        facts = file.facts
        if any(each.name == name and facts.scopes[each.scope].kind is ScopeKind.CLASS for each in facts.bindings):
            return True
        return _MAKES_NAMESPACES.search(file.data) is not None and any(
            name in re.split(r"\W+", text.words) for text in facts.texts if text.use != "documentation"
        )

    def _may_be_one(self, value: Value) -> bool:
        return value == UNKNOWN_VALUE or self._is_call_of(value)

    def _called_names(self, functions: list[FunctionKey]) -> set[str]:
        """What calls of some functions may be spelled as."""
        names = set()
        for key in functions:
            record = self._evaluator.function_record(key)
            names.add(record.name)
            if record.binding >= 0:
                # What is private to a class is called otherwise outside.
                names.add(self._file(key[0]).facts.bindings[record.binding].name)
            if record.name in MAKING_METHODS and record.owner >= 0:
                own = (key[0], record.owner)
                for each in [own, *self._evaluator.below(own)]:
                    names.add(self._evaluator.class_record(each).name)
                names |= {"cls", "__class__", "__init__", "__new__"}
                if "builtins.type" in self._evaluator.foreign_above(own):
                    # The keywords of a class may go to the metaclass that it has from a base.
                    names.add("__init_subclass__")
        return names - {""}

    @cached_property
    def _goes_about(self) -> bool:
        """Whether one of the functions is handed on or kept as a value somewhere."""
        return any(is_kept(self._evaluator, key) for key in self.functions)

    def _followed(self, key: FunctionKey) -> Whereabouts:
        """Where one of the functions gets to as a value; that of what makes instances is told by the class."""
        is_made = _is_special(self._evaluator.function_record(key).name)
        return Whereabouts(False) if is_made else whereabouts(self._evaluator, key)

    def _is_followed_to(
        self, file: LinkedFile, start: int, values: Values, functions: list[FunctionKey]
    ) -> bool:
        """Whether one of some functions gets to a call with keywords that begin at `start`, where it is not known
        that something else of the project is called."""
        place = (file.path, start)
        is_known = all(value.sort in (ValueSort.FUNCTION, ValueSort.CLASS) for value in values)
        return not is_known and any(
            place in followed.keywords or place in followed.rests for followed in map(self._followed, functions)
        )

    def _note_rests(self) -> None:
        """Calls with `**`: what keys it holds may not be known."""
        for name in sorted(self._called_names(self.functions)):
            if self._linkage.is_called_with_rest_in_examples(name):
                self._usage.doubt(
                    f"what `**` hands to {name} in examples holds no `{self.name}`", self._usage.target.path
                )
        for file, rest in self._rests_to(self.functions):
            if rest.keys is not None and self.name in rest.keys:
                self._note_key(file, rest)
            elif rest.keys is None and not self._keys.never_hold(file, rest):
                self._usage.doubt(_what_rest_holds(file.path, self.name), file.path, rest.start)

    def doubts_about(self, new: str) -> Iterator[Doubt]:
        """What would have to be vouched for if the parameter, whose use is known, had another name: a call that fails now, for a
        dictionary with that key, would go on."""
        keys = [(key, each) for key in self._usage.homes for _, each in self._parameters_of(key)]
        if not any(self._may_be_keyword(self._evaluator.function_record(key), parameter) for key, parameter in keys):
            return
        known = {doubt.what for doubt in self._usage.doubts}
        for path, start in _rests_that_may_hold(self._evaluator, self._usage.target._replace(name=new), tuple(self._usage.homes)):
            if _what_rest_holds(path, self.name) not in known:
                yield Doubt(_what_rest_holds(path, new), path, start)

    def rests_that_may_hold_it(self) -> Iterator[tuple[str, int]]:
        """The dictionaries of keywords that are handed to one of the functions and may have the name as a key: files and offsets."""
        for file, rest in self._rests_to(self.functions):
            if self.name in rest.keys if rest.keys is not None else not self._keys.never_hold(file, rest):
                yield file.path, rest.start

    def _check_keys(self) -> None:
        """Doubts about dictionaries with the name as a key, where one of the functions is anywhere: what has both may run it
        with what is under that name (`Task(None, weigh, None, (), {"kg": 3})`)."""
        known = {(place.path, place.start) for place in self._usage.places}
        for file in self._linkage.mentioning(self.name) if self._goes_about else ():
            for start in keys_written(file, self.name):
                if (file.path, start) not in known:
                    what = f"what has the key `{self.name}` in {file.path} is not handed to what runs the function of that parameter"
                    self._usage.doubt(what, file.path, start)
                    break

    def _note_key(self, file: LinkedFile, rest: RestUse) -> None:
        """A dictionary that is written out where it is handed on, and has the name as a key."""
        keys = [
            text
            for text in file.facts.texts_between(rest.start, rest.end)
            if text.use == "key" and text.words == self.name
        ]
        length = len(self.name)
        spelled = [file.source.text[text.start + 1 : text.end - 1] for text in keys]
        if spelled != [self.name] or not self._goes_only_here(file, rest):
            self._usage.obstruct(
                f"`{self.name}` is handed on through a dictionary in {file.path}", file.path, rest.start
            )
            return
        start = keys[0].start + 1
        self._is_kept_for_later |= rest.is_passed
        self._usage.places.add(Place(file.path, start, start + length, PlaceSort.TEXT))

    def _goes_only_here(self, file: LinkedFile, rest: RestUse) -> bool:
        """Whether a dictionary of keywords goes to the functions, and to nothing else."""
        values = self._evaluator.values(file, rest.callee)
        if not rest.is_passed and all(map(self._is_call_of, values)):
            return True
        if not all(value.name in RUNNING_LATER for value in values):
            return False
        handed = [
            self._evaluator.values(file, each.value)
            for each in file.links.handed
            if each.call == rest.call and (each.position == 0 or each.keyword in _RUN_AS)
        ]
        return len(handed) == 1 and all(map(self._is_call_of, handed[0]))

    def _rests_to(self, functions: list[FunctionKey]) -> Iterator[tuple[LinkedFile, RestUse]]:
        """The dictionaries of keywords with which one of some functions may be run: in a call of it, or in
        one to which it is handed."""
        names = self._called_names(functions)
        are_kept = any(is_kept(self._evaluator, key) for key in functions)
        paths = {path for name in names for path in self._linkage.paths_mentioning(name)}
        loading = self._loading_paths(functions)
        paths.update(loading)
        paths.update(path for key in functions for path, _ in self._followed(key).rests)
        with_rests = self._linkage.paths_with_rests
        for path in sorted(with_rests if are_kept else with_rests & paths):
            file = self._linkage.file(path)
            for rest in file.links.rests if file is not None else ():
                assert file is not None, "it has calls"
                values = self._evaluator.values(file, rest.callee)
                is_ours = any(self._runs_one_of(value, functions) for value in values)
                is_open = UNKNOWN_VALUE in values and (are_kept or rest.callee.name in names or path in loading)
                may_be_taken = rest.is_passed or self._may_take(functions, file, rest.call)
                if (
                    (not rest.is_passed and (is_ours or (is_open and may_be_taken)))
                    or (may_be_taken and self._may_be_own_class(file, rest.callee, functions))
                    or (may_be_taken and self._is_followed_to(file, rest.start, values, functions))
                    or self._is_run_there(
                        file, rest.callee, rest.call, functions, are_kept=are_kept, is_passed=rest.is_passed
                    )
                ):
                    yield file, rest

    def _may_take(self, functions: list[FunctionKey], file: LinkedFile, call: int) -> bool:
        """Whether one of some functions could take what a call hands over: every other one fails there, whatever its
        parameters are called. What a decorator that was not read makes of one may take more."""
        if any(map(self._is_made_another, functions)):
            return True
        handed = file.handed_by_call.get(call, ())
        n_given = sum(each.position >= 0 for each in handed)
        keywords = {each.keyword for each in handed if each.keyword.isidentifier()}
        for key in functions:
            parameters = self._evaluator.function_record(key).parameters
            sorts = [each.sort for each in parameters]
            by_keyword = {each.name for each in parameters if each.sort in BY_KEYWORD}
            takes_all = ParameterSort.REST in sorts or n_given <= sum(sort in BY_POSITION for sort in sorts)
            if takes_all and (ParameterSort.REST_KEYWORDS in sorts or keywords <= by_keyword):
                return True
        return False

    def _is_made_another(self, key: FunctionKey) -> bool:
        file = self._file(key[0])
        decorators = self._evaluator.function_record(key).decorators
        return not all(self._evaluator.is_harmless(file, decorator) for decorator in decorators)

    def _is_run_there(
        self,
        file: LinkedFile,
        callee: Origin,
        call: int,
        functions: list[FunctionKey],
        *,
        are_kept: bool,
        is_passed: bool = False,
    ) -> bool:
        """Whether a call of what is not the project's own is handed one of some functions, to run it; what
        may be one of those that go about counts where what is called sounds like running something."""
        values = self._evaluator.values(file, callee)
        if all(self._is_read(value) or value.name in _RUNNING_NOTHING for value in values):
            return False
        called = f"{callee.name} {_names(values)}"
        sounds_like_it = are_kept and (is_passed or _RUNNING.search(called) is not None)
        given = [
            self._values_of(file, each.value, is_spread=each.keyword in _SPREAD)
            for each in file.handed_by_call.get(call, ())
            if each.keyword not in _NEVER_RUN
        ]
        if is_passed and are_kept and not any(map(_may_be_run, given)):
            # What it runs comes to it in another way.
            return True
        return any(
            any(self._runs_one_of(value, functions) for value in values) or (sounds_like_it and UNKNOWN_VALUE in values)
            for values in given
        )

    def _values_of(self, file: LinkedFile, origin: Origin, *, is_spread: bool) -> Values:
        """What a call is handed as an argument, or as several."""
        values = self._evaluator.values(file, origin)
        return frozenset(with_parts(values)) if is_spread else values

    def _is_read(self, called: Value) -> bool:
        """Whether what a call runs is the project's own: a function, or a class of which no library makes the
        instances."""
        if called.sort is ValueSort.FUNCTION:
            return self._file(called.path).is_own
        if called.sort is not ValueSort.CLASS:
            return False
        key = (called.path, called.number)
        read = [each[0] for each in self._evaluator.above(key) if not self._file(each[0]).is_own]
        above = [*self._evaluator.foreign_above(key), *self._evaluator.unknown_above(key)]
        return all(name.startswith("builtins.") for name in above) and all(
            self._file(path).module in _RUNNING_NO_FUNCTIONS for path in read
        )

    def _loading_paths(self, functions: list[FunctionKey]) -> list[str]:
        """The modules that may find one of some functions in a module that they load by a name which they
        work out: what stands at the top of it, or makes a class that does. A private name is seldom worked
        out: somewhere it would have to stand as a text."""
        for path, index in functions:
            file = self._file(path)
            record = file.links.functions[index]
            if record.owner >= 0 and record.name not in MAKING_METHODS:
                continue
            owner = file.links.classes[record.owner] if record.owner >= 0 else record
            is_at_top = owner.binding >= 0 and file.facts.bindings[owner.binding].scope == 0
            if is_at_top and (not owner.name.startswith("_") or self._linkage.stands_in_quotes(owner.name)):
                return self._linkage.loading_paths
        return []

    def _runs_one_of(self, value: Value, functions: list[FunctionKey]) -> bool:
        return any(key in functions for key in functions_called(self._evaluator, value))

    @cached_property
    def _keys(self) -> KeysHeld:
        return KeysHeld(self._evaluator, self.name, self._is_given, self._rests_to)

    def _is_given(self, key: FunctionKey) -> bool:
        """Whether some call that may run a function has the name as a keyword. Of one that goes about as a
        value, every call counts of which it is not known that it runs another."""
        if key not in self._known_as_given:
            self._known_as_given[key] = self._find_given(key)
        return self._known_as_given[key]

    def _find_given(self, key: FunctionKey) -> bool:
        names = self._called_names([key])
        unclear: list[tuple[LinkedFile, KeywordUse, Values, bool]] = []
        for file, use, values in self._keyword_uses:
            if any(self._runs_one_of(value, [key]) for value in values):
                return True
            may_take = self._may_take([key], file, use.call)
            if UNKNOWN_VALUE in values and use.callee.name in names and may_take:
                return True
            if self._is_run_there(file, use.callee, use.call, [key], are_kept=False):
                return True
            if not all(value.sort in (ValueSort.FUNCTION, ValueSort.CLASS) for value in values):
                unclear.append((file, use, values, may_take))
        # Where a function goes takes long to find: that is only asked where it matters.
        if not unclear:
            return False
        goes_about = is_kept(self._evaluator, key)
        return any(
            (may_take and goes_about and UNKNOWN_VALUE in values)
            or (may_take and self._is_followed_to(file, use.start, values, [key]))
            or self._is_run_there(file, use.callee, use.call, [key], are_kept=goes_about)
            for file, use, values, may_take in unclear
        )

    @cached_property
    def _keyword_uses(self) -> list[tuple[LinkedFile, KeywordUse, Values]]:
        """The calls with the name as a keyword, and what may be called there."""
        return [
            (file, use, self._evaluator.values(file, use.callee))
            for path in self._paths_with_keyword
            if (file := self._linkage.file(path)) is not None
            for use in file.links.keywords
            if use.name == self.name and not use.in_pattern
        ]

    # -- what speaks against -----------------------------------------------------------------

    def _check_callers(self) -> None:
        for key in self.functions:
            file = self._file(key[0])
            record = file.links.functions[key[1]]
            is_public = record.binding >= 0 and is_public_function(self._evaluator, file, record)
            if self._linkage.is_library and (is_public or self._followed(key).is_offered):
                self._usage.doubt(
                    f"no code outside this project calls {record.name or 'the lambda'} with `{self.name}` as a keyword",
                    file.path,
                    record.name_start,
                    of_outsiders=True,
                )
            if record.binding >= 0:
                self._check_handed_on(file, record)

    def _check_handed_on(self, file: LinkedFile, record: FunctionRecord) -> None:
        """A function that is handed to code that was not read may be called with keywords there."""
        if _is_special(record.name) and record.name not in MAKING_METHODS:
            return
        # What is private to a class is written in another way outside.
        words = {record.name, file.facts.bindings[record.binding].name}
        for other in self._linkage.mentioning_any(words):
            for handed in (each for word in words for each in other.handed_by_word.get(word, ())):
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
                        CALLING_BY_POSITION,
                    )

    def _check_function(self, key: FunctionKey) -> None:
        file = self._file(key[0])
        record = file.links.functions[key[1]]
        doubt_decorators(
            self._evaluator, self._usage, file, record, f"`{self.name}`", frozenset(self._telling_attributes)
        )
        if asks_for_fixtures(file, record):
            starts = list(parameter_texts(file, record, self.name))
            for start in starts:
                end = start + len(self.name)
                self._usage.places.add(Place(file.path, start, end, PlaceSort.TEXT))
            if not starts and record.name != self.name:
                self._usage.doubt(
                    f"`{self.name}` of {record.name} does not name a fixture",
                    file.path,
                    record.name_start,
                )

    def _check_exposures(self, key: FunctionKey) -> None:
        file = self._file(key[0])
        name = file.links.functions[key[1]].name or "a lambda"
        if not file.facts.exposures:
            return
        calls = calls_of_readers(self._evaluator, file.path)
        scopes = {file.facts.bindings[each.binding].scope for _, each in self._parameters_of(key)}
        reaches = [file.facts.scopes[scope] for scope in scopes]
        for exposure in file.facts.exposures:
            in_sight = exposure.whole_file or self._sees(file, exposure.scope, key)
            if in_sight and any(
                exposure.reads.may_find(self.name, calls, reach.start, reach.end) for reach in reaches
            ):
                self._usage.doubt(
                    f"nothing looks up `{self.name}` of {name} by name through {exposure.what}",
                    file.path,
                    exposure.start,
                )

    @cached_property
    def _telling_attributes(self) -> tuple[str, ...]:
        """The attributes of functions by which the project may learn what their parameters are called."""
        if any(self._linkage.paths_mentioning(word) for word in _READS_OFF_CODE):
            return _SIGNATURE_ATTRIBUTES
        return tuple(each for each in _SIGNATURE_ATTRIBUTES if each != _ITS_CODE)

    def _check_classes_made(self) -> None:
        """Doubts about dictionaries of keywords with which classes are made by a call."""
        for file in self._linkage.mentioning(_MAKES_CLASS) if self._are_of_classes else ():
            for text in file.facts.texts:
                if text.words == self.name and text.use == "key":
                    what = f"what `{_MAKES_CLASS}` is given in {file.path} holds no `{self.name}`"
                    self._usage.doubt(what, file.path, text.start)

    def _check_other_code(self) -> None:
        """Doubts about functions that are given the code, and so the parameters, of another one."""
        for file, use in self._evaluator.writes(_ITS_CODE):
            if self._is_code_taken or self._may_be_ours(file, use.receiver, _ITS_CODE):
                self._usage.doubt(
                    f"the code that a function is given in {file.path} takes no `{self.name}`", file.path, use.start
                )

    @cached_property
    def _is_code_taken(self) -> bool:
        """Whether somebody may take the code of one of the functions, to give it to another one."""
        are_running_taken = any(
            not _ASKS_CODE.match(file.source.text, use.end)
            for word in _CODE_OF_RUNNING
            for file in self._linkage.mentioning(word)
            for use in file.links.attributes_by_name.get(word, ())
        )
        return are_running_taken or any(
            (self._goes_about and next(asked_by_text(file, _ITS_CODE), None) is not None)
            or any(
                use.use is Use.READ and self._may_be_ours(file, use.receiver, _ITS_CODE)
                for use in file.links.attributes_by_name.get(_ITS_CODE, ())
            )
            for file in self._linkage.mentioning(_ITS_CODE)
        )

    def _check_signature_readers(self) -> None:
        """Doubts about code that reads the parameters of functions that it is given."""
        read: dict[str, list[_SignatureRead]] = {}
        for path, handed, word in calls_of_signature_readers(self._evaluator):
            if self._may_be_ours(self._file(path), handed.value, is_spread=handed.keyword in _SPREAD):
                names = names_read_by(self._evaluator, path, handed, word)
                read.setdefault(path, []).append((handed.start, names))
        for path, start in readers_going_on(self._evaluator):
            if self._are_values:
                read.setdefault(path, []).append((start, None))
        for word in self._telling_attributes:
            for file in self._linkage.mentioning(word):
                read.setdefault(file.path, []).extend(self._reads_of_attribute(file, word))
        for path in sorted(read):
            self._note_signatures_read(path, read[path])

    def _reads_of_attribute(self, file: LinkedFile, word: str) -> Iterator[_SignatureRead]:
        """Where a file reads an attribute that tells of the parameters of one of the functions."""
        for use in file.links.attributes_by_name.get(word, ()):
            if self._may_be_ours(file, use.receiver, word):
                yield use.start, names_read_off(self._evaluator, file.path, use.end)
        for text in file.links.texts:
            if text.words == word and text.callee.name in GIVING_ATTRIBUTE and text.arguments:
                if self._may_be_ours(file, text.arguments[0], word):
                    yield text.start, None
        if self._goes_about:
            yield from ((start, None) for start in asked_by_text(file, word))

    @cached_property
    def _are_values(self) -> bool:
        """Whether something else is done with one of the functions than to call it by its name."""
        return self._goes_about or any(map(self._is_value, self.functions))

    def _is_value(self, key: FunctionKey) -> bool:
        record = self._evaluator.function_record(key)
        if not record.name or record.decorators:
            return True
        return any(file.has_as_value(record.name) for file in self._linkage.mentioning(record.name))

    def _note_signatures_read(self, path: str, read: list[_SignatureRead]) -> None:
        """Doubts about the places of a file where parameters are read."""
        what = f"what reads parameters in {path} does not look for …"
        for start, names in read:
            if names is None:
                self._usage.doubt_reader(what.replace("…", f"`{self.name}`"), path, start)
                return
        for start, names in read:
            self._usage.look_out(what, names or (), start, path=path)

    def _may_be_ours(self, file: LinkedFile, origin: Origin, attribute: str = "", *, is_spread: bool = False) -> bool:
        values = self._values_of(file, origin, is_spread=is_spread)
        if any(map(self._is_call_of, values)):
            return True
        names = {self._evaluator.function_record(key).name for key in self.functions}
        is_named_so = origin.sort is OriginSort.ATTRIBUTE and origin.name in names
        read_off = {name for key in self.functions for name in self._followed(key).attributes}
        if "__wrapped__" in read_off and any(value.sort is ValueSort.FUNCTION for value in values):
            # What is told of a wrapper is that of what it wraps.
            return True
        is_read_off = not read_off.isdisjoint({attribute, "__wrapped__"})
        return UNKNOWN_VALUE in values and (is_named_so or is_read_off or self._goes_about)

    def _sees(self, file: LinkedFile, scope: int, key: FunctionKey) -> bool:
        parameters = [each for _, each in self._parameters_of(key)]
        return any(
            file.facts.bindings[each.binding].scope in file.facts.ancestors(scope)
            for each in parameters
        )


def _is_special(name: str) -> bool:
    """Whether the language gives a method its meaning."""
    return name.startswith("__") and name.endswith("__")


def _may_be_run(values: Values) -> bool:
    return any(value.sort in (ValueSort.FUNCTION, ValueSort.CLASS, ValueSort.UNKNOWN) for value in values)


def _names(values: Iterable[Value]) -> str:
    return " ".join(value.name for value in values)


def _what_rest_holds(path: str, name: str) -> str:
    return f"what `**` hands on in {path} holds no `{name}`"


@once_a_version
def _rests_that_may_hold(evaluator: Evaluator, target: Target, functions: tuple[FunctionKey, ...]) -> list[tuple[str, int]]:
    """What `rests_that_may_hold_it` tells of a parameter that some functions are to have."""
    asked = ParameterUsage(evaluator, Usage(target))
    asked.functions = list(functions)
    return list(asked.rests_that_may_hold_it())
