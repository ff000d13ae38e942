"""Readings of a series over a window as lines of a table, and overruling of them; without Qt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import tzinfo

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray, IntArray
from rook_tally.core.quantities.number_format import plain
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.commands import Overrule
from rook_tally.desk.data.deletion import DeleteReadings
from rook_tally.desk.dialogs.texts import tr, tr_count
from rook_tally.store.readings import Overruling, overrulings, read_range, read_raw_range
from rook_tally.store.site import Series

COLUMNS = ("Time", "Value", "Raw", "Quality", "Set by")


@dataclass(frozen=True, slots=True)
class ReadingsAnswer:
    """The readings of a window: corrected, with (N,) float64 raw values, and what people said."""

    series: Series
    readings: Readings
    raw: FloatArray
    overrulings: list[Overruling]


@dataclass(frozen=True, slots=True)
class ReadingsQuery:
    """Asks for every reading of a series in [start, end)."""

    series: Series
    start_us: int
    end_us: int
    subject: str = "readings"

    def run(self, connection: Connection) -> ReadingsAnswer:
        """Read them."""
        span = (self.series.id, self.start_us, self.end_us)
        return ReadingsAnswer(
            self.series,
            read_range(connection, *span),
            read_raw_range(connection, *span).value,
            overrulings(connection, self.series.id),
        )


class ReadingsModel:
    """Lines of the table, all or the suspect ones alone."""

    def __init__(self, answer: ReadingsAnswer, zone: tzinfo) -> None:
        self.answer = answer
        self._zone = zone
        self.only_suspect = False
        self._lines: IntArray = np.arange(len(answer.readings))

    def show_only_suspect(self, only: bool) -> None:
        """Leave good readings out, or not."""
        self.only_suspect = only
        readings = self.answer.readings
        self._lines = np.flatnonzero(~readings.good) if only else np.arange(len(readings))

    def __len__(self) -> int:
        return len(self._lines)

    @property
    def suspect_count(self) -> int:
        """Number of suspect readings."""
        return int(np.count_nonzero(~self.answer.readings.good))

    def texts(self, line: int) -> tuple[str, str, str, str, str]:
        """A line: time, value as shown, value as sent, quality, and who said so."""
        at = int(self._lines[line])
        readings, shown = self.answer.readings, self.answer.series.shown
        time_us = int(readings.time_us[at])
        moment = datetime_from_time_us(time_us).astimezone(self._zone)
        raw, value = float(self.answer.raw[at]), float(readings.value[at])
        spoken = next(
            (one for one in self.answer.overrulings if one.from_us <= time_us < one.to_us), None
        )
        return (
            f"{moment:%Y-%m-%d %H:%M:%S}.{moment.microsecond // 1000:03}",
            shown.text(value),
            "" if raw == value else shown.text(raw),
            tr(Quality(int(readings.quality[at])).wording),
            "" if spoken is None else f"{spoken.who}: {spoken.why}",
        )

    def overrule(
        self, lines: Sequence[int], quality: Quality, *, who: str, why: str
    ) -> Overrule | None:
        """The change that gives these lines a quality; None when they have it already.

        Readings next to one another in the store become one stretch.
        """
        readings = self.answer.readings
        at = np.unique(self._lines[np.asarray(sorted(lines), dtype=np.int64)])
        at = at[readings.good[at] != (quality is Quality.GOOD)]
        if not len(at):
            return None
        stretches = []
        for run in np.split(at, np.flatnonzero(np.diff(at) > 1) + 1):
            first_us, last_us = (int(readings.time_us[run[end]]) for end in (0, -1))
            stretches.append((first_us, last_us + 1))
        return Overrule(self.answer.series, tuple(stretches), quality, who, why)

    def delete(self, lines: Sequence[int], *, who: str, now_us: int) -> DeleteReadings | None:
        """The change that deletes these lines; None for none."""
        at = np.unique(self._lines[np.asarray(sorted(lines), dtype=np.int64)])
        if not len(at):
            return None
        moments = tuple(self.answer.readings.time_us[at].tolist())
        return DeleteReadings(self.answer.series, moments, who, now_us)

    def heading(self) -> str:
        """The names of the columns, apart by tabs."""
        symbol = self.answer.series.shown.symbol
        return "\t".join([COLUMNS[0], f"{COLUMNS[1]} {symbol}".rstrip(), *COLUMNS[2:]])

    def lines_as_text(self, lines: Sequence[int]) -> str:
        """Lines for the clipboard, their columns apart by tabs."""
        return "\n".join("\t".join(map(plain, self.texts(line))) for line in lines)

    def words(self) -> str:
        """The number of readings in words."""
        count = len(self.answer.readings)
        figure = f"{count:,}".replace(",", "\u2009")
        told = tr_count(count, "{1} reading", "{1} readings", figure)
        suspect = self.suspect_count
        return (
            tr("{0}, {1} of them suspect", told, suspect)
            if suspect
            else tr("{0}, none suspect", told)
        )
