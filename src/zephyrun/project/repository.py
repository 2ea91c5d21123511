"""A project's version control: what changed since a revision, and commits of our own.

Git is asked through its program. Nothing that the repository's configuration names is run: hooks,
monitors, filters and text converters are off.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType

from zephyrun.errors import UserError
from zephyrun.patterns import lazy_pattern

_NOTHING_OF_THEIRS = (
    "-c", "core.hooksPath=/dev/null", "-c", "core.fsmonitor=false", "-c", "core.quotePath=false",
    "-c", "diff.external=", "-c", "commit.gpgSign=false",
)
_HUNK = lazy_pattern(r"@@ -\S+ \+(\d+)(?:,(\d+))? @@")
# What stands in a repository for a large file that is kept elsewhere.
_POINTER = lazy_pattern(rb"version \S+\n(?:ext-\S+ \S+\n)*oid sha256:(?P<digest>[0-9a-f]{64})\nsize (?P<size>\d+)\n")
_REGULAR_FILE = "100644"
_LINK = "120000"
_SUBMODULE = b"160000"
# How many letters the names of objects have where they are made by SHA-1; those made by SHA-256 have more.
_SHA1_LETTERS = 40


@dataclass(frozen=True)
class Repository:
    """A git repository that holds a project. `top` is its uppermost folder, `root` the project's."""

    top: Path
    root: Path

    def changed_lines(self, revision: str) -> dict[str, tuple[range, ...]]:
        """For each file below the root that differs from a revision: its lines that are new.

        Paths are relative to the root; files that version control does not know are new throughout.
        Errors: `UserError` when there is no such revision.
        """
        self._resolve(revision)
        text = self._git(
            "diff", "--unified=0", "--no-color", "--no-ext-diff", "--no-textconv", "--no-renames",
            "--relative", "--src-prefix=a/", "--dst-prefix=b/", revision, "--", ".",
        )
        found: dict[str, list[range]] = {}
        path = ""
        for line in text.splitlines():
            if line.startswith("+++ "):
                path = line.removeprefix("+++ ").removeprefix("b/").rstrip("\t")
            elif match := _HUNK.match(line):
                first, count = int(match[1]), int(match[2] or 1)
                found.setdefault(path, []).append(range(first, first + count))
        for path in self._git("ls-files", "--others", "--exclude-standard", "-z").split("\0"):
            if path:
                found[path] = [range(1, _EVERY_LINE)]
        return {path: tuple(ranges) for path, ranges in found.items()}

    def files_at(self, revision: str, at_hand: Mapping[str, bytes | str] = MappingProxyType({})) -> dict[str, bytes | str]:
        """Every file below the root as a revision has it: its bytes, or one phrase why it has none.

        Objects are only read: nothing is checked out, converted or fetched; files that are `at_hand` in the very form of the
        revision are not even read again, and for one that is kept elsewhere because of its size stands what is at hand, if
        it is that. Errors: `UserError` when there is no such revision, or an object is missing.
        """
        self._resolve(revision)
        listed = self._git_bytes("ls-tree", "-r", "-z", "--full-tree", f"{revision}:{self._prefix}").split(b"\0")
        found: dict[str, bytes | str] = {}
        names: dict[str, tuple[str, bytes]] = {}
        for entry in filter(None, listed):
            described, _, path = entry.partition(b"\t")
            mode, _, blob = described.split()
            name = path.decode("utf-8", "surrogateescape")
            names[name] = mode.decode(), blob
            content = at_hand.get(name)
            if mode == _SUBMODULE:
                found[name] = "a repository inside"
            elif mode.decode() != _LINK and isinstance(content, bytes) and _object_name(content, len(blob)) == blob:
                found[name] = content
        wanted = {name: blob for name, (_, blob) in names.items() if name not in found}
        for (name, _), data in zip(wanted.items(), self._objects([*wanted.values()]), strict=True):
            is_link = names[name][0] == _LINK
            content = f"a symbolic link to {data.decode('utf-8', 'replace')}" if is_link else data
            found[name] = at_hand[name] if _stands_for(content, at_hand.get(name)) else content
        return dict(sorted(found.items()))

    def files_of_work_tree(self) -> list[str]:
        """The paths below the root that version control knows, or would take in, and that are there."""
        listed = self._git_bytes("ls-files", "--cached", "--others", "--exclude-standard", "-z").split(b"\0")
        names = {path.decode("utf-8", "surrogateescape") for path in filter(None, listed)}
        return sorted(name for name in names if os.path.lexists(self.root / name))

    @property
    def _prefix(self) -> str:
        """Where the root lies in the repository, "" for its top."""
        prefix = self.root.resolve().relative_to(self.top).as_posix()
        return "" if prefix == "." else prefix

    def _objects(self, blobs: Sequence[bytes]) -> list[bytes]:
        """The bytes of some objects, in order."""
        answer = self._git_bytes("cat-file", "--batch", input_bytes=b"".join(each + b"\n" for each in blobs))
        found = []
        position = 0
        for blob in blobs:
            end = answer.index(b"\n", position)
            words = answer[position:end].split()
            if len(words) != len((b"object", b"type", b"size")):
                raise UserError(f"git has no object {blob.decode()}; fetch it first")
            size = int(words[-1])
            found.append(answer[end + 1 : end + 1 + size])
            position = end + 1 + size + 1
        return found

    def unclean(self, paths: Sequence[str]) -> list[str]:
        """Those of the paths that version control does not know, or knows in another form."""
        return [path for path in paths if not self._is_clean(path)]

    def _is_clean(self, path: str) -> bool:
        listed = self._git("ls-files", "--stage", "-z", "--", path)
        in_head = self._git("ls-tree", "-z", "HEAD", "--", path)
        if not listed or not in_head:
            return False
        blob = self._git("hash-object", "--no-filters", "--", path).strip()
        return listed.split()[1] == in_head.split()[2] == blob

    def check_identity(self) -> None:
        """Errors: `UserError` when git does not know in whose name to commit."""
        self._git("var", "GIT_COMMITTER_IDENT")

    def commit(self, paths: Sequence[str], message: str) -> None:
        """Commit the files as they lie on the disk, and nothing else.

        What was staged or changed in other files stays as it was. Errors: `UserError`.
        """
        head = self._git("rev-parse", "--verify", "HEAD").strip()
        modes = {
            path: (self._git("ls-tree", "-z", "HEAD", "--", path).split() or [_REGULAR_FILE])[0]
            for path in paths
        }
        entries = []
        for path in paths:
            blob = self._git("hash-object", "-w", "--no-filters", "--", path).strip()
            name = f"{self._prefix}/{path}".lstrip("/")
            entries.append(f"{modes[path]} {blob}\t{name}")
        information = "\0".join([*entries, ""])
        import tempfile

        with tempfile.TemporaryDirectory(prefix="zephyrun-") as folder:
            own_index = {"GIT_INDEX_FILE": str(Path(folder, "index"))}
            self._git("read-tree", "HEAD", environment=own_index)
            self._update_index(information, own_index)
            tree = self._git("write-tree", environment=own_index).strip()
        commit = self._git("commit-tree", tree, "-p", head, "-m", message).strip()
        self._git("update-ref", "-m", f"commit: {message}", "HEAD", commit, head)
        self._update_index(information, {})

    def _update_index(self, information: str, environment: Mapping[str, str]) -> None:
        self._git(
            "update-index", "-z", "--index-info", environment=environment, input_text=information
        )

    def _resolve(self, revision: str) -> None:
        try:
            self._git("rev-parse", "--verify", "--quiet", "--end-of-options", f"{revision}^{{commit}}")
        except UserError as problem:
            raise UserError(f"there is no revision {revision}; see git log") from problem

    def _git(
        self, *words: str, environment: Mapping[str, str] | None = None, input_text: str = ""
    ) -> str:
        answer = self._git_bytes(
            *words, environment=environment, input_bytes=input_text.encode("utf-8", "surrogateescape")
        )
        return answer.decode("utf-8", "surrogateescape")

    def _git_bytes(
        self, *words: str, environment: Mapping[str, str] | None = None, input_bytes: bytes = b""
    ) -> bytes:
        # Imported here: few commands ask version control, and start-up should stay fast.
        import subprocess

        done = subprocess.run(
            ["git", *_NOTHING_OF_THEIRS, *words],
            cwd=self.root,
            # What a partial clone lacks is not to be fetched behind anybody's back.
            env={**os.environ, "GIT_NO_LAZY_FETCH": "1", **(environment or {})},
            input=input_bytes,
            capture_output=True,
            check=False,
        )
        if done.returncode:
            reason = _reason_in(done.stderr.decode("utf-8", "replace"))
            raise UserError(f"git {words[0]} failed: {reason}")
        return done.stdout


