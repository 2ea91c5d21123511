"""The facts of files that were read before, kept with the cache: to read a file anew takes some ten times
as long."""

from __future__ import annotations

import io
import pickle
import zlib
from contextlib import suppress
from pathlib import Path

from zephyrun import facts as file_records
from zephyrun import link_facts
from zephyrun.facts import FileFacts
from zephyrun.link_facts import LinkFacts
from zephyrun.project.cache import Cache, content_key, joint_key

# What a file says of itself, and what it says to others.
Facts = tuple[FileFacts, LinkFacts]

_TABLE = "facts"
_QUICKLY = 1
# Less is read sooner than a database is made.
_BYTES_WORTH_KEEPING = 2**19
# All that may come out of the cache: records of facts, and nothing that does anything.
_MODULES = {module.__name__: module for module in (file_records, link_facts)}
_FIELDS = tuple(FileFacts.__dataclass_fields__)
_LINK_FIELDS = tuple(LinkFacts.__dataclass_fields__)


class KeptFacts:
    """What the files of a project said when they were last read, by their contents."""

    def __init__(self, root: Path) -> None:
        self._cache = Cache[bytes](root, _TABLE)
        self._new: dict[str, Facts] = {}
        self._n_bytes = 0

    def recall(self, data: bytes) -> Facts | None:
        """The facts of a content, where they are known."""
        key = _key(data)
        if key in self._new or not self._cache.exists:
            return self._new.get(key)
        self._cache.keep_open()
        packed = self._cache.get([key]).get(key)
        return _unpacked(packed) if packed is not None else None

    def keep(self, data: bytes, file_facts: FileFacts, links: LinkFacts) -> None:
        """Keep the facts of a content, for `save`."""
        self._new[_key(data)] = file_facts, links
        self._n_bytes += len(data)

    def save(self) -> None:
        """Write down what is new, where it is much, and let go of the database; what goes wrong costs
        nothing but time."""
        if self._n_bytes >= _BYTES_WORTH_KEEPING:
            self._cache.put({key: _packed(*facts) for key, facts in self._new.items()})
        self._new.clear()
        self._n_bytes = 0
        self._cache.close()


def _key(data: bytes) -> str:
    return joint_key("facts", content_key(data))


def _packed(file_facts: FileFacts, links: LinkFacts) -> bytes:
    # Field by field: what was worked out from the fields is left out.
    values = (
        tuple(getattr(file_facts, name) for name in _FIELDS),
        tuple(getattr(links, name) for name in _LINK_FIELDS),
    )
    return zlib.compress(pickle.dumps(values, pickle.HIGHEST_PROTOCOL), _QUICKLY)


def _unpacked(packed: bytes) -> Facts | None:
    with suppress(zlib.error, pickle.UnpicklingError, TypeError, ValueError, LookupError, AttributeError, EOFError):
        of_file, of_links = _Reader(io.BytesIO(zlib.decompress(packed))).load()
        return FileFacts(*of_file), LinkFacts(*of_links)
    return None


class _Reader(pickle.Unpickler):
    """Reads records of facts and refuses all else, so that nothing from a cache can be run."""

    def find_class(self, module: str, name: str) -> object:
        """A class of records. Errors: `pickle.UnpicklingError`."""
        found = vars(_MODULES[module]).get(name) if module in _MODULES else None
        if not isinstance(found, type) or found.__module__ != module:
            raise pickle.UnpicklingError(f"{module}.{name} is no record of facts")
        return found
