"""The names of a project, for whoever looks for another: what its files add to the table of usage."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from zephyrun.commands import options
from zephyrun.decisions import read_decisions
from zephyrun.errors import UserError
from zephyrun.findings.naming import read_usage
from zephyrun.linking.modules import is_python
from zephyrun.naming.file_usage import FileUsage, unpacked
from zephyrun.naming.offers import words_of_chosen
from zephyrun.naming.word_choices import WordChoices, words_in_text
from zephyrun.project.discovery import distance
from zephyrun.project.left_out import may_be_edited
from zephyrun.project.settings import Settings

if TYPE_CHECKING:
    from zephyrun.linking.linkage import Content

# So much code tells how a project speaks; reading more would take longer than it is worth.
MOST_BYTES = 4_000_000


class ProjectNames:
    """The usage of a project's files; what was read before comes from the cache."""

    def __init__(
        self,
        root: Path,
        contents: Mapping[str, Content],
        settings: Settings,
        named: Sequence[str],
        jobs: int,
    ) -> None:
        """`named` are the paths that somebody asked about, from the root."""
        self._root = root
        self._contents = contents
        self._settings = settings
        self._named = named
        self._jobs = jobs

    def usages(self, read: Mapping[str, FileUsage], near: Collection[str]) -> dict[str, FileUsage]:
        """The usage of the project's files by path: of those `near`, and of others as far as they are not too
        many, the nearest first. `read` are those that are known already."""
        chosen = self._chosen(near)
        found = {path: usage for path, usage in read.items() if path in chosen}
        missing = [path for path in chosen if path not in found]
        if sum(len(self._data(path)) for path in chosen) < options.WORTH_A_CACHE:
            return found | self._read(missing)
        # Imported here: small projects do without, and start-up should stay fast.
        from zephyrun.project.cache import Cache, content_key, joint_key

        cache = Cache[bytes](self._root, "usage")
        keys = {path: joint_key("usage", content_key(self._data(path))) for path in chosen}
        known = cache.get([keys[path] for path in missing])
        for path in missing:
            # What cannot be read is found anew.
            with suppress(ValueError, TypeError, LookupError):
                found[path] = unpacked(known[keys[path]])
        new = self._read([path for path in missing if path not in found])
        fresh = {path: usage for path, usage in {**read, **new}.items() if path in chosen}
        if fresh:
            cache.put({keys[path]: usage.packed() for path, usage in fresh.items()})
        return found | new

    def _data(self, path: str) -> bytes:
        data = self._contents[path]
        return data if isinstance(data, bytes) else b""

    def _chosen(self, near: Collection[str]) -> list[str]:
        # All files of a folder are equally near.
        folders = {f"{path.rpartition('/')[0]}/" for path in near}

        def order(path: str) -> tuple[bool, tuple[int, str]]:
            if path in near:
                return False, (0, path)
            return True, min((distance(path, folder) for folder in folders), default=(0, path))

        # Generated and vendored files have other people's names.
        fit = [
            path
            for path, data in self._contents.items()
            if is_python(path) and may_be_edited(path, data, self._settings, self._named)
        ]
        chosen, n_bytes = [], 0
        for path in sorted(fit, key=order):
            n_bytes += len(self._data(path))
            if n_bytes > MOST_BYTES and path not in near:
                break
            chosen.append(path)
        return chosen

    def _read(self, paths: list[str]) -> dict[str, FileUsage]:
        data = [self._data(path) for path in paths]
        found = options.map_files(
            read_usage, data, n_bytes=sum(map(len, data)), jobs=self._jobs, what="learning names"
        )
        return {path: usage for path, usage in zip(paths, found, strict=True) if usage is not None}


def word_choices(root: Path, settings: Settings) -> WordChoices:
    """What the team of a project says about words. Errors: `UserError` for a list of terms that cannot be read, and
    for a damaged file of decisions."""
    words = settings.words
    chosen = read_decisions(root).names
    fine = {*words.fine, *(word for word, _ in words.meanings), *words_of_chosen(chosen)}
    if words.terms:
        path = root / words.terms
        try:
            fine |= words_in_text(path.read_text("utf-8"))
        except (OSError, UnicodeDecodeError) as problem:
            reason = problem.strerror if isinstance(problem, OSError) else "it is no text in UTF-8"
            raise UserError(f"the list of terms {path} cannot be read: {reason}") from problem
    return WordChoices(frozenset(fine), words.instead, chosen)

