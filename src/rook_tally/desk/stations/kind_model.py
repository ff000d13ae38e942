"""Kinds of stations as a person edits them: every cell a text, in the unit of its field; without
Qt."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.edits import length_text, typed_seconds
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.bluetooth_map import BluetoothMap
from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.core.quantities.controls import Control, ControlKind
from rook_tally.core.quantities.field_guess import guessed_field
from rook_tally.core.quantities.json_shape import JsonShape
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import KINDS, Field, Kind
from rook_tally.core.quantities.modbus_map import ModbusRegister
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Unit
from rook_tally.desk.data.conflict import check_base
from rook_tally.desk.data.site_commands import recorded
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import load_site
from rook_tally.store.site.kinds import delete_kind, keep_kind, own_kinds

PLAIN = "plain"
_DIGITS = 9


@dataclass(frozen=True, slots=True)
class TypedField:
    """A field as it is typed: `accuracy`, `low` and `high` in its unit; empty for the usual.
    `colour` is that of its trace, from 1."""

    name: str = ""
    quantity: str = "temperature"
    unit: str = "°C"
    accuracy: str = ""
    low: str = ""
    high: str = ""
    colour: int | None = None


@dataclass(frozen=True, slots=True)
class TypedControl:
    """A control as it is typed; `choices` apart by commas."""

    name: str = ""
    title: str = ""
    sort: ControlKind = ControlKind.SWITCH
    unit: str = ""
    low: str = ""
    high: str = ""
    choices: str = ""


class KindForm(msgspec.Struct, frozen=True):
    """A kind as it is typed; an empty `slug` is made of its name. What is written in files alone
    goes with it: how messages of other shapes are read, registers, what is read by radio, the
    source of accuracies."""

    slug: str = ""
    name: str = ""
    cadence: str = "60 s"
    fields: tuple[TypedField, ...] = ()
    controls: tuple[TypedControl, ...] = ()
    layout: ByteLayout | None = None
    shape: JsonShape | None = None
    registers: tuple[ModbusRegister, ...] = ()
    source: str = ""
    bluetooth: BluetoothMap | None = None


@dataclass(frozen=True, slots=True)
class KindsListing:
    """The kinds there are, by slug: the site's own, all of them, how many stations are of each."""

    own: dict[str, Kind] = field(default_factory=dict)
    known: dict[str, Kind] = field(default_factory=dict)
    used: dict[str, int] = field(default_factory=dict)

    def words(self, slug: str) -> str:
        """A kind in a line: its name, whose it is, how many stations are of it."""
        told = self.known[slug].name
        if slug in self.own:
            told += " · " + (tr("own, in place of ours") if slug in KINDS else tr("own"))
        count = self.used.get(slug, 0)
        return f"{told} · {count}" if count else told


@dataclass(frozen=True, slots=True)
class KindsQuery:
    """Asks for the kinds there are."""

    def run(self, connection: Connection) -> KindsListing:
        """Read them."""
        own = own_kinds(connection)
        used: dict[str, int] = {}
        for station in load_site(connection).stations:
            used[station.kind.slug] = used.get(station.kind.slug, 0) + 1
        known = {slug: one for slug, one in (KINDS | own).items() if slug != PLAIN}
        return KindsListing(own, known, used)


