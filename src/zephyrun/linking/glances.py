"""Glances: what the bytes of a file show without reading it as code, more than there is, perhaps, and never less.

A project is glanced at as a whole for many questions, so each glance at a content is remembered, and can be told again
to a later run.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import wraps
from typing import Any, NamedTuple, TypeVar

Seen = TypeVar("Seen")
# What glances saw, by their names, of each content.
_Sight = dict[str, Any]

_MOST_CONTENTS = 2**15


class Packed(NamedTuple):
    """What a glance saw in an earlier run, unpacked once somebody asks. `unpack` raises `ValueError` for what is damaged."""

    packed: bytes
    unpack: Callable[[bytes], Any]


_sights: dict[bytes, _Sight] = {}
_taken_here: set[bytes] = set()
_recalling: list[Callable[[bytes], Mapping[str, Any]]] = []


def glance(look: Callable[[bytes], Seen]) -> Callable[[bytes], Seen]:
    """A function of a file's bytes that is asked once for each content. What it gives is made of numbers, texts,
    collections of them, and records of facts."""
    name = f"{look.__module__}.{look.__qualname__}"

    @wraps(look)
    def remembered(data: bytes) -> Seen:
        sight = _sights.get(data)
        if sight is None:
            if len(_sights) >= _MOST_CONTENTS:
                forget()
            told = [recall(data) for recall in _recalling]
            # Who was asked for one may have told of all.
            sight = _sights[data] = {**_sights.get(data, {}), **{name: seen for each in told for name, seen in each.items()}}
        if isinstance(kept := sight.get(name), Packed):
            try:
                sight[name] = kept.unpack(kept.packed)
            except ValueError:
                del sight[name]
        if name not in sight:
            sight[name] = look(data)
            _taken_here.add(data)
        seen: Seen = sight[name]
        return seen

    return remembered


def tell(sights: Iterable[tuple[bytes, Mapping[str, Any]]]) -> None:
    """Say what was seen of contents in an earlier run."""
    for data, sight in sights:
        _sights[data] = {**sight, **_sights.get(data, {})}


def recall_by(recall: Callable[[bytes], Mapping[str, Any]]) -> None:
    """Ask somebody for what was seen of a content in an earlier run, when it is first glanced at. Who is asked may `tell` more."""
    _recalling.append(recall)


def taken_since() -> list[tuple[bytes, _Sight]]:
    """What is known of the contents at which somebody has glanced since this was asked last."""
    found = [(data, dict(_sights[data])) for data in _taken_here if data in _sights]
    _taken_here.clear()
    return found


def forget() -> None:
    """Forget everything, as a run that begins does."""
    _sights.clear()
    _recalling.clear()
    _taken_here.clear()
