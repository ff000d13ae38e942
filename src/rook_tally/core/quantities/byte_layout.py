"""Layouts of bytes: where in a binary message each value stands, and how it is written.

[layout]
order = "big"                # or little; of each field where it says nothing else
length = 11                  # left out: as long as its fields need, or longer
begins = "4201"              # what a message has to begin with, as hexadecimal
check = "crc8"               # over all before it; see `CheckKind`

[[layout.field]]
name = "temp"
at = 2                       # offset in bytes
type = "i16"
scale = 0.01                 # value = number × scale + offset
nothing = [-32768]           # numbers that mean that there is no value

[[layout.field]]
name = "open"
at = 4
type = "u8"
bits = [3, 1]                # the lowest of its bits, and how many
when = {at = 0, bit = 7}     # there only when this bit is set

[[layout.formula]]           # worked out afterwards, in their order; see message_formulas
name = "dew"
is = "temp - (100 - _rh) / 5"  # fields named _… are there for formulas alone

[layout.repeat]              # the fields once more, so many bytes further, from earlier on
bytes = 4
back = "60 s"
count_at = 1                 # which byte says how many; left out: as many as there are
"""

from __future__ import annotations

import enum
import math
from collections.abc import Iterator
from typing import Any

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.struct_types import prepare

MOST_BYTES = 4096
MOST_REPEATS = 1000
_KEPT = "nothing was changed"


class NumberType(enum.Enum):
    """The type of a number in bytes: unsigned, signed or floating, then its bits."""

    U8 = "u8"
    I8 = "i8"
    U16 = "u16"
    I16 = "i16"
    U24 = "u24"
    I24 = "i24"
    U32 = "u32"
    I32 = "i32"
    F32 = "f32"
    F64 = "f64"

    @property
    def size(self) -> int:
        """Its bytes."""
        return int(self.value[1:]) // 8

    @property
    def is_signed(self) -> bool:
        """True if it can be negative."""
        return not self.value.startswith("u")

    @property
    def is_whole(self) -> bool:
        """True for whole numbers."""
        return not self.value.startswith("f")


class ByteOrder(enum.Enum):
    """Which byte of a number comes first: the highest, or the lowest."""

    BIG = "big"
    LITTLE = "little"


class CheckKind(enum.Enum):
    """A check that stands behind what it is over."""

    SUM8 = "sum8"
    XOR8 = "xor8"
    CRC8 = "crc8"
    CRC8_MAXIM = "crc8-maxim"
    CRC16_MODBUS = "crc16-modbus"
    CRC16_CCITT = "crc16-ccitt"

    @property
    def size(self) -> int:
        """Its bytes."""
        return 2 if self in (CheckKind.CRC16_MODBUS, CheckKind.CRC16_CCITT) else 1


class BytesText(enum.Enum):
    """The notation of a message's bytes: as they are, or as text."""

    BYTES = "bytes"
    HEX = "hex"
    BASE64 = "base64"


