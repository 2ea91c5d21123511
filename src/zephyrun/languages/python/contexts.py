"""What a file says of its names: what each variable was made from and what is done with it, and what functions and
classes do.

Gathered in a walk of its own, for whoever has to find names: neither findings of other families nor the
proof need it.
"""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from operator import itemgetter
from typing import Any, NamedTuple

from zephyrun.facts import Context, ContextSort, FileFacts, ScopeKind
from zephyrun.languages.python.answers import Answer, FunctionNode, answer_of
from zephyrun.languages.python.deeds import Deeds, documentation_of, members_of, words_of_sentence, words_of_text
from zephyrun.languages.python.reading import ParsedFile, deep_recursion
from zephyrun.languages.python.walk import all_arguments, position_readers
from zephyrun.patterns import lazy_pattern

_SEQUENCES = (ast.Tuple, ast.List)
_COMPREHENSIONS = (ast.ListComp, ast.SetComp, ast.GeneratorExp, ast.DictComp)
# Calls that give what they are handed, in another order or another form: what is in it is the same.
_PASSING_ON = frozenset("list tuple set frozenset sorted reversed iter deque chain filter deepcopy copy".split())
# Calls of which a name often tells: `len(hives)`, `max(weights)`.
_TELLING = frozenset("len sum max min int float str bool abs round any all next open mean fmean median join".split())
# Tests that are named by what they ask about: whether there is a hive, or it is a known one.
_ASKING = (ast.In, ast.NotIn, ast.Is, ast.IsNot)
_LONGEST_TEXT = 12
# Only the parameters next to one tell something of it, and they are many.
_NEIGHBOURS = 2
# Names of functions that promise an answer of some sort.
_PROMISING = lazy_pattern(r"_*(?:is|has|can|should|get|check)_")
_LAST_WORD = lazy_pattern(r"([^\W\d]\w*)\s*(?:[:=]|is|\()?\s*['\"]?$")
_DOCUMENTED = lazy_pattern(
    r"^\s*(?::param(?:\s+[\w.\[\]]+)?\s+|@param\s+|[-*]\s+)?\*{0,2}`{0,2}(\w+)`{0,2}\s*(?:\([^)\n]*\))?\s*:[ \t]*(.*(?:\n[ \t]+\S.*)?)$",
    re.MULTILINE,
)
# Fields of nodes that hold texts and signs, and no other nodes in which names stand.
_WITHOUT_NODES = frozenset(
    "id ctx attr op ops kind is_async simple level module names type_comment conversion arg name rest asname kwd_attrs".split()
)


class _Fields(dict[type[ast.AST], tuple[str, ...]]):
    """For each sort of node, the fields in which nodes are; found when they are asked for."""

    def __missing__(self, sort: type[ast.AST]) -> tuple[str, ...]:
        is_value = sort in (ast.Constant, ast.MatchSingleton)
        fields = () if is_value else tuple(each for each in sort._fields if each not in _WITHOUT_NODES)
        self[sort] = fields
        return fields


_FIELDS_WITH_NODES = _Fields()
_START = itemgetter(Context._fields.index("start"))
# What stands for no variable of the file; attributes have numbers below it.
NO_BINDING = -1


class AttributeContexts(NamedTuple):
    """An attribute that the methods of a class use of their own object: the scope of the class, its name, where it
    stands in text order, and its contexts."""

    class_scope: int
    name: str
    starts: tuple[int, ...]
    contexts: tuple[Context, ...]


class Contexts(NamedTuple):
    """What a file says of its names: the contexts of each variable, function and class by its number, in text
    order; what those functions give back whose names promise something; the scopes of those classes that have
    neither bases nor decorators; and the attributes that were asked for."""

    by_binding: dict[int, tuple[Context, ...]]
    answers: tuple[Answer, ...]
    classes_by_themselves: frozenset[int]
    attributes: tuple[AttributeContexts, ...] = ()


class _AttributeUse(NamedTuple):
    """What stands for an attribute among the numbers of variables, and where it stands."""

    number: int
    starts: set[int]


class _Around(NamedTuple):
    """The class around the code that is looked at, -1 for none, and what its methods call their object there."""

    class_scope: int = -1
    first_parameter: str = ""


def _never(_: str) -> bool:
    return False


