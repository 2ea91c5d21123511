"""What the signature of a function is asked for where somebody reads one (`inspect.signature(weigh)`): how many parameters
there are and of which sorts, or whether one has a certain name; by way of variables and of what functions give, too."""

from __future__ import annotations

import ast
from enum import Enum, auto

from zephyrun.facts import Role, ScopeKind
from zephyrun.link_facts import FunctionRecord, Handed
from zephyrun.linking.calls_in_sight import may_be_looked_up
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.local_variables import local_variable
from zephyrun.linking.names_passed_over import call_handing
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, function_around, syntax_tree
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

Names = frozenset[str]


class _Kind(Enum):
    """What somebody has of a function."""

    SIGNATURE = auto()
    # A mapping of names to parameters, and one to other things.
    PARAMETERS = auto()
    MAPPING = auto()
    NAMES = auto()
    NAME = auto()
    PAIRS = auto()
    SEVERAL = auto()
    PARAMETER = auto()
    BOUND = auto()
    # What `getfullargspec` gives, which may also be taken by position.
    SPECIFICATION = auto()
    CODE = auto()
    # What holds no name.
    OTHER = auto()


# What attributes lead to. Source: library reference, `inspect`, and the data model for code objects.
_ATTRIBUTES: dict[_Kind, dict[str, _Kind]] = {
    _Kind.SIGNATURE: {"parameters": _Kind.PARAMETERS, "return_annotation": _Kind.OTHER, "empty": _Kind.OTHER},
    _Kind.PARAMETER: {
        "name": _Kind.NAME,
        **dict.fromkeys(
            "kind default annotation empty POSITIONAL_ONLY POSITIONAL_OR_KEYWORD VAR_POSITIONAL KEYWORD_ONLY VAR_KEYWORD".split(),
            _Kind.OTHER,
        ),
    },
    _Kind.BOUND: {"args": _Kind.OTHER, "arguments": _Kind.MAPPING},
    _Kind.SPECIFICATION: {
        "args": _Kind.NAMES,
        "varargs": _Kind.NAME,
        "varkw": _Kind.NAME,
        "keywords": _Kind.NAME,
        "defaults": _Kind.OTHER,
        "kwonlyargs": _Kind.NAMES,
        "kwonlydefaults": _Kind.MAPPING,
        "annotations": _Kind.MAPPING,
    },
    _Kind.CODE: {
        "co_varnames": _Kind.NAMES,
        **dict.fromkeys(
            """co_argcount co_posonlyargcount co_kwonlyargcount co_nlocals co_flags co_stacksize co_filename co_firstlineno
            co_name co_qualname""".split(),
            _Kind.OTHER,
        ),
    },
}
_BY_PLACE = tuple(
    _ATTRIBUTES[_Kind.SPECIFICATION][name]
    for name in "args varargs varkw defaults kwonlyargs kwonlydefaults annotations".split()
)
# What methods give that are handed nothing.
_METHODS: dict[_Kind, dict[str, _Kind]] = {
    _Kind.PARAMETERS: {
        "values": _Kind.SEVERAL,
        "keys": _Kind.NAMES,
        "items": _Kind.PAIRS,
        "copy": _Kind.PARAMETERS,
    },
    _Kind.MAPPING: {"values": _Kind.OTHER, "keys": _Kind.NAMES, "copy": _Kind.MAPPING},
    _Kind.BOUND: {"apply_defaults": _Kind.OTHER},
}
# What an element is that a key or an index gives, and what a loop goes through.
_ELEMENTS = {
    _Kind.PARAMETERS: _Kind.PARAMETER,
    _Kind.MAPPING: _Kind.OTHER,
    _Kind.NAMES: _Kind.NAME,
    _Kind.SEVERAL: _Kind.PARAMETER,
}
_GONE_THROUGH = {**_ELEMENTS, _Kind.PARAMETERS: _Kind.NAME, _Kind.MAPPING: _Kind.NAME}
_BY_NAME = frozenset({_Kind.PARAMETERS, _Kind.MAPPING})
# Methods that are handed a name, of what is no mapping and of what is one.
_ASKING_BY_NAME = (frozenset({"index", "count", "remove"}), frozenset({"get", "pop"}))
_BINDING = frozenset({"bind", "bind_partial"})
_COUNTING = frozenset({"len", "bool"})
_LISTING = frozenset({"list", "tuple", "iter", "reversed"})
_OF_WORDS = frozenset({"itervalues"})
# What of the library reads the parameters of what it is handed, and what that gives. Source: library reference.
SIGNATURE_READERS = {
    "signature": _Kind.SIGNATURE,
    "getfullargspec": _Kind.SPECIFICATION,
    "getargspec": _Kind.SPECIFICATION,
    "get_type_hints": _Kind.MAPPING,
    "getcallargs": _Kind.MAPPING,
    "get_annotations": _Kind.MAPPING,
    "from_callable": _Kind.SIGNATURE,
}
_HELD = {"__code__": _Kind.CODE, **dict.fromkeys(("__annotations__", "__kwdefaults__", "keywords", "_kwargs"), _Kind.MAPPING)}
# What gives the names around, and so the functions.
_GIVES_NAMESPACE = lazy_pattern(r"\b(?:globals|locals|vars)\s*\(\s*\)|\b__dict__\b")
_SCOPES = frozenset({ScopeKind.FUNCTION, ScopeKind.COMPREHENSION})
_LONGEST_WAY = 4


