"""Whatever ends a background duty, it comes back, and is seen to have failed."""

from __future__ import annotations

import asyncio
import os
import signal
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from functools import partial
from pathlib import Path

import aiohttp
import pytest

from rook_tally.collector import CollectorSettings, collect
from rook_tally.collector import run as collector_run
from rook_tally.collector.run import OpenDoors
from rook_tally.collector.supervision import STANDS_STILL_AT, Supervisor
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.background import DutyCoroutine
from rook_tally.core.errors import RookTallyError
from rook_tally.intake.addresses import BuiltinBroker, Endpoint
from rook_tally.store.alarms import journal
from rook_tally.store.base import Store
from rook_tally.store.site import PageSetting, collectors, set_page
from tests.builders import NOON_US
from tests.desks import now_us


async def _until(condition: Callable[[], object]) -> None:
    async with asyncio.timeout(30):
        while not condition():
            await asyncio.sleep(0.01)


class Ear:
    """Hears what a supervisor says."""

    def __init__(self) -> None:
        self.failed: list[tuple[str, str]] = []
        self.recovered: list[str] = []
        self.changes = 0

    def supervisor(self, *, steady_s: float) -> Supervisor:
        def changed() -> None:
            self.changes += 1

        return Supervisor(
            clock=lambda: NOON_US,
            on_failure=lambda *told: self.failed.append(told),
            on_recovery=self.recovered.append,
            on_change=changed,
            steady_s=steady_s,
            first_pause_s=0.001,
        )


async def test_a_duty_that_fails_is_begun_again_and_told_of_once() -> None:
    ear, runs = Ear(), 0

    async def fail_twice() -> None:
        nonlocal runs
        runs += 1
        if runs <= 2:
            raise ZeroDivisionError("by nothing")
        await asyncio.Event().wait()

    supervisor = ear.supervisor(steady_s=0.05)
    supervisor.begin("sealing", fail_twice)
    await _until(lambda: ear.recovered)
    assert (runs, ear.failed, ear.recovered) == (
        3,
        [("sealing", "ZeroDivisionError: by nothing")],
        ["sealing"],
    )
    assert supervisor.standing_still == ()
    await supervisor.end()


async def test_one_that_fails_three_times_stands_still_until_it_has_run_for_a_while() -> None:
    ear, runs, seen = Ear(), 0, asyncio.Event()

    async def fail_often() -> None:
        nonlocal runs
        runs += 1
        if runs <= STANDS_STILL_AT:
            raise KeyError("nobody")
        if runs == STANDS_STILL_AT + 1:
            await seen.wait()
            return  # a duty that ends by itself has failed too
        await asyncio.Event().wait()

    supervisor = ear.supervisor(steady_s=1)
    supervisor.begin("log", fail_often)
    await _until(lambda: supervisor.standing_still)
    (still,) = supervisor.standing_still
    assert (still.name, still.failures, still.since_us) == ("log", 3, NOON_US)
    seen.set()
    await _until(lambda: runs == STANDS_STILL_AT + 2)
    assert supervisor.standing_still[0].why == "it ended by itself"
    await _until(lambda: not supervisor.standing_still)
    assert ear.changes >= 2
    await supervisor.end()


async def test_ending_ends_also_one_that_waits_to_be_begun_again() -> None:
    ear = Ear()

    async def fail() -> None:
        raise OSError("gone")

    supervisor = ear.supervisor(steady_s=60)
    task = supervisor.begin("door", fail)
    await _until(lambda: ear.failed)
    await supervisor.end()
    assert task.cancelled()