def read_contexts(parsed: ParsedFile, is_asked_for: Callable[[str], bool] = _never) -> Contexts:
    """What a file says of its variables, parameters, functions and classes, and of those attributes whose names are
    asked for."""
    walk = _ContextWalk(parsed, is_asked_for)
    with deep_recursion():
        walk.everything(parsed.tree)
    by_number = {number: tuple(sorted(found, key=_START)) for number, found in sorted(walk.found.items())}
    answers = sorted(walk.answers, key=lambda each: each.start)
    by_themselves = {
        each.inner_scope
        for each in parsed.facts.definitions
        if each.sort is ScopeKind.CLASS and each.name_start in walk.classes_by_themselves
    }
    attributes = tuple(
        AttributeContexts(class_scope, name, tuple(sorted(use.starts)), by_number.pop(use.number, ()))
        for (class_scope, name), use in walk.attributes.items()
    )
    return Contexts(by_number, tuple(answers), frozenset(by_themselves), attributes)


class _ContextWalk:
    """One walk over a tree. Every node looks at those names alone that stand right beneath it."""

    def __init__(self, parsed: ParsedFile, is_asked_for: Callable[[str], bool]) -> None:
        self._is_asked_for = is_asked_for
        self.attributes: dict[tuple[int, str], _AttributeUse] = {}
        self._around = _Around()

        self.found: defaultdict[int, list[Context]] = defaultdict(list)
        self.answers: list[Answer] = []
        self.classes_by_themselves: set[int] = set()
        self._facts: FileFacts = parsed.facts
        self._start_of, self._end_of = position_readers(parsed.source)
        # What the function does whose own nodes are looked at.
        self._deeds = Deeds()
        self._references = parsed.facts.reference_by_start
        self._places = parsed.places

    def everything(self, tree: ast.Module) -> None:
        """Look at every node of a tree, those of one function after another."""
        functions: list[tuple[FunctionNode, _Around]] = []
        self._nodes_beneath(tree, functions)
        while functions:
            function, self._around = functions.pop()
            self._deeds = Deeds()
            self._nodes_beneath(function, functions)
            self._done(function)

    def _nodes_beneath(self, root: ast.AST, functions: list[tuple[FunctionNode, _Around]]) -> None:
        """Look at the nodes beneath one, but for the bodies of functions, which are put with the others. What stands
        before its body is no deed of a function."""
        handlers = _HANDLERS
        waiting: list[ast.AST] = list(root.body) if isinstance(root, FunctionNode) else [root]
        while waiting:
            node = waiting.pop()
            if (handler := handlers.get(type(node))) is not None:
                handler(self, node)
                if isinstance(node, FunctionNode):
                    functions.append((node, self._around_of(node)))
                    waiting.extend([*node.decorator_list, node.args, *filter(None, [node.returns])])
                    waiting.extend(getattr(node, "type_params", ()))
                    continue
            for name in _FIELDS_WITH_NODES[type(node)]:
                value = getattr(node, name)
                if type(value) is list:
                    waiting.extend(filter(None, value))
                elif value is not None:
                    waiting.append(value)

    def _around_of(self, node: FunctionNode) -> _Around:
        """What is around the code of a function that stands in what is looked at."""
        (start,) = self._places[id(node), "name"]
        reference = self._references.get(start)
        scope = reference.scope if reference is not None else 0
        positional = [*node.args.posonlyargs, *node.args.args]
        first = positional[0].arg if positional else ""
        if self._facts.scopes[scope].kind is ScopeKind.CLASS:
            return _Around(scope, first)
        hides_it = self._around.first_parameter in [each.arg for each in all_arguments(node.args)]
        return _Around() if hides_it else self._around

    # -- what is written down ----------------------------------------------------------------

    def _binding(self, node: ast.AST | None) -> int:
        """The variable that a name stands for, `NO_BINDING` where a node is no name of this file."""
        if not isinstance(node, ast.Name):
            return self._attribute_number(node) if type(node) is ast.Attribute else NO_BINDING
        reference = self._references.get(self._start_of(node))
        if reference is None or self._facts.bindings[reference.binding].outside:
            return NO_BINDING
        return reference.binding

    def _attribute_number(self, node: ast.Attribute) -> int:
        """What stands for an attribute that is asked for, of the class around it; `NO_BINDING` for any other."""
        if not self._is_asked_for(node.attr) or not isinstance(node.value, ast.Name):
            return NO_BINDING
        around = self._around
        if around.class_scope < 0 or node.value.id != around.first_parameter:
            return NO_BINDING
        known = self.attributes
        use = known.setdefault((around.class_scope, node.attr), _AttributeUse(NO_BINDING - 1 - len(known), set()))
        use.starts.add(self._end_of(node) - len(node.attr))
        return use.number

    def _add(self, binding: int, sort: ContextSort, name: str, at: ast.AST, other: int = NO_BINDING) -> None:
        self.found[binding].append(Context(binding, sort, name, other, self._start_of(at), self._end_of(at)))

    def _use(self, node: ast.AST | None, sort: ContextSort, name: str, at: ast.AST | None = None) -> None:
        binding = self._binding(node)
        if binding != NO_BINDING and node is not None and name:
            self._add(binding, sort, name, at or node)

    def _leaf(self, node: ast.AST | None) -> tuple[str, int]:
        """What an expression is called where it stands, and the variable of the file whose name that is."""
        if isinstance(node, ast.Name):
            return node.id, self._binding(node)
        if isinstance(node, ast.Attribute):
            return node.attr, NO_BINDING
        if isinstance(node, ast.Call):
            return f"{_callee(node)}()" if _callee(node) else "", NO_BINDING
        if isinstance(node, ast.Subscript):
            key = _text_key(node)
            if key:
                return key, NO_BINDING
            name, other = self._leaf(node.value)
            return f"{name}[]" if name else "", other
        if isinstance(node, ast.Constant):
            return _literal(node.value), NO_BINDING
        if isinstance(node, ast.Await | ast.Starred):
            return self._leaf(node.value)
        return "", NO_BINDING

    def _on_leaf(self, binding: int, sort: ContextSort, prefix: str, node: ast.AST, at: ast.AST) -> None:
        name, other = self._leaf(node)
        if name:
            self._add(binding, sort, prefix + name, at, other)

    # -- what a variable was made from ---------------------------------------------------------

    def _assignment(self, node: ast.Assign) -> None:
        for target in node.targets:
            self._made(target, node.value)
        self._stored(node.value, node.targets)

    def _annotated_assignment(self, node: ast.AnnAssign) -> None:
        binding = self._binding(node.target)
        if binding != NO_BINDING:
            self._annotated(binding, node.annotation)
        if node.value is not None:
            self._made(node.target, node.value)
            self._stored(node.value, [node.target])

    def _stored(self, value: ast.expr, targets: Sequence[ast.expr]) -> None:
        binding = self._binding(value)
        if binding == NO_BINDING:
            return
        for target in targets:
            if isinstance(target, ast.Attribute):
                self._add(binding, ContextSort.STORED, target.attr, target)
            elif isinstance(target, ast.Subscript):
                if key := _text_key(target):
                    self._add(binding, ContextSort.STORED, key, target)
                else:
                    self._on_leaf(binding, ContextSort.PUT_INTO, "", target.value, target)
            elif isinstance(target, ast.Name):
                self._add(binding, ContextSort.BECOMES, target.id, target, self._binding(target))

    def _made(self, target: ast.expr, value: ast.expr) -> None:
        if isinstance(target, _SEQUENCES):
            if isinstance(value, _SEQUENCES) and len(value.elts) == len(target.elts):
                for one_target, one_value in zip(target.elts, value.elts, strict=True):
                    self._made(one_target, one_value)
                return
            for index, part in enumerate(target.elts):
                binding = self._binding(part.value if isinstance(part, ast.Starred) else part)
                if binding != NO_BINDING:
                    name, other = self._leaf(value)
                    if name:
                        label = f"{name}:{index}/{len(target.elts)}"
                        self._add(binding, ContextSort.PART_OF, label, value, other)
            return
        binding = self._binding(target)
        if binding != NO_BINDING:
            self._value(binding, value)

    def _value(self, binding: int, value: ast.AST) -> None:
        add, on_leaf = self._add, self._on_leaf
        if isinstance(value, ast.Await):
            value = value.value
        if isinstance(value, ast.Call):
            callee = _callee(value)
            if callee:
                add(binding, ContextSort.FROM_CALL, callee, value)
                if value.args and callee in _TELLING:
                    # What is told of the weights is told of each hive's weight, too: `max(hive.weight for …)`.
                    on_leaf(binding, ContextSort.FROM_CALL_ON, f"{callee}:", _each_of(value.args[0]), value)
                elif value.args and callee in _PASSING_ON and isinstance(value.args[0], ast.GeneratorExp):
                    self._each_and_all(binding, value.args[0])
                elif value.args and callee in _PASSING_ON:
                    on_leaf(binding, ContextSort.ALL_OF, "", value.args[0], value)
                elif callee in ("get", "pop", "getattr", "setdefault"):
                    for argument in value.args[callee == "getattr" :][:1]:
                        if isinstance(argument, ast.Constant) and isinstance(argument.value, str):
                            add(binding, ContextSort.FROM_KEY, argument.value, value)
                if isinstance(value.func, ast.Attribute):
                    on_leaf(binding, ContextSort.FROM_CALL_ON, f"{callee}@", value.func.value, value)
        elif isinstance(value, ast.Attribute):
            add(binding, ContextSort.FROM_ATTRIBUTE, value.attr, value)
        elif isinstance(value, ast.Subscript):
            if key := _text_key(value):
                add(binding, ContextSort.FROM_KEY, key, value)
            else:
                name, other = self._leaf(value.value)
                sort = ContextSort.ALL_OF if isinstance(value.slice, ast.Slice) else ContextSort.ITEM_OF
                if name:
                    add(binding, sort, name, value, other)
        elif isinstance(value, ast.Name):
            add(binding, ContextSort.FROM_VARIABLE, value.id, value, self._binding(value))
        elif isinstance(value, ast.BinOp):
            operator = type(value.op).__name__
            add(binding, ContextSort.FROM_OPERATOR, operator, value)
            for side, part in (("<", value.left), (">", value.right)):
                on_leaf(binding, ContextSort.FROM_OPERATOR, f"{operator}{side}", part, value)
        elif isinstance(value, ast.Compare | ast.BoolOp):
            operator_node = value.ops[0] if isinstance(value, ast.Compare) else value.op
            add(binding, ContextSort.FROM_TEST, type(operator_node).__name__, value)
            if isinstance(value, ast.Compare) and isinstance(operator_node, _ASKING):
                on_leaf(binding, ContextSort.FROM_TEST, f"{type(operator_node).__name__}:", value.left, value)
            for part in value.values if isinstance(value, ast.BoolOp) else []:
                on_leaf(binding, ContextSort.FROM_TEST, "", part, value)
        elif isinstance(value, ast.UnaryOp):
            sort = ContextSort.FROM_TEST if isinstance(value.op, ast.Not) else ContextSort.FROM_OPERATOR
            add(binding, sort, type(value.op).__name__, value)
            on_leaf(binding, sort, f"{type(value.op).__name__}:", value.operand, value)
        elif isinstance(value, ast.Constant):
            add(binding, ContextSort.FROM_LITERAL, _literal(value.value), value)
        elif isinstance(value, ast.IfExp):
            self._value(binding, value.body)
            self._value(binding, value.orelse)
        elif isinstance(value, _COMPREHENSIONS):
            self._collected(binding, value)
        elif isinstance(value, ast.List | ast.Dict | ast.Set | ast.Tuple):
            kind = type(value).__name__
            parts = value.values if isinstance(value, ast.Dict) else value.elts
            add(binding, ContextSort.FROM_LITERAL, kind if parts else f"{kind}()", value)
            for part in parts[:1]:
                on_leaf(binding, ContextSort.ALL_OF, "", part, value)
        else:
            add(binding, ContextSort.FROM_LITERAL, type(value).__name__, value)

    def _collected(self, binding: int, value: Any) -> None:
        self._add(binding, ContextSort.FROM_LITERAL, type(value).__name__, value)
        self._each_and_all(binding, value)

    def _each_and_all(self, binding: int, value: Any) -> None:
        element = value.value if isinstance(value, ast.DictComp) else value.elt
        self._on_leaf(binding, ContextSort.EACH, "", element, value)
        if isinstance(value, ast.DictComp):
            key, _ = self._leaf(value.key)
            if key:
                self._on_leaf(binding, ContextSort.EACH, f"{key}@", element, value)
        self._on_leaf(binding, ContextSort.ALL_OF, "", value.generators[0].iter, value)

    def _growth(self, node: ast.AugAssign) -> None:
        binding = self._binding(node.target)
        operator = type(node.op).__name__
        if binding != NO_BINDING:
            self._on_leaf(binding, ContextSort.GROWS_BY, f"{operator}:", node.value, node)
        value = self._binding(node.value)
        if value != NO_BINDING:
            self._on_leaf(value, ContextSort.OPERAND, f"{operator}=", node.target, node)

    def _loop(self, node: Any) -> None:
        self._elements(node.target, node.iter)
        iterated = self._binding(node.iter)
        if iterated != NO_BINDING:
            target = node.target
            if isinstance(target, _SEQUENCES):
                self._add(iterated, ContextSort.ITERATED, f"pairs:{len(target.elts)}", node.iter)
            else:
                self._on_leaf(iterated, ContextSort.ITERATED, "", target, node.iter)

    def _elements(self, target: ast.expr, iterated: ast.expr) -> None:
        call = iterated if isinstance(iterated, ast.Call) else None
        callee = _callee(call) if call is not None else ""
        parts = target.elts if isinstance(target, _SEQUENCES) else [target]
        arguments = call.args if call is not None else []
        if callee == "enumerate" and arguments and len(parts) == len(("index", "element")):
            self._element(parts[0], "enumerate:0", ContextSort.ELEMENT_OF_CALL, iterated)
            self._elements(parts[1], arguments[0])
        elif callee == "zip" and len(arguments) == len(parts) > 1:
            for part, argument in zip(parts, arguments, strict=True):
                self._elements(part, argument)
        elif callee in _PASSING_ON and arguments:
            self._elements(target, arguments[-1])
        elif callee in ("items", "keys", "values") and call and isinstance(call.func, ast.Attribute):
            for index, part in enumerate(parts):
                place = f"{callee}:{index}/{len(parts)}"
                self._element(part, place, ContextSort.ELEMENT_OF_CALL, iterated)
                sides = "value" if callee == "values" or index else "key"
                self._element_of(part, f"{sides}@", call.func.value, iterated)
        elif callee:
            for index, part in enumerate(parts):
                place = f"{callee}:{index}/{len(parts)}"
                self._element(part, place, ContextSort.ELEMENT_OF_CALL, iterated)
                if arguments and callee == "range":
                    self._element_of(part, "range@", arguments[-1], iterated)
        else:
            for index, part in enumerate(parts):
                self._element_of(part, "" if len(parts) == 1 else f"{index}/{len(parts)}@", iterated, iterated)

    def _element(self, target: ast.expr, name: str, sort: ContextSort, at: ast.AST) -> None:
        if isinstance(target, _SEQUENCES):
            for index, part in enumerate(target.elts):
                self._element(part, f"{name}:{index}", sort, at)
        else:
            self._use(target, sort, name, at)

    def _element_of(self, target: ast.expr, prefix: str, collection: ast.expr, at: ast.AST) -> None:
        binding = self._binding(target)
        if binding != NO_BINDING:
            self._on_leaf(binding, ContextSort.ELEMENT_OF, prefix, collection, at)

    def _with(self, node: ast.With | ast.AsyncWith) -> None:
        for item in node.items:
            if (binding := self._binding(item.optional_vars)) != NO_BINDING:
                self._on_leaf(binding, ContextSort.WITH, "", item.context_expr, item.context_expr)
                self._value(binding, item.context_expr)

    def _caught(self, node: ast.ExceptHandler) -> None:
        places = self._places.get((id(node), "name"), ())
        reference = self._references.get(places[0]) if places else None
        if reference is not None and node.type is not None:
            caught = node.type.elts if isinstance(node.type, ast.Tuple) else [node.type]
            self._add(reference.binding, ContextSort.CAUGHT, self._leaf(caught[0])[0] or "?", node.type)

    # -- what is done with a variable --------------------------------------------------------

    def _call(self, node: ast.Call) -> None:
        callee = _callee(node)
        self._deeds.note_call(callee, node)
        self._use(node.func, ContextSort.OTHER_USE, "called")
        if callee == "isinstance" and len(node.args) > 1:
            kinds = node.args[1]
            first = kinds.elts[0] if isinstance(kinds, ast.Tuple) and kinds.elts else kinds
            self._use(node.args[0], ContextSort.IS_A, self._leaf(first)[0], node)
            return
        for index, argument in enumerate(node.args):
            if isinstance(argument, ast.Starred):
                break
            binding = self._binding(argument)
            if binding != NO_BINDING and callee:
                self._add(binding, ContextSort.ARGUMENT, f"{callee}:{index}", node)
                if index == 0 and isinstance(node.func, ast.Attribute) and len(node.args) == 1:
                    self._on_leaf(binding, ContextSort.PUT_INTO, f"{callee}@", node.func.value, node)
        for keyword in node.keywords:
            if keyword.arg:
                self._use(keyword.value, ContextSort.KEYWORD, keyword.arg, node)

    def _attribute(self, node: ast.Attribute) -> None:
        if isinstance(node.ctx, ast.Store):
            self._deeds.note_set(node.attr, node)
        binding = self._binding(node.value)
        if binding != NO_BINDING:
            written = "=" if isinstance(node.ctx, ast.Store) else ""
            self._add(binding, ContextSort.ATTRIBUTE, node.attr + written, node)

    def _subscript(self, node: ast.Subscript) -> None:
        binding = self._binding(node.value)
        index = node.slice
        if binding != NO_BINDING:
            if key := _text_key(node):
                self._add(binding, ContextSort.KEY, key, node)
            elif isinstance(index, ast.Slice):
                self._add(binding, ContextSort.KEY, ":", node)
            elif isinstance(index, ast.Name):
                self._add(binding, ContextSort.KEY, f"@{index.id}", node, self._binding(index))
            else:
                name = _literal(index.value) if isinstance(index, ast.Constant) else type(index).__name__
                self._add(binding, ContextSort.KEY, f"#{name}", node)
        inner = self._binding(index)
        if inner != NO_BINDING:
            self._on_leaf(inner, ContextSort.INDEX_INTO, "", node.value, node)

    def _comparison(self, node: ast.Compare) -> None:
        sides = [node.left, *node.comparators]
        for index, operator in enumerate(node.ops):
            name = type(operator).__name__
            for one, other, mark in ((sides[index], sides[index + 1], ""), (sides[index + 1], sides[index], "~")):
                binding = self._binding(one)
                if binding != NO_BINDING:
                    self._on_leaf(binding, ContextSort.COMPARED, f"{name}{mark}:", other, node)
                    self._add(binding, ContextSort.COMPARED, f"{name}{mark}", node)

    def _operation(self, node: ast.BinOp) -> None:
        operator = type(node.op).__name__
        for one, other, mark in ((node.left, node.right, ""), (node.right, node.left, "~")):
            binding = self._binding(one)
            if binding != NO_BINDING:
                self._add(binding, ContextSort.OPERAND, f"{operator}{mark}", node)
                self._on_leaf(binding, ContextSort.OPERAND, f"{operator}{mark}:", other, node)

    def _unary(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.Not):
            self._asked("not", node.operand)
        else:
            self._use(node.operand, ContextSort.OPERAND, type(node.op).__name__, node)

    def _asked(self, how: str, *tests: ast.expr) -> None:
        for test in tests:
            self._use(test, ContextSort.ASKED, how)

    def _choice(self, node: ast.IfExp) -> None:
        self._asked("if", node.test)

    def _function_around(self, node: ast.AST) -> str:
        scope = self._facts.scope_at(self._start_of(node))
        return self._facts.scopes[self._facts.owner(scope)].name

    def _returned(self, node: ast.Return) -> None:
        self._deeds.returns.append(node)
        if self._binding(node.value) != NO_BINDING:
            self._use(node.value, ContextSort.RETURNED, self._function_around(node), node)
        elif isinstance(node.value, ast.Tuple):
            n_parts = len(node.value.elts)
            for index, part in enumerate(node.value.elts):
                if self._binding(part) != NO_BINDING:
                    name = f"{self._function_around(node)}:{index}/{n_parts}"
                    self._use(part, ContextSort.RETURNED, name, node)

    def _yielded_from(self, node: ast.YieldFrom) -> None:
        self._deeds.is_generator = True

    def _yielded(self, node: ast.Yield) -> None:
        self._deeds.is_generator = True
        if self._binding(node.value) != NO_BINDING:
            self._use(node.value, ContextSort.RETURNED, f"{self._function_around(node)}*", node)

    def _dictionary(self, node: ast.Dict) -> None:
        for key, value in zip(node.keys, node.values, strict=True):
            if isinstance(key, ast.Constant) and isinstance(key.value, str):
                self._use(value, ContextSort.STORED, key.value, value)

    def _shown(self, node: ast.JoinedStr) -> None:
        before = ""
        for part in node.values:
            if isinstance(part, ast.Constant):
                before = str(part.value)
            elif isinstance(part, ast.FormattedValue):
                if self._binding(part.value) != NO_BINDING and (found := _LAST_WORD.search(before)):
                    self._use(part.value, ContextSort.SHOWN, found[1].lower(), part.value)
                before = ""

    def _comprehension(self, node: Any) -> None:
        self._use(node.elt, ContextSort.OTHER_USE, f"each {type(node).__name__}")

    # -- parameters ------------------------------------------------------------------------------

    def _function(self, node: FunctionNode) -> None:
        self._parameters(node, node.name)

    def _done(self, node: FunctionNode) -> None:
        """Tell what a function does when its own nodes have been looked at."""
        deeds = self._deeds
        (start,) = self._places[id(node), "name"]
        if _PROMISING.match(node.name):
            self.answers.append(answer_of(node, start, deeds.returns, is_generator=deeds.is_generator))
        reference = self._references.get(start)
        if reference is None or node.name.startswith("__"):
            return
        binding, add = reference.binding, self._add
        add(binding, ContextSort.GIVES_A, deeds.sort_given, node)
        for given in deeds.returns:
            self._gives(binding, given)
        for callee, at in deeds.calls.items():
            if callee != node.name or not _is_of_itself(at):
                add(binding, ContextSort.CALLS, callee, at)
        for name, at in deeds.sets.items():
            add(binding, ContextSort.SETS, name, at)
        self._says(binding, node)
        around = self._facts.scopes[self._facts.bindings[binding].scope]
        if around.kind is ScopeKind.CLASS:
            add(binding, ContextSort.MEMBER_OF, around.name, node)
        for decorator in node.decorator_list:
            self._on_leaf(binding, ContextSort.WRAPPED_BY, "", decorator, decorator)
        for argument in all_arguments(node.args):
            if argument.arg not in ("self", "cls") and (own := self._references.get(self._start_of(argument))):
                add(binding, ContextSort.TAKES, argument.arg, argument, own.binding)

    def _gives(self, binding: int, given: ast.Return) -> None:
        value = given.value
        if isinstance(value, ast.UnaryOp) and isinstance(value.op, ast.Not):
            value = value.operand
        if isinstance(value, ast.Compare):
            self._on_leaf(binding, ContextSort.ASKS, f"{type(value.ops[0]).__name__}:", value.left, given)
        elif isinstance(value, ast.BoolOp):
            for part in value.values[:2]:
                self._on_leaf(binding, ContextSort.ASKS, "", part, given)
        elif value is not None and not isinstance(value, ast.Constant):
            own = self._facts.bindings[binding].name
            if not (isinstance(value, ast.Call) and _callee(value) == own and _is_of_itself(value)):
                self._on_leaf(binding, ContextSort.GIVES, "", value, given)

    def _says(self, binding: int, node: FunctionNode | ast.ClassDef) -> None:
        """Tell what the documentation of a definition says, or the comment above it."""
        text = documentation_of(node) or self._heading_of(node)
        for index, word in enumerate(words_of_sentence(text) if text else ()):
            self._add(binding, ContextSort.SAYS, f"first {word}" if not index else word, node)

    def _heading_of(self, node: FunctionNode | ast.ClassDef) -> str:
        first = node.decorator_list[0] if node.decorator_list else node
        return self._headings.get(self._facts.statement_at(self._start_of(first)), "")

    @cached_property
    def _headings(self) -> dict[int, str]:
        """The first line of the comment above a statement, by the statement's number."""
        found: dict[int, str] = {}
        for comment in self._facts.comments:
            if comment.own_line:
                found.setdefault(comment.statement, comment.text)
        return found

    def _class(self, node: ast.ClassDef) -> None:
        names = [base.id if isinstance(base, ast.Name) else "" for base in node.bases]
        (start,) = self._places[id(node), "name"]
        if set(names) <= {"object"} and not node.keywords and not node.decorator_list:
            self.classes_by_themselves.add(start)
        reference = self._references.get(start)
        if reference is None:
            return
        binding = reference.binding
        for base in node.bases:
            self._on_leaf(binding, ContextSort.EXTENDS, "", base, base)
        for name in members_of(node):
            self._add(binding, ContextSort.BEARS, name, node)
        for decorator in node.decorator_list:
            self._on_leaf(binding, ContextSort.WRAPPED_BY, "", decorator, decorator)
        self._says(binding, node)

    def _lambda(self, node: ast.Lambda) -> None:
        self._parameters(node, "")

    def _parameters(self, node: FunctionNode | ast.Lambda, name: str) -> None:
        arguments = node.args
        positional = [*arguments.posonlyargs, *arguments.args]
        first = positional[0].arg if positional else ""
        shift = first in ("self", "cls")
        bindings: dict[str, int] = {}
        for argument in all_arguments(arguments):
            reference = self._references.get(self._start_of(argument))
            if reference is not None:
                bindings[argument.arg] = reference.binding
        for index, argument in enumerate(positional[shift:]):
            if argument.arg in bindings and name:
                self._add(bindings[argument.arg], ContextSort.PARAMETER, f"{name}:{index}", argument)
        for argument in all_arguments(arguments):
            if argument.annotation is not None and argument.arg in bindings:
                self._annotated(bindings[argument.arg], argument.annotation)

        self._defaults(positional, arguments.defaults, bindings)
        with_default = [
            (each, value)
            for each, value in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
            if value is not None
        ]
        self._defaults([each for each, _ in with_default], [each for _, each in with_default], bindings)

        named = [each for each in bindings if each != first or not shift]
        self._neighbours(node, named, bindings)
        described = self._described(node, set(bindings)) if isinstance(node, FunctionNode) else {}
        for each in named:
            for word in described.get(each, ()):
                self._add(bindings[each], ContextSort.DESCRIBED, word, node)

    def _neighbours(
        self, node: FunctionNode | ast.Lambda, names: Sequence[str], bindings: Mapping[str, int]
    ) -> None:
        for index, argument_name in enumerate(names):
            binding = bindings[argument_name]
            for beside in names[max(0, index - _NEIGHBOURS) : index + _NEIGHBOURS + 1]:
                if beside != argument_name:
                    self._add(binding, ContextSort.BESIDE, beside, node, bindings[beside])

    def _defaults(
        self, positional: Sequence[ast.arg], defaults: Sequence[ast.expr], bindings: dict[str, int]
    ) -> None:
        for argument, default in zip(positional[len(positional) - len(defaults) :], defaults, strict=True):
            if argument.arg in bindings:
                self._on_leaf(bindings[argument.arg], ContextSort.DEFAULT, "", default, default)

    def _annotated(self, binding: int, annotation: ast.expr) -> None:
        for name in dict.fromkeys(_annotation_names(annotation)):
            self._add(binding, ContextSort.ANNOTATED, name, annotation)

    def _described(self, node: FunctionNode, names: set[str]) -> dict[str, list[str]]:
        """What documentation says of each parameter, in words."""
        documentation = ast.get_docstring(node, clean=True)
        if not documentation or not names:
            return {}
        return {
            found[1]: words_of_text(found[2])
            for found in _DOCUMENTED.finditer(documentation)
            if found[1] in names
        }


