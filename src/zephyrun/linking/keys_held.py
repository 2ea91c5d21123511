"""Whether a dictionary of keywords may hold a key: followed back to all that it is made of, and on to all that is done with
it on the way."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property
from typing import NamedTuple

from zephyrun.facts import Role, ScopeKind
from zephyrun.link_facts import BY_KEYWORD, Handed, Origin, ParameterSort, RestUse, Use
from zephyrun.linking.attribute_writes import namespaces_of, writes_in_sight
from zephyrun.linking.dictionaries import may_be_key
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.origins import origin_of
from zephyrun.linking.references import is_public_function
from zephyrun.linking.syntax_trees import SyntaxTree, definition_of, function_around, syntax_tree
from zephyrun.linking.texts_made import texts_made
from zephyrun.linking.value_sorts import ClassKey, FunctionKey, Values, ValueSort, may_be_of
from zephyrun.linking.values import Evaluator

# What makes another dictionary of one.
_MAKING = frozenset({"builtins.dict", "collections.OrderedDict"})
_COPYING = frozenset({"copy.copy", "copy.deepcopy"})
# What leaves a dictionary as it is, and what gives its keys again.
_LOOKING_ON = _MAKING | _COPYING | frozenset(
    f"builtins.{name}" for name in "len bool print repr str list tuple set frozenset sorted iter enumerate any all".split()
)
_GIVING_AGAIN = frozenset(f"builtins.{name}" for name in "list tuple sorted iter".split())
_ASKED = frozenset("get pop popitem items keys values copy clear __contains__ __len__".split())
_SETTING, _ADDING = "setdefault", "update"
# Bases that know of no attribute which a class below gives its instances.
_KNOWING_NONE = ("builtins.", "abc.", "typing.", "enum.")
_LOOPS = (ast.For, ast.AsyncFor, ast.comprehension)


class _MayHold(Exception):
    """The name may be a key, as far as is known."""


class _Variable(NamedTuple):
    """A variable of a function that is the dictionary. One that `is_handed` has it from a caller, who has it still."""

    path: str
    binding: int
    is_handed: bool = False


class _Attribute(NamedTuple):
    """An attribute of the instances of a class that is the dictionary."""

    owner: ClassKey
    name: str


class _TakingRest(NamedTuple):
    """A function that takes any keywords; the dictionary is what it gets."""

    key: FunctionKey


_Place = _Variable | _Attribute | _TakingRest


class KeysHeld:
    """Says of dictionaries whether a name may be one of their keys.

    `is_given` says whether a call that may run a function has the name as a keyword, `rests_to` gives the dictionaries of
    keywords with which one may be run.
    """

    def __init__(
        self,
        evaluator: Evaluator,
        name: str,
        is_given: Callable[[FunctionKey], bool],
        rests_to: Callable[[list[FunctionKey]], Iterable[tuple[LinkedFile, RestUse]]],
    ) -> None:
        self._evaluator = evaluator
        self._linkage = evaluator.linkage
        self._name = name
        self._is_given = is_given
        self._rests_to = rests_to
        self._are_without: set[_Place] = set()
        self._may_hold: set[_Place] = set()

        # Of the dictionary that is asked for: what is still to be looked at, with what led there.
        self._rest: list[_Place] = []
        self._led_by: dict[_Place, _Place | None] = {}
        self._now: _Place | None = None

    def never_hold(self, file: LinkedFile, rest: RestUse) -> bool:
        """Whether what is handed over as a dictionary of keywords never has the name as a key."""
        self._rest, self._led_by, self._now = [], {}, None
        try:
            self._follow_rest(file, rest)
            while self._rest:
                self._now = self._rest.pop()
                self._look_at(self._now)
            self._check_sharing()
        except _MayHold:
            while self._now is not None:
                self._may_hold.add(self._now)
                self._now = self._led_by[self._now]
            return False
        # What is known of each of these is known under the condition that it holds of all.
        self._are_without.update(self._led_by)
        return True

    def _note(self, place: _Place) -> None:
        if place in self._may_hold:
            raise _MayHold
        if place not in self._are_without and place not in self._led_by:
            self._led_by[place] = self._now
            self._rest.append(place)

    def _check_sharing(self) -> None:
        """What a function gives may be changed by all who call it, unless it is made anew for each."""
        are_kept = any(isinstance(each, _Attribute) for each in self._led_by)
        if are_kept and any(isinstance(each, _Variable) and self._is_given_back(each) for each in self._led_by):
            raise _MayHold

    def _is_given_back(self, place: _Variable) -> bool:
        file = self._evaluator.file(place.path)
        tree = syntax_tree(file.data)
        return any(isinstance(tree.around[node], ast.Return) for node in _reads(file, tree, place.binding))

    def _look_at(self, place: _Place) -> None:
        match place:
            case _Variable():
                self._look_at_variable(place)
            case _Attribute():
                self._look_at_attribute(place)
            case _TakingRest():
                self._look_at_function(place.key)

    # -- what a dictionary is made of ----------------------------------------------------------

    def _follow_rest(self, file: LinkedFile, rest: RestUse) -> None:
        if rest.keys is None:
            self._follow(file, self._handed_there(file, rest))
        elif self._name in rest.keys:
            raise _MayHold

    def _handed_there(self, file: LinkedFile, handed: RestUse | Handed) -> ast.expr:
        """What stands at the place of an argument."""
        tree = syntax_tree(file.data)
        if file.source.text[handed.start : handed.end].isidentifier():
            node: ast.expr | None = tree.names.get(handed.start)
        else:
            node = tree.attributes.get(handed.end) or tree.arguments.get(handed.start)
        if node is None or tree.start_of(node) != handed.start or tree.end_of(node) != handed.end:
            raise _MayHold
        return node

    def _follow(self, file: LinkedFile, node: ast.expr) -> None:
        """What an expression gives."""
        match node:
            case ast.Constant(value=None):
                pass
            case ast.Dict(keys=keys, values=values):
                for key, value in zip(keys, values, strict=True):
                    if key is None:
                        self._follow(file, value)
                    else:
                        self._check_key(file, key)
            case ast.DictComp(key=key):
                self._check_key(file, key)
            case ast.IfExp(body=first, orelse=second) | ast.BinOp(left=first, op=ast.BitOr(), right=second):
                self._follow(file, first)
                self._follow(file, second)
            case ast.BoolOp(values=values):
                for each in values:
                    self._follow(file, each)
            case ast.Call():
                self._follow_call(file, node)
            case ast.Await(value=ast.Call() as call):
                self._follow_call(file, call, is_awaited=True)
            case ast.Name():
                self._note(self._variable(file, node))
            case ast.Attribute():
                self._follow_attribute(file, node)
            case _:
                raise _MayHold

    def _variable(self, file: LinkedFile, node: ast.Name, *, is_handed: bool = False) -> _Variable:
        reference = file.facts.reference_by_start.get(syntax_tree(file.data).start_of(node))
        if reference is None:
            raise _MayHold
        return _Variable(file.path, reference.binding, is_handed)

    def _follow_attribute(self, file: LinkedFile, node: ast.Attribute) -> None:
        receivers = self._evaluator.values(file, origin_of(file, node).parts[0]) if origin_of(file, node).parts else frozenset()
        if not receivers or any(value.sort is not ValueSort.INSTANCE for value in receivers):
            raise _MayHold
        for value in receivers:
            self._note(_Attribute((value.path, value.number), node.attr))

    def _follow_call(self, file: LinkedFile, call: ast.Call, *, is_awaited: bool = False) -> None:
        """What a call gives: another dictionary, made of one, or what a function of the project gives back."""
        callees = self._callees(file, call)
        if callees and all(value.sort is ValueSort.FUNCTION for value in callees):
            for value in callees:
                self._follow_result((value.path, value.number), is_awaited=is_awaited)
            return
        names = {value.name for value in callees}
        if names and names <= _MAKING:
            for argument in call.args:
                self._follow_items(file, argument)
            self._check_keywords(file, call)
        elif names and names <= _COPYING:
            self._follow(file, call.args[0])
        elif isinstance(call.func, ast.Attribute) and call.func.attr == "copy" and not call.args:
            self._follow(file, call.func.value)
        else:
            raise _MayHold

    def _callees(self, file: LinkedFile, call: ast.Call) -> Values:
        if not isinstance(call.func, ast.Name | ast.Attribute):
            return frozenset()
        return self._evaluator.values(file, origin_of(file, call.func))

    def _follow_items(self, file: LinkedFile, node: ast.expr) -> None:
        """What a dictionary is made of that is given pairs, or another one."""
        match node:
            case ast.GeneratorExp(elt=ast.Tuple(elts=[key, _])) | ast.ListComp(elt=ast.Tuple(elts=[key, _])):
                self._check_key(file, key)
            case _:
                self._follow(file, node)

    def _check_keywords(self, file: LinkedFile, call: ast.Call) -> None:
        for keyword in call.keywords:
            if keyword.arg is None:
                self._follow(file, keyword.value)
            elif keyword.arg == self._name:
                raise _MayHold

    def _follow_result(self, key: FunctionKey, *, is_awaited: bool) -> None:
        file, record = self._evaluator.file(key[0]), self._evaluator.function_record(key)
        tree = syntax_tree(file.data)
        node = definition_of(tree, record)
        is_coroutine = isinstance(node, ast.AsyncFunctionDef)
        if node is None or not file.is_own or record.decorators or node in tree.generators or is_coroutine is not is_awaited:
            raise _MayHold
        for each in ast.walk(node):
            if isinstance(each, ast.Return) and each.value is not None and function_around(tree, each) is node:
                self._follow(file, each.value)

    # -- keys ------------------------------------------------------------------------------------

    def _check_key(self, file: LinkedFile, key: ast.expr) -> None:
        """A key that is written out, or worked out."""
        texts = texts_made(self._evaluator, file, key)
        if texts is not None:
            may_be = self._name in texts
        elif isinstance(key, ast.Name) and (of_others := self._dictionaries_gone_through(file, key)):
            may_be = False
            for each in of_others:
                self._follow(file, each)
        else:
            before, behind = _fixed_ends(key)
            may_be = self._name.startswith(before) and self._name.endswith(behind)
        if may_be:
            raise _MayHold

    def _dictionaries_gone_through(self, file: LinkedFile, key: ast.Name) -> list[ast.expr]:
        """The dictionaries of which a variable is a key, one after the other; none where it may be something else."""
        tree, facts = syntax_tree(file.data), file.facts
        binding = self._variable(file, key).binding
        found: list[ast.expr] = []
        for index in facts.bindings[binding].references if binding >= 0 else ():
            reference = facts.references[index]
            if reference.role is Role.READ:
                continue
            target = tree.names.get(reference.start)
            through = self._gone_through(file, tree, target) if target is not None else None
            if through is None or reference.role not in (Role.LOOP, Role.EACH):
                return []
            found.append(through)
        return found

    def _gone_through(self, file: LinkedFile, tree: SyntaxTree, target: ast.Name) -> ast.expr | None:
        """The dictionary through whose keys a loop goes with a variable."""
        pair = tree.around[target]
        in_pairs = isinstance(pair, ast.Tuple) and pair.elts[0] is target
        given = pair if isinstance(pair, ast.Tuple) else target
        loop = tree.around[given]
        if not isinstance(loop, _LOOPS) or loop.target is not given:
            return None
        through = loop.iter
        while isinstance(through, ast.Call) and len(through.args) == 1:
            if not {value.name for value in self._callees(file, through)} <= _GIVING_AGAIN:
                return None
            through = through.args[0]
        match through:
            case ast.Call(func=ast.Attribute(value=inner, attr="items"), args=[]) if in_pairs:
                return inner
            case ast.Call(func=ast.Attribute(value=inner, attr="keys"), args=[]) if given is target:
                return inner
            case ast.Name() | ast.Attribute() if given is target:
                return through
        return None

    # -- where it is kept --------------------------------------------------------------------------

    def _look_at_variable(self, place: _Variable) -> None:
        """All that gives a variable a dictionary, unless a caller does, and all that is done with it."""
        file = self._evaluator.file(place.path)
        facts, tree = file.facts, syntax_tree(file.data)
        if place.binding < 0 or facts.scopes[facts.bindings[place.binding].scope].kind is not ScopeKind.FUNCTION:
            raise _MayHold
        number, parameter = file.parameter_by_binding.get(place.binding, (-1, None))
        is_rest = parameter is not None and parameter.sort is ParameterSort.REST_KEYWORDS
        for index in facts.bindings[place.binding].references:
            reference = facts.references[index]
            node = tree.names.get(reference.start)
            match reference.role:
                case Role.PARAMETER if is_rest:
                    self._note(_TakingRest((file.path, number)))
                case Role.PARAMETER if place.is_handed:
                    pass
                case Role.PARAMETER:
                    self._follow_given(file, number, place.binding)
                case Role.ASSIGN | Role.AUGMENT if node is not None:
                    self._follow_assigned(file, tree, node)
                case Role.READ if node is not None:
                    self._check_use(file, node, place, is_rest=is_rest)
                case Role.DELETE:
                    pass
                case _:
                    raise _MayHold

    def _follow_given(self, file: LinkedFile, number: int, binding: int) -> None:
        """What all callers in sight hand to a parameter."""
        parameter = file.parameter_by_binding[binding][1]
        calls = self._evaluator.calls_of(file, number)
        if calls is None or parameter.default is not None:
            raise _MayHold
        is_given = False
        for other, handed in calls:
            if parameter in self._evaluator.parameters_filled(file, number, other, handed):
                self._follow(other, self._handed_there(other, handed))
                is_given = True
        if not is_given:
            # Nobody in sight calls it: somebody else does.
            raise _MayHold

    def _follow_assigned(self, file: LinkedFile, tree: SyntaxTree, target: ast.expr) -> None:
        """What a statement gives a variable or attribute."""
        match tree.around[target]:
            case ast.Assign(targets=targets, value=value) if target in targets:
                self._follow(file, value)
                for each in targets:
                    if each is not target:
                        self._keep(file, each)
            case ast.AnnAssign(target=only, value=value) if only is target:
                if value is not None:
                    self._follow(file, value)
            case ast.AugAssign(op=ast.BitOr(), value=value):
                self._follow(file, value)
            case _:
                raise _MayHold

    def _look_at_attribute(self, place: _Attribute) -> None:
        """All that gives an attribute a dictionary, and all that is done with it."""
        evaluator, name = self._evaluator, place.name
        if self._linkage.is_library and not name.startswith("_"):
            raise _MayHold
        relatives = evaluator.relatives(place.owner)
        writes = writes_in_sight(evaluator, place.owner, name)
        if not writes or self._may_base_know_it(place.owner) or self._is_found_otherwise(name, relatives):
            raise _MayHold
        for file, use in writes:
            tree = syntax_tree(file.data)
            target = tree.attributes.get(use.end)
            if target is None:
                raise _MayHold
            self._follow_assigned(file, tree, target)
        for file in self._linkage.mentioning(name):
            for use in file.links.attributes_by_name.get(name, ()):
                if use.use is Use.READ and may_be_of(evaluator.values(file, use.receiver), relatives):
                    node = syntax_tree(file.data).attributes.get(use.end)
                    if node is None:
                        raise _MayHold
                    self._check_use(file, node, place)

    def _may_base_know_it(self, owner: ClassKey) -> bool:
        return not all(name.startswith(_KNOWING_NONE) for name in self._evaluator.foreign_above(owner))

    def _is_found_otherwise(self, name: str, classes: Sequence[ClassKey]) -> bool:
        """Whether somebody may get an attribute of some classes by a name that is a text, or out of a namespace, and put
        the key there."""
        evaluator, linkage = self._evaluator, self._linkage
        if not self._may_be_key:
            # Only texts of the project become keys there.
            return False
        # What is private is seldom looked up by a name that is worked out.
        return linkage.stands_in_quotes(name) or any(
            may_be_of(evaluator.values(file, owner), classes)
            for file in self._files_looking_up
            for owner in self._looked_into(file, name)
        )

    def _looked_into(self, file: LinkedFile, name: str) -> Iterator[Origin]:
        """That of which a file takes the namespace, or looks an attribute up that may be of a name."""
        if not name.startswith("_"):
            yield from (lookup.receiver for lookup in file.links.lookups if lookup.may_find(name))
        yield from (owner for owner, _ in namespaces_of(file))

    @cached_property
    def _files_looking_up(self) -> list[LinkedFile]:
        linkage = self._linkage
        looking = list(filter(None, map(linkage.file, linkage.lookup_paths)))
        return looking + [file for file in linkage.mentioning_any(("__dict__", "vars")) if file not in looking]

    @cached_property
    def _may_be_key(self) -> bool:
        return may_be_key(self._linkage, self._name)

    def _look_at_function(self, key: FunctionKey) -> None:
        """All that calls of a function give it as keywords of any name."""
        file, record = self._evaluator.file(key[0]), self._evaluator.function_record(key)
        if any(each.name == self._name and each.sort in BY_KEYWORD for each in record.parameters):
            # What is given under that name goes to the parameter, and is not among the rest.
            return
        is_public = self._linkage.is_library and is_public_function(self._evaluator, file, record)
        if is_public or self._is_given(key):
            raise _MayHold
        for other, rest in self._rests_to([key]):
            self._follow_rest(other, rest)

    # -- what is done with it ------------------------------------------------------------------------

    def _check_use(self, file: LinkedFile, node: ast.expr, place: _Place, *, is_rest: bool = False) -> None:
        """Something is done with the dictionary where it stands: it may be given keys, or be kept elsewhere."""
        tree = syntax_tree(file.data)
        around = tree.around[node]
        match around:
            case ast.keyword(arg=None) | ast.Starred() | ast.Compare() | ast.UnaryOp(op=ast.Not()) | ast.FormattedValue() | ast.Expr():
                pass
            case ast.BinOp(op=ast.BitOr()):
                # That makes another one.
                pass
            case ast.Dict(keys=keys, values=values) if node in values and keys[values.index(node)] is None:
                pass
            case ast.If(test=test) | ast.While(test=test) | ast.Assert(test=test) | ast.IfExp(test=test) if test is node:
                pass
            case ast.IfExp() | ast.BoolOp():
                self._check_use(file, around, place, is_rest=is_rest)
            case ast.Subscript(value=inner, slice=key, ctx=context) if inner is node:
                if isinstance(context, ast.Store):
                    self._check_key(file, key)
            case ast.Attribute(attr=method):
                self._check_method(file, tree, around, method)
            case ast.For(iter=through) | ast.AsyncFor(iter=through) | ast.comprehension(iter=through) if through is node:
                pass
            case ast.Assign(value=value, targets=targets) if value is node:
                for target in targets:
                    self._keep(file, target)
            case ast.AnnAssign(value=value, target=target) if value is node:
                self._keep(file, target)
            case ast.NamedExpr(target=target):
                self._keep(file, target)
                self._check_use(file, around, place, is_rest=is_rest)
            case ast.Return() if isinstance(place, _Variable) and not place.is_handed:
                if file.facts.bindings[place.binding].captured:
                    raise _MayHold
            case ast.Call() | ast.keyword():
                self._hand(file, tree, node, around, is_rest=is_rest)
            case _:
                raise _MayHold

    def _check_method(self, file: LinkedFile, tree: SyntaxTree, read: ast.expr, method: str) -> None:
        """A method of the dictionary is called, or something else read off it."""
        match tree.around[read]:
            case ast.Call(func=function, args=arguments) as call if function is read:
                if method == _SETTING and arguments:
                    self._check_key(file, arguments[0])
                elif method == _ADDING:
                    for argument in arguments:
                        self._follow_items(file, argument)
                    self._check_keywords(file, call)
                elif method not in _ASKED:
                    raise _MayHold
            case _:
                raise _MayHold

    def _keep(self, file: LinkedFile, target: ast.expr) -> None:
        match target:
            case ast.Name():
                self._note(self._variable(file, target))
            case ast.Attribute():
                self._follow_attribute(file, target)
            case _:
                raise _MayHold

    def _hand(self, file: LinkedFile, tree: SyntaxTree, node: ast.expr, around: ast.AST, *, is_rest: bool) -> None:
        """The dictionary is handed to a call, which may put something into it. What takes any keywords has one of its own: of
        that, only texts of the project can become keys."""
        call = around if isinstance(around, ast.Call) else tree.around[around]
        if not isinstance(call, ast.Call):
            raise _MayHold
        callees = self._callees(file, call)
        if callees and {value.name for value in callees} <= _LOOKING_ON:
            return
        if is_rest and not self._may_be_key:
            return
        handed = file.handed_at(tree.start_of(node), tree.end_of(node))
        if handed is None or not callees:
            raise _MayHold
        for value in callees:
            there = self._evaluator.file(value.path) if value.sort is ValueSort.FUNCTION else None
            filled = self._evaluator.parameters_filled(there, value.number, file, handed) if there is not None and there.is_own else []
            if not filled:
                raise _MayHold
            for each in filled:
                self._note(_Variable(value.path, each.binding, is_handed=True))


def _reads(file: LinkedFile, tree: SyntaxTree, binding: int) -> Iterator[ast.Name]:
    """Where a variable is read."""
    for index in file.facts.bindings[binding].references:
        reference = file.facts.references[index]
        if reference.role is Role.READ and (node := tree.names.get(reference.start)) is not None:
            yield node


def is_only_handed_on(file: LinkedFile, binding: int) -> bool:
    """Whether nothing is done with a dictionary of keywords, but that it is handed on as such."""
    tree = syntax_tree(file.data)
    roles = file.facts.roles(binding) - {Role.PARAMETER, Role.READ}
    handed = (tree.around[each] for each in _reads(file, tree, binding))
    return not roles and all(isinstance(each, ast.keyword) and each.arg is None for each in handed)


def _fixed_ends(key: ast.expr) -> tuple[str, str]:
    """With what every text begins and ends that an expression may give."""
    match key:
        case ast.JoinedStr(values=[first, *_, last]) | ast.BinOp(left=first, op=ast.Add(), right=last):
            return _written_text(first), _written_text(last)
    return "", ""


def _written_text(part: ast.expr) -> str:
    return part.value if isinstance(part, ast.Constant) and isinstance(part.value, str) else ""
