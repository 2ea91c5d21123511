"""What the standard library asks things for that it is handed, whatever class they are of. Source: library reference,
`io`, `collections.abc`, `queue`, `threading`, `logging`, `datetime`, `numbers`, `concurrent.futures`."""

from __future__ import annotations

import io
from collections import abc

# Classes in whose place others may stand that only have the same methods.
_STOOD_FOR = (
    io.TextIOWrapper, io.BufferedRandom, io.BytesIO, io.StringIO, io.FileIO, abc.MutableMapping, abc.MutableSequence,
    abc.MutableSet, abc.Generator, abc.Coroutine,
)
_OTHERS = """
acquire release locked put get put_nowait get_nowait qsize empty full task_done join start run cancel cancelled running
done result set_result set_exception add_done_callback submit shutdown emit handle filter format formatTime
formatException utcoffset dst tzname fromutc isoformat conjugate real imag numerator denominator cursor commit rollback
execute fetchone fetchall read_bytes recv send sendall accept makefile poll wait terminate kill communicate
""".split()

ASKED_BY_LIBRARY = frozenset(
    name for kind in _STOOD_FOR for name in dir(kind) if not name.startswith("_")
) | frozenset(_OTHERS)
