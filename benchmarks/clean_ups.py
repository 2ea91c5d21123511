"""Clean-ups of real code as a careful person might make them, and changes of behaviour hidden among them.

Works on syntax trees with the standard library alone, and imports nothing of the project, so that a mistake
of ours is not made twice.
"""

from __future__ import annotations

import ast
import random
import symtable
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

_DEFINITIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_LEAVING = (ast.Return, ast.Raise, ast.Continue, ast.Break)
_LOOKING_UP = ("locals", "vars", "eval", "exec", "globals", "dir", "_getframe", "currentframe")
_OFTEN, _SELDOM = 0.6, 0.3
_MOST_TRIES = 60
_FRESH = ("kept_weight", "next_hive", "seen_days", "honey_left", "tare_used", "last_visit", "frame_count", "yard_name")


class Pair(NamedTuple):
    """Two versions of one text, the kinds of changes made, and the lines (old and new) of a change of
    behaviour, (0, 0) for none."""

    old: str
    new: str
    kinds: tuple[str, ...]
    lines: tuple[int, int]


# -- clean-ups -----------------------------------------------------------------------------------


def _functions(tree: ast.Module) -> list[ast.FunctionDef]:
    return [each for each in ast.walk(tree) if isinstance(each, ast.FunctionDef)]


def _blocks(tree: ast.AST) -> Iterator[tuple[ast.AST, list[ast.stmt]]]:
    """The blocks inside functions, each with what it is the block of."""
    for function in _functions(tree):  # type: ignore[arg-type]
        for node in ast.walk(function):
            for field in ("body", "orelse", "finalbody"):
                block = getattr(node, field, None)
                if isinstance(block, list) and block and isinstance(block[0], ast.stmt) and not isinstance(node, ast.ClassDef):
                    yield node, block


def _looks_up(node: ast.AST) -> bool:
    return any(isinstance(each, ast.Name | ast.Attribute) and (getattr(each, "id", "") or getattr(each, "attr", "")) in _LOOKING_UP for each in ast.walk(node))


def rename_local(tree: ast.Module, dice: random.Random) -> bool:
    """Another name for a local that no function inside shares, and that stands in no text."""
    text = ast.unparse(tree)
    functions = [
        each for each in _functions(tree)
        if not _looks_up(each) and not any(isinstance(node, ast.Nonlocal) for node in ast.walk(each))
    ]  # fmt: skip
    dice.shuffle(functions)
    for function in functions:
        table = symtable.symtable(ast.unparse(function), "<function>", "exec").get_children()[0]
        names = [
            each.get_name() for each in table.get_symbols()
            if each.is_local() and not each.is_parameter() and not each.is_namespace() and not each.is_imported()
        ]  # fmt: skip
        inner = {name for child in table.get_children() for name in child.get_identifiers()}
        texts = " ".join(str(each.value) for each in ast.walk(function) if isinstance(each, ast.Constant) and isinstance(each.value, str))
        free = [each for each in names if each not in inner and each not in texts and not each.startswith("__")]
        handled = {each.name for each in ast.walk(function) if isinstance(each, ast.ExceptHandler | ast.MatchAs)}
        free = [each for each in free if each not in handled]
        fresh = [each for each in _FRESH if each not in text]
        if free and fresh:
            old, new = dice.choice(free), dice.choice(fresh)
            for node in ast.walk(function):
                if isinstance(node, ast.Name) and node.id == old:
                    node.id = new
            return True
    return False


def rename_private_function(tree: ast.Module, dice: random.Random) -> bool:
    """Another name for a private function of the module whose name stands nowhere else."""
    text = ast.unparse(tree)
    names = {each.name for each in tree.body if isinstance(each, _DEFINITIONS) and each.name.startswith("_") and not each.decorator_list}
    names = {
        name for name in names
        if text.count(name) == sum(getattr(each, "id", "") == name or getattr(each, "name", "") == name for each in ast.walk(tree))
    }  # fmt: skip
    fresh = [f"_{each}" for each in _FRESH if each not in text]
    if not names or not fresh or _looks_up(tree):
        return False
    old, new = dice.choice(sorted(names)), dice.choice(fresh)
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and node.id == old:
            node.id = new
        elif isinstance(node, _DEFINITIONS) and node.name == old:
            node.name = new
    return True


