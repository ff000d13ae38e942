"""Readings for programs that ask: page by page, in every form, by keys that may be revoked."""

from __future__ import annotations

import json
import subprocess
import threading
import urllib.request
from collections.abc import Iterator
from io import BytesIO

import cbor2
import pyarrow.parquet as pq
import pytest

from rook_tally.core.timestamps import rfc3339
from tests.bench.air_of_rooms import CADENCE_S, START_US
from tests.processes import rook_tally, wait_until
from tests.serving.conftest import Served

COUNT = 4 * 86_400 // CADENCE_S


def get(served: Served, path: str, *words: str) -> tuple[int, dict[str, str], bytes]:
    done = subprocess.run(
        ["curl", "-sS", "-i", "--max-time", "20", *words, f"{served.process.http}{path}"],
        capture_output=True,
        check=True,
    )
    head, _, body = done.stdout.partition(b"\r\n\r\n")
    lines = head.decode().splitlines()
    told = dict(one.split(": ", 1) for one in lines[1:])
    return int(lines[0].split()[1]), {name.lower(): value for name, value in told.items()}, body


def bearer(served: Served, name: str) -> tuple[str, str]:
    return "-H", f"Authorization: Bearer {served.keys[name]}"


def test_a_key_reads_what_it_may_and_no_more(served: Served) -> None:
    status, _, body = get(served, "/v1/series")
    assert status == 200
    assert [one["series"] for one in json.loads(body)["series"]] == [
        "booth/co2",
        "booth/pm25",
        "shelf/co2",
    ]
    _, _, body = get(served, "/v1/series", *bearer(served, "shop"))
    (only,) = json.loads(body)["series"]
    assert (only["series"], only["unit"], only["ucum"]) == ("shelf/co2", "ppm", "[ppm]")
    status, _, body = get(served, "/v1/readings?series=booth/co2", *bearer(served, "shop"))
    assert (status, json.loads(body)["title"]) == (404, "There is no such series")
    status, headers, _ = get(served, "/v1/series", "-H", "Authorization: Bearer nonsense")
    assert (status, headers["www-authenticate"]) == (401, "Bearer")
    # Through a proxy it comes from anywhere.
    assert get(served, "/v1/series", "-H", "X-Forwarded-For: 10.0.0.9")[0] == 401


def test_pages_follow_one_another_without_gap_or_repeat(served: Served) -> None:
    found: list[tuple[str, str]] = []
    cursor = ""
    while True:
        path = f"/v1/readings?quantity=co2&limit=700{cursor}"
        told = json.loads(get(served, path)[2])
        found += [(one["time"], one["series"]) for one in told["readings"]]
        if told["next"] is None:
            break
        cursor = f"&cursor={told['next']}"
    assert len(found) == len(set(found)) == 2 * COUNT
    assert found == sorted(found)


