"""JSON text to Python values, with every way it can be wrong told in words."""

from __future__ import annotations

import json
import math
import re

import msgspec

from rook_tally.core.errors import DecodeError
from rook_tally.core.quantities.message_bytes import Json as Json
from rook_tally.intake.bounds import too_deep


def parsed(body: bytes) -> Json:
    """The JSON value in a body.

    NaN and Infinity, which JSON does not have but many senders write, are let through as numbers
    so that only the value that holds one is refused, not its neighbours.

    Raises
    ------
    DecodeError
        When the body is empty, not UTF-8, not JSON, ends in the middle, or is nested too deeply.
    """
    try:
        # Ten times as fast; whatever it does not take is looked at with more patience.
        quick: Json = msgspec.json.decode(body)
    except (msgspec.DecodeError, RecursionError):
        return _parsed_patiently(body)
    return quick


def _parsed_patiently(body: bytes) -> Json:
    if not body.strip():
        raise DecodeError("the message is empty", remedy="send at least one value")
    try:
        text = body.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise DecodeError(
            f"not JSON: byte {error.start} is not UTF-8 text", remedy="send JSON in UTF-8"
        ) from None
    try:
        result: Json = json.loads(text)
    except json.JSONDecodeError as error:
        ended = error.pos >= len(text.rstrip()) or error.msg.startswith("Unterminated string")
        raise DecodeError(
            "not JSON: it ends in the middle"
            if ended
            else f"not JSON: {error.msg.lower()} at line {error.lineno}, column {error.colno}",
            remedy="send a whole JSON object" if ended else "mend the sender's message",
        ) from None
    except RecursionError:
        raise too_deep() from None
    except ValueError as error:  # a whole number of thousands of digits
        raise DecodeError(f"not JSON we can read: {error}", remedy="send shorter numbers") from None
    return result


_DECIMAL_COMMA = re.compile(r"[+-]?\d+,\d+")


def number_from(value: int | float | str) -> float:
    """A JSON number or numeric text as float; ValueError saying why it is none."""
    if isinstance(value, str):
        text = value.strip().replace("−", "-")
        # Python also reads 1_0; nobody who measures writes that.
        if "_" in text:
            raise ValueError(f"{_shortened(value)} is not a number")
        try:
            number = float(text)
        except ValueError:
            hint = "; a decimal point is wanted" if _DECIMAL_COMMA.fullmatch(text) else ""
            raise ValueError(f"{_shortened(value)} is not a number{hint}") from None
    else:
        try:
            number = float(value)
        except OverflowError:
            raise ValueError("the number is too large") from None
    if math.isnan(number):
        raise ValueError("NaN is not a reading; leave the field out instead")
    if math.isinf(number):
        raise ValueError("an infinite number is not a reading; leave the field out instead")
    return number


def _shortened(text: str) -> str:
    return repr(text if len(text) <= 40 else text[:39] + "…")


def kind_of(value: Json) -> str:
    """The kind of a JSON value, in words."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true or false"
    if isinstance(value, int | float):
        return "a number"
    if isinstance(value, str):
        return "text"
    return "a list" if isinstance(value, list) else "an object"
