"""The texts that an expression may give, where all that they are made of is written out somewhere in sight: texts that
callers hand in, that a loop goes through, that an instance was made with, and what is put before or behind them."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Mapping, Sequence
from itertools import product

from zephyrun.facts import BINDING_ROLES, Role
from zephyrun.link_facts import BY_KEYWORD, BY_POSITION, Handed
from zephyrun.linking.attribute_writes import writes_in_sight
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.origins import origin_of
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import SyntaxTree, definition_of, syntax_tree
from zephyrun.linking.texts_gone_through import Texts, all_texts_of, may_be_set_elsewhere, texts_gone_through
from zephyrun.linking.value_sorts import ClassKey, FunctionKey, ValueSort
from zephyrun.linking.values import Evaluator

# More texts than that are not told one by one.
_MOST_TEXTS = 1000
_FILLED_IN = "%s"
_NOTHING_HANDED: Mapping[tuple[str, int], Texts] = {}
# Whoever sets it makes another function of one.
_CODE = "__code__"


def texts_made(evaluator: Evaluator, file: LinkedFile, node: ast.expr) -> Texts:
    """The texts that an expression of a file may give; `None` where it may give something else."""
    return _texts_made(evaluator, file.path, node)


@once_a_version
def _texts_made(evaluator: Evaluator, path: str, node: ast.expr) -> Texts:
    return _Making(evaluator, frozenset()).of_expression(evaluator.file(path), node)


class _Making:
    """Follows texts to where they are written; `asked` are the variables, attributes and functions on the way, `handed` what
    the call on the way hands to parameters."""

    def __init__(
        self, evaluator: Evaluator, asked: frozenset[tuple[str, int | str]], handed: Mapping[tuple[str, int], Texts] = _NOTHING_HANDED
    ) -> None:
        self._evaluator = evaluator
        self._asked = asked
        self._handed = handed

    def of_expression(self, file: LinkedFile, node: ast.expr) -> Texts:
        """The texts that an expression of a file may give."""
        match node:
            case ast.Constant(value=str(text)):
                return frozenset({text})
            case ast.IfExp(body=first, orelse=second):
                return all_texts_of(self.of_expression(file, each) for each in (first, second))
            case ast.BinOp(left=left, op=ast.Add(), right=right):
                return self._joined(file, (left, right))
            case ast.BinOp(left=ast.Constant(value=str(template)), op=ast.Mod(), right=filled):
                return self._filled_in(file, template, filled)
            case ast.JoinedStr(values=parts):
                return self._joined(file, parts)
            case ast.FormattedValue(value=value, conversion=-1, format_spec=None):
                return self.of_expression(file, value)
            case ast.Name():
                reference = file.facts.reference_by_start.get(syntax_tree(file.data).start_of(node))
                return self._of_binding(file, reference.binding) if reference is not None else None
            case ast.Attribute():
                return self._of_attribute(file, node)
            case ast.Call(func=ast.Name() | ast.Attribute() as function, args=arguments, keywords=[]):
                values = self._evaluator.values(file, origin_of(file, function))
                are_known = bool(values) and all(value.sort is ValueSort.FUNCTION for value in values)
                handed = [self.of_expression(file, each) for each in arguments] if are_known else []
                return all_texts_of(self._given_by((value.path, value.number), handed) for value in values) if are_known else None
        return None

    def _given_by(self, key: FunctionKey, handed: Sequence[Texts]) -> Texts:
        """The texts that a function of a module gives which does nothing else."""
        file, record = self._evaluator.file(key[0]), self._evaluator.function_record(key)
        place = key[0], f"def {record.name_start}"
        are_filled = len(handed) == len(record.parameters) and all(each.sort in BY_POSITION for each in record.parameters)
        is_other = bool(record.decorators) or record.owner >= 0 or self._evaluator.is_set(_CODE)
        if is_other or place in self._asked or not file.is_own or not are_filled:
            return None
        given_in = {(key[0], each.binding): texts for each, texts in zip(record.parameters, handed, strict=True)}
        inner = _Making(self._evaluator, self._asked | {place}, given_in)
        match definition_of(syntax_tree(file.data), record):
            case ast.FunctionDef(body=[*before, ast.Return(value=ast.expr() as given)]) if all(map(_is_text, before)):
                return inner.of_expression(file, given)
        return None

    def _joined(self, file: LinkedFile, parts: Iterable[ast.expr]) -> Texts:
        """The texts that are made by putting one of each part behind one of the part before."""
        made: frozenset[str] = frozenset({""})
        for part in parts:
            texts = self.of_expression(file, part)
            if texts is None or len(texts) * len(made) > _MOST_TEXTS:
                return None
            made = frozenset(map("".join, product(made, texts)))
        return made

    def _filled_in(self, file: LinkedFile, template: str, filled: ast.expr) -> Texts:
        if isinstance(filled, ast.Tuple):
            filled = filled.elts[0] if len(filled.elts) == 1 else filled
        before, place, behind = template.partition(_FILLED_IN)
        texts = self.of_expression(file, filled) if place and "%" not in before + behind else None
        return None if texts is None else frozenset(before + each + behind for each in texts)

    def _of_binding(self, file: LinkedFile, binding: int) -> Texts:
        """The texts that a variable may be."""
        key = file.path, binding
        if key in self._handed and file.facts.roles(binding) & BINDING_ROLES == {Role.PARAMETER}:
            return self._handed[key]
        if binding < 0 or key in self._asked or not file.is_own:
            return None
        inner = _Making(self._evaluator, self._asked | {key}, self._handed)
        roles = file.facts.roles(binding) & BINDING_ROLES
        if roles == {Role.IMPORT}:
            return inner._of_import(file, binding)
        if roles == {Role.PARAMETER}:
            return inner._of_parameter(file, binding)
        if roles and roles <= {Role.LOOP, Role.EACH}:
            return texts_gone_through(self._evaluator, file.path, binding)
        if roles != {Role.ASSIGN} or may_be_set_elsewhere(self._evaluator, file, binding):
            return None
        tree = syntax_tree(file.data)
        references = (file.facts.references[index] for index in file.facts.bindings[binding].references)
        names = [tree.names.get(each.start) for each in references if each.role is Role.ASSIGN]
        return all_texts_of(inner._assigned(file, tree, each) for each in names)

    def _of_import(self, file: LinkedFile, binding: int) -> Texts:
        """The texts that a name of another module may be."""
        linkage = self._evaluator.linkage
        uses = [use for use in file.links.imports if use.binding == binding]
        if not uses or not all(use.name for use in uses):
            return None
        paths = (linkage.find_module(linkage.module_of_import(file, use), file.path) for use in uses)
        return all_texts_of(self._of_name_in(path, use.name) for use, path in zip(uses, paths, strict=True))

    def _of_name_in(self, path: str | None, name: str) -> Texts:
        file = self._evaluator.linkage.file(path) if path is not None else None
        return self._of_binding(file, file.module_bindings.get(name, -1)) if file is not None else None

    def _assigned(self, file: LinkedFile, tree: SyntaxTree, target: ast.expr | None) -> Texts:
        """The texts that a statement gives what it is written to."""
        match tree.around[target] if target is not None else None:
            case ast.Assign(targets=[only], value=value) if only is target:
                return self.of_expression(file, value)
            case ast.AnnAssign(value=ast.expr() as value):
                return self.of_expression(file, value)
        return None

    def _of_parameter(self, file: LinkedFile, binding: int) -> Texts:
        """The texts that all callers in sight hand to a parameter, or that stand for it where they hand it none."""
        evaluator = self._evaluator
        number, parameter = file.parameter_by_binding.get(binding, (-1, None))
        if parameter is None or parameter.sort not in (*BY_POSITION, *BY_KEYWORD) or parameter.default is not None:
            return None
        handed = [
            (other, each)
            for other, each in evaluator.calls_of(file, number) or ()
            if parameter in evaluator.parameters_filled(file, number, other, each)
        ]
        return all_texts_of(self._of_handed(*each) for each in handed) if handed else None

    def _of_handed(self, file: LinkedFile, handed: Handed) -> Texts:
        tree = syntax_tree(file.data)
        code = file.source.text[handed.start : handed.end]
        node = tree.names.get(handed.start) if code.isidentifier() else tree.attributes.get(handed.end)
        if node is not None and tree.start_of(node) == handed.start:
            return self.of_expression(file, node)
        text = _written_text(code)
        return None if text is None else frozenset({text})

    def _of_attribute(self, file: LinkedFile, node: ast.Attribute) -> Texts:
        """The texts that an attribute of an instance of the project is given, wherever that is, or a name of a module."""
        evaluator, name = self._evaluator, node.attr
        end = syntax_tree(file.data).end_of(node)
        uses = [use for use in file.links.attributes_by_name.get(name, ()) if use.end == end]
        values = evaluator.values(file, uses[0].receiver) if uses else frozenset()
        if values and all(value.sort is ValueSort.MODULE for value in values):
            return all_texts_of(self._of_name_in(value.path, name) for value in values)
        if not values or any(value.sort is not ValueSort.INSTANCE for value in values):
            return None
        found = [self._given_to((value.path, value.number), name) for value in values]
        return all_texts_of(found)

    def _given_to(self, key: ClassKey, name: str) -> Texts:
        writes = writes_in_sight(self._evaluator, key, name)
        if not writes or (key[0], name) in self._asked:
            return None
        inner = _Making(self._evaluator, self._asked | {(key[0], name)})
        trees = [(file, syntax_tree(file.data), use.end) for file, use in writes]
        return all_texts_of(inner._assigned(file, tree, tree.attributes.get(end)) for file, tree, end in trees)


def _is_text(statement: ast.stmt) -> bool:
    return isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)


def _written_text(code: str) -> str | None:
    try:
        value = ast.literal_eval(code)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return None
    return value if isinstance(value, str) else None