def test_what_did_not_change_is_not_sent_again(served: Served) -> None:
    path = f"/v1/readings?series=booth/co2&to={rfc3339(START_US + 3_600_000_000)}"
    status, headers, body = get(served, path)
    assert (status, len(json.loads(body)["readings"])) == (200, 3600 // CADENCE_S)
    status, _, body = get(served, path, "-H", f"If-None-Match: {headers['etag']}")
    assert (status, body) == (304, b"")


def test_every_form_says_the_same(served: Served) -> None:
    path = f"/v1/readings?series=booth/co2&to={rfc3339(START_US + 3_600_000_000)}"
    wanted = [400.0 + at for at in range(12)]

    def as_form(form: str) -> bytes:
        status, headers, body = get(served, path, "-H", f"Accept: {form}")
        assert (status, headers["content-type"]) == (200, form)
        return body

    rows = as_form("text/csv").decode().splitlines()[1:]
    assert [float(one.split(",")[5]) for one in rows] == wanted
    lines = as_form("application/x-ndjson").splitlines()
    assert [json.loads(one)["value"] for one in lines] == wanted
    assert [one["v"] for one in json.loads(as_form("application/senml+json"))] == wanted
    assert [one[2] for one in cbor2.loads(as_form("application/senml+cbor"))] == wanted
    table = pq.read_table(BytesIO(as_form("application/vnd.apache.parquet")))
    assert table["value"].to_pylist() == wanted
    assert get(served, path, "-H", "Accept: image/png")[0] == 406


def test_means_keep_to_the_gap_rule(served: Served) -> None:
    path = f"/v1/readings?series=booth/co2&every=1h&to={rfc3339(START_US + 7_200_000_000)}"
    told = json.loads(get(served, path)[2])["readings"]
    assert [one["value"] for one in told] == pytest.approx([406.0, 418.0])


@pytest.mark.parametrize(
    ("query", "status"),
    [
        ("from=soon", 400),
        ("every=tea", 400),
        ("limit=0", 400),
        ("limit=many", 400),
        ("cursor=%21%21", 400),
        ("series=nobody/nothing", 404),
    ],
)
def test_what_cannot_be_meant_is_a_problem(served: Served, query: str, status: int) -> None:
    found, headers, body = get(served, f"/v1/readings?{query}")
    assert (found, headers["content-type"]) == (status, "application/problem+json")
    assert json.loads(body)["detail"]


def test_metrics_are_open_ones(served: Served) -> None:
    status, headers, body = get(served, "/metrics", *bearer(served, "shop"))
    assert status == 200 and headers["content-type"].startswith("application/openmetrics-text")
    lines = body.decode().splitlines()
    assert lines[-1] == "# EOF"
    (line,) = (one for one in lines if one.startswith("rook_tally_reading{"))
    assert 'station="shelf"' in line and f" {1400.0 + COUNT - 1!r} " in line
    assert "rook_tally_well 1" in lines


def events(
    served: Served, name: str, after: str = ""
) -> Iterator[tuple[str, str, dict[str, object]]]:
    """The events of a stream as (id, name, data), until it ends."""
    headers = {"Authorization": f"Bearer {served.keys[name]}"}
    if after:
        headers["Last-Event-ID"] = after
    request = urllib.request.Request(f"{served.process.http}/v1/events", headers=headers)
    told: dict[str, str] = {}
    with urllib.request.urlopen(request, timeout=30) as stream:
        for line in stream:
            word, _, value = line.decode().rstrip("\n").partition(": ")
            if word:
                told[word] = value
            elif told:
                if "data" in told:
                    yield told.get("id", ""), told["event"], json.loads(told["data"])
                told = {}


def test_a_stream_goes_on_where_it_was_left_and_ends_with_its_key(served: Served) -> None:
    process = served.process

    def send(value: float) -> None:
        status, answer = process.post(json.dumps({"co2": value}), query="?station=shelf")
        assert (status, answer["kept"]) == (200, 1)

    found: list[tuple[str, str, dict[str, object]]] = []
    is_listening = threading.Event()

    def listen() -> None:
        is_listening.set()
        for one in events(served, "shop"):
            found.append(one)
            if len(found) == 1:
                return

    thread = threading.Thread(target=listen)
    thread.start()
    is_listening.wait()

    def is_told() -> bool:
        send(700.0 + len(found))
        return bool(found)

    wait_until(is_told)
    thread.join()
    number, name, data = found[0]
    assert (name, data["series"]) == ("readings", "shelf/co2")
    # While nobody listens more comes; who comes back with the number is told all of it.
    send(801.0)
    send(802.0)
    values: list[float] = []
    for _, _, data in events(served, "shop", number):
        rows = data["readings"]
        assert isinstance(rows, list)
        values += [one["value"] for one in rows]
        if 802.0 in values:
            break
    assert values[-2:] == [801.0, 802.0]
    done: list[str] = []
    last = threading.Thread(
        target=lambda: done.extend(name for _, name, _ in events(served, "shop"))
    )
    last.start()
    revoked = rook_tally("--store", process.address, "read-key", "revoke", "shop")
    assert revoked.returncode == 0, revoked.stderr
    last.join(20)
    assert done[-1:] == ["revoked"]
    assert get(served, "/v1/series", *bearer(served, "shop"))[0] == 401


@pytest.mark.parametrize(
    ("query", "status"),
    [
        ("", 400),
        ("?series=booth/co2&series=booth/pm25", 400),
        ("?series=nobody/co2", 404),
        ("?series=booth/co2&unit=%C2%B0C", 400),
    ],
)
def test_what_is_no_one_value_is_said(served: Served, query: str, status: int) -> None:
    told, headers, _ = get(served, f"/v1/value{query}", *bearer(served, "all"))
    assert (told, headers["content-type"]) == (status, "application/problem+json")


def test_one_value_is_a_number_and_nothing_else(served: Served) -> None:
    status, headers, body = get(served, "/v1/value?series=booth/pm25", *bearer(served, "all"))
    assert (status, headers["content-type"], json.loads(body)) == (200, "application/json", 5.0)
    told = json.loads(get(served, "/v1/value?series=shelf/co2", *bearer(served, "all"))[2])
    other = "/v1/value?series=shelf/co2&unit=ppb"
    assert json.loads(get(served, other, *bearer(served, "all"))[2]) == pytest.approx(told * 1000)
