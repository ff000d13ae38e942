"""A W3C Thing Description or Thing Model (TD 1.1) as a kind: what can be meant of it, and what
not."""

from __future__ import annotations

import functools
import json
import math
import re
from collections.abc import Iterator, Mapping
from importlib import resources
from typing import Any
from urllib.parse import SplitResult, parse_qs, urlsplit

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.controls import USUAL_CONFIRM_S, USUAL_LAPSE_S, Control, ControlKind
from rook_tally.core.quantities.field_guess import guessed_field
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import Field, Kind
from rook_tally.core.quantities.modbus_map import ModbusRegister, register_from_table
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import COLOURS
from rook_tally.core.things.vocabulary import KIND_ID, MODEL, own, unit_of_text
from rook_tally.core.things.writing import ENTITIES, TYPES

_MOST_BYTES = 1_000_000
_USUAL_CADENCE_S = 60.0
_NUMBERS = ("number", "integer")
_KEPT = "nothing was changed"
_DIGITS = 9
_CONTROL_NAME = re.compile(r"[^A-Za-z0-9_-]+")


class ThingReading(msgspec.Struct, frozen=True):
    """A kind out of a Thing Description, what of that could not be meant, and the doors by which
    its readings can come, as commands."""

    kind: Kind
    left_out: tuple[str, ...]
    doors: tuple[str, ...]


def kind_from_text(text: str) -> ThingReading:
    """The kind of a file, which is TOML of our own or a Thing Description.

    Raises
    ------
    UsageError
        When it is neither; it names the place.
    """
    is_json = text.lstrip("\ufeff \t\r\n").startswith("{")
    return thing_from_json(text) if is_json else ThingReading(kind_from_toml(text), (), ())


def thing_from_json(text: str) -> ThingReading:
    """The kind that a Thing Description or Thing Model describes.

    Raises
    ------
    UsageError
        When it is no JSON, not one by the schema of TD 1.1 (it says where), or none of its
        properties is anything that is measured.
    """
    document = _document(text)
    _check(document)
    made = _Reading(document)
    fields = tuple(made.fields())
    controls = tuple(made.controls())
    if not fields and not controls:
        raise UsageError(
            "none of its properties is anything that is measured or set",
            kept=_KEPT,
            remedy="; ".join(made.left_out[:3]) or "it needs properties with a unit",
        )
    name = str(document.get("title") or "thing")
    told = str(document.get("id") or "")
    cadence = document.get(own("cadence"))
    kind = Kind(
        told.removeprefix(KIND_ID) if told.startswith(KIND_ID) else slug_of(name),
        name,
        float(cadence) if isinstance(cadence, int | float) else _USUAL_CADENCE_S,
        fields,
        controls,
        registers=tuple(made.registers),
        source=str(document.get("description") or ""),
    )
    # Held to the same as anybody's file.
    return ThingReading(
        kind_from_toml(kind_to_toml(kind)), tuple(made.left_out), tuple(made.doors())
    )


def _document(text: str) -> dict[str, Any]:
    if len(text) > _MOST_BYTES:
        raise UsageError("it is larger than 1 MB", kept=_KEPT, remedy="no description is")
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise UsageError(f"it is no JSON: {error}", kept=_KEPT, remedy="save it again") from None
    if not isinstance(document, dict):
        raise UsageError("it is no object", kept=_KEPT, remedy="a Thing Description is one")
    return document


def _check(document: Mapping[str, Any]) -> None:
    """Hold it to the schema of the standard."""
    context = document.get("@context")
    versions = context if isinstance(context, list) else [context]
    if not any(isinstance(one, str) and "/wot/td" in one for one in versions):
        raise UsageError(
            "it says nothing of W3C Thing Descriptions in its @context",
            kept=_KEPT,
            remedy='a kind in TOML begins with slug = "…"',
        )
    kinds = document.get("@type")
    is_model = MODEL in (kinds if isinstance(kinds, list) else [kinds])
    from jsonschema.exceptions import best_match

    fault = best_match(_validator("tm" if is_model else "td").iter_errors(document))
    if fault is not None:
        where = "/".join(map(str, fault.absolute_path)) or "the whole"
        raise UsageError(
            f"it is no {'Thing Model' if is_model else 'Thing Description'} 1.1: {where}: "
            f"{fault.message[:200]}",
            kept=_KEPT,
            remedy="mend it there",
        )


@functools.cache
def _validator(which: str) -> Any:
    # Loaded late: only who reads one needs it.
    from jsonschema import Draft7Validator

    schema = resources.files("rook_tally.core.things").joinpath(f"{which}-schema.json")
    return Draft7Validator(json.loads(schema.read_text("utf-8")))


