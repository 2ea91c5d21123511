"""Code in texts: programs that a text holds, pieces of code that something puts together and runs, and examples
in documentation, which run as tests.

Which names such code means cannot be told, since it is not known with which names it runs: each place
waits for a person's word. A text that is a program counts in any project; a mere piece (`"hive.weigh("`),
which may as well be a message, only where the project runs texts at all.
"""

from __future__ import annotations

import ast
import re
import textwrap
import warnings
from collections.abc import Collection
from functools import lru_cache

from zephyrun.facts import Text
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.linking.texts import EXAMPLE_LINE, code_words_in, example_words_in, runs_text
from zephyrun.linking.usage import PRIVATE_ATTRIBUTES, OpenPlace, Place, PlaceSort, TargetSort, Usage
from zephyrun.patterns import lazy_pattern

# Where a name (`<name>`) stands in a piece of code, by the sort of what it could be.
_CALLED = r"\b(<name>)\s*\("
_BEHIND_DOT = r"(?<=[\w)\]}]\.)(<name>)\b"
_DEFINED = r"\b(?:def|class)\s+(<name>)\b"
_IMPORTED = r"\bimport\s+(?:[\w.]+\s*,\s*)*(<name>)\b"
_GIVEN = r"\b(?:<called>)\s*\((?:[^()\n]*,)?\s*(<name>)\s*=(?!=)"
_FROM = r"\b(?:from|import)\s+(?:[\w.]*\.)?(<name>)\b"
_BEFORE_DOT = r"\b(<name>)\.\w"
_ANYWHERE = r"\b(<name>)\b"
_EXAMPLE_NAME = r"\b(<name>)\b(?!\s*=[^=])"
_EXAMPLE_LINE = lazy_pattern(EXAMPLE_LINE)
_POSITIONS = {
    TargetSort.GLOBAL: "|".join((_CALLED, _BEHIND_DOT, _DEFINED, _IMPORTED)),
    TargetSort.MEMBER: "|".join((_BEHIND_DOT, _DEFINED, _GIVEN)),
    TargetSort.PARAMETER: _GIVEN,
    TargetSort.MODULE: "|".join((_FROM, _BEFORE_DOT)),
}
_NO_CODE = frozenset({"documentation", "annotation"})
_STATEMENTS = (
    *(ast.Import, ast.ImportFrom, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef),
    *(ast.For, ast.While, ast.With, ast.Try, ast.If, ast.Raise, ast.Delete, ast.Assert),
)

_MOST_TEXTS_KEPT = 4096


def note_code_texts(
    linkage: Linkage, usage: Usage, name: str, called: Collection[str] = ()
) -> None:
    """Open each place where code in a text of the project may mean the name. A keyword counts in calls of
    what is `called` so."""
    sort = usage.target.sort
    if sort not in _POSITIONS or (sort is TargetSort.PARAMETER and not called):
        return
    callees = "|".join(map(re.escape, sorted(called))) or r"\w+"
    position = _POSITIONS[sort].replace("<called>", callees)
    _note_examples(linkage, usage, name, position)
    for path in linkage.paths_where(name, code_words_in):
        file = linkage.file(path)
        for text in file.facts.texts if file is not None else ():
            assert file is not None, "it has texts"
            if name not in text.words or text.use in _NO_CODE:
                continue
            if text.words == name:
                _note_filled_in(usage, file, text, name)
                continue
            is_program = _is_program(file.source.text[text.start : text.end])
            if not is_program and not linkage.runs_texts:
                continue
            known = {place.start for place in usage.places if place.path == path}
            known |= {each.place.start for each in usage.open_places if each.place.path == path}
            is_anywhere = is_program and sort is TargetSort.GLOBAL
            pattern = re.compile((_ANYWHERE if is_anywhere else position).replace("<name>", re.escape(name)))
            for match in pattern.finditer(file.source.text, text.start, text.end):
                assert match.lastindex is not None, "each way to stand there names the name"
                start = match.start(match.lastindex)
                if start not in known and start not in file.name_starts:
                    place = Place(path, start, start + len(name), PlaceSort.TEXT)
                    usage.open_places.append(
                        OpenPlace(place, f"a text holds code with `{name}`: it is not known what that is")
                    )


def _note_examples(linkage: Linkage, usage: Usage, name: str, position: str) -> None:
    """Open the places where examples may mean the name. It surely means itself where the file defines or
    imports it, and where nothing else bears it."""
    is_global = usage.target.sort is TargetSort.GLOBAL
    pattern = re.compile((_EXAMPLE_NAME if is_global else position).replace("<name>", re.escape(name)))
    knowing = {place.path for place in usage.places if place.sort is PlaceSort.IMPORT}
    knowing.update(path for path, _ in usage.homes if is_global)
    for path in linkage.paths_where(name, example_words_in):
        file = linkage.file(path)
        for text in file.facts.texts if file is not None else ():
            assert file is not None, "it has texts"
            if text.use != "documentation" or name not in text.words:
                continue
            is_ours = usage.stands_alone or path in knowing
            for line in _EXAMPLE_LINE.finditer(file.source.text, text.start, text.end):
                for match in pattern.finditer(file.source.text, line.start(1), line.end(1)):
                    assert match.lastindex is not None, "each way to stand there names the name"
                    start = match.start(match.lastindex)
                    place = Place(path, start, start + len(name), PlaceSort.TEXT)
                    if place in usage.places:
                        continue
                    if is_ours and not (is_global and file.source.text[start - 1] == "."):
                        usage.places.add(place)
                        if usage.stands_alone:
                            usage.assume(PRIVATE_ATTRIBUTES)
                    elif is_global and not _may_mean(file, text, name):
                        continue
                    elif all(each.place != place for each in usage.open_places):
                        why = f"an example in documentation holds `{name}`: it is not known what that is"
                        usage.open_places.append(OpenPlace(place, why))


def _may_mean(file: LinkedFile, text: Text, name: str) -> bool:
    """Whether examples of a file may mean a name of another module: they import something, or stand where
    the name is known."""
    return name in file.module_bindings or re.search(r"\bimport\b", text.words) is not None


def _note_filled_in(usage: Usage, file: LinkedFile, text: Text, name: str) -> None:
    """A text that is the name may be filled into code that its file runs."""
    start = text.start + file.source.text[text.start : text.end].find(name)
    is_known = any(each.path == file.path and each.start == start for each in usage.places)
    if runs_text(file.data) and not is_known and usage.target.sort is not TargetSort.PARAMETER:
        place = Place(file.path, start, start + len(name), PlaceSort.TEXT)
        if all(each.place != place for each in usage.open_places):
            why = f'"{name}": it is not known whether that is filled into code'
            usage.open_places.append(OpenPlace(place, why))


@lru_cache(maxsize=_MOST_TEXTS_KEPT)
def _is_program(literal: str) -> bool:
    """Whether a text is a program: it can be parsed, and does something that prose and data do not."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            text = ast.literal_eval(f"({literal})")
            if not isinstance(text, str):
                return False
            tree = ast.parse(textwrap.dedent(text))
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return False
    nodes = list(ast.walk(tree))
    if any(isinstance(node, _STATEMENTS) for node in nodes):
        return True
    does = (ast.Assign, ast.AugAssign, ast.Expr)
    has_call = any(isinstance(node, ast.Call) for node in nodes)
    return has_call and len(tree.body) > 1 and all(isinstance(node, does) for node in tree.body)
