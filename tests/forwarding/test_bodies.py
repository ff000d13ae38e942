"""Bodies say the same as the plainest way to write them."""

from __future__ import annotations

import json
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from rook_tally.core.forwards.definitions import Forward, ForwardKind
from rook_tally.core.timestamps import SECOND_US
from rook_tally.forwarding.batches import ChosenSeries
from rook_tally.forwarding.bodies import json_body, senml_body
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import Series
from tests.builders import NOON_US, begin_series

STATION = 'a "b" 窯'
ROWS = st.lists(
    st.tuples(
        st.integers(0, 2), st.integers(0, 6), st.floats(allow_nan=False, allow_infinity=False)
    ),
    min_size=1,
    max_size=30,
    unique_by=lambda one: (one[0], one[1]),
)


@pytest.fixture(scope="module")
def series(tmp_path_factory: pytest.TempPathFactory) -> list[Series]:
    with open_store(tmp_path_factory.mktemp("bodies") / "site.db") as store:
        return [
            replace(begin_series(store, quantity), field=field)
            for quantity, field in (("temperature", "t"), ("co2", 'x"y'), ("humidity", "ü"))
        ]


@given(rows=ROWS)
def test_both_forms(series: list[Series], rows: list[tuple[int, int, float]]) -> None:
    rows = sorted(rows, key=lambda one: (one[1], one[0]))
    which = np.array([one[0] for one in rows])
    time_us = NOON_US + np.array([one[1] for one in rows]) * 1_234_567
    value = np.array([one[2] for one in rows])
    wanted_senml = [
        {
            "n": series[one].field,
            "u": {"temperature": "Cel", "co2": "ppm", "humidity": "%"}[series[one].quantity.slug],
            "t": at / SECOND_US,
            "v": told,
        }
        for one, at, told in zip(which.tolist(), time_us.tolist(), value.tolist(), strict=True)
    ]
    wanted_senml[0] = {"bn": f"{STATION}/"} | wanted_senml[0]
    assert json.loads(senml_body(STATION, series, which, time_us, value)) == wanted_senml
    messages: dict[int, dict[str, object]] = {}
    for one, at, told in zip(which.tolist(), time_us.tolist(), value.tolist(), strict=True):
        when = datetime.fromtimestamp(at // SECOND_US, UTC).replace(microsecond=at % SECOND_US)
        message = messages.setdefault(
            at, {"station": STATION, "time": f"{when:%Y-%m-%dT%H:%M:%S.%f}Z"}
        )
        message[series[one].field] = told
    assert json.loads(json_body(STATION, series, which, time_us, value)) == [*messages.values()]


def test_what_is_chosen_follows_the_site(store: Store) -> None:
    begin_series(store, "temperature", key="a")
    chosen = ChosenSeries(Forward(slug="all", kind=ForwardKind.HTTP, address="http://10.0.0.1/"))
    with store.read() as connection:
        assert [one.station.key for one in chosen.of(connection)] == ["a"]
    begin_series(store, "temperature", key="b", place="Loft")
    with store.read() as connection:
        assert {one.station.key for one in chosen.of(connection)} == {"a", "b"}
