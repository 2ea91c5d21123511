"""The records that every stage shares: what one file says, without a word about any language.

All positions are offsets into the file's text in code points (see `zephyrun.source`), ranges are
half-open. Records that a file has by the thousand are named tuples, because they are made and
stored at a tenth of the cost of a frozen dataclass.

Words used here:

- *binding*: one variable, function, class, … in one scope; two variables of one name in two scopes
  are two bindings.
- *reference*: one place where a binding's name stands in the text.
- *context*: what the code in one place says of a binding: what it is made from, or what is done with it.
- *exposure*: something that can read names while the program runs.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import NamedTuple


class ScopeKind(StrEnum):
    """What sort of region a scope is."""

    MODULE = "module"
    CLASS = "class"
    FUNCTION = "function"
    LAMBDA = "lambda"
    COMPREHENSION = "comprehension"
    TYPES = "types"


_NAMED_SCOPES = (ScopeKind.FUNCTION, ScopeKind.CLASS, ScopeKind.MODULE)


class Role(StrEnum):
    """What a reference does with its name."""

    READ = "read"
    ASSIGN = "assign"
    AUGMENT = "augment"
    DELETE = "delete"
    PARAMETER = "parameter"
    FUNCTION = "function"
    CLASS = "class"
    IMPORT = "import"
    LOOP = "loop"
    EACH = "each"
    WITH = "with"
    CATCH = "catch"
    INLINE = "inline"
    CAPTURE = "capture"
    DECLARE = "declare"
    TYPE_PARAMETER = "type parameter"
    TYPE_ALIAS = "type alias"
    QUOTED = "quoted"


# Roles that make a name belong to its scope.
BINDING_ROLES = frozenset(Role) - {Role.READ, Role.DECLARE, Role.QUOTED}


class Scope(NamedTuple):
    """One region with names of its own. `parent` is -1 for the module, which is scope 0."""

    kind: ScopeKind
    name: str
    parent: int
    start: int
    end: int


class Reference(NamedTuple):
    """One place where a name stands. The text from `start` to `end` is the name as it is spelled.

    An import that binds the first part of a dotted name, or that has no alias, stands at the part
    that is bound; `alone` is false where a new name could not simply be written in its place.
    """

    start: int
    end: int
    role: Role
    scope: int
    binding: int
    alone: bool = True


class Binding(NamedTuple):
    """One name of one scope. `references` are indices in text order.

    `outside` is true for names that the file reads and never binds: builtins, and what a star
    import may bring. They are kept under the module's scope.
    """

    name: str
    scope: int
    references: tuple[int, ...]
    outside: bool
    captured: bool


class Literal(NamedTuple):
    """A number or a constant other than text. `context` says where it stands, `beside` with what.

    Contexts: argument, keyword, compared, assigned, default, index, operand, returned, case,
    annotation, decorator, element, key, value, condition, format, other. `beside` is the callee,
    keyword, variable or collection concerned, where there is one; `position` is that of a positional
    argument, -1 elsewhere.
    """

    start: int
    end: int
    value: str
    sort: str
    scope: int
    context: str
    beside: str
    position: int


class Text(NamedTuple):
    """A text literal. `words` holds its literal parts; `use` is a context (as for `Literal`), or
    `documentation`, `annotation` or `statement`; `interpolated` is true where it holds expressions.
    """

    start: int
    end: int
    words: str
    scope: int
    use: str
    beside: str
    interpolated: bool


class Comment(NamedTuple):
    """A comment with its marker. `statement` is the index of the statement it stands on: the one
    it trails, or the next one after a line of its own; -1 where there is none.
    """

    start: int
    end: int
    text: str
    own_line: bool
    scope: int
    statement: int


class Statement(NamedTuple):
    """A statement; `head_end` is where its own expressions end, before any block of it, and `depth`
    how many blocks it lies in."""

    start: int
    end: int
    head_end: int
    sort: str
    depth: int
    scope: int


class Definition(NamedTuple):
    """A function or class. `start` is at its first decorator, `name_start` at its name."""

    name: str
    sort: ScopeKind
    scope: int
    inner_scope: int
    start: int
    end: int
    name_start: int
    parameters: tuple[str, ...]
    calls: tuple[str, ...]
    decorated: bool
    documentation: int


class ContextSort(StrEnum):
    """How a context tells of a variable: what it was made from, what is done with it, or where it stands; from
    `GIVES` on, of a function or class: what it does.

    In the name of a context, `()` stands behind a call, `[]` behind something out of a collection, `=` before
    a constant; a number behind a colon is that of an argument, a parameter or a part, from 0.
    """

    FROM_CALL = "from call"
    FROM_CALL_ON = "from call on"
    FROM_ATTRIBUTE = "from attribute"
    FROM_KEY = "from key"
    FROM_VARIABLE = "from variable"
    FROM_OPERATOR = "from operator"
    FROM_TEST = "from test"
    FROM_LITERAL = "from literal"
    ITEM_OF = "item of"
    ALL_OF = "all of"
    EACH = "each"
    PART_OF = "part of"
    ELEMENT_OF = "element of"
    ELEMENT_OF_CALL = "element of call"
    GROWS_BY = "grows by"
    WITH = "with"
    CAUGHT = "caught"
    ARGUMENT = "argument"
    KEYWORD = "keyword"
    STORED = "stored"
    BECOMES = "becomes"
    PUT_INTO = "put into"
    ATTRIBUTE = "attribute"
    KEY = "key"
    INDEX_INTO = "index into"
    COMPARED = "compared"
    OPERAND = "operand"
    ASKED = "asked"
    RETURNED = "returned"
    ITERATED = "iterated"
    SHOWN = "shown"
    IS_A = "is a"
    OTHER_USE = "other use"
    PARAMETER = "parameter"
    DEFAULT = "default"
    ANNOTATED = "annotated"
    DESCRIBED = "described"
    BESIDE = "beside"
    GIVES = "gives"
    GIVES_A = "gives a"
    ASKS = "asks"
    CALLS = "calls"
    SETS = "sets"
    TAKES = "takes"
    SAYS = "says"
    MEMBER_OF = "member of"
    EXTENDS = "extends"
    BEARS = "bears"
    WRAPPED_BY = "wrapped by"


class Context(NamedTuple):
    """One thing that the code at `start`–`end` says of what bears a name. `binding` is its number, below -1 that of
    an attribute; `other` is the variable of the file whose name stands in `name`, -1 where there is none.
    """

    binding: int
    sort: ContextSort
    name: str
    other: int
    start: int
    end: int


class CallsOfReader(NamedTuple):
    """Where a file names a function that reads its callers' variables, or looks up who knows what. There is one
    for each such function of the project that is never named but to be called.
    """

    name: str
    starts: tuple[int, ...]


class FrameRead(NamedTuple):
    """Which variables can be looked up: `names` holds names, and beginnings with a star behind them; `None`
    stands for any. Where `caller_of` is a function's name, it is its callers' variables alone.
    """

    names: tuple[str, ...] | None
    caller_of: str

    def asks_for(self, name: str) -> bool:
        """Whether a variable of that name can be looked up."""
        return self.names is None or any(
            name.startswith(each[:-1]) if each.endswith("*") else name == each for each in self.names
        )

    def reaches(self, calls: frozenset[CallsOfReader], start: int, end: int) -> bool:
        """Whether variables of code can be looked up that stands in a range of the file whose calls these are."""
        places = [each.starts for each in calls if each.name == self.caller_of]
        return not places or any(start <= place < end for place in places[0])

    def may_find(self, name: str, calls: frozenset[CallsOfReader], start: int, end: int) -> bool:
        """Whether a variable of that name can be looked up, of code that stands in a range of a file."""
        return self.asks_for(name) and self.reaches(calls, start, end)


class Exposure(NamedTuple):
    """Something that can look up names while the program runs.

    With `whole_file`, it can look into any function of the file, otherwise into `scope` and what
    encloses or is enclosed by it. `reads` says which names it may look up.
    """

    scope: int
    what: str
    start: int
    whole_file: bool
    reads: FrameRead = FrameRead(None, "")

    @property
    def gives_namespace(self) -> bool:
        """Whether it gives all names of what is around it."""
        return self.what in ("vars()", "dir()", "locals()")


@dataclass(frozen=True)
class FileFacts:
    """Everything later stages may ask about one file. Picklable; holds no tree and no text.

    `imports` are the dotted names that it imports, relative ones with their dots; `attributes` are
    all names that stand behind a dot; `shown` are the ranges of expressions that a text shows
    together with their values; `namespace_reads` is what is read off the namespaces of modules by way of
    functions, or of frames in which these run.
    """

    scopes: tuple[Scope, ...]
    bindings: tuple[Binding, ...]
    references: tuple[Reference, ...]
    literals: tuple[Literal, ...]
    texts: tuple[Text, ...]
    comments: tuple[Comment, ...]
    statements: tuple[Statement, ...]
    definitions: tuple[Definition, ...]
    exposures: tuple[Exposure, ...]
    imports: tuple[str, ...]
    attributes: frozenset[str]
    shown: tuple[tuple[int, int], ...]
    namespace_reads: tuple[FrameRead, ...]
    n_lines: int

    def ancestors(self, scope: int) -> tuple[int, ...]:
        """`scope` and the scopes around it, innermost first."""
        return self._chains[scope]

    @cached_property
    def _chains(self) -> list[tuple[int, ...]]:
        # A scope stands behind those around it, so theirs are known when its turn comes.
        chains: list[tuple[int, ...]] = []
        for index, scope in enumerate(self.scopes):
            chains.append((index, *chains[scope.parent]) if scope.parent >= 0 else (index,))
        return chains

    def owner(self, scope: int) -> int:
        """The nearest function, class or module that `scope` is part of (or is)."""
        while self.scopes[scope].kind not in _NAMED_SCOPES:
            scope = self.scopes[scope].parent
        return scope

    def dotted(self, scope: int) -> str:
        """The name of `scope`'s owner within the module, such as `Hive.weigh`; "" for the module."""
        return self._dotted_names[scope]

    @cached_property
    def _dotted_names(self) -> list[str]:
        names = [""]
        for scope in self.scopes[1:]:
            around = names[scope.parent]
            if scope.kind not in _NAMED_SCOPES:
                names.append(around)
            else:
                names.append(f"{around}.{scope.name}" if around else scope.name)
        return names

    def bindings_at(self, scope: str, name: str) -> tuple[int, ...]:
        """The bindings of one name within one dotted scope, in text order: an ordinal counts them."""
        alike = [
            index
            for index in self._bindings_by_name.get(name, ())
            if self.bindings[index].references and self.dotted(self.bindings[index].scope) == scope
        ]
        # A binding's references stand in text order, and so do their indices.
        return tuple(sorted(alike, key=lambda index: self.bindings[index].references[0]))

    def ordinal(self, binding: int) -> int:
        """Which of the bindings of that name within its owner it is, from 1."""
        record = self.bindings[binding]
        return self.bindings_at(self.dotted(record.scope), record.name).index(binding) + 1

    @cached_property
    def _bindings_by_name(self) -> dict[str, list[int]]:
        found: dict[str, list[int]] = {}
        for index, binding in enumerate(self.bindings):
            found.setdefault(binding.name, []).append(index)
        return found

    def comments_at(self, scope: str, text: str) -> tuple[int, ...]:
        """The comments of one text within one dotted scope, in text order: an ordinal counts them."""
        return tuple(
            index
            for index, comment in enumerate(self.comments)
            if comment.text == text and self.dotted(comment.scope) == scope
        )

    def comment_runs_at(self, scope: str, texts: Sequence[str]) -> tuple[int, ...]:
        """Where comments of these texts follow one another within one dotted scope: the index of the
        first of each such run, in text order. An ordinal counts them."""
        return tuple(
            index
            for index in self.comments_at(scope, texts[0])
            if [each.text for each in self.comments[index : index + len(texts)]] == list(texts)
        )

    def literals_at(self, text: str, scope: str, spelling: str) -> tuple[Literal, ...]:
        """The literals of one spelling within one dotted scope, in text order: an ordinal counts
        them. `text` is that of the file."""
        return tuple(
            literal
            for literal in self._literals_by_scope.get(scope, ())
            if text[literal.start : literal.end] == spelling
        )

    @cached_property
    def _literals_by_scope(self) -> dict[str, list[Literal]]:
        grouped: dict[str, list[Literal]] = {}
        for literal in self.literals:
            grouped.setdefault(self._dotted_names[literal.scope], []).append(literal)
        return grouped

    @cached_property
    def module_names(self) -> frozenset[str]:
        """Every name that the module itself defines."""
        return frozenset(each.name for each in self.bindings if each.scope == 0 and not each.outside)

    @cached_property
    def literal_counts(self) -> Counter[str]:
        """How often each value stands in the file."""
        return Counter(each.value for each in self.literals)

    def roles(self, binding: int) -> frozenset[Role]:
        """What all the references of a binding do."""
        return self._roles[binding]

    @cached_property
    def _roles(self) -> list[frozenset[Role]]:
        return [
            frozenset(self.references[index].role for index in each.references) for each in self.bindings
        ]

    def texts_between(self, start: int, end: int) -> tuple[Text, ...]:
        """The text literals that begin between two offsets."""
        return self.texts[bisect_left(self._text_starts, start) : bisect_left(self._text_starts, end)]

    def is_code(self, offset: int) -> bool:
        """Whether something stands in neither a comment nor a text into which nothing is filled."""
        comments = ((each.start, each.end) for each in self.comments)
        texts = ((each.start, each.end) for each in self.texts if not each.interpolated)
        return not any(start <= offset < end for start, end in (*comments, *texts))

    def references_between(self, start: int, end: int) -> range:
        """The indices of the references that begin between two offsets."""
        starts = self.reference_starts
        return range(bisect_left(starts, start), bisect_left(starts, end))

    @cached_property
    def reference_starts(self) -> list[int]:
        """Where each reference starts, in text order."""
        return [reference.start for reference in self.references]

    @cached_property
    def reference_by_start(self) -> dict[int, Reference]:
        """The reference that begins at an offset."""
        return {each.start: each for each in self.references}

    @cached_property
    def names(self) -> frozenset[str]:
        """Every name that some binding of the file bears."""
        return frozenset(each.name for each in self.bindings)

    @cached_property
    def definitions_by_name(self) -> dict[str, list[Definition]]:
        """The functions and classes of each name, in text order."""
        found: dict[str, list[Definition]] = {}
        for definition in self.definitions:
            found.setdefault(definition.name, []).append(definition)
        return found

    @cached_property
    def definitions_by_inner_scope(self) -> dict[int, Definition]:
        """Each function and class by the scope inside it."""
        return {each.inner_scope: each for each in self.definitions}

    def trailing_comment(self, statement: int) -> Comment | None:
        """The comment behind a statement on its own lines, if there is one."""
        return self._trailing_comments.get(statement)

    @cached_property
    def _trailing_comments(self) -> dict[int, Comment]:
        return {each.statement: each for each in self.comments if not each.own_line}

    @cached_property
    def marked_words(self) -> dict[str, Text]:
        """Words that stand right behind an `@` in some text, each with the first such text."""
        found: dict[str, Text] = {}
        for text in self.texts:
            if "@" in text.words and text.use != "documentation":
                for word in re.findall(r"@(\w+)", text.words):
                    found.setdefault(word, text)
        return found

    def is_shown(self, binding: int) -> bool:
        """Whether some text shows the expression itself in which the binding's name stands."""
        return any(
            start <= self.references[index].start < end
            for index in self.bindings[binding].references
            for start, end in self.shown
        )

    @cached_property
    def _text_starts(self) -> list[int]:
        return [text.start for text in self.texts]

    @cached_property
    def statement_starts(self) -> list[int]:
        """Where each statement starts, in text order."""
        return [statement.start for statement in self.statements]

    def scope_at(self, offset: int) -> int:
        """The scope of the statement in which an offset stands, that of the module where there is
        none."""
        index = self.statement_at(offset)
        return self.statements[index].scope if index >= 0 else 0

    def outermost_function(self, offset: int) -> Definition | None:
        """The function or method around an offset that stands in no other one."""
        around = (each for each in self.definitions if each.start <= offset < each.end)
        return next((each for each in around if each.sort is ScopeKind.FUNCTION), None)

    def statement_at(self, offset: int) -> int:
        """The index of the last statement that starts at or before `offset`, -1 for none."""
        return bisect_right(self.statement_starts, offset) - 1
