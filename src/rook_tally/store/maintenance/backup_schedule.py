"""Copies taken by themselves every day: where to, and how the last one went."""

from __future__ import annotations

from pathlib import Path

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.private_files import private_folder

_SCHEDULE, _LAST = "backup_schedule", "backup_last"


class BackupSchedule(msgspec.Struct, frozen=True):
    """A copy every day into a folder, from that hour of the site's clock on; so many days', weeks'
    and months' stay."""

    folder: str
    daily: int = 7
    weekly: int = 4
    monthly: int = 12
    from_hour: int = 0


class LastBackup(msgspec.Struct, frozen=True):
    """The last copy that was made, and why none has been made since; empty when none was due."""

    made_us: int = 0
    path: str = ""
    trouble: str = ""
    tried_us: int = 0


_SCHEDULE_DECODER = msgspec.json.Decoder(BackupSchedule)
_LAST_DECODER = msgspec.json.Decoder(LastBackup)


def schedule_into(folder: str) -> BackupSchedule:
    """A copy every day into a folder, which is made unless it is there.

    Raises
    ------
    UsageError
        When nothing can be written there.
    """
    path = Path(folder).expanduser().absolute()
    try:
        private_folder(path)
        (path / ".rook-tally").touch()
        (path / ".rook-tally").unlink()
    except OSError as error:
        raise UsageError(
            f"{path} cannot be written: {error.strerror or error}", remedy="name another folder"
        ) from None
    return BackupSchedule(str(path))


def backup_schedule(connection: Connection) -> BackupSchedule | None:
    """Where copies go every day; None when nobody said so."""
    told = _meta(connection, _SCHEDULE)
    return None if told is None else _SCHEDULE_DECODER.decode(told)


def set_backup_schedule(connection: Connection, schedule: BackupSchedule | None) -> None:
    """Say where copies go every day, or that none are made any more."""
    _write(connection, _SCHEDULE, None if schedule is None else msgspec.json.encode(schedule))


def last_backup(connection: Connection) -> LastBackup:
    """The result of the last daily copy."""
    told = _meta(connection, _LAST)
    return LastBackup() if told is None else _LAST_DECODER.decode(told)


def note_backup(connection: Connection, last: LastBackup) -> None:
    """Note how a daily copy went."""
    _write(connection, _LAST, msgspec.json.encode(last))


def _meta(connection: Connection, key: str) -> str | None:
    table = schema.meta
    return connection.execute(sa.select(table.c.value).where(table.c.key == key)).scalar()


def _write(connection: Connection, key: str, value: bytes | None) -> None:
    table = schema.meta
    connection.execute(sa.delete(table).where(table.c.key == key))
    if value is not None:
        connection.execute(sa.insert(table).values(key=key, value=value.decode()))
    note_change(connection, Subject.DOORS)
