"""A site for notebooks, to read only: places, stations, series, and readings as NumPy arrays.

import rook_tally
site = rook_tally.open_site("/path/to/site.db")
readings = site.series("kiln-probe/temp").readings("2026-11-01", "2026-11-08")
readings.time, readings.value
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import Any, Self
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import FloatArray, QualityArray
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import time_us_from_datetime, time_us_from_text
from rook_tally.store.base import Store
from rook_tally.store.maintenance.opening import open_store
from rook_tally.store.readings import envelopes, read_range, read_raw_range
from rook_tally.store.site import Place, Series, Site, Station, load_site

When = str | datetime | np.datetime64 | None
"""A moment: local text such as 2026-11-01T06:00 or with an offset, a datetime, None for no end."""
_FAR_US = 1 << 60


class SeriesReadings:
    """Readings of a series, (N,) each: `time` (datetime64[us], UTC), `value` in `unit`, `quality`
    (0 good). `good` leaves out what is suspect."""

    def __init__(
        self,
        name: str,
        unit: str,
        time: NDArray[np.datetime64],
        value: FloatArray,
        quality: QualityArray,
    ) -> None:
        self.name, self.unit = name, unit
        self.time, self.value, self.quality = time, value, quality

    def __len__(self) -> int:
        return len(self.time)

    @property
    def good(self) -> SeriesReadings:
        """Those that are not suspect."""
        keep = self.quality == 0
        return SeriesReadings(
            self.name, self.unit, self.time[keep], self.value[keep], self.quality[keep]
        )

    def to_pandas(self) -> Any:
        """A pandas Series with a UTC index; ImportError where pandas is not there."""
        import pandas as pd

        index = pd.DatetimeIndex(self.time, tz="UTC", name="time")
        return pd.Series(self.value, index=index, name=self.name)

    def to_polars(self) -> Any:
        """A polars DataFrame of time and value; ImportError where polars is not there."""
        import polars as pl

        return pl.DataFrame({"time": self.time, self.name: self.value})


class SeriesEnvelope:
    """Lowest, mean and highest of each column, (C,) each, NaN where nothing was heard; `time` is
    where a column begins."""

    def __init__(
        self,
        time: NDArray[np.datetime64],
        low: FloatArray,
        mean: FloatArray,
        high: FloatArray,
        count: NDArray[np.int64],
    ) -> None:
        self.time, self.low, self.mean, self.high, self.count = time, low, mean, high, count


class OpenSeries:
    """A series of a site."""

    def __init__(self, site: OpenSite, series: Series) -> None:
        self._site, self._series = site, series
        self.name = f"{series.station.key}/{series.field}"
        self.station, self.field = series.station.key, series.field
        self.place, self.quantity = series.station.place.name, series.quantity.slug
        self.unit, self.cadence_s = series.quantity.base.symbol, series.station.cadence_s

    def __repr__(self) -> str:
        return f"<{self.name}: {self.quantity} in {self.place}, {self.unit or 'state'}>"

    def readings(
        self, start: When = None, end: When = None, *, raw: bool = False
    ) -> SeriesReadings:
        """Readings of [start, end), corrected unless raw ones are wanted."""
        start_us, end_us = self._site.stretch(start, end)
        read = read_raw_range if raw else read_range
        with self._site.store.read() as connection:
            told = read(connection, self._series.id, start_us, end_us)
        time = told.time_us.astype("datetime64[us]")
        return SeriesReadings(self.name, self.unit, time, told.value, told.quality)

    def envelope(self, start: When, end: When, columns: int = 1000) -> SeriesEnvelope:
        """Lowest, mean and highest of equal columns: years in milliseconds."""
        start_us, end_us = self._site.stretch(start, end)
        if not 0 < columns <= 100_000:
            raise UsageError("an envelope has from 1 to 100,000 columns")
        with self._site.store.read() as connection:
            told = envelopes(connection, [self._series], start_us, end_us, columns)[self._series.id]
        width = (told.end_us - told.start_us) // len(told)
        time = (told.start_us + np.arange(len(told)) * width).astype("datetime64[us]")
        return SeriesEnvelope(time, told.low, told.mean, told.high, told.count)


class OpenSite:
    """A site that is open to be read. Nothing of it can be changed here."""

    def __init__(self, store: Store, site: Site) -> None:
        self.store, self._site = store, site
        self.name, self.zone = site.name, ZoneInfo(site.zone)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"<{self.name or 'unnamed site'}: {len(self._site.series)} series>"

    def __iter__(self) -> Iterator[OpenSeries]:
        return (OpenSeries(self, one) for one in self._site.series)

    def close(self) -> None:
        """Let the store go."""
        self.store.close()

    @property
    def places(self) -> Sequence[Place]:
        """All places in their order."""
        return self._site.places

    @property
    def stations(self) -> Sequence[Station]:
        """All stations that report."""
        return self._site.stations

    def series(self, name: str) -> OpenSeries:
        """The series of a station and a field, as in `kiln-probe/temp`.

        Raises
        ------
        UsageError
            Where there is none, with those of that station.
        """
        known = {one.name: one for one in self}
        if name not in known:
            near = [one for one in known if one.split("/")[0] == name.split("/")[0]]
            raise UsageError(f"there is no series {name}", remedy=", ".join(near or known))
        return known[name]

    def of(self, *, quantity: str = "", place: str = "") -> list[OpenSeries]:
        """The series of a quantity, of a place, of both."""
        return [one for one in self if quantity in ("", one.quantity) and place in ("", one.place)]

    def stretch(self, start: When, end: When) -> tuple[int, int]:
        """[start, end) in microseconds."""
        return (
            -_FAR_US if start is None else self._moment(start),
            _FAR_US if end is None else self._moment(end),
        )

    def _moment(self, told: str | datetime | np.datetime64) -> int:
        if isinstance(told, np.datetime64):
            return int(told.astype("datetime64[us]").astype(np.int64))
        if isinstance(told, datetime):
            return time_us_from_datetime(told if told.tzinfo else told.replace(tzinfo=self.zone))
        return time_us_from_text(told if "T" in told else f"{told}T00:00:00", self.zone)


def open_site(where: str | Path) -> OpenSite:
    """Open a site by the path or the address of its store, to read only.

    Raises
    ------
    StoreError
        When there is none, or it was written by another release: the program itself brings it up
        to date.
    """
    store = open_store(where, create=False, upgrades=False)
    with store.read() as connection:
        return OpenSite(store, load_site(connection))
