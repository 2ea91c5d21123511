"""Spoil the layout of real packages with known damage, and let Zephyrun mend it.

    python benchmarks/layout_restore.py [NAME ...] [--files N] [--seed N]

Of each package some files are spoiled, one sort of damage at a time; the rest stays as it is, and its
habits are what Zephyrun goes by. Told are, by sort of damage, how much of it was found, and how many of
the spoiled lines are byte for byte what they were (for folded lines: how many keep to the habit, with an
equal tree; where an author would have folded is lost). The damage knows nothing of our layout code: it
is made from the standard tokenizer and the interpreter's own tree.
"""

from __future__ import annotations

import argparse
import ast
import io
import json
import keyword
import random
import re
import shutil
import subprocess
import sys
import tempfile
import tokenize
import zipfile
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

from accepting import zephyrun

PACKAGES = (
    "attrs==23.2.0", "h11==0.14.0", "click==8.1.7", "jinja2==3.1.4", "marshmallow==3.21.3",
    "urllib3==2.2.1", "more-itertools==10.2.0", "tomlkit==0.12.5", "werkzeug==3.0.3", "networkx==3.3",
)
# Damage that is done to a file at most so often.
_MOST_A_FILE = 12
_LONG_TEXT = 50
_SHORTEST_MODULE, _LONGEST_MODULE = 60, 1500
# One file of so many: the others must show the habits.
_SPOILED_PART = 3
# A gap is seen at the definition, above which comments and decorators may stand.
_NEAR = 4
_STEPS = ("   ", "  ", "\t", "     ")


class Spoiled(NamedTuple):
    """A file after damage: its text, and for each place that was damaged the 1-based line on which a
    reader would see it now. `originals` are the lines of the file as it was."""

    text: str
    lines: tuple[int, ...]


class Token(NamedTuple):
    """A token, with the offsets at which it begins and ends."""

    kind: int
    text: str
    start: int
    end: int


def tokens_of(text: str) -> list[Token]:
    """The tokens of a text, by the standard tokenizer."""
    starts = [0]
    for line in text.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    return [
        Token(
            each.type,
            each.string,
            starts[each.start[0] - 1] + each.start[1],
            starts[each.end[0] - 1] + each.end[1],
        )
        for each in tokenize.generate_tokens(io.StringIO(text).readline)
        if each.type != tokenize.ENDMARKER
    ]


def line_at(text: str, offset: int) -> int:
    """The 1-based line in which an offset stands."""
    return text.count("\n", 0, offset) + 1


def replaced(text: str, changes: list[tuple[int, int, str]]) -> Spoiled:
    """The text with some ranges replaced, and the lines on which the replacements stand."""
    pieces: list[str] = []
    lines: list[int] = []
    position = n_lines = 0
    for start, end, instead in sorted(changes):
        pieces += (text[position:start], instead)
        n_lines += text.count("\n", position, start)
        lines.append(n_lines + 1)
        n_lines += instead.count("\n")
        position = end
    return Spoiled("".join([*pieces, text[position:]]), tuple(lines))


# -- sorts of damage ---------------------------------------------------------------------------


def reindented(text: str, dice: random.Random) -> Spoiled | None:
    """Every block moved in by another step; what goes on below a line moves along with it."""
    step = dice.choice(_STEPS)
    lines = text.splitlines(keepends=True)
    depths = _depths(text)
    if depths is None or not any(depth for depth, _ in depths.values()):
        return None
    moved = 0
    pieces: list[str] = []
    for number, line in enumerate(lines, 1):
        if number in depths:
            depth, columns = depths[number]
            moved = len(step) * depth - columns
            pieces.append(step * depth + line[columns:])
        elif number in _INSIDE_TEXTS[text] or not line.strip():
            pieces.append(line)
        else:
            indent = len(line) - len(line.lstrip(" "))
            if "\t" in step:
                # Behind tabs, what goes on keeps its distance in spaces.
                columns = _columns_above(depths, number)
                depth = _depth_above(depths, number)
                pieces.append(step * depth + " " * max(indent - columns, 0) + line.lstrip(" "))
            else:
                pieces.append(" " * max(indent + moved, 0) + line.lstrip(" "))
    spoiled = "".join(pieces)
    return Spoiled(spoiled, tuple(number for number, (depth, _) in depths.items() if depth)[:1])


