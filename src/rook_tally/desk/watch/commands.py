"""Commands of the Watch view that can be undone."""

from __future__ import annotations

from dataclasses import dataclass

from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally import clock
from rook_tally.core.alarms.channels import Channel
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.errors import UsageError
from rook_tally.desk.data.conflict import UNCHECKED, Unchecked, check_base
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.watch.texts import tr
from rook_tally.login import login_name
from rook_tally.store.alarms import (
    OutboxItem,
    remove_channel,
    remove_watch,
    save_channel,
    save_watch,
    watches,
    ways,
)
from rook_tally.store.alarms.channel_trial import channel_trial, put_channel_trial
from rook_tally.store.site.heartbeat import working_collectors


@dataclass(frozen=True, slots=True)
class SaveWatch:
    """A watch shall be written down; in place of another when it was renamed."""

    watch: Watch
    instead_of: str = ""
    base: Watch | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> SavedResult[Watch]:
        """Write it.

        Raises
        ------
        ConflictError
            When it is not `base` any more; nothing was written then.
        """
        check_base(
            self.watch.name,
            self.base,
            _watch_called(connection, self.instead_of or self.watch.slug),
        )
        now_us = clock.now_us()
        before = save_watch(connection, self.watch, now_us=now_us, instead_of=self.instead_of)
        if before is None:
            return SavedResult(
                tr("{0} watches from now on", self.watch.name),
                RemoveWatch(self.watch.slug, self.watch),
                self.watch,
            )
        return SavedResult(
            tr("{0} changed", self.watch.name),
            SaveWatch(before, self.watch.slug, self.watch),
            self.watch,
        )


@dataclass(frozen=True, slots=True)
class RemoveWatch:
    """A watch shall be deleted."""

    slug: str
    base: Watch | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it; the journal stays."""
        if not isinstance(self.base, Unchecked):
            check_base(self.base.name, self.base, _watch_called(connection, self.slug))
        gone = remove_watch(connection, self.slug)
        return UndoableResult(tr("{0} deleted", gone.name), SaveWatch(gone, base=None))


def _watch_called(connection: Connection, slug: str) -> Watch | None:
    return next((one for one in watches(connection) if one.slug == slug), None)


@dataclass(frozen=True, slots=True)
class SaveChannel:
    """A channel shall be written down, or changed. A password or secret that the person did not
    touch stays as it is by then: the collector may have moved it meanwhile."""

    way: Channel
    base: Channel | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it.

        Raises
        ------
        ConflictError
            When it is not `base` any more, but for its password; nothing was written then.
        """
        before = _channel_called(connection, self.way.name)
        _check_channel(self.way.name, self.base, before)
        save_channel(connection, self._with_secret_of(before))
        words = tr("{0} saved", self.way.name)
        if before is None:
            return UndoableResult(words, RemoveChannel(self.way.name, self.way))
        return UndoableResult(words, SaveChannel(before, self.way))

    def _with_secret_of(self, now: Channel | None) -> Channel:
        base = self.base
        if now is None or not isinstance(base, Channel) or base.own_secret != self.way.own_secret:
            return self.way
        return replace(self.way, password=now.password, secret=now.secret, apart=now.apart)


@dataclass(frozen=True, slots=True)
class TestChannel:
    """A test shall be sent by a channel; answers with the key of its notice."""

    # Not one of pytest's.
    __test__ = False

    name: str
    now_us: int

    def apply(self, connection: Connection) -> str:
        """Put it into the outbox.

        Raises
        ------
        UsageError
            When there is no such channel, or nobody runs who would tell it.
        """
        if not working_collectors(connection, now_us=self.now_us):
            raise UsageError(tr("No collector runs, and nobody else tells anybody."))
        return put_channel_trial(connection, self.name, who=login_name(), now_us=self.now_us)


@dataclass(frozen=True, slots=True)
class ChannelTrialQuery:
    """Reads the outbox item of a channel's test."""

    key: str

    def run(self, connection: Connection) -> OutboxItem | None:
        """Look it up."""
        return channel_trial(connection, self.key)


@dataclass(frozen=True, slots=True)
class RemoveChannel:
    """A channel shall be deleted."""

    name: str
    base: Channel | Unchecked = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it; refused while a watch uses it."""
        before = _channel_called(connection, self.name)
        _check_channel(self.name, self.base, before)
        remove_channel(connection, self.name)
        return UndoableResult(
            tr("{0} deleted", self.name), None if before is None else SaveChannel(before, None)
        )


def _channel_called(connection: Connection, name: str) -> Channel | None:
    return next((one for one in ways(connection) if one.name == name), None)


def _check_channel(name: str, base: Channel | Unchecked | None, now: Channel | None) -> None:
    def told(one: Channel) -> Channel:
        # What is said of a conflict is read by whoever looks on.
        return replace(one, password="", secret="", apart="")

    check_base(
        name, told(base) if isinstance(base, Channel) else base, None if now is None else told(now)
    )
