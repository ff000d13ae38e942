"""`rook-tally calibrate`."""

from __future__ import annotations

import math
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
import typer
from sqlalchemy.engine import Connection

from rook_tally import clock
from rook_tally.bench.calibrate import (
    CalibrationRecord,
    PointRow,
    new_point,
    points_in_csv,
    record_of,
)
from rook_tally.bench.naming import reference_of, series_named
from rook_tally.cli.changing import changing
from rook_tally.cli.moments import moment_us
from rook_tally.core.comparing.calibration import CalibrationModel
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.series.corrections import Correction, correction_text
from rook_tally.core.timestamps import rfc3339
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site import Series, Site, add_correction, load_site
from rook_tally.store.site.reference_points import add_reference_point, remove_reference_point


class Asked(msgspec.Struct, frozen=True, kw_only=True):
    """What a person asked for, as typed."""

    quantity: str = ""
    point: str | None = None
    at: str = "now"
    over_s: float = 300.0
    uncertainty: str | None = None
    meter: str = ""
    note: str = ""
    file: Path | None = None
    remove: int | None = None
    apply: bool = False
    from_: str | None = None
    model: str = "auto"
    due: float | None = None

    @property
    def changes(self) -> bool:
        """True if anything is to be changed."""
        return (
            self.point is not None
            or self.file is not None
            or self.remove is not None
            or self.apply
            or self.due is not None
        )


def calibrate_sensor(where: str, name: str, asked: Asked, *, as_json: bool) -> None:
    """Do what was asked with a sensor's points, then print its record.

    Raises
    ------
    UsageError
        For what cannot be meant; nothing was changed then.
    """
    if asked.model not in ("auto", *CalibrationModel):
        raise UsageError(f"there is no model {asked.model!r}", remedy="say auto, offset or line")
    model = None if asked.model == "auto" else CalibrationModel(asked.model)
    said: list[str] = []
    if asked.changes:
        with changing(where) as connection:
            site = load_site(connection)
            series = series_named(site, name, asked.quantity)
            said = _change(connection, site, series, asked, model)
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        series = series_named(site, name, asked.quantity)
        record = record_of(connection, series, now_us=clock.now_us(), model=model)
    if as_json:
        typer.echo(msgspec.json.encode(_told(record)).decode())
        return
    for line in said:
        typer.echo(line)
    _print(record)


def _change(
    connection: Connection, site: Site, series: Series, asked: Asked, model: CalibrationModel | None
) -> list[str]:
    now_us, zone = clock.now_us(), ZoneInfo(site.zone)
    rows = []
    if asked.point is not None:
        wide = asked.uncertainty
        rows.append(
            PointRow(
                moment_us(asked.at, now_us=now_us, zone=zone),
                typed_number(asked.point),
                None if wide is None else typed_number(wide.lstrip("±+ ")),
                asked.meter,
                asked.note,
            )
        )
    if asked.file is not None:
        rows += points_in_csv(asked.file, zone)
    said = []
    for row in rows:
        point, seen = new_point(
            connection, series, row, over_s=asked.over_s, who=login_name(), now_us=now_us
        )
        number = add_reference_point(connection, point)
        shown = series.shown
        said.append(
            f"point {number}: the sensor said {shown.figure(seen.mean, more=1)} {shown.symbol}, "
            f"the meter {shown.figure(point.reference, more=1)}"
        )
        if not seen.is_steady:
            said.append("note: the sensor was not steady then")
    if asked.remove is not None:
        gone = remove_reference_point(connection, asked.remove)
        if gone.series_id != series.id:
            raise UsageError(
                f"point {asked.remove} is not one of {reference_of(series)}",
                kept="nothing was changed",
                remedy="see the list of this sensor",
            )
        said.append(f"point {asked.remove} was taken away")
    if asked.due is not None:
        months = asked.due or None
        settle_field(
            connection, series, msgspec.structs.replace(series.settings, calibration_months=months)
        )
        said.append(f"due again after {months:g} months" if months else "never due again")
    if asked.apply:
        said.append(_apply(connection, series, asked, model, now_us, zone))
    return said


