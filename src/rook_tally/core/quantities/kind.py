"""A kind: a reusable description of a sort of station."""

from __future__ import annotations

import msgspec

from rook_tally.core.quantities.bluetooth_map import BluetoothMap
from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.core.quantities.controls import Control
from rook_tally.core.quantities.json_shape import JsonShape
from rook_tally.core.quantities.modbus_map import ModbusRegister


class Field(msgspec.Struct, frozen=True):
    """One value in a station's message: its name on the wire, what it measures, in which unit.

    `accuracy` and `believable` are this sort's own, in the quantity's base unit; None means the
    quantity's. `colour` is that of its trace, from 1; None for any.
    """

    name: str
    quantity: str
    unit: str
    accuracy: float | None = None
    believable: tuple[float, float] | None = None
    colour: int | None = None


class Kind(msgspec.Struct, frozen=True):
    """A sort of station: how often it reports, which fields it has and what it can be told.

    `layout` is that of its messages where they are bytes, `shape` where they are JSON and not in
    one of our forms; `registers` those of a Modbus device, `bluetooth` what is read from a sensor
    by radio. `source` is where the accuracies of its fields are from, of a kind that is named by
    the part in it.
    """

    slug: str
    name: str
    cadence_s: float
    fields: tuple[Field, ...]
    controls: tuple[Control, ...] = ()
    layout: ByteLayout | None = None
    shape: JsonShape | None = None
    registers: tuple[ModbusRegister, ...] = ()
    source: str = ""
    bluetooth: BluetoothMap | None = None

    @property
    def is_gateway(self) -> bool:
        """True if its messages are those of other stations, one's or a list."""
        return self.shape is not None and bool(self.shape.station)

    def field(self, name: str) -> Field | None:
        """The field of that name, or None."""
        return next((field for field in self.fields if field.name == name), None)

    def control(self, name: str) -> Control | None:
        """The control of that name, or None."""
        return next((control for control in self.controls if control.name == name), None)
