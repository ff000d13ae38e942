"""The Strip's remarks: which lie in the window, which is picked, how spans compare; without Qt."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import NamedTuple

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.span_comparison import (
    Compared,
    Distribution,
    SpanFigures,
    compared,
    distributions,
    figures_of_span,
)
from rook_tally.core.quantities.number_format import UNKNOWN, figure
from rook_tally.core.remarks import Remark, rows_of_spans
from rook_tally.core.series.gaps import cleaned, inside, max_gap_s, microseconds
from rook_tally.core.series.statistics import Window
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.strip.texts import tr, tr_count
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series

BINS = 60
_MOST_SPANS = 12


@dataclass(frozen=True, slots=True)
class PlacedSpan:
    """A span and the row it is drawn in."""

    remark: Remark
    row: int


@dataclass(frozen=True, slots=True)
class SpanLine:
    """A span in the comparison, in words ready to show. `told` says it all, with how sure."""

    remark: Remark
    mean: str
    peak: str
    spread: str
    ratio: str
    difference: str
    is_sure: bool
    is_base: bool
    told: str


@dataclass(frozen=True, slots=True)
class SpansAnswer:
    """Figures of the spans of one series, and how their readings are spread."""

    series: Series
    spans: tuple[Remark, ...]
    figures: tuple[SpanFigures, ...]
    spread: Distribution


@dataclass(frozen=True, slots=True)
class SpansQuery:
    """Asks how a series was over several spans."""

    series: Series
    spans: tuple[Remark, ...]
    newest_us: int

    def run(self, connection: Connection) -> SpansAnswer:
        """Read each span exactly."""
        gap_s = max_gap_s(self.series.station.cadence_s)
        margin_us = microseconds(gap_s)
        figures: list[SpanFigures] = []
        values: list[FloatArray] = []
        for span in self.spans:
            assert span.end_us is not None
            window = Window(span.start_us, span.end_us)
            readings = read_range(
                connection, self.series.id, span.start_us - margin_us, span.end_us + margin_us
            )
            figures.append(
                figures_of_span(
                    readings,
                    max_gap_s=gap_s,
                    cadence_s=self.series.station.cadence_s,
                    window=window,
                    averaging=self.series.quantity.averaging,
                )
            )
            time_us, value = cleaned(readings)
            values.append(value[inside(time_us, span.start_us, span.end_us)])
        return SpansAnswer(self.series, self.spans, tuple(figures), distributions(values, BINS))


class _Inside(NamedTuple):
    """Holds the remarks that lie in a window: all, the pins, and the spans with their rows."""

    key: tuple[int, int, int]
    remarks: list[Remark]
    pins: list[Remark]
    spans: list[PlacedSpan]


@dataclass
class RemarksModel:
    """Remarks of the window. `changed` callbacks run when anything of it has to be drawn anew."""

    state: SiteState
    picked_id: int | None = None
    base_id: int | None = None
    answer: SpansAnswer | None = None
    changed: list[Callable[[], None]] = field(default_factory=list)
    # What lies in the window, worked out once for each: every frame of a pan asks several times.
    _begins: tuple[int, list[int], int] = (0, [], 0)
    _inside: _Inside | None = None

    def __post_init__(self) -> None:
        self.state.remarks_changed.append(self._tell)

    def _tell(self) -> None:
        if self.picked is None:
            self.picked_id = None
        for callback in self.changed:
            callback()

    def _look(self) -> _Inside:
        window = self.state.window
        key = (id(self.state.remarks), window.start_us, window.end_us)
        told = self._inside
        if told is None or told.key != key:
            # By the moment they begin: those that may reach in, and no others, are looked at.
            known, begins = self.state.remarks, self._begins
            if begins[0] != id(known):
                spans_us = [one.end_us - one.start_us for one in known if one.end_us is not None]
                begins = id(known), [one.start_us for one in known], max(spans_us, default=0)
                self._begins = begins
            first = bisect_left(begins[1], window.start_us - begins[2])
            last = bisect_left(begins[1], window.end_us)
            inside = [
                one for one in known[first:last] if one.touches(window.start_us, window.end_us)
            ]
            spans = [one for one in inside if one.end_us is not None]
            pins = [one for one in inside if one.end_us is None]
            placed = [
                PlacedSpan(one, row) for one, row in zip(spans, rows_of_spans(spans), strict=True)
            ]
            self._inside = told = _Inside(key, inside, pins, placed)
        return told

    @property
    def inside(self) -> list[Remark]:
        """Remarks that touch the window."""
        return self._look().remarks

    @property
    def pins(self) -> list[Remark]:
        """Pins in the window."""
        return self._look().pins

    @property
    def spans(self) -> list[PlacedSpan]:
        """Spans that touch the window, each in a row where it covers no other."""
        return self._look().spans

    def pins_apart(self, least_us: int) -> list[Remark]:
        """Pins of the window, no two nearer than so: of those in a heap the first stands for
        all."""
        found: list[Remark] = []
        for pin in self.pins:
            if not found or pin.start_us - found[-1].start_us >= least_us:
                found.append(pin)
        return found

    @property
    def picked(self) -> Remark | None:
        """The picked remark."""
        return next((one for one in self.state.remarks if one.id == self.picked_id), None)

    def pick(self, remark: Remark | None) -> None:
        """Pick a remark, or none."""
        self.picked_id = None if remark is None else remark.id
        self._tell()

    def pick_next(self) -> None:
        """Pick the remark after the picked one, round and round."""
        shown = self.inside
        if shown:
            ids = [one.id for one in shown]
            at = ids.index(self.picked_id) + 1 if self.picked_id in ids else 0
            self.pick(shown[at % len(shown)])

    def take_as_base(self, remark: Remark) -> None:
        """Compare the other spans with this one."""
        self.base_id = remark.id
        self._tell()

    def counted(self) -> str:
        """The number of remarks in the window, in words."""
        spans, pins = len(self.spans), len(self.pins)
        told = [
            tr_count(spans, "{0} span", "{0} spans") if spans else "",
            tr_count(pins, "{0} pin", "{0} pins") if pins else "",
        ]
        return " · ".join(one for one in told if one) or tr("none in this window")

    def question(self, series: Series | None) -> SpansQuery | None:
        """The query that compares the window's spans; None without any."""
        spans = tuple(one.remark for one in self.spans[:_MOST_SPANS])
        if series is None or not spans:
            return None
        newest = self.state.live.latest.get(series.id)
        # What is still to come in a span has to be read again once it has come.
        last_us = max(one.end_us or 0 for one in spans)
        newest_us = 0 if newest is None else min(newest.time_us, last_us)
        return SpansQuery(series, spans, newest_us)

    def take(self, answer: SpansAnswer) -> None:
        """An answer."""
        self.answer = answer
        self._tell()

    @property
    def base(self) -> Remark | None:
        """The span the others are compared with: the chosen one, else the first."""
        spans = self.answer.spans if self.answer else ()
        return next((one for one in spans if one.id == self.base_id), spans[0] if spans else None)

    def lines(self) -> list[SpanLine]:
        """The comparison."""
        if self.answer is None or self.base is None:
            return []
        answer, base = self.answer, self.base
        of_base = answer.figures[[one.id for one in answer.spans].index(base.id)]
        quantity = answer.series.quantity
        against = partial(
            compared,
            accuracy=quantity.accuracy,
            averaging=quantity.averaging,
            true_zero=quantity.true_zero,
        )
        return [
            _line(answer.series, span, told, against(told, of_base), base)
            for span, told in zip(answer.spans, answer.figures, strict=True)
        ]

    def base_words(self) -> str:
        """Which span is the base, and what it rests on."""
        if self.answer is None or self.base is None:
            return ""
        at = [one.id for one in self.answer.spans].index(self.base.id)
        count = figure(self.answer.figures[at].count, 0)
        return tr("base: {0} · {1} readings", self.base.text, count)


