"""What is known of contents that were read before, in a database at the root of the project.

Losing the cache costs time and nothing else, so whatever goes wrong with it is passed over. Nothing that
is read from it is ever run.
"""

from __future__ import annotations

import hashlib
import sqlite3
import sys
import time
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, suppress
from functools import cache, cached_property
from pathlib import Path
from typing import Generic, TypeVar

import zephyrun
from zephyrun.project.roots import KEPT_FOLDER, make_kept_folder

_FILE = "cache.sqlite"
_TABLES = ("known", "facts", "glances", "usage", "answers")
_NEW_TABLE = """CREATE TABLE IF NOT EXISTS {}
    (key TEXT PRIMARY KEY, value BLOB NOT NULL, day INTEGER NOT NULL) WITHOUT ROWID"""
_KEPT_DAYS = 30
_SECONDS_PER_DAY = 86400
_PATIENCE_SECONDS = 1.0
_KEY_BYTES = 16
_MOST_ASKED_AT_ONCE = 500


Kept = TypeVar("Kept", str, bytes)


class Cache(Generic[Kept]):
    """Texts or bytes by key, in one of the tables of the database. One that cannot be opened is empty,
    and keeps nothing."""

    def __init__(self, root: Path, table: str = "known") -> None:
        assert table in _TABLES, "there are no others"
        self._root = root
        self._table = table
        self._kept_open: sqlite3.Connection | None = None

    @cached_property
    def exists(self) -> bool:
        """Whether there is a database to look into."""
        return (self._root / KEPT_FOLDER / _FILE).exists()

    def get(self, keys: Sequence[str]) -> dict[str, Kept]:
        """What is known for some of the keys."""
        found: dict[str, Kept] = {}
        with suppress(sqlite3.Error, OSError), self._connection() as connection:
            for first in range(0, len(keys), _MOST_ASKED_AT_ONCE):
                asked = keys[first : first + _MOST_ASKED_AT_ONCE]
                marks = ",".join("?" * len(asked))
                statement = f"SELECT key, value FROM {self._table} WHERE key IN ({marks})"
                found.update(connection.execute(statement, asked).fetchall())
        return found

    def put(self, values: Mapping[str, Kept]) -> None:
        """Keep some texts, and forget what nobody has needed for a month."""
        today = int(time.time()) // _SECONDS_PER_DAY
        rows = [(key, value, today) for key, value in values.items()]
        with suppress(sqlite3.Error, OSError), self._connection() as connection, connection:
            connection.executemany(f"INSERT OR REPLACE INTO {self._table} VALUES (?, ?, ?)", rows)
            connection.execute(f"DELETE FROM {self._table} WHERE day < ?", (today - _KEPT_DAYS,))

    def keep_latest(self, keys: Collection[str], most: int) -> None:
        """Forget all but as many as `most`: some that are needed now, and those that were needed last."""
        marks = ",".join("?" * len(keys))
        # Later than any day.
        now = int(time.time())
        with suppress(sqlite3.Error, OSError), self._connection() as connection, connection:
            connection.execute(f"UPDATE {self._table} SET day = {now} WHERE key IN ({marks})", list(keys))
            latest = f"SELECT key FROM {self._table} ORDER BY day DESC LIMIT {most}"
            connection.execute(f"DELETE FROM {self._table} WHERE key NOT IN ({latest})")

    def keep_open(self) -> None:
        """Keep the database open until `close`, since many questions will follow."""
        if self._kept_open is None:
            with suppress(sqlite3.Error, OSError):
                self._kept_open = self._opened()

    def close(self) -> None:
        """Let go of a database that was kept open."""
        if self._kept_open is not None:
            self._kept_open.close()
            self._kept_open = None

    @contextmanager
    def _connection(self) -> Iterator[sqlite3.Connection]:
        """The database, open. Errors: `sqlite3.Error` and `OSError` for one that cannot be used."""
        if self._kept_open is not None:
            yield self._kept_open
            return
        with closing(self._opened()) as connection:
            yield connection

    def _opened(self) -> sqlite3.Connection:
        path = make_kept_folder(self._root) / _FILE
        if path.is_symlink():
            raise OSError("a link leads to somebody's file")
        return _open(path)


def _open(path: Path) -> sqlite3.Connection:
    """Open the database; one that is damaged begins anew."""
    try:
        return _connect(path)
    except sqlite3.OperationalError:
        raise
    except sqlite3.DatabaseError:
        path.unlink()
        return _connect(path)


def _connect(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, timeout=_PATIENCE_SECONDS)
    try:
        # Nothing is lost with a cache, so there is no need to wait for the disk.
        connection.execute("PRAGMA synchronous = OFF")
        for table in _TABLES:
            connection.execute(_NEW_TABLE.format(table))
    except sqlite3.Error:
        connection.close()
        raise
    return connection


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
    # What names are learned from are data, and change what is found as much as code does.
    own = (*folder.rglob("*.py"), *(folder / "naming" / "data").iterdir())
    latest = max(path.stat().st_mtime_ns for path in own)
    return f"{zephyrun.__version__} {latest}"
