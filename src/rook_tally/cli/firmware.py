"""`rook-tally firmware`: images, the site's key, and how they are given out."""

from __future__ import annotations

from pathlib import Path

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.firmware.images import (
    check_image,
    checked_version,
    digest_of,
    public_key_from,
    signed_text,
)
from rook_tally.core.firmware.rollout import Rollout, RolloutStage
from rook_tally.core.firmware.standing import StationStanding, standings
from rook_tally.core.timestamps import rfc3339
from rook_tally.login import login_name
from rook_tally.store.base import Store
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site.firmware import (
    ImageDraft,
    add_image,
    ensure_signing_key,
    images,
    remove_image,
    set_signing_key,
)
from rook_tally.store.site.firmware_rollouts import (
    FirmwareOfKind,
    RolloutStep,
    begin_rollout,
    change_rollout,
    firmware_of,
)
from rook_tally.store.site.heard import listened_since


def add(where: str, kind: str, version: str, file: Path, notes: str, signature: str) -> None:
    """Keep an image."""
    draft = ImageDraft(kind, version, _body(file), notes, signature)
    with changing(where) as connection:
        image = add_image(connection, draft, who=login_name(), now_us=now_us())
    typer.echo(f"{kind} {image.version}: {image.size} bytes, SHA-256 {image.sha256}")


def print_signed(kind: str, version: str, file: Path) -> None:
    """Print what is to be signed of an image where the key is kept somewhere else."""
    body = _body(file)
    check_image(body)
    text = signed_text(kind, checked_version(version), len(body), digest_of(body))
    typer.echo(text, nl=False)


def print_list(where: str, *, as_json: bool) -> None:
    """Print every image, and how it is given out."""
    with existing_store(where) as store, store.read() as connection:
        kinds = sorted({one.kind for one in images(connection)})
        told = [firmware_of(connection, kind) for kind in kinds]
    if as_json:
        typer.echo(msgspec.json.encode([_row(one) for one in told]).decode())
        return
    for of_kind in told:
        for image in of_kind.images:
            state = _state(of_kind) if image == of_kind.given_out else ""
            day = rfc3339(image.added_us)[:10]
            line = f"{image.kind:<20} {image.version:<10} {image.size:>9} bytes  {day}  {state}"
            typer.echo(line.rstrip())
            if image.notes:
                typer.echo(f"    {image.notes}")


def offer(where: str, kind: str, version: str, wanted: Rollout) -> None:
    """Begin to give an image out."""
    with changing(where) as connection:
        begun = begin_rollout(connection, kind, version, wanted, now_us=now_us())
        image = firmware_of(connection, kind).image(begun.image)
    assert image is not None
    typer.echo(f"{kind} {image.version}: offered to {begun.stage.words} when it asks")


def step(where: str, kind: str, which: RolloutStep) -> None:
    """Do something with what is given out."""
    with changing(where) as connection:
        change_rollout(connection, kind, which, now_us=now_us())
        after = firmware_of(connection, kind)
    typer.echo(f"{kind}: {_state(after) or 'nothing is given out any more'}")


def print_stations(where: str, kind: str, *, as_json: bool) -> None:
    """Print how a kind's stations stand with what is given out."""
    with existing_store(where) as store:
        rows = _standings(store, kind)
    if as_json:
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for one in rows:
        asked = "" if one.asked_us is None else f"asked {rfc3339(one.asked_us)[:16]}"
        typer.echo(f"{one.station:<24} {one.version or '–':<10} {one.state.value:<24} {asked}")


def remove(where: str, kind: str, version: str) -> None:
    """Delete an image."""
    with changing(where) as connection:
        gone = remove_image(connection, kind, version)
    typer.echo(f"{kind} {gone.version}: deleted")


def key(where: str, public: str) -> None:
    """Print the public half of the site's key, or take another whose private half is kept
    elsewhere."""
    with changing(where, makes_store=True) as connection:
        if public:
            set_signing_key(connection, public_key_from(public))
        told = ensure_signing_key(connection)
    typer.echo(told.public)


def _body(file: Path) -> bytes:
    try:
        return file.read_bytes()
    except OSError as error:
        raise UsageError(
            f"{file} cannot be read: {error.strerror}",
            kept="nothing was changed",
            remedy="name another file",
        ) from None


def _standings(store: Store, kind: str) -> list[StationStanding]:
    now = now_us()
    with store.read() as connection:
        told = firmware_of(connection, kind)
        since_us = listened_since(connection)
    return standings(told.rollout, told.given_out, told.updates, now_us=now, since_us=since_us)


def _state(told: FirmwareOfKind) -> str:
    if told.rollout is None:
        return ""
    why = f": {told.rollout.why}" if told.rollout.why else ""
    return told.rollout.state.words(told.rollout.stage) + why


def _row(told: FirmwareOfKind) -> dict[str, object]:
    return {
        "kind": told.kind,
        "images": [
            {
                "version": one.version,
                "size": one.size,
                "sha256": one.sha256,
                "notes": one.notes,
                "added": rfc3339(one.added_us),
                "by": one.who,
            }
            for one in told.images
        ],
        "given_out": None if told.given_out is None else told.given_out.version,
        "state": _state(told),
    }


def rollout_wanted(first: str, share: float, watch_s: float, *, at_once: bool) -> Rollout:
    """A rollout as the options say."""
    stage = RolloutStage.ALL if at_once else RolloutStage.ONE
    return Rollout(0, stage=stage, first=first, share=share / 100, watch_s=watch_s)
