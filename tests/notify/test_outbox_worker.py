"""The post: at least once, growing pauses, given up visibly, and nobody waits for anybody else."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager

import pytest

from rook_tally.core.alarms.channels import Channel, ChannelKind, Notice, NoticeReason
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.timestamps import DAY_US, MINUTE_US
from rook_tally.core.ways_out import WayOutSort
from rook_tally.notify.notifier import ActionError
from rook_tally.notify.outbox_worker import OutboxWorker
from rook_tally.store.alarms import (
    PAUSES_US,
    OutboxItem,
    OutState,
    journal,
    newest_letters,
    put_letters,
    remove_channel,
    save_channel,
)
from rook_tally.store.base import Store
from rook_tally.store.site.closed_ways import WHY_CLOSED, switch_way
from tests.builders import NOON_US

MAIL = Channel(name="mail", sort=ChannelKind.MAIL, host="h", sender="a@b", to=("c@d",))
HOOK = Channel(name="hook", sort=ChannelKind.WEBHOOK, url="http://h/")


class Told:
    """A way of telling that does as it is told: deliver, fail, or hang."""

    def __init__(self) -> None:
        self.notices: list[Notice] = []
        self.ways: list[Channel] = []
        self.trouble = ""
        self.fault: Exception | None = None
        self.hangs = asyncio.Event()
        self.hangs.set()

    async def tell(self, way: Channel, notice: Notice) -> str:
        self.notices.append(notice)
        self.ways.append(way)
        await self.hangs.wait()
        if self.fault is not None:
            raise self.fault
        if self.trouble:
            raise ActionError(self.trouble)
        return "done"

    async def close(self) -> None:
        pass


class Office:
    """A post with two ways, and a clock that is set by hand."""

    def __init__(self, store: Store) -> None:
        self.store, self.now_us = store, NOON_US
        self.mail, self.hook = Told(), Told()
        self.post = self.another()
        with store.write() as connection:
            save_channel(connection, MAIL)
            save_channel(connection, HOOK)

    def another(
        self, with_password: Callable[[Channel], Channel] = lambda way: way
    ) -> OutboxWorker:
        tellers = {ChannelKind.MAIL: self.mail, ChannelKind.WEBHOOK: self.hook}
        return OutboxWorker(
            self.store, tellers, clock=lambda: self.now_us, with_password=with_password
        )

    def put(self, way: str, key: str = "k", due_us: int | None = None) -> None:
        notice = Notice(
            key=key,
            event=NoticeReason.RANG,
            watch="w",
            name="W",
            time_us=self.now_us,
            title=f"W {key}",
            text="t",
        )
        with self.store.write() as connection:
            letter = (way, notice, self.now_us if due_us is None else due_us)
            put_letters(connection, [letter], now_us=self.now_us)
        self.post.wake()

    def letters(self) -> list[OutboxItem]:
        with self.store.read() as connection:
            return newest_letters(connection)

    async def until(self, holds: Callable[[], bool]) -> None:
        async with asyncio.timeout(20):
            while not await asyncio.to_thread(holds):
                self.post.wake()

    def states(self) -> dict[str, OutState]:
        return {one.notice.key: one.state for one in self.letters()}

    @asynccontextmanager
    async def open(self, *posts: OutboxWorker) -> AsyncIterator[None]:
        tasks = [asyncio.create_task(one.run()) for one in (self.post, *posts)]
        try:
            yield
        finally:
            for task in tasks:
                task.cancel()
            await asyncio.wait(tasks)


@pytest.fixture
async def office(store: Store) -> Office:
    return Office(store)


async def test_a_letter_is_delivered_and_the_journal_says_so(office: Office) -> None:
    async with office.open():
        office.put("hook")
        office.put("hook")  # the same again
        await office.until(lambda: office.states() == {"k": OutState.DONE})
    assert [one.key for one in office.hook.notices] == ["k"]
    with office.store.read() as connection:
        (line,) = journal(connection)
    assert (line.sort, line.words) == (JournalKind.TOLD, "done")


async def test_a_way_that_fails_is_tried_with_growing_pauses_and_given_up(office: Office) -> None:
    office.hook.trouble = "it answered 500"
    async with office.open():
        office.put("hook")
        for number, pause_us in enumerate(PAUSES_US, start=1):
            due_us = office.now_us + pause_us
            await office.until(lambda due_us=due_us: office.letters()[0].due_us == due_us)  # type: ignore[misc]
            assert office.letters()[0].tries == number
            assert len(office.hook.notices) == number
            office.now_us += pause_us
        await office.until(lambda: office.states() == {"k": OutState.GIVEN_UP})
    assert DAY_US < sum(PAUSES_US) < 2 * DAY_US
    with office.store.read() as connection:
        last, first = journal(connection)
    assert first.words == "hook: it answered 500; it is tried again"
    assert last.words == f"hook: given up after {len(PAUSES_US) + 1} tries, it answered 500"


async def test_a_server_that_hangs_keeps_nobody_else_waiting(office: Office) -> None:
    office.mail.hangs.clear()
    async with office.open():
        office.put("mail", "m")
        await office.until(lambda: bool(office.mail.notices))
        for number in range(5):
            office.put("hook", f"h{number}")
        await office.until(
            lambda: sum(state is OutState.DONE for state in office.states().values()) == 5
        )
        assert office.states()["m"] is OutState.WAITING
        office.mail.hangs.set()
        await office.until(lambda: office.states()["m"] is OutState.DONE)


async def test_two_collectors_deliver_a_letter_once(office: Office) -> None:
    other = office.another()
    async with office.open(other):
        for number in range(20):
            office.put("hook", f"h{number}")
            other.wake()
        await office.until(lambda: set(office.states().values()) == {OutState.DONE})
    assert sorted(one.key for one in office.hook.notices) == sorted(f"h{n}" for n in range(20))


async def test_one_that_died_with_a_letter_in_hand_is_followed_by_another(office: Office) -> None:
    office.hook.hangs.clear()
    async with office.open():
        office.put("hook")
        await office.until(lambda: bool(office.hook.notices))
    office.hook.hangs.set()
    office.now_us += 3 * MINUTE_US
    office.post = office.another()
    async with office.open():
        await office.until(lambda: office.states() == {"k": OutState.DONE})
    assert [one.key for one in office.hook.notices] == ["k", "k"]


async def test_a_digest_says_a_day_at_once(office: Office) -> None:
    with office.store.write() as connection:
        save_channel(
            connection,
            Channel(name="daily", sort=ChannelKind.WEBHOOK, url="http://h/", digest_min=0),
        )
    for number in range(3):
        office.put("daily", f"d{number}", office.now_us + MINUTE_US)
    office.now_us += MINUTE_US
    async with office.open():
        await office.until(lambda: set(office.states().values()) == {OutState.DONE})
    (told,) = office.hook.notices
    assert told.title == "3 notices today"
    assert told.text.splitlines() == ["W d0. t", "W d1. t", "W d2. t"]


async def test_a_way_that_was_taken_away_drops_its_letters(office: Office) -> None:
    office.put("hook")
    with office.store.write() as connection:
        remove_channel(connection, "hook")
    async with office.open():
        await office.until(lambda: office.states() == {"k": OutState.DROPPED})


async def test_a_way_that_is_switched_off_tells_nobody_and_the_journal_says_why(
    office: Office,
) -> None:
    with office.store.write() as connection:
        assert switch_way(connection, WayOutSort.WEBHOOK, "hook", is_on=False)
    office.put("hook")
    async with office.open():
        await office.until(lambda: office.states() == {"k": OutState.DROPPED})
        with office.store.write() as connection:
            assert not switch_way(connection, WayOutSort.WEBHOOK, "hook", is_on=True)
        office.put("hook", "later")
        await office.until(lambda: office.states().get("later") is OutState.DONE)
    assert [one.key for one in office.hook.notices] == ["later"]
    with office.store.read() as connection:
        told = [one.words for one in journal(connection)]
    assert f"hook: not told, {WHY_CLOSED}" in told


async def test_a_fault_of_ours_is_put_off_like_any_other_and_told(office: Office) -> None:
    office.hook.fault = UnicodeError("label empty")
    async with office.open():
        office.put("hook")
        await office.until(lambda: "a fault of ours" in office.letters()[0].answer)
        office.hook.fault = None
        office.now_us += PAUSES_US[0]
        await office.until(lambda: office.states() == {"k": OutState.DONE})
    with office.store.read() as connection:
        _, first = journal(connection)
    assert "a fault of ours: UnicodeError: label empty; it is tried again" in first.words


async def test_a_password_that_cannot_be_read_now_puts_a_letter_off(office: Office) -> None:
    """Told with its password once the desktop's password store can be read again."""
    readable = False

    def with_password(way: Channel) -> Channel:
        if not readable:
            raise ActionError("the password cannot be read now")
        return way.with_secret("clay")

    office.post = office.another(with_password)
    async with office.open():
        office.put("mail")
        await office.until(lambda: office.letters()[0].answer == "the password cannot be read now")
        readable = True
        office.now_us += PAUSES_US[0]
        await office.until(lambda: office.states() == {"k": OutState.DONE})
    assert [one.password for one in office.mail.ways] == ["clay"]
