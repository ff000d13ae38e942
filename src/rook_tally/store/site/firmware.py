"""Firmware in the store: the site's key, images in pieces, rollouts, and what stations have of
them."""

from __future__ import annotations

import enum

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection, Row

from rook_tally.core.errors import StoreError, UsageError
from rook_tally.core.firmware.images import (
    FirmwareImage,
    SigningKey,
    check_image,
    checked_version,
    digest_of,
    does_hold,
    is_newer,
    is_signed,
    new_signing_key,
    signature_of,
    signed_text,
)
from rook_tally.core.firmware.rollout import Rollout, RolloutState, StationUpdate, offered_to
from rook_tally.core.struct_types import prepare
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import access_hash
from rook_tally.store.site.heard import last_heard
from rook_tally.store.site.kinds import kind_of_site
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.site.station_attributes import FIRMWARE, save_attributes, station_words
from rook_tally.store.site.trust import overwriting

_KEY = "firmware_key"
_PIECE = 256 * 1024
_KEPT = "nothing was changed"


class ImageDraft(msgspec.Struct, frozen=True):
    """An image as a person gives it; `signature` is empty where it is to be signed here."""

    kind: str
    version: str
    body: bytes
    notes: str = ""
    signature: str = ""


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


def signing_key(connection: Connection) -> SigningKey | None:
    """The site's key; None before it has one."""
    told = connection.execute(_of_key(sa.select(schema.meta.c.value))).scalar()
    return None if told is None else _KEY_DECODER.decode(told)


def ensure_signing_key(connection: Connection) -> SigningKey:
    """The site's key, made now if it has none."""
    found = signing_key(connection)
    if found is None:
        found = new_signing_key()
        set_signing_key(connection, found)
    return found


def set_signing_key(connection: Connection, key: SigningKey) -> None:
    """Take a key for the site's. Stations that know another take no image signed with this."""
    with overwriting(connection):
        connection.execute(_of_key(sa.delete(schema.meta)))
    told = msgspec.json.encode(key).decode()
    connection.execute(sa.insert(schema.meta).values(key=_KEY, value=told))
    note_change(connection, Subject.FIRMWARE)


def images(connection: Connection) -> list[FirmwareImage]:
    """All images, the newest of each kind first."""
    table = schema.firmware_image
    rows = connection.execute(sa.select(table).order_by(table.c.kind, table.c.id.desc()))
    return [_image(row) for row in rows]


def add_image(connection: Connection, draft: ImageDraft, *, who: str, now_us: int) -> FirmwareImage:
    """Keep an image, signed with the site's key, which is made with the first.

    Raises
    ------
    UsageError
        When there is no such kind, the version is there or none, the file can be no image, or a
        signature that was given does not hold.
    """
    kind_of_site(connection, draft.kind)
    version = checked_version(draft.version)
    check_image(draft.body)
    table = schema.firmware_image
    there = sa.select(table.c.id).where(table.c.kind == draft.kind, table.c.version == version)
    if connection.execute(there).first() is not None:
        raise UsageError(
            f"{draft.kind} has an image {version} already",
            kept="it stays as it is",
            remedy="give this one a higher version, or delete that first",
        )
    key = ensure_signing_key(connection)
    digest = digest_of(draft.body)
    text = signed_text(draft.kind, version, len(draft.body), digest)
    signature = draft.signature or signature_of(key, text)
    if not does_hold(key.public, text, signature):
        raise UsageError(
            "the signature is not that of the site's key for this image",
            kept=_KEPT,
            remedy="sign what `rook-tally firmware signed` prints, with the site's key",
        )
    image = FirmwareImage(
        id=0,
        kind=draft.kind,
        version=version,
        notes=draft.notes,
        size=len(draft.body),
        sha256=digest,
        signature=signature,
        added_us=now_us,
        who=who,
    )
    row = {name: told for name, told in msgspec.structs.asdict(image).items() if name != "id"}
    inserted = connection.execute(sa.insert(table).values(**row)).inserted_primary_key
    assert inserted is not None
    number = int(inserted[0])
    connection.execute(
        sa.insert(schema.firmware_piece),
        [
            {"image_id": number, "number": at, "body": draft.body[begin : begin + _PIECE]}
            for at, begin in enumerate(range(0, len(draft.body), _PIECE))
        ],
    )
    note_change(connection, Subject.FIRMWARE)
    return msgspec.structs.replace(image, id=number)


