"""What asks instances and classes for names: lookups by names that are worked out, and what lists the names that
something has."""

from __future__ import annotations

import ast
import re
from collections.abc import Collection, Iterable, Iterator
from functools import cached_property

from zephyrun.facts import Role, ScopeKind
from zephyrun.link_facts import UNKNOWN, AttributeUse, FunctionRecord, Handed, Lookup, Origin, TextUse, Use
from zephyrun.linking.asked_by_text import asked_by_text
from zephyrun.linking.class_families import ClassFamily
from zephyrun.linking.copied_names import COPIES_ALL_AFTER, only_gets_strangers
from zephyrun.linking.evaluated_code import evaluations_that_see, leads_to_modules
from zephyrun.linking.homes import LOOKUPS
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.lookup_calls import READING_HOOKS
from zephyrun.linking.member_predicates import PREDICATE, rules_method_out
from zephyrun.linking.names_asked import ANY_NAME, names_asked_for
from zephyrun.linking.names_begun import is_key_made_of_unknown, is_made_of_unknown, may_begin_in, puts_together_unknown
from zephyrun.linking.names_passed_over import call_handing, is_never, namespace_passes_name_over, passes_name_over
from zephyrun.linking.names_taken import NAMESPACE
from zephyrun.linking.origins import origin_of
from zephyrun.linking.proxies import hooks_asked
from zephyrun.linking.references import definitions_of
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.set_by_name import is_called_like_class
from zephyrun.linking.syntax_trees import called_name, syntax_tree
from zephyrun.linking.texts import LISTS_SPREAD
from zephyrun.linking.texts_made import texts_made
from zephyrun.linking.usage import Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ValueSort, Values, classes_among, with_parts
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

# What tells classes from other things.
_TELLS_CLASSES = lazy_pattern(r"\bisinstance\s*\(\s*[\w.]+\s*,\s*type\b|\bisclass\b|\bissubclass\b")
# What lists the names of anything.
_LISTING_FIELDS = frozenset({"dataclasses.asdict", "dataclasses.fields"})
_LISTING = _LISTING_FIELDS | {"builtins.vars", "builtins.dir", "inspect.getmembers", "inspect.getmembers_static"}
_LISTING_BUILTINS = frozenset({"vars", "dir"})
_GIVING_NAMESPACE = "builtins.vars"
_LISTING_WORDS = frozenset(name.rpartition(".")[2] for name in _LISTING)
# Where the names of an instance are asked for one, and not shown as a whole: what is behind them, or before.
_ONE_NAME = (
    r"\s*(?:\[|\.\s*(?:get|pop|setdefault|update|__contains__|__getitem__|__setitem__|__delitem__)\s*\()"
    r"(?:\s*[\"'](?P<name>\w+)[\"']\s*[\]),])?"
)
_ONE_NAME_AFTER = lazy_pattern(_ONE_NAME)
_ONE_NAME_LISTED_AFTER = lazy_pattern(rf"\s*\){_ONE_NAME}")
_ONE_NAME_BEFORE = lazy_pattern(
    r"(?:(?:[\"'](?P<name>\w+)[\"']\s+(?:not\s+)?)?\bin\s+|__dict__\s*\.\s*update\(\s*)[\w.()\[\]]*\Z"
)
_GOING_THROUGH_BEFORE = lazy_pattern(r"\bfor\s+(?:(?!\b(?:in|if)\b)[\w\s,()*])+\bin\s+[\w.()\[\]]*\Z")
# The names of one instance go to another one, or come from a dictionary.
_COPIES_ALL_BEFORE = lazy_pattern(r"__dict__\s*\.\s*update\(\s*[\w.]+\.\s*\Z")
# What is had without its names (`vars(hive).values()`), or held against the like of it.
_HELD_AGAINST = lazy_pattern(r"\)\s*[=!]=\s*vars\(\s*\Z")
_HELD_AGAINST_NOTHING = lazy_pattern(r"\s*[=!]=\s*\{\s*\}")
# Two instances of one class, or of one and one below it, have the same names.
_HELD_AGAINST_LIKE = lazy_pattern(
    r"isinstance(?<!\wisinstance)\(\s*(\w+)\s*,\s*(?:self\.__class__|type\(self\))\s*\)(?:\s+and\s+|[ \t]*:\s*return\s+)"
    r"(?:self\.__dict__\s*[=!]=\s*\1\.__dict__|\1\.__dict__\s*[=!]=\s*self\.__dict__)(?!\s*[.\[])"
)
_ONLY_VALUES = lazy_pattern(r"\s*\)\s*\.\s*values\s*\(")
_HELD_AGAINST_LATER = lazy_pattern(r"\s*\)\s*[=!]=\s*vars\(")
_IS_FILLED = lazy_pattern(r"\s*\.\s*update\(")
LONGEST_RECEIVER = 80
# Methods that every instance has, and that give all of its names. Source: library reference.
_GIVING_STATE = frozenset({"__reduce__", "__reduce_ex__", "__getstate__"})
_CALLED_WITH_NOTHING = lazy_pattern(r"\s*\(\s*\)")
_CALLED_IF_AT_ALL = lazy_pattern(r"(?:\s*\(\s*\))?")
_ONLY_ASKING = frozenset({"hasattr"})
_KEEPING_FUNCTION = frozenset({"builtins.staticmethod", "builtins.classmethod"})
_CALLS_HOOK = lazy_pattern(r"[\w.]+\.\s*__getattr__\s*\(")
_BEGINS_NAMESPACE = lazy_pattern(rb"[\"']__(?:d(?:i(?:c(?:t_?)?)?)?)?[\"'{]")
# What ends within a name behind a dot, in a text that is put together.
_BEGUN_NAME = lazy_pattern(r"\w\.(?:(\w*)\{\w*\}|(\w+)\Z)")


