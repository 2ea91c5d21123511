"""Modules that hold a thing under a name, its *homes*, and who may ask them for that in other ways than by a reference:
code that has a home as a value, goes through the names in it, or looks names up that are worked out."""

from __future__ import annotations

import ast
import re
from collections.abc import Collection, Iterator, Mapping
from functools import cached_property

from zephyrun.facts import FrameRead, Role
from zephyrun.languages.python import name_readers
from zephyrun.languages.python.frame_reads import NAMESPACES
from zephyrun.link_facts import Handed, Origin, OriginSort, TextUse, Use
from zephyrun.linking.copied_names import only_gets_strangers
from zephyrun.linking.escapes import check_instruction_readers
from zephyrun.linking.evaluated_code import Evaluation, evaluations_in, evaluations_that_see, leads_to_modules, runs_of_files
from zephyrun.linking.glances import glance
from zephyrun.linking.import_graph import knows, modules_loaded, run_together
from zephyrun.linking.linkage import Content, LinkedFile
from zephyrun.linking.lookup_calls import READING_HOOKS
from zephyrun.linking.modules_about import comes_of_loading
from zephyrun.linking.names_asked import names_asked_for
from zephyrun.linking.names_begun import is_made_of_unknown, may_begin_in, puts_together_unknown
from zephyrun.linking.names_passed_over import namespace_passes_name_over, passes_name_over
from zephyrun.linking.reader_calls import calls_of_readers
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, syntax_tree
from zephyrun.linking.texts import LISTS_SPREAD
from zephyrun.linking.usage import OpenPlace, Place, PlaceSort, Usage
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, Value, Values, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

_READING_FRAMES = NAMESPACES | {"f_locals"}
# What looks a name up, or sets it, in what it is handed first; `patch.object` is among them.
LOOKUPS = name_readers.LOOKUPS | {"object", name_readers.LOOKS_PAST_HOOKS}
# What lists the names of what it is handed, and the table of them.
_LISTING_WORDS = name_readers.LISTING_NAMES | {"__dict__"}
_CLASSES_OF_MODULES = frozenset({"builtins.object", "types.ModuleType"})
_OWN_NAMESPACE = "globals"
# What runs the examples in a module.
_RUNNING_EXAMPLES = frozenset({"DocTestSuite", "testmod"})
# What gives all names of a namespace, and what makes something of these.
_GIVING_ALL = frozenset({"items", "keys", "copy"})
_MAKING_LISTS = frozenset("sorted list tuple set frozenset dict iter enumerate map filter join print".split())
_GIVING_NAMESPACE = frozenset({_OWN_NAMESPACE, "locals", "vars"})
_FILLING_BEGUN = lazy_pattern(r"\{[\w.\[\]]*\.(\w*)\Z")
_FILLING_BEGUN_SOMEWHERE = lazy_pattern(rb"\{[\w.\[\]]*\.\w*[\"']")
_DOT = lazy_pattern(r"\s*\.")


def place_in_text(file: LinkedFile, text: TextUse, name: str) -> Place | None:
    """Where a name stands in a text that is it; `None` where it is written otherwise there."""
    raw = file.source.text[text.start : text.end]
    if name not in raw:
        return None
    start = text.start + raw.index(name)
    return Place(file.path, start, start + len(name), PlaceSort.TEXT)


def places_filled_in(file: LinkedFile, name: str) -> Iterator[OpenPlace]:
    """Where texts have an attribute of that name filled in: `"{hive.weight}".format(hive=hive)`."""
    pattern = re.compile(rf"\{{[\w.\[\]]*\.({re.escape(name)})(?!\w)[^{{}}]*\}}")
    for text in file.facts.texts:
        if name in text.words and not text.interpolated and text.use != "documentation":
            for match in pattern.finditer(file.source.text, text.start, text.end):
                place = Place(file.path, match.start(1), match.end(1), PlaceSort.TEXT)
                yield OpenPlace(place, f"`{match[0]}`: it is not known what is filled in there")


