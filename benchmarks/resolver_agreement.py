"""Hold the resolver against the interpreter itself, on every file of the standard library.

Two judges that share no code with ours:

1. `symtable`: for each scope, what the interpreter's compiler notes about each name (is it local,
   free, global, a parameter, imported, assigned, referenced, …).
2. Compiled code: every name instruction carries the place of the expression that it comes from and
   a storage class (fast, cell, name, global). Each must meet a reference of ours there, of that
   name and that storage class; and each reference that is compiled at all must meet an instruction.

    python benchmarks/resolver_agreement.py [FOLDER]

Prints files, names compared and disagreements (the first of them in full); exits with 1 when there
is any. Files that the interpreter itself refuses are counted apart.
"""

from __future__ import annotations

import argparse
import ast
import dis
import symtable
import sys
import sysconfig
import warnings
from bisect import bisect_left, bisect_right
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from types import CodeType
from typing import NamedTuple

from zephyrun.facts import Role, ScopeKind
from zephyrun.languages.python.reading import UnreadableSource, parse_with_table
from zephyrun.languages.python.scopes import BOUND, Mark

# How a part of an instruction's name tells its storage class; the first that fits counts.
_STORAGE_WORDS = (
    ("GLOBAL", "global"), ("NAME", "name"), ("FAST", "fast"), ("DEREF", "cell"), ("CLOSURE", ""),
)
# Names that the compiler makes up: no one wrote them, so no reference can meet them.
_MADE_UP = {
    "__class__", "__classcell__", "__classdict__", "__classdictcell__", "__module__", "__qualname__",
    "__annotations__", "__doc__", "__static_attributes__", "__firstlineno__", "__orig_bases__",
    "__type_params__", "__conditional_annotations__",
}
_FUNCTION_LIKE = (ScopeKind.FUNCTION, ScopeKind.LAMBDA, ScopeKind.COMPREHENSION, ScopeKind.TYPES)
MOST_LINES_SHOWN = 40
LINE_LENGTH_SHOWN = 400


class Tally(NamedTuple):
    """What one file gave."""

    n_symbols: int
    n_instructions: int
    n_uncompiled: int
    disagreements: list[str]
    refused: bool


def compare_file(path: Path) -> Tally:
    """Hold one file against both judges."""
    data = path.read_bytes()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            code = compile(data, str(path), "exec", dont_inherit=True)
            tables = symtable.symtable(data, str(path), "exec")
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            return Tally(0, 0, 0, [], True)
    try:
        parsed, table = parse_with_table(data)
    except UnreadableSource as problem:
        return Tally(0, 0, 0, [f"{path}: not read: {problem}"], False)
    disagreements: list[str] = []
    n_symbols = _compare_symbols(parsed.source, table, tables, disagreements)
    n_instructions, n_uncompiled = _compare_code(parsed, code, disagreements)
    return Tally(
        n_symbols, n_instructions, n_uncompiled, [f"{path}: {each}" for each in disagreements], False
    )


# -- the first judge -------------------------------------------------------------------------------


# From 3.12 on, comprehensions other than generators are folded into the table around them, where
# their names can no longer be told apart; what they touch is then left to the second judge.
_FOLDS_COMPREHENSIONS = sys.version_info >= (3, 12)


def _folded(table, index: int) -> bool:
    scope = table.scopes[index]
    around = table.scopes[scope.parent]
    while around.kind is ScopeKind.TYPES:
        around = table.scopes[around.parent]
        if around.kind is ScopeKind.CLASS:
            return False
    return (
        _FOLDS_COMPREHENSIONS
        and scope.kind is ScopeKind.COMPREHENSION
        and scope.name != "generatorexp"
    )


def _their_children(their_table: symtable.SymbolTable) -> list[symtable.SymbolTable]:
    """Inner tables, without those of annotations that are kept as text."""
    return [
        child
        for child in their_table.get_children()
        if "annotation" not in str(child.get_type()).lower() and child.get_name() != "_annotation"
    ]


