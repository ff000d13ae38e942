"""Child processes: a collector, and the demo's live stations."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from collections.abc import Mapping, Sequence
from types import TracebackType
from typing import IO, Self, cast

from rook_tally.core.errors import RookTallyError

_STOP_WITHIN_S = 60.0


class _Child:
    """A Python process of ours that is told to stop with SIGTERM."""

    def __init__(
        self, *words: str, store: str = "", environment: Mapping[str, str] | None = None
    ) -> None:
        # A session of its own: Ctrl-C in the terminal reaches us, and we stop it in our order.
        self.process = subprocess.Popen(
            [sys.executable, *words],
            stdout=subprocess.PIPE,
            text=True,
            start_new_session=True,
            # Not among the words, which everybody can see: a server's address holds a password.
            env=os.environ
            | dict(environment or {})
            | ({"ROOK_TALLY_STORE": store} if store else {}),
        )
        self._output = cast("IO[str]", self.process.stdout)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.ended()

    def first_line(self) -> str:
        """Its next line on stdout; empty when it ended without one."""
        return self._output.readline()

    def ended(self) -> str:
        """Stop it if it runs, and return the rest of what it printed."""
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
        try:
            rest, _ = self.process.communicate(timeout=_STOP_WITHIN_S)
        except subprocess.TimeoutExpired:
            self.process.kill()
            rest, _ = self.process.communicate()
        except ValueError:  # its output was read to the end before
            return ""
        return rest


class CollectorChild(_Child):
    """A collector whose doors are open once this is made.

    Raises
    ------
    RookTallyError
        When it could not open them; its own words stand on stderr.
    """

    def __init__(
        self,
        store: str,
        *,
        http: str,
        broker: str,
        words: Sequence[str] = (),
        environment: Mapping[str, str] | None = None,
    ) -> None:
        super().__init__(
            "-m",
            "rook_tally",
            "collect",
            "--http",
            http,
            "--broker",
            broker,
            *words,
            store=store,
            environment=environment,
        )
        line = self.first_line()
        if not line:
            self.ended()
            raise RookTallyError("the collector did not start", remedy="see the line above")
        told = json.loads(line)
        self.http: str = told["http"]
        self.mqtt: str | None = told["mqtt"]


class StationsChild(_Child):
    """The demo's live stations, talking to open doors."""

    def __init__(self, http: str, mqtt: str) -> None:
        super().__init__("-m", "rook_tally.demo.live", "--http", http, "--mqtt", mqtt)

    def wait_for(self, seconds: float) -> None:
        """Let them talk for a while."""
        try:
            self.process.wait(seconds)
        except subprocess.TimeoutExpired:
            return
        raise RookTallyError("the simulated stations ended early", remedy="see the lines above")

    def stop(self) -> int:
        """Stop them and return how many values they sent."""
        lines = self.ended().splitlines()
        if not lines:
            raise RookTallyError("the simulated stations did not say what they sent")
        return int(json.loads(lines[-1])["sent"])
