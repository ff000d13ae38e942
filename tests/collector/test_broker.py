"""Our own broker: a password and rights a station, taken up while it runs; words of stations."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
from pathlib import Path

import paho.mqtt.client as mqtt
import pytest
from paho.mqtt.enums import CallbackAPIVersion, MQTTProtocolVersion

from rook_tally import clock
from rook_tally.intake.addresses import Endpoint
from rook_tally.intake.bounds import LARGEST_MESSAGE
from rook_tally.intake.doors import broker as broker_module
from rook_tally.intake.doors.broker import PrivateBroker
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import read_raw_range
from rook_tally.store.site import collectors, load_site, newest_messages
from tests.collector.test_controls import publish
from tests.collector.test_mqtt_link import free_port, mosquitto
from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until


@pytest.fixture
def guarded(store_path: Path) -> object:
    """A collector whose broker listens to the network, so that everybody needs a password."""
    with CollectorProcess(store_path, broker="builtin:0.0.0.0:0") as process:
        yield process


def published(collector: CollectorProcess, topic: str, body: str, *words: str) -> bool:
    """Whether the real mosquitto_pub was let in; MQTT 5 also tells of a topic it may not use."""
    done = subprocess.run(
        [
            "mosquitto_pub",
            "-V",
            "5",
            "-p",
            collector.mqtt_port,
            "-q",
            "1",
            "-t",
            topic,
            "-m",
            body,
            *words,
        ],
        capture_output=True,
        text=True,
        timeout=30,
        check=False,
    )
    return done.returncode == 0 and "authori" not in (done.stdout + done.stderr).lower()


def test_each_station_has_its_password_and_its_own_topics_at_once(
    guarded: CollectorProcess,
) -> None:
    assert not published(guarded, "rook/shelf/readings", '{"temp": 20}')
    key = guarded.add_station("shelf", kind="climate")
    who = ("-u", "shelf", "-P", key)
    wait_until(lambda: published(guarded, "rook/shelf/readings", '{"temp": 20.5}', *who))
    wait_until(lambda: [row["value"] for row in guarded.latest()] == [20.5])
    assert not published(guarded, "rook/shelf/readings", '{"temp": 1}', "-u", "shelf", "-P", "no")
    guarded.add_station("other", kind="climate")
    assert not published(guarded, "rook/other/readings", '{"temp": 99}', *who)
    assert [row["station"] for row in guarded.latest()] == ["shelf"]


def test_a_new_key_is_taken_up_without_a_restart(guarded: CollectorProcess) -> None:
    old = guarded.add_station("shelf", kind="climate")
    topic = "rook/shelf/readings"
    wait_until(lambda: published(guarded, topic, '{"temp": 20}', "-u", "shelf", "-P", old))
    done = rook_tally("--store", guarded.address, "station", "key", "shelf")
    new = done.stdout.splitlines()[-1]
    wait_until(lambda: published(guarded, topic, '{"temp": 21}', "-u", "shelf", "-P", new))
    wait_until(lambda: not published(guarded, topic, '{"temp": 22}', "-u", "shelf", "-P", old))


def test_the_password_file_holds_no_key(guarded: CollectorProcess) -> None:
    key = guarded.add_station("shelf")
    file = guarded.store.with_suffix(".broker") / "passwords"
    wait_until(lambda: "shelf:$7$" in file.read_text())
    assert key not in file.read_text()
    assert file.stat().st_mode & 0o077 == 0


def offline_since(collector: CollectorProcess, key: str) -> int | None:
    with open_store(collector.address) as store, store.read() as connection:
        station = load_site(connection).station(key)
    assert station is not None
    return station.offline_since_us


WILLING = """
import sys, paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
client = mqtt.Client(CallbackAPIVersion.VERSION2)
client.will_set("rook/shelf/status", "offline", qos=1, retain=True)
client.connect("127.0.0.1", int(sys.argv[1]))
client.loop_start()
body = '{"temp": 20.5, "firmware": "1.4.2"}'
client.publish("rook/shelf/readings", body, qos=1).wait_for_publish()
client.publish("rook/shelf/status", "online", qos=1, retain=True).wait_for_publish()
print("up", flush=True)
sys.stdin.read()
"""


def test_a_will_makes_a_station_silent_at_once_and_its_next_word_heard(
    collector: CollectorProcess,
) -> None:
    collector.add_station("shelf", kind="climate")
    station = subprocess.Popen(
        [sys.executable, "-c", WILLING, collector.mqtt_port],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    assert station.stdout is not None
    assert station.stdin is not None
    assert station.stdout.readline() == "up\n"
    wait_until(lambda: len(collector.latest()) == 1)
    station.kill()
    station.wait(10)
    station.stdin.close()
    station.stdout.close()
    wait_until(lambda: offline_since(collector, "shelf") is not None)
    shown = rook_tally("--store", collector.address, "station", "list").stdout
    assert "silent" in shown
    # The words were counted as heard and not as readings nobody can place.
    with open_store(collector.address) as store, store.read() as connection:
        fates = {line.address: line.fate for line in newest_messages(connection, "shelf")}
        found = load_site(connection).station("shelf")
    assert found is not None
    assert found.firmware == "1.4.2"
    assert fates["rook/shelf/status"] == "heard"
    publish(collector, "rook/shelf/status", "online", "-r")
    wait_until(lambda: offline_since(collector, "shelf") is None)


def test_other_peoples_topics_by_a_pattern(collector: CollectorProcess) -> None:
    done = rook_tally(
        "--store", collector.address, "door", "add", "topics", "plant/{place}/{station}/{field}"
    )
    assert done.returncode == 0, done.stderr

    # A sensor says it again and again: what it said before the collector had asked the broker
    # for its topic is nobody's to hear.
    def said_and_heard() -> bool:
        publish(collector, "plant/glass-house/bed-3/moisture", "41.5 %")
        return "bed-3" in rook_tally("--store", collector.address, "strays").stdout

    wait_until(said_and_heard)
    # The topic says where it stands; nothing it said is lost.
    done = rook_tally("--store", collector.address, "take-in", "bed-3")
    assert done.returncode == 0, done.stderr
    row = collector.latest()[0]
    assert (row["place"], row["station"], row["quantity"], row["value"]) == (
        "glass-house",
        "bed-3",
        "substrate_moisture",
        41.5,
    )
    publish(collector, "plant/glass-house/bed-3/moisture", "42")
    wait_until(lambda: collector.latest()[0]["value"] == 42.0)


def test_a_pattern_is_tried_on_what_arrives(collector: CollectorProcess) -> None:
    trying = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "rook_tally",
            "--store",
            collector.address,
            "door",
            "add",
            "topics",
            "plant/{station}/{field}",
            "--try",
            "--for",
            "6",
            "--broker",
            f"mqtt://127.0.0.1:{collector.mqtt_port}",
        ],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    said: list[str] = []
    assert trying.stdout is not None
    while not any("soil = 41.5" in line for line in said):
        publish(collector, "plant/bed-3/soil", "41.5", "-r")
        publish(collector, "elsewhere/x", "1", "-r")
        line = trying.stdout.readline()
        assert line, "it ended before anything fitted"
        said.append(line)
    rest = trying.stdout.read()
    trying.communicate(timeout=30)
    assert any("station: bed-3" in line for line in said)
    assert "elsewhere/x  does not fit" in "".join(said) + rest
    assert rook_tally("--store", collector.address, "door", "list").stdout.find("topics") < 0


def certificates(folder: Path) -> None:
    """An authority, and what it signed for a broker on this machine and for a client."""

    def openssl(*words: str) -> None:
        subprocess.run(["openssl", *words], cwd=folder, check=True, capture_output=True)

    folder.mkdir()
    openssl(
        "req",
        "-x509",
        "-newkey",
        "rsa:2048",
        "-nodes",
        "-subj",
        "/CN=Fennel Wharf",
        "-keyout",
        "ca.key",
        "-out",
        "ca.pem",
        "-days",
        "2",
    )
    (folder / "names").write_text("subjectAltName=IP:127.0.0.1,DNS:localhost\n")
    for name in ("broker", "client"):
        openssl(
            "req",
            "-newkey",
            "rsa:2048",
            "-nodes",
            "-subj",
            f"/CN={name}",
            "-keyout",
            f"{name}.key",
            "-out",
            f"{name}.csr",
        )
        openssl(
            "x509",
            "-req",
            "-in",
            f"{name}.csr",
            "-CA",
            "ca.pem",
            "-CAkey",
            "ca.key",
            "-CAcreateserial",
            "-days",
            "2",
            "-extfile",
            "names",
            "-out",
            f"{name}.pem",
        )


def test_a_broker_that_asks_for_certificates(store_path: Path, tmp_path: Path) -> None:
    keys = tmp_path / "keys"
    certificates(keys)
    port = free_port()
    settings = (
        f"cafile {keys}/ca.pem\ncertfile {keys}/broker.pem\nkeyfile {keys}/broker.key\n"
        "require_certificate true\n"
    )
    ours = ("--broker-ca", "ca.pem", "--broker-cert", "client.pem", "--broker-key", "client.key")
    files = tuple(word if word.startswith("--") else str(keys / word) for word in ours)
    url = f"mqtts://127.0.0.1:{port}"
    with mosquitto(port, tmp_path / "outside", settings):
        # Not trusted until somebody says who vouches for it.
        with CollectorProcess(store_path, broker=url) as collector:
            wait_until(lambda: "is not trusted" in door_detail(collector, "mqtt"))
        with CollectorProcess(store_path, broker=url, words=files) as collector:
            collector.add_station("shelf", kind="climate")
            subprocess.run(
                [
                    "mosquitto_pub",
                    "-h",
                    "127.0.0.1",
                    "-p",
                    str(port),
                    "--cafile",
                    "ca.pem",
                    "--cert",
                    "client.pem",
                    "--key",
                    "client.key",
                    "-q",
                    "1",
                    "-t",
                    "rook/shelf/readings",
                    "-m",
                    '{"temp": 20.5}',
                ],
                cwd=keys,
                check=True,
                timeout=30,
            )
            wait_until(lambda: [row["value"] for row in collector.latest()] == [20.5])


def door_detail(collector: CollectorProcess, name: str) -> str:
    with open_store(collector.address) as store, store.read() as connection:
        running = collectors(connection, now_us=clock.now_us())
    return next((one.detail for each in running for one in each.doors if one.name == name), "")


def test_who_is_connected_with_an_old_key_is_let_go(guarded: CollectorProcess) -> None:
    old = guarded.add_station("shelf", kind="climate")
    topic = "rook/shelf/readings"
    wait_until(lambda: published(guarded, topic, '{"temp": 20}', "-u", "shelf", "-P", old))
    gone, connected = threading.Event(), threading.Event()
    station = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="shelf")
    station.username_pw_set("shelf", old)
    station.on_connect = lambda *_: connected.set()
    station.on_disconnect = lambda *_: gone.set()
    station.connect("127.0.0.1", int(guarded.mqtt_port))
    station.loop_start()
    assert connected.wait(PATIENCE_S)
    assert not gone.is_set()
    assert rook_tally("--store", guarded.address, "station", "key", "shelf").returncode == 0
    assert gone.wait(PATIENCE_S)
    station.loop_stop()


def test_a_client_of_mqtt_5_is_told_how_large_a_message_may_be(collector: CollectorProcess) -> None:
    told: list[int] = []
    station = mqtt.Client(
        CallbackAPIVersion.VERSION2, client_id="s", protocol=MQTTProtocolVersion.MQTTv5
    )
    station.on_connect = lambda _c, _d, _f, _r, more: told.append(more.MaximumPacketSize)
    station.connect("127.0.0.1", int(collector.mqtt_port))
    station.loop_start()
    wait_until(lambda: told)
    station.disconnect()
    station.loop_stop()
    assert LARGEST_MESSAGE < told[0] < LARGEST_MESSAGE + 20_000


def test_its_log_is_put_aside_when_it_has_grown(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(broker_module, "_LONGEST_LOG", 100)
    broker = PrivateBroker(tmp_path, Endpoint("127.0.0.1", 0))
    broker.keep_log_short()
    log = tmp_path / "mosquitto.log"
    with log.open("ab", buffering=0) as writing:
        writing.write(b"a" * 200)
        broker.keep_log_short()
        # Whoever writes goes on, from the beginning.
        writing.write(b"b" * 10)
    assert log.read_bytes() == b"b" * 10
    assert (tmp_path / "mosquitto.log.1").read_bytes() == b"a" * 200


def test_keys_wanted_from_everybody_shut_out_who_has_none_and_who_is_in_already(
    collector: CollectorProcess,
) -> None:
    """Taken up while it runs; on loopback too."""
    key = collector.add_station("shelf", kind="climate")
    topic = "rook/shelf/readings"
    gone = threading.Event()
    client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="keyless")
    client.on_disconnect = lambda *_told: gone.set()
    client.connect("127.0.0.1", int(collector.mqtt_port))
    client.loop_start()
    assert published(collector, topic, '{"temp": 20}')
    done = rook_tally("--store", collector.address, "site", "set", "--keys", "from-all")
    assert done.returncode == 0, done.stderr
    assert gone.wait(PATIENCE_S)
    client.loop_stop()
    wait_until(lambda: not published(collector, topic, '{"temp": 21}'))
    assert published(collector, topic, '{"temp": 22}', "-u", "shelf", "-P", key)
    wait_until(lambda: [row["value"] for row in collector.latest()] == [22.0])
    done = rook_tally("--store", collector.address, "site", "set", "--keys", "by-door")
    assert done.returncode == 0, done.stderr
    wait_until(lambda: published(collector, topic, '{"temp": 23}'))


def test_a_broker_killed_after_it_saved_gives_back_what_it_acknowledged(store_path: Path) -> None:
    """The power goes while no collector runs. What was acknowledged more than five seconds before
    is kept; of the newest, which may be lost (docs/wire.md), nothing comes twice."""
    collector = CollectorProcess(store_path)
    collector.add_station("shelf", kind="climate")
    topic = "rook/shelf/readings"
    assert published(collector, topic, '{"temp": 20, "time": 1790000000}')
    wait_until(lambda: [row["value"] for row in collector.latest()] == [20.0])
    collector.kill()
    assert published(collector, topic, '{"temp": 21, "time": 1790000060}')
    saved = store_path.with_suffix(".broker") / "mosquitto.db"
    wait_until(lambda: saved.exists() and b'"time": 1790000060' in saved.read_bytes())
    assert published(collector, topic, '{"temp": 22, "time": 1790000120}')
    _kill_broker(store_path)
    with CollectorProcess(store_path) as again:
        assert published(again, topic, '{"temp": 23, "time": 1790000180}')
        wait_until(lambda: [row["value"] for row in again.latest()] == [23.0])
        store = open_store(store_path)
        with store.read() as connection:
            (series,) = load_site(connection).series
            kept = read_raw_range(connection, series.id, 0, 2**62).value.tolist()
        store.close()
    assert kept in ([20.0, 21.0, 23.0], [20.0, 21.0, 22.0, 23.0])


def _kill_broker(store_path: Path) -> None:
    told = json.loads((store_path.with_suffix(".broker") / "running.json").read_bytes())
    os.kill(told["pid"], signal.SIGKILL)
    wait_until(lambda: not Path(f"/proc/{told['pid']}").exists() or _is_dead(told["pid"]))


def _is_dead(pid: int) -> bool:
    return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] in ("Z", "X")
