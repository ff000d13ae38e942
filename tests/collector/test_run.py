"""The collector as a process: says when it is ready, stops cleanly, refuses what cannot be."""

from __future__ import annotations

import asyncio
from pathlib import Path

import pytest

from rook_tally.core.errors import StoreError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.intake.decode import DecodeSettings, decoded
from rook_tally.intake.message import Message, Problem
from rook_tally.intake.pipeline import batch_writer, take_message
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.store.base import Store
from rook_tally.store.readings import append_readings, latest
from rook_tally.store.site import add_station, newest_strays
from tests.builders import NOON_US
from tests.processes import CollectorProcess, rook_tally


def test_the_ready_line(collector: CollectorProcess) -> None:
    assert collector.ready == {
        "ready": True,
        "http": collector.ready["http"],
        "mqtt": collector.ready["mqtt"],
        "store": str(collector.store),
    }
    assert collector.ready["http"].startswith("127.0.0.1:")
    assert collector.ready["mqtt"].startswith("127.0.0.1:")


def test_sigterm_ends_it_with_0_and_leaves_nothing_behind(collector: CollectorProcess) -> None:
    assert collector.stop() == 0
    assert not (collector.store.with_suffix(".broker") / "running.json").exists()
    assert not Path(f"{collector.store}-wal").exists()


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        (("--http", "nowhere"), 2, "'nowhere' is no address; write HOST:PORT"),
        (("--http", "127.0.0.1:99999"), 2, "is no address"),
        (("--broker", "smoke-signals"), 2, "'smoke-signals' names no broker; write builtin:"),
        (("--store", "/dev/null/x.db"), 1, "/dev/null/x.db cannot be written"),
        (("--no-such-option",), 2, "No such option"),
    ],
)
def test_wrong_words(store_path: Path, words: tuple[str, ...], code: int, told: str) -> None:
    done = rook_tally("--store", str(store_path), "collect", "--broker", "off", *words)
    assert (done.returncode, done.stdout) == (code, "")
    assert told in done.stderr
    assert "Traceback" not in done.stderr


def _message(value: int) -> Message:
    return Message("http", "x", b'{"co2": %d}' % value, NOON_US + value, station="a")


async def test_a_fault_of_ours_in_one_message_loses_no_other(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    with store.write() as connection:
        add_station(connection, "a", place="Yard", kind=PLAIN)

    def faulty(message: Message, hints: DecodeSettings) -> object:
        if b"666" in message.body:
            raise ZeroDivisionError
        return decoded(message, hints)

    monkeypatch.setattr(take_message, "decoded", faulty)
    commits = CommitQueue(store)
    answers = await asyncio.gather(*(commits.take(_message(one)) for one in (500, 666, 700)))
    await commits.close()
    assert [one.kept for one in answers] == [1, 0, 1]
    assert answers[1].problem is Problem.UNREADABLE
    with store.read() as connection:
        assert [stray.body for stray in newest_strays(connection)] == [b'{"co2": 666}']
        assert [one.value for one in latest(connection).values()] == [700.0]


async def test_a_store_that_fails_is_told_and_works_again_later(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    with store.write() as connection:
        add_station(connection, "a", place="Yard", kind=PLAIN)

    def full(*_: object) -> object:
        raise StoreError("the disk is full")

    commits = CommitQueue(store)
    monkeypatch.setattr(batch_writer, "append_readings", full)
    with pytest.raises(StoreError, match="the disk is full"):
        await commits.take(_message(500))
    monkeypatch.setattr(batch_writer, "append_readings", append_readings)
    assert (await commits.take(_message(500))).kept == 1
    await commits.close()
