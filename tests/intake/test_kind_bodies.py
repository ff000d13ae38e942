"""Messages that a kind describes: bytes by a layout, JSON by a shape; through the whole way in."""

from __future__ import annotations

import base64
import json
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.core.quantities.json_shape import shape_from_table
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.layout_reading import LayoutReader
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.intake.decode import DecodeSettings, decoded
from rook_tally.intake.message import BodyFormat, IntakeResult, Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.intake.take_in import stray_senders, take_in
from rook_tally.store.base import Store
from rook_tally.store.readings import latest, read_raw_range
from rook_tally.store.site import (
    TopicSetting,
    add_door,
    add_station,
    keep_kind,
    load_site,
    newest_strays,
)
from tests.builders import MINUTE_US, NOON_US

BED = kind_from_toml(
    """
slug = "bed-probe"
name = "bed probe"
cadence_s = 600
[[field]]
name = "moisture"
quantity = "substrate_moisture"
unit = "%"
[layout]
order = "little"
check = "xor8"
[[layout.field]]
name = "moisture"
at = 0
type = "u16"
scale = 0.1
nothing = [65535]
[layout.repeat]
bytes = 2
back = "10 min"
"""
)
RADIO = kind_from_toml(
    kind_to_toml(BED)
    .replace('"bed-probe"', '"radio-bed"')
    .replace("[layout]", '[layout]\nat = "/uplink/payload"\ntext = "base64"')
)


def kind_with(table: str, slug: str = "theirs") -> Kind:
    return kind_from_toml(f'slug = "{slug}"\nname = "theirs"\ncadence_s = 60\n{table}')


def of_bed(*tenths: int) -> bytes:
    body = b"".join(one.to_bytes(2, "little") for one in tenths)
    check = 0
    for byte in body:
        check ^= byte
    return body + bytes([check])


Send = Callable[..., IntakeResult]


@pytest.fixture
def send(store: Store) -> Send:
    """Receive a message of a station whose kind is given with its first."""
    directory, clocks = IntakeSession(), Clocks()

    def sent(
        body: bytes,
        kind: Kind | None = None,
        form: BodyFormat | None = None,
        station: str = "bed",
        address: str = "127.0.0.1",
    ) -> IntakeResult:
        if kind is not None:
            with store.write() as connection:
                keep_kind(connection, kind)
                add_station(connection, station, place="Yard", kind=kind)
        message = Message("mqtt", address, body, NOON_US, form, station=station)
        return receive(store, directory, clocks, [message])[0]

    return sent


def values_of(store: Store) -> dict[tuple[str, str], float]:
    with store.read() as connection:
        newest = latest(connection)
        return {
            (one.station.key, one.field): round(newest[one.id].value, 6)
            for one in load_site(connection).series
        }