def remove_image(connection: Connection, kind: str, version: str) -> ImageDraft:
    """Delete an image; returns it, so that it can be had back.

    Raises
    ------
    UsageError
        When there is none, or it is being given out.
    """
    image = image_called(connection, kind, version)
    told = rollout_of(connection, kind)
    if told is not None and told.image == image.id:
        raise UsageError(
            f"{image.version} is given out to stations of {kind}",
            kept="it stays",
            remedy="withdraw it first",
        )
    draft = ImageDraft(
        kind, image.version, image_bytes(connection, image), image.notes, image.signature
    )
    piece, update = schema.firmware_piece, schema.firmware_update
    connection.execute(sa.delete(piece).where(piece.c.image_id == image.id))
    connection.execute(
        sa.update(update)
        .where(update.c.image_id == image.id)
        .values(image_id=None, fetched_us=None)
    )
    table = schema.firmware_image
    connection.execute(sa.delete(table).where(table.c.id == image.id))
    note_change(connection, Subject.FIRMWARE)
    return draft


def image_called(connection: Connection, kind: str, version: str) -> FirmwareImage:
    """The image of a kind and version; the newest where the version is empty.

    Raises
    ------
    UsageError
        When there is none.
    """
    of_kind = [one for one in images(connection) if one.kind == kind]
    found = next((one for one in of_kind if version in ("", one.version)), None)
    if found is None:
        known = ", ".join(one.version for one in of_kind) or "none"
        wanted = f"image {version}" if version else "image"
        raise UsageError(f"{kind} has no {wanted}", remedy=f"images: {known}")
    return found


def image_bytes(
    connection: Connection, image: FirmwareImage, begin: int = 0, end: int | None = None
) -> bytes:
    """The bytes of an image from one place up to another.

    Raises
    ------
    StoreError
        When pieces of it are missing.
    """
    stop = image.size if end is None else min(end, image.size)
    if begin >= stop:
        return b""
    table = schema.firmware_piece
    first, last = begin // _PIECE, (stop - 1) // _PIECE
    rows = connection.execute(
        sa.select(table.c.body)
        .where(table.c.image_id == image.id, table.c.number.between(first, last))
        .order_by(table.c.number)
    )
    whole = b"".join(bytes(row.body) for row in rows)
    told = whole[begin - first * _PIECE : stop - first * _PIECE]
    if len(told) != stop - begin:
        raise StoreError(
            f"the image {image.version} of {image.kind} is not whole",
            remedy="delete it, and add it again",
        )
    return told


def is_intact(connection: Connection, image: FirmwareImage) -> bool:
    """True if an image is what the site's key signed. What is not must never be offered."""
    key = signing_key(connection)
    if key is None or not is_signed(image, key):
        return False
    try:
        return digest_of(image_bytes(connection, image)) == image.sha256
    except StoreError:
        return False


def rollouts(connection: Connection) -> dict[str, Rollout]:
    """What is given out, by the slug of a kind."""
    return {
        row.kind: _ROLLOUT_DECODER.decode(row.document)
        for row in connection.execute(sa.select(schema.firmware_rollout))
    }


def rollout_of(connection: Connection, kind: str) -> Rollout | None:
    """What is given out to a kind's stations."""
    return rollouts(connection).get(kind)


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
            kept=_KEPT,
            remedy=f"stations: {', '.join(names) or 'none'}",
        )
    if not 0 < wanted.share <= 1 or wanted.watch_s < 0:
        raise UsageError(
            "the share has to be more than none of the stations, and the time not negative",
            kept=_KEPT,
            remedy="give a share from 1 to 100 %",
        )
    begun = msgspec.structs.replace(
        wanted, image=image.id, since_us=now_us, stage_us=now_us, why=""
    )
    set_rollout(connection, kind, begun)
    return begun


class RolloutStep(enum.Enum):
    """What a person does with a rollout on its way."""

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
            f"nothing is given out to stations of {kind}", kept=_KEPT, remedy="offer an image first"
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
        kept=_KEPT,
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


def _of_key(statement: sa.Select | sa.Delete) -> sa.Select | sa.Delete:  # type: ignore[type-arg]
    return statement.where(schema.meta.c.key == _KEY)


def _image(row: Row) -> FirmwareImage:  # type: ignore[type-arg]
    return FirmwareImage(
        row.id,
        row.kind,
        row.version,
        row.notes,
        row.size,
        row.sha256,
        row.signature,
        row.added_us,
        row.who,
    )


prepare(FirmwareImage, Rollout, SigningKey)
_KEY_DECODER = msgspec.json.Decoder(SigningKey)
_ROLLOUT_DECODER = msgspec.json.Decoder(Rollout)
