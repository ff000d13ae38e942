"""What Bluetooth sensors tell goes the same way as every message: by the layout of their kind, of
any kind while they are strays, and whatever they tell harms nobody else."""

from __future__ import annotations

import pytest

from rook_tally.core.quantities.kind_files import kind_from_toml
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.intake.take_in import stray_senders, take_in
from rook_tally.store.base import Store
from rook_tally.store.readings import latest
from rook_tally.store.site import add_station, keep_kind, load_site, newest_strays
from tests.builders import NOON_US
from tests.collector.test_bluetooth import MILL, SCALE, SHELF
from tests.store.test_poison import POISON

ADDRESS, KEY = "C4:11:0A:00:00:03", "ble-c4110a000003"
GOOD = bytes.fromhex("420b09860be7")


class Sender:
    """Receives what a sensor tells, one message after the other."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._directory, self._clocks = IntakeSession(), Clocks()
        self._at_us = NOON_US

    def send(self, body: bytes, source: str = "company ffff", key: str = KEY) -> IntakeResult:
        self._at_us += 1_000_000
        where = f"{ADDRESS} {source}".strip()
        message = Message("bluetooth", where, body, self._at_us, station=key)
        return receive(self._store, self._directory, self._clocks, [message])[0]


@pytest.fixture
def sender(store: Store) -> Sender:
    with store.write() as connection:
        for text in (SHELF, MILL, SCALE):
            keep_kind(connection, kind_from_toml(text))
    return Sender(store)


def _add(store: Store, kind: str, key: str = KEY) -> None:
    with store.write() as connection:
        add_station(connection, key, place="Shed", kind=kind_from_toml(kind))


def _values(store: Store) -> dict[str, float]:
    with store.read() as connection:
        newest = latest(connection)
        series = load_site(connection).series
        return {one.field: newest[one.id].value for one in series if one.id in newest}


def test_a_stray_is_read_by_the_kind_that_has_a_layout_for_it(store: Store, sender: Sender) -> None:
    assert sender.send(GOOD).stray == 2
    with store.read() as connection:
        (one,) = stray_senders(connection)
    assert (one.station, one.kind.slug) == (KEY, "shelf-tag")
    take_in(store, KEY, place="Shed")
    assert _values(store) == {"temp": 23.15, "cell": 2.95}


def test_the_kind_of_a_station_goes_before_any_other(store: Store, sender: Sender) -> None:
    other = SHELF.replace("shelf-tag", "other-tag").replace("scale = 0.01", "scale = 0.1")
    with store.write() as connection:
        keep_kind(connection, kind_from_toml(other))
    _add(store, other)
    assert sender.send(GOOD).kept == 2
    assert _values(store)["temp"] == 231.5


def test_lines_are_read_as_text_and_what_has_no_layout_is_said(
    store: Store, sender: Sender
) -> None:
    _add(store, SCALE)
    assert sender.send(b"temperature=21.4", "lines").kept == 1
    assert _values(store) == {"temperature": 21.4}
    answer = sender.send(b"\x01\x02", "company 0001")
    assert answer.kept == 0
    assert answer.why or answer.strays


def test_a_check_that_does_not_hold_is_a_reason_on_the_tape(store: Store, sender: Sender) -> None:
    _add(store, SHELF)
    for body, why in (
        (GOOD[:-1] + b"\x00", "its sum8 is 00"),
        (GOOD[:3], "3 bytes came"),
        (b"\x43" + GOOD[1:], "it begins with 43"),
    ):
        assert why in sender.send(body).why
    assert sender.send(GOOD).kept == 2


def test_poison_of_a_sensor_harms_nobody(store: Store, sender: Sender) -> None:
    """As a station, as a stray, as lines of text, and as Environmental Sensing."""
    _add(store, SHELF)
    for body, _ in POISON.values():
        for source, key in (
            ("company ffff", KEY),
            ("company ffff", "ble-000000000001"),
            ("lines", "ble-000000000002"),
            ("characteristic x", KEY),
            ("", KEY),
        ):
            sender.send(body, source, key)
        assert sender.send(GOOD).kept == 2
    with store.read() as connection:
        strays = newest_strays(connection)
        assert all(len(one.address) <= 300 and len(one.why) <= 300 for one in strays)
        stray_senders(connection)
