"""Bytes in, the same bytes out; positions; edits that never touch what is beside them."""

import codecs
import io
import tokenize

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zephyrun.source import Edit, EditSet, Overlap, Place, SourceText, UnreadableText
from zephyrun.source.text import declared_encoding

# Pieces in which line ends, tabs, form feeds, wide and combining characters meet.
pieces = st.sampled_from(
    ["\n", "\r\n", "\r", "\t", "\f", "\v", "\x1c", "\u2028", "\u0085", "a", "weight = 1", "é", "e\u0301", "蜂", "🐝", " "]
)
texts = st.lists(pieces, max_size=30).map("".join)


@given(st.binary(max_size=200))
def test_any_bytes_come_back(data):
    """Whatever the bytes are, reading and writing gives them back."""
    assert SourceText.from_bytes(data, strict=False).to_bytes() == data


@given(texts, st.booleans())
def test_lines_end_where_the_language_says(text, has_mark):
    """Lines are those of universal newlines; form feeds and separators stand inside lines."""
    data = (codecs.BOM_UTF8 if has_mark else b"") + text.encode()
    source = SourceText.from_bytes(data)
    lines = io.StringIO(text, newline=None).read().split("\n")
    assert [source.line(number) for number in range(1, len(lines) + 1)] == lines
    assert source.n_lines == len(lines) - (lines[-1] == "")


@given(texts, st.data())
def test_places_and_bytes_convert_both_ways(text, data):
    """Offset to place and back; offset to bytes counts exactly the bytes before it."""
    source = SourceText.from_bytes(codecs.BOM_UTF8 + text.encode())
    offset = data.draw(st.integers(0, len(text)))
    assert source.offset(source.place(offset)) == offset
    assert source.byte_offset(offset) == 3 + len(text[:offset].encode())
    place = source.place(offset)
    n_bytes = len(text[source.line_starts[place.line - 1] : offset].encode())
    assert source.offset_of_utf8(place.line, n_bytes) == offset


@pytest.mark.parametrize("place", [Place(0, 1), Place(3, 1), Place(1, 0), Place(1, 9)])
def test_places_outside_are_refused(place):
    """A place that the text does not have is an error, not a guess."""
    with pytest.raises(ValueError, match="there is no line|has no column"):
        SourceText.from_bytes(b"bees\nfly").offset(place)


@given(texts, st.data())
def test_edits_change_nothing_beside_them(text, data):
    """An edit set gives what replacing from the end gives, in text and in bytes."""
    cuts = sorted(data.draw(st.lists(st.integers(0, len(text)), max_size=8, unique=True)))
    edits = [
        Edit(start, end, data.draw(st.sampled_from(["", "蜂", "x", "\r\n"])))
        for start, end in zip(cuts[::2], cuts[1::2])
    ]
    source = SourceText.from_bytes(text.encode())
    expected = text
    for edit in reversed(edits):
        expected = expected[: edit.start] + edit.text + expected[edit.end :]
    shuffled = data.draw(st.permutations(edits))
    assert EditSet(shuffled).apply(source) == expected.encode()


@given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 12)), min_size=2, max_size=6))
def test_overlaps_are_refused_whatever_the_order(ranges):
    """Two edits share no character, and two insertions share no place."""
    edits = [Edit(min(pair), max(pair), str(index)) for index, pair in enumerate(ranges)]

    def meet(one, other):
        if one.start == one.end or other.start == other.end:
            inside = one.start < other.start < one.end or other.start < one.start < other.end
            both_insert = one.start == one.end == other.start == other.end
            return inside or both_insert
        return one.start < other.end and other.start < one.end

    clash = any(meet(one, other) for i, one in enumerate(edits) for other in edits[:i])
    if clash:
        with pytest.raises(Overlap):
            EditSet(edits)
    else:
        assert len(EditSet(edits)) == len(edits)


ENCODED = [
    (b"# coding: latin-1\nx = '\xe9'\n", "iso-8859-1"),
    (b"#!/usr/bin/python\n# -*- coding: cp1252 -*-\nx = '\x80'\n", "cp1252"),
    (b"# vim: set fileencoding=shift_jis :\nx = '\x96\x49'\n", "shift_jis"),
    (b"\n# coding=euc-kr\nx = '\xb9\xfa'\n", "euc_kr"),
    (codecs.BOM_UTF8 + b"# coding: utf-8\nx = '\xc3\xa9'\n", "utf-8"),
    (b"# coding: iso2022_jp\nx = '\x1b$B\x4b\x2a\x1b(B'  # bee\n", "iso2022_jp"),
    (b"x = 1\n# coding: latin-1\n", "utf-8"),
]


@pytest.mark.parametrize(("data", "encoding"), ENCODED)
def test_encodings(data, encoding):
    """Coding lines are found as the standard tokenizer finds them, and an edit of ASCII text
    leaves all bytes around it as they were, also in encodings with states."""
    assert codecs.lookup(declared_encoding(data)) == codecs.lookup(encoding)
    theirs = tokenize.detect_encoding(io.BytesIO(data).readline)[0]
    assert codecs.lookup(theirs.replace("-sig", "")) == codecs.lookup(encoding)
    source = SourceText.from_bytes(data)
    at = source.text.index("x =")
    assert EditSet([Edit(at, at + 1, "flower")]).apply(source) == data.replace(b"x =", b"flower =")


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"x = '\xe9'\n", "line 1: the bytes are not valid utf-8"),
        (b"\n\n# fine\ny = '\xff'\n", "line 4: the bytes are not valid utf-8"),
        (b"# coding: no-such-code\n", "unknown encoding no-such-code"),
        (b"# coding: utf-16\n", "not supported|unknown"),
        (codecs.BOM_UTF8 + b"# coding: latin-1\n", "byte order mark says utf-8"),
    ],
)
def test_unreadable_text_says_why(data, message):
    """One phrase that tells the line or the encoding."""
    with pytest.raises(UnreadableText, match=message):
        SourceText.from_bytes(data)


def test_text_that_the_encoding_lacks_is_refused():
    """A new text that cannot be written leaves the file alone."""
    source = SourceText.from_bytes(b"# coding: latin-1\nx = 1\n")
    with pytest.raises(UnreadableText, match="cannot be written in iso-8859-1"):
        EditSet([Edit(18, 19, "蜂")]).apply(source)
