"""The first witness: a file as a sequence from which all that must not matter is gone.

Positions, comments, spare brackets, the spelling of numbers and quotes never get in. The names of
locals become numbers in binding order; every other name keeps its spelling and the scope that it
belongs to, so that a captured name shows even where its spelling is the same.
"""

from __future__ import annotations

import ast
from bisect import bisect_left
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

from zephyrun.facts import FileFacts, Role, ScopeKind
from zephyrun.languages.python import ParsedFile
from zephyrun.languages.python.places import keyword_before, module_start_of
from zephyrun.proof.named_constants import NamedConstant
from zephyrun.source import SourceText

# Roles whose name can be read while the program runs: parameters as keywords, functions and classes
# through `__name__`, type parameters through `__type_params__`, quoted names as text.
_FIXED_ROLES = frozenset(
    {
        Role.PARAMETER,
        Role.FUNCTION,
        Role.CLASS,
        Role.TYPE_PARAMETER,
        Role.TYPE_ALIAS,
        Role.QUOTED,
    }
)
_LOCAL_HOMES = frozenset({ScopeKind.FUNCTION, ScopeKind.LAMBDA, ScopeKind.COMPREHENSION})

# What may have a documentation.
DOCUMENTED = (ast.Module, ast.ClassDef, ast.FunctionDef, ast.AsyncFunctionDef)
# Fields that never decide what a program does: comments about types, and the `u` of a text.
_SILENT_FIELDS = frozenset({"type_comment", "kind", "type_ignores"})
_FIELDS_TOLD = {
    sort: tuple(field for field in sort._fields if field not in _SILENT_FIELDS)
    for sort in vars(ast).values()
    if isinstance(sort, type) and issubclass(sort, ast.AST)
}
_ANNOTATIONS = frozenset({"annotation", "returns"})
# What a node has not that was made without a field.
_NO_FIELD = object()


class Spelling(NamedTuple):
    """How a name is to be written at a place of the text: where the name ends there, and its spelling.
    With `is_bound_only` it is an import that binds the name, and what is imported keeps its own."""

    end: int
    name: str
    is_bound_only: bool = False


# By where the names start.
Respelled = Mapping[int, Spelling]
# One step of the sequence: a sort and a value. Sorts: node, end, none, constant, documentation,
# local (number, scope), name (spelling, scope, outside), attribute, keyword, module, import, word,
# definition. A plain tuple, since a file has them by the hundred thousand.
Element = tuple[str, Hashable]


def is_local_variable(facts: FileFacts, binding: int) -> bool:
    """Whether no running program can tell what this binding is called, exposures left aside.

    True for variables of functions, lambdas and comprehensions that are not parameters, functions
    or classes. Names with two underscores on both sides are kept: the language gives them meaning.
    """
    record = facts.bindings[binding]
    if record.outside or facts.scopes[record.scope].kind not in _LOCAL_HOMES:
        return False
    if record.name.startswith("__") and record.name.endswith("__"):
        return False
    return all(
        facts.references[index].role not in _FIXED_ROLES and facts.references[index].alone
        for index in record.references
    )


def is_own_variable(facts: FileFacts, binding: int) -> bool:
    """Whether a variable is one of a function alone: no other function sees it, nor can tell what it is called."""
    record = facts.bindings[binding]
    is_in_function = facts.scopes[record.scope].kind is ScopeKind.FUNCTION
    return is_in_function and not record.captured and is_local_variable(facts, binding)


