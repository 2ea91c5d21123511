"""A key of the person who runs the tool, by which it knows again what it wrote itself: a database that came with
somebody else's files says nothing.

It lies with what programs keep for a person, outside all projects, and is made when it is first needed.
"""

from __future__ import annotations

import os
import secrets
import tempfile
from contextlib import suppress
from functools import cache
from pathlib import Path

_FILE = "key"
_KEY_BYTES = 32


@cache
def own_key() -> bytes | None:
    """32 bytes that stay the same from run to run; `None` where nothing can be kept for the person."""
    with suppress(OSError, RuntimeError):
        path = _folder() / _FILE
        if not path.is_file() or path.stat().st_size != _KEY_BYTES:
            _make(path)
        return path.read_bytes()
    return None


def _folder() -> Path:
    # Not all runs need it.
    from platformdirs import user_state_path

    return user_state_path("zephyrun", appauthor=False)


def _make(path: Path) -> None:
    """Write a key, as a whole: of two runs that begin together the last one stays. Errors: `OSError`."""
    path.parent.mkdir(parents=True, exist_ok=True)
    # Made so that only the person may read it.
    handle, draft = tempfile.mkstemp(dir=path.parent, prefix=f"{_FILE}-")
    with open(handle, "wb") as file:
        file.write(secrets.token_bytes(_KEY_BYTES))
    os.replace(draft, path)
