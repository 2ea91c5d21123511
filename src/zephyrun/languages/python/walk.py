"""The one walk over a file's tree that gathers everything `FileFacts` holds.

Nothing walks the tree again: detectors look things up. The walk visits in the language's scoping
order (defaults, decorators and first iterables belong to the scope around), which is also why it
is written out by hand, node by node.
"""

from __future__ import annotations

import ast
import re
import sys
import unicodedata
from collections.abc import Callable, Iterable, Sequence
from typing import Any

from zephyrun.facts import (
    Definition,
    Exposure,
    FrameRead,
    Literal,
    Role,
    ScopeKind,
    Statement,
    Text,
)
from zephyrun.languages.python import fstrings
from zephyrun.languages.python.frame_reads import ANYTHING, NAMESPACES, read_off_frames
from zephyrun.languages.python.places import mangled_name, quoted_range
from zephyrun.languages.python.relocation import parse_fragment
from zephyrun.languages.python.scopes import CLASS_CELL, Mark, ScopeTable
from zephyrun.languages.python.told_texts import goes_to_people
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

# What may stand between two tokens inside a statement.
_GAP = r"(?:[ \t\f\r\n]|\\(?:\r\n|\r|\n)|\#[^\r\n]*(?:\r\n|\r|\n))*"
_NAME = r"[^\W\d]\w*"
_NEXT_NAME = lazy_pattern(rf"{_GAP}({_NAME})")
_DEF_NAME = lazy_pattern(rf"(?:async{_GAP})?(?:def|class){_GAP}({_NAME})")
_AS_NAME = lazy_pattern(rf"(?:{_GAP}\))*{_GAP}as{_GAP}({_NAME})")
_NEXT_DECLARED = lazy_pattern(rf"{_GAP},?{_GAP}({_NAME})")
_REST_NAME = lazy_pattern(rf"\*\*{_GAP}({_NAME})")
_SHOWS_ITSELF = lazy_pattern(r"=\s*(?:![rsa])?\s*[:}]")
_STARS = lazy_pattern(rf"\*{{0,2}}{_GAP}")

# Builtins that read the names of the function that calls them; the second group only does so
# without arguments.
_NAME_READERS = frozenset({"locals", "eval", "exec"})
_NO_NAMES = FrameRead((), "")
_NAME_READERS_ALONE = frozenset({"vars", "dir"})
_ALL_NAME_READERS = _NAME_READERS | _NAME_READERS_ALONE
# Attributes and functions through which some function's names can be read from outside.
FRAME_READERS = frozenset(
    "f_locals getargvalues getinnerframes getouterframes getgeneratorlocals getcoroutinelocals "
    "getasyncgenlocals getclosurevars capture_locals co_varnames co_cellvars co_freevars".split()
)
_LEADS_TO_READER = lazy_pattern(rf"\.\s*(?:{'|'.join(sorted(FRAME_READERS))})\b")
_FRAMES = frozenset("_getframe currentframe tb_frame gi_frame cr_frame ag_frame _current_frames".split())
# Modules that show the variables of running functions to people.
_SHOWS_VARIABLES = frozenset({"cgitb"})
_BUILTINS_NAMED = lazy_pattern(r"(?<!\w)(?:__builtins__|builtins)(?!\w)")
_GETTERS = frozenset({"getattr", "attrgetter", "methodcaller"})
_BY_NAME = _GETTERS | {"setattr", "hasattr", "delattr", "object"}
_BUILTINS = frozenset({"builtins", "__builtins__"})
_INSPECT_FRAME_READERS = frozenset({"stack", "trace"})

# All attributes that tell of names.
_LOOKED_AT = FRAME_READERS | _INSPECT_FRAME_READERS | _ALL_NAME_READERS | _FRAMES | NAMESPACES

_TYPING_LITERALS = frozenset({"Literal", "Annotated"})
# What gives much the same text again, and what is asked for another one that says the same.
_CHANGING_TEXTS = frozenset({"replace", "strip", "lower", "upper"})
_TRANSLATORS = frozenset({"_", "gettext"})


# As tuples: a union of types is made anew each time that it is asked for.
_TEXTS = (str, bytes)
_MAYBE_TEXTS = frozenset({ast.Constant, ast.Call})
# What every name asks for, under names of their own: to look one up in its class takes long.
_READ, _ASSIGN = Role.READ, Role.ASSIGN
# Twice as fast as calling the class; for records that every file has by the thousand.
_new_record = tuple.__new__


# What visits a node of a sort. Functions and no methods of one walk, which could not go before the collector of cycles
# comes round if it held methods of its own.
_VISITORS: dict[type[ast.AST], Callable[[Walk, Any], None]] = {}
_SORTS: dict[type[ast.AST], str] = {}


