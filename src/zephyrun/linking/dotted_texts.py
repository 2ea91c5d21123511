"""Dotted names in texts that are put together, as tests write them for what puts a stand-in in the place of something:
`f"{PLACE}.weigh"`, `PLACE + ".weigh"`, `"hives.%s" % "weigh"`.

A dotted name that stands whole in one text is found by who looks for the name. Of a part nobody can tell what it is a part
of: each place waits for a person's word. So does a text that is the name, where such names are put together.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Set

from zephyrun.facts import Text
from zephyrun.linking.linkage import LinkedFile, Linkage
from zephyrun.linking.texts import finds_by_text
from zephyrun.linking.usage import OpenPlace, Place, PlaceSort, TargetSort, Usage
from zephyrun.patterns import lazy_pattern

_LOADED = b"sys.modules"
_SORTS = frozenset({TargetSort.GLOBAL, TargetSort.MEMBER, TargetSort.MODULE})
_NO_NAMES = frozenset({"documentation", "annotation"})
# What is filled into a text, as far as its end shows it, and as far as its beginning does.
_FILLED_IN = r"(?:\}|%\w|%\(\w+\)\w)"
_TO_BE_FILLED_IN = r"(?:\{|%\w|%\()"
_GOES_ON = rf"(?:[\"']|{_TO_BE_FILLED_IN})"
_JOINS_BY_DOTS = lazy_pattern(rf"{_FILLED_IN}[.:]{_TO_BE_FILLED_IN}")
_PUT_TOGETHER = frozenset({"operand", "format"})
_SEPARATORS = frozenset({".", ":"})
_LONGEST_SHOWN = 60
_MULTIPLE = "multiple"
_TABLE_MAKER = "dict"


def note_dotted_texts(linkage: Linkage, usage: Usage, name: str, words: Set[str]) -> None:
    """Open each place where a text that is put together may hold the name as a part of a dotted one, or one holds it behind
    some words, which something else may be called, too."""
    if usage.target.sort not in _SORTS:
        return
    if usage.target.sort is TargetSort.MODULE:
        modules = dotted = {usage.target.name}
        homes = {usage.target.name.rpartition(".")[0]} - {""}
    else:
        homes = modules = {module for path, _ in usage.homes if (module := linkage.modules.get(path, ""))}
        dotted = {f"{module}.{name}" for module in modules}
    is_begun = _doubt_beginnings(linkage, usage, name, homes)
    behind = _behind_words(name, words)
    for path in linkage.paths_mentioning(name):
        data = linkage.contents[path]
        setting = {_MULTIPLE, _TABLE_MAKER} if name in modules and isinstance(data, bytes) and _LOADED in data else {_MULTIPLE}
        # At a glance, since most files hold no such text.
        may_be = isinstance(data, bytes) and (
            is_begun
            or finds_by_text(data)
            or any(each.encode() in data for each in setting)
            or (behind is not None and behind.search(data.decode("utf-8", "replace")) is not None)
        )
        if not may_be or (file := linkage.file(path)) is None:
            continue
        known = {place.start for place in usage.places if place.path == file.path}
        known |= {each.place.start for each in usage.open_places if each.place.path == file.path}
        found = [*_places(file, name, dotted, is_begun=is_begun), *_keywords(file, name, setting), *_behind(file, name, behind)]
        for start, why in found:
            if not file.source.text.startswith(name, start):
                # It stands there in parts, and cannot be changed.
                usage.doubt(f"a text in {file.path} that is put together is not `{name}`", file.path, start)
            elif start not in known:
                usage.open_places.append(OpenPlace(Place(file.path, start, start + len(name), PlaceSort.TEXT), why))
                known.add(start)


def _doubt_beginnings(linkage: Linkage, usage: Usage, name: str, homes: set[str]) -> bool:
    """Doubts about texts that lead to where the name is bound, and begin the name; whether some text leaves open all of what
    is behind its last dot."""
    if not homes:
        return False
    leading = "|".join(map(re.escape, sorted(homes)))
    pattern = re.compile(rf"[\"'](?:{leading})[.:](?:\w+[.:])*(\w*){_GOES_ON}")
    is_open = False
    paths = {
        path
        for home in homes
        for path in linkage.paths_matching(home.rpartition(".")[2], rb"[\"']%b[.:]" % re.escape(home).encode())
    }
    for file in filter(None, map(linkage.file, sorted(paths))):
        for text in _texts(file) if finds_by_text(file.data) else ():
            for match in pattern.finditer(file.source.text, text.start, text.end):
                is_whole = match[0][-1] in "\"'"
                is_open |= not match[1]
                if match[1] and match[1] != name and name.startswith(match[1]) and not is_whole:
                    what = f"the text that begins a dotted name in {file.path} does not become `{name}`"
                    usage.doubt(what, file.path, match.start(1))
    return is_open


def _places(file: LinkedFile, name: str, dotted: set[str], *, is_begun: bool) -> Iterator[tuple[int, str]]:
    """Where the name may be a part of a dotted one, and why that is open."""
    escaped = re.escape(name)
    leading = "|".join(map(re.escape, sorted(each.removesuffix(name) for each in dotted)))
    patterns = (
        rf"(?:[\"'](?=[.:])|{_FILLED_IN}\w*)(?:[.:]\w+)*[.:]({escaped})(?=(?:[.:]\w+)*(?:[.:]|{_GOES_ON}))",
        rf"[\"'](?:{leading})({escaped})[.:](?:\w+[.:])*{_GOES_ON}",
    )
    is_asked_by_text = finds_by_text(file.data)
    for compiled in map(re.compile, patterns if is_asked_by_text else ()):
        for text in _texts(file):
            if name in text.words:
                for match in compiled.finditer(file.source.text, text.start, text.end):
                    yield match.start(1), f"`{_shown(file, text)}`: it is not known what that leads to"
    within_word = re.compile(rf"[\"'](?:{leading})({escaped})[.:](?:\w+[.:])*\w+[\"']")
    for text in _texts(file) if is_asked_by_text else ():
        begun = within_word.match(file.source.text, text.start, text.end) if text.use in _PUT_TOGETHER else None
        if begun is not None:
            yield begun.start(1), f"`{_shown(file, text)}`: it is not known what that leads to"
    if is_begun or (is_asked_by_text and any(_joins(file, each) for each in file.facts.texts)):
        for text in _texts(file):
            if text.words == name:
                start = max(file.source.text.find(name, text.start, text.end), text.start)
                yield start, f'"{name}": it is not known what dotted name that becomes part of'


def _behind_words(name: str, words: Set[str]) -> re.Pattern[str] | None:
    """What finds a dotted name that holds the name behind one of some words, as a text or filled into one."""
    if not words:
        return None
    dotted = rf"(?:\w+[.:])*(?:{'|'.join(map(re.escape, sorted(words)))})[.:]"
    return re.compile(rf"(?:[\"']{dotted}(?={re.escape(name)}[.:\"'])|\{{{dotted}(?={re.escape(name)}[.:!}}\[]))")


def _behind(file: LinkedFile, name: str, pattern: re.Pattern[str] | None) -> Iterator[tuple[int, str]]:
    """Where a text, or what is filled into one, is a dotted name with the name behind some words."""
    if pattern is None:
        return
    for text in _texts(file):
        if name in text.words:
            for match in pattern.finditer(file.source.text, text.start, text.end):
                yield match.end(), f"`{_shown(file, text)}`: it is not known what that leads to"


def _keywords(file: LinkedFile, name: str, setting: Set[str]) -> Iterator[tuple[int, str]]:
    """Where the name is a keyword in a call of what sets several things by their names."""
    for use in file.links.keywords:
        if use.name == name and use.callee.name in setting:
            yield use.start, f"the keyword `{name}`: it is not known of what that is set"


def _shown(file: LinkedFile, text: Text) -> str:
    """A text as it is written, in one short line."""
    written = " ".join(file.source.text[text.start : text.end].split())
    return written if len(written) <= _LONGEST_SHOWN else written[: _LONGEST_SHOWN - 1] + "…"


def _texts(file: LinkedFile) -> Iterator[Text]:
    return (each for each in file.facts.texts if each.use not in _NO_NAMES)


def _joins(file: LinkedFile, text: Text) -> bool:
    """Whether a text joins words by dots, or what sets several things takes their names from a table beside it."""
    if (text.words in _SEPARATORS and text.beside == "join") or text.beside == _MULTIPLE:
        return True
    return text.use not in _NO_NAMES and _JOINS_BY_DOTS.search(file.source.text, text.start, text.end) is not None
