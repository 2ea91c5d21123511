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
_LOOKING_UP = (
    "locals", "vars", "eval", "exec", "globals", "dir", "_getframe", "currentframe", "co_varnames", "co_cellvars", "co_freevars",
    "getinnerframes", "getargvalues",
)
# What a module takes from another one that was not read may hide what it defines itself.
_HIDING = "import *"
_WITH_SCOPES = (
    *_DEFINITIONS, ast.ClassDef, ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp,
)
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
    functions = [each for each in _functions(tree) if not any(isinstance(node, ast.Nonlocal) for node in ast.walk(each))]
    if _looks_up(tree):
        return False
    dice.shuffle(functions)
    for function in functions:
        table = symtable.symtable(ast.unparse(function), "<function>", "exec").get_children()[0]
        names = [
            each.get_name() for each in table.get_symbols()
            if each.is_local() and not each.is_parameter() and not each.is_namespace() and not each.is_imported()
        ]
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
    names = {
        each.name for each in tree.body
        if isinstance(each, _DEFINITIONS) and each.name.startswith("_") and not each.name.startswith("__") and not each.decorator_list
    }
    names = {
        name for name in names
        if text.count(name) == sum(getattr(each, "id", "") == name or getattr(each, "name", "") == name for each in ast.walk(tree))
    }
    fresh = [f"_{each}" for each in _FRESH if each not in text]
    if not names or not fresh or _looks_up(tree) or _HIDING in text:
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
    tree.body.insert(_first_place(tree.body), ast.Assign([ast.Name(name, ast.Store())], ast.Constant(number.value)))
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
        if not all(map(is_plain, ast.walk(function))) or _looks_up(tree):
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
    ]
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
    ]
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
    ]
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
    ]
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


def _without_inner(function: ast.FunctionDef) -> Iterator[ast.AST]:
    """What stands in a function, but not in functions, classes and comprehensions inside."""
    nodes: list[ast.AST] = [*function.body]
    while nodes:
        node = nodes.pop()
        yield node
        if not isinstance(node, _WITH_SCOPES):
            nodes += ast.iter_child_nodes(node)


def _top_functions(tree: ast.Module) -> list[ast.FunctionDef]:
    return [each for each in tree.body if isinstance(each, ast.FunctionDef)]


def _asks_for_frames(tree: ast.Module) -> bool:
    text = ast.unparse(tree)
    words = (_HIDING, "stack", "frame", "f_back", "trace", "warn", "__dict__", "sys.modules", "Recursion", "recursion")
    return _looks_up(tree) or any(word in text for word in words)


def move_out(tree: ast.Module, dice: random.Random) -> bool:
    """A function of its own for a condition, or for what is given back, of parameters alone."""
    found = []
    for function in _top_functions(tree):
        every = list(ast.walk(function))
        if any(isinstance(each, (*_WITH_SCOPES, ast.Await, ast.Yield, ast.YieldFrom, ast.NamedExpr)) for each in every[1:]):
            continue
        arguments = function.args
        parameters = {each.arg for each in [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs]}
        set_names = {each.id for each in every if isinstance(each, ast.Name) and not isinstance(each.ctx, ast.Load)}
        set_names |= {each.name for each in every if isinstance(each, ast.ExceptHandler) and each.name}
        for node in every:
            field = {ast.If: "test", ast.Return: "value"}.get(type(node))
            value = getattr(node, field) if field else None
            if not isinstance(value, ast.Compare | ast.BoolOp | ast.BinOp | ast.Call):
                continue
            names = {each.id for each in ast.walk(value) if isinstance(each, ast.Name)}
            has_inner = any(isinstance(each, ast.JoinedStr | ast.Starred) for each in ast.walk(value))
            if not names & set_names and not has_inner and "super" not in names:
                found.append((function, node, field, sorted(names & parameters)))
    fresh = [f"_is_{each}" for each in _FRESH if each not in ast.unparse(tree)]
    if not found or not fresh or _asks_for_frames(tree):
        return False
    function, node, field, names = dice.choice(found)
    body = ast.Return(getattr(node, field))
    call = ast.Call(ast.Name(fresh[0], ast.Load()), [ast.Name(each, ast.Load()) for each in names], [])
    setattr(node, field, call)
    arguments = ast.arguments([], [ast.arg(each) for each in names], None, [], [], None, [])
    helper = ast.FunctionDef(fresh[0], arguments, [body], [], type_params=[])
    tree.body.insert(tree.body.index(function), helper)
    return True


