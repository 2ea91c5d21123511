"""Private names that are put together (`"_" + word`): whether a file has a text with which one may begin."""

from __future__ import annotations

import ast
import re
from typing import NamedTuple

from zephyrun.facts import ScopeKind
from zephyrun.languages.python.nodes import last_name
from zephyrun.link_facts import Lookup
from zephyrun.linking.glances import glance
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.origins import origin_of
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.syntax_trees import SyntaxTree, called_name, syntax_tree
from zephyrun.linking.texts_made import texts_made
from zephyrun.linking.value_sorts import ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

# At a glance: a text that begins with an underscore and goes on with what is added or filled in, and such a one alone.
_BEGUN = lazy_pattern(rb"[\"'](_\w*)(?:[\"']\s*[+%]|[{%])")
_BEGUN_IN_TEXT = lazy_pattern(r"[\"'](_\w*)(?:[\"']\s*[+%]|[{%])")
_UNDERLINES = ("_", "__")
# Behind what only seeks such a text, or before it, it begins nothing.
_UNDERLINE_ALONE = lazy_pattern(
    rb"(?P<before>\.\s*(?:(?:starts|ends)with|r?split|[lr]?strip|r?partition|r?find|r?index|count)\s*\(\s*|[=!]=\s*|\[\s*)?[\"']__?[\"']"
    rb"(?P<behind>\s*(?:(?:not\s+)?in\b|[=!]=|\]|\.\s*join\b(?!\s*\(\s*[\[(]\s*[\"']{2})))?"
)
# What is put together of what stands elsewhere, or given by a call.
_MADE = rb"(?:f[\"']\{|\(|[\w.]+(?:\[[^\]\n]*\])?\s*[+*]|[\w.]+\()"
_BEGUN_ELSEWHERE = lazy_pattern(rb"(?:attr\s*\([^\n]*?,|(?:attrgetter|methodcaller)\s*\()\s*%b" % _MADE)
_ASKED_BY_VARIABLE = lazy_pattern(rb"attr\s*\([^\n]*?,\s*(\w+)\s*[,)]|(?:attrgetter|methodcaller)\s*\(\s*(\w+)\s*[,)]")
_MADE_IN_VARIABLE = lazy_pattern(rb"\b(\w+)\s*:?=\s*%b" % _MADE)
_ASKING_LATER = frozenset({"attrgetter", "methodcaller"})
_IS_TEMPLATE = lazy_pattern("[{%]")
# Letters before the quotes of a text.
_LONGEST_PREFIX = len("rf")
# Methods of texts that are handed what is sought in one, or stands between its parts.
_SEEKING = frozenset(
    "startswith endswith replace split rsplit strip lstrip rstrip partition rpartition removeprefix removesuffix find rfind count sub subn".split()
)
_JOINING = "join"
_BETWEEN = frozenset({"sep", "separator", "delimiter"})


class _Made(NamedTuple):
    """A text that is put together: the texts with which it may begin, `None` for any, and the files of what makes it."""

    beginnings: frozenset[str] | None
    makers: frozenset[str]

    def may_be(self, evaluator: Evaluator, name: str) -> bool:
        """Whether it may be a name."""
        if self.beginnings is None or any(map(name.startswith, self.beginnings)):
            return True
        return any(may_begin_in(evaluator, path, name) for path in self.makers)


@once_a_version
def may_begin_in(evaluator: Evaluator, path: str, name: str) -> bool:
    """Whether a file has a text with which a private name may begin that is put together."""
    data = evaluator.linkage.contents[path]
    if not isinstance(data, bytes):
        return False
    if name.encode() in data and _is_part_of_text(evaluator.linkage.file(path), name):
        return True
    is_begun = any(map(name.encode().startswith, _BEGUN.findall(data)))
    file = evaluator.linkage.file(path) if is_begun or _has_loose_underline(data) else None
    if file is None:
        return False
    if is_begun and any(_may_become(evaluator, file, match, name) for match in _BEGUN_IN_TEXT.finditer(file.source.text)):
        return True
    return any(map(name.startswith, _loose_underlines(data)))


def _is_part_of_text(file: LinkedFile | None, name: str) -> bool:
    """Whether a text of a file holds a name among others, from which it may be taken (`"_kg.real".split(".")`)."""
    part = re.compile(rf"(?:[\w.]*[.,;:|/ ])?{re.escape(name)}(?:[.,;:|/ ][\w.,;:|/ ]*)?")
    return any(
        name in text.words and text.words != name and text.use != "documentation" and part.fullmatch(text.words)
        for text in (file.facts.texts if file is not None else ())
    )


@glance
def _has_loose_underline(data: bytes) -> bool:
    """Whether a file seems to have a text that is nothing but underlines, and which may begin another one."""
    return any(not match["before"] and not match["behind"] for match in _UNDERLINE_ALONE.finditer(data))


