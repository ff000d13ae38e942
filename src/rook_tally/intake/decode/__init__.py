"""Decoding: one pure function a form, from bytes to values or a `DecodeError`."""

from __future__ import annotations

from rook_tally.core.errors import DecodeError
from rook_tally.intake.bounds import LARGEST_MESSAGE, check_count
from rook_tally.intake.decode import (
    byte_layout,
    csv_text,
    environmental,
    json_shape,
    json_text,
    lines,
    plain_json,
    senml,
    senml_cbor,
)
from rook_tally.intake.decode import fast_path as ordinary
from rook_tally.intake.decode import json_pointer as pointed
from rook_tally.intake.decode import regex_lines as patterned
from rook_tally.intake.decode import single_value as lone_value
from rook_tally.intake.decode.settings import NO_HINTS, DecodeSettings
from rook_tally.intake.message import BodyFormat, Decoded, Message

_ORDINARY_BYTES = 100_000
# An ordinary message is read in columns; these give None for any other.
_JSON = BodyFormat.JSON
_READS_AT_ONCE = {
    BodyFormat.SENML_JSON: ordinary.from_senml,
    BodyFormat.SENML_CBOR: ordinary.from_senml_cbor,
    BodyFormat.CSV: ordinary.from_csv,
    None: ordinary.from_anything,
}


def decoded(message: Message, hints: DecodeSettings = NO_HINTS) -> Decoded:
    """The values of a message, by its form or, when none was told, by what the body looks like.

    What a door's settings say of it (`hints`) goes before both.

    Raises
    ------
    DecodeError
        When the body cannot be read at all.
    """
    if hints is NO_HINTS and message.field is None and len(message.body) <= _ORDINARY_BYTES:
        # Looking JSON up like the others would take a fifth of its time: an enum's hash is slow.
        if message.form is _JSON:
            quick = ordinary.from_object(message.body)
        else:
            quick = _READS_AT_ONCE.get(message.form, ordinary.from_nothing)(message.body)
        if quick is not None:
            return quick
    if len(message.body) > LARGEST_MESSAGE:
        raise DecodeError(
            f"the message is larger than {LARGEST_MESSAGE // 1024} KiB", remedy="send it in parts"
        )
    result = _read_patiently(message, hints)
    if not result.count and not result.refused and not result.said:
        raise DecodeError("the message holds no readings", remedy="send at least one value")
    check_count(result.count)
    return result


def _read_patiently(message: Message, hints: DecodeSettings) -> Decoded:
    form = message.form
    field = message.field or hints.field
    if hints.layout is not None:
        return byte_layout.decode(message.body, hints.layout, arrived_us=message.arrived_us)
    if hints.shape is not None:
        document = json_text.parsed(message.body)
        return json_shape.decode(document, hints.shape)
    if hints.pointers:
        return pointed.decode(json_text.parsed(message.body), hints.pointers)
    if field is not None:
        return lone_value.decode(message.body, field)
    if hints.pattern is not None and form is None:
        return patterned.decode(message.body.decode("utf-8", "replace"), hints.pattern)
    if form is BodyFormat.ENVIRONMENTAL:
        return environmental.decode(message.body)
    if form is BodyFormat.SENML_CBOR or (form is None and _looks_like_cbor(message.body)):
        return senml.decode(senml_cbor.parsed(message.body), arrived_us=message.arrived_us)
    if form is BodyFormat.CSV or (form is None and not _looks_like_json(message.body)):
        return _from_text(message.body, form)
    document = json_text.parsed(message.body)
    if form is BodyFormat.SENML_JSON or (form is None and senml.looks_like(document)):
        return senml.decode(document, arrived_us=message.arrived_us)
    return plain_json.decode(document)


def _looks_like_cbor(body: bytes) -> bool:
    # A list (0x80–0x9f) of maps (0xa0–0xbf): no text begins so in UTF-8.
    return len(body) > 1 and 0x80 <= body[0] <= 0x9F


def _looks_like_json(body: bytes) -> bool:
    text = body.lstrip(b"\xef\xbb\xbf \t\r\n")
    return not text or text[:1] in b'{["' or (b"=" not in text[:200] and b"\n" not in text.strip())


def _from_text(body: bytes, form: BodyFormat | None) -> Decoded:
    try:
        text = body.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise DecodeError(
            f"not text: byte {error.start} is not UTF-8", remedy="send text in UTF-8"
        ) from None
    if form is BodyFormat.CSV or (form is None and csv_text.looks_like(text)):
        return csv_text.decode(text)
    if lines.looks_like(text):
        return lines.decode(text)
    raise DecodeError(
        "neither JSON nor CSV nor name=value", remedy="send a form that docs/wire.md describes"
    )


__all__ = ["NO_HINTS", "DecodeSettings", "decoded"]
