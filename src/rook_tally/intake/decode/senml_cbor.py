"""SenML in CBOR (RFC 8428, section 6): the same records with numbers for labels."""

from __future__ import annotations

from typing import Any

import cbor2

from rook_tally.core.errors import DecodeError
from rook_tally.intake.decode.json_text import Json

_LABELS: dict[object, str] = {
    -1: "bver", -2: "bn", -3: "bt", -4: "bu", -5: "bv", -6: "bs",
    0: "n", 1: "u", 2: "v", 3: "vs", 4: "vb", 5: "s", 6: "t", 7: "ut", 8: "vd",
}  # fmt: skip


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
        document: Any = cbor2.loads(body)
    except (cbor2.CBORDecodeError, ValueError, TypeError, OverflowError, RecursionError) as error:
        told = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise DecodeError(f"not CBOR: {told}", remedy="send a whole SenML pack") from None
    if not isinstance(document, list):
        return None if document is None else "" if isinstance(document, str) else {}
    return [
        {_LABELS.get(label, str(label)): value for label, value in record.items()}
        if isinstance(record, dict)
        else None
        for record in document
    ]
