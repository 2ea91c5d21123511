"""Classes whose instances hand on what they are asked for, or given: who looks an attribute of such a one up may come to any
other thing by that."""

from __future__ import annotations

import ast
from collections.abc import Collection

from zephyrun.languages.python.name_readers import LOOKUPS
from zephyrun.link_facts import FunctionRecord, Lookup
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.lookup_calls import DELETES, READING_HOOKS, WRITES
from zephyrun.linking.origins import origin_of
from zephyrun.linking.references import definitions_of
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, syntax_tree
from zephyrun.linking.texts_gone_through import texts_in
from zephyrun.linking.value_sorts import ClassKey, ValueSort
from zephyrun.linking.values import Evaluator

_WRITING_HOOK, _DELETING_HOOK = "__setattr__", "__delattr__"
ATTRIBUTE_HOOKS = (*READING_HOOKS, _WRITING_HOOK, _DELETING_HOOK)
# What is told about a text, or made of one, without asking anybody.
_TELLING = frozenset({"len", "repr", "str", "isinstance", "format", "hash"})
_NAMESPACE = "__dict__"


def hooks_asked(file: LinkedFile, lookup: Lookup) -> Collection[str]:
    """The methods to which it matters what attribute is looked up: those that are asked for one that an instance does not
    have, which it may be given, and those that are given it."""
    if WRITES.match(file.source.text, lookup.start) is not None:
        return (*READING_HOOKS, _WRITING_HOOK)
    return (*READING_HOOKS, _DELETING_HOOK) if DELETES.match(file.source.text, lookup.start) is not None else READING_HOOKS


def asks_elsewhere(evaluator: Evaluator, key: ClassKey, hooks: Collection[str], *, minds_keeping: bool = True) -> bool:
    """Whether a class has a method for the names that its instances are asked for, or given, which may hand them on: be it by
    keeping them, unless that is seen where somebody looks them up."""
    return any(_hands_on(evaluator, each, hook, minds_keeping) for each in evaluator.relatives(key) for hook in hooks)


def asks_metaclass(evaluator: Evaluator, key: ClassKey, hooks: Collection[str]) -> bool:
    """The same of the metaclass of a class."""
    made_by = [
        value
        for each in evaluator.above(key)
        if (origin := evaluator.class_record(each).metaclass) is not None
        for value in evaluator.values(evaluator.file(each[0]), origin)
    ]
    return any(
        asks_elsewhere(evaluator, (value.path, value.number), hooks)
        if value.sort is ValueSort.CLASS
        else value.sort is not ValueSort.FOREIGN
        for value in made_by
    )


def _hands_on(evaluator: Evaluator, key: ClassKey, hook: str, minds_keeping: bool) -> bool:
    """Whether a class has a method of its own for names, which may ask others for them."""
    binding = evaluator.binding_in(key, hook)
    if binding is None:
        return evaluator.defines(key, hook)
    file = evaluator.file(key[0])
    functions = list(definitions_of(file, binding))
    n_given = len(file.links.sources.get(binding, ()))
    return len(functions) != n_given or not all(
        isinstance(each, FunctionRecord) and not each.decorators and _asks_itself(evaluator, file, each, minds_keeping) for each in functions
    )


def _asks_itself(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord, minds_keeping: bool) -> bool:
    """Whether a method asks nobody but its own instance for a name that it is handed, or for what it makes of that."""
    tree = syntax_tree(file.data)
    method = next((each for each in tree.definitions.values() if _is_at(tree, each, record)), None)
    if not isinstance(method, ast.FunctionDef) or len(method.args.args) < len(("self", "name")):
        return False
    own, name = (each.arg for each in method.args.args[:2])
    asked = [each for each in ast.walk(method) if isinstance(each, ast.Name) and each.id == name]
    is_inside = any(isinstance(each, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda) for each in ast.walk(method) if each is not method)
    return not is_inside and not any(
        _goes_on(evaluator, file, each, own) and (minds_keeping or not _is_kept(file, each)) for each in asked
    )


def _is_at(tree: SyntaxTree, node: ast.AST, record: FunctionRecord) -> bool:
    """Whether a definition is that of a function without decorators."""
    return isinstance(node, ast.FunctionDef) and tree.start_of(node) + len("def ") == record.name_start


def _goes_on(evaluator: Evaluator, file: LinkedFile, part: ast.AST, own: str) -> bool:
    """Whether what a part of a method gives, a name or something made of one, may get to somebody else."""
    tree = syntax_tree(file.data)
    around = tree.around[part]
    match around:
        case ast.Compare(ops=[ast.In() | ast.NotIn()], comparators=[asked]) if asked is not part:
            return texts_in(evaluator, file, asked) is None
        case ast.Attribute() | ast.BinOp() | ast.UnaryOp() | ast.BoolOp() | ast.Compare() | ast.JoinedStr() | ast.FormattedValue():
            return _goes_on(evaluator, file, around, own)
        case ast.If() | ast.Raise() | ast.Assert():
            return False
        case ast.Return():
            return not isinstance(part, ast.Compare)
        case ast.Call(func=called) if called is part:
            return _goes_on(evaluator, file, around, own)
        case ast.Call(args=arguments):
            return part not in arguments or not (_is_asking(around, own) or _is_raised(tree, around)) and (
                called_name(around) not in _TELLING or _goes_on(evaluator, file, around, own)
            )
        case ast.Subscript(value=inner) if inner is part:
            return _goes_on(evaluator, file, around, own)
        case ast.Subscript(value=ast.Attribute(value=ast.Name(id=owner), attr=attribute)) if attribute == _NAMESPACE:
            return owner != own
        case ast.Subscript(value=ast.Name() | ast.Attribute() as table):
            # That somebody may have put something else in its place is not looked for.
            known = {value.sort for value in evaluator.values(file, origin_of(file, table))} - {ValueSort.UNKNOWN}
            return known != {ValueSort.MAPPING}
    return True


def _is_kept(file: LinkedFile, part: ast.AST) -> bool:
    """Whether a name, or what is made of it and others, only becomes an attribute of something."""
    around = syntax_tree(file.data).around[part]
    match around:
        case ast.Tuple() | ast.List() | ast.BinOp():
            return _is_kept(file, around)
        case ast.Assign(targets=targets):
            return all(isinstance(each, ast.Attribute) for each in targets)
    return False


def _is_asking(call: ast.Call, own: str) -> bool:
    """Whether a call asks the instance itself for a name, or what is above it."""
    match call:
        case ast.Call(func=ast.Name(id=called), args=[ast.Name(id=first), *_]) if called in LOOKUPS:
            return first == own
        case ast.Call(func=ast.Attribute(value=ast.Call(func=ast.Name(id="super")), attr=called)):
            return called in ATTRIBUTE_HOOKS
        case ast.Call(func=ast.Attribute(value=ast.Name(id="object"), attr=called), args=[ast.Name(id=first), *_]):
            return called in ATTRIBUTE_HOOKS and first == own
    return False


def _is_raised(tree: SyntaxTree, call: ast.Call) -> bool:
    return isinstance(tree.around[call], ast.Raise)
