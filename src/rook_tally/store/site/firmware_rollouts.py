"""Rollouts: which stations of a kind are offered which image, and how far each has come."""

from __future__ import annotations

import enum

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.firmware.images import FirmwareImage, is_newer
from rook_tally.core.firmware.rollout import Rollout, RolloutState, StationUpdate, offered_to
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import access_hash
from rook_tally.store.site.firmware import (
    NOTHING_CHANGED,
    image_called,
    images,
    is_intact,
    rollout_of,
)
from rook_tally.store.site.heard import last_heard
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.site.station_attributes import FIRMWARE, save_attributes, station_words


class AskingStation(msgspec.Struct, frozen=True):
    """A station as far as its firmware goes."""

    id: int
    key: str
    kind: str


class FirmwareOfKind(msgspec.Struct, frozen=True):
    """All of a kind's firmware: images with the newest first, what is being given out, and how its
    stations stand with that."""

    kind: str
    images: tuple[FirmwareImage, ...]
    rollout: Rollout | None
    updates: tuple[StationUpdate, ...]

    def image(self, number: int) -> FirmwareImage | None:
        """The image of that id."""
        return next((one for one in self.images if one.id == number), None)

    @property
    def given_out(self) -> FirmwareImage | None:
        """The image that the rollout is of."""
        return None if self.rollout is None else self.image(self.rollout.image)


def set_rollout(connection: Connection, kind: str, rollout: Rollout | None) -> None:
    """Give an image out so, or none."""
    table = schema.firmware_rollout
    connection.execute(sa.delete(table).where(table.c.kind == kind))
    if rollout is not None:
        told = msgspec.json.encode(rollout).decode()
        connection.execute(sa.insert(table).values(kind=kind, document=told))
    note_change(connection, Subject.FIRMWARE)


def begin_rollout(
    connection: Connection, kind: str, version: str, wanted: Rollout, *, now_us: int
) -> Rollout:
    """Begin to give an image out; `wanted` says in which steps.

    Raises
    ------
    UsageError
        When there is no such image, it is not what was signed, another is on its way, or the
        station to begin with is none of the kind.
    """
    image = image_called(connection, kind, version)
    before = rollout_of(connection, kind)
    if before is not None and before.state is RolloutState.RUNNING:
        is_same = before.image == image.id
        raise UsageError(
            f"{kind} is being given {'it' if is_same else 'another image'} already",
            kept="that goes on",
            remedy="withdraw that first",
        )
    if not is_intact(connection, image):
        raise UsageError(
            f"the image {image.version} of {kind} is not what the site's key signed",
            kept="it is not offered to anybody",
            remedy="delete it, and add it again",
        )
    names = [one.key for one in load_site(connection).stations if one.kind.slug == kind]
    if wanted.first and wanted.first not in names:
        raise UsageError(
            f"{wanted.first} is no station of {kind}",
            kept=NOTHING_CHANGED,
            remedy=f"stations: {', '.join(names) or 'none'}",
        )
    if not 0 < wanted.share <= 1 or wanted.watch_s < 0:
        raise UsageError(
            "the share has to be more than none of the stations, and the time not negative",
            kept=NOTHING_CHANGED,
            remedy="give a share from 1 to 100 %",
        )
    begun = msgspec.structs.replace(
        wanted, image=image.id, since_us=now_us, stage_us=now_us, why=""
    )
    set_rollout(connection, kind, begun)
    return begun


class RolloutStep(enum.Enum):
    """A step that a person takes with a rollout under way."""

    NEXT = "next"
    PAUSE = "pause"
    RESUME = "resume"
    WITHDRAW = "withdraw"


def change_rollout(
    connection: Connection, kind: str, step: RolloutStep, *, now_us: int
) -> Rollout | None:
    """Go a step further without waiting, pause, go on, or withdraw; returns what it was.

    Raises
    ------
    UsageError
        When nothing is given out, or that step is none of where it stands.
    """
    before = rollout_of(connection, kind)
    if before is None:
        raise UsageError(
            f"nothing is given out to stations of {kind}",
            kept=NOTHING_CHANGED,
            remedy="offer an image first",
        )
    after: Rollout | None = None
    match step:
        case RolloutStep.NEXT:
            stage = before.stage.next
            if stage is None or before.state is not RolloutState.RUNNING:
                raise _no_step(before, "it cannot go a step further")
            after = msgspec.structs.replace(before, stage=stage, stage_us=now_us)
        case RolloutStep.PAUSE:
            if before.state is not RolloutState.RUNNING:
                raise _no_step(before, "there is nothing to pause")
            after = msgspec.structs.replace(before, state=RolloutState.PAUSED)
        case RolloutStep.RESUME:
            if before.state not in (RolloutState.PAUSED, RolloutState.STOPPED):
                raise _no_step(before, "it is not paused")
            after = msgspec.structs.replace(before, state=RolloutState.RUNNING, why="")
        case RolloutStep.WITHDRAW:
            after = None
    set_rollout(connection, kind, after)
    return before


