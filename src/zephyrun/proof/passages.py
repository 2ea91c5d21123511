"""Parts of a function that have become functions of their own, put back where they are called.

A function that only one of two versions has, and that is named nowhere but in plain calls in its own file, can be
written out at each call: the program is the same, and can then be compared with the version that never had it. This
holds where nobody can tell that one frame more was there. So what the function was given must be variables of its
caller that stay as they are; what it sets must be plain values, or be given back to variables that are new; and
nothing may look at frames, count them, or look up names.
"""

from __future__ import annotations

import ast
import copy
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from zephyrun.facts import Role, ScopeKind
from zephyrun.languages.python import ParsedFile, UnreadableSource, parse
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.linking.documentation_readers import RUN_EXAMPLE
from zephyrun.linking.escapes import NAMES_ARE_SHOWN
from zephyrun.linking.linkage import Content
from zephyrun.linking.modules import is_python
from zephyrun.linking.search import find_usage
from zephyrun.linking.targets import NoTarget, target_at
from zephyrun.linking.usage import PlaceSort
from zephyrun.linking.value_sorts import ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.proof.annotations import are_sure_annotations, is_inert_definition
from zephyrun.proof.call_stack import asks_for_callers, puts_down_to_caller
from zephyrun.proof.named_constants import namespace_reservations
from zephyrun.proof.normal_form import Version, is_text_statement
from zephyrun.proof.plain_values import PlainValues
from zephyrun.proof.remains import Surroundings, reservations
from zephyrun.proof.renames import World
from zephyrun.proof.set_builtins import sets_builtins
from zephyrun.proof.surroundings import counts_members
from zephyrun.source import Edit, EditSet, UnreadableText

PASSAGE = "passage in a function of its own"
DEPTH_ASSUMPTION = "recursion depth, and stack levels for which no call asks"

_MOST_ROUNDS = 30
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_OTHER_FRAMES = (
    *_FUNCTIONS, ast.ClassDef, ast.Lambda, ast.GeneratorExp, ast.Yield, ast.YieldFrom, ast.Await, ast.AsyncFor,
    ast.AsyncWith, ast.Global, ast.Nonlocal, ast.NamedExpr, ast.Delete, ast.Import, ast.ImportFrom,
)
_TELLING_NAMES = frozenset({"super", "__class__", "locals", "vars", "dir", "eval", "exec", "globals"})
# Answers for whatever an object is asked for, methods included.
_ASKED_FIRST = "__getattribute__"
_SET_AND_GIVEN_BACK = (Role.ASSIGN, Role.READ)
_ALLOWED_SORTS = frozenset({PlaceSort.DEFINITION, PlaceSort.READ, PlaceSort.COMMENT, PlaceSort.DOCUMENTATION})


class PutBack(NamedTuple):
    """A version of a project with passages put back: its files, how many passages each changed one got back,
    where each of the lines of a changed one comes from (from 1 on, by their order), and what that rests on."""

    files: Mapping[str, Content]
    counts: Mapping[str, int]
    lines: Mapping[str, tuple[int, ...]]
    assumed: tuple[str, ...]


class Apart(NamedTuple):
    """A file of one version, and the dotted names of its functions that the other version of it has not."""

    parsed: ParsedFile
    names: frozenset[str]


def functions_apart(parsed: ParsedFile, other: ParsedFile) -> Apart:
    """The functions that only the first of two versions of a file has."""
    facts, beside = parsed.facts, other.facts
    there = {beside.dotted(each.inner_scope) for each in beside.definitions}
    functions = {facts.dotted(each.inner_scope) for each in facts.definitions if each.sort is ScopeKind.FUNCTION}
    return Apart(parsed, frozenset(functions - there))


def put_back_passages(files: Mapping[str, Content], apart: Mapping[str, Apart], world: World) -> PutBack | None:
    """One version with the functions written out that the other one has not, which are given by the paths of their files;
    `None` where there are none, or where something might notice. The surroundings in `world` are by the paths of this
    version."""
    if any(asks_for_callers(data) for path, data in files.items() if is_python(path) and isinstance(data, bytes)):
        return None
    current, counts, assumed = dict(files), dict[str, int](), dict[str, None]()
    lines: dict[str, tuple[int, ...]] = {}
    rest = {path: each for path, each in apart.items() if each.names}
    for _ in range(_MOST_ROUNDS):
        found = _put_one_back(world.evaluator(current), rest, world)
        if found is None:
            break
        path, written, rests_on = found
        current[path] = written.data
        rest[path] = rest[path]._replace(parsed=written.parsed)
        counts[path] = counts.get(path, 0) + 1
        before = lines.get(path)
        lines[path] = written.lines if before is None else tuple(before[line - 1] for line in written.lines)
        assumed |= dict.fromkeys([*rests_on, DEPTH_ASSUMPTION, NAMES_ARE_SHOWN])
    return PutBack(current, counts, lines, tuple(assumed)) if counts else None


