"""`rook-tally export`."""

from __future__ import annotations

import sys
from pathlib import Path
from zoneinfo import ZoneInfo

from rook_tally.cli.moments import moment_us
from rook_tally.cli.progress_line import progress_line
from rook_tally.cli.selectors import chosen_series
from rook_tally.clock import now_us
from rook_tally.core.alarms.files import seconds_of
from rook_tally.core.errors import UsageError
from rook_tally.export.files import export_file, export_into
from rook_tally.export.pieces import ExportForm, ExportWish
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site


def write_export(
    where: str,
    *,
    station: str | None,
    quantity: str | None,
    from_: str | None,
    to: str | None,
    form: str,
    output: Path | None,
    raw: bool = False,
    every: str = "",
    wide: bool = False,
    with_manifest: bool = True,
) -> None:
    """Write the readings asked for, ordered by time, to a file or stdout.

    A file is only put in place once it is whole, and its manifest beside it.
    """
    try:
        chosen_form = ExportForm(form)
    except ValueError:
        raise UsageError(
            f"there is no format {form!r}", remedy=f"formats: {', '.join(ExportForm)}"
        ) from None
    with existing_store(where) as store:
        with store.read() as connection:
            site = load_site(connection)
        asked_us, zone = now_us(), ZoneInfo(site.zone)
        start_us, end_us = (
            None if one is None else moment_us(one, now_us=asked_us, zone=zone)
            for one in (from_, to)
        )
        wish = ExportWish(
            tuple(chosen_series(site, station, quantity)),
            chosen_form,
            start_us,
            end_us,
            raw,
            _span(every) if every else None,
            wide,
        )
        if output is None:
            if chosen_form is ExportForm.PARQUET:
                raise UsageError("Parquet is written into a file", remedy="give one with -o")
            export_into(store.read, wish, sys.stdout.buffer)
            sys.stdout.flush()
            return
        with progress_line("writing") as progress:
            export_file(store.read, wish, output, with_manifest=with_manifest, progress=progress)


def _span(text: str) -> float:
    try:
        return seconds_of(text)
    except ValueError as error:
        raise UsageError(f"--every: {error}", remedy="as in 5min") from None
