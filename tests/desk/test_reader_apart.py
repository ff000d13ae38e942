"""Questions answered in a process of their own: the same answers, and no harm when it is killed."""

from __future__ import annotations

import os
import signal
import threading
from dataclasses import dataclass

import pytest
from pytestqt.qtbot import QtBot
from sqlalchemy.engine import Connection

from rook_tally.core.remarks import Remark
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.commands import RemoveRemark, SaveRemark
from rook_tally.desk.data.past_snapshot import SnapshotQuery
from rook_tally.desk.data.store_client import Reply, StoreClient
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.base import Store
from rook_tally.store.site import load_site, remarks
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS
from tests.processes import PATIENCE_S, wait_until


class Replies:
    """Collects replies as they come."""

    def __init__(self) -> None:
        self._came = threading.Condition()
        self._all: list[Reply] = []

    def take(self, reply: Reply) -> None:
        with self._came:
            self._all.append(reply)
            self._came.notify()

    def next(self) -> Reply:
        with self._came:
            assert self._came.wait_for(lambda: bool(self._all), PATIENCE_S)
            return self._all.pop(0)


@pytest.fixture
def question(store: Store) -> SnapshotQuery:
    append(store, begin_series(store), *((NOON_US - at * MINUTE_US, 20.0 + at) for at in range(60)))
    with store.read() as connection:
        return SnapshotQuery(load_site(connection), NOON_US)


def test_it_answers_and_changes_as_the_thread_does(store: Store, question: SnapshotQuery) -> None:
    replies = Replies()
    reader = StoreClient(store, on_reply=replies.take)
    try:
        reader.ask(question)
        by_thread = replies.next()
        reader.work_apart()
        wait_until(lambda: reader.is_apart)
        reader.ask(question)
        apart = replies.next()
        assert apart.question is question
        assert apart.answer.shown.latest == by_thread.answer.shown.latest
        reader.change(SaveRemark(Remark("door opened", NOON_US)))
        done = replies.next().answer
        assert isinstance(done, UndoableResult)
        reader.change(RemoveRemark(12345))
        refused = replies.next()
        assert (refused.answer, "not there any more" in refused.error) == (None, True)
    finally:
        reader.stop()
    with store.read() as connection:
        assert [one.text for one in remarks(connection)] == ["door opened"]


@dataclass(frozen=True)
class Faulty:
    """A question that nobody can answer, and a change that cannot be made."""

    subject: str = "faulty"

    def answered(self, connection: Connection) -> float:
        return 1 / 0


@pytest.mark.parametrize("is_apart", [False, True])
def test_a_fault_of_ours_in_one_answer_leaves_all_others(
    store: Store, question: SnapshotQuery, is_apart: bool
) -> None:
    replies = Replies()
    reader = StoreClient(store, on_reply=replies.take)
    try:
        if is_apart:
            reader.work_apart()
            wait_until(lambda: reader.is_apart)
        reader.ask(Faulty())
        assert "a fault of ours: ZeroDivisionError" in replies.next().error
        reader.ask(question)
        assert replies.next().answer.at_us == NOON_US
        assert reader.is_apart == is_apart
    finally:
        reader.stop()


def test_killed_it_is_replaced_by_the_thread(store: Store, question: SnapshotQuery) -> None:
    replies = Replies()
    reader = StoreClient(store, on_reply=replies.take)
    try:
        reader.work_apart()
        wait_until(lambda: reader.is_apart)
        assert reader.pid is not None
        os.kill(reader.pid, signal.SIGKILL)
        reader.ask(question)
        assert replies.next().answer.at_us == NOON_US
        assert not reader.is_apart
        reader.change(SaveRemark(Remark("power cut", NOON_US)))
        assert isinstance(replies.next().answer, UndoableResult)
    finally:
        reader.stop()


def test_a_change_lost_with_it_is_not_made_twice(store: Store, question: SnapshotQuery) -> None:
    replies = Replies()
    reader = StoreClient(store, on_reply=replies.take)
    try:
        reader.work_apart()
        wait_until(lambda: reader.is_apart)
        assert reader.pid is not None
        os.kill(reader.pid, signal.SIGKILL)
        reader.change(SaveRemark(Remark("power cut", NOON_US)))
        assert "look whether the change was made" in replies.next().error
    finally:
        reader.stop()
    with store.read() as connection:
        assert remarks(connection) == []


def test_a_window_with_it_shows_the_past(
    qtbot: QtBot, store: Store, question: SnapshotQuery, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(NOON_US))
    window.reader.work_apart()
    qtbot.waitUntil(lambda: window.reader.is_apart, timeout=PATIENCE_MS)
    window.rail.model.go_to("11:30")
    qtbot.waitUntil(
        lambda: window.state.past is not None and window.state.moment_question() is None,
        timeout=PATIENCE_MS,
    )
    cell = window.ledger.model.cell(1, 0)
    assert cell is not None
    assert cell.text == "50.0"
