"""The model of the Strip: its window in time, its lanes and their texts; without Qt."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from rook_tally.core.quantities.number_format import UNKNOWN
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.series.envelope import Envelope, honest_range
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.text_match import folded
from rook_tally.desk.data.time_window import SHORTEST_US, TimeWindow
from rook_tally.desk.data.undo import LocalStep, NoSteps, StepSink
from rook_tally.desk.strip.queries import LaneReadings, LanesQuery, Overlay, shift_us
from rook_tally.desk.strip.remarks import RemarksModel
from rook_tally.desk.strip.texts import tr, tr_count
from rook_tally.store.site import Series

_MOST_OFFERS = 12


@dataclass(frozen=True, slots=True)
class Lane:
    """Series of one quantity drawn together."""

    series: tuple[Series, ...]

    @property
    def quantity(self) -> Quantity:
        """The quantity of its series."""
        return self.series[0].quantity


@dataclass(frozen=True, slots=True)
class LaneOffer:
    """Series that may be added: each in a lane of its own, or all in one."""

    series: tuple[Series, ...]
    is_joined: bool = False


@dataclass(frozen=True, slots=True)
class LaneHead:
    """The head of a lane: newest values, or those at the cursor."""

    name: str
    where: str
    values: str
    unit: str


@dataclass
class StripModel:
    """Lanes over the window. `changed` callbacks run after every change of what is shown.

    `traces` are what was read, with margins; `envelopes` the same cut to the window that was asked
    for. `picked` is the lane that keys and the comparison of spans are about; `made` counts how
    often something was read.
    """

    state: SiteState
    lanes: list[Lane] = field(default_factory=list)
    traces: dict[int, LaneReadings] = field(default_factory=dict)
    envelopes: dict[int, Envelope] = field(default_factory=dict)
    cursor_us: int | None = None
    stretch: tuple[int, int] | None = None
    overlay: Overlay = Overlay.NONE
    picked: int = 0
    made: int = 0
    changed: list[Callable[[], None]] = field(default_factory=list)
    steps: StepSink = field(default_factory=NoSteps)

    def __post_init__(self) -> None:
        self.remarks = RemarksModel(self.state)
        self.remarks.changed.append(self._announce)
        self.state.window_moved.append(self._announce)

    def _announce(self) -> None:
        for callback in self.changed:
            callback()

    @property
    def series(self) -> tuple[Series, ...]:
        """Every series shown."""
        return tuple(one for lane in self.lanes for one in lane.series)

    def question(self, columns: int) -> LanesQuery:
        """The query for the window as it is."""
        start_us, end_us = self.window.start_us, self.window.end_us
        shifts = tuple(shift_us(end_us, days, self.state.zone) for days in self.overlay.value)
        # Half a window lies beside it on either side.
        near_now = end_us + self.window.span_us // 2 > self.state.clock()
        return LanesQuery(self.series, start_us, end_us, columns, shifts, near_now)

    def take(self, question: LanesQuery, answer: dict[int, LaneReadings]) -> None:
        """Traces that were asked for; those of an older set of lanes are left out."""
        self.made += 1
        shown = {one.id for one in self.series}
        self.traces = {key: one for key, one in answer.items() if key in shown}
        self.envelopes = {
            key: one.envelope.cropped(question.start_us, question.end_us)
            for key, one in self.traces.items()
        }
        self._announce()

    @property
    def picked_series(self) -> Series | None:
        """The first series of the picked lane."""
        if not self.lanes:
            return None
        return self.lanes[min(self.picked, len(self.lanes) - 1)].series[0]

    def pick(self, lane: int) -> None:
        """Pick a lane."""
        if self.lanes:
            self.picked = min(max(lane, 0), len(self.lanes) - 1)
            # What is deleted next is what was picked last.
            self.remarks.pick(None)
            self._announce()

    def mark(self, stretch: tuple[int, int] | None) -> None:
        """Mark a stretch, or none."""
        if stretch is not None and stretch[1] <= stretch[0]:
            stretch = None
        self.stretch = stretch
        self._announce()

    def mark_end(self, *, start_us: int | None = None, end_us: int | None = None) -> None:
        """Put one end of the marked stretch somewhere; without one it reaches to the window's."""
        known = self.stretch or (self.window.start_us, self.window.end_us)
        begin = known[0] if start_us is None else start_us
        end = known[1] if end_us is None else end_us
        if start_us is not None and end <= begin:
            end = self.window.end_us
        if end_us is not None and end <= begin:
            begin = self.window.start_us
        self.mark((begin, end))

    def zoom_to_stretch(self) -> None:
        """Show the marked stretch as the window."""
        if self.stretch is not None:
            start_us, end_us = self.stretch
            self.stretch = None
            end_us = max(end_us, start_us + SHORTEST_US)
            self.show_window(TimeWindow(start_us, end_us, is_live=False))

    @property
    def pin_us(self) -> int:
        """The moment that a new pin is about: at the cursor, without one the moment shown."""
        return self.cursor_us or self.state.now_us

    @property
    def cursor_or_middle_us(self) -> int:
        """The moment at the cursor, without one the middle of the window."""
        return self.cursor_us or (self.window.start_us + self.window.end_us) // 2

    def move_cursor(self, steps: int) -> None:
        """Move the cursor by hundredths of the window; it begins in the middle."""
        window = self.window
        at_us = self.cursor_or_middle_us + steps * window.span_us // 100
        self.point_at(min(max(at_us, window.start_us), window.end_us - 1))

    def lay_over(self, overlay: Overlay) -> None:
        """Lay earlier days behind the lanes."""
        self.overlay = overlay
        self._announce()

    def overlay_words(self) -> str:
        """Which earlier days lie behind; empty for none."""
        return {
            Overlay.NONE: "",
            Overlay.DAY_BEFORE: tr("behind: the same hours the day before"),
            Overlay.THREE_DAYS: tr("behind: the same hours of the three days before"),
            Overlay.WEEK_BEFORE: tr("behind: the same hours a week before"),
        }[self.overlay]

    def _change_lanes(self, lanes: list[Lane], words: str, picked: int | None = None) -> None:
        """Show these lanes, as a step that can be taken back."""
        if lanes == self.lanes:
            return
        before, was_picked = list(self.lanes), self.picked

        def show(to: list[Lane], at: int) -> None:
            known = {one.id: one for one in self.state.site.series}
            kept = [
                Lane(tuple(known[one.id] for one in lane.series if one.id in known)) for lane in to
            ]
            self.lanes = [lane for lane in kept if lane.series]
            self.picked = min(max(at, 0), max(0, len(self.lanes) - 1))
            self._announce()

        at = self.picked if picked is None else picked
        show(lanes, at)
        self.steps.add_local(
            LocalStep(words, partial(show, before, was_picked), partial(show, list(lanes), at))
        )

    def add(self, series: Sequence[Series]) -> None:
        """Add each series as a lane of its own, unless it is shown already."""
        shown = {one.id for one in self.series}
        fresh = [one for one in dict.fromkeys(series) if one.id not in shown]
        lanes = [*self.lanes, *(Lane((one,)) for one in fresh)]
        self._change_lanes(lanes, tr_count(len(fresh), "lane added", "{0} lanes added"))

    def set_lanes(self, lanes: Sequence[Sequence[Series]]) -> None:
        """Show these lanes instead of those there are; each of one quantity."""
        self.lanes = [Lane(tuple(lane)) for lane in lanes]
        self._announce()

    def join(self, lane: int, series: Series) -> None:
        """Draw a series in a lane of the same quantity."""
        if self.lanes[lane].quantity.slug != series.quantity.slug or series in self.series:
            return
        lanes = list(self.lanes)
        lanes[lane] = Lane((*lanes[lane].series, series))
        self._change_lanes(lanes, tr("series added to a lane"))

    def add_place(self, one: Series) -> None:
        """Everything told in the place of a series."""
        self.add(
            [
                other
                for other in self.state.site.series
                if other.station.place.id == one.station.place.id
            ]
        )

    def add_quantity(self, one: Series) -> None:
        """The quantity of a series everywhere, in the lane the series is in."""
        lane = next((at for at, lane in enumerate(self.lanes) if one in lane.series), None)
        if lane is None:
            self.add([one])
            lane = len(self.lanes) - 1
        for other in self.state.site.series:
            if other.quantity.slug == one.quantity.slug:
                self.join(lane, other)

    def drop(self, lane: int, series: Sequence[Series]) -> None:
        """Series were dropped on a lane: into it when they measure the same, else before it. A
        series that was shown moves."""
        target = self.lanes[lane] if lane < len(self.lanes) else None
        moving = {one.id for one in series}
        if target is not None and {one.id for one in target.series} == moving:
            return
        kept: list[Lane] = []
        at = None
        joins = target is not None and all(
            one.quantity.slug == target.quantity.slug for one in series
        )
        for one in self.lanes:
            if one is target:
                at = len(kept)
            left = tuple(other for other in one.series if other.id not in moving)
            if one is target and joins:
                left = (*left, *series)
            if left:
                kept.append(Lane(left))
        if not joins:
            at = len(kept) if at is None else at
            kept[at:at] = [Lane((one,)) for one in series]
        self._change_lanes(kept, tr("series moved"))

    def move(self, lane: int, by: int) -> None:
        """Move a lane up or down among the others."""
        to = lane + by
        if 0 <= lane < len(self.lanes) and 0 <= to < len(self.lanes):
            lanes = list(self.lanes)
            lanes.insert(to, lanes.pop(lane))
            self._change_lanes(lanes, tr("lane moved"), to)

    def remove(self, lane: int) -> None:
        """Take a lane away."""
        left = [one for at, one in enumerate(self.lanes) if at != lane]
        self._change_lanes(left, tr("lane removed"))

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
        words = folded(letters).split()
        found = [
            one
            for one in self.state.site.series
            if all(word in folded(series_name(one)) for word in words)
        ]
        shown = {one.id for one in self.series}
        return sorted(found, key=lambda one: (one.id in shown, one.id))

    def offers(self, letters: str) -> dict[str, LaneOffer]:
        """Series that letters may mean, by name: one, everything in a place, a quantity
        everywhere."""
        if not letters.strip():
            return {}
        words = folded(letters).split()
        found: dict[str, LaneOffer] = {
            series_name(one): LaneOffer((one,)) for one in self.matching(letters)[:_MOST_OFFERS]
        }
        places: dict[str, list[Series]] = {}
        quantities: dict[str, list[Series]] = {}
        for one in self.state.site.series:
            places.setdefault(tr("everything in {0}", one.station.place.name), []).append(one)
            quantities.setdefault(tr("{0} everywhere", one.quantity.name), []).append(one)
        for groups, joined in ((places, False), (quantities, True)):
            for name, several in groups.items():
                if len(several) > 1 and all(word in folded(name) for word in words):
                    found[name] = LaneOffer(tuple(several), joined)
        return found

    def add_offer(self, offer: LaneOffer) -> None:
        """Add what was offered."""
        if offer.is_joined:
            self.add_quantity(offer.series[0])
        else:
            self.add(offer.series)

    def head(self, lane: int) -> LaneHead:
        """The head of a lane."""
        shown = self.lanes[lane]
        quantity = shown.quantity
        values = [self._value_text(one) for one in shown.series]
        places = dict.fromkeys(one.station.place.name for one in shown.series)
        # Where the Bench proposes a correction: two sensors that do not say the same.
        is_off = any(one.id in self.state.proposals for one in shown.series)
        return LaneHead(
            tr(quantity.heading),
            " + ".join(places) + (" ≠" if is_off else ""),
            " · ".join(values),
            shown.series[0].shown.symbol,
        )

    def _value_text(self, one: Series) -> str:
        value: float | None = None
        at_us = self.cursor_us
        if at_us is None:
            newest = self.state.latest.get(one.id)
            value = None if newest is None else newest.value
            at_us = self.state.now_us if newest is None else newest.time_us
        else:
            envelope = self.envelopes.get(one.id)
            at = None if envelope is None else envelope.column_at(at_us)
            if envelope is not None and at is not None:
                value = _near_column(envelope, at)
        if value is None or not math.isfinite(value):
            return UNKNOWN
        return f"{one.shown.text(value)} {one.uncertainty_text(value, at_us)}".rstrip()

    def value_range(self, lane: int) -> tuple[float, float]:
        """The honest range of a lane's axis."""
        shown = self.lanes[lane]
        if shown.quantity.scale is QuantityScale.STATE:
            return -0.25, 1.25
        lows, highs = self._extent(shown)
        if not lows:
            return 0.0, 1.0
        return honest_range(min(lows), max(highs), shown.quantity.accuracy)

    def _extent(self, lane: Lane) -> tuple[list[float], list[float]]:
        told = [self.envelopes[one.id] for one in lane.series if one.id in self.envelopes]
        # Earlier days laid behind have to fit as well.
        told += [
            before.cropped(told[0].start_us, told[0].end_us)
            for one in lane.series
            if one.id in self.traces
            for before in self.traces[one.id].earlier
        ]
        filled = [one for one in told if not one.is_empty]
        return (
            [float(np.nanmin(one.low)) for one in filled],
            [float(np.nanmax(one.high)) for one in filled],
        )

    def note(self, lane: int) -> str:
        """A warning about a lane, so that it is not misread; mostly empty."""
        shown = self.lanes[lane]
        lows, highs = self._extent(shown)
        waiting = [one for one in shown.series if one.id not in self.envelopes]
        if waiting:
            return ""
        if not lows:
            return tr("nothing was heard in this window")
        notes = []
        accuracy = shown.quantity.accuracy
        is_number = shown.quantity.scale is QuantityScale.NUMBER
        if is_number and max(highs) - min(lows) <= 2 * accuracy:
            as_shown = shown.series[0].shown
            told = f"±{as_shown.difference_figure(accuracy)} {as_shown.symbol}"
            notes.append(tr("moves less than the sensor can tell ({0})", told))
        suspect = sum(int(self.envelopes[one.id].suspect.sum()) for one in shown.series)
        if suspect:
            notes.append(
                tr_count(
                    suspect, "{0} reading set aside as suspect", "{0} readings set aside as suspect"
                )
            )
        return " · ".join(notes)


def series_name(one: Series) -> str:
    """A series by its place and quantity, and its station where the place has several."""
    return f"{one.station.place.name} {one.quantity.name} · {one.station.key}"


def _near_column(envelope: Envelope, at: int) -> float:
    """The mean at a column, or at its nearest filled neighbour that no gap parts from it."""
    for part in envelope.segments():
        if part[0] <= at <= part[-1]:
            return float(envelope.mean[part[np.argmin(np.abs(part - at))]])
    return math.nan
