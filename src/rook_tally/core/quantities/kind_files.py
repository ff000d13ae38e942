"""Kinds as TOML files: to hand on, to keep, to make one's own.

slug = "greenhouse-box"
name = "greenhouse box"
cadence_s = 60

[[field]]
name = "temp"
quantity = "temperature"
unit = "°C"
accuracy = 0.2
believable = [-20, 60]
colour = 2

[[control]]
name = "vent"
title = "Roof vent"
sort = "switch"
confirm_s = 20
"""

from __future__ import annotations

import math
import re
import tomllib
from collections.abc import Iterable
from typing import Any

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.bluetooth_map import bluetooth_from_table, bluetooth_table
from rook_tally.core.quantities.byte_layout import layout_from_table, layout_table
from rook_tally.core.quantities.controls import USUAL_CONFIRM_S, USUAL_LAPSE_S, Control, ControlKind
from rook_tally.core.quantities.json_shape import shape_from_table, shape_table
from rook_tally.core.quantities.kinds import Field, Kind
from rook_tally.core.quantities.modbus_map import register_from_table, register_table
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import COLOURS

_SLUG = re.compile(r"[a-z0-9][a-z0-9-]{0,63}")
_CONTROL_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,63}")


def kind_to_toml(kind: Kind) -> str:
    """A kind as the text of a file."""
    # Loaded late: only who hands a kind on needs it.
    import tomlkit

    document = tomlkit.document()
    document["slug"], document["name"], document["cadence_s"] = kind.slug, kind.name, kind.cadence_s
    if kind.source:
        document["source"] = kind.source
    fields = tomlkit.aot()
    for one in kind.fields:
        table = tomlkit.table()
        table["name"], table["quantity"], table["unit"] = one.name, one.quantity, one.unit
        if one.accuracy is not None:
            table["accuracy"] = one.accuracy
        if one.believable is not None:
            table["believable"] = list(one.believable)
        if one.colour is not None:
            table["colour"] = one.colour
        fields.append(table)
    if kind.fields:
        document["field"] = fields
    controls = tomlkit.aot()
    for control in kind.controls:
        table = tomlkit.table()
        for name, value in _members(control).items():
            table[name] = value
        controls.append(table)
    if kind.controls:
        document["control"] = controls
    if kind.layout is not None:
        document["layout"] = _layout(layout_table(kind.layout))
    if kind.shape is not None:
        document["json"] = shape_table(kind.shape)
    if kind.registers:
        document["register"] = _several(register_table(one) for one in kind.registers)
    if kind.bluetooth is not None:
        document["bluetooth"] = _bluetooth(bluetooth_table(kind.bluetooth))
    return tomlkit.dumps(document)


def _several(tables: Iterable[dict[str, Any]]) -> Any:
    """Tables one below the other."""
    import tomlkit

    found = tomlkit.aot()
    for told in tables:
        table = tomlkit.table()
        table.update(told)
        found.append(table)
    return found


def _bluetooth(told: dict[str, Any]) -> Any:
    """What is read by radio, each data below the other."""
    import tomlkit

    table = tomlkit.table()
    for name, value in told.items():
        if not isinstance(value, list):
            table[name] = value
            continue
        several = tomlkit.aot()
        for one in value:
            data = tomlkit.table()
            for member, within in one.items():
                data[member] = _layout(within) if member == "layout" else within
            several.append(data)
        table[name] = several
    return table


def _layout(told: dict[str, Any]) -> Any:
    """The table of a layout, each field below the other."""
    import tomlkit

    table, fields = tomlkit.table(), tomlkit.aot()
    for name, value in told.items():
        if name not in ("field", "repeat"):
            table[name] = value
    for one in told["field"]:
        field = tomlkit.table()
        for name, value in one.items():
            field[name] = tomlkit.item(value)
            if isinstance(value, dict):
                inline = tomlkit.inline_table()
                inline.update(value)
                field[name] = inline
        fields.append(field)
    table["field"] = fields
    if "repeat" in told:
        table["repeat"] = told["repeat"]
    return table


