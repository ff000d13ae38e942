"""Files as people have them: other units, other orders of a date, an hour twice, our own export."""

from __future__ import annotations

import csv
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from rook_tally.core.errors import UsageError
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.timestamps import DAY_US, rfc3339, time_us_from_text
from rook_tally.intake.files.csv_table import NumberStyle, read_head
from rook_tally.intake.files.file_import import ImportOutcome, imported_file
from rook_tally.intake.files.file_times import DateOrder, file_times
from rook_tally.intake.files.refused_rows import write_refused
from rook_tally.store.base import Store
from rook_tally.store.exchange.csv_rows import HEADER, days_of_rows
from rook_tally.store.exchange.imports import imports
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_history, latest, read_raw_range
from rook_tally.store.site import Series, set_site, show_in_unit
from tests.builders import MINUTE_US
from tests.ways_in import ALWAYS_US, WayIn

NOW = time_us_from_text("2026-11-23T12:00:00Z")
LONDON = ZoneInfo("Europe/London")


class Files(WayIn):
    """A site whose person has files."""

    folder: Path

    def read(
        self,
        text: str,
        *,
        station: str | None = "kiln",
        columns: dict[str, str] | None = None,
        dates: DateOrder | None = None,
        dry_run: bool = False,
        zone: str | None = None,
        skip: int | None = None,
        numbers: NumberStyle | None = None,
        station_column: str | None = None,
    ) -> ImportOutcome:
        path = self.folder / "file.csv"
        path.write_text(text, encoding="utf-8")
        meant = {
            name: (told.split(":")[0], told.partition(":")[2])
            for name, told in (columns or {}).items()
        }
        return imported_file(
            self.store,
            path,
            station,
            columns=meant,
            time_column=None,
            zone=zone,
            now_us=NOW,
            dry_run=dry_run,
            dates=dates,
            skip=skip,
            numbers=numbers,
            station_column=station_column,
        )

    def values(self, quantity: str = "temperature", station: str = "kiln") -> list[float]:
        return [round(value, 3) for _, value, _ in self.kept(quantity, station)]


@pytest.fixture
def files(store: Store, tmp_path: Path) -> Files:
    made = Files(store, "kiln", "quay", cadence_s=900)
    made.folder = tmp_path
    with store.write() as connection:
        set_site(connection, name="Quay", zone="Europe/London")
    return made


def test_a_unit_is_the_columns_else_the_series_else_asked_for(files: Files) -> None:
    rows = "\n2026-01-05T12:00:00Z,45\n2026-01-05T12:15:00Z,46\n"
    with pytest.raises(UsageError, match="--map temperature=temperature:°C or :°F"):
        files.read("time,temperature" + rows)
    files.begin("temperature", "quay", "°F")
    files.read("time,temperature" + rows, station="quay")
    assert files.values(station="quay") == [7.222, 7.778]
    files.read("time,temperature [°F]" + rows)
    assert files.values() == [7.222, 7.778]
    # As the series is told since, whatever the numbers look like.
    files.read("time,temperature\n2026-01-06T12:00:00Z,60\n")
    assert files.values()[-1] == 15.556
    files.read(
        "time,temperature\n2026-01-07T12:00:00Z,60\n", columns={"temperature": "temperature:°C"}
    )
    assert files.values()[-1] == 60.0


def test_nothing_to_come_is_read(files: Files) -> None:
    done = files.read("time,temp_c\n2062-01-01T00:00:00Z,99\n2026-11-23T11:00:00Z,20\n")
    assert (done.readings, [one.why for one in done.refused]) == (
        1,
        ["2062-01-01T00:00:00Z lies ahead"],
    )
    with files.store.read() as connection:
        (newest,) = latest(connection).values()
    assert newest.value == 20.0


