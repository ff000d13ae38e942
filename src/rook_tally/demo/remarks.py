"""The remarks of the potters: spans of clay in the mill, pins at the glaze booth."""

from __future__ import annotations

from rook_tally.core.remarks import Remark
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.demo.calendar import Happening, pugging, spraying

# Up to which strength of vibration it is which clay: words and colour.
_CLAYS = ((0.1, "soft clay", 2), (0.27, "stiff clay", 1), (9.0, "grit in the barrel", 3))
_IDLE_US = 75 * MINUTE_US
_BEFORE_US = 5 * MINUTE_US


def remarks_between(start_us: int, end_us: int) -> list[Remark]:
    """Remarks that begin in [start, end) and were over by its end, by time."""
    found: list[Remark] = []
    for one in pugging(start_us, end_us):
        found += _of_clay(one)
    found += [
        Remark("spraying celadon, door open", one.start_us, None, 5, "Glaze booth", "potter")
        for one in spraying(start_us, end_us)
    ]
    inside = [
        one
        for one in found
        if start_us <= one.start_us < end_us and (one.end_us or one.start_us) <= end_us
    ]
    return sorted(inside, key=lambda one: one.start_us)


def _of_clay(one: Happening) -> list[Remark]:
    at = next(at for at, clay in enumerate(_CLAYS) if one.strength <= clay[0])
    _, words, shade = _CLAYS[at]
    told = [Remark(words, one.start_us, one.end_us, shade, "Pug mill", "potter")]
    if at == 0:
        before_us = one.start_us - _BEFORE_US
        told.append(Remark("idle", before_us - _IDLE_US, before_us, 4, "Pug mill", "potter"))
    if at == len(_CLAYS) - 1:
        rinsed_us = one.end_us + _BEFORE_US
        told.append(Remark("barrel rinsed", rinsed_us, None, 0, "Pug mill", "potter"))
    return told