def _members(control: Control) -> dict[str, Any]:
    """The TOML members of a control: only those that differ from the default."""
    members: dict[str, Any] = {
        "name": control.name,
        "title": control.title,
        "sort": control.sort.value,
    }
    if control.unit:
        members["unit"] = control.unit
    if math.isfinite(control.low):
        members["low"] = control.low
    if math.isfinite(control.high):
        members["high"] = control.high
    if control.choices:
        members["choices"] = list(control.choices)
    if control.confirm_s != USUAL_CONFIRM_S:
        members["confirm_s"] = control.confirm_s
    if control.lapse_s != USUAL_LAPSE_S:
        members["lapse_s"] = control.lapse_s
    return members


def kind_from_toml(text: str) -> Kind:
    """The kind a file describes.

    Raises
    ------
    UsageError
        When it is not TOML, something is missing or of the wrong sort, or a quantity or unit is
        not known; it says which.
    """
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"this is not TOML: {error}", remedy="see docs/kinds.md") from None
    slug, name = _text(document, "slug"), _text(document, "name")
    if not _SLUG.fullmatch(slug):
        raise UsageError(f"{slug!r} cannot be a slug", remedy="use a–z, 0–9 and -")
    cadence = document.get("cadence_s")
    if (
        isinstance(cadence, bool)
        or not isinstance(cadence, int | float)
        or not 0.1 <= cadence < 1e7
    ):
        raise UsageError("cadence_s has to be a number of seconds", remedy="such as cadence_s = 60")
    unknown = document.keys() - {
        "slug",
        "name",
        "cadence_s",
        "field",
        "control",
        "layout",
        "json",
        "register",
        "bluetooth",
        "source",
    }
    if unknown:
        raise UsageError(f"{sorted(unknown)[0]} is nothing a kind has", remedy="see docs/kinds.md")
    made = tuple(_field(at, one) for at, one in enumerate(_tables(document, "field"), start=1))
    controls = tuple(
        _control(at, one) for at, one in enumerate(_tables(document, "control"), start=1)
    )
    for what, names in (("fields", made), ("controls", controls)):
        if len({one.name for one in names}) != len(names):
            raise UsageError(f"two {what} have the same name", remedy="name each once")
    told = document.get("layout")
    if told is not None and not isinstance(told, dict):
        raise UsageError("a layout is a table", remedy="begin it with [layout]")
    layout = None if told is None else layout_from_table(told)
    told = document.get("json")
    if told is not None and not isinstance(told, dict):
        raise UsageError("json is a table", remedy="begin it with [json]")
    shape = None if told is None else shape_from_table(told)
    if layout is not None and shape is not None:
        raise UsageError(
            "a kind has a layout or a shape of JSON",
            remedy="of bytes within JSON, say in the layout where: at",
        )
    registers = tuple(
        register_from_table(at, one)
        for at, one in enumerate(_tables(document, "register"), start=1)
    )
    if len({one.name for one in registers}) != len(registers):
        raise UsageError("two registers have the same name", remedy="name each once")
    told = document.get("bluetooth")
    if told is not None and not isinstance(told, dict):
        raise UsageError("bluetooth is a table", remedy="begin it with [bluetooth]")
    bluetooth = None if told is None else bluetooth_from_table(told)
    source = document.get("source", "")
    if not isinstance(source, str):
        raise UsageError("source is a text", remedy='put it in "…"')
    return Kind(
        slug, name, float(cadence), made, controls, layout, shape, registers, source, bluetooth
    )


def _tables(document: dict[str, Any], name: str) -> list[dict[str, Any]]:
    tables = document.get(name, [])
    if not isinstance(tables, list) or not all(isinstance(one, dict) for one in tables):
        raise UsageError(f"{name}s are tables", remedy=f"begin each with [[{name}]]")
    return tables


