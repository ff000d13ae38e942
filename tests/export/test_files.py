"""Readings in every form say the same, with a true manifest; broken off, nothing changes."""

from __future__ import annotations

import csv
import hashlib
import json
from pathlib import Path

import cbor2
import numpy as np
import pyarrow.parquet as pq
import pytest

from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.series.corrections import Correction
from rook_tally.core.timestamps import DAY_US, HOUR_US, rfc3339
from rook_tally.export import pieces as pieces_module
from rook_tally.export.files import export_file, manifest_beside
from rook_tally.export.pieces import ExportForm, ExportWish
from rook_tally.store.base import Store
from rook_tally.store.exchange.csv_rows import HEADER, days_of_rows
from rook_tally.store.site import Series, add_correction, load_site, set_site
from tests.bench.air_of_rooms import START_US, keep, moments

COUNT = 4 * 288


@pytest.fixture
def series(store: Store) -> tuple[Series, ...]:
    """Two series of four days, one with a gap of six hours and a correction."""
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="Europe/London")
    time_us = moments(4)
    heard = (time_us < START_US + DAY_US) | (time_us >= START_US + DAY_US + 6 * HOUR_US)
    one = keep(
        store,
        "booth",
        time_us[heard],
        (np.arange(COUNT)[heard] / 8.0).astype(np.float64),
        place='A "booth", here',
    )
    keep(
        store,
        "shelf",
        time_us,
        (np.arange(COUNT) + 0.1).astype(np.float64),
        quantity="pm25",
        place="Shop",
    )
    with store.write() as connection:
        add_correction(
            connection,
            one.id,
            Correction(START_US, 1.0, 2.0),
            who="wren",
            why="hand meter",
            now_us=START_US,
        )
    with store.read() as connection:
        return tuple(load_site(connection).series)


def written(
    store: Store, tmp_path: Path, form: ExportForm, *several: Series, **said: object
) -> Path:
    output = tmp_path / f"told.{form}"
    wish = ExportWish(several, form, **said)  # type: ignore[arg-type]
    export_file(store.read, wish, output)
    return output


def test_csv_is_as_it_always_was(store: Store, tmp_path: Path, series: tuple[Series, ...]) -> None:
    with written(store, tmp_path, ExportForm.CSV, *series).open(newline="") as file:
        rows = [tuple(row) for row in csv.reader(file)]
    before = [row for day in days_of_rows(store.read, series, None, None) for row in day]
    assert rows == [HEADER, *before]


@pytest.mark.parametrize("form", list(ExportForm))
def test_every_form_holds_the_same_values(
    store: Store, tmp_path: Path, series: tuple[Series, ...], form: ExportForm
) -> None:
    output = written(store, tmp_path, form, series[1])
    if form is ExportForm.CSV:
        found = [float(row["value"]) for row in csv.DictReader(output.read_text().splitlines())]
    elif form is ExportForm.JSON_LINES:
        found = [json.loads(line)["value"] for line in output.read_text().splitlines()]
    elif form is ExportForm.SENML_JSON:
        found = [one["v"] for one in json.loads(output.read_bytes())]
    elif form is ExportForm.SENML_CBOR:
        found = [one[2] for one in cbor2.loads(output.read_bytes())]
    else:
        found = pq.read_table(output)["value"].to_pylist()
    assert found == [at + 0.1 for at in range(COUNT)]


def test_what_leaves_as_senml_comes_in_as_it_was(
    store: Store, tmp_path: Path, series: tuple[Series, ...]
) -> None:
    output = written(store, tmp_path, ExportForm.SENML_JSON, series[1])
    told = json.loads(output.read_bytes())
    assert (told[0]["bn"], told[0]["bu"]) == ("shelf/pm25", "ug/m3")
    moments_s = [told[0]["bt"] + one.get("t", 0.0) for one in told]
    assert [round(one * 1e6) for one in moments_s] == moments(4).tolist()


