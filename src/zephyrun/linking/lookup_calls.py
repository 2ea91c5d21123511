"""What a call that looks up an attribute by a name does with that: set or delete it, or else read it; and what answers for
any name that is read."""

from __future__ import annotations

from zephyrun.patterns import lazy_pattern

# They match where the call begins.
WRITES, DELETES = (lazy_pattern(rf"[\w.()\s]*?{word}(?:__)?\s*\(") for word in ("setattr", "delattr"))
READING_HOOKS = ("__getattr__", "__getattribute__")
