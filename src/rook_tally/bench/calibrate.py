"""A sensor's reference points, what they say of its gain and offset, and its record."""

from __future__ import annotations

import csv
import math
from datetime import tzinfo
from pathlib import Path

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.bench.texts import tr, tr_count
from rook_tally.bench.wording import Sentence, in_unit, long_name, plus_minus
from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.calibration import Calibration, CalibrationModel, calibrate_points
from rook_tally.core.comparing.intervals import student_quantile
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.series.corrections import Correction, CorrectionUncertainty
from rook_tally.core.timestamps import SECOND_US, time_us_from_text
from rook_tally.store.readings import read_raw_range
from rook_tally.store.site import CorrectionEntry, Series, correction_entries
from rook_tally.store.site.reference_points import ReferencePoint, due_after, reference_points

STRETCH_S = 300.0
_UNSTEADY = 0.5


class CalibrationRecord(msgspec.Struct, frozen=True):
    """All that is known of a sensor's trueness: its points, the fit of those since the last
    calibration, the corrections made. `due_us`: when it is to be calibrated again, None for never.

    `fit` and `proposal` are about raw readings; `residuals` (N,) belong to `points`.
    """

    series: Series
    sentence: Sentence
    points: tuple[ReferencePoint, ...]
    fit: Calibration
    residuals: FloatArray
    proposal: Correction | None
    uncertainty: CorrectionUncertainty | None
    refused: str
    corrections: tuple[CorrectionEntry, ...]
    due_us: int | None
    notes: tuple[str, ...]

    @property
    def is_taken(self) -> bool:
        """True if the correction in force is what the points say."""
        if self.proposal is None or not self.corrections:
            return False
        held = max(self.corrections, key=lambda one: one.correction.from_us).correction
        return math.isclose(held.gain, self.proposal.gain, rel_tol=1e-9) and math.isclose(
            held.offset, self.proposal.offset, rel_tol=1e-9, abs_tol=1e-12
        )


def record_of(
    connection: Connection, series: Series, *, now_us: int, model: CalibrationModel | None = None
) -> CalibrationRecord:
    """The record of a series. The points fitted are those since the box was last another one."""
    points = reference_points(connection, series.id)
    entries = correction_entries(connection, series.id)
    begun = max(
        (one.correction.from_us for one in entries if "instead of" in one.why), default=-(1 << 62)
    )
    fitted = [one for one in points if one.time_us >= begun]
    reading, reference = (
        np.array([getattr(one, name) for one in fitted], np.float64)
        for name in ("reading", "reference")
    )
    told = [one.u_reference for one in fitted]
    u = None
    if fitted and all(one is not None for one in told):
        u = np.array(told, np.float64)
    fit = calibrate_points(reading, reference, u, model=model)
    everywhere = np.array([one.reference for one in points], np.float64)
    readings = np.array([one.reading for one in points], np.float64)
    residuals = everywhere - (fit.gain * readings + fit.offset)
    proposal, uncertainty, refused = _proposed(fit, fitted)
    return CalibrationRecord(
        series,
        _sentence(series, fit),
        tuple(points),
        fit,
        residuals,
        proposal,
        uncertainty,
        refused,
        tuple(entries),
        due_us(series, points, entries),
        _notes(series, fitted, fit, told),
    )


def due_us(
    series: Series, points: list[ReferencePoint], entries: list[CorrectionEntry]
) -> int | None:
    """When the next calibration is due; None where nobody said after how long, or it never was."""
    months = series.settings.calibration_months
    if months is None:
        return None
    done = [*(one.time_us for one in points), *(one.made_us for one in entries)]
    return due_after(months, max(done)) if done else None


def _proposed(
    fit: Calibration, fitted: list[ReferencePoint]
) -> tuple[Correction | None, CorrectionUncertainty | None, str]:
    if not fitted:
        return None, None, tr("There is no reference point yet.")
    if not (math.isfinite(fit.gain) and math.isfinite(fit.offset)):
        return None, None, tr("The points do not say a gain: their readings are all alike.")
    if fit.gain <= 0:
        words = tr("By these points the sensor falls where the meter rises: look at each of them.")
        return None, None, words
    if fit.model is CalibrationModel.LINE and fit.n == 2 and not math.isfinite(fit.se_gain):
        sure = None
    else:
        known = math.isfinite(fit.se_offset)
        sure = CorrectionUncertainty(fit.se_gain, fit.se_offset, fit.cov) if known else None
    return Correction(fitted[-1].time_us, fit.gain, fit.offset), sure, ""


def _sentence(series: Series, fit: Calibration) -> Sentence:
    name = long_name(series)
    if not fit.n:
        return Sentence(tr("{0} has no reference point yet.", name))
    shown, points = series.shown, tr_count(fit.n, "one point", "{0} points")
    degrees = fit.n - (2 if fit.model is CalibrationModel.LINE else 1)
    wide = student_quantile(0.95, degrees) if degrees > 0 else 1.96
    if fit.model is CalibrationModel.LINE and math.isfinite(fit.gain):
        strong = tr("× {0}", plus_minus(fit.gain, wide * fit.se_gain))
        at_zero = in_unit(shown, _offset_shown(shown, fit), math.nan, signed=True)
        return Sentence(
            tr("{0} reads true with {1} and {2} ({3}).", name, strong, at_zero, points), (strong,)
        )
    if not math.isfinite(fit.offset):
        return Sentence(tr("The points of {0} do not say how it reads.", name))
    size = in_unit(shown, abs(fit.offset), wide * fit.se_offset)
    strong = (
        tr("{0} too low", size)
        if fit.offset > 0
        else tr("{0} too high", size)
        if fit.offset < 0
        else tr("true")
    )
    return Sentence(tr("{0} reads {1} ({2}).", name, strong, points), (strong,))