def _object_name(data: bytes, n_letters: int) -> bytes:
    """What git calls the object of a file's bytes: two contents of one name would be one to git as well. Source: the object
    model of git's own documentation."""
    whole = hashlib.new("sha1" if n_letters == _SHA1_LETTERS else "sha256", b"blob %d\0" % len(data), usedforsecurity=False)
    whole.update(data)
    return whole.hexdigest().encode()


def _stands_for(kept: bytes | str, content: bytes | str | None) -> bool:
    """Whether what a revision keeps in place of a large file says that this is its content."""
    pointer = _POINTER.fullmatch(kept) if isinstance(kept, bytes) else None
    if pointer is None or not isinstance(content, bytes):
        return False
    return int(pointer["size"]) == len(content) and pointer["digest"].decode() == hashlib.sha256(content).hexdigest()


def _reason_in(text: str) -> str:
    """The line in which git says what is wrong; advice may stand below it."""
    lines = text.strip().splitlines() or ["no reason given"]
    marked = [each for each in lines if each.startswith(("fatal:", "error:"))]
    return (marked or lines[-1:])[0].strip()


_EVERY_LINE = 1 << 60


def find_repository(root: Path) -> Repository:
    """The git repository in which a project lies. Errors: `UserError` when there is none."""
    for folder in (root, *root.parents):
        if (folder / ".git").exists():
            return Repository(folder.resolve(), root)
    raise UserError(f"{root} lies in no git repository")
