"""Code that a program makes and runs (`eval(rule)`): it may ask whatever it sees by a name for any attribute, and of a module for
any name."""

from __future__ import annotations

import ast
from collections.abc import Callable, Collection, Iterable, Iterator
from typing import TYPE_CHECKING, NamedTuple

from zephyrun.facts import Exposure, ScopeKind
from zephyrun.languages.python.nodes import last_name, nodes_in
from zephyrun.linking.glances import glance
from zephyrun.linking.kept_answers import kept_until_changed
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.texts import words_in
from zephyrun.linking.value_sorts import ClassKey, FunctionKey, Values, ValueSort, classes_among, with_parts
from zephyrun.patterns import lazy_pattern

if TYPE_CHECKING:
    from zephyrun.linking.usage import Usage
    from zephyrun.linking.values import Evaluator

_RUNNING = ("eval", "exec")
_RUNNING_CALLS = frozenset({"eval()", "exec()"})
_RUNNING_VALUES = frozenset({"eval", "exec", ".eval", ".exec", '"eval"', '"exec"', "builtins"})
_COMPILING = "compile"
# What gives the names around whoever calls it.
_NAMESPACES = frozenset({"globals", "locals", "vars"})
_OWN_NAMES_OF = rb"\b%b\s*\(\s*\)"
_OWN_NAMES = lazy_pattern(_OWN_NAMES_OF % b"(?:globals|locals|vars)")
_IMPORTS_ONE = rb"\b(?:import|from)\b[^\n]*\b%b\b"
# What gives what stands in a file, and how the names of code end.
_READS_FILES = lazy_pattern(rb"\b(?:open|read_text|read_bytes|getlines|get_source|get_data|FileIO)\b")
_ENDING = ".py"
# Modules of the library that run texts as code, what they are asked to do that with, and others that are asked so.
_RUNNERS = frozenset("timeit cProfile profile trace bdb pdb code".split())
_RUNNING_BY_LIBRARY = frozenset("run runctx runeval timeit repeat Timer runsource runcode interact InteractiveInterpreter InteractiveConsole".split())
_RUNNING_OTHERS = frozenset("subprocess asyncio anyio trio loop".split())
# What is handed a namespace and runs nothing in it.
_KEEPING_NAMES = frozenset("eval exec dict update sorted list set len print iter getattr setattr isinstance format".split())
_SHORT_LIVED = frozenset({ScopeKind.CLASS, ScopeKind.COMPREHENSION})


class Evaluation(NamedTuple):
    """A place where code is run that is not written out: what does so, where, and the bindings that the code may see; `is_own`
    where that file itself does so, and no other code for it."""

    what: str
    start: int
    bindings: tuple[int, ...]
    is_own: bool = True


@kept_until_changed
def evaluations_in(linkage: Linkage, path: str) -> list[Evaluation]:
    """The places where a file runs code that it does not write out, or others do so for it."""
    file = linkage.file(path)
    return list(_all_evaluations(linkage, file)) if file is not None else []


def _all_evaluations(linkage: Linkage, file: LinkedFile) -> Iterator[Evaluation]:
    yield from _own_evaluations(file)
    if file.facts.exposures or _OWN_NAMES.search(file.data) is not None or not _RUNNERS.isdisjoint(file.facts.imports):
        yield from (Evaluation(what, start, _seen_anywhere(file), is_own=False) for start, what in _handed_to_others(file.data))
    givers = {path: names for path, names in linkage.reader_givers.items() if path != file.path}
    if not givers:
        return
    words = words_in(file.data)
    imported = {(linkage.module_of_import(file, use), use.name) for use in file.links.imports}
    modules = {module for module, _ in imported} | {f"{module}.{name}" for module, name in imported}
    for path, names in givers.items():
        named = sorted(name for name in names if name and name.encode() in words)
        if named:
            yield Evaluation(f"`{named[0]}` out of {path}", 0, _seen_anywhere(file), is_own=False)
        elif linkage.modules.get(path) in modules:
            yield Evaluation(f"what {path} gives on", 0, _seen_anywhere(file), is_own=False)


def _own_evaluations(file: LinkedFile) -> Iterator[Evaluation]:
    for exposure in file.facts.exposures:
        if exposure.whole_file and exposure.what in _RUNNING_VALUES:
            yield Evaluation(exposure.what, exposure.start, _seen_anywhere(file))
        elif exposure.what in _RUNNING_CALLS:
            yield from _of_call(file, exposure)


