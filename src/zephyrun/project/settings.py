"""A project's settings: `[tool.zephyrun]` in `pyproject.toml`, or all of `zephyrun.toml`.

    import_roots = ["src"]            # folders in which dotted names are looked up
    leave_out = ["hive/tables/*.py"]  # files that are read and never edited; patterns as in ignore files
    target = ">=3.9"                  # Python versions for which a verdict must hold
    remember = true                   # what is struck out of a plan is not proposed again

    [habits]                          # how code stands on the page, where it is not to be measured
    line-width = 100
    quotes = "any"                    # leave a place as it is

    [words]                           # what the team says about the words of its names
    fine = ["kg", "hv"]               # short forms that everybody here knows
    terms = "docs/terms.txt"          # a list of terms that are fine, too
    meanings = { tare = "what the empty hive weighs" }
    instead = { wt = "weight" }       # words that are not to be used, and which are

Settings cannot make Zephyrun run anything.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zephyrun.errors import UserError
from zephyrun.project.roots import OWN_MARK

if TYPE_CHECKING:
    from pathspec import GitIgnoreSpec

_SHARED_FILE = "pyproject.toml"
_TABLE = ("tool", "zephyrun")


@dataclass(frozen=True)
class Words:
    """What a team says about words, in small letters; `terms` is the path of a list of more that are fine."""

    fine: tuple[str, ...] = ()
    terms: str = ""
    meanings: tuple[tuple[str, str], ...] = ()
    instead: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Settings:
    """What a project wants otherwise than by default. Paths and patterns count from the root."""

    import_roots: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()
    target: str = ""
    remember: bool = False
    audience: str = ""
    harmless_decorators: tuple[str, ...] = ()
    harmless_readers: tuple[str, ...] = ()
    habits: tuple[tuple[str, str], ...] = ()
    words: Words = Words()

    def leaves_out(self, path: str) -> bool:
        """Whether a file is never to be edited."""
        return bool(self.leave_out) and self._left_out.match_file(path)

    @cached_property
    def _left_out(self) -> GitIgnoreSpec:
        from pathspec import GitIgnoreSpec

        return GitIgnoreSpec.from_lines(self.leave_out)


def read_settings(root: Path) -> Settings:
    """The settings of the project at a root.

    Errors: `UserError` for a file that is no TOML, a key that is none (with its line and the nearest
    one that is), a value of another sort, and settings in both files.
    """
    own, shared = root / OWN_MARK, root / _SHARED_FILE
    found = [
        (path, table, text)
        for path, is_shared in ((own, False), (shared, True))
        if path.is_file()
        for document, text in [read_toml(path)]
        for table in [_table(document) if is_shared else document]
        if table
    ]
    if not found:
        return Settings()
    if len(found) > 1:
        raise UserError(f"{own} and {shared} both hold settings; keep them in one place")
    path, table, text = found[0]
    if not isinstance(table, dict):
        raise UserError(f"{path}: [tool.zephyrun] must be a table")
    return _settings(path, table, text)


def read_toml(path: Path) -> tuple[dict[str, Any], str]:
    """A TOML file's document and text. Errors: `UserError` for one that is none."""
    # Imported here, as below: many projects have no settings, and start-up should stay fast.
    import tomllib

    try:
        text = path.read_bytes().decode("utf-8-sig")
        return tomllib.loads(text), text
    except OSError as problem:
        raise UserError(f"{path} cannot be read: {problem.strerror}") from problem
    except (ValueError, RecursionError) as problem:
        raise UserError(f"{path} is not valid TOML: {problem}") from problem


def _table(document: Mapping[str, Any]) -> Any:
    inner: Any = document
    for key in _TABLE:
        inner = inner.get(key, {}) if isinstance(inner, dict) else {}
    return inner


