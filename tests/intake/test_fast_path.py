"""Messages read at once give just what reading them with patience gives."""

from __future__ import annotations

import json
from typing import Any

import cbor2
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from rook_tally.core.errors import DecodeError
from rook_tally.intake.decode import NO_HINTS, _read_patiently, decoded
from rook_tally.intake.decode import fast_path as ordinary
from rook_tally.intake.message import BodyFormat, Decoded, Message

NOON_US = 1_790_000_000_000_000
NAMES = st.one_of(
    st.sampled_from(
        [
            "temp",
            "rh",
            "time",
            "station",
            "firmware",
            "status",
            "controls.fan",
            "a.b",
            "",
            "Time",
            "co2 ",
            "x,y",
            'q"',
            "a/b",
            "-",
        ]
    ),
    st.text(min_size=1, max_size=6),
)
VALUES: st.SearchStrategy[Any] = st.one_of(
    st.integers(),
    st.floats(),
    st.booleans(),
    st.none(),
    st.text(max_size=5),
    st.sampled_from(["21.5", "21.5 °C", "on", 10**400, 1e308, -0.0, {"t": 1}, [1]]),
)
TIMES = st.one_of(
    st.integers(1_400_000_000, 1_900_000_000),
    st.floats(1.4e9, 1.9e9),
    st.sampled_from([0, -1, 1_790_000_000_000, "2026-11-23T14:00:00Z", None, 1e300]),
)


def outcome(read: Any) -> tuple[Any, ...]:
    try:
        content: Decoded = read()
    except DecodeError as error:
        return ("error", str(error))
    # NaN is refused, so that values can be compared.
    return (content.items, content.refused, content.said)


def agree(body: bytes, form: BodyFormat | None) -> None:
    message = Message("http", "", body, NOON_US, form)
    quick = decoded(message) if _is_read_at_once(body, form) else None
    if quick is not None:
        assert outcome(lambda: quick) == outcome(lambda: _read_patiently(message, NO_HINTS))


def _is_read_at_once(body: bytes, form: BodyFormat | None) -> bool:
    at_once = {
        BodyFormat.JSON: ordinary.from_object,
        BodyFormat.SENML_JSON: ordinary.from_senml,
        BodyFormat.SENML_CBOR: ordinary.from_senml_cbor,
        BodyFormat.CSV: ordinary.from_csv,
        None: ordinary.from_anything,
    }[form]
    return at_once(body) is not None


@given(st.dictionaries(NAMES, VALUES, max_size=5), TIMES)
@example({"temp": 21.5, "rh": 50}, 1_790_000_000)
@example({"temp": 10**400}, 1_790_000_000)
def test_objects(members: dict[str, Any], time: Any) -> None:
    for told in (members, {"time": time} | members):
        body = json.dumps(told).encode()
        agree(body, BodyFormat.JSON)
        agree(body, None)


RECORDS = st.lists(
    st.fixed_dictionaries(
        {"v": st.one_of(st.floats(), st.integers(), st.sampled_from([10**400, True, "1"]))},
        optional={
            "n": NAMES,
            "u": st.sampled_from(["Cel", "%RH", "", "odd"]),
            "bn": st.sampled_from(["kiln/", "kiln", "a:b:", ""]),
            "bt": TIMES,
            "bu": st.sampled_from(["Cel", "lx"]),
            "t": st.integers(-100, 100),
            "vs": st.text(max_size=3),
            "bver": st.sampled_from([5, 10, 11]),
        },
    ),
    max_size=4,
)
LABELS = {"bver": -1, "bn": -2, "bt": -3, "bu": -4, "n": 0, "u": 1, "v": 2, "vs": 3, "t": 6}


@given(RECORDS, st.booleans())
def test_packs(records: list[dict[str, Any]], begins_as_usual: bool) -> None:
    if begins_as_usual and records:
        records[0] = {"bn": "kiln/", "bt": 1_790_000_000, "n": "temp"} | records[0]
    agree(json.dumps(records).encode(), BodyFormat.SENML_JSON)
    packed = [{LABELS[label]: value for label, value in one.items()} for one in records]
    agree(cbor2.dumps(packed), BodyFormat.SENML_CBOR)


CELLS = st.one_of(
    st.sampled_from(["21.5", " 7 ", "", "on", "nan", "inf", "1e400", "1_000", "٣", "-0", "5 %"]),
    st.floats(-1e6, 1e6).map(str),
)


@given(
    st.lists(
        NAMES.filter(lambda name: not set(name) & set("\r\n\x0b\x0c\x1c\x1d\x1e\x85")),
        min_size=1,
        max_size=3,
    ),
    st.lists(st.lists(CELLS, min_size=1, max_size=4), max_size=4),
    st.integers(1_400_000_000, 1_900_000_000),
)
def test_tables(names: list[str], rows: list[list[str]], time: int) -> None:
    lines = [",".join(["time", *names])]
    lines += [",".join([str(time + at), *row]) for at, row in enumerate(rows)]
    agree("\n".join(lines).encode(), BodyFormat.CSV)


@given(st.lists(st.tuples(NAMES, CELLS), min_size=1, max_size=4), st.sampled_from([" ", "  ", ","]))
@example([("[", "21.5")], " ")
def test_pairs(pairs: list[tuple[str, str]], between: str) -> None:
    agree(between.join(f"{name}={value}" for name, value in pairs).encode(), None)


@pytest.mark.parametrize(
    ("body", "form"),
    [
        (b'{"time": 1790000000, "temp": 21.5, "rh": 50}', BodyFormat.JSON),
        (
            b'[{"bn":"k/","bt":1790000000,"n":"temp","u":"Cel","v":21.5},{"n":"rh","v":5}]',
            BodyFormat.SENML_JSON,
        ),
        (b"time,temp,rh\n1790000000,21.5,50\n1790000060,21.6,51\n", BodyFormat.CSV),
        (b"time=1790000000 temp=21.5 rh=50", None),
    ],
)
def test_what_is_ordinary_is_read_at_once(body: bytes, form: BodyFormat | None) -> None:
    assert _is_read_at_once(body, form)
