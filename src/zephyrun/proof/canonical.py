"""Ways of writing one thing, brought to one of them.

Each rewriting here leaves what a program does as it is, whatever its names stand for. Both versions are
rewritten, so that it does not matter which way a clean-up went:

- a block after a branch that leaves (`return`, `raise`, `break`, `continue`) is the other branch;
- a condition that begins with `not` is turned round where there are two branches, or one that does nothing;
- `return` at the end of a function, `continue` at the end of a loop and `pass` beside other statements go;
- `return None` is `return`, `not a in b` is `a not in b`, `not a is b` is `a is not b` (`conditions`);
- an argument of a function that is known stands without its keyword where it can (`known_calls`);
- locals that stand for one constant, or that nothing reads, go (`constant_locals`);
- a loop over an index is one over the things themselves (`loops`);
- what annotates a local variable that is given a value goes: it is never evaluated; so does what annotates
  parameters, results and variables of the module, where to evaluate it does nothing (`annotations`);
- a local that is only given back (`total = sum(weights)`, `return total`) is not there, and neither is one
  that only explains a condition or a number to the next statement (`explaining`);
- definitions and imports whose order nobody can tell stand in one order (`definition_order`).
"""

from __future__ import annotations

import ast
import copy
from collections import Counter
from collections.abc import Callable, Iterator
from functools import cached_property
from typing import Any

from zephyrun.languages.python import ParsedFile
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.proof.annotations import DropSureAnnotations
from zephyrun.proof.conditions import Conditions
from zephyrun.proof.constant_locals import ConstantLocals
from zephyrun.proof.definition_order import settle_order
from zephyrun.proof.explaining import Explaining
from zephyrun.proof.known_calls import KEYWORDS, KnownCalls
from zephyrun.proof.loops import INDEX_LOOP, Loops
from zephyrun.proof.named_constants import namespace_reservations
from zephyrun.proof.normal_form import DOCUMENTED, Version, is_own_variable, is_text_statement
from zephyrun.proof.plain_values import PlainValues
from zephyrun.proof.remains import Surroundings, reservations
from zephyrun.proof.set_builtins import sets_builtins
from zephyrun.proof.surroundings import reads_locals, tells_lines, walks_members

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_LOOPS = (ast.For, ast.AsyncFor, ast.While)
_LEAVING = (ast.Return, ast.Raise, ast.Continue, ast.Break)
_PLAIN_IN_ANNOTATIONS = (
    ast.Constant, ast.Attribute, ast.Subscript, ast.Tuple, ast.List, ast.BinOp, ast.BitOr, ast.expr_context,
)
# What may stand at the end of a block and do nothing there: the end of a function, or of a round of a loop.
_Tail = type[ast.Return] | type[ast.Continue] | None

GUARDS = "branch written the other way"
GIVEN_BACK = "variable that was only given back"
EXPLAINING = "explaining variable"
ANNOTATED = "annotation of a local"
ANNOTATION = "annotation that nothing reads"
IDLE = "idle statement"
EQUALITY = "comparison written the other way"