# What looks at a node of a sort. Functions and no methods of one walk, which could not go before the collector of cycles
# comes round if it held methods of its own.
_HANDLERS: dict[type[ast.AST], Callable[[_ContextWalk, Any], None]] = {
    ast.Assign: _ContextWalk._assignment,
    ast.AnnAssign: _ContextWalk._annotated_assignment,
    ast.AugAssign: _ContextWalk._growth,
    ast.NamedExpr: lambda walk, node: walk._made(node.target, node.value),
    ast.For: _ContextWalk._loop,
    ast.AsyncFor: _ContextWalk._loop,
    ast.comprehension: _ContextWalk._loop,
    ast.With: _ContextWalk._with,
    ast.AsyncWith: _ContextWalk._with,
    ast.ExceptHandler: _ContextWalk._caught,
    ast.Call: _ContextWalk._call,
    ast.Attribute: _ContextWalk._attribute,
    ast.Subscript: _ContextWalk._subscript,
    ast.Compare: _ContextWalk._comparison,
    ast.BinOp: _ContextWalk._operation,
    ast.BoolOp: lambda walk, node: walk._asked("and", *node.values),
    ast.UnaryOp: _ContextWalk._unary,
    ast.If: lambda walk, node: walk._asked("if", node.test),
    ast.While: lambda walk, node: walk._asked("while", node.test),
    ast.IfExp: _ContextWalk._choice,
    ast.Assert: lambda walk, node: walk._asked("assert", node.test),
    ast.Return: _ContextWalk._returned,
    ast.Yield: _ContextWalk._yielded,
    ast.YieldFrom: _ContextWalk._yielded_from,
    ast.Dict: _ContextWalk._dictionary,
    ast.JoinedStr: _ContextWalk._shown,
    ast.FunctionDef: _ContextWalk._function,
    ast.AsyncFunctionDef: _ContextWalk._function,
    ast.Lambda: _ContextWalk._lambda,
    ast.ClassDef: _ContextWalk._class,
    ast.Await: lambda walk, node: walk._use(node.value, ContextSort.OTHER_USE, "await"),
    ast.Starred: lambda walk, node: walk._use(node.value, ContextSort.OTHER_USE, "starred"),
    ast.Raise: lambda walk, node: walk._use(node.exc, ContextSort.OTHER_USE, "raise"),
    ast.ListComp: _ContextWalk._comprehension,
    ast.SetComp: _ContextWalk._comprehension,
    ast.GeneratorExp: _ContextWalk._comprehension,
}


