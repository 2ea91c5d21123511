"""The second witness: the interpreter's own compiler, which knows nothing of our resolver.

Both versions are parsed by the interpreter from their bytes, every node of the trees is put on a line
of its own by the order of the nodes, and both are compiled. Lines make the compiler add no-ops and
double exits; as they now depend on the order of nodes alone, equal programs give the same
instructions, and these can be compared one by one. (Comparing the code of the texts as they stand
would need a graph to see through that. Putting all nodes on one line would not do: inner functions
that are alike but for their place would then be one constant.)

Names of locals are compared by their slots. Slots of closure cells are sorted by name, and cells
are cleared in the order of slots when a function returns: a rename that changes their order could
change the order in which finalisers run, and does not pass.
"""

from __future__ import annotations

import ast
import dis
import re
import sys
import warnings
from collections.abc import Callable, Iterator, Mapping, Sequence
from types import CodeType
from typing import NamedTuple

from zephyrun.languages.python.nodes import nodes_in
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.named_constants import without_names
from zephyrun.proof.normal_form import DOCUMENTED, constant_key, without_documentation

IN_ANOTHER_ORDER = (
    "if only names changed, the variables that it shares with inner functions would be cleared in another order"
)
_LONG_OPERAND = "EXTENDED_ARG"
_STATIC = "__static_attributes__"
_WITH_A_SCOPE = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
_VARIABLE_ARGUMENTS = 0x04
_VARIABLE_KEYWORDS = 0x08
# What stands between names in a text, and the names themselves.
_WORDS = lazy_pattern(r"(\W+)")

# Pairs of an old and a new name.
Renamed = frozenset[tuple[str, str]]


class NotCompiled(ValueError):
    """One of the versions could not be compiled; the message says why."""


