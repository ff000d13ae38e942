"""The bytes that a message carries: bare, written as hexadecimal or base64, within JSON."""

from __future__ import annotations

import base64
import binascii
from typing import TypeAlias

from rook_tally.core.quantities.byte_layout import BytesText
from rook_tally.core.quantities.layout_reading import LayoutError

Json: TypeAlias = "bool | int | float | str | list[Json] | dict[str, Json] | None"


def pointed_at(document: Json, pointer: str) -> Json:
    """The value a JSON pointer (RFC 6901) names; LookupError when the document has none there."""
    value = document
    for word in pointer.split("/")[1:]:
        name = word.replace("~1", "/").replace("~0", "~")
        if isinstance(value, dict) and name in value:
            value = value[name]
        elif isinstance(value, list) and name.isdecimal() and int(name) < len(value):
            value = value[int(name)]
        else:
            raise LookupError(pointer)
    return value


def written_bytes(text: bytes, written: BytesText) -> bytes:
    """The bytes that a text stands for.

    Raises
    ------
    LayoutError
        When it is not written so.
    """
    try:
        match written:
            case BytesText.HEX:
                return bytes.fromhex(text.decode("ascii").strip())
            case BytesText.BASE64:
                return base64.b64decode(b"".join(text.split()), validate=True)
            case BytesText.BYTES:
                return text
    except (ValueError, binascii.Error):
        raise LayoutError(f"the bytes are not written as {written.value}") from None
