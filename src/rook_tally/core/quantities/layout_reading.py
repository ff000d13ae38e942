"""Reading binary messages by a layout: one, as it comes, or many of one length at once."""

from __future__ import annotations

import functools
import math
import struct
from collections.abc import Callable
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from rook_tally.core.arrays import BoolArray, FloatArray
from rook_tally.core.quantities.byte_layout import (
    MOST_REPEATS,
    ByteLayout,
    ByteOrder,
    CheckKind,
    LayoutField,
    LayoutRepeat,
    NumberType,
)

# Of `struct`, which has no numbers of three bytes.
_LETTERS = {
    NumberType.U8: "B",
    NumberType.I8: "b",
    NumberType.U16: "H",
    NumberType.I16: "h",
    NumberType.U32: "I",
    NumberType.I32: "i",
    NumberType.F32: "f",
    NumberType.F64: "d",
}
_FEW = 3
"""Fewer numbers are as fast one by one."""


class LayoutError(ValueError):
    """Bytes that are no message of a layout; says why."""


class LayoutValue(msgspec.Struct, frozen=True, gc=False):
    """A value: its field, and how many seconds before the message it is from."""

    name: str
    value: float
    back_s: float = 0.0


class _Term(msgspec.Struct, frozen=True):
    """A field made ready to be read: everything that is the same for each message."""

    name: str
    at: int
    number: Callable[[bytes, int], float]
    nothing: tuple[float, ...]
    when: tuple[int, int] | None
    divisor: float
    scale: float
    offset: float


class LayoutReader:
    """Reads messages of one layout."""

    def __init__(self, layout: ByteLayout) -> None:
        self.layout = layout
        self._begins = bytes.fromhex(layout.begins)
        self._least = layout.least
        self._ends = max(one.end for one in layout.field)
        self._terms = [
            _Term(
                one.name,
                one.at,
                _number_reader(one, layout.order),
                one.nothing,
                None if one.when is None else (one.when.at, one.when.bit),
                _divisor(one.scale),
                one.scale,
                one.offset,
            )
            for one in layout.field
        ]
        self._at_once = _unpacked_at_once(layout)

    def one(self, body: bytes) -> list[LayoutValue]:
        """The values of a message; fields that say that they are nothing are left out.

        Raises
        ------
        LayoutError
            When it is too short or too long, begins otherwise, or its check does not hold.
        """
        self.check(body)
        found: list[LayoutValue] = []
        repeat = self.layout.repeat
        if repeat is None:
            self._take(body, 0, 0.0, found)
            return found
        count = self._count(body, repeat)
        for at in range(count):
            back_s = ((count - 1 - at) if repeat.oldest_first else at) * repeat.back
            self._take(body, at * repeat.bytes, back_s, found)
        return found

    def check(self, body: bytes) -> None:
        """Raise LayoutError unless bytes are a message of the layout, by their length, beginning
        and check."""
        layout = self.layout
        wanted = layout.length
        if wanted is not None and len(body) != wanted:
            raise LayoutError(f"{len(body)} bytes came, and the layout has {wanted}")
        if len(body) < self._least:
            raise LayoutError(f"{len(body)} bytes came, and the layout needs {self._least}")
        if not body.startswith(self._begins):
            begun = body[: len(self._begins)].hex()
            raise LayoutError(f"it begins with {begun}, not with {layout.begins}")
        if layout.check is not None:
            size = layout.check.size
            rows = np.frombuffer(body, np.uint8)[None, :]
            told = int(checks_of(rows[:, :-size], layout.check)[0])
            there = int(_written_check(rows, layout.check)[0])
            if told != there:
                raise LayoutError(
                    f"its {layout.check.value} is {there:0{2 * size}x}, and {told:0{2 * size}x} "
                    "follows from its bytes"
                )

    def _count(self, body: bytes, repeat: LayoutRepeat) -> int:
        """How often the fields are there."""
        behind = 0 if self.layout.check is None else self.layout.check.size
        fit = 1 + max(0, len(body) - behind - self._ends) // repeat.bytes
        if repeat.count_at is None:
            return min(fit, MOST_REPEATS)
        told = body[repeat.count_at]
        if told > fit:
            raise LayoutError(f"it says {told} values of each field, and {fit} fit in")
        return told

    def _take(self, body: bytes, shift: int, back_s: float, found: list[LayoutValue]) -> None:
        numbers: tuple[float, ...] | None = None
        if self._at_once is not None:
            numbers = self._at_once.unpack_from(body, shift)
        for place, one in enumerate(self._terms):
            if one.when is not None and not body[one.when[0]] >> one.when[1] & 1:
                continue
            number = one.number(body, one.at + shift) if numbers is None else numbers[place]
            if one.nothing and number in one.nothing:
                continue
            value = (number / one.divisor if one.divisor else number * one.scale) + one.offset
            if not math.isfinite(value):
                continue
            found.append(LayoutValue(one.name, value, back_s))

    def many(self, bodies: NDArray[np.uint8]) -> tuple[dict[str, FloatArray], BoolArray]:
        """The values of many messages of one length, without repeats.

        Parameters
        ----------
        bodies : (N, L) uint8

        Returns
        -------
        by field (N,) float64, NaN where there is none; (N,) bool: which are messages of the layout.

        Raises
        ------
        LayoutError
            When no message of the layout has that length, or its fields repeat.
        """
        layout = self.layout
        count, length = bodies.shape
        if layout.repeat is not None:
            raise LayoutError("messages whose fields repeat are read one by one")
        if length < layout.least or layout.length not in (None, length):
            raise LayoutError(f"no message of the layout has {length} bytes")
        is_one = np.ones(count, np.bool_)
        if self._begins:
            begins = np.frombuffer(self._begins, np.uint8)
            is_one &= (bodies[:, : len(begins)] == begins).all(axis=1)
        if layout.check is not None:
            over = bodies[:, : -layout.check.size]
            is_one &= checks_of(over, layout.check) == _written_check(bodies, layout.check)
        found = {}
        for field in layout.field:
            values = _column(bodies, field, layout.order)
            divisor = _divisor(field.scale)
            # Any eight bytes are a number to somebody: one that is none, or huge, is left out.
            with np.errstate(invalid="ignore", over="ignore"):
                scaled = (values / divisor if divisor else values * field.scale) + field.offset
            is_there = is_one & np.isfinite(scaled)
            if field.nothing:
                is_there &= ~np.isin(values, field.nothing)
            if field.when is not None:
                is_there &= (bodies[:, field.when.at] >> field.when.bit & 1).astype(np.bool_)
            found[field.name] = scaled if is_there.all() else np.where(is_there, scaled, np.nan)
        return found, is_one


