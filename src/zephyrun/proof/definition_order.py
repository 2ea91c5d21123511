"""Definitions and imports of a module whose order nobody can tell, brought into one.

A statement may change places with the one beside it when running it does nothing but bind names of its
own to new functions, classes and constants, and neither reads what the other binds. The same holds for
imports of standard library modules, by the contract.
"""

from __future__ import annotations

import ast
import sys
from bisect import bisect_left
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from heapq import heapify, heappop, heappush
from typing import NamedTuple

from zephyrun.facts import FileFacts, Role
from zephyrun.languages.python.nodes import nodes_in
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.proof.python_versions import NEW_MODULES

REORDERED = "definition or import in another place"

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
# Run or show something when they are imported. Source: library reference, and what their sources warn of.
_EFFECTFUL = frozenset(
    """__future__ __hello__ __phello__ __main__ antigravity this readline rlcompleter site sitecustomize usercustomize
    idlelib turtle turtledemo tkinter imp asyncore asynchat smtpd distutils lib2to3 aifc audioop cgi cgitb chunk
    crypt imghdr mailcap msilib nis nntplib ossaudiodev pipes sndhdr spwd sunau telnetlib uu xdrlib""".split()
)
# What an expression may be made of that is evaluated when a function is defined, and does nothing then.
_PLAIN = (
    ast.Constant, ast.Attribute, ast.Subscript, ast.Tuple, ast.List, ast.Load, ast.BinOp, ast.BitOr,
    ast.UnaryOp, ast.USub,
)
_PLAIN_VALUES = (ast.Constant, ast.Tuple, ast.Load, ast.UnaryOp, ast.USub)
# What may stand below an exception of Python's own does nothing when it is made. Source: library reference, "Built-in
# Exceptions"; those that are younger than the oldest version of Python 3 that is read are left out.
_EXCEPTIONS = frozenset(
    """ArithmeticError AssertionError AttributeError BaseException DeprecationWarning EOFError Exception ImportError IndexError
    KeyError LookupError NameError NotImplementedError OSError OverflowError RuntimeError RuntimeWarning TypeError UserWarning
    ValueError Warning ZeroDivisionError""".split()
)
_PLAIN_DECORATORS = frozenset({"property", "staticmethod", "classmethod"})


def settle_order(
    tree: ast.Module,
    facts: FileFacts,
    is_of_library: Callable[[str], bool],
    read_as: Callable[[ast.stmt, str], str],
    *,
    shows_names: bool,
    shows_members: bool,
) -> list[list[int]]:
    """Sort the statements at the top of a module that may change places, and those of its classes; where each of
    them stood, in the order in which they stand then, for the module and for each class. `is_of_library` says whether
    an import leads to the standard library, and `read_as` how the name that a statement binds is to be read; where
    something `shows_names` of the module, or members of classes, their order shows, too."""
    body = [each for statement in tree.body for each in _one_by_one(statement, is_of_library)]
    imports = _Sorting(lambda each: is_plain_import(each, is_of_library), _imported_names, read_as)
    settled = imports.sort(body)
    orders: list[list[int]] = []
    if not shows_names:
        known = Known.of(facts, settled, is_of_library)
        definitions = _Sorting(
            lambda each: is_plain_definition(each, known), _defined_names, read_as, known.builtins
        )
        settled = definitions.sort(settled)
        if not shows_members:
            classes = [each for each in settled if isinstance(each, ast.ClassDef)]
            orders = [_settle_members(each, settled, known, read_as) for each in classes if _stands_alone(each)]
    tree.body = settled
    return [_order(body, settled), *orders]


def _settle_members(
    owner: ast.ClassDef, around: Sequence[ast.stmt], known: Known, read_as: Callable[[ast.stmt, str], str]
) -> list[int]:
    """Sort what stands in a class."""
    before = known.builtins.union(*map(bound_names, around[: around.index(owner)]))
    members = _Sorting(lambda each: _is_plain_member(each, known), _defined_names, read_as, before)
    settled = members.sort(owner.body)
    order = _order(owner.body, settled)
    owner.body = settled
    return order


