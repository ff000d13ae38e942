"""Queries and commands: asked from the window, carried out off its thread, answered to who asked.

A query or a command is a frozen value bearing its own inputs. `read` and `write` take, beside it,
the function that gets the result, which is called in the interface thread. Of several queries of
one type by one asker that still wait only the newest is run. Commands are all applied, in order.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar, Generic, Protocol, TypeAlias, TypeVar

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.clock import now_us
from rook_tally.core.errors import RookTallyError
from rook_tally.core.i18n import spoken
from rook_tally.desk.data.texts import tr
from rook_tally.login import login_name
from rook_tally.store.base import Store

if TYPE_CHECKING:
    from rook_tally.desk.data.worker_process import WorkerProcess

_MOST_RESTARTS = 5
_LEFT_READ_S = 0.3

T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)

Deliver: TypeAlias = Callable[[Callable[[], None]], None]
"""Has a function called in the interface thread."""
OnError: TypeAlias = Callable[[str], None]
"""Gets the error's text, for people."""


class Query(Protocol[T_co]):
    """Something to read from the store."""

    def run(self, connection: Connection) -> T_co:
        """Read the result, in one transaction."""
        ...


class Command(Protocol[T_co]):
    """Something to change in the store."""

    def apply(self, connection: Connection) -> T_co:
        """Make the change, in one transaction, and return its result."""
        ...


class Success(msgspec.Struct, Generic[T_co], frozen=True):
    """A query or a command that was carried out."""

    result: T_co


class Failure(msgspec.Struct, frozen=True):
    """One that was not, and why, for people."""

    error: str


Outcome: TypeAlias = Success[T] | Failure


@dataclass(frozen=True)
class Read(Generic[T]):
    """A query as a job: of this process or of the worker process."""

    query: Query[T]
    can_be_repeated: ClassVar[bool] = True

    def carry_out(self, store: Store) -> Outcome[T]:
        """Run the query."""
        return _outcome(self._result, store, type(self.query).__name__)

    def _result(self, store: Store) -> T:
        with store.read() as connection:
            return self.query.run(connection)


@dataclass(frozen=True)
class Write(Generic[T]):
    """A command as a job. Nobody knows whether one that was cut off was committed."""

    command: Command[T]
    can_be_repeated: ClassVar[bool] = False

    def carry_out(self, store: Store) -> Outcome[T]:
        """Apply the command."""
        return _outcome(self._result, store, type(self.command).__name__)

    def _result(self, store: Store) -> T:
        # Loaded late: nothing is written at the start.
        from rook_tally.store.site.change_history import noting_changes

        with (
            store.write() as connection,
            noting_changes(connection, who=login_name(), now_us=now_us()),
        ):
            return self.command.apply(connection)


def _outcome(call: Callable[[Store], T], store: Store, name: str) -> Outcome[T]:
    try:
        return Success(call(store))
    except RookTallyError as error:
        return Failure(str(error))
    except Exception as error:  # noqa: BLE001 - one job that fails must not end all others
        # Loaded late: it takes as long as a tenth of a start.
        import structlog

        structlog.get_logger(__name__).exception("not_answered", of=name)
        return Failure(tr("a fault of ours: {0}; the log says more", repr(error)))


