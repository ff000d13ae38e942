"""Plans in the store: put up, hung upon, removed and had back."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.plans import Plan, checked_picture
from rook_tally.core.site_file.content import SiteContent
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.alarms.change_undo import take_changes_back
from rook_tally.store.base import Store
from rook_tally.store.site import load_site
from rook_tally.store.site.plans import (
    describe_where,
    forget_pictures,
    hang,
    keep_picture,
    picture_numbered,
    put_plan,
    remove_plan,
    rename_plan,
    unhang,
)
from rook_tally.store.site.row_changes import recording
from rook_tally.store.site_file.exporting import content_of
from rook_tally.store.site_file.importing import put_content
from tests.builders import NOON_US, begin_series, picture


def _plan(connection: Connection) -> Plan:
    (found,) = load_site(connection).plans
    return found


def test_a_plan_is_put_up_changed_and_removed_and_had_back(store: Store) -> None:
    station = begin_series(store).station
    with store.write() as connection:
        put_plan(connection, "Ground floor", picture(30, 20), now_us=NOON_US)
        hang(connection, "Ground floor", station.id, (0.25, 0.5))
        hang(connection, "Ground floor", station.id, (0.3, 0.5))
        assert _plan(connection).marks == {station.id: (0.3, 0.5)}
        put_plan(connection, "Ground floor", picture(60, 40), now_us=NOON_US)
        rename_plan(connection, "Ground floor", "Downstairs")
        before = _plan(connection)
        assert (before.name, before.width, before.marks) == (
            "Downstairs",
            60,
            {station.id: (0.3, 0.5)},
        )
    with store.write() as connection, recording(connection) as made:
        remove_plan(connection, "Downstairs")
        assert load_site(connection).plans == ()
        # Nothing shows them now, but for a month they may be had back.
        assert forget_pictures(connection, NOON_US) == 0
    with store.write() as connection:
        take_changes_back(connection, made.changes)
        assert _plan(connection) == before
        assert picture_numbered(connection, before.picture_id) == picture(60, 40)
        assert forget_pictures(connection, NOON_US + DAY_US) == 1
        unhang(connection, "Downstairs", station.id)
        assert _plan(connection).marks == {}


def test_what_cannot_be_is_said(store: Store) -> None:
    station = begin_series(store).station
    with store.write() as connection:
        put_plan(connection, "A", picture(3, 2), now_us=NOON_US)
        put_plan(connection, "B", picture(3, 2), now_us=NOON_US)
    with store.read() as connection:
        a, b = load_site(connection).plans
        assert a.picture_id == b.picture_id
        attempts: list[Callable[[], None]] = [
            lambda: put_plan(connection, " ", picture(3, 2), now_us=NOON_US),
            lambda: put_plan(connection, "C", b"no picture", now_us=NOON_US),
            lambda: rename_plan(connection, "A", "B"),
            lambda: rename_plan(connection, "A", ""),
            lambda: remove_plan(connection, "C"),
            lambda: hang(connection, "A", station.id, (2, 0)),
            lambda: unhang(connection, "A", station.id),
        ]
        for attempt in attempts:
            with pytest.raises(UsageError):
                attempt()


def test_a_site_file_carries_plans_and_photographs(store: Store) -> None:
    station = begin_series(store).station
    with store.write() as connection:
        put_plan(connection, "Ground floor", picture(30, 20), now_us=NOON_US)
        hang(connection, "Ground floor", station.id, (0.25, 0.5))
        number = keep_picture(connection, checked_picture(picture(9, 9)), now_us=NOON_US)
        describe_where(connection, station.id, words="left wall", photograph=number)
        told = content_of(connection)
        put_content(connection, SiteContent(plans=()), who="", now_us=NOON_US)
        assert load_site(connection).plans == ()
        describe_where(connection, station.id, words="", photograph=None)
        put_content(connection, told, who="", now_us=NOON_US)
        assert content_of(connection) == told
        found = load_site(connection).stations[0]
        assert (found.hangs, found.photograph_id) == ("left wall", number)