def _is_plain_member(statement: ast.stmt, known: Known) -> bool:
    """Whether a statement in a class only binds a name. Some programs run functions of certain names in the order in
    which they stand."""
    if isinstance(statement, _FUNCTIONS):
        return not statement.name.startswith("test") and _is_plain_in_class(statement, known)
    return _is_constant(statement)


def _order(before: Sequence[ast.stmt], after: Sequence[ast.stmt]) -> list[int]:
    places = {id(statement): place for place, statement in enumerate(before)}
    return [places[id(statement)] for statement in after]


def n_moved(old: Sequence[Sequence[int]], new: Sequence[Sequence[int]]) -> int:
    """How many statements stand in another place of a module, or of one of its classes, in one of two versions."""
    return sum(_n_moved(*orders) for orders in zip(old, new, strict=False))


def _n_moved(old: Sequence[int], new: Sequence[int]) -> int:
    """How many statements stand in another place in one of two versions, at the least; both tell where the
    same statements stood."""
    # The longest part that stands in one order in both, by the places at which it could end.
    ends: list[int] = []
    for _, place in sorted(zip(old, new, strict=False)):
        index = bisect_left(ends, place)
        ends[index : index + 1] = [place]
    return len(new) - len(ends)


class Known(NamedTuple):
    """Names of a module by what they surely are: `builtins`, and these with imports of the standard library, which are
    `harmless`."""

    builtins: frozenset[str]
    harmless: frozenset[str]

    @classmethod
    def of(
        cls, facts: FileFacts, body: Sequence[ast.stmt], is_of_library: Callable[[str], bool]
    ) -> Known:
        """The known names of a module with these statements at its top."""
        builtins = {each.name for each in facts.bindings if each.outside and each.name in BUILTINS}
        imported = {
            name for statement in body if is_plain_import(statement, is_of_library) for name in _imported_names(statement)
        }
        only_imported = {
            binding.name
            for number, binding in enumerate(facts.bindings)
            if binding.scope == 0 and not binding.outside and facts.roles(number) <= {Role.IMPORT, Role.READ}
        }
        return cls(frozenset(builtins), frozenset(builtins | (imported & only_imported)))


def _one_by_one(statement: ast.stmt, is_of_library: Callable[[str], bool]) -> Iterator[ast.stmt]:
    """A statement, or as many as the names that an import takes in."""
    takes_several = isinstance(statement, ast.Import) or (
        isinstance(statement, ast.ImportFrom) and is_plain_import(statement, is_of_library)
    )
    if not takes_several:
        yield statement
        return
    assert isinstance(statement, ast.Import | ast.ImportFrom), "it was just told"
    for alias in statement.names:
        if isinstance(statement, ast.Import):
            yield ast.copy_location(ast.Import([alias]), statement)
        else:
            yield ast.copy_location(ast.ImportFrom(statement.module, [alias], statement.level), statement)


