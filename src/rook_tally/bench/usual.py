"""What is usual at an hour and what is not: profile, week, spells, how two stretches differ."""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.bench.texts import tr, tr_count
from rook_tally.bench.wording import Sentence, level_in_unit, long_name
from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.comparing.profiles import DayProfile, SlotTable, day_profile, week_table
from rook_tally.core.comparing.span_comparison import Distribution, distributions
from rook_tally.core.hours_of_day import local_us
from rook_tally.core.moment_words import clock_words
from rook_tally.core.quantities.guidelines import Rule
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.exceedances import spells
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import (
    DAY_US,
    HOUR_US,
    SECOND_US,
    datetime_from_time_us,
    time_us_from_datetime,
)
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series, Site
from rook_tally.store.site.guidelines import guidelines

_BIN_S = 1800.0
_MOST_SPELLS = 200
_MONDAY = 3
_BINS = 40
# Fewer readings than this share of the stretch itself say nothing of the one before.
_ENOUGH_BEFORE = 0.25


class Spell(msgspec.Struct, frozen=True):
    """A stretch past a level: from, to, its peak (base unit) and when, and its area, unit·h.

    `cut`: it began before, or went on after, what was heard.
    """

    start_us: int
    end_us: int
    peak: float
    peak_us: int
    area_h: float
    cut: bool


class GuidelineLevel(msgspec.Struct, frozen=True):
    """A guideline beside a series: its name with the mean it is about, its level in the base unit
    (of one that follows a series that one's mean over the stretch), and its source."""

    title: str
    rule: Rule
    level: float
    source: str


class UsualAnswer(msgspec.Struct, frozen=True):
    """What is usual of a series and what is not; figures in the base unit.

    `today`: (B,) the mean of each bin of the day the stretch ends in, NaN where not heard yet.
    `threshold`: the level that spells lie past, of a limit or of what is usual.
    """

    series: Series
    start_us: int
    end_us: int
    sentence: Sentence
    profile: DayProfile
    today: FloatArray
    week: SlotTable
    spells: tuple[Spell, ...]
    threshold: float
    by_limit: bool
    distribution: Distribution
    before_days: float
    notes: tuple[str, ...]
    guidelines: tuple[GuidelineLevel, ...] = ()


def usual(
    connection: Connection,
    site: Site,
    series: Series,
    start_us: int,
    end_us: int,
    *,
    threshold: float | None = None,
    today_us: int | None = None,
) -> UsualAnswer:
    """Tell what is usual of a series over [start, end).

    Parameters
    ----------
    threshold : float, optional
        In the base unit; left out, the lowest limit above in force, else the level that a
        twentieth of the readings pass.
    today_us : int, optional
        A moment of the day to set beside the profile; the end when left out.
    """
    zone, cadence_s = ZoneInfo(site.zone), series.station.cadence_s
    gap_s = max_gap_s(cadence_s)
    gap_us = round(gap_s * SECOND_US)
    readings = read_range(connection, series.id, start_us - gap_us, end_us + gap_us)
    inside = readings[slice(*np.searchsorted(readings.time_us, (start_us, end_us)).tolist())]
    second = (local_us(inside.time_us, zone) % DAY_US) / SECOND_US
    profile = day_profile(second, inside.value, inside.good, bin_s=_BIN_S)
    edges, slot = local_hours(start_us, end_us, zone)
    week = week_table(
        readings,
        edges,
        slot,
        max_gap_s=gap_s,
        cadence_s=cadence_s,
        averaging=series.quantity.averaging,
    )
    limit = min((one for one in series.limits.above if one is not None), default=None)
    by_limit = threshold is None and limit is not None
    good = inside.value[inside.good]
    if threshold is None:
        threshold = limit
    if threshold is None:
        threshold = float(np.quantile(good, 0.95)) if len(good) else math.nan
    found = _spells(readings, threshold, cadence_s, gap_s, start_us, end_us)
    today = _today(inside, today_us if today_us is not None else end_us - 1, zone)
    before = read_range(connection, series.id, start_us - (end_us - start_us), start_us)
    earlier = before.value[before.good]
    if len(earlier) < _ENOUGH_BEFORE * len(good):
        earlier = earlier[:0]
    distribution = distributions([earlier, good], _BINS)
    return UsualAnswer(
        series,
        start_us,
        end_us,
        _sentence(series, profile, today, found, threshold, zone),
        profile,
        today,
        week,
        found,
        threshold,
        by_limit,
        distribution,
        (end_us - start_us) / DAY_US,
        _notes(inside, before, series, start_us, end_us),
        guideline_levels(connection, site, series, start_us, end_us),
    )


def guideline_levels(
    connection: Connection, site: Site, series: Series, start_us: int, end_us: int
) -> tuple[GuidelineLevel, ...]:
    """The guidelines of a series' quantity, the lowest first."""
    there = {(one.station.key, one.field): one for one in site.series}
    found = []
    for told in guidelines(connection):
        if told.quantity != series.quantity.slug:
            continue
        level = told.limit
        if told.follows is not None:
            followed = there.get(told.follows)
            if followed is None:
                continue
            readings = read_range(connection, followed.id, start_us, end_us)
            if not readings.good.any():
                continue
            level = float(readings.value[readings.good].mean())
        found.append(GuidelineLevel(told.title, told.rule, level, told.source))
    return tuple(sorted(found, key=lambda one: one.level))


