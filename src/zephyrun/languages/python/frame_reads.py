"""What code that looks at the variables of running functions may read there: one name that it asks for, names
that begin in one way, or any; in any function that is running, or only in the one that calls it."""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Iterator
from enum import Enum, auto
from functools import cached_property

from zephyrun.facts import FrameRead
from zephyrun.languages.python.code_names import ParameterCounts
from zephyrun.languages.python.nodes import last_name

ANYTHING = FrameRead(None, "")
NOTHING = FrameRead((), "")
_VARIABLES = "f_locals"
_GLOBALS = "f_globals"
# The namespaces of modules, as frames and functions have them.
NAMESPACES = frozenset({_GLOBALS, "__globals__"})
# What gives frames when it is called, and attributes that are frames, or lead to some.
_GIVES_FRAMES = frozenset("_getframe currentframe getinnerframes getouterframes stack trace".split())
_GIVES_SEVERAL = frozenset("stack trace getinnerframes getouterframes".split())
_IS_FRAME = frozenset("tb_frame gi_frame cr_frame ag_frame".split())
_LEADS_ON = frozenset({*_IS_FRAME, "f_back", "frame", "tb_next"})
# What else is read off frames, and holds no variable's name.
_IS_NO_FRAME = frozenset(
    "f_code f_builtins f_lasti f_lineno filename lineno function code_context index positions tb_lineno "
    "tb_lasti".split()
)
# The names of a code object, what only makes another one of them, and what collects them.
_NAMES_OF_CODE = frozenset({"co_varnames", "co_cellvars", "co_freevars"})
_MAKES_CODE = "CodeType"
_COLLECTING = frozenset({"set", "frozenset", "list", "tuple", "sorted"})
_GIVES_NO_FRAME = "getframeinfo"
_TELLING = NAMESPACES | _IS_FRAME | _GIVES_FRAMES | _NAMES_OF_CODE | {_VARIABLES}
_TAKES_ONE = "next"
_PASSES_FRAMES_ON = frozenset("list tuple iter next reversed getinnerframes getouterframes".split())
_ASKING_METHODS = frozenset({"get", "pop", "setdefault", "__getitem__", "__contains__"})
_Function = ast.FunctionDef | ast.AsyncFunctionDef
_FrameOfItsOwn = (
    ast.Module | ast.AsyncFunctionDef | ast.Lambda | ast.ClassDef
    | ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp
)


def read_off_frames(tree: ast.Module) -> dict[int, FrameRead]:
    """What is read off frames at each node that names something by which this can be done, by the node's
    identity: an attribute, or what an import statement brings. A node that is not there may read anything."""
    return _Reading(tree).found


class _Kind(Enum):
    """Several frames, each with what is known of it; one of these, which begins with the frame; or a frame itself."""

    SEVERAL = auto()
    WITH_MORE = auto()
    FRAME = auto()