def _line(
    series: Series, span: Remark, told: SpanFigures, against: Compared, base: Remark
) -> SpanLine:
    shown = series.shown
    is_base = span.id == base.id
    ratio = UNKNOWN if not np.isfinite(against.ratio) else figure(against.ratio, _places(against))
    difference = shown.difference_figure(against.difference)
    if against.difference > 0:
        difference = f"+{difference}"
    sure = tr("more than chance") if against.is_sure else tr("not sure to be more than chance")
    within = shown.difference_figure(against.difference_within, more=1)
    apart = f"{difference} ±{within} {shown.symbol}".rstrip()
    if series.quantity.true_zero:
        times = f"{ratio} ±{figure(against.ratio_within, 2)}"
        compare = tr("{0} and × {1} against “{2}” (95 %): {3}", apart, times, base.text, sure)
    else:
        compare = tr("{0} against “{1}” (95 %): {2}", apart, base.text, sure)
    count = figure(told.count, 0)
    return SpanLine(
        span,
        shown.figure(told.mean),
        shown.figure(told.peak),
        shown.difference_figure(told.spread),
        ratio,
        difference,
        against.is_sure,
        is_base,
        tr("{0}, {1} readings", span.text, count) + ("" if is_base else f": {compare}"),
    )


def _places(against: Compared) -> int:
    """Decimals of a ratio: small ones need more."""
    return 2 if abs(against.ratio) < 2 else 1


def span_of_window(start_us: int, end_us: int, now_us: int) -> tuple[int, int]:
    """A stretch for a new span: whole seconds, no later than now."""
    end_us = min(end_us, now_us)
    return start_us // SECOND_US * SECOND_US, max(end_us // SECOND_US, 1) * SECOND_US
