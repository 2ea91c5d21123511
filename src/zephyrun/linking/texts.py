"""Files that are no modules and in which something may stand that means a name in one: stubs, notebooks,
templates, configuration, Makefiles, documents, scripts without an ending."""

from __future__ import annotations

import re
from collections.abc import Iterator
from enum import StrEnum
from functools import lru_cache
from pathlib import PurePosixPath

from zephyrun.languages.python.scanner import PLAIN_MARK
from zephyrun.linking.glances import glance
from zephyrun.linking.modules import LOADING_WORDS
from zephyrun.patterns import lazy_pattern

_ENDINGS = frozenset(
    """.pyi .pyx .pxd .pxi .ipynb .html .htm .xml .j2 .jinja .jinja2 .tmpl .tpl .mako .toml .cfg .ini
    .conf .yaml .yml .json .env .sh .bash .bat .cmd .ps1 .mk .am .in .md .rst .txt .adoc""".split()
)
_DOCUMENT_ENDINGS = frozenset({".md", ".rst", ".adoc"})
_DOCUMENT_NAMES = frozenset(
    "pkg-info license licence notice authors contributors changelog changes history news readme copying".split()
)
# What is larger is data.
LARGEST_SEARCHED = 2**20
# Plans, decisions and reports of ours speak of the names that are to change, and mean nothing by it.
_OWN_DOCUMENT = lazy_pattern(rb'(?m)^\{?"?schema"?\s*[=:]\s*"zephyrun\.')

# Each of these begins with fixed letters, which is what makes a search of every file cheap.
# The methods behind operators with two sides. Source: language reference, 3.3.1 and 3.3.8.
OF_OPERATORS = frozenset(
    ["__contains__", *(f"__{name}__" for name in "eq ne lt le gt ge".split())]
    + [f"__{side}{name}__" for name in "add sub mul matmul truediv floordiv mod divmod pow lshift rshift and xor or".split() for side in ("", "r", "i")]
)
_DEFINES_OPERATOR = lazy_pattern(rb"def\s+(?:%b)\s*[(\[]" % "|".join(sorted(OF_OPERATORS)).encode())
_CLASS_HEAD = lazy_pattern(rb"class\s+\w+\s*(?:\[[^\]]*\]\s*)?\(")
# What lists all names of what is spread over its call, and so shows in no place of its own.
LISTS_SPREAD = lazy_pattern(r"\b(vars|dir|getmembers|getmembers_static)\s*\(\s*\*")
_BEFORE_QUOTE = lazy_pattern(rb"([\w\x80-\xff]+)[\"']")
_WRITTEN = lazy_pattern(rb"\.\s*(\w+)\s*(?:=(?!=)|[,):\]]|[-+*/%&|^@<>]+=|in\b)")
_MAKES_CLASSES = tuple(
    (word, lazy_pattern(pattern))
    for word, pattern in (
        (b"type", rb"type(?<!\wtype)\s*\(\s*(?:\*|[^(),]+(?:\([^()]*\))?[^(),]*,)"),
        # As a value that may be called later.
        (b"type", rb"(?:(?<![=!<>])=|\b(?:map|partial)\s*\()\s*type\b(?!\s*[(\w.\[|])"),
        # A name, bases and a table: whatever is called, it may be a metaclass.
        (b"(", rb"\(\s*[\"'\w.]+\s*,\s*\([^()\n]*\)\s*,\s*(?:\{|\*|dict\b)"),
        (b"new_class", rb"new_class(?<!\wnew_class)\s*\("),
    )
)
# What puts names into the body of a class, or takes them out of it.
_SETS_IN_BODY = lazy_pattern(rb"(?:locals|vars)\s*\(\s*\)\s*(?:\[|\.\s*(?:update|setdefault|__setitem__)\b)")
_SETS_IN_BODY_WORDS = (b"locals", b"vars")
# What stands behind a table of names into which something is put under a name that is not written there.
PUTS_UNDER_NAME = r"\s*(?:\.\s*update\s*\(|(?:\.\s*setdefault\s*\(|\[)(?!\s*[\"']\w+[\"']\s*[,\])]))"
_SETS_IN_TABLE = lazy_pattern(rb"__dict__%b" % PUTS_UNDER_NAME.encode())
_BEGINNING = lazy_pattern(r"\s?(?:[\w.]*[.:])?(\w+)")
# What finds things by dotted names, or sets them, is called by one of these words.
_FINDS_BY_TEXT = lazy_pattern(
    rb"(?i)(?<!dis)patch|mock|[sg]etattr|delattr|attrgetter|import_|__import__|resolve|(?<!al)locate|load_|loadTestsFromName|dictConfig|EntryPoint|sys\.modules"
)
# What runs texts or fills them in, and what a text of a file has at its end, or before what is filled in, behind a dot.
_RUNS_OR_FILLS = lazy_pattern(rb"(?:eval|exec|compile|format(?:_map)?)\s*\(")
_BEGUN = lazy_pattern(rb"\.(\w*)[{\"']")
_REGISTERING = lazy_pattern(rb"\.\s*register\b")
_LAST_WORD = lazy_pattern(rb"(\w+)\s*\Z")
_LONGEST_WORD = 200