def name_a_number(tree: ast.Module, dice: random.Random) -> bool:
    """A constant at the top for a number in a function."""
    text = ast.unparse(tree)
    holders = [
        (node, place, each)
        for function in _functions(tree)
        for node in ast.walk(function)
        if isinstance(node, ast.Compare | ast.BinOp)
        for place, each in (("right", getattr(node, "right", None)), ("comparators", getattr(node, "comparators", [None])[0]))
        if isinstance(each, ast.Constant) and type(each.value) in (int, float) and each.value not in (0, 1)
    ]
    if not holders or _looks_up(tree) or any(each in text for each in ("STEPS_A", "__dict__", "import *")):
        return False
    node, place, number = dice.choice(holders)
    name = "STEPS_A_YEAR"
    read = ast.Name(name, ast.Load())
    if place == "right":
        node.right = read  # type: ignore[union-attr]
    else:
        node.comparators[0] = read  # type: ignore[union-attr]
    index = 0
    for index, statement in enumerate(tree.body):
        is_text = isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)
        is_future = isinstance(statement, ast.ImportFrom) and statement.module == "__future__"
        if not is_text and not is_future:
            break
    tree.body.insert(index, ast.Assign([ast.Name(name, ast.Store())], ast.Constant(number.value)))
    return True


def _branches(tree: ast.Module, fits: Callable[[list[ast.stmt], ast.If], bool]) -> list[tuple[list[ast.stmt], int, ast.If]]:
    """The branches in functions that fit, each with the block and its place there."""
    return [
        (block, index, each)
        for _, block in _blocks(tree)
        for index, each in enumerate(block)
        if isinstance(each, ast.If) and fits(block, each)
    ]


def turn_branches(tree: ast.Module, dice: random.Random) -> bool:
    """`if a: B else: C` with its branches turned round."""
    branches = _branches(tree, lambda block, each: bool(each.orelse))
    if not branches:
        return False
    _, _, branch = dice.choice(branches)
    is_denied = isinstance(branch.test, ast.UnaryOp) and isinstance(branch.test.op, ast.Not)
    branch.test = branch.test.operand if is_denied else ast.UnaryOp(ast.Not(), branch.test)  # type: ignore[attr-defined]
    branch.body, branch.orelse = branch.orelse, branch.body
    return True


def flatten_else(tree: ast.Module, dice: random.Random) -> bool:
    """No `else` behind a branch that leaves."""
    found = _branches(tree, lambda block, each: bool(each.orelse) and isinstance(each.body[-1], _LEAVING))
    if not found:
        return False
    block, index, branch = dice.choice(found)
    block[index + 1 : index + 1], branch.orelse = branch.orelse, []
    return True


def nest_rest(tree: ast.Module, dice: random.Random) -> bool:
    """An `else` for what stands behind a branch that leaves."""
    found = _branches(
        tree,
        lambda block, each: each is not block[-1] and not each.orelse and isinstance(each.body[-1], _LEAVING),
    )
    if not found:
        return False
    block, index, branch = dice.choice(found)
    branch.orelse = block[index + 1 :]
    del block[index + 1 :]
    return True


def name_a_result(tree: ast.Module, dice: random.Random) -> bool:
    """`x = e`, `return x` for `return e`."""
    def is_plain(node: ast.AST) -> bool:
        return not isinstance(node, ast.With | ast.AsyncWith) and not getattr(node, "finalbody", None)

    found = []
    for function in _functions(tree):
        if _looks_up(function) or not all(map(is_plain, ast.walk(function))):
            continue
        fresh = [each for each in _FRESH if each not in ast.unparse(tree)]
        for node in ast.walk(function):
            for block in (getattr(node, "body", None), getattr(node, "orelse", None)):
                for index, each in enumerate(block if isinstance(block, list) else ()):
                    if isinstance(each, ast.Return) and each.value is not None and not isinstance(each.value, ast.Constant | ast.Name) and fresh:
                        found.append((block, index, fresh[0]))
    if not found:
        return False
    block, index, name = dice.choice(found)
    value = block[index].value
    block[index : index + 1] = [ast.Assign([ast.Name(name, ast.Store())], value), ast.Return(ast.Name(name, ast.Load()))]
    return True


