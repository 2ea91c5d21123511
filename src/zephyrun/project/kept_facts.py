"""The facts of files that were read before, what a glance at them shows, and what was found out about projects as a whole, kept
with the cache: to read a file anew takes some ten times as long."""

from __future__ import annotations

import hashlib
import io
import os
import pickle
import zlib
from collections.abc import Callable, Hashable, Iterable, Mapping
from contextlib import suppress
from enum import Enum
from importlib import import_module
from itertools import chain
from pathlib import Path
from typing import Any, Self

from zephyrun import facts as file_records
from zephyrun import link_facts
from zephyrun.facts import FileFacts
from zephyrun.languages.python import parse
from zephyrun.languages.python.links import read_links
from zephyrun.link_facts import LinkFacts
from zephyrun.linking import glances
from zephyrun.linking.kept_answers import KeptAnswers
from zephyrun.project.cache import Cache, content_key, joint_key
from zephyrun.project.own_key import own_key

# What a file says of itself, and what it says to others.
Facts = tuple[FileFacts, LinkFacts]

_TABLE = "facts"
_SIGHTS = "glances"
_ANSWERS = "answers"
# Two versions are compared, of each there are two sorts of answers, and a change makes a third one.
_MOST_VERSIONS = 6
_N_FIRST_VERSIONS = 2
_MOST_VERSIONS_KEPT = 16
_MOST_ANSWERS = 50_000
# Whoever glances at more contents does so at all of them.
_MOST_SEEN_SINGLY = 20
_BYTES_WORTH_A_PACK = 1000
_QUICKLY = 1
_MARK_BYTES = 16
# What reading bytes that are no longer what was written may raise.
_UNREADABLE = (pickle.UnpicklingError, TypeError, ValueError, LookupError, AttributeError, EOFError)
# Less is read sooner than a database is made.
_BYTES_WORTH_KEEPING = 2**19
# Less is unpacked sooner than it is put aside.
_BYTES_WORTH_PACKING = 100
# All that may come out of the cache: records of facts and of answers, and nothing that does anything.
_RECORDS_OF_ANSWERS = "zephyrun.linking."
_MODULES = {module.__name__: module for module in (file_records, link_facts)}
_FIELDS = tuple(FileFacts.__dataclass_fields__)
_LINK_FIELDS = tuple(LinkFacts.__dataclass_fields__)


class KeptFacts:
    """What the files of a project said when they were last read, by their contents."""

    def __init__(self, root: Path) -> None:
        self._cache = Cache[bytes](root, _TABLE)
        self._sights = Cache[bytes](root, _SIGHTS)
        self._answers = Cache[bytes](root, _ANSWERS)
        self._answers_by_key: dict[str, KeptAnswers] = {}
        self._content_keys: dict[bytes, str] = {}
        self._unseen: set[bytes] = set()
        self._n_seen_singly = 0
        self._process = os.getpid()
        self._new: dict[str, Facts] = {}
        self._n_bytes = 0

    def recall(self, data: bytes) -> Facts | None:
        """The facts of a content, where they are known."""
        key = _key(data)
        if key in self._new or not self._cache.exists:
            return self._new.get(key)
        self._cache.keep_open()
        packed = self._cache.get([key]).get(key)
        return _unpacked(packed, data) if packed is not None else None

    def keep(self, data: bytes, file_facts: FileFacts, links: LinkFacts) -> None:
        """Keep the facts of a content, for `save`."""
        self._new[_key(data)] = file_facts, links
        self._n_bytes += len(data)

    def recall_glances(self, contents: Iterable[object]) -> None:
        """Tell what glances at some contents have shown, where they are known, once somebody glances at them; what is no content
        has none."""
        if self._sights.exists:
            # Two versions of a project have most contents in common.
            self._unseen.update(each for each in contents if isinstance(each, bytes))
            self._n_seen_singly = 0
            glances.recall_by(self._recall_sight)

    def _recall_sight(self, data: bytes) -> Mapping[str, Any]:
        # The processes that are begun later do not all ask for everything.
        if data not in self._unseen or os.getpid() != self._process:
            return {}
        self._n_seen_singly += 1
        asked = [data] if self._n_seen_singly <= _MOST_SEEN_SINGLY else list(self._unseen)
        self._unseen.difference_update(asked)
        by_key = {self._key_of_sight(each): each for each in asked}
        known = ((by_key[key], _sight(packed)) for key, packed in self._sights.get(list(by_key)).items())
        found = {each: sight for each, sight in known if sight is not None}
        told = found.pop(data, {})
        glances.tell(found.items())
        return told

    def _key_of_sight(self, data: bytes) -> str:
        return joint_key("glances", self._content_key(data))

    def answers_about(self, contents: Mapping[str, object], *circumstances: object) -> KeptAnswers:
        """The answers about one version of a project that earlier runs found; what this one finds is kept by `save`."""
        n_bytes = sum(len(data) for data in contents.values() if isinstance(data, bytes))
        if n_bytes < _BYTES_WORTH_KEEPING:
            return KeptAnswers()
        key = self._key_of_version(contents, circumstances)
        if key not in self._answers_by_key:
            packed = self._answers.get([key]).get(key) if self._answers.exists else None
            if len(self._answers_by_key) == _MOST_VERSIONS:
                # Plans make many versions on the way. What was asked about first stays, and so does what was asked about last.
                del self._answers_by_key[list(self._answers_by_key)[_N_FIRST_VERSIONS]]
            self._answers_by_key[key] = KeptAnswers(_answers(packed) if packed is not None else {})
        return self._answers_by_key[key]

    def _key_of_version(self, contents: Mapping[str, object], circumstances: Iterable[object]) -> str:
        # What cannot be read is a text that says why.
        said = ((path, self._content_key(data) if isinstance(data, bytes) else data) for path, data in sorted(contents.items()))
        return joint_key("answers", *circumstances, *chain.from_iterable(said))

    def _content_key(self, data: bytes) -> str:
        if data not in self._content_keys:
            self._content_keys[data] = content_key(data)
        return self._content_keys[data]

    def save(self) -> None:
        """Write down what is new, where it is much, and let go of the database; what goes wrong costs
        nothing but time."""
        self._save_answers()
        taken = glances.taken_since()
        if sum(len(data) for data, _ in taken) >= _BYTES_WORTH_KEEPING:
            self._sights.put({self._key_of_sight(data): _marked(_packed_apart(sight)) for data, sight in taken})
        if self._n_bytes >= _BYTES_WORTH_KEEPING:
            self._cache.put({key: _packed(*facts) for key, facts in self._new.items()})
        self._new.clear()
        self._n_bytes = 0
        self._cache.close()

    def _save_answers(self) -> None:
        new = {key: found for key, kept in self._answers_by_key.items() if (found := kept.new())}
        if new:
            self._answers.put({key: _packed_answers(self._answers_by_key[key].known, found) for key, found in new.items()})
            self._answers.keep_latest(list(self._answers_by_key), _MOST_VERSIONS_KEPT)