@kept_until_changed
def _paths_running_code(linkage: Linkage) -> list[str]:
    """The files that may do so, in order of their paths."""
    givers = linkage.reader_givers
    found = {path for word in _RUNNING for path in linkage.paths_mentioning(word)}
    found.update(path for word in _NAMESPACES for path in linkage.paths_matching(word, _OWN_NAMES_OF % word.encode()))
    found.update(path for word in _RUNNERS for path in linkage.paths_matching(word, _IMPORTS_ONE % word.encode()))
    for path, names in givers.items():
        module = linkage.modules.get(path, "").rpartition(".")[2]
        found.update(each for word in (*names, module) if word for each in linkage.paths_mentioning(word))
    return sorted(path for path in found if linkage.file(path) is not None)


def evaluations_that_see(
    evaluator: Evaluator, is_asked: Callable[[Values], bool], *, only_imported: bool = False
) -> Iterator[tuple[str, Evaluation]]:
    """The places where code is run that is not written out, and that sees by a name something of which `is_asked` holds, perhaps
    among what is imported there; of each file the first one, with its path."""
    for path, seen in _seen_by_code(evaluator, only_imported):
        first = next((each for each, values in seen if any(map(is_asked, values))), None)
        if first is not None:
            yield path, first


@once_a_version
def _seen_by_code(evaluator: Evaluator, only_imported: bool) -> list[tuple[str, list[tuple[Evaluation, set[Values]]]]]:
    """What code that is run and not written out sees, for each place where one file does so."""
    return [(path, _seen_in_file(evaluator, path, only_imported)) for path in _paths_running_code(evaluator.linkage)]


def _seen_in_file(evaluator: Evaluator, path: str, only_imported: bool) -> list[tuple[Evaluation, set[Values]]]:
    file, found = evaluator.file(path), []
    for each in evaluations_in(evaluator.linkage, path):
        bindings = [binding for binding in each.bindings if not only_imported or binding in file.imported_bindings]
        found.append((each, {evaluator.binding_values(file, binding) for binding in bindings}))
    return found


def runs_of_files(linkage: Linkage, paths: Collection[str]) -> Iterator[tuple[str, Evaluation, str]]:
    """The places where what stands in one of some files is run as code that was read (`exec(open("settings.py").read())`), as texts
    that end with the name of the file tell: who does so has its names as its own, or in a table. Each with the path of who does
    so, and that of the file."""
    for running, first, endings in _files_run(linkage):
        for path in paths:
            name = path.rpartition("/")[2]
            if path != running and any(map(name.endswith, endings)):
                yield running, first, path


@kept_until_changed
def _files_run(linkage: Linkage) -> list[tuple[str, Evaluation, list[str]]]:
    """Who runs what stands in files, the first place where he does so, and how the names of the files may end."""
    found = []
    for file in filter(None, map(linkage.file, _paths_running_code(linkage))):
        if _READS_FILES.search(file.data) is None or (first := next(_own_evaluations(file), None)) is None:
            continue
        texts = [text.words for text in file.facts.texts if text.use != "documentation" and text.words.endswith(_ENDING)]
        found.append((file.path, first, [each.rpartition("/")[2].rpartition("*")[2] for each in texts]))
    return found


def doubt_keywords_in_code(evaluator: Evaluator, usage: Usage, name: str, functions: Iterable[FunctionKey]) -> None:
    """Doubts about code that is run and not written out, and may call one of some functions with a keyword. A private one is
    seldom called by a name that is worked out."""
    keys, owners = set[FunctionKey](), set[ClassKey]()
    for key in functions:
        record = evaluator.function_record(key)
        owner = evaluator.class_record((key[0], record.owner)) if record.owner >= 0 else None
        called = owner.name if owner is not None and record.name.startswith("__") else record.name
        if called.startswith("_") and not evaluator.linkage.stands_in_quotes(called):
            continue
        keys.add(key)
        owners |= {(key[0], record.owner)} if owner is not None else set()
    if not keys:
        return
    homes = {path for path, _ in keys}

    def leads_here(values: Values) -> bool:
        is_one = any(value.sort is ValueSort.FUNCTION and (value.path, value.number) in keys for value in values)
        return is_one or not owners.isdisjoint(classes_among(values)) or leads_to_modules(evaluator, values, homes)

    found = [
        *evaluations_that_see(evaluator, leads_here, only_imported=True),
        *((path, each) for path in sorted(homes) for each in evaluations_in(evaluator.linkage, path) if each.bindings),
    ]
    for path, each in found:
        what = f"no code that is run through {each.what} in {path} has a keyword `{name}`"
        usage.doubt_reader(what, path, each.start)