class StoreClient:
    """Runs queries and applies commands in a thread of its own; once `work_apart` was called, in a
    process of its own.

    Attributes
    ----------
    on_written
        Called with every command that `write` applied and its outcome, before who asked for it.
    on_trouble
        Called with the error of a query whose asker takes none, and when the process that works
        apart had to be started again.
    """

    def __init__(self, store: Store, *, deliver: Deliver) -> None:
        self._store = store
        self._deliver = deliver
        self._is_patient = False
        self.on_written: Callable[[Command[object], Outcome[object]], None] | None = None
        self.on_trouble: OnError | None = None
        # What waits: by asker and the query's type, and in order. Each returns what is to be
        # delivered.
        self._reads: dict[tuple[int, type], Callable[[], Callable[[], None]]] = {}
        self._writes: deque[Callable[[], Callable[[], None]]] = deque()
        # Of the window's own thread: writes whose outcome it has not heard, and who waits for them.
        self._unanswered = 0
        self._waiting: deque[Callable[[], None]] = deque()
        self._wake = threading.Condition()
        self._stopping = False
        self._is_reading = self._is_busy = False
        self._apart: WorkerProcess | None = None
        self._restarts = 0
        self._thread = threading.Thread(target=self._run, name="store client", daemon=True)
        self._thread.start()

    def read(
        self,
        query: Query[T],
        on_result: Callable[[T], None],
        on_error: OnError | None = None,
        *,
        asker: object = None,
    ) -> None:
        """Run a query; without `on_error` a failure goes to `on_trouble`."""
        job = Read(query)
        on_failed = on_error if on_error is not None else self._tell_trouble
        with self._wake:
            # It keeps its turn: one that is asked again and again would never be run.
            self._reads[id(asker), type(query)] = lambda: _answer(
                self._outcome(job), on_result, on_failed
            )
            self._wake.notify()

    def write(
        self,
        command: Command[T],
        on_done: Callable[[T], None] | None = None,
        on_error: OnError | None = None,
    ) -> None:
        """Apply a command. `on_written` hears of it first."""
        self._submit(command, on_done, on_error, is_told=True)

    def write_untold(
        self, command: Command[T], on_done: Callable[[T], None], on_error: OnError
    ) -> None:
        """Apply a command of `on_written`'s own, which does not hear of it."""
        self._submit(command, on_done, on_error, is_told=False)

    def after_writes(self, call: Callable[[], None]) -> None:
        """Call once every write has been answered that was asked for before; at once when that is
        so."""
        self._waiting.append(call)
        self._call_waiting()

    def _call_waiting(self) -> None:
        # One at a time: the first may write, and the second then waits for that too.
        while self._waiting and not self._unanswered:
            self._waiting.popleft()()

    def scope(self) -> ClientScope:
        """The client for somebody who may be gone before an answer comes."""
        return ClientScope(self)

    def work_apart(self, *, is_patient: bool = False) -> None:
        """Have the work done in a process of its own as soon as it is up; a patient one lets
        everything else go first."""
        from rook_tally.desk.data.worker_process import WorkerProcess

        self._is_patient = is_patient
        self._apart = WorkerProcess(self._store.address, spoken(), is_patient=is_patient)

    @property
    def is_apart(self) -> bool:
        """True if a process of its own does the work by now."""
        return self._apart is not None and self._apart.is_ready

    @property
    def is_idle(self) -> bool:
        """True if nothing waits and nothing is under way; answers may still be on their way."""
        with self._wake:
            return not (self._reads or self._writes or self._is_busy)

    @property
    def pid(self) -> int | None:
        """The number of that process."""
        return None if self._apart is None else self._apart.pid

    def stop(self) -> None:
        """End the thread, and the process if there is one, and wait for them."""
        with self._wake:
            self._stopping = True
            self._reads.clear()
            self._wake.notify()
            apart = self._apart if self._is_reading else None
        if apart is not None:
            # Nobody waits for what it reads any more. What is to be written is written.
            apart.end_at_once()
        # A read in this process cannot be cut off, and a window that closes does not wait for it.
        self._thread.join(_LEFT_READ_S if self._is_reading else None)
        if self._apart is not None:
            self._apart.end()

    def _submit(
        self,
        command: Command[T],
        on_done: Callable[[T], None] | None,
        on_error: OnError | None,
        *,
        is_told: bool,
    ) -> None:
        job = Write(command)

        def work() -> Callable[[], None]:
            outcome = self._outcome(job)
            answer = _answer(outcome, on_done, on_error)

            def deliver() -> None:
                self._unanswered -= 1
                if is_told and self.on_written is not None:
                    self.on_written(command, outcome)
                answer()
                self._call_waiting()

            return deliver

        self._unanswered += 1
        with self._wake:
            self._writes.append(work)
            self._wake.notify()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._is_busy = False
                self._wake.wait_for(lambda: self._reads or self._writes or self._stopping)
                self._is_busy = True
                self._is_reading = False
                if self._writes:
                    work = self._writes.popleft()
                elif self._stopping:
                    return
                else:
                    work = self._reads.pop(next(iter(self._reads)))
                    self._is_reading = True
            done = work()
            self._is_reading = False
            self._deliver(done)

    def _outcome(self, job: Read[T] | Write[T]) -> Outcome[T]:
        apart = self._apart
        if apart is not None and apart.is_ready and not apart.is_alive:
            # It is gone, and nothing of this was sent to it: nothing can have been lost.
            self._replace_worker(apart)
            apart = None
        if apart is not None and apart.is_ready:
            try:
                return apart.done(job)
            except (EOFError, OSError):
                # It was killed. A command it had begun was never committed, or stands: asking
                # again here is safe for a query only.
                self._replace_worker(apart)
                if not job.can_be_repeated:
                    return Failure(tr(_LOST))
            except Exception as error:  # noqa: BLE001 - the thread must outlive what one job does
                import structlog

                structlog.get_logger(__name__).exception("not_handed_over")
                # Nobody knows how much of it went through the pipe.
                self._replace_worker(apart)
                return Failure(tr("a fault of ours: {0}; the log says more", repr(error)))
            if self._stopping and job.can_be_repeated:
                return Failure("")
        return job.carry_out(self._store)

    def _replace_worker(self, gone: WorkerProcess) -> None:
        """Work in this thread until another process is up; after some, for good."""
        self._apart = None
        gone.end()
        self._restarts += 1
        if self._restarts > _MOST_RESTARTS or self._stopping:
            return
        self.work_apart(is_patient=self._is_patient)
        words = tr("The process that reads the store had ended; another one was started.")
        self._deliver(lambda: self._tell_trouble(words))

    def _tell_trouble(self, error: str) -> None:
        if self.on_trouble is not None:
            self.on_trouble(error)


