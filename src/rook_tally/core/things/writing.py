"""A kind as a W3C Thing Model (TD 1.1, section 10): what of it others understand, and what not."""

from __future__ import annotations

import math
from typing import Any

import msgspec

from rook_tally.core.quantities.byte_layout import NumberType
from rook_tally.core.quantities.controls import USUAL_CONFIRM_S, USUAL_LAPSE_S, Control, ControlKind
from rook_tally.core.quantities.kinds import Field, Kind
from rook_tally.core.quantities.modbus_map import ModbusRegister, RegisterTable, register_table
from rook_tally.core.quantities.open_units import ucum_unit
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.things.vocabulary import (
    KIND_ID,
    MODBUS_CONTEXT,
    MODEL,
    OWN,
    OWN_CONTEXT,
    TD_CONTEXT,
    own,
)

ENTITIES = {
    RegisterTable.HOLDING: "HoldingRegister",
    RegisterTable.INPUT: "InputRegister",
    RegisterTable.COIL: "Coil",
    RegisterTable.DISCRETE: "DiscreteInput",
}
TYPES = {
    NumberType.U16: "xsd:unsignedShort",
    NumberType.I16: "xsd:short",
    NumberType.U32: "xsd:unsignedInt",
    NumberType.I32: "xsd:int",
    NumberType.F32: "xsd:float",
    NumberType.F64: "xsd:double",
}
_DIGITS = 9


def thing_model(kind: Kind) -> tuple[str, list[str]]:
    """A kind as the text of a Thing Model, and what of it such a model cannot say."""
    context: dict[str, str] = {OWN: OWN_CONTEXT}
    if kind.registers:
        context["modv"] = MODBUS_CONTEXT
    registers = {one.name: one for one in kind.registers}
    properties = {one.name: _property(one, registers.get(one.name)) for one in kind.fields}
    actions: dict[str, Any] = {}
    for control in kind.controls:
        told = control_schema(control)
        if control.sort is ControlKind.BUTTON:
            actions[control.name] = told
        else:
            properties[control.name] = properties.get(control.name, {}) | told
    model: dict[str, Any] = {
        "@context": [TD_CONTEXT, context],
        "@type": MODEL,
        "id": KIND_ID + kind.slug,
        "title": kind.name,
        own("cadence"): kind.cadence_s,
    }
    if kind.source:
        model["description"] = kind.source
    model |= {"properties": properties, "actions": actions}
    text = msgspec.json.format(msgspec.json.encode(model), indent=2).decode()
    return text + "\n", _left_out(kind)


def _left_out(kind: Kind) -> list[str]:
    told = []
    if kind.bluetooth is not None:
        told.append("what is read of it by Bluetooth")
    if kind.layout is not None:
        told.append("how the bytes of its messages are laid out")
    if kind.shape is not None:
        told.append("of which shape its JSON is")
    return told


def _property(field: Field, register: ModbusRegister | None) -> dict[str, Any]:
    told = property_schema(field)
    if register is not None:
        told["forms"] = [_form(register)]
    return told


def property_schema(field: Field) -> dict[str, Any]:
    """A field as a property, without forms."""
    quantity = QUANTITIES[field.quantity]
    unit = quantity.unit(field.unit) or quantity.base
    is_state = quantity.scale is QuantityScale.STATE
    told: dict[str, Any] = {
        "title": quantity.name,
        "type": "boolean" if is_state else "number",
        "readOnly": True,
        "observable": True,
        own("quantity"): field.quantity,
    }
    if not is_state and unit.symbol:
        told |= {"unit": ucum_unit(unit.symbol), own("unit"): unit.symbol}
    if field.accuracy is not None:
        told[own("accuracy")] = round(field.accuracy / unit.factor, _DIGITS)
    if field.colour is not None:
        told[own("colour")] = field.colour
    if field.believable is not None:
        low, high = (round(float(unit.from_base(end)), _DIGITS) for end in field.believable)
        told |= {"minimum": low, "maximum": high}
    return told


def _form(register: ModbusRegister) -> dict[str, Any]:
    """A form of the Modbus binding; where the device is, whoever uses the model says."""
    told = modbus_form(register, "{{HOST}}:{{PORT}}/{{UNIT}}")
    # Scale, bits and the like, as a kind's file has them.
    told[own("register")] = register_table(register)
    return told


def modbus_form(register: ModbusRegister, where: str) -> dict[str, Any]:
    """A form of the Modbus binding, by which a register of a device is read over TCP."""
    told: dict[str, Any] = {
        "href": f"modbus+tcp://{where}/{register.at}?quantity={register.count}",
        "op": ["readproperty"],
        "modv:entity": ENTITIES[register.table],
    }
    if register.field.kind in TYPES:
        told["modv:type"] = TYPES[register.field.kind]
    if register.count > 1:
        told["modv:mostSignificantWord"] = not register.low_word_first
    return told


def control_schema(control: Control) -> dict[str, Any]:
    """A control as a property that is written, or an action, without forms."""
    told: dict[str, Any] = {"title": control.title}
    match control.sort:
        case ControlKind.SWITCH:
            told["type"] = "boolean"
        case ControlKind.NUMBER:
            told["type"] = "number"
            if control.unit:
                told["unit"] = control.unit
            if math.isfinite(control.low):
                told["minimum"] = control.low
            if math.isfinite(control.high):
                told["maximum"] = control.high
        case ControlKind.CHOICE:
            told |= {"type": "string", "enum": list(control.choices)}
        case ControlKind.BUTTON:
            pass
    if control.sort is not ControlKind.BUTTON:
        told["readOnly"] = False
    told[own("control")] = True
    if control.confirm_s != USUAL_CONFIRM_S:
        told[own("confirm_s")] = control.confirm_s
    if control.lapse_s != USUAL_LAPSE_S and math.isfinite(control.lapse_s):
        told[own("lapse_s")] = control.lapse_s
    return told
