"""Find the decays of a room's air and work out its air changes, fresh air a person, cleaned air."""

from __future__ import annotations

import math
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.bench.events import is_state
from rook_tally.bench.texts import tr, tr_count
from rook_tally.bench.wording import Sentence, decimals_for, long_name, plus_minus
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.decays import Decay, LeftOut, falls, length_s
from rook_tally.core.comparing.paired_comparison import spearman_r
from rook_tally.core.errors import UsageError
from rook_tally.core.formulas.cleaning import (
    DecayRate,
    MedianInterval,
    clean_air_delivery,
    decays_median,
    sure_decay_rate,
    ventilation_per_person,
)
from rook_tally.core.formulas.ventilation import (
    exponential_approach_fit,
    minutes_until_limit_exponential,
)
from rook_tally.core.hours_of_day import local_us
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.number_format import duration, figure
from rook_tally.core.series.baselines import rolling_median_baseline
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.resampling import values_at
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series, Site

OUTDOOR_PPM = 420.0
_LEAST_START = {"co2": 200.0}
_CLEANERS = ("purifier", "cleaner", "filter", "extractor")
_PARTICLES = frozenset({"pm1", "pm25", "pm4", "pm10"})
_QUIET_S = 900.0
_SHORTEST_S = 40 * 60.0
_LEAST_R2 = 0.9
# Low in the noise the logarithm bends: only what is above this share of the peak is fitted.
_USED_SHARE = 0.3
_NOON_US = 12 * HOUR_US
_RECENT_US = 2 * HOUR_US


class AirRoom(msgspec.Struct, frozen=True):
    """The room as a person gives it: its volume, the people in it, the switch of its cleaner."""

    volume_m3: float = math.nan
    volume_within_m3: float = 0.0
    persons: float = math.nan
    cleaner: Series | None = None


class NightlyDecay(msgspec.Struct, frozen=True):
    """One fall: when, how fast an hour, how well it fits; why it is left out, if it is.

    `cleaner_on`: the share of it during which the cleaner ran, NaN without one.
    """

    start_us: int
    end_us: int
    rate: DecayRate
    left_out: LeftOut | None = None
    cleaner_on: float = math.nan


class Cleaning(msgspec.Struct, frozen=True):
    """The effect of an air cleaner: decays with and without it, and the clean air it delivers."""

    with_it: MedianInterval
    without_it: MedianInterval
    m3_h: float
    within: float


class AirAnswer(msgspec.Struct, frozen=True):
    """The answer of the Air page; rates are air changes an hour.

    `months`: by month as (year·12 + month), the median of it. `by_weather`: Spearman's r of the
    rate with how much warmer it is inside than outside, NaN where that is not known. `steady_ppm`:
    where the present course would end; `l_s_person` follows from it. `limit_in_min`: until the
    limit is reached as it fills now.
    """

    series: Series
    start_us: int
    end_us: int
    background: float
    sentence: Sentence
    decays: tuple[NightlyDecay, ...]
    rate: MedianInterval
    months: tuple[tuple[int, MedianInterval], ...]
    by_weather: float
    cleaning: Cleaning | None
    steady_ppm: float
    l_s_person: float
    limit: float
    limit_in_min: float
    notes: tuple[str, ...]


