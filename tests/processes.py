"""Real processes for tests: our commands, curl and Mosquitto's own clients."""

from __future__ import annotations

import json
import signal
import subprocess
import threading
import time
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any, Self

from tests import started

PATIENCE_S = 30.0


def wait_until(condition: Callable[[], object], *, within_s: float = PATIENCE_S) -> None:
    """Wait for a condition, not for a time."""
    until = time.monotonic() + within_s
    pause = threading.Event()
    while not condition():
        if time.monotonic() > until:
            raise AssertionError(f"did not come true within {within_s:g} s")
        pause.wait(0.02)


def rook_tally(*words: str, env: dict[str, str] | None = None) -> subprocess.CompletedProcess[str]:
    """Run a command to its end."""
    return started.run(*words, env=env, timeout=120)


class CollectorProcess:
    """`rook-tally collect` on a store, with free ports."""

    def __init__(
        self,
        store: Path,
        *,
        store_url: str = "",
        http: str = "127.0.0.1:0",
        broker: str = "builtin:127.0.0.1:0",
        words: tuple[str, ...] = (),
    ) -> None:
        # `store` also says where logs and bodies go when the store itself is a server's.
        self.store = store
        self.address = store_url or str(store)
        self.log = store.with_suffix(".log")
        with self.log.open("ab") as log:
            self.process = started.start(
                "--store",
                self.address,
                "collect",
                "--http",
                http,
                "--broker",
                broker,
                *words,
                stderr=log.fileno(),
            )
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        assert line, self.log.read_text()
        self.ready: dict[str, Any] = json.loads(line)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.stop()

    @property
    def http(self) -> str:
        return f"http://{self.ready['http']}"

    @property
    def mqtt_port(self) -> str:
        return str(self.ready["mqtt"]).rpartition(":")[2]

    def stop(self) -> int:
        """SIGTERM, and its exit code."""
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
        code = self.process.wait(PATIENCE_S)
        if self.process.stdout is not None:
            self.process.stdout.close()
        return code

    def kill(self) -> None:
        """SIGKILL: what a power cut does to a process."""
        self.process.kill()
        self.process.wait(PATIENCE_S)
        if self.process.stdout is not None:
            self.process.stdout.close()

    def add_station(self, key: str, *, place: str = "Kiln room", kind: str = "plain") -> str:
        """Add a station as a person would; returns its access key."""
        done = rook_tally(
            "--store", self.address, "station", "add", key, "--place", place, "--kind", kind
        )
        assert done.returncode == 0, done.stderr
        return done.stdout.splitlines()[-1]

    def latest(self) -> list[dict[str, Any]]:
        done = rook_tally("--store", self.address, "latest", "--json")
        assert done.returncode == 0, done.stderr
        rows: list[dict[str, Any]] = json.loads(done.stdout)
        return rows

    def curl(self, path: str, *words: str) -> tuple[int, dict[str, str], Any]:
        """Status, headers and JSON body of a request made by the real curl."""
        done = subprocess.run(
            ["curl", "-sS", "-i", "--max-time", "20", *words, f"{self.http}{path}"],
            capture_output=True,
            text=True,
            timeout=30,
            check=False,
        )
        assert done.returncode == 0, done.stderr
        blocks = done.stdout.replace("\r\n", "\n").split("\n\n")
        while blocks[0].split()[1] == "100":
            blocks = blocks[1:]
        lines = blocks[0].splitlines()
        headers = {
            name.strip().lower(): value.strip()
            for name, _, value in (line.partition(":") for line in lines[1:])
        }
        body = "\n\n".join(blocks[1:])
        return int(lines[0].split()[1]), headers, json.loads(body) if body.strip() else None

    def post(self, body: str | bytes, *words: str, query: str = "") -> tuple[int, Any]:
        """POST readings with the real curl: status and answer; as JSON unless it is said, or a key
        is sent."""
        if not any("Content-Type" in one or "Authorization" in one for one in words):
            words = (*words, "-H", "Content-Type: application/json")
        done = self.store.with_suffix(".body")
        done.write_bytes(body if isinstance(body, bytes) else body.encode())
        status, _, answer = self.curl(f"/v1/readings{query}", "--data-binary", f"@{done}", *words)
        return status, answer

    def publish(self, station: str, body: str, *words: str) -> None:
        """Publish with the real mosquitto_pub; returns once the broker has acknowledged."""
        subprocess.run(
            [
                "mosquitto_pub",
                "-h",
                "127.0.0.1",
                "-p",
                self.mqtt_port,
                "-q",
                "1",
                "-t",
                f"rook/{station}/readings",
                "-m",
                body,
                *words,
            ],
            check=True,
            timeout=20,
        )