class Homes:
    """The modules that hold something under a name, by their paths; `packages` are such ones that have no file."""

    def __init__(
        self, evaluator: Evaluator, usage: Usage, name: str, homes: Mapping[str, LinkedFile], packages: Collection[str] = ()
    ) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self._name = name
        self._homes = homes
        self._packages = packages

    @cached_property
    def words(self) -> set[str]:
        """All that the homes are called anywhere: by their own names, and by imports under other names."""
        return self._evaluator.modules_about.words_for(self._homes)

    def is_called_like_one(self, file: LinkedFile, origin: Origin) -> bool:
        """Whether a value is called as a home is somewhere: what is none of these is one only where a home goes about."""
        if origin.sort is OriginSort.NAME:
            return origin.binding < 0 or file.facts.bindings[origin.binding].name in self.words
        return origin.sort is OriginSort.ATTRIBUTE and origin.name in self.words

    def is_one(self, value: Value) -> bool:
        """Whether a value is one of the modules."""
        return _is_one(value, self._homes, self._packages)

    def go_about(self) -> bool:
        """Whether code may have a home that does not import it; doubts about what takes one."""
        about = self._evaluator.modules_about
        if self._find_loose_ones():
            return True
        is_loose = any(map(about.goes_about, self._homes)) or about.are_loaded_and_given_on
        if is_loose:
            self._check_listings(_paths_given_loaded_ones(self._evaluator))
        return is_loose

    def _find_loose_ones(self) -> bool:
        """Whether a home stands somewhere as a value."""
        is_loose = False
        for path, end in _where_modules_stand(self._evaluator, frozenset(self._homes), frozenset(self._packages)):
            file = self._evaluator.file(path)
            hand = file.handed_by_end.get(end)
            if hand is not None and self._runs_examples_alone(file, hand):
                continue
            says_which = hand is not None and self._says_which(file, hand)
            # What sets a name in a test keeps the module only to set that back.
            is_loose |= hand is None or not says_which or hand.callee.name not in LOOKUPS
            if hand is not None and not says_which:
                what = f"what takes the module in {path} does not look up `{self._name}` in it"
                self._usage.doubt(what, path, hand.start)
        named = {path for word in self.words for path in self._linkage.paths_mentioning(word)}
        for file in self._linkage.reading(sorted(named.intersection(self._linkage.paths_mentioning("__dict__")))):
            for use in file.links.attributes_by_name.get("__dict__", ()):
                may_be_home = is_loose or self.is_called_like_one(file, use.receiver)
                if may_be_home and any(map(self.is_one, self._evaluator.values(file, use.receiver))):
                    self._doubt_listing(file, use.start)
        is_loose |= self._is_handed_in_examples()
        if is_loose:
            self._check_listings()
        return is_loose

    def check_lookups(self) -> None:
        """What is looked up by its name in who knows what, which may be a home that goes about: places where the name is
        written out, and doubts about names that are worked out."""
        for file in self._linkage.mentioning(self._name):
            self._usage.open_places.extend(places_filled_in(file, self._name))
            for text in file.links.texts:
                if text.callee.name in name_readers.ASKING_LATER and self._name in text.words.split("."):
                    self._open_part(file, text)
                if text.words != self._name or text.position != 1 or text.callee.name not in LOOKUPS or not text.arguments:
                    continue
                place = place_in_text(file, text, self._name)
                if place is not None and UNKNOWN_VALUE in self._evaluator.values(file, text.arguments[0]):
                    self._usage.open_places.append(OpenPlace(place, f"it is not known what has the `{self._name}` that is asked for"))
        self._check_templates_begun()
        is_seldom = self._name.startswith("_") and not self._linkage.stands_in_quotes(self._name)
        for path in self._linkage.lookup_paths:
            data = self._linkage.contents[path]
            there = self._linkage.file(path)
            is_begun = is_seldom and may_begin_in(self._evaluator, path, self._name)
            is_made = is_seldom and not is_begun and isinstance(data, bytes) and puts_together_unknown(data)
            for lookup in there.links.lookups if there is not None else ():
                assert there is not None, "it has calls"
                if not lookup.may_find(self._name):
                    continue
                if is_seldom and lookup.is_open and not is_begun:
                    if not is_made or not is_made_of_unknown(self._evaluator, there, lookup, self._name):
                        continue
                values = self._evaluator.values(there, lookup.receiver)
                may_be_home = UNKNOWN_VALUE in values or any(map(self.is_one, values))
                if may_be_home and not self._evaluator.replaced_modules.is_some_module(there, lookup.receiver):
                    self._usage.doubt_lookup(path, lookup.start)

    def _open_part(self, file: LinkedFile, text: TextUse) -> None:
        """An open place where a text that is kept holds the name: who knows what will be asked for it."""
        start = file.source.text.find(self._name, text.start, text.end)
        if start >= 0:
            place = Place(file.path, start, start + len(self._name), PlaceSort.TEXT)
            self._usage.open_places.append(OpenPlace(place, f"it is not known what is asked for `{text.words}`"))

    def _check_templates_begun(self) -> None:
        """Doubts about texts that end within the name of something that is filled in there (`"{0." + word + "}"`)."""
        for path in self._linkage.paths_beginning(self._name, are_any=True):
            file = self._linkage.file(path) if _fills_in_begun(self._linkage.contents[path]) else None
            for text in file.facts.texts if file is not None else ():
                begun = _FILLING_BEGUN.search(text.words)
                if begun is not None and self._name.startswith(begun[1]) and text.use != "documentation":
                    self._usage.doubt(f"the text that begins a name in {path} does not become `{self._name}`", path, text.start)

    def _is_handed_in_examples(self) -> bool:
        """Whether examples in documentation hand a home on as a value; doubts about these, and those that list its names."""
        about = self._evaluator.modules_about
        handing = {path for home in self._homes for path in about.handed_in_examples(home)}
        for path in sorted(handing):
            self._usage.doubt(f"what takes the module in examples in {path} does not look up `{self._name}` in it", path)
        for path in sorted({path for home in self._homes for path in about.listed_in_examples(home)}):
            self._usage.doubt(f"what goes through the module's names in examples in {path} does not look for `{self._name}`", path)
        return bool(handing)

    def _check_listings(self, paths: Collection[str] | None = None) -> None:
        """Doubts about what lists the names of who knows what, in some files or in all, which may be a home that goes about."""
        for file in self._linkage.mentioning_any(_LISTING_WORDS):
            if paths is not None and file.path not in paths:
                continue
            listed = [(each.value, each.start) for each in file.links.handed if each.callee.name in _LISTING_WORDS]
            listed += [
                (use.receiver, use.start)
                for use in file.links.attributes_by_name.get("__dict__", ())
                if not only_gets_strangers(self._evaluator, file, use, self._name)
            ]
            for origin, start in listed:
                values = self._evaluator.values(file, origin)
                if UNKNOWN_VALUE in values or any(map(self.is_one, values)):
                    self._doubt_listing(file, start)
            for _, start in file.builtins_kept(_LISTING_WORDS):
                self._doubt_listing(file, start)
            for spread in LISTS_SPREAD.finditer(file.source.text):
                self._doubt_listing(file, spread.start())

    def _doubt_listing(self, file: LinkedFile, start: int) -> None:
        self._usage.doubt_reader(
            f"what goes through the module's names in {file.path} does not look for `{self._name}`", file.path, start
        )

    def _runs_examples_alone(self, file: LinkedFile, hand: Handed) -> bool:
        """Whether what a module is handed to runs the examples in it, and asks it for nothing else."""
        if hand.callee.name not in _RUNNING_EXAMPLES:
            return False
        called = map(self._evaluator.library_name, self._evaluator.values(file, hand.callee))
        return all(name == f"doctest.{hand.callee.name}" for name in called)

    def _says_which(self, file: LinkedFile, hand: Handed) -> bool:
        """Whether the call that a module is handed to says which name it wants."""
        return any(
            text.call == hand.call and text.position == hand.position + 1 and text.is_plain
            for text in file.links.texts
        )

    def check_readers(self) -> None:
        """Doubts about what could look the name up among those of a module."""
        name = self._name
        for file in self._homes.values():
            for exposure in file.facts.exposures:
                is_in_module = file.facts.owner(exposure.scope) == 0
                runs_text = exposure.what.startswith(("eval", "exec"))
                if (is_in_module or runs_text) and exposure.reads.names != ():
                    self._usage.doubt_reader(
                        f"nothing looks up `{name}` by name through {exposure.what} in {file.path}",
                        file.path,
                        exposure.start,
                    )
            match = re.search(r"\bglobals\s*\(|\bsys\.modules\b", file.source.text)
            if match is not None and (
                "globals" in match[0] or self._linkage.takes_any_module(file.path)
            ):
                self._usage.doubt_reader(
                    f"nothing looks up `{name}` by name through {match[0].rstrip('(')} in {file.path}",
                    file.path,
                    match.start(),
                )
            for start in _namespaces_kept(file):
                self._usage.doubt_reader(
                    f"nothing looks up `{name}` by name through {_OWN_NAMESPACE} in {file.path}", file.path, start
                )
        self._check_namespace_readers()
        self._check_evaluations()
        check_instruction_readers(self._evaluator, self._usage, self._homes)
        # A private name is seldom worked out: somewhere it would have to stand as a text.
        is_worked_out = not name.startswith("_") or self._linkage.stands_in_quotes(name)
        for path in self._linkage.loading_paths:
            if path in self._homes or not self._may_load_home(path):
                continue
            if is_worked_out or may_begin_in(self._evaluator, path, name) or self._lists_names(path) or self._is_asked_by_hook(path):
                self._usage.doubt_reader(
                    f"{path}, which loads modules by names that it works out, does not look up `{name}`",
                    path,
                )

    def _check_evaluations(self) -> None:
        """Doubts about code that is run elsewhere, and sees a home by a name or is what stands in it."""
        for running, each, path in runs_of_files(self._linkage, self._homes):
            what = f"{running}, which runs what stands in files, does not look up `{self._name}` of {path}"
            self._usage.doubt_reader(what, running, each.start)
        if self._name.startswith("_") and not self._linkage.stands_in_quotes(self._name):
            # A private name is seldom worked out.
            return

        for path in self._homes:
            for each in evaluations_in(self._linkage, path):
                if not each.is_own:
                    self._doubt_evaluation(path, each)

        def leads_here(values: Values) -> bool:
            return any(map(self.is_one, values)) or leads_to_modules(self._evaluator, values, self._homes)

        for path, each in evaluations_that_see(self._evaluator, leads_here, only_imported=True):
            if path not in self._homes:
                self._doubt_evaluation(path, each)

    def _doubt_evaluation(self, path: str, evaluation: Evaluation) -> None:
        what = f"nothing looks up `{self._name}` by name through {evaluation.what} in {path}"
        self._usage.doubt_reader(what, path, evaluation.start)

    def _is_asked_by_hook(self, path: str) -> bool:
        """Whether a file has things that answer for any attribute, and something may be asked for one of the name."""
        return any(path in self._linkage.paths_mentioning(hook) for hook in READING_HOOKS) and self._is_asked_of_things

    @cached_property
    def _is_asked_of_things(self) -> bool:
        """Whether something that need be no module is asked for an attribute of the name."""
        return any(
            value.sort is not ValueSort.MODULE
            for file in self._linkage.mentioning(self._name)
            for use in file.links.attributes_by_name.get(self._name, ())
            for value in self._evaluator.values(file, use.receiver)
        )

    def _may_load_home(self, path: str) -> bool:
        """Whether what a file loads may be a home, or hold one: all that it loads may be written out."""
        loaded = modules_loaded(self._evaluator, path)
        return loaded is None or not loaded.isdisjoint(self._homes)

    def _lists_names(self, path: str) -> bool:
        """Whether a file lists the names of a module that it loads, and does not pass this one over."""
        file = self._linkage.file(path)
        if file is None:
            return False
        listed = (each for each in file.links.handed if each.callee.name in _LISTING_WORDS and comes_of_loading(file, each.value, self.words))
        taken = (
            each
            for each in file.links.attributes_by_name.get("__dict__", ())
            if comes_of_loading(file, each.receiver, self.words)
            # What is asked for one name lists none.
            and names_asked_for(file, syntax_tree(file.data).attributes[each.end]) is None
        )
        return any(not passes_name_over(self._evaluator, file, each, self._name) for each in listed) or any(
            not namespace_passes_name_over(self._evaluator, file, each.end, self._name) for each in taken
        )

    def _lists_namespace(self, file: LinkedFile) -> bool:
        """Whether a file goes through all names that functions or frames have, and does not pass this one over."""
        return any(not namespace_passes_name_over(self._evaluator, file, end, self._name) for end in _namespaces_gone_through(file.data))

    def _check_namespace_readers(self) -> None:
        """Doubts about code that reads the namespaces of modules off functions or frames."""
        # Somewhere a private name would have to stand as a text, or a beginning of it.
        is_seldom = self._name.startswith("_") and not self._linkage.stands_in_quotes(self._name)
        readers = {file.path: file for word in sorted(_READING_FRAMES) for file in self._linkage.mentioning(word)}
        for reader in readers.values():
            if is_seldom and not may_begin_in(self._evaluator, reader.path, self._name) and not self._lists_namespace(reader):
                continue
            for path, home in self._homes.items():
                calls = calls_of_readers(self._evaluator, path)
                reads: list[FrameRead] = []
                if run_together(self._evaluator, path, reader.path) or self._evaluator.modules_about.goes_about(path):
                    # A function has the names of its module with it, whoever hands it on.
                    reads += reader.facts.namespace_reads
                if knows(self._evaluator, path, reader.path):
                    reads += (each.reads for each in reader.facts.exposures if each.whole_file)
                if any(each.may_find(self._name, calls, 0, len(home.source.text)) for each in reads):
                    self._usage.doubt_reader(
                        f"nothing looks up `{self._name}` among the names of running code in {reader.path}",
                        reader.path,
                    )

    def check_patterns(self) -> None:
        """Places where a pattern asks who knows what for the name (`case object(hives=found)`), which may be a home."""
        for file in self._linkage.mentioning(self._name):
            for use in file.links.keywords:
                if not use.in_pattern or use.name != self._name:
                    continue
                if any(_may_be_module_class(value) for value in self._evaluator.values(file, use.callee)):
                    place = Place(file.path, use.start, use.end, PlaceSort.KEYWORD)
                    self._usage.open_places.append(OpenPlace(place, f"the pattern's `{self._name}`: it is not known of which class"))


