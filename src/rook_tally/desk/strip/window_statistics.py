"""Every series over the window in figures: lowest, mean, highest, how much was heard."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import UNKNOWN, figure, plain
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.spans import NOTHING
from rook_tally.core.timestamps import HOUR_US, SECOND_US, datetime_from_time_us
from rook_tally.desk.strip.model import StripModel, series_name
from rook_tally.desk.strip.texts import tr
from rook_tally.store.site import Series


@dataclass(frozen=True, slots=True)
class WindowFigures:
    """A series over the window, in words ready to show."""

    series: Series
    name: str
    lowest: str
    mean: str
    highest: str
    heard: str


def window_figures(model: StripModel) -> list[WindowFigures]:
    """Every series over the window."""
    return [_figures_of(model, one) for one in model.series]


def _figures_of(model: StripModel, one: Series) -> WindowFigures:
    envelope = model.envelopes.get(one.id)
    name = series_name(one)
    if envelope is None or envelope.is_empty:
        return WindowFigures(one, name, UNKNOWN, UNKNOWN, UNKNOWN, "0 %")
    trace = model.traces.get(one.id)
    totals = NOTHING if trace is None else trace.totals
    until_us = min(envelope.end_us, model.state.now_us)
    expected = (until_us - envelope.start_us) / SECOND_US / one.station.cadence_s
    heard = min(1.0, float(envelope.count.sum()) / max(expected, 1.0))
    if one.quantity.scale is QuantityScale.STATE:
        share = UNKNOWN if math.isnan(totals.mean) else f"{figure(100 * totals.mean, 0)} %"
        # What it really was: a contact that was never open has no highest "on".
        states = [tr("on") if one >= 0.5 else tr("off") for one in (totals.low, totals.high)]
        if totals.count == 0:
            states = [UNKNOWN, UNKNOWN]
        return WindowFigures(one, name, states[0], share, states[1], f"{figure(100 * heard, 1)} %")
    high = totals.high % 360.0 if one.quantity.averaging is Averaging.CIRCULAR else totals.high
    lowest, mean, highest = (
        UNKNOWN if math.isnan(value) else one.shown.figure(value)
        for value in (totals.low, totals.mean, high)
    )
    return WindowFigures(one, name, lowest, mean, highest, f"{figure(100 * heard, 1)} %")


def level_at_peak(model: StripModel, one: Series) -> Level:
    """The level of a series' highest reading in the window; by hours as far as columns tell them
    apart, else by the limits of the whole day."""
    envelope = model.envelopes.get(one.id)
    if envelope is None or envelope.is_empty:
        return Level.SETTLED
    if envelope.end_us - envelope.start_us > len(envelope) * HOUR_US:
        return one.limits.level_of(float(np.nanmax(envelope.high)))
    return Level(int(one.limits.levels_at(envelope.centres_us, envelope.high).max()))


def figures_as_text(model: StripModel) -> str:
    """The window and its figures for the clipboard, columns apart by tabs."""
    zone = model.state.zone
    window = model.window
    start, end = (
        datetime_from_time_us(one).astimezone(zone) for one in (window.start_us, window.end_us)
    )
    lines = [
        f"{start:%Y-%m-%d %H:%M:%S}\t{end:%Y-%m-%d %H:%M:%S}\t{model.state.site.zone}",
        "\t".join(("place", "quantity", "unit", "lowest", "mean", "highest", "heard")),
    ]
    for told in window_figures(model):
        one = told.series
        lines.append(
            "\t".join(
                (
                    one.station.place.name,
                    one.quantity.name,
                    one.shown.symbol,
                    plain(told.lowest),
                    plain(told.mean),
                    plain(told.highest),
                    plain(told.heard),
                )
            )
        )
    return "\n".join(lines)
