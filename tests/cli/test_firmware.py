"""Firmware by command, and generated programs that really update themselves from a collector."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.boards import BOARD, compile_arduino
from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[CollectorProcess]:
    """A collector whose stations are of kinds of their own, one for each way to update."""
    with CollectorProcess(tmp_path_factory.mktemp("firmware") / "site.db") as collector:
        yield collector


def _said(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def _refused(collector: CollectorProcess, *words: str) -> str:
    done = rook_tally("--store", collector.address, *words)
    assert done.returncode == 2, done.stdout
    return done.stderr


def _program(collector: CollectorProcess, station: str, sender: str, key: str) -> str:
    mqtt = f"127.0.0.1:{collector.mqtt_port}"
    at = ("--http", collector.ready["http"], "--mqtt", mqtt)
    words = ("station", "sheet", station, *at, "--sender", sender, "--key", key)
    return _said(collector, *words)


def _offer(collector: CollectorProcess, kind: str, body: str, folder: Path) -> None:
    image = folder / "image"
    image.write_text(body)
    _said(collector, "firmware", "add", kind, "1.1", str(image), "--notes", "says more")
    _said(collector, "firmware", "offer", kind, "--all")


def _states(collector: CollectorProcess, kind: str) -> dict[str, str]:
    rows = json.loads(_said(collector, "firmware", "stations", kind, "--json"))
    return {row["station"]: row["state"] for row in rows}


def test_the_python_sender_becomes_the_newer_program(
    site: CollectorProcess, tmp_path: Path
) -> None:
    key = site.add_station("py", kind="climate")
    program = _program(site, "py", "python", key)
    _offer(site, "climate", program.replace('VERSION = "1.0"', 'VERSION = "1.1"'), tmp_path)
    (tmp_path / "py.py").write_text(program)
    with subprocess.Popen(
        [sys.executable, "-u", str(tmp_path / "py.py")], stdout=subprocess.PIPE, text=True
    ) as sending:
        wait_until(lambda: _states(site, "climate") == {"py": "runs it"})
        sending.send_signal(signal.SIGKILL)
    assert 'VERSION = "1.1"' in (tmp_path / "py.py").read_text()
    # It went on sending as the newer one.
    assert any(row["station"] == "py" for row in site.latest())


def test_a_program_that_this_site_did_not_sign_is_not_taken(
    site: CollectorProcess, tmp_path: Path
) -> None:
    key = site.add_station("wary", kind="sound-meter")
    program = _program(site, "wary", "python", key)
    ours = _said(site, "firmware", "key").strip()
    assert ours in program
    _offer(site, "sound-meter", program.replace('VERSION = "1.0"', 'VERSION = "1.1"'), tmp_path)
    other = program.replace(
        ours, "3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c"
    )
    (tmp_path / "wary.py").write_text(other)
    with subprocess.Popen(
        [sys.executable, "-u", str(tmp_path / "wary.py")], stdout=subprocess.PIPE, text=True
    ) as sending:
        assert sending.stdout is not None
        line = next(one for one in sending.stdout if "not updated" in one)
        sending.send_signal(signal.SIGKILL)
    assert "it is not signed by this site" in line
    assert 'VERSION = "1.0"' in (tmp_path / "wary.py").read_text()
    assert _states(site, "sound-meter") == {"wary": "offered"}


def test_the_micropython_sender_writes_its_newer_program_and_starts_anew(
    site: CollectorProcess, tmp_path: Path
) -> None:
    key = site.add_station("mpy", kind="weather-post")
    program = _program(site, "mpy", "micropython", key)
    newer = program.replace('VERSION = "1.0"', 'VERSION = "1.1"')
    _offer(site, "weather-post", newer, tmp_path)
    reset = "\ndef reset(): raise SystemExit('started anew')\nmachine.reset = reset\n"
    done = subprocess.run(
        [sys.executable, "-c", BOARD + reset + program],
        check=False,
        capture_output=True,
        text=True,
        cwd=tmp_path,
        timeout=PATIENCE_S,
    )
    assert "started anew" in done.stderr, done.stdout + done.stderr
    assert (tmp_path / "main.py").read_text() == newer
    assert _states(site, "weather-post") == {"mpy": "has fetched it"}


def test_a_board_without_a_time_server_asks_the_collector(
    site: CollectorProcess, tmp_path: Path
) -> None:
    key = site.add_station("clockless", kind="switch")
    program = _program(site, "clockless", "micropython", key)
    program = program.replace("time.gmtime()[0] >= 2024", "False")
    done = subprocess.run(
        [sys.executable, "-c", BOARD + program],
        check=True,
        capture_output=True,
        text=True,
        cwd=tmp_path,
        timeout=PATIENCE_S,
    )
    assert done.stdout.startswith("clock set to 20")


def test_the_arduino_sender_flashes_what_was_signed_and_nothing_else(
    site: CollectorProcess, tmp_path: Path
) -> None:
    key = site.add_station("esp", kind="shunt-meter")
    program = _program(site, "esp", "arduino", key)
    sender = compile_arduino(program, tmp_path / "compiled")
    body = "an image of some kilobytes " * 400
    _offer(site, "shunt-meter", body, tmp_path)

    def run() -> str:
        done = subprocess.run(
            [sender], cwd=tmp_path, check=True, capture_output=True, text=True, timeout=PATIENCE_S
        )
        return done.stdout

    assert "restart" in run()
    assert (tmp_path / "flash.bin").read_text() == body
    (tmp_path / "flash.bin").unlink()
    swapped = program.replace('KIND[] = "shunt-meter"', 'KIND[] = "kiln-probe"')
    sender = compile_arduino(swapped, tmp_path / "compiled")
    assert "restart" not in run()
    assert not (tmp_path / "flash.bin").exists()


def test_images_and_steps_by_command(site: CollectorProcess, tmp_path: Path) -> None:
    kind = "vibration-pickup"
    for name in ("one", "two"):
        site.add_station(name, kind=kind)
    image = tmp_path / "image.bin"
    image.write_bytes(b"first")
    add = ("firmware", "add", kind)
    assert "vibration-pickup 1.0: 5 bytes" in _said(site, *add, "v1.0", str(image))
    assert "has an image 1.0 already" in _refused(site, *add, "1.0", str(image))
    assert "cannot be read" in _refused(site, *add, "1.1", str(tmp_path / "none"))
    _said(site, "firmware", "offer", kind, "--first", "two", "--share", "50", "--watch", "60")
    assert "offered to a share of the stations" in _said(site, "firmware", "next", kind)
    assert "paused" in _said(site, "firmware", "pause", kind)
    assert "offered to a share" in _said(site, "firmware", "resume", kind)
    told = {one["kind"]: one for one in json.loads(_said(site, "firmware", "list", "--json"))}
    assert told[kind]["given_out"] == "1.0"
    assert "1.0" in _said(site, "firmware", "list")
    assert "withdraw it first" in _refused(site, "firmware", "remove", kind, "1.0")
    assert "nothing is given out" in _said(site, "firmware", "withdraw", kind)
    assert "deleted" in _said(site, "firmware", "remove", kind, "1.0")
    assert _states(site, kind) == {"one": "never asked", "two": "never asked"}


def test_an_image_is_signed_where_the_key_is_kept(tmp_path: Path, store_path: Path) -> None:
    """The private half of the key stays with OpenSSL."""
    at = ("--store", str(store_path))

    def openssl(*words: str) -> bytes:
        return subprocess.run(
            ["openssl", *words], check=True, capture_output=True, cwd=tmp_path
        ).stdout

    openssl("genpkey", "-algorithm", "ed25519", "-out", "key.pem")
    public = openssl("pkey", "-in", "key.pem", "-pubout", "-outform", "DER")[-32:].hex()
    assert rook_tally(*at, "firmware", "key", "--public", public).stdout.strip() == public
    (tmp_path / "image").write_bytes(b"image")
    what = ("climate", "2.0", str(tmp_path / "image"))
    (tmp_path / "text").write_text(rook_tally("firmware", "signed", *what).stdout)
    openssl("pkeyutl", "-sign", "-inkey", "key.pem", "-rawin", "-in", "text", "-out", "signature")
    signature = (tmp_path / "signature").read_bytes().hex()
    assert rook_tally(*at, "firmware", "add", *what).returncode == 2
    wrong = rook_tally(*at, "firmware", "add", *what, "--signature", "00" * 64)
    assert "not that of the site's key" in wrong.stderr
    assert rook_tally(*at, "firmware", "add", *what, "--signature", signature).returncode == 0