@glance
def _loose_underlines(data: bytes) -> tuple[str, ...]:
    """The texts of nothing but underlines, of a file that can be parsed, which may begin another one."""
    tree = syntax_tree(data)
    alone = [each for each in tree.texts.values() if isinstance(each, ast.Constant) and each.value in _UNDERLINES]
    return tuple({str(each.value) for each in alone if _is_loose(tree, each, frozenset())})


@glance
def puts_together_unknown(data: bytes) -> bool:
    """Whether a file seems to look up names that begin with what stands elsewhere, or that something else makes."""
    if _BEGUN_ELSEWHERE.search(data) is not None:
        return True
    asked = {name for pair in _ASKED_BY_VARIABLE.findall(data) for name in pair if name}
    return any(name in asked for name in _MADE_IN_VARIABLE.findall(data))


def is_made_of_unknown(evaluator: Evaluator, file: LinkedFile, lookup: Lookup, name: str) -> bool:
    """Whether the name that is looked up is put together where that is done, with a beginning that may be that of a name, or
    by a function that may put it together so."""
    if lookup.start not in _asking_for_made(file.data):
        return False
    return any(each.may_be(evaluator, name) for each in _ways_made(evaluator, file.path, lookup.start))


@once_a_version
def _ways_made(evaluator: Evaluator, path: str, start: int) -> tuple[_Made, ...]:
    """How the name may be made that a lookup asks for."""
    file = evaluator.file(path)
    worked_out = _worked_out(syntax_tree(file.data).lookups[start])
    return tuple(_made(evaluator, file, each) for each in _given(file, worked_out)) if worked_out is not None else ()


def _worked_out(call: ast.Call) -> ast.expr | None:
    """The name that a call looks up."""
    place = 0 if called_name(call) in _ASKING_LATER else 1
    return call.args[place] if len(call.args) > place else None


@glance
def _asking_for_made(data: bytes) -> frozenset[int]:
    """Where a file that can be parsed looks up what is put together there, or is what some variable so called is given that is
    put together, or comes of a call."""
    tree = syntax_tree(data)
    made = {
        each.id
        for each in tree.names.values()
        if isinstance(around := tree.around[each], ast.Assign | ast.AnnAssign | ast.NamedExpr)
        and around.value is not None
        and _is_put_together(around.value)
    }
    asked = ((start, _worked_out(call)) for start, call in tree.lookups.items())
    return frozenset(
        start
        for start, worked_out in asked
        if worked_out is not None and (worked_out.id in made if isinstance(worked_out, ast.Name) else _is_put_together(worked_out))
    )


def _is_put_together(node: ast.expr) -> bool:
    return (isinstance(node, ast.Call) and isinstance(node.func, ast.Name | ast.Attribute)) or _first_part(node) is not node


def is_key_made_of_unknown(evaluator: Evaluator, file: LinkedFile, namespace: ast.expr, name: str) -> bool:
    """The same of the key for which a namespace is asked where an expression gives it."""
    tree = syntax_tree(file.data)
    around = tree.around[namespace]
    call = tree.around[around] if isinstance(around, ast.Attribute) else None
    match around, call:
        case ast.Subscript(slice=key), _:
            pass
        case _, ast.Call(args=[key, *_]):
            pass
        case ast.Compare(left=key), _:
            pass
        case _:
            return False
    return any(_made(evaluator, file, each).may_be(evaluator, name) for each in _given(file, key))


def _given(file: LinkedFile, node: ast.expr) -> list[ast.expr]:
    """An expression, or what a variable of a function is given that it is."""
    if not isinstance(node, ast.Name):
        return [node]
    tree = syntax_tree(file.data)
    reference = file.facts.reference_by_start.get(tree.start_of(node))
    record = file.facts.bindings[reference.binding] if reference is not None else None
    if record is None or file.facts.scopes[record.scope].kind is not ScopeKind.FUNCTION:
        return []
    targets = [tree.names.get(file.facts.references[index].start) for index in record.references]
    statements = [tree.around[each] for each in targets if each is not None]
    return [each.value for each in statements if isinstance(each, ast.Assign | ast.AnnAssign | ast.NamedExpr) and each.value is not None]


def _made(evaluator: Evaluator, file: LinkedFile, node: ast.expr) -> _Made:
    """What an expression puts together."""
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name | ast.Attribute):
        values = evaluator.values(file, origin_of(file, node.func))
        return _Made(frozenset(), frozenset(value.path for value in values if value.sort in (ValueSort.FUNCTION, ValueSort.CLASS)))
    first = _first_part(node)
    texts = texts_made(evaluator, file, first) if first is not node else ()
    return _Made(frozenset(texts) if texts is not None else None, frozenset())


def _first_part(node: ast.expr) -> ast.expr:
    """What a text begins with that is put together; itself for any other."""
    match node:
        case ast.BinOp(left=left, op=ast.Add() | ast.Mult()):
            return _first_part(left)
        case ast.JoinedStr(values=[first, *_]):
            return _first_part(first)
        case ast.FormattedValue(value=value):
            return value
    return node


