"""Stations as W3C Thing Descriptions: held to the standard's schema, with forms that are right."""

from __future__ import annotations

import json
from importlib import resources
from typing import Any

import pytest
from jsonschema import Draft7Validator
from msgspec.structs import replace

from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.things.describing import DescribedStation, thing_description
from rook_tally.core.things.reading import thing_from_json
from tests.core.things.test_things import METER


def _told(**changed: Any) -> dict[str, Any]:
    kind = changed.pop("kind", METER)
    station = DescribedStation(
        "hall meter", kind, "Hall", kind.fields, "10.0.0.5:4711", "10.0.0.5:4712", **changed
    )
    document: dict[str, Any] = json.loads(thing_description(station))
    return document


@pytest.mark.parametrize("slug", KINDS)
def test_every_kind_gives_a_description_by_the_schema(slug: str) -> None:
    text = resources.files("rook_tally.core.things").joinpath("td-schema.json").read_text("utf-8")
    Draft7Validator(json.loads(text)).validate(_told(kind=KINDS[slug]))


def test_a_description_of_ours_is_read_as_the_same_fields_and_controls() -> None:
    told = thing_from_json(json.dumps(_told()))
    assert told.kind.fields == METER.fields
    assert told.kind.controls == METER.controls


def test_forms_say_where_values_are_read_and_controls_are_set() -> None:
    told = _told(modbus="10.0.0.9:502/7")
    power = told["properties"]["power"]["forms"]
    assert power[0]["href"] == "http://10.0.0.5:4711/v1/value?series=hall%20meter/power&unit=kW"
    assert power[1]["href"].startswith("modbus+tcp://10.0.0.9:502/7/")
    assert power[1]["modv:entity"] == "InputRegister"
    relay = told["properties"]["relay"]
    assert (relay["writeOnly"], relay["forms"][0]["op"]) == (True, ["writeproperty"])
    assert relay["forms"][0]["mqv:topic"] == "rook/hall meter/controls/relay/set"
    assert told["actions"]["restart"]["forms"][0]["op"] == ["invokeaction"]
    (event,) = told["events"]["readings"]["forms"]
    assert event["mqv:filter"] == "rook/hall meter/readings"
    assert _told()["properties"]["power"]["forms"][1:] == []


def test_a_control_that_is_a_field_too_is_read_and_written() -> None:
    relay = next(one for one in METER.controls if one.name == "relay")
    kind = replace(METER, controls=(replace(relay, name="door"),))
    door = _told(kind=kind)["properties"]["door"]
    assert door["writeOnly"] is False
    assert [one["op"] for one in door["forms"]] == [["readproperty"], ["writeproperty"]]


@pytest.mark.parametrize(
    ("asked", "operations"),
    [
        ("http://10.0.0.9/now", ["readallproperties"]),
        ("coap://10.0.0.9/air", ["readallproperties", "observeallproperties"]),
    ],
)
def test_a_station_that_answers_itself_has_a_form_for_all_its_values(
    asked: str, operations: list[str]
) -> None:
    told = _told(asked=asked)
    (form,) = told["forms"]
    assert (form["href"], form["op"]) == (asked, operations)
    assert ("cov:method" in form) is asked.startswith("coap")
    text = resources.files("rook_tally.core.things").joinpath("td-schema.json").read_text("utf-8")
    Draft7Validator(json.loads(text)).validate(told)
    # Its own description read again names the door it could come by.
    assert (
        f"rook-tally door add poll {asked} --station KEY" in thing_from_json(json.dumps(told)).doors
    )
    assert "forms" not in _told()
