"""Questions answered in a process of their own, so that no frame of the window waits for Python.

Threads of one process take turns in Python: while a year of eight lanes is being read, a frame of
panning took 30 ms where it takes 6. What is asked and answered are plain values, so they can go
through a pipe. Without Qt: the process loads only what a question needs.
"""

from __future__ import annotations

import io
import multiprocessing
import os
import pickle
import signal
from multiprocessing.connection import Connection as Pipe
from typing import Protocol, TypeVar, cast

from rook_tally.core.i18n import Catalogue, speak
from rook_tally.core.malloc_tuning import FOR_A_WINDOW_MB, keep_freed_memory
from rook_tally.core.moment_words import ClockStyle, DateStyle, write_moments, written
from rook_tally.core.quantities.number_format import decimal_mark, write_with
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import Site

_STOP_WITHIN_S = 5.0
_PATIENCE = 10
"""By so much its niceness is higher than the window's."""

R = TypeVar("R")
R_co = TypeVar("R_co", covariant=True)


class Job(Protocol[R_co]):
    """A piece of work: a plain value, which goes through a pipe."""

    def carry_out(self, store: Store) -> R_co:
        """Do it, and return what goes back."""
        ...


class _SiteSender(pickle.Pickler):
    """Writes values for the other end. A site, which most questions carry, is written once: with
    2,400 series it takes a tenth of a second of the window's own Python."""

    def __init__(self) -> None:
        self._buffer = io.BytesIO()
        super().__init__(self._buffer, pickle.HIGHEST_PROTOCOL)
        self._sent: Site | None = None

    def persistent_id(self, value: object) -> bytes | None:
        """The site's bytes, empty for the one that was sent last; None for anything else."""
        if not isinstance(value, Site):
            return None
        if value is self._sent:
            return b""
        self._sent = value
        return pickle.dumps(value, pickle.HIGHEST_PROTOCOL)

    def written(self, value: object) -> bytes:
        """A value as bytes for `_SiteReceiver`."""
        self._buffer.seek(0)
        self._buffer.truncate()
        self.clear_memo()
        try:
            self.dump(value)
        except BaseException:
            # Nobody knows whether the other end will have seen the site.
            self._sent = None
            raise
        return self._buffer.getvalue()


class _SiteReceiver:
    """Reads what a `_SiteSender` wrote, and keeps the site that came last."""

    def __init__(self) -> None:
        self.site: Site | None = None

    def read(self, written: bytes) -> object:
        """The value."""
        return _Reader(written, self).load()


class _Reader(pickle.Unpickler):
    def __init__(self, written: bytes, receiver: _SiteReceiver) -> None:
        super().__init__(io.BytesIO(written))
        self._receiver = receiver

    def persistent_load(self, written: bytes) -> Site | None:
        if written:
            self._receiver.site = pickle.loads(written)
        return self._receiver.site


class WorkerProcess:
    """A process that carries out jobs with a store, one after the other.

    It ends with the process it belongs to, however that ends: its pipe is closed then. `catalogue`
    is how it says things. One that is patient lets everything else on the machine go first.
    """

    def __init__(self, address: str, catalogue: Catalogue, *, is_patient: bool = False) -> None:
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._is_ready = False
        self._sender = _SiteSender()
        # The address may hold a password; this way it is not among the words everybody can see.
        self._process = context.Process(
            target=_serve,
            args=(theirs, address, catalogue, decimal_mark(), written(), is_patient),
            name="rook-tally-reader",
            daemon=True,
        )
        self._process.start()
        theirs.close()

    @property
    def is_ready(self) -> bool:
        """True if it has opened the store and waits for work."""
        if not self._is_ready and not self._pipe.closed and self._pipe.poll():
            try:
                self._is_ready = self._pipe.recv()
            except EOFError:
                return False
        return self._is_ready

    @property
    def is_alive(self) -> bool:
        """False once it has ended, however."""
        return self._process.is_alive()

    @property
    def pid(self) -> int | None:
        """The process's number."""
        return self._process.pid

    def done(self, job: Job[R]) -> R:
        """Have a job carried out, and wait for what comes back.

        Raises
        ------
        EOFError, OSError
            When the process is gone.
        """
        self._pipe.send_bytes(self._sender.written(job))
        result: R = self._pipe.recv()
        return result

    def end_at_once(self) -> None:
        """Kill it: whoever waits for an answer learns that there is none."""
        self._process.kill()

    def end(self) -> None:
        """Let it go."""
        self._pipe.close()
        self._process.join(_STOP_WITHIN_S)
        if self._process.is_alive():
            self._process.kill()
            self._process.join()


def _serve(
    pipe: Pipe,
    address: str,
    catalogue: Catalogue,
    mark: str,
    moments: tuple[DateStyle, ClockStyle],
    is_patient: bool,
) -> None:
    """Carry out jobs until the pipe is closed."""
    if is_patient:
        os.nice(_PATIENCE)
    # Ctrl+C in a terminal reaches everybody; the window decides when it is over.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    keep_freed_memory(FOR_A_WINDOW_MB)
    speak(catalogue)
    write_with(mark)
    write_moments(*moments)
    store, receiver = open_store(address), _SiteReceiver()
    try:
        pipe.send(True)
        while True:
            job = cast("Job[object]", receiver.read(pipe.recv_bytes()))
            pipe.send(job.carry_out(store))
    except (EOFError, BrokenPipeError, ConnectionResetError):
        pass
    finally:
        store.close()