def name_a_text(tree: ast.Module, dice: random.Random) -> bool:
    """A constant at the top for a text that is compared with, or a key."""
    holders = [
        (node, field)
        for function in _functions(tree)
        for node in ast.walk(function)
        for field in ("slice", "comparators")
        for value in [getattr(node, field, None)]
        for each in [value[0] if isinstance(value, list) and value else value]
        if isinstance(each, ast.Constant) and isinstance(each.value, str)
        and not (isinstance(node, ast.Compare) and isinstance(node.ops[0], ast.Is | ast.IsNot))
    ]
    text = ast.unparse(tree)
    if not holders or _looks_up(tree) or any(each in text for each in ("WORD_USED", "__dict__", "import *", "Literal")):
        return False
    node, field = dice.choice(holders)
    read = ast.Name("WORD_USED", ast.Load())
    value = getattr(node, field)
    constant = value[0] if isinstance(value, list) else value
    setattr(node, field, [read, *value[1:]] if isinstance(value, list) else read)
    tree.body.insert(_first_place(tree.body), ast.Assign([ast.Name("WORD_USED", ast.Store())], ast.Constant(constant.value)))
    return True


def _first_place(body: list[ast.stmt]) -> int:
    """Where the first statement stands that is neither documentation nor about the future."""
    for index, statement in enumerate(body):
        is_text = isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)
        is_future = isinstance(statement, ast.ImportFrom) and statement.module == "__future__"
        if not is_text and not is_future:
            return index
    return len(body)


def fold_a_constant(tree: ast.Module, dice: random.Random) -> bool:
    """A number instead of a constant of the module that only functions read, and no text names."""
    text = ast.unparse(tree)
    inside = {id(node) for function in _functions(tree) for statement in function.body for node in ast.walk(statement)}
    found = []
    for statement in tree.body:
        if not isinstance(statement, ast.Assign) or not isinstance(statement.value, ast.Constant) or len(statement.targets) > 1:
            continue
        target = statement.targets[0]
        if not isinstance(target, ast.Name) or type(statement.value.value) not in (int, float) or target.id.startswith("__"):
            continue
        uses = [each for each in ast.walk(tree) if isinstance(each, ast.Name) and each.id == target.id and each is not target]
        are_reads = all(isinstance(each.ctx, ast.Load) and id(each) in inside for each in uses)
        if uses and are_reads and text.count(target.id) == len(uses) + 1:
            found.append((statement, uses))
    if not found or _looks_up(tree) or any(each in text for each in ("__dict__", "import *", "__all__", "sys.modules")):
        return False
    statement, uses = dice.choice(found)
    tree.body.remove(statement)
    value = statement.value
    assert isinstance(value, ast.Constant), "only constants were found"
    gone = {id(each) for each in uses}

    class Fold(ast.NodeTransformer):
        def visit_Name(self, node: ast.Name) -> ast.expr:
            return ast.Constant(value.value) if id(node) in gone else node

    Fold().visit(tree)
    return True


def name_a_local_number(tree: ast.Module, dice: random.Random) -> bool:
    """A local at the top of a function for a number in it."""
    found = [
        (function, node, each)
        for function in _functions(tree)
        if not _looks_up(function)
        for node in _without_inner(function)
        if isinstance(node, ast.BinOp | ast.Compare)
        for each in [node.right if isinstance(node, ast.BinOp) else node.comparators[0]]
        if isinstance(each, ast.Constant) and type(each.value) in (int, float)
    ]
    fresh = [each for each in _FRESH if each not in ast.unparse(tree)]
    if not found or not fresh or _looks_up(tree):
        return False
    function, node, number = dice.choice(found)
    read = ast.Name(fresh[0], ast.Load())
    if isinstance(node, ast.BinOp):
        node.right = read
    else:
        node.comparators[0] = read
    function.body.insert(_first_place(function.body), ast.Assign([ast.Name(fresh[0], ast.Store())], ast.Constant(number.value)))
    return True