class _Sorting(NamedTuple):
    """What is sorted and by what: the statements that `may_move`, by the names that they bind, each read as it
    is to be. `builtins` are there before anything else."""

    may_move: Callable[[ast.stmt], bool]
    names_of: Callable[[ast.stmt], tuple[str, ...]]
    read_as: Callable[[ast.stmt, str], str]
    builtins: frozenset[str] = frozenset()

    def sort(self, body: Sequence[ast.stmt]) -> list[ast.stmt]:
        """The statements; those that may move and stand together in the order of the names that they bind."""
        found: list[ast.stmt] = []
        run: list[ast.stmt] = []
        for statement in body:
            if self.may_move(statement):
                run.append(statement)
            else:
                found += [*self._sorted(run, found), statement]
                run = []
        return found + self._sorted(run, found)

    def _sorted(self, run: list[ast.stmt], before: Sequence[ast.stmt]) -> list[ast.stmt]:
        """One run by the names that it binds, each statement behind those that bind what it reads; as it stands where
        a name is bound twice, or read before it is surely bound."""
        names = [self.names_of(statement) for statement in run]
        if any(count > 1 for count in Counter(name for each in names for name in each).values()):
            return run
        place_of = {name: place for place, each in enumerate(names) for name in each}
        reads = [set(read_at_once(statement)) for statement in run]
        there = self.builtins.union(*map(bound_names, before)) if any(reads) else self.builtins
        needed = [{place_of[name] for name in each if name in place_of} for each in reads]
        is_there = all(each <= there | place_of.keys() for each in reads)
        if not is_there or any(max(each, default=-1) >= place for place, each in enumerate(needed)):
            return run

        keys = [[self.read_as(run[place], name) for name in each] for place, each in enumerate(names)]
        return [run[place] for place in _in_order(keys, needed)]


def _in_order(keys: Sequence[Sequence[str]], needed: Sequence[set[int]]) -> Iterator[int]:
    """Places by their keys, each behind those that it needs."""
    waiting = {place: set(each) for place, each in enumerate(needed)}
    free = [(keys[place], place) for place, each in waiting.items() if not each]
    heapify(free)
    while free:
        _, done = heappop(free)
        yield done
        for place, each in waiting.items():
            if done in each:
                each.remove(done)
                if not each:
                    heappush(free, (keys[place], place))


def bound_names(statement: ast.stmt) -> frozenset[str]:
    """The names that a statement at the top of a module surely binds, when it has run."""
    if isinstance(statement, ast.Import | ast.ImportFrom):
        return frozenset(_imported_names(statement))
    if isinstance(statement, (*_FUNCTIONS, ast.ClassDef)):
        return frozenset({statement.name})
    if isinstance(statement, ast.Assign):
        return frozenset(each.id for each in statement.targets if isinstance(each, ast.Name))
    return frozenset()


# -- imports -------------------------------------------------------------------------------------


def is_plain_import(statement: ast.stmt, is_of_library: Callable[[str], bool]) -> bool:
    """Whether a statement imports from the standard library, and nothing comes of it but names."""
    if isinstance(statement, ast.Import):
        return all(_is_harmless(each.name, is_of_library) for each in statement.names)
    return (
        isinstance(statement, ast.ImportFrom)
        and not statement.level
        and _is_harmless(statement.module or "", is_of_library)
        and all(alias.name != "*" for alias in statement.names)
    )


def _is_harmless(module: str, is_of_library: Callable[[str], bool]) -> bool:
    top = module.partition(".")[0]
    is_known = top in sys.stdlib_module_names and top not in _EFFECTFUL | NEW_MODULES
    return is_known and is_of_library(top)


def _imported_names(statement: ast.stmt) -> tuple[str, ...]:
    """The names that an import binds."""
    assert isinstance(statement, ast.Import | ast.ImportFrom), "only imports are asked"
    return tuple(alias.asname or alias.name.partition(".")[0] for alias in statement.names)


# -- definitions ---------------------------------------------------------------------------------


def is_plain_definition(statement: ast.stmt, known: Known) -> bool:
    """Whether a statement only binds a name to a new function, class or constant."""
    if isinstance(statement, _FUNCTIONS):
        # Some programs run functions of such names in the order in which they stand.
        return not statement.name.startswith("test") and _is_plain_function(statement, known, frozenset())
    return _is_plain_class(statement, known) if isinstance(statement, ast.ClassDef) else _is_constant(statement)


def _is_plain_class(statement: ast.ClassDef, known: Known) -> bool:
    if not all(_is_plain_in_class(each, known) for each in statement.body):
        return False
    return _stands_alone(statement) or (_is_below_exception(statement, known) and _is_made_plainly(statement))