class Canonical:
    """Rewrites trees of one version of a file.

    `counts` says how much was rewritten the last time, by sort, and `order` where the statements at the top, and
    those of each class, stood, in their new order.
    """

    def __init__(self, version: Version, surroundings: Surroundings, known_calls: KnownCalls) -> None:
        self._known_calls = known_calls
        self._parsed = version.parsed
        self._respelled = version.respelled
        self._surroundings = surroundings
        self._annotations = DropSureAnnotations(version.parsed, surroundings.oldest)
        # What stands for builtins may be anything then.
        self._are_builtins_set = surroundings.are_builtins_set or sets_builtins(version.source.to_bytes())
        plain = PlainValues(version, are_builtins_set=self._are_builtins_set)
        self._conditions = Conditions(plain)
        self._explaining = Explaining(version.parsed, plain)
        self._constant_locals = ConstantLocals(version, self._is_not_looked_up)
        self._loops = Loops(version, plain, self._is_not_looked_up)
        self._idle: dict[int, str] = {}
        self.counts: Counter[str] = Counter()
        self.order: list[list[int]] = []

    @property
    def postpones_annotations(self) -> bool:
        """Whether the version, as it stands, keeps annotations as texts."""
        return self._annotations.are_postponed

    def rewrite(self, tree: ast.Module) -> None:
        """Rewrite a tree of the file's text in place, and count anew."""
        self.counts.clear()
        self._drop_pass(tree)
        self._rewrite_expressions(tree)
        self._loops.rewrite(tree)
        self.counts[INDEX_LOOP] += self._loops.n_rewritten
        self._constant_locals.take_out(tree)
        self.counts.update(self._constant_locals.counts)
        self._find_idle_variables(tree)

        self._visit(tree, is_in_function=False)
        self.counts[EQUALITY] += self._conditions.n_equalities
        self.order = settle_order(
            tree,
            self._parsed.facts,
            lambda module: module not in self._surroundings.shadowed,
            self._read_as,
            shows_names=self._shows_names(),
            shows_members=self._shows_members(),
        )

    def _rewrite_expressions(self, tree: ast.Module) -> None:
        """Bring annotations, comparisons and arguments to their one way of being written."""
        if not self._are_builtins_set:
            self._annotations.drop(tree)
            self.counts[ANNOTATION] += self._annotations.n_dropped
        self._conditions.n_equalities = 0
        self._conditions.turn_comparisons(tree)
        annotations = _DropAnnotations(self._parsed)
        annotations.visit(tree)
        self.counts[ANNOTATED] += annotations.n_dropped
        if self._known_calls:
            without_keywords = _DropKeywords(self._parsed, self._known_calls, self._explaining.is_given)
            without_keywords.visit(tree)
            self.counts[KEYWORDS] += without_keywords.n_dropped

    def _find_idle_variables(self, tree: ast.Module) -> None:
        """Note the variables that are only given back, or only explain, by where they are set."""
        _ReturnInBranches().visit(tree)
        found = [*self._idle_variables(tree, is_guarded=False)]
        places: dict[int, set[int]] = {}
        for name, read, _ in found:
            places.setdefault(self._parsed.binding_of(name), set()).update(map(self._parsed.start_of, (name, read)))
        idle = {binding for binding, starts in places.items() if self._is_only_in_pairs(binding, starts)}
        self._idle = {self._parsed.start_of(name): sort for name, _, sort in found if self._parsed.binding_of(name) in idle}

    def _read_as(self, statement: ast.stmt, name: str) -> str:
        """How a name that a statement at the top binds is to be read."""
        start = self._parsed.start_of(statement)
        start = self._name_starts.get(start, start)
        if isinstance(statement, ast.Import | ast.ImportFrom):
            (alias,) = statement.names
            start = self._parsed.start_of(alias)
            if alias.asname is not None:
                end = self._parsed.end_of(alias)
                start = end - len(alias.asname)
        return self._respelled[start].name if start in self._respelled else name

    @cached_property
    def _name_starts(self) -> dict[int, int]:
        """Where the names of definitions stand whose `def` or `class` begins at an offset."""
        nodes = [each for each in self._parsed.nodes if isinstance(each, (*_FUNCTIONS, ast.ClassDef))]
        return {
            self._parsed.start_of(each): self._parsed.places[id(each), "name"][0]
            for each in nodes
        }

    def _shows_names(self) -> bool:
        """Whether something goes through the names of the module, and so sees their order."""
        text, facts = self._parsed.source.text, self._parsed.facts
        return self._are_builtins_set or self._tells_lines() or any(True for _ in namespace_reservations(text, facts, self._surroundings))

    def _shows_members(self) -> bool:
        """Whether something may see in which order the members of a class stand."""
        data = self._parsed.source.to_bytes()
        around = self._surroundings
        return reads_locals(data) or around.walks_members or walks_members(data) or self._tells_lines()

    def _tells_lines(self) -> bool:
        """Whether something may ask on which lines functions stand, and so in which order."""
        return self._surroundings.tells_lines or tells_lines(self._parsed.source.to_bytes())

    # -- names -------------------------------------------------------------------------------

    def _idle_variables(self, node: ast.AST, *, is_guarded: bool) -> Iterator[tuple[ast.Name, ast.Name, str]]:
        """The variables that are set in one statement and read in the next one, each as often as that is so,
        where they are set and read, and what each is for. Between setting a variable and giving it back nothing must run: leaving a `with`, or a `try` that has a
        last word, may fail, and the frame then keeps the variable."""
        is_guarded |= isinstance(node, ast.With | ast.AsyncWith) or (
            isinstance(node, ast.Try | getattr(ast, "TryStar", ast.Try)) and bool(node.finalbody)
        )
        if isinstance(node, (*_FUNCTIONS, ast.ClassDef, ast.Lambda)):
            is_guarded = False
        for _, value in ast.iter_fields(node):
            children = value if isinstance(value, list) else [value]
            for index, child in enumerate(children):
                if not isinstance(child, ast.AST):
                    continue
                before = children[index - 1] if index else None
                if not is_guarded and (pair := _given_back(before, child)) is not None:
                    yield *pair, GIVEN_BACK
                elif isinstance(before, ast.stmt) and (found := self._explaining.reader(before, child)):
                    yield found[0], found[1].name(), EXPLAINING
                yield from self._idle_variables(child, is_guarded=is_guarded)

    def _is_only_in_pairs(self, binding: int, starts: set[int]) -> bool:
        """Whether a variable of a function stands nowhere else than at some places."""
        facts = self._parsed.facts
        everywhere = {facts.references[index].start for index in facts.bindings[binding].references}
        return starts == everywhere and is_own_variable(facts, binding) and self._is_not_looked_up(binding)

    def _is_not_looked_up(self, binding: int) -> bool:
        return not reservations(self._parsed.facts, binding, self._surroundings)

    # -- blocks ------------------------------------------------------------------------------

    def _visit(self, node: ast.AST, *, is_in_function: bool) -> None:
        """Rewrite the blocks of a node that is no branch, and all inside."""
        is_function = isinstance(node, _FUNCTIONS)
        is_in_function = is_function or (is_in_function and not isinstance(node, ast.ClassDef))
        for field, value in ast.iter_fields(node):
            if isinstance(value, list) and value and isinstance(value[0], ast.stmt):
                tail: _Tail = None
                if field == "body":
                    at_end_of_round = ast.Continue if isinstance(node, _LOOPS) else None
                    tail = ast.Return if is_function else at_end_of_round
                block = self._block(value, tail, is_in_function=is_in_function)
                setattr(node, field, self._without_pass(block, is_documented=isinstance(node, DOCUMENTED)))
            elif isinstance(value, list):
                for each in value:
                    if isinstance(each, ast.AST):
                        self._visit(each, is_in_function=is_in_function)
            elif isinstance(value, ast.AST):
                self._visit(value, is_in_function=is_in_function)

    def _block(self, block: list[ast.stmt], tail: _Tail, *, is_in_function: bool) -> list[ast.stmt]:
        """One block in its one way of being written."""
        if is_in_function:
            block = self._without_idle_variables(block)
        written: list[ast.stmt] = []
        rest = block
        while rest:
            statement, rest = rest[0], rest[1:]
            if isinstance(statement, ast.Return) and _is_none(statement.value):
                statement.value = None
            if isinstance(statement, ast.If):
                rest = self._take_in(statement, rest)
                self._visit(statement.test, is_in_function=is_in_function)
                inner = tail if not rest else None
                for field in ("body", "orelse"):
                    branch = self._block(getattr(statement, field), inner, is_in_function=is_in_function)
                    setattr(statement, field, self._without_pass(branch, is_documented=False))
                self._turn(statement)
            else:
                self._visit(statement, is_in_function=is_in_function)
            written.append(statement)
        if tail is not None and written and _is_idle_at_end(written[-1], tail):
            self.counts[IDLE] += 1
            written = written[:-1] or [ast.copy_location(ast.Pass(), written[-1])]
        return written

    def _take_in(self, branch: ast.If, rest: list[ast.stmt]) -> list[ast.stmt]:
        """Let what follows a branch that leaves be the other branch; what follows then."""
        if not rest:
            return rest
        if _leaves(branch.body) and not _leaves(branch.orelse):
            self.counts[GUARDS] += not branch.orelse
            branch.orelse = [*branch.orelse, *rest]
            return []
        if _leaves(branch.orelse) and not _leaves(branch.body):
            branch.body = [*branch.body, *rest]
            return []
        return rest

    def _turn(self, branch: ast.If) -> None:
        """Take `not` off a condition with two branches, and let a branch that does nothing be the other one."""
        if _does_nothing(branch.orelse):
            branch.orelse = []
        while branch.orelse and (positive := self._conditions.without_not(branch.test)) is not None:
            branch.test = positive
            branch.body, branch.orelse = branch.orelse, branch.body
            if _does_nothing(branch.orelse):
                branch.orelse = []
            self.counts[GUARDS] += 1
        if branch.orelse and _does_nothing(branch.body):
            branch.body, branch.orelse = branch.orelse, []
            branch.test = self._conditions.denied(branch.test)

    def _drop_pass(self, tree: ast.Module) -> None:
        """Leave out what does nothing beside other statements: it may stand between two that belong together."""
        if "pass" not in self._parsed.source.text:
            return
        for node in nodes_in(tree):
            for field in ("body", "orelse", "finalbody"):
                block = getattr(node, field, None)
                if isinstance(block, list) and any(isinstance(each, ast.Pass) for each in block):
                    setattr(node, field, self._without_pass(block, is_documented=isinstance(node, DOCUMENTED)))

    def _without_pass(self, block: list[ast.stmt], *, is_documented: bool) -> list[ast.stmt]:
        """A block without what does nothing beside other statements. What keeps a text from being
        documentation does something."""
        kept = [each for each in block if not isinstance(each, ast.Pass)] or block[:1]
        if is_documented and kept and is_text_statement(kept[0]) and kept[0] is not block[0]:
            return block
        self.counts[IDLE] += len(block) - len(kept)
        return kept

    def _without_idle_variables(self, block: list[ast.stmt]) -> list[ast.stmt]:
        """A block without the variables that are only given back, and those that only explain: from the last
        statement to the first, since one may explain the other."""
        kept: list[ast.stmt] = []
        for statement in reversed(block):
            sort = self._fold(statement, kept[-1]) if kept else None
            if sort is None:
                kept.append(statement)
            else:
                self.counts[sort] += 1
        return kept[::-1]

    def _fold(self, statement: ast.stmt, following: ast.stmt) -> str | None:
        """Put what a statement gives an idle variable into the place that reads it; what the variable was for,
        `None` where it has to stay."""
        if not isinstance(statement, ast.Assign) or not isinstance(statement.targets[0], ast.Name):
            return None
        sort = self._idle.get(self._parsed.start_of(statement.targets[0]))
        if sort == GIVEN_BACK and isinstance(following, ast.Return):
            following.value = statement.value
            return sort
        # What follows may have taken in another one by now.
        found = self._explaining.reader(statement, following) if sort == EXPLAINING else None
        if found is None:
            return None
        found[1].put(statement.value)
        return sort


