"""Batches: what the doors bring goes into the store together, in one transaction after the other.

While one batch is being committed the next one gathers, so a quiet site commits each message at
once and a busy one hundreds together. Senders that wait for their answers before they send again
come together once they have been answered together: a batch waits for as many as were under way,
for a few milliseconds at most. Where nobody waits for an answer, batches keep 25 ms apart: each
costs the same whatever is in it.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import structlog

from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.core.errors import StoreError, UnkeepableError
from rook_tally.intake.message import IntakeResult, Message, Problem
from rook_tally.intake.pipeline.batch_writer import receive, receive_as_stray
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store

LARGEST_BATCH = 500
_WAITING_ROOM = 20_000
_TOGETHER_S = 0.003
PACE_S = 0.025
_FEW = 32

_log = structlog.get_logger(__name__)


class CommitQueue:
    """Takes messages from the doors and answers each once its batch is committed.

    `trouble` says why the last batch could not be written; empty when it was. `on_written_again`
    hears why and for how long, s, once one could be again.
    """

    def __init__(
        self,
        store: Store,
        *,
        clock_is_set: Callable[[], bool] = lambda: True,
        begin: BeginDuty = begin_unwatched,
        on_written_again: Callable[[str, float], None] = lambda _why, _s: None,
    ) -> None:
        self._on_written_again = on_written_again
        self._troubled_since_s = 0.0
        self._store = store
        self._clock_is_set = clock_is_set
        self._directory, self._clocks = IntakeSession(), Clocks()
        self._waiting: asyncio.Queue[tuple[Message, asyncio.Future[IntakeResult]]] = asyncio.Queue(
            _WAITING_ROOM
        )
        # Senders that wait for an answer: now, and at most since the last batch.
        self._asking = self._most_asking = 0
        self._written_s = -PACE_S
        # While a batch waits for others: how many more, and what says that they are there.
        self._missing = 0
        self._together = asyncio.Event()
        self.trouble = ""
        # One thread: the directory belongs to it, and SQLite has one writer anyway.
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="commit")
        self._task = begin("commits", self._run)

    async def take(self, message: Message) -> IntakeResult:
        """Hand a message in; returns what became of it once that is committed.

        Raises
        ------
        StoreError
            When nothing could be kept.
        """
        future: asyncio.Future[IntakeResult] = asyncio.get_running_loop().create_future()
        asks = message.door == "http"
        self._asking += asks
        self._most_asking = max(self._most_asking, self._asking)
        try:
            await self._waiting.put((message, future))
            self._missing -= 1
            if not self._missing:
                self._together.set()
            return await future
        finally:
            self._asking -= asks

    async def close(self) -> None:
        """Commit what was handed in, then stop."""
        await self._waiting.join()
        self._task.cancel()
        await asyncio.wait((self._task,))
        self._thread.shutdown()

    def _gather(self, batch: list[tuple[Message, asyncio.Future[IntakeResult]]]) -> None:
        while len(batch) < LARGEST_BATCH and not self._waiting.empty():
            batch.append(self._waiting.get_nowait())

    async def _wait_for(self, several: int) -> None:
        """Wait until so many more are there, or for as long as is worth it."""
        self._missing = several
        self._together.clear()
        late = asyncio.get_running_loop().call_later(_TOGETHER_S, self._together.set)
        await self._together.wait()
        late.cancel()

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()
        under_way = 0
        while True:
            batch = [await self._waiting.get()]
            self._gather(batch)
            if not self._asking and len(batch) < _FEW:
                # Nobody waits for an answer, and the store was written to just now.
                await asyncio.sleep(max(0.0, self._written_s + PACE_S - loop.time()))
                self._gather(batch)
            elif len(batch) < under_way:
                await self._wait_for(under_way - len(batch))
                self._gather(batch)
            try:
                await self._commit(batch)
            finally:
                for _, future in batch:
                    if not future.done():
                        # After a fault of ours nobody may wait for ever.
                        _settle(future, StoreError("the message could not be handled"))
                    self._waiting.task_done()
            self._written_s = loop.time()
            under_way = self._most_asking
            self._most_asking = 0

    async def _commit(self, batch: Sequence[tuple[Message, asyncio.Future[IntakeResult]]]) -> None:
        loop = asyncio.get_running_loop()
        messages = [message for message, _ in batch]
        try:
            answers = await loop.run_in_executor(
                self._thread,
                partial(
                    receive,
                    self._store,
                    self._directory,
                    self._clocks,
                    messages,
                    clock_is_set=self._clock_is_set(),
                ),
            )
        except UnkeepableError as error:
            await self._find_the_one(batch, f"the store cannot take it: {error.what}")
        except StoreError as error:
            if not self.trouble:
                self._troubled_since_s = loop.time()
            self.trouble = error.what
            for _, future in batch:
                _settle(future, error)
        except Exception:  # noqa: BLE001 - whatever it is, no reading may be lost to it
            await self._find_the_one(batch, "a fault of ours while reading it")
        else:
            if self.trouble:
                self._on_written_again(self.trouble, loop.time() - self._troubled_since_s)
            self.trouble = ""
            for (_, future), answer in zip(batch, answers, strict=True):
                _settle(future, answer)

    async def _find_the_one(
        self, batch: Sequence[tuple[Message, asyncio.Future[IntakeResult]]], why: str
    ) -> None:
        """One of these messages is what the batch failed on: find it, keep the others."""
        if len(batch) > 1:
            middle = len(batch) // 2
            await self._commit(batch[:middle])
            await self._commit(batch[middle:])
            return
        ((message, future),) = batch
        _log.exception("message_not_taken", door=message.door, address=message.address, why=why)
        await self._commit_unread(message, future, why)

    async def _commit_unread(
        self, message: Message, future: asyncio.Future[IntakeResult], why: str
    ) -> None:
        try:
            await asyncio.get_running_loop().run_in_executor(
                self._thread, receive_as_stray, self._store, message, why
            )
        except StoreError as error:
            _settle(future, error)
        except Exception:  # noqa: BLE001 - one message ends nothing
            # Not even its bytes can be kept: it is answered, and never tried again.
            _log.exception("stray_not_kept", door=message.door, address=message.address)
            _settle(future, IntakeResult(problem=Problem.UNREADABLE, why=f"{why}; it was not kept"))
        else:
            _settle(future, IntakeResult(stray=1, problem=Problem.UNREADABLE, why=why))


def _settle(future: asyncio.Future[IntakeResult], outcome: IntakeResult | StoreError) -> None:
    if future.done():  # whoever asked has gone away
        return
    if isinstance(outcome, IntakeResult):
        future.set_result(outcome)
    else:
        future.set_exception(outcome)
