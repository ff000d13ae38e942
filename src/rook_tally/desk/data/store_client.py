"""Questions to the store, and changes to it: asked from the window, done in another thread.

A question is a frozen value bearing its own inputs. Of several questions about one subject only
the newest is answered; an answer that comes too late is dropped by whoever asked. Changes are all
made, in their order.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

from sqlalchemy.engine import Connection

from rook_tally.core.errors import RookTallyError
from rook_tally.core.i18n import spoken, tr
from rook_tally.store.base import Store

if TYPE_CHECKING:
    from rook_tally.desk.data.worker_process import WorkerProcess


class Query(Protocol):
    """What is asked. `subject` names what it is about: a newer question replaces it."""

    @property
    def subject(self) -> str:
        """What it is about."""
        ...

    def answered(self, connection: Connection) -> Any:
        """The answer, read in one transaction."""
        ...


class Command(Protocol):
    """What is to be changed."""

    def made(self, connection: Connection) -> Any:
        """Make it, in one transaction; returns what came of it."""
        ...


@dataclass(frozen=True, slots=True)
class Reply:
    """An answer together with its question, or what came of a change. `error` says why there is
    none."""

    question: Query | Command
    answer: Any
    error: str = ""


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of a question or a change, on its own: its question stays where it was asked."""

    answer: Any
    error: str = ""


def outcome_of(store: Store, wanted: Command | Query) -> Outcome:
    """Answer a question, or make a change."""
    try:
        if hasattr(wanted, "made"):
            with store.write() as connection:
                return Outcome(wanted.made(connection))
        with store.read() as connection:
            return Outcome(wanted.answered(connection))
    except RookTallyError as error:
        return Outcome(None, str(error))
    except Exception as error:  # noqa: BLE001 - one question that fails must not end all others
        # Loaded late: it takes as long as a tenth of a start.
        import structlog

        structlog.get_logger(__name__).exception("not_answered", of=type(wanted).__name__)
        return Outcome(None, tr("a fault of ours: {0}; the log says more", repr(error)))


class StoreClient:
    """Answers questions and makes changes off the interface thread: in a thread, and once
    `work_apart` was called in a process of its own."""

    def __init__(self, store: Store, *, on_reply: Callable[[Reply], None]) -> None:
        self._store = store
        self._on_reply = on_reply
        self._asked: dict[str, Query] = {}
        self._to_change: deque[Command] = deque()
        self._wake = threading.Condition()
        self._stopping = False
        self._apart: WorkerProcess | None = None
        self._thread = threading.Thread(target=self._run, name="reader", daemon=True)
        self._thread.start()

    def ask(self, question: Query) -> None:
        """Ask; the reply comes through the callback, in the reader's thread."""
        with self._wake:
            self._asked[question.subject] = question
            self._wake.notify()

    def change(self, wanted: Command) -> None:
        """Have something changed; the reply comes as an answer does."""
        with self._wake:
            self._to_change.append(wanted)
            self._wake.notify()

    def work_apart(self) -> None:
        """Have the work done in a process of its own as soon as it is up."""
        from rook_tally.desk.data.worker_process import WorkerProcess

        self._apart = WorkerProcess(self._store.address, outcome_of, spoken())

    @property
    def is_apart(self) -> bool:
        """Whether a process of its own does the work by now."""
        return self._apart is not None and self._apart.is_ready

    @property
    def pid(self) -> int | None:
        """The number of that process."""
        return None if self._apart is None else self._apart.pid

    def stop(self) -> None:
        """End the thread, and the process if there is one, and wait for them."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        self._thread.join()
        if self._apart is not None:
            self._apart.end()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._asked or self._to_change or self._stopping)
                if self._to_change:
                    wanted: Command | Query = self._to_change.popleft()
                elif self._stopping:
                    return
                else:
                    wanted = self._asked.pop(next(iter(self._asked)))
            outcome = self._outcome(wanted)
            self._on_reply(Reply(wanted, outcome.answer, outcome.error))

    def _outcome(self, wanted: Command | Query) -> Outcome:
        apart = self._apart
        if apart is not None and apart.is_ready:
            try:
                told: Outcome = apart.done(wanted)
                return told
            except (EOFError, OSError):
                # It was killed. A change it had begun was never committed, or stands: asking again
                # here is safe for a question only.
                self._apart = None
                apart.end()
                if hasattr(wanted, "made"):
                    return Outcome(None, _LOST)
        return outcome_of(self._store, wanted)


_LOST = (
    "the process that writes to the store was ended from outside; look whether the change was "
    "made, and make it again if not"
)
