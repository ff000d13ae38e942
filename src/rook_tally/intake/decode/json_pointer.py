"""Values out of a JSON document by JSON pointer (RFC 6901): for answers in no form of ours."""

from __future__ import annotations

from collections.abc import Mapping

from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.core.quantities.message_bytes import pointed_at
from rook_tally.intake.decode import plain_json
from rook_tally.intake.decode.json_text import Json
from rook_tally.intake.message import Decoded, RejectedValue


def checked_pointer(text: str) -> str:
    """A pointer as it is; UsageError when it can point nowhere."""
    if text and not text.startswith("/"):
        raise UsageError(f"{text!r} is no JSON pointer", remedy="write it as /air/temp")
    return text


def decode(document: Json, pointers: Mapping[str, str]) -> Decoded:
    """The values that pointers name, by field.

    Raises
    ------
    DecodeError
        When none of them points at anything.
    """
    members: dict[str, Json] = {}
    refused: list[RejectedValue] = []
    for field, pointer in pointers.items():
        try:
            members[field] = pointed_at(document, pointer)
        except LookupError:
            refused.append(RejectedValue(0, field, f"{field}: nothing is at {pointer}"))
    if not members:
        raise DecodeError(
            "nothing is at " + ", ".join(pointers.values()), remedy="mend the door's pointers"
        )
    found = plain_json.decode(members)
    return Decoded(found.items, (*refused, *found.refused), found.said)