@dataclass(frozen=True)
class Version:
    """One version of a file as the proof reads it: `constants`, by binding, stand for numbers and texts, and at the
    places in `respelled` names are read as they are given there, and not as they are spelled. It may be
    read `without_documentation`, and then without the `pass` that stands for nothing else in a body."""

    parsed: ParsedFile
    constants: Mapping[int, NamedConstant] = field(default_factory=dict)
    respelled: Respelled = field(default_factory=dict)
    without_documentation: bool = False

    @property
    def source(self) -> SourceText:
        """The version's text."""
        return self.parsed.source

    @property
    def facts(self) -> FileFacts:
        """What the version's text says."""
        return self.parsed.facts

    @cached_property
    def _locality(self) -> dict[int, bool]:
        return {}

    def is_local(self, binding: int) -> bool:
        """As `is_local_variable`, asked once for each variable."""
        is_local = self._locality.get(binding)
        if is_local is None:
            is_local = self._locality[binding] = is_local_variable(self.facts, binding)
        return is_local

    @property
    def statements(self) -> list[ast.stmt]:
        """The statements at the top level, without the definitions of constants."""
        definitions = {id(each.definition) for each in self.constants.values()}
        return [each for each in self.parsed.tree.body if id(each) not in definitions]

    def block(self, node: ast.AST, field: str) -> list[Any]:
        """What stands in a list of a node, as far as it is read."""
        block: list[Any] = self.statements if isinstance(node, ast.Module) and field == "body" else getattr(node, field)
        if field == "body" and self.without_documentation and isinstance(node, DOCUMENTED):
            return without_documentation(block)
        return block

    def documentation(self) -> dict[int, tuple[Hashable, int]]:
        """The documentation of all that may have one, "" for none, with the line of it, or of what lacks it:
        by where the name stands, -1 for the module."""
        form = NormalForm(self)
        found: dict[int, tuple[Hashable, int]] = {}
        for node in self.parsed.nodes:
            if isinstance(node, DOCUMENTED):
                start = -1 if isinstance(node, ast.Module) else self.parsed.places[id(node), "name"][0]
                first = node.body[0] if node.body else None
                if isinstance(first, ast.Expr) and is_text_statement(first):
                    found[start] = form.text_of(first), first.lineno
                else:
                    found[start] = "", getattr(node, "lineno", 1)
        return found

    def annotations(self) -> dict[int, tuple[Hashable, int]]:
        """What annotates the parameters and result of all functions, and the variables of the module, in a form that
        can be compared, with the line: by where the name of the function stands, -1 for the module."""
        # Where they are postponed, they are texts.
        are_postponed = "__future__.annotations" in self.facts.imports
        variables = self._annotated_variables()
        found: dict[int, tuple[Hashable, int]] = {-1: ((are_postponed and bool(variables), self._written(variables)), 1)}
        for node in self.parsed.nodes:
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                start = self.parsed.places[id(node), "name"][0]
                arguments = node.args
                every = [
                    *arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs, arguments.vararg, arguments.kwarg,
                ]
                annotations = [*(each.annotation if each is not None else None for each in every), node.returns]
                has_any = any(each is not None for each in annotations)
                found[start] = (are_postponed and has_any, self._written(annotations)), node.lineno
        return found

    def _annotated_variables(self) -> list[ast.AST | None]:
        annotated = [each for each in self.parsed.tree.body if isinstance(each, ast.AnnAssign)]
        return [part for each in annotated for part in (each.target, each.annotation)]

    def _written(self, parts: Sequence[ast.AST | None]) -> Hashable:
        form = NormalForm(self, numbers_scopes=True)
        for part in parts:
            form.write_part(part)
        return tuple(form.elements)

    def definition_name(self, node: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) -> str:
        """What a function or class is called, read as it is to be."""
        start = self.parsed.places[id(node), "name"][0]
        return self.respelled[start].name if start in self.respelled else node.name

    def dotted(self, scope: int) -> str:
        """The name of a scope's owner within the module, read as it is to be; "" for the module."""
        return self._dotted_names[scope] if self.respelled else self.facts.dotted(scope)

    @cached_property
    def _dotted_names(self) -> list[str]:
        called = {
            each.inner_scope: self.respelled[each.name_start].name
            for each in self.facts.definitions
            if each.name_start in self.respelled
        }
        names = [""]
        for number, scope in enumerate(self.facts.scopes[1:], 1):
            around = names[scope.parent]
            if self.facts.owner(number) != number:
                names.append(around)
            else:
                names.append(f"{around}.{called.get(number, scope.name)}".lstrip("."))
        return names


def differ_in_documentation(old: Version, new: Version) -> bool:
    """Whether some documentation is another one in a new version, or stands elsewhere."""
    texts = [[text for text, _ in each.documentation().values()] for each in (old, new)]
    return texts[0] != texts[1]


def differ_in_annotations(old: Version, new: Version) -> bool:
    """Whether some function, or variable of the module, is annotated otherwise in a new version, or stands
    elsewhere."""
    annotations = [[each for each, _ in version.annotations().values()] for version in (old, new)]
    return annotations[0] != annotations[1]