_INSIDE_TEXTS: defaultdict[str, set[int]] = defaultdict(set)


def _depths(text: str) -> dict[int, tuple[int, int]] | None:
    """For each line that begins a statement or holds only a comment: its depth in blocks and its
    columns of indentation. `None` where a comment is not moved in as any block is."""
    found: dict[int, tuple[int, int]] = {}
    widths = [0]
    pending: list[tuple[int, int]] = []
    begins = True
    inside = _INSIDE_TEXTS[text]
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        if token.type == tokenize.STRING:
            inside.update(range(token.start[0] + 1, token.end[0] + 1))
        if token.type == tokenize.INDENT:
            widths.append(len(token.string))
        elif token.type == tokenize.DEDENT:
            widths.pop()
        elif token.type == tokenize.COMMENT and not token.line[: token.start[1]].strip():
            if begins:
                pending.append(token.start)
        elif token.type == tokenize.NEWLINE:
            begins = True
        elif token.type not in (tokenize.NL, tokenize.ENDMARKER, tokenize.COMMENT) and begins:
            for line, column in pending:
                if column not in widths and column != token.start[1]:
                    return None
                depth = widths.index(column) if column in widths else len(widths) - 1
                found[line] = depth, column
            pending.clear()
            found[token.start[0]] = len(widths) - 1, token.start[1]
            begins = False
    return None if pending and any(column for _, column in pending) else found


def _columns_above(depths: dict[int, tuple[int, int]], number: int) -> int:
    while number not in depths:
        number -= 1
    return depths[number][1]


def _depth_above(depths: dict[int, tuple[int, int]], number: int) -> int:
    while number not in depths:
        number -= 1
    return depths[number][0]


def crammed(text: str, dice: random.Random) -> Spoiled | None:
    """Simple statements put behind one another, and short bodies beside their heads."""
    changes: list[tuple[int, int, str]] = []
    tree = ast.parse(text)
    starts = [0]
    for line in text.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    lines = text.splitlines()

    def is_plain(node: ast.stmt) -> bool:
        return (
            isinstance(node, (ast.Assign, ast.AugAssign, ast.Expr, ast.Return, ast.Raise, ast.Delete))
            and node.lineno == node.end_lineno
            and "#" not in lines[node.lineno - 1]
            and lines[node.lineno - 1].isascii()
            and ";" not in lines[node.lineno - 1]
            and lines[node.lineno - 1][: node.col_offset].strip() == ""
        )

    used: set[int] = set()
    for parent in ast.walk(tree):
        for field in ("body", "orelse"):
            block = getattr(parent, field, None)
            if not isinstance(block, list):
                continue
            for first, second in zip(block, block[1:]):
                if is_plain(first) and is_plain(second) and second.lineno == first.lineno + 1:
                    if not {first.lineno, second.lineno} & used and not _is_text(first):
                        used |= {first.lineno, second.lineno}
                        end = starts[first.lineno - 1] + len(lines[first.lineno - 1])
                        changes.append((end, starts[second.lineno - 1] + second.col_offset, "; "))
        if isinstance(parent, (ast.If, ast.For, ast.While)) and len(parent.body) == 1:
            (body,) = parent.body
            head = lines[body.lineno - 2] if is_plain(body) else ""
            if (
                head.rstrip().endswith(":")
                and parent.lineno == body.lineno - 1
                and not used & {parent.lineno, body.lineno}
            ):
                used |= {parent.lineno, body.lineno}
                end = starts[body.lineno - 2] + len(head)
                changes.append((end, starts[body.lineno - 1] + body.col_offset, " "))
    return _some(text, changes, dice)


def _is_text(node: ast.stmt) -> bool:
    return isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)


def _spaced(text: str, dice: random.Random, change: Callable[[Token, Token], str | None]) -> Spoiled | None:
    """Change the space between two tokens of one line, wherever `change` says how."""
    tokens = tokens_of(text)
    changes = []
    touched: set[int] = set()
    for before, after in zip(tokens, tokens[1:]):
        gap = text[before.end : after.start]
        line = line_at(text, before.start)
        if "\n" in text[before.start : after.end] or line in touched or "\\" in gap:
            continue
        if before.kind in (tokenize.INDENT, tokenize.DEDENT, tokenize.NL, tokenize.NEWLINE):
            continue
        instead = change(before, after)
        if instead is not None and instead != gap and len(gap) <= 1 and _is_usual(text, line, before, gap):
            touched.add(line)
            changes.append((before.end, after.start, instead))
    return _some(text, changes, dice)