class _ReturnInBranches(ast.NodeTransformer):
    """Lets a variable that branches set, and that is given back behind them, be given back in each of them."""

    def generic_visit(self, node: ast.AST) -> ast.AST:
        for field in ("body", "orelse", "finalbody"):
            block = getattr(node, field, None)
            if isinstance(block, list) and not isinstance(node, ast.Module | ast.ClassDef):
                _return_in_branches(block)
        return super().generic_visit(node)


def _return_in_branches(block: list[ast.stmt]) -> None:
    match block:
        case [*_, ast.If() as branch, ast.Return(value=ast.Name() as given) as last]:
            if _sets_last(branch.body, given.id) or _sets_last(branch.orelse, given.id):
                for each in (branch.body, branch.orelse):
                    if not _leaves(each):
                        each.append(copy.deepcopy(last))
                del block[-1]


def _sets_last(block: list[ast.stmt], name: str) -> bool:
    """Whether a block ends by giving a variable something, on one of its ways at least."""
    match block:
        case [*_, ast.Assign(targets=[ast.Name(id=target)])]:
            return target == name
        case [*_, ast.If() as branch]:
            return _sets_last(branch.body, name) or _sets_last(branch.orelse, name)
    return False


class _DropKeywords(ast.NodeTransformer):
    """Writes arguments without their keywords, from the first one on, as far as their order allows."""

    def __init__(self, parsed: ParsedFile, known: KnownCalls, is_given: Callable[[ast.Name], bool]) -> None:
        self._parsed = parsed
        self._known = known
        self._is_given = is_given
        self.n_dropped = 0

    def visit_Call(self, node: ast.Call) -> ast.Call:
        self.generic_visit(node)
        if not any(isinstance(each, ast.Starred) for each in node.args):
            while (keyword := self._next(node)) is not None:
                node.keywords.remove(keyword)
                node.args.append(keyword.value)
                self.n_dropped += 1
        return node

    def _next(self, call: ast.Call) -> ast.keyword | None:
        """The keyword that can stand as the next argument without its name."""
        for index, keyword in enumerate(call.keywords):
            if keyword.arg is None:
                return None
            start = self._parsed.start_of(keyword)
            if self._known.get(start) == len(call.args):
                before = call.keywords[: index + 1]
                are_plain = index == 0 or all(self._is_plain(each.value) for each in before)
                return keyword if are_plain else None
        return None

    def _is_plain(self, value: ast.expr) -> bool:
        """Whether it does not matter when a value is worked out."""
        return isinstance(value, ast.Constant) or (isinstance(value, ast.Name) and self._is_given(value))


