"""Which place of a new version stands for which of the old one, whatever the names there are.

Both versions are cut into the heads of their statements, names and texts left open, and these are held
against each other in order. What this finds is a guess: it may cost a verdict, and never makes one.
"""

from __future__ import annotations

import ast
import sys
from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Hashable, Iterable, Iterator, Sequence
from difflib import SequenceMatcher
from functools import cached_property
from itertools import pairwise, takewhile
from typing import NamedTuple, TypeVar

from zephyrun.facts import Comment, FileFacts
from zephyrun.languages.python import ParsedFile
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.normal_form import Element, NormalForm, Version

_HEADS = frozenset(each.__name__ for each in (*ast.stmt.__subclasses__(), ast.ExceptHandler, ast.match_case))
_WORD = lazy_pattern(r"\w+")
# A part that has fewer elements may stand anywhere.
_SHORTEST_PART = 3
# So many times what is left is searched for parts that have moved.
_MOST_MOVES = 20
# More pairs of definitions than that are not held against each other.
_MOST_COMPARED = 40_000
# Sorts of elements that say nothing but what something is called.
_OPEN = frozenset({"local", "name", "attribute", "keyword", "module", "documentation"})
_TEXTS = frozenset({"str", "bytes"})


_Item = TypeVar("_Item", bound=Hashable)


class _Head(NamedTuple):
    """The elements of one statement without the statements inside it: from `first` on up to `last`, and
    what they are but for names and texts."""

    first: int
    last: int
    shape: tuple[Hashable, ...]


class Alignment:
    """The places of two versions of one file that stand for each other."""

    def __init__(self, old: ParsedFile, new: ParsedFile) -> None:
        self._old, self._new = old.facts, new.facts
        self._old_text, self._new_text = old.source.text, new.source.text
        old_form, new_form = NormalForm(Version(old)), NormalForm(Version(new))
        old_form.write_module()
        new_form.write_module()
        self.names: list[tuple[int, int]] = []
        # Names of the old version in statements of which something else differs, too.
        self.uncertain: set[int] = set()
        self._texts: list[tuple[tuple[int, int], tuple[int, int]]] = []
        old_side, new_side = _Side(old_form, old.facts), _Side(new_form, new.facts)
        left_over: list[tuple[list[_Head], list[_Head]]] = []
        for before, after in _paired(old_side, new_side, left_over):
            self._align(old_form, new_form, before, after)
        for befores, afters in left_over:
            self._align_parts(old_form, new_form, befores, afters)

    def _align(self, old: NormalForm, new: NormalForm, before: _Head, after: _Head) -> None:
        """Pair the places of two heads: all where they have one shape, else those before the first and
        after the last that differs."""
        n_before, n_after = len(before.shape), len(after.shape)
        n_first = _n_alike(before.shape, after.shape)
        n_last = 0
        if n_first < max(n_before, n_after):
            n_most = min(n_before, n_after) - n_first
            n_last = min(_n_alike(before.shape[::-1], after.shape[::-1]), n_most)
        for first, length, start in (
            (before.first, n_first, after.first),
            (before.last - n_last, n_last, after.last - n_last),
        ):
            n_known = len(self.names)
            self._pair(old, new, (first, first + length), (start, start + length))
            if before.shape != after.shape:
                self.uncertain.update(place for place, _ in self.names[n_known:])

    def _align_parts(
        self, old: NormalForm, new: NormalForm, before: Sequence[_Head], after: Sequence[_Head]
    ) -> None:
        """Pair the places of parts that two groups of other statements have in common: a condition may have
        become a statement of its own."""
        elements, images = (
            [index for head in heads for index in range(head.first, head.last)] for heads in (before, after)
        )
        shapes, other_shapes = ([shape for head in heads for shape in head.shape] for heads in (before, after))
        matcher = SequenceMatcher(None, shapes, other_shapes, autojunk=False)
        n_known = len(self.names)
        for one, other, size in matcher.get_matching_blocks():
            if size >= _SHORTEST_PART:
                for index, image in zip(elements[one : one + size], images[other : other + size], strict=True):
                    self._pair(old, new, (index, index + 1), (image, image + 1))
        self.uncertain.update(place for place, _ in self.names[n_known:])

    def _pair(self, old: NormalForm, new: NormalForm, before: tuple[int, int], after: tuple[int, int]) -> None:
        places = [
            form.named[bisect_left(form.named, (first,)) : bisect_left(form.named, (last,))]
            for form, (first, last) in ((old, before), (new, after))
        ]
        if len(places[0]) == len(places[1]):
            self.names += [(one, other) for (_, one), (_, other) in zip(*places, strict=True)]
        texts = [
            form.quoted[bisect_left(form.quoted, (first,)) : bisect_left(form.quoted, (last,))]
            for form, (first, last) in ((old, before), (new, after))
        ]
        if len(texts[0]) == len(texts[1]):
            self._texts += [(one[1:], other[1:]) for one, other in zip(*texts, strict=True)]

    @cached_property
    def _image_of(self) -> dict[int, int]:
        return dict(self.names)

    @cached_property
    def _counterparts(self) -> dict[int, int]:
        return {other: one for one, other in self.names}

    @cached_property
    def _ends(self) -> list[tuple[int, int]]:
        """The ends of names that stand for each other, in text order."""
        return sorted(
            (one + len(word_at(self._old_text, one)), other + len(word_at(self._new_text, other)))
            for one, other in self.names
        )

    def image(self, start: int) -> int | None:
        """Where a word of the old version stands in the new one; `None` where that is not to be told."""
        if (found := self._image_of.get(start)) is not None:
            return found
        for (first, last), (new_first, new_last) in self._texts:
            if first <= start < last:
                return words_image(self._old_text, self._new_text, start, (first, last), (new_first, new_last))
        for comment in self._old.comments:
            if comment.start <= start < comment.end:
                return self._image_in_comment(comment, start)
        return None

    def _image_in_comment(self, comment: Comment, start: int) -> int | None:
        """Where a word of a comment is: in the one that follows the same name, if both are alone there."""
        index = bisect_right(self._ends, (comment.start, len(self._new_text)))
        before = self._ends[index - 1] if index else (0, 0)
        after = self._ends[index] if index < len(self._ends) else (len(self._old_text), len(self._new_text))
        mates = [each for each in self._old.comments if before[0] <= each.start < after[0]]
        others = [each for each in self._new.comments if before[1] <= each.start < after[1]]
        if len(mates) != len(others):
            return None
        other = others[mates.index(comment)]
        ranges = (comment.start, comment.end), (other.start, other.end)
        return words_image(self._old_text, self._new_text, start, *ranges)

    def counterpart(self, start: int) -> int | None:
        """Where the name of the old version stands that a name of the new one stands for."""
        return self._counterparts.get(start)