def _no_step(rollout: Rollout, what: str) -> UsageError:
    return UsageError(
        f"{what}: the image is {rollout.state.words(rollout.stage)}",
        kept=NOTHING_CHANGED,
        remedy="see `rook-tally firmware list`",
    )


def firmware_of(connection: Connection, kind: str) -> FirmwareOfKind:
    """All of a kind's firmware."""
    told = rollout_of(connection, kind)
    number = None if told is None else told.image
    of_kind = tuple(one for one in images(connection) if one.kind == kind)
    return FirmwareOfKind(kind, of_kind, told, tuple(updates_of(connection, kind, number)))


def updates_of(connection: Connection, kind: str, image: int | None) -> list[StationUpdate]:
    """How a kind's stations stand with an image, by name."""
    table = schema.firmware_update
    asked = {row.station_id: row for row in connection.execute(sa.select(table))}
    words, heard = station_words(connection), last_heard(connection)
    found = []
    for station in load_site(connection).stations:
        if station.kind.slug != kind:
            continue
        row, word = asked.get(station.id), words.get(station.id, {}).get(FIRMWARE)
        has_it = row is not None and row.image_id == image and row.fetched_us is not None
        fetched_us = row.fetched_us if row is not None and has_it else None
        since_us = None if word is None or fetched_us is None else max(word.since_us, fetched_us)
        found.append(
            StationUpdate(
                station=station.key,
                version="" if word is None else word.value,
                cadence_s=station.cadence_s,
                asked_us=None if row is None else row.asked_us,
                fetched_us=fetched_us,
                updated_us=since_us,
                heard_us=heard.get(station.id),
            )
        )
    return sorted(found, key=lambda one: one.station)


def station_of_key(connection: Connection, access_key: str) -> AskingStation | None:
    """The station in use that an access key opens for."""
    table = schema.station
    row = connection.execute(
        sa.select(table.c.id, table.c.key, table.c.kind).where(
            table.c.access_hash == access_hash(access_key),
            table.c.removed_us.is_(None),
            table.c.retired_us.is_(None),
        )
    ).first()
    return None if row is None else AskingStation(row.id, row.key, row.kind)


def note_asked(connection: Connection, station: AskingStation, version: str, now_us: int) -> None:
    """A station asked for firmware, and said which it runs (empty: nothing)."""
    table = schema.firmware_update
    where = table.c.station_id == station.id
    done = connection.execute(sa.update(table).where(where).values(asked_us=now_us))
    moved: set[tuple[int, str]] = set()
    if version:
        moved = save_attributes(connection, {(station.id, FIRMWARE): (version, now_us)})
    if not done.rowcount:
        connection.execute(sa.insert(table).values(station_id=station.id, asked_us=now_us))
    if moved or not done.rowcount:
        note_change(connection, Subject.FIRMWARE)


def offer_for(connection: Connection, station: AskingStation) -> FirmwareImage | None:
    """The image that a station is offered now; None for nothing. Whether it is intact is not looked
    at here."""
    told = firmware_of(connection, station.kind)
    image = told.given_out
    if told.rollout is None or image is None or not told.rollout.state.offers:
        return None
    offered = offered_to(told.rollout, image.version, told.updates)
    mine = next((one for one in offered if one.station == station.key), None)
    return image if mine is not None and is_newer(image.version, mine.version) else None


def note_fetched(
    connection: Connection, station: AskingStation, image: FirmwareImage, now_us: int
) -> None:
    """A station had an image to its end."""
    table = schema.firmware_update
    connection.execute(
        sa.update(table)
        .where(table.c.station_id == station.id)
        .values(image_id=image.id, fetched_us=now_us)
    )
    note_change(connection, Subject.FIRMWARE)
