"""Decoders: what they read, and one precise answer for every kind of bad input."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import DecodeError
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.intake.decode import decoded
from rook_tally.intake.message import BodyFormat, Decoded, Message
from tests.builders import NOON_US


def _decode(body: object, form: BodyFormat | None = None) -> Decoded:
    raw = body if isinstance(body, bytes) else json.dumps(body).encode()
    return decoded(Message("http", "", raw, NOON_US, form))


def _values(result: Decoded) -> list[tuple[Any, ...]]:
    return [(one.station, one.field, one.value) for one in result.items]


def test_plain_object() -> None:
    result = _decode({"station": "a", "temp": 21.4, "rh": "52,".strip(","), "presence": True})
    assert _values(result) == [("a", "temp", 21.4), ("a", "rh", 52.0), ("a", "presence", True)]


def test_nested_names_are_joined_by_dots() -> None:
    assert _values(_decode({"air": {"t": 1, "deep": {"x": 2}}})) == [
        (None, "air.t", 1.0),
        (None, "air.deep.x", 2.0),
    ]


def test_a_list_of_objects_counts_places() -> None:
    result = _decode([{"station": "a", "t": 1}, {"station": "b", "t": 2}])
    assert [(one.at, one.station) for one in result.items] == [(0, "a"), (1, "b")]


@pytest.mark.parametrize(
    "time",
    [
        "2026-11-23T11:59:00Z",
        "2026-11-23T12:59:00+01:00",
        1795435140,
        1795435140000,
        "1795435140",
        1795435140.0,
    ],
)
def test_times_in_every_writing(time: object) -> None:
    (item,) = _decode({"time": time, "t": 1}).items
    assert item.time_us == time_us_from_text("2026-11-23T11:59:00Z")


@pytest.mark.parametrize("time", ["teatime", True, [1], 1e40])
def test_a_time_that_cannot_be_read_is_noted_and_loses_nothing(time: object) -> None:
    (item,) = _decode({"time": time, "t": 1}).items
    assert item.time_us is None
    assert item.time_note


@pytest.mark.parametrize(
    ("body", "why"),
    [
        (b"", "the message is empty"),
        (b"   ", "the message is empty"),
        (b"hello", "not JSON: expecting value at line 1, column 1"),
        (b'{"pm1":28,"voc"', "not JSON: it ends in the middle"),
        (b'{"a":1}{"b":2}', "not JSON: extra data at line 1, column 8"),
        (b"\xff\xfe\x00", "not JSON: byte 0 is not UTF-8 text"),
        (b"[" * 100_000, "nested more than 16 levels|ends in the middle"),
        (b"[]", "an empty list"),
        (b"{}", None),
        (b"17", "the message is a number, not an object"),
        (b'"text"', "the message is text, not an object"),
        (b"null", "the message is null, not an object"),
        (b"1" * 10_000, "not JSON we can read|is a number"),
    ],
)
def test_messages_that_cannot_be_read(body: bytes, why: str | None) -> None:
    if why is None:
        assert _decode(body).refused[0].why == "the object holds no values"
        return
    with pytest.raises(DecodeError, match=why):
        _decode(body)


@pytest.mark.parametrize(
    ("value", "why"),
    [
        (b"NaN", "NaN is not a reading"),
        (b"Infinity", "an infinite number is not a reading"),
        (b"-1e999", "an infinite number is not a reading"),
        (b'"nan"', "NaN is not a reading"),
        (b'"warm"', "'warm' is not a number"),
        (b"null", "null is not a reading"),
        (b"[1,2]", "a list is not a reading"),
        (b"1" * 400, "the number is too large"),
    ],
)
def test_a_bad_value_is_refused_and_its_neighbours_kept(value: bytes, why: str) -> None:
    result = _decode(b'[{"a":1,"bad":' + value + b',"c":3},{"d":4}]')
    assert [one.field for one in result.items] == ["a", "c", "d"]
    (refusal,) = result.refused
    assert (refusal.at, refusal.field) == (0, "bad")
    assert why in refusal.why


def test_things_in_a_list_that_are_no_objects() -> None:
    result = _decode([1, {"t": 2}, None, {"station": 5, "t": 1}])
    assert [one.at for one in result.items] == [1]
    assert [(one.at, one.why) for one in result.refused] == [
        (0, "a number stands where an object of named values belongs"),
        (2, "null stands where an object of named values belongs"),
        (3, "station is a number, not text"),
    ]


def test_senml_resolves_base_fields() -> None:
    pack = [
        {"bn": "kiln-1/", "bt": 1795435200.5, "bu": "Cel", "bv": 20, "n": "temp", "v": 1.5},
        {"n": "rh", "u": "%RH", "v": 2},
        {"n": "door", "vb": True, "t": -10},
        {"bn": "urn:dev:mac:0024beff:", "n": "temp", "v": 0},
    ]
    result = _decode(pack)
    assert _values(result) == [
        ("kiln-1", "temp", 21.5),
        ("kiln-1", "rh", 22.0),
        ("kiln-1", "door", True),
        ("urn:dev:mac:0024beff", "temp", 20.0),
    ]
    assert [one.unit for one in result.items] == ["Cel", "%RH", "Cel", "Cel"]
    assert result.items[0].time_us == 1795435200_500000
    assert result.items[2].time_us == 1795435190_500000


def test_senml_times_below_two_to_the_28_are_relative_to_now() -> None:
    first, second, third = _decode(
        [{"n": "a/x", "v": 1, "t": -5}, {"n": "a/y", "v": 1}, {"n": "a/z", "v": 1, "t": 0}]
    ).items
    assert first.time_us == NOON_US - 5_000_000
    assert second.time_us is third.time_us is None


def test_senml_names_without_a_base() -> None:
    assert _values(_decode([{"n": "kiln-1/temp", "v": 1}, {"n": "rh", "v": 2}])) == [
        ("kiln-1", "temp", 1.0),
        (None, "rh", 2.0),
    ]


@pytest.mark.parametrize(
    ("record", "why"),
    [
        ({"n": "x", "vs": "hi"}, "text and data are not readings"),
        ({"n": "x"}, "the record holds no value"),
        ({"n": "x", "v": "5"}, "v is text, not a number"),
        ({"n": "x", "v": 1, "u": 7}, "u is a number, not text"),
        ({"n": "x", "vb": 1}, "vb is a number, not true or false"),
        ({"n": "x", "v": 1, "new_": 1}, "new_ must be understood"),
        ({"v": 1}, "the record has no name"),
    ],
)
def test_a_bad_record_is_refused_and_its_neighbours_kept(record: dict[str, Any], why: str) -> None:
    pack = [{"n": "good", "v": 1}, record, {"n": "also", "v": 2}]
    result = _decode(pack, BodyFormat.SENML_JSON)
    assert [one.field for one in result.items] == ["good", "also"]
    assert why in result.refused[0].why
    assert result.refused[0].at == 1


def test_senml_of_a_newer_version_or_no_list_is_refused_whole() -> None:
    with pytest.raises(DecodeError, match="SenML version 12"):
        _decode([{"bver": 12, "n": "x", "v": 1}], BodyFormat.SENML_JSON)
    with pytest.raises(DecodeError, match="an object, not a list of SenML records"):
        _decode({"n": "x"}, BodyFormat.SENML_JSON)


def test_the_form_is_told_by_the_looks_when_nobody_says() -> None:
    assert _decode([{"n": "t", "v": 1}]).items[0].field == "t"
    assert _decode([{"temp": 1}]).items[0].field == "temp"


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=4)
        | st.dictionaries(
            st.sampled_from(["n", "v", "bn", "t", "bt", "u", "vb", "time", "station", "temp"]),
            inner,
            max_size=4,
        )
    ),
    max_leaves=12,
)


@given(json_values | st.binary(max_size=40), st.sampled_from([None, *BodyFormat]))
def test_whatever_comes_is_read_or_refused_in_words(body: object, form: BodyFormat | None) -> None:
    try:
        result = _decode(body, form)
    except DecodeError as error:
        assert error.what
        return
    assert result.items or result.refused or result.said
    for item in result.items:
        assert item.field is not None
        assert isinstance(item.value, float | bool | str)
    assert all(refusal.why for refusal in result.refused)