def local_hours(start_us: int, end_us: int, zone: ZoneInfo) -> tuple[TimeArray, TimeArray]:
    """Edges of the hours of the local clock over a stretch, and the hour of the week of each.

    (H + 1,) and (H,): an hour twice in autumn falls twice into its slot, none in spring.
    """
    first = start_us - start_us % HOUR_US
    # Quarters, since some clocks are half an hour off the others; then those where an hour begins.
    quarters = np.arange(first, end_us + HOUR_US, HOUR_US // 4, dtype=np.int64)
    local = local_us(quarters, zone)
    begins = np.flatnonzero(local % HOUR_US == 0)
    edges, told = quarters[begins], local[begins]
    if len(edges) < 2:
        return np.array([start_us, end_us], np.int64), np.zeros(1, np.int64)
    slot = (told // HOUR_US + _MONDAY * 24) % 168
    return edges, slot[:-1]


def _today(readings: Readings, at_us: int, zone: ZoneInfo) -> FloatArray:
    """Means of the bins of one local day."""
    midnight = (
        datetime_from_time_us(at_us)
        .astimezone(zone)
        .replace(hour=0, minute=0, second=0, microsecond=0, fold=0)
    )
    begin = time_us_from_datetime(midnight)
    good = readings.good & (readings.time_us >= begin) & (readings.time_us <= at_us)
    bins = round(86_400 / _BIN_S)
    local = local_us(readings.time_us[good], zone)
    at = np.minimum(local % DAY_US // round(_BIN_S * SECOND_US), bins - 1)
    count = np.bincount(at, minlength=bins)
    with np.errstate(invalid="ignore", divide="ignore"):
        told = np.bincount(at, weights=readings.value[good], minlength=bins) / count
    return np.asarray(told, np.float64)


def _spells(
    readings: Readings, threshold: float, cadence_s: float, gap_s: float, start_us: int, end_us: int
) -> tuple[Spell, ...]:
    """Spells past a level, the longest first."""
    if not math.isfinite(threshold):
        return ()
    found = spells(
        readings,
        # The area is what lies over the level.
        baseline=threshold,
        threshold=0.0,
        max_gap_s=gap_s,
        cadence_s=cadence_s,
        merge_s=max(600.0, 2 * cadence_s),
    )
    chosen = np.flatnonzero((found.end_us > start_us) & (found.start_us < end_us))
    longest = chosen[np.argsort(found.start_us[chosen] - found.end_us[chosen], kind="stable")]
    return tuple(
        Spell(
            int(found.start_us[at]),
            int(found.end_us[at]),
            float(found.peak[at]),
            int(found.peak_us[at]),
            float(found.area_h[at]),
            bool(found.cut_start[at] or found.cut_end[at]),
        )
        for at in longest[:_MOST_SPELLS].tolist()
    )


def _sentence(
    series: Series,
    profile: DayProfile,
    today: FloatArray,
    found: tuple[Spell, ...],
    threshold: float,
    zone: ZoneInfo,
) -> Sentence:
    name, shown = long_name(series), series.shown
    if not profile.n.any():
        return Sentence(tr("{0} was not heard in this stretch.", name))
    if series.quantity.scale is QuantityScale.STATE:
        return Sentence(tr_count(len(found), "{1} was on once.", "{1} was on {0} times.", name))
    highest, lowest = int(np.nanargmax(profile.median)), int(np.nanargmin(profile.median))

    def hour(at: int) -> str:
        moment = datetime(2000, 1, 1) + timedelta(seconds=float(profile.start_s[at]))
        return clock_words(moment)

    usually = tr(
        "{0} is usually lowest about {1} ({2}) and highest about {3} ({4})",
        name,
        hour(lowest),
        level_in_unit(shown, float(profile.median[lowest])),
        hour(highest),
        level_in_unit(shown, float(profile.median[highest])),
    )
    known = np.isfinite(today) & np.isfinite(profile.p75)
    if not known.any():
        return Sentence(usually + ".")
    above = int(np.count_nonzero(today[known] > profile.p75[known]))
    below = int(np.count_nonzero(today[known] < profile.p25[known]))
    half = int(np.count_nonzero(known)) / 2
    if above > half:
        strong = tr("today it is higher than usual")
    elif below > half:
        strong = tr("today it is lower than usual")
    else:
        strong = tr("today is an ordinary day")
    return Sentence(tr("{0}; {1}.", usually, strong), (strong,))


def _notes(
    inside: Readings, before: Readings, series: Series, start_us: int, end_us: int
) -> tuple[str, ...]:
    notes = []
    days = (end_us - start_us) / DAY_US
    if days < 7:
        notes.append(tr("Less than a week tells little of what is usual."))
    expected = (end_us - start_us) / SECOND_US / series.station.cadence_s
    heard = np.count_nonzero(inside.good) / expected if expected else 0.0
    if heard < 0.75:
        notes.append(tr("Only {0} % of the stretch was heard.", f"{100 * min(heard, 1.0):.0f}"))
    if len(before) < _ENOUGH_BEFORE * len(inside):
        notes.append(tr("Too little was heard before this stretch to compare it with."))
    return tuple(notes)
