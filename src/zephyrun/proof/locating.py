"""Where two versions differ, and whether the difference is one that a program could tell.

Only asked once the first witness has found two files unequal, so nothing here can make a verdict
`same`; it may only choose between `different` and `unproven`, and name the lines.

A *unit* is the code that runs as one: a function's own statements, a class body, the top of the
file. Units are paired by dotted name and order, their statements by shape, and the locals of a
pair of units by where they stand in statements of one shape.
"""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence, Set
from difflib import SequenceMatcher
from typing import Any, NamedTuple

from zephyrun.proof.normal_form import DOCUMENTED, Element, NormalForm, Version, is_text_statement
from zephyrun.proof.verdict import DefinitionProof, Difference, Verdict

_BLOCK_FIELDS = frozenset({"body", "orelse", "finalbody", "handlers", "cases"})
_SHOWN_LENGTH = 40
_DEFINITIONS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
_OPERATORS = {
    each.__name__: sign
    for each, sign in (
        (ast.Add, "+"), (ast.Sub, "-"), (ast.Mult, "*"), (ast.Div, "/"), (ast.FloorDiv, "//"),
        (ast.Mod, "%"), (ast.Pow, "**"), (ast.MatMult, "@"), (ast.LShift, "<<"), (ast.RShift, ">>"),
        (ast.BitAnd, "&"), (ast.BitOr, "|"), (ast.BitXor, "^"), (ast.And, "and"), (ast.Or, "or"),
        (ast.Not, "not"), (ast.USub, "-"), (ast.UAdd, "+"), (ast.Invert, "~"), (ast.Eq, "=="),
        (ast.NotEq, "!="), (ast.Lt, "<"), (ast.LtE, "<="), (ast.Gt, ">"), (ast.GtE, ">="),
        (ast.Is, "is"), (ast.IsNot, "is not"), (ast.In, "in"), (ast.NotIn, "not in"),
    )
}


class _Unit(NamedTuple):
    """`name` is dotted within the module, "" for the module; `ordinal` counts those of one name."""

    name: str
    ordinal: int
    node: Any


class _Head(NamedTuple):
    """One statement without the blocks inside it. `shape` is alike wherever only locals differ."""

    node: Any
    depth: int
    is_documentation: bool
    shape: tuple[Hashable, ...]
    form: NormalForm


def locate_differences(
    old: Version, new: Version, old_form: NormalForm, new_form: NormalForm
) -> tuple[Difference, ...]:
    """At least one difference, at most one a unit, in the order of the old text."""
    old_units = {(unit.name, unit.ordinal): unit for unit in _units(old)}
    new_units = {(unit.name, unit.ordinal): unit for unit in _units(new)}
    found: list[Difference] = []
    for key, unit in old_units.items():
        if key not in new_units:
            line = unit.node.lineno
            found.append(Difference(line, 0, f"{unit.name} is only in the old version"))
    for key, unit in new_units.items():
        if key not in old_units:
            line = unit.node.lineno
            found.append(Difference(0, line, f"{unit.name} is only in the new version"))
    lonely = {
        id(units[key].node)
        for units in (old_units, new_units)
        for key in old_units.keys() ^ new_units.keys()
        if key in units
    }
    for key in old_units.keys() & new_units.keys():
        comparison = _UnitComparison(old, new, old_units[key], new_units[key], lonely)
        if (difference := comparison.difference()) is not None:
            found.append(difference)
    if not found:
        found.append(_first_mismatch_of_files(old, new, old_form, new_form))
    return tuple(sorted(found, key=lambda each: (each.old_line or each.new_line, each.what)))


def judge_definitions(
    old: Version, new: Version, differences: Iterable[Difference]
) -> tuple[DefinitionProof, ...]:
    """The verdict on each function and class of the new version, in text order."""
    known = {each.name for each in new.facts.definitions}
    differences = tuple(differences)
    proofs = []
    for definition in new.facts.definitions:
        first = new.source.line_of(definition.start)
        last = new.source.line_of(definition.end)
        name = new.facts.dotted(definition.inner_scope)
        old_name = new.dotted(definition.inner_scope)
        inside = [each for each in differences if first <= each.new_line <= last]
        inside += [
            each
            for each in differences
            if not each.new_line and each.old_line and _holds(old, old_name, each.old_line)
        ]
        # A difference without a line could be anywhere.
        inside += [each for each in differences if not each.new_line and not each.old_line]
        verdict = Verdict.SAME
        if inside:
            is_different = any(each.verdict is Verdict.DIFFERENT for each in inside)
            verdict = Verdict.DIFFERENT if is_different else Verdict.UNPROVEN
        given = tuple(call for call in definition.calls if call in known and call != definition.name)
        proofs.append(DefinitionProof(name, verdict, given))
    return tuple(proofs)


