"""Questions answered in a process of their own: the same answers, and no harm when it is killed."""

from __future__ import annotations

import os
import signal
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from queue import SimpleQueue
from typing import TypeVar

import pytest
from pytestqt.qtbot import QtBot
from sqlalchemy.engine import Connection

from rook_tally.core.remarks import Remark
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.commands import RemoveRemark, SaveRemark
from rook_tally.desk.data.past_snapshot import SnapshotQuery
from rook_tally.desk.data.store_client import Command, Query, StoreClient
from rook_tally.store.base import Store
from rook_tally.store.site import Site, load_site, remarks
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS
from tests.processes import PATIENCE_S, wait_until

pytestmark = pytest.mark.real_process

T = TypeVar("T")


class Client:
    """A client, its answers taken one by one by the test's own thread."""

    def __init__(self, store: Store) -> None:
        self._calls: SimpleQueue[Callable[[], None]] = SimpleQueue()
        self.client = StoreClient(store, deliver=self._calls.put)
        self.troubles: list[str] = []
        self.client.on_trouble = self.troubles.append

    def read(self, query: Query[T]) -> T:
        answers: list[T] = []
        errors: list[str] = []
        self.client.read(query, answers.append, errors.append)
        return self._only(answers, errors)

    def write(self, command: Command[T]) -> T:
        answers: list[T] = []
        errors: list[str] = []
        self.client.write(command, answers.append, errors.append)
        return self._only(answers, errors)

    def _only(self, answers: list[T], errors: list[str]) -> T:
        while not errors and not answers:
            self._calls.get(timeout=PATIENCE_S)()
        if errors:
            raise AssertionError(errors[0])
        return answers[0]


@pytest.fixture
def client(store: Store) -> Iterator[Client]:
    made = Client(store)
    yield made
    made.client.stop()


def work_apart(client: Client) -> int:
    """Let its process come up; returns its number."""
    client.client.work_apart()
    wait_until(lambda: client.client.is_apart)
    assert client.client.pid is not None
    return client.client.pid


@pytest.fixture
def question(store: Store) -> SnapshotQuery:
    append(store, begin_series(store), *((NOON_US - at * MINUTE_US, 20.0 + at) for at in range(60)))
    with store.read() as connection:
        return SnapshotQuery(load_site(connection), NOON_US)


def test_it_answers_and_changes_as_the_thread_does(
    store: Store, client: Client, question: SnapshotQuery
) -> None:
    by_thread = client.read(question)
    work_apart(client)
    assert client.read(question).latest == by_thread.latest
    assert client.write(SaveRemark(Remark("door opened", NOON_US))).saved.text == "door opened"
    with pytest.raises(AssertionError, match="not there any more"):
        client.write(RemoveRemark(12345))
    with store.read() as connection:
        assert [one.text for one in remarks(connection)] == ["door opened"]


@dataclass(frozen=True)
class NamesOfSite:
    """What a site that came with the question is called, and which one it is of those that came."""

    site: Site

    def run(self, connection: Connection) -> tuple[str, int]:
        return self.site.name, id(self.site)


def test_a_site_goes_through_once_and_another_one_after_it(client: Client) -> None:
    first, second = Site("first", "UTC", (), (), ()), Site("second", "UTC", (), (), ())
    work_apart(client)
    told = [client.read(NamesOfSite(one)) for one in (first, first, second, second, first)]
    assert [name for name, _ in told] == ["first", "first", "second", "second", "first"]
    assert told[0] == told[1]
    assert told[2] == told[3]


@dataclass(frozen=True)
class Faulty:
    """A query that nobody can answer."""

    def run(self, connection: Connection) -> float:
        return 1 / 0


@pytest.mark.parametrize("is_apart", [False, True])
def test_a_fault_of_ours_in_one_answer_leaves_all_others(
    client: Client, question: SnapshotQuery, is_apart: bool
) -> None:
    if is_apart:
        work_apart(client)
    with pytest.raises(AssertionError, match="a fault of ours: ZeroDivisionError"):
        client.read(Faulty())
    assert client.read(question).now_us == NOON_US
    assert client.client.is_apart == is_apart


def test_killed_it_is_replaced_by_the_thread_and_by_another_process_which_is_said(
    client: Client, question: SnapshotQuery
) -> None:
    killed = work_apart(client)
    os.kill(killed, signal.SIGKILL)
    assert client.read(question).now_us == NOON_US
    assert "another one was started" in client.troubles[0]
    wait_until(lambda: client.client.is_apart)
    assert client.client.pid != killed
    assert client.write(SaveRemark(Remark("power cut", NOON_US))).saved.text == "power cut"