def _compare_symbols(source, table, theirs: symtable.SymbolTable, disagreements: list[str]) -> int:
    children = defaultdict(list)
    for index, scope in enumerate(table.scopes):
        children[scope.parent].append(index)
    n_symbols = 0

    def compare(index: int, their_table: symtable.SymbolTable) -> None:
        nonlocal n_symbols
        ours = table.marks[index]
        scope = table.scopes[index]
        blurred: set[str] = set()
        mine_children = list(children[index])
        while any(_folded(table, child) for child in mine_children):
            folded = [child for child in mine_children if _folded(table, child)]
            mine_children = [child for child in mine_children if child not in folded]
            for child in folded:
                blurred |= set(table.marks[child])
                mine_children += children[child]

        for symbol in their_table.get_symbols():
            name = symbol.get_name()
            if name in blurred or name.startswith(".") or (name in _MADE_UP and name not in ours):
                continue
            flags = _their_flags(symbol, scope.kind, their_table.get_name())
            if name not in ours and index == 0 and any(
                marks.get(name, 0) & Mark.GLOBAL for marks in table.marks
            ):
                # Declared `global` somewhere: the interpreter notes that with the module as well.
                continue
            if name not in ours:
                # A name that only passes through, from a scope around to one within.
                if not (symbol.is_free() and not symbol.is_referenced() and not symbol.is_assigned()):
                    disagreements.append(f"{scope.name}: {name} is unknown to us: {flags}")
                continue
            n_symbols += 1
            mine = _our_flags(table, index, name)
            if mine != flags:
                disagreements.append(
                    f"{scope.name or 'module'} (line-order scope {index}): {name}: "
                    f"ours {sorted(mine - flags)}, theirs {sorted(flags - mine)}"
                )

        missing = set(ours) - {symbol.get_name() for symbol in their_table.get_symbols()}
        for name in missing - _MADE_UP - blurred:
            disagreements.append(f"{scope.name}: {name} is unknown to them")
        their_children = _their_children(their_table)

        # Both in text order: ours are walked in another order than theirs.
        mine_by_key = defaultdict(list)
        for child in mine_children:
            mine_by_key[_our_key(table.scopes[child])].append(child)

        theirs_by_key = defaultdict(list)
        for child in their_children:
            theirs_by_key[_their_key(child)].append(child)
        if {k: len(v) for k, v in mine_by_key.items()} != {k: len(v) for k, v in theirs_by_key.items()}:
            disagreements.append(
                f"{scope.name}: scopes differ: ours {dict(mine_by_key)}, theirs {dict(theirs_by_key)}"
            )
            return

        for key, mine_list in mine_by_key.items():
            their_list = theirs_by_key[key]
            mine_list.sort(key=lambda child: (table.scopes[child].start, child))
            their_list.sort(key=lambda child: child.get_lineno())
            for child, their_child in _pair(source, table, mine_list, their_list):
                compare(child, their_child)

    compare(0, theirs)
    return n_symbols


def _pair(source, table, mine: list[int], theirs: list[symtable.SymbolTable]):
    """Pair scopes of one name within one parent: by text order, and by their names where several
    begin on one line (the interpreter's order within a line is that of its own walk)."""
    remaining = list(theirs)
    for child in mine:
        names = {name for name in table.marks[child] if name not in _MADE_UP}
        line = source.line_of(table.scopes[child].start)
        same_line = [each for each in remaining if each.get_lineno() == line] or remaining
        best = min(
            same_line,
            key=lambda each: len(
                names ^ {s.get_name() for s in each.get_symbols() if not s.get_name().startswith(".")}
            ),
        )
        remaining.remove(best)
        yield child, best


def _our_key(scope) -> str:
    return "genexpr" if scope.name == "generatorexp" else scope.name


def _their_key(their_table: symtable.SymbolTable) -> str:
    return their_table.get_name()


def _their_flags(symbol: symtable.Symbol, kind: ScopeKind, table_name: str) -> frozenset[str]:
    tests = ("parameter", "imported", "assigned", "annotated", "referenced")
    flags = {test for test in tests if getattr(symbol, f"is_{test}")()}
    if kind is not ScopeKind.MODULE:
        tests = ("declared_global", "global", "local", "free")
        flags |= {test for test in tests if getattr(symbol, f"is_{test}")()}
        if table_name == "top" and "local" in flags:
            # Up to 3.12 `symtable` takes a function called `top` for the module.
            flags.discard("global")
    return frozenset(flags)


def _our_flags(table, index: int, name: str) -> frozenset[str]:
    marks = table.marks[index][name]
    flags = {
        word
        for mark, word in (
            (Mark.PARAMETER, "parameter"),
            (Mark.IMPORTED, "imported"),
            (Mark.ASSIGNED, "assigned"),
            (Mark.ANNOTATED, "annotated"),
            (Mark.READ, "referenced"),
        )
        if marks & mark
    }
    if index:
        if marks & Mark.GLOBAL:
            flags.add("declared_global")
        home = table.home(index, name)
        if home.scope == index:
            flags.add("local")
        elif home.scope == 0 or (
            table.scopes[home.scope].kind is ScopeKind.CLASS and name != "__class__"
        ):
            # What type parameters see of a class is looked up there first, then globally.
            flags.add("global")
        else:
            flags.add("free")
    return frozenset(flags)


# -- the second judge ------------------------------------------------------------------------------