def words_image(
    before: str,
    after: str,
    start: int,
    inside: tuple[int, int] = (0, sys.maxsize),
    inside_after: tuple[int, int] = (0, sys.maxsize),
) -> int | None:
    """Where a word of one text stands in another one that has as many words; the same in parts of both."""
    starts = [each.start() for each in _WORD.finditer(before, *inside)]
    images = [each.start() for each in _WORD.finditer(after, *inside_after)]
    return images[starts.index(start)] if len(starts) == len(images) and start in starts else None


def word_at(text: str, start: int) -> str:
    """The word that begins at an offset; "" for none."""
    word = _WORD.match(text, start)
    return word[0] if word is not None else ""


class _Side:
    """The heads of one version in order, and which of them belong to each definition, by its dotted name."""

    def __init__(self, form: NormalForm, facts: FileFacts) -> None:
        shapes = [_shape(each) for each in form.elements]
        cuts = [
            index for index, (sort, value) in enumerate(form.elements) if sort == "node" and value in _HEADS
        ]
        ranges = pairwise([0, *cuts, len(shapes)])
        self.heads = [_Head(first, last, tuple(shapes[first:last])) for first, last in ranges]
        starts = [form.starts[each.first] if each.first < len(form.starts) else 0 for each in self.heads]
        self.definitions: dict[str, list[int]] = {}
        names = [facts.dotted(each.inner_scope) for each in facts.definitions]
        counts = Counter(names)
        for name, definition in zip(names, facts.definitions, strict=True):
            if counts[name] == 1:
                # The first head is that of the module.
                first, last = (bisect_left(starts, each, 1) for each in (definition.start, definition.end))
                self.definitions[name] = [*range(first, last)]

    def functions(self) -> list[str]:
        """The names of the definitions in which nothing else is defined."""
        return [each for each in self.definitions if not self.names_in(each)]

    def names_in(self, name: str) -> list[str]:
        """The names of what is defined inside a definition, in order."""
        return [each for each in self.definitions if each.startswith(f"{name}.")]

    def shapes(self, heads: Sequence[int]) -> list[tuple[Hashable, ...]]:
        """The shapes of some heads."""
        return [self.heads[each].shape for each in heads]


