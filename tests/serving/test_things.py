"""SensorThings: a client of others reads the site; options are kept to; what cannot be says so."""

from __future__ import annotations

import json
import urllib.error
import urllib.parse
import urllib.request
from functools import partial
from typing import Any

import frost_sta_client as client
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.serving.things.entities import Observations
from rook_tally.serving.things.filters import bounds_of, filter_of
from rook_tally.serving.things.observation_text import can_be_written, written
from rook_tally.serving.things.options import options_of
from rook_tally.serving.things.routes import ROOT
from tests.bench.air_of_rooms import CADENCE_S
from tests.serving.conftest import Served

COUNT = 4 * 86_400 // CADENCE_S


def ask(served: Served, path: str, **options: str) -> Any:
    query = urllib.parse.urlencode({f"${name}": value for name, value in options.items()})
    with urllib.request.urlopen(f"{served.process.http}{ROOT}/{path}?{query}", timeout=20) as told:
        return json.load(told)


@pytest.mark.filterwarnings("ignore:furl.pathstr:DeprecationWarning")
def test_a_client_of_others_reads_things_and_their_observations(served: Served) -> None:
    service = client.SensorThingsService(f"{served.process.http}{ROOT}")
    things = {one.name: one for one in service.things().query().list().entities}
    assert set(things) == {"booth", "shelf"}
    streams = {one.name: one for one in things["booth"].get_datastreams().query().list().entities}
    assert set(streams) == {"booth/co2", "booth/pm25"}
    stream = streams["booth/co2"]
    assert stream.unit_of_measurement.definition == "ucum:[ppm]"
    told = stream.get_observations().query().filter("result ge 500").top(3).list().entities
    assert [one.result for one in told][:3] == [500.0, 501.0, 502.0]


def test_sets_are_filtered_ordered_counted_and_paged(served: Served) -> None:
    told = ask(
        served, "Datastreams", filter="endswith(name,'co2')", orderby="name desc", count="true"
    )
    assert [one["name"] for one in told["value"]] == ["shelf/co2", "booth/co2"]
    assert told["@iot.count"] == 2
    first = ask(served, "Datastreams", top="2", select="name")
    assert list(first["value"][0]) == ["name"]
    with urllib.request.urlopen(first["@iot.nextLink"], timeout=20) as rest:
        assert len(json.load(rest)["value"]) == 1


def test_links_lead_there_and_back(served: Served) -> None:
    thing = ask(
        served, "Things", filter="name eq 'booth'", expand="Datastreams($select=name),Locations"
    )
    (booth,) = thing["value"]
    assert [one["name"] for one in booth["Datastreams"]] == ["booth/co2", "booth/pm25"]
    assert booth["Locations"][0]["name"] == "Glaze booth"
    stream = booth["Datastreams"]
    number = ask(served, "Datastreams", filter=f"name eq '{stream[0]['name']}'")["value"][0][
        "@iot.id"
    ]
    assert ask(served, f"Datastreams({number})/Thing")["name"] == "booth"
    assert ask(served, f"Datastreams({number})/ObservedProperty")["@iot.id"] == "co2"
    assert ask(served, "ObservedProperties('co2')/Datastreams", count="true")["@iot.count"] == 2
    newest = ask(
        served, f"Datastreams({number})/Observations", orderby="phenomenonTime desc", top="1"
    )
    (one,) = newest["value"]
    assert one["result"] == 400.0 + COUNT - 1
    assert ask(served, f"Observations({one['@iot.id']})/Datastream")["@iot.id"] == number
    assert ask(served, f"Datastreams({number})/unitOfMeasurement/$value")["symbol"] == "ppm"


def test_observations_within_a_stretch_and_as_arrays(served: Served) -> None:
    stretch = (
        "phenomenonTime ge 2026-03-02T01:00:00Z and phenomenonTime lt 2026-03-02T02:00:00Z"
        " and result gt 415"
    )
    told = ask(served, "Datastreams(1)/Observations", filter=stretch, count="true")
    assert told["@iot.count"] == 8
    assert [one["result"] for one in told["value"]] == [416.0 + at for at in range(8)]
    arrays = ask(served, "Datastreams(1)/Observations", filter=stretch, resultFormat="dataArray")
    (block,) = arrays["value"]
    assert [row[2] for row in block["dataArray"]] == [416.0 + at for at in range(8)]
    thousand = ask(served, "Observations", top="1000", count="true")
    assert (len(thousand["value"]), thousand["@iot.count"]) == (1000, 3 * COUNT)
    assert "@iot.nextLink" in thousand


