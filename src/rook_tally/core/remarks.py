"""Remarks: what people write on the time axis, a pin at a moment or a span over a stretch."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from rook_tally.core.errors import UsageError

SHADES = 6
"""So many colours there are to choose from."""
LONGEST_TEXT = 400


class Remark(msgspec.Struct, frozen=True):
    """A pin, or a span when it has an end. `shade` is the number of its colour.

    `place` names the place it is about; None when it is about the whole site. `id` is 0 until it is
    kept.
    """

    text: str
    start_us: int
    end_us: int | None = None
    shade: int = 0
    place: str | None = None
    who: str = ""
    id: int = 0

    def __post_init__(self) -> None:
        if not self.text.strip():
            raise UsageError("a remark needs some words", remedy="write what happened")
        if len(self.text) > LONGEST_TEXT:
            raise UsageError(
                f"a remark of {len(self.text)} letters is too long",
                remedy=f"use {LONGEST_TEXT} at most",
            )
        if self.end_us is not None and self.end_us <= self.start_us:
            raise UsageError("a span ends after it begins", remedy="give a later end")
        if not 0 <= self.shade < SHADES:
            raise UsageError(f"there is no colour {self.shade}", remedy=f"choose 0 to {SHADES - 1}")

    @property
    def is_span(self) -> bool:
        """True if it is about a stretch and not a moment."""
        return self.end_us is not None

    def touches(self, start_us: int, end_us: int) -> bool:
        """True if any of it lies in [start, end)."""
        last_us = self.start_us if self.end_us is None else self.end_us
        return self.start_us < end_us and last_us >= start_us


def next_shade(remarks: Sequence[Remark]) -> int:
    """The colour for a new remark: the one after that of the last, round and round."""
    return (remarks[-1].shade + 1) % SHADES if remarks else 0


def rows_of_spans(spans: list[Remark]) -> list[int]:
    """In which row each span is drawn so that none covers another: the first that is free.

    Spans in order of their beginning.
    """
    free_us: list[int] = []
    rows = []
    for one in spans:
        assert one.end_us is not None
        row = next((at for at, end in enumerate(free_us) if end <= one.start_us), len(free_us))
        free_us[row : row + 1] = [one.end_us]
        rows.append(row)
    return rows
