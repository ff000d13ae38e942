"""Traces as Qt's images: means as a line, lowest to highest as a band around it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor, QImage

from rook_tally.core.arrays import FloatArray
from rook_tally.core.series.envelope import Envelope
from rook_tally.desk.parts.antialias import (
    Strength,
    band_coverage,
    line_coverage,
    spread_over,
    strength_of,
)

BAND_OPACITY = 0.24


def trace_image(
    envelope: Envelope,
    value_range: tuple[float, float],
    size: tuple[int, int],
    shade: QColor,
    *,
    ratio: float = 1.0,
    thickness: float = 1.3,
    band: bool = True,
    inset: int = 0,
) -> QImage | None:
    """An envelope over the whole width of a picture; None when there is nothing to draw.

    Parameters
    ----------
    size : (width, height)
        In pixels of the screen.
    ratio : float
        How many of them a point of Qt's has.
    thickness : float
        Of the line, in pixels.
    inset : int
        So many pixels stay free on every side. Values outside the range run off the edge.
    """
    width, height = size
    parts = envelope.segments()
    if not parts or width < 1 or height < 1:
        return None
    low, high = value_range
    points = np.concatenate(parts)
    starts = np.cumsum([0, *(len(part) for part in parts[:-1])]).tolist()
    pitch = (width - 2 * inset) / len(envelope)
    x = np.asarray(inset - 0.5 + (points + 0.5) * pitch, np.float64)
    scale = (height - 2 * inset) / (high - low)

    def y_of(values: FloatArray) -> FloatArray:
        return np.asarray(inset + (high - values[points]) * scale)

    mean, top, bottom = spread_over(
        x, (y_of(envelope.mean), y_of(envelope.high), y_of(envelope.low)), starts, width
    )
    line = line_coverage(mean, height, thickness)
    shaded = band_coverage(top - 0.5, bottom + 0.5, height) if band else None
    strength = strength_of(line, shaded, BAND_OPACITY)
    return tinted(strength, shade, ratio)


def tinted(strength: Strength, shade: QColor, ratio: float) -> QImage:
    """A picture of one colour, as strong as (height, width) uint8 says."""
    return tinted_together(strength[np.newaxis], [shade], ratio)[0]


def tinted_together(strengths: Strength, shades: Sequence[QColor], ratio: float) -> list[QImage]:
    """Pictures of one colour each, as strong as (S, height, width) uint8 say."""
    count, height, width = strengths.shape
    steps = np.array([_shades(one.rgba()) for one in shades])
    pixels = steps[np.arange(count)[:, np.newaxis, np.newaxis], strengths]
    images = []
    for one in pixels:
        made = QImage(
            one.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied
        ).copy()
        made.setDevicePixelRatio(ratio)
        images.append(made)
    return images


@cache
def _shades(rgba: int) -> NDArray[np.uint32]:
    """A colour from nothing to its full strength, in 256 steps, each part times the strength: as
    Qt multiplies them itself, to the last bit."""
    alpha = np.round(np.arange(256) * (rgba >> 24) / 255).astype(np.uint32)
    made = alpha << 24
    for shift in (16, 8, 0):
        part = (rgba >> shift & 0xFF) * alpha
        made |= (part + (part >> 8) + 0x80 >> 8 & 0xFF) << shift
    return np.asarray(made, np.uint32)