def _shape(element: Element) -> Hashable:
    sort, value = element
    if sort in _OPEN:
        return sort
    if sort == "import" and isinstance(value, tuple):
        return sort, value[1]
    if sort == "constant" and isinstance(value, tuple) and value[0] in _TEXTS:
        return sort, value[0]
    return element


def _are_alike(old: _Side, new: _Side, one: Sequence[int], other: Sequence[int]) -> bool:
    """Whether definitions are alike; with the last head of one there may end what stands around it."""
    if len(one) != len(other) or not one or old.shapes(one[:-1]) != new.shapes(other[:-1]):
        return False
    before, after = old.heads[one[-1]].shape, new.heads[other[-1]].shape
    n_last = min(len(before), len(after))
    return before[:n_last] == after[:n_last]


def _n_alike(before: Sequence[Hashable], after: Sequence[Hashable]) -> int:
    """How many things are the same from the first on."""
    return sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], zip(before, after)))


def _paired(
    old: _Side, new: _Side, left_over: list[tuple[list[_Head], list[_Head]]]
) -> Iterator[tuple[_Head, _Head]]:
    """The heads that stand for each other: first those of definitions that kept name and shape, wherever they
    stand, then what follows one another in both, in the longest parts first; in functions that kept their names and
    changed places, in these alone. Adds what is `left_over` between the same neighbours, or differs."""
    kept = _kept_definitions(old, new)
    yield from ((old.heads[one], new.heads[other]) for one, other in kept)
    left = _without(range(len(old.heads)), (one for one, _ in kept))
    other_left = _without(range(len(new.heads)), (other for _, other in kept))
    apart = [*_moved_definitions(old, new, left, other_left)]
    rest = _without(left, (each for before, _ in apart for each in before))
    other_rest = _without(other_left, (each for _, after in apart for each in after))
    gaps: list[tuple[list[int], list[int]]] = []
    for before, after in (*apart, (rest, other_rest)):
        matched = [*_matched(old, new, before, after, takes_single=True)]
        gaps += _gaps(before, after, matched)
        yield from ((old.heads[one], new.heads[other]) for one, other in matched)
        left = _without(left, (one for one, _ in matched))
        other_left = _without(other_left, (other for _, other in matched))
    for _ in range(_MOST_MOVES):
        matched = [*_matched(old, new, left, other_left, takes_single=False)]
        if not matched:
            break
        yield from ((old.heads[one], new.heads[other]) for one, other in matched)
        left = _without(left, (one for one, _ in matched))
        other_left = _without(other_left, (other for _, other in matched))
    # What is left between the same neighbours may have been changed.
    still, other_still = {*left}, {*other_left}
    for before, after in gaps:
        befores = [old.heads[each] for each in before if each in still]
        afters = [new.heads[each] for each in after if each in other_still]
        pairs = [*_paired_in_order(befores, afters)]
        yield from pairs
        # Parts of statements may have gone from one to another.
        whole = [(one, other) for one, other in pairs if one.shape == other.shape]
        left_over.append((_without(befores, (one for one, _ in whole)), _without(afters, (other for _, other in whole))))


