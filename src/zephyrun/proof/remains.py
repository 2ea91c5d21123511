"""The third witness: what could still find a variable under its old name.

A *reservation* is a place that could read the name while the program runs, and that no reading of
the code can clear. Without a person's word for it the verdict is `unproven`.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator, Set
from dataclasses import dataclass, field
from functools import lru_cache
from typing import NamedTuple

from zephyrun.facts import CallsOfReader, FileFacts, ScopeKind, Text
from zephyrun.languages.python.told_texts import is_told
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.frame_readers import FrameReader
from zephyrun.proof.imports import absolute_imports, touches
from zephyrun.proof.python_versions import THIS_PYTHON, PythonVersion

_SHOWN_LENGTH = 40

# Attributes through which a program reads its own source text.
SOURCE_READERS = frozenset(
    "getsource getsourcelines getcomments findsource getblock get_source get_data getline getlines".split()
)
# What calls are named that may evaluate a text among their caller's variables.
_EVALUATING = lazy_pattern(r"(?i)eval|query|sql|watch|expr|exec|local|frame|var|trace|magic|formula|matrix|bmat")
_OF_NO_EFFECT = frozenset({"documentation", "statement"})
_FILLED_IN = ("receiver", "format")
_TAKEN_APART = ("receiver", "split")
_FIELD = lazy_pattern(r"\{[^{}]*\}")
_CONVERSION = lazy_pattern(r"%[-+ #0-9.]*[a-zA-Z]")
# Numbers of versions and paths are words of a sentence, too, and what brackets and quotes stand around.
_WORD = r"[(`\"]*(?:[\w'’/-]+|\d+(?:\.\d+)+)"
_SENTENCE = lazy_pattern(rf"\s*{_WORD}(?:[,;:.!?)`\"]*\s+{_WORD}){{2,}}[\s.,;:!?()'’`\"-]*", re.ASCII)
# What a query says somewhere, or at its beginning.
_QUERY = lazy_pattern(
    r"(?i)\b(?:select|insert|update|delete|from|join|into)\b|^\W*(?:with|table|copy|describe|summarize|pivot)\b"
)
_READS_VARIABLES = "nothing in {}, which reads other functions' variables"
_GOES_THROUGH_NAMES = "nothing that goes through the names of this module by {} minds one more"
_ABOUT_READERS = lazy_pattern("|".join(each.format(r"(\w[\w.]*)(?![\w.(])") for each in (_READS_VARIABLES, _GOES_THROUGH_NAMES)))
SOURCE_IS_NOT_READ = "source text read back through inspect does not matter"


@dataclass(frozen=True)
class Surroundings:
    """What the rest of the project adds to the reading of one file.

    `frame_readers` are the modules that read other functions' variables;
    `read_by` are those among them that import this one;
    `walked_by` are modules that import this one and could go through all names of a module;
    `module` is this file's own dotted name, "" where it is not known;
    `quoted` are lines of this file that some text of the project quotes, each with where it does;
    `elsewhere` are words of this file that also stand in a text that is no Python (a template, a
    document), each with where. Only told where something reads the file's names by name.
    `uses_libraries` says whether the program uses any library but Python's own: of these it is known
    that none looks the words of a text up among the variables of whoever hands it over;
    `calls` are the places of this file that name a function which reads its callers' variables, for each that
    is never named but to be called; any other may be called from everywhere;
    `shadowed` are modules of the standard library for which the project has its own;
    `walks_members` says whether any file may see in which order the members of a class stand, and `counts_members`
    whether one may see how many they are; `tells_lines` whether any file asks on which lines functions stand;
    `are_builtins_set` whether any gives a builtin another meaning;
    `vouched_for` are modules that would read variables or go through names, if the settings did not say that they mind
    no other ones;
    `oldest` is the oldest version of Python for which the project is.
    """

    module: str = ""
    frame_readers: frozenset[FrameReader] = frozenset()
    read_by: frozenset[str] = frozenset()
    # What is only found when it is asked for must not be found to keep this in a table.
    walked_by: Set[str] = field(default=frozenset(), hash=False)
    reads_source: bool = False
    quoted: frozenset[tuple[str, str]] = frozenset()
    elsewhere: frozenset[tuple[str, str]] = frozenset()
    uses_libraries: bool = True
    calls: frozenset[CallsOfReader] = frozenset()
    shadowed: frozenset[str] = frozenset()
    walks_members: bool = False
    counts_members: bool = False
    tells_lines: bool = False
    are_builtins_set: bool = False
    vouched_for: Set[str] = field(default=frozenset(), hash=False)
    oldest: PythonVersion = THIS_PYTHON

    def as_text(self) -> str:
        """All of it in one order, so that equal surroundings give equal texts."""
        names = [sorted(each) for each in (self.read_by, self.walked_by)]
        places = [sorted(self.quoted), sorted(self.elsewhere), sorted(self.calls), sorted(each.digest for each in self.frame_readers)]
        return repr((self.module, self.reads_source, names, places, self.uses_libraries, sorted(self.shadowed), self.walks_members, self.counts_members, self.tells_lines, self.are_builtins_set, sorted(self.vouched_for), self.oldest))

    def reads_any_name_in(self, start: int, end: int) -> bool:
        """Whether some module may be told which variable to read of code that stands in a range of this file."""
        return any(
            reads.names is None and reads.reaches(self.calls, start, end)
            for reader in self.frame_readers
            for reads in reader.reads
        )


class Reservation(NamedTuple):
    """What a person must vouch for before a name may change; `what` holds no lines, so it stays
    true when other changes move the code. `start` is where it stands in the text."""

    what: str
    start: int


def namespace_reservation(reader: str, start: int) -> Reservation:
    """What a person must vouch for before a module has one more name, where a reader goes through its names."""
    return Reservation(_GOES_THROUGH_NAMES.format(reader), start)


def reader_asked_about(what: str) -> str:
    """The module of the project that minds no other names if a person vouches for something, "" for anything else."""
    match = _ABOUT_READERS.match(what)
    return (match[1] or match[2]) if match is not None else ""


class _Reach(NamedTuple):
    """The range of the text in which code can see a binding, and what to call it."""

    start: int
    end: int
    name: str


def reads_source(facts: FileFacts) -> bool:
    """Whether the file could read source text back, comments and names included."""
    return bool(facts.attributes & SOURCE_READERS) or any(
        name.rpartition(".")[2] in SOURCE_READERS for name in facts.imports
    )


def reservations(
    facts: FileFacts, binding: int, surroundings: Surroundings = Surroundings()
) -> tuple[Reservation, ...]:
    """What could read the name of a local while the program runs, in text order, each once."""
    name, home = facts.bindings[binding].name, facts.bindings[binding].scope
    reach = _reach(facts, binding)
    found: dict[str, int] = {}
    for exposure in facts.exposures:
        in_sight = exposure.whole_file or home in facts.ancestors(exposure.scope)
        if in_sight and exposure.reads.may_find(name, surroundings.calls, *reach[:2]):
            stands = _stands_elsewhere(name, surroundings)
            what = f"nothing looks up `{name}` of {reach.name} by name through {exposure.what}{stands}"
            found.setdefault(what, exposure.start)
    for each in reservations_from_afar(facts, binding, surroundings):
        found.setdefault(each.what, each.start)
    return tuple(Reservation(what, start) for what, start in found.items())


def reservations_from_afar(
    facts: FileFacts, binding: int, surroundings: Surroundings
) -> tuple[Reservation, ...]:
    """What could read the name of a local or parameter by way of its frame, from outside its function."""
    name, reach = facts.bindings[binding].name, _reach(facts, binding)
    found: dict[str, int] = {}
    in_reach = _readers_in_reach(facts.imports, surroundings)
    readers = {
        reader.module
        for reader in surroundings.frame_readers
        # Whatever looks for one name looks for it wherever code runs.
        if (reader in in_reach or reader.seeks(name))
        and any(reads.may_find(name, surroundings.calls, *reach[:2]) for reads in reader.reads)
    }
    for module in sorted(readers):
        what = f"{_READS_VARIABLES.format(module)}, looks up `{name}` of {reach.name}"
        found.setdefault(what, reach.start)
    texts = facts.texts_between(reach.start, reach.end) if surroundings.uses_libraries else ()
    for text in texts:
        if _may_look_up(facts, text, name) and not _are_plain_words(text, reach, surroundings):
            what = f"the text {_shown(text)} in {reach.name} does not look up the variable `{name}`"
            found.setdefault(what, text.start)
    marked = facts.marked_words.get(name) if surroundings.uses_libraries else None
    if marked is not None:
        # Some libraries look the words that follow an `@` up among their caller's variables.
        what = f"the text {_shown(marked)} does not look up the variable `{name}` of {reach.name}"
        found.setdefault(what, marked.start)
    return tuple(Reservation(what, start) for what, start in found.items())


def _stands_elsewhere(name: str, surroundings: Surroundings) -> str:
    """Where a template or the like holds the name, as something to look at; "" for nowhere."""
    place = dict(surroundings.elsewhere).get(name)
    return f" (it stands in {place})" if place else ""


def new_name_reservations(
    facts: FileFacts, binding: int, surroundings: Surroundings = Surroundings()
) -> tuple[Reservation, ...]:
    """Like `reservations`, for a binding under its new name in the new version.

    A text that holds the new name as a plain word is nothing unusual (it may be the very key that
    suggested the name); one in which the word is marked for being filled in is.
    """
    name = facts.bindings[binding].name
    reach = _reach(facts, binding)
    marked = re.compile(rf"[@${{(]{re.escape(name)}\b")
    return tuple(found_by_new_name(facts, binding, name, surroundings)) + tuple(
        Reservation(
            f"the text {_shown(text)} in {reach.name} does not look up the new name `{name}`", text.start
        )
        for text in facts.texts_between(reach.start, reach.end)
        if text.use != "documentation" and marked.search(text.words)
    )


def found_by_new_name(
    facts: FileFacts, binding: int, new: str, surroundings: Surroundings
) -> Iterator[Reservation]:
    """What asks frames for certain names, among which is the new one of a local or parameter."""
    reach = _reach(facts, binding)
    reads = {exposure.reads: "this file" for exposure in facts.exposures if exposure.whole_file}
    for reader in surroundings.frame_readers:
        if reader.seeks(new):
            reads.update(dict.fromkeys(reader.reads, reader.module))
    for read, where in sorted(reads.items(), key=repr):
        if read.names is not None and read.asks_for(new):
            yield Reservation(
                f"nothing in {where} that asks for `{new}` of running functions finds it in {reach.name}", reach.start
            )


def reads_callers(facts: FileFacts, surroundings: Surroundings) -> bool:
    """Whether something in reach of a file reads the variables of its callers alone."""
    return any(exposure.reads.caller_of for exposure in facts.exposures) or any(
        reads.caller_of for reader in _readers_in_reach(facts.imports, surroundings) for reads in reader.reads
    )


def _readers_in_reach(imports: tuple[str, ...], around: Surroundings) -> tuple[FrameReader, ...]:
    """The modules that read frames among the imported ones or inside imported packages, and those that import this one."""
    # Not by all that is around: to compare that is to find what is only found when it is asked for.
    return _readers_among(imports, around.module, around.frame_readers, around.read_by)


@lru_cache(maxsize=4)
def _readers_among(
    imports: tuple[str, ...], module: str, frame_readers: frozenset[FrameReader], read_by: frozenset[str]
) -> tuple[FrameReader, ...]:
    """Asked for every binding of a file in turn."""
    imported = absolute_imports(imports, module)
    return tuple(
        reader
        for reader in frame_readers
        if reader.module in read_by or any(touches(name, reader.module) for name in imported)
    )


def _reach(facts: FileFacts, binding: int) -> _Reach:
    home = facts.bindings[binding].scope
    owner = facts.owner(home)
    outer = owner if facts.scopes[owner].kind is ScopeKind.FUNCTION else home
    around = facts.scopes[outer]
    return _Reach(around.start, around.end, facts.dotted(home) or "the module")


def _may_look_up(facts: FileFacts, text: Text, name: str) -> bool:
    """Whether a text holds the name as a word. Documentation is not evaluated in the function, nor is what is a
    statement by itself, nor prose, nor what is only told; what follows a dot is looked up in something else; and in
    `%s` the letter is a conversion: a name would stand as `%(s)s`. Behind a backslash a letter is an escape."""
    if text.use in _OF_NO_EFFECT or name not in text.words or is_told(facts, text):
        return False
    words = _FIELD.sub("x", text.words) if (text.use, text.beside) == _FILLED_IN else text.words
    # What a conversion gives stands for one word.
    words = _CONVERSION.sub("x", words) if text.use == "format" else words
    if not text.interpolated and _is_prose(words):
        return False
    return re.search(rf"(?<![\w%.\\]){re.escape(name)}(?!\w)", words) is not None


def _is_prose(words: str) -> bool:
    """Whether a text is a sentence of plain words, which nothing could evaluate: no expression, no query,
    nothing to be filled in."""
    if _SENTENCE.fullmatch(words) is None or _QUERY.search(words) is not None:
        return False
    try:
        ast.parse(words.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return True
    return False


def _are_plain_words(text: Text, reach: _Reach, surroundings: Surroundings) -> bool:
    """Whether a text is one word that is worth nothing as an expression, or is taken apart into such: a tag, a
    key, a name of something else. What libraries evaluate among their caller's variables has more to it, or
    goes to a call that says so; what the project's own readers of variables are given may be anything."""
    if (text.use, text.beside) == _TAKEN_APART:
        is_plain = all(map(str.isidentifier, re.findall(r"[^\s,;]+", text.words)))
    else:
        is_plain = text.words.isidentifier() and _EVALUATING.search(text.beside) is None
    return is_plain and not text.interpolated and not surroundings.reads_any_name_in(*reach[:2])


def _shown(text: Text) -> str:
    words = " ".join(text.words.split())
    shortened = words if len(words) <= _SHOWN_LENGTH else words[: _SHOWN_LENGTH - 1] + "…"
    return f'"{shortened}"'
