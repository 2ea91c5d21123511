"""A proof as a person reads it: the verdict, what was recognised, and each difference in view."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace

from zephyrun.proof.trees import TreeProof
from zephyrun.proof.verdict import Difference, Verdict
from zephyrun.reports.lines import StyledLine, code_line, counted, kept_together, wrapped_line
from zephyrun.source import SourceText

_STYLES = {Verdict.SAME: "bold green", Verdict.DIFFERENT: "bold red", Verdict.UNPROVEN: "bold yellow"}
_MEANINGS = {
    Verdict.SAME: "both versions do the same",
    Verdict.DIFFERENT: "a running program could tell the versions apart",
    Verdict.UNPROVEN: "not shown to do the same",
}
_WIDEST_PATH = 50
_MOST_NAMED = 3
# Given a path and a side ("old" or "new"), the text of that file, or None.
TextOf = Callable[[str, str], SourceText | None]


def proof_view(proof: TreeProof, text_of: TextOf) -> Iterator[StyledLine]:
    """The lines of the report in order: files that changed, assumptions, the verdict."""
    changed = [(path, each) for path, each in proof.files if each.edits or each.differences]
    width = min(max((len(path) for path, _ in changed), default=0), _WIDEST_PATH)
    for path, file_proof in changed:
        edits = ", ".join(map(kept_together, file_proof.edit_texts()))
        yield wrapped_line(
            (f"{file_proof.verdict.value:10}", _STYLES[file_proof.verdict]),
            (f"{path:{width}}" if edits else path, "cyan"),
            (f"  {edits}" if edits else "", ""),
        )
        for difference in _told_together(file_proof.differences):
            yield from _difference(path, difference, text_of)
    if changed:
        yield wrapped_line()
    for reason in proof.reasons:
        yield wrapped_line(("not shown ", "yellow"), reason)
    for what in proof.assumptions:
        yield wrapped_line(("assumed   ", "yellow"), what)
    n_unchanged = len(proof.files) - len(changed)
    yield wrapped_line(
        (f"{proof.verdict.value:10}", _STYLES[proof.verdict]),
        _MEANINGS[proof.verdict],
        (f" ({counted(len(proof.files), 'file')} compared, {n_unchanged} unchanged)", "dim"),
    )


def _told_together(differences: Iterable[Difference]) -> Iterator[Difference]:
    """The differences, those in one sentence that say the same of several things at one place."""
    groups: list[_Alike] = []
    for difference in differences:
        if not any(each.takes(difference) for each in groups):
            groups.append(_Alike(difference))
    for group in groups:
        yield from group.told()


class _Alike:
    """Differences at one place whose sentences have all words but one in common."""

    def __init__(self, first: Difference) -> None:
        self._all = [first]
        self._words = first.what.split(" ")
        self._place = -1

    def takes(self, difference: Difference) -> bool:
        """Add a difference, if it is one of these."""
        words = difference.what.split(" ")
        if len(words) != len(self._words) or replace(difference, what=self._all[0].what) != self._all[0]:
            return False
        places = [place for place, pair in enumerate(zip(words, self._words, strict=True)) if pair[0] != pair[1]]
        if len(places) != 1 or self._place not in (-1, places[0]):
            return False
        self._place = places[0]
        self._all.append(difference)
        return True

    def told(self) -> list[Difference]:
        """What is said of them: of many the first few are named."""
        if len(self._all) <= _MOST_NAMED:
            return self._all
        word = self._words[self._place]
        named = ", ".join(each.what.split(" ")[self._place].rstrip(",") for each in self._all[:_MOST_NAMED])
        together = f"{named} and {len(self._all) - _MOST_NAMED} more" + word[len(word.rstrip(",")) :]
        words = [*self._words[: self._place], together, *self._words[self._place + 1 :]]
        return [replace(self._all[0], what=" ".join(words))]


def _difference(path: str, difference: Difference, text_of: TextOf) -> Iterator[StyledLine]:
    yield wrapped_line(f"  {difference.what}")
    for side, number in (("old", difference.old_line), ("new", difference.new_line)):
        source = text_of(path, side)
        if number and source is not None and number <= source.n_lines:
            yield code_line(f"    {side} {number:>4} ", source.line(number), slice(0, 0))
