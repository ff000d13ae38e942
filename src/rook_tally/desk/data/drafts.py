"""Drafts: changes that a person has not saved. A file beside the window's arrangement keeps them
over a turn to another thing, a closed window and a crash; the store never holds them."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Generic, TypeVar

import msgspec

from rook_tally.desk.data.conflict import rebased

T = TypeVar("T")

NEW = "+"
"""Keys of what was never saved begin with this."""


class Draft(msgspec.Struct, Generic[T], frozen=True):
    """A thing as a person has it, and as it stood in the store when they began; None for new."""

    value: T
    base: T | None


class DraftFile:
    """The unsaved drafts of one store in a file of JSON, written by a thread of its own.

    Parameters
    ----------
    path : where; None keeps them in memory only
    """

    def __init__(self, path: Path | None = None) -> None:
        self._path = path
        self._books: dict[str, dict[str, msgspec.Raw]] = {}
        self._wake = threading.Condition()
        self._is_due = self._stopping = False
        self._writer: threading.Thread | None = None
        if path is not None:
            self._books = _read(path)

    def book(self, name: str) -> dict[str, msgspec.Raw]:
        """The drafts of one kind as they were last written."""
        return self._books.get(name, {})

    @property
    def count(self) -> int:
        """The number of drafts."""
        return sum(len(one) for one in self._books.values())

    def write(self, name: str, drafts: dict[str, msgspec.Raw]) -> None:
        """Have the drafts of one kind written soon."""
        with self._wake:
            self._books = {**self._books, name: drafts}
            if self._path is None:
                return
            self._is_due = True
            if self._writer is None:
                self._writer = threading.Thread(target=self._run, name="drafts", daemon=True)
                self._writer.start()
            self._wake.notify()

    def close(self) -> None:
        """Write what is to be written, and end the thread."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        if self._writer is not None:
            self._writer.join()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._is_due or self._stopping)
                if not self._is_due:
                    return
                self._is_due, books = False, self._books
            assert self._path is not None
            try:
                _write(self._path, {name: one for name, one in books.items() if one})
            except OSError as error:
                _warn("drafts_not_kept", self._path, error)


class DraftBook(Generic[T]):
    """The drafts of one kind of thing by key: its slug or name, or `NEW` and a number."""

    def __init__(self, file: DraftFile, name: str, kind: type[T]) -> None:
        self._file, self._name = file, name
        self._drafts: dict[str, Draft[T]] = {}
        self._last = 0
        for key, raw in file.book(name).items():
            try:
                value, base = msgspec.json.decode(raw, type=tuple[kind, kind | None])  # type: ignore[valid-type]
            except msgspec.MsgspecError as error:
                # Written by another version: the others are worth having all the same.
                _warn("draft_not_read", Path(name), error)
                continue
            self._drafts[key] = Draft(value, base)

    def get(self, key: str) -> Draft[T] | None:
        """The draft of a key."""
        return self._drafts.get(key)

    @property
    def new_keys(self) -> list[str]:
        """Keys of what was never saved, oldest first."""
        return [one for one in self._drafts if one.startswith(NEW)]

    def free_key(self) -> str:
        """A key for something new: one that no draft of this run has had, as steps that can be
        taken back go by it."""
        self._last = max([self._last, *(int(one[len(NEW) :]) for one in self.new_keys)]) + 1
        return f"{NEW}{self._last}"

    def put(self, key: str, value: T, base: T | None) -> None:
        """Keep a draft; one that is as its base is none."""
        if value == base:
            self.drop(key)
        elif self._drafts.get(key) != Draft(value, base):
            self._drafts[key] = Draft(value, base)
            self._write()

    def drop(self, key: str) -> None:
        """Keep it no longer."""
        if self._drafts.pop(key, None) is not None:
            self._write()

    def saved(self, key: str, sent: T, saved: T, saved_key: str) -> None:
        """What was sent has been saved; what was changed since stays a draft on top of it."""
        held = self._drafts.get(key)
        if held is None:
            return
        self.drop(key)
        if held.value != sent:
            self.put(saved_key, rebased(held.value, sent, saved), saved)

    def _write(self) -> None:
        self._file.write(
            self._name,
            {
                key: msgspec.Raw(msgspec.json.encode((one.value, one.base)))
                for key, one in self._drafts.items()
            },
        )


def _read(path: Path) -> dict[str, dict[str, msgspec.Raw]]:
    try:
        return msgspec.json.decode(path.read_bytes(), type=dict[str, dict[str, msgspec.Raw]])
    except FileNotFoundError:
        return {}
    except msgspec.MsgspecError as error:
        path.replace(path.with_suffix(".unreadable.json"))
        _warn("drafts_not_read", path, error)
    except OSError as error:
        _warn("drafts_not_read", path, error)
    return {}


def _write(path: Path, books: dict[str, dict[str, msgspec.Raw]]) -> None:
    if not books:
        path.unlink(missing_ok=True)
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = path.with_suffix(".new")
    beside.write_bytes(msgspec.json.encode(books))
    beside.replace(path)


def _warn(event: str, path: Path, error: Exception) -> None:
    # Loaded late: it takes as long as a bare window, and is hardly ever needed.
    import structlog

    structlog.get_logger(__name__).warning(event, file=str(path), why=str(error))