def test_a_change_lost_with_it_is_not_made_twice(store: Store, client: Client) -> None:
    working = work_apart(client)
    # It has been handed the change, and is killed before it says what became of that.
    os.kill(working, signal.SIGSTOP)
    errors: list[str] = []
    client.client.write(SaveRemark(Remark("power cut", NOON_US)), on_error=errors.append)
    wait_until(lambda: not client.client._writes)
    os.kill(working, signal.SIGKILL)
    while not errors:
        client._calls.get(timeout=PATIENCE_S)()
    assert "look whether the change was made" in errors[0]
    with store.read() as connection:
        assert remarks(connection) == []


class Unsendable(SnapshotQuery, frozen=True):
    """A query that goes through no pipe."""

    def __reduce__(self) -> str:
        raise OverflowError("too long for this")


def test_what_cannot_be_sent_ends_neither_the_thread_nor_the_desk(
    client: Client, question: SnapshotQuery
) -> None:
    work_apart(client)
    with pytest.raises(AssertionError, match="a fault of ours: OverflowError"):
        client.read(Unsendable(question.site, NOON_US))
    assert client.read(question).now_us == NOON_US


def test_an_error_nobody_asked_to_hear_of_is_said_all_the_same(
    client: Client, question: SnapshotQuery
) -> None:
    client.client.read(Faulty(), lambda _: None)
    assert client.read(question).now_us == NOON_US
    assert client.troubles == [
        "a fault of ours: ZeroDivisionError('division by zero'); the log says more"
    ]


@dataclass(frozen=True)
class Slow:
    """A query that waits for the test, so that others come to wait behind it."""

    number: int

    def run(self, connection: Connection) -> int:
        GO_ON.wait(PATIENCE_S)
        return self.number


GO_ON = threading.Event()


def test_of_queries_of_a_type_that_wait_only_the_newest_is_run(client: Client) -> None:
    GO_ON.clear()
    came: list[int] = []
    for number in range(4):
        client.client.read(Slow(number), came.append)
        if number == 0:
            wait_until(lambda: not client.client._reads)
    GO_ON.set()
    for _ in range(2):
        client._calls.get(timeout=PATIENCE_S)()
    assert came == [0, 3]
    assert client._calls.empty()


def test_two_who_ask_the_same_are_both_answered(client: Client) -> None:
    GO_ON.set()
    came: list[str] = []
    first, second = client.client.scope(), client.client.scope()
    first.read(Slow(1), lambda one: came.append(f"first {one}"))
    second.read(Slow(2), lambda one: came.append(f"second {one}"))
    for _ in range(2):
        client._calls.get(timeout=PATIENCE_S)()
    assert came == ["first 1", "second 2"]


@dataclass(frozen=True)
class Other:
    """A query of another type, asked again before each turn."""

    def run(self, connection: Connection) -> str:
        return "other"


def test_a_query_that_is_asked_again_and_again_keeps_its_turn(client: Client) -> None:
    GO_ON.clear()
    came: list[object] = []
    client.client.read(Slow(0), came.append)
    wait_until(lambda: not client.client._reads)
    client.client.read(Other(), came.append)
    client.client.read(Slow(1), came.append)
    client.client.read(Other(), came.append)
    GO_ON.set()
    for _ in range(3):
        client._calls.get(timeout=PATIENCE_S)()
    assert came == [0, "other", 1]


def test_who_is_gone_is_not_called_and_what_it_wrote_is_written(
    store: Store, client: Client, question: SnapshotQuery
) -> None:
    scope = client.client.scope()
    called: list[object] = []
    scope.read(question, called.append)
    scope.write(SaveRemark(Remark("on leaving", NOON_US)), called.append)
    scope.close()
    for _ in range(2):
        client._calls.get(timeout=PATIENCE_S)()
    assert called == []
    with store.read() as connection:
        assert [one.text for one in remarks(connection)] == ["on leaving"]


def test_a_window_with_it_shows_the_past(
    qtbot: QtBot, store: Store, question: SnapshotQuery, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(NOON_US))
    window.client.work_apart()
    qtbot.waitUntil(lambda: window.client.is_apart, timeout=PATIENCE_MS)
    window.rail.model.go_to("11:30")
    qtbot.waitUntil(
        lambda: window.state.past is not None and window.state.moment_question() is None,
        timeout=PATIENCE_MS,
    )
    cell = window.ledger.model.cell(1, 0)
    assert cell is not None
    assert cell.text == "50.0"


def test_closing_does_not_wait_for_what_is_read(store: Store, question: SnapshotQuery) -> None:
    GO_ON.clear()
    client = Client(store)
    came: list[object] = []
    client.client.read(Slow(0), came.append)
    wait_until(lambda: not client.client._reads)
    client.client.stop()
    # It came back while the query still waits.
    assert came == []
    GO_ON.set()
    wait_until(lambda: not client.client._thread.is_alive())
