"""The journal: what was on the disk before a change, so that it can always come back.

A change is one *entry*, a folder below `.zephyrun/journal/`:

    0007/entry.json      operations, fingerprints, label, state
    0007/before/N        the bytes that operation N replaces, deletes or moves
    0007/after/N         the bytes that operation N writes

States: `begun` (files may be half written), `done`, `undoing`, `undone`. The state is written
before the files are touched and after they all are. Every file of the project is replaced through
a temporary file in its own folder, flushed and renamed. So whenever a process dies, the next
command finds an entry that is `begun` or `undoing`, and puts the old bytes back.
"""

from __future__ import annotations

import contextlib
import json
import os
import stat
import tempfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from enum import StrEnum
from pathlib import Path, PurePosixPath

from zephyrun.errors import UserError
from zephyrun.project.roots import KEPT_FOLDER, make_kept_folder
from zephyrun.source.fingerprint import fingerprint

_SCHEMA = "zephyrun.journal/1"
_TEMPORARY_PREFIX = ".zephyrun-"
_ABSENT = ""


class Deed(StrEnum):
    """What an operation does to its path."""

    REPLACE = "replace"
    CREATE = "create"
    DELETE = "delete"
    MOVE = "move"


@dataclass(frozen=True)
class Operation:
    """One change of one path, relative to the root. `target` is where a move leads; `data` is what
    a replacement, a creation or a move (with edits) writes; `expected` is what must be there."""

    deed: Deed
    path: str
    data: bytes = b""
    target: str = ""
    expected: bytes | None = None


@dataclass(frozen=True)
class _Record:
    """An operation as the journal keeps it; fingerprints are "" where there is no file.

    `new_folders` are those that had to be made for what it writes, the outermost first.
    """

    deed: str
    path: str
    target: str
    before: str
    after: str
    mode: int
    new_folders: tuple[str, ...] = ()


@dataclass(frozen=True)
class Entry:
    """One change that the journal knows."""

    number: int
    label: str
    state: str
    records: tuple[_Record, ...]
    assumptions: tuple[str, ...] = ()

    @property
    def paths(self) -> tuple[str, ...]:
        """The files that the change touched."""
        paths = (path for each in self.records for path in (each.path, each.target))
        return tuple(dict.fromkeys(filter(None, paths)))

    @property
    def result(self) -> dict[str, str]:
        """How the change left each path: its fingerprint, "" where there is no file any more."""
        left: dict[str, str] = {}
        for record in self.records:
            if record.target:
                left[record.path] = _ABSENT
            left[record.target or record.path] = record.after
        return left


class ChangedSince(UserError):
    """Someone else changed a file in the meantime; nothing was written."""


