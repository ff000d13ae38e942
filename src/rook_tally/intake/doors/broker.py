"""Our own broker: a private Mosquitto run as a child, for those who have none.

It gets a session of its own, so that it outlives a collector that crashes and keeps what stations
send meanwhile; the next collector finds it again and takes it over.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import secrets
import shutil
import signal
from collections.abc import Sequence
from functools import partial
from pathlib import Path

import msgspec
import structlog

from rook_tally.core.access_policy import KeysWanted
from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.core.errors import DoorError
from rook_tally.core.struct_types import prepare
from rook_tally.intake.addresses import Certificate, Endpoint, OutsideBroker, bound_socket
from rook_tally.intake.door_protocols import DoorReport
from rook_tally.intake.topics import TopicPattern
from rook_tally.store.base.credentials import broker_hash
from rook_tally.store.base.private_files import private_folder
from rook_tally.store.site import DoorState, Station

_READY_WITHIN_S = 10.0
_STOP_WITHIN_S = 5.0
_RESTART_PAUSE_S = 1.0
_LONGEST_LOG = 1_000_000
_OWN_USER = "rook-tally"
_EVERYWHERE = frozenset({"0.0.0.0", "::"})

_ENDED = "the built-in broker ended; starting it again"
_MOVED = "the built-in broker is started at another address"

_log = structlog.get_logger(__name__)

_CONFIGURATION = """\
# Written by Rook Tally at every start.
listener {port} {host}
{tls}allow_anonymous {anonymous}
password_file {folder}/passwords
acl_file {folder}/rights
persistence true
persistence_location {folder}/
autosave_interval 5
# Nothing is dropped while the collector is away or busy; it gets so many at a time.
max_queued_messages 0
max_inflight_messages 2000
max_queued_bytes 0
message_size_limit 1048576
# Told to clients of MQTT 5, which then do not send what is larger.
max_packet_size 1064960
log_dest stderr
log_type error
log_type warning
log_type notice
"""


class _Running(msgspec.Struct, frozen=True):
    """The record of the child, for the next collector to find it."""

    pid: int
    host: str
    port: int


class PrivateBroker:
    """A Mosquitto with its files in `folder`, listening where it is told.

    Each station has its key as password and rights to its own topics. On this machine's own
    address those without a password are let in too, unless keys are wanted from everybody; on the
    network nobody is.
    """

    def __init__(
        self, folder: Path, wanted: Endpoint, certificate: Certificate | None = None
    ) -> None:
        self._folder = folder
        self._wanted = wanted
        self._certificate = certificate
        self._pid = 0
        self._minder: asyncio.Task[None] | None = None
        self._admitted: tuple[str, str] = ("", "")
        # Where it was asked to listen: who needs a key does so while the network is shut out, too.
        self._is_for_this_machine = wanted.is_loopback
        self._takes_anybody = wanted.is_loopback
        self._why_ended = _ENDED
        self.endpoint = wanted

    async def listen_on(self, host: str) -> None:
        """Listen at another of this machine's addresses, on the same port. One that runs is ended
        and started there by who minds it: what it holds for sessions stays on disk."""
        if host == self._wanted.host:
            return
        self._wanted = self.endpoint = Endpoint(host, self.endpoint.port)
        if self._pid:
            self._why_ended = _MOVED
            await _stopped(self._pid)

    async def start(self) -> None:
        """Start it, or take over the one a crashed collector left, and wait until it answers.

        Raises
        ------
        DoorError
            When Mosquitto is not installed, its port is in use, or it does not come up.
        """
        left = self._left_behind()
        if left is not None and self._is_as_wanted(left):
            _log.info("broker_taken_over", pid=left.pid, port=left.port)
            self._pid, self.endpoint = left.pid, Endpoint(left.host, left.port)
            return
        if left is not None:
            await _stopped(left.pid)
        await self._launch()

    @property
    def own_door(self) -> OutsideBroker:
        """The address and password for the collector itself."""
        key = self._own_key_file.read_text()
        host = self.endpoint.host
        if host in _EVERYWHERE:
            host = self.endpoint.on_this_machine.host
        tls = self._certificate is not None
        return OutsideBroker(
            Endpoint(host, self.endpoint.port),
            tls,
            _OWN_USER,
            key,
            authority=self._certificate.chain if self._certificate else None,
            is_own=True,
        )

    def admit(
        self,
        stations: Sequence[Station],
        patterns: Sequence[TopicPattern],
        keys: KeysWanted = KeysWanted.BY_DOOR,
    ) -> None:
        """Let these stations in, each with its key and to its own topics, and nobody else. A broker
        that runs already takes it up at once; to be called once before it is started."""
        private_folder(self._folder)
        self._takes_anybody = self._is_for_this_machine and keys is not KeysWanted.FROM_ALL
        if not self._own_key_file.exists():
            _write_private(self._own_key_file, secrets.token_urlsafe(24))
        key = self._own_key_file.read_text()
        passwords = [f"{_OWN_USER}:{broker_hash(key)}"]
        rights = [_rights_of_anybody(self._takes_anybody), f"user {_OWN_USER}\ntopic #\n"]
        for one in stations:
            if one.broker_hash and ":" not in one.key:
                passwords.append(f"{one.key}:{one.broker_hash}")
                rights.append(_rights_of(one.key, patterns))
        told = ("\n".join(sorted(passwords[1:])), "\n".join(rights))
        if told == self._admitted:
            return
        self._admitted = told
        _write_private(self._folder / "passwords", "\n".join(passwords) + "\n")
        _write_private(self._folder / "rights", "\n".join(rights))
        if self._pid:
            self._configuration_file.write_text(self._configuration(self.endpoint))
            with contextlib.suppress(ProcessLookupError):
                os.kill(self._pid, signal.SIGHUP)

    def mind(self, report: DoorReport, begin: BeginDuty = begin_unwatched) -> None:
        """From now on start it again whenever it ends."""
        self._minder = begin("broker", partial(self._mind, report))

    def keep_log_short(self) -> None:
        """Put its log aside when that has grown; one such stays. It goes on writing to the same
        file, from the beginning."""
        log = self._folder / "mosquitto.log"
        with contextlib.suppress(FileNotFoundError):
            if log.stat().st_size > _LONGEST_LOG:
                shutil.copyfile(log, log.with_suffix(".log.1"))
                os.truncate(log, 0)

    async def stop(self) -> None:
        """End it; its queue and sessions stay on disk."""
        if self._minder is not None:
            self._minder.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._minder
        if self._pid:
            await _stopped(self._pid)
        self._note_file.unlink(missing_ok=True)

    @property
    def _own_key_file(self) -> Path:
        return self._folder / "own-key"

    @property
    def _note_file(self) -> Path:
        return self._folder / "running.json"

    @property
    def _configuration_file(self) -> Path:
        return self._folder / "mosquitto.conf"

    def _left_behind(self) -> _Running | None:
        try:
            left = msgspec.json.decode(self._note_file.read_bytes(), type=_Running)
            words = Path(f"/proc/{left.pid}/cmdline").read_bytes().split(b"\0")
        except (OSError, msgspec.MsgspecError):
            return None
        return left if str(self._configuration_file).encode() in words else None

    def _is_as_wanted(self, left: _Running) -> bool:
        """True if it listens where we want, by the rules we would give it now."""
        there = Endpoint(left.host, left.port)
        if self._wanted not in (there, Endpoint(left.host, 0)):
            return False
        return self._configuration_file.read_text() == self._configuration(there)

    def _configuration(self, endpoint: Endpoint) -> str:
        tls = ""
        if self._certificate is not None:
            chain, key = self._certificate.chain.resolve(), self._certificate.key.resolve()
            tls = f"certfile {chain}\nkeyfile {key}\n"
        text = _CONFIGURATION.format(
            port=endpoint.port,
            host=endpoint.host,
            folder=self._folder,
            tls=tls,
            anonymous="true" if self._takes_anybody else "false",
        )
        # Else it would become another user, who cannot reach the store's folder.
        return text + "user root\n" if os.geteuid() == 0 else text

    async def _launch(self) -> None:
        program = shutil.which("mosquitto") or shutil.which("mosquitto", path="/usr/sbin")
        if program is None:
            raise DoorError(
                "Mosquitto is not installed, so there is no built-in broker",
                remedy="apt-get install mosquitto, give a broker by URL, or use --broker off",
            )
        # Bound for a moment only: Mosquitto has to bind it itself, but says less when it cannot.
        with bound_socket(self._wanted) as probe:
            self.endpoint = Endpoint(self._wanted.host, probe.getsockname()[1])
        self._configuration_file.write_text(self._configuration(self.endpoint))
        log = self._folder / "mosquitto.log"
        with log.open("ab") as written:
            child = await asyncio.create_subprocess_exec(
                program,
                "-c",
                str(self._configuration_file),
                stdin=asyncio.subprocess.DEVNULL,
                stdout=written,
                stderr=written,
                start_new_session=True,
            )
        self._pid = child.pid
        answering = asyncio.create_task(_answers(self.endpoint))
        ended = asyncio.create_task(child.wait())
        done, _ = await asyncio.wait(
            (answering, ended), timeout=_READY_WITHIN_S, return_when=asyncio.FIRST_COMPLETED
        )
        answering.cancel()
        if ended in done or not done:
            last = log.read_text(errors="replace").strip().splitlines()[-1:]
            await _stopped(child.pid)
            self._pid = 0
            raise DoorError(
                f"the built-in broker did not start on {self.endpoint}: {' '.join(last)}",
                remedy="name another port, or use --broker off",
            )
        running = _Running(child.pid, self.endpoint.host, self.endpoint.port)
        self._note_file.write_bytes(msgspec.json.encode(running))

    async def _mind(self, report: DoorReport) -> None:
        while True:
            await _gone(self._pid)
            self._wanted = self.endpoint
            report(DoorState.TRYING, self._why_ended)
            _log.warning("broker_ended", pid=self._pid, why=self._why_ended)
            self._why_ended = _ENDED
            try:
                await self._launch()
            except DoorError as error:
                report(DoorState.TRYING, str(error))
                await asyncio.sleep(_RESTART_PAUSE_S)


def _rights_of_anybody(are_taken: bool) -> str:
    # Stands before all users: it holds for those who name none.
    return "topic readwrite #\n" if are_taken else ""


def _rights_of(key: str, patterns: Sequence[TopicPattern]) -> str:
    """A station speaks for itself alone, and hears what is asked of its controls."""
    topics = [
        f"topic write rook/{key}/readings",
        f"topic write rook/{key}/status",
        f"topic write rook/{key}/controls/+",
        f"topic read rook/{key}/controls/+/set",
        f"topic read rook/{key}/controls/+/for",
        f"topic read rook/{key}/firmware",
        *(f"topic write {told}" for pattern in patterns if (told := pattern.filter_of(key))),
    ]
    return "\n".join([f"user {key}", *topics]) + "\n"


def _write_private(path: Path, text: str) -> None:
    """Write a file that nobody else may read, whole or not at all."""
    beside = path.with_name(path.name + ".new")
    beside.touch(mode=0o600)
    beside.write_text(text)
    beside.replace(path)


async def _answers(endpoint: Endpoint) -> None:
    while True:
        try:
            _, writer = await asyncio.open_connection(endpoint.host, endpoint.port)
        except OSError:
            await asyncio.sleep(0.01)
        else:
            writer.close()
            return


def _is_running(pid: int) -> bool:
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except OSError:
        return False
    return state not in ("Z", "X")


async def _gone(pid: int) -> None:
    # Polled, since a broker taken over is not our child and cannot be waited for.
    while _is_running(pid):
        await asyncio.sleep(0.2)


async def _stopped(pid: int) -> None:
    for number in (signal.SIGTERM, signal.SIGKILL):
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, number)
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(_gone(pid), _STOP_WITHIN_S)
            return


prepare(_Running)