def test_bytes_become_readings_with_those_of_earlier_on(send: Send, store: Store) -> None:
    answer = send(of_bed(412, 409, 65535, 401), BED)
    assert (answer.kept, answer.why) == (3, "")
    with store.read() as connection:
        (series,) = load_site(connection).series
        told = read_raw_range(connection, series.id, 0, NOON_US + 1)
    assert told.value.round(6).tolist() == [40.1, 40.9, 41.2]
    assert [(NOON_US - one) // MINUTE_US for one in told.time_us.tolist()] == [30, 10, 0]


def test_a_stray_of_bytes_is_taken_in_by_a_kind_with_their_layout(send: Send, store: Store) -> None:
    assert send(of_bed(412)).kept == 0
    with store.write() as connection:
        keep_kind(connection, BED)
    assert take_in(store, "bed", place="Yard", kind="bed-probe").kept == 1
    assert values_of(store) == {("bed", "moisture"): 41.2}


def test_a_check_that_does_not_hold_is_kept_astray_with_its_reason(
    send: Send, store: Store
) -> None:
    answer = send(of_bed(412)[:-1] + b"\x00", BED)
    assert answer.kept == 0
    assert "its xor8 is 00" in answer.why
    with store.read() as connection:
        (stray,) = newest_strays(connection, 10)
    assert "its xor8 is 00" in stray.why
    # The next one is read.
    assert send(of_bed(412)).kept == 1


def test_what_says_that_it_is_json_is_read_as_json(send: Send, store: Store) -> None:
    assert send(of_bed(412), BED).kept == 1
    assert send(b'{"temperature": 20.5}', form=BodyFormat.JSON).kept == 1


def test_a_kind_reads_what_comes_by_topics_of_others(send: Send, store: Store) -> None:
    with store.write() as connection:
        add_door(connection, TopicSetting("field-{station}/up"))
    assert send(of_bed(412), BED).kept == 1
    assert send(of_bed(400), station="nobody", address="field-bed/up").station == "bed"


def test_bytes_within_the_json_of_a_radio_network(send: Send, store: Store) -> None:
    payload = base64.b64encode(of_bed(377)).decode()
    body = json.dumps({"device": "0A", "uplink": {"payload": payload, "port": 2}}).encode()
    assert send(body, RADIO, BodyFormat.JSON).kept == 1
    assert values_of(store) == {("bed", "moisture"): 37.7}
    answer = send(b'{"uplink": {"payload": "not base64!"}}', form=BodyFormat.JSON)
    assert "not written as base64" in answer.why
    assert "nothing is at /uplink/payload" in send(b'{"join": 1}', form=BodyFormat.JSON).why


def test_a_kind_keeps_its_layout_and_its_shape_in_its_file() -> None:
    for kind in (BED, RADIO, kind_with('[json]\ntime = "/t"\n[json.words]\nOPEN = 1\n')):
        assert kind_from_toml(kind_to_toml(kind)) == kind
        # Stations are told apart by sets of them.
        assert len({kind, kind_from_toml(kind_to_toml(kind))}) == 1
    with pytest.raises(UsageError, match="a layout or a shape"):
        kind_with('[json]\ntime = "/t"\n[[layout.field]]\nname = "a"\nat = 0\ntype = "u8"\n')


def read_as(table: dict[str, Any], document: object) -> list[tuple[str | None, str, object]]:
    hints = DecodeSettings(shape=shape_from_table(table))
    told = decoded(Message("mqtt", "t", json.dumps(document).encode(), NOON_US), hints)
    return [(one.station, one.field, one.value) for one in told.items]


def test_pairs_of_names_and_values() -> None:
    document = {"d": [{"n": "temp", "v": 21.5, "u": "°C"}, {"n": "rh", "v": "48"}, {"n": "x"}]}
    pairs = {"at": "/d", "name": "/n", "value": "/v", "unit": "/u"}
    hints = DecodeSettings(shape=shape_from_table({"pairs": pairs}))
    told = decoded(Message("mqtt", "t", json.dumps(document).encode(), NOON_US), hints)
    assert [(one.field, one.value, one.unit) for one in told.items] == [
        ("temp", 21.5, "°C"),
        ("rh", 48.0, None),
    ]
    assert [one.why for one in told.refused] == ["no name and value are at /n and /v"]


def test_a_message_that_says_whose_it_is(send: Send, store: Store) -> None:
    kind = kind_with('[json]\nstation = "/dev"\n', "radio-bridge")
    assert send(b'{"dev": "bed-3", "temperature": 21.5}', kind, station="bridge").stray == 1
    assert take_in(store, "bridge.bed-3", place="Shed").kept == 1
    assert values_of(store) == {("bridge.bed-3", "temperature"): 21.5}


def test_objects_that_are_one_value_and_members_that_are_none() -> None:
    document = {
        "air": {"temp": {"value": 21.5, "unit": "°C"}, "state": "OPEN"},
        "rssi": -70,
        "meta": {"fw": 3},
        "door": None,
    }
    table = {
        "skip": ["/rssi", "/meta"],
        "valued": {"value": "value", "unit": "unit"},
        "words": {"open": 1},
    }
    assert read_as(table, document) == [(None, "air.temp", 21.5), (None, "air.state", 1.0)]


@pytest.mark.parametrize(
    ("table", "told", "moment"),
    [
        ({"time": "/ts"}, 1_795_444_328, "2026-11-23T14:32:08Z"),
        ({"time": "/ts", "time_in": "ms"}, 1_795_444_328_500, "2026-11-23T14:32:08.5Z"),
        ({"time": "/ts", "time_in": "us"}, 1_795_444_328_000_001, "2026-11-23T14:32:08.000001Z"),
        # Seconds since 1970 as a text, and a small number that only the shape can tell is in ms.
        ({"time": "/ts", "time_in": "s"}, "1795444328", "2026-11-23T14:32:08Z"),
        ({"time": "/ts", "time_in": "ms"}, 1000, "1970-01-01T00:00:01Z"),
        (
            {"time": "/ts", "time_in": "rfc3339", "zone": "Europe/Berlin"},
            "2026-11-23 15:32:08",
            "2026-11-23T14:32:08Z",
        ),
    ],
)
def test_times_are_read_as_the_shape_says(table: dict[str, Any], told: object, moment: str) -> None:
    hints = DecodeSettings(shape=shape_from_table(table))
    body = json.dumps({"ts": told, "temp": 21}).encode()
    (item,) = decoded(Message("mqtt", "t", body, NOON_US), hints).items
    assert item.time_us == time_us_from_text(moment)


def test_a_time_that_cannot_be_read_is_noted() -> None:
    hints = DecodeSettings(shape=shape_from_table({"time": "/ts", "time_in": "rfc3339"}))
    (item,) = decoded(Message("mqtt", "t", b'{"ts": "noon", "temp": 21}', NOON_US), hints).items
    assert item.time_us is None
    assert "'noon' is not a time" in item.time_note


GATEWAY = kind_with(
    """
[json]
list = "/devices"
station = "/id"
time = "/last_seen"
skip = ["/rssi"]
""",
    "radio-gateway",
)


def test_a_gateway_speaks_for_those_behind_it_and_for_nobody_else(send: Send, store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "wall", place="Hall", kind=kind_with("", "any"))
    devices = [
        {"id": "wall", "temperature": 20.5, "rssi": -70, "last_seen": "2026-02-03T11:59:00Z"},
        {"id": 7, "temperature": 4.5, "humidity": 80},
        {"temperature": 99},
    ]
    body = json.dumps({"devices": devices}).encode()
    answer = send(body, GATEWAY, station="gw")
    assert (answer.kept, answer.stray) == (0, 3)
    assert [one.why for one in answer.refused] == ["no station's name is at /id"]
    with store.read() as connection:
        waiting = {one.station: one for one in stray_senders(connection)}
    assert set(waiting) == {"gw.wall", "gw.7"}
    assert {one.name for one in waiting["gw.7"].fields} == {"temperature", "humidity"}
    # What waited is its own part alone, and is taken in.
    taken = take_in(store, "gw.7", place="Shed")
    assert (taken.kept, taken.waiting) == (2, 0)
    assert send(body, station="gw").stray == 1
    assert values_of(store) == {("gw.7", "temperature"): 4.5, ("gw.7", "humidity"): 80.0}


@pytest.mark.parametrize(
    ("table", "why"),
    [
        ({"time": "ts"}, "time = 'ts' is no JSON pointer"),
        ({"time_in": "days"}, "time_in"),
        ({"list": "/d"}, "needs the pointer of their names"),
        ({"zone": "Mars/Olympus"}, "no zone Mars"),
        ({"pairs": {"at": "/d", "name": "", "value": "/v"}}, "pairs need"),
        ({"colour": "red"}, "colour"),
    ],
)
def test_shapes_that_cannot_be_meant_are_refused(table: dict[str, Any], why: str) -> None:
    with pytest.raises(UsageError, match=why):
        shape_from_table(table)


ANY_JSON = st.recursive(
    st.none() | st.booleans() | st.floats() | st.text(max_size=5),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(st.sampled_from(["id", "d", "n", "v", "t", "value"]), inner, max_size=4)
    ),
    max_leaves=12,
)
SHAPES: list[dict[str, Any]] = [
    {},
    {"time": "/t", "skip": ["/d"], "valued": {"value": "value", "unit": "n", "time": "t"}},
    {"pairs": {"at": "/d", "name": "/n", "value": "/v", "time": "/t"}},
    {"list": "/d", "station": "/id", "time": "/t"},
    {"list": "", "station": "/n", "pairs": {"at": "/d", "name": "/n", "value": "/v"}},
]


