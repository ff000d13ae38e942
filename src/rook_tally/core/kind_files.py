"""Kinds as TOML files: to hand on, to keep, to make one's own.

slug = "greenhouse-box"
name = "greenhouse box"
cadence_s = 60

[[field]]
name = "temp"
quantity = "temperature"
unit = "°C"
"""

from __future__ import annotations

import re
import tomllib
from typing import Any

from rook_tally.core.errors import UsageError
from rook_tally.core.kinds import Field, Kind
from rook_tally.core.registry import QUANTITIES

_SLUG = re.compile(r"[a-z0-9][a-z0-9-]{0,63}")


def kind_to_toml(kind: Kind) -> str:
    """A kind as the text of a file."""
    # Loaded late: only who hands a kind on needs it.
    import tomlkit

    document = tomlkit.document()
    document["slug"], document["name"], document["cadence_s"] = kind.slug, kind.name, kind.cadence_s
    fields = tomlkit.aot()
    for one in kind.fields:
        table = tomlkit.table()
        table["name"], table["quantity"], table["unit"] = one.name, one.quantity, one.unit
        fields.append(table)
    if kind.fields:
        document["field"] = fields
    return tomlkit.dumps(document)


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
    fields = document.get("field", [])
    if not isinstance(fields, list) or not all(isinstance(one, dict) for one in fields):
        raise UsageError("fields are tables", remedy="begin each with [[field]]")
    unknown = document.keys() - {"slug", "name", "cadence_s", "field"}
    if unknown:
        raise UsageError(f"{sorted(unknown)[0]} is nothing a kind has", remedy="see docs/kinds.md")
    made = tuple(_field(at, one) for at, one in enumerate(fields, start=1))
    if len({one.name for one in made}) != len(made):
        raise UsageError("two fields have the same name", remedy="name each once")
    return Kind(slug, name, float(cadence), made)


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
    except UsageError as error:
        raise UsageError(f"field {at}: {error.what}", remedy=error.remedy) from None
    return Field(name, slug, unit)


def _text(table: dict[str, Any], name: str) -> str:
    value = table.get(name)
    if not isinstance(value, str) or not value.strip():
        raise UsageError(f"{name} is missing", remedy=f'add {name} = "…"')
    return value
