"""The Python front end: one file's bytes to `FileFacts`.

`read_facts` is a pure function of the bytes: it runs in worker processes, and its result can be
stored. `parse` also keeps the tree, for the proof, which must look at both.
"""

from zephyrun.languages.python.reading import ParsedFile, UnreadableSource, parse, parse_shared, read_facts

__all__ = ["ParsedFile", "UnreadableSource", "parse", "parse_shared", "read_facts"]