class Walk:
    """Walks one tree. Afterwards the lists hold what was found; `table` knows the names."""

    def __init__(self, source: SourceText, texts: Sequence[tuple[int, int]]) -> None:
        self.source = source
        self.table = ScopeTable()
        self.statements: list[Statement] = []
        self.literals: list[Literal] = []
        # What the file calls those whose texts are no annotations.
        self._typing_literals = set(_TYPING_LITERALS)
        self.texts: list[Text] = []
        self.definitions: list[Definition] = []
        self.exposures: list[Exposure] = []
        self.imports: list[str] = []
        self.attributes: set[str] = set()
        self.shown: list[tuple[int, int]] = []
        self.namespace_reads: list[FrameRead] = []
        # Where the names of nodes stand, by node identity and field; needed by the proof only.
        self.places: dict[tuple[int, str], tuple[int, ...]] = {}
        self.unplaced: list[str] = []
        self._text_ends = dict(texts)
        self.start_of, self.end_of = position_readers(source)
        self._text = source.text
        self._note_name = self.table.mention
        self._scope = 0
        self._depth = 0
        self._class_name = ""
        self._calls: list[set[str]] = [set()]
        self._annotations_are_text = False
        self._is_quoted = False
        self._speaks_of_inspect = "inspect" in source.text
        self._speaks_of_builtins = "builtins" in source.text and _speaks_of_builtins(source.text)
        self._called_builtins = set(_BUILTINS)
        # Where they are asked for something by its name, or handed to what does so.
        self._asked_builtins: set[int] = set()
        self._tree = ast.Module([], [])
        self._frame_reads: dict[int, FrameRead] | None = None
        self._without_names: set[int] = set()
        self._methods_of_texts: dict[int, str] = {}

    # -- positions ---------------------------------------------------------------------------

    def _find(self, pattern: re.Pattern[str], position: int, name: str) -> int:
        """Where `name` stands, at the place that `pattern` finds from `position` on."""
        match = pattern.match(self.source.text, position)
        if match is None:
            self.unplaced.append(name)
            return position
        return match.start(1)

    # -- names -------------------------------------------------------------------------------

    def _mangled(self, name: str) -> str:
        return mangled_name(name, self._class_name)

    def _mention(
        self,
        node: ast.AST,
        field: str,
        name: str,
        start: int,
        role: Role,
        *,
        scope: int | None = None,
        alone: bool = True,
    ) -> None:
        text = self.source.text
        end = start + len(name)
        if text[start:end] != name:
            # The language folds compatible characters: the spelling may differ from the name.
            match = _NEXT_NAME.match(text, start)
            if (
                match is None
                or match.start(1) != start
                or unicodedata.normalize("NFKC", match[1]) != name
            ):
                self.unplaced.append(name)
                return
            end = match.end(1)
        if self._is_quoted:
            role = Role.QUOTED
        if field != "id":
            # A plain name stands where its node does.
            self.places[id(node), field] = (*self.places.get((id(node), field), ()), start)
        self.table.mention(
            self._mangled(name), start, end, role, self._scope if scope is None else scope, alone=alone
        )

    # -- dispatch ----------------------------------------------------------------------------

    def module(self, tree: ast.Module) -> None:
        """Walk a whole module."""
        self._tree = tree
        self.table.open(ScopeKind.MODULE, "", -1, 0, len(self.source.text))
        self._annotations_are_text = any(
            isinstance(node, ast.ImportFrom)
            and node.module == "__future__"
            and any(alias.name == "annotations" for alias in node.names)
            for node in tree.body
        )
        self._body(tree.body, documented=True)

    def visit(
        self, node: ast.AST | None, context: str = "other", beside: str = "", position: int = -1
    ) -> None:
        """Visit one node; `context` and `beside` say where a literal stands (see `Literal`)."""
        if node is None:
            return
        # By exact type and names first: this is the hottest place of a survey.
        kind = type(node)
        if kind is ast.Name:
            self._visit_name(node)  # type: ignore[arg-type]
        elif kind is ast.Constant:
            self._constant(node, context, beside, position)  # type: ignore[arg-type]
        elif kind is ast.JoinedStr:
            self._joined(node, context, beside)  # type: ignore[arg-type]
        elif kind is ast.UnaryOp and type(node.operand) is ast.Constant:  # type: ignore[attr-defined]
            # A sign belongs to its number: `-1` stands where the whole stands.
            self.visit(node.operand, context, beside, position)  # type: ignore[attr-defined]
        else:
            visitor = _VISITORS.get(kind)
            if visitor is None:
                visitor = _VISITORS[kind] = getattr(Walk, f"_visit_{kind.__name__.lower()}", Walk._children)
            visitor(self, node)

    def visit_all(
        self, nodes: Iterable[ast.AST | None], context: str = "other", beside: str = ""
    ) -> None:
        """Visit several nodes that stand in one context."""
        for node in nodes:
            self.visit(node, context, beside)

    def _children(self, node: ast.AST) -> None:
        for field in node._fields:
            child = getattr(node, field, None)
            if isinstance(child, ast.AST):
                self.visit(child)
            elif isinstance(child, list):
                for each in child:
                    if isinstance(each, ast.AST):
                        self.visit(each)

    def _visit_expr(self, node: ast.Expr) -> None:
        self.visit(node.value)

    # -- statements --------------------------------------------------------------------------

    def _body(self, statements: Sequence[ast.stmt], *, documented: bool = False) -> int:
        """Visit a block; the offset of its documentation text, -1 for none."""
        documentation = -1
        self._depth += 1
        for index, node in enumerate(statements):
            self._note_statement(node)
            if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
                is_text = isinstance(node.value.value, str)
                use = "documentation" if documented and index == 0 and is_text else "statement"
                self.visit(node.value, use)
                if use == "documentation":
                    documentation = self.start_of(node)
            else:
                self.visit(node)
        self._depth -= 1
        return documentation

    def _note_statement(self, node: ast.stmt) -> None:
        kind = type(node)
        end = self.end_of(node)
        last_parts = _LAST_PARTS.get(kind)
        if last_parts is None:
            start, head_end = self.start_of(node), end
        else:
            start = self._full_start(node)
            head_end = max([start, *map(self.end_of, last_parts(node))])
        sort = _SORTS.get(kind)
        if sort is None:
            sort = _SORTS[kind] = kind.__name__.lower()
        self.statements.append(
            _new_record(Statement, (start, end, head_end, sort, self._depth - 1, self._scope))
        )

    def _full_start(self, node: Any) -> int:
        """Where a node begins, decorators included."""
        if decorators := getattr(node, "decorator_list", None):
            return self.source.text.rfind("@", 0, self.start_of(decorators[0]))
        return self.start_of(node)

    def _visit_functiondef(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        name_start = self._find(_DEF_NAME, self.start_of(node), node.name)
        self._mention(node, "name", node.name, name_start, Role.FUNCTION)
        self.visit_all(node.decorator_list, "decorator")
        arguments = node.args
        self._defaults(arguments)
        around = self._scope
        self._open_type_parameters(node)
        self._argument_annotations(arguments)

        self._annotation(node.returns)
        self._enter(ScopeKind.FUNCTION, node.name, node)
        inner = self._scope
        self._parameters(arguments)
        self._calls.append(set())
        documentation = self._body(node.body, documented=True)
        calls = self._calls.pop()
        self._calls[-1] |= calls
        self._scope = around

        self.definitions.append(
            Definition(
                node.name,
                ScopeKind.FUNCTION,
                around,
                inner,
                self._full_start(node),
                self.end_of(node),
                name_start,
                tuple(argument.arg for argument in [*arguments.posonlyargs, *arguments.args]),
                tuple(sorted(calls)),
                bool(node.decorator_list),
                documentation,
            )
        )

    _visit_asyncfunctiondef = _visit_functiondef

    def _visit_classdef(self, node: ast.ClassDef) -> None:
        name_start = self._find(_DEF_NAME, self.start_of(node), node.name)
        self._mention(node, "name", node.name, name_start, Role.CLASS)
        self.visit_all(node.decorator_list, "decorator")
        around, class_name = self._scope, self._class_name
        # Type parameters and bases are mangled with the new class's name only where it has type
        # parameters: the compiler sets the private name when it enters their scope.
        if getattr(node, "type_params", None):
            self._class_name = node.name.lstrip("_")
        self._open_type_parameters(node)
        self.visit_all(node.bases, "argument", node.name)
        for keyword in node.keywords:
            self.visit(keyword.value, "keyword", keyword.arg or "")
        self._enter(ScopeKind.CLASS, node.name, node)
        inner = self._scope
        self._class_name = node.name.lstrip("_")
        self._calls.append(set())
        documentation = self._body(node.body, documented=True)
        calls = self._calls.pop()
        self._calls[-1] |= calls
        self._scope, self._class_name = around, class_name
        self.definitions.append(
            Definition(
                node.name,
                ScopeKind.CLASS,
                around,
                inner,
                self._full_start(node),
                self.end_of(node),
                name_start,
                (),
                tuple(sorted(calls)),
                bool(node.decorator_list),
                documentation,
            )
        )

    def _enter(self, kind: ScopeKind, name: str, node: Any, *, sees_class: bool = False) -> None:
        self._scope = self.table.open(
            kind, name, self._scope, self._full_start(node), self.end_of(node), sees_class=sees_class
        )

    def _visit_assign(self, node: ast.Assign) -> None:
        if isinstance(node.value, ast.Name | ast.Attribute) and _short_name(node.value) in self._typing_literals:
            self._typing_literals.update(map(_short_name, node.targets))
        self.visit(node.value, "assigned", _short_name(node.targets[0]))
        self.visit_all(node.targets)

    def _visit_augassign(self, node: ast.AugAssign) -> None:
        self.visit(node.value, "assigned", _short_name(node.target))
        if isinstance(node.target, ast.Name):
            self._mention(node.target, "id", node.target.id, self.start_of(node.target), Role.AUGMENT)
        else:
            self.visit(node.target)

    def _visit_annassign(self, node: ast.AnnAssign) -> None:
        target = node.target
        if isinstance(target, ast.Name):
            # `(x): int` alone neither binds nor reads anything.
            role = Role.ASSIGN if node.simple or node.value is not None else Role.DECLARE
            self._mention(target, "id", target.id, self.start_of(target), role)
            if node.simple:
                self.table.mark(self._scope, self._mangled(target.id), Mark.ANNOTATED)
        else:
            self.visit(target)
        self._annotation(node.annotation)
        self.visit(node.value, "assigned", _short_name(target))

    def _visit_for(self, node: ast.For | ast.AsyncFor) -> None:
        self._target(node.target, Role.LOOP)
        self.visit(node.iter)
        self._body(node.body)
        self._body(node.orelse)

    _visit_asyncfor = _visit_for

    def _visit_while(self, node: ast.While) -> None:
        self.visit(node.test, "condition")
        self._body(node.body)
        self._body(node.orelse)

    _visit_if = _visit_while

    def _visit_with(self, node: ast.With | ast.AsyncWith) -> None:
        for item in node.items:
            self.visit(item.context_expr)
            if item.optional_vars is not None:
                self._target(item.optional_vars, Role.WITH)
        self._body(node.body)

    _visit_asyncwith = _visit_with

    def _visit_try(self, node: ast.Try) -> None:
        self._body(node.body)
        for handler in node.handlers:
            self.visit(handler.type)
            if handler.name is not None and handler.type is not None:
                start = self._find(_AS_NAME, self.end_of(handler.type), handler.name)
                self._mention(handler, "name", handler.name, start, Role.CATCH)
            self._body(handler.body)
        self._body(node.orelse)
        self._body(node.finalbody)

    _visit_trystar = _visit_try

    def _visit_match(self, node: ast.Match) -> None:
        self.visit(node.subject)
        for case in node.cases:
            self._pattern(case.pattern)
            self.visit(case.guard, "condition")
            self._body(case.body)

    def _pattern(self, node: ast.pattern) -> None:
        if isinstance(node, ast.MatchValue):
            self.visit(node.value, "case")
        elif isinstance(node, ast.MatchSequence | ast.MatchOr):
            for pattern in node.patterns:
                self._pattern(pattern)
        elif isinstance(node, ast.MatchMapping):
            self.visit_all(node.keys, "case")
            for pattern in node.patterns:
                self._pattern(pattern)
            if node.rest is not None:
                inner = node.patterns[-1] if node.patterns else None
                start = self.end_of(inner) if inner is not None else self.start_of(node)
                found = self.source.text.find("**", start, self.end_of(node))
                self._mention(
                    node, "rest", node.rest, self._find(_REST_NAME, found, node.rest), Role.CAPTURE
                )
        elif isinstance(node, ast.MatchClass):
            self.visit(node.cls)
            for pattern in [*node.patterns, *node.kwd_patterns]:
                self._pattern(pattern)
            self.attributes.update(node.kwd_attrs)
            for attribute in node.kwd_attrs:
                if self._reads_names(attribute) or attribute in _FRAMES:
                    self._expose(f".{attribute}", node, whole_file=True)
                elif attribute in NAMESPACES:
                    self.namespace_reads.append(ANYTHING)
        elif isinstance(node, ast.MatchStar | ast.MatchAs):
            if isinstance(node, ast.MatchAs) and node.pattern is not None:
                self._pattern(node.pattern)
            if node.name is not None:
                self._mention(node, "name", node.name, self._last_name_of(node), Role.CAPTURE)

    def _last_name_of(self, node: Any) -> int:
        """Where the name begins with which a node ends."""
        text, end = self.source.text, self.end_of(node)
        start = end
        while start and f"_{text[start - 1]}".isidentifier():
            start -= 1
        return start

    def _visit_import(self, node: ast.Import) -> None:
        for alias in node.names:
            self.imports.append(alias.name)
            if alias.name in _SHOWS_VARIABLES:
                self._expose(alias.name, node, whole_file=True)
            if alias.asname is None:
                name = alias.name.partition(".")[0]
                start = self.start_of(alias)
                alone = "." not in alias.name
                self._mention(alias, "asname", name, start, Role.IMPORT, alone=alone)
            else:
                if alias.name == "builtins":
                    self._called_builtins.add(alias.asname)
                self._mention(alias, "asname", alias.asname, self._last_name_of(alias), Role.IMPORT)

    def _visit_importfrom(self, node: ast.ImportFrom) -> None:
        origin = "." * node.level + (node.module or "")
        self.imports.append(origin)
        if origin in _SHOWS_VARIABLES:
            self._expose(origin, node, whole_file=True)
        for alias in node.names:
            if alias.name == "*":
                if node.module in ("inspect", "sys", "builtins"):
                    self._expose(f"{origin}.*", alias, whole_file=True)
                continue
            self.imports.append(f"{origin}.{alias.name}" if node.module else origin + alias.name)
            if self._reads_names(alias.name) or alias.name in _FRAMES:
                self._expose_frames(f"{origin}.{alias.name}", alias, whole_file=True)
            if alias.name in _TYPING_LITERALS:
                self._typing_literals.add(alias.asname or alias.name)
            start = self._last_name_of(alias) if alias.asname else self.start_of(alias)
            self._mention(alias, "asname", alias.asname or alias.name, start, Role.IMPORT)

    def _visit_global(self, node: ast.Global | ast.Nonlocal) -> None:
        is_global = isinstance(node, ast.Global)
        mark = Mark.GLOBAL if is_global else Mark.NONLOCAL
        position = self.start_of(node) + len("global" if is_global else "nonlocal")
        for name in node.names:
            start = self._find(_NEXT_DECLARED, position, name)
            position = start + len(name)
            self._mention(node, "names", name, start, Role.DECLARE)
            self.table.mark(self._scope, self._mangled(name), mark)

    _visit_nonlocal = _visit_global

    def _visit_return(self, node: ast.Return) -> None:
        self.visit(node.value, "returned", self.table.scopes[self._scope].name)

    def _visit_typealias(self, node: Any) -> None:
        self._mention(node.name, "id", node.name.id, self.start_of(node.name), Role.TYPE_ALIAS)
        around = self._scope
        self._open_type_parameters(node)
        self._enter(ScopeKind.TYPES, node.name.id, node, sees_class=True)
        self.visit(node.value, "annotation")
        self._scope = around

    # -- parameters and annotations ------------------------------------------------------------

    def _defaults(self, arguments: ast.arguments) -> None:
        positional = [*arguments.posonlyargs, *arguments.args]
        with_default = positional[len(positional) - len(arguments.defaults) :]
        for argument, default in zip(with_default, arguments.defaults, strict=True):
            self.visit(default, "default", argument.arg)
        for argument, keyword_default in zip(
            arguments.kwonlyargs, arguments.kw_defaults, strict=True
        ):
            self.visit(keyword_default, "default", argument.arg)

    def _argument_annotations(self, arguments: ast.arguments) -> None:
        for argument in all_arguments(arguments):
            self._annotation(argument.annotation)

    def _parameters(self, arguments: ast.arguments) -> None:
        for argument in all_arguments(arguments):
            self._mention(argument, "arg", argument.arg, self.start_of(argument), Role.PARAMETER)

    def _annotation(self, node: ast.expr | None) -> None:
        if node is None:
            return
        was_quoted = self._is_quoted
        self._is_quoted = was_quoted or self._annotations_are_text
        self._annotation_part(node)
        self._is_quoted = was_quoted

    def _annotation_part(self, node: ast.expr) -> None:
        """Visit an annotation; text in it is read as an annotation, too."""
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            self._constant(node, "annotation", "", -1)
            self._quoted_annotation(node)
        elif isinstance(node, ast.Subscript):
            self.visit(node.value)
            if _short_name(node.value) in self._typing_literals:
                self.visit(node.slice, "annotation")
            else:
                self._annotation_part(node.slice)
        elif isinstance(node, ast.Tuple | ast.List):
            for element in node.elts:
                self._annotation_part(element)
        elif isinstance(node, ast.BinOp):
            self._annotation_part(node.left)
            self._annotation_part(node.right)
        else:
            self.visit(node, "annotation")

    def _quoted_annotation(self, node: ast.Constant) -> None:
        start, end = self.start_of(node), self.end_of(node)
        assert isinstance(node.value, str), "an annotation in quotes is a text"
        inside = quoted_range(self.source.text, start, end, node.value)
        if self._text_ends.get(start) != end or inside is None:
            return
        fragment = parse_fragment(self.source, *inside)
        if fragment is not None:
            was_quoted, self._is_quoted = self._is_quoted, True
            self.visit(fragment)
            self._is_quoted = was_quoted

    def _open_type_parameters(self, node: Any) -> None:
        """Enter the scope of type parameters where there are any. Source: PEP 695, PEP 696."""
        parameters = getattr(node, "type_params", None)
        if not parameters:
            return
        name = node.name.id if isinstance(node.name, ast.Name) else node.name
        self._enter(ScopeKind.TYPES, name, node, sees_class=True)
        scope = self._scope
        for parameter in parameters:
            start = self.start_of(parameter)
            stars = _STARS.match(self.source.text, start)
            self._mention(
                parameter, "name", parameter.name, stars.end() if stars else start, Role.TYPE_PARAMETER
            )
            for field in ("bound", "default_value"):
                value = getattr(parameter, field, None)
                if value is not None:
                    self._enter(ScopeKind.TYPES, parameter.name, value, sees_class=True)
                    self.visit(value, "annotation")
                    self._scope = scope

    # -- expressions -------------------------------------------------------------------------

    def _visit_name(self, node: ast.Name) -> None:
        name, context = node.id, type(node.ctx)
        start = self.start_of(node)
        is_read = context is ast.Load
        role = (
            _READ if is_read
            else Role.DELETE if context is ast.Del
            else _ASSIGN
        )
        if self._is_quoted or not self._text.startswith(name, start):
            self._mention(node, "id", name, start, role)
        else:
            mangled = self._mangled(name) if self._class_name and name[:2] == "__" else name
            self._note_name(mangled, start, start + len(name), role, self._scope)
        if not is_read:
            return
        if name == "super" and not self._is_quoted:
            kind = self.table.scopes[self._scope].kind
            if kind in (ScopeKind.FUNCTION, ScopeKind.LAMBDA, ScopeKind.COMPREHENSION):
                self.table.mark(self._scope, CLASS_CELL, Mark.READ)
        elif self._speaks_of_builtins and name in self._called_builtins and id(node) not in self._asked_builtins:
            # Whoever has them may take out of them what reads names.
            self._expose("builtins", node, whole_file=True)
        elif name in _ALL_NAME_READERS:
            # Handed on as a value, it may be called from anywhere in this file.
            self._expose(name, node, whole_file=True)

    def _target(self, node: ast.expr, role: Role) -> None:
        """Visit what a loop, `with` or comprehension binds."""
        if isinstance(node, ast.Name):
            self._mention(node, "id", node.id, self.start_of(node), role)
        elif isinstance(node, ast.Tuple | ast.List):
            for element in node.elts:
                self._target(element, role)
        elif isinstance(node, ast.Starred):
            self._target(node.value, role)
        else:
            self.visit(node)

    def _visit_namedexpr(self, node: ast.NamedExpr) -> None:
        target = node.target
        if self.table.scopes[self._scope].kind is ScopeKind.COMPREHENSION and not self._is_quoted:
            self.table.bind_from_comprehension(self._mangled(target.id), self._scope)
        self.visit(node.value, "assigned", target.id)
        self._mention(target, "id", target.id, self.start_of(target), Role.INLINE)

    def _visit_lambda(self, node: ast.Lambda) -> None:
        self._defaults(node.args)
        around = self._scope
        self._enter(ScopeKind.LAMBDA, "lambda", node)
        self._parameters(node.args)
        self.visit(node.body, "returned")
        self._scope = around

    def _visit_listcomp(self, node: ast.ListComp | ast.SetComp | ast.GeneratorExp) -> None:
        self._comprehension(node, [node.elt])

    _visit_setcomp = _visit_generatorexp = _visit_listcomp

    def _visit_dictcomp(self, node: ast.DictComp) -> None:
        self._comprehension(node, [node.key, node.value])

    def _comprehension(self, node: Any, elements: Sequence[ast.expr]) -> None:
        first, *further = node.generators
        self.visit(first.iter)
        around = self._scope
        # A comprehension in the scope of type parameters still sees the class around it.
        sees_class = self.table.scopes[around].kind is ScopeKind.TYPES
        self._enter(ScopeKind.COMPREHENSION, type(node).__name__.lower(), node, sees_class=sees_class)
        self._generator(first)
        for generator in further:
            self.visit(generator.iter)
            self._generator(generator)
        self.visit_all(elements, "element")
        self._scope = around

    def _generator(self, generator: ast.comprehension) -> None:
        self._target(generator.target, Role.EACH)
        self.visit_all(generator.ifs, "condition")

    def _visit_call(self, node: ast.Call) -> None:
        callee = node.func
        name = _short_name(callee)
        if isinstance(callee, ast.Name):
            self._calls[-1].add(callee.id)
            if callee.id in _ALL_NAME_READERS and self._is_reader_call(node, callee):
                return
        elif isinstance(callee, ast.Attribute):
            self._calls[-1].add(callee.attr)
        if name in _BY_NAME and self._speaks_of_builtins:
            self._note_fetched(node.args[:1], node.args[1:2], node)
        self.visit(callee)
        for position, argument in enumerate(node.args):
            self.visit(argument, "argument", name, position)
        for keyword in node.keywords:
            if keyword.arg in FRAME_READERS:
                self._expose(keyword.arg, node, whole_file=True)
            self.visit(keyword.value, "keyword", keyword.arg or "")

    def _note_fetched(self, holders: Sequence[ast.expr], names: Sequence[ast.expr], node: ast.AST) -> None:
        """Note a builtin that is fetched by a name that is worked out: it may be one that reads names."""
        is_of_builtins = any(
            isinstance(each, ast.Name) and each.id in self._called_builtins
            for holder in holders
            for each in ast.walk(holder)
        )
        if is_of_builtins and not all(isinstance(each, ast.Constant) for each in names):
            self._expose("builtins", node, whole_file=True)
        self._asked_builtins.update(id(each) for holder in holders for each in ast.walk(holder))

    def _is_reader_call(self, node: ast.Call, callee: ast.Name) -> bool:
        """Visit a direct call of something that reads names; whether it was one."""
        self._mention(callee, "id", callee.id, self.start_of(callee), Role.READ)
        if callee.id in _NAME_READERS or not node.args or isinstance(node.args[0], ast.Starred):
            reads = _NO_NAMES if id(node) in self._without_names else ANYTHING
            self.exposures.append(Exposure(self._scope, f"{callee.id}()", self.start_of(callee), False, reads))
        self.visit_all(node.args, "argument", callee.id)
        for keyword in node.keywords:
            self.visit(keyword.value, "keyword", keyword.arg or "")
        return True

    def _visit_attribute(self, node: ast.Attribute) -> None:
        attribute = node.attr
        self.attributes.add(attribute)
        if attribute in _LOOKED_AT:
            if self._reads_names(attribute) and not (
                attribute in _INSPECT_FRAME_READERS and (_is_of_instance(node.value) or not isinstance(node.ctx, ast.Load))
            ):
                self._expose_frames(f".{attribute}", node, whole_file=True)
            elif attribute in _FRAMES:
                self._expose_frames(f".{attribute}", node)
            elif attribute in NAMESPACES:
                self.namespace_reads.append(self._read_at(node))
        if self._speaks_of_builtins:
            self._asked_builtins.add(id(node.value))
        if attribute == "values":
            # What is had of a namespace without its names does not depend on them.
            self._without_names.add(id(node.value))
        if type(node.value) in _MAYBE_TEXTS and (text := _text_before(node.value)) is not None:
            self._methods_of_texts.setdefault(id(text), attribute)
        self.visit(node.value)

    def _reads_names(self, name: str) -> bool:
        """Whether something of that name, wherever it is taken from, could read any local.

        `eval` or `stack` are common words, so they only count where the file speaks of the module
        that they come from, under whatever alias.
        """
        return (
            name in FRAME_READERS
            or (self._speaks_of_inspect and name in _INSPECT_FRAME_READERS)
            or (self._speaks_of_builtins and name in _ALL_NAME_READERS)
        )

    def _expose(self, what: str, node: Any, *, whole_file: bool = False) -> None:
        self.exposures.append(
            Exposure(self._scope, what, self.start_of(node), whole_file)
        )

    def _expose_frames(self, what: str, node: Any, *, whole_file: bool = False) -> None:
        """Note that something looks at frames, unless no variable's name is asked for there."""
        reads = self._read_at(node)
        if reads.names != ():
            self.exposures.append(Exposure(self._scope, what, self.start_of(node), whole_file, reads))

    def _read_at(self, node: ast.AST) -> FrameRead:
        if self._frame_reads is None:
            self._frame_reads = read_off_frames(self._tree)
        return self._frame_reads.get(id(node), ANYTHING)

    def _visit_subscript(self, node: ast.Subscript) -> None:
        if self._speaks_of_builtins:
            self._note_fetched([node.value], [node.slice], node)
        self.visit(node.value)
        self.visit(node.slice, "index", _short_name(node.value))

    def _visit_compare(self, node: ast.Compare) -> None:
        operands = [node.left, *node.comparators]
        for index, operand in enumerate(operands):
            other = operands[index + 1] if index == 0 else operands[index - 1]
            self.visit(operand, "compared", _short_name(other))

    def _visit_binop(self, node: ast.BinOp) -> None:
        use = "format" if isinstance(node.op, ast.Mod) else "operand"
        self.visit(node.left, use, _short_name(node.right))
        self.visit(node.right, "operand", _short_name(node.left))

    def _visit_dict(self, node: ast.Dict) -> None:
        for key, value in zip(node.keys, node.values, strict=True):
            self.visit(key, "key")
            stands_under = key.value if isinstance(key, ast.Constant) else None
            self.visit(value, "value", stands_under if isinstance(stands_under, str) else "")

    def _visit_list(self, node: ast.List | ast.Tuple | ast.Set) -> None:
        self.visit_all(node.elts, "element")

    _visit_tuple = _visit_set = _visit_list

    def _visit_ifexp(self, node: ast.IfExp) -> None:
        self.visit(node.test, "condition")
        self.visit(node.body)
        self.visit(node.orelse)

    # -- literals ----------------------------------------------------------------------------

    def _constant(self, node: ast.Constant, context: str, beside: str, position: int) -> None:
        value, start, end = node.value, self.start_of(node), self.end_of(node)
        if isinstance(value, _TEXTS):
            words = value if isinstance(value, str) else value.decode("latin-1")
            if (method := self._methods_of_texts.pop(id(node), None)) is not None:
                context, beside = "receiver", method
            self._note_text(start, end, words, context, beside, interpolated=False)
        else:
            sort = type(value).__name__
            self.literals.append(
                _new_record(
                    Literal, (start, end, _show(value), sort, self._scope, context, beside, position)
                )
            )

    def _note_text(
        self, start: int, end: int, words: str, use: str, beside: str, *, interpolated: bool
    ) -> None:
        self.texts.append(
            _new_record(Text, (start, end, words, self._scope, use, beside, interpolated))
        )
        looks_up = self._speaks_of_builtins or beside in _GETTERS
        if words in NAMESPACES:
            self.namespace_reads.append(ANYTHING)
        leads_to_reader = _leads_to_reader(words) and not goes_to_people(use, beside)
        if words in FRAME_READERS or leads_to_reader or (looks_up and self._reads_names(words)):
            self.exposures.append(Exposure(self._scope, f'"{words}"', start, True))

    def _joined(self, node: ast.JoinedStr, context: str, beside: str) -> None:
        start, end = self.start_of(node), self.end_of(node)
        if sys.version_info < (3, 12):
            self.unplaced.extend(fstrings.mend(node, self.source, start, end))
        if _SHOWS_ITSELF.search(self.source.text, start, end):
            self.shown.extend(fstrings.shown_expressions(self.source.text, start, end))
        self._note_text(
            start,
            end,
            " ".join(fstrings.literal_parts(node)),
            context,
            beside,
            interpolated=True,
        )
        self._fields(node)

    def _fields(self, node: ast.JoinedStr) -> None:
        for part in node.values:
            if isinstance(part, ast.FormattedValue):
                self.visit(part.value, "format")
                if isinstance(part.format_spec, ast.JoinedStr):
                    self._fields(part.format_spec)


def _speaks_of_builtins(text: str) -> bool:
    """Whether the module of all builtins is named in a text. What stands behind a `#` that no quote precedes is a comment."""
    for found in _BUILTINS_NAMED.finditer(text):
        before = text[text.rfind("\n", 0, found.start()) + 1 : found.start()]
        code, hash_sign, _ = before.partition("#")
        if not hash_sign or '"' in code or "'" in code:
            return True
    return False


def _leads_to_reader(words: str) -> bool:
    """Whether a text leads to what shows the names of functions by way of attributes."""
    return "_" in words and "." in words and _LEADS_TO_READER.search(words) is not None


def all_arguments(arguments: ast.arguments) -> list[ast.arg]:
    """Every parameter of a signature, those that take the rest last."""
    found = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs]
    return found + [each for each in (arguments.vararg, arguments.kwarg) if each is not None]


