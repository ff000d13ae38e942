"""What was remarkable, decided by rules: five sentences at most, the most remarkable first."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from rook_tally.bench.wording import in_unit
from rook_tally.core.quantities.guidelines import Guideline, Rule
from rook_tally.core.quantities.number_format import duration, figure
from rook_tally.core.reports.definitions import ReportStretch
from rook_tally.core.reports.document import Paragraph
from rook_tally.reports.figures_part import held_against, moment
from rook_tally.reports.material import Material, SeriesFigures
from rook_tally.reports.records_part import AlarmFigures
from rook_tally.reports.texts import tr, tr_count

MOST = 5
_NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
_POORLY = 0.75
_STANDS_OUT = 4.0
_ALL = 0.9


class Remarkable(msgspec.Struct, frozen=True):
    """A sentence, the part of it that stands out, and how remarkable it is."""

    weight: float
    text: str
    strong: str


def sentences(
    material: Material,
    guidelines: Sequence[Guideline],
    alarms: Sequence[AlarmFigures],
    stretch: ReportStretch,
    followed: Mapping[str, SeriesFigures],
) -> Paragraph:
    """The sentences of a report as one paragraph."""
    if not material.figures:
        return Paragraph(tr("Nothing was heard in this stretch."))
    found = [
        *_past_guidelines(material, guidelines, stretch, followed),
        *_alarms(alarms),
        *_not_heard(material),
        *_otherwise(material),
        *_extremes(material),
    ]
    told = sorted(found, key=lambda each: -each.weight)[:MOST]
    if not told:
        if _all_heard(material):
            return Paragraph(tr("Nothing was remarkable: no alarm rang and all was heard."))
        return Paragraph(tr("No alarm rang. Not everything was heard."))
    return Paragraph(" ".join(one.text for one in told), tuple(one.strong for one in told))


def count_words(number: int) -> str:
    """A number as words in a sentence: up to ten spelled out."""
    return tr(_NUMBERS[number]) if number < len(_NUMBERS) else figure(number, 0)


def _past_guidelines(
    material: Material,
    guidelines: Sequence[Guideline],
    stretch: ReportStretch,
    followed: Mapping[str, SeriesFigures],
) -> list[Remarkable]:
    """Of each series the guideline that it was past on most days, beyond those allowed."""
    found = []
    for one in material.figures:
        worst: tuple[int, int, Guideline] | None = None
        for told in guidelines:
            if told.quantity != one.series.quantity.slug or told.rule is Rule.YEAR_MEAN:
                continue
            past, counted, _ = held_against(one, told, stretch, followed.get(told.slug))
            if past and (worst is None or past > worst[0]):
                worst = past, counted, told
        if worst is None:
            continue
        past, counted, told = worst
        shown = one.series.shown
        days = tr_count(past, "one day", "{0} days")
        strong = days if past == 1 else tr("{0} days", count_words(past))
        limit = f"{shown.limit_text(told.limit)} {shown.symbol}".rstrip()
        if told.follows is not None:
            limit = tr("that of {0} in", told.station)
        found.append(
            Remarkable(
                5.0 + past / max(counted, 1),
                tr(
                    "{0} was past {1} {2} on {3} of {4} ({5}, {6}).",
                    one.series.station.place.name,
                    limit,
                    tr(one.series.quantity.heading),
                    strong,
                    counted,
                    told.name,
                    tr(told.rule.words),
                ),
                strong,
            )
        )
    return sorted(found, key=lambda each: -each.weight)[:2]


def _alarms(alarms: Sequence[AlarmFigures]) -> list[Remarkable]:
    found = []
    for one in alarms[:2]:
        if one.level < 2 and one.stood_s < 3600:
            continue
        strong = tr_count(one.rings, "once", "{0} times")
        found.append(
            Remarkable(
                3.0 + one.level / 10 + min(one.stood_s / 360_000, 0.9),
                tr(
                    "{0} rang {1} and stood for {2} in all.",
                    one.name,
                    strong,
                    duration(one.stood_s),
                ),
                strong,
            )
        )
    return found


def _not_heard(material: Material) -> list[Remarkable]:
    by_station: dict[str, float] = {}
    for one in material.figures:
        if not one.series.station.is_worked_out:
            key = one.series.station.key
            by_station[key] = max(by_station.get(key, 0.0), one.heard)
    silent = sorted({one.station.key for one in material.silent if not one.station.is_worked_out})
    found = [
        Remarkable(2.5, tr("{0} was not heard at all.", strong), strong)
        for strong in [key for key in silent if key not in by_station][:1]
    ]
    worst = min(by_station.items(), key=lambda one: one[1], default=None)
    if worst is not None and worst[1] < _POORLY:
        strong = tr("{0} % of the time", figure(100 * worst[1], 0))
        text = tr("{0} was heard {1} only.", worst[0], strong)
        found.append(Remarkable(2.4, text, strong))
    return found


def _all_heard(material: Material) -> bool:
    """Whether every series was heard, each of a station by itself, for nearly all of the time."""
    heard = (one.heard for one in material.figures if not one.series.station.is_worked_out)
    silent = (one for one in material.silent if not one.station.is_worked_out)
    return not any(silent) and all(share >= _ALL for share in heard)


def _otherwise(material: Material) -> list[Remarkable]:
    """What lay elsewhere than in the stretch before: the mean moved by more than its days do."""
    found = []
    before = {one.series.id: one for one in material.before}
    for one in material.figures:
        other = before.get(one.series.id)
        if (
            other is None
            or one.is_state
            or one.series.quantity.slug in ("battery", "wind_direction")
        ):
            continue
        spread = _day_spread(one, other)
        change = one.mean - other.mean
        least = max(spread, one.series.quantity.accuracy)
        if not math.isfinite(change) or abs(change) < _STANDS_OUT * least:
            continue
        size = in_unit(one.series.shown, abs(change), math.nan)
        strong = tr("{0} higher", size) if change > 0 else tr("{0} lower", size)
        found.append(
            Remarkable(
                1.5 + min(abs(change) / least / 100, 0.4),
                tr(
                    "{0} at {1} was {2} than in the stretch before.",
                    tr(one.series.quantity.heading),
                    one.series.station.place.name,
                    strong,
                ),
                strong,
            )
        )
    return sorted(found, key=lambda each: -each.weight)[:1]


def _day_spread(one: SeriesFigures, other: SeriesFigures) -> float:
    """Standard error of the difference of two means of days."""
    square = 0.0
    for each in (one, other):
        known = each.days.mean[each.days.valid & np.isfinite(each.days.mean)]
        if len(known) < 3:
            return math.inf
        square += float(known.var(ddof=1)) / len(known)
    return math.sqrt(square)


def _extremes(material: Material) -> list[Remarkable]:
    """The coldest and the warmest outdoors: what people ask first."""
    found = []
    for one in material.figures:
        place = one.series.station.place
        if one.series.quantity.slug != "temperature" or place.indoors:
            continue
        shown, zone = one.series.shown, material.calendar.zone
        low, high = (f"{shown.figure(each)} {shown.symbol}" for each in (one.low, one.high))
        found.append(
            Remarkable(
                1.0,
                tr(
                    "{0} lay between {1} ({2}) and {3} ({4}).",
                    place.name,
                    low,
                    moment(one.low_us, zone),
                    high,
                    moment(one.high_us, zone),
                ),
                high,
            )
        )
    return found[:1]
