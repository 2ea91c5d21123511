"""The equation of named constants: a name for a number or a text does what that did.

`constants_beside` finds the names that only one version has and for which this holds by what the file itself
says. What the file cannot say, `constant_reservations` asks.

A name is a constant when it is bound once, at the top level of the module, to a number, a text or the like, or a
tuple of such, that is written out there, before any statement that uses it. So it is defined before anything in the module
can be called, also when an import in a circle or a reload runs half of the module. The old version
must not know the name in any way.
"""

from __future__ import annotations

import ast
from collections.abc import Collection, Iterator, Mapping
from typing import NamedTuple, TypeGuard

from zephyrun.facts import FileFacts, Role
from zephyrun.languages.python import ParsedFile
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.remains import Reservation, Surroundings, namespace_reservation

# What gives a program all names of the module at once.
_NAMESPACE_READERS = frozenset({"globals"})
_RUNNING_CALLS = frozenset({"eval()", "exec()"})
_NAMESPACE_ATTRIBUTES = frozenset({"modules", "getmembers", "__globals__", "co_consts", "co_names"})
# A text that is run, and lists names.
_LISTED_IN_TEXT = tuple(
    lazy_pattern(rf"{name}(?<!\w{name})\s*\([^\n]*[\"'][^\n]*\b(globals|locals|vars|dir)\s*\(") for name in ("eval", "exec")
)
# The names of an instance are no names of the module.
_NAMESPACE_TABLE = lazy_pattern(r"(?<!self\.)(?<!cls\.)\b__dict__\b")


class NamedConstant(NamedTuple):
    """A name for a number or a text. `definition` is its statement, which stands at `start` to `end` of the
    text; `value` is what it stands for, written as `spelling`."""

    name: str
    binding: int
    definition: ast.Assign
    value: ast.expr
    start: int
    end: int
    spelling: str


def constants_beside(other: FileFacts, parsed: ParsedFile) -> dict[int, NamedConstant]:
    """The constants of one version of a file for which the other one has no name, by binding."""
    found: dict[int, NamedConstant] = {}
    if _hides_documentation(parsed.tree):
        return found
    for index, statement in enumerate(parsed.tree.body):
        constant = _constant(parsed, statement)
        if constant is None or constant.name in other.names or constant.name in BUILTINS:
            continue
        if constant.name.startswith("__") or not _is_bound_once(parsed.facts, constant):
            continue
        if any(_imports_everything(later) for later in parsed.tree.body[index:]):
            continue
        if not any(_holds(parsed, earlier, constant) for earlier in parsed.tree.body[:index]):
            found[constant.binding] = constant
    texts = {each.name: number for number, each in found.items() if not _is_number(each.value)}
    for name in _told_apart(parsed.tree, texts.keys()) if texts else ():
        found.pop(texts[name], None)
    return found


def _told_apart(tree: ast.Module, names: Collection[str]) -> Iterator[str]:
    """The names of texts that do not do what the texts would: a text by itself is documentation, and whether two
    texts are one is left to the interpreter."""
    for node in nodes_in(tree):
        if isinstance(node, ast.Expr):
            asked = [node.value]
        elif isinstance(node, ast.Compare) and any(isinstance(each, ast.Is | ast.IsNot) for each in node.ops):
            asked = [node.left, *node.comparators]
        else:
            continue
        yield from (each.id for each in asked if isinstance(each, ast.Name) and each.id in names)


def constant_reservations(
    parsed: ParsedFile, constant: NamedConstant, surroundings: Surroundings
) -> Iterator[Reservation]:
    """What could notice one more name in the module, this one above all."""
    yield from namespace_reservations(parsed.source.text, parsed.facts, surroundings)
    runs_texts = any(each.what in _RUNNING_CALLS for each in parsed.facts.exposures)
    for text in parsed.facts.texts:
        if constant.name in text.words and text.use != "documentation":
            what = f"the text in which `{constant.name}` stands does not look it up"
            yield Reservation(what, text.start)
        elif runs_texts and text.words.isidentifier() and constant.name.startswith(text.words):
            yield Reservation(f"the text `{text.words}` does not become `{constant.name}` in code that is run", text.start)


def namespace_reservations(
    text: str, facts: FileFacts, surroundings: Surroundings
) -> Iterator[Reservation]:
    """What could notice that a module has one more name, or a function one number less."""
    for exposure in facts.exposures:
        if exposure.gives_namespace and exposure.scope == 0:
            yield namespace_reservation(exposure.what, exposure.start)
    # In most files none of these words stands.
    for binding in facts.bindings if facts.names & _NAMESPACE_READERS else ():
        if binding.outside and binding.name in _NAMESPACE_READERS:
            yield namespace_reservation(f"{binding.name}()", facts.references[binding.references[0]].start)
    for attribute in sorted(_NAMESPACE_ATTRIBUTES & facts.attributes):
        yield namespace_reservation(f".{attribute}", 0)
    if any(read.names is None for read in facts.namespace_reads):
        yield namespace_reservation("the namespaces of frames", 0)
    for found in (pattern.search(text) for pattern in _LISTED_IN_TEXT):
        if found is not None:
            yield namespace_reservation(f"{found[1]}()", found.start())
    if "__dict__" in text and (table := _NAMESPACE_TABLE.search(text)) is not None:
        yield namespace_reservation("__dict__", table.start())
    for reader in sorted(surroundings.walked_by):
        yield namespace_reservation(reader, 0)