class Journal:
    """The journal of one project. Nothing is created on the disk before the first change.

    `shown` says how messages call a file or folder.
    """

    def __init__(self, root: Path, shown: Callable[[Path], str] = str) -> None:
        self.root = root
        self._shown = shown
        self._folder = root / KEPT_FOLDER / "journal"

    # -- asking ------------------------------------------------------------------------------

    def entries(self) -> tuple[Entry, ...]:
        """All entries, oldest first. Errors: `UserError` for a journal that cannot be read."""
        if not self._folder.is_dir():
            return ()
        numbers = sorted(int(each.name) for each in self._folder.iterdir() if each.name.isdigit())
        return tuple(self._read(number) for number in numbers)

    def undoable(self) -> tuple[Entry, ...]:
        """What can be taken back, latest first."""
        return tuple(entry for entry in reversed(self.entries()) if entry.state == "done")

    # -- changing ----------------------------------------------------------------------------

    def carry_out(
        self, label: str, operations: Sequence[Operation], assumptions: Sequence[str] = ()
    ) -> Entry:
        """Carry out all operations or none, and remember what was there.

        Errors: `ChangedSince` when a file is not what was expected; `UserError` when one cannot be
        written. Nothing has been changed then.
        """
        with self.transaction(label) as transaction:
            transaction.carry_out(operations, assumptions)
        assert transaction.entry is not None, "a change was carried out"
        return transaction.entry

    @contextlib.contextmanager
    def transaction(self, label: str) -> Iterator[Transaction]:
        """A change in several stages that counts as one: whatever interrupts it takes all of it back.

        Errors: as for `carry_out`, and whatever is raised inside.
        """
        with self._lock():
            self._recover()
            transaction = Transaction(self, label)
            try:
                yield transaction
                transaction.finish()
            except BaseException:
                try:
                    transaction.roll_back()
                except OSError as problem:
                    place = self._shown(self.root)
                    raise UserError(
                        f"{place} cannot be written: {problem.strerror}; "
                        "the next command puts the old project back"
                    ) from problem
                raise

    def undo(self) -> Entry | None:
        """Take the latest change back, to the byte; `None` when there is nothing to take back.

        Errors: `ChangedSince` when a file was changed after it; nothing has been written then.
        """
        with self._lock():
            self._recover()
            entry = next(iter(self.undoable()), None)
            if entry is None:
                return None
            for path, left_as in entry.result.items():
                if self._fingerprint(path) != left_as:
                    raise ChangedSince(
                        f"{self._named(path)} changed since; take that change back by hand first, "
                        "nothing was undone"
                    )
            entry = self._write_state(entry, "undoing")
            self._put_back(entry)
            return self._write_state(entry, "undone")

    def recover(self) -> Entry | None:
        """Put back the old bytes of a change during which a process died; tells which."""
        if not any(entry.state in ("begun", "undoing") for entry in self.entries()):
            return None
        with self._lock():
            return self._recover()

    def _recover(self) -> Entry | None:
        for entry in self.entries():
            if entry.state in ("begun", "undoing"):
                self._put_back(entry)
                return self._write_state(entry, "undone")
        return None

    # -- one operation -----------------------------------------------------------------------

    def _check(self, operation: Operation) -> _Record:
        path = self._inside(operation.path)
        named, before = self._named(operation.path), self._fingerprint(operation.path)
        if operation.deed is Deed.CREATE:
            if before != _ABSENT:
                raise ChangedSince(f"{named} is there already; nothing was changed")
        elif before == _ABSENT:
            raise ChangedSince(f"{named} is not there any more; nothing was changed")

        if operation.expected is not None and before != fingerprint(operation.expected):
            raise ChangedSince(
                f"{named} changed since it was read; run the command again, nothing was changed"
            )

        mode = 0
        if path.exists():
            mode = stat.S_IMODE(path.stat().st_mode)
            if not mode & stat.S_IWUSR:
                raise UserError(f"{named} is read-only; nothing was changed")
        if operation.deed is Deed.MOVE and self._inside(operation.target).exists():
            raise ChangedSince(f"{self._named(operation.target)} is there already; nothing was changed")

        after = _ABSENT if operation.deed is Deed.DELETE else fingerprint(operation.data)
        written = operation.target or operation.path
        new_folders = [
            parent.as_posix()
            for parent in reversed(PurePosixPath(written).parents)
            if not (self.root / parent).is_dir()
        ]

        return _Record(
            operation.deed.value,
            operation.path,
            operation.target,
            before,
            after,
            mode,
            tuple(new_folders),
        )

    def _named(self, path: str) -> str:
        return self._shown(self.root / path)

    def _inside(self, path: str) -> Path:
        """The place of a path; only files that really lie below the root are written."""
        place = self.root / path
        if place.is_symlink():
            raise UserError(f"{self._named(path)} is a symbolic link; nothing was changed")
        if not place.parent.resolve().is_relative_to(self.root.resolve()):
            raise UserError(f"{self._named(path)} lies outside the project; nothing was changed")
        return place

    def _do(self, number: int, index: int, record: _Record) -> None:
        written = record.target or record.path
        if record.deed != Deed.DELETE:
            data = (self._entry_folder(number) / "after" / str(index)).read_bytes()
            self._replace(self.root / written, data, record.mode)
        if record.deed in (Deed.DELETE, Deed.MOVE):
            (self.root / record.path).unlink()

    def _put_back(self, entry: Entry, first: int = 0) -> None:
        """Restore what each operation from the index `first` on replaced, last first. Bytes that are
        neither the old nor the new ones are left alone: someone else wrote them."""
        self._sweep(entry)
        for index, record in reversed(list(enumerate(entry.records))[first:]):
            written = record.target or record.path
            if record.after and record.deed in (Deed.CREATE, Deed.MOVE):
                if self._fingerprint(written) == record.after:
                    (self.root / written).unlink()
                self._remove_empty(record.new_folders)
            if record.before and self._fingerprint(record.path) in (record.after, _ABSENT):
                data = (self._entry_folder(entry.number) / "before" / str(index)).read_bytes()
                self._replace(self.root / record.path, data, record.mode)

    def _remove_empty(self, folders: Sequence[str]) -> None:
        """Remove folders that were made for a file and hold nothing else."""
        for folder in reversed(folders):
            with contextlib.suppress(OSError):
                (self.root / folder).rmdir()

    def _sweep(self, entry: Entry) -> None:
        """Remove temporary files that a dead process left beside the files it was writing."""
        for folder in {(self.root / path).parent for path in entry.paths}:
            for leftover in folder.glob(f"{_TEMPORARY_PREFIX}*"):
                if leftover.is_file():
                    leftover.unlink()

    def _replace(self, path: Path, data: bytes, mode: int = 0) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(prefix=_TEMPORARY_PREFIX, dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as stream:
                stream.write(data)
                stream.flush()
                os.fsync(stream.fileno())
            os.chmod(temporary, mode or _default_mode())
            os.replace(temporary, path)
        except BaseException:
            with contextlib.suppress(OSError):
                os.unlink(temporary)
            raise
        _flush_folder(path.parent)

    def _fingerprint(self, path: str) -> str:
        place = self.root / path
        return fingerprint(place.read_bytes()) if place.is_file() else _ABSENT

    # -- entries -----------------------------------------------------------------------------

    def _entry_folder(self, number: int) -> Path:
        return self._folder / f"{number:04}"

    def _next_number(self) -> int:
        return max((entry.number for entry in self.entries()), default=0) + 1

    def _keep_images(self, number: int, first: int, operations: Sequence[Operation]) -> None:
        """Keep what operations replace and what they write; their records count from `first`."""
        folder = self._entry_folder(number)
        for index, operation in enumerate(operations, first):
            place = self.root / operation.path
            if operation.deed is not Deed.CREATE:
                self._replace(folder / "before" / str(index), place.read_bytes())
            if operation.deed is not Deed.DELETE:
                self._replace(folder / "after" / str(index), operation.data)

    def _write_state(self, entry: Entry, state: str) -> Entry:
        written = replace(entry, state=state)
        document = {"schema": _SCHEMA, **asdict(written)}
        text = json.dumps(document, ensure_ascii=False, indent=1) + "\n"
        data = text.encode("utf-8", "surrogateescape")
        self._replace(self._entry_folder(entry.number) / "entry.json", data)
        return written

    def _read(self, number: int) -> Entry:
        path = self._entry_folder(number) / "entry.json"
        try:
            document = json.loads(path.read_text("utf-8", "surrogateescape"))
            records = tuple(
                _Record(**{**record, "new_folders": tuple(record["new_folders"])})
                for record in document["records"]
            )
            return Entry(
                number, document["label"], document["state"], records, tuple(document["assumptions"])
            )
        except FileNotFoundError:
            # A process died while it copied before-images: nothing had been touched yet.
            return Entry(number, "", "undone", ())
        except (OSError, ValueError, KeyError, TypeError) as problem:
            shown, folder = self._shown(path), self._shown(path.parent)
            raise UserError(f"{shown} is damaged; move the folder {folder} away") from problem

    @contextlib.contextmanager
    def _lock(self) -> Iterator[None]:
        """One change at a time for a project. Errors: `UserError` when another one is under way."""
        home = self.root / KEPT_FOLDER
        try:
            make_kept_folder(self.root)
            self._folder.mkdir(exist_ok=True)
            handle = os.open(home / "lock", os.O_RDWR | os.O_CREAT, 0o644)
        except OSError as problem:
            shown = self._shown(home)
            raise UserError(
                f"{shown} cannot be written: {problem.strerror}; nothing was changed"
            ) from problem
        try:
            _lock_file(handle)
            yield
        finally:
            os.close(handle)


class Transaction:
    """A change that is under way. Made by `Journal.transaction`."""

    def __init__(self, journal: Journal, label: str) -> None:
        self.entry: Entry | None = None
        self._journal = journal
        self._label = label
        # What the entry was before each stage.
        self._before: list[Entry] = []

    def carry_out(self, operations: Sequence[Operation], assumptions: Sequence[str] = ()) -> None:
        """Carry out a stage.

        Errors: `ChangedSince` when a file is not what was expected; `UserError` when one cannot be
        written. The whole change is then to be left, and is taken back.
        """
        journal = self._journal
        records = tuple(journal._check(operation) for operation in operations)
        before = self.entry or Entry(journal._next_number(), self._label, "begun", ())
        first = len(before.records)
        assumed = tuple(dict.fromkeys((*before.assumptions, *assumptions)))
        entry = replace(before, records=(*before.records, *records), assumptions=assumed)
        try:
            journal._keep_images(before.number, first, operations)
            self.entry = journal._write_state(entry, "begun")
            self._before.append(before)
            for index, record in enumerate(records, first):
                journal._do(entry.number, index, record)
        except OSError as problem:
            place = journal._shown(Path(problem.filename or journal.root))
            raise UserError(
                f"{place} cannot be written: {problem.strerror}; nothing was changed"
            ) from problem

    def take_back(self) -> None:
        """Take the latest stage back, to the byte."""
        assert self.entry is not None and self._before, "a stage was carried out"
        before = self._before.pop()
        self._journal._put_back(self.entry, len(before.records))
        self.entry = self._journal._write_state(before, "begun")

    def roll_back(self) -> None:
        """Take everything back."""
        if self.entry is not None:
            self._journal._put_back(self.entry)
            self.entry = self._journal._write_state(self.entry, "undone")

    def finish(self) -> None:
        """Let it count; one that has changed nothing in the end counts as taken back."""
        if self.entry is not None:
            state = "done" if self.entry.records else "undone"
            self.entry = self._journal._write_state(self.entry, state)


def _lock_file(handle: int) -> None:
    try:
        import fcntl
    except ImportError:
        # Without file locks of this sort two processes are told apart by fingerprints alone.
        return
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as problem:
        raise UserError(
            "another zephyrun is changing this project; try again when it has ended"
        ) from problem


def _default_mode() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


def _flush_folder(folder: Path) -> None:
    """Make a rename last. Not every system can open a folder; then there is nothing to do."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