def _holds(version: Version, name: str, line: int) -> bool:
    return any(
        version.source.line_of(each.start) <= line <= version.source.line_of(each.end)
        for each in version.facts.definitions
        if version.facts.dotted(each.inner_scope) == name
    )


def _units(version: Version) -> Iterator[_Unit]:
    counts: Counter[str] = Counter()
    yield _Unit("", 0, version.parsed.tree)

    def inside(node: ast.AST, prefix: str) -> Iterator[_Unit]:
        for child in ast.iter_child_nodes(node):
            if isinstance(child, _DEFINITIONS):
                name = f"{prefix}.{version.definition_name(child)}".lstrip(".")
                yield _Unit(name, counts[name], child)
                counts[name] += 1
                yield from inside(child, name)
            else:
                yield from inside(child, prefix)

    yield from inside(version.parsed.tree, "")


class _UnitComparison:
    """Compares the own statements of two units, those in `lonely` left aside: by `id`, definitions
    that only one version has, of which enough is said already."""

    def __init__(
        self, old: Version, new: Version, old_unit: _Unit, new_unit: _Unit, lonely: Set[int]
    ) -> None:
        self.old, self.new = old, new
        self.old_heads = [head for head in _heads(old, old_unit.node) if id(head.node) not in lonely]
        self.new_heads = [head for head in _heads(new, new_unit.node) if id(head.node) not in lonely]
        self._new_of: dict[int, int] = {}
        self._old_of: dict[int, int] = {}

    def difference(self) -> Difference | None:
        """The first difference that a program could tell, else the first of any sort, if any."""
        matcher = SequenceMatcher(
            None,
            [(head.depth, head.shape) for head in self.old_heads],
            [(head.depth, head.shape) for head in self.new_heads],
            autojunk=False,
        )
        operations = matcher.get_opcodes()
        self._pair_locals(operations)
        found: list[Difference] = []
        for sort, old_first, old_last, new_first, new_last in operations:
            old_part = self.old_heads[old_first:old_last]
            new_part = self.new_heads[new_first:new_last]
            if sort == "equal":
                pairs = zip(old_part, new_part, strict=True)
                found += filter(None, (self._compare_heads(*pair) for pair in pairs))
            elif sort == "replace" and len(old_part) == len(new_part):
                found.extend(self._replaced(old_part, new_part))
            else:
                found.append(self._unpaired(old_first, old_part, new_first, new_part))
        certain = [each for each in found if each.verdict is Verdict.DIFFERENT]
        return next(iter(certain or found), None)

    def _pair_locals(self, operations: Sequence[tuple[str, int, int, int, int]]) -> None:
        """Pair locals one to one, those first that stand in like places most often."""
        votes: Counter[tuple[int, int]] = Counter()
        for sort, old_first, old_last, new_first, _ in operations:
            if sort != "equal":
                continue
            for offset in range(old_last - old_first):
                old_head = self.old_heads[old_first + offset]
                new_head = self.new_heads[new_first + offset]
                votes.update(zip(old_head.form.order, new_head.form.order, strict=True))
        by_votes = sorted(votes.items(), key=lambda entry: (-entry[1], entry[0]))
        for (before, after), _ in by_votes:
            if before not in self._new_of and after not in self._old_of:
                self._new_of[before] = after
                self._old_of[after] = before

    def _replaced(self, old_part: list[_Head], new_part: list[_Head]) -> Iterator[Difference]:
        old_shapes = Counter(head.shape for head in old_part)
        new_shapes = Counter(head.shape for head in new_part)
        if old_shapes == new_shapes:
            yield Difference(
                old_part[0].node.lineno, new_part[0].node.lineno, "statements stand in another order"
            )
            return
        for old_head, new_head in zip(old_part, new_part, strict=True):
            if type(old_head.node) is not type(new_head.node) or old_head.depth != new_head.depth:
                yield Difference(
                    old_head.node.lineno, new_head.node.lineno, "the statement is of another sort"
                )
            elif (difference := self._compare_heads(old_head, new_head)) is not None:
                yield difference

    def _unpaired(
        self, old_index: int, old_part: list[_Head], new_index: int, new_part: list[_Head]
    ) -> Difference:
        old_line = old_part[0].node.lineno if old_part else self._line_near(self.old_heads, old_index)
        new_line = new_part[0].node.lineno if new_part else self._line_near(self.new_heads, new_index)
        if not new_part:
            what = "statements of the old version are gone"
        elif not old_part:
            what = "statements were added"
        else:
            what = "the statements here are others"
        return Difference(old_line, new_line, what)

    @staticmethod
    def _line_near(heads: list[_Head], index: int) -> int:
        if not heads:
            return 0
        return int(heads[min(index, len(heads) - 1)].node.lineno)

    def _have_like_locals(self, old_head: _Head, new_head: _Head) -> bool:
        """Whether the locals of two statements of one shape are those that were paired."""
        pairs = zip(old_head.form.order, new_head.form.order, strict=True)
        return all(self._old_of.get(after) == before for before, after in pairs)

    def _compare_heads(self, old_head: _Head, new_head: _Head) -> Difference | None:
        is_of_one_shape = old_head.shape == new_head.shape and not old_head.is_documentation
        if is_of_one_shape and self._have_like_locals(old_head, new_head):
            return None
        old_form = _form_of(self.old, old_head, lambda binding: binding)
        new_form = _form_of(
            self.new, new_head, lambda binding: self._old_of.get(binding, ("new", binding))
        )
        for index, (before, after) in enumerate(zip(old_form.elements, new_form.elements)):
            if _comparable(self.old, before) != _comparable(self.new, after):
                if before[0] == after[0] == "constant":
                    verdict = Verdict.DIFFERENT
                    what = f"{_constant(old_form, index)} became {_constant(new_form, index)}"
                elif before[0] != "keyword" and self._hold_the_same(old_form, new_form):
                    verdict, what = Verdict.DIFFERENT, "the same parts stand in another order"
                else:
                    verdict, what = self._classify(before, after)
                return Difference(
                    self.old.source.line_of(old_form.starts[index]),
                    self.new.source.line_of(new_form.starts[index]),
                    what,
                    verdict,
                )
        return None

    def _hold_the_same(self, old_form: NormalForm, new_form: NormalForm) -> bool:
        """Whether two statements are made of the same parts."""
        parts = Counter(_comparable(self.old, each) for each in old_form.elements)
        return parts == Counter(_comparable(self.new, each) for each in new_form.elements)

    def _classify(self, before: Element, after: Element) -> tuple[Verdict, str]:
        """Whether a running program could tell, and what to say."""
        sorts = before[0], after[0]
        if sorts == ("documentation", "documentation"):
            return Verdict.UNPROVEN, "the documentation text changed"
        if sorts == ("node", "node"):
            return self._classify_nodes(str(before[1]), str(after[1]))

        if sorts == ("import", "import"):
            return Verdict.DIFFERENT, "something else is imported"
        if sorts == ("module", "module"):
            return Verdict.UNPROVEN, f"`{before[1]}` is imported from no longer, but `{after[1]}`"
        if sorts == ("local", "local"):
            return self._classify_locals(before, after)

        if set(sorts) == {"local", "name"}:
            old_name, new_name = self._spelling(self.old, before), self._spelling(self.new, after)
            if old_name == new_name:
                return Verdict.DIFFERENT, f"`{new_name}` no longer means the same variable"
            # A name that only one version knows may well stand for the same thing.
            is_known = (
                _knows(self.old, _comparable(self.new, after))
                if after[0] == "name"
                else _knows(self.new, _comparable(self.old, before))
            )
            verdict = Verdict.DIFFERENT if is_known else Verdict.UNPROVEN
            return verdict, f"`{old_name}` became `{new_name}`, which is another variable"

        if sorts == ("name", "name"):
            return self._classify_names(before, after)
        if sorts == ("attribute", "attribute"):
            old_name, new_name = str(before[1]), str(after[1])
            both = new_name in self.old.facts.attributes and old_name in self.new.facts.attributes
            verdict = Verdict.DIFFERENT if both else Verdict.UNPROVEN
            return verdict, f"the attribute `{old_name}` became `{new_name}`"

        if sorts == ("keyword", "keyword"):
            return Verdict.UNPROVEN, f"the keyword `{before[1]}` became `{after[1]}`"
        return Verdict.UNPROVEN, "the code has another form here"

    def _classify_nodes(self, before: str, after: str) -> tuple[Verdict, str]:
        if before in _OPERATORS and after in _OPERATORS:
            return Verdict.DIFFERENT, f"`{_OPERATORS[before]}` became `{_OPERATORS[after]}`"
        return Verdict.UNPROVEN, "the code has another form here"

    def _classify_locals(self, before: Element, after: Element) -> tuple[Verdict, str]:
        old_name, new_name = self._spelling(self.old, before), self._spelling(self.new, after)
        what = f"`{old_name}` became `{new_name}`, which is another variable"
        is_known = isinstance(_number(after), int) and _number(before) in self._new_of
        return (Verdict.DIFFERENT if is_known else Verdict.UNPROVEN), what

    def _classify_names(self, before: Element, after: Element) -> tuple[Verdict, str]:
        old_name, new_name = self._spelling(self.old, before), self._spelling(self.new, after)
        if old_name == new_name:
            return Verdict.DIFFERENT, f"`{new_name}` no longer means the same thing"
        both = new_name in self.old.facts.names and old_name in self.new.facts.names
        verdict = Verdict.DIFFERENT if both else Verdict.UNPROVEN
        return verdict, f"`{old_name}` became `{new_name}`"

    def _spelling(self, version: Version, element: Element) -> str:
        if element[0] == "name":
            assert isinstance(element[1], tuple), "a name element holds name, scope, outside"
            return str(element[1][0])
        number = _number(element)
        if version is self.new:
            number = number[1] if isinstance(number, tuple) else self._new_of.get(number, number)
        return str(version.facts.bindings[number].name)