def _unpacked_at_once(layout: ByteLayout) -> struct.Struct | None:
    """What unpacks all numbers of a layout in one call; None where they do not stand one behind the
    other in one order, each whole."""
    several, letters, at = layout.field, "", 0
    orders = {one.order or layout.order for one in several}
    if len(orders) != 1 or len(several) < _FEW:
        return None
    for one in several:
        if one.bits is not None or one.kind not in _LETTERS or one.at < at:
            return None
        letters += f"{one.at - at}x{_LETTERS[one.kind]}"
        at = one.at + one.kind.size
    return struct.Struct((">" if orders == {ByteOrder.BIG} else "<") + letters)


def _divisor(scale: float) -> float:
    """Of a scale such as 0.01 what divides instead: 2153 / 100 is 21.53, and 2153 × 0.01 is not."""
    over = round(1 / scale)
    return float(over) if over and 1 / over == scale else 0.0


def _number_reader(field: LayoutField, usual: ByteOrder) -> Callable[[bytes, int], float]:
    """Reads the number of a field at an offset."""
    is_big, kind, bits = (field.order or usual) is ByteOrder.BIG, field.kind, field.bits
    if kind in _LETTERS:
        letter = _LETTERS[kind] if bits is None else _LETTERS[kind].upper()
        unpacked = struct.Struct((">" if is_big else "<") + letter).unpack_from
        if bits is None:
            return lambda body, at: unpacked(body, at)[0]
        first, count = bits
        return lambda body, at: _bits(unpacked(body, at)[0], first, count, kind.is_signed)
    order: Literal["big", "little"] = "big" if is_big else "little"
    size, is_signed = kind.size, kind.is_signed
    if bits is None:
        return lambda body, at: int.from_bytes(body[at : at + size], order, signed=is_signed)
    first, count = bits
    return lambda body, at: _bits(
        int.from_bytes(body[at : at + size], order), first, count, is_signed
    )