def test_pieces_do_not_show(
    store: Store, tmp_path: Path, series: tuple[Series, ...], monkeypatch: pytest.MonkeyPatch
) -> None:
    whole = written(store, tmp_path, ExportForm.JSON_LINES, *series).read_bytes()
    means = written(store, tmp_path, ExportForm.CSV, *series, every_s=3600.0).read_bytes()
    monkeypatch.setattr(pieces_module, "_ROWS_A_PIECE", 100)
    assert written(store, tmp_path, ExportForm.JSON_LINES, *series).read_bytes() == whole
    assert written(store, tmp_path, ExportForm.CSV, *series, every_s=3600.0).read_bytes() == means


def test_wide_and_means_leave_gaps_empty(
    store: Store, tmp_path: Path, series: tuple[Series, ...]
) -> None:
    output = written(store, tmp_path, ExportForm.CSV, *series, every_s=3600.0, wide=True)
    head, *rows = csv.reader(output.read_text().splitlines())
    assert head == ["time", "booth.co2 [ppm]", "shelf.pm25 [µg/m³]"]
    assert len(rows) == 96
    empty = [at for at, row in enumerate(rows) if row[1] == ""]
    assert set(range(25, 30)) <= set(empty) <= set(range(24, 31))
    table = pq.read_table(written(store, tmp_path, ExportForm.PARQUET, *series, wide=True))
    assert table.column_names == ["time", "booth.co2", "shelf.pm25"]
    assert table["booth.co2"].null_count == 72
    about = json.loads(table.schema.metadata[b"rook_tally"])
    assert (about["zone"], about["columns"]["shelf.pm25"]["unit"]) == ("Europe/London", "µg/m³")


def test_the_manifest_is_true(store: Store, tmp_path: Path, series: tuple[Series, ...]) -> None:
    output = written(store, tmp_path, ExportForm.CSV, *series)
    told = json.loads(manifest_beside(output).read_text())
    assert told["sha256"] == hashlib.sha256(output.read_bytes()).hexdigest()
    assert (told["site"], told["zone"], told["values"]) == ("Pottery", "Europe/London", "corrected")
    booth, shelf = told["series"]
    assert (booth["readings"], shelf["readings"]) == (COUNT - 72, COUNT)
    assert [one["offset"] for one in booth["corrections"]] == [2.0]
    (gap,) = booth["gaps"]
    assert gap[1] == rfc3339(START_US + DAY_US + 6 * HOUR_US)
    assert shelf["gaps"] == []
    raw = json.loads(
        manifest_beside(written(store, tmp_path, ExportForm.CSV, *series, raw=True)).read_text()
    )
    assert (raw["values"], raw["series"][0]["corrections"]) == ("raw", [])


def test_what_is_broken_off_leaves_what_was_there(
    store: Store, tmp_path: Path, series: tuple[Series, ...]
) -> None:
    output = tmp_path / "told.csv"
    output.write_text("before")

    def stop(_share: float) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        export_file(store.read, ExportWish(series, ExportForm.CSV), output, progress=stop)
    assert output.read_text() == "before"
    assert [one.name for one in tmp_path.glob(".told*")] == []
    with pytest.raises(RookTallyError, match="cannot be written"):
        export_file(store.read, ExportWish(series, ExportForm.CSV), tmp_path / "no" / "such.csv")


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"every_s": 0.1}, "a second or longer"),
        ({"start_us": 5, "end_us": 5}, "ends before it begins"),
        ({"form": ExportForm.SENML_JSON, "wide": True}, "no columns"),
    ],
)
def test_a_wish_that_cannot_be_says_why(
    store: Store, tmp_path: Path, series: tuple[Series, ...], said: dict[str, object], why: str
) -> None:
    told = {"series": series, "form": ExportForm.CSV} | said
    with pytest.raises(UsageError, match=why):
        export_file(store.read, ExportWish(**told), tmp_path / "told")  # type: ignore[arg-type]


def test_parquet_without_its_package_says_how_to_get_it(
    store: Store, tmp_path: Path, series: tuple[Series, ...], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("importlib.util.find_spec", lambda _name: None)
    with pytest.raises(UsageError, match=r"rook-tally\[parquet\]"):
        written(store, tmp_path, ExportForm.PARQUET, *series)
