"""The commands as people and programs run them: exit codes, shapes, and what stands on stdout."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import pytest

from rook_tally import __version__
from rook_tally.core.series.readings import Quality
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import NewReading, append_readings
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.processes import rook_tally


def _with(store: Store, *words: str) -> str:
    done = rook_tally("--store", store.url, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_version_and_help() -> None:
    assert rook_tally("--version").stdout == f"rook-tally {__version__}\n"
    shown = rook_tally("--help").stdout
    for command in ("desk", "collect", "demo", "station", "latest", "export"):
        assert command in shown
    for tool in ("bench", "shots"):
        assert tool not in shown
    assert rook_tally().returncode == 2


def test_the_usual_store_is_in_the_data_folder(tmp_path: Path) -> None:
    done = rook_tally("station", "add", "a", "--place", "Yard")
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "home" / "data" / "rook-tally" / "site.db").is_file()


def test_station_add_prints_the_key_alone_on_the_last_line(store: Store) -> None:
    done = rook_tally(
        "station",
        "add",
        "kiln-1",
        "--place",
        "Kiln room",
        "--kind",
        "kiln-probe",
        "--store",
        store.url,
    )
    assert done.returncode == 0
    (key,) = done.stdout.splitlines()
    assert len(key) >= 32


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("station", "add", "a/b", "--place", "Yard"), "cannot be a station's key"),
        (("station", "add", "a", "--place", "Yard", "--kind", "toaster"), "known kinds: plain"),
        (("station", "add", "a"), "Missing option '--place'"),
        (("station", "add", "wall", "--place", "Yard"), "'wall' already; it was left as it is"),
        (("export", "--station", "nobody"), "no station 'nobody'; known: wall"),
        (("export", "--quantity", "tempo"), "no quantity 'tempo'; did you mean temperature"),
        (("export", "--from", "teatime"), "'teatime' is no time we can read"),
        (("export", "--from", " "), "a time is empty"),
        (("export", "--to", "2026-13-01T00:00:00Z"), "is not a time such as 2026-"),
        (
            ("forward", "add", "barn", "https://127.0.0.1:9/x", "--from", "teatime"),
            "'teatime' is no time we can read",
        ),
        (("export", "--format", "parchment"), "no format 'parchment'"),
        (("fly",), "No such command 'fly'"),
    ],
)
def test_wrong_usage_ends_with_2_and_says_why(
    store: Store, words: tuple[str, ...], told: str
) -> None:
    begin_series(store)
    done = rook_tally("--store", store.url, *words)
    assert (done.returncode, done.stdout) == (2, "")
    assert told in " ".join(done.stderr.split())
    assert "Traceback" not in done.stderr


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--store", "/dev/null/x.db", "latest"), "there is no store at /dev/null/x.db"),
        (("--store", "/dev/null/x.db", "station", "add", "a", "--place", "b"), "cannot be written"),
        (("latest",), "check --store, or start the collector first"),
    ],
)
def test_what_cannot_be_done_ends_with_1_and_says_why(words: tuple[str, ...], told: str) -> None:
    done = rook_tally(*words)
    assert (done.returncode, done.stdout) == (1, "")
    assert told in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_desk_without_a_screen_says_so(store: Store) -> None:
    blind = {"QT_QPA_PLATFORM": "", "DISPLAY": "", "WAYLAND_DISPLAY": ""}
    done = rook_tally("--store", store.url, "desk", env=blind)
    assert done.returncode == 1
    assert "no screen here to open a window on" in done.stderr


def test_latest_is_one_json_list_or_a_table(store: Store) -> None:
    assert _with(store, "latest", "--json") == "[]\n"
    assert _with(store, "latest") == "nothing has been heard yet\n"
    series = begin_series(store, "co2")
    append(store, series, (NOON_US, 1033.0))
    (row,) = json.loads(_with(store, "latest", "--json"))
    assert list(row) == [
        "place",
        "station",
        "field",
        "quantity",
        "value",
        "unit",
        "time",
        "quality",
        "level",
        "age_s",
        "counts",
        "clock_ahead_s",
    ]
    assert "1\u2009033  ppm" in _with(store, "latest")


def _export(store: Store, *words: str) -> list[list[str]]:
    done = rook_tally("--store", store.url, "export", *words)
    assert done.returncode == 0, done.stderr
    return list(csv.reader(io.StringIO(done.stdout, newline="")))


def test_export_is_ordered_and_exact(store: Store) -> None:
    first = begin_series(store, place='The "old", room')
    second = begin_series(store, "humidity")
    append(store, first, (NOON_US + 1, 0.1 + 0.2), (NOON_US + 3 * 1440 * MINUTE_US, -5.0))
    with store.write() as connection:
        append_readings(connection, [NewReading(second.id, NOON_US, 101.0, Quality.UNBELIEVABLE)])
    assert _export(store) == [
        ["time", "place", "station", "field", "quantity", "value", "unit", "quality"],
        [
            "2026-11-23T12:00:00.000000Z",
            'The "old", room',
            "wall",
            "humidity",
            "humidity",
            "101.0",
            "%",
            "suspect: outside the believable range",
        ],
        [
            "2026-11-23T12:00:00.000001Z",
            'The "old", room',
            "wall",
            "temperature",
            "temperature",
            "0.30000000000000004",
            "°C",
            "good",
        ],
        [
            "2026-11-26T12:00:00.000000Z",
            'The "old", room',
            "wall",
            "temperature",
            "temperature",
            "-5.0",
            "°C",
            "good",
        ],
    ]


def test_export_lines_end_as_rfc_4180_says(store: Store) -> None:
    import subprocess
    import sys

    raw = subprocess.run(
        [sys.executable, "-m", "rook_tally", "--store", store.url, "export"],
        capture_output=True,
        check=True,
    ).stdout
    assert raw == b"time,place,station,field,quantity,value,unit,quality\r\n"


@pytest.mark.parametrize(
    ("words", "values"),
    [
        (("--from", "2026-11-23T12:01:00Z"), ["1.0", "2.0", "50.0"]),
        (("--to", "2026-11-23T12:01:00Z"), ["0.0"]),
        (("--from", "2026-11-23T12:01:00Z", "--to", "2026-11-23T13:02:00+01:00"), ["1.0", "50.0"]),
        (("--quantity", "humidity"), ["50.0"]),
        (("--station", "other"), ["50.0"]),
        (("--station", "wall", "--quantity", "humidity"), []),
        (("--from", "2030-01-01"), []),
    ],
)
def test_export_of_a_part(store: Store, words: tuple[str, ...], values: list[str]) -> None:
    first = begin_series(store)
    append(store, first, *((NOON_US + at * MINUTE_US, float(at)) for at in range(3)))
    append(store, begin_series(store, "humidity", key="other"), (NOON_US + MINUTE_US, 50.0))
    assert sorted(row[5] for row in _export(store, *words)[1:]) == sorted(values)


def test_export_to_a_file_is_whole_or_not_there(store: Store, tmp_path: Path) -> None:
    append(store, begin_series(store), (NOON_US, 1.0))
    target = tmp_path / "out.csv"
    _with(store, "export", "-o", str(target))
    assert len(target.read_text().splitlines()) == 2
    assert [path.name for path in tmp_path.glob(".out*")] == []
    done = rook_tally("--store", store.url, "export", "-o", "/dev/null/x.csv")
    assert done.returncode == 1
    assert "/dev/null/x.csv cannot be written" in done.stderr


def test_the_demo_runs_headless_and_accounts_for_every_value(tmp_path: Path) -> None:
    place = str(tmp_path / "demo.db")
    words = ("--store", place, "demo", "--headless", "--for", "6", "--days", "0.05")
    done = rook_tally(*words)
    assert done.returncode == 0, done.stderr
    outcome = json.loads(done.stdout.splitlines()[-1])
    assert list(outcome) == ["sent", "kept", "duplicate", "stray", "stations", "series", "workings"]
    assert outcome["sent"] == outcome["kept"] + outcome["duplicate"] + outcome["stray"]
    assert outcome["kept"] > 20
    assert outcome["stray"] >= 2
    assert (outcome["stations"], outcome["series"]) == (12, 50)
    afresh = rook_tally(*words, "--fresh")
    assert afresh.returncode == 0, afresh.stderr
    again = json.loads(afresh.stdout.splitlines()[-1])
    assert again["sent"] == again["kept"] + again["duplicate"] + again["stray"]


def test_the_demo_never_touches_somebodys_site(tmp_path: Path) -> None:
    store = open_store(tmp_path / "mine.db")
    begin_series(store)
    from rook_tally.store.site import set_site

    with store.write() as connection:
        set_site(connection, name="My house", zone="UTC")
    for extra in ((), ("--fresh",)):
        done = rook_tally("--store", store.url, "demo", "--headless", "--for", "1", *extra)
        assert done.returncode == 1
        assert "it was left as it is" in done.stderr
    store.close()
