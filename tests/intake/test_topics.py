"""Patterns of other people's topics."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.intake.topics import topic_pattern_from

WORD = st.text(st.characters(codec="utf-8", exclude_characters="/+#\0"), min_size=1, max_size=12)


@pytest.mark.parametrize(
    ("pattern", "topic", "names"),
    [
        (
            "plant/{place}/{station}/{field}",
            "plant/hall/bed-1/soil",
            {"place": "hall", "station": "bed-1", "field": "soil"},
        ),
        ("home/{station}", "home/attic", {"station": "attic"}),
        ("{station}/state/#", "attic/state/a/b", {"station": "attic"}),
        ("{station}/state/#", "attic/state", {"station": "attic"}),
        ("+/{station}/{field}", "x/attic/temp", {"station": "attic", "field": "temp"}),
        ("pre-{station}/data", "pre-attic/data", {"station": "attic"}),
        ("t/{station}-out/{field}", "t/attic-out/temp", {"station": "attic", "field": "temp"}),
        ("pre-{station}/data", "pre-/data", None),
        ("pre-{station}/data", "pro-attic/data", None),
        ("aa{station}aa", "aaa", None),
        ("home/{station}", "home/attic/temp", None),
        ("home/{station}", "house/attic", None),
        ("home/{station}", "home/", None),
        ("Wohnung/{station}/Küche", "Wohnung/a b/Küche", {"station": "a b"}),
    ],
)
def test_names_in_a_topic(pattern: str, topic: str, names: dict[str, str] | None) -> None:
    assert topic_pattern_from(pattern).names_in(topic) == names


@given(WORD, WORD, WORD)
def test_any_word_without_a_slash_can_be_a_name(place: str, station: str, field: str) -> None:
    read = topic_pattern_from("t/{place}/{station}/{field}")
    names = {"place": place, "station": station, "field": field}
    assert read.names_in(f"t/{place}/{station}/{field}") == names


def test_what_is_subscribed_and_what_a_station_may_publish() -> None:
    read = topic_pattern_from("plant/{place}/{station}/{field}")
    assert read.filter == "plant/+/+/+"
    assert read.filter_of("bed-1") == "plant/+/bed-1/+"


@pytest.mark.parametrize(
    ("pattern", "why"),
    [
        ("plant/{place}", "which part is the station"),
        ("{station}/{station}", "which part is the station"),
        ("a/{station}/{colour}", "{colour} is no part we know"),
        ("a/{station}{field}", "cannot be a part"),
        ("#/{station}", "cannot be a part"),
        ("a/b+/{station}", "cannot be a part"),
        ("rook/{station}/x", "taken in already"),
        ("{field}/{station}/{field}", "a name twice"),
    ],
)
def test_a_pattern_that_cannot_be_meant(pattern: str, why: str) -> None:
    with pytest.raises(UsageError, match=why.replace("{", r"\{")):
        topic_pattern_from(pattern)


def test_a_station_that_no_part_names() -> None:
    read = topic_pattern_from("meters/hall/{field}", "hall-meter")
    assert read.names_in("meters/hall/power") == {"station": "hall-meter", "field": "power"}
    assert read.filter_of("hall-meter") == "meters/hall/+"
    assert read.filter_of("bed-1") == ""
    with pytest.raises(UsageError, match="leave out one of them"):
        topic_pattern_from("meters/{station}", "hall-meter")


def test_what_a_station_may_publish_by_part_of_a_level() -> None:
    assert topic_pattern_from("pre-{station}/{field}").filter == "+/+"
    assert topic_pattern_from("pre-{station}/{field}").filter_of("bed") == "pre-bed/+"