def _packed_answers(known: Mapping[Hashable, Any], new: Mapping[Hashable, Any]) -> bytes:
    """The answers about a version, those of this run alone where they have become too many; what is large is packed by itself."""
    found = {**known, **new}
    if len(found) > _MOST_ANSWERS:
        found = dict(new)
    plain: dict[Hashable, Any] = {}
    apart: dict[Hashable, bytes] = {}
    for key, answer in found.items():
        if isinstance(answer, glances.Packed):
            apart[key] = answer.packed
        elif len(packed := _pickled(answer)) > _BYTES_WORTH_A_PACK:
            apart[key] = packed
        else:
            plain[key] = answer
    return _marked((plain, apart))


def _answers(packed: object) -> Mapping[Hashable, Any]:
    with suppress(*_UNREADABLE):
        plain, apart = _unmarked(packed)
        return {**plain, **{key: glances.Packed(each, _unpickled_sight) for key, each in apart.items()}}
    return {}


def own_kept_facts(root: Path) -> KeptFacts | None:
    """What is kept at a root, where that is sure to be the person's own; `None` where nobody can tell."""
    return KeptFacts(root) if own_key() is not None else None


def _key(data: bytes) -> str:
    return joint_key("facts", content_key(data))


def _marked(value: object) -> bytes:
    packed = _pickled(value)
    return _mark(packed) + packed


def _pickled(value: object) -> bytes:
    written = io.BytesIO()
    _Writer(written, pickle.HIGHEST_PROTOCOL).dump(value)
    return written.getvalue()


def _unmarked(packed: object) -> Any:
    """The value of bytes that nothing has happened to. Errors: `ValueError` for others, and what unpickling raises."""
    if not isinstance(packed, bytes):
        raise ValueError("no bytes")
    mark, packed = packed[:_MARK_BYTES], packed[_MARK_BYTES:]
    if mark != _mark(packed):
        raise ValueError("they are damaged")
    return _unpickled(packed)


def _unpickled(packed: bytes) -> Any:
    return _Reader(io.BytesIO(packed)).load()


def _packed_apart(sight: Mapping[str, Any]) -> tuple[dict[str, Any], dict[str, bytes]]:
    """What glances saw of one content, with what is large packed by itself: not every run asks for it."""
    plain: dict[str, Any] = {}
    apart: dict[str, bytes] = {}
    for name, seen in sight.items():
        packed = seen.packed if isinstance(seen, glances.Packed) else _pickled(seen)
        if len(packed) < _BYTES_WORTH_PACKING:
            plain[name] = seen
        else:
            apart[name] = packed
    return plain, apart