def _put_one_back(
    evaluator: Evaluator, files: Mapping[str, Apart], world: World
) -> tuple[str, _Written, list[str]] | None:
    """A path, its text with one function of those names written out at its calls, and what that rests on."""
    for path, (parsed, names) in files.items():
        around = world.surroundings.get(path, Surroundings())
        for definition in parsed.facts.definitions:
            if parsed.facts.dotted(definition.inner_scope) in names:
                passage = _Passage.found(evaluator, path, parsed, definition.name_start, around)
                written = passage.written_out() if passage is not None else None
                if passage is not None and written is not None:
                    return path, written, passage.assumed
    return None


class _Written(NamedTuple):
    """The text of a file with a function written out, what it says, and the line from which each of its lines comes."""

    data: bytes
    parsed: ParsedFile
    lines: tuple[int, ...]


class _Refused(Exception):
    """A passage cannot be put back."""


@dataclass
class _Call:
    """A call of the function: the statement and the blocks around it, innermost first, and the function."""

    node: ast.Call
    statement: ast.stmt
    around: list[ast.AST]
    caller: ast.FunctionDef | ast.AsyncFunctionDef | None
    given: dict[int, ast.expr] = field(default_factory=dict)


class _Passage:
    """A function that is written out where it is called."""

    def __init__(self, parsed: ParsedFile, node: ast.FunctionDef, around: Surroundings, assumed: list[str]) -> None:
        self._parsed = parsed
        self._node = node
        self._surroundings = around
        self.assumed = assumed
        are_builtins_set = around.are_builtins_set or sets_builtins(parsed.source.to_bytes())
        self._plain = PlainValues(Version(parsed), are_builtins_set=are_builtins_set)
        self._parents = {
            id(child): each for each in parsed.nodes for child in ast.iter_child_nodes(each)
        }
        self._holder = self._parents[id(node)]
        # Variables of the function that are not there once it is written out.
        self._left_out: set[int] = set()
        self._body = self._without_idle_variables(node.body[1:] if is_text_statement(node.body[0]) else node.body)
        self._calls: list[_Call] = []

    @classmethod
    def found(
        cls, evaluator: Evaluator, path: str, parsed: ParsedFile, name_start: int, around: Surroundings
    ) -> _Passage | None:
        """The function whose name stands at an offset, if only plain calls in its file name it."""
        nodes = [
            each for each in parsed.nodes
            if isinstance(each, ast.FunctionDef) and parsed.places[id(each), "name"][0] == name_start
        ]
        try:
            usage = find_usage(evaluator, target_at(evaluator, path, name_start))
        except NoTarget:
            return None
        if not nodes or usage.obstacles or usage.doubts or usage.open_places:
            return None
        if any(place.sort not in _ALLOWED_SORTS or place.path != path for place in usage.places):
            return None
        definitions = [place for place in usage.places if place.sort is PlaceSort.DEFINITION]
        reads = sorted(place.start for place in usage.places if place.sort is PlaceSort.READ)
        passage = cls(parsed, nodes[0], around, usage.assumed)
        if isinstance(passage._holder, ast.ClassDef) and passage._is_counted(evaluator, path):
            return None
        is_called = len(definitions) == 1 and reads and passage._takes(reads)
        return passage if is_called and not passage._is_lent(evaluator) else None

    def written_out(self) -> _Written | None:
        """The text of the file with the function at each of its calls, and gone itself; `None` where somebody
        could tell."""
        try:
            self._check_function()
            edits = [self._without_definition()]
            for call in self._calls:
                self._check_call(call)
                edits.append(self._edit(call))
            data = EditSet(edits).apply(self._parsed.source)
            parsed = parse(data)
        except (_Refused, UnreadableSource, UnreadableText):
            return None
        return _Written(data, parsed, tuple(self._lines_of(edits)))

    def _lines_of(self, edits: list[Edit]) -> Iterator[int]:
        """The line from which each line of the edited text comes; what is written out comes from the function."""
        source, text = self._parsed.source, self._parsed.source.text
        own_line = self._body[0].lineno
        position, edited = 0, ""
        origins: list[int] = []
        for edit in [*sorted(edits, key=lambda each: each.start), Edit(len(text), len(text), "")]:
            for piece, line in ((text[position : edit.start], source.line_of(position)), (edit.text, 0)):
                # The line on which the piece begins has its origin already, unless it begins there.
                begins_line = not edited or edited.endswith("\n")
                n_lines = piece.count("\n") + begins_line
                first = line if begins_line else line + 1
                origins += [first + number if line else own_line for number in range(n_lines)]
                edited += piece
            position = edit.end
        yield from origins

    # -- the function ------------------------------------------------------------------------

    def _takes(self, reads: list[int]) -> bool:
        """Find the calls of the function; whether every place at which it is named is one."""
        by_place = {}
        for each in self._parsed.nodes:
            if isinstance(each, ast.Call) and isinstance(each.func, ast.Name):
                by_place[self._parsed.start_of(each.func)] = each
            elif isinstance(each, ast.Call) and isinstance(each.func, ast.Attribute):
                by_place[self._parsed.end_of(each.func) - len(each.func.attr)] = each
        for start in reads:
            if start not in by_place:
                return False
            self._calls.append(self._call(by_place[start]))
        return True

    def _is_counted(self, evaluator: Evaluator, path: str) -> bool:
        """Whether something may see how many members the class has."""
        if self._surroundings.counts_members or counts_members(self._parsed.source.to_bytes()):
            return True
        start = self._parsed.places[id(self._holder), "name"][0]
        keys = [
            (path, number)
            for number, each in enumerate(evaluator.file(path).links.classes)
            if each.name_start == start
        ]
        return not keys or any(evaluator.has_own_metaclass(each) for key in keys for each in evaluator.above(key))

    def _is_lent(self, evaluator: Evaluator) -> bool:
        """Whether some method that calls the function is taken off its class, to be called on who knows what."""
        if not isinstance(self._holder, ast.ClassDef):
            return False
        names = {call.caller.name for call in self._calls if call.caller is not None}
        if evaluator.linkage.paths_mentioning(_ASKED_FIRST):
            return True
        return any(
            value.sort is ValueSort.CLASS
            for file in evaluator.linkage.mentioning_any(names)
            for name in names
            for use in file.links.attributes_by_name.get(name, ())
            for value in evaluator.values(file, use.receiver)
        )

    def _check_function(self) -> None:
        """The function must be a plain one, of which nobody can tell that it is there."""
        facts = self._parsed.facts
        if not self._is_plain() or not are_sure_annotations(self._parsed, self._node, self._surroundings.oldest):
            raise _Refused
        # Some programs run functions of such names, and examples in documentation.
        is_test = self._node.name.lower().startswith("test")
        if is_test or RUN_EXAMPLE.search(ast.get_docstring(self._node) or ""):
            raise _Refused
        if any(True for _ in namespace_reservations(self._parsed.source.text, facts, self._surroundings)):
            raise _Refused

        for binding in self._own_bindings():
            if facts.bindings[binding].captured or reservations(facts, binding, self._surroundings):
                raise _Refused
            if Role.PARAMETER in facts.roles(binding) and not facts.roles(binding) <= {Role.PARAMETER, Role.READ}:
                raise _Refused
        if any(each.whole_file for each in facts.exposures) or self._surroundings.frame_readers:
            raise _Refused

    def _is_plain(self) -> bool:
        """Whether the function is a method or one of the module that only does what stands in it, and takes what
        it is given by name or place."""
        node, arguments = self._node, self._node.args
        inside = [each for statement in node.body for each in nodes_in(statement)]
        names = {each.id for each in inside if isinstance(each, ast.Name)}
        words = {node.name, *names, *(each.attr for each in inside if isinstance(each, ast.Attribute))}
        is_method = isinstance(self._holder, ast.ClassDef)
        defaults = [*arguments.defaults, *filter(None, arguments.kw_defaults)]
        return (
            (is_method and bool(arguments.posonlyargs or arguments.args) or isinstance(self._holder, ast.Module))
            and not node.decorator_list
            and not getattr(node, "type_params", None)
            and arguments.vararg is None
            and arguments.kwarg is None
            and all(isinstance(each, ast.Constant) for each in defaults)
            and bool(self._body)
            and not any(isinstance(each, _OTHER_FRAMES) for each in inside)
            and not names & _TELLING_NAMES
            and not any(map(puts_down_to_caller, inside))
            # Names that Python makes something else of in a class, or gives a meaning.
            and not node.name.startswith("__")
            and not any(each.startswith("__") and not each.endswith("__") for each in words)
        )

    @property
    def _scope(self) -> int:
        name_start = self._parsed.places[id(self._node), "name"][0]
        return next(each.inner_scope for each in self._parsed.facts.definitions if each.name_start == name_start)

    def _own_bindings(self) -> list[int]:
        scope = self._scope
        return [
            number for number, each in enumerate(self._parsed.facts.bindings) if each.scope == scope and not each.outside
        ]

    def _locals(self) -> list[int]:
        facts = self._parsed.facts
        return [
            each for each in self._own_bindings() if each not in self._left_out and Role.PARAMETER not in facts.roles(each)
        ]

    def _without_idle_variables(self, block: list[ast.stmt]) -> list[ast.stmt]:
        """The statements of the function without a constant that nothing reads, and with what is only given back
        (`total = sum(weights)`, `return total`) given back at once."""
        kept: list[ast.stmt] = []
        for statement in block:
            before = self._setting(kept[-1]) if kept else None
            match statement:
                case ast.Return(value=ast.Name() as name) if before is not None and self._n_met(name) == len(_SET_AND_GIVEN_BACK):
                    target, value = before
                    if self._parsed.binding_of(name) == self._parsed.binding_of(target):
                        kept[-1] = ast.copy_location(ast.Return(value), kept[-1])
                        self._left_out.add(self._parsed.binding_of(target))
                        continue
            own = self._setting(statement)
            if own is not None and isinstance(own[1], ast.Constant) and self._n_met(own[0]) == 1:
                self._left_out.add(self._parsed.binding_of(own[0]))
            else:
                kept.append(statement)
        return kept

    def _setting(self, statement: ast.stmt) -> tuple[ast.Name, ast.expr] | None:
        """The variable of the function that a statement only gives a value, and the value."""
        match statement:
            case ast.Assign(targets=[ast.Name() as target], value=value) | ast.AnnAssign(target=ast.Name() as target, value=ast.expr() as value):
                record = self._parsed.facts.bindings[self._parsed.binding_of(target)]
                return (target, value) if record.scope == self._scope and not record.outside else None
        return None

    def _n_met(self, name: ast.Name) -> int:
        """At how many places a variable stands."""
        return len(self._parsed.facts.bindings[self._parsed.binding_of(name)].references)

    def _first_setting(self, binding: int) -> int:
        """Which statement of the function's own block sets a variable that nothing named before; -1 for none."""
        facts = self._parsed.facts
        first = facts.references[facts.bindings[binding].references[0]].start
        for index, statement in enumerate(self._body):
            if isinstance(statement, ast.Assign | ast.AnnAssign) and statement.value is not None:
                targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]
                if any(isinstance(each, ast.Name) and self._parsed.start_of(each) == first for each in targets):
                    # On the right the old value would be read.
                    names = [each for each in nodes_in(statement.value) if isinstance(each, ast.Name)]
                    is_read = any(self._parsed.binding_of(each) == binding for each in names)
                    return -1 if is_read else index
        return -1

    def _without_definition(self) -> Edit:
        text = self._parsed.source.text
        start = text.rfind("\n", 0, self._parsed.start_of(self._node)) + 1
        end = self._parsed.end_of(self._node)
        if text[start : self._parsed.start_of(self._node)].strip():
            raise _Refused
        block = self._holder.body  # type: ignore[attr-defined]
        column = self._node.col_offset
        return Edit(start, end, " " * column + "pass" if len(block) == 1 else "")

    # -- the calls ---------------------------------------------------------------------------

    def _call(self, node: ast.Call) -> _Call:
        statement = next(each for each in self._around(node) if isinstance(each, ast.stmt))
        around: list[ast.AST] = []
        for each in self._around(statement):
            if isinstance(each, _FUNCTIONS):
                return _Call(node, statement, around, each)
            around.append(each)
        return _Call(node, statement, around, None)

    def _check_call(self, call: _Call) -> None:
        if self._parsed.start_of(self._node) <= self._parsed.start_of(call.node) < self._parsed.end_of(self._node):
            raise _Refused
        self._check_receiver(call)
        self._check_order(call)
        call.given = self._given(call)
        facts = self._parsed.facts
        called = call.node.func.value if isinstance(call.node.func, ast.Attribute) else call.node.func
        # A text may show an expression with its value.
        if any(start <= self._parsed.start_of(call.node) < end for start, end in facts.shown):
            raise _Refused
        if facts.scopes[facts.reference_by_start[self._parsed.start_of(called)].scope].kind in (ScopeKind.CLASS, ScopeKind.TYPES):
            raise _Refused
        scopes = self._scopes_around(call)
        if any(each.scope in {*scopes, self._scope} for each in facts.exposures):
            raise _Refused
        # What the function reads from the module must not be something else at the call.
        taken = {facts.bindings[each].name for scope in scopes for each in self._bound_in(scope)}
        own = set(self._own_bindings())
        names = [each for statement in self._body for each in nodes_in(statement) if isinstance(each, ast.Name)]
        inner = {
            facts.bindings[self._parsed.binding_of(each)].name
            for each in names
            if facts.scopes[facts.bindings[self._parsed.binding_of(each)].scope].kind is ScopeKind.COMPREHENSION
        }
        free = {facts.bindings[self._parsed.binding_of(each)].name for each in names if self._parsed.binding_of(each) not in own} - inner
        given = {each.id for each in call.given.values() if isinstance(each, ast.Name)}
        if free & taken or inner & given:
            raise _Refused

    def _scopes_around(self, call: _Call) -> list[int]:
        """The scopes in which the names at a call are looked up, but for the module."""
        facts = self._parsed.facts
        start = self._parsed.start_of(call.node)
        return [
            number for number, each in enumerate(facts.scopes)
            if number and each.start <= start < each.end and each.kind is not ScopeKind.CLASS
        ]

    def _bound_in(self, scope: int) -> Iterator[int]:
        for number, each in enumerate(self._parsed.facts.bindings):
            if each.scope == scope and not each.outside:
                yield number

    def _check_receiver(self, call: _Call) -> None:
        """A method must be called on what its caller is a method of."""
        called = call.node.func
        if isinstance(called, ast.Name):
            if isinstance(self._holder, ast.ClassDef):
                raise _Refused
            return
        assert isinstance(called, ast.Attribute), "only names and attributes were found"
        is_own = (
            call.caller is not None
            and isinstance(called.value, ast.Name)
            and self._parents[id(call.caller)] is self._holder
            and isinstance(self._holder, ast.ClassDef)
            and all(self._is_property(each) for each in call.caller.decorator_list)
        )
        if not is_own:
            raise _Refused
        assert call.caller is not None and isinstance(called.value, ast.Name), "it was just told"
        first = [*call.caller.args.posonlyargs, *call.caller.args.args][:1]
        if not first or self._parsed.start_of(first[0]) != self._first_place(called.value):
            raise _Refused
        self._check_kept(called.value)
        roles = self._parsed.facts.roles(self._parsed.binding_of(called.value))
        if not roles <= {Role.PARAMETER, Role.READ}:
            raise _Refused

    def _is_property(self, decorator: ast.expr) -> bool:
        return isinstance(decorator, ast.Name) and decorator.id == "property" and self._plain.is_builtin(decorator)

    def _first_place(self, name: ast.Name) -> int:
        facts = self._parsed.facts
        return facts.references[facts.bindings[self._parsed.binding_of(name)].references[0]].start

    def _check_order(self, call: _Call) -> None:
        """The function must be there whenever the call can run."""
        if isinstance(self._holder, ast.ClassDef):
            return
        body = self._parsed.tree.body
        own = body.index(self._node)
        start = self._parsed.start_of(call.node)
        at = next(index for index, each in enumerate(body) if self._first(each) <= start < self._parsed.end_of(each))
        if at > own:
            return
        if call.caller is None or not all(
            is_inert_definition(self._parsed, each, self._surroundings.oldest) for each in body[at:own]
        ):
            raise _Refused

    def _given(self, call: _Call) -> dict[int, ast.expr]:
        """What each parameter stands for at a call: a variable of the caller, or a constant."""
        arguments = self._node.args
        parameters = [*arguments.posonlyargs, *arguments.args]
        given: dict[str, ast.expr] = {}
        values = list(call.node.args)
        if isinstance(self._holder, ast.ClassDef):
            assert isinstance(call.node.func, ast.Attribute), "methods are called on something"
            values.insert(0, call.node.func.value)
        if len(values) > len(parameters):
            raise _Refused
        given |= {each.arg: value for each, value in zip(parameters, values, strict=False)}
        by_keyword = {each.arg for each in [*arguments.args, *arguments.kwonlyargs]}
        for keyword in call.node.keywords:
            if keyword.arg is None or keyword.arg in given or keyword.arg not in by_keyword:
                raise _Refused
            given[keyword.arg] = keyword.value
        n_defaults = len(arguments.defaults)
        defaults = dict(zip([each.arg for each in parameters][len(parameters) - n_defaults :], arguments.defaults))
        defaults |= {each.arg: value for each, value in zip(arguments.kwonlyargs, arguments.kw_defaults) if value}
        found: dict[int, ast.expr] = {}
        for each in [*parameters, *arguments.kwonlyargs]:
            value = given.get(each.arg, defaults.get(each.arg))
            if isinstance(value, ast.Name):
                self._check_kept(value)
            elif not isinstance(value, ast.Constant):
                raise _Refused
            found[self._parsed.facts.reference_by_start[self._parsed.start_of(each)].binding] = value
        return found

    def _check_kept(self, name: ast.Name) -> None:
        """A variable must be set when it is handed over, and nothing but its own function may change it."""
        facts = self._parsed.facts
        reference = facts.reference_by_start[self._parsed.start_of(name)]
        record = facts.bindings[reference.binding]
        references = [facts.references[index] for index in record.references]
        setting = [each for each in references if each.role is not Role.READ]
        if (
            record.outside
            or reference.scope != record.scope
            or facts.scopes[record.scope].kind not in (ScopeKind.FUNCTION, ScopeKind.LAMBDA, ScopeKind.COMPREHENSION)
            or any(each.scope != record.scope or each.role in (Role.DELETE, Role.DECLARE, Role.CATCH) for each in setting)
        ):
            raise _Refused
        is_there = any(each.role in (Role.PARAMETER, Role.EACH) for each in setting)
        if not is_there and {each.start for each in setting}.isdisjoint(self._set_before(name)):
            raise _Refused

    def _set_before(self, node: ast.AST) -> Iterator[int]:
        """Where the names stand that have surely been set when a node is evaluated, inside its function."""
        while not isinstance(node, _FUNCTIONS) and id(node) in self._parents:
            parent = self._parents[id(node)]
            for field_name in ("body", "orelse", "finalbody"):
                block = getattr(parent, field_name, None)
                if isinstance(block, list) and node in block:
                    # A loop that stands before it may have had no round.
                    ran = [each for each in block[: block.index(node)] if not isinstance(each, ast.For)]
                    ran += [parent] if field_name == "body" and isinstance(parent, ast.For | ast.With) else []
                    yield from (self._parsed.start_of(target) for each in ran for target in _targets(each))
            node = parent

    # -- writing -----------------------------------------------------------------------------

    def _edit(self, call: _Call) -> Edit:
        """What stands in the place of a call, or of the statement that it is."""
        only = self._body[0]
        if len(self._body) == 1 and isinstance(only, ast.Return) and only.value is not None:
            if self._locals():
                raise _Refused
            written = ast.unparse(self._with_names(only.value, call, {}))
            # On a line of its own, so that it is known where it comes from; not all texts may be broken.
            is_in_text = any(isinstance(each, ast.JoinedStr) for each in self._around(call.node))
            written = f"({written})" if is_in_text else f"(\n{written}\n)"
            return Edit(self._parsed.start_of(call.node), self._parsed.end_of(call.node), written)
        if call.caller is None:
            raise _Refused
        statements = self._statements(call)
        text = self._parsed.source.text
        start = self._parsed.start_of(call.statement)
        line = text.rfind("\n", 0, start) + 1
        end = self._parsed.end_of(call.statement)
        rest = text[end:].partition("\n")[0].strip()
        if text[line:start].strip() or (rest and not rest.startswith("#")):
            raise _Refused
        indent = text[line:start]
        lines = [each for statement in statements for each in _unparsed(statement)] or ["pass"]
        return Edit(start, end, f"\n{indent}".join(lines))

    def _around(self, node: ast.AST) -> Iterator[ast.AST]:
        """What stands around a node."""
        while id(node) in self._parents:
            node = self._parents[id(node)]
            yield node

    def _statements(self, call: _Call) -> list[ast.stmt]:
        match call.statement:
            case ast.Return(value=ast.Call() as value) if value is call.node:
                self._check_locals()
                body = self._renamed_body(call, {})
                return body if _leaves(body) else [*body, ast.Return(ast.Constant(None))]
            case ast.Expr(value=ast.Call() as value) if value is call.node:
                self._check_locals()
                return _without_result(self._renamed_body(call, {}), _evaluated)
            case ast.Assign(targets=[target], value=ast.Call() as value) if value is call.node:
                return self._assigned(call, target)
        raise _Refused

    def _assigned(self, call: _Call, target: ast.expr) -> list[ast.stmt]:
        """The statements of the function, with what it gives back in a variable, or several."""
        targets = target.elts if isinstance(target, ast.Tuple) else [target]
        names = [each for each in targets if isinstance(each, ast.Name)]
        last = self._body[-1]
        given_back = last.value if isinstance(last, ast.Return) else None
        results = given_back.elts if isinstance(given_back, ast.Tuple) else [given_back]
        own = set(self._locals())
        are_own = all(isinstance(each, ast.Name) and self._parsed.binding_of(each) in own for each in results)
        n_returns = sum(isinstance(each, ast.Return) for statement in self._body for each in nodes_in(statement))
        if len(names) == len(targets) == len(results) and are_own and n_returns == 1:
            bindings = [self._parsed.binding_of(each) for each in results if isinstance(each, ast.Name)]
            if len(set(bindings)) == len(bindings) and len({each.id for each in names}) == len(names):
                self._check_results(call, names, bindings)
                self._check_locals(kept=bindings)
                called = dict(zip(bindings, [each.id for each in names], strict=True))
                return self._renamed_body(call, called, self._body[:-1])
        self._check_locals()
        if not isinstance(target, ast.Name):
            raise _Refused
        return _without_result(
            self._renamed_body(call, {}),
            lambda result: [ast.Assign([ast.Name(target.id, ast.Store())], result)],
        )

    def _check_results(self, call: _Call, targets: list[ast.Name], results: list[int]) -> None:
        """What is given back must come to be in the order in which the caller names it, in new variables."""
        places = [self._first_setting(each) for each in results]
        if -1 in places or places != sorted(set(places)):
            raise _Refused
        if not all(isinstance(each, ast.If) for each in call.around):
            raise _Refused
        facts = self._parsed.facts
        for target in targets:
            record = facts.bindings[self._parsed.binding_of(target)]
            references = [facts.references[index] for index in record.references]
            is_own = facts.scopes[record.scope].kind is ScopeKind.FUNCTION and not record.captured
            if not is_own or references[0].start != self._parsed.start_of(target) or record.outside:
                raise _Refused
            if any(each.role is Role.DELETE for each in references):
                raise _Refused

    def _check_locals(self, kept: Sequence[int] = ()) -> None:
        """What is not given back must die without a trace, and be set anew each time."""
        facts = self._parsed.facts
        for binding in self._locals():
            if binding in kept:
                continue
            first = facts.references[facts.bindings[binding].references[0]]
            names = [
                each for statement in self._body for each in nodes_in(statement)
                if isinstance(each, ast.Name) and self._parsed.start_of(each) == first.start
            ]
            if not names or self._plain.kind(names[0]) is None or self._first_setting(binding) < 0:
                raise _Refused

    def _renamed_body(
        self, call: _Call, called: dict[int, str], body: list[ast.stmt] | None = None
    ) -> list[ast.stmt]:
        facts = self._parsed.facts
        names = dict(called)
        for binding in self._locals():
            if binding not in names:
                names[binding] = self._free_name(facts.bindings[binding].name, call)
        inner = {
            facts.bindings[number].name
            for scope, each in enumerate(facts.scopes)
            if each.kind is ScopeKind.COMPREHENSION and self._scope in facts.ancestors(scope)
            for number in self._bound_in(scope)
        }
        if inner & set(names.values()):
            raise _Refused
        return [self._with_names(each, call, names) for each in (self._body if body is None else body)]

    def _free_name(self, name: str, call: _Call) -> str:
        """A name for a variable of the function that means nothing where it is called."""
        facts = self._parsed.facts
        scopes = self._scopes_around(call)
        taken = {facts.bindings[each].name for scope in scopes for each in self._bound_in(scope)}
        read = {each.id for each in nodes_in(call.caller or self._node) if isinstance(each, ast.Name)}
        is_free = name not in taken | read and name not in BUILTINS
        if is_free:
            return name
        number = 2
        while f"{name}_{number}" in facts.names:
            number += 1
        return f"{name}_{number}"

    def _with_names(self, node: Any, call: _Call, names: Mapping[int, str]) -> Any:
        """A part of the function as it reads at a call; a copy."""
        return _Renaming(self._parsed.binding_of, call.given, names).visit(copy.deepcopy(node))

    # -- places ------------------------------------------------------------------------------

    def _first(self, node: ast.stmt) -> int:
        """Where a statement begins, its decorators included."""
        return min(map(self._parsed.start_of, [node, *getattr(node, "decorator_list", [])]))


