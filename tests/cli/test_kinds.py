"""Kinds by command: as W3C Thing Models, and out of the descriptions of others."""

from __future__ import annotations

import json
from pathlib import Path

from tests.core.things.test_things import OTHERS
from tests.processes import rook_tally


def test_descriptions_are_read_and_written(store_path: Path, tmp_path: Path) -> None:
    def run(*words: str, fails: bool = False) -> tuple[str, str]:
        done = rook_tally("--store", str(store_path), "kind", *words)
        assert (done.returncode != 0) is fails, done.stderr
        return done.stdout, done.stderr

    (tmp_path / "box.json").write_text(OTHERS)
    said, notes = run("read", str(tmp_path / "box.json"))
    assert said == "bench-air-box: Bench Air Box, 3 fields\n"
    assert "left out: event overheated" in notes
    assert "may come by: rook-tally door add poll http://192.168.1.9/air/temp" in notes

    model, notes = run("export", "bench-air-box", "--thing")
    assert (json.loads(model)["@type"], notes) == ("tm:ThingModel", "")
    toml, _ = run("export", "bench-air-box")
    (tmp_path / "again.json").write_text(model)
    run("read", str(tmp_path / "again.json"))
    # Buttons are actions of a model, and come last.
    assert sorted(run("export", "bench-air-box")[0].splitlines()) == sorted(toml.splitlines())

    (tmp_path / "none.json").write_text('{"@context": "https://www.w3.org/2022/wot/td/v1.1"}')
    _, why = run("read", str(tmp_path / "none.json"), fails=True)
    assert "it is no Thing Description 1.1" in why


def test_a_station_is_described_as_a_thing(store_path: Path) -> None:
    at = ("--store", str(store_path))
    added = rook_tally(*at, "station", "add", "wall", "--place", "Hall", "--kind", "room-air")
    assert added.returncode == 0, added.stderr
    done = rook_tally(*at, "station", "thing", "wall", "--http", "10.0.0.5:4711")
    told = json.loads(done.stdout)
    assert told["title"] == "wall"
    assert told["properties"]["co2"]["forms"][0]["href"].startswith("http://10.0.0.5:4711/v1/value")
    assert rook_tally(*at, "station", "thing", "none").returncode == 2


def test_a_thing_that_answers_itself_says_where(store_path: Path) -> None:
    at = ("--store", str(store_path))
    rook_tally(*at, "station", "add", "wall", "--place", "Hall", "--kind", "room-air")
    rook_tally(*at, "door", "add", "poll", "coap://10.0.0.9/air", "--station", "wall", "--yes")
    told = json.loads(rook_tally(*at, "station", "thing", "wall").stdout)
    assert [one["href"] for one in told["forms"]] == ["coap://10.0.0.9/air"]
