"""Winds and other directions: the rose, mean and spread, the arc that holds them (section Q)."""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray

_TURN = 360.0
_NORTH = 1e-9
_STEADY = 1e-9


def _turned(direction_deg: FloatArray) -> FloatArray:
    """Into [0, 360); what is 360 but for rounding is north."""
    told = np.mod(direction_deg, _TURN)
    return np.where(told >= _TURN - _NORTH, 0.0, told)


def _weights(weights: FloatArray | None, count: int) -> FloatArray:
    """(N,) weights, unknown ones 0; ValueError for other lengths and negative ones."""
    if weights is None:
        return np.ones(count)
    if len(weights) != count:
        raise ValueError(f"{count} rows and {len(weights)} weights")
    told = np.where(np.isfinite(weights), weights, 0.0)
    if bool((told < 0).any()):
        raise ValueError("a weight is not negative")
    return told


class WindRose(msgspec.Struct, frozen=True):
    """Shares by sector and class of speed, (S, C), and of calm; together 1, NaN without a row.

    `total`: the weight of both; `left_out`: that of rows that say too little.
    """

    table: FloatArray
    calm: float
    total: float
    left_out: float


def wind_rose(
    direction_deg: FloatArray,
    speed: FloatArray,
    weights: FloatArray | None = None,
    *,
    sectors: int = 16,
    speed_edges: FloatArray,
    calm_below: float = 0.5,
) -> WindRose:
    """Where the wind comes from and how fast; sector k is centred on k·360/sectors.

    Raises
    ------
    ValueError
        For lists of different lengths, negative weights, no sector, or edges that do not rise above
        calm.
    """
    if len(direction_deg) != len(speed):
        raise ValueError(f"{len(direction_deg)} directions and {len(speed)} speeds")
    if sectors < 1 or calm_below < 0:
        raise ValueError("a rose has a sector, and calm is not below 0")
    if len(speed_edges) and (
        speed_edges[0] <= calm_below or bool((np.diff(speed_edges) <= 0).any())
    ):
        raise ValueError("edges of speed rise strictly, and lie above calm")
    weight = _weights(weights, len(speed))
    told = np.isfinite(speed) & (speed >= 0)
    calm = told & (speed < calm_below)
    blowing = told & ~calm & np.isfinite(direction_deg)
    width = _TURN / sectors
    sector = np.floor(np.mod(direction_deg[blowing] + width / 2, _TURN) / width).astype(np.int64)
    classes = len(speed_edges) + 1
    at = np.minimum(sector, sectors - 1) * classes
    at = at + np.searchsorted(speed_edges, speed[blowing], side="right")
    table = np.bincount(at, weights=weight[blowing], minlength=sectors * classes)
    calm_weight = float(weight[calm].sum())
    total = float(table.sum()) + calm_weight
    out = float(weight.sum()) - total
    shares = (
        table.reshape(sectors, classes) / total if total else np.full((sectors, classes), np.nan)
    )
    return WindRose(shares, calm_weight / total if total else math.nan, total, max(0.0, out))


class MeanDirection(msgspec.Struct, frozen=True):
    """The direction of the mean vector, how steady it was (0 to 1), and the vector's speed."""

    direction_deg: float
    steadiness: float
    speed: float


def vector_mean_direction(
    direction_deg: FloatArray, speed: FloatArray | None = None, weights: FloatArray | None = None
) -> MeanDirection:
    """The vector mean; a calm row needs no direction. NaN where nothing is known.

    ValueError for lists of different lengths and negative weights.
    """
    count = len(direction_deg)
    if speed is not None and len(speed) != count:
        raise ValueError(f"{count} directions and {len(speed)} speeds")
    weight = _weights(weights, count)
    pace = np.ones(count) if speed is None else speed
    used = (weight > 0) & np.isfinite(pace) & (pace >= 0)
    used &= np.isfinite(direction_deg) | (pace == 0)
    weight, pace = weight[used], pace[used]
    total = float(weight.sum())
    nan = math.nan
    if not total:
        return MeanDirection(nan, nan, nan)
    way = float((weight * pace).sum())
    if not way:
        return MeanDirection(nan, nan, 0.0 if speed is not None else nan)
    angle = np.deg2rad(np.where(pace > 0, direction_deg[used], 0.0))
    east, north = ((weight * pace * one).sum() for one in (np.sin(angle), np.cos(angle)))
    length = math.hypot(float(east), float(north))
    steadiness = length / way
    direction = nan
    if steadiness > _STEADY:
        direction = float(_turned(np.array([math.degrees(math.atan2(east, north))]))[0])
    return MeanDirection(direction, steadiness, length / total if speed is not None else nan)


def yamartino_sd(direction_deg: FloatArray, weights: FloatArray | None = None) -> float:
    """Standard deviation of directions, degrees (Yamartino 1984); NaN without one."""
    weight = _weights(weights, len(direction_deg))
    used = np.isfinite(direction_deg) & (weight > 0)
    total = float(weight[used].sum())
    if not total:
        return math.nan
    angle = np.deg2rad(direction_deg[used])
    a, c = ((weight[used] * one).sum() / total for one in (np.sin(angle), np.cos(angle)))
    e = math.sqrt(min(1.0, max(0.0, 1.0 - float(a) ** 2 - float(c) ** 2)))
    return math.degrees(math.asin(e) * (1.0 + (2.0 / math.sqrt(3.0) - 1.0) * e**3))


class DirectionRange(msgspec.Struct, frozen=True):
    """The smallest arc that holds all directions, clockwise from and to; NaN without one."""

    range_deg: float
    from_deg: float
    to_deg: float


def circular_range(direction_deg: FloatArray) -> DirectionRange:
    """360 less the greatest gap between neighbours (Mardia & Jupp 2000); one outlier decides it."""
    told = np.unique(_turned(direction_deg[np.isfinite(direction_deg)]))
    if not len(told):
        return DirectionRange(math.nan, math.nan, math.nan)
    if len(told) == 1:
        return DirectionRange(0.0, float(told[0]), float(told[0]))
    gaps = np.diff(np.append(told, told[0] + _TURN))
    starts = np.roll(told, -1)
    widest = np.flatnonzero(gaps >= gaps.max() - _NORTH)
    at = int(widest[np.argmin(starts[widest])])
    return DirectionRange(_TURN - float(gaps[at]), float(starts[at]), float(told[at]))
