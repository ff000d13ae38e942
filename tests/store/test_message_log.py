"""The tape: bounded, newest first, and each line's fate in words."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from rook_tally.store.base import Store
from rook_tally.store.site import (
    MessageLogEntry,
    newest_messages,
    prune_message_log,
    write_message_log,
)
from rook_tally.store.site import message_log as tape
from tests.builders import NOON_US

LINE = MessageLogEntry(NOON_US, "a", "mqtt", "rook/a/readings", b"{}", 2, 0, 0, 0, 0, 0, "")


@pytest.mark.parametrize(
    ("line", "fate"),
    [
        (replace(LINE, kept=5), "5 kept"),
        (replace(LINE, kept=5, suspect=1), "4 kept, 1 suspect"),
        (replace(LINE, duplicate=5), "5 duplicate"),
        (replace(LINE, kept=4, stray=1, why="no field x"), "4 kept, 1 stray: no field x"),
        (replace(LINE, refused=2, why="no number"), "2 refused: no number"),
        (replace(LINE, why="empty"), "refused: empty"),
    ],
)
def test_what_became_of_it(line: MessageLogEntry, fate: str) -> None:
    assert line.fate == fate


def test_newest_first_of_one_station_or_all_and_bounded(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A long one is shortened in pieces, between which others write."""
    monkeypatch.setattr(tape, "KEPT_LINES", 4)
    monkeypatch.setattr(tape, "_PRUNED_AT_ONCE", 1)
    with store.write() as connection:
        write_message_log(
            connection, [replace(LINE, station=name, kept=at) for at, name in enumerate("abababa")]
        )
        assert [prune_message_log(connection) for _ in range(3)] == [True, False, False]
        assert len(newest_messages(connection)) == 4
        assert [one.kept for one in newest_messages(connection)] == [6, 5, 4, 3]
        assert [one.kept for one in newest_messages(connection, "a")] == [6, 4]
        assert [one.kept for one in newest_messages(connection, "a", most=1)] == [6]
        seen = newest_messages(connection)[1].id
        assert [one.kept for one in newest_messages(connection, after_id=seen)] == [6]
