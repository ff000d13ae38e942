"""Places made, renamed, nested, merged, deleted; what names them follows, and all can be undone."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.definitions import Guard, Scope
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import LimitScope
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.remarks import Remark
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.workings.definitions import Working
from rook_tally.store.alarms import save_watch, watches
from rook_tally.store.alarms.change_undo import take_changes_back
from rook_tally.store.base import Store
from rook_tally.store.site import load_site, remarks, save_remark, save_sheet, set_limits_of, sheets
from rook_tally.store.site.place_names import renamed_in_text
from rook_tally.store.site.places import (
    delete_place,
    make_place,
    merge_places,
    nest_place,
    order_places,
    rename_place,
    set_indoors,
)
from rook_tally.store.site.row_changes import RowChanges, recording
from rook_tally.store.workings import bind_workings, groups, save_group, save_working, workings
from tests.builders import DUST, NOON_US, append, begin_series

HOUSE = LimitScope(quantity="temperature", place="House")


def _furnish(connection: Connection) -> None:
    """Everything that can name a place, about the booth."""
    save_group(connection, Group("dusty", ("Booth", "Shop")))
    save_working(connection, Working(slug="much", name="Much", formula="pm25@booth * 2"))
    save_working(
        connection, Working(slug="gap", name="Gap", formula="pm25@booth - pm25@shop", place="Booth")
    )
    bind_workings(connection)
    guard = Guard(scope=Scope(quantity="pm25", place="Booth"), limit=1.0)
    scope = Scope(quantity="pm25", place="Booth")
    save_watch(connection, replace(DUST, scope=scope, guards=(guard,)), now_us=NOON_US)
    save_remark(connection, Remark("swept", NOON_US, None, place="Booth"))
    pane = Pane(
        kind=PaneKind.WORDS, at=(0, 0), size=(24, 12), shows=("pm25@booth",), text="{pm25@booth}"
    )
    save_sheet(connection, WallSheet(slug="s", name="S", panes=(pane,)))


@pytest.fixture
def pottery(store: Store) -> Store:
    for key, place in (("counter", "Booth"), ("shelf", "Shop")):
        append(store, begin_series(store, "pm25", key=key, place=place), (NOON_US, 5.0))
    with store.write() as connection:
        _furnish(connection)
    return store


def _done(store: Store, change: Callable[[Connection], None]) -> RowChanges:
    with store.write() as connection, recording(connection) as made:
        change(connection)
    return made


def _told(store: Store) -> dict[str, object]:
    with store.read() as connection:
        site = load_site(connection)
        return {
            "places": [(one.name, one.indoors, one.parent_id) for one in site.places],
            "stations": {one.key: one.place.name for one in site.stations},
            "worked": sorted(one.station.key for one in site.series if one.station.is_worked_out),
            "workings": workings(connection),
            "groups": groups(connection),
            "watches": watches(connection),
            "sheets": sheets(connection),
            "remarks": [(one.text, one.place) for one in remarks(connection)],
            "limits": [one.limits for one in site.series],
        }


def test_a_renamed_place_is_called_so_wherever_it_was_named(pottery: Store) -> None:
    before = _told(pottery)
    made = _done(pottery, lambda connection: rename_place(connection, "Booth", "Glaze booth"))
    told = _told(pottery)
    assert [one[0] for one in told["places"]] == ["Glaze booth", "Shop"]  # type: ignore[attr-defined]
    with pottery.write() as connection:
        formulas = [one.formula for one in workings(connection)]
        assert formulas == ["pm25@glaze-booth * 2", "pm25@glaze-booth - pm25@shop"]
        assert groups(connection) == [Group("dusty", ("Glaze booth", "Shop"))]
        (watch,) = watches(connection)
        assert (watch.scope.place, watch.guards[0].scope.place) == ("Glaze booth", "Glaze booth")
        (pane,) = sheets(connection)[0].panes
        assert (pane.shows, pane.text) == (("pm25@glaze-booth",), "{pm25@glaze-booth}")
        assert [one.place for one in remarks(connection)] == ["Glaze booth"]
        # What was worked out there goes on with its past.
        assert bind_workings(connection) == {}
    after_binding = _told(pottery)
    assert after_binding["worked"] == ["gap@glaze-booth", "much@glaze-booth"]
    assert told["worked"] == after_binding["worked"]
    with pottery.write() as connection:
        take_changes_back(connection, made.changes)
    assert _told(pottery) == before


def test_two_places_become_one_and_two_again(pottery: Store) -> None:
    before = _told(pottery)
    made = _done(pottery, lambda connection: merge_places(connection, "Booth", "Shop"))
    told = _told(pottery)
    assert told["stations"] == {"counter": "Shop", "shelf": "Shop"}
    assert [one[0] for one in told["places"]] == ["Shop"]  # type: ignore[attr-defined]
    assert told["groups"] == [Group("dusty", ("Shop",))]
    with pottery.write() as connection:
        take_changes_back(connection, made.changes)
    assert _told(pottery) == before


def test_limits_of_a_house_hold_in_its_rooms_and_go_with_them(store: Store) -> None:
    limits = Limits(above=(None, 23.0, None, None))
    begin_series(store, key="wall", place="Room")
    with store.write() as connection:
        make_place(connection, "House")
        set_limits_of(connection, HOUSE, limits)

    def in_force() -> Limits:
        with store.read() as connection:
            return load_site(connection).series[0].limits

    assert in_force() != limits
    _done(store, lambda connection: nest_place(connection, "Room", "House"))
    assert in_force() == limits
    with store.write() as connection, pytest.raises(UsageError, match="Room is in House"):
        nest_place(connection, "House", "Room")
    _done(store, lambda connection: nest_place(connection, "Room", ""))
    assert in_force() != limits
    _done(store, lambda connection: set_indoors(connection, "Room", indoors=False))
    assert in_force() == Limits()


def test_places_stand_as_they_are_ordered(store: Store) -> None:
    with store.write() as connection:
        for name in ("A", "B", "C"):
            make_place(connection, name)
        order_places(connection, ["C", "A"])
        assert [one.name for one in load_site(connection).places] == ["C", "A", "B"]
        delete_place(connection, "A")
        assert [one.name for one in load_site(connection).places] == ["C", "B"]


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (lambda c: rename_place(c, "Booth", "shop"), "could not tell 'shop' from 'Shop'"),
        (lambda c: rename_place(c, "Booth", "dusty"), "could not tell"),
        (lambda c: rename_place(c, "Booth", "indoors"), "cannot be a place's name"),
        (lambda c: rename_place(c, "Booth", " – "), "cannot be a place's name"),
        (lambda c: rename_place(c, "Cellar", "Vault"), "there is no place 'Cellar'"),
        (lambda c: make_place(c, "SHOP"), "could not tell"),
        (lambda c: merge_places(c, "Shop", "Shop"), "itself already"),
        (lambda c: delete_place(c, "Booth"), "Booth is not empty: counter"),
        (lambda c: order_places(c, ["Nowhere"]), "there is no place"),
    ],
)
def test_what_cannot_be_done_to_a_place_is_said_and_nothing_is_changed(
    pottery: Store, change: Callable[[Connection], None], why: str
) -> None:
    before = _told(pottery)
    with pytest.raises(UsageError, match=why), pottery.write() as connection:
        change(connection)
    assert _told(pottery) == before


def test_what_others_have_built_upon_is_not_taken_back(pottery: Store) -> None:
    made = _done(pottery, lambda connection: rename_place(connection, "Booth", "Glaze booth"))
    _done(pottery, lambda connection: rename_place(connection, "Glaze booth", "Spray booth"))
    before = _told(pottery)
    with (
        pytest.raises(UsageError, match="somebody has changed this since"),
        pottery.write() as connection,
    ):
        take_changes_back(connection, made.changes)
    assert _told(pottery) == before


@given(st.text("ab -'ä日", min_size=1, max_size=8), st.sampled_from(["pm25@{} * 2", "{{x@{}}}"]))
def test_a_text_that_does_not_name_the_place_stays(name: str, around: str) -> None:
    text = around.format('"Elsewhere"')
    assert renamed_in_text(text, name, "New") == text
    assert renamed_in_text("new - 3", "new", "Other") == "new - 3"
    assert renamed_in_text("x@new/box", "New", "Old barn") == "x@old-barn/box"
