"""What was written down over the stretch: alarms, scores, calibrations, totals, remarks."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.day_figures import DegreeDayKind, degree_days
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import UNKNOWN, duration, figure
from rook_tally.core.reports import charts
from rook_tally.core.reports.document import (
    Paragraph,
    ReportBlock,
    ReportCell,
    ReportPicture,
    ReportTable,
)
from rook_tally.core.series.corrections import correction_text
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US
from rook_tally.core.workings.scores import ScoreProgram
from rook_tally.reports.charts_part import axis_of, day_marks
from rook_tally.reports.figures_part import moment
from rook_tally.reports.material import Calendar, Material, SeriesFigures
from rook_tally.reports.texts import tr, tr_count
from rook_tally.store.alarms import journal, rings_between
from rook_tally.store.site import correction_entries
from rook_tally.store.site.reference_points import reference_points
from rook_tally.store.site.remarks import remarks
from rook_tally.store.workings import bound_workings, inputs_of

_NUISANCE_S = 300.0
_CHATTERS = 3
_CHATTER_US = 10 * 60 * SECOND_US
_MOST_ENTRIES = 100_000
_MOST_REMARKS = 200
_TOTALLED = ("rain", "power", "energy", "charge")


class AlarmFigures(msgspec.Struct, frozen=True):
    """A watch over the stretch: rings, how long it stood, and the measures of alarm management
    (EEMUA 191, ISA-18.2): short ones, chattering ones, how soon somebody had seen it."""

    watch: str
    name: str
    level: Level
    rings: int
    stood_s: float
    longest_s: float
    short: int
    chattering: int
    acknowledged: int
    seen_within_s: float
    by: tuple[str, ...]


def alarm_figures(connection: Connection, material: Material) -> list[AlarmFigures]:
    """Every watch that rang about a series of the report, the longest first."""
    calendar = material.calendar
    known = {one.series.id for one in material.figures} | {one.id for one in material.silent}
    rang: dict[str, list[tuple[int, int, Level, int]]] = {}
    names: dict[str, str] = {}
    found = rings_between(connection, calendar.start_us, calendar.until_us)
    for series_id, several in found.items():
        if series_id not in known:
            continue
        for one in several:
            begin = max(one.begin_us, calendar.start_us)
            end = min(calendar.until_us if one.end_us is None else one.end_us, calendar.until_us)
            names[one.watch] = one.name
            rang.setdefault(one.watch, []).append((begin, end, one.level, series_id))
    seen = journal(
        connection,
        sorts=(JournalKind.ACKNOWLEDGED,),
        from_us=calendar.start_us,
        to_us=calendar.until_us,
        most=_MOST_ENTRIES,
    )
    told = [_of_watch(watch, names[watch], several, seen) for watch, several in rang.items()]
    return sorted(told, key=lambda one: (-one.stood_s, one.watch))


def _of_watch(
    watch: str, name: str, rings: list[tuple[int, int, Level, int]], seen: Sequence[Entry]
) -> AlarmFigures:
    rings.sort()
    lengths = [(end - begin) / SECOND_US for begin, end, _, _ in rings]
    begins = np.array([begin for begin, _, _, _ in rings], np.int64)
    own = [one for one in seen if one.watch == watch]
    waits = []
    for begin, end, _, series_id in rings:
        first = min(
            (one.time_us for one in own if one.series_id == series_id and begin <= one.time_us),
            default=None,
        )
        if first is not None and first <= end + DAY_US:
            waits.append((first - begin) / SECOND_US)
    # Chattering: rang again and again within ten minutes.
    close = np.searchsorted(begins, begins + _CHATTER_US) - np.arange(len(begins))
    return AlarmFigures(
        watch,
        name,
        max(level for _, _, level, _ in rings),
        len(rings),
        float(sum(lengths)),
        max(lengths),
        sum(one < _NUISANCE_S for one in lengths),
        int(np.count_nonzero(close >= _CHATTERS)),
        len(waits),
        float(np.median(waits)) if waits else math.nan,
        tuple(dict.fromkeys(one.who for one in own if one.who)),
    )


def alarms_blocks(told: Sequence[AlarmFigures], calendar: Calendar) -> list[ReportBlock]:
    """A row a watch, then the measures of the whole."""
    if not told:
        return [Paragraph(tr("No alarm rang."))]
    table = ReportTable(
        (
            tr("Watch"),
            tr("rang"),
            tr("stood"),
            tr("longest"),
            tr("seen within"),
            tr("seen by"),
            tr("under 5 min"),
        ),
        tuple(
            (
                ReportCell(one.name, level=one.level),
                ReportCell(figure(one.rings, 0), is_strong=True),
                ReportCell(duration(one.stood_s)),
                ReportCell(duration(one.longest_s)),
                ReportCell(
                    duration(one.seen_within_s)
                    if math.isfinite(one.seen_within_s)
                    else tr("not seen")
                ),
                ReportCell(", ".join(one.by) or UNKNOWN),
                ReportCell(figure(one.short, 0)),
            )
            for one in told
        ),
        (2.6, 0.8, 1.5, 1.5, 1.3, 1.4, 1.2),
        "lrrrrrr",
    )
    days = max((calendar.until_us - calendar.start_us) / DAY_US, 1 / 24)
    rings = sum(one.rings for one in told)
    words = [tr("{0} rings a day", figure(rings / days, 1))]
    longest = max(told, key=lambda one: one.longest_s)
    words.append(tr("standing longest: {0}, {1}", longest.name, duration(longest.longest_s)))
    chattering = [one.name for one in told if one.chattering]
    if chattering:
        words.append(tr("rang again and again within ten minutes: {0}", ", ".join(chattering)))
    return [
        table,
        Paragraph(". ".join(one[0].upper() + one[1:] for one in words) + ".", is_quiet=True),
    ]


def scores_blocks(connection: Connection, material: Material) -> list[ReportBlock]:
    """Every score: its mean, its worst hour, and what spoiled it by how much."""
    calendar = material.calendar
    rows = []
    for series, bound in bound_workings(connection, material.site):
        told = material.of(series.id)
        program = bound.program
        if told is None or not isinstance(program, ScoreProgram):
            continue
        middles = calendar.hours_us[:-1] + HOUR_US // 2
        inputs = inputs_of(connection, program, calendar.start_us, calendar.until_us)
        losses = program.added_up(program.readings(inputs, middles)).losses
        known = np.isfinite(losses).any(axis=1)
        mean = np.full(len(losses), np.nan)
        mean[known] = np.nanmean(losses[known], axis=1)
        order = [at for at in np.argsort(-np.nan_to_num(mean)).tolist() if mean[at] >= 0.5]
        spoiled = ", ".join(
            f"{program.score.inputs[at].name} −{figure(float(mean[at]), 0)}" for at in order[:3]
        )
        rows.append(
            (
                ReportCell(f"{series.station.place.name}, {tr(series.quantity.heading)}"),
                ReportCell(series.shown.figure(told.mean), is_strong=True),
                ReportCell(
                    series.shown.figure(told.low),
                    level=series.limits.at(told.low_us).level_of(told.low),
                ),
                ReportCell(moment(told.low_us, calendar.zone)),
                ReportCell(spoiled or tr("nothing")),
            )
        )
    if not rows:
        return [Paragraph(tr("No score is worked out here."))]
    return [
        ReportTable(
            (tr("Score"), tr("mean"), tr("lowest"), tr("when"), tr("spoiled by, on average")),
            tuple(rows),
            (2.4, 0.8, 0.9, 1.8, 2.8),
            "lrrrl",
        )
    ]


def corrections_blocks(connection: Connection, material: Material) -> list[ReportBlock]:
    """Corrections in force during the stretch, and reference points taken in it."""
    calendar = material.calendar
    rows = []
    for one in material.figures:
        series = one.series
        if series.station.is_worked_out:
            continue
        entries = correction_entries(connection, series.id)
        for at, entry in enumerate(entries):
            begin = entry.correction.from_us
            later = entries[at + 1].correction.from_us if at + 1 < len(entries) else 1 << 62
            if begin < calendar.end_us and later > calendar.start_us:
                rows.append(
                    (
                        ReportCell(f"{series.station.key}, {tr(series.quantity.heading)}"),
                        ReportCell(moment(begin, calendar.zone)),
                        ReportCell(correction_text(entry.correction, series.shown), is_strong=True),
                        ReportCell(f"{entry.who}: {entry.why}"),
                    )
                )
        points = [
            each
            for each in reference_points(connection, series.id)
            if calendar.start_us <= each.time_us < calendar.end_us
        ]
        if points:
            words = tr_count(len(points), "one reference point", "{0} reference points")
            meters = ", ".join(dict.fromkeys(each.meter for each in points if each.meter))
            rows.append(
                (
                    ReportCell(f"{series.station.key}, {tr(series.quantity.heading)}"),
                    ReportCell(moment(points[-1].time_us, calendar.zone)),
                    ReportCell(words),
                    ReportCell(meters),
                )
            )
    if not rows:
        return [
            Paragraph(tr("Everything is shown as the sensors told it; nothing was calibrated."))
        ]
    return [
        ReportTable(
            (tr("Sensor"), tr("from"), tr("correction"), tr("who, why")),
            tuple(rows),
            (2.4, 1.6, 1.8, 3.0),
            "lrrl",
        )
    ]


def totals_blocks(material: Material) -> list[ReportBlock]:
    """Degree days of places outdoors, rain, and what machines drew."""
    blocks: list[ReportBlock] = []
    rows = []
    calendar = material.calendar
    days = calendar.period.days
    marks = [(at / days, words) for at, words in day_marks(calendar)]
    for one in material.figures:
        slug, place = one.series.quantity.slug, one.series.station.place
        if slug == "temperature" and not place.indoors:
            rows += _degree_rows(one)
        elif slug in _TOTALLED:
            name, total, how, daily = _total(one)
            rows.append(
                (
                    ReportCell(f"{place.name}, {name}"),
                    ReportCell(total, is_strong=True),
                    ReportCell(how),
                )
            )
            if np.isfinite(daily).any():
                _, y_marks = axis_of(0.0, float(np.nanmax(daily)), 0)
                picture = charts.column_chart(daily, marks, y_marks)
                blocks.append(ReportPicture(f"{place.name}, {name}", picture, tr("a column a day")))
    if not rows:
        return [Paragraph(tr("Nothing here is told as a total."))]
    table = ReportTable(
        (tr("Total"), tr("over the stretch"), tr("how")), tuple(rows), (3.0, 1.8, 4.0), "lrl"
    )
    return [table, *blocks]


def _degree_rows(one: SeriesFigures) -> list[tuple[ReportCell, ...]]:
    rows: list[tuple[ReportCell, ...]] = []
    for kind, base, limit, how in (
        (DegreeDayKind.HEATING, 18.0, 15.0, tr("base 18 °C, days up to 15 °C (Eurostat)")),
        (DegreeDayKind.COOLING, 21.0, 24.0, tr("base 21 °C, days from 24 °C on (Eurostat)")),
    ):
        told = degree_days(one.days.mean, base, kind, limit=limit, valid=one.days.valid)
        if not math.isfinite(told.total):
            continue
        name = tr("heating degree days") if base < 20 else tr("cooling degree days")
        known = tr("{0}; {1} days known", how, told.known_days)
        rows.append(
            (
                ReportCell(f"{one.series.station.place.name}, {name}"),
                ReportCell(f"{figure(told.total, 0)} K·d", is_strong=True),
                ReportCell(known),
            )
        )
    return rows


def _total(one: SeriesFigures) -> tuple[str, str, str, FloatArray]:
    """Its name, its total in words, how it was reckoned, and the total of each day, (D,)."""
    shown, slug = one.series.shown, one.series.quantity.slug
    nothing = np.full(len(one.sums), np.nan)
    if slug == "power":
        daily = one.days.mean * one.days.covered * 24.0 / 1000.0
        how = tr("power over the time that was heard")
        return tr("energy"), f"{figure(float(np.nansum(daily)), 1)} kWh", how, daily
    if slug == "rain":
        daily = np.asarray(shown.value(one.sums), np.float64)
        total = shown.figure(float(one.sums.sum()))
        return tr("rain"), f"{total} {shown.symbol}", tr("what every report told, added up"), daily
    how = tr("by the counter, over resets")
    return (
        tr(one.series.quantity.heading),
        f"{shown.figure(one.counted)} {shown.symbol}",
        how,
        nothing,
    )


def remarks_blocks(connection: Connection, material: Material) -> list[ReportBlock]:
    """Pins and spans of the stretch."""
    calendar = material.calendar
    places = {one.series.station.place.name for one in material.figures}
    told = [
        one
        for one in remarks(connection)
        if one.touches(calendar.start_us, calendar.end_us)
        and (one.place is None or one.place in places)
    ]
    if not told:
        return [Paragraph(tr("Nobody wrote a remark."))]
    rows = tuple(
        (
            ReportCell(moment(one.start_us, calendar.zone)),
            ReportCell(
                duration((one.end_us - one.start_us) / SECOND_US) if one.end_us is not None else ""
            ),
            ReportCell(one.place or material.site.name),
            ReportCell(one.text),
            ReportCell(one.who),
        )
        for one in sorted(told, key=lambda each: each.start_us)[:_MOST_REMARKS]
    )
    return [
        ReportTable(
            (tr("When"), tr("for"), tr("where"), tr("remark"), tr("who")),
            rows,
            (1.7, 1.2, 1.6, 3.4, 1.0),
            "lrlll",
        )
    ]
