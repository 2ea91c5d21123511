"""Files whose own path goes on: whoever has it may open the file, and see whatever a clean-up changed in it, comments
included. So may code that opens something and has another way to the file: its name, or its place in the stack."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator, Mapping
from functools import lru_cache
from pathlib import Path

from zephyrun.facts import FileFacts
from zephyrun.languages.python.nodes import last_name, nodes_in
from zephyrun.languages.python.reading import nodes_on_lines, tree_of
from zephyrun.linking.glances import glance
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.remains import Reservation
from zephyrun.source import SourceText

# What makes of a path the same path, in another spelling or kind.
_SAME_PATH = frozenset("Path PurePath abspath absolute realpath relpath resolve expanduser fspath normpath str strip replace".split())
# What makes of it something else: its folder, its name, whether it is there.
_SOMETHING_ELSE = frozenset(
    """dirname basename split splitext parent parents parts name stem suffix with_name with_suffix joinpath exists
    isfile is_file samefile getmtime startswith endswith rpartition partition print len repr bool isinstance""".split()
)
# All that is asked of a path, or of one that is a text, in any Python; the last ones come with Python 3.12 to 3.14.
_OF_PATHS = frozenset({*dir(str), *dir(Path), *"walk from_uri full_match copy copy_into move move_into info".split()})
# What of a path makes another thing, or only asks whether there is one; and what may give it as it is.
_MAKING_ANOTHER = (ast.Compare, ast.UnaryOp, ast.Subscript, ast.Expr, ast.If, ast.While, ast.Assert)
_FILLING_IN = (ast.FormattedValue, ast.JoinedStr, ast.BinOp)
_COLLECTING = (ast.Tuple, ast.List)
_HANDING_ON = (ast.keyword, ast.Starred, *_COLLECTING, ast.BoolOp, ast.IfExp)
# Methods of tests that only hold it against something (library reference, `unittest`), and what runs the tests of a file, as
# Python runs the file.
_COMPARING = frozenset(
    """assertEqual assertNotEqual assertTrue assertFalse assertIs assertIsNot assertIsNone assertIsNotNone assertIn assertNotIn
    assertIsInstance assertRegex assertNotRegex""".split()
)
_RUNNING_TESTS = "pytest.main"
_FILE = "__file__"
# What reads a variable by its name.
_READS_NAMES = frozenset("locals vars eval exec f_locals _getframe currentframe".split())
_OPENS = frozenset("open read_text read_bytes getlines getline FileIO fopen run_path".split())
# What else leads to the path of a file, and what it takes to read the file then. Source: library reference.
# Each pattern begins with fixed letters, which is what makes a search of every file cheap.
_OTHER_WAYS = tuple(
    map(
        lazy_pattern,
        (
            # What is given under such a name, as a variable or by a keyword, is not asked for it.
            r"__loader__(?<![\w.\"']__loader__)(?!\s*=(?![=}!:]))",
            # The name of the package is no way to one file of it.
            r"__spec__(?<![\w.\"']__spec__)(?!\s*\.\s*(?:parent|name)\b|\s*=(?![=}!:]))",
            r"__code__\s*\.\s*co_filename",
            *(rf"{name}(?<!\w{name})\b" for name in ("orig_argv", "getsourcefile", "getfile", "extract_stack")),
            r"__main__\b\s*\.\s*__file__",
            r"modules(?<!\wmodules)\s*\[[^\]\n]*\]\s*\.\s*__file__",
        ),
    )
)
# Where `argv` gets a value, by an assignment, as a parameter or otherwise, and whether that is the arguments alone.
_GIVES_ARGUMENTS = lazy_pattern(
    r"(?m)(?<![.\w])argv\b(?=\s*=\s*(?:sys\.argv\[1:\]|argv\[\d+:\]))(\s*=)|(?<![.\w])argv\s*[:,]?=(?!=)|"
    r"\b(?:import|for|as)\b[^\n:]*(?<![.\w])argv\b|\bdef\s+\w+\s*\([^)]*(?<![.\w])argv\b|\blambda\b[^:\n]*(?<![.\w])argv\b"
)
_PATH = lazy_pattern(r"__file__|argv\s*\[\s*0\s*\]")
_READS_FILES = tuple(
    lazy_pattern(rf"{name}(?<!\w{name})\b")
    for name in (
        "open fopen FileIO read_text read_bytes getline getlines get_source get_data getsize st_size run_path findsource"
    ).split()
)
# Calls of these give a path.
_GIVING_PATH = ("getsourcefile", "getfile")
_GIVES_PATH = lazy_pattern(r"get(?:source)?file|co_filename|__main__\b[\"'\]\s]*\.\s*__file__|modules\s*\[[^\]\n]*\]\s*\.\s*__file__")
_LEADS_BY_PATH = lazy_pattern(r"get(?:source)?file|.*\.\s*(?:__file__|co_filename)")
_PATHS_OF_THINGS = ("__file__", "co_filename")
# Texts that take in all files of Python.
_ALL_SOURCES = lazy_pattern(r".*\*\.py")
_SOURCE_NAME = lazy_pattern(r"(?<!\w)(\w+)\.py\b")
_SOURCE_ENDING = ".py"


def own_text_reservations(
    source: SourceText, facts: FileFacts, module: str = "", tree: ast.Module | None = None
) -> Iterator[Reservation]:
    """A reservation for each place at which the path of the file goes on, be it to what opens it at once, and for each
    other way to it in code that reads files. `module` is the file's dotted name, "" where it may be any. Without its
    `tree` the file is read anew."""
    if _PATH.search(source.text) is not None:
        is_known = tree is None and bool(source.data)
        for line in _lines_seen(source.data) if is_known else _lines_where_path_goes_on(source, tree or tree_of(source)):
            what = f"it does not matter what the text of this file is, whose path goes on in `{source.line(line).strip()}`"
            yield Reservation(what, source.line_starts[line - 1])
    if _reads_files(source.text):
        for what, start in _other_ways(source.text, facts, module.rpartition(".")[2]):
            if _LEADS_BY_PATH.fullmatch(what):
                tree = tree or tree_of(source)
                if not _does_given_path_go_on(source, tree, start):
                    continue
            yield Reservation(f"it does not matter what the text of this file is, to which `{what}` may lead", start)


def _reads_files(text: str) -> bool:
    return any(pattern.search(text) is not None for pattern in _READS_FILES)


def _other_ways(text: str, facts: FileFacts, name: str) -> Iterator[tuple[str, int]]:
    """What may lead to the file, other than its path, and where that stands."""
    for start, written in sorted((found.start(), found[0]) for pattern in _OTHER_WAYS for found in pattern.finditer(text)):
        if facts.is_code(start):
            yield written, start
    for each in facts.texts if ".py" in text else ():
        if ".py" in text[each.start : each.end] and each.use != "documentation":
            # A sentence only speaks of it.
            is_path = not re.search(r"\s", each.words) or _reads_files(each.words)
            # The name before it may be that of the file itself.
            is_ending = each.words == _SOURCE_ENDING and (each.use == "operand" or each.beside == "with_suffix")
            if _ALL_SOURCES.fullmatch(each.words) or (is_ending and (_PATH.search(text) or _GIVES_PATH.search(text))):
                yield each.words, each.start
            elif is_path and (named := [word for word in _SOURCE_NAME.findall(each.words) if not name or word == name]):
                yield f"{named[0]}.py", each.start


@glance
def _lines_seen(data: bytes) -> tuple[int, ...]:
    source = SourceText.from_bytes(data)
    return tuple(_lines_where_path_goes_on(source, tree_of(source)))


def _lines_where_path_goes_on(source: SourceText, tree: ast.Module) -> Iterator[int]:
    """The lines in which the path of the file goes on, each once for each time that it does."""
    lines = {source.line_of(found.start()) for found in _PATH.finditer(source.text)}
    # To go through all of a large file takes long.
    near = nodes_on_lines(tree, sorted(lines))
    around = {inner: node for node in near for inner in ast.iter_child_nodes(node)}
    for node in around:
        if isinstance(node, ast.Subscript) and isinstance(node.value, ast.Name) and _has_arguments_alone(source.text):
            continue
        if isinstance(node, ast.Name | ast.Subscript) and _is_own_path(node) and _goes_on(node, around, isinstance(node, ast.Subscript)):
            yield node.lineno


def _does_given_path_go_on(source: SourceText, tree: ast.Module, start: int) -> bool:
    """Whether the path goes on that a function gives whose name starts at an offset, or an attribute of what does."""
    line = source.line_of(start)
    around = {inner: node for node in nodes_on_lines(tree, [line]) for inner in ast.iter_child_nodes(node)}
    callees = [each for each in around if isinstance(each, ast.Name | ast.Attribute) and last_name(each) in _GIVING_PATH]
    calls = [each for each in map(around.get, callees) if isinstance(each, ast.Call) and each.func in callees]
    paths = [*calls, *(each for each in around if isinstance(each, ast.Attribute) and each.attr in _PATHS_OF_THINGS)]
    return len(calls) != len(callees) or not paths or any(_goes_on(each, around, is_first_word=False) for each in paths)


@lru_cache(maxsize=1)
def _has_arguments_alone(text: str) -> bool:
    """Whether what a file calls `argv` is without the path with which a command line begins."""
    given = _GIVES_ARGUMENTS.findall(text)
    return bool(given) and all(given)


def _is_own_path(node: ast.Name | ast.Subscript) -> bool:
    if not isinstance(node.ctx, ast.Load):
        return False
    if isinstance(node, ast.Subscript):
        return last_name(node.value) == "argv" and isinstance(node.slice, ast.Constant) and node.slice.value == 0
    return node.id == _FILE


def _goes_on(
    path: ast.AST, around: Mapping[ast.AST, ast.AST], is_first_word: bool, followed: frozenset[str] = frozenset()
) -> bool:
    """Whether the path itself gets anywhere, and not only its folder or name, or what is shown of it; one that a local
    variable holds gets where that does. The first word of a command line is handed to many that show it: of calls, only
    those that open something count. `followed` are the variables on the way."""
    node = inner = path
    is_part = is_collected = False
    while True:
        outer = around[node]
        if isinstance(outer, ast.Call | ast.Attribute):
            name = last_name(outer.func if isinstance(outer, ast.Call) else outer)
            if name in _SOMETHING_ELSE or (isinstance(outer, ast.Call) and _leaves_it_alone(outer.func)):
                return False
            if isinstance(outer, ast.Attribute) and name not in _OF_PATHS and not is_collected:
                # What has such an attribute is no path.
                return False
            if name not in _SAME_PATH:
                return name in _OPENS or not (is_first_word or is_part)
        elif isinstance(outer, _FILLING_IN):
            # A text that it is part of may be shown; it is the path if it is opened at once.
            is_part = True
        elif isinstance(outer, ast.Subscript) and outer.slice is node:
            # What knows files by their paths may know the text.
            return not is_first_word
        elif (is_part and not isinstance(outer, _HANDING_ON)) or _is_kept_as_modules(outer, node):
            return False
        elif isinstance(outer, _MAKING_ANOTHER):
            return False
        elif isinstance(outer, _COLLECTING):
            is_collected = True
        elif not isinstance(outer, _HANDING_ON):
            name, function = _local_set_by(outer, inner, around)
            if function is None or name in followed or (is_collected and name == _whole_name(outer)):
                return True
            within = {inner: each for each in nodes_in(function) for inner in ast.iter_child_nodes(each)}
            reads = (each for each in within if isinstance(each, ast.Name) and each.id == name)
            return any(
                _goes_on(each, within, is_first_word, followed | {name})
                for each in reads
                if isinstance(each.ctx, ast.Load)
            )
        node, inner = outer, node


def _leaves_it_alone(callee: ast.expr) -> bool:
    """Whether what is called only holds a path against something, or runs the file."""
    return (isinstance(callee, ast.Attribute) and callee.attr in _COMPARING) or ast.unparse(callee) == _RUNNING_TESTS


def _whole_name(statement: ast.AST) -> str:
    """The name that gets the whole value of an assignment; "" for none."""
    match statement:
        case ast.Assign(targets=[ast.Name(id=name)]) | ast.AnnAssign(target=ast.Name(id=name)):
            return name
    return ""


def _is_kept_as_modules(outer: ast.AST, path: ast.AST) -> bool:
    """Whether a module gets the path for its own, as each has one."""
    match outer:
        case ast.Dict(keys=keys, values=values):
            kept = [key for key, value in zip(keys, values, strict=True) if value is path]
            return all(isinstance(key, ast.Constant) and key.value == _FILE for key in kept)
        case ast.keyword(arg=name):
            return name == _FILE
        case ast.Assign(targets=[ast.Attribute(attr=name)]):
            return name == _FILE
    return False


def _name_set_by(statement: ast.AST, part: ast.AST) -> str:
    """The name that alone gets a value, or a part of it (`name, rest = path, words`), in an assignment; "" for none."""
    if name := _whole_name(statement):
        return name
    match statement:
        case ast.Assign(targets=[ast.Tuple(elts=targets)], value=ast.Tuple(elts=values)) if len(targets) == len(values):
            are_whole = not any(isinstance(each, ast.Starred) for each in (*targets, *values))
            found = [target for target, value in zip(targets, values, strict=True) if value is part]
            return last_name(found[0]) if are_whole and found and isinstance(found[0], ast.Name) else ""
    return ""


def _local_set_by(
    statement: ast.AST, part: ast.AST, around: Mapping[ast.AST, ast.AST]
) -> tuple[str, ast.FunctionDef | ast.AsyncFunctionDef | None]:
    """The local variable that an assignment alone sets to a value, or to a part of it, and its function; no function where
    nobody can tell what becomes of the variable."""
    name = _name_set_by(statement, part)
    function: ast.AST = statement
    while function in around and not isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        function = around[function]
    if not name or not isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef):
        return "", None
    is_open = any(
        name in each.names if isinstance(each, ast.Global | ast.Nonlocal) else last_name(each) in _READS_NAMES
        for each in nodes_in(function)
        if isinstance(each, ast.Global | ast.Nonlocal | ast.Name | ast.Attribute)
    )
    return name, None if is_open else function
