"""Workings on the command line, beside a running collector that works them out."""

from __future__ import annotations

import json
import time
from pathlib import Path

from rook_tally import clock
from rook_tally.store.base import Store, stretches_to_work_out
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import load_site
from rook_tally.store.workings import working_named
from tests.builders import append, begin_series
from tests.processes import CollectorProcess, rook_tally, wait_until


def _with(store: str, *words: str) -> str:
    done = rook_tally("--store", store, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def _listed(store: str) -> dict[str, dict[str, float]]:
    told = json.loads(_with(store, "working", "list", "--json"))
    return {one["slug"]: one["values"] for one in told}


def test_a_running_collector_works_out_what_is_added_and_what_was_before(
    collector: CollectorProcess,
) -> None:
    _with(collector.address, "station", "add", "kiln", "--place", "Kiln room")
    now = time.time()
    for back_s in (120, 60):
        collector.post(
            json.dumps({"time": now - back_s, "temperature": 25, "humidity": 60}),
            query="?station=kiln",
        )
    told = _with(
        collector.address,
        "working",
        "add",
        "Dew point",
        "dew_point(temperature@here, humidity@here)",
        "--each-place",
    )
    assert told == "dew_point: worked out at Kiln room\n"
    # What came before, in the background.
    wait_until(lambda: "Kiln room" in _listed(collector.address)["dew_point"])
    # What comes now, with the readings that cause it.
    answer = collector.post(
        json.dumps({"time": now, "temperature": 30, "humidity": 60}), query="?station=kiln"
    )
    assert answer[1]["kept"] == 2
    assert round(_listed(collector.address)["dew_point"]["Kiln room"], 2) == 21.39

    def exported() -> list[str]:
        lines = _with(collector.address, "export").splitlines()
        return [line for line in lines if ",dew_point@kiln-room," in line]

    wait_until(lambda: len(exported()) == 3)
    # By the same words as what is measured.
    latest = _with(collector.address, "latest")
    assert "Dew point" in latest
    assert "21.4" in latest
    for words in (("--quantity", "dew_point"), ("--station", "dew_point@kiln-room")):
        assert len(_with(collector.address, "export", *words).splitlines()) == 4
    assert "Kiln room,dew_point@kiln-room,dew_point,dew_point," in exported()[0]


def test_a_formula_is_tried_and_its_mistakes_are_underlined(store: Store) -> None:
    now_us = clock.now_us()
    series = begin_series(store)
    append(store, series, (now_us - 120_000_000, 20.0), (now_us - 60_000_000, 21.0))
    where = store.url
    told = _with(where, "working", "try", "temperature@throwing-room in °F", "--last", "10 min")
    head, *rows = told.splitlines()
    assert head == "time,value (°F)"
    assert [row.split(",")[1] for row in rows] == ["68", "69.8"]
    wrong = rook_tally("--store", where, "working", "try", "temperature@throwing-room + 3 °C")
    assert wrong.returncode == 2
    assert "^^^^^" in wrong.stderr
    assert "have no sum" in wrong.stderr
    refused = rook_tally("--store", where, "working", "add", "Bad", "temprature@throwing-room")
    assert refused.returncode == 2
    assert "did you mean temperature" in refused.stderr
    assert rook_tally("--store", where, "working", "remove", "bad").returncode == 2


def test_workings_are_handed_on_as_a_file(store: Store, tmp_path: Path) -> None:
    begin_series(store)
    where = store.url
    _with(where, "working", "add", "Room", "temperature@throwing-room + 1 K")
    file = tmp_path / "workings.json"
    file.write_text(_with(where, "working", "export"))
    _with(where, "working", "remove", "room")
    assert _listed(where) == {}
    assert _with(where, "working", "read", str(file)) == "1 workings and 0 groups kept\n"
    assert list(_listed(where)) == ["room"]
    file.write_text(file.read_text().replace('"format": 1', '"format": 2'))
    newer = rook_tally("--store", where, "working", "read", str(file))
    assert (newer.returncode, "newer rook-tally" in newer.stderr) == (2, True)
    file.write_text("no")
    assert "holds no workings" in rook_tally("--store", where, "working", "read", str(file)).stderr


def test_a_killed_collector_goes_on_where_it_was(collector: CollectorProcess) -> None:
    _with(collector.address, "station", "add", "kiln", "--place", "Kiln room")
    now = time.time()
    for back_s in range(20, 0, -1):
        body = {"time": now - 60 * back_s, "temperature": 20 + back_s / 10, "humidity": 50}
        collector.post(json.dumps(body), query="?station=kiln")
    collector.kill()
    _with(
        collector.address,
        "working",
        "add",
        "Dew point",
        "dew_point(temperature@kiln-room, humidity@kiln-room)",
    )
    store = open_store(collector.address)
    with store.read() as connection:
        assert len(stretches_to_work_out(connection)) == 1
    store.close()
    with CollectorProcess(collector.store):
        wait_until(lambda: "Kiln room" in _listed(collector.address)["dew_point"])


def test_the_list_reads_as_a_page(store: Store) -> None:
    now_us = clock.now_us()
    append(store, begin_series(store), (now_us - 60_000_000, 20.0))
    where = store.url
    _with(where, "working", "add", "Room", "temperature@throwing-room + 1 K")
    listed = _with(where, "working", "list").splitlines()
    assert listed[0].split() == ["room", "temperature@throwing-room", "+", "1", "K"]
    # No collector has worked it out yet.
    assert listed[1].strip() == "nothing yet"
    assert _with(where, "working", "remove", "room") == "Room is gone; what sensors said stays\n"
    assert _with(where, "working", "list") == ""


def test_a_formula_that_matches_nothing_yet_says_so_and_prints_no_row(store: Store) -> None:
    begin_series(store)
    done = rook_tally("--store", store.url, "working", "try", "co2@throwing-room", "--last", "1 h")
    assert done.returncode == 0
    assert done.stdout == "time,value (ppm)\n"
    assert "nothing tells co2 at throwing-room yet" in done.stderr
    odd = rook_tally("--store", store.url, "working", "try", "1", "--last", "soon")
    assert odd.returncode == 2
    assert "no stretch of time" in odd.stderr


def test_limits_decimals_and_formula_of_a_working_are_set(store: Store) -> None:
    begin_series(store, "humidity")
    _with(store.address, "working", "add", "Doubled", "humidity@throwing-room * 2")
    _with(store.address, "working", "set", "doubled", "--decimals", "3", "--name", "Twice")
    _with(store.address, "limit", "set", "doubled", "--above", "raised=50 high=60")
    (told,) = [
        one
        for one in json.loads(_with(store.address, "limit", "list", "--json"))
        if one["quantity"] == "doubled"
    ]
    assert (told["above"], told["from"]) == ([None, 50, 60, None], "working")
    with store.read() as connection:
        working = working_named(connection, "doubled")
        series = next(one for one in load_site(connection).series if one.station.is_worked_out)
    assert (working.name, series.shown.text(41.5)) == ("Twice", "41.500")
    _with(store.address, "limit", "clear", "doubled")
    _with(
        store.address,
        "working",
        "set",
        "doubled",
        "--decimals",
        "",
        "--formula",
        "2 * humidity@throwing-room",
    )
    for words, why in (
        (("working", "set", "doubled"), "nothing was told"),
        (("working", "set", "doubled", "--decimals", "9"), "cannot be shown"),
        (("working", "set", "doubled", "--formula", "2 *"), "2 *"),
        (("working", "set", "tripled", "--name", "x"), "no working"),
        (
            ("limit", "set", "doubled", "--place", "Throwing room", "--above", "high=9"),
            "everywhere",
        ),
    ):
        done = rook_tally("--store", store.address, *words)
        assert done.returncode != 0
        assert why in done.stderr
