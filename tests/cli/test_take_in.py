"""Strays, taking in, kinds and the tape, as a person runs them beside a running collector."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.processes import CollectorProcess, rook_tally, wait_until


def _run(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def _values(collector: CollectorProcess) -> dict[tuple[str, str], list[float]]:
    rows = _run(collector, "export").splitlines()[1:]
    values: dict[tuple[str, str], list[float]] = {}
    for row in rows:
        _, _, station, field, _, value, *_ = row.split(",")
        values.setdefault((station, field), []).append(float(value))
    return values


def test_a_stray_sender_becomes_a_station_and_its_messages_readings(
    collector: CollectorProcess,
) -> None:
    for at in range(4):
        collector.post(
            json.dumps({"time": 1_790_000_000 + 60 * at, "temp_f": 68 + at, "rh": 50, "zorp": 7}),
            query="?station=shed",
        )
    (told,) = json.loads(_run(collector, "strays", "--json"))
    assert (told["station"], told["messages"], told["is_station"]) == ("shed", 4, False)
    assert [(one["field"], one["quantity"], one["unit"]) for one in told["fields"]] == [
        ("temp_f", "temperature", "°F"),
        ("rh", "humidity", "%"),
        ("zorp", None, ""),
    ]
    text = _run(collector, "strays")
    assert "no station shed has been taken in" in text
    assert "zorp (says 7): unknown; say what it is with --map" in text

    _run(collector, "take-in", "shed", "--place", "Garden shed", "--outdoors")
    values = _values(collector)
    assert values["shed", "temp_f"] == pytest.approx([20, 20.5556, 21.1111, 21.6667], abs=1e-3)
    assert values["shed", "rh"] == [50.0] * 4
    # What nobody can place yet still waits, whole; a mended mapping takes it in.
    (left,) = json.loads(_run(collector, "strays", "--json"))
    assert (left["messages"], left["is_station"]) == (4, True)
    assert [one["field"] for one in left["fields"]] == ["zorp"]
    _run(collector, "take-in", "shed", "--map", "zorp=voltage:mV")
    assert _values(collector)["shed", "zorp"] == [0.007] * 4
    assert json.loads(_run(collector, "strays", "--json")) == []
    (account,) = json.loads(_run(collector, "station", "show", "shed", "--json"))
    assert (account["counts"]["kept"], account["counts"]["duplicate"]) == (12, 0)
    # From now on it is a station like any other, without a restart.
    assert collector.post('{"zorp": 8, "rh": 51}', query="?station=shed")[1]["kept"] == 2


def test_a_field_under_a_new_name_goes_on_where_the_old_one_stopped(
    collector: CollectorProcess,
) -> None:
    collector.add_station("dust", kind="particle-counter")
    for at in range(3):
        body = {"time": 1_790_000_000 + 10 * at, "pm25": 20 + at}
        collector.post(json.dumps(body), query="?station=dust")
    for at in range(3, 6):
        body = {"time": 1_790_000_000 + 10 * at, "pm2_5": 20 + at, "pm10": 40}
        collector.post(json.dumps(body), query="?station=dust")
    (told,) = json.loads(_run(collector, "strays", "--json"))
    assert [(one["field"], one["continues"]) for one in told["fields"]] == [("pm2_5", "pm25")]
    _run(collector, "take-in", "dust", "--continue", "pm2_5=pm25")
    values = _values(collector)
    assert values["dust", "pm25"] == [20, 21, 22, 23, 24, 25]
    assert values["dust", "pm10"] == [40] * 3
    collector.post('{"time": 1790000060, "pm2_5": 26}', query="?station=dust")
    assert _values(collector)["dust", "pm25"][-1] == 26


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("take-in", "x"), "x is no station yet; say where it stands"),
        # What the command was called before.
        (("adopt", "x"), "x is no station yet; say where it stands"),
        (("take-in", "x", "--place", "Hall", "--kind", "toaster"), "there is no kind 'toaster'"),
        (("take-in", "x", "--place", "Hall", "--map", "t"), "write FIELD=QUANTITY"),
        (("take-in", "x", "--place", "Hall", "--map", "t=warmth"), "warmth"),
        (
            ("take-in", "x", "--place", "Hall", "--map", "t=temperature:lx"),
            "no unit of temperature",
        ),
        (("take-in", "x", "--place", "Hall", "--continue", "a=b"), "x has no field b"),
        (("take-in", "x y", "--place", "Hall"), "cannot be a station's key"),
    ],
)
def test_what_cannot_be_meant_changes_nothing(
    shared_collector: CollectorProcess, words: tuple[str, ...], why: str
) -> None:
    before = _run(shared_collector, "station", "list")
    done = rook_tally("--store", shared_collector.address, *words)
    assert (done.returncode, done.stdout) == (2, "")
    assert why in done.stderr
    assert _run(shared_collector, "station", "list") == before


def test_the_tape_tells_what_became_of_each_message(shared_collector: CollectorProcess) -> None:
    collector = shared_collector
    body = '{"time": 1790000000, "temperature": 21.5}'
    for sent in (body, body, '{"humidity": 300}', '{"glorp": 1}', '{"temp'):
        collector.post(sent, query="?station=a")
    lines = _run(collector, "tape", "a", "-n", "5").splitlines()
    assert [line.partition(" → ")[2] for line in lines] == [
        "1 kept",
        "1 duplicate",
        "1 suspect",
        "1 stray: station a has no field glorp",
        "1 stray: not JSON: it ends in the middle; send a whole JSON object",
    ]
    assert '{"humidity": 300}' in lines[2]
    assert _run(collector, "tape", "nobody") == ""


def test_own_kinds_are_written_read_and_used(store_path: Path, tmp_path: Path) -> None:
    def run(*words: str) -> str:
        done = rook_tally("--store", str(store_path), *words)
        assert done.returncode == 0, done.stderr
        return done.stdout

    file = tmp_path / "box.toml"
    text = run("kind", "export", "climate")
    file.write_text(text.replace('"climate"', '"loft-box"').replace('name = "temp"', 'name = "t"'))
    assert run("kind", "read", str(file)) == "loft-box: loft-box, 3 fields\n"
    assert "loft-box" in run("kind", "list")
    assert "your own: t rh battery" in run("kind", "list")
    run("station", "add", "a", "--place", "Loft", "--kind", "loft-box")
    assert "loft-box" in run("station", "list")


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("slug =", "this is not TOML"),
        ('name = "x"', "slug is missing"),
        ('slug = "A b"\nname = "x"\ncadence_s = 1', "cannot be a slug"),
        ('slug = "a"\nname = "x"\ncadence_s = "often"', "cadence_s has to be a number"),
        ('slug = "a"\nname = "x"\ncadence_s = 1\nfield = 3', "fields are tables"),
        ('slug = "a"\nname = "x"\ncadence_s = 1\ncolour = "red"', "colour is nothing a kind has"),
        ('slug = "plain"\nname = "x"\ncadence_s = 1', "plain is any station"),
        (
            'slug = "a"\nname = "x"\ncadence_s = 1\n[[field]]\nname = "t"\nquantity = "warmth"',
            "field 1: there is no quantity 'warmth'",
        ),
    ],
)
def test_a_kind_that_cannot_be_read(store_path: Path, tmp_path: Path, text: str, why: str) -> None:
    file = tmp_path / "kind.toml"
    file.write_text(text)
    done = rook_tally("--store", str(store_path), "kind", "read", str(file))
    assert (done.returncode, done.stdout) == (2, "")
    assert why in done.stderr


def test_a_new_access_key_replaces_the_old_one(collector: CollectorProcess) -> None:
    old = collector.add_station("a")
    new = _run(collector, "station", "key", "a").splitlines()[-1]
    body = '{"temperature": 20}'
    wait_until(lambda: collector.post(body, "-H", f"Authorization: Bearer {new}")[0] == 200)
    assert collector.post(body, "-H", f"Authorization: Bearer {old}")[0] == 401
