"""Background duties looked after: one that fails is begun again, and seen to have failed.

Whatever ends a duty is logged whole and journalled once. It is begun again with growing pauses;
from the third failure in a row on it counts as standing still, until it has run for a while.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import structlog

from rook_tally.core.background import DutyCoroutine
from rook_tally.store.site import FailedDuty

STANDS_STILL_AT = 3
STEADY_S = 120.0
"""One that has run for so long works again."""
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.5, 60.0
_LONGEST_REASON = 300

_log = structlog.get_logger(__name__)


@dataclass
class _Standing:
    """Failures of a duty in a row: how many, since when, and why the last."""

    failures: int = 0
    since_us: int = 0
    why: str = ""


class Supervisor:
    """Runs duties until they are ended.

    `clock` returns the moment now in µs. `on_failure` and `on_recovery` hear of the first failure
    in a row, and of one that works again, by the duty's name; `on_change` whenever another set of
    duties stands still.
    """

    def __init__(
        self,
        *,
        clock: Callable[[], int],
        on_failure: Callable[[str, str], None],
        on_recovery: Callable[[str], None],
        on_change: Callable[[], None],
        steady_s: float = STEADY_S,
        first_pause_s: float = _FIRST_PAUSE_S,
    ) -> None:
        self._clock = clock
        self._on_failure, self._on_recovery = on_failure, on_recovery
        self._on_change = on_change
        self._steady_s, self._first_pause_s = steady_s, first_pause_s
        self._standing: dict[str, _Standing] = {}
        self._tasks: dict[str, asyncio.Task[None]] = {}

    @property
    def standing_still(self) -> tuple[FailedDuty, ...]:
        """The duties that failed three times in a row or more, by name."""
        return tuple(
            FailedDuty(name, one.failures, one.since_us, one.why)
            for name, one in sorted(self._standing.items())
            if one.failures >= STANDS_STILL_AT
        )

    def begin(self, name: str, run: DutyCoroutine) -> asyncio.Task[None]:
        """Run a duty until its task is cancelled, or all are ended."""
        task = asyncio.create_task(self._look_after(name, run), name=name)
        self._tasks[name] = task
        task.add_done_callback(lambda _: self._forget(name, task))
        return task

    async def end(self) -> None:
        """End all duties and wait until they have ended."""
        await self.end_several(list(self._tasks))

    async def end_several(self, names: Iterable[str]) -> None:
        """End the duties of these names and wait until they have ended."""
        tasks = [self._tasks[name] for name in names if name in self._tasks]
        for task in tasks:
            task.cancel()
        if tasks:
            await asyncio.wait(tasks)

    def _forget(self, name: str, task: asyncio.Task[None]) -> None:
        if self._tasks.get(name) is task:
            del self._tasks[name]
            stood_still = self._standing.pop(name, _Standing()).failures >= STANDS_STILL_AT
            if stood_still:
                self._on_change()

    async def _look_after(self, name: str, run: DutyCoroutine) -> None:
        standing = self._standing.setdefault(name, _Standing())
        while True:
            began_s = time.monotonic()
            recovering = asyncio.get_running_loop().call_later(
                self._steady_s, self._recovered, name, standing
            )
            try:
                await run()
                why = "it ended by itself"
                _log.error("duty_ended", duty=name)
            except Exception as error:  # noqa: BLE001 - whatever it is, the duty has to come back
                why = f"{type(error).__name__}: {error}"[:_LONGEST_REASON]
                _log.exception("duty_failed", duty=name, after_s=time.monotonic() - began_s)
            finally:
                recovering.cancel()
            self._failed(name, standing, why)
            pause_s = self._first_pause_s * 2 ** (standing.failures - 1)
            await asyncio.sleep(min(pause_s, _LONGEST_PAUSE_S))

    def _failed(self, name: str, standing: _Standing, why: str) -> None:
        standing.failures += 1
        standing.why = why
        if standing.failures == 1:
            standing.since_us = self._clock()
            self._on_failure(name, why)
        if standing.failures >= STANDS_STILL_AT:
            self._on_change()

    def _recovered(self, name: str, standing: _Standing) -> None:
        if not standing.failures:
            return
        _log.info("duty_works_again", duty=name)
        stood_still = standing.failures >= STANDS_STILL_AT
        standing.failures = 0
        self._on_recovery(name)
        if stood_still:
            self._on_change()