def _code_objects(code: CodeType) -> Iterator[CodeType]:
    yield code
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _code_objects(constant)


def _storage(opname: str) -> str:
    for word, storage in _STORAGE_WORDS:
        if word in opname:
            return storage
    return ""


def _name_instructions(code: CodeType) -> Iterator[tuple[str, str, int, tuple[int, int, int, int]]]:
    """Name, storage, which of its names, and range of each instruction that handles a name."""
    instructions = list(dis.get_instructions(code))
    for index, instruction in enumerate(instructions):
        opname, place = instruction.opname, instruction.positions
        if instruction.argval == "__name__" and instructions[index + 1].argval == "__module__":
            # A class body begins by copying the module's name.
            continue

        following = instructions[index + 1] if index + 1 < len(instructions) else instruction
        if _is_forgetting(instruction, following) or (
            index and _is_forgetting(instructions[index - 1], instruction)
        ):
            continue
        if opname in ("LOAD_FAST_AND_CLEAR", "MAKE_CELL", "COPY_FREE_VARS", "LOAD_FROM_DICT_OR_GLOBALS_"):
            continue

        if not opname.startswith(("LOAD_", "STORE_", "DELETE_")) or place is None:
            continue
        cells = (*code.co_cellvars, *code.co_freevars)
        if opname.startswith("LOAD_FAST") and instruction.argval in cells:
            # 3.13 loads the cells of a closure so; no one wrote that.
            continue

        names = instruction.argval if isinstance(instruction.argval, tuple) else (instruction.argval,)
        storage = _storage(opname)
        if opname in ("LOAD_CLASSDEREF", "LOAD_FROM_DICT_OR_DEREF"):
            storage = "cell"
        elif opname == "LOAD_FROM_DICT_OR_GLOBALS":
            storage = "name"
        if not storage or place.lineno is None or place.col_offset is None:
            continue

        for part, name in enumerate(names):
            if isinstance(name, str):
                yield name, storage, part, (
                    place.lineno, place.col_offset, place.end_lineno, place.end_col_offset
                )


def _is_forgetting(first: dis.Instruction, second: dis.Instruction) -> bool:
    """The end of an `except … as e`, where `e` is set to None and deleted: no one wrote that."""
    return (
        first.opname.startswith("STORE_")
        and second.opname.startswith("DELETE_")
        and first.argval == second.argval
    )


def _compare_code(parsed, code: CodeType, disagreements: list[str]) -> tuple[int, int]:
    source, facts = parsed.source, parsed.facts
    by_start = {reference.start: reference for reference in facts.references}

    # Before 3.12 the interpreter's own places inside f-strings are wrong: there, names and storage
    # classes are compared by f-string and not by place.
    loose = [
        (text.start, text.end)
        for text in facts.texts
        if text.interpolated and sys.version_info < (3, 12)
    ]

    in_cases = _Ranges(
        source,
        [
            (source.offset_of_utf8(case.pattern.lineno, case.pattern.col_offset),
             source.offset_of_utf8(case.body[0].lineno, case.body[0].col_offset))
            for case in ast.walk(parsed.tree)
            if isinstance(case, ast.match_case)
        ],
    )

    folded_starts = {
        scope.start
        for scope in facts.scopes
        if _FOLDS_COMPREHENSIONS and scope.kind is ScopeKind.COMPREHENSION
    }
    in_loose = _Ranges(source, loose)
    loose_references = defaultdict(set)
    for reference in facts.references:
        if (where := in_loose.find(reference.start)) is not None:
            loose_references[where].add((facts.bindings[reference.binding].name, *_classes(facts, reference)))

    met: set[int] = set()
    n_instructions = 0
    starts = [reference.start for reference in facts.references]

    for each in _code_objects(code):
        for name, storage, part, (line, column, end_line, end_column) in _name_instructions(each):
            if name in _MADE_UP or name.startswith("."):
                continue
            n_instructions += 1
            start = source.offset_of_utf8(line, column)
            end = source.offset_of_utf8(end_line, end_column)
            reference = by_start.get(start)
            if reference is not None and _agrees(facts, reference, name, storage):
                met.add(start)
                continue

            if (where := in_loose.find(start)) is not None or (
                where := in_loose.by_line.get(line)
            ) is not None:
                if any(name == entry[0] and storage in entry[1:] for entry in loose_references[where]):
                    continue

            # Definitions, imports and handlers store under the place of the whole statement.
            if source.text.startswith("super", start) and sys.version_info >= (3, 12):
                # `super()` without arguments reads the first parameter.
                continue
            if start in folded_starts:
                # A folded comprehension puts aside and restores what its names hid.
                continue

            case = in_cases.find(start)
            if case is not None and storage:
                # A capture is stored once the whole pattern has matched, under the place of
                # whatever the compiler looked at last.
                start, end = in_cases.ranges[case]

            if part:
                # One instruction for two names gives the place of the first.
                around = facts.statements[max(facts.statement_at(start), 0)]
                start = min(around.start, source.line_starts[line - 1])
                end = max(around.end, source.line_starts[min(line, len(source.line_starts) - 1)])
                agreeing = [
                    each.start
                    for each in _between(facts.references, starts, start, end)
                    if _agrees(facts, each, name, storage)
                ]
                if agreeing:
                    met.update(agreeing)
                    continue

            inside = [
                candidate
                for candidate in _between(facts.references, starts, start, end)
                if candidate.role not in (Role.READ, Role.QUOTED)
                and _agrees(facts, candidate, name, storage)
            ]
            if inside:
                met.update(candidate.start for candidate in inside)
                continue
            disagreements.append(f"line {line} column {column}: {name} ({storage}) meets no reference")

    n_uncompiled = sum(
        reference.start not in met and in_loose.find(reference.start) is None
        for reference in facts.references
    )
    return n_instructions, n_uncompiled


