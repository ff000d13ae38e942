"""Stories Hypothesis makes up: lists of events as untidy as the world, which shrink to a few."""

from __future__ import annotations

from hypothesis import strategies as st

from tests.oracle import events as ev
from tests.oracle.events import DAY, HOUR, MINUTE, S

BEGIN = 1_792_850_400 * S  # 2026-10-24T14:00Z, ten hours before London's clocks go back
KEYS = [
    ("kiln", "pm25"),
    ("kiln", "temperature"),
    ("kiln", "sound_level"),
    ("kiln", "wind_direction"),
    ("kiln", "contact"),
    ("shop", "pm25"),
]
NUMBERS = {
    "pm25": [5.0, 18.0, 20.0, 25.0, 30.0, 40.0, 1200.0],
    "temperature": [20.0, 20.5, 21.0, 26.0, -80.0],
    "sound_level": [40.0, 55.0, 80.0, 10.0],
    "wind_direction": [350.0, 10.0, 0.0, 90.0, 200.0],
    "contact": [0.0, 1.0],
}
# How long after the one before something happens; now and then days, so that days are sealed.
_PAUSES = st.sampled_from([1, 20, 60, 60, 60, 61, 200, 900, 3600, 86_400, 3 * 86_400])
_LATE = st.sampled_from([0, 0, 0, 0, 1, 60, 120, 600, 899, 5_000, 90_000, -60, -300, -90_000])


_TAKEN_BACK: st.SearchStrategy[ev.Event] = st.sampled_from(
    [ev.TakeBackOverruling(), ev.UndoImport()]
)
_RESTARTED: st.SearchStrategy[ev.Event] = st.sampled_from(
    [ev.Restart(), ev.OtherCollector(), ev.Configure()]
)


@st.composite
def _values(draw: st.DrawFn, station: str, now: int) -> tuple[ev.Value, ...]:
    several = []
    fields = [name for key, name in KEYS if key == station]
    shared = now - draw(_LATE) * S
    for _ in range(draw(st.integers(1, 4))):
        field = draw(st.sampled_from(fields))
        shape = draw(st.integers(0, 9))
        time: int | None = shared if shape < 5 else now - draw(_LATE) * S
        if shape == 9:
            time = None
        several.append(ev.Value(field, time, draw(st.sampled_from(NUMBERS[field]))))
    return tuple(several)


@st.composite
def _streams(draw: st.DrawFn, now: int) -> tuple[ev.Event, ...]:
    """A station that reports in a row, so that there are runs to speak of."""
    station, field = draw(st.sampled_from(KEYS))
    numbers = st.sampled_from(NUMBERS[field])
    count = draw(st.integers(3, 16))
    return tuple(
        ev.Message(station, now + at * MINUTE, (ev.Value(field, now + at * MINUTE, draw(numbers)),))
        for at in range(count)
    )


@st.composite
def stories(draw: st.DrawFn) -> list[ev.Event]:
    """A list of events; the collector's clock goes on but for a step back now and then."""
    now, told = BEGIN, list[ev.Event]()
    for _ in range(draw(st.integers(1, 14))):
        now += draw(_PAUSES) * S
        now = now // S * S
        key = draw(st.sampled_from(KEYS))
        at = now - draw(st.sampled_from([0, 30, 600, 7_200, 90_000])) * S
        length = draw(st.sampled_from([60, 3_600, 86_400])) * S
        match draw(st.integers(0, 15)):
            case 0 | 1 | 2 | 3:
                station = draw(st.sampled_from(["kiln", "kiln", "shop"]))
                told.append(ev.Message(station, now, draw(_values(station, now))))
            case 4 | 5 | 6:
                stream = draw(_streams(now))
                told += stream
                now += len(stream) * MINUTE
            case 7:
                gain = draw(st.sampled_from([1.0, 1.0, 0.5]))
                told.append(ev.Correct(key, at, gain, draw(st.sampled_from([-2.0, 5.0]))))
            case 8:
                told.append(ev.Overrule(key, at, at + length, draw(st.booleans())))
            case 9:
                told.append(draw(_TAKEN_BACK))
            case 10:
                rows = tuple(
                    (at - number * MINUTE, draw(st.sampled_from(NUMBERS[key[1]])))
                    for number in range(draw(st.integers(1, 8)))
                )
                told.append(ev.Import(key, rows, now))
            case 11 | 12:
                told.append(ev.Seal(now))
            case 13:
                told.append(draw(_RESTARTED))
            case 14:
                told.append(ev.Look(now))
            case _:
                now -= draw(st.sampled_from([0, 0, 30, 4_000])) * S
        told.append(ev.Look(now))
    if draw(st.booleans()):
        now += 4 * DAY
        told.append(ev.Seal(now))
        if draw(st.booleans()):
            told.append(ev.Thin(now))
    return told


SPANS = st.tuples(
    st.integers(-30 * HOUR // MINUTE, 100 * HOUR // MINUTE), st.sampled_from([7, 60, 1440, 5_000])
)
"""Where a stretch begins, in minutes from the beginning, and how many it has."""
