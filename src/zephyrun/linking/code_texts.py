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
from collections.abc import Callable, Collection, Iterator
from functools import lru_cache

from zephyrun.facts import Text
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.linking.texts import (
    EXAMPLE_LINE,
    EXAMPLE_OUTPUT,
    code_words_in,
    example_words_in,
    is_begun_in_examples,
    runs_text,
    words_printed_in,
)
from zephyrun.linking.usage import PRIVATE_ATTRIBUTES, OpenPlace, Place, PlaceSort, TargetSort, Usage
from zephyrun.patterns import lazy_pattern

# Where a name (`<name>`) stands in a piece of code, by the sort of what it could be.
_CALLED = r"\b(<name>)\s*\("
_BEHIND_DOT = r"(?<=[\w)\]}]\.)(<name>)\b"
_DEFINED = r"\b(?:def|class)\s+(<name>)\b"
_IMPORTED = r"\bimport\s+(?:[\w.]+\s*,\s*)*(<name>)\b"
_GIVEN = r"(?:<called>)\s*\((?:[^()\n]*,)?\s*(<name>)\s*=(?!=)"
_ANYTHING = r"[\w)\]]"
_FROM = r"\b(?:from|import)\s+(?:[\w.]*\.)?(<name>)\b"
_BEFORE_DOT = r"\b(<name>)\.\w"
_ANYWHERE = r"\b(<name>)\b"
_EXAMPLE_NAME = r"(?<=\.)(<name>)\b|\b(<name>)\b(?!\s*=[^=])"
_EXAMPLE_LINE = lazy_pattern(EXAMPLE_LINE)
# What an example begins with.
_PROMPT = ">>> "
_OUTPUT = lazy_pattern(EXAMPLE_OUTPUT)
# The name as it stands in what shows things: `<function weigh at …>`, `Hive(kg=3)`, `hives.TooHeavy: …`, `'weigh'`.
_SHOWN = r"(?<![\w])(<name>)(?=\(|=|:|>|'|\"| at (?:0x|\.\.\.)| object\b| of <)|(?<=['\".])(<name>)\b"
_OWN_NAME = lazy_pattern(r"\s*\.\s*__(?:qual)?name__\b")
# What examples are told names by.
_TELLS_NAMES = lazy_pattern(r"__(?:qual)?name__|\b(?:vars|dir|signature|getmembers|help)\s*\(|__dict__")
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


# Says of an offset in a text of a file whether the name there is the one in question, where that is known.
MeantThere = Callable[[LinkedFile, Text, int], bool | None]


def note_code_texts(
    linkage: Linkage, usage: Usage, name: str, called: Collection[str] = (), *, is_meant: MeantThere, goes_about: bool = False
) -> None:
    """Open each place where code in a text of the project may mean the name; of examples `is_meant` says it. A keyword
    counts in calls of what is `called` so, and in those of anything in examples where what takes it `goes_about`."""
    sort = usage.target.sort
    if sort not in _POSITIONS or (sort is TargetSort.PARAMETER and not called):
        return
    callees = rf"\b(?:{'|'.join(map(re.escape, sorted(called)))})" if called else _ANYTHING
    position = _POSITIONS[sort].replace("<called>", callees)
    _note_examples(linkage, usage, name, _POSITIONS[sort].replace("<called>", _ANYTHING) if goes_about else position, is_meant)
    if sort is not TargetSort.PARAMETER:
        for path, data in linkage.examples_looking_up:
            # As in code, a private name is seldom worked out where nothing begins like it.
            if name.startswith("_") and not linkage.stands_in_quotes(name) and not is_begun_in_examples(name, data):
                continue
            usage.doubt(f"the examples in {path}, which look names up, do not look up `{name}`", path)
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


