"""Bytes by the layout of a kind: bare, written as hexadecimal or base64, or within JSON."""

from __future__ import annotations

from rook_tally.core.errors import DecodeError
from rook_tally.core.quantities.layout_reading import LayoutError, LayoutReader
from rook_tally.core.quantities.message_bytes import pointed_at, written_bytes
from rook_tally.core.timestamps import SECOND_US
from rook_tally.intake.decode.json_text import kind_of, parsed
from rook_tally.intake.message import Decoded, DecodedValue

_REMEDY = "compare the message with the layout of its kind: `rook-tally kind try`"


def decode(body: bytes, reader: LayoutReader, *, arrived_us: int) -> Decoded:
    """The values of a message by a layout.

    Raises
    ------
    DecodeError
        When it is no message of that layout; it says why.
    """
    try:
        told = reader.one(bytes_in(body, reader))
    except LayoutError as error:
        raise DecodeError(str(error), remedy=_REMEDY) from None
    items = [
        DecodedValue(
            0,
            one.name,
            one.value,
            time_us=arrived_us - round(one.back_s * SECOND_US) if one.back_s else None,
        )
        for one in told
    ]
    if not items:
        raise DecodeError("every field of the message says that it has no value")
    return Decoded(tuple(items))


def bytes_in(body: bytes, reader: LayoutReader) -> bytes:
    """The bytes that a message carries.

    Raises
    ------
    DecodeError
        When there are none where the layout says, or they are not written as it says.
    """
    layout = reader.layout
    text = body
    if layout.at:
        try:
            value = pointed_at(parsed(body), layout.at)
        except LookupError:
            raise DecodeError(f"nothing is at {layout.at}", remedy=_REMEDY) from None
        if not isinstance(value, str):
            raise DecodeError(f"at {layout.at} is {kind_of(value)}, not text", remedy=_REMEDY)
        text = value.encode("utf-8", "replace")
    try:
        return written_bytes(text, layout.written)
    except LayoutError as error:
        raise DecodeError(str(error), remedy=_REMEDY) from None
