"""CSV, name=value lines and SenML in CBOR: what they mean, and nothing that breaks the decoder."""

from __future__ import annotations

from typing import Any

import cbor2
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import DecodeError
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.intake.decode import decoded
from rook_tally.intake.message import BodyFormat, Decoded, Message
from tests.builders import NOON_US


def _decode(body: bytes | str, form: BodyFormat | None = None) -> Decoded:
    raw = body.encode() if isinstance(body, str) else body
    return decoded(Message("http", "", raw, NOON_US, form))


def _rows(result: Decoded) -> list[tuple[Any, ...]]:
    return [(one.at, one.station, one.field, one.value, one.unit) for one in result.items]


def _reasons(result: Decoded) -> list[tuple[int, str, str]]:
    return [(one.at, one.field, one.why) for one in result.refused]


@pytest.mark.parametrize("form", [BodyFormat.CSV, None])
def test_csv_with_times_stations_and_units(form: BodyFormat | None) -> None:
    result = _decode(
        'time,station,temp [°F],"rh, in %"\n2026-11-23T11:59:00Z,a,68.5,55\n,b,,60\n', form
    )
    assert _rows(result) == [
        (0, "a", "temp", 68.5, "°F"),
        (0, "a", "rh, in %", 55.0, None),
        (1, "b", "rh, in %", 60.0, None),
    ]
    assert result.items[0].time_us == time_us_from_text("2026-11-23T11:59:00Z")
    assert result.items[2].time_us is None


def test_semicolons_bring_decimal_commas() -> None:
    assert _rows(_decode("temp;rh\n21,5;55\n", BodyFormat.CSV)) == [
        (0, None, "temp", 21.5, None),
        (0, None, "rh", 55.0, None),
    ]


def test_a_bad_row_or_cell_loses_nothing_else() -> None:
    result = _decode("t,h\n1,2\n3\nx,4\n", BodyFormat.CSV)
    assert [one.value for one in result.items] == [1.0, 2.0, 4.0]
    assert _reasons(result) == [
        (1, "", "1 cells where the header has 2"),
        (2, "t", "t: 'x' is not a number"),
    ]


@pytest.mark.parametrize(
    ("body", "why"),
    [
        ("a,a\n1,2\n", "two have the same"),
        ("a,\n1,2\n", "a column has no name"),
        ('a,b\n"1,2\n', "not CSV"),
        ("a,b\n", "a header and no row"),
        ("time,station\n1,2\n", "no column holds values"),
        ("", "the message is empty"),
        (b"a,b\n\xff,2\n", "byte 4 is not UTF-8"),
    ],
)
def test_csv_that_cannot_be_read(body: str | bytes, why: str) -> None:
    with pytest.raises(DecodeError, match=why):
        _decode(body, BodyFormat.CSV)


def test_lines_of_pairs() -> None:
    result = _decode('temp=21.4°C rh=55%, door=open time=1795435140\nstation="b" temp=−3\n')
    assert _rows(result) == [
        (0, None, "temp", 21.4, "°C"),
        (0, None, "rh", 55.0, "%"),
        (0, None, "door", "open", None),
        (1, "b", "temp", -3.0, None),
    ]
    assert result.items[0].time_us == 1_795_435_140_000_000


def test_what_is_no_pair_is_told() -> None:
    result = _decode("temp=21.4 and more\nrh=wet\n")
    assert [one.value for one in result.items] == [21.4]
    assert _reasons(result) == [
        (0, "", "part of the line is no name=value"),
        (1, "rh", "rh: 'wet' is not a number"),
    ]


def test_senml_in_cbor() -> None:
    pack = [{-2: "kiln/", -3: 1_795_435_140, 0: "temp", 1: "Cel", 2: 21.5}, {0: "door", 4: True}]
    for form in (BodyFormat.SENML_CBOR, None):
        result = _decode(cbor2.dumps(pack), form)
        assert _rows(result) == [(0, "kiln", "temp", 21.5, "Cel"), (1, "kiln", "door", True, None)]


@pytest.mark.parametrize("body", [b"", b"\xff", b"\x9f" * 5000, cbor2.dumps("x"), cbor2.dumps(7)])
def test_cbor_that_cannot_be_read(body: bytes) -> None:
    with pytest.raises(DecodeError):
        _decode(body, BodyFormat.SENML_CBOR)


def test_a_million_fields_are_refused_whole() -> None:
    header = ",".join(f"f{at}" for at in range(100_000))
    with pytest.raises(DecodeError, match="more than 1000 columns"):
        _decode(f"{header}\n{','.join(['1'] * 100_000)}\n", BodyFormat.CSV)
    row = ",".join(["1"] * 1000) + "\n"
    with pytest.raises(DecodeError, match="more than 200000 values"):
        _decode(",".join(f"f{at} x" for at in range(1000)) + "\n" + row * 300, BodyFormat.CSV)


cbor_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text() | st.binary(),
    lambda inner: st.lists(inner) | st.dictionaries(st.integers(-7, 9) | st.text(), inner),
    max_leaves=12,
)


@pytest.mark.parametrize("form", [None, *BodyFormat])
@given(data=st.one_of(st.binary(), st.text().map(str.encode), cbor_values.map(cbor2.dumps)))
def test_anything_is_read_or_refused_in_words(form: BodyFormat | None, data: bytes) -> None:
    """Never another exception, never a value that is no number or state."""
    try:
        result = _decode(data, form)
    except DecodeError as error:
        assert error.what
        return
    assert result.items or result.refused or result.said
    for item in result.items:
        assert isinstance(item.value, float | bool | str)
    assert all(one.why for one in result.refused)