# What runs code that a text holds. Each begins with fixed letters, too; what is before is asked afterwards.
_RUNS_TEXTS = tuple(
    (word, lazy_pattern(pattern % {b"word": word}))
    for words, pattern in (
        (
            (b"exec", b"eval", b"compile"),
            rb"%(word)b(?:(?<![\w.]%(word)b)|(?<=builtins\.%(word)b))_?\s*\(|%(word)b(?<==\s%(word)b)\b",
        ),
        ((b"exec", b"eval"), rb"%(word)b(?<![\w.\"']%(word)b)\s*(?:[,)\]}]|as\b)|builtins\.%(word)b\b"),
        ((b"timeit", b"runpy", b"exec_module"), rb"%(word)b\b"),
        ((b"Interactive",), rb"Interactive(?:Interpreter|Console)\b"),
        (
            (b"cProfile", b"profile", b"bdb", b"pdb", b"trace"),
            rb"%(word)b(?:(?:(?<=import %(word)b)|(?<=, %(word)b))\b|(?<=from %(word)b)\s+import\b)(?s:.*?)\brun(?:ctx|eval)?\b(?!\s*=)",
        ),
        ((b"'-c'", b'"-c"'), rb"%(word)b"),
    )
    for word in words
)
# What reads the names of running functions off the stack, by the words that it takes.
_NAME_OF_FRAME = rb"(?<!self)\.\s*name\b(?!\s*(?:[=!]=|(?:not\s+)?in\b))"
_FRAME_NAMES = (
    (b"co_name", lazy_pattern(rb"co_name\b(?!\s*=(?!=))")),
    (b"co_qualname", lazy_pattern(rb"co_qualname\b(?!\s*=(?!=))")),
    (b"getframeinfo", lazy_pattern(rb"getframeinfo\s*\(")),
    (b"inspect", lazy_pattern(rb"inspect\s*\.\s*(?:stack|trace)\s*\(|inspect\s+import\b[^\n]*\b(?:stack|trace)\b")),
    *(
        (word, lazy_pattern(rb"%b\s*\((?s:.{,400}?)%b|%b[^\n]{,200}?\bfor\b[^\n]{,100}?%b\s*\(" % (word, _NAME_OF_FRAME, _NAME_OF_FRAME, word)))
        for word in (b"extract_stack", b"extract_tb")
    ),
)
# Where such a name is only held against others.
_HELD_AGAINST = lazy_pattern(rb"co_(?:qual)?name\s*(?:[=!]=|(?:not\s+)?in\b|\.\s*(?:starts|ends)with\b)")
_QUOTED_NAME = lazy_pattern(rb"[\"'](\w+)[\"']")
_HELD_AGAINST_TEXT = lazy_pattern(rb"\s*(?:[=!]=|(?:not\s+)?in\b)\s*[(\[{]?\s*[\"']")
_HOLDS_AGAINST = lazy_pattern(rb"(?:co_(?:qual)?name|(?<!self)\.\s*name)\b(?=\s*(?:[=!]=|(?:not\s+)?in\b))")
# Where a variable gets such a name, and what is done with a variable that is only held against others.
_NAME_IN_VARIABLE = lazy_pattern(
    rb"(?m)^[ \t]*(\w+)[ \t]*=[^\n=]*\bextract_stack\s*\([^\n()]*\)\s*\[[^\n\]]*\]\s*\.\s*name[ \t]*(?=\r?$|#)"
)
_IS_HELD_AGAINST = rb"\s*(?:[=!]=|(?:not\s+)?in\b)"
_NEAR_FRAME = lazy_pattern(
    rb"\b(?:_getframe\s*\(\s*[01]?\s*\)|currentframe\s*\(\s*\)(?:\s*\.\s*f_back)?)"
    rb"\s*\.\s*f_code\s*\.\s*co_(?:qual)?name\b"
)
_LOOKS_AT_STACK = lazy_pattern(
    rb"_getframe|currentframe|f_back|getouterframes|extract_stack|inspect\s*\.\s*stack|\bstack\s*\("
)
_LOOKS_AT_ALL = lazy_pattern(rb"\bset(?:trace|profile)\b|_current_frames|\b(?:gi|cr|ag)_frame\b|sys\.monitoring")


