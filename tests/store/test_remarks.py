"""Remarks and shown units kept: written, altered, deleted, brought back."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT, VOLT
from rook_tally.core.remarks import Remark
from rook_tally.store.base import ChangeTail, Store, Subject
from rook_tally.store.site import (
    load_site,
    remarks,
    remove_remark,
    save_remark,
    show_in_unit,
    shown_units,
)
from tests.builders import NOON_US, begin_series


def test_a_remark_is_kept_altered_and_taken_away(store: Store) -> None:
    tail = ChangeTail(store)
    with store.write() as connection:
        pin = save_remark(connection, Remark("door opened", NOON_US, place="Shop", who="potter"))
        span = save_remark(connection, Remark("idle", NOON_US - 60, NOON_US, 3))
    assert {one.subject for one in tail.changes()} == {Subject.REMARKS}
    tail.close()
    assert pin.id != span.id
    with store.read() as connection:
        assert remarks(connection) == [span, pin]
    with store.write() as connection:
        save_remark(connection, replace(pin, text="door shut"))
        gone = remove_remark(connection, span.id)
    assert gone == span
    with store.read() as connection:
        assert [one.text for one in remarks(connection)] == ["door shut"]


def test_a_remark_taken_away_comes_back_as_it_was(store: Store) -> None:
    with store.write() as connection:
        kept = save_remark(connection, Remark("soft clay", NOON_US, NOON_US + 9))
        save_remark(connection, Remark("later", NOON_US + 20))
    with store.write() as connection:
        gone = remove_remark(connection, kept.id)
        assert save_remark(connection, gone) == kept
    with store.write() as connection, pytest.raises(UsageError, match="not there any more"):
        remove_remark(connection, 999)


def test_a_unit_is_shown_everywhere_and_the_base_unit_again(store: Store) -> None:
    begin_series(store)
    temperature = QUANTITIES["temperature"]
    with store.write() as connection:
        show_in_unit(connection, temperature, FAHRENHEIT)
    with store.read() as connection:
        assert shown_units(connection) == {"temperature": FAHRENHEIT}
        (one,) = load_site(connection).series
        assert one.shown.text(100.0) == "212.0"
    with store.write() as connection:
        show_in_unit(connection, temperature, temperature.base)
        with pytest.raises(UsageError, match="not shown in V"):
            show_in_unit(connection, temperature, VOLT)
    with store.read() as connection:
        assert shown_units(connection) == {}