class FaultySupervisor(Supervisor):
    """Lets a test end any duty by an error, and counts how often each was begun."""

    made: FaultySupervisor

    def __init__(self, **words: object) -> None:
        super().__init__(**words, first_pause_s=0.001)  # type: ignore[arg-type]
        self.faults: dict[str, asyncio.Queue[Exception]] = {}
        self.begun: dict[str, int] = {}
        FaultySupervisor.made = self

    def begin(self, name: str, run: DutyCoroutine) -> asyncio.Task[None]:
        faults = self.faults.setdefault(name, asyncio.Queue())

        async def faulty() -> None:
            self.begun[name] = self.begun.get(name, 0) + 1
            work = asyncio.create_task(run())
            fault = asyncio.create_task(faults.get())
            try:
                await asyncio.wait((work, fault), return_when=asyncio.FIRST_COMPLETED)
                if fault.done():
                    raise fault.result()
                await work
            finally:
                for task in (work, fault):
                    task.cancel()
                await asyncio.wait((work, fault))

        return super().begin(name, faulty)


@asynccontextmanager
async def _collecting(store: Store, folder: Path) -> AsyncIterator[OpenDoors]:
    """A whole collector in this process."""
    opened: list[OpenDoors] = []
    settings = CollectorSettings(
        Endpoint("127.0.0.1", 0), BuiltinBroker(Endpoint("127.0.0.1", 0)), folder, folder / "coap"
    )
    task = asyncio.create_task(collect(store, settings, ready=opened.append))
    await _until(lambda: opened or task.done())
    try:
        yield opened[0]
    finally:
        os.kill(os.getpid(), signal.SIGTERM)
        await task


def _is_begun(made: FaultySupervisor, name: str, more_than: int) -> bool:
    return made.begun[name] > more_than


DUTIES = {
    "heartbeat",
    "sealing",
    "log",
    "daily copy",
    "reports",
    "readers",
    "forwards",
    "strays and tape",
    "requests",
    "workings",
    "watches",
    "notifications",
    "doors",
    "http",
    "page",
    "pages",
    "changes",
    "commits",
    "mqtt",
    "mqtt session",
    "broker",
    "connections",
    "firmware",
    "in reach",
    "page connections",
    "passwords",
}


async def test_every_duty_comes_back_from_whatever_error(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(collector_run, "Supervisor", FaultySupervisor)
    with store.write() as connection:
        set_page(connection, PageSetting(is_on=True, host="127.0.0.1", port=0))
    async with _collecting(store, tmp_path / "broker") as doors, aiohttp.ClientSession() as web:
        made = FaultySupervisor.made
        await _until(lambda: made.begun.keys() >= DUTIES)
        assert made.begun.keys() == DUTIES
        for name in DUTIES:
            before = made.begun[name]
            made.faults[name].put_nowait(ZeroDivisionError(f"in {name}"))
            await _until(partial(_is_begun, made, name, before))

        def journalled() -> set[str]:
            with store.read() as connection:
                lines = journal(connection, sorts=[JournalKind.DUTY])
            return {one.name for one in lines if "ZeroDivisionError" in one.words}

        await _until(lambda: journalled() == DUTIES)
        async with web.get(f"http://{doors.http}/v1/health") as answer:
            assert answer.status == 200


async def test_a_duty_that_stands_still_shows_in_health_at_the_desk_and_at_the_exit(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(collector_run, "Supervisor", FaultySupervisor)
    with pytest.raises(RookTallyError, match="stood still when the collector was stopped: sealing"):
        async with _collecting(store, tmp_path / "broker") as doors, aiohttp.ClientSession() as web:
            made = FaultySupervisor.made
            await _until(lambda: "sealing" in made.begun)
            for at in range(STANDS_STILL_AT):
                made.faults["sealing"].put_nowait(PermissionError("no"))
                await _until(partial(_is_begun, made, "sealing", at + 1))

            def shown() -> list[str]:
                with store.read() as connection:
                    found = collectors(connection, now_us=now_us())
                return [duty.name for one in found for duty in one.failed]

            await _until(lambda: shown() == ["sealing"])
            async with web.get(f"http://{doors.http}/v1/health") as answer:
                told = await answer.json()
            assert answer.status == 503
            assert (told["status"], told["duties"][0]["name"]) == ("not well", "sealing")
            assert "PermissionError" in told["duties"][0]["why"]