def explain_condition(tree: ast.Module, dice: random.Random) -> bool:
    """A name for a comparison that is a whole condition."""
    found = [
        (block, index)
        for node, block in _blocks(tree)
        for index, each in enumerate(block)
        if isinstance(each, ast.If) and isinstance(each.test, ast.Compare)
        and not any(isinstance(inner, ast.NamedExpr) for inner in ast.walk(each.test))
        and not (isinstance(node, ast.If) and block is node.orelse and len(block) == 1)
    ]  # fmt: skip
    fresh = [f"is_{each}" for each in _FRESH if each not in ast.unparse(tree)]
    if not found or not fresh or _looks_up(tree):
        return False
    block, index = dice.choice(found)
    branch = block[index]
    assert isinstance(branch, ast.If), "only branches were found"
    block.insert(index, ast.Assign([ast.Name(fresh[0], ast.Store())], branch.test))
    branch.test = ast.Name(fresh[0], ast.Load())
    return True


def document(tree: ast.Module, dice: random.Random) -> bool:
    """A documentation text where there was none."""
    functions = [
        each for each in _functions(tree)
        if each.name.startswith("_") and not each.name.startswith("__") and not each.decorator_list and not ast.get_docstring(each)
    ]  # fmt: skip
    if not functions or any(word in ast.unparse(tree) for word in ("__doc__", "getdoc", "help(", "pydoc")):
        return False
    dice.choice(functions).body.insert(0, ast.Expr(ast.Constant("What is known of a hive.")))
    return True


def annotate_local(tree: ast.Module, dice: random.Random) -> bool:
    """An annotation for a local."""
    found = [
        (block, index, function)
        for function in _functions(tree)
        for node in ast.walk(function)
        if not isinstance(node, (*_DEFINITIONS, ast.ClassDef, ast.Lambda)) or node is function
        for block in [getattr(node, "body", None)]
        if isinstance(block, list)
        for index, each in enumerate(block)
        if isinstance(each, ast.Assign) and len(each.targets) == 1 and isinstance(each.targets[0], ast.Name)
    ]
    found = [
        each for each in found
        if not any(isinstance(node, ast.Global | ast.Nonlocal) for node in ast.walk(each[2]))
    ]  # fmt: skip
    if not found:
        return False
    block, index, _ = dice.choice(found)
    statement = block[index]
    block[index] = ast.AnnAssign(statement.targets[0], ast.Name("object", ast.Load()), statement.value, 1)
    return True


def add_idle(tree: ast.Module, dice: random.Random) -> bool:
    """A `pass` beside other statements, or a `return` at the end of a function."""
    functions = [each for each in _functions(tree) if not isinstance(each.body[-1], (*_LEAVING, ast.If, ast.Try, ast.With))]
    if functions and dice.random() < 0.5:
        dice.choice(functions).body.append(ast.Return())
        return True
    blocks = [block for node, block in _blocks(tree) if not isinstance(node, _DEFINITIONS)]
    if not blocks:
        return False
    block = dice.choice(blocks)
    block.append(ast.Pass()) if not isinstance(block[-1], _LEAVING) else block.insert(0, ast.Pass())
    return True


def move_function(tree: ast.Module, dice: random.Random) -> bool:
    """Two functions beside each other that change places."""
    def is_plain(node: ast.stmt) -> bool:
        if not isinstance(node, _DEFINITIONS) or node.decorator_list or node.returns is not None:
            return False
        arguments = node.args
        parts = [*arguments.defaults, *filter(None, arguments.kw_defaults)]
        every = [*arguments.args, *arguments.posonlyargs, *arguments.kwonlyargs]
        return all(isinstance(each, ast.Constant) for each in parts) and not any(each.annotation for each in every)

    found = [
        index for index in range(len(tree.body) - 1)
        if is_plain(tree.body[index]) and is_plain(tree.body[index + 1])
        and tree.body[index].name != tree.body[index + 1].name  # type: ignore[attr-defined]
    ]  # fmt: skip
    text = ast.unparse(tree)
    if not found or any(word in text for word in ("globals()", "vars(", "__dict__", "sys.modules", "def test", "dir()")):
        return False
    index = dice.choice(found)
    tree.body[index], tree.body[index + 1] = tree.body[index + 1], tree.body[index]
    return True


def split_imports(tree: ast.Module, dice: random.Random) -> bool:
    """One import a line."""
    found = [index for index, each in enumerate(tree.body) if isinstance(each, ast.Import) and len(each.names) > 1]
    if not found:
        return False
    index = dice.choice(found)
    names = tree.body[index].names  # type: ignore[attr-defined]
    tree.body[index : index + 1] = [ast.Import([each]) for each in names]
    return True


CLEAN_UPS: dict[str, Callable[[ast.Module, random.Random], bool]] = {
    each.__name__: each
    for each in (
        rename_local, rename_private_function, name_a_number, turn_branches, flatten_else, nest_rest, name_a_result,
        explain_condition, document, annotate_local, add_idle, move_function, split_imports,
    )
}  # fmt: skip


