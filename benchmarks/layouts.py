"""Binary messages read by a layout, against `struct` unpacking the same bytes."""

from __future__ import annotations

import statistics
import struct
import time
from collections.abc import Callable

import numpy as np

from rook_tally.core.quantities.byte_layout import ByteLayout, LayoutField, NumberType
from rook_tally.core.quantities.layout_reading import LayoutReader

_MESSAGES = 10_000
_ROUNDS = 9
_FORM = struct.Struct(">hBBHHI")
_LAYOUT = ByteLayout(
    field=(
        LayoutField(name="temp", at=0, kind=NumberType.I16, scale=0.01, nothing=(-32768.0,)),
        LayoutField(name="rh", at=2, kind=NumberType.U8, scale=0.5),
        LayoutField(name="state", at=3, kind=NumberType.U8, bits=(3, 1)),
        LayoutField(name="co2", at=4, kind=NumberType.U16),
        LayoutField(name="battery_v", at=6, kind=NumberType.U16, scale=0.001),
        LayoutField(name="count", at=8, kind=NumberType.U32),
    )
)


def layout_rates() -> dict[str, tuple[float, float]]:
    """Messages a second of six values: many at once and one by one, and `struct.iter_unpack`."""
    body = np.random.default_rng(1).integers(0, 256, _MESSAGES * _FORM.size, np.uint8).tobytes()
    rows = np.frombuffer(body, np.uint8).reshape(_MESSAGES, -1)
    each = [body[at : at + _FORM.size] for at in range(0, len(body), _FORM.size)]
    reader = LayoutReader(_LAYOUT)

    def one_by_one() -> None:
        for message in each:
            reader.one(message)

    def bare() -> None:
        for _ in _FORM.iter_unpack(body):
            pass

    return {"layout": _in_turn(lambda: reader.many(rows), bare)} | {
        "layout.one": _in_turn(one_by_one, bare)
    }


def _in_turn(ours: Callable[[], object], bare: Callable[[], object]) -> tuple[float, float]:
    """Messages a second of both by their medians, after one round that does not count."""
    told: tuple[list[float], list[float]] = ([], [])
    for number in range(_ROUNDS + 1):
        for which, call in enumerate((ours, bare)):
            began = time.perf_counter()
            call()
            if number:
                told[which].append(time.perf_counter() - began)
    return _MESSAGES / statistics.median(told[0]), _MESSAGES / statistics.median(told[1])
