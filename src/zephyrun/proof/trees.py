"""Two trees of files: pair them by path and judge each pair. Pure: the files are handed in."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from zephyrun.languages.python import UnreadableSource, read_facts
from zephyrun.linking.modules import find_import_roots, is_python, module_name
from zephyrun.proof.comparison import compare_files
from zephyrun.proof.quoted_lines import find_quoted_lines, quoted_in
from zephyrun.proof.remains import Importers, Surroundings, absolute_imports, reads_source, touches
from zephyrun.proof.verdict import Difference, FileProof, Verdict, worst

# A file's bytes, or one phrase that says why they are not read (`a symbolic link to ../shared`).
Content = bytes | str

# Only files that hold one of these words are looked at closely.
_SOURCE_MARKS = (b"getsource", b"getcomments", b"findsource", b"getblock", b"get_source")
_FUNCTION_MARKS = (b"co_varnames", b"co_cellvars", b"co_freevars", b"getclosurevars")
_FRAME_MARKS = (b"f_locals", b"getargvalues", b"getinnerframes", b"getouterframes", *_FUNCTION_MARKS)

# What goes through the names of a module that it is given; those of an instance do not count. Each
# pattern begins with a fixed word, which is what makes a search of every file cheap.
_WALKING_CALL = rb"%b(?<!\w%b)\s*\(\s*(?!self\b|cls\b)[^\s)]"
_WALKS_NAMES = (
    *(re.compile(_WALKING_CALL % (name, name)) for name in (b"vars", b"dir", b"getmembers")),
    re.compile(rb"__dict__(?<!self\.__dict__)(?<!cls\.__dict__)"),
    *map(re.compile, (rb"__globals__", rb"co_consts", rb"co_names")),
)
_SPACE = rb"(?:[ \t]|\\\r?\n)"
_IMPORT = re.compile(rb"import\b%b*(\([^)]*\)|(?:\\\r?\n|[^#;\r\n])+)" % _SPACE)
_BEFORE_IMPORT = re.compile(rb"(?:^|[;:])%b*(?:from%b*([.\w]+)%b+)?\Z" % ((_SPACE,) * 3))
_COMMENT = re.compile(rb"#[^\r\n]*|\\")
_STAR_IMPORT = re.compile(rb"\bimport\s*\(?\s*\*")


@dataclass(frozen=True, slots=True)
class TreeProof:
    """The verdict on two trees: one proof a file that either tree has, by path, in order."""

    verdict: Verdict
    files: tuple[tuple[str, FileProof], ...]

    @property
    def assumptions(self) -> tuple[str, ...]:
        """What the verdict rests on, each once."""
        return tuple(sorted({what for _, proof in self.files for what in proof.assumptions}))


class Pair(NamedTuple):
    """Two versions of one path; a side that lacks it has `None`."""

    path: str
    old: Content | None
    new: Content | None
    surroundings: Surroundings
    strict: bool


def compare_trees(
    old: Mapping[str, Content],
    new: Mapping[str, Content],
    *,
    strict: bool = False,
    code_only: bool = False,
    run_all: Callable[[Sequence[Pair]], Iterable[FileProof | None]] | None = None,
) -> TreeProof:
    """Judge two trees, given as contents by path below their roots (with `/`).

    `run_all` may judge the pairs elsewhere: it is to give back `judge_pair` of each, in order.
    """
    surroundings = find_surroundings(old)
    pairs = [
        Pair(name, old.get(name), new.get(name), surroundings.get(name, Surroundings()), strict)
        for name in sorted(old.keys() | new.keys())
        if is_python(name) or not code_only
    ]
    judged = run_all(pairs) if run_all is not None else map(judge_pair, pairs)
    proofs = tuple(
        (pair.path, _with_clashes(pair.path, proof, old, new))
        for pair, proof in zip(pairs, judged, strict=True)
        if proof is not None
    )
    return TreeProof(worst(proof.verdict for _, proof in proofs), proofs)


def _with_clashes(
    path: str, proof: FileProof, old: Mapping[str, Content], new: Mapping[str, Content]
) -> FileProof:
    """The proof of one file, with what other files say of the names that it introduces."""
    reasons = {
        **find_clashes(path, proof.introduced, old),
        **find_clashes(path, proof.introduced, new),
    }
    if not reasons:
        return proof
    differences = (*proof.differences, *(Difference(0, 0, each) for each in reasons.values()))
    return replace(proof, verdict=worst(each.verdict for each in differences), differences=differences)


def find_clashes(
    path: str, names: Collection[str], files: Mapping[str, Content]
) -> dict[str, str]:
    """For each of the names that a module is to bear from now on: why another file might notice.

    A file notices that imports the module and takes the name from it, asks for it or sets it, or
    that imports everything from it and has such a name itself.
    """
    if not names:
        return {}
    others = {
        name: data
        for name, data in files.items()
        if name != path and is_python(name) and isinstance(data, bytes)
    }
    import_roots = find_import_roots([*others, path])
    module = module_name(path, import_roots)
    word = re.compile(rb"\b(?:%s)\b" % b"|".join(re.escape(each.encode()) for each in names))
    found: dict[str, str] = {}
    for other, data in others.items():
        spoken_of = {each.decode() for each in word.findall(data)}
        for name in sorted(spoken_of):
            if _may_notice(name, module, data, module_name(other, import_roots)):
                found.setdefault(name, f"`{name}` stands in {other} too, which may look for it in {path}")
    return found


def _may_notice(name: str, module: str, data: bytes, own_module: str) -> bool:
    """Whether a file in which a name stands could mean that of the module."""
    try:
        facts = read_facts(data)
    except UnreadableSource:
        return True
    imported = absolute_imports(facts.imports, own_module)
    if not any(touches(each, module) for each in imported):
        return False
    return (
        f"{module}.{name}" in imported
        or name in facts.attributes
        or any(name in text.words for text in facts.texts if text.use != "documentation")
        or _STAR_IMPORT.search(data) is not None
    )


def judge_pair(pair: Pair) -> FileProof | None:
    """The proof for one path; `None` for a file that is not code and did not change."""
    name, old, new, surroundings, strict = pair
    if old is None or new is None:
        return _unproven(f"the file is only in the {'new' if old is None else 'old'} version")
    if isinstance(old, str) or isinstance(new, str):
        return None if old == new else _unproven(str(new if isinstance(new, str) else old))
    if is_python(name):
        return compare_files(old, new, surroundings, strict=strict)
    return None if old == new else _unproven("not Python, and it differs")


def _unproven(what: str) -> FileProof:
    return FileProof(Verdict.UNPROVEN, differences=(Difference(0, 0, what),))


def find_surroundings(
    files: Mapping[str, Content], given_roots: Collection[str] = ()
) -> dict[str, Surroundings]:
    """What each Python file of a tree must know about the others; `given_roots` are import roots
    beside those that show in the layout."""
    contents = {
        name: data for name, data in files.items() if is_python(name) and isinstance(data, bytes)
    }
    import_roots = find_import_roots(contents, given_roots)
    modules = {name: module_name(name, import_roots) for name in contents}
    frame_readers = {modules[name] for name, data in contents.items() if _has_any(data, _FRAME_MARKS)}
    reads_of = {
        modules[name]: _imports(data, modules[name])
        for name, data in contents.items()
        if _has_any(data, _FUNCTION_MARKS)
    }
    walks_of = {
        modules[name]: _imports(data, modules[name])
        for name, data in contents.items()
        if any(pattern.search(data) for pattern in _WALKS_NAMES)
    }
    names_read, names_walked = Importers(reads_of), Importers(walks_of)
    any_reads_source = any(
        _reads_source(data) for data in contents.values() if _has_any(data, _SOURCE_MARKS)
    )
    quoted = find_quoted_lines(
        {name: data for name, data in files.items() if isinstance(data, bytes)}
    )
    return {
        name: Surroundings(
            module,
            frozenset(frame_readers - {module}),
            names_read.of(module) - {module},
            names_walked.of(module) - {module},
            any_reads_source,
            quoted_in(contents[name], quoted),
        )
        for name, module in modules.items()
    }


def _has_any(data: bytes, marks: Iterable[bytes]) -> bool:
    return any(mark in data for mark in marks)


def _imports(data: bytes, module: str) -> set[str]:
    """The absolute names of the modules that a file imports, at a glance: whatever looks like an
    import counts, also in a file that cannot be read. To read it all would double a survey's cost."""
    names: list[str] = []
    for match in _IMPORT.finditer(data):
        before = _BEFORE_IMPORT.search(data[_line_start(data, match.start()) : match.start()])
        if before is None:
            continue
        source = (before[1] or b"").decode("utf-8", "replace")
        listed = _COMMENT.sub(b"", match[1]).strip(b"()").decode("utf-8", "replace")
        imported = [part.split()[0] for part in listed.split(",") if part.split()]
        joint = "" if source.endswith(".") or not source else "."
        names += [source, *(f"{source}{joint}{name}" for name in imported)]
    return absolute_imports(filter(None, names), module)


def _line_start(data: bytes, position: int) -> int:
    """Where the line begins, or the one that goes on in it behind a backslash."""
    start = data.rfind(b"\n", 0, position) + 1
    while data[:start].endswith((b"\\\n", b"\\\r\n")):
        start = data.rfind(b"\n", 0, start - 1) + 1
    return start


def _reads_source(data: bytes) -> bool:
    try:
        return reads_source(read_facts(data))
    except UnreadableSource:
        return True