def _control(at: int, table: dict[str, Any]) -> Control:
    try:
        name = _text(table, "name")
        if not _CONTROL_NAME.fullmatch(name):
            raise UsageError(f"{name!r} cannot name a control", remedy="use a–z, 0–9, _ and -")
        try:
            sort = ControlKind(_text(table, "sort"))
        except ValueError:
            known = ", ".join(one.value for one in ControlKind)
            raise UsageError("there is no such sort", remedy=f"sorts: {known}") from None
        choices = table.get("choices", [])
        if not isinstance(choices, list) or not all(isinstance(one, str) for one in choices):
            raise UsageError("choices are texts", remedy='such as choices = ["auto", "off"]')
        if sort is ControlKind.CHOICE and not choices:
            raise UsageError("a choice needs choices", remedy='such as choices = ["auto", "off"]')
        low, high = (_number(table, "low", -math.inf), _number(table, "high", math.inf))
        if low >= high:
            raise UsageError("low is not below high", remedy="turn them round")
        title = table.get("title", name)
        unit = table.get("unit", "")
        if not isinstance(title, str) or not isinstance(unit, str):
            raise UsageError("title and unit are texts", remedy='put them in "…"')
        confirm_s = _number(table, "confirm_s", USUAL_CONFIRM_S)
        lapse_s = _number(table, "lapse_s", USUAL_LAPSE_S)
        for member, time_s in (("confirm_s", confirm_s), ("lapse_s", lapse_s)):
            if not 0.1 <= time_s <= 86_400:
                raise UsageError(
                    f"{member} is no sensible time", remedy="give seconds, up to a day"
                )
    except UsageError as error:
        raise UsageError(f"control {at}: {error.what}", remedy=error.remedy) from None
    return Control(name, title, sort, unit, low, high, tuple(choices), confirm_s, lapse_s)


def _number(table: dict[str, Any], name: str, usual: float) -> float:
    value = table.get(name, usual)
    if isinstance(value, bool) or not isinstance(value, int | float) or math.isnan(value):
        raise UsageError(f"{name} has to be a number", remedy=f"such as {name} = 5")
    return float(value)


def _field(at: int, table: dict[str, Any]) -> Field:
    try:
        name, slug = _text(table, "name"), _text(table, "quantity")
        quantity = QUANTITIES.get(slug)
        if quantity is None:
            raise UsageError(f"there is no quantity {slug!r}", remedy="see docs/quantities.md")
        unit = table.get("unit", quantity.base.symbol)
        if not isinstance(unit, str) or quantity.unit(unit) is None:
            usual = ", ".join(one.symbol for one in quantity.units)
            raise UsageError(f"{unit!r} is no unit of {slug}", remedy=f"known: {usual}")
        accuracy = _number(table, "accuracy", 0.0) if "accuracy" in table else None
        if accuracy is not None and not 0 < accuracy < math.inf:
            raise UsageError("accuracy has to be above 0", remedy="such as accuracy = 0.3")
        believable = _range(table)
        colour = table.get("colour")
        is_number = isinstance(colour, int) and not isinstance(colour, bool)
        if colour is not None and not (is_number and 1 <= colour <= COLOURS):
            raise UsageError("there is no such colour", remedy=f"give 1 to {COLOURS}")
    except UsageError as error:
        raise UsageError(f"field {at}: {error.what}", remedy=error.remedy) from None
    return Field(name, slug, unit, accuracy, believable, colour)


def _range(table: dict[str, Any]) -> tuple[float, float] | None:
    if "believable" not in table:
        return None
    ends = table["believable"]
    if not isinstance(ends, list) or len(ends) != 2:
        raise UsageError("believable has two ends", remedy="such as believable = [-20, 60]")
    low, high = (_number({"believable": one}, "believable", 0.0) for one in ends)
    if not low < high:
        raise UsageError("believable's low end is not below its high", remedy="turn them round")
    return low, high


def _text(table: dict[str, Any], name: str) -> str:
    value = table.get(name)
    if not isinstance(value, str) or not value.strip():
        raise UsageError(f"{name} is missing", remedy=f'add {name} = "…"')
    return value