def air(
    connection: Connection,
    site: Site,
    series: Series,
    start_us: int,
    end_us: int,
    room: AirRoom = AirRoom(),  # noqa: B008 (frozen)
    background: float | None = None,
) -> AirAnswer:
    """Find the decays of a room's air within [start, end) and what they tell.

    CO₂ decays towards outdoors (420 ppm unless told); anything else (particles) towards the level
    of the quietest twentieth of the stretch.

    Raises
    ------
    UsageError
        For a series that is a state.
    """
    if is_state(series):
        raise UsageError(
            tr("{0} is on or off: it cannot air out", long_name(series)),
            remedy=tr("choose CO₂ or particles"),
        )
    zone, cadence_s = ZoneInfo(site.zone), series.station.cadence_s
    gap_s = max_gap_s(cadence_s)
    readings = read_range(connection, series.id, start_us, end_us)
    good = readings.value[readings.good]
    if background is None:
        is_co2 = series.quantity.slug == "co2"
        background = OUTDOOR_PPM if is_co2 else _quietest(readings)
    least = _LEAST_START.get(series.quantity.slug) or _least_start(good, background)
    found = falls(readings, background=background, least_excess=least, max_gap_s=gap_s)
    presence = _presence(connection, site, series, start_us, end_us)
    cleaner = (
        None if room.cleaner is None else read_range(connection, room.cleaner.id, start_us, end_us)
    )
    decays = tuple(_measured(one, readings, background, least, presence, cleaner) for one in found)
    chosen = _one_a_night(decays, zone)
    # How the room itself airs, which a cleaner says nothing of.
    plain = [one for one in chosen if not one.cleaner_on > 0.5]
    rate = _median(plain)
    cleaning = _cleaning(decays, room) if cleaner is not None else None
    steady, minutes, limit = _now(readings, series, end_us)
    l_s = math.nan
    if series.quantity.slug == "co2" and math.isfinite(steady):
        l_s = float(ventilation_per_person(steady, 1.0, outdoor_ppm=background)["l_s_person"])
    by_weather = _by_weather(connection, site, series, plain, start_us, end_us)
    return AirAnswer(
        series,
        start_us,
        end_us,
        background,
        _sentence(series, rate, cleaning),
        decays,
        rate,
        _by_month(plain, zone),
        by_weather,
        cleaning,
        steady,
        l_s,
        limit,
        minutes,
        _notes(decays, presence, room, cleaning),
    )


def _quietest(readings: Readings) -> float:
    """The level of the quietest twentieth of a stretch, by quarter hours' medians: single readings
    would say how much the sensor's noise takes away from it."""
    if not readings.good.any():
        return math.nan
    smooth = rolling_median_baseline(readings, window_s=_QUIET_S, min_count=1)
    return float(np.nanquantile(smooth, 0.05))


def _least_start(good: FloatArray, background: float) -> float:
    """From how much above the background on a fall is looked at: what a tenth of readings pass."""
    if not len(good):
        return math.inf
    return max(float(np.quantile(good, 0.9)) - background, 1e-9)


def _presence(
    connection: Connection, site: Site, series: Series, start_us: int, end_us: int
) -> Readings | None:
    """Read the presence sensor of the same place; None where there is none."""
    found = next(
        (
            one
            for one in site.series_in_use
            if one.quantity.slug in ("presence", "occupancy", "motion")
            and one.station.place.id == series.station.place.id
        ),
        None,
    )
    return None if found is None else read_range(connection, found.id, start_us, end_us)


def _measured(
    fall: Decay,
    readings: Readings,
    background: float,
    least: float,
    presence: Readings | None,
    cleaner: Readings | None,
) -> NightlyDecay:
    start_us = max(_settled_us(state, fall) for state in (presence, cleaner))
    part = _between(readings, start_us, fall.end_us)
    rate = sure_decay_rate(
        part, background=background, min_excess=max(_USED_SHARE * fall.excess, least / 4)
    )
    share = math.nan if cleaner is None else _share_on(cleaner, start_us, fall.end_us)
    why = None
    if length_s(fall) < _SHORTEST_S:
        why = LeftOut.SHORT
    elif presence is not None and _share_on(presence, start_us, fall.end_us) > 0.1:
        why = LeftOut.OCCUPIED
    elif not (math.isfinite(rate.r2) and rate.r2 >= _LEAST_R2):
        why = LeftOut.BENT
    return NightlyDecay(start_us, fall.end_us, rate, why, share)