def test_the_hour_that_comes_twice_is_told_by_the_rows_own_order(files: Files) -> None:
    clock = [
        "00:30",
        *(f"01:{m}" for m in ("00", "15", "30", "45")),
        *(f"01:{m}" for m in ("00", "15", "30", "45")),
        "02:00",
        "02:15",
    ]
    rows = [f"2026-10-25 {one},{20 + at}" for at, one in enumerate(clock)]
    for order in (rows, rows[::-1]):
        times = file_times([one.partition(",")[0] for one in order], LONDON, order=None, now_us=NOW)
        told = sorted(one for one in times.time_us if isinstance(one, int))
        wanted = [
            "23:30",
            "00:00",
            "00:15",
            "00:30",
            "00:45",
            "01:00",
            "01:15",
            "01:30",
            "01:45",
            "02:00",
            "02:15",
        ]
        assert [rfc3339(one)[11:16] for one in told] == wanted
    done = files.read("time,temp_c\n" + "\n".join(rows) + "\n")
    assert (done.readings, done.refused) == (11, ())
    assert files.values() == [20.0 + at for at in range(11)]


@pytest.mark.parametrize("clock", ["01:15", "01:45"])
def test_one_of_two_equal_hours_alone_is_refused(files: Files, clock: str) -> None:
    done = files.read(
        f"time,temp_c\n2026-10-25 00:30,1\n2026-10-25 {clock},2\n2026-10-25 03:00,3\n"
    )
    (refused,) = done.refused
    assert (done.readings, refused.line) == (2, 3)
    assert "comes twice" in refused.why
    done = files.read("time,temp_c\n2026-03-29 01:30,1\n")
    assert "left out" in done.refused[0].why


def test_dates_that_can_be_read_in_two_ways_are_asked_for(files: Files) -> None:
    text = "time,temp_c\n08/09/2026 10:00,1\n08/10/2026 10:00,2\n"
    with pytest.raises(UsageError, match=r"08 September 2026 \(day-first\) or 09 August 2026"):
        files.read(text)
    told = files.read(text, dry_run=True)
    assert "month-first" in told.remarks[0]
    assert files.read(text, dates=DateOrder.MONTH_FIRST).readings == 2
    assert rfc3339(files.kept("temperature")[0][0])[:10] == "2026-08-09"


def test_dates_that_one_row_proves_are_read_so_and_that_is_said(files: Files) -> None:
    done = files.read("time,temp_c\n11/05/2026 10:00,1\n11/13/2026 10:00,2\n")
    assert done.remarks == ("dates were read month-first, as some of them show",)
    assert [rfc3339(one)[:10] for one, _, _ in files.kept("temperature")] == [
        "2026-11-05",
        "2026-11-13",
    ]
    with pytest.raises(UsageError, match="names the day first"):
        files.read("time,temp_c\n11/13/2026 10:00,1\n13/11/2026 10:00,2\n")


def test_a_point_among_decimal_commas_is_refused(files: Files) -> None:
    done = files.read("time;co2 [ppm]\n2026-11-03T12:00:00Z;640,5\n2026-11-03T12:15:00Z;1.012\n")
    (refused,) = done.refused
    assert (done.readings, refused.line) == (1, 3)
    done = files.read("time;co2 [ppm]\n2026-11-04T12:00:00Z;640.5\n2026-11-04T12:15:00Z;1012\n")
    assert (done.readings, files.values("co2")[1:]) == (2, [640.5, 1012.0])


def test_a_row_that_another_of_its_time_replaces_is_told(files: Files) -> None:
    done = files.read(
        "time,temp_c\n2026-11-03T12:00:00Z,1\n2026-11-03T12:00:00Z,2\n2026-11-03T12:15:00Z,3\n"
    )
    assert done.readings == 2
    assert [(one.line, one.why) for one in done.refused] == [
        (2, "line 3 has the same time and stands")
    ]
    assert files.values() == [2.0, 3.0]


def _export(store: Store, path: Path, series: list[Series], *, as_shown: bool, raw: bool) -> None:
    with store.read(), path.open("w", newline="", encoding="utf-8") as target:
        writer = csv.writer(target)
        writer.writerow(HEADER)
        for rows in days_of_rows(store.read, series, None, None, as_shown=as_shown, raw=raw):
            writer.writerows(rows)