class PresenceBit(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """A bit that says whether a field is there: in which byte, 0 for the lowest bit."""

    at: int
    bit: int


class LayoutField(
    msgspec.Struct,
    frozen=True,
    kw_only=True,
    forbid_unknown_fields=True,
    omit_defaults=True,
    rename={"kind": "type"},
):
    """A value: where it stands, how it is written, and what is to be done with the number."""

    name: str
    at: int
    kind: NumberType
    order: ByteOrder | None = None
    bits: tuple[int, int] | None = None
    scale: float = 1.0
    offset: float = 0.0
    nothing: tuple[float, ...] = ()
    when: PresenceBit | None = None

    @property
    def end(self) -> int:
        """The first byte behind it."""
        return self.at + self.kind.size


class LayoutRepeat(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """The fields once more, each time `bytes` further and `back` seconds earlier; `oldest_first`
    turns the times round, so that the last is now."""

    bytes: int
    back: float
    count_at: int | None = None
    oldest_first: bool = False


class LayoutFormula(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, rename={"text": "is"}
):
    """A value that is worked out from the others: `core.workings.message_formulas`."""

    name: str
    text: str


class ByteLayout(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """The layout of a binary message. `at` is the JSON pointer of the bytes within a message that
    is JSON, empty where the message is the bytes themselves, written as `text` says."""

    field: tuple[LayoutField, ...]
    order: ByteOrder = ByteOrder.BIG
    length: int | None = None
    begins: str = ""
    check: CheckKind | None = None
    repeat: LayoutRepeat | None = None
    at: str = ""
    text: BytesText = BytesText.BYTES
    formula: tuple[LayoutFormula, ...] = ()

    @property
    def written(self) -> BytesText:
        """How the bytes are written: within JSON they are text, base64 unless it says hex."""
        within = self.at and self.text is BytesText.BYTES
        return BytesText.BASE64 if within else self.text

    @property
    def least(self) -> int:
        """The fewest bytes that hold every field, the beginning and the check."""
        ends = [one.end for one in self.field]
        ends += [one.when.at + 1 for one in self.field if one.when is not None]
        if self.repeat is not None and self.repeat.count_at is not None:
            ends.append(self.repeat.count_at + 1)
        ends.append(len(self.begins) // 2)
        return max(ends) + (0 if self.check is None else self.check.size)


def layout_from_table(table: dict[str, Any]) -> ByteLayout:
    """The layout a table of a file describes.

    Raises
    ------
    UsageError
        When something is missing, unknown, or cannot be meant; it names the place.
    """
    told = dict(table)
    repeat = told.get("repeat")
    if isinstance(repeat, dict) and "back" in repeat:
        told["repeat"] = {**repeat, "back": _seconds(repeat["back"])}
    try:
        layout = msgspec.convert(told, ByteLayout)
    except msgspec.ValidationError as error:
        raise UsageError(f"layout: {error}", kept=_KEPT, remedy="see docs/layouts.md") from None
    for fault in _faults(layout):
        raise UsageError(f"layout: {fault}", kept=_KEPT, remedy="see docs/layouts.md")
    return layout


def layout_table(layout: ByteLayout) -> dict[str, Any]:
    """The layout as the table of a file."""
    told: dict[str, Any] = msgspec.to_builtins(layout)
    told["field"] = [
        {name: list(value) if isinstance(value, tuple) else value for name, value in one.items()}
        for one in told["field"]
    ]
    return told


def _seconds(text: object) -> float:
    if isinstance(text, str):
        number, _, unit = text.strip().partition(" ")
        factor = {"s": 1, "min": 60, "h": 3600, "": 1}.get(unit.strip())
        try:
            return float(number) * (math.nan if factor is None else factor)
        except ValueError:
            return math.nan
    return float(text) if isinstance(text, int | float) else math.nan


def _faults(layout: ByteLayout) -> Iterator[str]:
    """Yield every reason why a layout cannot be used, in the order of the file."""
    if not layout.field:
        yield "it has no field"
        return
    try:
        bytes.fromhex(layout.begins)
    except ValueError:
        yield f"begins = {layout.begins!r} is not hexadecimal"
        return
    if layout.at and not layout.at.startswith("/"):
        yield f"at = {layout.at!r} is no JSON pointer; write it as /uplink/payload"
    names = [one.name for one in layout.field]
    for one in layout.field:
        yield from (f"field {one.name or '?'}: {fault}" for fault in _field_faults(one))
        if names.count(one.name) > 1:
            yield f"field {one.name} is there twice"
    for formula in layout.formula:
        if not formula.name.strip() or not formula.text.strip():
            yield "a formula has a name, and what it is"
        if names.count(formula.name) or sum(one.name == formula.name for one in layout.formula) > 1:
            yield f"formula {formula.name} is there twice"
    if layout.least > MOST_BYTES:
        yield f"it is longer than {MOST_BYTES} bytes"
    if layout.length is not None and layout.length < layout.least:
        yield f"length = {layout.length}, and its fields need {layout.least}"
    repeat = layout.repeat
    if repeat is not None:
        if not 1 <= repeat.bytes <= MOST_BYTES:
            yield "repeat: bytes has to be at least 1"
        if not 0 < repeat.back <= 86_400 * 366:
            yield 'repeat: back has to be a length of time, such as "60 s"'
        if repeat.count_at is not None and not 0 <= repeat.count_at < MOST_BYTES:
            yield "repeat: count_at has to be the offset of a byte"


def _field_faults(one: LayoutField) -> Iterator[str]:
    if not one.name.strip():
        yield "it has no name"
    if not 0 <= one.at < MOST_BYTES:
        yield f"at = {one.at} is no offset in bytes"
    if one.bits is not None:
        first, count = one.bits
        if not one.kind.is_whole:
            yield f"{one.kind.value} has no bits of its own"
        elif first < 0 or count < 1 or first + count > one.kind.size * 8:
            yield f"bits = [{first}, {count}] do not lie within {one.kind.value}"
    if not math.isfinite(one.scale) or one.scale == 0 or not math.isfinite(one.offset):
        yield "scale and offset have to be numbers, scale not 0"
    if one.when is not None and not (0 <= one.when.bit <= 7 and 0 <= one.when.at < MOST_BYTES):
        yield "when has to name a byte and one of its bits, 0 to 7"


prepare(ByteLayout)