def _number(element: Element) -> Any:
    assert isinstance(element[1], tuple), "a local element holds number and scope"
    return element[1][0]


def _constant(form: NormalForm, index: int) -> str:
    """The constant at an index of a form as a reader sees it, its sign included."""
    value_of = form.elements[index][1]
    assert isinstance(value_of, tuple), "a constant element holds type and value"
    sort, value = value_of
    shown = str(value) if sort in ("float", "complex") else repr(value)
    if form.elements[index - 2 : index] == [("node", "USub"), ("node", "Constant")]:
        shown = f"-{shown}"
    return shown if len(shown) <= _SHOWN_LENGTH else shown[: _SHOWN_LENGTH - 1] + "…"


def _is_block(node: ast.AST, field: str) -> bool:
    return field in _BLOCK_FIELDS and isinstance(getattr(node, field), list) and not isinstance(
        node, ast.Lambda
    )


def _comparable(version: Version, element: Element) -> Hashable:
    """An element as it compares between versions of which one may have more scopes: those are told
    apart by what they are called, and not by their number."""
    if element[0] == "local":
        return "local", _number(element)
    if element[0] == "name":
        assert isinstance(element[1], tuple), "a name element holds name, scope, outside"
        name, scope, outside = element[1]
        return "name", name, version.dotted(scope), version.facts.scopes[scope].kind, outside
    return element


