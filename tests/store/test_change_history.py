"""What people changed is written down, and any of it can be taken back."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.online_detector import DetectorState
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.limit_rules import LimitScope
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import SeriesSettings
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.workings.definitions import Working
from rook_tally.store.alarms import alarms, remove_watch, save_watch, watches, write_alarms
from rook_tally.store.alarms.change_undo import undo_change
from rook_tally.store.base import Store
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site import (
    add_station,
    load_site,
    set_limits_of,
    set_site,
    show_in_unit,
    shown_units,
)
from rook_tally.store.site.change_history import configuration_changes, noting_changes
from rook_tally.store.site.places import rename_place
from rook_tally.store.site.plans import hang, put_plan, unhang
from rook_tally.store.site.series_removal import remove_series
from rook_tally.store.workings import bind_workings, save_working, workings
from tests.builders import DUST, NOON_US, append, begin_series, picture


def _do(store: Store, change: Callable[[Connection], object], who: str = "wren") -> None:
    with store.write() as connection, noting_changes(connection, who=who, now_us=NOON_US):
        change(connection)


def _words(store: Store) -> list[str]:
    with store.read() as connection:
        return [one.words for one in configuration_changes(connection)]


def _undo(store: Store, number: int) -> None:
    with store.write() as connection:
        undo_change(connection, number, who="rook", now_us=NOON_US + 1)


@pytest.fixture
def pottery(store: Store) -> Store:
    append(store, begin_series(store, "pm25", key="counter", place="Booth"), (NOON_US, 5.0))
    return store


def test_what_was_and_is_is_written_down_with_who_and_when(pottery: Store) -> None:
    scope = LimitScope(quantity="pm25", place="Booth")
    _do(pottery, lambda c: set_site(c, name="Wharf", zone="Europe/London"))
    _do(pottery, lambda c: save_watch(c, DUST, now_us=NOON_US))
    _do(pottery, lambda c: save_watch(c, replace(DUST, limit=12.0), now_us=NOON_US))
    _do(pottery, lambda c: set_limits_of(c, scope, Limits(above=(None, 9.0, None, None))))
    _do(pottery, lambda c: add_station(c, "till", place="Shop", kind=PLAIN))
    _do(pottery, lambda c: None)
    told = _words(pottery)
    assert told == [
        "place Shop added; station till added",
        "limits of pm25 added",
        f"watch {DUST.slug}: limit {DUST.limit:g} → 12",
        f"watch {DUST.slug} added",
        "site: name none → Wharf, zone UTC → Europe/London",
    ]
    with pottery.read() as connection:
        newest = configuration_changes(connection)[0]
    assert (newest.who, newest.time_us, newest.undone_by) == ("wren", NOON_US, None)


def test_any_single_change_is_taken_back_and_the_others_stay(pottery: Store) -> None:
    _do(pottery, lambda c: set_site(c, name="Wharf", zone="UTC"))
    _do(pottery, lambda c: show_in_unit(c, QUANTITIES["temperature"], FAHRENHEIT))
    _do(pottery, lambda c: rename_place(c, "Booth", "Glaze booth"))
    _do(pottery, lambda c: save_watch(c, DUST, now_us=NOON_US))
    _do(pottery, lambda c: remove_watch(c, DUST.slug))
    _undo(pottery, 3)
    _undo(pottery, 2)
    _undo(pottery, 5)
    with pottery.read() as connection:
        site = load_site(connection)
        assert (site.name, [one.name for one in site.places]) == ("Wharf", ["Booth"])
        assert shown_units(connection) == {}
        assert [one.slug for one in watches(connection)] == [DUST.slug]
        by_number = {one.id: one.undone_by for one in configuration_changes(connection)}
    assert by_number == {1: None, 2: 7, 3: 6, 4: None, 5: 8, 6: None, 7: None, 8: None}
    with pytest.raises(UsageError, match="taken back already"):
        _undo(pottery, 3)
    # What took it back is a change too: it is done again by taking that back.
    _undo(pottery, 6)
    with pottery.read() as connection:
        assert [one.name for one in load_site(connection).places] == ["Glaze booth"]


def test_what_others_have_built_upon_is_refused_and_nothing_is_changed(pottery: Store) -> None:
    _do(pottery, lambda c: rename_place(c, "Booth", "Glaze booth"))
    _do(pottery, lambda c: rename_place(c, "Glaze booth", "Spray booth"), who="finch")
    _do(pottery, lambda c: add_station(c, "till", place="Shop", kind=PLAIN))
    append(pottery, begin_series(pottery, "co2", key="till"), (NOON_US, 500.0))
    before = _words(pottery)
    for number, why in (
        (1, "has changed this since"),
        (3, "something rests on it"),
        (9, "no change"),
    ):
        with pytest.raises(UsageError, match=why):
            _undo(pottery, number)
    assert _words(pottery) == before


def test_a_working_taken_back_goes_with_what_it_gave(pottery: Store) -> None:
    _do(
        pottery,
        lambda c: save_working(c, Working(slug="much", name="Much", formula="pm25@booth * 2")),
    )
    with pottery.write() as connection:
        bind_workings(connection)
    assert _words(pottery) == ["working much added"]
    _undo(pottery, 1)
    with pottery.read() as connection:
        assert workings(connection) == []
        assert not [one for one in load_site(connection).series if one.station.is_worked_out]


def test_a_watch_taken_back_rings_by_its_old_terms_from_the_start(pottery: Store) -> None:
    """What rang by terms that were taken back rings no more."""
    _do(pottery, lambda c: save_watch(c, DUST, now_us=NOON_US))
    _do(pottery, lambda c: save_watch(c, replace(DUST, limit=12.0), now_us=NOON_US + 1))
    alarm = Alarm(
        DUST.slug, 1, DetectorState(), AlarmState.UNACKNOWLEDGED, Level.HIGH, since_us=NOON_US
    )
    with pottery.write() as connection:
        write_alarms(connection, [alarm])
    _undo(pottery, 2)
    with pottery.read() as connection:
        assert watches(connection) == [DUST]
        assert alarms(connection) == {}


def test_fields_and_plans_are_told_as_people_know_them(store: Store) -> None:
    series = begin_series(store)

    def told(change: Callable[[Connection], object]) -> str:
        with store.write() as connection, noting_changes(connection, who="Wren", now_us=NOON_US):
            change(connection)
        with store.read() as connection:
            return configuration_changes(connection)[0].words

    shelf = SeriesSettings(title="Shelf")
    assert told(lambda one: settle_field(one, series, shelf)) == (
        "field temperature: title none → Shelf"
    )
    put = "plan Ground floor added"
    assert told(lambda one: put_plan(one, "Ground floor", picture(9, 9), now_us=NOON_US)) == put
    at = series.station.id
    hung = told(lambda one: hang(one, "Ground floor", at, (0.5, 0.5)))
    assert hung == "wall hung on Ground floor"
    assert told(lambda one: hang(one, "Ground floor", at, (0.6, 0.5))) == "station moved on a plan"
    assert told(lambda one: unhang(one, "Ground floor", at)) == "wall taken off Ground floor"
    removed = told(lambda one: remove_series(one, series, now_us=NOON_US))
    assert removed == "field temperature of wall removed"
    with store.read() as connection:
        number = configuration_changes(connection)[0].id
    with store.write() as connection:
        undo_change(connection, number, who="Wren", now_us=NOON_US)
    with store.read() as connection:
        assert configuration_changes(connection)[0].words == "field temperature of wall restored"
        # It held no reading, and is there all the same.
        assert [one.id for one in load_site(connection).series] == [series.id]
