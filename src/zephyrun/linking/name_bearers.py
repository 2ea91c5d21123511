"""Generators and coroutines bear the name of the function that makes them: whether one goes on from where it is made, so that
somebody could ask it for that."""

from __future__ import annotations

import ast
from collections.abc import Collection, Iterable

from zephyrun.facts import Role
from zephyrun.link_facts import FunctionRecord
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.local_variables import local_variable
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, syntax_tree
from zephyrun.linking.usage import Place, PlaceSort, Usage
from zephyrun.linking.values import Evaluator

# What goes through a generator that it is handed, or takes one element, and keeps it to itself.
_USING_UP = frozenset(
    "list tuple set frozenset dict sorted sum any all min max next enumerate zip map filter join extend update deque Counter".split()
)
# What runs a coroutine. A task of it gives it back to who asks for that.
_RUNNING = frozenset("run run_until_complete gather wait_for shield create_task ensure_future Task timeout".split())
_ASKS_TASK = "get_coro"
# What of a generator or coroutine leads to the name.
_TELLING = frozenset(
    "__name__ __qualname__ gi_code cr_code ag_code gi_frame cr_frame ag_frame __getattribute__ __reduce__ __reduce_ex__".split()
)


def go_on(evaluator: Evaluator, usage: Usage, functions: Iterable[tuple[LinkedFile, FunctionRecord]]) -> bool:
    """Whether what some functions make bears their name, and may get to somebody who asks for it: the functions are values
    themselves, or something else is done with it than to go through it or to wait for it."""
    if not any(_makes_bearers(*each) for each in functions):
        return False
    for path, places in usage.by_path().items():
        file = evaluator.linkage.file(path)
        if file is not None and any(_goes_on_from(evaluator, file, place) for place in places if place.sort is PlaceSort.READ):
            return True
    return False


def _makes_bearers(file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether a call of a function gives a generator or a coroutine; a decorator makes something else of it."""
    if record.decorators or not record.name:
        return False
    tree = syntax_tree(file.data)
    own = (node for (name, _), node in tree.definitions.items() if name == record.name)
    return any(
        (isinstance(node, ast.AsyncFunctionDef) or node in tree.generators)
        and tree.start_of(node) <= record.name_start < tree.end_of(node)
        for node in own
    )


def _goes_on_from(evaluator: Evaluator, file: LinkedFile, place: Place) -> bool:
    tree = syntax_tree(file.data)
    word = tree.names.get(place.start) or tree.attributes.get(place.end)
    call = tree.around[word] if word is not None else None
    if not isinstance(call, ast.Call) or call.func is not word:
        return True
    return not _is_used_up(evaluator, file, tree, call, frozenset())


def _is_used_up(evaluator: Evaluator, file: LinkedFile, tree: SyntaxTree, node: ast.expr, followed: Collection[int]) -> bool:
    """Whether nothing is done with what an expression gives but to go through it, to wait for it, or to let it go."""
    around = tree.around[node]
    match around:
        case ast.Await() | ast.YieldFrom() | ast.Starred() | ast.Expr() | ast.Compare():
            return True
        case ast.For(iter=iterable) | ast.AsyncFor(iter=iterable) | ast.comprehension(iter=iterable):
            return iterable is node
        case ast.Attribute(attr=attribute):
            return attribute not in _TELLING
        case ast.Call() if node in around.args:
            name = called_name(around)
            is_run = name in _RUNNING and not evaluator.linkage.paths_mentioning(_ASKS_TASK)
            return (name in _USING_UP or is_run) and not _is_defined(evaluator, name)
        case ast.Assign(targets=[ast.Name() as variable]) | ast.AnnAssign(target=ast.Name() as variable):
            return _is_variable_used_up(evaluator, file, tree, variable, followed)
    return False


@once_a_version
def _is_defined(evaluator: Evaluator, name: str) -> bool:
    """Whether the project has a function or class of that name, or gives it to something else."""
    return any(
        file.facts.definitions_by_name.get(name)
        or any(binding.name == name and not binding.outside and _is_given(file, binding.references) for binding in file.facts.bindings)
        for file in evaluator.linkage.mentioning(name)
    )


def _is_given(file: LinkedFile, references: Iterable[int]) -> bool:
    return any(file.facts.references[index].role in (Role.ASSIGN, Role.PARAMETER, Role.LOOP) for index in references)


def _is_variable_used_up(
    evaluator: Evaluator, file: LinkedFile, tree: SyntaxTree, variable: ast.Name, followed: Collection[int]
) -> bool:
    found = local_variable(file, variable)
    if found is None or found.binding in followed:
        return found is not None
    return all(_is_used_up(evaluator, file, tree, each, {*followed, found.binding}) for each in found.reads)
