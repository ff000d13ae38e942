"""An older store brought to today's format: a backup first, then all steps in one transaction.

A program killed on the way leaves the store as it was; whoever opens it next begins again.
"""

from __future__ import annotations

import glob
import re
from pathlib import Path

import sqlalchemy as sa
import structlog
from alembic import command
from alembic.config import Config
from sqlalchemy.engine import Connection

from rook_tally import clock
from rook_tally.core.errors import StoreError
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store
from rook_tally.store.maintenance.copies import back_up
from rook_tally.store.maintenance.opening import checked_format
from rook_tally.store.site.heartbeat import working_collectors

# Until format 14 duties were locks on files.
_LOCK_FILE = re.compile(r"(sealing|watching|working_out|backup|mqtt_session\d*)")

_log = structlog.get_logger(__name__)


def bring_up_to_date(store: Store, found: int) -> None:
    """Run the migrations a store lacks.

    Raises
    ------
    StoreError
        When a collector of the older program still works on it, or the backup cannot be written.
    """
    with store.read() as connection:
        working = working_collectors(connection, now_us=clock.now_us())
    if working:
        raise StoreError(
            f"the store {store.url} has to be brought to a newer format, but a collector "
            f"(process {working[0].pid} on {working[0].host}) works on it",
            kept="nothing in it was touched",
            remedy="stop that collector, then try again",
        )
    if store.path is not None:
        _back_up_file(store, store.path, found)
        for lock in store.path.parent.glob(f"{glob.escape(store.path.name)}.*"):
            if _LOCK_FILE.fullmatch(lock.name.removeprefix(f"{store.path.name}.")):
                lock.unlink(missing_ok=True)
    with store.write() as connection:
        if checked_format(connection, store.url) == schema.FORMAT:  # another process was faster
            return
        if connection.dialect.name == "postgresql":
            _copy_tables(connection, found)
        _migrate(connection, found)
    _log.info("store_upgraded", store=store.url, format_before=found, format=schema.FORMAT)


def migrations(connection: Connection) -> Config:
    """Alembic's configuration for our steps, run in the transaction of a connection."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    config.attributes["connection"] = connection
    return config


def _migrate(connection: Connection, found: int) -> None:
    config = migrations(connection)
    if not sa.inspect(connection).has_table("alembic_version"):
        command.stamp(config, f"{found:04}")  # from before Alembic kept count
    command.upgrade(config, "head")
    connection.execute(
        sa.update(schema.meta).where(schema.meta.c.key == "format").values(value=str(schema.FORMAT))
    )


def _back_up_file(store: Store, path: Path, found: int) -> None:
    backup = path.with_name(f"{path.name}.format-{found}")
    if backup.exists():
        return  # of an upgrade that was interrupted
    try:
        back_up(store, backup, progress=lambda _share: None)
    except StoreError as error:
        raise StoreError(
            f"the store {path} has to be brought to a newer format, and the backup taken before "
            f"that failed: {error.what}",
            kept="nothing in it was touched",
            remedy=error.remedy or "make room on the disk",
        ) from error
    _log.info("store_backed_up", backup=str(backup))


def _copy_tables(connection: Connection, found: int) -> None:
    """A server's store keeps its backup beside it, in a schema of its own."""
    beside = f"rook_format_{found}"
    names = sa.inspect(connection).get_table_names()
    connection.exec_driver_sql(f"DROP SCHEMA IF EXISTS {beside} CASCADE")
    connection.exec_driver_sql(f"CREATE SCHEMA {beside}")
    for name in names:
        connection.exec_driver_sql(f'CREATE TABLE {beside}."{name}" AS TABLE "{name}"')
