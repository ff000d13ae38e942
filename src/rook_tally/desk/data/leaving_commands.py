"""What leaves this machine, and the switch of each way out."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.forwards.definitions import Forward
from rook_tally.core.ways_out import WayOutSort
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.leaving.ways_out import WayOut, ways_out
from rook_tally.login import login_name
from rook_tally.store.site.closed_ways import switch_way
from rook_tally.store.site.forwards import (
    ForwardState,
    forward_called,
    forwards,
    keep_state,
    remove_forward,
    save_forward,
)
from rook_tally.store.site.page_devices import page_setting, set_page
from rook_tally.store.site.read_keys import ReadKey, keep_read_key, revoke_read_key


@dataclass(frozen=True, slots=True)
class WaysOutQuery:
    """Asks for every way out."""

    now_us: int

    def run(self, connection: Connection) -> tuple[WayOut, ...]:
        """Read them."""
        return tuple(ways_out(connection, now_us=self.now_us))


@dataclass(frozen=True, slots=True)
class SwitchForward:
    """A forward shall hand on, or stop; it goes on where it was."""

    name: str
    is_on: bool
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Switch it."""
        told, _ = forward_called(connection, self.name)
        changed = msgspec.structs.replace(told, is_on=self.is_on)
        save_forward(connection, changed, who=login_name(), now_us=self.now_us)
        words = (
            tr("{0} hands on", told.slug) if self.is_on else tr("{0} hands nothing on", told.slug)
        )
        return UndoableResult(words, SwitchForward(self.name, told.is_on, self.now_us))


@dataclass(frozen=True, slots=True)
class ForwardDraft:
    """The forward that a form alters, None for a new one, and the names of all forwards."""

    told: Forward | None
    names: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ForwardDraftQuery:
    """Asks for what the form of a forward begins with."""

    name: str

    def run(self, connection: Connection) -> ForwardDraft:
        """Read it."""
        known = [told for told, _ in forwards(connection)]
        told = next((one for one in known if one.slug == self.name), None)
        return ForwardDraft(told, tuple(one.slug for one in known))


@dataclass(frozen=True, slots=True)
class SaveForward:
    """A forward shall be as this says: send what comes from now on, or all since `from_us`."""

    told: Forward
    now_us: int
    from_us: int | None = None

    def apply(self, connection: Connection) -> UndoableResult:
        """Save it."""
        before = {one.slug: (one, state) for one, state in forwards(connection)}
        was = before.get(self.told.slug)
        save_forward(
            connection, self.told, who=login_name(), now_us=self.now_us, from_us=self.from_us
        )
        if was is None:
            words, inverse = tr("{0} hands on", self.told.slug), RemoveForward(self.told.slug)
            return UndoableResult(words, inverse)
        return UndoableResult(tr("{0} saved", self.told.slug), BringForwardBack(*was))


@dataclass(frozen=True, slots=True)
class RemoveForward:
    """A forward shall be no more."""

    name: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        was = forward_called(connection, self.name)
        remove_forward(connection, self.name)
        return UndoableResult(tr("{0} deleted", was[0].slug), BringForwardBack(*was))


@dataclass(frozen=True, slots=True)
class BringForwardBack:
    """A forward shall be as it was, and go on where it was."""

    told: Forward
    state: ForwardState

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it down."""
        now = {one.slug: (one, state) for one, state in forwards(connection)}.get(self.told.slug)
        save_forward(connection, self.told, who=self.state.allowed_by, now_us=self.state.allowed_us)
        keep_state(connection, self.told.slug, self.state)
        inverse = RemoveForward(self.told.slug) if now is None else BringForwardBack(*now)
        return UndoableResult(tr("{0} is as it was", self.told.slug), inverse)


@dataclass(frozen=True, slots=True)
class SwitchPages:
    """Pages shall be served, or not."""

    is_on: bool

    def apply(self, connection: Connection) -> UndoableResult:
        """Switch them."""
        before = page_setting(connection)
        set_page(connection, msgspec.structs.replace(before, is_on=self.is_on))
        words = tr("pages are served") if self.is_on else tr("no page is served")
        return UndoableResult(words, SwitchPages(before.is_on))


@dataclass(frozen=True, slots=True)
class SwitchWay:
    """A channel, a polled address or the announcement shall be used, or not."""

    sort: WayOutSort
    name: str
    is_on: bool

    def apply(self, connection: Connection) -> UndoableResult:
        """Switch it."""
        was_on = switch_way(connection, self.sort, self.name, is_on=self.is_on)
        words = (
            tr("{0} is used again", self.name)
            if self.is_on
            else tr("nothing leaves by {0} any more", self.name)
        )
        return UndoableResult(words, SwitchWay(self.sort, self.name, was_on))


@dataclass(frozen=True, slots=True)
class RevokeReadKey:
    """A read key shall read no longer."""

    name: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Revoke it."""
        gone = revoke_read_key(connection, self.name)
        return UndoableResult(tr("{0} reads no longer", gone.name), BringReadKeyBack(gone))


@dataclass(frozen=True, slots=True)
class BringReadKeyBack:
    """A revoked key shall read again."""

    key: ReadKey

    def apply(self, connection: Connection) -> UndoableResult:
        """Let it in."""
        keep_read_key(connection, self.key)
        return UndoableResult(tr("{0} reads again", self.key.name), RevokeReadKey(self.key.name))