@pytest.mark.parametrize("as_shown", [False, True])
def test_our_own_export_reads_back_to_the_same_store(
    files: Files, tmp_path: Path, as_shown: bool
) -> None:
    """Several stations, suspect readings, times to the microsecond; also in the unit shown."""
    series = [
        files.begin("temperature"),
        files.begin("co2"),
        files.begin("temperature", "quay", "°F"),
    ]
    chance = np.random.default_rng(0)
    with files.store.write() as connection:
        for one in series:
            moments = NOW - DAY_US + np.arange(50, dtype=np.int64) * MINUTE_US + 7
            values = np.round(20 + chance.normal(0, 1, 50), 3) + (600 if one.field == "co2" else 0)
            quality = chance.choice([0, 0, 0, int(Quality.LONE_SPIKE), int(Quality.SET_ASIDE)], 50)
            append_history(connection, one.id, readings_from(moments, values, quality))
        if as_shown:
            quantity = series[0].quantity
            unit = quantity.unit("°F")
            assert unit is not None
            show_in_unit(connection, quantity, unit)
        series = [
            files.series("temperature"),
            files.series("co2"),
            files.series("temperature", "quay"),
        ]
    _export(files.store, tmp_path / "out.csv", series, as_shown=as_shown, raw=True)
    other = Files(open_store(tmp_path / "other.db"), "kiln", "quay", cadence_s=900)
    other.folder = tmp_path
    done = imported_file(
        other.store, tmp_path / "out.csv", None, columns={}, time_column=None, zone=None, now_us=NOW
    )
    assert (done.readings, done.refused) == (150, ())
    for one in series:
        here, there = files.kept(one.field, one.station.key), other.kept(one.field, one.station.key)
        assert [(at, quality) for at, _, quality in here] == [(at, q) for at, _, q in there]
        told, again = ([value for _, value, _ in rows] for rows in (here, there))
        assert told == (again if not as_shown else pytest.approx(again, rel=1e-13))
    # Once more changes nothing, and a station that is not there is named.
    again_done = imported_file(
        other.store,
        tmp_path / "out.csv",
        "quay",
        columns={},
        time_column=None,
        zone=None,
        now_us=NOW,
    )
    assert again_done.readings == 0
    lonely = Files(open_store(tmp_path / "lonely.db"), "kiln")
    with pytest.raises(UsageError, match="there is no station quay"):
        imported_file(
            lonely.store,
            tmp_path / "out.csv",
            None,
            columns={},
            time_column=None,
            zone=None,
            now_us=NOW,
        )


def test_a_fahrenheit_reading_is_exported_in_the_shortest_digits_that_come_back(
    files: Files, tmp_path: Path
) -> None:
    series = files.begin("temperature", "quay", "°F")
    files.told(NOW, NOW, "quay", temperature=70.0)
    _export(files.store, tmp_path / "out.csv", [series], as_shown=False, raw=False)
    assert "21.11111111111111," in (tmp_path / "out.csv").read_text()


def test_a_file_local_to_auckland_is_read_in_the_sites_zone(files: Files) -> None:
    with files.store.write() as connection:
        set_site(connection, name="Shed", zone="Pacific/Auckland")
    files.read("time,temp_c\n2026-07-01 12:00,20\n")
    with files.store.read() as connection:
        found = read_raw_range(connection, files.series("temperature").id, 0, ALWAYS_US)
    assert [rfc3339(int(one))[:16] for one in found.time_us] == ["2026-07-01T00:00"]


TITLES = "Fennel Wharf; readings of the kiln\nexported,by hand\n\n"
ROWS = "time,temp_c\n2026-01-05T12:00:00Z,20\n2026-01-05T12:15:00Z,warm\n"


