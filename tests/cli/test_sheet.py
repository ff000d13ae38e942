"""The connection sheet: every generated sender is really run against real doors."""

from __future__ import annotations

import ast
import json
import os
import re
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from tests.boards import BOARD, compile_arduino
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


def test_the_python_sender_outlasts_a_collector_that_is_away(
    store_path: Path, tmp_path: Path
) -> None:
    with CollectorProcess(store_path, broker="off") as collector:
        key = collector.add_station("box", kind="room-air")
        sheet = ("--store", str(store_path), "station", "sheet", "box")
        program = rook_tally(*sheet, "--sender", "python", "--key", key).stdout
        where = collector.ready["http"]
    # Said by the sheet itself: where the collector was last; now nobody is there.
    assert f'"http://{where}/v1/readings"' in program
    program, count = re.subn(r"due \+ [0-9.]+", "due + 0.2", program)
    assert count == 1
    with subprocess.Popen(
        [sys.executable, "-u", "-c", program], stdout=subprocess.PIPE, text=True
    ) as sending:
        assert sending.stdout is not None
        for _ in range(3):
            assert "kept for later" in sending.stdout.readline()
        with CollectorProcess(store_path, http=where, broker="off"):
            lines = (line for line in sending.stdout if line.startswith("{"))
            answers = [json.loads(next(lines)) for _ in range(4)]
        sending.send_signal(signal.SIGKILL)
    assert all(one["kept"] == 6 for one in answers)
    # Each at the moment it was measured.
    export = rook_tally("--store", str(store_path), "export", "--station", "box").stdout
    moments = {line.split(",")[0] for line in export.splitlines()[1:]}
    assert len(moments) >= 4


# Deep sleep begins the program anew, with what the clock's memory holds.
_ASLEEP = """
away, wakes = 2, 0
def wake():
    global wakes
    wakes += 1
    if wakes == 4: raise SystemExit
    real_sleep(1.1)
    exec(PROGRAM, globals())
"""


def test_the_micropython_sender_on_a_stand_in_for_its_board(
    collector: CollectorProcess, key: str
) -> None:
    program = _sheet(collector, "--sender", "micropython", "--key", key)
    ast.parse(program, feature_version=(3, 5))
    subprocess.run([sys.executable, "-c", BOARD + program], check=True, timeout=PATIENCE_S)
    wait_until(lambda: sorted(_kept(collector)) == ALL)


def _moments(collector: CollectorProcess) -> int:
    done = rook_tally("--store", collector.address, "export", "--station", "box")
    return len({line.split(",")[0] for line in done.stdout.splitlines()[1:]})


def test_the_micropython_sender_keeps_what_it_cannot_send_over_deep_sleep(
    collector: CollectorProcess, key: str
) -> None:
    program = _sheet(collector, "--sender", "micropython", "--key", key)
    program = program.replace("SLEEPS = False", "SLEEPS = True")
    board = f"import time\nreal_sleep = time.sleep\nPROGRAM = {program!r}\n{BOARD}{_ASLEEP}"
    subprocess.run(
        [sys.executable, "-c", board + "exec(PROGRAM, globals())"], check=True, timeout=PATIENCE_S
    )
    # Two while nobody answered, one at each of the two wakes since.
    wait_until(lambda: _moments(collector) == 4)


def test_the_arduino_sender_compiled_against_stand_in_headers(
    collector: CollectorProcess, key: str, tmp_path: Path
) -> None:
    _sheet(collector, "--sender", "arduino", "--key", key, "--into", str(tmp_path / "box"))
    assert "framework = arduino" in (tmp_path / "box" / "platformio.ini").read_text()
    program = (tmp_path / "box" / "src" / "main.cpp").read_text()
    sent = subprocess.run(
        [compile_arduino(program, tmp_path / "compiled")],
        capture_output=True,
        text=True,
        check=True,
        cwd=tmp_path,
        env=dict(os.environ) | {"AWAY": "2"},
    )
    # Nobody answered twice; then all three, each at its own moment.
    assert sent.stdout.split() == ["-1", "-1", "200", "200", "200"], sent.stderr
    assert sorted(_kept(collector)) == ALL
    assert _moments(collector) == 3
