"""What is written out, and its readings piece by piece, so that years take no more memory than a
week."""

from __future__ import annotations

import enum
import math
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray, IntArray, QualityArray, TimeArray
from rook_tally.core.comparing.profiles import window_integrals
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.averaging import value_of
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.store.readings import read_range, read_raw_range, span_of
from rook_tally.store.site import Series

Reading = Callable[[], AbstractContextManager[Connection]]
"""Begins a transaction that reads (`Store.read`)."""

_ROWS_A_PIECE = 250_000
_LEAST_EVERY_S = 1.0


class ExportForm(enum.StrEnum):
    """A form in which readings are written out."""

    CSV = "csv"
    JSON_LINES = "jsonl"
    SENML_JSON = "senml"
    SENML_CBOR = "senml-cbor"
    PARQUET = "parquet"


class ExportWish(msgspec.Struct, frozen=True):
    """Which readings are wanted and how: of [start, end) (None for all there is), raw or corrected,
    as they are or as means of `every_s`; `wide` has a column a series."""

    series: tuple[Series, ...]
    form: ExportForm
    start_us: int | None = None
    end_us: int | None = None
    raw: bool = False
    every_s: float | None = None
    wide: bool = False


def checked_wish(wish: ExportWish) -> ExportWish:
    """The wish, if it can be.

    Raises
    ------
    UsageError
        For a stretch that ends before it begins, or steps below a second.
    """
    if wish.start_us is not None and wish.end_us is not None and wish.end_us <= wish.start_us:
        raise UsageError("the stretch ends before it begins", remedy="give a later end")
    if wish.every_s is not None and not wish.every_s >= _LEAST_EVERY_S:
        raise UsageError("means are of a second or longer", remedy="as in 5min")
    if wish.wide and wish.form in (ExportForm.SENML_JSON, ExportForm.SENML_CBOR):
        raise UsageError("SenML has no columns", remedy="leave wide out")
    return wish


class ExportPiece(msgspec.Struct, frozen=True):
    """Readings ordered by time, (N,) each: which of the series, moment, value, quality."""

    which: IntArray
    time_us: TimeArray
    value: FloatArray
    quality: QualityArray

    def __len__(self) -> int:
        return len(self.time_us)


def stretch_of(reading: Reading, wish: ExportWish) -> tuple[int, int]:
    """From where to where there is anything: [start, end); (0, 0) for nothing."""
    with reading() as connection:
        span = span_of(connection, [one.id for one in wish.series])
    if span is None:
        return 0, 0
    first = span[0] if wish.start_us is None else max(span[0], wish.start_us)
    last = span[1] + 1 if wish.end_us is None else min(span[1] + 1, wish.end_us)
    return (first, last) if last > first else (0, 0)


def pieces(
    reading: Reading,
    wish: ExportWish,
    progress: Callable[[float], None] | None = None,
    *,
    rows: int = _ROWS_A_PIECE,
) -> Iterator[ExportPiece]:
    """The readings, piece after piece of about so many rows; each is read in a transaction of its
    own, so that whoever takes them slowly holds nothing up."""
    first, last = stretch_of(reading, wish)
    if last <= first or not wish.series:
        return
    a_day = sum(86_400 / max(one.station.cadence_s, 0.1) for one in wish.series)
    length_us = max(1, int(rows / max(a_day, 1e-9) * DAY_US))
    if wish.every_s is not None:
        # A piece holds whole steps, counted from the day 1970 began with.
        step_us = round(wish.every_s * SECOND_US)
        first = first // step_us * step_us
        length_us = max(step_us, length_us // step_us * step_us)
    end_us = first
    while end_us < last:
        begin_us, end_us = end_us, min(end_us + length_us, last)
        with reading() as connection:
            if wish.every_s is None:
                told = _as_it_is(connection, wish, begin_us, end_us)
            else:
                told = _means(connection, wish, begin_us, end_us, round(wish.every_s * SECOND_US))
        if len(told) < rows // 4:
            # Stations that have a cadence and say nothing are no measure of what there is.
            length_us *= 2
        if len(told):
            yield told
        if progress is not None:
            progress((end_us - first) / (last - first))


def _as_it_is(connection: Connection, wish: ExportWish, begin_us: int, end_us: int) -> ExportPiece:
    read = read_raw_range if wish.raw else read_range
    parts = [read(connection, one.id, begin_us, end_us) for one in wish.series]
    if len(parts) == 1:
        (one,) = parts
        return ExportPiece(np.zeros(len(one), np.int64), one.time_us, one.value, one.quality)
    which = np.repeat(np.arange(len(parts)), [len(part) for part in parts])
    time_us = np.concatenate([part.time_us for part in parts])
    order = np.argsort(time_us, kind="stable")
    return ExportPiece(
        which[order],
        time_us[order],
        np.concatenate([part.value for part in parts])[order],
        np.concatenate([part.quality for part in parts])[order],
    )


def _means(
    connection: Connection, wish: ExportWish, begin_us: int, end_us: int, step_us: int
) -> ExportPiece:
    """Time-weighted means of good readings over equal steps; nothing where a gap is."""
    read = read_raw_range if wish.raw else read_range
    count = -(-(end_us - begin_us) // step_us)
    edges = begin_us + np.arange(count + 1, dtype=np.int64) * step_us
    values, known = [], []
    for one in wish.series:
        gap_s = max_gap_s(one.station.cadence_s)
        margin_us = round(gap_s * SECOND_US)
        averaging = one.quantity.averaging
        heard = window_integrals(
            read(connection, one.id, begin_us - margin_us, int(edges[-1]) + margin_us),
            edges,
            max_gap_s=gap_s,
            cadence_s=one.station.cadence_s,
            averaging=averaging,
        )
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = np.asarray(value_of(averaging, heard.integral / heard.covered_s), np.float64)
        values.append(mean)
        known.append((heard.covered_s > 0) & np.isfinite(mean))
    # By time, then by series.
    table, there = np.stack(values, axis=1), np.stack(known, axis=1)
    row, which = np.nonzero(there)
    return ExportPiece(
        which.astype(np.int64), edges[row], table[row, which], np.zeros(len(row), np.uint8)
    )


def wide_rows(piece: ExportPiece, count: int) -> tuple[TimeArray, FloatArray]:
    """A piece as rows: (M,) moments that rise, and (M, count) values, NaN where a series has none.
    What is suspect is left out: a cell has no room for that word."""
    good = piece.quality == 0
    time_us, which, value = piece.time_us[good], piece.which[good], piece.value[good]
    moments, row = np.unique(time_us, return_inverse=True)
    table = np.full((len(moments), count), math.nan)
    table[row, which] = value
    return moments, table
