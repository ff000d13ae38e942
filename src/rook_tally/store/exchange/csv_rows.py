"""Readings as rows of a table, for files that leave the store."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from typing import TextIO, cast

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.errors import RookTallyError
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import DAY_US, rfc3339
from rook_tally.store.readings.query import read_range, read_raw_range, span_of
from rook_tally.store.site.site import Series

HEADER = ("time", "place", "station", "field", "quantity", "value", "unit", "quality")


def days_of_rows(
    reading: Callable[[], AbstractContextManager[Connection]],
    chosen: Sequence[Series],
    start_us: int | None,
    end_us: int | None,
    *,
    raw: bool = False,
    as_shown: bool = False,
) -> Iterator[list[tuple[object, ...]]]:
    """The rows of one day after the other, each day ordered by time, so that memory stays small.

    `raw` leaves corrections out; `as_shown` gives values in the unit they are shown in. Every day
    is read by itself, in a transaction that `reading` begins (`Store.read`): whoever takes the rows
    slowly holds nothing up in the store meanwhile.
    """
    with reading() as connection:
        span = span_of(connection)
    if span is None or not chosen:
        return
    first = span[0] if start_us is None else max(span[0], start_us)
    last = span[1] + 1 if end_us is None else min(span[1] + 1, end_us)
    read = read_raw_range if raw else read_range
    for day_us in range(first, last, DAY_US):
        with reading() as connection:
            parts = [read(connection, one.id, day_us, min(day_us + DAY_US, last)) for one in chosen]
        which = np.repeat(np.arange(len(chosen)), [len(part) for part in parts])
        time_us = np.concatenate([part.time_us for part in parts])
        value = np.concatenate([part.value for part in parts])
        quality = np.concatenate([part.quality for part in parts])
        order = np.argsort(time_us, kind="stable")
        columns = (which[order], time_us[order], value[order], quality[order])
        yield [
            _row(chosen[at], moment, number, code, as_shown=as_shown)
            for at, moment, number, code in zip(
                *(column.tolist() for column in columns), strict=True
            )
        ]


def _row(
    one: Series, time_us: int, value: float, quality: int, *, as_shown: bool
) -> tuple[object, ...]:
    shown = one.shown
    number = float(shown.value(value)) if as_shown else value
    symbol = shown.symbol if as_shown else one.quantity.base.symbol
    return (
        rfc3339(time_us),
        guarded(one.station.place.name),
        guarded(one.station.key),
        guarded(one.field),
        one.quantity.slug,
        repr(number),
        symbol,
        Quality(quality).wording,
    )


# What a spreadsheet would run as a formula when a cell begins with it.
_RUN = ("=", "+", "-", "@", "\t", "\r", "'")


def guarded(name: str) -> str:
    """A name as a cell that no spreadsheet runs: with an apostrophe before what it would."""
    return f"'{name}" if name.startswith(_RUN) else name


def unguarded(cell: str) -> str:
    """The name that a guarded cell holds."""
    return cell[1:] if cell.startswith("'") and cell[1:].startswith(_RUN) else cell


@contextlib.contextmanager
def whole_file(output: Path) -> Iterator[TextIO]:
    """A text file that is only put in place once it is whole.

    Raises
    ------
    RookTallyError
        When it cannot be written.
    """
    try:
        with tempfile.NamedTemporaryFile(
            "w",
            encoding="utf-8",
            newline="",
            dir=output.parent,
            prefix=f".{output.name}.",
            delete=False,
        ) as unfinished:
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
