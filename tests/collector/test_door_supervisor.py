"""Doors set up in the store: polled addresses, watched folders, serial patterns, Bluetooth, DNS-SD.

Each is opened and closed by a collector that runs already.
"""

from __future__ import annotations

import http.server
import socket
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from zeroconf import ServiceInfo, Zeroconf

from rook_tally import clock
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import announced, collectors, load_site, newest_strays
from tests.collector.test_serial import Cable, cable
from tests.processes import CollectorProcess, rook_tally, wait_until

__all__ = ["cable"]


def door(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, "door", *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def state_of(collector: CollectorProcess, name: str) -> tuple[str, str] | None:
    """How a door stands, and why."""
    with open_store(collector.address) as store, store.read() as connection:
        running = collectors(connection, now_us=clock.now_us())
    return next(
        (
            (one.state.value, one.detail)
            for each in running
            for one in each.doors
            if one.name == name
        ),
        None,
    )


def values_of(collector: CollectorProcess) -> dict[str, float]:
    return {row["quantity"]: row["value"] for row in collector.latest()}


class Answering(http.server.ThreadingHTTPServer):
    """A station that is asked: answers what `answer` says now."""

    def __init__(self) -> None:
        self.answer: tuple[int, str, bytes] = (200, "application/json", b"{}")
        outer = self

        class Handler(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                status, form, body = outer.answer
                self.send_response(status)
                self.send_header("Content-Type", form)
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *_arguments: object) -> None:
                """Quiet."""

        super().__init__(("127.0.0.1", 0), Handler)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.server_address[1]}/now"


@pytest.fixture
def answering() -> Iterator[Answering]:
    server = Answering()
    serving = threading.Thread(target=server.serve_forever)
    serving.start()
    yield server
    server.shutdown()
    serving.join()
    server.server_close()


def test_an_address_is_asked_at_its_cadence(
    collector: CollectorProcess, answering: Answering
) -> None:
    collector.add_station("meter", kind="climate")
    answering.answer = (200, "application/json", b'{"env": {"t": 19.5, "h": "48 %"}}')
    words = (
        "add",
        "poll",
        answering.url,
        "--station",
        "meter",
        "--every",
        "1",
        "--field",
        "temp=/env/t",
        "--field",
        "rh=/env/h",
    )
    tried = door(collector, *words, "--try")
    assert "temp = 19.5" in tried
    assert state_of(collector, "poll meter") is None
    door(collector, *words)
    wait_until(lambda: values_of(collector) == {"temperature": 19.5, "humidity": 48.0})
    answering.answer = (503, "text/plain", b"busy")
    wait_until(lambda: "answers 503" in (state_of(collector, "poll meter") or ("", ""))[1])
    answering.answer = (200, "application/json", b'{"env": {"t": 20.5}}')
    wait_until(lambda: values_of(collector)["temperature"] == 20.5)
    assert "humidity" in values_of(collector)
    # Deleted, it is asked no more, and its door is no longer listed.
    number = door(collector, "list").split()[0]
    assert "set it up again with: rook-tally door add poll" in door(collector, "remove", number)
    wait_until(lambda: state_of(collector, "poll meter") is None)


def test_an_answer_that_is_one_number(collector: CollectorProcess, answering: Answering) -> None:
    collector.add_station("meter", kind="climate")
    answering.answer = (200, "text/plain", b"21.25\n")
    door(
        collector,
        "add",
        "poll",
        answering.url,
        "--station",
        "meter",
        "--every",
        "1",
        "--alone",
        "temp",
    )
    wait_until(lambda: values_of(collector) == {"temperature": 21.25})


def test_a_host_that_is_not_there_is_named(collector: CollectorProcess) -> None:
    collector.add_station("meter", kind="climate")
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        url = f"http://127.0.0.1:{unused.getsockname()[1]}/"
        door(collector, "add", "poll", url, "--station", "meter", "--every", "1")
        wait_until(lambda: "cannot be reached" in (state_of(collector, "poll meter") or "--")[1])


def test_files_that_appear_in_a_folder(collector: CollectorProcess, tmp_path: Path) -> None:
    collector.add_station("logger", kind="climate")
    folder = tmp_path / "drop"
    folder.mkdir()
    door(collector, "add", "folder", str(folder), "--station", "logger")
    good = "time;temp;rh\n2026-03-01 10:00;20,5;41\n2026-03-01 10:01;20,6;42\n"
    (folder / "march.csv").write_text(good)
    (folder / "wrong.csv").write_text("nothing,here\n1,2\n")
    (folder / "notes.txt").write_text("left alone")
    wait_until(lambda: (folder / "taken" / "march.csv").exists())
    wait_until(lambda: (folder / "refused" / "wrong.why.txt").exists())
    assert values_of(collector) == {"temperature": 20.6, "humidity": 42.0}
    assert "has no column" in (folder / "refused" / "wrong.why.txt").read_text()
    assert (folder / "notes.txt").exists()
    # The same name again does not overwrite what was put away, and its readings are known.
    (folder / "march.csv").write_text(good)
    wait_until(lambda: (folder / "taken" / "march-2.csv").exists())
    done = rook_tally("--store", collector.address, "import", "--list")
    # What adds nothing is no import.
    assert [line.split()[-1] for line in done.stdout.splitlines()] == ["march.csv"]
    assert [line.split()[-3] for line in done.stdout.splitlines()] == ["4"]