class _Anything(Exception):
    """Any name may be asked for."""


@once_a_version
def names_read_by(evaluator: Evaluator, path: str, handed: Handed, word: str) -> Names | None:
    """The names that a reader of signatures looks for, which is handed a function and called `word` by the library; `None`
    for any."""
    call = call_handing(evaluator.file(path), handed)
    return _names_asked(evaluator, path, call, SIGNATURE_READERS[word]) if call is not None and word else None


@once_a_version
def names_read_off(evaluator: Evaluator, path: str, end: int) -> Names | None:
    """The same of an attribute of a function, or of a prepared call, that ends at an offset (`weigh.__code__`)."""
    attribute = syntax_tree(evaluator.file(path).data).attributes.get(end)
    kind = _HELD.get(attribute.attr) if attribute is not None else None
    return _names_asked(evaluator, path, attribute, kind) if attribute is not None and kind is not None else None


def _names_asked(evaluator: Evaluator, path: str, node: ast.AST, kind: _Kind) -> Names | None:
    asking = _Asking(evaluator)
    try:
        asking.follow(evaluator.file(path), node, kind)
    except _Anything:
        return None
    return frozenset(asking.names)


class _Asking:
    """Follows what somebody has of a function to what is asked of it. Raises `_Anything` where it cannot."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self.names: set[str] = set()
        # Variables by their bindings, and calls by where they end, that were followed.
        self._seen: set[tuple[str, int, _Kind]] = set()
        self._seen_calls: set[tuple[str, int, _Kind]] = set()
        self._n_functions = 0

    def follow(self, file: LinkedFile, node: ast.AST, kind: _Kind) -> None:
        """Note the names that are asked for where an expression stands."""
        if kind is _Kind.OTHER:
            return
        tree = syntax_tree(file.data)
        around = tree.around[node]
        match around:
            case ast.Attribute():
                self._in_attribute(file, tree, around, kind)
            case ast.Subscript(value=value) if value is node:
                self._in_brackets(file, around, kind)
            case ast.Call() if node in around.args:
                self._in_call(file, tree, around, kind)
            case ast.Compare(left=left, ops=[operator], comparators=[right]):
                self._compared(left if node is right else right, operator, kind, is_left=node is left)
            case ast.If() | ast.While() | ast.UnaryOp(op=ast.Not()):
                pass
            case ast.Assert(test=test) | ast.IfExp(test=test) if test is node:
                pass
            case ast.Expr() if file.facts.outermost_function(tree.start_of(node)) is not None:
                # Elsewhere, a prompt or a notebook would show it.
                pass
            case ast.IfExp() | ast.BoolOp():
                self.follow(file, around, kind)
            case ast.Assign(targets=[target], value=value) | ast.NamedExpr(target=target, value=value) if value is node:
                self._assigned(file, target, kind)
                if isinstance(around, ast.NamedExpr):
                    self.follow(file, around, kind)
            case ast.AnnAssign(target=ast.Name() as target, value=value) if value is node:
                self._assigned(file, target, kind)
            case ast.For(target=target, iter=gone_through) | ast.comprehension(target=target, iter=gone_through) if gone_through is node:
                self._gone_through(file, target, kind)
            case ast.ListComp(elt=element) | ast.GeneratorExp(elt=element) if element is node:
                self._collected(file, around, kind)
            case ast.Return():
                self._given_back(file, tree, around, kind)
            case _:
                raise _Anything

    def _ask(self, node: ast.AST) -> None:
        """Note the name that an expression is, or those in it."""
        match node:
            case ast.Constant(value=str(name)):
                self.names.add(name)
            case ast.Constant():
                pass
            case ast.Tuple(elts=elements) | ast.List(elts=elements) | ast.Set(elts=elements):
                for each in elements:
                    self._ask(each)
            case _:
                raise _Anything

    def _in_attribute(self, file: LinkedFile, tree: SyntaxTree, attribute: ast.Attribute, kind: _Kind) -> None:
        led_to = _ATTRIBUTES.get(kind, {}).get(attribute.attr)
        if led_to is not None:
            self.follow(file, attribute, led_to)
            return
        call = tree.around[attribute]
        if not isinstance(call, ast.Call) or call.func is not attribute:
            raise _Anything
        given = _METHODS.get(kind, {}).get(attribute.attr)
        if given is not None and not call.args and not call.keywords:
            self.follow(file, call, given)
        elif kind is _Kind.SIGNATURE and attribute.attr in _BINDING and not call.keywords:
            self.follow(file, call, _Kind.BOUND)
        elif kind in _ELEMENTS and attribute.attr in _ASKING_BY_NAME[kind in _BY_NAME] and call.args:
            self._ask(call.args[0])
            self.follow(file, call, _ELEMENTS[kind] if kind in _BY_NAME else _Kind.OTHER)
        else:
            raise _Anything

    def _in_brackets(self, file: LinkedFile, node: ast.Subscript, kind: _Kind) -> None:
        if not isinstance(node.ctx, ast.Load):
            raise _Anything
        match node.slice:
            case ast.Slice() if kind in (_Kind.NAMES, _Kind.SEVERAL):
                self.follow(file, node, kind)
            case ast.Constant(value=int(place)) if kind is _Kind.SPECIFICATION and 0 <= place < len(_BY_PLACE):
                self.follow(file, node, _BY_PLACE[place])
            case key if kind in _ELEMENTS and not isinstance(key, ast.Slice):
                if kind in _BY_NAME:
                    self._ask(key)
                self.follow(file, node, _ELEMENTS[kind])
            case _:
                raise _Anything

    def _in_call(self, file: LinkedFile, tree: SyntaxTree, call: ast.Call, kind: _Kind) -> None:
        """What is asked by a function that is handed something."""
        if len(call.args) != 1 or call.keywords:
            raise _Anything
        name = called_name(call)
        is_builtin = isinstance(call.func, ast.Name) and _is_outside(file, tree, call.func)
        if is_builtin and name in _COUNTING:
            if kind is _Kind.SPECIFICATION:
                raise _Anything
        elif is_builtin and name in _LISTING and kind in _GONE_THROUGH:
            self.follow(file, call, _Kind.NAMES if _GONE_THROUGH[kind] is _Kind.NAME else kind)
        elif name in _OF_WORDS and kind is _Kind.PARAMETERS:
            self.follow(file, call, _Kind.SEVERAL)
        else:
            raise _Anything

    def _compared(self, other: ast.expr, operator: ast.cmpop, kind: _Kind, *, is_left: bool) -> None:
        match operator:
            case ast.Is() | ast.IsNot():
                pass
            case ast.Eq() | ast.NotEq() if kind is _Kind.NAME:
                self._ask(other)
            case ast.In() | ast.NotIn() if (kind is _Kind.NAME) is is_left and kind in {_Kind.NAME, *_GONE_THROUGH} - {_Kind.SEVERAL}:
                # A text that is held against a longer one is found as a part of it.
                if is_left and not isinstance(other, ast.Tuple | ast.List | ast.Set):
                    raise _Anything
                self._ask(other)
            case _:
                raise _Anything

    def _assigned(self, file: LinkedFile, target: ast.expr, kind: _Kind) -> None:
        if isinstance(target, ast.Tuple) and kind is _Kind.SPECIFICATION:
            for each, part in zip(target.elts, _BY_PLACE, strict=False):
                self._assigned(file, each, part)
        elif isinstance(target, ast.Name):
            self._follow_variable(file, target, kind)
        else:
            raise _Anything

    def _gone_through(self, file: LinkedFile, target: ast.expr, kind: _Kind) -> None:
        if kind is _Kind.PAIRS and isinstance(target, ast.Tuple) and len(target.elts) == len(("name", "parameter")):
            for each, part in zip(target.elts, (_Kind.NAME, _Kind.PARAMETER), strict=True):
                self._assigned(file, each, part)
        elif kind in _GONE_THROUGH:
            self._assigned(file, target, _GONE_THROUGH[kind])
        else:
            raise _Anything

    def _collected(self, file: LinkedFile, node: ast.AST, kind: _Kind) -> None:
        collected = {_Kind.NAME: _Kind.NAMES, _Kind.PARAMETER: _Kind.SEVERAL}.get(kind)
        if collected is None:
            raise _Anything
        self.follow(file, node, collected)

    def _follow_variable(self, file: LinkedFile, target: ast.Name, kind: _Kind) -> None:
        """What is asked of a variable of a function or comprehension that no other one knows."""
        variable = local_variable(file, target, _SCOPES)
        if variable is None:
            raise _Anything
        if (file.path, variable.binding, kind) in self._seen:
            return
        self._seen.add((file.path, variable.binding, kind))
        scope = file.facts.bindings[variable.binding].scope
        if any(each.scope == scope and each.what.endswith("()") for each in file.facts.exposures):
            raise _Anything
        for node in variable.reads:
            self.follow(file, node, kind)

    def _given_back(self, file: LinkedFile, tree: SyntaxTree, statement: ast.Return, kind: _Kind) -> None:
        """What is asked where the function is called that gives something, which by its name is any that is called so."""
        function = function_around(tree, statement)
        name = getattr(function, "name", "")
        if not name or function in tree.generators or isinstance(function, ast.AsyncFunctionDef):
            raise _Anything
        if not all(self._is_only_called(file, each) for each in file.links.functions if each.name == name):
            raise _Anything
        self._n_functions += 1
        if self._n_functions > _LONGEST_WAY:
            raise _Anything
        for other in self._linkage.mentioning(name):
            self._follow_calls(other, name, kind)

    def _is_only_called(self, file: LinkedFile, record: FunctionRecord) -> bool:
        """Whether a function is plain, and nobody looks it up."""
        is_plain = all(self._evaluator.is_harmless(file, each) for each in record.decorators) and not record.name.startswith("__")
        is_looked_up = is_perhaps_looked_up(self._evaluator, file, record.name, is_member=record.owner >= 0)
        return is_plain and not self._linkage.is_library and not is_looked_up

    def _follow_calls(self, file: LinkedFile, name: str, kind: _Kind) -> None:
        """Follow what a function gives, in a file where something is called so."""
        tree = syntax_tree(file.data)
        bare = [
            tree.names.get(each.start)
            for binding in file.facts.bindings
            if binding.name == name
            for each in (file.facts.references[index] for index in binding.references)
            if each.role not in (Role.FUNCTION, Role.IMPORT, Role.PARAMETER)
        ]
        behind_dots = [tree.attributes.get(use.end) for use in file.links.attributes_by_name.get(name, ())]
        for word in (*bare, *behind_dots):
            call = tree.around[word] if word is not None else None
            if not isinstance(call, ast.Call) or call.func is not word:
                raise _Anything
            met = file.path, tree.end_of(call), kind
            if met not in self._seen_calls:
                self._seen_calls.add(met)
                self.follow(file, call, kind)
        if any(use.name == name and use.has_alias for use in file.links.imports):
            raise _Anything


def is_perhaps_looked_up(evaluator: Evaluator, file: LinkedFile, name: str, *, is_member: bool) -> bool:
    """Whether something that bears a name in a file, of a class or not, may be had without naming it."""
    linkage = evaluator.linkage
    return (
        linkage.stands_in_examples(name)
        or linkage.stands_in_quotes(name)
        or bool(linkage.loading_paths)
        or _GIVES_NAMESPACE.search(file.source.text) is not None
        or may_be_looked_up(evaluator, file, name, is_member=is_member)
    )


def _is_outside(file: LinkedFile, tree: SyntaxTree, name: ast.Name) -> bool:
    reference = file.facts.reference_by_start.get(tree.start_of(name))
    return reference is not None and file.facts.bindings[reference.binding].outside