def _bits(number: int, first: int, count: int, is_signed: bool) -> int:
    part = number >> first & ((1 << count) - 1)
    return part - (1 << count) if is_signed and part >> (count - 1) else part


def _column(bodies: NDArray[np.uint8], field: LayoutField, usual: ByteOrder) -> FloatArray:
    """The numbers of a field in many messages: (N,)."""
    order, kind = field.order or usual, field.kind
    part = bodies[:, field.at : field.end]
    if kind.size != 3:
        sign = ">" if order is ByteOrder.BIG else "<"
        letter = "f" if not kind.is_whole else "i" if kind.is_signed and field.bits is None else "u"
        typed = np.ascontiguousarray(part).view(f"{sign}{letter}{kind.size}").ravel()
        if field.bits is None:
            # A float32 may be a NaN that signals as it is widened.
            with np.errstate(invalid="ignore"):
                return typed.astype(np.float64)
        whole = typed.astype(np.int64)
    else:
        weights = 1 << (8 * np.arange(3, dtype=np.int64))
        whole = part @ (weights[::-1] if order is ByteOrder.BIG else weights)
        if kind.is_signed and field.bits is None:
            whole = np.where(whole >= 1 << 23, whole - (1 << 24), whole)
    if field.bits is not None:
        first, count = field.bits
        whole = whole >> first & ((1 << count) - 1)
        if kind.is_signed:
            whole = np.where(whole >> (count - 1) > 0, whole - (1 << count), whole)
    return np.asarray(whole, np.float64)


def checks_of(bodies: NDArray[np.uint8], check: CheckKind) -> NDArray[np.int64]:
    """The checks over many messages of one length: (N, L) uint8 to (N,).

    CRC-8 has the polynomial 0x31 and begins with 0xff; CRC-8/MAXIM, CRC-16/MODBUS and
    CRC-16/CCITT (begun with 0xffff) are those of their names.
    """
    if check is CheckKind.SUM8:
        return np.asarray(bodies.sum(axis=1, dtype=np.int64) & 0xFF, np.int64)
    if check is CheckKind.XOR8:
        return np.asarray(np.bitwise_xor.reduce(bodies, axis=1), np.int64)
    table, begin, is_reflected = _crc_table(check)
    width = 8 * check.size
    crc: NDArray[np.int64] = np.full(len(bodies), begin, np.int64)
    for column in bodies.T:
        if is_reflected:
            crc = table[(crc ^ column) & 0xFF] ^ (crc >> 8)
        else:
            crc = table[(crc >> (width - 8)) ^ column] ^ ((crc << 8) & ((1 << width) - 1))
    return np.asarray(crc, np.int64)


def _written_check(bodies: NDArray[np.uint8], check: CheckKind) -> NDArray[np.int64]:
    """The checks as messages have them: of two bytes the low one first where Modbus has it so."""
    if check.size == 1:
        return bodies[:, -1].astype(np.int64)
    first, last = bodies[:, -2].astype(np.int64), bodies[:, -1].astype(np.int64)
    return last << 8 | first if check is CheckKind.CRC16_MODBUS else first << 8 | last


@functools.cache
def _crc_table(check: CheckKind) -> tuple[NDArray[np.int64], int, bool]:
    """The table of a CRC by byte, what it begins with, and whether the lowest bit goes first."""
    polynomial, begin, is_reflected = {
        CheckKind.CRC8: (0x31, 0xFF, False),
        CheckKind.CRC8_MAXIM: (0x8C, 0x00, True),
        CheckKind.CRC16_MODBUS: (0xA001, 0xFFFF, True),
        CheckKind.CRC16_CCITT: (0x1021, 0xFFFF, False),
    }[check]
    width = 8 * check.size
    crc = np.arange(256, dtype=np.int64)
    if not is_reflected:
        crc = crc << (width - 8)
    for _ in range(8):
        if is_reflected:
            crc = np.where(crc & 1, crc >> 1 ^ polynomial, crc >> 1)
        else:
            high = crc >> (width - 1) & 1
            crc = np.where(high, crc << 1 ^ polynomial, crc << 1) & ((1 << width) - 1)
    return crc, begin, is_reflected