class _Reading:
    def __init__(self, tree: ast.Module) -> None:
        self._tree = tree
        self._parents = _parents_in(tree)
        self._counts = ParameterCounts(self._parents)
        self._asked: set[tuple[str, ast.AST]] = set()
        self.found: dict[int, FrameRead] = {}
        for node in self._parents:
            if isinstance(node, ast.Attribute):
                if node.attr in _TELLING:
                    self._note_attribute(node)
            elif isinstance(node, ast.alias) and node.name in _GIVES_FRAMES:
                self._note_import(node)

    @cached_property
    def _bound(self) -> Counter[str]:
        """How often each name is given a meaning of its own."""
        return Counter(name for node in self._parents for name in _bound_by(node))

    @cached_property
    def _functions(self) -> dict[str, ast.FunctionDef]:
        """The functions at the top that are what they are called wherever they are called."""
        return {
            each.name: each
            for each in self._tree.body
            if isinstance(each, ast.FunctionDef) and self._bound[each.name] == 1 and not each.decorator_list
        }

    def _note_attribute(self, node: ast.Attribute) -> None:
        if node.attr == _VARIABLES or node.attr in NAMESPACES:
            self._asked.clear()
            names = self._names_asked_of(node)
            self.found[id(node)] = FrameRead(
                None if names is None else tuple(sorted(names)), self._whose_caller(node.value)
            )
        elif node.attr in _IS_FRAME or node.attr in _GIVES_FRAMES:
            self._asked.clear()
            frame = node if node.attr in _IS_FRAME else self._call_of(node)
            self.found[id(node)] = NOTHING if frame is not None and self._stays(frame, _kind_given_by(node.attr)) else ANYTHING
        elif node.attr in _NAMES_OF_CODE:
            self._asked.clear()
            names = self._names_asked_of_code(node, node.value)
            if names is not None:
                self.found[id(node)] = FrameRead(tuple(sorted(names)), "")

    def _note_import(self, alias: ast.alias) -> None:
        """Of an imported function that gives frames it is known what becomes of them, where it is only called."""
        self._asked.clear()
        name = alias.asname or alias.name
        calls = [
            self._call_of(node)
            for node in self._parents
            if isinstance(node, ast.Name) and node.id == name
        ]
        # Where nobody calls it, it is there for others.
        kind = _kind_given_by(alias.name)
        stays = bool(calls) and all(call is not None and self._stays(call, kind) for call in calls)
        self.found[id(alias)] = NOTHING if stays else ANYTHING

    def _call_of(self, callee: ast.AST) -> ast.Call | None:
        parent = self._parents.get(callee)
        return parent if isinstance(parent, ast.Call) and parent.func is callee else None

    # -- what becomes of frames --------------------------------------------------------------

    def _stays(self, frame: ast.AST, kind: _Kind) -> bool:
        """Whether a frame, or several, is only asked for what is no variable, or for its variables where it is
        seen which; so that it goes nowhere from where somebody else could ask it."""
        parent = self._parents[frame]
        if isinstance(parent, ast.Attribute):
            if parent.attr in _LEADS_ON:
                return self._stays(parent, _Kind.FRAME)
            if parent.attr == _GLOBALS and self._function_around(parent) is None:
                return False
            return parent.attr in _IS_NO_FRAME or parent.attr in (_VARIABLES, _GLOBALS)
        if isinstance(parent, ast.Compare | ast.Expr | ast.Delete | ast.If | ast.While | ast.UnaryOp | ast.Assert):
            return True
        if isinstance(parent, ast.Subscript):
            return parent.value is frame and self._stays_in_part(parent, kind)
        if isinstance(parent, ast.BoolOp):
            return self._stays(parent, kind)
        if isinstance(parent, ast.IfExp):
            return parent.test is frame or self._stays(parent, kind)
        if isinstance(parent, ast.Call):
            name = last_name(parent.func)
            if name == _GIVES_NO_FRAME:
                return True
            if name in _GIVES_SEVERAL:
                kind = _Kind.SEVERAL
            elif name == _TAKES_ONE:
                kind = _Kind.FRAME
            return self._is_handed_back(parent, frame) and self._stays(parent, kind)
        names = self._named_by(parent, frame)
        is_each = kind is _Kind.SEVERAL and isinstance(parent, ast.For | ast.comprehension)
        return names is not None and all(self._stays(each, _Kind.WITH_MORE if is_each else kind) for each in names)

    def _stays_in_part(self, part: ast.Subscript, kind: _Kind) -> bool:
        """As `_stays` of what brackets give."""
        if kind is _Kind.SEVERAL and not isinstance(part.slice, ast.Slice):
            return self._stays(part, _Kind.WITH_MORE)
        if kind is _Kind.WITH_MORE and isinstance(part.slice, ast.Constant) and type(part.slice.value) is int:
            # Behind the frame stand the name of its file, the line, the function, …
            return part.slice.value > 0 or self._stays(part, _Kind.FRAME)
        return self._stays(part, kind if kind is _Kind.SEVERAL else _Kind.FRAME)

    def _is_handed_back(self, call: ast.Call, argument: ast.AST) -> bool:
        """Whether a call gives what it was given (a cast, another list of the same), or frames around it."""
        name = last_name(call.func)
        return (name == "cast" and call.args[1:] == [argument]) or (
            name in _PASSES_FRAMES_ON and call.args == [argument]
        )

    def _named_by(self, parent: ast.AST, value: ast.AST) -> list[ast.Name] | None:
        """Where the local that is given a value is read; `None` where it is given to anything else."""
        if isinstance(parent, ast.Assign) and parent.value is value and len(parent.targets) == 1:
            target: ast.AST = parent.targets[0]
        elif isinstance(parent, ast.AnnAssign | ast.NamedExpr) and parent.value is value:
            target = parent.target
        elif isinstance(parent, ast.For | ast.comprehension) and parent.iter is value:
            target = parent.target
        else:
            return None
        function = self._function_around(parent)
        if function is None or not isinstance(target, ast.Name):
            return None
        return self._reads_of(target.id, function)

    def _reads_of(self, name: str, function: _Function | ast.Lambda) -> list[ast.Name] | None:
        """Where a local is read that is not asked for already; `None` where others may read it."""
        if any(isinstance(node, ast.Global | ast.Nonlocal) and name in node.names for node in ast.walk(function)):
            return None
        asked = (name, function)
        if asked in self._asked:
            return []
        self._asked.add(asked)
        return [
            node
            for node in ast.walk(function)
            if isinstance(node, ast.Name) and node.id == name and isinstance(node.ctx, ast.Load)
        ]

    def _function_around(self, node: ast.AST) -> _Function | ast.Lambda | None:
        """The innermost function around a node; `None` at the top of a module or class."""
        while not isinstance(node, ast.Module | ast.ClassDef):
            node = self._parents[node]
            if isinstance(node, _Function | ast.Lambda):
                return node
        return None

    # -- which variables ---------------------------------------------------------------------

    def _names_asked_of(self, mapping: ast.AST) -> frozenset[str] | None:
        """The keys that are asked of a mapping, those of which only the beginning is fixed with a star behind
        it; `None` for any."""
        parent = self._parents[mapping]
        if isinstance(parent, ast.Subscript) and parent.value is mapping:
            return _literal(parent.slice)
        if isinstance(parent, ast.Compare) and len(parent.ops) == 1:
            if isinstance(parent.ops[0], ast.Is | ast.IsNot):
                return frozenset()
            is_asked = isinstance(parent.ops[0], ast.In | ast.NotIn) and parent.comparators[0] is mapping
            return _literal(parent.left) if is_asked else None
        if isinstance(parent, ast.Attribute):
            return self._names_by_method(parent)
        if isinstance(parent, ast.If | ast.While | ast.UnaryOp | ast.Assert | ast.Delete):
            return frozenset()
        if isinstance(parent, ast.Expr):
            # At the top, a notebook or a prompt shows it.
            return frozenset() if self._function_around(parent) is not None else None
        if isinstance(parent, ast.IfExp | ast.BoolOp):
            is_asked = isinstance(parent, ast.IfExp) and parent.test is mapping
            return frozenset() if is_asked else self._names_asked_of(parent)
        if isinstance(parent, ast.Call):
            return self._names_asked_in(parent, mapping)
        if isinstance(parent, ast.For | ast.comprehension) and parent.iter is mapping:
            return self._kept_by_loop(parent, parent.target)
        names = self._named_by(parent, mapping)
        return self._names_asked_of_each(names)

    def _names_asked_of_each(self, mappings: list[ast.Name] | None) -> frozenset[str] | None:
        if mappings is None:
            return None
        found: frozenset[str] = frozenset()
        for each in mappings:
            names = self._names_asked_of(each)
            if names is None:
                return None
            found |= names
        return found

    def _names_by_method(self, method: ast.Attribute) -> frozenset[str] | None:
        call = self._call_of(method)
        if call is None:
            return None
        if method.attr in _ASKING_METHODS:
            return _literal(call.args[0]) if call.args else None
        if method.attr == "copy":
            return self._names_asked_of(call)
        loop = self._parents[call]
        if not isinstance(loop, ast.For | ast.comprehension) or loop.iter is not call:
            return None
        target = loop.target
        if method.attr == "items" and isinstance(target, ast.Tuple) and len(target.elts) == len(("key", "value")):
            return self._kept_by_loop(loop, target.elts[0])
        return self._kept_by_loop(loop, target) if method.attr == "keys" else None

    def _kept_by_loop(self, loop: ast.For | ast.comprehension, key: ast.AST) -> frozenset[str] | None:
        """The names that a loop over keys does not pass over before it does anything with them."""
        if not isinstance(key, ast.Name):
            return None
        if isinstance(loop, ast.comprehension):
            return _names_wanted(loop.ifs[0], key.id) if loop.ifs else None
        # After the loop the key is the last one, whatever it is.
        around = self._function_around(loop)
        stays = around is not None and all(
            self._is_in_loop_over(node, key.id)
            for node in ast.walk(around)
            if isinstance(node, ast.Name) and node.id == key.id and isinstance(node.ctx, ast.Load)
        )
        return _names_kept(loop, key.id) if stays else None

    def _is_in_loop_over(self, node: ast.AST, name: str) -> bool:
        """Whether a node stands in a loop that gives a name another value each time."""
        while not isinstance(node, ast.Module | ast.ClassDef | ast.Lambda | _Function):
            inner, node = node, self._parents[node]
            if isinstance(node, ast.For) and inner in node.body and name in _names_in(node.target):
                return True
            if any(name in _names_in(each.target) for each in getattr(node, "generators", ())):
                return True
        return False

    def _names_asked_in(self, call: ast.Call, mapping: ast.AST) -> frozenset[str] | None:
        """The keys that a function of this file asks of what it is given."""
        function = self._functions.get(last_name(call.func))
        is_plain = isinstance(call.func, ast.Name) and not any(isinstance(each, ast.Starred) for each in call.args)
        if function is None or not is_plain or mapping not in call.args:
            return None
        position = call.args.index(mapping)
        parameters = [*function.args.posonlyargs, *function.args.args]
        if position >= len(parameters):
            return None
        return self._names_asked_of_each(self._reads_of(parameters[position].arg, function))

    # -- the names of code -------------------------------------------------------------------

    def _names_asked_of_code(self, names: ast.AST, code: ast.expr) -> frozenset[str] | None:
        """The names of no parameters that the names of a code object are asked for; `None` for any."""
        parent = self._parents[names]
        if isinstance(parent, ast.Compare) and len(parent.ops) == 1 and isinstance(parent.ops[0], ast.In | ast.NotIn):
            return _literal(parent.left) if parent.comparators[0] is names else None
        if isinstance(parent, ast.Call) and names in parent.args:
            called = last_name(parent.func)
            if called in _COLLECTING and isinstance(parent.func, ast.Name) and not self._bound[called] and len(parent.args) == 1:
                return self._names_asked_of_code(parent, code)
            return frozenset() if called == _MAKES_CODE else None
        if isinstance(parent, ast.Subscript) and parent.value is names:
            return frozenset() if self._counts.takes_parameters(parent, code) else None
        variables = self._named_by(parent, names) if isinstance(parent, ast.Assign) else None
        asked = [self._names_asked_of_code(each, code) for each in variables or ()]
        return frozenset().union(*filter(None, asked)) if asked and None not in asked else None

    # -- whose variables ---------------------------------------------------------------------

    def _whose_caller(self, frame: ast.AST) -> str:
        """The name of the function whose callers' variables alone can be read off a frame; "" where it may be
        another one's."""
        function = self._own_function(frame)
        if function is None or function.decorator_list or function.name.startswith("__"):
            return ""
        if any(isinstance(node, ast.Yield | ast.YieldFrom) for node in ast.walk(function)):
            return ""
        return function.name if self._is_callers(frame, function, frozenset()) else ""

    def _own_function(self, node: ast.AST) -> ast.FunctionDef | None:
        """The function that runs a node in its own frame."""
        while not isinstance(node, _FrameOfItsOwn):
            if isinstance(node, ast.FunctionDef):
                return node
            inner, node = node, self._parents[node]
            if isinstance(node, ast.comprehension) and node.iter is inner:
                inner, node = node, self._parents[node]
                # What is gone through first is worked out before the frame of the rest is made.
                is_first = getattr(node, "generators", [None])[0] is inner
                node = self._parents[node] if is_first else node
        return None

    def _is_callers(self, frame: ast.AST, function: ast.FunctionDef, asked: frozenset[str]) -> bool:
        """Whether a frame is that of a function's caller. A local that is asked for already is whatever it is
        given beside itself."""
        if isinstance(frame, ast.Attribute):
            return frame.attr == "f_back" and self._is_own(frame.value, function, asked)
        if isinstance(frame, ast.Call):
            if last_name(frame.func) == "cast" and len(frame.args) == len(("sort", "value")):
                return self._is_callers(frame.args[1], function, asked)
            return self._looks_back(frame, function, steps=1)
        if isinstance(frame, ast.IfExp):
            return all(
                _is_none(each) or self._is_callers(each, function, asked) for each in (frame.body, frame.orelse)
            )
        if not isinstance(frame, ast.Name) or frame.id in asked:
            return isinstance(frame, ast.Name)
        values = self._values_of(frame, function)
        return bool(values) and all(self._is_callers(each, function, asked | {frame.id}) for each in values)

    def _is_own(self, frame: ast.AST, function: ast.FunctionDef, asked: frozenset[str]) -> bool:
        if isinstance(frame, ast.Call):
            return self._looks_back(frame, function, steps=0)
        if not isinstance(frame, ast.Name) or frame.id in asked:
            return False
        values = self._values_of(frame, function)
        return bool(values) and all(self._is_own(each, function, asked | {frame.id}) for each in values)

    def _looks_back(self, call: ast.Call, function: ast.FunctionDef, *, steps: int) -> bool:
        """Whether a call that a function makes gives the frame so many steps up the stack."""
        name = last_name(call.func)
        given = [each.value if isinstance(each, ast.Constant) else None for each in call.args] or [0]
        return (
            (name == "_getframe" or (name == "currentframe" and not call.args))
            and given == [steps]
            and self._own_function(call) is function
        )

    def _values_of(self, name: ast.Name, function: ast.FunctionDef) -> list[ast.expr]:
        """All that a local is given, where this is plain; else nothing."""
        values: list[ast.expr] = []
        for node in ast.walk(function):
            if isinstance(node, ast.arg) and node.arg == name.id:
                return []
            if isinstance(node, ast.Name) and node.id == name.id and not isinstance(node.ctx, ast.Load):
                value = _plainly_given(self._parents[node], node)
                if value is not None:
                    values.append(value)
                elif not isinstance(node.ctx, ast.Del):
                    return []
        return values