@given(ANY_JSON, st.sampled_from(SHAPES))
def test_no_json_is_more_than_a_reason(document: object, table: dict[str, Any]) -> None:
    hints = DecodeSettings(shape=shape_from_table(table))
    try:
        decoded(Message("mqtt", "t", json.dumps(document).encode(), NOON_US), hints)
    except DecodeError as error:
        assert str(error)


@given(st.binary(max_size=40))
def test_no_bytes_of_a_message_are_more_than_a_reason(body: bytes) -> None:
    for kind in (BED, RADIO):
        assert kind.layout is not None
        hints = DecodeSettings(layout=LayoutReader(kind.layout))
        try:
            decoded(Message("mqtt", "t", body, NOON_US), hints)
        except DecodeError as error:
            assert str(error)


def test_what_a_layout_works_out_is_kept_and_what_serves_it_alone_is_not(store: Store) -> None:
    kind = kind_from_toml(
        """
slug = "gauge"
name = "gauge"
cadence_s = 60
[[field]]
name = "temp"
quantity = "temperature"
unit = "°C"
[layout]
[[layout.field]]
name = "_raw"
at = 0
type = "u16"
[[layout.formula]]
name = "temp"
is = "if _raw = 0 then 1 / 0 else _raw / 40 - 20"
"""
    )
    with store.write() as connection:
        keep_kind(connection, kind)
        add_station(connection, "gauge", place="Shed", kind=kind)
        with pytest.raises(UsageError, match="formula temp: at _later"):
            keep_kind(connection, kind_from_toml(kind_to_toml(kind).replace("_raw /", "_later /")))
    directory, clocks = IntakeSession(), Clocks()
    told = [
        receive(
            store, directory, clocks, [Message("mqtt", "t", body, NOON_US + at, station="gauge")]
        )[0]
        for at, body in enumerate((b"\x06\x40", b"\x00\x00"))
    ]
    assert [one.kept for one in told] == [1, 0]
    assert told[1].why.startswith("every field of the message says that it has no value")
    with store.read() as connection:
        assert [one.value for one in latest(connection).values()] == [20.0]
        assert [one.field for one in load_site(connection).series] == ["temp"]