def leads_to_modules(evaluator: Evaluator, values: Values, paths: Collection[str]) -> bool:
    """Whether a value may be one of some modules, or one by which they are had (`apiary.hives`)."""
    modules = evaluator.linkage.modules
    dotted = {modules[path] for path in paths if path in modules}
    for value in with_parts(values):
        if value.sort is ValueSort.PACKAGE and any(each.startswith(f"{value.name}.") for each in dotted):
            return True
        if value.sort is ValueSort.MODULE:
            if value.path in paths or not evaluator.modules_about.inside(value.path).isdisjoint(paths):
                return True
    return False


def _of_call(file: LinkedFile, exposure: Exposure) -> Iterator[Evaluation]:
    for start, names in _runs_in(file.data):
        if start == exposure.start:
            seen = _seen_in(file, exposure.scope)
            if names is not None:
                seen = tuple(binding for binding in seen if file.facts.bindings[binding].name in names)
            yield Evaluation(exposure.what, exposure.start, seen)


@glance
def _runs_in(data: bytes) -> tuple[tuple[int, frozenset[str] | None], ...]:
    """The calls of a file that run code which is not written out: where they start, and the only names that the code may see;
    `None` for all."""
    found = []
    tree = syntax_tree(data)
    for start, callee in tree.names.items():
        call = tree.around[callee]
        if callee.id in _RUNNING and isinstance(call, ast.Call) and call.func is callee and not _is_written_out(call):
            namespaces = [*call.args[1:], *(keyword.value for keyword in call.keywords)]
            is_narrow = bool(namespaces) and all(map(_is_made_there, namespaces))
            inner = (each for namespace in namespaces for each in nodes_in(namespace))
            names = frozenset(each.id for each in inner if isinstance(each, ast.Name))
            found.append((start, names if is_narrow else None))
    return tuple(found)


@glance
def _handed_to_others(data: bytes) -> tuple[tuple[int, str], ...]:
    """The calls of a file by which others run code in its namespace, or are handed that: where they start, and what they call."""
    tree = syntax_tree(data)
    words = words_in(data)
    asks_library = any(name.encode() in words for name in _RUNNERS)
    found = []
    for node in tree.around:
        if not isinstance(node, ast.Call):
            continue
        called = last_name(node.func)
        arguments = [*node.args, *(keyword.value for keyword in node.keywords)]
        hands_names = called not in _KEEPING_NAMES and any(map(_is_own_namespace, arguments))
        receiver = last_name(node.func.value) if isinstance(node.func, ast.Attribute) else ""
        is_runner = asks_library and called in _RUNNING_BY_LIBRARY and receiver not in _RUNNING_OTHERS
        if hands_names or (is_runner and not _is_written_out(node)):
            found.append((tree.start_of(node), f"{called}()"))
    return tuple(found)


def _is_written_out(call: ast.Call) -> bool:
    """Whether the code that is run stands where that is done."""
    code = call.args[0] if call.args else None
    if isinstance(code, ast.Call) and last_name(code.func) == _COMPILING and code.args:
        code = code.args[0]
    return isinstance(code, ast.Constant)


def _is_made_there(namespace: ast.expr) -> bool:
    """Whether a namespace holds no more than what is named where code is run in it: one that is made there, or that of a thing."""
    match namespace:
        case ast.Dict(keys=keys):
            return None not in keys and not any(map(_is_own_namespace, nodes_in(namespace)))
        case ast.Call(func=ast.Name(id="vars"), args=[_]) | ast.Attribute(attr="__dict__"):
            return True
        case ast.Call(func=ast.Name(id="dict"), args=[]):
            is_spread = any(each.arg is None for each in namespace.keywords)
            return not is_spread and not any(map(_is_own_namespace, nodes_in(namespace)))
    return False


def _is_own_namespace(node: ast.AST) -> bool:
    return isinstance(node, ast.Call) and last_name(node.func) in _NAMESPACES and not node.args


def _seen_in(file: LinkedFile, scope: int) -> tuple[int, ...]:
    """The bindings that code sees which runs in a scope."""
    around = {scope, *(each for each in file.facts.ancestors(scope) if file.facts.scopes[each].kind is not ScopeKind.CLASS)}
    return tuple(index for index, each in enumerate(file.facts.bindings) if each.scope in around and not each.outside)


def _seen_anywhere(file: LinkedFile) -> tuple[int, ...]:
    scopes = file.facts.scopes
    return tuple(
        index
        for index, each in enumerate(file.facts.bindings)
        if not each.outside and scopes[each.scope].kind not in _SHORT_LIVED
    )
