"""`rook-tally export`."""

from __future__ import annotations

import sys
from datetime import tzinfo
from pathlib import Path
from zoneinfo import ZoneInfo

from rook_tally.cli.progress_line import progress_line
from rook_tally.cli.selectors import chosen_series
from rook_tally.core.alarms.files import seconds_of
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import time_us_from_text
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
        zone = ZoneInfo(site.zone)
        wish = ExportWish(
            tuple(chosen_series(site, station, quantity)),
            chosen_form,
            _moment(from_, "--from", zone),
            _moment(to, "--to", zone),
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


def _moment(text: str | None, option: str, zone: tzinfo) -> int | None:
    if text is None:
        return None
    try:
        return time_us_from_text(text, zone)
    except ValueError as error:
        raise UsageError(f"{option}: {error}") from None