def _is_usual(text: str, line: int, before: Token, gap: str) -> bool:
    """Whether a line has single spaces only, so that nothing lines up by hand."""
    lines = text.splitlines()
    around = lines[max(line - 2, 0) : line + 1]
    return not any(re.search(r"\S {2,}[^\s#]", each) for each in around)


def squeezed(text: str, dice: random.Random) -> Spoiled | None:
    """No space where there was one: around = and comparisons, behind commas."""
    def change(before: Token, after: Token) -> str | None:
        if after.kind == tokenize.COMMENT:
            return None
        if before.text in ("==", "!=", "<=", ">=", "+=", "-=", ",", "->"):
            return ""
        return "" if before.text == "=" and text[before.start - 1] == " " else None

    return _spaced(text, dice, change)


def stretched(text: str, dice: random.Random) -> Spoiled | None:
    """A space too many: inside brackets, before brackets of calls, before commas, around keywords."""
    def change(before: Token, after: Token) -> str | None:
        if before.text in "([{" and after.text not in ")]}" and after.kind != tokenize.COMMENT:
            return " "
        if after.text == "," and before.text not in "([{,":
            return " "
        is_name = (
            before.kind == tokenize.NAME
            and not keyword.iskeyword(before.text)
            and not keyword.issoftkeyword(before.text)
        )
        if after.text == "(" and is_name:
            return " "
        if text[before.end : after.start] == " " and after.kind != tokenize.COMMENT:
            return "  "
        return None

    return _spaced(text, dice, change)


def gaps_changed(text: str, dice: random.Random) -> Spoiled | None:
    """More or fewer blank lines before definitions."""
    changes = []
    for match in re.finditer(r"(?m)(?<=\S)\n(\n+)(?= *(?:@|def |class |async def ))", text):
        before = text.rfind("\n", 0, match.start()) + 1
        line = text[before : match.start()]
        indent = len(text[match.end() :]) - len(text[match.end() :].lstrip(" "))
        # Below the head of a class, its text or a comment, authors do as they like.
        if (
            line.lstrip().startswith(("class ", "#", '"', "'", "@", "else", "try", "if "))
            or line.endswith(('"""', "'''"))
        ):
            continue
        if len(match[1]) != (1 if indent else 2):
            continue
        changes.append(
            (
                match.start(1),
                match.end(1),
                "\n" * (len(match[1]) - 1 if dice.random() < 0.5 else len(match[1]) + 1),
            )
        )
    tree_lines = _lines_in_texts(text)
    changes = [each for each in changes if line_at(text, each[0]) not in tree_lines]
    return _some(text, changes, dice)


def _lines_in_texts(text: str) -> set[int]:
    found: set[int] = set()
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        if token.type == tokenize.STRING:
            found.update(range(token.start[0] + 1, token.end[0] + 1))
    return found


def unwrapped(text: str, dice: random.Random) -> Spoiled | None:
    """Statements that ran over several lines put on one, which is then too long."""
    changes = []
    tree = ast.parse(text)
    lines = text.splitlines(keepends=True)
    starts = [0]
    for line in lines:
        starts.append(starts[-1] + len(line))
    for node in ast.walk(tree):
        if not isinstance(node, (ast.Assign, ast.Expr, ast.Return, ast.Raise, ast.AugAssign)):
            continue
        assert node.end_lineno is not None and node.end_col_offset is not None, "parsed from text"
        body = "".join(lines[node.lineno - 1 : node.end_lineno])
        if (
            node.end_lineno == node.lineno
            or "#" in body
            or "\\" in body
            or not body.isascii()
            or '"""' in body
            or "'''" in body
        ):
            continue
        start = starts[node.lineno - 1] + node.col_offset
        end = starts[node.end_lineno - 1] + node.end_col_offset
        joined = re.sub(r"\s*\n\s*", " ", text[start:end])
        joined = re.sub(r",? ([)\]}])", r"\1", re.sub(r"([(\[{]) ", r"\1", joined))
        if text[end : end + 1] not in ("\n", "") or _has_long_text(joined):
            continue
        try:
            same = ast.dump(ast.parse(joined)) == ast.dump(ast.parse(text[start:end]))
        except SyntaxError:
            continue
        if same:
            changes.append((start, end, joined))
    return _some(text, changes, dice)