class NormalForm:
    """Writes sequences for one version of a file.

    `starts` runs beside `elements` and says for each where in the text it comes from. `named` tells where
    each name stands that an element holds, and `quoted` from where to where each text, both by the index of
    the element and in order. With `numbers_scopes`, scopes go by the order in which they are met, so that it
    does not matter where in the text they stand.
    """

    def __init__(
        self,
        version: Version,
        *,
        number: Callable[[int], Hashable] | None = None,
        numbers_scopes: bool = False,
    ) -> None:
        self.elements: list[Element] = []
        self.starts: list[int] = []
        self.named: list[tuple[int, int]] = []
        self.quoted: list[tuple[int, int, int]] = []
        self.order: dict[int, int] = {}
        self._version = version
        self._parsed = version.parsed
        self._facts = version.facts
        self._given_number = number
        self._respelled = version.respelled
        self._respelled_starts = sorted(version.respelled)
        self._literal_parts: dict[int, object] = {}
        self._numbers_scopes = numbers_scopes
        self._scopes: dict[int, int] = {}
        self._where = 0
        self._in_annotation = False
        self._in_customised_class = False
        self._leaves_out: Callable[[ast.AST, str], bool] | None = None

    def _number_of(self, binding: int) -> Hashable:
        if self._given_number is not None:
            return self._given_number(binding)
        return self.order.setdefault(binding, len(self.order))

    def write_module(self) -> None:
        """Write the whole file."""
        self._node(self._parsed.tree)

    def write_part(self, node: ast.AST | None) -> None:
        """Write one part of the file, or that there is none."""
        if node is None:
            self._emit("none")
        else:
            self._node(node)

    def write_head(self, node: ast.AST, leaves_out: Callable[[ast.AST, str], bool]) -> None:
        """Write a node without the fields for which `leaves_out` holds."""
        self._leaves_out = leaves_out
        self._node(node)

    def write_documentation(self, node: ast.Expr) -> None:
        """Write a statement that is the documentation text of what it stands in."""
        self._documentation(node)

    def _emit(self, sort: str, value: Hashable = None) -> None:
        self.elements.append((sort, value))
        self.starts.append(self._where)

    def _emit_named(self, sort: str, value: Hashable, start: int) -> None:
        """An element that holds the name at an offset."""
        self.named.append((len(self.elements), start))
        self._emit(sort, value)

    def _offset(self, node: Any) -> int:
        return self._parsed.start_of(node)

    def _node(self, node: ast.AST) -> None:
        # A file has nodes by the ten thousand.
        sort = type(node)
        if hasattr(node, "lineno"):
            self._where = self._offset(node)
        if sort is ast.Name and (constant := self._constant_for(self._where)) is not None:
            self._emit_constant(constant)
            return

        self._emit("node", sort.__name__)
        if isinstance(node, ast.Name):
            # Whether it is read, written or deleted shows in where it stands.
            self._name(self._where, node.id)
            return
        if isinstance(node, ast.Constant):
            if isinstance(node.value, str | bytes):
                self._note_quoted(node)
            self._emit("constant", constant_key(self._constant_value(node)))
            return
        if isinstance(node, ast.alias):
            self._alias(node)
            return
        if isinstance(node, ast.JoinedStr):
            self._note_quoted(node)
            self._note_literal_parts(node)

        around = self._in_annotation, self._in_customised_class
        if isinstance(node, ast.ClassDef):
            self._in_customised_class = bool(node.bases or node.keywords)
        for field in _FIELDS_TOLD[sort]:
            value = getattr(node, field, _NO_FIELD)
            if value is _NO_FIELD:
                continue
            self._in_annotation = around[0] or field in _ANNOTATIONS
            if self._leaves_out is not None and self._leaves_out(node, field):
                self._emit("definition", field)
            else:
                self._field(node, field, value)
        self._in_annotation, self._in_customised_class = around

    def _constant_for(self, start: int) -> ast.expr | None:
        """The constant for which the name at an offset stands, if it stands for one there.

        Not in annotations, which may be kept as text; and not in the body of a class whose
        metaclass might bring a namespace of its own.
        """
        if not self._version.constants:
            return None
        reference = self._facts.reference_by_start[start]
        constant = self._version.constants.get(reference.binding)
        if constant is None or self._in_annotation:
            return None
        is_in_class_body = self._facts.scopes[reference.scope].kind is ScopeKind.CLASS
        return None if is_in_class_body and self._in_customised_class else constant.value

    def _emit_constant(self, value: ast.expr) -> None:
        """Write a constant as if it stood here itself."""
        if isinstance(value, ast.Tuple):
            # There are no names in it.
            self._node(value)
            return
        self._emit("node", type(value).__name__)
        if isinstance(value, ast.UnaryOp):
            self._emit("node", "USub")
            self._emit_constant(value.operand)
        else:
            assert isinstance(value, ast.Constant), "a constant's value is written out"
            self._emit("constant", constant_key(value.value))

    def _field(self, node: ast.AST, field: str, value: object) -> None:
        if isinstance(value, ast.AST):
            self._node(value)
        elif isinstance(value, list):
            self._list(node, field)
        elif value is None:
            self._emit("none")
        elif isinstance(value, str) and (places := self._parsed.places.get((id(node), field))):
            self._name(places[0], value)
        elif field == "attr":
            self._attribute(node, str(value))
        elif field == "arg" and isinstance(node, ast.keyword):
            start = self._offset(node)
            self._emit_named("keyword", self._respelled.get(start, Spelling(0, str(value))).name, start)
        elif field == "module" and isinstance(node, ast.ImportFrom):
            written = "." * node.level + str(value)
            start = module_start_of(self._parsed.source.text, self._offset(node), written)
            self._emit("module", self._dotted(str(value), start + node.level))
        elif field == "arg":
            self._name(self._where, str(value))
        else:
            self._emit("word", (type(value).__name__, value))

    def text_of(self, statement: ast.Expr) -> str:
        """A text that is a statement, with the names in it as they are read."""
        assert isinstance(statement.value, ast.Constant), "it is a text"
        return str(self._constant_value(statement.value))

    def _list(self, node: ast.AST, field: str) -> None:
        if field == "names" and isinstance(node, ast.Global | ast.Nonlocal):
            places = self._parsed.places[id(node), field]
            for name, start in zip(node.names, places, strict=True):
                self._name(start, name)
        else:
            documented = (
                field == "body" and isinstance(node, DOCUMENTED) and not self._version.without_documentation
            )
            for index, value in enumerate(self._version.block(node, field)):
                if documented and index == 0 and is_text_statement(value):
                    self._documentation(value)
                elif isinstance(value, ast.AST):
                    self._node(value)
                elif value is None:
                    self._emit("none")
                elif isinstance(node, ast.MatchClass) and field == "kwd_attrs":
                    before = self._offset(node.kwd_patterns[index])
                    start = keyword_before(self._parsed.source.text, str(value), before)
                    self._emit_named("keyword", self._respelled.get(start, Spelling(0, str(value))).name, start)
                else:
                    self._emit("word", (type(value).__name__, value))
        self._emit("end", field)

    def _documentation(self, node: Any) -> None:
        self._where = self._offset(node)
        self._note_quoted(node.value)
        self._emit("documentation", self._constant_value(node.value))

    def _note_quoted(self, node: Any) -> None:
        end = self._parsed.source.offset_of_utf8(*_end_of(node))
        self.quoted.append((len(self.elements), self._offset(node), end))

    def _note_literal_parts(self, node: ast.JoinedStr) -> None:
        """Note what stands literally in a text that fills something in, with the names in it as they are respelled. Older
        interpreters do not say where such parts stand."""
        if not self._respelled_starts:
            return
        start, end = self._offset(node), self._parsed.source.offset_of_utf8(*_end_of(node))
        written, respelled = self._parsed.source.text[start:end], self._text_between(start, end)
        shows_itself = any(start <= first < end for first, _ in self._facts.shown)
        if written == respelled or shows_itself:
            return
        before, after = _parts_of_text(written), _parts_of_text(respelled)
        # The place of a part that says how something is filled in may be that of the whole.
        if len(node.values) == len(before) == len(after) and all(map(_are_alike, node.values, before)):
            for part, other in zip(node.values, after, strict=True):
                if isinstance(part, ast.Constant) and isinstance(other, ast.Constant):
                    self._literal_parts[id(part)] = other.value

    def _constant_value(self, node: ast.Constant) -> object:
        """A constant's value; that of a text with the names in it as they are respelled."""
        if not self._respelled_starts or not isinstance(node.value, str):
            return node.value
        if id(node) in self._literal_parts:
            return self._literal_parts[id(node)]
        source = self._parsed.source
        start, end = self._offset(node), source.offset_of_utf8(*_end_of(node))
        text = self._text_between(start, end)
        if text == source.text[start:end]:
            return node.value
        try:
            return ast.literal_eval(f"({text}\n)")
        except (SyntaxError, ValueError):
            return node.value

    def _text_between(self, start: int, end: int) -> str:
        """The text between two offsets with every name as it is respelled."""
        pieces: list[str] = []
        position = start
        first = bisect_left(self._respelled_starts, start)
        for place in self._respelled_starts[first:]:
            if place >= end:
                break
            spelling = self._respelled[place]
            if not spelling.is_bound_only:
                pieces += (self._parsed.source.text[position:place], spelling.name)
                position = spelling.end
        return "".join([*pieces, self._parsed.source.text[position:end]])

    def _attribute(self, node: Any, name: str) -> None:
        end = self._parsed.source.offset_of_utf8(*_end_of(node))
        spelling = self._respelled.get(end - len(name), Spelling(end, name))
        self._emit_named("attribute", spelling.name, end - len(name))

    def _dotted(self, name: str, start: int) -> str:
        """A dotted name that is written at an offset, with its parts as they are respelled. To be called
        before its element is written."""
        if self._parsed.source.text[start : start + len(name)] != name:
            return name
        for part in name.split("."):
            self.named.append((len(self.elements), start))
            start += len(part) + 1
        start -= len(name) + 1
        return self._text_between(start, start + len(name)) if self._respelled_starts else name

    def _alias(self, node: ast.alias) -> None:
        # `import os` and `import os as system` do the same but for the name they bind;
        # `import os.path` and `import os.path as path` do not.
        takes_top = node.asname is None and "." in node.name
        imported = self._dotted(node.name, self._offset(node))
        self._emit("import", (imported, takes_top))
        if places := self._parsed.places.get((id(node), "asname")):
            self._name(places[0], node.asname or node.name.partition(".")[0])

    def _name(self, start: int, spelling: str) -> None:
        binding = self._facts.reference_by_start[start].binding
        record = self._facts.bindings[binding]
        if self._version.is_local(binding):
            self._emit_named("local", (self._number_of(binding), self._scope(record.scope)), start)
        else:
            name = record.name
            if start in self._respelled:
                other = self._respelled[start]
                spelled = self._parsed.source.text[start : other.end]
                # A mangled name keeps what the class puts before it.
                name = record.name.removesuffix(spelled) + other.name
            self._emit_named("name", (name, self._scope(record.scope), record.outside), start)

    def _scope(self, scope: int) -> Hashable:
        """What tells a scope from others."""
        if not self._numbers_scopes:
            return scope
        return self._scopes.setdefault(scope, len(self._scopes)), self._facts.scopes[scope].kind


