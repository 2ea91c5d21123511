"""Loops over an index, written as loops over the things themselves.

`for i in range(len(hives)):` with `hive = hives[i]` first is `for hive in hives:`, or a loop over both where the
index is read as well, as long as `hives` surely is a list, tuple or text of the function's own that stays as it is
meanwhile. A list could be changed by whoever else has it, so that it must not have gone anywhere before.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator

from zephyrun.facts import FileFacts, Reference, Role
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.proof.normal_form import Version, is_own_variable
from zephyrun.proof.plain_values import Kind, PlainValues

INDEX_LOOP = "loop over an index"

_LOOPS = (ast.For, ast.AsyncFor, ast.While)
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_MAKING_LISTS = frozenset({"list", "sorted"})
_SPLITTING = frozenset({"split", "rsplit", "splitlines"})
# What a list's own methods give back is none of the list. Source: library reference.
_LIST_METHODS = frozenset(
    "append clear copy count extend index insert pop remove reverse sort".split()
)
# Stands for "the things with their places" in a rewritten loop; no such number is looped over.
_WITH_PLACES = 1j


class Loops:
    """Rewrites the loops over an index in trees of one version of a file. `may_go` says of a variable whether
    nothing looks it up by its name."""

    def __init__(self, version: Version, plain: PlainValues, may_go: Callable[[int], bool]) -> None:
        self._parsed = version.parsed
        self._plain = plain
        self._may_go = may_go
        self.n_rewritten = 0

    def rewrite(self, tree: ast.Module) -> None:
        """Change a tree of the file's text in place, and count anew."""
        self.n_rewritten = 0
        nodes = nodes_in(tree)
        loops = [each for each in nodes if isinstance(each, ast.For)]
        parents = {id(child): node for node in nodes for child in ast.iter_child_nodes(node)} if loops else {}
        for loop in loops:
            things = self._looped_by_index(loop)
            if things is not None and self._stays(things, loop, parents):
                self._loop_over_things(loop, things)
            elif (pair := self._looped_with_places(loop)) is not None:
                loop.iter = _with_places(pair)

    # -- what is looped over -----------------------------------------------------------------

    def _looped_by_index(self, loop: ast.For) -> ast.Name | None:
        """What a loop takes one by one by an index that only its own statements read."""
        match loop:
            case ast.For(
                target=ast.Name() as index,
                iter=ast.Call(
                    func=ast.Name("range") as counting,
                    args=[ast.Call(func=ast.Name("len") as length, args=[ast.Name() as things], keywords=[])],
                    keywords=[],
                ),
                body=[
                    ast.Assign(
                        targets=[ast.Name() as thing],
                        value=ast.Subscript(value=ast.Name() as taken, slice=ast.Name() as place),
                    ),
                    _,
                    *_,
                ],
            ):
                is_one = self._parsed.binding_of(taken) == self._parsed.binding_of(things) and self._parsed.binding_of(place) == self._parsed.binding_of(index)
                is_new = self._parsed.binding_of(thing) not in (self._parsed.binding_of(things), self._parsed.binding_of(index))
                are_builtins = self._plain.is_builtin(counting) and self._plain.is_builtin(length)
                return things if is_one and is_new and are_builtins and self._is_read_inside(index, loop) else None
        return None

    def _looped_with_places(self, loop: ast.For) -> ast.Name | None:
        """What a loop takes one by one with its place, which nothing else sets."""
        match loop:
            case ast.For(
                target=ast.Tuple(elts=[ast.Name(), ast.Name()]),
                iter=ast.Call(func=ast.Name("enumerate") as counting, args=[ast.Name() as things], keywords=[]),
            ) if self._plain.is_builtin(counting):
                return things
        return None

    def _loop_over_things(self, loop: ast.For, things: ast.Name) -> None:
        first = loop.body.pop(0)
        assert isinstance(first, ast.Assign), "a thing is taken first"
        target, index = first.targets[0], loop.target
        n_reads = len(self._references(index)) - len(("target", "place of the thing"))
        if n_reads:
            loop.target = ast.copy_location(ast.Tuple([index, target], ast.Store()), target)
            loop.iter = _with_places(things)
        else:
            loop.target, loop.iter = target, things
        self.n_rewritten += 1

    # -- what must hold ----------------------------------------------------------------------

    def _is_read_inside(self, index: ast.Name, loop: ast.For) -> bool:
        """Whether an index is set by its loop alone, and read in the loop's own statements alone."""
        start, end = self._range(loop)
        return self._is_own(index) and all(
            each.role is (Role.LOOP if number == 0 else Role.READ) and start <= each.start < end
            for number, each in enumerate(self._references(index))
        )

    def _stays(self, things: ast.Name, loop: ast.For, parents: dict[int, ast.AST]) -> bool:
        """Whether what is looped over is a list, tuple or text that stays as it is while the loop runs."""
        start, end = self._range(loop)
        references = self._references(things)
        if self._plain.kind(things) is Kind.TEXT:
            return all(each.role is Role.READ or not start <= each.start < end for each in references)
        if not self._is_own(things):
            return False
        value = self._only_value(references, parents[id(loop)], parents)
        if value is None:
            return False
        if isinstance(value, ast.Tuple) or self._calls(value, frozenset({"tuple"})):
            return True
        if not self._is_new_list(value):
            return False
        is_repeated = any(isinstance(each, _LOOPS) for each in _around(loop, parents))
        names = [
            each for each in nodes_in(self._function_around(loop, parents))
            if isinstance(each, ast.Name) and isinstance(each.ctx, ast.Load) and self._parsed.binding_of(each) == self._parsed.binding_of(things)
        ]
        return all(
            (self._parsed.start_of(each) >= end and not is_repeated) or self._keeps(each, parents, is_meanwhile=self._parsed.start_of(each) >= start)
            for each in names
        )

    def _only_value(
        self, references: list[Reference], inside: ast.AST, parents: dict[int, ast.AST]
    ) -> ast.expr | None:
        """What a variable is given, if only one statement gives it anything."""
        if any(each.role is not (Role.READ if number else Role.ASSIGN) for number, each in enumerate(references)):
            return None
        for node in nodes_in(self._function_around(inside, parents)):
            if isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name):
                if self._parsed.start_of(node.targets[0]) == references[0].start:
                    return node.value
        return None

    def _is_new_list(self, value: ast.expr) -> bool:
        if isinstance(value, ast.Call) and isinstance(value.func, ast.Attribute) and value.func.attr in _SPLITTING:
            return self._plain.kind(value.func.value) is Kind.TEXT
        return isinstance(value, ast.List | ast.ListComp) or self._calls(value, _MAKING_LISTS)

    def _calls(self, value: ast.expr, names: frozenset[str]) -> bool:
        return (
            isinstance(value, ast.Call)
            and isinstance(value.func, ast.Name)
            and value.func.id in names
            and self._plain.is_builtin(value.func)
        )

    def _keeps(self, name: ast.Name, parents: dict[int, ast.AST], *, is_meanwhile: bool) -> bool:
        """Whether a use of a list leaves it where it is and, while it is looped over, as it is."""
        parent = parents[id(name)]
        match parent:
            case ast.Subscript(value=value) if value is name:
                return isinstance(parent.ctx, ast.Load) or not is_meanwhile
            case ast.For(iter=iterated):
                return iterated is name
            case ast.Call(func=ast.Name("len" | "enumerate") as called):
                return self._plain.is_builtin(called)
            case ast.Attribute(attr=method) if method in _LIST_METHODS and not is_meanwhile:
                call = parents[id(parent)]
                return isinstance(call, ast.Call) and call.func is parent
        return False

    # -- names -------------------------------------------------------------------------------

    @property
    def _facts(self) -> FileFacts:
        return self._parsed.facts

    def _range(self, node: ast.stmt) -> tuple[int, int]:
        return self._parsed.start_of(node), self._parsed.end_of(node)

    def _references(self, name: ast.expr) -> list[Reference]:
        assert isinstance(name, ast.Name), "only names are referred to"
        return [self._facts.references[index] for index in self._facts.bindings[self._parsed.binding_of(name)].references]

    def _is_own(self, name: ast.Name) -> bool:
        """Whether a name is that of a variable of one function that nothing else sees."""
        binding = self._parsed.binding_of(name)
        return is_own_variable(self._facts, binding) and self._may_go(binding)

    def _function_around(self, node: ast.AST, parents: dict[int, ast.AST]) -> ast.AST:
        while not isinstance(node, _FUNCTIONS) and id(node) in parents:
            node = parents[id(node)]
        return node


def _with_places(things: ast.Name) -> ast.expr:
    mark = ast.copy_location(ast.Constant(_WITH_PLACES), things)
    return ast.copy_location(ast.Tuple([mark, things], ast.Load()), things)


def _around(node: ast.AST, parents: dict[int, ast.AST]) -> Iterator[ast.AST]:
    """What stands around a node, up to its function."""
    while id(node) in parents and not isinstance(node, _FUNCTIONS):
        node = parents[id(node)]
        yield node
