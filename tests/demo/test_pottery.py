"""The pottery: the same every time, believable, and in words the doors understand."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.timestamps import DAY_US, time_us_from_text
from rook_tally.demo import chance
from rook_tally.demo.history import history, report_times
from rook_tally.demo.pottery import SITE_NAME, STATIONS, ZONE_NAME, DemoStation, site_text
from rook_tally.demo.signals import measured
from rook_tally.demo.speech import plain_json_body, senml_body
from rook_tally.intake.decode import decoded
from rook_tally.intake.message import Message

END_US = time_us_from_text("2026-11-23T14:32:08Z")

every_station = pytest.mark.parametrize("station", STATIONS, ids=[one.key for one in STATIONS])


@every_station
def test_a_moment_alone_reads_as_it_does_within_a_week(station: DemoStation) -> None:
    """Live stations and history agree, since both ask the same function of time."""
    times = report_times(station, END_US - 2 * DAY_US, END_US)
    together = measured(station, times)
    for at in (0, len(times) // 2, len(times) - 1):
        alone = measured(station, times[at : at + 1])
        assert {name: value[0] for name, value in alone.items()} == {
            name: value[at] for name, value in together.items()
        }


@every_station
def test_readings_are_believable_but_for_the_faults_on_purpose(station: DemoStation) -> None:
    values = measured(station, report_times(station, END_US - 7 * DAY_US, END_US))
    for field in station.reported:
        quantity = QUANTITIES[field.quantity]
        unit = quantity.unit(field.unit)
        assert unit is not None
        base = unit.to_base(values[field.name])
        low, high = quantity.believable
        doubtful = np.mean((base < low) | (base > high))
        assert doubtful < 0.002, field


def test_history_is_the_same_every_time_and_has_gaps() -> None:
    first = {one.key: history(one, END_US, 1) for one in STATIONS}
    second = {one.key: history(one, END_US, 1) for one in STATIONS}
    for key, fields in first.items():
        for ours, again in zip(fields, second[key], strict=True):
            assert np.array_equal(ours.time_us, again.time_us)
            assert np.array_equal(ours.value, again.value)
    quay = first["quay-gate"][0].time_us
    assert END_US - quay[-1] > 30 * 60_000_000
    assert len(quay) < 1440


def test_the_site_file_has_the_stations_that_speak_and_their_fields() -> None:
    content = site_from_toml(site_text())
    assert content.site is not None
    assert (content.site.name, content.site.zone) == (SITE_NAME, ZONE_NAME)
    outdoors = {one.name: one.outdoors for one in content.places or ()}
    for one, entry in zip(STATIONS, content.stations or (), strict=True):
        told = (entry.key, entry.place, entry.kind, outdoors[entry.place])
        assert told == (one.key, one.place, one.kind.slug, not one.indoors)
        assert entry.cadence_s in (None, one.every_s)
        assert [(each.name, each.quantity, each.unit) for each in entry.fields] == [
            (each.name, each.quantity, each.unit) for each in one.reported
        ]


@every_station
def test_both_ways_of_speaking_are_understood(station: DemoStation) -> None:
    values = {name: float(v[0]) for name, v in measured(station, np.array([END_US])).items()}
    for body, claims in (
        (plain_json_body(station, END_US, values), None),
        (senml_body(station, END_US, values), station.key),
    ):
        content = decoded(Message("mqtt", "", body, END_US))
        assert content.refused == ()
        assert {one.field: float(one.value) for one in content.items} == values
        assert {one.station for one in content.items} == {claims}
        assert all(abs((one.time_us or 0) - END_US) <= 1 for one in content.items)


def test_chance_is_even_and_depends_on_its_name() -> None:
    steps = np.arange(20_000)
    numbers = chance.uniform("a", steps)
    assert np.all((numbers >= 0) & (numbers < 1))
    assert abs(numbers.mean() - 0.5) < 0.01
    assert abs(np.corrcoef(numbers, chance.uniform("b", steps))[0, 1]) < 0.03
    assert abs(chance.bell("c", steps).std() - 1) < 0.02


def test_bodies_are_plain_json() -> None:
    dust = next(one for one in STATIONS if one.key == "glaze-dust")
    values = {name: float(v[0]) for name, v in measured(dust, np.array([END_US])).items()}
    told: dict[str, Any] = json.loads(plain_json_body(dust, END_US, values))
    assert told["time"] == "2026-11-23T14:32:08.000000Z"
    assert told["pm25"] == values["pm25"] > 25
