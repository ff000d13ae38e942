"""A station as a W3C Thing Description (TD 1.1): what it measures, and the forms by which programs
read that and set its controls.

Values are read over HTTP from the collector (`GET /v1/value`); messages come, and controls go,
over MQTT as the station itself has them; registers are read from a Modbus device itself, and what
answers over HTTP or CoAP tells all its values.
"""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

import msgspec

from rook_tally.core.quantities.controls import ControlKind
from rook_tally.core.quantities.kinds import Field, Kind
from rook_tally.core.quantities.open_units import ucum_unit
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.things.vocabulary import MODBUS_CONTEXT, OWN, OWN_CONTEXT, TD_CONTEXT, own
from rook_tally.core.things.writing import control_schema, modbus_form, property_schema

_MQTT_CONTEXT = "https://www.w3.org/2019/wot/mqtt#"
_COAP_CONTEXT = "https://www.w3.org/2019/wot/coap#"
STATION_ID = f"{OWN_CONTEXT}station:"


class DescribedStation(msgspec.Struct, frozen=True):
    """A station to be described.

    Attributes
    ----------
    fields : of its series, with the units in which it sends
    http, mqtt : host and port of the collector's doors
    modbus : host and port of the device, and its number; empty for none
    asked : address at which the station itself answers with its values, over HTTP or CoAP; empty
        for none
    """

    key: str
    kind: Kind
    place: str
    fields: tuple[Field, ...]
    http: str
    mqtt: str
    modbus: str = ""
    asked: str = ""


def thing_description(told: DescribedStation) -> str:
    """The text of its Thing Description."""
    context: dict[str, str] = {OWN: OWN_CONTEXT, "mqv": _MQTT_CONTEXT}
    if told.modbus:
        context["modv"] = MODBUS_CONTEXT
    if told.asked.startswith("coap:"):
        context["cov"] = _COAP_CONTEXT
    properties = {one.name: _property(told, one) for one in told.fields}
    actions: dict[str, Any] = {}
    for control in told.kind.controls:
        schema = control_schema(control)
        if control.sort is ControlKind.BUTTON:
            actions[control.name] = schema | {"forms": [_set(told, control.name, "invokeaction")]}
            continue
        known = properties.get(control.name, {})
        forms = [*known.get("forms", []), _set(told, control.name, "writeproperty")]
        schema |= {"writeOnly": not known, "forms": forms}
        properties[control.name] = known | schema
    document: dict[str, Any] = {
        "@context": [TD_CONTEXT, context],
        "id": STATION_ID + quote(told.key),
        "title": told.key,
        "description": f"{told.kind.name}, at {told.place}",
        "securityDefinitions": {
            "key": {"scheme": "bearer", "in": "header", "description": "A read key of the site."},
            "login": {"scheme": "basic", "description": "A user of the broker."},
            "none": {"scheme": "nosec"},
        },
        "security": ["key"],
        own("cadence"): told.kind.cadence_s,
        "properties": properties,
        "actions": actions,
        "events": {"readings": _readings(told)},
    }
    if told.asked:
        document["forms"] = [_asked(told.asked)]
    return msgspec.json.format(msgspec.json.encode(document), indent=2).decode() + "\n"


def _asked(address: str) -> dict[str, Any]:
    """A form by which the station itself tells all its values; over CoAP also whenever they change,
    where it can (RFC 7641)."""
    form: dict[str, Any] = {
        "href": address,
        "op": ["readallproperties"],
        "contentType": "application/json",
        "security": ["none"],
    }
    if address.startswith("coap:"):
        form["op"] += ["observeallproperties"]
        form |= {"cov:method": "GET", "subprotocol": "cov:observe"}
    return form


def _property(told: DescribedStation, field: Field) -> dict[str, Any]:
    register = next((one for one in told.kind.registers if one.name == field.name), None)
    schema = property_schema(field)
    schema["observable"] = False
    name = quote(f"{told.key}/{field.name}")
    forms: list[dict[str, Any]] = [
        {
            "href": f"http://{told.http}/v1/value?series={name}&unit={quote(field.unit)}",
            "op": ["readproperty"],
            "contentType": "application/json",
        }
    ]
    if told.modbus and register is not None:
        more = {"contentType": "application/octet-stream", "security": ["none"]}
        forms.append(modbus_form(register, told.modbus) | more)
    return schema | {"forms": forms}


def _set(told: DescribedStation, name: str, operation: str) -> dict[str, Any]:
    """A form by which a control is set, as the collector does."""
    return {
        "href": f"mqtt://{told.mqtt}",
        "op": [operation],
        "contentType": "text/plain",
        "security": ["login"],
        "mqv:topic": f"rook/{told.key}/controls/{name}/set",
        "mqv:controlPacket": "publish",
        "mqv:qos": "1",
    }


def _readings(told: DescribedStation) -> dict[str, Any]:
    """What it publishes: its values by field, as it sends them."""
    members: dict[str, Any] = {}
    for field in told.fields:
        quantity = QUANTITIES[field.quantity]
        is_state = quantity.scale is QuantityScale.STATE
        members[field.name] = {"type": "boolean" if is_state else "number"}
        if not is_state and field.unit:
            members[field.name]["unit"] = ucum_unit(field.unit)
    return {
        "title": "readings",
        "data": {"type": "object", "properties": members},
        "forms": [
            {
                "href": f"mqtt://{told.mqtt}",
                "op": ["subscribeevent"],
                "contentType": "application/json",
                "security": ["login"],
                "mqv:filter": f"rook/{told.key}/readings",
                "mqv:controlPacket": "subscribe",
                "mqv:qos": "1",
            }
        ],
    }