def _may_become(evaluator: Evaluator, file: LinkedFile, match: re.Match[str], name: str) -> bool:
    """Whether a name may be made of a text that begins at a place."""
    if not name.startswith(match[1]):
        return False
    tree = syntax_tree(file.data)
    starts = range(match.start(), match.start() - _LONGEST_PREFIX - 1, -1)
    node: ast.AST | None = next((tree.texts[start] for start in starts if start in tree.texts), None)
    begun = node
    while node is not None and isinstance(outer := tree.around[node], ast.BinOp | ast.JoinedStr):
        node = outer
    if isinstance(node, ast.BinOp) and (first := _leftmost(node)) is not begun and not _may_be_empty(tree, first):
        # It stands between other parts (`group + "_" + word`).
        return False
    texts = texts_made(evaluator, file, node) if isinstance(node, ast.BinOp | ast.JoinedStr) else None
    # Something may be put behind what is made so, or filled into it.
    return texts is None or any(name.startswith(each) or _IS_TEMPLATE.search(each) for each in texts)


def _leftmost(node: ast.expr) -> ast.expr:
    """What stands first where parts are added, or filled in."""
    while isinstance(node, ast.BinOp):
        node = node.left
    return node


def _may_be_empty(tree: SyntaxTree, part: ast.expr) -> bool:
    """Whether a part of a text may be an empty one: it is no name, or some variable or attribute so called, a parameter or
    keyword, is given such a one in the file."""
    if not isinstance(part, ast.Name | ast.Attribute):
        return not (isinstance(part, ast.Constant) and part.value)
    called = last_name(part)
    for text in tree.texts.values():
        if not isinstance(text, ast.Constant) or text.value != "":
            continue
        match tree.around[text]:
            case ast.Assign(targets=targets):
                names = list(map(last_name, targets))
            case ast.AnnAssign(target=ast.Name(id=name) | ast.Attribute(attr=name)) | ast.keyword(arg=name):
                names = [name or ""]
            case ast.arguments() as around:
                names = _names_with_default(around, text)
            case ast.BoolOp() | ast.IfExp():
                # It may be given to anything.
                names = [called]
            case _:
                names = []
        if called in names:
            return True
    return False


def _is_loose(tree: SyntaxTree, node: ast.expr, asked: frozenset[str]) -> bool:
    """Whether a text, or a variable with one, may get to be the beginning of another text; what is added to it where it
    stands is told elsewhere. `asked` are the variables on the way."""
    around = tree.around[node]
    match around:
        case ast.Compare() | ast.Subscript() | ast.Expr() | ast.JoinedStr() | ast.FormattedValue():
            return False
        case ast.Dict(keys=keys):
            return node not in keys
        case ast.BinOp(op=ast.Mult()):
            return True
        case ast.BinOp(left=left):
            return isinstance(node, ast.Name | ast.Attribute) and node is left
        case ast.Attribute(attr=method):
            call = tree.around[around]
            return method == _JOINING and isinstance(call, ast.Call) and _begins_with_nothing(call)
        case ast.Tuple(elts=elements) | ast.List(elts=elements) | ast.Set(elts=elements):
            return not all(map(_is_letter, elements)) and _is_loose(tree, around, asked)
        case ast.Call(func=ast.Attribute(attr=method)) if method in _SEEKING:
            return False
        case ast.keyword(arg=keyword) if keyword in _BETWEEN:
            return False
        case ast.Assign(targets=[ast.Name(id=name) | ast.Attribute(attr=name)]) | ast.AnnAssign(target=ast.Name(id=name)):
            return _is_variable_loose(tree, name, asked)
        case ast.arguments():
            return any(_is_variable_loose(tree, name, asked) for name in _names_with_default(around, node))
    return True


def _is_letter(node: ast.expr) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, str) and len(node.value) == 1


def _is_variable_loose(tree: SyntaxTree, name: str, asked: frozenset[str]) -> bool:
    """The same of all that is called by a name in a file."""
    if name in asked:
        return False
    named: list[ast.Name | ast.Attribute] = [each for each in tree.names.values() if each.id == name]
    named += [each for each in tree.attributes.values() if each.attr == name]
    return any(
        isinstance(tree.around[each], ast.AugAssign) or (isinstance(each.ctx, ast.Load) and _is_loose(tree, each, asked | {name}))
        for each in named
    )


def _names_with_default(arguments: ast.arguments, default: ast.expr) -> list[str]:
    by_position = [*arguments.posonlyargs, *arguments.args]
    pairs = [*zip(by_position[::-1], arguments.defaults[::-1], strict=False), *zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)]
    return [each.arg for each, value in pairs if value is default]


def _begins_with_nothing(call: ast.Call) -> bool:
    """Whether a call joins parts of which the first one is empty."""
    match call.args:
        case [ast.Tuple(elts=[ast.Constant(value=""), *_]) | ast.List(elts=[ast.Constant(value=""), *_])]:
            return True
    return False
