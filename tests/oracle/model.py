"""The specification as a program: what a site says after a list of events.

Written from the design book (section 4), the formulas (0, H, I, L) and the decisions of issue 17,
not from the code it judges. Plain numbers, lists and loops; as slow as it likes.
"""

from __future__ import annotations

import cmath
import math
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from tests.oracle import events as ev
from tests.oracle.events import DAY, MINUTE, S

GOOD, UNBELIEVABLE, LONE_SPIKE, SET_ASIDE = 0, 1, 3, 5
EARLIEST = 1_420_070_400 * S  # 2015-01-01
QUARTER = 15 * MINUTE
Key = tuple[str, str]
"""Station and field: a series."""


@dataclass(frozen=True)
class Measured:
    """What is known of a quantity: how it averages, what is believable, how exact it is."""

    averaging: str
    low: float
    high: float
    accuracy: float
    slow: bool = False


QUANTITIES = {
    "pm25": Measured("arithmetic", 0, 1000, 3.0),
    "temperature": Measured("arithmetic", -60, 85, 0.3, slow=True),
    "sound_level": Measured("energetic", 20, 140, 1.5),
    "wind_direction": Measured("circular", 0, 360, 5.0),
    "contact": Measured("held", 0, 1, 0.0),
}


@dataclass(frozen=True)
class Reading:
    """A reading as it is kept: raw value and quality."""

    time: int
    value: float
    quality: int


@dataclass(frozen=True)
class Watch:
    """Rings above a limit after a delay, clears at or below another after one."""

    series: Key
    limit: float
    clear: float
    on_s: float
    off_s: float


@dataclass(frozen=True)
class Silence:
    """Rings when a station was not heard for longer than this."""

    station: str
    after_s: float
    armed_us: int


@dataclass
class Answered:
    """What a sender is told."""

    kept: int = 0
    duplicate: int = 0
    refused: int = 0


