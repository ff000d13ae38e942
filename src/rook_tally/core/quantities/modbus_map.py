"""Registers of a Modbus device, as a kind lists them, and in which few requests they are read.

[[register]]
name = "power"               # a field of the kind
table = "input"              # holding, input, coil, discrete; left out: holding
at = 12                      # address as it is sent, from 0
type = "f32"                 # u16 i16 u32 i32 f32 f64; left out: u16
low_word_first = true        # of what takes several registers; left out: high word first
bits = [0, 4]                # from the lowest: the first, and how many
scale = 0.1                  # value = number × scale + offset
nothing = [65535]            # numbers that mean that there is no value
"""

from __future__ import annotations

import enum
import itertools
import struct
from collections.abc import Sequence
from typing import Any

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import (
    ByteLayout,
    LayoutField,
    NumberType,
    layout_from_table,
    layout_table,
)
from rook_tally.core.quantities.layout_reading import LayoutReader

MOST_REGISTERS, MOST_BITS = 125, 2000
"""As many the protocol reads at once."""
_BRIDGED = 8
"""So many that nobody asked for are read along rather than asked for apart."""
_LAST = 0xFFFF


class RegisterTable(enum.Enum):
    """Which of a device's tables."""

    HOLDING = "holding"
    INPUT = "input"
    COIL = "coil"
    DISCRETE = "discrete"

    @property
    def is_bits(self) -> bool:
        """True for tables of single bits."""
        return self in (RegisterTable.COIL, RegisterTable.DISCRETE)


class ModbusRegister(msgspec.Struct, frozen=True, kw_only=True):
    """A value: in which table at which address, and how it is read; `field` has its place within
    its own registers."""

    table: RegisterTable
    at: int
    field: LayoutField
    low_word_first: bool = False

    @property
    def name(self) -> str:
        """The field of the kind."""
        return self.field.name

    @property
    def count(self) -> int:
        """Its registers, or bits."""
        return 1 if self.table.is_bits else max(1, self.field.kind.size // 2)

    @property
    def end(self) -> int:
        """The first address behind it."""
        return self.at + self.count


class ModbusRequest(msgspec.Struct, frozen=True):
    """Registers that are read at once, from an address on."""

    table: RegisterTable
    at: int
    count: int
    registers: tuple[ModbusRegister, ...]

    @property
    def words(self) -> str:
        """What it asks for, in words."""
        last = self.at + self.count - 1
        return f"{self.table.value} {self.at}" + (f"–{last}" if last > self.at else "")


class RequestReader:
    """Reads the answers to a request. Made once: it is used every second."""

    def __init__(self, request: ModbusRequest) -> None:
        self.request = request
        self._bits = [(one.name, one.at - request.at) for one in request.registers]
        plain: list[LayoutField] = []
        turned: list[LayoutField] = []
        for one in request.registers if not request.table.is_bits else ():
            begin = one.at - request.at
            if one.low_word_first:
                # In an answer that is read from its end the high word comes first.
                begin = request.count - begin - one.count
            field = msgspec.structs.replace(one.field, at=2 * begin)
            (turned if one.low_word_first else plain).append(field)
        self._plain = LayoutReader(ByteLayout(field=tuple(plain))) if plain else None
        self._turned = LayoutReader(ByteLayout(field=tuple(turned))) if turned else None

    def values(self, told: Sequence[int | bool]) -> dict[str, float]:
        """The values in an answer, by field.

        Raises
        ------
        ValueError
            When the answer is not as long as what was asked for.
        """
        count = self.request.count
        if len(told) < count:
            raise ValueError(f"{len(told)} came of {count} that were asked for")
        if self.request.table.is_bits:
            return {name: float(bool(told[at])) for name, at in self._bits}
        words = told[:count]
        found: dict[str, float] = {}
        for reader, several in ((self._plain, words), (self._turned, words[::-1])):
            if reader is not None:
                body = struct.pack(f">{count}H", *several)
                found |= {one.name: one.value for one in reader.one(body)}
        return found


def planned_requests(registers: Sequence[ModbusRegister]) -> list[ModbusRequest]:
    """The fewest requests that read all of them without reading much that nobody asked for."""
    found: list[ModbusRequest] = []
    ordered = sorted(registers, key=lambda one: (one.table.value, one.at))
    for table, several in itertools.groupby(ordered, key=lambda one: one.table):
        most = MOST_BITS if table.is_bits else MOST_REGISTERS
        group: list[ModbusRegister] = []
        for one in several:
            end = max((each.end for each in group), default=one.at)
            is_far = one.at - end > _BRIDGED
            if group and (is_far or max(end, one.end) - group[0].at > most):
                found.append(_request(table, group))
                group = []
            group.append(one)
        found.append(_request(table, group))
    return found


def _request(table: RegisterTable, group: Sequence[ModbusRegister]) -> ModbusRequest:
    begin, end = group[0].at, max(one.end for one in group)
    return ModbusRequest(table, begin, end - begin, tuple(group))


def register_from_table(at: int, table: dict[str, Any]) -> ModbusRegister:
    """The register a table of a file describes, the `at`-th.

    Raises
    ------
    UsageError
        When something is missing, unknown, or cannot be meant; it names the place.
    """
    told = dict(table)
    where = f"register {told.get('name', at)}"
    try:
        sort = RegisterTable(told.pop("table", "holding"))
    except ValueError:
        known = ", ".join(one.value for one in RegisterTable)
        raise UsageError(f"{where}: there is no such table", remedy=f"tables: {known}") from None
    address, is_low_first = told.pop("at", None), told.pop("low_word_first", False)
    if isinstance(address, bool) or not isinstance(address, int) or not 0 <= address <= _LAST:
        raise UsageError(f"{where}: at has to be an address", remedy="from 0 to 65535")
    if not isinstance(is_low_first, bool):
        raise UsageError(f"{where}: low_word_first is true or false", remedy="see docs/layouts.md")
    layout = layout_from_table({"field": [{"type": "u16", **told, "at": 0}]})
    field = layout.field[0]
    if field.kind.size % 2 or field.kind not in REGISTER_TYPES:
        known = ", ".join(one.value for one in REGISTER_TYPES)
        raise UsageError(f"{where}: registers hold no {field.kind.value}", remedy=f"types: {known}")
    if field.when is not None:
        raise UsageError(f"{where}: a register is always there", remedy="leave `when` out")
    return ModbusRegister(table=sort, at=address, field=field, low_word_first=is_low_first)


REGISTER_TYPES = (
    NumberType.U16,
    NumberType.I16,
    NumberType.U32,
    NumberType.I32,
    NumberType.F32,
    NumberType.F64,
)
"""Types of numbers that fill registers."""


def register_table(one: ModbusRegister) -> dict[str, Any]:
    """The register as the table of a file."""
    (told,) = layout_table(ByteLayout(field=(one.field,)))["field"]
    found: dict[str, Any] = {**told, "table": one.table.value, "at": one.at}
    return found | ({"low_word_first": True} if one.low_word_first else {})
