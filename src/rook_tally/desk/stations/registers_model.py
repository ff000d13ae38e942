"""Registers of a Modbus device as they are picked in the window: what each could be, and the list
of those that a kind reads; without Qt."""

from __future__ import annotations

import math
import struct
from collections.abc import Sequence
from dataclasses import dataclass

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import NumberType
from rook_tally.core.quantities.modbus_map import (
    ModbusRegister,
    ModbusRequest,
    RegisterTable,
    RequestReader,
    register_from_table,
    register_table,
)
from rook_tally.core.quantities.number_format import UNKNOWN
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.desk.stations.texts import tr

TYPES = (NumberType.U16, NumberType.I16, NumberType.U32, NumberType.I32, NumberType.F32)
"""What a register, or two, are shown as."""


@dataclass(frozen=True, slots=True)
class RegistersAnswer:
    """What a device answered: numbers of registers, or states, of a table from an address on."""

    table: RegisterTable
    at: int
    told: tuple[int | bool, ...]

    def covers(self, register: ModbusRegister) -> bool:
        """True if a register lies within."""
        return register.table is self.table and (
            self.at <= register.at and register.end <= self.at + len(self.told)
        )


@dataclass(frozen=True, slots=True)
class RegisterRow:
    """A register: its address, its bits in hexadecimal, and what it is as each of `TYPES`, with the
    ones behind it where it takes several; empty where those are not there."""

    at: int
    raw: str
    values: tuple[str, ...]


class TypedRegister(msgspec.Struct, frozen=True):
    """A register that a kind reads, as it is typed; `before` keeps what the window has no field
    for."""

    name: str
    table: RegisterTable
    at: str
    kind: NumberType
    low_word_first: bool = False
    scale: str = "1"
    offset: str = "0"
    before: ModbusRegister | None = None

    def made(self) -> ModbusRegister:
        """The same as a kind has it.

        Raises
        ------
        UsageError
            When it cannot be one; it says what.
        """
        if not self.name.strip():
            raise UsageError(tr("a register has no field"), remedy=tr("such as power"))
        if not self.at.strip().isdecimal():
            raise UsageError(
                tr("{0}: {1} is no address", self.name, self.at.strip() or "?"),
                remedy=tr("from 0 to 65535"),
            )
        told = {} if self.before is None else register_table(self.before)
        told |= {
            "name": self.name.strip(),
            "table": self.table.value,
            "at": int(self.at),
            "type": self.kind.value,
            "low_word_first": self.low_word_first,
            "scale": typed_number(self.scale or "1"),
            "offset": typed_number(self.offset or "0"),
        }
        if self.table.is_bits:
            told["type"] = NumberType.U16.value
        return register_from_table(1, told)


def typed_register(one: ModbusRegister) -> TypedRegister:
    """A register of a kind, to be typed over."""
    field = one.field
    return TypedRegister(
        one.name,
        one.table,
        str(one.at),
        field.kind,
        one.low_word_first,
        number_text(field.scale),
        number_text(field.offset),
        one,
    )


def rows_of(answer: RegistersAnswer, *, low_word_first: bool) -> list[RegisterRow]:
    """What a device answered, a row each."""
    if answer.table.is_bits:
        return [
            RegisterRow(answer.at + at, str(int(one)), (str(int(one)),) + ("",) * (len(TYPES) - 1))
            for at, one in enumerate(answer.told)
        ]
    words = [int(one) for one in answer.told]
    return [
        RegisterRow(
            answer.at + at,
            f"{word:04x}",
            tuple(_as(kind, words[at:], low_word_first) for kind in TYPES),
        )
        for at, word in enumerate(words)
    ]


def _as(kind: NumberType, words: Sequence[int], low_word_first: bool) -> str:
    count = kind.size // 2
    if len(words) < count:
        return ""
    several = words[:count][::-1] if low_word_first else words[:count]
    letter = {"u16": "H", "i16": "h", "u32": "I", "i32": "i", "f32": "f"}[kind.value]
    (value,) = struct.unpack(f">{letter}", struct.pack(f">{count}H", *several))
    if kind is not NumberType.F32:
        return number_text(value)
    return number_text(float(f"{value:.7g}")) if math.isfinite(value) else UNKNOWN


def picked_register(
    row: RegisterRow,
    table: RegisterTable,
    kind: NumberType,
    taken: Sequence[str],
    *,
    low_word_first: bool,
) -> TypedRegister:
    """The register of a row taken as a type, by a name that none has yet."""
    name, count = f"register{row.at}", 1
    while name in taken:
        count += 1
        name = f"register{row.at}_{count}"
    turned = low_word_first and kind.size > 2
    return TypedRegister(name, table, str(row.at), kind, turned)


def value_words(one: TypedRegister, answers: Sequence[RegistersAnswer]) -> str:
    """A register's value in the last answers; why it cannot be one where it is typed so."""
    try:
        register = one.made()
    except UsageError as error:
        return error.what
    answer = next((told for told in answers if told.covers(register)), None)
    if answer is None:
        return ""
    begin = register.at - answer.at
    request = ModbusRequest(register.table, register.at, register.count, (register,))
    told = answer.told[begin : begin + register.count]
    values = RequestReader(request).values(told)
    return number_text(values[register.name]) if register.name in values else tr("no value")


def registers_of(several: Sequence[TypedRegister]) -> tuple[ModbusRegister, ...]:
    """All that were typed.

    Raises
    ------
    UsageError
        When one cannot be a register, or two have the same name.
    """
    made = tuple(one.made() for one in several)
    names = [one.name for one in made]
    for name in names:
        if names.count(name) > 1:
            raise UsageError(tr("{0} is there twice", name), remedy=tr("name each once"))
    return made