def _has_long_text(code: str) -> bool:
    """Texts that are themselves nearly a line cannot be folded by anybody."""
    return any(len(each) > _LONG_TEXT for each in re.findall(r"\"[^\"]*\"|'[^']*'", code))


def _some(text: str, changes: list[tuple[int, int, str]], dice: random.Random) -> Spoiled | None:
    if not changes:
        return None
    return replaced(text, sorted(dice.sample(changes, min(len(changes), _MOST_A_FILE))))


# Each sort of damage, the kind that should find it, and the shares that are wanted.
DAMAGE: dict[str, tuple[Callable[[str, random.Random], Spoiled | None], str, float]] = {
    "indentation": (reindented, "ragged-indent", 0.98),
    "crammed lines": (crammed, "crammed-line", 0.98),
    "squeezed spacing": (squeezed, "uneven-spacing", 0.97),
    "stretched spacing": (stretched, "uneven-spacing", 0.97),
    "blank lines": (gaps_changed, "uneven-spacing", 0.95),
    "unwrapped lines": (unwrapped, "overlong-line", 0.98),
}
_FOUND_GOAL = 0.99


# -- mending -----------------------------------------------------------------------------------


def unpack(release: str, folder: Path) -> Path:
    """The package's modules, from its wheel."""
    archives = folder / "archives"
    words = [
        "-m",
        "pip",
        "download",
        "--quiet",
        "--disable-pip-version-check",
        "--no-deps",
        "--only-binary",
        ":all:",
    ]
    subprocess.run(
        [sys.executable, *words, "--dest", archives, release], check=True, stderr=subprocess.DEVNULL
    )
    name = release.partition("==")[0].replace("-", "_").lower()
    (wheel,) = (each for each in archives.glob("*.whl") if each.name.lower().startswith(f"{name}-"))
    target = folder / "packages" / name
    with zipfile.ZipFile(wheel) as opened:
        opened.extractall(target)
    (target / "zephyrun.toml").touch()
    return target


