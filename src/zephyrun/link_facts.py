"""What one file says to others: read only where a question reaches beyond one file.

Beside `FileFacts`, which a survey needs, these records say where values come from, so that the
receiver of an attribute can be told. Like those they hold offsets and no text; indices of bindings and
scopes are those of the file's `FileFacts`.

Words used here:

- *origin*: where a value comes from, as far as the expression itself says it.
- *source*: an origin that a binding may get its value from.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import NamedTuple


class OriginSort(StrEnum):
    """What an origin is; the comment says what its `name` and `parts` hold."""

    NAME = "name"  # a binding's value
    ATTRIBUTE = "attribute"  # name of parts[0]
    CALL = "call"  # result of parts[0], called with parts[1:]
    ELEMENT = "element"  # parts[0] at an index; name is the index where it is a plain number
    EACH = "each"  # what going through parts[0] gives
    PART = "part"  # some of parts[0], of its own kind
    PROMISE = "promise"  # what gives parts[0] once it is awaited
    AWAITED = "awaited"  # what awaiting parts[0] gives
    ENTERED = "entered"  # what `with parts[0]` gives
    EITHER = "either"  # one of the parts
    SERIES = "series"  # a collection called name, of the parts
    TUPLE = "tuple"  # the parts, one by one
    MAPPING = "mapping"  # a dictionary with the parts as values
    OPERATION = "operation"  # an operator's result on the parts
    GROWN = "grown"  # what the name it goes to has, with parts[0] worked into it (`total += kg`)
    PLAIN = "plain"  # an instance of the builtin class called name
    INSTANCE = "instance"  # an instance of the class that parts[0] is
    CLASS = "class"  # the class that parts[0] is, or one below it
    DEFINED_CLASS = "defined class"  # the class record at index `binding`
    DEFINED_FUNCTION = "defined function"  # the function record at index `binding`
    IMPORTED = "imported"  # the import record at index `binding`
    OWN = "own"  # an instance of the class record at index `binding`, or of one below it
    OWN_CLASS = "own class"  # the class record at index `binding`, or one below it
    ABOVE = "above"  # `super()` in the class record at index `binding`
    PASSED = "passed"  # what callers pass; `binding` is the function record, name the parameter
    UNKNOWN = "unknown"


class Origin(NamedTuple):
    """Where a value comes from (see `OriginSort`)."""

    sort: OriginSort
    name: str = ""
    binding: int = -1
    parts: tuple[Origin, ...] = ()


UNKNOWN = Origin(OriginSort.UNKNOWN)


class Use(StrEnum):
    """What is done with an attribute."""

    READ = "read"
    WRITE = "write"
    DELETE = "delete"


class AttributeUse(NamedTuple):
    """A name behind a dot. `name` is mangled where the language does so; `value` is what is assigned."""

    start: int
    end: int
    name: str
    use: Use
    receiver: Origin
    scope: int
    value: Origin = UNKNOWN


class KeywordUse(NamedTuple):
    """A keyword in a call, or in a class pattern (`in_pattern`), of what `callee` is. `call` is where the
    callee ends, which tells one call from another; -1 outside of calls."""

    start: int
    end: int
    name: str
    callee: Origin
    call: int = -1
    in_pattern: bool = False


class RestUse(NamedTuple):
    """A dictionary of keywords in a call of what `callee` is (`call` as for keywords): behind `**`, or, where
    it `is_passed`, as an argument of its own (`Thread(target=…, kwargs=…)`). `value` is what stands there,
    from `start` to `end`; `keys` are those of a dictionary written out there, `None` where they are not
    known."""

    start: int
    end: int
    callee: Origin
    keys: tuple[str, ...] | None
    value: Origin
    call: int
    is_passed: bool = False


class ImportUse(NamedTuple):
    """One name of an import statement. `module` has its leading dots; `name` is "" for `import module`
    and "*" for everything. `start` and `end` are those of the imported name as it is written, the whole
    dotted one for `import module`; `module_start` where the module's own name is written, -1 for none.
    """

    module: str
    name: str
    start: int
    end: int
    module_start: int
    binding: int
    has_alias: bool


class TextUse(NamedTuple):
    """A text that is or holds names, and the call that it is handed to (`call` as for keywords).
    `position` is the argument's, -1 for a keyword or where it is in no call; `arguments` are the origins
    of the positional ones; `is_plain` says whether it stands in the file as it is."""

    start: int
    end: int
    words: str
    callee: Origin
    call: int
    position: int
    keyword: str
    arguments: tuple[Origin, ...]
    is_plain: bool


class Lookup(NamedTuple):
    """A call that looks an attribute of `receiver` up by a name that is worked out, and what such a name
    begins and ends with: "" where that is not known. Where a variable may hold several texts, each is one lookup;
    with `is_whole`, the prefix is all of it. It `is_handed_on` where it is what the special method around was asked for.
    Of a variable of which nothing is known `binding` is the binding; `only_name` is that of the one name with which a name
    is worked out of texts (-1 for none or more)."""

    start: int
    receiver: Origin
    prefix: str
    suffix: str = ""
    is_handed_on: bool = False
    is_whole: bool = False
    binding: int = -1
    only_name: int = -1

    def may_find(self, name: str) -> bool:
        """Whether the name that is worked out may be this one."""
        if self.is_whole:
            return name == self.prefix
        is_long_enough = len(name) >= len(self.prefix) + len(self.suffix)
        return is_long_enough and name.startswith(self.prefix) and name.endswith(self.suffix)

    @property
    def is_open(self) -> bool:
        """Whether the name may be any."""
        return not (self.prefix or self.suffix or self.is_whole)

    @property
    def shape(self) -> str:
        """How such names are spelled, for readers: `begin with "do_"`; "" where nothing is known, or all of it."""
        if self.is_whole:
            return ""
        parts = [
            f'{verb} with "{part}"'
            for verb, part in (("begin", self.prefix), ("end", self.suffix))
            if part
        ]
        return " and ".join(parts)


class Handed(NamedTuple):
    """A value that an argument hands to what `callee` is (`call` as for keywords). `position` is -1 for a
    keyword; `keyword` is "*" or "**" for what is spread out, and "…" for what stands in a collection
    that is written out as the argument, however deep."""

    start: int
    end: int
    value: Origin
    callee: Origin
    call: int
    position: int
    keyword: str


class Put(NamedTuple):
    """A value that is put into a collection, whose expression ends at `end`: `value` is one of its elements from
    then on, of a dictionary one of its values, or, where it `is_spread`, holds what becomes that."""

    end: int
    value: Origin
    is_spread: bool = False


class ParameterSort(StrEnum):
    """How a parameter takes its value."""

    POSITIONAL = "positional"
    EITHER = "either"
    KEYWORD = "keyword"
    REST = "rest"
    REST_KEYWORDS = "rest keywords"


# Parameters that an argument fills by its place, and by its name.
BY_POSITION = (ParameterSort.POSITIONAL, ParameterSort.EITHER)
BY_KEYWORD = (ParameterSort.EITHER, ParameterSort.KEYWORD)


class ParameterRecord(NamedTuple):
    """One parameter. `annotation` is the origin of what it says, `None` where there is none; `default`
    is that of its default."""

    name: str
    start: int
    sort: ParameterSort
    binding: int
    default: Origin | None
    annotation: Origin | None


@dataclass(frozen=True)
class FunctionRecord:
    """One function. `binding` is that of its name (-1 for a lambda), `owner` the index of the class
    record whose body it stands in, -1 for none; `gives` is what a call gives."""

    name: str
    binding: int
    name_start: int
    scope: int
    owner: int
    decorators: tuple[Origin, ...]
    parameters: tuple[ParameterRecord, ...]
    gives: Origin


class FieldText(NamedTuple):
    """A field or member that a class has from a text in the call that makes it."""

    name: str
    start: int
    end: int


@dataclass(frozen=True)
class ClassRecord:
    """One class. `scope` is that of its body, `around` the one it stands in; `metaclass` is the origin of
    what it names as one, `None` where it names none.

    One that a call makes (`namedtuple("Row", "w day")`) has no body, so that its scope is -1; what the call
    is of counts as its base, and `fields` are the texts that name what it has.
    """

    name: str
    binding: int
    name_start: int
    scope: int
    around: int
    bases: tuple[Origin, ...]
    metaclass: Origin | None
    decorators: tuple[Origin, ...]
    fields: tuple[FieldText, ...] = ()

    def has_field(self, name: str) -> bool:
        """Whether a text names such a field."""
        return any(field.name == name for field in self.fields)


# The words of a dotted name; none where a value is worked out in another way.
Dotted = tuple[str, ...]


class WrittenBase(NamedTuple):
    """A base as it is written; with a `title`, it is what a call of the words makes under that name."""

    words: Dotted
    title: str = ""


class BoundNames(NamedTuple):
    """Names by what binds them: classes, imports (to a module, or to what stands in it under a second name), what others are
    called or calls make, what is no class (`None`, numbers, texts, functions), and anything else."""

    classes: frozenset[str]
    imports: dict[str, tuple[tuple[str, str], ...]]
    names: dict[str, tuple[WrittenBase, ...]]
    plain: frozenset[str]
    others: frozenset[str]


class ClassHead(NamedTuple):
    """A class by its name, its bases, and whether it stands in a function or another class."""

    name: str
    bases: tuple[WrittenBase, ...]
    is_inside: bool


class ClassHeads(NamedTuple):
    """The heads of all classes of a file that have bases; what binds the names of the module, and those of scopes inside
    it that a base may mean; the modules of which it takes everything; and the attributes that it gives values: those that
    methods give to what they are called on, and all others. What is `ambiguous` is imported somewhere and a parameter or local
    elsewhere. The `methods` of each class are those that get their own instance."""

    heads: tuple[ClassHead, ...]
    of_module: BoundNames
    inside: BoundNames
    stars: tuple[str, ...]
    written: frozenset[str]
    written_to_own: frozenset[str]
    ambiguous: frozenset[str]
    methods: dict[str, frozenset[str]]


class MemberTaken(NamedTuple):
    """A name behind a dotted one (`Hive.weigh`), which may be a method that is taken from its class: called with something, or
    kept; without an owner, of a class that is told by an instance. It is called with the method's own instance in the class
    `within`; "" for anything else. With `is_example`, it stands in an example in documentation; with `is_by_text`, in a
    text that something is asked for."""

    owner: Dotted
    name: str
    within: str
    is_example: bool = False
    is_by_text: bool = False


class ModuleUses(NamedTuple):
    """What a file does with what it imports, at a glance: its imports in whatever scope (the name, the module, and what stands
    in that, if anything); dotted names that stand as values by themselves; those that are asked what names they have, or for
    names that are worked out, the file itself among them as `()`; the names that something is asked for by texts; and those
    that are given names which are worked out, anything among them as `()`; and what is `taken` from what may be classes."""

    imports: frozenset[tuple[str, str, str]]
    standing: frozenset[Dotted]
    listed: frozenset[Dotted]
    asked: frozenset[str]
    asked_of: frozenset[tuple[Dotted, str]]
    filled: frozenset[Dotted]
    taken: frozenset[MemberTaken]


class Said(NamedTuple):
    """What a file says that matters to the names of other modules. Of its texts, `texts_put_together` are those of which a name may
    be made."""

    imports: frozenset[str]
    attributes: frozenset[str]
    texts: tuple[str, ...]
    texts_put_together: tuple[str, ...]
    loads_modules: bool
    imports_everything: bool


class Walks(NamedTuple):
    """What one file goes through: whatever is bound to some `names`, anything that it is handed (`is_open`), whatever
    it imports (`goes_by_imports`), or all modules (`takes_all`). One that `goes_deeper` may go through what it finds,
    too."""

    names: frozenset[str]
    is_open: bool
    goes_deeper: bool
    goes_by_imports: bool
    takes_all: bool


@dataclass(frozen=True)
class LinkFacts:
    """What one file says to others. Picklable; holds no tree and no text.

    `sources` gives for each binding where its value may come from; those that are `annotated` have
    what the annotation says and nothing else. `called` holds the ends of all expressions that are
    called or that decorate; `called_through` of those where the result of the call does so. `going_on`
    holds the ends of names whose value goes on to something that may keep it, arguments aside; `returned`
    and `moved` those among them that are returned, and that are given to an attribute, and no more.
    `operands` holds the ends of names that operators are given.
    """

    sources: dict[int, tuple[Origin, ...]]
    annotated: frozenset[int]
    functions: tuple[FunctionRecord, ...]
    classes: tuple[ClassRecord, ...]
    attributes: tuple[AttributeUse, ...]
    keywords: tuple[KeywordUse, ...]
    rests: tuple[RestUse, ...]
    imports: tuple[ImportUse, ...]
    texts: tuple[TextUse, ...]
    handed: tuple[Handed, ...]
    lookups: tuple[Lookup, ...]
    called: frozenset[int]
    called_through: frozenset[int]
    puts: tuple[Put, ...]
    going_on: frozenset[int]
    returned: frozenset[int]
    moved: frozenset[int]
    operands: frozenset[int]

    @cached_property
    def attributes_by_name(self) -> dict[str, list[AttributeUse]]:
        """The uses of each attribute name, in text order."""
        found: dict[str, list[AttributeUse]] = defaultdict(list)
        for use in self.attributes:
            found[use.name].append(use)
        return found

    @cached_property
    def puts_by_end(self) -> dict[int, list[Put]]:
        """What is put into the collection whose expression ends at an offset."""
        found: dict[int, list[Put]] = defaultdict(list)
        for put in self.puts:
            found[put.end].append(put)
        return found

    @cached_property
    def class_by_scope(self) -> dict[int, int]:
        """The index of the class record for each class body's scope."""
        return {record.scope: index for index, record in enumerate(self.classes)}
