"""`rook-tally kind …`."""

from __future__ import annotations

from pathlib import Path

import typer

from rook_tally.cli.changing import changing
from rook_tally.clock import now_us
from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.core.quantities.byte_layout import BytesText
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import KINDS, Kind
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import rfc3339
from rook_tally.core.workings.message_formulas import MessageReader
from rook_tally.desk.data.door_trial import DoorTrial, TriedValue
from rook_tally.intake.bounds import shortened
from rook_tally.intake.decode import NO_HINTS, DecodeSettings, decoded
from rook_tally.intake.message import DecodedValue, Message
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import keep_kind, kind_of_site, kinds, newest_messages

_NO_FIELD = " (no field of the kind)"
_MOST_VALUES = 200
_LAST = 20


def list_kinds(where: str) -> None:
    """Print every kind with its fields."""
    with open_store(where) as store, store.read() as connection:
        known = kinds(connection)
    for one in known.values():
        own = "" if one.slug in KINDS and one == KINDS[one.slug] else ", your own"
        fields = " ".join(field.name for field in one.fields) or "any quantity by its slug"
        typer.echo(f"{one.slug:<18} {one.name}, every {one.cadence_s:g} s{own}: {fields}")
        if one.source:
            typer.echo(f"{'':<18} {one.source}")


def export_kind(where: str, slug: str, *, as_thing: bool) -> None:
    """Print a kind as TOML, or as a W3C Thing Model."""
    with open_store(where) as store, store.read() as connection:
        kind = kind_of_site(connection, slug)
    if not as_thing:
        typer.echo(kind_to_toml(kind), nl=False)
        return
    from rook_tally.core.things.writing import thing_model

    text, left_out = thing_model(kind)
    typer.echo(text, nl=False)
    for one in left_out:
        typer.echo(f"left out, since a Thing Model cannot say it: {one}", err=True)


def _kind_of(text: str) -> Kind:
    """The kind of a file: TOML of our own, or a W3C Thing Description."""
    from rook_tally.core.things.reading import kind_from_text

    told = kind_from_text(text)
    for one in told.left_out:
        typer.echo(f"left out: {one}", err=True)
    for one in told.doors:
        typer.echo(f"its readings may come by: {one}", err=True)
    return told.kind


def try_kind(
    where: str, slug: str, messages: list[str], *, file: Path | None, station: str
) -> None:
    """Print what would be read in messages by a kind's layout or shape: given ones, as text or as
    hexadecimal, or the last ones of a station."""
    with open_store(where) as store, store.read() as connection:
        kind = kind_of_site(connection, slug) if file is None else kind_from_toml(_text_of(file))
        several = [_bytes_of(one, kind) for one in messages]
        if station:
            several += [one.body for one in newest_messages(connection, station, most=_LAST)]
    if kind.layout is None and kind.shape is None:
        raise UsageError(
            f"{kind.slug} has neither a layout nor a shape of JSON", remedy="see docs/layouts.md"
        )
    if not several:
        raise UsageError("no message to try", remedy="give one, or a station with --station")
    reader = None if kind.layout is None else MessageReader(kind.layout)
    hints = DecodeSettings(layout=reader, shape=kind.shape)
    for body in several:
        typer.echo(_shown(body))
        try:
            content = decoded(Message("try", "", body, now_us()), hints)
        except DecodeError as error:
            typer.echo(f"    {error}")
            continue
        for item in content.items:
            at = "" if item.time_us is None else f" at {rfc3339(item.time_us)}"
            who = "" if item.station is None else f"{item.station}: "
            unit = _unit_of(item, kind)
            typer.echo(f"    {who}{item.field} = {item.value}{unit}{at}")
        for refusal in content.refused:
            typer.echo(f"    refused: {refusal.why}")


def read_sample(kind: Kind, text: str) -> DoorTrial:
    """A sample message as a kind reads it, for a window.

    Raises
    ------
    UsageError
        When it is to be hexadecimal and is not.
    DecodeError
        When it cannot be read.
    """
    reader = None if kind.layout is None else MessageReader(kind.layout)
    has_hints = reader is not None or kind.shape is not None
    hints = DecodeSettings(layout=reader, shape=kind.shape) if has_hints else NO_HINTS
    content = decoded(Message("try", "", _bytes_of(text, kind), now_us()), hints)
    values = []
    for item in content.items[:_MOST_VALUES]:
        is_known = kind.field(item.field) is not None or item.field in QUANTITIES
        shown = f"{item.value:.10g}" if isinstance(item.value, float) else str(item.value).lower()
        name = item.field if item.station is None else f"{item.station}: {item.field}"
        unit = _unit_of(item, kind).removesuffix(_NO_FIELD)
        values.append(TriedValue(name, f"{shown}{unit}", is_read=is_known))
    unknown = [one.name for one in values if not one.is_read]
    told = [one.why for one in content.refused[:5]]
    if unknown:
        told.append(f"no field of the kind: {', '.join(unknown[:5])}")
    return DoorTrial("", tuple(values), "; ".join(told))


def _unit_of(item: DecodedValue, kind: Kind) -> str:
    described = kind.field(item.field)
    unit = item.unit or ("" if described is None else described.unit)
    note = "" if described is not None or item.field in QUANTITIES else _NO_FIELD
    return (f" {unit}" if unit else "") + note


def _bytes_of(text: str, kind: Kind) -> bytes:
    """A message as it is given: of a layout of bare bytes it is written as hexadecimal."""
    layout = kind.layout
    if layout is None or layout.at or layout.text is not BytesText.BYTES:
        return text.encode()
    try:
        return bytes.fromhex(text)
    except ValueError:
        raise UsageError(f"{text!r} is not hexadecimal", remedy="write it as 42 01 0b f4") from None


def _shown(body: bytes) -> str:
    try:
        text = body.decode()
    except UnicodeDecodeError:
        return body.hex(" ")
    return shortened(text, 200) if text.isprintable() else body.hex(" ")


def _text_of(file: Path) -> str:
    try:
        return file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{file} cannot be read: {error}", remedy="name another file") from None


def read_kind(where: str, file: Path) -> None:
    """Keep the kind a file describes."""
    kind = _kind_of(_text_of(file))
    with changing(where, makes_store=True) as connection:
        keep_kind(connection, kind)
    typer.echo(f"{kind.slug}: {kind.name}, {len(kind.fields)} fields")