class _Reading:
    """Reads one document, and notes what of it is left out."""

    def __init__(self, document: Mapping[str, Any]) -> None:
        self._document = document
        self.left_out: list[str] = []
        self.registers: list[ModbusRegister] = []
        self._asked: dict[str, list[str]] = {}
        self._heard: list[str] = []
        self._modbus = ""
        for name in document.get("events", {}):
            self.left_out.append(f"event {name}: events are not taken in")

    def fields(self) -> Iterator[Field]:
        """The properties that are measured."""
        for name, told in self._properties(self._document.get("properties", {}), ""):
            is_control_alone = told.get(own("control")) is True and own("quantity") not in told
            if told.get("writeOnly") or is_control_alone:
                continue
            field = self._field(name, told)
            if field is not None:
                self._note_forms(name, told)
                yield field

    def _properties(
        self, told: Mapping[str, Any], prefix: str
    ) -> Iterator[tuple[str, Mapping[str, Any]]]:
        """Properties with their names; members of objects by dots, as messages have them."""
        for name, one in told.items():
            members = one.get("properties")
            if one.get("type") == "object" and isinstance(members, dict) and not prefix:
                yield from self._properties(members, f"{name}.")
            else:
                yield f"{prefix}{name}", one

    def _field(self, name: str, told: Mapping[str, Any]) -> Field | None:
        sort = told.get("type")
        if sort not in (*_NUMBERS, "boolean", None):
            if not told.get("enum"):
                self.left_out.append(f"property {name}: {sort} is no reading")
            return None
        quantity = self._quantity(name, told)
        is_state = quantity is not None and quantity.scale is QuantityScale.STATE
        if quantity is None or (sort == "boolean" and not is_state):
            if not _is_set(told):
                self.left_out.append(f"property {name}: what it measures is not known")
            return None
        symbol = told.get(own("unit"), told.get("unit"))
        unit = quantity.base
        if isinstance(symbol, str) and symbol and not is_state:
            found = unit_of_text(quantity, symbol)
            if found is None:
                self.left_out.append(
                    f"property {name}: {symbol!r} is no unit of {quantity.name.lower()}"
                )
                return None
            unit = found
        accuracy = told.get(own("accuracy"))
        low, high = told.get("minimum"), told.get("maximum")
        believable = None
        if isinstance(low, int | float) and isinstance(high, int | float) and not is_state:
            ends = [round(float(unit.to_base(float(end))), _DIGITS) for end in (low, high)]
            believable = (ends[0], ends[1])
        exact = None
        if isinstance(accuracy, int | float) and accuracy > 0:
            exact = round(float(accuracy) * unit.factor, _DIGITS)
        colour = told.get(own("colour"))
        is_one = isinstance(colour, int) and 1 <= colour <= COLOURS
        return Field(
            name, quantity.slug, unit.symbol, exact, believable, colour if is_one else None
        )

    def _quantity(self, name: str, told: Mapping[str, Any]) -> Quantity | None:
        """What a property measures: by our word, by its name, by its title."""
        slug = told.get(own("quantity"))
        if isinstance(slug, str) and slug in QUANTITIES:
            return QUANTITIES[slug]
        for text in (name.rpartition(".")[2], str(told.get("title", ""))):
            quantity = guessed_field(text, ()).quantity if text else None
            if quantity is not None:
                return quantity
        return None

    # How its readings come

    def _note_forms(self, name: str, told: Mapping[str, Any]) -> None:
        for form in told.get("forms", ()):
            href = self._whole(str(form.get("href", "")))
            scheme = _parts(href).scheme
            if scheme.startswith("modbus"):
                self._note_register(name, form, href)
            elif scheme in ("http", "https", "coap"):
                self._asked.setdefault(href, []).append(name)
            elif scheme in ("mqtt", "mqtts"):
                topic = form.get("mqv:topic", form.get("mqv:filter", _parts(href).path))
                self._heard.append(str(topic).strip("/"))
            else:
                where = scheme or "an address without a base"
                self.left_out.append(f"a form of property {name}: no door speaks {where}")

    def _whole(self, href: str) -> str:
        base = str(self._document.get("base", ""))
        return href if _parts(href).scheme else base.rstrip("/") + "/" + href.lstrip("/")

    def _note_register(self, name: str, form: Mapping[str, Any], href: str) -> None:
        entities = {words: table for table, words in ENTITIES.items()}
        types = {words: kind for kind, words in TYPES.items()}
        table = entities.get(str(form.get("modv:entity", "HoldingRegister")))
        own_table = form.get(own("register"))
        if isinstance(own_table, dict):
            self.registers.append(register_from_table(len(self.registers) + 1, own_table))
            return
        parts = _parts(href)
        address = parts.path.strip("/").split("/")[-1]
        count = parse_qs(parts.query).get("quantity", ["1"])[0]
        usual = "xsd:unsignedShort" if count == "1" else "xsd:unsignedInt"
        kind = types.get(str(form.get("modv:type", usual)))
        if table is None or kind is None or not address.isdecimal():
            self.left_out.append(f"property {name}: its register cannot be meant")
            return
        told: dict[str, Any] = {"name": name, "at": int(address), "table": table.value}
        if not table.is_bits:
            told["type"] = kind.value
            if form.get("modv:mostSignificantWord") is False:
                told["low_word_first"] = True
        self.registers.append(register_from_table(len(self.registers) + 1, told))
        if parts.netloc and "{" not in href:
            device = parts.path.strip("/").split("/")[0]
            where = parts.netloc if ":" in parts.netloc else f"{parts.netloc}:502"
            self._modbus = f"rook-tally door add modbus {where} --unit {device} --station KEY"

    def doors(self) -> Iterator[str]:
        """The commands that set up how its readings come, but for the station."""
        if self._modbus:
            yield self._modbus
        for form in self._document.get("forms", ()):
            url = self._whole(str(form.get("href", "")))
            reads_all = "readallproperties" in _several(form.get("op"))
            if reads_all and _parts(url).scheme in ("http", "https", "coap"):
                yield f"rook-tally door add poll {url} --station KEY"
        for url, names in self._asked.items():
            way = f"--alone {names[0]}" if len(names) == 1 else ""
            yield f"rook-tally door add poll {url} --station KEY {way}".rstrip()
        for topic in dict.fromkeys(self._heard):
            yield f"rook-tally door add topics {topic} --station KEY"

    # What it can be told

    def controls(self) -> Iterator[Control]:
        """The properties that can be written, and the actions."""
        for name, told in self._document.get("properties", {}).items():
            if _is_set(told):
                yield from self._control("property", name, told, told)
        for name, told in self._document.get("actions", {}).items():
            yield from self._control("action", name, told, told.get("input"))

    def _control(
        self, what: str, name: str, told: Mapping[str, Any], wants: Mapping[str, Any] | None
    ) -> Iterator[Control]:
        title = str(told.get("title") or name)
        key = _CONTROL_NAME.sub("-", name)
        timing = (
            _positive(told.get(own("confirm_s")), USUAL_CONFIRM_S),
            _positive(told.get(own("lapse_s")), USUAL_LAPSE_S),
        )
        sort = None if wants is None else wants.get("type")
        choices = () if wants is None else tuple(map(str, wants.get("enum", ())))
        if choices:
            yield Control(key, title, ControlKind.CHOICE, "", -math.inf, math.inf, choices, *timing)
        elif sort == "boolean":
            yield Control(key, title, ControlKind.SWITCH, "", -math.inf, math.inf, (), *timing)
        elif sort in _NUMBERS and wants is not None:
            low, high = (
                float(wants[end]) if isinstance(wants.get(end), int | float) else usual
                for end, usual in (("minimum", -math.inf), ("maximum", math.inf))
            )
            unit = str(wants.get("unit", ""))
            yield Control(key, title, ControlKind.NUMBER, unit, low, high, (), *timing)
        elif wants is None:
            yield Control(key, title, ControlKind.BUTTON, "", -math.inf, math.inf, (), *timing)
        else:
            self.left_out.append(f"{what} {name}: {sort or 'nothing'} cannot be set")


def _is_set(told: Mapping[str, Any]) -> bool:
    """True if a property says that it can be written; that nothing forbids it is not enough."""
    ops = {op for form in told.get("forms", ()) for op in _several(form.get("op"))}
    return bool(
        told.get(own("control")) is True
        or told.get("writeOnly")
        or told.get("readOnly") is False
        or "writeproperty" in ops
    )


def _parts(href: str) -> SplitResult:
    """The parts of an address; none where it is no address."""
    try:
        return urlsplit(href)
    except ValueError:
        return urlsplit("")


def _several(told: object) -> list[str]:
    if isinstance(told, list):
        return [str(one) for one in told]
    return [] if told is None else [str(told)]


def _positive(told: object, usual: float) -> float:
    return float(told) if isinstance(told, int | float) and told > 0 else usual