def _imports_everything(statement: ast.stmt) -> bool:
    """Whether a statement may bring names that nobody wrote down, the constant's among them."""
    return any(
        isinstance(node, ast.ImportFrom) and node.names[0].name == "*" for node in nodes_in(statement)
    )


def _hides_documentation(tree: ast.Module) -> bool:
    """Whether a text would be the module's documentation if no definition stood before it."""
    others = [each for each in tree.body if not _defines_constant(each)]
    is_text = bool(others) and isinstance(others[0], ast.Expr)
    return is_text and others[0] is not tree.body[0]


def without_names(tree: ast.Module, constants: Mapping[str, ast.expr]) -> ast.Module:
    """The tree with each name of a constant replaced by what it stands for, and the definitions left out.

    Goes by spelling alone, so that it does not depend on our own reading of scopes.
    """
    body = [each for each in tree.body if not _defines_one_of(each, constants)]
    replaced = _Replacement(constants).visit(ast.Module(body, tree.type_ignores))
    assert isinstance(replaced, ast.Module), "a module stays a module"
    return replaced


def _defines_one_of(statement: ast.stmt, constants: Mapping[str, ast.expr]) -> bool:
    if not _defines_constant(statement):
        return False
    target = statement.targets[0]
    return isinstance(target, ast.Name) and target.id in constants


class _Replacement(ast.NodeTransformer):
    def __init__(self, constants: Mapping[str, ast.expr]) -> None:
        self._constants = constants

    def visit_Name(self, node: ast.Name) -> ast.expr:
        value = self._constants.get(node.id)
        return node if value is None else constant_at(value, node)


def constant_at(value: ast.expr, place: ast.expr) -> ast.expr:
    """A fresh constant at a place; nodes must not be shared, since each gets a line of its own."""
    if isinstance(value, ast.UnaryOp):
        return ast.copy_location(ast.UnaryOp(ast.USub(), constant_at(value.operand, place)), place)
    if isinstance(value, ast.Tuple):
        return ast.copy_location(ast.Tuple([constant_at(each, place) for each in value.elts], ast.Load()), place)
    assert isinstance(value, ast.Constant), "a constant's value is written out"
    return ast.copy_location(ast.Constant(value.value), place)


def _constant(parsed: ParsedFile, statement: ast.stmt) -> NamedConstant | None:
    if not _defines_constant(statement):
        return None
    target = statement.targets[0]
    assert isinstance(target, ast.Name), "it defines a constant"
    start, binding = parsed.start_of(target), parsed.binding_of(target)
    end = parsed.end_of(statement)
    value = parsed.start_of(statement.value)
    spelling = parsed.source.text[value:end]
    name = parsed.facts.bindings[binding].name
    return NamedConstant(name, binding, statement, statement.value, start, end, spelling)


def _defines_constant(statement: ast.stmt) -> TypeGuard[ast.Assign]:
    """Whether a statement gives a constant, and nothing else, one name."""
    return (
        isinstance(statement, ast.Assign)
        and len(statement.targets) == 1
        and isinstance(statement.targets[0], ast.Name)
        and is_constant(statement.value)
    )


def _is_number(node: ast.expr) -> bool:
    """Whether an expression is a number as it is written, with or without a minus."""
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        node = node.operand
    return isinstance(node, ast.Constant) and type(node.value) in (int, float, complex)


def is_constant(node: ast.expr) -> bool:
    """Whether an expression is a constant as it is written, or a tuple of such."""
    if isinstance(node, ast.Tuple):
        return bool(node.elts) and all(map(is_constant, node.elts))
    return isinstance(node, ast.Constant) or _is_number(node)


def _is_bound_once(facts: FileFacts, constant: NamedConstant) -> bool:
    """Whether the name is bound by its definition only, and no other variable bears it."""
    record = facts.bindings[constant.binding]
    roles = [facts.references[index].role for index in record.references]
    return (
        record.scope == 0
        and not record.outside
        and roles.count(Role.ASSIGN) == 1
        and all(role in (Role.ASSIGN, Role.READ) for role in roles)
        and sum(each.name == constant.name for each in facts.bindings) == 1
    )


def _holds(parsed: ParsedFile, statement: ast.stmt, constant: NamedConstant) -> bool:
    """Whether a statement at the top level uses the constant somewhere inside."""
    decorators = getattr(statement, "decorator_list", [])
    first = min([statement.lineno, *(each.lineno for each in decorators)])
    last = statement.end_lineno or statement.lineno
    lines = (
        parsed.source.line_of(parsed.facts.references[index].start)
        for index in parsed.facts.bindings[constant.binding].references
    )
    definition = constant.definition
    if definition.lineno == statement.end_lineno:
        # Two statements on one line: the order in the text decides, so let it be no constant.
        return True
    return any(first <= line <= last for line in lines)
