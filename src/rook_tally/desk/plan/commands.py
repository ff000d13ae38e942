"""Commands about plans; each is taken back with Ctrl+Z."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.plans import checked_picture
from rook_tally.desk.data.site_commands import recorded
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.plan.texts import tr
from rook_tally.store.site.plans import (
    describe_where,
    hang,
    keep_picture,
    put_plan,
    remove_plan,
    rename_plan,
    unhang,
)


@dataclass(frozen=True, slots=True)
class PutPlan:
    """A picture shall be a plan, or that of one."""

    name: str
    picture: bytes
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Put it up."""
        return recorded(
            connection,
            tr("{0} put up", self.name),
            lambda one: put_plan(one, self.name, self.picture, now_us=self.now_us),
        )


@dataclass(frozen=True, slots=True)
class RenamePlan:
    """A plan shall be called otherwise."""

    old: str
    new: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Rename it."""
        words = tr("{0} is called {1}", self.old, self.new)
        return recorded(connection, words, lambda one: rename_plan(one, self.old, self.new))


@dataclass(frozen=True, slots=True)
class RemovePlan:
    """A plan shall be gone; its stations stay."""

    name: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Remove it."""
        words = tr("{0} removed", self.name)
        return recorded(connection, words, lambda one: remove_plan(one, self.name))


@dataclass(frozen=True, slots=True)
class Hang:
    """A station shall hang somewhere on a plan; with `at` None nowhere on it."""

    plan: str
    station_id: int
    key: str
    at: tuple[float, float] | None

    def apply(self, connection: Connection) -> UndoableResult:
        """Hang it there, or take it off."""
        plan, number, at = self.plan, self.station_id, self.at
        if at is None:
            words = tr("{0} taken off {1}", self.key, plan)
            return recorded(connection, words, lambda one: unhang(one, plan, number))
        words = tr("{0} hung on {1}", self.key, plan)
        return recorded(connection, words, lambda one: hang(one, plan, number, at))


@dataclass(frozen=True, slots=True)
class SayWhere:
    """A station hangs where these words, and a photograph, say; None leaves the photograph."""

    station_id: int
    key: str
    words: str
    photograph_id: int | None
    photograph: bytes | None
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it down."""

        def say(one: Connection) -> None:
            number = self.photograph_id
            if self.photograph is not None:
                number = keep_picture(one, checked_picture(self.photograph), now_us=self.now_us)
            describe_where(one, self.station_id, words=self.words, photograph=number)

        return recorded(connection, tr("where {0} hangs", self.key), say)
