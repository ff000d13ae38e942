"""Buckets: what is known of a stretch of readings without looking at each of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rook_tally.core.arrays import FloatArray, IntArray, TimeArray
from rook_tally.core.gaps import cleaned, microseconds
from rook_tally.core.readings import Readings
from rook_tally.core.timestamps import SECOND_US


@dataclass(frozen=True, slots=True)
class Buckets:
    """Summaries of equal stretches that follow one another.

    Attributes
    ----------
    start_us : int
        Where the first begins.
    width_us : int
    count, suspect : (B,) int64
        Good readings and suspect ones.
    low, high : (B,) float64
        Of good readings; NaN without one.
    mean, mean_square : (B,) float64
        Time-weighted, by trapezoid over the pieces inside; a bucket that holds good readings but
        no piece has their plain mean. NaN without a good reading or piece.
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
    readings: Readings, *, start_us: int, width_us: int, count: int, max_gap_s: float
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
    total = np.bincount(where, weights=value, minlength=count)
    squares = np.bincount(where, weights=value**2, minlength=count)
    if len(where):
        firsts = np.flatnonzero(np.diff(where, prepend=-1))
        low[where[firsts]] = np.minimum.reduceat(value, firsts)
        high[where[firsts]] = np.maximum.reduceat(value, firsts)
    covered, area, area_square = _integrals(readings, edges, max_gap_s)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(covered > 0, area / covered, total / n_good)
        mean_square = np.where(covered > 0, area_square / covered, squares / n_good)
    return Buckets(
        start_us, width_us, n_good.astype(np.int64), n_suspect.astype(np.int64),
        low, high, mean, mean_square, covered,
    )  # fmt: skip


def _integrals(
    readings: Readings, edges: TimeArray, max_gap_s: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Covered seconds, ∫v and ∫v² (trapezoid of the squares) between neighbouring edges."""
    time_us, value = cleaned(readings)
    nothing = np.zeros(len(edges) - 1)
    if len(time_us) < 2:
        return nothing, nothing, nothing
    steps = np.diff(time_us)
    joined = steps <= microseconds(max_gap_s)
    length = np.where(joined, steps / SECOND_US, 0.0)
    slope = np.diff(value) / (steps / SECOND_US)
    zero = np.zeros(1)
    covered = np.concatenate((zero, np.cumsum(length)))
    area = np.concatenate((zero, np.cumsum(length * (value[:-1] + value[1:]) / 2)))
    squares = np.concatenate((zero, np.cumsum(length * (value[:-1] ** 2 + value[1:] ** 2) / 2)))
    piece = np.clip(np.searchsorted(time_us, edges, side="right") - 1, 0, len(steps) - 1)
    into = np.clip((edges - time_us[piece]) / SECOND_US, 0.0, steps[piece] / SECOND_US)
    into = np.where(joined[piece], into, 0.0)
    past = edges >= time_us[-1]
    at_edge = value[piece] + slope[piece] * into
    covered_at = np.where(past, covered[-1], covered[piece] + into)
    area_at = np.where(past, area[-1], area[piece] + into * (value[piece] + at_edge) / 2)
    squares_at = np.where(
        past, squares[-1], squares[piece] + into * (value[piece] ** 2 + at_edge**2) / 2
    )
    return np.diff(covered_at), np.diff(area_at), np.diff(squares_at)


def merged(buckets: Buckets, into: int) -> Buckets:
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
        mean = np.nansum(grouped(buckets.mean) * shares, axis=1) / sums
        mean_square = np.nansum(grouped(buckets.mean_square) * shares, axis=1) / sums
    return Buckets(
        buckets.start_us,
        buckets.width_us * into,
        buckets.count.reshape(-1, into).sum(axis=1),
        buckets.suspect.reshape(-1, into).sum(axis=1),
        np.fmin.reduce(grouped(buckets.low), axis=1),
        np.fmax.reduce(grouped(buckets.high), axis=1),
        mean,
        mean_square,
        covered,
    )
