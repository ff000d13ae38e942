"""Progress of long work, told by parts and items."""

from __future__ import annotations

import pytest

from rook_tally.core.errors import CancelledError
from rook_tally.core.progress import counted, part_of


def test_a_part_tells_its_share_of_the_whole() -> None:
    told: list[float] = []
    part = part_of(told.append, 0.25, 0.75)
    part(0.0)
    part(0.5)
    part_of(part, 0.5, 1.0)(1.0)
    assert told == [0.25, 0.5, 0.75]


def test_items_are_counted_and_the_work_ends_where_it_is_cancelled() -> None:
    told: list[float] = []

    def end_past_half(share: float) -> None:
        told.append(share)
        if share > 0.5:
            raise CancelledError("enough")

    seen: list[int] = []
    with pytest.raises(CancelledError):
        seen.extend(counted(range(10_000), end_past_half))
    assert told == [0.0, 0.4096, 0.8192]
    assert list(counted([], end_past_half)) == []
