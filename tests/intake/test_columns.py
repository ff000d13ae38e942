"""Messages taken in whole columns: the same comes of them as value by value."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from unittest.mock import patch

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.series.readings import Quality
from rook_tally.core.site_settings import SiteSettings, TimeGrain
from rook_tally.core.timestamps import SECOND_US
from rook_tally.intake.message import BodyFormat, IntakeResult, Message
from rook_tally.intake.pipeline import take_message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.columns import take_columns
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import read_raw_range
from rook_tally.store.readings.quality_overrides import overrule
from rook_tally.store.site import add_station, load_site, newest_messages, tallies
from rook_tally.store.site.clock_faults import clock_faults
from rook_tally.store.site.configuration import settle_site
from tests.builders import NOON_US
from tests.examples import examples
from tests.ways_in import ALWAYS_US, WayIn

VALUES = st.sampled_from([20.0, 20.5, 21.0, 0.0, -0.0, -400.0, 900.0, 1e12])
KNOWN = ("temperature", "humidity", "co2")
ODD = ("switch", "temp_f", "nothing")
FIELDS = st.sampled_from(KNOWN * 6 + ODD)
# Seconds after noon that a message says, beside the second in which it comes.
TIMES = st.sampled_from([None, None, 0, 0, 1, 2, -30, -3 * 86_400, 100, 10_000_000])


@st.composite
def messages(draw: st.DrawFn) -> tuple[int, str, bytes, BodyFormat | None]:
    """When it comes, whose it is said to be, the body and its form."""
    second = draw(st.integers(0, 40))
    station = draw(st.sampled_from(["kiln", "kiln", "wall"]))
    told = draw(st.dictionaries(FIELDS, VALUES, min_size=1, max_size=4))
    time = draw(TIMES)
    moment_s = None if time is None else NOON_US // SECOND_US + second + time
    match draw(st.sampled_from(["json", "senml", "csv"])):
        case "senml":
            named = draw(st.sampled_from(["kiln", "kiln", "wall", "stranger"]))
            unit = draw(st.sampled_from([None, None, "%", "°F", "Cel", "stones"]))
            pack = [
                {"n": name, "v": value} | ({} if unit is None else {"u": unit})
                for name, value in told.items()
            ]
            pack[0] |= {"bn": f"{named}/", "bt": moment_s or NOON_US // SECOND_US}
            return second, station, json.dumps(pack).encode(), BodyFormat.SENML_JSON
        case "csv":
            begins = moment_s or NOON_US // SECOND_US
            numbers = ",".join(map(str, told.values()))
            rows = [f"{begins + at // 2},{numbers}" for at in range(draw(st.integers(1, 4)))]
            body = "\n".join([",".join(["time", *told]), *rows])
            return second, station, body.encode(), BodyFormat.CSV
        case _:
            more = {} if moment_s is None else {"time": moment_s}
            return second, station, json.dumps({**told, **more}).encode(), BodyFormat.JSON


def came_to(
    path: Path, sent: Sequence[Sequence[tuple[int, str, bytes, BodyFormat | None]]]
) -> tuple[object, ...]:
    """What is in a store after batches of messages, and what was answered. Every third batch is
    another collector's; a stretch of the kiln's temperature is a person's to judge."""
    with open_store(path) as store:
        way = WayIn(store, "kiln")
        with store.write() as connection:
            add_station(connection, "wall", place="Hall", kind=KINDS["sound-meter"], cadence_s=10)
        for key in ("kiln", "wall"):
            for name in KNOWN:
                way.begin(name, key)
        series = way.series("temperature")
        with store.write() as connection:
            overrule(
                connection,
                series,
                NOON_US + 10 * SECOND_US,
                NOON_US + 20 * SECOND_US,
                Quality.SET_ASIDE,
                who="wren",
                why="a hand on it",
            )
        other = WayIn.__new__(WayIn)
        other.restart()
        answers: list[IntakeResult] = []
        for at, batch in enumerate(sent):
            one = other if at % 3 == 2 else way
            several = [
                Message("http", "1.2.3.4", body, NOON_US + second * SECOND_US, form, station)
                for second, station, body, form in batch
            ]
            answers += receive(store, one.directory, one.clocks, several)
        return _all_of(store), answers


def _all_of(store: Store) -> tuple[object, ...]:
    with store.read() as connection:
        rows = {}
        for one in load_site(connection).series:
            told = read_raw_range(connection, one.id, 0, ALWAYS_US)
            rows[one.station.key, one.field, one.quantity.slug] = (
                told.time_us.tolist(),
                [str(value) for value in told.value.tolist()],
                told.quality.tolist(),
            )
        return rows, tallies(connection), newest_messages(connection), clock_faults(connection)


