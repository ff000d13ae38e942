"""Traces as pixels, worked out in whole arrays: how much of each pixel a line or a band covers.

Qt's painter takes 50 to 80 ms for a noisy antialiased trace as wide as a window, and pyqtgraph the
same, as it draws by it. A trace over a time axis has one value a column, so its coverage is a
matter of clipping, which takes a twentieth of that. Plain NumPy: it can be tested without a screen.
"""

from __future__ import annotations

from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import FloatArray

AntialiasedTrace: TypeAlias = NDArray[np.float32]
Strength: TypeAlias = NDArray[np.uint8]
_NOWHERE = np.float32(1e6)


def band_coverage(top: FloatArray, bottom: FloatArray, height: int) -> AntialiasedTrace:
    """Share of each pixel that a band between two edges covers, 0 to 1.

    Parameters
    ----------
    top, bottom : (W,) float64
        In pixels from the upper edge, top ≤ bottom; NaN where there is no band.
    height : int

    Returns
    -------
    (height, W) float32
    """
    rows = np.arange(height, dtype=np.float32)[:, None]
    nothing = np.isnan(top)
    upper = np.where(nothing, _NOWHERE, top).astype(np.float32)
    lower = np.where(nothing, -_NOWHERE, bottom).astype(np.float32)
    covered: AntialiasedTrace = np.minimum(lower, rows + 1)
    covered -= np.maximum(upper, rows)
    return np.clip(covered, 0.0, 1.0, out=covered)


def line_coverage(y: FloatArray, height: int, thickness: float) -> AntialiasedTrace:
    """Share of each pixel that a line with one value a column covers; columns of NaN break it.

    Each column is filled from halfway to its left neighbour to halfway to its right one.
    """
    before, after = np.empty_like(y), np.empty_like(y)
    before[0], after[-1] = y[0], y[-1]
    between = (y[1:] + y[:-1]) / 2
    before[1:], after[:-1] = between, between
    before, after = np.where(np.isnan(before), y, before), np.where(np.isnan(after), y, after)
    # A sloping line is as thick across as a level one.
    slope = np.minimum(np.abs(after - before), 1.5)
    half = thickness / 2 * np.sqrt(1 + slope**2)
    top = np.minimum(np.minimum(before, after), y) - half
    bottom = np.maximum(np.maximum(before, after), y) + half
    return band_coverage(top, bottom, height)


def spread_over(
    x: FloatArray, values: tuple[FloatArray, ...], starts: list[int], width: int
) -> tuple[FloatArray, ...]:
    """Values at points made into one value a column, straight between points of one segment.

    Parameters
    ----------
    x : (N,) float64
        Columns of the points, ascending.
    values : tuple of (N,) float64
    starts : list of int
        Where segments begin among the points.
    width : int

    Returns
    -------
    tuple of (width,) float64, NaN outside every segment.
    """
    made = tuple(np.full(width, np.nan) for _ in values)
    edges = [*starts, len(x)]
    for begin, end in pairwise(edges):
        if end <= begin:
            continue
        part = x[begin:end]
        first, last = max(0, round(float(part[0]))), min(width - 1, round(float(part[-1])))
        if last < first:
            continue
        columns = np.arange(first, last + 1)
        for column_values, one in zip(made, values, strict=True):
            column_values[first : last + 1] = np.interp(columns, part, one[begin:end])
    return made


def strength_of(
    line: AntialiasedTrace, band: AntialiasedTrace | None, band_opacity: float
) -> Strength:
    """Opacity of a line over a band for each pixel, 0 to 255."""
    if band is not None:
        # What of the band the line leaves uncovered.
        band *= 1 - line
        band *= np.float32(band_opacity)
        line = line + band
    return np.asarray(line * np.float32(255) + np.float32(0.5), np.uint8)


def ribbon_strengths(
    means: FloatArray,
    lows: FloatArray,
    highs: FloatArray,
    size: tuple[int, int],
    *,
    thickness: float,
    inset: int,
) -> Strength:
    """Many small traces of equal size at once: each alone would cost more in calls than in work.

    Parameters
    ----------
    means : (S, C) float64
        NaN where nothing was heard.
    lows, highs : (S,) float64
        The range of values each is drawn over.
    size : (width, height)
        In pixels, of each.
    inset : int
        So many pixels stay free on every side.

    Returns
    -------
    (S, height, width) uint8: how strongly each pixel is inked.
    """
    width, height = size
    count = means.shape[1]
    at = (np.arange(width) - inset + 0.5) / (width - 2 * inset) * count - 0.5
    left = np.clip(np.floor(at), 0, count - 1).astype(np.int64)
    right = np.minimum(left + 1, count - 1)
    share = np.clip(at - left, 0.0, 1.0)
    before, after = means[:, left], means[:, right]
    value = before * (1 - share) + after * share
    # At a gap's edge the nearer column alone says where the line ends.
    value = np.where(np.isnan(value), np.where(share < 0.5, before, after), value)
    value[:, (at < -0.5) | (at > count - 0.5)] = np.nan
    tall = height - 2 * inset
    y = inset + (highs[:, None] - value) / (highs - lows)[:, None] * tall
    # Laid in a row, an empty column between two.
    row = np.full((len(means), width + 1), np.nan)
    row[:, :width] = y
    strength = strength_of(line_coverage(row.ravel(), height, thickness), None, 0.0)
    parts = strength.reshape(height, len(means), width + 1)[:, :, :width]
    return np.ascontiguousarray(parts.transpose(1, 0, 2))
