"""Runs the demo in a network of its own and logs every packet that leaves the machine.

`python -m tests.leaving.network FOLDER` within `unshare --net`: there is nothing but loopback, and
one interface through which everything beyond it goes and nothing comes back. Prints what left, and
what the page of ways out says, as JSON.
"""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

from typer.testing import CliRunner

from rook_tally.cli.app import _add_other_commands, app
from rook_tally.core.ways_out import ANNOUNCED_AS

PROGRAM = (sys.executable, "-m", "rook_tally")
HERE = "10.77.0.1"
MAIL, HOOK, POLL, FORWARD, ROOK, BROKER = (f"10.77.1.{number}" for number in range(1, 7))
_TCP, _UDP = 6, 17
_IPV4, _IPV6 = 0x0800, 0x86DD
_PATIENCE_S, _QUIET_S = 90.0, 6.0


class Log:
    """Every packet that leaves by an interface: to whom, and to which port (0 where there is
    none)."""

    def __init__(self, interface: str) -> None:
        self._socket = socket.socket(socket.AF_PACKET, socket.SOCK_DGRAM, socket.htons(3))
        self._socket.bind((interface, 0))
        self.seen: set[tuple[str, int]] = set()
        self._moved = threading.Condition()
        threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        while True:
            packet, (_, kind, direction, *_) = self._socket.recvfrom(65_535)
            if direction != socket.PACKET_OUTGOING or kind not in (_IPV4, _IPV6):
                continue
            told = ("IPv6", 0)
            if kind == _IPV4:
                header = 4 * (packet[0] & 15)
                has_ports = packet[9] in (_TCP, _UDP)
                port = int.from_bytes(packet[header + 2 : header + 4], "big") if has_ports else 0
                told = (socket.inet_ntoa(packet[16:20]), port)
            with self._moved:
                self.seen.add(told)
                self._moved.notify_all()

    def until(
        self, holds: Callable[[set[tuple[str, int]]], bool], *, within_s: float = _PATIENCE_S
    ) -> list[tuple[str, int]]:
        """What has left once something holds of it, or nothing more can be expected."""
        with self._moved:
            self._moved.wait_for(lambda: holds(self.seen), within_s)
            return sorted(self.seen)

    def until_quiet(self) -> None:
        """Wait until nothing has left for a while, and forget what has."""
        with self._moved:
            while self._moved.wait(_QUIET_S):
                continue
            self.seen.clear()


def _set_up() -> Log:
    Path("/proc/sys/net/ipv6/conf/default/disable_ipv6").write_text("1")
    for words in (
        ("ip", "link", "set", "lo", "up"),
        ("ip", "link", "add", "out", "type", "veth", "peer", "name", "far"),
        # Nobody answers there, and nobody has to be found first.
        ("ip", "link", "set", "out", "arp", "off", "multicast", "on"),
        ("ip", "address", "add", f"{HERE}/24", "dev", "out"),
        ("ip", "link", "set", "far", "up"),
        ("ip", "link", "set", "out", "up"),
        ("ip", "route", "add", "default", "dev", "out"),
    ):
        subprocess.run(words, check=True)
    return Log("out")


def _run(store: Path, *words: str) -> str:
    """A command, in this process: to load the program anew for each takes most of a second."""
    done = CliRunner().invoke(app, ["--store", str(store), *words])
    assert done.exit_code == 0, done.output
    return done.stdout


def _ways(store: Path) -> list[dict[str, object]]:
    ways: list[dict[str, object]] = json.loads(_run(store, "leaves", "--json"))
    return ways


def _announces(ways: list[dict[str, object]]) -> bool:
    return any(one["name"] == ANNOUNCED_AS and one["on"] for one in ways)


def _open_everything(store: Path) -> None:
    mail = ("--mail", MAIL, "--port", "2525", "--security", "none")
    _run(store, "way", "add", "potter", *mail, "--from", "a@b.example", "--to", "c@d.example")
    _run(store, "way", "add", "hook", "--webhook", f"http://{HOOK}:8080/bell")
    _run(store, "door", "add", "poll", f"http://{POLL}:8000/now", "--station", "meter")
    begin = ("--from", "2000-01-01")
    _run(store, "forward", "add", "parish", f"http://{FORWARD}:9000/in", *begin)
    rook = ("--kind", "rook-tally", *begin)
    _run(store, "forward", "add", "far", f"http://{ROOK}:4711", *rook)
    _run(store, "forward", "add", "broker", f"mqtt://{BROKER}:1883/copy", *begin)


def main() -> None:
    """Run it all, and print what left."""
    folder = Path(sys.argv[1])
    store, log = folder / "demo.db", _set_up()
    _add_other_commands()
    told: dict[str, object] = {"demo.leaves": []}
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    subprocess.run(
        (*PROGRAM, "--store", str(store), "demo", "--days", "0.05", "--for", "12"),
        env=environment,
        check=True,
        capture_output=True,
    )
    told["demo"], told["demo.leaves"] = sorted(log.seen), _ways(store)
    _open_everything(store)
    words = ("collect", "--http", "0.0.0.0:4711", "--broker", "builtin:127.0.0.1:0")
    with (folder / "collector.log").open("wb") as output:
        collector = subprocess.Popen(
            (*PROGRAM, "--store", str(store), *words), stdout=subprocess.PIPE, stderr=output
        )
        assert collector.stdout is not None
        assert collector.stdout.readline()
        tests = [
            subprocess.Popen((*PROGRAM, "--store", str(store), "way", "test", name), stderr=output)
            for name in ("potter", "hook")
        ]
        wanted = {MAIL, HOOK, POLL, FORWARD, ROOK, BROKER, "224.0.0.251"}
        told["opened"] = log.until(lambda seen: wanted <= {host for host, _ in seen})
        # That doors are announced stands in the store a moment after the first announcement.
        until = time.monotonic() + _PATIENCE_S
        ways = _ways(store)
        while not _announces(ways) and time.monotonic() < until:
            threading.Event().wait(0.1)
            ways = _ways(store)
        told["opened.leaves"] = ways
        for one in ways:
            _run(store, "leaves", "off", str(one["name"]))
        for process in tests:
            process.kill()
            process.wait()
        log.until_quiet()
        told["closed"] = log.until(bool, within_s=_QUIET_S)
        told["closed.leaves"] = _ways(store)
        collector.terminate()
        collector.wait(60)
    print(json.dumps(told))  # noqa: T201 - this is its answer


if __name__ == "__main__":
    main()