# -- changes of behaviour --------------------------------------------------------------------------

_SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.FloorDiv, ast.Mod: ast.Mult, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.Eq, ast.IsNot: ast.NotEq, ast.And: ast.Or, ast.Or: ast.And,
}  # fmt: skip


def _change(node: ast.AST, dice: random.Random) -> str | None:
    """Change what one node does; the kind of change, `None` where this one is left alone."""
    for sort, change in _CHANGES:
        if isinstance(node, sort) and (kind := change(node, dice)) is not None:
            return kind
    return None


def _other_operator(node: Any, dice: random.Random) -> str | None:
    if type(node.op) not in _SWAPS:
        return None
    name = type(node.op).__name__
    node.op = _SWAPS[type(node.op)]()
    return f"operator {name}"


def _other_comparison(node: Any, dice: random.Random) -> str | None:
    if type(node.ops[0]) in _SWAPS and dice.random() < _OFTEN:
        name = type(node.ops[0]).__name__
        node.ops[0] = _SWAPS[type(node.ops[0])]()
        return f"comparison {name}"
    if len(node.ops) == 1 and ast.dump(node.left) != ast.dump(node.comparators[0]):
        node.left, node.comparators[0] = node.comparators[0], node.left
        return "sides of a comparison"
    return None


def _other_constant(node: Any, dice: random.Random) -> str | None:
    if node.value is True:
        node.value = dice.choice([1, False])
        return "truth value"
    if type(node.value) is int:
        node.value = dice.choice([node.value + 1, float(node.value), -node.value - 2])
        return "number"
    if isinstance(node.value, str) and node.value.isidentifier():
        node.value += "_"
        return "text"
    return None


def _other_arguments(node: Any, dice: random.Random) -> str | None:
    is_spread = any(isinstance(each, ast.Starred) for each in node.args)
    if len(node.args) == len(("first", "second")) and not is_spread and ast.dump(node.args[0]) != ast.dump(node.args[1]):
        node.args.reverse()
        return "order of arguments"
    if node.keywords and node.keywords[-1].arg:
        node.keywords.pop()
        return "keyword left out"
    return None


def _denied(node: Any, dice: random.Random) -> str | None:
    node.test = ast.UnaryOp(ast.Not(), node.test)
    return "condition denied"


def _other_slice(node: Any, dice: random.Random) -> str | None:
    if not isinstance(node.slice, ast.Slice) or node.slice.lower is None:
        return None
    node.slice.lower = None
    return "beginning of a slice"


def _other_error(node: Any, dice: random.Random) -> str | None:
    if getattr(getattr(node.exc, "func", None), "id", "") != "ValueError":
        return None
    node.exc.func = ast.Name("TypeError", ast.Load())
    return "sort of error"


def _more_errors_caught(node: Any, dice: random.Random) -> str | None:
    if getattr(node.type, "id", "Exception") == "Exception":
        return None
    node.type = ast.Name("Exception", ast.Load())
    return "errors that are caught"


def _other_attribute(node: Any, dice: random.Random) -> str | None:
    if getattr(node.value, "id", "") != "self" or not isinstance(node.ctx, ast.Load):
        return None
    node.attr += "_other"
    return "attribute"


def _other_default(node: Any, dice: random.Random) -> str | None:
    if not node.args.defaults or not isinstance(node.args.defaults[-1], ast.Constant):
        return None
    node.args.defaults[-1] = ast.List([], ast.Load())
    return "default"


def _no_last_word(node: Any, dice: random.Random) -> str | None:
    if not node.finalbody or not node.handlers:
        return None
    node.finalbody = []
    return "last word of a try"


def _no_else(node: Any, dice: random.Random) -> str | None:
    if not node.orelse:
        return None
    node.orelse = []
    return "else of a loop"


_CHANGES: tuple[tuple[tuple[type[ast.AST], ...], Callable[[Any, random.Random], str | None]], ...] = (
    ((ast.BinOp, ast.BoolOp, ast.AugAssign), _other_operator),
    ((ast.Compare,), _other_comparison),
    ((ast.Constant,), _other_constant),
    ((ast.Call,), _other_arguments),
    ((ast.For, ast.While), _no_else),
    ((ast.If, ast.While), _denied),
    ((ast.Subscript,), _other_slice),
    ((ast.Raise,), _other_error),
    ((ast.ExceptHandler,), _more_errors_caught),
    ((ast.Attribute,), _other_attribute),
    ((ast.FunctionDef,), _other_default),
    ((ast.Try,), _no_last_word),
)


