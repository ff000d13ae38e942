"""Decoding: one pure function a form, from bytes to values or a `DecodeError`."""

from __future__ import annotations

from rook_tally.core.errors import DecodeError
from rook_tally.intake.decode import json_text, plain_json, senml
from rook_tally.intake.message import Decoded, Form, Message


def decoded(message: Message) -> Decoded:
    """The values of a message, by its form or, when none was told, by what the body looks like.

    Raises
    ------
    DecodeError
        When the body cannot be read at all.
    """
    document = json_text.parsed(message.body)
    form = message.form or (Form.SENML_JSON if senml.looks_like(document) else Form.JSON)
    result = (
        senml.decode(document, arrived_us=message.arrived_us)
        if form is Form.SENML_JSON
        else plain_json.decode(document)
    )
    if not result.items and not result.refused:
        raise DecodeError("the message holds no readings", remedy="send at least one value")
    return result


__all__ = ["decoded"]