# What shows the names that stand in the instructions of functions, but for what makes another such function.
_INSTRUCTION_MARKS = (b"co_names", b"import dis", b"from dis import", b"cgitb", b"marshal")
_SHOWS_ALL = b"cgitb"
_CODE_WORDS = (b"FunctionType", b"__code__")
# A function that is made of the code and the names of another one is that again.
_RUNS_CODE_ELSEWHERE = lazy_pattern(rb"FunctionType\s*\((?!\s*(\w+)\.__code__\s*,\s*\1\.__globals__\b)|\b(?:exec|eval)\s*\(\s*[\w.]+\.__code__")
_SHOWS_INSTRUCTIONS = lazy_pattern(
    rb"co_names\b(?!,\s*[\w.]+\.co_)|import dis\b|from dis import(?!\s+(?:findlinestarts|findlabels)(?:\s+as\s+\w+)?\s*(?:$|#))|"
    rb"\b(?:import|from)\b[^\n\"']*\bcgitb\b|"
    rb"\bmarshal\s*\.\s*dumps?\s*\([^\n]*__code__",
    re.MULTILINE,
)


class FrameReading(StrEnum):
    """Which functions a file reads the names of while they run."""

    NOTHING = ""
    NEAR = "near"  # its own ones, and those that call them
    STACK = "stack"  # all that are running when one of its own is called
    EVERYTHING = "everything"  # all that are running, whatever they call
    TRACEBACK = "traceback"  # those that an exception came through, or only to hold them against others