@pytest.mark.parametrize(
    ("path", "options", "status"),
    [
        ("Nothings", {}, 404),
        ("Things(99)", {}, 404),
        ("Things", {"filter": "name eq"}, 400),
        ("Things", {"filter": "geo.distance(x,y) lt 3"}, 400),
        ("Things", {"filter": "name gt 3"}, 400),
        ("Things", {"top": "many"}, 400),
        ("Things", {"expand": "Cousins"}, 400),
        ("Things", {"orderly": "name"}, 400),
        ("Observations", {"orderby": "colour"}, 400),
    ],
)
def test_what_cannot_be_asked_is_a_problem(
    served: Served, path: str, options: dict[str, str], status: int
) -> None:
    with pytest.raises(urllib.error.HTTPError) as told:
        ask(served, path, **options)
    assert told.value.code == status
    assert json.load(told.value)["detail"]


NUMBERS = st.integers(-50, 50)


def _always(value: int, _path: tuple[str, ...]) -> int:
    return value


@given(NUMBERS, NUMBERS, NUMBERS)
def test_a_filter_comes_to_what_it_says(a: int, b: int, c: int) -> None:
    text = f"x add {b} gt {c} and not (x eq {a}) or x mul 2 le {b}"
    for x in (a, b, c):
        expected = (x + b > c and x != a) or x * 2 <= b
        assert bool(filter_of(text).of(partial(_always, x))) is expected


@given(st.text("abc()'/$ ,;=andoreqgt019.-", max_size=40))
def test_hostile_options_are_refused_and_nothing_else(text: str) -> None:
    for name in ("$filter", "$expand", "$orderby", "$top"):
        try:
            options_of({name: text})
        except UsageError as error:
            assert str(error)


def test_bounds_are_those_said_for_sure() -> None:
    noon = 1_772_452_800_000_000
    said = "phenomenonTime gt 2026-03-02T12:00:00Z and (result gt 3 or result lt 1)"
    assert bounds_of(said, "phenomenonTime") == (noon, None)
    assert bounds_of(f"({said}) or result eq 2", "phenomenonTime") == (None, None)
    assert bounds_of("not phenomenonTime gt 2026-03-02T12:00:00Z", "phenomenonTime") == (None, None)


def test_observations_written_at_once_are_what_they_are_one_by_one(served: Served) -> None:
    """The same members and links as when each is asked for by itself."""
    told = ask(served, "Datastreams(1)/Observations", top="5")
    for one in told["value"]:
        address = one["@iot.selfLink"]
        with urllib.request.urlopen(urllib.parse.quote(address, safe=":/()'-"), timeout=20) as same:
            assert json.load(same) == one
    chosen = ask(served, "Datastreams(1)/Observations", top="5", select="result")
    assert [one["result"] for one in chosen["value"]] == [one["result"] for one in told["value"]]


def test_observations_are_alike_whichever_way_they_are_written() -> None:
    """All rows at once, where they can be, and one by one."""
    time_us = np.array([1_795_444_328_000_001, 1_795_444_388_000_000], np.int64)
    shown = Observations(
        np.full(2, 7, np.int64), time_us, np.array([21.5, -3.25e-7]), np.zeros(2, np.uint8)
    )
    assert can_be_written(shown)
    (first, second) = json.loads(written("http://x", shown, head=b"", tail=b"").tobytes())
    assert second == {
        "@iot.id": "7-1795444388000000",
        "@iot.selfLink": "http://x/Observations('7-1795444388000000')",
        "phenomenonTime": "2026-11-23T14:33:08.000000Z",
        "result": -3.25e-7,
        "resultTime": "2026-11-23T14:33:08.000000Z",
        "Datastream@iot.navigationLink": "http://x/Observations('7-1795444388000000')/Datastream",
        "FeatureOfInterest@iot.navigationLink": (
            "http://x/Observations('7-1795444388000000')/FeatureOfInterest"
        ),
    }
    assert first["result"] == 21.5
    # Several series, a suspect reading, a moment of another number of digits: one by one.
    for told in (
        Observations(np.array([7, 8]), time_us, shown.value, shown.quality),
        Observations(shown.series, time_us, shown.value, np.array([0, 1], np.uint8)),
        Observations(shown.series, np.array([5, 6]), shown.value, shown.quality),
        shown.taken(slice(0, 0)),
    ):
        assert not can_be_written(told)