class _DropAnnotations(ast.NodeTransformer):
    """Leaves out what annotates locals that are given a value there."""

    def __init__(self, parsed: ParsedFile) -> None:
        self._parsed = parsed
        self._is_in_function = False
        self.n_dropped = 0

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        return self._inside(node, is_function=True)

    def visit_AsyncFunctionDef(self, node: ast.AsyncFunctionDef) -> ast.AST:
        return self._inside(node, is_function=True)

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        return self._inside(node, is_function=False)

    def _inside(self, node: ast.AST, *, is_function: bool) -> ast.AST:
        around, self._is_in_function = self._is_in_function, is_function
        self.generic_visit(node)
        self._is_in_function = around
        return node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.stmt:
        if not self._is_in_function or node.value is None or not node.simple:
            return node
        if not all(map(self._is_plain, nodes_in(node.annotation))):
            return node
        self.n_dropped += 1
        return ast.copy_location(ast.Assign([node.target], node.value), node)

    def _is_plain(self, node: ast.AST) -> bool:
        """Whether a part of an annotation binds nothing, and keeps no variable of a function around alive."""
        if isinstance(node, ast.Name):
            start = self._parsed.start_of(node)
            reference = self._parsed.facts.reference_by_start[start]
            record = self._parsed.facts.bindings[reference.binding]
            return record.outside or record.scope in (0, reference.scope)
        return isinstance(node, _PLAIN_IN_ANNOTATIONS)


def _given_back(first: object, second: object) -> tuple[ast.Name, ast.Name] | None:
    """The variable that one statement sets and the next one gives back, at both places."""
    if not isinstance(first, ast.Assign) or len(first.targets) > 1 or not isinstance(second, ast.Return):
        return None
    target, value = first.targets[0], second.value
    if isinstance(target, ast.Name) and isinstance(value, ast.Name) and value.id == target.id:
        return target, value
    return None


def _leaves(block: list[ast.stmt]) -> bool:
    """Whether nothing that follows a block is reached through it."""
    if not block:
        return False
    last = block[-1]
    if isinstance(last, ast.If):
        return _leaves(last.body) and _leaves(last.orelse)
    return isinstance(last, _LEAVING)


def _does_nothing(block: list[ast.stmt]) -> bool:
    return len(block) == 1 and isinstance(block[0], ast.Pass)


def _is_idle_at_end(statement: ast.stmt, tail: type[ast.stmt]) -> bool:
    return isinstance(statement, tail) and not (isinstance(statement, ast.Return) and statement.value is not None)


def _is_none(node: Any) -> bool:
    return isinstance(node, ast.Constant) and node.value is None
