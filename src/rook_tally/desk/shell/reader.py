"""Questions to the store that take a while: asked from the window, answered in another thread.

A question is a frozen value bearing its own inputs. Of several questions about one subject only
the newest is answered; an answer that comes too late is dropped by whoever asked.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

from sqlalchemy.engine import Connection

from rook_tally.core.errors import StoreError
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


@dataclass(frozen=True, slots=True)
class Reply:
    """An answer together with its question. `error` is set when the store could not be read."""

    question: Question
    answer: Any
    error: str = ""


class Reader:
    """Answers questions in a thread of its own, the newest of each subject only."""

    def __init__(self, store: Store, *, on_reply: Callable[[Reply], None]) -> None:
        self._store = store
        self._on_reply = on_reply
        self._asked: dict[str, Question] = {}
        self._wake = threading.Condition()
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name="reader", daemon=True)
        self._thread.start()

    def ask(self, question: Question) -> None:
        """Ask; the reply comes through the callback, in the reader's thread."""
        with self._wake:
            self._asked[question.subject] = question
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
                self._wake.wait_for(lambda: self._asked or self._stopping)
                if self._stopping:
                    return
                question = self._asked.pop(next(iter(self._asked)))
            try:
                with self._store.read() as connection:
                    reply = Reply(question, question.answered(connection))
            except StoreError as error:
                reply = Reply(question, None, str(error))
            self._on_reply(reply)