class ClientScope:
    """A client whose answers are dropped once it is closed."""

    def __init__(self, client: StoreClient) -> None:
        self._client = client
        self._is_open = True

    def read(
        self, query: Query[T], on_result: Callable[[T], None], on_error: OnError | None = None
    ) -> None:
        """As `StoreClient.read`, beside what others ask."""
        on_failed = None if on_error is None else self._while_open(on_error)
        self._client.read(query, self._while_open(on_result), on_failed, asker=self)

    def write(
        self,
        command: Command[T],
        on_done: Callable[[T], None] | None = None,
        on_error: OnError | None = None,
    ) -> None:
        """As `StoreClient.write`; the command is applied even when this is closed meanwhile."""
        self._client.write(command, self._while_open(on_done), self._while_open(on_error))

    def scope(self) -> ClientScope:
        """Another one beside it, closed by itself."""
        return ClientScope(self._client)

    def close(self) -> None:
        """Call back no more."""
        self._is_open = False

    def _while_open(self, call: Callable[[T], None] | None) -> Callable[[T], None]:
        def call_if_open(value: T) -> None:
            if self._is_open and call is not None:
                call(value)

        return call_if_open


def _answer(
    outcome: Outcome[T], on_result: Callable[[T], None] | None, on_error: OnError | None
) -> Callable[[], None]:
    """The call that answers with an outcome."""

    def answer() -> None:
        if isinstance(outcome, Failure):
            if on_error is not None:
                on_error(outcome.error)
        elif on_result is not None:
            on_result(outcome.result)

    return answer


_LOST = (
    "the process that writes to the store was ended from outside; look whether the change was "
    "made, and make it again if not"
)
