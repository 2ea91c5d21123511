"""Files whose own path goes on: whoever has it may open the file, and see whatever a clean-up changed in it, comments
included. So may code that opens something and has another way to the file: its name, or its place in the stack."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator

from zephyrun.facts import FileFacts
from zephyrun.languages.python.reading import tree_of
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.remains import Reservation
from zephyrun.source import SourceText

# What makes of a path the same path, in another spelling or kind.
_SAME_PATH = frozenset("Path PurePath abspath absolute realpath resolve expanduser fspath normpath str strip".split())
# What makes of it something else: its folder, its name, whether it is there.
_SOMETHING_ELSE = frozenset(
    """dirname basename split splitext relpath parent parents parts name stem suffix with_name with_suffix joinpath exists
    isfile is_file samefile getmtime startswith endswith rpartition partition replace print len repr""".split()
)
_OPENS = frozenset("open read_text read_bytes getlines getline FileIO fopen run_path".split())
# What else leads to the path of a file, and what it takes to read the file then. Source: library reference.
_OTHER_WAYS = lazy_pattern(
    r"(?<![\w.\"'])__(?:loader|spec)__|__code__\s*\.\s*co_filename|\b(?:orig_argv|getsourcefile|getfile|extract_stack)\b|"
    r"(?:__main__\b|\bmodules\s*\[[^\]\n]*\])\s*\.\s*__file__"
)
_WORDS_OF_WAYS = ("loader__", "__spec__", "_filename", "_argv", "getsourcefile", "getfile", "extract_stack", "modules", "__main__")
_PATH = lazy_pattern(r"__file__|argv\s*\[\s*0\s*\]")
_READS_FILES = lazy_pattern(
    r"\b(?:open|fopen|FileIO|read_text|read_bytes|getlines?|get_source|get_data|getsize|st_size|run_path|findsource)\b"
)
# Texts that take in all files of Python.
_ALL_SOURCES = lazy_pattern(r".*\*\.py")
_SOURCE_NAME = lazy_pattern(r"(?<!\w)(\w+)\.py\b")


def own_text_reservations(
    source: SourceText, facts: FileFacts, module: str = "", tree: ast.Module | None = None
) -> Iterator[Reservation]:
    """A reservation for each place at which the path of the file goes on, be it to what opens it at once, and for each
    other way to it in code that reads files. `module` is the file's dotted name, "" where it may be any. Without its
    `tree` the file is read anew."""
    if _PATH.search(source.text) is not None:
        yield from _where_path_goes_on(source, tree if tree is not None else tree_of(source))
    if _READS_FILES.search(source.text):
        for what, start in _other_ways(source.text, facts, module.rpartition(".")[2]):
            yield Reservation(f"it does not matter what the text of this file is, to which `{what}` may lead", start)


def _other_ways(text: str, facts: FileFacts, name: str) -> Iterator[tuple[str, int]]:
    """What may lead to the file, other than its path, and where that stands."""
    # Few files hold any of these words, and every file is asked.
    for found in _OTHER_WAYS.finditer(text) if any(word in text for word in _WORDS_OF_WAYS) else ():
        if facts.is_code(found.start()):
            yield found[0], found.start()
    for each in facts.texts if ".py" in text else ():
        if ".py" in text[each.start : each.end] and each.use != "documentation":
            # A sentence only speaks of it.
            is_path = not re.search(r"\s", each.words) or _READS_FILES.search(each.words)
            if _ALL_SOURCES.fullmatch(each.words):
                yield each.words, each.start
            elif is_path and (named := [word for word in _SOURCE_NAME.findall(each.words) if not name or word == name]):
                yield f"{named[0]}.py", each.start


def _where_path_goes_on(source: SourceText, tree: ast.Module) -> Iterator[Reservation]:
    lines = {source.line_of(found.start()) for found in _PATH.finditer(source.text)}
    # To go through all of a large file takes long.
    near = [each for each in tree.body if any(_first_line(each) <= line <= (each.end_lineno or line) for line in lines)]
    around = {inner: node for each in near for node in ast.walk(each) for inner in ast.iter_child_nodes(node)}
    for node in around:
        if isinstance(node, ast.Name | ast.Subscript) and _is_own_path(node) and _goes_on(node, around):
            code = source.line(node.lineno).strip()
            what = f"it does not matter what the text of this file is, whose path goes on in `{code}`"
            yield Reservation(what, source.line_starts[node.lineno - 1])


def _first_line(statement: ast.stmt) -> int:
    lines: list[int] = [each.lineno for each in getattr(statement, "decorator_list", [])]
    return min([statement.lineno, *lines])


def _is_own_path(node: ast.Name | ast.Subscript) -> bool:
    if not isinstance(node.ctx, ast.Load):
        return False
    if isinstance(node, ast.Subscript):
        return _last_name(node.value) == "argv" and isinstance(node.slice, ast.Constant) and node.slice.value == 0
    return node.id == "__file__"


def _goes_on(path: ast.Name | ast.Subscript, around: dict[ast.AST, ast.AST]) -> bool:
    """Whether the path itself gets anywhere, and not only its folder or name, or what is shown of it. The first word of
    a command line is handed to many that show it: of calls, only those that open something count."""
    is_first_word = isinstance(path, ast.Subscript)
    node: ast.AST = path
    while True:
        outer = around[node]
        if isinstance(outer, ast.Call | ast.Attribute):
            name = _last_name(outer.func if isinstance(outer, ast.Call) else outer)
            if name in _SOMETHING_ELSE:
                return False
            if name not in _SAME_PATH:
                return name in _OPENS or not is_first_word
        elif isinstance(outer, ast.Compare | ast.FormattedValue | ast.BinOp | ast.Subscript | ast.Expr | ast.If):
            return False
        elif not isinstance(outer, ast.keyword | ast.Starred | ast.Tuple):
            return True
        node = outer


def _last_name(node: ast.expr) -> str:
    if isinstance(node, ast.Attribute):
        return node.attr
    return node.id if isinstance(node, ast.Name) else ""
