"""What a span of a series comes to, from exact readings and from summaries alike."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from rook_tally.core.corrections import Correction
from rook_tally.core.gaps import inside
from rook_tally.core.readings import Readings
from rook_tally.core.statistics import Window, mean_of, pieces_of


@dataclass(frozen=True, slots=True)
class SpanStatistics:
    """Totals of a span, in the base unit; NaN where nothing is known.

    Attributes
    ----------
    count, suspect : int
        Good readings and suspect ones.
    low, high : float
        Of good readings.
    mean, mean_square : float
        Time-weighted over what is covered (section H of our formulas).
    covered_s : float
        How much of the span the readings speak for.
    """

    count: int
    suspect: int
    low: float
    high: float
    mean: float
    mean_square: float
    covered_s: float

    @property
    def std(self) -> float:
        """Time-weighted standard deviation."""
        return math.sqrt(max(0.0, self.mean_square - self.mean**2))


NOTHING = SpanStatistics(0, 0, math.nan, math.nan, math.nan, math.nan, 0.0)


def span_of_readings(
    readings: Readings, *, max_gap_s: float, cadence_s: float, window: Window
) -> SpanStatistics:
    """Totals of a window; pass readings from a gap's length before it to as long after it."""
    part = readings[inside(readings.time_us, window.start_us, window.end_us)]
    good = part.value[part.good]
    pieces = pieces_of(readings, max_gap_s=max_gap_s, cadence_s=cadence_s, window=window)
    covered = pieces.covered_s
    squares = float((pieces.length_s * (pieces.left**2 + pieces.right**2)).sum()) / 2
    return SpanStatistics(
        len(good),
        len(part) - len(good),
        float(good.min()) if len(good) else math.nan,
        float(good.max()) if len(good) else math.nan,
        mean_of(pieces),
        squares / covered if covered else math.nan,
        covered,
    )


def corrected_span(span: SpanStatistics, correction: Correction) -> SpanStatistics:
    """A span's totals after v → gain·v + offset."""
    gain, offset = correction.gain, correction.offset
    low, high = sorted((gain * span.low + offset, gain * span.high + offset))
    return replace(
        span, low=low, high=high, mean=gain * span.mean + offset,
        mean_square=gain**2 * span.mean_square + 2 * gain * offset * span.mean + offset**2,
    )  # fmt: skip


def joined_spans(spans: Sequence[SpanStatistics]) -> SpanStatistics:
    """Adjoining spans as one."""
    covered = [one for one in spans if one.covered_s > 0]
    heard = [one for one in spans if one.count]
    if not heard:
        return replace(NOTHING, suspect=sum(one.suspect for one in spans))
    # Where nothing is covered, readings count alike.
    weights = [one.covered_s for one in covered] or [float(one.count) for one in heard]
    parts = covered or heard
    return SpanStatistics(
        sum(one.count for one in spans),
        sum(one.suspect for one in spans),
        min(one.low for one in heard),
        max(one.high for one in heard),
        float(np.average([one.mean for one in parts], weights=weights)),
        float(np.average([one.mean_square for one in parts], weights=weights)),
        sum(one.covered_s for one in covered),
    )
