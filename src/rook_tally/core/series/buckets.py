"""Buckets: what is known of a stretch of readings without looking at each of them."""

from __future__ import annotations

import msgspec
import numpy as np
from msgspec.structs import replace

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.quantities.averaging import (
    Averaging,
    Component,
    arc_of,
    component_of,
    value_of,
)
from rook_tally.core.series.gaps import cleaned, microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import SECOND_US


class Buckets(msgspec.Struct, frozen=True):
    """Summaries of equal stretches that follow one another.

    Attributes
    ----------
    start_us : int
        Where the first begins.
    width_us : int
    count, suspect : (B,) int64
        Good readings and suspect ones.
    low, high : (B,) float64
        Of good readings; NaN without one. Of directions the arc they lie on, clockwise; its end may
        lie past 360.
    mean, mean_square : (B,) float64
        Time-weighted, by trapezoid over the pieces inside; a bucket that holds good readings but
        no piece has their plain mean. NaN without a good reading or piece. The mean is as the
        quantity averages; in the place of the square a direction has the squared length of its mean
        vector, 0 to 1.
    covered_s : (B,) float64
        Length of the pieces inside.
    """

    start_us: int
    width_us: int
    count: IntArray
    suspect: IntArray
    low: FloatArray
    high: FloatArray
    mean: FloatArray
    mean_square: FloatArray
    covered_s: FloatArray

    def __len__(self) -> int:
        return len(self.count)