class _Ranges:
    """Ranges that do not overlap; which of them holds an offset, or shares a line?"""

    def __init__(self, source, ranges: list[tuple[int, int]]) -> None:
        self.ranges = sorted(ranges)
        self.starts = [start for start, _ in self.ranges]
        self.by_line = {
            line: index
            for index, (start, end) in enumerate(self.ranges)
            for line in range(source.line_of(start), source.line_of(end) + 1)
        }

    def find(self, offset: int) -> int | None:
        index = bisect_right(self.starts, offset) - 1
        return index if index >= 0 and offset < self.ranges[index][1] else None


def _between(references, starts, start, end):
    return references[bisect_left(starts, start) : bisect_left(starts, end)]


def _classes(facts, reference) -> tuple[str, ...]:
    """The storage classes that an instruction for `reference` may have."""
    binding = facts.bindings[reference.binding]
    home = facts.scopes[binding.scope].kind
    here = facts.scopes[reference.scope].kind
    if home is ScopeKind.MODULE:
        if reference.scope == 0:
            # Inlined comprehensions keep `global` where the module itself uses `name`.
            return ("name", "global")
        if here in (ScopeKind.CLASS, ScopeKind.TYPES):
            return "name", "global"
        # Since 3.12 a comprehension is folded into what is around it, a class body perhaps.
        is_folded = sys.version_info >= (3, 12) and here is ScopeKind.COMPREHENSION
        return ("global", "name") if is_folded else ("global",)
    if home is ScopeKind.CLASS:
        return ("name", "cell") if binding.name == "__class__" else ("name",)
    return ("cell",) if binding.captured else ("fast",)


def _agrees(facts, reference, name: str, storage: str) -> bool:
    binding = facts.bindings[reference.binding]
    if binding.name != name:
        return False
    allowed = _classes(facts, reference)
    if storage in allowed:
        return True
    # From 3.12 on a comprehension may be inlined: what it shares with the function around is then
    # no longer a cell.
    return (
        sys.version_info >= (3, 12)
        and allowed == ("cell",)
        and storage == "fast"
        or sys.version_info >= (3, 13)
        and allowed == ("cell",)
        and storage == "fast"
    )


def main() -> int:
    """Compare every file below a folder; the standard library by default."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("folder", nargs="?", default=sysconfig.get_path("stdlib"))
    folder = Path(parser.parse_args().folder)
    paths = sorted(
        path
        for path in folder.rglob("*.py")
        if "site-packages" not in path.parts and path.is_file()
    )
    with ProcessPoolExecutor(max_workers=2) as pool:
        tallies = list(pool.map(compare_file, paths, chunksize=8))
    disagreements = [line for tally in tallies for line in tally.disagreements]
    print(f"Python {sys.version.split()[0]}")
    n_refused = sum(each.refused for each in tallies)
    print(f"files               {len(paths):>9,}  (refused by the interpreter itself: {n_refused})")
    print(f"symbols compared    {sum(t.n_symbols for t in tallies):>9,}")
    print(f"instructions met    {sum(t.n_instructions for t in tallies):>9,}")
    n_uncompiled = sum(each.n_uncompiled for each in tallies)
    print(f"never compiled      {n_uncompiled:>9,}  (annotations of locals, dead code, `global`)")
    print(f"disagreements       {len(disagreements):>9,}")
    for line in disagreements[:MOST_LINES_SHOWN]:
        print("  ", line[:LINE_LENGTH_SHOWN])
    return 1 if disagreements else 0


if __name__ == "__main__":
    sys.exit(main())