def _is_one(value: Value, homes: Collection[str], packages: Collection[str]) -> bool:
    """Whether a value is one of some modules, or of some packages without a file."""
    if value.sort is ValueSort.PACKAGE:
        return value.name in packages
    return value.sort is ValueSort.MODULE and value.path in homes


@once_a_version
def _where_modules_stand(evaluator: Evaluator, homes: frozenset[str], packages: frozenset[str]) -> list[tuple[str, int]]:
    """Where some modules stand as values of their own, and not before a dot: files, and where it ends there."""
    words = evaluator.modules_about.words_for(homes)
    files = evaluator.linkage.mentioning_any(words)
    return [(file.path, end) for file in files for end in _ends_of_modules(evaluator, file, words, homes, packages)]


def _ends_of_modules(
    evaluator: Evaluator, file: LinkedFile, words: Collection[str], homes: Collection[str], packages: Collection[str]
) -> Iterator[int]:
    text = file.source.text
    for index, record in enumerate(file.facts.bindings):
        # At a glance: only what is imported by such a name can be one of them, be it with all of another module.
        if record.name not in words or not (record.outside or index in file.imported_bindings):
            continue
        if not any(_is_one(value, homes, packages) for value in evaluator.binding_values(file, index)):
            continue
        for number in record.references:
            reference = file.facts.references[number]
            if reference.role is Role.READ and not _DOT.match(text, reference.end):
                yield reference.end
    for word in sorted(words):
        for attribute in file.links.attributes_by_name.get(word, ()):
            if _DOT.match(text, attribute.end) or attribute.use is not Use.READ:
                continue
            receivers = evaluator.values(file, attribute.receiver)
            values = [evaluator.attribute_values(file, each, word) for each in receivers]
            if any(_is_one(value, homes, packages) for each in values for value in each):
                yield attribute.end


