"""Firmware of a kind as the window shows it: images, how one is given out, and what can be done."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.firmware.images import FirmwareImage
from rook_tally.core.firmware.rollout import Rollout, RolloutStage, RolloutState, UpdateState
from rook_tally.core.firmware.standing import StationStanding, standings
from rook_tally.core.quantities.kinds import PLAIN, Kind
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.stations.texts import tr, tr_count
from rook_tally.login import login_name
from rook_tally.store.site import kinds, load_site
from rook_tally.store.site.firmware import ImageDraft, add_image, images, remove_image, rollout_of
from rook_tally.store.site.firmware_rollouts import (
    FirmwareOfKind,
    RolloutStep,
    begin_rollout,
    change_rollout,
    firmware_of,
    set_rollout,
)
from rook_tally.store.site.heard import listened_since

WATCHED_S = (600.0, 3600.0, 6 * 3600.0, 86400.0)
"""How long those that took an image may be watched before the next step, to choose from."""
SHARES = (10, 25, 50)
"""Of the second step, percent."""


@dataclass(frozen=True, slots=True)
class FirmwarePage:
    """What the dialog shows: kinds by slug, those with stations or images first, and all of one."""

    kinds: dict[str, str]
    told: FirmwareOfKind
    stations: tuple[StationStanding, ...]

    @property
    def state_words(self) -> str:
        """How an image is given out, in a line."""
        rollout, image = self.told.rollout, self.told.given_out
        if not self.stations:
            return tr("No station of this kind has been added yet.")
        if rollout is None or image is None:
            return tr("Nothing is given out.")
        words = tr("{0} is {1}", image.version, tr(rollout.state.words(rollout.stage)))
        if rollout.state is RolloutState.STOPPED:
            return f"{words}: {tr(rollout.why)}."
        took = sum(one.state is UpdateState.RUNS for one in self.stations)
        asking = sum(one.state is not UpdateState.NEVER_ASKED for one in self.stations)
        return f"{words}. " + tr("{0} of {1} that ask run it.", took, asking)

    @property
    def is_stopped(self) -> bool:
        """True if it stopped by itself."""
        return self.told.rollout is not None and self.told.rollout.state is RolloutState.STOPPED

    def allows(self, step: RolloutStep) -> bool:
        """True if that can be done with what is given out."""
        rollout = self.told.rollout
        if rollout is None:
            return False
        match step:
            case RolloutStep.NEXT:
                is_running = rollout.state is RolloutState.RUNNING
                return is_running and rollout.stage.next is not None
            case RolloutStep.PAUSE:
                return rollout.state is RolloutState.RUNNING
            case RolloutStep.RESUME:
                return rollout.state in (RolloutState.PAUSED, RolloutState.STOPPED)
            case RolloutStep.WITHDRAW:
                return True

    def can_remove(self, image: FirmwareImage) -> bool:
        """True if an image is not given out."""
        return self.told.rollout is None or self.told.rollout.image != image.id

    def can_offer(self) -> bool:
        """True if no image is on its way."""
        rollout = self.told.rollout
        return rollout is None or rollout.state is not RolloutState.RUNNING

    def image_cells(self, image: FirmwareImage) -> tuple[str, ...]:
        """An image as cells: version, size, state, what is new in it."""
        rollout = self.told.rollout
        is_given = rollout is not None and rollout.image == image.id
        state = tr(rollout.state.words(rollout.stage)) if rollout is not None and is_given else ""
        return image.version, size_words(image.size), state, image.notes


@dataclass(frozen=True, slots=True)
class FirmwareQuery:
    """Asks for the firmware of a kind; of the first where none is told."""

    kind: str
    now_us: int

    def run(self, connection: Connection) -> FirmwarePage:
        """Read it."""
        known = kinds(connection)
        used = {one.kind.slug for one in load_site(connection).stations}
        used |= {one.kind for one in images(connection)}
        # Those of stations come first; an image may be there before any station is.
        used |= {self.kind} - {""}
        slugs = [*sorted(used), *sorted(known.keys() - used - {PLAIN.slug})]
        names = {slug: _name(known.get(slug), slug) for slug in slugs}
        kind = self.kind or next(iter(names), "")
        told = firmware_of(connection, kind)
        rows = standings(
            told.rollout,
            told.given_out,
            told.updates,
            now_us=self.now_us,
            since_us=listened_since(connection),
        )
        return FirmwarePage(names, told, tuple(rows))


def _name(kind: Kind | None, slug: str) -> str:
    return slug if kind is None else tr(kind.name)


@dataclass(frozen=True, slots=True)
class AddImage:
    """The file shall be an image of a kind."""

    kind: str
    version: str
    path: Path
    notes: str
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Read and keep it.

        Raises
        ------
        UsageError
            When it cannot be read, or cannot be an image.
        """
        try:
            body = self.path.read_bytes()
        except OSError as error:
            raise UsageError(
                tr("{0} cannot be read: {1}", self.path, error.strerror),
                kept=tr("nothing was changed"),
                remedy=tr("name another file"),
            ) from None
        draft = ImageDraft(self.kind, self.version, body, self.notes)
        return KeepImage(draft, self.now_us).apply(connection)


@dataclass(frozen=True, slots=True)
class KeepImage:
    """An image shall be kept."""

    draft: ImageDraft
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Keep it."""
        kept = add_image(connection, self.draft, who=login_name(), now_us=self.now_us)
        inverse = RemoveImage(kept.kind, kept.version, self.now_us)
        return UndoableResult(tr("image {0} added", kept.version), inverse)


@dataclass(frozen=True, slots=True)
class RemoveImage:
    """An image shall be deleted."""

    kind: str
    version: str
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        gone = remove_image(connection, self.kind, self.version)
        return UndoableResult(tr("image {0} deleted", gone.version), KeepImage(gone, self.now_us))


@dataclass(frozen=True, slots=True)
class OfferImage:
    """An image shall be given out."""

    kind: str
    version: str
    wanted: Rollout
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Begin."""
        before = rollout_of(connection, self.kind)
        begin_rollout(connection, self.kind, self.version, self.wanted, now_us=self.now_us)
        return UndoableResult(
            tr("image {0} is offered", self.version), SetRollout(self.kind, before)
        )


@dataclass(frozen=True, slots=True)
class StepRollout:
    """A step shall be done with what is given out."""

    kind: str
    step: RolloutStep
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Do it."""
        before = change_rollout(connection, self.kind, self.step, now_us=self.now_us)
        return UndoableResult(
            tr("firmware of {0} changed", self.kind), SetRollout(self.kind, before)
        )


@dataclass(frozen=True, slots=True)
class SetRollout:
    """What is given out shall be as this says."""

    kind: str
    rollout: Rollout | None

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it down."""
        before = rollout_of(connection, self.kind)
        set_rollout(connection, self.kind, self.rollout)
        return UndoableResult(
            tr("firmware of {0} changed", self.kind), SetRollout(self.kind, before)
        )


def rollout_from(first: str, share: int, watch_s: float, *, at_once: bool) -> Rollout:
    """The rollout that is chosen."""
    stage = RolloutStage.ALL if at_once else RolloutStage.ONE
    return Rollout(0, stage=stage, first=first, share=share / 100, watch_s=watch_s)


def size_words(size: int) -> str:
    """The size of an image, for people."""
    if size < 10_000:
        return tr_count(size, "1 byte", "{0} bytes")
    return tr("{0} kB", f"{size / 1000:.0f}")
