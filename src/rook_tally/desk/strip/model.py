"""What the Strip shows: its window in time, its lanes and what they say, decided without Qt."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.envelope import Envelope, honest_range
from rook_tally.core.levels import Level
from rook_tally.core.numerals import UNKNOWN, figure
from rook_tally.core.quantities import Quantity, Scale
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.shell.state import SiteState
from rook_tally.desk.shell.time_window import TimeWindow
from rook_tally.store import Series, envelopes, gaps_between


@dataclass(frozen=True, slots=True)
class LanesQuestion:
    """Asks for the envelopes of several series over a window."""

    series: tuple[Series, ...]
    start_us: int
    end_us: int
    columns: int

    @property
    def subject(self) -> str:
        """One window at a time."""
        return "strip"

    def answered(self, connection: Connection) -> dict[int, Envelope]:
        """Envelopes with their exact gaps, by series id."""
        found = envelopes(connection, self.series, self.start_us, self.end_us, self.columns)
        return {
            one.id: replace(
                found[one.id],
                gaps=gaps_between(connection, one, self.start_us, self.end_us),
            )
            for one in self.series
        }


@dataclass(frozen=True, slots=True)
class Lane:
    """Series of one quantity drawn together."""

    series: tuple[Series, ...]

    @property
    def quantity(self) -> Quantity:
        """What they share."""
        return self.series[0].quantity


@dataclass(frozen=True, slots=True)
class LaneHead:
    """What stands left of a lane: newest values, or those at the cursor."""

    name: str
    where: str
    values: str
    unit: str


@dataclass(frozen=True, slots=True)
class WindowFigures:
    """A series over the window, in words ready to show."""

    series: Series
    name: str
    lowest: str
    mean: str
    highest: str
    heard: str


@dataclass
class StripModel:
    """Lanes over the window. `changed` callbacks run after every change of what is shown."""

    state: SiteState
    lanes: list[Lane] = field(default_factory=list)
    envelopes: dict[int, Envelope] = field(default_factory=dict)
    cursor_us: int | None = None
    changed: list[Callable[[], None]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.state.window_moved.append(self._announce)

    def _announce(self) -> None:
        for callback in self.changed:
            callback()

    @property
    def series(self) -> tuple[Series, ...]:
        """Every series shown."""
        return tuple(one for lane in self.lanes for one in lane.series)

    def question(self, columns: int) -> LanesQuestion:
        """What has to be read for the window as it is."""
        return LanesQuestion(self.series, self.window.start_us, self.window.end_us, columns)

    def take(self, question: LanesQuestion, answer: dict[int, Envelope]) -> None:
        """Envelopes that were asked for; those of an older set of lanes are left out."""
        shown = {one.id for one in self.series}
        self.envelopes = {key: one for key, one in answer.items() if key in shown}
        self._announce()

    def add(self, series: Sequence[Series]) -> None:
        """Add each series as a lane of its own, unless it is shown already."""
        for one in series:
            if one.id not in {shown.id for shown in self.series}:
                self.lanes.append(Lane((one,)))
        self._announce()

    def set_lanes(self, lanes: Sequence[Sequence[Series]]) -> None:
        """Show these lanes instead of those there are; each of one quantity."""
        self.lanes = [Lane(tuple(lane)) for lane in lanes]
        self._announce()

    def join(self, lane: int, series: Series) -> None:
        """Draw a series in a lane of the same quantity."""
        if self.lanes[lane].quantity != series.quantity or series in self.series:
            return
        self.lanes[lane] = Lane((*self.lanes[lane].series, series))
        self._announce()

    def remove(self, lane: int) -> None:
        """Take a lane away."""
        del self.lanes[lane]
        self._announce()

    @property
    def window(self) -> TimeWindow:
        """The stretch of time shown: the same in every view."""
        return self.state.window

    def show_window(self, window: TimeWindow) -> None:
        """Show another stretch of time, here and in every view."""
        self.state.show_window(window)

    def show_last(self, span_us: int) -> None:
        """The last so much time, live."""
        self.state.show_last(span_us)

    def point_at(self, time_us: int | None) -> None:
        """Put the cursor at a moment; None takes it away."""
        self.cursor_us = time_us
        self._announce()

    def matching(self, letters: str) -> list[Series]:
        """Series whose place, quantity or station hold all words typed, best first."""
        words = letters.casefold().split()
        found = [
            one
            for one in self.state.site.series
            if all(word in series_name(one).casefold() for word in words)
        ]
        shown = {one.id for one in self.series}
        return sorted(found, key=lambda one: (one.id in shown, one.id))

    def head(self, lane: int) -> LaneHead:
        """What stands left of a lane."""
        shown = self.lanes[lane]
        quantity = shown.quantity
        values = [self._value_text(one) for one in shown.series]
        places = dict.fromkeys(one.station.place.name for one in shown.series)
        return LaneHead(
            quantity.heading, " + ".join(places), " · ".join(values), quantity.base.symbol
        )

    def _value_text(self, one: Series) -> str:
        value: float | None = None
        if self.cursor_us is None:
            newest = self.state.latest.get(one.id)
            value = None if newest is None else newest.value
        else:
            envelope = self.envelopes.get(one.id)
            at = None if envelope is None else envelope.column_at(self.cursor_us)
            if envelope is not None and at is not None:
                value = _near_column(envelope, at)
        if value is None or not math.isfinite(value):
            return UNKNOWN
        if one.quantity.scale is Scale.STATE:
            return "on" if value >= 0.5 else "off"
        return figure(value, one.quantity.decimals)

    def value_range(self, lane: int) -> tuple[float, float]:
        """The honest range of a lane's axis."""
        shown = self.lanes[lane]
        if shown.quantity.scale is Scale.STATE:
            return -0.25, 1.25
        lows, highs = self._extent(shown)
        if not lows:
            return 0.0, 1.0
        return honest_range(min(lows), max(highs), shown.quantity.accuracy)

    def _extent(self, lane: Lane) -> tuple[list[float], list[float]]:
        filled = [
            self.envelopes[one.id]
            for one in lane.series
            if one.id in self.envelopes and not self.envelopes[one.id].is_empty
        ]
        return (
            [float(np.nanmin(one.low)) for one in filled],
            [float(np.nanmax(one.high)) for one in filled],
        )

    def note(self, lane: int) -> str:
        """What has to be said about a lane, so that it is not misread; mostly nothing."""
        shown = self.lanes[lane]
        lows, highs = self._extent(shown)
        waiting = [one for one in shown.series if one.id not in self.envelopes]
        if waiting:
            return ""
        if not lows:
            return "nothing was heard in this window"
        notes = []
        accuracy = shown.quantity.accuracy
        is_number = shown.quantity.scale is Scale.NUMBER
        if is_number and max(highs) - min(lows) <= 2 * accuracy:
            told = f"±{accuracy:g} {shown.quantity.base.symbol}"
            notes.append(f"moves less than the sensor can tell ({told})")
        suspect = sum(int(self.envelopes[one.id].suspect.sum()) for one in shown.series)
        if suspect:
            plural = "reading" if suspect == 1 else "readings"
            notes.append(f"{suspect} {plural} set aside as suspect")
        return " · ".join(notes)

    def figures(self) -> list[WindowFigures]:
        """Every series over the window."""
        return [self._figures_of(one) for one in self.series]

    def _figures_of(self, one: Series) -> WindowFigures:
        envelope = self.envelopes.get(one.id)
        name = series_name(one)
        if envelope is None or envelope.is_empty:
            return WindowFigures(one, name, UNKNOWN, UNKNOWN, UNKNOWN, "0 %")
        filled = envelope.count > 0
        mean = float(np.average(envelope.mean[filled], weights=envelope.count[filled]))
        until_us = min(envelope.end_us, self.state.now_us)
        expected = (until_us - envelope.start_us) / SECOND_US / one.station.cadence_s
        heard = min(1.0, float(envelope.count.sum()) / max(expected, 1.0))
        decimals = one.quantity.decimals
        if one.quantity.scale is Scale.STATE:
            share = f"{figure(100 * mean, 0)} %"
            return WindowFigures(one, name, "off", share, "on", f"{figure(100 * heard, 1)} %")
        return WindowFigures(
            one,
            name,
            figure(float(np.nanmin(envelope.low)), decimals),
            figure(mean, decimals),
            figure(float(np.nanmax(envelope.high)), decimals),
            f"{figure(100 * heard, 1)} %",
        )

    def level_at_peak(self, one: Series) -> Level:
        """The level of a series' highest reading in the window."""
        envelope = self.envelopes.get(one.id)
        if envelope is None or envelope.is_empty:
            return Level.SETTLED
        return one.limits.level_of(float(np.nanmax(envelope.high)))


def series_name(one: Series) -> str:
    """A series by its place and quantity, and its station where the place has several."""
    return f"{one.station.place.name} {one.quantity.name} · {one.station.key}"


def _near_column(envelope: Envelope, at: int) -> float:
    """The mean at a column, or at its nearest filled neighbour that no gap parts from it."""
    for part in envelope.segments():
        if part[0] <= at <= part[-1]:
            return float(envelope.mean[part[np.argmin(np.abs(part - at))]])
    return math.nan