# Texts at a glance, and comments, which are passed over: a quote in one opens nothing.
_MARK = lazy_pattern(PLAIN_MARK.encode(), re.DOTALL)
_QUOTE = lazy_pattern(rb"[\"']")
_TEMPLATE_PREFIX = lazy_pattern(rb"[fFtT][rR]?\Z")
_DOTTED_TEXT = lazy_pattern(rb"([\"'])[\w.:]*\1")
# A line of an example in documentation, which runs.
EXAMPLE_LINE = r"(?m)^[ \t]*(?:\w*\"\"\"|\w*''')?[ \t]*(?:>>>|\.\.\.)[ \t](.*)$"
_EXAMPLE_LINE = lazy_pattern(EXAMPLE_LINE.encode())
_PROMPTED = lazy_pattern(rb">>>[ \t]([^\r\n]*)")
_IMPORTS = lazy_pattern(rb"\s*(?:from|import)\b")
_STANDING = lazy_pattern(rb"\b([^\W\d]\w*)\b(?!\s*(?:[(.]|=(?!=)))")
_LOOKS_UP_IN_EXAMPLE = lazy_pattern(
    rb"\b[ghsd]\w{2}attr\s*\([^\n]*?,\s*(?![rbu]?[\"'][\w.]*[\"']\s*[,)])|\b(?:attrgetter|methodcaller)\s*\((?!\s*[\"'][\w.]*[\"']\s*[,)])"
    rb"|\b(?:eval|exec)\s*\(|(?:\b(?:globals|locals|vars)\s*\([^()\n]*\)|__dict__)\s*(?:\[(?!\s*[\"']\w*[\"']\s*\])|\.\s*(?:get|pop)\s*\((?!\s*[\"']))"
)
_QUOTED_IN_EXAMPLE = lazy_pattern(rb"([\"'])(.*?)\1")
_PRIVATE_WORD = lazy_pattern(rb"(?<!\w)_\w*")
_CALLED = lazy_pattern(rb"\b([^\W\d]\w*)\s*\(")
# What an example prints, behind its last line: all up to an empty line or the next example.
EXAMPLE_OUTPUT = r"(?:\r?\n(?![ \t]*(?:\r?\n|>>>|\.\.\.[ \t]|\"\"\"|'''|\Z))[^\r\n]*)+"
_EXAMPLE_OUTPUT = lazy_pattern(EXAMPLE_OUTPUT.encode())
_LIKE_CODE = lazy_pattern(rb"[.(=]|\b(?:import|from|def|class|for|while|with|try|if|raise|del|assert)\b")

# Whatever is no letter of ASCII may be part of a name.
_WORD = lazy_pattern(rb"[A-Za-z_\x80-\xff][\w\x80-\xff]*")
# What makes a space of each byte that is part of no word.
_ONLY_WORDS = bytes(byte if byte > 0x7F or chr(byte).isalnum() or byte == ord("_") else ord(" ") for byte in range(0x100))
_DIGITS = b"0123456789"
_MOST_FILES_KEPT = 4096
_KNOWN_WORDS: dict[bytes, bytes] = {}


def is_document(path: str) -> bool:
    """Whether a file is written for readers, so that a name in it is no more than a mention."""
    pure = PurePosixPath(path)
    return pure.suffix.lower() in _DOCUMENT_ENDINGS or pure.stem.lower() in _DOCUMENT_NAMES


def may_mean_names(path: str) -> bool:
    """Whether names may be meant in a file that is no module, going by how it is called."""
    ending = PurePosixPath(path).suffix.lower()
    return not ending or ending in _ENDINGS


def is_searched(path: str, data: bytes) -> bool:
    """Whether a file that is no module is searched for names."""
    return (
        may_mean_names(path)
        and len(data) <= LARGEST_SEARCHED
        and b"\0" not in data
        and not is_own_document(data)
    )


def is_own_document(data: bytes) -> bool:
    """Whether a file is a plan, a decision or a report of ours."""
    # The plain word first: a search for it is many times as fast.
    return b"zephyrun." in data and _OWN_DOCUMENT.search(data) is not None


@glance
def words_in(data: bytes) -> frozenset[bytes]:
    """Every word of a file. Kept, since it is asked again whenever another file changes; most words stand
    in many files, and are kept once."""
    # Twice as fast as to search for them.
    found = set(data.translate(_ONLY_WORDS).split())
    behind_digits = {word for word in found if word[:1].isdigit()}
    found = (found - behind_digits) | {word.lstrip(_DIGITS) for word in behind_digits} - {b""}
    return frozenset(map(_KNOWN_WORDS.setdefault, found, found))


def word_in_text(name: str) -> re.Pattern[str]:
    """Finds a name as a whole word."""
    # Letters first, and only then what is before them: that is many times as fast.
    escaped = re.escape(name)
    return re.compile(rf"{escaped}(?<!\w{escaped})(?!\w)")