def _stands_alone(statement: ast.ClassDef) -> bool:
    """Whether nothing but Python itself makes a class of what stands in it."""
    return not statement.bases and _is_made_plainly(statement)


def _is_below_exception(statement: ast.ClassDef, known: Known) -> bool:
    """Whether the one base of a class is an exception of Python's own."""
    names = [base.id for base in statement.bases if isinstance(base, ast.Name)]
    return len(names) == len(statement.bases) == 1 and names[0] in _EXCEPTIONS & known.builtins


def _is_made_plainly(statement: ast.ClassDef) -> bool:
    """Whether nothing looks at a class when it is made, its bases aside."""
    return (
        not statement.keywords
        and not statement.decorator_list
        and not getattr(statement, "type_params", [])
        and not statement.name.lower().startswith("test")
    )


def _is_constant(statement: ast.stmt) -> bool:
    return (
        isinstance(statement, ast.Assign)
        and len(statement.targets) == 1
        and isinstance(statement.targets[0], ast.Name)
        and not statement.targets[0].id.startswith("__")
        and all(isinstance(each, _PLAIN_VALUES) for each in nodes_in(statement.value))
    )


def _is_plain_function(
    function: ast.FunctionDef | ast.AsyncFunctionDef, known: Known, decorators: frozenset[str]
) -> bool:
    for decorator in function.decorator_list:
        if not isinstance(decorator, ast.Name) or decorator.id not in decorators or decorator.id not in known.builtins:
            return False
    return (
        not function.name.startswith("__getattr__")
        and not getattr(function, "type_params", [])
        and all(_is_plain(part, known) for part in _evaluated(function))
    )


def _is_plain(expression: ast.expr, known: Known) -> bool:
    """Whether to evaluate an expression does nothing: it is a constant or a name, or made of parts of what is
    known."""
    if isinstance(expression, ast.Constant | ast.Name):
        return True
    return all(
        each.id in known.harmless if isinstance(each, ast.Name) else isinstance(each, _PLAIN)
        for each in nodes_in(expression)
    )


def _is_plain_in_class(statement: ast.stmt, known: Known) -> bool:
    if isinstance(statement, _FUNCTIONS):
        has_hook = statement.name in ("__init_subclass__", "__set_name__", "__class_getitem__")
        return not has_hook and _is_plain_function(statement, known, _PLAIN_DECORATORS)
    is_text = isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)
    return is_text or isinstance(statement, ast.Pass) or _is_constant(statement)


def _evaluated(function: ast.FunctionDef | ast.AsyncFunctionDef) -> Iterator[ast.expr]:
    """What is evaluated when a function is defined, its decorators aside."""
    arguments = function.args
    yield from arguments.defaults
    yield from filter(None, arguments.kw_defaults)
    every = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs, arguments.vararg, arguments.kwarg]
    for argument in every:
        if argument is not None and argument.annotation is not None:
            yield argument.annotation
    if function.returns is not None:
        yield function.returns


def _defined_names(statement: ast.stmt) -> tuple[str, ...]:
    """The names that a plain definition binds."""
    if isinstance(statement, ast.Assign):
        target = statement.targets[0]
        assert isinstance(target, ast.Name), "constants have one name"
        return (target.id,)
    assert isinstance(statement, (*_FUNCTIONS, ast.ClassDef)), "only definitions are sorted"
    return (statement.name,)


def read_at_once(statement: ast.stmt) -> Iterator[str]:
    """The names that a statement reads when it runs; those in the bodies of functions are read later."""
    if isinstance(statement, _FUNCTIONS):
        for part in [*statement.decorator_list, *_evaluated(statement)]:
            yield from (each.id for each in nodes_in(part) if isinstance(each, ast.Name))
    elif isinstance(statement, ast.ClassDef):
        yield from (base.id for base in statement.bases if isinstance(base, ast.Name))
        for each in statement.body:
            yield from read_at_once(each)
