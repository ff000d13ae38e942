"""Our commands as processes of their own that start at once.

Most of a command's second of processor time goes into importing. One process a test worker has
imported everything already and forks for each command; what it becomes then is that command, with
its own words, environment and files. Whoever tests what happens at the start itself, or the window,
begins a fresh interpreter.
"""

from __future__ import annotations

import atexit
import contextlib
import os
import select
import signal
import socket
import subprocess
import sys
import tempfile
import threading
from collections.abc import Mapping
from pathlib import Path
from typing import IO

import msgspec

_ROOT = Path(__file__).parent.parent


class Order(msgspec.Struct, frozen=True):
    """A command to be started."""

    words: tuple[str, ...]
    environment: dict[str, str]
    folder: str


class Started:
    """A process that was forked for us; to be asked as `subprocess.Popen` is."""

    def __init__(self, pid: int, ended: int, stdout: IO[str] | None) -> None:
        self.pid, self.stdout = pid, stdout
        self._ended: int | None = ended
        self.returncode: int | None = None

    def poll(self) -> int | None:
        """Its exit code, None while it runs."""
        return self._exit_code(0)

    def wait(self, timeout: float | None = None) -> int:
        """Wait for its end; its exit code, or less than 0 for the signal that ended it."""
        code = self._exit_code(timeout)
        if code is None:
            raise subprocess.TimeoutExpired("rook-tally", timeout or 0)
        return code

    def send_signal(self, number: int) -> None:
        """Send it a signal unless it has ended."""
        if self.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.pid, number)

    def kill(self) -> None:
        """End it at once."""
        self.send_signal(signal.SIGKILL)

    def _exit_code(self, timeout: float | None) -> int | None:
        if self._ended is None:
            return self.returncode
        if not select.select([self._ended], [], [], timeout)[0]:
            return None
        told = os.read(self._ended, 16)
        os.close(self._ended)
        self._ended = None
        # Nothing is told when the process it was forked from was ended with it.
        self.returncode = int(told) if told else -signal.SIGKILL
        return self.returncode


class _Forker:
    """The process that forks, begun when it is first needed."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._socket: socket.socket | None = None

    def start(self, order: Order, stdout: int, stderr: int) -> tuple[int, int]:
        """Its process number, and a descriptor that tells its exit code."""
        with self._lock:
            if self._socket is None:
                self._socket = self._begun()
            told, tell = os.pipe()
            body = msgspec.json.encode(order)
            socket.send_fds(self._socket, [len(body).to_bytes(4)], [stdout, stderr, tell])
            os.close(tell)
            self._socket.sendall(body)
            return int.from_bytes(self._socket.recv(4)), told

    def _begun(self) -> socket.socket:
        ours, theirs = socket.socketpair()
        process = subprocess.Popen(
            [sys.executable, "-m", "tests.forker", str(theirs.fileno())],
            cwd=_ROOT,
            pass_fds=[theirs.fileno()],
            stdin=subprocess.DEVNULL,
        )
        theirs.close()

        def end() -> None:
            ours.close()
            process.wait()

        atexit.register(end)
        return ours


_forker = _Forker()


def start(
    *words: str, env: Mapping[str, str] | None = None, stdout: int | None = None, stderr: int = 2
) -> Started:
    """Start a command. What it prints comes by `stdout` of what is returned, unless a descriptor
    is given."""
    order = Order(words, dict(os.environ | (env or {})), str(Path.cwd()))
    if stdout is not None:
        return Started(*_forker.start(order, stdout, stderr), None)
    reading, writing = os.pipe()
    try:
        pid, ended = _forker.start(order, writing, stderr)
    finally:
        os.close(writing)
    return Started(pid, ended, os.fdopen(reading))


def run(
    *words: str, env: Mapping[str, str] | None = None, timeout: float
) -> subprocess.CompletedProcess[str]:
    """Run a command to its end."""
    with tempfile.TemporaryFile("w+") as printed, tempfile.TemporaryFile("w+") as complained:
        process = start(*words, env=env, stdout=printed.fileno(), stderr=complained.fileno())
        try:
            code = process.wait(timeout)
        except subprocess.TimeoutExpired:
            process.kill()
            raise
        printed.seek(0)
        complained.seek(0)
        return subprocess.CompletedProcess(words, code, printed.read(), complained.read())