def _change_block(block: list[ast.stmt], index: int, dice: random.Random) -> str | None:
    """Change which statements run."""
    statement = block[index]
    has_effect = (isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Call)) or isinstance(statement, ast.AugAssign)
    follower = block[index + 1] if index + 1 < len(block) else None
    match dice.choice(("left out", "twice", "break", "value", "order")):
        case "left out" if has_effect and len(block) > 1:
            del block[index]
            return "statement left out"
        case "twice" if has_effect:
            block.insert(index, statement)
            return "statement done twice"
        case "break" if isinstance(statement, ast.Break):
            block[index] = ast.Continue()
            return "break became continue"
        case "value" if isinstance(statement, ast.Return) and not isinstance(statement.value, ast.Constant | type(None)):
            block[index] = ast.Return()
            return "value not given back"
        case "order" if has_effect and follower is not None and ast.dump(statement) != ast.dump(follower):
            if isinstance(follower, ast.Expr) and isinstance(follower.value, ast.Call):
                block[index], block[index + 1] = follower, statement
                return "order of two calls"
    return None


def _explain_too_early(block: list[ast.stmt], index: int) -> str | None:
    """Name what stands behind `and` or `or`, so that it is always asked."""
    statement = block[index]
    test = getattr(statement, "test", None)
    if isinstance(statement, ast.If) and isinstance(test, ast.BoolOp) and any(isinstance(each, ast.Call) for each in ast.walk(test.values[1])):
        part = test.values[1]
        test.values[1] = ast.Name("is_asked", ast.Load())
        block.insert(index, ast.Assign([ast.Name("is_asked", ast.Store())], part))
        return "always asked"
    return None


def break_something(tree: ast.Module, dice: random.Random) -> tuple[str, int] | None:
    """One change of behaviour in some function; its kind and the line in the old text."""
    nodes = [
        node for function in _functions(tree) for node in ast.walk(function)
        if hasattr(node, "lineno") and not (isinstance(node, ast.Constant) and isinstance(node.value, str) and "\n" in node.value)
    ]  # fmt: skip
    documentation = {id(each.body[0].value) for each in _functions(tree) if isinstance(each.body[0], ast.Expr)}
    blocks = [(block, index) for _, block in _blocks(tree) for index in range(len(block)) if hasattr(block[index], "lineno")]
    for _ in range(_MOST_TRIES):
        if blocks and dice.random() < _SELDOM:
            block, index = dice.choice(blocks)
            if index >= len(block) or not hasattr(block[index], "lineno"):
                continue
            line = block[index].lineno
            kind = _explain_too_early(block, index) if dice.random() < _SELDOM else _change_block(block, index, dice)
        elif nodes:
            node = dice.choice(nodes)
            line = node.lineno
            kind = _change(node, dice) if id(node) not in documentation else None
        else:
            return None
        if kind is not None:
            return kind, line
    return None


def make_pair(old: str, dice: random.Random, n_clean_ups: int, *, breaks: bool) -> Pair | None:
    """One pair from a text, with up to so many clean-ups; `None` where nothing could be done to it."""
    tree = ast.parse(old)
    kinds: list[str] = []
    line = 0
    if breaks:
        broken = break_something(tree, dice)
        if broken is None:
            return None
        kinds.append(broken[0])
        ast.fix_missing_locations(tree)
        line = broken[1]
    before = _written(ast.parse(old)) if breaks else None
    spoiled = _written(tree)
    for name in dice.sample(sorted(CLEAN_UPS), len(CLEAN_UPS)):
        if len(kinds) >= n_clean_ups + breaks:
            break
        if CLEAN_UPS[name](tree, dice):
            kinds.append(name)
            ast.fix_missing_locations(tree)
    new = _written(tree)
    if new is None or spoiled is None or (breaks and before == spoiled):
        return None
    first_line = old.partition("\n")[0]
    if first_line.startswith("#!"):
        new = f"{first_line}\n{new}"
    return Pair(old, new, tuple(kinds), (line, 0))


def _written(tree: ast.Module) -> str | None:
    text = ast.unparse(ast.fix_missing_locations(tree)) + "\n"
    try:
        compile(text, "<pair>", "exec", dont_inherit=True)
    except (SyntaxError, ValueError, RecursionError):
        return None
    return text
