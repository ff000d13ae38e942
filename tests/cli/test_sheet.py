"""The connection sheet: every generated sender is really run against real doors."""

from __future__ import annotations

import ast
import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until


@pytest.fixture
def key(collector: CollectorProcess) -> str:
    return collector.add_station("box", kind="room-air")


def _sheet(collector: CollectorProcess, *words: str) -> str:
    mqtt = f"127.0.0.1:{collector.mqtt_port}"
    done = rook_tally(
        "--store",
        collector.address,
        "station",
        "sheet",
        "box",
        "--http",
        collector.ready["http"],
        "--mqtt",
        mqtt,
        *words,
    )
    assert done.returncode == 0, done.stderr
    return done.stdout


def _kept(collector: CollectorProcess) -> dict[str, str]:
    return {row["quantity"]: row["quality"] for row in collector.latest()}


ALL = ["co2", "humidity", "presence", "sound_level", "temperature", "voc_index"]


def test_the_sheet_hides_the_key_until_it_is_given(collector: CollectorProcess, key: str) -> None:
    text = _sheet(collector)
    assert "topic rook/box/readings" in text
    assert "hidden; a new one: rook-tally station key box" in text
    assert key not in text
    assert key in _sheet(collector, "--key", key)


@pytest.mark.parametrize("sender", ["curl", "mosquitto"])
def test_shell_senders(collector: CollectorProcess, key: str, sender: str) -> None:
    program = _sheet(collector, "--sender", sender, "--key", key)
    subprocess.run(["sh", "-eu"], input=program, text=True, check=True, timeout=PATIENCE_S)
    wait_until(lambda: sorted(_kept(collector)) == ALL)
    assert set(_kept(collector).values()) == {"good"}


def test_the_python_sender(collector: CollectorProcess, key: str) -> None:
    program = _sheet(collector, "--sender", "python", "--key", key)
    with subprocess.Popen(
        [sys.executable, "-u", "-c", program], stdout=subprocess.PIPE, text=True
    ) as sending:
        assert sending.stdout is not None
        assert json.loads(sending.stdout.readline())["kept"] == 6
        sending.send_signal(signal.SIGKILL)
    assert sorted(_kept(collector)) == ALL


_BOARD = """
import sys, types
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
network = types.ModuleType("network")
network.STA_IF = 0
class WLAN:
    def __init__(self, _): self.on = False
    def active(self, _): pass
    def connect(self, *_): self.on = True
    def isconnected(self): return self.on
network.WLAN = WLAN
class MQTTClient:
    def __init__(self, name, host, port, user=None, password=None):
        self.client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id=name)
        self.client.username_pw_set(user, password)
        self.where = host, port
    def connect(self): self.client.connect(*self.where); self.client.loop_start()
    def publish(self, topic, body, qos):
        self.client.publish(topic.decode(), body, qos=qos).wait_for_publish(10)
        raise SystemExit
simple = types.ModuleType("umqtt.simple")
simple.MQTTClient = MQTTClient
sys.modules |= {"network": network, "umqtt": types.ModuleType("umqtt"), "umqtt.simple": simple}
"""


def test_the_micropython_sender_on_a_stand_in_for_its_board(
    collector: CollectorProcess, key: str
) -> None:
    program = _sheet(collector, "--sender", "micropython", "--key", key)
    ast.parse(program, feature_version=(3, 5))
    subprocess.run([sys.executable, "-c", _BOARD + program], check=True, timeout=PATIENCE_S)
    wait_until(lambda: sorted(_kept(collector)) == ALL)


_WIFI_H = """
#pragma once
#include <cstdio>
#include <cstdlib>
#define WL_CONNECTED 3
struct { void begin(const char*, const char*) {} int status() { return WL_CONNECTED; } } WiFi;
struct { void begin(int) {} void println(int code) { std::printf("%d\\n", code); } } Serial;
inline void delay(int) { std::exit(0); }
"""
_HTTP_H = """
#pragma once
#include <cstdio>
#include <cstdlib>
#include <string>
struct HTTPClient {
  std::string words;
  std::string url;
  void begin(const char* to) { url = to; }
  void addHeader(const char* name, const char* value) {
    words += std::string(" -H '") + name + ": " + value + "'";
  }
  int POST(const char* body) {
    return std::system(("curl -sf" + words + " -d '" + body + "' " + url + " >&2").c_str());
  }
  void end() {}
};
"""


def test_the_arduino_sender_compiled_against_stand_in_headers(
    collector: CollectorProcess, key: str, tmp_path: Path
) -> None:
    (tmp_path / "WiFi.h").write_text(_WIFI_H)
    (tmp_path / "HTTPClient.h").write_text(_HTTP_H)
    program = _sheet(collector, "--sender", "arduino", "--key", key)
    (tmp_path / "box.cpp").write_text(program + "\nint main() { setup(); loop(); }\n")
    subprocess.run(
        ["g++", "-Wall", "-Werror", "-I", tmp_path, "-o", tmp_path / "box", tmp_path / "box.cpp"],
        check=True,
    )
    sent = subprocess.run(
        [tmp_path / "box"], capture_output=True, text=True, check=True, env=dict(os.environ)
    )
    assert sent.stdout == "0\n", sent.stderr
    assert sorted(_kept(collector)) == ALL
