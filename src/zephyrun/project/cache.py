"""What is known of contents that were read before, in a database at the root of the project.

Losing the cache costs time and nothing else, so whatever goes wrong with it is passed over. It holds
texts only, and nothing that is read from it is ever run.
"""

from __future__ import annotations

import hashlib
import sqlite3
import sys
import time
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from functools import cache
from pathlib import Path

import zephyrun
from zephyrun.project.roots import make_kept_folder

_FILE = "cache.sqlite"
_TABLE = """CREATE TABLE IF NOT EXISTS known
    (key TEXT PRIMARY KEY, value TEXT NOT NULL, day INTEGER NOT NULL) WITHOUT ROWID"""
_KEPT_DAYS = 30
_SECONDS_PER_DAY = 86400
_PATIENCE_SECONDS = 1.0
_KEY_BYTES = 16
_MOST_ASKED_AT_ONCE = 500


class Cache:
    """Texts by key. One that cannot be opened is empty, and keeps nothing."""

    def __init__(self, root: Path) -> None:
        self._connection: sqlite3.Connection | None = None
        with suppress(sqlite3.Error, OSError):
            path = make_kept_folder(root) / _FILE
            if not path.is_symlink():
                self._connection = _open(path)

    def get(self, keys: Sequence[str]) -> dict[str, str]:
        """What is known for some of the keys."""
        found: dict[str, str] = {}
        with suppress(sqlite3.Error):
            for first in range(0, len(keys), _MOST_ASKED_AT_ONCE):
                asked = keys[first : first + _MOST_ASKED_AT_ONCE]
                marks = ",".join("?" * len(asked))
                found.update(self._run(f"SELECT key, value FROM known WHERE key IN ({marks})", asked))
        return found

    def put(self, values: Mapping[str, str]) -> None:
        """Keep some texts, and forget what nobody has needed for a month."""
        today = int(time.time()) // _SECONDS_PER_DAY
        if self._connection is None:
            return
        with suppress(sqlite3.Error), self._connection:
            rows = [(key, value, today) for key, value in values.items()]
            self._connection.executemany("INSERT OR REPLACE INTO known VALUES (?, ?, ?)", rows)
            self._run("DELETE FROM known WHERE day < ?", (today - _KEPT_DAYS,))

    def close(self) -> None:
        """Let go of the file."""
        if self._connection is not None:
            self._connection.close()

    def _run(self, statement: str, values: Sequence[object]) -> Iterable[tuple[str, str]]:
        if self._connection is None:
            return ()
        return self._connection.execute(statement, values).fetchall()


def _open(path: Path) -> sqlite3.Connection:
    """Open the database; one that is damaged begins anew."""
    for attempt in range(2):
        connection = sqlite3.connect(path, timeout=_PATIENCE_SECONDS)
        try:
            # Nothing is lost with a cache, so there is no need to wait for the disk.
            connection.execute("PRAGMA synchronous = OFF")
            connection.execute(_TABLE)
        except sqlite3.OperationalError:
            connection.close()
            raise
        except sqlite3.DatabaseError:
            connection.close()
            if attempt:
                raise
            path.unlink()
        else:
            return connection
    raise sqlite3.DatabaseError("unreachable: the second attempt returns or raises")


def content_key(data: bytes) -> str:
    """What stands for a content."""
    return hashlib.blake2b(data, digest_size=_KEY_BYTES).hexdigest()


def joint_key(*parts: object) -> str:
    """What stands for several things together, for this version of the tool and the interpreter."""
    text = "\0".join(map(str, (_tool(), sys.version, *parts)))
    return content_key(text.encode("utf-8", "surrogatepass"))


@cache
def _tool() -> str:
    """The version of Zephyrun, down to the latest change of its own files."""
    folder = Path(zephyrun.__file__).parent
    latest = max(path.stat().st_mtime_ns for path in folder.rglob("*.py"))
    return f"{zephyrun.__version__} {latest}"
