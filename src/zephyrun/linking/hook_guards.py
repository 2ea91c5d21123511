"""Methods that are asked for attributes, or given some, and pass a name over (`if name.startswith("_"): raise AttributeError(name)`)."""

from __future__ import annotations

import ast

from zephyrun.link_facts import OriginSort
from zephyrun.linking.bridges import is_bridge_function
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.lookup_calls import READING_HOOKS
from zephyrun.linking.names_passed_over import Passing
from zephyrun.linking.origins import origin_of
from zephyrun.linking.syntax_trees import called_name, definition_of, syntax_tree
from zephyrun.linking.value_sorts import ClassKey
from zephyrun.linking.values import Evaluator

_MISSING, _CAST, _LOWEST, _ABOVE = "builtins.AttributeError", "typing.cast", "builtins.object", "builtins.super"
_IF_MISSING, _READING = READING_HOOKS
# What may be called to say what is missing.
_SAYING = frozenset({"type", "repr", "str", "format"})


def passes_name_on(evaluator: Evaluator, key: ClassKey, hook: str, name: str) -> bool:
    """Whether a hook of a class does nothing with a name but what the language would do: it raises that there is no such
    attribute, or asks what all classes are below (`super().__setattr__(name, value)`)."""
    file = evaluator.file(key[0])
    method = _hook_bound(file, evaluator.binding_in(key, hook), hook)
    parameters = [each.arg for each in method.args.args] if method is not None else []
    if method is None or len(parameters) < len(("self", "name")):
        return False
    guard = _Guard(evaluator, file, parameters, name, hook)
    ends = guard.leaves_alone(method.body)
    return ends is True or (ends is False and guard.is_done)


def answers_for_names(file: LinkedFile) -> bool:
    """Whether a module has a function that is asked for names which it does not have, other than one that leads to new names."""
    return _IF_MISSING in file.module_bindings and not is_bridge_function(file)


def module_passes_name_over(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether the function of a module that is asked for names which it does not have says of one that there is none."""
    function = _hook_bound(file, file.module_bindings.get(_IF_MISSING), _IF_MISSING)
    if function is None or len(function.args.args) != 1:
        return False
    return _Guard(evaluator, file, ["", function.args.args[0].arg], name, _IF_MISSING).leaves_alone(function.body) is True


def _hook_bound(file: LinkedFile, binding: int | None, hook: str) -> ast.FunctionDef | None:
    """The one function without decorators that a hook is."""
    origins = file.links.sources.get(binding, ()) if binding is not None else ()
    if len(origins) != 1 or origins[0].sort is not OriginSort.DEFINED_FUNCTION or not file.is_own:
        return None
    node = definition_of(syntax_tree(file.data), file.links.functions[origins[0].binding])
    return node if isinstance(node, ast.FunctionDef) and node.name == hook and not node.decorator_list else None


class _Guard(Passing):
    """What becomes of the name in a hook, which has some `parameters`. One for writing `is_done` with what is below."""

    def __init__(self, evaluator: Evaluator, file: LinkedFile, parameters: list[str], name: str, hook: str) -> None:
        super().__init__(evaluator, file, parameters[1], name)
        self._parameters = parameters
        self._hook = hook
        self.is_done = False

    def leaves_alone(self, statements: list[ast.stmt]) -> bool | None:
        """Whether some statements end the hook for the name, or go on to what follows them; `None` where they do something
        with it of their own."""
        for statement in statements:
            match statement:
                case ast.If(test=test):
                    outcome = self.outcome(test)
                    ends = self.leaves_alone(statement.body if outcome else statement.orelse) if outcome is not None else None
                    if ends is not False:
                        return ends
                case ast.Raise(exc=ast.Name() | ast.Call() as raised, cause=None):
                    kind = raised.func if isinstance(raised, ast.Call) else raised
                    return True if self._hook == _IF_MISSING and self._is(kind, _MISSING) and self._only_says(raised) else None
                case ast.Return(value=ast.expr() as value) if self._asks_below(value) and not self.is_done:
                    self.is_done = True
                    return True
                case ast.Return(value=None) if self.is_done:
                    return True
                case ast.Expr(value=ast.Constant()) | ast.Import() | ast.ImportFrom():
                    # That is done for every name.
                    pass
                case ast.Expr(value=value) if self._hook not in READING_HOOKS and self._asks_below(value) and not self.is_done:
                    self.is_done = True
                case _:
                    return None
        return False

    def _is(self, node: ast.expr, full_name: str) -> bool:
        """Whether a name stands for something of Python's own."""
        return isinstance(node, ast.Name | ast.Attribute) and self.evaluator.full_name(self.file, origin_of(self.file, node)) == full_name

    def _only_says(self, raised: ast.expr) -> bool:
        calls = (each for each in ast.walk(raised) if isinstance(each, ast.Call) and each is not raised)
        return all(called_name(each) in _SAYING for each in calls)

    def _asks_below(self, node: ast.expr) -> bool:
        match node:
            case ast.Call(func=ast.Name() | ast.Attribute() as function, args=[_, inner]) if self._is(function, _CAST):
                return self._asks_below(inner)
            case ast.Call(func=ast.Attribute(value=ast.Call(func=above, args=[]), attr=called), args=given, keywords=[]) if self._is(above, _ABOVE):
                return called == self._hook and _names(given) == self._parameters[1:]
            case ast.Call(func=ast.Attribute(value=lowest, attr=called), args=given, keywords=[]) if self._is(lowest, _LOWEST):
                return called in (self._hook, _READING) and _names(given) == self._parameters
        return False


def _names(arguments: list[ast.expr]) -> list[str]:
    return [each.id if isinstance(each, ast.Name) else "" for each in arguments]