def add_unused(tree: ast.Module, dice: random.Random) -> bool:
    """A variable that nothing reads."""
    functions = [each for each in _functions(tree) if not _looks_up(each)]
    fresh = [each for each in _FRESH if each not in ast.unparse(tree)]
    if not functions or not fresh or _looks_up(tree):
        return False
    function = dice.choice(functions)
    value = dice.choice([ast.Constant(None), ast.Constant(0), ast.List([], ast.Load())])
    function.body.insert(_first_place(function.body), ast.Assign([ast.Name(fresh[0], ast.Store())], value))
    return True


def use_keywords(tree: ast.Module, dice: random.Random) -> bool:
    """A keyword for the last argument of a function that the module defines once."""
    text = ast.unparse(tree)
    names: dict[str, list[ast.FunctionDef]] = {}
    for function in _top_functions(tree):
        names.setdefault(function.name, []).append(function)
    stored = {each.id for each in ast.walk(tree) if isinstance(each, ast.Name) and not isinstance(each.ctx, ast.Load)}
    found = []
    for call in ast.walk(tree):
        if not isinstance(call, ast.Call) or not isinstance(call.func, ast.Name) or call.keywords or not call.args:
            continue
        functions = names.get(call.func.id, [])
        if len(functions) != 1 or functions[0].decorator_list or call.func.id in stored or any(isinstance(each, ast.Starred) for each in call.args):
            continue
        arguments = functions[0].args
        is_inner = any(isinstance(each, (*_DEFINITIONS, ast.ClassDef)) and each.name == call.func.id and each is not functions[0] for each in ast.walk(tree))
        if len(call.args) <= len(arguments.args) and not arguments.posonlyargs and not is_inner:
            found.append((call, arguments.args[len(call.args) - 1].arg))
    if not found or _looks_up(tree) or "__dict__" in text or _HIDING in text:
        return False
    call, name = dice.choice(found)
    call.keywords.append(ast.keyword(name, call.args.pop()))
    return True


def annotate_parameter(tree: ast.Module, dice: random.Random) -> bool:
    """An annotation for a parameter of a private function."""
    functions = [each for each in _functions(tree) if each.name.startswith("_") and not each.name.startswith("__") and not each.decorator_list]
    found = [each for function in functions for each in function.args.args if each.annotation is None and each.arg != "self"]
    text = ast.unparse(tree)
    words = ("annotations__", "signature", "type_hints", "getmembers", "help(", "pydoc", "inspect", "__dict__", "vars(", "object =", "def object")
    if not found or any(word in text for word in words):
        return False
    dice.choice(found).annotation = ast.Name(dice.choice(["object", "int"]), ast.Load())
    return True


def move_method(tree: ast.Module, dice: random.Random) -> bool:
    """Two methods beside each other that change places, in a class without a base."""
    def is_plain(node: ast.stmt) -> bool:
        if not isinstance(node, ast.FunctionDef) or node.decorator_list or node.name.startswith("test"):
            return False
        parts = [*node.args.defaults, *filter(None, node.args.kw_defaults)]
        every = [*node.args.args, *node.args.posonlyargs, *node.args.kwonlyargs]
        return all(isinstance(each, ast.Constant) for each in parts) and not any(each.annotation for each in every) and not node.returns

    found = [
        (owner, index)
        for owner in tree.body
        if isinstance(owner, ast.ClassDef) and not owner.bases and not owner.keywords and not owner.decorator_list
        and not owner.name.lower().startswith("test")
        for index in range(len(owner.body) - 1)
        if is_plain(owner.body[index]) and is_plain(owner.body[index + 1])
        and owner.body[index].name != owner.body[index + 1].name  # type: ignore[attr-defined]
    ]
    text = ast.unparse(tree)
    if not found or any(word in text for word in ("__dict__", "vars(", "getmembers", "dir(", "co_consts", "co_names")):
        return False
    owner, index = dice.choice(found)
    owner.body[index], owner.body[index + 1] = owner.body[index + 1], owner.body[index]
    return True


