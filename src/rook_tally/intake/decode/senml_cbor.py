"""SenML in CBOR (RFC 8428, section 6): the same records with numbers for labels."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

import cbor2

from rook_tally.core.errors import DecodeError
from rook_tally.intake.bounds import DEEPEST, shortened
from rook_tally.intake.decode.json_text import Json


def _refused(number: int) -> Callable[[Any], Any]:
    def refuse(_decoder: Any) -> Any:
        raise ValueError(f"tag {number} does not belong into a SenML pack")

    return refuse


# RFC 8428, section 6, knows decimal fractions (tag 4) beside plain values. What refers back to
# itself, numbers of any length, patterns and the like make much out of few bytes.
_TAGS: dict[int, Callable[[Any], Any]] = {
    number: _refused(number)
    for number in (*range(4), *range(5, 64), 100, 256, 258, 260, 261, 1004, 43000)
}


def loaded(body: bytes) -> Any:
    """The value in a CBOR body, nothing in it referring to anything else.

    Raises
    ------
    cbor2.CBORDecodeError and what else the package raises for what is no such value.
    """
    return cbor2.loads(body, semantic_decoders=_TAGS, max_depth=DEEPEST)


_LABELS: dict[object, str] = {
    -1: "bver",
    -2: "bn",
    -3: "bt",
    -4: "bu",
    -5: "bv",
    -6: "bs",
    0: "n",
    1: "u",
    2: "v",
    3: "vs",
    4: "vb",
    5: "s",
    6: "t",
    7: "ut",
    8: "vd",
}


def parsed(body: bytes) -> Json:
    """The records of a CBOR body, by the labels of the JSON form.

    Raises
    ------
    DecodeError
        When the body is empty, no CBOR, cut off, or more than one value.
    """
    if not body:
        raise DecodeError("the message is empty", remedy="send at least one record")
    try:
        document: Any = loaded(body)
    except (
        cbor2.CBORDecodeError,
        ValueError,
        TypeError,
        OverflowError,
        RecursionError,
        ArithmeticError,
    ) as error:
        told = str(error.__cause__ or error).partition("\n")[0] or type(error).__name__
        raise DecodeError(
            f"not CBOR: {shortened(told, 200)}", remedy="send a whole SenML pack"
        ) from None
    if not isinstance(document, list):
        return None if document is None else "" if isinstance(document, str) else {}
    return [_labelled(record) if isinstance(record, dict) else None for record in document]


def _labelled(record: dict[Any, Any]) -> Json:
    """A record by the labels of the JSON form; None for one whose labels are neither numbers nor
    text."""
    told: dict[str, Json] = {}
    for label, value in record.items():
        if type(label) not in (int, str):
            return None
        # A value that JSON does not have is told of as an object is.
        plain = value if type(value) in _PLAIN else {}
        told[_LABELS.get(label, str(label))] = float(value) if isinstance(value, Decimal) else plain
    return told


_PLAIN = frozenset({int, float, str, bool, type(None), list, dict})
