"""The Ledger's decisions, without Qt: rows, columns, cells, heads, summaries."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.quantities.kinds import KINDS, PLAIN
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.freshness import Freshness
from rook_tally.core.series.readings import Quality
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import (
    Copies,
    NewDoors,
    NewReadings,
    StoreUnavailable,
    read_picture,
)
from rook_tally.desk.ledger.cell_view import copied_line
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow, Summary, SummaryRow
from rook_tally.store.base import Store
from rook_tally.store.readings import Latest, NewReading, append_readings
from rook_tally.store.site import (
    Collector,
    Door,
    DoorState,
    FailedDuty,
    Series,
    add_series,
    add_station,
    load_site,
)
from rook_tally.store.site.places import make_place, nest_place
from rook_tally.store.site.station_lives import maintain_station
from tests.builders import MINUTE_US, NOON_US


def _series(store: Store, key: str, quantity: str) -> Series:
    with store.write() as connection:
        station = load_site(connection).station(key)
        assert station is not None
        return add_series(
            connection,
            station,
            field=quantity,
            quantity=QUANTITIES[quantity],
            unit=QUANTITIES[quantity].base.symbol,
        )


@pytest.fixture
def pottery(store: Store) -> dict[str, Series]:
    """Three rooms and a yard, each with readings of the last minutes before noon."""
    with store.write() as connection:
        for key, place, indoors in (
            ("hall", "Hall", True),
            ("booth", "Booth", True),
            ("booth2", "Booth", True),
            ("yard", "Yard", False),
        ):
            add_station(connection, key, place=place, kind=PLAIN, indoors=indoors)
    series = {
        name: _series(store, *name.split("."))
        for name in (
            "hall.temperature",
            "hall.co2",
            "booth.temperature",
            "booth.pm25",
            "booth2.temperature",
            "yard.temperature",
            "booth.switch",
        )
    }
    values = {
        "hall.temperature": 21.4,
        "hall.co2": 871.0,
        "booth.temperature": 31.0,
        "booth.pm25": 58.0,
        "booth2.temperature": 30.5,
        "yard.temperature": 11.8,
        "booth.switch": 1.0,
    }
    with store.write() as connection:
        append_readings(
            connection,
            [
                NewReading(series[name].id, NOON_US - ago * MINUTE_US, value - ago, Quality.GOOD)
                if name != "booth.switch"
                else NewReading(series[name].id, NOON_US - ago * MINUTE_US, value, Quality.GOOD)
                for name, value in values.items()
                for ago in range(5)
            ],
        )
    return series


def _model(store: Store, now_us: int = NOON_US) -> LedgerModel:
    state = SiteState(lambda: now_us)
    model = LedgerModel(state)
    with store.read() as connection:
        state.take(read_picture(connection, now_us))
    return model


def _place(model: LedgerModel, name: str) -> int:
    return next(
        at
        for at, row in enumerate(model.rows)
        if isinstance(row, PlaceRow) and row.place.name == name
    )


def _column(model: LedgerModel, slug: str) -> int:
    return [one.slug for one in model.columns].index(slug)


def test_rows_and_columns(store: Store, pottery: dict[str, Series]) -> None:
    """Indoors first, each group under its band; shared quantities stand first."""
    model = _model(store)
    told = [
        row.title
        if isinstance(row, GroupRow)
        else row.place.name
        if isinstance(row, PlaceRow)
        else row.summary
        for row in model.rows
    ]
    assert told == ["Indoors", "Hall", "Booth", "Outdoors", "Yard", *Summary]
    assert [one.slug for one in model.columns] == ["temperature", "co2", "pm25", "switch"]


def test_cells(store: Store, pottery: dict[str, Series]) -> None:
    model = _model(store)
    dust = model.cell(_place(model, "Booth"), _column(model, "pm25"))
    assert dust is not None
    assert (dust.text, dust.level, dust.limit, dust.others) == ("58", Level.HIGH, 25, 0)
    spoken = model.spoken(_place(model, "Booth"), _column(model, "pm25"))
    assert spoken == "Booth, PM2.5 58 µg/m³, high"
    assert dust.ribbon is not None and dust.ribbon.count.sum() == 5
    warm = model.cell(_place(model, "Booth"), _column(model, "temperature"))
    assert warm is not None
    assert (warm.text, warm.others) == ("31.0", 1)
    yard = model.cell(_place(model, "Yard"), _column(model, "temperature"))
    assert yard is not None and yard.level is Level.SETTLED
    switch = model.cell(_place(model, "Booth"), _column(model, "switch"))
    assert switch is not None and switch.text == "on"
    assert model.cell(_place(model, "Yard"), _column(model, "co2")) is None
    assert model.cell(0, 0) is None
    assert model.worst_cell() == (_place(model, "Booth"), _column(model, "pm25"))


def test_summaries_leave_out_what_only_one_place_tells(
    store: Store, pottery: dict[str, Series]
) -> None:
    model = _model(store)
    lines = [at for at, row in enumerate(model.rows) if isinstance(row, SummaryRow)]
    temperature = _column(model, "temperature")
    assert [model.summary_text(line, temperature) for line in lines] == [
        "21.4",
        "26.2",
        "26.2",
        "31.0",
    ]
    assert model.summary_text(lines[0], _column(model, "co2")) == ""
    assert model.summary_text(lines[0], _column(model, "switch")) == ""


@pytest.mark.parametrize(
    ("after_s", "state", "age"),
    [
        (4, Freshness.FRESH, "now"),
        (9, Freshness.FRESH, "5 s"),
        (130, Freshness.LATE, "2 min"),
        (2460, Freshness.SILENT, "41 min"),
    ],
)
def test_what_is_late_or_silent_says_so(
    store: Store, pottery: dict[str, Series], after_s: int, state: Freshness, age: str
) -> None:
    model = _model(store, NOON_US + after_s * 1_000_000)
    head = model.head(_place(model, "Hall"))
    assert head is not None
    assert (head.freshness, head.age) == (state, age)
    cell = model.cell(_place(model, "Booth"), _column(model, "pm25"))
    assert cell is not None and cell.freshness is state
    # A silent station's last word is no longer called high.
    assert cell.level is (Level.SETTLED if state is Freshness.SILENT else Level.HIGH)


def test_a_station_under_maintenance_is_not_counted_and_has_no_level(
    store: Store, pottery: dict[str, Series]
) -> None:
    with store.write() as connection:
        maintain_station(
            connection,
            pottery["booth.pm25"].station,
            from_us=NOON_US,
            to_us=NOON_US + 7200 * 1_000_000,
        )
    model = _model(store, NOON_US + 2460 * 1_000_000)
    cell = model.cell(_place(model, "Booth"), _column(model, "pm25"))
    assert cell is not None
    assert (cell.level, cell.freshness) == (Level.SETTLED, Freshness.MAINTAINED)
    spoken = model.spoken(_place(model, "Booth"), _column(model, "pm25"))
    assert "under maintenance" in spoken
    assert model.state.stations_heard()[0] == 1


def test_a_reading_is_copied_as_a_line_of_a_table(store: Store, pottery: dict[str, Series]) -> None:
    model = _model(store)
    assert (
        copied_line(model.state, pottery["booth.pm25"])
        == "Booth\tPM2.5\t58\tµg/m³\t2026-11-23 12:00:00"
    )


def test_the_strip_of_expected_reports(store: Store, pottery: dict[str, Series]) -> None:
    model = _model(store)
    head = model.head(_place(model, "Hall"))
    assert head is not None
    assert head.heard.tolist() == [False] * 19 + [True] * 5
    assert model.head(0) is None


def test_a_new_reading_changes_its_cell_and_the_summaries(
    store: Store, pottery: dict[str, Series]
) -> None:
    model = _model(store)
    changed: list[set[tuple[int, int]]] = []
    model.cells_changed.append(changed.append)
    hall = pottery["hall.temperature"]
    reading = Latest(hall.id, NOON_US + MINUTE_US, 23.4, Quality.GOOD)
    model.state.take(NewReadings({hall.id: reading}))
    row, column = _place(model, "Hall"), _column(model, "temperature")
    assert (row, column) in changed[0]
    assert len(changed[0]) == 1 + len(Summary)
    cell = model.cell(row, column)
    assert cell is not None and cell.text == "23.4"
    assert cell.ribbon is not None and cell.ribbon.count.sum() == 6
    assert np.nanmax(cell.ribbon.high) == 23.4


def test_a_suspect_reading_is_shown_but_not_drawn(store: Store, pottery: dict[str, Series]) -> None:
    model = _model(store)
    dust = pottery["booth.pm25"]
    model.state.take(
        NewReadings({dust.id: Latest(dust.id, NOON_US + 1, 5000.0, Quality.UNBELIEVABLE)})
    )
    cell = model.cell(_place(model, "Booth"), _column(model, "pm25"))
    assert cell is not None
    assert (cell.is_suspect, cell.level) == (True, Level.SETTLED)
    assert cell.ribbon is not None and np.nanmax(cell.ribbon.high) == 58
    assert model.spoken(_place(model, "Booth"), _column(model, "pm25")).endswith("suspect")


def test_time_alone_makes_cells_late(store: Store, pottery: dict[str, Series]) -> None:
    now = [NOON_US]
    state = SiteState(lambda: now[0])
    model = LedgerModel(state)
    with store.read() as connection:
        state.take(read_picture(connection, now[0]))
    model.tick()
    changed: list[set[tuple[int, int]]] = []
    model.cells_changed.append(changed.append)
    model.tick()
    assert changed == []
    now[0] += 10 * MINUTE_US
    model.tick()
    assert (_place(model, "Hall"), _column(model, "co2")) in changed[0]


def test_the_head_counts_what_is_raised_and_who_is_heard(
    store: Store, pottery: dict[str, Series]
) -> None:
    state = _model(store).state
    assert state.raised() == (3, Level.HIGH)
    assert state.stations_heard() == (4, 4)
    later = _model(store, NOON_US + 60 * MINUTE_US).state
    assert later.raised() == (0, Level.SETTLED)
    assert later.stations_heard() == (0, 4)


def test_the_notice_says_what_is_wrong_with_the_doors(store: Store) -> None:
    state = _model(store).state
    assert "No collector runs" in state.notice()
    door = Door("mqtt", "h:1", DoorState.TRYING, "no broker answers at h:1", NOON_US)
    state.take(NewDoors([Collector("a", "shed", 1, (door,))]))
    assert state.notice() == (
        "MQTT door: no broker answers at h:1; trying again. What came before is kept."
    )
    state.take(NewDoors([Collector("a", "shed", 1, ())]))
    assert state.notice() == ""
    state.take(NewDoors([Collector("a", "shed", 1, ())], copies=Copies(5, "the disk is full")))
    assert state.notice() == (
        "The daily copy of the store failed: the disk is full. It is tried again every hour."
    )
    still = FailedDuty("sealing", 3, 5, "OSError: no")
    state.take(NewDoors([Collector("a", "shed", 1, (), (still,))]))
    assert state.notice() == (
        "Sealing: this duty of the collector stands still (OSError: no); it is tried again."
    )
    state.take(NewDoors([Collector("a", "shed", 1, ())]))
    assert state.notice() == ""
    state.take(StoreUnavailable("the store cannot be used"))
    assert state.notice() == "the store cannot be used"


def test_an_empty_site_has_no_rows(store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "a", place="Hall", kind=KINDS["room-air"])
    model = _model(store)
    assert model.columns == []
    assert model.worst_cell() is None
    head = model.head(_place(model, "Hall"))
    assert head is not None
    assert (head.age, head.freshness) == ("", Freshness.SILENT)
    assert isinstance(model.state.site.stations, tuple)


def test_rooms_stand_under_their_floor_and_where_nothing_is_there_is_no_row(
    store: Store, pottery: dict[str, Series]
) -> None:
    with store.write() as connection:
        for name in ("Ground floor", "Attic", "Corner"):
            make_place(connection, name)
        nest_place(connection, "Hall", "Corner")
        nest_place(connection, "Corner", "Ground floor")
    told = [
        row.title if isinstance(row, GroupRow) else row.place.name
        for row in _model(store).rows
        if not isinstance(row, SummaryRow)
    ]
    assert told == ["Ground floor", "Hall", "Indoors", "Booth", "Outdoors", "Yard"]
