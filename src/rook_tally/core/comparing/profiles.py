"""What is usual at an hour: a day's profile, a table of the week (section O of our formulas)."""

from __future__ import annotations

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray
from rook_tally.core.quantities.averaging import Averaging, Component, component_of, value_of
from rook_tally.core.series.buckets import counted_by, integrals_between, lone_readings
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import SECOND_US

DAY_S = 86_400
HOURS_OF_WEEK = 168


class DayProfile(msgspec.Struct, frozen=True):
    """Quartiles of the readings by time of day: (B,) each; NaN and n 0 for an empty bin.

    `start_s`: where each bin begins, local seconds of the day.
    """

    start_s: FloatArray
    median: FloatArray
    p25: FloatArray
    p75: FloatArray
    n: IntArray


def day_profile(
    local_s_of_day: FloatArray, value: FloatArray, good: BoolArray, *, bin_s: float = 3600.0
) -> DayProfile:
    """Quartiles (Hyndman & Fan 1996, type 7) of good readings by time of day.

    By readings, so that a burst counts more; the hour passed twice in autumn falls twice into its
    bin. ValueError when the bins do not divide a day, or a time lies outside it.
    """
    bins = round(DAY_S / bin_s) if bin_s > 0 else 0
    if bins < 1 or bins * bin_s != DAY_S:
        raise ValueError(f"bins divide a day into equal parts, got {bin_s:g} s")
    known = np.isfinite(local_s_of_day)
    if bool(((local_s_of_day < 0) | (local_s_of_day >= DAY_S))[known].any()):
        raise ValueError("a time of day lies between 0 and 86400 s")
    used = known & good & np.isfinite(value)
    where = np.minimum((local_s_of_day[used] // bin_s).astype(np.int64), bins - 1)
    told = value[used]
    order = np.lexsort((told, where))
    told, n = told[order], np.bincount(where, minlength=bins)
    first = np.concatenate((np.zeros(1, np.int64), np.cumsum(n)[:-1]))

    def quantile(share: float) -> FloatArray:
        if not len(told):
            return np.full(bins, np.nan)
        at = np.maximum(n - 1, 0) * share
        low = np.floor(at).astype(np.int64)
        last = len(told) - 1
        below = told[np.minimum(first + low, last)]
        above = told[np.minimum(first + np.minimum(low + 1, np.maximum(n - 1, 0)), last)]
        return np.where(n > 0, below + (at - low) * (above - below), np.nan)

    starts = np.arange(bins, dtype=np.float64) * bin_s
    return DayProfile(starts, quantile(0.5), quantile(0.25), quantile(0.75), n)


class SlotTable(msgspec.Struct, frozen=True):
    """Mean and how much was heard of every slot, (S,) each; NaN where unknown."""

    mean: FloatArray
    share: FloatArray


class WindowIntegrals(msgspec.Struct, frozen=True):
    """Of windows that follow one another: covered seconds and integral of the component, (W,)."""

    covered_s: FloatArray
    integral: Component


def window_integrals(
    readings: Readings,
    edges_us: TimeArray,
    *,
    max_gap_s: float,
    cadence_s: float,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> WindowIntegrals:
    """Integrals between rising edges by the rules of section H, a reading alone included.

    ValueError for edges that do not rise.
    """
    if bool((np.diff(edges_us) <= 0).any()):
        raise ValueError("edges rise strictly")
    if len(edges_us) < 2:
        return WindowIntegrals(np.empty(0), np.empty(0))
    covered, integral, _ = integrals_between(
        readings, edges_us, max_gap_s, averaging, with_squares=False
    )
    lone_us, lone = lone_readings(readings, max_gap_s)
    at = np.searchsorted(edges_us, lone_us, side="right") - 1
    inside = (at >= 0) & (at < len(covered))
    if inside.any():
        at, size = at[inside], len(covered)
        covered = covered + np.bincount(at, minlength=size) * cadence_s
        integral = (
            integral + counted_by(at, component_of(averaging, lone[inside]), size) * cadence_s
        )
    return WindowIntegrals(covered, integral)


def joined_windows(heard: WindowIntegrals, first: IntArray) -> WindowIntegrals:
    """Windows that follow one another put together, each from one of them, (W,), to the next, the
    last to the end: integrals of hours are those of their days."""
    return WindowIntegrals(
        np.add.reduceat(heard.covered_s, first), np.add.reduceat(heard.integral, first)
    )


def week_table(
    readings: Readings,
    edges_us: TimeArray,
    slot: IntArray,
    *,
    max_gap_s: float,
    cadence_s: float,
    slots: int = HOURS_OF_WEEK,
    averaging: Averaging = Averaging.ARITHMETIC,
) -> SlotTable:
    """Time-weighted means by slot, each window adding to the slot it is given.

    For the 7 x 24 table: edges at the local hours, slot = 24·weekday + hour, Monday 0. An hour
    twice in autumn and none in spring are all in edges and slots.
    """
    if len(slot) != max(len(edges_us) - 1, 0):
        raise ValueError(f"{max(len(edges_us) - 1, 0)} windows and {len(slot)} slots")
    if len(slot) and not 0 <= int(slot.min()) <= int(slot.max()) < slots:
        raise ValueError(f"a slot lies between 0 and {slots - 1}")
    heard = window_integrals(
        readings, edges_us, max_gap_s=max_gap_s, cadence_s=cadence_s, averaging=averaging
    )
    length = np.bincount(slot, weights=np.diff(edges_us) / SECOND_US, minlength=slots)
    weight = np.bincount(slot, weights=heard.covered_s, minlength=slots)
    with np.errstate(invalid="ignore", divide="ignore"):
        component = counted_by(slot, heard.integral, slots) / weight
        share = np.where(length > 0, np.minimum(1.0, weight / length), np.nan)
    mean = np.where(weight > 0, value_of(averaging, component), np.nan)
    return SlotTable(mean, share)