def _knows(version: Version, name: Hashable) -> bool:
    """Whether a file has a binding that compares like a name element of the other version."""
    return any(
        _comparable(version, ("name", (each.name, each.scope, each.outside))) == name
        for each in version.facts.bindings
    )


def _heads(version: Version, unit: Any) -> Iterator[_Head]:
    """The statements of a unit, each without its blocks; definitions inside it by their heads."""
    yield _head(version, unit, 0)
    yield from _heads_inside(version, unit, 1)


def _heads_inside(version: Version, node: Any, depth: int) -> Iterator[_Head]:
    is_documented = isinstance(node, DOCUMENTED) and not version.without_documentation
    for field in ("body", "handlers", "cases", "orelse", "finalbody"):
        children = version.block(node, field) if isinstance(getattr(node, field, None), list) else ()
        for index, child in enumerate(children):
            is_first = is_documented and field == "body" and not index
            yield _head(version, child, depth, is_documentation=is_first and is_text_statement(child))
            if not isinstance(child, _DEFINITIONS):
                yield from _heads_inside(version, child, depth + 1)


def _head(version: Version, node: Any, depth: int, *, is_documentation: bool = False) -> _Head:
    node = _with_line(node)
    if is_documentation:
        form = NormalForm(version)
        form.write_documentation(node)
        return _Head(node, depth, True, ("documentation",), form)
    form = NormalForm(version)
    form.write_head(node, _is_block)
    shape = tuple(_comparable(version, element) for element in form.elements)
    return _Head(node, depth, False, shape, form)


def _form_of(version: Version, head: _Head, number: Callable[[int], Hashable]) -> NormalForm:
    form = NormalForm(version, number=number)
    if head.is_documentation:
        form.write_documentation(head.node)
    else:
        form.write_head(head.node, _is_block)
    return form


def _with_line(node: Any) -> Any:
    """A node that has a line: a `case` takes that of its pattern, the module the first line."""
    if isinstance(node, ast.match_case):
        node.lineno = node.pattern.lineno  # type: ignore[attr-defined]
        node.col_offset = node.pattern.col_offset  # type: ignore[attr-defined]
    elif isinstance(node, ast.Module):
        node.lineno, node.col_offset = 1, 0  # type: ignore[attr-defined]
    return node


def _first_mismatch_of_files(
    old: Version, new: Version, old_form: NormalForm, new_form: NormalForm
) -> Difference:
    """Units are equal one by one: what differs is which of them a variable belongs to."""
    for index, (before, after) in enumerate(zip(old_form.elements, new_form.elements)):
        if before != after:
            return Difference(
                old.source.line_of(old_form.starts[index]),
                new.source.line_of(new_form.starts[index]),
                "a name means another variable here",
                Verdict.UNPROVEN,
            )
    return Difference(0, 0, "one version goes on where the other ends")
