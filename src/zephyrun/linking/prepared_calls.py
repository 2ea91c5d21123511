"""Calls that are prepared, with keywords that are kept until they are made (`partial(weigh, kg=3)`): who asks them for these,
and who puts others there."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.linking.asked_by_text import asked_by_text
from zephyrun.linking.escapes import NAMES_ARE_SHOWN, STORED_OBJECTS, are_things_stored
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.signature_reads import names_read_off
from zephyrun.linking.slot_holders import are_parts_told
from zephyrun.linking.usage import Usage
from zephyrun.linking.value_sorts import Value, ValueSort
from zephyrun.linking.values import Evaluator
from zephyrun.linking.whereabouts import GIVING_ATTRIBUTE

# What keeps a call, and with what. Source: library reference.
RUNNING_LATER = frozenset(
    {"functools.partial", "functools.partialmethod", "threading.Thread", "multiprocessing.Process"}
)
# Under which names these keep their keywords.
_KEEPING = ("keywords", "_kwargs")
_MAKING = ("partial", "partialmethod", "Thread", "Process")
_OF_PROJECT = frozenset({ValueSort.INSTANCE, ValueSort.CLASS, ValueSort.ABOVE, ValueSort.FUNCTION, ValueSort.MODULE})
_COLLECTIONS = frozenset({ValueSort.PLAIN, ValueSort.SERIES, ValueSort.TUPLE, ValueSort.MAPPING, ValueSort.PACKAGE})


def check_prepared_calls(evaluator: Evaluator, usage: Usage, name: str, *, is_kept: bool) -> None:
    """Doubts about the keywords of calls that are prepared: of those with the name, where some are known (`is_kept`), about
    all that asks for them; else about what puts the name there."""
    linkage = evaluator.linkage
    if not any(map(linkage.paths_mentioning, _MAKING)):
        return
    for file in linkage.mentioning_any(_KEEPING):
        asked = list(_asked_for_keywords(evaluator, file))
        if is_kept:
            _note_asked(usage, file, name, asked)
        elif any(names is None for _, names in asked):
            _note_put(usage, file, name)
    if not is_kept:
        return
    usage.assume(NAMES_ARE_SHOWN)
    if are_things_stored(evaluator):
        usage.assume(STORED_OBJECTS)
    if are_parts_told(evaluator):
        usage.doubt(f"what takes things apart does not look for `{name}` in a prepared call", usage.target.path)


def _asked_for_keywords(evaluator: Evaluator, file: LinkedFile) -> Iterator[tuple[int, frozenset[str] | None]]:
    """Where a file asks what may be a prepared call for its keywords, and the names that it looks for there; `None` for any."""
    for word in _KEEPING:
        for use in file.links.attributes_by_name.get(word, ()):
            if not all(_is_no_call(evaluator, value) for value in evaluator.values(file, use.receiver)):
                yield use.start, names_read_off(evaluator, file.path, use.end)
        for text in file.links.texts:
            if text.words == word and text.callee.name in GIVING_ATTRIBUTE:
                yield text.start, None
        yield from ((start, None) for start in asked_by_text(file, word))


def _is_no_call(evaluator: Evaluator, value: Value) -> bool:
    """Whether something is no prepared call: it is a thing of the project, or holds other things."""
    if value.sort in _COLLECTIONS:
        return True
    if value.sort not in _OF_PROJECT or not evaluator.file(value.path).is_own:
        return False
    if value.sort in (ValueSort.FUNCTION, ValueSort.MODULE):
        return True
    key = (value.path, value.number)
    above = [*evaluator.foreign_above(key), *evaluator.unknown_above(key)]
    return all(each.startswith(("builtins.", "abc.")) for each in above)


def _note_asked(usage: Usage, file: LinkedFile, name: str, asked: list[tuple[int, frozenset[str] | None]]) -> None:
    for start, names in asked:
        what = f"what asks a prepared call in {file.path} for its keywords does not look for …"
        if names is None:
            usage.doubt(what.replace("…", f"`{name}`"), file.path, start)
        else:
            usage.look_out(what, names, start, path=file.path)


def _note_put(usage: Usage, file: LinkedFile, name: str) -> None:
    starts = [
        *(each.start for each in file.links.keywords if each.name == name and each.callee.name == "update"),
        *(each.start for each in file.facts.texts if each.words == name),
    ]
    for start in starts[:1]:
        usage.doubt(f"the keywords of a prepared call in {file.path} do not get a `{name}`", file.path, start)