class MemberReaders:
    """Doubts about what may ask a family for a name of it, or show it."""

    def __init__(self, evaluator: Evaluator, usage: Usage, family: ClassFamily) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self._family = family
        self._name, self._spelling, self._is_private = family.name, family.spelling, family.is_private

    def check_shown_names(self, words: Iterable[str]) -> None:
        """Doubts about code that reads the names of slots, fields or annotations off a class."""
        for word in words:
            for file in self._linkage.mentioning(word):
                for use in file.links.attributes_by_name.get(word, ()):
                    if self._family.may_be_ours(file, use.receiver) and not self._is_asked_of_others(file, use):
                        self._usage.doubt(
                            f"what reads `{word}` in {file.path} does not look for `{self._spelling}`",
                            file.path,
                            use.start,
                        )
                looked_up = (
                    text.start
                    for text in file.links.texts
                    if text.words == word
                    and text.position > 0
                    and text.callee.name in LOOKUPS - _ONLY_ASKING
                    and self._family.may_be_ours(file, text.arguments[0])
                )
                for start in (*asked_by_text(file, word), *looked_up):
                    self._usage.doubt(
                        f"what asks for `{word}` in {file.path} does not look for `{self._spelling}`", file.path, start
                    )

    def _is_asked_of_others(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether the names that a class shows are only asked for other ones, which are written out."""
        shown = syntax_tree(file.data).attributes.get(use.end)
        asked = names_asked_for(file, shown) if shown is not None else None
        return asked is not None and ANY_NAME not in asked and not self._is_one_of(file, shown, asked)

    def _is_one_of(self, file: LinkedFile, namespace: ast.expr | None, asked: Collection[str]) -> bool:
        """Whether the name is among those for which a namespace is asked; none of these may become the new one."""
        start = syntax_tree(file.data).start_of(namespace) if namespace is not None else 0
        what = f"what asks for names of something in {file.path} does not ask for …"
        self._usage.look_out(what, set(asked) - {ANY_NAME, self._name, self._spelling}, start, path=file.path)
        return not {self._name, self._spelling}.isdisjoint(asked)

    def check_lookups(self) -> None:
        """Code that looks attributes up by names that it works out."""
        for path in self._linkage.lookup_paths:
            data = self._linkage.contents[path]
            assert isinstance(data, bytes), "a word was found in it"
            # A private name is seldom worked out: what is known to be of the family counts, and
            # everything where the name stands as a text, or begins like one that is put together.
            is_far = self._is_private and not self._family.is_key
            is_begun = is_far and self._begins_in(path)
            is_made = is_far and puts_together_unknown(data)
            file = self._linkage.file(path)
            for lookup in file.links.lookups if file is not None else ():
                assert file is not None, "it has calls"
                reason = f"names that {lookup.shape} are looked up in {path}" if lookup.shape else ""
                is_met = self._usage.is_obstructed_by(reason) if reason else self._usage.has_lookup_doubt(path)
                if is_met or not lookup.may_find(self._name) or not self._may_be_asked(file, lookup, is_begun=is_begun, is_made=is_made):
                    continue
                if reason:
                    self._usage.obstruct(reason, path, lookup.start)
                else:
                    self._usage.doubt_lookup(path, lookup.start)
        for file in self._linkage.mentioning(NAMESPACE):
            for use in file.links.attributes_by_name.get(NAMESPACE, ()):
                if self._may_show(file, use):
                    self._usage.doubt(
                        f"what uses `__dict__` in {file.path} does not depend on `{self._spelling}`",
                        file.path,
                        use.start,
                        of_names=True,
                    )
        self._check_tables_of_strangers()
        self._check_other_ways_to_namespaces()
        self._check_texts_put_together()
        self._check_evaluations()

    def _check_evaluations(self) -> None:
        """Doubts about code that is run and not written out, and sees one of the family by a name."""
        if self._is_private and not self._evaluator.linkage.stands_in_quotes(self._spelling):
            return
        ours, homes = self._family.reachable, {path for path, _ in self._family.classes}

        def leads_here(values: Values) -> bool:
            # What is not known may be one, as with a name that is looked up.
            held = with_parts(values)
            is_one = (UNKNOWN_VALUE in held and not self._is_private) or not ours.isdisjoint(classes_among(held))
            # What a function of that module gives may be one, too.
            is_one = is_one or any(value.sort is ValueSort.FUNCTION and value.path in homes for value in values)
            return is_one or leads_to_modules(self._evaluator, values, homes)

        for path, each in evaluations_that_see(self._evaluator, leads_here):
            what = f"nothing looks up `{self._spelling}` by name through {each.what} in {path}"
            self._usage.doubt_reader(what, path, each.start)

    def _may_be_asked(self, file: LinkedFile, lookup: Lookup, *, is_begun: bool, is_made: bool) -> bool:
        """Whether what looks an attribute up may ask one of the family for the name, in a file that has a text with which the
        name may begin (`is_begun`), or puts names together of what stands elsewhere (`is_made`)."""
        values = self._evaluator.values(file, lookup.receiver)
        # Who asks a proxy for a name that the library asks nobody for is a reference to it, or an open place.
        is_told = lookup.is_handed_on and self._is_private
        if lookup.is_handed_on and not self._is_private and not self._is_asked_out_of_sight(file, lookup):
            return False
        # A special method that is called as such may keep the name: that counts where something is looked up.
        minds_keeping = _CALLS_HOOK.match(file.source.text, lookup.start) is None or self._is_anything_looked_up
        is_proxy = not lookup.is_handed_on and self._family.is_proxy(values, hooks_asked(file, lookup), minds_keeping=minds_keeping)
        is_ours = bool(classes_among(values) & self._family.reachable)
        if is_told or not is_ours:
            is_other = not self._family.may_be_any(values) or self._evaluator.replaced_modules.is_some_module(file, lookup.receiver)
            if is_other and (is_told or not is_proxy):
                return False
            # Who asks a proxy may be handed a name that is put together in any file.
            is_begun = is_begun or (is_proxy and self._is_begun_anywhere)
            is_seldom = self._is_private and lookup.is_open and not self._family.is_key and not is_begun
            if is_seldom and not (is_made and is_made_of_unknown(self._evaluator, file, lookup, self._spelling)):
                return self._name in (self._texts_sought(file, lookup) or ())
        return self._may_be_sought(file, lookup)

    @cached_property
    def _is_anything_looked_up(self) -> bool:
        """Whether somebody looks up names that may be any, and not only those that a special method is asked for."""
        return any(
            lookup.is_open and not lookup.is_handed_on and _CALLS_HOOK.match(file.source.text, lookup.start) is None
            for file in filter(None, map(self._linkage.file, self._linkage.lookup_paths))
            for lookup in file.links.lookups
        )

    def _is_asked_out_of_sight(self, file: LinkedFile, lookup: Lookup) -> bool:
        """Whether somebody may ask for the name what hands on what it is asked for, who shows nowhere: the library does so,
        and who gives values."""
        is_reading = file.source.text.startswith("getattr", lookup.start)
        return not is_reading or self._family.may_be_asked_for() or _are_hooks_taken(self._evaluator)

    def _may_be_sought(self, file: LinkedFile, lookup: Lookup) -> bool:
        """Whether the name may be the one that is worked out: callers hand it in, or a loop comes to it."""
        texts = self._texts_sought(file, lookup)
        return self._name in texts if texts is not None else not is_never(self._evaluator, file.path, lookup.binding, self._name)

    def _texts_sought(self, file: LinkedFile, lookup: Lookup) -> Collection[str] | None:
        """The names that may be worked out where one is looked up; `None` where these are not known."""
        call = syntax_tree(file.data).lookups.get(lookup.start)
        worked_out = call.args[1] if call is not None and called_name(call) in LOOKUPS and len(call.args) > 1 else None
        return texts_made(self._evaluator, file, worked_out) if worked_out is not None else None

    def _begins_in(self, path: str) -> bool:
        """Whether a file makes names of a text that the private name begins with (`"_" + name`), which may be that one."""
        if not self._is_private:
            return False
        return self._stands_begun or may_begin_in(self._evaluator, path, self._spelling)

    @cached_property
    def _is_begun_anywhere(self) -> bool:
        return any(map(self._begins_in, self._linkage.paths))

    @cached_property
    def _stands_begun(self) -> bool:
        """Whether a text somewhere is the beginning of the name, up to the end of a word of it, or all of it that does not
        come from the class."""
        if self._family.is_mangled and any(
            self._spelling in text.words and text.use != "documentation"
            for file in self._linkage.mentioning(self._spelling)
            for text in file.facts.texts
        ):
            return True
        cuts = [place + 1 for place in range(1, len(self._spelling) - 1) if self._spelling[place] == "_"]
        beginnings = {self._spelling[:cut] for cut in cuts}
        return any(
            text.words in beginnings and text.use != "documentation"
            for file in self._linkage.mentioning_any(beginnings)
            for text in file.facts.texts
        )

    def _check_tables_of_strangers(self) -> None:
        """Doubts about what lists the names of who knows what (`vars(thing)`)."""
        for file in self._linkage.mentioning_any(_LISTING_WORDS):
            for handed in file.links.handed:
                if handed.callee.name in _LISTING_WORDS and self._may_list(file, handed):
                    self._doubt_listing(file, handed.callee.name, handed.start)
            for name, start in file.builtins_kept(_LISTING_BUILTINS):
                self._doubt_listing(file, name, start)
            for spread in LISTS_SPREAD.finditer(file.source.text):
                self._doubt_listing(file, spread[1], spread.start())

    def _doubt_listing(self, file: LinkedFile, called: str, start: int) -> None:
        self._usage.doubt_reader(
            f"what `{called}` gives in {file.path} is not looked into for `{self._spelling}`", file.path, start, of_names=True
        )

    def _may_list(self, file: LinkedFile, handed: Handed) -> bool:
        """Whether who knows what is handed to what lists its names, and the family's name may be asked for there."""
        if handed.position > 0 or handed.keyword == PREDICATE:
            # Of the first alone the names are listed.
            return False
        if not self._family.may_be_any(self._evaluator.values(file, handed.value)):
            return False
        if self._evaluator.replaced_modules.is_some_module(file, handed.value) or self._is_had_without_names(file, handed):
            return False
        called = set(map(self._evaluator.library_name, self._evaluator.values(file, handed.callee)))
        if called.isdisjoint(_LISTING):
            return False
        if called <= _LISTING_FIELDS and not any(map(self._evaluator.is_record, self._family.classes)):
            return False
        if called == {_GIVING_NAMESPACE} and self._is_left_in_class(file, self._evaluator.values(file, handed.value), handed.end):
            return False
        text = file.source.text
        before = text[max(handed.start - LONGEST_RECEIVER, 0) : handed.start]
        asked = _ONE_NAME_LISTED_AFTER.match(text, handed.end) or _name_asked_before(before)
        if asked is None:
            return not self.is_not_among(file, handed)
        if asked["name"] is not None:
            return asked["name"] == self._spelling
        return self._may_be_key(file, call_handing(file, handed))

    def _may_be_key(self, file: LinkedFile, namespace: ast.expr | None) -> bool:
        """Whether what is not written out where a namespace is asked for one name may be this one."""
        if self._family.is_key or self._begins_in(file.path):
            return True
        return namespace is not None and self._is_private and is_key_made_of_unknown(self._evaluator, file, namespace, self._spelling)

    def _is_copied_with_another(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether the names of an instance go to, or come from, one that is known to be of another class."""
        beside = (
            each
            for each in file.links.attributes_by_name.get(NAMESPACE, ())
            if each != use and abs(each.end - use.end) <= LONGEST_RECEIVER
        )
        return any(classes_among(self._evaluator.values(file, each.receiver)) - self._family.reachable for each in beside)

    def is_not_among(self, file: LinkedFile, handed: Handed) -> bool:
        """Whether what is done with the names that a call gives of something does not depend on this one."""
        if self._is_had_without_names(file, handed):
            return True
        call = call_handing(file, handed)
        return (
            passes_name_over(self._evaluator, file, handed, self._name)
            or (call is not None and self._is_plain_method and rules_method_out(self._evaluator, file, call, self._name))
            or (call is not None and handed.callee.name in _LISTING_BUILTINS and self._asks_for_others(file, call, handed.value))
        )

    def _is_had_without_names(self, file: LinkedFile, handed: Handed) -> bool:
        """Whether what a call gives of something is had without its names, or held against the like."""
        before = file.source.text[max(handed.start - LONGEST_RECEIVER, 0) : handed.start]
        if _HELD_AGAINST.search(before) is not None or _HELD_AGAINST_LATER.match(file.source.text, handed.end) is not None:
            return True
        return _ONLY_VALUES.match(file.source.text, handed.end) is not None and not self._is_definition

    @cached_property
    def _is_definition(self) -> bool:
        """Whether the name is that of a function or class in the body of a class, which has the name for its own wherever it
        gets: also from among the values of what the class has."""
        name = self._usage.present_name
        bound = ((self._evaluator.file(key[0]), self._evaluator.binding_in(key, name)) for key in self._family.classes)
        return any(True for file, binding in bound if binding is not None for _ in definitions_of(file, binding))

    @cached_property
    def _is_plain_method(self) -> bool:
        """Whether the name is that of functions in the bodies of classes which are called and nothing else, so that nobody gives
        them attributes, or another name."""
        name = self._usage.present_name
        for key in self._family.classes:
            binding = self._evaluator.binding_in(key, name)
            file = self._evaluator.file(key[0])
            if binding is None or len(file.facts.bindings[binding].references) > 1:
                return False
            if not all(isinstance(each, FunctionRecord) and self._keeps_function(file, each) for each in definitions_of(file, binding)):
                return False
        uses = ((file, use) for file in self._linkage.mentioning(name) for use in file.links.attributes_by_name.get(name, ()))
        return all(use.end in file.links.called for file, use in uses) and not self._family.is_key and not self._evaluator.is_set(name)

    def _keeps_function(self, file: LinkedFile, record: FunctionRecord) -> bool:
        """Whether what a class has is a function as it is defined."""
        return all(self._evaluator.decorator_name(file, each) in _KEEPING_FUNCTION for each in record.decorators)

    def _check_other_ways_to_namespaces(self) -> None:
        """Doubts about what gives all names of an instance without naming `__dict__` as an attribute."""
        for file, start in self._other_ways_to_namespaces():
            self._usage.doubt(
                f"what takes all names of an instance in {file.path} does not depend on `{self._spelling}`",
                file.path,
                start,
                of_names=True,
            )

    def _other_ways_to_namespaces(self) -> Iterator[tuple[LinkedFile, int]]:
        for file in self._linkage.mentioning_any(set(_GIVING_STATE)):
            for use in file.links.attributes:
                is_called = use.name in _GIVING_STATE and use.end in file.links.called and not _is_let_go(file, use)
                if (
                    is_called
                    and not self._is_in_no_state(file, use)
                    and self._family.may_be_ours(file, use.receiver)
                    and not self._is_left_in_class(file, self._evaluator.values(file, use.receiver), use.start)
                    and not self._has_own(file, use)
                ):
                    yield file, use.start
        for file in self._linkage.mentioning(NAMESPACE):
            for text in file.links.texts:
                is_asked = text.words.rpartition(".")[2] == NAMESPACE and text.callee.name not in _ONLY_ASKING
                owner = text.arguments[0] if text.callee.name in LOOKUPS and text.arguments else UNKNOWN
                if is_asked and text.call >= 0 and self._family.may_be_ours(file, owner) and not self._is_asked_for_others(file, text):
                    yield file, text.start
            yield from ((file, start) for start in asked_by_text(file, NAMESPACE))
        for path in self._linkage.lookup_paths:
            data = self._linkage.contents[path]
            there = self._linkage.file(path) if isinstance(data, bytes) and _BEGINS_NAMESPACE.search(data) else None
            for lookup in there.links.lookups if there is not None else ():
                assert there is not None, "it has calls"
                is_begun = lookup.prefix.startswith("__") and lookup.may_find(NAMESPACE)
                if is_begun and self._family.may_be_ours(there, lookup.receiver):
                    yield there, lookup.start

    def _is_in_no_state(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether an instance is asked for what it has of its own, and has the name from its class. A class, which has it itself,
        cannot be asked without an instance."""
        is_instance = _CALLED_WITH_NOTHING.match(file.source.text, use.end) is not None
        return is_instance and self._family.stands_in_class and not self._family.is_key

    def _is_asked_for_others(self, file: LinkedFile, text: TextUse) -> bool:
        """Whether a namespace that is asked for by its name (`getattr(hive, "__dict__", {})`) is only asked for other names."""
        call = syntax_tree(file.data).lookups.get(text.start)
        return call is not None and text.words == NAMESPACE and text.callee.name == "getattr" and self._asks_for_others(file, call, text.arguments[0])

    def _asks_for_others(self, file: LinkedFile, namespace: ast.expr, owner: Origin) -> bool:
        """Whether the namespace of something is only asked for other names."""
        asked = names_asked_for(file, namespace)
        if asked is None or self._is_one_of(file, namespace, asked):
            return False
        if ANY_NAME not in asked:
            return True
        is_ours = bool(classes_among(self._evaluator.values(file, owner)) & self._family.reachable)
        return not (is_ours or self._may_be_key(file, namespace))

    def _has_own(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether all that may be called is a method of the project's own."""
        evaluator = self._evaluator
        if all(any(evaluator.defines(each, use.name) for each in evaluator.above(key)) for key in self._family.classes):
            return True
        return all(
            value.sort is ValueSort.FUNCTION
            for receiver in self._evaluator.values(file, use.receiver)
            for value in self._evaluator.attribute_values(file, receiver, use.name) or (UNKNOWN_VALUE,)
        )

    def _check_texts_put_together(self) -> None:
        """Doubts about texts that are run, or filled in, and that are made of parts between which a name may end."""
        for path in self._linkage.paths_beginning(self._spelling, are_any=self._family.stands_in_text):
            file = self._linkage.file(path)
            for text in file.facts.texts if file is not None else ():
                begun = _BEGUN_NAME.search(text.words)
                if text.use != "documentation" and begun is not None and self._is_begun_by(begun[1] or begun[2] or ""):
                    self._usage.doubt(
                        f"the text that begins a name in {path} does not become `{self._spelling}`", path, text.start
                    )

    def _is_begun_by(self, beginning: str) -> bool:
        if not beginning:
            # What follows is filled in: any name that stands as a text may.
            return self._family.stands_in_text
        return beginning != self._spelling and self._spelling.startswith(beginning)

    def _may_show(self, file: LinkedFile, use: AttributeUse) -> bool:
        """Whether the names of an instance that are taken at a place may be those of the family: it is one of
        theirs, or who knows what, and is asked for the name or gives all that it has."""
        values = self._evaluator.values(file, use.receiver)
        is_ours = bool(classes_among(values) & self._family.reachable)
        if not is_ours and (not self._family.may_be_any(values) or self._evaluator.replaced_modules.is_some_module(file, use.receiver)):
            return False
        text = file.source.text
        before = text[max(use.start - LONGEST_RECEIVER, 0) : use.start]
        if _is_held_against_like(text, use.start) or _HELD_AGAINST_NOTHING.match(text, use.end) or _is_let_go(file, use):
            return False
        asked = _ONE_NAME_AFTER.match(text, use.end) or _name_asked_before(before)
        if self._is_left_in_class(file, values, use.start) and not _goes_on_as_whole(self._evaluator, file, use):
            return False
        if asked is None:
            return (is_ours or not is_called_like_class(file, use.start)) and not self._is_none_of_these(file, use)
        if asked["name"] is not None:
            return asked["name"] == self._spelling
        if _COPIES_ALL_BEFORE.search(before) or COPIES_ALL_AFTER.match(text, use.end):
            is_strange = self._is_copied_with_another(file, use)
            return is_strange and not only_gets_strangers(self._evaluator, file, use, self._name)
        if is_ours and not (self._is_private and _IS_FILLED.match(text, use.end)):
            return True
        return self._may_be_key(file, syntax_tree(file.data).attributes.get(use.end))

    def _is_left_in_class(self, file: LinkedFile, values: Values, place: int) -> bool:
        """Whether the names that something with a name has of its own, at a place, are those of an instance, which has this one
        from its class."""
        if not self._family.stands_in_class or self._family.is_key:
            return False
        if any(value.sort is ValueSort.CLASS for value in values):
            return False
        may_be_class = is_called_like_class(file, place) or _TELLS_CLASSES.search(file.source.text) is not None
        return UNKNOWN_VALUE not in values or not (may_be_class or self._family.goes_about_as_class)

    def _is_none_of_these(self, file: LinkedFile, namespace: AttributeUse) -> bool:
        """Whether what is done with the names in a namespace does not depend on this one."""
        if namespace_passes_name_over(self._evaluator, file, namespace.end, self._name):
            return True
        taken = syntax_tree(file.data).attributes.get(namespace.end)
        return taken is not None and self._asks_for_others(file, taken, namespace.receiver)


@once_a_version
def _are_hooks_taken(evaluator: Evaluator) -> bool:
    """Whether a method that is asked for names goes about as a value, or bears another name, too."""
    return any(
        any(use.end not in file.links.called for hook in READING_HOOKS for use in file.links.attributes_by_name.get(hook, ()))
        or any(
            Role.READ in file.facts.roles(names[hook])
            for names in file.class_bindings.values()
            for hook in READING_HOOKS
            if hook in names
        )
        for file in evaluator.linkage.mentioning_any(READING_HOOKS)
    )


def _name_asked_before(before: str) -> re.Match[str] | None:
    """Where one name is sought in what stands behind some text, which does not go through all of them."""
    return None if _GOING_THROUGH_BEFORE.search(before) is not None else _ONE_NAME_BEFORE.search(before)


def _is_let_go(file: LinkedFile, use: AttributeUse) -> bool:
    """Whether an attribute of something, or a call of it without arguments, is all of a statement in a function, so that what
    it gives gets nowhere."""
    facts = file.facts
    statement = facts.statements[facts.statement_at(use.start)]
    is_all = statement.sort == "expr" and _CALLED_IF_AT_ALL.fullmatch(file.source.text, use.end, statement.end) is not None
    return is_all and facts.scopes[facts.owner(statement.scope)].kind is ScopeKind.FUNCTION


def _goes_on_as_whole(evaluator: Evaluator, file: LinkedFile, use: AttributeUse) -> bool:
    """Whether a namespace may become that of something else: it is set, given on, or handed to code of the project's own."""
    tree = syntax_tree(file.data)
    namespace = tree.attributes.get(use.end)
    around = tree.around[namespace] if namespace is not None and use.use is Use.READ else None
    match around:
        case ast.keyword():
            around = tree.around[around]
        case ast.Starred() | ast.FormattedValue() | ast.Subscript() | ast.Attribute() | ast.BinOp() | ast.Compare() | ast.UnaryOp():
            return False
        case ast.For() | ast.comprehension() | ast.If() | ast.IfExp() | ast.Assert():
            return False
    match around:
        case ast.Call(func=ast.Attribute(value=ast.Constant())):
            return False
        case ast.Call(func=ast.Name() | ast.Attribute() as called):
            values = evaluator.values(file, origin_of(file, called))
            return not all(evaluator.library_name(value) for value in values)
    return True


def _is_held_against_like(text: str, place: int) -> bool:
    """Whether the names of an instance are only held against those of another one of its class, which has the same."""
    return any(
        match.start() < place < match.end() and not text[: match.start()].rstrip().endswith("not")
        for match in _HELD_AGAINST_LIKE.finditer(text)
    )