def position_readers(source: SourceText) -> tuple[Callable[[Any], int], Callable[[Any], int]]:
    """What gives the offset at which a node begins, and the one just behind it. A survey asks for
    hundreds of thousands, so text in which bytes and characters count alike takes a short cut."""
    line_starts = source.line_starts
    if source.is_ascii:
        return (
            lambda node: line_starts[node.lineno - 1] + node.col_offset,
            lambda node: line_starts[node.end_lineno - 1] + node.end_col_offset,
        )
    return (
        lambda node: source.offset_of_utf8(node.lineno, node.col_offset),
        lambda node: source.offset_of_utf8(node.end_lineno, node.end_col_offset),
    )


def _class_head(node: ast.ClassDef) -> list[ast.AST]:
    return [*node.bases[-1:], *node.keywords[-1:], *getattr(node, "type_params", ())[-1:]]


def _function_head(node: ast.FunctionDef | ast.AsyncFunctionDef) -> list[ast.AST]:
    if node.returns is not None:
        return [node.returns]
    arguments = node.args
    groups = (arguments.posonlyargs, arguments.args, arguments.kwonlyargs, arguments.defaults)
    found: list[ast.AST | None] = [group[-1] for group in groups if group]
    found += [arguments.vararg, arguments.kwarg, *arguments.kw_defaults]
    found += getattr(node, "type_params", ())[-1:]
    return [each for each in found if each is not None]