@glance
def defines_operators(data: bytes) -> bool:
    """Whether a file seems to say what an operator with two sides does."""
    return b"__" in data and _DEFINES_OPERATOR.search(data) is not None


@glance
def derives_classes(data: bytes) -> bool:
    """Whether a file seems to define a class with bases."""
    return _CLASS_HEAD.search(data) is not None


def _words_before(data: bytes, position: int) -> Iterator[bytes]:
    """The word that ends before a position, if one does."""
    match = _LAST_WORD.search(data, max(position - _LONGEST_WORD, 0), position)
    if match is not None:
        yield match[1]


@glance
def written_in(data: bytes) -> frozenset[bytes]:
    """The names of attributes to which a file may give a value, at a glance."""
    return frozenset(_WRITTEN.findall(data))


@glance
def words_ending_texts_in(data: bytes) -> frozenset[bytes]:
    """The words with which a text may end: those that stand right before a quote, at a glance."""
    return frozenset(_BEFORE_QUOTE.findall(data))


@glance
def begun_in(data: bytes) -> frozenset[bytes]:
    """What the names of attributes may begin with that the texts of a file leave open, where texts are run or filled in,
    at a glance."""
    if _RUNS_OR_FILLS.search(data) is None:
        return frozenset()
    return frozenset(_BEGUN.findall(data))


@glance
def registering_in(data: bytes) -> frozenset[bytes]:
    """The words that stand before `.register` in a file."""
    return frozenset(
        word for match in _REGISTERING.finditer(data) for word in _words_before(data, match.start())
    )


@glance
def makes_classes(data: bytes) -> bool:
    """Whether a file seems to make classes by a call, which takes their names from a dictionary, at a glance."""
    return any(word in data and pattern.search(data) is not None for word, pattern in _MAKES_CLASSES)


@glance
def names_members(data: bytes) -> bool:
    """Whether a file seems to give classes or instances names that it works out, at a glance."""
    is_set = any(word in data for word in _SETS_IN_BODY_WORDS) and _SETS_IN_BODY.search(data) is not None
    return is_set or _SETS_IN_TABLE.search(data) is not None or makes_classes(data)


@glance
def finds_by_text(data: bytes) -> bool:
    """Whether a file seems to find things by dotted names, or to set them, at a glance."""
    return _FINDS_BY_TEXT.search(data) is not None


def is_part_of_name(words: str, name: str) -> bool:
    """Whether a name may be made of a text, or of what is behind a dot in it, by adding something to one end of it, or by
    filling something in. A letter is part of too many."""
    part = _BEGINNING.match(words)
    if part is None or part[1] == name or (len(part[1]) == 1 and part[1].isalnum()):
        return False
    return name.startswith(part[1]) or name.endswith(part[1])


@glance
def runs_text(data: bytes) -> bool:
    """Whether a file seems to run code that a text holds, at a glance."""
    return any(word in data and pattern.search(data) is not None for word, pattern in _RUNS_TEXTS)


@glance
def runs_code_elsewhere(data: bytes) -> bool:
    """Whether a file seems to run the code of functions with names from somewhere else, at a glance."""
    return any(word in data for word in _CODE_WORDS) and _RUNS_CODE_ELSEWHERE.search(data) is not None


@glance
def shows_instructions(data: bytes) -> bool:
    """Whether a file seems to look at the instructions of functions, at a glance."""
    if not any(mark in data for mark in _INSTRUCTION_MARKS):
        return False
    is_loaded = _SHOWS_ALL in data and any(word in data for word in LOADING_WORDS)
    return is_loaded or _SHOWS_INSTRUCTIONS.search(data) is not None


def read_frame_names(data: bytes) -> FrameReading:
    """Of which running functions a file seems to read the names, at a glance."""
    return FrameReading(_frame_reading(data))


