"""The MQTT door through a real Mosquitto: acknowledged after the commit, nothing lost."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import pytest

from rook_tally import clock
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import read_range
from rook_tally.store.site import DoorState, collectors, load_site, newest_strays
from tests.processes import CollectorProcess, rook_tally, wait_until


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


@contextlib.contextmanager
def mosquitto(port: int, folder: Path, more: str = "") -> Iterator[None]:
    """Somebody else's broker; `more` is added to its configuration."""
    folder.mkdir(exist_ok=True)
    configuration = folder / "outside.conf"
    user = "user root\n" if os.geteuid() == 0 else ""
    configuration.write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\n{user}{more}")
    process = subprocess.Popen(["mosquitto", "-c", str(configuration)], stderr=subprocess.DEVNULL)
    try:
        wait_until(lambda: _answers(port))
        yield
    finally:
        process.terminate()
        process.wait()


def _answers(port: int) -> bool:
    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
        return True
    return False


def _broker_pid(path: Path) -> int:
    note: dict[str, Any] = msgspec.json.decode(
        (path.with_suffix(".broker") / "running.json").read_bytes()
    )
    return int(note["pid"])


def _is_running(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def test_a_message_published_by_hand_is_in_latest_soon(collector: CollectorProcess) -> None:
    collector.add_station("glaze-dust", kind="particle-counter", place="Glaze booth")
    collector.publish("glaze-dust", '{"pm25": 58}')
    wait_until(lambda: collector.latest())
    (row,) = collector.latest()
    assert (row["place"], row["quantity"], row["value"], row["level"]) == (
        "Glaze booth",
        "pm25",
        58.0,
        3,
    )


def test_senml_over_mqtt_belongs_to_the_topics_station(collector: CollectorProcess) -> None:
    collector.add_station("kiln-1")
    collector.publish("kiln-1", '[{"bn":"urn:dev:mac:0024/","n":"temperature","u":"Cel","v":3}]')
    wait_until(lambda: collector.latest())
    assert collector.latest()[0]["station"] == "kiln-1"


def test_bad_and_strange_messages_are_kept_and_block_nothing(collector: CollectorProcess) -> None:
    collector.add_station("a")
    for body in ("nonsense", '{"co2": ', '{"co2": {}}', '{"co2": NaN}', "[[[[]]]]"):
        collector.publish("a", body)
    collector.publish("slipway-9", '{"temp": 9}')
    collector.publish("a", '{"co2": 612}')
    wait_until(lambda: collector.latest())
    assert [row["value"] for row in collector.latest()] == [612.0]
    store = open_store(collector.store)
    with store.read() as connection:
        kept = [(stray.station, stray.body) for stray in newest_strays(connection)]
    store.close()
    assert kept == [("slipway-9", b'{"temp": 9}'), ("a", b'{"co2": '), ("a", b"nonsense")]


def test_who_is_never_taken_in_fills_no_log(collector: CollectorProcess) -> None:
    collector.add_station("a")

    def tr() -> list[str]:
        lines = collector.log.read_text().splitlines()
        return [line for line in lines if "not_all_kept" in line]

    for number in range(5):
        collector.publish("slipway-9", f'{{"temp": {number}}}')
    collector.publish("a", '{"co2": ')
    collector.publish("a", '{"co2": 612}')
    collector.publish("a", '{"co2": ')
    wait_until(lambda: len(tr()) >= 3)
    # Each once; and anew where there was something to keep in between.
    assert ["slipway-9" in line for line in tr()] == [True, False, False]
    store = open_store(collector.store)
    with store.read() as connection:
        assert len(newest_strays(connection)) == 7
    store.close()


def test_a_retained_value_is_not_taken_for_a_new_one(store_path: Path, tmp_path: Path) -> None:
    """The broker repeats it at every subscription; when it was measured nobody knows."""
    port = free_port()
    with mosquitto(port, tmp_path / "outside"):
        subprocess.run(
            [
                "mosquitto_pub",
                "-h",
                "127.0.0.1",
                "-p",
                str(port),
                "-r",
                "-q",
                "1",
                "-t",
                "rook/a/readings",
                "-m",
                '{"co2": 1}',
            ],
            check=True,
        )
        with CollectorProcess(store_path, broker=f"mqtt://127.0.0.1:{port}") as collector:
            collector.add_station("a")
            collector.publish("a", '{"co2": 2}')
            wait_until(lambda: collector.latest())
            assert [row["value"] for row in collector.latest()] == [2.0]


def test_killed_at_any_instant_loses_nothing(store_path: Path) -> None:
    """The collector is killed while messages pour in; the broker lives on and the next collector
    gets what was not committed."""
    collector = CollectorProcess(store_path)
    collector.add_station("a")
    port = collector.mqtt_port
    total = 400
    lines = "\n".join(
        f'{{"time": {1_790_000_000 + number}, "co2": {500 + number}}}' for number in range(total)
    )
    with subprocess.Popen(
        ["mosquitto_pub", "-h", "127.0.0.1", "-p", port, "-q", "1", "-l", "-t", "rook/a/readings"],
        stdin=subprocess.PIPE,
        text=True,
    ) as sender:
        assert sender.stdin is not None
        sender.stdin.write(lines + "\n")
        sender.stdin.flush()
        collector.kill()
        sender.stdin.close()
        assert sender.wait(30) == 0
    broker = _broker_pid(store_path)
    assert _is_running(broker)
    with CollectorProcess(store_path) as second:
        assert second.mqtt_port == port
        assert _broker_pid(store_path) == broker

        def kept() -> int:
            store = open_store(store_path)
            with store.read() as connection:
                series = load_site(connection).series
                count = len(read_range(connection, series[0].id, 0, 2**62)) if series else 0
            store.close()
            return count

        wait_until(lambda: kept() == total)
    assert not _is_running(broker)


def test_the_broker_is_started_again_when_it_dies(collector: CollectorProcess) -> None:
    collector.add_station("a")
    first = _broker_pid(collector.store)
    os.kill(first, signal.SIGKILL)
    wait_until(lambda: _broker_pid(collector.store) != first)
    wait_until(lambda: _answers(int(collector.mqtt_port)))
    wait_until(lambda: _door(collector.store).state is DoorState.OPEN)
    collector.publish("a", '{"co2": 640}')
    wait_until(lambda: collector.latest())


def _door(path: Path, name: str = "mqtt") -> Any:
    store = open_store(path)
    with store.read() as connection:
        seen = collectors(connection, now_us=clock.now_us())
    store.close()
    return next(door for door in seen[0].doors if door.name == name)


def test_a_broker_that_is_not_there_is_tried_until_it_comes(
    store_path: Path, tmp_path: Path
) -> None:
    port = free_port()
    with CollectorProcess(store_path, broker=f"mqtt://127.0.0.1:{port}") as collector:
        assert collector.ready["mqtt"] == f"127.0.0.1:{port}"
        collector.add_station("a")
        wait_until(lambda: _door(store_path).state is DoorState.TRYING)
        assert _door(store_path).detail == f"no broker answers at 127.0.0.1:{port}"
        assert collector.post('{"co2": 500}', query="?station=a")[0] == 200
        with mosquitto(port, tmp_path / "outside"):
            wait_until(lambda: _door(store_path).state is DoorState.OPEN)
            collector.publish("a", '{"humidity": 44}')
            wait_until(lambda: len(collector.latest()) == 2)


def test_without_a_broker(store_path: Path) -> None:
    with CollectorProcess(store_path, broker="off") as collector:
        assert collector.ready["mqtt"] is None


@pytest.mark.parametrize("name", ["http", "broker"])
def test_a_port_in_use_is_said_in_one_line(store_path: Path, name: str) -> None:
    with socket.socket() as holder:
        holder.bind(("127.0.0.1", 0))
        holder.listen()
        port = holder.getsockname()[1]
        words = {"http": "127.0.0.1:0", "broker": "off"}
        words[name] = f"127.0.0.1:{port}" if name == "http" else f"builtin:127.0.0.1:{port}"
        done = rook_tally(
            "--store",
            str(store_path),
            "collect",
            "--http",
            words["http"],
            "--broker",
            words["broker"],
        )
    assert done.returncode == 1
    assert done.stdout == ""
    last = done.stderr.strip().splitlines()[-1]
    assert last == (
        f"rook-tally: port {port} on 127.0.0.1 is in use; stop the program that holds it, "
        "or name another port (0 takes a free one)"
    )


def test_a_broker_that_is_restarted_gives_what_it_took_before_we_were_back(
    store_path: Path, tmp_path: Path
) -> None:
    """Found: it forgets shared subscriptions, and so dropped what came before the collector was
    connected again."""
    port = free_port()
    on_disk = f"persistence true\npersistence_location {tmp_path}/outside/\n"
    body = '{"temp": 20.5, "time": 1790000000}'
    with mosquitto(port, tmp_path / "outside", on_disk):
        collector = CollectorProcess(store_path, broker=f"mqtt://127.0.0.1:{port}")
        collector.add_station("a", kind="climate")
        collector.kill()
    with mosquitto(port, tmp_path / "outside", on_disk):
        subprocess.run(
            ["mosquitto_pub", "-p", str(port), "-q", "1", "-t", "rook/a/readings", "-m", body],
            check=True,
            timeout=20,
        )
        with CollectorProcess(store_path, broker=f"mqtt://127.0.0.1:{port}") as again:
            wait_until(again.latest)
