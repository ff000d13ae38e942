"""A body that is one value, its field told by the topic it came on."""

from __future__ import annotations

from rook_tally.core.errors import DecodeError
from rook_tally.intake.bounds import name_fault
from rook_tally.intake.decode import json_text, plain_json
from rook_tally.intake.decode.json_text import Json
from rook_tally.intake.message import Decoded


def decode(body: bytes, field: str) -> Decoded:
    """The value of a field, with its unit if one stands behind it; an object's values are named
    below the field, except a lone `value`, which is the field itself.

    Raises
    ------
    DecodeError
        When it is neither.
    """
    fault = name_fault(field)
    if fault:
        raise DecodeError(f"the topic tells {fault}", remedy="send on a shorter topic")
    try:
        text = body.decode("utf-8-sig").strip()
    except UnicodeDecodeError as error:
        raise DecodeError(
            f"not text: byte {error.start} is not UTF-8", remedy="send text in UTF-8"
        ) from None
    if not text:
        raise DecodeError("the message is empty", remedy="send a value")
    value: Json = text
    if text[0] in '{["' or text in ("true", "false", "null"):
        value = json_text.parsed(body)
    members: dict[str, Json] = {field: value}
    if isinstance(value, dict):
        members = {
            name if name in (plain_json.STATION, plain_json.TIME) else _below(field, name): one
            for name, one in value.items()
        }
    elif isinstance(value, list):
        raise DecodeError("a list stands where one value belongs", remedy="send one value")
    return plain_json.decode(members)


def _below(field: str, name: str) -> str:
    return field if name == "value" else f"{field}.{name}"