def files_to_spoil(root: Path, dice: random.Random, most: int) -> Iterator[Path]:
    """Some of the package's larger modules, fewer than half of all."""
    candidates = [
        path
        for path in sorted(root.rglob("*.py"))
        if _SHORTEST_MODULE <= path.read_text("utf-8").count("\n") <= _LONGEST_MODULE
        and not {"tests", "test", "testing", "_vendor"} & set(path.parts)
        and "\t" not in path.read_text("utf-8") and "\f" not in path.read_text("utf-8")
    ]
    yield from sorted(dice.sample(candidates, min(most, max(1, len(candidates) // _SPOILED_PART))))


def habits_of_the_rest(root: Path, paths: list[Path]) -> dict[str, str | None]:
    """The habits of all files but some, which the settings of the package ask for from now on."""
    settings = root / "zephyrun.toml"
    left_out = [path.relative_to(root).as_posix() for path in paths]
    settings.write_text(f"leave_out = {json.dumps(left_out)}\n")
    report = json.loads(zephyrun("habits", root, "--format", "json"))
    sides = {each["place"]: each["side"] for each in report["habits"]}
    wanted = (f"{place} = {json.dumps(side or 'any')}\n" for place, side in sides.items())
    settings.write_text("[habits]\n" + "".join(wanted))
    return sides


def restore(
    root: Path,
    sort: str,
    paths: list[Path],
    habits: dict[str, str | None],
    dice: random.Random,
    counts: Counter[tuple[str, str]],
) -> None:
    """Spoil some files in one way, mend them, and count what became of it."""
    spoil, kind, _ = DAMAGE[sort]
    originals = {path: path.read_text("utf-8") for path in paths}
    spoiled: dict[Path, Spoiled] = {}
    for path, text in originals.items():
        damaged = spoil(text, dice)
        if damaged is not None and ast.dump(ast.parse(damaged.text)) == ast.dump(ast.parse(text)):
            spoiled[path] = damaged
            path.write_text(damaged.text, "utf-8")
    if not spoiled:
        return
    limit = int(habits["line-width"] or 0)
    names = [str(path) for path in spoiled]
    found = json.loads(zephyrun("survey", *names, "--only", "layout", "--format", "json"))["findings"]
    by_file = defaultdict(list)
    for finding in found:
        by_file[finding["path"]].append(finding)
    zephyrun("settle", *names, ok=(0, 1))
    for path, damaged in spoiled.items():
        own = [each for each in by_file[path.relative_to(root).as_posix()] if each["kind"] == kind]
        mended = path.read_text("utf-8")
        count_file(sort, originals[path], damaged, mended, own, limit, counts)
        path.write_text(originals[path], "utf-8")
    shutil.rmtree(root / ".zephyrun", ignore_errors=True)


def count_file(
    sort: str,
    original: str,
    damaged: Spoiled,
    mended: str,
    own: list[dict],
    limit: int,
    counts: Counter[tuple[str, str]],
) -> None:
    """Add one file's figures."""
    lines_found = {line for each in own for line in range(each["line"], each["end_line"] + 1)}
    whole_file = any(
        each["kind"] == "ragged-indent" or " lines of the file " in each["message"] for each in own
    )
    assert ast.dump(ast.parse(mended)) == ast.dump(ast.parse(original)), "the tree is never changed"
    if sort == "unwrapped lines":
        spoiled_lines = damaged.text.splitlines()
        targets = [line for line in damaged.lines if limit and len(spoiled_lines[line - 1]) > limit]
        counts[sort, "damage"] += len(targets)
        counts[sort, "found"] += sum(line in lines_found for line in targets)
        left = set(mended.splitlines())
        counts[sort, "restored"] += sum(spoiled_lines[line - 1] not in left for line in targets)
        return
    counts[sort, "damage"] += len(damaged.lines)
    near = _NEAR if sort == "blank lines" else 0
    for line in damaged.lines:
        is_found = bool(lines_found & set(range(line - near, line + near + 1)))
        counts[sort, "found"] += is_found or whole_file
    before, after = original.splitlines(), mended.splitlines()
    if before == after:
        counts[sort, "restored"] += len(damaged.lines)
    else:
        wrong = _differing(before, after, damaged)
        counts[sort, "restored"] += max(len(damaged.lines) - wrong, 0)


def _differing(before: list[str], after: list[str], damaged: Spoiled) -> int:
    """How many runs of lines of a mended file are not what they were."""
    from difflib import SequenceMatcher

    return sum(
        max(i2 - i1, j2 - j1, 1)
        for tag, i1, i2, j1, j2 in SequenceMatcher(None, before, after, autojunk=False).get_opcodes()
        if tag != "equal"
    )


def main() -> int:
    """Print the figures; 1 where a goal is missed."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument("names", nargs="*", help="some of the packages; default: all")
    parser.add_argument("--files", type=int, default=12, help="spoil so many files of a package at most")
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    dice = random.Random(arguments.seed)
    counts: Counter[tuple[str, str]] = Counter()
    with tempfile.TemporaryDirectory(prefix="layout-restore-") as scratch:
        for release in PACKAGES:
            if arguments.names and release.partition("==")[0] not in arguments.names:
                continue
            root = unpack(release, Path(scratch))
            # First, so that what the authors left uneven is not counted as damage.
            zephyrun("settle", root, ok=(0, 1))
            shutil.rmtree(root / ".zephyrun", ignore_errors=True)
            paths = list(files_to_spoil(root, dice, arguments.files))
            habits = habits_of_the_rest(root, paths)
            for sort in DAMAGE:
                restore(root, sort, paths, habits, dice, counts)
    missed = 0
    print(f"{'damage':20} {'places':>7} {'found':>8} {'restored':>9}   goals")
    for sort, (_, _, goal) in DAMAGE.items():
        n_damage = counts[sort, "damage"]
        shares = [counts[sort, what] / max(n_damage, 1) for what in ("found", "restored")]
        missed += shares[0] < _FOUND_GOAL or shares[1] < goal
        print(f"{sort:20} {n_damage:7,} {shares[0]:8.1%} {shares[1]:9.1%}   {_FOUND_GOAL:.0%} and {goal:.0%}")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
