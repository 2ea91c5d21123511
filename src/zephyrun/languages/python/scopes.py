"""Which name belongs to which scope: the resolver.

`ScopeTable` is told, while the tree is walked, which scope opens where and what is done with each
name in it; `resolve` then says for every mention which binding it means. It follows the language
reference and is held against the interpreter's own symbol tables and compiled code by
`benchmarks/resolver_agreement.py`.

Source: language reference 4.2 (naming and binding), 6.2.1 (private name mangling), PEP 572
(assignment expressions), PEP 695 (type parameter scopes).
"""

from __future__ import annotations

from functools import cached_property
from operator import itemgetter
from typing import NamedTuple

from zephyrun.facts import BINDING_ROLES, Binding, Reference, Role, Scope, ScopeKind


class Mark:
    """What a scope does with a name, as far as it decides where the name belongs.

    Plain integers, to be joined by `|`: flags of `enum` cost several times the walk itself.
    """

    READ = 1
    ASSIGNED = 2
    PARAMETER = 4
    IMPORTED = 8
    GLOBAL = 16
    NONLOCAL = 32
    ANNOTATED = 64
    TYPE_PARAMETER = 128


BOUND = Mark.ASSIGNED | Mark.PARAMETER | Mark.IMPORTED | Mark.TYPE_PARAMETER

_MARK_OF_ROLE = {
    Role.READ: Mark.READ,
    Role.PARAMETER: Mark.PARAMETER,
    Role.IMPORT: Mark.IMPORTED,
    Role.TYPE_PARAMETER: Mark.TYPE_PARAMETER | Mark.ASSIGNED,
    **{
        role: Mark.ASSIGNED
        for role in BINDING_ROLES - {Role.PARAMETER, Role.IMPORT, Role.TYPE_PARAMETER}
    },
}

# What is asked for every name, under names of their own: to look one up in its class takes as long as
# the rest of the question.
_MODULE, _CLASS, _QUOTED = ScopeKind.MODULE, ScopeKind.CLASS, Role.QUOTED
_GLOBAL, _NONLOCAL = Mark.GLOBAL, Mark.NONLOCAL
_ELSEWHERE = _GLOBAL | _NONLOCAL

# The cell through which `super()` and `__class__` reach the class around a function.
CLASS_CELL = "__class__"


# A name as it stands in the text, before it is known what it means: the name (mangled where the
# language mangles it), start, end, role, scope, alone. A plain tuple, since every name makes one.
Mention = tuple[str, int, int, Role, int, bool]


class Home(NamedTuple):
    """Where a name used in some scope lives. `outside`: nothing in the file binds it there."""

    scope: int
    name: str
    outside: bool