def _is_of_itself(call: ast.AST) -> bool:
    """Whether a call may be one of the very function in which it stands, or of what that takes the place of."""
    function = call.func if isinstance(call, ast.Call) else None
    if not isinstance(function, ast.Attribute):
        return True
    owner = function.value
    if isinstance(owner, ast.Call):
        return isinstance(owner.func, ast.Name) and owner.func.id == "super"
    return isinstance(owner, ast.Name) and owner.id in ("self", "cls")


def _each_of(collection: ast.expr) -> ast.expr:
    """What a collection has of each thing that it is made from; the collection itself where it is not made here."""
    return collection.elt if isinstance(collection, ast.GeneratorExp | ast.ListComp | ast.SetComp) else collection


def _callee(node: ast.Call) -> str:
    function = node.func
    if isinstance(function, ast.Name):
        return function.id
    return function.attr if isinstance(function, ast.Attribute) else ""


def _text_key(node: ast.Subscript) -> str:
    key = node.slice
    return key.value if isinstance(key, ast.Constant) and isinstance(key.value, str) else ""


def _literal(value: object) -> str:
    """A constant as it stands in contexts: short ones by their value, others by their sort."""
    shown = repr(value)
    return f"={shown}" if len(shown) <= _LONGEST_TEXT else f"={type(value).__name__}"


def _annotation_names(annotation: ast.expr) -> Iterator[str]:
    if isinstance(annotation, ast.Constant) and isinstance(annotation.value, str):
        yield from re.findall(r"[^\W\d]\w*", annotation.value)
        return
    for node in ast.walk(annotation):
        if isinstance(node, ast.Name):
            yield node.id
        elif isinstance(node, ast.Attribute):
            yield node.attr
