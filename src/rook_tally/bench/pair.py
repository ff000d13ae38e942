"""Two series side by side: figures, picture and the correction they carry, from the store."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.bench.texts import tr
from rook_tally.bench.wording import Sentence, in_unit, short_names
from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.comparing.paired_cells import PairInput
from rook_tally.core.comparing.proposed_correction import Proposal, Refusal, proposed_correction
from rook_tally.core.comparing.side_by_side import SideBySide, side_by_side
from rook_tally.core.errors import UsageError
from rook_tally.core.moment_words import day_words
from rook_tally.core.series.gaps import cleaned
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series, Site, corrections_of
from rook_tally.store.site.remarks import remarks

COLUMNS = 360
_SAMPLE = 360
# A lag below this is nothing that anybody could act on.
_LEAST_LAG_S = 1.0


class Trace(msgspec.Struct, frozen=True):
    """A line to draw: (C,) moments, means, and lowest and highest; NaN where nothing was heard."""

    time_us: TimeArray
    mean: FloatArray
    low: FloatArray
    high: FloatArray


class OtherSeries(msgspec.Struct, frozen=True):
    """One more series beside the first: its figures, without the pairs, and its trace."""

    series: Series
    figures: SideBySide
    trace: Trace


class PairAnswer(msgspec.Struct, frozen=True):
    """Everything a person is told of two series; `sentence` first.

    Figures are in the base unit, without the pairs themselves: there may be a million.
    """

    first: Series
    second: Series
    start_us: int
    end_us: int
    sentence: Sentence
    pairs: int
    figures: SideBySide
    proposal: Proposal | None
    refused: str
    notes: tuple[str, ...]
    first_trace: Trace
    second_trace: Trace
    difference_trace: Trace
    others: tuple[OtherSeries, ...]
    corrected_trace: Trace | None
    sample_first: FloatArray
    sample_second: FloatArray


def compare(
    connection: Connection,
    site: Site,
    first: Series,
    second: Series,
    start_us: int,
    end_us: int,
    others: tuple[Series, ...] = (),
) -> PairAnswer:
    """Set two series side by side over [start, end), as they are shown (corrected); `others` are
    set beside the first as well.

    Raises
    ------
    UsageError
        For one series twice, or two that do not measure the same dimension.
    """
    if first.id == second.id:
        raise UsageError(
            tr("that is one series twice"), remedy=tr("choose another to set beside it")
        )
    if first.quantity.base.dimension != second.quantity.base.dimension:
        raise UsageError(
            tr(
                "{0} and {1} are not told in units of one another",
                first.quantity.name,
                second.quantity.name,
            ),
            remedy=tr("choose two series of one quantity"),
        )
    read = [read_range(connection, one.id, start_us, end_us) for one in (first, second)]
    inputs = [
        PairInput(readings, one.station.cadence_s)
        for readings, one in zip(read, (first, second), strict=True)
    ]
    averaging = first.quantity.averaging
    told = side_by_side(inputs[0], inputs[1], start_us, end_us, averaging=averaging)
    accuracy = second.quantity.accuracy
    found = proposed_correction(told, accuracy=accuracy, averaging=averaging)
    proposal = found if isinstance(found, Proposal) else None
    refused = "" if proposal is not None else _refusal_words(found, first, second)
    width_us = max(1, -(-(end_us - start_us) // COLUMNS))
    chosen = np.linspace(0, max(len(told.time_us) - 1, 0), min(_SAMPLE, len(told.time_us)))
    sample = chosen.astype(np.int64)
    after = None
    if proposal is not None:
        after = _after(told, proposal, start_us, width_us)
    return PairAnswer(
        first,
        second,
        start_us,
        end_us,
        _sentence(told, first, second, site),
        len(told.time_us),
        told.without_pairs(),
        proposal,
        refused,
        _notes(connection, site, told, first, second, start_us, end_us),
        trace_of(*cleaned(read[0]), start_us, width_us),
        trace_of(*cleaned(read[1]), start_us, width_us),
        trace_of(told.time_us, told.differences, start_us, width_us),
        tuple(
            _beside(connection, inputs[0], one, start_us, end_us, width_us)
            for one in others
            if one.quantity.base.dimension == first.quantity.base.dimension
        ),
        after,
        told.first[sample],
        told.second[sample],
    )


def _beside(
    connection: Connection,
    first: PairInput,
    series: Series,
    start_us: int,
    end_us: int,
    width_us: int,
) -> OtherSeries:
    readings = read_range(connection, series.id, start_us, end_us)
    told = side_by_side(
        first,
        PairInput(readings, series.station.cadence_s),
        start_us,
        end_us,
        averaging=series.quantity.averaging,
    )
    trace = trace_of(*cleaned(readings), start_us, width_us)
    return OtherSeries(series, told.without_pairs(), trace)


def trace_of(
    time_us: TimeArray, value: FloatArray, start_us: int, width_us: int, columns: int = COLUMNS
) -> Trace:
    """Mean, lowest and highest of (N,) values, in order of time, in each of so many columns."""
    edges = np.searchsorted(time_us, start_us + np.arange(columns + 1, dtype=np.int64) * width_us)
    count = np.diff(edges)
    filled = np.flatnonzero(count)
    mean, low, high = (np.full(columns, np.nan) for _ in range(3))
    if len(filled):
        told, firsts = value[edges[0] : edges[-1]], edges[filled] - edges[0]
        mean[filled] = np.add.reduceat(told, firsts) / count[filled]
        low[filled] = np.minimum.reduceat(told, firsts)
        high[filled] = np.maximum.reduceat(told, firsts)
    centres = start_us + np.arange(columns, dtype=np.int64) * width_us + width_us // 2
    return Trace(centres, mean, low, high)


def _after(told: SideBySide, proposal: Proposal, start_us: int, width_us: int) -> Trace:
    """The differences with the second series corrected as proposed: a correction is a straight
    line, so it may be done to means."""
    first, second = (
        trace_of(told.time_us, one, start_us, width_us) for one in (told.first, told.second)
    )
    which = np.searchsorted(proposal.starts_us, first.time_us, side="right") - 1
    offsets = proposal.offsets[np.maximum(which, 0)]
    mean = proposal.gain * second.mean + offsets - first.mean
    return Trace(first.time_us, mean, mean, mean)


def _sentence(told: SideBySide, first: Series, second: Series, site: Site) -> Sentence:
    one, other = short_names((first, second))
    if not len(told.time_us):
        return Sentence(tr("{0} and {1} were never heard together.", one, other))
    shown, mean = second.shown, told.difference
    size = in_unit(shown, abs(mean.mean), mean.within)
    strong = []
    sure = math.isfinite(mean.within) and abs(mean.mean) > mean.within
    if not sure:
        text = (
            tr("{0} and {1} agree to {2}", other, one, in_unit(shown, mean.within, math.nan))
            if math.isfinite(mean.within)
            else tr("How far {0} is off {1} cannot be told yet", other, one)
        )
    elif mean.mean > 0:
        strong.append(tr("{0} above", size))
        text = tr("{0} reads {1} {2}", other, strong[0], one)
    else:
        strong.append(tr("{0} below", size))
        text = tr("{0} reads {1} {2}", other, strong[0], one)
    lag = told.lag
    least_s = max(_LEAST_LAG_S, first.station.cadence_s / 20, second.station.cadence_s / 20)
    if math.isfinite(lag.within_s) and abs(lag.lag_s) > max(lag.within_s, least_s):
        words = tr("{0} s", f"{abs(lag.lag_s):.0f}")
        follows = tr("follows it by {0}", words) if lag.lag_s > 0 else tr("leads it by {0}", words)
        text = tr("{0}, {1}", text, follows)
    drift = told.drift
    if math.isfinite(drift.low) and drift.low * drift.high > 0:
        half = (drift.high - drift.low) / 2
        size = in_unit(shown, abs(drift.drift_per_month), half)
        words = tr("drifted {0} a month", size)
        strong.append(words)
        since = _since_words(int(told.time_us[0]), site)
        text = tr("{0}, and has {1} since {2}", text, words, since)
    return Sentence(text + ".", tuple(strong))


def _since_words(time_us: int, site: Site) -> str:
    from zoneinfo import ZoneInfo

    return day_words(datetime_from_time_us(time_us).astimezone(ZoneInfo(site.zone)))


def _refusal_words(why: object, first: Series, second: Series) -> str:
    one, other = short_names((first, second))
    if why is Refusal.NO_PAIRS:
        return tr("They were never heard within half a cadence of each other.")
    if why is Refusal.TOO_FEW:
        return tr("Too few of the pairs are independent of each other: look at a longer stretch.")
    if why is Refusal.CONSTANT:
        return tr("One of them never changes, so nothing can be told from the other.")
    if why is Refusal.NO_AGREEMENT:
        return tr("They do not go together: {0} cannot say what {1} should read.", one, other)
    if why is Refusal.NO_DIFFERENCE:
        return tr("They do not differ by more than chance: there is nothing to correct.")
    if why is Refusal.NOT_SURE:
        return tr("How far they are apart is less sure than the sensor itself.")
    return tr("Directions cannot be corrected by another series.")


def _notes(
    connection: Connection,
    site: Site,
    told: SideBySide,
    first: Series,
    second: Series,
    start_us: int,
    end_us: int,
) -> tuple[str, ...]:
    """What a person should know before believing the figures."""
    notes = []
    kept = corrections_of(connection, [first.id, second.id])
    for one, name in zip((first, second), short_names((first, second)), strict=True):
        inside = [each for each in kept.get(one.id, ()) if each.from_us < end_us]
        if inside:
            notes.append(tr("{0} is corrected already; what follows lies on top of that.", name))
        moved = [each for each in site.retired if each.past_of == one.station.id]
        if moved:
            notes.append(
                tr("{0} stood elsewhere before; readings from there are not compared.", name)
            )
        for remark in remarks(connection):
            named = one.station.key in remark.text and remark.place == one.station.place.name
            if named and "was replaced by" in remark.text and start_us <= remark.start_us < end_us:
                notes.append(tr("{0} was replaced within this stretch: {1}.", name, remark.text))
    if first.quantity.slug != second.quantity.slug:
        notes.append(
            tr("They are two quantities, {0} and {1}.", first.quantity.name, second.quantity.name)
        )
    if first.station.place.id != second.station.place.id:
        notes.append(tr("They stand at two places: what differs may be the air."))
    if len(told.time_us) and told.heard < 0.5:
        notes.append(tr("Both were heard only {0} % of the time.", f"{100 * told.heard:.0f}"))
    if math.isfinite(told.drift.span_days) and told.drift.span_days < 2 * 28:
        notes.append(tr("A season can look like drift: this stretch is shorter than two months."))
    return tuple(notes)


def window_back(now_us: int, days: float) -> tuple[int, int]:
    """The last so many days, [start, end)."""
    return now_us - round(days * DAY_US), now_us + 1