def _settled_us(state: Readings | None, fall: Decay) -> int:
    """From when on a fall is one: the last change of a state in its first third, else its start.

    The highest reading of a noisy peak comes before the last person has left, and a cleaner is
    switched on a little after; what lies between bends the line.
    """
    if state is None:
        return fall.start_us
    part = _between(state, fall.start_us, fall.start_us + (fall.end_us - fall.start_us) // 3)
    on, time_us = part.value[part.good] >= 0.5, part.time_us[part.good]
    changes = np.flatnonzero(on[1:] != on[:-1]) + 1
    return int(time_us[changes[-1]]) if len(changes) else fall.start_us


def _between(readings: Readings, start_us: int, end_us: int) -> Readings:
    return readings[slice(*np.searchsorted(readings.time_us, (start_us, end_us + 1)).tolist())]


def _share_on(state: Readings, start_us: int, end_us: int) -> float:
    """Share of a stretch in which a state was on; NaN where nothing was heard."""
    part = _between(state, start_us, end_us)
    on = part.value[part.good] >= 0.5
    if len(on):
        return float(on.mean())
    before = state.value[state.good & (state.time_us <= start_us)]
    return float(before[-1] >= 0.5) if len(before) else math.nan


def _one_a_night(decays: tuple[NightlyDecay, ...], zone: ZoneInfo) -> list[NightlyDecay]:
    """The longest usable fall of each day from noon to noon."""
    usable = [one for one in decays if one.left_out is None]
    if not usable:
        return []
    starts = np.array([one.start_us for one in usable], np.int64)
    night = (local_us(starts, zone) - _NOON_US) // DAY_US
    best: dict[int, NightlyDecay] = {}
    for number, one in zip(night.tolist(), usable, strict=True):
        other = best.get(number)
        if other is None or one.end_us - one.start_us > other.end_us - other.start_us:
            best[number] = one
    return list(best.values())


def _median(decays: list[NightlyDecay]) -> MedianInterval:
    rates = np.array([one.rate.rate_per_h for one in decays])
    fits = np.array([one.rate.r2 for one in decays])
    return decays_median(rates, fits, min_r2=_LEAST_R2)


def _by_month(decays: list[NightlyDecay], zone: ZoneInfo) -> tuple[tuple[int, MedianInterval], ...]:
    if not decays:
        return ()
    local = local_us(np.array([one.start_us for one in decays], np.int64), zone)
    months = local.astype("datetime64[us]").astype("datetime64[M]").astype(np.int64)
    return tuple(
        (
            int(month),
            _median([one for one, its in zip(decays, months, strict=True) if its == month]),
        )
        for month in np.unique(months)
    )


def _cleaning(decays: tuple[NightlyDecay, ...], room: AirRoom) -> Cleaning | None:
    usable = [one for one in decays if one.left_out is None]
    on = [one for one in usable if one.cleaner_on >= 0.8]
    off = [one for one in usable if one.cleaner_on <= 0.2]
    if not on or not off:
        return None
    with_it, without_it = _median(on), _median(off)
    told = clean_air_delivery(
        with_it.median,
        without_it.median,
        room.volume_m3,
        _half(with_it) / 1.96,
        _half(without_it) / 1.96,
        room.volume_within_m3 / 1.96,
    )
    return Cleaning(with_it, without_it, float(told["m3_h"]), 1.96 * float(told["u"]))


def _half(told: MedianInterval) -> float:
    return (told.high - told.low) / 2


def _now(readings: Readings, series: Series, end_us: int) -> tuple[float, float, float]:
    """Where the present rise would end, minutes until the limit, and that limit."""
    limit = min((one for one in series.limits.above if one is not None), default=math.nan)
    recent = _between(readings, end_us - _RECENT_US, end_us)
    value = recent.value[recent.good]
    if len(value) < 8 or value[-1] <= value[0]:
        return math.nan, math.nan, limit
    fit = exponential_approach_fit(
        (recent.time_us[recent.good] - recent.time_us[0]) / SECOND_US, value
    )
    minutes = minutes_until_limit_exponential(
        current=fit["now"], steady=fit["steady"], rate_per_h=fit["rate_per_h"], limit=limit
    )
    return fit["steady"], float(minutes), limit


def _by_weather(
    connection: Connection,
    site: Site,
    series: Series,
    decays: list[NightlyDecay],
    start_us: int,
    end_us: int,
) -> float:
    """Correlate the rates with the difference between inside and outside temperature."""
    warm = [one for one in site.series_in_use if one.quantity.slug == "temperature"]
    inside = next((one for one in warm if one.station.place.id == series.station.place.id), None)
    outside = next((one for one in warm if not one.station.place.indoors), None)
    if inside is None or outside is None or len(decays) < 6:
        return math.nan
    middles = np.array(sorted((one.start_us + one.end_us) // 2 for one in decays), np.int64)
    levels = []
    for one in (inside, outside):
        told = read_range(connection, one.id, start_us, end_us)
        gap_us = round(max_gap_s(one.station.cadence_s) * SECOND_US)
        levels.append(values_at(told.time_us[told.good], told.value[told.good], middles, gap_us))
    rates = np.array(
        [one.rate.rate_per_h for one in sorted(decays, key=lambda each: each.start_us)]
    )
    return spearman_r(rates, levels[0] - levels[1])


def rate_words(told: MedianInterval) -> str:
    """A median rate with half its interval, `0.8 ±0.1`."""
    half = _half(told)
    if math.isfinite(half) and half > 0:
        return plus_minus(told.median, half)
    return figure(told.median, max(1, decimals_for(abs(told.median) / 10)))


def _sentence(series: Series, rate: MedianInterval, cleaning: Cleaning | None) -> Sentence:
    place = series.station.place.name
    if not rate.used:
        return Sentence(tr("No night of {0} shows its air change.", place))
    strong = tr("{0} times an hour", rate_words(rate))
    nights = tr_count(rate.used, "one night", "{0} nights")
    if series.quantity.slug == "co2":
        text = tr("{0} changes its air {1} when nobody is there ({2}).", place, strong, nights)
    else:
        text = tr(
            "{0} in {1} goes as if the air were changed {2} ({3}).",
            series.quantity.name,
            place,
            strong,
            nights,
        )
    if cleaning is None:
        return Sentence(text, (strong,))
    more = tr("{0} with the cleaner", rate_words(cleaning.with_it))
    return Sentence(tr("{0} It is {1}.", text, more), (strong, more))


def left_out_words(why: LeftOut) -> str:
    """Why a fall is not counted, for a person."""
    return {
        LeftOut.SHORT: tr("too short"),
        LeftOut.BENT: tr("no clean decay: somebody came, or a window was opened"),
        LeftOut.OCCUPIED: tr("somebody was there"),
        LeftOut.GAP: tr("too little was heard"),
    }[why]


def _notes(
    decays: tuple[NightlyDecay, ...],
    presence: Readings | None,
    room: AirRoom,
    cleaning: Cleaning | None,
) -> tuple[str, ...]:
    notes = []
    out = [one for one in decays if one.left_out is not None]
    if out:
        notes.append(
            tr_count(
                len(out),
                "One fall left out; the list says why.",
                "{0} falls left out; the list says why.",
            )
        )
    if presence is None:
        notes.append(tr("Nothing tells whether somebody was there; the shape of the fall does."))
    if cleaning is not None and not math.isfinite(room.volume_m3):
        notes.append(tr("Say the room's volume to have the clean air in m³/h."))
    if cleaning is None and room.cleaner is not None:
        notes.append(tr("No decays both with and without the cleaner in this stretch."))
    return tuple(notes)


def cleaner_named(site: Site, series: Series) -> Series | None:
    """A state of the same place that goes by the name of a cleaner; for particles else the place's
    only switch; None where there is neither."""
    states = [
        one
        for one in site.series_in_use
        if is_state(one) and one.station.place.id == series.station.place.id
    ]
    for one in states:
        if any(word in slug_of(f"{one.station.key} {one.field}") for word in _CLEANERS):
            return one
    switches = [one for one in states if one.quantity.slug == "switch"]
    particles = series.quantity.slug in _PARTICLES
    return switches[0] if particles and len(switches) == 1 else None


def duration_until(minutes: float) -> str:
    """A time until something in words, or that it is reached, or that it does not come."""
    if minutes <= 0:
        return tr("reached")
    return duration(minutes * 60) if math.isfinite(minutes) else tr("not as it goes now")
