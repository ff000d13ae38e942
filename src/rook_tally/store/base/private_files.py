"""Files for their owner's eyes alone."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

_OTHERS = 0o077


def begin_private(path: Path) -> None:
    """Make a file that nobody else can read, if it is not there; one that is there stays, and is
    not opened: closing it would let go of what locks this process has on it."""
    with contextlib.suppress(FileExistsError):
        os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_RDWR, 0o600))


def keep_private(path: Path) -> None:
    """Take from everybody else what they may do with a file or folder that is ours."""
    try:
        told = path.stat()
        if told.st_uid == os.geteuid() and told.st_mode & _OTHERS:
            path.chmod(told.st_mode & ~_OTHERS & 0o7777)
    except OSError:
        # On a file system without such rights, or on a read-only one, there is nothing to take.
        return


def private_folder(path: Path) -> None:
    """Make a folder that nobody else can look into, and what is missing of the way to it.

    Raises
    ------
    OSError
        When it cannot be made.
    """
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.mkdir(mode=0o700, exist_ok=True)
    keep_private(path)


def synced_folder(path: Path) -> None:
    """Have a folder's entries on disk: a file that took its name keeps it over a power cut."""
    folder = os.open(path, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)