class ScopeTable:
    """Scopes, what each does with which name, and every mention of a name."""

    def __init__(self) -> None:
        self.scopes: list[Scope] = []
        self.marks: list[dict[str, int]] = []
        self.mentions: list[Mention] = []
        self._sees_class: list[bool] = []
        self._homes: dict[tuple[int, str], Home] = {}

    def open(
        self, kind: ScopeKind, name: str, parent: int, start: int, end: int, *, sees_class: bool = False
    ) -> int:
        """Add a scope and return its index. `sees_class`: names of a class around it are in reach,
        as they are for type parameters and for the values of type aliases."""
        self.scopes.append(Scope(kind, name, parent, start, end))
        self.marks.append({})
        self._sees_class.append(sees_class)
        return len(self.scopes) - 1

    def mark(self, scope: int, name: str, mark: int) -> None:
        """Note that `scope` does `mark` with `name`, without a place in the text."""
        marks = self.marks[scope]
        marks[name] = marks.get(name, 0) | mark

    def mention(
        self, name: str, start: int, end: int, role: Role, scope: int, *, alone: bool = True
    ) -> None:
        """Note that `name` stands at `start`–`end`. Names in quotes and declarations leave no mark."""
        self.mentions.append((name, start, end, role, scope, alone))
        if (mark := _MARK_OF_ROLE.get(role)) is not None:
            marks = self.marks[scope]
            marks[name] = marks.get(name, 0) | mark

    def bind_from_comprehension(self, name: str, scope: int) -> None:
        """An assignment expression inside comprehensions binds in the scope around them.

        Source: PEP 572, "Scope of the target".
        """
        around = scope
        while self.scopes[around].kind is ScopeKind.COMPREHENSION:
            around = self.scopes[around].parent
        if self.scopes[around].kind is ScopeKind.MODULE:
            self.mark(around, name, Mark.GLOBAL)
            self.mark(scope, name, Mark.GLOBAL)
        else:
            is_global = self.marks[around].get(name, 0) & Mark.GLOBAL
            self.mark(scope, name, Mark.GLOBAL if is_global else Mark.NONLOCAL)
            self.mark(around, name, Mark.ASSIGNED)

    def home(self, scope: int, name: str) -> Home:
        """Where `name`, used in `scope`, lives."""
        key = scope, name
        found = self._homes.get(key)
        if found is None:
            found = self._homes[key] = self._find_home(scope, name)
        return found

    def _find_home(self, scope: int, name: str) -> Home:
        marks = self.marks[scope].get(name, 0)
        record = self.scopes[scope]
        if record.kind is _MODULE or marks & _GLOBAL:
            return self._module_home(name)
        if marks & BOUND and not marks & _NONLOCAL:
            return Home(scope, name, False)
        sees_class = self._sees_class[scope]
        around = record.parent
        while around > 0:
            marks = self.marks[around].get(name, 0)
            is_bound = bool(marks & BOUND) and not marks & _ELSEWHERE
            if self.scopes[around].kind is _CLASS:
                if name == CLASS_CELL or (sees_class and is_bound):
                    return Home(around, name, False)
                sees_class = False
            elif marks & _GLOBAL:
                break
            elif is_bound:
                return Home(around, name, False)
            else:
                sees_class = sees_class and self._sees_class[around]
            around = self.scopes[around].parent
        return self._module_home(name)

    def _module_home(self, name: str) -> Home:
        return Home(0, name, name not in self.global_names)

    @cached_property
    def global_names(self) -> frozenset[str]:
        """Names that something in the file binds in the module. Only asked once all is marked."""
        in_module = {name for name, marks in self.marks[0].items() if marks & BOUND}
        declared = {
            name
            for marks_of_scope in self.marks
            for name, marks in marks_of_scope.items()
            if marks & _GLOBAL and marks & BOUND
        }
        return frozenset(in_module | declared)

    @property
    def names(self) -> frozenset[str]:
        """Every name that stands somewhere."""
        return frozenset(map(itemgetter(0), self.mentions))

    @cached_property
    def places(self) -> frozenset[tuple[str, int]]:
        """Every name that stands somewhere, with where. Only asked once all is told."""
        return frozenset(map(itemgetter(0, 1), self.mentions))

    def resolve(self) -> tuple[tuple[Binding, ...], tuple[Reference, ...]]:
        """Say what every mention means.

        Shape: bindings in the order of their first mention; references in text order, those of one
        place in the order in which they were mentioned.
        """
        number_of: dict[Home, int] = {}
        homes: list[Home] = []
        home_scopes: list[int] = []
        places: list[list[int]] = []
        captured: set[int] = set()
        references: list[Reference] = []
        known: list[dict[str, int]] = [{} for _ in self.scopes]
        # Twice as fast as calling the class, and every name of a file comes by here.
        new_record = tuple.__new__
        mentions = sorted(self.mentions, key=itemgetter(1))
        for index, (name, start, end, role, scope, alone) in enumerate(mentions):
            number = known[scope].get(name, -1)
            if number < 0:
                home = self.home(scope, name)
                number = known[scope][name] = number_of.setdefault(home, len(number_of))
                if number == len(homes):
                    homes.append(home)
                    home_scopes.append(home.scope)
                    places.append([])
            places[number].append(index)
            if scope != home_scopes[number] and role is not _QUOTED:
                captured.add(number)
            references.append(new_record(Reference, (start, end, role, scope, number, alone)))
        bindings = tuple(
            Binding(home.name, home.scope, tuple(places[number]), home.outside, number in captured)
            for number, home in enumerate(homes)
        )
        return bindings, tuple(references)