NOON_S = NOON_US // SECOND_US
ONE = (0, "kiln", b'{"temperature": 20.5, "humidity": 43}', BodyFormat.JSON)
FAR = (2, "kiln", b'{"temperature": -400, "co2": 700}', BodyFormat.JSON)
TWICE = (
    3,
    "kiln",
    b'[{"bn":"kiln/","bt":%d,"n":"co2","v":1},{"n":"co2","v":2}]' % NOON_S,
    BodyFormat.SENML_JSON,
)
ROWS = (4, "kiln", b"time,co2\n%d,7\n%d,8\n%d,9" % (NOON_S, NOON_S, NOON_S + 1), BodyFormat.CSV)
LATE = (9, "kiln", b'{"temperature": 20.5, "time": %d}' % NOON_S, BodyFormat.JSON)


@given(st.lists(st.lists(messages(), min_size=1, max_size=6), min_size=3, max_size=8))
@example([[ONE], [ONE], [ONE]])
@example([[FAR], [TWICE], [ROWS], [FAR], [TWICE, ROWS]])
@example([[(at, *ONE[1:]) for at in range(5)], [(9, *ONE[1:])], [LATE], [LATE, LATE]])
@settings(
    max_examples=examples(30),
    suppress_health_check=[HealthCheck.function_scoped_fixture],
    deadline=None,
)
def test_the_same_comes_of_messages_in_columns_and_value_by_value(
    tmp_path_factory: pytest.TempPathFactory,
    sent: list[list[tuple[int, str, bytes, BodyFormat | None]]],
) -> None:
    folder: Path = tmp_path_factory.mktemp("columns")
    in_columns = came_to(folder / "columns.db", sent)
    with patch.object(take_message, "take_columns", lambda *_: False):
        one_by_one = came_to(folder / "values.db", sent)
    assert in_columns == one_by_one


def test_ordinary_messages_are_taken_in_columns(store: Store) -> None:
    """All but the first, which begins its series; and again once the configuration was changed."""
    way = WayIn(store, "kiln")
    taken: list[bool] = []

    def counted(*told: object) -> bool:
        taken.append(take_columns(*told))  # type: ignore[arg-type]
        return taken[-1]

    with patch.object(take_message, "take_columns", counted):
        for at in range(3):
            way.told(NOON_US + at * SECOND_US, temperature=20.0 + at, humidity=43)
        with store.write() as connection:
            add_station(connection, "wall", place="Hall", kind=KINDS["sound-meter"])
        way.told(NOON_US + 9 * SECOND_US, temperature=21.0, humidity=43)
    assert taken == [False, True, True, True]
    assert len(way.kept("temperature")) == 4


IN_MS = [
    (b'{"temperature": 20.5, "time": 1786449600.0014}', BodyFormat.JSON, 1_786_449_600_001_000),
    (b"time,temperature\n1786449600.0029,20.5", BodyFormat.CSV, 1_786_449_600_002_000),
    (
        b'[{"bn":"kiln/","bt":1786449600.0035,"n":"temperature","v":20.5}]',
        BodyFormat.SENML_JSON,
        1_786_449_600_003_000,
    ),
    (b'{"temperature": 20.5}', BodyFormat.JSON, 1_786_449_700_000_000),
]


@pytest.mark.parametrize("in_columns", [True, False])
def test_times_are_cut_where_the_store_keeps_milliseconds(
    store: Store, monkeypatch: pytest.MonkeyPatch, in_columns: bool
) -> None:
    """Those that are told in whatever form, and that of arrival; set while messages come in."""
    way = WayIn(store, "kiln")
    way.told(1_786_449_500_000_777, temperature=20.0)
    if not in_columns:
        monkeypatch.setattr(take_message, "take_columns", lambda *_: False)
    with store.write() as connection:
        settle_site(connection, SiteSettings(times=TimeGrain.MILLISECOND))
    arrived_us = 1_786_449_700_000_432
    for body, form, _ in IN_MS:
        message = Message("http", "1.2.3.4", body, arrived_us, form, "kiln")
        receive(store, way.directory, way.clocks, [message])
        # Sent again, it is the same reading.
        (again,) = receive(store, way.directory, way.clocks, [message])
        assert (again.kept, again.duplicate) == (0, 1)
    kept = [at for at, _, _ in way.kept("temperature")]
    assert kept == [1_786_449_500_000_777, *(moment for _, _, moment in IN_MS)]


def test_what_another_collector_wrote_meanwhile_is_known(store: Store) -> None:
    """A newer row of somebody else, then an older one, one between, and the same again."""
    one = WayIn(store, "kiln")
    other = WayIn.__new__(WayIn)
    other.store = store
    other.restart()
    moments = [0, 10, 10, 5, 10, 5, 0, 20, 20, 15]
    for at, second in enumerate(moments):
        way = (one, other)[at % 2]
        way.told(NOON_US + second * SECOND_US, NOON_US + at * SECOND_US, temperature=20.0 + second)
    assert [at for at, _, _ in one.kept("temperature")] == [
        NOON_US + second * SECOND_US for second in (0, 5, 10, 15, 20)
    ]