class _Renaming(ast.NodeTransformer):
    """Writes what is given in the place of parameters, and other names in the place of variables."""

    def __init__(
        self, binding_of: Callable[[ast.Name], int], given: Mapping[int, ast.expr], names: Mapping[int, str]
    ) -> None:
        self._binding_of = binding_of
        self._given = given
        self._names = names

    def visit_Name(self, node: ast.Name) -> ast.expr:
        binding = self._binding_of(node)
        if binding in self._given:
            return copy.deepcopy(self._given[binding])
        return ast.Name(self._names.get(binding, node.id), node.ctx)


def _targets(statement: ast.AST) -> list[ast.Name]:
    """The names that a statement sets whenever it has run, or, of a loop, whenever what stands inside it runs."""
    match statement:
        case ast.Assign(targets=targets):
            found: list[ast.expr] = targets
        case ast.AnnAssign(target=target, value=ast.expr()):
            found = [target]
        case ast.For(target=target):
            found = [target]
        case ast.With(items=items):
            found = [each.optional_vars for each in items if each.optional_vars is not None]
        case _:
            found = []
    parts = [part for each in found for part in nodes_in(each)]
    return [each for each in parts if isinstance(each, ast.Name) and isinstance(each.ctx, ast.Store)]


def _leaves(block: list[ast.stmt]) -> bool:
    """Whether a function ends wherever a block of it does."""
    last = block[-1] if block else None
    if isinstance(last, ast.If):
        return _leaves(last.body) and _leaves(last.orelse)
    return isinstance(last, ast.Return | ast.Raise)