def _apply(
    connection: Connection,
    series: Series,
    asked: Asked,
    model: CalibrationModel | None,
    now_us: int,
    zone: ZoneInfo,
) -> str:
    record = record_of(connection, series, now_us=now_us, model=model)
    if record.proposal is None:
        raise UsageError(record.refused.rstrip("."), kept="nothing was corrected")
    from_us = record.proposal.from_us
    if asked.from_ is not None:
        from_us = moment_us(asked.from_, now_us=now_us, zone=zone)
    correction = Correction(from_us, record.proposal.gain, record.proposal.offset)
    meters = ", ".join(sorted({one.meter for one in record.points if one.meter}))
    add_correction(
        connection,
        series.id,
        correction,
        who=login_name(),
        why=f"{record.fit.n} reference points" + (f", {meters}" if meters else ""),
        now_us=now_us,
        uncertainty=record.uncertainty,
    )
    return f"corrected: {correction_text(correction, series.shown)} from {rfc3339(from_us)}"


def _told(record: CalibrationRecord) -> dict[str, object]:
    shown, fit = record.series.shown, record.fit
    return {
        "sentence": record.sentence.text,
        "series": reference_of(record.series),
        "unit": record.series.quantity.base.symbol,
        "points": [
            {
                "id": one.id,
                "time": rfc3339(one.time_us),
                "reading": one.reading,
                "reading_sd": one.reading_sd,
                "reference": one.reference,
                "uncertainty": one.u_reference,
                "residual": _plain(float(left)),
                "meter": one.meter,
                "note": one.note,
                "who": one.who,
            }
            for one, left in zip(record.points, record.residuals, strict=True)
        ],
        "model": None if fit.model is None else fit.model.value,
        "gain": _plain(fit.gain),
        "offset": _plain(fit.offset),
        "se_gain": _plain(fit.se_gain),
        "se_offset": _plain(fit.se_offset),
        "p_gain": _plain(fit.p_gain),
        "from_reading": _plain(fit.from_reading),
        "to_reading": _plain(fit.to_reading),
        "refused": record.refused or None,
        "corrections": [
            {
                "from": rfc3339(one.correction.from_us),
                "gain": one.correction.gain,
                "offset": one.correction.offset,
                "text": correction_text(one.correction, shown),
                "who": one.who,
                "why": one.why,
                "made": rfc3339(one.made_us),
            }
            for one in record.corrections
        ],
        "due": None if record.due_us is None else rfc3339(record.due_us),
        "notes": list(record.notes),
    }


def _plain(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _print(record: CalibrationRecord) -> None:
    shown = record.series.shown
    typer.echo(record.sentence.text)
    for one, left in zip(record.points, record.residuals, strict=True):
        sure = (
            ""
            if one.u_reference is None
            else f" ±{shown.difference_figure(one.u_reference, more=1)}"
        )
        typer.echo(
            f"{one.id:>5}  {rfc3339(one.time_us)[:16]}  "
            f"sensor {shown.figure(one.reading, more=1)}  "
            f"meter {shown.figure(one.reference, more=1)}{sure} {shown.symbol}  "
            f"left {shown.difference_figure(float(left), more=1)}  {one.meter}".rstrip()
        )
    for entry in record.corrections:
        typer.echo(
            f"  corrected {correction_text(entry.correction, shown)} from "
            f"{rfc3339(entry.correction.from_us)[:16]} by {entry.who}: {entry.why}"
        )
    if record.due_us is not None:
        late = record.due_us < clock.now_us()
        typer.echo(("Overdue since " if late else "Due again ") + rfc3339(record.due_us)[:10])
    for note in record.notes:
        typer.echo(f"note: {note}")