def buckets_of(
    readings: Readings,
    *,
    start_us: int,
    width_us: int,
    count: int,
    max_gap_s: float,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> Buckets:
    """Summaries of `count` buckets from a moment on.

    Parameters
    ----------
    readings : Readings of shape (N,)
        With some before the first and after the last bucket, so that pieces reach over the edges.

    Notes
    -----
    Piece integrals are taken between bucket edges from running totals, so that the whole costs
    O(N + B) and neighbouring buckets add up exactly.
    """
    edges = start_us + np.arange(count + 1, dtype=np.int64) * width_us
    at = (readings.time_us - start_us) // width_us
    inside = (at >= 0) & (at < count)
    good = readings.good
    n_good = np.bincount(at[inside & good], minlength=count)
    n_suspect = np.bincount(at[inside & ~good], minlength=count)
    low, high = np.full(count, np.nan), np.full(count, np.nan)
    chosen = inside & good
    where, value = at[chosen], readings.value[chosen]
    total = counted_by(where, component_of(averaging, value), count)
    squares = np.bincount(where, weights=value**2, minlength=count)
    if len(where):
        firsts = np.flatnonzero(np.diff(where, prepend=-1))
        low[where[firsts]], high[where[firsts]] = extremes_of(averaging, value, value, firsts)
    covered, area, area_square = integrals_between(readings, edges, max_gap_s, averaging)
    with np.errstate(invalid="ignore", divide="ignore"):
        component = np.where(covered > 0, area / covered, total / n_good)
        mean_square = np.where(covered > 0, area_square / covered, squares / n_good)
    if averaging is Averaging.CIRCULAR:
        mean_square = np.abs(component) ** 2
    mean = value_of(averaging, component)
    return Buckets(
        start_us,
        width_us,
        n_good.astype(np.int64),
        n_suspect.astype(np.int64),
        low,
        high,
        mean,
        mean_square,
        covered,
    )


def counted_by(where: IntArray, weights: Component, count: int) -> Component:
    """Sums of (N,) weights by bucket, (count,)."""
    if np.iscomplexobj(weights):
        real, imaginary = (
            np.bincount(where, weights=one, minlength=count) for one in (weights.real, weights.imag)
        )
        return real + 1j * imaginary
    return np.asarray(np.bincount(where, weights=weights, minlength=count), np.float64)


def extremes_of(
    averaging: Averaging, low: FloatArray, high: FloatArray, firsts: IntArray
) -> tuple[FloatArray, FloatArray]:
    """Lowest and highest of stretches of (N,) lows and highs, each from one of `firsts` to the
    next; of directions the arc that holds them all. NaN is left out."""
    if averaging is not Averaging.CIRCULAR:
        return np.fmin.reduceat(low, firsts), np.fmax.reduceat(high, firsts)
    ends = np.append(firsts[1:], len(low))
    arcs = [
        arc_of(low[first:end], high[first:end])
        for first, end in zip(firsts.tolist(), ends.tolist(), strict=True)
    ]
    begin, end = np.array(arcs, dtype=np.float64).reshape(-1, 2).T
    return begin, end


def joined_extremes(
    averaging: Averaging, some: tuple[FloatArray, FloatArray], others: tuple[FloatArray, FloatArray]
) -> tuple[FloatArray, FloatArray]:
    """Lowest and highest of two lists of (N,) lows and highs, place by place; of directions the
    arc that holds both. NaN is left out."""
    if averaging is not Averaging.CIRCULAR:
        return np.fmin(some[0], others[0]), np.fmax(some[1], others[1])
    # Two rows a place.
    low, high = (np.stack(pair, axis=1).ravel() for pair in zip(some, others, strict=True))
    return extremes_of(averaging, low, high, np.arange(0, len(low), 2))


def integrals_between(
    readings: Readings,
    edges: TimeArray,
    max_gap_s: float,
    averaging: Averaging,
    *,
    with_squares: bool = True,
) -> tuple[FloatArray, Component, FloatArray]:
    """Covered seconds, integral of the component and of the squared value (trapezoid of the
    squares; zeros without them) between neighbouring edges."""
    time_us, told = cleaned(readings)
    nothing = np.zeros(len(edges) - 1)
    if len(time_us) < 2:
        return nothing, nothing, nothing
    if averaging is Averaging.HELD:
        return _held_integrals(time_us, told, edges, max_gap_s)
    value = component_of(averaging, told)
    steps = np.diff(time_us)
    joined = steps <= microseconds(max_gap_s)
    length = np.where(joined, steps / SECOND_US, 0.0)
    slope = np.diff(value) / (steps / SECOND_US)
    zero = np.zeros(1)
    covered = np.concatenate((zero, np.cumsum(length)))
    area = np.concatenate((zero, np.cumsum(length * (value[:-1] + value[1:]) / 2)))
    piece = np.clip(np.searchsorted(time_us, edges, side="right") - 1, 0, len(steps) - 1)
    into = np.clip((edges - time_us[piece]) / SECOND_US, 0.0, steps[piece] / SECOND_US)
    into = np.where(joined[piece], into, 0.0)
    past = edges >= time_us[-1]
    at_edge = value[piece] + slope[piece] * into
    covered_at = np.where(past, covered[-1], covered[piece] + into)
    area_at = np.where(past, area[-1], area[piece] + into * (value[piece] + at_edge) / 2)
    if not with_squares:
        return np.diff(covered_at), np.diff(area_at), nothing
    told_at_edge = value_of(averaging, at_edge)
    squares = np.concatenate((zero, np.cumsum(length * (told[:-1] ** 2 + told[1:] ** 2) / 2)))
    squares_at = np.where(
        past, squares[-1], squares[piece] + into * (told[piece] ** 2 + told_at_edge**2) / 2
    )
    return np.diff(covered_at), np.diff(area_at), np.diff(squares_at)


def _held_integrals(
    time_us: TimeArray, value: FloatArray, edges: TimeArray, max_gap_s: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """As `integrals_between`, of values that hold until the next word."""
    steps = np.diff(time_us)
    joined = steps <= microseconds(max_gap_s)
    length = np.where(joined, steps / SECOND_US, 0.0)
    piece = np.clip(np.searchsorted(time_us, edges, side="right") - 1, 0, len(steps) - 1)
    into = np.clip((edges - time_us[piece]) / SECOND_US, 0.0, steps[piece] / SECOND_US)
    into = np.where(joined[piece], into, 0.0)
    past = edges >= time_us[-1]

    def between(held: FloatArray) -> FloatArray:
        upto = np.concatenate((np.zeros(1), np.cumsum(length * held[:-1])))
        return np.diff(np.where(past, upto[-1], upto[piece] + into * held[piece]))

    return between(np.ones(len(value))), between(value), between(value**2)


def merged(buckets: Buckets, into: int, averaging: Averaging = Averaging.ARITHMETIC) -> Buckets:
    """Every `into` neighbouring buckets as one; their number must be a multiple of it."""

    def grouped(column: FloatArray) -> FloatArray:
        return column.reshape(-1, into)

    weight = np.where(buckets.covered_s > 0, buckets.covered_s, 0.0)
    plain = buckets.count.astype(np.float64)
    with np.errstate(invalid="ignore", divide="ignore"):
        covered = grouped(weight).sum(axis=1)
        # Where nothing is covered, readings count alike.
        by_time = np.where(np.repeat(covered > 0, into), weight, plain)
        shares = grouped(by_time)
        sums = shares.sum(axis=1)
        component = component_of(averaging, buckets.mean)
        if averaging is Averaging.CIRCULAR:
            component = component * np.sqrt(buckets.mean_square)
        component = np.nansum(component.reshape(-1, into) * shares, axis=1) / sums
        mean_square = np.nansum(grouped(buckets.mean_square) * shares, axis=1) / sums
    if averaging is Averaging.CIRCULAR:
        mean_square = np.abs(component) ** 2
    firsts = np.arange(0, len(buckets), into)
    low, high = extremes_of(averaging, buckets.low, buckets.high, firsts)
    return Buckets(
        buckets.start_us,
        buckets.width_us * into,
        buckets.count.reshape(-1, into).sum(axis=1),
        buckets.suspect.reshape(-1, into).sum(axis=1),
        low,
        high,
        value_of(averaging, component),
        mean_square,
        covered,
    )


def lone_readings(readings: Readings, max_gap_s: float) -> tuple[TimeArray, FloatArray]:
    """The good readings that stand a gap away from both neighbours, (L,) each."""
    time_us, value = cleaned(readings)
    apart = np.diff(time_us) > microseconds(max_gap_s)
    edge = np.ones(min(1, len(time_us)), np.bool_)
    lone = np.concatenate((edge, apart)) & np.concatenate((apart, edge))
    return time_us[lone], value[lone]


def with_lone_readings(
    buckets: Buckets,
    readings: Readings,
    *,
    max_gap_s: float,
    cadence_s: float,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> Buckets:
    """Buckets in which a reading alone, a gap away from both neighbours, stands for a cadence, as
    section H of our formulas has it."""
    time_us, value = lone_readings(readings, max_gap_s)
    at = (time_us - buckets.start_us) // buckets.width_us
    inside = (at >= 0) & (at < len(buckets))
    if not inside.any():
        return buckets
    at, value = at[inside], value[inside]
    size = len(buckets)
    added_s = np.bincount(at, minlength=size) * cadence_s
    before = component_of(averaging, np.nan_to_num(buckets.mean))
    if averaging is Averaging.CIRCULAR:
        before = before * np.sqrt(np.nan_to_num(buckets.mean_square))
    covered = buckets.covered_s + added_s
    with np.errstate(invalid="ignore", divide="ignore"):
        component = (
            before * buckets.covered_s
            + counted_by(at, component_of(averaging, value), size) * cadence_s
        ) / covered
        square = (
            np.nan_to_num(buckets.mean_square) * buckets.covered_s
            + np.bincount(at, weights=value**2, minlength=size) * cadence_s
        ) / covered
    if averaging is Averaging.CIRCULAR:
        square = np.abs(component) ** 2
    changed = added_s > 0
    return replace(
        buckets,
        mean=np.where(changed, value_of(averaging, component), buckets.mean),
        mean_square=np.where(changed, square, buckets.mean_square),
        covered_s=covered,
    )
