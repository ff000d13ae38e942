"""Statistics of a span of a series, from exact readings and from summaries alike."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from rook_tally.core.quantities.averaging import (
    Averaging,
    arc_of,
    component_of,
    spread_of_directions,
    value_of,
)
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.gaps import inside
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.statistics import Window, mean_component_of, mean_of, pieces_of


class SpanStatistics(msgspec.Struct, frozen=True):
    """Totals of a span, in the base unit; NaN where nothing is known.

    Attributes
    ----------
    count, suspect : int
        Good readings and suspect ones.
    low, high : float
        Of good readings.
    mean, mean_square : float
        Time-weighted over what is covered (section H of our formulas), as the quantity averages; in
        the place of the square a direction has the squared length of its mean vector.
    covered_s : float
        How much of the span the readings speak for.
    averaging : Averaging
    """

    count: int
    suspect: int
    low: float
    high: float
    mean: float
    mean_square: float
    covered_s: float
    averaging: Averaging = Averaging.ARITHMETIC

    @property
    def std(self) -> float:
        """Time-weighted standard deviation; NaN for levels, whose energy does not tell it."""
        if self.averaging is Averaging.CIRCULAR:
            return spread_of_directions(math.sqrt(max(0.0, self.mean_square)))
        if self.averaging is Averaging.ENERGETIC:
            return math.nan
        return math.sqrt(max(0.0, self.mean_square - self.mean**2))


NOTHING = SpanStatistics(0, 0, math.nan, math.nan, math.nan, math.nan, 0.0)


def span_of_readings(
    readings: Readings,
    *,
    max_gap_s: float,
    cadence_s: float,
    window: Window,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> SpanStatistics:
    """Totals of a window; pass readings from a gap's length before it to as long after it."""
    part = readings[inside(readings.time_us, window.start_us, window.end_us)]
    good = part.value[part.good]
    pieces = pieces_of(
        readings, max_gap_s=max_gap_s, cadence_s=cadence_s, window=window, averaging=averaging
    )
    covered = pieces.covered_s
    if averaging is Averaging.CIRCULAR:
        low, high = arc_of(good, good)
        square = abs(mean_component_of(pieces)) ** 2
    else:
        low = float(good.min()) if len(good) else math.nan
        high = float(good.max()) if len(good) else math.nan
        left, right = pieces.ends
        squares = float((pieces.length_s * (left**2 + right**2)).sum()) / 2
        square = squares / covered if covered else math.nan
    return SpanStatistics(
        len(good), len(part) - len(good), low, high, mean_of(pieces), square, covered, averaging
    )


def corrected_span(span: SpanStatistics, correction: Correction) -> SpanStatistics:
    """A span's totals after v → gain·v + offset, where they can be told from them: of levels and
    directions only with a gain of 1 (`can_correct`)."""
    gain, offset = correction.gain, correction.offset
    if span.averaging is Averaging.CIRCULAR:
        return replace(
            span, low=span.low + offset, high=span.high + offset, mean=(span.mean + offset) % 360.0
        )
    low, high = sorted((gain * span.low + offset, gain * span.high + offset))
    return replace(
        span,
        low=low,
        high=high,
        mean=gain * span.mean + offset,
        mean_square=gain**2 * span.mean_square + 2 * gain * offset * span.mean + offset**2,
    )


def can_correct(averaging: Averaging, correction: Correction) -> bool:
    """True if totals can be corrected without their readings."""
    return averaging.is_plain or correction.gain == 1.0


def joined_spans(spans: Sequence[SpanStatistics]) -> SpanStatistics:
    """Adjoining spans of one series as one."""
    covered = [one for one in spans if one.covered_s > 0]
    heard = [one for one in spans if one.count]
    if not heard:
        return replace(NOTHING, suspect=sum(one.suspect for one in spans))
    # Where nothing is covered, readings count alike.
    weights = [one.covered_s for one in covered] or [float(one.count) for one in heard]
    parts = covered or heard
    averaging = spans[0].averaging
    component = component_of(averaging, np.array([one.mean for one in parts]))
    square = float(np.average([one.mean_square for one in parts], weights=weights))
    low, high = min(one.low for one in heard), max(one.high for one in heard)
    if averaging is Averaging.CIRCULAR:
        component = component * np.sqrt([one.mean_square for one in parts])
        square = float(np.abs(np.average(component, weights=weights)) ** 2)
        low, high = arc_of(
            np.array([one.low for one in heard]), np.array([one.high for one in heard])
        )
    mean = value_of(averaging, np.atleast_1d(np.average(component, weights=weights)))
    return SpanStatistics(
        sum(one.count for one in spans),
        sum(one.suspect for one in spans),
        low,
        high,
        float(mean[0]),
        square,
        sum(one.covered_s for one in covered),
        averaging,
    )
