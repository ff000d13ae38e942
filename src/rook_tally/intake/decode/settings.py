"""Settings of a door for reading a message's body."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

from rook_tally.core.quantities.json_shape import JsonShape
from rook_tally.core.quantities.layout_reading import LayoutReader
from rook_tally.intake.decode.regex_lines import LinePattern


@dataclasses.dataclass(frozen=True, slots=True)
class DecodeSettings:
    """Settings for reading a body.

    Attributes
    ----------
    field : str or None
        The body is the value of this field, or an object of values below it.
    pattern : LinePattern or None
        Reads lines that are in no form we know.
    pointers : dict of field to JSON pointer (RFC 6901)
        Which values of a JSON document are wanted; empty means all.
    layout : LayoutReader or None
        Reads bytes.
    shape : JsonShape or None
        What JSON looks like.
    """

    field: str | None = None
    pattern: LinePattern | None = None
    pointers: Mapping[str, str] = dataclasses.field(default_factory=dict)
    layout: LayoutReader | None = None
    shape: JsonShape | None = None


NO_HINTS = DecodeSettings()