def _offset_shown(shown: DisplayUnit, fit: Calibration) -> float:
    """The offset of a line as a difference in the base unit for readings in the unit shown."""
    zero = shown.unit.offset
    return fit.offset - zero * (1 - fit.gain)


def _notes(
    series: Series, fitted: list[ReferencePoint], fit: Calibration, told: list[float | None]
) -> tuple[str, ...]:
    notes = []
    shaky = [
        one for one in fitted if one.reading_sd > _UNSTEADY * max(series.quantity.accuracy, 1e-12)
    ]
    if shaky:
        notes.append(
            tr_count(
                len(shaky),
                "At one point the sensor was not steady.",
                "At {0} points the sensor was not steady.",
            )
        )
    if any(one is not None for one in told) and not all(one is not None for one in told):
        notes.append(tr("Some points say how sure the meter is and some do not: none is weighed."))
    if fit.n == 2 and fit.model is CalibrationModel.LINE and not math.isfinite(fit.se_gain):
        notes.append(tr("Two points give a line that nothing checks."))
    if math.isfinite(fit.scatter_ratio) and fit.scatter_ratio > 2:
        notes.append(
            tr("The points scatter more than their uncertainties say: look at each of them.")
        )
    if fit.n:
        shown = series.shown
        low, high = shown.figure(fit.from_reading), shown.figure(fit.to_reading)
        notes.append(tr("Tried between {0} and {1} {2} only.", low, high, shown.symbol).rstrip())
        notes.append(
            tr("The figures cover scatter; what the meter itself is wrong by is not in them.")
        )
    return tuple(notes)


class SteadyReading(msgspec.Struct, frozen=True):
    """Raw readings around a moment: their mean, spread and number, and whether they were steady."""

    mean: float
    sd: float
    count: int
    is_steady: bool


def reading_around(
    connection: Connection, series: Series, at_us: int, over_s: float, now_us: int
) -> SteadyReading:
    """The raw mean of a series over a stretch around a moment, which ends now at the latest.

    Raises
    ------
    UsageError
        When it was not heard then.
    """
    half = round(max(over_s, 2 * series.station.cadence_s) * SECOND_US / 2)
    end_us = min(at_us + half, now_us)
    readings = read_raw_range(connection, series.id, end_us - 2 * half, end_us + 1)
    value = readings.value[readings.good]
    if not len(value):
        raise UsageError(
            tr("{0} was not heard at that moment", long_name(series)),
            kept=tr("nothing was changed"),
            remedy=tr("give a moment at which it was, or a longer stretch"),
        )
    sd = float(value.std(ddof=1)) if len(value) > 1 else 0.0
    steady = sd <= _UNSTEADY * max(series.quantity.accuracy, 1e-12)
    return SteadyReading(float(value.mean()), sd, len(value), steady)


class PointRow(msgspec.Struct, frozen=True):
    """A point as somebody wrote it down, in the unit shown."""

    time_us: int
    value: float
    uncertainty: float | None = None
    meter: str = ""
    note: str = ""


def points_in_csv(path: Path, zone: tzinfo) -> list[PointRow]:
    """Points of a CSV file with the columns time and value, and perhaps uncertainty, meter, note.

    Raises
    ------
    UsageError
        For a file without those columns, or a row that cannot be read; it names the row.
    """
    try:
        text = path.read_text("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{path} cannot be read: {error}", kept="nothing was changed") from None
    told = csv.DictReader(text.splitlines())
    names = [one.strip().casefold() for one in told.fieldnames or []]
    if "time" not in names or "value" not in names:
        raise UsageError(
            f"{path} has no columns time and value",
            kept="nothing was changed",
            remedy="a first row such as: time,value,uncertainty,meter,note",
        )
    told.fieldnames = names
    found = []
    for number, row in enumerate(told, 2):
        try:
            wide = (row.get("uncertainty") or "").strip()
            found.append(
                PointRow(
                    time_us_from_text(row["time"].strip(), zone),
                    typed_number(row["value"]),
                    typed_number(wide) if wide else None,
                    (row.get("meter") or "").strip(),
                    (row.get("note") or "").strip(),
                )
            )
        except (ValueError, AttributeError, UsageError) as error:
            raise UsageError(
                f"row {number} of {path} cannot be read: {error}",
                kept="nothing was changed",
                remedy="correct that row and read the file again",
            ) from None
    return found


def new_point(
    connection: Connection, series: Series, row: PointRow, *, over_s: float, who: str, now_us: int
) -> tuple[ReferencePoint, SteadyReading]:
    """A point of what somebody wrote down and what the sensor said then.

    Raises
    ------
    UsageError
        When the sensor was not heard then, or an uncertainty is not above 0.
    """
    if row.uncertainty is not None and not row.uncertainty > 0:
        raise UsageError(
            "an uncertainty is above 0", kept="nothing was changed", remedy="leave it out, or ±0.2"
        )
    if row.time_us > now_us:
        raise UsageError(
            "that moment is still to come", kept="nothing was changed", remedy="give a past one"
        )
    seen = reading_around(connection, series, row.time_us, over_s, now_us)
    unit = series.shown.unit
    point = ReferencePoint(
        series.id,
        row.time_us,
        seen.mean,
        seen.sd,
        float(unit.to_base(row.value)),
        None if row.uncertainty is None else row.uncertainty * unit.factor,
        row.meter,
        row.note,
        who,
        now_us,
    )
    return point, seen