def _settings(path: Path, table: Mapping[str, Any], text: str) -> Settings:
    known = [field.name for field in fields(Settings)]
    for key, value in table.items():
        if key in ("habits", "words"):
            continue
        where = f"{path}{_line_of(key, text)}"
        if key not in known:
            import difflib

            near = difflib.get_close_matches(key, known, n=1, cutoff=0.0)[0]
            raise UserError(f"{where}: there is no setting `{key}`; did you mean `{near}`?")
        if (wanted := _reason_against(key, value)) is not None:
            raise UserError(f"{where}: `{key}` must be {wanted}")
    values: dict[str, Any] = {
        key: tuple(value) if isinstance(value, list) else value for key, value in table.items()
    }
    values["habits"] = _habits(path, table.get("habits", {}), text)
    values["words"] = _words(path, table.get("words", {}), text)
    return Settings(**values)


def _habits(path: Path, table: Any, text: str) -> tuple[tuple[str, str], ...]:
    """The habits that settings ask for: places and sides."""
    if not isinstance(table, dict):
        raise UserError(f"{path}{_line_of('habits', text)}: `habits` must be a table")
    if not table:
        return ()
    # Imported here: few settings speak of habits, and start-up should stay fast.
    from zephyrun.layout.habits import PLACES, reason_against_side

    for place, side in table.items():
        where = f"{path}{_line_of(place, text)}"
        if place not in PLACES:
            import difflib

            near = difflib.get_close_matches(place, list(PLACES), n=1, cutoff=0.0)[0]
            raise UserError(f"{where}: there is no habit `{place}`; did you mean `{near}`?")
        is_one = isinstance(side, (str, int)) and not isinstance(side, bool)
        if (wanted := reason_against_side(place, str(side) if is_one else "")) is not None:
            raise UserError(f"{where}: the habit `{place}` must be {wanted}")
    return tuple((place, str(side)) for place, side in table.items())


def _words(path: Path, table: Any, text: str) -> Words:
    """What settings say about words."""
    if not isinstance(table, dict):
        raise UserError(f"{path}{_line_of('words', text)}: `words` must be a table")
    known = [field.name for field in fields(Words)]
    values: dict[str, Any] = {}
    for key, value in table.items():
        where = f"{path}{_line_of(key, text)}"
        if key not in known:
            import difflib

            near = difflib.get_close_matches(key, known, n=1, cutoff=0.0)[0]
            raise UserError(f"{where}: `words` has no `{key}`; did you mean `{near}`?")
        if key == "terms":
            if not isinstance(value, str):
                raise UserError(f"{where}: `terms` must be the path of a text file")
            values[key] = value
        elif key == "fine":
            if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
                raise UserError(f"{where}: `fine` must be a list of texts")
            values[key] = tuple(each.lower() for each in value)
        elif not isinstance(value, dict) or not all(isinstance(each, str) for each in value.values()):
            raise UserError(f"{where}: `{key}` must be a table of texts")
        else:
            values[key] = tuple((word.lower(), said) for word, said in value.items())
    return Words(**values)


def _reason_against(key: str, value: Any) -> str | None:
    """What a setting must be when its value is of another sort; `None` where it is fine."""
    default = getattr(Settings(), key)
    if isinstance(default, bool):
        return None if isinstance(value, bool) else "true or false"
    if key == "audience":
        return None if value in ("application", "library") else '"application" or "library"'
    if isinstance(default, str):
        return None if isinstance(value, str) else "a text"
    is_list_of_texts = isinstance(value, list) and all(isinstance(each, str) for each in value)
    return None if is_list_of_texts else "a list of texts"


def _line_of(key: str, text: str) -> str:
    """`, line 3`, or nothing where the key cannot be found as it is usually written."""
    name = re.escape(key)
    match = re.search(rf"(?m)^[ \t]*[\"']?{name}[\"']?[ \t]*=|^\[.*{name}", text)
    if match is None:
        return ""
    n_lines_above = text[: match.start()].count("\n")
    return f", line {n_lines_above + 1}"
