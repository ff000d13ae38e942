"""The page of a sensor's reference points: its record."""

from __future__ import annotations

import math
from datetime import tzinfo

import numpy as np

from rook_tally.bench.calibrate import CalibrationRecord
from rook_tally.bench.wording import in_unit, plus_minus, signed_figure
from rook_tally.core.comparing.calibration import CalibrationModel
from rook_tally.core.moment_words import clock_words, day_words
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.series.corrections import correction_text
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.bench.axes import shown_differences, shown_values, value_marks
from rook_tally.desk.bench.plots import Dots, Ink, LevelLine, Plot, PlotLine, range_of
from rook_tally.desk.bench.sheet import Sheet, SheetLine, SideNotes
from rook_tally.desk.bench.texts import tr, tr_count


def sensor_sheet(record: CalibrationRecord, zone: tzinfo, now_us: int) -> Sheet:
    """Points against the sensor with the line through them, what is left, and the record."""
    series = record.series
    over = tr("Reference points · what a better meter said beside {0}", series.station.key)
    picture = ((_points(record), _residuals(record)),) if record.points else ()
    return Sheet(
        over,
        record.sentence,
        picture,
        _side(record, zone, now_us),
        _list_figure(record),
        tr("Record"),
        (tr("When"), tr("Sensor, raw"), tr("Meter"), tr("Left over"), tr("Who, with what, why")),
        _lines(record, zone),
    )


def _list_figure(record: CalibrationRecord) -> str:
    fit, shown = record.fit, record.series.shown
    if not fit.n:
        return "–"
    if fit.model is CalibrationModel.LINE and math.isfinite(fit.gain):
        return f"× {figure(fit.gain, 3)}"
    return f"{signed_figure(shown.difference(fit.offset), max(shown.decimals, 1))} {shown.symbol}"


def _points(record: CalibrationRecord) -> Plot:
    shown, fit = record.series.shown, record.fit
    reading = shown_values(shown, np.array([one.reading for one in record.points]))
    reference = shown_values(shown, np.array([one.reference for one in record.points]))
    low, high = range_of(reading, reference, margin=0.1)
    ends = np.array([low, high])
    marks: list[PlotLine | Dots] = [PlotLine(ends, ends, Ink.FAINT, dashed=True)]
    legend: tuple[tuple[str, Ink], ...] = ((tr("dashed: they would agree"), Ink.FAINT),)
    if math.isfinite(fit.gain):
        base = np.asarray(shown.unit.to_base(ends), np.float64)
        marks.append(
            PlotLine(
                ends, shown_values(shown, fit.gain * base + fit.offset), Ink.STRONG, tr("fit"), 1.8
            )
        )
    marks.append(Dots(reading, reference, Ink.FIRST, 6.0))
    return Plot(
        tr("Meter against sensor"),
        tuple(marks),
        (low, high),
        (low, high),
        value_marks(low, high, shown.decimals, shown.symbol),
        value_marks(low, high, shown.decimals, shown.symbol),
        legend,
        weight=2.0,
        spoken=tr("reference points against what the sensor said"),
    )


def _residuals(record: CalibrationRecord) -> Plot:
    shown = record.series.shown
    reading = shown_values(shown, np.array([one.reading for one in record.points]))
    left = shown_differences(shown, record.residuals)
    low, high = range_of(reading, margin=0.1)
    bottom, top = range_of(left, np.zeros(1), margin=0.25)
    return Plot(
        tr("What is left over"),
        (LevelLine(0.0, Ink.FAINT), Dots(reading, left, Ink.STRONG, 6.0)),
        (low, high),
        (bottom, top),
        value_marks(low, high, shown.decimals, shown.symbol),
        value_marks(bottom, top, shown.decimals, shown.symbol),
        weight=2.0,
        spoken=tr("what each point is off the fit"),
    )


def _lines(record: CalibrationRecord, zone: tzinfo) -> tuple[SheetLine, ...]:
    shown = record.series.shown
    lines = [
        (
            one.time_us,
            SheetLine(
                (
                    _when(one.time_us, zone),
                    shown.figure(one.reading, more=1),
                    shown.figure(one.reference, more=1)
                    + (
                        ""
                        if one.u_reference is None
                        else f" ±{shown.difference_figure(one.u_reference, more=1)}"
                    ),
                    signed_figure(shown.difference(float(left)), shown.decimals + 1),
                    " · ".join(each for each in (one.who, one.meter, one.note) if each),
                ),
                one.id,
            ),
        )
        for one, left in zip(record.points, record.residuals, strict=True)
    ]
    lines += [
        (
            entry.correction.from_us,
            SheetLine(
                (
                    _when(entry.correction.from_us, zone),
                    tr("corrected"),
                    correction_text(entry.correction, shown),
                    "",
                    f"{entry.who}: {entry.why}",
                ),
                -entry.id,
                is_quiet=True,
            ),
        )
        for entry in record.corrections
    ]
    return tuple(line for _, line in sorted(lines, key=lambda one: one[0], reverse=True))


def _when(time_us: int, zone: tzinfo) -> str:
    moment = datetime_from_time_us(time_us).astimezone(zone)
    return f"{day_words(moment, year=True)} {clock_words(moment)}"


def _side(record: CalibrationRecord, zone: tzinfo, now_us: int) -> SideNotes:
    series, fit, shown = record.series, record.fit, record.series.shown
    over = f"{series.station.place.name} · {series.quantity.name}"
    buttons = [(BenchAction.ADD_POINT, tr("Add a reference point…"))]
    big = after = ""
    if record.proposal is not None:
        if not record.is_taken:
            buttons.insert(0, (BenchAction.TAKE, tr("Take this correction")))
        if fit.model is CalibrationModel.LINE:
            big = f"× {figure(fit.gain, 3)}"
            after = f"±{figure(fit.se_gain, 3)} (k = 1)"
        else:
            big = signed_figure(shown.difference(fit.offset), max(shown.decimals, 1))
            after = f"±{figure(shown.difference(fit.se_offset), 2)} {shown.symbol} (k = 1)"
    buttons.append((BenchAction.DUE, tr("Due again…")))
    facts = [
        (tr("Points"), figure(fit.n, 0)),
        (
            tr("Gain"),
            tr("1, assumed")
            if fit.model is CalibrationModel.OFFSET
            else plus_minus(fit.gain, fit.se_gain),
        ),
        (tr("Offset"), in_unit(shown, fit.offset, fit.se_offset, signed=True)),
        (
            tr("Chance of this with gain 1"),
            f"{100 * fit.p_gain:.2g} %" if math.isfinite(fit.p_gain) else "–",
        ),
        (tr("Scatter"), in_unit(shown, fit.residual_sd, math.nan)),
        (
            tr("Tried between"),
            f"{shown.figure(fit.from_reading)} … {shown.figure(fit.to_reading)} {shown.symbol}",
        ),
    ]
    months = series.settings.calibration_months
    if record.due_us is not None:
        late = record.due_us < now_us
        facts.append((tr("Overdue since") if late else tr("Due again"), _when(record.due_us, zone)))
    elif months is not None:
        facts.append(
            (tr("Due again"), tr_count(round(months), "1 month after", "{0} months after"))
        )
    return SideNotes(
        over,
        tr("Calibration"),
        big,
        after,
        tr("This correction is in force.") if record.is_taken else record.refused,
        None,
        tuple(buttons),
        tuple(facts),
        record.notes,
    )
