"""Where a name stands as a word and not as a name: comments, documentation, other texts, other files."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence

from zephyrun.facts import ScopeKind
from zephyrun.linking.code_texts import note_code_texts
from zephyrun.linking.dotted_texts import note_dotted_texts
from zephyrun.linking.examples import MeantInExamples
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.texts import example_words_in, is_document, word_in_text, words_in, words_printed_in
from zephyrun.linking.usage import Place, PlaceSort, TargetSort, Usage
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

# Where a part of a file starts and ends.
Span = tuple[int, int]

# Marks that make a word in prose a name: code quotes, roles, a call, a field of a parameter list.
_MARKED_BEFORE = lazy_pattern(r"(?:`[~!]?(?:[\w.]*\.)?|:param(?:\s+\w+)?\s+|:type\s+)\Z")
_LONGEST_MARK = 120
_MARKED_AFTER = lazy_pattern(r"`|:(?=\s)")


def is_distinctive(name: str) -> bool:
    """Whether a name is no plain word, so that it means itself wherever it stands in prose."""
    inner = name.strip("_")
    return "_" in inner or inner != inner.lower() and inner[1:] != inner[1:].lower()


def note_mentions(
    evaluator: Evaluator,
    usage: Usage,
    name: str,
    is_visible: Callable[[str], bool],
    *,
    only_near: bool = False,
    is_data_read: bool = True,
    within: Mapping[str, Sequence[Span]] | None = None,
    called: Collection[str] = (),
    goes_about: bool = False,
    may_be_used_in: Callable[[bytes], bool] = lambda _: True,
) -> None:
    """Note where else the name stands in the project.

    In files for which `is_visible` holds, comments and documentation that surely mean the name belong to
    it, but not in a function that has such a name of its own; with `within`, only those in these parts of
    files do. What takes keywords is `called` so, or anything in examples where it `goes_about`. A file that is
    no Python or cannot be read leaves a doubt, a module only where the name `may_be_used_in` it. With
    `only_near`, no other file could mean the name, and none is looked at. Where `is_data_read` is false, nothing
    that stands in a file of data or settings can get to the name.
    """
    linkage = evaluator.linkage
    if not only_near:
        note_code_texts(linkage, usage, name, called, is_meant=MeantInExamples(evaluator, usage).is_meant, goes_about=goes_about)
        is_global = usage.target.sort is TargetSort.GLOBAL
        words = evaluator.modules_about.words_for([path for path, _ in usage.homes]) if is_global else set[str]()
        note_dotted_texts(linkage, usage, name, words)

    known = {(place.path, place.start) for place in usage.places}
    known |= {(each.place.path, each.place.start) for each in usage.open_places}
    # Names in examples that are known to be others.
    known |= {(place.path, place.start) for place in usage.mentions}
    pattern = word_in_text(name)
    for path in linkage.paths_mentioning(name):
        if only_near and not is_visible(path):
            continue
        data = linkage.contents[path]
        assert isinstance(data, bytes), "a word was found in it"
        if not linkage.can_be_read(path):
            if may_be_used_in(data):
                _doubt_unread(usage, path, name, SourceText.from_bytes(data, strict=False), pattern)
            continue
        if not is_visible(path) and not linkage.is_known(path):
            # To read every file that holds a common word would cost more than all else.
            usage.mentions.update(_quoted_words(path, name, data))
            continue
        file = linkage.file(path)
        assert file is not None, "it can be read"
        for place in _words_in(file, name, pattern):
            if (path, place.start) in known:
                continue
            is_meant = is_visible(path) and _means_name(file, place, name)
            is_meant = is_meant and not _is_about_another(file, place, name, usage)
            if within is not None:
                is_meant &= any(start <= place.start < end for start, end in within.get(path, ()))
            if place.sort is PlaceSort.DOCUMENTATION:
                is_meant = is_meant and not (
                    linkage.reads_documentation or _is_documentation_for_others(file, place)
                )
            if place.sort in (PlaceSort.COMMENT, PlaceSort.DOCUMENTATION) and is_meant:
                usage.places.add(place)
            else:
                usage.mentions.add(place)
    encoded = name.encode()
    for path, data in () if only_near else linkage.texts_beside:
        if encoded not in words_in(data):
            continue
        source = SourceText.from_bytes(data, strict=False)
        if is_document(path):
            for match in pattern.finditer(source.text):
                usage.mentions.add(Place(path, match.start(), match.end(), PlaceSort.DOCUMENT))
            if linkage.runs_documents and (encoded in example_words_in(data) or encoded in words_printed_in(data)):
                usage.doubt(f"the examples in {path}, which are run, do not mean `{name}`", path)
        elif is_data_read and not any(place == path for place, _ in known):
            _doubt_unread(usage, path, name, source, pattern)


def _is_about_another(file: LinkedFile, place: Place, name: str, usage: Usage) -> bool:
    """Whether a place in prose lies in a function that has another thing of the name."""
    facts = file.facts
    for definition in facts.definitions:
        if definition.start <= place.start < definition.end and definition.sort is ScopeKind.FUNCTION:
            for index, binding in enumerate(facts.bindings):
                if binding.scope == definition.inner_scope and binding.name == name:
                    starts = {facts.references[each].start for each in binding.references}
                    if not any(each.path == file.path and each.start in starts for each in usage.places):
                        return True
    return False


def _is_documentation_for_others(file: LinkedFile, place: Place) -> bool:
    """Whether a place lies in the documentation of something that a decorator or base may read it off."""
    inherits = {record.name_start for record in file.links.classes if record.bases}
    for definition in file.facts.definitions:
        if 0 <= definition.documentation <= place.start < definition.end:
            text = file.facts.texts_between(definition.documentation, definition.documentation + 1)
            is_inside = any(each.start <= place.start < each.end for each in text)
            if is_inside and (definition.decorated or definition.name_start in inherits):
                return True
    return False


def _quoted_words(path: str, name: str, data: bytes) -> list[Place]:
    """Where the name alone stands between quotes in a file that was not read."""
    text = SourceText.from_bytes(data, strict=False).text
    quoted = re.compile(rf"(?<=[\"'])(?<!\w){re.escape(name)}(?=[\"'])")
    return [
        Place(path, match.start(), match.end(), PlaceSort.STRING) for match in quoted.finditer(text)
    ]


def _doubt_unread(
    usage: Usage, path: str, name: str, source: SourceText, pattern: re.Pattern[str]
) -> None:
    match = pattern.search(source.text)
    if match is not None:
        usage.doubt(f"the word `{name}` in {path} does not mean this name", path, match.start())


def _words_in(file: LinkedFile, name: str, pattern: re.Pattern[str]) -> list[Place]:
    """Where the name stands in a file's comments and texts."""
    found: list[Place] = []
    text = file.source.text
    for comment in file.facts.comments:
        if name in comment.text:
            found += [
                Place(file.path, match.start(), match.end(), PlaceSort.COMMENT)
                for match in pattern.finditer(text, comment.start, comment.end)
            ]
    for literal in file.facts.texts:
        if name not in literal.words or literal.use == "annotation":
            continue
        sort = PlaceSort.DOCUMENTATION if literal.use == "documentation" else PlaceSort.STRING
        found += [
            Place(file.path, match.start(), match.end(), sort)
            for match in pattern.finditer(text, literal.start, literal.end)
        ]
    return found


def _means_name(file: LinkedFile, place: Place, name: str) -> bool:
    """Whether a word in prose surely means the name: it is marked as code, or is no plain word."""
    text = file.source.text
    if is_distinctive(name) or text.startswith("()", place.end):
        return True
    before = text[max(place.start - _LONGEST_MARK, 0) : place.start]
    return _MARKED_BEFORE.search(before) is not None and (
        _MARKED_AFTER.match(text, place.end) is not None
    )