def _kept_definitions(old: _Side, new: _Side) -> list[tuple[int, int]]:
    """The heads of definitions that are alike and bear one name, in one class or elsewhere, or else are like no
    other one."""
    kept: list[tuple[int, int]] = []
    known, other_known = set[int](), set[int]()

    def keep(before: list[int], after: list[int]) -> None:
        kept.extend(zip(before, after, strict=True))
        known.update(before)
        other_known.update(after)

    def is_left(before: list[int], after: list[int]) -> bool:
        return known.isdisjoint(before) and other_known.isdisjoint(after)

    # A class comes before what stands in it; members of one shape may have changed places.
    for name, before in old.definitions.items():
        after = new.definitions.get(name, [])
        if is_left(before, after) and old.names_in(name) == new.names_in(name) and _are_alike(old, new, before, after):
            keep(before, after)
    for by_name in (True, False):
        befores = [each for each in old.functions() if known.isdisjoint(old.definitions[each])]
        afters = [each for each in new.functions() if other_known.isdisjoint(new.definitions[each])]
        if len(befores) * len(afters) > _MOST_COMPARED:
            break
        pairs = [
            (one, other)
            for one in befores
            for other in afters
            if (not by_name or _last_part(one) == _last_part(other))
            and _are_alike(old, new, old.definitions[one], new.definitions[other])
        ]
        counts, other_counts = Counter(one for one, _ in pairs), Counter(other for _, other in pairs)
        for one, other in pairs:
            if counts[one] == other_counts[other] == 1 and is_left(old.definitions[one], new.definitions[other]):
                keep(old.definitions[one], new.definitions[other])
    return kept


def _moved_definitions(
    old: _Side, new: _Side, left: list[int], other_left: list[int]
) -> Iterator[tuple[list[int], list[int]]]:
    """The heads of functions that kept their names and have other statements, where these stand in another order."""
    heads, other_heads = {*left}, {*other_left}
    inner = {*new.functions()}
    names = [
        each
        for each in old.functions()
        if each in inner and heads.issuperset(old.definitions[each]) and other_heads.issuperset(new.definitions[each])
    ]
    if sorted(names, key=lambda each: old.definitions[each][:1]) != sorted(names, key=lambda each: new.definitions[each][:1]):
        yield from ((old.definitions[each], new.definitions[each]) for each in names)


def _last_part(dotted: str) -> str:
    return dotted.rpartition(".")[2]


def _without(items: Iterable[_Item], done: Iterable[_Item]) -> list[_Item]:
    """What is left of some things in order."""
    gone = {*done}
    return [each for each in items if each not in gone]


def _matched(
    old: _Side, new: _Side, left: list[int], other_left: list[int], *, takes_single: bool
) -> Iterator[tuple[int, int]]:
    """Heads of one shape that follow one another in both versions; single ones only on demand, since those
    are found everywhere."""
    before, after = old.shapes(left), new.shapes(other_left)
    # Most is the same at both ends, and the matcher takes its time.
    n_first = _n_alike(before, after)
    n_last = min(_n_alike(before[::-1], after[::-1]), min(len(before), len(after)) - n_first)
    inside, other_inside = before[n_first : len(before) - n_last], after[n_first : len(after) - n_last]
    blocks = [(0, 0, n_first), (len(before) - n_last, len(after) - n_last, n_last)]
    matcher = SequenceMatcher(None, inside, other_inside, autojunk=False)
    blocks += [(n_first + one, n_first + other, size) for one, other, size in matcher.get_matching_blocks()]
    for one, other, size in sorted(blocks):
        if size > 1 or (size and takes_single):
            yield from zip(left[one : one + size], other_left[other : other + size], strict=True)


def _gaps(
    left: list[int], other_left: list[int], matched: list[tuple[int, int]]
) -> Iterator[tuple[list[int], list[int]]]:
    """What lies between neighbours that were matched."""
    edges = [(-1, -1), *matched, (sys.maxsize, sys.maxsize)]
    for (before, other_before), (after, other_after) in pairwise(edges):
        if after - before > 1 or other_after - other_before > 1:
            first = [each for each in left if before < each < after]
            second = [each for each in other_left if other_before < each < other_after]
            if first and second:
                yield first, second


def _paired_in_order(old: list[_Head], new: list[_Head]) -> Iterator[tuple[_Head, _Head]]:
    """Statements of one sort from the first on and from the last back; all of them where there are as many."""
    if len(old) == len(new):
        yield from (pair for pair in zip(old, new, strict=True) if pair[0].shape[0] == pair[1].shape[0])
        return
    n_first = _n_alike([each.shape[0] for each in old], [each.shape[0] for each in new])
    yield from zip(old[:n_first], new[:n_first], strict=True)
    old, new = old[n_first:], new[n_first:]
    n_last = _n_alike([each.shape[0] for each in reversed(old)], [each.shape[0] for each in reversed(new)])
    yield from zip(old[len(old) - n_last :], new[len(new) - n_last :], strict=True)