def _returns(node: ast.AST) -> bool:
    return any(isinstance(each, ast.Return) for each in nodes_in(node))


def _evaluated(result: ast.expr) -> list[ast.stmt]:
    """A statement for a result that nobody takes."""
    return [] if isinstance(result, ast.Constant) else [ast.Expr(result)]


def _without_result(block: list[ast.stmt], keep: Callable[[ast.expr], list[ast.stmt]]) -> list[ast.stmt]:
    """The statements of a function with `keep` of what it gives back in the place of each way out. Errors:
    `_Refused`, where it is left from inside a loop or the like."""
    written: list[ast.stmt] = []
    for index, statement in enumerate(block):
        rest = block[index + 1 :]
        if isinstance(statement, ast.Return):
            return [*written, *keep(statement.value or ast.Constant(None))]
        if isinstance(statement, ast.Raise):
            return [*written, statement]
        if isinstance(statement, ast.If) and _returns(statement):
            if _leaves(statement.body):
                statement.orelse = [*statement.orelse, *rest]
            elif _leaves(statement.orelse):
                statement.body = [*statement.body, *rest]
            elif rest:
                raise _Refused
            statement.body = _without_result(statement.body, keep) or [ast.Pass()]
            statement.orelse = _without_result(statement.orelse, keep)
            return [*written, statement]
        if _returns(statement):
            raise _Refused
        written.append(statement)
    return [*written, *keep(ast.Constant(None))]


def _unparsed(statement: ast.stmt) -> list[str]:
    """The lines of a statement. Errors: `_Refused` for one whose texts go over several."""
    text = ast.unparse(ast.fix_missing_locations(statement))
    if '"""' in text or "'''" in text:
        raise _Refused
    return text.splitlines()
