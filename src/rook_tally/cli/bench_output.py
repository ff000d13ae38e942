"""Prints rows, notes and JSON for the commands of the bench, and writes how sure a figure is."""

from __future__ import annotations

import math
from collections.abc import Iterable
from zoneinfo import ZoneInfo

import msgspec
import typer

from rook_tally import clock
from rook_tally.bench.wording import in_unit
from rook_tally.cli.moments import moment_us
from rook_tally.core.arrays import FloatArray
from rook_tally.core.errors import UsageError
from rook_tally.core.formulas.cleaning import MedianInterval
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.site import Site

Told = dict[str, object]
MOST_LINES = 20


class LookedAt(msgspec.Struct, frozen=True):
    """The stretch of time that a command was given: so many days back, or from and to."""

    days: float = 90.0
    from_: str | None = None
    to: str | None = None

    def of(self, site: Site) -> tuple[int, int]:
        """The stretch [start, end), µs.

        Raises
        ------
        UsageError
            For a moment that cannot be read, or an end before the start.
        """
        now_us, zone = clock.now_us(), ZoneInfo(site.zone)
        end_us = now_us if self.to is None else moment_us(self.to, now_us=now_us, zone=zone)
        if self.from_ is not None:
            start_us = moment_us(self.from_, now_us=now_us, zone=zone)
        elif self.days > 0 and math.isfinite(self.days):
            start_us = end_us - round(self.days * DAY_US)
        else:
            raise UsageError(f"{self.days:g} days are no stretch", remedy="give more than 0")
        if end_us <= start_us:
            raise UsageError("that stretch ends before it begins", remedy="give --from before --to")
        return start_us, end_us


def time_told(told: float | None) -> str:
    """A length of time in words; a dash without one."""
    return "–" if told is None else duration(told)


def median_told(told: MedianInterval) -> Told:
    """A median with its interval and what it rests on, for JSON."""
    return {
        "median": plain_number(told.median),
        "low": plain_number(told.low),
        "high": plain_number(told.high),
        "used": told.used,
        "given": told.given,
    }


def sure_words(shown: DisplayUnit, value: float, within: float) -> str:
    """A figure with what it is sure within, in the unit shown."""
    return in_unit(shown, value, within, signed=True)


def plain_number(value: float) -> float | None:
    """A number as JSON can hold it; None for what is none."""
    return float(value) if math.isfinite(value) else None


def plain_list(values: FloatArray) -> list[float | None]:
    """The same of several, (N,)."""
    return [plain_number(float(one)) for one in values]


def print_rows(rows: Iterable[tuple[str, str]]) -> None:
    """Print each name with its text on a line of its own."""
    for name, told in rows:
        typer.echo(f"  {name:<26} {told}")


def print_notes(notes: Iterable[str]) -> None:
    """Print each note on a line of its own."""
    for note in notes:
        typer.echo(f"note: {note}")


def print_json(told: Told) -> None:
    """Print an answer as JSON."""
    typer.echo(msgspec.json.encode(told).decode())