@dataclass
class Site:
    """A site and all that happened to it."""

    cadence_s: float
    zone: ZoneInfo
    watch: Watch
    silence: Silence
    raw: dict[Key, dict[int, float]] = field(default_factory=dict)
    corrections: dict[Key, dict[int, tuple[float, float]]] = field(default_factory=dict)
    overrulings: list[ev.Overrule] = field(default_factory=list)
    imports: list[tuple[Key, dict[int, float]]] = field(default_factory=list)
    heard: dict[str, int] = field(default_factory=dict)
    answers: list[Answered] = field(default_factory=list)
    silent_since: int | None = None
    silence_told: list[tuple[str, int]] = field(default_factory=list)
    # What a live watch may and must know, for laws about it.
    past_touched: bool = False
    thinned: set[int] = field(default_factory=set)

    # What happens

    def happen(self, event: ev.Event) -> None:
        """Take one event."""
        match event:
            case ev.Message():
                self.answers.append(self._arrives(event))
            case ev.Correct():
                self.corrections.setdefault(event.series, {})[event.from_us] = (
                    event.gain,
                    event.offset,
                )
                self.past_touched = True
            case ev.Overrule():
                self.overrulings.append(event)
                self.past_touched = True
            case ev.TakeBackOverruling():
                if self.overrulings:
                    self.overrulings.pop()
                self.past_touched = True
            case ev.Import():
                self._imports(event)
            case ev.UndoImport():
                if self.imports:
                    key, rows = self.imports.pop()
                    held = self.raw[key]
                    for time, value in rows.items():
                        if held.get(time) == value:
                            del held[time]
                self.past_touched = True
            case ev.Look():
                self._looks(event.now_us)
            case _:
                pass  # sealing, thinning, restarts and the like change nothing that is said

    def _arrives(self, message: ev.Message) -> Answered:
        answer = Answered()
        stands: dict[tuple[str, int], float] = {}
        order: list[tuple[str, int]] = []
        for value in message.values:
            time = value.time_us
            if time is None or time < EARLIEST or time > message.arrived_us + 2 * MINUTE:
                time = message.arrived_us
            place = value.field, time
            if place in stands and stands[place] != value.number:
                answer.refused += 1  # a later value of this message stands in its place
            elif place in stands:
                answer.duplicate += 1
            else:
                order.append(place)
            stands[place] = value.number
        newest_news = message.arrived_us - QUARTER
        for name, time in order:
            held = self.raw.setdefault((message.station, name), {})
            number = stands[name, time]
            if held.get(time) == number:
                answer.duplicate += 1
                continue
            if time < newest_news and any(other > time for other in held):
                self.past_touched = True
            held[time] = number
            answer.kept += 1
        self.heard[message.station] = message.arrived_us
        return answer

    def _imports(self, event: ev.Import) -> None:
        held = self.raw.setdefault(event.series, {})
        last = dict(event.rows)  # of equal times the last row stands
        brought = {
            time: value
            for time, value in last.items()
            if EARLIEST <= time <= event.now_us + 2 * MINUTE and time not in held
        }
        held.update(brought)
        self.imports.append((event.series, brought))
        self.past_touched = True

    def _looks(self, now: int) -> None:
        """By when the station was heard, and by nothing else."""
        station, heard = self.silence.station, self.heard.get(self.silence.station)
        if self.silent_since is not None and heard is not None and heard > self.silent_since:
            self.silence_told.append(("cleared", max(heard, self.silent_rang)))
            self.silent_since = None
        since = self.silence.armed_us if heard is None else max(heard, self.silence.armed_us)
        rings = since + round(self.silence.after_s * S)
        if self.silent_since is None and now > rings:
            self.silence_told.append(("rang", rings))
            self.silent_since, self.silent_rang = (heard or since), rings
        assert station

    silent_rang: int = 0

    # What is kept

    @property
    def gap_us(self) -> int:
        """Neighbours further apart have a gap between them."""
        return round(max(3 * self.cadence_s, 90) * S)

    def readings(self, key: Key) -> list[Reading]:
        """All readings of a series, raw, in order of time, each with its quality."""
        known = QUANTITIES[key[1]]
        held = sorted(self.raw.get(key, {}).items())
        quality = [GOOD if known.low <= value <= known.high else UNBELIEVABLE for _, value in held]
        if known.slow:
            for at in self._spikes(held, quality, 5 * known.accuracy):
                quality[at] = LONE_SPIKE
        for at, (time, _) in enumerate(held):
            for one in self.overrulings:
                if one.series == key and one.from_us <= time < one.to_us:
                    quality[at] = GOOD if one.good else SET_ASIDE
        return [
            Reading(time, value, told) for (time, value), told in zip(held, quality, strict=True)
        ]

    def _spikes(self, held: list[tuple[int, float]], quality: list[int], least: float) -> list[int]:
        """Hampel identifier over runs, seven readings wide; lone ones with whole windows."""
        good = [at for at, told in enumerate(quality) if told == GOOD]
        runs: list[list[int]] = []
        for at in good:
            if runs and held[at][0] - held[runs[-1][-1]][0] <= self.gap_us:
                runs[-1].append(at)
            else:
                runs.append([at])
        found = []
        for run in runs:
            values = [held[at][1] for at in run]
            candidate = [self._stands_out(values, at, least) for at in range(len(values))]
            for at in range(4, len(values) - 4):
                if candidate[at] and not candidate[at - 1] and not candidate[at + 1]:
                    found.append(run[at])
        return found

    @staticmethod
    def _stands_out(values: list[float], at: int, least: float) -> bool:
        window = sorted(values[max(0, at - 3) : at + 4])
        if len(window) < 3:
            return False
        middle = median(window)
        spread = 1.482602218505602 * median(sorted(abs(one - middle) for one in window))
        away = abs(values[at] - middle)
        return away > 5.0 * spread and away > least

    def shown(self, key: Key) -> list[Reading]:
        """The same with corrections applied."""
        return [
            Reading(one.time, self._corrected(key, one.time, one.value), one.quality)
            for one in self.readings(key)
        ]

    def _corrected(self, key: Key, time: int, value: float) -> float:
        begun = [at for at in self.corrections.get(key, {}) if at <= time]
        if not begun:
            return value
        gain, offset = self.corrections[key][max(begun)]
        return gain * value + offset

    # What is said

    def newest(self, key: Key) -> Reading | None:
        """The newest reading, whatever its quality."""
        return max(self.shown(key), key=lambda one: one.time, default=None)

    def statistics(self, key: Key, start: int, end: int) -> Figures:
        """Figures of [start, end)."""
        good = [one for one in self.shown(key) if one.quality == GOOD]
        return figures(
            QUANTITIES[key[1]].averaging, good, start, end, self.gap_us, round(self.cadence_s * S)
        )

    def local_day(self, now: int) -> tuple[int, int]:
        """The local day that a moment lies in, as long as it is."""
        local = datetime.fromtimestamp(now // S, self.zone)
        midnight = datetime(local.year, local.month, local.day, tzinfo=self.zone)
        after = midnight.replace(tzinfo=None) + timedelta(days=1)
        return round(midnight.timestamp()) * S, round(
            after.replace(tzinfo=self.zone).timestamp()
        ) * S

    def doubled(self, key: Key) -> dict[int, float]:
        """The working `x * 2`: a value at every good reading."""
        return {one.time: 2 * one.value for one in self.shown(key) if one.quality == GOOD}

    def window_means(self, key: Key, window: int) -> dict[int, float]:
        """The working `mean(x over w)`: where half of the window is covered, at every reading."""
        good = [one for one in self.shown(key) if one.quality == GOOD]
        found = {}
        for newest in good:
            known = [one for one in good if one.time <= newest.time]
            told = figures(
                QUANTITIES[key[1]].averaging,
                known,
                newest.time - window,
                newest.time,
                self.gap_us,
                0,
            )
            if told.covered_s >= window / S / 2 - 1e-6 and not math.isnan(told.mean):
                found[newest.time] = told.mean
        return found

    def rings(self) -> list[tuple[int, int | None]]:
        """What the watch does over all readings, in order of their time (L, limit watch)."""
        watch, found = self.watch, list[tuple[int, int | None]]()
        beyond = calm = rang = last = None
        for one in self.shown(watch.series):
            if one.quality != GOOD:
                continue
            if last is not None and one.time - last > self.gap_us:
                beyond = calm = None
            is_beyond, is_calm = one.value > watch.limit, one.value <= watch.clear
            beyond = (beyond if beyond is not None else one.time) if is_beyond else None
            calm = (calm if calm is not None else one.time) if is_calm else None
            last = one.time
            if rang is None and beyond is not None and one.time - beyond >= watch.on_s * S:
                rang, calm = one.time, None
                found.append((rang, None))
            elif rang is not None and calm is not None and one.time - calm >= watch.off_s * S:
                found[-1] = (rang, one.time)
                rang = beyond = None
        return found


@dataclass(frozen=True)
class Figures:
    """Figures of a stretch; NaN where nothing is known. Of directions low to high is an arc."""

    count: int
    low: float
    high: float
    mean: float
    covered_s: float


def median(ordered: list[float]) -> float:
    """The middle of numbers in order."""
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


def figures(
    averaging: str, good: list[Reading], start: int, end: int, gap: int, cadence: int
) -> Figures:
    """Section H: straight pieces between neighbours of a run, cut at the window's edges; a reading
    alone stands for a cadence."""
    inside = [one for one in good if start <= one.time < end]
    area: complex = 0
    weight = 0.0
    for at, one in enumerate(good):
        joined_before = at > 0 and one.time - good[at - 1].time <= gap
        joined_after = at + 1 < len(good) and good[at + 1].time - one.time <= gap
        if not joined_before and not joined_after and start <= one.time < end:
            area += component(averaging, one.value) * cadence / S
            weight += cadence / S
        if not joined_after:
            continue
        after = good[at + 1]
        begin, stop = max(one.time, start), min(after.time, end)
        if stop <= begin:
            continue
        left, right = component(averaging, one.value), component(averaging, after.value)
        if averaging == "held":
            right = left
        length = after.time - one.time
        first = left + (right - left) * ((begin - one.time) / length)
        last = left + (right - left) * ((stop - one.time) / length)
        area += (first + last) / 2 * ((stop - begin) / S)
        weight += (stop - begin) / S
    mean = of_component(averaging, area / weight) if weight else math.nan
    values = [one.value for one in inside]
    if not values:
        return Figures(0, math.nan, math.nan, mean, weight)
    if averaging == "circular":
        low, high = arc(values)
    else:
        low, high = min(values), max(values)
    return Figures(len(inside), low, high, mean, weight)


def component(averaging: str, value: float) -> complex:
    """What is straight between two readings."""
    if averaging == "energetic":
        return 10 ** (value / 10)
    return cmath.exp(1j * math.radians(value)) if averaging == "circular" else value


def of_component(averaging: str, mean: complex) -> float:
    """The value a mean component stands for."""
    if averaging == "energetic":
        return 10 * math.log10(mean.real)
    if averaging == "circular":
        return math.degrees(cmath.phase(mean)) % 360 if abs(mean) > 1e-9 else math.nan
    return mean.real


def arc(values: list[float]) -> tuple[float, float]:
    """The shortest arc over directions, clockwise."""
    around = sorted({one % 360 for one in values})
    gaps = [
        ((around[(at + 1) % len(around)] - one) % 360 or 360, at) for at, one in enumerate(around)
    ]
    widest, at = max(gaps, key=lambda one: (one[0], -one[1]))
    low = around[(at + 1) % len(around)]
    return low, low + 360 - widest


def apart(averaging: str, one: float, other: float) -> float:
    """How far two values are from one another."""
    if math.isnan(one) or math.isnan(other):
        return 0.0 if math.isnan(one) and math.isnan(other) else math.inf
    if averaging == "circular":
        return abs((one - other + 180) % 360 - 180)
    return abs(one - other)


__all__ = ["DAY", "GOOD", "QUANTITIES", "Figures", "Reading", "Silence", "Site", "Watch", "apart"]
