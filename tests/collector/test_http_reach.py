"""Doors open to the network are switched off under what leaves: this machine still gets in."""

from __future__ import annotations

import json
import socket
from pathlib import Path
from typing import Any

import pytest

from rook_tally.clock import now_us
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import collectors
from tests.collector.test_controls import publish
from tests.collector.test_mqtt_link import free_port, mosquitto
from tests.processes import CollectorProcess, rook_tally, wait_until

_EVERYWHERE, _THIS_MACHINE = "00000000", "0100007F"
_LISTENS = "0A"


def listens_at(port: str | int) -> set[str]:
    """The addresses at which somebody listens on a port, as the kernel tells them."""
    rows = [line.split() for line in Path("/proc/net/tcp").read_text().splitlines()[1:]]
    local = [(*row[1].split(":"), row[3]) for row in rows]
    return {host for host, told, state in local if int(told, 16) == int(port) and state == _LISTENS}


def leaves(collector: CollectorProcess) -> dict[str, Any]:
    done = rook_tally("--store", collector.address, "leaves", "--json")
    return {one["name"]: one for one in json.loads(done.stdout)}


def switched(collector: CollectorProcess, to: str, name: str) -> None:
    done = rook_tally("--store", collector.address, "leaves", to, name)
    assert done.returncode == 0, done.stderr


@pytest.fixture
def guarded(store_path: Path) -> object:
    """A collector with both doors open to the network."""
    with CollectorProcess(store_path, http="0.0.0.0:0", broker="builtin:0.0.0.0:0") as process:
        yield process


def heard(collector: CollectorProcess) -> float | None:
    return next((row["value"] for row in collector.latest()), None)


def test_http_is_shut_to_the_network_and_opened_again(guarded: CollectorProcess) -> None:
    port = str(guarded.ready["http"]).rpartition(":")[2]
    key = guarded.add_station("shelf")
    assert listens_at(port) == {_EVERYWHERE}
    switched(guarded, "off", "http")
    wait_until(lambda: listens_at(port) == {_THIS_MACHINE})
    told = leaves(guarded)["http"]
    assert (told["on"], told["to"]) == (False, "this machine only")
    assert guarded.post('{"temperature": 21.5}', "-H", f"Authorization: Bearer {key}")[0] == 200
    switched(guarded, "on", "http")
    wait_until(lambda: listens_at(port) == {_EVERYWHERE})
    wait_until(lambda: leaves(guarded)["http"]["to"] == f"0.0.0.0:{port}")
    assert guarded.post('{"temperature": 22.5}', "-H", f"Authorization: Bearer {key}")[0] == 200
    wait_until(lambda: heard(guarded) == 22.5)


def test_our_broker_is_shut_to_the_network_and_keeps_its_sessions(
    guarded: CollectorProcess,
) -> None:
    key = guarded.add_station("shelf")
    assert listens_at(guarded.mqtt_port) == {_EVERYWHERE}
    switched(guarded, "off", "mqtt")
    wait_until(lambda: listens_at(guarded.mqtt_port) == {_THIS_MACHINE})
    # Who needed a password goes on needing it.
    words = ("-u", "shelf", "-P", key)

    def is_taken(value: float) -> bool:
        publish(guarded, "rook/shelf/readings", json.dumps({"temperature": value}), *words)
        return heard(guarded) == value

    wait_until(lambda: is_taken(21.5))
    switched(guarded, "on", "mqtt")
    wait_until(lambda: listens_at(guarded.mqtt_port) == {_EVERYWHERE})
    wait_until(lambda: is_taken(22.5))
    wait_until(lambda: leaves(guarded)["mqtt"]["on"])


def test_a_switch_holds_over_a_restart(store_path: Path) -> None:
    with CollectorProcess(store_path, http="0.0.0.0:0", broker="builtin:0.0.0.0:0") as process:
        for name in ("http", "mqtt"):
            switched(process, "off", name)
    with CollectorProcess(store_path, http="0.0.0.0:0", broker="builtin:0.0.0.0:0") as process:
        port = str(process.ready["http"]).rpartition(":")[2]
        assert listens_at(port) == {_THIS_MACHINE}
        assert listens_at(process.mqtt_port) == {_THIS_MACHINE}


def door_states(collector: CollectorProcess) -> dict[str, tuple[str, str]]:
    with open_store(collector.address) as store, store.read() as connection:
        running = collectors(connection, now_us=now_us())
    return {one.name: (one.state.value, one.detail) for each in running for one in each.doors}


def test_a_broker_of_this_machine_is_no_way_out(store_path: Path, tmp_path: Path) -> None:
    port = free_port()
    with (
        mosquitto(port, tmp_path),
        CollectorProcess(store_path, broker=f"mqtt://127.0.0.1:{port}") as process,
    ):
        # The door is there a moment after the collector has announced itself.
        wait_until(lambda: door_states(process).get("mqtt", ("", ""))[0] == "open")
        assert "mqtt" not in leaves(process)


def test_the_broker_of_others_is_left_and_gone_back_to(store_path: Path, tmp_path: Path) -> None:
    """On a machine with an address of its own on a network; its broker counts as somebody's."""
    host = own_address()
    if host is None:
        pytest.skip("this machine has no address on a network")
    port = free_port()
    with (
        mosquitto(port, tmp_path, f"listener {port} {host}\nallow_anonymous true\n"),
        CollectorProcess(store_path, broker=f"mqtt://{host}:{port}") as process,
    ):
        wait_until(lambda: leaves(process).get("mqtt", {}).get("on"))
        switched(process, "off", "mqtt")
        wait_until(lambda: door_states(process)["mqtt"][0] == "closed")
        assert "switched off" in door_states(process)["mqtt"][1]
        switched(process, "on", "mqtt")
        wait_until(lambda: door_states(process)["mqtt"][0] == "open")


def own_address() -> str | None:
    """An address of this machine that others could reach; None without a network."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asked:
        try:
            asked.connect(("192.0.2.1", 9))
        except OSError:
            return None
        host: str = asked.getsockname()[0]
    return None if host.startswith("127.") else host
