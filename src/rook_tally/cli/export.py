"""`rook-tally export`."""

from __future__ import annotations

import contextlib
import csv
import os
import sys
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TextIO, cast

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.cli.choice import chosen_series
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.readings import Quality
from rook_tally.core.timestamps import DAY_US, rfc3339, time_us_from_text
from rook_tally.store import Series, load_site, open_store, read_range, read_raw_range, span_of

HEADER = ("time", "place", "station", "field", "quantity", "value", "unit", "quality")


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
    start_us, end_us = _moment(from_, "--from"), _moment(to, "--to")
    store = open_store(where, create=False)
    try:
        with store.read() as connection:
            chosen = chosen_series(load_site(connection), station, quantity)
            with _opened(output) as target:
                writer = csv.writer(target)
                writer.writerow(HEADER)
                for rows in _days_of_rows(connection, chosen, start_us, end_us, raw=raw):
                    writer.writerows(rows)
    finally:
        store.close()


def _moment(text: str | None, option: str) -> int | None:
    if text is None:
        return None
    try:
        return time_us_from_text(text)
    except ValueError as error:
        raise UsageError(f"{option}: {error}") from None


def _days_of_rows(
    connection: Connection,
    chosen: Sequence[Series],
    start_us: int | None,
    end_us: int | None,
    *,
    raw: bool,
) -> Iterator[list[tuple[object, ...]]]:
    """The rows of one day after the other, each day ordered by time, so that memory stays small."""
    span = span_of(connection)
    if span is None or not chosen:
        return
    first = span[0] if start_us is None else max(span[0], start_us)
    last = span[1] + 1 if end_us is None else min(span[1] + 1, end_us)
    read = read_raw_range if raw else read_range
    for day_us in range(first, last, DAY_US):
        parts = [read(connection, one.id, day_us, min(day_us + DAY_US, last)) for one in chosen]
        which = np.repeat(np.arange(len(chosen)), [len(part) for part in parts])
        time_us = np.concatenate([part.time_us for part in parts])
        value = np.concatenate([part.value for part in parts])
        quality = np.concatenate([part.quality for part in parts])
        order = np.argsort(time_us, kind="stable")
        columns = (which[order], time_us[order], value[order], quality[order])
        yield [
            _row(chosen[at], moment, number, code)
            for at, moment, number, code in zip(*(column.tolist() for column in columns),
                                                strict=True)
        ]  # fmt: skip


def _row(one: Series, time_us: int, value: float, quality: int) -> tuple[object, ...]:
    return (
        rfc3339(time_us), one.station.place.name, one.station.key, one.field, one.quantity.slug,
        repr(value), one.quantity.base.symbol, Quality(quality).wording,
    )  # fmt: skip


@contextlib.contextmanager
def _opened(output: Path | None) -> Iterator[TextIO]:
    if output is None:
        yield sys.stdout
        sys.stdout.flush()
        return
    try:
        with tempfile.NamedTemporaryFile(
            "w", encoding="utf-8", newline="", dir=output.parent, prefix=f".{output.name}.",
            delete=False,
        ) as unfinished:  # fmt: skip
            path = Path(unfinished.name)
            try:
                yield cast("TextIO", unfinished)
                unfinished.flush()
                os.fsync(unfinished.fileno())
                path.chmod(0o644)
                path.replace(output)
            except BaseException:
                path.unlink(missing_ok=True)
                raise
    except OSError as error:
        raise RookTallyError(
            f"{output} cannot be written: {error.strerror or error}", remedy="name another file"
        ) from error