# For each sort of compound statement: the parts of its head among which the last one is.
_LAST_PARTS: dict[type[ast.AST], Callable[[Any], Sequence[ast.AST]]] = {
    **dict.fromkeys((ast.If, ast.While), lambda node: (node.test,)),
    **dict.fromkeys((ast.For, ast.AsyncFor), lambda node: (node.iter,)),
    **dict.fromkeys(
        (ast.With, ast.AsyncWith),
        lambda node: (node.items[-1].optional_vars or node.items[-1].context_expr,),
    ),
    **dict.fromkeys((ast.Try, ast.TryStar), lambda node: ()),
    ast.Match: lambda node: (node.subject,),
    ast.ClassDef: _class_head,
    ast.FunctionDef: _function_head,
    ast.AsyncFunctionDef: _function_head,
}


def _show(value: object) -> str:
    try:
        return repr(value)
    except ValueError:
        # Integers of thousands of digits have no decimal text by default.
        return hex(value) if isinstance(value, int) else "…"


def _text_before(node: ast.expr) -> ast.Constant | None:
    """The text of which a method is called in the end, be it changed a little, or translated, on the way."""
    while isinstance(node, ast.Call):
        callee = node.func
        if isinstance(callee, ast.Attribute) and callee.attr in _CHANGING_TEXTS:
            node = callee.value
        elif isinstance(callee, ast.Name) and callee.id in _TRANSLATORS and len(node.args) == 1:
            node = node.args[0]
        else:
            return None
    return node if isinstance(node, ast.Constant) and isinstance(node.value, str) else None


def _short_name(node: ast.AST) -> str:
    """The last name of an expression: `weight` for `hive.weight`, `read()` and `row["weight"]`."""
    if isinstance(node, ast.Name):
        return node.id
    if isinstance(node, ast.Attribute):
        return node.attr
    if isinstance(node, ast.Call):
        return _short_name(node.func)
    if isinstance(node, ast.Subscript):
        if isinstance(node.slice, ast.Constant) and isinstance(node.slice.value, str):
            return node.slice.value
        return _short_name(node.value)
    return ""


def _is_of_instance(node: ast.expr) -> bool:
    """Whether something is an instance that a method works on, or an attribute of one: surely no module."""
    while isinstance(node, ast.Attribute):
        node = node.value
    return isinstance(node, ast.Name) and node.id in ("self", "cls")