def _kind_given_by(name: str) -> _Kind:
    return _Kind.SEVERAL if name in _GIVES_SEVERAL else _Kind.FRAME


def _parents_in(tree: ast.Module) -> dict[ast.AST, ast.AST]:
    """The node around each node. Written out, since it is asked of whole files."""
    parents: dict[ast.AST, ast.AST] = {}
    rest: list[ast.AST] = [tree]
    while rest:
        node = rest.pop()
        for value in node.__dict__.values():
            if type(value) is list:
                children = [each for each in value if isinstance(each, ast.AST)]
                parents.update(dict.fromkeys(children, node))
                rest += children
            elif isinstance(value, ast.AST):
                parents[value] = node
                # What only says how something is used, or which operator it is, holds nothing.
                if value._fields:
                    rest.append(value)
    return parents


def _bound_by(node: ast.AST) -> Iterator[str]:
    """The names that a node may give a meaning of its own, in whatever scope."""
    if isinstance(node, _Function | ast.ClassDef):
        yield node.name
    elif isinstance(node, ast.arg):
        yield node.arg
    elif isinstance(node, ast.alias):
        yield (node.asname or node.name).partition(".")[0]
    elif isinstance(node, ast.Name) and not isinstance(node.ctx, ast.Load):
        yield node.id
    elif isinstance(node, ast.ExceptHandler | ast.MatchAs | ast.MatchStar) and node.name:
        yield node.name


