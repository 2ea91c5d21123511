"""Where instances and classes get to code that may ask them for anything, or become something else."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from zephyrun.link_facts import AttributeUse, Handed, Origin, OriginSort, Use
from zephyrun.linking.class_families import ClassFamily
from zephyrun.linking.escapes import check_handed, is_worth_asking_all
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.member_readers import LONGEST_RECEIVER, MemberReaders
from zephyrun.linking.members_taken import LEADING_TO_FUNCTION
from zephyrun.linking.references import is_public, shown_attribute
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.usage import Place, PlaceSort, Usage
from zephyrun.linking.value_sorts import ClassKey, FunctionKey, Value, ValueSort, classes_among, with_parts
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

# What takes an instance and asks it for nothing but special methods.
_ASKING_NOTHING = frozenset(
    f"builtins.{name}"
    for name in """len repr str print isinstance issubclass iter next list tuple set frozenset sorted
    reversed enumerate zip sum min max any all bool hash id type int float abs round format super
    callable getattr setattr hasattr delattr bytes map filter""".split()
) | frozenset(
    """copy.copy copy.deepcopy dataclasses.replace typing.cast weakref.ref weakref.proxy
    functools.partial threading.Thread collections.deque collections.Counter
    collections.defaultdict itertools.chain operator.attrgetter asyncio.gather asyncio.run
    asyncio.create_task asyncio.wait_for asyncio.ensure_future builtins.object.__setattr__
    builtins.object.__getattribute__ builtins.object.__delattr__""".split()
) | frozenset(
    f"{logger}.{level}"
    for logger in ("logging", "logging.Logger()")
    for level in "debug info warning warn error exception critical fatal log".split()
)
_ASKING_MEMBERS = frozenset(
    """builtins.vars builtins.dir dataclasses.asdict dataclasses.astuple dataclasses.fields
    inspect.getmembers inspect.getmembers_static inspect.classify_class_attrs inspect.get_annotations
    typing.get_type_hints""".split()
)
_ASKING_WORDS = frozenset(name.rpartition(".")[2] for name in _ASKING_MEMBERS)
# What of a method tells nothing of the instances that it is given.
_ABOUT_METHOD = lazy_pattern(r"\s*\.\s*__(?:doc|name|qualname|module|annotations)__\b")
# A method that is asked for by its name, of what is called like a class or in a namespace.
_TAKES_FROM_CLASS = lazy_pattern(
    r"getattr(?:_static)?\(\s*(?:[\w.]*\.)?[A-Z]\w*\s*,\s*\Z|getattr(?:_static)?\(\s*type\([\w.]*\)\s*,\s*\Z|(?:__dict__|vars\([\w.]*\))\s*(?:\[|\.\s*get\()\s*\Z"
)


class MemberEscapes:
    """Doubts about whom instances of a family and their methods are given to."""

    def __init__(self, evaluator: Evaluator, usage: Usage, family: ClassFamily, readers: MemberReaders) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._usage = usage
        self._family = family
        self._readers = readers
        self._name, self._spelling, self._is_private = family.name, family.spelling, family.is_private

    def check_lent_methods(self) -> None:
        """Methods that ask their instance for the name, and that are taken from the class for who knows
        what instance."""
        asking: dict[FunctionKey, str] = {}
        for file, use, _ in self._family.uses:
            owners = {
                (file.path, origin.binding)
                for origin in file.links.sources.get(use.receiver.binding, ())
                if use.receiver.sort is OriginSort.NAME and origin.sort is OriginSort.OWN
            }
            if owners & self._family.reachable:
                asking.update(
                    ((file.path, number), record.name)
                    for number, record in enumerate(file.links.functions)
                    if record.parameters and record.parameters[0].binding == use.receiver.binding
                )
        for file in self._linkage.mentioning_any(set(asking.values())):
            for taken in file.links.attributes:
                if taken.name in asking.values() and self._is_lent(file, taken, asking):
                    self._usage.doubt(
                        f"`{shown_attribute(file, taken.end)}` in {file.path}, taken from its class, is only "
                        f"given instances that have `{self._spelling}`",
                        file.path,
                        taken.start,
                    )
            for name, start in _taken_otherwise(file, set(asking.values())):
                self._usage.doubt(
                    f"`{name}`, taken from its class in {file.path}, is only given instances that have `{self._spelling}`",
                    file.path,
                    start,
                )

    def _is_lent(
        self, file: LinkedFile, taken: AttributeUse, asking: Mapping[FunctionKey, str]
    ) -> bool:
        """Whether a method is taken from a class, and not at once called with an instance of it."""
        if taken.use is not Use.READ or _ABOUT_METHOD.match(file.source.text, taken.end):
            return False
        values = self._evaluator.values(file, taken.receiver)
        functions = {key for value in values if value.sort is ValueSort.CLASS for key in self._functions_of(file, value, taken.name)}
        if functions.isdisjoint(asking):
            return False
        homes = [(path, self._evaluator.function_record((path, number)).owner) for path, number in functions & asking.keys()]
        for handed in file.links.handed:
            if handed.call == taken.end and handed.position == 0:
                given = self._evaluator.values(file, handed.value)
                return not all(value.sort is ValueSort.INSTANCE and self._is_of((value.path, value.number), homes) for value in given)
        return True

    def _functions_of(self, file: LinkedFile, of_class: Value, name: str) -> Iterator[FunctionKey]:
        """The functions that a class may have under a name; where it is called by its own, none of one below it."""
        evaluator = self._evaluator
        above = evaluator.above((of_class.path, of_class.number))
        for value in evaluator.attribute_values(file, of_class, name):
            if value.sort is not ValueSort.FUNCTION:
                continue
            record = evaluator.function_record((value.path, value.number))
            if of_class.may_be_below or record.owner < 0 or (value.path, record.owner) in above:
                yield value.path, value.number

    def _is_of(self, key: ClassKey, homes: Collection[ClassKey]) -> bool:
        """Whether instances of a class are of the family, or of all the classes whose methods they are given to."""
        above = self._evaluator.above(key)
        return key in self._family.reachable or all(home in above for home in homes)

    def check_changed_classes(self) -> None:
        """Doubts about instances that become such of another class, which then asks them for what they have."""
        is_asked_elsewhere = self._family.is_borne_by_another_class or any(classes_among(values) - self._family.reachable for _, _, values in self._family.uses)
        for file, use in self._evaluator.writes("__class__") if is_asked_elsewhere else ():
            if self._family.may_be_ours(file, use.receiver) or classes_among(self._evaluator.values(file, use.value)) & self._family.reachable:
                self._usage.doubt(
                    f"what gets another class in {file.path} has no `{self._spelling}` that is asked for there", file.path, use.start
                )

    def check_escapes(self) -> None:
        """Instances that go to code that was not read, which may ask them for any public name."""
        if self._linkage.is_library and not self._is_private and self._is_public_class():
            self._usage.doubt(
                f"no code outside this project uses {self._usage.label}",
                *self._usage.first_place(),
                of_outsiders=True,
            )
        if not self._is_private and self._family.may_be_asked_for() and _hands_on_strangers(self._evaluator):
            # One of them may be an instance that was said to be something else, or got there out of sight.
            self._usage.doubt(
                f"the library, which may ask what it is handed for `{self._spelling}`, is handed none of these",
                *self._usage.first_place(),
            )
        words = {self._evaluator.class_record(key).name for key in self._family.classes}
        near = {file.path: file for file in self._linkage.mentioning_any({*words, self._spelling})}
        for file in near.values():
            self._check_handed_in(file)
        for file in self._linkage.mentioning_any(_ASKING_WORDS):
            for handed in file.links.handed if file.path not in near else ():
                if handed.callee.name in _ASKING_WORDS and classes_among(self._evaluator.values(file, handed.value)) & self._family.reachable:
                    self._doubt_members_listed(file, handed)
        for path in self._linkage.paths if not self._is_let_alone else ():
            # An instance may be handed on where nobody speaks of it.
            if not is_worth_asking_all(self._evaluator, self._usage):
                return
            far = self._linkage.file(path) if path not in near else None
            if far is not None:
                self._check_handed_in(far)

    @property
    def _is_let_alone(self) -> bool:
        """Whether code that was not read asks for no such name: a private one that is written out nowhere."""
        return self._is_private and not self._family.is_key

    def _check_handed_in(self, file: LinkedFile) -> None:
        """Doubts about what a file hands instances of the family to."""
        for handed, classes, held, asks_nothing in _handed_instances(self._evaluator, file.path):
            if classes & self._family.reachable and (name := self._becomes_own_of(file, handed, classes)):
                called = f"`{name}` in {file.path}"
                what = f"{called} does not look at `{self._spelling}` of what it is called on"
                self._usage.doubt(what, file.path, handed.start, called=called)
            if handed.callee.name not in _ASKING_WORDS and self._is_let_alone:
                continue
            is_written_to = handed.keyword == "file" and self._spelling in ("write", "flush")
            if (asks_nothing and not is_written_to) or not held & self._family.reachable:
                continue
            if self._doubt_members_listed(file, handed) or self._is_let_alone:
                continue
            check_handed(
                self._evaluator,
                self._usage,
                file,
                handed.callee,
                Place(file.path, handed.start, handed.end, PlaceSort.READ),
                f"`{self._spelling}` of what it is given",
                () if is_written_to else _ASKING_NOTHING,
                of_names=self._is_private,
            )

    def _doubt_members_listed(self, file: LinkedFile, handed: Handed) -> bool:
        """A doubt where something of the family is handed to what lists its names, and these are looked into; whether it is."""
        callees = self._evaluator.values(file, handed.callee)
        names = set(map(self._evaluator.library_name, callees)) & _ASKING_MEMBERS
        if not names or self._readers.is_not_among(file, handed):
            return False
        self._usage.doubt(
            f"what `{min(names)}` gives in {file.path} is not looked into for `{self._spelling}`",
            file.path,
            handed.start,
            of_names=True,
        )
        return True

    def _becomes_own_of(self, file: LinkedFile, handed: Handed, classes: set[ClassKey]) -> str:
        """The method of another class that takes what it is handed, an instance of some classes, for one of its own; "" for
        none. One of a class above takes it for what it is."""
        callee = handed.callee
        if handed.position != 0 or callee.sort is not OriginSort.ATTRIBUTE:
            return ""
        named = self._evaluator.values(file, callee.parts[0])
        if not any(value.sort is ValueSort.CLASS for value in named):
            return ""
        # What is called by the name of its class is none from below it.
        are_exact = all(value.sort is ValueSort.CLASS and not value.may_be_below for value in named)
        homes = {each for value in named for each in self._evaluator.above((value.path, value.number))} if are_exact else set()
        for value in self._evaluator.values(file, callee):
            if value.sort is not ValueSort.FUNCTION:
                continue
            there, record = self._evaluator.file(value.path), self._evaluator.function_record((value.path, value.number))
            owner = (value.path, record.owner)
            is_below = are_exact and owner not in homes
            if record.owner < 0 or is_below or owner in self._family.reachable:
                continue
            if all(owner in self._evaluator.above(each) for each in classes):
                continue
            if self._evaluator.borrowed.is_borrowed(there, value.number):
                # What it calls its own is open for that.
                continue
            for parameter in self._evaluator.parameters_filled(there, value.number, file, handed):
                if any(each.sort is OriginSort.OWN for each in there.links.sources.get(parameter.binding, ())):
                    return record.name
        return ""

    def _is_public_class(self) -> bool:
        return any(
            is_public(
                self._evaluator,
                self._evaluator.file(key[0]),
                self._evaluator.class_record(key).name,
            )
            for key in self._family.classes
        )


@once_a_version
def _handed_instances(
    evaluator: Evaluator, path: str
) -> list[tuple[Handed, set[ClassKey], set[ClassKey], bool]]:
    """What a file hands to calls that are or may be instances of classes, or hold some, with the classes of what it is, and of
    all that is in it, and whether what is called asks it for nothing."""
    file = evaluator.file(path)
    found = []
    for handed in file.links.handed:
        values = evaluator.values(file, handed.value)
        if held := classes_among(with_parts(values)):
            asks_nothing = _fills_literal(file, handed) or _asks_nothing(evaluator, file, handed.callee)
            found.append((handed, classes_among(values), held, asks_nothing))
    return found


@once_a_version
def _hands_on_strangers(evaluator: Evaluator) -> bool:
    """Whether anything whose class is not known is handed to code that was not read."""
    files = filter(None, map(evaluator.linkage.file, evaluator.linkage.paths))
    return any(
        not _asks_nothing(evaluator, file, handed.callee)
        and any(value.sort in (ValueSort.UNKNOWN, ValueSort.OUTSIDE) for value in evaluator.values(file, handed.value))
        for file in files
        for handed in file.links.handed
    )


def _fills_literal(file: LinkedFile, handed: Handed) -> bool:
    """Whether something is filled into a text that is written there, and which asks it for no attribute (`"{} kg".format(hive)`)."""
    return handed.callee.name == "format" and handed.call - len(".format") in file.ends_of_plain_templates


def _asks_nothing(evaluator: Evaluator, file: LinkedFile, callee: Origin) -> bool:
    """Whether what is called is the project's own, or asks what it is given for nothing."""
    return all(
        value.name in _ASKING_NOTHING
        or (
            value.sort in (ValueSort.FUNCTION, ValueSort.CLASS)
            and evaluator.file(value.path).is_own
        )
        for value in evaluator.values(file, callee)
    )


def _taken_otherwise(file: LinkedFile, names: Collection[str]) -> Iterator[tuple[str, int]]:
    """Which of some methods a file may take from their class by a text or as the function behind them, and where."""
    for word in LEADING_TO_FUNCTION:
        for use in file.links.attributes_by_name.get(word, ()):
            yield from ((each.name, use.start) for each in _sources_of(file, use.receiver) if each.name in names)
    for asked in file.links.texts:
        if asked.words in LEADING_TO_FUNCTION and asked.arguments:
            yield from ((each.name, asked.start) for each in _sources_of(file, asked.arguments[0]) if each.name in names)
    for text in file.facts.texts:
        before = file.source.text[max(text.start - LONGEST_RECEIVER, 0) : text.start]
        if text.words in names and _TAKES_FROM_CLASS.search(before) is not None:
            yield text.words, text.start


def _sources_of(file: LinkedFile, origin: Origin) -> tuple[Origin, ...]:
    """Where a value comes from, where that is a variable; else itself."""
    return file.links.sources.get(origin.binding, ()) if origin.sort is OriginSort.NAME else (origin,)
