"""A layout of bytes as a person writes it by example: pick bytes of a message, say what they are,
see the values of the last messages at once; without Qt."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import msgspec
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import (
    ByteLayout,
    ByteOrder,
    BytesText,
    CheckKind,
    LayoutField,
    LayoutFormula,
    LayoutRepeat,
    NumberType,
    layout_from_table,
    layout_table,
)
from rook_tally.core.quantities.layout_reading import LayoutError, LayoutReader
from rook_tally.core.quantities.message_bytes import pointed_at, written_bytes
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.core.workings.message_formulas import HIDDEN, MessageReader, formulas_of
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import load_site, newest_messages, newest_strays
from rook_tally.store.site.in_reach import in_reach

MOST_MESSAGES = 20
_SHOWN_BYTES = 64


class TypedValue(msgspec.Struct, frozen=True):
    """A field of a layout as it is typed. `source` is what has no cell: its bits, when it is
    there."""

    name: str
    at: int
    kind: NumberType
    order: ByteOrder = ByteOrder.BIG
    scale: str = "1"
    offset: str = "0"
    nothing: str = ""
    source: LayoutField | None = None

    @property
    def end(self) -> int:
        """The first byte behind it."""
        return self.at + self.kind.size


class TypedLayout(msgspec.Struct, frozen=True):
    """A layout as it is typed. `repeat` has no cell and goes with it."""

    values: tuple[TypedValue, ...] = ()
    begins: str = ""
    length: str = ""
    check: CheckKind | None = None
    text: BytesText = BytesText.BYTES
    at: str = ""
    repeat: LayoutRepeat | None = None
    formulas: str = ""

    @property
    def shown(self) -> list[str]:
        """The names of what is read: fields and formulas, but for those that serve others."""
        names = [one.name for one in self.values]
        names += [name for name, _ in formulas_from(self.formulas)]
        return [name for name in names if not name.startswith(HIDDEN)]


@dataclass(frozen=True, slots=True)
class Candidate:
    """What picked bytes could be: a type in an order, and the number they are then."""

    kind: NumberType
    order: ByteOrder
    number: float


@dataclass(frozen=True, slots=True)
class TriedMessage:
    """A message by the layout as it is: its bytes in hexadecimal, its values in the order of the
    fields (empty where there is none), or why it is none of that layout."""

    shown: str
    values: tuple[str, ...]
    why: str


@dataclass(frozen=True, slots=True)
class KindMessages:
    """Bodies of the last messages of stations of a kind, or of strays where there are none; of
    Bluetooth sensors what they say under a name, also what is only in reach."""

    slug: str
    source: str = ""

    def run(self, connection: Connection) -> tuple[bytes, ...]:
        """Read them, the newest first."""
        keys = [one.key for one in load_site(connection).stations if one.kind.slug == self.slug]
        told = [
            line
            for key in keys[:MOST_MESSAGES]
            for line in newest_messages(connection, key, most=MOST_MESSAGES)
            if self._is_wanted(line.address)
        ]
        told.sort(key=lambda line: line.arrived_us, reverse=True)
        bodies = [line.body for line in told] or [
            one.body
            for one in newest_strays(connection, MOST_MESSAGES)
            if self._is_wanted(one.address)
        ]
        if self.source:
            several = (one.data.get(self.source) for one in in_reach(connection))
            bodies += [bytes.fromhex(one) for one in several if one is not None]
        return tuple(dict.fromkeys(bodies))[:MOST_MESSAGES]

    def _is_wanted(self, address: str) -> bool:
        return not self.source or address.partition(" ")[2] == self.source


def typed_layout(layout: ByteLayout | None) -> TypedLayout:
    """A layout, to be typed over; an empty one for None."""
    if layout is None:
        return TypedLayout()
    return TypedLayout(
        tuple(
            TypedValue(
                one.name,
                one.at,
                one.kind,
                one.order or layout.order,
                number_text(one.scale),
                number_text(one.offset),
                ", ".join(map(number_text, one.nothing)),
                one,
            )
            for one in layout.field
        ),
        layout.begins,
        "" if layout.length is None else str(layout.length),
        layout.check,
        layout.text,
        layout.at,
        layout.repeat,
        "; ".join(f"{one.name} = {one.text}" for one in layout.formula),
    )


def formulas_from(text: str) -> list[tuple[str, str]]:
    """Names and formulas as they are typed: `dew = temp - 3; hot = temp > 30`."""
    parts = [one.partition("=") for one in text.split(";") if one.strip()]
    return [(name.strip(), formula.strip()) for name, _, formula in parts]


def layout_of(typed: TypedLayout) -> ByteLayout:
    """The layout that was typed.

    Raises
    ------
    UsageError
        When it cannot be one; it names the place.
    """
    fields = tuple(_field(one) for one in typed.values)
    # One order for all that have more than a byte is said once.
    orders = [one.order for one in typed.values if one.kind.size > 1]
    usual = max(ByteOrder, key=orders.count) if orders else ByteOrder.BIG
    made = ByteLayout(
        field=tuple(
            msgspec.structs.replace(
                one, order=None if one.order is usual or one.kind.size == 1 else one.order
            )
            for one in fields
        ),
        order=usual,
        length=None if not typed.length.strip() else _whole(tr("length"), typed.length),
        begins=typed.begins.replace(" ", "").lower(),
        check=typed.check,
        repeat=typed.repeat,
        at=typed.at.strip(),
        text=typed.text,
        formula=tuple(
            LayoutFormula(name=name, text=text) for name, text in formulas_from(typed.formulas)
        ),
    )
    formulas_of(made)
    # Read as strictly as anybody's file.
    return layout_from_table(layout_table(made))


def _field(one: TypedValue) -> LayoutField:
    try:
        nothing = tuple(typed_number(part) for part in one.nothing.split(",") if part.strip())
        scale, offset = typed_number(one.scale), typed_number(one.offset)
    except UsageError as error:
        raise UsageError(tr("{0}: {1}", one.name, error.what), remedy=error.remedy) from None
    told = one.source or LayoutField(name=one.name, at=one.at, kind=one.kind)
    bits = told.bits if told.kind is one.kind else None
    return msgspec.structs.replace(
        told,
        name=one.name.strip(),
        at=one.at,
        kind=one.kind,
        order=one.order,
        bits=bits,
        scale=scale,
        offset=offset,
        nothing=nothing,
    )


def _whole(name: str, text: str) -> int:
    number = typed_number(text)
    if number != int(number):
        raise UsageError(tr("{0}: {1} is no whole number", name, text))
    return int(number)


class LayoutModel:
    """The layout that is being written, beside messages to try it on."""

    def __init__(self, layout: ByteLayout | None, names: Sequence[str]) -> None:
        self.typed = typed_layout(layout)
        self.names = tuple(names)
        self.messages: tuple[bytes, ...] = ()
        self.picked = 0

    def take_messages(self, bodies: Sequence[bytes]) -> None:
        """Messages have been read; those that were pasted stay."""
        self.messages = tuple(dict.fromkeys((*self.messages, *bodies)))[:MOST_MESSAGES]

    def paste(self, text: str) -> None:
        """Try a message that is given as hexadecimal, or as the text it is.

        Raises
        ------
        UsageError
            When it is empty, or no hexadecimal where the layout is one of bare bytes.
        """
        body = text.strip().encode()
        if self.typed.text is BytesText.BYTES and not self.typed.at:
            try:
                body = bytes.fromhex(text)
            except ValueError:
                raise UsageError(
                    tr("{0} is not hexadecimal", text.strip()), remedy=tr("write it as 42 01 0b f4")
                ) from None
        if not body:
            raise UsageError(tr("the message is empty"), remedy=tr("write it as 42 01 0b f4"))
        self.messages = tuple(dict.fromkeys((body, *self.messages)))[:MOST_MESSAGES]
        self.picked = 0

    @property
    def carried(self) -> bytes:
        """The bytes of the picked message; empty where it carries none."""
        if not self.messages:
            return b""
        try:
            return self._carried(self.messages[self.picked])
        except LayoutError:
            return b""

    def owner(self, at: int) -> int | None:
        """Which field a byte is part of, counted from 0."""
        return next(
            (number for number, one in enumerate(self.typed.values) if one.at <= at < one.end), None
        )

    def candidates(self, first: int, count: int) -> list[Candidate]:
        """What these bytes of the picked message could be."""
        body = self.carried[first : first + count]
        found = []
        for kind in NumberType:
            if kind.size != count or len(body) < count:
                continue
            for order in ByteOrder if count > 1 else (ByteOrder.BIG,):
                alone = ByteLayout(field=(LayoutField(name="x", at=0, kind=kind),), order=order)
                told = LayoutReader(alone).one(body)
                # A floating number may be none.
                if told and math.isfinite(told[0].value):
                    found.append(Candidate(kind, order, told[0].value))
        return found

    def add(self, first: int, candidate: Candidate) -> None:
        """These bytes are a field: the first of the kind's that the layout has not yet."""
        taken = {one.name for one in self.typed.values}
        free = [name for name in self.names if name not in taken]
        name = free[0] if free else f"field{len(taken) + 1}"
        value = TypedValue(name, first, candidate.kind, candidate.order)
        values = sorted((*self.typed.values, value), key=lambda one: one.at)
        self.typed = replace(self.typed, values=tuple(values))

    def remove(self, number: int) -> None:
        """A field shall not be in it."""
        values = tuple(one for at, one in enumerate(self.typed.values) if at != number)
        self.typed = replace(self.typed, values=values)

    def alter(self, number: int, value: TypedValue) -> None:
        """A field is typed otherwise."""
        values = list(self.typed.values)
        values[number] = value
        self.typed = replace(self.typed, values=tuple(values))

    def layout(self) -> ByteLayout | None:
        """What is typed as a layout; None when it has no field: the kind reads no bytes then.

        Raises
        ------
        UsageError
            When it cannot be one.
        """
        return layout_of(self.typed) if self.typed.values else None

    def tried(self) -> list[TriedMessage]:
        """All messages by the layout as it is."""
        try:
            layout = self.layout()
        except UsageError as error:
            return [TriedMessage(_shown(one), (), error.what) for one in self.messages]
        if layout is None:
            return [TriedMessage(_shown(one), (), "") for one in self.messages]
        reader = MessageReader(layout)
        return [self._tried(one, reader) for one in self.messages]

    def _tried(self, body: bytes, reader: LayoutReader) -> TriedMessage:
        try:
            told = reader.one(self._carried(body))
        except LayoutError as error:
            return TriedMessage(_shown(body), (), str(error))
        # Of fields that are there several times the newest.
        newest = {one.name: one.value for one in sorted(told, key=lambda one: -one.back_s)}
        values = (newest.get(name) for name in self.typed.shown)
        shown = tuple("" if value is None else number_text(round(value, 9)) for value in values)
        return TriedMessage(_shown(body), shown, "")

    def _carried(self, body: bytes) -> bytes:
        typed = self.typed
        if not typed.at:
            return written_bytes(body, typed.text)
        try:
            told = pointed_at(msgspec.json.decode(body), typed.at)
        except (msgspec.DecodeError, LookupError):
            raise LayoutError(tr("nothing is at {0}", typed.at)) from None
        if not isinstance(told, str):
            raise LayoutError(tr("at {0} is no text", typed.at))
        written = BytesText.BASE64 if typed.text is BytesText.BYTES else typed.text
        return written_bytes(told.encode(), written)


def _shown(body: bytes) -> str:
    """A message for a person: as text where it is text."""
    try:
        text = body.decode()
    except UnicodeDecodeError:
        text = ""
    told = text if text and text.isprintable() else body.hex(" ")
    return told if len(told) <= 3 * _SHOWN_BYTES else told[: 3 * _SHOWN_BYTES] + "…"