def test_lines_by_a_pattern_made_from_the_last_ones_seen(
    collector: CollectorProcess, cable: Cable
) -> None:
    cable.plug_in()
    port = str(cable.port)
    door(collector, "add", "serial", port, "--station", "bench")
    wait_until(lambda: (state_of(collector, "serial ttyTEST0") or ("",))[0] == "open")
    cable.send(b"Temp> 20.5 Hum> 41\nTemp> 20.6 Hum> 42\n")

    def waiting() -> int:
        with open_store(collector.address) as store, store.read() as connection:
            return len(newest_strays(connection))

    wait_until(lambda: waiting() == 2)
    rook_tally(
        "--store",
        collector.address,
        "station",
        "add",
        "bench",
        "--place",
        "Loft",
        "--kind",
        "climate",
    )
    names = ("--name", "1=temp", "--name", "2=rh")
    tried = door(
        collector, "add", "serial", port, "--station", "bench", "--pattern", "auto", *names, "--try"
    )
    assert "rh = 42.0" in tried
    said = door(collector, "add", "serial", port, "--station", "bench", "--pattern", "auto", *names)
    # What was kept before the mapping was mended becomes readings at its own time.
    assert "4 readings that waited were taken in" in said
    assert waiting() == 0

    def is_read() -> bool:
        # The door is closed and opened with its new settings: a line between is nobody's.
        cable.send(b"Temp> 21.5 Hum> 43\n")
        return values_of(collector) == {"temperature": 21.5, "humidity": 43.0}

    wait_until(is_read)


def test_doors_are_announced_and_announcing_stations_found(store_path: Path) -> None:
    with CollectorProcess(store_path, words=("--announce", "127.0.0.1")) as collector:
        wait_until(lambda: (state_of(collector, "discovery") or ("",))[0] == "open")
        browser = Zeroconf(interfaces=["127.0.0.1"])
        try:
            host = socket.gethostname().split(".")[0]
            found = browser.get_service_info(
                "_rook-tally._tcp.local.", f"{host}._rook-tally._tcp.local.", 10_000
            )
            assert found is not None
            assert found.port == int(collector.http.rpartition(":")[2])
            assert found.decoded_properties["mqtt"] == collector.mqtt_port
            station = ServiceInfo(
                "_rook-station._tcp.local.",
                "attic._rook-station._tcp.local.",
                addresses=[socket.inet_aton("127.0.0.1")],
                port=8123,
                properties={"path": "/now"},
                server="attic.local.",
            )
            browser.register_service(station)
            wait_until(
                lambda: names_announced(collector) == [("attic", "http://127.0.0.1:8123/now")]
            )
            shown = rook_tally("--store", collector.address, "announced").stdout
            assert "rook-tally door add poll http://127.0.0.1:8123/now --station attic" in shown
            # Whatever says that it can be asked is in reach, as a station or not.
            lamp = ServiceInfo(
                "_coap._udp.local.",
                "lamp._coap._udp.local.",
                addresses=[socket.inet_aton("127.0.0.1")],
                port=5683,
                properties={"path": "air"},
                server="lamp.local.",
            )
            browser.register_service(lamp)
            wait_until(lambda: ("lamp", "coap://127.0.0.1:5683/air") in names_announced(collector))
            for one in (station, lamp):
                browser.unregister_service(one)
            wait_until(lambda: names_announced(collector) == [])
        finally:
            browser.close()


def names_announced(collector: CollectorProcess) -> list[tuple[str, str]]:
    with open_store(collector.address) as store, store.read() as connection:
        return [(one.name, one.url) for one in announced(connection)]


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("poll", "ftp://x", "--station", "a"), "is no address"),
        (("poll", "http://x/", "--station", "a", "--field", "t=air"), "is no JSON pointer"),
        (("topics", "plant/{field}"), "which part is the station"),
        (("serial", "ttyUSB0"), "is no serial port"),
        (("serial", "/dev/ttyX", "--pattern", "(.*"), "is no pattern"),
        (("folder", "/nowhere/at/all", "--station", "a"), "is no folder"),
        (("folder", "/tmp", "--station", "nobody"), "there is no station"),
    ],
)
def test_doors_that_cannot_be_meant(store_path: Path, words: tuple[str, ...], why: str) -> None:
    done = rook_tally("--store", str(store_path), "door", "add", *words)
    assert done.returncode == 2
    assert why in done.stderr
    store = open_store(store_path)
    with store.read() as connection:
        assert load_site(connection).stations == ()
    store.close()