@once_a_version
def _paths_given_loaded_ones(evaluator: Evaluator) -> frozenset[str]:
    """The files whose functions are handed modules that are loaded by their names."""
    files = filter(None, map(evaluator.linkage.file, evaluator.linkage.finding_paths))
    return frozenset(
        value.path
        for file in files
        for handed in file.links.handed
        if comes_of_loading(file, handed.value)
        for value in evaluator.values(file, handed.callee)
        if value.sort in (ValueSort.FUNCTION, ValueSort.CLASS)
    )


@glance
def _namespaces_gone_through(data: bytes) -> tuple[int, ...]:
    """Where the names end that a file which can be parsed goes through, all that functions or frames have."""
    tree = syntax_tree(data)
    taken = ((end, each) for end, each in tree.attributes.items() if each.attr in _READING_FRAMES)
    return tuple(end for end, each in taken if _is_gone_through(tree, each))


def _is_gone_through(tree: SyntaxTree, namespace: ast.AST) -> bool:
    """Whether a loop goes through a namespace, or something makes a list of it."""
    around = tree.around[namespace]
    if isinstance(around, ast.Attribute) and around.attr in _GIVING_ALL:
        return _is_gone_through(tree, tree.around[around])
    if isinstance(around, ast.For | ast.comprehension):
        return around.iter is namespace
    return isinstance(around, ast.Call) and called_name(around) in _MAKING_LISTS


def _fills_in_begun(data: Content) -> bool:
    """Whether a file seems to have such a text."""
    return isinstance(data, bytes) and _FILLING_BEGUN_SOMEWHERE.search(data) is not None


def _namespaces_kept(file: LinkedFile) -> Iterator[int]:
    """Where what gives the names of a file is a value, or gets another name."""
    yield from (start for _, start in file.builtins_kept(_GIVING_NAMESPACE))
    yield from (use.start for use in file.links.imports if use.has_alias and use.name in _GIVING_NAMESPACE)


def _may_be_module_class(value: Value) -> bool:
    return value == UNKNOWN_VALUE or value.name in _CLASSES_OF_MODULES
