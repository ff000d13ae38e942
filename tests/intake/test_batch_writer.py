"""The way of a message into the store: resolved, screened, written, answered, counted."""

from __future__ import annotations

import json
from collections.abc import Callable

import cbor2
import pytest

from rook_tally.core.quantities.kinds import KINDS, PLAIN
from rook_tally.core.series.readings import Quality
from rook_tally.intake.message import BodyFormat, IntakeResult, Message, Problem
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.readings import latest
from rook_tally.store.site import (
    MessageCounts,
    add_station,
    load_site,
    newest_messages,
    newest_strays,
    tallies,
)
from tests.builders import NOON_US

Take = Callable[..., IntakeResult]


@pytest.fixture
def take(store: Store) -> Take:
    """Receive one message at noon."""
    directory, clocks = IntakeSession(), Clocks()

    def taken(
        body: object,
        *,
        station: str | None = None,
        access_key: str | None = None,
        arrived_us: int = NOON_US,
    ) -> IntakeResult:
        raw = body if isinstance(body, bytes) else json.dumps(body).encode()
        message = Message(
            "http", "127.0.0.1", raw, arrived_us, station=station, access_key=access_key
        )
        return receive(store, directory, clocks, [message])[0]

    return taken


@pytest.fixture
def key(store: Store) -> str:
    """The access key of a station `wall` of a kind; `other` and `plain` are there too."""
    with store.write() as connection:
        add_station(connection, "other", place="Yard", kind=PLAIN)
        add_station(connection, "plain", place="Yard", kind=PLAIN)
        return add_station(connection, "wall", place="Hall", kind=KINDS["sound-meter"])


def _values(store: Store) -> dict[tuple[str, str], float]:
    with store.read() as connection:
        newest = latest(connection)
        return {
            (one.station.key, one.quantity.slug): newest[one.id].value
            for one in load_site(connection).series
        }


def test_fields_of_a_kind_and_slugs_of_quantities(take: Take, key: str, store: Store) -> None:
    """A kind's field has its unit; any station may use a quantity's slug in its base unit."""
    answer = take({"temp_f": 50, "noise": 61.5, "co2": 700}, station="wall")
    assert (answer.kept, answer.stray, answer.refused) == (3, 0, [])
    assert _values(store) == {
        ("wall", "temperature"): pytest.approx(10.0),
        ("wall", "sound_level"): 61.5,
        ("wall", "co2"): 700.0,
    }


def test_units_told_by_the_sender(take: Take, key: str, store: Store) -> None:
    answer = take(
        [
            {"bn": "plain/", "n": "temperature", "u": "K", "v": 300.15},
            {"n": "pressure", "u": "V", "v": 5},
        ]
    )
    assert answer.kept == 1
    assert _values(store) == {("plain", "temperature"): pytest.approx(27.0)}
    assert "V is no unit of pressure; known are hPa" in answer.refused[0].why


def test_who_speaks(take: Take, key: str, store: Store) -> None:
    """The key's station, the query's, the body's; nobody speaks for another we know."""
    assert take({"co2": 500}, access_key=key).kept == 1
    assert take({"station": "plain", "co2": 500}).kept == 1
    assert (
        take(
            [{"bn": "serial-4711/", "n": "co2", "v": 501}], access_key=key, arrived_us=NOON_US + 1
        ).kept
        == 1
    )
    mixed = take({"station": "other", "co2": 500}, access_key=key)
    assert (mixed.kept, mixed.stray) == (0, 0)
    assert mixed.refused[0].why == "wall speaks here and cannot speak for other"
    assert set(_values(store)) == {("wall", "co2"), ("plain", "co2")}


def test_a_wrong_key_is_told_and_the_message_kept(take: Take, key: str, store: Store) -> None:
    answer = take({"co2": 500}, access_key="wrong")
    assert (answer.problem, answer.stray) == (Problem.WRONG_KEY, 1)
    with store.read() as connection:
        (stray,) = newest_strays(connection)
    assert (stray.body, stray.why) == (b'{"co2": 500}', "came with a wrong access key")


def test_unknown_stations_and_fields_become_strays(take: Take, key: str, store: Store) -> None:
    stranger = take({"temp": 9.5, "rh": 84}, station="slipway-9")
    assert (stranger.kept, stranger.stray) == (0, 2)
    partly = take({"co2": 600, "pm2_5": 7}, station="wall")
    assert (partly.kept, partly.stray) == (1, 1)
    nobody = take({"co2": 600})
    assert nobody.stray == 1
    with store.read() as connection:
        strays = newest_strays(connection)
        counted = tallies(connection)
        wall = load_site(connection).station("wall")
    assert [(one.station, one.why) for one in strays] == [
        (None, "no station is named"),
        ("wall", "station wall has no field pm2_5"),
        ("slipway-9", "no station slipway-9 has been taken in"),
    ]
    assert wall is not None
    assert counted == {wall.id: MessageCounts(kept=1, stray=1), 0: MessageCounts(stray=3)}


