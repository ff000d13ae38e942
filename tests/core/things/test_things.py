"""Kinds as W3C Thing Models and back; descriptions as others write them; hostile ones."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import ByteLayout, LayoutField, NumberType
from rook_tally.core.quantities.controls import ControlKind
from rook_tally.core.quantities.kind_files import kind_from_toml
from rook_tally.core.quantities.kinds import KINDS, Kind
from rook_tally.core.things.reading import kind_from_text, thing_from_json
from rook_tally.core.things.writing import thing_model

METER = kind_from_toml(
    """
slug = "hall-meter"
name = "hall meter"
cadence_s = 10
source = "Fennel Wharf data sheet 4"
[[field]]
name = "power"
quantity = "power"
unit = "kW"
accuracy = 20
believable = [0, 9000]
colour = 4
[[field]]
name = "door"
quantity = "contact"
unit = ""
[[control]]
name = "relay"
title = "Relay"
sort = "switch"
confirm_s = 20
[[control]]
name = "flap"
title = "Flap"
sort = "number"
unit = "°"
low = 0
high = 90
[[control]]
name = "fan"
title = "Fan"
sort = "choice"
choices = ["auto", "off"]
[[control]]
name = "restart"
title = "Restart"
sort = "button"
[[register]]
name = "power"
table = "input"
at = 12
type = "f32"
low_word_first = true
scale = 0.001
"""
)


@pytest.mark.parametrize(
    "kind", [METER, *(one for one in KINDS.values() if one.fields)], ids=lambda one: one.slug
)
def test_a_kind_comes_back_from_its_model_whole(kind: Kind) -> None:
    text, left_out = thing_model(kind)
    told = kind_from_text(text)
    assert told.kind == replace(kind, layout=None, shape=None)
    assert (told.left_out, left_out) == ((), [])


def test_what_a_model_cannot_say_is_said() -> None:
    layout = ByteLayout(field=(LayoutField(name="power", at=0, kind=NumberType.U16),))
    _, left_out = thing_model(replace(METER, layout=layout))
    assert left_out == ["how the bytes of its messages are laid out"]


def _description(**members: Any) -> str:
    return json.dumps(
        {
            "@context": "https://www.w3.org/2022/wot/td/v1.1",
            "title": "Bench Air Box",
            "security": "open",
            "securityDefinitions": {"open": {"scheme": "nosec"}},
        }
        | members
    )


def _form(href: str, **more: Any) -> list[dict[str, Any]]:
    return [{"href": href} | more]


OTHERS = _description(
    base="http://192.168.1.9/",
    properties={
        "temperature": {
            "type": "number",
            "unit": "om:degree_Fahrenheit",
            "minimum": 32,
            "maximum": 122,
            "readOnly": True,
            "forms": _form("air/temp"),
        },
        "air": {
            "type": "object",
            "forms": _form("air"),
            "properties": {
                "rh": {"type": "integer", "unit": "unit:PERCENT"},
                "colour": {"type": "string"},
            },
        },
        "pm25": {"type": "number", "unit": "furlong", "forms": _form("pm")},
        "mood": {"type": "number", "forms": _form("mood")},
        "co2": {"type": "number", "unit": "ppm", "forms": _form("mqtt://hub.local/bench/co2")},
        "fan": {
            "type": "string",
            "enum": ["slow", "quick"],
            "forms": _form("fan", op=["readproperty", "writeproperty"]),
        },
        "lamp": {"type": "boolean", "readOnly": False, "forms": _form("lamp")},
    },
    actions={
        "self test": {"title": "Self test", "forms": _form("test")},
        "dim": {
            "input": {"type": "integer", "minimum": 0, "maximum": 100, "unit": "%"},
            "forms": _form("dim"),
        },
        "tune": {"input": {"type": "object"}, "forms": _form("tune")},
    },
    events={"overheated": {"forms": _form("hot")}},
)


def test_a_description_of_somebody_else() -> None:
    told = thing_from_json(OTHERS)
    kind = told.kind
    assert (kind.slug, kind.name, kind.cadence_s) == ("bench-air-box", "Bench Air Box", 60.0)
    fields = {one.name: (one.quantity, one.unit, one.believable) for one in kind.fields}
    assert fields == {
        "temperature": ("temperature", "°F", (0.0, 50.0)),
        "air.rh": ("humidity", "%", None),
        "co2": ("co2", "ppm", None),
    }
    assert {one.name: one.sort for one in kind.controls} == {
        "fan": ControlKind.CHOICE,
        "lamp": ControlKind.SWITCH,
        "self-test": ControlKind.BUTTON,
        "dim": ControlKind.NUMBER,
    }
    assert told.left_out == (
        "event overheated: events are not taken in",
        "property air.colour: string is no reading",
        "property pm25: 'furlong' is no unit of pm2.5",
        "property mood: what it measures is not known",
        "action tune: object cannot be set",
    )
    assert told.doors == (
        "rook-tally door add poll http://192.168.1.9/air/temp --station KEY --alone temperature",
        "rook-tally door add topics bench/co2 --station KEY",
    )


def test_registers_of_a_modbus_binding() -> None:
    where = "modbus+tcp://10.0.0.4:502/7"
    told = thing_from_json(
        _description(
            properties={
                "power": {
                    "type": "number",
                    "unit": "W",
                    "forms": _form(
                        f"{where}/12?quantity=2",
                        **{"modv:entity": "InputRegister", "modv:type": "xsd:float"},
                        **{"modv:mostSignificantWord": False},
                    ),
                },
                "voltage": {"type": "number", "unit": "V", "forms": _form(f"{where}/3")},
                "current": {"type": "number", "unit": "A", "forms": _form(f"{where}/here")},
            }
        )
    )
    registers = {
        one.name: (one.table.value, one.at, one.field.kind.value, one.low_word_first)
        for one in told.kind.registers
    }
    assert registers == {
        "power": ("input", 12, "f32", True),
        "voltage": ("holding", 3, "u16", False),
    }
    assert told.left_out == ("property current: its register cannot be meant",)
    assert told.doors == ("rook-tally door add modbus 10.0.0.4:502 --unit 7 --station KEY",)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("{", "it is no JSON"),
        ("[" * 100_000, "it is no JSON|it is no object"),
        ("{}", "nothing of W3C Thing Descriptions"),
        ('{"@context": "https://www.w3.org/2022/wot/td/v1.1"}', "the whole: .* is a required"),
        (_description(properties={"t": {"type": "number"}}), "properties/t: 'forms' is a required"),
        (
            _description(properties={"t": {"type": "warm", "forms": _form("x")}}),
            "properties/t/type: 'warm' is not one of",
        ),
        (_description(), "none of its properties"),
        (
            _description(properties={"mood": {"type": "number", "forms": _form("mood")}}),
            "mood: what it measures is not known",
        ),
        ("{" + " " * 1_000_001 + "}", "larger than 1 MB"),
    ],
    ids=range(9),
)
def test_what_is_none_is_refused_with_its_place(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why):
        thing_from_json(text)


_JSON = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3)
    ),
    max_leaves=8,
)


@given(
    properties=st.dictionaries(
        st.sampled_from(["temp", "co2", "power", "x"]),
        st.dictionaries(
            st.sampled_from(["type", "unit", "minimum", "maximum", "enum", "properties"]),
            _JSON,
            max_size=4,
        ),
        max_size=3,
    ),
    href=st.sampled_from(
        ["", "modbus+tcp://h/1/2?quantity=x", "coap://h/a", "mqtt://h", "http://[", "x"]
    ),
    actions=_JSON,
)
def test_whatever_stands_in_it_it_is_read_or_refused(
    properties: dict[str, Any], href: str, actions: Any
) -> None:
    for one in properties.values():
        one["forms"] = _form(href)
    try:
        told = thing_from_json(_description(properties=properties, actions=actions))
    except UsageError:
        return
    assert told.kind.fields or told.kind.controls