def _sight(packed: object) -> dict[str, Any] | None:
    with suppress(*_UNREADABLE):
        plain, apart = _unmarked(packed)
        return {**plain, **{name: glances.Packed(each, _unpickled_sight) for name, each in apart.items()}}
    return None


def _unpickled_sight(packed: bytes) -> Any:
    """What one glance saw. Errors: `ValueError` for what cannot be unpickled."""
    try:
        return _unpickled(packed)
    except _UNREADABLE as problem:
        raise ValueError("it is damaged") from problem


def _packed(file_facts: FileFacts, links: LinkFacts) -> bytes:
    # Field by field: what was worked out from the fields is left out, and each is unpacked by itself.
    parts = tuple(
        tuple(
            zlib.compress(_pickled(getattr(facts, name)), _QUICKLY)
            for name in names
        )
        for facts, names in ((file_facts, _FIELDS), (links, _LINK_FIELDS))
    )
    return _marked(parts)


def _mark(packed: bytes) -> bytes:
    """What shows that nothing got lost, and that it is the person's own."""
    return hashlib.blake2b(packed, digest_size=_MARK_BYTES, key=own_key() or b"").digest()


def _unpacked(packed: bytes, data: bytes) -> Facts | None:
    with suppress(*_UNREADABLE):
        of_file, of_links = _unmarked(packed)
        return (
            _LaterFileFacts.from_parts(_FIELDS, of_file, lambda: parse(data).facts),
            _LaterLinkFacts.from_parts(_LINK_FIELDS, of_links, lambda: read_links(parse(data))),
        )
    return None


class _Later:
    """Facts of which each part is unpacked when it is first asked for, since most files are asked for little.
    Where one cannot be, the file is read anew."""

    _packed_parts: dict[str, bytes]
    _read_anew: Callable[[], object]

    def __getattr__(self, name: str) -> Any:
        packed = self.__dict__.get("_packed_parts", {}).pop(name, None)
        if packed is None:
            raise AttributeError(name)
        value: object
        try:
            value = _Reader(io.BytesIO(zlib.decompress(packed))).load()
        except (zlib.error, *_UNREADABLE):
            value = getattr(self._read_anew(), name)
        self.__dict__[name] = value
        return value

    @classmethod
    def from_parts(
        cls, names: tuple[str, ...], parts: tuple[bytes, ...], read_anew: Callable[[], object]
    ) -> Self:
        """Facts that come of packed parts, one for each field. Errors: `ValueError` where the numbers differ."""
        later = cls.__new__(cls)
        later.__dict__.update(
            _packed_parts=dict(zip(names, parts, strict=True)), _read_anew=read_anew
        )
        return later


class _LaterFileFacts(_Later, FileFacts):
    pass


class _LaterLinkFacts(_Later, LinkFacts):
    pass


class _MakingRecords:
    """Stands, in what is written, for what makes a record of a tuple when that is read."""

    def __call__(self, kind: type, parts: tuple[object, ...]) -> object:
        """A record, made as `_Reader` makes it."""
        return tuple.__new__(kind, parts)


_MAKE_RECORD = _MakingRecords()
_MAKE_RECORD_NAME = "_MAKE_RECORD"


class _Writer(pickle.Pickler):
    """Writes records so that reading one runs no code of Python: there are hundreds of thousands."""

    def reducer_override(self, each: object) -> Any:
        """How a thing is made again, for records and members of enumerations."""
        if each is _MAKE_RECORD:
            return _MAKE_RECORD_NAME
        if isinstance(each, tuple) and hasattr(each, "_fields"):
            return _MAKE_RECORD, (type(each), tuple(each))
        if isinstance(each, Enum):
            # By its value: some versions of Python ask a builtin for it by its name, which is refused.
            return type(each), (each.value,)
        return NotImplemented


class _Reader(pickle.Unpickler):
    """Reads records of facts and refuses all else, so that nothing from a cache can be run."""

    def find_class(self, module: str, name: str) -> object:
        """A class of records, or what makes one of them. Errors: `pickle.UnpicklingError`."""
        if (module, name) == (__name__, _MAKE_RECORD_NAME):
            return tuple.__new__
        if module.startswith(_RECORDS_OF_ANSWERS) and module not in _MODULES:
            _MODULES[module] = import_module(module)
        found = vars(_MODULES[module]).get(name) if module in _MODULES else None
        if not isinstance(found, type) or found.__module__ != module:
            raise pickle.UnpicklingError(f"{module}.{name} is no record of facts")
        if module.startswith(_RECORDS_OF_ANSWERS) and not issubclass(found, tuple | Enum):
            raise pickle.UnpicklingError(f"{module}.{name} is no record of facts")
        return found
