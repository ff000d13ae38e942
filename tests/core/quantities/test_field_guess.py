"""What fields of unknown senders may be: by name first, then by what would be believable."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.quantities.field_guess import (
    continued_field,
    guessed_field,
    guessed_kind,
    words_of,
)
from rook_tally.core.quantities.kinds import KINDS, PLAIN, Field
from rook_tally.core.quantities.registry import QUANTITIES


@pytest.mark.parametrize(
    ("name", "values", "slug", "unit"),
    [
        ("temp", [21.5], "temperature", "°C"),
        ("airTemp_F", [68.0], "temperature", "°F"),
        ("sensors.outside.temperature", [9.5], "temperature", "°C"),
        ("tempK", [293.0], "temperature", "K"),
        ("RH", [55.0], "humidity", "%"),
        ("humidty", [55.0], "humidity", "%"),
        ("pressure", [1013.0], "pressure", "hPa"),
        ("pressure", [101_300.0], "pressure", "Pa"),
        ("baro_inhg", [29.9], "pressure", "inHg"),
        ("eCO2", [612.0], "co2", "ppm"),
        ("pm2_5", [12.0], "pm25", "µg/m³"),
        ("PM25", [12.0], "pm25", "µg/m³"),
        ("lux", [320.0], "illuminance", "lx"),
        ("vbat", [3.7], "voltage", "V"),
        ("supply_mv", [3700.0], "voltage", "mV"),
        ("pir", [1.0], "presence", ""),
        ("rssi", [-61.0], "signal_strength", "dBm"),
    ],
)
def test_names_as_senders_write_them(name: str, values: list[float], slug: str, unit: str) -> None:
    guess = guessed_field(name, values)
    assert guess.quantity is not None
    assert (guess.quantity.slug, guess.unit) == (slug, unit)


@pytest.mark.parametrize("name", ["zorp", "x1", "", "…", "id", "uptime_ms"])
def test_what_is_like_nothing_is_left_to_the_person(name: str) -> None:
    assert guessed_field(name, [1.0]).quantity is None


@given(st.text(max_size=40), st.lists(st.floats(allow_nan=False, allow_infinity=False), max_size=5))
def test_any_name_gives_a_guess_that_could_be_taken_in(name: str, values: list[float]) -> None:
    guess = guessed_field(name, values)
    if guess.quantity is not None:
        assert guess.quantity.unit(guess.unit) is not None


@pytest.mark.parametrize("slug", QUANTITIES)
def test_every_quantity_is_guessed_by_its_own_slug(slug: str) -> None:
    guess = guessed_field(slug, [])
    assert guess.quantity is not None
    assert guess.quantity.slug == slug


def test_names_become_words() -> None:
    assert words_of("airTemp_C") == "air temp c"
    assert words_of("a.b.PM2_5") == "pm2 5"


def test_a_kind_is_proposed_by_its_fields() -> None:
    kinds = list(KINDS.values())
    assert guessed_kind(["pm1", "pm25", "pm10"], kinds).slug == "particle-counter"
    assert guessed_kind(["co2", "temp", "rh"], kinds).slug == "room-air"
    assert guessed_kind(["zorp", "temp"], kinds) is PLAIN
    assert guessed_kind([], kinds) is PLAIN


def test_a_new_field_continues_the_one_silent_field_of_its_quantity() -> None:
    dust, warmth = Field("pm25", "pm25", "µg/m³"), Field("temp", "temperature", "°C")
    assert continued_field("pm2_5", [dust, warmth], [20.0]) == dust
    assert continued_field("zorp", [dust], [20.0]) is None
    assert continued_field("t", [warmth, Field("temp2", "temperature", "°C")], [20.0]) is None


@pytest.mark.parametrize(
    ("name", "values", "quantity", "unit"),
    [
        ("batt", [3.71], "voltage", "V"),
        ("battery", [12.6, 12.9], "voltage", "V"),
        ("batt", [0.81], "battery", "1"),
        ("battery", [81, 80], "battery", "%"),
        ("bat", [3712], "voltage", "mV"),
        ("batt", [], "battery", "%"),
        ("battery_pct", [12], "battery", "%"),
    ],
)
def test_a_batterys_number_is_known_by_its_size_and_rings_at_no_guess(
    name: str, values: list[float], quantity: str, unit: str
) -> None:
    guess = guessed_field(name, values)
    assert guess.quantity is not None
    assert (guess.quantity.slug, guess.unit) == (quantity, unit)
