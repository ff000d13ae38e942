"""Parts of a watch's sentence, typed over."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from rook_tally.core.alarms.definitions import RunControl, Scope, Watch, WatchKind
from rook_tally.core.alarms.edits import altered, hours_of, in_unit, typed_text, without_unused
from rook_tally.core.alarms.sentences import Part, sentence
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.registry import QUANTITIES

WARM = QUANTITIES["temperature"]
WATCH = Watch(
    slug="hot",
    name="Hot",
    sort=WatchKind.ABOVE,
    scope=Scope(quantity="temperature"),
    limit=30,
    clear=28,
    unit="°C",
    run=RunControl(station="vent", control="on"),
)


@pytest.mark.parametrize(
    ("part", "text", "name", "value"),
    [
        (Part.LIMIT, "31", "limit", 31),
        (Part.LIMIT, "31,5 °C", "limit", 31.5),
        (Part.CLEAR, "−2", "clear", -2),
        (Part.FOR, "5 min", "for_s", 300),
        (Part.CALM, "90 s", "calm_s", 90),
        (Part.WINDOW, "2 h", "window_s", 7200),
        (Part.REPEAT, "20 min", "repeat_s", 1200),
        (Part.HOURS, "22:00-06:00", "hours", HoursOfDay(begin_min=1320, end_min=360)),
    ],
)
def test_a_part_is_what_was_typed(part: Part, text: str, name: str, value: object) -> None:
    after = altered(WATCH, part, text, WARM)
    assert getattr(after, name) == value
    # What it says then, typed again, changes nothing.
    assert altered(after, part, typed_text(after, part), WARM) == after


def test_another_unit_takes_every_limit_along() -> None:
    after = altered(WATCH, Part.LIMIT, "95 °F", WARM)
    assert (after.limit, after.unit) == (95, "°F")
    assert after.clear == pytest.approx(82.4)
    rate = replace(WATCH, sort=WatchKind.RISING, limit=9, clear=None)
    assert in_unit(rate, WARM, "°F").limit == pytest.approx(16.2)


def test_the_times_of_a_control_are_typed_too() -> None:
    after = altered(WATCH, Part.AT_MOST, "2 h", WARM)
    assert after.run is not None
    assert after.run.at_most_s == 7200
    assert typed_text(after, Part.AT_MOST) == "2 h"
    silent = replace(WATCH, sort=WatchKind.SILENT, silent_s=60)
    assert altered(silent, Part.WINDOW, "30 min", None).silent_s == 1800


@pytest.mark.parametrize(
    ("part", "text", "why"),
    [
        (Part.LIMIT, "warm", "is no number"),
        (Part.LIMIT, "30 ppm", "is no unit of Temperature"),
        (Part.FOR, "soon", "no length of time"),
        (Part.HOURS, "sometimes", "are no hours"),
        (Part.LEVEL, "high", "chosen, not typed"),
    ],
)
def test_what_cannot_be_meant_is_said(part: Part, text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        altered(WATCH, part, text, WARM)


def test_days_are_written_as_people_do() -> None:
    week = HoursOfDay(begin_min=480, end_min=1200, days=(0, 1, 2, 3, 4))
    assert hours_of("Mon–Fri 08:00–20:00") == week
    assert hours_of("Sat, Sun") == HoursOfDay(days=(5, 6))
    assert hours_of("fri-mon") == HoursOfDay(days=(0, 4, 5, 6))
    assert hours_of("always") is None


def test_what_is_left_out_of_the_usual_and_its_least_spread_are_typed() -> None:
    watch = Watch(
        slug="shakes",
        name="Shakes",
        sort=WatchKind.UNUSUAL,
        scope=Scope(quantity="temperature", place="Shop"),
        limit=3.0,
        unit="°F",
        window_s=21_600.0,
        min_spread=0.9,
    )
    quantity = QUANTITIES["temperature"]
    words = " ".join(piece.text for piece in sentence(watch, "Temperature")[0])
    assert "usual level of 6 h up to now , a spread of 0.9 °F or more," in words
    left_out = altered(watch, Part.EXCLUDE, "10 min", quantity)
    assert left_out.exclude_s == 600.0
    assert (typed_text(left_out, Part.EXCLUDE), typed_text(watch, Part.SPREAD)) == (
        "10 min",
        "0.9 °F",
    )
    # Half a kelvin is a difference: nine tenths of a degree Fahrenheit, and no 33 of them.
    assert altered(watch, Part.SPREAD, "0.5 °C", quantity).min_spread == pytest.approx(0.9)
    assert in_unit(watch, quantity, "°C").min_spread == pytest.approx(0.5)
    for wrong in ("0", "-1", "2 hPa"):
        with pytest.raises(UsageError):
            altered(watch, Part.SPREAD, wrong, quantity)


def test_what_a_kind_does_not_look_at_is_not_saved_with_it() -> None:
    typed = replace(
        WATCH, low=3.0, window_s=60.0, exclude_s=5.0, min_spread=0.5, silent_s=900.0, for_s=60.0
    )
    above = without_unused(typed)
    assert (above.limit, above.clear, above.unit, above.for_s) == (30, 28, "°C", 60.0)
    assert (above.low, above.window_s, above.exclude_s, above.min_spread) == (0, 0, 0, 0)
    assert above.silent_s == 0
    silent = without_unused(replace(typed, sort=WatchKind.SILENT))
    assert (silent.silent_s, silent.limit, silent.clear, silent.unit) == (900, 0, None, "")
    unusual = without_unused(replace(typed, sort=WatchKind.UNUSUAL))
    assert (unusual.window_s, unusual.exclude_s, unusual.min_spread) == (60, 5, 0.5)
    assert without_unused(above) == above