def test_bodies_that_cannot_be_read(take: Take, key: str, store: Store) -> None:
    broken = take(b'{"co2":', station="wall")
    assert (broken.problem, broken.stray) == (Problem.UNREADABLE, 1)
    assert "ends in the middle" in broken.why
    assert take(b"[]").problem is Problem.EMPTY
    with store.read() as connection:
        (stray,) = newest_strays(connection)
    assert (stray.station, stray.body) == ("wall", b'{"co2":')


@pytest.mark.parametrize(
    ("time", "note"),
    [
        ("1970-01-01T00:00:00Z", "is before 2015; kept under its arrival time"),
        (0, "is before 2015"),
        ("2027-11-23T12:00:00Z", "is more than 2 minutes ahead"),
        ("2026-11-23T12:02:01Z", "is more than 2 minutes ahead"),
        ("teatime", "'teatime' is not a time"),
    ],
)
def test_times_that_are_not_believed(
    take: Take, key: str, store: Store, time: object, note: str
) -> None:
    answer = take({"time": time, "co2": 500}, station="wall")
    assert answer.kept == 1
    assert note in answer.noted[0].why
    with store.read() as connection:
        (newest,) = latest(connection).values()
    assert newest.time_us == NOON_US


def test_a_clock_a_little_ahead_is_believed(take: Take, key: str, store: Store) -> None:
    take({"time": "2026-11-23T12:01:59Z", "co2": 500}, station="wall")
    with store.read() as connection:
        (newest,) = latest(connection).values()
    assert newest.time_us == NOON_US + 119_000_000


def test_unbelievable_values_are_kept_as_suspect(take: Take, key: str, store: Store) -> None:
    answer = take({"co2": 99_999, "temperature": 21}, station="wall")
    assert (answer.kept, answer.suspect) == (2, 1)
    with store.read() as connection:
        qualities = {one.value: one.quality for one in latest(connection).values()}
    assert qualities == {99_999.0: Quality.UNBELIEVABLE, 21.0: Quality.GOOD}


@pytest.mark.parametrize(
    ("told", "kept"), [(True, 1.0), ("off", 0.0), ("On", 1.0), (0, 0.0), ("1", 1.0)]
)
def test_states(take: Take, key: str, store: Store, told: object, kept: float) -> None:
    assert take({"presence": told}, station="wall").kept == 1
    assert _values(store)["wall", "presence"] == kept


@pytest.mark.parametrize(
    ("body", "why"),
    [
        ({"presence": 0.5}, "0.5 is no state"),
        ({"co2": True}, "true is not a number"),
        ({"co2": "off"}, "off is not a number"),
    ],
)
def test_values_that_do_not_fit_their_quantity(
    take: Take, key: str, store: Store, body: dict[str, object], why: str
) -> None:
    answer = take(body, station="wall")
    assert why in answer.refused[0].why
    assert _values(store) == {}


def test_the_same_again_is_a_duplicate(take: Take, key: str, store: Store) -> None:
    body = {"time": "2026-11-23T11:00:00Z", "co2": 500, "temperature": 20}
    assert take(body, station="wall").kept == 2
    again = take(body | {"co2": 505}, station="wall")
    assert (again.kept, again.duplicate) == (1, 1)
    with store.read() as connection:
        wall = load_site(connection).station("wall")
        assert wall is not None
        assert tallies(connection)[wall.id] == MessageCounts(kept=3, duplicate=1, revised=1, late=3)


def test_a_station_added_meanwhile_is_known_at_once(take: Take, store: Store) -> None:
    assert take({"co2": 500}, station="late").stray == 1
    with store.write() as connection:
        add_station(connection, "late", place="Yard", kind=PLAIN)
    assert take({"co2": 500}, station="late").kept == 1


def test_the_tape_holds_what_was_read_beside_what_came(store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "bin", place="Yard", kind=KINDS["climate"])
    directory, clocks = IntakeSession(), Clocks()
    packed = cbor2.dumps([{-2: "bin/", 0: "temp", 1: "Cel", 2: 21.5}, {0: "rh", 2: 41}])
    for body, form in (
        (packed, BodyFormat.SENML_CBOR),
        (b"temp=20.5\xc2\xb0C fw=2.1", None),
        (b"2a6e=5908 rssi=-61", BodyFormat.ENVIRONMENTAL),
        (b"{", BodyFormat.JSON),
    ):
        message = Message("serial", "port", body, NOON_US, form, station="bin")
        receive(store, directory, clocks, [message])
    with store.read() as connection:
        read = [line.decoded for line in reversed(newest_messages(connection, "bin"))]
    assert read == [
        "temp 21.5 Cel, rh 41",
        "temp 20.5 °C, firmware: 2.1",
        "temperature 21.37 °C, rssi -61 dBm",
        "",
    ]
