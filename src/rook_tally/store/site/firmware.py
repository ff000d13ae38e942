"""Firmware in the store: the site's key, images in pieces, rollouts, and what stations have of
them."""

from __future__ import annotations

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
    is_signed,
    new_signing_key,
    signature_of,
    signed_text,
)
from rook_tally.core.firmware.rollout import Rollout
from rook_tally.core.struct_types import prepare
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.kinds import kind_of_site
from rook_tally.store.site.trust import overwriting

_KEY = "firmware_key"

_PIECE = 256 * 1024

NOTHING_CHANGED = "nothing was changed"


class ImageDraft(msgspec.Struct, frozen=True):
    """An image as a person gives it; `signature` is empty where it is to be signed here."""

    kind: str
    version: str
    body: bytes
    notes: str = ""
    signature: str = ""


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
            kept=NOTHING_CHANGED,
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