def compiled_difference(
    old: bytes,
    new: bytes,
    renamed: Renamed = frozenset(),
    *,
    constants: Sequence[Mapping[str, ast.expr]] = (),
    drops_documentation: bool = False,
    rewrite: Sequence[Callable[[ast.Module], None]] = (),
) -> str | None:
    """What the compiled code of two versions differs in, in one phrase; `None` for nothing.

    The first name of each pair in `renamed` may have become the second; documentation may be dropped on both sides.
    `constants` holds the names of the old and the new version that are read as what they stand for, and `rewrite`
    what rewrites the old and the new tree to the one way of writing them. Errors: `NotCompiled`.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            old_tree, new_tree = ast.parse(old), ast.parse(new)
            if any(constants):
                old_tree, new_tree = map(without_names, (old_tree, new_tree), constants)
            for rewrite_tree, tree in zip(rewrite, (old_tree, new_tree)):
                # What is taken out may be what the compiler refuses.
                compile(tree, "<compared>", "exec", dont_inherit=True)
                rewrite_tree(tree)
            if drops_documentation:
                _drop_documentation(old_tree)
                _drop_documentation(new_tree)
            found = _Comparison(renamed).difference(_compiled(old_tree), _compiled(new_tree), {}, {})
            if found is None or not _level_imports(old_tree, new_tree):
                return found
            return _Comparison(renamed).difference(_compiled(old_tree), _compiled(new_tree), {}, {})
    except (SyntaxError, ValueError, RecursionError, MemoryError, OverflowError) as problem:
        raise NotCompiled(f"the interpreter does not compile it: {problem}") from problem


def _drop_documentation(tree: ast.Module) -> None:
    """Leave documentation out. A statement that does nothing stands first everywhere, so that no other text
    becomes documentation."""
    for node in nodes_in(tree):
        if isinstance(node, DOCUMENTED):
            nothing = ast.Pass(lineno=1, col_offset=0, end_lineno=1, end_col_offset=0)
            node.body = [nothing, *without_documentation(node.body)]


def _level_imports(old_tree: ast.Module, new_tree: ast.Module) -> bool:
    """Let the compiler take the same names for imported ones in both versions, where it did not."""
    called = _called_names(old_tree), _called_names(new_tree)
    if [is_imported for _, is_imported in called[0]] == [each for _, each in called[1]]:
        return False
    names = sorted({name for version in called for name, _ in version})
    for tree in (old_tree, new_tree):
        tree.body.append(_never_imports(names))
    return True


def _called_names(tree: ast.Module) -> list[tuple[str, bool]]:
    """The names of variables whose methods are called, in the order of nodes, and whether an import of the module binds
    such a name. Methods of what seems to be a module are called by other instructions, even where the
    variable is one of an inner function that only has the same name."""
    imported = set(_names_imported(tree))
    return [
        (node.func.value.id, node.func.value.id in imported)
        for node in nodes_in(tree)
        if isinstance(node, ast.Call)
        and isinstance(node.func, ast.Attribute)
        and isinstance(node.func.value, ast.Name)
    ]


def _names_imported(node: ast.AST) -> Iterator[str]:
    """The names that imports bind, but for those of functions and classes."""
    if isinstance(node, ast.Import | ast.ImportFrom):
        yield from (each.asname or each.name.partition(".")[0] for each in node.names)
    elif isinstance(node, ast.mod | ast.stmt | ast.excepthandler | ast.match_case) and not isinstance(node, _WITH_A_SCOPE):
        for each in ast.iter_child_nodes(node):
            yield from _names_imported(each)


def _never_imports(names: Sequence[str]) -> ast.stmt:
    """A statement that makes the compiler take names for imported ones, and does nothing."""
    aliases = [ast.alias(name) for name in names]
    return ast.fix_missing_locations(ast.If(ast.Constant(False), [ast.Import(aliases)], []))


def _compiled(module: ast.Module) -> CodeType:
    tree: ast.AST = module
    if sys.version_info >= (3, 12):
        tree = _KeepComprehensionsApart().visit(tree)
    for number, node in enumerate(nodes_in(tree), 1):
        if hasattr(node, "lineno"):
            node.lineno = node.end_lineno = number  # type: ignore[attr-defined]
            node.col_offset = node.end_col_offset = 0  # type: ignore[attr-defined]
    assert isinstance(tree, ast.Module), "a module was handed in"
    return compile(tree, "<compared>", "exec", dont_inherit=True)


class _KeepComprehensionsApart(ast.NodeTransformer):
    """Turn comprehensions into marked generators.

    Since 3.12 the compiler folds comprehensions into the function around, where their variables
    share slots with others of the same name; generators have the same scoping and are not folded.
    """

    def _marked(self, node: ast.ListComp | ast.SetComp | ast.DictComp, element: ast.expr) -> ast.expr:
        generator = ast.copy_location(ast.GeneratorExp(element, node.generators), node)
        mark = ast.copy_location(ast.Constant(type(node).__name__), node)
        return ast.copy_location(ast.Tuple([mark, generator], ast.Load()), node)

    def visit_ListComp(self, node: ast.ListComp) -> ast.expr:
        self.generic_visit(node)
        return self._marked(node, node.elt)

    def visit_SetComp(self, node: ast.SetComp) -> ast.expr:
        self.generic_visit(node)
        return self._marked(node, node.elt)

    def visit_DictComp(self, node: ast.DictComp) -> ast.expr:
        self.generic_visit(node)
        pair = ast.copy_location(ast.Tuple([node.key, node.value], ast.Load()), node)
        return self._marked(node, pair)


class _Comparison:
    """Compares code objects. Names that others can see are equal, or one of the `renamed` pairs."""

    def __init__(self, renamed: Renamed) -> None:
        self._renamed = renamed

    def _are_alike(self, old: str, new: str) -> bool:
        return old == new or (bool(self._renamed) and (old, new) in self._renamed)

    def _say_alike(self, old: str, new: str) -> bool:
        """Whether texts are alike word for word: names stand in qualified names, texts, annotations."""
        if old == new or not self._renamed:
            return old == new
        old_parts, new_parts = _WORDS.split(old), _WORDS.split(new)
        return len(old_parts) == len(new_parts) and all(map(self._are_alike, old_parts, new_parts))

    def _are_all_alike(self, old: Sequence[str], new: Sequence[str]) -> bool:
        return len(old) == len(new) and all(map(self._are_alike, old, new))

    def difference(
        self, old: CodeType, new: CodeType, old_cells: dict[str, str], new_cells: dict[str, str]
    ) -> str | None:
        """Compare two code objects. The cells say how free names are called around them."""
        where = f"in {old.co_qualname}" if old.co_qualname != "<module>" else "at the top of the file"
        if not self._say_alike(old.co_name, new.co_name) or not self._say_alike(
            old.co_qualname, new.co_qualname
        ):
            return f"{old.co_qualname} is now called {new.co_qualname}"
        if _signature(old) != _signature(new) or not self._are_all_alike(
            _parameters(old), _parameters(new)
        ):
            return f"the parameters or the sort of function differ {where}"

        if len(old.co_cellvars) != len(new.co_cellvars) or len(old.co_freevars) != len(new.co_freevars):
            return f"closures share other variables {where}"
        if len(old.co_varnames) != len(new.co_varnames):
            return f"the number of variables differs {where}"
        for old_name, new_name in zip(old.co_freevars, new.co_freevars, strict=True):
            if old_cells.get(old_name) != new_name or new_cells.get(new_name) != old_name:
                return f"{new_name} is taken from another function {where}"

        there: dict[str, str] = {}
        back: dict[str, str] = {}
        for old_names, new_names in (
            (old.co_varnames, new.co_varnames),
            (old.co_cellvars, new.co_cellvars),
            (old.co_freevars, new.co_freevars),
        ):
            for old_name, new_name in zip(old_names, new_names, strict=True):
                if there.setdefault(old_name, new_name) != new_name:
                    return f"{old_name} became two variables {where}"
                if back.setdefault(new_name, old_name) != old_name:
                    return f"{new_name} stands for two variables {where}"
        if self._renamed:
            return self._difference_one_by_one(old, new, there, back, where)
        return self._instructions_difference(old, new, where) or self._constants_difference(
            old.co_consts, new.co_consts, there, back, where
        )

    def _instructions_difference(self, old: CodeType, new: CodeType, where: str) -> str | None:
        if old.co_names != new.co_names:
            return f"other names are looked up {where}"
        if old.co_code != new.co_code or old.co_exceptiontable != new.co_exceptiontable:
            return self._other_instructions(old, where)
        return None

    def _other_instructions(self, code: CodeType, where: str) -> str:
        if len(code.co_cellvars) > 1 or len(code.co_freevars) > 1:
            return f"the instructions differ {where}; {IN_ANOTHER_ORDER}"
        return f"the instructions differ {where}"

    def _difference_one_by_one(
        self, old: CodeType, new: CodeType, there: dict[str, str], back: dict[str, str], where: str
    ) -> str | None:
        """Compare what instructions do, names and constants by what they are: a name or text that
        becomes equal to another one, or no longer is, changes the numbers by which they are called."""
        if self._call_by_the_same_numbers(old, new):
            return self._constants_difference(old.co_consts, new.co_consts, there, back, where)
        before, after = _instructions(old), _instructions(new)
        if len(before) != len(after) or _exceptions(old) != _exceptions(new):
            return self._other_instructions(old, where)
        for number, (one, other) in enumerate(zip(before, after, strict=True), 1):
            if one.operation != other.operation or one.operand != other.operand:
                return self._other_instructions(old, where)
            if not self._say_alike(one.name, other.name):
                return f"`{other.name}` is looked up for `{one.name}` {where}"
            if number < len(before) and before[number].name == _STATIC:
                # Which attributes methods set, in no order (since 3.13): the methods tell that themselves.
                continue
            if reason := self._constants_difference(one.constants, other.constants, there, back, where):
                return reason
        # Documentation is loaded by no instruction.
        return self._constants_difference(old.co_consts[:1], new.co_consts[:1], there, back, where)

    def _call_by_the_same_numbers(self, old: CodeType, new: CodeType) -> bool:
        """Whether even the numbers are the same by which names and constants are called, as they mostly
        are: that is soon seen."""
        return (
            old.co_code == new.co_code
            and _STATIC not in old.co_names
            and old.co_exceptiontable == new.co_exceptiontable
            and len(old.co_consts) == len(new.co_consts)
            and len(old.co_names) == len(new.co_names)
            and all(map(self._say_alike, old.co_names, new.co_names))
        )

    def _constants_difference(
        self,
        old: tuple[object, ...],
        new: tuple[object, ...],
        there: dict[str, str],
        back: dict[str, str],
        where: str,
    ) -> str | None:
        if len(old) != len(new):
            return f"the constants differ {where}"
        for old_value, new_value in zip(old, new, strict=True):
            if isinstance(old_value, CodeType) and isinstance(new_value, CodeType):
                if difference := self.difference(old_value, new_value, there, back):
                    return difference
            elif isinstance(old_value, CodeType) or isinstance(new_value, CodeType):
                return f"the functions inside differ {where}"
            elif not self._are_equal(old_value, new_value):
                return f"the constants differ {where}"
        return None

    def _are_equal(self, old: object, new: object) -> bool:
        if constant_key(old) == constant_key(new):
            return True
        if isinstance(old, str) and isinstance(new, str):
            return self._say_alike(old, new)
        if isinstance(old, tuple) and isinstance(new, tuple):
            return len(old) == len(new) and all(map(self._are_equal, old, new))
        return False


class _Instruction(NamedTuple):
    """One instruction: the operation, its operand, the name that it concerns and its constant."""

    operation: int
    operand: object
    name: str = ""
    constants: tuple[object, ...] = ()


def _instructions(code: CodeType) -> list[_Instruction]:
    """What a code does, one by one. Targets of jumps are given by their number, since offsets depend on
    how long operands are."""
    found = [each for each in dis.get_instructions(code) if each.opname != _LONG_OPERAND]
    numbers = _numbers(code)
    result: list[_Instruction] = []
    for each in found:
        if each.opcode in dis.hasname:
            name = str(each.argval)
            rest = re.sub(rf"(?<![\w.]){re.escape(name)}(?![\w.])", "", each.argrepr)
            result.append(_Instruction(each.opcode, rest, name))
        elif each.opcode in dis.hasconst or each.opname == "KW_NAMES":
            assert each.arg is not None, "a constant is called by its number"
            result.append(_Instruction(each.opcode, "", "", (code.co_consts[each.arg],)))
        elif each.opcode in dis.hasjrel or each.opcode in dis.hasjabs:
            result.append(_Instruction(each.opcode, numbers.get(each.argval, each.argval)))
        else:
            result.append(_Instruction(each.opcode, each.arg))
    return result


def _numbers(code: CodeType) -> dict[int, int]:
    """The number of the instruction at each offset; what makes an operand long counts to its own."""
    numbers: dict[int, int] = {}
    number = 0
    for each in dis.get_instructions(code):
        numbers[each.offset] = number
        number += each.opname != _LONG_OPERAND
    numbers[len(code.co_code)] = number
    return numbers


def _exceptions(code: CodeType) -> list[tuple[int, ...]]:
    """Where handlers begin and end, what they guard, and how deep the stack is there."""
    numbers = _numbers(code)
    return [
        (numbers[each.start], numbers[each.end], numbers[each.target], each.depth, each.lasti)
        for each in dis.Bytecode(code).exception_entries  # type: ignore[attr-defined]
    ]


def _signature(code: CodeType) -> tuple[object, ...]:
    return code.co_flags, code.co_argcount, code.co_posonlyargcount, code.co_kwonlyargcount


def _parameters(code: CodeType) -> tuple[str, ...]:
    n_parameters = code.co_argcount + code.co_kwonlyargcount
    n_parameters += bool(code.co_flags & _VARIABLE_ARGUMENTS)
    n_parameters += bool(code.co_flags & _VARIABLE_KEYWORDS)
    return code.co_varnames[:n_parameters]
