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
import sys
import warnings
from collections.abc import Mapping
from types import CodeType, MappingProxyType

from zephyrun.proof.named_constants import without_names
from zephyrun.proof.normal_form import constant_key

_VARIABLE_ARGUMENTS = 0x04
_VARIABLE_KEYWORDS = 0x08


class NotCompiled(ValueError):
    """One of the versions could not be compiled; the message says why."""


def compiled_difference(
    old: bytes, new: bytes, constants: Mapping[str, ast.expr] = MappingProxyType({})
) -> str | None:
    """What the compiled code of two versions differs in, in one phrase; `None` for nothing.

    In the new version the names of `constants` are read as the numbers that they stand for. Errors:
    `NotCompiled`.
    """
    return _difference(_compile(old), _compile(new, constants), {}, {})


def _compile(data: bytes, constants: Mapping[str, ast.expr] = MappingProxyType({})) -> CodeType:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            tree: ast.AST = ast.parse(data)
            if constants:
                assert isinstance(tree, ast.Module), "a module was parsed"
                tree = without_names(tree, constants)
            if sys.version_info >= (3, 12):
                tree = _KeepComprehensionsApart().visit(tree)
            for number, node in enumerate(ast.walk(tree), 1):
                if hasattr(node, "lineno"):
                    node.lineno = node.end_lineno = number  # type: ignore[attr-defined]
                    node.col_offset = node.end_col_offset = 0  # type: ignore[attr-defined]
            assert isinstance(tree, ast.Module), "a module was parsed"
            return compile(tree, "<compared>", "exec", dont_inherit=True)
    except (SyntaxError, ValueError, RecursionError, MemoryError, OverflowError) as problem:
        raise NotCompiled(f"the interpreter does not compile it: {problem}") from problem


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


def _difference(
    old: CodeType, new: CodeType, old_cells: dict[str, str], new_cells: dict[str, str]
) -> str | None:
    """Compare two code objects. The cells say how free names are called around them."""
    where = f"in {old.co_qualname}" if old.co_qualname != "<module>" else "at the top of the file"
    if old.co_name != new.co_name or old.co_qualname != new.co_qualname:
        return f"{old.co_qualname} is now called {new.co_qualname}"
    if _signature(old) != _signature(new):
        return f"the parameters or the sort of function differ {where}"

    if len(old.co_cellvars) != len(new.co_cellvars) or len(old.co_freevars) != len(new.co_freevars):
        return f"closures share other variables {where}"
    if old.co_names != new.co_names:
        return f"other names are looked up {where}"

    if old.co_code != new.co_code or old.co_exceptiontable != new.co_exceptiontable:
        if len(old.co_cellvars) > 1 or len(old.co_freevars) > 1:
            return (
                f"the instructions differ {where}; if only names changed, the variables that it "
                "shares with inner functions would be cleared in another order"
            )
        return f"the instructions differ {where}"

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
    return _constants_difference(old.co_consts, new.co_consts, there, back, where)


def _constants_difference(
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
            if difference := _difference(old_value, new_value, there, back):
                return difference
        elif isinstance(old_value, CodeType) or isinstance(new_value, CodeType):
            return f"the functions inside differ {where}"
        elif constant_key(old_value) != constant_key(new_value):
            return f"the constants differ {where}"
    return None


def _signature(code: CodeType) -> tuple[object, ...]:
    n_parameters = code.co_argcount + code.co_kwonlyargcount
    n_parameters += bool(code.co_flags & _VARIABLE_ARGUMENTS)
    n_parameters += bool(code.co_flags & _VARIABLE_KEYWORDS)
    return (
        code.co_flags,
        code.co_argcount,
        code.co_posonlyargcount,
        code.co_kwonlyargcount,
        code.co_varnames[:n_parameters],
    )