@pytest.mark.parametrize("skip", [None, 3])
def test_titles_above_the_header_are_passed_over(files: Files, skip: int | None) -> None:
    done = files.read(TITLES + ROWS, skip=skip)
    assert files.values() == [20.0]
    # Lines are those of the file.
    assert [one.line for one in done.refused] == [6]
    with pytest.raises(UsageError, match="no column"):
        files.read(TITLES + ROWS, skip=1)


@pytest.mark.parametrize(
    ("cell", "style", "value"),
    [
        ("1,234.5", NumberStyle.POINT, 1234.5),
        ("1.234,5", NumberStyle.COMMA, 1234.5),
        ("1 234,5", NumberStyle.COMMA, 1234.5),
        ("1\u202f234", NumberStyle.COMMA, 1234.0),
        ("1'234.5", NumberStyle.POINT, 1234.5),
        ("-1,234", NumberStyle.POINT, -1234.0),
        ("0,5", NumberStyle.COMMA, 0.5),
    ],
)
def test_thousands_are_parted_as_a_person_says(
    files: Files, cell: str, style: NumberStyle, value: float
) -> None:
    done = files.read(
        f"time;lux\n2026-01-05T12:00:00Z;{cell}\n", columns={"lux": "illuminance"}, numbers=style
    )
    assert not done.refused
    assert files.values("illuminance") == [value]


@pytest.mark.parametrize(
    ("cell", "style"),
    [("1,23", NumberStyle.POINT), ("1.5,2.5", NumberStyle.COMMA), ("12,34,567", NumberStyle.POINT)],
)
def test_thousands_where_none_are_are_refused(files: Files, cell: str, style: NumberStyle) -> None:
    done = files.read(f"time;temp_c\n2026-01-05T12:00:00Z;{cell}\n", numbers=style)
    assert "no number written" in done.refused[0].why
    assert done.number == 0


def test_a_file_of_several_stations_goes_to_each(files: Files) -> None:
    rows = (
        "station,time,temp_c\nkiln,2026-01-05T12:00:00Z,20\nquay,2026-01-05T12:00:00Z,5\n"
        "kiln,2026-01-05T12:15:00Z,21\nquay,2026-01-05T12:15:00Z,x\n"
    )
    done = files.read(rows, station=None)
    assert (files.values(), files.values(station="quay")) == ([20.0, 21.0], [5.0])
    assert [one.line for one in done.refused] == [5]
    named = rows.replace("station,", "box,")
    files.read(named.replace("12:", "13:"), station=None, station_column="Box")
    assert files.values()[-1] == 21.0
    with pytest.raises(UsageError, match="no station loft"):
        files.read(rows.replace("quay", "loft"), station=None)
    with pytest.raises(UsageError, match="line 3 names no station"):
        files.read(rows.replace("quay,2026-01-05T12:00", ",2026-01-05T12:00"), station=None)


def test_read_again_it_adds_nothing_and_is_no_import(files: Files) -> None:
    assert files.read(ROWS).number
    assert files.read(ROWS).number == 0
    with files.store.read() as connection:
        assert len(imports(connection)) == 1


def test_refused_rows_are_listed_beside_with_what_they_said(files: Files) -> None:
    done = files.read(TITLES + ROWS)
    beside = write_refused(files.folder / "file.csv", done.refused)
    assert beside is not None
    with beside.open(encoding="utf-8") as told:
        (_, row) = csv.reader(told)
    assert (row[0], row[2]) == ("6", "2026-01-05T12:15:00Z,warm")
    assert write_refused(files.folder / "nowhere" / "file.csv", done.refused) is None
    assert write_refused(files.folder / "file.csv", ()) is None


def test_the_head_of_a_large_file_is_looked_at_without_the_rest(tmp_path: Path) -> None:
    file = tmp_path / "large.csv"
    file.write_text("time,temp_c\n" + "2026-01-05T12:00:00Z,20\n" * 20_000, encoding="utf-8")
    head = read_head(file)
    assert head.header == ("time", "temp_c")
    assert 100 < len(head.rows) < 10_000
