"""Readings: value, time, quality; and many of them as arrays."""

from __future__ import annotations

import enum
from collections.abc import Sequence

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, QualityArray, TimeArray, are_finite


class Quality(enum.IntEnum):
    """Trustworthiness of a kept reading. Refused readings are not kept at all."""

    GOOD = 0
    UNBELIEVABLE = 1
    LONE_ZERO = 2
    LONE_SPIKE = 3
    STUCK = 4
    SET_ASIDE = 5

    @property
    def wording(self) -> str:
        """The quality as a person reads it: `good`, or `suspect: …` with the reason."""
        return _WORDING[self]


_WORDING = {
    Quality.GOOD: "good",
    Quality.UNBELIEVABLE: "suspect: outside the believable range",
    Quality.LONE_ZERO: "suspect: lone zero",
    Quality.LONE_SPIKE: "suspect: lone spike",
    Quality.STUCK: "suspect: stuck value",
    Quality.SET_ASIDE: "suspect: set aside by a person",
}


class Readings(msgspec.Struct, frozen=True):
    """Readings of one series, ordered by time.

    Attributes
    ----------
    time_us : (N,) int64, strictly increasing
    value : (N,) float64, base unit of the series' quantity
    quality : (N,) uint8, `Quality` members
    """

    time_us: TimeArray
    value: FloatArray
    quality: QualityArray

    def __len__(self) -> int:
        return len(self.time_us)

    def __getitem__(self, part: slice) -> Readings:
        return Readings(self.time_us[part], self.value[part], self.quality[part])

    @property
    def are_all_good(self) -> bool:
        """True if statistics may use every reading."""
        return not np.count_nonzero(self.quality) and are_finite(self.value)

    @property
    def good(self) -> BoolArray:
        """(N,) mask of the readings that statistics may use."""
        if self.are_all_good:
            return np.ones(len(self.value), np.bool_)
        return np.asarray((self.quality == Quality.GOOD) & np.isfinite(self.value), np.bool_)


def readings_from(time_us: object, value: object, quality: object | None = None) -> Readings:
    """Readings from anything NumPy can make arrays of; quality left out means all good."""
    times = np.asarray(time_us, dtype=np.int64)
    values = np.asarray(value, dtype=np.float64)
    qualities = (
        np.zeros(len(times), dtype=np.uint8)
        if quality is None
        else np.asarray(quality, dtype=np.uint8)
    )
    return Readings(times, values, qualities)


def in_whole_units(readings: Readings, unit_us: int) -> Readings:
    """The readings with times cut to whole units of so many microseconds; of those that come to
    stand at one moment the last."""
    if unit_us == 1 or not len(readings):
        return readings
    time_us = readings.time_us // unit_us * unit_us
    last = np.append(np.diff(time_us) > 0, True)
    return Readings(time_us[last], readings.value[last], readings.quality[last])


def joined(parts: Sequence[Readings]) -> Readings:
    """Readings one part after the other; at least one part, in order of time."""
    if len(parts) == 1:
        return parts[0]
    return Readings(
        np.concatenate([one.time_us for one in parts]),
        np.concatenate([one.value for one in parts]),
        np.concatenate([one.quality for one in parts]),
    )
