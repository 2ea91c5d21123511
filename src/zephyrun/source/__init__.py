"""A file's text: bytes in and the same bytes out, positions, and edits.

This room knows no programming language and none of the other rooms.
"""

from zephyrun.source.edits import Edit, EditSet, Overlap
from zephyrun.source.text import Place, SourceText, UnreadableText

__all__ = ["Edit", "EditSet", "Overlap", "Place", "SourceText", "UnreadableText"]
