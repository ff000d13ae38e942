"""`rook-tally export`."""

from __future__ import annotations

import contextlib
import csv
import sys
from collections.abc import Iterator
from datetime import tzinfo
from pathlib import Path
from typing import TextIO
from zoneinfo import ZoneInfo

from rook_tally.cli.selectors import chosen_series
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.store.exchange.csv_rows import HEADER, days_of_rows, whole_file
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
) -> None:
    """Write the readings asked for as RFC 4180 CSV, ordered by time, to a file or stdout.

    A file is only put in place once it is whole.
    """
    if form != "csv":
        raise UsageError(f"there is no format {form!r}", remedy="the format is csv")
    with existing_store(where) as store:
        with store.read() as connection:
            site = load_site(connection)
        zone = ZoneInfo(site.zone)
        start_us, end_us = _moment(from_, "--from", zone), _moment(to, "--to", zone)
        chosen = chosen_series(site, station, quantity)
        with _opened(output) as target:
            writer = csv.writer(target)
            writer.writerow(HEADER)
            for rows in days_of_rows(store.read, chosen, start_us, end_us, raw=raw):
                writer.writerows(rows)


def _moment(text: str | None, option: str, zone: tzinfo) -> int | None:
    if text is None:
        return None
    try:
        return time_us_from_text(text, zone)
    except ValueError as error:
        raise UsageError(f"{option}: {error}") from None


@contextlib.contextmanager
def _opened(output: Path | None) -> Iterator[TextIO]:
    if output is None:
        yield sys.stdout
        sys.stdout.flush()
        return
    with whole_file(output) as target:
        yield target
