"""What a collector finds on its machine is in the store for the desks, and goes when it is gone."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

from rook_tally.collector import in_reach as looking
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.intake.doors.bluetooth_heard import Heard
from rook_tally.intake.doors.port_names import PortHere
from rook_tally.store.base import Store
from rook_tally.store.base.changes import newest_seq
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import ModbusSetting, SerialSetting, add_door, add_station, remove_door
from rook_tally.store.site.in_reach import in_reach
from tests.intake.test_probes import IIO, SHELF, tree
from tests.processes import CollectorProcess, rook_tally, wait_until


def test_ports_and_probes_come_and_go(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # A port that nothing is plugged into is none of anybody's.
    ports = [PortHere("/dev/ttyACM0", "Board"), PortHere("/dev/ttyS0", "")]
    monkeypatch.setattr(looking, "ports_here", lambda: ports)
    root = tree(tmp_path, SHELF)

    def look(root: Path) -> None:
        looking.ReachLook(store, root=root).look()

    look(root)

    def told() -> tuple[tuple[Reachable, ...], int]:
        with store.read() as connection:
            return in_reach(connection), newest_seq(connection)

    found, seq = told()
    assert found == (
        Reachable(ReachSort.PORT, "/dev/ttyACM0", "Board"),
        Reachable(ReachSort.PROBE, "iio-bme280", "48.21 %, 101.325 kPa, 21.437 °C"),
    )
    # Nothing is written as long as nothing came or went.
    (root / IIO / "in_temp_input").write_text("22000")
    look(root)
    assert told()[1] == seq
    ports.clear()
    shutil.rmtree(root / IIO)
    look(root)
    assert told()[0] == ()
    look(Path("/nowhere"))


def test_a_port_is_in_reach_until_a_door_has_it(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By whatever name: a door may have it by a link that stays."""
    device, meter, by_id = (tmp_path / name for name in ("ttyUSB0", "ttyUSB1", "by-id"))
    device.touch()
    meter.touch()
    by_id.symlink_to(device)
    ports = [PortHere(str(device), "Board"), PortHere(str(meter), "Adapter")]
    monkeypatch.setattr(looking, "ports_here", lambda: ports)
    look = looking.ReachLook(store, root=tmp_path)

    def told() -> list[str]:
        look.look()
        with store.read() as connection:
            return [one.name for one in in_reach(connection)]

    assert told() == [str(device), str(meter)]
    with store.write() as connection:
        number = add_door(connection, SerialSetting(str(by_id), 115_200, "kiln-1"))
    assert told() == [str(meter)]
    with store.write() as connection:
        add_door(connection, ModbusSetting(str(meter), "meter-1"))
        remove_door(connection, number)
    assert told() == [str(device)]


def test_an_adapter_is_in_reach_until_somebody_listens_by_it(store: Store, tmp_path: Path) -> None:
    (tmp_path / "class" / "bluetooth" / "hci0").mkdir(parents=True)
    heard: list[Heard] | None = None
    look = looking.ReachLook(store, radio=lambda: heard, root=tmp_path)

    def told() -> tuple[Reachable, ...]:
        look.look()
        with store.read() as connection:
            return tuple(one for one in in_reach(connection) if one.sort is not ReachSort.PORT)

    (adapter,) = told()
    assert (adapter.sort, adapter.name) == (ReachSort.ADAPTER, "hci0")
    heard = [
        Heard("ble-c4110a000009", "rack", -60, "company 0499: 0102", {"company 0499": b"\1\2"}),
        # A phone that says nothing has nothing to say here.
        Heard("ble-5f0000000001", "", -40, "", {}),
    ]
    (rack,) = told()
    assert (rack.sort, rack.title, rack.data) == (
        ReachSort.BLUETOOTH,
        "rack",
        {"company 0499": "0102"},
    )
    with store.write() as connection:
        add_station(connection, "ble-c4110a000009", place="Shed", kind=KINDS["climate"])
    assert told() == ()


def test_topics_of_others_at_the_broker_are_in_reach(collector: CollectorProcess) -> None:
    def publish(topic: str, text: str) -> None:
        words = ["mosquitto_pub", "-h", "127.0.0.1", "-p", collector.mqtt_port, "-q", "1"]
        subprocess.run([*words, "-r", "-t", topic, "-m", text], check=True, timeout=10)

    add_topics = ("door", "add", "topics", "taken/{station}/{field}")
    assert rook_tally("--store", collector.address, *add_topics).returncode == 0
    publish("plant/kiln/temp", "812.5")
    publish("taken/kiln/temp", "1")

    def told() -> dict[str, str]:
        with open_store(collector.store) as store, store.read() as connection:
            several = in_reach(connection)
        return {one.name: one.says for one in several if one.sort is ReachSort.TOPIC}

    wait_until(lambda: told() == {"plant/kiln/temp": "812.5"})