@dataclass(frozen=True, slots=True)
class SaveKind:
    """A kind shall be one of the site's own; `base` is what was edited, None for a new one."""

    kind: Kind
    base: Kind | None

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it down; stations of it follow."""
        kind, own = self.kind, own_kinds(connection)
        now = own.get(kind.slug, KINDS.get(kind.slug))
        check_base(tr("the kind {0}", kind.name), self.base, now)
        return recorded(
            connection, tr("kind {0} saved", kind.name), lambda within: keep_kind(within, kind)
        )


@dataclass(frozen=True, slots=True)
class RemoveKind:
    """A kind of one's own shall go; what it took the place of is there again."""

    kind: Kind

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it.

        Raises
        ------
        UsageError
            When stations are of it and nothing takes its place.
        """
        slug, name = self.kind.slug, self.kind.name
        count = KindsQuery().run(connection).used.get(slug, 0)
        if count and slug not in KINDS:
            raise UsageError(
                tr("{0} stations are of the kind {1}", count, name),
                kept=tr("nothing was changed"),
                remedy=tr("give them another kind first"),
            )
        return recorded(
            connection, tr("kind {0} deleted", name), lambda within: delete_kind(within, slug)
        )


def form_of(kind: Kind) -> KindForm:
    """A kind, to be typed over."""
    return KindForm(
        kind.slug,
        kind.name,
        length_text(kind.cadence_s),
        tuple(_field_row(one) for one in kind.fields),
        tuple(_control_row(one) for one in kind.controls),
        kind.layout,
        kind.shape,
        kind.registers,
        kind.source,
        kind.bluetooth,
    )


def kind_of(form: KindForm, before: Kind | None = None) -> Kind:
    """The kind that was typed; what has no cell, as how long a control may take, is as `before`.

    Raises
    ------
    UsageError
        When it cannot be one; it says which row and why.
    """
    if not form.name.strip():
        raise UsageError(tr("a kind has a name"), remedy=tr("such as greenhouse box"))
    known = {} if before is None else {one.name: one for one in before.controls}
    made = Kind(
        form.slug or slug_of(form.name),
        form.name.strip(),
        typed_seconds(form.cadence),
        tuple(_field(at, one) for at, one in enumerate(form.fields, start=1)),
        tuple(_control(at, one, known) for at, one in enumerate(form.controls, start=1)),
        form.layout,
        form.shape,
        form.registers,
        form.source,
        form.bluetooth,
    )
    # A file of it is read as strictly as anybody's.
    return kind_from_toml(kind_to_toml(made))


def missing_fields(names: Sequence[str], fields: Sequence[TypedField]) -> tuple[TypedField, ...]:
    """Fields of these names that a kind does not have yet, each with what its name proposes; names
    that serve formulas alone are none."""
    known = {one.name for one in fields}
    found = []
    for name in dict.fromkeys(names):
        if name in known or name.startswith("_"):
            continue
        guess = guessed_field(name, [])
        slug = "temperature" if guess.quantity is None else guess.quantity.slug
        found.append(TypedField(name, slug, guess.unit if guess.quantity is not None else "°C"))
    return tuple(found)


def units_of(quantity: str) -> Sequence[str]:
    """The symbols of a quantity's units, its base unit first."""
    return [one.symbol for one in QUANTITIES[quantity].units]


def _unit(row: TypedField) -> Unit:
    quantity = QUANTITIES[row.quantity]
    return quantity.unit(row.unit) or quantity.base


def _field_row(one: Field) -> TypedField:
    row = TypedField(one.name, one.quantity, one.unit)
    unit = _unit(row)
    accuracy = "" if one.accuracy is None else _text(one.accuracy / unit.factor)
    low, high = (
        ("", "")
        if one.believable is None
        else (_text(float(unit.from_base(end))) for end in one.believable)
    )
    return TypedField(one.name, one.quantity, one.unit, accuracy, low, high, one.colour)


def _text(value: float) -> str:
    return number_text(round(value, _DIGITS))


def _field(at: int, row: TypedField) -> Field:
    try:
        unit = _unit(row)
        accuracy = typed_number(row.accuracy) * unit.factor if row.accuracy.strip() else None
        ends = [one.strip() for one in (row.low, row.high)]
        if bool(ends[0]) != bool(ends[1]):
            raise UsageError(tr("what is believable has two ends, or none"))
        believable = None
        if ends[0]:
            low, high = (float(unit.to_base(typed_number(one))) for one in ends)
            believable = (round(low, _DIGITS), round(high, _DIGITS))
    except UsageError as error:
        raise UsageError(tr("field {0}: {1}", at, error.what), remedy=error.remedy) from None
    exact = None if accuracy is None else round(accuracy, _DIGITS)
    return Field(row.name.strip(), row.quantity, row.unit, exact, believable, row.colour)


def _control_row(one: Control) -> TypedControl:
    low, high = (_text(end) if math.isfinite(end) else "" for end in (one.low, one.high))
    return TypedControl(one.name, one.title, one.sort, one.unit, low, high, ", ".join(one.choices))


def _control(at: int, row: TypedControl, known: dict[str, Control]) -> Control:
    try:
        low = typed_number(row.low) if row.low.strip() else -math.inf
        high = typed_number(row.high) if row.high.strip() else math.inf
    except UsageError as error:
        raise UsageError(tr("control {0}: {1}", at, error.what), remedy=error.remedy) from None
    name = row.name.strip()
    choices = tuple(one.strip() for one in row.choices.split(",") if one.strip())
    is_number, is_choice = row.sort is ControlKind.NUMBER, row.sort is ControlKind.CHOICE
    made = Control(
        name,
        row.title.strip() or name,
        row.sort,
        row.unit.strip() if is_number else "",
        low if is_number else -math.inf,
        high if is_number else math.inf,
        choices if is_choice else (),
    )
    before = known.get(name)
    if before is None:
        return made
    return Control(
        made.name,
        made.title,
        made.sort,
        made.unit,
        made.low,
        made.high,
        made.choices,
        before.confirm_s,
        before.lapse_s,
    )
