"""The least that keeps readings durably: a table of the same shape and pragmas as ours, opened by a
program of a few lines that is a limit of ours."""

from __future__ import annotations

from rook_tally.store.maintenance.opening import LONGEST_LOG_PAGES

OPENING = f"""
import sqlite3, sys

store = sqlite3.connect(sys.argv[1], isolation_level=None, check_same_thread=False)
for pragma in ("journal_mode=WAL", "synchronous=FULL", "cache_size=-32000",
               "wal_autocheckpoint={LONGEST_LOG_PAGES}"):
    store.execute("PRAGMA " + pragma)
store.execute("CREATE TABLE IF NOT EXISTS reading (series_id INTEGER NOT NULL, "
    "time_us BIGINT NOT NULL, value FLOAT NOT NULL, quality SMALLINT NOT NULL, "
    "PRIMARY KEY (series_id, time_us)) WITHOUT ROWID")

def write(rows):
    store.execute("BEGIN IMMEDIATE")
    store.executemany("INSERT OR REPLACE INTO reading VALUES (?, ?, ?, ?)", rows)
    store.execute("COMMIT")
"""
"""Opens the table in the file that its first argument names; `write` commits rows."""