def _note_examples(linkage: Linkage, usage: Usage, name: str, position: str, is_meant: MeantThere) -> None:
    """Note the places where examples mean the name, and open those where they may. Where nobody knows better, it means
    itself where the file defines or imports it, and where nothing else bears it."""
    is_global = usage.target.sort is TargetSort.GLOBAL
    pattern = re.compile((_EXAMPLE_NAME if is_global else position).replace("<name>", re.escape(name)))
    knowing = {place.path for place in usage.places if place.sort is PlaceSort.IMPORT}
    knowing.update(path for path, _ in usage.homes if is_global)
    paths = {*linkage.paths_where(name, example_words_in), *linkage.paths_where(name, words_printed_in)}
    for path in sorted(paths):
        file = linkage.file(path)
        for text in file.facts.texts if file is not None else ():
            assert file is not None, "it has texts"
            if name not in text.words:
                continue
            if text.use != "documentation":
                _open_in_text(usage, file, text, pattern)
                continue
            is_ours = usage.stands_alone or path in knowing
            for place in _places_in_examples(file, text, pattern):
                if place not in usage.places:
                    _note_in_example(usage, file, text, place, is_ours=is_ours, is_known=is_meant(file, text, place.start))
            is_ours |= any(place.path == path and text.start <= place.start < text.end for place in usage.places)
            is_ours |= _TELLS_NAMES.search(file.source.text, text.start, text.end) is not None
            # What a parameter is called is not shown.
            if is_ours and usage.target.sort is not TargetSort.PARAMETER:
                _note_output(usage, file, text, name)


def _open_in_text(usage: Usage, file: LinkedFile, text: Text, pattern: re.Pattern[str]) -> None:
    """Open the places of a text that is no documentation where it seems to, and holds examples: who runs those of a module
    takes such texts, too, out of a table (`__test__`), or as what something is documented with later."""
    for match in pattern.finditer(file.source.text, text.start, text.end) if _PROMPT in text.words else ():
        assert match.lastindex is not None, "each way to stand there names the name"
        place = Place(file.path, *match.span(match.lastindex), PlaceSort.TEXT)
        _open(usage, place, f"an example in a text holds `{match[match.lastindex]}`: it is not known what that is")


def _places_in_examples(file: LinkedFile, text: Text, pattern: re.Pattern[str]) -> Iterator[Place]:
    for line in _EXAMPLE_LINE.finditer(file.source.text, text.start, text.end):
        for match in pattern.finditer(file.source.text, line.start(1), line.end(1)):
            assert match.lastindex is not None, "each way to stand there names the name"
            yield Place(file.path, *match.span(match.lastindex), PlaceSort.TEXT)


def _note_in_example(
    usage: Usage, file: LinkedFile, text: Text, place: Place, *, is_ours: bool, is_known: bool | None
) -> None:
    """Note one place in an example: of which it is known what it means, of which it is taken to be ours, or neither."""
    is_global = usage.target.sort is TargetSort.GLOBAL
    name = file.source.text[place.start : place.end]
    if _OWN_NAME.match(file.source.text, place.end):
        _open(usage, place, f"an example in documentation asks `{name}` for its name")
    elif is_known is not None:
        (usage.places if is_known else usage.mentions).add(place)
    elif is_ours and not (is_global and file.source.text[place.start - 1] == "."):
        usage.places.add(place)
        if usage.stands_alone:
            usage.assume(PRIVATE_ATTRIBUTES)
    elif not is_global or _may_mean(file, text, name):
        _open(usage, place, f"an example in documentation holds `{name}`: it is not known what that is")


def _note_output(usage: Usage, file: LinkedFile, text: Text, name: str) -> None:
    """Open the places where what examples print seems to show the name: it is compared with what they do print."""
    shown = re.compile(_SHOWN.replace("<name>", re.escape(name)))
    for line in _EXAMPLE_LINE.finditer(file.source.text, text.start, text.end):
        output = _OUTPUT.match(file.source.text, line.end(), text.end)
        for match in shown.finditer(file.source.text, output.start(), output.end()) if output is not None else ():
            assert match.lastindex is not None, "each way to stand there names the name"
            start = match.start(match.lastindex)
            place = Place(file.path, start, start + len(name), PlaceSort.TEXT)
            _open(usage, place, f"what an example in documentation prints holds `{name}`")


def _open(usage: Usage, place: Place, why: str) -> None:
    if place not in usage.places and all(each.place != place for each in usage.open_places):
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
