"""The HTTP door through the real curl: precise answers after the commit, nothing else lost."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import cbor2
import pytest

from rook_tally.core.timestamps import time_us_from_text
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import newest_strays
from tests.certificates import own_certificate
from tests.processes import CollectorProcess, rook_tally, wait_until

SENML = ("-H", "Content-Type: application/senml+json")
JSON = ("-H", "Content-Type: application/json")


def test_a_reading_posted_by_hand_is_in_latest_at_once(collector: CollectorProcess) -> None:
    key = collector.add_station("kiln-1", kind="kiln-probe")
    status, answer = collector.post('{"temp": 34.5}', "-H", f"Authorization: Bearer {key}")
    assert (status, answer) == (
        200,
        {"kept": 1, "duplicate": 0, "suspect": 0, "stray": 0, "refused": []},
    )
    (row,) = collector.latest()
    assert {name: row[name] for name in ("place", "station", "quantity", "value", "unit")} == {
        "place": "Kiln room",
        "station": "kiln-1",
        "quantity": "temperature",
        "value": 34.5,
        "unit": "°C",
    }
    assert row["quality"] == "good"
    assert 0 <= row["age_s"] < 30
    status, headers, served = collector.curl("/v1/latest")
    assert status == 200
    assert headers["content-type"].startswith("application/json")
    assert [one["value"] for one in served] == [34.5]


def test_all_three_ways_to_say_who_speaks_on_loopback(collector: CollectorProcess) -> None:
    collector.add_station("a")
    assert collector.post('{"co2": 500}', query="?station=a")[1]["kept"] == 1
    assert collector.post('{"station": "a", "humidity": 50}', *JSON)[1]["kept"] == 1
    pack = json.dumps([{"bn": "a/", "n": "temperature", "u": "Cel", "v": 21}])
    assert collector.post(pack, *SENML)[1]["kept"] == 1
    assert {row["quantity"] for row in collector.latest()} == {"co2", "humidity", "temperature"}


@pytest.mark.parametrize(
    ("body", "words", "status", "told"),
    [
        ("not json", JSON, 400, "not JSON: expecting value at line 1, column 1"),
        ('{"co2": 5', JSON, 400, "not JSON: it ends in the middle"),
        ("[]", JSON, 422, "empty list"),
        ("", JSON, 422, "the message is empty"),
        ('{"co2": [1, 2]}', JSON, 422, "co2: a list is not a reading"),
        ('{"co2": NaN}', JSON, 422, "NaN is not a reading"),
        ('{"co2": 1e999}', JSON, 422, "an infinite number is not a reading"),
        ('{"co2": "lots"}', JSON, 422, "'lots' is not a number"),
        ("[1, 2]", JSON, 422, "a number stands where an object"),
        ('{"n": 1}', SENML, 400, "an object, not a list of SenML records"),
        ("co2=5", ("-H", "Content-Type: text/xml"), 415, "text/xml is none of application/json"),
        ('{"co2": 5}', (), 415, "the type is one of application/json"),
        ('{"co2": 5}', ("-H", "Content-Type:"), 415, "the type is one of application/json"),
        ('{"co2": 5}', ("-H", "Authorization: Bearer wrong"), 401, "access key is no station's"),
        ('{"co2": 5}', ("-H", "Authorization: Basic eA=="), 401, "Bearer <station key>"),
    ],
)
def test_bad_messages_are_problems(
    shared_collector: CollectorProcess, body: str, words: tuple[str, ...], status: int, told: str
) -> None:
    """RFC 9457: type, title, status and a detail that says what is wrong."""
    path = shared_collector.store.with_suffix(".body")
    path.write_text(body)
    got, headers, answer = shared_collector.curl(
        "/v1/readings?station=a", "--data-binary", f"@{path}", *words
    )
    assert (got, answer["status"]) == (status, status)
    assert headers["content-type"].startswith("application/problem+json")
    assert told in answer["detail"]
    assert answer["title"]


def test_five_megabytes_are_refused_and_the_door_stays_open(
    shared_collector: CollectorProcess,
) -> None:
    status, answer = shared_collector.post(b'{"co2": "' + b"9" * 5_000_000 + b'"}')
    assert status == 413
    assert "at most 1024 KiB a message; nothing was kept" in answer["detail"]
    status, answer = shared_collector.post(
        b'{"co2": 500}', "-H", "Transfer-Encoding: chunked", query="?station=a"
    )
    assert (status, answer["kept"] + answer["duplicate"]) == (200, 1)


def test_other_paths_and_methods_are_problems_too(shared_collector: CollectorProcess) -> None:
    status, headers, answer = shared_collector.curl("/v2/anything")
    assert (status, answer["title"]) == (404, "Not Found")
    assert headers["content-type"].startswith("application/problem+json")
    status, _, answer = shared_collector.curl("/v1/readings", "-X", "DELETE")
    assert (status, answer["title"]) == (405, "Method Not Allowed")


def test_one_bad_value_loses_nothing_else(collector: CollectorProcess) -> None:
    collector.add_station("a")
    body = '[{"co2": NaN, "humidity": 50}, {"flurb": 3, "temperature": 21}, 7]'
    status, answer = collector.post(body, query="?station=a")
    assert status == 200
    assert (answer["kept"], answer["stray"], len(answer["refused"])) == (2, 1, 2)
    assert answer["strays"] == [{"at": 1, "field": "flurb", "why": "station a has no field flurb"}]
    assert {row["quantity"] for row in collector.latest()} == {"humidity", "temperature"}


def test_strangers_are_accepted_and_kept_whole(collector: CollectorProcess) -> None:
    status, answer = collector.post('{"temp": 9.5}', query="?station=slipway-9")
    assert (status, answer["stray"]) == (202, 1)
    assert answer["strays"][0]["why"] == "no station slipway-9 has been taken in"
    store = open_store(collector.store)
    with store.read() as connection:
        (stray,) = newest_strays(connection)
    store.close()
    assert (stray.station, stray.body, stray.door) == ("slipway-9", b'{"temp": 9.5}', "http")


def test_unbelievable_times_are_noted(collector: CollectorProcess) -> None:
    collector.add_station("a")
    _, answer = collector.post('{"time": 0, "co2": 500}', query="?station=a")
    assert "before 2015; kept under its arrival time" in answer["noted"][0]["why"]
    (row,) = collector.latest()
    assert time_us_from_text(row["time"]) > time_us_from_text("2020-01-01")


def test_health(collector: CollectorProcess) -> None:
    well = {"status": "ok", "reading": "ok", "writing": "ok", "duties": [], "last_heard": ""}
    assert collector.curl("/v1/health")[2] == well
    collector.add_station("a")
    collector.post('{"co2": 500}', query="?station=a")
    wait_until(lambda: collector.curl("/v1/health")[2]["last_heard"])


def test_a_thousand_wrong_keys_are_slowed_down(collector: CollectorProcess) -> None:
    key = collector.add_station("a")

    def send(access_key: str) -> int:
        return collector.post('{"co2": 5}', "-H", f"Authorization: Bearer {access_key}")[0]

    assert [send(f"guess-{number}") for number in range(12)] == [401] * 10 + [429] * 2
    wrong = ("-H", "Authorization: Bearer guess-12", "-d", '{"co2": 5}')
    status, headers, problem = collector.curl("/v1/readings", *wrong)
    assert (status, problem["title"]) == (429, "Too many wrong access keys")
    assert 0 < int(headers["retry-after"]) <= 60
    # Who has a right key is heard, whoever else sits behind that address.
    assert send(key) == 200
    assert "wrong_keys" in collector.log.read_text()
    # What came with wrong keys is kept, but no more than what was read.
    strays = newest_strays_of(collector)
    assert len(strays) == 10


def newest_strays_of(collector: CollectorProcess) -> list[bytes]:
    store = open_store(collector.store)
    with store.read() as connection:
        bodies = [one.body for one in newest_strays(connection)]
    store.close()
    return bodies


def test_csv_and_cbor_over_http(collector: CollectorProcess) -> None:
    collector.add_station("a", kind="climate")
    table = "time,temp [°F],rh\n2026-11-23T08:00:00Z,68,50\n2026-11-23T08:01:00Z,86,51\n"
    csv = ("-H", "Content-Type: text/csv")
    assert collector.post(table, *csv, query="?station=a")[1]["kept"] == 4
    pack = cbor2.dumps([{-2: "a/", 0: "temp", 1: "Cel", 2: 21.5}])
    cbor = ("-H", "Content-Type: application/senml+cbor")
    assert collector.post(pack, *cbor)[1]["kept"] == 1
    assert {row["quantity"]: row["value"] for row in collector.latest()} == {
        "temperature": 21.5,
        "humidity": 51.0,
    }


@pytest.fixture
def certificate(tmp_path: Path) -> tuple[Path, Path]:
    return own_certificate(tmp_path)


def test_tls_with_a_certificate_of_ones_own(
    store_path: Path, certificate: tuple[Path, Path]
) -> None:
    chain, key = certificate
    words = ("--tls-cert", str(chain), "--tls-key", str(key))
    with CollectorProcess(store_path, words=words) as collector:
        collector.add_station("a")
        url = f"https://{collector.ready['http']}/v1/readings?station=a"
        trusted = ["curl", "-sS", "--cacert", str(chain), *JSON, "-d", '{"co2": 500}', url]
        done = subprocess.run(trusted, capture_output=True, text=True, check=True)
        assert json.loads(done.stdout)["kept"] == 1
        untrusted = subprocess.run(
            ["curl", "-sS", "-d", '{"co2": 500}', url], capture_output=True, text=True, check=False
        )
        assert untrusted.returncode == 60
    swapped = rook_tally(
        "--store", str(store_path), "collect", "--tls-cert", str(key), "--tls-key", str(chain)
    )
    assert swapped.returncode == 1
    assert "the key has to belong to the certificate" in swapped.stderr


def test_a_key_speaks_for_its_own_station_in_the_query_too(collector: CollectorProcess) -> None:
    key = collector.add_station("a")
    collector.add_station("b")
    bearer = ("-H", f"Authorization: Bearer {key}", *JSON)
    for body, query in (('{"co2": 5}', "?station=b"), ('{"station": "b", "co2": 5}', "")):
        status, answer = collector.post(body, *bearer, query=query)
        assert (status, answer["detail"]) == (422, "a speaks here and cannot speak for b")
    assert collector.post('{"co2": 5}', *bearer, query="?station=a")[0] == 200
    assert collector.latest() != []
