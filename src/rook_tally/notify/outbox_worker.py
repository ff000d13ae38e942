"""The post: carries what is in the outbox to whom it is for, at least once, whatever happens.

Each way has a carrier of its own, so that none waits for another. What is not delivered is tried
again with growing pauses, and given up visibly in the end.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping, Sequence

import structlog
from msgspec.structs import replace

from rook_tally.core.alarms.channels import Channel, ChannelKind, Notice, NoticeReason
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.errors import StoreError
from rook_tally.core.timestamps import MINUTE_US, SECOND_US
from rook_tally.core.ways_out import SORTS_OF_WAYS
from rook_tally.notify.notifier import ActionError, Notifier
from rook_tally.store.alarms import (
    PAUSES_US,
    OutboxItem,
    OutState,
    claim_item,
    item_done,
    item_put_off,
    prune_outbox,
    waiting_letters,
    ways,
    write_journal,
)
from rook_tally.store.base import Store
from rook_tally.store.site.closed_ways import WHY_CLOSED, ClosedWays, closed_ways

_LONGEST_S = 45.0
_CLAIMED_US = 2 * MINUTE_US
_LOOK_S = 5.0
_AT_ONCE = 200

_log = structlog.get_logger(__name__)


class OutboxWorker:
    """Carries letters; woken when some are put in."""

    def __init__(
        self,
        store: Store,
        tellers: Mapping[ChannelKind, Notifier],
        *,
        clock: Callable[[], int],
        with_password: Callable[[Channel], Channel] = lambda way: way,
    ) -> None:
        self._store, self._tellers, self._clock = store, tellers, clock
        self._with_password = with_password
        self._moved = asyncio.Event()
        self._carriers: dict[str, asyncio.Task[None]] = {}

    def wake(self) -> None:
        """Something was put into the outbox."""
        self._moved.set()

    async def run(self) -> None:
        """Carry what is due until cancelled."""
        try:
            while True:
                self._moved.clear()
                pause_s = _LOOK_S
                try:
                    pause_s = await self._look()
                except StoreError as error:
                    _log.warning("outbox_not_read", error=str(error))
                try:
                    async with asyncio.timeout(pause_s):
                        await self._moved.wait()
                except TimeoutError:
                    continue
        finally:
            for task in self._carriers.values():
                task.cancel()
            if self._carriers:
                await asyncio.wait(self._carriers.values())
            for teller in self._tellers.values():
                await teller.close()

    async def _look(self) -> float:
        """Send the carriers out that have something due; returns when to look again, s."""
        letters, known, closed = await asyncio.to_thread(self._read)
        now_us = self._clock()
        waiting: dict[str, list[OutboxItem]] = {}
        for one in letters:
            waiting.setdefault(one.way, []).append(one)
        soonest_us = now_us + round(_LOOK_S * SECOND_US)
        for name, several in waiting.items():
            due = [one for one in several if one.due_us <= now_us][:_AT_ONCE]
            soonest_us = min([soonest_us, *(one.due_us for one in several if one.due_us > now_us)])
            carrier = self._carriers.get(name)
            if due and (carrier is None or carrier.done()):
                way = known.get(name)
                why = (
                    f"there is no way of telling {name} any more"
                    if way is None
                    else WHY_CLOSED
                    if (SORTS_OF_WAYS.get(way.sort), name) in closed
                    else ""
                )
                carry = self._drop(due, why) if way is None or why else self._carry(way, due)
                self._carriers[name] = asyncio.create_task(carry)
        return max(0.02, (soonest_us - now_us) / SECOND_US)

    def _read(self) -> tuple[list[OutboxItem], dict[str, Channel], ClosedWays]:
        with self._store.read() as connection:
            letters = waiting_letters(connection)
            if not letters:
                return letters, {}, frozenset()
            return letters, {one.name: one for one in ways(connection)}, closed_ways(connection)

    async def _carry(self, way: Channel, letters: Sequence[OutboxItem]) -> None:
        """Deliver one way's letters, one after another, until one cannot be."""
        try:
            if way.digest_min is not None:
                await self._deliver(way, letters, digest_of(letters))
            else:
                for one in letters:
                    if not await self._deliver(way, [one], one.notice):
                        break
        except StoreError as error:
            _log.warning("letter_not_noted", error=str(error))
        # What came meanwhile is looked for at once.
        self._moved.set()

    async def _drop(self, letters: Sequence[OutboxItem], why: str) -> None:
        """Leave one way's letters undelivered, and say so."""
        now_us = self._clock()

        def drop() -> None:
            with self._store.write() as connection:
                for one in letters:
                    item_done(connection, one, OutState.DROPPED, why, now_us=now_us)
                words = f"{letters[0].way}: not told, {why}"
                write_journal(connection, [_line(letters[0], JournalKind.NOT_TOLD, words, now_us)])

        try:
            await asyncio.to_thread(drop)
        except StoreError as error:
            _log.warning("letter_not_noted", error=str(error))
        self._moved.set()

    async def _deliver(self, way: Channel, letters: Sequence[OutboxItem], notice: Notice) -> bool:
        """Try once; whether it was delivered, or somebody else has it in hand."""
        mine = await asyncio.to_thread(self._claim, letters)
        if not mine:
            return True
        try:
            async with asyncio.timeout(_LONGEST_S):
                answer = await self._tellers[way.sort].tell(self._with_password(way), notice)
        except ActionError as error:
            await asyncio.to_thread(self._failed, mine, str(error))
            return False
        except TimeoutError:
            await asyncio.to_thread(self._failed, mine, f"no end of it in {_LONGEST_S:g} s")
            return False
        except Exception as error:  # noqa: BLE001 - put off and given up as any other, never lost
            _log.exception("teller_failed", way=way.name)
            why = f"a fault of ours: {type(error).__name__}: {error}"
            await asyncio.to_thread(self._failed, mine, why)
            return False
        await asyncio.to_thread(self._delivered, mine, answer)
        return True

    def _claim(self, letters: Sequence[OutboxItem]) -> list[OutboxItem]:
        until_us = self._clock() + _CLAIMED_US
        with self._store.write() as connection:
            return [one for one in letters if claim_item(connection, one, until_us=until_us)]

    def _delivered(self, letters: Sequence[OutboxItem], answer: str) -> None:
        now_us = self._clock()
        with self._store.write() as connection:
            for one in letters:
                item_done(connection, one, OutState.DONE, answer, now_us=now_us)
            write_journal(connection, [_line(letters[0], JournalKind.TOLD, answer, now_us)])
            prune_outbox(connection, now_us=now_us)

    def _failed(self, letters: Sequence[OutboxItem], why: str) -> None:
        now_us = self._clock()
        _log.warning("not_told", way=letters[0].way, why=why)
        with self._store.write() as connection:
            for one in letters:
                if one.tries < len(PAUSES_US):
                    due_us = now_us + PAUSES_US[one.tries]
                    item_put_off(connection, one, why, due_us=due_us)
                    continue
                item_done(connection, one, OutState.GIVEN_UP, why, now_us=now_us)
                words = f"{one.way}: given up after {one.tries + 1} tries, {why}"
                write_journal(connection, [_line(one, JournalKind.NOT_TOLD, words, now_us)])
            if letters[0].tries == 0:
                words = f"{letters[0].way}: {why}; it is tried again"
                entry = _line(letters[0], JournalKind.NOT_TOLD, words, now_us)
                write_journal(connection, [entry])


def _line(letter: OutboxItem, sort: JournalKind, words: str, now_us: int) -> Entry:
    notice = letter.notice
    return Entry(
        now_us, sort, notice.watch, notice.name, notice.place, notice.series_id, notice.level, words
    )


def digest_of(letters: Sequence[OutboxItem]) -> Notice:
    """One notice for all of a day."""
    first = letters[0].notice
    lines = [f"{one.notice.title}. {one.notice.text}" for one in letters]
    count = len(lines)
    return replace(
        first,
        event=NoticeReason.DIGEST,
        title=f"{count} {'notice' if count == 1 else 'notices'} today",
        text="\n".join(lines),
        key=f"digest:{letters[0].way}:{letters[0].id}:{letters[-1].id}",
    )