def _end_of(node: Any) -> tuple[int, int]:
    return node.end_lineno, node.end_col_offset


def without_documentation(body: list[Any]) -> list[Any]:
    """The statements of a module, class or function but for its documentation, and for a `pass` that is all
    there is."""
    body = body[1:] if body and is_text_statement(body[0]) else body
    return [] if len(body) == 1 and isinstance(body[0], ast.Pass) else body


def is_text_statement(node: object) -> bool:
    """Whether a statement is a text and nothing else, as documentation is."""
    return (
        isinstance(node, ast.Expr)
        and isinstance(node.value, ast.Constant)
        and isinstance(node.value.value, str)
    )


def constant_key(value: object) -> tuple[str, Hashable]:
    """A constant with its type and sign: `1`, `1.0`, `True` differ, and so do `0.0` and `-0.0`."""
    if isinstance(value, float | complex):
        return type(value).__name__, repr(value)
    if isinstance(value, tuple):
        return "tuple", tuple(constant_key(each) for each in value)
    if isinstance(value, frozenset):
        return "frozenset", frozenset(constant_key(each) for each in value)
    assert isinstance(value, Hashable), "the parser makes no other constants"
    return type(value).__name__, value


def _parts_of_text(literal: str) -> list[ast.expr]:
    """The parts of a text that fills something in, as it is written; none where it is no such text."""
    try:
        node = ast.parse(f"({literal}\n)", mode="eval").body
    except (SyntaxError, ValueError):
        return []
    return node.values if isinstance(node, ast.JoinedStr) else []


def _are_alike(part: ast.expr, other: ast.expr) -> bool:
    if isinstance(part, ast.Constant) and isinstance(other, ast.Constant):
        return part.value == other.value
    return type(part) is type(other)