@glance
def _frame_reading(data: bytes) -> str:
    if not any(word in data for word, _ in _FRAME_NAMES):
        return FrameReading.NOTHING.value
    seen = _without_names_held(data)
    if not _names_frames(seen):
        return FrameReading.TRACEBACK.value if b"extract_" in data else FrameReading.NOTHING.value
    rest = _HELD_AGAINST.sub(b"", _NEAR_FRAME.sub(b"", seen))
    if not _names_frames(rest):
        return FrameReading.TRACEBACK.value if _HELD_AGAINST.search(data) else FrameReading.NEAR.value
    if _LOOKS_AT_ALL.search(rest) is not None:
        return FrameReading.EVERYTHING.value
    looks_at_stack = _LOOKS_AT_STACK.search(rest) is not None
    return FrameReading.STACK.value if looks_at_stack else FrameReading.TRACEBACK.value


@glance
def quoted_names(data: bytes) -> frozenset[str]:
    """The names that stand in quotes in a file, at a glance."""
    return frozenset(each.decode("utf-8", "replace") for each in _QUOTED_NAME.findall(data))


def _without_names_held(data: bytes) -> bytes:
    """A file without the places at which a variable gets the name of a function, but for those of one that may be used otherwise
    than to be held against something."""
    names = set(_NAME_IN_VARIABLE.findall(data))
    are_held = {
        name: re.search(rb"\b%b\b(?!%b|[ \t]*=[^\n=]*\bextract_stack\b)" % (name, _IS_HELD_AGAINST), data) is None for name in names
    }
    return _NAME_IN_VARIABLE.sub(lambda found: b"" if are_held[found[1]] else found[0], data) if any(are_held.values()) else data


@glance
def holds_names_against_others(data: bytes) -> bool:
    """Whether a file seems to hold the names of running functions against what is no text that stands there."""
    held = [*_HOLDS_AGAINST.finditer(data)]
    held += (found for name in set(_NAME_IN_VARIABLE.findall(data)) for found in re.finditer(rb"\b%b\b(?=%b)" % (name, _IS_HELD_AGAINST), data))
    return any(_HELD_AGAINST_TEXT.match(data, found.end()) is None for found in held)


def _names_frames(data: bytes) -> bool:
    return any(word in data and pattern.search(data) is not None for word, pattern in _FRAME_NAMES)


@glance
def code_words_in(data: bytes) -> frozenset[bytes]:
    """The words of a file's texts that could be code, descriptions left out, at a glance; in a file that runs
    texts, of all others."""
    found: set[bytes] = set()
    runs_them = runs_text(data)
    for start, text in texts_in(data):
        if (runs_them or _LIKE_CODE.search(text)) and not describes(data, start):
            found.update(_WORD.findall(text))
    return frozenset(found)


@glance
def example_words_in(data: bytes) -> frozenset[bytes]:
    """The words of lines that seem to be examples in documentation, at a glance."""
    if b">>>" not in data:
        return frozenset()
    # In a text that is no documentation it may stand on any line.
    lines = (*_EXAMPLE_LINE.findall(data), *_PROMPTED.findall(data))
    return frozenset(word for line in lines for word in _WORD.findall(line))


@glance
def standing_in_examples(data: bytes) -> frozenset[bytes]:
    """The words of examples in documentation that may stand for a value which goes on: they are not called, not looked
    into, not bound and not imported. Seen at a glance."""
    lines = (line for line in example_lines_in(data).splitlines() if not _IMPORTS.match(line))
    return frozenset(word for line in lines for word in _STANDING.findall(line))


@glance
def called_in_examples(data: bytes) -> frozenset[bytes]:
    """The words that examples in documentation call, at a glance."""
    return frozenset(_CALLED.findall(example_lines_in(data)))


@glance
def called_with_rest_in_examples(data: bytes) -> frozenset[bytes]:
    """The words that examples in documentation call with `**`, at a glance: all that are called on such a line."""
    lines = (line for line in example_lines_in(data).splitlines() if b"**" in line)
    return frozenset(word for line in lines for word in _CALLED.findall(line))


def is_begun_in_examples(name: str, data: bytes) -> bool:
    """Whether a text in examples in documentation holds a word with which a private name begins, be it one underscore."""
    return any(name.encode().startswith(word) for word in _private_words_in_examples(data))