def _plainly_given(parent: ast.AST, target: ast.Name) -> ast.expr | None:
    if isinstance(parent, ast.AnnAssign | ast.NamedExpr):
        return parent.value
    return parent.value if isinstance(parent, ast.Assign) and parent.targets == [target] else None


def _is_none(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and node.value is None


def _literal(node: ast.AST) -> frozenset[str] | None:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return frozenset({node.value})
    return None


def _names_in(target: ast.AST) -> set[str]:
    return {node.id for node in ast.walk(target) if isinstance(node, ast.Name)}


def _names_kept(loop: ast.For, key: str) -> frozenset[str] | None:
    """What keys must be, or begin with, for the body of a loop to do anything with them."""
    first = loop.body[0]
    if not isinstance(first, ast.If):
        return None
    if len(loop.body) == 1 and not first.orelse:
        return _names_wanted(first.test, key)
    passes_over = isinstance(first.body[-1], ast.Continue) and len(first.body) == 1
    return _names_not_passed_over(first.test, key) if passes_over else None


def _names_wanted(test: ast.AST, key: str) -> frozenset[str] | None:
    """What a key must be, or begin with, for a test to hold; `None` where this does not show."""
    if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.And):
        return _names_wanted(test.values[0], key)
    if isinstance(test, ast.Compare):
        return _name_compared(test, key, ast.Eq)
    if not (isinstance(test, ast.Call) and isinstance(test.func, ast.Attribute) and test.func.attr == "startswith"):
        return None
    beginning = _literal(test.args[0]) if last_name(test.func.value) == key and len(test.args) == 1 else None
    return None if beginning is None else frozenset(f"{each}*" for each in beginning)


def _names_not_passed_over(test: ast.AST, key: str) -> frozenset[str] | None:
    """What a key must be, or begin with, for a test not to hold."""
    if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.Or):
        return _names_not_passed_over(test.values[0], key)
    if isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
        return _names_wanted(test.operand, key)
    return _name_compared(test, key, ast.NotEq) if isinstance(test, ast.Compare) else None


def _name_compared(test: ast.Compare, key: str, how: type[ast.cmpop]) -> frozenset[str] | None:
    is_so = len(test.ops) == 1 and isinstance(test.ops[0], how) and isinstance(test.left, ast.Name)
    return _literal(test.comparators[0]) if is_so and last_name(test.left) == key else None