def deny_equality(tree: ast.Module, dice: random.Random) -> bool:
    """`not len(a) == 3` for `len(a) != 3`."""
    class Deny(ast.NodeTransformer):
        n_changed = 0

        def visit_Compare(self, node: ast.Compare) -> ast.expr:
            self.generic_visit(node)
            is_length = isinstance(node.left, ast.Call) and isinstance(node.left.func, ast.Name) and node.left.func.id == "len"
            is_number = isinstance(node.comparators[0], ast.Constant) and type(node.comparators[0].value) is int
            if len(node.ops) > 1 or not isinstance(node.ops[0], ast.NotEq) or not is_length or not is_number:
                return node
            self.n_changed += 1
            return ast.UnaryOp(ast.Not(), ast.Compare(node.left, [ast.Eq()], node.comparators))

    if "def len" in ast.unparse(tree):
        return False
    denying = Deny()
    denying.visit(tree)
    return denying.n_changed > 0


CLEAN_UPS: dict[str, Callable[[ast.Module, random.Random], bool]] = {
    each.__name__: each
    for each in (
        rename_local, rename_private_function, name_a_number, turn_branches, flatten_else, nest_rest, name_a_result,
        explain_condition, document, annotate_local, add_idle, move_function, split_imports, move_out, name_a_text,
        fold_a_constant, name_a_local_number, add_unused, use_keywords, annotate_parameter, move_method, deny_equality,
    )
}


# -- changes of behaviour --------------------------------------------------------------------------

_SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.FloorDiv, ast.Mod: ast.Mult, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.Eq, ast.IsNot: ast.NotEq, ast.And: ast.Or, ast.Or: ast.And,
}


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


def _swapped_keywords(node: Any, dice: random.Random) -> str | None:
    named = [each for each in node.keywords if each.arg]
    if len(named) < len(("one", "other")) or ast.dump(named[0].value) == ast.dump(named[1].value):
        return None
    named[0].arg, named[1].arg = named[1].arg, named[0].arg
    return "keywords swapped"


def _not_called(node: Any, dice: random.Random) -> str | None:
    if node.args or node.keywords or not isinstance(node.func, ast.Attribute):
        return None
    node.keywords = [ast.keyword("again", ast.Constant(True))]
    return "keyword added"


def _backwards(node: Any, dice: random.Random) -> str | None:
    if isinstance(node.iter, ast.Call) and getattr(node.iter.func, "id", "") == "reversed":
        return None
    node.iter = ast.Call(ast.Name("reversed", ast.Load()), [node.iter], [])
    return "order of a loop"


def _first_round_only(node: Any, dice: random.Random) -> str | None:
    if isinstance(node.body[-1], _LEAVING):
        return None
    node.body.append(ast.Break())
    return "first round only"


def _asked_in_another_order(node: Any, dice: random.Random) -> str | None:
    if ast.dump(node.values[0]) == ast.dump(node.values[-1]):
        return None
    node.values.reverse()
    return "order of conditions"


def _denial_dropped(node: Any, dice: random.Random) -> str | None:
    if not isinstance(node.op, ast.Not):
        return None
    node.op = ast.USub()
    return "denial became a sign"


def _other_handlers(node: Any, dice: random.Random) -> str | None:
    if len(node.handlers) < len(("one", "other")) or node.handlers[-1].type is None:
        return None
    node.handlers.reverse()
    return "order of handlers"


def _shown_otherwise(node: Any, dice: random.Random) -> str | None:
    node.conversion = ord("r") if node.conversion == -1 else -1
    return "conversion in a text"


def _chain_asked_twice(node: Any, dice: random.Random) -> str | None:
    if len(node.ops) != len(("below", "above")) or not isinstance(node.comparators[0], ast.Call):
        return None
    node.comparators[0].args.append(ast.Constant(None))
    return "argument added"


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
    ((ast.Call,), _swapped_keywords),
    ((ast.Call,), _not_called),
    ((ast.For,), _backwards),
    ((ast.For, ast.While), _first_round_only),
    ((ast.BoolOp,), _asked_in_another_order),
    ((ast.UnaryOp,), _denial_dropped),
    ((ast.Try,), _other_handlers),
    ((ast.FormattedValue,), _shown_otherwise),
    ((ast.Compare,), _chain_asked_twice),
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
    ]
    read = {each.id for each in ast.walk(tree) if isinstance(each, ast.Name) and isinstance(each.ctx, ast.Load)}
    # What nothing reads may be anything.
    unread = {
        id(part)
        for each in ast.walk(tree)
        if isinstance(each, ast.Assign) and all(isinstance(target, ast.Name) and target.id not in read for target in each.targets)
        for part in ast.walk(each)
    }
    nodes = [each for each in nodes if id(each) not in unread]
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