@glance
def _private_words_in_examples(data: bytes) -> frozenset[bytes]:
    return frozenset(word for quoted in _QUOTED_IN_EXAMPLE.findall(example_lines_in(data)) for word in _PRIVATE_WORD.findall(quoted[1]))


@glance
def examples_look_up(data: bytes) -> bool:
    """Whether examples in documentation look names up that they work out, or run texts, at a glance."""
    return _LOOKS_UP_IN_EXAMPLE.search(example_lines_in(data)) is not None


@glance
def words_printed_in(data: bytes) -> frozenset[bytes]:
    """The words of what examples in documentation print, at a glance."""
    if b">>>" not in data:
        return frozenset()
    outputs = (_EXAMPLE_OUTPUT.match(data, line.end()) for line in _EXAMPLE_LINE.finditer(data))
    return frozenset(word for output in outputs if output is not None for word in _WORD.findall(output[0]))


@glance
def written_in_examples(data: bytes) -> frozenset[bytes]:
    """The names of attributes to which examples in documentation may give a value, at a glance."""
    if b">>>" not in data:
        return frozenset()
    return frozenset(name for line in _EXAMPLE_LINE.findall(data) for name in _WRITTEN.findall(line))


def example_lines_in(data: bytes) -> bytes:
    """The lines of code that seem to be examples in documentation, at a glance, without their prompts."""
    return b"\n".join(_EXAMPLE_LINE.findall(data)) if b">>>" in data else b""


def texts_in(data: bytes) -> Iterator[tuple[int, bytes]]:
    """Each text of a file with its quotes and without a prefix, and where it begins, at a glance."""
    return ((start, text) for start, text in marks_in(data) if not text.startswith(b"#"))


def marks_in(data: bytes) -> Iterator[tuple[int, bytes]]:
    """Each text of a file, as `texts_in`, and each comment, and where it begins, at a glance."""
    return ((match.start(), match[0]) for match in _MARK.finditer(data))


def without_comments(data: bytes) -> bytes:
    """A file without its comments, at a glance: those behind a quote on their line are left, since they may be part of a
    text."""
    parts: list[bytes] = []
    end = 0
    for start, mark in marks_in(data):
        if mark.startswith(b"#") and not _QUOTE.search(data, data.rfind(b"\n", 0, start) + 1, start):
            parts.append(data[end:start])
            end = start + len(mark)
    return b"".join([*parts, data[end:]])


def without_texts(data: bytes) -> bytes:
    """A file without its comments, and with nothing in texts but single words and dotted names; what is filled into
    templates is left."""
    parts: list[bytes] = []
    end = 0
    for start, mark in marks_in(data):
        parts.append(data[end:start])
        end = start + len(mark)
        if mark.startswith(b"#"):
            continue
        is_template = _TEMPLATE_PREFIX.search(data, max(start - 2, 0), start) is not None
        parts.append(mark if is_template or _DOTTED_TEXT.fullmatch(mark) else b'""')
    return b"".join([*parts, data[end:]])


def describes(data: bytes, start: int) -> bool:
    """Whether a text is the description of a module, class or function: it begins a line of its own, at
    the top of the file or behind the colon of a head, which follows no quote as that of a key does."""
    line_start = data.rfind(b"\n", 0, start) + 1
    if data[line_start:start].strip(b" \t\frRuU\xef\xbb\xbf"):
        return False
    above = data[:line_start].rstrip()
    return above.endswith(b":") and above[-2:-1] not in (b'"', b"'") or not above


@lru_cache(maxsize=_MOST_FILES_KEPT)
def first_lines(data: bytes) -> dict[bytes, int]:
    """The 1-based line in which each word of a file first stands."""
    found: dict[bytes, int] = {}
    for number, line in enumerate(data.split(b"\n"), 1):
        for word in _WORD.findall(line):
            found.setdefault(word, number)
    return found
