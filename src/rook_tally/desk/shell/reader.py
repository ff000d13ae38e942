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
from typing import Any, Protocol

from sqlalchemy.engine import Connection

from rook_tally.core.errors import RookTallyError
from rook_tally.store import Store


class Question(Protocol):
    """What is asked. `subject` names what it is about: a newer question replaces it."""

    @property
    def subject(self) -> str:
        """What it is about."""
        ...

    def answered(self, connection: Connection) -> Any:
        """The answer, read in one transaction."""
        ...


class StoreChange(Protocol):
    """What is to be changed."""

    def made(self, connection: Connection) -> Any:
        """Make it, in one transaction; returns what came of it."""
        ...


@dataclass(frozen=True, slots=True)
class Reply:
    """An answer together with its question, or what came of a change. `error` says why there is
    none."""

    question: Question | StoreChange
    answer: Any
    error: str = ""


class Reader:
    """Answers questions and makes changes in a thread of its own."""

    def __init__(self, store: Store, *, on_reply: Callable[[Reply], None]) -> None:
        self._store = store
        self._on_reply = on_reply
        self._asked: dict[str, Question] = {}
        self._to_change: deque[StoreChange] = deque()
        self._wake = threading.Condition()
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name="reader", daemon=True)
        self._thread.start()

    def ask(self, question: Question) -> None:
        """Ask; the reply comes through the callback, in the reader's thread."""
        with self._wake:
            self._asked[question.subject] = question
            self._wake.notify()

    def change(self, wanted: StoreChange) -> None:
        """Have something changed; the reply comes as an answer does."""
        with self._wake:
            self._to_change.append(wanted)
            self._wake.notify()

    def stop(self) -> None:
        """End the thread and wait for it."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._asked or self._to_change or self._stopping)
                if self._to_change:
                    wanted: StoreChange | Question = self._to_change.popleft()
                elif self._stopping:
                    return
                else:
                    wanted = self._asked.pop(next(iter(self._asked)))
            self._on_reply(self._done(wanted))

    def _done(self, wanted: StoreChange | Question) -> Reply:
        try:
            if hasattr(wanted, "made"):
                with self._store.write() as connection:
                    return Reply(wanted, wanted.made(connection))
            with self._store.read() as connection:
                return Reply(wanted, wanted.answered(connection))
        except RookTallyError as error:
            return Reply(wanted, None, str(error))
